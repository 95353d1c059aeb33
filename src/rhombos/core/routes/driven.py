"""A bridge with its gate drive: each asks something of the other."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rhombos.core.blocks import bridge_drive, h_bridge
from rhombos.core.brief import Brief
from rhombos.core.parts import Driver, Shelf
from rhombos.core.routes.base import Settled
from rhombos.core.rules import Rules

SURGED = 1.02
"""What the modulation may still grow by, from a proposal to the surge."""


def drive_of(
    bridge: h_bridge.HBridgeBuild, bus: float, modulation: float, brief: Brief, pins: Mapping[str, Mapping[str, Any]],
    shelf: Shelf, rules: Rules,
) -> tuple[bridge_drive.BridgeDriveBuild, h_bridge.HBridgeBuild]:  # fmt: skip
    """The gate drive for a proposed bridge on a bus, V, and the bridge with the dead time that this drive asks for."""
    need = bridge_drive.need_of(bridge, bus * (1 + h_bridge.STRAY_SPIKE), min(1.0, SURGED * modulation), brief)
    drive: bridge_drive.BridgeDriveBuild = bridge_drive.propose(need, brief, dict(pins["bridge_drive"]), shelf, rules)
    loop = bridge_drive.loop_of(drive, bridge.parallel, shelf.get(Driver, drive.driver))
    return drive, h_bridge.matched(bridge, loop, pins["h_bridge"], shelf)


def drive_need(s: Settled, builds: Mapping[str, Any], brief: Brief) -> bridge_drive.DriveNeed:
    """What a settled bridge asks of its gate drive."""
    state: h_bridge.BridgeState = s.states["h_bridge"]
    return bridge_drive.need_of(builds["h_bridge"], state.switch_voltage, min(1.0, state.modulation), brief)
