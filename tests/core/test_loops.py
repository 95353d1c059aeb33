"""Loop margins against python-control, which knows nothing of this code."""

import math

import control
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rhombos.core.control.loops import Compensator, Plant, answers, compensate, margins, rests, stable

PLANTS = {
    "voltage, resistive load": Plant(120.0, 2.8e-3, 0.5, 440e-6, 0.06, 240.0, 15e3),
    "voltage, constant power": Plant(120.0, 2.8e-3, 0.5, 440e-6, 0.06, -240.0, 15e3),
    "voltage, light choke": Plant(150.0, 1.2e-3, 3.0, 1e-3, 0.06, -85.0, math.inf),
    "current, fed forward": Plant(1.6, 2.8e-3, 0.0, 440e-6, 0.06, math.inf, 15e3, programmed=True, follows=17e3),
    "current, constant power": Plant(1.6, 2.8e-3, 0.0, 440e-6, 0.06, -240.0, 15e3, programmed=True, follows=17e3),
}
LOOPS = [(name, crossover) for name in PLANTS for crossover in ((10.0, 40.0) if "current" in name else (300.0, 1250.0))]


def of_control(plant: Plant, c: Compensator):
    s = control.tf("s")
    output = 1 / (1 / (plant.esr + 1 / (s * plant.bank)) + (0 if math.isinf(plant.load) else 1 / plant.load))
    stage = (
        plant.gain * output / (1 + s / (2 * math.pi * plant.follows))
        if plant.programmed
        else (plant.gain * output / (output + plant.path + s * plant.inductance))
    )
    if not math.isinf(plant.pole):
        stage = stage / (1 + s / (2 * math.pi * plant.pole))
    around = 1 / (1 / (c.r2 + 1 / (s * c.c1)) + s * c.c2)
    feeding = 1 / c.r1 + (1 / (c.r3 + 1 / (s * c.c3)) if c.r3 > 0 else 0)
    return control.minreal(stage * around * feeding, verbose=False)


@pytest.mark.parametrize(("name", "crossover"), LOOPS)
def test_crossover_and_margin_are_those_of_an_independent_library(name, crossover):
    plant = PLANTS[name]
    made = compensate(plant, crossover, 60.0, 470e3)
    loop = of_control(plant, made)
    _, phases, _, _, at, _ = control.stability_margins(loop, returnall=True)
    found = margins(plant, made)
    assert found.crossover == pytest.approx(max(at) / (2 * math.pi), rel=5e-3)
    assert abs(found.phase) == pytest.approx(min(abs(p) for p in phases), abs=0.5)
    closed = control.feedback(loop, 1)
    steady = bool(np.all(np.real(control.poles(closed)) < 0))
    assert stable(plant, made) == steady
    assert (found.phase > 0) == steady


@pytest.mark.parametrize("name", list(PLANTS))
def test_an_exact_design_lands_where_it_aims(name):
    """Venable's K factor: gain one and the wanted phase at the crossover, from the compensator's own circuit."""
    plant = PLANTS[name]
    crossover = 12.0 if plant.programmed else 900.0
    loop = of_control(plant, compensate(plant, crossover, 60.0, 470e3))
    value = loop(2j * math.pi * crossover)
    assert abs(value) == pytest.approx(1, rel=1e-3)
    assert math.degrees(np.angle(-value)) == pytest.approx(60, abs=0.5)


def test_too_much_gain_is_told_as_unstable():
    plant = PLANTS["voltage, resistive load"]
    good = compensate(plant, 1250.0, 60.0, 470e3)
    wild = Compensator(good.r1 / 300, good.r2, good.c1, good.c2, good.r3, good.c3)
    assert margins(plant, wild).phase < margins(plant, good).phase
    loop = of_control(plant, wild)
    assert stable(plant, wild) == bool(np.all(np.real(control.poles(control.feedback(loop, 1))) < 0))


@pytest.mark.parametrize("name", list(PLANTS))
def test_the_share_that_passes_is_what_the_closed_loop_lets_through(name):
    """By node analysis: a current drawn from the link, what the bank gives, and what the choke then must."""
    plant = PLANTS[name]
    made = compensate(plant, 10.0 if plant.programmed else 900.0, 60.0, 470e3)
    s = 2j * math.pi * 100.0
    loop = complex(of_control(plant, made)(s))
    bank = plant.esr + 1 / (s * plant.bank)
    admittance = 1 / bank + (0 if math.isinf(plant.load) else 1 / plant.load)
    if not plant.programmed:
        admittance += 1 / (plant.path + s * plant.inductance)
    volts = -1 / admittance / (1 + loop)
    (share,), (swing,) = answers(plant, made, 50.0, 1)
    assert swing == pytest.approx(volts, rel=1e-6)
    assert share == pytest.approx(1 + volts / bank, rel=1e-6)


@given(
    st.lists(
        st.one_of(
            st.floats(-50, 50).filter(lambda x: abs(x) > 1e-3).map(lambda x: (x,)),
            st.tuples(st.floats(-50, 50).filter(lambda x: abs(x) > 1e-3), st.floats(0.1, 100)),
        ),
        min_size=1,
        max_size=4,
    )
)
def test_a_polynomial_rests_when_its_roots_lie_left(factors):
    """Built from its roots, real ones and pairs."""
    whole = np.array([1.0])
    for f in factors:
        whole = np.convolve(whole, [1.0, -f[0]] if len(f) == 1 else [1.0, -2 * f[0], f[0] ** 2 + f[1] ** 2])
    for sign in (1, -3):
        assert rests((sign * whole).tolist()) == all(f[0] < 0 for f in factors)


def test_a_root_on_the_axis_does_not_rest():
    assert not rests([1.0, 0.0])
    assert not rests([1.0, 0.0, 4.0])
    assert not rests([1.0, 1.0, 4.0, 4.0])
