"""Made-up briefs for the sweep: ordinary ones over every route, some on a DC rail, some at the ends of what may be asked; and
drawers to take parts from."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, replace
from typing import Any, get_args

from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import HIGHEST_CURRENT, HIGHEST_SURGE, LOWEST_SET, AcWave
from rhombos.core.design.route_name import RouteName
from rhombos.core.design.sources import CELL_VOLTS, HIGHEST_NOMINAL, BatterySource, MainsSource, RailSource
from rhombos.core.parts import KINDS, Shelf
from rhombos.core.parts.drawer import Stock
from rhombos.core.routes import ROUTES

DRAWERS = 7
"""Every seventh case has a drawer to take from; prime to the routes and to the slower checks, so that each has its turn."""
RAILS = 11
"""Every eleventh case is fed by a DC rail."""
DIRECT = 13
"""Every thirteenth case asks for direct voltage, where its route makes it."""
FAR = 5
"""Every fifth of the others asks for what lies at an end."""
HIGH = 17
"""Every seventeenth case is fed by a source of higher voltage."""
TWO = 0.2
"""Share of the cases that have a high-frequency socket beside their own, where their route has a secondary for it."""
BELOW = 0.12
"""Share of the cases that have an auxiliary output beside their own."""
ALONE = 0.08
"""Share of the cases that have a high-frequency socket alone, where their route makes it."""
SPANNED = 0.06
"""Share of the cases whose output is adjustable, where something turns it."""
BARE = 9
"""Every ninth case is a bridge on the source itself, which has a voltage of its own."""
MAINS = 8
"""Every eighth case is a bridge on the rectified mains."""
ON_SOURCE: RouteName = "direct bridge"
ON_MAINS: RouteName = "mains bridge"
GRIDS = ((230.0, 50.0), (230.0, 50.0), (120.0, 60.0), (100.0, 50.0), (240.0, 50.0), (115.0, 400.0))
"""Nominal mains, V RMS and Hz."""
MOST_AMPERES = 80
"""What a socket of low voltage is asked at most, A."""
MOST_HIGH_FREQUENCY = 30
"""What a high-frequency socket is asked at most, A: more would stay in its cord."""
USUAL = (9.5, 60.5)
"""Nominal voltages of the other sources, V."""


@dataclass(frozen=True)
class Case:
    """One brief on one route; every tenth carries the slower checks too."""

    index: int
    route: RouteName
    brief: Brief

    def told(self) -> str:
        """The case in one line."""
        s, o, p = self.brief.source, self.brief.output, self.brief.power
        return (
            f"#{self.index} {self.route}: {_feed(s)}, {o.described}, "
            f"{p.continuous:.0f}/{p.surge:.0f} W pf {o.power_factor:.2f}, {_beside(self.brief)}"
            f"{','.join(self.brief.loads)}, "
            f"{self.brief.targets.ambient:.0f} °C"
        )


def _beside(brief: Brief) -> str:
    return "".join(f"beside it {o.described} {o.power.continuous:.0f}/{o.power.surge:.0f} W, " for o in brief.outputs[1:])


def _feed(source: BatterySource | RailSource | MainsSource) -> str:
    if isinstance(source, MainsSource):
        return (
            f"mains {source.lowest:.0f} {source.nominal:.0f} {source.highest:.0f} V {source.frequency:.0f} Hz, "
            f"{source.resistance:.2g} Ω {source.inductance * 1e3:.2g} mH"
        )
    if isinstance(source, BatterySource):
        return f"{source.cells} {source.chemistry} {source.capacity / 3600:.0f} Ah"
    return (
        f"rail {source.lowest:.1f} {source.nominal:.1f} {source.highest:.1f} V, {source.limit:.1f} A, {source.resistance:.2g} Ω"
    )


def random_brief(dice: random.Random, waveforms: tuple[str, ...]) -> Brief:
    """An ordinary brief: a battery that could give the power for half an hour or more, a room that people work in."""
    chemistry = dice.choice(list(CELL_VOLTS))
    per_cell = CELL_VOLTS[chemistry][1]
    cells = dice.randint(-(-USUAL[0] // per_cell).__int__(), int(USUAL[1] // per_cell))
    nominal = cells * per_cell
    power = round(60 * (min(3000.0, 130 * nominal) / 60) ** dice.random(), -1)
    hours = 0.8 * 8 ** dice.random()
    capacity = max(5.0, round(1.15 * power * hours / nominal, 0))
    voltage, hertz = dice.choice(((230, 50), (230, 50), (120, 60), (110, 50), (220, 60), (100, 50), (240, 50)))
    surge = dice.choice((1.0, 1.05, 1.2, 1.5, 2.0, 2.5, 3.0))
    loads = dice.sample(("lamp", "heater", "adapter", "instrument", "fan", "compressor", "rectifier"), dice.randint(1, 3))
    return Brief.model_validate(
        {
            "source": {
                "chemistry": chemistry,
                "cells": cells,
                "capacity": capacity * 3600.0,
                "coldest": float(dice.randint(5, 20)),
                "cable_length": round(0.4 * 4 ** dice.random(), 2),
            },
            "output": {"voltage": voltage, "frequency": hertz, "waveform": dice.choice(waveforms)},
            "power": {
                "continuous": power,
                "surge": min(HIGHEST_SURGE, surge * power),
                "surge_time": dice.choice((0.5, 2, 5, 10)),
                "power_factor": round(dice.uniform(0.7, 1.0), 2),
            },
            "loads": loads,
            "targets": {"ambient": float(dice.randint(15, 40))},
        }
    )


def case_at(index: int, seed: int) -> Case:
    """One case of a seed; each route in turn."""
    names = [name for name in ROUTES if name not in (ON_SOURCE, ON_MAINS)]
    route = names[index % len(names)]
    waves = tuple(w for w in ROUTES[route].waveforms if w in get_args(AcWave))
    return Case(index, route, random_brief(random.Random(f"{seed}/{index}"), waves))


def on_a_rail(case: Case, seed: int) -> Case:
    """The same on a DC rail of about its battery's voltage, whose limit lets the surge through."""
    dice = random.Random(f"{seed} rail {case.index}")
    nominal = max(10.0, min(60.0, case.brief.source.volts[1]))
    rail = _rail(nominal, case.brief.power.surge, case.brief.source.cable_length, dice)
    return replace(case, brief=case.brief.but(source=rail))


def _rail(nominal: float, surge: float, cable: float, dice: random.Random) -> dict[str, Any]:
    down, up = (dice.choice((0.01, 0.03, 0.05, 0.1, 0.2)) for _ in range(2))
    lowest = nominal * (1 - down)
    limit = dice.uniform(1.3, 3.0) * surge / (0.8 * lowest)
    return {
        "kind": "DC rail",
        "nominal": min(1000.0, nominal),
        "lowest": max(8.0, lowest),
        "highest": min(1000.0, nominal * (1 + up)),
        "limit": min(1000.0, max(0.5, limit)),
        "resistance": max(1e-5, min(5.0, dice.uniform(1e-3, 1.5e-2) * nominal / limit)),
        "capacitance": 2e-4 * 25 ** dice.random(),
        "cable_length": cable,
    }


def high(case: Case, seed: int) -> Case:
    """The same on a battery or a rail of higher voltage; where a bridge stands on it, of one that may reach the socket's."""
    dice = random.Random(f"{seed} high {case.index}")
    brief, asked = case.brief, case.brief.power
    nominal = USUAL[1] * (HIGHEST_NOMINAL / USUAL[1]) ** dice.random()
    wanted = {"sine": brief.output.peak, "DC": 0.0}.get(brief.output.waveform, brief.output.voltage)
    if case.route == ON_SOURCE:
        most = {"square": 1.2, "modified": 1.6}.get(brief.output.waveform, 2.2)
        nominal = min(HIGHEST_NOMINAL, wanted * dice.uniform(1.0, most))
    if dice.random() < 0.5:
        chemistry = brief.source.chemistry if isinstance(brief.source, BatterySource) else "LiFePO4"
        per_cell = CELL_VOLTS[chemistry][1]
        cells = min(int(HIGHEST_NOMINAL / per_cell), max(2, -int(-nominal // per_cell)))
        capacity = max(1.0, round(asked.continuous / nominal * dice.uniform(0.8, 6), 1))
        brief = brief.but(source={"kind": "battery", "chemistry": chemistry, "cells": cells, "capacity": capacity * 3600.0})
    else:
        brief = brief.but(
            source=_rail(nominal * (2.5 if case.route != ON_SOURCE and dice.random() < 0.3 else 1.0), asked.surge, 1.0, dice)
        )
    return replace(case, brief=brief)


def bare(case: Case, seed: int) -> Case:
    """A bridge on a source of its own voltage in place of the case's route."""
    dice = random.Random(f"{seed}/{case.index} bare")
    return high(Case(case.index, ON_SOURCE, random_brief(dice, ROUTES[ON_SOURCE].waveforms)), seed)


def on_the_mains(case: Case, seed: int) -> Case:
    """A bridge on the rectified mains in place of the case's route, for a socket that it may reach."""
    dice = random.Random(f"{seed}/{case.index} mains")
    brief = random_brief(dice, ROUTES[ON_MAINS].waveforms)
    volts, hertz = dice.choice(GRIDS)
    down, up = (dice.choice((0.02, 0.06, 0.1, 0.15, 0.25)) for _ in range(2))
    power = min(brief.power.continuous, 8.0 * volts)
    ohms = volts**2 / (power * dice.uniform(30, 500))
    mains = {
        "kind": "mains",
        "lowest": max(60.0, volts * (1 - down)),
        "nominal": volts,
        "highest": min(320.0, volts * (1 + up)),
        "frequency": hertz,
        "resistance": max(0.01, ohms),
        "inductance": dice.choice((0.0, dice.uniform(0.1, 2.0))) * ohms / (2 * math.pi * hertz),
        "hold_up": dice.choice((0.0, 5e-3, 1e-2, 2e-2)),
    }
    crest = math.sqrt(2) * volts * (1 - down)
    reach = {"sine": crest / math.sqrt(2) * dice.uniform(0.35, 0.82), "modified": crest * dice.uniform(0.4, 0.9)}
    socket = reach.get(brief.output.waveform, math.sqrt(2) * volts * dice.uniform(0.85, 1.05))
    surge = min(HIGHEST_SURGE, power * brief.power.surge / brief.power.continuous)
    output = {"voltage": max(10.0, round(socket, 1)), "frequency": dice.choice((50, 60, min(100.0, hertz), 100, 25, 200))}
    # the battery's own figures do not fit the mains: all of the source is given anew
    raw = brief.but(output=output, power={"continuous": power, "surge": surge}).model_dump(exclude_unset=True)
    return Case(case.index, ON_MAINS, Brief.model_validate(raw | {"sources": [mains]}))


def direct(case: Case, seed: int) -> Case:
    """The same with a socket of direct voltage in place of its own, of any voltage that may be asked."""
    dice = random.Random(f"{seed} direct {case.index}")
    power = case.brief.power.model_dump(exclude={"power_factor"})
    output = {
        "kind": "DC",
        "voltage": round(12 * (1500 / 12) ** dice.random(), 1),
        "ripple": round(dice.choice((0.002, 0.005, 0.01, 0.03)), 4),
        "dip": dice.choice((0.02, 0.05, 0.1)),
        "power": power,
    }
    return replace(case, brief=case.brief.but(output=output))


def two(case: Case, seed: int) -> Case:
    """The same with a high-frequency socket beside its own, which takes a part of the power asked; where one may be tapped."""
    if not ROUTES[case.route].beside:
        return case
    dice = random.Random(f"{seed} two {case.index}")
    asked, share = case.brief.power, dice.uniform(0.05, 0.6)
    power, surge = max(20.0, share * asked.continuous), max(20.0, share * asked.surge)
    first = max(20.0, asked.continuous - power)
    brief = case.brief.but(power={"continuous": first, "surge": max(first, min(8 * first, asked.surge - surge))})
    reach = brief.output.peak if brief.output.waveform == "sine" else brief.output.voltage
    volts = min(1000.0, max(10.0, round(reach * dice.uniform(0.1, 1.0), 1)))
    raw = brief.model_dump(exclude_unset=True)
    socket = _high_frequency(volts, power, surge, dice)
    return replace(case, brief=Brief.model_validate(raw | {"outputs": [*raw["outputs"], socket]}))


def with_auxiliary(case: Case, seed: int) -> Case:
    """The same with a low direct voltage beside its own, made of the source."""
    dice = random.Random(f"{seed} auxiliary {case.index}")
    most = min(60.0, 0.89 * case.brief.source.volts[0])
    volts = max(3.3, math.floor(10 * 3.3 * (most / 3.3) ** dice.random()) / 10)
    power = round(min(200.0, HIGHEST_CURRENT * volts) ** dice.random(), 1)
    raw = case.brief.model_dump(exclude_unset=True)
    low = {
        "kind": "auxiliary DC",
        "voltage": volts,
        "ripple": dice.choice((0.005, 0.01, 0.02, 0.05)),
        "power": {"continuous": power},
    }
    return replace(case, brief=Brief.model_validate(raw | {"outputs": [*raw["outputs"], low]}))


def alone(case: Case, seed: int) -> Case:
    """The same with a high-frequency socket in place of its own; where one may be made."""
    if "HF" not in ROUTES[case.route].waveforms:
        return case
    dice = random.Random(f"{seed} alone {case.index}")
    asked = case.brief.power
    volts = round(10 * 100 ** dice.random(), 1)
    raw = case.brief.model_dump(exclude_unset=True)
    socket = _high_frequency(volts, asked.continuous, asked.surge, dice)
    return replace(case, brief=Brief.model_validate(raw | {"outputs": [socket]}))


def _high_frequency(volts: float, power: float, surge: float, dice: random.Random) -> dict[str, Any]:
    """A high-frequency socket of a voltage, V, that is asked a power, W, as far as its cord bears it."""
    power, surge = (max(20.0, min(watts, MOST_HIGH_FREQUENCY * volts)) for watts in (power, surge))
    return {
        "kind": "HF",
        "voltage": volts,
        "cord": round(dice.uniform(0.3, 3), 1),
        "frequency": round(20e3 * 4 ** dice.random(), -2) if dice.random() < 0.8 else round(5e3 * 30 ** dice.random(), -2),
        "power": {"continuous": power, "surge": max(power, surge)},
        "loads": dice.sample(("lamp", "heater"), dice.randint(1, 2)),
    }


def far_out(case: Case, seed: int) -> Case:
    """The same at an end of what may be asked: a low or high socket, a low or high line, very little power or much."""
    dice = random.Random(f"{seed} far {case.index}")
    brief, nominal = case.brief, case.brief.source.volts[1]
    asked = brief.power
    which = dice.randrange(4)
    if which == 0:
        volts = round(10 * (480 / 10) ** dice.random(), 1)
        power = min(asked.continuous, MOST_AMPERES * volts)
        surge = max(power, min(asked.surge, power * asked.surge / asked.continuous))
        brief = brief.but(output={"voltage": volts}, power={"continuous": power, "surge": surge})
    elif which == 1:
        brief = brief.but(output={"frequency": round(5 * (440 / 5) ** dice.random(), 1)})
    else:
        power = round(20 * 3 ** dice.random()) if which == 2 else min(130 * nominal, round(3000 * (5 / 3) ** dice.random(), -1))
        capacity = max(brief.source.capacity, 1.15 * power / nominal * dice.uniform(0.8, 6) * 3600)
        surge = min(HIGHEST_SURGE, power * asked.surge / asked.continuous)
        brief = brief.but(power={"continuous": power, "surge": surge}, source={"capacity": min(5000 * 3600.0, capacity)})
    return replace(case, brief=brief)


def random_drawer(shelf: Shelf, index: int, seed: int) -> Shelf:
    """The shelf with some thirty of its parts in a drawer, few or many of each, some of them salvaged or unverified."""
    dice = random.Random(f"{seed} drawer {index}")
    every = [(kind, part.id) for kind, model in KINDS.items() for part in shelf.all(model)]
    held = {
        where: Stock(count=dice.choice((1, 2, 4, 10, 40)), condition=dice.choice(("new", "new", "salvaged", "unverified")))
        for where in dice.sample(every, 30)
    }
    return shelf.stocked(held)


def drawn(index: int, seed: int) -> Case:
    """The case of a seed, some with a second socket, some with a high-frequency one alone, some with an auxiliary output, some
    adjustable."""
    case, chance = _first(index, seed), random.Random(f"{seed} second {index}").random()
    if case.route == ON_MAINS:
        return adjustable(case, seed) if chance < 2 * SPANNED else case
    case = two(case, seed) if chance < TWO else alone(case, seed) if chance > 1 - ALONE else case
    case = with_auxiliary(case, seed) if random.Random(f"{seed} below {index}").random() < BELOW else case
    return adjustable(case, seed) if random.Random(f"{seed} span {index}").random() < SPANNED else case


def adjustable(case: Case, seed: int) -> Case:
    """The same with an output that is turned down, where its route does that; pulses of controlled width not below a half:
    their peaks rise as they narrow."""
    dice, output = random.Random(f"{seed} down {case.index}"), case.brief.output
    by = ROUTES[case.route].turned_by.get(output.waveform)
    if by is None:
        return case
    least = 0.5 if by == "modulation" and output.stepped else 0.12
    lowest = max(LOWEST_SET, round(output.voltage * dice.uniform(least, 0.95), 1))
    return replace(case, brief=case.brief.but(output={"down_to": lowest})) if lowest < 0.97 * output.voltage else case


def _first(index: int, seed: int) -> Case:
    """The case of a seed with its turn of rails and of ends."""
    case = case_at(index, seed)
    if index % MAINS == MAINS - 1:
        return on_the_mains(case, seed)
    if index % BARE == BARE - 1:
        return bare(case, seed)
    if index % HIGH == HIGH - 1:
        case = high(case, seed)
        return direct(case, seed) if index % DIRECT == DIRECT - 1 and "DC" in ROUTES[case.route].waveforms else case
    if index % DIRECT == DIRECT - 1 and "DC" in ROUTES[case.route].waveforms:
        case = direct(case, seed)
        return on_a_rail(case, seed) if index % RAILS == RAILS - 1 else case
    if index % RAILS == RAILS - 1:
        return on_a_rail(case, seed)
    return far_out(case, seed) if index % FAR == FAR - 1 else case
