"""The fast rectifier on the secondary, its damper, and the choke that lets the duty regulate the link."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import (
    options,
    part,
    propose_resistor,
    recovered_charge,
    remembered,
)  # fmt: skip
from rhombos.core.blocks.cooling import hottest_junction, propose_sink, sink_resistance
from rhombos.core.blocks.wound import ChokeBuild, choke_of, choke_parts, judge, show_stress, show_winding, wind
from rhombos.core.book import clamp as clamps
from rhombos.core.book import link
from rhombos.core.book import magnetics as wound
from rhombos.core.book import rectifier as book
from rhombos.core.brief import Brief
from rhombos.core.findings import PinValue
from rhombos.core.inventory import Item, fitted
from rhombos.core.ledger import SILENT, Ledger
from rhombos.core.magnetics.choke import ChokeNeed, choke_loss
from rhombos.core.magnetics.stack import rise
from rhombos.core.parts import Diode, HeatSink, Resistor, Shelf
from rhombos.core.points import STEADY
from rhombos.core.preferred import E12, at_least, nearest
from rhombos.core.report import BlockReport
from rhombos.core.ring import step_overshoot
from rhombos.core.rules import Rules
from rhombos.core.sheet import Sheet
from rhombos.core.units import Farad, Ohm, fmt, short

KEY, TITLE = "rectifier", "Rectifier"
WINDING_CAPACITANCE = 30e-12
"""Capacitance of the secondary and its leads, F: a typical figure until it is measured."""
DAMPER_RATIO = 3.0


class RectifierBuild(ChokeBuild):
    """Four diodes, the damper across them, and the link choke."""

    diode: str = part("diode", "Diode")
    damper: str = options("RC damper", "RC", "none")
    damper_capacitor: Farad = Field(ge=1e-12, le=1e-6, title="Damper capacitor")
    damper_resistor: Ohm = Field(ge=1, le=1e6, title="Damper resistor")
    damper_part: str = part("resistor", "Damper resistor type")
    sink: str = part("heat_sink", "Heat-sink")
    fan: bool = Field(title="Fan on the heat-sink")


@dataclass(frozen=True, slots=True)
class RectifierNeed:
    """Secondary voltage while power flows, and its highest; link voltage, V; mean output current, A; total duty; one
    switch's frequency, Hz; leakage seen from the secondary, H; turns ratio; temperature the choke is taken to have, °C."""

    v_sec: float
    v_sec_max: float
    v_link: float
    current: float
    duty: float
    frequency: float
    leakage: float
    ratio: float
    choke_celsius: float = 80.0


@dataclass(frozen=True, slots=True)
class RectifierState:
    """Voltages, V; currents, A; losses, W; temperatures, °C."""

    reverse: float
    ring: float
    average: float
    ripple: float
    choke_peak: float
    choke_flux: float
    minimum_load: float
    drop: float
    junction: float
    conduction: float
    recovery: float
    damper_loss: float
    choke_copper: float
    choke_core: float
    choke_resistance: float
    choke_temperature: float
    recovery_share: float
    link: float
    loss: float


def stray_capacitance(diode: Diode) -> float:
    """What the leakage rings with: two blocking diodes and the winding, F."""
    return 2 * diode.c_j + WINDING_CAPACITANCE


@remembered
def propose(
    need: RectifierNeed, surge_current: float, brief: Brief, pins: dict[str, Any], shelf: Shelf, rules: Rules
) -> RectifierBuild:  # fmt: skip
    """Diodes by voltage, speed and loss; damper matched to the ring; choke for the rules' ripple at the highest input."""
    fields = dict(pins)
    damped = fields.get("damper", "RC") == "RC"
    diode = _choose_diode(need, damped, fields, shelf, rules)
    fields["diode"] = diode.id
    stray = stray_capacitance(diode)
    capacitor = fields.setdefault("damper_capacitor", at_least(max(1e-12, DAMPER_RATIO * stray), E12))
    fields.setdefault("damper_resistor", nearest(
        min(1e6, max(1.0, float(clamps.damper_resistor(L_lk=max(need.leakage, 1e-12), C_par=stray)))), E12))  # fmt: skip
    heat_in = clamps.damper_power(C_d=capacitor, V=need.v_sec_max, f=2 * need.frequency)
    fields.setdefault("damper_part", propose_resistor(shelf, rules, fields["damper_resistor"], heat_in, 0))
    fields.setdefault("damper", "RC")
    if "inductance" not in fields:
        wanted = book.choke_inductance(
            V_sec=need.v_sec_max, V_out=need.v_link, D_tot=min(1.0, need.v_link / need.v_sec_max),
            dI=rules.choke_ripple * need.current, f_s=need.frequency)  # fmt: skip
        fields["inductance"] = float(f"{min(1.0, max(1e-6, float(wanted))):.2g}")
    ripple = need.v_link * (1 - min(1.0, need.v_link / need.v_sec_max)) / (fields["inductance"] * 2 * need.frequency)
    air = brief.targets.ambient + rules.enclosure_rise
    wanted_choke = ChokeNeed(fields["inductance"], 1.02 * surge_current + ripple / 2, need.current, ripple,
                             ripple / math.sqrt(12), 2 * need.frequency, air)  # fmt: skip
    fields = wind(wanted_choke, fields, shelf, rules)
    if "sink" not in fields or "fan" not in fields:
        draft = RectifierBuild.within({"sink": shelf.all_ids("heat_sink")[0], "fan": False} | fields)
        state = assess(need, draft, brief, shelf, rules, SILENT)
        sink, fan = propose_sink(shelf, rules, state.conduction + state.recovery)
        fields = {"sink": sink, "fan": fan} | fields
    return RectifierBuild.within(fields)


def _choose_diode(
    need: RectifierNeed, damped: bool, pins: dict[str, Any], shelf: Shelf, rules: Rules
) -> Diode:  # fmt: skip
    parts = shelf.all(Diode)
    if "diode" in pins:
        return shelf.get(Diode, pins["diode"])
    diode = shelf.columns(Diode)
    average = float(book.diode_average(I_out=need.current))
    rms = book.diode_rms(I_out=need.current)
    conduction = book.diode_conduction(V_0=diode.v_0, I_avg=average, r=diode.r, I_rms=rms)
    recovery = book.diode_recovery(V=need.v_sec, Q_rr=recovered_charge(diode, need.current),
                                   f=need.frequency)
    overshoot = step_overshoot(DAMPER_RATIO if damped else 0.0)
    damper = DAMPER_RATIO * (2 * diode.c_j + WINDING_CAPACITANCE) * need.v_sec**2 * 2 * need.frequency
    peak = need.v_sec_max * overshoot
    share = book.recovery_share(t_rr=diode.t_rr, f=need.frequency)
    trouble = (
        np.maximum(0, peak / (diode.v_rating * (1 - rules.diode_voltage_margin)) - 1)
        + np.maximum(0, average / (diode.i_rating * (1 - rules.diode_current_margin)) - 1)
        + np.maximum(0, share / rules.recovery_share - 1)
        + np.maximum(0, (conduction + recovery) * (diode.r_jc + rules.pad_resistance) / 40 - 1)
    )  # fmt: skip
    score = 4 * diode.price + rules.watt_worth * (4 * (conduction + recovery) + damper * damped)
    return parts[int(np.argmin(np.where(trouble > 0, 1e6 * (1 + trouble), score)))]


def assess(
    need: RectifierNeed, build: RectifierBuild, brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> RectifierState:  # fmt: skip
    """Reverse voltage with its ring, diode and choke losses and temperatures."""
    work, f = ledger.work, need.frequency
    diode = shelf.get(Diode, build.diode)
    air = brief.targets.ambient + rules.enclosure_rise
    stray = stray_capacitance(diode)
    duty = min(1.0, max(need.duty, 1e-4))
    impedance = math.sqrt(max(need.leakage, 1e-15) / stray)
    overshoot = (
        step_overshoot(round(build.damper_capacitor / stray, 2), round(max(build.damper_resistor / impedance, 0.01), 2))
        if build.damper == "RC" else step_overshoot(0.0)
    )  # fmt: skip
    ring = need.v_sec * (overshoot - 1)
    reverse = work("rectifier.reverse", book.bridge_reverse, ratio=need.ratio, V_max=need.v_sec / need.ratio,
                   V_spike=ring)
    average = work("rectifier.average", book.diode_average, I_out=need.current)
    ripple = work("rectifier.ripple", book.choke_ripple, V_sec=max(need.v_sec, need.v_link), V_out=need.v_link,
                  D_tot=duty, L=build.inductance, f_s=f)  # fmt: skip
    rms = work("rectifier.diode_rms", book.diode_rms, I_out=need.current)
    conduction = 4 * work("rectifier.diode_conduction", book.diode_conduction, V_0=diode.v_0, I_avg=average, r=diode.r,
                          I_rms=rms)  # fmt: skip
    recovery = 4 * work("rectifier.diode_recovery", book.diode_recovery, V=need.v_sec, f=f,
                        Q_rr=recovered_charge(diode, need.current - ripple / 2))  # fmt: skip
    each = (conduction + recovery) / 4
    junction = hottest_junction(
        KEY, lambda _: (each, 4 * each), diode.r_jc, diode.t_j_max, air, sink_resistance(shelf, build.sink, build.fan), rules,
        ledger)  # fmt: skip
    damper = work("rectifier.damper_loss", clamps.damper_power, C_d=build.damper_capacitor, V=need.v_sec,
                  f=2 * f) if build.damper == "RC" else 0.0  # fmt: skip
    peak = need.current + ripple / 2
    made = choke_of(build, shelf)
    ripple_rms = work("rectifier.ripple_rms", link.triangle_rms, dI=ripple)
    asked = ChokeNeed(build.inductance, peak, need.current, ripple, ripple_rms, 2 * f, air)
    lost = choke_loss(made, asked, need.choke_celsius, duty, 1.0, ledger, "rectifier")
    warm = ledger.total("rectifier.choke_temperature", {
        "air in the case": air, "rise": rise(lost.total, made.stack.surface)})  # fmt: skip
    return RectifierState(
        reverse=reverse, ring=ring, average=average, ripple=ripple, choke_peak=peak,
        choke_flux=work("rectifier.choke_flux", wound.choke_flux, L=build.inductance, I_pk=peak, N=build.turns,
                        A_e=made.stack.a_e),
        minimum_load=work("rectifier.minimum_load", book.minimum_load, dI=ripple),
        drop=diode.v_0 + diode.r * need.current, junction=junction, conduction=conduction, recovery=recovery,
        damper_loss=damper, choke_copper=lost.copper, choke_core=lost.core, choke_resistance=lost.resistance,
        choke_temperature=warm,
        recovery_share=work("rectifier.recovery_share", book.recovery_share, t_rr=diode.t_rr, f=f),
        link=need.v_link, loss=ledger.total("rectifier.loss", {
            "diode conduction": conduction, "diode recovery": recovery, "damper": damper, "choke": lost.total}),
    )  # fmt: skip


def parts(build: RectifierBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Diodes, damper, choke, heat-sink."""
    found = [fitted("rectifier diode", shelf.get(Diode, build.diode), 4),
             fitted("rectifier heat-sink", shelf.get(HeatSink, build.sink)), 
             *choke_parts(build, shelf, "link choke")]  # fmt: skip
    if build.damper == "RC":
        found.append(fitted("damper resistor", shelf.get(Resistor, build.damper_part)))
    return tuple(found)


def report(sheet: Sheet, power_in: float) -> BlockReport:
    """The rectifier's figures and findings."""
    build: RectifierBuild = sheet.build  # type: ignore[assignment]
    rules, now = sheet.rules, sheet.now
    diode, made = sheet.shelf.get(Diode, build.diode), choke_of(build, sheet.shelf)
    reverse = sheet.limited("reverse", r"V_{R,pk}", "Diode reverse voltage, peak", "V", diode.v_rating,
                            rules.diode_voltage_margin)  # fmt: skip
    current = sheet.limited("average", r"I_{F}", "Mean current of one diode", "A", diode.i_rating,
                            rules.diode_current_margin, over=STEADY)  # fmt: skip
    junction = sheet.limited("junction", "T_j", "Diode junction", "degC", diode.t_j_max,
                             1 - rules.junction_limit / diode.t_j_max, over=STEADY)  # fmt: skip
    slow = sheet.limited("recovery_share", r"t_{rr} f", "Recovery, share of period", "%",
                         2 * rules.recovery_share, 0.5)  # fmt: skip
    stress = show_stress(sheet, made, "choke_", "Choke")
    sheet.choice("diode", "D_1–D_4", "Diode")
    sheet.choice("damper", "", "RC damper")
    if build.damper == "RC":
        series = sheet.shelf.get(Resistor, build.damper_part)
        sheet.choice("damper_capacitor", "C_d", "Damper capacitor")
        sheet.choice("damper_resistor", "R_d", "Damper resistor")
        sheet.choice("damper_part", "", "Damper resistor type")
        burnt = sheet.limited("damper_loss", "P_d", "Burnt in the damper", "W", series.power, rules.resistor_margin,
                              over=STEADY)  # fmt: skip
        if burnt.severity:
            sheet.find("damper_heat", burnt.severity, "The damper resistor is too small",
                       f"{fmt(burnt.value, 'W')} in a {series.label} resistor.", "Use a stronger series.", worst=burnt,
                       cures=(("Let the proposal choose it", {"rectifier.damper_part": None}),))  # fmt: skip
    sheet.choice("inductance", "L", "Link choke")
    show_winding(sheet, made, "Choke")
    sheet.result("ripple", r"\Delta I", "Choke ripple", "A")
    sheet.result("minimum_load", r"I_{\min}", "Least continuous load", "A")
    sheet.choice("sink", "", "Heat-sink")
    sheet.choice("fan", "", "Fan")
    sheet.result("loss", "P", "Loss, diodes to choke", "W")
    if reverse.severity:
        cures: list[tuple[str, dict[str, PinValue]]] = []
        at: RectifierState = sheet.states[reverse.point]
        damper: dict[str, PinValue] = {f"rectifier.damper{s}": None for s in ("", "_capacitor", "_resistor", "_part")}
        if build.damper == "none":
            cures.append(("Fit an RC damper", damper))
        cures.append(("Use diodes of a higher rating", {"rectifier.diode": None, **damper}))
        sheet.find("reverse", reverse.severity, "Diode reverse voltage too high" if reverse.severity == "stop"
                   else "Diodes close to their reverse rating",
                   f"At the highest input the secondary gives {fmt(at.reverse - at.ring, 'V')} and "
                   f"rings {fmt(at.ring, 'V')} higher: {fmt(reverse.value, 'V')} on "
                   f"{short(diode.v_rating, 'V')} diodes, though the link is only {fmt(now.link, 'V')}.",
                   "Damp the ring, use diodes of a higher rating, or a lower turns ratio.", worst=reverse,
                   cures=tuple(cures))  # fmt: skip
    if current.severity:
        sheet.find("current", current.severity, "The diodes are too small",
                   f"{fmt(current.value, 'A')} mean in each.", "Use larger diodes.", worst=current,
                   cures=(("Let the proposal choose the diode", {"rectifier.diode": None}),))  # fmt: skip
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
                       "rectifier.diode": None, "rectifier.sink": None, "rectifier.fan": None}),))  # fmt: skip
    judge(sheet, made, stress, "choke_", "link choke")
    return sheet.close(
        diode.recovery, "peak reverse voltage counts at the highest battery, ring included", power_in,
        power_in - now.loss,
        {"diode": diode.label, "choke": fmt(build.inductance, "H"), "reverse": fmt(reverse.value, "V"),
         "current": fmt(2 * now.average, "A"), "ripple": fmt(now.ripple, "A"),
         "damper": "none" if build.damper == "none" else
         f"{fmt(build.damper_capacitor, 'F')}, {fmt(build.damper_resistor, 'ohm')}"})  # fmt: skip
