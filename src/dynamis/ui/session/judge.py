"""The judging of pairs beside the window: a little at a time, so that nobody waits for it."""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from dynamis.bench.document.ports import PortRef

if TYPE_CHECKING:
    from dynamis.bench.judging.matrix import Matrix
    from dynamis.bench.judging.pairs import PairFit
    from dynamis.ui.session.session import Session

_SLICE_SECONDS = 0.012
_TELL_SECONDS = 0.12
_FIRST_SECONDS = 0.03
# More pairs than these are judged only where somebody looks at them.
_MOST_PAIRS = 20_000


class Judge(QObject):
    """What pairs come to, for all stations.

    progressed : more pairs were judged.
    any_voltage : whether pairs are judged that are not meant for each other.
    asked : how many findings of joined pairs ask for something, None while they are not all judged.
    """

    progressed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.questions: int | None = None
        self.everything = False
        self.any_voltage = False
        self._matrix: Matrix | None = None
        self._wanted: dict[tuple[PortRef, PortRef], None] = {}
        self._seen: dict[tuple[PortRef, PortRef], None] = {}
        self._rest: Iterator[tuple[PortRef, PortRef]] = iter(())
        self._told_at = 0.0
        self._stopped = False
        self._turn = QTimer(self)
        self._turn.timeout.connect(self._slice)
        session.bench_changed.connect(self.take)
        session.preferences_changed.connect(self.take)

    @property
    def matrix(self) -> Matrix:
        """The pairs; made when they are first asked for, since judging costs time at the start of the window."""
        if self._matrix is None:
            from dynamis.bench.judging.matrix import Matrix

            self._matrix = Matrix()
            self._take(self._matrix)
        return self._matrix

    def begin_after(self, milliseconds: int) -> None:
        """Begin to judge what is joined, when the window has been painted."""
        self._turn.start(milliseconds)

    def take(self) -> None:
        """Look at the bench as it is now."""
        if self._matrix is not None:
            self._take(self._matrix)
            self.go_on()

    def _take(self, matrix: Matrix) -> None:
        session, selection = self._session, self._session.selection
        matrix.take(session.bench, session.runs.adoptions, session.style)
        # What was shown before is likely to be shown again: it comes first.
        here = {one: None for one in self._seen if one[0] in matrix.outputs and one[1] in matrix.inputs}
        self._wanted = {pair: None for pair in here if matrix.known(*pair) is None}
        self._seen = {}
        self.questions = None
        self._plan(matrix)
        pair = selection.pair
        if pair is not None and not (pair[0] in matrix.outputs and pair[1] in matrix.inputs):
            selection.pair = None

    def _plan(self, matrix: Matrix) -> None:
        """What is to be judged without being asked for."""
        small = len(matrix.outputs) * len(matrix.inputs) <= _MOST_PAIRS
        joined = (pair for pair in matrix.joined_pairs() if matrix.known(*pair) is None)
        self._rest = matrix.open_pairs(self.any_voltage) if self.everything and small else joined

    def all_pairs(self) -> None:
        """From now on judge every pair that makes sense, not only those that are joined."""
        if not self.everything:
            self.everything = True
            if self._matrix is not None:
                self._plan(self._matrix)
                self.go_on()

    def take_any_voltage(self, any_voltage: bool) -> None:
        """Judge what is meant for each other, or every output with every input."""
        if self.any_voltage != any_voltage:
            self.any_voltage = any_voltage
            if self._matrix is not None:
                self._plan(self._matrix)
                self.go_on()

    def want(self, output: PortRef, sink: PortRef) -> None:
        """Judge a pair next: it is looked at."""
        self._wanted[output, sink] = None
        self.go_on()

    def saw(self, output: PortRef, sink: PortRef) -> None:
        """Remember that a pair is shown."""
        self._seen[output, sink] = None

    def go_on(self) -> None:
        if not (self._turn.isActive() or self._stopped):
            self._turn.start(0)

    def work(self, seconds: float = _FIRST_SECONDS) -> bool:
        """Judge for a while; whether all is judged."""
        end, matrix = time.perf_counter() + seconds, self.matrix
        while time.perf_counter() < end:
            pair = next(iter(self._wanted), None) or next(self._rest, None)
            if pair is None:
                if self.questions is None:
                    fits = [matrix.fit(*one) for one in matrix.joined_pairs()]
                    self.questions = sum(finding.asks for fit in fits if fit is not None for finding in fit.findings)
                return True
            self._wanted.pop(pair, None)
            matrix.fit(*pair)
        return False

    def _slice(self) -> None:
        self._turn.setInterval(0)
        done = self.work(_SLICE_SECONDS)
        now = time.perf_counter()
        if done:
            self._turn.stop()
        if done or now - self._told_at > _TELL_SECONDS:
            self._told_at = now
            self.progressed.emit()

    def fit(self) -> PairFit | None:
        """The pair that is looked at, judged; None where there is none."""
        pair = self._session.selection.pair
        return None if pair is None else self.matrix.fit(*pair)

    def stop(self) -> None:
        """Judge nothing more beside the window."""
        self._stopped = True
        self._turn.stop()
