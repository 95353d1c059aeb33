"""What the rectifier shows: its figures, and the findings with their cures."""

from __future__ import annotations

from itertools import pairwise
from typing import TypeAlias

import numpy as np

from rhombos.core.blocks.cooling import steady_limit
from rhombos.core.blocks.rectifier import RectifierBuild, RectifierState
from rhombos.core.blocks.wound import choke_of, judge, show_stress, show_winding
from rhombos.core.book.rectifier import diode_conduction, diode_rms
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.points import LASTING, STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.topology import IN_SERIES, RECTIFIERS
from rhombos.core.parts import Diode, Resistor, Shelf
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[RectifierBuild, RectifierState]"

SPLIT = dict(pairwise(IN_SERIES))
"""What a circuit becomes whose diodes block too much."""


def report(sheet: Sheet, brief: Brief, power_in: float) -> BlockReport:
    """The rectifier's figures and findings."""
    build: RectifierBuild = sheet.build
    rules, now, how = sheet.rules, sheet.now, RECTIFIERS[build.circuit]
    diode, made = sheet.shelf.get(Diode, build.diode), choke_of(build, sheet.shelf)
    reverse = sheet.limited("reverse", r"V_{R,pk}", "Diode reverse voltage, peak", "V", diode.v_rating,
                            rules.diode_voltage_margin)  # fmt: skip
    current = sheet.limited("average", r"I_{F}", "Mean current of one diode", "A", diode.i_rating,
                            rules.diode_current_margin, over=LASTING)  # fmt: skip
    junction = sheet.limited("junction", "T_j", "Diode junction", "degC", diode.t_j_max,
                             1 - steady_limit(rules, diode.t_j_max) / diode.t_j_max, over=LASTING)  # fmt: skip
    slow = sheet.limited("recovery_share", r"t_{rr} f", "Recovery, share of period", "%",
                         2 * rules.recovery_share, 0.5)  # fmt: skip
    stress = show_stress(sheet, made, "choke_", "Choke", "current") if how.choke else None
    sheet.choice("circuit", "", "Rectifier")
    sheet.choice("diode", f"D_1–D_{how.diodes}", "Diode")
    sheet.choice("damper", "", "RC damper")
    if build.damper == "RC":
        series = sheet.shelf.get(Resistor, build.damper_part)
        sheet.choice("damper_capacitor", "C_d", "Damper capacitor")
        sheet.choice("damper_resistor", "R_d", "Damper resistor")
        sheet.choice("damper_part", "", "Damper resistor type")
        burnt = sheet.limited("damper_loss", "P_d", "Damper dissipation", "W", series.power, rules.resistor_margin,
                              over=LASTING)  # fmt: skip
        if burnt.severity:
            sheet.find("damper_heat", burnt.severity, "The damper resistor is too small",
                       f"{fmt(burnt.value, 'W')} in a {series.label} resistor.", "Use a stronger series.", worst=burnt,
                       cures=(("Let the proposal choose it", {"rectifier.damper_part": None}),))  # fmt: skip
    if how.choke:
        sheet.choice("inductance", "L", "Link choke")
        show_winding(sheet, made, "Choke")
        sheet.result("ripple", r"\Delta I", "Choke ripple", "A")
        sheet.result("minimum_load", r"I_{\min}", "Minimum continuous load", "A")
    else:
        sheet.result("pulse", "I", "Mean of a charging pulse", "A")
        sheet.result("pulse_peak", r"\hat I", "Peak of a charging pulse", "A")
        sheet.result("form", "k_f", "RMS over mean of a pulse", "1")
        _follows(sheet, now)
    sheet.choice("sink", "", "Heat-sink")
    sheet.choice("fan", "", "Fan")
    sheet.result("loss", "P", "Loss, whole rectifier", "W")
    at_worst: RectifierState = sheet.states[reverse.point]
    beyond = none_carries(sheet, brief, current.value, at_worst.reverse) if how.choke else None
    if how.parts > 1:
        sheet.find("parts", "note", f"The secondary is wound in {how.parts} equal parts",
                   f"Each feeds a bridge of its own, with its damper; the bridges lie in series before the choke, and each "
                   f"diode blocks {fmt(reverse.value, 'V')} at most. Between the parts stands up to {fmt(now.link, 'V')}.",
                   "Insulate the parts from each other as from the core; equal turns share the voltage by themselves.",
                   figure="circuit")  # fmt: skip
    if reverse.severity:
        cures: list[tuple[str, dict[str, PinValue]]] = []
        at = at_worst
        damper: dict[str, PinValue] = {f"rectifier.damper{s}": None for s in ("", "_capacitor", "_resistor", "_part")}
        if build.damper == "none":
            cures.append(("Fit an RC damper", damper))
        cures.append(("Use diodes of a higher rating", {"rectifier.diode": None, **damper}))
        if how.halves == 2:
            cures.append(("Use a bridge: each diode blocks half as much",
                          {"rectifier.circuit": "bridge", "rectifier.diode": None}))  # fmt: skip
        if how.name in SPLIT:
            cures.append((f"{SPLIT[how.name].capitalize()}: each diode blocks less",
                          {"rectifier.circuit": SPLIT[how.name], "rectifier.diode": None, **damper}))  # fmt: skip
        most = max(sheet.shelf.column(Diode, "v_rating"))
        best = build.circuit not in SPLIT and how.halves == 1 and build.damper == "RC" and diode.v_rating >= most
        at_its_best = f"no diode on the shelf stands more than {short(most, 'V')}, and it is damped" if best else beyond
        sheet.find("reverse", reverse.severity, "Diode reverse voltage too high" if reverse.severity == "stop"
                   else "Diodes close to their reverse rating",
                   f"At the highest input {'both halves give' if how.halves == 2 else 'the secondary gives'} "
                   f"{fmt(at.reverse - at.ring, 'V')} and ring{'' if how.halves == 2 else 's'} {fmt(at.ring, 'V')} higher: "
                   f"{fmt(reverse.value, 'V')} on {short(diode.v_rating, 'V')} diodes, though the link is only "
                   f"{fmt(now.link, 'V')}.",
                   "Damp the ring, use diodes of a higher rating, or a lower turns ratio.", worst=reverse,
                   cures=tuple(cures), unavoidable=at_its_best)  # fmt: skip
    if current.severity:
        sheet.find("current", current.severity, "The diodes are too small",
                   f"{fmt(current.value, 'A')} mean in each.", "Use larger diodes.", worst=current,
                   cures=(("Let the proposal choose the diode", {"rectifier.diode": None}),),
                   unavoidable=strongest(sheet.shelf, diode) or beyond)  # fmt: skip
    if slow.severity:
        sheet.find("slow", "stop" if slow.severity == "stop" else "watch", "These diodes are too slow",
                   f"They recover in {fmt(diode.t_rr, 's')}, {fmt(slow.value, '%', 2)} of the period: they conduct backwards "
                   "that long, heat up and take the switches along.",
                   "Use ultrafast or silicon-carbide diodes; a mains-grade bridge belongs at 50 Hz.", worst=slow,
                   cures=(("Let the proposal choose the diode", {"rectifier.diode": None}),))  # fmt: skip
    if junction.severity:
        sheet.find("junction", junction.severity, "The diodes run too hot",
                   f"{fmt(junction.value, 'degC')} at {sheet.where(junction)}: {fmt(now.conduction, 'W')} conducting, "
                   f"{fmt(now.recovery, 'W')} recovering.", "A better heat-sink, larger or faster diodes.", worst=junction,
                   cures=(("Let the proposal choose diode and sink", {
                       "rectifier.diode": None, "rectifier.sink": None, "rectifier.fan": None}),),
                   unavoidable=beyond)  # fmt: skip
    if stress:
        judge(sheet, made, stress, "choke_", "link choke")
    return sheet.close(
        diode.recovery, "peak reverse voltage counts at the highest input, ring included" if how.choke
        else "no choke: the link follows the input, whatever the duty does", power_in,
        power_in - now.loss,
        {"circuit": build.circuit, "diode": diode.label, "choke": fmt(build.inductance, "H") if how.choke else "none",
         "reverse": fmt(reverse.value, "V"), "current": fmt(now.current, "A"),
         "parts": str(how.parts) if how.parts > 1 else "",
         "ripple": f"ripple {fmt(now.ripple, 'A')}" if how.choke else f"pulses of {fmt(now.pulse_peak, 'A')}",
         "damper": "none" if build.damper == "none" else
         f"{fmt(build.damper_capacitor, 'F')}, {fmt(build.damper_resistor, 'ohm')}"})  # fmt: skip


def strongest(shelf: Shelf, diode: Diode) -> str | None:
    """Why no other diode avoids it: none that stands the voltage, and is as fast, carries more."""
    able = [d for d in shelf.all(Diode) if d.v_rating >= diode.v_rating and d.t_rr <= 2 * diode.t_rr]
    most = max(d.i_rating for d in able)
    return (
        f"no diode of its voltage and speed on the shelf carries more than {short(most, 'A')}"
        if diode.i_rating >= most
        else None
    )


CLIMB = 1.10
"""Unloaded over loaded link from which the climb is worth a word."""


def _follows(sheet: Sheet, now: RectifierState) -> None:
    """Without a choke: how far the link varies, and how far it climbs with nothing plugged in."""
    held = {k: s for k, s in sheet.states.items() if k not in sheet.infeasible} or dict(sheet.states)
    low, high = min(held, key=lambda k: held[k].link), max(held, key=lambda k: held[k].link)
    sheet.fixed_value("lowest_link", r"V_{\min}", "Link, lowest", held[low].link, "V", sheet.points[low].label)
    sheet.fixed_value("highest_link", r"V_{\max}", "Link, highest", held[high].link, "V", sheet.points[high].label)
    sheet.find("follows", "watch", "Nothing holds the link",
               f"A capacitor behind the rectifier charges to the peak, whatever the duty: {fmt(held[low].link, 'V')} at "
               f"{sheet.points[low].label}, {fmt(held[high].link, 'V')} at {sheet.points[high].label}.",
               "Rate everything behind it for the highest, and let the bridge's modulation hold a sine; or fit the choke and "
               "let the duty hold the link.", figure="highest_link",
               cures=(("Fit the choke: bridge rectifier, regulated", {"rectifier.circuit": None}),))  # fmt: skip
    climbing = max(held.values(), key=lambda s: s.unloaded)
    sheet.fixed_value("unloaded", r"V_0", "Link with nothing plugged in, as far as it climbs", climbing.unloaded, "V",
                      "highest input, idle")  # fmt: skip
    loaded = max((s.link for k, s in held.items() if k in STEADY), default=held[high].link)
    if climbing.unloaded > CLIMB * loaded:
        sheet.find("climbs", "watch", "Unloaded, the link climbs above the peak",
                   f"Each edge rings above the secondary's voltage and pumps the bank: up to {fmt(climbing.unloaded, 'V')}, "
                   f"against {fmt(climbing.link, 'V')} with a load.",
                   "A damper across the diodes, a bleeder that takes what the ring brings, and capacitors that stand it.",
                   figure="unloaded", cures=(("Fit an RC damper", {"rectifier.damper": None}),)
                   if sheet.build.damper == "none" else ())  # fmt: skip


def none_carries(sheet: Sheet, brief: Brief, average: float, volts: float) -> str | None:
    """Why no diode of the shelf serves: each that stands a voltage, V, is too small for a mean current, A, or too hot of its
    conduction alone."""
    rules, diode = sheet.rules, sheet.shelf.columns(Diode)
    rms = diode_rms.work({"I_out": 2 * average})
    heats = diode_conduction(V_0=diode.v_0, I_avg=average, r=diode.r, I_rms=rms) * (diode.r_jc + rules.pad_resistance)
    limit = np.array([steady_limit(rules, t) for t in diode.t_j_max.tolist()])
    able = diode.v_rating * (1 - rules.diode_voltage_margin) >= volts
    able &= diode.i_rating * (1 - rules.diode_current_margin) >= average
    able &= heats <= limit - brief.targets.ambient - rules.enclosure_rise - rules.sink_rise
    if able.any():
        return None
    return f"no diode of the shelf carries {fmt(average, 'A')} alone at that voltage; switches that rectify would"
