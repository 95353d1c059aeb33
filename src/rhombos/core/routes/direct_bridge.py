"""An H-bridge on the source itself and nothing between it and the socket but, for a sine, a filter."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rhombos.core.blocks import h_bridge, input_bank, input_proposal, input_stage, load, output_filter, source
from rhombos.core.blocks.base import Build
from rhombos.core.blocks.bridge_drive import KEY as BRIDGE_DRIVE
from rhombos.core.blocks.input_bank import NO_LIFT, Lift, Ripple
from rhombos.core.blocks.input_filter import Noise
from rhombos.core.blocks.mains_input import Draws
from rhombos.core.blocks.regulation import FAR
from rhombos.core.book import bridge as bridge_book
from rhombos.core.book import filters
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.pins import Fields, Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import SET_STEADY, Point, lasting, operating_points
from rhombos.core.frame.report import Stepped
from rhombos.core.frame.stage import Stage
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes import stages
from rhombos.core.routes.base import V_FLOOR, Route, StepWave, Turned
from rhombos.core.routes.driven import drive_of, gate_loop
from rhombos.core.routes.on_source import MORE_RIPPLE, Guess, HardestRipple, SourceRoute, SourceSettled, carrier_of, lift_of
from rhombos.core.routes.sine_stage import SineStage
from rhombos.core.routes.step_stage import NARROWEST, StepStage, standing, whole_factor, working
from rhombos.core.routes.supply import WIRING
from rhombos.core.units.quantities import short
from rhombos.core.waves.pulsation import WAVE
from rhombos.core.waves.stepped import Fed, StepRipple, step_form, stopped

SWELLS = 1.3
"""First guess of the source's current, RMS over mean: it pulsates at twice the line."""
NEEDED = ("mosfet", "capacitor", "fuse", "heat_sink")


@dataclass(frozen=True)
class FromLeads:
    """What an input stage is proposed for: what the source gives, RMS, A, and that over its mean; what the bank carries, and
    what is stopped at once, A."""

    current: float
    swell: float
    ripple: Ripple
    stops: float = 0.0


@dataclass(frozen=True)
class FromMains:
    """What a rectifier and its bank are proposed for: what draws from it, and the voltage that the bridge needs of it, V."""

    draws: Draws
    least: float


@dataclass(frozen=True)
class Hints:
    """What proposals need to know of the rest before it is assessed: voltage at the bridge, V; its current, RMS, and peak, A;
    what stands before it, where that is known; of a sine, resistance of the way, Ω, what dead time takes and the peak
    fundamental, V, and the largest modulation; of steps, the share of the time that they are not zero; what lies on top of the
    source's highest voltage."""

    v_in: float
    current: float
    peak: float
    before: FromLeads | FromMains | None = None
    path_resistance: float = 0.0
    dead_volts: float = 0.0
    fundamental: float = 0.0
    modulation: float = 1.0
    share: float = 1.0
    lift: Lift = NO_LIFT


class Bare(SourceRoute[Hints, SourceSettled]):
    """What both waves share: no winding, no barrier, no more voltage than the source has."""

    key: str = "direct bridge"
    title = "H-bridge on the source"

    def refuses(self, brief: Brief) -> str | None:
        """Why a bridge makes nothing of this source for this socket; None where it may."""
        volts, output = brief.source.volts, brief.output
        asked = f"{short(output.peak if output.waveform == 'sine' else output.voltage, 'V')} are asked."
        if output.waveform == "square":
            near = volts[0] <= (1 + FAR) * output.voltage and volts[2] >= (1 - FAR) * output.voltage
            return None if near else f"A square wave is as high as its source: {short(volts[1], 'V')}, and {asked}"
        reaches = volts[2] > (output.peak if output.waveform == "sine" else output.voltage)
        return None if reaches else f"A bridge makes no more than its source: at most {short(volts[2], 'V')}, and {asked}"

    def auxiliary(self, waveform: Waveform) -> tuple[Stage, ...]:
        """The bridge's gate drive, beside the path."""
        return (stages.BRIDGE_DRIVE,)

    def _learnt(self, settled: Mapping[str, SourceSettled]) -> dict[str, Any]:
        """What the assessed design teaches of what lies before the bridge."""
        alike = [settled[k] for k in ("low", *SET_STEADY) if k in settled]
        return {
            "v_in": settled["nominal"].v_in,
            "before": FromLeads(
                max(s.states[input_stage.KEY].fuse_load for s in lasting(settled)),
                max(1.0, *(s.states[input_stage.KEY].fuse_load * s.v_in / s.flow["h_bridge"] for s in alike)),
                HardestRipple(tuple(r for s in lasting(settled) if (r := s.rippling))),
                max(s.turn_off for s in settled.values()),
            ),
            "lift": lift_of(settled),
        }

    def _likely(self, leads: FromLeads, brief: Brief, rules: Rules) -> FromLeads | FromMains:
        """What stands before the bridge, before anything is settled."""
        return leads

    def _entrance(
        self, hints: Hints, own: dict[str, Fields], brief: Brief, shelf: Shelf, rules: Rules, noise: Noise | None
    ) -> dict[str, Build]:
        """The source, and the input between it and the bridge."""
        entry, through = own["input_stage"], hints.before
        assert isinstance(through, FromLeads), "this route's own hints"
        entry["banks"] = input_bank.banks_for(brief.source.volts[2], 1, shelf, rules)
        made = input_proposal.propose(
            brief, through.current, through.ripple, entry, shelf, rules, through.stops, through.swell, noise
        )
        return {"source": source.SourceBuild(), "input_stage": made}

    def _with_drive(
        self,
        bridge: h_bridge.HBridgeBuild,
        hints: Hints,
        own: dict[str, Fields],
        brief: Brief,
        shelf: Shelf,
        rules: Rules,
        noise: Noise | None = None,
    ) -> dict[str, Build]:
        """A proposed bridge with its gate drive and what lies before it; `own` are the pins, `noise` what swings with its
        carrier."""
        drive, bridge = drive_of(bridge, input_bank.lifted_to(brief, rules), hints.modulation, brief, own, shelf, rules)
        return {
            **self._entrance(hints, own, brief, shelf, rules, noise),
            "h_bridge": bridge,
            "bridge_drive": drive,
            "load": load.LoadBuild(),
        }


class DirectBridge(Bare, SineStage[Hints]):
    """A sine PWM bridge on the source, and its filter."""

    waveforms: tuple[Waveform, ...] = ("sine", "modified", "square")
    turned_by: Mapping[Waveform, Turned] = {"sine": "modulation", "modified": "modulation"}
    needed: tuple[str, ...] = (*NEEDED, "core", "grade", "wire")

    def making(self, waveform: Waveform) -> Route:
        """The same for a wave: steps are settled otherwise than a sine."""
        return self if waveform == "sine" else STEPS

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load; only a sine needs a filter."""
        behind = (stages.BRIDGE, stages.FILTER) if waveform == "sine" else (stages.BRIDGE,)
        return (stages.SOURCE, stages.INPUT, *behind, stages.LOAD)

    def first_hints(self, brief: Brief, pins: Pins, rules: Rules) -> Hints:
        """A designer's first guess: 93 % overall, a few volts lost on the way."""
        empty, nominal, _ = brief.source.volts
        asked = load.assess(operating_points(brief)["nominal"], brief, SILENT)
        drawn = brief.power.continuous / 0.93 / (0.98 * empty)
        return Hints(
            0.98 * nominal, asked.current, asked.peak_current,
            self._likely(FromLeads(SWELLS * drawn, SWELLS, asked.current), brief, rules), dead_volts=0.01 * empty,
            fundamental=1.03 * math.sqrt(2) * asked.voltage,
            modulation=min(1.0, 1.03 * math.sqrt(2) * asked.voltage / (0.98 * empty)))  # fmt: skip

    def next_hints(self, settled: Mapping[str, SourceSettled], before: Hints | None = None) -> Hints:
        """What the assessed design teaches the next round."""
        flat, filtered = settled["low"], [s.states[output_filter.KEY] for s in lasting(settled)]
        return Hints(
            **self._learnt(settled), current=max(f.rms for f in filtered), peak=max(f.peak for f in filtered),
            path_resistance=flat.guess.path_resistance, dead_volts=flat.states[h_bridge.KEY].dead_time_loss_volts,
            fundamental=flat.states[output_filter.KEY].fundamental,
            modulation=min(1.0, max(s.states[h_bridge.KEY].modulation for s in lasting(settled))))  # fmt: skip

    def propose(self, brief: Brief, hints: Hints, pins: Pins, shelf: Shelf, rules: Rules) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        line, full = brief.output.frequency, brief.source.volts[2]
        asked = load.assess(operating_points(brief)["nominal"], brief, SILENT)
        carrier = float(own["h_bridge"].get("carrier", h_bridge.carrier_for(line)))
        need = output_filter.FilterNeed(
            asked.voltage, line, asked.current, asked.power_factor, full, carrier, rules.modulation_limit,
            hints.path_resistance, hints.dead_volts, crest_power=asked.crest_power)  # fmt: skip
        surge = brief.power.surge / brief.power.continuous
        filtering = output_filter.propose(need, asked.current * surge, brief, own["output_filter"], shelf, rules)
        ripple = filters.unipolar_ripple.work({"V_dc": full, "L": filtering.inductance, "f_c": carrier})
        bridge = h_bridge.propose(
            h_bridge.BridgeNeed(
                hints.v_in, hints.lift.top(brief, rules), hints.current, asked.power_factor,
                1.02 * max(math.sqrt(2) * hints.current + ripple / 2, hints.peak), ripple / math.sqrt(24), hints.fundamental),
            brief, own["h_bridge"], shelf, rules)  # fmt: skip
        before = hints.before.ripple if isinstance(hints.before, FromLeads) else None
        rippling = before if isinstance(before, HardestRipple) else None
        noise = carrier_of(carrier, rippling)
        return self._with_drive(bridge, hints, own, brief, shelf, rules, noise) | {"output_filter": filtering}


class DirectSteps(Bare, StepStage[Hints, SourceSettled]):
    """A bridge that puts the source's own voltage across the socket one way and the other: as a square wave, or in pulses whose
    width holds the RMS."""

    waveforms: tuple[Waveform, ...] = ("modified", "square")
    turned_by: Mapping[Waveform, Turned] = {"modified": "modulation"}
    hint_points = ("nominal", "low", "high", "surge_high")
    needed: tuple[str, ...] = NEEDED

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load."""
        return stages.SOURCE, stages.INPUT, stages.BRIDGE, stages.LOAD

    def first_hints(self, brief: Brief, pins: Pins, rules: Rules) -> Hints:
        """A designer's first guess: 97 % overall."""
        empty, nominal, full = brief.source.volts
        asked = load.assess(operating_points(brief)["nominal"], brief, SILENT)
        square = brief.output.waveform == "square"
        share, widest = (1.0 if square else min(h_bridge.WIDEST, (asked.rated / v) ** 2) for v in (nominal, empty))
        drawn, level = brief.power.continuous / 0.97 / empty, asked.rated / math.sqrt(share)
        peak = asked.peak_current * full / level
        swell = 1 / math.sqrt(widest)
        before = self._likely(FromLeads(swell * drawn, swell, 0.3 * drawn, peak), brief, rules)
        return Hints(0.98 * nominal, asked.rms, peak, before, share=share)

    def next_hints(self, settled: Mapping[str, SourceSettled], before: Hints | None = None) -> Hints:
        """What the assessed design teaches the next round."""
        loads = [s.states[load.KEY] for s in lasting(settled)]
        return Hints(
            **self._learnt(settled), current=max(d.rms for d in loads), peak=max(d.peak_current for d in loads),
            share=settled["nominal"].share)  # fmt: skip

    def propose(self, brief: Brief, hints: Hints, pins: Pins, shelf: Shelf, rules: Rules) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        own["h_bridge"]["controlled"] = brief.output.waveform == "modified"
        factor = load.assess(operating_points(brief)["nominal"], brief, SILENT).power_factor
        bridge = h_bridge.propose(
            h_bridge.BridgeNeed(
                hints.v_in, hints.lift.top(brief, rules), hints.current, factor, 1.02 * hints.peak, 0.0, hints.v_in,
                share=hints.share),
            brief, own["h_bridge"], shelf, rules)  # fmt: skip
        return self._with_drive(bridge, hints, own, brief, shelf, rules)

    def _pass(
        self, point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
    ) -> tuple[SourceSettled, Guess]:  # fmt: skip
        asked, rated = load.assess(point, brief, SILENT), brief.output.voltage
        build, line = builds[h_bridge.KEY], brief.output.frequency
        feed = self._feed(point, g, builds, brief, shelf, rules)
        corner = 2 * math.pi * line * feed.resistance * feed.capacitance
        factor = round(whole_factor(asked, line, feed.resistance / (1 + 4 * corner**2), 1.0, g), 5)
        # while the bridge holds its output at zero, the current meets no source
        held = round(whole_factor(asked, line, 0.0, 1.0, g), 5)
        known = g.formed or step_form(build.fraction, factor, False, round(corner, 4), held)
        stood, tilt = standing(feed.emf - g.aside, feed.resistance, 1.0, asked, known, g)
        level = max(V_FLOOR * point.emf, stood)
        share = build.fraction
        if build.controlled:
            asks = bridge_book.modified_rms.invert("fraction", {"V_rms": rated, "V_dc": level})
            share = max(NARROWEST, round(min(share, asks), 6))
        formed = step_form(share, factor, False, round(corner, 4), held)
        output = bridge_book.modified_rms.work({"V_dc": level, "fraction": share})
        power = point.power * (output / rated) ** 2  # the load takes what the square of its voltage makes of it
        amps = power / (working(power, 1.0, share, formed.form, g) * math.sqrt(share)) * formed.form
        admits = amps**2 / power if power > 0 else 0.0
        fed = Fed(share, False, factor, 1 / admits if admits else None, held, tilt)
        drain = load.assess(point, brief, worksheet, output, fed)
        works = g.works or g.v_in
        bridged = h_bridge.assess(
            h_bridge.BridgeNeed(works, brief.source.volts[2], drain.rms, factor, drain.peak_current, 0.0, works, share, held),
            build, brief, shelf, rules, worksheet,
            gate_loop(builds[BRIDGE_DRIVE], build.parallel, shelf))  # fmt: skip
        flowing = formed.beside(g.shaped)
        to_bridge = power + bridged.loss
        mean = to_bridge / g.v_in
        stops = mean * g.shaped * stopped(share, factor, held)
        entry = self._enter(
            point, to_bridge,
            input_stage.InputNeed(
                mean, share, flowing.bank * mean, flowing.mean_square, crest=flowing.crest, interrupted=stops,
                returned=flowing.returned),
            lambda: formed.taken.reshape(WAVE, -1).mean(axis=1), g, builds, brief, shelf, rules, worksheet)  # fmt: skip
        bridged = h_bridge.on_a_link(bridged, brief.source.volts[2] + sum(entry.lift), worksheet)
        states = entry.states | {h_bridge.KEY: bridged, load.KEY: drain}
        flow = {**entry.flow, "h_bridge": to_bridge, "load": power}
        most = 2 * max(point.power, 0.1 * brief.power.continuous)
        after = Guess(
            v_in=entry.v_in, terminal=entry.terminal, to_stage=to_bridge, path_resistance=bridged.path, threshold=bridged.drop,
            lost=min(bridged.loss, most), drawn=min(to_bridge, power + most) / g.v_in,
            shaped=min(1.0, (power + bridged.conduction) / to_bridge), formed=formed,
            # a wider pulse asks for less: half the way, lest it swings
            admits=math.sqrt(admits * (g.admits or admits)),
            # the rail whose wave through the bridge is what stands at the socket
            works=min(2 * point.emf, works * output / max(bridged.output, V_FLOOR * output)), aside=entry.aside)  # fmt: skip
        rippling = StepRipple(MORE_RIPPLE * g.shaped * mean, share, factor, False, line, feed.resistance, held)
        return SourceSettled(
            point,
            states,
            flow,
            g,
            0.0,
            stops,
            share,
            form=formed.form,
            stands=share,
            rippling=rippling,
            endings=entry.endings,
            draws=entry.draws,
        ), after

    def stepped(self, settled: Mapping[str, SourceSettled], builds: Builds, shelf: Shelf) -> Stepped:
        """The nominal point as the scope sees it."""
        now = settled["nominal"]
        drain, g = now.states[load.KEY], now.guess
        return Stepped(
            v_link=g.works, level=g.works - g.threshold, fraction=now.share, line=drain.frequency, resistance=g.path_resistance,
            inductance=WIRING, load_resistance=drain.resistance, load_inductance=drain.inductance)  # fmt: skip

    def steps(self, settled: Mapping[str, SourceSettled], builds: Builds) -> StepWave:
        """Its pulses; between them the bridge holds the socket at zero."""
        now = settled["nominal"]
        return StepWave(now.share, now.states[h_bridge.KEY].output / math.sqrt(now.share))


STEPS = DirectSteps()
