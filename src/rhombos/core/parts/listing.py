"""Parts as a table of ratings, and as a form: columns, cells in words, and what the bounds of a column let through."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic.fields import FieldInfo

from rhombos.core.design.problems import Problem, allowed_range, from_validation, unit_of
from rhombos.core.parts.kinds import KINDS, Part
from rhombos.core.parts.table import TableError
from rhombos.core.units.quantities import UNITS, UnitError, exactly, parse, short

Side = Literal["from", "to"]
UNSAID = "—"
"""Where zero is a field's usual value: nobody has said."""
MOUNTED, BOUGHT = ("mounting", "body"), ("price", "breaks", "lead")
"""Fields that stand last in a table, whatever the kind."""


class PartColumn(BaseModel):
    """A field of a kind: its heading, its usual unit, and how it is filled in."""

    model_config = ConfigDict(frozen=True)

    name: str
    title: str
    unit: str
    filled: Literal["number", "choice", "text"]
    choices: tuple[str, ...] = ()
    required: bool
    allowed: str
    usual: str = ""


class Bound(BaseModel):
    """What a column is asked to lie from, or to."""

    model_config = ConfigDict(frozen=True)

    name: str
    side: Side
    value: float


def columns(kind: str) -> tuple[PartColumn, ...]:
    """Every field of a kind but its designation, in the order in which its model states them; ratings before what it is mounted
    by and costs."""
    fields = KINDS[kind].model_fields
    last = [name for name in (*MOUNTED, *BOUGHT) if name in fields]
    ratings = [name for name in fields if name not in (*last, "id")]
    return tuple(_column(name, fields[name]) for name in (*ratings, *last))


def _column(name: str, info: FieldInfo) -> PartColumn:
    unit = unit_of(info)
    choices = get_args(info.annotation) if get_origin(info.annotation) is Literal else ()
    number = unit is not None or info.annotation in (int, float)
    return PartColumn(
        name=name,
        title=info.title or name.replace("_", " ").capitalize(),
        unit=UNITS[unit].shown if unit else "",
        filled="number" if number else "choice" if choices else "text",
        choices=choices,
        required=info.is_required(),
        allowed=allowed_range(info),
        usual="" if info.is_required() else written(info.default, info),
    )


def cells(part: Part) -> dict[str, str]:
    """Every field of a part as a table shows it."""
    values = {name: (getattr(part, name), info) for name, info in type(part).model_fields.items() if name != "id"}
    return {name: UNSAID if value == 0 == info.default else _shown(value, info) for name, (value, info) in values.items()}


def numbers(part: Part) -> dict[str, float]:
    """Its figures in SI, to sort by."""
    values = {name: getattr(part, name) for name in type(part).model_fields}
    return {name: float(v) for name, v in values.items() if isinstance(v, int | float)}


def texts(part: Part) -> dict[str, str]:
    """Every field of a part as a form is filled in: with all its digits, so that what is read back is the same part."""
    return {name: written(getattr(part, name), info) for name, info in type(part).model_fields.items()}


def written(value: Any, info: FieldInfo) -> str:
    """One value as it is typed, in its usual unit."""
    unit = unit_of(info)
    if unit is None or isinstance(value, str):
        return str(value)
    return exactly(float(value), unit)


def _shown(value: Any, info: FieldInfo) -> str:
    unit = unit_of(info)
    return short(float(value), unit) if unit and not isinstance(value, str) else str(value)


def bounds(kind: str, lowest: Iterable[str], highest: Iterable[str]) -> tuple[Bound, ...]:
    """Bounds of columns as people type them: ``v_rating:100 V``. Raises: TableError naming the column and what it takes."""
    found: list[Bound] = []
    problems: list[Problem] = []
    sides: tuple[tuple[Side, Iterable[str]], ...] = (("from", lowest), ("to", highest))
    for side, asked in sides:
        for entry in asked:
            name, _, text = entry.partition(":")
            info = KINDS[kind].model_fields.get(name)
            if info is None or _column(name, info).filled != "number":
                told = f"there is no column of figures ‘{name[:40]}’ to filter {kind} by"
                problems.append(Problem(name[:40], text[:40], told))
                continue
            try:
                found.append(Bound(name=name, side=side, value=parse(text, unit_of(info) or "1")))
            except UnitError as why:
                problems.append(Problem(name, text[:40], f"{info.title or name}, {side}: {why}"))
    if problems:
        raise TableError(problems)
    return tuple(found)


def within(part: Part, asked: Iterable[Bound]) -> bool:
    """Whether a part's figures lie within bounds; a typed bound lets through what is shown as the same figure."""
    return all(
        (value >= b.value or near) if b.side == "from" else (value <= b.value or near)
        for b in asked
        for value in (float(getattr(part, b.name)),)
        for near in (math.isclose(value, b.value, rel_tol=1e-3),)
    )


def from_form(kind: str, values: dict[str, str]) -> Part:
    """A part from the texts of a form, blanks as if they were not there. Raises: TableError naming each field at fault."""
    model = KINDS[kind]
    try:
        return model.model_validate({k: v.strip() for k, v in values.items() if v.strip()})
    except ValidationError as error:
        raise TableError(from_validation(error, model)) from None
