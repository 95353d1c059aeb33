"""What the front end shows: figures, findings and their cures."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.base import CLAMP_ROOM, none_stands, strongest
from rhombos.core.blocks.cooling import steady_limit
from rhombos.core.blocks.front_end import DUTY_REACH, RAIL_SPIKE, SLOWEST, FrontEndBuild, FrontEndState
from rhombos.core.blocks.surge import front_end_devices, judge_surge
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder, Worst
from rhombos.core.frame.topology import TOPOLOGIES, Rectifying, TopologyName
from rhombos.core.parts import Mosfet, Resistor
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.conduction import front_end_intervals

Sheet: TypeAlias = "ReportBuilder[FrontEndBuild, FrontEndState]"

MANY_PARALLEL = 6
ROOM_FOR_A_CLAMP = 1.2
"""House limit over twice the input, below which clamping harder is no cure."""
FREED: dict[str, PinValue] = {f"front_end.{n}": None for n in ("switch", "parallel", "clamp", "clamp_resistor", "clamp_part")}
WALKS: dict[TopologyName, tuple[str, str, str]] = {
    "push-pull": (
        "A push-pull may walk into saturation",
        "Unequal halves leave a small DC flux each period, and nothing in voltage-mode drive removes it.",
        "Wind the halves bifilar, match the switches, sense the current of each pulse, or leave a small gap.",
    ),
    "full bridge": (
        "A full bridge may walk into saturation",
        "Unequal on-times leave a small DC voltage across the primary, and only its resistance opposes the flux that makes.",
        "Sense the current of each pulse, put a film capacitor in series with the primary, or leave a small gap.",
    ),
    "half-bridge": (
        "The mid-point of the half-bridge can drift",
        "The split capacitors block DC, so the flux cannot walk; but unequal on-times or current-mode control move their "
        "mid-point until one side runs short of volts.",
        "Match the banks, balance them with resistors, and regulate by voltage mode.",
    ),
}
REMARKS: dict[TopologyName, str] = {
    "push-pull": "the switches see twice the input, plus the leakage spike",
    "half-bridge": "half the input across the primary, so twice the current; the rail clamps the leakage",
    "full bridge": "two switch drops in the path; the rail clamps the leakage",
}


COOLED: dict[str, PinValue] = dict.fromkeys(("front_end.switch", "front_end.parallel", "front_end.sink", "front_end.fan"))


def report(sheet: Sheet, brief: Brief, power_in: float, how: Rectifying | None = None) -> BlockReport:
    """The stage's figures and what to worry about; `how` what it feeds is rectified."""
    build: FrontEndBuild = sheet.build
    rules, now = sheet.rules, sheet.now
    device, topology = sheet.shelf.get(Mosfet, build.switch), TOPOLOGIES[build.topology]
    voltage = sheet.limited(
        "peak_voltage", r"V_{DS,pk}", "Switch voltage, peak", "V", device.v_rating, rules.switch_voltage_margin
    )
    current = sheet.limited(
        "device_peak",
        r"\hat I_Q",
        "Current of one switch, peak",
        "A",
        device.i_rating,
        rules.switch_current_margin,
        over=LASTING,
    )
    slow = build.frequency < SLOWEST
    held = how is not None and how.choke
    duty = (
        None
        if not held
        else sheet.limited(
            "crest_duty", "D", "Duty of one switch, lowest input", "1", 0.5, 1 - rules.duty_limit / 0.5, over=("low",)
        )
    )
    junction = sheet.limited(
        "junction",
        "T_j",
        "Junction, hottest",
        "degC",
        device.t_j_max,
        1 - steady_limit(rules, device.t_j_max) / device.t_j_max,
        over=LASTING,
    )
    judge_surge(sheet, brief, device, front_end_devices(build, device), COOLED)
    sheet.choice("switch", "Q", "Switch")
    sheet.choice("parallel", "n", "Switches in parallel, each position")
    if slow:
        sheet.result("duty", "D", "Duty of one switch", "1")
        sheet.result("duty", "D", "Duty of one switch, highest input", "1", point="high")
        sheet.turned("duty", "D", "Duty of one switch", "1")
    else:
        if not held:
            sheet.result("duty", "D", "Duty of one switch, fixed", "1")
        else:
            sheet.turned("duty", "D", "Duty of one switch", "1")
        sheet.choice("frequency", "f_s", "Switching frequency")
    sheet.result("oscillator", "f_{osc}", "Oscillator behind it", "Hz")
    if not topology.clamped:
        sheet.choice("clamp", "", "Clamp at the drains")
    if not topology.clamped and build.clamp != "none":
        series = sheet.shelf.get(Resistor, build.clamp_part)
        sheet.choice("clamp_resistor", "R_c", "Clamp resistor")
        sheet.choice("clamp_part", "", "Clamp resistor type")
        heat_in = sheet.limited(
            "clamp_loss", "P_c", "Clamp dissipation", "W", series.power, rules.resistor_margin, over=LASTING)  # fmt: skip
        if heat_in.severity:
            sheet.find(
                "clamp_heat",
                heat_in.severity,
                "The clamp resistor is too small",
                f"{fmt(heat_in.value, 'W')} in a {series.label} resistor.",
                "Use a stronger series, or interleave the windings: less leakage, less to burn.",
                worst=heat_in,
                cures=(
                    ("Let the proposal choose it", {"front_end.clamp_part": None}),
                    ("Use switches of a higher rating, with their clamp", FREED),
                ),
                unavoidable=strongest(sheet.shelf, series),
            )
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
        _duty_findings(sheet, duty, brief)
    if current.severity:
        sheet.find(
            "current",
            current.severity,
            "Too much current in each switch",
            f"{fmt(current.value, 'A')} in each {device.label}; the rules ask a margin of "
            f"{fmt(rules.switch_current_margin, '%', 2)} of {short(device.i_rating, 'A')}: package and "
            "sharing decide, not the headline figure.",
            "More in parallel, or stronger parts.",
            worst=current,
            cures=(("Let the proposal choose", {"front_end.switch": None, "front_end.parallel": None}),),
        )
    if junction.severity:
        sheet.find(
            "junction",
            junction.severity,
            "The switches run too hot",
            f"{fmt(junction.value, 'degC')} at {sheet.where(junction)}, with the on-resistance at that "
            f"temperature; the limit is {short(steady_limit(rules, device.t_j_max), 'degC')}.",
            "A better heat-sink, more in parallel, or a lower frequency.",
            worst=junction,
            cures=(("Let the proposal choose switches and sink", COOLED),),
        )
    if slow and rules.gate_drive > device.v_gs_max * 0.9:  # at high frequency its drive is a block of its own
        sheet.find(
            "gate_voltage",
            "stop",
            "Gate drive too near the gate's limit",
            f"{short(rules.gate_drive, 'V')} on gates rated {short(device.v_gs_max, 'V')}, before any ringing.",
            "Lower the drive voltage, and fit a zener at the gate.",
            figure="switch",
        )
    gated = now.switching_time * build.frequency
    if slow and gated > 0.05:
        sheet.find(
            "slow_gate",
            "fix",
            "The gates are driven too weakly for this frequency",
            f"Turn-on and turn-off take {fmt(now.switching_time, 's')}, {fmt(gated, '%', 2)} of the period.",
            "Smaller gate resistors with a stronger driver, a lower frequency, or parts with less gate charge.",
            figure="switching",
        )
    if build.parallel >= MANY_PARALLEL:
        sheet.find(
            "many",
            "watch",
            f"{build.parallel} switches in parallel in each position",
            "At this current the board's copper, the sharing and the leakage of every joint decide, not the parts.",
            "A higher input voltage halves the current each time it doubles; match the parts otherwise.",
            figure="parallel",
        )
    title, cause, remedy = WALKS[topology.name]
    sheet.find("imbalance", "note", title, cause, remedy, figure="crest_duty" if duty else "duty")
    return sheet.close(
        short(build.frequency, "Hz"),
        REMARKS[topology.name],
        power_in,
        power_in - now.loss,
        {
            "topology": topology.name,
            "switch": device.label,
            "parallel": f"{build.parallel} each" if build.parallel > 1 else "",
            "peak": fmt(voltage.value, "V"),
            "pulse": fmt(now.pulse, "A"),
            "clamp": "none" if build.clamp == "none" else f"RCD, {fmt(build.clamp_resistor, 'ohm')}",
            "clamp_level": fmt(now.clamp_level, "V"),
            "duty": fmt(now.duty, "1"),
            "spike": fmt(sheet.states[voltage.point].spike, "V"),
        },
        front_end_intervals(topology, now.duty, build.frequency, now.pulse, build.clamp != "none", how),
    )


def _voltage_findings(sheet: Sheet, worst: Worst, build: FrontEndBuild, device: Mosfet) -> None:
    if not worst.severity:
        return
    if TOPOLOGIES[build.topology].clamped:
        sheet.find(
            "voltage",
            worst.severity,
            "Switch rating exceeded" if worst.severity == "stop" else "Switch voltage close to its rating",
            f"The rail with the loop's spike of some {fmt(RAIL_SPIKE, '%', 2)} makes {fmt(worst.value, 'V')} on "
            f"{short(worst.rating, 'V')} parts at {sheet.where(worst)}.",
            "Use parts of a higher rating; keep the loop short and decoupled at the legs.",
            worst=worst,
            cures=(("Use parts of a higher rating", FREED),),
            unavoidable=none_stands(sheet.shelf, "mosfet", worst.value, worst.limit / worst.rating),
        )
        return
    state: FrontEndState = sheet.states[worst.point]
    cures: list[tuple[str, dict[str, PinValue]]] = []
    if build.clamp == "none":
        cures.append(
            ("Fit an RCD clamp", {"front_end.clamp": None, "front_end.clamp_resistor": None, "front_end.clamp_part": None})
        )
    # a clamp needs room between twice the input and the house limit, or it burns many times the leakage's energy
    tight = worst.limit < ROOM_FOR_A_CLAMP * state.resting
    cures.insert(0 if tight else len(cures), ("Use parts of a higher rating, with their clamp", FREED))
    nothing = " Nothing clamps it; avalanche may cut it short, with heat." if build.clamp == "none" else ""
    sheet.find(
        "voltage",
        worst.severity,
        "Switch rating exceeded at turn-off" if worst.severity == "stop" else "Switch voltage close to its rating",
        f"Twice the input is {fmt(state.resting, 'V')}; the leakage adds {fmt(state.spike, 'V')} and makes "
        f"{fmt(worst.value, 'V')} on {short(worst.rating, 'V')} parts at {sheet.where(worst)}.{nothing}",
        "Clamp the leakage, wind tighter, or use parts of a higher rating.",
        worst=worst,
        cures=tuple(cures),
        unavoidable=none_stands(sheet.shelf, "mosfet", CLAMP_ROOM * state.resting, worst.limit / worst.rating),
    )


def _duty_findings(sheet: Sheet, worst: Worst, brief: Brief) -> None:
    more: tuple[tuple[str, dict[str, PinValue]], ...] = (
        ("Let the proposal choose the turns", {"transformer.primary_turns": None, "transformer.secondary_turns": None}),
    )
    surge = sheet.states["surge_low"].crest_duty
    if worst.value > DUTY_REACH:
        sheet.find(
            "duty",
            "stop",
            "The link cannot be held on the lowest input",
            f"It would take a duty of {fmt(worst.value, '1')} a side at full power; two switches in turn can give "
            f"{DUTY_REACH:g} each.",
            "More secondary turns, a lower link voltage, or thicker leads to the source.",
            worst=worst,
            cures=more,
        )
    elif worst.severity:
        sheet.find(
            "duty",
            "fix",
            "Duty runs out at the lowest input",
            f"At full power it reaches {fmt(worst.value, '1')} of the {worst.limit:g} that the rules allow.",
            "One or two more secondary turns.",
            worst=worst,
            cures=more,
        )
    if surge > DUTY_REACH >= worst.value:
        sheet.find(
            "surge_sags",
            "watch",
            "The surge sags on the lowest input",
            f"The surge would take a duty of {fmt(surge, '1')} a side: the link"
            f"{', and with it the socket,' if brief.output.waveform == 'DC' else ''} falls below its set-point until "
            "the surge is over.",
            "More secondary turns, or start motors on a higher input.",
            figure="crest_duty",
            cures=(),
        )
