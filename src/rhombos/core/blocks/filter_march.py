"""Loads at the crest behind a sine bridge on a source: the whole circuit, marched to its periodic state.

The balance of harmonics in `filter_flow` takes the rail for a resistance to their pulses and bends them a little; on a weak
source that is some hundredths off. Here rail, bridge, filter and load go together, step by step, once a point stands.
"""

from __future__ import annotations

import cmath
import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from rhombos.core.blocks.filter_flow import ODD, Flow, Way, signs, sized
from rhombos.core.waves.crest import BEFORE, DIODES, RIPPLE_CAPACITY, TAKEN
from rhombos.core.waves.pulsation import MOST_TERMS

Array = NDArray[np.float64]
STEPS = 256
"""Steps of half a line period."""
ENDS: Array = (np.arange(STEPS) + 1) * math.pi / STEPS
"""Angles at which steps end, from the modulation's rise through zero."""
MOST_HALVES, AT_REST = 25, 1e-6
"""Half periods at most until the state repeats, and how far it may then still be off, over the output's peak."""
LEAST_LAG = 1e-3
"""Reactance over resistance below which a load has none."""
TRIES, NEAR = 6, 5e-4
"""Sizes of adapter, modulation and source that are tried until power, output and rail are those asked for, and how near."""
TURNED = np.array([-1.0, -1.0, -1.0, -1.0, 1.0, 1.0, 1.0])
"""What half a period makes of inductor, output, load and magnetising current: the other way about; smoothing capacitor, rail
and source stay."""
LEAST_LEADS = 1e-9
"""Inductance that all leads have, H."""


@dataclass(frozen=True, slots=True)
class Feed:
    """What stands before the bridge: its mean voltage, V; a source's resistance, Ω, and leads, H, beside a bank, F; the share
    that the diodes' drop of an adapter is of what it is at the socket (a transformer steps it down), and what a transformer
    takes to be magnetised, RMS, A."""

    mean: float
    resistance: float
    leads: float
    bank: float
    stepped: float
    magnetising: float


@dataclass(frozen=True, slots=True)
class _Tried:
    """Over its own size: adapter, modulation, open voltage of the source."""

    larger: float
    index: float
    source: float


def marched_flow(way: Way, feed: Feed, index: float, power: float, near: Flow) -> Flow | None:
    """What `flow` says, from the marched circuit, at a modulation index for an adapter that takes a power, W; `near` is what
    the balance of harmonics made of it. None where the state does not repeat."""
    assert way.added is not None
    tried = _Tried(1 / way.added.taken, index, feed.mean + feed.resistance * way.voltage * way.in_phase / feed.mean)
    begin = _begin(way)
    for _ in range(TRIES):
        made = _steps(way, feed, power * tried.larger, tried)
        rested = _at_rest(made, way, begin, feed.stepped)
        if rested is None:
            return None
        states, ways, begin = rested
        inductor, output, lag, _, held, rail, _ = states
        over = np.maximum(0.0, ways * output - held - feed.stepped * DIODES)
        pulses = ways * over * power * tried.larger / (BEFORE * way.voltage**2)
        first = _phasor(output, 1)
        taken, volts, mean = float((output * pulses).mean()), abs(first) / math.sqrt(2), tried.source + float(rail.mean())
        level, stands = way.voltage / volts, feed.mean / mean
        if max(abs(power / taken - 1), abs(level - 1), abs(stands - 1)) < NEAR:
            break
        # the output goes with modulation and rail, what an adapter takes with its square
        tried = _Tried(tried.larger * power / taken / level**2, tried.index * level / stands, tried.source + feed.mean - mean)
    else:
        return None
    linear = _linear(way)
    load = pulses + (lag if linear.imag else linear.real * output)
    return _told(tried, feed, (inductor, output, load, rail), near)


def _linear(way: Way) -> complex:
    """What the loads beside the adapter take, over the voltage: in phase, and behind as the imaginary part, S."""
    at = complex(way.linear[0])  # at three times the line: 1/(r + 3jx)
    if at == 0:
        return 0j
    r, x = (1 / at).real, (1 / at).imag / 3
    return complex(r, x if x > LEAST_LAG * r else 0.0) / (r * r + x * x)


def _steps(way: Way, feed: Feed, watts: float, tried: _Tried) -> dict[float, Array]:
    """What each step makes of the states, by the way the rectifier conducts; shape (steps, 8, 8), the last state is one.

    Source: the third-order step of Radau's rule, (1 + z/3)/(1 − 2z/3 + z²/6), which damps what is faster than a step.
    """
    omega, size = 2 * math.pi * way.frequency, watts / way.voltage**2
    linear, leads, m = _linear(way), max(LEAST_LEADS, feed.leads), tried.index * np.sin(ENDS - math.pi / (2 * STEPS))
    made = {}
    for sign in (0.0, 1.0, -1.0):
        a = np.zeros((STEPS, 8, 8))
        a[:, 0, 0], a[:, 0, 1] = -way.ohms / way.henry, -1 / way.henry
        a[:, 0, 5], a[:, 0, 7] = m / way.henry, m * tried.source / way.henry
        a[:, 1, 0], a[:, 1, 2], a[:, 1, 3] = 1 / way.farad, -1 / way.farad, -1 / way.farad
        if linear.imag:  # in series: R + jωL of what the loads take
            across = 1 / linear.conjugate()
            a[:, 2, 1], a[:, 2, 2] = omega / across.imag, -omega * across.real / across.imag
        else:
            a[:, 1, 1] -= linear.real / way.farad
        a[:, 3, 1] = omega * feed.magnetising / way.voltage
        smoothing, before = RIPPLE_CAPACITY * size / omega, BEFORE / size
        a[:, 4, 4] = -TAKEN * size / smoothing
        if sign:
            a[:, 1, 1] -= 1 / (before * way.farad)
            a[:, 1, 4] += sign / (before * way.farad)
            a[:, 1, 7] += sign * feed.stepped * DIODES / (before * way.farad)
            a[:, 4, 1] += sign / (before * smoothing)
            a[:, 4, 4] -= 1 / (before * smoothing)
            a[:, 4, 7] -= feed.stepped * DIODES / (before * smoothing)
        a[:, 5, 0], a[:, 5, 6] = -m / feed.bank, 1 / feed.bank
        a[:, 6, 5], a[:, 6, 6] = -1 / leads, -feed.resistance / leads
        z = a * (math.pi / STEPS / omega)
        one = np.eye(8)
        made[sign] = np.asarray(np.linalg.solve(one - 2 * z / 3 + z @ z / 6, one + z / 3), dtype=np.float64)
    return made


def _begin(way: Way) -> Array:
    """A guess of the states where the modulation rises through zero: as if the load were linear."""
    peak = math.sqrt(2) * way.voltage
    return np.array([-math.sqrt(2) * way.behind, 0.0, 0.0, 0.0, 0.9 * peak, 0.0, 0.0])


def _at_rest(made: dict[float, Array], way: Way, begin: Array, stepped: float) -> tuple[Array, Array, Array] | None:
    """Half a period at rest: the states after each step, as rows; which way each step conducted; how it begins."""
    drop, amps, volts = stepped * DIODES, way.in_phase + abs(way.behind), way.voltage
    scale = np.array([amps, volts, amps, amps, volts, volts, amps])
    for _ in range(MOST_HALVES):
        state, kept, signs, makes = np.append(begin, 1.0), np.empty((STEPS, 8)), np.empty(STEPS), np.eye(8)
        for k in range(STEPS):
            level = state[4] + drop
            sign = 1.0 if state[1] > level else -1.0 if -state[1] > level else 0.0
            step = made[sign][k]
            state, makes = step @ state, step @ makes
            kept[k], signs[k] = state, sign
        off = TURNED * begin - state[:7]
        if float(np.abs(off / scale).max()) < AT_REST:
            return kept[:, :7].T, signs, begin
        begin = begin + np.linalg.solve(makes[:7, :7] - np.diag(TURNED), off)
    return None


def _phasor(half: Array, order: int) -> complex:
    """A harmonic of samples of half a period that stand at the ends of its steps: the phasor of a sine."""
    return complex(2j * np.mean(half * np.exp(-1j * order * ENDS)))


def _told(tried: _Tried, feed: Feed, waves: tuple[Array, Array, Array, Array], near: Flow) -> Flow:
    """The marched waves (inductor, output, load, rail) as a flow."""
    inductor, output, load, rail = waves
    first = _phasor(output, 1)
    turned = first / abs(first)
    harmonics = np.array([_phasor(output, int(n)) / turned**n for n in ODD]) / abs(first)
    drives = tried.index * np.sin(ENDS)
    made = abs(_phasor(drives * (tried.source + rail), 1)) / (tried.index * feed.mean)
    power = made * feed.mean * drives * inductor
    demand = tuple(complex(2 * np.mean(power * np.exp(-2j * n * ENDS))) for n in range(1, MOST_TERMS + 1))
    return replace(
        near,
        demand=demand,
        made=made,
        pulsed=harmonics[:2] - near.swung,
        others=float(np.linalg.norm(harmonics[2:])),
        carried=inductor,
        angles=ENDS + cmath.phase(first),
        load=sized(load),
        signs=signs(inductor, ENDS + cmath.phase(first)),
    )
