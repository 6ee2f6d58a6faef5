"""What was played, as lanes against one time axis: the keys that are held, and each signal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from dynamis.control.logic import LogicLine
from dynamis.control.stepped import Steps
from dynamis.converter.playing.findings import PlayFinding, find_in
from dynamis.converter.playing.logic import with_logic
from dynamis.converter.playing.mpe import zone_of
from dynamis.converter.playing.rendering import ConverterSetting, Kind, Rendered, Signal, render_song
from dynamis.converter.playing.song import Song
from dynamis.notation.style import Style
from dynamis.pitch.tuning import cents_between
from dynamis.plotting.columns import Bars, CurvedSeries, SteppedSeries
from dynamis.transfer.breakpoints import Breakpoints

Height = Literal["keys", "tall", "low"]
# How much room a lane leaves above and below what it holds, of it, and how little it shows at least, volts.
_ROOM: Final = 0.08
_LEAST_VOLTS: Final = 1.0
_FEW_RESETS: Final = 2000
# The name of a lane that shows what arrives is this and the input's.
ARRIVES: Final = "→ "
# The name of the lane of the pitch as its codes have it.
SENT: Final = "sent"
_ROOM_SHARE: Final = 0.02


@dataclass(frozen=True, eq=False)
class Lane:
    """A signal with the volts between which it is shown.  Where it is no steps, `series` is its curve."""

    signal: Signal
    series: SteppedSeries | CurvedSeries
    least: float
    most: float
    height: Height

    @property
    def name(self) -> str:
        return self.signal.name

    @property
    def lowest(self) -> float:
        return self.series.least

    @property
    def highest(self) -> float:
        return self.series.most

    def edge_beside(self, seconds: float, *, forward: bool) -> float | None:
        """The next change after an instant, or the last before it; None where there is none."""
        edges = self.signal.edges
        later = int(np.searchsorted(edges, seconds, side="right" if forward else "left")) - (0 if forward else 1)
        return float(edges[later]) if 0 <= later < edges.size else None


@dataclass(frozen=True, eq=False)
class Played:
    """rendered : what each jack carries.  lanes : of them.  keys : those that are held.  findings : what is found.
    sources : by the name of a lane that shows what arrives, the signal that it comes from."""

    song: Song
    setting: ConverterSetting
    rendered: Rendered
    lanes: tuple[Lane, ...]
    keys: Bars
    findings: tuple[PlayFinding, ...]
    sources: dict[str, str] = field(default_factory=dict)

    def with_arrivals(
        self, lanes: tuple[Lane, ...], findings: tuple[PlayFinding, ...], sources: dict[str, str]
    ) -> Played:
        """The same with what arrives at inputs."""
        return replace(self, lanes=(*self.lanes, *lanes), findings=(*findings, *self.findings), sources=sources)

    def outgoing(self, name: str) -> Steps:
        """What a channel is given for a signal: the pitch as its codes have it, where they are known."""
        sent = [one for one in self.lanes if one.name.startswith(SENT) and self.sources.get(one.name) == name]
        return sent[0].signal.steps if sent else self.rendered.signal(name).steps

    def explained(self, name: str) -> Signal:
        """The signal that a lane comes from: of one that shows what arrives, the converter's."""
        name = self.sources.get(name, name)
        return next(lane.signal for lane in self.lanes if lane.name == name)

    @property
    def pulses(self) -> list[str]:
        """The signals that are up or down."""
        return [one.name for one in self.rendered.signals if one.level is not None]

    @property
    def shorting(self) -> list[str]:
        """The signals that are contacts to ground."""
        return [one.name for one in self.rendered.signals if one.level is not None and one.level.shorting]

    @property
    def room_seconds(self) -> float:
        """How much is shown before the song and behind it."""
        return _ROOM_SHARE * max(self.rendered.seconds, 0.1)

    @property
    def key_rows(self) -> tuple[int, int]:
        """The lowest and the highest key."""
        return self.keys.used_rows


def play(song: Song, setting: ConverterSetting, style: Style, logic: Sequence[LogicLine] = ()) -> Played:
    """A song, and what is made of its signals; raises `InputError` where nothing of it is for the converter."""
    rendered = render_song(song, setting)
    found = find_in(rendered, style)
    made = with_logic(rendered, logic, style)
    lanes = [lane_of(one) for one in made.rendered.signals] + [curve_lane(*one) for one in made.curves.items()]
    return Played(song, setting, made.rendered, tuple(lanes), held_keys(rendered), (*found, *made.findings))


def curve_lane(name: str, curve: Breakpoints, kind: Kind = "logic", about: str = "", voice: int | None = None) -> Lane:
    """A signal that is no steps, such as an envelope; its breakpoints are its edges."""
    return lane_of(Signal(name, kind, Steps(curve.seconds, curve.values), voice, about=about), CurvedSeries(curve))


def lane_of(signal: Signal, curve: CurvedSeries | None = None) -> Lane:
    """A signal with the volts that it needs room for."""
    series = curve or SteppedSeries(signal.steps.seconds, signal.steps.volts)
    least, most = series.least, series.most
    if most - least < _LEAST_VOLTS:
        middle = (least + most) / 2.0
        least, most = middle - _LEAST_VOLTS / 2.0, middle + _LEAST_VOLTS / 2.0
    room = _ROOM * (most - least)
    height: Height = "tall" if signal.kind == "pitch" else "low"
    return Lane(signal, series, least - room, most + room, height)


def _of_setting(song: Song, setting: ConverterSetting) -> NDArray[np.bool_]:
    """The messages that a setting is about."""
    if setting.zone is not None:
        where = zone_of(song, setting.zone)
        return np.isin(song.channels, (where.master, *where.members))
    return np.ones(song.ticks.size, bool) if setting.channel is None else song.channels == setting.channel


def held_keys(rendered: Rendered) -> Bars:
    """The keys of the converter's channel, each from its press to when it is let go, or to the end of the song."""
    song = rendered.performance.song
    mine = _of_setting(song, rendered.setting)
    kinds, presses = song.kinds, song.presses
    notes = mine & ((kinds == 0x80) | (kinds == 0x90))
    stamps, rows = np.flatnonzero(notes), song.first_bytes[notes].astype(np.int64)
    down = presses[notes]
    ends = np.flatnonzero(mine & (kinds == 0xB0) & ((song.first_bytes == 120) | (song.first_bytes >= 123)))[
        :_FEW_RESETS
    ]
    if ends.size:  # all keys up at once
        used = np.unique(rows)
        stamps = np.concatenate([stamps, np.repeat(ends, used.size)])
        rows, down = (
            np.concatenate([rows, np.tile(used, ends.size)]),
            np.concatenate([down, np.zeros(ends.size * used.size, bool)]),
        )
    order = np.lexsort((stamps, rows))
    stamps, rows, down = stamps[order], rows[order], down[order]
    fresh = np.append(True, rows[1:] != rows[:-1])
    before = np.append(False, down[:-1]) & ~fresh
    begins, lets = down & ~before, ~down & before
    hangs = np.append(fresh[1:], True) & down  # the last of its key, and still down
    seconds = rendered.message_seconds
    starts, bar_rows = seconds[stamps[begins]], rows[begins]
    closing = np.concatenate([seconds[stamps[lets]], np.full(int(np.sum(hangs)), rendered.seconds)])
    closing_order = np.lexsort((closing, np.concatenate([rows[lets], rows[hangs]])))
    order = np.argsort(starts, kind="stable")
    return Bars(bar_rows[order], starts[order], closing[closing_order][order])


@dataclass(frozen=True)
class AtCursors:
    """A signal at two instants: volts, and how many cents lie between them where it is a pitch."""

    name: str
    first_volts: float
    second_volts: float
    cents: float | None

    @property
    def volts_between(self) -> float:
        return self.second_volts - self.first_volts


def at_cursors(played: Played, first: float, second: float) -> list[AtCursors]:
    """What each signal stands at, at two instants."""
    found, law = [], played.setting.law
    for lane in played.lanes:
        one, two = lane.series.at(np.maximum(np.array([first, second]), 0.0)).tolist()
        cents = None
        if lane.signal.kind == "pitch":
            octaves = law.octaves(np.array([one, two]), strict=False)
            cents = float(cents_between(np.exp2(octaves[1]), np.exp2(octaves[0])))
        found.append(AtCursors(lane.name, one, two, cents if cents is not None and np.isfinite(cents) else None))
    return found


def listed_stamps(played: Played) -> NDArray[np.int64]:
    """The messages of the converter's channel, in their order; not those that only stand for what came before."""
    song = played.song
    return song.over + np.flatnonzero(_of_setting(song, played.setting)[song.over :])
