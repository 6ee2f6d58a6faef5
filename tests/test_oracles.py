"""Check values computed apart from this code, each with its source in its file; asked through the command line.

The files hold `{"topic", "about", "cases"}`; a case has `args` and `expect`: the exit status, what the JSON on
standard output holds (`within` gives the error allowed by key, 1e-9 of the larger of 1 and the number where
nothing is said), or what the one line on standard error names.
"""

from __future__ import annotations

import json
import math
import shutil
from pathlib import Path

import pytest
import soundfile
from tests.tuner.sounds import recorded

FOLDER = Path(__file__).parent / "oracles"


def cases(*topics: str):
    for topic in topics:
        for case in json.loads((FOLDER / f"{topic}.json").read_text())["cases"]:
            if "args" in case:
                yield pytest.param(case, id=f"{topic}/{case['id']}")


def differences(wanted, got, within, key="") -> list[str]:
    """Where an answer differs from what a case expects."""
    if isinstance(wanted, dict):
        special = _special(wanted, got, within, key)
        if special is not None:
            return [] if special else [f"{key}: {got!r} is not {wanted!r}"]
        found = []
        for name, value in wanted.items():
            if name not in got:
                found.append(f"{name} is missing")
            else:
                found += differences(value, got[name], within, name)
        return found
    if isinstance(wanted, list):
        if len(wanted) != len(got):
            return [f"{key}: {len(got)} entries, {len(wanted)} expected"]
        return [text for w, g in zip(wanted, got, strict=True) for text in differences(w, g, within, key)]
    if wanted is None or isinstance(wanted, bool | str):
        return [] if wanted == got else [f"{key}: {got!r}, {wanted!r} expected"]
    allowed = within.get(key, 1e-9 * max(1.0, abs(wanted)))
    if isinstance(allowed, dict):
        allowed = max(allowed.get("rel", 0.0) * abs(wanted), allowed.get("abs", 0.0))
    fine = isinstance(got, int | float) and abs(got - wanted) <= allowed
    return [] if fine else [f"{key}: {got!r}, {wanted!r} ± {allowed} expected"]


def _special(wanted, got, within, key):
    if "one_of" in wanted:
        return any(not differences(one, got, within, key) for one in wanted["one_of"])
    if "between" in wanted:
        return isinstance(got, int | float) and wanted["between"][0] <= got <= wanted["between"][1]
    if "size" in wanted:
        return abs(abs(got) - wanted["size"]) <= wanted["tol"]
    if "some" in wanted:
        return bool(got)
    return None


@pytest.mark.parametrize(
    "case", list(cases("equal-temperament", "pitch-laws", "dac", "fit", "gates", "scala", "errors"))
)
def test_the_command_line_agrees(case, dynamis, tmp_path):
    for name, text in case.get("files", {}).items():
        (tmp_path / name).write_bytes(text.encode() if isinstance(text, str) else bytes.fromhex(text["hex"]))
    answer = dynamis(*(argument.replace("{dir}", str(tmp_path)) for argument in case["args"]))

    expected = case["expect"]
    allowed = expected["exit"] if isinstance(expected["exit"], list) else [expected["exit"]]
    assert answer.status in allowed, answer.err
    if "json" in expected:
        assert differences(expected["json"], answer.json, case.get("within", {})) == []
    if "stderr_names" in expected:
        assert answer.err.count("\n") == 1
        assert answer.out == ""
        for group in expected["stderr_names"]:
            assert any(word.lower() in answer.err.lower() for word in group), answer.err


@pytest.mark.skipif(shutil.which("sox") is None, reason="sox is not installed")
@pytest.mark.parametrize("case", list(cases("tune")))
def test_the_tuner_hears_what_sox_plays(case, dynamis, tmp_path):
    """Within the error allowed, and within four standard uncertainties and 0.02 ct besides."""
    recorded(case["given"], tmp_path / "recording.wav")
    answer = dynamis(*(argument.replace("{dir}", str(tmp_path)) for argument in case["args"]))
    expected = case["expect"]
    assert answer.status == expected["exit"], answer.err
    if "json" not in expected:
        return
    assert differences(expected["json"], answer.json, {**case["within"], "hertz": {"rel": 3e-4}}) == []
    for wanted, tone in zip(expected["json"]["tones"], answer.json["tones"], strict=True):
        off = 1200.0 * math.log2(tone["hertz"] / wanted["hertz"])
        assert abs(off) <= 4.0 * tone["uncertainty_cents"] + 0.02


def risen(rows):
    """When a pulse rises, from rows of seconds and volts."""
    low = min(volts for _, volts in rows)
    return [seconds for seconds, volts in rows if volts > low]


def as_listed(rows, wanted):
    """Whether steps are those wanted: 1 ms and 2 µV."""
    if isinstance(wanted, dict):
        return any(as_listed(rows, one) for one in wanted["one_of"])
    return len(rows) == len(wanted) and all(
        abs(got[0] - want[0]) < 1e-3 and abs(got[1] - want[1]) < 2e-6 for got, want in zip(rows, wanted, strict=True)
    )


@pytest.mark.parametrize("case", list(cases("render")))
def test_a_song_becomes_the_voltages_that_were_written_out_by_hand(case, dynamis, tmp_path):
    (tmp_path / "song.mid").write_bytes(bytes.fromhex(case["files"]["song.mid"]["hex"]))
    answer = dynamis(*(argument.replace("{dir}", str(tmp_path)) for argument in case["args"]))
    expected = case["expect"]
    assert answer.status == expected["exit"], answer.err
    if "stderr_names" in expected:
        assert all(any(word in answer.err for word in group) for group in expected["stderr_names"])
        assert sorted(one.name for one in tmp_path.iterdir()) == ["song.mid"]
        return
    signals = {}
    for line in (tmp_path / "events.csv").read_text().splitlines()[1:]:
        seconds, name, volts = line.split(",")
        signals.setdefault(name, []).append((float(seconds), float(volts)))
    for name in ("pitch", "gate", "velocity", "bend", "mod"):
        assert as_listed(signals[name], expected[f"{name}_volts"]), (name, signals[name])
    rises = {"trigger": expected["trigger_rise_seconds"]}
    rises |= {f"clock{per}": times for per, times in expected["clock_rise_seconds"].items()}
    for name, wanted in rises.items():
        assert risen(signals[name]) == pytest.approx(wanted, abs=1e-3), name
    told = answer.json
    assert told["seconds"] == pytest.approx(expected["end_seconds"], abs=1e-3)
    assert (told["notes"], told["over_full_scale"]) == (expected["notes"], expected["over_full_scale"])
    assert [one["signal"] for one in told["channels"]] == list(signals)
    samples, rate = soundfile.read(tmp_path / "cv.wav", always_2d=True)
    assert samples.shape == (math.ceil(told["seconds"] * rate - 1e-6) + 1, len(signals))
    for channel in told["channels"]:
        rows = signals[channel["signal"]]
        for k, (seconds, volts) in enumerate(rows):
            until = rows[k + 1][0] if k + 1 < len(rows) else told["seconds"]
            middle = samples[int((seconds + until) / 2 * rate), channel["index"]]
            assert middle * channel["full_scale_volts"] == pytest.approx(volts, abs=1e-6 * channel["full_scale_volts"])


def test_a_wrong_answer_would_be_noticed():
    assert differences({"rows": [{"hertz": 440.0}]}, {"rows": [{"hertz": 440.1}]}, {}) != []
    assert differences({"verdict": "within"}, {"verdict": "cannot-tell"}, {}) != []
