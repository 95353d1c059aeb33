"""What a sizing is made of: the parts that its blocks choose by name, and those that they only ask to stand something."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

from rhombos.core.design.findings import Finding
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.references import designator
from rhombos.core.frame.report import BlockReport, Figure
from rhombos.core.frame.requirement import Requirement, in_a_sentence
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import Stage
from rhombos.core.parts import Part


@dataclass(frozen=True)
class PartsList:
    """Parts by name for each block, those that any drawer has, and each requirement with the part that meets it, None where the
    shelf has none; each block's stage."""

    named: Mapping[str, tuple[Item, ...]]
    small: Mapping[str, tuple[Item, ...]]
    met: tuple[tuple[Requirement, Part | None], ...]
    stages: Mapping[str, Stage]

    @cached_property
    def needed(self) -> dict[str, tuple[Item, ...]]:
        """Every part of each block."""
        return {key: (*items, *self._by_rating(key)) for key, items in self.named.items()}

    def _by_rating(self, block: str) -> Iterator[Item]:
        return (fitted(r.ref, in_a_sentence(r.title), part, r.count) for r, part in self.met if r.block == block and part)

    def shown(self, report: BlockReport) -> BlockReport:
        """A block's report with a figure for each of its requirements, beside every choice the reference of its part, and its
        circuit."""
        stage, called = self.stages[report.key], self._called(report.key)
        figures = report.figures + tuple(_figure(r, part) for r, part in self.met if r.block == report.key)
        named = (
            f.model_copy(update={"reference": called[f.address]}) if f.address in called and f.status != "result" else f
            for f in figures
        )
        told = report.model_copy(update={"figures": tuple(named)})
        return told.drawn(stage.circuit, stage.sheet, self._items(report.key)) if stage.circuit else told

    def _items(self, block: str) -> tuple[Item, ...]:
        return *self.named[block], *self.small[block]

    def _called(self, block: str) -> dict[str, str]:
        """Which part each figure of a block tells of, by its reference."""
        sheet = self.stages[block].sheet
        own = {f"{block}.{field}": designator(sheet, item.ref) for item in self._items(block) for field in item.fields}
        asked = (r for r, _ in self.met if r.block == block)
        return own | {f"{block}.{field}": designator(sheet, r.ref) for r in asked for field in (r.name, *r.fields)}

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


def parts_list(at: Sizing) -> PartsList:
    """Every part of a sizing."""
    named: dict[str, tuple[Item, ...]] = {stage.key: stage.parts(at.builds[stage.key], at.shelf) for stage in at.stages}
    small: dict[str, tuple[Item, ...]] = {stage.key: tuple(stage.small(at)) for stage in at.stages}
    asked = (r for stage in at.stages for r in stage.requirements(at))
    met = tuple((r, r.met_from(at.shelf)) for r in asked)
    return PartsList(named, small, met, {stage.key: stage for stage in at.stages})
