"""What a high-frequency socket alone tells of itself: its voltage from end to end of the source, what it may feed."""

from __future__ import annotations

from rhombos.core.benches.load_compatibility import WIDE
from rhombos.core.blocks.hf_output import HfOutputBuild, HfOutputState
from rhombos.core.blocks.high_frequency import told_of_any
from rhombos.core.design.outputs import HfOutput
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.sheet import Sheet
from rhombos.core.units.quantities import fmt, short


def report(sheet: Sheet, output: HfOutput, frequency: float, lag: float) -> BlockReport:
    """What the socket gets from end to end of the source; `lag` is what the load draws behind cord and coil over what it alone
    would."""
    build: HfOutputBuild = sheet.build  # type: ignore[assignment]
    now: HfOutputState = sheet.now
    sheet.result("voltage", "U", "Voltage, RMS", "V")
    sheet.result("voltage", "U_{low}", "Voltage, lowest input", "V", point="low")
    sheet.result("voltage", "U_{high}", "Voltage, highest input", "V", point="high")
    sheet.result("peak", r"\hat U", "Height of its pulses", "V")
    sheet.result("powered", r"2\,D", "Time taken by pulses", "%")
    sheet.result("factor", r"\cos\varphi", "cosφ behind cord and coil", "1")
    sheet.result("voltage", "U_0", "Voltage, nothing plugged in", "V", point="idle")
    sheet.result("current", "I", "Current, RMS", "A")
    sheet.result("peak_current", r"\hat I", "Current, peak", "A")
    sheet.choice("coil", "L_c", "Coil against a short")
    lowest, highest = (float(sheet.states[k].voltage) for k in ("low", "high"))
    stray = max(highest / output.voltage - 1, 1 - lowest / output.voltage)
    if stray > WIDE:
        sheet.find(
            "strays", "watch", "The high-frequency socket is not held",
            f"{fmt(lowest, 'V')} to {fmt(highest, 'V')} from end to end of the source: the stage runs at a fixed duty, and "
            "nothing holds what it makes.", "A narrower source, or loads that take it.", figure="voltage")  # fmt: skip
    told_of_any(sheet, output, frequency, build.coil, lag, now.factor)
    return sheet.close(
        f"{short(output.voltage, 'V')} {short(frequency, 'Hz')}", "straight from the secondary", now.power, now.power,
        {"voltage": f"{fmt(now.voltage, 'V')} RMS", "current": fmt(now.current, "A"), "power": fmt(now.power, "W"),
         "coil": short(build.coil, "H")})  # fmt: skip
