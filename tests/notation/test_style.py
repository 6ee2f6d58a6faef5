"""How numbers are shown."""

from __future__ import annotations

import math

import pytest

from dynamis.notation.style import Style, digits_for, plain, tied

COMMA = Style(decimal_comma=True)


@pytest.mark.parametrize(
    ("shown", "text"),
    [
        (Style().number(-0.04, 1), "0.0"),
        (Style().number(-1.25, 1), "−1.2"),
        (Style().number(1.0, 1, sign=True), "+1.0"),
        (Style().number(0.0, 1, sign=True), "0.0"),
        (Style().number(None, 1), "–"),
        (Style().number(math.nan, 2), "–"),
        (COMMA.number(2.5, 2), "2,50"),
        (Style().volts(2.19463), "2.1946 V"),
        (Style().millivolts(0.0017), "1.7 mV"),
        (Style().millivolts(0.00004), "0.04 mV"),
        (Style().millivolts(None), "– mV"),
        (Style().cents(-20.54, sign=True), "−20.5"),
        (Style().hertz(261.6256), "261.63 Hz"),
        (Style().hertz(8.1758), "8.1758 Hz"),
        (Style().hertz(2093.0045), "2093.0 Hz"),
        (Style().hertz(12543.854), "12544 Hz"),
        (Style().hertz(None), "– Hz"),
        (Style().engineering(100e3, "Ω"), "100 kΩ"),
        (Style().engineering(1e-4, "V"), "100 µV"),
        (Style().engineering(634.9e-6, "A"), "630 µA"),
        (Style().engineering(82.94e-6, "s"), "82.9 µs"),
        (Style().percent(0.003), "< 0.01 %"),
        (Style().percent(0.0), "0.00 %"),
        (Style().size_of_cents(0.004), "< 0.1"),
        (Style().size_of_cents(0.0), "0.0"),
        (COMMA.engineering(2200, "Ω"), "2,2 kΩ"),
        (Style().engineering(None, "Ω"), "– Ω"),
        (Style().plus_minus(-4.3621, 0.4612, "ct"), "−4.36 ± 0.46 ct"),
        (Style().plus_minus(3.0, 0.0, "V"), "3.0 ± 0.0 V"),
        (
            Style().worst_case(23.0, 16.2),
            "23.0 ct in the worst case, 16.2 ct as a root sum of squares (k\u00a0=\u00a02)",
        ),
        (Style().worst_case(0.9, 2 * 0.9 / math.sqrt(3)), "0.9 ct in the worst case"),  # GUM 4.3.7: one limit, k = 2
        (Style().percent(-0.363, 2, sign=True), "−0.36 %"),
        (plain(36.0), "36"),
        (plain(0.1), "0.1"),
        (plain(1e20), "1e+20"),
    ],
)
def test_numbers_are_shown_with_sensible_digits(shown, text):
    assert shown == text


@pytest.mark.parametrize(
    ("uncertainty", "digits"), [(0.46, 2), (12.0, 1), (0.034, 3), (0.0, 1), (math.inf, 1), (1e-5, 6), (1e-9, 2)]
)
def test_an_uncertainty_is_shown_to_two_digits(uncertainty, digits):
    # GUM (JCGM 100:2008) 7.2.6: two significant digits usually suffice.
    assert digits_for(uncertainty) == digits


def test_a_number_is_not_parted_from_its_unit():
    assert tied("off by −4.4 ± 0.3 ct at 60 C4") == "off by −4.4\u00a0±\u00a00.3\u00a0ct at 60 C4"
