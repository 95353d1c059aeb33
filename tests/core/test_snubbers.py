"""Snubbers and clamps: found from what is measured, checked against the circuit itself."""

import math

import pytest
from pydantic import ValidationError
from scipy.integrate import solve_ivp

from rhombos.core.benches.snubbers import Clamped, Peak, Ring, TurnOff, clamp, damper, peak_detector, turn_off
from rhombos.core.units.quantities import parse


def line(answer, start):
    return next(x for x in answer.lines if x.startswith(start))


def value(answer, start, unit):
    return parse(line(answer, start).removeprefix(start).strip().split(",")[0], unit)


def test_a_ring_measured_twice_gives_back_the_circuit():
    leak, stray, added = 120e-9, 900e-12, 1e-9
    bare, slowed = (1 / (2 * math.pi * math.sqrt(leak * c)) for c in (stray, stray + added))
    found = damper(Ring(bare=bare, added=added, slowed=slowed, volts=60, frequency=50e3))
    assert value(found, "stray capacitance", "F") == pytest.approx(stray, rel=6e-3)
    assert value(found, "stray inductance", "H") == pytest.approx(leak, rel=6e-3)
    resistor = parse(line(found, "damper").split("+")[0].removeprefix("damper"), "ohm")
    assert resistor == pytest.approx(math.sqrt(leak / stray), rel=0.1)


def test_the_damper_burns_its_capacitor_filled_and_emptied():
    found = damper(Ring(bare=8e6, added=1e-9, slowed=5e6, volts=60, frequency=50e3))
    capacitor = parse(line(found, "damper").split("+")[1], "F")
    assert value(found, "burns", "W") == pytest.approx(capacitor * 60**2 * 50e3, rel=6e-3)


def test_a_clamp_burns_what_the_charge_it_takes_brings():
    """The leakage's current ramps down against level minus reflected; its charge lands at the clamp's level."""
    leak, amps, rate, level, rests = 0.9e-6, 14.0, 60e3, 95.0, 60.0
    ramp = leak * amps / (level - rests)
    charge = amps * ramp / 2
    found = clamp(Clamped(leakage=leak, current=amps, frequency=rate, reflected=rests, level=level, ripple=5))
    assert value(found, "burns", "W") == pytest.approx(charge * level * rate, rel=6e-3)
    assert "the leakage alone 5.29 W" in line(found, "burns")


def test_a_turn_off_snubber_keeps_its_resistor_between_two_bounds():
    found = turn_off(TurnOff(current=10, fall=80e-9, volts=48, frequency=50e3, shortest=3e-6, most=40))
    resistor, capacitor = value(found, "resistor", "ohm"), value(found, "capacitor", "F")
    assert 48 / 30 <= resistor <= 3e-6 / (3 * capacitor)
    # while the current falls in a straight line, the capacitor has just reached the voltage at its end
    run = solve_ivp(lambda t, v: [10 * t / 80e-9 / (10 * 80e-9 / (2 * 48))], (0, 80e-9), [0.0], rtol=1e-9)
    assert run.y[0, -1] == pytest.approx(48, rel=1e-6)
    assert capacitor >= 10 * 80e-9 / (2 * 48)


def test_where_no_resistor_fits_it_says_so():
    found = turn_off(TurnOff(current=10, fall=2e-6, volts=48, frequency=50e3, shortest=0.2e-6, most=12))
    assert "no resistor fits" in found.lines[1]


def test_a_peak_detector_decays_between_peaks_and_after_a_step():
    asked = Peak(resistor=100e3, capacitor=1e-6, frequency=100, fall=3, peak=10)
    found = peak_detector(asked)
    run = solve_ivp(lambda t, v: [-v[0] / 0.1], (0, 0.2), [10.0], rtol=1e-10, atol=1e-12, dense_output=True)
    assert value(found, "ripple", "V") == pytest.approx(10 - run.sol(0.01)[0], rel=6e-3)
    follow = value(found, "follows the step in", "s")
    assert run.sol(follow)[0] == pytest.approx(7, rel=6e-3)


@pytest.mark.parametrize(
    ("model", "fields", "told"),
    [
        (Ring, {"bare": 5e6, "added": 1e-9, "slowed": 6e6, "volts": 60, "frequency": 5e4}, "must slow the ring"),
        (TurnOff, {"current": 10, "fall": 1e-7, "volts": 48, "frequency": 5e4, "shortest": 3e-6, "most": 9}, "must exceed"),
        (Clamped, {"leakage": 1e-6, "current": 10, "frequency": 5e4, "reflected": 60, "level": 55, "ripple": 5}, "never rests"),
        (Peak, {"resistor": 1e5, "capacitor": 1e-6, "frequency": 100, "fall": 12, "peak": 10}, "cannot step down"),
    ],
)
def test_what_cannot_be_is_refused_with_a_remedy(model, fields, told):
    with pytest.raises(ValidationError, match=told):
        model(**fields)
