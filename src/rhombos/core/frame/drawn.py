"""What a sizing takes from the drawer: how many of each part, whether they are there, and what is tested before use."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping

from rhombos.core.design.findings import Finding
from rhombos.core.design.pins import Pins
from rhombos.core.frame.inventory import Item
from rhombos.core.parts import Shelf
from rhombos.core.parts.drawer import BEFORE_FITTING, BY_LENGTH, Stock
from rhombos.core.parts.shelf import Stocked
from rhombos.core.parts.soldered import too_small
from rhombos.core.units.quantities import short

SWITCHES = ("mosfet", "igbt")
Needed = Mapping[str, tuple[Item, ...]]
"""Parts list of each block."""


def scarce(needed: Needed, shelf: Shelf, pins: Pins, share: float) -> dict[Stocked, float]:
    """Parts of which the proposals take more than the drawer holds, with the share of its price that each costs on the mean
    when the rest is bought; what is pinned is the designer's own affair."""
    pinned = {value for fields in pins.values() for value in fields.values() if isinstance(value, str)}
    short = _short(needed, shelf)
    return {where: 1 - (1 - share) * shelf.drawer[where].count / count for where, count in short if where[1] not in pinned}


def drawn_from(needed: Needed, shelf: Shelf) -> Iterator[Finding]:
    """One finding for each block that takes from the drawer; one more where it holds too few for the whole design."""
    for block, items in needed.items():
        own = {where: count for where, count in _total(items).items() if where in shelf.drawer}
        if not own:
            continue
        lines = [_line(part, count, shelf.drawer[kind, part], kind in BY_LENGTH) for (kind, part), count in own.items()]
        used = [(kind, shelf.drawer[kind, part].condition) for kind, part in own]
        tests = [_tested(kind, condition) for kind, condition in used if condition != "new" and kind in BEFORE_FITTING]
        yield Finding(
            code=f"{block}.drawer",
            severity="watch" if tests else "note",
            block=block,
            title="Taken from the drawer",
            cause=f"{'; '.join(lines)}.",
            remedy=" ".join(dict.fromkeys(tests)) or "Count them before ordering the rest.",
        )
    for (kind, part), count in _short(needed, shelf):
        there = shelf.drawer[kind, part].count
        block = next(b for b, items in needed.items() if any((i.kind, i.part) == (kind, part) for i in items))
        yield Finding(
            code=f"{block}.drawer_short",
            severity="watch",
            block=block,
            title="The drawer holds too few",
            cause=f"{count} of {part} are needed, {there} are there.",
            value=float(count),
            limit=float(there),
            remedy=f"Buy {count - there} more, of the same lot where they work in parallel.",
        )


def _tested(kind: str, condition: str) -> str:
    """What is tested before a part is fitted; unverified switches have an incoming test with limits of their own."""
    return "Put them to their incoming test." if condition == "unverified" and kind in SWITCHES else BEFORE_FITTING[kind]


def too_small_to_solder(needed: Needed, shelf: Shelf, least: float) -> Iterator[Finding]:
    """Parts of a design, pinned then, that are smaller than the house solders, `least`, m."""
    small = too_small(shelf, least)
    for block, items in needed.items():
        if found := [i.part for i in items if i.part in small]:
            yield Finding(
                code=f"{block}.too_small",
                severity="watch",
                block=block,
                title="Smaller than the house solders",
                cause=f"{', '.join(dict.fromkeys(found))}: surface-mounted, shorter than {short(least, 'mm')}.",
                limit=least,
                remedy="An adapter board, a larger package, or another house rule for the smallest body.",
            )


def _short(needed: Needed, shelf: Shelf) -> Iterator[tuple[Stocked, int]]:
    for where, count in _total(i for items in needed.values() for i in items).items():
        if (stock := shelf.drawer.get(where)) and where[0] not in BY_LENGTH and count > stock.count:
            yield where, count


def _total(items: Iterable[Item]) -> Counter[Stocked]:
    total: Counter[Stocked] = Counter()
    for item in items:
        total[item.kind, item.part] += item.count
    return total


def _line(part: str, count: int, stock: Stock, reel: bool) -> str:
    origin = "" if stock.condition == "new" else f", {stock.condition}"
    note = f" ({stock.note})" if stock.note else ""
    return f"{part}{origin}{note}" if reel else f"{count} of the {stock.count} {part}{origin}{note}"
