"""What goes wrong in real builds: for each, a design that raises its finding, and a patch that clears it."""

import pytest

from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve
from tests.core.asking import written_short

USUAL = PRESETS["usual"]
LEAD_CUT_OFF = {"protection.cut_off": 21.2, "protection.warning": 22.3}
"""Thresholds for twelve lead-acid cells, left in when eight lithium-ion cells came."""
LI_ION = {"source": {"chemistry": "Li-ion", "cells": 8}}

MISTAKES = {
    # power stage
    "ringing past the rating": ("front_end.voltage", {"front_end.clamp": "none"}, {}, "push-pull link"),
    "bus near the switches": ("h_bridge.voltage", {"h_bridge.switch": "MF-400-100m-B"}, {}, "push-pull link"),
    "gate above its limit": ("front_drive.over_voltage", {"front_drive.supply": 30}, {}, "push-pull link"),
    "floating gate": ("front_drive.floats", {"front_drive.pull_down": 0}, {}, "push-pull link"),
    "gate driven weakly": ("front_drive.weak", {"front_drive.driver": "DO-20"}, {}, "push-pull link"),
    "no dead time": ("h_bridge.dead_time", {"h_bridge.dead_time": 0}, {}, "push-pull link"),
    "headline currents": ("front_end.current", {"front_end.switch": "MN-100-11m-A", "front_end.parallel": 1}, {}, "push-pull link"),
    "slow diodes": ("rectifier.slow", {"rectifier.diode": "RM-1000-10"}, {}, "push-pull link"),
    "reverse voltage at nominal": ("rectifier.reverse", {"rectifier.damper": "none", "rectifier.diode": "RU-1200-3"}, {}, "push-pull link"),
    "a small bridge": ("rectifier.current", {"rectifier.diode": "RU-1200-1"}, {}, "push-pull link"),
    "cooling left until last": ("heat.case", {"heat.case": "closed", "heat.surface": 0.1}, {}, "push-pull link"),
    # magnetics
    "core that saturates": ("transformer.saturation", {"transformer.core": "R 36/23/15", "transformer.sets": 1, "transformer.primary_turns": 2}, {}, "push-pull link"),
    "few turns": ("front_end.duty", {"transformer.primary_turns": 5, "transformer.secondary_turns": 85}, {}, "push-pull link"),
    "wire by area": ("transformer.proximity", {"transformer.primary_wire": "W 2", "transformer.primary_in_hand": 2}, {}, "push-pull link"),
    "hot choke": ("output_filter.hot", {"output_filter.core": "RM 8"}, {}, "push-pull link"),
    "audible carrier": ("h_bridge.audible", {"h_bridge.carrier": "8k"}, {}, "push-pull link"),
    # control
    "divider that lands off": ("protection.reach", {"protection.cut_off": 26, "protection.top": 82e3, "protection.bottom": 9.1e3, "protection.trimmer": 1.5e3, "protection.hold": 270e3, "protection.warning": 27.0}, {}, "push-pull link"),
    "display that misleads": ("isolation.sense_wrong", {"isolation.calibrated": False}, {}, "push-pull link"),
    "converter unclamped": ("isolation.sense_unclamped", {"isolation.clamped": False}, {}, "push-pull link"),
    "sense chain that clips": ("isolation.sense_clips", {"isolation.sense_bottom": "8.2k"}, {}, "push-pull link"),
    "coarse converter": ("isolation.sense_coarse", {"isolation.bits": 8}, {}, "push-pull link"),
    "spikes on the control supply": ("protection.supply_spikes", {"protection.supply_guard": "nothing"}, {}, "push-pull link"),
    "bootstrap that starves": ("bridge_drive.starves", {"bridge_drive.boot_capacitor": "2.2n"}, {}, "push-pull link"),
    "frequency trimmer too short": ("controller.trimmer", {"controller.timing_trimmer": 0}, {}, "push-pull link"),
    "trip in the surge": ("controller.trips", {"controller.sense_resistor": "100"}, {}, "push-pull link"),
    "trip too late": ("controller.trip_late", {"controller.sense_resistor": 0.2}, {}, "push-pull link"),
    "sense without blanking": ("controller.blanking", {"controller.blanking": 0}, {}, "push-pull link"),
    "feedback across the barrier": ("controller.isolation", {"controller.feedback": "bare divider"}, {}, "push-pull link"),
    "a section left floating": ("controller.unused", {}, {}, "push-pull link"),
    "capacitor-input taken for regulated": ("rectifier.follows", {"rectifier.circuit": "bridge, no choke"}, {}, "push-pull link"),
    "imbalance of a push-pull": ("front_end.imbalance", {}, {}, "push-pull link"),
    "nameplate reversed": ("iron_transformer.nameplate", {}, {}, "iron bridge"),
    "unverified stock": ("front_end.incoming", {}, {"targets": {"switches": "unverified"}}, "push-pull link"),
    "high current at low voltage": ("front_end.many", {}, {"source": {"cells": 4, "capacity": "400 Ah"}, "power": {"continuous": 3000, "surge": 3000}}, "push-pull link"),
    "efficiency short of what is asked": ("whole.efficiency", {}, {"targets": {"efficiency": 0.97}}, "push-pull link"),
    # source and input
    "cut-off of another chemistry": ("protection.cut_off_low", LEAD_CUT_OFF, LI_ION, "push-pull link"),
    "cut-off too high": ("protection.cut_off_high", {"protection.cut_off": 26.4, "protection.warning": 27.4}, {}, "push-pull link"),
    "no hysteresis": ("protection.chatters", {"protection.hysteresis": 0.05}, {}, "push-pull link"),
    "restart at once": ("protection.restart", {"protection.restart": "at once"}, {}, "push-pull link"),
    "warning after the cut-off": ("protection.warning", {"protection.warning": 22.6}, {}, "push-pull link"),
    "over-voltage while charging": ("protection.over_low", {"protection.over_voltage": 28.5}, {}, "push-pull link"),
    "over-voltage beyond the parts": ("protection.over_high", {"protection.over_voltage": 60}, {}, "push-pull link"),
    "capacitors of a lower battery": ("input_stage.capacitor_voltage", {"input_stage.capacitor": "CE-35-1000"}, LI_ION, "push-pull link"),
    "fan of a lower battery": ("heat.fan_voltage", {"heat.fan_supply": "source", "heat.fan_rated": 24}, LI_ION, "push-pull link"),
    "supply of a lower battery": ("protection.supply_high", {"protection.supply_stands": 35}, LI_ION, "push-pull link"),
    "lowest input starves the gates": ("protection.supply_low", {"protection.supply": "linear regulator"}, {"source": {"cells": 4, "capacity": "200 Ah"}}, "push-pull link"),
    "switches of a lower battery": ("front_end.voltage", {"front_end.switch": "MN-075-4.2m-A"}, LI_ION, "push-pull link"),
    "surge taken for an empty battery": ("protection.surge_cuts", {"protection.delay": 0.5}, {"source": {"capacity": "22 Ah"}}, "push-pull link"),
    "precharge that never finishes": ("precharge.never", {"precharge.load": "constant power", "precharge.load_power": 60, "precharge.resistor": 27}, {}, "push-pull link"),
    "relay lets go early": ("precharge.lets_go", {"precharge.closing": 0.005}, {}, "push-pull link"),
    "resistor left in": ("precharge.leaks", {"precharge.school": "left across the contactor"}, {}, "push-pull link"),
    "contacts that break no DC": ("precharge.breaks", {"precharge.contact_volts": 15}, {}, "push-pull link"),
    "light relay": ("precharge.contacts", {"precharge.contactor": 20}, {}, "push-pull link"),
    "every start ages the fuse": ("precharge.fuse_ages", {"precharge.close_at": 0.5, "input_stage.capacitor": "CE-50-2200", "input_stage.count": 60, "input_stage.fuse": "FU-80-40"}, {"source": {"resistance": "10m"}}, "push-pull link"),
    "light connectors": ("input_stage.connector", {"input_stage.connector": 15}, {}, "push-pull link"),
    "reversed leads": ("input_stage.reverse", {"input_stage.reverse": "nothing"}, {}, "push-pull link"),
    "fuse slower than its diode": ("input_stage.reverse_slow", {"input_stage.reverse_i2t": 100}, {}, "push-pull link"),
    "cable that a short heats": ("input_stage.fuse_i2t", {"input_stage.cable": "0.5", "input_stage.fuse": "FU-80-160"}, {}, "push-pull link"),
    "fuse not for DC": ("input_stage.fuse_voltage", {"input_stage.fuse": "FU-32-50"}, {"source": {"cells": 12}}, "push-pull link"),
    "cold battery": ("source.cold", {}, {"source": {"coldest": -30, "capacity": "16 Ah"}}, "push-pull link"),
    "charging in frost": ("source.frost", {}, {"source": {"coldest": -10}}, "push-pull link"),
    "gauge on a flat curve": ("source.gauge", {}, {}, "push-pull link"),
    # output and load
    "only a fuse against a short": ("protection.short_fuse", {"protection.short": "fuse alone"}, {}, "push-pull link"),
    "short off too late": ("protection.short_late", {"protection.short_delay": "200u", "protection.coil": 0}, {}, "push-pull link"),
    "short trip in the surge": ("protection.short_early", {"protection.short_trip": 6}, {}, "push-pull link"),
    "continuous retry": ("protection.retries", {"protection.after_trip": "continuous retry"}, {}, "push-pull link"),
    "overload trips on the surge": ("protection.overload_fast", {"protection.twice": 0.1}, {}, "push-pull link"),
    "overload too slow": ("protection.overload_slow", {"protection.twice": 60}, {}, "push-pull link"),
    "overload below what is asked": ("protection.overload_low", {"protection.overload": 500}, {}, "push-pull link"),
    "output check too close": ("protection.window_narrow", {"protection.output_low": 229}, {}, "push-pull link"),
    "output check too wide": ("protection.window_wide", {"protection.output_high": 300}, {}, "push-pull link"),
    "small output fuse": ("protection.output_fuse", {"protection.output_fuse": 2}, {}, "push-pull link"),
    "light output relay": ("protection.output_relay", {"protection.output_relay": 3}, {}, "push-pull link"),
    "sense filter too slow": ("isolation.sense_slow", {"isolation.corner": 100}, {}, "push-pull link"),
    "sense filter too fast": ("isolation.sense_aliases", {"isolation.corner": "20k"}, {}, "push-pull link"),
    "suppressor at working voltage": ("protection.suppressor", {"protection.suppressor": 150}, {}, "push-pull link"),
    "too low a link": ("dc_link.too_low", {"dc_link.voltage": 340}, {}, "push-pull link"),
    "filter on a sideband": ("output_filter.resonance", {"output_filter.inductance": "20u", "output_filter.capacitor": "CF-310AC-1", "output_filter.count": 1}, {}, "push-pull link"),
    "square wave into a compressor": ("load.wave", {}, {"output": {"waveform": "square"}, "loads": ["compressor"]}, "iron push-pull"),
    "electrolytic on AC": ("output_filter.electrolytic", {"output_filter.capacitor": "CE-450-47"}, {}, "push-pull link"),
    # isolation and people
    "pad that arcs": ("heat.pad", {"heat.pad": "thin film, greased"}, {}, "push-pull link"),
    "pad between battery and link": ("heat.pad", {"heat.shared": True, "heat.pad": "mica, greased"}, {}, "push-pull link"),
    "bare tabs on an earthed sink": ("heat.bare", {"heat.pad": "none, greased", "heat.sink": "earthed, in reach"}, {}, "push-pull link"),
    "live heat-sink": ("heat.live_sink", {"heat.pad": "none, greased"}, {}, "push-pull link"),
    "unmarked": ("heat.unmarked", {"heat.marked": False}, {}, "push-pull link"),
    "compound that conducts": ("heat.compound", {"heat.compound": "metal-filled"}, {}, "push-pull link"),
    "creepage": ("heat.creepage", {"heat.creepage": 1e-3}, {}, "push-pull link"),
    "too hot too late": ("heat.hot_late", {"heat.hot": 190}, {}, "push-pull link"),
    "too hot too early": ("heat.hot_early", {"heat.hot": 70}, {}, "push-pull link"),
    "fan too late": ("heat.fan_late", {"heat.fan_on": 95}, {}, "push-pull link"),
    "fan that chatters": ("heat.fan_chatters", {"heat.fan_off": 56, "heat.fan_on": 57}, {}, "push-pull link"),
    "divider across the barrier": ("isolation.sense_bridges", {"isolation.sensing": "bare divider"}, {}, "push-pull link"),
    "pole on the battery": ("isolation.output_bond", {"isolation.output": "a pole on the source"}, {}, "push-pull link"),
    "probe ground on the bridge": ("isolation.clip", {"isolation.clip": "on the bridge"}, {}, "push-pull link"),
    "shut-down input wired": ("isolation.shut_down", {"isolation.shut_down": "wired straight"}, {}, "push-pull link"),
    "untested barrier": ("isolation.proof", {"isolation.proof": 1000}, {}, "push-pull link"),
    "connector below its voltage": ("isolation.connectors", {"isolation.connectors": 250}, {}, "push-pull link"),
    "case as a return": ("isolation.case_return", {"isolation.case": "carries a return"}, {}, "push-pull link"),
    "case not earthed": ("isolation.case_open", {"isolation.case": "left open"}, {}, "push-pull link"),
    "coil without a diode": ("isolation.coil_spike", {"isolation.coil_clamp": "nothing"}, {}, "push-pull link"),
    "coil with a diode only": ("isolation.coil_slow", {"isolation.coil_clamp": "diode"}, {}, "push-pull link"),
    "coil on the battery": ("isolation.coil_range", {"isolation.coil_supply": "source", "isolation.coil_rated": 24}, LI_ION, "push-pull link"),
    "link that stays charged": ("dc_link.bleeds_slowly", {"dc_link.bleeder": "470k"}, {}, "push-pull link"),
    "earthing is for the licensed": ("isolation.earthing", {"isolation.output": "one pole earthed"}, {}, "push-pull link"),
}  # fmt: skip
UNCURED = {
    "controller.unused",
    "front_end.imbalance",
    "iron_transformer.nameplate",
    "front_end.incoming",
    "front_end.many",
    "load.wave",
    "whole.efficiency",
    "source.cold",
    "source.frost",
    "source.gauge",
    "isolation.earthing",
}
"""What no pin of the inverter cures: another battery, another place, a licensed person."""


def asking(refuge, change):
    content = written_short(refuge)
    for section, values in change.items():
        content[section] = content[section] | values if isinstance(values, dict) else values
    return Brief.model_validate(content)


@pytest.mark.parametrize(("code", "pins", "change", "route"), MISTAKES.values(), ids=list(MISTAKES))
def test_a_mistake_is_named_and_its_cure_clears_it(code, pins, change, route, refuge, shelf):
    """Every cure; and the first leaves no stop behind that was not there."""
    brief = asking(refuge, change)
    found = {f.code: f for f in solve(brief, pins, shelf, USUAL, route).findings}
    assert code in found, sorted(found)
    assert found[code].cause.endswith(".")
    assert found[code].cures or code in UNCURED, "it offers no cure"
    stops = {c for c, f in found.items() if f.severity == "stop"}
    for n, cure in enumerate(found[code].cures):
        patched = {k: v for k, v in (pins | cure.patch).items() if v is not None}
        left = {f.code: f for f in solve(brief, patched, shelf, USUAL, route).findings}
        assert code not in left or code in UNCURED, (cure.label, left[code].cause if code in left else "")
        assert n or not {c for c, f in left.items() if f.severity == "stop"} - stops, cure.label
