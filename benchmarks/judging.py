"""Sixty outputs against sixty inputs: `python benchmarks/judging.py [PORTS]`.

Half of the ports of each side are pitch, half gates, as many of them as the trade has; every pair that makes
sense is judged.  Then all of them as pitch: 3600 pairs.
"""

from __future__ import annotations

import sys
import time

from msgspec.structs import replace

from dynamis.bench.document.bench import Bench, Gear
from dynamis.bench.document.commands import set_port
from dynamis.bench.document.ports import GateRecord, Port, PortRef, SwingRecord
from dynamis.bench.judging.matrix import Matrix
from dynamis.converter.transfers import DacTransfer
from dynamis.demo.hidden import BOARD_DAC
from dynamis.pitch.laws import ExponentialLaw, LinearLaw
from dynamis.transfer.law import Oscillator

_CHANGES = 9
_LAWS = ("voct:scale=1,note=36,volts=0.2", "voct:scale=1.2,note=36,volts=1", "hzv:note=36,volts=0.5")


def bench(ports: int, pitch: int) -> Bench:
    """`ports` outputs of boards and as many inputs of voices, `pitch` of each for pitch, the rest gates."""
    dac = DacTransfer("d", BOARD_DAC, reference_limit=0.005, offset_limit_volts=0.003, inl_limit_lsb=2.0).stored()
    heard = (
        Oscillator("o", ExponentialLaw(1, 36, 0.2), scale_limit=0.002),
        Oscillator("o", LinearLaw(36, 0.5), scale_limit=0.002),
    )
    outputs, inputs = [], []
    for k in range(ports):
        if k < pitch:
            sends = Port(
                "out",
                "pitch",
                "output",
                law=_LAWS[k % 3],
                ohms=1000.0,
                ohms_limit=0.01,
                transfers=(dac,) if k % 3 == 0 else (),
            )
            takes = Port("in", "pitch", "input", ohms=100e3, ohms_limit=0.01, transfers=(heard[k % 2].stored(),))
        else:
            sends = Port("out", "gate", "output", "gate", ohms=1000.0, gate=GateRecord("driven", 0.0, 3.3 + k % 5))
            takes = Port(
                "in", "gate", "input", "gate", ohms=100e3, gate=GateRecord("positive", None, None, 2.0 + k % 3, 0.8)
            )
        outputs.append(Gear(f"board-{k}", f"Board {k}", (sends,)))
        inputs.append(Gear(f"voice-{k}", f"Voice {k}", (takes,)))
    return Bench("Sixty", (*outputs, *inputs))


def mixed(ports: int) -> Bench:
    """As many ports, a third each for pitch, gates and modulation; any voltage may meet any input."""
    every = bench(ports, ports // 3)
    swung = []
    for k, gear in enumerate(every.gear):
        port = gear.ports[0]
        if k % ports >= 2 * ports // 3:
            swing = SwingRecord(-5.0, 5.0) if port.direction == "output" else SwingRecord(0.0, 4.0 + k % 3)
            port = replace(port, role="modulation", gate=None, swing=swing)
        swung.append(replace(gear, ports=(port,)))
    return replace(every, gear=tuple(swung))


def timed(matrix: Matrix, one: Bench, everything: bool = False) -> tuple[float, int]:
    start = time.perf_counter()
    matrix.take(one)
    for output, sink in matrix.open_pairs(everything):
        matrix.fit(output, sink)
    return 1000 * (time.perf_counter() - start), matrix.judged


def moved(matrix: Matrix, one: Bench, ref: PortRef, ohms: float, everything: bool) -> tuple[tuple[float, int], Bench]:
    """The middle of several changes of one resistance, each by a little, and the bench after them."""
    times = []
    for k in range(_CHANGES):
        one = set_port(one, ref, ohms=ohms + k).bench
        times.append(timed(matrix, one, everything))
    return sorted(times)[_CHANGES // 2], one


def main() -> None:
    ports = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    for name, one, everything in (
        ("half pitch, half gates", bench(ports, ports // 2), False),
        ("all pitch", bench(ports, ports), False),
        ("mixed roles, everything against everything", mixed(ports), True),
    ):
        matrix = Matrix()
        fresh, judged = timed(matrix, one, everything)
        (again, anew), one = moved(matrix, one, PortRef("voice-0", "in"), 47e3, everything)
        (other, anew_other), one = moved(matrix, one, PortRef("board-0", "out"), 470.0, everything)
        print(
            f"{ports} x {ports}, {name}: {judged} pairs from nothing {fresh:.0f} ms; one input's resistance "
            f"{again:.1f} ms "
            f"({anew} anew); one output's {other:.1f} ms ({anew_other} anew)"
        )


if __name__ == "__main__":
    main()
