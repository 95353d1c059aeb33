"""What every block's build has in common: frozen fields with units and bounds, each of which may be pinned."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from functools import cache, wraps
from typing import Any, ParamSpec, Self, TypeVar

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.book import rectifier as book
from rhombos.core.design.pins import Fields
from rhombos.core.design.problems import bounds
from rhombos.core.design.rules import Rules
from rhombos.core.parts import KINDS, Resistor, Shelf
from rhombos.core.units.quantities import fmt, short

IDLE_WORTH = 3.0
"""What a watt that a line-frequency stage burns without a load weighs over one at full power."""
MOST_REMEMBERED = 128
Asked = ParamSpec("Asked")
Proposed = TypeVar("Proposed")
BY_ROUTE: dict[str, Any] = {"by_route": True}


def remembered(propose: Callable[Asked, Proposed]) -> Callable[Asked, Proposed]:
    """A proposal that remembers what it answered lately: proposals are pure, and rounds and edits often ask the same.

    Its arguments must be hashable, but for the pins, a dict among them.
    """
    kept: OrderedDict[object, Proposed] = OrderedDict()

    @wraps(propose)
    def answer(*asked: Asked.args, **named: Asked.kwargs) -> Proposed:
        key = tuple(tuple(sorted(a.items())) if isinstance(a, dict) else a for a in (*asked, *named.items()))
        if key not in kept:
            kept[key] = propose(*asked, **named)
            if len(kept) > MOST_REMEMBERED:
                kept.popitem(last=False)
        return kept[key]

    return answer


class Build(BaseModel):
    """The chosen values of a block. A field with ``part`` in its schema names a part of that kind."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @classmethod
    def within(cls, fields: Fields) -> Self:
        """The build of these fields, numbers held within their bounds: a hopeless need must not make an impossible build.

        Pins are within their bounds already, so none of them moves.
        """
        held = dict(fields)
        for name, (low, high) in _number_bounds(cls).items():
            if name in held:
                held[name] = min(max(held[name], low), high)
        return cls.model_validate(held)

    def pinnable(self) -> dict[str, Any]:
        """The fields that a pin may change, with their values."""
        decided = {
            n
            for n, f in type(self).model_fields.items()
            if isinstance(f.json_schema_extra, dict) and f.json_schema_extra.get("by_route")
        }
        return self.model_dump(exclude=decided)


@cache
def _number_bounds(model: type[BaseModel]) -> dict[str, tuple[float, float]]:
    found = {}
    for name, info in model.model_fields.items():
        low, high = bounds(info)
        if low is not None and high is not None:
            found[name] = (low, high)
    return found


def part(kind: str, title: str) -> Any:
    """A field that names a part of a kind (or of several: ``mosfet|igbt``)."""
    return Field(title=title, max_length=40, json_schema_extra={"part": kind})


def by_route(title: str) -> Any:
    """A field that the route decides and no pin may change."""
    return Field(title=title, json_schema_extra=dict(BY_ROUTE))


def options(title: str, *names: str, default: Any = ...) -> Any:
    """A field that takes one of a few words."""
    return Field(default, title=title, pattern=f"^({'|'.join(names)})$", json_schema_extra={"options": list(names)})


CLAMP_ROOM = 1.05
"""What switches must stand over their resting voltage at least for a clamp to work: nearer to it, it burns all the time."""


def none_stands(shelf: Shelf, kinds: str, volts: float, used: float) -> str | None:
    """Why no part of some kinds (``mosfet|igbt``) stands a voltage, V, of whose rating a share is used; None where one does."""
    best = max((p.v_rating for kind in kinds.split("|") for p in shelf.all(KINDS[kind])), default=0.0)  # type: ignore[attr-defined]
    if volts <= best * used:
        return None
    return f"no switch on the shelf stands more than {short(best, 'V')}, of which {fmt(used, '%', 2)} are used"


def strongest(shelf: Shelf, series: Resistor) -> str | None:
    """Why no resistor burns more than this one; None where one does."""
    most = max(r.power for r in shelf.all(Resistor))
    return f"no resistor on the shelf burns more than {short(most, 'W')}" if series.power >= most else None


def propose_resistor(shelf: Shelf, rules: Rules, ohms: float, watts: float, volts: float) -> str:
    """The cheapest resistor series for a value that stands a power and a voltage; the strongest where none does."""
    able = [
        r
        for r in shelf.all(Resistor)
        if r.r_low <= ohms <= r.r_high and r.power * (1 - rules.resistor_margin) >= watts and r.v_rating >= volts
    ]
    if able:
        return min(able, key=lambda r: (r.price, r.id)).id
    return max(shelf.all(Resistor), key=lambda r: (r.r_low <= ohms <= r.r_high, r.power, r.id)).id


def recovered_charge(diode: Any, current: Any) -> Any:
    """Charge a diode recovers, C, after it carried a current, A; its rated charge at most.

    `diode` is a part, or the columns of many.
    """
    rated = {"Q_n": diode.q_rr, "I_n": diode.i_rating}
    if isinstance(diode.i_rating, float):
        return book.recovered_charge.work({**rated, "I": min(max(current, 0.0), diode.i_rating)})
    return book.recovered_charge(**rated, I=np.clip(current, 0.0, diode.i_rating))
