"""Tunings there and back, against the definition of the note number, and their defaults."""

from __future__ import annotations

import numpy as np
import pytest

from dynamis.errors import InputError
from dynamis.pitch import ExponentialLaw, LinearLaw
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.model import PitchModel
from dynamis.pitch.scale import Keymap, Scale, ScaleTuning
from dynamis.pitch.tuning import EqualTemperament

TWELVE = Scale(tuple((k + 1) / 12.0 for k in range(12)))
FLAT = EqualTemperament(415.3)
TUNINGS = {
    "equal": EqualTemperament(),
    "equal at 415.3": FLAT,
    "by keys": KeyTuning.of(FLAT),
    "scale": ScaleTuning.on_note_60(TWELVE, 440.0),
    "scale at 432": ScaleTuning.on_note_60(TWELVE, 432.0),
    "mapped": ScaleTuning(TWELVE, Keymap(reference_note=57, reference_hertz=220.0)),
}


@pytest.mark.parametrize("name", TUNINGS)
@pytest.mark.parametrize("reference", [36, 60, 69])
def test_hertz_octaves_and_notes_agree(name, reference):
    """f2/f1 = 2 ** octaves; the note number is 69 + 12 log2(f/440), MIDI 1.0."""
    tuning, notes = TUNINGS[name], np.array([24.0, 36.0, 47.0, 60.0, 69.0, 90.0, 108.0])
    hertz, octaves = tuning.hertz(notes), tuning.octaves(notes, reference)
    assert hertz == pytest.approx(float(tuning.hertz(float(reference))) * np.exp2(octaves), rel=1e-12)
    back = tuning.notes(octaves, reference)
    # Equal temperament counts in its own notes, the others say which equal-tempered one at 440 Hz it is.
    wanted = notes if isinstance(tuning, EqualTemperament) else 69.0 + 12.0 * np.log2(hertz / 440.0)
    assert back == pytest.approx(wanted, abs=1e-9)


def test_a_tuning_by_keys_has_a_key_for_every_note_and_no_more():
    tuning = KeyTuning.of(EqualTemperament())
    assert np.isnan(tuning.hertz([-1.0, 127.0, 128.0, 60.5])).tolist() == [True, False, True, True]
    with pytest.raises(InputError, match="128 were expected"):
        KeyTuning((440.0,) * 129)
    assert float(KeyTuning((None,) * 69 + (440.0,) + (None,) * 58).hertz(69)) == pytest.approx(440.0, rel=1e-12)


@pytest.mark.parametrize("hertz", [0.0, -1.0, float("inf"), float("nan")])
def test_a_reference_that_is_no_frequency_is_refused(hertz):
    with pytest.raises(InputError, match="more than 0 was expected"):
        Keymap(reference_hertz=hertz)


def test_a_scale_without_a_keymap_stands_on_note_60_at_its_equal_tempered_pitch():
    # 440 * 2**(-9/12), MIDI 1.0
    assert float(ScaleTuning.on_note_60(TWELVE, 440.0).hertz(60)) == pytest.approx(261.6255653, rel=1e-9)
    # nine octaves lower: below 1 Hz, and a frequency all the same
    assert float(ScaleTuning.on_note_60(TWELVE, 440.0).hertz(-48)) == pytest.approx(261.6255653 / 2**9, rel=1e-9)
    assert Keymap().reference_hertz == pytest.approx(261.6255653, rel=1e-9)
    assert LinearLaw() == LinearLaw(45.0, 1.0, 0.0)


@pytest.mark.parametrize("law", [ExponentialLaw(1, 36, 0.2), LinearLaw(36, 0.5, 0.1)])
@pytest.mark.parametrize("quantity", ["volts", "hertz"])
@pytest.mark.parametrize("tuning", [EqualTemperament(), FLAT], ids=["440", "415.3"])
def test_a_model_wants_of_a_note_what_the_law_and_the_tuning_say(law, quantity, tuning):
    model, notes = PitchModel(law, quantity, tuning), np.array([24.0, 36.0, 48.0, 61.0])
    shown = model.expected_shown(notes)
    wanted = tuning.hertz(notes) if quantity == "hertz" else law.volts((notes - 36.0) / 12.0)
    assert shown == pytest.approx(wanted, rel=1e-12)
    assert model.measured(shown) == pytest.approx(model.expected(notes), rel=1e-12, abs=1e-12)
    assert model.to_volts(model.expected(notes)) == pytest.approx(law.volts((notes - 36.0) / 12.0), rel=1e-12)
    assert model.from_volts(model.to_volts(model.expected(notes))) == pytest.approx(model.expected(notes), rel=1e-9)
