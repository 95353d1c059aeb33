"""Line-frequency transformers on laminated iron: search over cores, turns by the flux limit, wire to fill the window."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from rhombos.core.book import magnetics as book
from rhombos.core.book import source
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.magnetics.pair import WoundPair
from rhombos.core.magnetics.stack import rise
from rhombos.core.magnetics.winding import (
    COPPER_DENSITY,
    COPPER_PRICE,
    INSULATION,
    Winding,
    choose_wire,
    copper_resistivity,
    lay,
)
from rhombos.core.parts import IronCore, Shelf, Wire

FLUX_USED = 0.97
"""Share of a core's flux limit that proposals use."""
WINDOW_USED = 0.9
"""Share of the window's height that wire may take; the rest is tape and slack for the hand."""
GENTLEST = 1.5e6
"""Current density below which more copper is no longer worth its price, A/m²."""
ALIKE = 1.08
"""Scores that count as alike: within a twelfth of the best."""
HEAT_USED = 0.96
"""Part of the allowed temperature rise that a proposal uses; rounds may still add to its currents."""
TRIES = 16


@dataclass(frozen=True, slots=True)
class IronNeed:
    """Largest flux linkage of the driven primary and that at work, V·s peak; turns ratio; RMS current of one primary half (or
    the one primary) and of the secondary, A; line frequency, Hz; the air's temperature, °C; what the whole may draw at no load,
    W."""

    linkage: float
    work_linkage: float
    ratio: float
    primary_rms: float
    secondary_rms: float
    frequency: float
    air: float
    halves: int
    idle: float


@dataclass(frozen=True, slots=True)
class IronTransformer(WoundPair):
    """A transformer on laminated iron, plainly wound: primary inside, secondary over it."""

    stack: IronCore

    def resistances(self, celsius: float) -> tuple[float, float]:
        """DC resistance of one primary half and of the secondary, Ω, at a temperature, °C."""
        rho = copper_resistivity(celsius)
        first, second = (
            book.winding_resistance.work({"rho": rho, "N": w.turns, "MLT": self.stack.mlt, "A_cu": w.copper})
            for w in (self.primary, self.secondary)
        )
        return first, second


def iron_loss(core: Any, flux: Any, frequency: float) -> Any:
    """Loss of an iron core (or the columns of many), W, at a peak flux density, T."""
    return book.iron_loss(m_core=core.mass, p_iron=core.loss, B_pk=flux, f=frequency)


def iron_from(
    shelf: Shelf, core: str, primary: tuple[str, int, int], secondary: tuple[str, int, int], halves: int
) -> IronTransformer:
    """The transformer that a build's fields describe; a winding is (wire, strands in parallel, turns)."""
    stack = shelf.get(IronCore, core)
    windings = [lay(shelf.get(Wire, wire), hand, turns, stack.b_w) for wire, hand, turns in (primary, secondary)]
    return IronTransformer(windings[0], windings[1], 1, halves, 1, stack)


def design_iron(need: IronNeed, pins: Fields, shelf: Shelf, rules: Rules) -> IronTransformer:
    """The transformer with the lowest price plus worth of loss that keeps to its flux, stays cool and can be wound.

    Iron loss counts twice, and beyond the no-load target more: it runs day and night. Pins kept: core, primary_turns,
    secondary_turns, primary_wire, primary_in_hand, secondary_wire, secondary_in_hand.
    """
    scored = _scores(need, pins, shelf, rules)
    allowed = rules.winding_limit - need.air
    best: IronTransformer | None = None
    least = math.inf
    alike: list[tuple[float, IronTransformer]] = []
    dearest = math.inf
    for at in np.argsort(scored.score, kind="stable")[:TRIES]:
        if not np.isfinite(scored.score[at]) or scored.score[at] > dearest:
            break
        made = _wind(need, pins, shelf, scored, int(at))
        heat = float(rise(total_loss(made, need, rules.winding_limit), made.stack.surface))
        if made.fill <= 1.0 and heat <= HEAT_USED * allowed:
            alike.append((float(idle_loss(made, need)), made))
            dearest = min(dearest, ALIKE * float(scored.score[at]))
        misses = heat if made.fill <= 1.0 else 1e6 * made.fill  # of those that will not do, the coolest that can be wound
        if misses < least:
            best, least = made, misses
    if alike:  # of those that cost nearly the same, the one that draws the minimum while nothing is plugged in
        return min(alike, key=lambda pair: pair[0])[1]
    assert best is not None
    return best


def idle_loss(t: IronTransformer, need: IronNeed) -> Any:
    """Loss in the iron at the working point, W."""
    return iron_loss(t.stack, need.work_linkage / (t.primary.turns * t.stack.a_e), need.frequency)


def rank_irons(need: IronNeed, shelf: Shelf, rules: Rules, count: int) -> list[IronTransformer]:
    """The transformer on each of the `count` most promising cores of the shelf, those that cannot work last."""
    scored = _scores(need, {}, shelf, rules)
    return [_wind(need, {}, shelf, scored, int(at)) for at in np.argsort(scored.score, kind="stable")[:count]]


@dataclass(frozen=True, slots=True)
class _Scored:
    """Every core with its turns and current density, A/m², and its score: price plus worth of loss, far more if it fails."""

    cores: tuple[IronCore, ...]
    turns: np.ndarray
    secondary: np.ndarray
    density: np.ndarray
    score: np.ndarray


def _scores(need: IronNeed, pins: Fields, shelf: Shelf, rules: Rules) -> _Scored:
    cores, table = shelf.all(IronCore), shelf.columns(IronCore)
    least = np.ceil(need.linkage / (FLUX_USED * table.b_limit * table.a_e))
    turns = np.broadcast_to(np.maximum(1.0, np.float64(pins.get("primary_turns", least))), least.shape)
    secondary = np.float64(pins.get("secondary_turns", np.maximum(1, np.round(turns * need.ratio))))
    ampere_turns = need.halves * turns * need.primary_rms + secondary * need.secondary_rms
    room = rules.window_fill * table.a_w
    copper = np.minimum(room, ampere_turns / GENTLEST)
    copper_loss = copper_resistivity(90) * table.mlt * ampere_turns**2 / copper
    iron = iron_loss(table, need.work_linkage / (turns * table.a_e), need.frequency)
    allowed = rules.winding_limit - need.air
    bad = (
        np.maximum(rise(copper_loss + iron, table.surface) / allowed - 1, 0)
        + np.maximum(ampere_turns / room / (1.3 * rules.current_density) - 1, 0)
        + np.maximum(need.linkage / (turns * table.a_e) / table.b_limit - 1, 0)
    )
    price = table.price + COPPER_PRICE * copper * table.mlt * COPPER_DENSITY
    watts = copper_loss + 2 * iron + rules.idle_beyond(iron, need.idle)
    score = np.where(bad > 0, 1e6 * (1 + bad), price + rules.watt_worth * watts)
    if "core" in pins:
        score = np.where(shelf.column(IronCore, "id") == pins["core"], score, np.inf)
    return _Scored(
        tuple(cores), turns, np.broadcast_to(secondary, turns.shape), np.maximum(GENTLEST, ampere_turns / copper), score
    )


def _wind(need: IronNeed, pins: Fields, shelf: Shelf, scored: _Scored, at: int) -> IronTransformer:
    core, density = scored.cores[at], float(scored.density[at])
    turns, secondary_turns = int(scored.turns[at]), int(scored.secondary[at])
    room = WINDOW_USED * core.height - 2 * INSULATION
    ampere_turns = need.halves * turns * need.primary_rms
    share = ampere_turns / (ampere_turns + secondary_turns * need.secondary_rms)
    windings: list[Winding] = []
    for name, count, rms, height in (
        ("primary", turns, need.primary_rms, room * share / need.halves),
        ("secondary", secondary_turns, need.secondary_rms, room * (1 - share)),
    ):
        chosen = choose_wire(shelf, count, rms, density, core.b_w, height, need.frequency)
        wire = shelf.get(Wire, pins[f"{name}_wire"]) if f"{name}_wire" in pins else chosen.wire
        fit = max(1, math.ceil(rms / density / wire.copper * 0.97))
        in_hand = int(pins.get(f"{name}_in_hand", chosen.in_hand if wire is chosen.wire else fit))
        windings.append(lay(wire, in_hand, count, core.b_w))
    return IronTransformer(windings[0], windings[1], 1, need.halves, 1, core)


def total_loss(t: IronTransformer, need: IronNeed, celsius: float) -> float:
    """Copper and iron, W, at the working point."""
    first, second = t.resistances(celsius)
    copper = need.halves * source.ohmic_loss.work({"I_rms": need.primary_rms, "R": first}) + source.ohmic_loss.work(
        {"I_rms": need.secondary_rms, "R": second}
    )
    return copper + float(idle_loss(t, need))
