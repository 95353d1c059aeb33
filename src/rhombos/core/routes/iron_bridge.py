"""A sine PWM bridge on the source with an iron transformer behind it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from types import ModuleType
from typing import Any

from rhombos.core.blocks import (
    bridge_drive,
    gate_drive,
    h_bridge,
    input_stage,
    iron_transformer,
    load,
    output_filter,
    source,
)  # fmt: skip
from rhombos.core.blocks.base import Build
from rhombos.core.blocks.filter_march import Feed
from rhombos.core.blocks.regulation import BAND
from rhombos.core.book import filters
from rhombos.core.book import link as link_book
from rhombos.core.book import magnetics as magnetics_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.rules import Rules
from rhombos.core.frame.ledger import SILENT, Ledger
from rhombos.core.frame.points import STEADY, Point, operating_points
from rhombos.core.frame.report import Operating
from rhombos.core.frame.topology import RouteName
from rhombos.core.magnetics.iron import IronNeed
from rhombos.core.parts import Shelf
from rhombos.core.routes.base import HOTTEST, V_FLOOR, StepWave, fallen
from rhombos.core.routes.driven import drive_need, drive_of, gate_loop
from rhombos.core.routes.iron import MORE_RIPPLE, Guess, HardestRipple, Hints, IronRoute, IronSettled
from rhombos.core.routes.passes import HOPELESS, SETTLED, foreseen
from rhombos.core.routes.supply import source_of, source_supply
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.pulsation import MOST_TERMS, STILL, BankRipple, open_share, pulsation, taken
from rhombos.core.waves.rail import behind

MODULATION_RESERVE = 0.985
"""Part of the modulation limit that the proposed turns ratio uses; the rest absorbs what the next round changes."""
YIELDS = 0.35
"""How far one pass follows a bridge at its limit: less drawn lifts the source, so that a full step would overshoot."""
SATURATED = 0.97
"""Modulation from which on it is the bridge, not the source, that limits an output."""
LEAST_OUTPUT, YIELD_STEP, YIELD_PASSES, YIELD_MEMORY = 0.1, 5e-4, 25, 3
"""Least output over the one asked that is looked for, how finely, passes for each try, and passes the next learns of."""
OVER = 1.1
"""Output that the iron of a regulated route must stand, over the one asked."""


def operating_peak(brief: Brief) -> float:
    """Peak of the load's current at full power, A."""
    return load.assess(operating_points(brief)["nominal"], brief, SILENT).peak_current


class IronBridge(IronRoute):
    """A sine PWM bridge on the source, a choke that keeps the carrier out of the iron, a capacitor on the high side."""

    key: RouteName = "iron bridge"
    title = "H-bridge with sine PWM, iron transformer"
    waveforms: tuple[Waveform, ...] = ("sine",)
    hint_points = ("nominal", "low", "high")
    needed = ("mosfet", "iron_core", "core", "grade", "wire", "capacitor", "fuse", "heat_sink")
    builds: Mapping[str, type[Build]] = {
        "source": source.SourceBuild, "input_stage": input_stage.InputStageBuild, "h_bridge": h_bridge.HBridgeBuild,
        "bridge_drive": gate_drive.GateDriveBuild,
        "output_filter": output_filter.OutputFilterBuild, "iron_transformer": iron_transformer.IronTransformerBuild,
        "load": load.LoadBuild,
    }  # fmt: skip

    def blocks(self, waveform: Waveform) -> tuple[ModuleType, ...]:
        """From the source to the load."""
        return source, input_stage, h_bridge, output_filter, iron_transformer, load

    def asides(self, waveform: Waveform) -> tuple[ModuleType, ...]:
        """The bridge's gate drive, beside the path."""
        return (bridge_drive,)

    def settle_all(
        self, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, *,
        ledgers: Mapping[str, Ledger] | None = None, keys: tuple[str, ...] = (), start: Mapping[str, Any] | None = None,
        tolerance: float = SETTLED, points: Mapping[str, Point] | None = None,
    ) -> dict[str, Any]:  # fmt: skip
        """Every operating point, or those asked for, with what the gates then meet."""
        found = super().settle_all(
            builds, brief, shelf, rules, ledgers=ledgers, keys=keys, start=start, tolerance=tolerance,
            points=points)  # fmt: skip
        if ledgers is None:
            return found
        return {key: replace(s, states={**s.states, "bridge_drive": gate_drive.assess(
            drive_need(s, builds, brief), builds["bridge_drive"], brief, shelf, rules, ledgers[key])})
                for key, s in found.items()}  # fmt: skip

    def first_hints(self, brief: Brief, pins: Mapping[str, Mapping[str, Any]], rules: Rules) -> Hints:
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

    def next_hints(self, settled: Mapping[str, Any], before: Hints | None = None) -> Hints:
        """What the assessed design teaches the next round."""
        flat = settled["low"]
        wound: iron_transformer.IronState = flat.states["iron_transformer"]
        bridged, filtered = flat.states["h_bridge"], flat.states["output_filter"]
        nothing = dict.fromkeys(self.hint_points, 0.0)
        limit = MODULATION_RESERVE * 0.95
        # what the bridge could not give more turns may give; what the source could not, nothing
        lacks = flat.guess.sag if bridged.modulation > SATURATED else 1.0
        return Hints(
            wound.ratio * (1.0 if flat.states["source"].collapsed else min(1.3, max(0.6,
                bridged.modulation / lacks / limit))), {k: settled[k].guess.v_in for k in self.hint_points},
            nothing, nothing, nothing, wound.primary_rms, wound.secondary_rms, flat.states["input_stage"].fuse_load,
            wound.leakage, flat.guess.path_resistance, bridged.dead_time_loss_volts, filtered.fundamental,
            0.0, filtered.rms, max(settled[k].states["output_filter"].peak for k in STEADY),
            rippling=HardestRipple(tuple(settled[k].rippling for k in STEADY)))  # fmt: skip

    def propose(
        self, brief: Brief, hints: Hints, pins: Mapping[str, dict[str, Any]], shelf: Shelf, rules: Rules
    ) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        own["iron_transformer"]["halves"], own["input_stage"]["banks"] = 1, 1
        line, full = brief.output.frequency, brief.source.volts[2]
        asked = load.assess(operating_points(brief)["nominal"], brief, SILENT)
        linkage = magnetics_book.sine_linkage.work({"V_rms": brief.output.voltage / hints.ratio, "f_line": line})
        transformer = iron_transformer.propose(
            IronNeed(OVER * linkage, linkage, hints.ratio, hints.primary_rms, hints.secondary_rms, line,
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
                hints.v_in["nominal"], full, hints.line_current, asked.power_factor,
                1.02 * max(math.sqrt(2) * hints.line_current + ripple / 2, hints.peak), ripple / math.sqrt(24),
                    hints.fundamental),
            brief, own["h_bridge"], shelf, rules)  # fmt: skip
        drive, bridge = drive_of(bridge, full, rules.modulation_limit, brief, own, shelf, rules)
        return {
            "source": source.SourceBuild(),
            "input_stage": input_stage.propose(
                brief, hints.source_current, hints.rippling or hints.ripple, own["input_stage"], shelf, rules, 0.0, 1.3),
            "h_bridge": bridge, "bridge_drive": drive, "output_filter": filtering, "iron_transformer": transformer,
            "load": load.LoadBuild(),
        }  # fmt: skip

    def _pass(
        self, point: Point, g: Guess, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
    ) -> tuple[IronSettled, Guess]:  # fmt: skip
        drain = load.assess(point, brief, SILENT, g.sag * brief.output.voltage)
        carrier, line = builds["h_bridge"].carrier, brief.output.frequency
        ratio = builds["iron_transformer"].secondary_turns / builds["iron_transformer"].primary_turns
        path = g.path_resistance + g.primary_resistance + g.secondary_resistance / ratio**2
        feed, works = source_of(point.emf, builds, brief, shelf, rules), g.works or g.v_in
        passed = open_share(line, feed.resistance, feed.inductance, feed.capacitance, MOST_TERMS)
        filtered = output_filter.assess(
            output_filter.FilterNeed(
                drain.voltage / ratio, line, drain.current * ratio, drain.power_factor, works, carrier,
                min(1.0, g.modulation), path, g.dead_volts, g.choke_celsius, ratio, g.leakage, drain.crest_power,
                g.magnetising, behind(feed.resistance, feed.capacitance, line, feed.inductance),
                Feed(works, feed.resistance, feed.inductance, feed.capacitance, 1 / ratio, g.magnetising) if g.march else None,
                g.flows),
            builds["output_filter"], brief, shelf, rules, ledger)  # fmt: skip
        flows = filtered.flows
        drain = load.assess(
            point, brief, ledger, drain.voltage, seen=(flows.load[0] / ratio, flows.load[1] / ratio))  # fmt: skip
        bridged = h_bridge.assess(
            h_bridge.BridgeNeed(
                works, brief.source.volts[2], filtered.rms, filtered.power_factor, filtered.peak,
                filtered.ripple_rms, filtered.fundamental),
            builds["h_bridge"], brief, shelf, rules, ledger,
            gate_loop(builds["bridge_drive"], builds["h_bridge"].parallel, shelf))  # fmt: skip
        primary = math.hypot(filtered.rms, filtered.ripple_rms)
        across = (drain.voltage + filtered.line_current / ratio * g.secondary_resistance * filtered.power_factor) / ratio
        wound = iron_transformer.assess(
            iron_transformer.IronPoint(
                across, OVER * drain.rated / ratio, 0.0, 0.0, primary, primary / ratio, drain.voltage, line, g.celsius),
            builds["iron_transformer"], brief, shelf, rules, ledger)  # fmt: skip
        to_transformer = drain.power + wound.loss
        to_filter = to_transformer + filtered.loss
        to_stage = to_filter + bridged.loss
        # power over mean current is not what the bridge's fundamental is made of
        drawn = tuple(d * g.v_in / works / to_stage for d in flows.demand)
        swing = STILL
        if drawn:  # the source takes back what a lagging load returns
            swing = pulsation(drawn, passed[: len(drawn)], blocks=False)
            ledger.work(
                "source.passed", link_book.passed_open, f_line=line, R=feed.resistance, L=feed.inductance, C=feed.capacitance
            )
        ripple = 0.0
        if filtered.line_current > 0 and filtered.power_factor > 0:
            ripple = ledger.work(
                "input_stage.ripple", link_book.link_switching_current, I_pk=math.sqrt(2) * filtered.line_current,
                M=min(1.0, bridged.modulation), cos_phi=min(1.0, filtered.power_factor))  # fmt: skip
        mean = to_stage / g.v_in
        slow = mean * taken(drawn, (1 + 0j,) * len(drawn), passed)
        rippling = BankRipple(MORE_RIPPLE * ripple, MORE_RIPPLE * mean, drawn, line, feed.resistance, feed.inductance)
        entry, cells, v_in = self._source(
            point, to_stage,
            input_stage.InputNeed(mean, 1.0, ripple, swing.mean_square, crest=swing.peak, slow=slow), g,
            builds, brief, shelf, rules, ledger)  # fmt: skip
        from_source = to_stage + entry.loss
        states = {"source": cells, "input_stage": entry, "h_bridge": bridged, "output_filter": filtered,
                  "iron_transformer": wound, "load": drain}  # fmt: skip
        flow = {"source": from_source, "input_stage": from_source, "h_bridge": to_stage, "output_filter": to_filter,
                "iron_transformer": to_transformer, "load": drain.power}  # fmt: skip
        # a bridge at its limit makes no more: the socket sags until it fits
        after = replace(
            g, flows=flows if g.march else None, v_in=v_in,
            works=flows.made * max(V_FLOOR * point.emf, point.emf - feed.resistance * cells.current),
            terminal=cells.terminal, primary_resistance=wound.primary_resistance,
            secondary_resistance=wound.secondary_resistance, path_resistance=2 * bridged.resistance, leakage=wound.leakage,
            lost=wound.loss + filtered.loss + bridged.loss, modulation=min(2.0, bridged.modulation),
            sag=min(1.0, max(0.1, g.sag / max(bridged.modulation, 1e-3) ** YIELDS)),
            magnetising=wound.magnetising / math.sqrt(2), dead_volts=bridged.dead_time_loss_volts,
                celsius=min(wound.temperature, HOTTEST),
            choke_celsius=min(filtered.temperature, HOTTEST))  # fmt: skip
        return IronSettled(point, states, flow, g, 0.0, 0.0, 1.0, rippling=rippling), after

    def _settle(
        self, point: Point, guess: Guess, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger,
        tolerance: float,
    ) -> IronSettled:  # fmt: skip
        """One point; for good, where loads draw at the crest, with what then flows in the whole circuit, marched."""
        near = super()._settle(point, guess, builds, brief, shelf, rules, ledger, tolerance)
        pulses = ledger is not SILENT and load.assess(point, brief, SILENT).crest_power > 0
        if not pulses or not near.converged or near.states["source"].collapsed or near.guess.sag < 1:
            return near
        marched = super()._settle(
            point, replace(near.guess, march=True), builds, brief, shelf, rules, ledger, tolerance)  # fmt: skip
        return marched if marched.converged else near

    def _yielding(
        self, point: Point, guess: Guess, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger,
        tolerance: float,
    ) -> IronSettled | None:  # fmt: skip
        """A bridge at its limit on a source near its own: the most output at which the two agree, by halving the range;
        far below what is asked for long, the source cannot feed it."""

        def at(sag: float, g: Guess, book: Ledger, step: float = YIELD_STEP) -> tuple[IronSettled, Guess, bool]:
            past: list[tuple[Guess, Guess]] = []
            collapsed = 0
            for _ in range(YIELD_PASSES):
                made, after = self._pass(point, g, builds, brief, shelf, rules, book)
                after = replace(after, sag=sag)
                rests = after.moved(g, max(point.power, 0.1 * brief.power.continuous)) < SETTLED
                past = [*past[-YIELD_MEMORY:], (g, after)]
                g = foreseen(past)
                collapsed = collapsed + 1 if made.states["source"].collapsed else 0
                if rests or collapsed > HOPELESS:
                    break
            fits = rests and made.states["h_bridge"].modulation <= 1 + step and not made.states["source"].collapsed
            return made, g, fits

        low, high = LEAST_OUTPUT, 1.0
        start = replace(guess, v_in=0.95 * point.emf, terminal=point.emf, lost=0.0, sag=low)
        _, known, fits = at(low, start, SILENT)
        if not fits:
            return None
        while high - low > max(YIELD_STEP, tolerance):
            middle = (low + high) / 2
            _, g, fits = at(middle, replace(known, sag=middle), SILENT)
            low, high, known = (middle, high, g) if fits else (low, middle, known)
        # what fitted by a hair comes to rest a hair beyond
        made, _, fits = at(low, replace(known, sag=low), ledger, 2 * YIELD_STEP)
        steady = point.power <= brief.power.continuous
        if steady and low < 1 - BAND and made.states["h_bridge"].modulation < SATURATED:
            return fallen(made)  # the bridge has room; it is the source that cannot
        return replace(made, converged=fits)

    def operating(self, settled: Mapping[str, Any], builds: Mapping[str, Any], shelf: Shelf) -> Operating:
        """The nominal point as the waveforms see it, everything referred to the socket."""
        now = settled["nominal"]
        states = now.states
        filtered, drain, wound = states["output_filter"], states["load"], states["iron_transformer"]
        ratio, v_link = wound.ratio, now.guess.works
        far = ratio**2
        resistance = filtered.resistance + 2 * states["h_bridge"].resistance + wound.primary_resistance
        return Operating(
            index=min(1.0, filtered.fundamental / v_link), v_link=v_link * ratio, carrier=builds["h_bridge"].carrier,
            line=drain.frequency, inductance=(builds["output_filter"].inductance + wound.leakage) * far,
            resistance=resistance * far + wound.secondary_resistance,
            capacitance=output_filter.capacitance(builds["output_filter"], shelf), load_resistance=drain.resistance,
            load_inductance=drain.inductance, ratio=ratio, dead_time=builds["h_bridge"].dead_time,
            lag=filtered.lag,
            magnetising=drain.voltage * ratio / (2 * math.pi * drain.frequency * now.guess.magnetising)
            if now.guess.magnetising > 0 else 0.0)  # fmt: skip

    def supply(
        self, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules
    ) -> Supply:  # fmt: skip
        """The source with its bank, as the socket sees them."""
        return source_supply(settled, self.operating(settled, builds, shelf), builds, brief, shelf, rules)

    def steps(self, settled: Mapping[str, Any], builds: Mapping[str, Any]) -> StepWave:
        """A sine has no steps."""
        raise ValueError("this route makes a sine")
