"""What every station is for the window; and that a new one is a class and a line of the table."""

from __future__ import annotations

import sys
import types
from typing import ClassVar

import pytest
from drive import action, settle
from PySide6.QtWidgets import QLabel

from dynamis.errors import InputError
from dynamis.ui import stations
from dynamis.ui.stations import EVERY, Entry, Station
from dynamis.ui.widgets.table import Table
from dynamis.ui.widgets.thread_strip import ThreadField


@pytest.mark.parametrize("title", EVERY)
def test_every_station_keeps_to_the_interface(window, title):
    window.show_station(title)
    settle()
    shown = window.station
    assert isinstance(shown, Station)
    assert (shown.title, shown is window.stations[title]) == (title, True)
    assert isinstance(shown.table(), Table)
    assert shown.shown_picture() is None or shown.shown_picture().accessibleName()
    assert all(key and words for key, words in shown.KEYS)


# The three that are to come, empty.
COMING = ("Steps", "Touch", "Prove")


@pytest.fixture
def with_three_more(monkeypatch, tmp_path, demo_file, make_window):
    class Empty(Station):
        ended: ClassVar[list[str]] = []

        def thread_fields(self):
            return [ThreadField("page", self.title)], None

        def take_file(self, path):
            self._session.said.emit(f"{self.title} took {path.name}.", False)

        def shut_down(self):
            self.ended.append(self.title)

    module = types.ModuleType("stations_to_come")
    for title in COMING:
        setattr(module, title, type(title, (Empty,), {"title": title, "KEYS": (("X", f"does nothing in {title}"),)}))
    monkeypatch.setitem(sys.modules, "stations_to_come", module)
    table = (
        *stations.STATIONS,
        *(Entry(title, f"Alt+{k + 1}", "stations_to_come", title, "coming") for k, title in enumerate(COMING)),
    )
    every = {one.title: one for one in (*table, stations.DEVICES)}
    for name in ("dynamis.ui.stations", "dynamis.ui.window", "dynamis.ui.actions"):
        monkeypatch.setattr(f"{name}.STATIONS", table)
    for name in ("dynamis.ui.stations", "dynamis.ui.window"):
        monkeypatch.setattr(f"{name}.EVERY", every)
    return make_window(demo_file), Empty


def test_eleven_stations_stand_in_words_at_1280_and_in_a_numbered_menu_at_1024(with_three_more, qtbot):
    window, _ = with_three_more
    for width, folded in ((1280, False), (1024, True), (1280, False)):
        window.resize(width, 720)
        window.show_station("Play")
        settle()
        bar = window.bar
        assert (window.width(), bar.folded) == (width, folded)
        shown = [bar.menu_button] if folded else list(bar.buttons.values())
        # A layout that a held-up machine has not come to yet is waited for.
        qtbot.waitUntil(
            lambda shown=shown: all(one.isVisible() and one.width() >= one.sizeHint().width() for one in shown)
        )
        assert window.safe_button.geometry().right() <= width
        if folded:
            bar.menu_button.menu().aboutToShow.emit()
            texts = [one.text() for one in bar.menu_button.menu().actions() if not one.isSeparator()]
            assert (len(texts), texts[0].split()[0], bar.menu_button.text()) == (11, "1", "7  Play")
            next(one for one in bar.menu_button.menu().actions() if "Codes" in one.text()).trigger()
            assert window.station.title == "Codes"


def test_three_more_stations_are_a_class_and_a_line_each(with_three_more, tmp_path):
    window, kind = with_three_more
    for title in COMING:
        action(window, title).trigger()
        settle()
        assert (window.station.title, window.station_buttons[title].isChecked()) == (title, True)
        assert [one.text() for one in window.thread_strip.findChildren(QLabel) if one.text() == title]
        window.station.station_wanted.emit("Codes")
        assert window.station.title == "Codes"
        window.show_station(title)
        window.station.take_file(tmp_path / "a.log")
        assert window.sentence.text() == f"{title} took a.log."
        action(window, "Save the picture…").trigger()
        assert f"no picture on the page {title}" in window.sentence.text()
        action(window, "Copy the table").trigger()
        assert f"no table on the page {title}" in window.sentence.text()
    window.shut_down()
    assert sorted(kind.ended) == sorted(COMING)


def test_what_a_station_does_not_do_is_refused_in_a_sentence(window, tmp_path):
    bare = Station(window.session, window.course, window.colours, 10.0)
    for work, words in ((bare.table, "no table"), (lambda: bare.take_file(tmp_path / "x.csv"), "x.csv is of no use")):
        with pytest.raises(InputError, match=words):
            work()
    assert (bare.pair(), bare.thread_fields(), bare.shown_picture()) == (None, None, None)
