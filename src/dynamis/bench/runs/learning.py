"""What was learnt of a port, put on the bench with its uncertainty; and in words, step by step.

A limit stands for its standard uncertainty as a uniform one: a = u √3 (JCGM 100:2008, 4.3.7).  Thresholds are kept on
the safe side: as far out as their U reaches.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

from msgspec.structs import replace

from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.checks import check_port
from dynamis.bench.document.commands import Change
from dynamis.bench.document.ports import SWITCHING, AudioRecord, GateRecord, Port, PortRef, SwingRecord
from dynamis.bench.runs.from_trace import OWN_LENGTH, SWITCH_HAS_NO_LEVELS
from dynamis.calibration.learning.coupling import NOTE_CENTS, NOTE_SECONDS, Coupling
from dynamis.calibration.learning.law import Candidate, LearnedLaw
from dynamis.calibration.learning.resistance import Learned
from dynamis.calibration.learning.thresholds import Thresholds
from dynamis.errors import InputError
from dynamis.notation.style import Style, digits_for
from dynamis.pitch.laws import ExponentialLaw, Law, LinearLaw, law_text, law_words
from dynamis.pitch.notes import note_label
from dynamis.transfer.law import Oscillator

What = Literal["law", "output", "input", "rest", "thresholds", "sent", "taken", "holds"]


@dataclass(frozen=True)
class Lesson:
    """One thing that can be learnt of a port.  teaches : what for; does : what to do, in order; caution : before it."""

    what: What
    title: str
    teaches: str
    does: str
    caution: str = ""


LESSONS: Final = (
    Lesson(
        "law",
        "Pitch law and reference",
        "Which law the input hears by, its scale, and which volts play which note.",
        "Feed it a steady voltage, read the volts at its jack and the hertz that it plays; three pairs or more, an "
        "octave apart. Let it warm up first.",
        "Stay within what the input bears; begin low.",
    ),
    Lesson(
        "output",
        "Level and resistance of the output",
        "What it sends with nothing on it, and how far each input pulls it down.",
        "Let it stand at its highest. Read it open, then with a resistor to ground, about 1 kΩ to 10 kΩ.",
        "Not where the output is made for less current: a resistor draws volts / ohms from it.",
    ),
    Lesson(
        "input",
        "Resistance of the input",
        "How much it loads whatever is plugged into it.",
        "Feed it a steady voltage through a resistor, about 100 kΩ. Read ahead of the resistor, then at the input.",
        "Stay within what the input bears.",
    ),
    Lesson(
        "rest",
        "Where the input stands by itself",
        "Its bias: a signal round 0 V would pull it far off.",
        "Plug nothing in. Read the volts at its jack; its own resistance counts, since the meter loads it.",
    ),
    Lesson(
        "thresholds",
        "Thresholds and hysteresis",
        "From which volts on it goes on, and below which it goes off again.",
        "Move a voltage up in small steps until it goes on, then down until it goes off; write + behind the volts at "
        "which it was on.",
        "Stay within its working range.",
    ),
    Lesson(
        "sent",
        "Levels and length of its pulses",
        "Whether an input that it is joined to sees its levels, and whether its pulses are long enough.",
        "Read its two levels and some lengths on an oscilloscope; a recording, or the oscilloscope's CSV, opened as a "
        "trace gives them too.",
    ),
    Lesson(
        "holds",
        "Whether it holds a voltage",
        "Whether it can carry a note, and for how long; where it begins to fall if not.",
        "Let it step to a few volts, and read it again and again with the seconds since: the seconds, then the "
        "volts, a pair a line.",
        "Monitors and headphones off first: these outputs are far louder than music.",
    ),
    Lesson(
        "taken",
        "Shortest pulse that fires it",
        "Whether a sender's pulses are long enough for it.",
        "Send it pulses of the full level, shorter each time until it misses them; write + behind the lengths that "
        "fired it.",
    ),
)


def lessons_for(port: Port) -> list[Lesson]:
    """What can be learnt of a port, in the order of the work."""
    if port.direction == "output":
        wanted = {"output"} | ({"sent"} if port.role in SWITCHING else set())
        wanted |= {"holds"} if port.audio is not None or port.role == "audio" else set()
        return [one for one in LESSONS if one.what in wanted]
    wanted = {"input", "rest"}
    wanted |= {"law"} if port.role == "pitch" else {"thresholds", "taken"} if port.role in SWITCHING else set()
    return [one for one in LESSONS if one.what in wanted]


def limit_of(learned: Learned) -> float:
    """The limit that stands for an expanded uncertainty."""
    return learned.expanded / 2.0 * math.sqrt(3.0)


def _kept(learned: Learned) -> float:
    """The value to the digits that its uncertainty leaves, and one more."""
    return round(learned.value, digits_for(learned.expanded) + 1)


def _changed(bench: Bench, ref: PortRef, port: Port, words: str) -> Change:
    check_port(port)
    return Change(f"{bench.label(ref)}: {words} as it was learnt", bench.with_port(ref, port))


def take_law(bench: Bench, ref: PortRef, candidate: Candidate) -> Change:
    """The law of an input, with the limits of its oscillator."""
    port, law = bench.port(ref), kept_law(candidate)
    hears = Oscillator(
        "o",
        law,
        tuning_of(bench),
        scale_limit=limit_of(candidate.scale) / abs(candidate.scale.value),
        offset_limit_volts=limit_of(candidate.reference),
    )
    others = tuple(one for one in port.transfers if one.kind != "oscillator")
    return _changed(bench, ref, replace(port, law=law_text(law), transfers=(*others, hears.stored())), "its law")


def kept_law(candidate: Candidate) -> Law:
    """The law to the digits that its uncertainty leaves; 0 Hz at 0 V where it is so as far as can be told."""
    note, scale, reference = candidate.law.reference_note, _kept(candidate.scale), _kept(candidate.reference)
    if isinstance(candidate.law, ExponentialLaw):
        return ExponentialLaw(scale, note, reference)
    nought = abs(candidate.reference.value) <= candidate.reference.expanded
    return LinearLaw(note, scale, 0.0 if nought else reference)


def take_output(bench: Bench, ref: PortRef, ohms: Learned, volts: Learned) -> Change:
    """The resistance of an output, and its highest level where it has levels or a swing."""
    port, value, level = bench.port(ref), max(0.0, _kept(ohms)), _kept(volts)
    port = replace(port, ohms=value, ohms_limit=_share(ohms))
    if port.role in SWITCHING and (port.gate is None or port.gate.kind == "driven"):
        gate = port.gate or GateRecord("driven", 0.0)
        port = replace(port, gate=replace(gate, high_volts=level, level_limit=_share(volts)))
    elif port.role == "modulation":
        port = replace(port, swing=replace(port.swing or SwingRecord(), high_volts=level))
    return _changed(bench, ref, port, "level and resistance")


def take_input(bench: Bench, ref: PortRef, ohms: Learned) -> Change:
    """The resistance of an input."""
    port = replace(bench.port(ref), ohms=_kept(ohms), ohms_limit=_share(ohms))
    return _changed(bench, ref, port, "its resistance")


def take_rest(bench: Bench, ref: PortRef, volts: Learned) -> Change:
    """Where an input stands by itself; of a modulation it is the bias that it sits on."""
    port, value = bench.port(ref), _kept(volts)
    if port.role == "modulation" and port.swing is not None:
        port = replace(port, swing=replace(port.swing, bias_volts=value))
    return _changed(bench, ref, replace(port, rests_at_volts=value), "where it stands by itself")


def take_thresholds(bench: Bench, ref: PortRef, found: Thresholds) -> Change:
    """The thresholds of an input, each as far out as its U reaches, so that what is judged by them does work."""
    port = bench.port(ref)
    way = -1.0 if found.falls else 1.0
    on = round(found.on.value + way * found.on.expanded, digits_for(found.on.expanded))
    off = round(found.off.value - way * found.off.expanded, digits_for(found.off.expanded))
    gate = port.gate or GateRecord("positive")
    kind: Literal["shorting", "positive"] = "shorting" if found.falls else "positive"
    return _changed(bench, ref, replace(port, gate=replace(gate, kind=kind, on_volts=on, off_volts=off)), "thresholds")


def take_sent(bench: Bench, ref: PortRef, low_volts: Learned, high_volts: Learned, length: Learned) -> Change:
    """The levels of an output's pulses, and of a trigger or clock their length.

    Raises InputError for a switch, which has no levels of its own.
    """
    port = bench.port(ref)
    gate = port.gate or GateRecord("driven")
    if gate.kind == "switch":
        raise InputError(SWITCH_HAS_NO_LEVELS)
    gate = replace(gate, low_volts=_kept(low_volts), high_volts=_kept(high_volts), level_limit=_share(high_volts))
    if port.role in OWN_LENGTH:
        gate = replace(gate, seconds=length.value)
    return _changed(bench, ref, replace(port, gate=gate), "its pulses")


def take_shortest(bench: Bench, ref: PortRef, shortest: Learned) -> Change:
    """The shortest pulse of an input, as far out as its U reaches."""
    port = bench.port(ref)
    gate = replace(port.gate or GateRecord("positive"), min_seconds=shortest.value + shortest.expanded)
    return _changed(bench, ref, replace(port, gate=gate), "its shortest pulse")


def take_coupling(bench: Bench, ref: PortRef, found: Coupling) -> Change:
    """Whether an output holds a voltage, and its corner where it does not.

    Raises InputError where the readings do not tell.
    """
    if found.holds == "cannot-tell":
        raise InputError("Whether it holds cannot be told yet: read it for longer, or with a better meter.")
    port = bench.port(ref)
    audio = port.audio or AudioRecord()
    held = found.holds == "yes"
    corner = None if held else float(f"{found.corner_hertz.value:.3g}")
    audio = replace(audio, coupling="dc" if held else "ac", corner_hertz=corner)
    return _changed(bench, ref, replace(port, audio=audio), "whether it holds")


def coupling_sentences(found: Coupling, style: Style, volts_per_octave: float = 1.0) -> list[str]:
    """What a step tells: the corner, and how long a note stands."""
    over = style.engineering(found.span_seconds, "s")
    if found.falls and found.holds != "yes":
        corner = with_u(found.corner_hertz, "Hz", style)
        left = style.engineering(1.0 / (2.0 * math.pi * found.corner_hertz.value), "s")
        told = [f"It falls: a corner of {corner}, down to 37 % after {left}."]
    else:
        told = [f"No fall is seen over {over}: a corner of at most {style.engineering(found.most_hertz, 'Hz')}."]
    stands = found.seconds_within(NOTE_CENTS, found.volts, volts_per_octave)
    time = "for as long as one likes" if math.isinf(stands) else f"for {style.engineering(stands, 's')} at the worst"
    cents = style.cents(NOTE_CENTS)
    verdict = {
        "yes": f"It holds a note: within {cents} ct {time}.",
        "no": f"It cannot hold a note: within {cents} ct {time}. It will do for triggers and for sound.",
        "cannot-tell": f"Whether it holds a note for {style.engineering(NOTE_SECONDS, 's')} cannot be told yet: "
        "read on.",
    }
    return [*told, verdict[found.holds]]


def time_words(learned: Learned, style: Style) -> str:
    """A time with its U, in ms."""
    return with_u(Learned(learned.value * 1e3, learned.expanded * 1e3), "ms", style)


def _share(learned: Learned) -> float:
    return min(1.0, limit_of(learned) / abs(learned.value)) if learned.value else 0.0


# -- words -----------------------------------------------------------------------------------------


def law_sentences(found: LearnedLaw, style: Style) -> list[str]:
    """Which law fits, or why it cannot be told yet; and what it comes to."""
    sentences = []
    for one, name in ((found.exponential, "V/oct"), (found.linear, "Hz/V")):
        if one is not None:
            does = "fits" if one.fits else "is near" if found.loosely and one is found.chosen else "does not fit"
            sentences.append(f"{name} {does}: {style.cents(one.worst_cents)} ct off at its worst pair.")
    chosen = found.chosen
    if chosen is None:
        why = {
            "both": "Both laws fit: which it is cannot be told yet. Add a pair an octave or two further away.",
            "neither": "Neither law fits: read the pairs again, after warming up, and look for one that was mistyped.",
        }
        return [*sentences, why[found.verdict]]
    if found.loosely:
        sentences.append(
            "It misses the pairs by more than they are uncertain: it bends, was not warm yet, or one pair is off. The "
            "± are widened by that."
        )
    note = note_label(chosen.law.reference_note, style)
    unit = "V/oct" if isinstance(chosen.law, ExponentialLaw) else f"V at {note}"
    told = f"{with_u(chosen.scale, unit, style)}; "
    where = f"{note} at" if isinstance(chosen.law, ExponentialLaw) else "0 Hz at"
    told += f"{where} {with_u(chosen.reference, 'V', style)}."
    usual = 1.0
    if isinstance(chosen.law, ExponentialLaw) and abs(chosen.scale.value - usual) <= chosen.scale.expanded:
        told += " That is 1 V/oct, as far as these readings can tell."
    return [*sentences, told, f"Taken as {law_words(kept_law(chosen), note)}."]


def with_u(learned: Learned, unit: str, style: Style) -> str:
    """A value with its U, to the digits that U leaves."""
    digits = digits_for(learned.expanded)
    return f"{style.number(learned.value, digits)} ± {style.number(learned.expanded, digits)} {unit}"


def ohms_words(learned: Learned, style: Style) -> str:
    """A resistance with its U, or that it is too small to be told."""
    if learned.value < learned.expanded:
        return (
            f"less than {style.engineering(learned.value + learned.expanded, 'Ω')}: too small to be told by this load"
        )
    scale, unit = (1e6, "MΩ") if learned.value >= 1e6 else (1e3, "kΩ") if learned.value >= 1e3 else (1.0, "Ω")
    return with_u(Learned(learned.value / scale, learned.expanded / scale), unit, style)


def thresholds_sentences(found: Thresholds, style: Style) -> list[str]:
    """Where it goes on and off, its hysteresis, and which kind of input that makes it."""
    kind = "It goes on as the volts fall: a shorting input." if found.falls else "It goes on as the volts rise."
    return [
        f"On from {with_u(found.on, 'V', style)}, off from {with_u(found.off, 'V', style)}. {kind}",
        f"Hysteresis {with_u(found.hysteresis_volts, 'V', style)}. Smaller steps tell more.",
    ]
