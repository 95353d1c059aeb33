"""Junctions over the course of a surge: the heat-sink stores heat, the chips on it do not."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol, TypeAlias

import numpy as np
from numpy.typing import NDArray

from rhombos.core.blocks.cooling import BEYOND, KELVIN, settle_junction, sink_resistance, surge_limit
from rhombos.core.book import heat
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue
from rhombos.core.design.rules import Rules
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.topology import TOPOLOGIES, TopologyName
from rhombos.core.parts import HeatSink, Mosfet, Shelf, Transistor
from rhombos.core.units.quantities import fmt, short

Array = NDArray[np.float64]
BEGINS = {"surge_low": "low", "surge_high": "high"}
"""The steady point that each surge begins from."""
STEPS = 12


class OnSink(Protocol):
    """What is built of a stage that sits on a heat-sink."""

    @property
    def sink(self) -> str:
        """The heat-sink."""
        ...

    @property
    def fan(self) -> bool:
        """Whether a fan blows on it."""
        ...


class OfSwitches(OnSink, Protocol):
    """The same with switches, each so many times in parallel."""

    @property
    def switch(self) -> str:
        """The part."""
        ...

    @property
    def parallel(self) -> int:
        """How many in each position."""
        ...


class Sided(OfSwitches, Protocol):
    """The same, driving a transformer from two sides."""

    @property
    def topology(self) -> TopologyName:
        """How."""
        ...


class Burning(Protocol):
    """A state of a stage with switches."""

    @property
    def junction(self) -> float:
        """°C."""
        ...

    @property
    def conduction(self) -> float:
        """W."""
        ...

    @property
    def switching(self) -> float:
        """W."""
        ...


Sheet: TypeAlias = "ReportBuilder[OfSwitches, Burning]"


@dataclass(frozen=True, slots=True)
class Heating:
    """What a stage's devices make together: W of conduction at a junction, °C, and the exponent by which it grows; other
    losses, W; how many devices, and the square of the hardest-worked one's share of current."""

    conduction: float
    junction: float
    exponent: float
    other: float
    devices: int
    uneven: float

    def conducting(self, celsius: float) -> float:
        """Conduction of all, W, at a junction."""
        return self.conduction * float(((celsius + KELVIN) / (self.junction + KELVIN)) ** self.exponent)

    def device(self, celsius: float) -> float:
        """Loss of the hardest-worked device, W, at its junction."""
        return (self.conducting(celsius) * self.uneven + self.other) / self.devices


@dataclass(frozen=True, slots=True)
class Cooling:
    """A sink: K/W to the air, its time constant, s; junction to sink of one device, K/W; air, °C; the most it stands, °C."""

    resistance: float
    tau: float
    inner: float
    air: float
    limit: float


@dataclass(frozen=True)
class Course:
    """Times from the surge's beginning, s; sink and hottest junction, °C; the junction just before it."""

    time: Array
    sink: Array
    junction: Array
    before: float


def cooling_of(build: OnSink, device: Transistor, brief: Brief, shelf: Shelf, rules: Rules) -> Cooling:
    """The sink of a build with a device's own resistances."""
    resistance = sink_resistance(shelf, build.sink, build.fan)
    tau = heat.sink_time.work({"R_sa": resistance, "m_sink": shelf.get(HeatSink, build.sink).mass})
    air = brief.targets.ambient + rules.enclosure_rise
    return Cooling(resistance, tau, device.r_jc + rules.pad_resistance, air, device.t_j_max)


@dataclass(frozen=True, slots=True)
class Devices:
    """What carries a stage's current: how many altogether, the exponent of their on-resistance, and whether the loss of one may
    lie above its share."""

    count: int
    exponent: float
    shared: bool

    def heating(self, state: Burning, rules: Rules) -> Heating:
        """A settled state of the stage as heat."""
        other = state.switching + getattr(state, "recovery", 0.0)
        uneven = (1 + rules.sharing_imbalance) ** 2 if self.shared else 1.0
        return Heating(state.conduction, state.junction, self.exponent, other, self.count, uneven)


def _exponent(device: Transistor) -> float:
    return device.r_exponent if isinstance(device, Mosfet) else 0.0


def front_end_devices(build: Sided, device: Transistor) -> Devices:
    """The switches of a front end; its two sides may differ too."""
    return Devices(TOPOLOGIES[build.topology].positions * build.parallel, _exponent(device), True)


def bridge_devices(build: OfSwitches, device: Transistor) -> Devices:
    """The switches of an output bridge."""
    return Devices(4 * build.parallel, _exponent(device), build.parallel > 1)


def course(before: Heating, during: Heating, cooled: Cooling, seconds: float, steps: int = STEPS) -> Course:
    """From the steady state before into the surge: the sink warms by its time constant, each junction rides on it at once.

    A junction that runs away ends `BEYOND` its limit.
    """

    def riding(on: Heating, sink: float) -> float:
        return settle_junction(lambda t: sink + on.device(t) * cooled.inner, cooled.limit)

    # the steady state before: the sink stands where its total loss holds it
    started = before.junction - before.device(before.junction) * cooled.inner
    time = np.linspace(0, seconds, steps + 1)
    kept = math.exp(-seconds / steps / cooled.tau)
    sinks, junctions = [started], [riding(during, started)]
    for _ in range(steps):
        made = during.conducting(min(junctions[-1], cooled.limit + BEYOND)) + during.other
        rest = cooled.air + made * cooled.resistance
        sinks.append(rest + (sinks[-1] - rest) * kept)
        junctions.append(riding(during, sinks[-1]))
    return Course(time, np.array(sinks), np.array(junctions), before.junction)


def worst_course(
    states: Mapping[str, Burning],
    infeasible: frozenset[str],
    devices: Devices,
    cooled: Cooling,
    rules: Rules,
    seconds: float,
    steps: int = STEPS,
) -> tuple[str, Course] | None:
    """The surge that ends hottest, among those that can be held."""
    found = [
        (key, course(devices.heating(states[start], rules), devices.heating(states[key], rules), cooled, seconds, steps))
        for key, start in BEGINS.items()
        if key not in infeasible
    ]
    return max(found, key=lambda pair: pair[1].junction[-1], default=None)


def judge_surge(sheet: Sheet, brief: Brief, device: Transistor, devices: Devices, cures: Mapping[str, PinValue]) -> None:
    """Show the junction at the end of the surge, and say so where it is too hot."""
    rules = sheet.rules
    cooled = cooling_of(sheet.build, device, brief, sheet.shelf, rules)
    found = worst_course(sheet.states, sheet.infeasible, devices, cooled, rules, brief.surge_time)
    if found is None:
        return
    key, made = found
    end = float(made.junction[-1])
    worst = sheet.fixed(
        "surge_junction",
        "T_{j,s}",
        "Junction, end of the surge",
        end,
        "degC",
        device.t_j_max,
        1 - surge_limit(rules, device.t_j_max) / device.t_j_max,
        sheet.points[key].label,
    )
    if worst.severity:
        sheet.find(
            "surge_junction",
            worst.severity,
            "The surge makes the switches too hot",
            f"{fmt(end, 'degC')} after {short(brief.surge_time, 's')}: {fmt(made.before, 'degC')} before it, "
            f"{fmt(float(made.junction[0]), 'degC')} at once, and the heat-sink, with a time constant of "
            f"{fmt(cooled.tau, 's')}, adds the rest.",
            "A heavier heat-sink, more or better switches, or a shorter surge.",
            worst=worst,
            cures=(("Let the proposal choose switches and sink", cures),),
        )
