"""What every part has, whatever its kind: designation, price with its breaks, lead time, and how it is mounted."""

from __future__ import annotations

import re
from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, PrivateAttr

from rhombos.core.units.quantities import Count, Millimetre, Ratio

Mounting = Literal["through hole", "surface mount", "chassis"]
MOST_BREAKS = 8
_BREAK = re.compile(r"\s*(\d{1,7})\s*:\s*(\d+(?:\.\d*)?|\.\d+)\s*")


def _breaks_read(text: str) -> str:
    """Quantity breaks in their usual form. Raises: ValueError saying what is wrong with them and how they are written."""
    if not text.strip():
        return ""
    entries = text.split(";")
    found = [_BREAK.fullmatch(entry) for entry in entries]
    for entry, match in zip(entries, found, strict=True):
        if match is None:
            told = f"‘{entry.strip()[:30]}’ is no quantity break"
            raise ValueError(f"{told}; write quantity: price, several of them parted by ; (10: 0.8; 100: 0.65)")
    steps = [(int(m[1]), float(m[2])) for m in found if m]
    if len(steps) > MOST_BREAKS:
        raise ValueError(f"holds {len(steps)} breaks; give {MOST_BREAKS} at most")
    if steps[0][0] < 2 or any(later[0] <= earlier[0] for earlier, later in pairwise(steps)):
        raise ValueError("quantities must begin at 2 or more and rise from break to break")
    return "; ".join(f"{count}: {price:g}" for count, price in steps)


Breaks = Annotated[str, AfterValidator(_breaks_read)]
"""Prices from a quantity on, each: ``10: 0.8; 100: 0.65``."""


class Part(BaseModel):
    """What every part has: a house designation and what it costs. House prices are made up, in no real currency."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str = Field(min_length=2, max_length=40, pattern=r"^[A-Za-z0-9][A-Za-z0-9 ._/+×-]*$", title="House designation")
    price: Ratio = Field(1.0, ge=0, le=1e5, title="Price of one")
    breaks: Breaks = Field("", max_length=160, title="Quantity breaks")
    lead: Count = Field(0, ge=0, le=1000, title="Lead time in days")
    _printed: Self | None = PrivateAttr(None)

    @property
    def printed(self) -> Self | None:
        """What it says of itself, where it is taken to be worse than that."""
        return self._printed

    def __hash__(self) -> int:
        return hash(self.id)

    def at_price(self, price: float) -> Self:
        """The same part for another price."""
        return self.model_copy(update={"price": price})

    def each(self, count: int) -> float:
        """The price of one when so many are bought together."""
        steps = (entry.split(":") for entry in self.breaks.split(";") if entry)
        reached = [float(price) for least, price in steps if int(least) <= count]
        return reached[-1] if reached else self.price

    @property
    def label(self) -> str:
        """What the part is, in a few words."""
        return self.id


class Mounted(Part):
    """A part with leads or lands: how it is fitted, and how long its body is, 0 where nobody has said so."""

    mounting: Mounting = Field("through hole", title="Mounting")
    body: Millimetre = Field(0.0, ge=0, le=0.5, title="Body length")

    @property
    def smallest(self) -> float:
        """The body that a soldering iron must deal with, m; infinite where legs go through holes, or nothing is soldered."""
        return self.body if self.mounting == "surface mount" and self.body else float("inf")


LEADS = {"TO-220": 12e-9, "TO-247": 15e-9, "D2PAK": 6e-9}
"""Inductance of a package with its legs at their usual length, drain to source, H."""
USUAL_PACKAGE = "TO-220"
PLACED = {"D2PAK": 1.0}
"""Price of fitting a part to its heat-sink: a surface-mounted one needs a metal-core board between."""
SCREWED = 0.3
"""The same of a part that is screwed or clamped on, with its pad."""


class Packaged(Mounted):
    """A semiconductor in a package that goes onto a heat-sink."""

    package: str = Field(min_length=1, max_length=30, title="Package")

    @property
    def placed(self) -> float:
        """Price, fitted to its heat-sink."""
        return self.price + PLACED.get(self.package, SCREWED)

    @property
    def lead_inductance(self) -> float:
        """Inductance of package and legs, H; a package that is not known has a usual one's."""
        return LEADS.get(self.package, LEADS[USUAL_PACKAGE])
