"""What of the output's pulsation reaches the battery: against samples, quadrature, a general solver, and the scope."""

import math

import numpy as np
import pytest
from scipy.integrate import quad, solve_ivp
from scipy.optimize import brentq

from rhombos.core.book import link
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import record
from rhombos.core.waves.pulsation import STILL, drawn, open_share, pulsation, sine_demand
from rhombos.core.waves.stepped import step_demand, step_flow

USUAL = PRESETS["usual"]
ANGLE = 2 * np.pi * (np.arange(20_000) + 0.5) / 20_000


@pytest.mark.parametrize("share", [0.2, 0.7, 0.4 - 0.6j])
def test_a_swing_that_never_turns_the_current_about(share):
    found = pulsation(sine_demand(660, 620), [share])
    current = 1 + (660 / 620 * share * np.exp(1j * ANGLE)).real
    assert found.mean_square == pytest.approx((current**2).mean(), rel=1e-6)
    assert found.peak == pytest.approx(current.max(), rel=1e-6)
    assert found.ripple == pytest.approx(abs(1 - share), rel=1e-9)


@pytest.mark.parametrize("depth", [1.2, 1.6, 2.4])
def test_where_the_swing_exceeds_the_mean_the_rectifier_blocks_and_the_mean_stays(depth):
    found = pulsation((complex(depth),), [1.0])

    def mean(level, power):
        end = math.acos(max(-1.0, -level / depth))
        return quad(lambda x: (level + depth * math.cos(x)) ** power, 0, end)[0] / math.pi

    level = brentq(lambda a: mean(a, 1) - 1, -0.9 * depth, 1)
    assert found.peak == pytest.approx(level + depth, rel=1e-3)
    assert found.mean_square == pytest.approx(mean(level, 2), rel=2e-3)
    assert found.mean_square < 1 + depth**2 / 2  # less than if it could turn about


@pytest.mark.parametrize("depth", [1.1, 1.28, 1.6])
def test_a_loop_that_holds_the_link_waits_until_the_bank_has_given_back_what_the_load_returned(depth):
    found = pulsation((complex(depth),), [1.0], held=True)
    turns = math.acos(-1 / depth)  # from here on the load returns

    def charge(x):
        return x + depth * math.sin(x) - turns - depth * math.sin(turns)

    begins = brentq(charge, 2 * math.pi - turns, 2 * math.pi + 0.5) - 2 * math.pi
    square = quad(lambda x: (1 + depth * math.cos(x)) ** 2, begins, turns)[0] / (2 * math.pi)
    assert found.mean_square == pytest.approx(square, rel=4e-3)
    assert found.peak == pytest.approx(1 + depth, rel=1e-3)
    assert found.ripple > 0
    assert pulsation((0.9 + 0j,), [1.0], held=True) == pulsation((0.9 + 0j,), [1.0])


def test_a_source_that_gives_nothing_of_the_swing_is_still():
    assert pulsation((), []) is STILL
    found = pulsation(sine_demand(500, 450), [0.0])
    assert (found.mean_square, found.peak, found.ripple) == pytest.approx((1, 1, 1))


@pytest.mark.parametrize(("ohms", "henry", "bank"), [(0.4, 1e-3, 470e-6), (6.0, 2.8e-3, 440e-6), (30.0, 0.0, 220e-6)])
def test_the_share_without_a_loop_is_that_of_the_circuit(ohms, henry, bank):
    """A source behind R and L, a bank, and a current that swings at 100 Hz: marched until it repeats."""
    share = open_share(50, ohms, max(henry, 1e-9), bank, 1)[0]

    def law(t, x):
        i, v = x
        return [(-ohms * i - v) / max(henry, 1e-6), (i - math.cos(200 * math.pi * t)) / bank]

    made = solve_ivp(law, (0, 0.6), [0, 0], method="LSODA", rtol=1e-9, atol=1e-9, dense_output=True)
    t = np.linspace(0.58, 0.6, 4001)
    current = made.sol(t)[0]
    assert np.abs(current).max() == pytest.approx(abs(share), rel=2e-3)
    assert link.passed_open(f_line=50, R=ohms, L=max(henry, 1e-9), C=bank) == pytest.approx(abs(share), rel=1e-9)


def test_a_square_wave_draws_nothing_but_a_mean_from_a_resistance():
    assert step_demand(1.0, 1.0) == ()
    assert step_flow(1.0, 1.0).peak == pytest.approx(1)
    assert step_flow(0.5, 1.0).peak == pytest.approx(math.sqrt(2), rel=1e-3)


@pytest.mark.parametrize(("fraction", "factor"), [(1.0, 0.8), (0.5, 1.0), (0.5, 0.75), (0.66, 0.9)])
def test_what_a_stepped_wave_draws_is_marched(fraction, factor):
    """R–L on the wave: its current over the link, bank ripple by summing charge, both against a march of many periods."""
    tan = math.sqrt(1 - factor**2) / factor
    steps = 20_000
    on = ((np.arange(2 * steps) % steps) + 0.5) / steps < fraction
    wave = np.where(np.arange(2 * steps) < steps, 1.0, -1.0) * on
    current = np.zeros(2 * steps)
    i = 0.0
    for _ in range(6):
        for n in range(2 * steps):
            i = wave[n] if tan < 1e-6 else i + (wave[n] - i) * (1 - math.exp(-math.pi / steps / tan))
            current[n] = i
    taken = (wave * current)[:steps]
    charge = np.cumsum(taken - taken.mean()) * math.pi / steps / taken.mean()
    found = drawn(step_demand(fraction, factor))
    assert found.swing == pytest.approx(2 * np.ptp(charge), rel=0.04)  # twelve multiples round its corners
    assert found.heat == pytest.approx(taken.std() / taken.mean(), rel=0.04)
    assert step_flow(fraction, factor).peak == pytest.approx(np.abs(current).max() / np.sqrt((current**2).mean()), rel=5e-3)


SCHOOLS = {
    "as proposed": {},
    "voltage, fast": {"controller.control": "voltage"},
    "voltage, slow": {"controller.control": "voltage", "controller.crossover": 10.0},
    "current, not fed forward": {"controller.control": "current", "controller.feed_forward": False},
    "no choke": {"rectifier.circuit": "bridge, no choke"},
}


@pytest.mark.parametrize("pins", SCHOOLS.values(), ids=list(SCHOOLS))
def test_the_scope_proves_the_share(pins, refuge, shelf):
    """Battery current, link ripple and choke of the sheet, against the whole chain marched with its loop."""
    worked = work_out(refuge.but(output={"loads": ("lamp",)}), pins, shelf, USUAL)
    made = record(bench_of(worked), "as designed", "steady", 8, "source, averaged")
    time = np.linspace(made.end - 0.02, made.end, 40_001)
    traces, now = made.probe(time), worked.settled["nominal"]
    amps = traces["source"]
    assert (amps**2).mean() / amps.mean() ** 2 == pytest.approx(now.swing.mean_square, rel=0.02)
    # a current that touches zero between its swings meets diodes that the averaged sheet does not follow
    assert amps.max() / amps.mean() == pytest.approx(now.swing.peak, rel=0.06 if now.swing.peak > 1.9 else 0.03)
    slow = np.fft.rfft(traces["link"][:-1])
    slow[40:] = 0
    assert np.ptp(np.fft.irfft(slow)) == pytest.approx(now.states["dc_link"].ripple, rel=0.03, abs=1.5)
    if traces["choke"].any() and "no choke" not in str(pins):
        assert traces["choke"].max() + now.states["rectifier"].ripple / 2 == pytest.approx(
            now.states["rectifier"].choke_peak, rel=0.05
        )


def test_two_schools_are_told_with_watts_ripple_and_dip(worked):
    slow, fast = worked.settled["nominal"].states["controller"].schools
    assert (slow.control, fast.control) == ("current", "voltage")
    assert slow.mean_square < 1.02 < 1.4 < fast.mean_square
    assert fast.watts / slow.watts == pytest.approx(fast.mean_square / slow.mean_square, rel=1e-9)
    assert slow.ripple > 10 * fast.ripple
    assert slow.dip > fast.dip
    assert slow.holds


def test_a_step_of_the_load_dips_the_link_as_its_charge_says():
    """The power is fed forward as its mean over half a period: marched, the bank gives what is missing until then."""
    power, bank, volts, line = 600.0, 470e-6, 380.0, 50.0
    current = power / volts
    t = np.linspace(0, 1 / (2 * line), 100_001)
    missing = current * (1 - t * 2 * line)
    dip = np.trapezoid(missing, t) / bank
    assert link.step_dip_fed(P=power, f_line=line, C=bank, V_dc=volts) == pytest.approx(dip, rel=1e-6)
    wanted = link.bank_for_step(P=power, S=700.0, kept=1.0, f_line=line, V_dc=volts, dV=30.0)
    fallen = link.step_dip_fed(P=power, f_line=line, C=wanted, V_dc=volts)
    half_ripple = link.ripple_kept(kept=1.0, S=700.0, f_line=line, C=wanted, V_dc=volts) / 2
    assert fallen + half_ripple == pytest.approx(30.0)
