"""What a front end's windings must reach, and how fast it switches before any search: by hand and by trying every diode."""

import math

import pytest

from rhombos.core.blocks import link_loop, rectifier
from rhombos.core.design.rules import IDLE_WEIGHT, PRESETS
from rhombos.core.frame.topology import RECTIFIERS
from rhombos.core.parts import Diode
from rhombos.core.routes.reach import MOST_DAMPED, MOST_RISING, damped_frequency, steady_frequency
from rhombos.core.waves.ring import step_overshoot

USUAL = PRESETS["usual"]


@pytest.mark.parametrize(("watts", "secondary"), [(150, 800.0), (150, 1100.0), (300, 1100.0), (90, 560.0)])
def test_a_damper_burns_no_more_than_its_share_of_a_small_power(watts, secondary):
    """By hand: C·V² at every edge, two edges a period; below 20 kHz people would hear it."""
    damper = 220e-12
    hertz = steady_frequency(watts, 10.0, 30e-9, damped_frequency(watts, secondary, damper))
    burnt = damper * secondary**2 * 2 * hertz
    assert burnt <= MOST_DAMPED * watts + damper * secondary**2 * 5e3 or hertz == 20e3
    assert steady_frequency(watts, 10.0, 30e-9, damped_frequency(watts, secondary / 2, damper)) >= hertz


@pytest.mark.parametrize(("watts", "volts"), [(600, 22.0), (2000, 10.0), (3000, 20.0), (60, 11.0)])
def test_leads_let_the_current_rise_in_a_small_part_of_each_pulse(watts, volts):
    """By hand: the pulse is P over V for seven tenths of the time; L·I/V in each half period."""
    leads = 40e-9
    hertz = steady_frequency(watts, volts, leads)
    pulse = watts / (0.7 * volts)
    assert 20e3 <= hertz <= 80e3
    assert hertz % 5e3 == 0
    assert hertz == 20e3 or leads * pulse / volts * 2 * hertz <= 2 * MOST_RISING


@pytest.mark.parametrize("circuit", list(RECTIFIERS))
@pytest.mark.parametrize(("secondary", "current"), [(300.0, 0.5), (520.0, 2.0), (800.0, 0.4), (520.0, 15.0)])
def test_the_smallest_damper_is_that_of_a_diode_that_stands_the_winding(circuit, secondary, current, shelf):
    how = RECTIFIERS[circuit]
    found = rectifier.least_damper(secondary, current, how, shelf, USUAL)
    rings = 1.0 if how.gain == 2 else step_overshoot(rectifier.DAMPER_RATIOS[0])
    stands = [
        d
        for d in shelf.all(Diode)
        if d.v_rating * (1 - USUAL.diode_voltage_margin) >= rectifier.ROUNDED * secondary * how.reverse * rings
        and d.i_rating * (1 - USUAL.diode_current_margin) >= how.gain * current / 2
    ]
    strays = [2 * d.c_j + rectifier.WINDING_CAPACITANCE for d in stands]
    if strays:
        assert found == pytest.approx(rectifier.DAMPER_RATIOS[0] * min(strays))
    else:
        highest = max(shelf.all(Diode), key=lambda d: d.v_rating)
        assert found == pytest.approx(rectifier.DAMPER_RATIOS[0] * (2 * highest.c_j + rectifier.WINDING_CAPACITANCE))


def test_the_damper_that_a_frequency_counts_on_is_no_larger_than_the_one_fitted(worked):
    build, state = worked.builds["rectifier"], worked.settled["high"].states["rectifier"]
    how = RECTIFIERS[build.circuit]
    secondary = worked.builds["transformer"].ratio * worked.brief.source.volts[2]
    counted = rectifier.least_damper(secondary, state.current, how, worked.shelf, USUAL)
    assert 0.3 * build.damper_capacitor <= counted <= build.damper_capacitor


def test_only_what_is_drawn_beyond_what_is_wanted_weighs_more():
    assert USUAL.idle_beyond(12.0, 18.0) == 0
    assert USUAL.idle_beyond(18.0, 18.0) == 0
    assert USUAL.idle_beyond(28.0, 18.0) == pytest.approx(10 * IDLE_WEIGHT)


@pytest.mark.parametrize("point", ["nominal", "low", "high", "surge_low"])
def test_a_path_told_to_four_digits_swings_as_the_path_itself(point, worked):
    settled, line = worked.settled[point], worked.brief.output.frequency
    exact, share = link_loop.pulsation_of(settled.path, worked.builds["controller"], settled.demand, line)
    coarse = link_loop.held_swing(settled.path.coarse(), worked.builds["controller"], settled.demand, line)
    assert math.isfinite(share)
    for name in ("mean_square", "peak", "ripple", "current", "smoothed"):
        assert getattr(coarse, name) == pytest.approx(getattr(exact, name), rel=1e-3, abs=1e-4), name
