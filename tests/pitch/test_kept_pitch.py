"""What pitch gives, kept; see `tests/keeping.py`."""

from __future__ import annotations

import numpy as np
from tests.keeping import attempt, hold

from dynamis.notation.style import Style
from dynamis.pitch import laws, notes, tolerance
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.laws import ExponentialLaw, LinearLaw
from dynamis.pitch.model import PitchModel
from dynamis.pitch.notes import Naming
from dynamis.pitch.scale import Keymap, Scale, ScaleTuning
from dynamis.pitch.tuning import EqualTemperament, cents_between

NOTES = np.array([0.0, 35.5, 36.0, 47.0, 48.0, 60.0, 60.5, 69.0, 84.0, 85.0, 96.0, 97.0, 127.0])
VOLTS = np.array([-5.0, -0.5, 0.0, 0.1, 0.2, 1.0, 2.2, 5.0, 10.0])
LAWS = (
    ExponentialLaw(),
    ExponentialLaw(1.2, 36, 0.2),
    ExponentialLaw(0.4, 60.5, -1.0),
    LinearLaw(),
    LinearLaw(36, 0.25, 0.12),
)
SEVEN = Scale(tuple(cents / 1200.0 for cents in (171.0, 343.0, 514.0, 686.0, 857.0, 1029.0, 1200.0)), "seven")
MAPS = (
    Keymap(tuple(range(7)), reference_note=69, reference_hertz=440.0, octave_degree=7),
    Keymap((0, None, 1, None, 2, 3, None, 4, None, 5, None, 6), 30, 100, octave_degree=7),
    Keymap(first=48, last=72, middle=57, reference_note=57, reference_hertz=220.0),
)
TEXTS = (
    "voct",
    "voct:scale=1,note=36,volts=0",
    "voct:scale=0",
    "voct:scale=-1",
    "hzv:note=45,volts=1",
    "hzv:volts=0",
    "voct:note=C3",
    "lin",
    "voct:a=1",
    "voct:scale=1,scale=2",
    "hzv:offset=0.1",
    "voct:volts=1e400",
    "voct:note=200",
)
NAMES = (
    "C4",
    "c4",
    "F#3",
    "Db5",
    "C-1",
    "B9",
    "H4",
    "60",
    "60.5",
    "-1",
    "128",
    "C",
    "",
    "G♯2",
    "A4:",
    "36:96:12",
    "C2:C4",
    "96:36",
    "36:",
    "36,48,C4",
    "36:40,60",
    "0:127:64",
    ",",
    "36:38:0",
)


def test_laws_and_models_give_what_they_gave():
    made = {}
    for k, law in enumerate(LAWS):
        made[f"law {k}"] = [
            law,
            attempt(lambda one=law: one.octaves(VOLTS)),
            law.octaves(np.array([0.3, 1.0, 5.0])),
            law.volts(np.linspace(-3, 5, 9)),
            attempt(lambda one=law: one.cents_per_volt(VOLTS)),
            laws.law_text(law),
            laws.law_words(law, "36 C2"),
        ]
        for quantity in ("volts", "hertz"):
            for a4 in (440.0, 432.0):
                model = PitchModel(law, quantity, EqualTemperament(a4))
                wanted = model.expected(NOTES)
                made[f"model {k} {quantity} {a4}"] = [
                    model.kind,
                    model.is_ratio,
                    model.zero,
                    model.reference_hertz,
                    wanted,
                    model.expected_shown(NOTES),
                    model.from_volts(VOLTS),
                    attempt(lambda m=model, w=wanted: m.to_volts(w)),
                    attempt(lambda m=model, w=wanted: m.measured(np.abs(w) + 0.01)),
                    model.cents(wanted * 1.01, wanted),
                    model.cents_per_unit(wanted),
                    attempt(lambda m=model, w=wanted: m.cents_per_reading_unit(np.abs(w) + 0.01)),
                    attempt(lambda m=model: m.measured(np.array([0.0]))),
                    model.hertz(1.5),
                ]
    read = {text: attempt(lambda t=text: laws.parse_law(t)) for text in TEXTS}
    hold(
        "pitch_laws",
        [made, read, cents_between([1.0, 440.0, 450.0, 0.0, -1.0, 0.5, 3.0], [2.0, 440.0, 440.0, 1.0, 1.0, 0.25, 0.7])],
    )


def test_notes_tunings_and_tolerances_give_what_they_gave():
    read = {
        f"{text} {octave}": [
            attempt(lambda t=text, o=octave: notes.parse_note(t, Naming(o))),
            attempt(lambda t=text, o=octave: notes.parse_note_list(t, Naming(o))),
        ]
        for text in NAMES
        for octave in (3, 4, 5)
    }
    shown = [
        [notes.note_name(float(note), one), notes.note_label(float(note), one)]
        for note in (*NOTES, -0.5, 61.0, 66.25)
        for one in (Style(), Style(middle_c=3, flats=True))
    ]
    keyed = KeyTuning(
        tuple(None if k % 12 == 1 else 261.6 * 2 ** ((k - 60) / 12) * (1 + (k % 5) / 1000) for k in range(128))
    )
    tunings = [
        EqualTemperament(),
        EqualTemperament(432.0),
        keyed,
        ScaleTuning.on_note_60(SEVEN, 440.0),
        *(ScaleTuning(SEVEN, one) for one in MAPS),
    ]
    whole = np.array([-1.0, 0.0, 30.0, 36.0, 59.0, 60.0, 61.0, 69.0, 72.0, 100.0, 101.0, 127.0, 128.0])
    tuned = [
        [
            attempt(lambda t=one: t.hertz(whole)),
            attempt(lambda t=one: t.octaves(whole, 60.0)),
            attempt(lambda t=one: t.hertz(60.5)),
            attempt(lambda t=one: t.notes(np.array([-1.0, 0.0, 0.04, 0.5, 2.0]), 60.0)),
        ]
        for one in tunings
    ]
    profiles = (
        "5",
        "36:47=10,48:84=5,85:96=10",
        "36:84=5",
        "",
        "x",
        "36:47=-1",
        "47:36=5",
        "36:48=5,48:60=5",
        "0",
        "C2:C4=7",
    )
    told = []
    for text in profiles:
        made = attempt(lambda t=text: tolerance.parse_tolerance(t))
        told.append(
            [made]
            if isinstance(made, str)
            else [made, made.cents_at(NOTES), made.text, made.words(), made.words(Style(middle_c=3))]
        )
    verdicts = [
        tolerance.judge([error], [expanded], [allowed])
        for error in (0.0, 3.0, -5.0, 5.0, 6.0, np.nan)
        for expanded in (0.0, 1.0, 2.0)
        for allowed in (5.0, 4.0, np.nan)
    ]
    hold("pitch_notes", [read, shown, tuned, told, verdicts])
