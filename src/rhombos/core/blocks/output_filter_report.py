"""What the filter shows: its figures, and the findings with their cures."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.output_filter import CORNER_OVER_LINE, RIPPLE_OVER_CORNER, FilterState, OutputFilterBuild, capacitance
from rhombos.core.blocks.wound import WOUND_FIELDS, choke_of, judge, show_stress, show_winding
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.points import LASTING, STEADY
from rhombos.core.frame.report import BlockReport, Operating
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.parts import Capacitor
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.sidebands import lifted

Sheet: TypeAlias = "ReportBuilder[OutputFilterBuild, FilterState]"


def report(sheet: Sheet, brief: Brief, power_in: float, at: Operating) -> BlockReport:
    """The filter's figures and findings; `at` is the nominal point as its waves see it."""
    build: OutputFilterBuild = sheet.build
    rules, now = sheet.rules, sheet.now
    made, can = choke_of(build, sheet.shelf), sheet.shelf.get(Capacitor, build.capacitor)
    free: dict[str, PinValue] = {f"output_filter.{n}": None for n in ("inductance", *WOUND_FIELDS)}
    free_c: dict[str, PinValue] = {"output_filter.capacitor": None, "output_filter.count": None}
    sheet.choice("inductance", "L", "Filter inductor")
    sheet.choice("capacitor", "C", "Filter capacitor")
    sheet.choice("count", "n_C", "Filter capacitors in parallel")
    stress = show_stress(sheet, made, "", "Inductor", "line_current")
    bent = sheet.limited("distortion", "THD", "Distortion left at the output", "%", 2 * brief.targets.distortion, 0.5,
                         over=LASTING, of_highest=True)  # fmt: skip
    sheet.turned("distortion", "THD", "Distortion, of what is set", "%")
    share = sheet.limited("capacitor_share", r"I_C/I", "Capacitor current share", "%",
                          2 * rules.filter_capacitor_share, 0.45, over=("nominal",))  # fmt: skip
    sheet.result("corner", "f_{LC}", "Corner frequency", "Hz")
    sheet.result("ripple", r"\Delta I", "Largest ripple", "A")
    sheet.result("peak", r"\hat I_L", "Peak current, surge", "A", point="surge_low")
    sheet.result("line_current", r"I_L", "Current, line frequency", "A")
    show_winding(sheet, made, "Inductor")
    sheet.result("copper", r"P_{Cu}", "Copper loss", "W")
    sheet.result("core", r"P_{Fe}", "Core loss", "W", point="nominal")
    sheet.result("loss", "P", "Loss, whole filter", "W")
    if can.family != "film ac":
        sheet.find("electrolytic", "stop", "This capacitor is not made for AC",
                   f"{can.label}: a DC type on the output heats, vents or explodes.", "Use a film capacitor rated for AC.",
                   figure="capacitor", cures=(("Let the proposal choose the capacitor", free_c),))  # fmt: skip
    elif can.v_ac < brief.output.voltage:
        sheet.find("capacitor_voltage", "stop", "The filter capacitor's AC rating is too low",
                   f"{short(can.v_ac, 'V')} AC on a {short(brief.output.voltage, 'V')} output.",
                   "Use the next AC rating up.", figure="capacitor",
                   cures=(("Let the proposal choose the capacitor", free_c),))  # fmt: skip
    judge(sheet, made, stress, "", "filter inductor")
    swung, pulsed = (max(getattr(s, name) for k, s in sheet.states.items() if k in STEADY) for name in ("rail", "pulsed"))
    if bent.severity:
        sheet.find("distortion", "fix" if bent.severity == "stop" else "watch", "More distortion than the brief allows",
                   f"{fmt(bent.value, '%', 2)} against {fmt(brief.targets.distortion, '%', 2)}: carrier ripple and dead time "
                   "are left at the socket"
                   + (f"; loads that draw at the crest make {fmt(pulsed, '%', 2)}" if pulsed > 0.3 * bent.value else "")
                   + (f"; {fmt(swung, '%', 2)} comes of a rail that swings within each period"
                      if swung > 0.3 * bent.value else "") + ".",
                   "More capacitance, more inductance, a higher carrier, or shorter dead time; against the third harmonic a "
                   "stiffer rail, or a loop that holds the output.",
                   worst=bent, cures=(("Let the proposal choose the filter", free | free_c),),
                   unavoidable=f"the rail's own swing makes {fmt(swung, '%', 2)}, which no filter takes away"
                   if swung > 0.8 * bent.limit else
                   f"the loads' own pulses make {fmt(pulsed, '%', 2)} on all that lies before them, a transformer's leakage too"
                   if pulsed > 0.8 * bent.limit else None)  # fmt: skip
    low, high = CORNER_OVER_LINE * brief.output.frequency, 2 * at.carrier / RIPPLE_OVER_CORNER
    rung = lifted(at)
    if rung:
        sheet.find("resonance", "stop", "The filter rings on a sideband of the carrier",
                   f"At {fmt(rung.frequency, 'Hz', 4)} the bridge makes {fmt(rung.volts, 'V')} peak; the empty filter, with "
                   f"its corner at {fmt(now.corner, 'Hz')}, lifts that {fmt(rung.gain, '1', 2)} times instead of stopping it.",
                   "The corner belongs a tenth of the ripple's frequency or lower: more L or C, a higher carrier.",
                   figure="corner", cures=(
                       ("Let the proposal choose the filter", free | free_c),
                       ("Let the proposal choose filter and carrier", {**free, **free_c, "h_bridge.carrier": None}),
                   ))  # fmt: skip
    elif not low <= now.corner <= high:
        sheet.find("corner", "fix", "The filter's corner is in the wrong place",
                   f"It rings at {fmt(now.corner, 'Hz')}; it should lie between ten times the line, {short(low, 'Hz')}, and a "
                   f"tenth of the ripple, {short(high, 'Hz')}.", "Change L or C; a higher carrier gives more room.",
                   figure="corner", cures=(("Let the proposal choose the filter", free | free_c),))  # fmt: skip
    if share.severity:
        sheet.find("capacitor_share", "watch", "The filter capacitor takes much current",
                   f"{fmt(now.capacitor_current, 'A')}, {fmt(share.value, '%', 2)} of the rated current, flows even at no "
                   "load.",
                   "Less capacitance with more inductance.", worst=share,
                   cures=(("Let the proposal choose the capacitor", free_c),))  # fmt: skip
    return sheet.close(
        f"{fmt(build.inductance, 'H', 2)} · {fmt(capacitance(build, sheet.shelf), 'F', 2)}",
        "film, never electrolytic; the inductor must stand the surge", power_in, power_in - now.loss,
        {"inductor": fmt(build.inductance, "H"), "whole": fmt(capacitance(build, sheet.shelf), "F"),
         "ripple": f"{fmt(now.ripple, 'A')} pp", "corner": fmt(now.corner, "Hz"),
         "capacitor_current": fmt(now.capacitor_current, "A"), "current": fmt(now.line_current, "A")})  # fmt: skip
