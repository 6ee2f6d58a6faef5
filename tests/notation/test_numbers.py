"""What is taken as a number, what is refused, and in which words."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynamis.bench.gear.fields import Field
from dynamis.electrics.circuits.supply import Supply
from dynamis.electrics.gates.specs import read_rails, show_rails
from dynamis.errors import InputError
from dynamis.notation.numbers import parse_plain, parse_quantities, parse_quantity
from dynamis.notation.style import Style

TAKEN = [
    ("2.5", "V", 2.5),
    ("2.5 V", "V", 2.5),
    ("2500 mV", "V", 2.5),
    ("2500mV", "V", 2.5),
    ("-15 mV", "V", -0.015),
    ("−15 mV", "V", -0.015),
    ("250 uV", "V", 250e-6),
    ("250 µV", "V", 250e-6),
    ("250 μV", "V", 250e-6),
    ("1e-3", "V", 1e-3),
    ("1.2e3 mV", "V", 1.2),
    (".5", "V", 0.5),
    ("5.", "V", 5.0),
    ("+3 V", "V", 3.0),
    ("0.2m", "V", 0.2e-3),
    ("6k8", "Ω", 6800.0),
    ("4R7", "Ω", 4.7),
    ("2M2", "Ω", 2.2e6),
    ("0R1", "Ω", 0.1),
    ("100k", "Ω", 100e3),
    ("100 kΩ", "Ω", 100e3),
    ("100 kohm", "Ω", 100e3),
    ("1 MΩ", "Ω", 1e6),
    ("100K", "Ω", 1e5),
    ("470", "Ω", 470.0),
    ("470R", "Ω", 470.0),
    ("470 Ω", "Ω", 470.0),
    ("470 \u2126", "Ω", 470.0),
    ("440", "Hz", 440.0),
    ("440 Hz", "Hz", 440.0),
    ("1.2 kHz", "Hz", 1200.0),
    ("1k2", "Hz", 1200.0),
    ("-3.5", "ct", -3.5),
    ("-3.5 ct", "ct", -3.5),
    ("24.5 °C", "°C", 24.5),
    ("0.5 %", "%", 0.5),
    ("0.5%", "%", 0.5),
    ("2 LSB", "LSB", 2.0),
    ("12", "bit", 12.0),
    ("12 bit", "bit", 12.0),
]

REFUSED = [
    ("", "V", "empty"),
    ("   ", "V", "empty"),
    ("abc", "V", "no number"),
    ("2.5 Hz", "V", "in Hz"),
    ("2.5 W", "V", "'W'"),
    ("1,25 V", "V", "comma"),
    ("1.2.3", "V", "no"),
    ("4R7", "V", "'R7'"),
    ("nan", "V", "no number"),
    ("inf", "V", "no number"),
    ("1e999", "V", "larger"),
    ("2.5 V V", "V", "'V V'"),
    ("3 m%", "%", "'m%'"),
    ("5 kct", "ct", "ct"),
    ("6k8k", "Ω", "'k8k'"),
    ("--3", "V", "no number"),
    ("0x10", "V", "'x10'"),
    ("1_000", "V", "'_000'"),
]


@pytest.mark.parametrize(("text", "unit", "value"), TAKEN)
def test_engineering_notation_is_read(text, unit, value):
    assert parse_quantity(text, unit) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(("text", "unit", "word"), REFUSED)
def test_a_wrong_text_is_refused_in_one_sentence(text, unit, word):
    with pytest.raises(InputError) as refusal:
        parse_quantity(text, unit, "The reading")
    sentence = str(refusal.value)
    assert word in sentence
    assert sentence.startswith("The reading is")
    assert "\n" not in sentence


def test_a_decimal_comma_counts_only_where_it_is_chosen():
    assert parse_quantity("1,25 V", "V", decimal_comma=True) == 1.25
    with pytest.raises(InputError, match="decimal comma in Preferences"):
        parse_quantity("1,25 V", "V")


@pytest.mark.parametrize(
    ("text", "unit", "comma", "values"),
    [
        ("3.3, 5", "V", False, (3.3, 5.0)),
        ("3.3 V; 5 V", "V", False, (3.3, 5.0)),
        ("3.3 5  -12 V", "V", False, (3.3, 5.0, -12.0)),
        ("3,3; 5", "V", True, (3.3, 5.0)),
        ("3,3 V 5 V", "V", True, (3.3, 5.0)),
        ("3.3; 5", "V", True, (3.3, 5.0)),
        ("4,7k; 10k", "Ω", True, (4700.0, 10e3)),
        ("4k7 10k", "Ω", True, (4700.0, 10e3)),
        ("100 nF 4n7 2,2u", "F", True, (100e-9, 4.7e-9, 2.2e-6)),
        ("1k,10k", "Ω", False, (1e3, 10e3)),
        ("", "V", False, ()),
        (" ; , ", "V", False, ()),
        ("3,3; 5", "V", False, "has commas between figures, and a semicolon"),
        ("3,3, 5", "V", True, "parts entries by a comma"),
    ],
)
def test_a_list_is_parted_by_what_is_no_decimal_sign(text, unit, comma, values):
    if isinstance(values, str):
        with pytest.raises(InputError, match=values):
            parse_quantities(text, unit, "The rails", decimal_comma=comma)
    else:
        assert parse_quantities(text, unit, "The rails", decimal_comma=comma) == values


@pytest.mark.parametrize("comma", [False, True])
def test_what_a_list_shows_is_read_again(comma):
    style, rails = Style(decimal_comma=comma), ((-12.0, 12.0), (0.0, 3.3), (-9.0, 12.5), (-5.0, 0.0))
    assert read_rails(show_rails(rails, style), style) == rails
    assert read_rails(show_rails((), style), style) == ()
    field = Field("rails", "Rails", "list", "V")
    assert field.read(field.show((3.3, 5.0, -0.25), style), style) == (3.3, 5.0, -0.25)
    assert Supply.parse(Supply(0, 3.3).shown(style), decimal_comma=comma) == Supply(0, 3.3)
    assert (show_rails(rails[:2], style), style.typed(0.1)) == (
        ("± 12 V; 0:3,3 V", "0,1") if comma else ("± 12 V, 0:3.3 V", "0.1")
    )


@pytest.mark.parametrize("text", ["1", "-1.5", "2e3", ".5", "5."])
def test_a_plain_number_is_read(text):
    assert parse_plain(text, "x") == float(text)


@pytest.mark.parametrize("text", ["", "1 V", "nan", "inf", "1_0", "0x1", "1,5", "1e999", "ten"])
def test_a_plain_number_takes_nothing_else(text):
    with pytest.raises(InputError, match="x is"):
        parse_plain(text, "x")


@given(st.floats(-1e6, 1e6, allow_nan=False))
def test_every_number_reads_back(value):
    assert parse_plain(repr(value), "x") == value
    assert parse_quantity(f"{value!r} V", "V") == value


@given(st.text(max_size=12))
def test_no_text_breaks_the_reader(text):
    try:
        parse_quantity(text, "V")
    except InputError as refusal:
        assert "\n" not in str(refusal).replace(text, "")
