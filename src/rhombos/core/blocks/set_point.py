"""What a link is held at: a divider with its trimmer and, where it is adjustable, a potentiometer below; or a string of
zeners."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from dataclasses import dataclass

from pydantic import Field

from rhombos.core.blocks.base import Build, options
from rhombos.core.book import sense
from rhombos.core.control.span import reached, spanning
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.units.preferred import E6, E24, at_least, nearest
from rhombos.core.units.quantities import Ohm, Volt

LED_VOLTS, LED_CURRENT, LED_RESISTOR = 1.2, 2e-3, 1e3
RESISTOR_VOLTS = 250.0
"""Voltage one small resistor stands: more of them share a high one."""
TRIM_SHARE = 0.12
"""Trimmer over the lower resistor of the divider, proposed."""
TALLEST_ZENER = 100.0
LEAST_OVER = 1.001
"""The lowest setting over its reference that a divider can have at all."""


class DividerBuild(Build):
    """What holds the link: feedback, divider, trimmer, and the potentiometer of an adjustable one."""

    feedback: str = options("Feedback", "shunt reference and opto-coupler", "zener string and opto-coupler", "bare divider")
    reference: Volt = Field(ge=1, le=10, title="Reference")
    r_top: Ohm = Field(ge=1e3, le=10e6, title="Upper resistor of the divider, all of it")
    r_bottom: Ohm = Field(ge=100, le=1e6, title="Lower resistor, fixed part")
    set_trimmer: Ohm = Field(ge=0, le=1e6, title="Set-point trimmer")
    span_pot: Ohm = Field(0, ge=0, le=1e6, title="Potentiometer of the span")
    span_end: Ohm = Field(0, ge=0, le=10e6, title="End resistor across it")


@dataclass(frozen=True, slots=True)
class SetPoint:
    """Set-point as fitted, its lowest and its highest corner, and how low and high the trimmer takes it, V; with the
    potentiometer turned down, as fitted, and the highest and the lowest that tolerances make of that, V."""

    setpoint: float
    lowest: float
    highest: float
    trim_low: float
    trim_high: float
    turned_down: float
    turned_most: float
    turned_least: float


def strung(build: DividerBuild) -> bool:
    """Whether zeners hold it, which have nothing to turn."""
    return build.feedback.startswith("zener")


def zeners(link: float) -> tuple[float, ...]:
    """The zener string that comes nearest to a link voltage, V: preferred values, none taller than 100 V."""
    wanted = link - LED_VOLTS - LED_CURRENT * LED_RESISTOR
    count = max(1, math.ceil(wanted / TALLEST_ZENER))
    first = nearest(max(2.0, wanted / count))
    return (*([first] * (count - 1)), nearest(max(2.0, wanted - first * (count - 1))))


def divider(link: float, fields: Fields) -> Fields:
    """Resistors, Ω, whose set-point, the trimmer in its middle, comes nearest to a link, V."""
    ratio = link / fields["reference"] - 1
    if "r_top" in fields or "r_bottom" in fields:
        top = float(fields.get("r_top", nearest(fields.get("r_bottom", 4.7e3) * ratio)))
        bottom = float(fields.get("r_bottom", nearest(top / ratio * (1 - TRIM_SHARE / 2))))
        trimmer = at_least(max(10.0, TRIM_SHARE * bottom), E6)
        return {"r_top": top, "r_bottom": bottom, "set_trimmer": trimmer}
    best: tuple[float, float, float, float] | None = None
    for mantissa, wider in itertools.product((m for m in E24 if 2.2 <= m <= 6.8), (1.0, 1.5)):
        bottom = mantissa * 1e3
        trimmer = float(fields.get("set_trimmer", at_least(wider * TRIM_SHARE * bottom, E6)))
        top = nearest((bottom + trimmer / 2) * ratio)
        miss = abs(math.log((1 + top / (bottom + trimmer / 2)) * fields["reference"] / link))
        best = min(best or (math.inf, 0, 0, 0), (miss, bottom, top, trimmer))
    assert best is not None
    return {"r_bottom": best[1], "r_top": best[2], "set_trimmer": best[3]}


def span(link: float, least: float, fields: Fields, rules: Rules) -> Fields:
    """Potentiometer below the divider, and end resistor across it or 0, Ω, that reliably turn a link down from one voltage to
    another, V."""
    needed = max(
        sense.divider.invert("R_2", {"V_set": max(least, LEAST_OVER * reference), "V_ref": reference, "R_1": top}) - bottom
        for reference, top, bottom in _as_trimmed(link, fields["reference"], fields["r_top"], rules)
    )
    potentiometer, end = spanning(max(needed, 10.0), rules)
    return {"span_pot": potentiometer, "span_end": end}


def _as_trimmed(link: float, reference: float, top: float, rules: Rules) -> Iterator[tuple[float, float, float]]:
    """Reference, V, upper and lower resistance, Ω, at every tolerance, with the trimmer set so that the link stands where it
    should, V."""
    v, t = rules.reference_tolerance, rules.resistor_tolerance
    for x, y in itertools.product((-v, v), (-t, t)):
        stands, upper = reference * (1 + x), top * (1 + y)
        yield stands, upper, sense.divider.invert("R_2", {"V_set": link, "V_ref": stands, "R_1": upper})


def assess(link: float, build: DividerBuild, rules: Rules, worksheet: Worksheet) -> SetPoint:
    """Where it stands for a link, V."""
    return SetPoint(*_fitted(link, build, rules, worksheet), *_turned_down(link, build, rules, worksheet))


def _fitted(link: float, build: DividerBuild, rules: Rules, worksheet: Worksheet) -> tuple[float, float, float, float, float]:
    if strung(build):
        string = sum(zeners(link))
        nominal = worksheet.work(
            "controller.setpoint", sense.zener_string, V_Z=string, V_LED=LED_VOLTS, I_LED=LED_CURRENT, R=LED_RESISTOR
        )
        off = rules.zener_tolerance * string
        return nominal, nominal - off - 0.3, nominal + off + 0.3, nominal, nominal
    bottom = build.r_bottom + build.set_trimmer / 2
    nominal = worksheet.work("controller.setpoint", sense.divider, V_ref=build.reference, R_1=build.r_top, R_2=bottom)
    t, v = rules.resistor_tolerance, rules.reference_tolerance
    corners = [
        sense.divider.work({"V_ref": build.reference * (1 + x), "R_1": build.r_top * (1 + y), "R_2": bottom * (1 + z)})
        for x, y, z in itertools.product((-v, v), (-t, t), (-t, t))
    ]
    ends = [
        sense.divider.work({"V_ref": build.reference, "R_1": build.r_top, "R_2": build.r_bottom + share * build.set_trimmer})
        for share in (1.0, 0.0)
    ]
    return nominal, min(corners), max(corners), ends[0], ends[1]


def _turned_down(link: float, build: DividerBuild, rules: Rules, worksheet: Worksheet) -> tuple[float, float, float]:
    if not build.span_pot or strung(build):
        return link, link, link
    ends = [float(reached(build.span_pot, build.span_end, side, rules)) for side in (-1, 0, 1)]
    lower = build.r_bottom + build.set_trimmer / 2
    nominal = worksheet.work(
        "controller.turned_down", sense.divider, V_ref=build.reference, R_1=build.r_top, R_2=lower + ends[1]
    )
    corners = [
        sense.divider.work({"V_ref": stands, "R_1": upper, "R_2": bottom + end})
        for stands, upper, bottom in _as_trimmed(link, build.reference, build.r_top, rules)
        for end in ends
    ]
    return nominal, max(corners), min(corners)
