"""What lies beside the path of every route: proposed once the path stands, settled and reported with it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from rhombos.core.blocks.base import Build
from rhombos.core.design.pins import Pins
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import Auxiliary
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.routes.auxiliary import heat, isolation, precharge, protection, setting

SHARED: tuple[Auxiliary, ...] = (precharge.STAGE, protection.STAGE, heat.STAGE, isolation.STAGE, setting.STAGE)
SHARED_BUILDS: Mapping[str, type[Build]] = {stage.key: stage.build for stage in SHARED}


def wanted(at: Sizing) -> tuple[Auxiliary, ...]:
    """Those of them that a brief asks for."""
    return tuple(stage for stage in SHARED if stage.wanted(at))


def propose_shared(at: Sizing, pins: Pins) -> dict[str, Build]:
    """Every block beside the path, each for the path as it has settled and for those before it. Pinned fields stay."""
    found: dict[str, Build] = {}
    for stage in wanted(at):
        so_far = replace(at, builds=at.builds | found)
        found[stage.key] = stage.propose(so_far, dict(pins.get(stage.key, {})))
    return found


def assess_shared(at: Sizing, worksheets: Mapping[str, Worksheet]) -> dict[str, Settled]:
    """The settled points with the states beside the path: each the same at every point."""
    found: dict[str, object] = {stage.key: stage.assess(at, worksheets["nominal"]) for stage in wanted(at)}
    return {key: replace(s, states=s.states | found) for key, s in at.settled.items()}
