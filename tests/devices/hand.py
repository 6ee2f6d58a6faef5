"""A hand in a simulated board's line."""

from __future__ import annotations

import time

SAFE_SECONDS = 0.3


class Hand:
    """Holds a simulated board's replies back or replaces them; notes when it hears SAFE."""

    def __init__(self, lantern) -> None:
        self.logic = lantern.board.logic
        self.receive = self.logic.receive
        self.replies = {}
        self.heard, self.safe_at = [], 0.0
        self.logic.receive = self.take

    def take(self, data: bytes, seconds: float) -> bytes:
        said = b""
        for line in data.split(b"\n"):
            fields = line.decode("latin-1").split(" ")
            verb = fields[1] if len(fields) > 1 else ""
            self.heard.append(verb)
            if verb == "SAFE":
                self.safe_at = time.monotonic()
            answer = self.receive(line + b"\n", seconds)
            said += self.replies[verb](fields[0]) if verb in self.replies else answer
        return said


def silent(tag: str) -> bytes:
    return b""
