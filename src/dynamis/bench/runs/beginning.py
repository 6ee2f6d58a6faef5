"""A run as it begins: a copy of everything that it is taken with."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from dynamis.bench.chains.port_transfers import converter_of
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.limits import HIGHEST_NOTE
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.record_checks import check_run
from dynamis.bench.document.records import (
    AdoptionRecord,
    InstrumentRecord,
    PlayerKind,
    ReaderKind,
    ReadQuantity,
    RunRecord,
    Where,
)
from dynamis.errors import InputError
from dynamis.notation.style import plain
from dynamis.pitch.laws import Law, law_text
from dynamis.pitch.tolerance import ToleranceProfile

# Volts that a switch cannot tell apart.
_SAME_VOLTS = 5e-4
_MOST_NAMED = 12


def new_run(
    bench: Bench,
    adopted: AdoptionRecord | None,
    *,
    run_id: str,
    title: str,
    created: str,
    channel: PortRef,
    serial: str,
    law: Law,
    tolerance: ToleranceProfile,
    plan: Sequence[float],
    quantity: ReadQuantity,
    meter: InstrumentRecord | None,
    where: Where,
    plugged: tuple[PortRef, ...],
    celsius: float | None,
    warm_minutes: float | None,
    enough_cents: float | None = None,
    player: PlayerKind = "",
    reader: ReaderKind = "",
    source: InstrumentRecord | None = None,
) -> RunRecord:
    """A run of a channel of a unit; raises `InputError` where it could not be judged.

    channel : an output, or an input whose own tracking is read.  adopted : the correction in force for it.
    plan : notes to read, in order; with enough_cents, to choose from until another reading would change less.
    player, reader : what plays and what reads.  source : what feeds an input, where its accuracy is known.
    """
    title = " ".join(title.split())
    if not title:
        raise InputError("The run needs a title, such as As found.")
    if np.all(np.isnan(tolerance.cents_at(plan))):
        raise InputError("The tolerance judges none of the notes to read.")
    port = bench.port(channel)
    ohms = [bench.port(sink).ohms for sink in plugged]
    known = tuple(one for one in ohms if one is not None)
    run = RunRecord(
        run_id,
        title,
        channel.gear,
        serial,
        channel.port,
        created,
        law_text(law),
        tolerance.text,
        quantity,
        meter,
        where,
        plugged,
        known if len(known) == len(ohms) else (),
        port.ohms,
        celsius,
        warm_minutes,
        bench.a4_hertz,
        converter=converter_of(port),
        trimmers=port.trimmers,
        plan=tuple(plan),
        side=port.direction,
        enough_cents=enough_cents,
        player=player,
        reader=reader,
        source=source,
        tuning=bench.tuning,
    )
    if run.tuning is not None and any(note != round(note) for note in plan):
        raise InputError(f"{run.tuning.name} tunes whole notes; the notes to read have to be whole.")
    if enough_cents is not None:
        check_run(run)
    if player == "hand" and source is not None and source.steps:
        _check_steps(run, source)
    if adopted is not None and adopted.head.kind != "nominal":
        run = msgspec.structs.replace(run, head=adopted.head)
    if not all(math.isfinite(value) for value in run.model.expected(plan)):
        silent = [plain(note) for note in plan if not math.isfinite(float(run.model.expected(note)))]
        raise InputError(f"These notes to read have no frequency: {', '.join(silent[:_MOST_NAMED])}.")
    return run


def _check_steps(run: RunRecord, source: InstrumentRecord) -> None:
    """Refuse notes whose volts the known voltage cannot be switched to, and name those that can be read."""
    model, steps = run.model, np.array(source.steps)
    volts = model.law.volts(model.tuning.octaves(np.array(run.plan), model.law.reference_note))
    off = np.min(np.abs(volts[:, None] - steps), axis=1)
    if np.all(off <= _SAME_VOLTS):
        return
    with np.errstate(invalid="ignore"):
        notes = model.tuning.notes(model.law.octaves(steps, strict=False), model.law.reference_note)
    can = [plain(round(float(note), 4)) for note in notes if 0.0 <= note <= HIGHEST_NOTE]
    which = f"with it {', '.join(can)} can be read" if can else "none of its volts is a note of this law"
    worst = float(run.plan[int(np.argmax(off))])
    raise InputError(f"{source.name} cannot be switched to the volts of note {plain(worst)}; {which}.")
