"""What is played, into files: a WAV of its signals, a CSV of their changes."""

from __future__ import annotations

import threading
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QWidget

from dynamis.bench.playing.lanes import Played
from dynamis.bench.runs.outputs import Scaling, measured_channels, scaling_of
from dynamis.ui.dialogs.working import in_background
from dynamis.ui.session.session import Session

if TYPE_CHECKING:
    from dynamis.ui.views.play.wav_dialog import WavChoice


class Saving:
    """Asks where and how, writes beside the window, and says what was written; raises `InputError`."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        self._parent, self._session = parent, session
        self._chosen: WavChoice | None = None

    def wav(self, played: Played, stem: str) -> None:
        """The signals as a WAV, each on its channel."""
        from dynamis.ui.views.play.wav_dialog import WavDialog

        names = [one.name for one in played.rendered.signals]
        measured = measured_channels(self._session.bench)
        dialog = WavDialog(self._parent, self._session.style, names, self._chosen, measured)
        if not dialog.exec():
            return
        self._chosen = dialog.value
        name, _ = QFileDialog.getSaveFileName(self._parent, "Save as WAV", f"{stem}.wav", "WAV (*.wav)")
        if name:
            self._write(Path(name), played, dialog.value)

    def _write(self, path: Path, played: Played, chosen: WavChoice) -> None:
        from dynamis.files.wav_writer import WavChannel, mapped, save_wav

        bench, pulses = self._session.bench, played.pulses
        given = {}
        for name, (number, scale) in chosen.channels.items():
            by = scaling_of(bench, number, scale) if chosen.as_measured else Scaling(scale)
            ramp = 0.0 if name in pulses else chosen.ramp_seconds
            if number:
                given[number] = WavChannel(name, played.outgoing(name), by.full_scale_volts, by.offset_volts, ramp)
        channels, seconds = mapped(given), played.rendered.seconds
        stop = threading.Event()
        work = partial(save_wav, path, channels, seconds, chosen.rate, samples=chosen.samples, cancelled=stop.is_set)
        if not in_background(self._parent, f"Writing {path.name}", work, stop):
            return
        over = [one.name for one in channels if one.is_over]
        told = f"Saved {path.name}: {len(channels)} channels."
        if over:
            told += f" Beyond full scale: {', '.join(over)}."
        self._session.said.emit(told, bool(over))

    def events(self, played: Played, stem: str) -> None:
        """Every change of every signal as CSV."""
        from dynamis.files.events_csv import save_events

        name, _ = QFileDialog.getSaveFileName(self._parent, "Save the events", f"{stem}.csv", "CSV (*.csv)")
        if name:
            save_events(Path(name), played.rendered.signals)
            self._session.said.emit(f"Saved {Path(name).name}.", False)
