"""A finding: something that does not fit, with its number, its reason and what to do."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final, Literal

Severity = Literal["note", "marginal", "fault", "danger"]
FitVerdict = Literal["fits", "marginal", "needs-circuit", "unsafe", "cannot-tell"]
# By code: what it means.  `docs/findings.md` says the same to people; a test holds the two together.
CODES: Final[dict[str, str]] = {
    "unknown-value": "a value that the verdict hangs on is not known yet",
    "roles-differ": "the output and the input are of different roles",
    "error": "the worst note is further off than is allowed, with nominal parts",
    "error-at-limits": "with nominal parts all notes are within tolerance, with parts at their limits not",
    "law-mismatch": "one side is V/oct, the other Hz/V",
    "scale-mismatch": "both are V/oct, with different volts for an octave",
    "transposition": "all notes sound whole semitones away",
    "offset": "all notes sound a part of a semitone away",
    "loading": "the inputs load the output's resistance",
    "range-not-covered": "the output does not reach some of the notes used",
    "below-cut-off": "the lowest notes fall under the volts where the voice falls silent",
    "pulse-too-short": "the pulse is shorter than the input takes",
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
    """What findings come to: the worst of their severities; what is unknown counts where nothing is worse."""
    findings = tuple(findings)
    found = {finding.severity for finding in findings}
    if "danger" in found:
        return "unsafe"
    if "fault" in found:
        return "needs-circuit"
    if any(finding.code == "unknown-value" for finding in findings):
        return "cannot-tell"
    return "marginal" if "marginal" in found else "fits"
