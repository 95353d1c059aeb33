"""Wire gauge, against the sizes that every table gives."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rhombos.core.parts import Wire
from rhombos.core.units import gauge
from rhombos.core.units.quantities import UnitError, parse

TABLE = {
    "4/0": 11.684,
    "0000": 11.684,
    "1/0": 8.251,
    "0": 8.251,
    "1": 7.348,
    "4": 5.189,
    "10": 2.588,
    "14": 1.628,
    "18": 1.024,
    "20": 0.812,
    "24": 0.511,
    "30": 0.255,
    "36": 0.127,
    "40": 0.0799,
}
"""Printed diameters, mm."""


@pytest.mark.parametrize("size", TABLE)
def test_sizes_have_their_printed_diameters(size):
    for written in (f"AWG {size}", f"awg{size}", f"{size} AWG"):
        assert parse(written, "mm") * 1e3 == pytest.approx(TABLE[size], rel=2e-3)
        assert parse(written, "m^2") * 1e6 == pytest.approx(math.pi / 4 * TABLE[size] ** 2, rel=4e-3)


@pytest.mark.parametrize(
    ("across", "told"),
    [
        (0.812, "AWG 20"),
        (0.9, "AWG 19"),
        (0.86, "AWG 19–20"),
        (11.6, "AWG 4/0"),
        (8.25, "AWG 1/0"),
        (13.0, ""),
        (7.8, "AWG 1/0–1"),
    ],
)
def test_a_diameter_is_told_by_its_size(across, told):
    assert gauge.told(across * 1e-3) == told


@given(st.integers(-3, 50))
def test_what_is_told_of_a_size_is_that_size(size):
    assert gauge.read(gauge.told(gauge.diameter(size))) == pytest.approx(gauge.diameter(size))


@pytest.mark.parametrize(
    ("text", "unit"),
    [("AWG 20", "V"), ("AWG 99", "mm"), ("AWG", "mm"), ("20 AWG x", "mm"), ("AWG 5/0", "mm"), ("AWG 00000", "mm")],
)
def test_what_is_no_size_of_wire_is_refused(text, unit):
    with pytest.raises(UnitError):
        parse(text, unit)


def test_a_wire_may_be_given_by_its_gauge():
    wire = Wire.model_validate({"id": "mine", "strand": "AWG 20", "outer": "0.9"})
    assert wire.label == "round 0.8118 mm, AWG 20"
    assert Wire(id="litz", strands=20, strand=0.2e-3, outer=1.3e-3).label == "litz 20 × 0.2 mm"


def test_a_cable_is_told_by_section_and_by_size(solution):
    """By hand: 35 mm² of copper is 6.68 mm across, between AWG 1 (7.348) and AWG 2 (6.544), nearer to 2."""
    assert gauge.told_section(35e-6) == "AWG 2"
    cable = next(f for b in solution.blocks for f in b.figures if f.address == "input_stage.cable")
    assert cable.text.endswith(f"mm², {gauge.told_section(cable.value)}")
