"""What is recorded: a design's operating point between its source and its socket, and the loads that may be put on."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

from rhombos.core.frame.report import Operating, Stepped
from rhombos.core.waves import direct as bare
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.crest import Crest, crest
from rhombos.core.waves.loads import (
    Filter,
    Load,
    iron_fed,
    iron_load_for,
    magnetised,
    mixed,
    motor_for,
    rectified,
    rectifier_for,
    resistive,
    turning,
)
from rhombos.core.waves.modulation import Steps, three_level
from rhombos.core.waves.output import driven
from rhombos.core.waves.rail import FIRM, behind

LoadName = Literal["as designed", "none", "adapter", "lamp, cold", "motor, starting", "motor, running", "transformer"]
EventName = Literal["steady", "soft start", "load step", "short circuit"]
SourceName = Literal["stiff link", "source, averaged", "source, switched"]
SettingName = Literal["highest", "lowest"]
LOADS: tuple[LoadName, ...] = get_args(LoadName)
EVENTS: tuple[EventName, ...] = get_args(EventName)
SOURCES: tuple[SourceName, ...] = get_args(SourceName)
ON_DIRECT: tuple[tuple[LoadName, ...], tuple[EventName, ...]] = (("as designed", "none", "lamp, cold"), ("steady", "load step"))
"""Loads and events that a socket of direct voltage is recorded with."""
ON_HIGH_FREQUENCY: tuple[tuple[LoadName, ...], tuple[EventName, ...]] = (
    ("as designed", "none"),
    ("steady", "load step", "short circuit"),
)
"""The same of a high-frequency socket: whatever else is plugged in is made for mains, and fails."""
LOWEST_HIGH = 1e3
"""A stepped wave of this frequency, Hz, or more is no mains."""
BEFORE = 2
"""Line periods before a step of the load or a short."""
RAMP = 6
"""Line periods of a soft start."""
MOST_CARRIERS = 14_400
"""Carrier periods of a record at most, but for as many line periods as a soft start takes."""
COLD, WARMING = 12.0, 0.06
"""Hot over cold resistance of a filament, and how fast it warms, s: usual lamps."""
SPINNING = 0.4
"""How long a motor takes from standing to its speed, s."""
QUARTER, SMALL_PART = 0.25, 0.05
"""Parts of a line period for which a load that changes is held; the smaller where no filter smooths its steps."""
FINE = 50.0
"""How finely a stepped wave is looked at, parts of its period."""
LEAST_LOSS = 1e-3
"""Resistance that every filter has, Ω."""


@dataclass(frozen=True)
class Bench:
    """What is recorded: the operating point, the power asked, W, the voltage, V, the current at which the bridge trips, A, what
    feeds it, how much of the power is drawn at the crest, W, and what its source is limited to, A,
    and what a second socket draws, W."""

    at: Operating | Stepped
    power: float
    volts: float
    trip: float
    supply: Supply
    crest_power: float = 0.0
    limit: float = math.inf
    beside: float = 0.0

    @property
    def direct(self) -> bool:
        """Whether the socket gives direct voltage."""
        return isinstance(self.at, Stepped) and self.at.direct

    @property
    def choices(self) -> tuple[tuple[LoadName, ...], tuple[EventName, ...]]:
        """Loads and events that it is recorded with."""
        if self.direct:
            return ON_DIRECT
        return ON_HIGH_FREQUENCY if self.at.line > LOWEST_HIGH else (LOADS, EVENTS)

    @property
    def socket(self) -> str:
        """What kind of socket it is, in words."""
        return "a socket of direct voltage" if self.direct else "a high-frequency socket" if self.choices[0] != LOADS else "it"

    @property
    def sources(self) -> tuple[SourceName, ...]:
        """What it may be fed by: a socket that is the link itself is no stiff one, and only a front end has pulses."""
        fed = SOURCES[1:] if self.direct else SOURCES
        return fed if self.supply.front_end else fed[:-1]

    @property
    def most_periods(self) -> int:
        """Line periods that it is recorded for at most: of a slow line fewer, for each has more edges."""
        return max(RAMP, round(MOST_CARRIERS * self.at.line / self.carrier))

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
