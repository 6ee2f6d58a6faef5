"""The program itself in a real X11 window, driven from outside by mouse and keyboard."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import msgspec
import pytest

from dynamis.bench.runs.analysis import analyse
from dynamis.files.store import BenchFile

needs = [tool for tool in ("Xvfb", "xdotool") if shutil.which(tool) is None]
pytestmark = [pytest.mark.skipif(bool(needs), reason=f"{needs} not installed"), pytest.mark.xdist_group("real time")]


@pytest.fixture
def display():
    """A virtual screen of its own; gives its name."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1400x900x24", "-nolisten", "tcp", "-noreset"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    with os.fdopen(read) as pipe:
        number = pipe.readline().strip()
    yield f":{number}"
    server.terminate()
    server.wait(timeout=20)


def wait_for(ask, seconds: float = 120.0, again=lambda: None, stands=lambda: None):
    """What `ask` gives once it gives something; where nothing `stands` differently for a while, the hand tries
    `again`, as one does when a busy machine missed the key."""
    end = time.monotonic() + seconds
    tried, stood = time.monotonic(), stands()
    while time.monotonic() < end:
        answer = ask()
        if answer:
            return answer
        if stands() != stood:
            tried, stood = time.monotonic(), stands()
        elif time.monotonic() > tried + 12.0:
            again()
            tried = time.monotonic()
        time.sleep(0.15)
    raise AssertionError("nothing came within the time")


class Program:
    """The program in its own process on a screen, and a hand at its keyboard and mouse."""

    def __init__(self, display: str, home: Path, *arguments: str) -> None:
        self.environment = {
            **os.environ,
            "DISPLAY": display,
            "XDG_DATA_HOME": str(home / "data"),
            "XDG_CONFIG_HOME": str(home / "config"),
            "QT_QPA_PLATFORM": "xcb",
        }
        self.process = subprocess.Popen(
            [sys.executable, "-m", "dynamis", *arguments], env=self.environment, stderr=subprocess.PIPE, text=True
        )

    def _xdotool(self, *arguments: str) -> str:
        done = subprocess.run(
            ["xdotool", *arguments], env=self.environment, capture_output=True, text=True, timeout=30, check=False
        )
        return done.stdout.strip()

    def find(self, name: str) -> None:
        def shown() -> str:
            assert self.process.poll() is None, self.process.stderr.read()
            return self._xdotool("search", "--onlyvisible", "--name", name)

        self.window = wait_for(shown).splitlines()[0]

    def click(self, x: int, y: int) -> None:
        self._xdotool("mousemove", "--window", self.window, str(x), str(y), "click", "1")

    def type(self, text: str) -> None:
        self._xdotool("type", "--window", self.window, text)

    def key(self, *keys: str) -> None:
        self._xdotool("key", "--window", self.window, *keys)

    def end(self) -> None:
        self.process.kill()
        self.process.wait(timeout=20)
        self.process.stderr.close()


@pytest.fixture
def program(display, tmp_path):
    """Start the program: `program(*arguments)`."""
    started = []

    def start(*arguments: str) -> Program:
        started.append(Program(display, tmp_path, *arguments))
        return started[-1]

    yield start
    for one in started:
        one.end()


def ask(path: Path, query: str) -> list[tuple]:
    """What a bench file holds, asked beside the program that has it open."""
    with contextlib.closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as bench:
        return bench.execute(query).fetchall()


def test_a_reading_is_taken_voided_and_kept_by_the_real_program(program, tmp_path):
    shown = program("--demo")

    def readings() -> list[tuple[float, float]]:
        path = next(iter(Path(tmp_path / "data").rglob("demo *.dynamis")))
        return ask(path, "SELECT note, value FROM reading WHERE run = '03-as-found' ORDER BY number")

    shown.find("Lantern House")
    assert len(readings()) == 21
    # no window manager gives the focus, so the field is clicked once first
    shown.click(150, 245)
    shown.type("2.1931")
    shown.key("Return")
    assert wait_for(lambda: len(readings()) == 22)
    assert readings()[-1] == (60.0, 2.1931)
    shown.key("ctrl+5")
    shown.key("ctrl+q")
    assert shown.process.wait(timeout=90) == 0
    assert shown.process.stderr.read() == ""
    assert len(readings()) == 22


def test_a_circuit_is_designed_and_used_by_keyboard_and_a_note_dragged_by_mouse(program, tmp_path):
    """From the chosen pair on Bench to Circuit, Ctrl+Shift+I, and back to a link that plays true; then the chain."""
    shown = program("--demo")

    def kinds() -> list[str]:
        path = next(iter(Path(tmp_path / "data").rglob("demo *.dynamis")))
        with BenchFile.open(path, write=False) as looked_at:
            return [one.kind for link in looked_at.bench().links for one in link.between if one.kind != "remembering"]

    shown.find("Lantern House")
    shown.click(150, 245)
    shown.key("ctrl+3")
    time.sleep(2.0)
    shown.key("ctrl+4")
    assert kinds() == []

    def used() -> list[str]:
        shown.key("ctrl+shift+i")  # refused with a sentence while the proposals are still worked out
        time.sleep(0.6)
        return kinds()

    assert wait_for(used)[0] == "circuit"
    shown.key("ctrl+z")
    assert wait_for(lambda: kinds() == [])
    shown.key("ctrl+3")
    time.sleep(1.0)
    shown._xdotool("mousemove", "--window", shown.window, "124", "420", "mousedown", "1")
    for y in (400, 360, 300):
        shown._xdotool("mousemove", "--window", shown.window, "124", str(y))
    shown._xdotool("mouseup", "1")
    shown.key("ctrl+q")
    assert shown.process.wait(timeout=90) == 0
    assert shown.process.stderr.read() == ""


class StandIns:
    """The simulated bench in its own process, as the program meets it."""

    def __init__(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "dynamis.demo.standins"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        self.addresses = json.loads(self.process.stdout.readline())

    def do(self, hand: str, value: object = None) -> dict:
        self.process.stdin.write(json.dumps({"do": hand, "value": value}) + "\n")
        self.process.stdin.flush()
        return json.loads(self.process.stdout.readline())


@pytest.fixture
def stand_ins():
    made = StandIns()
    yield made
    made.process.stdin.close()
    made.process.wait(timeout=20)
    made.process.stdout.close()


def test_connect_run_correct_prove_kill_and_reopen(program, stand_ins, demo_file, tmp_path):
    """The whole course by keyboard on a real screen; killed in mid-proof, opened again and proven to the end."""
    stand_ins.do("probe", "B")
    like = demo_file.runs()[0]
    demo_file.add_run(
        msgspec.structs.replace(
            like, id="found", port="pitch-b", plan=(36.0, 37.0, 39.0), created="2026-11-21T10:00:00+00:00"
        )
    )
    demo_file.close()
    path = demo_file.path
    (tmp_path / "config" / "dynamis").mkdir(parents=True)
    (tmp_path / "config" / "dynamis" / "preferences.json").write_text(
        json.dumps({"board_port": stand_ins.addresses["board"], "meter_address": stand_ins.addresses["meter"]})
    )

    def count(table: str) -> int:
        return ask(path, f"SELECT count(*) FROM {table}")[0][0]

    def codes() -> int:
        return stand_ins.do("look")["codes"]["B"]

    def connected() -> Program:
        shown = program(str(path))
        shown.find("Lantern House")
        shown.click(640, 790)
        for what in ("board", "meter"):

            def hand() -> None:
                shown.key("ctrl+d", "Return")

            hand()
            wait_for(lambda: stand_ins.do("look")["connected"][what], again=hand)  # noqa: B023
            time.sleep(1.0)  # until the window has heard it, too
        shown.key("ctrl+6")
        return shown

    def counts() -> tuple[int, ...]:
        return tuple(count(table) for table in ("reading", "adoption", "run", "sent"))

    before = count("reading"), count("adoption"), count("run")
    shown = connected()
    for wanted in (
        lambda: count("reading") == before[0] + 4,  # three notes, and the first again
        lambda: count("adoption") == before[1] + 1,
        lambda: count("sent") == 2,
        lambda: count("reading") == before[0] + 4 + 5,
        lambda: count("adoption") == before[1] + 2,
        lambda: count("sent") == 4,
        lambda: count("reading") == before[0] + 4 + 5 + 3,  # in the proof
    ):
        shown.key("F8")
        wait_for(wanted, again=lambda: shown.key("F8"), stands=counts)
        time.sleep(0.4)
    assert codes() > 0
    shown.process.send_signal(signal.SIGKILL)
    shown.process.wait(timeout=20)
    wait_for(lambda: codes() == 0)  # the board notices the silence itself
    kept = count("reading")
    shown = connected()
    shown.key("F8")
    wait_for(lambda: count("reading") == before[0] + 4 + 5 + 8, again=lambda: shown.key("F8"), stands=counts)
    assert count("reading") >= kept
    stand_ins.do("meter silent", True)
    shown.process.send_signal(signal.SIGTERM)
    assert shown.process.wait(timeout=90) == 0
    assert codes() == 0
    assert shown.process.stderr.read() == ""
    with BenchFile.open(path) as opened:
        proof = opened.runs()[-1]
        judged = analyse(proof, opened.readings(proof.id))
        assert proof.plan == (36.0, 36.5, 37.0, 37.5, 38.0, 38.5, 39.0)
        assert (judged.next_note, judged.verdict) == (None, "within")
        assert [sent.verified for sent in opened.sends()] == [False, True, False, True]


def test_a_whole_run_by_keyboard_and_by_mouse_under_a_real_screen(display):
    """The same runs as offscreen, in windows of a real X11 screen."""
    tests = Path(__file__).with_name("test_measure_run.py")
    environment = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
    done = subprocess.run(
        [sys.executable, "-m", "pytest", str(tests), "-k", "by_keyboard or by_mouse", "-p", "no:cacheprovider"],
        env=environment,
        capture_output=True,
        text=True,
        timeout=400,
        check=False,
    )
    assert done.returncode == 0, done.stdout[-3000:]
    assert "2 passed" in done.stdout
