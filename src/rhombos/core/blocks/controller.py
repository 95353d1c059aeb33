"""The front end's controller: oscillator, dead time, set-point, loop, current sense. It lies beside the power path."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import asdict, dataclass

from pydantic import Field

from rhombos.core.blocks import set_point
from rhombos.core.blocks.base import options, part, remembered
from rhombos.core.blocks.link_loop import (
    CURRENT,
    TRIP_LEVEL,
    VOLTAGE,
    ControllerNeed,
    School,
    aimed,
    both_ways,
    compensation,
    compensator_of,
    dip_at_step,
    plant_of,
    proposed_way,
    pulsation_of,
)
from rhombos.core.book import control as book
from rhombos.core.book import filters, magnetics, sense
from rhombos.core.control.loops import margins
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.sense import DIODE, SenseTransformer, best_sense_grade, rank_sense_cores, sense_from
from rhombos.core.parts import Core, Shelf
from rhombos.core.units.preferred import E6, E12, at_least, at_most
from rhombos.core.units.quantities import Farad, Hertz, Ohm, Ratio, Second

KEY: Key[ControllerBuild, ControllerState] = Key("controller")
TITLE = "Controller"
TIMING_CAPACITOR = 1e-9


class ControllerBuild(set_point.DividerBuild):
    """Timing, set-point, compensation, sensing."""

    law: str = options("Oscillator law", "one resistor", "two resistors")
    law_k: Ratio = Field(ge=0.3, le=3, title="Constant k, one resistor")
    law_a: Ratio = Field(ge=0.3, le=3, title="Constant a, charging")
    law_b: Ratio = Field(ge=0.1, le=6, title="Constant b, discharging")
    timing_capacitor: Farad = Field(ge=47e-12, le=1e-6, title="Timing capacitor")
    timing_resistor: Ohm = Field(ge=100, le=1e6, title="Timing resistor, fixed part")
    timing_trimmer: Ohm = Field(ge=0, le=1e6, title="Frequency trimmer")
    discharge_resistor: Ohm = Field(ge=0, le=10e3, title="Discharge resistor")
    control: str = options("Control of the choke", CURRENT, VOLTAGE, default=VOLTAGE)
    feed_forward: bool = Field(False, title="Load power fed forward")
    crossover: Hertz = Field(ge=1, le=50e3, title="Crossover aimed at")
    r2: Ohm = Field(ge=100, le=100e6, title="Compensation R2")
    c1: Farad = Field(ge=1e-12, le=100e-6, title="Compensation C1")
    c2: Farad = Field(ge=1e-12, le=100e-6, title="Compensation C2")
    r3: Ohm = Field(ge=0, le=10e6, title="Compensation R3")
    c3: Farad = Field(ge=0, le=100e-6, title="Compensation C3")
    sensing: str = options("Current sensing", "current transformer", "shunt")
    sense_turns: int = Field(ge=10, le=1000, title="Turns of the current transformer")
    sense_core: str = part("core", "Core of the current transformer")
    sense_grade: str = part("grade", "Its ferrite grade")
    sense_resistor: Ohm = Field(ge=1e-5, le=1e4, title="Burden or shunt")
    blanking: Second = Field(ge=0, le=20e-6, title="Leading-edge blanking")
    soft_start: Second = Field(ge=0, le=10, title="Soft start")


@dataclass(frozen=True, slots=True)
class ControllerState(set_point.SetPoint):
    """Frequencies, Hz; times, s; shares; set-points, V; margins, Hz and degrees; trip, A; losses, W."""

    oscillator: float
    output: float
    slowest: float
    fastest: float
    trim_slow: float
    trim_fast: float
    dead_time: float
    ceiling: float
    divider_power: float
    resonance: float
    crossover: float
    phase: float
    passed: float
    mean_square: float
    ripple: float
    dip: float
    low_point: float
    floor: float
    slope: float
    trip: float
    sense_loss: float
    sense_flux: float
    sense_droop: float
    sense_reset: float
    schools: tuple[School, ...] = ()
    loss: float = 0.0


def _tuned(law: str, k: float, a: float, b: float, capacitor: float, frequency: float, discharge: float) -> float:
    """Timing resistance for an oscillator frequency, Ω."""
    if law == "one resistor":
        return book.oscillator_one.invert("R_time", {"k_osc": k, "C_time": capacitor, "f_osc": frequency})
    return book.oscillator_two.invert(
        "R_time", {"a_osc": a, "b_osc": b, "C_time": capacitor, "R_dis": discharge, "f_osc": frequency}
    )


@remembered
def propose(need: ControllerNeed, brief: Brief, pins: Fields, shelf: Shelf, rules: Rules) -> ControllerBuild:
    """Timing from preferred values with a trimmer that covers every tolerance; a set-point likewise; a loop by the K factor."""
    fields: Fields = {
        "law": "two resistors",
        "law_k": 1.0,
        "law_a": 0.7,
        "law_b": 2.0,
        "timing_capacitor": TIMING_CAPACITOR,
        "feedback": "shunt reference and opto-coupler",
        "reference": 2.5,
        "sensing": "current transformer",
        "sense_turns": 100,
        "soft_start": 0.02,
    } | pins
    oscillator, capacitor = 2 * need.frequency, fields["timing_capacitor"]
    dead = max(1.05 * need.off_time, 100e-9)
    discharge = at_least(min(10e3, max(1.0, dead / (fields["law_b"] * capacitor))), E12)
    discharge = float(fields.setdefault("discharge_resistor", discharge if fields["law"] != "one resistor" else 0.0))
    wanted = _tuned(fields["law"], fields["law_k"], fields["law_a"], fields["law_b"], capacitor, oscillator, discharge)
    spread = rules.capacitor_tolerance + rules.oscillator_tolerance + rules.resistor_tolerance + 0.02
    if "timing_resistor" not in fields:
        fields["timing_resistor"] = at_most(min(1e6, max(100.0, wanted * (1 - spread))), E12)
    reach = max(10.0, wanted * (1 + spread) - fields["timing_resistor"])
    fields.setdefault("timing_trimmer", at_least(min(1e6, reach), E6))
    fields = set_point.divider(need.link, fields) | fields
    if need.adjustable and "span_pot" not in fields:
        fields = set_point.span(need.link, need.least, fields, rules) | fields
    trip = rules.trip_factor * need.pulse
    if "sense_resistor" not in fields:
        turns = fields["sense_turns"] if fields["sensing"] == "current transformer" else 1
        fields["sense_resistor"] = at_most(min(1e4, max(1e-5, TRIP_LEVEL * turns / max(trip, 1e-3))), E12)
    fields.setdefault("sense_grade", best_sense_grade(shelf))
    if "sense_core" not in fields:
        n = fields["sense_turns"]
        fields["sense_core"] = rank_sense_cores(
            shelf,
            fields["sense_grade"],
            n,
            TRIP_LEVEL + DIODE,
            min(0.5, need.duty),
            need.frequency,
            max(need.pulse, 1e-3) / n,
            need.pulse_rms / n,
            rules.current_density,
        )[0].stack.core.id
    if need.regulated:
        fields = proposed_way(need, fields, brief, rules)
    else:
        fields = {"control": VOLTAGE, "feed_forward": False} | fields
        fields = compensation(need, aimed(fields, VOLTAGE, need, brief), rules) | aimed(fields, VOLTAGE, need, brief)
    fields.pop("pinned", None)
    fields.setdefault("blanking", float(f"{max(100e-9, 1.3 * need.off_time):.2g}"))
    return ControllerBuild.within(fields)


def oscillator_at(build: ControllerBuild, resistance: float, worksheet: Worksheet, capacitor: float | None = None) -> float:
    """Oscillator frequency for a timing resistance, Ω, Hz."""
    farad = capacitor or build.timing_capacitor
    if build.law == "one resistor":
        return worksheet.work("controller.oscillator", book.oscillator_one, k_osc=build.law_k, R_time=resistance, C_time=farad)
    return worksheet.work(
        "controller.oscillator",
        book.oscillator_two,
        a_osc=build.law_a,
        b_osc=build.law_b,
        R_time=resistance,
        R_dis=build.discharge_resistor,
        C_time=farad,
    )


def _reach(build: ControllerBuild, rules: Rules) -> tuple[float, float, float, float]:
    """Slowest and fastest a fresh board may start with the trimmer in its middle; and what the trimmer reliably covers, Hz."""
    spread = rules.oscillator_tolerance
    corners: dict[float, list[float]] = {}
    for place in (0.0, 0.5, 1.0):
        corners[place] = [
            oscillator_at(
                build,
                (build.timing_resistor + place * build.timing_trimmer) * (1 + r),
                SILENT,
                build.timing_capacitor * (1 + c),
            )
            * (1 + o)
            for r, c, o in itertools.product(
                (-rules.resistor_tolerance, rules.resistor_tolerance),
                (-rules.capacitor_tolerance, rules.capacitor_tolerance),
                (-spread, spread),
            )
        ]
    return min(corners[0.5]), max(corners[0.5]), max(corners[1.0]), min(corners[0.0])


def sense_of(need: ControllerNeed, build: ControllerBuild, shelf: Shelf, rules: Rules) -> SenseTransformer:
    """The current transformer that the build describes."""
    return sense_from(
        shelf, build.sense_core, build.sense_grade, build.sense_turns, need.pulse_rms / build.sense_turns, rules.current_density
    )


def assess(
    need: ControllerNeed,
    build: ControllerBuild,
    brief: Brief,
    shelf: Shelf,
    rules: Rules,
    worksheet: Worksheet,
    compared: bool = False,
) -> ControllerState:
    """What the chosen parts really give; where it is to be compared, beside the other way of holding the link."""
    work = worksheet.work
    oscillator = oscillator_at(build, build.timing_resistor + build.timing_trimmer / 2, worksheet)
    slow, fast, trim_slow, trim_fast = _reach(build, rules)
    dead = 0.0
    if build.law != "one resistor":
        dead = work(
            "controller.dead_time",
            book.discharge_time,
            b_osc=build.law_b,
            R_dis=build.discharge_resistor,
            C_time=build.timing_capacitor,
        )
    ceiling = work("controller.ceiling", book.duty_ceiling, t_d=min(dead, 0.9 / oscillator), f_osc=oscillator)
    stands = set_point.assess(need.link, build, rules, worksheet)
    path = need.path
    found = margins(plant_of(path, build), compensator_of(build))
    swing, share = pulsation_of(path, build, need.demand, brief.output.frequency)
    ripple = swing.ripple * need.ripple
    dip = dip_at_step(need, build, found.crossover, brief, worksheet)
    turns = build.sense_turns if build.sensing == "current transformer" else 1
    burnt = (need.pulse_rms / turns) ** 2 * build.sense_resistor
    duty, flux, droop, reset = min(0.5, max(need.duty, 1e-3)), 0.0, 0.0, 0.0
    if build.sensing == "current transformer":
        volts = TRIP_LEVEL + DIODE
        sensed = sense_of(need, build, shelf, rules)
        flux = work(
            "controller.sense_flux",
            magnetics.pulse_flux,
            V=volts,
            D=duty,
            N=build.sense_turns,
            A_e=sensed.stack.a_e,
            f_s=need.frequency,
        )
        droop = sensed.droop(volts, duty, need.frequency, max(need.pulse, 1e-3) / build.sense_turns)
        reset = work("controller.sense_reset", sense.reset_voltage, V=volts, D=duty)
    return ControllerState(
        **asdict(stands),
        oscillator=oscillator,
        output=worksheet.total("controller.output", {"half the oscillator": oscillator / 2}),
        slowest=slow,
        fastest=fast,
        trim_slow=trim_slow,
        trim_fast=trim_fast,
        dead_time=dead,
        ceiling=ceiling,
        divider_power=need.link**2 / (build.r_top + build.r_bottom),
        resonance=work("controller.resonance", filters.corner, L=path.choke, C=path.bank),
        crossover=found.crossover,
        phase=found.phase,
        passed=share,
        mean_square=swing.source_square,
        ripple=ripple,
        dip=dip,
        low_point=worksheet.total(
            "controller.low_point",
            {
                "set-point, lowest": need.link * (1 - rules.link_tolerance),
                "half the ripple": -ripple / 2,
                "step of the load": -dip,
            },
        ),
        floor=need.floor,
        slope=work("controller.slope", book.slope_compensation, V_out=need.link, L=path.choke),
        trip=worksheet.total("controller.trip", {"comparator's level over burden": TRIP_LEVEL * turns / build.sense_resistor}),
        sense_loss=burnt,
        sense_flux=flux,
        sense_droop=droop,
        sense_reset=reset,
        schools=both_ways(need, build, brief, rules) if need.regulated and compared else (),
    )


def parts(build: ControllerBuild, shelf: Shelf) -> tuple[Item, ...]:
    """The current transformer's core; the rest is too cheap to choose between."""
    if build.sensing != "current transformer":
        return ()
    return (fitted("T1", "current transformer core", shelf.get(Core, build.sense_core), fields=("sense_core", "sense_grade")),)


def requirements(build: ControllerBuild, switching: float, proof: float, tolerance: float) -> Iterator[Requirement]:
    """The circuit for a switching frequency, Hz, its trimmers, and its feedback across a barrier proved with so many volts; the
    reference within a tolerance."""
    form = "current mode" if build.control == CURRENT else "voltage mode"
    least = {"f_high": 2 * switching, "outputs": 2}  # the oscillator runs at twice each output
    yield Requirement(KEY, "circuit", "Controller", "controller", "U1", least=least, exact={"form": form})
    if "opto-coupler" in build.feedback:
        coupler = "Opto-coupler of the feedback"
        yield Requirement(KEY, "coupler", coupler, "opto_coupler", "U2", least={"v_proof": proof})
    if "reference" in build.feedback:
        exact: dict[str, float | str] = {"form": "adjustable shunt", "v_ref": build.reference}
        yield Requirement(KEY, "part_reference", "Reference", "reference", "U3", most={"tolerance": tolerance}, exact=exact)
    for field, title, ref, ohms in (
        ("timing_trimmer", "Frequency trimmer", "RP1", build.timing_trimmer),
        ("set_trimmer", "Set-point trimmer", "RP2", build.set_trimmer),
    ):
        if ohms:
            yield Requirement(KEY, f"part_{field}", title, "trimmer", ref, exact={"r": ohms}, fields=(field,))
