"""Loads straight on a wave with steps: between bridge and socket lie only resistance and leads, or a transformer's leakage.

The first state is the current out of the bridge; what stands at the socket follows from it. Where the source lets go between
its pulses (both switches of a push-pull off), an inductive load first gives back through their diodes, then floats.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from rhombos.core.waves.engine import Circuit, Guard, Mode
from rhombos.core.waves.loads import GONE, IronLoad, Load, Motor, Point, Rectifier, Row
from rhombos.core.waves.modulation import Array

NOTHING = 1e-6
"""A current that counts as none, A."""
CURRENT, OWN = 0, 1
"""Places of the current out of the bridge, and of the load's own first state."""


@dataclass(frozen=True, slots=True)
class Direct:
    """What lies between the bridge's voltage and the socket: Ω, H (never zero); `lets_go` is the level, V, to which the diodes
    of a source clamp that is open between pulses; 0 for a bridge that holds its output at zero then; `beyond`: the way lies
    beyond the socket, in the load's cord."""

    resistance: float
    inductance: float
    lets_go: float = 0.0
    beyond: bool = False


def _load(
    s: Direct,
    modes: tuple[Mode, ...],
    own: Mapping[str, tuple[str, str, int]],
    start: Row,
    more: Mapping[str, Point] | None = None,
    bridge: tuple[tuple[float, float], ...] = (),
) -> Load:
    """A load from its modes; `bridge` tells its voltage in each as d·u + e, V, where that is not the drive. What stands at the
    socket is that less R·i + L·di/dt."""
    size, n = modes[0].a.shape[0], len(modes)
    each, still = np.eye(size), (0.0,) * n
    bridge = bridge or ((1.0, 0.0),) * n

    def same(place: int, unit: str, label: str) -> Point:
        return Point(unit, label, (tuple(each[place]),) * n, still, still)

    points = {
        "bridge": Point("V", "bridge", ((0.0,) * size,) * n, tuple(d for d, _ in bridge), tuple(e for _, e in bridge)),
        "output": Point(
            "V",
            "at the socket",
            tuple(tuple(-s.resistance * each[CURRENT] - s.inductance * m.a[CURRENT]) for m in modes),
            tuple(d - s.inductance * float(m.b[CURRENT]) for m, (d, _) in zip(modes, bridge, strict=True)),
            tuple(e - s.inductance * float(m.f[CURRENT]) for m, (_, e) in zip(modes, bridge, strict=True)),
        ),
        "load": same(CURRENT, "A", "into the load"),
        **{name: same(place, unit, label) for name, (unit, label, place) in own.items()},
        **(more or {}),
    }
    if s.beyond:
        points["output"] = replace(points.pop("bridge"), label="at the socket")
    made = Load(Circuit(modes), points, start, kept=0)
    return _letting_go(made, s.lets_go) if s.lets_go else made


def resistive(s: Direct, ohms: float, henries: float = 0.0) -> Load:
    """A resistance with an inductance in series; an infinite one is no load."""
    if not np.isfinite(ohms):
        return _load(s, (Mode(np.array([[-GONE]]), np.zeros(1), np.zeros(1)),), {}, (0.0,))
    whole = s.inductance + henries
    return _load(s, (Mode(np.array([[-(s.resistance + ohms) / whole]]), np.array([1 / whole]), np.zeros(1)),), {}, (0.0,))


def rectified(s: Direct, r: Rectifier) -> Load:
    """Off, and conducting either way; the own state is the capacitor's voltage."""
    push, none = np.array([1 / s.inductance, 0.0]), np.zeros(2)
    off = np.diag([-GONE, -1 / (r.load * r.capacitance)])
    modes = [Mode(off, none, none, (Guard((0.0, 1.0), -1.0, r.drop, 1), Guard((0.0, 1.0), 1.0, r.drop, 2)))]
    for sign in (1.0, -1.0):
        on = np.array([[-(s.resistance + r.source) / s.inductance, -sign / s.inductance], [sign / r.capacitance, off[1, 1]]])
        modes.append(Mode(on, push, np.array([-sign * r.drop / s.inductance, 0.0]), (Guard((sign, 0.0), 0.0, -NOTHING, 0),)))
    return _load(s, tuple(modes), {"smoothing": ("V", "capacitor of the adapter", OWN)}, (0.0, 0.0))


def turning(s: Direct, m: Motor, slip: float) -> Load:
    """An induction motor at a slip; the first state is the stator's current, the own one the rotor's."""
    stator = s.inductance + m.leakage + m.magnetising
    coupled = np.array([[stator, -m.magnetising], [-m.magnetising, m.leakage + m.magnetising]])
    inverse = np.linalg.inv(coupled)
    a = inverse @ np.diag([-(s.resistance + m.resistance), -m.resistance / slip])
    return _load(
        s, (Mode(a, inverse[:, 0].copy(), np.zeros(2)),), {"rotor": ("A", "rotor, as the stator sees it", OWN)}, (0.0, 0.0)
    )


def iron_fed(s: Direct, t: IronLoad) -> Load:
    """A line transformer with what it feeds: unsaturated, and saturated either way; the own state is its core's linkage."""
    whole, modes = s.inductance + t.leakage, []
    magnetising: list[tuple[float, float]] = []
    for sign, henries in ((0.0, t.magnetising), (1.0, t.saturated), (-1.0, t.saturated)):
        inside, rest = 1 / henries, sign * t.knee * (1 / t.magnetising - 1 / henries)
        core = t.load * np.array([1.0, -inside])  # across the core: R_load·(i − i_m)
        a = np.array([(np.array([-(s.resistance + t.resistance), 0.0]) - core) / whole, core])
        guards = (
            (Guard((0.0, -1.0), 0.0, t.knee, 1), Guard((0.0, 1.0), 0.0, t.knee, 2))
            if sign == 0
            else (Guard((0.0, sign), 0.0, -t.knee, 0),)
        )
        modes.append(Mode(a, np.array([1 / whole, 0.0]), np.array([t.load * rest / whole, -t.load * rest]), guards))
        magnetising.append((inside, rest))
    drawn = Point("A", "magnetising", tuple((0.0, i) for i, _ in magnetising), (0.0,) * 3, tuple(r for _, r in magnetising))
    return _load(s, tuple(modes), {"flux": ("V*s", "flux linkage of the core", OWN)}, (0.0, 0.0), {"magnetising": drawn})


def shorted(s: Direct, ohms: float, trip: float, level: float) -> Load:
    """A short that trips the bridge at a current, A, either way; its diodes then turn the level, V, against it until it is
    gone for good."""
    rate, none = np.array([[-(s.resistance + ohms) / s.inductance]]), np.zeros(1)
    back = np.array([level / s.inductance])
    modes = (
        Mode(rate, np.array([1 / s.inductance]), none, (Guard((-1.0,), 0.0, trip, 1), Guard((1.0,), 0.0, trip, 2))),
        Mode(rate, none, -back, (Guard((1.0,), 0.0, 0.0, 3),), link=-1.0),
        Mode(rate, none, back, (Guard((-1.0,), 0.0, 0.0, 3),), link=1.0),
        Mode(np.array([[-GONE]]), none, none, link=0.0),
    )
    return _load(
        Direct(s.resistance, s.inductance), modes, {}, (0.0,), bridge=((1.0, 0.0), (0.0, -level), (0.0, level), (0.0, 0.0))
    )


DRIVEN, REVERSED, BACK, BACK_REVERSED, FLOATING = range(5)
"""What a source that lets go does with a load: drives it, either way; takes its current back, either way; nothing."""


def _letting_go(load: Load, level: float) -> Load:
    """The same load on a source that is open where its wave is zero, its diodes clamping to a level, V, either way."""
    modes, points = load.circuit.modes, load.points
    n, size, half = len(modes), load.circuit.size, level / 2
    nothing = (0.0,) * size
    on, off = Guard(nothing, 1.0, -half, BACK * n), Guard(nothing, -1.0, -half, BACK * n)
    found: list[Mode] = []
    for guard, role in ((on, DRIVEN), (off, REVERSED)):
        found += [Mode(m.a, m.b, m.f, (*_moved(m.guards, role * n), _at(guard, k))) for k, m in enumerate(modes)]
    up, down = Guard(nothing, -1.0, half, DRIVEN * n), Guard(nothing, 1.0, half, REVERSED * n)
    for sign, role, after in ((1.0, BACK, BACK_REVERSED), (-1.0, BACK_REVERSED, FLOATING)):
        gone = (sign, *nothing[1:])
        for k, m in enumerate(modes):
            base = _moved(tuple(Guard(g.c, 0.0, g.e - sign * level * g.d, g.to) for g in m.guards), role * n)
            guards = (Guard(gone, 0.0, -NOTHING, after * n + k), _at(up, k), _at(down, k), *base)
            found.append(Mode(m.a, m.b, m.f, guards, link=-sign, clamp=level))
    rows: list[tuple[Array, float]] = []
    for k, m in enumerate(modes):
        # with no current the drive would have to be what keeps it so: u = −(A₀·x + f₀)/b₀
        steered = abs(float(m.b[CURRENT])) > 0
        row = -m.a[CURRENT] / m.b[CURRENT] if steered else np.zeros(size)
        rest = -float(m.f[CURRENT]) / float(m.b[CURRENT]) if steered else 0.0
        rows.append((row, rest))
        a, f = m.a + np.outer(m.b, row), m.f + m.b * rest
        a[CURRENT], f[CURRENT] = -GONE * np.eye(size)[CURRENT], 0.0
        base = _moved(
            tuple(Guard(tuple(np.array(g.c) + g.d * row), 0.0, g.e + g.d * rest, g.to) for g in m.guards), FLOATING * n
        )
        # where the load would lift the source beyond its clamp, the diodes conduct again
        beyond = (
            Guard(tuple(-row), 0.0, level - rest, BACK_REVERSED * n + k),
            Guard(tuple(row), 0.0, level + rest, BACK * n + k),
        )
        found.append(Mode(a, np.zeros(size), f, (_at(up, k), _at(down, k), *beyond, *base), link=0.0))
    return Load(Circuit(tuple(found)), {name: _everywhere(p, rows) for name, p in points.items()}, load.start, 0)


def _moved(guards: tuple[Guard, ...], by: int) -> tuple[Guard, ...]:
    return tuple(_at(g, by) for g in guards)


def _at(guard: Guard, by: int) -> Guard:
    return Guard(guard.c, guard.d, guard.e, guard.to + by)


def _everywhere(p: Point, rows: list[tuple[Array, float]]) -> Point:
    """How a point is read in each role of the source."""
    still = (0.0,) * len(p.d)
    floating = tuple(tuple(np.array(c) + d * row) for c, d, (row, _) in zip(p.c, p.d, rows, strict=True))
    rest = tuple(e + d * r for e, d, (_, r) in zip(p.e, p.d, rows, strict=True))
    return Point(p.unit, p.label, (*p.c * 4, *floating), (*p.d * 4, *still), (*p.e * 4, *rest))
