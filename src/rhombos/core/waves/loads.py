"""What may hang on the filter, as circuits for the engine, each with the points at which it can be probed."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from rhombos.core.units.solvers import root
from rhombos.core.waves.engine import Circuit, Guard, Mode, Run
from rhombos.core.waves.modulation import Array
from rhombos.core.waves.steady import FilterCircuit

CURRENT, VOLTAGE, OWN = 0, 1, 2
"""Places of the inductor's current, the output voltage, and the first of the load's own states."""
Row = tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Filter:
    """The filter between bridge and load: H, Ω (never zero), F; inductance of a transformer's iron beside the capacitor, H, if
    there is one."""

    inductance: float
    resistance: float
    capacitance: float
    magnetising: float | None = None


@dataclass(frozen=True)
class Point:
    """A place to probe: its unit, what people call it, and how it is read: in each mode, c·x + d·u + e."""

    unit: str
    label: str
    c: tuple[Row, ...]
    d: Row
    e: Row


@dataclass(frozen=True)
class Load:
    """Filter and load as one circuit, where it can be probed, and the own states that it is switched on with; the first
    `kept` states are the filter's, which outlive a change of load."""

    circuit: Circuit
    points: Mapping[str, Point]
    start: Row = field(default=())
    kept: int = 2

    def probe(self, made: Run, time: Array) -> dict[str, Array]:
        """Every point at times of a run, s."""
        at = np.minimum(time, made.end)
        step = np.clip(np.searchsorted(made.times, at, side="right") - 1, 0, None)
        modes, drive, states = made.modes[step], made.drive[step], made.at(at)
        return {name: read(point, states, drive, modes) for name, point in self.points.items()}


def read(point: Point, states: Array, drive: Array, modes: NDArray[np.int64]) -> Array:
    """What stands at a point, for states, shape (times, states), with their drive and modes."""
    rows = np.array(point.c)[modes]
    return np.asarray(np.einsum("ij,ij->i", rows, states) + np.array(point.d)[modes] * drive + np.array(point.e)[modes])


def _filter(f: Filter, own: int) -> tuple[Array, Array]:
    """The empty filter's matrices, with room for a load's own states."""
    inner, push = FilterCircuit(f.inductance, f.resistance, f.capacitance, math.inf).matrices()
    a = np.zeros((2 + own, 2 + own))
    a[:2, :2] = inner
    return a, np.concatenate([push, np.zeros(own)])


def _taken(a: Array, f: Filter, row: Array) -> Array:
    """The filter's matrix with a load's current, a row of the states, taken from its capacitor."""
    a = a.copy()
    a[VOLTAGE] -= row / f.capacitance
    return a


def loaded(
    f: Filter,
    modes: tuple[Mode, ...],
    load: tuple[tuple[Array, float], ...],
    own: Mapping[str, tuple[str, str, int]],
    start: Row = (),
) -> Load:
    """A load from its modes, and its current in each as a row of the states and a constant, A.

    `own` names the load's own states: unit, label, place.
    """
    size = modes[0].a.shape[0]
    each = tuple(np.eye(size))

    def same(n: int, unit: str, label: str) -> Point:
        zero = (0.0,) * len(modes)
        return Point(unit, label, (tuple(each[n]),) * len(modes), zero, zero)

    still = (0.0,) * len(modes)
    points = {
        "bridge": Point(
            "V",
            "bridge",
            ((0.0,) * size,) * len(modes),
            tuple(float(m.b[CURRENT]) * f.inductance for m in modes),
            tuple(float(m.f[CURRENT]) * f.inductance for m in modes),
        ),
        "inductor": same(CURRENT, "A", "inductor"),
        "shunt": Point(
            "A", "filter capacitor", tuple(tuple(each[CURRENT] - row) for row, _ in load), still, tuple(-e for _, e in load)
        ),
        "output": same(VOLTAGE, "V", "at the socket"),
        "load": Point("A", "into the load", tuple(tuple(row) for row, _ in load), still, tuple(e for _, e in load)),
    }
    points |= {name: same(place, unit, label) for name, (unit, label, place) in own.items()}
    return Load(Circuit(modes), points, start)


IRON_FADES = 0.2
"""Time constant in which what magnetises a transformer loses a mean, s: copper's part in its winding."""


def magnetised(load: Load, f: Filter) -> Load:
    """The same with the current that magnetises the filter's transformer, if it has one, as a state of the filter's own."""
    if f.magnetising is None:
        return load
    henry = f.magnetising

    def wide(row: Array | Row) -> Array:
        return np.asarray(np.insert(np.asarray(row, dtype=float), OWN, 0.0))

    def mode(m: Mode) -> Mode:
        a = np.insert(np.insert(m.a, OWN, 0.0, axis=0), OWN, 0.0, axis=1)
        a[OWN, VOLTAGE], a[OWN, OWN], a[VOLTAGE, OWN] = 1 / henry, -1 / IRON_FADES, -1 / f.capacitance
        guards = tuple(replace(g, c=tuple(wide(g.c))) for g in m.guards)
        return replace(m, a=a, b=wide(m.b), f=wide(m.f), guards=guards)

    points = {name: replace(p, c=tuple(tuple(wide(row)) for row in p.c)) for name, p in load.points.items()}
    beside = [np.array(row) for row in points["shunt"].c]
    for row in beside:
        row[OWN] -= 1.0
    points["shunt"] = replace(points["shunt"], c=tuple(tuple(row) for row in beside))
    return Load(Circuit(tuple(mode(m) for m in load.circuit.modes)), points, load.start, load.kept + 1)


def resistive(f: Filter, ohms: float, henries: float = 0.0) -> Load:
    """A resistance, with or without an inductance in series, whose current is then its own state; an infinite one is no
    load."""
    a, b = FilterCircuit(f.inductance, f.resistance, f.capacitance, ohms, henries).matrices()
    size = b.size
    row = np.zeros(size)
    if size > OWN:
        row[OWN] = 1.0
    elif math.isfinite(ohms):
        row[VOLTAGE] = 1 / ohms
    return loaded(f, (Mode(a, b.astype(float), np.zeros(size)),), ((row, 0.0),), {}, (0.0,) * (size - OWN))


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


def rectified(f: Filter, r: Rectifier) -> Load:
    """Off, and conducting either way; the own state is the capacitor's voltage."""
    a, b = _filter(f, 1)
    a[OWN, OWN] = -1 / (r.load * r.capacitance)
    none = np.zeros(3)
    modes = [Mode(a, b, none, (Guard((0.0, -1.0, 1.0), 0.0, r.drop, 1), Guard((0.0, 1.0, 1.0), 0.0, r.drop, 2)))]
    currents = [(none, 0.0)]
    for sign in (1.0, -1.0):  # i = (v ∓ v_c ∓ drop)/R
        row, rest = np.array([0.0, 1.0, -sign]) / r.source, -sign * r.drop / r.source
        on = _taken(a, f, row)
        on[OWN] += sign * row / r.capacitance
        push = np.array([0.0, -rest / f.capacitance, sign * rest / r.capacitance])
        modes.append(Mode(on, b, push, (Guard((0.0, sign, -1.0), 0.0, -r.drop, 0),)))
        currents.append((row, rest))
    return loaded(f, tuple(modes), tuple(currents), {"smoothing": ("V", "capacitor of the adapter", OWN)}, (0.0,))


def mixed(f: Filter, r: Rectifier, ohms: float, henries: float) -> Load:
    """A rectifier with its capacitor beside a series R–L: off, and conducting either way; the own states are the R–L's current
    and the capacitor's voltage."""
    held = OWN + 1
    a, b = _filter(f, 2)
    linear, none = np.array([0.0, 0.0, 1.0, 0.0]), np.zeros(4)
    a = _taken(a, f, linear)
    a[OWN] = np.array([0.0, 1.0, -ohms, 0.0]) / henries
    a[held, held] = -1 / (r.load * r.capacitance)
    modes = [Mode(a, b, none, (Guard((0.0, -1.0, 0.0, 1.0), 0.0, r.drop, 1), Guard((0.0, 1.0, 0.0, 1.0), 0.0, r.drop, 2)))]
    currents = [(linear, 0.0)]
    for sign in (1.0, -1.0):
        row, rest = np.array([0.0, 1.0, 0.0, -sign]) / r.source, -sign * r.drop / r.source
        on = _taken(a, f, row)
        on[held] += sign * row / r.capacitance
        push = np.array([0.0, -rest / f.capacitance, 0.0, sign * rest / r.capacitance])
        modes.append(Mode(on, b, push, (Guard((0.0, sign, 0.0, -1.0), 0.0, -r.drop, 0),)))
        currents.append((linear + row, rest))
    return loaded(f, tuple(modes), tuple(currents), {"smoothing": ("V", "capacitor of the adapter", held)}, (0.0, 0.0))


LOCKED, LOCKED_FACTOR = 5.0, 0.45
"""Current of a motor that does not turn yet, over its running one, and its power factor."""
RUNNING_FACTOR = 0.8
"""Power factor that a motor's running current is counted with."""
MAGNETISING = 2.0
"""Magnetising reactance of a small motor, over its rated impedance."""


@dataclass(frozen=True, slots=True)
class Motor:
    """Stator and rotor, the rotor as seen from the stator: each Ω and H, alike; magnetising inductance, H."""

    resistance: float
    leakage: float
    magnetising: float

    def impedance(self, slip: float, line: float) -> complex:
        """At a slip and a line frequency, Hz, Ω."""
        omega = 2j * math.pi * line
        rotor = self.resistance / slip + omega * self.leakage
        across = omega * self.magnetising
        return self.resistance + omega * self.leakage + rotor * across / (rotor + across)

    def slip_for(self, power: float, volts: float, line: float) -> float:
        """The slip at which it takes a power, W, at an RMS voltage, V."""

        def beyond(slip: float) -> float:
            return (volts**2 / self.impedance(slip, line)).real - power

        return root(beyond, 1e-4, 0.3) if beyond(0.3) > 0 else 0.3


def motor_for(power: float, volts: float, line: float) -> Motor:
    """A usual induction motor: five times its current at a power factor of 0.45 while it stands.

    One rotating field, as a motor with a run capacitor has it. Source: the equivalent circuit of any text on machines.
    """
    rated = volts**2 / (power / RUNNING_FACTOR)
    magnetising = MAGNETISING * rated / (2 * math.pi * line)
    aim = rated / LOCKED * complex(LOCKED_FACTOR, math.sqrt(1 - LOCKED_FACTOR**2))
    r, x = aim.real / 2, aim.imag / 2
    for _ in range(30):  # the magnetising path takes a little beside the rotor
        off = Motor(r, x / (2 * math.pi * line), magnetising).impedance(1.0, line) - aim
        r, x = r - off.real / 2, x - off.imag / 2
    return Motor(r, x / (2 * math.pi * line), magnetising)


def turning(f: Filter, m: Motor, slip: float) -> Load:
    """An induction motor at a slip; its own states are the currents of stator and rotor."""
    a, b = _filter(f, 2)
    row = np.array([0.0, 0.0, 1.0, 0.0])
    a = _taken(a, f, row)
    coupled = np.array([[m.leakage + m.magnetising, -m.magnetising], [-m.magnetising, m.leakage + m.magnetising]])
    drops = np.array([[0.0, 1.0, -m.resistance, 0.0], [0.0, 0.0, 0.0, -m.resistance / slip]])
    a[OWN:] = np.linalg.solve(coupled, drops)
    return loaded(
        f, (Mode(a, b, np.zeros(4)),), ((row, 0.0),), {"rotor": ("A", "rotor, as the stator sees it", OWN + 1)}, (0.0, 0.0)
    )


@dataclass(frozen=True, slots=True)
class IronLoad:
    """A line transformer with what it feeds, seen from its primary: resistance, Ω, and leakage, H, before the core;
    magnetising inductance, H, up to a flux linkage, V·s, and beyond it; load, Ω."""

    resistance: float
    leakage: float
    magnetising: float
    knee: float
    saturated: float
    load: float


def iron_load_for(power: float, volts: float, line: float) -> IronLoad:
    """A usual transformer of a power, W: 4 % resistance, 5 % leakage reactance, a tenth of its current to magnetise, the knee a
    quarter above its working flux, and then a fiftieth of the inductance."""
    rated, omega = volts**2 / power, 2 * math.pi * line
    return IronLoad(
        0.04 * rated, 0.05 * rated / omega, 10 * rated / omega, 1.25 * math.sqrt(2) * volts / omega, 0.2 * rated / omega, rated
    )


def iron_fed(f: Filter, t: IronLoad) -> Load:
    """Unsaturated, and saturated either way; the own states are the current into the primary and the core's flux linkage."""
    a, b = _filter(f, 2)
    flux = OWN + 1
    row = np.array([0.0, 0.0, 1.0, 0.0])
    a = _taken(a, f, row)
    modes, none = [], np.zeros(4)
    for sign, henries in ((0.0, t.magnetising), (1.0, t.saturated), (-1.0, t.saturated)):
        # i_m = λ/L, and beyond the knee ±λ_k/L_m + (λ ∓ λ_k)/L_s; dλ/dt = R_load·(i − i_m)
        inside, rest = 1 / henries, sign * t.knee * (1 / t.magnetising - 1 / henries)
        on = a.copy()
        core = t.load * np.array([0.0, 0.0, 1.0, -inside])
        on[flux] = core
        on[OWN] = (np.array([0.0, 1.0, -t.resistance, 0.0]) - core) / t.leakage
        push = none.copy()
        push[flux], push[OWN] = -t.load * rest, t.load * rest / t.leakage
        guards = (
            (Guard((0.0, 0.0, 0.0, -1.0), 0.0, t.knee, 1), Guard((0.0, 0.0, 0.0, 1.0), 0.0, t.knee, 2))
            if sign == 0
            else (Guard((0.0, 0.0, 0.0, sign), 0.0, -t.knee, 0),)
        )
        modes.append(Mode(on, b, push, guards))
    made = loaded(f, tuple(modes), ((row, 0.0),) * 3, {"flux": ("V*s", "flux linkage of the core", flux)}, (0.0, 0.0))
    magnetising = Point(
        "A",
        "magnetising",
        tuple((0.0, 0.0, 0.0, 1 / (t.magnetising if n == 0 else t.saturated)) for n in range(3)),
        (0.0,) * 3,
        tuple(sign * t.knee * (1 / t.magnetising - 1 / t.saturated) for sign in (0.0, 1.0, -1.0)),
    )
    return Load(made.circuit, {**made.points, "magnetising": magnetising}, made.start)


def shorted(f: Filter, ohms: float, trip: float, v_link: float) -> Load:
    """A short that trips the bridge at a current, A, either way; its diodes then turn the link, V, against the inductor until
    the current is gone for good."""
    bare = resistive(f, ohms).circuit.modes[0]
    back, none = v_link / f.inductance, np.zeros(2)
    still = bare.a.copy()
    still[CURRENT] = (-GONE, 0.0)
    modes = (
        Mode(bare.a, bare.b, none, (Guard((-1.0, 0.0), 0.0, trip, 1), Guard((1.0, 0.0), 0.0, trip, 2))),
        Mode(bare.a, none, np.array([-back, 0.0]), (Guard((1.0, 0.0), 0.0, 0.0, 3),), link=-1.0),
        Mode(bare.a, none, np.array([back, 0.0]), (Guard((-1.0, 0.0), 0.0, 0.0, 3),), link=1.0),
        Mode(still, none, none, link=0.0),
    )
    return loaded(f, modes, ((np.array([0.0, 1 / ohms]), 0.0),) * 4, {})


GONE = 1e6
"""Rate at which what is left of a current that diodes have ended fades, 1/s."""
