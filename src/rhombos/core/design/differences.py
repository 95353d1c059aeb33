"""What changed from one revision of a design to another, field by field, as people write it."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel, ConfigDict

from rhombos.core.design.file import Design
from rhombos.core.design.findings import PinValue
from rhombos.core.design.form import brief_fields, rule_fields
from rhombos.core.design.problems import find_field, unit_of
from rhombos.core.design.upgrades import upgraded
from rhombos.core.routes import ALL_BUILDS, ROUTES, all_stages
from rhombos.core.units.quantities import UnitError, parse, short

"""What the blocks are called that every route has."""
PROPOSED = "as proposed"
NOTHING = "—"


class Change(BaseModel):
    """One field that differs: its address, what it is called, and its text before and after."""

    model_config = ConfigDict(frozen=True)

    address: str
    title: str
    before: str
    after: str


def differences(before: Design, after: Design) -> tuple[Change, ...]:
    """Every field that differs between two designs, in the order in which a design is read."""
    return tuple(
        Change(address=address, title=title, before=old, after=new)
        for address, title, old, new in (
            *_heads(before, after),
            *_briefs(before, after),
            *_pins(before, after),
            *_rules(before, after),
            *_words(before, after),
        )
        if old != new
    )


Row = tuple[str, str, str, str]


def touched(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """What fields two stored contents differ in, by what they are called; neither is read whole for it."""
    old, new = (_leaves(content) for content in (before, after))
    changed = [a for a in {**old, **new} if old.get(a) != new.get(a)]
    return list(dict.fromkeys(_titled(address, str(after.get("route"))) for address in changed))


def _leaves(content: Mapping[str, Any]) -> dict[str, Any]:
    """A stored content's values by address: those of brief and pins one by one, the rest whole."""
    found: dict[str, Any] = {}
    with contextlib.suppress(ValueError):  # one that cannot be brought up to date is compared as it is
        content = upgraded(content)
    for key, value in content.items():
        inner = value if isinstance(value, dict) else {}
        if key == "brief":
            found |= _below("brief", inner)
        elif key == "pins":
            found |= {f"pins.{a}": v for a, v in inner.items() if v is not None}
        else:
            found[key] = value
    return found


def _below(address: str, value: Any) -> dict[str, Any]:
    """What stands in tables and in lists of tables, one by one; lists of plain values are whole."""
    inner = (
        value
        if isinstance(value, dict)
        else dict(enumerate(value))
        if isinstance(value, list) and value and all(isinstance(v, dict) for v in value)
        else None
    )
    if inner is None:
        return {address: value}
    return {a: v for name, entry in inner.items() for a, v in _below(f"{address}.{name}", entry).items()}


def _titled(address: str, route: str) -> str:
    head, _, rest = address.partition(".")
    if head == "pins":
        return _called(rest, route)
    field = find_field(Design, address.split("."))
    return (field.title if field else None) or address.rpartition(".")[2].replace("_", " ")


def _heads(before: Design, after: Design) -> list[Row]:
    return [("name", "Name", before.name, after.name), ("route", "Route", before.route, after.route)]


def _briefs(before: Design, after: Design) -> list[Row]:
    old, new = ({f.address: f for f in brief_fields(d.brief)} for d in (before, after))
    return [
        (
            address,
            f"{field.section}: {field.title}",
            old[address].text if address in old else NOTHING,
            new[address].text if address in new else NOTHING,
        )
        for address, field in (old | new).items()
    ]


def _pins(before: Design, after: Design) -> list[Row]:
    addresses = sorted({a for d in (before, after) for a, v in d.pins.items() if v is not None})
    return [(a, _called(a, after.route), pin_text(a, before.pins.get(a)), pin_text(a, after.pins.get(a))) for a in addresses]


def _rules(before: Design, after: Design) -> list[Row]:
    old, new = (rule_fields(d.rules, d.house) for d in (before, after))
    named = ("rules", "House rules", before.rules, after.rules)
    return [named, *((f"house.{x.name}", f"House rule: {x.title}", x.text, y.text) for x, y in zip(old, new, strict=True))]


def _words(before: Design, after: Design) -> list[Row]:
    old, new = ({w.code: w.reason for w in d.waivers} for d in (before, after))
    rows = [
        (f"waivers.{code}", f"Finding waived: {code}", old.get(code, NOTHING), new.get(code, NOTHING))
        for code in sorted(old | new)
    ]
    first, second = (d.decision.chosen if d.decision else NOTHING for d in (before, after))
    return [*rows, ("decision", "Comparison behind the route", first, second)]


def _called(address: str, route: str) -> str:
    """A pin's field by the name that its block has on a route, or on one that has such a block."""
    block, _, name = address.partition(".")
    known = sorted((r for r in ROUTES.values() if block in r.builds), key=lambda r: r.key != route)
    stages = all_stages()
    title = known[0].title_of(block) if known else stages[block].title if block in stages else block
    model = ALL_BUILDS.get(block)
    field = model.model_fields.get(name) if model else None
    return f"{title}: {(field.title if field else None) or name}"


def pin_text(address: str, value: PinValue) -> str:
    """A pin's value as people write it."""
    if value is None:
        return PROPOSED
    if isinstance(value, bool):
        return "yes" if value else "no"
    block, _, name = address.partition(".")
    field = find_field(ALL_BUILDS.get(block), [name])
    unit = unit_of(field)
    if unit is None:
        return str(value)
    try:
        return short(parse(value, unit) if isinstance(value, str) else float(value), unit)
    except UnitError:
        return str(value)
