"""A stage with its gate drive: each asks something of the other."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rhombos.core.blocks import bridge_drive, front_drive, front_end, gate_drive, h_bridge
from rhombos.core.control.gates import GateLoop
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Driver, Shelf
from rhombos.core.routes.base import Settled

SURGED = 1.03
"""What the modulation may still grow by, from a proposal to the surge."""


def drive_of(
    bridge: h_bridge.HBridgeBuild,
    bus: float,
    modulation: float,
    brief: Brief,
    pins: Mapping[str, Mapping[str, Any]],
    shelf: Shelf,
    rules: Rules,
) -> tuple[gate_drive.GateDriveBuild, h_bridge.HBridgeBuild]:
    """The gate drive for a proposed bridge on a bus, V, and the bridge with the dead time that this drive asks for."""
    need = bridge_drive.need_of(bridge, bus * (1 + h_bridge.STRAY_SPIKE), min(1.0, SURGED * modulation), brief)
    drive: gate_drive.GateDriveBuild = gate_drive.propose(
        need, brief, dict(pins["bridge_drive"]), shelf, rules, gate_drive.GateDriveBuild
    )
    loop = gate_loop(drive, bridge.parallel, shelf)
    return drive, h_bridge.matched(bridge, loop, pins["h_bridge"], shelf)


def gate_loop(drive: gate_drive.GateDriveBuild, parallel: int, shelf: Shelf) -> GateLoop:
    """The loop of one gate of a stage with so many switches in parallel."""
    return gate_drive.loop_of(drive, parallel, shelf.get(Driver, drive.driver))


def front_drive_of(
    stage: front_end.FrontEndBuild, rail: float, duty: float, brief: Brief, pins: Mapping[str, Any], shelf: Shelf, rules: Rules
) -> front_drive.FrontDriveBuild:
    """The gate drive for a proposed front end on its highest rail, V, at the largest duty of a switch."""
    made: front_drive.FrontDriveBuild = gate_drive.propose(
        front_drive.need_of(stage, rail, duty),
        brief,
        dict(pins) | {"topology": stage.topology},
        shelf,
        rules,
        front_drive.FrontDriveBuild,
    )
    return made


def drives(
    s: Settled, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> dict[str, gate_drive.DriveState]:
    """The gate drives that there are, judged at a settled point."""
    return {
        key: gate_drive.assess(need(s, builds, brief), builds[key], brief, shelf, rules, worksheet)
        for key, need in ((front_drive.KEY, front_need), (bridge_drive.KEY, drive_need))
        if key in builds
    }


def front_need(s: Settled, builds: Mapping[str, Any], brief: Brief) -> gate_drive.DriveNeed:
    """What a settled front end asks of its gate drive."""
    return front_drive.need_of(builds["front_end"], brief.source.volts[2], s.states["front_end"].duty)


def drive_need(s: Settled, builds: Mapping[str, Any], brief: Brief) -> gate_drive.DriveNeed:
    """What a settled bridge asks of its gate drive."""
    state: h_bridge.BridgeState = s.states["h_bridge"]
    return bridge_drive.need_of(builds["h_bridge"], state.switch_voltage, min(1.0, state.modulation), brief)
