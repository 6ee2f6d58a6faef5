"""Played live: message by message as the whole song goes, a window of it as all of it, clocks as a tempo map has them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dynamis.bench.playing.lanes import listed_stamps, play
from dynamis.control.stepped import Level
from dynamis.converter.midi_stream import MidiMessage
from dynamis.converter.playing import live as live_module
from dynamis.converter.playing.controls import PARAMETERS, RESET
from dynamis.converter.playing.findings import find_in
from dynamis.converter.playing.following import CLOCK, CONTINUE, POSITION, START, STOP, Beat, followed
from dynamis.converter.playing.live import LiveSong
from dynamis.converter.playing.rendering import ConverterSetting, render_song
from dynamis.converter.playing.streaming import LiveConverter
from dynamis.converter.playing.voices import VoiceRules
from dynamis.notation.style import Style


def random_messages(rng: np.random.Generator, count: int) -> list[tuple[float, MidiMessage]]:
    """Keys, pedal, wheel, its range, controllers, modes and a sender's clock, no two at one instant."""
    found, at = [], 0.0
    for _ in range(count):
        at += float(rng.choice([0.0005, 0.003, 0.02, 0.2])) * float(rng.uniform(0.7, 1.3))
        kind, key = rng.random(), int(rng.integers(55, 62))
        if kind < 0.35:
            message = MidiMessage(0x90, bytes([key, int(rng.integers(1, 128))]))
        elif kind < 0.6:
            message = MidiMessage(int(rng.choice([0x80, 0x90])), bytes([key, 0]))
        elif kind < 0.68:
            message = MidiMessage(0xE0, bytes(rng.integers(0, 128, 2).tolist()))
        elif kind < 0.78:
            number = int(rng.choice([1, 11, 64, 64, 74, 100, 101, 6, 38, 96, 98]))
            value = int(rng.choice([0, 0, 1, 12, 127]))
            message = MidiMessage(0xB0, bytes([number, value]))
        elif kind < 0.81:
            message = MidiMessage(0xB0, bytes([int(rng.choice([120, 121, 123])), 0]))
        elif kind < 0.97:
            message = MidiMessage(CLOCK)
        else:
            status = int(rng.choice([START, START, CONTINUE, STOP, POSITION]))
            message = MidiMessage(status, bytes([int(rng.integers(0, 9)), 0]) if status == POSITION else b"")
        found.append((at, message))
    return found


def over_channels(rng: np.random.Generator, messages: list[tuple[float, MidiMessage]]) -> None:
    """The same for a zone: on channels of its own, most of them members', with pressure and timbre; it is of nine."""
    for k, (at, one) in enumerate(messages):
        if one.status >= 0xF0:
            continue
        channel = int(rng.choice([0, 1, 1, 2, 2, 2, 3, 4, 8, 9, 10, 15]))
        status, data = one.status & 0xF0, one.data
        if status == 0x80 and rng.random() < 0.3:
            status, data = 0xD0, data[:1]
        elif status == 0xB0 and data[0] in (1, 11) and channel:
            data = bytes([74, data[1]])
        messages[k] = at, MidiMessage(status | channel, data)
    for k, (number, value) in enumerate([(101, 0), (100, 6), (6, 9), (101, 127), (100, 127)]):
        messages[k] = messages[k][0], MidiMessage(0xB0, bytes([number, value]))
    messages[5] = messages[5][0], MidiMessage(0x91, bytes([60, 90]))


def random_setting(rng: np.random.Generator) -> ConverterSetting:
    rules = VoiceRules(
        int(rng.integers(1, 4)), *(str(rng.choice(one)) for one in (  # type: ignore[arg-type]
            ["last", "low", "high", "first"], ["rotate", "reuse", "lowest"], ["every-press", "new-pitch"]))
    )  # fmt: skip
    return ConverterSetting(
        rules=rules, trigger_seconds=float(rng.choice([0.002, 0.01, 0.1])), gap_seconds=float(rng.choice([0.0, 0.004])),
        bend_into_pitch=bool(rng.integers(2)), clocks=(1.0, 4.0, 24.0, 36.0), transport=True,
        more_controllers=((11, Level(0.0, 5.0)), (74, Level(-5.0, 5.0))),
    )  # fmt: skip


def sung(messages: list[tuple[float, MidiMessage]]) -> LiveSong:
    song = LiveSong()
    for seconds, message in messages:
        song.add(seconds, message)
    return song


@pytest.mark.parametrize("zone", [False, True])
@pytest.mark.parametrize("seed", range(45))
def test_message_by_message_it_tells_what_the_whole_song_carries(seed: int, zone: bool) -> None:
    rng = np.random.default_rng(seed)
    setting, messages = random_setting(rng), random_messages(rng, 160)
    messages[0] = (messages[0][0], MidiMessage(0x90, bytes([60, 90])))
    if zone:  # a song may choose another number of members: then they have it from its beginning
        over_channels(rng, messages)
        setting = replace(setting, zone="lower")
    half = 80 * (seed % 2)  # what came before it was set so is told nobody
    before = sung(messages[:half]).song(messages[half][0]) if half else None
    live = LiveConverter(setting, lambda name, when, volts: told[name].append((when, volts)), before)
    told = {name: [(live.now, live.stands(name))] for name in live.names}
    for seconds, message in messages[half:]:
        live.take(round(seconds * 1e6) / 1e6, message.status, *message.data)
    end = messages[-1][0] + 1.0
    live.settle(end)
    whole = render_song(sung(messages).song(end), setting)
    ninth = [one for one in whole.signals if zone and one.name.endswith("9")]  # live the first eight have jacks
    assert {one.name for one in whole.signals if one not in ninth} <= set(live.names)
    at = np.sort(np.concatenate([rng.uniform(messages[half][0] + 0.01, end, 4000)]))
    for one in [one for one in whole.signals if one not in ninth]:
        changes = told[one.name]
        assert [when for when, _ in changes] == sorted(when for when, _ in changes)
        when, volts = (np.array([change[k] for change in changes]) for k in (0, 1))
        found = volts[np.searchsorted(when, at, side="right") - 1]
        differs = np.abs(found - one.steps.at(at)) > 1e-9
        # Before a voice's first note a song knows the one to come.
        first = whole.performance.tracks[one.voice].notes.stamps[0] if one.voice is not None else 0
        known = at >= (whole.message_seconds[first] if one.kind in ("pitch", "velocity") else 0.0)
        assert np.mean(differs & known) < 2e-3, one.name  # edges of clocks between two, to a rounding


@pytest.mark.parametrize("seed", range(60))
def test_a_window_carries_what_all_of_it_does(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Looked at now and then, as a picture is; every other song is on two channels that are played together."""
    monkeypatch.setattr(live_module, "_RECENT", 20)
    rng = np.random.default_rng(1000 + seed)
    setting, messages = random_setting(rng), random_messages(rng, 200)
    for place in (1, -1, -10, -19):
        messages[place] = (messages[place][0], MidiMessage(0x90, bytes([60, 90])))
    if seed % 2:
        setting = replace(setting, channel=None)
        # But parameters and what resets their choice, which the two would share only where both choose some at once.
        kept = PARAMETERS | {RESET}
        alone = [k for k, (_, one) in enumerate(messages) if one.status < 0xF0 and one.data[0] not in kept]
        for k in rng.choice(alone, len(alone) // 2, replace=False):
            messages[k] = messages[k][0], MidiMessage(messages[k][1].status | 1, messages[k][1].data)
    song, end = LiveSong(), messages[-1][0] + 0.5
    all_of_it = render_song(sung(messages).song(end), setting)
    monkeypatch.setattr(live_module, "_MOST_KEPT", 30)
    for k, (seconds, message) in enumerate(messages):
        song.add(seconds, message)
        if k % 40 == 39:
            song.recent(seconds, seconds - 1.0, setting.channel, setting.rules)
    made = song.recent(end, end - 1.0, setting.channel, setting.rules)
    recent = render_song(made, setting)
    assert listed_stamps(play(made, setting, Style())).min() >= made.over > 0
    assert 20 <= made.ticks.size - made.over < 150
    # What an old press left stands at its end: its trigger is over, and a new pitch was there before.
    at = np.linspace(recent.message_seconds[made.over] + 0.11, end, 800)
    live = LiveConverter(setting, lambda name, when, volts: None, made)
    live.settle(end)
    others = {one.name: one for one in recent.signals}
    for one in all_of_it.signals:
        if one.name in others:  # a voice that was used long ago has none
            differs = np.abs(others[one.name].steps.at(at) - one.steps.at(at)) > 1e-9
            assert not np.any(differs), one.name
        assert live.stands(one.name) == pytest.approx(float(one.steps.at(at[-1:])[0]), abs=1e-9), one.name


def steady(hertz: float, count: int, start: float = 1.0) -> list[Beat]:
    return [Beat(start - 0.1, START), *(Beat(start + k / hertz, CLOCK) for k in range(count))]


@pytest.mark.parametrize(("per_quarter", "count"), [(1, 4), (2, 8), (4, 16), (24, 96), (48, 191), (3, 12), (36, 143)])
def test_clocks_count_as_a_quarter_note_has_them(per_quarter: float, count: int) -> None:
    # MIDI 1.0: 24 clocks a quarter note; 96 of them are four, the first pulse stands at the first clock.  Between the
    # first two nobody knows how far apart they are: what would come there is left out.
    spans, jumps = followed(steady(48.0, 96), [("clock", per_quarter)], 0.001, 3.0 - 1e-6)
    rises = np.array([rise for rise, _ in spans["clock"]])
    even = 1.0 + np.arange(4 * per_quarter) * 0.5 / per_quarter
    assert rises == pytest.approx(np.delete(even, 1) if count < even.size else even)
    assert (rises.size, spans["run"], jumps) == (count, [(0.9, np.inf)], [])
    assert spans["reset"] == [(0.9, pytest.approx(0.901))]


def test_stop_continue_and_song_position() -> None:
    beats = [*steady(10.0, 13), Beat(2.25, STOP), Beat(2.3, CLOCK), Beat(2.4, CONTINUE), Beat(2.5, CLOCK)]
    spans, jumps = followed(beats, [("clock", 4.0)], 0.01, 3.0)
    assert [round(rise, 6) for rise, _ in spans["clock"]] == [1.0, 1.6, 2.2]  # position 13 is between
    assert (spans["run"], len(spans["reset"]), jumps) == ([(0.9, 2.25), (2.4, np.inf)], 1, [])
    moved = [*beats[:-2], Beat(2.35, POSITION, 7), *beats[-2:]]
    assert followed(moved, [("clock", 4.0)], 0.01, 3.0)[1] == [(2.4, 7)]
    back = [*beats[:-2], Beat(2.35, POSITION, 0), *beats[-2:]]
    spans, jumps = followed(back, [("clock", 4.0)], 0.01, 3.0)
    assert (jumps, [rise for rise, _ in spans["reset"]]) == ([], [0.9, 2.4])  # the beginning can be told by a reset
    assert followed(beats[1:14], [("clock", 4.0)], 0.01, 3.0)[0] == {"clock": [], "run": [], "reset": []}


def test_what_goes_on_elsewhere_is_told() -> None:
    song = sung([(0.1, MidiMessage(0x90, bytes([60, 1]))), (0.2, MidiMessage(POSITION, bytes([4, 0]))),
                 (0.3, MidiMessage(CONTINUE))])  # fmt: skip
    found = find_in(render_song(song.song(1.0), ConverterSetting(transport=True)), Style())
    assert next(one.text for one in found if one.code == "jumped").startswith(
        "Once the sender goes on at another place, first at 0.300 s at sixteenth 5"
    )
