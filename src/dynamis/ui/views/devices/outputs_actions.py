"""What is done with the computer's outputs on the Devices page: connect, try a channel, learn it, let it follow."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, Final

from PySide6.QtWidgets import QWidget

from dynamis.bench.runs.learning import coupling_sentences, take_coupling
from dynamis.bench.runs.outputs import Scaling, port_of_channel, scaling_of, take_levels
from dynamis.calibration.learning.coupling import Coupling, Step, learn_coupling
from dynamis.converter.playing.generators import Generator
from dynamis.devices.interface import Shown
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_quantity
from dynamis.ui.devices.devices import Devices
from dynamis.ui.session.session import Session
from dynamis.ui.stations import guarded
from dynamis.ui.views.devices.outputs_panel import OutputsPanel
from dynamis.ui.widgets.panel import set_text

# Where nobody typed volts to step to; and for how long a step is read.
_STEP: Final = "2 V"
_HOLD_SECONDS: Final = 3.0
_CONFIRMED: Final = {True: "The outputs may carry volts now.", False: "All outputs are at 0 V."}


class OutputsActions:
    """keep : preferences.  refresh : show how the devices stand.  ended : whether the window is closing."""

    def __init__(
        self,
        parent: QWidget,
        session: Session,
        devices: Devices,
        panel: OutputsPanel,
        keep: Callable[..., None],
        refresh: Callable[[], None],
        ended: Callable[[], bool],
    ) -> None:
        self._parent, self._session, self._devices, self.panel = parent, session, devices, panel
        self._keep, self._refresh, self._ended = keep, refresh, ended
        self.coupling: tuple[int, Coupling] | None = None
        guard: Callable[..., Any] = partial(partial, guarded, session)
        panel.volts_pressed.connect(guard(self.put_out))
        panel.confirmed.connect(self.confirm)
        panel.hold_pressed.connect(guard(self.ask_whether_it_holds))
        panel.take_pressed.connect(guard(self.take_coupling))
        panel.levels_pressed.connect(guard(self.ask_levels))
        panel.follow_pressed.connect(guard(self.follow))
        panel.stop_pressed.connect(self.stop_following)

    def connect(self, address: str) -> None:
        panel, comma = self.panel, self._session.style.decimal_comma
        scale = parse_quantity(panel.full_scale.text(), "V", "The peak at full scale", decimal_comma=comma)
        limit = parse_quantity(panel.limit.text(), "V", "The limit", decimal_comma=comma)
        if not scale > 0.0 or not limit > 0.0:
            raise InputError("The peak at full scale and the limit have to be above 0 V.")
        self._keep(
            outputs_address=address.strip(),
            outputs_channels=panel.channels.value(),
            outputs_full_scale=panel.full_scale.text(),
            outputs_limit=panel.limit.text(),
        )
        panel.quiet.setChecked(False)
        bench = self._session.bench
        each = [scaling_of(bench, k, scale) for k in range(1, panel.channels.value() + 1)]
        self._devices.connect_outputs(
            address, [one.full_scale_volts for one in each], limit, [one.offset_volts for one in each]
        )

    def confirm(self, quiet: bool) -> None:
        outputs = self._devices.outputs
        if outputs is not None:
            self._devices.try_out("outputs", lambda: outputs.confirm(quiet), _CONFIRMED[quiet])
        self._refresh()

    def put_out(self, channel: int, text: str) -> None:
        volts = parse_quantity(text, "V", "The volts to put out", decimal_comma=self._session.style.decimal_comma)
        self._devices.put_out(channel - 1, volts, self._session.style.volts(volts))

    def ask_whether_it_holds(self) -> None:
        """Step a channel and read it by the meter at its jack."""
        from dynamis.devices.step_test import stepped

        panel, devices, comma = self.panel, self._devices, self._session.style.decimal_comma
        outputs, meter, channel = devices.outputs, devices.meter, panel.channel.value()
        if outputs is None or meter is None:
            raise InputError("Connect a meter too, its probe at the jack; or type the readings under Learn a port.")
        volts = parse_quantity(panel.volts.text() or _STEP, "V", "The step", decimal_comma=comma)

        def work() -> None:
            meter.recover()
            steps = stepped(outputs, channel - 1, volts, meter, _HOLD_SECONDS, stop=self._ended)
            devices.show(lambda: self._show_coupling(channel, steps))

        devices.try_out("outputs", work, f"Channel {channel} was stepped and read.")

    def _show_coupling(self, channel: int, steps: list[Step]) -> None:
        try:
            found = learn_coupling(steps)
        except InputError as error:
            set_text(self.panel.held_words, str(error))
            return
        self.coupling = channel, found
        set_text(self.panel.held_words, " ".join(coupling_sentences(found, self._session.style)))
        self.panel.take_button.setEnabled(found.holds != "cannot-tell")

    def take_coupling(self) -> None:
        """What was found into the port that has the channel."""
        if self.coupling is None:
            return
        (channel, found), bench = self.coupling, self._session.bench
        ref = port_of_channel(bench, channel)
        if ref is None:
            raise InputError(f"No output on this bench has the channel {channel} in programs: give it to one first.")
        self._session.document.apply(take_coupling(bench, ref, found))

    def follow(self) -> None:
        """Let a channel of the outputs follow a generator."""
        panel, outputs, comma = self.panel, self._devices.outputs, self._session.style.decimal_comma
        low, high = (
            parse_quantity(edit.text(), "V", "A voltage of the generator", decimal_comma=comma)
            for edit in (panel.low, panel.high)
        )
        hertz = parse_quantity(panel.rate.text(), "Hz", "Its rate", decimal_comma=comma)
        made, channel = Generator(panel.kind.currentData(), low, high, hertz), panel.channel.value()
        if outputs is not None:
            told = f"Channel {channel} follows: {panel.kind.currentText()}."
            self._devices.try_out("outputs", lambda: outputs.play({channel - 1: made}), told)

    def stop_following(self) -> None:
        outputs = self._devices.outputs
        if outputs is not None:
            self._devices.try_out("outputs", outputs.stop, "Nothing is followed any more.")

    # -- gain and offset -----------------------------------------------------------------------------

    def ask_levels(self) -> None:
        """Two levels of a channel and what a voltmeter reads of them, into its port."""
        from dynamis.ui.views.devices.levels_dialog import LevelsDialog

        panel, devices, comma = self.panel, self._devices, self._session.style.decimal_comma
        outputs, channel = devices.outputs, panel.channel.value()
        if outputs is None or channel > outputs.channels:
            raise InputError(f"Connect outputs with a channel {channel} first.")
        asked = abs(parse_quantity(panel.volts.text() or _STEP, "V", "The level", decimal_comma=comma))
        dialog = LevelsDialog(
            self._parent,
            self._session.style,
            channel,
            asked,
            lambda volts: devices.put_out(channel - 1, volts, self._session.style.volts(volts)),
            None if devices.meter is None else self._read_meter,
        )
        done = dialog.exec()
        devices.put_out(channel - 1, 0.0, self._session.style.volts(0.0))
        if done:
            before = Scaling(outputs.full_scale_volts(channel - 1), outputs.offset_volts(channel - 1))
            self._session.document.apply(take_levels(self._session.bench, channel, before, dialog.value))
            told = f"Channel {channel} is known now: connect the outputs anew, and it gives what is asked of it."
            ref = port_of_channel(self._session.bench, channel)
            corrected = ref is not None and self._session.runs.head_of(ref).kind != "nominal"
            if corrected:
                told += (
                    " Its correction in force was measured without that, and would count it twice: measure it again."
                )
            self._session.said.emit(told, corrected)

    def _read_meter(self, show: Callable[[Shown], None]) -> None:
        self._devices.read_once("meter", "volts", 10.0, show)
