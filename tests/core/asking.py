"""Briefs that are nearly alike."""

import math
from typing import Any

from rhombos.core.design.brief import Brief
from rhombos.core.design.route_name import RouteName
from rhombos.core.routes import ROUTES


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
    """The brief as the route admits it: on a battery of as much energy, at a voltage that it makes something of; with a second
    socket only where it has a secondary for one."""
    if not ROUTES[name].makes(brief.waves):
        brief = brief.model_copy(update={"outputs": brief.outputs[:1]})
    if ROUTES[name].refuses(brief) is None:
        return brief
    wanted = brief.output.voltage * {"sine": 1.23 * math.sqrt(2), "modified": 1.4, "square": 1.0}[brief.output.waveform]
    cells = round(wanted / 3.2)
    return brief.but(
        source={
            "kind": "battery",
            "chemistry": "LiFePO4",
            "cells": cells,
            "capacity": max(1.0, 2 * brief.power.surge / cells / 3.2) * 3600,
        }
    )
