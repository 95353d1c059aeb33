"""What the gate drive shows: its figures, and the findings with their cures."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.gate_drive import (
    BOOTSTRAPPED,
    FLOATING,
    HEAT_MARGIN,
    MILLER_SHARE,
    DriveNeed,
    DriveState,
    GateDriveBuild,
)
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.points import LASTING, STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder, Worst
from rhombos.core.parts import Diode, Driver
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[GateDriveBuild, DriveState]"

GATE_MARGIN = 0.10
"""Part of the gate's limit that stays in reserve, ringing included."""
SLOW_SHARE = 0.05
"""Share of the switching period that both edges may take."""
BOOT_MARGIN = 0.5


def report(sheet: Sheet, need: DriveNeed) -> BlockReport:
    """The gate drive's figures and findings."""
    build: GateDriveBuild = sheet.build
    now: DriveState = sheet.now
    driver = sheet.shelf.get(Driver, build.driver)
    device = sheet.shelf.transistor(need.device)
    boot = driver.kind in BOOTSTRAPPED
    peak = sheet.limited("gate_peak", r"V_{GS,pk}", "Gate voltage, ringing included", "V", now.limit, GATE_MARGIN)
    heat = sheet.limited("power", "P_d", "Lost in one pair of drivers", "W", driver.p_most, HEAT_MARGIN, over=LASTING)
    miller = sheet.limited("miller", "V_{ind}", "Left on an off gate by its partner", "V", now.threshold, 1 - MILLER_SHARE)
    sheet.choice("driver", "", "Driver")
    sheet.choice("supply", "V_{dd}", "Supply of the drivers")
    sheet.choice("r_on", r"R_{on}", "Gate resistor, turning on")
    sheet.choice("r_off", r"R_{off}", "Gate resistor, turning off")
    sheet.choice("pull_down", r"R_{pd}", "Pull-down at each gate")
    sheet.choice("zener", "", "Zener at each gate")
    if driver.kind == "transformer":
        sheet.result("gate", "V_{GS}", "Gate voltage at the longest pulse", "V")
    for name, symbol, title, unit in (
        ("on_current", "I_{pl}", "Gate current on the plateau", "A"),
        ("on_time", "t_{on}", "Turn-on", "s"),
        ("off_time", "t_{off}", "Turn-off", "s"),
    ):
        if hasattr(device, "q_sw"):
            sheet.result(name, symbol, title, unit)
        else:  # an IGBT is never faster than its data say: there is no one formula
            sheet.fixed_value(name, symbol, title, getattr(now, name), unit, "charge or data sheet, the slower")
    sheet.fixed_value("peak_current", r"\hat I_G", "Peak current of the driver", now.peak_current, "A", "first instant")
    if driver.kind == "follower":
        sheet.result("base_current", "I_B", "Base current of the pair", "A")
        sheet.result("base_resistor", "R_B", "Its base resistor, at most", "ohm")
    if boot:
        _show_bootstrap(sheet, now)
    free = _free(sheet, "driver", "supply", "r_on", "r_off", "pull_down", "zener")
    cure = (("Let the proposal choose the drive", dict(free)),)
    _gate_findings(sheet, build, now, driver, peak, miller, need, cure)
    if heat.severity:
        sheet.find(
            "driver_heat",
            heat.severity,
            "The driver runs too hot",
            f"{fmt(heat.value, 'W')} of gate charge, level shift and its own current in a driver of {fmt(driver.p_most, 'W')}.",
            "A larger driver, less gate charge, or a lower carrier.",
            worst=heat,
            cures=cure,
        )
    if need.floats and driver.kind not in FLOATING:
        sheet.find(
            "reach",
            "stop",
            "This driver cannot reach the upper switches",
            f"Its output stands on ground; the upper gates ride on legs that swing by {fmt(need.bus, 'V')}.",
            "A high-side driver with a bootstrap, an isolated one, or a drive transformer.",
            figure="driver",
            cures=cure,
        )
    elif need.floats and driver.v_float < need.bus:
        sheet.find(
            "float",
            "stop",
            "The driver cannot float that high",
            f"{fmt(need.bus, 'V')} at the legs, {short(driver.v_float, 'V')} allowed.",
            "A driver of a higher rating.",
            figure="driver",
            cures=cure,
        )
    if boot:
        _bootstrap_findings(sheet, build, now, need)
    sheet.find(
        "reset",
        "note",
        "Look what the pins do before the program runs",
        "At reset a controller's outputs float or pull up; the gates then do what their pull-downs say, if there are any.",
        "A pull-down at each gate and each driver's input; drivers with an enable that is off until the supply stands.",
        figure="pull_down",
    )
    return sheet.close(
        driver.kind,
        "the gate is a capacitor: it follows the resistor, not the data sheet's first page",
        0.0,
        0.0,
        {
            "kind": driver.kind,
            "driver": driver.label,
            "switch": device.label,
            "supply": short(build.supply, "V"),
            "on": fmt(build.r_on, "ohm"),
            "off": fmt(build.r_off, "ohm"),
            "pull": fmt(build.pull_down, "ohm") if build.pull_down else "none",
            "zener": build.zener,
            "boot": fmt(build.boot_capacitor, "F") if boot else "",
            "boot_resistor": fmt(build.boot_resistor, "ohm") if boot else "",
            "diode": sheet.shelf.get(Diode, build.boot_diode).label if boot else "",
            "low": fmt(now.boot_low, "V") if boot else "",
            "bus": fmt(need.bus, "V"),
            "floats": "yes" if need.floats else "no",
            "times": f"{fmt(now.on_time, 's')} on, {fmt(now.off_time, 's')} off",
        },
    )


def _free(sheet: Sheet, *names: str) -> dict[str, PinValue]:
    """The patch that lets fields of this drive go."""
    return {f"{sheet.block}.{n}": None for n in names}


def _show_bootstrap(sheet: Sheet, now: DriveState) -> None:
    sheet.choice("boot_capacitor", "C_b", "Bootstrap capacitor")
    sheet.choice("boot_resistor", "R_b", "Bootstrap resistor")
    sheet.choice("boot_diode", "D_b", "Bootstrap diode")
    sheet.result("boot_charge", "Q_b", "Charge taken in a cycle, most", "C")
    if now.boot_budget > 0:
        sheet.result("boot_budget", r"\Delta V", "Droop allowed", "V")
        sheet.result("boot_needed", r"C_{b,\min}", "Minimum capacitor", "F")
    sheet.fixed_value("boot_low", r"V_{b,\min}", "Bootstrap, lowest over a line period", now.boot_low, "V", "cycle by cycle")
    sheet.fixed_value("low_time", r"t_{low}", "Shortest on-time of the lower switch", now.low_time, "s", "crest of the wave")
    sheet.result("refresh", r"t_{4\tau}", "Refresh by the rule, four time constants", "s")
    sheet.result("first_charge", "t_0", "First charge, before the first pulse", "s")
    sheet.result("inrush", r"\hat I_b", "Its peak current", "A")


def _gate_findings(
    sheet: Sheet,
    build: GateDriveBuild,
    now: DriveState,
    driver: Driver,
    peak: Worst,
    miller: Worst,
    need: DriveNeed,
    cure: tuple[tuple[str, dict[str, PinValue]], ...],
) -> None:
    if peak.severity or build.supply > driver.v_most:
        what = (
            f"{short(build.supply, 'V')} on a driver of {short(driver.v_most, 'V')}"
            if build.supply > driver.v_most
            else f"{fmt(peak.value, 'V')} with its ringing on gates rated {short(now.limit, 'V')}"
        )
        cures = [("Let the proposal set the supply", _free(sheet, "supply", "zener", "driver"))]
        if build.zener == "none" and build.supply <= 0.9 * now.limit and build.supply <= driver.v_most:
            cures.insert(0, ("Fit a zener at each gate", {f"{sheet.block}.zener": "fitted"}))
        sheet.find(
            "over_voltage",
            "stop" if build.supply > min(now.limit, driver.v_most) else peak.severity or "fix",
            "The gates are driven beyond their limit" if build.supply > now.limit else "Gate drive close to its limit",
            f"{what}: an oxide that breaks once is a permanent short.",
            "A lower supply, and a zener at the gate.",
            figure="gate_peak",
            cures=tuple(cures),
        )
    if now.gate < now.least:
        sheet.find(
            "under_voltage",
            "stop" if now.gate < now.least - 1.5 else "fix",
            "The gates are not driven fully on",
            f"{fmt(now.gate, 'V')} arrive"
            + (" at the longest pulse through the transformer" if driver.kind == "transformer" else "")
            + f"; {fmt(now.least, 'V')} are needed above plateau and lock-out. A switch half on burns at once.",
            "A higher supply, a driver without the drop, or one that holds long pulses.",
            figure="supply",
            cures=cure,
        )
    edges = (now.on_time + now.off_time) * need.rate
    if edges > SLOW_SHARE:
        sheet.find(
            "weak",
            "stop" if edges > 3 * SLOW_SHARE else "fix",
            "The gates are driven too weakly for this frequency",
            f"Turn-on takes {fmt(now.on_time, 's')} and turn-off {fmt(now.off_time, 's')}: {fmt(edges, '%', 2)} of each "
            f"period at {short(need.rate, 'Hz')}."
            + (" A resistor alone turns these gates off: fine at line frequency, fatal here." if driver.kind == "opto" else ""),
            "A stronger driver, smaller resistors, or switches with less gate charge.",
            figure="off_time",
            cures=cure,
        )
    if miller.severity:
        sheet.find(
            "miller",
            "fix" if miller.severity == "stop" else "watch",
            "A gate that is off is lifted by its partner",
            f"When the other switch of the leg turns on, {fmt(miller.value, 'V')} stay on this gate through "
            f"{fmt(build.r_off, 'ohm', 2)}; its threshold is about {fmt(now.threshold, 'V')} hot: the leg may "
            "conduct through.",
            "A smaller turn-off resistor with a diode beside the other, a slower turn-on, or a negative rest.",
            worst=miller,
            cures=(("Let the proposal choose the resistors", _free(sheet, "r_on", "r_off", "driver")),),
        )
    if build.pull_down == 0:
        sheet.find(
            "floats",
            "stop",
            "Nothing holds an undriven gate down",
            "With the driver's supply off, or its lead open, the gate charges through the leg's own capacitance and "
            "turns on with the link standing.",
            "10 kΩ from each gate to its source, at the switch.",
            figure="pull_down",
            cures=(("Fit pull-downs", _free(sheet, "pull_down")),),
        )
    if now.peak_current > 1.2 * driver.i_peak and driver.kind != "opto":
        sheet.find(
            "current",
            "watch",
            "The driver gives less current than the resistors ask",
            f"{fmt(now.peak_current, 'A')} in the first instant, of a driver for {fmt(driver.i_peak, 'A')}: the edges "
            "become slower than computed.",
            "A stronger driver, or larger gate resistors.",
            figure="peak_current",
            cures=cure,
        )


def _bootstrap_findings(sheet: Sheet, build: GateDriveBuild, now: DriveState, need: DriveNeed) -> None:
    diode = sheet.shelf.get(Diode, build.boot_diode)
    free = _free(sheet, "boot_capacitor", "boot_resistor", "boot_diode", "pull_down")
    lowest = min(s.boot_low for k, s in sheet.states.items() if k in STEADY)
    if lowest < now.least:
        long = need.modulation is None
        sheet.find(
            "starves",
            "stop",
            "The bootstrap starves",
            f"It falls to {fmt(lowest, 'V')} while the upper switch is on for {fmt(now.high_time, 's')}"
            + (", half a line period," if long else "")
            + f" and is refreshed for {fmt(now.low_time, 's')} at the "
            f"shortest; {fmt(now.least, 'V')} are needed. One cycle takes {fmt(now.boot_charge, 'C')}"
            + (
                ", most of it through the pull-down."
                if build.pull_down and now.high_time * build.supply / build.pull_down > 0.5 * now.boot_charge
                else "."
            ),
            "A larger capacitor, a larger pull-down, a smaller resistor, less modulation, or a floating supply.",
            figure="boot_low",
            cures=(("Let the proposal choose the bootstrap", dict(free)),),
        )
    elif now.low_time < now.refresh and need.modulation is not None:
        sheet.find(
            "short_refresh",
            "note",
            "By the rule of thumb the refresh is short",
            f"At the crest the lower switch is on for {fmt(now.low_time, 's')}, and four time constants are "
            f"{fmt(now.refresh, 's')}; cycle by cycle it still holds {fmt(lowest, 'V')}, since the next cycles make it "
            "up.",
            "Nothing, while the modulation stays below its limit.",
            figure="refresh",
        )
    if diode.v_rating < now.diode_stress:
        sheet.find(
            "boot_diode",
            "stop",
            "The bootstrap diode cannot stand the link",
            f"{fmt(now.diode_stress, 'V')} on {short(diode.v_rating, 'V')}.",
            "A fast diode of a higher rating.",
            figure="boot_diode",
            cures=(("Let the proposal choose it", _free(sheet, "boot_diode")),),
        )
    elif diode.t_rr > 200e-9:
        sheet.find(
            "boot_slow",
            "fix",
            "The bootstrap diode is too slow",
            f"It recovers in {fmt(diode.t_rr, 's')}: each edge sweeps charge back out of the capacitor.",
            "An ultrafast diode.",
            figure="boot_diode",
            cures=(("Let the proposal choose it", _free(sheet, "boot_diode")),),
        )
    if now.inrush > 8:
        sheet.find(
            "inrush",
            "watch",
            "The first charge of the bootstrap is hard on its diode",
            f"{fmt(now.inrush, 'A')} for {fmt(now.first_charge, 's')} when the lower switch first turns on.",
            "A few ohms in series.",
            figure="inrush",
            cures=(("Let the proposal choose the resistor", _free(sheet, "boot_resistor")),),
        )
