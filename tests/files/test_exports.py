"""What is exported for firmware and spreadsheets: compiled, run, read back by other readers."""

from __future__ import annotations

import csv
import json
import re
import subprocess
from pathlib import Path

import msgspec
import numpy as np
import pytest

from dynamis.converter.dac import Dac
from dynamis.converter.firmware import BoardCorrection, board_correction
from dynamis.converter.heads import ConstantsHead, TableHead
from dynamis.files.c_header import c_header, c_name
from dynamis.pitch.laws import ExponentialLaw, LinearLaw

STRICT = ("-std=c99", "-O1", "-Wall", "-Wextra", "-Wpedantic", "-Wconversion", "-Werror")
DAC = Dac(12, 0.0, 4.096, gain=1.35)
CONSTANTS = ConstantsHead("h", ExponentialLaw(1, 36, 0.2), DAC, 0.0017, 0.9957)
DISTANCES = tuple(np.random.default_rng(4).integers(-60, 61, 61).tolist())
# Every note with every bend of two semitones, and every pitch, as 16-bit codes on standard output.
PROGRAM = """
#include <stdio.h>
#include "correction.h"
int main(void)
{
    for (unsigned note = 0; note < 128; note++)
        for (unsigned bend = 0; bend < 16384; bend++) {
            const uint32_t code = board_code(dyn_pitch((uint8_t)note, (uint16_t)bend, 2));
            putchar((int)(code & 255u)); putchar((int)(code >> 8));
        }
    return board_check();
}
"""


def built(folder: Path, text: str) -> Path:
    (folder / "correction.h").write_text(text, encoding="utf-8")
    (folder / "main.c").write_text(PROGRAM)
    subprocess.run(["gcc", *STRICT, "-o", folder / "main", folder / "main.c"], check=True)
    return folder / "main"


@pytest.mark.parametrize(
    "head",
    [
        CONSTANTS,
        TableHead("t", CONSTANTS, 36, DISTANCES),
        TableHead("t", ConstantsHead("h", LinearLaw(36, 0.5), DAC, 0.01, 0.99), 30, DISTANCES),
        ConstantsHead("h", ExponentialLaw(1, 60, 0.0), Dac(16, -5.0, 5.0, gain=-1.0)),
    ],
    ids=["constants", "table", "Hz/V table", "16 bits, downwards"],
)
def test_the_header_compiles_strictly_and_agrees_over_all_notes_and_bends(tmp_path, head):
    correction = board_correction(head)
    bits = 16 if "16" in str(head) and head is not CONSTANTS and isinstance(head, ConstantsHead) else 12
    program = built(
        tmp_path, c_header(correction, bits, prefix="board", sentences=["A channel */ of a test"], notes=range(36, 97))
    )
    done = subprocess.run([program], capture_output=True, check=False, timeout=60)
    assert done.returncode == 0  # its own test vectors
    bends = np.arange(16384) - 8192
    pitches = np.arange(128)[:, None] * 8192 + 2 * bends
    codes = np.frombuffer(done.stdout, "<u2").reshape(128, 16384)
    assert np.array_equal(codes, correction.codes(pitches, bits))
    assert np.ptp(codes) > 1000


def test_a_wrong_vector_is_noticed(tmp_path):
    text = c_header(BoardCorrection("E", 2**32, 2**22), 12, prefix="board", sentences=[], notes=[60])
    broken = re.sub(r"\{(\d+), (\d+)u\}", lambda found: f"{{{found[1]}, {int(found[2]) + 1}u}}", text, count=1)
    assert subprocess.run([built(tmp_path, broken)], capture_output=True, check=False).returncode == 1


@pytest.mark.parametrize(
    ("parts", "name"),
    [(("Workshop board", "03", "pitch A"), "workshop_board_03_pitch_a"), (("3 Töne",), "n3_tone"), (("–",), "channel")],
)
def test_names_become_names_in_c(parts, name):
    assert c_name(*parts) == name


# -- the command ---------------------------------------------------------------------------------------

A03 = ("--gear", "Workshop board", "--unit", "03", "--channel", "pitch A")


@pytest.fixture
def demo_path(demo_file):
    demo_file.close()
    return demo_file.path


def test_the_correction_in_force_is_written(dynamis, demo_path, tmp_path):
    header, codes = tmp_path / "c.h", tmp_path / "c.csv"
    assert dynamis("export", demo_path, "--what", "c-header", *A03, "-o", header).status == 0
    answer = dynamis("export", demo_path, "--what", "codes-csv", *A03, "-o", codes, "--json")
    assert (answer.status, answer.json["correction"], answer.json["file"]) == (0, "constants", str(codes))
    assert answer.json["hash"] in header.read_text()
    assert "constants adopted 2026-11-10" in header.read_text()
    rows = list(csv.DictReader(codes.read_text().splitlines()))
    assert [int(row["note"]) for row in rows] == list(range(36, 97))
    assert (rows[24]["name"], rows[24]["correction"], float(rows[24]["wanted_volts"])) == (
        "C4",
        "constants",
        pytest.approx(2.2),
    )
    assert 1630 < int(rows[24]["code"]) < 1645  # 0.37 % up from the nominal 1630
    as_json = tmp_path / "c.json"
    assert dynamis("export", demo_path, "--what", "codes-json", *A03, "-o", as_json).status == 0
    told = json.loads(as_json.read_text())
    assert (told["unit"], told["channel"], told["hash"]) == ("03", "pitch A", answer.json["hash"])
    assert [str(row["code"]) for row in told["codes"]] == [row["code"] for row in rows]
    assert [row["wanted_volts"] for row in told["codes"]] == [float(row["wanted_volts"]) for row in rows]


def test_nominal_values_say_so_and_end_with_1(dynamis, demo_path, tmp_path):
    header, codes = tmp_path / "c.h", tmp_path / "c.csv"
    for what, path in (("c-header", header), ("codes-csv", codes)):
        answer = dynamis(
            "export",
            demo_path,
            "--what",
            what,
            "--gear",
            "workshop board",
            "--unit",
            "02",
            "--channel",
            "pitch B",
            "-o",
            path,
        )
        assert answer.status == 1
        assert "no correction is adopted" in answer.out
    assert "No correction is adopted for this channel: these are the nominal values" in header.read_text()
    assert {row["correction"] for row in csv.DictReader(codes.read_text().splitlines())} == {"nominal"}
    assert list(csv.DictReader(codes.read_text().splitlines()))[24]["code"] == "1630"


def test_readings_and_bench_are_written_and_read_again(dynamis, demo_path, tmp_path):
    readings, bench, header = tmp_path / "r.csv", tmp_path / "b.json", tmp_path / "c.h"
    assert dynamis("export", demo_path, "--what", "readings-csv", *A03, "-o", readings).status == 0
    rows = list(csv.DictReader(readings.read_text().splitlines()))
    assert len(rows) == 42
    assert {row["title"] for row in rows} == {"As found", "After constants"}
    fitted = dynamis("fit", readings, "--law", "voct:scale=1,note=36,volts=0.2", "--json")
    assert fitted.json["count"] == 42
    assert dynamis("export", demo_path, "--what", "json", "-o", bench).status == 0
    assert json.loads(bench.read_text())["version"] == 8
    assert dynamis("export", bench, "--what", "c-header", *A03, "-o", header).status == 0


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        ((), ["--unit is missing", "'02', '03'"]),
        (("--unit", "03"), ["--channel is missing", "'pitch A', 'pitch B'"]),
        (("--unit", "9"), ["no unit of Workshop board called '9'", "'02', '03'"]),
        (("--gear", "Gallery voice"), ["'Gallery voice'", "'Workshop board'"]),
        (("--unit", "03", "--channel", "x"), ["called 'x'", "'pitch A'"]),
    ],
)
def test_what_is_missing_or_ambiguous_is_named_with_the_choices(dynamis, demo_path, tmp_path, arguments, words):
    output = tmp_path / "out"
    output.write_text("older")
    before = demo_path.read_bytes()
    for what in ("c-header", "codes-csv", "readings-csv"):
        answer = dynamis("export", demo_path, "--what", what, *arguments, "-o", output)
        assert (answer.status, answer.out, answer.err.count("\n")) == (2, "", 1)
        assert all(word in answer.err for word in words)
    assert output.read_text() == "older"
    assert demo_path.read_bytes() == before


def test_what_cannot_be_exported_is_refused(dynamis, empty_file, demo_path, tmp_path):
    output = tmp_path / "out"
    for path, word in (
        (empty_file.path, "no gear with units"),
        (tmp_path / "none.dynamis", "no such file"),
        (tmp_path, "no such file"),
    ):
        answer = dynamis("export", path, "--what", "c-header", "-o", output)
        assert (answer.status, answer.err.count("\n")) == (2, 1)
        assert word in answer.err
    assert dynamis("export", demo_path, "--what", "poem", "-o", output).status == 2
    assert dynamis("export", demo_path, "--what", "json", "-o", tmp_path / "no" / "out").status == 2
    assert not output.exists()


def test_a_bench_is_exported_while_a_window_has_it_open(dynamis, demo_file, tmp_path):
    assert dynamis("export", demo_file.path, "--what", "json", "-o", tmp_path / "b.json").status == 0
    changed = msgspec.structs.replace(demo_file.bench(), name="Still mine")
    demo_file.record("rename", changed)
    assert demo_file.bench().name == "Still mine"
