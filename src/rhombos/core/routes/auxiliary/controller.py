"""What a settled path with a link is to its controller."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from rhombos.core.blocks import dc_link, link_loop
from rhombos.core.blocks.front_drive import KEY as FRONT_DRIVE
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.h_bridge import KEY as H_BRIDGE
from rhombos.core.blocks.output_filter import KEY as OUTPUT_FILTER
from rhombos.core.control.gates import dead_time_needed
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import LOWEST_SET
from rhombos.core.parts import Mosfet, Shelf
from rhombos.core.routes.converge import LinkSettled
from rhombos.core.routes.driven import gate_loop

if TYPE_CHECKING:
    from rhombos.core.routes.base import Route


def need_of(s: LinkSettled, worst: float, builds: Builds, shelf: Shelf, rules: Rules) -> link_loop.ControllerNeed:
    """The need at a settled point; `worst` is the largest pulse of all points, A."""
    stage, linked = s.states[FRONT_END], s.states[dc_link.KEY]
    device = shelf.get(Mosfet, builds[FRONT_END].switch)
    loop = gate_loop(builds[FRONT_DRIVE], builds[FRONT_END].parallel, shelf)
    # a stepped wave's output is the link itself: it may fall by as much as the output may stray
    highest = builds[dc_link.KEY].voltage if builds[dc_link.KEY].held else linked.voltage
    floor = linked.voltage - dc_link.STEP_FALLS * highest
    if H_BRIDGE not in builds:  # beside its set-point's tolerance and ripple
        floor = linked.needed - linked.voltage * rules.link_tolerance - linked.ripple / 2
    if OUTPUT_FILTER in builds:
        floor = linked.needed * rules.modulation_limit
    return link_loop.ControllerNeed(
        path=s.path,
        duty=min(0.5, stage.crest_duty),
        link=linked.voltage,
        off_time=dead_time_needed(device, loop),
        pulse=worst,
        pulse_rms=stage.side_rms * math.sqrt(2),
        ripple=linked.ripple / s.swing.ripple,
        power=s.flow["h_bridge"] if "h_bridge" in s.flow else s.flow["load"],
        demand=s.demand,
        floor=floor,
        heat=s.heat,
        regulated=builds[dc_link.KEY].held,
        rises=s.full / s.point.emf,
    )


def link_need(
    route: Route, settled: Mapping[str, LinkSettled], builds: Builds, shelf: Shelf, rules: Rules
) -> link_loop.ControllerNeed:
    """What the controller meets at full power on the lowest input."""
    need = need_of(settled["low"], worst_pulse(route, settled), builds, shelf, rules)
    return replace(need, least=least_set(settled))


def least_set(settled: Mapping[str, LinkSettled]) -> float:
    """The link at the lowest setting of an adjustable output, V; infinite where there is one setting."""
    return float(settled[LOWEST_SET].states[dc_link.KEY].voltage) if LOWEST_SET in settled else math.inf


def worst_pulse(route: Route, settled: Mapping[str, LinkSettled]) -> float:
    """The largest pulse of the points that can be held, A."""
    out = route.infeasible(settled)
    held = [s.crest for key, s in settled.items() if key not in out]
    return float(max(held or [s.crest for s in settled.values()]))
