"""Source, input, step-down, DC socket."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from rhombos.core.blocks import input_bank, input_proposal, input_stage, load, source
from rhombos.core.blocks.base import Build
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.pins import Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import STEADY, Point
from rhombos.core.frame.stage import Stage
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes import stages
from rhombos.core.routes.entry import enter
from rhombos.core.routes.on_source import Guess, SourceRoute, SourceSettled
from tests.stages.step_down import stage


@dataclass(frozen=True)
class Hints:
    """Voltage at the stage on the lowest input, V; what the source gives and what its bank carries, RMS, A."""

    v_low: float
    current: float
    ripple: float
    stops: float


class StepDown(SourceRoute[Hints, SourceSettled]):
    """A regulated DC socket below the source's voltage, with no barrier."""

    key = "step-down"
    title = "Step-down, no barrier"
    waveforms: tuple[Waveform, ...] = ("DC",)
    hint_points = ("nominal", "low", "high")
    needed = ("mosfet", "diode", "capacitor", "fuse", "heat_sink")
    marched = False

    def refuses(self, brief: Brief) -> str | None:
        """Why it makes nothing of this source for this socket; None where it may."""
        if brief.output.voltage < 0.9 * brief.source.volts[0]:
            return None
        return f"It makes less than its source: {brief.output.voltage:g} V are asked of {brief.source.volts[0]:g} V."

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load."""
        return stages.SOURCE, stages.INPUT, stage.STAGE, stages.LOAD

    def first_hints(self, brief: Brief, pins: Pins, rules: Rules) -> Hints:
        """A designer's first guess: 93 % overall."""
        amps, v_low = brief.power.continuous / brief.output.voltage, 0.97 * brief.source.volts[0]
        return Hints(v_low, brief.power.continuous / 0.93 / v_low, amps / 2, amps)

    def next_hints(self, settled: Mapping[str, SourceSettled], before: Hints | None = None) -> Hints:
        """What the assessed design teaches the next round."""
        steady = [settled[k] for k in STEADY]
        return Hints(
            settled["low"].v_in, max(s.states[input_stage.KEY].fuse_load for s in steady),
            max(s.states[input_stage.KEY].ripple for s in steady), max(s.turn_off for s in steady))  # fmt: skip

    def propose(self, brief: Brief, hints: Hints, pins: Pins, shelf: Shelf, rules: Rules) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        full = brief.source.volts[2]
        entry = own["input_stage"] | {"banks": input_bank.banks_for(full, 1, shelf, rules)}
        amps, surge = (p / brief.output.voltage for p in (brief.power.continuous, brief.power.surge))
        return {
            "source": source.SourceBuild(),
            "input_stage": input_proposal.propose(brief, hints.current, hints.ripple, entry, shelf, rules, hints.stops, 1.0),
            stage.KEY: stage.propose(hints.v_low, full, amps, surge, brief, own[stage.KEY], shelf, rules),
            "load": load.LoadBuild(),
        }

    def _pass(
        self, point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
    ) -> tuple[SourceSettled, Guess]:
        drain = load.assess(point, brief, worksheet)
        state = stage.assess(g.v_in, drain.current, builds[stage.KEY], brief, shelf, rules, worksheet)
        to_stage = drain.power + state.loss
        need = input_stage.InputNeed(to_stage / g.v_in, state.duty, state.input_ripple)
        entry = enter(point, to_stage, need, g.v_in, g.terminal, builds, brief, shelf, rules, worksheet)
        states = entry.states | {stage.KEY: state, load.KEY: drain}
        flow = {**entry.flow, stage.KEY: to_stage, "load": drain.power}
        after = replace(g, v_in=entry.v_in, terminal=entry.terminal, lost=state.loss)
        return SourceSettled(point, states, flow, g, state.peak, state.peak, state.duty), after
