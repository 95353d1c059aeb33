"""Bad input told plainly: which field, which value, what is allowed, what to do."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any, get_args

from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo

from rhombos.core.units.quantities import short

DESIGNATION = r"^[A-Za-z0-9][A-Za-z0-9 ._/+×-]*$"
"""What a part may be called: nothing that a spreadsheet takes for a formula, or a path for its own."""
LARGEST = 10**300
"""Whole numbers beyond it are told in words."""


@dataclass(frozen=True)
class Problem:
    """One fault of the input. `field` is a dotted path; `message` is a whole sentence."""

    field: str
    value: str
    message: str


def from_validation(error: ValidationError, model: type[BaseModel]) -> list[Problem]:
    """Every fault of a validation error in plain words."""
    return [_told(dict(e), model) for e in error.errors(include_url=False)]


def told_by(errors: Iterable[Any], route: Any) -> list[Problem]:
    """Every fault of a request in plain words; the body's model is looked up on the route that refused it."""
    body = getattr(getattr(route, "body_field", None), "field_info", None)
    model = getattr(body, "annotation", None)
    known = model if isinstance(model, type) and issubclass(model, BaseModel) else BaseModel
    told = []
    for error in errors:
        entry = dict(error)
        if entry["type"] == "json_invalid":
            told.append(Problem("document", "", f"the document is not JSON: {entry.get('ctx', {}).get('error', '')}"))
            continue
        where = entry["loc"][:1]
        entry["loc"] = tuple(entry["loc"][1:] if where and where[0] in ("body", "query", "path", "header") else entry["loc"])
        told.append(_told(entry, known))
    return told


def _told(entry: dict[str, Any], model: type[BaseModel]) -> Problem:
    path, field = _traced(model, (str(x) for x in entry["loc"] if not str(x).startswith("function-")))
    name = ".".join(path) or "document"
    given = entry.get("input")
    shown = _shown(given, field)
    allowed = allowed_range(field)
    kind, context = entry["type"], entry.get("ctx", {})
    if kind in ("greater_than", "greater_than_equal", "less_than", "less_than_equal"):
        side = "below" if kind.startswith("greater") else "above"
        remedy = "raise it" if side == "below" else "lower it"
        message = f"{name}: {shown} is {side} the allowed {allowed}; {remedy}"
    elif kind == "missing":
        message = f"{name} is missing; give {'a value of ' + allowed if allowed else 'it'}"
    elif kind == "extra_forbidden":
        message = f"{name} is not known here; remove it or check its spelling"
    elif kind in ("union_tag_invalid", "union_tag_not_found"):
        choices, tag = context.get("expected_tags", "a known kind"), context.get("tag")
        name = f"{name}.kind"
        wrong = "is missing" if tag is None else f"‘{tag}’ is not known"
        message = f"{name}: {wrong}; choose one of {choices}"
    elif kind == "literal_error":
        message = f"{name}: {shown} is not one of {context.get('expected', '')}; choose one of these"
    elif kind in ("float_type", "float_parsing", "int_type", "int_parsing", "int_from_float"):
        what = "a whole number" if kind.startswith("int") else "a number"
        message = f"{name}: {shown} is not {what}" + (f"; allowed {allowed}" if allowed else "")
    elif kind == "value_error":
        reason = str(context.get("error", entry["msg"]))
        ranged = not allowed or " is outside " in reason  # a range that depends on another field is the one that counts
        message = f"{name}: {reason}" + ("" if ranged else f" (allowed {allowed})")
    elif kind in ("too_long", "string_too_long"):
        longest = context.get("max_length")
        message = f"{name} is longer than the allowed {longest}; shorten it"
    elif kind == "string_unicode":
        message = f"{name} holds half a character (a lone surrogate); remove it"
    elif kind == "string_pattern_mismatch" and context.get("pattern") == DESIGNATION:
        message = f"{name}: {shown} is no designation; use letters, digits, spaces and . _ / + × -, a letter or digit first"
    elif kind == "string_pattern_mismatch" and path[-1:] == ["[key]"]:
        message = f"{name.removesuffix('.[key]')[:120]} is no address of a figure; write block.field: front_end.frequency"
    else:
        message = f"{name}: {entry['msg'][0].lower()}{entry['msg'][1:]}" + (f"; allowed {allowed}" if allowed else "")
    return Problem(name, shown, message)


def _shown(value: Any, field: FieldInfo | None) -> str:
    if isinstance(value, dict | list):
        return "this entry"
    if isinstance(value, str):
        return f"‘{value[:60]}’"
    unit = unit_of(field)
    if isinstance(value, int) and abs(value) > LARGEST:
        return "a number of hundreds of digits"
    if isinstance(value, int | float) and not isinstance(value, bool) and unit:
        return short(float(value), unit)
    return str(value)[:60]


def find_field(model: type[BaseModel] | None, path: Iterable[str]) -> FieldInfo | None:
    """The field at a dotted path through nested models, or None."""
    return _traced(model, path)[1]


def _traced(model: type[BaseModel] | None, path: Iterable[str]) -> tuple[list[str], FieldInfo | None]:
    """The path without the names of kinds that tell models of a choice apart, and the field at its end, or None."""
    found: FieldInfo | None = None
    kept: list[str] = []
    models, lost = [model] if model else [], False
    for name in path:
        kind = [m for m in models if len(models) > 1 and _kind_of(m) == name]
        if kind and not lost:
            models = kind
            continue
        kept.append(name)
        if name.isdigit() or lost:  # an entry of a list is told by the list's field
            continue
        holder = next((m for m in models if name in m.model_fields), None)
        if holder is None:
            found, lost = (found if models else None), True
            continue
        found = holder.model_fields[name]
        models = list(_models_in(found.annotation))
    return kept, found


def _kind_of(model: type[BaseModel]) -> str | None:
    """The kind that a model of a choice is told by."""
    field = model.model_fields.get("kind")
    return str(field.default) if field else None


def _models_in(annotation: Any) -> Iterator[type[BaseModel]]:
    """The models within a type: itself, or those of a list or a choice."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for arm in get_args(annotation):
        yield from _models_in(arm)


def unit_of(field: FieldInfo | None) -> str | None:
    """The unit key published by a quantity field, also where the quantity is optional, or one of a list."""
    for info in _told_of(field):
        extra = info.json_schema_extra
        if isinstance(extra, dict) and "unit" in extra:
            return str(extra["unit"])
    return None


def _told_of(field: FieldInfo | None) -> Iterator[FieldInfo]:
    """What is said of a field, and then of the quantities within its type."""
    if field is None:
        return
    yield field
    arms: list[Any] = [field.annotation]
    while arms:
        arm = arms.pop(0)
        yield from (m for m in getattr(arm, "__metadata__", ()) if isinstance(m, FieldInfo))
        arms += get_args(arm)


def bounds(field: FieldInfo | None) -> tuple[float | None, float | None]:
    """Lowest and highest allowed value of a field, where stated."""
    low = high = None
    for constraint in (c for info in _told_of(field) for c in info.metadata):
        low = getattr(constraint, "ge", getattr(constraint, "gt", None)) if low is None else low
        high = getattr(constraint, "le", getattr(constraint, "lt", None)) if high is None else high
    return low, high


def allowed_range(field: FieldInfo | None) -> str:
    """The allowed range in words: ``10 V to 480 V``; empty when nothing is stated."""
    low, high = bounds(field)
    unit = unit_of(field) or "1"
    if low is not None and high is not None:
        return f"{short(float(low), unit)} to {short(float(high), unit)}"
    if low is not None:
        return f"at least {short(float(low), unit)}"
    return f"at most {short(float(high), unit)}" if high is not None else ""
