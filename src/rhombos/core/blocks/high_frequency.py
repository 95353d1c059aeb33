"""What is told of any high-frequency socket, alone or beside another."""

from __future__ import annotations

from typing import Protocol, TypeAlias

from pydantic import BaseModel

from rhombos.core.benches.load_compatibility import WIDE, judge
from rhombos.core.blocks.h_bridge import AUDIBLE
from rhombos.core.design.outputs import HfOutput
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.units.quantities import fmt, short


class Pulsed(Protocol):
    """A state with pulses of a height, V RMS."""

    @property
    def voltage(self) -> float:
        """V RMS."""


Sheet: TypeAlias = "ReportBuilder[BaseModel, Pulsed]"


LOSES = 0.8
"""Share of what it would draw at the tap that a load should get behind coil and cord, at least."""
SAME_FREQUENCY = 0.10
"""How far the stage's frequency may lie from the one asked."""


def voltages(sheet: Sheet, factor: str) -> None:
    """What it gives, from end to end of the source, and with nothing plugged in; `factor` names where its cosφ is told."""
    sheet.result("voltage", "U", "Voltage, RMS", "V")
    sheet.result("voltage", "U_{low}", "Voltage, lowest input", "V", point="low")
    sheet.result("voltage", "U_{high}", "Voltage, highest input", "V", point="high")
    sheet.result("peak", r"\hat U", "Height of its pulses", "V")
    sheet.result("powered", r"2\,D", "Time taken by pulses", "%")
    sheet.result("factor", r"\cos\varphi", factor, "1")
    sheet.result("voltage", "U_0", "Voltage, nothing plugged in", "V", point="idle")


def told_of_its_range(sheet: Sheet, asked: float, why: str, remedy: str) -> None:
    """That its voltage strays from the one asked, V, from end to end of the source, and why."""
    lowest, highest = (float(sheet.states[k].voltage) for k in ("low", "high"))
    if max(highest / asked - 1, 1 - lowest / asked) > WIDE:
        sheet.find(
            "strays", "watch", "High-frequency output not regulated",
            f"{fmt(lowest, 'V')} to {fmt(highest, 'V')} from end to end of the source: {why}.", remedy,
            figure="voltage")  # fmt: skip


def told_of_any(sheet: Sheet, output: HfOutput, frequency: float, coil: float, lag: float, factor: float) -> None:
    """What is told of any high-frequency socket, whether another stands beside it or not; `lag` is what its load draws behind
    cord and coil, H, over what it alone would."""
    if lag < LOSES:
        sheet.find(
            "cord", "watch", "Cord and coil drop too high",
            f"At {short(frequency, 'Hz')} the load gets {fmt(lag, '%', 2)} of what it would at the tap: cosφ is "
            f"{fmt(factor, '1', 2)} through {short(output.cord, 'm')} of cord and {fmt(coil, 'H', 2)}. The tap makes "
            "up for it at full load; with less in the socket its voltage climbs.",
            "A shorter cord, a lower frequency, a higher voltage, or less power.", figure="factor")  # fmt: skip
    if abs(frequency / output.frequency - 1) > SAME_FREQUENCY:
        sheet.find(
            "frequency", "fix", "Stage off the frequency asked",
            f"{short(output.frequency, 'Hz')} is asked; the stage switches at {short(frequency, 'Hz')}.",
            "Ask for what it runs at, or let it run at what is asked where its leads bear that.", figure="voltage",
            cures=(("Let the proposal choose it", {"front_end.frequency": None}),),
            unavoidable=None if "frequency" in sheet.pins.get("front_end", {}) else
            "a stage of this power on this source bears no more: currents must rise through its leads in each pulse, clamps "
            "and switches burn at each edge")  # fmt: skip
    if frequency < AUDIBLE:
        sheet.find(
            "sings", "note", "It is heard",
            f"At {short(frequency, 'Hz')} core, windings and many a load sing.",
            "Ask for more than it takes to be heard, varnish the windings, or keep it out of earshot.",
            figure="voltage")  # fmt: skip
    refused = [j for kind in output.loads if (j := judge(kind, "HF", 1.0, 0.0)).verdict == "refuses"]
    if refused:
        sheet.find(
            "wave", "fix", "Loads not suited to high frequency",
            f"For {' and '.join(j.load for j in refused)}: {refused[0].reason}.",
            "Feed heaters and filament lamps from it; anything else belongs at a socket of another kind.", figure="voltage",
            unavoidable="the brief asks for this socket and for these loads")  # fmt: skip
    sheet.find(
        "radiates", "note", "Its cord is an aerial, and what it carries shocks and burns",
        f"A square wave of {short(output.voltage, 'V')} at {short(frequency, 'Hz')} radiates along every metre of cord, and "
        "passes through insulation as current through a capacitor.",
        "Keep the cord short, its cores side by side or screened; a socket that no mains plug fits; local rules on "
        "interference and on touch apply.", figure="voltage")  # fmt: skip
