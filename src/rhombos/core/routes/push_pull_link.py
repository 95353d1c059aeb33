"""Push-pull → ferrite transformer → fast rectifier and DC link → H-bridge with sine PWM → L–C filter."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rhombos.core.blocks import (
    battery,
    dc_link,
    h_bridge,
    input_stage,
    load,
    output_filter,
    push_pull,
    rectifier,
    transformer,
)  # fmt: skip
from rhombos.core.blocks.base import Build
from rhombos.core.book import stage as stage_book
from rhombos.core.brief import Brief
from rhombos.core.ledger import Ledger
from rhombos.core.magnetics.transformer import TransformerNeed
from rhombos.core.parts import Shelf
from rhombos.core.points import operating_points
from rhombos.core.routes.settle import PowerFlow, Settled, hopeless, operating, settle, settle_all
from rhombos.core.rules import Rules

__all__ = [
    "BLOCKS", "BUILDS", "HINT_POINTS", "KEY", "LOSSY", "TITLE", "Hints", "PowerFlow", "Settled", "first_hints", "hopeless",
    "next_hints", "operating", "propose", "settle", "settle_all",
]  # fmt: skip

KEY = "push-pull-link"
TITLE = "Push-pull, DC link, H-bridge"
BLOCKS = (battery, input_stage, push_pull, transformer, rectifier, dc_link, h_bridge, output_filter, load)
LOSSY = tuple(b.KEY for b in BLOCKS if b not in (battery, load))
"""Blocks whose losses stand between the battery's terminals and the socket."""
BUILDS: dict[str, type[Build]] = {
    "battery": battery.BatteryBuild, "input_stage": input_stage.InputStageBuild, "push_pull": push_pull.PushPullBuild,
    "transformer": transformer.TransformerBuild, "rectifier": rectifier.RectifierBuild, "dc_link": dc_link.DcLinkBuild,
    "h_bridge": h_bridge.HBridgeBuild, "output_filter": output_filter.OutputFilterBuild, "load": load.LoadBuild,
}  # fmt: skip
HINT_POINTS = ("flat", "full", "surge_full")
"""What proposals look at."""
HARDEST_SAG = 0.7
"""Share of the battery's open voltage that proposals count on at least: a design that sags further is hopeless."""
DUTY_RESERVE = 0.985
"""Part of the duty limit that the proposed turns ratio uses; the rest absorbs what the next iteration changes."""


@dataclass(frozen=True)
class Hints:
    """What proposals need to know of the rest before it is assessed; refined from the states of the last round."""

    bridge_peak: float
    path_resistance: float
    modulation: float
    dead_time_volts: float
    link_current: float
    surge_link_current: float
    v_in: dict[str, float]
    pulse: dict[str, float]
    turn_off: dict[str, float]
    duty: dict[str, float]
    drop: float
    secondary_extra: float
    leak_duty: float
    battery_current: float


def first_hints(brief: Brief, pins: Mapping[str, Mapping[str, Any]], rules: Rules) -> Hints:
    """A designer's first guess: 88 % overall, 5 % of drops, everything else by proportion."""
    bridge = math.sqrt(2) * brief.output.voltage * 1.05
    voltage = pins.get("dc_link", {}).get("voltage") or dc_link.least_voltage(bridge, rules.link_ripple, rules)
    empty, _, full = brief.source.volts
    power, surge = brief.power.continuous / 0.88, brief.power.surge / 0.88
    high = rules.duty_limit * empty / full
    duty = {"flat": rules.duty_limit, "full": high, "surge_full": high}
    v_in = {"flat": empty * 0.95, "full": full * 0.98, "surge_full": full * 0.95}
    asked = {k: surge if k.startswith("surge") else power for k in v_in}
    pulse = {k: asked[k] / (v_in[k] * 2 * duty[k]) for k in v_in}
    return Hints(
        bridge_peak=bridge, path_resistance=0.0, modulation=bridge / voltage, dead_time_volts=0.01 * voltage,
        link_current=brief.power.continuous * 1.05 / voltage, surge_link_current=brief.power.surge * 1.05 / voltage,
        v_in=v_in, pulse=pulse,
        turn_off={k: 1.2 * v for k, v in pulse.items()}, duty=duty, drop=0.04 * empty, secondary_extra=3.0,
        leak_duty=0.01,
        battery_current=power / v_in["flat"],
    )  # fmt: skip


def next_hints(settled: Mapping[str, Settled]) -> Hints:
    """What the assessed design teaches the next round of proposals.

    A point that the source cannot feed has no sensible currents; proposals then see it at the edge of the possible.
    """
    flat = settled["flat"]
    states = flat.states
    v_in = {k: max(settled[k].v_in, HARDEST_SAG * settled[k].point.emf) for k in HINT_POINTS}
    duty = {k: min(0.5, settled[k].states["push_pull"].duty) for k in HINT_POINTS}
    most = {k: settled[k].point.power / (0.6 * v_in[k] * 2 * duty[k]) for k in HINT_POINTS}
    mean = 2 * states["rectifier"].average
    return Hints(
        bridge_peak=max(settled[k].states["h_bridge"].bridge_peak for k in ("flat", "full")),
        path_resistance=2 * states["h_bridge"].resistance, modulation=states["h_bridge"].modulation,
        dead_time_volts=states["h_bridge"].dead_time_loss_volts, link_current=mean,
        surge_link_current=2 * settled["surge_full"].states["rectifier"].average,
        v_in=v_in,
        pulse={k: min(settled[k].pulse, most[k]) for k in HINT_POINTS},
        turn_off={k: min(settled[k].turn_off, 1.3 * most[k]) for k in HINT_POINTS}, duty=duty,
        drop=min(max(0.0, flat.v_in - flat.v_half), 0.2 * v_in["flat"]),
        secondary_extra=2 * states["rectifier"].drop + states["rectifier"].choke_resistance * mean
        + min(flat.secondary_drop, 0.1 * settled["flat"].states["dc_link"].voltage),
        leak_duty=min(states["transformer"].leakage_duty, 0.2),
        battery_current=min(states["battery"].current, flat.point.power / (0.6 * v_in["flat"])),
    )  # fmt: skip


def propose(
    brief: Brief, hints: Hints, pins: Mapping[str, dict[str, Any]], shelf: Shelf, rules: Rules
) -> dict[str, Build]:  # fmt: skip
    """One round of proposals, from the load back to the battery. Pinned fields stay."""
    asked = load.assess(operating_points(brief)["nominal"], brief, Ledger(recording=False))
    surge = brief.power.surge / brief.power.continuous
    surge_current = asked.current * surge
    own = {key: dict(pins.get(key, {})) for key in BUILDS}
    voltage = own["dc_link"].get("voltage") or dc_link.least_voltage(hints.bridge_peak, rules.link_ripple, rules)
    carrier = float(own["h_bridge"].get("carrier", h_bridge.CARRIER))
    filter_need = output_filter.FilterNeed(
        asked.voltage, asked.frequency, asked.current, asked.power_factor, voltage, carrier,
        hints.bridge_peak / voltage, hints.path_resistance, hints.dead_time_volts)  # fmt: skip
    filtering = output_filter.propose(filter_need, surge_current, brief, own["output_filter"], shelf, rules)
    ripple = voltage / (8 * carrier * filtering.inductance)
    linking = dc_link.propose(
        dc_link.LinkNeed(
            asked.apparent, math.sqrt(2) * asked.current, hints.bridge_peak / voltage, asked.power_factor,
            hints.link_current, rules.choke_ripple * hints.link_current, hints.bridge_peak),
        brief, own["dc_link"] | {"voltage": voltage}, shelf, rules)  # fmt: skip
    highest = dc_link.highest(linking, asked.apparent * surge, asked.frequency, shelf, rules)
    bridge = h_bridge.propose(
        h_bridge.BridgeNeed(
            voltage, highest, asked.current, asked.power_factor, 1.02 * (math.sqrt(2) * asked.current + ripple / 2),
            ripple / math.sqrt(24), hints.bridge_peak),
        brief, own["h_bridge"], shelf, rules)  # fmt: skip
    # the ratio that still reaches the link on a flat battery, hot, at full load, with leakage's share of the duty
    reach = rules.duty_limit * DUTY_RESERVE - hints.leak_duty / 2
    ratio = float(stage_book.turns_ratio_choke(
        V_out=voltage + hints.secondary_extra, n_d=1, V_F=0.0, D_max=reach, V_min=hints.v_in["flat"],
        V_drop=hints.drop))  # fmt: skip
    frequency = float(own["push_pull"].get("frequency", push_pull.steady_frequency(brief.power.continuous)))
    air = brief.targets.ambient + rules.enclosure_rise
    winding = transformer.propose(
        TransformerNeed(
            v_max=brief.source.volts[2], d_max=rules.duty_limit, v_work=hints.v_in["flat"] - hints.drop,
            d_work=min(0.5, hints.duty["flat"]), ratio=ratio, primary_pulse=hints.pulse["flat"],
            secondary_pulse=hints.link_current, frequency=frequency, air=air),
        own["transformer"], shelf, rules)  # fmt: skip
    made = transformer.made(winding, shelf)
    leakage = made.leakage + rules.lead_inductance
    rectifying = rectifier.propose(
        rectifier.RectifierNeed(
            v_sec=made.ratio * ((hints.v_in["flat"] + hints.v_in["full"]) / 2 - hints.drop),
            v_sec_max=made.ratio * brief.source.volts[2],
            v_link=voltage, current=hints.link_current, duty=hints.duty["flat"] + hints.duty["full"], frequency=frequency,
            leakage=leakage * made.ratio**2, ratio=made.ratio),
        hints.surge_link_current, brief, own["rectifier"], shelf, rules)  # fmt: skip
    flat, full, hardest = (
        push_pull.PushPullNeed(hints.v_in[k], hints.duty[k], hints.pulse[k], hints.turn_off[k], leakage) for k in HINT_POINTS
    )
    switching = push_pull.propose(flat, full, hardest, brief.source.volts[2], brief, own["push_pull"], shelf, rules)
    ripple_in = hints.battery_current * math.sqrt(max(0.0, 1 / max(2 * hints.duty["full"], 0.05) - 1))
    entry = input_stage.propose(brief, hints.battery_current, ripple_in, own["input_stage"], shelf, rules)
    return {
        "battery": battery.BatteryBuild(), "input_stage": entry, "push_pull": switching, "transformer": winding,
        "rectifier": rectifying, "dc_link": linking, "h_bridge": bridge, "output_filter": filtering,
        "load": load.LoadBuild(),
    }  # fmt: skip
