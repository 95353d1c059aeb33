"""The precharge of the bank that a source of direct voltage meets first; the mains has a limiter of its own."""

from __future__ import annotations

from collections.abc import Iterator

from rhombos.core.blocks import input_stage, precharge_report
from rhombos.core.blocks import precharge as block
from rhombos.core.blocks.isolation import KEY as ISOLATION
from rhombos.core.circuits import beside
from rhombos.core.design.pins import Fields
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import AuxiliaryOf
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Capacitor, Fuse
from rhombos.core.routes.supply import source_of


def need_of(at: Sizing) -> block.PrechargeNeed:
    """The input bank behind source and cable, at the highest voltage of the source."""
    full, shelf = at.brief.source.volts[2], at.shelf
    cells = source_of(full, at.builds, at.brief, shelf, at.rules)
    entry = at.builds[input_stage.KEY]
    return block.PrechargeNeed(
        full,
        cells.resistance,
        cells.inductance,
        cells.capacitance,
        input_stage.esr(entry, shelf),
        shelf.get(Fuse, entry.fuse).i_rating,
        shelf.get(Capacitor, entry.capacitor).v_rating * entry.banks,
    )


def _propose(at: Sizing, pins: Fields) -> block.PrechargeBuild:
    """A resistor, and a sequence about it."""
    return block.propose(need_of(at), pins, at.shelf, at.rules)


def _assess(at: Sizing, worksheet: Worksheet) -> block.PrechargeState:
    """It does not know of the load that comes after it."""
    return block.assess(need_of(at), at.builds[block.KEY], at.shelf, at.rules, worksheet)


def _report(sheet: precharge_report.Sheet, at: Sizing) -> BlockReport:
    return precharge_report.report(sheet, at.shelf.get(Fuse, at.builds[input_stage.KEY].fuse), need_of(at))


def _requirements(at: Sizing) -> Iterator[Requirement]:
    """Relay and contactor, whose coils run on what the house's coils do."""
    return block.requirements(at.builds[block.KEY], at.now[block.KEY], at.builds[ISOLATION].coil_rated)


STAGE = AuxiliaryOf(
    block.KEY, block.TITLE, block.PrechargeBuild, block.parts, _report, _requirements,
    propose=_propose, assess=_assess, sheet=12, circuit=beside.precharge,
    wanted=lambda at: input_stage.KEY in at.builds)  # fmt: skip
