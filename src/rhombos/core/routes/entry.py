"""What stands before every stage: the source with its input, and the voltage that these leave it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from rhombos.core.blocks import auxiliary_output, input_stage, source
from rhombos.core.blocks.input_bank import NO_LIFT, Lift
from rhombos.core.blocks.mains_input import Draws
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds, States
from rhombos.core.frame.points import Point
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes.base import V_FLOOR


@dataclass(frozen=True, slots=True)
class Entry:
    """What stands before a stage at a point: the states of its stages by key, and the power that enters each, W (of an
    auxiliary output what leaves it); the direct voltage and current that reach the stage's bank, V and A; the voltage at the
    stage, V, and what an auxiliary output drops of it, V; what lies on top of the source's highest voltage."""

    states: States
    flow: dict[str, float]
    terminal: float
    current: float
    v_in: float
    aside: float = 0.0
    lift: Lift = NO_LIFT
    draws: Draws | None = None

    @property
    def endings(self) -> tuple[str, ...]:
        """The stages from which power leaves."""
        return ("load", auxiliary_output.KEY) if auxiliary_output.KEY in self.states else ("load",)


def enter(
    point: Point,
    to_stage: float,
    need: input_stage.InputNeed,
    v_in: float,
    terminal: float,
    builds: Builds,
    brief: Brief,
    shelf: Shelf,
    rules: Rules,
    worksheet: Worksheet,
) -> Entry:
    """Source and input before a stage that draws a power, W, as the need says; `v_in` and `terminal` are the voltages at the
    stage and at the source, V, as last known."""
    low, steady = None, 0.0
    if auxiliary_output.KEY in builds:
        # the stage draws its power where the input sags most, what draws a steady current meets the mean
        ohms = brief.source.internal_resistance + input_stage.resistance(builds[input_stage.KEY], brief, shelf, rules)
        mean = v_in + (need.pulsation - 1) * need.current * ohms
        low = auxiliary_output.assess(
            min(point.emf, mean), point.auxiliary, builds[auxiliary_output.KEY], brief, shelf, rules, worksheet)  # fmt: skip
        steady, need = low.power_in, replace(need, beside=low.drawn, beside_ripple=low.input_ripple)
    entry = input_stage.assess(need, terminal, builds[input_stage.KEY], brief, shelf, rules, worksheet)
    from_source = to_stage + steady + entry.loss
    # what is lost in the leads is lost of either current
    still = entry.control + (from_source - entry.control) * need.beside / max(need.together, 1e-9)
    cells = source.assess(point.emf, from_source, brief, worksheet, need.pulsation, need.crest, still)
    # the stage's power meets the drop of its own swing in full, of which the source's mean tells but a share
    swung = (need.pulsation - 1) * need.current * need.beside / max(need.together, 1e-9) * cells.resistance
    aside = need.beside * (cells.resistance + entry.drop / max(need.current * need.pulsation + need.beside, 1e-9))
    states = States({source.KEY: cells, input_stage.KEY: entry})
    flow: dict[str, float] = {source.KEY: cells.power, input_stage.KEY: cells.power}
    if low:
        states, flow = states | {auxiliary_output.KEY: low}, flow | {auxiliary_output.KEY: low.power}
    at_stage = max(V_FLOOR * point.emf, cells.terminal - entry.drop - swung)
    return Entry(states, flow, cells.terminal, cells.current, at_stage, aside, Lift(entry.rise, entry.returned))
