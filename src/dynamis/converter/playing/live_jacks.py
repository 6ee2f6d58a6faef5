"""The jacks of a converter that plays as messages come: where each stands, and what falls due on them."""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable

from dynamis.control.stepped import Level
from dynamis.converter.playing.rendering import ConverterSetting

Tell = Callable[[str, float, float], object]
MOST_DATA = 127.0


class LiveJacks:
    """tell : is given the name of a signal, when, and its volts from then on, once `silent` is no more.  endings : what
    stands behind the names of each voice's signals."""

    def __init__(self, setting: ConverterSetting, endings: tuple[str, ...], tell: Tell) -> None:
        self.setting, self.endings, self._tell = setting, endings, tell
        self.silent, self.stands = True, dict[str, float]()
        count = len(endings)
        self._up = [False] * count  # what a gate is, gaps apart
        self._was_up = list(self._up)  # ahead of the message
        self._gap_until = [-math.inf] * count
        self._fired_until = [-math.inf] * count
        self._pulse_until: dict[str, float] = {}
        self._due: list[tuple[float, int, Callable[[float], object]]] = []
        self._order = 0

    def put(self, name: str, when: float, volts: float) -> None:
        if self.stands.get(name) != volts:
            self.stands[name] = volts
            if not self.silent:
                self._tell(name, when, volts)

    def put_share(self, name: str, when: float, level: Level, share: float) -> None:
        """share : of the way from the lower to the upper level."""
        self.put(name, when, level.low + (level.high - level.low) * share)

    # -- a voice -------------------------------------------------------------------------------------

    def begin_message(self) -> None:
        """What gates are now is what they were ahead of the message that is played next."""
        self._was_up = list(self._up)

    def gate(self, voice: int, when: float, up: bool) -> None:
        self._up[voice] = up
        self._put_gate(voice, when)

    def strike(self, voice: int, when: float, velocity: int) -> None:
        self.put_share(f"velocity{self.endings[voice]}", when, self.setting.velocity, velocity / MOST_DATA)
        gap = self.setting.gap_seconds
        if gap > 0.0 and self._was_up[voice]:
            self._gap_until[voice] = when + gap
            self._put_gate(voice, when)
            self._later(when + gap, lambda then: self._put_gate(voice, then))

    def fire(self, voice: int, when: float) -> None:
        name = f"trigger{self.endings[voice]}"
        self._fired_until[voice] = until = when + self.setting.trigger_seconds
        self.put(name, when, self.setting.trigger.high)

        def over(then: float) -> None:
            if then >= self._fired_until[voice]:  # no press has restarted its length
                self.put(name, then, self.setting.trigger.low)

        self._later(until, over)

    def _put_gate(self, voice: int, when: float) -> None:
        level = self.setting.gate
        up = self._up[voice] and when >= self._gap_until[voice]
        self.put(f"gate{self.endings[voice]}", when, level.high if up else level.low)

    # -- clocks --------------------------------------------------------------------------------------

    def pulse(self, name: str, rise: float, fall: float) -> None:
        if name not in self.stands:
            return  # no jack
        self._pulse_until[name] = max(fall, self._pulse_until.get(name, fall))
        self.put(name, rise, self.setting.clock.high)
        if math.isfinite(fall):
            self._later(fall, lambda when: self.fall(name, when) if when >= self._pulse_until[name] else None)

    def fall(self, name: str, when: float) -> None:
        if name in self.stands:
            self.put(name, when, self.setting.clock.low)

    # -- what falls due ------------------------------------------------------------------------------

    @property
    def next_due(self) -> float:
        return self._due[0][0] if self._due else math.inf

    def settle_one(self) -> None:
        when, _, work = heapq.heappop(self._due)
        work(when)

    def _later(self, when: float, work: Callable[[float], object]) -> None:
        self._order += 1
        heapq.heappush(self._due, (when, self._order, work))
