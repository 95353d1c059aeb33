"""Cable, fuse and input capacitors between battery and front end, and the control supply that hangs there."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from pydantic import Field

from rhombos.core.blocks.base import Build, by_route, part, remembered
from rhombos.core.book import source as book
from rhombos.core.brief import Brief
from rhombos.core.findings import Severity
from rhombos.core.inventory import Item, fitted
from rhombos.core.ledger import Ledger
from rhombos.core.magnetics.winding import copper_resistivity
from rhombos.core.parts import Capacitor, Fuse, Shelf
from rhombos.core.report import BlockReport
from rhombos.core.rules import Rules
from rhombos.core.sheet import Sheet
from rhombos.core.units import SquareMetre, fmt, short

KEY, TITLE = "input_stage", "Input"
CABLES = (1.5, 2.5, 4, 6, 10, 16, 25, 35, 50, 70, 95, 120, 150, 185, 240)
"""Standard conductor sections (IEC 60228), mm²."""
CABLE_CELSIUS = 60.0
CABLE_DENSITY = 6e6
"""Highest current density of a short battery cable in free air, A/m²."""
MOST_CABLE = 240e-6
RESERVE = 1.02
"""What the next round of settling may still add to a current."""
MOST_CANS = 24
BANK_IMBALANCE = 0.15
"""How much more than its share one of two capacitor banks in series may carry: their tolerance and leakage."""
CAN_PLACE = 0.45
"""Relative cost of one more can's place on the board."""


class InputStageBuild(Build):
    """Fuse, cable and input capacitor bank."""

    fuse: str = part("fuse", "Battery fuse")
    cable: SquareMetre = Field(ge=0.5e-6, le=400e-6, title="Cable section")
    capacitor: str = part("capacitor", "Input capacitor")
    count: int = Field(ge=1, le=60, title="Input capacitors in parallel")
    banks: int = by_route("Banks in series")


@dataclass(frozen=True, slots=True)
class InputNeed:
    """Mean current, A; duty of the pulses that the bank sees, or the ripple current it carries, A; mean square over squared
    mean of what the cable carries, where the bank cannot smooth it; RMS over mean of a pulse."""

    current: float
    duty: float
    ripple: float | None = None
    pulsation: float = 1.0
    form: float = 1.0


@dataclass(frozen=True, slots=True)
class InputState:
    """Drops, V; losses, W; what the capacitors carry, A."""

    cable_resistance: float
    drop: float
    drop_share: float
    cable_loss: float
    fuse_loss: float
    contact_loss: float
    ripple: float
    can_ripple: float
    capacitor_loss: float
    control: float
    fuse_load: float
    loss: float


def resistance(build: InputStageBuild, brief: Brief, shelf: Shelf, rules: Rules) -> float:
    """Cable, fuse and contacts together, Ω."""
    cable = book.cable_resistance(
        rho=copper_resistivity(CABLE_CELSIUS), length=brief.source.cable_length, A_cu=build.cable)  # fmt: skip
    return float(cable) + shelf.get(Fuse, build.fuse).resistance + rules.contact_resistance


def can_voltage(full: float, banks: int) -> float:
    """The highest voltage on one can, V: banks in series share unevenly."""
    return full if banks == 1 else full / banks * (1 + BANK_IMBALANCE)


@remembered
def propose(
    brief: Brief, current: float, ripple: float, pins: dict[str, Any], shelf: Shelf, rules: Rules
) -> InputStageBuild:  # fmt: skip
    """Fuse, cable and cans for the largest continuous current and its ripple, A."""
    empty, _, full = brief.source.volts
    fault = book.fault_current(E=full, R_s=brief.source.internal_resistance)
    if "fuse" not in pins:
        rated = book.fuse_rating(k_fuse=rules.fuse_factor, I=current * RESERVE)
        safe = [f for f in shelf.all(Fuse) if f.v_dc >= full and f.breaking >= fault]
        strongest = max(f.breaking for f in shelf.all(Fuse))
        pool = safe or [f for f in shelf.all(Fuse) if f.breaking == strongest]
        able = [f for f in pool if f.i_rating >= rated * 0.999]
        pins = pins | {"fuse": (min(able, key=lambda f: (f.i_rating, f.speed != "slow", f.price, f.id)) if able
                                else max(pool, key=lambda f: (f.i_rating, f.id))).id}  # fmt: skip
    if "cable" not in pins:
        allowed = rules.cable_drop * empty
        drop_area = copper_resistivity(CABLE_CELSIUS) * 2 * brief.source.cable_length * current / allowed
        fuse = shelf.get(Fuse, pins["fuse"]).i_rating
        wanted = max(drop_area, fuse / CABLE_DENSITY)
        pins = pins | {"cable": next((float(f"{a}e-6") for a in CABLES if a * 1e-6 >= wanted), MOST_CABLE)}
    if "capacitor" not in pins or "count" not in pins:
        pins = pins | _cans(full, ripple, pins, shelf, rules)
    return InputStageBuild.within(pins)


def _cans(full: float, ripple: float, pins: dict[str, Any], shelf: Shelf, rules: Rules) -> dict[str, Any]:
    best: tuple[float, str, int] | None = None
    wanted = can_voltage(full, pins["banks"]) / (1 - rules.input_capacitor_margin)
    for can in shelf.all(Capacitor):
        if can.family != "electrolytic" or pins.get("capacitor", can.id) != can.id:
            continue
        if "capacitor" not in pins and can.v_rating < wanted:
            continue
        count = int(pins.get("count", max(2, math.ceil(ripple * RESERVE / (can.i_ripple * (1 - rules.ripple_current_margin))))))
        short_of = max(0, count - MOST_CANS) * 10
        key = (count * (can.price + CAN_PLACE) + short_of, can.id, count)
        best = key if best is None or key < best else best
    if best is None:
        fallback = max(shelf.all(Capacitor), key=lambda c: (c.family == "electrolytic", c.v_rating, c.i_ripple))
        best = (0.0, fallback.id, 2)
    return {"capacitor": best[1], "count": min(best[2], 60)}


def assess(
    need: InputNeed, terminal: float, build: InputStageBuild, brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> InputState:  # fmt: skip
    """Drops and losses at a mean current."""
    fuse, can = shelf.get(Fuse, build.fuse), shelf.get(Capacitor, build.capacitor)
    cable = ledger.work(
        "input_stage.cable_resistance", book.cable_resistance, rho=copper_resistivity(CABLE_CELSIUS),
        length=brief.source.cable_length, A_cu=build.cable)  # fmt: skip
    drop = ledger.work(
        "input_stage.drop", book.ohmic_drop, I=need.current,
        R=(cable + fuse.resistance + rules.contact_resistance) * need.pulsation,
    )
    rms = need.current * math.sqrt(need.pulsation)
    cable_loss = ledger.work("input_stage.cable_loss", book.ohmic_loss, I_rms=rms, R=cable)
    fuse_loss = ledger.work("input_stage.fuse_loss", book.ohmic_loss, I_rms=rms, R=fuse.resistance)
    contacts = ledger.work("input_stage.contact_loss", book.ohmic_loss, I_rms=rms, R=rules.contact_resistance)
    share = min(1.0, max(need.duty, 1e-3))
    if need.ripple is not None:
        ripple = need.ripple
    elif need.form == 1.0:
        ripple = ledger.work("input_stage.ripple", book.pulsed_input_ripple, I_in=need.current, D_tot=share)
    else:
        ripple = ledger.work("input_stage.ripple", book.shaped_ripple, I=need.current, form=need.form, D_tot=share)
    each = ripple / build.count
    capacitors = ledger.work(
        "input_stage.capacitor_loss", book.ohmic_loss, I_rms=ripple, R=build.banks * can.esr / build.count)  # fmt: skip
    return InputState(
        cable, drop, drop / max(terminal, 1e-9), cable_loss, fuse_loss, contacts, ripple, each, capacitors,
        rules.control_power, rms,
        loss=ledger.total("input_stage.loss", {
            "cable": cable_loss, "fuse": fuse_loss, "contacts": contacts, "input capacitors": capacitors,
            "control supply": rules.control_power}))  # fmt: skip


def parts(build: InputStageBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Fuse and capacitors; the cable is bought by the metre."""
    return (fitted("battery fuse", shelf.get(Fuse, build.fuse)),
            fitted("input capacitor", shelf.get(Capacitor, build.capacitor), build.count * build.banks))  # fmt: skip


def report(sheet: Sheet, brief: Brief, power_in: float) -> BlockReport:
    """Fuse, cable and capacitors against what they must stand."""
    build: InputStageBuild = sheet.build  # type: ignore[assignment]
    rules, shelf = sheet.rules, sheet.shelf
    fuse, can = shelf.get(Fuse, build.fuse), shelf.get(Capacitor, build.capacitor)
    _, _, full = brief.source.volts
    fault = float(book.fault_current(E=full, R_s=brief.source.internal_resistance))
    sheet.choice("fuse", "F_1", "Battery fuse")
    load = sheet.limited("fuse_load", "I", "Fuse current, flat battery", "A", fuse.i_rating,
                         1 - 1 / rules.fuse_factor, over=("flat",))  # fmt: skip
    sheet.choice("cable", "A", "Cable section")
    drop = sheet.limited("drop_share", r"\Delta V/V", "Drop before the stage", "%", rules.cable_drop * 1.5,
                         1 / 3, over=("flat",))  # fmt: skip
    sheet.choice("capacitor", "C_{in}", "Input capacitor")
    sheet.choice("count", "n_{C}", "Input capacitors in parallel")
    ripple = sheet.limited("can_ripple", "I_C", "Ripple current of one can", "A", can.i_ripple,
                           rules.ripple_current_margin, over=("nominal", "flat", "full"))  # fmt: skip
    stood = can_voltage(full, build.banks)
    volts = sheet.fixed("capacitor_voltage", "V_C", "Input capacitor voltage", stood, "V", can.v_rating,
                        rules.input_capacitor_margin, "charging battery")  # fmt: skip
    sheet.result("loss", "P", "Loss, cable to capacitors", "W")
    if fuse.v_dc < full:
        sheet.find("fuse_voltage", "stop", "The fuse cannot break this battery's voltage",
                   f"It is rated {short(fuse.v_dc, 'V')} DC; the charging battery stands at {short(full, 'V')} and would "
                   "feed the arc.", "Fit a fuse with a higher DC rating.", figure="fuse",
                   cures=(("Let the proposal choose the fuse", {"input_stage.fuse": None}),))  # fmt: skip
    if fuse.breaking < fault:
        sheet.find("fuse_breaking", "fix", "The battery can feed more than the fuse can break",
                   f"A dead short draws up to {fmt(fault, 'A', 2)} from the cells alone; this fuse breaks "
                   f"{short(fuse.breaking, 'A')}.",
                   "Fit a fuse of higher breaking capacity, and keep the cable before it as short as possible.",
                   figure="fuse", cures=(("Let the proposal choose the fuse", {"input_stage.fuse": None}),))  # fmt: skip
    if load.severity:
        sheet.find("fuse_small", load.severity, "The fuse is too small for the flat battery",
                   f"{fmt(load.value, 'A')} flows at full power on a flat battery; {short(fuse.i_rating, 'A')} leaves less "
                   f"than the rules' factor of {rules.fuse_factor:g}, so it will age and open.",
                   "Fit a larger fuse, with a cable to match.", worst=load,
                   cures=(("Let the proposal choose the fuse", {"input_stage.fuse": None}),))  # fmt: skip
    if fuse.i_rating / build.cable > 1.6 * CABLE_DENSITY:
        sheet.find("cable_unprotected", "stop", "The fuse does not protect the cable",
                   f"A {short(fuse.i_rating, 'A')} fuse lets {short(build.cable, 'm^2')} run at "
                   f"{fmt(fuse.i_rating / build.cable, 'A/m^2', 2)} for ever; the insulation burns first.",
                   "Use a heavier cable; local codes decide its section.", figure="cable",
                   cures=(("Let the proposal choose the cable", {"input_stage.cable": None}),))  # fmt: skip
    if drop.severity:
        severity: Severity = "fix" if drop.severity == "stop" else "watch"
        sheet.find("cable_drop", severity, "Much is lost before the front end",
                   f"{fmt(drop.value, '%', 2)} of the battery voltage drops in cable, fuse and contacts at full power; "
                   f"the rules allow {fmt(rules.cable_drop, '%', 2)}.",
                   "Shorten or thicken the cable; at several hundred amperes choose a higher battery voltage instead.",
                   worst=drop)  # fmt: skip
    if ripple.severity:
        sheet.find("ripple", ripple.severity, "Input capacitors carry too much ripple",
                   f"{fmt(ripple.value, 'A')} in each can of {short(can.i_ripple, 'A')}: it dries out in months.",
                   "More cans in parallel, or ones of lower series resistance.", worst=ripple,
                   cures=(("Let the proposal choose the cans",
                           {"input_stage.count": None, "input_stage.capacitor": None}),))  # fmt: skip
    if volts.severity:
        sheet.find("capacitor_voltage", volts.severity, "Input capacitor too near the charger's voltage",
                   f"{fmt(stood, 'V')} while charging on {short(can.v_rating, 'V')} cans; spikes come on top.",
                   "Use the next rating up: the resting voltage is not what they see.", worst=volts,
                   cures=(("Let the proposal choose the cans", {"input_stage.capacitor": None}),))  # fmt: skip
    now: InputState = sheet.now
    return sheet.close(
        f"fuse {short(fuse.i_rating, 'A')}", "the fuse protects cable and house from fire, not the transistors", power_in,
        power_in - now.loss,
        {"fuse": f"{short(fuse.i_rating, 'A')} {short(fuse.v_dc, 'V')} DC", "cable": short(build.cable, "m^2"),
         "capacitor": can.label, "count": f"{build.count} in parallel" + (", two banks in series" if build.banks == 2 else ""),
         "ripple": fmt(now.ripple, "A")})  # fmt: skip
