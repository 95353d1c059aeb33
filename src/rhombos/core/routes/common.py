"""What lies beside the path of every route, as one: proposed once the path stands, settled and reported with it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from rhombos.core.blocks.base import Build
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.ledger import Ledger
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.sheet import Sheet
from rhombos.core.parts import Shelf
from rhombos.core.routes.beside import heat, isolation, precharge, protection

_BESIDE: Mapping[str, Any] = {m.block.KEY: m for m in (precharge, protection, heat, isolation)}
COMMON = tuple(m.block for m in _BESIDE.values())
COMMON_BUILDS: Mapping[str, type[Build]] = {key: m.Build for key, m in _BESIDE.items()}


def propose_common(
    settled: Mapping[str, Any],
    builds: Mapping[str, Any],
    pins: Mapping[str, dict[str, Any]],
    brief: Brief,
    shelf: Shelf,
    rules: Rules,
) -> dict[str, Build]:
    """Every block beside the path, each for the path as it has settled and for those before it. Pinned fields stay."""
    found: dict[str, Build] = {}
    for key, m in _BESIDE.items():
        found[key] = m.propose(settled, {**builds, **found}, dict(pins.get(key, {})), brief, shelf, rules)
    return found


def settle_common(
    settled: Mapping[str, Any],
    builds: Mapping[str, Any],
    brief: Brief,
    shelf: Shelf,
    rules: Rules,
    ledgers: Mapping[str, Ledger],
) -> dict[str, Any]:
    """The settled points with the states beside the path: each the same at every point."""
    found = {key: m.settle(settled, builds, brief, shelf, rules, ledgers["nominal"]) for key, m in _BESIDE.items()}
    return {k: replace(s, states={**s.states, **found}) for k, s in settled.items()}


def report_common(block: Any, sheet: Sheet, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief) -> BlockReport:
    """Figures and findings of one of them."""
    told: BlockReport = _BESIDE[block.KEY].report(sheet, settled, builds, brief)
    return told
