"""Signals and bars as columns of pixels: against going through everything, and nothing lost at any zoom."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dynamis.plotting import columns
from dynamis.plotting.columns import Bars, CurvedSeries, SteppedSeries, filled
from dynamis.transfer.breakpoints import Breakpoints


@settings(max_examples=120, deadline=None)
@given(
    seed=st.integers(0, 10_000),
    changes=st.integers(1, 400),
    count=st.integers(1, 60),
    view=st.tuples(st.floats(-0.2, 1.1), st.floats(0.001, 1.5)),
)
def test_columns_hold_what_going_through_everything_finds(seed, changes, count, view):
    chance = np.random.default_rng(seed)
    seconds = np.unique(np.append(0.0, np.round(chance.uniform(0.0, 1.0, changes), 3)))
    values = chance.normal(size=seconds.size)
    start, end = view[0], view[0] + view[1]
    low, high = SteppedSeries(seconds, values).columns(start, end, count)
    edges = np.linspace(start, end, count + 1)
    for k in range(count):
        inside = [float(v) for t, v in zip(seconds, values, strict=True) if edges[k] < t < edges[k + 1]]
        before = np.flatnonzero(seconds <= edges[k])
        held = ([float(values[before[-1]])] if before.size else []) + inside
        if not held:
            assert np.isnan(low[k])
        else:
            assert (low[k], high[k]) == (min(held), max(held))


def test_a_pulse_of_one_sample_is_seen_with_a_million_changes_in_the_picture():
    seconds = np.arange(1_000_000) * 1e-3
    values = np.zeros(seconds.size)
    values[777_777] = 5.0
    low, high = SteppedSeries(seconds, values).columns(0.0, 1000.0, 600)
    assert np.flatnonzero(high == 5.0).tolist() == [int(777.777 / 1000.0 * 600)]
    assert np.all(low == 0.0)
    mask = filled(low, high, -0.4, 5.4, 40)
    assert mask[:, 466].sum() > 30
    assert np.all(mask[:, :466].sum(axis=0) == 1)


def test_pixels_from_the_least_to_the_most():
    mask = filled(np.array([0.0, 0.0, np.nan, 2.0]), np.array([0.0, 4.0, np.nan, 2.0]), 0.0, 4.0, 5)
    assert mask.astype(int).tolist() == [[0, 1, 0, 0], [0, 1, 0, 0], [0, 1, 0, 1], [0, 1, 0, 0], [1, 1, 0, 0]]
    assert filled(np.zeros(1), np.zeros(1), 0.0, 0.0, 3).sum() == 1


@pytest.mark.parametrize("many", [40_000, 10], ids=["one by one", "by the overview"])
def test_bars_are_where_they_are_held(many, monkeypatch):
    """Against going through every bar; by the overview a column may take in what is less than one of it away."""
    monkeypatch.setattr(columns, "_MANY", many)
    chance = np.random.default_rng(5)
    starts = np.sort(chance.uniform(0.0, 10.0, 300))
    bars = Bars(chance.integers(0, 128, 300), starts, starts + chance.uniform(0.01, 0.5, 300))
    for start, end, count in ((0.0, 10.5, 200), (3.0, 7.0, 50), (-1.0, 0.5, 20), (9.0, 30.0, 40)):
        found = bars.raster(start, end, count)
        edges, slack = np.linspace(start, end, count + 1), 2 * 10.5 / columns._OVERVIEW * (many == 10)
        sure, maybe = np.zeros_like(found), np.zeros_like(found)
        for row, begins, ends in zip(bars.rows - bars.used_rows[0], bars.starts, bars.ends, strict=True):
            sure[row] |= (begins + slack < edges[1:]) & (ends - slack > edges[:-1])
            maybe[row] |= (begins - slack - 1e-9 <= edges[1:]) & (ends + slack + 1e-9 >= edges[:-1])
        assert np.all(found[sure])
        assert not np.any(found[~maybe])
    assert not Bars(np.zeros(0, np.int64), np.zeros(0), np.zeros(0)).raster(0.0, 1.0, 5).any()


@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 10**6), changes=st.integers(1, 60), count=st.integers(1, 40))
def test_columns_of_a_curve_hold_what_close_looking_finds(seed, changes, count):
    rng = np.random.default_rng(seed)
    seconds = np.cumsum(rng.uniform(0.01, 1.0, changes))
    kinds = rng.integers(0, 3, changes).astype(np.int8)
    curve = Breakpoints(
        seconds, rng.uniform(-5, 5, changes), kinds, rng.uniform(-5, 5, changes), rng.uniform(0.01, 1.0, changes)
    )
    series, end = CurvedSeries(curve), float(seconds[-1]) + 1.0
    low, high = series.columns(0.0, end, count)
    edges = np.linspace(0.0, end, count + 1)
    for k in range(count):
        near = np.concatenate([np.linspace(edges[k], edges[k + 1], 400), seconds, np.nextafter(seconds, 0)])
        seen = curve.at(near[(near >= edges[k]) & (near < edges[k + 1])])
        seen = seen[np.isfinite(seen)]
        if seen.size:
            assert low[k] <= seen.min() + 1e-9
            assert high[k] >= seen.max() - 1e-9
            assert kinds[-1] == 2 or (series.least <= seen.min() + 1e-9 and series.most >= seen.max() - 1e-9)
