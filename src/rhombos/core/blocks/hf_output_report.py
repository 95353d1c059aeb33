"""What a high-frequency socket alone tells of itself: its voltage from end to end of the source, what it may feed."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.hf_output import HfOutputBuild, HfOutputState
from rhombos.core.blocks.high_frequency import told_of_any, told_of_its_range, voltages
from rhombos.core.design.outputs import HfOutput
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[HfOutputBuild, HfOutputState]"


def report(sheet: Sheet, output: HfOutput, frequency: float, lag: float) -> BlockReport:
    """What the socket gets from end to end of the source; `lag` is what the load draws behind cord and coil over what it alone
    would."""
    build: HfOutputBuild = sheet.build
    now: HfOutputState = sheet.now
    voltages(sheet, "cosφ behind cord and coil")
    sheet.result("current", "I", "Current, RMS", "A")
    sheet.result("peak_current", r"\hat I", "Current, peak", "A")
    sheet.choice("coil", "L_c", "Coil against a short")
    why = "the stage runs at a fixed duty, and nothing holds what it makes"
    told_of_its_range(sheet, output.voltage, why, "A narrower source, or loads that take it.")
    told_of_any(sheet, output, frequency, build.coil, lag, now.factor)
    return sheet.close(
        f"{short(output.voltage, 'V')} {short(frequency, 'Hz')}", "straight from the secondary", now.power, now.power,
        {"voltage": f"{fmt(now.voltage, 'V')} RMS", "current": fmt(now.current, "A"), "power": fmt(now.power, "W"),
         "coil": short(build.coil, "H")})  # fmt: skip
