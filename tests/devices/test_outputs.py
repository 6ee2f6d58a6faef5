"""A computer's outputs: nothing before it is confirmed, nothing beyond a limit, ramps, and what a stand-in makes of it."""

from __future__ import annotations

import numpy as np
import pytest

from dynamis.control.stepped import Level, Steps
from dynamis.converter.midi_stream import MidiMessage
from dynamis.converter.playing.generators import Generator
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.streaming import LiveConverter
from dynamis.devices.interface import DeviceError
from dynamis.devices.live_out import OutputsLive
from dynamis.devices.players import OutputsPlayer
from dynamis.devices.sound.endless import endless_header
from dynamis.devices.sound.outflow import BLOCK_SECONDS, Line, Outflow
from dynamis.devices.sound.outputs import open_outputs
from dynamis.devices.standins.interface import HiddenOutput, SimulatedInterface

RATE = 8000
BLOCK = round(BLOCK_SECONDS * RATE)


@pytest.fixture
def flow():
    """Outputs of three channels, 10 V at full scale but for the last, whose blocks are asked for by the test."""
    made = Outflow("here", lambda: Line(lambda data: None, lambda: None), [10.0, 10.0, 5.0], 6.0, rate=RATE)
    made._stop.set()
    made._thread.join(2.0)
    made._reach = lambda: None
    return made


def volts(flow, blocks: int = 1) -> np.ndarray:
    frames = [np.frombuffer(flow.block(), "<f4").reshape(-1, 3) for _ in range(blocks)]
    return np.concatenate(frames) * [10.0, 10.0, 5.0]


def test_nothing_leaves_before_it_is_confirmed_and_nothing_beyond_the_limit(flow):
    with pytest.raises(DeviceError, match="no speaker"):
        flow.set_volts(0, 1.0)
    with pytest.raises(DeviceError, match="no speaker"):
        flow.play({0: Generator("sine", 0.0, 1.0)})
    assert not volts(flow, 3).any()
    flow.confirm(True)
    for channel, asked, why in (
        (0, 6.1, "at most 6 V"),
        (0, -6.1, "at most 6 V"),
        (2, 5.5, "at most 5 V"),
        (3, 1.0, "has 3 channels"),
    ):
        with pytest.raises(DeviceError, match=why):
            flow.set_volts(channel, asked)
        with pytest.raises(DeviceError, match=why):
            flow.play({channel: Generator("offset", 0.0, asked)})
    flow._wanted[:] = 3.0  # whatever asks for it, the last step holds
    flow.block()
    assert np.max(np.abs(volts(flow))) == pytest.approx(6.0)


def test_what_silence_puts_out_is_taken_off_again(flow):
    """A channel that gives 0.1 V for silence, and 10 V more for a sample of 1."""
    flow._offset = np.array([0.1, 0.0, -0.2])
    flow.confirm(True)
    flow.set_volts(0, 4.0)
    flow.play({2: Generator("offset", 0.0, 1.0)})
    last = volts(flow, 2)[-1]
    assert last == pytest.approx([3.9, 0.0, 1.2])
    flow._wanted[:] = -3.0
    flow.block()
    assert volts(flow)[-1, 0] == pytest.approx(-6.1)  # −6 V at the jack


def test_levels_are_reached_by_a_ramp_and_let_go_at_once(flow):
    flow.confirm(True)
    flow.set_volts(0, 4.0)
    first = volts(flow)[:, 0]
    assert np.max(np.abs(np.diff(first))) < 4.0 / (0.005 * RATE) + 1e-5
    assert first[-1] == pytest.approx(4.0)
    assert np.all(volts(flow)[:, 0] == first[-1])
    flow.make_safe()
    assert abs(volts(flow)[-1, 0]) == 0.0
    flow.set_volts(1, 1.0)
    volts(flow)
    flow.confirm(False)
    assert not volts(flow)[-1].any()


def test_signals_are_followed_sample_by_sample_and_end_at_nought(flow):
    flow.confirm(True)
    steps = Steps(np.array([0.0, 0.015, 0.031]), np.array([0.0, 5.0, 2.0]))
    flow.play({0: steps, 1: Generator("triangle", -2.0, 2.0, 25.0)}, 0.05)
    assert flow.played_seconds == 0.0
    got, instants = volts(flow, 5), np.arange(5 * BLOCK) / RATE
    assert got[BLOCK:, 0] == pytest.approx(steps.at(instants[BLOCK:]), abs=1e-6)
    assert got[BLOCK:, 1] == pytest.approx(Generator("triangle", -2.0, 2.0, 25.0).at(instants[BLOCK:]), abs=1e-5)
    assert not got[:, 2].any()
    after = volts(flow)
    assert flow.played_seconds is None
    assert not after[-1].any()
    flow.play({0: steps})
    flow.stop()
    assert not volts(flow)[-1].any()


def test_a_player_says_what_does_not_fit(flow):
    flow.confirm(True)
    aim = lambda note: (note / 12.0, 7)  # noqa: E731
    assert OutputsPlayer(lambda: flow, 0, aim, 10.0).play(36.0) == 7
    assert volts(flow)[-1, 0] == pytest.approx(3.0)
    for player, why in (
        (OutputsPlayer(lambda: flow, 0, aim, 8.7), "counts on 8.7 V at full scale"),
        (OutputsPlayer(lambda: flow, 5, aim, 10.0), "has 3 channels; channel 6"),
    ):
        with pytest.raises(DeviceError, match=why):
            player.recover()
    with pytest.raises(DeviceError, match=r"the input bears 2\.5 V"):
        OutputsPlayer(lambda: flow, 0, aim, None, (0.0, 2.5)).play(36.0)
    with pytest.raises(DeviceError, match="are not connected"):
        OutputsPlayer(lambda: None, 0, aim).recover()
    OutputsPlayer(lambda: None, 0, aim).close()
    OutputsPlayer(lambda: flow, 0, aim).close()
    assert not volts(flow)[-1].any()


@pytest.mark.parametrize(
    ("address", "why"),
    [
        ("somewhere", "host:port was expected"),
        ("127.0.0.1:99999", "host:port"),
        ("127.0.0.1:1", "Nobody takes sound"),
        ("", "host:port"),
    ],
)
def test_addresses_that_take_nothing_are_refused(address, why):
    with pytest.raises(DeviceError, match=why):
        open_outputs(address, [10.0], 5.0)
    with pytest.raises(DeviceError, match="channels with volts"):
        open_outputs("127.0.0.1:1", [], 5.0)


def test_a_stand_in_has_gains_offsets_a_map_and_a_coupling():
    """A coupling of corner f falls as e^(-2πft) (RC, derived): at 2 Hz to 37 % in 80 ms (a fact of the trade)."""
    made = SimulatedInterface([HiddenOutput(1.01, 0.003), HiddenOutput(corner_hertz=2.0)], 10.0, RATE, first_channel=1)
    frames = np.zeros((round(0.0796 * RATE), 3))
    frames[:, 1:] = 0.5
    made.take(frames)
    assert made.jack_volts(0) == pytest.approx(1.01 * 5.0 + 0.003)
    assert made.jack_volts(1) == pytest.approx(5.0 * np.exp(-1.0), rel=2e-3)
    made.couple(1, None)
    made.take(frames)
    assert made.jack_volts(1) == pytest.approx(5.0)
    made.let_go()
    assert (made.jack_volts(0), made.jack_volts(1)) == (0.003, 0.0)
    assert endless_header(3, RATE)[22:28] == bytes([3, 0, 0x40, 0x1F, 0, 0])


@pytest.mark.parametrize("seed", range(6))
def test_what_is_played_live_leaves_whole_and_evenly_late(flow, seed):
    """Random keys, blocks asked for unevenly by up to 4 ms: each channel is the converter's signal, later by one time."""
    rng, now = np.random.default_rng(seed), [0.0]
    setting = ConverterSetting(trigger_seconds=0.003, clocks=(), trigger=Level(0.0, 4.0), gate=Level(0.0, 5.0))
    twin = LiveConverter(setting, lambda name, when, value: told[name].append((when, value)))
    told = {name: [(0.0, twin.stands(name))] for name in twin.names}
    flow.confirm(True)
    live = OutputsLive(flow, setting, {"gate": 0, "trigger": 2}, lambda: now[0])
    times = np.sort(rng.uniform(0.02, 0.95, 60))
    messages = [
        (float(at), MidiMessage(0x90, bytes([60 + k % 5, int(rng.integers(0, 2) * 90)]))) for k, at in enumerate(times)
    ]
    frames, waiting = [], list(messages)
    for k in range(100):
        now[0] = 0.01 * k + float(rng.uniform(0.0, 0.004))
        while waiting and waiting[0][0] <= now[0]:
            seconds, message = waiting.pop(0)
            live.take(seconds, message)
            twin.take(seconds, message.status, *message.data)
        frames.append(volts(flow))
    twin.settle(2.0)
    out = np.concatenate(frames)
    assert (live.trouble, len(frames)) == ("", 100)
    at = np.arange(out.shape[0]) / RATE
    for channel, name in ((0, "gate"), (2, "trigger")):
        when, value = (np.array([row[k] for row in told[name]]) for k in (0, 1))
        wanted = value[np.maximum(np.searchsorted(when, at + live._behind, side="right") - 1, 0)]
        later = slice(1000, None)  # behind the first block's ramp
        differs = np.abs(out[later, channel] - wanted[later]) > 1e-3
        assert np.mean(differs) < 2e-3, name  # a sample at an edge
        rises = np.flatnonzero(np.diff(out[:, channel]) > 2.0).size
        assert rises == np.flatnonzero(np.diff(value) > 2.0).size, name
    live.close()
    assert not flow._parts
