"""Stored designs that are refused in part today: what is refused is left out, and said so."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from copy import deepcopy
from typing import Any

from pydantic import ValidationError

from rhombos.core.design.brief import in_full
from rhombos.core.design.file import Design
from rhombos.core.design.pins import PinError, read_pins
from rhombos.core.design.problems import Problem, from_validation
from rhombos.core.design.upgrades import upgraded
from rhombos.core.parts import Shelf
from rhombos.core.routes import ALL_BUILDS, ROUTES, SHARED_BUILDS

MOST_LEFT_OUT = 400
NO_PARTS = Shelf(())


class Unreadable(ValueError):
    """Nothing of a stored design can be read."""


def mended(raw: Mapping[str, Any]) -> tuple[Design, list[Problem]]:
    """A design from stored content, without what it may not hold today, and what that was.

    Raises: Unreadable when nothing can be made of it.
    """
    left: dict[str, Any] = deepcopy(dict(raw))
    with contextlib.suppress(ValueError):  # of a format that is not known: told below
        left = upgraded(left)
        left |= {"brief": in_full(left["brief"])} if isinstance(left.get("brief"), dict) else {}
    told: list[Problem] = []
    while True:
        try:
            design = Design.model_validate(left)
            break
        except ValidationError as error:
            first = error.errors(include_url=False)[0]
            problem = from_validation(error, Design)[0]
            if len(told) >= MOST_LEFT_OUT or not _leave_out(left, first["loc"]):
                raise Unreadable(problem.message.removeprefix("document: ")) from None
            told.append(problem)
    kept = dict(design.pins)
    for address, value in design.pins.items():
        try:
            read_pins({address: value}, {**ROUTES[design.route].builds, **SHARED_BUILDS}, NO_PARTS, ALL_BUILDS)
        except PinError as error:
            told += error.problems
            del kept[address]
    return (design.model_copy(update={"pins": kept}) if len(kept) < len(design.pins) else design), told


def _leave_out(content: dict[str, Any], where: tuple[int | str, ...]) -> bool:
    """Take away what a fault points at, or the innermost that holds it. Returns: whether there was any."""
    holder: Any = content
    found: tuple[Any, int | str] | None = None
    for step in where:
        if isinstance(holder, dict) and step not in holder and step == holder.get("kind"):
            continue  # it only says which kind of model judged
        inside = (isinstance(holder, dict) and step in holder) or (
            isinstance(holder, list) and isinstance(step, int) and step < len(holder)
        )
        if not inside:
            break
        found = holder, step
        holder = holder[step]
    if found is None or found[1] == "format":
        return False
    del found[0][found[1]]
    return True
