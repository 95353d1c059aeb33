"""The fast rectifier on the secondary, its damper, and the choke, if any, that lets the duty regulate the link."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from rhombos.core.blocks.base import (
    options,
    part,
    propose_resistor,
    recovered_charge,
    remembered,
)  # fmt: skip
from rhombos.core.blocks.cooling import hottest_junction, propose_sink, sink_resistance, steady_limit
from rhombos.core.blocks.wound import ChokeBuild, choke_of, choke_parts, wind
from rhombos.core.book import clamp as clamps
from rhombos.core.book import link, source, stage
from rhombos.core.book import magnetics as wound
from rhombos.core.book import rectifier as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted, resistor
from rhombos.core.frame.keys import Key
from rhombos.core.frame.topology import IN_SERIES, RECTIFIERS, Rectifying
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.choke import ChokeNeed, choke_loss
from rhombos.core.magnetics.stack import rise
from rhombos.core.parts import Diode, HeatSink, Resistor, Shelf
from rhombos.core.units.preferred import E12, at_least, nearest
from rhombos.core.units.quantities import Farad, Number, Ohm
from rhombos.core.waves.pulsation import STILL, Pulsation
from rhombos.core.waves.ring import step_overshoot

KEY: Key[RectifierBuild, RectifierState] = Key("rectifier")
TITLE = "Rectifier"
WINDING_CAPACITANCE = 30e-12
"""Capacitance of the secondary and its leads, F: a typical figure until it is measured."""
ROUNDED = 1.015
"""What rounding a damper's resistor and capacitor to preferred values may add to the highest reverse voltage."""
DAMPER_RATIOS = (1.5, 2.0, 3.0)
"""Damper's capacitor over the stray one: the more, the less it rings and the more it burns."""
RAMP = 1e-3
"""Length of a pulse in time constants below which it is a ramp, whatever the resistance: less is lost in rounding."""


class RectifierBuild(ChokeBuild):
    """The circuit, its diodes, the damper across them, and the link choke (wound only where the circuit has one)."""

    circuit: str = options("Rectifier", *RECTIFIERS)
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
    switch's frequency, Hz; leakage seen from the secondary, H; turns ratio; temperature the choke is taken to have, °C;
    resistance that a pulse meets, seen from the secondary, Ω, and the bleeder, the one load that never goes, Ω (without a
    choke); how the current swings at twice the line; the lowest that the link is set to, V, where it is adjustable."""

    v_sec: float
    v_sec_max: float
    v_link: float
    current: float
    duty: float
    frequency: float
    leakage: float
    ratio: float
    choke_celsius: float = 80.0
    resistance: float = 0.0
    bleeder: float = math.inf
    swing: Pulsation = STILL
    v_least: float = math.inf

    @property
    def v_hardest(self) -> float:
        """The link at which the choke's ripple is largest on the highest input, V: half the secondary's voltage, or as near to
        it as it is ever set."""
        return min(self.v_link, max(self.v_least, self.v_sec_max / 2))


@dataclass(frozen=True, slots=True)
class RectifierState:
    """Voltages, V; currents, A (`current` is the link's mean, `pulse` and `pulse_peak` the secondary's, `winding_pulse`
    the flat one that heats it alike but for its form, `feed_ripple` the peak to peak of a triangle that heats the link's bank
    alike); losses, W; temperatures, °C."""

    current: float
    pulse: float
    pulse_peak: float
    winding_pulse: float
    form: float
    feed_ripple: float
    unloaded: float
    leakage_drop: float
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


def stray_capacitance(junction: Number) -> Number:
    """What the leakage rings with, F: two blocking diodes' capacitance, each F, and the winding's; for one or for many."""
    return 2 * junction + WINDING_CAPACITANCE


@remembered
def propose(
    need: RectifierNeed, surge_current: float, brief: Brief, pins: Fields, shelf: Shelf, rules: Rules
) -> RectifierBuild:  # fmt: skip
    """Diodes by voltage, speed and loss; damper matched to the ring; choke for the rules' ripple at the highest input."""
    fields: Fields = {"circuit": "bridge"} | pins
    how = RECTIFIERS[fields["circuit"]]
    ratios = DAMPER_RATIOS if fields.get("damper", "RC") == "RC" else (0.0,)
    diode, ratio = _choose_diode(need, how, ratios, brief, fields, shelf, rules)
    fields["diode"] = diode.id
    stray = stray_capacitance(diode.c_j)
    capacitor = fields.setdefault("damper_capacitor", at_least(max(1e-12, (ratio or 1.0) * stray), E12))
    fields.setdefault("damper_resistor", nearest(
        min(1e6, max(1.0, float(clamps.damper_resistor(
            L_lk=max(need.leakage / how.parts**2, 1e-12), C_par=stray)))), E12))  # fmt: skip
    heat_in = clamps.damper_power(C_d=capacitor, V=need.v_sec_max / how.parts, f=2 * need.frequency)
    fields.setdefault("damper_part", propose_resistor(shelf, rules, fields["damper_resistor"], heat_in, 0))
    fields.setdefault("damper", "RC")
    if "inductance" not in fields:
        wanted = book.choke_inductance(
            V_sec=need.v_sec_max, V_out=need.v_hardest, D_tot=min(1.0, need.v_hardest / need.v_sec_max),
            dI=rules.choke_ripple * need.current, f_s=need.frequency)  # fmt: skip
        fields["inductance"] = float(f"{min(1.0, max(1e-6, float(wanted))):.2g}")
    ripple = float(book.choke_ripple(
        V_sec=max(need.v_sec_max, need.v_hardest), V_out=need.v_hardest, D_tot=min(1.0, need.v_hardest / need.v_sec_max),
        L=fields["inductance"], f_s=need.frequency))  # fmt: skip
    air = brief.targets.ambient + rules.enclosure_rise
    wanted_choke = ChokeNeed(fields["inductance"], 1.05 * surge_current + ripple / 2, need.current * need.swing.rms, ripple,
                             ripple / math.sqrt(12), 2 * need.frequency, air)  # fmt: skip
    fields = wind(wanted_choke, fields, shelf, rules)
    if "sink" not in fields or "fan" not in fields:
        draft = RectifierBuild.within({"sink": shelf.all_ids("heat_sink")[0], "fan": False} | fields)
        state = assess(replace(need, v_sec=need.v_sec_max), draft, brief, shelf, rules, SILENT)
        sink, fan = propose_sink(shelf, rules, state.conduction + state.recovery)
        fields = {"sink": sink, "fan": fan} | fields
    return RectifierBuild.within(fields)


def least_damper(v_sec_max: float, current: float, how: Rectifying, shelf: Shelf, rules: Rules) -> float:
    """The smallest capacitor, F, that damps any of the diodes which stand a winding's highest voltage, V, and a link's current,
    A; where none does, that of the one for the highest voltage."""
    diode, ratio = shelf.columns(Diode), DAMPER_RATIOS[0]
    stray = stray_capacitance(diode.c_j)
    stands = _standing(v_sec_max, current, how, ratio, shelf, rules)
    return ratio * float(stray[stands].min() if stands.any() else stray[diode.v_rating.argmax()])


def _standing(v_sec_max: float, current: float, how: Rectifying, ratio: float, shelf: Shelf, rules: Rules) -> NDArray[np.bool_]:
    """Which diodes stand a winding's highest voltage, V, with its ring behind a damper of so many times the stray capacitance,
    and a link's current, A."""
    diode = shelf.columns(Diode)
    able = diode.v_rating * (1 - rules.diode_voltage_margin) >= _ringing(v_sec_max, how, step_overshoot(ratio))
    able &= diode.i_rating * (1 - rules.diode_current_margin) >= float(book.diode_average(I_out=how.gain * current))
    return np.asarray(able, dtype=np.bool_)


def bridges_for(v_sec_max: float, current: float, shelf: Shelf, rules: Rules) -> Rectifying:
    """The fewest bridges in series whose diodes stand a winding's highest voltage, V, and a link's current, A; where none do,
    the most there are."""
    series = [RECTIFIERS[name] for name in IN_SERIES]
    able = (how for how in series if _standing(v_sec_max, current, how, DAMPER_RATIOS[-1], shelf, rules).any())
    return next(able, series[-1])


def _ringing(v_sec_max: float, how: Rectifying, overshoot: Number) -> Number:
    """Highest reverse voltage, V, that a diode is chosen for; for one overshoot or for many."""
    return ROUNDED * v_sec_max * how.reverse * (overshoot**0 if how.gain == 2 else overshoot)


def _choose_diode(
    need: RectifierNeed, how: Rectifying, ratios: tuple[float, ...], brief: Brief, pins: Fields, shelf: Shelf,
    rules: Rules,
) -> tuple[Diode, float]:  # fmt: skip
    """The diode, and its damper's capacitor over the stray one, of lowest cost and worth of loss."""
    parts, diode = shelf.all(Diode), shelf.columns(Diode)
    average = float(book.diode_average(I_out=how.gain * need.current))
    if how.choke:
        rms, pulse = book.diode_rms(I_out=need.current * need.swing.rms), need.current
    else:  # one time constant: between a flat pulse and a ramp
        pulse = book.charging_pulse(gain_r=how.gain, I_out=need.current, D=need.duty / 2)
        rms = 1.08 * need.swing.rms * stage.switch_rms(I_pulse=pulse, D=need.duty / 2)
    conduction = book.diode_conduction(V_0=diode.v_0, I_avg=average, r=diode.r, I_rms=rms)
    recovery = book.diode_recovery(V=how.reverse * need.v_sec_max, Q_rr=recovered_charge(diode, pulse), f=need.frequency)
    each = np.array(ratios)[:, None]
    overshoot = np.array([[step_overshoot(ratio)] for ratio in ratios])
    damper = how.parts * clamps.damper_power(
        C_d=each * stray_capacitance(diode.c_j), V=need.v_sec / how.parts, f=2 * need.frequency)  # fmt: skip
    peak = _ringing(need.v_sec_max, how, overshoot)
    share = book.recovery_share(t_rr=diode.t_rr, f=need.frequency)
    allowed = steady_limit(rules, diode.t_j_max) - brief.targets.ambient - rules.enclosure_rise - rules.sink_rise
    trouble = (
        np.maximum(0, peak / (diode.v_rating * (1 - rules.diode_voltage_margin)) - 1)
        + np.maximum(0, average / (diode.i_rating * (1 - rules.diode_current_margin)) - 1)
        + np.maximum(0, share / rules.recovery_share - 1)
        + np.maximum(0, (conduction + recovery) * (diode.r_jc + rules.pad_resistance) / allowed - 1)
    )  # fmt: skip
    placed = shelf.column(Diode, "placed")
    score = how.diodes * (placed + rules.watt_worth * (conduction + recovery)) + rules.watt_worth * damper
    score = np.where(trouble > 0, 1e6 * (1 + trouble), score)
    if "diode" in pins:
        score = np.where(shelf.column(Diode, "id") == pins["diode"], score, np.inf)
    row, place = np.unravel_index(int(np.argmin(score)), score.shape)
    return parts[int(place)], ratios[int(row)]


def assess(
    need: RectifierNeed, build: RectifierBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> RectifierState:  # fmt: skip
    """Reverse voltage with its ring, diode and choke losses and temperatures."""
    work, f, how = worksheet.work, need.frequency, RECTIFIERS[build.circuit]
    diode = shelf.get(Diode, build.diode)
    air = brief.targets.ambient + rules.enclosure_rise
    stray = stray_capacitance(diode.c_j)
    overshoot = _overshoot(need, build, stray)
    ring = 0.0 if how.gain == 2 else how.reverse * need.v_sec * (overshoot - 1)  # it steps from all that the diode blocks
    part = need.v_sec / how.parts
    flow = _choked(need, build, how, worksheet) if how.choke else _charging(need, diode, how, overshoot, worksheet)
    if how.gain == 2:
        reverse = work("rectifier.reverse", book.doubler_reverse, V_out=max(flow.link, 1e-6))
    else:
        reverse = work("rectifier.reverse", book.centre_tap_reverse if how.reverse == 2 else book.bridge_reverse,
                       ratio=need.ratio, V_max=part / need.ratio, V_spike=ring)  # fmt: skip
    average = work("rectifier.average", book.diode_average, I_out=how.gain * need.current)
    conduction = how.diodes * work("rectifier.diode_conduction", book.diode_conduction, V_0=diode.v_0, I_avg=average,
                                   r=diode.r, I_rms=flow.diode_rms)  # fmt: skip
    recovery = how.diodes * work("rectifier.diode_recovery", book.diode_recovery, V=reverse - ring, f=f,
                                 Q_rr=recovered_charge(diode, flow.at_turn_off))  # fmt: skip
    each = (conduction + recovery) / how.diodes
    junction = hottest_junction(
        KEY, lambda _: (each, how.diodes * each), diode.r_jc, diode.t_j_max, air,
        sink_resistance(shelf, build.sink, build.fan), rules, worksheet)  # fmt: skip
    damper = work("rectifier.damper_loss", clamps.damper_power, C_d=build.damper_capacitor, V=part,
                  f=2 * f) if build.damper == "RC" else 0.0  # fmt: skip
    choked = _choke(need, build, flow, air, shelf, worksheet) if how.choke else NO_CHOKE
    return RectifierState(
        current=need.current, pulse=flow.pulse, pulse_peak=flow.peak, winding_pulse=flow.winding, form=flow.form,
        feed_ripple=flow.feed_ripple,
        unloaded=flow.unloaded, leakage_drop=flow.leakage_drop, reverse=reverse, ring=ring, average=average, ripple=flow.ripple,
        choke_peak=flow.peak,
        choke_flux=choked.flux, minimum_load=choked.minimum_load, drop=diode.v_0 + diode.r * flow.pulse, junction=junction,
        conduction=conduction, recovery=recovery, damper_loss=damper, choke_copper=choked.copper, choke_core=choked.core,
        choke_resistance=choked.resistance, choke_temperature=choked.temperature,
        recovery_share=work("rectifier.recovery_share", book.recovery_share, t_rr=diode.t_rr, f=f),
        link=flow.link, loss=worksheet.total("rectifier.loss", {
            "diode conduction": conduction, "diode recovery": recovery,
            "damper" if how.parts == 1 else "dampers": how.parts * damper,
            **({"choke": choked.copper + choked.core} if how.choke else {})}),
    )  # fmt: skip


def _overshoot(need: RectifierNeed, build: RectifierBuild, stray: float) -> float:
    """Peak of the ring over the step that starts it."""
    if build.damper == "none":
        return step_overshoot(0.0)
    impedance = math.sqrt(max(need.leakage, 1e-15) / stray) / RECTIFIERS[build.circuit].parts
    return step_overshoot(
        round(build.damper_capacitor / stray, 2), round(max(build.damper_resistor / impedance, 0.01), 2))  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Flow:
    """What flows, A: of the secondary while power flows its mean, peak, what heats alike, and its form; of one diode, and when
    it turns off; the
    link's ripple and what it heats the bank like; and the link, V, loaded and as far as it climbs without load, and what the
    leakage takes of it."""

    pulse: float
    peak: float
    winding: float
    form: float
    diode_rms: float
    at_turn_off: float
    ripple: float
    feed_ripple: float
    link: float
    unloaded: float
    leakage_drop: float = 0.0


def _choked(need: RectifierNeed, build: RectifierBuild, how: Rectifying, worksheet: Worksheet) -> _Flow:
    """A choke holds the current nearly still, and the duty holds the link."""
    ripple = worksheet.work("rectifier.ripple", book.choke_ripple, V_sec=max(need.v_sec, need.v_link), V_out=need.v_link,
                         D_tot=min(1.0, max(need.duty, 1e-4)), L=build.inductance, f_s=need.frequency)  # fmt: skip
    rms = worksheet.work("rectifier.diode_rms", book.diode_rms, I_out=need.current * need.swing.rms)
    crest = need.current * need.swing.peak
    duty, winding = min(0.5, max(need.duty / 2, 1e-4)), need.current
    if how.halves == 2:
        winding = worksheet.work("rectifier.half_rms", book.freewheeling_rms, I_out=need.current, D=duty) / math.sqrt(duty)
    return _Flow(need.current, crest + ripple / 2, winding, 1.0, rms, need.current - ripple / 2, ripple, ripple, need.v_link,
                 need.v_link)  # fmt: skip


def _charging(need: RectifierNeed, diode: Diode, how: Rectifying, overshoot: float, worksheet: Worksheet) -> _Flow:
    """Pulses charge the bank directly: leakage and resistance shape them, and the link follows what comes."""
    work, f, duty = worksheet.work, need.frequency, min(0.5, max(need.duty / 2, 1e-4))
    leakage = max(need.leakage, 1e-12)
    ramp = RAMP * leakage * f / duty
    way = {"R": max(need.resistance + how.series * diode.r, ramp), "D": duty, "L_lk": leakage, "f_s": f}
    pulse = work("rectifier.pulse", book.charging_pulse, gain_r=how.gain, I_out=need.current, D=duty)
    peak = work("rectifier.pulse_peak", book.charging_peak, I_pulse=pulse, **way)
    form = work("rectifier.form", book.charging_form, **way)
    lost = work("rectifier.leakage_drop", book.leakage_drop, L_lk=way["L_lk"], I_pk=peak, f_s=f, D=duty)
    link = work("rectifier.link", book.charged_link, gain_r=how.gain, V_sec=need.v_sec, V_drop=lost, n_d=how.series,
                V_F=diode.v_0 + diode.r * pulse)  # fmt: skip
    heating = work("rectifier.bank_current", source.shaped_ripple, I=need.current, form=form,
                   D_tot=min(1.0, 2 * duty / how.gain))  # fmt: skip
    climb = how.gain * work("rectifier.climb", book.unloaded_link, V_sec=need.v_sec, f_s=f, C_par=stray_capacitance(diode.c_j),
                            R=min(need.bleeder, 1e9) / how.gain)  # fmt: skip
    return _Flow(
        pulse, peak * need.swing.peak, pulse, form,
        form * need.swing.rms * work("rectifier.diode_rms", stage.switch_rms, I_pulse=pulse, D=duty), pulse, 0.0,
        math.sqrt(12) * heating, link, max(link, min(climb, how.gain * overshoot * need.v_sec)),
        lost)  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Choke:
    """What the link choke does: flux, T; current, A; losses, W; resistance, Ω; temperature, °C."""

    flux: float
    minimum_load: float
    copper: float
    core: float
    resistance: float
    temperature: float


NO_CHOKE = _Choke(0.0, 0.0, 0.0, 0.0, 0.0, 0.0)


def _choke(need: RectifierNeed, build: RectifierBuild, flow: _Flow, air: float, shelf: Shelf, worksheet: Worksheet) -> _Choke:
    made = choke_of(build, shelf)
    ripple_rms = worksheet.work("rectifier.ripple_rms", link.triangle_rms, dI=flow.ripple)
    asked = ChokeNeed(build.inductance, flow.peak, need.current * need.swing.rms, flow.ripple, ripple_rms, 2 * need.frequency,
                      air)  # fmt: skip
    lost = choke_loss(made, asked, need.choke_celsius, min(1.0, max(need.duty, 1e-4)), 1.0, worksheet, "rectifier")
    return _Choke(
        flux=worksheet.work("rectifier.choke_flux", wound.choke_flux, L=build.inductance, I_pk=flow.peak, N=build.turns,
                         A_e=made.stack.a_e),
        minimum_load=worksheet.work("rectifier.minimum_load", book.minimum_load, dI=flow.ripple),
        copper=lost.copper, core=lost.core, resistance=lost.resistance,
        temperature=worksheet.total("rectifier.choke_temperature", {
            "air in the case": air, "rise": rise(lost.total, made.stack.surface)}))  # fmt: skip


def parts(build: RectifierBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Diodes, damper, choke, heat-sink."""
    how = RECTIFIERS[build.circuit]
    found = [
        fitted("D1", "rectifier diode", shelf.get(Diode, build.diode), how.diodes, fields=("diode",)),
        fitted("HS1", "rectifier heat-sink", shelf.get(HeatSink, build.sink), fields=("sink",)),
    ]
    if how.choke:
        found += choke_parts(build, shelf, "link choke")
    if build.damper == "RC":
        series = shelf.get(Resistor, build.damper_part)
        fields = "damper_part", "damper_resistor"
        found.append(resistor("R1", "damper resistor", series, build.damper_resistor, fields, how.parts))
    return tuple(found)
