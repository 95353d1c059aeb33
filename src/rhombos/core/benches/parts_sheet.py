"""The parts list of a sizing, as one reads it: what to buy, fetch or wind, each line with its references."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator

from pydantic import BaseModel, ConfigDict

from rhombos.core.frame.inventory import Item, fitted, gather
from rhombos.core.frame.parts_list import parts_list
from rhombos.core.frame.references import designator, legend, several
from rhombos.core.frame.requirement import Requirement, in_a_sentence
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import Stage
from rhombos.core.parts import Part, Shelf
from rhombos.core.parts.drawer import BY_LENGTH
from rhombos.core.units.quantities import fmt

FORGOTTEN = (
    "Not on this list: cable, sleeves, screws, solder and the case; the control supply, comparators and the sense amplifier; "
    "diode and capacitor of a clamp, diodes across coils, what guards against reversed leads."
)
"""What a sizing does not choose, and must be bought all the same."""
NONE = "none on the shelf"
WOUND = ("core", "iron_core", "wire")
"""Kinds that only together, however many of each, make one part."""


class _Plain(BaseModel):
    model_config = ConfigDict(frozen=True)


class ListedPart(_Plain):
    """A line: its reference, what it is for, the part from the shelf (none where any drawer has it), what that is in a few
    words, its value, how many, what was asked of it where it is bought by its ratings, what of it the drawer holds; the price
    of one, and of those that are left to buy, empty where it has none."""

    reference: str
    what: str
    part: str
    described: str
    value: str
    count: int
    asked: str
    drawer: str
    each: str
    price: str
    missing: bool


class StageParts(_Plain):
    """The lines of one stage."""

    block: str
    title: str
    lines: tuple[ListedPart, ...]


class Letter(_Plain):
    """What a reference's letter stands for."""

    letter: str
    said: str


class PartsSheet(_Plain):
    """All of it: sums in words, and the letters that its references begin with. Lines that are a value alone are counted in
    `small` and have no price."""

    groups: tuple[StageParts, ...]
    pieces: int
    small: int
    missing: int
    cost: str
    mass: str
    copper: str
    letters: tuple[Letter, ...]
    forgotten: str = FORGOTTEN


def parts_sheet(at: Sizing) -> PartsSheet:
    """Every part of a sizing, stage by stage in the order of the path."""
    listed = parts_list(at)
    making = _Lines(at.shelf)
    groups = []
    for stage in at.stages:
        asked = (making.asked(stage, r, part) for r, part in listed.met if r.block == stage.key)
        items = (making.line(stage, item) for item in listed.named[stage.key])
        lines = (*items, *asked, *(making.line(stage, item) for item in listed.small[stage.key]))
        if lines:
            groups.append(StageParts(block=stage.key, title=stage.title, lines=lines))
    every = [line for group in groups for line in group.lines]
    stock = gather(listed.needed.values())
    return PartsSheet(
        groups=tuple(groups),
        pieces=sum(line.count for line in every),
        small=sum(item.count for items in listed.small.values() for item in items),
        missing=sum(line.count for line in every if line.missing),
        cost=fmt(making.cost, "1"),
        mass=fmt(stock.mass, "kg"),
        copper=fmt(stock.copper, "kg"),
        letters=tuple(Letter(letter=letter, said=said) for letter, said in legend(line.reference for line in every)),
    )


class _Lines:
    """Makes lines one after the other: what the drawer holds is counted down, and what is left to buy is added up, at the price
    of the shelf: what the drawer's share of it weighs in proposals is no price."""

    def __init__(self, shelf: Shelf) -> None:
        self._shelf = shelf
        self._left = {where: stock.count for where, stock in shelf.drawer.items()}
        self.cost = 0.0

    def line(self, stage: Stage, item: Item, asked: str = "") -> ListedPart:
        """A part that is there, or that any drawer has."""
        taken, drawer = self._taken(item)
        each = self._shelf.plain.find(item.kind, item.part).price if item.kind and item.kind != "wire" else item.price
        price = (item.count - taken) * each
        self.cost += price
        return ListedPart(
            reference=several(designator(stage.sheet, item.ref), 1 if item.kind in WOUND else item.count),
            what=item.what,
            part=item.part,
            described=self._shelf.find(item.kind, item.part).label if item.kind else "",
            value=item.value,
            count=item.count,
            asked=asked,
            drawer=drawer,
            each=fmt(each, "1") if each else "",
            price=fmt(price, "1") if each else "",
            missing=False,
        )

    def asked(self, stage: Stage, r: Requirement, part: Part | None) -> ListedPart:
        """A part that is bought by its ratings, or that the shelf has not."""
        if part is not None:
            return self.line(stage, fitted(r.ref, in_a_sentence(r.title), part, r.count), r.told())
        return ListedPart(
            reference=several(designator(stage.sheet, r.ref), r.count), what=in_a_sentence(r.title), count=r.count, part=NONE,
            described="", value="", asked=r.told(), drawer="", each="", price="", missing=True)  # fmt: skip

    def _taken(self, item: Item) -> tuple[int, str]:
        """How many the drawer gives, and in words."""
        where = item.kind, item.part
        stock = self._shelf.drawer.get(where)
        if not stock:
            return 0, ""
        origin = "" if stock.condition == "new" else f", {stock.condition}"
        if item.kind in BY_LENGTH:
            return item.count, f"from the reel{origin}"
        taken = min(item.count, self._left[where])
        self._left[where] -= taken
        if item.count == 1:
            return taken, f"from the drawer{origin}" if taken else "none left"
        share = "all" if taken == item.count else taken or "none"
        return taken, f"{share} of {item.count}{origin}"


COLUMNS = ("reference", "stage", "what", "count", "part", "described", "value", "asked", "drawer", "each", "price")


def parts_csv(at: Sizing) -> str:
    """The same as CSV (RFC 4180), a line a part."""
    out = io.StringIO()
    write = csv.writer(out)
    write.writerow(COLUMNS)
    write.writerows(_rows(parts_sheet(at)))
    return out.getvalue()


def _rows(table: PartsSheet) -> Iterator[tuple[str | int, ...]]:
    for group in table.groups:
        for line in group.lines:
            own = line.model_dump()
            yield tuple(group.title if name == "stage" else own[name] for name in COLUMNS)
