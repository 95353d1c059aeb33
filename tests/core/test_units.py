"""Quantities are read and written as people write them."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rhombos.core.units.quantities import UNITS, UnitError, exactly, fmt, parse, short


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("4k7", "ohm", 4700.0),
        ("2.2n", "F", 2.2e-9),
        ("50k", "Hz", 50e3),
        ("12V", "V", 12.0),
        ("1R5", "ohm", 1.5),
        ("47 µF", "F", 47e-6),
        ("16", "m^2", 16e-6),
        ("88 %", "%", 0.88),
        ("88", "%", 0.88),
        ("100 Ah", "A*h", 360e3),
        ("1.2 kW", "W", 1200.0),
        ("250 ns", "s", 250e-9),
        ("0.5", "1", 0.5),
        ("50%", "1", 0.5),
        ("4.7 kΩ", "ohm", 4700.0),
        ("30 °C", "degC", 30.0),
        ("3e3", "W", 3000.0),
        ("12 mm", "mm", 0.012),
        ("−5", "degC", -5.0),
    ],
)
def test_text_as_people_write_it_is_read_in_si(text, unit, value):
    assert parse(text, unit) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "unit", "reason"),
    [
        ("1k2W", "W", "mixes two notations"),
        ("1,5", "V", "comma"),
        ("", "V", "empty"),
        ("abc", "V", "not a number"),
        ("12 A", "V", "ends in ‘A’"),
        ("1R5", "V", "stands for ohms"),
        ("4k7", "degC", "has a prefix"),
        ("1e999", "V", "too large"),
    ],
)
def test_text_that_cannot_be_read_is_refused_with_the_reason(text, unit, reason):
    with pytest.raises(UnitError, match=reason):
        parse(text, unit)


@pytest.mark.parametrize(
    ("value", "unit", "text"),
    [
        (4700, "ohm", "4.70 kΩ"),
        (46e3, "Hz", "46.0 kHz"),
        (0.138, "T", "138 mT"),
        (1.6e-5, "m^2", "16.0 mm²"),
        (0.927, "%", "92.7 %"),
        (2.2e-16, "%", "0 %"),
        (-1e-12, "%", "0 %"),
        (1e-9, "%", "1.00e-07 %"),
        (13200, "s", "3 h 40 min"),
        (0, "V", "0 V"),
        (math.inf, "ohm", "∞"),
        (1.7e307, "%", "∞"),
        (1.7975e306, "%", "1.80e+308 %"),
        (math.nan, "V", "—"),
        (999.96, "V", "1.00 kV"),
        (-3.2, "W", "−3.20 W"),
        (360e3, "A*h", "100 Ah"),
    ],
)
def test_values_are_written_in_engineering_notation(value, unit, text):
    assert fmt(value, unit) == text


@given(value=st.floats(1e-9, 1e9), unit=st.sampled_from(["V", "ohm", "F", "W", "Hz", "H", "m^2", "T", "A*h"]))
def test_what_is_written_can_be_read_back_to_its_own_precision(value, unit):
    assert parse(short(value, unit), unit) == pytest.approx(value, rel=6e-4)


def test_every_unit_is_known_to_a_units_library():
    import pint

    registry = pint.UnitRegistry()
    for key in UNITS:
        registry.Unit("percent" if key == "%" else "dimensionless" if key == "1" else key)


@pytest.mark.parametrize(
    ("value", "unit", "text"),
    [
        (33.93e-9, "C", "33.93 nC"),
        (2.4567891, "ohm", "2.4567891 Ω"),
        (0.0028, "ohm", "2.8 mΩ"),
        (0.0, "F", "0 F"),
        (600.0, "V", "600 V"),
        (2.45, "1", "2.45"),
        (0.9e-3, "mm", "0.9 mm"),
        (1234567.0, "Hz", "1.234567 MHz"),
        (-5e-6, "s", "-5 µs"),
        (173e-6, "m^2", "173 mm²"),
    ],
)
def test_a_quantity_written_exactly_is_read_back_the_same(value, unit, text):
    assert exactly(value, unit) == text
    assert parse(text, unit) == pytest.approx(value, rel=1e-11, abs=0)
