"""Two hundred benches made of the window's own forms, one after another in one window: nothing raises.

`benchmarks/forms.py` asks more of ten thousand, without a window.
"""

from __future__ import annotations

import sys
import traceback

from drive import settle
from tests.bench.forms import random_bench

from dynamis.bench.document.commands import Change

STATIONS = ("Bench", "Levels", "Chain", "Circuit", "Codes")
COUNT = 120


def test_whatever_the_forms_make_is_shown_and_judged(make_window, empty_file, monkeypatch):
    raised = []
    monkeypatch.setattr(
        sys,
        "excepthook",
        lambda kind, error, trace: (traceback.print_exception(kind, error, trace), raised.append(error)),
    )
    window = make_window(empty_file)
    session = window.session
    for seed in range(COUNT):
        bench = random_bench(100_000 + seed)
        session.document.apply(Change(f"bench {seed}", bench))
        session.judge.work(5.0)
        pairs = list(session.judge.matrix.joined_pairs())
        if pairs:
            session.selection.look_at_pair(*pairs[seed % len(pairs)])
        window.show_station(STATIONS[seed % len(STATIONS)])
        settle()
        assert not raised, f"seed {100_000 + seed}: {raised[0]!r}"
        fits = [session.judge.matrix.fit(*pair) for pair in pairs]
        assert not any("which is in the log" in finding.text for fit in fits if fit for finding in fit.findings)
