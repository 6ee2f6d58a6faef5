"""The bench file under other hands: two windows, older and newer versions, damage, kills, full disks."""

from __future__ import annotations

import json
import os
import random
import re
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

import pytest

from dynamis.bench.chains.port_transfers import make_dac
from dynamis.bench.document.bench import Bench
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import HeadRecord, HeldRecord, SendRecord
from dynamis.bench.judging.pairs import judge_pair
from dynamis.bench.runs.analysis import codes_of
from dynamis.demo.hidden import shipped
from dynamis.errors import InputError
from dynamis.files.bench_json import import_json
from dynamis.files.contents import everything
from dynamis.files.opening import DamagedFileError
from dynamis.files.salvage import salvage
from dynamis.files.schema import VERSION
from dynamis.files.store import BenchFile
from dynamis.files.stored import now

OLD = Path(__file__).parent / "old"


@pytest.fixture
def old_file(tmp_path):
    """A bench as the first version wrote it."""
    return Path(shutil.copy(OLD / "version-1.dynamis", tmp_path / "winter.dynamis"))


# -- two windows ---------------------------------------------------------------------------------------


def test_a_second_window_reads_and_the_lock_ends_with_the_first(demo_file):
    with BenchFile.open(demo_file.path) as second:
        assert "open in another window" in second.read_only
        assert everything(second) == everything(demo_file)
        assert not second.changed_elsewhere()
        for change in (
            lambda: second.record("x", Bench()),
            second.undo,
            lambda: second.set_void(1, True, ""),
            lambda: second.add_readings(second.runs()[0].id, [(60.0, 2.0, None, 0.0)]),
        ):
            with pytest.raises(InputError, match=r"another window|nothing to undo"):
                change()
        demo_file.record("rename", Bench("Changed meanwhile"))
        assert second.changed_elsewhere()
        assert not second.changed_elsewhere()
        assert second.bench().name == "Changed meanwhile"
    demo_file.close()
    with BenchFile.open(demo_file.path) as third:
        assert third.read_only == ""


def test_the_lock_dies_with_its_process(tmp_path):
    path = tmp_path / "b.dynamis"
    BenchFile.create(path, Bench()).close()
    text = (
        f"from pathlib import Path; from dynamis.files.store import BenchFile; b = BenchFile.open(Path({str(path)!r}));"
        "print(b.read_only == '', flush=True); input()"
    )
    other = subprocess.Popen([sys.executable, "-c", text], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert other.stdout.readline() == "True\n"
    with BenchFile.open(path) as mine:
        assert "another window" in mine.read_only
    other.kill()
    other.communicate()
    with BenchFile.open(path) as mine:
        assert mine.read_only == ""


@pytest.mark.skipif(os.geteuid() != 0, reason="needs to become somebody without rights")
def test_a_file_that_cannot_be_written_is_looked_at(demo_file, tmp_path_factory):
    path = demo_file.path
    demo_file.close()
    top = Path(tempfile.gettempdir())
    above = [one for one in path.parents if top in one.parents]
    for parent in above:
        os.chmod(parent, 0o755)
    os.chmod(path, 0o444)
    os.seteuid(65534)
    try:
        with BenchFile.open(path) as opened:
            assert "cannot be written to" in opened.read_only
            assert opened.bench().name == "The Lantern House"
    finally:
        os.seteuid(0)
        for parent in above:
            os.chmod(parent, 0o700)


@pytest.mark.parametrize("version", [1, 2])
def test_ids_are_unique_across_files_and_alike_in_every_copy_of_an_older_one(version, tmp_path):
    def uids(held) -> list[str]:
        return [one.uid for rows in (held.runs, held.readings, held.adoptions, held.sends) for one in rows]

    copies = [Path(shutil.copy(OLD / f"version-{version}.dynamis", tmp_path / f"{k}.dynamis")) for k in range(2)]
    held = []
    for path in copies:
        with BenchFile.open(path) as opened:
            held.append(everything(opened))
            opened.add_readings(opened.runs()[0].id, [(60.0, 2.0, None, 0.0)])
            held.append(everything(opened))
    assert uids(held[0]) == uids(held[2])
    assert len(set(uids(held[0]))) == len(uids(held[0]))
    assert all(len(one) == 32 for one in uids(held[0]))
    new = [set(uids(after)) - set(uids(before)) for before, after in zip(held[::2], held[1::2], strict=True)]
    assert [len(one) for one in new] == [1, 1]
    assert new[0] != new[1]  # each copy took a reading of its own
    with import_json(OLD / f"version-{version}.json", tmp_path / "json.dynamis") as made:
        assert [one.uid for one in everything(made).readings] == [one.uid for one in held[0].readings]


def test_threads_share_one_file(empty_file, demo_file):
    run = demo_file.runs()[0]
    empty_file.add_run(run)

    def take(first: int) -> None:
        for k in range(20):
            empty_file.add_readings(run.id, [(float(first + k), 1.0, None, 0.0)])

    threads = [threading.Thread(target=take, args=(base,)) for base in (0, 50)]
    for one in threads:
        one.start()
    for k in range(20):
        empty_file.record(f"step {k}", Bench(f"Step {k}"))
    for one in threads:
        one.join()
    assert [row.number for row in empty_file.readings(run.id)] == list(range(1, 41))
    assert empty_file.undo_label() == "step 19"


# -- versions ------------------------------------------------------------------------------------------


def test_an_older_bench_is_brought_here_and_kept(old_file):
    before = old_file.read_bytes()
    with BenchFile.open(old_file) as opened:
        assert opened.read_only == ""
        kept = old_file.with_name("winter (version 1).dynamis")
        assert kept.name in opened.notice
        assert kept.read_bytes() == before
        assert len(opened.runs()) == 4
        # the undo history came along: the tolerance was undone, the rename not
        assert opened.bench().name == "The Lantern House, winter"
        assert opened.redo_label() is not None
        assert opened.undo().name == "The Lantern House"
        assert sum(row.voided for row in opened.readings("03-after-constants")) == 1
        # the table plays the same codes as the list of codes did
        run = next(one for one in opened.runs() if one.head.kind == "table")
        assert codes_of(run, make_dac("d", run.converter), [36.0, 60.0]).tolist() == [
            row.code for row in opened.readings(run.id)
        ]
        adopted = opened.adoptions()[-1]
        assert adopted.head == run.head
        opened.add_send(SendRecord(0, "g", "03", "p", now(), HeldRecord.of(shipped()), HeldRecord.of(shipped())))
    with BenchFile.open(old_file) as again:
        assert (again.notice, len(again.sends())) == ("", 1)


def test_every_code_of_an_old_table_is_kept():
    old = json.loads((OLD / "version-1.json").read_text())
    codes = old["adoptions"][-1]["head"]["codes"]
    run = next(one for one in everything_of(OLD / "version-1.json").runs if one.head.kind == "table")
    notes = [float(run.head.first_note + k) for k in range(len(codes))]
    assert codes_of(run, make_dac("d", run.converter), notes).tolist() == codes


def everything_of(source: Path):
    from dynamis.files.bench_json import read_json

    return read_json(source)


def test_reading_an_older_bench_changes_nothing(old_file):
    before = old_file.read_bytes()
    with BenchFile.open(old_file, write=False) as opened:
        assert len(opened.adoptions()) == 2
        assert "reading only" in opened.read_only
    assert old_file.read_bytes() == before
    assert [one.name for one in old_file.parent.iterdir()] == [old_file.name]


def test_an_older_export_is_read(tmp_path):
    with import_json(OLD / "version-1.json", tmp_path / "b.dynamis") as made:
        assert made.adoptions()[-1].head.kind == "table"
        assert len(made.adoptions()[-1].head.sixteenths) == 61


def test_a_bench_of_version_2_is_brought_here_with_all_it_holds(tmp_path):
    path = Path(shutil.copy(OLD / "version-2.dynamis", tmp_path / "two.dynamis"))
    before = path.read_bytes()
    with BenchFile.open(path) as opened, import_json(OLD / "version-2.json", tmp_path / "b.dynamis") as made:
        assert path.with_name("two (version 2).dynamis").read_bytes() == before
        assert opened.bench() == made.bench()
        assert (len(opened.runs()), len(made.runs()), len(opened.adoptions())) == (3, 3, 1)
        assert opened.bench().port(PortRef("balcony-voice", "pitch")).tune_semitones == 5.0


def test_a_bench_of_version_3_is_brought_here_with_what_stands_between(tmp_path):
    path = Path(shutil.copy(OLD / "version-3.dynamis", tmp_path / "three.dynamis"))
    with BenchFile.open(path) as opened, import_json(OLD / "version-3.json", tmp_path / "b.dynamis") as made:
        assert opened.bench() == made.bench()
        assert [one.kind for one in opened.bench().links[0].between] == ["stage"]
        assert [one.circuit for one in opened.bench().links[1].gate_stages] == ["divider"]
        assert opened.bench().tuning is None


def test_a_bench_of_version_4_is_brought_here_with_its_circuit_for_gates(tmp_path):
    path = Path(shutil.copy(OLD / "version-4.dynamis", tmp_path / "four.dynamis"))
    with BenchFile.open(path) as opened:
        bench = opened.bench()
        stages = [stage for link in bench.links for stage in link.gate_stages]
        assert [one.circuit for one in stages] == ["comparator and divider"]
        assert bench.rails == ((-12.0, 12.0),)
        # What stood there is judged as it was: the drum gets its gate, which another output shares on this bench.
        link = next(one for one in bench.links if one.gate_stages)
        assert {one.code for one in judge_pair(bench, link, link.inputs[0]).findings} == {
            "outputs-contending",
            "pulse-too-long",
        }


def test_a_bench_of_version_5_is_judged_as_it_was(tmp_path):
    path = Path(shutil.copy(OLD / "version-5.dynamis", tmp_path / "five.dynamis"))
    with BenchFile.open(path) as opened:
        bench = opened.bench()
        assert path.with_name("five (version 5).dynamis").exists()
        assert (len(opened.runs()), [link.branches for link in bench.links]) == (3, [()] * len(bench.links))
        assert [one.knobs[0].does for gear in bench.gear for one in gear.ports if one.knobs] == [""]
        # What the version that wrote it told: 1200 * (1 / 1.02 - 1) cents an octave from the 0 V of its keys' reference,
        # 5.2 octaves up.
        fit = judge_pair(bench, bench.links[0], bench.links[0].inputs[0])
        assert fit.value == pytest.approx(5.2 * 1200 * (1 / 1.02 - 1), abs=0.3)


def test_a_bench_of_version_6_knows_no_temperatures_and_takes_some(tmp_path):
    path = Path(shutil.copy(OLD / "version-6.dynamis", tmp_path / "six.dynamis"))
    with BenchFile.open(path) as opened:
        run = opened.runs()[0]
        before = opened.readings(run.id)
        assert (len(before), {one.celsius for one in before}, run.tuning) == (21, {None}, None)
        opened.add_readings(run.id, [(60.0, 2.2, None, 0.0)], celsius=[23.5])
    with BenchFile.open(path) as again:
        assert again.readings(run.id)[-1].celsius == 23.5
        assert again.readings(run.id)[:-1] == before


def test_an_older_bench_that_cannot_be_brought_here_stays_as_it_was(old_file):
    raw = sqlite3.connect(old_file)
    raw.execute("UPDATE run SET settings = replace(settings, '\"bits\":12', '\"bits\":99')")
    raw.commit()
    raw.close()
    before = old_file.read_bytes()
    with pytest.raises(InputError, match="could not be brought to this version"):
        BenchFile.open(old_file)
    assert old_file.read_bytes() == before
    assert [one.name for one in old_file.parent.iterdir()] == [old_file.name]


# -- damage --------------------------------------------------------------------------------------------


def damaged(path: Path, pages: list[int], size: int = 4096) -> bytes:
    data = bytearray(path.read_bytes())
    for page in pages:
        data[page * size : (page + 1) * size] = random.Random(page).randbytes(size)
    path.write_bytes(data)
    return bytes(data)


def test_a_damaged_file_is_left_alone_and_salvaged_as_far_as_it_goes(demo_file, tmp_path):
    """Every page but the first in turn: what was lost is a part, what was read is what was there."""
    whole = everything(demo_file)
    values = {(row.run, row.number): row.value for row in whole.readings}
    path = demo_file.path
    demo_file.close()
    sound = path.read_bytes()
    saved = []
    for page in range(1, len(sound) // 4096):
        path.write_bytes(sound)
        before = damaged(path, [page])
        try:
            with BenchFile.open(path, write=False):
                continue  # a page that holds nothing
        except InputError as error:
            assert isinstance(error, DamagedFileError)
            assert "left as it is" in str(error)
        try:
            found = salvage(path)
        except InputError as error:
            assert "nothing in this file can be read" in str(error)
            continue
        finally:
            assert path.read_bytes() == before
        saved.append(len(found.readings))
        assert all(values[row.run, row.number] == row.value for row in found.readings)
        target = tmp_path / f"salvaged {page}.dynamis"
        with found.into(target) as again:
            assert len(everything(again).readings) == len(found.readings)
            bench = again.bench()  # also where its own page is gone, the gear of every run is there
            assert all(bench.port(run.channel).law for run in again.runs())
            assert all(run.serial in {unit.serial for unit in bench.gear_by(run.gear).units} for run in again.runs())
        assert "were read" in found.sentence()
    assert len(saved) >= 5
    assert sorted(saved)[len(saved) // 2] == len(whole.readings)


def test_an_older_damaged_file_is_salvaged_too(old_file, tmp_path):
    damaged(old_file, [len(old_file.read_bytes()) // 4096 - 1])
    with pytest.raises(InputError, match="damaged"):
        BenchFile.open(old_file)
    found = salvage(old_file)
    assert found.runs
    assert all(isinstance(one.head, HeadRecord) for one in found.adoptions)


@pytest.mark.parametrize("content", [b"", b"SQLite format 3\x00" + b"\x00" * 200, b"hello" * 1000])
def test_where_nothing_can_be_read_that_is_said(tmp_path, content):
    path = tmp_path / "b.dynamis"
    path.write_bytes(content)
    with pytest.raises(InputError, match="nothing in this file"):
        salvage(path)
    assert path.read_bytes() == content
    with pytest.raises(InputError, match="cannot be read"):
        salvage(tmp_path / "none.dynamis")


def test_a_change_that_was_cut_off_is_rolled_back(demo_file, tmp_path):
    """A file and its journal as a power cut leaves them: the reading that was being written is not there."""
    path = demo_file.path
    demo_file.close()
    before = path.read_bytes()
    raw = sqlite3.connect(path, isolation_level=None)
    raw.execute("PRAGMA cache_size = 1")
    raw.execute("BEGIN IMMEDIATE")
    raw.execute("UPDATE run SET settings = settings || zeroblob(200000)")
    cut, journal = tmp_path / "cut.dynamis", path.with_name(path.name + "-journal")
    shutil.copy(path, cut)
    shutil.copy(journal, cut.with_name(cut.name + "-journal"))
    raw.execute("ROLLBACK")
    raw.close()
    assert cut.read_bytes() != before
    with BenchFile.open(cut) as opened:
        assert len(opened.runs()) == 3
    assert VERSION == 8


def test_a_full_disk_while_reading_loses_nothing(demo_file):
    run = demo_file.runs()[0]
    count = len(demo_file.readings(run.id))
    pages = demo_file._connection.execute("PRAGMA page_count").fetchone()[0]
    demo_file._connection.execute(f"PRAGMA max_page_count = {pages}")
    told = ""
    while not told:
        try:
            demo_file.add_readings(run.id, [(60.0, 2.2, 1630, 0.0)])
            count += 1
        except InputError as error:
            told = str(error)
    assert "disk is full. Make room" in told
    assert len(demo_file.readings(run.id)) == count
    demo_file._connection.execute("PRAGMA max_page_count = 100000")
    demo_file.add_readings(run.id, [(60.0, 2.2, 1630, 0.0)], ranges=[10.0])
    assert demo_file.readings(run.id)[-1].range_volts == 10.0


@pytest.mark.xdist_group("real time")
def test_kills_in_runs_with_edits_lose_nothing():
    """SIGKILL at random moments; `benchmarks/kills.py` does the same two hundred times."""
    command = [sys.executable, str(Path(__file__).parents[2] / "benchmarks" / "kills.py"), "5", "7"]
    done = subprocess.run(command, capture_output=True, text=True, timeout=240, check=False)
    assert done.returncode == 0, done.stdout + done.stderr[-2000:]
    kills, shown, edits = (int(word) for word in re.findall(r"\d+", done.stdout)[:3])
    assert kills == 5
    assert shown > 1
    assert edits > 1
