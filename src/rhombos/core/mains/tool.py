"""A rectifier on one-phase mains for any load of constant power: the block, what it finds, and its pictures."""

from __future__ import annotations

from typing import Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from rhombos.core.blocks import mains_input, mains_input_report
from rhombos.core.circuits import mains
from rhombos.core.design.findings import Finding, PinValue, worst_first
from rhombos.core.design.pins import read_pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.points import Point
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.plots.mains import pictures
from rhombos.core.plots.model import Chart
from rhombos.core.units.quantities import Celsius, Henry, Hertz, Ohm, Second, Volt, Watt, short


class MainsAsked(BaseModel):
    """The mains, and what is drawn from the bank behind its rectifier."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    lowest: Volt = Field(207, ge=60, le=300, title="Lowest mains, RMS")
    nominal: Volt = Field(230, ge=85, le=277, title="Nominal mains, RMS")
    highest: Volt = Field(253, ge=85, le=320, title="Highest mains, RMS")
    frequency: Hertz = Field(50, ge=45, le=440, title="Mains frequency")
    resistance: Ohm = Field(0.4, ge=0.01, le=50, title="Resistance of the mains, loop")
    inductance: Henry = Field(0.8e-3, ge=0, le=0.05, title="Inductance of the mains, loop")
    power: Watt = Field(400, ge=5, le=5000, title="Power drawn from the bank")
    least: Volt = Field(200, ge=20, le=450, title="Bank voltage that the next stage still works at")
    hold_up: Second = Field(10e-3, ge=0, le=1, title="Hold-up time without mains")
    ambient: Celsius = Field(25, ge=-40, le=70, title="Ambient temperature")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.lowest <= self.nominal <= self.highest:
            raise ValueError(
                f"mains of {short(self.lowest, 'V')} lowest, {short(self.nominal, 'V')} nominal and "
                f"{short(self.highest, 'V')} highest are not in order; lowest ≤ nominal ≤ highest"
            )
        return self

    @property
    def line(self) -> mains_input.Line:
        """The same as the block wants it."""
        volts = (self.lowest, self.nominal, self.highest)
        return mains_input.Line(
            volts, self.frequency, self.resistance, self.inductance, self.power, self.least, self.hold_up, self.ambient
        )


class MainsSeen(BaseModel):
    """What the block says of a mains and a load, what it finds, and its pictures."""

    model_config = ConfigDict(frozen=True)

    block: BlockReport
    findings: tuple[Finding, ...]
    charts: tuple[Chart, ...]


def see(asked: MainsAsked, pins: dict[str, PinValue], shelf: Shelf, rules: Rules) -> MainsSeen:
    """Figures, findings and pictures. Raises: PinError."""
    line = asked.line
    typed, _ = read_pins(pins, {mains_input.KEY: mains_input.MainsInputBuild}, shelf)
    build = mains_input.propose(line, dict(typed.get(mains_input.KEY, {})), shelf, rules)
    points = points_of(line)
    states = {
        key: mains_input.assess(line, point.emf, point.power, build, shelf, rules, Worksheet()) for key, point in points.items()
    }
    sheet = ReportBuilder(mains_input.KEY, mains_input.TITLE, build, states, points, typed, rules, shelf)
    told = mains_input_report.report(sheet, line).drawn(mains.mains_input)
    return MainsSeen(block=told.alone(), findings=tuple(worst_first(sheet.findings)), charts=pictures(line, build, shelf))


def points_of(line: mains_input.Line) -> dict[str, Point]:
    """Full power at each mains voltage, and none at the highest."""
    low, nominal, high = line.volts
    return {
        "nominal": Point("nominal", "nominal mains", nominal, line.power, 1.0),
        "low": Point("low", "lowest mains", low, line.power, 1.0),
        "high": Point("high", "highest mains", high, line.power, 1.0),
        "idle": Point("idle", "highest mains, no load", high, 0.0, 1.0),
    }
