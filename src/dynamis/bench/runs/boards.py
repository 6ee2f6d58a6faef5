"""What a board should hold for a channel, and where the board and the bench differ."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from dynamis.bench.chains.port_transfers import make_dac, make_head
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import AdoptionRecord, HeadRecord, HeldRecord, RunRecord, SendRecord
from dynamis.converter.firmware import BoardCorrection, board_correction
from dynamis.errors import InputError
from dynamis.pitch.laws import parse_law
from dynamis.pitch.tuning import Tuning
from dynamis.transfer.registry import StoredTransfer


def board_letter(bench: Bench, channel: PortRef, channels: str) -> str:
    """The letter by which a board calls a channel: its pitch outputs in their order, from the first letter on.

    Raises `InputError` where the board has fewer channels than that.
    """
    gear = bench.gear_by(channel.gear)
    pitch = [port.id for port in gear.ports if port.direction == "output" and port.role == "pitch"]
    index = pitch.index(channel.port)
    if index >= len(channels):
        raise InputError(
            f"{bench.label(channel)} is the channel number {index + 1} of {gear.name}; the board that answers has "
            f"{len(channels)}."
        )
    return channels[index]


def channel_correction(bench: Bench, channel: PortRef, head: HeadRecord) -> BoardCorrection:
    """A head for a channel as a board holds it; raises `InputError` without a converter and a law."""
    port = bench.port(channel)
    stored = next((one for one in port.transfers if one.kind == "dac"), None)
    if stored is None or port.law is None:
        raise InputError(f"{bench.label(channel)} has no converter and law; a board's correction needs both.")
    return _correction(stored, port.law, head, tuning_of(bench))


def run_correction(run: RunRecord) -> BoardCorrection | None:
    """What a board has to hold for a run's codes; None where the run knows no converter."""
    return None if run.converter is None else _correction(run.converter, run.law, run.head, run.pitch_tuning)


def _correction(stored: StoredTransfer, law: str, head: HeadRecord, tuning: Tuning) -> BoardCorrection:
    dac = make_dac("converter", stored).dac
    return board_correction(make_head("head", head, parse_law(law), dac, tuning))


def held_words(
    held: BoardCorrection,
    bench: Bench,
    channel: PortRef,
    adoptions: Sequence[AdoptionRecord],
    sends: Sequence[SendRecord],
) -> str:
    """What a correction on a board is, as far as the bench knows it."""
    for adoption in reversed(adoptions):
        if (adoption.gear, adoption.port) != (channel.gear, channel.port) or adoption.kind == "withdrawn":
            continue
        if channel_correction(bench, channel, adoption.head).hash == held.hash:
            kind = "table" if adoption.head.kind == "table" else "constants"
            return f"the {kind} adopted {adoption.adopted[:10]} for unit {adoption.serial}"
    if channel_correction(bench, channel, HeadRecord()).hash == held.hash:
        return "the nominal values"
    if any(sent.after == HeldRecord.of(held) for sent in sends):
        return "what was sent there before"
    size = f"a table of {len(held.sixteenths)} notes" if held.sixteenths else "constants"
    return f"{size} that this bench does not know"


def difference_sentence(
    bench: Bench,
    channel: PortRef,
    head: HeadRecord,
    held: BoardCorrection,
    adoptions: Sequence[AdoptionRecord],
    sends: Sequence[SendRecord],
) -> str | None:
    """Where the board and the bench differ, and what to do; None where they agree."""
    wanted = channel_correction(bench, channel, head)
    if wanted.hash == held.hash:
        return None
    words = held_words(held, bench, channel, adoptions, sends)
    force = {"nominal": "the nominal values are", "constants": "constants are", "table": "a table is"}[head.kind]
    return (
        f"The board holds {words} ({held.hash}); on the bench {force} in force ({wanted.hash}). "
        "Send what is in force, or change what is in force here."
    )


def sendings(sends: Sequence[SendRecord]) -> list[SendRecord]:
    """One record for each sending, newest first: its success where it came to one, else its beginning."""
    told: list[SendRecord] = []
    for sent in sends:
        own = {"id": sent.id, "uid": sent.uid, "at": sent.at, "verified": True}
        if told and not told[-1].verified and replace(told[-1], **own) == sent:
            told[-1] = sent
        else:
            told.append(sent)
    return told[::-1]
