"""Tuning dumps, tunings on a bench, codes by a template, and the circuit of a link as SPICE text."""

from __future__ import annotations

import json

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.bench.test_analysis import RUN, rows
from tests.electrics.spice import printed, swept

from dynamis.bench.chains.link_chain import link_chain
from dynamis.bench.chains.port_transfers import make_dac, make_head
from dynamis.bench.chains.tunings import tuning_of
from dynamis.bench.designing.between import asked_of, built, smallest_with_op_amp, use_between
from dynamis.bench.document.commands import set_tuning
from dynamis.bench.document.ports import PortRef
from dynamis.bench.document.records import HeadRecord
from dynamis.bench.document.tuning import TuningRecord
from dynamis.bench.runs.analysis import analyse, codes_of, head_of
from dynamis.bench.runs.beginning import new_run
from dynamis.bench.runs.boards import run_correction
from dynamis.bench.runs.history import run_line, tuned_sums
from dynamis.converter.firmware import pitch_steps
from dynamis.demo.lantern import BOARD_DAC, bench
from dynamis.errors import InputError
from dynamis.files.midi_tuning import LENGTH, checksum, read_tuning_dump, tuning_dump
from dynamis.files.template import filled
from dynamis.files.tunings import read_tuning, write_tuning
from dynamis.pitch.key_tuning import KeyTuning
from dynamis.pitch.tolerance import parse_tolerance
from dynamis.pitch.tuning import EqualTemperament
from dynamis.transfer.parameter import NOMINAL

# Quarter-comma mean tone of twelve keys: fifths of 696.578 cents (5**(1/4), the definition).
FIFTH = np.log2(5.0 ** (1 / 4))
MEAN_TONE = sorted((k * FIFTH) % 1.0 for k in range(-3, 9))
BOARD, TONE = PortRef("workshop-board", "pitch-b"), PortRef("carousel-board", "tone")


@pytest.fixture
def scale(tmp_path):
    path = tmp_path / "mean.scl"
    path.write_text("! mean.scl\nmean tone\n 12\n" + "".join(f" {1200 * one:.6f}\n" for one in [*MEAN_TONE[1:], 1.0]))
    return path


def test_a_dump_has_the_bytes_of_the_standard(tmp_path):
    """MIDI Tuning Standard (from memory): 45 00 00 is A4 = 440 Hz exactly, 3C 00 00 is 261.6256 Hz; 408 bytes."""
    data = tuning_dump(EqualTemperament(), "equal")
    assert (len(data), data[:6].hex(), data[6:22]) == (LENGTH, "f07e7f080100", b"equal           ")
    assert data[22 + 3 * 69 : 25 + 3 * 69].hex() == "450000"
    assert data[22 + 3 * 60 : 25 + 3 * 60].hex() == "3c0000"
    assert (data[-1], data[-2]) == (0xF7, checksum(data[1:-2]))
    sharp = tuning_dump(EqualTemperament(440.0 * 2 ** (1 / 12 * 0.5)), "half")
    assert sharp[22 + 3 * 69 : 25 + 3 * 69].hex() == "454000"  # half a semitone is 8192 of 16384


@given(st.lists(st.floats(9.0, 12000.0), min_size=128, max_size=128))
def test_a_dump_comes_back_to_its_resolution(hertz):
    """A step is 100/16384 cent, so at most 0.0031 cent is lost."""
    import tempfile
    from pathlib import Path

    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "t.syx"
        path.write_bytes(tuning_dump(KeyTuning(tuple(hertz)), "a tuning"))
        name, made = read_tuning_dump(path)
    assert name == "a tuning"
    assert np.max(np.abs(1200 * np.log2(np.array(made.of_keys) / hertz))) < 0.0031


@pytest.mark.parametrize(
    ("at", "value", "words"),
    [
        (0, 0xF1, "byte 0: F1 was found; F0"),
        (3, 0x09, "byte 3"),
        (100, 0x80, "byte 100: 80 was found; 00 to 7F"),
        (407, 0x00, "byte 407"),
        (50, 0x01, "checksum"),
    ],
)
def test_a_broken_dump_names_its_byte(at, value, words, tmp_path):
    data = bytearray(tuning_dump(EqualTemperament(), "x"))
    data[at] = value
    path = tmp_path / "t.syx"
    path.write_bytes(bytes(data))
    with pytest.raises(InputError, match=words):
        read_tuning_dump(path)
    path.write_bytes(bytes(data[:-1]))
    with pytest.raises(InputError, match="407 bytes were found; a tuning dump has 408"):
        read_tuning_dump(path)


def test_a_tuning_goes_through_every_form_and_every_law(scale, tmp_path, demo_file):
    record = read_tuning(scale)
    tuned = set_tuning(demo_file.bench(), record).bench
    tuning = tuning_of(tuned)
    assert float(tuning.octaves(67.0, 60.0)) == pytest.approx(FIFTH, abs=1e-9)
    for ending in (".syx", ".scl"):
        write_tuning(tmp_path / f"back{ending}", record)
        keymap = tmp_path / "back.kbm" if ending == ".scl" else None
        again = KeyTuning(read_tuning(tmp_path / f"back{ending}", keymap=keymap).hertz)
        off = 1200 * np.log2(again.hertz(np.arange(128)) / tuning.hertz(np.arange(128)))
        assert np.nanmax(np.abs(off)) < (0.0031 if ending == ".syx" else 1e-6)
    link = tuned.links[0]
    made = link_chain(tuned, link)
    volts = made.chain.trace(np.array([60.0, 67.0]))[2]
    assert volts[1] - volts[0] == pytest.approx(FIFTH, abs=0.0014)  # a volt an octave, to one code


def test_a_bench_keeps_its_tuning_and_its_codes_follow(scale, demo_file, dynamis, tmp_path):
    demo_file.record("tune", set_tuning(demo_file.bench(), read_tuning(scale)).bench)
    codes = tmp_path / "codes.csv"
    asked = ["--gear", "Workshop board", "--unit", "03", "--channel", "pitch A"]
    answer = dynamis("export", demo_file.path, "--what", "codes-csv", *asked, "-o", codes)
    assert answer.status == 0, answer.err
    rows = [line.split(",") for line in codes.read_text().splitlines()]
    by_note = {row[0]: dict(zip(rows[0], row, strict=True)) for row in rows[1:]}
    assert float(by_note["67"]["wanted_volts"]) - float(by_note["60"]["wanted_volts"]) == pytest.approx(FIFTH, abs=1e-9)
    assert by_note["60"]["code"] == by_note["60"]["word"]
    form = tmp_path / "form.txt"
    form.write_text(
        "// {{gear}} {{unit}}, {{count}} notes, {{tuning}}\n{{rows}}  {{hex}}{{comma}} // {{name}}\n{{/rows}}end\n"
    )
    told = dynamis(
        "export", demo_file.path, "--what", "template", "--template", form, *asked, "-o", tmp_path / "out.txt"
    )
    assert told.status == 0, told.err
    lines = (tmp_path / "out.txt").read_text().splitlines()
    assert lines[0] == "// Workshop board 03, 61 notes, mean tone"
    assert lines[1] == f"  0x{int(by_note['36']['code']):X}, // C2"
    assert (lines[-2][-8:-6], lines[-1]) != (", ", "end")
    missing = dynamis("export", demo_file.path, "--what", "template", *asked, "-o", tmp_path / "no.txt")
    assert (missing.status, "--template" in missing.err, (tmp_path / "no.txt").exists()) == (2, True, False)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("a\n{{nope}}\n", "line 2: {{nope}} is not known"),
        ("{{rows}}x", "is not closed"),
        ("{{/rows}}", "line 1"),
        ("{{rows}}{{rows}}{{/rows}}", "line 1"),
        ("{{note}}\n", "belongs between"),
    ],
)
def test_a_template_with_a_fault_names_its_line(text, words):
    with pytest.raises(InputError) as refused:
        filled(text, {"gear": "g"}, [{"note": "36"}, {"note": "37"}])
    assert words in str(refused.value)


def test_the_circuit_of_a_link_is_written_as_it_stands(demo_file, dynamis, tmp_path):
    out = tmp_path / "c.cir"
    several = dynamis("export", demo_file.path, "--what", "spice", "-o", out)
    assert (several.status, "'Curtain sequencer / row C > Balcony voice / pitch'" in several.err) == (2, True)
    glide = dynamis(
        "export",
        demo_file.path,
        "--what",
        "spice",
        "--link",
        "Curtain sequencer/row C > Balcony voice/pitch",
        "-o",
        out,
    )
    assert glide.status == 0
    assert printed(out.read_text(), tmp_path)[-1, -1] == pytest.approx(1.0, abs=1e-2)  # back from its jump
    found = demo_file.bench()
    requirement = asked_of(found, found.links[0], found.links[0].inputs[0])
    link = found.link_from(BOARD)
    from dynamis.bench.chains.tree import trial_link

    requirement = asked_of(found, trial_link(link, BOARD, TONE), TONE)
    demo_file.record("c", use_between(found, BOARD, TONE, built(smallest_with_op_amp(requirement))).bench)
    answer = dynamis(
        "export",
        demo_file.path,
        "--what",
        "spice",
        "--link",
        "Workshop board/pitch B > Carousel board / tone",
        "-o",
        out,
        "--json",
    )
    assert answer.status == 0, answer.err
    assert json.loads(answer.out)["what"] == "spice"
    volts = swept(out.read_text(), tmp_path)
    held = volts[:, 1] > 3.2  # the input bears 3.3 V, where the diodes hold it
    assert np.polyfit(*volts[~held].T, 1) == pytest.approx([0.37, 1.676], abs=1e-3)
    assert volts[held, 1].max() < 3.45
    wrong = dynamis("export", demo_file.path, "--what", "spice", "--link", "a > b", "-o", out)
    assert (wrong.status, "Workshop board / pitch B > Carousel board / tone" in wrong.err) == (2, True)


def test_a_run_of_a_tuned_bench_is_judged_by_its_keys_and_its_table_serves_other_tunings(scale):
    """The board's line has no steps here but one: 2 LSB from code 2048 on, which belongs to the level, not to the key."""
    tuned = read_tuning(scale)
    levels = np.arange(4096) + 2.0 * (np.arange(4096) >= 2048)
    run = msgspec.structs.replace(RUN, tuning=tuned, plan=tuple(np.arange(36.0, 97.0)), meter=None)
    notes = np.array(run.plan)

    def read(head):
        one = msgspec.structs.replace(run, head=head)
        sent = codes_of(one, make_dac("c", run.converter), notes).astype(int)
        return analyse(one, rows(*zip(notes, BOARD_DAC.nominal_volts(levels[sent]), strict=True), run=one))

    found = read(HeadRecord())
    assert found.error_cents[notes == 45.0] == pytest.approx(0.0, abs=0.9)  # a key off equal temperament is no error
    table = head_of(found.correction("table"), found.model, run)
    assert table.tuning == tuned
    assert np.max(np.abs(read(table).error_cents)) < 0.9  # half an LSB of 1.62 ct, and the table's sixteenths
    made = make_dac("c", run.converter).dac
    equal = make_head("h", table, run.model.law, made, EqualTemperament())
    codes = equal.forward(notes, NOMINAL).astype(int)
    volts = BOARD_DAC.nominal_volts(levels[codes])
    off = 1200.0 * (volts - run.model.law.volts((notes - 36.0) / 12.0))
    assert np.max(np.abs(off[(notes < 63) | (notes > 68)])) < 1.0  # the step's own keys apart, where neighbours differ
    assert np.array_equal(run_correction(msgspec.structs.replace(run, head=table)).codes(pitch_steps(notes), 12),
                          codes_of(msgspec.structs.replace(run, head=table), make_dac("c", run.converter), notes))  # fmt: skip
    values = [row.value for row in found.rows]
    line = run_line(run, tuned_sums(run, notes.tolist(), values))
    equally = run_line(msgspec.structs.replace(run, tuning=None), tuned_sums(run, notes.tolist(), values))
    middle = float(run.model.law.volts(2.5))  # note 66
    by_fit = (1200.0 * (found.fit.line.gain - 1.0), 1200.0 * float(found.fit.line.at(middle) - middle))
    assert (line.scale_cents, line.offset_cents) == pytest.approx(by_fit, abs=0.1)
    assert abs(equally.offset_cents - line.offset_cents) < 1e-9  # volts ask nothing of A4


def test_what_a_tuning_does_not_play_is_not_read():
    silent = TuningRecord("gaps", tuple(None if n % 12 == 1 else 440.0 * 2 ** ((n - 69) / 12) for n in range(128)))
    one = set_tuning(bench(), silent).bench
    asked = {"run_id": "r", "title": "t", "created": "", "channel": BOARD, "serial": "03", "quantity": "volts",
             "law": RUN.model.law, "tolerance": parse_tolerance("5"), "meter": None, "where": "jack", "plugged": (),
             "celsius": None, "warm_minutes": None}  # fmt: skip
    with pytest.raises(InputError, match=r"have no frequency: 37, 49\."):
        new_run(one, None, plan=(36.0, 37.0, 49.0, 60.0), **asked)
    with pytest.raises(InputError, match="gaps tunes whole notes"):
        new_run(one, None, plan=(36.0, 40.5), **asked)
    run = new_run(one, None, plan=(36.0, 60.0), **asked)
    assert run.tuning == silent
    board = run_correction(run)
    assert (board.first_note, len(board.sixteenths), set(board.sixteenths)) == (0, 128, {0})
    assert KeyTuning(silent.hertz).nearest(445.0)[0] == 69
    far = TuningRecord("far", tuple(440.0 * 2 ** ((n - 69) / 4) for n in range(128)))
    with pytest.raises(InputError, match="codes from equal temperament"):
        run_correction(msgspec.structs.replace(run, tuning=far))
