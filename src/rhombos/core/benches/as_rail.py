"""A design's own DC socket as the rail that feeds another design: two boards, the one behind the other."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from rhombos.core.blocks import controller, dc_link
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.design.outputs import DcOutput
from rhombos.core.design.problems import from_validation
from rhombos.core.design.sources import RailSource
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.solve import Worked

LEAST_RESISTANCE = 1e-5
"""What every supply has, Ω."""
HALF = "half"
"""A point of its own at half the power asked."""


class NoRail(ValueError):
    """Nothing that a design gives is a DC rail; the message says why."""


def as_rail(worked: Worked) -> RailSource:
    """What another design meets at this one's DC socket.

    Its band is that of every steady point and of no load, with the set-point's tolerance, the ripple, and the dip at a step of
    its load; it gives what it was sized for in its surge, and no more; its resistance is what its steady voltage falls by from
    half to full power; its capacitor is the link's bank. An adjustable one is met at its highest setting. Raises: NoRail.
    """
    output, settled = worked.brief.output, worked.settled
    if not isinstance(output, DcOutput):
        raise NoRail(f"its socket is {output.described}; only a DC socket feeds another design")
    lost = worked.route.infeasible(settled)
    if lost & set(STEADY):
        raise NoRail("its source cannot give full power; mend that first")
    build, now = worked.builds[dc_link.KEY], settled["nominal"].states
    points = {k: settled[k] for k in (*STEADY, "idle", "idle_high")}
    volts = {k: worked.socket_volts(s.states) for k, s in points.items()}
    tolerance = worked.rules.link_tolerance if build.held else 0.0
    ripple = max(float(s.states[dc_link.KEY].ripple) for s in points.values())
    dip = max(float(settled[k].states[controller.KEY].dip) for k in STEADY) if build.held else 0.0
    nominal = volts["nominal"]
    half = worked.route.converge_all(
        worked.builds, worked.brief, worked.shelf, worked.rules, start=settled, points={HALF: settled["nominal"].point.at(0.5)}
    )[HALF].states
    falls = worked.socket_volts(half) - nominal
    given: dict[str, Any] = {
        "nominal": nominal,
        "lowest": min(volts.values()) * (1 - tolerance) - max(ripple / 2, dip),
        "highest": max(volts.values()) * (1 + tolerance) + ripple / 2,
        "limit": output.power.surge / nominal,
        "resistance": max(LEAST_RESISTANCE, falls / (now[LOAD].current - half["load"].current)),
        "capacitance": dc_link.capacitance(build, worked.shelf),
    }
    try:
        return RailSource.model_validate({name: float(f"{value:.4g}") for name, value in given.items()})
    except ValidationError as error:
        faults = from_validation(error, RailSource)
        raise NoRail("; ".join(p.message for p in faults)) from None
