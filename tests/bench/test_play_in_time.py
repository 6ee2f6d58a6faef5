"""What arrives of a song in time: through glides and holds, contacts, stretchers, and inputs that a long pulse holds.

A resistor and a capacitor lag by 1 − e^(−t/RC) (derived); the bench is the demo's, the song two notes.
"""

from __future__ import annotations

import math
from dataclasses import replace as replace_

import numpy as np
import pytest
from msgspec.structs import replace

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.designing.gate_choices import pulse, stretcher
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import GateRecord, Port, PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.playing.arriving import arrive, senders, setting_for
from dynamis.bench.playing.lanes import Played, play
from dynamis.control.stepped import Level
from dynamis.converter.playing.phrases import QUARTER, made_song
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.streaming import LiveConverter, notes_within
from dynamis.converter.playing.voices import VoiceRules
from dynamis.demo.lantern import CHANNEL_A, bench
from dynamis.electrics.memory.remembering import remembering
from dynamis.notation.style import Style
from dynamis.transfer.parameter import NOMINAL

# C4 and C5, half a second each, the gate up for 0.4 s of each.
KEYS = [(0, 0.8, 60), (1, 1.8, 72)]
SONG = made_song(
    [(round(at * QUARTER), bytes([status, note, 90])) for start, end, note in KEYS
     for at, status in ((start, 0x90), (end, 0x80))],
    2 * QUARTER,
)  # fmt: skip
GATE, TRIGGER = PortRef("gallery-voice", "gate"), PortRef("gallery-voice", "trigger")


def arrived(made: Bench, output: PortRef = CHANNEL_A) -> Played:
    played = play(SONG, setting_for(made, output, ConverterSetting()), Style())
    found = arrive(made, output, {}, played, Style())
    return played.with_arrivals(found.lanes, found.findings, found.sources)


def with_circuit(*, by: str = "workshop-board/gate", kind: str = "glide", **values: float) -> Bench:
    made, circuit = bench(), remembering("m", kind, by=by if kind != "glide" else "", **values)
    links = tuple(replace(one, between=(circuit.stored(),)) if one.output == CHANNEL_A else one for one in made.links)
    return replace(made, links=links)


def lane(played: Played, name: str = "→ Gallery voice · pitch 1"):
    return next(one for one in played.lanes if one.name == name)


def texts(played: Played) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for one in played.findings:
        found.setdefault(one.code, []).append(one.text)
    return found


@pytest.mark.parametrize(("ohms", "late"), [(200e3, 1), (10e3, 0)])
def test_a_glide_lags_by_its_resistor_and_capacitor(ohms: float, late: int) -> None:
    played = arrived(with_circuit(ohms=ohms, farads=1e-6))
    low, high = lane(played).series.at(np.array([0.4999, 1e4]))
    tau = ohms * 1e-6
    for since in (0.001, 0.02, 0.1, 0.3):
        want = low + (high - low) * (1.0 - math.exp(-since / tau))
        assert lane(played).series.at(np.array(0.5 + since)) == pytest.approx(want, abs=1e-6)
    # So much is left of an octave's jump where it ends: 1200·e^(−0.5/τ) cents.
    told = texts(played).get("late-pitch", [])
    assert len(told) == 2 * late  # both inputs of the voice
    if late:
        assert f"{-1200.0 * (high - low) * math.exp(-0.5 / tau):.1f}".replace("-", "−") in told[0]
        assert "A smaller C1 is faster" in told[0]


def test_a_hold_keeps_what_it_heard_while_the_gate_was_up() -> None:
    played = arrived(with_circuit(kind="sample-and-hold", ohms=100.0, farads=10e-9))
    at = lane(played).series.at
    # 1 nA of a switch and the op-amp's bias out of 10 nF: 0.1 V a second and a little more.
    assert at(np.array(0.3)) - at(np.array(0.45)) == pytest.approx(0.005, abs=0.002)
    assert at(np.array(0.6)) - at(np.array(0.45)) == pytest.approx(1.0, abs=0.02)
    leaks = arrived(with_circuit(kind="sample-and-hold", ohms=100.0, farads=1e-9, leak_amperes=1e-8))
    # i = C dV/dt: 10 nA out of 1 nF are 10 V a second; 0.1 s after the gate a volt is gone.
    fallen = lane(leaks).series.at(np.array([0.3999, 0.4999]))
    assert fallen[0] - fallen[1] == pytest.approx(1.0, rel=0.01)
    told = texts(leaks)["late-pitch"][0]
    assert "2 of 2 notes are not within their tolerance" in told
    assert "has sunk since: a larger C1 holds longer" in told
    assert "late-pitch" not in texts(arrived(with_circuit(kind="sample-and-hold", ohms=100.0, farads=1e-6)))


def test_a_hold_that_nothing_clocks_keeps_the_note_before() -> None:
    made = with_circuit(kind="sample-and-hold", by="workshop-board/clock", ohms=100.0, farads=1e-6)
    board = next(one for one in made.gear if one.id == "workshop-board")
    once = Port("clock", "clock", "output", role="clock", ohms=1e3, gate=GateRecord("driven", 0.0, 5.0))
    gear = tuple(replace(one, ports=(*one.ports, once)) if one is board else one for one in made.gear)
    made = replace(made, gear=gear)
    played = play(SONG, replace_(setting_for(made, CHANNEL_A, ConverterSetting()), clocks=(0.5,)), Style())
    found = arrive(made, CHANNEL_A, {}, played, Style())
    told = next(one.text for one in found.findings if one.code == "late-pitch")
    assert "1 of 2 notes" in told
    assert "Nothing clocks it while that note is there: the sample and hold still has the note before." in told


def test_what_drives_a_circuit_has_to_be_played() -> None:
    played = arrived(with_circuit(kind="sample-and-hold", by="curtain-sequencer/gate"))
    assert any("is drawn as if the sample and hold passed the pitch" in one for one in texts(played)["arrives"])
    dropped = arrived(with_circuit(kind="gated-pitch"))
    assert lane(dropped).series.at(np.array([0.3, 0.45])) == pytest.approx([2.2, 0.0], abs=0.06)
    assert "late-pitch" not in texts(dropped)


def test_a_contact_is_open_at_its_pull_up_and_closes_to_ground() -> None:
    made = bench()
    board = made.port(PortRef("workshop-board", "gate"))
    switch = made.with_port(PortRef("workshop-board", "gate"), replace(board, gate=GateRecord("switch")))
    assert setting_for(switch, CHANNEL_A, ConverterSetting()).gate == Level(5.0, 0.0, shorting=True)
    voice = switch.port(GATE)
    shorting = GateRecord("shorting", on_volts=0.8, off_volts=2.0, pullup_volts=5.0)
    pulled = switch.with_port(GATE, replace(voice, gate=shorting, ohms=10e3))
    played = arrived(pulled)
    assert played.setting.gate == Level(5.0, 0.0, shorting=True)
    assert played.rendered.signal("gate").steps.volts.tolist() == [0.0, 5.0, 0.0, 5.0]
    arrives = lane(played, "→ Gallery voice · gate").series
    assert arrives.at(np.array([0.2, 0.45])) == pytest.approx(
        [5.0 / 11.0, 5.0], rel=0.01
    )  # 1 kΩ against the pull-up's 10 kΩ
    assert any("Gallery voice · gate goes on 2 times" in one for one in texts(played)["arrives"])


@pytest.mark.parametrize(
    ("values", "make", "seconds", "words"),
    [({}, None, None, "goes on 2 times"), ({"max_seconds": 0.02}, None, None, "2 of 2 pulses are longer than the 20 ms in which"),
     ({"max_seconds": 0.02}, pulse, None, "goes on 2 times"), ({"min_seconds": 0.45}, None, None, "misses 2 of 2 pulses"),
     ({"min_seconds": 0.02}, stretcher, 0.6, "goes on once")],
)  # fmt: skip
def test_a_pulse_that_lasts_too_long_and_what_a_circuit_makes_of_it(values, make, seconds, words: str) -> None:
    made = bench()
    voice = made.port(GATE)
    made = made.with_port(GATE, replace(voice, gate=replace(voice.gate, **values)))
    if make is not None:
        link = next(one for one in made.links if GATE in one.inputs)
        stage = make(made, link, GATE)
        stage = stage if seconds is None else replace(stage, seconds=seconds)  # as by a larger capacitor
        staged = replace(link, gate_stages=(*link.gate_stages, stage))
        made = replace(made, links=tuple(staged if one is link else one for one in made.links))
    told = [one.replace("\u00a0", " ") for group in texts(arrived(made)).values() for one in group]
    assert any("Gallery voice · gate" in one and words in one for one in told), told


def test_each_voice_leaves_by_outputs_of_its_own_and_one_by_what_was_chosen() -> None:
    """Two keys at once: C4 by pitch A to the first input, G4 by pitch B to the second, each through its own load."""
    made, b = bench(), PortRef("workshop-board", "pitch-b")
    link = made.link_from(CHANNEL_A)
    own = [replace(link, inputs=link.inputs[:1]), replace(link, id="b", output=b, inputs=link.inputs[1:])]
    made = replace(made, links=(*(one for one in made.links if one is not link), *own))
    chord = made_song([(0, bytes([0x90, 60, 90])), (0, bytes([0x90, 67, 90]))], QUARTER)
    setting = setting_for(made, CHANNEL_A, ConverterSetting())
    played = play(chord, replace_(setting, rules=VoiceRules(2)), Style())
    found = arrive(made, CHANNEL_A, {}, played, Style())
    assert found.sources == {
        "sent1": "pitch1", "sent2": "pitch2", "→ Gallery voice · pitch 1": "pitch1",
        "→ Gallery voice · pitch 2": "pitch2", "→ Gallery voice · gate": "gate1",
    }  # fmt: skip
    for place, note in enumerate((60.0, 67.0)):
        chain = link_chain(made, own[place], HeadRecord(), own[place].inputs[0])
        volts = chain.chain.trace(np.array([note]), chain.true, NOMINAL)[-2]
        series = next(one for one in found.lanes if one.name.endswith(f"pitch {place + 1}")).series
        assert series.at(np.array([0.2])) == pytest.approx(volts), note
    live = LiveConverter(
        played.setting, lambda name, when, volts: None, chord, senders(made, CHANNEL_A, {}, played.setting)
    )
    everything = played.with_arrivals(found.lanes, found.findings, found.sources)
    assert everything.outgoing("pitch2").volts[0] == pytest.approx(0.2 + 31 / 12, abs=2e-3)  # a code of 12 bits
    assert [live.stands(name) for name in ("pitch1", "pitch2")] == [
        everything.outgoing(name).volts[-1] for name in ("pitch1", "pitch2")
    ]
    single = arrive(made, b, {}, play(chord, setting_for(made, b, ConverterSetting()), Style()), Style())
    assert [*single.sources] == ["sent", "→ Gallery voice · pitch 2", "→ Gallery voice · gate"]
    unknown = made.with_port(b, replace(made.port(b), law=None))
    told = [one.text for one in arrive(unknown, CHANNEL_A, {}, played, Style()).findings]
    assert "Workshop board · pitch B has no law yet: what it puts out is not drawn." in told
    other = made.with_port(b, replace(made.port(b), law="voct:scale=0.5,note=36,volts=0"))
    ends = notes_within(played.setting, 6.0, senders(made, CHANNEL_A, {}, played.setting)["pitch1"])
    assert ends == (34, 99)  # beyond, its codes end
    assert [*senders(other, CHANNEL_A, {}, played.setting)] == ["pitch1"]
    told = [one.text for one in arrive(other, CHANNEL_A, {}, played, Style()).findings]
    assert "Workshop board · pitch B has another law than pitch2 is played by: what it puts out is not drawn." in told
