"""Circuits asked of ngspice."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

import numpy as np


def ngspice(lines: list[str], place: str, folder: Path) -> float:
    """The operating point of one node, by ngspice."""
    return asked(lines, ["op", f"print v({place})"], rf"v\({place}\) = ([-+0-9.e]+)", folder)


def ngspice_at(lines: list[str], place: str, seconds: float, folder: Path) -> float:
    """The volts of one node at an instant of a transient, by ngspice."""
    commands = [
        f"tran {seconds / 2000} {seconds} 0 {seconds / 2000} uic",
        f"meas tran found find v({place}) at={seconds}",
    ]
    return asked(lines, commands, r"found\s*=\s*([-+0-9.e]+)", folder)


def asked(lines: list[str], commands: list[str], pattern: str, folder: Path) -> float:
    deck = folder / "deck.cir"
    deck.write_text("\n".join(["* node", *lines, ".control", "set numdgt=12", *commands, ".endc", ".end", ""]))
    done = subprocess.run(["ngspice", "-b", str(deck)], capture_output=True, text=True, timeout=60, check=False)
    found = re.search(pattern, done.stdout)
    assert found, done.stdout + done.stderr
    return float(found[1])


def swept(text: str, folder: Path) -> np.ndarray:
    """The table that a netlist with a `.dc` sweep prints, by ngspice: input and output, one row a step."""
    return printed(text, folder)[:, -2:]


def printed(text: str, folder: Path) -> np.ndarray:
    """The table that a netlist prints, by ngspice, without the numbers of its rows."""
    deck = folder / "printed.cir"
    deck.write_text(text)
    done = subprocess.run(["ngspice", "-b", str(deck)], capture_output=True, text=True, timeout=60, check=False)
    rows = [line.split()[1:] for line in done.stdout.splitlines() if re.match(r"\d+\t", line)]
    assert rows, done.stdout + done.stderr
    return np.array(rows, float)
