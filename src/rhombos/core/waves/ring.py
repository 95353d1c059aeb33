"""Ringing of a stray inductance with a stray capacitance, bare or damped by a series RC."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

POINTS = 401


@lru_cache(maxsize=256)
def step_overshoot(capacitor_ratio: float, resistor_ratio: float = 1.0) -> float:
    """Peak over the step, when a step drives L into C with a damper R–C_d across C.

    Args: capacitor_ratio = C_d/C (0 is no damper); resistor_ratio = R/√(L/C), above 0.
    Returns: peak voltage over step voltage; 2 without damper. Raises: ValueError for ratios out of range.
    Source: the third-order circuit solved exactly by its eigenvalues.
    """
    if capacitor_ratio < 0 or resistor_ratio <= 0:
        raise ValueError("the damper's ratios must be positive")
    if capacitor_ratio == 0:
        return 2.0
    g = 1 / resistor_ratio
    # states: inductor current, node voltage, damper capacitor; time in √(LC), voltage in steps
    system = np.array([[0, -1, 0], [1, -g, g], [0, g / capacitor_ratio, -g / capacitor_ratio]])
    rest = np.array([0.0, 1.0, 1.0])
    values, vectors = np.linalg.eig(system)
    weights = np.linalg.solve(vectors, (-rest).astype(complex))
    time = np.linspace(0, 4 * np.pi, POINTS)
    node = 1 + np.real((np.exp(np.outer(time, values)) * (weights * vectors[1])).sum(axis=1))
    at = int(np.argmax(node))
    if not 0 < at < POINTS - 1:
        return float(node[at])
    before, top, after = node[at - 1 : at + 2]
    return float(top + (before - after) ** 2 / (8 * (2 * top - before - after)))  # the parabola through the three
