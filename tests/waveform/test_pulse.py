"""Traces whose levels, lengths, edges and droop are known by construction; files as oscilloscopes write them.

Sources: the rise of an RC is 2.1972 of its time constant (ln 9); a corner is 1/(2 pi tau); IEEE Std 181-2011 for what
levels, instants and durations are.
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.signal import lfilter

from dynamis.bench.document.bench import Bench, Gear
from dynamis.bench.document.ports import GateRecord, Port, PortRef
from dynamis.bench.runs.from_trace import take_trace, takers
from dynamis.errors import InputError
from dynamis.files.scope_csv import read_traces
from dynamis.notation.style import Style
from dynamis.waveform.pulse import delay, measure
from dynamis.waveform.trace import Trace
from dynamis.waveform.words import delay_sentence, measured_sentences

STEP = 1e-6
TIME = np.arange(20_000) * STEP


def pulses(low=0.05, high=4.9, up=1.2e-3, period=5e-3, first=1e-3, tau=0.0, noise=0.0, seed=1):
    inside = (first <= TIME) & ((TIME - first) % period < up - 1e-9)
    volts = np.where(inside, high, low).astype(float)
    if tau:
        keep = math.exp(-STEP / tau)
        volts = lfilter([1.0 - keep], [1.0, -keep], volts - low) + low
    return Trace("a", TIME, volts + np.random.default_rng(seed).normal(0.0, noise, TIME.size))


# Low, high, time up, period, time constant, noise.
PULSES = [
    (0.05, 4.9, 1.2e-3, 5e-3, 0.0, 0.0),
    (0.05, 4.9, 1.2e-3, 5e-3, 20e-6, 0.01),
    (-8.0, 8.0, 2.5e-3, 5e-3, 0.0, 0.1),
    (0.0, 0.02, 4e-3, 6e-3, 0.0, 0.001),
    (0.0, 3.3, 2e-4, 5e-3, 5e-6, 0.005),
]


@pytest.mark.parametrize(("low", "high", "up", "period", "tau", "noise"), PULSES)
def test_levels_lengths_and_edges_are_those_that_were_put_in(low, high, up, period, tau, noise):
    found = measure(pulses(low, high, up, period, tau=tau, noise=noise))
    states = found.states
    assert (found.kind, found.droop) == ("pulse", None)
    assert abs(states.low_volts - low) <= states.low_expanded + 1e-9
    assert abs(states.high_volts - high) <= states.high_expanded + 1e-9
    assert states.highs == pytest.approx(up, abs=2.0 * STEP + 0.05 * tau)
    assert states.lows == pytest.approx(period - up, abs=2.0 * STEP + 0.05 * tau)
    assert states.period_seconds == pytest.approx(period, abs=2.0 * STEP)
    if tau:
        assert (states.rise_seconds, states.fall_seconds) == pytest.approx((math.log(9.0) * tau,) * 2, rel=0.1)
    else:
        assert states.rise_seconds <= STEP
        assert "1 µs or less" in " ".join(measured_sentences(found, Style()))


def test_a_high_state_that_sinks_has_the_corner_of_its_time_constant():
    tau = 0.2
    volts = np.where((TIME > 1e-3) & (TIME < 18e-3), 5.0 * np.exp(-(TIME - 1e-3) / tau), 0.0)
    droop = measure(Trace("a", TIME, volts)).droop
    assert droop.time_constant_seconds == pytest.approx(tau, rel=0.05)
    assert abs(droop.per_second + 5.0 / tau) < 0.06 * 5.0 / tau
    words = " ".join(measured_sentences(measure(Trace("a", TIME, volts)), Style()))
    assert f"a corner at {1e3 / (2.0 * math.pi * droop.time_constant_seconds):.1f}" in words.replace("\u00a0", " ")


NO_PULSE = [
    (5.0 * np.sin(2 * np.pi * 100.0 * TIME), "moving", "moves between −5.000 V and 5.000 V"),
    (100.0 * TIME, "moving", "no two states"),
    (np.full(TIME.size, 2.0), "still", "stands still, at 2.000"),
    (2.0 + np.random.default_rng(2).normal(0.0, 0.01, TIME.size), "still", "nothing happens beyond its noise"),
    (2.0 + 0.01 * (np.arange(TIME.size) * 7 % 11 > 8), "still", "stands still"),
    (np.where(TIME > 5e-3, 4.0, 0.0), "pulse", "No pulse is seen whole"),
]


@pytest.mark.parametrize(("volts", "kind", "words"), NO_PULSE)
def test_what_is_no_whole_pulse_is_not_called_one(volts, kind, words):
    found = measure(Trace("a", TIME, volts))
    assert found.kind == kind
    assert words in " ".join(measured_sentences(found, Style())).replace("\u00a0", " ")


def test_the_delay_of_one_channel_after_another():
    late, flat = pulses(first=1.03e-3, high=10.0, noise=0.01, seed=3), Trace("b", TIME, np.zeros(TIME.size))
    value, expanded = delay(pulses(noise=0.01), late)
    assert abs(value - 30e-6) <= expanded < 2e-6
    assert " after a" in delay_sentence((value, expanded), "a", "b", Style())
    assert " before a" in delay_sentence((-value, expanded), "a", "b", Style())
    assert "rises with a" in delay_sentence((1e-7, expanded), "a", "b", Style())
    assert "No delay" in delay_sentence(delay(late, flat), "a", "b", Style())


# -- files -----------------------------------------------------------------------------------------


def rows(separator=",", comma=False, scale=(1.0, 1.0), twice=False):
    """Every hundredth sample of a pulse in rows."""
    shown = pulses(up=2.5e-3)
    for t, v in zip(shown.seconds[::100], shown.volts[::100], strict=True):
        cells = [f"{t / scale[0]:.6f}", f"{v / scale[1]:.5f}"]
        cells += [f"{t / scale[0]:.6f}", f"{-v / scale[1]:.5f}"] if twice else []
        line = separator.join(cells)
        yield line.replace(".", ",") if comma else line


# Header, how numbers are written, names of the channels.
FILES = [
    ("Time,CH1", {}, ["CH1"]),
    ("Record Length,200\nSample Interval,1e-4\n\nTime (s),CH1 (V)", {}, ["CH1 (V)"]),
    ("x;Spannung mV\ns;mV", {"separator": ";", "comma": True, "scale": (1.0, 1e-3)}, ["Spannung mV mV"]),
    ("Time,Channel A\n(ms),(mV)\n", {"scale": (1e-3, 1e-3)}, ["Channel A (mV)"]),
    ("t\tA\tt\tB", {"separator": "\t", "twice": True}, ["A", "B"]),
    ('"Time","A"', {}, ["A"]),
    ("", {"separator": " "}, ["column 2"]),
]


@pytest.mark.parametrize(("header", "how", "names"), FILES)
def test_a_file_is_read_whatever_its_header_is_like(tmp_path, header, how, names):
    path = tmp_path / "scope.csv"
    path.write_text(header + "\n" + "\n".join(rows(**how)) + "\n")
    traces = read_traces(path)
    assert [one.name for one in traces] == names
    states = measure(traces[0]).states
    assert (states.low_volts, states.high_volts) == pytest.approx((0.05, 4.9), abs=1e-6)
    assert states.highs == pytest.approx(2.5e-3, abs=2e-4)
    if len(traces) > 1:
        assert measure(traces[1]).states.low_volts == pytest.approx(-4.9)


def test_samples_off_the_screen_are_counted_and_said(tmp_path):
    path, lines = tmp_path / "scope.csv", list(rows())
    lines[40:43] = [f"{line.split(',')[0]},****" for line in lines[40:43]]
    path.write_text("Time,A\n" + "\n".join(lines))
    (trace,) = read_traces(path)
    assert trace.lost == 3
    assert "3 samples were no number" in " ".join(measured_sentences(measure(trace), Style(), trace.lost))


REFUSED = [
    ("", "is empty"),
    ("hello\nworld\n", "no columns of numbers"),
    ("A,B\n" + "\n".join(f"{k % 7},{k % 5}" for k in range(50)), "rises steadily"),
    ("B,t\n" + "\n".join(f"{k % 5},{k}" for k in range(50)), "none of volts at its right"),
    ("t,A\n" + "\n".join(f"{k},{k % 2}" for k in range(5)), "5 samples; 16 are needed"),
]


@pytest.mark.parametrize(("text", "words"), REFUSED)
def test_what_is_no_trace_is_refused_in_a_sentence(tmp_path, text, words):
    path = tmp_path / "scope.csv"
    path.write_text(text)
    with pytest.raises(InputError, match=words):
        read_traces(path)


# -- into a port -----------------------------------------------------------------------------------


def bench(role, **port):
    return Bench("b", (Gear("g", "Gear", (Port("p", "out", "output", role=role, **port),)),))


REF = PortRef("g", "p")


def test_a_trace_is_taken_into_what_switches_and_into_what_swings():
    clean = take_trace(bench("gate"), REF, measure(pulses())).bench.port(REF).gate
    assert (clean.low_volts, clean.high_volts) == (0.05, 4.9)
    found = measure(pulses(noise=0.02))
    for role, seconds in (("gate", None), ("trigger", 1.2e-3), ("clock", 1.2e-3)):
        gate = take_trace(bench(role), REF, found).bench.port(REF).gate
        assert (gate.kind, gate.low_volts, gate.high_volts) == ("driven", pytest.approx(0.05, abs=0.01), 4.9)
        assert gate.seconds == seconds
    swing = (
        take_trace(bench("modulation"), REF, measure(Trace("a", TIME, 3.0 * np.sin(1e3 * TIME)))).bench.port(REF).swing
    )
    assert (swing.low_volts, swing.high_volts) == (-3.0, 3.0)
    assert (takers(bench("gate")), takers(bench("pitch"))) == ([REF], [])


def test_what_a_trace_does_not_show_is_not_taken():
    step, still = measure(Trace("a", TIME, np.where(TIME > 5e-3, 4.0, 0.0))), measure(Trace("a", TIME, 0.0 * TIME))
    switch = bench("gate", gate=GateRecord("switch"))
    for made, found, words in (
        (bench("trigger"), step, "No pulse is seen whole"),
        (bench("gate"), still, "no two states"),
        (bench("modulation"), still, "stands still"),
        (switch, step, "no levels of its own"),
    ):
        with pytest.raises(InputError, match=words):
            take_trace(made, REF, found)
