"""`dynamis render`: a MIDI file through the simulated converter, as a WAV and as a list of events."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal, cast

import click

from dynamis.cli.options import (
    NUMBER,
    WHOLE,
    ClickCommand,
    law_from,
    naming_from,
    naming_option,
    numbers_from,
    pitch_options,
    tuning_from,
)
from dynamis.cli.output import emit_json, emit_table, number, say
from dynamis.control.stepped import Level
from dynamis.converter.playing.rendering import ConverterSetting, Rendered, render_song
from dynamis.converter.playing.voices import FiresOn, Priority, VoiceRules
from dynamis.errors import InputError
from dynamis.files.events_csv import write_events
from dynamis.files.midi_file import read_song
from dynamis.files.wav_writer import WavChannel, write_wav
from dynamis.files.writing import publish, real_target
from dynamis.notation.numbers import parse_plain
from dynamis.notation.safe import quoted
from dynamis.notation.style import Style, plain

_FILE = click.Path(path_type=Path)
_MOST_VOLTS = 1000.0


def _level_option(name: str, default: str, help_text: str) -> Callable[[ClickCommand], ClickCommand]:
    return click.option(f"--{name}-volts", default=default, show_default=True, metavar="LOW:HIGH", help=help_text)


@click.command()
@click.argument("song_file", metavar="SONG.mid", type=_FILE)
@click.option("-o", "--output", type=_FILE, required=True, metavar="CV.wav", help="The WAV to write.")
@click.option("--events", type=_FILE, metavar="EVENTS.csv", help="Every change of every signal.")
@click.option("--law", default="voct", show_default=True, metavar="LAW", help="voct:… or hzv:…")
@click.option("--channel", type=WHOLE, default=1, show_default=True, help="MIDI channel, 1 to 16.")
@click.option("--track", type=WHOLE, metavar="N", help="This track only, from 1.")
@click.option("--priority", type=click.Choice(["last", "low", "high", "first"]), default="last", show_default=True)
@click.option("--trigger", type=click.Choice(["every-press", "new-pitch"]), default="every-press", show_default=True)
@click.option("--trigger-seconds", type=NUMBER, default=0.005, show_default=True, help="Length of a trigger.")
@click.option("--bend-semitones", type=NUMBER, default=2.0, show_default=True, help="The wheel's range.")
@click.option("--bend-into-pitch", is_flag=True, help="The wheel moves the pitch too.")
@_level_option("gate", "0:5", "The gate's levels.")
@_level_option("trigger", "0:5", "The trigger's levels.")
@_level_option("velocity", "0:5", "Velocity 0 and 127.")
@_level_option("bend", "-1:1", "The wheel's ends.")
@_level_option("mod", "0:5", "Modulation 0 and 127.")
@click.option("--clock-ppq", default="1,4", show_default=True, metavar="N,…", help="Pulses a quarter note.")
@_level_option("clock", "0:5", "The clocks' levels.")
@click.option("--clock-seconds", type=NUMBER, default=0.005, show_default=True, help="Length of a clock pulse.")
@click.option("--sample-rate", type=WHOLE, default=48_000, show_default=True, help="Samples a second.")
@click.option("--full-scale-volts", type=NUMBER, default=10.0, show_default=True, help="What 1 in the WAV stands for.")
@pitch_options
def render(song_file: Path, output: Path, events: Path | None, **given: Any) -> int:
    """Play a MIDI file through the simulated converter, as voltages against time."""
    naming = naming_from(given["middle_c"])
    setting = _setting(given, naming)
    if not (0.0 < given["full_scale_volts"] <= _MOST_VOLTS):
        raise InputError(
            f"--full-scale-volts: {plain(given['full_scale_volts'])} V; more than 0 up to {_MOST_VOLTS:g} V was "
            "expected."
        )
    if events is not None and real_target(events) == real_target(output):
        raise InputError(f"--events: {events} is the WAV's own name.")
    song = read_song(song_file, given["track"])
    with naming_option(str(song_file)):
        rendered = render_song(song, setting)
    channels = [WavChannel(one.name, one.steps, given["full_scale_volts"]) for one in rendered.signals]
    with contextlib.ExitStack() as stack:
        part = stack.enter_context(publish(output, replace=True))
        if events is not None:
            write_events(stack.enter_context(publish(events, replace=True)), rendered.signals, str(events))
        write_wav(part, channels, rendered.seconds, given["sample_rate"], name=str(output), tell=_progress())
    over = [one.name for one in channels if one.is_over]
    answer = {
        "seconds": number(rendered.seconds),
        "notes": rendered.performance.notes,
        "over_full_scale": bool(over),
        "channels": [
            {"index": k, "signal": one.name, "full_scale_volts": number(one.full_scale_volts)}
            for k, one in enumerate(channels)
        ],
    }
    if given["as_json"]:
        emit_json(answer)
    else:
        _print(rendered, channels, output, over)
    return 1 if over or rendered.silent else 0


def _setting(given: dict[str, Any], naming: Any) -> ConverterSetting:
    """What the options ask for; each is named where it is refused."""
    levels = {
        name: _level(name, given[f"{name}_volts"]) for name in ("gate", "trigger", "velocity", "bend", "mod", "clock")
    }
    clocks = tuple(float(one) for one in numbers_from("--clock-ppq", given["clock_ppq"]))
    with naming_option("--clock-ppq"):
        if any(not one.is_integer() or not 1 <= one <= 960 for one in clocks):
            raise InputError(f"{quoted(given['clock_ppq'])}; whole numbers from 1 to 960 were expected.")
    priority, fires_on = cast(Priority, given["priority"]), cast(FiresOn, given["trigger"])
    law = law_from("--law", given["law"], naming)
    tuning = tuning_from(given["a4_hertz"], given["scale"], given["keymap"])
    with naming_option("--law"):
        if not float(tuning.hertz(law.reference_note)) > 0.0:
            raise InputError(f"its note {plain(law.reference_note)} has no frequency in this tuning.")
    named: dict[Literal["channel", "bend_semitones", "trigger_seconds", "clock_seconds"], Any] = {
        "channel": given["channel"],
        "bend_semitones": given["bend_semitones"],
        "trigger_seconds": given["trigger_seconds"],
        "clock_seconds": given["clock_seconds"],
    }
    for key, value in named.items():
        with naming_option(f"--{key.replace('_', '-')}"):
            ConverterSetting(**{key: value})
    with naming_option("--clock-ppq"):
        return ConverterSetting(
            law,
            tuning,
            rules=VoiceRules(1, priority, fires_on=fires_on),
            bend_into_pitch=given["bend_into_pitch"],
            gate=levels["gate"],
            trigger=levels["trigger"],
            velocity=levels["velocity"],
            bend=levels["bend"],
            modulation=levels["mod"],
            clock=levels["clock"],
            clocks=clocks,
            **named,
        )


def _level(name: str, text: str) -> Level:
    with naming_option(f"--{name}-volts"):
        ends = [parse_plain(part, "An end of the range") for part in text.split(":")]
        if len(ends) != 2 or ends[0] == ends[1]:
            raise InputError(f"{quoted(text)} is no range; LOW:HIGH, such as 0:5, was expected.")
        if max(abs(one) for one in ends) > _MOST_VOLTS:
            raise InputError(f"{quoted(text)} goes beyond {_MOST_VOLTS:g} V.")
        return Level(ends[0], ends[1])


def _progress() -> Any:
    """Shows the share that is written, where somebody looks at standard error."""
    if not sys.stderr.isatty():
        return lambda share: None

    def tell(share: float) -> None:
        ending = "\n" if share >= 1.0 else ""
        sys.stderr.write(f"\rWriting {100.0 * share:3.0f} %{ending}")
        sys.stderr.flush()

    return tell


def _print(rendered: Rendered, channels: list[WavChannel], output: Path, over: list[str]) -> None:
    style = Style()
    rows = []
    for k, (one, signal) in enumerate(zip(channels, rendered.signals, strict=True)):
        volts = signal.steps.volts
        rows.append(
            [
                str(k),
                one.name,
                str(volts.size),
                style.number(float(volts.min()), 3),
                style.number(float(volts.max()), 3),
            ]
        )
    emit_table(["channel", "signal", "changes", "from V", "to V"], rows)
    say(f"{rendered.performance.notes} notes in {style.number(rendered.seconds, 3)} s, written to {output}.")
    if over:
        say(f"Beyond full scale: {', '.join(over)}.")
    if rendered.silent:
        say(
            "Notes without volts, at which the pitch stays where it was: "
            f"{', '.join(str(one) for one in rendered.silent)}."
        )
