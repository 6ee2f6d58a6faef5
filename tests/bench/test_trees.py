"""Links as trees, gear between, knobs: against ngspice, exact fractions and each other."""

from __future__ import annotations

import shutil
from fractions import Fraction

import numpy as np
import pytest
from msgspec.structs import replace as with_
from tests.bench.benches import DEPTH, IN, LFO, OUT, PITCH_IN, PITCH_OUT, VOCT, bench
from tests.electrics.spice import ngspice

from dynamis.bench.chains.branches import branched, moved, parts_of, with_part, without_circuit
from dynamis.bench.chains.codes import both_codes
from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.sending import law_ahead
from dynamis.bench.chains.summed import summed_codes, summed_sentences, summed_with
from dynamis.bench.chains.tree import origin_of, path_of, why_no_path
from dynamis.bench.designing.remedies import remedies_for
from dynamis.bench.document.bench import Bench, Branch, Gear, Link
from dynamis.bench.document.checks import check_bench
from dynamis.bench.document.ports import GateRecord, Knob, Port, PortRef, SwingRecord, Through, Way
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.gear.commands import put_knob, remove_knob, set_through
from dynamis.bench.gear.inner_fields import knob_fields, knob_words, through_fields, with_knob_value, with_through_value
from dynamis.bench.gear.knobs import neutral, turned
from dynamis.bench.judging.matrix import Matrix
from dynamis.bench.judging.pairs import judge_link, judge_pair
from dynamis.bench.judging.sides import arriving, may_send, sent_swing
from dynamis.bench.judging.wiring import tree_words
from dynamis.bench.runs.unity import octave_through, octave_words, provable
from dynamis.converter.dac import Dac
from dynamis.converter.transfers import DacTransfer
from dynamis.electrics.stage import Stage
from dynamis.errors import InputError
from dynamis.notation.numbers import last_digit
from dynamis.notation.style import Style

STYLE = Style()
JOINED = Through("joined", (Way("in"),))


def ref(gear: str, port: str = "in") -> PortRef:
    return PortRef(gear, port)


def takes(ohms: float, rest: float = 0.0) -> Port:
    return with_(DEPTH, ohms=ohms, rests_at_volts=rest)


def tree(seed: int) -> tuple[Bench, list[str], dict[PortRef, str]]:
    """A swing of -3 to 5 V into a tree of inputs, amplifiers and a passive multiple: the bench, the same for ngspice, and
    by input its node there."""
    random = np.random.default_rng(seed)
    ohms = lambda: float(random.choice([1e3, 4.7e3, 10e3, 33e3, 100e3]))  # noqa: E731
    gear, links, deck, places = [], [], [], {}

    def stage() -> Stage:
        return Stage(
            "s",
            float(random.choice([0.4, 1.0, 2.5])),
            float(random.choice([0.0, 1.5])),
            in_ohms=ohms(),
            out_ohms=ohms(),
        )

    def built(node: str, name: str) -> tuple[tuple, str]:
        """A stage on a node, or none, and the node behind it."""
        if random.random() < 0.4:
            return (), node
        one = stage()
        deck.extend(
            [
                f"Rin{name} {node} 0 {one.in_ohms}",
                f"B{name} e{name} 0 V = {one.gain} * V({node}) + {one.offset_volts}",
                f"Rout{name} e{name} n{name} {one.out_ohms}",
            ]
        )
        return (one.stored(),), f"n{name}"

    def hung(node: str, count: int) -> tuple[PortRef, ...]:
        refs = []
        for _ in range(count):
            name = f"v{len(gear)}"
            port = takes(ohms(), float(random.choice([0.0, 2.0, -4.0])))
            gear.append(Gear(name, name, (port,)))
            deck.extend([f"R{name} {node} r{name} {port.ohms}", f"V{name} r{name} 0 {port.rests_at_volts}"])
            places[ref(name)] = node
            refs.append(ref(name))
        return tuple(refs)

    source = ohms()
    gear.append(Gear("desk", "Desk", (with_(LFO, ohms=source, swing=SwingRecord(-3.0, 5.0)),)))
    deck.append(f"Rs src n0 {source}")
    ahead, trunk = built("n0", "t")
    inputs, branches = list(hung(trunk, int(random.integers(1, 3)))), []
    for k in range(int(random.integers(1, 3))):
        between, node = built(trunk, f"b{k}")
        mine = hung(node, int(random.integers(1, 3)))
        inputs += mine
        if between:
            branches.append(Branch(mine, between))
    if random.random() < 0.7:
        outs = tuple(Port(f"o{k}", f"o{k}", "output", "modulation", through=JOINED) for k in range(2))
        gear.append(Gear("mult", "Multiple", (with_(DEPTH, ohms=1e6), *outs)))
        inputs.append(ref("mult"))
        for k in range(2):
            between, node = built(trunk, f"m{k}")
            links.append(Link(f"m{k}", ref("mult", f"o{k}"), hung(node, 1), between))
    links.insert(0, Link("l", OUT, tuple(inputs), ahead, branches=tuple(branches)))
    return Bench("T", tuple(gear), tuple(links)), deck, places


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed")
@pytest.mark.parametrize("seed", range(12))
def test_every_input_of_a_tree_gets_what_ngspice_says(seed, tmp_path):
    one, deck, places = tree(seed)
    check_bench(one)
    for sink, node in places.items():
        link = one.links_into(sink)[0]
        path = path_of(one, link.output, sink)
        assert path.output == origin_of(one, link.output) == OUT
        found = arriving(one, path, sent_swing(one, path))
        expected = [ngspice([f"Vs src 0 {volts}", *deck], node, tmp_path) for volts in (-3.0, 5.0)]
        assert found == pytest.approx(expected, abs=1e-6)


@pytest.mark.skipif(shutil.which("ngspice") is None, reason="ngspice is not installed")
@pytest.mark.parametrize("seed", range(8))
def test_outputs_that_share_a_node_of_a_tree_make_the_volts_that_ngspice_says(seed, tmp_path):
    """The first of them at its highest, behind a stage on its branch or not, the others at their lowest."""
    random = np.random.default_rng(seed)
    ohms = lambda: float(random.choice([470.0, 1e3, 4.7e3, 22e3]))  # noqa: E731
    stage = Stage("s", 0.5, 1.0, in_ohms=ohms(), out_ohms=ohms())
    count, apart = int(random.integers(2, 4)), seed % 2 == 0
    swings = [(float(random.uniform(-5, 0)), float(random.uniform(1, 8))) for _ in range(count)]
    outs = [with_(LFO, id=f"o{k}", ohms=ohms(), swing=SwingRecord(*swings[k])) for k in range(count)]
    ins = [with_(takes(10.0 * ohms(), float(random.choice([0.0, 3.0]))), id=f"i{k}") for k in range(4)]
    gear = (*(Gear(f"g{k}", f"G{k}", (out,)) for k, out in enumerate(outs)), Gear("v", "V", tuple(ins)))
    branches = (Branch((ref("v", "i0"), ref("v", "i1")), (stage.stored(),)),) if apart else ()
    links = [Link("l0", ref("g0", "o0"), (ref("v", "i0"), ref("v", "i1"), ref("v", "i2")), branches=branches)]
    links += [Link(f"l{k}", ref(f"g{k}", f"o{k}"), (ref("v", "i0"), ref("v", "i3"))) for k in range(1, count)]
    one = Bench("C", gear, tuple(links))
    check_bench(one)
    deck = [f"V0 s0 0 {swings[0][1]}", f"R0 s0 {'n0' if apart else 'n'} {outs[0].ohms}"]
    if apart:
        deck += [f"Rin n0 0 {stage.in_ohms}", "B1 e 0 V = 0.5 * V(n0) + 1", f"Ro e n {stage.out_ohms}"]
    deck += [line for k in range(1, count) for line in (f"V{k} s{k} 0 {swings[k][0]}", f"R{k} s{k} n {outs[k].ohms}")]
    for k, port in enumerate(ins):
        node = "n0" if apart and k == 2 else "n"
        deck += [f"Ri{k} {node} r{k} {port.ohms}", f"Vi{k} r{k} 0 {port.rests_at_volts}"]
    found = judge_pair(one, one.links[0], ref("v", "i0")).findings
    shared = next(each for each in found if each.code == "outputs-contending")
    assert shared.value == pytest.approx(ngspice(deck, "n", tmp_path), abs=2e-3)


def test_unplugging_what_hangs_on_a_branch_moves_nothing_behind_a_buffer():
    one, two = (with_(PITCH_IN, id=name) for name in "ab")
    buffer = Stage("s", in_ohms=1e9).stored()
    link = Link(
        "l", OUT, (IN, ref("voice", "a"), ref("voice", "b")), branches=(Branch((ref("voice", "a"),), (buffer,)),)
    )
    held = bench(with_(PITCH_OUT, ohms=1000.0), PITCH_IN, one, two)
    fits = {fit.input.port: fit.value for fit in judge_link(with_(held, links=(link,)), link)}
    # Two of 100 kOhm on 1 kOhm, at 6 V: the third hangs on the buffer, which draws nothing.
    assert fits["in"] == fits["b"] == pytest.approx(6 * 1200 * (1 / 1.02 - 1), abs=0.01)
    assert fits["a"] == pytest.approx(fits["in"], abs=0.01)
    chain = link_chain(with_(held, links=(link,)), link, sink=ref("voice", "a"))
    assert chain.chain.error_cents(np.array([96.0]), chain.true)[0] == pytest.approx(fits["a"], abs=1e-9)


def test_circuits_move_from_ahead_of_all_to_a_branch_and_back():
    first, second = (Stage("s", gain).stored() for gain in (0.5, 2.0))
    link = Link("l", OUT, (IN, ref("voice", "b")), (first, second))
    apart = moved(link, link, 1, IN)
    assert (apart.between, apart.branches) == ((first,), (Branch((IN,), (second,)),))
    assert parts_of(apart)[1].between == (second,)
    assert moved(apart, parts_of(apart)[1], 0, IN) == link
    assert without_circuit(apart, parts_of(apart)[1], 0) == with_(link, between=(first,))
    assert with_part(apart, IN, between=()).branches == ()
    assert branched(with_(link, inputs=(IN,)), IN) == with_(link, inputs=(IN,))
    both = with_(link, branches=(Branch((IN, ref("voice", "b")), (first,)),))
    assert [one.inputs for one in branched(both, IN).branches] == [(ref("voice", "b"),), (IN,)]
    said = tree_words(bench(PITCH_OUT, PITCH_IN, with_(PITCH_IN, id="b")), apart, IN, STYLE)
    assert [text.split(":")[0] for text in said] == ["ahead of all inputs", "on the branch to Pit voice · pitch in"]
    assert apart.keeping((ref("voice", "b"),)).branches == ()


def adder(gain: float = 1.0, *, law: str = VOCT, knobs: tuple[Knob, ...] = ()) -> Bench:
    """A row and keys, both of 1 V/oct, through an adder into a voice."""
    ways = Through(ways=(Way("row"), Way("keys", gain)))
    inputs = (with_(PITCH_IN, id="row", law=None), with_(PITCH_IN, id="keys", name="keys", law=None, knobs=knobs))
    return Bench(
        "A",
        (
            Gear("desk", "Adder", (with_(PITCH_OUT, law=None, through=ways), *inputs)),
            Gear("voice", "Voice", (with_(PITCH_IN, law=law),)),
            Gear("s", "Senders", (with_(PITCH_OUT, id="row"), with_(PITCH_OUT, id="keys"))),
        ),
        (
            Link("l", OUT, (IN,)),
            Link("r", ref("s", "row"), (ref("desk", "row"),)),
            Link("k", ref("s", "keys"), (ref("desk", "keys"),), high_note=60.0),
        ),
    )


@pytest.mark.parametrize(("gain", "cents"), [(0.994, Fraction(-36, 5)), (1.003, Fraction(18, 5)), (1.0, Fraction(0))])
def test_unity_is_proved_by_an_octave(gain, cents):
    """0.6 % of 1200 cents are 7.2: exact fractions.  The last digit of both readings is their resolution."""
    one = adder()
    way = provable(one, OUT)[1]
    low, high = "2.0000", f"{2.0 + gain:.4f}"
    steps = last_digit(low, "V"), last_digit(high, "V")
    octave = octave_through(one, way.entry, float(low), float(high), "volts", steps)
    assert octave.cents == pytest.approx(float(cents), abs=1e-6)
    # Two readings, each uniform within half of 0.1 mV: 2 * sqrt(2) * 0.1 mV / sqrt(12) of 1 V.
    assert octave.expanded_cents == pytest.approx(1200 * 2 * 2**0.5 * 1e-4 / 12**0.5, rel=1e-6)
    words = octave_words(octave, way.allowed_cents, STYLE)
    assert ("Turn its gain by" in words) == (abs(cents) > 5)
    heard = octave_through(one, way.entry, 261.6, 261.6 * 2**gain, "hertz", (0.1, 0.1))
    assert heard.gain == pytest.approx(gain, abs=1e-9)
    proved = way.keep(octave).bench
    kept = proved.port(OUT).through.ways[1]
    assert (kept.proved, kept.gain) == (True, octave.gain)
    found = [one for one in judge_pair(proved, proved.links[0], IN).findings if one.code == "way-gain"]
    assert [one.severity for one in found] == (["fault"] if abs(cents) * 2 > 5 else [])
    assert any(
        "Trim what is added" in one.title for one in remedies_for(proved, judge_pair(proved, proved.links[0], IN))
    ) == bool(found)


def test_what_tells_no_octave_is_refused_and_coarse_readings_cannot_tell():
    one, entry = adder(), ref("desk", "keys")
    for low, high, quantity, words in ((1.0, 1.0, "volts", "play an octave"), (0.0, 5.0, "hertz", "more than 0 Hz")):
        with pytest.raises(InputError, match=words):
            octave_through(one, entry, low, high, quantity, (0.1, 0.1))
    coarse = octave_through(one, entry, 2.0, 3.0, "volts", (0.1, 0.1))
    assert "cannot be told" in octave_words(coarse, 5.0, STYLE)
    knob = Knob("Level", does="depth", low=0.0, high=1.0)
    held = adder(knobs=(knob,))
    level = provable(held, entry)[0]
    octave = octave_through(held, entry, 2.0, 2.8, "volts", (1e-4, 1e-4), beyond_knobs=level.beyond_knobs)
    turned_knob = level.keep(octave).bench.port(entry).knobs[0]
    assert (turned_knob.at, turned_knob.proved) == (pytest.approx(0.8), True)


def test_an_adder_plays_what_its_first_way_plays_and_sends_what_both_bring():
    one = adder(0.5)
    assert origin_of(one, OUT) == ref("s", "row")
    assert law_ahead(one, one.links[0]).volts_per_octave == 1.0
    assert judge_pair(one, one.links[0], IN).findings[0].code == "way-gain"
    swung = with_(LFO, id="row"), with_(LFO, id="keys", swing=SwingRecord(0.0, 4.0))
    gear = tuple(with_(gear, ports=swung) if gear.id == "s" else gear for gear in one.gear)
    assert may_send(with_(one, gear=gear), one.links[0]) == pytest.approx((-5.0, 5.0 + 2.0))
    matrix = Matrix()
    before = matrix.judge(one)[OUT][IN]
    louder = one.with_port(ref("s", "row"), with_(one.port(ref("s", "row")), law="voct:scale=1.1,note=36,volts=1"))
    assert matrix.judge(louder)[OUT][IN].value != before.value


def test_two_volts_taken_off_by_an_adder_are_two_octaves_down_and_a_fine_converter_only_tunes():
    down = set_through(adder(), OUT, Through(ways=(Way("row"),), offset_volts=-2.0)).bench
    fit = judge_pair(down, down.links[0], IN)
    assert (fit.value, {one.code: one.value for one in fit.findings}["transposition"]) == (
        pytest.approx(-2400.0),
        -24.0,
    )
    summed = adder(1.0 / 256.0)  # the keys' 2 octaves by a 256th: 1200 · 2 / 256 ct
    found = next(one for one in judge_pair(summed, summed.links[0], IN).findings if one.code == "way-gain")
    assert (found.severity, "by 9.4 ct at most" in found.text) == ("note", True)


def test_a_knob_ahead_of_a_way_counts_and_less_than_an_octave_counts_as_one():
    halved = adder(2.0, knobs=(Knob("Level", does="depth", low=0.0, high=1.0, at=0.5),))
    assert "way-gain" not in {one.code for one in judge_pair(halved, halved.links[0], IN).findings}
    few = adder(0.997)
    short = tuple(with_(link, high_note=40.0) if link.id == "k" else link for link in few.links)
    found = next(
        one for one in judge_pair(with_(few, links=short), few.links[0], IN).findings if one.code == "way-gain"
    )
    assert "−3.6 ct over the octave used" in found.text


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda one: with_(one, links=(Link("l", OUT, (IN, ref("desk", "row"))),)), "feeds itself"),
        (lambda one: with_(one, links=one.links[:1]), "until something is joined to"),
        (lambda one: set_through(one, OUT, Through("joined", (Way("row"),))).bench, ""),
        (
            lambda one: with_(set_through(one, OUT, Through("joined", (Way("row"),))).bench, links=one.links[:1]),
            "nothing feeds",
        ),
    ],
)
def test_trees_that_lead_nowhere_are_told_in_a_sentence_and_the_rest_is_judged(change, words):
    one = change(adder())
    fit = judge_pair(one, one.links[0], IN)
    assert (fit.verdict == "cannot-tell") == bool(words)
    assert not words or words in fit.findings[0].text
    assert (words != "") == (link_chain(one, one.links[0], sink=IN).chain is None)
    assert remedies_for(one, fit) == [] or fit.verdict != "cannot-tell"
    other = judge_pair(one, Link("x", ref("s", "keys"), (IN,)), IN)
    assert other.verdict == "fits"


def test_gears_behind_each_other_have_an_end():
    passing = Through(ways=(Way("in"),))
    stages = [
        Gear(f"g{k}", f"G{k}", (with_(PITCH_IN, law=None), with_(PITCH_OUT, law=None, through=passing)))
        for k in range(12)
    ]
    links = [Link(f"l{k}", ref(f"g{k}", "out"), (ref(f"g{k + 1}"),)) for k in range(11)]
    source = Gear("s", "S", (PITCH_OUT,))
    one = Bench(
        "deep", (source, *stages, Gear("voice", "V", (PITCH_IN,))), (Link("s", ref("s", "out"), (ref("g0"),)), *links)
    )
    link = Link("v", ref("g11", "out"), (IN,))
    assert (
        "more than 8 gears stand behind each other"
        in judge_pair(with_(one, links=(*one.links, link)), link, IN).findings[0].text
    )
    near = Link("v", ref("g5", "out"), (IN,))
    assert judge_pair(with_(one, links=(*one.links, near)), near, IN).verdict == "fits"
    assert why_no_path(with_(one, links=(*one.links, near)), near, IN) == ""


@pytest.mark.parametrize(
    ("through", "words"),
    [
        (Through(ways=(Way("row"), Way("row"))), "follows one input twice"),
        (Through(ways=(Way("row", 0.0),)), "passes nothing"),
        (Through("joined", (Way("row"), Way("keys"))), "one was expected"),
        (Through(ways=(Way("gone"),)), "which is no input of Adder"),
        (Through(ways=(Way("row"),), step_volts=-1.0), "cannot be below 0"),
    ],
)
def test_ways_that_cannot_be_are_refused(through, words):
    with pytest.raises(InputError, match=words):
        set_through(adder(), OUT, through)


@pytest.mark.parametrize(
    ("knob", "words"),
    [
        (Knob("K", does="depth", low=1.0, high=1.0), "at both ends"),
        (Knob("K", does="scale", low=-1.0, high=0.0), "all of the scale"),
        (Knob("K", does="depth", low=0.0, high=1.0, at=1.5), "0 to 1"),
        (Knob(""), "needs a name"),
        (Knob("K", does="offset", steps=(0.0,) * 65), "at most 64"),
    ],
)
def test_knobs_that_cannot_be_are_refused(knob, words):
    with pytest.raises(InputError, match=words):
        put_knob(bench(LFO, DEPTH), IN, knob)


DEEP = Knob("Depth", does="depth", low=0.0, high=1.0)
OFF = Knob("Offset", does="offset", low=-5.0, high=5.0)


@pytest.mark.parametrize(
    ("law", "knobs", "set_to"),
    [
        # 1 V/oct from 1 V at note 36 into 0.4 V/oct on 2.1 V: a gain of 0.4 and 1.7 V, exactly.
        ("voct:scale=0.4,note=36,volts=2.1", (DEEP, OFF), (0.4, (1.7 + 5.0) / 10.0)),
        (
            "voct:scale=0.4,note=48,volts=2.1",
            (DEEP, OFF, Knob("Range", does="octave", steps=(-1.0, 0.0, 1.0))),
            (0.4, 0.59, 1.0),
        ),
        ("voct:scale=1,note=36,volts=1", (Knob("Scale", does="scale", low=-0.05, high=0.05),), (0.5,)),
        ("hzv:note=36,volts=0.5", (with_(DEEP, high=2.0), OFF), None),
    ],
)
def test_free_knobs_are_set_where_all_notes_are_right(law, knobs, set_to):
    sends = PITCH_OUT if law.startswith("voct") else with_(PITCH_OUT, law="hzv:note=36,volts=1,offset=0.2")
    one = bench(sends, with_(PITCH_IN, law=law, knobs=knobs))
    fit = judge_link(one, one.links[0])[0]
    assert fit.verdict == "fits"
    assert abs(fit.value) < 0.05
    told = [found.value / 100.0 for found in fit.findings if found.code == "knob-to-set"]
    if set_to is not None:
        assert told == pytest.approx(set_to, abs=2e-4)
    remedy = next(one for one in remedies_for(one, fit) if one.kind == "knob")
    after = remedy.command(one).bench
    assert judge_link(after, after.links[0])[0].findings == tuple(f for f in fit.findings if f.code != "knob-to-set")
    chain = link_chain(after, after.links[0])
    assert np.max(np.abs(chain.chain.error_cents(np.arange(36.0, 85.0), chain.true))) < 0.05


def test_the_first_remedy_is_a_knob_wherever_one_reaches():
    short = bench(LFO, with_(DEPTH, swing=SwingRecord(-2.0, 2.0), knobs=(with_(DEEP, at=1.0),)))
    sends = with_(LFO, knobs=(Knob("Level", does="depth", steps=(0.1, 0.4, 1.0), at=1.0),))
    loud = bench(sends, with_(DEPTH, swing=SwingRecord(-2.0, 2.0)))
    gate = Port(
        "in",
        "gate",
        "input",
        "gate",
        ohms=100e3,
        gate=GateRecord("positive", on_volts=2.0, off_volts=0.8),
        knobs=(with_(DEEP, at=0.3),),
    )
    weak = bench(Port("out", "g", "output", "gate", ohms=1000.0, gate=GateRecord("driven", 0.0, 5.0)), gate)
    for one, title in ((short, "Turn Depth to 40 %"), (loud, "Turn Level to × 0.400"), (weak, "Turn Depth to 57 %")):
        fit = judge_link(one, one.links[0])[0]
        assert fit.verdict == "needs-circuit"
        first = remedies_for(one, fit)[0]
        assert (first.kind, first.title, first.leaves.verdict) == ("knob", title, "fits")
        assert "stands at" in first.text


def test_forms_of_knobs_and_ways_read_back_what_they_show():
    for does in ("depth", "scale", "offset", "octave", ""):
        knob = with_knob_value(Knob("K"), next(one for one in knob_fields(Knob("K")) if one.path == "does"), does)
        for steps in ((), (0.25, 0.5)) if does else ((),):
            made = with_(
                knob,
                steps=steps,
                low=None if steps or not does else -0.5,
                high=None if steps or not does else 0.5,
                at=0.5,
            )
            for field in knob_fields(made):
                value = getattr(made, field.path)
                again = value if field.kind in ("choice", "flag") else field.read(field.show(value, STYLE), STYLE)
                assert with_knob_value(made, field, again) == made
            assert knob_words(made, STYLE).startswith("K")
    gear = adder().gear_by("desk")
    through = gear.ports[0].through
    for field in through_fields(gear):
        if field.path.startswith("limit"):
            through = with_through_value(through, field, field.read("1 %", STYLE))
    assert [way.gain_limit for way in through.ways] == [0.01, 0.01]
    none = with_through_value(through, next(f for f in through_fields(gear) if f.path == "gain:keys"), None)
    assert [way.input for way in none.ways] == ["row"]
    assert remove_knob(put_knob(bench(LFO, DEPTH), IN, DEEP).bench, IN, 0).bench.port(IN).knobs == ()
    assert neutral(with_(DEEP, high=0.8)) == 0.8
    assert turned(with_(DEPTH, knobs=(with_(DEEP, at=0.25), with_(OFF, at=0.6)))).key() == pytest.approx(
        (0.25, 1.0, 0.0)
    )


def test_two_converters_on_one_adder_are_one_source_with_codes_of_both():
    """All pairs of codes by exact fractions: no other pair comes nearer than half a fine step."""
    dac = lambda bits: (DacTransfer("d", Dac(bits, 0.0, 5.0), inl_limit_lsb=1.0).stored(),)  # noqa: E731
    for gain, gapless in ((1.0 / 32.0, True), (1.0 / 200.0, False)):
        one = adder(gain)
        ports = (with_(one.port(ref("s", "row")), transfers=dac(7), ohms=1000.0),)
        ports += (with_(one.port(ref("s", "keys")), transfers=dac(8), ohms=1000.0),)
        one = with_(one, gear=tuple(with_(gear, ports=ports) if gear.id == "s" else gear for gear in one.gear))
        summed = summed_with(one, ref("s", "keys"))
        assert summed == summed_with(one, ref("s", "row"))
        assert (summed.coarse, summed.fine, summed.output) == (ref("s", "row"), ref("s", "keys"), OUT)
        loads = [Fraction(one.port(entry).ohms) for entry in (ref("desk", "row"), ref("desk", "keys"))]
        shares = [load / (load + 1000) for load in loads]
        steps = Fraction(5, 2**7) * shares[0], Fraction(5, 2**8) * shares[1] * Fraction(gain)
        codes = summed_codes(one, summed, np.arange(36.0, 61.0))
        assert summed.both.gapless(summed.inl_lsb) is gapless
        for wanted, coarse, fine, volts in zip(
            codes.table.wanted_volts, codes.table.codes, codes.fine_codes, codes.table.volts, strict=True
        ):
            exact = int(coarse) * steps[0] + int(fine) * steps[1]
            assert float(exact) == pytest.approx(volts, abs=1e-12)
            sums = np.add.outer(np.arange(2**7) * float(steps[0]), np.arange(2**8) * float(steps[1]))
            best = np.abs(sums - wanted).min()
            assert abs(volts - wanted) <= max(best + 1e-12, float(steps[1]) / 2.0)
        told = " ".join(summed_sentences(codes, one.label, STYLE))
        assert ("no pair of codes reaches" in told, "is coarse and" in told) == (not gapless, True)
        assert bool(codes.table.dead.any()) is not gapless
        shown = both_codes(one, ref("s", "row"), {ref("s", "keys"): HeadRecord("constants", offset=0.1, gain=1.01)})
        assert shown.fine.summed.both.fine.nominal_volts(0) == pytest.approx(0.1)
    assert summed_with(adder(1.0), ref("s", "keys")) is None  # which transposes
