"""What a design is made of: each block's parts with their number, relative cost and mass."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from rhombos.core.magnetics.winding import COPPER_DENSITY, COPPER_PRICE, Winding
from rhombos.core.parts import Part, Resistor, kind_of
from rhombos.core.units.quantities import fmt, short

STRAND_PRICE = 2.2
"""How many times as much a kilogram of litz costs."""


@dataclass(frozen=True, slots=True)
class Item:
    """A line of the parts list: its reference on the stage's sheet (``Q1``), `count` of a part, its cost each, the mass of one,
    kg (0 where it hardly counts), and how much of that is copper; `kind` is the part's on the shelf, none where any drawer has
    it; `value` what is asked of it where its name does not say; `fields` the figures of its stage that tell of it."""

    ref: str
    what: str
    part: str
    count: int
    price: float
    mass: float = 0.0
    copper: float = 0.0
    kind: str = ""
    value: str = ""
    fields: tuple[str, ...] = ()


def fitted(ref: str, what: str, part: Part, count: int = 1, value: str = "", fields: tuple[str, ...] = ()) -> Item:
    """A part from the shelf."""
    mass = float(getattr(part, "mass", 0.0))
    return Item(ref, what, part.id, count, part.price, mass, kind=kind_of(part), value=value, fields=fields)


def resistor(ref: str, what: str, series: Resistor, ohms: float, fields: tuple[str, str], count: int = 1) -> Item:
    """A resistor of a series from the shelf, with its value, Ω; `fields` choose series and value."""
    return fitted(ref, what, series, count, short(ohms, "ohm"), fields)


def small(ref: str, field: str, what: str, value: float, unit: str, count: int = 1) -> Iterator[Item]:
    """A part that any drawer has, told by the value of a field alone; none where that is 0 or none is fitted."""
    if value and count:
        yield Item(ref, what, "", count, 0.0, value=short(value, unit), fields=(field,))


def wound(ref: str, what: str, winding: Winding, mean_turn: float, count: int = 1, fields: tuple[str, ...] = ()) -> Item:
    """The wire of a winding."""
    mass = winding.turns * winding.copper * mean_turn * COPPER_DENSITY
    dearer = STRAND_PRICE if winding.wire.strands > 1 else 1.0
    strands = f" of {winding.in_hand} strands" if winding.in_hand > 1 else ""
    value = f"{winding.turns} turns{strands}, {fmt(winding.turns * mean_turn, 'm', 2)}"
    return Item(ref, what, winding.wire.id, count, COPPER_PRICE * dearer * mass, mass, mass, "wire", value, fields)


@dataclass(frozen=True, slots=True)
class Inventory:
    """All of it, with the sums."""

    items: tuple[Item, ...]

    @property
    def count(self) -> int:
        """Parts to solder, screw or wind."""
        return sum(i.count for i in self.items)

    @property
    def cost(self) -> float:
        """Relative cost of the parts."""
        return sum(i.count * i.price for i in self.items)

    @property
    def mass(self) -> float:
        """Mass of cores, copper and heat-sinks, kg: what decides the weight."""
        return sum(i.count * i.mass for i in self.items)

    @property
    def copper(self) -> float:
        """Mass of the winding wire, kg."""
        return sum(i.count * i.copper for i in self.items)


def gather(items: Iterable[Iterable[Item]]) -> Inventory:
    """The inventory of several blocks."""
    return Inventory(tuple(i for part in items for i in part))
