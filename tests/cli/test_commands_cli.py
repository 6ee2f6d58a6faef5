"""The command line beyond its check values: texts for people, refusals, what is imported, and files."""

from __future__ import annotations

import subprocess
import sys

import pytest

from dynamis import __version__
from dynamis.files.store import BenchFile
from text_files import csv_file

DAC = ("dac", "--bits", "12", "--low-volts", "0", "--high-volts", "5", "--law", "voct", "--notes", "36:96:12")
MATCH = ("match", "--source=low_volts=0,high_volts=5", "--sink=off_volts=0.8,on_volts=2")


def run(*arguments, stdin=None):
    return subprocess.run(
        [sys.executable, "-m", "dynamis", *arguments],
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
        stdin=stdin,
    )


def test_tables_for_people_have_units_and_verdicts(dynamis, tmp_path):
    answer = dynamis("convert", "--from", "voct", "--to", "hzv", "--notes", "60,60.5")
    assert answer.status == 0
    assert answer.out.splitlines()[1].split() == ["60", "C4", "261.63", "Hz", "2.0000", "V", "2.3784", "V"]
    answer = dynamis(*DAC)
    assert answer.status == 1
    assert "one LSB is 1.2207 mV, 1.46 ct" in answer.out
    assert "clipped" in answer.out.splitlines()[-1]
    readings = csv_file(tmp_path, "note,volts\n36,0.02\n48,1.03\n60,2.04\n72,3.3\n84,4.06\n96,5.07\n")
    answer = dynamis("fit", readings, "--law", "voct", "--meter", "0.05,3,0.001")
    assert "before: worst" in answer.out
    assert "not-within" in answer.out
    assert "Off the line: 72 C5" in answer.out


@pytest.mark.parametrize(
    ("arguments", "status", "nulls"),
    [
        (("--volts=-0.5,2",), 1, ["note", "name", "hertz", "to_volts"]),
        (("--volts=1e308",), 1, ["name", "hertz", "to_volts"]),
        (("--notes=60.5",), 0, ["name"]),
        (("--notes=99999",), 1, ["hertz", "from_volts", "to_volts"]),
    ],
)
def test_what_no_double_holds_is_null(dynamis, arguments, status, nulls):
    answer = dynamis("convert", "--from", "hzv", "--to", "voct", *arguments, "--json")
    assert answer.status == status
    row = answer.json["rows"][0]
    assert [key for key, value in row.items() if value is None] == nulls


def test_zero_volts_under_hertz_per_volt_has_no_error_in_cents(dynamis):
    answer = dynamis(
        "dac",
        "--bits",
        "8",
        "--low-volts",
        "0",
        "--high-volts",
        "5",
        "--law",
        "hzv:note=45",
        "--notes=-60,45",
        "--json",
    )
    assert answer.status == 1
    assert answer.json["rows"][0]["error_cents"] is None
    assert answer.json["worst_cents"] is None
    assert answer.json["worst_note"] == -60


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        ((), None),
        (("nothing",), ["nothing"]),
        (("convert",), ["--from"]),
        (("convert", "--from=voct", "--to=voct"), ["--notes", "--volts"]),
        (("convert", "--from=voct", "--to=voct", "--notes=60", "--volts=1"), ["--notes", "--volts"]),
        (("convert", "--from=voct", "--to=voct", "--volts=1,,2"), ["--volts"]),
        (("convert", "--from=voct", "--to=voct", "--volts=1V"), ["1V"]),
        (("convert", "--from=voct:note=99999", "--to=voct", "--notes=60"), ["--from", "99999"]),
        (("convert", "--from=voct", "--to=voct", "--notes=60", "--a4=0"), ["--a4", "0"]),
        (("convert", "--from=voct", "--to=voct", "--notes=60", "--a4=nan"), ["--a4", "nan"]),
        (("convert", "--from=voct", "--to=voct", "--notes=60", "--middle-c=C6"), ["--middle-c", "C6"]),
        (("convert", "--from=voct", "--to=voct", "--notes=60", "--colour=red"), ["--colour"]),
        (("convert", "--from=voct", "--to=voct", "--notes=60", "more"), ["more"]),
        ((*DAC, "--gain=0"), ["--gain"]),
        ((*DAC, "--high-volts=0"), ["--high-volts"]),
        ((*DAC, "--bits=12.5"), ["--bits", "12.5"]),
        ((*DAC, "--bits=0"), ["--bits", "0"]),
        ((*DAC, "--low-volts=x"), ["--low-volts", "x"]),
        ((*DAC, "--gain=1e-320"), ["step"]),
        (("demo",), ["-o"]),
        (("demo", "-o", "/dev/null"), ["device"]),
        (("demo", "-o", "x" * 300), ["too long"]),
        ((*MATCH, "--fan-out", "0" * 5000), ["--fan-out"]),
        ((*MATCH, "--fan-out", "9" * 100), ["--fan-out"]),
        (("fit", "y" * 300, "--law=voct"), ["too long"]),
        (("fit", "/dev/zero", "--law=voct"), ["no file"]),
        (("convert", "--from=voct", "--to=voct", "--notes=60", "--scale=/dev/zero"), ["no file"]),
        (("convert", "--from=" + "v" * 9000, "--to=voct", "--notes=60"), ["--from", "voct"]),
        (("circuit", "--gain=0.37", "--offset-volts=1e999"), ["--offset-volts"]),
        (("check", "a\u202eb\x1b[2J"), ["no such file"]),
    ],
)
def test_a_question_that_cannot_be_answered_gets_one_line(dynamis, arguments, words):
    if words is None:
        return
    answer = dynamis(*arguments)
    assert answer.status == 2
    assert answer.out == ""
    assert answer.err.count("\n") == 1
    assert answer.err.startswith("dynamis: ")
    assert len(answer.err) <= 401
    assert answer.err[:-1].isprintable()
    for word in words:
        assert word in answer.err


@pytest.mark.parametrize(
    ("text", "options", "words"),
    [
        ("note,volts\n36,0\n36,1\n", (), ["readings.csv", "two different notes"]),
        ("note,volts\n36,0\n48,1\n", ("--meter=1,2",), ["--meter", "1,2"]),
        ("note,hertz\n36,65\n48,130\n", ("--meter=1,2,0.1",), ["--meter", "hertz"]),
        ("note,volts\n36,0\n48,1\n", ("--tolerance-cents=60:72=5",), ["judges none"]),
        ("note,volts\n36,0\n48,1\n", ("--method=best",), ["--method", "best"]),
        ("note,volts\n36,0\n48,1\n", ("--judge=never",), ["--judge"]),
        ("note,volts\n36,0\n48,1\n", ("--quantity=hertz",), ["--quantity", "hertz"]),
        ("note,volts\n36,0\n48,-1\n", ("--law=hzv",), ["line 2", "offset"]),
        ("note,volts\n36,0\n99999,1\n", (), ["line 3", "99999"]),
        ("note,hertz\n36,65\n48,130\n", ("--law=voct:note=99999",), ["--law"]),
    ],
)
def test_readings_that_cannot_be_fitted_get_one_line(dynamis, tmp_path, text, options, words):
    law = () if any(option.startswith("--law") for option in options) else ("--law=voct",)
    answer = dynamis("fit", csv_file(tmp_path, text), *law, *options, "--json")
    assert answer.status == 2
    assert answer.err.count("\n") == 1
    for word in words:
        assert word in answer.err


@pytest.mark.parametrize(
    ("arguments", "text"),
    [
        (("--law=voct:scale=1e-300",), "36,0\n48,1\n"),
        (("--law=voct:scale=1e300",), "36,0\n48,1\n"),
        (("--law=hzv:volts=1e300",), "36,1\n48,2\n"),
        (("--law=voct", "--meter=1e300,1,1"), "36,1e300\n48,-1e300\n"),
        (("--law=hzv:volts=1e-300", "--method=minimax"), "36,1\n48,1e300\n"),
    ],
)
def test_absurd_sizes_end_in_an_answer_or_one_line(dynamis, tmp_path, arguments, text):
    answer = dynamis("fit", csv_file(tmp_path, "note,volts\n" + text), *arguments, "--json")
    assert answer.status in (1, 2)
    assert answer.err.count("\n") == (answer.status == 2)
    if answer.status == 1:
        assert answer.json["before"]["verdict"] in ("not-within", "cannot-tell")


def test_help_and_version_are_there(dynamis):
    assert dynamis("--version").out.strip() == f"dynamis {__version__}"
    for arguments in (("--help",), ("convert", "--help"), ("dac", "--help"), ("fit", "--help"), ("demo", "--help")):
        answer = dynamis(*arguments)
        assert answer.status == 0
        assert "Usage: dynamis" in answer.out


def test_the_demo_is_written_once(dynamis, tmp_path):
    path = tmp_path / "d.dynamis"
    assert dynamis("demo", "-o", path).status == 0
    with BenchFile.open(path) as made:
        assert [len(made.readings(run.id)) for run in made.runs()] == [21, 21, 6]
    before = path.read_bytes()
    answer = dynamis("demo", "-o", path)
    assert (answer.status, path.read_bytes()) == (2, before)
    assert "exists already" in answer.err


@pytest.mark.parametrize(
    ("command", "forbidden"),
    [
        ("convert --from voct --to voct --notes 60", ("PySide6", "scipy", "msgspec")),
        ("--help", ("numpy", "PySide6", "scipy")),
        ("dac --bits 8 --low-volts 0 --high-volts 5 --law voct --notes 36", ("PySide6", "scipy")),
    ],
)
def test_a_command_imports_only_what_it_needs(command, forbidden):
    script = (
        f"import sys; from dynamis.app import main; status = main({command.split()!r}); "
        f"print([name for name in {forbidden!r} if name in sys.modules], status, file=sys.stderr)"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=60, check=False)
    assert done.stderr.strip() == "[] 0"


def test_the_installed_command_runs_and_its_pipe_may_close():
    done = run("convert", "--from", "voct", "--to", "voct", "--notes", "36:96", "--json")
    assert (done.returncode, done.stderr) == (0, "")
    piped = subprocess.run(
        f"{sys.executable} -m dynamis convert --from voct --to voct --notes 0:99999 | head -1",
        shell=True,
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )
    assert piped.stderr == ""


def test_a_window_on_a_missing_bench_is_refused_before_it_opens():
    done = run("nowhere.dynamis")
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert "nowhere.dynamis" in done.stderr


# A note-on and off of channel 1, half a second at 120 a minute; 480 ticks a quarter note.
SONG = bytes.fromhex("4d546864000000060000000101e04d54726b0000000d00903c408360803c4000ff2f00")


@pytest.mark.parametrize(
    ("options", "named"),
    [
        (["--gate-volts", "5"], "--gate-volts"),
        (["--gate-volts", "5:5"], "--gate-volts"),
        (["--gate-volts", "0:5000"], "1000 V"),
        (["--bend-volts=-1:x"], "--bend-volts"),
        (["--channel", "17"], "--channel"),
        (["--track", "2"], "track 2"),
        (["--clock-ppq", "1,1"], "--clock-ppq"),
        (["--clock-ppq", "0"], "--clock-ppq"),
        (["--clock-ppq", "1.5"], "--clock-ppq"),
        (["--trigger-seconds", "0"], "--trigger-seconds"),
        (["--clock-seconds", "-1"], "--clock-seconds"),
        (["--bend-semitones", "200"], "--bend-semitones"),
        (["--sample-rate", "10"], "10 samples"),
        (["--full-scale-volts", "0"], "--full-scale-volts"),
        (["--priority", "best"], "--priority"),
        (["--law", "voct:scale=0"], "--law"),
        (["--a4", "0"], "--a4"),
        (["--keymap", "x.kbm"], "--keymap"),
        (["--events", "{dir}/cv.wav"], "own name"),
        (["--events", "{dir}/none/e.csv"], "e.csv"),
    ],
)
def test_a_song_is_not_rendered_by_options_that_make_no_sense(options, named, dynamis, tmp_path):
    (tmp_path / "song.mid").write_bytes(SONG)
    (tmp_path / "cv.wav").write_bytes(b"older")
    options = [one.replace("{dir}", str(tmp_path)) for one in options]
    answer = dynamis("render", str(tmp_path / "song.mid"), "-o", str(tmp_path / "cv.wav"), *options)
    assert (answer.status, answer.out, answer.err.count("\n")) == (2, "", 1)
    assert named in answer.err
    assert sorted(one.name for one in tmp_path.iterdir()) == ["cv.wav", "song.mid"]
    assert (tmp_path / "cv.wav").read_bytes() == b"older"


def test_a_song_in_a_scale_and_notes_without_volts(dynamis, tmp_path):
    """A keymap that leaves note 60 out: the pitch stays where it was, which is said, and the status is 1."""
    song = bytes.fromhex(
        "4d546864000000060000000101e04d54726b0000001a00903e408360803e4000903c408360803c4000ff2f00".replace(
            "1a00", "1600"
        )
    )
    (tmp_path / "song.mid").write_bytes(song)
    (tmp_path / "s.scl").write_text("! s\ntwelve\n12\n" + "".join(f"{100 * k}.\n" for k in range(1, 13)))
    (tmp_path / "k.kbm").write_text(
        "12\n0\n127\n62\n69\n440.0\n12\n" + "\n".join(str(k) if k != 10 else "x" for k in range(12)) + "\n"
    )
    events = tmp_path / "e.csv"
    answer = dynamis("render", str(tmp_path / "song.mid"), "-o", str(tmp_path / "cv.wav"), "--events", str(events),
                     "--scale", str(tmp_path / "s.scl"), "--keymap", str(tmp_path / "k.kbm"), "--law", "voct:note=69")  # fmt: skip
    assert answer.status == 1
    assert "Notes without volts, at which the pitch stays where it was: 60." in answer.out
    assert [row for row in events.read_text().splitlines() if ",pitch," in row] == [f"0.0,pitch,{-7 / 12!r}"]
