"""What the link choke and the filter inductor have in common: their fields, their figures, what can go wrong with them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import Build, part
from rhombos.core.design.findings import PinValue
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted, wound
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report_builder import AnySheet, Worst
from rhombos.core.magnetics.choke import GRADES, LEAST_LEFT, WIDE_GAP, Choke, ChokeNeed, choke_from, design_choke
from rhombos.core.magnetics.stack import stack_table
from rhombos.core.parts import Shelf
from rhombos.core.units.quantities import Henry, fmt, short

SHORT_OF = 0.02
"""How far under the inductance wanted a powder choke may lie."""
NEARLY = 0.8
"""Volume over the shelf's largest ring, or rings side by side, from which another hardly helps."""
WOUND_FIELDS = ("core", "sets", "grade", "turns", "wire", "in_hand")


class ChokeBuild(Build):
    """The inductor of a block: its inductance, core and winding."""

    inductance: Henry = Field(ge=1e-6, le=1, title="Inductance")
    core: str = part("core", "Inductor core")
    sets: int = Field(ge=1, le=4, title="Inductor core sets")
    grade: str = part(GRADES, "Inductor grade")
    turns: int = Field(ge=1, le=2000, title="Inductor turns")
    wire: str = part("wire", "Inductor wire")
    in_hand: int = Field(ge=1, le=50, title="Inductor strands in parallel")


@lru_cache(maxsize=128)
def choke_of(build: ChokeBuild, shelf: Shelf) -> Choke:
    """The wound inductor that a build describes."""
    return choke_from(shelf, build.core, build.sets, build.grade, build.wire, build.in_hand, build.turns, build.inductance)


def choke_parts(build: ChokeBuild, shelf: Shelf, what: str) -> tuple[Item, ...]:
    """Core sets and wire of the inductor."""
    made = choke_of(build, shelf)
    return (
        fitted("L1", f"{what} core", made.stack.core, made.stack.sets, fields=("core", "grade", "inductance")),
        wound("L1", what, made.winding, made.stack.mlt, fields=("wire",)),
    )


def wind(need: ChokeNeed, fields: Fields, shelf: Shelf, rules: Rules) -> Fields:
    """The fields with an inductor wound for the need; those already there stay."""
    made = design_choke(need, {k: fields[k] for k in WOUND_FIELDS if k in fields}, shelf, rules)
    return {
        "core": made.stack.core.id,
        "sets": made.stack.sets,
        "grade": made.grade.id,
        "turns": made.winding.turns,
        "wire": made.winding.wire.id,
        "in_hand": made.winding.in_hand,
    } | fields


@dataclass(frozen=True, slots=True)
class ChokeStress:
    """Flux (of a powder core the permeability it loses), temperature and window of an inductor against their limits; its
    steady current, A."""

    flux: Worst
    temperature: Worst
    window: Worst
    steady: float


def show_stress(sheet: AnySheet, made: Choke, prefix: str, what: str, steady: str, when: str = "the surge") -> ChokeStress:
    """The inductor's stresses; `prefix` stands before its figures' names, `what` is what people call it, `steady` the figure
    that is its current at full power; its peak is that of `when`."""
    limit = sheet.rules.winding_limit
    if made.soft:
        held = {k: s for k, s in sheet.states.items() if k not in sheet.infeasible} or dict(sheet.states)
        worst = max(held, key=lambda k: getattr(held[k], f"{prefix}peak"))
        flux = sheet.fixed(
            f"{prefix}faded",
            r"1 - \mu/\mu_i",
            f"{what}: permeability lost at {when}",
            1 - made.left(getattr(held[worst], f"{prefix}peak")),
            "%",
            1.0,
            1 - LEAST_LEFT,
            sheet.points[worst].label,
        )
    else:
        flux = sheet.limited(
            f"{prefix}flux",
            r"B_L",
            f"{what} flux at {when}",
            "T",
            made.grade.b_sat,
            max(0.0, 1 - sheet.rules.choke_peak / made.grade.b_sat),
        )
    return ChokeStress(
        flux,
        sheet.limited(
            f"{prefix}temperature", r"T_L", f"{what} temperature", "degC", limit + 20, 20 / (limit + 20), over=LASTING
        ),
        sheet.fixed("fill", "h/h_W", "Window height in use", made.fill, "%", 1.0, 0.0, "as wound"),
        getattr(sheet.now, steady),
    )


def show_winding(sheet: AnySheet, made: Choke, what: str) -> None:
    """How the inductor is wound."""
    sheet.choice("core", "", f"{what} core")
    sheet.choice("sets", "", f"{what} core sets")
    sheet.choice("grade", "", f"{what} grade")
    sheet.choice("turns", "N_L", f"{what} turns")
    sheet.choice("wire", "", f"{what} wire")
    sheet.choice("in_hand", "", f"{what} strands in parallel")
    if not made.soft:
        sheet.fixed_value("gap", "l_g", "Total air gap", made.gap, "mm", "as wound")


def judge(sheet: AnySheet, made: Choke, stress: ChokeStress, prefix: str, what: str, when: str = "the surge") -> None:
    """Saturation, heat and room."""
    now, block = sheet.now, sheet.block
    freed: dict[str, PinValue] = {f"{block}.{n}": None for n in ("inductance", *WOUND_FIELDS)}
    cure = (("Let the proposal wind it", freed),)
    flux, warm, window = stress.flux, stress.temperature, stress.window
    if made.soft:
        _judge_powder(sheet, made, stress, prefix, what, cure)
    elif flux.severity:
        peak = getattr(sheet.states[flux.point], f"{prefix}peak")
        sheet.find(
            f"{prefix}saturates",
            flux.severity,
            f"The {what} saturates at {when}",
            f"{fmt(peak, 'A')} through {made.winding.turns} turns make {fmt(flux.value, 'T')}; the rules stop at "
            f"{short(flux.limit, 'T')}.",
            "More turns with a larger gap, or a larger core.",
            worst=flux,
            cures=cure,
        )
    if warm.severity:
        sheet.find(
            f"{prefix}hot",
            warm.severity,
            f"The {what} runs too hot",
            f"{fmt(getattr(now, f'{prefix}copper'), 'W')} copper and {fmt(getattr(now, f'{prefix}core'), 'W')} core "
            f"take it to {fmt(warm.value, 'degC')}.",
            "A larger core, thicker wire, or more inductance for less ripple.",
            worst=warm,
            cures=cure,
        )
    wide = made.gap / made.stack.a_e**0.5
    if wide > WIDE_GAP:
        sheet.find(
            f"{prefix}gap",
            "watch",
            f"The {what} needs a wide gap",
            f"{fmt(made.gap, 'mm')} in all, {fmt(wide, '%', 2)} of the leg's width: the field spreads out of it, heats "
            "the wire beside it and makes the inductance larger than computed.",
            "Split it over the legs or into several, keep the wire a gap's width away, grind less and measure; a larger "
            "core needs less, a powder ring none: the magnetics view lists them.",
            figure="gap",
        )
    if window.severity:
        sheet.find(
            f"{prefix}window",
            "stop",
            f"The winding of the {what} does not fit",
            f"{fmt(made.winding.height, 'mm')} of wire in {fmt(made.stack.height, 'mm')}.",
            "Thinner wire or a larger core.",
            worst=window,
            cures=cure,
        )


def _judge_powder(
    sheet: AnySheet,
    made: Choke,
    stress: ChokeStress,
    prefix: str,
    what: str,
    cure: tuple[tuple[str, dict[str, PinValue]], ...],
) -> None:
    """Whether a powder core has the inductance wanted, and keeps enough of it."""
    under, empty = made.inductance_at(stress.steady), made.inductance_at(0.0)
    sheet.fixed_value(f"{prefix}loaded", "L_I", f"Inductance at {fmt(stress.steady, 'A')}", under, "H", "full power")
    sheet.fixed_value(f"{prefix}empty", "L_0", "Inductance without current", empty, "H", "as wound")
    table = stack_table(sheet.shelf)
    largest = float(np.max(table.v_e[~table.gappable]))
    outgrown = None
    if made.stack.v_e >= NEARLY * largest:
        outgrown = (
            f"no ring on the shelf is larger than {made.stack.sets} of {made.stack.core.id}: add a larger one, or ask "
            "less of the surge"
        )
    if stress.flux.severity:
        sheet.find(
            f"{prefix}fades",
            stress.flux.severity,
            f"The {what}'s powder core fades at the surge",
            f"{fmt(stress.flux.value, '%', 2)} of its permeability goes, and with it the inductance: no edge as in "
            "ferrite, but the ripple grows as much.",
            "More powder: a larger ring, two side by side, or a powder of lower permeability with more turns.",
            worst=stress.flux,
            cures=cure,
            unavoidable=outgrown,
        )
    if under < (1 - SHORT_OF) * made.inductance:
        sheet.find(
            f"{prefix}short",
            "fix",
            f"The {what} has less inductance than the sizing counts on",
            f"{made.winding.turns} turns on {made.stack.core.id} make {fmt(empty, 'H')}, and under "
            f"{fmt(stress.steady, 'A')} {fmt(under, 'H')} are left of the {fmt(made.inductance, 'H')} wanted.",
            "More turns, a larger ring, or a powder that fades less.",
            figure=f"{prefix}loaded",
            cures=(
                (
                    "Let the proposal choose the turns",
                    {f"{sheet.block}.turns": None, f"{sheet.block}.core": None, f"{sheet.block}.sets": None},
                ),
            ),
        )
