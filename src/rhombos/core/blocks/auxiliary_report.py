"""What an auxiliary output tells of itself."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.auxiliary_output import (
    CROWBAR,
    KEY,
    LEAST_ON,
    MOST_DUTY,
    OPEN,
    AuxiliaryOutputBuild,
    AuxiliaryState,
    asked_of,
)
from rhombos.core.blocks.cooling import steady_limit
from rhombos.core.blocks.wound import choke_of, judge, show_stress, show_winding
from rhombos.core.design.brief import Brief
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.parts import Capacitor, Diode, Mosfet
from rhombos.core.parts.insulation import TOUCH_SAFE
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[AuxiliaryOutputBuild, AuxiliaryState]"


def report(sheet: Sheet, brief: Brief) -> BlockReport:
    """Its figures; what it does to whoever plugs something in."""
    build: AuxiliaryOutputBuild = sheet.build
    now: AuxiliaryState = sheet.now
    asked, shelf, rules = asked_of(brief), sheet.shelf, sheet.rules
    switch, diode, can = (shelf.get(Mosfet, build.switch), shelf.get(Diode, build.diode), shelf.get(Capacitor, build.capacitor))
    made = choke_of(build, shelf)
    sheet.result("voltage", "U", "Voltage", "V")
    sheet.result("current", "I", "Current", "A")
    sheet.choice("switch", "T_1", "Switch")
    sheet.choice("diode", "D_1", "Diode")
    sheet.choice("frequency", "f_s", "Switching frequency")
    sheet.result("duty", "D", "Duty", "%")
    sheet.choice("inductance", "L", "Inductance")
    show_winding(sheet, made, "Choke")
    sheet.result("swing", r"\Delta I", "Choke ripple current, peak to peak", "A", point="high")
    sheet.choice("limit", r"\hat I_{max}", "Current limit, peak")
    sheet.choice("capacitor", "C_1", "Output capacitor")
    sheet.choice("count", "n", "Output capacitors in parallel")
    sheet.choice("fuse", "I_F", "Fuse")
    sheet.choice("guard", "", "Overvoltage protection")
    sheet.choice("sink", "", "Heat-sink")
    sheet.choice("fan", "", "Fan on the heat-sink")
    sheet.result("drawn", "I_{in}", "Input current, mean", "A", point="low")
    sheet.result("input_ripple", "I_{C,in}", "Input ripple current, RMS", "A")
    sheet.result("conduction", "P_c", "Switch conduction loss", "W")
    sheet.result("switching", "P_s", "Switching loss", "W")
    sheet.result("diode_loss", "P_D", "Diode loss", "W")
    sheet.result("control", "P_g", "Gate and control power", "W")
    sheet.result("loss", "P", "Total loss", "W")
    ripple = sheet.limited("ripple", "U_{pp}", "Output ripple, peak to peak", "V", asked.ripple * asked.voltage)
    high = sheet.limited("peak_voltage", "U_{DS}", "Switch voltage", "V", switch.v_rating, rules.switch_voltage_margin)
    back = sheet.fixed(
        "reverse",
        "U_R",
        "Diode reverse voltage",
        high.value,
        "V",
        diode.v_rating,
        rules.diode_voltage_margin,
        sheet.where(high),
    )
    mean = sheet.limited(
        "diode_average", "I_D", "Diode mean current", "A", diode.i_rating, rules.diode_current_margin, over=LASTING
    )
    hot = sheet.limited(
        "junction", "T_j", "Switch junction temperature", "degC", steady_limit(rules, switch.t_j_max), over=LASTING
    )
    warm = sheet.limited(
        "diode_junction", "T_D", "Diode junction temperature", "degC", steady_limit(rules, diode.t_j_max), over=LASTING
    )
    carried = sheet.limited(
        "bank_ripple",
        "I_C",
        "Output capacitor ripple current",
        "A",
        build.count * can.i_ripple,
        rules.ripple_current_margin,
        over=LASTING,
    )
    filled = sheet.fixed(
        "bank_voltage",
        "U_C",
        "Output capacitor voltage",
        asked.voltage,
        "V",
        can.v_rating,
        rules.input_capacitor_margin,
        "always",
    )
    reached = sheet.limited("peak", r"\hat I", "Choke peak current", "A", build.limit)
    # no capacitor of its own lies behind the fuse: it carries the pulses
    blows = sheet.fixed(
        "fused",
        "I_{F}",
        "Fuse current, RMS",
        max(_held(sheet, "switch_rms")),
        "A",
        build.fuse,
        1 - 1 / rules.fuse_factor,
        "hardest input",
    )
    shorted = sheet.fixed(
        "shorted", "I_{D,sc}", "Diode current, output shorted", build.limit, "A", diode.i_rating, 0.0, "at the current limit"
    )
    stress = show_stress(sheet, made, "choke_", "Choke", "current", "its current limit")
    judge(sheet, made, stress, "choke_", "choke", "its current limit")
    if ripple.severity:
        sheet.find(
            "ripple",
            ripple.severity,
            "Auxiliary output ripple above limit",
            f"{fmt(ripple.value, 'V')}; the rules stop at {fmt(ripple.limit, 'V')}.",
            "Add output capacitors, or raise the inductance.",
            worst=ripple,
            cures=(("Let the proposal choose it", {f"{KEY}.count": None}),),
        )
    if high.severity:
        sheet.find(
            "voltage",
            high.severity,
            "Auxiliary switch voltage rating too low",
            f"{fmt(high.value, 'V')}; the rules stop at {fmt(high.limit, 'V')}.",
            "Choose a switch of the next voltage class.",
            worst=high,
            cures=(("Let the proposal choose it", {f"{KEY}.switch": None}),),
        )
    if back.severity:
        sheet.find(
            "reverse",
            back.severity,
            "Auxiliary diode voltage rating too low",
            f"{fmt(back.value, 'V')}; the rules stop at {fmt(back.limit, 'V')}.",
            "Choose a diode of the next voltage class.",
            worst=back,
            cures=(("Let the proposal choose it", {f"{KEY}.diode": None}),),
        )
    if mean.severity:
        sheet.find(
            "diode_current",
            mean.severity,
            "Auxiliary diode overloaded",
            f"{fmt(mean.value, 'A')}; the rules stop at {fmt(mean.limit, 'A')}.",
            "Choose a larger diode.",
            worst=mean,
            cures=(("Let the proposal choose it", {f"{KEY}.diode": None}),),
        )
    if hot.severity:
        sheet.find(
            "junction",
            hot.severity,
            "Auxiliary switch too hot",
            f"{fmt(hot.value, 'degC')}; the rules stop at {fmt(hot.limit, 'degC')}.",
            "Fit a larger heat-sink, or lower the frequency.",
            worst=hot,
            cures=(("Let the proposal choose it", {f"{KEY}.sink": None}),),
        )
    if warm.severity:
        sheet.find(
            "diode_junction",
            warm.severity,
            "Auxiliary diode too hot",
            f"{fmt(warm.value, 'degC')}; the rules stop at {fmt(warm.limit, 'degC')}.",
            "Fit a larger heat-sink, or a larger diode.",
            worst=warm,
            cures=(("Let the proposal choose it", {f"{KEY}.sink": None}),),
        )
    if carried.severity:
        sheet.find(
            "can_ripple",
            carried.severity,
            "Auxiliary output capacitors overloaded",
            f"{fmt(carried.value, 'A')}; the rules stop at {fmt(carried.limit, 'A')}.",
            "Add output capacitors.",
            worst=carried,
            cures=(("Let the proposal choose it", {f"{KEY}.count": None}),),
        )
    if filled.severity:
        sheet.find(
            "can_voltage",
            filled.severity,
            "Auxiliary capacitor voltage rating too low",
            f"{fmt(filled.value, 'V')}; the rules stop at {fmt(filled.limit, 'V')}.",
            "Choose capacitors of the next voltage class.",
            worst=filled,
            cures=(("Let the proposal choose it", {f"{KEY}.capacitor": None}),),
        )
    if reached.severity:
        sheet.find(
            "limit",
            reached.severity,
            "Auxiliary current limit too low",
            f"{fmt(reached.value, 'A')}; the rules stop at {fmt(reached.limit, 'A')}.",
            "Raise the limit, with a choke that stands it.",
            worst=reached,
            cures=(("Let the proposal choose it", {f"{KEY}.limit": None}),),
        )
    if blows.severity:
        sheet.find(
            "fuse",
            blows.severity,
            "Auxiliary fuse too small",
            f"{fmt(blows.value, 'A')}; the rules stop at {fmt(blows.limit, 'A')}.",
            "Fit the next larger fuse, if the wire stands it.",
            worst=blows,
            cures=(("Let the proposal choose it", {f"{KEY}.fuse": None}),),
        )
    if shorted.severity:
        sheet.find(
            "short",
            shorted.severity,
            "Auxiliary diode overloaded when shorted",
            f"Into a short the choke's current flows through it all the time: {fmt(shorted.value, 'A')} of "
            f"{fmt(shorted.rating, 'A')}.",
            "Choose a larger diode, or lower the current limit.",
            worst=shorted,
            cures=(("Let the proposal choose it", {f"{KEY}.diode": None}),),
        )
    _reach(sheet, brief)
    _dangers(sheet, brief, build)
    return sheet.close(
        f"{short(asked.voltage, 'V')} {fmt(now.current, 'A')}",
        f"step-down, {short(build.frequency, 'Hz')}",
        now.power_in,
        now.power,
        {
            "voltage": fmt(now.voltage, "V"),
            "current": fmt(now.current, "A"),
            "duty": fmt(now.duty, "%"),
            "swing": fmt(now.swing, "A"),
            "drawn": fmt(now.drawn, "A"),
        },
    )


def _held(sheet: Sheet, name: str) -> list[float]:
    """A figure at every point that can be held and may last."""
    keys = [k for k in sheet.states if k in LASTING and k not in sheet.infeasible] or ["nominal"]
    return [float(getattr(sheet.states[k], name)) for k in keys]


def _reach(sheet: Sheet, brief: Brief) -> None:
    """Whether a duty holds it from end to end of the source."""
    held = {k: s for k, s in sheet.states.items() if k not in sheet.infeasible and s.power > 0}
    if not held:
        return
    asked = asked_of(brief)
    lasting = {k: s for k, s in held.items() if k in LASTING}
    among = lasting if max((s.duty for s in lasting.values()), default=0.0) > MOST_DUTY else held
    lowest = max(among, key=lambda k: among[k].duty)
    if held[lowest].duty > MOST_DUTY:
        sheet.find(
            "duty",
            "stop" if lowest in lasting else "watch",
            "Auxiliary output out of duty range",
            f"At {sheet.points[lowest].label} the input is too low for {short(asked.voltage, 'V')}: a duty of "
            f"{fmt(held[lowest].duty, '%')} would be needed, {fmt(MOST_DUTY, '%', 2)} is the most while the gate's supply "
            "fills up.",
            "Ask a lower voltage, use a source that sags less, or a converter that steps up.",
            figure="duty",
            unavoidable="the source sags so far with what the main output draws",
        )
    shortest = min(held, key=lambda k: held[k].on_time)
    if held[shortest].on_time < LEAST_ON:
        sheet.find(
            "short_pulse",
            "watch",
            "Auxiliary pulses below controller minimum",
            f"{fmt(held[shortest].on_time, 's')} at {sheet.points[shortest].label}; a controller makes "
            f"{fmt(LEAST_ON, 's', 2)} at least and leaves pulses out: more ripple, and it may be heard.",
            "Lower the frequency, or step down twice.",
            figure="frequency",
            cures=(("Let the proposal choose the frequency", {f"{KEY}.frequency": None}),),
        )


def _dangers(sheet: Sheet, brief: Brief, build: AuxiliaryOutputBuild) -> None:
    """What a finger or a failed switch meets there."""
    full, asked = brief.source.volts[2], asked_of(brief)
    if full > TOUCH_SAFE:
        sheet.find(
            "live",
            "watch",
            "Auxiliary output not isolated from source",
            f"Nothing isolates it from the source of up to {short(full, 'V')}: {short(asked.voltage, 'V')} lie between its "
            "wires, but either may stand at the source's voltage to whatever else you touch.",
            "Keep all that it feeds inside the case, out of reach, or feed it by an isolated converter.",
            figure="voltage",
        )
    sheet.find(
        "start",
        "note",
        "Hold off auxiliary converter during precharge",
        "It draws its power from whatever voltage there is: before that, it takes more than a precharge resistor lets through, "
        "and the bank never fills.",
        "Give it an under-voltage lock-out above what the precharge reaches, or an enable from the contactor.",
        figure="drawn",
    )
    if build.guard == OPEN:
        sheet.find(
            "guard",
            "watch",
            "No overvoltage protection on auxiliary output",
            f"Switches fail short: up to {short(full, 'V')} then stand where {short(asked.voltage, 'V')} are meant to.",
            "Fit a thyristor across the output that fires above it, and a fuse before the switch that it blows.",
            figure="guard",
            cures=((f"Fit {CROWBAR}", {f"{KEY}.guard": CROWBAR}),),
        )
