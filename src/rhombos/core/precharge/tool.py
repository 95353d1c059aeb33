"""The precharge of any bus, with no design about it: the same block, its pictures, its files."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.blocks import precharge, precharge_report
from rhombos.core.circuits import beside
from rhombos.core.design.findings import Finding, PinValue, worst_first
from rhombos.core.design.pins import read_pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.points import Point
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Resistor, Shelf
from rhombos.core.plots.model import Chart
from rhombos.core.plots.precharge import pictures
from rhombos.core.precharge.table import state_table_c, state_table_csv
from rhombos.core.units.quantities import Ampere, Farad, Henry, Ohm, Volt


class Bus(BaseModel):
    """A bus to be charged: its source at the highest voltage, and its bank."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    voltage: Volt = Field(96, ge=12, le=1000, title="Highest voltage of the source")
    resistance: Ohm = Field(0.03, ge=1e-4, le=100, title="Resistance of source and leads")
    inductance: Henry = Field(1e-6, ge=0, le=1e-2, title="Inductance of the leads")
    bank: Farad = Field(6.8e-3, ge=1e-6, le=10, title="Capacitance of the bus")
    esr: Ohm = Field(5e-3, ge=0, le=10, title="Series resistance of the bank")
    current: Ampere = Field(60, ge=0, le=2000, title="Current that runs later")

    @property
    def need(self) -> precharge.PrechargeNeed:
        """The same as the block wants it."""
        return precharge.PrechargeNeed(self.voltage, self.resistance, self.inductance, self.bank, self.esr, self.current)


class PrechargeSeen(BaseModel):
    """What the block says of a bus, what it finds, and its pictures."""

    model_config = ConfigDict(frozen=True)

    block: BlockReport
    findings: tuple[Finding, ...]
    charts: tuple[Chart, ...]


def build_for(bus: Bus, pins: dict[str, PinValue], shelf: Shelf, rules: Rules) -> precharge.PrechargeBuild:
    """The precharge proposed for a bus, pins kept. Raises: PinError."""
    typed, _ = read_pins(pins, {precharge.KEY: precharge.PrechargeBuild}, shelf)
    return precharge.propose(bus.need, dict(typed.get(precharge.KEY, {})), shelf, rules)


def see(bus: Bus, pins: dict[str, PinValue], shelf: Shelf, rules: Rules) -> PrechargeSeen:
    """Figures, findings and sequences of a bus. Raises: PinError."""
    typed, _ = read_pins(pins, {precharge.KEY: precharge.PrechargeBuild}, shelf)
    build = build_for(bus, pins, shelf, rules)
    state = precharge.assess(bus.need, build, shelf, rules, Worksheet())
    point = Point("nominal", "highest source", bus.voltage, 0.0, 1.0)
    sheet = ReportBuilder(precharge.KEY, precharge.TITLE, build, {"nominal": state}, {"nominal": point}, typed, rules, shelf)
    told = precharge_report.report(sheet, None, bus.need).drawn(beside.precharge)
    charts = pictures(bus.need, build, shelf.get(Resistor, build.type))
    return PrechargeSeen(block=told.alone(), findings=tuple(worst_first(sheet.findings)), charts=charts)


def sequence_file(bus: Bus, pins: dict[str, PinValue], ending: str, shelf: Shelf, rules: Rules) -> str:
    """The sequence of a bus as a state table (csv) or as C (c). Raises: PinError."""
    build = build_for(bus, pins, shelf, rules)
    return (state_table_csv if ending == "csv" else state_table_c)(bus.need, build)
