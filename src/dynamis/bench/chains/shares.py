"""What each share of an error is, in words, and where it is cured."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from dynamis.bench.document.bench import Link
from dynamis.transfer.chain import Chain, Share

# What takes a share of the error out: how things are joined, the converter's codes, a circuit between, measuring.
CureKind = Literal["joining", "codes", "circuit", "measuring"]


@dataclass(frozen=True)
class Cure:
    """words : how the share is met.  kind : by what.  gap : which transfer of the chain it stands in, None for all."""

    words: str
    kind: CureKind
    gap: int | None


def cure_of(share: Share, chain: Chain, link: Link) -> Cure:
    """How one share of a link's error is met."""
    gap = _gap(share, chain)
    source = share.source
    if source == "design":
        return Cure("as the link is drawn: laws, loading, what stands between", "joining", None)
    if source.endswith("/steps"):
        return Cure("the floor: its codes and limits", "codes", gap)
    if source.startswith(f"{link.id}."):
        return Cure("of the circuit: its parts, its trimmers", "circuit", gap)
    if source.endswith(("dac.reference", "dac.offset")):
        return Cure("measuring takes it out", "measuring", gap)
    if source.endswith("dac.inl"):
        return Cure("a table takes most of it out", "measuring", gap)
    if source.endswith("/drift"):
        return Cure("stays: warm up, and calibrate warm", "joining", gap)
    if source.endswith(".ohms"):
        return Cure("loading: a buffer, or calibrate loaded", "joining", gap)
    return Cure("of the gear: trim it there, or calibrate the pair", "joining", gap)


def _gap(share: Share, chain: Chain) -> int | None:
    for k, transfer in enumerate(chain.transfers):
        if share.source == f"{transfer.id}/steps":
            return k
        sources = {name for one in transfer.parameters() for name in (one.source, one.drift_source)}
        if share.source in sources:
            return k
    return None
