"""What an instrument is told, word for word: as SCPI has it unless somebody wrote it otherwise.

Source of the words that are there at first: SCPI-1999 vol. 2 (MEASure and CONFigure in 3, SOURce in 19, OUTPut in 15,
SYSTem:ERRor in 21.8), IEEE 488.2 10.3 (*CLS) and 10.14 (*IDN?); from memory.
"""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import Final, Self

from dynamis.errors import InputError
from dynamis.notation.safe import quoted

MOST_CHARACTERS: Final = 120


@dataclass(frozen=True)
class Words:
    """Words by what they are for; an empty one is not said.  Made by `with_words`, which checks them."""

    identity: str = "*IDN?"
    clear: str = "*CLS"
    error: str = "SYST:ERR?"

    def with_words(self, **said: str) -> Self:
        """The same with other words; raises `InputError` for some that cannot be said."""
        known = {one.name for one in fields(self)}
        for name, text in said.items():
            if name not in known:
                raise InputError(f"There are no words for {quoted(name)}; there are {', '.join(sorted(known))}.")
            self._check(name, text)
        return replace(self, **{name: text.strip() for name, text in said.items()})

    def differences(self, usual: Words) -> dict[str, str]:
        """What is said otherwise than usual."""
        every = {one.name: getattr(self, one.name) for one in fields(self)}
        return {name: text for name, text in every.items() if text != getattr(usual, name)}

    def _check(self, name: str, text: str) -> None:
        if not text.isascii() or not (text.isprintable() or not text) or len(text) > MOST_CHARACTERS:
            raise InputError(
                f"The words for {name.replace('_', ' ')} are {quoted(text)}; printable ASCII of at most "
                f"{MOST_CHARACTERS} characters was expected."
            )
        wants = NEEDS.get((type(self).__name__, name), "")
        if wants and wants not in text:
            raise InputError(
                f"The words for {name.replace('_', ' ')} are {quoted(text)}; {wants} has to stand in them."
            )


@dataclass(frozen=True)
class MeterWords(Words):
    """Of a meter or counter.

    volts, hertz : set what is measured; {range} is the full scale in volts.  read : asks for one fresh reading.
    setting : asks what it is set to, answered as `"VOLT:DC 10,0.0001"`; empty for one that does not tell.
    """

    volts: str = "CONF:VOLT:DC {range}"
    hertz: str = "CONF:FREQ"
    read: str = "READ?"
    setting: str = "CONF?"


@dataclass(frozen=True)
class SourceWords(Words):
    """Of a voltage source.

    volts : sets it; {volts} is the number.  on, off : connect its output, and let it go.  setting : asks what it is set
    to, answered by a number; empty for one that does not tell.
    """

    volts: str = "SOUR:VOLT {volts}"
    on: str = "OUTP ON"
    off: str = "OUTP OFF"
    setting: str = "SOUR:VOLT?"


# What has to be said, and what has to stand in it.
NEEDS: Final = {("MeterWords", "read"): "?", ("SourceWords", "volts"): "{volts}"}
