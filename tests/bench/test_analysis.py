"""Runs judged: none, one, voided, in cents and hertz, with constants and tables in force."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dynamis.bench.chains.port_transfers import make_dac
from dynamis.bench.document.records import HeadRecord, InstrumentRecord, ReadingRecord, RunRecord
from dynamis.bench.runs.analysis import adoption_of, analyse, codes_of, head_of, withdrawal_of
from dynamis.bench.runs.measured_linearity import linearity_words, measured_linearity
from dynamis.calibration.causes.words import shape_sentences
from dynamis.calibration.words import correction_detail
from dynamis.demo.lantern import BENCH_METER, BOARD_DAC, BOARD_LAW, bench
from dynamis.errors import InputError
from dynamis.notation.style import Style
from dynamis.pitch.tuning import EqualTemperament

RUN = RunRecord(
    "r",
    "As found",
    "workshop-board",
    "03",
    "pitch-a",
    "2026-01-01T00:00:00+00:00",
    BOARD_LAW,
    "5",
    meter=BENCH_METER,
    converter=bench().gear[0].ports[0].transfers[0],
    trimmers="scale",
    plan=(36.0, 60.0, 96.0),
)
BARE = msgspec.structs.replace(RUN, converter=None)


def rows(*readings, run=RUN, voided=()):
    return [
        ReadingRecord(k, run.id, k, float(note), float(value), "", voided=k in voided)
        for k, (note, value) in enumerate(readings)
    ]


def simulated(run, gain=0.9957, offset=0.0017, notes=np.arange(36.0, 97.0, 5)):
    """Readings of a board with hidden values, as the run's own head plays it."""
    codes = codes_of(run, make_dac("c", run.converter), notes)
    return rows(*zip(notes, BOARD_DAC.nominal_volts(codes) * gain + offset, strict=True), run=run)


def test_no_reading_is_no_verdict():
    judged = analyse(RUN, [])
    assert (judged.verdict, judged.shape, judged.corrections, judged.worst_index) == (None, None, (), None)
    assert judged.next_note == 36.0
    assert "Two readings will make a line" in judged.why_no_fit
    assert judged.proof.enough


def test_one_reading_has_an_error_and_no_line():
    judged = analyse(RUN, rows((36, 0.2010)))
    assert judged.error_cents == pytest.approx([1.2])
    assert judged.verdict == "within"
    assert "A reading of a second note" in judged.why_no_fit
    assert judged.next_note == 60.0
    assert judged.expect(60) == pytest.approx(2.2)


def test_the_verdict_is_decided_where_the_least_room_is_left():
    run = msgspec.structs.replace(BARE, tolerance="36:47=30,48:96=5")
    judged = analyse(run, rows((36, 0.22), (60, 2.206), (96, 5.2)))
    assert (judged.worst_index, judged.deciding_index, judged.verdict) == (0, 1, "not-within")
    outside = analyse(msgspec.structs.replace(BARE, tolerance="0:10=5"), [])
    assert outside.deciding_index is None


def test_voided_readings_do_not_count():
    judged = analyse(RUN, rows((36, 0.2010), (60, 9.0), voided={1}))
    assert len(judged.rows) == 2
    assert judged.error_cents.size == 1
    assert analyse(RUN, rows((36, 0.2), voided={0})).verdict is None


def test_a_tuners_cents_are_hertz_of_their_notes():
    run = msgspec.structs.replace(BARE, quantity="cents", meter=None, where="oscillator")
    judged = analyse(run, rows((36, -3.0), (60, 0.5), (96, 12.0), run=run))
    assert judged.error_cents == pytest.approx([-3.0, 0.5, 12.0])
    assert judged.values == pytest.approx(
        EqualTemperament().hertz([36, 60, 96]) * 2 ** (np.array([-3, 0.5, 12]) / 1200)
    )
    assert judged.verdict == "not-within"
    assert judged.proof is None
    # Of an instrument that nobody knows nothing is proved; of one good to 0.5 ct what lies 0.6 ct inside is.
    near = rows((36, -3.0), (60, 0.5), (96, 4.0), run=run)
    assert analyse(run, near).verdict == "cannot-tell"
    for cents, verdict in ((0.5, "within"), (3.0, "cannot-tell")):
        tuner = InstrumentRecord("t", "Stage tuner", kind="tuner", cents=cents, resolution_cents=0.1)
        told = analyse(msgspec.structs.replace(run, meter=tuner), near)
        assert told.verdict == verdict
        assert told.expanded_cents == pytest.approx(2 * np.sqrt(cents**2 / 3 + 0.01 / 12))
    assert analyse(msgspec.structs.replace(run, meter=BENCH_METER), near).meter is None  # it reads no cents


def test_a_reading_that_was_read_twice_counts_twice():
    judged = analyse(BARE, rows((36, 0.2), (36, 0.2), (60, 2.2), (96, 5.2)))
    assert judged.fit.used.sum() == 4
    assert judged.next_note is None


def test_constants_in_force_are_counted_on_and_found_again():
    first = analyse(RUN, simulated(RUN))
    constants = first.correction("constants")
    head = head_of(constants, first.model, first)
    again = msgspec.structs.replace(RUN, head=head)
    judged = analyse(again, simulated(again))
    assert np.max(np.abs(judged.error_cents)) < 0.85
    assert judged.shape.find("scale") is None
    assert judged.correction("constants").gain == pytest.approx(constants.gain, abs=1e-9)
    assert judged.correction("constants").moved_codes == 0
    assert judged.expect(96.0) == pytest.approx(5.2, abs=1e-3)


def test_a_board_that_drifted_after_its_constants_shows_the_drift():
    head = HeadRecord("constants", "volts", 0.0017, 0.9957)
    run = msgspec.structs.replace(RUN, head=head)
    judged = analyse(run, simulated(run, gain=0.9957 * 1.002))
    assert judged.shape.find("scale").value == pytest.approx(0.2, abs=0.02)
    assert judged.correction("constants").gain == pytest.approx(0.9957 * 1.002, abs=1e-5)


def test_a_table_in_force_is_judged_against_the_wish_and_its_rounding_is_no_cause():
    table = analyse(RUN, simulated(RUN)).correction("table")
    run = msgspec.structs.replace(
        RUN, head=head_of(table, RUN.model, RUN), plan=tuple(np.arange(36, 96.5, 0.5).tolist())
    )
    judged = analyse(run, simulated(run))
    assert 0.5 < np.max(np.abs(judged.error_cents)) < 0.85
    assert np.max(np.abs(judged.residual_cents)) < 0.12
    assert [term.cause for term in judged.shape.terms] == ["rounding"]


def test_what_a_way_puts_in_force():
    judged = analyse(RUN, simulated(RUN))
    before = HeadRecord("constants", "volts", 0.01, 1.001)
    assert head_of(judged.correction("trimmer"), judged.model, msgspec.structs.replace(RUN, head=before)) == before
    adopted = adoption_of(judged, judged.correction("trimmer"), "2026-01-01T00:00:00+00:00")
    assert (adopted.head, adopted.kind, adopted.run) == (judged.run.head, "trimmer", judged.run.id)
    assert withdrawal_of(adopted, "2026-01-02T00:00:00+00:00").head == HeadRecord()
    assert head_of(judged.correction("table"), judged.model, RUN).sixteenths == judged.correction("table").sixteenths
    bare = analyse(BARE, simulated(RUN))
    assert head_of(bare.correction("table"), bare.model, BARE).kind == "constants"


@pytest.mark.parametrize("law", [BOARD_LAW, "hzv:note=36,volts=0.5", "hzv:note=45,volts=1,offset=0.1"])
@pytest.mark.parametrize("converter", [RUN.converter, None], ids=["codes known", "codes not known"])
@pytest.mark.parametrize(
    "head",
    [
        HeadRecord(),
        HeadRecord("constants", "volts", 0.01, 0.99),
        HeadRecord("table", first_note=36, sixteenths=(0, -900, 32000) * 20),
    ],
)
@settings(max_examples=12, deadline=None)
@given(data=st.data())
def test_no_readings_break_the_judgement(law, converter, head, data):
    """Whatever is typed is judged, or told in a sentence why it cannot be."""
    quantity = data.draw(st.sampled_from(["volts", "hertz", "cents"]))
    run = msgspec.structs.replace(
        RUN,
        law=law,
        head=head,
        converter=converter,
        quantity=quantity,
        trimmers="scale-and-offset",
        meter=BENCH_METER if quantity == "volts" else None,
    )
    sizes = {"volts": st.floats(0.11, 12), "hertz": st.floats(1, 2e4), "cents": st.floats(-1300, 1300)}[quantity]
    readings = data.draw(st.lists(st.tuples(st.integers(36, 96), sizes), max_size=9))
    judged = analyse(run, rows(*readings, run=run))
    assert judged.error_cents.size == len(readings)
    assert (judged.shape is None) == bool(judged.why_no_fit)
    if judged.shape is not None:
        assert all(shape_sentences(judged.shape, Style(), judged.loading_factor))
    for correction in judged.corrections:
        assert correction.kept.sum() == correction.left_cents.size
        assert correction_detail(correction, judged.fit, Style())


def test_readings_that_fall_are_no_calibration():
    judged = analyse(BARE, rows((36, 5.2), (60, 2.2), (96, 0.2)))
    assert judged.why_no_fit == "The readings do not rise with the notes: check the channel, the wiring and the law."
    assert judged.corrections == ()


def test_loading_is_known_where_the_resistances_are():
    run = msgspec.structs.replace(RUN, output_ohms=1000.0, plugged_ohms=(100e3, 100e3))
    assert analyse(run, []).loading_factor == pytest.approx(1 / 1.02)
    assert analyse(RUN, []).loading_factor is None


def with_bend(run, notes=np.arange(36.0, 97.0, 3.0)):
    """Readings of a converter with a step of 3 LSB at half scale, and what the end of its line then leaves by code."""
    codes = codes_of(run, make_dac("c", run.converter), notes)
    bend = np.where(codes >= 2048, 1.5, -1.5)
    volts = (BOARD_DAC.nominal_volts(codes) + bend * BOARD_DAC.lsb_volts) * 0.9957 + 0.0017
    line = np.polynomial.Polynomial.fit(codes, bend, 1)  # the best fit of the bend alone is taken out with the line
    return rows(*zip(notes, volts, strict=True), run=run), codes, bend - line(codes)


def test_a_run_shows_the_linearity_of_its_converter():
    """Scale and offset do not count; by code it goes straight between what was read."""
    readings, codes, left = with_bend(RUN)
    made = measured_linearity(analyse(RUN, readings))
    assert made.codes == pytest.approx(codes)
    assert made.inl_lsb == pytest.approx(left, abs=0.02)
    every = made.by_code(12)
    assert len(every) == 4096
    assert every[int(codes[5])] == pytest.approx(left[5], abs=0.02)
    assert every[0] == every[int(codes[0])]
    told = linearity_words(made, 0.5, Style())
    assert "more than that" in told
    assert "within" in linearity_words(made, 9.0, Style())
    with pytest.raises(InputError, match="at most 16 bits"):
        made.by_code(20)


@pytest.mark.parametrize(
    ("run", "readings", "words"),
    [
        (None, [], "No run has been read"),
        (RUN, [(36, 0.2)], "second note"),
        (RUN, [(36, 0.2), (60, 2.2)], "fewer than three"),
        (BARE, [(36, 0.2), (60, 2.2), (96, 5.2)], "converter of As found is not known"),
        (
            msgspec.structs.replace(RUN, quantity="hertz", meter=None),
            [(36, 65.4), (60, 261.6), (96, 2093.0)],
            "read in hertz",
        ),
    ],
)
def test_a_run_that_shows_no_linearity_says_why(run, readings, words):
    assert words in measured_linearity(None if run is None else analyse(run, rows(*readings, run=run)))
