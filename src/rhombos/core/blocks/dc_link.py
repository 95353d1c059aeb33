"""The DC link: its voltage, the capacitors that carry the output's pulsation, and the bleeder that empties them."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from pydantic import Field

from rhombos.core.blocks.base import Build, by_route, part, propose_resistor, remembered
from rhombos.core.book import link as book
from rhombos.core.book import source
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import DcOutput
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted, resistor
from rhombos.core.frame.keys import Key
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Capacitor, Resistor, Shelf
from rhombos.core.units.preferred import at_most
from rhombos.core.units.quantities import Ohm, Volt
from rhombos.core.waves.pulsation import STILL, Drawn, Pulsation

KEY: Key[DcLinkBuild, LinkState] = Key("dc_link")
TITLE = "Link"
SLOW_RIPPLE = 1.4
"""What a twice-line ampere counts against a rating given at 100 kHz: the series resistance is about twice as high there."""
VOLT_STEP = 5.0
MOST_CANS = 8
STEP_FALLS = 0.1
"""How far a stepped output, which is the link itself, may fall at a step of its load, share of it."""
STEP_RESERVE = 1.08
"""What rounds may still add to the power of a step, and take from the room that it has."""
RESERVE = 1.03
"""What the next round of settling may still add to a current."""


class DcLinkBuild(Build):
    """Voltage, capacitors and bleeder."""

    voltage: Volt = Field(ge=10, le=1650, title="Link voltage")
    capacitor: str = part("capacitor", "Link capacitor")
    count: int = Field(ge=1, le=40, title="Link capacitors in parallel")
    bleeder: Ohm = Field(ge=100, le=10e6, title="Bleeder")
    bleeder_part: str = part("resistor", "Bleeder series")
    banks: int = by_route("Banks in series")
    held: bool = by_route("Held by the duty")


@dataclass(frozen=True, slots=True)
class LinkNeed:
    """Apparent output power, VA; what the bridge draws: peak output current, A, modulation index, power factor; mean
    current, A; ripple of the link choke, peak to peak, A; peak fundamental the bridge must make, V; for a stepped wave what
    it makes of the bank; the link's mean where nothing holds it, and as far as it climbs unloaded, V; what of
    the output's pulsation the bank keeps. Where the link is the socket itself, `bridge_peak` is the minimum that it may stand
    at, `direct` is the frequency of one switch of its stage, Hz, and `answers` that at which its loop is meant to cross over;
    else they are 0."""

    apparent: float
    peak_current: float
    modulation: float
    power_factor: float
    current: float
    choke_ripple: float
    bridge_peak: float
    drawn: Drawn | None = None
    level: float | None = None
    climb: float = 0.0
    swing: Pulsation = STILL
    direct: float = 0.0
    answers: float = 0.0


@dataclass(frozen=True, slots=True)
class LinkState:
    """Voltages, V; currents, A; energy, J; time, s; power, W."""

    voltage: float
    ripple: float
    peak: float
    trough: float
    needed: float
    slow_current: float
    fast_current: float
    can_current: float
    bleeder_power: float
    stored: float
    safe_time: float
    capacitor_loss: float
    loss: float


def stepped_voltage(rms: float, fraction: float, drop: float) -> float:
    """The link voltage, in whole volts, of a square or three-level wave of an RMS value behind a drop, V."""
    return float(round(rms / math.sqrt(fraction) + drop))


def least_voltage(bridge_peak: float, ripple_share: float, rules: Rules, floor: float = 0.0) -> float:
    """The lowest link voltage, in steps of 5 V, whose ripple trough still makes the full sine; or `floor`, if that is
    one step more."""
    needed = float(book.link_needed(V_bridge=bridge_peak, M_max=rules.modulation_limit))
    wanted = needed / (1 - ripple_share / 2 - rules.link_tolerance)
    least = VOLT_STEP * math.ceil(wanted / VOLT_STEP - 1e-6)
    return least + VOLT_STEP if abs(floor - least - VOLT_STEP) < 1e-3 else least


def capacitance(build: DcLinkBuild, shelf: Shelf) -> float:
    """The whole bank, F."""
    return build.count * shelf.get(Capacitor, build.capacitor).c / build.banks


def highest(build: DcLinkBuild, need: LinkNeed, line: float, shelf: Shelf, rules: Rules) -> float:
    """Top of the ripple above the set-point's tolerance, V, at an output frequency, Hz; or what a link that nothing holds
    climbs to with little load."""
    level = need.level or build.voltage
    top = level * (1 + _tolerance(build, rules)) + _ripple(need, level, _bank(build, shelf), line, SILENT) / 2
    return top if build.held else max(top, need.climb)


def _tolerance(build: DcLinkBuild, rules: Rules) -> float:
    """Of the set-point; a link that nothing holds has none."""
    return rules.link_tolerance if build.held else 0.0


Bank = tuple[float, float]
"""Capacitance, F, and series resistance, Ω, of all cans."""


def _bank(build: DcLinkBuild, shelf: Shelf) -> Bank:
    return capacitance(build, shelf), shelf.get(Capacitor, build.capacitor).esr * build.banks / build.count


def _ripple(need: LinkNeed, voltage: float, cans: Bank, line: float, worksheet: Worksheet) -> float:
    """Ripple at twice the line, peak to peak, V; of a link that is the socket itself, the stage's own."""
    bank, esr = cans
    if need.direct:
        common = {"dI": need.choke_ripple, "ESR": esr, "f_s": need.direct, "C": bank}
        if need.level is None:
            return worksheet.work("dc_link.ripple", book.smoothed_ripple, **common)
        return worksheet.work("dc_link.ripple", book.pulsed_ripple, I_out=max(need.current, 1e-6), **common)
    if need.drawn is None:
        return worksheet.work("dc_link.ripple", book.ripple_kept, kept=need.swing.ripple, S=need.apparent, f_line=line, C=bank,
                           V_dc=voltage)  # fmt: skip
    return worksheet.work("dc_link.ripple", book.stepped_ripple, kept=need.swing.ripple, I_in=need.current,
        k_swing=need.drawn.swing,
                       f_line=line, C=bank)  # fmt: skip


def _slow_current(need: LinkNeed, voltage: float, worksheet: Worksheet) -> float:
    """Current of the bank at twice the line and its harmonics, RMS, A."""
    if need.direct:
        return 0.0
    if need.drawn is None:
        return worksheet.work("dc_link.slow_current", book.current_kept, kept=need.swing.current, S=need.apparent, V_dc=voltage)
    return worksheet.work("dc_link.slow_current", book.stepped_current, kept=need.swing.current, I_in=need.current,
                       k_heat=need.drawn.heat)  # fmt: skip


@remembered
def propose(
    need: LinkNeed, brief: Brief, pins: Fields, shelf: Shelf, rules: Rules
) -> DcLinkBuild:  # fmt: skip
    """Voltage from the sine it must make, capacitors for ripple and its current, bleeder for the touch-safe time."""
    fields: Fields = {"banks": 1, "held": True} | pins
    voltage = fields.setdefault("voltage", least_voltage(need.bridge_peak, rules.link_ripple, rules))
    if "capacitor" not in fields or "count" not in fields:
        fields = _cans(need, voltage, brief, fields, shelf, rules) | fields
    banks = fields["banks"]
    can = shelf.get(Capacitor, fields["capacitor"])
    bank = fields["count"] * can.c / banks
    surge = brief.power.surge / brief.power.continuous
    surged = replace(need, apparent=surge * need.apparent, current=surge * need.current)
    top = _highest_mean(need, fields, rules) + _ripple(
        surged, voltage, (bank, can.esr * banks / fields["count"]), brief.output.frequency, SILENT) / 2  # fmt: skip
    if "bleeder" not in fields:
        volts = max(top, 1.1 * rules.safe_voltage)
        ohms = book.bleed_time.invert("R", {"C": bank, "V": volts, "V_safe": rules.safe_voltage, "t": rules.bleed_time})
        fields["bleeder"] = at_most(min(10e6, max(100.0, ohms * 0.95)))
    watts = book.bleeder_power(V=top, R=fields["bleeder"])
    fields.setdefault("bleeder_part", propose_resistor(shelf, rules, fields["bleeder"] / banks, watts / banks, top / banks))
    return DcLinkBuild.within(fields)


def _highest_mean(need: LinkNeed, fields: Fields, rules: Rules) -> float:
    """The highest mean that the link is proposed for, V: its set-point with tolerance, or as far as it follows and climbs."""
    if fields["held"]:
        return float(fields["voltage"] * (1 + rules.link_tolerance))
    return max(need.level or fields["voltage"], need.climb)


def _cans(
    need: LinkNeed, voltage: float, brief: Brief, pins: Fields, shelf: Shelf, rules: Rules
) -> Fields:  # fmt: skip
    slow = _slow_current(need, voltage, SILENT) * SLOW_RIPPLE
    fast = book.combined_ripple.work({"I_rms": _switching_current(need), "dI": need.choke_ripple})
    current = RESERVE * math.hypot(slow, fast)
    line, banks = brief.output.frequency, pins["banks"]
    pulsation = 0.0 if need.direct else _ripple(need, voltage, (1.0, 0.0), line, SILENT)
    surge = 1.0 if need.direct else brief.power.surge / brief.power.continuous
    allowed = ripple_allowed(brief, rules) * voltage
    bank = banks * max(pulsation / allowed, _for_a_step(need, voltage, brief, pins, rules))
    families = ("electrolytic", "film dc") if need.direct else ("electrolytic",)
    best: tuple[float, str, int] | None = None
    for can in shelf.all(Capacitor):
        if can.family not in families or pins.get("capacitor", can.id) != can.id:
            continue
        count = max(math.ceil(bank / can.c - 1e-9), math.ceil(current / (can.i_ripple * (1 - rules.ripple_current_margin))))
        of_one = banks * pulsation / can.c
        if need.direct:
            of_one = _ripple(need, voltage, (can.c / banks, can.esr * banks), line, SILENT)
            jumps = can.esr * banks * need.current / (voltage - need.bridge_peak)  # at a step, before anything answers
            count = max(count, math.ceil(RESERVE * max(of_one / allowed, jumps)))
        count = int(pins.get("count", max(1, count)))
        top = _highest_mean(need, pins, rules) + RESERVE * surge * of_one / count / 2
        if "capacitor" not in pins and banks * can.v_rating * (1 - rules.link_capacitor_margin) < top:
            continue
        key = (count * can.price + 0.2 * count + 100 * max(0, count - MOST_CANS), can.id, count)
        best = key if best is None or key < best else best
    if best is None:
        tallest = max(shelf.all(Capacitor), key=lambda c: (c.family == "electrolytic", c.v_rating, c.c))
        best = (0.0, tallest.id, max(1, math.ceil(bank / tallest.c)))
    return {"capacitor": best[1], "count": min(best[2], 40)}


def _for_a_step(need: LinkNeed, voltage: float, brief: Brief, pins: Fields, rules: Rules) -> float:
    """Capacitance that keeps a sine's crest whole, or a stepped wave up, at a step from nothing to full power, F."""
    power, floor, swinging = need.current * voltage, need.bridge_peak, need.apparent
    if need.direct:
        asked = {"P": power, "f_x": need.answers, "V_dc": voltage, "dV": voltage - floor}
        return STEP_RESERVE * book.step_dip.invert("C", asked) if pins["held"] else 0.0
    if need.drawn is not None:
        floor, swinging = (1 - STEP_FALLS) * voltage, need.drawn.swing * power / 2
    room = voltage * (1 - rules.link_tolerance) - floor
    if room < 0.01 * voltage or not pins["held"]:
        return 0.0
    return STEP_RESERVE * book.bank_for_step.work({
        "P": power, "S": swinging, "kept": need.swing.ripple, "f_line": brief.output.frequency,
        "V_dc": voltage, "dV": room})  # fmt: skip


def _switching_current(need: LinkNeed) -> float:
    """RMS at switching frequency that the bridge draws, A; zero when idle."""
    if need.peak_current <= 0 or need.drawn is not None:
        return 0.0
    return float(book.link_switching_current(
        I_pk=need.peak_current, M=min(need.modulation, 1.0), cos_phi=need.power_factor))  # fmt: skip


def assess(need: LinkNeed, build: DcLinkBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet) -> LinkState:
    """Ripple, currents, energy and what the bleeder burns."""
    work, can, v = worksheet.work, shelf.get(Capacitor, build.capacitor), need.level or build.voltage
    bank = capacitance(build, shelf)
    ripple = _ripple(need, v, _bank(build, shelf), brief.output.frequency, worksheet)
    slow = _slow_current(need, v, worksheet)
    bridge = 0.0
    if need.peak_current > 0 and need.drawn is None:
        bridge = work("dc_link.bridge_current", book.link_switching_current, I_pk=need.peak_current,
                      M=min(need.modulation, 1.0), cos_phi=need.power_factor)  # fmt: skip
    fast = work("dc_link.fast_current", book.combined_ripple, I_rms=bridge, dI=need.choke_ripple)
    heating = math.hypot(slow * SLOW_RIPPLE, fast)
    capacitors = work("dc_link.capacitor_loss", source.ohmic_loss, I_rms=heating, R=can.esr * build.banks / build.count)
    bleeder = work("dc_link.bleeder_power", book.bleeder_power, V=v, R=build.bleeder)
    return LinkState(
        voltage=v, ripple=ripple,
        peak=worksheet.total("dc_link.peak", {
            "set-point": v, "tolerance": v * rules.link_tolerance, "half the ripple": ripple / 2} if build.held else {
            "mean": v, "climbs with little load": max(0.0, need.climb - v - ripple / 2), "half the ripple": ripple / 2}),
        trough=v * (1 - _tolerance(build, rules)) - ripple / 2,
        needed=work("dc_link.needed", book.link_needed, V_bridge=need.bridge_peak,
                    M_max=1.0 if need.drawn is not None or need.direct else rules.modulation_limit),
        slow_current=slow, fast_current=fast, can_current=heating / build.count, bleeder_power=bleeder,
        stored=work("dc_link.stored", book.stored_energy, C=bank, V=v),
        safe_time=work("dc_link.safe_time", book.bleed_time, R=build.bleeder, C=bank, V=max(v, rules.safe_voltage),
                       V_safe=rules.safe_voltage),
        capacitor_loss=capacitors,
        loss=worksheet.total("dc_link.loss", {"capacitors": capacitors, "bleeder": bleeder}),
    )  # fmt: skip


def ripple_allowed(brief: Brief, rules: Rules) -> float:
    """Ripple of the link, peak to peak, over its voltage: the house's, or that of the socket which it is."""
    return brief.output.ripple if isinstance(brief.output, DcOutput) else rules.link_ripple


def banks_for(voltage: float, ripple: float, shelf: Shelf, rules: Rules) -> int:
    """How many banks in series stand a link, V, with its tolerance and ripple, share of it, in the tallest cans there are. A
    can that is pinned asks for none: too weak a one is told."""
    rating = max((c.v_rating for c in shelf.all(Capacitor) if c.family == "electrolytic"), default=voltage)
    top = voltage * (1 + rules.link_tolerance + RESERVE * ripple / 2)
    return max(1, math.ceil(top / (rating * (1 - rules.link_capacitor_margin)) - 1e-9))


def parts(build: DcLinkBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Capacitors and bleeder."""
    can, bleeder = shelf.get(Capacitor, build.capacitor), shelf.get(Resistor, build.bleeder_part)
    return (
        fitted("C1", "link capacitor", can, build.count * build.banks, fields=("capacitor",)),
        resistor("R1", "bleeder", bleeder, build.bleeder, ("bleeder_part", "bleeder"), build.banks),
    )
