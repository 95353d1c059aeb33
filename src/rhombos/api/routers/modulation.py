"""The modulation bench of a design with a bridge, the sine table with its files, the scope at its socket."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException, Response

from rhombos.api.problem import ProblemDocument
from rhombos.api.routers.solve import Asked
from rhombos.api.service import Serving
from rhombos.core.modulation import ModulationAsked, ModulationBench, SineTable, TableAsked, modulation_bench, sine_table
from rhombos.core.modulation.table import FILES
from rhombos.core.scope import ScopeAsked, ScopeBench, scope_bench, scope_csv
from rhombos.core.solve import Worked

router = APIRouter(tags=["modulation"], responses={422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}})


class ModulationIn(Asked):
    """A design, with how its bridge is to be modulated; what is left out is as designed."""

    setting: ModulationAsked = ModulationAsked()


@router.post("/modulation", responses={404: {"model": ProblemDocument}})
def modulation(asked: ModulationIn, serving: Serving) -> ModulationBench:
    """Figures, the schemes side by side, reference and legs, spectrum."""
    worked = serving.work(asked.brief, asked.pins, asked.rules, asked.route)
    if "h_bridge" not in worked.builds:
        raise HTTPException(404, "this route has no bridge to modulate; choose one with an H-bridge")
    return modulation_bench(asked.setting, worked)


class ScopeIn(Asked):
    """A design, with what to record at its socket and which part of that to look at."""

    look: ScopeAsked = ScopeAsked()


def _recordable(asked: ScopeIn, serving: Serving) -> Worked:
    worked = serving.work(asked.brief, asked.pins, asked.rules, asked.route)
    if worked.route.operating(worked.settled, worked.builds, worked.shelf) is None:
        raise HTTPException(404, "the scope records designs that make a sine; ask the brief for one")
    return worked


@router.post("/scope", responses={404: {"model": ProblemDocument}})
def scope(asked: ScopeIn, serving: Serving) -> ScopeBench:
    """Traces of a window that keep their extremes, and what meters read of it."""
    return scope_bench(asked.look, _recordable(asked, serving))


@router.post("/scope/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def scope_table(asked: ScopeIn, serving: Serving) -> Response:
    """The window as a table, every edge with a row before and after it."""
    return Response(scope_csv(asked.look, _recordable(asked, serving)), media_type="text/csv")


@router.post("/sine-table")
def table(asked: TableAsked) -> SineTable:
    """Counts, what carrier and line really are, distortion from whole counts, the cycle budget."""
    return sine_table(asked)


@router.post("/sine-table/{ending}", response_class=Response, responses={200: {"content": {"text/plain": {}}}})
def table_file(ending: Literal["h", "csv", "vcd"], asked: TableAsked) -> Response:
    """The table as a C header or CSV, or the gates' timing as a value change dump."""
    media, made = FILES[ending]
    return Response(made(asked), media_type=media)
