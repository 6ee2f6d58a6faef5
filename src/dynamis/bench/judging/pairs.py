"""The judging of links: each pair of an output and an input, as findings and one verdict."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass, replace

from dynamis.bench.chains.tree import origin_of, passes_on, path_in
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import SWITCHING, MidiRecord, Port, PortRef, Role
from dynamis.bench.document.records import AdoptionRecord, in_force
from dynamis.bench.judging.audio import judge_audio, pitch_droop, unknown_of
from dynamis.bench.judging.moving import judge_moving
from dynamis.bench.judging.patch import judge_patch
from dynamis.bench.judging.pitch_fit import judge_pitch, passed_on
from dynamis.bench.judging.pitch_sides import SideCache
from dynamis.bench.judging.remembering import judge_remembering
from dynamis.bench.judging.sides import sent_volts
from dynamis.bench.judging.swings import judge_swing
from dynamis.bench.judging.switching import judge_switching
from dynamis.electrics.finding import BEST_FIRST, Finding, FitVerdict, cannot_tell, verdict_of
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.laws import parse_law

_LOG = logging.getLogger("dynamis.judging")


@dataclass(frozen=True)
class PairFit:
    """How an output and one of its inputs meet.

    value : the number that decides; None where none does.  unit : "ct" (the worst note), "V" (the smaller margin, or
    how far a limit is passed), "s" (a pulse), "%" (the share of a swing that acts) or "dB" (room above full scale).
    serial : the specimen for which it is so, empty where there is none.
    """

    output: PortRef
    input: PortRef
    role: Role
    verdict: FitVerdict
    findings: tuple[Finding, ...]
    value: float | None = None
    unit: str = ""
    serial: str = ""


def judge_link(
    bench: Bench, link: Link, adoptions: Sequence[AdoptionRecord] = (), style: Style = Style()
) -> list[PairFit]:
    """Judge every input of a link; of several units of the sender, that which fits worst."""
    return [judge_pair(bench, link, sink, adoptions, style) for sink in link.inputs]


def judge_pair(
    bench: Bench,
    link: Link,
    sink: PortRef,
    adoptions: Sequence[AdoptionRecord] = (),
    style: Style = Style(),
    *,
    sides: SideCache | None = None,
) -> PairFit:
    """Judge one input of a link.  sides : keeps what both sides come to, for many pairs of the same.

    A pair that cannot be worked out is told as such, with the reason; the others are judged all the same.
    """
    try:
        return _judged(bench, link, sink, adoptions, style, sides)
    except InputError as error:
        reason = str(error)
    except Exception as error:  # noqa: BLE001  (told as a finding, and in the log; the other pairs are judged)
        _LOG.exception("a pair was not judged: %s > %s", link.output, sink)
        reason = f"an unexpected {type(error).__name__}, which is in the log: {error}"
    text = f"Cannot tell how {bench.label(link.output)} and {bench.label(sink)} meet: {reason.rstrip('.')}."
    return _fit(link, sink, bench.port(sink).role, [cannot_tell(text)])


def _judged(
    bench: Bench, link: Link, sink: PortRef, adoptions: Sequence[AdoptionRecord], style: Style, sides: SideCache | None
) -> PairFit:
    output, role = bench.port(link.output), bench.port(sink).role
    apart = _apart(bench, link, sink)
    if apart is not None:
        return _fit(link, sink, role, [apart])
    path = path_in(bench, link, sink)
    patch = judge_patch(bench, link, path, sink, style)
    patch += [*judge_remembering(bench, path, sink, style), *judge_moving(bench, path, sink, style)]
    if role == "pitch":
        fit = _judge_units(bench, path, sink, adoptions, patch, style, sides)
    elif passes_on(bench, sink):
        fit = _fit(path, sink, role, [passed_on(bench, sink), *patch])
    elif role in SWITCHING:
        findings, value = judge_switching(bench, path, sink, style)
        fit = _fit(path, sink, role, findings + patch, *_deciding(findings + patch, value, "V"))
    elif role == "modulation":
        findings, value = judge_swing(bench, path, sink, style)
        fit = _fit(path, sink, role, findings + patch, *_deciding(findings + patch, value, "%"))
    elif role == "audio":
        findings, value = judge_audio(bench, path, sink, style)
        fit = _fit(path, sink, role, findings + patch, value, "dB")
    else:
        fit = _fit(path, sink, role, _midi(bench, path, sink) + patch)
    if fit.output != link.output:
        fit = replace(fit, output=link.output)
    if makes_sense(output, bench.port(sink)):
        return fit
    return replace(fit, findings=(*fit.findings, _meant(bench, path, fit, style)))


def _apart(bench: Bench, link: Link, sink: PortRef) -> Finding | None:
    """Why an output and an input cannot be judged as voltages that meet: MIDI and audio stay apart, a contact sends no
    volts of its own, and two levels are no pitch."""
    output, receiver, names = bench.port(link.output), bench.port(sink), (bench.label(link.output), bench.label(sink))
    what = f"{names[0]} is a {output.role} output, {names[1]} a {receiver.role} input"
    if not any_voltage(output, receiver):
        return Finding("roles-differ", "fault", f"{what}: join what belongs together.")
    if output.role not in SWITCHING or receiver.role in SWITCHING:
        return None
    if output.gate is not None and output.gate.kind == "switch":
        text = f"{what}: a contact to ground sends no volts of its own. Feed it through a pull-up first."
        return Finding("roles-differ", "fault", text)
    if receiver.role == "pitch":
        text = f"{what}: its two levels play two notes and none between. Join what sends a pitch."
        return Finding("roles-differ", "fault", text)
    return None


def _meant(bench: Bench, link: Link, fit: PairFit, style: Style) -> Finding:
    """What becomes of a voltage that was made for something else."""
    output, sends = bench.port(link.output), sent_volts(bench, link)
    goes = "" if sends is None else f", which goes from {style.volts(sends[0], 2)} to {style.volts(sends[1], 2)}"
    sentence = "it is judged by what the input does with it"
    if fit.value is not None and fit.unit == "V":
        sentence = f"{style.volts(fit.value, 2, sign=True)} decides"
    elif fit.value is not None and fit.unit == "%":
        sentence = f"{style.percent(fit.value, 0)} of it acts"
    elif fit.value is not None and fit.unit == "ct":
        sentence = f"the note that decides is {style.cents(fit.value, sign=True)} ct off"
    text = f"{bench.label(link.output)} is meant for {output.role}{goes}; as {fit.role} {sentence}."
    return Finding("roles-differ", "note", text)


def _deciding(findings: Sequence[Finding], value: float | None, unit: str) -> tuple[float | None, str]:
    """The number of what decides: of the worst finding, where that is none of the two margins.

    A limit or a working range that is passed is told as volts short of it, negative.
    """
    dangers, faults = ([one for one in findings if one.severity == severity] for severity in ("danger", "fault"))
    worst = dangers or faults
    if not worst:
        return value, unit
    first = next((one for one in worst if one.value is not None), worst[0])
    if first.value is None:
        return None, unit  # a fault without a number: no margin stands for it
    if first.code in ("on-level", "off-level"):
        return value, unit
    if first.code.endswith("-limit") or first.code == "outside-working-range":
        return -abs(first.value), first.unit
    return (first.value, first.unit) if first.unit in ("V", "s") else (value, unit)


def _fit(
    link: Link, sink: PortRef, role: Role, findings: Sequence[Finding], value: float | None = None, unit: str = ""
) -> PairFit:
    return PairFit(link.output, sink, role, verdict_of(findings), tuple(findings), value, unit)


def _judge_units(
    bench: Bench,
    link: Link,
    sink: PortRef,
    adoptions: Sequence[AdoptionRecord],
    patch: Sequence[Finding],
    style: Style,
    sides: SideCache | None,
) -> PairFit:
    """Of several units of the sender, the one that fits worst."""
    coupled = _coupled(bench, link, sink, style) if bench.port(link.output).role == "audio" else []
    tried = []
    takes = takes_in_force(bench, sink, adoptions)
    origin = origin_of(bench, link.output)
    for serial in [unit.serial for unit in bench.gear_by(origin.gear).units] or [""]:
        adopted = in_force(adoptions, origin, serial)
        findings, cents = judge_pitch(bench, link, sink, adopted, style, sides, takes)
        tried.append(replace(_fit(link, sink, "pitch", [*findings, *coupled, *patch], cents, "ct"), serial=serial))
    worst = max(tried, key=lambda fit: BEST_FIRST.index(fit.verdict))
    if worst.verdict != "unsafe":
        return worst
    value, unit = _deciding(worst.findings, worst.value, "ct")
    return replace(worst, value=value, unit=unit)


def takes_in_force(bench: Bench, sink: PortRef, adoptions: Sequence[AdoptionRecord]) -> AdoptionRecord | None:
    """What was adopted for an input's own tracking: of several units that which leaves most, None where one has
    none."""
    own = [in_force(adoptions, sink, unit.serial) for unit in bench.gear_by(sink.gear).units]
    known = [one for one in own if one is not None]
    if not known or len(known) < len(own):
        return None
    return max(known, key=lambda one: one.leaves_cents + one.expanded_cents)


def _coupled(bench: Bench, link: Link, sink: PortRef, style: Style) -> list[Finding]:
    """What a computer's output does to a held pitch."""
    unknown, law = unknown_of(bench, link.output, link), bench.port(sink).law
    if unknown or law is None:
        return unknown
    heard, tuning = parse_law(law), tuning_of(bench)
    volts = heard.volts(tuning.octaves([link.high_note, link.high_note - 12.0], heard.reference_note))
    allowed = float(link.allowed_cents(link.high_note))
    return pitch_droop(bench, link, float(volts[0] - volts[1]), float(volts[0]), allowed, style)


def _midi(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    sends, takes = (bench.port(ref).midi or MidiRecord() for ref in (link.output, sink))
    if None in (sends.channel, takes.channel) or sends.channel == takes.channel:
        return []
    text = (
        f"{bench.label(link.output)} sends on MIDI channel {sends.channel}, {bench.label(sink)} listens to "
        f"{takes.channel}: nothing sounds. Set either to the other's."
    )
    return [Finding("channel-map", "fault", text, float(takes.channel or 0), "channel")]


def any_voltage(sends: Port, takes: Port) -> bool:
    """Whether volts meet an input that acts on volts; MIDI goes into MIDI, and only audio into audio."""
    if "midi" in (sends.role, takes.role):
        return sends.role == takes.role
    return takes.role != "audio" or sends.role == "audio"


def makes_sense(sends: Port, takes: Port) -> bool:
    """Whether they are meant for each other: the same role, both of those that switch, or a computer's output into
    anything but MIDI."""
    if sends.role == "audio":
        return takes.role != "midi"
    return sends.role == takes.role or {sends.role, takes.role} <= set(SWITCHING)
