"""An H-bridge on the rectified mains: rectifier, bank and bridge, and for a sine a filter."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from rhombos.core.blocks import h_bridge, mains_input, mains_proposal, output_filter
from rhombos.core.blocks import source as source_block
from rhombos.core.blocks.base import Build
from rhombos.core.blocks.input_bank import Lift
from rhombos.core.blocks.input_filter import Noise
from rhombos.core.blocks.input_stage import InputNeed
from rhombos.core.blocks.mains_input import Draws
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.blocks.source import mains as mains_source
from rhombos.core.book import mains as mains_book
from rhombos.core.book import source as source_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds, States
from rhombos.core.frame.points import Point, lasting
from rhombos.core.frame.stage import Stage
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes import stages
from rhombos.core.routes.base import V_FLOOR, Route
from rhombos.core.routes.direct_bridge import Bare, DirectBridge, DirectSteps, FromLeads, FromMains, Hints
from rhombos.core.routes.entry import Entry
from rhombos.core.routes.mains_line import least_bank, least_guessed, line_for, mains_of
from rhombos.core.routes.on_source import Guess, SourceSettled
from rhombos.core.routes.supply import LEAST_PATH, line_current
from rhombos.core.waves.chain import Feed, Supply
from rhombos.core.waves.line_curve import Leaves, leaves
from rhombos.core.waves.line_feed import RectifiedFeed
from rhombos.core.waves.line_half import Swing
from rhombos.core.waves.pulsation import Array

LIKELY = 0.93
"""Efficiency of bridge and filter before anything is known."""
STILL = 1e-2
"""Swing of a drawn power over its mean below which it counts as steady."""
DIGITS = 3
"""To which a swing is rounded, so that passes that hardly differ are marched once."""


class OnMains(Bare):
    """What both waves share: rectifier and bank stand before the bridge, and every point is marched once it has settled."""

    key: str = "mains bridge"
    title = "Rectified mains and H-bridge"
    fed_by = ("mains",)
    lends = ()

    def _leaves(self, point: Point, to_stage: float, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules) -> Leaves | None:
        build, volts = builds[mains_input.KEY], point.emf / math.sqrt(2)
        seen, behind = mains_input.ahead(line_for(brief), volts, build, shelf)
        power = to_stage + rules.control_power + mains_input.bled(volts, build)
        return leaves(seen, behind, power)

    def _feed(self, point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules) -> Feed:
        """The rectified mains about the power drawn: an open voltage and a resistance that give the bank's mean there and its
        slope, and the bank itself."""
        to_stage = g.to_stage or point.power / LIKELY
        left = self._leaves(point, to_stage, builds, brief, shelf, rules) or _fallen(point, to_stage)
        bank = mains_input.capacitance(builds[mains_input.KEY], shelf)
        given = {"V_t": left.mean, "I": to_stage / left.mean, "R_s": left.ohms}
        return Feed(source_book.terminal_voltage.invert("E", given), max(LEAST_PATH, left.ohms), bank, 0.0)

    def _enter(
        self, point: Point, to_stage: float, need: InputNeed, wave: Callable[[], Array], g: Guess, builds: Builds, brief: Brief,
        shelf: Shelf, rules: Rules, worksheet: Worksheet,
    ) -> Entry:  # fmt: skip
        left = self._leaves(point, to_stage, builds, brief, shelf, rules)
        stands = left or _fallen(point, to_stage)
        cells = source_block.assess(point.emf, to_stage, brief, SILENT)
        cells = replace(cells, collapsed=cells.collapsed or left is None)
        carrier = need.noise.rms if need.noise else 0.0  # all that is slower is in the swing
        draws = Draws(to_stage, _swing(wave(), brief), rules.control_power, carrier)
        flow: dict[str, float] = {SOURCE: to_stage, mains_input.KEY: to_stage}
        return Entry(States({SOURCE: cells}), flow, stands.mean, to_stage / stands.mean, stands.mean, draws=draws)

    def _stands(
        self, settled: SourceSettled, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
    ) -> SourceSettled:  # fmt: skip
        """The point with mains, diodes and bank marched under the swing that the bridge draws: what it then takes of the mains,
        the highest voltage that its switches meet, and what the bank's pulses leave in the output."""
        point, build, draws = settled.point, builds[mains_input.KEY], settled.draws
        assert draws is not None, "this route's own passes"
        line = line_for(brief, least_bank(settled.states, brief, rules))
        # between rounds of proposals nobody asks how far the load's swing moves the bank
        marched = draws if worksheet is not SILENT else replace(draws, swing=None)
        state = mains_input.assess(line, point.emf / math.sqrt(2), marched, build, shelf, rules, worksheet)
        taken = mains_source.Taken(state.drawn, state.line_rms, state.line_peak, state.socket, state.falls)
        cells = mains_source.drawn(point.emf, taken, brief, worksheet)
        top = max(state.top, mains_input.top_voltage(line, build, shelf))
        bridged = h_bridge.on_a_link(settled.states[h_bridge.KEY], top, worksheet)
        states = settled.states | {SOURCE: cells, mains_input.KEY: state, h_bridge.KEY: bridged}
        if output_filter.KEY in states and not state.falls:
            filtered = states[output_filter.KEY]
            bent = worksheet.work(
                "output_filter.from_the_mains", mains_book.rail_distortion, V_rms=state.swing, V_dc=state.mean
            )
            states[output_filter.KEY] = filtered.bent_by_its_rail(bent)
        power = draws.power + state.loss
        flow = {**settled.flow, SOURCE: power, mains_input.KEY: power}
        return replace(settled, states=states, flow=flow)

    def supply(
        self, settled: Mapping[str, SourceSettled], builds: Builds, brief: Brief, shelf: Shelf, rules: Rules
    ) -> Supply:  # fmt: skip
        """The mains with its diodes and its bank, from the nominal point."""
        now = settled["nominal"]
        at = self.operating(settled, builds, shelf) or self.stepped(settled, builds, shelf)
        assert now.draws is not None, "this route's own passes"
        assert at is not None, "a sine, or steps"
        volts, build = now.point.emf / math.sqrt(2), builds[mains_input.KEY]
        feed = RectifiedFeed.of(*mains_input.ahead(line_for(brief), volts, build, shelf))
        steady = now.draws.total + mains_input.bled(volts, build) - now.flow["load"]
        return Supply(feed, None, 0.0, math.inf, None, max(0.0, steady - at.resistance * line_current(now.states) ** 2))

    def _learnt(self, settled: Mapping[str, SourceSettled]) -> dict[str, Any]:
        """What the assessed design teaches of what lies before the bridge."""
        steady = [d for s in lasting(settled) if (d := s.draws)]
        most = max(steady, key=lambda d: d.power)
        entries = [s.states[mains_input.KEY] for s in settled.values()]
        full = max(s.point.emf for s in settled.values())
        return {
            "v_in": settled["nominal"].v_in,
            "before": FromMains(
                replace(most, carrier=max(d.carrier for d in steady)), settled["low"].states[mains_input.KEY].least
            ),
            "lift": Lift(max(0.0, *(e.top - full for e in entries))),
        }

    def _entrance(
        self, hints: Hints, own: dict[str, Fields], brief: Brief, shelf: Shelf, rules: Rules, noise: Noise | None
    ) -> dict[str, Build]:
        """Mains, and the rectifier with its bank."""
        asked = hints.before
        assert isinstance(asked, FromMains), "this route's own hints"
        entry = mains_proposal.propose(line_for(brief, asked.least), asked.draws, own["mains_input"], shelf, rules)
        return {"source": source_block.SourceBuild(), "mains_input": entry}

    def _likely(self, leads: FromLeads, brief: Brief, rules: Rules) -> FromMains:
        """What stands before the bridge, before anything is settled."""
        return FromMains(Draws(brief.power.continuous / LIKELY, control=rules.control_power), least_guessed(brief, rules))


class MainsSine(OnMains, DirectBridge):
    """A sine PWM bridge on the rectified mains, and its filter."""

    needed = (*DirectBridge.needed, "diode")

    def making(self, waveform: Waveform) -> Route:
        """The same for a wave: steps are settled otherwise than a sine."""
        return self if waveform == "sine" else STEPS

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the mains to the load; only a sine needs a filter."""
        behind = (stages.BRIDGE, stages.FILTER) if waveform == "sine" else (stages.BRIDGE,)
        return (stages.SOURCE, stages.MAINS_INPUT, *behind, stages.LOAD)


class MainsSteps(OnMains, DirectSteps):
    """A bridge that puts the rectified mains across the socket one way and the other."""

    needed = (*DirectSteps.needed, "diode")

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the mains to the load."""
        return stages.SOURCE, stages.MAINS_INPUT, stages.BRIDGE, stages.LOAD


STEPS = MainsSteps()


def _fallen(point: Point, to_stage: float) -> Leaves:
    """What stands in for a bank that falls: half the crest, behind what would halve it."""
    mean = max(V_FLOOR, 0.5) * point.emf
    return Leaves(mean, mean**2 / max(to_stage, 1.0))


def _swing(wave: Array, brief: Brief) -> Swing | None:
    """How what is drawn swings, beside the mains' own half periods; None where it hardly does."""
    if float(abs(wave - 1).max()) < STILL:
        return None
    return Swing(tuple(wave.round(DIGITS).tolist()), brief.output.frequency / mains_of(brief).frequency)
