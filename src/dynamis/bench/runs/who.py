"""Who plays the notes of a run, and who reads them."""

from __future__ import annotations

from typing import Final

from dynamis.bench.document.ports import Port
from dynamis.bench.document.records import (
    InstrumentRecord,
    PlayerKind,
    ReaderKind,
    ReadQuantity,
    RunRecord,
)
from dynamis.notation.style import Style
from dynamis.pitch.notes import note_label

PLAYER_WORDS: Final[dict[PlayerKind, str]] = {
    "board": "the board",
    "source": "the voltage source",
    "midi": "the MIDI converter",
    "outputs": "the computer's outputs",
    "hand": "hand",
}
READER_WORDS: Final[dict[ReaderKind, str]] = {"meter": "meter or counter", "sound": "sound", "hand": "hand"}


def players_for(side: str, *, codes: bool = False) -> tuple[PlayerKind, ...]:
    """What may play an output, or feed an input; codes : or set a converter to codes."""
    if codes:
        return "board", "hand"
    return ("board", "midi", "outputs", "hand") if side == "output" else ("source", "outputs", "hand")


def readers_for(quantity: ReadQuantity) -> tuple[ReaderKind, ...]:
    """What may read a quantity."""
    return {"volts": ("meter", "hand"), "hertz": ("meter", "sound", "hand")}.get(quantity, ("hand",))  # type: ignore[return-value]


def usual_player(port: Port) -> PlayerKind:
    """What plays where nobody chose: a computer its own outputs."""
    return "outputs" if port.direction == "output" and port.audio is not None else players_for(port.direction)[0]


def usual_reader(quantity: ReadQuantity, instrument: InstrumentRecord | None) -> ReaderKind:
    """What reads where nobody chose."""
    kind = None if instrument is None else instrument.kind
    if kind in ("tuner", "sound") and quantity == "hertz":
        return "sound" if kind == "sound" else "hand"
    return readers_for(quantity)[0]


def player_of(run: RunRecord) -> PlayerKind:
    """What plays the notes of a run."""
    return run.player or players_for(run.side)[0]


def reader_of(run: RunRecord) -> ReaderKind:
    """What reads them."""
    return run.reader or usual_reader(run.quantity, run.meter)


def to_play_words(run: RunRecord, note: float, style: Style) -> str:
    """What somebody is asked to do by hand before a note is read."""
    name = note_label(note, style)
    if run.codes:
        return f"Set code {dict(zip(run.plan, run.codes, strict=True)).get(note, 0)}, and let it stand."
    if run.side == "output":
        return f"Play {name}, and let it stand."
    model = run.model
    volts = float(model.law.volts(model.tuning.octaves([note], model.law.reference_note))[0])
    what = "the input" if run.source is None else run.source.name
    return f"Set {what} to {style.volts(volts)} for {name}."
