"""The operating points at which every design is judged."""

from __future__ import annotations

from dataclasses import dataclass

from rhombos.core.design.brief import Brief


@dataclass(frozen=True, slots=True)
class Point:
    """One operating point: `emf` of the battery, V; `power` asked by the load, W; the power factor it asks it at."""

    key: str
    label: str
    emf: float
    power: float
    power_factor: float


STEADY = ("nominal", "low", "high")
"""Points held long enough to be hot."""


LIMIT = "limit"
"""The battery at its over-voltage limit: for moments, so that ratings count there, and no margin."""
OVER_FULL = 1.06
"""Highest battery that the over-voltage limit may allow, with every tolerance at its end, over the charging one."""


def operating_points(brief: Brief) -> dict[str, Point]:
    """Full power at nominal, flat and full battery, the surge at both ends; no load at the nominal and the charging battery,
    and at the over-voltage limit."""
    empty, nominal, full = brief.source.volts
    asked, surge, factor = brief.power.continuous, brief.power.surge, brief.power.power_factor
    points = (
        Point("nominal", "full power, nominal battery", nominal, asked, factor),
        Point("low", "full power, flat battery", empty, asked, factor),
        Point("high", "full power, charging battery", full, asked, factor),
        Point("surge_low", "surge, flat battery", empty, surge, factor),
        Point("surge_high", "surge, charging battery", full, surge, factor),
        Point("idle", "no load, nominal battery", nominal, 0.0, 1.0),
        Point("idle_high", "no load, charging battery", full, 0.0, 1.0),
        Point(LIMIT, "no load, battery at its over-voltage limit", OVER_FULL * full, 0.0, 1.0),
    )
    return {p.key: p for p in points}
