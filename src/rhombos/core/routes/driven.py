"""A stage with its gate drive: each asks something of the other."""

from __future__ import annotations

from rhombos.core.blocks import bridge_drive, front_drive, front_end, gate_drive, h_bridge
from rhombos.core.control.gates import GateLoop
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields, Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Driver, Shelf

SURGED = 1.03
"""What the modulation may still grow by, from a proposal to the surge."""


def drive_of(
    bridge: h_bridge.HBridgeBuild,
    bus: float,
    modulation: float,
    brief: Brief,
    pins: Pins,
    shelf: Shelf,
    rules: Rules,
) -> tuple[gate_drive.GateDriveBuild, h_bridge.HBridgeBuild]:
    """The gate drive for a proposed bridge on a bus, V, and the bridge with the dead time that this drive asks for."""
    need = bridge_drive.need_of(bridge, bus * (1 + h_bridge.STRAY_SPIKE), min(1.0, SURGED * modulation), brief)
    drive = gate_drive.propose(need, brief, dict(pins["bridge_drive"]), shelf, rules, gate_drive.GateDriveBuild)
    loop = gate_loop(drive, bridge.parallel, shelf)
    return drive, h_bridge.matched(bridge, loop, pins["h_bridge"], shelf)


def gate_loop(drive: gate_drive.GateDriveBuild, parallel: int, shelf: Shelf) -> GateLoop:
    """The loop of one gate of a stage with so many switches in parallel."""
    return gate_drive.loop_of(drive, parallel, shelf.get(Driver, drive.driver))


def front_drive_of(
    stage: front_end.FrontEndBuild, rail: float, duty: float, brief: Brief, pins: Fields, shelf: Shelf, rules: Rules
) -> front_drive.FrontDriveBuild:
    """The gate drive for a proposed front end on its highest rail, V, at the largest duty of a switch."""
    return gate_drive.propose(
        front_drive.need_of(stage, rail, duty),
        brief,
        pins | {"topology": stage.topology},
        shelf,
        rules,
        front_drive.FrontDriveBuild,
    )


def drives(
    s: Settled, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> dict[str, gate_drive.DriveState]:
    """The gate drives that there are, judged at a settled point."""
    return {
        key: gate_drive.assess(need(s, builds, brief), drive, brief, shelf, rules, worksheet)
        for key, need in ((front_drive.KEY, front_need), (bridge_drive.KEY, drive_need))
        if (drive := builds.get(key)) is not None
    }


def front_need(s: Settled, builds: Builds, brief: Brief) -> gate_drive.DriveNeed:
    """What a settled front end asks of its gate drive."""
    return front_drive.need_of(builds[front_end.KEY], brief.source.volts[2], s.states[front_end.KEY].duty)


def drive_need(s: Settled, builds: Builds, brief: Brief) -> gate_drive.DriveNeed:
    """What a settled bridge asks of its gate drive."""
    state: h_bridge.BridgeState = s.states[h_bridge.KEY]
    return bridge_drive.need_of(builds[h_bridge.KEY], state.switch_voltage, min(1.0, state.modulation), brief)
