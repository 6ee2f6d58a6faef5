"""The program itself in a real X11 window, driven from outside by mouse and keyboard."""

from __future__ import annotations

import os
import shutil
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

needs = [tool for tool in ("Xvfb", "xdotool") if shutil.which(tool) is None]
pytestmark = pytest.mark.skipif(bool(needs), reason=f"{needs} not installed")


@pytest.fixture
def display():
    """A virtual screen of its own; gives its name."""
    read, write = os.pipe()
    server = subprocess.Popen(["Xvfb", "-displayfd", str(write), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
                              pass_fds=[write], stderr=subprocess.DEVNULL)  # fmt: skip
    os.close(write)
    with os.fdopen(read) as pipe:
        number = pipe.readline().strip()
    yield f":{number}"
    server.terminate()
    server.wait(timeout=20)


def wait_for(ask, seconds: float = 40.0):
    """What `ask` gives once it gives something."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        answer = ask()
        if answer:
            return answer
        time.sleep(0.15)
    raise AssertionError("nothing came within the time")


def test_a_reading_is_taken_voided_and_kept_by_the_real_program(display, tmp_path):
    environment = {**os.environ, "DISPLAY": display, "XDG_DATA_HOME": str(tmp_path / "data"), "XDG_CONFIG_HOME": str(tmp_path / "config"),
                   "QT_QPA_PLATFORM": "xcb"}  # fmt: skip
    program = subprocess.Popen(
        [sys.executable, "-m", "dynamis", "--demo"], env=environment, stderr=subprocess.PIPE, text=True
    )

    def xdotool(*arguments: str) -> str:
        done = subprocess.run(
            ["xdotool", *arguments], env=environment, capture_output=True, text=True, timeout=30, check=False
        )
        return done.stdout.strip()

    def readings() -> list[tuple[float, float]]:
        path = next(iter(Path(tmp_path / "data").rglob("demo *.dynamis")))
        with sqlite3.connect(f"file:{path}?mode=ro", uri=True) as bench:
            return bench.execute("SELECT note, value FROM reading WHERE run = '03-as-found' ORDER BY number").fetchall()

    try:
        window = wait_for(lambda: xdotool("search", "--onlyvisible", "--name", "Lantern House"))
        window = window.splitlines()[0]
        assert len(readings()) == 21
        # no window manager gives the focus, so the field is clicked once first
        xdotool("mousemove", "--window", window, "150", "245", "click", "1")
        xdotool("type", "--window", window, "2.1931")
        xdotool("key", "--window", window, "Return")
        assert wait_for(lambda: len(readings()) == 22)
        note, value = readings()[-1]
        assert value == 2.1931
        assert note == 60.0
        xdotool("key", "--window", window, "ctrl+5")
        xdotool("key", "--window", window, "ctrl+q")
        assert program.wait(timeout=30) == 0
        assert program.stderr.read() == ""
        assert len(readings()) == 22
    finally:
        program.kill()
        program.wait(timeout=20)
        program.stderr.close()


def test_a_whole_run_by_keyboard_and_by_mouse_under_a_real_screen(display):
    """The same runs as offscreen, in windows of a real X11 screen."""
    tests = Path(__file__).with_name("test_measure_run.py")
    environment = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
    done = subprocess.run([sys.executable, "-m", "pytest", str(tests), "-k", "by_keyboard or by_mouse", "-p", "no:cacheprovider"],
                          env=environment, capture_output=True, text=True, timeout=180, check=False)  # fmt: skip
    assert done.returncode == 0, done.stdout[-3000:]
    assert "2 passed" in done.stdout
