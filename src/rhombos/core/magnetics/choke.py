"""Gapped ferrite chokes: the link choke and the filter inductor."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from rhombos.core.book import magnetics as book
from rhombos.core.book import source
from rhombos.core.ledger import SILENT, Ledger
from rhombos.core.magnetics.stack import Stack, rise, stack_table, stacked, suited_grades, temperature_factor
from rhombos.core.magnetics.winding import Winding, ac_factor, choose_wire, copper_resistivity, lay
from rhombos.core.parts import Core, Grade, Shelf, Wire
from rhombos.core.rules import Rules

SEARCH_FILL = 0.9
"""Share of the rules' window fill that the first search counts on; layers waste the rest."""
MOST_TURNS = 600
TRIES = 8


@dataclass(frozen=True, slots=True)
class ChokeNeed:
    """What is asked: peak current, A; RMS of the slow current and of the ripple, A; largest ripple peak to peak, A, at a
    frequency, Hz; the air's temperature, °C."""

    inductance: float
    peak: float
    rms: float
    ripple: float
    ripple_rms: float
    frequency: float
    air: float


@dataclass(frozen=True, slots=True)
class Choke:
    """A choke as built."""

    stack: Stack
    grade: Grade
    winding: Winding
    inductance: float

    @property
    def gap(self) -> float:
        """Total air gap, m (0 where the core needs none)."""
        stack = self.stack
        asked = {"N": self.winding.turns, "A_e": stack.a_e, "L": self.inductance, "l_e": stack.l_e, "mu_e": self.grade.mu_i}
        return max(0.0, book.gap_length.work(asked))

    @property
    def fill(self) -> float:
        """Share of the window's build height that the winding takes."""
        return self.winding.height / self.stack.height


def choke_from(
    shelf: Shelf, core: str, sets: int, grade: str, wire: str, in_hand: int, turns: int, inductance: float
) -> Choke:  # fmt: skip
    """The choke that a build's fields describe."""
    stack = stacked(shelf.get(Core, core), sets)
    return Choke(stack, shelf.get(Grade, grade), lay(shelf.get(Wire, wire), in_hand, turns, stack.b_w), inductance)


def design_choke(need: ChokeNeed, pins: dict[str, Any], shelf: Shelf, rules: Rules) -> Choke:
    """The choke with the lowest price plus worth of loss that stays cool, unsaturated, and can be wound.

    Pins kept: core, sets, grade, turns, wire, in_hand.
    """
    table = stack_table(shelf)
    wanted = [
        i for i, row in enumerate(table.rows)
        if row.core.gappable and pins.get("core", row.core.id) == row.core.id and pins.get("sets", row.sets) == row.sets
    ] or [i for i, row in enumerate(table.rows) if row.core.id == pins.get("core", row.core.id)]  # fmt: skip
    grade = _grade(need, pins, shelf)
    index = np.array(wanted)
    least = np.ceil(need.inductance * need.peak / (rules.choke_peak * table.a_e[index]))
    turns = np.maximum(1, np.full(least.shape, pins["turns"]) if "turns" in pins else least)
    loss, warm = _estimate(need, table, index, turns, grade, rules)
    allowed = rules.winding_limit - need.air
    score = table.price[index] + rules.watt_worth * loss
    score = np.where((warm <= allowed) & (turns <= MOST_TURNS), score, 1e6 + warm)
    best: Choke | None = None
    for at in np.argsort(score, kind="stable")[:TRIES]:
        choke = _wind(need, pins, shelf, rules, table.rows[index[at]], grade, int(turns[at]))
        if best is None or choke.fill < best.fill:
            best = choke
        if choke.fill <= 1.0 and rise(choke_loss(choke, need).total, choke.stack.surface) <= allowed:
            return choke
    assert best is not None
    return best


def rank_chokes(need: ChokeNeed, shelf: Shelf, rules: Rules, count: int) -> list[Choke]:
    """The choke on each of the `count` most promising stacks that can be gapped, those that cannot work last."""
    table, grade = stack_table(shelf), _grade(need, {}, shelf)
    index = np.flatnonzero(table.gappable)
    turns = np.maximum(1, np.ceil(need.inductance * need.peak / (rules.choke_peak * table.a_e[index])))
    loss, warm = _estimate(need, table, index, turns, grade, rules)
    allowed = rules.winding_limit - need.air
    score = table.price[index] + rules.watt_worth * loss
    score = np.where((warm <= allowed) & (turns <= MOST_TURNS), score, 1e6 + warm)
    return [_wind(need, {}, shelf, rules, table.rows[index[at]], grade, int(turns[at]))
            for at in np.argsort(score, kind="stable")[:count]]  # fmt: skip


def _grade(need: ChokeNeed, pins: dict[str, Any], shelf: Shelf) -> Grade:
    if "grade" in pins:
        return shelf.get(Grade, pins["grade"])
    return min(suited_grades(shelf, need.frequency), key=lambda g: (g.price - g.b_sat, g.id))


def _estimate(
    need: ChokeNeed, table: Any, index: np.ndarray, turns: np.ndarray, grade: Grade, rules: Rules
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    copper = SEARCH_FILL * rules.window_fill * table.a_w[index] / turns
    copper = np.minimum(copper, need.rms / rules.current_density * 1.1)
    resistance = book.winding_resistance(rho=copper_resistivity(90), N=turns, MLT=table.mlt[index], A_cu=copper)
    swing = need.inductance * need.ripple / 2 / (turns * table.a_e[index])
    core = book.igse_triangle(
        D_tot=0.5, alpha=grade.alpha, beta=grade.beta, k_core=grade.k, f=need.frequency, B_pk=swing
    ) * table.v_e[index]  # fmt: skip
    loss = source.ohmic_loss(I_rms=need.rms, R=resistance) + core
    return loss, rise(loss, table.surface[index])


def _wind(
    need: ChokeNeed, pins: dict[str, Any], shelf: Shelf, rules: Rules, stack: Stack, grade: Grade, turns: int
) -> Choke:  # fmt: skip
    ac_share = need.ripple_rms**2 / (need.rms**2 + need.ripple_rms**2)
    winding = choose_wire(
        shelf, turns, need.rms, rules.current_density, stack.b_w, stack.height * 0.9, need.frequency, ac_share=ac_share
    )
    if "wire" in pins or "in_hand" in pins:
        wire = shelf.get(Wire, pins["wire"]) if "wire" in pins else winding.wire
        fit = max(1, math.ceil(need.rms / rules.current_density / wire.copper * 0.97))
        winding = lay(wire, int(pins.get("in_hand", fit if "wire" in pins else winding.in_hand)), turns, stack.b_w)
    return Choke(stack, grade, winding, need.inductance)


@dataclass(frozen=True, slots=True)
class ChokeLoss:
    """Losses of a choke, W (`fast` is the ripple's part of the copper's), and its winding's DC resistance, Ω."""

    total: float
    copper: float
    fast: float
    core: float
    resistance: float


def choke_loss(
    choke: Choke, need: ChokeNeed, celsius: float = 90.0, duty: float = 0.5, core_weight: float = 1.0,
    ledger: Ledger = SILENT, block: str = "",
) -> ChokeLoss:  # fmt: skip
    """Losses at a temperature of core and copper, °C.

    `core_weight` scales the core loss where the ripple varies over the line cycle; the working is kept under `block`.
    """
    w, stack, grade = choke.winding, choke.stack, choke.grade
    resistance = ledger.work(
        f"{block}.winding_resistance", book.winding_resistance,
        rho=copper_resistivity(celsius), N=w.turns, MLT=stack.mlt, A_cu=w.copper,
    )  # fmt: skip
    factor = ac_factor(w, stack.b_w, need.frequency, celsius)
    slow = ledger.work(f"{block}.slow_copper", book.ac_copper_loss, I_rms=need.rms, R=resistance, F_R=1.0)
    fast = ledger.work(f"{block}.ripple_copper", book.ac_copper_loss, I_rms=need.ripple_rms, R=resistance, F_R=factor)
    swing = need.inductance * need.ripple / 2 / (w.turns * stack.a_e)
    core = 0.0
    if swing > 0:
        density = ledger.work(
            f"{block}.core_density", book.igse_triangle, D_tot=min(0.95, max(0.05, duty)), alpha=grade.alpha,
            beta=grade.beta, k_core=grade.k, f=need.frequency, B_pk=swing,
        )  # fmt: skip
        scale = core_weight * temperature_factor(grade, celsius)
        core = ledger.work(f"{block}.core_loss", book.core_loss, p_v=density * scale, V_e=stack.v_e)
    total = ledger.total(f"{block}.choke_loss", {"copper, slow": slow, "copper, ripple": fast, "core": core})
    return ChokeLoss(total, slow + fast, fast, core, resistance)
