"""The operating points at which every design is judged."""

from __future__ import annotations

from dataclasses import dataclass

from rhombos.core.design.brief import Brief


@dataclass(frozen=True, slots=True)
class Point:
    """One operating point: `emf` of the source, V; `power` asked by the load, W; the power factor it asks it at."""

    key: str
    label: str
    emf: float
    power: float
    power_factor: float


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
    asked, surge, factor = brief.power.continuous, brief.power.surge, brief.output.power_factor
    points = (
        Point("nominal", "full power, nominal input", nominal, asked, factor),
        Point("low", "full power, lowest input", empty, asked, factor),
        Point("high", "full power, highest input", full, asked, factor),
        Point("surge_low", "surge, lowest input", empty, surge, factor),
        Point("surge_high", "surge, highest input", full, surge, factor),
        Point("idle", "no load, nominal input", nominal, 0.0, 1.0),
        Point("idle_high", "no load, highest input", full, 0.0, 1.0),
        Point(LIMIT, "no load, source at its over-voltage limit", OVER_FULL * full, 0.0, 1.0),
    )
    return {p.key: p for p in points}
