"""High-frequency step-up transformers, primary centre-tapped or single: search over cores, turns and grades."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from rhombos.core.book import magnetics as book
from rhombos.core.book import source
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.magnetics.pair import WoundPair
from rhombos.core.magnetics.stack import Stack, rise, stack_table, stacked, suited_grades, temperature_factor
from rhombos.core.magnetics.winding import INSULATION, Winding, choose_wire, copper_resistivity, lay, layer_measure
from rhombos.core.parts import Core, Grade, Shelf, Wire

USUAL_TURNS, MOST_TURNS, APART = 14, 200, 1.08
"""Primary turns of which each is tried; the most that are, for a source of high voltage at low frequency; and how far those
beyond the usual lie apart."""
SMALL_CORE = 0.25
"""Share of the shelf's stacks that are smaller than the one that must be windable, whatever the voltage."""
PRIMARY_SHARE = 0.5
"""Share of the window's height for both primary halves."""
HEIGHT_USED = 0.88
"""Share of the window's height that copper and tape may take; the rest is slack for the hand."""
HARMONICS = np.arange(1.0, 16.0)
TWO_SIDED = 4.0 * (HARMONICS % 2)
"""What a second pulse of opposite sign, half a period on, makes of the squares of a pulse's harmonics."""
ROOTS = np.sqrt(HARMONICS)
TRIES, ABLE = 20, 5
"""Candidates that are wound at most, and that must prove able before the cheapest of them is taken."""
FACTOR_STEP = 10.0
"""Temperature step between which AC factors are interpolated, K."""


@dataclass(frozen=True, slots=True)
class TransformerNeed:
    """What is asked: volt-second worst case (V_max at D_max) and working point (V, D), the ratio needed, the pulse
    current of one primary half and of the secondary, A, at one switch's frequency, Hz, in air at °C; what a henry of leakage
    burns in the stage's clamps, W; how far the ratio may lie from the one needed, as a share: 0 where a loop takes the rest
    but nothing may be missing."""

    v_max: float
    d_max: float
    v_work: float
    d_work: float
    ratio: float
    primary_pulse: float
    secondary_pulse: float
    frequency: float
    air: float
    halves: int = 2
    secondary_halves: int = 1
    leak_cost: float = 0.0
    near: float = 0.0

    def secondary_turns(self, turns: np.ndarray) -> np.ndarray:
        """Turns of the secondary beside some of the primary, arrays of any shape."""
        wanted = turns * self.ratio
        return np.asarray(np.maximum(1, np.round(wanted)) if self.near else np.ceil(wanted - 1e-9))


@dataclass(frozen=True, slots=True)
class Transformer(WoundPair):
    """A ferrite transformer as built."""

    stack: Stack
    grade: Grade


def transformer_from(
    shelf: Shelf,
    core: str,
    sets: int,
    grade: str,
    primary: tuple[str, int, int],
    secondary: tuple[str, int, int],
    interfaces: int,
    halves: int = 2,
    secondary_halves: int = 1,
) -> Transformer:
    """The transformer that a build's fields describe; a winding is (wire, strands in parallel, turns)."""
    stack = stacked(shelf.get(Core, core), sets)
    windings = [lay(shelf.get(Wire, wire), hand, turns, stack.b_w) for wire, hand, turns in (primary, secondary)]
    return Transformer(windings[0], windings[1], interfaces, halves, secondary_halves, stack, shelf.get(Grade, grade))


def one_sided_harmonics(duty: float) -> np.ndarray:
    """Squared RMS of harmonics 1 to 15 of a unit pulse of `duty`, once a period; `TWO_SIDED` times that, of pulses of opposite
    sign half a period apart.

    Source: Fourier series of rectangular pulses.
    """
    return np.asarray((2 / (np.pi * HARMONICS) * np.sin(np.pi * duty * HARMONICS)) ** 2 / 2)


def section_portions(interfaces: int, halves: int) -> float:
    """Into how many parts a winding's layers fall between faces of zero field; bifilar halves lie double."""
    return interfaces / halves


@lru_cache(maxsize=512)
def _weights(t: Transformer, frequency: float, step: int) -> np.ndarray:
    """What harmonics 1 to 15 of a one-sided pulse weigh: in the loss and the square of the primary, then of the secondary;
    at this temperature step and then at the next.

    The loss takes Dowell's factors at a whole number of temperature steps; they change little and smoothly with temperature,
    so they are interpolated between steps.
    """
    measured = [
        layer_measure(w, t.stack.b_w, frequency, at * FACTOR_STEP, section_portions(t.interfaces, halves))
        for at in (step, step + 1)
        for w, halves in _halved(t)
    ]
    xi, layers = np.array(measured).T[:, :, None]
    factors = book.dowell(xi=np.clip(xi * ROOTS, 1e-3, 30), layers=layers)
    shapes = np.array([np.ones(HARMONICS.size) if halves == 2 else TWO_SIDED for _, halves in _halved(t)] * 2)
    return np.stack([factors * shapes, shapes], axis=1).reshape(8, -1)


def _halved(t: Transformer) -> tuple[tuple[Winding, int], ...]:
    """Both windings, with the halves that each has."""
    return (t.primary, t.halves), (t.secondary, t.secondary_halves)


@dataclass(frozen=True, slots=True)
class WindingLoss:
    """Copper loss of one winding, W, with what makes it: RMS current, A; DC resistance, Ω; AC factor."""

    loss: float
    rms: float
    resistance: float
    factor: float


def winding_losses(
    t: Transformer, primary_pulse: float, secondary_pulse: float, duty: float, frequency: float, celsius: float
) -> tuple[WindingLoss, WindingLoss]:
    """Loss of one primary half (or the one primary) and of the secondary, likewise, their AC factors weighted over their
    harmonics."""
    rho = copper_resistivity(celsius)
    step = math.floor(celsius / FACTOR_STEP)
    between = celsius / FACTOR_STEP - step
    weighed = (_weights(t, frequency, step) @ one_sided_harmonics(duty)).tolist()
    summed = [(1 - between) * here + between * there for here, there in zip(weighed[:4], weighed[4:], strict=True)]
    found = []
    for i, ((w, halves), pulse) in enumerate(zip(_halved(t), (primary_pulse, secondary_pulse), strict=True)):
        rms = pulse * math.sqrt(2 * duty / halves)
        direct = duty**2 if halves == 2 else 0.0  # the pulses of a half have a mean
        resistance = book.winding_resistance.work({"rho": rho, "N": w.turns, "MLT": t.stack.mlt, "A_cu": w.copper})
        factor = (direct + summed[2 * i]) / (direct + summed[2 * i + 1])
        found.append(WindingLoss(source.ohmic_loss.work({"I_rms": rms, "R": resistance * factor}), rms, resistance, factor))
    return found[0], found[1]


HEAT_USED = 0.97
"""Share of the rise allowed that a proposal uses: points move a little once it is chosen."""


def design_transformer(need: TransformerNeed, pins: Fields, shelf: Shelf, rules: Rules) -> Transformer:
    """The transformer with the lowest price plus worth of loss that stays cool and unsaturated and can be wound.

    Pins kept: core, sets, grade, primary_turns, secondary_turns, primary_wire, primary_in_hand, secondary_wire,
    secondary_in_hand, interfaces.
    """
    table = stack_table(shelf)
    index = np.array(
        [
            i
            for i, row in enumerate(table.rows)
            if pins.get("core", row.core.id) == row.core.id and pins.get("sets", row.sets) == row.sets
        ]
        or [i for i, row in enumerate(table.rows) if row.core.id == pins.get("core", row.core.id)]
    )
    grades = [shelf.get(Grade, pins["grade"])] if "grade" in pins else suited_grades(shelf, need.frequency)
    turns = np.array([pins["primary_turns"]]) if "primary_turns" in pins else _turns_tried(need, shelf, rules)
    allowed = rules.winding_limit - need.air
    score = _scores(need, pins, table, index, turns, grades, rules)
    flat = score.ravel()
    near = np.argpartition(flat, min(TRIES, flat.size - 1))[:TRIES]
    order = near[np.lexsort((near, flat[near]))]
    best: Transformer | None = None
    emptiest: Transformer | None = None
    least, able = math.inf, 0
    for place in order:
        if flat[place] >= least or able == ABLE:
            break
        which, row, column = np.unravel_index(place, score.shape)
        made = _wind(need, pins, shelf, rules, table.rows[index[row]], grades[which], int(turns[column]))
        loss = total_loss(made, need, rules.winding_limit)
        if made.fill <= 1.0 and rise(loss, made.stack.surface) <= HEAT_USED * allowed:
            price = float(table.price[index[row]]) + grades[which].price
            cost = price + rules.watt_worth * (loss + need.leak_cost * made.leakage)
            able += 1
            if cost < least:
                best, least = made, cost
        if emptiest is None or made.fill < emptiest.fill:
            emptiest = made
    assert emptiest is not None
    return best or emptiest


def rank_transformers(need: TransformerNeed, shelf: Shelf, rules: Rules, count: int) -> list[Transformer]:
    """The best transformer on each of the `count` most promising stacks of the shelf, those that cannot work last.

    Every stack is tried with every suited grade and number of primary turns; each appears once.
    """
    table = stack_table(shelf)
    index = np.arange(len(table.rows))
    grades = suited_grades(shelf, need.frequency)
    turns = _turns_tried(need, shelf, rules)
    score = _scores(need, {}, table, index, turns, grades, rules)
    found = []
    for row in np.argsort(score.min(axis=(0, 2)), kind="stable")[:count]:
        which, column = np.unravel_index(int(np.argmin(score[:, row, :])), (len(grades), len(turns)))
        found.append(_wind(need, {}, shelf, rules, table.rows[row], grades[which], int(turns[column])))
    return found


OFF, OF_A_TURN = 0.05, 0.6
"""How far what a winding gives that nothing regulates may lie from what is asked, and how much of a turn that may be."""


def turns_off(turn: float) -> float:
    """How far it may lie, as a share, where one turn makes so large a share of it."""
    return max(OFF, OF_A_TURN * turn)


def _turns_tried(need: TransformerNeed, shelf: Shelf, rules: Rules) -> np.ndarray:
    """Primary turns worth trying: up to those that keep a small core from saturation at the worst volt-seconds."""
    small = float(np.quantile(stack_table(shelf).a_e, SMALL_CORE))
    asked = {"V": need.v_max, "D": need.d_max, "A_e": small, "f_s": need.frequency, "B_pk": rules.ferrite_peak}
    most = min(MOST_TURNS, math.ceil(book.peak_flux.invert("N", asked)))
    usual = np.arange(1, USUAL_TURNS + 1)
    if most <= USUAL_TURNS:
        return usual
    steps = math.ceil(math.log(most / USUAL_TURNS) / math.log(APART))
    return np.unique(np.concatenate([usual, np.geomspace(USUAL_TURNS, most, steps + 1).round().astype(int)]))


def _scores(
    need: TransformerNeed,
    pins: Fields,
    table: Any,
    index: np.ndarray,
    turns: np.ndarray,
    grades: list[Grade],
    rules: Rules,
) -> np.ndarray:
    """Price plus worth of loss for every grade, core and number of primary turns; far larger where it cannot work."""
    area, volume, surface = (getattr(table, n)[index][:, None] for n in ("a_e", "v_e", "surface"))
    peak = book.peak_flux(V=need.v_max, D=need.d_max, N=turns, A_e=area, f_s=need.frequency)
    work = book.peak_flux(V=need.v_work, D=need.d_work, N=turns, A_e=area, f_s=need.frequency)
    secondary = np.asarray(pins.get("secondary_turns", need.secondary_turns(turns)))
    stray = np.maximum(np.abs(secondary / turns / need.ratio - 1) / need.near - 1, 0) if need.near else 0.0
    ampere_turns = need.halves * turns * need.primary_pulse * math.sqrt(
        2 * need.d_work / need.halves
    ) + need.secondary_halves * secondary * need.secondary_pulse * math.sqrt(2 * need.d_work / need.secondary_halves)
    room = rules.window_fill * table.a_w[index][:, None]
    wanted = ampere_turns / rules.current_density
    copper = 1.2 * copper_resistivity(90) * table.mlt[index][:, None] * ampere_turns**2 / np.minimum(room, wanted)
    crowded = np.maximum(wanted / room - 1, 0)
    allowed = rules.winding_limit - need.air
    found = []
    for g in grades:
        core = volume * book.igse_pulses(D=need.d_work, alpha=g.alpha, beta=g.beta, k_core=g.k, f_s=need.frequency, B_pk=work)
        loss = core + copper
        bad = (
            np.maximum(rise(loss, surface) / allowed - 1, 0)
            + crowded
            + np.maximum(peak / min(rules.ferrite_peak, g.b_sat) - 1, 0)
            + stray
        )
        price = table.price[index][:, None] + g.price
        found.append(np.where(bad > 0, 1e6 + 1e3 * bad, price + rules.watt_worth * loss))
    return np.array(found)


def _wind(
    need: TransformerNeed, pins: Fields, shelf: Shelf, rules: Rules, stack: Stack, grade: Grade, turns: int
) -> Transformer:
    interfaces = int(pins.get("interfaces", 2))
    secondary_turns = int(pins.get("secondary_turns", need.secondary_turns(np.array(turns))))
    room = HEIGHT_USED * stack.height - (interfaces + 1) * INSULATION
    windings: list[Winding] = []
    for name, count, pulse, halves, share in (
        ("primary", turns, need.primary_pulse, need.halves, PRIMARY_SHARE),
        ("secondary", secondary_turns, need.secondary_pulse, need.secondary_halves, 1 - PRIMARY_SHARE),
    ):
        duty = 2 * need.d_work / halves
        rms = pulse * math.sqrt(duty)
        chosen = choose_wire(
            shelf,
            count,
            rms,
            rules.current_density,
            stack.b_w,
            room * share / halves,
            need.frequency,
            portions=section_portions(interfaces, halves),
            ac_share=1 - duty if halves == 2 else 1.0,
        )
        wire = shelf.get(Wire, pins[f"{name}_wire"]) if f"{name}_wire" in pins else chosen.wire
        fit = max(1, math.ceil(rms / rules.current_density / wire.copper * 0.97))
        in_hand = int(pins.get(f"{name}_in_hand", chosen.in_hand if wire is chosen.wire else fit))
        windings.append(lay(wire, in_hand, count, stack.b_w))
    return Transformer(windings[0], windings[1], interfaces, need.halves, need.secondary_halves, stack, grade)


def core_loss_density(t: Transformer, v: float, duty: float, frequency: float, celsius: float) -> float:
    """Core loss per volume, W/m³, at a temperature."""
    flux = book.peak_flux(V=v, D=duty, N=t.primary.turns, A_e=t.stack.a_e, f_s=frequency)
    g = t.grade
    return float(
        temperature_factor(g, celsius)
        * book.igse_pulses(D=duty, alpha=g.alpha, beta=g.beta, k_core=g.k, f_s=frequency, B_pk=flux)
    )


def total_loss(t: Transformer, need: TransformerNeed, celsius: float = 90.0) -> float:
    """Copper of the primary and the secondary plus core, W, at the working point."""
    primary, secondary = winding_losses(t, need.primary_pulse, need.secondary_pulse, need.d_work, need.frequency, celsius)
    core = core_loss_density(t, need.v_work, need.d_work, need.frequency, celsius) * t.stack.v_e
    return t.halves * primary.loss + t.secondary_halves * secondary.loss + core
