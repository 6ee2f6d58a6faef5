"""A finding: something that does not fit, with its number, its reason and what to do."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final, Literal

Severity = Literal["note", "marginal", "fault", "danger"]
FitVerdict = Literal["fits", "marginal", "needs-circuit", "unsafe", "cannot-tell"]
# By code: what it means.  `docs/findings.md` says the same to people; a test holds the two together.
CODES: Final[dict[str, str]] = {
    "input-over-limit": "the input gets more volts than it bears",
    "input-under-limit": "the input gets fewer volts than it bears",
    "output-over-limit": "the output is lifted above what it bears",
    "output-under-limit": "the output is pulled below what it bears",
    "trigger-kind": "a positive gate meets a shorting input, or a contact an input without a pull-up",
    "outside-working-range": "the input survives these volts but is not made to work with them",
    "on-level": "the level that should switch the input on does not reach its threshold, or only just",
    "off-level": "the level that should switch the input off does not reach its threshold, or only just",
}


@dataclass(frozen=True)
class Finding:
    """One finding.  value : its number in `unit`, None where there is none.  text : what, how much, why, what to do."""

    code: str
    severity: Severity
    text: str
    value: float | None = None
    unit: str = ""

    def __post_init__(self) -> None:
        if self.code not in CODES:
            raise ValueError(f"{self.code} is no known code of a finding")


def verdict_of(findings: Iterable[Finding]) -> FitVerdict:
    """What findings come to: the worst of their severities."""
    found = {finding.severity for finding in findings}
    if "danger" in found:
        return "unsafe"
    if "fault" in found:
        return "needs-circuit"
    return "marginal" if "marginal" in found else "fits"
