"""Heat and insulation of every stage that sits on a heat-sink."""

from __future__ import annotations

from collections.abc import Iterator

from rhombos.core.blocks import heat as block
from rhombos.core.blocks import heat_report
from rhombos.core.circuits import maps
from rhombos.core.design.pins import Fields
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import AuxiliaryOf
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts.insulation import TOUCH_SAFE
from rhombos.core.routes import small_parts

COOLED = ("mosfet", "igbt", "bipolar", "diode")
"""Kinds that sit on a heat-sink, each on a pad, where their block has one."""


def need_of(at: Sizing) -> block.HeatNeed:
    """Every cooled stage at its hottest steady point; all heat that is made inside."""
    inside = max(s.flow["source"] - s.delivered for s in at.steady)
    full, brief = at.brief.source.volts[2], at.brief
    live = max(*(o.voltage for o in brief.outputs), full if full > TOUCH_SAFE else 0.0)
    stages = tuple(at.facets(lambda stage: stage.cooled))
    return block.HeatNeed(stages, max(inside, 0.1), brief.targets.ambient, full, brief.continuous, live)


def _propose(at: Sizing, pins: Fields) -> block.HeatBuild:
    """Case, pads, thermistor for the path as it stands."""
    return block.propose(need_of(at), pins, at.rules)


def _assess(at: Sizing, worksheet: Worksheet) -> block.HeatState:
    """How warm it gets, what must be stood."""
    return block.assess(need_of(at), at.builds[block.KEY], worksheet)


def _report(sheet: heat_report.Sheet, at: Sizing) -> BlockReport:
    return heat_report.report(sheet, need_of(at))


def _requirements(at: Sizing) -> Iterator[Requirement]:
    """Fan, thermistor, and a pad for each device of a block that has a heat-sink."""
    named = [stage.parts(at.builds[stage.key], at.shelf) for stage in at.stages]
    cooled = [items for items in named if any(i.kind == "heat_sink" for i in items)]
    devices = sum(i.count for items in cooled for i in items if i.kind in COOLED)
    blown = any(getattr(build, "fan", False) for build in at.builds.values())
    return block.requirements(at.builds[block.KEY], at.now[block.KEY], blown, devices)


STAGE = AuxiliaryOf(
    block.KEY, block.TITLE, block.HeatBuild, block.parts, _report, _requirements,
    propose=_propose, assess=_assess, sheet=14, circuit=maps.heat, small=small_parts.heat)  # fmt: skip
