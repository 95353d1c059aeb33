"""Chokes: gapped ferrite, or a powder ring whose permeability fades softly. The link choke and the filter inductor."""

from __future__ import annotations

import math
from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import numpy as np

from rhombos.core.book import magnetics as book
from rhombos.core.book import source
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.stack import Stack, rise, stack_table, stacked, suited_grades, temperature_factor
from rhombos.core.magnetics.winding import Winding, ac_factor, choose_wire, copper_resistivity, lay
from rhombos.core.parts import Core, Grade, Powder, Shelf, Wire

SEARCH_FILL = 0.9
"""Share of the rules' window fill that the first search counts on; layers waste the rest."""
MOST_TURNS = 600
TRIES = 8
WIDE_GAP = 0.2
"""Total gap over the width of the leg, beyond which fringing can no longer be left out of account."""
WIDE_GAP_COST = 20.0
"""What a gap as wide again as the leg costs the search, in the shelf's price units: grinding, shims, hot wire beside it."""
LEAST_LEFT = 0.5
"""Share of its permeability that a powder core must keep at the surge."""
IN_HAND = 1.03
"""What a proposal leaves over that, for rounds that may still add to its current."""
GRADES = "grade|powder"
SOFT_STEPS = 8
"""Steps in which the turns of a powder choke find themselves."""
STEEPEST = 0.05
"""How little of one more turn may be left of it, for its part of the way to be taken; with less, turns gain hardly anything."""


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
    """A choke as built. `inductance` is what the gap is set for; of a powder core, which has none, what is wanted of it."""

    stack: Stack
    grade: Grade
    winding: Winding
    inductance: float

    @property
    def soft(self) -> bool:
        """Whether its core is of powder: no gap, and an inductance that its turns make and its current fades."""
        return isinstance(self.grade, Powder)

    def left(self, current: float) -> float:
        """Share of a powder core's permeability that a current, A, leaves."""
        field = book.magnetising_field.work({"N": self.winding.turns, "I": max(current, 1e-9), "l_e": self.stack.l_e})
        powder: Any = self.grade
        return book.soft_permeability.work({"H": field, "H_half": powder.h_half, "softness": powder.softness})

    def inductance_at(self, current: float) -> float:
        """Inductance under a steady current, A, H; a gapped core keeps its own until it saturates."""
        if not self.soft:
            return self.inductance
        factor = book.inductance_factor.work({"mu_e": self.grade.mu_i, "A_e": self.stack.a_e, "l_e": self.stack.l_e})
        return book.soft_inductance.work({"mu_left": self.left(current), "A_L": factor, "N": self.winding.turns})

    @property
    def gap(self) -> float:
        """Total air gap, m (0 where the core needs none)."""
        stack = self.stack
        if self.soft:
            return 0.0
        asked = {"N": self.winding.turns, "A_e": stack.a_e, "L": self.inductance, "l_e": stack.l_e, "mu_e": self.grade.mu_i}
        return max(0.0, book.gap_length.work(asked))

    @property
    def fill(self) -> float:
        """Share of the window's build height that the winding takes."""
        return self.winding.height / self.stack.height


def choke_from(shelf: Shelf, core: str, sets: int, grade: str, wire: str, in_hand: int, turns: int, inductance: float) -> Choke:
    """The choke that a build's fields describe."""
    stack = stacked(shelf.get(Core, core), sets)
    material: Any = shelf.find(GRADES, grade)
    return Choke(stack, material, lay(shelf.get(Wire, wire), in_hand, turns, stack.b_w), inductance)


def design_choke(need: ChokeNeed, pins: Fields, shelf: Shelf, rules: Rules) -> Choke:
    """The choke with the lowest price plus worth of loss that stays cool, unsaturated, and can be wound: gapped ferrite with a
    gap that fringes little, or a powder ring.

    Pins kept: core, sets, grade, turns, wire, in_hand. A pinned ring takes a powder, since it takes no gap.
    """
    ranked: list[tuple[float, Candidate]] = []
    powders = _powders(pins, shelf)
    if powders:
        ranked += _soft_candidates(need, pins, shelf, rules, powders, TRIES)
    if not powders or ("grade" not in pins and "core" not in pins):
        ranked += _gapped_candidates(need, pins, shelf, rules, TRIES)
    ranked.sort(key=lambda row: row[0])
    best: Choke | None = None
    for _, candidate in ranked[:TRIES]:
        choke = _wind(need, pins, shelf, rules, *candidate)
        if best is None or choke.fill < best.fill:
            best = choke
        if choke.fill <= 1.0 and rise(choke_loss(choke, need).total, choke.stack.surface) <= rules.winding_limit - need.air:
            return choke
    assert best is not None
    return best


def rank_chokes(need: ChokeNeed, shelf: Shelf, rules: Rules, count: int) -> list[Choke]:
    """The choke on each of the `count` most promising stacks that can be gapped, those that cannot work last."""
    ranked = _gapped_candidates(need, {}, shelf, rules, count)
    return [_wind(need, {}, shelf, rules, *found) for _, found in ranked]


def rank_soft_chokes(need: ChokeNeed, shelf: Shelf, rules: Rules, count: int) -> list[Choke]:
    """Likewise on powder rings: the best powder for each."""
    ranked = _soft_candidates(need, {}, shelf, rules, list(shelf.all(Powder)), None)
    best: dict[tuple[str, int], Candidate] = {}
    for _, candidate in ranked:
        best.setdefault((candidate[0].core.id, candidate[0].sets), candidate)
    return [_wind(need, {}, shelf, rules, *candidate) for candidate in list(best.values())[:count]]


Candidate = tuple[Stack, Grade, int]


def _gapped_candidates(
    need: ChokeNeed, pins: Fields, shelf: Shelf, rules: Rules, most: int | None
) -> list[tuple[float, Candidate]]:
    """The best stacks that can be gapped, with the turns that keep the flux down and what they cost, watts counted in."""
    table, grade = stack_table(shelf), _grade(need, pins, shelf)
    index = _pinned_stacks(table, pins, table.gappable)
    area = table.a_e[index]
    turns = np.maximum(1, np.ceil(need.inductance * need.peak / (rules.choke_peak * area)))
    if "turns" in pins:
        turns = np.full(area.shape, float(pins["turns"]))
    loss, warm = _estimate(need, table, index, turns, grade, rules)
    gap = book.gap_length(N=turns, A_e=area, L=need.inductance, l_e=table.l_e[index], mu_e=grade.mu_i)
    trouble = np.maximum(0, warm / (rules.winding_limit - need.air) - 1) + np.maximum(0, turns / MOST_TURNS - 1)
    score = table.price[index] + rules.watt_worth * loss + WIDE_GAP_COST * np.maximum(0, gap / np.sqrt(area) - WIDE_GAP)
    score = np.where(trouble > 0, 1e6 * (1 + trouble), score)
    return [(float(score[at]), (table.rows[index[at]], grade, int(turns[at]))) for at in _cheapest(score, most)]


def _soft_candidates(
    need: ChokeNeed, pins: Fields, shelf: Shelf, rules: Rules, powders: list[Powder], most: int | None
) -> list[tuple[float, Candidate]]:
    """The best rings of every powder, with the turns that give the inductance under the steady current and what they cost."""
    table = stack_table(shelf)
    index = _pinned_stacks(table, pins, ~table.gappable)
    of_each = {
        n: np.array([[getattr(g, n)] for g in powders]) for n in ("k", "alpha", "beta", "mu_i", "h_half", "softness", "price")
    }
    grade = SimpleNamespace(**of_each)
    turns = soft_turns(need, grade, table.a_e[index], table.l_e[index])
    if "turns" in pins:
        turns = np.full(turns.shape, float(pins["turns"]))
    loss, warm = _estimate(need, table, index, turns, grade, rules)
    field = book.magnetising_field(N=turns, I=need.peak, l_e=table.l_e[index])
    left = book.soft_permeability(H=field, H_half=grade.h_half, softness=grade.softness)
    crowded = turns * need.rms / rules.current_density / (SEARCH_FILL * rules.window_fill * table.a_w[index])
    trouble = (
        np.maximum(0, warm / (rules.winding_limit - need.air) - 1)
        + np.maximum(0, IN_HAND * LEAST_LEFT / left - 1)
        + np.maximum(0, turns / MOST_TURNS - 1)
        + np.maximum(0, crowded - 1)
    )
    score = table.price[index] + grade.price + rules.watt_worth * loss
    score = np.where(trouble > 0, 1e6 * (1 + trouble), score)
    found = [divmod(int(place), index.size) for place in _cheapest(score, most)]
    return [(float(score[which, at]), (table.rows[index[at]], powders[which], int(turns[which, at]))) for which, at in found]


def _cheapest(score: np.ndarray, most: int | None) -> np.ndarray:
    """Places, in the flat array, of so many of the lowest scores, lowest first; of all with None."""
    return np.argsort(score, axis=None, kind="stable")[:most]


def soft_turns(need: ChokeNeed, powder: Any, a_e: Any, l_e: Any) -> np.ndarray:
    """Whole turns whose inductance under the steady current is at least the one wanted; a powder or the columns of several, and
    arrays of areas and paths."""
    factor = book.inductance_factor(mu_e=powder.mu_i, A_e=a_e, l_e=l_e)
    turns = np.sqrt(need.inductance / factor)
    for _ in range(SOFT_STEPS):
        field = book.magnetising_field(N=turns, I=max(need.rms, 1e-9), l_e=l_e)
        left = book.soft_permeability(H=field, H_half=powder.h_half, softness=powder.softness)
        # Newton's rule between logarithms: what is wanted grows with the turns too, by half of what more field takes. From too
        # few turns it never goes beyond those that do; where none do, without an end
        slower = np.maximum(STEEPEST, 1 - powder.softness * (1 - left) / 2)
        turns = np.minimum(turns * (need.inductance / (factor * left * turns**2)) ** (0.5 / slower), 1e6)
    return np.asarray(np.minimum(np.ceil(turns * (1 + 1e-4)), 1e5))


def _pinned_stacks(table: Any, pins: Fields, able: np.ndarray) -> np.ndarray:
    """Places of the stacks that the pins leave, of those that are able; of the pinned core, if none is."""
    core, sets = pins.get("core"), pins.get("sets")
    fit = [i for i, row in enumerate(table.rows) if able[i] and core in (None, row.core.id) and sets in (None, row.sets)]
    return np.array(fit or [i for i, row in enumerate(table.rows) if row.core.id == core])


def _powders(pins: Fields, shelf: Shelf) -> list[Powder]:
    """The powders to choose from: the pinned one; none for a pinned ferrite or a core that takes a gap; else all."""
    if "grade" in pins:
        return [g for g in shelf.all(Powder) if g.id == pins["grade"]]
    return [] if "core" in pins and shelf.get(Core, pins["core"]).gappable else list(shelf.all(Powder))


def _grade(need: ChokeNeed, pins: Fields, shelf: Shelf) -> Grade:
    if "grade" in pins:
        return shelf.get(Grade, pins["grade"])
    return min(suited_grades(shelf, need.frequency), key=lambda g: (g.price - g.b_sat, g.id))


def _estimate(
    need: ChokeNeed, table: Any, index: np.ndarray, turns: np.ndarray, grade: Any, rules: Rules
) -> tuple[np.ndarray, np.ndarray]:
    copper = SEARCH_FILL * rules.window_fill * table.a_w[index] / turns
    copper = np.minimum(copper, need.rms / rules.current_density * 1.1)
    resistance = book.winding_resistance(rho=copper_resistivity(90), N=turns, MLT=table.mlt[index], A_cu=copper)
    swing = book.choke_flux(L=need.inductance, I_pk=need.ripple / 2, N=turns, A_e=table.a_e[index])
    core = (
        book.igse_triangle(D_tot=0.5, alpha=grade.alpha, beta=grade.beta, k_core=grade.k, f=need.frequency, B_pk=swing)
        * table.v_e[index]
    )
    loss = source.ohmic_loss(I_rms=need.rms, R=resistance) + core
    return loss, rise(loss, table.surface[index])


def _wind(need: ChokeNeed, pins: Fields, shelf: Shelf, rules: Rules, stack: Stack, grade: Grade, turns: int) -> Choke:
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
    choke: Choke,
    need: ChokeNeed,
    celsius: float = 90.0,
    duty: float = 0.5,
    core_weight: float = 1.0,
    worksheet: Worksheet = SILENT,
    block: str = "",
) -> ChokeLoss:
    """Losses at a temperature of core and copper, °C.

    `core_weight` scales the core loss where the ripple varies over the line cycle; the working is kept under `block`.
    """
    w, stack, grade = choke.winding, choke.stack, choke.grade
    resistance = worksheet.work(
        f"{block}.winding_resistance",
        book.winding_resistance,
        rho=copper_resistivity(celsius),
        N=w.turns,
        MLT=stack.mlt,
        A_cu=w.copper,
    )
    factor = ac_factor(w, stack.b_w, need.frequency, celsius)
    slow = worksheet.work(f"{block}.slow_copper", book.ac_copper_loss, I_rms=need.rms, R=resistance, F_R=1.0)
    fast = worksheet.work(f"{block}.ripple_copper", book.ac_copper_loss, I_rms=need.ripple_rms, R=resistance, F_R=factor)
    swing = book.choke_flux.work({"L": choke.inductance_at(need.rms), "I_pk": need.ripple / 2, "N": w.turns, "A_e": stack.a_e})
    core = 0.0
    if swing > 0:
        density = worksheet.work(
            f"{block}.core_density",
            book.igse_triangle,
            D_tot=min(0.95, max(0.05, duty)),
            alpha=grade.alpha,
            beta=grade.beta,
            k_core=grade.k,
            f=need.frequency,
            B_pk=swing,
        )
        scale = core_weight * temperature_factor(grade, celsius)
        core = worksheet.work(f"{block}.core_loss", book.core_loss, p_v=density * scale, V_e=stack.v_e)
    total = worksheet.total(f"{block}.choke_loss", {"copper, slow": slow, "copper, ripple": fast, "core": core})
    return ChokeLoss(total, slow + fast, fast, core, resistance)
