"""The messages of what is played, in plain words and in bytes."""

from __future__ import annotations

from collections.abc import Callable

from dynamis.bench.playing.lanes import Played
from dynamis.bench.playing.messages import Messages, messages_of
from dynamis.notation.style import Style
from dynamis.ui.widgets.table import Column, LazyRows, Row, Table

_COLUMNS = (
    Column("at s", "seconds", stretch=0.8),
    Column("track", stretch=0.6),
    Column("channel", stretch=0.8),
    Column("bytes", left=True, stretch=0.9),
    Column("message", left=True, stretch=3.0, fits=False),
)


class MessagesTable(Table):
    """style : gives how numbers are written.  look_at : is given the instant of a message that was activated."""

    def __init__(self, style: Callable[[], Style], look_at: Callable[[float], object]) -> None:
        super().__init__("Messages", _COLUMNS)
        self._style, self._look_at = style, look_at
        self._listed: Messages | None = None
        self.on_activate = self._activated

    def show_played(self, played: Played) -> None:
        self._listed = listed = messages_of(played)
        self.set_rows(LazyRows(len(listed), lambda k: self._row(listed, k)))

    def _row(self, listed: Messages, row: int) -> Row:
        cells = listed.cells(row, self._style())
        seconds = float(listed.seconds[row])
        return Row(cells, seconds, "", (repr(seconds), *cells[1:]))

    def _activated(self, key: object) -> None:
        if isinstance(key, float):
            self._look_at(key)

    def show_near(self, seconds: float) -> None:
        """Scroll to what came about an instant."""
        if self._listed is not None:
            self.show_row(self._listed.near(seconds))

    def show_last(self) -> None:
        """Scroll to the end."""
        if self._listed is not None:
            self.show_row(len(self._listed) - 1)
