"""A DC rail: constant voltage behind a small resistance up to a current limit, constant current beyond it."""

from __future__ import annotations

import math

from rhombos.core.blocks.source.state import Given, Sheet, SourceState, not_given
from rhombos.core.book import link
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.sources import RailSource
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.units.quantities import fmt, short

TITLE = "DC rail"
SPARE = 0.1
"""Share of the current limit that steady work should leave: limits are set by hand and drift."""


def assess(emf: float, power: float, brief: Brief, worksheet: Worksheet, pulsation: float) -> Given:
    """The rail giving a power at its terminals; beyond what its limit lets through it falls, and the load holds it down."""
    supply = _of(brief)
    met = supply.resistance * pulsation
    ends = limit_of(supply, emf, met)
    most = worksheet.work("source.capable", book.limited_power, E=emf, I_lim=ends, R_s=met)
    collapsed = power > most
    current = ends if collapsed else worksheet.work("source.current", book.sagged_current, E=emf, R_s=met, P=power)
    terminal = worksheet.work("source.terminal", book.terminal_voltage, E=emf, I=current, R_s=met)
    return Given(supply.resistance, terminal, current, most, math.inf, supply.limit, collapsed)


def limit_of(supply: RailSource, emf: float, met: float) -> float:
    """The current up to which more of it brings more power, A: the limit, or where half the voltage is lost inside."""
    return min(supply.limit, emf / (2 * met))


def latches_below(supply: RailSource, power: float) -> float:
    """Voltage below which a power, W, holds the rail at its limit, V."""
    return book.latch_voltage.work({"P": max(power, 1e-6), "I_lim": supply.limit})


def report(sheet: Sheet, brief: Brief) -> BlockReport:
    """The rail's figures; one that cannot give the power is the first thing to know."""
    now: SourceState = sheet.now
    supply = _of(brief)
    sheet.result("terminal", "V_t", "Terminal voltage", "V")
    sheet.result("terminal", "V_{t,min}", "Terminal voltage, lowest input", "V", point="low")
    sheet.result("current", "I", "Rail current, mean", "A")
    worst = sheet.limited("current", r"I_{\max}", "Rail current, hardest input", "A", supply.limit, SPARE, over=LASTING)
    sheet.result("peak", r"\hat I", "Rail current, peak", "A", point=worst.point)
    sheet.fixed_value("limit", r"I_{lim}", "Current limit", supply.limit, "A", "as the brief says")
    sheet.fixed_value("resistance", r"R_s", "Output resistance", supply.resistance, "ohm", "as the brief says")
    sheet.result("internal_loss", r"P_i", "Lost inside the supply's resistance", "W")
    sheet.result("capable", r"P_{lim}", "Power at the limit, lowest input", "W", point="low")
    least = latches_below(supply, sheet.states["low"].power)
    sheet.fixed_value("latch", r"V_{latch}", "Full power latches it below", least, "V", "constant power at the limit")
    stored = link.stored_energy.work({"C": supply.capacitance, "V": supply.highest})
    sheet.fixed_value("stored", "W", "Stored in its output capacitor", stored, "J", "highest input")
    not_given(
        sheet,
        "The rail",
        f"its limit of {short(supply.limit, 'A')} lets {{able}} through",
        "A supply with a higher limit, a higher voltage, or less power.",
        "the brief names this rail and its limit",
    )
    hardest: SourceState = sheet.states[worst.point]
    if worst.severity and not hardest.collapsed:
        sheet.find(
            "near_limit",
            "watch",
            "Full power comes close to the rail's limit",
            f"{fmt(worst.value, 'A')} of {short(supply.limit, 'A')}: limits are set by hand and drift, and one that "
            "acts lets the rail fall.",
            "Set the limit higher, or ask less.",
            worst=worst,
        )
    if hardest.peak > supply.limit and not hardest.collapsed:
        sheet.find(
            "peak_limited",
            "watch",
            "The peaks of the current reach the rail's limit",
            f"{fmt(hardest.peak, 'A')} at the most, and {short(supply.limit, 'A')} is the limit: there the rail falls, "
            "and only the input capacitors carry on.",
            "A loop that keeps the pulsation off the input, a larger input bank, or a higher limit.",
            figure="peak",
            unavoidable="the brief names this rail and its limit",
        )
    sheet.find(
        "not_a_fuse",
        "note",
        "A current limit protects against fire, not semiconductors",
        f"Its output capacitor gives {fmt(stored, 'J', 2)} at once, and the limit takes milliseconds to act.",
        "Set the limit low for the first power-up; keep fuse, trip and precharge as for a battery.",
        figure="stored",
    )
    return sheet.close(
        fmt(now.terminal, "V"),
        f"{short(supply.lowest, 'V')} to {short(supply.highest, 'V')}, limited at {short(supply.limit, 'A')}",
        now.power,
        now.power,
        now.drawing | {"limit": short(supply.limit, "A"), "capacitor": short(supply.capacitance, "F")},
    )


def _of(brief: Brief) -> RailSource:
    assert isinstance(brief.source, RailSource)
    return brief.source
