"""The actions that tune the bench: A4, a scale or a dump from a file, and back to equal steps."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from dynamis.bench.document.commands import set_a4, set_tuning
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity

if TYPE_CHECKING:
    from dynamis.ui.actions import Actions
    from dynamis.ui.window import MainWindow

_KINDS = "Tunings (*.scl *.kbm *.syx)"


def add_tuning_actions(actions: Actions, menu: QMenu) -> None:
    """Put them into a menu."""
    window = actions.window
    actions.add(menu, "Tune the bench: &A4…", "", lambda: tune_a4(window))
    actions.add(menu, "Tune the bench by a &file…", "", lambda: open_tuning(window))
    actions.add(menu, "E&qual temperament again", "", lambda: equal_again(window))
    actions.add(menu, "Save the tun&ing…", "", lambda: save_tuning(window))


def tune_a4(window: MainWindow) -> None:
    session = window.session
    now = f"{session.style.typed(session.bench.a4_hertz)} Hz"
    text, taken = QInputDialog.getText(window, "Tune the bench", "Frequency of A4, note 69:", text=now)
    if taken:
        comma = session.style.decimal_comma
        session.document.apply(set_a4(session.bench, parse_quantity(text, "Hz", "A4", decimal_comma=comma)))


def open_tuning(window: MainWindow) -> None:
    """A scale, a scale and its keymap, or a dump."""
    names, _ = QFileDialog.getOpenFileNames(window, "Tune the bench", "", _KINDS)
    if names:
        take_tuning(window, [Path(name) for name in names])


def take_tuning(window: MainWindow, paths: list[Path]) -> None:
    """Tune the bench by files that were chosen or dropped; raises `InputError` where they are none."""
    from dynamis.files.tunings import read_tuning

    session = window.session
    maps = [path for path in paths if path.suffix.lower() == ".kbm"]
    others = [path for path in paths if path not in maps]
    if len(others) != 1 or len(maps) > 1:
        raise InputError("Choose one scale (.scl), with at most one keymap (.kbm) beside it, or one dump (.syx).")
    record = read_tuning(others[0], session.bench.a4_hertz, maps[0] if maps else None)
    session.document.apply(set_tuning(session.bench, record))
    silent = sum(one is None for one in record.hertz)
    more = f"; {silent} keys play nothing" if silent else ""
    session.said.emit(f"The bench is tuned by {record.name}{more}. New runs and what boards are sent follow it.", False)


def equal_again(window: MainWindow) -> None:
    window.session.document.apply(set_tuning(window.session.bench, None))


def save_tuning(window: MainWindow) -> None:
    """As a scale with its keymap, or as a dump by the name's ending."""
    from dynamis.files.tunings import write_tuning

    session = window.session
    name, _ = QFileDialog.getSaveFileName(window, "Save the tuning", "tuning.scl", _KINDS)
    if name:
        written = write_tuning(Path(name), session.bench.tuning, session.bench.a4_hertz)
        session.said.emit(f"Saved {' and '.join(written)}.", False)
