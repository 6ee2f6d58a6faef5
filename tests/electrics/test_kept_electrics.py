"""What the electrics give, kept; see `tests/keeping.py`."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
from tests.electrics.specimens import SPECIMENS
from tests.keeping import attempt, hold

from dynamis.electrics import audio_levels, potentiometer, series
from dynamis.electrics.branch_node import BranchNode
from dynamis.electrics.circuits.circuit import Fitted
from dynamis.electrics.circuits.clamp import Clamp
from dynamis.electrics.circuits.parts import parts_list, pieces_of
from dynamis.electrics.circuits.schematic import schematic
from dynamis.electrics.circuits.spice import netlist
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.design.answer import Ask, answered
from dynamis.electrics.design.behaviour import behaviour, behaviour_words
from dynamis.electrics.design.kinds import best_kind, kind_words
from dynamis.electrics.design.proposal import Proposals, propose
from dynamis.electrics.design.requirement import Requirement
from dynamis.electrics.design.spread import budget, spread
from dynamis.electrics.design.walk import walk
from dynamis.electrics.design.words import later_words, proposal_row, step_words
from dynamis.electrics.exponential import adjust
from dynamis.electrics.exponential.choose import choose
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.electrics.exponential.schematic import pair_schematic
from dynamis.electrics.exponential.spice import pair_netlist
from dynamis.electrics.gates.circuits import gate_circuit, gate_circuits
from dynamis.electrics.gates.entering import entering_ohms
from dynamis.electrics.gates.levels import judge_gate, levels_at
from dynamis.electrics.gates.schematic import gate_schematic
from dynamis.electrics.gates.specs import parse_gate_input, parse_gate_output, parse_supplies
from dynamis.electrics.gates.spice import gate_netlist
from dynamis.electrics.gates.stages import Stress, becomes
from dynamis.electrics.gates.stretcher import stretching
from dynamis.electrics.net import Net, Terminal, loaded, parallel
from dynamis.electrics.potentiometer import LoadedPot
from dynamis.electrics.potentiometer_words import NamedPot, pot_words
from dynamis.electrics.quantizer import Quantizer
from dynamis.electrics.stage import Stage
from dynamis.notation.style import Style
from dynamis.transfer.parameter import NOMINAL, World

STYLE = Style()
SENDERS = (
    "low_volts=0,high_volts=5,ohms=1000",
    "low_volts=0,high_volts=3.3,ohms=100",
    "low_volts=0,high_volts=12,ohms=1000,max_volts=15",
    "low_volts=-5,high_volts=5,ohms=1000",
    "low_volts=0,high_volts=1.5",
    "kind=switch,ohms=50",
    "low_volts=0.4,high_volts=2.4,ohms=0,min_volts=-0.3,max_volts=5.5",
)
TAKERS = (
    "off_volts=0.8,on_volts=2.0,ohms=100000",
    "off_volts=1,on_volts=2,min_volts=-0.3,max_volts=3.6,rail_volts=3.3",
    "off_volts=3,on_volts=7,work_max_volts=12",
    "kind=shorting,pullup_volts=5,on_volts=0.8,off_volts=2,min_volts=-0.5,max_volts=5.5",
    "off_volts=1.5,on_volts=3.5,ohms=10000,min_volts=-0.5,max_volts=5.5",
)


def test_gates_are_judged_and_mended_as_they_were():
    made = {}
    for sender, taker in itertools.product(SENDERS, TAKERS):
        output, sink = parse_gate_output(sender), parse_gate_input(taker)
        for count, rails in ((1, ("12",)), (3, ("0:5", "0:3.3")), (1, ("none",))):
            fix = gate_circuit(output, sink, count, parse_supplies(rails))
            key = f"{sender} > {taker} x {count} {rails}"
            made[key] = [judge_gate(output, sink, count), levels_at(output, sink, count), fix]
            if fix is not None and count == 1:
                made[key] += [
                    attempt(lambda f=fix, o=output: becomes(f.name, f.parts, o)),
                    attempt(lambda f=fix, o=output, s=sink: gate_netlist("t", f.name, f.parts, o, s, 1)),
                ]
        made[f"{sender} > {taker}"] = [
            [one.name, one.size] for one in gate_circuits(output, sink, 1, parse_supplies(("12", "0:5")))
        ]
        made[f"{sender} > {taker} long"] = attempt(lambda o=output, s=sink: stretching(o, s, 1, 0.01, 0.001))
    bad = (
        "",
        "low_volts=1",
        "low_volts=5,high_volts=0",
        "kind=odd",
        "kind=switch,ohms=-1",
        "low_volts=0,high_volts=5,max_volts=-9,min_volts=9",
        "a=1",
    )
    wrong = [
        [attempt(lambda t=text: parse_gate_output(t)), attempt(lambda t=text: parse_gate_input(t))] for text in bad
    ]
    supplies = [
        attempt(lambda t=text: parse_supplies(t))
        for text in (("12",), ("0:5", "-9:12"), ("none",), ("none", "12"), ("5:0",), ("x",), ("1:5",))
    ]
    hold("electrics_gates", [made, wrong, supplies])


def test_circuits_and_proposals_are_what_they_were():
    made = {}
    for name, one in SPECIMENS.items():
        for circuit in (
            replace(one, source_ohms=1e3, load_ohms=47e3),
            replace(one, op_amp=OP_AMPS["jfet"], load_ohms=None, clamp=Clamp(-0.5, 5.5)),
        ):
            made[f"{name} {circuit.op_amp.name}"] = [
                circuit.line(),
                circuit.resistors,
                attempt(lambda c=circuit: c.supply_amperes(5.0)),
                pieces_of(circuit, STYLE),
                parts_list(pieces_of(circuit)),
                netlist(circuit, -1.0, 5.0),
                schematic(circuit, STYLE),
            ]
    wishes = {
        "halved": Requirement(0.37, 1.676, 0.0, 5.0, op_amp=OP_AMPS["jfet"], resistor_per_kelvin=50e-6),
        "octave": Requirement(
            1.2, -0.2, 0.2, 5.2, supply=Supply(0.0, 12.0), load_ohms=20e3, op_amp=OP_AMPS["rail-to-rail"]
        ),
        "turned": Requirement(
            -1.0, 0.0, -5.0, 5.0, load_ohms=None, series="E24", pairs=False, op_amp=OP_AMPS["precision"]
        ),
        "clamped": Requirement(
            0.6, 0.0, 0.5, 5.0, absolute_limits=Clamp(-0.3, 3.6), op_amp=OP_AMPS["jfet"], zero_volts=0.0
        ),
    }
    for name, requirement in wishes.items():
        answer = answered(Ask(requirement), lambda: True)
        made[name] = [answer.words, answer.best_key, [one.reason for one in answer.proposals.rejected]]
        for proposal in answer.proposals.suitable[:3]:
            drawn = answer.spreads[proposal.key]
            steps = walk(proposal, [], lambda volts: volts)
            made[name] += [
                proposal_row(proposal, drawn, STYLE),
                later_words(proposal, STYLE),
                step_words(proposal, steps, lambda volts: "", STYLE),
                proposal.trims,
                budget(proposal.circuit, requirement),
                [drawn.before.p95_cents, drawn.after.p95_cents, drawn.after.worst, drawn.before.within_words(STYLE)],
                behaviour(proposal.circuit, requirement),
                behaviour_words(behaviour(proposal.circuit, requirement), proposal.circuit, requirement, STYLE),
            ]
    summed = answered(Ask(wishes["halved"], adds=(2, 1.0, 1.0)), lambda: True)
    few = spread(summed.proposals.suitable[0].circuit, wishes["halved"], samples=500, shape="normal")
    refused = [
        attempt(lambda v=values: replace(wishes["halved"], **v))
        for values in (
            {"gain": 0.0},
            {"in_low_volts": 9.0},
            {"tolerance": 2.0},
            {"load_ohms": 0.0},
            {"series": "E7"},
            {"tolerance_cents": 0.0},
            {"load_tolerance_fraction": 1.0},
        )
    ]
    hold("electrics_circuits", [made, summed.words, [few.before.p95_cents, few.after.worst], refused])


def test_converters_of_the_law_are_what_they_were():
    made = {}
    for name, requirement in {
        "up": LawRequirement(0.0, 5.0, 0.25, 8.0),
        "down": LawRequirement(0.25, 8.0, 0.2, 5.2, "logarithmic"),
        "wide": LawRequirement(-2.0, 2.0, 0.1, 1.6, load_ohms=20e3),
    }.items():
        one, world = choose(requirement), World({"between.R1": 0.5, "between.VR2": -0.3}, celsius=35.0)
        x = np.linspace(requirement.in_low_volts, requirement.in_high_volts, 7)
        made[name] = [
            one.parts,
            one.travel,
            one.exact(x, NOMINAL),
            one.exact(x, world),
            one.limits(world),
            one.parameters(),
            adjust.left(one, requirement),
            adjust.walk(one, requirement),
            adjust.steps(one, requirement),
            adjust.drift(one, requirement, 10.0),
            adjust.exact_ppm(one),
            pair_netlist(one, requirement.in_low_volts, requirement.in_high_volts, "t"),
            pair_schematic(one.parts, STYLE),
        ]
    refused = [
        attempt(lambda a=arguments: choose(LawRequirement(*a)))
        for arguments in ((5.0, 0.0, 0.25, 8.0), (0.0, 5.0, -1.0, 8.0), (0.0, 50.0, 0.25, 8.0), (0.0, 5.0, 0.25, 80.0))
    ]
    hold("electrics_exponential", [made, refused])


def test_nodes_potentiometers_values_and_levels_are_what_they_were():
    net = Net(
        "n",
        (
            Terminal("a", "A", 1e3, True, 0.05),
            Terminal("b", "B", 2e3, True),
            Terminal("c", "C", 1e5, False, 0.2),
            Terminal("d", "D", 1e4, False, 0.0, 5.0),
        ),
    )
    worlds = (
        NOMINAL,
        World({"a.ohms": 1.0, "c.ohms": -1.0}),
        World(plugged=frozenset({"a", "c"})),
        World(driven={"b": 3.0}),
    )
    solved = [
        [
            net.solve({"a": 5.0, "b": -1.0}, world),
            net.share("a", world),
            net.share("a", world, "c"),
            net.transfer("a", "c").limits(world),
        ]
        for world in worlds
    ]
    alone = [parallel([]), parallel([1e3, None, 0.0, 3e3]), loaded(1e3, [(1e5, 0.0), (1e4, 5.0)]), loaded(0.0, [])]
    pots = [
        [
            one,
            one.volts(np.linspace(0, 1, 5)),
            one.source_ohms(np.linspace(0, 1, 5)),
            one.bend,
            one.reach_volts,
            potentiometer.straightenings(one),
            [potentiometer.straightened(one, way, np.linspace(0, 1, 5)) for way in potentiometer.straightenings(one)],
        ]
        for one in (LoadedPot(1e5, 12.0, 1e4, 1e5), LoadedPot(1e4, 5.0), LoadedPot(5e4, -5.0, 1e3, 2e4))
    ]
    refused = [
        attempt(lambda a=arguments: LoadedPot(*a)) for arguments in ((0.0, 5.0), (1e4, 5.0, -1.0), (1e4, 5.0, 0.0, 0.0))
    ]
    values = [
        [series.nearest(ohms, name) for ohms in (9.4, 1e3, 1234.0, 47e3, 1e6)]
        + [series.next_in_series(ohms, name, up=up) for ohms in (1e3, 1050.0, 9.1e3) for up in (True, False)]
        + [len(series.values_between(10.0, 1e6, name))]
        for name in series.SERIES
    ]
    stepped = [
        attempt(
            lambda t=text: [
                f := Fitted.parse(t, "R1"),
                f.total,
                f.stepped([1e3, 2.2e3, 4.7e3, 1e4], up=True),
                f.stepped([1e3, 2.2e3], up=False),
            ]
        )
        for text in ("4k7", "4k7 + 220", "10k || 22k", "1+2+3", "-5", "x")
    ]
    levels = [
        [
            audio_levels.sine_peak_volts(dbu),
            audio_levels.droop_left(0.1 + abs(dbu), 2.0),
            audio_levels.seconds_until(0.5, 1.0 + abs(dbu)),
        ]
        for dbu in (-20.0, 0.0, 4.0, 24.0)
    ]
    supplies = [
        attempt(
            lambda t=text: [
                s := Supply.parse(t, 0.05),
                s.words,
                s.single,
                [kind.swing(s) for kind in OP_AMPS.values()],
                [kind.common(s) for kind in OP_AMPS.values()],
            ]
        )
        for text in ("12", "0:5", "-9:12", "0:3.3", "5:0", "")
    ]
    clamps = [
        [
            one.diodes,
            one.ends(amplified=True),
            one.ends(amplified=False),
            one.within(-9.0, 9.0),
            one.needed(-9.0, 9.0),
            one.needed(0.0, 3.0),
            one.outside(4.0),
            one.held(-7.0),
        ]
        for one in (Clamp(), Clamp(-0.3, 3.6), Clamp(None, 5.0), Clamp(-5.0, None), Clamp(-0.3, 5.3))
    ]
    hold("electrics_nodes", [solved, alone, pots, refused, values, stepped, levels, supplies, clamps])


def test_what_is_chosen_for_seeded_requirements_is_what_it_was():
    random, made = np.random.default_rng(7), {}
    for k in range(48):
        low = float(random.choice([-5.0, -1.0, 0.0, 0.2, 1.0]))
        rails = [(-12.0, 12.0), (-5.0, 5.0), (0.0, 5.0), (0.0, 9.0), (-9.0, 12.0)][random.integers(5)]
        supply = Supply(*rails, float(random.choice([0.0, 0.05])))
        kinds = [name for name in OP_AMPS if name != "ideal"]
        requirement = attempt(
            lambda low=low, supply=supply, kinds=kinds: Requirement(
                float(random.choice([-1.0, 0.05, 0.37, 0.5, 1.0, 1.2, 2.0, 4.0])),
                float(random.choice([-5.0, -0.2, 0.0, 0.3, 1.676, 4.0])),
                low,
                low + float(random.choice([0.5, 3.0, 5.0])),
                supply=supply,
                op_amp=OP_AMPS[kinds[random.integers(len(kinds))]],
                source_ohms=float(random.choice([0.0, 1e3, 1e4])),
                load_ohms=[None, 1e4, 1e5, 1e6][random.integers(4)],
                series=str(random.choice(["E12", "E24", "E96"])),
                pairs=bool(random.random() < 0.6),
                tolerance=float(random.choice([0.001, 0.01, 0.05])),
                tolerance_cents=float(random.choice([1.0, 5.0, 50.0])),
                zero_volts=[None, None, 0.0, 0.1][random.integers(4)],
                absolute_limits=(Clamp(), Clamp(-0.3, 3.6), Clamp(None, 5.0))[random.integers(3)],
            )
        )
        if not isinstance(requirement, Requirement):
            made[str(k)] = requirement
            continue
        proposals = attempt(lambda r=requirement: propose(r, smallest=True))
        if not isinstance(proposals, Proposals):
            made[str(k)] = proposals
            continue
        made[str(k)] = [proposals.reached_in_volts, [[one.topology.name, one.reason] for one in proposals.rejected]]
        for one in proposals.suitable[:2]:
            steps = walk(one, [], lambda volts: volts)
            made[str(k)] += [
                [[piece.name, piece.value] for piece in pieces_of(one.circuit, STYLE)],
                one.trims,
                [one.nominal_cents, one.is_soft, one.wanders, one.rail_cents, one.later.p95_cents],
                [best_kind(one.circuit, requirement).name, kind_words(one.circuit, requirement, STYLE)],
                step_words(one, steps, lambda volts: f"{volts:.2f} V", STYLE),
            ]
    hold("electrics_chosen", made)


def test_gates_and_converters_of_seeded_values_are_what_they_were():
    random, made, laws = np.random.default_rng(11), {}, {}
    for k in range(160):
        low = float(random.choice([-5.0, -0.5, 0.0, 0.0, 0.4]))
        text = f"low_volts={low},high_volts={low + float(random.choice([0.6, 1.5, 2.4, 3.3, 5.0, 10.0, 15.0]))}"
        if random.random() < 0.15:
            text = f"kind=switch,ohms={random.choice([1, 50, 2000])}"
        sender = f"{text},ohms={random.choice([0, 100, 1000, 10000])}" if "switch" not in text else text
        on = float(random.choice([0.7, 1.0, 2.0, 3.5, 5.0, 9.0]))
        taker = (
            f"off_volts={on * random.choice([0.3, 0.6, 1.0])},on_volts={on},ohms={random.choice([4700, 22000, 100000])}"
        )
        if random.random() < 0.25:
            taker = f"kind=shorting,pullup_volts={random.choice([3.3, 5, 9, 15])},on_volts=0.8,off_volts=2.0"
        if random.random() < 0.5:
            taker += f",min_volts={random.choice([-5, -0.3])},max_volts={random.choice([3.6, 5.5, 12])}"
        rails = (("12",), ("0:5",), ("0:3.3", "12"), ("0:9",), ("none",))[random.integers(5)]
        output, sink = attempt(lambda t=sender: parse_gate_output(t)), attempt(lambda t=taker: parse_gate_input(t))
        if isinstance(output, str) or isinstance(sink, str):
            continue
        count, supplies = int(random.integers(1, 4)), parse_supplies(rails)
        fixed = attempt(lambda o=output, s=sink, c=count, r=supplies: gate_circuit(o, s, c, r))
        made[f"{k} {sender} > {taker} x {count} {rails}"] = [
            judge_gate(output, sink, count).verdict,
            None
            if fixed is None or isinstance(fixed, str)
            else [fixed.name, fixed.parts, fixed.protection, fixed.leaves],
        ]
    for k in range(10):
        low = float(random.choice([-1.0, 0.0, 0.25, 1.0]))
        requirement = LawRequirement(
            low,
            low + float(random.choice([3.0, 5.0])),
            float(random.choice([0.1, 0.25, 0.5])),
            float(random.choice([4.0, 8.0])),
            load_ohms=float(random.choice([2e4, 1e5, 1e6])),
            source_ohms=float(random.choice([0.0, 1e3, 1e4])),
        )
        laws[str(k)] = attempt(
            lambda r=requirement: [
                (one := choose(r)).parts,
                one.travel,
                adjust.left(one, r),
                adjust.drift(one, r, 10.0),
            ]
        )
    hold("electrics_seeded", [made, laws])


def test_drawings_stages_and_words_of_seeded_circuits_are_what_they_were():
    random, made = np.random.default_rng(13), {}
    for k in range(60):
        low = float(random.choice([-5.0, 0.0, 0.4]))
        high = low + float(random.choice([1.5, 3.3, 5.0, 10.0]))
        on = float(random.choice([1.0, 2.0, 3.5, 9.0]))
        output = parse_gate_output(f"low_volts={low},high_volts={high},ohms={random.choice([0, 1000])}")
        sink = parse_gate_input(
            f"off_volts={on / 2},on_volts={on},min_volts=-0.5,max_volts={random.choice([3.6, 5.5, 12])}"
        )
        for one in gate_circuits(output, sink, 1, parse_supplies((str(random.choice(["12", "0:5", "0:9"])),)))[:3]:
            made[f"{k} {one.name}"] = [
                attempt(lambda o=one: gate_schematic(o.name, o.parts, STYLE)),
                attempt(lambda o=one, s=output, t=sink: gate_netlist("t", o.name, o.parts, s, t, 1)),
                attempt(lambda o=one: entering_ohms(o.name, o.parts)),
                attempt(lambda o=one, s=output: becomes(o.name, o.parts, s, stress=Stress(rails=1.05, sender=0.95))),
                attempt(lambda o=one, s=output: becomes(o.name, o.parts, s, stress=Stress(missing="upper"))),
                attempt(lambda o=one, s=output: becomes(o.name, o.parts, s, stress=Stress(missing="lower"))),
            ]
    world, x = World({"s.gain": 1.0, "s.offset": -0.5, "a.ohms": 1.0}), np.array([-20.0, -1.0, 0.0, 0.3, 2.0, 20.0])
    node = BranchNode("n", (Terminal("a", "A", 1e5, False, 0.05, 2.0), Terminal("b", "B", 2e4, False)))
    stages = [
        Stage("s", 0.4, 1.5, 0.01, 0.002, low_volts=-10.0, high_volts=10.0),
        Quantizer("q", 1.0 / 12.0),
        node.driven_by(1e3, Terminal("src", "S", 1e3, True, 0.05).parameter),
    ]
    moved = [
        [[one.forward(x, w), one.exact(x, w), one.backward(x, w), one.limits(w)] for w in (NOMINAL, world)]
        + [one.parameters()]
        for one in stages
    ]
    pots = [
        attempt(lambda p=pot: pot_words(NamedPot(p, "The pedal", "the input"), STYLE))
        for pot in (LoadedPot(1e5, 12.0, 1e4, 1e5), LoadedPot(1e4, 5.0), LoadedPot(5e4, 5.0, 1e3, 2e4))
    ]
    hold("electrics_drawn", [made, moved, [node.line(w) for w in (NOMINAL, world)], node.out_ohms(NOMINAL), pots])
