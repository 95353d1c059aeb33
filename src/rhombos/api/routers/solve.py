"""Sizing and its pictures."""

from __future__ import annotations

from typing import Literal, get_args

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, Field, RootModel

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Serving
from rhombos.core.brief import Brief
from rhombos.core.coils.model import OptionTable
from rhombos.core.design import BriefField, brief_fields
from rhombos.core.findings import PinValue
from rhombos.core.plots import Chart, charts
from rhombos.core.precharge.files import precharge_table
from rhombos.core.report import Solution
from rhombos.core.routes import DEFAULT, RouteName
from rhombos.core.rules import PRESETS, RuleName
from rhombos.core.solve import Unbuildable, explain, unbuildable
from rhombos.core.switches import rank_switches

router = APIRouter(tags=["solve"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})

Block = Literal[
    "battery", "input_stage", "front_end", "transformer", "rectifier", "dc_link", "h_bridge", "output_filter",
    "iron_transformer", "oscillator", "load", "controller", "bridge_drive", "front_drive", "precharge",
]


class Asked(BaseModel):
    """A brief with its pins and house rules."""

    brief: Brief
    pins: dict[str, PinValue] = Field(default_factory=dict, max_length=200)
    rules: RuleName = "usual"
    route: RouteName = DEFAULT


class Solved(BaseModel):
    """The solution, and the brief's fields as a form shows them."""

    solution: Solution
    fields: tuple[BriefField, ...]


@router.post("/precharge/{ending}", response_class=Response, responses={200: {"content": {"text/plain": {}}}})
def precharge_file(ending: Literal["csv", "c"], asked: Asked, serving: Serving) -> Response:
    """The precharge sequence as a state table, or as portable C."""
    worked = serving.work(asked.brief, asked.pins, asked.rules, asked.route)
    return Response(precharge_table(worked, ending), media_type="text/csv" if ending == "csv" else "text/plain")


@router.post("/switches/{block}", responses={404: {"model": ProblemDocument}})
def switches(block: Literal["front_end", "h_bridge"], asked: Asked, serving: Serving) -> OptionTable:
    """The switches on the shelf ranked for a stage, the design sized anew around each."""
    worked = serving.work(asked.brief, asked.pins, asked.rules, asked.route)
    if block not in worked.builds:
        raise HTTPException(404, "this route has no such stage; choose one that has")
    return rank_switches(worked, block)


class RuleSet(BaseModel):
    """A preset of house rules, with the reason for it."""

    name: RuleName
    why: str


def _plain(model: BaseModel) -> Response:
    """A model as JSON, written once by its own serialiser: it is valid already, and it is large."""
    return Response(model.model_dump_json(), media_type="application/json")


@router.post("/solve", response_model=Solved)
def solve(asked: Asked, serving: Serving) -> Response:
    """Size everything that is not pinned."""
    try:
        solution = explain(serving.work(asked.brief, asked.pins, asked.rules, asked.route), asked.pins)
    except Unbuildable as why:
        solution = unbuildable(asked.brief, asked.pins, PRESETS[asked.rules], asked.route, why)
    return _plain(Solved(solution=solution, fields=brief_fields(asked.brief)))


class Pictures(RootModel[tuple[Chart, ...]]):
    """The pictures of one block."""


@router.post("/charts/{block}", response_model=Pictures)
def pictures(block: Block, asked: Asked, serving: Serving) -> Response:
    """The pictures of one block; none where nothing can be built."""
    try:
        return _plain(Pictures(charts(serving.work(asked.brief, asked.pins, asked.rules, asked.route), block)))
    except Unbuildable:
        return _plain(Pictures(()))


@router.get("/rules")
def rules() -> list[RuleSet]:
    """The presets of house rules."""
    return [RuleSet(name=name, why=PRESETS[name].why) for name in get_args(RuleName)]
