"""Line-frequency routes: push-pull or H-bridge straight on the battery, and a step-up transformer on laminated iron."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from types import ModuleType
from typing import Any

from rhombos.core.blocks import (
    battery,
    front_end,
    h_bridge,
    input_stage,
    iron_transformer,
    load,
    oscillator,
    output_filter,
)  # fmt: skip
from rhombos.core.blocks.base import Build
from rhombos.core.book import link as link_book
from rhombos.core.book import source as source_book
from rhombos.core.book import stage as stage_book
from rhombos.core.brief import Brief, Waveform
from rhombos.core.ledger import SILENT, Ledger
from rhombos.core.magnetics.iron import IronNeed
from rhombos.core.parts import Shelf
from rhombos.core.points import STEADY, Point, operating_points
from rhombos.core.report import BlockReport, Operating
from rhombos.core.routes.base import SETTLED, Route, Settled
from rhombos.core.rules import Rules
from rhombos.core.sheet import Sheet
from rhombos.core.topology import RouteName

MOST_PASSES = 60
V_FLOOR = 0.3
"""Share of the battery's open voltage below which no pass looks, so that hopeless designs still end."""
HOTTEST = 300.0
HOPELESS = 5
"""Passes in a row that ask more than the battery has, after which a point is given up."""
WIDEST = 0.96
"""Share of the time that a width-controlled wave may be on: the rest is dead time at both ends."""
WIDTH_USED = 0.94
"""Width that proposals count on at a flat battery."""
MODULATION_RESERVE = 0.985
"""Part of the modulation limit that the proposed turns ratio uses; the rest absorbs what the next round changes."""
OVER = 1.1
"""Output that the iron of a regulated route must stand, over the one asked."""


@dataclass(frozen=True, slots=True)
class Guess:
    """What one pass takes from the last."""

    v_in: float
    terminal: float
    pulse: float = 0.0
    primary_resistance: float = 0.0
    secondary_resistance: float = 0.0
    path_resistance: float = 0.0
    threshold: float = 0.0
    leakage: float = 0.0
    lost: float = 0.0
    modulation: float = 0.9
    dead_volts: float = 0.0
    sag: float = 1.0
    celsius: float = 75.0
    choke_celsius: float = 75.0

    def moved(self, other: Guess, scale: float) -> float:
        """The largest relative change between two passes; `scale` is the power asked, W."""
        return max(
            abs(self.v_in - other.v_in) / max(self.terminal, 1e-9), abs(self.pulse - other.pulse) / max(abs(self.pulse), 1e-3),
            abs(self.lost - other.lost) / scale, abs(self.modulation - other.modulation), abs(self.sag - other.sag),
            abs(self.celsius - other.celsius) / 1e3, abs(self.choke_celsius - other.choke_celsius) / 1e3,
        )  # fmt: skip


@dataclass(frozen=True)
class IronSettled(Settled):
    """A settled point, with what its next pass would start from."""

    guess: Guess
    pulse: float
    turn_off: float
    share: float

    @property
    def v_in(self) -> float:
        """Voltage at the stage, V."""
        return self.guess.v_in


@dataclass(frozen=True)
class Hints:
    """What proposals need to know of the rest before it is assessed."""

    ratio: float
    v_in: Mapping[str, float]
    pulse: Mapping[str, float]
    turn_off: Mapping[str, float]
    share: Mapping[str, float]
    primary_rms: float
    secondary_rms: float
    battery_current: float
    leakage: float
    path_resistance: float
    dead_volts: float
    fundamental: float
    ripple: float
    line_current: float


class IronRoute(Route):
    """What both line-frequency routes share; `_pass` is each one's own."""

    hint_points = ("nominal", "flat", "full", "surge_full")
    rounds = 5

    def title_of(self, block: str) -> str:
        """What people call a block of this route."""
        if block == front_end.KEY:
            return "Push-pull"
        return str(next(b.TITLE for b in self.blocks(self.waveforms[0]) if block == b.KEY))

    def settle_all(
        self, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, *,
        ledgers: Mapping[str, Ledger] | None = None, keys: tuple[str, ...] = (), start: Mapping[str, Any] | None = None,
        tolerance: float = SETTLED, points: Mapping[str, Point] | None = None,
    ) -> dict[str, Any]:  # fmt: skip
        """Every operating point, or those asked for."""
        found: dict[str, Any] = {}
        for key, point in (points or operating_points(brief)).items():
            if keys and key not in keys:
                continue
            ledger = ledgers[key] if ledgers else SILENT
            guess = Guess(v_in=0.95 * point.emf, terminal=point.emf)
            if start and key in start:
                guess = start[key].guess
            scale = max(point.power, 0.1 * brief.power.continuous)
            collapsed = 0
            for _ in range(MOST_PASSES):
                found[key], after = self._pass(point, guess, builds, brief, shelf, rules, ledger)
                moved, guess = after.moved(guess, scale), after
                collapsed = collapsed + 1 if found[key].states["battery"].collapsed else 0
                if moved < tolerance or collapsed > HOPELESS:
                    break
        return found

    def _pass(
        self, point: Point, g: Guess, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
    ) -> tuple[IronSettled, Guess]:  # fmt: skip
        raise NotImplementedError

    def _source(
        self, point: Point, to_stage: float, need: input_stage.InputNeed, g: Guess, builds: Mapping[str, Any], brief: Brief,
        shelf: Shelf, rules: Rules, ledger: Ledger,
    ) -> tuple[input_stage.InputState, battery.BatteryState, float]:  # fmt: skip
        """Input stage and battery behind a stage that draws a power, W; and the voltage that reaches the stage."""
        entry = input_stage.assess(need, g.terminal, builds["input_stage"], brief, shelf, rules, ledger)
        cells = battery.assess(point.emf, to_stage + entry.loss, brief, ledger, need.pulsation)
        return entry, cells, max(V_FLOOR * point.emf, cells.terminal - entry.drop)

    def hopeless(self, settled: Mapping[str, Any]) -> frozenset[str]:
        """Points that the battery cannot feed."""
        return frozenset(k for k, s in settled.items() if s.states["battery"].collapsed)

    def report(
        self, block: ModuleType, sheet: Sheet, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief
    ) -> BlockReport:  # fmt: skip
        """One block's figures and findings."""
        entering = settled["nominal"].flow[block.KEY]
        if block in (battery, load):
            return block.report(sheet, brief)  # type: ignore[no-any-return]
        if block is output_filter:
            return output_filter.report(sheet, brief, entering, builds["h_bridge"].carrier)
        if block is front_end:
            return front_end.report(sheet, entering)
        return block.report(sheet, brief, entering)  # type: ignore[no-any-return]


class IronPushPull(IronRoute):
    """Two switches at line frequency across a centre-tapped winding: square, or with the width of its pulses controlled."""

    key: RouteName = "iron push-pull"
    stage = front_end.KEY
    title = "Push-pull at line frequency, iron transformer"
    waveforms: tuple[Waveform, ...] = ("modified", "square")
    needed: tuple[str, ...] = ("mosfet", "iron_core", "wire", "capacitor", "resistor", "fuse", "heat_sink")
    builds: Mapping[str, type[Build]] = {
        "battery": battery.BatteryBuild, "input_stage": input_stage.InputStageBuild,
        "front_end": front_end.LineFrontEndBuild, "iron_transformer": iron_transformer.IronTransformerBuild,
        "load": load.LoadBuild,
    }  # fmt: skip

    def blocks(self, waveform: Waveform) -> tuple[ModuleType, ...]:
        """From the source to the load."""
        return battery, input_stage, front_end, iron_transformer, load

    def first_hints(self, brief: Brief, pins: Mapping[str, Mapping[str, Any]], rules: Rules) -> Hints:
        """A designer's first guess: 85 % overall, a tenth of the battery's voltage lost on the way."""
        empty, nominal, full = brief.source.volts
        square = brief.output.waveform == "square"
        asked = brief.output.voltage
        ratio = asked / (0.9 * nominal) if square else asked / math.sqrt(WIDTH_USED) / (0.9 * empty)
        v_in = {"nominal": 0.96 * nominal, "flat": 0.95 * empty, "full": 0.97 * full, "surge_full": 0.95 * full}
        share = {k: 1.0 if square else min(WIDTH_USED, (asked / (0.95 * ratio * v)) ** 2) for k, v in v_in.items()}
        watts = {k: (brief.power.surge if k == "surge_full" else brief.power.continuous) / 0.85 for k in v_in}
        pulse = {k: watts[k] / (v_in[k] * share[k]) for k in v_in}
        current = brief.power.continuous / brief.power.power_factor / brief.output.voltage
        return Hints(
            ratio, v_in, pulse, {k: 1.1 * p for k, p in pulse.items()}, share, ratio * current / math.sqrt(2), current,
            watts["flat"] / v_in["flat"] / math.sqrt(share["flat"]), 20e-6, 0.0, 0.0, 0.0, 0.0, 0.0)  # fmt: skip

    def next_hints(self, settled: Mapping[str, Any]) -> Hints:
        """What the assessed design teaches the next round."""
        flat, now = settled["flat"], settled["nominal"]
        wound: iron_transformer.IronState = max(
            (settled[k].states["iron_transformer"] for k in STEADY), key=lambda s: s.secondary_rms)  # fmt: skip
        square = now.share == 1.0
        asked = now.states["load"].voltage
        level = flat.states["iron_transformer"].output / math.sqrt(flat.share)
        wanted = asked / now.states["iron_transformer"].output if square else asked / math.sqrt(WIDTH_USED) / level
        return Hints(
            wound.ratio * min(2.0, max(0.5, wanted)), {k: settled[k].guess.v_in for k in self.hint_points},
            {k: settled[k].pulse for k in self.hint_points}, {k: settled[k].turn_off for k in self.hint_points},
            {k: settled[k].share for k in self.hint_points}, wound.primary_rms, wound.secondary_rms,
            max(settled[k].states["input_stage"].fuse_load for k in STEADY), wound.leakage,
            0.0, 0.0, 0.0, 0.0, 0.0)  # fmt: skip

    def propose(
        self, brief: Brief, hints: Hints, pins: Mapping[str, dict[str, Any]], shelf: Shelf, rules: Rules
    ) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        line, full = brief.output.frequency, brief.source.volts[2]
        own["iron_transformer"]["halves"], own["input_stage"]["banks"] = 2, 1
        # full width on a full battery passes quickly where the width is controlled: the iron may reach its knee then
        linkage = full / (4 * line) * (1.0 if brief.output.waveform == "square" else WIDEST / iron_transformer.KNEE)
        transformer = iron_transformer.propose(
            IronNeed(
                linkage, hints.v_in["nominal"] * hints.share["nominal"] / (4 * line), hints.ratio,
                hints.primary_rms, hints.secondary_rms, line, brief.targets.ambient + rules.enclosure_rise, 2),
            own["iron_transformer"], shelf, rules)  # fmt: skip
        leakage = iron_transformer.made(transformer, shelf).leakage + rules.lead_inductance
        hottest = max(STEADY, key=lambda k: hints.pulse[k] ** 2 * hints.share[k])
        return {
            "battery": battery.BatteryBuild(),
            "input_stage": input_stage.propose(brief, hints.battery_current, 0.0, own["input_stage"], shelf, rules),
            self.stage: self._propose_stage(hottest, hints, leakage, brief, own[self.stage], shelf, rules),
            "iron_transformer": transformer, "load": load.LoadBuild(),
        }  # fmt: skip

    def _propose_stage(
        self, hottest: str, hints: Hints, leakage: float, brief: Brief, own: dict[str, Any], shelf: Shelf, rules: Rules
    ) -> Build:  # fmt: skip
        """Switches for the hottest steady point, their clamp for the surge on a full battery."""
        steady, charging, hardest = (
            front_end.FrontEndNeed(hints.v_in[k], hints.share[k] / 2, hints.pulse[k], hints.turn_off[k], leakage)
            for k in (hottest, "full", "surge_full")
        )
        own = own | {"topology": "push-pull", "frequency": brief.output.frequency}
        made: Build = front_end.propose(steady, charging, hardest, brief.source.volts[2], brief, own, shelf, rules)
        return made

    def _assess_stage(
        self, v_in: float, v_half: float, share: float, pulse: float, turn_off: float, leakage: float,
        builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger,
    ) -> Any:  # fmt: skip
        need = front_end.FrontEndNeed(v_in, share / 2, pulse, turn_off, leakage)
        return front_end.assess(need, builds["front_end"], brief, shelf, rules, ledger)

    def _frequency(self, v_half: float, builds: Mapping[str, Any], brief: Brief, shelf: Shelf) -> float:
        """What the iron sees, Hz."""
        return brief.output.frequency

    def _pass(
        self, point: Point, g: Guess, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
    ) -> tuple[IronSettled, Guess]:  # fmt: skip
        drain = load.assess(point, brief, ledger)
        ratio = builds["iron_transformer"].secondary_turns / builds["iron_transformer"].primary_turns
        v_half = max(V_FLOOR * point.emf, g.v_in - g.threshold - g.pulse * (g.primary_resistance + g.path_resistance))
        level = max(V_FLOOR * ratio * v_half, ratio * v_half - g.pulse / ratio * g.secondary_resistance)
        line = self._frequency(v_half, builds, brief, shelf)
        square = brief.output.waveform == "square"
        share = 1.0 if square else min(WIDEST, (drain.voltage / level) ** 2)
        output = level * math.sqrt(share)
        # nothing holds this output: the load takes what the square of its voltage makes of it
        power, apparent = (x * (output / drain.voltage) ** 2 for x in (point.power, drain.apparent))
        pulse = ledger.work(f"{self.stage}.pulse", stage_book.pulse_current, P=power + g.lost, V=g.v_in, D_tot=share)
        secondary = apparent / output
        wound = iron_transformer.assess(
            iron_transformer.IronPoint(
                v_half, brief.source.volts[2], share / 2, (1.0 if square else WIDEST) / 2, ratio * secondary / math.sqrt(2),
                secondary, output, line, g.celsius),
            builds["iron_transformer"], brief, shelf, rules, ledger)  # fmt: skip
        turn_off = pulse + wound.magnetising
        switched = self._assess_stage(
            g.v_in, v_half, share, pulse, turn_off, wound.leakage + rules.lead_inductance, builds, brief, shelf, rules,
            ledger)  # fmt: skip
        to_transformer = power + wound.loss
        to_stage = to_transformer + switched.loss
        pulsation = ledger.work("battery.pulsation", source_book.step_pulsation, fraction=share)
        entry, cells, v_in = self._source(
            point, to_stage, input_stage.InputNeed(to_stage / g.v_in, share, 0.0, pulsation), g, builds, brief, shelf, rules,
            ledger)  # fmt: skip
        from_battery = to_stage + entry.loss
        states = {"battery": cells, "input_stage": entry, self.stage: switched, "iron_transformer": wound, "load": drain}
        flow = {"battery": from_battery, "input_stage": from_battery, self.stage: to_stage, "iron_transformer": to_transformer,
                "load": power}  # fmt: skip
        most = 2 * max(point.power, 0.1 * brief.power.continuous)
        after = Guess(
            v_in=v_in, terminal=cells.terminal, pulse=min(pulse, 3 * most / (V_FLOOR * point.emf)),
            primary_resistance=wound.primary_resistance, secondary_resistance=wound.secondary_resistance,
            path_resistance=switched.on_resistance / builds[self.stage].parallel,
            threshold=getattr(switched, "threshold", 0.0), leakage=wound.leakage,
            lost=min(wound.loss + switched.loss, most), celsius=min(wound.temperature, HOTTEST))  # fmt: skip
        return IronSettled(point, states, flow, g, pulse, turn_off, share), after

    def operating(self, settled: Mapping[str, Any], builds: Mapping[str, Any], shelf: Shelf) -> Operating | None:
        """Never a sine."""
        return None

    def steps(self, settled: Mapping[str, Any], builds: Mapping[str, Any]) -> tuple[float, float]:
        """Share of the time that the output is not zero, and its level, V."""
        now = settled["nominal"]
        return now.share, now.states["iron_transformer"].output / math.sqrt(now.share)


class SelfOscillating(IronPushPull):
    """The simplest of all: two switches drive each other, a small saturating transformer is the clock, nothing is regulated."""

    key: RouteName = "self-oscillating"
    stage = oscillator.KEY
    title = "Self-oscillating push-pull, iron transformer"
    waveforms: tuple[Waveform, ...] = ("square",)
    needed = ("mosfet", "bipolar", "iron_core", "wire", "capacitor", "resistor", "fuse", "heat_sink")
    builds: Mapping[str, type[Build]] = {
        "battery": battery.BatteryBuild, "input_stage": input_stage.InputStageBuild,
        "oscillator": oscillator.OscillatorBuild, "iron_transformer": iron_transformer.IronTransformerBuild,
        "load": load.LoadBuild,
    }  # fmt: skip

    def blocks(self, waveform: Waveform) -> tuple[ModuleType, ...]:
        """From the source to the load."""
        return battery, input_stage, oscillator, iron_transformer, load

    def _propose_stage(
        self, hottest: str, hints: Hints, leakage: float, brief: Brief, own: dict[str, Any], shelf: Shelf, rules: Rules
    ) -> Build:  # fmt: skip
        # the drive transformer's clock is set at the nominal battery, the switches by the hottest point
        steady, hardest = (
            oscillator.OscillatorNeed(hints.v_in[k], 0.97 * hints.v_in["nominal"], hints.pulse[k], hints.turn_off[k], leakage)
            for k in (hottest, "surge_full")
        )
        made: Build = oscillator.propose(
            steady, hardest, brief.output.frequency, brief.source.volts[2], brief, own, shelf, rules)  # fmt: skip
        return made

    def _assess_stage(
        self, v_in: float, v_half: float, share: float, pulse: float, turn_off: float, leakage: float,
        builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger,
    ) -> Any:  # fmt: skip
        need = oscillator.OscillatorNeed(v_in, v_half, pulse, turn_off, leakage)
        return oscillator.assess(need, builds["oscillator"], brief, shelf, rules, ledger)

    def _frequency(self, v_half: float, builds: Mapping[str, Any], brief: Brief, shelf: Shelf) -> float:
        return oscillator.frequency(v_half, builds["oscillator"], shelf)


class IronBridge(IronRoute):
    """A sine PWM bridge on the battery, a choke that keeps the carrier out of the iron, a capacitor on the high side."""

    key: RouteName = "iron bridge"
    title = "H-bridge with sine PWM, iron transformer"
    waveforms: tuple[Waveform, ...] = ("sine",)
    needed = ("mosfet", "iron_core", "core", "grade", "wire", "capacitor", "fuse", "heat_sink")
    builds: Mapping[str, type[Build]] = {
        "battery": battery.BatteryBuild, "input_stage": input_stage.InputStageBuild, "h_bridge": h_bridge.HBridgeBuild,
        "output_filter": output_filter.OutputFilterBuild, "iron_transformer": iron_transformer.IronTransformerBuild,
        "load": load.LoadBuild,
    }  # fmt: skip

    def blocks(self, waveform: Waveform) -> tuple[ModuleType, ...]:
        """From the source to the load."""
        return battery, input_stage, h_bridge, output_filter, iron_transformer, load

    def first_hints(self, brief: Brief, pins: Mapping[str, Mapping[str, Any]], rules: Rules) -> Hints:
        """A designer's first guess: 85 % overall, an eighth of the battery's voltage lost on the way."""
        empty, nominal, full = brief.source.volts
        ratio = math.sqrt(2) * brief.output.voltage / (0.87 * rules.modulation_limit * empty)
        current = brief.power.continuous / brief.power.power_factor / brief.output.voltage
        v_in = {"nominal": 0.95 * nominal, "flat": 0.93 * empty, "full": 0.97 * full, "surge_full": 0.95 * full}
        nothing = dict.fromkeys(v_in, 0.0)
        return Hints(
            ratio, v_in, nothing, nothing, nothing, ratio * current, current,
            1.25 * brief.power.continuous / 0.85 / v_in["flat"], 0.0, 0.0, 0.01 * empty, 1.05 * brief.output.voltage
            * math.sqrt(2) / ratio, 0.3 * ratio * current, ratio * current)  # fmt: skip

    def next_hints(self, settled: Mapping[str, Any]) -> Hints:
        """What the assessed design teaches the next round."""
        flat = settled["flat"]
        wound: iron_transformer.IronState = flat.states["iron_transformer"]
        bridged, filtered = flat.states["h_bridge"], flat.states["output_filter"]
        nothing = dict.fromkeys(self.hint_points, 0.0)
        limit = MODULATION_RESERVE * 0.95
        return Hints(
            wound.ratio * min(1.5, max(0.6, bridged.modulation / limit)), {k: settled[k].guess.v_in for k in self.hint_points},
            nothing, nothing, nothing, wound.primary_rms, wound.secondary_rms, flat.states["input_stage"].fuse_load,
            wound.leakage, flat.guess.path_resistance, bridged.dead_time_loss_volts, filtered.fundamental,
            1.04 * max(settled[k].states["input_stage"].ripple for k in STEADY), filtered.line_current)  # fmt: skip

    def propose(
        self, brief: Brief, hints: Hints, pins: Mapping[str, dict[str, Any]], shelf: Shelf, rules: Rules
    ) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        own["iron_transformer"]["halves"], own["input_stage"]["banks"] = 1, 1
        line, full = brief.output.frequency, brief.source.volts[2]
        asked = load.assess(operating_points(brief)["nominal"], brief, SILENT)
        linkage = math.sqrt(2) * brief.output.voltage / hints.ratio / (2 * math.pi * line)
        transformer = iron_transformer.propose(
            IronNeed(OVER * linkage, linkage, hints.ratio, hints.primary_rms, hints.secondary_rms, line,
                     brief.targets.ambient + rules.enclosure_rise, 1),
            own["iron_transformer"], shelf, rules)  # fmt: skip
        ratio = iron_transformer.made(transformer, shelf).ratio
        carrier = float(own["h_bridge"].get("carrier", h_bridge.CARRIER))
        need = output_filter.FilterNeed(
            brief.output.voltage / ratio, line, asked.current * ratio, asked.power_factor, full, carrier,
            rules.modulation_limit, hints.path_resistance, hints.dead_volts, ratio=ratio, leakage=hints.leakage)  # fmt: skip
        surge = brief.power.surge / brief.power.continuous
        filtering = output_filter.propose(need, asked.current * ratio * surge, brief, own["output_filter"], shelf, rules)
        ripple = full / (8 * carrier * (filtering.inductance + hints.leakage))
        bridge = h_bridge.propose(
            h_bridge.BridgeNeed(
                hints.v_in["nominal"], full, hints.line_current, asked.power_factor,
                1.02 * (math.sqrt(2) * hints.line_current + ripple / 2), ripple / math.sqrt(24), hints.fundamental),
            brief, own["h_bridge"], shelf, rules)  # fmt: skip
        return {
            "battery": battery.BatteryBuild(),
            "input_stage": input_stage.propose(brief, hints.battery_current, hints.ripple, own["input_stage"], shelf, rules),
            "h_bridge": bridge, "output_filter": filtering, "iron_transformer": transformer, "load": load.LoadBuild(),
        }  # fmt: skip

    def _pass(
        self, point: Point, g: Guess, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
    ) -> tuple[IronSettled, Guess]:  # fmt: skip
        drain = load.assess(point, brief, ledger)
        carrier, line = builds["h_bridge"].carrier, brief.output.frequency
        ratio = builds["iron_transformer"].secondary_turns / builds["iron_transformer"].primary_turns
        path = g.path_resistance + g.primary_resistance + g.secondary_resistance / ratio**2
        filtered = output_filter.assess(
            output_filter.FilterNeed(
                g.sag * drain.voltage / ratio, line, g.sag * drain.current * ratio, drain.power_factor, g.v_in, carrier,
                min(1.0, g.modulation), path, g.dead_volts, g.choke_celsius, ratio, g.leakage),
            builds["output_filter"], brief, shelf, rules, ledger)  # fmt: skip
        bridged = h_bridge.assess(
            h_bridge.BridgeNeed(
                g.v_in, brief.source.volts[2], filtered.line_current, filtered.power_factor, filtered.peak,
                filtered.ripple_rms, filtered.fundamental),
            builds["h_bridge"], brief, shelf, rules, ledger)  # fmt: skip
        primary = math.hypot(filtered.line_current, filtered.ripple_rms)
        output = g.sag * drain.voltage
        across = (output + filtered.line_current / ratio * g.secondary_resistance * filtered.power_factor) / ratio
        wound = iron_transformer.assess(
            iron_transformer.IronPoint(
                across, OVER * drain.voltage / ratio, 0.0, 0.0, primary, primary / ratio, output, line, g.celsius),
            builds["iron_transformer"], brief, shelf, rules, ledger)  # fmt: skip
        power = point.power * g.sag**2
        to_transformer = power + wound.loss
        to_filter = to_transformer + filtered.loss
        to_stage = to_filter + bridged.loss
        pulsation = ledger.work("battery.pulsation", source_book.line_pulsation, cos_phi=max(0.3, drain.power_factor))
        ripple = 0.0
        if filtered.line_current > 0 and filtered.power_factor > 0:
            ripple = ledger.work(
                "input_stage.ripple", link_book.link_switching_current, I_pk=math.sqrt(2) * filtered.line_current,
                M=min(1.0, bridged.modulation), cos_phi=min(1.0, filtered.power_factor))  # fmt: skip
        entry, cells, v_in = self._source(
            point, to_stage, input_stage.InputNeed(to_stage / g.v_in, 1.0, ripple, pulsation), g, builds, brief, shelf, rules,
            ledger)  # fmt: skip
        from_battery = to_stage + entry.loss
        states = {"battery": cells, "input_stage": entry, "h_bridge": bridged, "output_filter": filtered,
                  "iron_transformer": wound, "load": drain}  # fmt: skip
        flow = {"battery": from_battery, "input_stage": from_battery, "h_bridge": to_stage, "output_filter": to_filter,
                "iron_transformer": to_transformer, "load": power}  # fmt: skip
        # a bridge at its limit makes no more: the socket sags until it fits
        after = replace(
            g, v_in=v_in, terminal=cells.terminal, primary_resistance=wound.primary_resistance,
            secondary_resistance=wound.secondary_resistance, path_resistance=2 * bridged.resistance, leakage=wound.leakage,
            lost=wound.loss + filtered.loss + bridged.loss, modulation=min(2.0, bridged.modulation),
            sag=min(1.0, max(0.1, g.sag / max(bridged.modulation, 1e-3))),
            dead_volts=bridged.dead_time_loss_volts, celsius=min(wound.temperature, HOTTEST),
            choke_celsius=min(filtered.temperature, HOTTEST))  # fmt: skip
        return IronSettled(point, states, flow, g, 0.0, 0.0, 1.0), after

    def operating(self, settled: Mapping[str, Any], builds: Mapping[str, Any], shelf: Shelf) -> Operating | None:
        """The nominal point as the waveforms see it, everything referred to the socket."""
        now = settled["nominal"]
        states = now.states
        filtered, drain, wound = states["output_filter"], states["load"], states["iron_transformer"]
        ratio, v_link = wound.ratio, now.guess.v_in
        far = ratio**2
        resistance = filtered.resistance + 2 * states["h_bridge"].resistance + wound.primary_resistance
        return Operating(
            index=min(1.0, filtered.fundamental / v_link), v_link=v_link * ratio, carrier=builds["h_bridge"].carrier,
            line=drain.frequency, inductance=(builds["output_filter"].inductance + wound.leakage) * far,
            resistance=resistance * far + wound.secondary_resistance,
            capacitance=output_filter.capacitance(builds["output_filter"], shelf), load_resistance=drain.resistance,
            load_inductance=drain.inductance, ratio=ratio)  # fmt: skip

    def steps(self, settled: Mapping[str, Any], builds: Mapping[str, Any]) -> tuple[float, float]:
        """A sine has no steps."""
        raise ValueError("this route makes a sine")
