"""What turns an output down that a bridge's index or width sets: a potentiometer across the reference of that set-point,
above an end resistor that stops it."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeAlias

from pydantic import Field

from rhombos.core.blocks.base import Build
from rhombos.core.book import sense
from rhombos.core.control.span import reached
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, small
from rhombos.core.frame.keys import Key
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.units.preferred import at_most
from rhombos.core.units.quantities import Ohm, fmt, short

Sheet: TypeAlias = "ReportBuilder[SettingBuild, SettingState]"

KEY: Key[SettingBuild, SettingState] = Key("setting")
TITLE = "Voltage setting"
USUAL = 10e3
"""Potentiometer, Ω, that a reference feeds without being loaded and a converter reads without being starved."""


class SettingBuild(Build):
    """A potentiometer and the resistor below it."""

    potentiometer: Ohm = Field(ge=100, le=1e6, title="Potentiometer")
    end: Ohm = Field(ge=1, le=1e7, title="End resistor below it")


@dataclass(frozen=True, slots=True)
class SettingState:
    """The output at the lower end, V RMS: as fitted, and the highest and the lowest that tolerances make of it."""

    turned_down: float
    turned_most: float
    turned_least: float


def propose(highest: float, lowest: float, pins: Fields, rules: Rules) -> SettingBuild:
    """An end resistor that reliably lets the output down from its highest setting to its lowest, V, and little further."""
    potentiometer = float(pins.get("potentiometer", USUAL))
    above = reached(potentiometer, 0.0, -1, rules)
    below = sense.turned_down.invert("R_2", {"V_set": lowest, "V_ref": highest, "R_1": above})
    fitting = at_most(max(1.0, below / (1 + rules.resistor_tolerance)))
    return SettingBuild.within({"potentiometer": potentiometer, "end": fitting} | pins)


def assess(highest: float, build: SettingBuild, rules: Rules, worksheet: Worksheet) -> SettingState:
    """Where the lower end lies for a highest setting, V."""
    corners = [
        sense.turned_down.work({
            "V_ref": highest, "R_1": reached(build.potentiometer, 0.0, side, rules),
            "R_2": build.end * (1 + other * rules.resistor_tolerance)})
        for side, other in itertools.product((-1, 1), (-1, 1))
    ]  # fmt: skip
    turned = worksheet.work(
        f"{KEY}.turned_down", sense.turned_down, V_ref=highest, R_1=build.potentiometer, R_2=build.end)  # fmt: skip
    return SettingState(turned, max(corners), min(corners))


def report(sheet: Sheet, highest: float, lowest: float) -> BlockReport:
    """Both ends of the span, and whether the lower is reached."""
    build: SettingBuild = sheet.build
    now: SettingState = sheet.now
    sheet.choice("potentiometer", "R_p", "Potentiometer")
    sheet.choice("end", "R_e", "End resistor below it")
    when = "turned down"
    sheet.result("turned_down", r"U_{low}", "Output, turned down", "V")
    sheet.fixed_value("turned_most", "", "Turned down, highest corner", now.turned_most, "V", when)
    sheet.fixed_value("turned_least", "", "Turned down, lowest corner", now.turned_least, "V", when)
    cure = (("Let the proposal choose the span", {f"{KEY}.potentiometer": None, f"{KEY}.end": None}),)
    if now.turned_most > lowest:
        sheet.find("span", "fix", "The output cannot be turned down far enough",
                   f"It reliably reaches {fmt(now.turned_most, 'V')}; {short(lowest, 'V')} is asked.",
                   "A smaller end resistor, or a larger potentiometer.", figure="turned_down", cures=cure)  # fmt: skip
    else:
        sheet.find("ends", "note", "The reference stops the span above, a fixed resistor below",
                   f"Turned up, the wiper stands at the reference: calibrate {short(highest, 'V')} there. Turned down the "
                   f"output comes to {fmt(now.turned_down, 'V')}, anywhere from {fmt(now.turned_least, 'V')} to "
                   f"{fmt(now.turned_most, 'V')}. An open wiper must mean the lowest setting: pull the input "
                   "that reads it down.",
                   "Measure both ends before the first load.", figure="turned_down")  # fmt: skip
    texts = {
        "potentiometer": fmt(build.potentiometer, "ohm"),
        "end": fmt(build.end, "ohm"),
        "low": fmt(now.turned_down, "V"),
        "high": fmt(highest, "V"),
    }
    return sheet.close(f"{short(lowest, 'V')} to {short(highest, 'V')}", "turn it down before you plug in", 0.0, 0.0, texts)


def parts(build: SettingBuild) -> Iterator[Item]:
    """What any drawer has."""
    yield from small("RP1", "potentiometer", "linear potentiometer of the span", build.potentiometer, "ohm")
    yield from small("R1", "end", "end resistor below it", build.end, "ohm")
