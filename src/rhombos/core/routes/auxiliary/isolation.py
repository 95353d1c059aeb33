"""Which side everything belongs to, and what crosses between them."""

from __future__ import annotations

import math
from collections.abc import Iterator

from rhombos.core.blocks import isolation as block
from rhombos.core.blocks import isolation_report
from rhombos.core.blocks.protection import KEY as PROTECTION
from rhombos.core.circuits import maps
from rhombos.core.design.pins import Fields
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import AuxiliaryOf
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.routes import small_parts

BARE = "bare divider"
UNKNOWN = "driver behind the controller's isolator"
"""By what gate signals are taken to cross where no drive says it."""


def need_of(at: Sizing) -> block.IsolationNeed:
    """Highest voltages, and what crosses by which part of the other blocks."""
    empty, _, full = at.brief.source.volts
    output, out = at.brief.output, at.brief.output.voltage
    link = 0.0
    if at.link and at.beyond:
        link = max(at.settled[k].states[at.link.key].peak for k in (*STEADY, "idle"))
    highest = out
    if PROTECTION in at.builds:
        highest = max(out, at.builds[PROTECTION].output_high)
    crest = 1.0 if output.direct or output.quick else math.sqrt(2)
    bus = link if at.barrier else full
    feedback = next(iter(at.facets(lambda stage: stage.feedback)), "none")
    return block.IsolationNeed(
        empty,
        full,
        link,
        peak=max(highest * crest, bus if output.stepped or output.direct else 0.0, *at.facets(lambda stage: stage.stands)),
        v_out=max(o.voltage for o in at.brief.outputs),
        beyond=at.beyond,
        feedback=feedback,
        feedback_isolated=feedback != BARE,
        gates=next((d.crosses for d in at.facets(lambda stage: stage.drive) if d.crosses), UNKNOWN),
        gates_isolated=True,
        line=output.frequency,
        sampled=max(at.facets(lambda stage: stage.sampled), default=0.0),
        barrier=at.barrier,
        rectified=output.quick,
        mains=at.brief.mains is not None,
    )


def _propose(at: Sizing, pins: Fields) -> block.IsolationBuild:
    """Barriers kept whole, a sense chain with room."""
    return block.propose(need_of(at), pins, at.rules)


def _assess(at: Sizing, worksheet: Worksheet) -> block.IsolationState:
    """What it must stand and what it tells."""
    return block.assess(need_of(at), at.builds[block.KEY], at.rules, worksheet)


def _report(sheet: isolation_report.Sheet, at: Sizing) -> BlockReport:
    return isolation_report.report(sheet, need_of(at))


def _requirements(at: Sizing) -> Iterator[Requirement]:
    """The socket, what crosses the barrier, and what clamps the coils of every relay of the design."""
    others = (r for stage in at.stages if stage is not STAGE for r in stage.requirements(at))
    relays = sum(r.count for r in others if r.kind == "relay")
    output = at.brief.output
    return block.requirements(
        at.builds[block.KEY], output.voltage, at.builds[PROTECTION].output_fuse, relays,
        mains=not (output.direct or output.quick))  # fmt: skip


STAGE = AuxiliaryOf(
    block.KEY, block.TITLE, block.IsolationBuild, block.parts, _report, _requirements,
    propose=_propose, assess=_assess, sheet=15, circuit=maps.isolation, small=small_parts.isolation)  # fmt: skip
