"""Sounds of known frequency: made by sox, or summed from harmonics."""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

import numpy as np

RATE = 48000
# The harmonics of waves that oscillators have, and of plucked ones whose third is the strongest.
SINE = (1.0,)
SAW = tuple(1.0 / k for k in range(1, 100))
SQUARE = tuple(k % 2 / k for k in range(1, 100))
PULSE = tuple(6.0 * np.sin(np.pi * k * 0.05) / k for k in range(1, 100))
PLUCKED = (0.15, 0.2, 1.0, 0.3, 0.2, 0.1)
PLUCKED_MORE = (0.05, 0.06, 1.0, 0.1, 0.05, 0.2)
NO_FUNDAMENTAL = (0.0, 0.8, 1.0, 0.7, 0.5, 0.3)
SHAPES = {
    "sine": SINE,
    "saw": SAW,
    "square": SQUARE,
    "pulse": PULSE,
    "plucked": PLUCKED,
    "plucked more": PLUCKED_MORE,
    "no fundamental": NO_FUNDAMENTAL,
}


def harmonics(hertz: float, shape: tuple[float, ...], rate: float = RATE) -> np.ndarray:
    """Those of a shape that a recording can hold, with what its coarsest reader takes."""
    return np.array([size for k, size in enumerate(shape) if hertz * (k + 1) < 0.46 * rate])


def tone(
    hertz: float,
    seconds: float,
    shape: tuple[float, ...],
    chance: np.random.Generator,
    rate: float = RATE,
    tau_seconds: float | None = None,
) -> np.ndarray:
    """With phases at random and edges of 3 ms; higher harmonics decay sooner where it decays."""
    t = np.arange(int(seconds * rate)) / rate
    made = np.zeros(t.size)
    for k, size in enumerate(harmonics(hertz, shape, rate)):
        decay = 1.0 if tau_seconds is None else np.exp(-t / tau_seconds * (1.0 + 0.3 * k))
        made += size * np.sin(2.0 * np.pi * hertz * (k + 1) * t + chance.uniform(0.0, 2.0 * np.pi)) * decay
    edge = np.clip(np.minimum(t, t[::-1]) / 0.003, 0.0, 1.0)
    return 0.3 * made * edge


def rest(seconds: float, rate: float = RATE) -> np.ndarray:
    return np.zeros(int(seconds * rate))


def hum(size: int, level: float) -> np.ndarray:
    """Of mains of 50 Hz, with its third harmonic."""
    t = np.arange(size) / RATE
    return level * (np.sin(2.0 * np.pi * 50.0 * t) + 0.4 * np.sin(2.0 * np.pi * 150.0 * t))


def recorded(given: dict[str, Any], path: Path) -> None:
    """A recording that sox makes: segments one after another, noise upon it; `voices` are its channels."""
    rate, bits = ["-r", str(given["rate"])], ["-b", str(given["bits"])]

    def sox(*words: object) -> None:
        subprocess.run(["sox", "-D", *map(str, words)], check=True, capture_output=True, timeout=60)

    def voice(segments: list[dict[str, Any]], name: str) -> Path:
        parts = []
        for k, one in enumerate(segments):
            part, seconds = path.parent / f"{name}-{k}.wav", one["seconds"]
            words: list[object] = ["trim", 0, seconds]
            if one["kind"] != "rest":
                words = ["synth", seconds, one["kind"], one["hz"], "vol", one["level"]]
                words += ["fade", "t", 0.003, seconds, 0.003]
            sox(*rate, "-n", *bits, part, *words)
            parts.append(part)
        sox(*parts, path.parent / f"{name}.wav")
        return path.parent / f"{name}.wav"

    if given.get("voices"):
        sox("-M", *(voice(one["segments"], f"v{k}") for k, one in enumerate(given["voices"])), path)
        return
    whole = voice(given["segments"], "whole")
    if given["noise_db"] is None:
        whole.rename(path)
        return
    noise, seconds = path.parent / "noise.wav", sum(one["seconds"] for one in given["segments"])
    sox("-R", *rate, "-n", *bits, noise, "synth", seconds, "whitenoise", "vol", f"{given['noise_db']}dB")
    sox("-m", "-v", 1, whole, "-v", 1, noise, path)
