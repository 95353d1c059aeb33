"""The modulation bench of a design with a bridge, the sine table with its files, the scope at its socket."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, Response

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asking
from rhombos.core.modulation import LoopBench, ModulationBench, SineTable, TableAsked, sine_table
from rhombos.core.modulation.table import FILES
from rhombos.core.scope import ScopeSeen
from rhombos.desk import benches
from rhombos.desk.benches import LoopIn, ModulationIn, ScopeIn

router = APIRouter(tags=["modulation"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


@router.post("/modulation", response_model=ModulationBench, responses={404: {"model": ProblemDocument}})
async def modulation(asked: ModulationIn, asking: Asking) -> Response:
    """Figures, the schemes side by side, reference and legs, spectrum."""
    return await asking.answer(benches.modulation, asked)


@router.post("/voltage-loop", response_model=LoopBench, responses={404: {"model": ProblemDocument}})
async def voltage_loop(asked: LoopIn, asking: Asking) -> Response:
    """Margins, output impedance, and the response to a step of the load."""
    return await asking.answer(benches.voltage_loop, asked)


@router.post("/scope", response_model=ScopeSeen, responses={404: {"model": ProblemDocument}})
async def scope(asked: ScopeIn, asking: Asking) -> Response:
    """What a window says: readings, measurements, cursors, a spectrum, and where the record can be probed."""
    return await asking.answer(benches.scope, asked)


@router.post("/scope/points", response_class=Response, responses={200: {"content": {"application/octet-stream": {}}}})
async def scope_drawn(asked: ScopeIn, asking: Asking) -> Response:
    """The window's traces to draw, every edge in them: a line of JSON, then times as doubles and traces as singles."""
    return await asking.answer(benches.scope_drawn, asked, media="application/octet-stream")


@router.post("/scope/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
async def scope_table(asked: ScopeIn, asking: Asking) -> Response:
    """The window as a table, every edge with a row before and after it."""
    return await asking.answer(benches.scope_table, asked, media="text/csv")


@router.post("/sine-table")
def table(asked: TableAsked) -> SineTable:
    """Counts, what carrier and line really are, distortion from whole counts, the cycle budget."""
    return sine_table(asked)


@router.post(
    "/sine-table/{ending}",
    response_class=Response,
    responses={200: {"content": {"text/csv": {}, "text/x-c": {}, "text/plain": {}}}},
)
def table_file(ending: Literal["h", "csv", "vcd"], asked: TableAsked) -> Response:
    """The table as a C header or CSV, or the gates' timing as a value change dump."""
    media, made = FILES[ending]
    return Response(made(asked), media_type=media)
