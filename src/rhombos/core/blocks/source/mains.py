"""One-phase mains: what the unit takes of it, and what it loses in the loop up to the socket."""

from __future__ import annotations

import math
from typing import NamedTuple

from rhombos.core.blocks.source.state import Given, Sheet, SourceState, not_given
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.sources import MainsSource
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.units.quantities import fmt, short

TITLE = "Mains"
BREAKER, SPARE = 16.0, 0.2
"""What a household circuit commonly carries, A RMS, and the share of it that steady work should leave."""


def assess(emf: float, power: float, brief: Brief, worksheet: Worksheet, pulsation: float) -> Given:
    """The mains giving a power, its current in phase and a sine: what a rectifier makes of it, `drawn` knows."""
    mains = _of(brief)
    volts = emf / math.sqrt(2)
    most = worksheet.work("source.capable", book.largest_power, E=volts, R_s=mains.resistance)
    fault = worksheet.work("source.fault_current", book.fault_current, E=volts, R_s=mains.resistance)
    return Given(mains.resistance, volts, power / volts, most, math.inf, fault, power > most)


class Taken(NamedTuple):
    """What a rectifier with its bank takes of the mains: W before the loop, current RMS and peak, A, what that leaves at the
    socket, RMS, V; `falls` says that no bank stands there."""

    power: float
    rms: float
    peak: float
    socket: float
    falls: bool


def drawn(emf: float, taken: Taken, brief: Brief, worksheet: Worksheet) -> SourceState:
    """The mains, whose crest is given, V, as it is loaded: the part of the current in phase carries the power, its RMS heats
    the loop."""
    mains = _of(brief)
    lost = worksheet.work("source.internal_loss", book.ohmic_loss, I_rms=taken.rms, R=mains.resistance)
    given = assess(emf, taken.power, brief, worksheet, 1.0)
    at_socket = taken.power - lost
    return SourceState(
        emf=emf,
        resistance=mains.resistance,
        terminal=taken.socket,
        current=at_socket / taken.socket,
        rms=taken.rms,
        peak=taken.peak,
        power=at_socket,
        internal_loss=lost,
        capable=given.capable,
        run_time=math.inf,
        fault_current=given.fault_current,
        collapsed=taken.falls,
    )


def report(sheet: Sheet, brief: Brief) -> BlockReport:
    """The mains' figures; one that cannot give the power is the first thing to know."""
    now: SourceState = sheet.now
    mains = _of(brief)
    low, nominal, high = mains.lowest, mains.nominal, mains.highest
    sheet.fixed_value("volts", "V", "Mains", nominal, "V", "as the brief says")
    sheet.fixed_value("hertz", "f", "Mains frequency", mains.frequency, "Hz", "as the brief says")
    worst = sheet.limited("rms", "I", "Line current, hardest input", "A", BREAKER, SPARE, over=LASTING)
    sheet.result("peak", r"\hat I", "Its peak", "A", point=worst.point)
    sheet.result("current", "I_w", "Its part in phase", "A")
    sheet.result("power", "P", "Power taken", "W")
    sheet.fixed_value("resistance", "R", "Resistance of the loop", mains.resistance, "ohm", "as the brief says")
    sheet.fixed_value("inductance", "L", "Inductance of the loop", mains.inductance, "H", "as the brief says")
    sheet.result("terminal", "V_t", "Voltage at the socket", "V")
    sheet.result("internal_loss", "P_R", "Lost in the loop", "W")
    sheet.result("fault_current", "I_k", "Short-circuit current", "A", point="high")
    not_given(
        sheet,
        "The mains",
        f"behind {short(mains.resistance, 'ohm')} the bank falls before {{able}} are reached",
        "A mains of less impedance, a larger bank, or less power.",
        "the brief names this mains",
    )
    if worst.severity and not sheet.states[worst.point].collapsed:
        sheet.find(
            "breaker",
            "watch",
            "Line current near breaker rating",
            f"{fmt(worst.value, 'A')} RMS; a circuit of {short(BREAKER, 'A')} should carry {short(BREAKER * (1 - SPARE), 'A')} "
            "for hours.",
            "A correcting stage draws the least current for a power; else a circuit of its own, or less power.",
            worst=worst,
            unavoidable="a rectifier with a bank draws pulses, and the brief asks this power",
        )
    return sheet.close(
        f"{short(nominal, 'V')} {short(mains.frequency, 'Hz')}",
        f"{short(low, 'V')} to {short(high, 'V')}",
        now.power,
        now.power,
        now.drawing | {"mains": "yes"},
    )


def _of(brief: Brief) -> MainsSource:
    assert isinstance(brief.source, MainsSource)
    return brief.source
