"""What the benches share: wire bundles of equal copper, and what a choke's neighbours do."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rhombos.core.frame.labels import labelled
from rhombos.core.magnetics.winding import MOST_IN_HAND, Winding, ac_factor, lay
from rhombos.core.magnetics_bench.model import Option, OptionTable
from rhombos.core.parts import Shelf, Wire
from rhombos.core.units.quantities import fmt, short

WIRES_SHOWN = 8
SAME_SECTION = 0.8, 1.35
"""Copper section that counts as equivalent, over the present one."""


def wire_table(
    shelf: Shelf,
    present: Winding,
    breadth: float,
    frequency: float,
    portions: float,
    fill_of: Callable[[Winding], float],
    key: str,
    title: str,
    block: str,
    prefix: str,
    ac_share: float = 1.0,
) -> OptionTable:
    """Bundles of about the same copper from every wire on the shelf, by what they lose; those that fit first.

    `fill_of` says how much of the window's height is in use with a winding; `ac_share` is the part of the squared current that
    flows at the frequency, Hz; `prefix` stands before the pins' names.
    """
    found = []
    for wire in shelf.all(Wire):
        count = max(1, round(present.copper / wire.copper))
        same = SAME_SECTION[0] <= count * wire.copper / present.copper <= SAME_SECTION[1]
        if wire.id != present.wire.id and (count > MOST_IN_HAND or not same):
            continue
        w = lay(wire, count, present.turns, breadth)
        factor = ac_factor(w, breadth, frequency, 90.0, portions)
        found.append(((1 - ac_share + ac_share * factor) / w.copper, w, factor))
    least = min(f[0] for f in found)
    found.sort(key=lambda f: (fill_of(f[1]) > 1, f[0], f[1].wire.id))
    best = found[:WIRES_SHOWN]
    if all(f[1].wire.id != present.wire.id for f in best):
        best += [f for f in found if f[1].wire.id == present.wire.id]
    options = []
    for relative, w, factor in best:
        fill = fill_of(w)
        options.append(
            Option(
                name=f"{w.in_hand} × {w.wire.label}",
                here=w.wire.id == present.wire.id,
                fits=fill <= 1,
                why="" if fill <= 1 else f"{fmt(fill, '%', 2)} of the window",
                texts={
                    "section": fmt(w.copper, "m^2"),
                    "layers": str(w.layers),
                    "factor": f"{factor:.2f}",
                    "relative": f"{relative / least:.2f}",
                    "fill": fmt(fill, "%", 2),
                },
                patch={f"{block}.{prefix}wire": w.wire.id, f"{block}.{prefix}in_hand": w.in_hand},
            )
        )
    return OptionTable(
        key=key,
        title=title,
        columns=labelled(
            ("section", "copper"),
            ("layers", "layers"),
            ("factor", "AC factor"),
            ("relative", "loss, relative"),
            ("fill", "window"),
        ),
        remark=f"What the shelf has in place of {present.in_hand} × {present.wire.label}; AC factor at "
        f"{short(frequency, 'Hz')}; loss over that of the best wire.",
        options=tuple(options),
    )


def fits_first(options: list[Option]) -> tuple[Option, ...]:
    """Those that keep to every limit before the others, else in their order."""
    return tuple(sorted(options, key=lambda o: not o.fits))


def with_present(options: list[Option], present: Callable[[], Option], most: int) -> tuple[Option, ...]:
    """The first options, those that fit before the others, and always the present one, judged where it is not among them."""
    ranked = fits_first(options)
    here = next((o for o in ranked if o.here), None) or present()
    shown = ranked[:most]
    return tuple(shown if here in shown else [*shown[: most - 1], here])


def against(*limits: tuple[float, float, str]) -> str:
    """What passes its limit, in words: value, limit, unit; empty where nothing does."""
    return ", ".join(fmt(value, unit, 2 if unit == "%" else 3) for value, limit, unit in limits if value > limit * (1 + 1e-9))


def stack_name(stack: Any) -> str:
    """A core, or how many of them side by side."""
    return str(stack.core.id) + (f" × {stack.sets}" if stack.sets > 1 else "")


def first_fit(table: OptionTable) -> str:
    """The first of a table's choices that keeps to every limit."""
    return next((o.name for o in table.options if o.fits), "none on the shelf")
