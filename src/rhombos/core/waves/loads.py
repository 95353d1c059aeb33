"""What may hang on the filter, as circuits for the engine: nothing, a resistance with inductance, a rectifier with its
capacitor."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from rhombos.core.waves.engine import Circuit, Guard, Mode

CURRENT, VOLTAGE, OWN = 0, 1, 2
"""Places of the inductor's current, the output voltage, and the load's own state."""


@dataclass(frozen=True, slots=True)
class Filter:
    """The filter between bridge and load: H, Ω (never zero), F."""

    inductance: float
    resistance: float
    capacitance: float


def _matrices(f: Filter) -> tuple[np.ndarray, np.ndarray]:
    """The filter with a third state that stands apart."""
    a = np.zeros((3, 3))
    a[CURRENT, CURRENT], a[CURRENT, VOLTAGE] = -f.resistance / f.inductance, -1 / f.inductance
    a[VOLTAGE, CURRENT] = 1 / f.capacitance
    a[OWN, OWN] = -1e3  # a load without a state of its own: it fades
    return a, np.array([1 / f.inductance, 0.0, 0.0])


def resistive(f: Filter, ohms: float, henries: float = 0.0) -> Circuit:
    """A resistance, with or without an inductance in series; an infinite one is no load. The own state is the load's
    current."""
    a, b = _matrices(f)
    if math.isfinite(ohms) and henries > 0:
        a[VOLTAGE, OWN] = -1 / f.capacitance
        a[OWN, VOLTAGE], a[OWN, OWN] = 1 / henries, -ohms / henries
    elif math.isfinite(ohms):
        a[VOLTAGE, VOLTAGE] = -1 / (ohms * f.capacitance)
    return Circuit((Mode(a, b, np.zeros(3)),))


@dataclass(frozen=True, slots=True)
class Rectifier:
    """A bridge rectifier with its capacitor: F; what it feeds, Ω; all resistance before it, Ω; the drop of its diodes, V."""

    capacitance: float
    load: float
    source: float
    drop: float


def rectifier_for(power: float, volts: float, line: float) -> Rectifier:
    """A usual adapter of a power, W, at an RMS voltage, V, and line, Hz: a fifth of the peak as ripple, 3 % of its impedance
    before it."""
    peak = math.sqrt(2) * volts
    mean = 0.9 * peak
    return Rectifier(power / (2 * line * mean * 0.2 * peak), mean**2 / power, 0.03 * volts**2 / power, 1.6)


def rectified(f: Filter, r: Rectifier) -> Circuit:
    """Off, and conducting either way; the own state is the capacitor's voltage."""
    a, b = _matrices(f)
    discharge = 1 / (r.load * r.capacitance)
    off = a.copy()
    off[OWN, OWN] = -discharge
    modes = [Mode(off, b, np.zeros(3), (
        Guard((0.0, -1.0, 1.0), 0.0, r.drop, 1), Guard((0.0, 1.0, 1.0), 0.0, r.drop, 2)))]  # fmt: skip
    for sign in (1.0, -1.0):  # i = (±v − v_c − drop)/R
        on = a.copy()
        on[VOLTAGE, VOLTAGE] = -1 / (r.source * f.capacitance)
        on[VOLTAGE, OWN] = sign / (r.source * f.capacitance)
        on[OWN, VOLTAGE] = sign / (r.source * r.capacitance)
        on[OWN, OWN] = -discharge - 1 / (r.source * r.capacitance)
        push = np.array([0.0, sign * r.drop / (r.source * f.capacitance), -r.drop / (r.source * r.capacitance)])
        modes.append(Mode(on, b, push, (Guard((0.0, sign, -1.0), 0.0, -r.drop, 0),)))
    return Circuit(tuple(modes))


def rectified_current(r: Rectifier, states: np.ndarray, modes: np.ndarray) -> np.ndarray:
    """Current into the rectifier, A, of states with their modes."""
    sign = np.where(modes == 1, 1.0, np.where(modes == 2, -1.0, 0.0))
    return np.asarray(sign * (sign * states[:, VOLTAGE] - states[:, OWN] - r.drop) / r.source)
