"""What a clock, reset or run input does with what comes: on an edge or a level, once or while held, in which order."""

from __future__ import annotations

from dynamis.bench.chains.branches import own_part
from dynamis.bench.document.bench import Bench, Link
from dynamis.bench.document.ports import SWITCHING, ClockRecord, GateRecord, Port, PortRef
from dynamis.control.pulses import Pulses, regular
from dynamis.control.sequencer import Listening, steps_of
from dynamis.electrics.finding import Finding
from dynamis.notation.style import Style

_STEPS = 4


def judge_acting(bench: Bench, link: Link, sink: PortRef, seconds: float | None, style: Style) -> list[Finding]:
    """Findings of how a clock port acts; none where nobody said how.

    seconds : of the pulses that come, None for as long as something is held.
    """
    port = bench.port(sink)
    clock = port.clock
    if clock is None:
        return []
    found = _first_step(bench, sink, style)
    if not clock.acts:
        return found
    sends, takes = bench.label(link.output), bench.label(sink)
    falls = _rests_high(bench, link, sink)
    how = _HELD.get(clock.acts)
    if how is not None and clock.signal == "reset":
        found += _held(sends, takes, how, seconds, falls)
    elif how is not None and clock.signal == "run" and seconds is None and (how == "low") is not falls:
        text = (
            f"{takes} runs while its input is {how}, {sends} is {'low' if how == 'high' else 'high'} while it runs: it "
            "would play in the pauses. A circuit that turns the level over, or the other polarity in the sender."
        )
        found.append(Finding("turned-over", "fault", text))
    elif clock.signal == "run" and how is None and seconds is None:
        text = (
            f"{takes} starts and stops in turn at each {clock.acts} of its input, {sends} stays up while it runs: the "
            "first start starts it, and the next one stops it. Take a trigger at the start and at the stop."
        )
        found.append(Finding("level-wanted", "fault", text))
    switches = bench.port(link.output).role in SWITCHING
    if switches and clock.acts == ("rise" if falls else "fall") and clock.signal != "run":
        when = "when the key is let go" if seconds is None else f"{style.engineering(seconds, 's')} after it began"
        text = (
            f"{takes} acts as its input {'rises' if falls else 'falls'}: at the end of what {sends} sends, {when}. Its "
            "other polarity, or a circuit that turns the level over, makes it act at the beginning."
        )
        found.append(Finding("acts-late", "marginal" if seconds is None else "note", text, seconds, "s"))
    return found


_HELD = {"while-high": "high", "while-low": "low"}


def _held(sends: str, takes: str, how: str, seconds: float | None, falls: bool) -> list[Finding]:
    """A reset that holds for as long as a level lasts."""
    if (how == "low") is not falls:
        text = (
            f"{takes} is held on its first step while its input is {how}, which is where {sends} rests: it never "
            "goes on. A circuit that turns the level over, or the other polarity."
        )
        return [Finding("turned-over", "fault", text)]
    if seconds is None:
        text = (
            f"{takes} stands on its first step while its input is {how}: for as long as {sends} is there no clock "
            "moves it. A trigger resets it once."
        )
        return [Finding("held-while-up", "marginal", text)]
    return []


def _rests_high(bench: Bench, link: Link, sink: PortRef) -> bool:
    """Whether what comes to an input falls when something begins: a contact onto a pull-up, or a level turned over."""
    if own_part(link, sink).gate_stages:
        # Circuits for gates are chosen so that the input goes on when the sender does.
        return bench.port(sink).pulls_up
    gate = bench.port(link.output).gate or GateRecord("driven")
    turned = None not in (gate.low_volts, gate.high_volts) and (gate.low_volts or 0.0) > (gate.high_volts or 0.0)
    return gate.kind == "switch" or turned


def _first_step(bench: Bench, sink: PortRef, style: Style) -> list[Finding]:
    """Which step sounds first where a reset and a clock come together, played through by the rules of its inputs."""
    port, gear = bench.port(sink), bench.gear_by(sink.gear)
    if port.clock is None or port.clock.signal != "reset" or not port.clock.together:
        return []
    clock = next((one for one in gear.inputs("clock") if one.clock is not None and one.clock.signal == "clock"), None)
    if clock is None or port.clock.acts == "while-low":  # held all the time, which is told by itself
        return []
    wanted, played = list(range(1, _STEPS + 1)), steps_after(port, clock)
    if played == wanted:
        return []
    mends = [words for words, seconds in _MOVED if steps_after(port, clock, seconds) == wanted]
    todo = f"Send the reset {mends[0]}." if mends else "No other moment of the reset mends that; set it in the gear."
    text = (
        f"Where a reset comes with a clock, {bench.label(sink)} plays steps {style.listed(map(str, played))} to "
        f"{_STEPS} clocks, the one that comes with it counted. {todo}"
    )
    return [Finding("first-step", "note", text, float(played[0]), "")]


_MOVED = (
    ("a few milliseconds before the clock", -0.01),
    ("a few milliseconds behind the clock", 0.01),
    ("between two clocks", -0.2),
)


def steps_after(reset: Port, clock: Port, moved_seconds: float = 0.0) -> list[int]:
    """The steps, counted from 1, that sound at four clocks 0.5 s apart, the first of which a reset comes with.

    What stands in the middle between two clocks is what sounds; the row stood on its third step before.
    moved_seconds : of the reset against that clock.
    """
    resets, clocks = reset.clock or ClockRecord("reset"), clock.clock or ClockRecord()
    stream = regular(2.0, 0.002, _STEPS, first_seconds=1.0)
    listening = Listening(
        clock="fall" if clocks.acts == "fall" else "rise",
        reset=resets.acts or "rise",
        reset_with="next-clock" if resets.waits else "at-once",
        first=resets.together or "reset-alone",
        together_seconds=0.003,
    )
    first = Pulses(stream.rises_seconds[:1] + moved_seconds, stream.falls_seconds[:1] + moved_seconds)
    steps = steps_of(stream, 2 * _STEPS, listening, first, starts_on=2)
    at = [1.25 + k * 0.5 for k in range(_STEPS)]
    return [[one.step for one in steps if one.seconds <= instant][-1] + 1 for instant in at]
