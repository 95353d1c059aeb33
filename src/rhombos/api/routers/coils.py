"""The magnetics bench of a design's wound parts, and its small tools."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Response
from pydantic import BaseModel

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asked, Serving
from rhombos.core.coils import COILS, CoilBench, coil_bench
from rhombos.core.coils.tools import (
    OneTurn,
    OneTurnAnswer,
    Salvaged,
    SalvagedAnswer,
    UnknownCore,
    UnknownCoreAnswer,
    one_turn,
    salvaged,
    unknown_core,
)  # fmt: skip
from rhombos.core.solve import Unbuildable
from rhombos.paper import winding_pdf

router = APIRouter(
    prefix="/coils", tags=["coils"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})  # fmt: skip


class Benches(BaseModel):
    """The benches of every wound part of a design, in the order of the power path."""

    benches: tuple[CoilBench, ...]


@router.post("")
def benches(asked: Asked, serving: Serving) -> Benches:
    """Cores, turns and wires beside the present ones, and the winding sheets; none where nothing can be built."""
    try:
        worked = serving.work(asked)
    except Unbuildable:
        return Benches(benches=())
    keys = [b.KEY for b in (*worked.route.blocks(asked.brief.output.waveform), *worked.route.asides())]
    return Benches(benches=tuple(b for k in keys if (b := coil_bench(worked, k)) is not None))


@router.post("/{block}/sheet", response_class=Response, responses={
    200: {"content": {"application/pdf": {}}}, 404: {"model": ProblemDocument}})  # fmt: skip
def sheet(block: str, asked: Asked, serving: Serving, name: Annotated[str, Query(max_length=200)] = "") -> Response:
    """The winding sheet of one part as PDF, with the design's name on it."""
    try:
        bench = coil_bench(serving.work(asked), block)
    except Unbuildable:
        bench = None
    if bench is None:
        raise HTTPException(404, f"this design has nothing wound called ‘{block}’; known: {', '.join(COILS)}")
    return Response(winding_pdf(bench.sheet, name), media_type="application/pdf")


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
