"""Computer and audio ports: what they reach in volts, what coupling lets through, how their jacks are numbered.

Sources: levels in `electrics/audio_levels.py`; what a plug of two poles leaves of a balanced output is common
practice, no source.
"""

from __future__ import annotations

import math
from typing import Final

from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import AudioRecord, Port, PortRef
from dynamis.electrics.audio_levels import droop_left, seconds_until, sine_peak_volts
from dynamis.electrics.finding import Finding, cannot_tell
from dynamis.notation.style import Style

_MUCH_DECIBELS: Final = 6.0
COUPLING: Final = "coupling"
# Leads that join a ring to nothing.
_LEAVE_RING: Final = ("ring-open", "split")


def peak_volts(port: Port) -> float | None:
    """The peak volts of a port at full scale; None where it is not known."""
    audio = port.audio or AudioRecord()
    if audio.full_scale_volts is not None:
        return audio.full_scale_volts
    return None if audio.full_scale_dbu is None else float(sine_peak_volts(audio.full_scale_dbu))


def left_of_balanced(bench: Bench, link: Link) -> float | None:
    """The share of its level that a balanced output leaves between tip and sleeve; 1 where it is none, or all of its
    inputs are balanced too; None where nobody has measured it."""
    audio = bench.port(link.output).audio
    if audio is None or audio.balanced == "no":
        return 1.0
    taken = [bench.port(ref).audio for ref in link.inputs]
    if taken and all(one is not None and one.balanced != "no" for one in taken):
        return 1.0
    return _left_by(audio.balanced, link.lead)


def _left_by(balanced: str, lead: str) -> float | None:
    """The share of its level that an output leaves between tip and sleeve.

    A lead that leaves the ring open shorts no leg: a cross-coupled output then does not make up for the other.
    """
    if balanced == "cross-coupled":
        return 0.5 if lead in _LEAVE_RING else 1.0
    return {"both-legs": 0.5, "one-leg": 1.0}.get(balanced)


def legs(bench: Bench, link: Link, sink: PortRef) -> list[Finding]:
    """A balanced output into an input that is none."""
    audio, taken = bench.port(link.output).audio or AudioRecord(), bench.port(sink).audio or AudioRecord()
    if audio.balanced == "no" or taken.balanced != "no":
        return []
    left, shorted = _left_by(audio.balanced, link.lead), link.lead not in _LEAVE_RING
    what = f"{bench.label(link.output)} is balanced and {bench.label(sink)} is not: between its tip and sleeve stands "
    if left is None:
        text = f"{what}half of its level, or all of it, or is shorted: measure which."
        return [Finding("balanced-leg", "marginal", text, None, "")]
    if left == 1.0:
        why = "one leg is driven" if audio.balanced == "one-leg" else "the one makes up for the other, which is shorted"
        return [Finding("balanced-leg", "note", f"{what}all of its level, as {why}.", left, "")]
    text = f"{what}half of its level, −6.0 dB."
    if shorted:
        text += " Its other leg is shorted to the sleeve, and sends its current there: a lead with an open ring."
    elif audio.balanced == "cross-coupled":
        text += " With the ring joined to the sleeve it would be all of it."
    return [Finding("balanced-leg", "note", text, left, "")]


def unknown_of(bench: Bench, ref: PortRef, link: Link | None = None) -> list[Finding]:
    """What has to be measured of an audio port before anything else can be told.  link : the one that it sends."""
    port, findings = bench.port(ref), []
    if link is not None and left_of_balanced(bench, link) is None:
        findings.append(
            cannot_tell(
                f"Cannot tell until you measure what {bench.label(ref)}, which is balanced, leaves between tip and "
                "sleeve: half of its level or all of it."
            )
        )
    if port.audio is None or peak_volts(port) is None:
        findings.append(
            cannot_tell(f"Cannot tell until you measure the peak volts of {bench.label(ref)} at full scale.")
        )
    if port.direction == "output" and (port.audio is None or port.audio.coupling == "unknown"):
        findings.append(
            cannot_tell(
                f"Cannot tell until you know whether {bench.label(ref)} holds a voltage: play a step and watch it.",
                COUPLING,
            )
        )
    return findings


def coupling(
    bench: Bench, link: Link, held_volts: float, least_volts: float, style: Style, pulse_seconds: float | None = None
) -> list[Finding]:
    """An AC-coupled output lets a held voltage sink: when `held_volts` has come down to `least_volts`.

    pulse_seconds : how long it is held; None for the longest note of the link.
    """
    port = bench.port(link.output)
    if port.audio is None or port.audio.coupling != "ac":
        return []
    corner, name = port.audio.corner_hertz, bench.label(link.output)
    if corner is None or corner <= 0:
        return [
            cannot_tell(f"{name} is AC-coupled: measure its corner, by playing a step and timing its fall to 37 %.")
        ]
    seconds = link.longest_seconds if pulse_seconds is None else pulse_seconds
    left = float(droop_left(seconds, corner))
    if held_volts * left >= least_volts or held_volts <= 0:
        return []
    lasts = seconds_until(max(least_volts, 1e-9) / held_volts, corner) if least_volts < held_volts else 0.0
    what, cure = ("a held voltage", "Take") if pulse_seconds is None else ("a pulse", "Send shorter ones, or take")
    text = (
        f"{name} is AC-coupled, corner {style.number(corner, 1)} Hz: {what} sinks to {style.share(left)} in "
        f"{style.engineering(seconds, 's')} and is too low after {style.engineering(lasts, 's')}. {cure} an output "
        "that is DC-coupled."
    )
    return [Finding("ac-droop", "fault", text, lasts, "s")]


def pitch_droop(
    bench: Bench, link: Link, volts_per_octave: float, top_volts: float, allowed_cents: float, style: Style
) -> list[Finding]:
    """What AC coupling does to the highest note, in cents, and how long it stays within tolerance.

    Near enough for both laws: volts_per_octave is the slope at that note.
    """
    slack = allowed_cents * volts_per_octave / 1200.0
    return coupling(bench, link, abs(top_volts), max(0.0, abs(top_volts) - slack), style)


def numbering(bench: Bench, link: Link) -> list[Finding]:
    """A jack's number is not the program's."""
    port = bench.port(link.output)
    if port.audio is None or port.audio.channel is None or port.audio.channel == link.program_channel:
        return []
    channel, panel = port.audio.channel, port.audio.panel
    if link.program_channel is None and panel == str(channel):
        return []
    sentence = (
        f"the program sends on {link.program_channel}"
        if link.program_channel is not None
        else "nothing says which channel the program sends on"
    )
    text = (
        f"{bench.label(link.output)} is channel {channel} in programs"
        f"{f', {panel} on the panel' if panel else ''}; {sentence}. Set it to {channel}, and test one "
        "channel at a time."
    )
    return [Finding("channel-map", "note", text, float(channel), "channel")]


def judge_audio(bench: Bench, link: Link, sink: PortRef, style: Style) -> tuple[list[Finding], float | None]:
    """Findings of one audio input, and its head room in decibels."""
    unknown = unknown_of(bench, link.output, link) + unknown_of(bench, sink)
    unknown = [one for one in unknown if one.about != COUPLING]
    sends, takes = peak_volts(bench.port(link.output)), peak_volts(bench.port(sink))
    left = left_of_balanced(bench, link)
    if unknown or sends is None or takes is None or left is None:
        return unknown, None
    sends *= left
    if not (sends > 0 and takes > 0):  # a peak of nothing has no room to be told
        return unknown, None
    room = 20.0 * math.log10(takes / sends)
    if room >= 0 and room <= _MUCH_DECIBELS:
        return [], room
    names = (
        f"{bench.label(link.output)} peaks at {style.volts(sends, 2)}, {bench.label(sink)} takes "
        f"{style.volts(takes, 2)}"
    )
    if room < 0:
        text = f"{names}: full scale clips by {style.number(-room, 1)} dB. Turn the output down by as much, or divide."
        return [Finding("full-scale-level", "fault", text, room, "dB")], room
    text = f"{names}: {style.number(room, 1)} dB of the input's range stay unused. Turn its gain up by as much."
    return [Finding("full-scale-level", "note", text, room, "dB")], room
