"""The actions of the Bench menu: gear, joining, remedies, cautions."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, cast

from msgspec.structs import replace
from PySide6.QtWidgets import QMenu

from dynamis.bench.document.commands import Change

if TYPE_CHECKING:
    from dynamis.ui.actions import Actions
    from dynamis.ui.views.bench.gear_panel import GearPanel
    from dynamis.ui.views.bench.station import BenchStation
    from dynamis.ui.views.circuit.station import CircuitStation
    from dynamis.ui.views.levels.station import LevelsStation
    from dynamis.ui.window import MainWindow


def add_bench_actions(actions: Actions, menu: QMenu) -> None:
    """Put them into a menu; from another station each leads to Bench first, so that nothing unseen is changed."""
    window, session = actions.window, actions.session

    def there(work: Callable[[BenchStation], object]) -> Callable[[], None]:
        def done() -> None:
            if window.station.title == "Bench":
                work(cast("BenchStation", window.station))
            else:
                window.show_station("Bench")

        return done

    def gear(work: Callable[[GearPanel], object]) -> Callable[[], None]:
        def done(station: BenchStation) -> None:
            station.show_tab(2)
            work(station.gear)

        return there(done)

    def circuit(window: MainWindow) -> None:
        if window.station.title == "Circuit":
            cast("CircuitStation", window.station).use_in_link()
        else:
            window.show_station("Circuit")

    def cautions_again() -> None:
        session.document.apply(Change("all cautions again", replace(session.bench, dismissed=())))

    actions.add(menu, "&Join or part the chosen pair", "Ctrl+J", there(lambda station: station.join_or_part()))
    actions.add(menu, "Join &beside what hangs there", "", there(lambda station: station.join_or_part(beside=True)))
    actions.add(menu, "Apply the first &remedy", "Ctrl+Shift+J", there(lambda station: station.findings.apply_first()))
    actions.add(menu, "&Wiring card…", "Ctrl+Shift+W", there(lambda station: station.show_wiring()))
    menu.addSeparator()
    for k, (text, key) in enumerate((("&Findings of the pair", "F2"), ("Its &link", "F3"), ("G&ear", "F4"))):
        actions.add(menu, text, key, there(partial(_show_tab, k)))
    menu.addSeparator()
    actions.add(menu, "Add &gear…", "Ctrl+Shift+G", gear(lambda panel: panel.new_gear()))
    actions.add(menu, "Add a &port…", "Ctrl+Shift+P", gear(lambda panel: panel.new_port()))
    actions.add(menu, "&Copy the gear shown", "", gear(lambda panel: panel.copy.click()))
    actions.add(menu, "&Archive the gear shown, or take it out", "", gear(lambda panel: panel.archive.click()))
    actions.add(menu, "&Use the circuit in the link", "Ctrl+Shift+I", lambda: circuit(window))
    actions.add(menu, "Lear&n a port…", "Ctrl+Shift+L", lambda: learn(actions))
    actions.add(menu, "&Open a trace against time…", "", lambda: against_time(window))
    menu.addSeparator()
    actions.add(menu, "Show all cautions again", "", cautions_again)


def against_time(window: MainWindow) -> None:
    """What an oscilloscope saved, on Levels."""
    window.show_station("Levels")
    cast("LevelsStation", window.station).open_trace()


def learn(actions: Actions) -> None:
    """Learn a port of the bench from a few readings, the input that is looked at to begin with."""
    from dynamis.errors import InputError
    from dynamis.ui.dialogs.learn import LearnDialog

    session = actions.session
    if not any(gear.ports for gear in session.bench.gear if not gear.archived):
        raise InputError("There is no port on this bench yet; add gear first.")
    pair = session.selection.pair
    dialog = LearnDialog(actions.window, session.style, session.bench, None if pair is None else pair[1])
    if dialog.exec():
        session.document.apply(dialog.value)
        session.said.emit("What was learnt stands in the port now; the bench is judged with it.", False)


def _show_tab(index: int, station: BenchStation) -> None:
    station.show_tab(index)
