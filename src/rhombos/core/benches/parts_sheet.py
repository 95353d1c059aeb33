"""The parts list of a sizing, as one reads it: what to buy, fetch or wind, each line with its references."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Mapping

from pydantic import BaseModel, ConfigDict

from rhombos.core.frame.inventory import Item, fitted, gather
from rhombos.core.frame.parts_list import parts_list
from rhombos.core.frame.references import designator, legend, several
from rhombos.core.frame.requirement import Requirement, in_a_sentence
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import Stage
from rhombos.core.parts import Part, Shelf
from rhombos.core.parts.drawer import BY_LENGTH, Stock
from rhombos.core.parts.shelf import Stocked
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
    words, the value, how many,
    what was asked of it where it is bought by its ratings, what of it the drawer holds, and the price of one and of all,
    empty where it has none."""

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
    stock = _Stock(at.shelf.drawer or {})
    groups = []
    small = missing = 0
    for stage in at.stages:
        asked = [(r, part) for r, part in listed.met if r.block == stage.key]
        loose = listed.small[stage.key]
        lines = (
            *(_line(stage, item, at.shelf, stock) for item in listed.named[stage.key]),
            *(_bought(stage, r, part, at.shelf, stock) for r, part in asked),
            *(_line(stage, item, at.shelf, stock) for item in loose),
        )
        small += sum(item.count for item in loose)
        missing += sum(r.count for r, part in asked if part is None)
        if lines:
            groups.append(StageParts(block=stage.key, title=stage.title, lines=lines))
    every = gather(listed.needed.values())
    references = (line.reference for group in groups for line in group.lines)
    return PartsSheet(
        groups=tuple(groups),
        pieces=every.count + small + missing,
        small=small,
        missing=missing,
        cost=fmt(every.cost, "1"),
        mass=fmt(every.mass, "kg"),
        copper=fmt(every.copper, "kg"),
        letters=tuple(Letter(letter=letter, said=said) for letter, said in legend(references)),
    )


class _Stock:
    """What the drawer holds, counted down as the lines take from it."""

    def __init__(self, drawer: Mapping[Stocked, Stock]) -> None:
        self._drawer = drawer
        self._left = {where: stock.count for where, stock in drawer.items()}

    def taken(self, item: Item) -> str:
        """What a line gets from the drawer, in words."""
        where = item.kind, item.part
        stock = self._drawer.get(where)
        if not stock:
            return ""
        origin = "" if stock.condition == "new" else f", {stock.condition}"
        if item.kind in BY_LENGTH:
            return f"from the reel{origin}"
        got = min(item.count, self._left[where])
        self._left[where] -= got
        return f"{'all' if got == item.count else got or 'none'} of {item.count}{origin}" if item.count > 1 else (
            f"from the drawer{origin}" if got else "none left")  # fmt: skip


def _line(stage: Stage, item: Item, shelf: Shelf, stock: _Stock, asked: str = "") -> ListedPart:
    reference, priced = designator(stage.sheet, item.ref), item.price > 0
    return ListedPart(
        reference=several(reference, 1 if item.kind in WOUND else item.count),
        what=item.what,
        part=item.part,
        described=shelf.find(item.kind, item.part).label if item.kind else "",
        value=item.value,
        count=item.count,
        asked=asked,
        drawer=stock.taken(item),
        each=fmt(item.price, "1") if priced else "",
        price=fmt(item.count * item.price, "1") if priced else "",
        missing=False,
    )


def _bought(stage: Stage, r: Requirement, part: Part | None, shelf: Shelf, stock: _Stock) -> ListedPart:
    if part is not None:
        return _line(stage, fitted(r.ref, in_a_sentence(r.title), part, r.count), shelf, stock, r.told())
    return ListedPart(
        reference=several(designator(stage.sheet, r.ref), r.count), what=in_a_sentence(r.title), count=r.count, part=NONE,
        described="", value="", asked=r.told(), drawer="", each="", price="", missing=True)  # fmt: skip


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
