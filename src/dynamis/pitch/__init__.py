"""Notes, tunings, pitch laws, cents and tolerance profiles."""

from dynamis.pitch.laws import ExponentialLaw, Law, LinearLaw, law_text, parse_law
from dynamis.pitch.notes import Naming, note_name, parse_note, parse_note_list
from dynamis.pitch.tolerance import ToleranceProfile, parse_tolerance
from dynamis.pitch.tuning import EqualTemperament, Tuning, cents_between

__all__ = [
    "EqualTemperament",
    "ExponentialLaw",
    "Law",
    "LinearLaw",
    "Naming",
    "ToleranceProfile",
    "Tuning",
    "cents_between",
    "law_text",
    "note_name",
    "parse_law",
    "parse_note",
    "parse_note_list",
    "parse_tolerance",
]
