"""What a source does at one operating point, whichever it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple, TypeAlias

from rhombos.core.blocks.base import Build
from rhombos.core.frame.keys import Key
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[SourceBuild, SourceState]"

KEY: Key[SourceBuild, SourceState] = Key("source")


class SourceBuild(Build):
    """Nothing is chosen here: the brief names the source."""


class Given(NamedTuple):
    """What a kind of source says of giving a power: its resistance, Ω; terminal voltage, V; mean current, A; the most that it
    can give, W; how long it lasts, s; what flows on into a short circuit, A; whether it gives out."""

    resistance: float
    terminal: float
    current: float
    capable: float
    run_time: float
    fault_current: float
    collapsed: bool


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

    @property
    def drawing(self) -> dict[str, str]:
        """The values on its circuit, whichever it is."""
        return {
            "emf": fmt(self.emf, "V"),
            "resistance": fmt(self.resistance, "ohm"),
            "terminal": fmt(self.terminal, "V"),
            "current": fmt(self.current, "A"),
        }


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
