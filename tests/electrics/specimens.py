"""A circuit of every topology."""

from __future__ import annotations

from dynamis.electrics.circuits.circuit import Circuit, Fitted, Reference
from dynamis.electrics.circuits.topology import TOPOLOGIES

RAIL = Reference("vn", -12.0)

# One of each topology, with values of no design: what it does is checked, not how it was chosen.
SPECIMENS = {
    "resistors": Circuit(
        TOPOLOGIES["resistors"],
        (("R1", Fitted((10e3,))), ("R2", Fitted((22e3, 47e3), "parallel")), ("R3", Fitted((33e3,), trimmer_ohms=5e3))),
    ),
    "follower": Circuit(TOPOLOGIES["follower"]),
    "attenuator-follower": Circuit(
        TOPOLOGIES["attenuator-follower"],
        (("R1", Fitted((20e3,), trimmer_ohms=1e3)), ("R2", Fitted((15e3, 3.09e3))), ("R3", Fitted((68e3,)))),
    ),
    "non-inverting": Circuit(
        TOPOLOGIES["non-inverting"],
        (("R1", Fitted((22e3,))), ("R2", Fitted((12e3,))), ("R3", Fitted((27e3,)))),
        reference=RAIL,
    ),
    "biased-non-inverting": Circuit(
        TOPOLOGIES["biased-non-inverting"],
        (
            ("R1", Fitted((15e3,))),
            ("R2", Fitted((150e3,))),
            ("R3", Fitted((82e3,))),
            ("R4", Fitted((68e3,))),
            ("R5", Fitted((47e3,))),
        ),
        reference=RAIL,
    ),
    "inverting": Circuit(
        TOPOLOGIES["inverting"],
        (("R1", Fitted((22e3,))), ("R2", Fitted((10e3,))), ("R3", Fitted((27e3,)))),
        reference=RAIL,
    ),
    "biased-inverting": Circuit(
        TOPOLOGIES["biased-inverting"],
        (("R1", Fitted((22e3,))), ("R2", Fitted((22e3,))), ("R3", Fitted((33e3,))), ("R4", Fitted((10e3,)))),
    ),
    "inverting-pair": Circuit(
        TOPOLOGIES["inverting-pair"],
        (
            ("R1", Fitted((62e3,))),
            ("R2", Fitted((24.3e3,))),
            ("R4", Fitted((95e3,), trimmer_ohms=10e3)),
            ("R5", Fitted((100e3,))),
            ("R3", Fitted((732e3, 8.66e3))),
        ),
        reference=RAIL,
    ),
    "difference": Circuit(
        TOPOLOGIES["difference"],
        (
            ("R1", Fitted((41.2e3,))),
            ("R2", Fitted((22.1e3, 267e3), "parallel")),
            ("R3", Fitted((100e3,))),
            ("R4", Fitted((13.5e3,))),
        ),
        reference=RAIL,
    ),
    "summer": Circuit(
        TOPOLOGIES["summer"],
        (
            ("R1", Fitted((99e3,))),
            ("R2", Fitted((100e3,))),
            ("R6", Fitted((100e3,))),
            ("R8", Fitted((1.2e6,))),
            ("R4", Fitted((100e3,))),
            ("R5", Fitted((100e3,))),
        ),
        reference=RAIL,
        closed=frozenset({"R8"}),
    ),
}
