"""The converter of the page as an output of the bench: what it is sent for notes, and what arrives of a song."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox

from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.playing.arriving import arrive, outputs_of, senders
from dynamis.bench.playing.lanes import Played, play
from dynamis.converter.playing.rendering import ConverterSetting
from dynamis.converter.playing.song import Song
from dynamis.converter.playing.streaming import Sender
from dynamis.ui.session.session import Session


class OnTheBench:
    """output : the choice of the output that the converter is; of none it is one by its law alone."""

    def __init__(self, session: Session, output: QComboBox) -> None:
        self._session, self._output = session, output

    def player(self, *, goes_on: bool = False) -> Callable[[Song, ConverterSetting], Played]:
        """What plays a song, with what arrives of it on the bench as it is now.  goes_on : whether it is still
        played."""
        style, bench, ref = self._session.style, self._session.bench, self._output.currentData()
        heads = {} if ref is None else self._heads_of(ref.gear)

        def plays(song: Song, setting: ConverterSetting) -> Played:
            played = play(song, setting, style, bench.logic)
            if ref is None:
                return played
            made = arrive(bench, ref, heads, played, style, goes_on=goes_on)
            return played.with_arrivals(made.lanes, made.findings, made.sources)

        return plays

    def senders(self, setting: ConverterSetting) -> dict[str, Sender]:
        """By the names of pitches, what the outputs are sent for notes."""
        ref = self._output.currentData()
        return {} if ref is None else senders(self._session.bench, ref, self._heads_of(ref.gear), setting)

    def _heads_of(self, gear: str) -> dict[str, HeadRecord]:
        """The corrections in force of a gear's pitch outputs."""
        ports = outputs_of(self._session.bench.gear_by(gear), "pitch")
        return {one.id: self._session.runs.head_of(PortRef(gear, one.id)) for one in ports}
