"""Pins: what the designer fixed. Each is checked alone against its block's field, so that a message names it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeAlias

from pydantic import BaseModel, ValidationError

from rhombos.core.design.findings import PinValue
from rhombos.core.design.problems import Problem, from_validation
from rhombos.core.parts import Shelf, UnknownPart

Fields: TypeAlias = dict[str, Any]
"""Fields of a block by name, as far as they are decided: what its model takes and checks."""
Pins: TypeAlias = Mapping[str, Fields]
"""What is pinned of each block."""


class PinError(ValueError):
    """Pins that cannot be kept; `problems` names each with its allowed range."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("; ".join(p.message for p in problems))
        self.problems = problems

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.problems,)


def read_pins(
    raw: Mapping[str, PinValue],
    builds: Mapping[str, type[BaseModel]],
    shelf: Shelf,
    elsewhere: Mapping[str, type[BaseModel]] | None = None,
) -> tuple[dict[str, dict[str, Any]], dict[str, str]]:
    """Typed pins by block, and the pins that name a part no longer on the shelf (address → reason), which are left out.

    Text in engineering notation is read; a pin of None counts as none; pins of blocks that only other routes have
    (`elsewhere`) wait for those. Raises: PinError.
    """
    typed: dict[str, dict[str, Any]] = {}
    missing: dict[str, str] = {}
    problems: list[Problem] = []
    for address, value in raw.items():
        if value is None:
            continue
        block, _, name = address.partition(".")
        model = builds.get(block)
        if model is None and elsewhere and block in elsewhere and name in elsewhere[block].model_fields:
            continue
        if model is None or name not in model.model_fields:
            problems.append(Problem(address, str(value), f"{address} is not a figure that can be pinned; remove it"))
            continue
        extra = model.model_fields[name].json_schema_extra
        if isinstance(extra, dict) and extra.get("by_route"):
            problems.append(Problem(address, str(value), f"{address} is decided by the route; choose another route instead"))
            continue
        try:
            checked = getattr(model.__pydantic_validator__.validate_assignment(model.model_construct(), name, value), name)
        except ValidationError as error:
            faults = from_validation(error, model)
            problems += [Problem(address, p.value, f"{block}.{p.message}") for p in faults]
            continue
        if isinstance(extra, dict) and "part" in extra:
            try:
                shelf.find(str(extra["part"]), checked)
            except UnknownPart as reason:
                missing[address] = str(reason)
                continue
        typed.setdefault(block, {})[name] = checked
    if problems:
        raise PinError(problems)
    return typed, missing
