"""A damped ring against a general ODE solver."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhombos.core.waves.ring import step_overshoot


@pytest.mark.parametrize(("ratio", "resistor"), [(3.0, 1.0), (1.0, 0.7), (10.0, 2.0), (0.5, 1.5)])
def test_overshoot_agrees_with_an_ode_solver(ratio, resistor):
    def slope(_, x):
        current, node, damper = x
        through = (node - damper) / resistor
        return [1 - node, current - through, through / ratio]

    found = solve_ivp(slope, (0, 15), [0, 0, 0], rtol=1e-9, atol=1e-11, max_step=0.01)
    assert step_overshoot(ratio, resistor) == pytest.approx(found.y[1].max(), rel=1e-4)


def test_without_a_damper_a_step_rings_to_twice_its_height():
    assert step_overshoot(0.0) == 2.0
    assert step_overshoot(1e-6, 1.0) == pytest.approx(2.0, abs=1e-3)


def test_a_larger_damper_rings_less():
    peaks = [step_overshoot(r) for r in (0.5, 1, 2, 4, 8)]
    assert peaks == sorted(peaks, reverse=True)


def test_impossible_dampers_are_refused():
    with pytest.raises(ValueError, match="positive"):
        step_overshoot(3.0, 0.0)
    assert np.isfinite(step_overshoot(3.0, 100.0))
