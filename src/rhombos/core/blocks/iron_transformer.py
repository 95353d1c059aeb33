"""The step-up transformer on laminated iron, at line frequency."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import TypeAlias

from pydantic import Field

from rhombos.core.blocks.base import Build, by_route, part, remembered
from rhombos.core.blocks.regulation import judge_output
from rhombos.core.book import magnetics as book
from rhombos.core.book import source
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted, wound
from rhombos.core.frame.keys import Key
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.magnetics.iron import IronNeed, IronTransformer, design_iron, iron_from
from rhombos.core.magnetics.stack import rise
from rhombos.core.parts import IronCore, Shelf
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[IronTransformerBuild, IronState]"

KEY: Key[IronTransformerBuild, IronState] = Key("iron_transformer")
TITLE = "Transformer"
KNEE = 1.15
"""Flux over a core's limit at which its magnetising current runs away."""
UNEVEN_EDGES = 20e-9
"""How unequal the half-cycles of a bridge are, s: what is left of its drivers' mismatch."""
WEARING = ("core", "primary_turns", "secondary_turns", "primary_wire", "primary_in_hand", "secondary_wire", "secondary_in_hand")


NEARLY = 0.8
"""Area product over the largest on the shelf from which another core hardly helps."""
THICK = 100.0
"""Line frequency, Hz, above which half a millimetre of sheet is too thick."""


class IronTransformerBuild(Build):
    """Core, turns and wires."""

    core: str = part("iron_core", "Iron core")
    primary_turns: int = Field(ge=1, le=2000, title="Primary turns, each half")
    secondary_turns: int = Field(ge=1, le=20000, title="Secondary turns")
    primary_wire: str = part("wire", "Primary wire")
    primary_in_hand: int = Field(ge=1, le=200, title="Primary strands in parallel")
    secondary_wire: str = part("wire", "Secondary wire")
    secondary_in_hand: int = Field(ge=1, le=100, title="Secondary strands in parallel")
    halves: int = by_route("Primary halves")


@dataclass(frozen=True, slots=True)
class IronPoint:
    """RMS (sine) or level (steps) across the driven primary, V, and its highest; duty of one side (0 for a sine); RMS currents
    of one half and of the secondary, A; output RMS, V; line frequency, Hz; temperature it is taken to have, °C."""

    volts: float
    volts_max: float
    duty: float
    duty_max: float
    primary_rms: float
    secondary_rms: float
    output: float
    frequency: float
    celsius: float


@dataclass(frozen=True, slots=True)
class IronState:
    """Flux, T; currents, A; resistances, Ω; inductances, H; losses, W; temperature, °C; output, V."""

    ratio: float
    flux: float
    worst_flux: float
    magnetising_inductance: float
    magnetising: float
    leakage: float
    primary_rms: float
    secondary_rms: float
    primary_resistance: float
    secondary_resistance: float
    copper: float
    core: float
    temperature: float
    output: float
    loss: float

    @property
    def linkage(self) -> float:
        """Flux linkage of the secondary at work, V·s peak."""
        return self.magnetising * self.magnetising_inductance * self.ratio


@lru_cache(maxsize=64)
def made(build: IronTransformerBuild, shelf: Shelf) -> IronTransformer:
    """The wound transformer that the build describes."""
    return iron_from(
        shelf,
        build.core,
        (build.primary_wire, build.primary_in_hand, build.primary_turns),
        (build.secondary_wire, build.secondary_in_hand, build.secondary_turns),
        build.halves,
    )


@remembered
def propose(need: IronNeed, pins: Fields, shelf: Shelf, rules: Rules) -> IronTransformerBuild:
    """Search the shelf; pinned fields stay."""
    t = design_iron(need, pins, shelf, rules)
    return IronTransformerBuild.within(
        {
            "core": t.stack.id,
            "primary_turns": t.primary.turns,
            "secondary_turns": t.secondary.turns,
            "primary_wire": t.primary.wire.id,
            "primary_in_hand": t.primary.in_hand,
            "secondary_wire": t.secondary.wire.id,
            "secondary_in_hand": t.secondary.in_hand,
            "halves": t.halves,
        }
        | pins
    )


def assess(
    at: IronPoint, build: IronTransformerBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> IronState:
    """Flux, losses and temperature."""
    t, work = made(build, shelf), worksheet.work
    air = brief.targets.ambient + rules.enclosure_rise
    flux, worst = (
        _flux(f"iron_transformer.{name}", volts, duty, at.frequency, t, worksheet)
        for name, volts, duty in (("flux", at.volts, at.duty), ("worst_flux", at.volts_max, at.duty_max))
    )
    first, second = t.resistances(at.celsius)
    work(
        "iron_transformer.primary_resistance",
        book.winding_resistance,
        rho=first * t.primary.copper / (t.primary.turns * t.stack.mlt),
        N=t.primary.turns,
        MLT=t.stack.mlt,
        A_cu=t.primary.copper,
    )
    inner = t.halves * work("iron_transformer.primary_copper", source.ohmic_loss, I_rms=at.primary_rms, R=first)
    outer = work("iron_transformer.secondary_copper", source.ohmic_loss, I_rms=at.secondary_rms, R=second)
    copper = worksheet.total("iron_transformer.copper", {"primary": inner, "secondary": outer})
    core = work(
        "iron_transformer.core", book.iron_loss, m_core=t.stack.mass, p_iron=t.stack.loss, B_pk=max(flux, 1e-4), f=at.frequency
    )
    factor = work(
        "iron_transformer.inductance_factor", book.inductance_factor, mu_e=t.stack.mu, A_e=t.stack.a_e, l_e=t.stack.l_e
    )
    inductance = work("iron_transformer.magnetising_inductance", book.magnetising, N=t.primary.turns, A_L=factor)
    work("iron_transformer.rise", book.temperature_rise, P_loss=copper + core, A_s=t.stack.surface)
    warm = worksheet.total(
        "iron_transformer.temperature", {"air in the case": air, "rise": rise(copper + core, t.stack.surface)}
    )
    return IronState(
        ratio=t.ratio,
        flux=flux,
        worst_flux=worst,
        magnetising_inductance=inductance,
        magnetising=worksheet.total(
            "iron_transformer.magnetising", {"peak, flux over permeability": flux * t.primary.turns * t.stack.a_e / inductance}
        ),
        leakage=work("iron_transformer.leakage", book.leakage, **t.leakage_inputs),
        primary_rms=at.primary_rms,
        secondary_rms=at.secondary_rms,
        primary_resistance=first,
        secondary_resistance=second,
        copper=copper,
        core=core,
        temperature=warm,
        output=at.output,
        loss=worksheet.total("iron_transformer.loss", {"copper": copper, "iron": core}),
    )


def _flux(address: str, volts: float, duty: float, frequency: float, t: IronTransformer, worksheet: Worksheet) -> float:
    if duty:
        return worksheet.work(address, book.peak_flux, V=volts, D=duty, N=t.primary.turns, A_e=t.stack.a_e, f_s=frequency)
    return worksheet.work(address, book.sine_flux, V_rms=volts, f=frequency, N=t.primary.turns, A_e=t.stack.a_e)


def carries(t: IronTransformer, state: IronState, brief: Brief, rules: Rules) -> float:
    """What it passes for long at the output's voltage, V·A: what heats its copper as far as its winding may go, where the iron
    loses what it does in a state."""
    air = brief.targets.ambient + rules.enclosure_rise
    bears = book.temperature_rise.solve("P_loss", {"dT": rules.winding_limit - air, "A_s": t.stack.surface}).value
    first, second = t.resistances(rules.winding_limit)
    whole = t.halves * first * (state.primary_rms / max(state.secondary_rms, 1e-9)) ** 2 + second
    current = source.ohmic_loss.invert("I_rms", {"P_loss": max(0.0, bears - state.core), "R": whole})
    return brief.output.voltage * current


def parts(build: IronTransformerBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Core and wire."""
    t = made(build, shelf)
    return (
        fitted("T1", "iron core", t.stack, fields=("core",)),
        wound("T1", "transformer primary", t.primary, t.stack.mlt, t.halves, ("primary_wire",)),
        wound("T1", "transformer secondary", t.secondary, t.stack.mlt, fields=("secondary_wire",)),
    )


def report(sheet: Sheet, brief: Brief, power_in: float) -> BlockReport:
    """The transformer's figures and findings."""
    build: IronTransformerBuild = sheet.build
    rules, now = sheet.rules, sheet.now
    t = made(build, sheet.shelf)
    knee = t.stack.b_limit * KNEE
    half = ", each half" if t.halves == 2 else ""
    # a width-controlled wave meets full width on the highest input only until its controller has closed it again
    passing = brief.output.waveform == "modified"
    flux = sheet.limited(
        "worst_flux", r"B_{\max}", "Peak flux, worst case", "T", knee, 0.0 if passing else 1 - 1 / KNEE, over=("high",)
    )
    sheet.result("flux", r"B_{pk}", "Peak flux, working", "T")
    warm = sheet.limited(
        "temperature", r"T_{tr}", "Temperature", "degC", rules.winding_limit + 20, 20 / (rules.winding_limit + 20), over=LASTING
    )
    window = sheet.fixed("fill", "h/h_W", "Window height in use", t.fill, "%", 1.0, 0.0, "as wound")
    for name, symbol, title in (
        ("core", "", "Iron core"),
        ("primary_turns", "N_p", f"Primary turns{half}"),
        ("secondary_turns", "N_s", "Secondary turns"),
        ("primary_wire", "", "Primary wire"),
        ("primary_in_hand", "", "Primary strands in parallel"),
        ("secondary_wire", "", "Secondary wire"),
        ("secondary_in_hand", "", "Secondary strands in parallel"),
    ):
        sheet.choice(name, symbol, title)
    for point, what in (("nominal", "nominal"), ("low", "lowest"), ("high", "highest"), ("idle", "no load, nominal")):
        sheet.result("output", "V", f"Output, {what} input" if point != "idle" else "Output, no load", "V", point=point)
    sheet.result("primary_rms", "I_p", f"RMS current, primary{half.replace(', each', '')}", "A")
    sheet.result("secondary_rms", "I_s", "RMS current, secondary", "A")
    sheet.result("magnetising", r"\hat I_m", "Magnetising current, peak", "A")
    sheet.result("leakage", r"L_{lk}", "Leakage, primary side", "H")
    sheet.fixed_value("mass", "m", "Iron and copper", t.stack.mass + t.copper_mass, "kg", "as wound")
    sheet.result("copper", r"P_{Cu}", "Copper loss", "W")
    sheet.result("core", r"P_{Fe}", "Iron loss, day and night", "W")
    sheet.result("loss", "P", "Loss, whole transformer", "W")
    freed: dict[str, PinValue] = {f"iron_transformer.{n}": None for n in WEARING}
    cure = (("Let the proposal wind it", freed),)
    largest = max(sheet.shelf.all(IronCore), key=lambda c: c.a_e * c.a_w)
    outgrown = None
    if t.stack.a_e * t.stack.a_w >= NEARLY * largest.a_e * largest.a_w:
        outgrown = f"no iron on the shelf is larger than {largest.id}: add a larger one, or use two transformers"
    hopeless = outgrown if warm.severity else None
    if flux.severity:
        more = math.ceil(build.primary_turns * flux.value / flux.limit)
        sheet.find(
            "saturation",
            flux.severity,
            "The iron saturates" if flux.severity == "stop" else "The iron is driven hard",
            f"{build.primary_turns} turns see {fmt(flux.value, 'T')} at the highest input; this iron is meant for "
            f"{short(t.stack.b_limit, 'T')}. The magnetising current then runs away in spikes.",
            f"{more} primary turns with the secondary in proportion, or a larger core.",
            worst=flux,
            # where copper has no room left, more turns drop more, and the iron must make up for it
            cures=cure
            if hopeless
            else (
                (
                    f"Wind {more} primary turns",
                    {
                        "iron_transformer.primary_turns": more,
                        "iron_transformer.secondary_turns": math.ceil(build.secondary_turns * more / build.primary_turns),
                    },
                ),
                *cure,
            ),
            unavoidable=hopeless,
        )
    if warm.severity:
        hottest: IronState = sheet.states[warm.point]
        sheet.find(
            "hot",
            warm.severity,
            "The transformer runs too hot",
            f"{fmt(hottest.core, 'W')} in the iron and {fmt(hottest.copper, 'W')} in the copper take it to "
            f"{fmt(warm.value, 'degC')}, {sheet.where(warm)}.",
            "A larger core, or thicker wire."
            if outgrown is None
            else f"For long it passes about {fmt(carries(t, hottest, brief, rules), 'V*A', 2)} at "
            f"{short(brief.output.frequency, 'Hz')}: ask less or a higher frequency, or take a route with a link, whose "
            "transformer knows nothing of the line.",
            worst=warm,
            cures=cure,
            unavoidable=outgrown,
        )
    if window.severity:
        sheet.find(
            "window",
            "stop",
            "The windings do not fit the window",
            f"They build {fmt(t.height, 'mm')} high; {build.core} offers {fmt(t.stack.height, 'mm')}.",
            "Thinner wire, or a core with a larger window.",
            worst=window,
            cures=cure,
            unavoidable=outgrown,
        )
    _output_findings(sheet, brief, t)
    if t.halves == 1:
        offset = brief.source.volts[1] * 2 * 18e3 * UNEVEN_EDGES
        walked = offset / now.primary_resistance
        if walked > now.magnetising:
            sheet.find(
                "offset",
                "watch",
                "A small DC offset saturates it",
                f"Half-cycles unequal by {fmt(UNEVEN_EDGES, 's')} leave {fmt(offset, 'V', 2)} across "
                f"{fmt(now.primary_resistance, 'ohm')}: {fmt(walked, 'A', 2)} of direct current against a magnetising "
                f"peak of {fmt(now.magnetising, 'A', 2)}.",
                "Let the controller measure and cancel the mean of the primary current, or leave a small gap.",
                figure="magnetising",
            )
    if brief.output.frequency > THICK:
        sheet.find(
            "sheet",
            "watch",
            "Ordinary sheet is too thick for this frequency",
            f"Its loss is counted with the exponent of thin sheet; at {short(brief.output.frequency, 'Hz')} the eddy currents "
            "of half a millimetre lose several times as much.",
            "Iron of 0.2 mm or thinner, or a route with a link; measure the no-load power before it is built in.",
            figure="secondary_turns",
        )
    drop = 1 - sheet.states["nominal"].output / max(sheet.states["idle"].output, 1e-9)
    sheet.find(
        "nameplate",
        "note",
        "A bought transformer run the other way round",
        f"Look for {short(brief.output.voltage, 'V')} to about "
        f"{fmt(brief.output.voltage / t.ratio * (1 - max(0.0, drop)), 'V', 2)} at "
        f"{fmt(now.output * now.secondary_rms, 'V*A')} or more: its plate counts its own drop at full "
        "load, which you lose twice when you reverse it.",
        "Measure its open ratio before you buy: that is what sets your turns.",
        figure="secondary_turns",
    )
    wound = f"{build.primary_turns}+{build.primary_turns}" if t.halves == 2 else str(build.primary_turns)
    return sheet.close(
        f"{wound} : {build.secondary_turns}",
        f"{fmt(t.stack.mass + t.copper_mass, 'kg', 2)} of iron and copper; hums at twice the line",
        power_in,
        power_in - now.loss,
        {
            "halves": str(t.halves),
            "primary": str(build.primary_turns),
            "secondary": str(build.secondary_turns),
            "core": build.core,
            "flux": fmt(now.flux, "T"),
            "leakage": fmt(now.leakage, "H"),
            "primary_current": fmt(now.primary_rms, "A"),
            "secondary_current": fmt(now.secondary_rms, "A"),
            "primary_wire": f"{build.primary_in_hand} × {t.primary.wire.label}",
            "secondary_wire": f"{build.secondary_in_hand} × {t.secondary.wire.label}",
        },
    )


def _output_findings(sheet: Sheet, brief: Brief, t: IronTransformer) -> None:
    square = brief.output.waveform == "square"
    judge_output(
        sheet,
        brief,
        (
            "Let the proposal choose the turns",
            {"iron_transformer.primary_turns": None, "iron_transformer.secondary_turns": None},
        ),
        "this route has nothing that regulates a square wave" if square else None,
    )
    if brief.output.waveform == "modified" and t.halves == 2:
        sheet.find(
            "zero_state",
            "watch",
            "Nothing holds the output at zero between the pulses",
            "Both switches of a push-pull are off then: an inductive or light load lets the winding ring, and the RMS "
            "of the wave rises.",
            "A clamp winding with two more switches, a bridge instead, or loads that are resistive.",
            figure="output",
        )
