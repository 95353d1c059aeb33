"""Recordings: a filter and its load marched through an event, piece by piece, and probes laid on what came of it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from rhombos.core.frame.report import Stepped
from rhombos.core.scope.setup import (
    BEFORE,
    QUARTER,
    RAMP,
    SMALL_PART,
    Bench,
    EventName,
    LoadName,
    SourceName,
    load_of,
)
from rhombos.core.waves import direct as bare
from rhombos.core.waves.chain import Chain, Trail
from rhombos.core.waves.engine import Run, run, steady, stretch
from rhombos.core.waves.loads import Filter, Load, Point, magnetised, shorted
from rhombos.core.waves.modulation import Array, WaveError

CHANGING: tuple[LoadName, ...] = ("lamp, cold", "motor, starting")
"""Loads that are not the same from one moment to the next."""
SETTLING = 6
"""Line periods that a supply is given to come to rest before a record begins."""
SHORT = 0.05
"""Resistance of a short circuit with its leads, Ω."""
FADING = tuple(np.geomspace(0.02, 6.0, 72).tolist())
"""Where something that fades is looked at, in its time constants."""
FIRST_INDEX = 0.02
RAIL_STEPS = 500
"""Steps of a period in which a rail and a stepped wave tell each other what they do."""
AT_ONCE = 1 << 15
"""Moments that are probed together: so many stay in the processor's cache, and no large array is left behind."""
SUPPLIED = {
    "link": Point("V", "DC link", (), (), ()),
    "choke": Point("A", "choke of the link", (), (), ()),
    "input": Point("V", "input of the stage", (), (), ()),
    "source": Point("A", "source", (), (), ()),
}
"""Points before the bridge, where the record holds them."""


@dataclass(frozen=True)
class Piece:
    """A run from a moment on, s, with the load that it was made with."""

    begin: float
    run: Run
    load: Load


@dataclass(frozen=True)
class Record:
    """Pieces that follow one another, from 0 to `end`, s; when the bridge was tripped, if it was; what went on before the
    bridge, if that was marched."""

    pieces: tuple[Piece, ...]
    end: float
    line: float
    carrier: float
    tripped: float | None = None
    trail: Trail | None = None

    @property
    def points(self) -> dict[str, Point]:
        """Where it can be probed, by name, from the source on."""
        found: dict[str, Point] = {}
        if self.trail:
            found |= {k: p for k, p in SUPPLIED.items() if k != "choke" or self.trail.choke.any()}
        for piece in self.pieces:
            found |= piece.load.points
        return found | {"power": Point("W", "power into the load", (), (), ())}

    def edges(self, first: float, last: float) -> Array:
        """Moments at which anything switches, s."""
        found = [p.run.times + p.begin for p in self.pieces if p.begin <= last and p.begin + p.run.end >= first]
        all_of_them = np.concatenate(found)
        return np.asarray(all_of_them[(all_of_them >= first) & (all_of_them <= last)])

    def brief(self, first: float, last: float) -> Array:
        """Moments soon after each edge, s, at which what dies away before the next has fallen by steps."""
        found: list[Array] = []
        for piece in self.pieces:
            run = piece.run
            fast = [np.linalg.eigvals(mode.a) for mode in run.circuit.modes]
            width = np.diff(run.times, append=run.end)
            for which, rates in enumerate(fast):
                sizes = np.unique(np.abs(rates))
                here = run.modes == which
                for rate in sizes[sizes * float(width.max(initial=0.0)) > 1]:
                    after = run.times[here, None] + np.array(FADING) / rate
                    found.append(piece.begin + after[after < (run.times + width)[here, None]])
        moments = np.unique(np.concatenate(found)) if found else np.zeros(0)
        return np.asarray(moments[(moments >= first) & (moments <= last)])

    def probe(self, time: Array) -> dict[str, Array]:
        """Every trace at given times, s: V, A, W; a point that a piece has not reads 0 there."""
        found = {n: np.zeros(time.size) for n in self.points}
        begins = np.array([p.begin for p in self.pieces])
        for first in range(0, time.size, AT_ONCE):
            here = slice(first, first + AT_ONCE)
            place = np.clip(np.searchsorted(begins, time[here], side="right") - 1, 0, begins.size - 1)
            for n in np.unique(place):
                piece, there = self.pieces[n], first + np.flatnonzero(place == n)
                for name, values in piece.load.probe(piece.run, time[there] - piece.begin).items():
                    found[name][there] = values
        if self.trail:
            for name in found.keys() & SUPPLIED.keys():
                found[name] = np.interp(time, self.trail.time, getattr(self.trail, name))
        found["power"] = found["output"] * found["load"]
        return found


class _March:
    """A record as it grows: pieces so far, and where the last one ended."""

    def __init__(self, bench: Bench, source: SourceName) -> None:
        self.bench, self.now, self.pieces = bench, 0.0, list[Piece]()
        self.state, self.mode = np.zeros(0), 0
        self.load: Load | None = None
        self.source = source
        self.rail: Chain | None = None
        self.loaded = True

    def begin(self, name: LoadName, index: float) -> None:
        """Start in the periodic state of a load, its supply at rest; or, with an index of 0, from nothing."""
        self.loaded = name != "none"
        bench, load = self.bench, load_of(self.bench, name, since=0.0 if name == "motor, starting" else LONG)
        if index == 0:
            fresh = load_of(bench, name)
            self.put(fresh, np.zeros(fresh.kept))
            if self.source != "stiff link":
                self.rail = Chain(bench.supply, 0.0, bench.at.v_link, 0.0, self.source == "source, switched")
            return
        guess = np.array([*np.zeros(load.kept), *load.start])
        if "smoothing" in load.points:
            guess[-1] = 0.9 * math.sqrt(2) * bench.volts
        settled = steady(load.circuit, bench.wave(index, loaded=self.loaded), guess)
        self.load, self.state, self.mode = load, settled.states[0], int(settled.modes[0])
        if self.source == "stiff link":
            return
        drawn = float(settled.drive / bench.at.v_link @ (_middles(settled) * np.diff(settled.times, append=settled.end)))
        self.now = -SETTLING / bench.at.line
        self.rail = Chain(bench.supply, self.now, bench.at.v_link, drawn / settled.end, self.source == "source, switched")
        self.play(index, 0.0)
        self.pieces.clear()

    def put(self, load: Load, filter_state: Array | None = None) -> None:
        """Another load from now on; the filter keeps its state."""
        kept = self.state[: load.kept] if filter_state is None else filter_state
        same = filter_state is None and self.load is not None and self.load.circuit.size == load.circuit.size
        self.state = self.state if same else np.concatenate([kept, load.start])
        self.mode = self.mode if same else 0
        self.load = load

    def play(self, index: float, until: float) -> None:
        """Go on with an index until a moment, s."""
        assert self.load is not None
        times, levels = stretch(self.bench.wave(index, self.rail is not None, self.loaded), self.now, until)
        rail = _Shifted(self.rail, self.now) if self.rail else None
        if rail and isinstance(self.bench.at, Stepped):
            times, levels = _divided(times, levels, until - self.now, 1 / (RAIL_STEPS * self.bench.at.line))
        made = run(self.load.circuit, times, levels, until - self.now, self.state, self.mode, rail)
        self.pieces.append(Piece(self.now, made, self.load))
        self.state, self.mode, self.now = made.last, int(made.modes[-1]), until

    def play_changing(self, name: LoadName, index: float, until: float) -> None:
        """Go on with a load that may change as it stays on; it was put on just now."""
        on = self.now
        if name not in CHANGING:
            self.play(index, until)
            return
        part = (SMALL_PART if isinstance(self.bench.at, Stepped) else QUARTER) / self.bench.at.line
        while until - self.now > 1e-9:
            after = min(until, self.now + part)
            self.put(load_of(self.bench, name, since=(self.now + after) / 2 - on))
            self.play(index, after)

    def done(self, tripped: float | None = None) -> Record:
        """The record."""
        trail = None
        if self.rail:
            trail = _unreferred(self.rail.finish(self.now), self.bench.at.ratio if not self.bench.supply.front_end else 1.0)
        return Record(tuple(self.pieces), self.now, self.bench.at.line, self.bench.carrier, tripped, trail)


LONG = 10.0
"""How long a load has been on that is at rest, s."""


class _Shifted:
    """A rail for a run that counts its time from a later moment, s."""

    def __init__(self, rail: Chain, begin: float) -> None:
        self.rail, self.begin = rail, begin

    def stands(self, at: float, width: float, current: float, share: float) -> float:
        """See `engine.Rail`."""
        return self.rail.stands(self.begin + at, width, current, share)


def _divided(times: Array, levels: Array, end: float, most: float) -> tuple[Array, Array]:
    """The same drive in steps of a width, s, at most: a rail is told the current at each."""
    grid = np.unique(np.concatenate([times, np.arange(0.0, end, most)]))
    grid = grid[np.concatenate([[True], np.diff(grid) > 1e-9])]
    return grid, levels[np.searchsorted(times, grid + 1e-10, side="right") - 1]


def _middles(made: Run) -> Array:
    """The first state halfway through each step, near enough."""
    ends = np.append(made.states[1:, 0], made.last[0])
    return np.asarray((made.states[:, 0] + ends) / 2)


def _unreferred(trail: Trail, ratio: float) -> Trail:
    """What the source's side of a transformer sees."""
    return Trail(trail.time, trail.link / ratio, trail.input / ratio, trail.choke * ratio, trail.source * ratio)


@lru_cache(maxsize=6)
def record(bench: Bench, load: LoadName, event: EventName, periods: int, source: SourceName = "stiff link") -> Record:
    """The event with the load over so many line periods; the last few are remembered. Raises: ValueError where nothing
    settles."""
    loads, events = bench.choices
    if load not in loads or event not in events:
        raise WaveError(f"{bench.socket} is recorded with {' or '.join(loads)}, {' or '.join(events)}")
    if source == "stiff link":
        source = bench.sources[0]
    march, index, period = _March(bench, source), bench.index, 1 / bench.at.line
    if event == "soft start":
        march.begin(load, 0.0)
        for n in range(periods):
            if load in CHANGING:
                march.put(load_of(bench, load, since=n * period))
            march.play(max(FIRST_INDEX, index * min(1.0, (n + 1) / RAMP)), (n + 1) * period)
        return march.done()
    if event == "steady":
        march.begin(load, index)
        march.play(index, periods * period)
        return march.done()
    march.begin("none" if event == "load step" else load, index)
    march.play(index, bench.at_crest)
    until = bench.at_crest + max(1, periods - BEFORE) * period
    if event == "load step":
        march.loaded = load != "none"
        march.put(load_of(bench, load))
        march.play_changing(load, index, until)
        return march.done()
    front = bench.front
    if isinstance(front, Filter):
        circuit = magnetised(shorted(front, SHORT, bench.trip, bench.at.v_link), front)
        march.put(circuit, march.state[: circuit.kept])
    else:
        march.put(bare.shorted(front, SHORT, bench.trip, bench.at.v_link))
    march.play(index, until)
    last = march.pieces[-1]
    gone = np.flatnonzero(last.run.modes > 0)
    return march.done(bench.at_crest + float(last.run.times[gone[0]]) if gone.size else None)
