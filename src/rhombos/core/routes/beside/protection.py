"""What protects the path: thresholds on source and output, overload, short circuit."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rhombos.core.blocks import dc_link, front_end, protection_report, transformer
from rhombos.core.blocks import protection as block
from rhombos.core.blocks.source import rail
from rhombos.core.book import source
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.design.sources import RESTING, RailSource
from rhombos.core.frame.ledger import Ledger
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.sheet import Sheet
from rhombos.core.frame.topology import TOPOLOGIES
from rhombos.core.parts import Capacitor, Shelf
from rhombos.core.parts.pulsed import withstand
from rhombos.core.routes.base import socket_volts
from rhombos.core.routes.supply import LEAST_PATH, WIRING, source_of

Build = block.ProtectionBuild
LARGEST_CREST = 2**0.5


def need_of(
    settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules
) -> block.ProtectionNeed:
    """Source band, what is asked, and the currents of the load: its RMS, and how high it peaks in the surge, as the socket
    sees it."""
    empty, nominal, full = brief.source.volts
    asked = brief.power
    drawn = settled["nominal"].states["load"]
    at_rated = drawn.rated / drawn.voltage
    more = asked.surge / asked.continuous * at_rated
    peak = more * (drawn.peak_current if brief.output.waveform != "sine" else LARGEST_CREST * drawn.current)
    if "output_filter" in builds:
        ratio = getattr(settled["nominal"].states.get("iron_transformer"), "ratio", 1.0)
        peak = max(peak, *(s.states["output_filter"].peak / ratio for k, s in settled.items() if k.startswith("surge")))
    resistance = source_of(nominal, builds, brief, shelf, rules).resistance
    gate = max((builds[k].supply for k in ("front_drive", "bridge_drive") if k in builds), default=rules.gate_drive)
    return block.ProtectionNeed(
        empty,
        nominal,
        full,
        resistance,
        asked.continuous,
        asked.surge,
        asked.surge_time,
        brief.output.voltage,
        at_rated * drawn.rms,
        peak,
        gate,
        *_resting(brief, settled["low"].states["source"].power),
        *_bank_of(settled, builds, brief, shelf),
    )


def _bank_of(settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf) -> tuple[float, float]:
    """What a bank that is the socket stores, J, and the most that it drives into a short at the end of a cord, A."""
    if not brief.output.direct:
        return 0.0, 0.0
    linked, linking = settled["nominal"].states["dc_link"], builds["dc_link"]
    esr = shelf.get(Capacitor, linking.capacitor).esr * linking.banks / linking.count
    short = {"k": 0.0, "V": linked.peak}
    rings = source.closing_inrush_bound.work({**short, "C": dc_link.capacitance(linking, shelf), "L": WIRING})
    return linked.stored, min(rings, source.closing_inrush.work({**short, "R_s": max(esr, LEAST_PATH)}))


def _resting(brief: Brief, power: float) -> tuple[tuple[float, ...], float]:
    """Volts of the rested battery; and below which voltage a power, W, would hold a rail at its limit."""
    feed = brief.source
    if isinstance(feed, RailSource):
        return (), rail.latches_below(feed, power)
    return tuple(feed.cells * v for v in RESTING[feed.chemistry]), 0.0


def stage_of(settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules) -> block.Stage:
    """What a short at the socket meets on its way back to the switches."""
    now = settled["nominal"].states
    key = next(k for k in ("h_bridge", "oscillator", "front_end") if k in builds)
    build = builds[key]
    device: Any = shelf.find("mosfet|igbt|bipolar", build.switch)
    iron = now.get("iron_transformer")
    if brief.output.direct:  # the stage's own pulses rise through choke and leakage, as its switches see them
        ratio, topology = now["transformer"].ratio, TOPOLOGIES[build.topology]
        before = transformer.leakage(builds["transformer"], shelf) + front_end.lead_inductance(build, shelf, rules)
        slowed = before + (builds["rectifier"].inductance + WIRING) / ratio**2
        return block.Stage(topology.drive * brief.source.volts[2], slowed, ratio, withstand(device, build.parallel))
    volts = now["dc_link"].peak if "dc_link" in now else brief.source.volts[2]
    ratio = iron.ratio if iron else 1.0
    choke = builds["output_filter"].inductance if "output_filter" in builds else 0.0  # before any iron: on the switches' side
    behind = choke + (iron.leakage if iron else 0.0) + WIRING / ratio**2
    return block.Stage(volts, behind, ratio, withstand(device, build.parallel))


def outputs_of(settled: Mapping[str, Any], brief: Brief) -> tuple[float, float]:
    """Lowest and highest output over the steady points and idle, V RMS."""
    found = [brief.output.voltage]
    for key in (*STEADY, "idle"):
        states = settled[key].states
        if not states["source"].collapsed:
            found.append(socket_volts(states))
    return min(found), max(found)


def propose(
    settled: Mapping[str, Any], builds: Mapping[str, Any], pins: dict[str, Any], brief: Brief, shelf: Shelf, rules: Rules
) -> block.ProtectionBuild:
    """Thresholds and trips for the path as it stands."""
    need = need_of(settled, builds, brief, shelf, rules)
    drawn = settled["low"].states["source"].current
    return block.propose(need, stage_of(settled, builds, brief, shelf, rules), drawn, outputs_of(settled, brief), pins, rules)


def settle(
    settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> block.ProtectionState:
    """What they do with the lowest input at full power, and with a surge."""
    now = settled["nominal"].states["source"]
    flat, surge = settled["low"].states["source"], settled["surge_low"].states["source"]
    return block.assess(
        need_of(settled, builds, brief, shelf, rules),
        builds[block.KEY],
        (flat.current, flat.power, surge.power),
        outputs_of(settled, brief),
        stage_of(settled, builds, brief, shelf, rules),
        (now.current, now.run_time),
        ledger,
    )


def report(sheet: Sheet, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief) -> BlockReport:
    """Figures and findings."""
    entry = builds["input_stage"]
    can = sheet.shelf.get(Capacitor, entry.capacitor).v_rating * getattr(entry, "banks", 1)
    need = need_of(settled, builds, brief, sheet.shelf, sheet.rules)
    return protection_report.report(sheet, need, stage_of(settled, builds, brief, sheet.shelf, sheet.rules), can)
