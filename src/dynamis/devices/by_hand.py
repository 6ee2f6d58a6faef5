"""Somebody at the bench as what plays or reads: asked for one thing after another, from the thread that takes a run."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from dynamis.devices.interface import DeviceError, Measurand, Shown
from dynamis.devices.taking import Control

IDENTITY = "by hand"


@dataclass(frozen=True)
class Question:
    """What somebody is asked for.  wants : that a note be played or set, or the reading of one in a quantity."""

    wants: Literal["play", "volts", "hertz", "cents"]
    note: float


class Hand:
    """ask : called with each question, and with None once it is answered; from the taking's thread."""

    def __init__(self, control: Control, ask: Callable[[Question | None], None]) -> None:
        self._control, self._ask = control, ask
        self._question: Question | None = None
        self._answer: float | None = None

    def answer(self, value: float = 0.0) -> None:
        """What was asked for is done, or read; from any thread.  Without a question it is passed over."""
        if self._question is not None:
            self._answer = value
            self._control.notify()

    def wait(self, question: Question) -> float:
        """Ask, and wait for the answer; raises `DeviceError` (cut off) when paused meanwhile."""
        self._question, self._answer = question, None
        self._ask(question)
        try:
            if not self._control.until(lambda: self._answer is not None) or self._answer is None:
                raise DeviceError("cut off", "")
            return self._answer
        finally:
            self._question = None
            self._ask(None)


class _ByHand:
    identity = IDENTITY

    def __init__(self, hand: Hand) -> None:
        self._hand = hand
        self._note = 0.0

    def recover(self) -> None:
        """Somebody is there."""

    def close(self) -> None:
        """Nothing to let go."""


class HandPlayer(_ByHand):
    """Somebody plays the notes, or sets the volts that stand for them."""

    def play(self, note: float) -> None:
        self._hand.wait(Question("play", note))

    def make_safe(self) -> None:
        """It is in somebody's hand already."""


class HandMeter(_ByHand):
    """Somebody reads.  note : tells which note is up."""

    tells_steady = True

    def __init__(self, hand: Hand, note: Callable[[], float]) -> None:
        super().__init__(hand)
        self._which = note
        self._quantity: Measurand = "volts"

    def prepare(self, quantity: Measurand, full_scale_volts: float | None) -> None:
        self._quantity = quantity

    def read(self) -> Shown:
        return Shown(self._hand.wait(Question(self._quantity, self._which())))
