"""Pictures of heat: sink and junction over the course of a surge."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rhombos.core.blocks.cooling import surge_limit
from rhombos.core.blocks.surge import Devices, bridge_devices, cooling_of, front_end_devices, worst_course
from rhombos.core.plots.model import Chart, Scale, curve, limits, roomy
from rhombos.core.solve import Worked
from rhombos.core.units import fmt, short

FINE = 60


def front_surge(worked: Worked) -> Chart:
    """The front end's switches over the surge."""
    return _surge(worked, "front_end", front_end_devices)


def bridge_surge(worked: Worked) -> Chart:
    """The output bridge's switches over the surge."""
    return _surge(worked, "h_bridge", bridge_devices)


def _surge(worked: Worked, block: str, devices: Callable[[Any, Any], Devices]) -> Chart:
    build: Any = worked.builds[block]
    device: Any = worked.shelf.find("mosfet|igbt", build.switch)
    cooled = cooling_of(build, device, worked.brief, worked.shelf, worked.rules)
    seconds = worked.brief.power.surge_time
    found = worst_course(
        {k: s.states[block] for k, s in worked.settled.items()}, worked.route.hopeless(worked.settled),
        devices(build, device), cooled, worked.rules, seconds, FINE)  # fmt: skip
    if found is None:
        return Chart(key="surge", title="Heat over the surge", remark="The battery cannot feed the surge: nothing to draw.")
    key, made = found
    t, c = Scale("s", seconds), Scale("degC", 1.0)
    top = roomy(cooled.limit, float(made.junction.max()))
    return Chart(
        key="surge", title="Heat over the surge", x=t.axis("time", low=0, high=seconds), y=c.axis("", low=0, high=top),
        series=(curve("hottest junction", made.time, made.junction, t, c),
                curve("heat-sink", made.time, made.sink, t, c, "second")),
        marks=limits(cooled.limit, surge_limit(worked.rules, cooled.limit), c, "degC"),
        remark=f"{worked.settled[key].point.label.capitalize()}, from full power: the junctions jump from "
               f"{fmt(made.before, 'degC')} to {fmt(float(made.junction[0]), 'degC')} at once and reach "
               f"{fmt(float(made.junction[-1]), 'degC')} after {short(seconds, 's')}; the sink's time constant is "
               f"{fmt(cooled.tau, 's')}.")  # fmt: skip
