"""What is appended and never edited: runs, readings, adoptions, sendings; undo does not touch it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, Literal

from dynamis.bench.document.ports import PortRef, Record, Trimmers
from dynamis.bench.document.tuning import TuningRecord, tuning_as
from dynamis.converter.firmware import BoardCorrection
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.laws import parse_law
from dynamis.pitch.model import PitchModel
from dynamis.pitch.tuning import EqualTemperament
from dynamis.transfer.registry import StoredTransfer

ReadQuantity = Literal["volts", "hertz", "cents"]
Where = Literal["jack", "input", "oscillator"]


InstrumentKind = Literal["meter", "counter", "tuner", "known-voltage", "sound"]
# What plays the notes of a run, and what reads them; empty where nobody chose.
PlayerKind = Literal["", "board", "source", "midi", "outputs", "hand"]
ReaderKind = Literal["", "meter", "sound", "hand"]


KIND_WORDS: Final[dict[str, str]] = {
    "meter": "meter",
    "counter": "counter",
    "tuner": "tuner",
    "known-voltage": "known voltage",
    "sound": "sound",
}


class MeterCheck(Record, frozen=True):
    """What a meter's range showed of known volts, one by one.

    known : the name of what gave them; percent, zero_volts : the limits of what it gives, of the volts and besides.
    known_volts, shown_volts : in pairs.  at : when.
    """

    known: str
    percent: float
    zero_volts: float
    known_volts: tuple[float, ...]
    shown_volts: tuple[float, ...]
    at: str
    celsius: float | None = None


class InstrumentRecord(Record, frozen=True):
    """An instrument, entered once in its data sheet's numbers; of a meter or a known voltage one range.

    name : ranges of one instrument share it.  range_name, percent, counts, resolution_volts, full_scale_volts,
    percent_of_range : of what reads or gives volts.  input_ohms : what a meter hangs on the jack.
    ppm, resolution_hertz : of a counter, and of sound by the clock of its samples; `counts` are of the resolution.
    cents, resolution_cents : of a tuner.  archived : no more offered.
    steps : the volts that a known voltage can be switched to; empty where it can be set to any.
    check : what a known voltage told of a meter's range, None where none was asked.
    """

    id: str
    name: str
    range_name: str = ""
    percent: float = 0.0
    counts: float = 0.0
    resolution_volts: float = 0.0
    full_scale_volts: float | None = None
    percent_of_range: float = 0.0
    input_ohms: float = 10e6
    kind: InstrumentKind = "meter"
    ppm: float = 0.0
    resolution_hertz: float = 0.0
    cents: float = 0.0
    resolution_cents: float = 0.0
    archived: bool = False
    steps: tuple[float, ...] = ()
    check: MeterCheck | None = None

    @property
    def reads(self) -> tuple[ReadQuantity, ...]:
        """What it can be read in."""
        return {"counter": ("hertz",), "sound": ("hertz", "cents"), "tuner": ("cents", "hertz")}.get(  # type: ignore[return-value]
            self.kind, ("volts",)
        )

    @property
    def label(self) -> str:
        """Its name, with its range where it has one."""
        return f"{self.name}, {self.range_name}" if self.range_name else self.name


class HeadRecord(Record, frozen=True):
    """What turns notes into codes: nominal, two constants, or a table upon them.

    offset : in volts, octaves or hertz, as the constants were found.  sixteenths : for each note from
    `first_note` on, how far its code lies from where the constants aim, in sixteenths of a code.
    tuning : the one that a table's notes are keys of, None for equal temperament.
    """

    kind: Literal["nominal", "constants", "table"] = "nominal"
    quantity: Literal["volts", "hertz"] = "volts"
    offset: float = 0.0
    gain: float = 1.0
    first_note: int = 0
    sixteenths: tuple[int, ...] = ()
    tuning: TuningRecord | None = None


class RunRecord(Record, frozen=True):
    """One series of readings, with a copy of everything it was taken with.

    law, tolerance, a4_hertz : as they stood.  quantity : what is read; cents are a tuner's.
    meter : the instrument, of a meter the range; None where nobody said.  where, plugged : where it was read and what
    hung on it.
    head : what turned notes into codes.  converter : the channel's DAC, None where no code is known.
    plan : notes to read, in order.  held_hash : of the correction that the board held, where it was asked.
    meter_identity : the meter in its own words, where it was read by itself.  uid : unique across files.
    side : whether an output was read, or what an input makes of known volts: an oscillator's own tracking.
    enough_cents : where as few notes of the plan are read as will do, by how much another reading may still change the
    correction; None where all are.
    codes : of a converter run, the code that is set for each note of the plan; empty where notes are played.  passes :
    how often each note of the plan is read, up and down in turn.  others_move : whether the other channels of the board
    are moved meanwhile.  player, reader : what plays and what reads.  source : where known volts are fed, what gives
    them, None where nobody said how exact they are.  tuning : the bench's, None for equal temperament at `a4_hertz`.
    """

    id: str
    title: str
    gear: str
    serial: str
    port: str
    created: str
    law: str
    tolerance: str
    quantity: ReadQuantity = "volts"
    meter: InstrumentRecord | None = None
    where: Where = "jack"
    plugged: tuple[PortRef, ...] = ()
    plugged_ohms: tuple[float, ...] = ()
    output_ohms: float | None = None
    celsius: float | None = None
    warm_minutes: float | None = None
    a4_hertz: float = 440.0
    head: HeadRecord = HeadRecord()
    converter: StoredTransfer | None = None
    trimmers: Trimmers = "none"
    plan: tuple[float, ...] = ()
    held_hash: str | None = None
    meter_identity: str = ""
    uid: str = ""
    side: Literal["output", "input"] = "output"
    enough_cents: float | None = None
    player: PlayerKind = ""
    reader: ReaderKind = ""
    source: InstrumentRecord | None = None
    codes: tuple[int, ...] = ()
    passes: int = 1
    others_move: bool = False
    tuning: TuningRecord | None = None

    @property
    def holds(self) -> bool:
        """Whether it is a run of one code that is held."""
        return len(self.codes) == 1

    @property
    def channel(self) -> PortRef:
        return PortRef(self.gear, self.port)

    @property
    def model(self) -> PitchModel:
        """Law and quantity for the mathematics; cents are turned into hertz on the way in."""
        quantity: Literal["volts", "hertz"] = "volts" if self.quantity == "volts" else "hertz"
        return PitchModel(parse_law(self.law), quantity, self.pitch_tuning)

    @property
    def pitch_tuning(self) -> EqualTemperament | KeyTuning:
        """Which frequency the notes of the run have."""
        return tuning_as(self.a4_hertz, self.tuning)


class ReadingRecord(Record, frozen=True):
    """One reading as it was taken; never edited.  value is in V, Hz or ct as the run's quantity says.

    range_volts : full scale of the range that the meter stood on, where it told.  uid : unique across files.
    celsius : the temperature when it was taken, None where only the run's is known, or none.
    """

    id: int
    run: str
    number: int
    note: float
    value: float
    taken: str
    code: int | None = None
    own: float = 0.0
    voided: bool = False
    void_reason: str = ""
    range_volts: float | None = None
    uid: str = ""
    celsius: float | None = None


class AdoptionRecord(Record, frozen=True):
    """A correction that was adopted for a channel of a unit; the last one for a channel is in force.

    constant_cents : what of `leaves_cents` is on all notes alike, which a tune knob takes out.
    """

    id: int
    gear: str
    serial: str
    port: str
    run: str
    kind: Literal["trimmer", "constants", "table", "withdrawn"]
    head: HeadRecord
    leaves_cents: float
    expanded_cents: float
    adopted: str
    uid: str = ""
    constant_cents: float = 0.0


class HeldRecord(Record, frozen=True):
    """A correction as a board holds it, in whole numbers; see `converter/firmware.py`."""

    law: Literal["E", "L"]
    base: int
    scale: int
    first_note: int = 0
    sixteenths: tuple[int, ...] = ()

    @property
    def correction(self) -> BoardCorrection:
        return BoardCorrection(self.law, self.base, self.scale, self.first_note, self.sixteenths)

    @classmethod
    def of(cls, board_correction: BoardCorrection) -> HeldRecord:
        return cls(
            board_correction.law,
            board_correction.base,
            board_correction.scale,
            board_correction.first_note,
            board_correction.sixteenths,
        )


class SendRecord(Record, frozen=True):
    """A correction that was sent to a channel of a board; undo never takes it back.

    before : what the channel held until then, read back and stored first.  head : what the bench sent it
    for, None where an older one was put back.  verified : whether the board was found to hold it afterwards;
    each sending has a row of its own for its beginning, and one for its success.
    """

    id: int
    gear: str
    serial: str
    port: str
    at: str
    before: HeldRecord
    after: HeldRecord
    head: HeadRecord | None = None
    verified: bool = False
    uid: str = ""


def in_force(adoptions: Sequence[AdoptionRecord], channel: PortRef, serial: str) -> AdoptionRecord | None:
    """The correction in force for a channel of a unit; None where nominal values hold."""
    mine = [one for one in adoptions if (one.gear, one.port, one.serial) == (channel.gear, channel.port, serial)]
    return mine[-1] if mine and mine[-1].kind != "withdrawn" else None


def heads_in_force(adoptions: Sequence[AdoptionRecord], serial: str) -> dict[PortRef, HeadRecord]:
    """What is in force for each channel of the unit of a serial."""
    refs = {PortRef(one.gear, one.port) for one in adoptions if one.serial == serial}
    adopted = {ref: in_force(adoptions, ref, serial) for ref in refs}
    return {ref: one.head for ref, one in adopted.items() if one is not None}


def runs_of(runs: Sequence[RunRecord], output: PortRef, serial: str) -> list[RunRecord]:
    """The runs of a channel of a unit, the oldest first; one from another bench stands where it belongs in time."""
    mine = [run for run in runs if (run.channel, run.serial) == (output, serial)]
    return sorted(mine, key=lambda run: run.created)


def newest_runs(runs: Sequence[RunRecord]) -> tuple[str | None, str | None]:
    """The run to look at first, and the one to lay over it: the first and the last of the newest run's channel."""
    if not runs:
        return None, None
    newest = max(runs, key=lambda run: run.created)
    mine = runs_of(runs, newest.channel, newest.serial)
    return mine[0].id, mine[-1].id if len(mine) > 1 else None
