"""Preferences: what the reader prefers, kept apart from the bench."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import Final, Literal

import msgspec
import platformdirs

from dynamis.errors import InputError
from dynamis.files.writing import write_whole
from dynamis.notation.style import Style

_LOG = logging.getLogger(__name__)


class Preferences(msgspec.Struct, frozen=True, omit_defaults=True):
    """middle_c : the octave that note 60 carries.  text : a key of `TEXT_POINTS`.  recent : benches, newest
    first.  zigzag : resistors drawn so, else as boxes.  window, maximised : where it stood the last time: left, top,
    width, height.  board_port, meter_address and those behind them : where the devices were last; midi_channel counts
    from 1, sound_channel from 0; meter_words, source_words : what they are told, where it is not the usual.  play :
    what the converter on Play was set to, by its fields.
    """

    middle_c: Literal[3, 4, 5] = 4
    flats: bool = False
    decimal_comma: bool = False
    theme: Literal["system", "light", "dark"] = "system"
    text: Literal["small", "normal", "large", "very large"] = "normal"
    recent: tuple[str, ...] = ()
    last: str | None = None
    board_port: str = ""
    meter_address: str = ""
    zigzag: bool = False
    window: tuple[int, int, int, int] | None = None
    maximised: bool = False
    source_address: str = ""
    midi_port: str = ""
    midi_channel: int = 1
    outputs_address: str = ""
    outputs_channels: int = 16
    outputs_full_scale: str = "8.7 V"
    outputs_limit: str = "6 V"
    sound_address: str = ""
    sound_channel: int = 0
    sound_clock_ppm: float = 0.0
    meter_words: dict[str, str] = {}
    source_words: dict[str, str] = {}
    play: dict[str, str] = {}

    @property
    def style(self) -> Style:
        return Style(self.middle_c, self.flats, False, self.decimal_comma)


# What is kept without a change of anything that is shown.
QUIET: Final = (
    "recent",
    "last",
    "window",
    "maximised",
    "board_port",
    "meter_address",
    "source_address",
    "midi_port",
    "midi_channel",
    "outputs_address",
    "outputs_channels",
    "outputs_full_scale",
    "outputs_limit",
    "sound_address",
    "sound_channel",
    "sound_clock_ppm",
    "meter_words",
    "source_words",
    "play",
)


def preferences_path() -> Path:
    return Path(platformdirs.user_config_dir("dynamis")) / "preferences.json"


def data_folder() -> Path:
    """Where untitled benches and the log are kept."""
    return Path(platformdirs.user_data_dir("dynamis"))


def load_preferences() -> tuple[Preferences, str | None]:
    """The stored preferences, and a sentence when they could not be read (then the defaults hold)."""
    path = preferences_path()
    if not path.exists():
        return Preferences(), None
    try:
        return msgspec.json.decode(path.read_bytes(), type=Preferences), None
    except (OSError, msgspec.MsgspecError) as error:
        _LOG.warning("preferences not read: %s", error)
        return Preferences(), f"{path}: the preferences could not be read ({error}); the defaults are used."


def save_preferences(preferences: Preferences) -> str | None:
    """Store the preferences; a sentence when that failed."""
    path = preferences_path()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, msgspec.json.format(msgspec.json.encode(preferences), indent=2))
    except (OSError, InputError) as error:
        _LOG.warning("preferences not written: %s", error)
        return f"The preferences could not be kept: {error}"
    return None
