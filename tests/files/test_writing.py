"""The door that files are written through: whole or not at all, never over what is no file."""

from __future__ import annotations

import errno
import os
import signal
import sqlite3
import stat
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from dynamis.bench.document.bench import Bench
from dynamis.demo.standins import LanternStandins
from dynamis.errors import InputError
from dynamis.files import migrate
from dynamis.files.store import BenchFile
from dynamis.files.text import read_text
from dynamis.files.writing import publish, write_together, write_whole

OLD = Path(__file__).parent / "old"


def left(folder: Path) -> list[str]:
    return sorted(one.name for one in folder.iterdir() if ".dynamis-part" in one.name)


def test_the_mode_of_a_file_is_kept_and_a_new_one_follows_the_umask(tmp_path):
    before = os.umask(0o027)
    try:
        write_whole(tmp_path / "new", "x")
        (tmp_path / "old").write_text("old")
        (tmp_path / "old").chmod(0o604)
        write_whole(tmp_path / "old", "x")
        with publish(tmp_path / "old", replace=True) as part:
            part.write_text("y")
    finally:
        os.umask(before)
    modes = [stat.S_IMODE((tmp_path / name).stat().st_mode) for name in ("new", "old")]
    assert modes == [0o640, 0o604]
    assert (tmp_path / "old").read_text() == "y"
    assert left(tmp_path) == []


def test_what_a_symbolic_link_points_to_is_written(tmp_path):
    (tmp_path / "there").mkdir()
    for name in ("old", "new"):
        link = tmp_path / name
        link.symlink_to(Path("there") / name)
        if name == "old":
            (tmp_path / "there" / name).write_text("before")
        write_whole(link, "x")
        assert link.is_symlink()
        assert (tmp_path / "there" / name).read_text() == "x"
    (tmp_path / "loop").symlink_to("loop")
    with pytest.raises(InputError, match="loop: cannot be written"):
        write_whole(tmp_path / "loop", "x")


@pytest.mark.parametrize("kind", ["folder", "pipe", "device", "long", "no folder", "full"])
def test_what_is_no_file_is_refused_and_left(tmp_path, kind, monkeypatch):
    path = tmp_path / "x"
    if kind == "folder":
        path.mkdir()
    elif kind == "pipe":
        os.mkfifo(path)
    elif kind == "device":
        path.symlink_to("/dev/null")
    elif kind == "long":
        path = tmp_path / ("x" * 300)
    elif kind == "no folder":
        path = tmp_path / "none" / "x"
    else:
        path.write_text("before")

        def full(descriptor: int) -> None:
            raise OSError(errno.ENOSPC, "No space left on device")

        monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(InputError) as told:
        write_whole(path, "x")
    assert str(path) in str(told.value)
    assert kind != "full" or path.read_text() == "before"
    assert left(tmp_path) == []
    if kind == "pipe":
        with pytest.raises(InputError, match="no file that can be read"):
            read_text(path)


def test_of_several_files_all_are_written_or_none(tmp_path):
    (tmp_path / "a").write_text("before")
    with pytest.raises(InputError, match="none"):
        write_together({tmp_path / "a": "x", tmp_path / "none" / "b": "y"})
    assert (tmp_path / "a").read_text() == "before"
    write_together({tmp_path / "a": "x", tmp_path / "b": b"y"})
    assert (tmp_path / "a").read_text() + (tmp_path / "b").read_text() == "xy"
    with pytest.raises(InputError, match="exists already"):
        write_whole(tmp_path / "a", "z", replace=False)


def test_parts_of_a_writer_that_died_are_cleared_and_others_stay(tmp_path):
    program = (
        "import os, signal, sys; from pathlib import Path; from dynamis.files.writing import publish\n"
        "with publish(Path(sys.argv[1])) as part:\n"
        "    part.write_text('half'); print('ready', flush=True); sys.stdin.read()\n"
    )
    held, dead = (
        subprocess.Popen(
            [sys.executable, "-c", program, tmp_path / name], stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )
        for name in ("held", "dead")
    )
    for one in (held, dead):
        one.stdout.readline()
    dead.send_signal(signal.SIGKILL)
    dead.wait()
    assert len(left(tmp_path)) == 4
    write_whole(tmp_path / "other", "x")
    assert {name.split(".")[1] for name in left(tmp_path)} == {"held"}
    held.communicate(b"")
    assert (tmp_path / "held").read_text() == "half"
    assert left(tmp_path) == []
    dead.stdin.close()
    for one in (held, dead):
        one.stdout.close()


def test_without_hard_links_an_old_bench_is_kept_and_brought_here_too(tmp_path, monkeypatch):
    def no_links(*_args, **_more) -> None:
        raise OSError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(migrate.os, "link", no_links)
    old = next(OLD.glob("*.dynamis"))
    (tmp_path / "real").mkdir()
    (tmp_path / "real" / "b.dynamis").write_bytes(old.read_bytes())
    (tmp_path / "link.dynamis").symlink_to(tmp_path / "real" / "b.dynamis")
    with BenchFile.open(tmp_path / "link.dynamis") as opened:
        assert "is kept as b (version" in opened.notice
        opened.record("x", Bench("Changed"))
    assert (tmp_path / "link.dynamis").is_symlink()
    kept = [one for one in (tmp_path / "real").iterdir() if "version" in one.name]
    assert [one.read_bytes() for one in kept] == [old.read_bytes()]
    with BenchFile.open(tmp_path / "real" / "b.dynamis") as opened:
        assert opened.bench().name == "Changed"


def test_a_file_that_another_program_holds_is_busy_and_not_damaged(demo_file):
    path = demo_file.path
    demo_file.close()
    holder = sqlite3.connect(path, isolation_level=None)
    holder.execute("BEGIN EXCLUSIVE")
    with pytest.raises(InputError, match="another program holds the file") as told:
        BenchFile.open(path)
    assert "damaged" not in str(told.value)
    holder.close()
    BenchFile.open(path).close()


@pytest.mark.parametrize(
    "text", ['{"03": {"A": ["E"', "[]", '{"03": {"A": ["X", 1, 1, 0, []]}}', "", '{"03": {"A": 3}}']
)
def test_a_half_written_state_of_the_stand_ins_starts_anew_with_a_sentence(tmp_path, text):
    (tmp_path / "state").write_text(text)
    made = LanternStandins(state=tmp_path / "state")
    made.close()
    assert "they start as shipped" in made.notice
    again = LanternStandins(state=tmp_path / "state")
    again.close()
    assert again.notice == ""


def test_two_writers_of_one_file_leave_one_of_both(tmp_path):
    texts = [letter * 100_000 for letter in "ab"]
    threads = [
        threading.Thread(target=lambda text=text: [write_whole(tmp_path / "f", text) for _ in range(20)])
        for text in texts
    ]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    assert (tmp_path / "f").read_text() in texts
    assert left(tmp_path) == []
