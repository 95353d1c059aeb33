"""Switched circuits solved exactly between edges: linear in each of their modes, driven by steps, with diodes that open and
close when their own voltage or current says so."""

from __future__ import annotations

import cmath
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from rhombos.core.units.solvers import root
from rhombos.core.waves.modulation import Steps, WaveError

Array = NDArray[np.float64]
Complex = NDArray[np.complex128]
MOST_EVENTS = 8
"""Changes of mode within one step of the drive, after which it is taken as it is: a circuit that chatters says no more."""
TOUCH = 1e-9
"""A guard's value so small that it counts as none: a mode begins where the guard of the last one ended."""
CLEARLY = 1e-3
"""A guard so far below zero, V or A, has turned, whichever way it moves: no rounding of an event leaves so much."""
_Guard = tuple[list[complex], float, float, int]


@dataclass(frozen=True)
class Guard:
    """What a mode watches: it holds while c·x + d·u + e stays positive; then `to` takes over."""

    c: tuple[float, ...]
    d: float
    e: float
    to: int


@dataclass(frozen=True)
class Mode:
    """ẋ = A·x + B·u + F, with the drive u, until a guard of it turns.

    `link` is the share of the first state, a current, that this mode draws from the rail behind the drive; None where the
    drive's own level says it. `clamp`: it is pushed by that share of the rail, whatever the drive's level; V, where there is no
    rail that sags.
    """

    a: Array
    b: Array
    f: Array
    guards: tuple[Guard, ...] = ()
    link: float | None = None
    clamp: float | None = None

    def pushed_by(self, level: float, stands: float | None) -> float:
        """What pushes it, V, where the drive has a level, V, and the rail, if there is one that sags, stands at so much."""
        if self.clamp is None or self.link is None:
            return level
        return self.link * (self.clamp if stands is None else stands)


class Rail(Protocol):
    """A supply that sags."""

    def stands(self, at: float, width: float, current: float, share: float) -> float:
        """Its voltage, V, for a step of a width, s, that begins now, the first state being so much, A, of which it gives a
        share."""
        ...


@dataclass(frozen=True)
class Circuit:
    """The modes of one circuit; all have the same states."""

    modes: tuple[Mode, ...]

    @property
    def size(self) -> int:
        """How many states there are."""
        return int(self.modes[0].a.shape[0])


class _Modal:
    """A mode in the coordinates in which its states do not see one another."""

    def __init__(self, mode: Mode) -> None:
        rates, vectors = np.linalg.eig(mode.a.astype(complex))
        # a state that never changes (a rate of zero) is let decay within an age of the universe: no division by zero
        rates = np.where(np.abs(rates) < 1e-12, -1e-12, rates)
        inverse = np.linalg.inv(vectors)
        self.rates, self.vectors, self.inverse = rates, vectors, inverse
        self.drive = (inverse @ mode.b.astype(complex)) / rates
        self.still = (inverse @ mode.f.astype(complex)) / rates
        self.guards = [([complex(x) for x in np.array(g.c) @ vectors], g.d, g.e, g.to) for g in mode.guards]
        self.list_rates = [complex(x) for x in rates]
        self.list_drive = [complex(x) for x in self.drive]
        self.list_still = [complex(x) for x in self.still]
        self.first = [complex(x) for x in vectors[0]]
        self.link = mode.link


@dataclass(frozen=True)
class Run:
    """What a circuit did: at each time, s, the mode and the state that begin there, and the drive until the next."""

    times: Array
    states: Array
    modes: NDArray[np.int64]
    drive: Array
    end: float
    circuit: Circuit

    @property
    def last(self) -> Array:
        """The state at the end."""
        return np.asarray(self.at(np.array([self.end]))[0])

    def at(self, time: Array) -> Array:
        """States at any times within the run, shape (times, states), exact."""
        place = np.clip(np.searchsorted(self.times, time, side="right") - 1, 0, self.times.size - 1)
        found = np.empty((time.size, self.circuit.size))
        for which, mode in enumerate(self.circuit.modes):
            here = np.flatnonzero(self.modes[place] == which)
            if not here.size:
                continue
            modal = _Modal(mode)
            began = self.states[place[here]] @ modal.inverse.T
            grown = np.exp(np.outer(time[here] - self.times[place[here]], modal.rates))
            pushed = self.drive[place[here]][:, None] * modal.drive + modal.still
            found[here] = np.real((grown * began + (grown - 1) * pushed) @ modal.vectors.T)
        return found


def run(
    circuit: Circuit, times: Array, levels: Array, end: float, start: Array, mode: int = 0, rail: Rail | None = None
) -> Run:
    """March from edge to edge; `times` (from 0) and `levels` are the drive's. Events in between are found by root search.

    With a rail, levels are shares of what it gives. Raises: ValueError for a start of the wrong size.
    """
    if start.shape != (circuit.size,):
        raise ValueError(f"the circuit has {circuit.size} states, the start has {start.size}")
    modal = [_Modal(m) for m in circuit.modes]
    lasting = np.diff(times, append=end)
    grown = [np.exp(np.outer(lasting, m.rates)).tolist() for m in modal]
    marks: list[float] = []
    kept: list[list[complex]] = []
    seen: list[int] = []
    driven: list[float] = []
    z = [complex(x) for x in modal[mode].inverse @ start.astype(complex)]
    for at, level, width, *rows in zip(times.tolist(), levels.tolist(), lasting.tolist(), *grown, strict=True):
        here, left, factors, stands = at, width, rows[mode], None
        if rail:
            m = modal[mode]
            current = sum((c * x).real for c, x in zip(m.first, z, strict=True))
            stands = rail.stands(at, width, current, level if m.link is None else m.link)
            level *= stands
        for _ in range(MOST_EVENTS):
            m = modal[mode]
            marks.append(here)
            kept.append(z)
            seen.append(mode)
            drive = circuit.modes[mode].pushed_by(level, stands)
            driven.append(drive)
            pushed = [d * drive + s for d, s in zip(m.list_drive, m.list_still, strict=True)]
            after = [e * x + (e - 1) * p for e, x, p in zip(factors, z, pushed, strict=True)]
            found = _event(m, z, pushed, after, level, left)
            if found is None:
                z = after
                break
            when, to = found
            z = _later(m, z, pushed, when)
            z = [complex(v) for v in modal[to].inverse @ np.real(m.vectors @ np.array(z)).astype(complex)]
            mode, here, left = to, here + when, max(0.0, left - when)
            factors = [cmath.exp(r * left) for r in modal[mode].list_rates]
        else:  # it chatters: the rest of the step in the mode that it has come to
            m, drive = modal[mode], circuit.modes[mode].pushed_by(level, stands)
            pushed = [d * drive + s for d, s in zip(m.list_drive, m.list_still, strict=True)]
            z = _later(m, z, pushed, left)
    states = np.empty((len(marks), circuit.size))
    order = np.array(seen)
    for which, m in enumerate(modal):
        rows_here = np.flatnonzero(order == which)
        if rows_here.size:
            states[rows_here] = np.real(np.array([kept[i] for i in rows_here]) @ m.vectors.T)
    return Run(np.array(marks), states, order, np.array(driven), end, circuit)


def _value(guard: _Guard, z: Sequence[complex], level: float) -> float:
    c, d, e, _ = guard
    return sum((x * y).real for x, y in zip(c, z, strict=True)) + d * level + e


def _event(
    m: _Modal, z: list[complex], pushed: list[complex], after: list[complex], level: float, left: float
) -> tuple[float, int] | None:
    """The first guard that turns within a stretch: when, s from its start, and the mode that follows; None where all hold.

    A guard below zero at the end has turned. One that dips and comes back shows by its slope: down at the start, steeply enough
    to get there, and up at the end.
    """
    first: tuple[float, int] | None = None
    for guard in m.guards:

        def value(when: float, g: _Guard = guard) -> float:
            return _value(g, _later(m, z, pushed, when), level)

        def slope(when: float, g: _Guard = guard) -> float:
            return _slope(m, g, _later(m, z, pushed, when), pushed)

        begins, down, since, until = value(0.0), slope(0.0), 0.0, left
        if _value(guard, after, level) >= 0:
            if down >= 0 or begins + down * left >= 0 or slope(left) <= 0:
                continue
            until = _crossing(slope, 0.0, left)
            if value(until) >= 0:
                continue
        if begins <= TOUCH:
            if down <= 0 or begins < -CLEARLY:  # turned already, as the drive stepped
                return 0.0, guard[3]
            if slope(until) >= 0:
                continue
            since = _crossing(slope, 0.0, until)  # it has only just come here: it rises first
        when = _crossing(value, since, until)
        if first is None or when < first[0]:
            first = when, guard[3]
    return first


def _crossing(f: Callable[[float], float], since: float, until: float) -> float:
    """Where a function changes its sign between two times; the end at which it is nearer zero where rounding hides the
    change."""
    first, last = f(since), f(until)
    if first * last >= 0:
        return since if abs(first) <= abs(last) else until
    return root(f, since, until, xtol=1e-15, rtol=1e-13)


def _later(m: _Modal, z: list[complex], pushed: list[complex], when: float) -> list[complex]:
    """The state a little later in the same mode."""
    return [cmath.exp(r * when) * (x + p) - p for r, x, p in zip(m.list_rates, z, pushed, strict=True)]


def _slope(m: _Modal, guard: _Guard, z: Sequence[complex], pushed: list[complex]) -> float:
    """How fast a guard's value changes at a state."""
    return sum((c * r * (x + p)).real for c, r, x, p in zip(guard[0], m.list_rates, z, pushed, strict=True))


def stretch(wave: Steps, first: float, last: float) -> tuple[Array, Array]:
    """Times, from 0, and levels of a periodic wave between two moments, s."""
    periods = np.arange(math.floor(first / wave.period), math.ceil(last / wave.period) + 1)
    times = (periods[:, None] * wave.period + wave.times).ravel() - first
    levels = np.tile(wave.levels, periods.size)
    begun = int(np.searchsorted(times, TOUCH * wave.period, side="right")) - 1
    inside = slice(begun + 1, int(np.searchsorted(times, last - first)))
    return np.concatenate([[0.0], times[inside]]), np.concatenate([levels[begun : begun + 1], levels[inside]])


def repeated(wave: Steps, periods: int) -> tuple[Array, Array, float]:
    """Times, levels and end of a periodic wave played several times over."""
    starts = np.arange(periods)[:, None] * wave.period
    return (starts + wave.times).ravel(), np.tile(wave.levels, periods), periods * wave.period


def steady(circuit: Circuit, wave: Steps, guess: Array | None = None, mode: int = 0, tolerance: float = 1e-9) -> Run:
    """One period of the periodic state, by shooting: the start that comes back to itself, found by Newton's rule.

    Raises: WaveError where it does not settle.
    """
    times, levels, end = repeated(wave, 1)
    x = np.zeros(circuit.size) if guess is None else guess.astype(float)
    for _ in range(4):  # let it come near first: the mode it starts in settles too
        first = run(circuit, times, levels, end, x, mode)
        x, mode = first.last, int(first.modes[-1])
    scale = np.maximum(np.abs(first.states).max(axis=0), 1e-9)
    for _ in range(MOST_SHOTS):
        shot = run(circuit, times, levels, end, x, mode)
        miss = shot.last - x
        if np.max(np.abs(miss) / scale) < tolerance:
            return shot
        slope = np.empty((circuit.size, circuit.size))
        for n in range(circuit.size):
            step = NUDGE * scale[n]
            nudged = x.copy()
            nudged[n] += step
            slope[:, n] = (run(circuit, times, levels, end, nudged, mode).last - shot.last) / step
        x = x + np.linalg.solve(np.eye(circuit.size) - slope, miss)
    raise WaveError("the circuit does not come to rest from period to period; give it a load that takes something")


MOST_SHOTS = 25
NUDGE = 1e-4
