"""What lies beside the path of every route: the precharge of the bank that the battery meets first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from rhombos.core.blocks import precharge, precharge_report
from rhombos.core.blocks.base import Build
from rhombos.core.brief import Brief
from rhombos.core.ledger import Ledger
from rhombos.core.parts import Capacitor, Fuse, Shelf
from rhombos.core.report import BlockReport
from rhombos.core.routes.supply import battery_of
from rhombos.core.rules import Rules
from rhombos.core.sheet import Sheet

COMMON = (precharge,)
COMMON_BUILDS: Mapping[str, type[Build]] = {precharge.KEY: precharge.PrechargeBuild}
LOOP = 1.2e-6
"""Inductance of a metre of cable, there and back, H: two leads side by side."""


def precharge_need(builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules) -> precharge.PrechargeNeed:
    """The input bank behind battery and cable, at the highest voltage of the battery."""
    full = brief.source.volts[2]
    cells = battery_of(full, builds, brief, shelf, rules)
    entry = builds["input_stage"]
    banks = getattr(entry, "banks", 1)
    esr = shelf.get(Capacitor, entry.capacitor).esr * banks / entry.count
    return precharge.PrechargeNeed(full, cells.resistance, LOOP * brief.source.cable_length, cells.capacitance, esr)


def propose_common(
    builds: Mapping[str, Any], pins: Mapping[str, dict[str, Any]], brief: Brief, shelf: Shelf, rules: Rules
) -> dict[str, Build]:  # fmt: skip
    """What lies beside every path, once the path stands. Pinned fields stay."""
    need = precharge_need(builds, brief, shelf, rules)
    return {precharge.KEY: precharge.propose(need, dict(pins.get(precharge.KEY, {})), shelf, rules)}


def settle_common(
    settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules,
    ledgers: Mapping[str, Ledger],
) -> dict[str, Any]:  # fmt: skip
    """The settled points with the states beside the path; the precharge does not know of the load that comes after it."""
    need = precharge_need(builds, brief, shelf, rules)
    state = precharge.assess(need, builds[precharge.KEY], shelf, rules, ledgers["nominal"])
    return {k: replace(s, states={**s.states, precharge.KEY: state}) for k, s in settled.items()}


def report_common(sheet: Sheet, builds: Mapping[str, Any]) -> BlockReport:
    """The precharge's figures and findings."""
    return precharge_report.report(sheet, sheet.shelf.get(Fuse, builds["input_stage"].fuse).i_rating)
