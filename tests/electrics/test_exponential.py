"""Converters of the law: the pair against the SI constants, its parts against ngspice, cold, warm, trimmed and in time."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq
from tests.electrics.drawn import joined
from tests.electrics.spice import asked, printed, swept

from dynamis.electrics.circuits.clamp import Clamp
from dynamis.electrics.circuits.parts import parts_list
from dynamis.electrics.circuits.supply import OP_AMPS, Supply
from dynamis.electrics.exponential.adjust import drift, exact_ppm, left, steps, walk, with_part
from dynamis.electrics.exponential.choose import choose
from dynamis.electrics.exponential.converter import CONVERTERS
from dynamis.electrics.exponential.parts import NAMES, TRIMMERS, PairParts
from dynamis.electrics.exponential.requirement import LawRequirement
from dynamis.electrics.exponential.schematic import pair_schematic
from dynamis.electrics.exponential.spice import pair_netlist
from dynamis.electrics.exponential.thermal import drift_cents, ppm_per_kelvin, thermal_volts, volts_per_octave
from dynamis.electrics.series import SERIES
from dynamis.electrics.signals import spice
from dynamis.errors import InputError
from dynamis.transfer.parameter import NOMINAL, World
from dynamis.transfer.registry import REGISTRY, StoredTransfer

THERMAL = json.loads((Path(__file__).parent.parent / "oracles" / "thermal.json").read_text())["cases"]
WISHES = {
    "five octaves": LawRequirement(0.0, 5.0, 0.25, 8.0),
    "below 0 V, clamped": LawRequirement(-4.0, 1.0, 0.1, 3.2, absolute_limits=Clamp(-0.5, 6.0)),
    "0.32 V/oct, ordinary R5": LawRequirement(0.5, 2.1, 0.3, 9.6, source_ohms=100.0, base_ppm=0.0),
    "round 0 V, ± 15 V": LawRequirement(-3.5, 3.5, 0.05, 6.4, supply=Supply(-15, 15), tolerance=0.001),
    "rail to rail": LawRequirement(
        1.0, 4.0, 0.5, 4.0, load_ohms=None, supply=Supply(-5, 5), op_amp=OP_AMPS["rail-to-rail"]
    ),
    "Hz/V to V/oct": LawRequirement(0.25, 8.0, 0.2, 5.2, "logarithmic"),
    "Hz/V below 0 V, clamped": LawRequirement(
        0.1, 3.2, -4.0, 1.0, "logarithmic", source_ohms=10e3, absolute_limits=Clamp(-5.5, 6.0)
    ),
    "Hz/V to 0.32 V/oct": LawRequirement(0.3, 9.6, 0.5, 2.1, "logarithmic", base_ppm=0.0, load_ohms=None),
    "no source, 1.2 V/oct": LawRequirement(0.0, 7.2, 0.1, 6.4, source_ohms=0.0, series="E24"),
}


@pytest.mark.parametrize("case", THERMAL, ids=lambda case: case["id"])
def test_the_pair_is_that_of_the_si_constants(case):
    given, expected = case["given"], case["expect"]
    if "celsius" in given:
        found = {f.__name__: f(given["celsius"]) for f in (volts_per_octave, thermal_volts, ppm_per_kelvin)}
    else:
        found = {
            "cents": drift_cents(
                given["octaves"],
                given["celsius_reference"],
                given["kelvin_change"],
                given.get("resistor_ppm_per_kelvin", 0.0),
            )
        }
    for key, value in expected.items():
        assert float(found[key]) == pytest.approx(value, rel=1e-9)


@pytest.mark.parametrize("celsius", [10.0, 25.0, 40.0])
def test_a_transistor_of_ngspice_doubles_its_current_in_an_octave(celsius, tmp_path):
    lines = spice.octave_pair(1e3 * float(volts_per_octave(celsius)), celsius)
    ratio = asked(lines, ["op", "print v(out)"], r"v\(out\) = ([-+0-9.e]+)", tmp_path)
    assert ratio == pytest.approx(2.0, rel=1e-4)


@pytest.mark.parametrize("celsius", [25.0, 40.0])
@pytest.mark.parametrize("name", WISHES)
def test_the_parts_do_in_ngspice_what_they_are_said_to_do(name, celsius, tmp_path):
    """Within 0.002 % of the span and a tenth of a cent at every note; cold and warm."""
    requirement = WISHES[name]
    made = choose(requirement)
    rows = swept(pair_netlist(made, requirement.in_low_volts, requirement.in_high_volts, name, celsius), tmp_path)
    said = made.exact(rows[:, 0], World(celsius=celsius))
    assert np.abs(rows[:, 1] - said).max() < 2e-5 * (requirement.out_high_volts - requirement.out_low_volts)
    assert np.abs(requirement.off(rows[:, 1], rows[:, 0]) - requirement.off(said, rows[:, 0])).max() < 0.1
    if celsius == 25.0:
        assert (
            np.abs(requirement.cents(made, requirement.volts())).max() < 2.5
        )  # the emitters' bulk is all that is left


@pytest.mark.parametrize("name", [name for name in WISHES if "clamped" not in name])
def test_a_step_settles_and_nothing_sings(name, tmp_path):
    """From the lowest note to the highest and back, with op-amps of 1 MHz: the end within 1 %, most of it soon."""
    requirement = WISHES[name]
    made = choose(requirement)
    for start, end in (
        (requirement.in_low_volts, requirement.in_high_volts),
        (requirement.in_high_volts, requirement.in_low_volts),
    ):
        text = pair_netlist(made, requirement.in_low_volts, requirement.in_high_volts, name)
        farads = made.parts.op_amp.gain / 1e6 / (2 * np.pi * 1e6)  # of the model's megohm: gain 1 at 1 MHz
        text = text.replace("Rx x 0 1e6", f"Rx x 0 1e6\nCx x 0 {farads:g}")
        text = re.sub(r"^Vin in 0 DC .*$", f"Vin in 0 PULSE({start} {end} 1m 1u 1u 1 2)", text, flags=re.M)
        text = re.sub(r"^\.dc .*$", ".tran 5u 8m", text, flags=re.M).replace(".print dc", ".print tran")
        seconds, _, volts = np.array(printed(text.replace("reltol=1e-6", "reltol=1e-4"), tmp_path)).T
        first, last = (float(made.exact(one, NOMINAL)) for one in (start, end))
        assert volts[seconds < 0.9e-3] == pytest.approx(first, abs=0.01 * abs(last - first))
        assert volts[seconds > 4e-3] == pytest.approx(last, abs=0.01 * abs(last - first))
        assert np.ptp(volts[seconds > 7e-3]) < 1e-3 * abs(last - first)


@pytest.mark.parametrize("name", WISHES)
def test_the_trimmers_reach_and_setting_them_by_readings_ends_near(name):
    requirement = WISHES[name]
    made = choose(requirement)
    found = walk(made, requirement)
    for step in found.steps:
        assert step.reach_cents > step.needed_cents
        turned = replace(
            made, travel=tuple({**dict(made.travel), step.trimmer: dict(made.travel)[step.trimmer] + 0.01}.items())
        )
        moved = float(turned.exact(step.send_volts, NOMINAL) - made.exact(step.send_volts, NOMINAL))
        assert moved == pytest.approx(step.volts_per_turn / 4.0, rel=0.02)  # a quarter of one of 25 turns
        assert step.read_volts == pytest.approx(
            float(requirement.out(step.send_volts)),
            abs=2.5e-3 * (requirement.out_high_volts - requirement.out_low_volts),
        )
    after = left(replace(made, trimmed=True), requirement)
    assert found.left_cents <= 1.2 * after.most + 0.1 * requirement.tolerance_cents
    assert after.most < left(made, requirement).most / 5.0
    assert (
        after.rss <= 2.0 / np.sqrt(3.0) * after.worst + 1e-9
    ).all()  # k = 2 of one source alone is more than its limit
    for slot in ("R1", "R4", "R6", "R8"):
        assert any(
            made.parts.ohms[slot] == pytest.approx(base * 10.0**k)
            for base in SERIES[requirement.series]
            for k in range(1, 7)
        )


def set_by_hand(made, requirement, world):
    """Each trimmer turned until the reading is right, one after the other, until none moves: no slope is used."""
    travel = dict.fromkeys(TRIMMERS, 0.5)
    for _ in range(40):
        before = dict(travel)
        for step in steps(made, requirement):

            def off(at, step=step):
                turned = replace(made, travel=tuple({**travel, step.trimmer: at}.items()))
                return float(turned.exact(step.send_volts, world)) - step.read_volts

            ends = off(0.0), off(1.0)
            if ends[0] * ends[1] < 0.0:
                travel[step.trimmer] = brentq(off, 0.0, 1.0, xtol=1e-10)
            else:
                travel[step.trimmer] = float(abs(ends[1]) < abs(ends[0]))
        if max(abs(travel[one] - before[one]) for one in travel) < 1e-9:
            break
    return replace(made, travel=tuple(travel.items()))


@pytest.mark.parametrize("part", [*NAMES, *TRIMMERS])
@pytest.mark.parametrize("name", ["five octaves", "Hz/V to V/oct"])
def test_a_part_far_from_any_law_is_told_and_breaks_nothing(name, part):
    """What a hand may type by mistake: the errors are large, and numbers."""
    requirement = WISHES[name]
    chosen = choose(requirement)
    for ohms in (1e-3, 1.0, 1e6, 9e11):
        made = with_part(chosen, requirement, part, ohms)
        assert all(0.0 <= at <= 1.0 for _, at in made.travel)
        assert np.isfinite(left(made, requirement).worst).all()
        assert np.isfinite(walk(made, requirement).left_cents)


@pytest.mark.parametrize("name", WISHES)
def test_whatever_parts_come_trimming_takes_out_all_but_the_bend(name):
    """Random parts within their limits: what was set is right again, all else within what `left` says stays."""
    requirement, rng = WISHES[name], np.random.default_rng(3)
    made = choose(requirement)
    for _ in range(2):
        world = World({one.source: float(rng.uniform(-1, 1)) for one in made.parameters()})
        turned = set_by_hand(made, requirement, world)
        for step in steps(made, requirement):
            assert float(turned.exact(step.send_volts, world)) == pytest.approx(step.read_volts, rel=1e-5)
        allowed = left(replace(made, trimmed=True), requirement).most + 0.1 * requirement.tolerance_cents
        assert np.abs(requirement.cents(turned, requirement.volts(), world)).max() <= allowed


def test_temperature_moves_octaves_from_the_pivot_as_the_si_constants_say():
    """Bulk and base currents leave the pair within a part in a hundred of the bare exponential."""
    requirement = replace(WISHES["five octaves"], base_ppm=0.0, op_amp=OP_AMPS["ideal"])
    plain = choose(requirement)
    ends = np.array([requirement.in_low_volts, requirement.in_high_volts])
    moved = np.array(drift(plain, requirement, 1.0))
    octaves = (ends - plain.pivot_volts) / requirement.volts_per_octave
    assert moved == pytest.approx(drift_cents(octaves, 25.0, 1.0), rel=0.02)
    kept = choose(replace(requirement, base_ppm=3300.0))
    assert np.abs(drift(kept, requirement, 1.0)).max() < np.abs(moved).max() / 20
    exact = replace(kept, parts=replace(kept.parts, base_ppm=exact_ppm(kept)))
    assert np.abs(drift(exact, requirement, 1.0)).max() < np.abs(moved).max() / 200


@pytest.mark.parametrize("name", WISHES)
def test_what_is_drawn_is_what_ngspice_runs(name):
    made = choose(WISHES[name])
    drawn = pair_schematic(made.parts)
    place = joined(drawn)
    ends = {
        one.words[0]: {place[one.at], place[one.to]}
        for one in drawn.symbols
        if one.words and one.kind in ("resistor", "trimmer", "capacitor")
    }
    wanted = {name for name in (*made.parts.ohms, *TRIMMERS) if name not in ("R9", "R10")} | {"C1", "C2"}
    assert set(ends) - {"RC"} == wanted
    nodes: dict[str, list[set[int]]] = {}
    for line in pair_netlist(made, 0.0, 1.0, name).splitlines():
        words = line.split()
        found = words[0] if words[0] in ends else f"R{words[0]}" if f"R{words[0]}" in ends else ""
        for node in words[1:3] if found else ():
            nodes.setdefault(node, []).append(ends[found])
    for node, pairs in nodes.items():
        if node not in ("0", "refp", "refn", "in", "jack") and len(pairs) > 1:
            assert set.intersection(*pairs), f"{node} is drawn apart"
    inside = [(x, y) for one in drawn.symbols for x, y in (one.at, one.to)]
    assert all(0 <= x <= drawn.width and 0 <= y <= drawn.height for x, y in inside)
    listed = made.parts.pieces()
    assert {one.name for one in listed} >= {*wanted, "U1", "U2", "U3", "Q1, Q2", "VR1", "C11", "C12"}
    assert sum(row.quantity for row in parts_list(listed)) == len(listed)


@pytest.mark.parametrize("name", WISHES)
def test_a_converter_at_rest_comes_back_as_it_was(name):
    made = replace(choose(WISHES[name]), id="x", trimmed=True, source_ohms=0.0)
    again = REGISTRY.make("x", made.stored())
    assert isinstance(again, CONVERTERS[made.parts.direction])
    assert again == made


@st.composite
def requirements(draw) -> LawRequirement:
    """What a bench may ask for, either way; the supply gives the volts for it."""
    octaves = draw(st.floats(1.0, 7.0))
    low, scale = draw(st.floats(-3.0, 2.0)), draw(st.sampled_from([0.32, 0.5, 1.0, 1.2]))
    high = draw(st.floats(1.0, 9.0))
    voct, hertz = (low, low + scale * octaves), (high / 2.0**octaves, high)
    direction = draw(st.sampled_from(["exponential", "logarithmic"]))
    ends = (*voct, *hertz) if direction == "exponential" else (*hertz, *voct)
    return LawRequirement(
        *ends,
        direction,
        source_ohms=draw(st.sampled_from([0.0, 100.0, 1e3, 10e3])),
        load_ohms=draw(st.sampled_from([None, 47e3])),
        series=draw(st.sampled_from(["E12", "E24", "E96"])),
        tolerance=draw(st.sampled_from([0.001, 0.01])),
        supply=Supply(-15, 15),
        base_ppm=draw(st.sampled_from([0.0, 3300.0])),
    )


@settings(max_examples=40, deadline=None)
@given(requirements())
def test_whatever_is_asked_the_trimmers_reach_and_the_law_is_kept(requirement):
    """Properties: every trimmer covers the worst parts, backward undoes forward, and the bend is a few cents."""
    made = choose(requirement)
    for step in steps(made, requirement):
        assert step.reach_cents > step.needed_cents
        assert 0.0 <= dict(made.travel)[step.trimmer] <= 1.0
    volts = requirement.volts()
    assert np.abs(requirement.cents(made, volts)).max() < 4.0
    out = made.forward(volts, NOMINAL)
    assert np.all(np.diff(out) > 0)
    assert made.backward(out, NOMINAL).x == pytest.approx(volts, rel=1e-7, abs=1e-7)
    assert made.limits(NOMINAL)[0] < out[0] < out[-1] < made.limits(NOMINAL)[1]
    wider = replace(made, parts=replace(made.parts, tolerance=2.0 * made.parts.tolerance))
    assert left(wider, requirement).most > left(made, requirement).most


def stored(**values):
    """What a bench file would have to hold for it to be made."""
    good = choose(WISHES["five octaves"]).stored().values
    return REGISTRY.make("x", StoredTransfer("exponential", 1, {**good, **values}))


PARTS = {**dict.fromkeys(NAMES, 1e4)}, dict.fromkeys(TRIMMERS, 1e3)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: choose(LawRequirement(0, 5, 0.25, 8, supply=Supply(0, 12))), "a rail below 0 V"),
        (lambda: choose(LawRequirement(0, 5, 0.01, 0.3, supply=Supply(-3, 3))), "at least 4 V"),
        (lambda: choose(LawRequirement(0, 5, 0.5, 16)), "10.48 V: 4.39 of 5 octaves"),
        (
            lambda: choose(LawRequirement(0, 5, 0.25, 8, absolute_limits=Clamp(None, 5.0))),
            "at most 4.98 V: 4.32 of 5 octaves",
        ),
        (lambda: choose(LawRequirement(0, 0.05, 0.25, 8)), "0.01 V/oct is too little"),
        (lambda: LawRequirement(5, 0, 0.25, 8), "The V/oct side runs from 5 V to 0 V"),
        (lambda: LawRequirement(0, 5, 0.0, 8), "The Hz/V side begins at 0 V"),
        (lambda: LawRequirement(0, 13, 1e-3, 9), "at most 12"),
        (
            lambda: choose(LawRequirement(0.25, 8, -12, 3, "logarithmic")),
            "The lowest note wants -12 V, and op-amps from ± 12 V let it go down to -10.48 V",
        ),
        (lambda: choose(LawRequirement(0.25, 8, 6, 11, "logarithmic")), "at most 10.48 V: 4.48 of 5 octaves"),
        (lambda: LawRequirement(0, 8, 0, 5, "logarithmic"), "The Hz/V side begins at 0 V"),
        (lambda: LawRequirement(0, 5, 0.25, 8, series="E7"), "'E7' is no series"),
        (lambda: LawRequirement(0, 5, 0.25, 8, tolerance=0.5), "50 % cannot be"),
        (lambda: LawRequirement(0, 5, 0.25, 8, base_ppm=1e5), "3300 compensates"),
        (lambda: PairParts({**PARTS[0], "R4": -1.0}, PARTS[1]), "R4 is -1 Ω"),
        (lambda: PairParts({**PARTS[0], "R77": 1.0}, PARTS[1]), "no place R77"),
        (lambda: PairParts({"R1": 1e5}, {}), "lacks R2"),
        (lambda: PairParts(*PARTS, tolerance=-0.1), "tolerance of the resistors is -0.1"),
        (lambda: PairParts(*PARTS, reference_volts=0.0), "voltage of the references is 0"),
        (lambda: PairParts(*PARTS, load_ohms=0.0), "load of the converter is 0"),
        (lambda: PairParts(*PARTS, clamp=Clamp(None, -11.0)), "stay above -9.545 V and below -11 V"),
        (lambda: CONVERTERS["exponential"]("x", PairParts(*PARTS), (("RV4", 7.0),)), "RV4 stands at 7"),
        (lambda: CONVERTERS["logarithmic"]("x", PairParts(*PARTS), (("RV9", 0.5),)), "RV9 stands at 0.5"),
        (lambda: stored(ohms={"R1": "many"}), "not complete, or holds what does not belong"),
        (lambda: stored(ohms=None), "not complete, or holds what does not belong"),
        (lambda: stored(supply="twelve"), "not complete, or holds what does not belong"),
        (lambda: stored(op_amp="golden"), "'golden' op-amp"),
    ],
)
def test_what_cannot_be_is_refused_in_a_sentence(make, words):
    with pytest.raises(InputError, match=words):
        make()
