"""The load: what the socket must give, and what the appliances meant make of the waveform."""

from __future__ import annotations

from dataclasses import dataclass, replace

from rhombos.core.blocks.base import Build
from rhombos.core.book import loads as book
from rhombos.core.brief import Brief, LoadKind
from rhombos.core.inventory import Item
from rhombos.core.ledger import Ledger
from rhombos.core.parts import Shelf
from rhombos.core.points import Point
from rhombos.core.report import BlockReport
from rhombos.core.sheet import Sheet
from rhombos.core.suits import STARTING, judge
from rhombos.core.units import fmt, short

KEY, TITLE = "load", "Load"
WAVE_CREST = 2**0.5
"""Crest of a three-level wave that keeps peak and RMS of a sine."""
CREST: dict[LoadKind, float] = {"adapter": 3.0, "rectifier": 3.0}
"""Peak over RMS current of rectifier-input loads without correction."""


class LoadBuild(Build):
    """Nothing is chosen here: the brief says what hangs on the socket."""


@dataclass(frozen=True, slots=True)
class LoadState:
    """Apparent power, VA; RMS and peak current, A; the equivalent series R–L, Ω and H (infinite and 0 when idle)."""

    voltage: float
    frequency: float
    power: float
    power_factor: float
    apparent: float
    current: float
    peak_current: float
    resistance: float
    inductance: float


def assess(point: Point, brief: Brief, ledger: Ledger) -> LoadState:
    """What the load draws at a point, at its rated voltage."""
    volts, hertz = brief.output.voltage, brief.output.frequency
    if point.power == 0:
        return LoadState(volts, hertz, 0.0, 1.0, 0.0, 0.0, 0.0, float("inf"), 0.0)
    apparent = ledger.work("load.apparent", book.apparent_power, P=point.power, cos_phi=point.power_factor)
    current = ledger.work("load.current", book.load_current, S=apparent, V_rms=volts)
    return LoadState(
        volts, hertz, point.power, point.power_factor, apparent, current,
        peak_current=ledger.work("load.peak_current", book.crest, I_rms=current),
        resistance=ledger.work(
            "load.resistance", book.load_resistance, V_rms=volts, cos_phi=point.power_factor, S=apparent),
        inductance=ledger.work(
            "load.inductance", book.load_inductance, V_rms=volts, cos_phi=point.power_factor, S=apparent,
            f_line=hertz),
    )  # fmt: skip


def following(rated: LoadState, share: float) -> LoadState:
    """The load at `share` of its rated voltage: it takes what the square of the voltage makes of it."""
    return replace(rated, voltage=rated.voltage * share, power=rated.power * share**2, apparent=rated.apparent * share**2,
                   current=rated.current * share, peak_current=rated.peak_current * share)  # fmt: skip


def parts(build: LoadBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Nothing: it hangs on the socket."""
    return ()


def report(sheet: Sheet, brief: Brief) -> BlockReport:
    """The load's figures, and what its kinds ask of the surge."""
    now: LoadState = sheet.now
    sheet.result("voltage", "U", "Voltage, RMS", "V")
    sheet.result("apparent", "S", "Apparent power", "V*A")
    sheet.result("current", "I", "Load current, RMS", "A")
    sheet.result("peak_current", r"\hat I", "Load current, peak", "A")
    sheet.result("peak_current", r"\hat I_s", "Peak at the surge", "A", point="surge_flat")
    sheet.result("resistance", "R_L", "Equivalent resistance", "ohm")
    sheet.result("inductance", "L_L", "Equivalent inductance", "H")
    refused = [j for k in brief.loads if (j := judge(k, brief.output.waveform, WAVE_CREST, 0.0)).verdict == "refuses"]
    if refused:
        names = " and ".join(j.load for j in refused)
        sheet.find("wave", "fix", f"A {brief.output.waveform} wave is not for every load that is meant",
                   f"For {names}: {refused[0].reason}.", "Ask for a sine in the brief, or keep such loads away and say so on "
                   "the socket.", figure="voltage", unavoidable="the brief asks for this wave and for these loads")  # fmt: skip
    motors = [k for k in brief.loads if k in STARTING]
    if motors:
        worst = max(motors, key=lambda k: STARTING[k])
        largest = brief.power.surge * brief.power.power_factor / STARTING[worst]
        sheet.find(
            "motor_start", "watch", f"A {worst} draws about {STARTING[worst]:g} times its power at start",
            f"With a surge of {short(brief.power.surge, 'W')} the largest {worst} that will start runs at about "
            f"{fmt(largest, 'W', 2)}.",
            "Read the motor's plate; raise the surge in the brief if it is larger, or fit a soft starter.",
            figure="peak_current")  # fmt: skip
    if any(k in CREST for k in brief.loads):
        crest = max(CREST[k] for k in brief.loads if k in CREST)
        sheet.find(
            "crest", "note", "Rectifier loads draw short, high peaks",
            f"An adapter without correction peaks at about {crest:g} times its RMS current, not 1.41; the trip and the "
            "filter inductor see that peak.",
            "Add up the adapters' currents times three and compare with the surge's peak.", figure="peak_current")  # fmt: skip
    return sheet.close(
        f"{short(now.voltage, 'V')} {short(now.frequency, 'Hz')}", "what hangs on the socket", now.power, now.power,
        {"voltage": f"{short(now.voltage, 'V')} RMS", "current": fmt(now.current, "A"),
         "power": fmt(now.power, "W"), "factor": f"cosφ {now.power_factor:g}"})  # fmt: skip
