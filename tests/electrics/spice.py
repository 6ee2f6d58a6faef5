"""Circuits asked of ngspice."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path


def ngspice(lines: list[str], place: str, folder: Path) -> float:
    """The operating point of one node, by ngspice."""
    deck = folder / "deck.cir"
    deck.write_text(
        "\n".join(["* node", *lines, ".control", "set numdgt=12", "op", f"print v({place})", ".endc", ".end", ""])
    )
    done = subprocess.run(["ngspice", "-b", str(deck)], capture_output=True, text=True, timeout=60, check=False)
    found = re.search(rf"v\({place}\) = ([-+0-9.e]+)", done.stdout)
    assert found, done.stdout + done.stderr
    return float(found[1])
