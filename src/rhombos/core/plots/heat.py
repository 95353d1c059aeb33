"""Pictures of heat: sink and junction over the course of a surge."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from rhombos.core.blocks.cooling import surge_limit
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.h_bridge import KEY as H_BRIDGE
from rhombos.core.blocks.heat import KEY as HEAT
from rhombos.core.blocks.heat import HeatBuild
from rhombos.core.blocks.surge import Burning, Devices, OfSwitches, bridge_devices, cooling_of, front_end_devices, worst_course
from rhombos.core.frame.keys import Key
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Axis, Chart, Dot, Mark, Role, Rung, Scale, Series, curve, limits, roomy
from rhombos.core.routes.auxiliary.heat import need_of
from rhombos.core.units.quantities import fmt, short

FINE = 60
SwitchesT = TypeVar("SwitchesT", bound=OfSwitches)


def front_surge(worked: Worked) -> Chart:
    """The front end's switches over the surge."""
    return _surge(worked, FRONT_END, front_end_devices)


def bridge_surge(worked: Worked) -> Chart:
    """The output bridge's switches over the surge."""
    return _surge(worked, H_BRIDGE, bridge_devices)


def _surge(worked: Worked, block: Key[SwitchesT, Burning], devices: Callable[[SwitchesT, Any], Devices]) -> Chart:
    build = worked.builds[block]
    device = worked.shelf.transistor(build.switch)
    cooled = cooling_of(build, device, worked.brief, worked.shelf, worked.rules)
    seconds = worked.brief.surge_time
    found = worst_course(
        {k: s.states[block] for k, s in worked.settled.items()},
        worked.route.infeasible(worked.settled),
        devices(build, device),
        cooled,
        worked.rules,
        seconds,
        FINE,
    )
    if found is None:
        return Chart(key="surge", title="Heat over the surge", remark="The source cannot feed the surge: nothing to draw.")
    key, made = found
    t, c = Scale("s", seconds), Scale("degC", 1.0)
    top = roomy(cooled.limit, float(made.junction.max()))
    return Chart(
        key="surge",
        title="Heat over the surge",
        x=t.axis("time", low=0, high=seconds),
        y=c.axis("", low=0, high=top),
        series=(
            curve("hottest junction", made.time, made.junction, t, c),
            curve("heat-sink", made.time, made.sink, t, c, "second"),
        ),
        marks=limits(cooled.limit, surge_limit(worked.rules, cooled.limit), c, "degC"),
        remark=f"{worked.settled[key].point.label.capitalize()}, from full power: the junctions jump from "
        f"{fmt(made.before, 'degC')} to {fmt(float(made.junction[0]), 'degC')} at once and reach "
        f"{fmt(float(made.junction[-1]), 'degC')} after {short(seconds, 's')}; the sink's time constant is "
        f"{fmt(cooled.tau, 's')}.",
    )


PLACES = ("room", "inside", "heat-sink", "case", "junction")
TONES: tuple[Role, ...] = ("main", "third", "second", "faint")


def heat_path(worked: Worked) -> Chart:
    """From the room to the hottest junction of every stage, at its hottest steady point."""
    need = need_of(worked)
    air = need.room + worked.rules.enclosure_rise
    c = Scale("degC", 1.0)
    steps = tuple(float(i) for i in range(len(PLACES)))
    series = tuple(
        Series(name=f"{s.name}, {fmt(s.loss, 'W')}", x=steps, y=c.all([need.room, air, s.sink, s.case, s.junction]), role=tone)
        for s, tone in zip(need.stages, TONES, strict=False)
    )
    top = roomy(max((s.rating for s in need.stages), default=worked.rules.junction_limit))
    house = min((s.allowed for s in need.stages), default=worked.rules.junction_limit)
    marks = (Mark(at=c(house), label=f"house limit {short(house, 'degC')}", role="house"),)
    dots = tuple(Dot(x=steps[-1], y=c(s.junction), label="", size=8) for s in need.stages)
    return Chart(
        key="heat-path",
        title="From junction to room",
        x=Axis(label="", unit="", low=0, high=4, names=PLACES),
        y=c.axis("", low=0, high=top),
        series=series,
        marks=marks,
        dots=dots,
        remark=f"Each at its hottest steady point, the room at {short(need.room, 'degC')}; inside as the rules count on. All "
        f"that is made inside is {fmt(need.inside, 'W')}.",
    )


def heat_ladder(worked: Worked) -> Chart:
    """Fan and too-hot limits among what the heat-sinks reach and stand."""
    need = need_of(worked)
    build = worked.built(HeatBuild)
    error: float = worked.settled["nominal"].states[HEAT].error
    stands = min((s.sink + s.rating - s.junction for s in need.stages), default=None)

    def mark(label: str, at: float) -> Rung:
        return Rung(label=label, at=at, text=fmt(at, "degC"))

    def rung(label: str, at: float, tap: float, back: float | None = None) -> Rung:
        return Rung(
            label=label,
            at=at,
            text=fmt(at, "degC"),
            low=at - error,
            high=at + error,
            back=back,
            way="up",
            remark=f"{fmt(tap, 'V')} of 2.5 V",
        )

    state = worked.settled["nominal"].states[HEAT]
    rungs = (
        mark("room", need.room),
        *(mark(s.name, s.sink) for s in need.stages),
        *([mark("junctions fail", stands)] if stands else []),
        rung("Fan on", build.fan_on, state.on_tap, build.fan_off),
        rung("Too hot", build.hot, state.hot_tap),
    )
    return Chart(
        key="heat-ladder",
        title="Temperatures of the heat-sinks",
        y=Axis(label="heat-sink", unit="°C"),
        rungs=rungs,
        remark=f"{short(build.ntc, 'ohm')} thermistor (B {build.ntc_b:.0f} K) below {short(build.pull_up, 'ohm')}: give or "
        f"take {fmt(error, 'K', 2)}. It sits on one heat-sink: the hottest.",
    )
