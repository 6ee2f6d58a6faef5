"""What notation gives, kept; see `tests/keeping.py`."""

from __future__ import annotations

from tests.keeping import attempt, hold

from dynamis.notation import keys, numbers, safe, style
from dynamis.notation.style import Style

VALUES = (
    0.0,
    0.049,
    0.05,
    -0.5,
    0.999,
    1.0,
    -1.5,
    9.995,
    12.34567,
    99.95,
    999.5,
    1000.0,
    -1234.5,
    1e5,
    9.99e14,
    1e15,
    2e15,
    3.3e-3,
    4.7e-6,
    2.2e-9,
    1e-10,
    1e-13,
    6.8e3,
    1e7,
    float("nan"),
    float("inf"),
)
STYLES = (Style(), Style(decimal_comma=True), Style(middle_c=3, flats=True))
TEXTS = (
    "",
    " ",
    "4k7",
    "4R7",
    "-2.5 V",
    "2,5",
    "1,000.5",
    "1 000",
    "3.3e-3",
    "6k8Ω",
    "100n",
    "5 %",
    "± 0.5 %",
    "1e400",
    "x",
    "12 mV",
    "1.2.3",
    "0.1 + 0.2",
    "3,3; 5",
    "3.3 5 -12",
    "µ",
    "5µV",
    "−4",
    "1e",
    "99999999999999999999",
    "2 kHz",
    "440",
    "10 ppm",
)
ODD = (
    "plain",
    "two\nlines",
    "tab\there",
    "\u202eback",
    "=1+1",
    "-5",
    "@x",
    "é ü",
    "a" * 200,
    'quote "q"',
    "semi;colon",
    "*/ end",
    "\x00nul",
    "\ud800lone",
    "  pad  ",
    "a\u200bb",
    "line\u2028sep",
    "'5",
    "\\n",
    "b" * 79,
    "c" * 80,
    "d" * 81,
    "e" * 401,
)


def test_numbers_are_shown_as_they_were():
    methods = (
        "cents",
        "size_of_cents",
        "volts",
        "millivolts",
        "hertz",
        "percent",
        "share",
        "typed",
        "typed_share",
    )
    shown = {
        f"{k} {name} {value}": attempt(lambda one=one, name=name, value=value: getattr(one, name)(value))
        for k, one in enumerate(STYLES)
        for name in methods
        for value in VALUES
    }
    more = {
        f"{decimals} {value}": [
            attempt(lambda d=decimals, v=value: Style().number(v, d, sign=True)),
            attempt(lambda d=decimals, v=value: Style().percent(v, d, sign=True)),
            attempt(lambda d=decimals, v=value: Style().millivolts(v, d)),
            attempt(lambda v=value: Style().engineering(v, "Ω")),
            attempt(lambda v=value: Style().plus_minus(v, abs(v) / 7.0, "V", sign=True)),
            style.digits_for(abs(value)) if 0 < abs(value) < 1e300 else None,
            attempt(lambda v=value: style.plain(v)),
            style.decimals_of(value) if abs(value) < 1e300 else None,
        ]
        for decimals in range(4)
        for value in VALUES
    }
    ties = [style.tied(text) for text in ("5 V ± 3 mV", "1 ÷ 2", "< 5 %", "from 3 to 4 kΩ", "25 °C in 3 min, 7 LSB")]
    listed = [one.listed(["1,5", "2"]) for one in STYLES]
    hold("notation_style", [shown, more, ties, listed, [style.superscript(k) for k in (0, 7, 42)]])


def test_texts_are_read_as_they_were():
    read = {
        f"{text!r} {unit} {comma}": [
            attempt(lambda t=text, u=unit, c=comma: numbers.parse_quantity(t, u, "It", decimal_comma=c)),
            attempt(lambda t=text, u=unit, c=comma: numbers.parse_quantities(t, u, "They", decimal_comma=c)),
            attempt(lambda t=text, c=comma: numbers.parse_share(t, "It", decimal_comma=c)),
            attempt(lambda t=text: numbers.parse_plain(t, "It")),
        ]
        for text in TEXTS
        for unit in ("V", "Ω", "Hz", "%", "", "ct")
        for comma in (False, True)
    }
    pairs = ("a=1,b=2", "a=1,a=2", "a", "=1", "", "a=1,,b=2", "c=3", " a = 1 , b = x ")
    keyed = [attempt(lambda t=text: keys.key_values(t, ("a", "b"), "The law", "a law")) for text in pairs]
    hold("notation_read", [read, keyed])


def test_texts_are_made_safe_as_they_were():
    plain = (
        "hidden",
        "one_line",
        "sentence_line",
        "quoted",
        "ascii_line",
        "comment",
        "csv_cell",
        "from_csv_cell",
        "terminal",
        "escaped_json",
    )
    made = {
        f"{name} {text[:30]!r} {len(text)}": attempt(lambda n=name, t=text: getattr(safe, n)(t))
        for name in plain
        for text in ODD
    }
    numbers_too = [safe.csv_cell(value) for value in (1, -1.5, None, True, "-1.5", "+1", "1e5", "-x")]
    cut = [safe.quoted("z" * count, 10) for count in (8, 9, 10, 11, 12, 40)]
    hold(
        "notation_safe",
        {
            "made": {key: repr(value) for key, value in made.items()},
            "numbers": numbers_too,
            "cut": cut,
            "row": safe.csv_row(["=x", "5"]),
        },
    )
