"""What a high-frequency socket tells of itself: its voltage from end to end of the source, a short, what it may feed."""

from __future__ import annotations

import math
from typing import TypeAlias

from rhombos.core.blocks.hf_socket import KEY, HfSocketBuild, HfState, Shorted
from rhombos.core.blocks.high_frequency import told_of_any, told_of_its_range, voltages
from rhombos.core.blocks.short_path import FUSED
from rhombos.core.design.outputs import HfOutput
from rhombos.core.frame.points import LOWEST_SET, STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.magnetics.transformer import turns_off
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[HfSocketBuild, HfState]"

ALONE = 0.9
"""Share of the voltage asked below which it counts as gone."""

GOES_ALONG = 0.97
"""What must be left of its voltage at the lowest setting of the other socket, lest it is told."""


def report(
    sheet: Sheet, output: HfOutput, frequency: float, most: int, held: bool, loose: bool, link: float, short_of: Shorted
) -> BlockReport:
    """What the socket gets from end to end of the source, loaded and not; what it may feed. `loose`: the other socket bears a
    link that nothing holds; `link` its highest voltage, V."""
    build: HfSocketBuild = sheet.build
    now: HfState = sheet.now
    sheet.choice("turns", "N_{hf}", "Turns between its terminals")
    voltages(sheet, "Power factor at the tap")
    sheet.choice("fuse", "I_F", "Fuse at the socket")
    sheet.choice("coil", "L_c", "Coil against a short")
    off = sheet.fixed(
        "short_off", r"\hat I_{sc}", "Switches, short of it off", short_of.off(build.coil), "A", short_of.path.stands, 0.0,
        "a short of the socket")  # fmt: skip
    surge = max(s.current for k, s in sheet.states.items() if k not in sheet.infeasible or k == "nominal")
    amps = sheet.fixed(
        "current", "I", "Current, RMS, full power", _most(sheet), "A", build.fuse, 1 - 1 / FUSED, "hardest input"
    )
    sheet.fixed_value("surge_current", "I_s", "Current, RMS, surge", surge, "A", "hardest input")
    sheet.result("resistance", "R_L", "Load's resistance", "ohm")
    if build.turns > most:
        sheet.find(
            "tap", "stop", "It is tapped beyond the winding",
            f"{build.turns} turns are asked between its terminals; {most} lie between those that feed one bridge.",
            f"{most} turns at most, or more on the secondary.", figure="turns",
            cures=(("Let the proposal choose the tap", {f"{KEY}.turns": None}),))  # fmt: skip
    _off(sheet, output, build, most, held, float(sheet.states["high"].voltage))
    _alone(sheet, output, held, loose)
    _turned(sheet, output)
    told_of_any(sheet, output, frequency, build.coil, now.lag, now.factor)
    if amps.severity:
        sheet.find(
            "fuse", amps.severity, "The fuse at the high-frequency socket is too small",
            f"{fmt(amps.value, 'A')} flow at full power; {short(build.fuse, 'A')} carry {fmt(build.fuse / FUSED, 'A')} for "
            "long.",
            "The next larger fuse, if the cord bears it.", worst=amps,
            cures=(("Let the proposal choose it", {f"{KEY}.fuse": None}),))  # fmt: skip
    if off.severity:
        sheet.find(
            "short", "stop", "A short of the high-frequency socket is switched off too late",
            f"Only leakage slows it: {fmt(off.value, 'A')} in the switches {fmt(short_of.delay, 's')} after the trip at "
            f"{fmt(short_of.trip, 'A')}; {fmt(short_of.path.stands, 'A')} is what they may see.",
            "A coil in its lead, a quicker comparator, or more switches in parallel.", worst=off,
            cures=(("Let the proposal choose the coil", {f"{KEY}.coil": None}),))  # fmt: skip
    sheet.find(
        "shared", "note", "Nothing isolates it from the other socket",
        f"It is tapped from the winding that feeds the link: through the rectifier its terminals ride on that, up to "
        f"{short(link, 'V')} from it either way.",
        "Treat both sockets as one live circuit: no common earth, no cord that joins them, a differential probe.",
        figure="voltage")  # fmt: skip
    return sheet.close(
        f"{short(output.voltage, 'V')} {short(output.frequency, 'Hz')}", "straight from the secondary", now.power, now.power,
        {"voltage": f"{fmt(now.voltage, 'V')} RMS", "current": fmt(now.current, "A"), "power": fmt(now.power, "W"),
         "turns": f"{build.turns} turns", "fuse": short(build.fuse, "A")})  # fmt: skip


def _most(sheet: Sheet) -> float:
    return max(float(sheet.states[k].current) for k in STEADY if k not in sheet.infeasible or k == "nominal")


def _off(sheet: Sheet, output: HfOutput, build: HfSocketBuild, most: int, held: bool, highest: float) -> None:
    """Beside the voltage asked, or far about it."""
    lowest = sheet.states["low"].voltage
    middle = math.sqrt(lowest * highest)
    turn = middle / build.turns
    if abs(middle / output.voltage - 1) > turns_off(turn / output.voltage):
        short_of = middle < output.voltage and build.turns >= most
        sheet.find(
            "voltage", "fix", "High-frequency output off its voltage",
            f"{build.turns} turns give {fmt(lowest, 'V')} on the lowest input and {fmt(highest, 'V')} on the highest; "
            f"{short(output.voltage, 'V')} is asked.",
            f"It is tapped from the other socket's secondary, whose {most} turns make no more: ask for less here, or for more "
            "there." if short_of else "Tap it elsewhere.", figure="voltage",
            cures=(("Let the proposal choose the tap", {f"{KEY}.turns": None}),),
            unavoidable="the whole secondary makes no more" if short_of else None)  # fmt: skip
    why = "its pulses grow higher as they grow shorter" if held else "it follows the source"
    told_of_its_range(
        sheet,
        output.voltage,
        why,
        "A narrower source, loads that take it, or the other socket for what needs a steady voltage.",
    )


def _turned(sheet: Sheet, output: HfOutput) -> None:
    """What an adjustable output beside it makes of it, where that turns the stage's duty down."""
    if LOWEST_SET not in sheet.states:
        return
    sheet.turned("voltage", "U", "Voltage, RMS", "V")
    least, high = sheet.states[LOWEST_SET].voltage, sheet.states["high"].voltage
    if least < GOES_ALONG * high:
        sheet.find(
            "turned", "watch", "It goes down with the adjustable socket",
            f"The other socket is set lower by shorter pulses: at its lowest setting {fmt(least, 'V')} are left here, of "
            f"{fmt(high, 'V')} at its highest.",
            f"Loads that bear it, a sine beside it, which its bridge turns down, or a design of its own for "
            f"{short(output.voltage, 'V')}.", figure="voltage")  # fmt: skip


def _alone(sheet: Sheet, output: HfOutput, held: bool, loose: bool) -> None:
    """With nothing at the other socket a stage that holds a link makes the shortest of pulses; `loose` where the link need not
    be held."""
    empty = sheet.states["idle"].voltage
    if held and empty < ALONE * output.voltage:
        sheet.find(
            "alone", "watch", "It lives on what the other socket draws",
            "With nothing at the other socket the choke runs dry and its controller makes pulses so short that "
            f"{fmt(empty, 'V')} are left here.",
            ("A rectifier without a choke, whose stage runs at full duty; or a" if loose else "A")
            + " least load at the other socket.", figure="voltage")  # fmt: skip
