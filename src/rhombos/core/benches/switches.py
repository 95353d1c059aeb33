"""The switches on the shelf ranked for one stage of a design: each fitted in turn, the whole design sized around it."""

from __future__ import annotations

from typing import Any

from rhombos.core.blocks.cooling import steady_limit, surge_limit
from rhombos.core.blocks.surge import bridge_devices, cooling_of, front_end_devices, worst_course
from rhombos.core.frame.labels import labelled
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.solve import Worked, refit
from rhombos.core.magnetics_bench.common import against, with_present
from rhombos.core.magnetics_bench.model import Option, OptionTable
from rhombos.core.parts import Igbt, Mosfet, Part
from rhombos.core.units.quantities import fmt

STAGES: dict[str, tuple[type[Part], ...]] = {"front_end": (Mosfet,), "h_bridge": (Mosfet, Igbt)}
"""Stages whose switches can be ranked, and the kinds that they take."""
DEVICES = {"front_end": front_end_devices, "h_bridge": bridge_devices}
OF_EACH_RATING, SHOWN = 5, 12
TALLEST = 2.8
"""Rating over the voltage that is met, beyond which a part is not tried: it pays in resistance for nothing."""


def rank_switches(worked: Worked, block: str) -> OptionTable:
    """Loss, margins and cost of each candidate with the design around it, the best first by price and worth of loss.

    Raises: KeyError for a block that has no switches to rank.
    """
    kinds = STAGES[block]
    present = worked.builds[block].switch
    found = []
    for name in _candidates(worked, block, kinds, present):
        made = worked if name == present else refit(worked, block, "switch", name)
        found.append((_score(made, block), _option(made, block, name == present)))
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


def _candidates(worked: Worked, block: str, kinds: tuple[type[Part], ...], present: str) -> list[str]:
    """Of every rating that stands the voltage and not far too much, those that are quickest for their resistance."""
    met = _met(worked, block)
    parts: list[Any] = [p for k in kinds for p in worked.shelf.all(k)]
    share = 1 - _margin(worked, block)
    able = [p for p in parts if met < p.v_rating * share and p.v_rating <= TALLEST * met] or parts
    able.sort(key=lambda p: (p.r_on * p.q_g, p.id))
    tried: dict[tuple[type[Part], float], list[str]] = {}
    for p in able:
        alike = tried.setdefault((type(p), p.v_rating), [])
        if len(alike) < OF_EACH_RATING:
            alike.append(p.id)
    names = [name for alike in tried.values() for name in alike]
    return names if present in names else [*names, present]


def _margin(worked: Worked, block: str) -> float:
    return worked.rules.switch_voltage_margin if block == "front_end" else worked.rules.bridge_voltage_margin


def _met(worked: Worked, block: str) -> float:
    """The highest voltage across the present switches at rest, V."""
    states = [s.states[block] for s in worked.settled.values()]
    return max(float(getattr(s, "resting", None) or s.switch_voltage) for s in states)


def _score(worked: Worked, block: str) -> float:
    build: Any = worked.builds[block]
    part: Any = worked.shelf.find("mosfet|igbt", build.switch)
    now = worked.settled["nominal"]
    lost = now.flow["source"] - now.delivered
    return float(DEVICES[block](build, part).count * part.price + worked.rules.watt_worth * lost)


def _option(worked: Worked, block: str, here: bool) -> Option:
    build: Any = worked.builds[block]
    part: Any = worked.shelf.find("mosfet|igbt", build.switch)
    rules, states = worked.rules, {k: s.states[block] for k, s in worked.settled.items()}
    held = [k for k in STEADY if k not in worked.route.infeasible(worked.settled)] or ["nominal"]
    junction = max(states[k].junction for k in held)
    peak = max(getattr(s, "peak_voltage", None) or s.switch_voltage for s in states.values())
    devices = DEVICES[block](build, part)
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
