"""The front end's gate drive: on ground in a push-pull, half of it floating in a half- or full bridge."""

from __future__ import annotations

from typing import Any

from rhombos.core.blocks.base import by_route
from rhombos.core.blocks.gate_drive import DriveNeed, DriveState, GateDriveBuild, fitted_drivers
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.frame.topology import TOPOLOGIES, TopologyName
from rhombos.core.parts import Shelf

KEY: Key[FrontDriveBuild, DriveState] = Key("front_drive")
TITLE = "Front-end gate drive"


class FrontDriveBuild(GateDriveBuild):
    """Driver, gate resistors and bootstrap for a topology."""

    topology: TopologyName = by_route("Topology")


def need_of(stage: Any, rail: float, duty: float) -> DriveNeed:
    """What a front end's build asks at a rail, V, and a duty of one switch; between the two sides lies what the duty leaves."""
    duty = min(0.4999, max(1e-3, duty))
    return DriveNeed(
        KEY,
        stage.switch,
        stage.parallel,
        rail,
        stage.frequency,
        None,
        1.0,
        (0.5 - duty) / stage.frequency,
        0.0,
        TOPOLOGIES[stage.topology].clamped,
        duty,
    )


def parts(build: FrontDriveBuild, shelf: Shelf) -> tuple[Item, ...]:
    """A driver for each pair of positions, or one for each, and their bootstrap diodes."""
    return fitted_drivers(build, TOPOLOGIES[build.topology].positions, "front-end gate driver", shelf)
