"""The actions that give a channel or the bench away: C header, codes, readings, a template, JSON."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QMenu

from dynamis.errors import InputError
from dynamis.files.bench_json import export_json
from dynamis.files.text import read_text
from dynamis.files.writing import write_whole

if TYPE_CHECKING:
    from dynamis.files.contents import Contents
    from dynamis.files.exports import ChannelExport
    from dynamis.ui.actions import Actions

_MOST_BYTES = 1024 * 1024


def add_export_actions(actions: Actions, menu: QMenu) -> None:
    """Put them into a menu."""
    actions.add(menu, "&Export the bench as JSON…", "", lambda: export_bench(actions))
    actions.add(
        menu,
        "Export the correction as a &C header…",
        "",
        lambda: _channel(actions, "Export a C header", ".h", lambda made, held: made.as_c_header()),
    )
    actions.add(
        menu,
        "Export the codes as CSV…",
        "",
        lambda: _channel(actions, "Export the codes", ".csv", lambda made, held: made.as_codes_csv()),
    )
    actions.add(
        menu,
        "Export the codes as &JSON…",
        "",
        lambda: _channel(actions, "Export the codes", ".json", lambda made, held: made.as_codes_json()),
    )
    actions.add(menu, "Export the codes by a &template…", "", lambda: export_template(actions))
    actions.add(menu, "Export the channel's readings as CSV…", "", lambda: export_readings(actions))


def export_bench(actions: Actions) -> None:
    session = actions.session
    path = actions.save_name("Export the bench", f"{session.bench.name}.json", "JSON (*.json)", ".json")
    if path is not None:
        export_json(session.document.file, path)
        session.said.emit(f"Exported {path.name}.", False)


def _channel(actions: Actions, title: str, ending: str, write: Callable[[ChannelExport, Contents], str]) -> None:
    from dynamis.files.contents import everything
    from dynamis.files.exports import ChannelExport

    session = actions.session
    channel = session.selection.channel
    if channel is None:
        raise InputError("There is no channel on this bench to export.")
    held = everything(session.document.file)
    export = ChannelExport.of(held, *channel)
    name = f"{channel[1]} {session.bench.port(channel[0]).name}{ending}"
    path = actions.save_name(title, name, f"{ending[1:].upper()} (*{ending})", ending)
    if path is not None:
        write_whole(path, write(export, held))
        none = "" if export.adopted else " No correction is adopted for this channel: it holds the nominal values."
        session.said.emit(f"Exported {path.name}.{none}", not export.adopted)


def export_readings(actions: Actions) -> None:
    from dynamis.files.exports import readings_csv

    def write(channel_export: ChannelExport, held: Contents) -> str:
        mine = [
            run for run in held.runs if (run.channel, run.serial) == (channel_export.channel, channel_export.serial)
        ]
        return readings_csv(mine, held.readings)

    _channel(actions, "Export the readings", ".csv", write)


def export_template(actions: Actions) -> None:
    """Ask for a text with placeholders, then for where the filled one goes."""
    name, _ = QFileDialog.getOpenFileName(actions.window, "A text with {{placeholders}}", "")
    if name:
        form = Path(name)
        text = read_text(form, _MOST_BYTES)
        _channel(
            actions,
            "Export by the template",
            form.suffix or ".txt",
            lambda made, held: made.as_template(text, form.name),
        )
