"""One open bench: its document, what is looked at, its runs, and what the reader prefers."""

from __future__ import annotations

from dynamis.bench.chains.link_chain import LinkChain, link_chain
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.files.store import BenchFile
from dynamis.notation.style import Style
from dynamis.ui.session.document import Document
from dynamis.ui.session.judge import Judge
from dynamis.ui.session.notices import Notices
from dynamis.ui.session.preferences import Preferences
from dynamis.ui.session.runs import Runs
from dynamis.ui.session.selection import Selection
from dynamis.ui.session.settings import Settings


class Session(Notices):
    """What all views share.  document, selection, runs, settings, judge : see each."""

    def __init__(self, bench_file: BenchFile, preferences: Preferences, *, keep_preferences: bool = True) -> None:
        super().__init__()
        self.settings = Settings(preferences, self, keep=keep_preferences)
        self.document = Document(bench_file, self)
        self.selection = Selection(self.document, self)
        self.runs = Runs(self.document, self.selection, self)
        self.selection.begin(self.runs.all)
        # Before any view hears of it: what is looked at must be there.
        self.bench_changed.connect(self.selection.keep_channel)
        self.judge = Judge(self)

    @property
    def bench(self) -> Bench:
        return self.document.bench

    @property
    def style(self) -> Style:
        return self.settings.preferences.style

    def chain_of(self, output: PortRef, sink: PortRef) -> LinkChain:
        """The chain of a pair, joined or not, with what is in force for the unit looked at."""
        from dynamis.bench.chains.tree import trial_link

        serial = self.bench.unit_looked_at(output, self.selection.channel)
        link = trial_link(self.bench.link_from(output), output, sink)
        return link_chain(self.bench, link, self.runs.head((output, serial)), sink)

    def chain(self) -> LinkChain | None:
        """The chain of the link that starts at the channel looked at, None where there is no link."""
        link = self.selection.link
        return None if link is None else link_chain(self.bench, link, self.runs.head())

    def open(self, bench_file: BenchFile) -> None:
        """Go over to another bench file; the one before is closed."""
        before = self.document.file
        self.document.take_over(bench_file)
        self.runs.take_over()
        self.selection.begin(self.runs.all)
        before.close()
        self._announce_all()

    def close(self) -> None:
        self.document.file.close()

    def reload(self) -> None:
        """Take in what another window has written meanwhile; what is looked at stays."""
        self.document.take_over(self.document.file)
        self.runs.take_over()
        self.selection.stay(self.runs.all)
        self._announce_all()

    def _announce_all(self) -> None:
        self.bench_changed.emit()
        self.runs_changed.emit()
        self.run_changed.emit()
        self.note_changed.emit()
