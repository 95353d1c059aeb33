"""The socket's side of a link: bridge, filter and load made to agree at a load and a link, whatever the source does."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

from rhombos.core.blocks import dc_link, gate_drive, h_bridge, load, output_filter
from rhombos.core.blocks.bridge_drive import KEY as BRIDGE_DRIVE
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import DcOutput
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import Point
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes.base import HOTTEST
from rhombos.core.routes.driven import gate_loop
from rhombos.core.routes.passes import MOST_PASSES, SETTLED
from rhombos.core.waves.pulsation import Demand, Pulsation
from rhombos.core.waves.pulsation import drawn as drawn_by
from rhombos.core.waves.stepped import Fed, step_demand


@dataclass(frozen=True)
class Socket:
    """The settled side of bridge, filter and load at a link, V: what it draws from it, W, with its states and working.

    `drawn` is the load at the voltage it gets. Where the socket is the link itself there is no bridge.
    """

    link: float
    drawn: load.LoadState
    filtered: output_filter.FilterState | None
    bridged: h_bridge.BridgeState | None
    to_filter: float
    to_bridge: float
    worksheet: Worksheet

    def link_need(
        self, current: float, choke_ripple: float, climb: float, builds: Builds, swing: Pulsation, brief: Brief
    ) -> dc_link.LinkNeed:
        """What this side draws from the link at a mean current, A."""
        drawn, bridged = self.drawn, self.bridged
        if isinstance(brief.output, DcOutput):
            level = None if builds[dc_link.KEY].held else self.link
            switched = builds[FRONT_END].frequency
            return dc_link.LinkNeed(
                0.0, 0.0, 1.0, 1.0, current, choke_ripple, brief.output.lowest, level=level, climb=climb, direct=switched
            )
        assert bridged is not None
        build = builds[h_bridge.KEY]
        if self.filtered is None:
            taken = drawn_by(self.demand(build))
            return dc_link.LinkNeed(
                drawn.apparent,
                bridged.line_peak,
                1.0,
                drawn.power_factor,
                current,
                choke_ripple,
                drawn.rated / math.sqrt(build.fraction),
                taken,
                self.link,
                climb,
                swing,
            )
        return dc_link.LinkNeed(
            self.apparent,
            math.sqrt(2) * self.filtered.line_current,
            bridged.modulation,
            self.filtered.power_factor,
            current,
            choke_ripple,
            bridged.bridge_peak,
            level=self.link,
            climb=climb,
            swing=swing,
        )

    def demand(self, build: h_bridge.HBridgeBuild | None) -> Demand:
        """How what the bridge draws swings at twice the line, over its mean."""
        if self.drawn.power <= 0 or build is None:
            return ()
        if self.filtered is None:
            return step_demand(build.fraction, self.drawn.power_factor)
        return self._sine_demand

    @cached_property
    def _sine_demand(self) -> Demand:
        flows = self.filtered.flows.demand if self.filtered else ()
        return tuple(d / self.to_bridge for d in flows)

    @cached_property
    def apparent(self) -> float:
        """What a sine's bridge swings with at twice the line, VA: its fundamental and the inductor's current."""
        if self.bridged is None:
            return 0.0
        if self.filtered is None:
            return self.drawn.apparent
        return drawn_by(self._sine_demand).swing * self.to_bridge / 2


def converge_socket(point: Point, link: float, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules) -> Socket:
    """Bridge, filter and load at a load and a link, V: modulation and temperatures agree with the drops and losses they
    make. The link's peak is not known yet: the bridge stands at its mean."""
    at_socket = replace(point, key="", label="", emf=0.0)  # the source does not matter there
    if h_bridge.KEY not in builds:
        worksheet = Worksheet()
        drawn = load.assess(point, brief, worksheet, link)
        return Socket(link, drawn, None, None, drawn.power, drawn.power, worksheet)
    return _socket(
        at_socket,
        link,
        builds[dc_link.KEY],
        builds[h_bridge.KEY],
        builds[BRIDGE_DRIVE],
        builds.get(output_filter.KEY),
        brief,
        shelf,
        rules,
    )


@lru_cache(maxsize=256)
def _socket(
    point: Point,
    link_v: float,
    link: dc_link.DcLinkBuild,
    bridge: h_bridge.HBridgeBuild,
    drive: gate_drive.GateDriveBuild,
    filtering: output_filter.OutputFilterBuild | None,
    brief: Brief,
    shelf: Shelf,
    rules: Rules,
) -> Socket:
    carrier, loop = bridge.carrier, gate_loop(drive, bridge.parallel, shelf)
    worksheet = Worksheet()
    stepped_free = filtering is None and not link.held
    gets = brief.output.voltage * (link_v / link.voltage if stepped_free else 1.0)
    drawn = load.assess(point, brief, worksheet, gets, Fed(bridge.fraction))
    if filtering is None:
        bridged = h_bridge.assess(
            h_bridge.BridgeNeed(link_v, link_v, drawn.rms, drawn.power_factor, drawn.peak_current, 0.0, link_v),
            bridge,
            brief,
            shelf,
            rules,
            worksheet,
            loop,
        )
        return Socket(link_v, drawn, None, bridged, drawn.power, drawn.power + bridged.loss, worksheet)
    index, dead, resistance, celsius = 0.9, 0.0, 0.0, 75.0
    for _ in range(MOST_PASSES):
        filtered = output_filter.assess(
            output_filter.FilterNeed(
                drawn.voltage,
                drawn.frequency,
                drawn.current,
                drawn.power_factor,
                link_v,
                carrier,
                index,
                resistance,
                dead,
                celsius,
                crest_power=drawn.crest_power,
            ),
            filtering,
            brief,
            shelf,
            rules,
            worksheet,
        )
        bridged = h_bridge.assess(
            h_bridge.BridgeNeed(
                link_v, link_v, filtered.rms, filtered.power_factor, filtered.peak, filtered.ripple_rms, filtered.fundamental
            ),
            bridge,
            brief,
            shelf,
            rules,
            worksheet,
            loop,
        )
        moved = max(
            abs(bridged.modulation - index),
            abs(min(filtered.temperature, HOTTEST) - celsius) / 1e3,
            abs(2 * bridged.resistance - resistance) / max(resistance, 1e-6) * 1e-2,
        )
        index, dead = bridged.modulation, bridged.dead_time_loss_volts
        resistance, celsius = 2 * bridged.resistance, min(filtered.temperature, HOTTEST)
        if moved < SETTLED:
            break
    drawn = load.assess(point, brief, worksheet, gets, seen=filtered.flows.load)
    to_filter = drawn.power + filtered.loss
    return Socket(link_v, drawn, filtered, bridged, to_filter, to_filter + bridged.loss, worksheet)
