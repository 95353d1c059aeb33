"""Sizing and its pictures."""

from __future__ import annotations

from typing import Any, Literal, get_args

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, Field, RootModel

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asked, Serving
from rhombos.core.coils.model import OptionTable
from rhombos.core.design import BriefField, RuleField, brief_fields, plain_fields, rule_fields
from rhombos.core.findings import PinAddress, PinValue, Waiver
from rhombos.core.plots import Chart, charts
from rhombos.core.precharge.files import precharge_table
from rhombos.core.precharge.tool import Bus, PrechargeSeen, see, sequence_file
from rhombos.core.report import Solution
from rhombos.core.rules import PRESETS, RuleName
from rhombos.core.solve import Unbuildable, explain, unbuildable
from rhombos.core.switches import rank_switches

router = APIRouter(tags=["solve"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})

Block = Literal[
    "battery", "input_stage", "front_end", "transformer", "rectifier", "dc_link", "h_bridge", "output_filter",
    "iron_transformer", "oscillator", "load", "controller", "bridge_drive", "front_drive", "precharge",
    "protection", "heat", "isolation",
]


AS_TEXT: dict[int | str, dict[str, Any]] = {200: {"content": {"text/csv": {}, "text/plain": {}}}}


class Solved(BaseModel):
    """The solution, and the brief's fields as a form shows them."""

    solution: Solution
    fields: tuple[BriefField, ...]
    house: tuple[RuleField, ...]


@router.post("/precharge/{ending}", response_class=Response, responses=AS_TEXT)
def precharge_file(ending: Literal["csv", "c"], asked: Asked, serving: Serving) -> Response:
    """The precharge sequence as a state table, or as portable C."""
    worked = serving.work(asked)
    return Response(precharge_table(worked, ending), media_type="text/csv" if ending == "csv" else "text/plain")


class BusIn(BaseModel):
    """A bus with no design about it, what is fixed of its precharge, and the house's rules."""

    bus: Bus = Field(default_factory=Bus)
    pins: dict[PinAddress, PinValue] = Field(default_factory=dict, max_length=40)
    rules: RuleName = "usual"


@router.post("/bus")
def bus(asked: BusIn, serving: Serving) -> PrechargeSeen:
    """The precharge of any bus."""
    return see(asked.bus, asked.pins, serving.shelf, PRESETS[asked.rules])


@router.post("/bus/{ending}", response_class=Response, responses=AS_TEXT)
def bus_file(ending: Literal["csv", "c"], asked: BusIn, serving: Serving) -> Response:
    """Its sequence as a state table, or as portable C."""
    text = sequence_file(asked.bus, asked.pins, ending, serving.shelf, PRESETS[asked.rules])
    return Response(text, media_type="text/csv" if ending == "csv" else "text/plain")


@router.get("/bus/fields")
def bus_fields() -> list[BriefField]:
    """What is asked of a bus, as a form shows it."""
    return list(plain_fields(Bus()))


@router.post("/switches/{block}", responses={404: {"model": ProblemDocument}})
def switches(block: Literal["front_end", "h_bridge"], asked: Asked, serving: Serving) -> OptionTable:
    """The switches on the shelf ranked for a stage, the design sized anew around each."""
    worked = serving.work(asked)
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


class SolveIn(Asked):
    """… and the findings that are waived."""

    waivers: tuple[Waiver, ...] = Field((), max_length=100)


@router.post("/solve", response_model=Solved)
def solve(asked: SolveIn, serving: Serving) -> Response:
    """Size everything that is not pinned."""
    try:
        solution = explain(serving.work(asked), asked.pins, asked.waivers)
    except Unbuildable as why:
        solution = unbuildable(asked.brief, asked.pins, asked.house_rules, asked.route, why)
    return _plain(Solved(solution=solution, fields=brief_fields(asked.brief), house=rule_fields(asked.rules, asked.house)))


class Pictures(RootModel[tuple[Chart, ...]]):
    """The pictures of one block."""


@router.post("/charts/{block}", response_model=Pictures)
def pictures(block: Block, asked: Asked, serving: Serving) -> Response:
    """The pictures of one block; none where nothing can be built."""
    try:
        return _plain(Pictures(charts(serving.work(asked), block)))
    except Unbuildable:
        return _plain(Pictures(()))


@router.get("/rules")
def rules() -> list[RuleSet]:
    """The presets of house rules."""
    return [RuleSet(name=name, why=PRESETS[name].why) for name in get_args(RuleName)]
