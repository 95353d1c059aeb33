"""Which side everything belongs to, and what crosses between them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from rhombos.core.blocks import isolation as block
from rhombos.core.blocks import isolation_report
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.ledger import Ledger
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.sheet import Sheet
from rhombos.core.parts import Driver, Shelf

Build = block.IsolationBuild
BARE = "bare divider"
OWN_SUPPLY = "driver behind the controller's isolator"
"""What a high-side driver without a barrier of its own is taken to stand behind: signals cross before it."""


def need_of(settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf) -> block.IsolationNeed:
    """Highest voltages, and what crosses by which part of the other blocks."""
    empty, _, full = brief.source.volts
    out = brief.output.voltage
    steady = [settled[k].states for k in (*STEADY, "idle")]
    beyond = "dc_link" in builds
    link = max((s["dc_link"].peak for s in steady), default=0.0) if beyond else 0.0
    highest = out
    if "protection" in builds:
        highest = max(out, builds["protection"].output_high)
    direct = brief.output.direct
    crest = 1.0 if direct else math.sqrt(2)
    barrier = beyond or "iron_transformer" in builds
    bus = link if barrier else full
    peak = max(highest * crest, bus if brief.output.stepped or direct else 0.0)
    steering = builds.get("controller")
    feedback = getattr(steering, "feedback", "none")
    drive = builds.get("bridge_drive")
    driver = shelf.get(Driver, drive.driver) if drive is not None else None
    isolated = driver is not None and driver.kind in ("isolated", "transformer", "opto")
    return block.IsolationNeed(
        empty,
        full,
        link,
        peak,
        out,
        beyond,
        feedback,
        feedback != BARE,
        driver.kind if isolated and driver else OWN_SUPPLY,
        True,
        brief.output.frequency,
        builds["h_bridge"].carrier if "h_bridge" in builds and not brief.output.stepped else 0.0,
        barrier,
    )


def propose(
    settled: Mapping[str, Any], builds: Mapping[str, Any], pins: dict[str, Any], brief: Brief, shelf: Shelf, rules: Rules
) -> block.IsolationBuild:
    """Barriers kept whole, a sense chain with room."""
    return block.propose(need_of(settled, builds, brief, shelf), pins, rules)


def settle(
    settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> block.IsolationState:
    """What it must stand and what it tells."""
    return block.assess(need_of(settled, builds, brief, shelf), builds[block.KEY], rules, ledger)


def report(sheet: Sheet, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief) -> BlockReport:
    """Figures and findings."""
    return isolation_report.report(sheet, need_of(settled, builds, brief, sheet.shelf))
