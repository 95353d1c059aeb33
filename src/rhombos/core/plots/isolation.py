"""Tables of isolation: what crosses by which part, and what the output's reading is off by."""

from __future__ import annotations

from typing import Any

from rhombos.core.blocks.isolation import CONVERTER, DRIFT, HALF, crossings
from rhombos.core.plots.model import Chart
from rhombos.core.routes.beside.isolation import need_of
from rhombos.core.solve import Worked
from rhombos.core.units import fmt, short


def map_table(worked: Worked) -> Chart:
    """Every crossing with the part that is rated for it."""
    need = need_of(worked.settled, worked.builds, worked.brief, worked.shelf)
    build: Any = worked.builds["isolation"]
    rows = [("crossing", "from – to", "by", "")]
    for c in crossings(build, need):
        rows.append((c.name, f"{c.first} – {c.second}", c.part, "kept" if c.rated else "OPEN"))
    return Chart(
        key="crossings", title="What crosses, and by what", rows=tuple(rows),
        remark="Measure beyond the barrier with a differential probe; the ground clip goes on battery negative, and only where "
               "that is earthed nowhere else. Switch off, wait, measure, then touch.")  # fmt: skip


def sense_budget(worked: Worked) -> Chart:
    """What the reading of the output is off by, part by part."""
    build: Any = worked.builds["isolation"]
    now: Any = worked.settled["nominal"].states["isolation"]
    rules, out = worked.rules, worked.brief.output.voltage
    peak = 2**0.5 * out
    rows = (
        ("source of error", "share", "at the output"),
        ("divider, two resistors", fmt(2 * rules.resistor_tolerance, "%", 2), fmt(2 * rules.resistor_tolerance * out, "V", 2)),
        ("reference", fmt(rules.reference_tolerance, "%", 2), fmt(rules.reference_tolerance * out, "V", 2)),
        ("half a count", fmt(now.step / 2 / peak, "%", 2), fmt(now.step / 2, "V", 2)),
        ("drift after calibration", fmt(DRIFT, "%", 2), fmt(DRIFT * out, "V", 2)),
        ("fresh", fmt(now.error_fresh, "%", 2), fmt(now.error_fresh * out, "V", 2)),
        ("as built", fmt(now.error, "%", 2), fmt(now.error * out, "V", 2)),
    )
    middle = round(HALF * 2**build.bits)
    top = round((HALF + now.at_converter / CONVERTER * peak / max(1e-9, _peak(worked))) * 2**build.bits)
    return Chart(
        key="sense-budget", title="What the output's reading is off by", rows=rows,
        remark=f"{short(build.sense_top, 'ohm')} over {short(build.sense_bottom, 'ohm')}: 0 V reads {middle} counts, the peak "
               f"of "
               f"{short(out, 'V')} {top}; a count is {fmt(now.step, 'V', 2)}. Clamp the input, filter below half the sampling "
               f"rate, "
               "calibrate near zero and near full output.")  # fmt: skip


def _peak(worked: Worked) -> float:
    return need_of(worked.settled, worked.builds, worked.brief, worked.shelf).peak
