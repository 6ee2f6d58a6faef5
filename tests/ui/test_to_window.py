"""What threads tell the window: it comes in its thread, to who is still there; nothing of Qt dies elsewhere."""

from __future__ import annotations

import gc
import subprocess
import sys
import threading

from drive import until
from PySide6.QtCore import QObject

from dynamis.ui.to_window import ToWindow

# Sums whose window goes while they are under way: before threads let go of it, this ended after some tenths of a second.
GONE_MEANWHILE = """
import gc, random, time
from PySide6.QtWidgets import QApplication
from dynamis.ui.background import Background
app, chance, gave = QApplication([]), random.Random(1), []
gc.disable()
for _ in range(3000):
    one, wait = Background(), chance.choice([0.0, 1e-4, 5e-4])
    one.answered.connect(gave.append)
    one.ask(lambda wanted, wait=wait: time.sleep(wait))
    time.sleep(chance.choice([0.0, 1e-4, 5e-4]))
    if chance.random() < 0.5:
        app.processEvents()
    del one
    for _ in range(chance.choice([0, 1, 3])):
        app.processEvents()
assert 0 < len(gave) < 3000
"""


def test_who_asked_may_go_while_the_answer_is_on_its_way():
    ran = subprocess.run([sys.executable, "-c", GONE_MEANWHILE], capture_output=True, text=True, timeout=120)
    assert (ran.returncode, ran.stderr.count("Error")) == (0, 0), ran.stderr


class Told(QObject):
    def __init__(self) -> None:
        super().__init__()
        self.heard: list[tuple[int, threading.Thread]] = []

    def take(self, value: int) -> None:
        self.heard.append((value, threading.current_thread()))


def test_it_comes_in_the_windows_thread_to_who_is_there(qapp):
    there, gone = Told(), Told()
    heard, tell = gone.heard, [ToWindow(there.take), ToWindow(gone.take)]
    del gone
    gc.collect()
    thread = threading.Thread(target=lambda: [one(k) for k in range(3) for one in tell])
    thread.start()
    thread.join()
    assert (there.heard, heard) == ([], [])
    until(lambda: len(there.heard) == 3)
    assert there.heard == [(k, threading.main_thread()) for k in range(3)]
    assert heard == []
