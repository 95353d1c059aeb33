"""The magnetics bench of a design's wound parts, and its small tools."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from fastapi.concurrency import run_in_threadpool

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asking, Serving
from rhombos.core.magnetics_bench.model import WindingSheet
from rhombos.core.magnetics_bench.tools import (
    OneTurn,
    OneTurnAnswer,
    Salvaged,
    SalvagedAnswer,
    UnknownCore,
    UnknownCoreAnswer,
    one_turn,
    salvaged,
    unknown_core,
)
from rhombos.desk import benches
from rhombos.desk.asked import Asked
from rhombos.desk.benches import Benches

router = APIRouter(
    prefix="/coils", tags=["coils"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}}
)


@router.post("", response_model=Benches)
async def wound(asked: Asked, asking: Asking) -> Response:
    """Cores, turns and wires beside the present ones, and the winding sheets; none where nothing can be built."""
    return await asking.answer(benches.coils, asked)


@router.post(
    "/{block}/sheet",
    response_class=Response,
    responses={200: {"content": {"application/pdf": {}}}, 404: {"model": ProblemDocument}},
)
async def sheet(
    block: Annotated[str, Path(max_length=40)], asked: Asked, asking: Asking, name: Annotated[str, Query(max_length=200)] = ""
) -> Response:
    """The winding sheet of one part as PDF, with the design's name on it."""
    found = await asking.answer(benches.winding_sheet, asked, block)
    from rhombos.paper import winding_pdf  # what prints is large, and seldom asked for

    paper = await run_in_threadpool(winding_pdf, WindingSheet.model_validate_json(bytes(found.body)), name)
    return Response(paper, media_type="application/pdf")


@router.post("/one-turn")
def test_turn(asked: OneTurn) -> OneTurnAnswer:
    """From the volts of one test turn to the turns to wind."""
    return one_turn(asked)


@router.post("/unknown-core")
def identify(asked: UnknownCore) -> UnknownCoreAnswer:
    """From a test winding on an unknown core to what it probably is and can carry."""
    return unknown_core(asked)


@router.post("/salvaged")
def judge_salvaged(asked: Salvaged, serving: Serving) -> SalvagedAnswer:
    """From a core's bare dimensions to what it can do here."""
    return salvaged(asked, serving.shelf)
