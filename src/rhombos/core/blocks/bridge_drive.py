"""The output bridge's gate drive."""

from __future__ import annotations

from typing import Any

from rhombos.core.blocks.gate_drive import DriveNeed, DriveState, GateDriveBuild, fitted_drivers
from rhombos.core.design.brief import Brief
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.parts import Shelf

KEY: Key[GateDriveBuild, DriveState] = Key("bridge_drive")
TITLE = "Gate drive"


def need_of(bridge: Any, bus: float, modulation: float, brief: Brief) -> DriveNeed:
    """What a bridge's build, the highest voltage at its legs, V, and its modulation index ask of the gate drive."""
    stepped, line = brief.output.stepped, brief.output.frequency
    return DriveNeed(
        KEY,
        bridge.switch,
        bridge.parallel,
        bus,
        line if stepped else bridge.carrier,
        None if stepped else modulation,
        bridge.fraction,
        bridge.dead_time,
        line,
    )


def parts(build: GateDriveBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Two drivers, one for each leg (four of those that drive one switch), and their bootstrap diodes."""
    return fitted_drivers(build, 4, "bridge gate driver", shelf)
