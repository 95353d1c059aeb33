"""Thresholds of real parts: against the nodes of the circuit solved on their own, and every corner of their tolerances."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from rhombos.core.book import sense
from rhombos.core.control.thresholds import HIGH, HIGH_TOLERANCE, REFERENCE, SET_WITHIN, Tap, band, fit
from rhombos.core.design.rules import PRESETS
from rhombos.core.units.preferred import E24, nearest

USUAL = PRESETS["usual"]


def tap_voltage(tap, battery, output, place=0.5):
    """The tap by nodal analysis: battery and output feed it, the lower branch drains it."""
    conductances = np.array([1 / tap.top, 1 / tap.hold, 1 / (tap.bottom + place * tap.trimmer)])
    return float(conductances @ np.array([battery, output, 0.0]) / conductances.sum())


@pytest.mark.parametrize("tap", [Tap(100e3, 11e3, 2.2e3, 330e3), Tap(82e3, 9.1e3, 1.5e3, 1e6), Tap(470e3, 5.6e3, 0, 4.7e6)])
@pytest.mark.parametrize("place", [0.0, 0.5, 1.0])
def test_at_its_thresholds_the_tap_stands_at_the_reference(tap, place):
    falls, rises = tap.levels(place)
    assert tap_voltage(tap, falls, HIGH, place) == pytest.approx(REFERENCE)
    assert tap_voltage(tap, rises, 0.0, place) == pytest.approx(REFERENCE)
    assert rises > falls


@given(level=st.floats(6, 250), gap=st.floats(0.01, 0.25), falls=st.booleans())
def test_a_fitted_threshold_can_be_set_from_every_corner(level, gap, falls):
    back = level * (1 + gap) if falls else level / (1 + gap)
    if min(level, back) < 1.3 * REFERENCE:
        return
    tap = fit(level, back, USUAL)
    made = band(tap, falls, True, USUAL, level)
    assert made.reach_low <= level <= made.reach_high
    assert made.low == pytest.approx(level * (1 - SET_WITHIN))
    assert made.high == pytest.approx(level * (1 + SET_WITHIN))
    for value in (tap.top, tap.bottom, tap.hold):
        assert value == nearest(value, E24)


def test_the_band_of_a_fresh_board_is_the_worst_of_every_corner():
    tap = Tap(100e3, 11e3, 2.2e3, 330e3)
    r, v = USUAL.resistor_tolerance, USUAL.reference_tolerance
    found = []
    for a, b, c, d, e in itertools.product((-1, 1), repeat=5):
        off = Tap(tap.top * (1 + a * r), tap.bottom * (1 + b * r), tap.trimmer * (1 + b * r), tap.hold * (1 + c * r))
        # the falling threshold by bisection on the nodes, its reference and high output off too
        low, high = 1.0, 100.0
        for _ in range(60):
            middle = (low + high) / 2
            beyond = tap_voltage(off, middle, HIGH * (1 + e * HIGH_TOLERANCE)) > REFERENCE * (1 + d * v)
            low, high = (low, middle) if beyond else (middle, high)
        found.append(low)
    made = band(tap, True, False, USUAL)
    assert (made.low, made.high) == pytest.approx((min(found), max(found)), rel=1e-9)
    assert made.low < made.nominal < made.high


def test_setting_it_narrows_the_band_and_a_short_trimmer_does_not_reach():
    tap = fit(22.6, 24.1, USUAL)
    fresh, made = band(tap, True, False, USUAL), band(tap, True, True, USUAL, 22.6)
    assert made.high - made.low < (fresh.high - fresh.low) / 3
    far = band(tap, True, True, USUAL, 30.0)
    assert far.low < 30 * (1 - SET_WITHIN), "from a poor corner the trimmer ends before 30 V"


@pytest.mark.parametrize(("turns", "back"), [(20, 20), (2.0, 2.2)])
def test_what_no_comparator_does_is_refused(turns, back):
    with pytest.raises(ValueError, match="no comparator"):
        fit(turns, back, USUAL)


def test_the_spread_of_many_boards_by_quadrature():
    """A cut-off of 2.5 V, 82 kΩ over 10.5 kΩ, each uniform within 1 %: against four million boards drawn at random."""
    points, weights = np.polynomial.legendre.leggauss(40)
    weights = weights / 2
    upper, lower = 82e3 * (1 + 0.01 * points), 10.5e3 * (1 + 0.01 * points)
    gain = sense.divider(V_ref=1.0, R_1=upper[:, None], R_2=lower[None, :])
    weight = weights[:, None] * weights[None, :]
    level = 2.5 * (1 + 0.01 * points)
    mean = float((weight * gain).sum() * (weights * level).sum())
    square = float((weight * gain**2).sum() * (weights * level**2).sum())
    assert mean == pytest.approx(22.0246, rel=2e-5)
    assert np.sqrt(square - mean**2) == pytest.approx(0.203845, rel=4e-3)

    def below(volts):
        """Share of boards below a voltage: the reference's own share for each pair of resistors, averaged."""
        return float((weight * np.clip((volts / gain / 2.5 - 0.99) / 0.02, 0, 1)).sum())

    assert below(22.4) - below(21.6) == pytest.approx(0.951696, abs=4e-3)
    for share, volts in ((0.00135, 21.5011), (0.99865, 22.5586)):
        assert brentq(lambda v, s=share: below(v) - s, 21, 23) == pytest.approx(volts, rel=4e-4)
