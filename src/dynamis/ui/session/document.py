"""The open bench file and its document: changes are stored as they are made."""

from __future__ import annotations

from dynamis.bench.document.bench import Bench, sharing
from dynamis.bench.document.commands import Change
from dynamis.files.store import BenchFile
from dynamis.ui.session.notices import Notices


class Document:
    """file : the open bench.  bench : the document as it stands."""

    def __init__(self, bench_file: BenchFile, notices: Notices) -> None:
        self._notices = notices
        self.take_over(bench_file)

    def take_over(self, bench_file: BenchFile) -> None:
        self.file = bench_file
        self.bench: Bench = bench_file.bench()

    def apply(self, change: Change) -> None:
        """Store a change as a revision and announce it."""
        if change.bench == self.bench:
            return
        self.file.record(change.label, change.bench)
        self._become(change.bench)

    def undo(self) -> None:
        label = self.file.undo_label()
        self._become(sharing(self.file.undo(), self.bench))
        self._notices.said.emit(f"Undone: {label}.", False)

    def redo(self) -> None:
        label = self.file.redo_label()
        self._become(sharing(self.file.redo(), self.bench))
        self._notices.said.emit(f"Done again: {label}.", False)

    def _become(self, bench: Bench) -> None:
        self.bench = bench
        self._notices.bench_changed.emit()
