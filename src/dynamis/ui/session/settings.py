"""What the reader prefers, as it stands in this window."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace

from dynamis.ui.session.notices import Notices
from dynamis.ui.session.preferences import QUIET, Preferences, save_preferences


class Settings:
    """preferences : as they stand.  keep : whether they are written down."""

    def __init__(self, preferences: Preferences, notices: Notices, *, keep: bool) -> None:
        self.preferences, self._notices, self._keep = preferences, notices, keep

    def change(self, preferences: Preferences) -> None:
        quiet = {name: getattr(preferences, name) for name in QUIET}
        changed = preferences != replace(self.preferences, **quiet)
        self.preferences = preferences
        if self._keep:
            sentence = save_preferences(preferences)
            if sentence:
                self._notices.said.emit(sentence, True)
        if changed:
            self._notices.preferences_changed.emit()

    def remember(self, path: Path, most: int = 8) -> None:
        """Put a bench first among the recent ones."""
        kept = [one for one in self.preferences.recent if one != str(path)]
        self.change(replace(self.preferences, recent=(str(path), *kept)[:most], last=str(path)))
