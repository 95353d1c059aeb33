"""What an auxiliary output tells of itself."""

from __future__ import annotations

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

STARTED = 0.999
"""How near the current limit the choke's peak may come."""


def report(sheet: ReportBuilder, brief: Brief) -> BlockReport:
    """Its figures; what it does to whoever plugs something in."""
    build: AuxiliaryOutputBuild = sheet.build  # type: ignore[assignment]
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
    sheet.result("swing", r"\Delta I", "Swing of the choke, peak to peak", "A", point="high")
    sheet.choice("limit", r"\hat I_{max}", "Current limit, peak")
    sheet.choice("capacitor", "C_1", "Output capacitor")
    sheet.choice("count", "n", "Output capacitors in parallel")
    sheet.choice("fuse", "I_F", "Fuse before it")
    sheet.choice("guard", "", "If the switch fails short")
    sheet.choice("sink", "", "Heat-sink")
    sheet.choice("fan", "", "Fan on the heat-sink")
    sheet.result("drawn", "I_{in}", "Drawn of the input, mean", "A", point="low")
    sheet.result("input_ripple", "I_{C,in}", "Pulses in the input bank, RMS", "A")
    sheet.result("conduction", "P_c", "Switch, conducting", "W")
    sheet.result("switching", "P_s", "Switch, switching", "W")
    sheet.result("diode_loss", "P_D", "Diode", "W")
    sheet.result("control", "P_g", "Gate and controller", "W")
    sheet.result("loss", "P", "Lost", "W")
    ripple = sheet.limited("ripple", "U_{pp}", "Ripple, peak to peak", "V", asked.ripple * asked.voltage)
    high = sheet.limited("peak_voltage", "U_{DS}", "Across the switch, off", "V", switch.v_rating, rules.switch_voltage_margin)
    back = sheet.fixed(
        "reverse", "U_R", "Across the diode", high.value, "V", diode.v_rating, rules.diode_voltage_margin, sheet.where(high)
    )
    mean = sheet.limited("diode_average", "I_D", "Diode, mean", "A", diode.i_rating, rules.diode_current_margin, over=LASTING)
    hot = sheet.limited("junction", "T_j", "Junction of the switch", "degC", steady_limit(rules, switch.t_j_max), over=LASTING)
    warm = sheet.limited(
        "diode_junction", "T_D", "Junction of the diode", "degC", steady_limit(rules, diode.t_j_max), over=LASTING
    )
    carried = sheet.limited(
        "bank_ripple",
        "I_C",
        "Ripple current of the output bank",
        "A",
        build.count * can.i_ripple,
        rules.ripple_current_margin,
        over=LASTING,
    )
    filled = sheet.fixed(
        "bank_voltage",
        "U_C",
        "Across the output capacitors",
        asked.voltage,
        "V",
        can.v_rating,
        rules.input_capacitor_margin,
        "always",
    )
    reached = sheet.limited("peak", r"\hat I", "Peak of the choke", "A", build.limit)
    # no capacitor of its own lies behind the fuse: it carries the pulses
    blows = sheet.fixed(
        "fused",
        "I_{F}",
        "Through the fuse, RMS",
        max(_held(sheet, "switch_rms")),
        "A",
        build.fuse,
        1 - 1 / rules.fuse_factor,
        "hardest input",
    )
    shorted = sheet.fixed(
        "shorted", "I_{D,sc}", "Diode, output shorted", build.limit, "A", diode.i_rating, 0.0, "at the current limit"
    )
    stress = show_stress(sheet, made, "choke_", "Choke", "current", "its current limit")
    judge(sheet, made, stress, "choke_", "choke", "its current limit")
    if ripple.severity:
        sheet.find(
            "ripple",
            ripple.severity,
            "The auxiliary output ripples more than is asked",
            f"{fmt(ripple.value, 'V')}; the rules stop at {fmt(ripple.limit, 'V')}.",
            "More output capacitors, or more inductance.",
            worst=ripple,
            cures=(("Let the proposal choose it", {f"{KEY}.count": None}),),
        )
    if high.severity:
        sheet.find(
            "voltage",
            high.severity,
            "The auxiliary output's switch is rated too low",
            f"{fmt(high.value, 'V')}; the rules stop at {fmt(high.limit, 'V')}.",
            "A switch of the next class.",
            worst=high,
            cures=(("Let the proposal choose it", {f"{KEY}.switch": None}),),
        )
    if back.severity:
        sheet.find(
            "reverse",
            back.severity,
            "The auxiliary output's diode is rated too low",
            f"{fmt(back.value, 'V')}; the rules stop at {fmt(back.limit, 'V')}.",
            "A diode of the next class.",
            worst=back,
            cures=(("Let the proposal choose it", {f"{KEY}.diode": None}),),
        )
    if mean.severity:
        sheet.find(
            "diode_current",
            mean.severity,
            "The auxiliary output's diode carries too much",
            f"{fmt(mean.value, 'A')}; the rules stop at {fmt(mean.limit, 'A')}.",
            "A larger diode.",
            worst=mean,
            cures=(("Let the proposal choose it", {f"{KEY}.diode": None}),),
        )
    if hot.severity:
        sheet.find(
            "junction",
            hot.severity,
            "The auxiliary output's switch is too warm",
            f"{fmt(hot.value, 'degC')}; the rules stop at {fmt(hot.limit, 'degC')}.",
            "A larger heat-sink, or a lower frequency.",
            worst=hot,
            cures=(("Let the proposal choose it", {f"{KEY}.sink": None}),),
        )
    if warm.severity:
        sheet.find(
            "diode_junction",
            warm.severity,
            "The auxiliary output's diode is too warm",
            f"{fmt(warm.value, 'degC')}; the rules stop at {fmt(warm.limit, 'degC')}.",
            "A larger heat-sink, or a larger diode.",
            worst=warm,
            cures=(("Let the proposal choose it", {f"{KEY}.sink": None}),),
        )
    if carried.severity:
        sheet.find(
            "can_ripple",
            carried.severity,
            "The auxiliary output's capacitors carry too much",
            f"{fmt(carried.value, 'A')}; the rules stop at {fmt(carried.limit, 'A')}.",
            "More of them.",
            worst=carried,
            cures=(("Let the proposal choose it", {f"{KEY}.count": None}),),
        )
    if filled.severity:
        sheet.find(
            "can_voltage",
            filled.severity,
            "The auxiliary output's capacitors are rated too low",
            f"{fmt(filled.value, 'V')}; the rules stop at {fmt(filled.limit, 'V')}.",
            "Capacitors of the next class.",
            worst=filled,
            cures=(("Let the proposal choose it", {f"{KEY}.capacitor": None}),),
        )
    if reached.severity:
        sheet.find(
            "limit",
            reached.severity,
            "The auxiliary output's current limit cuts in at full power",
            f"{fmt(reached.value, 'A')}; the rules stop at {fmt(reached.limit, 'A')}.",
            "A higher limit, and a choke that stands it.",
            worst=reached,
            cures=(("Let the proposal choose it", {f"{KEY}.limit": None}),),
        )
    if blows.severity:
        sheet.find(
            "fuse",
            blows.severity,
            "The auxiliary output's fuse is too small",
            f"{fmt(blows.value, 'A')}; the rules stop at {fmt(blows.limit, 'A')}.",
            "The next larger fuse, if the wire bears it.",
            worst=blows,
            cures=(("Let the proposal choose it", {f"{KEY}.fuse": None}),),
        )
    if shorted.severity:
        sheet.find(
            "short",
            shorted.severity,
            "The auxiliary output's diode does not stand a lasting short",
            f"With nothing across the output the choke's current flows through it all the time: {fmt(shorted.value, 'A')} of "
            f"{fmt(shorted.rating, 'A')}.",
            "A larger diode, or a lower current limit.",
            worst=shorted,
            cures=(("Let the proposal choose it", {f"{KEY}.diode": None}),),
        )
    _reach(sheet, brief)
    _dangers(sheet, brief, build)
    entering = now.power_in
    return sheet.close(
        f"{short(asked.voltage, 'V')} {fmt(now.current, 'A')}",
        f"step-down, {short(build.frequency, 'Hz')}",
        entering,
        now.power,
        {
            "voltage": fmt(now.voltage, "V"),
            "current": fmt(now.current, "A"),
            "duty": fmt(now.duty, "%"),
            "swing": fmt(now.swing, "A"),
            "drawn": fmt(now.drawn, "A"),
        },
    )


def _held(sheet: ReportBuilder, name: str) -> list[float]:
    """A figure at every point that can be held and may last."""
    keys = [k for k in sheet.states if k in LASTING and k not in sheet.infeasible] or ["nominal"]
    return [float(getattr(sheet.states[k], name)) for k in keys]


def _reach(sheet: ReportBuilder, brief: Brief) -> None:
    """Whether a duty holds it from end to end of the source."""
    held = {k: s for k, s in sheet.states.items() if k not in sheet.infeasible and s.power > 0}
    if not held:
        return
    asked = asked_of(brief)
    lasting = {k: s for k, s in held.items() if k in LASTING}
    for severity, among in (("stop", lasting), ("watch", held)):
        lowest = max(among, key=lambda k: among[k].duty, default="")
        if lowest and held[lowest].duty > MOST_DUTY:
            sheet.find(
                "duty",
                "stop" if severity == "stop" else "watch",
                "No duty holds the auxiliary output",
                f"At {sheet.points[lowest].label} the input is too low for {short(asked.voltage, 'V')}: a duty of "
                f"{fmt(held[lowest].duty, '%')} would be needed, {fmt(MOST_DUTY, '%', 2)} is the most while the gate's supply "
                "fills up.",
                "A lower voltage there, a source that sags less, or a converter that steps up.",
                figure="duty",
                unavoidable="the source sags so far with what the main output draws",
            )
            break
    shortest = min(held, key=lambda k: held[k].on_time)
    if held[shortest].on_time < LEAST_ON and asked.power.continuous > 0:
        sheet.find(
            "short_pulse",
            "watch",
            "The auxiliary output's pulses are too short",
            f"{fmt(held[shortest].on_time, 's')} at {sheet.points[shortest].label}; a controller makes "
            f"{fmt(LEAST_ON, 's', 2)} at least and leaves pulses out: more ripple, and it may be heard.",
            "A lower frequency, or two steps down one after the other.",
            figure="frequency",
            cures=(("Let the proposal choose the frequency", {f"{KEY}.frequency": None}),),
        )


def _dangers(sheet: ReportBuilder, brief: Brief, build: AuxiliaryOutputBuild) -> None:
    """What a finger or a failed switch meets there."""
    full, asked = brief.source.volts[2], asked_of(brief)
    if full > TOUCH_SAFE:
        sheet.find(
            "live",
            "watch",
            "The auxiliary output is live",
            f"Nothing isolates it from the source of up to {short(full, 'V')}: {short(asked.voltage, 'V')} lie between its "
            "wires, but either may stand at the source's voltage to whatever else you touch.",
            "Keep all that it feeds inside the case, out of reach, or feed it by an isolated converter.",
            figure="voltage",
        )
    sheet.find(
        "start",
        "note",
        "Hold the auxiliary converter off until the bank is charged",
        "It draws its power from whatever voltage there is: before that, it takes more than a precharge resistor lets through, "
        "and the bank never fills.",
        "Its own under-voltage lock-out, above what the precharge reaches, or an enable from the contactor.",
        figure="drawn",
    )
    if build.guard == OPEN:
        sheet.find(
            "guard",
            "watch",
            "A failed switch puts the source on the auxiliary output",
            f"Switches fail short: up to {short(full, 'V')} then stand where {short(asked.voltage, 'V')} are meant to.",
            "A thyristor across the output that fires above it, and a fuse before the switch that it blows.",
            figure="guard",
            cures=((f"Fit {CROWBAR}", {f"{KEY}.guard": CROWBAR}),),
        )
