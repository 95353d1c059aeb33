"""The battery: its voltage band, its sag, how long it lasts."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

from rhombos.core.blocks.base import Build
from rhombos.core.book import heat
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.sources import COLD_B, PEUKERT, RESTING, BatterySource
from rhombos.core.inventory import Item
from rhombos.core.ledger import Ledger
from rhombos.core.parts import Shelf
from rhombos.core.report import BlockReport
from rhombos.core.sheet import Sheet
from rhombos.core.units import fmt, short

KEY, TITLE = "source", "Battery"
EDGE = 0.97
"""Part of the most that a battery can give beyond which it counts as given out: there the voltage runs away at a touch."""
GENTLE_DISCHARGE = 3600.0
"""Time of a full discharge, s, below which the cells' life and capacity suffer."""


GAUGE_ERROR = 0.01
"""What a reading of the battery is off by, once calibrated."""


class BatteryBuild(Build):
    """Nothing is chosen here: the brief names the battery."""


@dataclass(frozen=True, slots=True)
class BatteryState:
    """Terminal voltage, V; current: mean, RMS and peak, A; the loss inside the cells, W (not counted as the inverter's)."""

    emf: float
    resistance: float
    terminal: float
    current: float
    rms: float
    peak: float
    power: float
    internal_loss: float
    capable: float
    run_time: float
    fault_current: float
    collapsed: bool


def assess(
    emf: float, power: float, brief: Brief, ledger: Ledger, pulsation: float = 1.0, crest: float = 1.0, steady: float = 0.0
) -> BatteryState:
    """The battery giving a power at its terminals; beyond what it can give, it sits at half its open voltage.

    `pulsation` is the mean square of the stage's current over its squared mean, `crest` its peak over its mean, `steady` the
    part of the power, W, that is drawn beside it without a swing. A current that comes in pulses meets the internal resistance
    as if it were that many times as large; `terminal` is power over mean current.
    """
    r = brief.source.internal_resistance
    share = 1 - min(1.0, steady / power) if power > 0 else 1.0
    pulsation, crest = 1 + (pulsation - 1) * share**2, 1 + (crest - 1) * share
    met = r * pulsation
    capable = ledger.work("source.capable", book.largest_power, E=emf, R_s=met)
    collapsed = power > EDGE * capable
    current = emf / (2 * met) if collapsed else ledger.work("source.current", book.sagged_current, E=emf, R_s=met, P=power)
    terminal = ledger.work("source.terminal", book.terminal_voltage, E=emf, I=current, R_s=met)
    exponent, rated = PEUKERT[brief.source.chemistry]
    if exponent == 1.0:
        run = ledger.work("source.run_time", book.run_time, C_Ah=brief.source.capacity, V=terminal, P=power)
    else:
        run = ledger.work(
            "source.run_time",
            book.peukert_time,
            C_Ah=brief.source.capacity,
            I=max(current, 1e-6),
            t_rated=rated,
            peukert=exponent,
        )
    return BatteryState(
        emf,
        r,
        terminal,
        current,
        current * math.sqrt(pulsation),
        current * crest,
        power,
        internal_loss=ledger.work("source.internal_loss", book.ohmic_loss, I_rms=current * math.sqrt(pulsation), R=r),
        capable=capable,
        run_time=run,
        fault_current=ledger.work("source.fault_current", book.fault_current, E=emf, R_s=brief.source.lowest_resistance),
        collapsed=collapsed,
    )


def parts(build: BatteryBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Nothing: the battery is there already."""
    return ()


def report(sheet: Sheet, brief: Brief) -> BlockReport:
    """The battery's figures; a battery that cannot give the power is the first thing to know."""
    now: BatteryState = sheet.now
    empty, _, full = brief.source.volts
    sheet.result("terminal", "V_t", "Terminal voltage", "V")
    sheet.result("terminal", "V_{t,min}", "Terminal voltage, flat", "V", point="low")
    sheet.result("current", "I", "Battery current, mean", "A")
    worst = sheet.limited("current", r"I_{\max}", "Battery current, flat battery", "A", rating_current(brief), over=("low",))
    sheet.result("peak", r"\hat I", "Battery current, peak", "A", point="low")
    sheet.fixed_value(
        "resistance", r"R_i", "Internal resistance, used", brief.source.internal_resistance, "ohm", "for sag and heat"
    )
    sheet.fixed_value(
        "fresh", r"R_{i,0}", "Internal resistance, fresh and warm", brief.source.lowest_resistance, "ohm", "for a short circuit"
    )
    sheet.result("internal_loss", r"P_i", "Lost inside the cells", "W")
    sheet.result("run_time", "t", "Whole capacity at full power lasts", "s")
    sheet.result("fault_current", r"I_k", "Short-circuit current", "A", point="high")
    for key, severity, what in (("low", "stop", "full power"), ("surge_low", "fix", "the surge")):
        state: BatteryState = sheet.states[key]
        if state.collapsed:
            sheet.find(
                f"cannot_give_{key}",
                severity,  # type: ignore[arg-type]
                f"The flat battery cannot give {what}",
                f"{fmt(state.resistance, 'ohm')} inside {short(empty, 'V')} gives {fmt(state.capable, 'W')} at most, and "
                f"half of that heats the cells; {what} asks {short(sheet.points[key].power, 'W')} at the socket.",
                "Use more cells in series (half the current for twice the voltage), a larger battery, or less power.",
                figure="terminal",
                unavoidable="the brief names this battery; nothing that is chosen changes its resistance",
            )
    if worst.severity:
        sheet.find(
            "rate",
            "watch",
            "High discharge rate",
            f"{fmt(worst.value, 'A')} from {short(brief.source.capacity, 'A*h')} empties it in "
            f"{fmt(brief.source.capacity / worst.value, 's')}: sag, heat and ageing grow, and a "
            "battery-management board may trip.",
            "Ask the maker's continuous limit; use a larger battery or a higher voltage.",
            worst=worst,
        )
    _cold(sheet, brief)
    if brief.source.chemistry != "lead-acid":
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
        {
            "emf": fmt(now.emf, "V"),
            "resistance": fmt(now.resistance, "ohm"),
            "terminal": fmt(now.terminal, "V"),
            "current": fmt(now.current, "A"),
            "cells": f"{brief.source.cells} × {brief.source.chemistry}",
        },
    )


def cold_resistance(source: BatterySource) -> float:
    """Internal resistance of the coldest battery, Ω."""
    given = {"R_25": source.internal_resistance, "B_ntc": COLD_B[source.chemistry], "T": source.coldest + 273.15}
    return heat.thermistor.work(given)


def _cold(sheet: Sheet, brief: Brief) -> None:
    """The coldest battery, and what a gauge by its resting voltage can tell."""
    flat: BatteryState = sheet.states["low"]
    empty = brief.source.volts[0]
    cold = cold_resistance(brief.source)
    sheet.fixed_value(
        "cold_resistance", r"R_{i,c}", "Internal resistance, coldest battery", cold, "ohm", short(brief.source.coldest, "degC")
    )
    able = float(book.largest_power(E=empty, R_s=cold))
    if able < flat.power < flat.capable:
        sheet.find(
            "cold",
            "fix",
            "A cold flat battery cannot give full power",
            f"At {short(brief.source.coldest, 'degC')} its {fmt(cold, 'ohm')} leave {fmt(able, 'W')}; "
            f"{fmt(flat.power, 'W')} is "
            "asked.",
            "Keep it warm, use a larger one, or ask less in the cold.",
            figure="cold_resistance",
            unavoidable="the brief names this battery and how cold it gets",
        )
    if brief.source.coldest < 0 and brief.source.chemistry != "lead-acid":
        sheet.find(
            "frost",
            "watch",
            "Lithium cells must not be charged in frost",
            f"Below 0 °C charging plates metal inside; {short(brief.source.coldest, 'degC')} is expected.",
            "A charger or a board that stops below 5 °C, or a heated battery.",
            figure="cold_resistance",
        )
    steps = RESTING[brief.source.chemistry]
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
    return brief.source.capacity / GENTLE_DISCHARGE
