"""Every route for one brief, side by side."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from rhombos.api.problem import ProblemDocument
from rhombos.api.routers.solve import Asked
from rhombos.api.service import Serving
from rhombos.core.brief import Brief
from rhombos.core.compare import Comparison, Weights, rank
from rhombos.core.plots.model import Chart
from rhombos.core.plots.pareto import pareto
from rhombos.core.rating import Rating, rating
from rhombos.core.rules import RuleName

router = APIRouter(tags=["compare"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


class CompareAsked(BaseModel):
    """A brief, its house rules, and how much each quality counts."""

    brief: Brief
    rules: RuleName = "usual"
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
    return rating(serving.work(asked.brief, asked.pins, asked.rules, asked.route))


@router.post("/compare")
def compared(asked: CompareAsked, serving: Serving) -> Compared:
    """Size every route from the shelf, nothing pinned, and rank them."""
    qualities = tuple(Quality(name=n, title=f.title or n) for n, f in Weights.model_fields.items())
    found = rank(serving.rows(asked.brief, asked.rules), asked.weights)
    return Compared(comparison=found, qualities=qualities, picture=pareto(found))
