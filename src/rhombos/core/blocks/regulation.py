"""An output that nothing holds: how far it varies with the source, and sags with the surge."""

from __future__ import annotations

from typing import Protocol, TypeAlias

from pydantic import BaseModel

from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue, Severity
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.units.quantities import fmt, short


class Unheld(Protocol):
    """A state with an output that nothing holds, V RMS."""

    @property
    def output(self) -> float:
        """V RMS."""


Sheet: TypeAlias = "ReportBuilder[BaseModel, Unheld]"


BAND = 0.10
"""How far the output may vary between the lowest and the highest input before it is a finding."""
FAR = 0.25
"""Departure of the output from which most loads fail."""
SURGE_SAG = 0.9
"""Share of the output asked that a surge may leave."""


def judge_output(sheet: Sheet, brief: Brief, cure: tuple[str, dict[str, PinValue]] | None, unheld: str | None = None) -> None:
    """The findings of a block whose states have the `output`, V RMS; `unheld` says why nothing could hold it."""
    asked = brief.output.voltage
    spread = {k: s.output for k, s in sheet.states.items() if k in (*STEADY, "idle") and k not in sheet.infeasible}
    low, high = min(spread, key=lambda k: spread[k], default=""), max(spread, key=lambda k: spread[k], default="")
    away = max(spread[high] / asked - 1, 1 - spread[low] / asked) if spread else 0.0
    if away > BAND:
        severity: Severity = "watch" if brief.output.waveform == "square" else "fix"
        sheet.find(
            "regulation",
            "stop" if away > FAR else severity,
            "The output follows the input",
            f"{fmt(spread[low], 'V')} at {sheet.points[low].label}, {fmt(spread[high], 'V')} at "
            f"{sheet.points[high].label}; nothing holds it at {short(asked, 'V')}.",
            "Control the width of the pulses, choose a regulated route, or feed only loads that bear it.",
            figure="output",
            cures=(cure,) if cure else (),
            unavoidable=unheld,
        )
    surged = {k: sheet.states[k].output for k in ("surge_low", "surge_high") if k not in sheet.infeasible}
    if surged and min(surged.values()) < SURGE_SAG * asked:
        worst = min(surged, key=lambda k: surged[k])
        sheet.find(
            "surge_sags",
            "watch",
            "The surge pulls the output down",
            f"{fmt(surged[worst], 'V')} of {short(asked, 'V')} at {sheet.points[worst].label}: motors start with the "
            "square of it.",
            "Thicker wire, a larger core, a higher turns ratio, or a higher input.",
            figure="output",
        )
