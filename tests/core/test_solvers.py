"""The solvers that are loaded when first used: against closed forms; and what the server holds of them."""

import math
import subprocess
import sys

import numpy as np
import pytest

from rhombos.core.units.solvers import exponential, integral, marched, root


def test_a_root_is_found_as_finely_as_asked():
    assert root(lambda x: x * x - 2, 0, 2) == pytest.approx(math.sqrt(2), rel=1e-12)
    assert abs(root(lambda x: math.cos(x) - x, 0, 1, xtol=1e-3) - 0.7390851332151607) < 2e-3
    with pytest.raises(ValueError):
        root(lambda x: x * x + 1, 0, 1)


def test_a_charge_is_the_integral_of_its_current():
    assert integral(lambda t: 3 * math.exp(-t / 0.2), 0, 1) == pytest.approx(0.6 * (1 - math.exp(-5)), rel=1e-9)


def test_a_bank_discharges_by_its_exponential():
    found = marched(lambda t, v: [-v[0] / 0.1], (0, 0.3), [10.0], rtol=1e-9, atol=1e-12)
    assert found.y[0, -1] == pytest.approx(10 * math.exp(-3), rel=1e-6)


def test_a_rotation_is_the_exponential_of_its_rate():
    turned = exponential(np.array([[0.0, -0.7], [0.7, 0.0]]))
    assert turned == pytest.approx(np.array([[math.cos(0.7), -math.sin(0.7)], [math.sin(0.7), math.cos(0.7)]]), rel=1e-12)


def test_the_server_holds_no_solver():
    told = subprocess.run(
        [sys.executable, "-c", "import sys, rhombos.api.app; print([m for m in sys.modules if m.startswith('scipy')])"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert told.stdout.strip() == "[]"
