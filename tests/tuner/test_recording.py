"""Recordings as files: which channel is heard, what is no recording, and what the command says of it."""

from __future__ import annotations

import os

import numpy as np
import pytest
import soundfile
from tests.tuner.sounds import SINE, tone

from dynamis.errors import InputError
from dynamis.files.recording import read_recording

RATE = 8000


def written(path, *channels, subtype="PCM_16"):
    soundfile.write(path, np.stack(channels, axis=1), RATE, subtype=subtype)
    return path


def test_the_channel_that_moves_most_is_heard_not_the_one_that_stands_highest(tmp_path):
    chance = np.random.default_rng(1)
    low, high = tone(220.0, 1.0, SINE, chance, RATE), tone(330.0, 1.0, SINE, chance, RATE)
    path = written(tmp_path / "two.wav", 0.9 + 0.1 * low, 0.5 * high)
    assert [read_recording(path, k).index for k in (None, 0, 1)] == [1, 0, 1]
    assert read_recording(path).samples == pytest.approx(0.5 * high, abs=1e-4)
    assert read_recording(written(tmp_path / "same.wav", low, low)).index == 0


def test_the_command_tells_the_tones_for_people_and_for_programs(dynamis, tmp_path):
    chance = np.random.default_rng(2)
    path = written(tmp_path / "a.wav", tone(440.0, 1.0, SINE, chance, RATE))
    told = dynamis("tune", path)
    assert told.status == 0
    assert "69 A4" in told.out
    flat = dynamis("tune", path, "--a4", "444", "--sample-clock-ppm", "100", "--json").json["tones"][0]
    assert flat["hertz"] == pytest.approx(440.0 * 1.0001, rel=1e-6)
    assert flat["cents"] == pytest.approx(1200.0 * np.log2(440.044 / 444.0), abs=1e-2)
    assert (flat["note"], flat["name"]) == (69, "A4")
    assert dynamis("tune", path, "--middle-c", "C3", "--json").json["tones"][0]["name"] == "A3"
    quiet = dynamis("tune", written(tmp_path / "q.wav", np.zeros(RATE)))
    assert (quiet.status, "No steady tone" in quiet.out) == (1, True)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda path: path.write_text("note,volts\n"), "a WAV file was expected"),
        (lambda path: path.write_bytes(b""), "a WAV file was expected"),
        (lambda path: path.mkdir(), "no file that can be read"),
        (os.mkfifo, "no file that can be read"),
        (lambda path: None, "no such file"),
        (lambda path: written(path, np.array([0.1, np.nan] * RATE), subtype="FLOAT"), "are no numbers"),
        (lambda path: soundfile.write(path, np.zeros(10), 100), "4000 to 768000 were expected"),
        (lambda path: soundfile.write(path, np.zeros((10, 65)), RATE), "at most 64 are read"),
        (lambda path: soundfile.write(path, np.zeros(3601 * 4000, np.int16), 4000), "Cut it into parts"),
    ],
)
def test_what_is_no_recording_is_refused_in_a_sentence(make, words, dynamis, tmp_path):
    path = tmp_path / "r.wav"
    make(path)
    with pytest.raises(InputError, match=words):
        read_recording(path)
    answer = dynamis("tune", path, "--json")
    assert (answer.status, answer.err.count("\n"), answer.out, str(path) in answer.err) == (2, 1, "", True)


def test_options_that_cannot_be_are_refused(dynamis, tmp_path):
    path = written(tmp_path / "r.wav", np.zeros(RATE), np.zeros(RATE))
    for more, words in (
        (("--channel-index", "2"), "channels 0 to 1"),
        (("--channel-index", "-1"), "channel -1"),
        (("--channel-index", "x"), "channel-index"),
        (("--a4", "0"), "--a4"),
        (("--sample-clock-ppm", "nan"), "sample-clock-ppm"),
        (("--sample-clock-ppm", "20000"), "--sample-clock-ppm"),
    ):
        answer = dynamis("tune", path, *more, "--json")
        assert (answer.status, answer.err.count("\n"), answer.out) == (2, 1, "")
        assert words in answer.err


def test_a_recording_that_was_cut_off_gives_what_is_there(tmp_path):
    chance = np.random.default_rng(3)
    path = written(tmp_path / "cut.wav", tone(220.0, 1.0, SINE, chance, RATE))
    path.write_bytes(path.read_bytes()[:8044])
    assert 3000 < read_recording(path).samples.size <= 4000
