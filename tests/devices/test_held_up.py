"""A computer that is held up: nobody is called silent for it, and nothing is read off instants that nobody knows."""

from __future__ import annotations

import math
from types import SimpleNamespace

import pytest

from dynamis.calibration.learning.coupling import learn_coupling
from dynamis.devices import visa_line
from dynamis.devices.interface import DeviceError, Shown
from dynamis.devices.running_time import RunningTime, wait_until
from dynamis.devices.scpi_meter import ScpiMeter
from dynamis.devices.step_test import stepped
from dynamis.errors import InputError

CORNER_HERTZ, VOLTS = 2.0, 2.0


def test_time_counts_only_while_the_program_runs():
    now = [0.0]
    running = RunningTime(lambda: now[0])
    told = []
    for now[0] in (0.0, 0.05, 0.1, 60.1, 60.15, 60.14):  # a minute away; and a clock that goes back is none
        told.append(running())
    assert told == pytest.approx([0.0, 0.05, 0.1, 0.2, 0.25, 0.25])


def test_what_is_waited_for_is_looked_at_until_its_time_is_over_and_once_more():
    waits = []
    assert not wait_until(lambda seconds: waits.append(seconds), 0.0)
    assert waits == [0.0]
    assert wait_until(lambda seconds: len(waits) > 3 or waits.append(seconds), 5.0)
    assert max(waits) <= 0.1


class Bench:
    """Outputs behind a capacitor, by whose samples its voltage falls, and a meter; both at times that are told.

    late : by the number of a reading, how long the computer stands still in it.  drains : whether the samples that
    waited meanwhile flow at once after it; else they never do.
    """

    def __init__(self, late: dict[int, float], *, drains: bool) -> None:
        self.now, self.poured, self._late, self._drains, self._count = 0.0, 0.0, late, drains, 0
        self.outputs = SimpleNamespace(set_volts=lambda channel, volts: None, poured_seconds=0.0)
        self.meter = SimpleNamespace(prepare=lambda quantity, scale: None, read=self.read)

    def wait(self, seconds: float) -> None:
        self.now += seconds
        self.outputs.poured_seconds += seconds

    def read(self) -> Shown:
        self._count += 1
        late = self._late.get(self._count, 0.0)
        self.now += late  # nothing flows
        self.wait(0.005)
        shown = VOLTS * math.exp(-2.0 * math.pi * CORNER_HERTZ * self.outputs.poured_seconds)
        self.outputs.poured_seconds += late * self._drains
        return Shown(shown, 10.0, 1e-4)

    def step(self):
        return stepped(self.outputs, 0, VOLTS, self.meter, 1.0, clock=lambda: self.now, sleep=self.wait)


@pytest.mark.parametrize("late", [{}, {9: 0.2}, {3: 0.08, 9: 0.3, 40: 0.1}])
def test_a_step_that_is_read_while_the_computer_is_held_up_has_the_corner_that_it_has(late):
    steps = Bench(late, drains=True).step()
    found = learn_coupling(steps).corner_hertz
    assert abs(found.value - CORNER_HERTZ) < found.expanded < 0.7
    assert max(one.seconds_deviation for one in steps) < 0.02  # what was held up is left out


def test_where_what_flowed_and_the_clock_never_agree_again_nothing_is_made_of_it():
    with pytest.raises(InputError, match=r"held up while the step was read: of [0-9]+ readings only 2 can") as told:
        Bench({4: 0.5}, drains=False).step()
    assert not isinstance(told.value, DeviceError)  # it is no trouble of the outputs


@pytest.mark.xdist_group("real time")
def test_an_answer_that_came_while_the_program_stood_still_is_read(lantern, monkeypatch):
    """The meter answers after more than it is waited for, by a clock that stands; and then by one that goes."""
    meter = ScpiMeter(lantern.meter.address, seconds=0.3)
    meter.prepare("volts", 10.0)
    with monkeypatch.context() as held_up:
        held_up.setattr(visa_line, "running_seconds", lambda: 0.0)
        lantern.do("meter late", 0.8)
        assert abs(meter.read().value) < 10.0
    lantern.do("meter late", 0.8)
    with pytest.raises(DeviceError, match=r"has not answered within 0\.3 s"):
        meter.read()
    meter.close()
