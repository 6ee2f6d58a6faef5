"""Axes, ticks, thinned series and SVG, without a window."""

from __future__ import annotations

from datetime import datetime, timedelta
from xml.etree import ElementTree

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynamis.notation.style import Style
from dynamis.plotting.axis import Axis
from dynamis.plotting.drawing import Drawing
from dynamis.plotting.series import marker_size, thinned
from dynamis.plotting.svg import svg_text
from dynamis.plotting.ticks import date_ticks, decimals_of, note_ticks, number_ticks

values = st.floats(-1e6, 1e6)


@given(values, st.floats(1e-3, 1e6), values, st.floats(0.1, 10.0))
def test_an_axis_leads_there_and_back_and_what_is_zoomed_about_stays(low, span, about, factor):
    axis = Axis(low, low + span, 300.0, 20.0)
    assert axis.value(axis.at(about)) == pytest.approx(about, rel=1e-9, abs=1e-9 * (span + abs(low)))
    assert (axis.at(axis.low), axis.at(axis.high)) == pytest.approx((300.0, 20.0))
    zoomed = axis.zoomed(factor, about)
    assert zoomed.span == pytest.approx(factor * axis.span, rel=1e-6)
    assert zoomed.at(about) == pytest.approx(axis.at(about), rel=1e-6, abs=1e-3)
    assert axis.panned(span).low == pytest.approx(axis.high)


# What an engineer would write at an axis (common practice, no source): 1, 2 or 5 and a power of ten apart.
TICKS = [
    (0.0, 10.0, 5, ["0", "2", "4", "6", "8", "10"]),
    (-14.0, 14.0, 6, ["−10", "−5", "0", "5", "10"]),
    (0.0, 1.0, 4, ["0.0", "0.5", "1.0"]),
    (0.012, 0.018, 4, ["0.012", "0.014", "0.016", "0.018"]),
    (3.0, 3.0, 5, []),
    (0.0, float("inf"), 5, []),
    (0.0, 1.0, 0, []),
]


@pytest.mark.parametrize(("low", "high", "most", "texts"), TICKS)
def test_ticks_are_round_numbers(low, high, most, texts):
    assert [one.text for one in number_ticks(low, high, most, Style())] == texts


# A calendar's own dates: steps by the day, by the month, by the year.
DATES = [
    (0.0, 10.0, 3, ["2026-01-25", "2026-01-30", "2026-02-04"]),
    (0.0, 150.0, 4, ["2026-03", "2026-05"]),
    (-10.0, 2500.0, 5, ["2028-01", "2030-01", "2032-01"]),
    (0.0, 0.0, 4, []),
    (0.0, float("nan"), 4, []),
]


@pytest.mark.parametrize(("low", "high", "most", "texts"), DATES)
def test_dates_are_round_ones(low, high, most, texts):
    first = datetime(2026, 1, 25)
    ticks = date_ticks(first, low, high, most)
    assert [one.text for one in ticks] == texts
    assert all((first + timedelta(days=one.place)).strftime("%Y-%m-%d").startswith(one.text) for one in ticks)


@given(values, st.floats(1e-4, 1e6), st.integers(1, 20))
def test_ticks_lie_inside_evenly_and_are_no_more_than_there_is_room_for(low, span, most):
    ticks = number_ticks(low, low + span, most, Style())
    places = np.array([one.place for one in ticks])
    assert len(ticks) <= most + 1
    assert np.all((places >= low - 1e-6 * span) & (places <= low + span * (1 + 1e-6)))
    assert len({one.text for one in ticks}) == len(ticks)
    if places.size > 2:
        assert np.ptp(np.diff(places)) <= 1e-6 * span + 1e-9 * abs(low)


@pytest.mark.parametrize(
    ("low", "high", "pixels", "texts"),
    [
        (36, 96, 500, ["36 C2", "48 C3", "60 C4", "72 C5", "84 C6", "96 C7"]),
        (36, 96, 200, ["48 C3", "72 C5", "96 C7"]),
        (59.5, 61.2, 200, ["60 C4", "61 C♯4"]),
        (60, 60, 200, []),
    ],
)
def test_notes_are_ticked_by_parts_of_octaves(low, high, pixels, texts):
    assert [one.text for one in note_ticks(low, high, pixels, Style())] == texts


def test_decimals_tell_one_step_from_the_next():
    assert [decimals_of(step) for step in (20.0, 1.0, 0.5, 0.2, 0.05, 0.001)] == [0, 0, 1, 1, 2, 3]


@given(st.integers(0, 5000), st.integers(1, 300), st.integers(0, 10**6))
def test_a_thinned_series_keeps_the_least_and_the_most_of_every_pixel(count, pixels, seed):
    rng = np.random.default_rng(seed)
    x = np.sort(rng.uniform(-1.0, 11.0, count))
    y = np.where(rng.random(count) < 0.05, np.nan, rng.normal(size=count))
    across, up = thinned(x, y, 0.0, 10.0, pixels)
    assert across.size <= max(4 * pixels, 2 * pixels + 3)
    assert np.all(np.diff(across) >= 0)
    inside = (x >= 0.0) & (x <= 10.0)
    seen = (across >= 0.0) & (across <= 10.0)
    if np.any(np.isfinite(y[inside])):
        assert np.nanmin(up[seen], initial=np.inf) <= np.nanmin(y[inside])
        assert np.nanmax(up[seen], initial=-np.inf) >= np.nanmax(y[inside])
    column = np.floor(across / (10.0 / pixels))
    for k in np.unique(np.floor(x[inside] / (10.0 / pixels))):
        mine = y[inside & (np.floor(x / (10.0 / pixels)) == k)]
        drawn = up[column == k]
        if np.any(np.isfinite(mine)):
            assert np.nanmin(drawn) <= np.nanmin(mine) + 1e-12
            assert np.nanmax(drawn) >= np.nanmax(mine) - 1e-12


def test_markers_shrink_when_many():
    assert marker_size(np.array([5.0]), 8.0) == 8.0
    assert marker_size(np.linspace(0, 1000, 21), 8.0) == 8.0
    assert marker_size(np.linspace(0, 600, 121), 8.0) == pytest.approx(4.0)
    assert marker_size(np.linspace(0, 600, 5000), 8.0) == 2.5


def test_svg_is_well_formed_whatever_its_words():
    made = Drawing(100, 50, 'a "label" <b>')
    made.rectangle(0, 0, 10, 5, "#fff")
    made.line([(0, 1), (2, 3)], "#000")
    made.disc(1, 2, 3, "#111", "#222")
    made.text(5, 5, "<script>&", "#333", "end")
    root = ElementTree.fromstring(svg_text(made))
    assert [one.tag for one in root] == ["rect", "path", "circle", "text"]
    assert (root.get("aria-label"), root[3].text, root[1].get("d")) == (
        'a "label" <b>',
        "<script>&",
        "M0.0 1.0L2.0 3.0",
    )
