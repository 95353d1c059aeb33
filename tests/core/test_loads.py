"""What may hang on the filter: currents that sum, loads that behave as what they are called, whatever their size."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rhombos.core.waves.engine import run, steady, stretch
from rhombos.core.waves.loads import (
    Filter,
    iron_fed,
    iron_load_for,
    motor_for,
    rectified,
    rectifier_for,
    resistive,
    shorted,
    turning,
)
from rhombos.core.waves.modulation import unipolar

FILTER = Filter(1.8e-3, 0.3, 3.3e-6)
WAVE = unipolar(0.9, 370.0, 9e3, 50.0)
WATTS = st.floats(20.0, 2000.0)


def every_load(watts):
    motor = motor_for(watts, 230.0, 50.0)
    return {
        "nothing": resistive(FILTER, math.inf),
        "resistance": resistive(FILTER, 230.0**2 / watts),
        "inductive": resistive(FILTER, 0.8 * 230.0**2 / watts, 0.6 * 230.0**2 / watts / 314),
        "adapter": rectified(FILTER, rectifier_for(watts, 230.0, 50.0)),
        "standing motor": turning(FILTER, motor, 1.0),
        "running motor": turning(FILTER, motor, motor.slip_for(watts, 230.0, 50.0)),
        "iron": iron_fed(FILTER, iron_load_for(watts, 230.0, 50.0)),
    }


def played(load, periods=1, start=None):
    times, levels = stretch(WAVE, 0.0, 0.02 * periods)
    state = np.concatenate([np.zeros(2), load.start]) if start is None else start
    return run(load.circuit, times, levels, 0.02 * periods, state)


@pytest.mark.parametrize("name", list(every_load(400.0)))
def test_the_filters_currents_sum_at_its_node(name):
    """What the inductor brings, the capacitor and the load take; the capacitor's is C·dv/dt of the voltage that is probed."""
    load = every_load(400.0)[name]
    made = played(load)
    t = np.linspace(1e-4, 0.0199, 4001)
    seen = load.probe(made, t)
    assert seen["inductor"] == pytest.approx(seen["shunt"] + seen["load"], abs=1e-9)
    step = 1e-8
    rate = (load.probe(made, t + step)["output"] - load.probe(made, t - step)["output"]) / (2 * step)
    still = np.min(np.abs(t[:, None] - made.times[None, :]), axis=1) > 2 * step
    assert seen["shunt"][still] == pytest.approx(FILTER.capacitance * rate[still], abs=2e-3 * np.abs(seen["shunt"]).max())


@pytest.mark.parametrize("name", list(every_load(400.0)))
def test_the_inductor_integrates_what_stands_across_it(name):
    load = every_load(400.0)[name]
    made = played(load)
    t = np.unique(np.concatenate([np.linspace(0, 0.02, 40_001), made.times, np.clip(made.times - 1e-12, 0, 1)]))
    seen = load.probe(made, t)
    across = seen["bridge"] - seen["output"] - FILTER.resistance * seen["inductor"]
    assert seen["inductor"][-1] - seen["inductor"][0] == pytest.approx(np.trapezoid(across, t) / FILTER.inductance, abs=0.01)


@given(WATTS)
@settings(max_examples=8, deadline=None)
def test_an_adapter_of_any_size_peaks_alike_and_holds_its_ripple(watts):
    load = rectified(FILTER, rectifier_for(watts, 230.0, 50.0))
    shot = steady(load.circuit, WAVE, np.array([0.0, 0.0, 290.0]))
    seen = load.probe(shot, np.linspace(0, 0.02, 8000, endpoint=False))
    rms = math.sqrt(np.mean(seen["load"] ** 2))
    assert 2.0 < np.abs(seen["load"]).max() / rms < 3.6
    assert 0.06 < np.ptp(seen["smoothing"]) / (math.sqrt(2) * 230) < 0.25
    assert seen["smoothing"].min() > 0


@given(WATTS, st.floats(0.02, 0.9))
@settings(max_examples=25, deadline=None)
def test_a_motor_draws_more_the_slower_it_turns(watts, slip):
    motor = motor_for(watts, 230.0, 50.0)
    assert abs(motor.impedance(slip, 50.0)) > abs(motor.impedance(min(1.0, slip + 0.05), 50.0))
    assert motor.impedance(slip, 50.0).imag > 0


@given(WATTS)
@settings(max_examples=10, deadline=None)
def test_a_running_motor_takes_its_power_at_a_small_slip(watts):
    motor = motor_for(watts, 230.0, 50.0)
    slip = motor.slip_for(watts, 230.0, 50.0)
    assert 0.005 < slip < 0.15
    z = motor.impedance(slip, 50.0)
    assert 0.6 < z.real / abs(z) < 0.95


def test_iron_within_its_knee_is_linear_and_beyond_it_a_fiftieth():
    iron = iron_load_for(400.0, 230.0, 50.0)
    load = iron_fed(FILTER, iron)
    point = load.points["magnetising"]
    inside = [sum(c * x for c, x in zip(point.c[0], (0, 0, 0, flux), strict=True)) + point.e[0] for flux in (0.1, iron.knee)]
    assert inside[1] / inside[0] == pytest.approx(iron.knee / 0.1)
    beyond = [
        sum(c * x for c, x in zip(point.c[1], (0, 0, 0, flux), strict=True)) + point.e[1]
        for flux in (iron.knee, iron.knee + 0.1)
    ]
    assert beyond[0] == pytest.approx(inside[1])
    assert (beyond[1] - beyond[0]) / 0.1 == pytest.approx(50 * iron.knee / iron.magnetising / iron.knee, rel=0.01)


def test_iron_switched_on_at_a_zero_rushes_and_at_rest_hardly_magnetises():
    """Flux then runs to twice its peak: the first half period draws many times the current at rest."""
    load = iron_fed(FILTER, iron_load_for(400.0, 230.0, 50.0))
    t = np.linspace(0, 0.02, 20_001)
    first = load.probe(played(load), t)
    rest = load.probe(steady(load.circuit, WAVE, np.zeros(4)), np.clip(t, 0, 0.02 - 1e-9))
    assert np.abs(first["magnetising"]).max() > 10 * np.abs(rest["magnetising"]).max()
    assert np.abs(first["flux"]).max() > 1.4 * np.abs(rest["flux"]).max()


@pytest.mark.parametrize("sign", [1, -1])
def test_a_short_trips_either_way_and_ends_at_nothing(sign):
    load = shorted(FILTER, 0.05, 15.0, 370.0)
    shifted = unipolar(0.9, 370.0, 9e3, 50.0)
    begin = 0.005 if sign > 0 else 0.015
    times, levels = stretch(shifted, begin, begin + 0.01)
    made = run(load.circuit, times, levels, 0.01, np.array([sign * 4.0, sign * 300.0]))
    seen = load.probe(made, np.linspace(0, 0.01, 20_001))
    assert sign * seen["inductor"][np.argmax(np.abs(seen["inductor"]))] == pytest.approx(15.0, rel=2e-3)
    assert abs(seen["inductor"][-1]) < 1e-3
    assert 3 in made.modes
