"""The modulation bench of a design with a bridge, the sine table with its files, the scope at its socket."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException, Response

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asked, Serving
from rhombos.core.modulation import (
    LoopAsked,
    LoopBench,
    ModulationAsked,
    ModulationBench,
    SineTable,
    TableAsked,
    loop_bench,
    modulation_bench,
    sine_table,
)  # fmt: skip
from rhombos.core.modulation.table import FILES
from rhombos.core.scope import ScopeAsked, ScopeSeen, scope_bench, scope_csv, scope_points
from rhombos.core.solve import Worked

router = APIRouter(tags=["modulation"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


class ModulationIn(Asked):
    """A design, with how its bridge is to be modulated; what is left out is as designed."""

    setting: ModulationAsked = ModulationAsked()


@router.post("/modulation", responses={404: {"model": ProblemDocument}})
def modulation(asked: ModulationIn, serving: Serving) -> ModulationBench:
    """Figures, the schemes side by side, reference and legs, spectrum."""
    worked = serving.work(asked)
    if "h_bridge" not in worked.builds:
        raise HTTPException(404, "this route has no bridge to modulate; choose one with an H-bridge")
    return modulation_bench(asked.setting, worked)


def _with_sine(asked: Asked, serving: Serving) -> Worked:
    worked = serving.work(asked)
    if worked.route.operating(worked.settled, worked.builds, worked.shelf) is None:
        raise HTTPException(404, "this is for designs that make a sine; ask the brief for one")
    return worked


class LoopIn(Asked):
    """A design, with how its output is to be held."""

    setting: LoopAsked = LoopAsked()


@router.post("/voltage-loop", responses={404: {"model": ProblemDocument}})
def voltage_loop(asked: LoopIn, serving: Serving) -> LoopBench:
    """Margins, output impedance, and the response to a step of the load."""
    return loop_bench(asked.setting, _with_sine(asked, serving))


class ScopeIn(Asked):
    """A design, with what to record at its socket and which part of that to look at."""

    look: ScopeAsked = ScopeAsked()


@router.post("/scope", responses={404: {"model": ProblemDocument}})
def scope(asked: ScopeIn, serving: Serving) -> ScopeSeen:
    """What a window says: readings, measurements, cursors, a spectrum, and where the record can be probed."""
    return scope_bench(asked.look, serving.work(asked))


@router.post("/scope/points", response_class=Response, responses={200: {"content": {"application/octet-stream": {}}}})
def scope_drawn(asked: ScopeIn, serving: Serving) -> Response:
    """The window's traces to draw, every edge in them: a line of JSON, then times as doubles and traces as singles."""
    return Response(scope_points(asked.look, serving.work(asked)), media_type="application/octet-stream")


@router.post("/scope/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def scope_table(asked: ScopeIn, serving: Serving) -> Response:
    """The window as a table, every edge with a row before and after it."""
    return Response(scope_csv(asked.look, serving.work(asked)), media_type="text/csv")


@router.post("/sine-table")
def table(asked: TableAsked) -> SineTable:
    """Counts, what carrier and line really are, distortion from whole counts, the cycle budget."""
    return sine_table(asked)


@router.post("/sine-table/{ending}", response_class=Response, responses={
    200: {"content": {"text/csv": {}, "text/x-c": {}}}})  # fmt: skip
def table_file(ending: Literal["h", "csv", "vcd"], asked: TableAsked) -> Response:
    """The table as a C header or CSV, or the gates' timing as a value change dump."""
    media, made = FILES[ending]
    return Response(made(asked), media_type=media)
