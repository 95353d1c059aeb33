"""The operating points at which every design is judged."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import TypeVar

from rhombos.core.design.brief import Brief
from rhombos.core.units.quantities import short


@dataclass(frozen=True, slots=True)
class Point:
    """One operating point: `emf` of the source, V; `power` asked by the load, W; the power factor it asks it at; what a second
    socket beside it is asked, and an auxiliary output of the source, W; what an adjustable output is set to, over its highest,
    so that `power` is then a share of what is asked there."""

    key: str
    label: str
    emf: float
    power: float
    power_factor: float
    beside: float = 0.0
    setting: float = 1.0
    auxiliary: float = 0.0

    @property
    def converted(self) -> float:
        """What passes the main stages, W."""
        return self.power + self.beside

    @property
    def total(self) -> float:
        """What all outputs are asked, W."""
        return self.converted + self.auxiliary

    def at(self, share: float) -> Point:
        """The same at a share of the power of every output."""
        return replace(self, power=share * self.power, beside=share * self.beside, auxiliary=share * self.auxiliary)


STEADY = ("nominal", "low", "high")
"""Points held long enough to be hot, at the highest setting."""
SETTINGS = 3
"""Settings of an adjustable output that are judged beside the highest: what is hardest on a choke may lie between the ends."""
LOWEST_SET = "set_1"
"""The lowest setting, full current on the highest input: where a regulator has most to take away."""
SET_STEADY = ("set_low", *(f"set_{n}" for n in range(1, SETTINGS + 1)))
SET_SURGES = tuple(f"set_{n}_surge" for n in range(1, SETTINGS + 1))
LASTING = (*STEADY, *SET_STEADY)
"""Points held long enough to be hot, at any setting."""
SURGING = ("surge_low", "surge_high", *SET_SURGES)

Kept = TypeVar("Kept")


def lasting(found: Mapping[str, Kept]) -> list[Kept]:
    """What was found at points that may last."""
    return [found[key] for key in LASTING if key in found]


LIMIT = "limit"
"""The source at its over-voltage limit: for moments, so that ratings count there, and no margin."""
OVER_FULL = 1.06
"""Highest source that the over-voltage limit may allow, with every tolerance at its end, over the charging one."""


def operating_points(brief: Brief) -> dict[str, Point]:
    """Full power at nominal, flat and highest input, the surge at both ends; no load at the nominal and the highest input,
    and at the over-voltage limit."""
    empty, nominal, full = brief.source.volts
    factor = brief.output.power_factor
    beside = brief.beside.power if brief.beside else None
    low = brief.auxiliary.power.continuous if brief.auxiliary else 0.0
    asked = brief.power.continuous, factor, beside.continuous if beside else 0.0, 1.0, low
    surge = brief.power.surge, factor, beside.surge if beside else 0.0, 1.0, low
    points = (
        Point("nominal", "full power, nominal input", nominal, *asked),
        Point("low", "full power, lowest input", empty, *asked),
        Point("high", "full power, highest input", full, *asked),
        Point("surge_low", "surge, lowest input", empty, *surge),
        Point("surge_high", "surge, highest input", full, *surge),
        Point("idle", "no load, nominal input", nominal, 0.0, 1.0),
        Point("idle_high", "no load, highest input", full, 0.0, 1.0),
        Point(LIMIT, "no load, source at its over-voltage limit", OVER_FULL * full, 0.0, 1.0),
    )
    return {p.key: p for p in (*points, *_turned_down(brief))}


def _turned_down(brief: Brief) -> Iterator[Point]:
    """An adjustable output at its lowest setting and between: full current and the surge on the highest input, where most is to
    be taken away; at the lowest, full current on the lowest input too, and no load."""
    output, (empty, _, full) = brief.output, brief.source.volts
    if output.down_to is None:
        return
    lowest, factor = output.down_to / output.voltage, output.power_factor
    beside = brief.beside.power if brief.beside else None
    also = beside.continuous if beside else 0.0, beside.surge if beside else 0.0
    low = brief.auxiliary.power.continuous if brief.auxiliary else 0.0
    for n in range(SETTINGS):
        setting = lowest + (1 - lowest) * n / SETTINGS
        told = f"set to {short(setting * output.voltage, 'V')}, "
        asked, surge = setting * brief.power.continuous, setting * brief.power.surge
        if n == 0:
            yield Point("set_low", f"{told}full current, lowest input", empty, asked, factor, also[0], setting, low)
            yield Point("set_idle", f"{told}no load, highest input", full, 0.0, 1.0, setting=setting)
        yield Point(f"set_{n + 1}", f"{told}full current, highest input", full, asked, factor, also[0], setting, low)
        yield Point(f"set_{n + 1}_surge", f"{told}surge, highest input", full, surge, factor, also[1], setting, low)
