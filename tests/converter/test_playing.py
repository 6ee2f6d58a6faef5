"""MIDI into voltages: against a second, simple converter, an independent reader, and what was published."""

from __future__ import annotations

import io
import json
import math
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.converter.simple_converter import differences

from dynamis.control.pulses import Pulses, fired
from dynamis.control.stepped import Level, Steps, pulse_steps, steps
from dynamis.converter.playing.clocks import clock_pulses
from dynamis.converter.playing.controls import BendRange
from dynamis.converter.playing.findings import find_in
from dynamis.converter.playing.generators import Generator
from dynamis.converter.playing.mpe import zone_of
from dynamis.converter.playing.phrases import phrases
from dynamis.converter.playing.rendering import ConverterSetting, render_song
from dynamis.converter.playing.song import tempo_map, wire_delayed, wire_shared
from dynamis.converter.playing.voices import VoiceRules, Why, voices_for
from dynamis.converter.playing.words import message_bytes, message_words, nearest_edge, why
from dynamis.errors import InputError
from dynamis.files import wav_writer
from dynamis.files.midi_file import song_of
from dynamis.files.wav_writer import WavChannel, channel_map, sample_indices, write_wav
from dynamis.notation.style import Style

TIMING = json.loads((Path(__file__).parents[1] / "oracles" / "midi-timing.json").read_text())["cases"]


def song(*tracks, division=480, form=1):
    """A song by mido, an independent writer, of tracks of messages with delta ticks."""
    made = mido.MidiFile(type=form, ticks_per_beat=division)
    for messages in tracks:
        made.tracks.append(mido.MidiTrack(messages))
    out = io.BytesIO()
    made.save(file=out)
    return song_of(out.getvalue(), "song")


def note(on, number, time=0, velocity=64, channel=0):
    return mido.Message("note_on" if on else "note_off", note=number, velocity=velocity, time=time, channel=channel)


def control(number, value, time=0):
    return mido.Message("control_change", control=number, value=value, time=time)


# -- one voice ------------------------------------------------------------------------------------

CONTROLS = st.sampled_from([(64, 127), (64, 0), (64, 63), (120, 0), (121, 0), (123, 0), (127, 0), (122, 0), (1, 9)])
MESSAGES = st.one_of(
    st.tuples(st.just(0x90), st.integers(58, 62), st.integers(0, 3)),
    st.tuples(st.just(0x80), st.integers(58, 62), st.just(64)),
    CONTROLS.map(lambda pair: (0xB0, *pair)),
)


@pytest.mark.parametrize("priority", ["last", "low", "high", "first"])
@pytest.mark.parametrize("fires_on", ["every-press", "new-pitch"])
@settings(max_examples=60, deadline=None)
@given(data=st.lists(st.tuples(st.sampled_from([0, 0, 1, 2, 300]), MESSAGES), min_size=1, max_size=40))
def test_one_voice_is_that_of_a_simple_converter(priority, fires_on, data):
    track = [note(True, 60)] + [mido.Message.from_bytes(bytes([m[0], m[1], m[2]]), time=delta) for delta, m in data]
    assert differences(song(track), 1, priority, fires_on) == []


def test_a_falling_back_voice_says_why_each_edge_comes():
    made = voices_for(VoiceRules(1, "last"))
    made.press(0, 60, 90)
    made.press(1, 64, 91)
    made.release(2, 64)
    made.hold(3, True)
    made.release(4, 60)
    made.hold(5, False)
    made.press(6, 67, 20)
    made.silence(7)
    track = made.tracks[0]
    assert track.notes.values.tolist() == [60, 64, 60, 67]
    assert list(zip(track.gates.stamps.tolist(), track.gates.values.tolist(), track.gate_reasons, strict=True)) == [
        (0, 1, Why.PRESS), (5, 0, Why.PEDAL), (6, 1, Why.PRESS), (7, 0, Why.SILENCE)]  # fmt: skip
    assert (track.fires.stamps.tolist(), track.velocities.values.tolist()) == ([0, 1, 6], [90, 91, 20])


@pytest.mark.parametrize(
    ("rules", "notes", "gate"),
    [
        # Derived by hand: a gap of 10 ms at each press while the gate is up; 0.5 s a quarter of 480 ticks.
        (0.01, [(60, 0, 480), (62, 240, 720)], [(0, 5), (0.25, 0), (0.26, 5), (0.75, 0)]),
        (0.0, [(60, 0, 480), (62, 240, 720)], [(0, 5), (0.75, 0)]),
        (0.01, [(60, 0, 240), (60, 240, 480)], [(0, 5), (0.25, 0), (0.26, 5), (0.5, 0)]),
        (0.01, [(60, 0, 240), (60, 480, 720)], [(0, 5), (0.25, 0), (0.5, 5), (0.75, 0)]),
        (0.4, [(60, 0, 240), (62, 120, 240)], [(0, 5), (0.125, 0)]),
    ],
)
def test_a_gap_lets_an_envelope_begin_again(rules, notes, gate):
    events = sorted([(on, True, n) for n, on, _ in notes] + [(off, False, n) for n, _, off in notes])
    track, before = [], 0
    for tick, is_on, number in events:
        track.append(note(is_on, number, tick - before))
        before = tick
    found = render_song(song(track), ConverterSetting(gap_seconds=rules)).signal("gate").steps
    assert (found.seconds.tolist(), found.volts.tolist()) == (pytest.approx([t for t, _ in gate]), [v for _, v in gate])


# -- several voices -------------------------------------------------------------------------------

# (rules, presses + and releases - in turn, what each voice sounds afterwards), by hand.
SEVERAL = [
    (VoiceRules(3), "+60 +64 +67", [60, 64, 67]),
    (VoiceRules(3), "+60 -60 +64 -64 +67", [None, None, 67]),
    (VoiceRules(3, allocation="lowest"), "+60 -60 +64 -64 +67", [67, None, None]),
    (VoiceRules(3, allocation="reuse"), "+60 +64 -60 -64 +64 +60", [60, 64, None]),
    (VoiceRules(2), "+60 +64 +67", [67, 64]),
    (VoiceRules(2), "+60 +64 +67 -67", [60, 64]),
    (VoiceRules(2, "first"), "+60 +64 +67", [60, 64]),
    (VoiceRules(2, "first"), "+60 +64 +67 -60", [67, 64]),
    (VoiceRules(2, "low"), "+60 +64 +50", [60, 50]),
    (VoiceRules(2, "high"), "+60 +64 +50 +70", [70, 64]),
    (VoiceRules(8), "+1 +2 +3 +4 +5 +6 +7 +8 +9", [9, 2, 3, 4, 5, 6, 7, 8]),
]


@pytest.mark.parametrize(("rules", "keys", "sounds"), SEVERAL)
def test_several_voices_sound_the_keys_that_count(rules, keys, sounds):
    made = voices_for(rules)
    for stamp, key in enumerate(keys.split()):
        if key[0] == "+":
            made.press(stamp, int(key[1:]), 100)
        else:
            made.release(stamp, int(key[1:]))
    assert made.sounding == sounds


@settings(max_examples=150, deadline=None)
@given(
    count=st.integers(2, 8),
    priority=st.sampled_from(["last", "low", "high", "first"]),
    allocation=st.sampled_from(["rotate", "reuse", "lowest"]),
    data=st.lists(MESSAGES, max_size=60),
)
def test_voices_never_sound_a_key_twice_or_one_that_is_up_and_nothing_hangs(count, priority, allocation, data):
    made, keys = voices_for(VoiceRules(count, priority, allocation)), set()
    for stamp, (kind, first, second) in enumerate(data):
        if kind == 0x90 and second:
            made.press(stamp, first, second)
            keys.add(first)
        elif kind in (0x80, 0x90):
            made.release(stamp, first)
        elif first == 64:
            made.hold(stamp, second >= 64)
        elif first == 120:
            made.silence(stamp)
        sounding = [one for one in made.sounding if one is not None]
        assert len(set(sounding)) == len(sounding) == min(count, len(made.keys))
        assert set(sounding) <= set(made.keys) <= keys
        for track, sounds in zip(made.tracks, made.sounding, strict=True):
            ups = track.gates.values
            assert not ups.size or (ups[0] == 1 and np.all(np.diff(ups) != 0) and bool(ups[-1]) == (sounds is not None))
    made.hold(1000, False)
    made.release_all(1001)
    assert made.sounding == [None] * count


# -- wheel, range, wire, clocks ---------------------------------------------------------------------


@pytest.mark.parametrize("case", [one for one in TIMING if "semitones" in one["expect"]], ids=lambda one: one["id"])
def test_the_wheel_bends_by_the_standards_fourteen_bits(case):
    wanted, value = case["expect"]["semitones"], case["given"]["value"]
    track = [control(101, 0), control(100, 0), control(6, case["given"]["range_semitones"]),
             mido.Message("pitchwheel", pitch=value - 8192), note(True, 60, 10), note(False, 60, 10)]  # fmt: skip
    pitch = render_song(song(track), ConverterSetting(bend_into_pitch=True)).signal("pitch").steps
    assert pitch.at(np.array([0.02]))[0] == pytest.approx((60 - 36 + wanted) / 12.0, rel=1e-9)


def test_a_bend_range_is_set_by_its_parameter_alone():
    """MIDI 1.0 and RP-018 (a cent by 96 and 97), from memory."""
    made = BendRange(2.0)
    steps_of = [(6, 5, 2.0), (101, 0, 2.0), (100, 0, 2.0), (6, 12, 12.0), (38, 50, 12.5), (96, 0, 12.51), (97, 0, 12.5),
                (6, 7, 7.0), (100, 1, 7.0), (6, 3, 7.0), (100, 0, 7.0), (99, 1, 7.0), (6, 4, 7.0), (101, 127, 7.0)]  # fmt: skip
    for controller, value, semitones in steps_of:
        made.control(controller, value)
        assert made.semitones == pytest.approx(semitones), (controller, value)
    track = [control(101, 0), control(100, 0), control(121, 0), control(6, 12), note(True, 60), note(False, 60, 9)]
    assert render_song(song(track), ConverterSetting()).performance.bend.semitones.values.size == 0


def test_the_wire_delays_by_its_bytes():
    """Oracle: MIDI 1.0, 320 µs a byte; a chord of ten notes comes apart."""
    for case in TIMING:
        if "notes" in case["given"]:
            bytes_each = [2 if case["given"]["running_status"] and k else 3 for k in range(case["given"]["notes"])]
            came = wire_delayed(np.zeros(10), np.array(bytes_each))
            assert came[-1] == pytest.approx(case["expect"]["seconds"], rel=1e-9)
    assert wire_delayed(np.array([0.0, 1.0]), np.array([3, 3])) == pytest.approx([0.00096, 1.00096])


@pytest.mark.parametrize("per_quarter", [1, 2, 3, 4, 24, 48])
def test_clocks_follow_the_tempo_and_keep_their_count(per_quarter):
    """Against mido's reading of the same tempo map; nine quarter notes."""
    tempos = [
        mido.MetaMessage("set_tempo", tempo=t, time=d) for t, d in ((400_000, 0), (1_000_000, 960), (250_000, 700))
    ]
    end = mido.MetaMessage("end_of_track", time=9 * 480 - 1660)
    made = song([*tempos, note(True, 60), note(False, 60), end])
    pulses = clock_pulses(made.tempo, made.end_tick, per_quarter)
    assert pulses.rises_seconds.size == 9 * per_quarter
    known = mido.tick2second(960, 480, 400_000) + mido.tick2second(700, 480, 1_000_000)
    known += mido.tick2second(9 * 480 - 1660, 480, 250_000)
    assert made.end_seconds == pytest.approx(known, rel=1e-12)
    assert np.all(pulses.falls_seconds - pulses.rises_seconds <= 0.005 + 1e-12)
    swung = clock_pulses(made.tempo, made.end_tick, per_quarter, swing=2 / 3)
    assert swung.rises_seconds[::2] == pytest.approx(pulses.rises_seconds[::2])
    assert swung.rises_seconds[1] == pytest.approx(4 / 3 * pulses.rises_seconds[1])
    with pytest.raises(InputError, match="pulses a quarter"):
        clock_pulses(made.tempo, made.end_tick, 0.0)
    with pytest.raises(InputError, match="at most"):
        clock_pulses(made.tempo, 1e9, 960.0)
    with pytest.raises(InputError, match="swing"):
        clock_pulses(made.tempo, 10, 1.0, swing=1.5)


def test_steps_have_one_value_at_an_instant_and_pulses_restart():
    made = steps(np.array([0.0, 1.0, 1.0, 2.0, 2.0]), np.array([1.0, 5.0, 1.0, 7.0, 8.0]), 0.0)
    assert (made.seconds.tolist(), made.volts.tolist()) == ([0.0, 2.0], [1.0, 8.0])
    assert fired(np.array([0.0, 0.004, 0.009, 0.02]), 0.005).falls_seconds == pytest.approx([0.014, 0.025])
    assert fired(np.zeros(0), 0.005).spans == []
    with pytest.raises(InputError, match="above 0"):
        fired(np.zeros(1), 0.0)
    up = pulse_steps(Pulses(np.array([1.0]), np.array([math.inf])), Level(0.0, 3.0))
    assert up.at(np.array([0.5, 5.0])).tolist() == [0.0, 3.0]


# -- files ----------------------------------------------------------------------------------------


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, 70_000), st.integers(0, 15), MESSAGES), min_size=1, max_size=30), st.booleans()
)
def test_songs_are_read_as_an_independent_reader_reads_them(data, running):
    tracks = [[], []]
    for k, (delta, channel, message) in enumerate(data):
        raw = bytes([message[0] | channel, message[1], message[2]])
        tracks[k % 2].append(mido.Message.from_bytes(raw, time=delta))
        tracks[k % 2].append(mido.Message("program_change", program=3, channel=channel))
    made = song(*tracks)
    merged, tick, wanted = mido.merge_tracks([mido.MidiTrack(one) for one in tracks]), 0, []
    for message in merged:
        tick += message.time
        if not message.is_meta:
            wanted.append((tick, *(*message.bytes(), 0)[:3]))
    got = zip(
        made.ticks.tolist(), made.statuses.tolist(), made.first_bytes.tolist(), made.second_bytes.tolist(), strict=True
    )
    assert sorted(got) == sorted(wanted)
    assert made.ticks.tolist() == sorted(made.ticks.tolist())


HEAD = b"MThd\0\0\0\6\0\1\0\1\1\xe0"


def chunk(body: bytes) -> bytes:
    return b"MTrk" + len(body).to_bytes(4, "big") + body


@pytest.mark.parametrize(
    ("data", "why"),
    [
        (b"", "does not begin with MThd"),
        (HEAD, "has no track"),
        (b"MThd\0\0\0\6\0\3\0\1\1\xe0", "format 3"),
        (b"MThd\0\0\0\6\0\1\0\1\0\0" + chunk(b"\0\xff\x2f\0"), "0 ticks"),
        (b"MThd\0\0\0\6\0\1\0\1\x81\x28" + chunk(b"\0\xff\x2f\0"), "division is 0x8128"),
        (b"MThd\0\0\0\6\0\2\0\1\1\xe0" + chunk(b"\0\xff\x2f\0"), "songs of their own"),
        (HEAD + chunk(b"\0\x90\x3c\x40")[:-1], "breaks off at byte 25 of 26"),
        (HEAD + chunk(b"\0\x90\x3c"), "middle of a message"),
        (HEAD + chunk(b"\0\x3c\x40"), "stands without a message before it"),
        (HEAD + chunk(b"\0\xf2\x01\x02"), "0xF2 is no event"),
        (HEAD + chunk(b"\xff\xff\xff\xff\x7f\x90\x3c\x40"), "more than four bytes"),
        (HEAD + chunk(b"\0\xf0\xff\xff\xff\xff\x01"), "more than four bytes"),
        (HEAD + chunk(b"\0\xff\x01\x05abc"), "middle of a message"),
        (HEAD + chunk(b"\0\x90\x3c\xff\0\xff\x2f\0"), "above 127"),
        (HEAD + chunk(b"\xff\xff\xff\x7f\x90\x3c\x40"), "hours long"),
    ],
)
def test_damaged_songs_are_refused_with_what_was_found(data, why):
    with pytest.raises(InputError, match=why) as told:
        song_of(data, "song.mid")
    assert str(told.value).startswith("song.mid: ")


def test_frames_tempos_of_nothing_and_foreign_chunks():
    """RP-001: 25 frames of 40 ticks are milliseconds; a quarter counts half a second then.  More tracks than the header
    says are read; a chunk of another kind is passed over, and so is what stands behind a track's end."""
    body = b"\0\x90\x3c\x40\x87\x68\x80\x3c\0\0\xff\x2f\0junk"
    made = song_of(b"MThd\0\0\0\6\0\1\0\1\xe7\x28" + b"XXXX\0\0\0\2ab" + chunk(body) + chunk(b"\0\xff\x2f\0"), "s")
    assert (made.end_seconds, made.tempo.quarter_ticks, len(made.names)) == (pytest.approx(1.0), 500.0, 2)
    with pytest.raises(InputError, match="tracks 1 to 2"):
        song_of(b"MThd\0\0\0\6\0\1\0\1\xe7\x28" + chunk(body) * 2, "s", 3)
    assert tempo_map([(10, 1.0), (10, 0.25), (0, 2.0)], 1.0).seconds_at([0.0, 10.0, 12.0]).tolist() == [0.0, 20.0, 20.5]


@given(st.binary(max_size=80), st.integers(0, 3))
@settings(max_examples=200, deadline=None)
def test_whatever_stands_in_a_file_is_read_or_refused_and_no_gate_hangs(noise, at):
    base = HEAD + chunk(b"\0\x90\x3c\x40\x83\x60\x80\x3c\0\0\xff\x2f\0")
    for data in (noise, HEAD + noise, HEAD + chunk(noise), base[: 22 + at] + noise + base[22 + at :]):
        try:
            made = song_of(data, "noise")
            rendered = render_song(made, ConverterSetting(channel=None))
        except InputError:
            continue
        assert rendered.seconds >= made.end_seconds
        assert rendered.signal("trigger").steps.volts[-1] == 0.0


@pytest.mark.parametrize(
    ("samples", "step"), [("float32", 1e-7), ("pcm16", 0.5 / 2**15), ("pcm24", 0.5 / 2**23), ("pcm32", 1e-9)]
)
def test_a_wav_has_the_signals_sample_by_sample(tmp_path, samples, step, monkeypatch):
    """Read back by soundfile.  Rounded, not cut: at ± 10 V a step of 16 bits is 0.37 ct."""
    monkeypatch.setattr(wav_writer, "_BLOCK_BYTES", 4096)
    rng = np.random.default_rng(3)
    signals = []
    for _ in range(3):
        when = np.concatenate([[0.0], np.sort(rng.uniform(0.0, 0.5, 40))])
        signals.append(Steps(when, rng.uniform(-9.0, 9.0, when.size)))
    path, told = tmp_path / "cv.wav", []
    write_wav(
        path,
        [WavChannel(f"s{k}", one, 10.0) for k, one in enumerate(signals)],
        0.5,
        44_100,
        samples=samples,
        tell=told.append,
    )
    read, rate = soundfile.read(path, always_2d=True)
    assert (read.shape, rate, told[-1]) == ((22_051, 3), 44_100, 1.0)
    index = np.arange(22_051)
    for k, one in enumerate(signals):
        expected = one.volts[np.searchsorted(sample_indices(one.seconds, 44_100), index, side="right") - 1] / 10.0
        assert np.max(np.abs(read[:, k] - expected)) <= step


def test_no_edge_falls_between_two_samples_and_large_files_are_rf64(tmp_path, monkeypatch):
    assert sample_indices(np.array([0.0, 0.00001, 0.00002, 1.0]), 1000.0).tolist() == [0, 1, 2, 1000]
    monkeypatch.setattr(wav_writer, "_MOST_32_BITS", 500)
    one = WavChannel("gate", Steps(np.array([0.0, 0.5]), np.array([5.0, 0.0])), 10.0)
    write_wav(tmp_path / "long.wav", [one], 1.0, 1000)
    assert (tmp_path / "long.wav").read_bytes()[:4] == b"RF64"
    with pytest.raises(InputError, match="free on that disk"):
        write_wav(tmp_path / "huge.wav", [one], 1e9, 768_000)
    scales = [
        ([WavChannel("x", one.signal, volts)], 1000, "full scale") for volts in (0.0, -4.0, 1e-40, np.inf, np.nan)
    ]
    for channels, rate, reason in [([one], 10, "samples a second"), ([], 1000, "0 channels"), *scales]:
        with pytest.raises(InputError, match=reason):
            write_wav(tmp_path / "bad.wav", channels, 1.0, rate)


def test_signals_keep_their_channels_and_new_ones_take_the_lowest_free():
    kept = {"b": (1, 5.0), "c": (0, 10.0), "gone": (2, 1.0)}
    assert channel_map(["a", "b", "c", "d"], kept) == {"a": (2, 10.0), "b": (1, 5.0), "c": (0, 10.0), "d": (3, 10.0)}


def test_the_ds64_chunk_is_read_by_another_reader(tmp_path, monkeypatch):
    """A header of 6 GiB, as soundfile's library reads RF64: its sizes stand in ds64."""
    header = wav_writer._header(200_000_000, 8, 48_000, "float32")
    assert header[:4] == b"RF64"
    path = tmp_path / "sparse.wav"
    with path.open("wb") as file:
        file.write(header)
        file.truncate(len(header) + 200_000_000 * 32)
    assert (soundfile.info(path).frames, soundfile.info(path).channels) == (200_000_000, 8)


# -- generators -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("kind", "turns", "shares"),
    [
        ("sine", [0.0, 0.25, 0.5, 1.0], [0.0, 0.5, 1.0, 0.0]),
        ("triangle", [0.0, 0.25, 0.5, 0.75], [0.0, 0.5, 1.0, 0.5]),
        ("ramp", [0.0, 0.25, 0.999, 1.5], [0.0, 0.25, 0.999, 0.5]),
        ("clock", [0.0, 0.49, 0.5, 1.0], [1.0, 1.0, 0.0, 1.0]),
        ("offset", [0.0, 7.7], [1.0, 1.0]),
        ("envelope", [0.0, 0.05, 0.1, 0.45, 0.6, 1.0], [0.0, 0.5, 1.0, 0.6, 0.6, 0.0]),
    ],
)
def test_a_generator_has_its_shape(kind, turns, shares):
    made = Generator(kind, -1.0, 3.0, 2.0)
    assert made.at(np.array(turns) / 2.0) == pytest.approx(-1.0 + 4.0 * np.array(shares))
    assert made.most_volts == 3.0


def test_stepped_random_is_the_same_for_its_seed_and_stands_between_steps():
    one, two = Generator("random", 0.0, 5.0, 4.0, 7), Generator("random", 0.0, 5.0, 4.0, 8)
    instants = np.arange(0.0, 100.0, 0.01)
    volts = one.at(instants)
    assert np.array_equal(volts, one.at(instants))
    assert not np.array_equal(volts, two.at(instants))
    assert np.unique(volts).size == 400
    assert 2.2 < volts.mean() < 2.8  # the mean of an even spread is 2.5, its deviation 1.44/20
    for hertz, reason in ((0.0, "Hz"), (1e6, "Hz")):
        with pytest.raises(InputError, match=reason):
            Generator("sine", 0.0, 1.0, hertz)
    with pytest.raises(InputError, match="numbers"):
        Generator("sine", 0.0, math.inf)


@pytest.mark.parametrize(
    ("setting", "signal", "seconds", "said"),
    [
        ({"gap_seconds": 0.01}, "gate", 0.25, "60 C4 pressed, velocity 80 (90 3C 50) while it is up; it goes down for the gap."),
        ({"gap_seconds": 0.01}, "gate", 0.26, "the gap is over."),
        ({}, "gate", 2.0, "48 C3 let go (80 30 40), and no other key is held."),
        ({}, "pitch", 0.25, "60 C4 pressed, velocity 80 (90 3C 50); it sounds."),
        ({}, "pitch", 0.45, "60 C4 let go (80 3C 40); 48 C3 is still held and takes over."),
        ({}, "trigger", 0.255, "its length is over."),
        ({}, "velocity", 0.25, "60 C4 pressed, velocity 80 (90 3C 50)."),
        ({}, "clock1", 0.5, "a pulse of 1 a quarter note."),
        ({}, "clock1", 0.505, "its pulse ends."),
        ({"rules": VoiceRules(1, fires_on="new-pitch")}, "trigger", 0.45,
         "60 C4 let go (80 3C 40); another key takes over, and each new pitch fires."),
    ],
)  # fmt: skip
def test_each_edge_has_its_reason(setting, signal, seconds, said):
    """The phrase of a held bass, at 120 a minute."""
    rendered = render_song(phrases()[2].song, ConverterSetting(**setting))
    one = rendered.signal(signal)
    assert nearest_edge(one, seconds) == pytest.approx(seconds)
    told = why(rendered, one, nearest_edge(one, seconds), Style()).replace("\u00a0", " ")
    assert told == f"{signal} at {seconds:.4f} s: {said}"


def test_messages_have_words_and_bytes():
    """Names of MIDI 1.0, Table III; from memory."""
    for message, words in (
        ((0x90, 60, 0), "60 C4 let go, as a press of velocity 0"), ((0xA3, 60, 7), "pressure 7 on 60 C4"), ((0xC0, 4, 0), "program 5"),
        ((0xD0, 9, 0), "pressure 9"), ((0xE0, 0, 0x40), "wheel at 0 of 8192"), ((0xE0, 0, 0), "wheel at −8192 of 8192"),
        ((0xB0, 64, 64), "pedal down"), ((0xB0, 64, 63), "pedal up"), ((0xB0, 123, 0), "all notes off"),
        ((0xB0, 1, 5), "modulation 5"), ((0xB0, 85, 5), "controller 85 5"),
    ):  # fmt: skip
        assert message_words(*message, Style()).replace("\u00a0", " ") == words
    assert (message_bytes(0x93, 0x3C, 0x64), message_bytes(0xC0, 4, 0)) == ("93 3C 64", "C0 04")


@pytest.mark.parametrize(
    ("phrase", "setting", "found"),
    [
        (0, {}, []),
        (1, {}, ["legato"]),
        (2, {"rules": VoiceRules(1, "low")}, ["double-trigger"]),
        (2, {"rules": VoiceRules(1, "low", fires_on="new-pitch")}, []),
        (2, {"trigger_seconds": 0.3}, ["swallowed-trigger", "legato"]),
        (6, {"rules": VoiceRules(4)}, []),
        (6, {"gap_seconds": 0.01}, ["swallowed-trigger"]),
    ],
)
def test_what_is_found_in_a_phrase(phrase, setting, found):
    rendered = render_song(phrases()[phrase].song, ConverterSetting(**setting))
    assert [one.code for one in find_in(rendered, Style())] == found


def test_a_note_that_nobody_lets_go_is_found():
    rendered = render_song(song([note(True, 60, 10), note(True, 64, 10), note(False, 60, 10)]), ConverterSetting())
    assert [(one.code, one.text.split()[1]) for one in find_in(rendered, Style())][-1][0] == "hangs"


# -- one channel a voice --------------------------------------------------------------------------


def on(number, channel, time=0):
    return note(True, number, time, 100, channel - 1)


def off(number, channel, time=0):
    return note(False, number, time, 100, channel - 1)


def wheel(pitch, channel, time=0):
    return mido.Message("pitchwheel", pitch=pitch, channel=channel - 1, time=time)


def parameter(number, value, channel):
    return [
        mido.Message("control_change", control=c, value=v, channel=channel - 1)
        for c, v in ((101, 0), (100, number), (6, value))
    ]


def test_each_key_of_a_zone_has_a_voice_a_wheel_a_pressure_and_a_timbre_of_its_own():
    """MPE 1.0 (from memory): members reach ± 48 semitones, the master ± 2; a quarter of the wheel up is 12 semitones."""
    track = [on(60, 2), on(64, 3), wheel(2048, 2, 480), wheel(4096, 1, 480), off(60, 2, 480), off(64, 3)]
    track[2:2] = [
        mido.Message("aftertouch", value=127, channel=1),
        mido.Message("control_change", control=74, value=0, channel=2),
    ]
    rendered = render_song(song(track), ConverterSetting(zone="lower", bend_into_pitch=True, clocks=()))
    at = lambda name, when: float(rendered.signal(name).steps.at(np.array([when]))[0])  # noqa: E731
    for name, when, note_played in (
        ("pitch1", 0.1, 60),
        ("pitch1", 0.6, 72),
        ("pitch1", 1.1, 73),
        ("pitch2", 0.6, 64),
        ("pitch2", 1.1, 65),
    ):
        assert at(name, when) == pytest.approx((note_played - 36) / 12.0), (name, when)
    assert [at("pressure1", 0.1), at("pressure2", 0.1), at("timbre2", 0.1)] == [5.0, 0.0, 0.0]
    assert at("timbre1", 0.1) == pytest.approx(5.0 * 64 / 127)
    assert [at("gate1", 1.6), at("gate2", 1.4)] == [0.0, 5.0]
    assert rendered.performance.notes == 2
    for name, when, told in (  # each its own, of several messages of an instant
        ("pressure1", 0.0, "pressure 127 (D1 7F)."),
        ("timbre2", 0.0, "brightness 0 (B2 4A 00)."),
        ("pitch1", 0.0, "60 C4 pressed, velocity 100 (91 3C 64); it sounds."),
        ("pitch1", 0.5, "wheel at +2048 of 8192 (E1 00 50)."),
        ("pitch2", 1.0, "wheel at +4096 of 8192 (E0 00 60)."),
    ):
        said = why(rendered, rendered.signal(name), when, Style()).replace("\u00a0", " ")
        assert said == f"{name} at {when:.4f} s: {told}"
    reach = render_song(
        song([on(60, 1), wheel(8191, 1, 240), *parameter(0, 12, 1)]), ConverterSetting(bend_into_pitch=True)
    )
    assert "data entry 12 (B0 06 0C); the wheel's range is another." in why(reach, reach.signal("pitch"), 0.25, Style())


@pytest.mark.parametrize(
    ("messages", "zone", "members"),
    [
        ([], "lower", tuple(range(2, 17))),
        ([], "upper", tuple(range(15, 0, -1))),
        (parameter(6, 4, 1), "lower", (2, 3, 4, 5)),
        (parameter(6, 3, 16), "upper", (15, 14, 13)),
        (parameter(6, 4, 16), "lower", tuple(range(2, 17))),
        (parameter(6, 4, 1) + parameter(6, 2, 1), "lower", (2, 3)),
        ([*parameter(0, 5, 1)], "lower", tuple(range(2, 17))),
    ],
)
def test_a_zone_has_the_channels_that_its_master_says(messages, zone, members):
    made = song([*messages, on(60, 2), off(60, 2, 10)])
    assert zone_of(made, zone).members == members


def test_ranges_pedals_and_what_no_voice_is_left_for():
    track = [*parameter(0, 12, 3), on(60, 2), wheel(-8192, 2), mido.Message("control_change", control=64, value=127, channel=0),
             off(60, 2, 480), mido.Message("control_change", control=64, value=0, channel=0, time=480)]  # fmt: skip
    rendered = render_song(song(track), ConverterSetting(zone="lower", bend_into_pitch=True))
    assert rendered.signal("pitch1").steps.volts[-1] == pytest.approx(
        1.0
    )  # 60 less the 12 that any member sets for all
    assert rendered.signal("gate1").steps.seconds[-1] == pytest.approx(1.0)  # the master's pedal
    many = [on(50 + k, 2 + k) for k in range(10)] + [off(50 + k, 2 + k, 10) for k in range(10)]
    crowded = render_song(song(many), ConverterSetting(zone="lower"))
    assert (len(crowded.performance.tracks), crowded.performance.unplayed) == (8, 2)
    assert "no-voice" in [one.code for one in find_in(crowded, Style())]
    with pytest.raises(InputError, match="no note on the channels of the upper zone, 15 to 1"):
        render_song(song([on(60, 16), off(60, 16, 9)]), ConverterSetting(zone="upper"))
    with pytest.raises(InputError, match="switched the lower zone off"):
        render_song(song([*parameter(6, 0, 1), on(60, 2), off(60, 2, 9)]), ConverterSetting(zone="lower"))


def test_a_cable_delays_and_a_reset_comes_ahead_of_the_first_clock():
    """320 µs a byte: a clock's first, then three for the first of a chord, two for each that runs on its status."""
    chord = [note(True, 60), note(True, 64), note(True, 67), note(False, 60, 480), note(False, 64), note(False, 67)]
    rendered = render_song(song(chord), ConverterSetting(by_cable=True, transport=True, reset_leads_seconds=0.002))
    assert rendered.message_seconds[:3] == pytest.approx([0.00128, 0.00192, 0.00256])
    bare = render_song(song(chord), ConverterSetting(by_cable=True, clocks=()))
    assert bare.message_seconds[:3] == pytest.approx([0.00096, 0.0016, 0.00224])
    late = next(one for one in find_in(rendered, Style()) if one.code == "late")
    assert "2.56 ms" in late.text.replace("\u00a0", " ")
    assert "Its clocks come 320 µs late, all alike." in late.text.replace("\u00a0", " ")
    two = [note(True, 60, 19), note(True, 64), note(False, 60, 400)]
    between = render_song(song(two), ConverterSetting(by_cable=True))
    told = next(one.text for one in find_in(between, Style()) if one.code == "late").replace("\u00a0", " ")
    # 19 of 480 ticks a half second are 19.792 ms; the clock at 20.833 ms meets the fourth byte, which is over at 21.072.
    assert "Its clocks come 320 µs late to 558 µs, unevenly." in told
    assert rendered.signal("clock1").steps.seconds[1] == pytest.approx(0.00232)
    # Three bytes under way from 20.0 ms on: a clock handed over at 20.5 ms goes out behind the second of them, and the
    # message is that much later; one at 50 ms meets nothing.
    messages, clocks = wire_shared(np.array([0.02]), np.array([3]), np.array([0.0205, 0.05]))
    assert messages.tolist() == [pytest.approx(0.02096 + 0.00032)]
    assert clocks.tolist() == pytest.approx([0.02064 + 0.00032, 0.05032])
    reset = rendered.signal("reset")
    assert (reset.steps.seconds.tolist(), reset.rises_at(0.0)) == ([0.0, pytest.approx(0.005)], True)
    assert "goes back to its first step" in why(rendered, reset, 0.0, Style())
    assert rendered.signal("run").steps.seconds.tolist() == [0.0, pytest.approx(0.5)]
    with pytest.raises(InputError, match="ahead"):
        ConverterSetting(reset_leads_seconds=2.0)
