"""A sine PWM bridge on the source itself, with iron behind it or with none: settled at a point, and as waveforms see it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from rhombos.core.blocks import h_bridge, input_stage, iron_transformer, load, output_filter
from rhombos.core.blocks.bridge_drive import KEY as BRIDGE_DRIVE
from rhombos.core.blocks.filter_march import Feed
from rhombos.core.blocks.input_filter import Noise
from rhombos.core.blocks.regulation import BAND
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.book import link as link_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import Point
from rhombos.core.frame.report import Operating
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes.base import HOTTEST, V_FLOOR, HintsT, StepWave, fallen
from rhombos.core.routes.driven import gate_loop
from rhombos.core.routes.on_source import MORE_RIPPLE, Guess, SourceRoute, SourceSettled
from rhombos.core.routes.passes import HOPELESS, SETTLED, foreseen
from rhombos.core.routes.supply import source_supply
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.pulsation import MOST_TERMS, STILL, BankRipple, open_share, over_a_swing, pulsation, taken
from rhombos.core.waves.rail import behind

YIELDS = 0.35
"""How far one pass follows a bridge at its limit: less drawn lifts the source, so that a full step would overshoot."""
SATURATED = 0.97
"""Modulation from which on it is the bridge, not the source, that limits an output."""
LEAST_OUTPUT, YIELD_STEP, YIELD_PASSES, YIELD_MEMORY = 0.1, 5e-4, 25, 3
"""Least output over the one asked that is looked for, how finely, passes for each try, and passes the next learns of."""


@dataclass(frozen=True, slots=True)
class Straight:
    """No winding between bridge and socket, in the words of one."""

    loss: float = 0.0
    primary_resistance: float = 0.0
    secondary_resistance: float = 0.0
    leakage: float = 0.0
    magnetising: float = 0.0
    ratio: float = 1.0
    temperature: float = 75.0


STRAIGHT = Straight()


class SineStage(SourceRoute[HintsT, SourceSettled]):
    """A bridge that makes a sine of the source's own voltage, its filter, and what follows."""

    hint_points = ("nominal", "low", "high")

    def _ratio(self, builds: Builds) -> float:
        """What a winding makes of the bridge's voltage."""
        return 1.0

    def _wound(
        self, across: float, rated: float, current: float, socket: float, g: Guess, builds: Builds, brief: Brief,
        shelf: Shelf, rules: Rules, worksheet: Worksheet,
    ) -> iron_transformer.IronState | None:  # fmt: skip
        """The winding with a voltage, V RMS, across its primary and a current, A RMS, through it; None where there is none."""
        return None

    def _pass(
        self, point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
    ) -> tuple[SourceSettled, Guess]:  # fmt: skip
        drain = load.assess(point, brief, SILENT, g.sag * brief.output.voltage)
        carrier, line = builds[h_bridge.KEY].carrier, brief.output.frequency
        ratio = self._ratio(builds)
        path = g.path_resistance + g.primary_resistance + g.secondary_resistance / ratio**2
        feed, works = self._feed(point, g, builds, brief, shelf, rules), g.works or g.v_in
        passed = open_share(line, feed.resistance, feed.inductance, feed.capacitance, MOST_TERMS)
        filtered = output_filter.assess(
            output_filter.FilterNeed(
                drain.voltage / ratio, line, drain.current * ratio, drain.power_factor, works, carrier,
                min(1.0, g.modulation), path, g.dead_volts, g.choke_celsius, ratio, g.leakage, drain.crest_power,
                g.magnetising, behind(feed.resistance, feed.capacitance, line, feed.inductance),
                Feed(works, feed.resistance, feed.inductance, feed.capacitance, 1 / ratio, g.magnetising) if g.march else None,
                g.flows),
            builds[output_filter.KEY], brief, shelf, rules, worksheet)  # fmt: skip
        flows = filtered.flows
        drain = load.assess(
            point, brief, worksheet, drain.voltage, seen=(flows.load[0] / ratio, flows.load[1] / ratio))  # fmt: skip
        bridged = h_bridge.assess(
            h_bridge.BridgeNeed(
                works, brief.source.volts[2], filtered.rms, filtered.power_factor, filtered.peak,
                filtered.ripple_rms, filtered.fundamental),
            builds[h_bridge.KEY], brief, shelf, rules, worksheet,
            gate_loop(builds[BRIDGE_DRIVE], builds[h_bridge.KEY].parallel, shelf))  # fmt: skip
        primary = math.hypot(filtered.rms, filtered.ripple_rms)
        across = (drain.voltage + filtered.line_current / ratio * g.secondary_resistance * filtered.power_factor) / ratio
        wound = self._wound(across, drain.rated / ratio, primary, drain.voltage, g, builds, brief, shelf, rules, worksheet)
        winding = wound or STRAIGHT
        to_transformer = drain.power + winding.loss
        to_filter = to_transformer + filtered.loss
        to_stage = to_filter + bridged.loss
        # power over mean current is not what the bridge's fundamental is made of
        drawn = tuple(d * g.v_in / works / to_stage for d in flows.demand)
        swing = STILL
        if drawn:  # the source takes back what a lagging load returns
            swing = pulsation(drawn, passed[: len(drawn)], blocks=False)
            worksheet.work(
                "source.passed", link_book.passed_open, f_line=line, R=feed.resistance, L=feed.inductance, C=feed.capacitance
            )
        ripple = 0.0
        if filtered.line_current > 0 and filtered.power_factor > 0:
            ripple = worksheet.work(
                "input_stage.ripple", link_book.link_switching_current, I_pk=math.sqrt(2) * filtered.line_current,
                M=min(1.0, bridged.modulation), cos_phi=min(1.0, filtered.power_factor))  # fmt: skip
        mean = to_stage / g.v_in
        slow = mean * taken(drawn, (1 + 0j,) * len(drawn), passed)
        rippling = BankRipple(MORE_RIPPLE * ripple, MORE_RIPPLE * mean, drawn, line, feed.resistance, feed.inductance)
        entry = self._enter(
            point, to_stage,
            input_stage.InputNeed(
                mean, 1.0, ripple, swing.mean_square, crest=swing.peak, slow=slow, returned=swing.returned,
                noise=Noise(2 * carrier, rms=ripple, constant=True)),
            lambda: over_a_swing(drawn), g, builds, brief, shelf, rules, worksheet)  # fmt: skip
        if entry.lift.returned > 0:
            bridged = h_bridge.on_a_link(bridged, brief.source.volts[2] + entry.lift.returned, worksheet)
        states = entry.states | {h_bridge.KEY: bridged, output_filter.KEY: filtered, load.KEY: drain}
        flow = {**entry.flow, "h_bridge": to_stage, "output_filter": to_filter,
                "load": drain.power}  # fmt: skip
        if wound:
            states[iron_transformer.KEY], flow["iron_transformer"] = wound, to_transformer
        else:  # what the bridge makes is what stands at the socket
            states[h_bridge.KEY] = replace(bridged, output=drain.voltage)
        # a bridge at its limit makes no more: the socket sags until it fits
        after = replace(
            g, flows=flows if g.march else None, v_in=entry.v_in,
            works=flows.made * max(V_FLOOR * point.emf, feed.emf - feed.resistance * entry.current),
            terminal=entry.terminal, to_stage=to_stage, primary_resistance=winding.primary_resistance,
            secondary_resistance=winding.secondary_resistance, path_resistance=2 * bridged.resistance,
            leakage=winding.leakage, lost=winding.loss + filtered.loss + bridged.loss, modulation=min(2.0, bridged.modulation),
            sag=min(1.0, max(0.1, g.sag / max(bridged.modulation, 1e-3) ** YIELDS)),
            magnetising=winding.magnetising / math.sqrt(2), dead_volts=bridged.dead_time_loss_volts,
            celsius=min(winding.temperature, HOTTEST),
            choke_celsius=min(filtered.temperature, HOTTEST))  # fmt: skip
        return SourceSettled(
            point, states, flow, g, 0.0, 0.0, 1.0, rippling=rippling, endings=entry.endings, draws=entry.draws
        ), after

    def _converge(
        self, point: Point, guess: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules,
        worksheet: Worksheet, tolerance: float,
    ) -> SourceSettled:  # fmt: skip
        """One point; for good, where loads draw at the crest, with what then flows in the whole circuit, marched."""
        near = super()._converge(point, guess, builds, brief, shelf, rules, worksheet, tolerance)
        pulses = worksheet is not SILENT and load.assess(point, brief, SILENT).crest_power > 0
        if not pulses or not near.converged or near.states[SOURCE].collapsed:
            return near
        marched = super()._converge(
            point, replace(near.guess, march=True), builds, brief, shelf, rules, worksheet, tolerance)  # fmt: skip
        return marched if marched.converged else near

    def _yielding(
        self, point: Point, guess: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules,
        worksheet: Worksheet, tolerance: float,
    ) -> SourceSettled | None:  # fmt: skip
        """A bridge at its limit on a source near its own: the most output at which the two agree, by halving the range;
        far below what is asked for long, the source cannot feed it."""

        def at(sag: float, g: Guess, book: Worksheet, step: float = YIELD_STEP) -> tuple[SourceSettled, Guess, bool]:
            past: list[tuple[Guess, Guess]] = []
            collapsed = 0
            for _ in range(YIELD_PASSES):
                made, after = self._pass(point, g, builds, brief, shelf, rules, book)
                after = replace(after, sag=sag)
                rests = after.moved(g, max(point.power, 0.1 * brief.power.continuous)) < SETTLED
                past = [*past[-YIELD_MEMORY:], (g, after)]
                g = foreseen(past)
                collapsed = collapsed + 1 if made.states[SOURCE].collapsed else 0
                if rests or collapsed > HOPELESS:
                    break
            fits = rests and made.states[h_bridge.KEY].modulation <= 1 + step and not made.states[SOURCE].collapsed
            return made, g, fits

        low, high = LEAST_OUTPUT, 1.0
        start = replace(guess, v_in=0.95 * point.emf, terminal=point.emf, lost=0.0, sag=low)
        made, known, fits = at(low, start, SILENT)
        if not fits:
            return None
        steady, beyond = point.power <= brief.power.continuous, point.total > made.states[SOURCE].capable
        finest = max(YIELD_STEP, tolerance) if not (steady and beyond) else BAND  # figures of such a point are left out
        while high - low > finest:
            middle = (low + high) / 2
            _, g, fits = at(middle, replace(known, sag=middle), SILENT)
            low, high, known = (middle, high, g) if fits else (low, middle, known)
        # what fitted by a hair comes to rest a hair beyond
        made, _, fits = at(low, replace(known, sag=low), worksheet, 2 * YIELD_STEP)
        if steady and low < 1 - BAND and (beyond or made.states[h_bridge.KEY].modulation < SATURATED):
            return fallen(made)  # the bridge has room, or no turns make up for it: it is the source that cannot
        return replace(made, converged=fits)

    def operating(self, settled: Mapping[str, SourceSettled], builds: Builds, shelf: Shelf) -> Operating:
        """The nominal point as the waveforms see it, everything referred to the socket."""
        now = settled["nominal"]
        states = now.states
        filtered, drain, wound = states[output_filter.KEY], states[load.KEY], states.get(iron_transformer.KEY) or STRAIGHT
        ratio, v_link = wound.ratio, now.guess.works
        far = ratio**2
        resistance = filtered.resistance + 2 * states[h_bridge.KEY].resistance + wound.primary_resistance
        return Operating(
            index=min(1.0, filtered.fundamental / v_link), v_link=v_link * ratio, carrier=builds[h_bridge.KEY].carrier,
            line=drain.frequency, inductance=(builds[output_filter.KEY].inductance + wound.leakage) * far,
            resistance=resistance * far + wound.secondary_resistance,
            capacitance=output_filter.capacitance(builds[output_filter.KEY], shelf), load_resistance=drain.resistance,
            load_inductance=drain.inductance, ratio=ratio, dead_time=builds[h_bridge.KEY].dead_time,
            lag=filtered.lag,
            magnetising=drain.voltage * ratio / (2 * math.pi * drain.frequency * now.guess.magnetising)
            if now.guess.magnetising > 0 else 0.0)  # fmt: skip

    def supply(
        self, settled: Mapping[str, SourceSettled], builds: Builds, brief: Brief, shelf: Shelf, rules: Rules
    ) -> Supply:  # fmt: skip
        """The source with its bank, as the socket sees them."""
        return source_supply(settled, self.operating(settled, builds, shelf), builds, brief, shelf, rules)

    def steps(self, settled: Mapping[str, SourceSettled], builds: Builds) -> StepWave:
        """A sine has no steps."""
        raise ValueError("this route makes a sine")
