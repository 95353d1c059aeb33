"""Heat and insulation of every stage that sits on a heat-sink."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rhombos.core.blocks import heat as block
from rhombos.core.blocks import heat_report
from rhombos.core.blocks.cooling import sink_resistance, steady_limit
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.ledger import Ledger
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.sheet import Sheet
from rhombos.core.parts import Diode, Shelf
from rhombos.core.parts.insulation import TOUCH_SAFE

Build = block.HeatBuild
NAMES = {"front_end": "Front end", "oscillator": "Oscillator", "rectifier": "Rectifier", "h_bridge": "H-bridge"}
NOT_INSIDE = ("load",)


def need_of(settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules) -> block.HeatNeed:
    """Every cooled stage at its hottest steady point; all heat that is made inside."""
    steady = [settled[k] for k in STEADY]
    inside = max(s.flow["source"] - s.flow["load"] for s in steady)
    stages = tuple(_cooled(key, steady, builds, brief, shelf, rules) for key in NAMES if key in builds)
    full = brief.source.volts[2]
    live = max(brief.output.voltage, full if full > TOUCH_SAFE else 0.0)
    return block.HeatNeed(stages, max(inside, 0.1), brief.targets.ambient, full, brief.power.continuous, live)


def _cooled(key: str, steady: list[Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules) -> block.Cooled:
    build = builds[key]
    state = max((s.states[key] for s in steady), key=lambda x: x.junction)
    if key == "rectifier":
        device: Any = shelf.get(Diode, build.diode)
        loss = state.conduction + state.recovery
        tab = max(max(s.states[key].reverse, s.states[key].ring) for s in steady)
    else:
        device = shelf.find("mosfet|igbt|bipolar", build.switch)
        loss = state.conduction + state.switching + sum(getattr(state, n, 0.0) for n in ("recovery", "base_inside"))
        tab = max(getattr(s.states[key], "peak_voltage", 0.0) or getattr(s.states[key], "switch_voltage", 0.0) for s in steady)
    air = brief.targets.ambient + rules.enclosure_rise
    sink = air + loss * sink_resistance(shelf, build.sink, build.fan)
    beyond = key == "rectifier" or (key == "h_bridge" and "dc_link" in builds)
    case = state.junction - (state.junction - sink) * device.r_jc / (device.r_jc + rules.pad_resistance)
    allowed = steady_limit(rules, device.t_j_max)
    return block.Cooled(NAMES[key], key, sink, case, state.junction, device.t_j_max, allowed, loss, tab, beyond, build.fan)


def propose(
    settled: Mapping[str, Any], builds: Mapping[str, Any], pins: dict[str, Any], brief: Brief, shelf: Shelf, rules: Rules
) -> block.HeatBuild:
    """Case, pads, thermistor for the path as it stands."""
    return block.propose(need_of(settled, builds, brief, shelf, rules), pins, rules)


def settle(
    settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> block.HeatState:
    """How warm it gets, what must be stood."""
    return block.assess(need_of(settled, builds, brief, shelf, rules), builds[block.KEY], ledger)


def report(sheet: Sheet, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief) -> BlockReport:
    """Figures and findings."""
    return heat_report.report(sheet, need_of(settled, builds, brief, sheet.shelf, sheet.rules))
