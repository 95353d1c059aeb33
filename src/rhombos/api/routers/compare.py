"""Every route for one brief, side by side."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asked, Serving
from rhombos.core.brief import BatterySource, Brief
from rhombos.core.change import BatteryChange, change_battery
from rhombos.core.compare import Comparison, Weights, rank
from rhombos.core.plots.model import Chart
from rhombos.core.plots.pareto import pareto
from rhombos.core.rating import Rating, rating
from rhombos.core.rules import RuleChanges, RuleName, house_rules
from rhombos.core.solve import Unbuildable

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


@router.post("/rating")
def rated(asked: Asked, serving: Serving) -> Rating:
    """What the design as built may be rated for, by its weakest stage."""
    return rating(serving.work(asked))


class ChangeIn(Asked):
    """… and the battery that is to take the old one's place."""

    source: BatterySource


@router.post("/battery-change")
def battery_change(asked: ChangeIn, serving: Serving) -> BatteryChange:
    """What another battery touches in a design as it is built."""
    try:
        return change_battery(serving.work(asked), asked.pins, asked.source)
    except Unbuildable as why:
        raise HTTPException(409, f"{why}; there is nothing built that a battery could touch") from why


@router.post("/compare")
def compared(asked: CompareAsked, serving: Serving) -> Compared:
    """Size every route from the shelf, nothing pinned, and rank them."""
    qualities = tuple(Quality(name=n, title=f.title or n) for n, f in Weights.model_fields.items())
    found = rank(serving.rows(asked.brief, house_rules(asked.rules, asked.house)), asked.weights)
    return Compared(comparison=found, qualities=qualities, picture=pareto(found))
