"""What stands before every stage: the source with its input, and the voltage that these leave it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rhombos.core.blocks import input_stage, source
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.points import Point
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes.base import V_FLOOR


@dataclass(frozen=True, slots=True)
class Entry:
    """Source and input at a point, and the voltage at the stage, V."""

    cells: source.SourceState
    input: input_stage.InputState
    v_in: float

    @property
    def states(self) -> dict[str, Any]:
        """Their states by key."""
        return {source.KEY: self.cells, input_stage.KEY: self.input}

    @property
    def flow(self) -> dict[str, float]:
        """Power that enters each, W."""
        return {source.KEY: self.cells.power, input_stage.KEY: self.cells.power}


def enter(
    point: Point,
    to_stage: float,
    need: input_stage.InputNeed,
    terminal: float,
    builds: Mapping[str, Any],
    brief: Brief,
    shelf: Shelf,
    rules: Rules,
    worksheet: Worksheet,
) -> Entry:
    """Source and input before a stage that draws a power, W, as the need says; `terminal` is the source's voltage, V, as last
    known."""
    entry = input_stage.assess(need, terminal, builds[input_stage.KEY], brief, shelf, rules, worksheet)
    cells = source.assess(point.emf, to_stage + entry.loss, brief, worksheet, need.pulsation, need.crest, entry.control)
    return Entry(cells, entry, max(V_FLOOR * point.emf, cells.terminal - entry.drop))
