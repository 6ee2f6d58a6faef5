"""The command group, and the one place where refusals become one line and exit status 2."""

from __future__ import annotations

import importlib
import sys
import warnings
from collections.abc import Sequence
from typing import Final

import click

from dynamis import __version__
from dynamis.errors import InputError
from dynamis.notation.safe import sentence_line

# Commands are imported only when they are asked for, so that none pays for what another needs.
_COMMANDS: Final = {
    "convert": ("dynamis.cli.convert", "convert", "Convert notes or volts from one pitch law into another."),
    "fit": ("dynamis.cli.fit", "fit", "Fit a line to readings and judge them before and after."),
    "circuit": ("dynamis.cli.circuit", "circuit", "Design the smallest circuit with a gain and an offset."),
    "check": ("dynamis.cli.check", "check", "Judge every link of a bench."),
    "match": ("dynamis.cli.match", "match", "Judge a gate output against an input, and name what makes them fit."),
    "demo": ("dynamis.cli.demo", "demo", "Write the demo bench, the Lantern House, to a new file."),
    "desktop": ("dynamis.cli.desktop", "desktop", "Install or remove this user's desktop entry, icon and man page."),
    "export": ("dynamis.cli.export", "export", "Write a channel's correction or readings, or the bench, to a file."),
    "tune": ("dynamis.cli.tune", "tune", "Find the steady tones of a recording: frequency, note and cents."),
    "render": ("dynamis.cli.render", "render", "Play a MIDI file through the simulated converter, as a WAV."),
    "report": ("dynamis.cli.report", "report", "Write a unit's certificate, or a batch with its yield, as a file."),
    "dac": ("dynamis.cli.dac", "dac", "Give the DAC code of each note, its error, and what cannot be reached."),
}


class _Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        module, name, _ = _COMMANDS[cmd_name]
        command: click.Command = getattr(importlib.import_module(module), name)
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        # The short texts are kept here, so that --help imports no command.
        with formatter.section("Commands"):
            formatter.write_dl([(name, text) for name, (_, _, text) in sorted(_COMMANDS.items())])


@click.group(
    cls=_Commands, epilog="Without a command, the window opens: dynamis, dynamis --demo, dynamis FILE.dynamis."
)
@click.version_option(__version__, prog_name="dynamis", message="%(prog)s %(version)s")
def dynamis() -> None:
    """Measure, correct and prove pitch and gate signals between MIDI, computers and synthesizers."""


def run(arguments: Sequence[str]) -> int:
    """Run one command; 0 in order, 1 out of tolerance or reach, 2 could not be answered."""
    try:
        with warnings.catch_warnings():
            # What no double holds comes out as null; NumPy need not say so on standard error as well.
            warnings.simplefilter("ignore", RuntimeWarning)
            status = dynamis.main(list(arguments), prog_name="dynamis", standalone_mode=False)
        sys.stdout.flush()
        return int(status or 0)
    except click.ClickException as error:
        return refuse(error.format_message())
    except InputError as error:
        return refuse(str(error))
    except (click.Abort, KeyboardInterrupt):
        return refuse("Interrupted; nothing was written.")
    except BrokenPipeError:
        # The reader closed the pipe; say nothing, and keep Python from saying it at exit.
        sys.stdout = None
        return 0


def refuse(sentence: str) -> int:
    """Print one line on standard error, whatever line breaks the sentence has."""
    click.echo("dynamis: " + sentence_line(" ".join(sentence.split())), err=True)
    return 2
