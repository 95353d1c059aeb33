"""The front end's controller: oscillator, dead time, set-point, loop, current sense. It lies beside the power path."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from pydantic import Field

from rhombos.core.blocks.base import Build, options, part, remembered
from rhombos.core.book import control as book
from rhombos.core.book import filters, link, magnetics, sense
from rhombos.core.brief import Brief
from rhombos.core.inventory import Item, fitted
from rhombos.core.ledger import SILENT, Ledger
from rhombos.core.loops import Compensator, Plant, compensate, margins, passed_share
from rhombos.core.magnetics.sense import DIODE, SenseTransformer, best_sense_grade, rank_sense_cores, sense_from
from rhombos.core.parts import Core, Shelf
from rhombos.core.preferred import E6, E12, at_least, at_most, nearest
from rhombos.core.pulsation import MOST_TERMS, STILL, Demand, Pulsation, pulsation
from rhombos.core.rules import Rules
from rhombos.core.units import Farad, Hertz, Ohm, Ratio, Second, Volt

KEY, TITLE = "controller", "Controller"
TIMING_CAPACITOR = 1e-9
RAMP = 3.0
"""Height of the modulator's ramp, V."""
TRIP_LEVEL = 1.0
"""Level of the current comparator, V."""
FAST_SHARE = 1 / 40
"""Crossover of a fast loop, over one switch's frequency: far below the ripple, far above the twice-line pulsation."""
SLOW_SHARE = 1 / 5
"""Crossover of a slow loop, over the output's frequency: a tenth of twice the line."""
SLOWEST_LINE = 20.0
"""Output frequency, Hz, below which a slow loop would hardly hold the link at all."""
FOLLOWS_SHARE = 1 / 3
"""How fast a programmed choke obeys, over one switch's frequency: a sixth of the rate at which it is sampled."""
SLACK = 0.01
"""Share of the link by which a way of holding it may miss while the rounds still move, before another is taken."""
CURRENT, VOLTAGE = "current", "voltage"
OPTO_POLE = 15e3
"""Bandwidth of a usual opto-coupler with a kilohm of load, Hz."""
LED_VOLTS, LED_CURRENT, LED_RESISTOR = 1.2, 2e-3, 1e3
RESISTOR_VOLTS = 250.0
"""Voltage one small resistor stands: more of them share a high one."""
TRIM_SHARE = 0.12
"""Trimmer over the lower resistor of the divider, proposed."""
TALLEST_ZENER = 100.0


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
class Path:
    """What feeds the link: secondary voltage while power flows, V; choke, H; all resistance before the bank as the link sees
    it, Ω; bank, F, and its series resistance, Ω; V²/P of what the link gives, Ω; one switch's frequency, Hz; turns ratio."""

    secondary: float
    choke: float
    resistance: float
    bank: float
    esr: float
    load: float
    frequency: float
    ratio: float

    def risen(self, share: float) -> Path:
        """The same where the battery stands higher by a share."""
        return replace(self, secondary=self.secondary * share)


@dataclass(frozen=True, slots=True)
class ControllerNeed:
    """What the power path is at a point: how the link is fed; duty asked at a flat battery; link, V; what a side needs until
    it is off,
    delays and their spread counted, s; largest pulse with its pulsation and its RMS, A; ripple that the bank has while its
    source gives a steady
    current, V; the mean power, W, and the output's swings over it; the lowest link that still makes the wave, V; watts in the
    resistances before the link while the
    current is steady; whether the duty holds the link at all; the charging battery over this one."""

    path: Path
    duty: float
    link: float
    off_time: float
    pulse: float
    pulse_rms: float
    ripple: float
    power: float
    demand: Demand
    floor: float
    heat: float
    regulated: bool = True
    rises: float = 1.0

    @property
    def frequency(self) -> float:
        """One switch's, Hz."""
        return self.path.frequency


@dataclass(frozen=True, slots=True)
class School:
    """One way to hold the link: what the amplifier sets, the crossover, Hz; the share of the pulsation that passes; its mean
    square; watts in the resistances before the link; ripple of the link, dip at a step from nothing to full power, V; and
    whether the link then still makes the wave."""

    name: str
    control: str
    crossover: float
    passed: float
    mean_square: float
    watts: float
    ripple: float
    dip: float
    holds: bool


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
    passed: float
    mean_square: float
    ripple: float
    dip: float
    low_point: float
    slope: float
    trip: float
    sense_loss: float
    sense_flux: float
    sense_droop: float
    sense_reset: float
    schools: tuple[School, ...] = ()
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
    dead = max(1.05 * need.off_time, 100e-9)
    discharge = at_least(min(10e3, max(1.0, dead / (fields["law_b"] * capacitor))), E12)
    discharge = float(fields.setdefault("discharge_resistor", discharge if fields["law"] != "one resistor" else 0.0))
    wanted = _tuned(fields["law"], fields["law_k"], fields["law_a"], fields["law_b"], capacitor, oscillator, discharge)
    spread = rules.capacitor_tolerance + rules.oscillator_tolerance + rules.resistor_tolerance + 0.02
    if "timing_resistor" not in fields:
        fields["timing_resistor"] = at_most(min(1e6, max(100.0, wanted * (1 - spread))), E12)
    reach = max(10.0, wanted * (1 + spread) - fields["timing_resistor"])
    fields.setdefault("timing_trimmer", at_least(min(1e6, reach), E6))
    fields = _divider(need, fields) | fields
    trip = rules.trip_factor * need.pulse
    if "sense_resistor" not in fields:
        turns = fields["sense_turns"] if fields["sensing"] == "current transformer" else 1
        fields["sense_resistor"] = at_most(min(1e4, max(1e-5, TRIP_LEVEL * turns / max(trip, 1e-3))), E12)
    fields.setdefault("sense_grade", best_sense_grade(shelf))
    if "sense_core" not in fields:
        n = fields["sense_turns"]
        fields["sense_core"] = rank_sense_cores(
            shelf, fields["sense_grade"], n, TRIP_LEVEL + DIODE, min(0.5, need.duty), need.frequency, max(need.pulse, 1e-3) / n,
            need.pulse_rms / n, rules.current_density)[0].stack.core.id  # fmt: skip
    if need.regulated:
        fields = _school(need, fields, brief, rules)
    else:
        fields = {"control": VOLTAGE, "feed_forward": False} | fields
        fields = _compensation(need, _aimed(fields, VOLTAGE, need, brief), rules) | _aimed(fields, VOLTAGE, need, brief)
    fields.pop("pinned", None)
    fields.setdefault("blanking", float(f"{max(100e-9, 1.1 * need.off_time):.2g}"))
    return ControllerBuild.within(fields)


def _crossover(control: str, frequency: float, brief: Brief) -> float:
    """Where a loop is proposed to cross over, Hz."""
    wanted = frequency * FAST_SHARE if control == VOLTAGE else brief.output.frequency * SLOW_SHARE
    return float(f"{wanted:.2g}")


def _compensation(need: ControllerNeed, fields: dict[str, Any], rules: Rules) -> dict[str, float]:
    """Preferred values of the amplifier's parts, and the crossover: the first of some tries whose rounded parts keep the rules'
    margin on a flat and on a charging battery, at full power and at the surge; else the best of them."""
    best: tuple[float, dict[str, float]] | None = None
    for share, more in TRIES if "crossover" not in fields.get("pinned", ()) else [(1.0, m) for _, m in TRIES]:
        crossover = float(f"{fields['crossover'] * share:.2g}")
        tried = fields | {"crossover": crossover}
        parts = compensate(plant_of(need.path, tried), crossover, rules.phase_margin + more, fields["r_top"])
        found = {"crossover": crossover}
        for name, value, low, high in (
            ("r2", parts.r2, 100.0, 100e6), ("c1", parts.c1, 1e-12, 1e-4), ("c2", parts.c2, 1e-12, 1e-4),
            ("r3", parts.r3, 1.0, 10e6), ("c3", parts.c3, 1e-12, 1e-4),
        ):  # fmt: skip
            found[name] = nearest(min(high, max(low, value)), E12) if value > 0 else 0.0
        made = compensator_of(found | {"r_top": fields["r_top"]})
        least = min(margins(plant_of(p, tried), made).phase for p in (need.path, need.path.risen(need.rises)))
        if best is None or least > best[0]:
            best = least, found
        if least > rules.phase_margin + 1:
            break
    assert best is not None
    return best[1]


TRIES = ((1.0, 10), (1.0, 20), (0.7, 12), (0.5, 12), (0.5, 22), (0.35, 15), (0.25, 15), (0.15, 15), (0.1, 15))
"""Crossovers over the one aimed at, and phase margins over the rules' least, degrees, that are tried in turn."""


def _school(need: ControllerNeed, fields: dict[str, Any], brief: Brief, rules: Rules) -> dict[str, Any]:
    """The fields with the way of holding the link that heats the path least, among those that still make the wave after a step
    of the load; what is pinned stays."""
    found: list[tuple[bool, float, dict[str, Any]]] = []
    for control in (CURRENT, VOLTAGE):
        if fields.get("control", control) != control or (control == CURRENT and brief.output.frequency < SLOWEST_LINE
                                                         and "control" not in fields):  # fmt: skip
            continue
        tried = _aimed({"control": control, "feed_forward": control == CURRENT} | fields, control, need, brief)
        tried = tried | _compensation(need, tried, rules) | fields
        made = judge_school(need, tried, brief, rules)
        found.append((not made.holds, made.mean_square, tried))
    return min(found, key=lambda f: f[:2])[2]


def _aimed(fields: dict[str, Any], control: str, need: ControllerNeed, brief: Brief) -> dict[str, Any]:
    """The fields with a crossover to aim at; one that is there already is kept as it is."""
    if "crossover" in fields:
        return fields | {"pinned": ("crossover",)}
    return fields | {"crossover": _crossover(control, need.frequency, brief)}


def judge_school(need: ControllerNeed, fields: Mapping[str, Any], brief: Brief, rules: Rules) -> School:
    """What a way of holding the link makes of the pulsation, and of a step of the load."""
    swing, share = pulsation_of(need.path, fields, need.demand, brief.output.frequency)
    ripple = swing.ripple * need.ripple
    dip = _dip(need, bool(fields["feed_forward"]), max(0.1, margins(plant_of(need.path, fields),
        compensator_of(fields)).crossover),
               brief, SILENT)  # fmt: skip
    low = need.link * (1 - rules.link_tolerance) - dip - ripple / 2
    return School(
        f"{fields['control']} {'slow' if fields['crossover'] < brief.output.frequency else 'fast'}", fields["control"],
        fields["crossover"], share, swing.mean_square, need.heat * swing.mean_square, ripple, dip,
            low >= need.floor - SLACK * need.link)  # fmt: skip


def _dip(need: ControllerNeed, fed: bool, crossover: float, brief: Brief, ledger: Ledger) -> float:
    """Dip of the link at a step from nothing to full power, V."""
    common = {"P": max(need.power, 1e-3), "C": need.path.bank, "V_dc": need.link}
    if fed:
        return ledger.work("controller.dip", link.step_dip_fed, f_line=brief.output.frequency, **common)
    return ledger.work("controller.dip", link.step_dip, f_x=crossover, **common)


def pulsation_of(
    path: Path, build: ControllerBuild | Mapping[str, Any], demand: Demand, line: float
) -> tuple[Pulsation, float]:  # fmt: skip
    """What the loop makes of the output's pulsation at a line frequency, Hz; and the share of its first term that passes."""
    if not demand:
        return STILL, 0.0
    shares = passed_share(plant_of(path, build), compensator_of(build), line, min(len(demand), MOST_TERMS))
    return pulsation(demand, shares), abs(shares[0])


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


def _of(build: ControllerBuild | Mapping[str, Any], name: str) -> Any:
    return getattr(build, name) if isinstance(build, ControllerBuild) else build[name]


def plant_of(path: Path, build: ControllerBuild | Mapping[str, Any]) -> Plant:
    """The stage as the controller sees it. Its load takes a constant power, unless that is fed forward."""
    pole = math.inf if _of(build, "feedback") == "bare divider" else OPTO_POLE
    if _of(build, "control") == VOLTAGE:
        return Plant(path.secondary / RAMP, path.choke, path.resistance, path.bank, path.esr, -path.load, pole)
    turns = _of(build, "sense_turns") if _of(build, "sensing") == "current transformer" else 1
    limit = TRIP_LEVEL * turns / _of(build, "sense_resistor") / path.ratio  # the whole ramp asks the choke for the trip
    load = math.inf if _of(build, "feed_forward") else -path.load
    return Plant(limit / RAMP, path.choke, path.resistance, path.bank, path.esr, load, pole, programmed=True,
                 follows=path.frequency * FOLLOWS_SHARE)  # fmt: skip


def compensator_of(build: ControllerBuild | Mapping[str, Any]) -> Compensator:
    """The compensation as fitted."""
    return Compensator(*(_of(build, n) for n in ("r_top", "r2", "c1", "c2", "r3", "c3")))


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
            oscillator_at(build, (build.timing_resistor + place * build.timing_trimmer) * (1 + r), SILENT,
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


def sense_of(need: ControllerNeed, build: ControllerBuild, shelf: Shelf, rules: Rules) -> SenseTransformer:
    """The current transformer that the build describes."""
    return sense_from(shelf, build.sense_core, build.sense_grade, build.sense_turns, need.pulse_rms / build.sense_turns,
                      rules.current_density)  # fmt: skip


def assess(
    need: ControllerNeed, build: ControllerBuild, brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> ControllerState:  # fmt: skip
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
    path = need.path
    found = margins(plant_of(path, build), compensator_of(build))
    swing, share = pulsation_of(path, build, need.demand, brief.output.frequency)
    ripple = swing.ripple * need.ripple
    dip = _dip(need, build.feed_forward, max(0.1, found.crossover), brief, ledger)
    turns = build.sense_turns if build.sensing == "current transformer" else 1
    burnt = (need.pulse_rms / turns) ** 2 * build.sense_resistor
    duty, flux, droop, reset = min(0.5, max(need.duty, 1e-3)), 0.0, 0.0, 0.0
    if build.sensing == "current transformer":
        volts = TRIP_LEVEL + DIODE
        sensed = sense_of(need, build, shelf, rules)
        flux = work("controller.sense_flux", magnetics.pulse_flux, V=volts, D=duty, N=build.sense_turns, A_e=sensed.stack.a_e,
                    f_s=need.frequency)  # fmt: skip
        droop = sensed.droop(volts, duty, need.frequency, max(need.pulse, 1e-3) / build.sense_turns)
        reset = work("controller.sense_reset", sense.reset_voltage, V=volts, D=duty)
    return ControllerState(
        oscillator=oscillator, output=ledger.total("controller.output", {"half the oscillator": oscillator / 2}), slowest=slow,
        fastest=fast, trim_slow=trim_slow, trim_fast=trim_fast, dead_time=dead, ceiling=ceiling, setpoint=nominal,
        lowest=lowest, highest=highest, trim_low=trim_low, trim_high=trim_high,
        divider_power=need.link**2 / (build.r_top + build.r_bottom),
        resonance=work("controller.resonance", filters.corner, L=path.choke, C=path.bank), crossover=found.crossover,
        phase=found.phase, passed=share, mean_square=swing.mean_square, ripple=ripple, dip=dip,
        low_point=ledger.total("controller.low_point", {
            "set-point, lowest": need.link * (1 - rules.link_tolerance), "half the ripple": -ripple / 2,
                "step of the load": -dip}),
        slope=work("controller.slope", book.slope_compensation, V_out=need.link, L=path.choke),
        trip=ledger.total("controller.trip", {"comparator's level over burden": TRIP_LEVEL * turns / build.sense_resistor}),
        sense_loss=burnt, sense_flux=flux, sense_droop=droop, sense_reset=reset,
        schools=_schools(need, build, brief, rules) if need.regulated and ledger.recording else ())  # fmt: skip


def _schools(need: ControllerNeed, build: ControllerBuild, brief: Brief, rules: Rules) -> tuple[School, ...]:
    """Both ways of holding the link side by side, each with a compensation of its own; the build's own as it is fitted."""
    fields = build.model_dump()
    found = []
    for control in (CURRENT, VOLTAGE):
        if build.control == control:
            found.append(judge_school(need, fields, brief, rules))
            continue
        other = fields | {"control": control, "feed_forward": control == CURRENT,
                          "crossover": _crossover(control, need.frequency, brief)}  # fmt: skip
        found.append(judge_school(need, other | _compensation(need, other, rules), brief, rules))
    return tuple(found)


def parts(build: ControllerBuild, shelf: Shelf) -> tuple[Item, ...]:
    """The current transformer's core; the rest is too cheap to choose between."""
    if build.sensing != "current transformer":
        return ()
    return (fitted("current transformer core", shelf.get(Core, build.sense_core)),)
