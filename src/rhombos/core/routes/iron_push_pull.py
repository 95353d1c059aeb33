"""Push-pull at line frequency on an iron transformer: square, width-controlled, or swinging by itself."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from rhombos.core.blocks import (
    front_end,
    input_bank,
    input_proposal,
    input_stage,
    iron_transformer,
    load,
    oscillator,
    source,
)  # fmt: skip
from rhombos.core.blocks.base import Build
from rhombos.core.blocks.h_bridge import WIDEST
from rhombos.core.blocks.input_bank import Lift
from rhombos.core.book import bridge as bridge_book
from rhombos.core.book import magnetics as magnetics_book
from rhombos.core.book import stage as stage_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.pins import Fields, Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds, Key
from rhombos.core.frame.points import LASTING, SET_STEADY, SET_SURGES, Point, lasting
from rhombos.core.frame.report import Stepped
from rhombos.core.frame.stage import Stage
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.iron import IronNeed
from rhombos.core.parts import Shelf
from rhombos.core.routes import stages
from rhombos.core.routes.base import HOTTEST, V_FLOOR, StepWave, Turned
from rhombos.core.routes.entry import enter
from rhombos.core.routes.on_source import MORE_RIPPLE, Guess, HardestRipple, Hints, SourceSettled, lift_of
from rhombos.core.routes.step_stage import NARROWEST, StepStage, standing, whole_factor, working
from rhombos.core.routes.supply import WIRING, source_of
from rhombos.core.waves.stepped import Fed, StepRipple, step_form, width_for

MORE = 1.03
"""What the next round may still add to the source's current, where the turns ratio moves with it."""
SWINGS = 0.15
"""First guess of what the input bank carries, over the source's current."""
WIDTH_USED = 0.94
"""Width that proposals count on at the lowest input."""


class IronPushPull(StepStage[Hints, SourceSettled]):
    """Two switches at line frequency across a centre-tapped winding: square, or with the width of its pulses controlled."""

    key: str = "iron push-pull"
    stage: Key[front_end.FrontEndBuild | oscillator.OscillatorBuild, front_end.FrontEndState | oscillator.OscillatorState] = (
        front_end.KEY
    )
    title = "Push-pull at line frequency, iron transformer"
    waveforms: tuple[Waveform, ...] = ("modified", "square")
    turned_by: Mapping[Waveform, Turned] = {"modified": "modulation"}
    needed: tuple[str, ...] = ("mosfet", "iron_core", "wire", "capacitor", "resistor", "fuse", "heat_sink")

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load."""
        return stages.SOURCE, stages.INPUT, stages.LINE_PUSH_PULL, stages.IRON, stages.LOAD

    def first_hints(self, brief: Brief, pins: Pins, rules: Rules) -> Hints:
        """A designer's first guess: 85 % overall, a tenth of the source's voltage lost on the way."""
        empty, nominal, full = brief.source.volts
        square = brief.output.waveform == "square"
        asked = brief.output.voltage
        ratio = asked / (0.9 * nominal) if square else asked / math.sqrt(WIDTH_USED) / (0.9 * empty)
        v_in = {"nominal": 0.96 * nominal, "low": 0.95 * empty, "high": 0.97 * full, "surge_high": 0.95 * full}
        share = {k: 1.0 if square else min(WIDTH_USED, (asked / (0.95 * ratio * v)) ** 2) for k, v in v_in.items()}
        watts = {k: (brief.power.surge if k == "surge_high" else brief.power.continuous) / 0.85 for k in v_in}
        pulse = {k: watts[k] / (v_in[k] * share[k]) for k in v_in}
        current = brief.power.continuous / brief.output.power_factor / brief.output.voltage
        return Hints(
            ratio, v_in, pulse, {k: 1.1 * p for k, p in pulse.items()}, share, ratio * current / math.sqrt(2), current,
            watts["low"] / v_in["low"] / math.sqrt(share["low"]), 20e-6, 0.0, 0.0, 0.0,
            SWINGS * watts["low"] / v_in["low"], 0.0)  # fmt: skip

    def next_hints(self, settled: Mapping[str, SourceSettled], before: Hints | None = None) -> Hints:
        """What the assessed design teaches the next round."""
        flat, now = settled["low"], settled["nominal"]
        wound: iron_transformer.IronState = max(
            (s.states[iron_transformer.KEY] for s in lasting(settled)), key=lambda s: s.secondary_rms)  # fmt: skip
        square = now.share == 1.0
        asked = now.states[load.KEY].rated
        level = flat.states[iron_transformer.KEY].output / math.sqrt(flat.stands)
        wanted = asked / now.states[iron_transformer.KEY].output if square else asked / math.sqrt(WIDTH_USED) / level
        return Hints(
            wound.ratio * (1.0 if flat.states[source.KEY].collapsed else min(1.3, max(0.6, wanted))),
                {k: s.guess.v_in for k, s in settled.items()},
            {k: s.pulse for k, s in settled.items()}, {k: s.turn_off for k, s in settled.items()},
            {k: s.share for k, s in settled.items()}, wound.primary_rms, wound.secondary_rms,
            max(s.states[input_stage.KEY].fuse_load for s in lasting(settled)), wound.leakage,
            0.0, 0.0, 0.0, 0.0, 0.0, half=now.half, form=max(s.form for s in lasting(settled)),
            rippling=HardestRipple(
                tuple(r for s in lasting(settled) if (r := s.rippling)),
                max(s.states[iron_transformer.KEY].magnetising / (8 * self._line(s)) for s in settled.values())),
            lift=Lift(returned=lift_of(settled).returned))  # fmt: skip

    def propose(self, brief: Brief, hints: Hints, pins: Pins, shelf: Shelf, rules: Rules) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        line, full = brief.output.frequency, brief.source.volts[2]
        own["iron_transformer"]["halves"] = 2
        own["input_stage"]["banks"] = input_bank.banks_for(full, 1, shelf, rules)
        # full width on the highest input passes quickly where the width is controlled: the iron may reach its knee then
        widest = 1.0 if brief.output.waveform == "square" else WIDEST / iron_transformer.KNEE
        linkage, working = (magnetics_book.square_linkage.work({"V": v, "fraction": share, "f_line": line}) for v, share in (
            (full, widest), (hints.v_in["nominal"], hints.share["nominal"])))  # fmt: skip
        transformer = iron_transformer.propose(
            IronNeed(
                linkage, working, hints.ratio,
                hints.primary_rms, hints.secondary_rms, line, brief.targets.ambient + rules.enclosure_rise, 2,
                brief.targets.idle),
            own["iron_transformer"], shelf, rules)  # fmt: skip
        leakage = iron_transformer.made(transformer, shelf).leakage + rules.lead_inductance + front_end.LIKELY_PACKAGE
        narrowest = min(hints.share[k] for k in ("low", *SET_STEADY) if k in hints.share)
        hottest = max((k for k in LASTING if k in hints.pulse), key=lambda k: hints.pulse[k] ** 2 * hints.share[k])
        return {
            "source": source.SourceBuild(),
            "input_stage": input_proposal.propose(
                brief, MORE * hints.source_current, hints.rippling or hints.ripple, own["input_stage"], shelf, rules,
                max(hints.turn_off.values()), 1 / math.sqrt(narrowest)),
            self.stage: self._propose_stage(hottest, hints, leakage, brief, own[self.stage], shelf, rules),
            "iron_transformer": transformer, "load": load.LoadBuild(),
        }  # fmt: skip

    def _propose_stage(
        self, hottest: str, hints: Hints, leakage: float, brief: Brief, own: Fields, shelf: Shelf, rules: Rules
    ) -> Build:  # fmt: skip
        """Switches for the hottest steady point, their clamp for the surge that turns off most on the highest input."""
        surge, charging_at = (
            max(alike, key=lambda k: hints.turn_off.get(k, 0.0))
            for alike in (("surge_high", *SET_SURGES), ("high", *SET_STEADY))
        )
        steady, charging, hardest = (
            front_end.FrontEndNeed(hints.v_in[k], hints.share[k] / 2, hints.pulse[k], hints.turn_off[k], leakage, hints.form)
            for k in (hottest, charging_at, surge)
        )
        own = own | {"topology": "push-pull", "frequency": brief.output.frequency}
        made: Build = front_end.propose(
            steady, charging, hardest, hints.lift.top(brief, rules), brief, own, shelf, rules)  # fmt: skip
        return made

    def _assess_stage(
        self, v_in: float, v_half: float, share: float, pulse: float, form: float, turn_off: float, leakage: float,
        builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet,
    ) -> front_end.FrontEndState | oscillator.OscillatorState:  # fmt: skip
        need = front_end.FrontEndNeed(v_in, share / 2, pulse, turn_off, leakage, form)
        return front_end.assess(need, builds[front_end.KEY], brief, shelf, rules, worksheet)

    def _frequency(self, v_half: float, builds: Builds, brief: Brief, shelf: Shelf) -> float:
        """What the iron sees, Hz."""
        return brief.output.frequency

    def _pass(
        self, point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
    ) -> tuple[SourceSettled, Guess]:  # fmt: skip
        asked, rated = load.assess(point, brief, SILENT), brief.output.voltage
        ratio = builds[iron_transformer.KEY].secondary_turns / builds[iron_transformer.KEY].primary_turns
        v_half = max(V_FLOOR * point.emf, g.v_in - g.threshold - g.pulse * (g.primary_resistance + g.path_resistance))
        feed = source_of(point.emf, builds, brief, shelf, rules)
        line = self._frequency(v_half, builds, brief, shelf)
        square = brief.output.waveform == "square"
        corner = 2 * math.pi * line * feed.resistance * feed.capacitance
        factor, lets_go = round(whole_factor(asked, line, feed.resistance / (1 + 4 * corner**2), ratio, g), 5), not square
        known = g.formed or step_form(1.0 if square else WIDTH_USED, factor, lets_go, round(corner, 4))
        stood, tilt = standing(point.emf - g.aside, feed.resistance, ratio, asked, known, g)
        level = ratio * max(V_FLOOR * point.emf, stood)
        asks = bridge_book.modified_rms.invert("fraction", {"V_rms": rated, "V_dc": level})
        share = 1.0 if square else max(NARROWEST, round(width_for(asks, factor, WIDEST), 6))
        formed = step_form(share, factor, lets_go, round(corner, 4))
        output = level * math.sqrt(formed.stands)
        # nothing holds this output: the load takes what the square of its voltage makes of it
        power = point.power * (output / rated) ** 2
        secondary = power / (working(power, ratio, share, formed.form, g) * math.sqrt(share)) * formed.form
        admits = secondary**2 / power if power > 0 else 0.0
        pulse = worksheet.work(f"{self.stage}.pulse", stage_book.pulse_current, P=power + g.lost, V=g.v_in, D_tot=share)
        flowing = formed.beside(g.shaped)
        wound = iron_transformer.assess(
            iron_transformer.IronPoint(
                v_half, brief.source.volts[2], share / 2, (1.0 if square else WIDEST) / 2, ratio * secondary / math.sqrt(2),
                secondary, output, line, g.celsius),
            builds[iron_transformer.KEY], brief, shelf, rules, worksheet)  # fmt: skip
        turn_off = flowing.peak * pulse + wound.magnetising
        switched = self._assess_stage(
            g.v_in, v_half, share, pulse, flowing.form, turn_off,
            wound.leakage + front_end.lead_inductance(builds[self.stage], shelf, rules), builds, brief, shelf, rules,
            worksheet)  # fmt: skip
        to_transformer = power + wound.loss
        to_stage = to_transformer + switched.loss
        mean = to_stage / g.v_in
        # without a load the iron's current flows back for half of each half period, in a triangle
        back = flowing.returned if power > 0 else wound.magnetising / (4 * mean)
        entry = enter(
            point, to_stage,
            input_stage.InputNeed(
                mean, share, flowing.bank * mean, flowing.mean_square, crest=flowing.crest, interrupted=turn_off,
                returned=back),
            g.v_in, g.terminal, builds, brief, shelf, rules, worksheet)  # fmt: skip
        lifted = entry.lift.returned
        if lifted > 0:
            switched = replace(switched, peak_voltage=worksheet.total(f"{self.stage}.peak_voltage", {
                "off, with its spike": switched.peak_voltage, "twice what the load lifts": 2 * lifted}))  # fmt: skip
        fed = Fed(share, lets_go, factor, 1 / admits if admits else None, tilt=tilt)
        drain = load.assess(point, brief, worksheet, output, fed)
        states = entry.states | {self.stage: switched, iron_transformer.KEY: wound, load.KEY: drain}
        flow = {**entry.flow, self.stage: to_stage, "iron_transformer": to_transformer,
                "load": power}  # fmt: skip
        most = 2 * max(point.power, 0.1 * brief.power.continuous)
        after = Guess(
            v_in=entry.v_in, terminal=entry.terminal, pulse=min(pulse, 3 * most / (V_FLOOR * point.emf)),
            primary_resistance=wound.primary_resistance, secondary_resistance=wound.secondary_resistance,
            path_resistance=switched.on_resistance / builds[self.stage].parallel,
            threshold=getattr(switched, "threshold", 0.0), leakage=wound.leakage,
            lost=min(wound.loss + switched.loss - switched.clamp_loss - getattr(switched, "gate", 0.0), most),
            celsius=min(wound.temperature, HOTTEST), drawn=min(to_stage, power + most) / g.v_in,
            shaped=min(1.0, (power + wound.copper + switched.conduction) / to_stage), formed=formed,
            # a wider pulse asks for less: half the way, lest it swings
            admits=math.sqrt(admits * (g.admits or admits)), aside=entry.aside)  # fmt: skip
        rippling = StepRipple(MORE_RIPPLE * g.shaped * mean, share, factor, lets_go, line, feed.resistance)
        return SourceSettled(point, states, flow, g, pulse, turn_off, share, v_half / g.v_in, formed.form, formed.stands,
                           rippling, endings=entry.endings), after  # fmt: skip

    def _line(self, now: SourceSettled) -> float:
        """How often the wave comes, Hz."""
        return float(now.states[load.KEY].frequency)

    def stepped(self, settled: Mapping[str, SourceSettled], builds: Builds, shelf: Shelf) -> Stepped:
        """The nominal point as the scope sees it, everything referred to the socket."""
        now = settled["nominal"]
        wound, drain, g = now.states[iron_transformer.KEY], now.states[load.KEY], now.guess
        share, line = now.share, self._line(now)
        far = wound.ratio**2
        return Stepped(
            v_link=wound.ratio * g.v_in, level=wound.ratio * (g.v_in - g.threshold), fraction=share, line=line,
            resistance=far * (g.primary_resistance + g.path_resistance) + g.secondary_resistance,
            inductance=far * wound.leakage + WIRING, load_resistance=drain.resistance, load_inductance=drain.inductance,
            ratio=wound.ratio,
            lets_go=share < 1)  # fmt: skip

    def steps(self, settled: Mapping[str, SourceSettled], builds: Builds) -> StepWave:
        """Its pulses, and how long diodes turn them about."""
        now = settled["nominal"]
        return StepWave(now.share, now.states[iron_transformer.KEY].output / math.sqrt(now.stands), now.stands - now.share)


class SelfOscillating(IronPushPull):
    """The simplest of all: two switches drive each other, a small saturating transformer is the clock, nothing is regulated."""

    key: str = "self-oscillating"
    stage = oscillator.KEY
    title = "Self-oscillating push-pull, iron transformer"
    waveforms: tuple[Waveform, ...] = ("square",)
    needed = ("mosfet", "bipolar", "iron_core", "wire", "capacitor", "resistor", "fuse", "heat_sink")

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load."""
        return stages.SOURCE, stages.INPUT, stages.OSCILLATOR, stages.IRON, stages.LOAD

    def _propose_stage(
        self, hottest: str, hints: Hints, leakage: float, brief: Brief, own: Fields, shelf: Shelf, rules: Rules
    ) -> Build:  # fmt: skip
        # the drive transformer's clock is set at the nominal input, the switches by the hottest point
        steady, hardest = (
            oscillator.OscillatorNeed(
                hints.v_in[k], hints.half * hints.v_in["nominal"], hints.form * hints.pulse[k], hints.turn_off[k], leakage
            )
            for k in (hottest, "surge_high")
        )
        made: Build = oscillator.propose(
            steady, hardest, brief.output.frequency, hints.lift.top(brief, rules), brief, own, shelf, rules)  # fmt: skip
        return made

    def _assess_stage(
        self, v_in: float, v_half: float, share: float, pulse: float, form: float, turn_off: float, leakage: float,
        builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet,
    ) -> front_end.FrontEndState | oscillator.OscillatorState:  # fmt: skip
        need = oscillator.OscillatorNeed(v_in, v_half, form * pulse, turn_off, leakage)
        return oscillator.assess(need, builds[oscillator.KEY], brief, shelf, rules, worksheet)

    def _frequency(self, v_half: float, builds: Builds, brief: Brief, shelf: Shelf) -> float:
        return oscillator.frequency(v_half, builds[oscillator.KEY], shelf)

    def _line(self, now: SourceSettled) -> float:
        return float(now.states[oscillator.KEY].frequency)
