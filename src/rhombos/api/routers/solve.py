"""Sizing and its pictures."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from fastapi import APIRouter, Path, Response
from pydantic import AfterValidator, BaseModel

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asking
from rhombos.core.benches.parts_sheet import PartsSheet
from rhombos.core.design.form import BriefField, plain_fields
from rhombos.core.design.rules import PRESETS, RuleName
from rhombos.core.magnetics_bench.model import OptionTable
from rhombos.core.mains.tool import MainsAsked, MainsSeen
from rhombos.core.precharge.tool import Bus, PrechargeSeen
from rhombos.core.routes import all_stages
from rhombos.desk import sizing
from rhombos.desk.asked import Asked
from rhombos.desk.sizing import BusIn, MainsIn, Pictures, Solved, SolveIn

router = APIRouter(tags=["solve"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


def _known(block: str) -> str:
    if block not in (known := all_stages()):
        raise ValueError(f"‘{block}’ is no block; choose one of {', '.join(known)}")
    return block


Block = Annotated[str, Path(max_length=40), AfterValidator(_known)]
Ending = Literal["csv", "c"]
AS_TEXT: dict[int | str, dict[str, Any]] = {200: {"content": {"text/csv": {}, "text/plain": {}}}}
MEDIA = {"csv": "text/csv", "c": "text/plain"}


@router.post("/precharge/{ending}", response_class=Response, responses=AS_TEXT)
async def precharge_file(ending: Ending, asked: Asked, asking: Asking) -> Response:
    """The precharge sequence as a state table, or as portable C."""
    return await asking.answer(sizing.sequence, asked, ending, media=MEDIA[ending])


@router.post("/bus", response_model=PrechargeSeen)
async def bus(asked: BusIn, asking: Asking) -> Response:
    """The precharge of any bus."""
    return await asking.answer(sizing.bus, asked)


@router.post("/bus/{ending}", response_class=Response, responses=AS_TEXT)
async def bus_file(ending: Ending, asked: BusIn, asking: Asking) -> Response:
    """Its sequence as a state table, or as portable C."""
    return await asking.answer(sizing.bus_sequence, asked, ending, media=MEDIA[ending])


@router.post("/mains", response_model=MainsSeen)
async def mains(asked: MainsIn, asking: Asking) -> Response:
    """A rectifier on one-phase mains, for any load."""
    return await asking.answer(sizing.mains, asked)


@router.get("/mains/fields")
def mains_fields() -> list[BriefField]:
    """What is asked of the mains and its load, as a form shows it."""
    return list(plain_fields(MainsAsked()))


@router.get("/bus/fields")
def bus_fields() -> list[BriefField]:
    """What is asked of a bus, as a form shows it."""
    return list(plain_fields(Bus()))


@router.post("/switches/{block}", response_model=OptionTable, responses={404: {"model": ProblemDocument}})
async def switches(block: Literal["front_end", "h_bridge"], asked: Asked, asking: Asking) -> Response:
    """The switches on the shelf ranked for a stage, the design sized again around each."""
    return await asking.answer(sizing.switches, asked, block)


@router.post("/solve", response_model=Solved)
async def solve(asked: SolveIn, asking: Asking) -> Response:
    """Size everything that is not pinned."""
    return await asking.answer(sizing.solve, asked)


@router.post("/charts/{block}", response_model=Pictures)
async def pictures(block: Block, asked: Asked, asking: Asking) -> Response:
    """The pictures of one block; none where nothing can be built."""
    return await asking.answer(sizing.pictures, asked, block)


@router.post("/parts", response_model=PartsSheet)
async def parts(asked: Asked, asking: Asking) -> Response:
    """The parts list of a design, with its references."""
    return await asking.answer(sizing.parts, asked)


@router.post(
    "/parts/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}, 404: {"model": ProblemDocument}}
)
async def parts_csv(asked: Asked, asking: Asking) -> Response:
    """The parts list as CSV."""
    return await asking.answer(sizing.parts_as_csv, asked, media="text/csv")


class RuleSet(BaseModel):
    """A preset of house rules, with the reason for it."""

    name: RuleName
    why: str


@router.get("/rules")
def rules() -> list[RuleSet]:
    """The presets of house rules."""
    return [RuleSet(name=name, why=PRESETS[name].why) for name in get_args(RuleName)]
