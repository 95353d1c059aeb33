"""Every route for one brief, side by side."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import suppress
from typing import Any

from fastapi import APIRouter, HTTPException, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asking
from rhombos.core.benches.battery_swap import BatteryChange
from rhombos.core.benches.compare import Comparison, Row, Weights, rank
from rhombos.core.benches.rating import Rating
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import RuleChanges, RuleName, house_rules
from rhombos.core.frame.unbuildable import Unbuildable
from rhombos.core.plots.model import Chart
from rhombos.core.plots.pareto import pareto
from rhombos.desk import sizing
from rhombos.desk.asked import Asked, Strict
from rhombos.desk.crew import Busy, Lost
from rhombos.desk.sizing import ChangeIn
from rhombos.store.database import DatabaseAway

router = APIRouter(tags=["compare"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


class CompareAsked(Strict):
    """A brief, its house rules, and how much each quality counts."""

    brief: Brief
    rules: RuleName = "usual"
    house: RuleChanges = Field(default_factory=RuleChanges)
    weights: Weights = Field(default_factory=Weights)


class Quality(BaseModel):
    """A quality that a weight can be given to."""

    name: str
    title: str


class RoutesCompared(BaseModel):
    """The comparison, what its weights are called, its picture, and how many rows are still to come."""

    comparison: Comparison
    picture: Chart
    qualities: tuple[Quality, ...]
    to_come: int = 0


QUALITIES = tuple(Quality(name=n, title=f.title or n) for n, f in Weights.model_fields.items())
LINES = "application/x-ndjson"
AS_LINES: dict[int | str, dict[str, Any]] = {
    200: {"content": {LINES: {"schema": {"$ref": "#/components/schemas/RoutesCompared"}}}}
}


@router.post("/rating", response_model=Rating)
async def rated(asked: Asked, asking: Asking) -> Response:
    """What the design as built may be rated for, by its weakest stage."""
    return await asking.answer(sizing.rated, asked)


@router.post("/battery-change", response_model=BatteryChange, responses={409: {"model": ProblemDocument}})
async def battery_change(asked: ChangeIn, asking: Asking) -> Response:
    """What another battery touches in a design as it is built."""
    try:
        return await asking.answer(sizing.changed, asked)
    except Unbuildable as why:
        raise HTTPException(409, f"{why}; there is nothing built that a battery could touch") from why


@router.post("/compare")
async def compared(asked: CompareAsked, asking: Asking) -> RoutesCompared:
    """Size every route from the shelf, nothing pinned, and rank them."""
    growing = asking.service.rows(asked.brief, house_rules(asked.rules, asked.house))

    async def last() -> tuple[list[Row], int]:
        found: tuple[list[Row], int] = [], 0
        async for found in growing:  # noqa: B007 - only the last is wanted
            pass
        return found

    return _ranked(*await asking.waiting(last()), asked.weights)


@router.post("/compare/rows", response_class=StreamingResponse, responses=AS_LINES)
async def compared_as_they_come(asked: CompareAsked, asking: Asking) -> StreamingResponse:
    """The same as it grows: a line of JSON whenever there are more rows, ranked among those so far; the last is the whole. What
    stops it on the way ends it before `to_come` is 0."""
    growing = asking.service.rows(asked.brief, house_rules(asked.rules, asked.house))
    first = await asking.waiting(anext(growing))  # what is refused is refused as anywhere

    async def lines() -> AsyncIterator[str]:
        yield _line(*first, asked.weights)
        with suppress(Busy, Lost, DatabaseAway):
            async for rows, to_come in growing:
                yield _line(rows, to_come, asked.weights)

    return StreamingResponse(lines(), media_type=LINES)


def _line(rows: list[Row], to_come: int, weights: Weights) -> str:
    return _ranked(rows, to_come, weights).model_dump_json() + "\n"


def _ranked(rows: list[Row], to_come: int, weights: Weights) -> RoutesCompared:
    found = rank(rows, weights)
    return RoutesCompared(comparison=found, qualities=QUALITIES, picture=pareto(found), to_come=to_come)
