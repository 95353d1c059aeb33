"""The drawer: parts at hand, how many, where from, and what was paid; proposals take them where they serve.

A preference is a shelf too: one on which what lies in the drawer costs a share of its price, so that every search weighs it as
it weighs any part, and no block knows of it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.parts.kinds import Igbt, Mosfet, Part, kind_of
from rhombos.core.parts.origin import worse
from rhombos.core.parts.shelf import Shelf, Stocked
from rhombos.core.units.quantities import Count, Ratio

Condition = Literal["new", "salvaged", "unverified"]
BY_LENGTH = ("wire",)
"""Kinds whose stock is a reel, not pieces to be counted out."""


class Stock(BaseModel):
    """What the drawer holds of one part."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    count: Count = Field(1, ge=1, le=100_000, title="Number in the drawer")
    condition: Condition = Field("new", title="Condition")
    paid: Ratio = Field(0.0, ge=0, le=1e5, title="Price paid, each")
    note: str = Field("", max_length=200, title="Note")


class Restocked(BaseModel):
    """A part of which the drawer holds otherwise than it did: what it held, and what it holds, in words."""

    model_config = ConfigDict(frozen=True)

    kind: str
    part: str
    before: str
    after: str


def restocked(before: Mapping[Stocked, Stock], after: Mapping[Stocked, Stock]) -> tuple[Restocked, ...]:
    """How the drawer differs between two times."""
    return tuple(
        Restocked(kind=kind, part=part, before=_held(before.get((kind, part))), after=_held(after.get((kind, part))))
        for kind, part in sorted({*before, *after})
        if before.get((kind, part)) != after.get((kind, part))
    )


def _held(stock: Stock | None) -> str:
    return "none" if stock is None else f"{stock.count} {stock.condition}"


BEFORE_FITTING: dict[str, str] = {
    "mosfet": "Diode test, gate tied; blocking voltage through a large resistor; on-resistance with four wires.",
    "igbt": "Diode test, gate tied; blocking voltage through a large resistor; on-state drop at a known current.",
    "bipolar": "Both junctions, gain near rated current, blocking voltage through a large resistor.",
    "diode": "Forward drop at a known current; reverse voltage through a large resistor.",
    "core": "Look for cracks and old glue in the joint; measure the inductance of ten turns against the core's data.",
    "iron_core": "Look for rust and loose sheets; measure the no-load current at its voltage.",
    "capacitor": "Measure capacitance and series resistance; bring an electrolytic to its voltage slowly, through a resistor.",
    "resistor": "Measure its resistance; look for a burnt coating.",
    "fuse": "Measure its resistance; a fuse that has carried a fault ages: take a new one where in doubt.",
    "zener": "Measure its voltage at the current it is rated at.",
    "opto_coupler": "Output current against diode current at the working point: old ones pass less.",
    "reference": "Measure its voltage at the minimum and at the working current.",
    "relay": "Contact resistance at some amperes; pick-up and release voltage; look for burnt contacts.",
    "contactor": "Contact resistance at some amperes; pick-up and release voltage; look for burnt contacts.",
    "thermistor": "Measure its resistance at two known temperatures.",
    "trimmer": "Turn it from end to end on a meter: no jumps.",
    "fan": "Run it at its voltage for an hour: current, noise, air.",
    "connector": "Contact resistance at some amperes; look for burnt or loose contacts.",
    "suppressor": "Measure the voltage at 1 mA; one that has taken surges leaks earlier: take a new one where in doubt.",
    "pad": "Look for cuts and dents; prove it at its voltage when fitted. A used silicone pad has set: take a new one.",
    "wire": "Look for nicks in the enamel; test its insulation after winding.",
}
"""What a salvaged part is tested for before it is fitted, by kind."""


def preferring(shelf: Shelf, share: float, scarce: frozenset[tuple[Stocked, float]] = frozenset()) -> Shelf:
    """The shelf on which each part of the drawer costs `share` of its price, or what `scarce` says of it; switches that are
    unverified are taken to be worse than they say. Made once."""
    shares = dict(scarce)

    def weighed(part: Part) -> Part:
        where = kind_of(part), part.id
        stock = shelf.drawer.get(where)
        if stock is None:
            return part
        if stock.condition == "unverified" and isinstance(part, (Mosfet, Igbt)) and part.printed is None:
            part = worse(part)
        return part.at_price(part.price * shares.get(where, share))

    return shelf.seen((share, scarce), weighed)
