"""The front end's controller: oscillator, dead time, set-point, loop, current sense. It lies beside the power path."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import Build, options, remembered
from rhombos.core.book import control as book
from rhombos.core.book import filters, sense
from rhombos.core.brief import Brief
from rhombos.core.findings import PinValue
from rhombos.core.inventory import Item
from rhombos.core.ledger import Ledger
from rhombos.core.loops import Compensator, Plant, compensate, margins
from rhombos.core.parts import Shelf
from rhombos.core.points import STEADY
from rhombos.core.preferred import E6, E12, at_least, at_most, nearest
from rhombos.core.report import BlockReport
from rhombos.core.rules import Rules
from rhombos.core.sheet import Sheet
from rhombos.core.units import Farad, Hertz, Ohm, Ratio, Second, Volt, fmt, short

KEY, TITLE = "controller", "Controller"
TIMING_CAPACITOR = 1e-9
RAMP = 3.0
"""Height of the modulator's ramp, V."""
TRIP_LEVEL = 1.0
"""Level of the current comparator, V."""
CROSSOVER_SHARE = 1 / 40
"""Crossover proposed, over one switch's frequency: far below the ripple, far above the twice-line pulsation."""
OPTO_POLE = 15e3
"""Bandwidth of a usual opto-coupler with a kilohm of load, Hz."""
LED_VOLTS, LED_CURRENT, LED_RESISTOR = 1.2, 2e-3, 1e3
RESISTOR_VOLTS = 250.0
"""Voltage one small resistor stands: more of them share a high one."""
TRIM_SHARE = 0.12
"""Trimmer over the lower resistor of the divider, proposed."""
TALLEST_ZENER = 100.0
QUIET = Ledger(recording=False)


class ControllerBuild(Build):
    """Timing, set-point, compensation, sensing."""

    law: str = options("Oscillator law", "one resistor", "two resistors")
    law_k: Ratio = Field(ge=0.3, le=3, title="Constant k, one resistor")
    law_a: Ratio = Field(ge=0.3, le=3, title="Constant a, charging")
    law_b: Ratio = Field(ge=0.1, le=6, title="Constant b, discharging")
    timing_capacitor: Farad = Field(ge=47e-12, le=1e-6, title="Timing capacitor")
    timing_resistor: Ohm = Field(ge=100, le=1e6, title="Timing resistor, fixed part")
    timing_trimmer: Ohm = Field(ge=0, le=1e6, title="Frequency trimmer")
    discharge_resistor: Ohm = Field(ge=0, le=10e3, title="Discharge resistor")
    feedback: str = options("Feedback", "shunt reference and opto-coupler", "zener string and opto-coupler", "bare divider")
    reference: Volt = Field(ge=1, le=10, title="Reference")
    r_top: Ohm = Field(ge=1e3, le=10e6, title="Upper resistor of the divider, all of it")
    r_bottom: Ohm = Field(ge=100, le=1e6, title="Lower resistor, fixed part")
    set_trimmer: Ohm = Field(ge=0, le=1e6, title="Set-point trimmer")
    crossover: Hertz = Field(ge=2, le=50e3, title="Crossover aimed at")
    r2: Ohm = Field(ge=100, le=100e6, title="Compensation R2")
    c1: Farad = Field(ge=1e-12, le=100e-6, title="Compensation C1")
    c2: Farad = Field(ge=1e-12, le=100e-6, title="Compensation C2")
    r3: Ohm = Field(ge=0, le=10e6, title="Compensation R3")
    c3: Farad = Field(ge=0, le=100e-6, title="Compensation C3")
    sensing: str = options("Current sensing", "current transformer", "shunt")
    sense_turns: int = Field(ge=10, le=1000, title="Turns of the current transformer")
    sense_resistor: Ohm = Field(ge=1e-5, le=1e4, title="Burden or shunt")
    blanking: Second = Field(ge=0, le=20e-6, title="Leading-edge blanking")
    soft_start: Second = Field(ge=0, le=10, title="Soft start")


@dataclass(frozen=True, slots=True)
class ControllerNeed:
    """What the power path is at a point: one switch's frequency, Hz; duty asked at a flat battery; link, V, and its load, Ω;
    secondary voltage while power flows, V; choke, H, and its path, Ω; bank, F, and its series resistance, Ω; turn-off and
    delay of the switches, s; largest pulse and its RMS, A."""

    frequency: float
    duty: float
    link: float
    load: float
    secondary: float
    choke: float
    path: float
    bank: float
    esr: float
    off_time: float
    pulse: float
    pulse_rms: float


@dataclass(frozen=True, slots=True)
class ControllerState:
    """Frequencies, Hz; times, s; shares; set-points, V; margins, Hz and degrees; trip, A; losses, W."""

    oscillator: float
    output: float
    slowest: float
    fastest: float
    trim_slow: float
    trim_fast: float
    dead_time: float
    ceiling: float
    setpoint: float
    lowest: float
    highest: float
    trim_low: float
    trim_high: float
    divider_power: float
    resonance: float
    crossover: float
    phase: float
    pulsation_gain: float
    trip: float
    sense_loss: float
    loss: float = 0.0


def zeners(build: ControllerBuild, link: float) -> tuple[float, ...]:
    """The zener string that comes nearest to a link voltage, V: preferred values, none taller than 100 V."""
    wanted = link - LED_VOLTS - LED_CURRENT * LED_RESISTOR
    count = max(1, math.ceil(wanted / TALLEST_ZENER))
    first = nearest(max(2.0, wanted / count))
    return (*([first] * (count - 1)), nearest(max(2.0, wanted - first * (count - 1))))


def _tuned(law: str, k: float, a: float, b: float, capacitor: float, frequency: float, discharge: float) -> float:
    """Timing resistance for an oscillator frequency, Ω."""
    if law == "one resistor":
        return k / (capacitor * frequency)
    return (1 / (capacitor * frequency) - b * discharge) / a


@remembered
def propose(need: ControllerNeed, brief: Brief, pins: dict[str, Any], shelf: Shelf, rules: Rules) -> ControllerBuild:
    """Timing from preferred values with a trimmer that covers every tolerance; a set-point likewise; a loop by the K factor."""
    fields: dict[str, Any] = {
        "law": "two resistors", "law_k": 1.0, "law_a": 0.7, "law_b": 2.0, "timing_capacitor": TIMING_CAPACITOR,
        "feedback": "shunt reference and opto-coupler", "reference": 2.5, "sensing": "current transformer", "sense_turns": 100,
        "soft_start": 0.02,
    } | pins  # fmt: skip
    oscillator, capacitor = 2 * need.frequency, fields["timing_capacitor"]
    dead = max(2 * need.off_time, 100e-9)
    discharge = nearest(min(10e3, max(1.0, dead / (fields["law_b"] * capacitor))), E12)
    discharge = float(fields.setdefault("discharge_resistor", discharge if fields["law"] != "one resistor" else 0.0))
    wanted = _tuned(fields["law"], fields["law_k"], fields["law_a"], fields["law_b"], capacitor, oscillator, discharge)
    spread = rules.capacitor_tolerance + rules.oscillator_tolerance + rules.resistor_tolerance + 0.02
    if "timing_resistor" not in fields:
        fields["timing_resistor"] = at_most(min(1e6, max(100.0, wanted * (1 - spread))), E12)
    reach = max(10.0, wanted * (1 + spread) - fields["timing_resistor"])
    fields.setdefault("timing_trimmer", at_least(min(1e6, reach), E6))
    fields = _divider(need, fields) | fields
    plant = plant_of(need, fields["feedback"])
    fields.setdefault("crossover", float(f"{need.frequency * CROSSOVER_SHARE:.1g}"))
    parts = compensate(plant, fields["crossover"], rules.phase_margin + 10, fields["r_top"])
    for name, value, low, high in (("r2", parts.r2, 100.0, 100e6), ("c1", parts.c1, 1e-12, 1e-4), ("c2", parts.c2, 1e-12, 1e-4),
                                   ("r3", parts.r3, 1.0, 10e6), ("c3", parts.c3, 1e-12, 1e-4)):  # fmt: skip
        fields.setdefault(name, nearest(min(high, max(low, value)), E12) if value > 0 else 0.0)
    trip = rules.trip_factor * need.pulse
    if "sense_resistor" not in fields:
        turns = fields["sense_turns"] if fields["sensing"] == "current transformer" else 1
        fields["sense_resistor"] = at_most(min(1e4, max(1e-5, TRIP_LEVEL * turns / max(trip, 1e-3))), E12)
    fields.setdefault("blanking", float(f"{max(100e-9, 1.5 * need.off_time):.2g}"))
    return ControllerBuild.within(fields)


def _divider(need: ControllerNeed, fields: dict[str, Any]) -> dict[str, Any]:
    """Resistors whose set-point, the trimmer in its middle, comes nearest to the link."""
    ratio = need.link / fields["reference"] - 1
    if "r_top" in fields or "r_bottom" in fields:
        top = float(fields.get("r_top", nearest(fields.get("r_bottom", 4.7e3) * ratio)))
        bottom = float(fields.get("r_bottom", nearest(top / ratio * (1 - TRIM_SHARE / 2))))
        trimmer = at_least(max(10.0, TRIM_SHARE * bottom), E6)
        return {"r_top": top, "r_bottom": bottom, "set_trimmer": trimmer}
    best: tuple[float, float, float, float] | None = None
    for mantissa in (2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8):
        bottom = mantissa * 1e3
        trimmer = float(fields.get("set_trimmer", at_least(TRIM_SHARE * bottom, E6)))
        top = nearest((bottom + trimmer / 2) * ratio)
        miss = abs(math.log((1 + top / (bottom + trimmer / 2)) * fields["reference"] / need.link))
        best = min(best or (math.inf, 0, 0, 0), (miss, bottom, top, trimmer))
    assert best is not None
    return {"r_bottom": best[1], "r_top": best[2], "set_trimmer": best[3]}


def plant_of(need: ControllerNeed, feedback: str) -> Plant:
    """The stage as the controller sees it."""
    return Plant(need.secondary / RAMP, need.choke, need.path, need.bank, need.esr, need.load,
                 math.inf if feedback == "bare divider" else OPTO_POLE)  # fmt: skip


def compensator_of(build: ControllerBuild) -> Compensator:
    """The compensation as fitted."""
    return Compensator(build.r_top, build.r2, build.c1, build.c2, build.r3, build.c3)


def oscillator_at(build: ControllerBuild, resistance: float, ledger: Ledger, capacitor: float | None = None) -> float:
    """Oscillator frequency for a timing resistance, Ω, Hz."""
    farad = capacitor or build.timing_capacitor
    if build.law == "one resistor":
        return ledger.work("controller.oscillator", book.oscillator_one, k_osc=build.law_k, R_time=resistance, C_time=farad)
    return ledger.work("controller.oscillator", book.oscillator_two, a_osc=build.law_a, b_osc=build.law_b, R_time=resistance,
                       R_dis=build.discharge_resistor, C_time=farad)  # fmt: skip


def _reach(build: ControllerBuild, rules: Rules) -> tuple[float, float, float, float]:
    """Slowest and fastest a fresh board may start with the trimmer in its middle; and what the trimmer surely covers, Hz."""
    spread = rules.oscillator_tolerance
    corners: dict[float, list[float]] = {}
    for place in (0.0, 0.5, 1.0):
        corners[place] = [
            oscillator_at(build, (build.timing_resistor + place * build.timing_trimmer) * (1 + r), QUIET,
                          build.timing_capacitor * (1 + c)) * (1 + o)
            for r, c, o in itertools.product(
                (-rules.resistor_tolerance, rules.resistor_tolerance), (-rules.capacitor_tolerance, rules.capacitor_tolerance),
                (-spread, spread))
        ]  # fmt: skip
    return min(corners[0.5]), max(corners[0.5]), max(corners[1.0]), min(corners[0.0])


def _setpoints(
    build: ControllerBuild, need: ControllerNeed, rules: Rules, ledger: Ledger
) -> tuple[float, float, float, float, float]:  # fmt: skip
    """Set-point as fitted, its lowest and highest corner, and how low and high the trimmer takes the nominal one, V."""
    if build.feedback.startswith("zener"):
        string = sum(zeners(build, need.link))
        nominal = ledger.work("controller.setpoint", sense.zener_string, V_Z=string, V_LED=LED_VOLTS, I_LED=LED_CURRENT,
                              R=LED_RESISTOR)  # fmt: skip
        off = rules.zener_tolerance * string
        return nominal, nominal - off - 0.3, nominal + off + 0.3, nominal, nominal
    bottom = build.r_bottom + build.set_trimmer / 2
    nominal = ledger.work("controller.setpoint", sense.divider, V_ref=build.reference, R_1=build.r_top, R_2=bottom)
    t, v = rules.resistor_tolerance, rules.reference_tolerance
    corners = [sense.divider.work({
        "V_ref": build.reference * (1 + x), "R_1": build.r_top * (1 + y), "R_2": bottom * (1 + z)})
               for x, y, z in itertools.product((-v, v), (-t, t), (-t, t))]  # fmt: skip
    ends = [sense.divider.work({
        "V_ref": build.reference, "R_1": build.r_top, "R_2": build.r_bottom + share * build.set_trimmer})
            for share in (1.0, 0.0)]  # fmt: skip
    return nominal, min(corners), max(corners), ends[0], ends[1]


def assess(need: ControllerNeed, build: ControllerBuild, brief: Brief, rules: Rules, ledger: Ledger) -> ControllerState:
    """What the chosen parts really give."""
    work = ledger.work
    oscillator = oscillator_at(build, build.timing_resistor + build.timing_trimmer / 2, ledger)
    slow, fast, trim_slow, trim_fast = _reach(build, rules)
    dead = 0.0
    if build.law != "one resistor":
        dead = work("controller.dead_time", book.discharge_time, b_osc=build.law_b, R_dis=build.discharge_resistor,
                    C_time=build.timing_capacitor)  # fmt: skip
    ceiling = work("controller.ceiling", book.duty_ceiling, t_d=min(dead, 0.9 / oscillator), f_osc=oscillator)
    nominal, lowest, highest, trim_low, trim_high = _setpoints(build, need, rules, ledger)
    plant = plant_of(need, build.feedback)
    work("controller.stage_gain", book.stage_gain, V_sec=need.secondary, V_ramp=RAMP)
    found = margins(plant, compensator_of(build))
    twice_line = 2 * brief.output.frequency
    turns = build.sense_turns if build.sensing == "current transformer" else 1
    burnt = (need.pulse_rms / turns) ** 2 * build.sense_resistor
    return ControllerState(
        oscillator=oscillator, output=ledger.total("controller.output", {"half the oscillator": oscillator / 2}), slowest=slow,
        fastest=fast, trim_slow=trim_slow, trim_fast=trim_fast, dead_time=dead, ceiling=ceiling, setpoint=nominal,
        lowest=lowest, highest=highest, trim_low=trim_low, trim_high=trim_high,
        divider_power=need.link**2 / (build.r_top + build.r_bottom),
        resonance=work("controller.resonance", filters.corner, L=need.choke, C=need.bank), crossover=found.crossover,
        phase=found.phase, pulsation_gain=_gain_at(plant, build, twice_line),
        trip=ledger.total("controller.trip", {"comparator's level over burden": TRIP_LEVEL * turns / build.sense_resistor}),
        sense_loss=burnt)  # fmt: skip


def _gain_at(plant: Plant, build: ControllerBuild, frequency: float) -> float:
    at = np.array([frequency])
    return float(np.abs(plant.response(at) * compensator_of(build).response(at))[0])


def parts(build: ControllerBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Small parts, too cheap to choose between."""
    return ()


def report(sheet: Sheet, brief: Brief, need: ControllerNeed, highest_link: float) -> BlockReport:
    """The controller's figures and findings; `highest_link` is what the link's capacitors allow, V."""
    build: ControllerBuild = sheet.build  # type: ignore[assignment]
    now = sheet.now
    two = build.law != "one resistor"
    wanted = 2 * need.frequency
    sheet.choice("law", "", "Oscillator law")
    for name in ("law_a", "law_b") if two else ("law_k",):
        sheet.choice(name, name[-1], f"Constant {name[-1]} of the law")
    sheet.choice("timing_capacitor", "C_T", "Timing capacitor")
    sheet.choice("timing_resistor", "R_T", "Timing resistor")
    sheet.choice("timing_trimmer", "R_{Tv}", "Frequency trimmer")
    if two:
        sheet.choice("discharge_resistor", "R_D", "Discharge resistor")
    for name, symbol, title, unit in (
        ("oscillator", "f_{osc}", "Oscillator, mid-trim", "Hz"),
        ("output", "f_s", "Each output, half", "Hz"),
        ("dead_time", "t_d", "Dead time", "s"), ("ceiling", r"D_{\max}", "Largest duty of one switch", "1"),
    ):
        sheet.result(name, symbol, title, unit)
    _told(sheet, ("slowest", "", "A fresh board, slowest", "Hz"), ("fastest", "", "A fresh board, fastest", "Hz"))
    sheet.choice("feedback", "", "Feedback")
    if not build.feedback.startswith("zener"):
        sheet.choice("reference", r"V_{ref}", "Reference")
        sheet.choice("r_top", "R_1", "Divider, upper")
        sheet.choice("r_bottom", "R_2", "Divider, lower")
        sheet.choice("set_trimmer", "R_{2v}", "Set-point trimmer")
    sheet.result("setpoint", r"V_{set}", "Set-point as fitted", "V")
    _told(sheet, ("lowest", "", "Set-point, lowest corner", "V"), ("highest", "", "Set-point, highest corner", "V"))
    sheet.choice("crossover", "f_x", "Crossover aimed at")
    for name in ("r2", "c1", "c2", "r3", "c3"):
        if getattr(build, name) > 0:
            sheet.choice(name, f"{name[0].upper()}_{name[1]}", f"Compensation {name.upper()}")
    sheet.result("resonance", "f_0", "Choke and bank resonate at", "Hz")
    _told(sheet, ("crossover", "f_x", "Crossover reached", "Hz"), ("phase", r"\varphi_m", "Phase margin, degrees", "1"))
    sheet.choice("sensing", "", "Current sensing")
    if build.sensing == "current transformer":
        sheet.choice("sense_turns", "N_{ct}", "Current transformer")
    sheet.choice("sense_resistor", "R_s", "Burden" if build.sensing == "current transformer" else "Shunt")
    sheet.result("trip", r"I_{trip}", "Trips at", "A")
    _told(sheet, ("sense_loss", "P_s", "Lost in it", "W"))
    sheet.choice("blanking", "t_b", "Leading-edge blanking")
    sheet.choice("soft_start", "t_{ss}", "Soft start")
    _timing_findings(sheet, build, now, need, wanted)
    _set_findings(sheet, build, now, need, highest_link)
    _loop_findings(sheet, build, now, brief)
    _sense_findings(sheet, build, now, need)
    sheet.find("unused", "note", "Park what you do not use",
               "A second amplifier, comparator or section left floating picks up the switching and acts on it.",
               "Tie inputs of unused amplifiers to each other's quiet level, never leave a pin open; decouple reference and "
               "supply at the pins.", figure="feedback")  # fmt: skip
    return sheet.close(
        short(build.crossover, "Hz"), "the oscillator runs at twice each output; isolation must stay whole", 0.0, 0.0,
        {"oscillator": fmt(now.oscillator, "Hz"), "output": fmt(now.output, "Hz"),
         "timing": fmt(build.timing_resistor, "ohm"), "trimmer": f"+ {fmt(build.timing_trimmer, 'ohm')}",
         "capacitor": fmt(build.timing_capacitor, "F"), "setpoint": fmt(now.setpoint, "V"),
         "top": fmt(build.r_top, "ohm"), "bottom": fmt(build.r_bottom, "ohm"), "trip": fmt(now.trip, "A"),
         "feedback": build.feedback, "sense": fmt(build.sense_resistor, "ohm"),
         "zeners": " + ".join(short(z, "V") for z in zeners(build, need.link)) if build.feedback.startswith("zener") else "",
         })  # fmt: skip


def _told(sheet: Sheet, *figures: tuple[str, str, str, str]) -> None:
    """Figures that come of a search or a sweep and have no single formula to show."""
    for name, symbol, title, unit in figures:
        sheet.fixed_value(name, symbol, title, getattr(sheet.now, name), unit, sheet.points["nominal"].label)


def _free(*names: str) -> dict[str, PinValue]:
    return {f"{KEY}.{n}": None for n in names}


TIMING = ("timing_capacitor", "timing_resistor", "timing_trimmer", "discharge_resistor")


def _timing_findings(sheet: Sheet, build: ControllerBuild, now: ControllerState, need: ControllerNeed, wanted: float) -> None:
    cure = (("Let the proposal choose the timing", _free(*TIMING)),)
    if not now.trim_slow <= wanted <= now.trim_fast:
        halved = " It would be right for the outputs: the oscillator must run at twice their frequency." if (
            now.slowest <= wanted / 2 <= now.fastest) else ""  # fmt: skip
        sheet.find("trimmer", "fix", "The frequency trimmer does not surely reach the frequency",
                   f"With every tolerance it covers {fmt(now.trim_slow, 'Hz')} to {fmt(now.trim_fast, 'Hz')}; the stage asks "
                   f"{fmt(wanted, 'Hz')} of the oscillator.{halved}",
                   "Another fixed resistor, a larger trimmer, or a capacitor of closer tolerance.", figure="timing_resistor",
                   cures=cure)  # fmt: skip
    if now.dead_time < need.off_time:
        sheet.find("dead_time", "stop" if now.dead_time < 0.5 * need.off_time else "fix", "Both sides may conduct at once",
                   f"The controller leaves {fmt(now.dead_time, 's')} between its outputs; the switches take "
                   f"{fmt(need.off_time, 's')} to turn off.",
                   "A larger discharge resistor, the law with a discharge resistor, or a stronger gate drive.",
                   figure="dead_time", cures=(("Let the proposal choose the timing", _free(*TIMING, "law")),))  # fmt: skip
    if now.ceiling < need.duty:
        sheet.find("ceiling", "fix", "Dead time takes the duty that a flat battery needs",
                   f"{fmt(now.ceiling, '1')} of each switch is left; {fmt(need.duty, '1')} is asked.",
                   "Less dead time, or more secondary turns.", figure="ceiling", cures=cure)  # fmt: skip
    fresh = max(1 - now.slowest / wanted, now.fastest / wanted - 1)
    sheet.find("fresh", "note", "A fresh board starts off its frequency",
               f"By up to {fmt(fresh, '%', 2)} with the trimmer in its middle, from the tolerances of resistor, capacitor and "
               "the controller itself.", "Set it with a counter before the power stage is fitted.",
               figure="oscillator")  # fmt: skip


def _set_findings(
    sheet: Sheet, build: ControllerBuild, now: ControllerState, need: ControllerNeed, highest_link: float
) -> None:  # fmt: skip
    rules = sheet.rules
    cure = (("Let the proposal choose the divider", _free("feedback", "reference", "r_top", "r_bottom", "set_trimmer")),)
    string = build.feedback.startswith("zener")
    spread = max(now.highest - now.setpoint, now.setpoint - now.lowest)
    covered = now.trim_low <= need.link - spread and now.trim_high >= need.link + spread
    if (string and spread > rules.link_tolerance * need.link) or (not string and not covered):
        sheet.find("setpoint", "fix", "The set-point cannot be brought to the link's voltage",
                   f"As fitted it lands at {fmt(now.setpoint, 'V', 4)}, anywhere from {fmt(now.lowest, 'V', 4)} to "
                   f"{fmt(now.highest, 'V', 4)}; the link is meant to stand at {fmt(need.link, 'V', 4)}"
                   + (", and a zener string has no trimmer." if string else f", and the trimmer moves it by no more than "
                      f"{fmt(now.trim_low, 'V', 4)} to {fmt(now.trim_high, 'V', 4)}."),
                   "A shunt reference with a divider and trimmer, or resistors of closer tolerance.", figure="setpoint",
                   cures=cure)  # fmt: skip
    if now.highest > highest_link:
        sheet.find("too_high", "stop", "The highest set-point is beyond the link's capacitors",
                   f"{fmt(now.highest, 'V', 4)} with every tolerance against it; the capacitors stand "
                   f"{short(highest_link, 'V')}.",
                   "Closer tolerance, a lower link, or capacitors of a higher rating.", figure="highest",
                   cures=cure)  # fmt: skip
    if build.feedback == "bare divider":
        sheet.find("isolation", "stop", "The divider bridges the isolation",
                   "It joins the link, which belongs to the mains side, to the controller on the battery.",
                   "Keep the divider on the link's side and cross with an opto-coupler rated for the voltage.",
                   figure="feedback", cures=(("Use a shunt reference and opto-coupler", _free("feedback")),))  # fmt: skip
    count = math.ceil(need.link * 1.1 / RESISTOR_VOLTS)
    if count > 1 and not string:
        sheet.find("top_series", "note", f"Make the upper resistor of {count} in series",
                   f"{fmt(need.link, 'V', 3)} across one small resistor is beyond its rating even where its watts are not "
                   f"({fmt(now.divider_power, 'W', 2)}).", f"{count} times {fmt(build.r_top / count, 'ohm', 2)}.",
                   figure="r_top")  # fmt: skip


def _loop_findings(sheet: Sheet, build: ControllerBuild, now: ControllerState, brief: Brief) -> None:
    rules = sheet.rules
    cure = (("Let the proposal compensate", _free("crossover", "r2", "c1", "c2", "r3", "c3")),)
    states = {k: sheet.states[k] for k in STEADY if k not in sheet.hopeless} or {"nominal": now}
    key = min(states, key=lambda k: states[k].phase)
    tight: ControllerState = states[key]
    if tight.phase < rules.phase_margin:
        sheet.find("margin", "stop" if tight.phase < 20 else "fix", "The loop is short of phase",
                   f"{tight.phase:.0f}° are left where it crosses over at {fmt(tight.crossover, 'Hz')}, "
                   f"{sheet.points[key].label}; the rules ask "
                   f"{rules.phase_margin:.0f}°. It rings after every load step"
                   + (", or oscillates." if tight.phase < 20 else "."),
                   "A lower crossover, more boost, or a capacitor with less series resistance.", figure="phase",
                   cures=cure)  # fmt: skip
    if now.crossover == 0:
        sheet.find("dead_loop", "fix", "The loop never reaches a gain of one", "The link then follows load and battery.",
                   "More gain: a smaller C2, a larger R2.", figure="crossover", cures=cure)  # fmt: skip
    if now.pulsation_gain > 1:
        sheet.find("pulsation", "note", "The loop passes the socket's pulsation to the battery",
                   f"Its gain is {now.pulsation_gain:.1f} at {short(2 * brief.output.frequency, 'Hz')}: the link stands "
                   "stiller, and the battery's current swings at twice the line, which heats its cable half as much again.",
                   "A crossover below a tenth of twice the line keeps the battery's current smooth, and lets the link ripple.",
                   figure="crossover")  # fmt: skip


def _sense_findings(sheet: Sheet, build: ControllerBuild, now: ControllerState, need: ControllerNeed) -> None:
    rules = sheet.rules
    cure = (("Let the proposal choose the sense", _free("sensing", "sense_turns", "sense_resistor", "blanking")),)
    if now.trip < need.pulse:
        sheet.find("trips", "fix", "The current trip acts at the surge",
                   f"It trips at {fmt(now.trip, 'A')}; the surge asks {fmt(need.pulse, 'A')}.", "A smaller burden.",
                   figure="trip", cures=cure)  # fmt: skip
    elif now.trip > 2 * rules.trip_factor * need.pulse:
        sheet.find("trip_late", "fix", "The current trip acts too late",
                   f"{fmt(now.trip, 'A')} flow before it acts, against {fmt(need.pulse, 'A')} at the surge: it protects "
                   "nothing.",
                   "A larger burden.", figure="trip", cures=cure)  # fmt: skip
    if now.sense_loss > 2:
        sheet.find("shunt_heat", "watch", "Much is burnt only to sense the current",
                   f"{fmt(now.sense_loss, 'W')} in {fmt(build.sense_resistor, 'ohm')}.", "A current transformer.",
                   figure="sense_loss", cures=cure)  # fmt: skip
    if build.blanking < need.off_time:
        sheet.find("blanking", "fix", "The trip sees every turn-on as a short",
                   f"{fmt(build.blanking, 's')} of blanking; the edge with its recovery lasts about {fmt(need.off_time, 's')}.",
                   "Blank the first part of each pulse.", figure="blanking", cures=cure)  # fmt: skip
