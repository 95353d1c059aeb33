"""The operating points at which every design is judged."""

from __future__ import annotations

from dataclasses import dataclass, replace

from rhombos.core.design.brief import Brief


@dataclass(frozen=True, slots=True)
class Point:
    """One operating point: `emf` of the source, V; `power` asked by the load, W; the power factor it asks it at; what a
    second socket beside it is asked, W."""

    key: str
    label: str
    emf: float
    power: float
    power_factor: float
    beside: float = 0.0

    @property
    def total(self) -> float:
        """What all sockets are asked, W."""
        return self.power + self.beside

    def at(self, share: float) -> Point:
        """The same at a share of the power of every socket."""
        return replace(self, power=share * self.power, beside=share * self.beside)


STEADY = ("nominal", "low", "high")
"""Points held long enough to be hot."""


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
    asked = brief.power.continuous, factor, beside.continuous if beside else 0.0
    surge = brief.power.surge, factor, beside.surge if beside else 0.0
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
    return {p.key: p for p in points}
