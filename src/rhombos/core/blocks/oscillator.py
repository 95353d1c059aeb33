"""The self-oscillating push-pull: two switches that drive each other through a small transformer, which saturates in time."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, TypeAlias

from pydantic import Field

from rhombos.core.blocks.base import CLAMP_ROOM, IDLE_WORTH, Build, none_stands, part, propose_resistor, remembered, strongest
from rhombos.core.blocks.cooling import KELVIN, hottest_junction, propose_sink, sink_resistance, steady_limit
from rhombos.core.book import clamp as clamps
from rhombos.core.book import magnetics, source, stage
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted, resistor
from rhombos.core.frame.keys import Key
from rhombos.core.frame.points import LASTING, STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.topology import TOPOLOGIES
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.winding import Winding, lay, thin_wire
from rhombos.core.parts import Bipolar, HeatSink, IronCore, Mosfet, Resistor, Shelf
from rhombos.core.units.preferred import at_most
from rhombos.core.units.quantities import Ohm, Ratio, fmt, short
from rhombos.core.waves.conduction import front_end_intervals

Sheet: TypeAlias = "ReportBuilder[OscillatorBuild, OscillatorState]"

KEY: Key[OscillatorBuild, OscillatorState] = Key("oscillator")
TITLE = "Oscillator"
KINDS = "mosfet|bipolar"
COUNTS = (1, 2, 3, 4, 6, 8)
"""Switches in parallel that are considered."""
SATURATES_AT = 1.25
"""Flux at which a strip ring is full, over the flux it is meant for."""
DRIVE_SHARE = 0.25
"""Part of the winding's voltage that the feedback leaves across the drive transformer, proposed."""
OVERDRIVE = 1.5
"""Base current over what the gain would just need: the transistor stays saturated when it is hot and tired."""
BASE_VOLTS = 3.0
"""Voltage behind the base, resistor included, V."""
BAND = 0.10
"""How far the frequency may vary before it is a finding."""
RESERVE, LINE_RESERVE = 1.02, 1.08
"""What rounds may still add to a current: to one device's, and to that which sets the clamp."""

LEAST_ALLOWED = 1.0
"""Between heat-sink and junction at least, K: a device that may not get warmer than its heat-sink is no choice."""
SINKS_SHARE = 0.7
"""Of what a junction that stands less than the rules allow may be warmer than the air, what its heat-sink takes at most."""


class OscillatorBuild(Build):
    """Switches, drive transformer, clamp, cooling."""

    switch: str = part(KINDS, "Switch")
    parallel: int = Field(ge=1, le=16, title="Switches in parallel, each side")
    drive_core: str = part("iron_core", "Drive transformer core")
    drive_turns: int = Field(ge=1, le=5000, title="Drive transformer turns")
    drive_share: Ratio = Field(ge=0.05, le=0.9, title="Drive transformer's share of the winding's voltage")
    clamp_resistor: Ohm = Field(ge=1, le=1e6, title="Clamp resistor")
    clamp_part: str = part("resistor", "Clamp resistor type")
    sink: str = part("heat_sink", "Heat-sink")
    fan: bool = Field(title="Fan on the heat-sink")


@dataclass(frozen=True, slots=True)
class OscillatorNeed:
    """Voltage at the stage and across one half, V; pulse and turn-off current, A; leakage of one half, H."""

    v_in: float
    v_half: float
    pulse: float
    turn_off: float
    leakage: float


@dataclass(frozen=True, slots=True)
class OscillatorState:
    """Hz; V; A; °C; W."""

    frequency: float
    pulse: float
    device_peak: float
    resting: float
    clamp_level: float
    peak_voltage: float
    threshold: float
    on_resistance: float
    junction: float
    conduction: float
    base: float
    base_inside: float
    storage: float
    switching: float
    clamp_loss: float
    loss: float


def frequency(v_half: float, build: OscillatorBuild, shelf: Shelf, worksheet: Worksheet = SILENT) -> float:
    """How fast it swings, Hz, with a voltage across one half, V."""
    core = shelf.get(IronCore, build.drive_core)
    return worksheet.work("oscillator.frequency", magnetics.saturation_frequency, V=max(1e-3, build.drive_share * v_half),
                       N=build.drive_turns, A_e=core.a_e, B_pk=SATURATES_AT * core.b_limit)  # fmt: skip


def half_voltage(hertz: float, build: OscillatorBuild, shelf: Shelf) -> float:
    """Voltage across one half of the power transformer at which it swings so fast, V."""
    core = shelf.get(IronCore, build.drive_core)
    return hertz * 4 * build.drive_turns * core.a_e * SATURATES_AT * core.b_limit / build.drive_share


def turns_for(line: float, volts: float, core: IronCore) -> float:
    """Turns on a ring that saturate it at a frequency, Hz, with so many volts across them; any number."""
    return volts / (4 * line * core.a_e * SATURATES_AT * core.b_limit)


def drive_windings(
    v_half: float, pulse: float, build: OscillatorBuild, shelf: Shelf, rules: Rules
) -> tuple[tuple[str, Winding], ...]:  # fmt: skip
    """The drive transformer's windings with their names: its primary, and one for each side's gates or bases.

    Args: voltage across one half, V; pulse current of a side, A, which sets what bases take.
    """
    core, device = shelf.get(IronCore, build.drive_core), shelf.switch(build.switch)
    bipolar = isinstance(device, Bipolar)
    wanted = BASE_VOLTS if bipolar else rules.gate_drive
    taken = OVERDRIVE * pulse / device.gain if isinstance(device, Bipolar) else 0.0
    count = max(1, round(build.drive_turns * wanted / max(build.drive_share * v_half, 1e-3)))
    side = lay(thin_wire(shelf, taken / math.sqrt(2), rules.current_density), 1, count, core.b_w)
    carried = taken * count / build.drive_turns
    primary = lay(thin_wire(shelf, carried, rules.current_density), 1, build.drive_turns, core.b_w)
    what = "bases" if bipolar else "gates"
    return ("primary", primary), (f"{what} of one side", side), (f"{what} of the other side", side)


def _switch(device: Mosfet | Bipolar, celsius: float) -> tuple[float, float]:
    """Threshold, V, and slope, Ω, of one device while on."""
    if isinstance(device, Bipolar):
        return device.v_0, device.r_sat
    return 0.0, stage.hot_resistance.work({"R_25": device.r_on, "T_j": celsius + KELVIN, "exponent": device.r_exponent})


def _conduction(device: Mosfet | Bipolar, pulse: float, n: int, celsius: float) -> float:
    """Both sides' conduction loss, one of them always on, W."""
    threshold, slope = _switch(device, celsius)
    return threshold * pulse + slope / n * pulse**2


@remembered
def propose(
    need: OscillatorNeed, hardest: OscillatorNeed, line: float, v_max: float, brief: Brief, pins: Fields, shelf: Shelf,
    rules: Rules,
) -> OscillatorBuild:  # fmt: skip
    """Switches by price and loss; the smallest ring whose turns can be wound; the clamp for the surge."""
    fields: Fields = {"drive_share": DRIVE_SHARE} | pins
    air = brief.targets.ambient + rules.enclosure_rise
    if "switch" not in fields or "parallel" not in fields:
        fields = _choose(need, hardest, line, v_max, air, fields, shelf, rules) | fields
    device = shelf.switch(fields["switch"])
    rings = sorted((c for c in shelf.all(IronCore) if c.shape == "strip ring"), key=lambda c: c.a_e * c.a_w)
    if "drive_core" not in fields:
        volts = fields["drive_share"] * need.v_half
        # two windings and the bases' current: room for three times the turns of half a square millimetre
        able = [c for c in rings if 3 * turns_for(line, volts, c) * 0.5e-6 < 0.5 * c.a_w]
        fields["drive_core"] = (able or rings[-1:] or list(shelf.all(IronCore))[-1:])[0].id
    core = shelf.get(IronCore, fields["drive_core"])
    if "drive_turns" not in fields:
        fields["drive_turns"] = max(1, round(turns_for(line, fields["drive_share"] * need.v_half, core)))
    if "clamp_resistor" not in fields:
        fields["clamp_resistor"] = at_most(_clamp_resistor(device, hardest, line, v_max, rules))
    level = clamps.clamp_level(V_r=need.v_in, L_lk=need.leakage, I=need.turn_off, f=2 * line, R=fields["clamp_resistor"])
    burnt = clamps.clamp_heat(V_c=level, R=fields["clamp_resistor"])
    fields.setdefault("clamp_part", propose_resistor(shelf, rules, fields["clamp_resistor"], LINE_RESERVE**3 * burnt, level))
    if "sink" not in fields or "fan" not in fields:
        warm = steady_limit(rules, device.t_j_max)
        most = SINKS_SHARE * (warm - air) if warm < rules.junction_limit else math.inf
        sink, fan = propose_sink(shelf, rules, 1.1 * _conduction(device, need.pulse, int(fields["parallel"]), 110.0), most)
        fields = {"sink": sink, "fan": fan} | fields
    return OscillatorBuild.within(fields)


def _clamp_resistor(device: Any, hardest: OscillatorNeed, line: float, v_max: float, rules: Rules) -> float:
    """The largest resistor that holds the clamp below what a device stands, Ω."""
    ceiling = max(device.v_rating * (1 - rules.switch_voltage_margin) - v_max, 1.05 * v_max)
    fastest = line * v_max / hardest.v_half  # its frequency follows the input
    ohms = clamps.clamp_for_level.work({
        "V_c": ceiling, "V_r": hardest.v_in, "L_lk": hardest.leakage, "I": max(1e-3, LINE_RESERVE * hardest.turn_off),
        "f": 2 * fastest})  # fmt: skip
    return min(1e6, max(1.0, ohms))


def _choose(
    need: OscillatorNeed, hardest: OscillatorNeed, line: float, v_max: float, air: float, pins: Fields, shelf: Shelf,
    rules: Rules,
) -> Fields:  # fmt: skip
    best: tuple[float, str, int] | None = None
    counts = [int(pins["parallel"])] if "parallel" in pins else COUNTS
    devices: list[Any] = [*shelf.all(Mosfet), *shelf.all(Bipolar)]
    for device in devices:
        if pins.get("switch", device.id) != device.id:
            continue
        # what the clamp burns without a load too: its capacitor stands at the rail
        resting = IDLE_WORTH * need.v_in**2 / _clamp_resistor(device, hardest, line, v_max, rules)
        for n in counts:
            on = _conduction(device, need.pulse, n, 100.0)
            inside, outside = _base(device, need.pulse)
            share = RESERVE * need.turn_off * (1 + rules.sharing_imbalance * (n > 1)) / n
            each = (on + inside) / (2 * n) * (1 + rules.sharing_imbalance * (n > 1)) ** 2
            allowed = max(LEAST_ALLOWED, steady_limit(rules, device.t_j_max) - air - rules.sink_rise)
            trouble = (
                max(0.0, 2.1 * v_max / (device.v_rating * (1 - rules.switch_voltage_margin)) - 1)
                + max(0.0, each * (device.r_jc + rules.pad_resistance) / allowed - 1)
                + max(0.0, share / (device.i_rating * (1 - rules.switch_current_margin)) - 1)
            )
            score = 2 * n * device.placed + rules.watt_worth * (on + inside + outside + resting)
            key = (1e6 * (1 + trouble) if trouble else score, device.id, n)
            best = key if best is None or key < best else best
    assert best is not None
    return {"switch": best[1], "parallel": best[2]}


def _base(device: Any, pulse: float) -> tuple[float, float]:
    """What driving the conducting side costs, W, in its bases and in their resistors."""
    if not isinstance(device, Bipolar):
        return 0.0, 0.0
    current = OVERDRIVE * pulse / device.gain
    inside = min(device.v_be, BASE_VOLTS) * current
    return inside, BASE_VOLTS * current - inside


def assess(
    need: OscillatorNeed, build: OscillatorBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> OscillatorState:  # fmt: skip
    """Frequency, stresses, losses and junction temperature."""
    device = shelf.switch(build.switch)
    work, n = worksheet.work, build.parallel
    air = brief.targets.ambient + rules.enclosure_rise
    hertz = frequency(need.v_half, build, shelf, worksheet)
    resting = work("oscillator.resting", stage.push_pull_stress, V_in=need.v_in)
    level = work("oscillator.clamp_level", clamps.clamp_level, V_r=need.v_in, L_lk=need.leakage, I=need.turn_off, f=2 * hertz,
                 R=build.clamp_resistor)  # fmt: skip
    burnt = work("oscillator.clamp_loss", clamps.clamp_heat, V_c=level, R=build.clamp_resistor)
    off = device.t_f if isinstance(device, Bipolar) else 1e-6
    switching = 2 * work("oscillator.switching_side", stage.switching_loss, V=resting, I=need.turn_off, t_r=0.0, t_f=off,
                         f=hertz)  # fmt: skip
    # while one transistor still stores its charge the other is on already: the winding is shorted for that long
    storage = work("oscillator.storage", source.ohmic_loss, I_rms=need.turn_off, R=need.v_in / max(need.turn_off, 1e-3)
                   ) * 2 * hertz * (device.t_s if isinstance(device, Bipolar) else 0.0)  # fmt: skip
    inside, outside = _base(device, need.pulse)
    base = inside + outside
    uneven = (1 + rules.sharing_imbalance) ** 2 if n > 1 else 1.0
    other = switching + storage
    beside = other + inside

    def losses_at(celsius: float) -> tuple[float, float]:
        both = _conduction(device, need.pulse, n, celsius)
        return (both * uneven + beside) / (2 * n), both + beside

    junction = hottest_junction(
        KEY, losses_at, device.r_jc, device.t_j_max, air, sink_resistance(shelf, build.sink, build.fan), rules,
        worksheet)  # fmt: skip
    threshold, slope = _switch(device, junction)
    conduction = _conduction(device, need.pulse, n, junction)
    return OscillatorState(
        frequency=hertz, pulse=need.pulse,
        device_peak=work("oscillator.device_peak", stage.shared_current, I=need.turn_off, n_par=n,
                         imbalance=rules.sharing_imbalance if n > 1 else 0.0),
        resting=resting, clamp_level=level,
        peak_voltage=worksheet.total("oscillator.peak_voltage", {"rail": need.v_in, "clamp above it": level}),
        threshold=threshold, on_resistance=slope, junction=junction,
        conduction=worksheet.total("oscillator.conduction", {"threshold": threshold * need.pulse,
                                                          "slope": conduction - threshold * need.pulse}),
        base=worksheet.total("oscillator.base", {"bases": inside, "their resistors": outside}), base_inside=inside,
        storage=storage,
        switching=worksheet.total("oscillator.switching", {"fall": switching, "storage overlap": storage}), clamp_loss=burnt,
        loss=worksheet.total("oscillator.loss", {
            "conduction": conduction, "base drive": base, "switching": other, "clamp": burnt}))  # fmt: skip


def parts(build: OscillatorBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Switches, drive transformer, clamp, heat-sink."""
    core, turns = shelf.get(IronCore, build.drive_core), f"{build.drive_turns} turns"
    series = shelf.get(Resistor, build.clamp_part)
    return (
        fitted("Q1", "oscillator switch", shelf.switch(build.switch), 2 * build.parallel, fields=("switch",)),
        fitted("T1", "drive transformer core", core, value=turns, fields=("drive_core",)),
        resistor("R1", "clamp resistor", series, build.clamp_resistor, ("clamp_part", "clamp_resistor")),
        fitted("HS1", "oscillator heat-sink", shelf.get(HeatSink, build.sink), fields=("sink",)),
    )


def report(sheet: Sheet, brief: Brief, power_in: float) -> BlockReport:
    """The stage's figures and findings."""
    build: OscillatorBuild = sheet.build
    rules, now = sheet.rules, sheet.now
    device = sheet.shelf.switch(build.switch)
    bipolar = isinstance(device, Bipolar)
    free: dict[str, PinValue] = {f"oscillator.{n}": None for n in ("switch", "parallel", "clamp_resistor", "clamp_part")}
    voltage = sheet.limited("peak_voltage", r"V_{pk}", "Switch voltage, peak", "V", device.v_rating,
                            rules.switch_voltage_margin)  # fmt: skip
    current = sheet.limited("device_peak", r"\hat I", "Current of one switch, peak", "A", device.i_rating,
                            rules.switch_current_margin, over=LASTING)  # fmt: skip
    junction = sheet.limited("junction", "T_j", "Junction, hottest", "degC", device.t_j_max,
                             1 - steady_limit(rules, device.t_j_max) / device.t_j_max, over=LASTING)  # fmt: skip
    sheet.choice("switch", "Q", "Switch")
    sheet.choice("parallel", "n", "Switches in parallel, each side")
    sheet.choice("drive_core", "", "Drive transformer core")
    sheet.choice("drive_turns", "N_d", "Drive transformer turns")
    sheet.choice("drive_share", "", "Its share of the voltage")
    for point, what in (("nominal", "nominal input"), ("low", "lowest input"), ("high", "highest input"),
                        ("idle", "no load")):  # fmt: skip
        sheet.result("frequency", "f", f"Frequency, {what}", "Hz", point=point)
    sheet.choice("clamp_resistor", "R_c", "Clamp resistor")
    sheet.choice("clamp_part", "", "Clamp resistor type")
    series = sheet.shelf.get(Resistor, build.clamp_part)
    burnt = sheet.limited("clamp_loss", "P_c", "Clamp dissipation", "W", series.power, rules.resistor_margin, over=LASTING)
    sheet.choice("sink", "", "Heat-sink")
    sheet.choice("fan", "", "Fan")
    sheet.result("conduction", "P_{on}", "Conduction loss", "W")
    if bipolar:
        sheet.result("base", "P_B", "Base drive", "W")
    sheet.result("loss", "P", "Loss, whole stage", "W")
    cure = (("Let the proposal choose", free),)
    if voltage.severity:
        sheet.find(
            "voltage",
            voltage.severity,
            "Switch voltage close to its rating" if voltage.severity == "fix" else "Switch rating exceeded",
            f"{fmt(voltage.value, 'V')} on {short(device.v_rating, 'V')} parts at {sheet.where(voltage)}: twice the input, and "
            "the leakage above it.",
            "Parts of a higher rating, or a harder clamp.",
            worst=voltage,
            cures=cure,
            unavoidable=none_stands(
                sheet.shelf, "mosfet|bipolar", CLAMP_ROOM * 2 * brief.source.volts[2], voltage.limit / voltage.rating
            ),
        )
    if current.severity:
        sheet.find("current", current.severity, "Too much current in each switch", f"{fmt(current.value, 'A')} in each "
                   f"{device.label}.", "Stronger parts, or more in parallel.", worst=current, cures=cure)  # fmt: skip
    if junction.severity:
        sheet.find("junction", junction.severity, "The switches run too hot",
                   f"{fmt(junction.value, 'degC')} at {sheet.where(junction)}.", "A better heat-sink, or stronger parts.",
                   worst=junction, cures=(("Let the proposal choose switches and sink", free | {
                       "oscillator.sink": None, "oscillator.fan": None}),))  # fmt: skip
    if burnt.severity:
        sheet.find("clamp_heat", burnt.severity, "The clamp resistor is too small",
                   f"{fmt(burnt.value, 'W')} in a {series.label} resistor.", "A stronger series.", worst=burnt,
                   cures=(("Let the proposal choose it", {"oscillator.clamp_part": None}),),
                   unavoidable=strongest(sheet.shelf, series))  # fmt: skip
    asked = brief.output.frequency
    seen = {k: s.frequency for k, s in sheet.states.items() if k in (*STEADY, "idle") and k not in sheet.infeasible}
    low, high = min(seen, key=lambda k: seen[k], default="nominal"), max(seen, key=lambda k: seen[k], default="nominal")
    if abs(now.frequency / asked - 1) > BAND / 2:
        sheet.find("off_frequency", "fix", "Oscillator off frequency",
                   f"{fmt(now.frequency, 'Hz')} on a nominal input; {short(asked, 'Hz')} is asked: the drive "
                   "transformer's turns and area set it.", "Turns in proportion.", figure="drive_turns",
                   cures=(("Let the proposal choose the drive", {
                       "oscillator.drive_core": None, "oscillator.drive_turns": None,
                       "oscillator.drive_share": None}),))  # fmt: skip
    elif seen and max(seen[high] / asked - 1, 1 - seen[low] / asked) > BAND:
        sheet.find("wanders", "watch", "Its frequency follows the input",
                   f"{fmt(seen[low], 'Hz')} at {sheet.points[low].label} to {fmt(seen[high], 'Hz')} at "
                   f"{sheet.points[high].label}: "
                   "the drive transformer saturates after so many volt-seconds, sooner at a higher voltage and when it is hot.",
                   "Loads that count on the frequency (clocks, some motors) need another route.",
                   figure="frequency")  # fmt: skip
    sheet.find("starting", "note", "It must be started, and may not start under load",
               "Nothing swings until one switch is pulled on: a resistor to one base or gate does it. A shorted or heavy load "
               "stops the feedback, which protects it, or leaves both half on, which does not.",
               "Try starting at the lowest input and full load, with a lamp in series first.", figure="switch")  # fmt: skip
    return sheet.close(
        fmt(now.frequency, "Hz"), "the drive transformer's volt-seconds are its clock", power_in, power_in - now.loss,
        {"topology": "push-pull", "switch": device.label,
         "parallel": f"{build.parallel} each side" if build.parallel > 1 else "", "peak": fmt(voltage.value, "V"),
         "pulse": fmt(now.pulse, "A"), "clamp": f"RCD, {fmt(build.clamp_resistor, 'ohm')}",
         "clamp_level": fmt(now.clamp_level, "V"), "duty": "0.5", "spike": fmt(now.clamp_level - now.resting / 2, "V")},
        front_end_intervals(TOPOLOGIES["push-pull"], 0.5, now.frequency, now.pulse, True))  # fmt: skip
