"""Recordings: a filter and its load marched through an event, piece by piece, and probes laid on what came of it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, get_args

import numpy as np

from rhombos.core.frame.report import Operating, Stepped
from rhombos.core.waves import direct as bare
from rhombos.core.waves.chain import Chain, Supply, Trail
from rhombos.core.waves.crest import Crest, crest
from rhombos.core.waves.engine import Run, run, steady, stretch
from rhombos.core.waves.loads import (
    Filter,
    Load,
    Point,
    iron_fed,
    iron_load_for,
    magnetised,
    mixed,
    motor_for,
    rectified,
    rectifier_for,
    resistive,
    shorted,
    turning,
)
from rhombos.core.waves.modulation import Array, Steps, WaveError, three_level
from rhombos.core.waves.output import driven
from rhombos.core.waves.rail import FIRM, behind

LoadName = Literal["as designed", "none", "adapter", "lamp, cold", "motor, starting", "motor, running", "transformer"]
EventName = Literal["steady", "soft start", "load step", "short circuit"]
SourceName = Literal["stiff link", "source, averaged", "source, switched"]
LOADS: tuple[LoadName, ...] = get_args(LoadName)
EVENTS: tuple[EventName, ...] = get_args(EventName)
SOURCES: tuple[SourceName, ...] = get_args(SourceName)
ON_DIRECT: tuple[tuple[LoadName, ...], tuple[EventName, ...]] = (("as designed", "none", "lamp, cold"), ("steady", "load step"))
"""Loads and events that a socket of direct voltage is recorded with."""
CHANGING: tuple[LoadName, ...] = ("lamp, cold", "motor, starting")
"""Loads that are not the same from one moment to the next."""
RAMP = 6
"""Line periods of a soft start."""
BEFORE = 2
"""Line periods before a step of the load or a short."""
SETTLING = 6
"""Line periods that a supply is given to come to rest before a record begins."""
COLD, WARMING = 12.0, 0.06
"""Hot over cold resistance of a filament, and how fast it warms, s: usual lamps."""
SPINNING = 0.4
"""How long a motor takes from standing to its speed, s."""
SHORT = 0.05
"""Resistance of a short circuit with its leads, Ω."""
QUARTER, SMALL_PART = 0.25, 0.05
"""Parts of a line period for which a load that changes is held; the smaller where no filter smooths its steps."""
FADING = tuple(np.geomspace(0.02, 6.0, 72).tolist())
"""Where something that fades is looked at, in its time constants."""
FIRST_INDEX = 0.02
RAIL_STEPS = 500
"""Steps of a period in which a rail and a stepped wave tell each other what they do."""
FINE = 50.0
"""How finely a stepped wave is looked at, parts of its period."""
LEAST_LOSS = 1e-3
"""Resistance that every filter has, Ω."""
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


@dataclass(frozen=True)
class Bench:
    """What is recorded: the operating point, the power asked, W, the voltage, V, the current at which the bridge trips, A, what
    feeds it, how much of the power is drawn at the crest, W, and what its source is limited to, A."""

    at: Operating | Stepped
    power: float
    volts: float
    trip: float
    supply: Supply
    crest_power: float = 0.0
    limit: float = math.inf

    @property
    def direct(self) -> bool:
        """Whether the socket gives direct voltage."""
        return isinstance(self.at, Stepped) and self.at.direct

    @property
    def choices(self) -> tuple[tuple[LoadName, ...], tuple[EventName, ...]]:
        """Loads and events that it is recorded with."""
        return ON_DIRECT if self.direct else (LOADS, EVENTS)

    @property
    def sources(self) -> tuple[SourceName, ...]:
        """What it may be fed by: a socket that is the link itself is no stiff one, and only a front end has pulses."""
        fed = SOURCES[1:] if self.direct else SOURCES
        return fed if self.supply.front_end else fed[:-1]

    @property
    def front(self) -> Filter | bare.Direct:
        """Between bridge and load, everything referred to the socket: a filter, or nothing but the way."""
        at, ohms = self.at, max(self.at.resistance, LEAST_LOSS)
        if isinstance(at, Stepped):
            return bare.Direct(ohms, at.inductance, at.level if at.lets_go else 0.0, at.direct)
        return Filter(at.inductance, ohms, at.capacitance, at.magnetising or None)

    @property
    def index(self) -> float:
        """How far the bridge is driven: of a sine its modulation, of a stepped wave its whole width."""
        return 1.0 if isinstance(self.at, Stepped) else self.at.index

    @property
    def carrier(self) -> float:
        """What a record is looked at down to, Hz: of a stepped wave, a fiftieth of a period."""
        return FINE * self.at.line if isinstance(self.at, Stepped) else self.at.carrier

    @property
    def at_crest(self) -> float:
        """When a load is put on or shorted: at the crest, where it hurts most, s."""
        return (BEFORE + QUARTER) / self.at.line

    def wave(self, index: float, rail: bool = False, loaded: bool = True) -> Steps:
        """One line period of the bridge: its voltage, V, or with a rail the share that it takes of it. While it is loaded, its
        legs wait for their dead time, and the modulation makes up for what that takes. Of a stepped wave with a zero between
        its pulses the index is a share of their width."""
        at, volts = self.at, 1.0 if rail else self.at.v_link
        if isinstance(at, Stepped) and at.direct:  # it never turns
            return Steps(1 / at.line, np.zeros(1), np.array([volts * index]))
        if isinstance(at, Stepped):
            width = at.fraction * index if at.fraction < 1 else 1.0
            return three_level(width, at.level / at.v_link * volts, at.line)
        return driven(at if loaded else at.model_copy(update={"dead_time": 0.0}), index, volts)


def load_of(bench: Bench, name: LoadName, since: float = 0.0) -> Load:
    """A load that has been on for a time, s, behind the bridge's filter and transformer."""
    front, load = bench.front, _load_of(bench, name, since)
    return magnetised(load, front) if isinstance(front, Filter) else load


def _load_of(bench: Bench, name: LoadName, since: float) -> Load:
    f, at, power, volts = bench.front, bench.at, bench.power, bench.volts
    if name == "none":
        return _resistive(f, math.inf)
    if name == "adapter":
        if isinstance(f, Filter):
            return rectified(f, rectifier_for(power / _pulses(bench, f, power).taken, volts, at.line))
        return bare.rectified(f, rectifier_for(power, volts, at.line))
    if name == "transformer":
        iron = iron_load_for(power, volts, at.line)
        return iron_fed(f, iron) if isinstance(f, Filter) else bare.iron_fed(f, iron)
    if name == "lamp, cold":
        return _resistive(f, volts**2 / power / (1 + (COLD - 1) * math.exp(-since / WARMING)))
    if name in ("motor, starting", "motor, running"):
        motor = motor_for(power, volts, at.line)
        slip = motor.slip_for(power, volts, at.line)
        if name == "motor, starting":
            slip = max(slip, 1 - (1 - slip) * since / SPINNING)
        return turning(f, motor, slip) if isinstance(f, Filter) else bare.turning(f, motor, slip)
    if bench.crest_power > 0 and isinstance(f, Filter):
        return _as_asked(bench, f)
    return _resistive(f, at.load_resistance, at.load_inductance)


def _resistive(f: Filter | bare.Direct, ohms: float, henries: float = 0.0) -> Load:
    return resistive(f, ohms, henries) if isinstance(f, Filter) else bare.resistive(f, ohms, henries)


LEAST_SHARE = 1e-3
"""Share of the power that the linear part of a mixed load draws at least."""


def _as_asked(bench: Bench, f: Filter) -> Load:
    """The brief's loads: those that draw at the crest as one adapter that takes their power here, and beside it an R–L that
    makes the rest of power and of the lag."""
    at, volts = bench.at, bench.volts
    squared = at.load_resistance**2 + (2 * math.pi * at.line * at.load_inductance) ** 2
    pulses = _pulses(bench, f, bench.crest_power)
    power = max(volts**2 * at.load_resistance / squared - bench.crest_power, LEAST_SHARE * bench.power)
    lag = max(
        volts**2 * 2 * math.pi * at.line * at.load_inductance / squared - pulses.lags * bench.crest_power,
        LEAST_SHARE * bench.power,
    )
    whole = (power**2 + lag**2) / volts**2
    adapter = bench.crest_power / pulses.taken
    return mixed(f, rectifier_for(adapter, volts, at.line), power / whole, lag / whole / (2 * math.pi * at.line))


def _pulses(bench: Bench, f: Filter, power: float) -> Crest:
    """An adapter that takes a power, W, behind a filter; of a source without a link before the bridge the resistance is in its
    way too."""
    volts, line, supply = bench.volts, bench.at.line, bench.supply
    cells = supply.feed
    rail = FIRM if supply.front_end else behind(cells.resistance, cells.capacitance, line, cells.inductance)
    omega, small = 2 * math.pi * line, power / volts**2
    corner = 1 / (omega * math.sqrt(f.inductance * f.capacitance))
    return crest(omega * f.inductance * small, corner, volts, (f.resistance + rail.at_the_crest(bench.index)) * small)


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
        raise WaveError(f"a socket of direct voltage is recorded with {' or '.join(loads)}, {' or '.join(events)}")
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
