"""Briefs that are nearly alike, and what must hold of a sizing of any."""

import math
from typing import Any

import pytest

from rhombos.core.design.brief import Brief
from rhombos.core.design.route_name import RouteName
from rhombos.core.frame.solve import Worked
from rhombos.core.routes import ROUTES, lossy


def written_short(brief: Brief) -> dict[str, Any]:
    """A brief's fields to change, as one of one source and one output is written short."""
    whole = brief.model_dump()
    output = whole["outputs"][0]
    asked = {name: output.pop(name) for name in ("power", "loads", "shares")}
    return {"source": whole["sources"][0], "output": output, **asked, "targets": whole["targets"]}


def making(brief: Brief, wave: str, **sections: Any) -> Brief:
    """The same with another waveform at its socket, or with direct voltage or high frequency there; some sections set otherwise."""
    if wave not in ("DC", "HF") and brief.output.kind == "AC":
        return brief.but(output={"waveform": wave}, **sections)
    power = brief.power.model_dump(exclude={"power_factor"}) | dict(sections.pop("power", {}))
    output = {"kind": wave} if wave in ("DC", "HF") else {"kind": "AC", "waveform": wave}
    if wave == "HF":  # nothing stands beside it
        brief = brief.model_copy(update={"outputs": brief.outputs[:1]})
    return brief.but(output={**output, "power": power}, **sections)


def fitting(name: RouteName, brief: Brief) -> Brief:
    """The brief as the route admits it: on a battery of as much energy, or a stiff mains, at a voltage that it makes something
    of; with a second socket only where it has a secondary for one."""
    if not ROUTES[name].makes(brief.waves):
        brief = brief.model_copy(update={"outputs": brief.outputs[:1]})
    route = ROUTES[name]
    if brief.source.kind in route.fed_by and route.refuses(brief) is None:
        return brief
    raw = brief.model_dump(exclude_unset=True)
    if brief.mains and "mains" not in route.fed_by:
        return fitting(name, Brief.model_validate(raw | {"sources": [{"kind": "battery", "capacity": 100 * 3600.0}]}))
    wanted = brief.output.voltage * {"sine": 1.23 * math.sqrt(2), "modified": 1.4, "square": 1.0}[brief.output.waveform]
    if "mains" in route.fed_by:
        volts = min(277.0, max(85.0, 1.03 * wanted / math.sqrt(2)))
        ohms = max(0.01, 0.002 * volts**2 / brief.power.surge)
        mains = {"kind": "mains", "nominal": volts, "lowest": 0.97 * volts, "highest": 1.03 * volts, "hold_up": 0}
        return Brief.model_validate(raw | {"sources": [mains | {"resistance": ohms, "inductance": ohms / 1500}]})
    cells = round(wanted / 3.2)
    return brief.but(
        source={
            "kind": "battery",
            "chemistry": "LiFePO4",
            "cells": cells,
            "capacity": max(1.0, 2 * brief.power.surge / cells / 3.2) * 3600,
        }
    )


def balanced(worked: Worked) -> None:
    """Power in is power out and every loss, at every point that the source can feed."""
    for key, s in worked.settled.items():
        if key in worked.route.infeasible(worked.settled):
            continue
        cells = s.states["source"]
        lost = sum(s.states[k].loss for k in lossy(worked.route, worked.brief.waves))
        assert cells.terminal * cells.current == pytest.approx(s.delivered + lost, rel=1e-3), key
