"""The high-frequency step-up transformer: core, turns and wire, and what they then do."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Self, TypeAlias

from pydantic import Field

from rhombos.core.blocks.base import Build, by_route, options, part, remembered
from rhombos.core.book import magnetics as book
from rhombos.core.book import stage
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted, wound
from rhombos.core.frame.keys import Key
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.magnetics.stack import rise, temperature_factor
from rhombos.core.magnetics.transformer import (
    Transformer,
    TransformerNeed,
    design_transformer,
    transformer_from,
    turns_off,
    winding_losses,
)  # fmt: skip
from rhombos.core.parts import Grade, Shelf
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[TransformerBuild, TransformerState]"

KEY: Key[TransformerBuild, TransformerState] = Key("transformer")
TITLE = "Transformer"


class TransformerBuild(Build):
    """Core set, grade, turns and wires."""

    core: str = part("core", "Core")
    sets: int = Field(ge=1, le=4, title="Core sets side by side")
    grade: str = part("grade", "Ferrite grade")
    primary_turns: int = Field(ge=1, le=200, title="Primary turns, each half")
    secondary_turns: int = Field(ge=1, le=6000, title="Secondary turns")
    primary_wire: str = part("wire", "Primary wire")
    primary_in_hand: int = Field(ge=1, le=200, title="Primary strands in parallel")
    secondary_wire: str = part("wire", "Secondary wire")
    secondary_in_hand: int = Field(ge=1, le=100, title="Secondary strands in parallel")
    interfaces: int = Field(ge=1, le=2, title="Faces to the secondary")
    units: int = Field(1, ge=1, le=8, title="Transformers alike")
    joined: str = options("Their secondaries", "in series", "in parallel", default="in series")
    halves: int = by_route("Primary halves")
    secondary_halves: int = by_route("Secondary halves")

    @property
    def ratio(self) -> float:
        """Voltage of the joined secondaries over that of a primary half; the primaries are always in parallel."""
        return self.secondary_turns / self.primary_turns * (self.units if self.joined == "in series" else 1)

    @property
    def joined_turns(self) -> int:
        """Turns of all secondaries in series."""
        return self.secondary_turns * (self.units if self.joined == "in series" else 1)

    @property
    def secondary_paths(self) -> int:
        """Into how many the current of the secondary parts."""
        return 1 if self.joined == "in series" else self.units

    @classmethod
    def of(cls, t: Transformer, pins: Fields | None = None) -> Self:
        """The build of a wound transformer; pins stay."""
        return cls.within({
            "core": t.stack.core.id, "sets": t.stack.sets, "grade": t.grade.id, "primary_turns": t.primary.turns,
            "secondary_turns": t.secondary.turns, "primary_wire": t.primary.wire.id, "primary_in_hand": t.primary.in_hand,
            "secondary_wire": t.secondary.wire.id, "secondary_in_hand": t.secondary.in_hand, "interfaces": t.interfaces,
            "halves": t.halves, "secondary_halves": t.secondary_halves,
        } | dict(pins or {}))  # fmt: skip


@dataclass(frozen=True, slots=True)
class WorkingPoint:
    """Voltage across one half while its switch is on, V; duty; pulses, mean, A; the worst volts and duty for the flux; the
    temperature it is taken to have, °C; RMS over mean of the pulses; whether a choke keeps each flat;
    all leakage in the path of a half, leads too, H; the share of the duty in which it lets the current rise."""

    v_half: float
    duty: float
    primary_pulse: float
    secondary_pulse: float
    frequency: float
    v_max: float
    d_max: float
    celsius: float
    form: float = 1.0
    flat: bool = True
    leakage: float = 0.0
    rising: float = 0.0


@dataclass(frozen=True, slots=True)
class TransformerState:
    """Flux, T; temperatures, °C; losses, W; resistances, Ω; inductances, H. Windings are those of one transformer; losses are
    of all, and the `_together` as the stage and the rectifier meet them."""

    ratio: float
    leakage_together: float
    magnetising_together: float
    primary_together: float
    secondary_together: float
    flux: float
    worst_flux: float
    magnetising_inductance: float
    magnetising: float
    leakage: float
    leakage_duty: float
    primary_rms: float
    secondary_rms: float
    primary_density: float
    secondary_density: float
    primary_resistance: float
    secondary_resistance: float
    primary_factor: float
    secondary_factor: float
    copper: float
    core: float
    temperature: float
    loss: float


@lru_cache(maxsize=64)
def made(build: TransformerBuild, shelf: Shelf) -> Transformer:
    """The wound transformer that the build describes."""
    return transformer_from(
        shelf, build.core, build.sets, build.grade,
        (build.primary_wire, build.primary_in_hand, build.primary_turns),
        (build.secondary_wire, build.secondary_in_hand, build.secondary_turns), build.interfaces, build.halves,
        build.secondary_halves,
    )  # fmt: skip


@lru_cache(maxsize=64)
def leakage(build: TransformerBuild, shelf: Shelf) -> float:
    """Leakage of all that the build describes, seen from one primary half, H."""
    return made(build, shelf).leakage / build.units


@remembered
def propose(need: TransformerNeed, pins: Fields, shelf: Shelf, rules: Rules) -> TransformerBuild:
    """Search the shelf; pinned fields stay. Of several alike, each has its part of the need."""
    units, series = pins.get("units", 1), pins.get("joined", "in series") == "in series"
    each = replace(
        need, primary_pulse=need.primary_pulse / units, ratio=need.ratio / (units if series else 1),
        secondary_pulse=need.secondary_pulse / (1 if series else units))  # fmt: skip
    return TransformerBuild.of(design_transformer(each, pins, shelf, rules), pins)


def assess(
    at: WorkingPoint, build: TransformerBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> TransformerState:  # fmt: skip
    """Flux and losses at the temperature given, and the temperature these lead to; the route makes the two agree."""
    t = made(build, shelf)
    work, f = worksheet.work, at.frequency
    duty = max(at.duty, 1e-4)
    air = brief.targets.ambient + rules.enclosure_rise
    flux = work("transformer.flux", book.peak_flux, V=at.v_half, D=duty, N=build.primary_turns, A_e=t.stack.a_e, f_s=f)
    worst = work("transformer.worst_flux", book.peak_flux, V=at.v_max, D=at.d_max, N=build.primary_turns,
                 A_e=t.stack.a_e, f_s=f)  # fmt: skip
    factor = work("transformer.inductance_factor", book.inductance_factor, mu_e=t.grade.mu_i, A_e=t.stack.a_e,
                  l_e=t.stack.l_e)  # fmt: skip
    magnetising = work("transformer.magnetising_inductance", book.magnetising, N=build.primary_turns, A_L=factor)
    density = work("transformer.core_density", book.igse_pulses, D=duty, alpha=t.grade.alpha, beta=t.grade.beta,
                   k_core=t.grade.k, f_s=f, B_pk=max(flux, 1e-9))  # fmt: skip
    celsius, heated = at.celsius, stage.heating_duty.work({"D": duty, "D_rise": min(at.rising, duty)})
    n, paths = build.units, build.secondary_paths
    primary, secondary = winding_losses(
        t, at.form * at.primary_pulse / n, at.form * at.secondary_pulse / paths, heated, f, celsius)  # fmt: skip
    core = density * temperature_factor(t.grade, celsius) * t.stack.v_e
    copper = t.halves * primary.loss + t.secondary_halves * secondary.loss
    # secondaries in series force equal shares; in parallel one takes more, and heats with the square
    hottest = core + copper * ((1 + rules.sharing_imbalance) ** 2 if paths > 1 else 1.0)
    reached = air + rise(hottest, t.stack.surface)
    work("transformer.core", book.core_loss, p_v=density * temperature_factor(t.grade, celsius), V_e=n * t.stack.v_e)
    work("transformer.rise", book.temperature_rise, P_loss=hottest, A_s=t.stack.surface)
    leaking = worksheet.total(
        "transformer.leakage",
        {"primary to secondary": book.leakage.work(t.leakage_inputs), "between the primary's halves": t.half_leakage},
    )
    # a pulse that a choke keeps flat must first rise through the leakage; one that rises all its time need not
    eaten = work("transformer.leakage_duty", stage.leakage_duty_loss, L_lk=at.leakage,
                 I=at.primary_pulse, f_s=f, V=max(at.v_half, 1e-6)) if at.flat else 0.0  # fmt: skip
    worksheet.total("transformer.temperature", {"air in the case": air, "rise": reached - air})
    swing = work("transformer.magnetising", book.magnetising_current, V=at.v_half, D=duty, L=magnetising, f_s=f)
    return TransformerState(
        ratio=build.ratio, flux=flux, worst_flux=worst, magnetising_inductance=magnetising, magnetising=swing,
        magnetising_together=n * swing, leakage_together=leaking / n,
        primary_together=primary.resistance * primary.factor / n,
        secondary_together=secondary.resistance * secondary.factor * n / paths**2,
        leakage=leaking, leakage_duty=eaten,
        primary_rms=primary.rms, secondary_rms=secondary.rms, primary_density=primary.rms / t.primary.copper,
        secondary_density=secondary.rms / t.secondary.copper,
        primary_resistance=primary.resistance, secondary_resistance=secondary.resistance,
        primary_factor=primary.factor, secondary_factor=secondary.factor,
        copper=worksheet.total("transformer.copper", {
            **_halves("primary", t.halves, n * primary.loss),
            **_halves("secondary", t.secondary_halves, n * secondary.loss)}),
        core=n * core, temperature=reached, loss=worksheet.total("transformer.loss", {"copper": n * copper, "core": n * core}),
    )  # fmt: skip


def _halves(name: str, halves: int, loss: float) -> dict[str, float]:
    return {name: loss} if halves == 1 else {f"{name} half": loss, f"{name}'s other half": loss}


def parts(build: TransformerBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Core sets and wire."""
    t, n = made(build, shelf), build.units
    return (
        fitted(
            "T1",
            "transformer core",
            t.stack.core,
            n * t.stack.sets,
            f"{n} transformers alike" if n > 1 else "",
            ("core", "grade"),
        ),
        wound("T1", "transformer primary", t.primary, t.stack.mlt, n * t.halves, ("primary_wire",)),
        wound("T1", "transformer secondary", t.secondary, t.stack.mlt, n * t.secondary_halves, ("secondary_wire",)),
    )


def report(sheet: Sheet, power_in: float) -> BlockReport:
    """The transformer's figures and findings."""
    build: TransformerBuild = sheet.build
    rules, now = sheet.rules, sheet.now
    t = made(build, sheet.shelf)
    saturation = sheet.shelf.get(Grade, build.grade).b_sat
    flux = sheet.limited("worst_flux", r"B_{\max}", "Peak flux, worst case", "T", saturation,
                         max(0.0, 1 - rules.ferrite_peak / saturation), over=("high",))  # fmt: skip
    sheet.result("flux", r"B_{pk}", "Peak flux, working", "T")
    warm = sheet.limited("temperature", r"T_{tr}", "Temperature", "degC", rules.winding_limit + 20,
                         20 / (rules.winding_limit + 20), over=LASTING)  # fmt: skip
    window = sheet.fixed("fill", "h/h_W", "Window height in use", t.fill, "%", 1.0, 0.0, "as wound")
    sheet.choice("units", "n", "Transformers alike, primaries in parallel")
    if build.units > 1:
        sheet.choice("joined", "", "Their secondaries")
        _several(sheet, build)
    sheet.choice("core", "", "Core")
    sheet.choice("sets", "", "Core sets side by side")
    sheet.choice("grade", "", "Ferrite grade")
    half = ", each half" if t.halves == 2 else ""
    sheet.choice("primary_turns", "N_p", f"Primary turns{half}")
    sheet.choice("secondary_turns", "N_s", "Secondary turns" + (", each half" if t.secondary_halves == 2 else ""))
    sheet.choice("primary_wire", "", "Primary wire")
    sheet.choice("primary_in_hand", "", "Primary strands in parallel")
    sheet.choice("secondary_wire", "", "Secondary wire")
    sheet.choice("secondary_in_hand", "", "Secondary strands in parallel")
    sheet.choice("interfaces", "p", "Faces to the secondary")
    sheet.result("leakage", r"L_{lk}", f"Leakage{half.replace(', each', ', one')}", "H")
    if now.leakage_duty:
        sheet.result("leakage_duty", r"\Delta D", "Duty eaten by leakage", "%")
    sheet.result("magnetising", r"\Delta I_m", "Magnetising, peak to peak", "A")
    sheet.result("primary_rms", r"I_p", f"RMS current, primary{' half' if half else ''}", "A")
    sheet.result("secondary_rms", r"I_s", f"RMS current, secondary{' half' if t.secondary_halves == 2 else ''}", "A")
    sheet.result("primary_factor", r"F_{R,p}", "AC factor, primary", "1")
    sheet.result("secondary_factor", r"F_{R,s}", "AC factor, secondary", "1")
    sheet.result("copper", r"P_{Cu}", "Copper loss", "W")
    sheet.result("core", r"P_{Fe}", "Core loss", "W")
    sheet.result("loss", "P", "Loss, whole transformer" if build.units == 1 else f"Loss, all {build.units}", "W")
    free_turns = {f"transformer.{n}": None for n in ("core", "sets", "primary_turns", "secondary_turns")}
    more = math.ceil(build.primary_turns * flux.value / flux.limit)
    if flux.severity:
        sheet.find("saturation", flux.severity,
                   "The core saturates at the highest input" if flux.severity == "stop" else "Flux close to saturation",
                   f"{build.primary_turns} turns see {fmt(flux.value, 'T')} when the highest input meets full duty; "
                   f"hot ferrite gives up at {short(saturation, 'T')} and the rules stop at {short(flux.limit, 'T')}. The "
                   "first half-cycle after a start without soft start swings twice as far.",
                   f"{more} primary turns with the secondary in proportion, a larger core, or a higher frequency.",
                   worst=flux, cures=(
                       (f"Wind {more} primary turns", {
                           "transformer.primary_turns": more,
                           "transformer.secondary_turns": math.ceil(build.secondary_turns * more / build.primary_turns)}),
                       ("Let the proposal choose core and turns", free_turns)))  # fmt: skip
    if warm.severity:
        sheet.find("hot", warm.severity, "The transformer runs too hot",
                   f"{fmt(now.core, 'W')} in the core and {fmt(now.copper, 'W')} in the copper take it to "
                   f"{fmt(warm.value, 'degC')} at {sheet.where(warm)}.",
                   "A larger core, better wire, more turns (if the core loses more) or fewer (if the copper does).",
                   worst=warm, cures=(("Let the proposal choose core and turns", free_turns | {
                       f"transformer.{n}": None
                       for n in ("primary_wire", "primary_in_hand", "secondary_wire", "secondary_in_hand")}),))  # fmt: skip
    if window.severity:
        sheet.find("window", "stop", "The windings do not fit the window",
                   f"They build {fmt(t.height, 'mm')} high; the window of {build.core} offers {fmt(t.stack.height, 'mm')}.",
                   "Fewer strands in parallel, a core with a larger window, or a higher frequency with fewer turns.",
                   worst=window, cures=(("Let the proposal choose core and wire", free_turns | {
                       f"transformer.{n}": None
                       for n in ("primary_wire", "primary_in_hand", "secondary_wire", "secondary_in_hand")}),))  # fmt: skip
    if max(now.primary_factor, now.secondary_factor) > 2:
        which = "primary" if now.primary_factor > now.secondary_factor else "secondary"
        sheet.find("proximity", "watch", f"Eddy currents more than double the {which}'s loss",
                   f"Its AC resistance is {max(now.primary_factor, now.secondary_factor):.2g} times the DC one: wire chosen "
                   "by area alone.", "Litz or thinner strands in parallel, fewer layers, or interleave.",
                   figure=f"{which}_factor",
                   cures=((f"Let the proposal choose the {which}'s wire",
                           {f"transformer.{which}_wire": None, f"transformer.{which}_in_hand": None}),))  # fmt: skip
    wound = f"{build.primary_turns}+{build.primary_turns}" if t.halves == 2 else str(build.primary_turns)
    remark = ("start of one half to finish of the other: a wrong dot is a short" if t.halves == 2
              else "mark the starts before the first turn: they decide which way the bridge drives")  # fmt: skip
    other = (f"{build.secondary_turns}+{build.secondary_turns}" if t.secondary_halves == 2
             else str(build.secondary_turns))  # fmt: skip
    many = f"{build.units} × " if build.units > 1 else ""
    return sheet.close(
        f"{many}{wound} : {other}", remark, power_in, power_in - now.loss,
        {"halves": str(t.halves), "secondary_halves": str(t.secondary_halves), "primary": str(build.primary_turns),
        "secondary": str(build.secondary_turns),
         "core": many + build.core,
         "flux": fmt(now.flux, "T"), "leakage": fmt(now.leakage, "H"), "primary_current": fmt(now.primary_rms, "A"),
         "secondary_current": fmt(now.secondary_rms, "A"),
         "primary_wire": f"{build.primary_in_hand} × {t.primary.wire.label}",
         "secondary_wire": f"{build.secondary_in_hand} × {t.secondary.wire.label}"})  # fmt: skip


def judge_turns(sheet: Sheet, asked: float, lowest: float, highest: float) -> None:
    """Whether the turns make the voltage asked, V, of what a socket gets on the lowest and the highest input."""
    build: TransformerBuild = sheet.build
    middle = math.sqrt(lowest * highest)
    if abs(middle / asked - 1) > turns_off(middle / build.joined_turns / asked):
        sheet.find("voltage", "fix", "High-frequency output off its voltage",
                   f"{fmt(lowest, 'V')} on the lowest input and {fmt(highest, 'V')} on the highest; {short(asked, 'V')} is "
                   "asked.", "Other turns: nothing regulates what they make.", figure="secondary_turns",
                   cures=(("Let the proposal choose the turns", {
                       f"{KEY}.{n}": None for n in ("primary_turns", "secondary_turns")}),))  # fmt: skip


def _several(sheet: Sheet, build: TransformerBuild) -> None:
    """What comes of using several transformers for one."""
    if build.joined == "in parallel":
        sheet.find("sharing", "watch", "Secondaries in parallel share as their resistances please",
                   f"Each of {build.units} should take its share; wire and turns a little unlike, and one takes "
                   f"{fmt(sheet.rules.sharing_imbalance, '%', 2)} more. A single turn too many drives current round the loop "
                   "without any load.", "Join the secondaries in series, each with its part of the turns: they then carry the "
                   "same current.", figure="joined",
                   cures=(("Join them in series", {"transformer.joined": None,
                   "transformer.secondary_turns": None}),))  # fmt: skip
    else:
        sheet.find("series", "note", "Secondaries in series add up only one way round",
                   f"{build.units} starts and finishes in a row: one turned about takes away twice its voltage.",
                   "Join start to finish; measure the sum at low voltage before the rectifier is fitted. Each secondary's "
                   "insulation stands the whole link.", figure="joined")  # fmt: skip
