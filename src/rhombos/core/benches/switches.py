"""The switches on the shelf ranked for one stage of a design: each fitted in turn, the whole design sized around it."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.cooling import steady_limit, surge_limit
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.front_end import FrontEndBuild, FrontEndState
from rhombos.core.blocks.h_bridge import KEY as H_BRIDGE
from rhombos.core.blocks.h_bridge import BridgeState, HBridgeBuild
from rhombos.core.blocks.surge import Devices, bridge_devices, cooling_of, front_end_devices, worst_course
from rhombos.core.frame.keys import Key
from rhombos.core.frame.labels import labelled
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.solve import Worked, refit
from rhombos.core.magnetics_bench.common import against, with_present
from rhombos.core.magnetics_bench.model import Option, OptionTable
from rhombos.core.parts import Igbt, Mosfet
from rhombos.core.units.quantities import fmt

State: TypeAlias = FrontEndState | BridgeState
Ranked: TypeAlias = Key[FrontEndBuild | HBridgeBuild, State]
RANKED: tuple[Ranked, ...] = (FRONT_END, H_BRIDGE)
"""Stages whose switches can be ranked."""
OF_EACH_RATING, SHOWN = 5, 12
TALLEST = 2.8
"""Rating over the voltage that is met, beyond which a part is not tried: it pays in resistance for nothing."""


def rank_switches(worked: Worked, block: str) -> OptionTable:
    """Loss, margins and cost of each candidate with the design around it, the best first by price and worth of loss.

    Raises: KeyError for a block that has no switches to rank.
    """
    stage = next((key for key in RANKED if key == block), None)
    if stage is None:
        raise KeyError(block)
    present = worked.builds[stage].switch
    found = []
    for name in _candidates(worked, stage, present):
        made = worked if name == present else refit(worked, stage, "switch", name)
        found.append((_score(made, stage), _option(made, stage, name == present)))
    found.sort(key=lambda pair: pair[0])
    options = [option for _, option in found]
    return OptionTable(
        key="switches",
        title="Switches on the shelf",
        columns=labelled(
            ("parallel", "n"),
            ("loss", "lost"),
            ("whole", "whole"),
            ("junction", "steady, surge"),
            ("volts", "margin"),
            ("cost", "cost"),
        ),
        remark="Each fitted in turn and all that is not pinned chosen again; ranked by price and worth of loss. Efficiency of "
        "the whole; junction; voltage left to its rating.",
        options=with_present(options, lambda: next(o for o in options if o.here), SHOWN),
    )


def _candidates(worked: Worked, block: Ranked, present: str) -> list[str]:
    """Of every rating that stands the voltage and not far too much, those that are quickest for their resistance."""
    met = _met(worked, block)
    parts: list[Mosfet | Igbt] = [*worked.shelf.all(Mosfet), *(worked.shelf.all(Igbt) if block == H_BRIDGE else ())]
    share = 1 - _margin(worked, block)
    able = [p for p in parts if met < p.v_rating * share and p.v_rating <= TALLEST * met] or parts
    able.sort(key=lambda p: (p.r_on * p.q_g, p.id))
    tried: dict[tuple[type[Mosfet | Igbt], float], list[str]] = {}
    for p in able:
        alike = tried.setdefault((type(p), p.v_rating), [])
        if len(alike) < OF_EACH_RATING:
            alike.append(p.id)
    names = [name for alike in tried.values() for name in alike]
    return names if present in names else [*names, present]


def _margin(worked: Worked, block: Ranked) -> float:
    return worked.rules.switch_voltage_margin if block == FRONT_END else worked.rules.bridge_voltage_margin


def _met(worked: Worked, block: Ranked) -> float:
    """The highest voltage across the present switches at rest, V."""
    states = [s.states[block] for s in worked.settled.values()]
    return max(s.resting if isinstance(s, FrontEndState) else s.switch_voltage for s in states)


def _devices(build: FrontEndBuild | HBridgeBuild, part: Mosfet | Igbt) -> Devices:
    return bridge_devices(build, part) if isinstance(build, HBridgeBuild) else front_end_devices(build, part)


def _score(worked: Worked, block: Ranked) -> float:
    build = worked.builds[block]
    part = worked.shelf.transistor(build.switch)
    now = worked.settled["nominal"]
    lost = now.flow["source"] - now.delivered
    return float(_devices(build, part).count * part.price + worked.rules.watt_worth * lost)


def _option(worked: Worked, block: Ranked, here: bool) -> Option:
    build = worked.builds[block]
    part = worked.shelf.transistor(build.switch)
    rules, states = worked.rules, {k: s.states[block] for k, s in worked.settled.items()}
    held = [k for k in STEADY if k not in worked.route.infeasible(worked.settled)] or ["nominal"]
    junction = max(states[k].junction for k in held)
    peak = max(s.peak_voltage if isinstance(s, FrontEndState) else s.switch_voltage for s in states.values())
    devices = _devices(build, part)
    cooled = cooling_of(build, part, worked.brief, worked.shelf, rules)
    surge = worst_course(states, worked.route.infeasible(worked.settled), devices, cooled, rules, worked.brief.surge_time)
    burst = float(surge[1].junction[-1]) if surge else junction
    now = worked.settled["nominal"]
    why = against(
        (junction, steady_limit(rules, part.t_j_max), "degC"),
        (burst, surge_limit(rules, part.t_j_max), "degC"),
        (peak, part.v_rating * (1 - _margin(worked, block)), "V"),
    )
    return Option(
        name=part.label,
        here=here,
        fits=not why,
        why=why,
        texts={
            "parallel": str(build.parallel),
            "loss": fmt(now.states[block].loss, "W"),
            "whole": fmt(now.delivered / now.flow["source"], "%"),
            "junction": f"{junction:.0f}, {fmt(burst, 'degC')}",
            "volts": fmt(1 - peak / part.v_rating, "%", 2),
            "cost": fmt(devices.count * part.price, "1"),
        },
        patch={f"{block}.switch": part.id, f"{block}.parallel": build.parallel},
    )
