"""A run as it begins: a copy of everything that it is taken with."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np

from dynamis.bench.chains.port_transfers import converter_of
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.record_checks import check_run
from dynamis.bench.document.records import AdoptionRecord, InstrumentRecord, ReadQuantity, RunRecord, Where
from dynamis.errors import InputError
from dynamis.pitch.laws import Law, law_text
from dynamis.pitch.tolerance import ToleranceProfile


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
) -> RunRecord:
    """A run of a channel of a unit; raises `InputError` where it could not be judged.

    channel : an output, or an input whose own tracking is read.  adopted : the correction in force for it.
    plan : notes to read, in order; with enough_cents, to choose from until another reading would change less.
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
    )
    if enough_cents is not None:
        check_run(run)
    if adopted is not None and adopted.head.kind != "nominal":
        run = msgspec.structs.replace(run, head=adopted.head)
    if not all(math.isfinite(value) for value in run.model.expected(plan)):
        raise InputError("Some of the notes to read have no frequency.")
    return run
