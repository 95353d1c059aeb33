"""What a sizing is made of: the parts that its blocks choose by name, and those that they only ask to stand something."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

from rhombos.core.blocks import controller, heat, input_stage, isolation, precharge, protection
from rhombos.core.design.findings import Finding
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.report import BlockReport, Figure
from rhombos.core.frame.requirement import Requirement, in_a_sentence
from rhombos.core.parts import Part
from rhombos.core.routes.common import COMMON

if TYPE_CHECKING:
    from rhombos.core.frame.solve import Worked

COOLED = ("mosfet", "igbt", "bipolar", "diode")
"""Kinds that sit on a heat-sink, each on a pad, where their block has one."""


@dataclass(frozen=True)
class PartsList:
    """Parts by name for each block, and each requirement with the part that meets it, None where the shelf has none."""

    named: Mapping[str, tuple[Item, ...]]
    met: tuple[tuple[Requirement, Part | None], ...]

    @cached_property
    def needed(self) -> dict[str, tuple[Item, ...]]:
        """Every part of each block."""
        return {key: (*items, *self._by_rating(key)) for key, items in self.named.items()}

    def _by_rating(self, block: str) -> Iterator[Item]:
        return (fitted(in_a_sentence(r.title), part, r.count) for r, part in self.met if r.block == block and part)

    def shown(self, report: BlockReport) -> BlockReport:
        """A block's report with a figure for each of its requirements."""
        more = tuple(_figure(r, part) for r, part in self.met if r.block == report.key)
        return report.model_copy(update={"figures": report.figures + more}) if more else report

    def missing(self) -> Iterator[Finding]:
        """One finding for each requirement that nothing on the shelf meets."""
        for r, part in self.met:
            if part is None:
                yield Finding(
                    code=f"{r.block}.not_on_shelf",
                    severity="note",
                    block=r.block,
                    title="Nothing on the shelf is rated for it",
                    cause=f"{r.title}: {r.told()}.",
                    figure=f"{r.block}.{r.name}",
                    remedy="Buy one of these ratings, or add it to the shelf.",
                )


def _figure(r: Requirement, part: Part | None) -> Figure:
    many = f"{r.count} × " if r.count > 1 else ""
    return Figure(
        address=f"{r.block}.{r.name}",
        symbol="",
        title=r.title,
        status="bought",
        asked=r.told(),
        part_kind=r.kind,
        choice=part.id if part else None,
        text=f"{many}{part.id}" if part else "none",
    )


def parts_list(worked: Worked) -> PartsList:
    """Every part of a sizing."""
    wave = worked.brief.output.waveform
    blocks = (*worked.route.blocks(wave), *worked.route.asides(wave), *COMMON)
    named = {b.KEY: b.parts(worked.builds[b.KEY], worked.shelf) for b in blocks}
    return PartsList(named, tuple((r, r.met_from(worked.shelf)) for r in _requirements(worked, _on_sinks(named))))


def _on_sinks(named: Mapping[str, tuple[Item, ...]]) -> int:
    cooled = (items for items in named.values() if any(i.kind == "heat_sink" for i in items))
    return sum(i.count for items in cooled for i in items if i.kind in COOLED)


def _requirements(worked: Worked, devices: int) -> Iterator[Requirement]:
    """Each block's requirements, with what another block decides of them: the coils' voltage, the barrier's proof."""
    builds: Mapping[str, Any] = worked.builds
    states, brief = worked.settled["nominal"].states, worked.brief
    guard, start, barrier = builds["protection"], builds["precharge"], builds["isolation"]
    starting = tuple(precharge.requirements(start, states["precharge"], barrier.coil_rated))
    direct = brief.output.direct
    guarding = tuple(protection.requirements(guard, barrier.coil_rated, direct))
    yield from guarding
    yield from starting
    relays = sum(r.count for r in (*guarding, *starting) if r.kind == "relay")
    yield from isolation.requirements(barrier, brief.output.voltage, guard.output_fuse, relays, direct)
    blown = any(getattr(build, "fan", False) for build in builds.values())
    yield from heat.requirements(builds["heat"], states["heat"], blown, devices)
    yield from input_stage.requirements(builds["input_stage"], brief.source.volts[2])
    if "controller" in builds:
        yield from controller.requirements(
            builds["controller"], builds["front_end"].frequency, barrier.proof, worked.rules.reference_tolerance
        )
