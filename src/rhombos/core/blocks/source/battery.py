"""The battery: its voltage band, its sag, how long it lasts."""

from __future__ import annotations

from itertools import pairwise

from rhombos.core.blocks.source.state import Given, Sheet, SourceState, not_given
from rhombos.core.book import heat
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.sources import COLD_B, PEUKERT, RESTING, BatterySource
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.units.quantities import fmt, short

TITLE = "Battery"
EDGE = 0.97
"""Part of the most that a battery can give beyond which it counts as given out: there the voltage runs away at a touch."""
GENTLE_DISCHARGE = 3600.0
"""Time of a full discharge, s, below which the cells' life and capacity suffer."""


GAUGE_ERROR = 0.01
"""What a reading of the battery is off by, once calibrated."""


def assess(emf: float, power: float, brief: Brief, worksheet: Worksheet, pulsation: float) -> Given:
    """The battery giving a power at its terminals; beyond what it can give, it sits at half its open voltage.

    A current that comes in pulses meets the internal resistance as if it were `pulsation` times as large; `terminal` is power
    over mean current.
    """
    battery = _of(brief)
    r = battery.internal_resistance
    met = r * pulsation
    capable = worksheet.work("source.capable", book.largest_power, E=emf, R_s=met)
    collapsed = power > EDGE * capable
    current = emf / (2 * met) if collapsed else worksheet.work("source.current", book.sagged_current, E=emf, R_s=met, P=power)
    terminal = worksheet.work("source.terminal", book.terminal_voltage, E=emf, I=current, R_s=met)
    exponent, rated = PEUKERT[battery.chemistry]
    if exponent == 1.0:
        run = worksheet.work("source.run_time", book.run_time, C_Ah=battery.capacity, V=terminal, P=power)
    else:
        run = worksheet.work(
            "source.run_time",
            book.peukert_time,
            C_Ah=battery.capacity,
            I=max(current, 1e-6),
            t_rated=rated,
            peukert=exponent,
        )
    fault = worksheet.work("source.fault_current", book.fault_current, E=emf, R_s=battery.lowest_resistance)
    return Given(r, terminal, current, capable, run, fault, collapsed)


def _of(brief: Brief) -> BatterySource:
    assert isinstance(brief.source, BatterySource)
    return brief.source


def report(sheet: Sheet, brief: Brief) -> BlockReport:
    """The battery's figures; a battery that cannot give the power is the first thing to know."""
    now: SourceState = sheet.now
    battery = _of(brief)
    empty, _, full = battery.volts
    sheet.result("terminal", "V_t", "Terminal voltage", "V")
    sheet.result("terminal", "V_{t,min}", "Terminal voltage, flat", "V", point="low")
    sheet.result("current", "I", "Battery current, mean", "A")
    worst = sheet.limited("current", r"I_{\max}", "Battery current, hardest input", "A", rating_current(brief), over=LASTING)
    sheet.result("peak", r"\hat I", "Battery current, peak", "A", point=worst.point)
    sheet.fixed_value("resistance", r"R_i", "Internal resistance, used", battery.internal_resistance, "ohm", "for sag and heat")
    sheet.fixed_value(
        "fresh", r"R_{i,0}", "Internal resistance, fresh and warm", battery.lowest_resistance, "ohm", "for a short circuit"
    )
    sheet.result("internal_loss", r"P_i", "Lost inside the cells", "W")
    sheet.result("run_time", "t", "Whole capacity at full power lasts", "s")
    sheet.result("fault_current", r"I_k", "Short-circuit current", "A", point="high")
    not_given(
        sheet,
        "The flat battery",
        f"{fmt(now.resistance, 'ohm')} inside {short(empty, 'V')} gives {{able}} at most, and half of that heats the cells",
        "Use more cells in series (half the current for twice the voltage), a larger battery, or less power.",
        "the brief names this battery; nothing that is chosen changes its resistance",
    )
    if worst.severity:
        sheet.find(
            "rate",
            "watch",
            "High discharge rate",
            f"{fmt(worst.value, 'A')} from {short(battery.capacity, 'A*h')} empties it in "
            f"{fmt(battery.capacity / worst.value, 's')}: sag, heat and ageing grow, and a "
            "battery-management board may trip.",
            "Ask the maker's continuous limit; use a larger battery or a higher voltage.",
            worst=worst,
        )
    _cold(sheet, brief)
    if battery.chemistry != "lead-acid":
        sheet.find(
            "management",
            "note",
            "Lithium cells need a battery-management system",
            f"Below {short(empty, 'V')} the cells are damaged, above {short(full, 'V')} they are dangerous.",
            "Fit one that disconnects both ways; the inverter's own cut-off must act before it does.",
            figure="terminal",
        )
    return sheet.close(
        fmt(now.terminal, "V"),
        f"{short(empty, 'V')} flat to {short(full, 'V')} charging",
        now.power,
        now.power,
        now.drawing | {"cells": battery.described},
    )


def cold_resistance(source: BatterySource) -> float:
    """Internal resistance of the coldest battery, Ω."""
    given = {"R_25": source.internal_resistance, "B_ntc": COLD_B[source.chemistry], "T": source.coldest + 273.15}
    return heat.thermistor.work(given)


def _cold(sheet: Sheet, brief: Brief) -> None:
    """The coldest battery, and what a gauge by its resting voltage can tell."""
    flat: SourceState = sheet.states["low"]
    battery = _of(brief)
    empty = battery.volts[0]
    cold = cold_resistance(battery)
    sheet.fixed_value(
        "cold_resistance", r"R_{i,c}", "Internal resistance, coldest battery", cold, "ohm", short(battery.coldest, "degC")
    )
    able = float(book.largest_power(E=empty, R_s=cold))
    if able < flat.power < flat.capable:
        sheet.find(
            "cold",
            "fix",
            "A cold flat battery cannot give full power",
            f"At {short(battery.coldest, 'degC')} its {fmt(cold, 'ohm')} leave {fmt(able, 'W')}; "
            f"{fmt(flat.power, 'W')} is "
            "asked.",
            "Keep it warm, use a larger one, or ask less in the cold.",
            figure="cold_resistance",
            unavoidable="the brief names this battery and how cold it gets",
        )
    if battery.coldest < 0 and battery.chemistry != "lead-acid":
        sheet.find(
            "frost",
            "watch",
            "Lithium cells must not be charged in frost",
            f"Below 0 °C charging plates metal inside; {short(battery.coldest, 'degC')} is expected.",
            "A charger or a board that stops below 5 °C, or a heated battery.",
            figure="cold_resistance",
        )
    steps = RESTING[battery.chemistry]
    closest = min((b - a) / b for a, b in pairwise(steps))
    if closest < 2 * GAUGE_ERROR:
        sheet.find(
            "gauge",
            "note",
            "A voltage gauge tells little of this battery",
            f"Two of its five steps lie {fmt(closest, '%', 2)} apart; a reading is off by {fmt(GAUGE_ERROR, '%', 2)} "
            "and by every ampere that flows.",
            "Count ampere-hours; use the voltage only at both ends, rested.",
            figure="terminal",
        )


def rating_current(brief: Brief) -> float:
    """The current of a one-hour discharge, A: beyond it the discharge rate is high."""
    return _of(brief).capacity / GENTLE_DISCHARGE
