"""What follows a link: a bridge with its filter for a sine, a bridge alone for steps, or nothing but the socket: proposed."""

from __future__ import annotations

import math
from dataclasses import replace

from rhombos.core.blocks import dc_link, h_bridge, link_loop, load, output_filter
from rhombos.core.blocks.base import Build
from rhombos.core.book import filters
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import DcOutput
from rhombos.core.design.pins import Fields, Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.points import operating_points
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.parts import Shelf
from rhombos.core.routes.converge import TURNED_BY
from rhombos.core.routes.driven import drive_of
from rhombos.core.routes.hints import Hints, fraction_of
from rhombos.core.waves.pulsation import STILL, drawn
from rhombos.core.waves.stepped import Fed, step_demand

ANSWERS = 0.4
"""Crossover that a bank is proposed for, over that aimed at: margins may ask for a slower one."""
FIRST_FREQUENCY = 40e3
"""Switching frequency that a bank is first proposed for, Hz, before any stage is."""


def propose(
    brief: Brief, hints: Hints, own: dict[str, Fields], voltage: float, shelf: Shelf, rules: Rules
) -> dict[str, Build]:  # fmt: skip
    """Link and what follows it, for a link voltage, V; `own` are the pins with what the route decides."""
    if isinstance(brief.output, DcOutput):
        return _bare_socket(brief, brief.output, hints, own, voltage, shelf, rules)
    return _bridged(brief, hints, own, voltage, shelf, rules)


def link_voltage(
    brief: Brief, pins: Pins, bridge_peak: float, drop: float, rules: Rules,
    raised: float = 0.0,
) -> float:  # fmt: skip
    """The link, V, that an output asks for: the least whose ripple still makes a sine of a bridge's peak, V; what a stepped
    wave of a drop, V, asks; or the output itself. `raised` is the highest that a round had to raise it to."""
    if brief.output.direct:
        return brief.output.voltage
    if brief.output.stepped:
        return dc_link.stepped_voltage(brief.output.voltage, fraction_of(brief, pins), drop)
    return dc_link.least_voltage(bridge_peak, rules.link_ripple, rules, raised)


def lowest_link(brief: Brief, pins: Pins, voltage: float) -> float:
    """The lowest that a link of a voltage is set to, V, where it is what turns an adjustable output."""
    output = brief.output
    if output.down_to is None or TURNED_BY[output.waveform] == "modulation":
        return voltage
    return voltage - (output.voltage - output.down_to) / math.sqrt(fraction_of(brief, pins))


def _bare_socket(
    brief: Brief, output: DcOutput, hints: Hints, own: dict[str, Fields], voltage: float, shelf: Shelf, rules: Rules
) -> dict[str, Build]:  # fmt: skip
    """A link that is the socket itself."""
    pins = own["dc_link"]
    pins["banks"] *= dc_link.banks_for(voltage / pins["banks"], dc_link.ripple_allowed(brief, rules), shelf, rules)
    switched = float(own["front_end"].get("frequency", hints.frequency or FIRST_FREQUENCY))
    need = dc_link.LinkNeed(
        0.0, 0.0, 1.0, 1.0, hints.link_current, hints.feed_ripple, output.lowest,
        level=None if pins["held"] else hints.link_high, climb=hints.climb, direct=switched,
        answers=ANSWERS * link_loop.FAST_SHARE * switched)  # fmt: skip
    return {"dc_link": dc_link.propose(need, brief, pins | {"voltage": voltage}, shelf, rules)}


def _bridged(
    brief: Brief, hints: Hints, own: dict[str, Fields], voltage: float, shelf: Shelf, rules: Rules
) -> dict[str, Build]:  # fmt: skip
    """Link, bridge and, for a sine, filter."""
    fraction = fraction_of(brief, own)
    gets = hints.link_high / voltage if brief.output.stepped and not own["dc_link"]["held"] else 1.0
    asked = load.assess(
        operating_points(brief)["nominal"], brief, SILENT, gets * brief.output.voltage, Fed(fraction))  # fmt: skip
    surge = brief.power.surge / brief.power.continuous
    made: dict[str, Build] = {}
    taken, ripple, filtering = None, 0.0, None
    peak, modulation = max(math.sqrt(2) * asked.current, hints.filter_peak), hints.bridge_peak / voltage
    if brief.output.stepped:
        taken, modulation, peak = drawn(step_demand(fraction, asked.power_factor)), 1.0, asked.peak_current
    else:
        carrier = float(own["h_bridge"].get("carrier", h_bridge.carrier_for(brief.output.frequency)))
        filter_need = output_filter.FilterNeed(
            asked.voltage, asked.frequency, asked.current, asked.power_factor, voltage, carrier, modulation,
            hints.path_resistance, hints.dead_time_volts, crest_power=asked.crest_power)  # fmt: skip
        filtering = output_filter.propose(filter_need, asked.current * surge, brief, own["output_filter"], shelf, rules)
        ripple = filters.unipolar_ripple.work({"V_dc": voltage, "L": filtering.inductance, "f_c": carrier})
    swing = hints.swing["high"]
    need = dc_link.LinkNeed(
        max(asked.apparent, hints.apparent), peak, modulation, asked.power_factor, hints.link_current,
        hints.feed_ripple, hints.bridge_peak, taken, hints.link_high, hints.climb,
        replace(STILL, ripple=max(1.0, swing.ripple), current=max(1.0, swing.current)))  # fmt: skip
    pins = own["dc_link"]
    highest = voltage if pins["held"] else max(voltage, hints.link_high)
    pins["banks"] *= dc_link.banks_for(highest / pins["banks"], rules.link_ripple, shelf, rules)
    linking = dc_link.propose(need, brief, pins | {"voltage": voltage}, shelf, rules)
    surged = replace(need, apparent=surge * need.apparent, current=surge * need.current)
    made["dc_link"] = linking
    highest = dc_link.highest(linking, surged, asked.frequency, shelf, rules)
    bridge = h_bridge.propose(
        h_bridge.BridgeNeed(
            voltage, highest, asked.rms, asked.power_factor, 1.02 * (peak + ripple / 2), ripple / math.sqrt(24),
            hints.bridge_peak),
        brief, own["h_bridge"], shelf, rules)  # fmt: skip
    made["bridge_drive"], made["h_bridge"] = drive_of(bridge, highest, modulation, brief, own, shelf, rules)
    if filtering:
        made["output_filter"] = filtering
    return made
