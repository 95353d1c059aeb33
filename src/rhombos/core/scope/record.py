"""Recordings: a filter and its load marched through an event, piece by piece, and probes laid on what came of it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from rhombos.core.report import Operating
from rhombos.core.waves.engine import Circuit, Guard, Mode, Run, repeated, run, steady
from rhombos.core.waves.loads import (
    CURRENT,
    OWN,
    VOLTAGE,
    Filter,
    Rectifier,
    rectified,
    rectified_current,
    rectifier_for,
    resistive,
)  # fmt: skip
from rhombos.core.waves.modulation import Array, Steps, unipolar

LoadName = Literal["as designed", "none", "adapter", "lamp, cold", "motor, starting"]
EventName = Literal["steady", "soft start", "load step", "short circuit"]
RAMP = 6
"""Line periods of a soft start."""
BEFORE = 2
"""Line periods before a step of the load or a short."""
COLD, WARMING = 12.0, 0.06
"""Hot over cold resistance of a filament, and how fast it warms, s: usual lamps."""
LOCKED, LOCKED_FACTOR = 5.0, 0.45
"""Current of a motor that does not turn yet, over its running one, and its power factor."""
SHORT = 0.05
"""Resistance of a short circuit with its leads, Ω."""
QUARTER = 0.25
FIRST_INDEX = 0.02


@dataclass(frozen=True)
class Piece:
    """A run from a moment on, s, with what it takes to tell the load's current."""

    begin: float
    run: Run
    load: Rectifier | None
    ohms: float


@dataclass(frozen=True)
class Record:
    """Pieces that follow one another, from 0 to `end`, s; when the bridge was tripped, if it was."""

    pieces: tuple[Piece, ...]
    end: float
    line: float
    carrier: float
    tripped: float | None = None

    def edges(self, first: float, last: float) -> Array:
        """Moments at which anything switches, s."""
        found = np.concatenate([p.run.times + p.begin for p in self.pieces])
        return np.asarray(found[(found >= first) & (found <= last)])

    def probe(self, time: Array) -> dict[str, Array]:
        """Every trace at given times, s: V, A, W."""
        names = ("output", "inductor", "load", "bridge", "capacitor", "power")
        found = {n: np.empty(time.size) for n in names}
        begins = np.array([p.begin for p in self.pieces])
        place = np.clip(np.searchsorted(begins, time, side="right") - 1, 0, begins.size - 1)
        for n, piece in enumerate(self.pieces):
            here = np.flatnonzero(place == n)
            if not here.size:
                continue
            at = np.minimum(time[here] - piece.begin, piece.run.end)
            x = piece.run.at(at)
            step = np.clip(np.searchsorted(piece.run.times, at, side="right") - 1, 0, None)
            modes = piece.run.modes[step]
            volts = x[:, VOLTAGE]
            if piece.load:
                amps = rectified_current(piece.load, x, modes)
            elif math.isinf(piece.ohms):
                amps = np.zeros(at.size)
            elif piece.ohms > 0:
                amps = volts / piece.ohms
            else:  # a load with inductance: its own state is its current
                amps = x[:, OWN]
            found["output"][here], found["inductor"][here], found["load"][here] = volts, x[:, CURRENT], amps
            found["bridge"][here] = _bridge(piece.run.circuit, modes, piece.run.drive[step])
            found["capacitor"][here] = x[:, OWN] if piece.load else 0.0
            found["power"][here] = volts * amps
        return found


def _bridge(circuit: Circuit, modes: NDArray[np.int64], drive: Array) -> Array:
    """What drives the inductor, V: the drive, or the link against it where only the bridge's diodes conduct."""
    driven = np.array([m.b[CURRENT] for m in circuit.modes])
    held = np.array([m.f[CURRENT] for m in circuit.modes])
    return np.asarray((driven[modes] * drive + held[modes]) / driven[0])


@dataclass(frozen=True)
class Bench:
    """What is recorded: the operating point, the power asked, W, the voltage, V, and the current at which the bridge trips,
    A."""

    at: Operating
    power: float
    volts: float
    trip: float

    @property
    def filter(self) -> Filter:
        """Between bridge and load, everything referred to the socket."""
        return Filter(self.at.inductance, max(self.at.resistance, 1e-3), self.at.capacitance)

    def wave(self, index: float) -> Steps:
        """One line period of the bridge's voltage, V."""
        return unipolar(min(1.0, index), self.at.v_link, self.at.carrier, self.at.line)


def _load(bench: Bench, name: LoadName, since: float = 0.0) -> tuple[Circuit, Rectifier | None, float]:
    """The circuit of a load, its rectifier if it has one, and its resistance: 0 where the load's own state is its current.

    `since` is how long the load has been on, s.
    """
    f, at = bench.filter, bench.at
    if name == "none":
        return resistive(f, math.inf), None, math.inf
    if name == "adapter":
        r = rectifier_for(bench.power, bench.volts, at.line)
        return rectified(f, r), r, math.nan
    if name == "lamp, cold":
        ohms = bench.volts**2 / bench.power / (1 + (COLD - 1) * math.exp(-since / WARMING))
        return resistive(f, ohms), None, ohms
    if name == "motor, starting":
        impedance = bench.volts**2 / (bench.power / 0.8) / LOCKED
        ohms = impedance * LOCKED_FACTOR
        return resistive(f, ohms, impedance * math.sqrt(1 - LOCKED_FACTOR**2) / (2 * math.pi * at.line)), None, 0.0
    if at.load_inductance > 0 and math.isfinite(at.load_resistance):
        return resistive(f, at.load_resistance, at.load_inductance), None, 0.0
    return resistive(f, at.load_resistance), None, at.load_resistance


@lru_cache(maxsize=8)
def record(bench: Bench, load: LoadName, event: EventName, periods: int) -> Record:
    """The event with the load over so many line periods; the last few are remembered. Raises: ValueError where nothing
    settles."""
    if event == "steady":
        circuit, r, ohms = _load(bench, load, since=10.0)
        settled = steady(circuit, bench.wave(bench.at.index), _guess(bench, r))
        times, levels, end = repeated(bench.wave(bench.at.index), periods)
        made = run(circuit, times, levels, end, settled.states[0], int(settled.modes[0]))
        return Record((Piece(0.0, made, r, ohms),), end, bench.at.line, bench.at.carrier)
    if event == "soft start":
        return _soft_start(bench, load, periods)
    if event == "short circuit":
        return _short(bench, load, periods)
    return _step(bench, load, periods)


def _guess(bench: Bench, r: Rectifier | None) -> Array:
    return np.array([0.0, 0.0, 0.9 * math.sqrt(2) * bench.volts if r else 0.0])


def _soft_start(bench: Bench, load: LoadName, periods: int) -> Record:
    circuit, r, ohms = _load(bench, load)
    pieces: list[Piece] = []
    state, mode, period = np.zeros(3), 0, 1 / bench.at.line
    for n in range(periods):
        index = max(FIRST_INDEX, bench.at.index * min(1.0, (n + 1) / RAMP))
        if load == "lamp, cold":
            circuit, r, ohms = _load(bench, load, since=n * period)
        wave = bench.wave(index)
        made = run(circuit, wave.times, wave.levels, period, state, mode)
        pieces.append(Piece(n * period, made, r, ohms))
        state, mode = made.last, int(made.modes[-1])
    return Record(tuple(pieces), periods * period, bench.at.line, bench.at.carrier)


def _step(bench: Bench, load: LoadName, periods: int) -> Record:
    """Nothing at first, then the load at the crest, where it hurts most."""
    empty, _, infinite = _load(bench, "none")
    settled = steady(empty, bench.wave(bench.at.index))
    period = 1 / bench.at.line
    times, levels, _ = repeated(bench.wave(bench.at.index), BEFORE + 1)
    crest = (BEFORE + QUARTER) * period
    first = run(empty, times[times < crest], levels[times < crest], crest, settled.states[0])
    pieces = [Piece(0.0, first, None, infinite)]
    shifted = _turned(bench.wave(bench.at.index), QUARTER * period)
    left = max(1, periods - BEFORE)
    _played(bench, load, pieces, crest, first.last, shifted, left)
    return Record(tuple(pieces), crest + left * period, bench.at.line, bench.at.carrier)


def _turned(wave: Steps, by: float) -> Steps:
    """The same wave, begun later in its period by so much, s."""
    moved = np.mod(wave.times - by, wave.period)
    order = np.argsort(moved, kind="stable")
    times, levels = moved[order], wave.levels[order]
    if times[0] > 0:
        times, levels = np.concatenate([[0.0], times]), np.concatenate([levels[-1:], levels])
    return Steps(wave.period, times, levels)


def _played(
    bench: Bench, load: LoadName, pieces: list[Piece], begin: float, state: Array, wave: Steps, periods: int
) -> None:  # fmt: skip
    """Put a load on at a moment and go on with a wave; a filament warms from quarter to quarter."""
    state = np.array([state[CURRENT], state[VOLTAGE], 0.0])
    if load != "lamp, cold":
        circuit, r, ohms = _load(bench, load)
        times, levels, end = repeated(wave, periods)
        pieces.append(Piece(begin, run(circuit, times, levels, end, state), r, ohms))
        return
    part = QUARTER * wave.period
    for n in range(4 * periods):
        circuit, r, ohms = _load(bench, load, since=(n + 0.5) * part)
        first = (n % 4) * part
        inside = (wave.times > first) & (wave.times < first + part)
        times = np.concatenate([[0.0], wave.times[inside] - first])
        levels = np.concatenate([wave.at(np.array([first + 1e-12])), wave.levels[inside]])
        made = run(circuit, times, levels, part, state)
        pieces.append(Piece(begin + n * part, made, r, ohms))
        state = made.last


def _short(bench: Bench, load: LoadName, periods: int) -> Record:
    """The load running, then a short at the crest; the bridge trips and its diodes give the current back to the link."""
    circuit, r, ohms = _load(bench, load, since=10.0)
    wave, period = bench.wave(bench.at.index), 1 / bench.at.line
    settled = steady(circuit, wave, _guess(bench, r))
    times, levels, _ = repeated(wave, BEFORE + 1)
    crest = (BEFORE + QUARTER) * period
    first = run(circuit, times[times < crest], levels[times < crest], crest, settled.states[0], int(settled.modes[0]))
    pieces = [Piece(0.0, first, r, ohms)]
    f = bench.filter
    shorted = resistive(f, SHORT).modes[0]
    back = bench.at.v_link / f.inductance
    none = np.zeros(3)
    still = shorted.a.copy()
    still[CURRENT] = 0.0
    still[CURRENT, CURRENT] = -1e6
    modes = (
        Mode(shorted.a, shorted.b, shorted.f, (
            Guard((-1.0, 0.0, 0.0), 0.0, bench.trip, 1), Guard((1.0, 0.0, 0.0), 0.0, bench.trip, 2))),
        Mode(shorted.a, none, np.array([-back, 0.0, 0.0]), (Guard((1.0, 0.0, 0.0), 0.0, 0.0, 3),)),
        Mode(shorted.a, none, np.array([back, 0.0, 0.0]), (Guard((-1.0, 0.0, 0.0), 0.0, 0.0, 3),)),
        Mode(still, none, none),
    )  # fmt: skip
    turned = _turned(wave, QUARTER * period)
    left = max(1, periods - BEFORE)
    times, levels, end = repeated(turned, left)
    made = run(Circuit(modes), times, levels, end, np.array([first.last[CURRENT], first.last[VOLTAGE], 0.0]))
    gone = np.flatnonzero(made.modes > 0)
    tripped = crest + float(made.times[gone[0]]) if gone.size else None
    pieces.append(Piece(crest, made, None, SHORT))
    return Record(tuple(pieces), crest + end, bench.at.line, bench.at.carrier, tripped)
