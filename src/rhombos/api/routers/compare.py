"""Every route for one brief, side by side."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, Field

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asking
from rhombos.core.benches.battery_swap import BatteryChange
from rhombos.core.benches.compare import Comparison, Weights, rank
from rhombos.core.benches.rating import Rating
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import RuleChanges, RuleName, house_rules
from rhombos.core.frame.solve import Unbuildable
from rhombos.core.plots.model import Chart
from rhombos.core.plots.pareto import pareto
from rhombos.desk import sizing
from rhombos.desk.asked import Asked
from rhombos.desk.sizing import ChangeIn

router = APIRouter(tags=["compare"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


class CompareAsked(BaseModel):
    """A brief, its house rules, and how much each quality counts."""

    brief: Brief
    rules: RuleName = "usual"
    house: RuleChanges = Field(default_factory=RuleChanges)
    weights: Weights = Field(default_factory=Weights)


class Quality(BaseModel):
    """A quality that a weight can be given to."""

    name: str
    title: str


class Compared(BaseModel):
    """The comparison, what its weights are called, and its picture."""

    comparison: Comparison
    picture: Chart
    qualities: tuple[Quality, ...]


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
async def compared(asked: CompareAsked, asking: Asking) -> Compared:
    """Size every route from the shelf, nothing pinned, and rank them."""
    rows = await asking.waiting(asking.service.rows(asked.brief, house_rules(asked.rules, asked.house)))
    found = rank(rows, asked.weights)
    qualities = tuple(Quality(name=n, title=f.title or n) for n, f in Weights.model_fields.items())
    return Compared(comparison=found, qualities=qualities, picture=pareto(found))
