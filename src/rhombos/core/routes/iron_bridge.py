"""A sine PWM bridge on the source with an iron transformer behind it."""

from __future__ import annotations

import math
from collections.abc import Mapping

from rhombos.core.blocks import (
    h_bridge,
    input_bank,
    input_proposal,
    iron_transformer,
    load,
    output_filter,
    source,
)  # fmt: skip
from rhombos.core.blocks.base import Build
from rhombos.core.blocks.input_stage import KEY as INPUT_STAGE
from rhombos.core.book import filters
from rhombos.core.book import magnetics as magnetics_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.pins import Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import lasting, operating_points
from rhombos.core.frame.stage import Stage
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.iron import IronNeed
from rhombos.core.parts import Shelf
from rhombos.core.routes import stages
from rhombos.core.routes.base import Turned
from rhombos.core.routes.driven import drive_of
from rhombos.core.routes.on_source import Guess, HardestRipple, Hints, SourceSettled, carrier_of, lift_of
from rhombos.core.routes.sine_stage import SATURATED, SineStage

MODULATION_RESERVE = 0.985
"""Part of the modulation limit that the proposed turns ratio uses; the rest absorbs what the next round changes."""
OVER = 1.1
"""Output that the iron of a regulated route must stand, over the one asked."""
MORE_LINKAGE, MOST_OVER = 1.01, 1.4
"""What the next round may still add to the flux; and the most that is wound for: where a secondary drops more, more turns make
it drop more still."""


def operating_peak(brief: Brief) -> float:
    """Peak of the load's current at full power, A."""
    return load.assess(operating_points(brief)["nominal"], brief, SILENT).peak_current


class IronBridge(SineStage[Hints]):
    """A sine PWM bridge on the source, a choke that keeps the carrier out of the iron, a capacitor on the high side."""

    key: str = "iron bridge"
    title = "H-bridge with sine PWM, iron transformer"
    waveforms: tuple[Waveform, ...] = ("sine",)
    turned_by: Mapping[Waveform, Turned] = {"sine": "modulation"}
    needed = ("mosfet", "iron_core", "core", "grade", "wire", "capacitor", "fuse", "heat_sink")

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load."""
        return stages.SOURCE, stages.INPUT, stages.BRIDGE, stages.FILTER, stages.IRON, stages.LOAD

    def auxiliary(self, waveform: Waveform) -> tuple[Stage, ...]:
        """The bridge's gate drive, beside the path."""
        return (stages.BRIDGE_DRIVE,)

    def first_hints(self, brief: Brief, pins: Pins, rules: Rules) -> Hints:
        """A designer's first guess: 85 % overall, an eighth of the source's voltage lost on the way."""
        empty, nominal, full = brief.source.volts
        ratio = math.sqrt(2) * brief.output.voltage / (0.87 * rules.modulation_limit * empty)
        current = brief.power.continuous / brief.output.power_factor / brief.output.voltage
        v_in = {"nominal": 0.95 * nominal, "low": 0.93 * empty, "high": 0.97 * full}
        nothing = dict.fromkeys(v_in, 0.0)
        return Hints(
            ratio, v_in, nothing, nothing, nothing, ratio * current, current,
            1.25 * brief.power.continuous / 0.85 / v_in["low"], 0.0, 0.0, 0.01 * empty, 1.05 * brief.output.voltage
            * math.sqrt(2) / ratio, 0.3 * ratio * current, ratio * current,
            ratio * operating_peak(brief))  # fmt: skip

    def next_hints(self, settled: Mapping[str, SourceSettled], before: Hints | None = None) -> Hints:
        """What the assessed design teaches the next round."""
        flat = settled["low"]
        wound: iron_transformer.IronState = flat.states[iron_transformer.KEY]
        bridged, filtered = flat.states[h_bridge.KEY], flat.states[output_filter.KEY]
        nothing = dict.fromkeys(self.hint_points, 0.0)
        limit = MODULATION_RESERVE * 0.95
        # what the bridge could not give more turns may give; what the source could not, nothing
        lacks = flat.guess.sag if bridged.modulation > SATURATED else 1.0
        return Hints(
            wound.ratio * (1.0 if flat.states[source.KEY].collapsed else min(1.3, max(0.6,
                bridged.modulation / lacks / limit))), {k: settled[k].guess.v_in for k in self.hint_points},
            nothing, nothing, nothing, wound.primary_rms, wound.secondary_rms, flat.states[INPUT_STAGE].fuse_load,
            wound.leakage, flat.guess.path_resistance, bridged.dead_time_loss_volts, filtered.fundamental,
            0.0, filtered.rms, max(s.states[output_filter.KEY].peak for s in lasting(settled)),
            rippling=HardestRipple(tuple(r for s in lasting(settled) if (r := s.rippling))), lift=lift_of(settled),
            linkage=max(s.states[iron_transformer.KEY].linkage for s in lasting(settled)))  # fmt: skip

    def propose(self, brief: Brief, hints: Hints, pins: Pins, shelf: Shelf, rules: Rules) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        own["iron_transformer"]["halves"] = 1
        line, full = brief.output.frequency, brief.source.volts[2]
        own["input_stage"]["banks"] = input_bank.banks_for(full, 1, shelf, rules)
        asked = load.assess(operating_points(brief)["nominal"], brief, SILENT)
        linkage = magnetics_book.sine_linkage.work({"V_rms": brief.output.voltage / hints.ratio, "f_line": line})
        # with the drop of a secondary that is thin, as on a slow line, the iron sees more than it is rated for
        most = max(OVER, min(MOST_OVER, MORE_LINKAGE * hints.linkage / hints.ratio / linkage)) * linkage
        transformer = iron_transformer.propose(
            IronNeed(most, linkage, hints.ratio, hints.primary_rms, hints.secondary_rms, line,
                     brief.targets.ambient + rules.enclosure_rise, 1, brief.targets.idle),
            own["iron_transformer"], shelf, rules)  # fmt: skip
        ratio = iron_transformer.made(transformer, shelf).ratio
        carrier = float(own["h_bridge"].get("carrier", h_bridge.carrier_for(line)))
        need = output_filter.FilterNeed(
            brief.output.voltage / ratio, line, asked.current * ratio, asked.power_factor, full, carrier,
            rules.modulation_limit, hints.path_resistance, hints.dead_volts, ratio=ratio, leakage=hints.leakage,
            crest_power=asked.crest_power)  # fmt: skip
        surge = brief.power.surge / brief.power.continuous
        filtering = output_filter.propose(need, asked.current * ratio * surge, brief, own["output_filter"], shelf, rules)
        ripple = filters.unipolar_ripple.work({
            "V_dc": full, "L": filtering.inductance + hints.leakage, "f_c": carrier})  # fmt: skip
        bridge = h_bridge.propose(
            h_bridge.BridgeNeed(
                hints.v_in["nominal"], hints.lift.top(brief, rules), hints.line_current, asked.power_factor,
                1.02 * max(math.sqrt(2) * hints.line_current + ripple / 2, hints.peak), ripple / math.sqrt(24),
                    hints.fundamental),
            brief, own["h_bridge"], shelf, rules)  # fmt: skip
        drive, bridge = drive_of(
            bridge, input_bank.lifted_to(brief, rules), rules.modulation_limit, brief, own, shelf, rules)  # fmt: skip
        return {
            "source": source.SourceBuild(),
            "input_stage": input_proposal.propose(
                brief, hints.source_current, hints.rippling or hints.ripple, own["input_stage"], shelf, rules, 0.0, 1.3,
                carrier_of(carrier, hints.rippling)),
            "h_bridge": bridge, "bridge_drive": drive, "output_filter": filtering, "iron_transformer": transformer,
            "load": load.LoadBuild(),
        }  # fmt: skip

    def _ratio(self, builds: Builds) -> float:
        build: iron_transformer.IronTransformerBuild = builds[iron_transformer.KEY]
        return build.secondary_turns / build.primary_turns

    def _wound(
        self, across: float, rated: float, current: float, socket: float, g: Guess, builds: Builds, brief: Brief,
        shelf: Shelf, rules: Rules, worksheet: Worksheet,
    ) -> iron_transformer.IronState:  # fmt: skip
        ratio = self._ratio(builds)
        most = max(OVER * rated, across)
        return iron_transformer.assess(
            iron_transformer.IronPoint(
                across, most, 0.0, 0.0, current, current / ratio, socket, brief.output.frequency, g.celsius),
            builds[iron_transformer.KEY], brief, shelf, rules, worksheet)  # fmt: skip
