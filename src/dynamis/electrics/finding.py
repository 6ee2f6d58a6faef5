"""A finding: something that does not fit, with its number, its reason and what to do."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final, Literal

Severity = Literal["note", "marginal", "fault", "danger"]
FitVerdict = Literal["fits", "marginal", "needs-circuit", "unsafe", "cannot-tell"]
BEST_FIRST: Final[tuple[FitVerdict, ...]] = ("fits", "marginal", "cannot-tell", "needs-circuit", "unsafe")
VERDICT_WORDS: Final[dict[FitVerdict, str]] = {
    "fits": "fits",
    "marginal": "marginal",
    "needs-circuit": "needs a circuit",
    "unsafe": "unsafe",
    "cannot-tell": "cannot tell yet",
}
# By code: what it means.  `docs/findings.md` says the same to people; a test holds the two together.
CODES: Final[dict[str, str]] = {
    "unknown-value": "a value that the verdict hangs on is not known yet",
    "roles-differ": "the output was made for another role than the input, or the two can never meet",
    "error": "the worst note is further off than is allowed, with nominal parts",
    "error-at-limits": "with nominal parts all notes are within tolerance, with parts at their limits not",
    "law-mismatch": "one side is V/oct, the other Hz/V",
    "scale-mismatch": "both are V/oct, with different volts for an octave",
    "zero-hertz": "both are Hz/V, with 0 Hz at different volts",
    "transposition": "all notes sound whole semitones away",
    "offset": "all notes sound a part of a semitone away",
    "loading": "the inputs load the output's resistance",
    "range-not-covered": "the output does not reach some of the notes used",
    "below-cut-off": "the lowest notes fall under the volts where the voice falls silent",
    "never-silent": "a voice falls silent by its pitch only, and the output holds its pitch",
    "pulse-too-short": "the pulse is shorter than the input takes",
    "pulse-too-long": "the pulse outlasts what it starts, and holds or fires it twice",
    "short-of-peak": "the pulse is over before the envelope it starts has reached its peak",
    "edge-wanted": "a level that stays up meets an input that acts on a rise",
    "held-droops": "a hold sinks by so many cents a second",
    "glide-settles": "a glide is near enough to a jump of an octave only so much later",
    "sampled-short": "what clocks a hold opens it for less than it needs to follow",
    "gives-way": "a maximum or minimum passes the other signal in part of its swing",
    "turned-over": "a clock port acts on the level at which its sender rests",
    "held-while-up": "a reset that holds for as long as a level is up",
    "acts-late": "an input acts at the end of what comes",
    "first-step": "a reset that comes with a clock leaves another step than the first",
    "level-wanted": "a pulse meets an input that acts on a level, or a level one that acts on edges",
    "signal-differs": "a clock meets a reset or run input, or one of these a clock input",
    "gate-with-trigger": "the input sounds only when a trigger comes with its gate",
    "clock-rate": "the pulses a quarter note are others than the input counts, or come faster than it follows",
    "reset-missing": "a clock is joined and nothing takes the input back to its first step",
    "input-over-limit": "the input gets more volts than it bears",
    "input-under-limit": "the input gets fewer volts than it bears",
    "output-over-limit": "the output is lifted above what it bears",
    "output-under-limit": "the output is pulled below what it bears",
    "unknown-limit": "a side whose limit nobody gave gets more, or less, than a usual pin bears",
    "no-fix": "none of the circuits known here makes the two fit from the rails at hand",
    "trigger-kind": "a positive gate meets a shorting input, or a contact an input without a pull-up",
    "outside-working-range": "the input survives these volts but is not made to work with them",
    "on-level": "the level that should switch the input on does not reach its threshold, or only just",
    "ac-droop": "an AC-coupled output lets a held voltage sink below what is needed",
    "channel-map": "the channel in the program is another than that of the jack",
    "full-scale-level": "full scale of the output is another than that of the input",
    "balanced-leg": "a balanced output loses half its level, or all of it, on a plug of two poles",
    "bipolar-into-unipolar": "half of a bipolar signal meets an input that ignores negative volts",
    "unipolar-into-bipolar": "a signal from 0 V up moves only half of a bipolar input",
    "bias-missing": "the input sits on a bias that the signal does not have",
    "swing-cut": "the signal swings further than the input acts",
    "swing-short": "the signal moves only part of what the input could be moved",
    "slides": "a pitch follows a voltage that moves without steps",
    "jumps": "a modulation follows a voltage of two levels",
    "curve-differs": "an output moves otherwise between its ends than the input acts",
    "pot-loaded": "a potentiometer is loaded into a curve, and loses range",
    "outputs-contending": "two outputs drive one node, or two pull-ups of different volts meet on one contact",
    "supply-pole": "a supply on a pole of one jack meets something else than a supply",
    "second-signal-lost": "a second signal on a ring is lost, or shorted, by the lead",
    "no-common-return": "two powered things are joined without a common return",
    "nothing-opens": "a pitch is joined and no gate opens the voice",
    "setting-otherwise": "a switch, jumper or mode stands otherwise than the port needs",
    "source-used": "what feeds the jack while nothing is plugged in is cut off",
    "settings-void": "settings that mean nothing while this is plugged in",
    "knob-to-set": "a knob of which nobody said where it stands, and where it is to be set for this link",
    "knob-closed": "a knob stands where nothing gets through",
    "passes-on": "the input passes on what it gets; what becomes of it is told of its gear's outputs",
    "way-gain": "one way into an adder or mixer makes intervals wider or narrower than the voice behind it hears",
    "off-level": "the level that should switch the input off does not reach its threshold, or only just",
}
# Notes that change no verdict and still ask for something to be done.
ASKING: Final = frozenset(
    {
        "reset-missing",
        "nothing-opens",
        "channel-map",
        "second-signal-lost",
        "unknown-value",
        "never-silent",
        "unknown-limit",
        "knob-to-set",
    }
)


@dataclass(frozen=True)
class Finding:
    """One finding.  value : its number in `unit`, None where there is none.  text : what, how much, why, what to do.
    about : which value is not known, where that is asked for.
    """

    code: str
    severity: Severity
    text: str
    value: float | None = None
    unit: str = ""
    about: str = ""

    def __post_init__(self) -> None:
        if self.code not in CODES:
            raise ValueError(f"{self.code} is no known code of a finding")

    @property
    def asks(self) -> bool:
        """Whether something is to be done about it."""
        return self.severity != "note" or self.code in ASKING


def cannot_tell(sentence: str, about: str = "") -> Finding:
    """A value that the verdict hangs on is missing; the sentence says what to measure.  about : which value, where
    somebody asks for it."""
    return Finding("unknown-value", "note", sentence, about=about)


def verdict_of(findings: Iterable[Finding]) -> FitVerdict:
    """What findings come to: the worst of their severities; what is unknown counts where nothing is worse."""
    findings = tuple(findings)
    severities = {finding.severity for finding in findings}
    if "danger" in severities:
        return "unsafe"
    if "fault" in severities:
        return "needs-circuit"
    if any(finding.code == "unknown-value" for finding in findings):
        return "cannot-tell"
    return "marginal" if "marginal" in severities else "fits"
