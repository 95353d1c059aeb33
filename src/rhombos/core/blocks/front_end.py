"""The front end: switches that drive the transformer from two sides in turn, as push-pull, half-bridge or full bridge."""

from __future__ import annotations

from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import (
    Build,
    by_route,
    options,
    part,
    propose_resistor,
    propose_sink,
    remembered,
    settle_junction,
    sink_resistance,
)  # fmt: skip
from rhombos.core.book import clamp as clamps
from rhombos.core.book import heat
from rhombos.core.book import stage as book
from rhombos.core.brief import Brief
from rhombos.core.conduction import front_end_intervals
from rhombos.core.findings import PinValue
from rhombos.core.inventory import Item, fitted
from rhombos.core.ledger import SILENT, Ledger
from rhombos.core.parts import HeatSink, Mosfet, Resistor, Shelf
from rhombos.core.points import STEADY
from rhombos.core.preferred import at_most
from rhombos.core.report import BlockReport
from rhombos.core.rules import Rules
from rhombos.core.sheet import Sheet
from rhombos.core.topology import TOPOLOGIES, Topology, TopologyName
from rhombos.core.units import Hertz, Ohm, fmt, short

KEY, TITLE = "front_end", "Front end"
MOST_PARALLEL = 16
MANY_PARALLEL = 6
ROOM_FOR_A_CLAMP = 1.2
"""House limit over twice the input, below which clamping harder is no cure."""
FREED: dict[str, PinValue] = {
    f"front_end.{n}": None for n in ("switch", "parallel", "clamp", "clamp_resistor", "clamp_part")}  # fmt: skip
WALKS: dict[TopologyName, tuple[str, str, str]] = {
    "push-pull": (
        "A push-pull may walk into saturation",
        "Unequal halves leave a small DC flux each period, and nothing in voltage-mode drive removes it.",
        "Wind the halves bifilar, match the switches, sense the current of each pulse, or leave a small gap."),
    "full bridge": (
        "A full bridge may walk into saturation",
        "Unequal on-times leave a small DC voltage across the primary, and only its resistance opposes the flux that makes.",
        "Sense the current of each pulse, put a film capacitor in series with the primary, or leave a small gap."),
    "half-bridge": (
        "The mid-point of the half-bridge can drift",
        "The split capacitors block DC, so the flux cannot walk; but unequal on-times or current-mode control move their "
        "mid-point until one side runs short of volts.",
        "Match the banks, balance them with resistors, and regulate by voltage mode."),
}  # fmt: skip
REMARKS: dict[TopologyName, str] = {
    "push-pull": "the switches see twice the battery, plus the leakage spike",
    "half-bridge": "half the battery across the primary, so twice the current; the rail clamps the leakage",
    "full bridge": "two switch drops in the path; the rail clamps the leakage",
}
SLOWEST = 10e3
"""Below it the stage works at line frequency, on iron."""
DUTY_REACH = 0.49
"""Duty of one switch that the controller can really give, dead time taken off."""
SEARCH_CELSIUS = 100.0
RAIL_SPIKE = 0.10
"""Spike above the rail of a bridge from the stray inductance of its loop, as a share of it: typical of a tight layout."""
KELVIN = 273.15
RESERVE = 1.02
"""What the next round of settling may still add to a current."""


class FrontEndBuild(Build):
    """Switches, their frequency, what limits their voltage, and what cools them."""

    topology: TopologyName = by_route("Topology")
    switch: str = part("mosfet", "Switch")
    parallel: int = Field(ge=1, le=24, title="Switches in parallel, each position")
    frequency: Hertz = Field(ge=10e3, le=300e3, title="Switching frequency")
    clamp: str = options("Clamp at the drains", "RCD", "none")
    clamp_resistor: Ohm = Field(ge=1, le=1e6, title="Clamp resistor")
    clamp_part: str = part("resistor", "Clamp resistor type")
    sink: str = part("heat_sink", "Heat-sink")
    fan: bool = Field(title="Fan on the heat-sink")


class LineFrontEndBuild(FrontEndBuild):
    """The same at line frequency, in front of an iron transformer."""

    frequency: Hertz = by_route("Switching frequency")


@dataclass(frozen=True, slots=True)
class FrontEndNeed:
    """Voltage at the stage, V; duty of one switch; flat pulse and turn-off current of the primary, A; leakage seen
    from it, H."""

    v_in: float
    duty: float
    pulse: float
    turn_off: float
    leakage: float


@dataclass(frozen=True, slots=True)
class FrontEndState:
    """What the stage does at a point: V, A, W, s, °C."""

    duty: float
    total_duty: float
    oscillator: float
    pulse: float
    side_rms: float
    device_peak: float
    resting: float
    spike: float
    clamp_level: float
    peak_voltage: float
    on_resistance: float
    junction: float
    switching_time: float
    conduction: float
    switching: float
    gate: float
    clamp_loss: float
    loss: float


def steady_frequency(power: float) -> float:
    """A sensible switching frequency, Hz, before any search: 50 kHz at 600 W, falling slowly with power.

    High frequency shrinks the core; switching loss and leakage grow with power, so larger stages run slower.
    """
    return 5e3 * float(round(min(80e3, max(25e3, 50e3 * (600 / power) ** 0.25)) / 5e3))


def gate_times(device: Mosfet, rules: Rules, ledger: Ledger) -> tuple[float, float]:
    """Turn-on and turn-off time of one device with its own gate resistor, s."""
    on = ledger.work("front_end.gate_on", book.gate_on_current, V_drive=rules.gate_drive, V_pl=device.v_plateau,
                     R_gate=rules.gate_resistance)  # fmt: skip
    off = ledger.work("front_end.gate_off", book.gate_off_current, V_pl=device.v_plateau, R_gate=rules.gate_resistance)
    return (ledger.work("front_end.on_time", book.plateau_time, Q_sw=device.q_sw, I_gate=on),
            ledger.work("front_end.off_time", book.plateau_time, Q_sw=device.q_sw, I_gate=off))  # fmt: skip


@remembered
def propose(
    need: FrontEndNeed, warmest: FrontEndNeed, hardest: FrontEndNeed, v_max: float, brief: Brief, pins: dict[str, Any],
    shelf: Shelf, rules: Rules,
) -> FrontEndBuild:  # fmt: skip
    """Switches of least price plus worth of loss for the steady worst case `need` (flat battery); `warmest` (charging battery)
    heats the clamp most, `hardest` (surge) sets its level."""
    topology = TOPOLOGIES[pins["topology"]]
    frequency = float(pins.get("frequency", steady_frequency(brief.power.continuous)))
    model = LineFrontEndBuild if frequency < SLOWEST else FrontEndBuild
    air = brief.targets.ambient + rules.enclosure_rise
    switch, parallel = _choose_switches(
        need, hardest, RESERVE * max(need.turn_off, warmest.turn_off), v_max, frequency, air, topology, pins, shelf,
        rules)  # fmt: skip
    fields: dict[str, Any] = {"switch": switch.id, "parallel": parallel, "frequency": frequency,
                              "clamp": "none" if topology.clamped else "RCD"} | pins  # fmt: skip
    ceiling = switch.v_rating * (1 - rules.switch_voltage_margin) - v_max
    fields.setdefault("clamp_resistor", _clamp_resistor(hardest, max(ceiling, 1.05 * v_max), frequency))
    level = clamps.clamp_level(V_r=warmest.v_in, L_lk=warmest.leakage, I=warmest.turn_off, f=2 * frequency,
                               R=fields["clamp_resistor"])  # fmt: skip
    burnt = clamps.clamp_heat(V_c=level, R=fields["clamp_resistor"])
    fields.setdefault("clamp_part", propose_resistor(shelf, rules, fields["clamp_resistor"], burnt, level))
    if "sink" not in fields or "fan" not in fields:
        draft = model.within(
            {"sink": shelf.all_ids("heat_sink")[0], "fan": False} | fields
        )  # fmt: skip
        state = assess(need, draft, brief, shelf, rules, SILENT, cool=True)
        sink, fan = propose_sink(shelf, rules, state.conduction + state.switching)
        fields.setdefault("sink", sink)
        fields.setdefault("fan", fan)
    return model.within(fields)


def _clamp_resistor(need: FrontEndNeed, ceiling: float, frequency: float) -> float:
    """The largest preferred resistor that holds the clamp at or below `ceiling`, counted from the rail, V."""
    lift = max(ceiling * (ceiling - need.v_in), 1e-3)
    energy_rate = need.leakage * (RESERVE * need.turn_off) ** 2 * frequency
    return min(1e6, max(1.0, at_most(min(1e6, max(1.0, lift / max(energy_rate, 1e-12))))))


def _choose_switches(
    need: FrontEndNeed, hardest: FrontEndNeed, peak: float, v_max: float, frequency: float, air: float, topology: Topology,
    pins: dict[str, Any], shelf: Shelf, rules: Rules,
) -> tuple[Mosfet, int]:  # fmt: skip
    parts = shelf.all(Mosfet)
    device = SimpleNamespace(**{name: values[:, None] for name, values in vars(shelf.columns(Mosfet)).items()})
    count = np.array([pins["parallel"]] if "parallel" in pins else range(1, MOST_PARALLEL + 1), dtype=float)
    rms = book.switch_rms(I_pulse=need.pulse, D=need.duty)
    hot = book.hot_resistance(R_25=device.r_on, T_j=SEARCH_CELSIUS + KELVIN, exponent=device.r_exponent)
    conduction = book.conduction_loss(I_rms=rms, R_DS=hot) / count
    on = book.plateau_time(Q_sw=device.q_sw, I_gate=book.gate_on_current(
        V_drive=rules.gate_drive, V_pl=device.v_plateau, R_gate=rules.gate_resistance))  # fmt: skip
    off = book.plateau_time(Q_sw=device.q_sw, I_gate=book.gate_off_current(
        V_pl=device.v_plateau, R_gate=rules.gate_resistance))  # fmt: skip
    resting = topology.stress * need.v_in
    switching = book.switching_loss(V=resting / 2, I=need.turn_off, t_r=on, t_f=2 * off, f=frequency)
    capacitive = count * book.capacitive_loss(C_oss=device.c_oss, V=resting, f=frequency)
    gate = count * book.gate_power(Q_g=device.q_g, V_drive=rules.gate_drive, f=frequency, n_sw=1)
    ceiling = device.v_rating * (1 - rules.switch_voltage_margin) - v_max
    resistor = np.maximum(ceiling * (ceiling - hardest.v_in), 1e-9) / (
        hardest.leakage * hardest.turn_off**2 * frequency
    )
    level = clamps.clamp_level(V_r=need.v_in, L_lk=need.leakage, I=need.turn_off, f=2 * frequency, R=resistor)
    clamping = 0.0 if topology.clamped else (level**2 + need.v_in**2) / resistor
    position = conduction + switching + capacitive + gate
    highest = (1 + RAIL_SPIKE if topology.clamped else 2.1) * v_max
    each = (conduction + switching + capacitive) / count * (1 + rules.sharing_imbalance) ** 2
    allowed = rules.junction_limit - air - rules.sink_rise
    hot_spot = each * (device.r_jc + rules.pad_resistance)
    load = peak * (1 + rules.sharing_imbalance) / count / device.i_rating
    trouble = (
        np.maximum(0, highest / (device.v_rating * (1 - rules.switch_voltage_margin)) - 1)
        + np.maximum(0, hot_spot / allowed - 1)
        + np.maximum(0, load / (1 - rules.switch_current_margin) - 1)
    )  # fmt: skip
    score = topology.positions * (count * (device.price + 0.3) + rules.watt_worth * position) + rules.watt_worth * clamping
    score = np.where(trouble > 0, 1e6 * (1 + trouble), score)
    if "switch" in pins:
        score = np.where((shelf.column(Mosfet, "id") == pins["switch"])[:, None], score, np.inf)
    row, place = np.unravel_index(int(np.argmin(score)), score.shape)
    return parts[int(row)], int(count[int(place)])


def assess(
    need: FrontEndNeed, build: FrontEndBuild, brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger, *,
    cool: bool = False,
) -> FrontEndState:  # fmt: skip
    """Stresses, losses and junction temperature. `cool` holds the sink at its allowed rise (before it is chosen)."""
    device, topology = shelf.get(Mosfet, build.switch), TOPOLOGIES[build.topology]
    work, f, n, positions = ledger.work, build.frequency, build.parallel, topology.positions
    air = brief.targets.ambient + rules.enclosure_rise
    duty = max(need.duty, 1e-4)
    rms = work("front_end.side_rms", book.switch_rms, I_pulse=need.pulse, D=duty)
    share = work("front_end.device_peak", book.shared_current, I=need.turn_off, imbalance=rules.sharing_imbalance, n_par=n)
    if topology.clamped:
        resting = ledger.total("front_end.resting", {"input": need.v_in})
        spike = ledger.total("front_end.spike", {"stray inductance of the loop": RAIL_SPIKE * need.v_in})
        level = burnt = 0.0
    else:
        resting = work("front_end.resting", book.push_pull_stress, V_in=need.v_in)
        spike, level, burnt = _spike(need, build, device, ledger)
    on, off = gate_times(device, rules, ledger)
    turn_on = work("front_end.turn_on_loss", book.switching_loss, V=resting / 2, I=need.turn_off, t_r=on, t_f=0.0, f=f)
    turn_off = work("front_end.turn_off_loss", book.switching_loss, V=resting, I=need.turn_off, t_r=0.0, t_f=off, f=f)
    capacitive = n * work("front_end.capacitive_loss", book.capacitive_loss, C_oss=device.c_oss, V=resting, f=f)
    gate = work("front_end.gate", book.gate_power, Q_g=device.q_g, V_drive=rules.gate_drive, f=f, n_sw=positions * n)
    overlap = positions * (turn_on + turn_off + capacitive)
    sink = 0.0 if cool else sink_resistance(shelf, build.sink, build.fan)

    def side_conduction(celsius: float) -> float:
        hot = book.hot_resistance.work({"R_25": device.r_on, "T_j": celsius + KELVIN, "exponent": device.r_exponent})
        return book.conduction_loss.work({"I_rms": rms, "R_DS": hot}) / n

    def one_device(celsius: float) -> float:
        uneven = (1 + rules.sharing_imbalance) ** 2
        return (side_conduction(celsius) * uneven + overlap / positions) / n

    def carried(loss: float, celsius: float) -> dict[str, float]:
        return {
            "T_a": air + KELVIN + (rules.sink_rise if cool else 0.0), "P_loss": loss, "R_jc": device.r_jc,
            "R_cs": rules.pad_resistance, "P_total": positions * side_conduction(celsius) + overlap, "R_sa": sink,
        }  # fmt: skip

    reached = [80.0]

    def junction_for(loss: float) -> float:
        reached[0] = heat.shared_sink_junction.work(carried(loss, reached[0])) - KELVIN
        return reached[0]

    junction = settle_junction(one_device, junction_for, device.t_j_max)
    work("front_end.junction", heat.shared_sink_junction, **carried(one_device(junction), junction))
    hot = work("front_end.on_resistance", book.hot_resistance, R_25=device.r_on, T_j=junction + KELVIN,
               exponent=device.r_exponent)  # fmt: skip
    conduction = positions * work("front_end.side_conduction", book.conduction_loss, I_rms=rms, R_DS=hot / n)
    return FrontEndState(
        duty=need.duty, total_duty=2 * need.duty,
        oscillator=work("front_end.oscillator", book.oscillator_frequency, f_s=f), pulse=need.pulse, side_rms=rms,
        device_peak=share, resting=resting, spike=spike, clamp_level=level,
        peak_voltage=work("front_end.peak_voltage", book.peak_switch_voltage, V_DS=resting, V_spike=spike),
        on_resistance=hot, junction=junction, switching_time=on + off,
        conduction=ledger.total("front_end.conduction", {"one side": conduction / 2, "other side": conduction / 2}),
        switching=ledger.total("front_end.switching", {
            "turn-on": positions * turn_on, "turn-off": positions * turn_off,
            "output capacitance": positions * capacitive}),
        gate=gate, clamp_loss=burnt,
        loss=ledger.total("front_end.loss", {
            "conduction": conduction, "switching": overlap, "gate drive": gate, "clamp": burnt}),
    )  # fmt: skip


def _spike(
    need: FrontEndNeed, build: FrontEndBuild, device: Mosfet, ledger: Ledger
) -> tuple[float, float, float]:  # fmt: skip
    """Spike above twice the input, V; clamp level from the rail, V; power burnt in the clamp, W."""
    if build.clamp == "none":
        bare = ledger.work("front_end.spike", book.unclamped_spike, I=need.turn_off, L_lk=need.leakage,
                           C_oss=device.c_oss * build.parallel)  # fmt: skip
        return bare, 0.0, 0.0
    level = ledger.work("front_end.clamp_level", clamps.clamp_level, V_r=need.v_in, L_lk=need.leakage, I=need.turn_off,
                        f=2 * build.frequency, R=build.clamp_resistor)  # fmt: skip
    burnt = ledger.work("front_end.clamp_loss", clamps.clamp_heat, V_c=level, R=build.clamp_resistor)
    spike = ledger.work("front_end.spike", clamps.clamp_excess, V_c=level, V_r=need.v_in)
    return spike, level, burnt


def parts(build: FrontEndBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Switches, clamp, heat-sink."""
    topology = TOPOLOGIES[build.topology]
    found = [fitted("front-end switch", shelf.get(Mosfet, build.switch), topology.positions * build.parallel),
             fitted("front-end heat-sink", shelf.get(HeatSink, build.sink))]  # fmt: skip
    if build.clamp != "none":
        found.append(fitted("clamp resistor", shelf.get(Resistor, build.clamp_part)))
    return tuple(found)


def report(sheet: Sheet, power_in: float) -> BlockReport:
    """The stage's figures and what to worry about."""
    build: FrontEndBuild = sheet.build  # type: ignore[assignment]
    rules, now = sheet.rules, sheet.now
    device, topology = sheet.shelf.get(Mosfet, build.switch), TOPOLOGIES[build.topology]
    voltage = sheet.limited("peak_voltage", r"V_{DS,pk}", "Switch voltage, peak", "V", device.v_rating,
                            rules.switch_voltage_margin)  # fmt: skip
    current = sheet.limited("device_peak", r"\hat I_Q", "Current of one switch, peak", "A", device.i_rating,
                            rules.switch_current_margin, over=STEADY)  # fmt: skip
    slow = build.frequency < SLOWEST
    duty = None if slow else sheet.limited("duty", "D", "Duty of one switch, flat battery", "1", 0.5,
                                           1 - rules.duty_limit / 0.5, over=("flat",))  # fmt: skip
    junction = sheet.limited("junction", "T_j", "Junction, hottest", "degC", device.t_j_max,
                             1 - rules.junction_limit / device.t_j_max, over=STEADY)  # fmt: skip
    sheet.choice("switch", "Q_1–Q_4" if topology.positions == 4 else "Q_1, Q_2", "Switch")
    sheet.choice("parallel", "n", "Switches in parallel, each position")
    if slow:
        sheet.result("duty", "D", "Duty of one switch", "1")
        sheet.result("duty", "D", "Duty of one switch, charging battery", "1", point="full")
    else:
        sheet.choice("frequency", "f_s", "Switching frequency")
    sheet.result("oscillator", "f_{osc}", "Oscillator behind it", "Hz")
    if not topology.clamped:
        sheet.choice("clamp", "", "Clamp at the drains")
    if not topology.clamped and build.clamp != "none":
        series = sheet.shelf.get(Resistor, build.clamp_part)
        sheet.choice("clamp_resistor", "R_c", "Clamp resistor")
        sheet.choice("clamp_part", "", "Clamp resistor type")
        heat_in = sheet.limited("clamp_loss", "P_c", "Burnt in the clamp", "W", series.power, rules.resistor_margin,
                                over=STEADY)  # fmt: skip
        if heat_in.severity:
            sheet.find("clamp_heat", heat_in.severity, "The clamp resistor is too small",
                       f"{fmt(heat_in.value, 'W')} in a {series.label} resistor.",
                       "Use a stronger series, or interleave the windings: less leakage, less to burn.", worst=heat_in,
                       cures=(("Let the proposal choose it", {"front_end.clamp_part": None}),
                              ("Use switches of a higher rating, with their clamp", FREED)))  # fmt: skip
    sheet.result("pulse", "I", "Pulse current of one side", "A")
    sheet.result("side_rms", r"I_{rms}", "RMS current of one side", "A")
    sheet.result("on_resistance", r"R_{DS}", "On-resistance, hot", "ohm")
    sheet.choice("sink", "", "Heat-sink")
    sheet.choice("fan", "", "Fan")
    sheet.result("conduction", "P_{on}", "Conduction loss", "W")
    sheet.result("switching", "P_{sw}", "Switching loss", "W")
    sheet.result("loss", "P", "Loss, whole stage", "W")
    _voltage_findings(sheet, voltage, build, device)
    if duty:
        _duty_findings(sheet, duty)
    if current.severity:
        sheet.find("current", current.severity, "Too much current in each switch",
                   f"{fmt(current.value, 'A')} in each {device.label}; the rules keep "
                   f"{fmt(rules.switch_current_margin, '%', 2)} of {short(device.i_rating, 'A')} in hand: package and "
                   "sharing decide, not the headline figure.", "More in parallel, or stronger parts.", worst=current,
                   cures=(("Let the proposal choose", {"front_end.switch": None, "front_end.parallel": None}),))  # fmt: skip
    if junction.severity:
        sheet.find("junction", junction.severity, "The switches run too hot",
                   f"{fmt(junction.value, 'degC')} at {sheet.where(junction)}, with the on-resistance at that "
                   f"temperature; the rules stop at {short(rules.junction_limit, 'degC')}.",
                   "A better heat-sink, more in parallel, or a lower frequency.", worst=junction,
                   cures=(("Let the proposal choose switches and sink",
                           {"front_end.switch": None, "front_end.parallel": None, "front_end.sink": None,
                            "front_end.fan": None}),))  # fmt: skip
    if rules.gate_drive > device.v_gs_max * 0.9:
        sheet.find("gate_voltage", "stop", "Gate drive too near the gate's limit",
                   f"{short(rules.gate_drive, 'V')} on gates rated {short(device.v_gs_max, 'V')}, before any ringing.",
                   "Lower the drive voltage, and fit a zener at the gate.", figure="switch")  # fmt: skip
    gated = now.switching_time * build.frequency
    if gated > 0.05:
        sheet.find("slow_gate", "fix", "The gates are driven too weakly for this frequency",
                   f"Turn-on and turn-off take {fmt(now.switching_time, 's')}, {fmt(gated, '%', 2)} of the period.",
                   "Smaller gate resistors with a stronger driver, a lower frequency, or parts with less gate charge.",
                   figure="switching")  # fmt: skip
    if build.parallel >= MANY_PARALLEL:
        sheet.find("many", "watch", f"{build.parallel} switches in parallel in each position",
                   "At this current the board's copper, the sharing and the leakage of every joint decide, not the parts.",
                   "A higher battery voltage halves the current each time it doubles; match the parts otherwise.",
                   figure="parallel")  # fmt: skip
    title, cause, remedy = WALKS[topology.name]
    sheet.find("imbalance", "note", title, cause, remedy, figure="duty")
    return sheet.close(
        short(build.frequency, "Hz"), REMARKS[topology.name], power_in, power_in - now.loss,
        {"topology": topology.name, "switch": device.label, "parallel": f"{build.parallel} each",
         "peak": fmt(voltage.value, "V"),
         "pulse": fmt(now.pulse, "A"),
         "clamp": "none" if build.clamp == "none" else f"RCD, {fmt(build.clamp_resistor, 'ohm')}",
         "clamp_level": fmt(now.clamp_level, "V"), "duty": fmt(now.duty, "1"),
         "spike": fmt(sheet.states[voltage.point].spike, "V")},
        front_end_intervals(topology, now.duty, build.frequency, now.pulse, build.clamp != "none", not slow))  # fmt: skip


def _voltage_findings(sheet: Sheet, worst: Any, build: FrontEndBuild, device: Mosfet) -> None:
    if not worst.severity:
        return
    if TOPOLOGIES[build.topology].clamped:
        sheet.find("voltage", worst.severity,
                   "Switch rating exceeded" if worst.severity == "stop" else "Switch voltage close to its rating",
                   f"The rail with the loop's spike of some {fmt(RAIL_SPIKE, '%', 2)} makes {fmt(worst.value, 'V')} on "
                   f"{short(worst.rating, 'V')} parts at {sheet.where(worst)}.",
                   "Use parts of a higher rating; keep the loop short and decoupled at the legs.", worst=worst,
                   cures=(("Use parts of a higher rating", FREED),))  # fmt: skip
        return
    state: FrontEndState = sheet.states[worst.point]
    cures: list[tuple[str, dict[str, PinValue]]] = []
    if build.clamp == "none":
        cures.append(("Fit an RCD clamp", {
            "front_end.clamp": None, "front_end.clamp_resistor": None, "front_end.clamp_part": None}))  # fmt: skip
    # a clamp needs room between twice the input and the house limit, or it burns many times the leakage's energy
    tight = worst.limit < ROOM_FOR_A_CLAMP * state.resting
    cures.insert(0 if tight else len(cures), ("Use parts of a higher rating, with their clamp", FREED))
    nothing = " Nothing clamps it; avalanche may cut it short, with heat." if build.clamp == "none" else ""
    sheet.find(
        "voltage", worst.severity,
        "Switch rating exceeded at turn-off" if worst.severity == "stop" else "Switch voltage close to its rating",
        f"Twice the input is {fmt(state.resting, 'V')}; the leakage adds {fmt(state.spike, 'V')} and makes "
        f"{fmt(worst.value, 'V')} on {short(worst.rating, 'V')} parts at {sheet.where(worst)}.{nothing}",
        "Clamp the leakage, wind tighter, or use parts of a higher rating.", worst=worst, cures=tuple(cures))  # fmt: skip


def _duty_findings(sheet: Sheet, worst: Any) -> None:
    more: tuple[tuple[str, dict[str, PinValue]], ...] = (
        ("Let the proposal choose the turns",
         {"transformer.primary_turns": None, "transformer.secondary_turns": None}),)  # fmt: skip
    surge = sheet.states["surge_flat"].duty
    if worst.value > DUTY_REACH:
        sheet.find("duty", "stop", "The link cannot be held on a flat battery",
                   f"It would take a duty of {fmt(worst.value, '1')} a side at full power; two switches in turn can give "
                   f"{DUTY_REACH:g} each.", "More secondary turns, a lower link voltage, or thicker leads to the battery.",
                   worst=worst, cures=more)  # fmt: skip
    elif worst.severity:
        sheet.find("duty", "fix", "Duty runs out at a flat battery",
                   f"At full power it reaches {fmt(worst.value, '1')} of the {worst.limit:g} that the rules allow.",
                   "One or two more secondary turns.", worst=worst, cures=more)  # fmt: skip
    if surge > DUTY_REACH >= worst.value:
        sheet.find("surge_sags", "watch", "The surge sags on a flat battery",
                   f"The surge would take a duty of {fmt(surge, '1')} a side: the link falls below its set-point until "
                   "the surge is over.", "More secondary turns, or start motors on a charged battery.", figure="duty",
                   cures=())  # fmt: skip
