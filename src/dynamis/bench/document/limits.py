"""How much of everything a bench may hold; `docs/limits.md` says what happens beyond."""

from __future__ import annotations

from typing import Final

HIGHEST_NOTE: Final = 127.0
# Volts of a port, and of a supply.
MOST_VOLTS, MOST_RAIL = 1e4, 100.0
MOST_OHMS: Final = 1e12
MOST_HERTZ: Final = 1e9
# Reference notes of laws may lie outside the 128 keys, by this much at most; a law's scale in V/oct, its volts.
NOTES_BEYOND: Final = 128.0
SCALES: Final = (1e-3, 1e3)
MOST_LAW_VOLTS: Final = 1e3
CELSIUS: Final = (-100.0, 200.0)
A4_HERTZ: Final = (1.0, 10_000.0)
MOST_CODE: Final = 2**24 - 1
MOST_SECONDS: Final = 1e6
MOST_CENTS: Final = 1e5
# Counts.
MOST_GEAR, MOST_PORTS, MOST_UNITS = 200, 200, 500
MOST_LINKS, MOST_INPUTS, MOST_OUTPUTS = 500, 32, 8
# In the whole bench: ports, and pairs of an output and an input that are joined.
MOST_PORTS_IN_ALL, MOST_JOINED = 2000, 1000
MOST_BETWEEN: Final = 8
# Positions of a switch; and what a knob may do: a gain, volts or octaves.
MOST_STEPS: Final = 64
MOST_TURNED: Final = 1e3
MOST_METERS: Final = 200
MOST_RUNS: Final = 10_000
MOST_PLAN: Final = 2000
# Notes of which as few as will do are read: each is weighed against all others.
MOST_CHOICE: Final = 128
MOST_READINGS: Final = 5000
# Any other number that a record holds.
MOST_NUMBER: Final = 1e12
