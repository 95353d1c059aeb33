"""The modulation bench of a design with a bridge, and the sine table with its files."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException, Response

from rhombos.api.problem import ProblemDocument
from rhombos.api.routers.solve import Asked
from rhombos.api.service import Serving
from rhombos.core.modulation import ModulationAsked, ModulationBench, SineTable, TableAsked, modulation_bench, sine_table
from rhombos.core.modulation.table import FILES

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


@router.post("/sine-table")
def table(asked: TableAsked) -> SineTable:
    """Counts, what carrier and line really are, distortion from whole counts, the cycle budget."""
    return sine_table(asked)


@router.post("/sine-table/{ending}", response_class=Response, responses={200: {"content": {"text/plain": {}}}})
def table_file(ending: Literal["h", "csv", "vcd"], asked: TableAsked) -> Response:
    """The table as a C header or CSV, or the gates' timing as a value change dump."""
    media, made = FILES[ending]
    return Response(made(asked), media_type=media)
