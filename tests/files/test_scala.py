"""Scale and keymap files: read back as written, and refused by line where they are broken.

What each number means follows the open description of the two forms (from memory); frequencies are checked in
`tests/oracles/scala.json`.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as some

from dynamis.errors import InputError
from dynamis.files.scala import keymap_text, read_keymap, read_scale, scale_text
from dynamis.pitch.scale import Keymap, Scale, ScaleTuning
from dynamis.pitch.tuning import EqualTemperament

EQUAL = Scale(tuple(k / 12.0 for k in range(1, 13)), "twelve equal")


def test_twelve_equal_steps_are_equal_temperament():
    notes = np.arange(0.0, 128.0)
    made = ScaleTuning.on_note_60(EQUAL, 442.0)
    assert made.hertz(notes) == pytest.approx(EqualTemperament(442.0).hertz(notes), rel=1e-12)
    assert made.octaves(notes, 36.0) == pytest.approx((notes - 36.0) / 12.0, abs=1e-12)
    assert np.isnan(made.hertz([60.5, math.nan])).all()
    assert made.hertz(np.zeros((2, 3))).shape == (2, 3)
    assert float(made.notes(1.0, 60.0)) == pytest.approx(
        69.0 + 12.0 * (math.log2(float(made.hertz(60.0)) / 440.0) + 1.0)
    )


@given(
    some.lists(some.floats(1.0, 2400.0), min_size=1, max_size=40),
    some.lists(some.one_of(some.none(), some.integers(-40, 40)), max_size=24),
    some.integers(0, 40),
)
def test_what_is_written_is_read_again(tmp_path_factory, cents, degrees, octave):
    folder = tmp_path_factory.mktemp("scala")
    scale, keymap = (
        Scale(tuple(one / 1200.0 for one in cents), "made"),
        Keymap(tuple(degrees), 3, 120, 55, 69, 440.5, octave),
    )
    (folder / "a.scl").write_text(scale_text(scale, "a.scl"))
    (folder / "a.kbm").write_text(keymap_text(keymap, "a.kbm"))
    again = read_scale(folder / "a.scl")
    assert again.octaves == pytest.approx(scale.octaves, abs=1e-12)
    assert again.description == "made"
    assert read_keymap(folder / "a.kbm") == keymap


KBM = "3\n0\n127\n60\n60\n261.6\n3\n0\n1\n2\n"


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("a.scl", "", "ends where the number of degrees was expected"),
        ("a.scl", "d\nmany\n", "line 2: 'many' was found; the number of degrees, a whole number, was expected"),
        ("a.scl", "d\n0\n", "line 2: 0 degrees were found; 1 to 10000"),
        ("a.scl", "d\n2\n3/2\n", "ends where degree 2 of 2 was expected"),
        ("a.scl", "! c\nd\n2\n3/2\n0/1\n", "line 5: '0/1' was found; a ratio"),
        ("a.scl", "d\n1\n3/0\n", "line 3: '3/0' was found"),
        ("a.kbm", KBM.replace("261.6", "-1"), "line 6: '-1' was found; a frequency above 0"),
        ("a.kbm", KBM.replace("127", "high"), "line 3: 'high' was found; the last note, a whole number"),
        ("a.kbm", KBM.replace("\n1\n", "\ny\n"), "line 9: 'y' was found; a degree, or x"),
        ("a.kbm", "3\n0\n", "ends where the last note was expected"),
        ("a.kbm", KBM.replace("0\n127", "90\n12"), "first note, 90, is above its last, 12"),
    ],
)
def test_a_broken_file_is_refused_by_its_line(tmp_path, name, text, words):
    (tmp_path / name).write_text(text)
    with pytest.raises(InputError) as refused:
        (read_scale if name.endswith("scl") else read_keymap)(tmp_path / name)
    assert words in str(refused.value)
    assert str(refused.value).startswith(str(tmp_path / name))


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--notes=60", "--keymap={kbm}"], "--keymap: a keymap lays a scale on the keys"),
        (["--volts=1", "--scale={scl}"], "--volts: under --scale only notes"),
        (["--notes=60.5", "--scale={scl}"], "--notes: note 60.5 is no whole note"),
        (["--notes=60", "--scale={scl}", "--keymap={black}"], "reference note, 61, is mapped to no degree"),
        (["--notes=60", "--scale={scl}", "--keymap={kbm}", "--from=voct:note=200"], "--from"),
    ],
)
def test_options_that_do_not_go_together_are_refused(dynamis, tmp_path, arguments, words):
    (tmp_path / "t.scl").write_text("d\n3\n5/4\n3/2\n2/1\n")
    (tmp_path / "t.kbm").write_text(KBM)
    (tmp_path / "black.kbm").write_text("2\n0\n127\n60\n61\n261.6\n3\n0\nx\n")
    places = {"scl": tmp_path / "t.scl", "kbm": tmp_path / "t.kbm", "black": tmp_path / "black.kbm"}
    given = [one.format(**places) for one in arguments]
    asked = dynamis(
        "convert", *(given if any("--from" in one for one in given) else ["--from=voct", *given]), "--to=voct", "--json"
    )
    assert (asked.status, asked.err.count("\n")) == (2, 1)
    assert words in asked.err


def test_codes_and_fits_follow_a_scale(dynamis, tmp_path):
    (tmp_path / "just.scl").write_text("just\n3\n5/4\n3/2\n2/1\n")
    scale = f"--scale={tmp_path / 'just.scl'}"
    law = "--law=voct:scale=1,note=60,volts=1"
    # 1 V an octave: the just fifth above note 60 is log2(3/2) V higher.
    rows = dynamis("dac", "--bits=16", "--low-volts=0", "--high-volts=5", law, "--notes=60,62", scale, "--json").json[
        "rows"
    ]
    assert rows[1]["wanted_volts"] == pytest.approx(1.0 + math.log2(1.5), abs=1e-12)
    (tmp_path / "r.csv").write_text(
        "note,volts\n"
        + "".join(f"{60 + k},{1 + v}\n" for k, v in enumerate((0.0, math.log2(1.25), math.log2(1.5), 1.0)))
    )
    made = dynamis("fit", tmp_path / "r.csv", law, scale, "--json")
    assert (made.status, made.json["before"]["worst_cents"]) == (0, pytest.approx(0.0, abs=1e-6))
