"""The tuner against the least spread of any estimate, its time in transforms of the tone, and its rate on a recording.

.venv/bin/python benchmarks/tuner.py [--tones 100]
"""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from tests.tuner.sounds import RATE, SHAPES, harmonics, rest, tone

from dynamis.files.recording import read_recording
from dynamis.tuner.phases import fine_frequency, least_deviation_hertz
from dynamis.tuner.tones import steady_tones


def ratios(hertz: float, shape: tuple[float, ...], decibels: float, count: int) -> tuple[float, float]:
    """(RMS of the error, median of what it says) over the bound, for tones of half a second."""
    chance = np.random.default_rng(1)
    sizes, size = harmonics(hertz, shape), RATE // 2
    noise = float(np.sqrt(np.sum(sizes**2) / 2.0 / 10.0 ** (decibels / 10.0)))
    least, t = least_deviation_hertz(sizes, noise, size, RATE), np.arange(size) / RATE
    errors, told = [], []
    for _ in range(count):
        phases = chance.uniform(0.0, 2.0 * np.pi, sizes.size)
        made = sum(one * np.sin(2.0 * np.pi * hertz * (k + 1) * t + phases[k]) for k, one in enumerate(sizes))
        fine = fine_frequency(
            made + noise * chance.standard_normal(size), RATE, hertz * (1 + chance.uniform(-1, 1) / 1e3)
        )
        assert fine is not None
        errors.append(fine.hertz - hertz)
        told.append(fine.deviation_hertz)
    return float(np.sqrt(np.mean(np.square(errors)))) / least, float(np.median(told)) / least


def main() -> int:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--tones", type=int, default=100)
    count = options.parse_args().tones
    print("RMS of the error over the Cramér-Rao bound / what it says of itself over the bound, at 20, 40 and 60 dB")
    for name in ("sine", "saw", "square", "plucked"):
        for hertz in (33.0, 52.0, 66.0, 110.0, 261.7, 440.3, 1760.0, 3520.0):
            cells = [ratios(hertz, SHAPES[name], decibels, count) for decibels in (20.0, 40.0, 60.0)]
            print(f"{name:8} {hertz:7.1f} Hz  " + "  ".join(f"{rms:5.2f} / {told:5.2f}" for rms, told in cells))
    chance = np.random.default_rng(2)
    made = tone(261.7, 0.5, SHAPES["saw"], chance) + 0.01 * chance.standard_normal(RATE // 2)
    spent = []
    for one in (lambda: np.fft.rfft(made), lambda: fine_frequency(made, RATE, 261.8)):
        times = []
        for _ in range(60):
            start = time.perf_counter()
            one()
            times.append(time.perf_counter() - start)
        spent.append(float(np.median(times)))
    print(f"a tone of half a second: {spent[1] * 1e3:.2f} ms, {spent[1] / spent[0]:.1f} transforms of it")
    parts = [np.concatenate([tone(65.4 * 2 ** (k / 12), 0.9, SHAPES["saw"], chance), rest(0.1)]) for k in range(61)]
    whole = np.concatenate(parts)
    whole += 0.001 * chance.standard_normal(whole.size)
    with tempfile.TemporaryDirectory() as folder:
        import soundfile

        path = Path(folder) / "sweep.wav"
        soundfile.write(path, whole, RATE, subtype="FLOAT")
        start = time.perf_counter()
        sound = read_recording(path)
        found = steady_tones(sound.samples, sound.rate)
        took = time.perf_counter() - start
    rate = whole.size / RATE / took
    print(f"a sweep of {len(found)} tones, {whole.size / RATE:.0f} s: {took:.2f} s, {rate:.0f} x real time")
    return 0


if __name__ == "__main__":
    sys.exit(main())
