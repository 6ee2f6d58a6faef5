"""What was said last to an instrument and by it."""

from __future__ import annotations

import time
from collections import deque
from dataclasses import dataclass, field

from dynamis.notation.safe import one_line

# So many lines are kept, of so many characters.
MOST_LINES, MOST_LINE = 400, 200


@dataclass
class Dialogue:
    """What was said last to an instrument and by it; kept by the line, looked at from any thread."""

    lines: deque[tuple[float, bool, str]] = field(default_factory=lambda: deque(maxlen=MOST_LINES))

    def add(self, *, asked: bool, text: str) -> None:
        self.lines.append((time.time(), asked, one_line(text[:MOST_LINE], MOST_LINE)))

    def words(self) -> list[str]:
        """A line each, with its time: `>` what was said, `<` what came."""
        return [
            f"{time.strftime('%H:%M:%S', time.localtime(at))} {'>' if asked else '<'} {text}"
            for at, asked, text in tuple(self.lines)
        ]
