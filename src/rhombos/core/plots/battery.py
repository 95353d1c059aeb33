"""Pictures of the source: the load profile, the five-step gauge, the cold."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.book import source
from rhombos.core.design.sources import PEUKERT, RESTING, BatterySource
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Mark, Scale, curve, roomy
from rhombos.core.units.quantities import fmt, short

STEPS = ("empty", "1 of 5", "2 of 5", "3 of 5", "4 of 5", "full")


def day(worked: Worked) -> Chart:
    """What is left in the battery over the load profile; each step settled on its own."""
    brief = worked.brief
    steps = brief.power.steps
    if not steps:
        return Chart(
            key="day",
            title="Load profile",
            rows=(("power at the socket", "for"), ("60 W", "4 h"), ("500 W", "20 min")),
            remark="Write yours in the brief, as 60 W 4 h, 500 W 20 min, to see what is left of the battery.",
        )
    drawn = _currents(worked, {w for w, _ in steps})
    battery = _of(worked)
    exponent, rated = PEUKERT[battery.chemistry]
    capacity = battery.capacity
    time, left = [0.0], [1.0]
    for watts, seconds in steps:
        # Peukert: a current empties the battery as fast as a larger one would, were its capacity free of losses at high rate
        current = drawn[watts]
        rate = 1 / source.peukert_time.work({"C_Ah": capacity, "I": current, "t_rated": rated, "peukert": exponent})
        time.append(time[-1] + seconds)
        left.append(left[-1] - rate * seconds)
    y = Scale("%", 1.0)
    hours = Scale("1", 1.0)
    shown = np.array(time) / 3600
    end = left[-1]
    told = (
        f"{fmt(max(end, 0.0), '%', 2)} is left after {fmt(time[-1], 's')}"
        if end >= 0
        else f"it is empty after {fmt(float(np.interp(0, left[::-1], time[::-1])), 's')} of {fmt(time[-1], 's')}"
    )
    return Chart(
        key="day",
        title="Load profile",
        x=hours.axis("hours", low=0, high=float(shown[-1])),
        y=y.axis("left", low=min(0.0, roomy(-end) * -1 if end < 0 else 0.0), high=1.0),
        series=(curve("left in the battery", shown, left, hours, y),),
        marks=(Mark(at=y(0.2), label="reserve: 20 %", role="house"),),
        remark=f"From {short(capacity, 'A*h')}: {told}, with the losses of every step and the no-load power."
        + (f" Peukert's exponent {exponent:g}, capacity for {rated / 3600:g} h." if exponent > 1 else ""),
    )


def _currents(worked: Worked, powers: set[float]) -> dict[float, float]:
    """Battery current at each power at the socket, on the nominal battery, A; an auxiliary output draws its own at any time."""
    nominal = worked.settled["nominal"].point
    points = {
        f"step {w:g}": replace(
            nominal, key=f"step {w:g}", label=f"{w:g} W", power=w, power_factor=nominal.power_factor if w else 1.0, beside=0.0
        )
        for w in sorted(powers)
    }
    settled = worked.route.converge_all(worked.builds, worked.brief, worked.shelf, worked.rules, points=points, tolerance=1e-3)
    return {w: settled[f"step {w:g}"].states[SOURCE].current for w in powers}


def gauge(worked: Worked) -> Chart:
    """Resting voltages of a five-step gauge."""
    battery = _of(worked)
    volts = [battery.cells * v for v in RESTING[battery.chemistry]]
    rows = (
        ("shows", "rested battery above", "from the step below"),
        *(
            (name, fmt(v, "V", 4), fmt(v - b, "V", 2) if b else "")
            for name, v, b in reversed(list(zip(STEPS, volts, [0.0, *volts[:-1]], strict=True)))
        ),
    )
    return Chart(
        key="gauge",
        title="Five-step gauge",
        rows=rows,
        remark=f"Typical of {battery.cells} rested {battery.chemistry} cells at 25 °C, half an hour unloaded; measure yours.",
    )


def _of(worked: Worked) -> BatterySource:
    assert isinstance(worked.brief.source, BatterySource)
    return worked.brief.source
