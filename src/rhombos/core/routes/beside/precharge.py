"""The precharge of the bank that the source meets first."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rhombos.core.blocks import input_stage, precharge_report
from rhombos.core.blocks import precharge as block
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.ledger import Ledger
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.sheet import Sheet
from rhombos.core.parts import Fuse, Shelf
from rhombos.core.routes.supply import source_of

Build = block.PrechargeBuild


def need_of(builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules) -> block.PrechargeNeed:
    """The input bank behind source and cable, at the highest voltage of the source."""
    full = brief.source.volts[2]
    cells = source_of(full, builds, brief, shelf, rules)
    entry = builds["input_stage"]
    carried = shelf.get(Fuse, entry.fuse).i_rating
    return block.PrechargeNeed(
        full,
        cells.resistance,
        input_stage.LOOP * brief.source.cable_length,
        cells.capacitance,
        input_stage.esr(entry, shelf),
        carried,
    )


def propose(
    settled: Mapping[str, Any], builds: Mapping[str, Any], pins: dict[str, Any], brief: Brief, shelf: Shelf, rules: Rules
) -> block.PrechargeBuild:
    """A resistor, and a sequence about it."""
    return block.propose(need_of(builds, brief, shelf, rules), pins, shelf, rules)


def settle(
    settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> block.PrechargeState:
    """It does not know of the load that comes after it."""
    return block.assess(need_of(builds, brief, shelf, rules), builds[block.KEY], shelf, rules, ledger)


def report(sheet: Sheet, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief) -> BlockReport:
    """Figures and findings."""
    return precharge_report.report(
        sheet, sheet.shelf.get(Fuse, builds["input_stage"].fuse), need_of(builds, brief, sheet.shelf, sheet.rules)
    )
