"""Notes, their names, and lists of them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.notes import Naming, note_label, note_name, parse_note, parse_note_list


@pytest.mark.parametrize(
    ("text", "note"),
    [
        ("60", 60),
        ("C4", 60),
        ("c4", 60),
        ("F#3", 54),
        ("F♯3", 54),
        ("Db5", 73),
        ("D♭5", 73),
        ("C-1", 0),
        ("B3", 59),
        ("Cb4", 59),
        ("B#3", 60),
        ("48.25", 48.25),
        (" A4 ", 69),
        ("-3", -3),
        ("6e1", 60),
        ("b3", 59),
        ("bb3", 58),
    ],
)
def test_a_note_is_a_number_or_a_name(text, note):
    assert parse_note(text) == note


@pytest.mark.parametrize("text", ["", "H4", "C", "C#", "C##4", "4C", "60 V", "nan", "C4.5", "do"])
def test_other_texts_are_no_notes(text):
    with pytest.raises(InputError, match="neither a finite number nor a name"):
        parse_note(text)


@pytest.mark.parametrize(("octave", "name"), [(3, "C3"), (4, "C4"), (5, "C5")])
def test_octave_names_are_a_choice(octave, name):
    assert note_name(60, Style(middle_c=octave)) == name
    assert parse_note(name, Naming(octave)) == 60


def test_names_follow_the_style():
    assert note_name(61, Style()) == "C♯4"
    assert note_name(61, Style(flats=True)) == "D♭4"
    assert note_name(61, Style(ascii_accidentals=True)) == "C#4"
    assert note_name(60.5) is None
    assert note_name(float("nan")) is None
    assert note_label(60.25) == "60.25"
    assert note_label(60) == "60 C4"


@given(st.integers(-200, 300), st.sampled_from([3, 4, 5]), st.booleans())
def test_every_name_reads_back(note, octave, flats):
    assert parse_note(note_name(note, Style(octave, flats)), Naming(octave)) == note


@pytest.mark.parametrize(
    ("text", "notes"),
    [
        ("36,48,C4", [36, 48, 60]),
        ("36:39", [36, 37, 38, 39]),
        ("36:96:24", [36, 60, 84]),
        ("C2:C3:5", [36, 41, 46]),
        ("60,36:38,60", [60, 36, 37, 38, 60]),
        ("60:60", [60]),
        ("0:1:0.25", [0, 0.25, 0.5, 0.75, 1]),
        ("36:48:0.1,1", None),
    ],
)
def test_a_list_keeps_order_and_repeats(text, notes):
    found = parse_note_list(text)
    assert found == notes if notes else (len(found) == 122 and found[120] == pytest.approx(48))


@pytest.mark.parametrize(
    ("text", "word"),
    [
        ("", "empty entry"),
        ("36,,48", "empty entry"),
        ("36,", "empty entry"),
        ("96:36", "runs down"),
        ("36:", "not complete"),
        (":96", "not complete"),
        ("36:96:", "not complete"),
        ("1:2:3:4", "not complete"),
        ("36:96:0", "above 0"),
        ("36:96:-1", "above 0"),
        ("0:1e9", "more than"),
        ("0:90000,0:90000", "more than"),
        ("36:x", "neither"),
    ],
)
def test_a_broken_list_is_refused(text, word):
    with pytest.raises(InputError, match=word):
        parse_note_list(text)
