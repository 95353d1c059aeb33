"""SciPy's solvers, loaded by who first uses one: the server hands on what others have worked out, and holds none of them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray


def root(function: Callable[[float], float], low: float, high: float, xtol: float = 2e-12, rtol: float = 8.9e-16) -> float:
    """Where a function turns its sign between two places. Raises: ValueError where it does not. Source: Brent 1973."""
    from scipy.optimize import brentq

    return float(brentq(function, low, high, xtol=xtol, rtol=rtol))


def integral(function: Callable[[float], float], low: float, high: float) -> float:
    """The integral of a function between two places, by adaptive quadrature."""
    from scipy.integrate import quad

    return float(quad(function, low, high)[0])


def marched(*asked: Any, **options: Any) -> Any:
    """An initial value problem, as SciPy's `solve_ivp` takes and answers it."""
    from scipy.integrate import solve_ivp

    return solve_ivp(*asked, **options)


def exponential(matrix: NDArray[Any]) -> NDArray[Any]:
    """The exponential of a square matrix."""
    from scipy.linalg import expm

    return np.asarray(expm(matrix))
