"""What is announced to every view."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal


class Notices(QObject):
    """bench_changed : the document is another one.  runs_changed : a run or an adoption was added.
    run_changed : the run looked at, its readings, the correction chosen or the overlay changed.
    note_changed : the thread's note.  pair_changed : another pair is looked at.
    preferences_changed : the style of numbers, theme or text size.
    said : a sentence for the reader; the second value is whether it is a refusal.
    """

    bench_changed = Signal()
    runs_changed = Signal()
    run_changed = Signal()
    note_changed = Signal()
    pair_changed = Signal()
    preferences_changed = Signal()
    said = Signal(str, bool)
