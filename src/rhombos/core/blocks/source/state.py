"""What a source does at one operating point, whichever it is."""

from __future__ import annotations

import math
from dataclasses import dataclass

from rhombos.core.book import source as book
from rhombos.core.frame.ledger import Ledger
from rhombos.core.frame.sheet import Sheet
from rhombos.core.units.quantities import fmt, short

KEY = "source"


@dataclass(frozen=True, slots=True)
class SourceState:
    """Terminal voltage, V; current: mean, RMS and peak, A; the loss inside the source, W (not counted as the inverter's); the
    most that it can give, W; how long it lasts, s."""

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


def state_of(
    emf: float,
    power: float,
    resistance: float,
    fault: float,
    ledger: Ledger,
    pulsation: float,
    crest: float,
    *,
    most: float,
    current: float,
    terminal: float,
    run_time: float,
    collapsed: bool,
) -> SourceState:
    """The state with what follows from its current: RMS, peak, heat inside."""
    rms = current * math.sqrt(pulsation)
    return SourceState(
        emf,
        resistance,
        terminal,
        current,
        rms,
        current * crest,
        power,
        internal_loss=ledger.work("source.internal_loss", book.ohmic_loss, I_rms=rms, R=resistance),
        capable=most,
        run_time=run_time,
        fault_current=fault,
        collapsed=collapsed,
    )


ENDS = (("low", "stop", "full power"), ("surge_low", "fix", "the surge"))
"""Points at which a source may give out, how grave that is, and what is asked there."""


def not_given(sheet: Sheet, name: str, why: str, remedy: str, reason: str) -> None:
    """Say at which points the source cannot give what is asked."""
    for key, severity, what in ENDS:
        state: SourceState = sheet.states[key]
        if state.collapsed:
            sheet.find(
                f"cannot_give_{key}",
                severity,  # type: ignore[arg-type]
                f"{name} cannot give {what}",
                f"{why.format(able=fmt(state.capable, 'W'))}; {what} asks {short(sheet.points[key].power, 'W')} at the socket.",
                remedy,
                figure="terminal",
                unavoidable=reason,
            )
