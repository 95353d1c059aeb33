"""A rectifier on one-phase mains for any load of constant power: the block, what it finds, and its pictures."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.blocks import mains_input, mains_input_report, mains_proposal
from rhombos.core.circuits import mains
from rhombos.core.design.findings import Finding, PinValue, worst_first
from rhombos.core.design.pins import read_pins
from rhombos.core.design.rules import Rules
from rhombos.core.design.sources import OnePhase
from rhombos.core.frame.points import Point
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.plots.mains import pictures
from rhombos.core.plots.model import Chart
from rhombos.core.units.quantities import Celsius, Volt, Watt


class MainsAsked(OnePhase):
    """The mains, and what is drawn from the bank behind its rectifier."""

    power: Watt = Field(400, ge=5, le=5000, title="Power drawn from the bank")
    least: Volt = Field(200, ge=20, le=450, title="Bank voltage that the next stage still works at")
    ambient: Celsius = Field(25, ge=-40, le=70, title="Ambient temperature")

    @property
    def line(self) -> mains_input.Line:
        """The same as the block wants it."""
        return mains_input.line_of(self, self.least, self.ambient)


class MainsSeen(BaseModel):
    """What the block says of a mains and a load, what it finds, and its pictures."""

    model_config = ConfigDict(frozen=True)

    block: BlockReport
    findings: tuple[Finding, ...]
    charts: tuple[Chart, ...]


def see(asked: MainsAsked, pins: dict[str, PinValue], shelf: Shelf, rules: Rules) -> MainsSeen:
    """Figures, findings and pictures. Raises: PinError."""
    line, draws = asked.line, mains_input.Draws(asked.power)
    typed, _ = read_pins(pins, {mains_input.KEY: mains_input.MainsInputBuild}, shelf)
    build = mains_proposal.propose(line, draws, dict(typed.get(mains_input.KEY, {})), shelf, rules)
    points = points_of(line, asked.power)
    states = {
        key: mains_input.assess(line, point.emf, mains_input.Draws(point.power), build, shelf, rules, Worksheet())
        for key, point in points.items()
    }
    sheet = ReportBuilder(mains_input.KEY, mains_input.TITLE, build, states, points, typed, rules, shelf)
    told = mains_input_report.report(sheet, line).drawn(mains.mains_input)
    return MainsSeen(
        block=told.alone(), findings=tuple(worst_first(sheet.findings)), charts=pictures(line, draws, build, shelf)
    )


def points_of(line: mains_input.Line, power: float) -> dict[str, Point]:
    """Full power at each mains voltage, and none at the highest."""
    low, nominal, high = line.volts
    return {
        "nominal": Point("nominal", "nominal mains", nominal, power, 1.0),
        "low": Point("low", "lowest mains", low, power, 1.0),
        "high": Point("high", "highest mains", high, power, 1.0),
        "idle": Point("idle", "highest mains, no load", high, 0.0, 1.0),
    }
