"""Gate drive of any stage: drivers, gate resistors, pull-downs, and the bootstrap that lifts the upper ones."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TypeVar

from pydantic import Field

from rhombos.core.blocks.base import Build, options, part, remembered
from rhombos.core.blocks.bootstrap import (
    DIODE_MARGIN,
    NO_BOOTSTRAP,
    REFRESHES,
    assess_bootstrap,
    boot_capacitor_for,
    boot_diode_for,
    bootstrap_droop,
    high_times,
)
from rhombos.core.book import gate as book
from rhombos.core.book import stage
from rhombos.core.control.gates import (
    IGBT_LIMIT,
    IGBT_PLATEAU,
    LEAST_LOOP,
    THRESHOLD,
    GateLoop,
    house_loop,
    plateau_currents,
    switching_charge,
    switching_times,
)
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Diode, Driver, Igbt, Shelf, Transistor
from rhombos.core.units.preferred import E6, E12, at_least, at_most
from rhombos.core.units.quantities import Farad, Ohm, Volt

FOLLOWER_DROP = 0.7
OVER_PLATEAU = 2.0
"""What a gate needs above its plateau to be fully on, V."""
RINGING = 0.15
"""Overshoot of a gate without a zener, share of the drive: short loops with their own resistor."""
MILLER_SHARE = 0.8
"""Share of the threshold that the other switch's turn-on may leave on an off gate."""
LEAST_BOOT, MOST_BOOT = 0.47, 47e-6
"""Minimum bootstrap resistor, Ω, and largest capacitor, F, that are proposed."""
BOOT_ROOM = 0.25
"""What a proposed bootstrap keeps above the minimum that it needs, V."""
STEPS = (1.0, 1.5, 2.2, 3.3, 4.7, 6.8, 10.0, 15.0, 22.0, 33.0, 47.0)
"""Gate resistors that are tried, Ω."""
IGBT_SUPPLY = 15.0
"""What IGBTs are driven with, V: their on-state data assume it."""
HEAT_MARGIN = 0.3
"""Part of a driver's power that stays in reserve."""
BOOTSTRAPPED = ("bootstrap", "level shift")
"""Kinds that live on a bootstrap."""
FLOATING = (*BOOTSTRAPPED, "opto", "isolated", "transformer")
"""Kinds that reach an upper switch."""
SENSIBLE = {True: ("bootstrap", "isolated"), False: ("low side",)}
"""Kinds that are proposed where the output must float, and where every source stands on ground."""
LOCKED_OUT = ("bootstrap", "isolated", "low side")
"""Kinds that stay off below a supply of their own choosing."""


class GateDriveBuild(Build):
    """Driver and its supply, resistors of one gate, and the parts of one bootstrap."""

    driver: str = part("driver", "Gate driver")
    supply: Volt = Field(ge=3, le=40, title="Supply of the drivers")
    r_on: Ohm = Field(ge=0, le=1e3, title="Gate resistor, turning on")
    r_off: Ohm = Field(ge=0, le=1e3, title="Gate resistor, turning off")
    pull_down: Ohm = Field(ge=0, le=1e6, title="Pull-down at each gate, 0 for none")
    zener: str = options("Zener at each gate", "none", "fitted")
    boot_capacitor: Farad = Field(ge=1e-9, le=1e-2, title="Bootstrap capacitor")
    boot_resistor: Ohm = Field(ge=0.1, le=1e3, title="Bootstrap resistor")
    boot_diode: str = part("diode", "Bootstrap diode")


@dataclass(frozen=True, slots=True)
class DriveNeed:
    """A stage as its gates see it: block of the drive; switch and how many in parallel; highest bus, V; how often each
    switches, Hz; largest modulation index, or None of a stepped wave that is not zero for a share `fraction`; dead time, s;
    line, Hz; whether some sources ride on the legs; the duty of one switch where it is the same from cycle to cycle.
    """

    key: str
    device: str
    parallel: int
    bus: float
    rate: float
    modulation: float | None
    fraction: float
    dead_time: float
    line: float
    floats: bool = True
    duty: float | None = None


DriveT = TypeVar("DriveT", bound=GateDriveBuild)


@dataclass(frozen=True, slots=True)
class DriveState:
    """Voltages, V; currents, A; times, s; charge, C; powers, W."""

    gate: float
    gate_peak: float
    least: float
    limit: float
    on_current: float
    peak_current: float
    on_time: float
    off_time: float
    capacitance: float
    miller: float
    threshold: float
    power: float
    level_heat: float
    boot_charge: float
    boot_budget: float
    boot_needed: float
    boot_low: float
    refresh: float
    low_time: float
    high_time: float
    inrush: float
    first_charge: float
    diode_stress: float
    base_current: float
    base_resistor: float
    loss: float = 0.0


def bootstrapped(build: GateDriveBuild, shelf: Shelf) -> bool:
    """Whether the upper driver lives on a bootstrap."""
    return shelf.get(Driver, build.driver).kind in BOOTSTRAPPED


def gate_volts(build: GateDriveBuild, driver: Driver) -> float:
    """What arrives at a gate, V."""
    return build.supply - (FOLLOWER_DROP if driver.kind == "follower" else 0.0)


def loop_of(build: GateDriveBuild, parallel: int, driver: Driver) -> GateLoop:
    """The loop of one gate; devices in parallel share the driver, each with its own resistors."""
    sink = driver.r_sink + (build.pull_down if driver.kind == "opto" else 0.0)
    return GateLoop(
        gate_volts(build, driver), build.r_on + parallel * driver.r_source, build.r_off + parallel * sink, driver.mismatch
    )


def _limits(device: Transistor) -> tuple[float, float]:
    """Plateau and gate limit, V."""
    if isinstance(device, Igbt):
        return IGBT_PLATEAU, IGBT_LIMIT
    return float(device.v_plateau), float(device.v_gs_max)


def _capacitance(device: Transistor, volts: float) -> float:
    """Gate capacitance outside the plateau, F."""
    return book.gate_capacitance.work(
        {"Q_g": device.q_g, "Q_sw": min(switching_charge(device), 0.9 * device.q_g), "V_drive": max(volts, 1.0)}
    )


MILLER_CHARGE = 0.6 * math.sqrt(2)
"""Share of the switching charge that lies in the swing, at half the rated voltage for which data sheets state it; times √2."""


def _swing_charge(device: Transistor, bus: float) -> float:
    """Charge that a swing of the legs, V, moves through the gate, C."""
    return book.swing_charge.work({"k": MILLER_CHARGE, "Q_sw": switching_charge(device), "V": bus, "V_rating": device.v_rating})


def _miller(device: Transistor, loop: GateLoop, bus: float) -> float:
    """What the partner's turn-on leaves on an off gate, V."""
    current = max(1e-6, float(plateau_currents(device, loop)[0]))
    return book.miller_voltage.work(
        {
            "R": max(loop.off, LEAST_LOOP),
            "I": current,
            "Q_gd": _swing_charge(device, bus),
            "C_iss": _capacitance(device, loop.volts),
        }
    )


@remembered
def propose(
    need: DriveNeed,
    brief: Brief,
    pins: Fields,
    shelf: Shelf,
    rules: Rules,
    model: type[DriveT],
) -> DriveT:
    """The cheapest driver that floats high enough and is strong enough; resistors for the rules' speed, off fast enough against
    the partner's turn-on; a bootstrap with twice what it needs."""
    device = shelf.transistor(need.device)
    fields: Fields = {"supply": max(rules.gate_drive, IGBT_SUPPLY if isinstance(device, Igbt) else 0.0)} | pins
    n = need.parallel
    pinned = "driver" in fields
    driver = shelf.get(Driver, fields["driver"]) if pinned else _choose(need, fields["supply"], device, shelf, rules)
    fields["driver"] = driver.id
    fields.setdefault("pull_down", 2.2e3 if driver.kind == "opto" else 10e3)
    fields = _resistors(device, need.bus, fields, driver, n, rules) | fields
    plateau, limit = _limits(device)
    least = max(plateau + OVER_PLATEAU, driver.v_least)
    ringing = fields["supply"] * (1 + RINGING)
    fields.setdefault("zener", "fitted" if ringing > 0.9 * limit >= fields["supply"] else "none")
    if "boot_diode" not in fields:
        fields["boot_diode"] = boot_diode_for(need, fields["supply"], shelf)
    chosen = "boot_capacitor" not in fields
    if chosen:
        fields["boot_capacitor"] = boot_capacitor_for(need, fields, driver, device, least, shelf)
    quick = high_times(need)[1] / (REFRESHES * fields["boot_capacitor"])
    fields.setdefault("boot_resistor", at_most(min(2.2, max(LEAST_BOOT, quick)), E12))
    if chosen and driver.kind in BOOTSTRAPPED:
        least += BOOT_ROOM
        while fields["boot_capacitor"] < MOST_BOOT and bootstrap_droop(need, model.within(fields), shelf)[1].min() < least:
            fields["boot_capacitor"] = at_least(1.2 * fields["boot_capacitor"], E6)
    return model.within(fields)


def _choose(need: DriveNeed, supply: float, device: Transistor, shelf: Shelf, rules: Rules) -> Driver:
    burnt, kinds = 2 * need.parallel * device.q_g * supply * need.rate, SENSIBLE[need.floats]
    able = [
        d
        for d in shelf.all(Driver)
        if d.kind in kinds
        and d.v_least <= supply <= d.v_most
        and (d.v_float >= need.bus * (1 + DIODE_MARGIN) or not need.floats)
        and need.parallel * max(d.r_source, d.r_sink) <= rules.gate_resistance
        and burnt + need.bus * d.q_level * need.rate <= (1 - HEAT_MARGIN) * d.p_most
    ]
    if able:  # rather one that gives the current at which the rules' loop switches
        peak = need.parallel * supply / house_loop(rules, need.parallel).on
        return min([d for d in able if d.kind == "opto" or d.i_peak >= peak] or able, key=lambda d: (d.price, d.id))
    return min(shelf.all(Driver), key=lambda d: (d.kind not in kinds, need.floats and d.v_float < need.bus, d.r_source, d.id))


def _resistors(device: Transistor, bus: float, fields: Fields, driver: Driver, parallel: int, rules: Rules) -> Fields:
    """Gate resistors for the rules' speed; less to turn off, and then more to turn on, until the partner's turn-on leaves an
    off gate below its threshold."""
    plateau, _ = _limits(device)
    first = rules.gate_resistance - parallel * driver.r_source
    first = at_most(first, E12) if first >= 1 else 0.0
    ons = [fields["r_on"]] if "r_on" in fields else [first, *(x for x in STEPS if x > first)]
    if driver.kind != "opto":  # what the driver cannot give only seems fast
        tried: Fields = {"r_off": 0.0} | fields | {"r_on": 0.0}
        trial = GateDriveBuild.model_construct(None, **tried)
        gentle = [
            x
            for x in ons
            if parallel
            * stage.gate_peak_current.work(
                {"V_drive": gate_volts(trial, driver), "R_gate": max(LEAST_LOOP, x + parallel * driver.r_source)}
            )
            <= driver.i_peak
        ]
        ons = gentle or ons[-1:]
        first = ons[0]
    for on in ons:
        offs = [fields["r_off"]] if "r_off" in fields else [on, *(x for x in reversed(STEPS) if x < on), 0.0]
        for off in offs:
            loop = loop_of(GateDriveBuild.model_construct(**fields | {"r_on": on, "r_off": off}), parallel, driver)
            if _miller(device, loop, bus) <= MILLER_SHARE * THRESHOLD * plateau:
                return {"r_on": on, "r_off": off}
    return {"r_on": first, "r_off": float(fields.get("r_off", 0.0))}


def assess(
    need: DriveNeed, build: GateDriveBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> DriveState:
    """Gate currents and times, what disturbs an off gate, the bootstrap's charge and lowest voltage, the driver's heat."""
    work, n = worksheet.work, need.parallel
    device = shelf.transistor(need.device)
    driver = shelf.get(Driver, build.driver)
    loop = loop_of(build, n, driver)
    plateau, limit = _limits(device)
    high, low = high_times(need)
    held = min(0.999, max(1e-3, 0.5 if need.duty is None else need.duty))  # over a line period each switch is on half the time
    volts = loop.volts
    if driver.kind == "transformer":
        share = high * (need.line if need.modulation is None and need.duty is None else need.rate)
        volts = work(f"{need.key}.gate", book.transformer_low, V_dd=build.supply, D_high=min(0.999, max(1e-3, share)))
    on, off = (float(x) for x in switching_times(device, loop))
    current = float(plateau_currents(device, loop)[0])
    if not isinstance(device, Igbt):
        current = work(
            f"{need.key}.on_current",
            stage.gate_on_current,
            V_drive=max(loop.volts, plateau + 0.5),
            V_pl=plateau,
            R_gate=loop.on,
        )
        work(f"{need.key}.on_time", stage.plateau_time, Q_sw=device.q_sw, I_gate=current)
        work(
            f"{need.key}.off_time",
            stage.plateau_time,
            Q_sw=device.q_sw,
            I_gate=work(f"{need.key}.off_current", stage.gate_off_current, V_pl=plateau, R_gate=loop.off),
        )
    peak = n * work(
        f"{need.key}.gate_peak_current", stage.gate_peak_current, V_drive=loop.volts, R_gate=max(loop.on, LEAST_LOOP)
    )
    capacitance = work(
        f"{need.key}.capacitance",
        book.gate_capacitance,
        Q_g=device.q_g,
        V_drive=max(loop.volts, 1.0),
        Q_sw=min(switching_charge(device), 0.9 * device.q_g),
    )
    miller = work(
        f"{need.key}.miller",
        book.miller_voltage,
        R=max(loop.off, LEAST_LOOP),
        I=max(current, 1e-6),
        C_iss=capacitance,
        Q_gd=_swing_charge(device, need.bus),
    )
    least = max(plateau + OVER_PLATEAU, driver.v_least if driver.kind in LOCKED_OUT else 0.0)
    gates = work(f"{need.key}.gate_power", stage.gate_power, Q_g=device.q_g, V_drive=loop.volts, f=need.rate, n_sw=2 * n)
    heat = 0.0
    if need.floats:
        heat = work(f"{need.key}.level_heat", book.level_shift_power, V_dc=need.bus, Q_ls=driver.q_level, f=need.rate)
    if driver.i_level > 0:
        heat += work(f"{need.key}.level_hold", book.level_shift_hold, V_dc=need.bus, I=driver.i_level, D_high=held)
    boot = (
        assess_bootstrap(need, build, driver, device, least, shelf, worksheet) if driver.kind in BOOTSTRAPPED else NO_BOOTSTRAP
    )
    base = series = 0.0
    if driver.kind == "follower":
        base = work(f"{need.key}.base_current", book.follower_base, I_gate_pk=peak, h_FE=FOLLOWER_GAIN)
        series = work(f"{need.key}.base_resistor", book.follower_resistor, k=BASE_SHARE, V_drive=build.supply, I=base)
    return DriveState(
        gate=volts,
        gate_peak=loop.volts * (1.0 if build.zener == "fitted" else 1 + RINGING),
        least=least,
        limit=limit,
        on_current=current,
        peak_current=peak,
        on_time=on,
        off_time=off,
        capacitance=capacitance,
        miller=miller,
        threshold=THRESHOLD * plateau,
        power=worksheet.total(
            f"{need.key}.power", {"gates of one leg": gates, "level shift": heat, "its own current": driver.i_q * build.supply}
        ),
        level_heat=heat,
        **boot,
        low_time=low,
        high_time=high,
        base_current=base,
        base_resistor=series,
    )


FOLLOWER_GAIN = 60.0
"""Minimum gain of a usual follower pair at its peak current."""
BASE_SHARE = 0.1
"""Share of the drive that a follower's base resistor may drop at the peak."""


def fitted_drivers(build: GateDriveBuild, positions: int, what: str, shelf: Shelf) -> tuple[Item, ...]:
    """Drivers for so many switch positions, two a package where they drive a leg or share a ground, and bootstrap diodes."""
    driver = shelf.get(Driver, build.driver)
    paired = driver.kind in ("bootstrap", "low side")
    found = [fitted("U1", what, driver, positions // 2 if paired else positions, fields=("driver",))]
    if driver.kind in BOOTSTRAPPED:
        found.append(
            fitted(
                "D1", f"{what}'s bootstrap diode", shelf.get(Diode, build.boot_diode), positions // 2, fields=("boot_diode",)
            )
        )
    return tuple(found)
