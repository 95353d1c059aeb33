"""A push-pull or bridge that feeds a high-frequency socket straight from its transformer: no link, no loop, a fixed duty."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import ClassVar

from rhombos.core.blocks import (
    front_end,
    hf_output,
    hf_socket,
    input_bank,
    input_proposal,
    input_stage,
    load,
    protection,
    source,
    transformer,
)  # fmt: skip
from rhombos.core.blocks.base import Build
from rhombos.core.blocks.front_drive import KEY as FRONT_DRIVE
from rhombos.core.blocks.input_filter import Noise
from rhombos.core.book import high_frequency as book
from rhombos.core.book import loads
from rhombos.core.book import stage as stage_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import HfOutput, Waveform
from rhombos.core.design.pins import Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import STEADY, Point
from rhombos.core.frame.report import Stepped
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.stage import Stage
from rhombos.core.frame.topology import TOPOLOGIES, TopologyName
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.magnetics.transformer import TransformerNeed
from rhombos.core.parts import Shelf
from rhombos.core.routes import stages
from rhombos.core.routes.base import HOTTEST, V_FLOOR, StepWave
from rhombos.core.routes.converge import LinkSettled
from rhombos.core.routes.driven import front_drive_of, gate_loop
from rhombos.core.routes.entry import enter
from rhombos.core.routes.on_source import Guess, SourceSettled
from rhombos.core.routes.reach import leak_cost, steady_frequency, tapped_frequency
from rhombos.core.routes.step_stage import StepStage
from rhombos.core.routes.supply import LEAST_PATH, source_supply
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.pulsation import STILL, Pulsation
from rhombos.core.waves.stepped import Fed, step_flow, step_form, turned_about

LIKELY = 0.88
"""First guess of what reaches the socket, of voltage and of power."""
LEAST_TURN, MOST_TURN = 0.6, 1.3
"""How far a turns ratio moves from one round to the next."""
CLOSE = 0.1
"""From where on a ratio goes half the way from round to round."""
NEAR = 0.025
"""How far the turns may lie from the ratio wanted, as a share: nothing regulates."""
NEAREST = 5
"""Digits of a power factor that currents are told apart by."""


@dataclass(frozen=True, kw_only=True)
class HfSettled(SourceSettled):
    """A settled point; `winding` is what the transformer was judged at, `v_half` the voltage across a half of it, V."""

    winding: transformer.WorkingPoint
    v_half: float
    drawn: ClassVar[Pulsation] = STILL
    """Nothing swings at twice a line."""
    near: ClassVar[float] = NEAR


def wound_at(settled: Settled) -> LinkSettled | HfSettled:
    """A point of a route with a high-frequency transformer as what it is. Raises: TypeError for any other."""
    if isinstance(settled, LinkSettled | HfSettled):
        return settled
    raise TypeError("this route has no high-frequency transformer")


@dataclass(frozen=True)
class Hints:
    """What proposals need to know of the rest before it is assessed: secondary over primary turns; at the points, volts at the
    stage, pulses and what is turned off, A; RMS over mean of the pulses; the secondary's, A; what the source gives, A."""

    ratio: float
    v_in: Mapping[str, float]
    pulse: Mapping[str, float]
    turn_off: Mapping[str, float]
    form: float
    secondary: float
    source_current: float


class HfStage(StepStage[Hints, HfSettled]):
    """A square wave with gaps across a winding, and what its secondary makes of it straight to the socket."""

    waveforms: tuple[Waveform, ...] = ("HF",)
    needed = ("mosfet", "core", "grade", "wire", "capacitor", "resistor", "fuse", "heat_sink")

    def __init__(self, key: str, topology: TopologyName) -> None:
        self.key: str = key
        self.topology = TOPOLOGIES[topology]
        self.title = f"{topology.capitalize()}, HF socket"
        self.front_end = replace(stages.FRONT_END, title=topology.capitalize(), shorted=stages.short_of_hf)

    def titled(self, waveform: Waveform) -> str:
        """It makes one wave only."""
        return self.title

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load."""
        return stages.SOURCE, stages.INPUT, self.front_end, stages.UNREGULATED, stages.HF_OUTPUT, stages.LOAD

    def auxiliary(self, waveform: Waveform) -> tuple[Stage, ...]:
        """The stage's gate drives, beside the path."""
        return (stages.FRONT_DRIVE,)

    def first_hints(self, brief: Brief, pins: Pins, rules: Rules) -> Hints:
        """A designer's first guess: a tenth lost on the way."""
        empty, _, full = brief.source.volts
        share, drive = 2 * rules.duty_limit, self.topology.drive
        volts = LIKELY * math.sqrt(share) * drive * math.sqrt(empty * full)
        v_in = {"nominal": brief.source.volts[1], "low": empty, "high": full, "surge_high": full}
        asked = {k: brief.power.surge if k == "surge_high" else brief.power.continuous for k in v_in}
        pulse = {k: asked[k] * v / empty / (LIKELY * drive * v * share) for k, v in v_in.items()}
        current = brief.power.continuous / brief.output.voltage
        return Hints(
            brief.output.voltage / volts, v_in, pulse, {k: 1.1 * p for k, p in pulse.items()}, 1.0, current / math.sqrt(share),
            brief.power.continuous / LIKELY / empty)  # fmt: skip

    def next_hints(self, settled: Mapping[str, HfSettled], before: Hints | None = None) -> Hints:
        """What the assessed design teaches the next round: the voltage as far above what is asked on the highest input as below
        it on the lowest."""
        now = settled["nominal"]
        both = (settled[k].states[load.KEY].voltage for k in ("low", "high"))
        middle = math.sqrt(math.prod(both)) / now.states[load.KEY].rated
        hottest = max((settled[k] for k in STEADY), key=lambda s: s.pulse * s.form)
        turned = 1.0 if settled["low"].states[source.KEY].collapsed else min(MOST_TURN, max(LEAST_TURN, 1 / middle))
        ratio = now.states[transformer.KEY].ratio * turned
        if before and abs(ratio / before.ratio - 1) < CLOSE:  # two cores whose leakage asks for either's turns would take turns
            ratio = math.sqrt(ratio * before.ratio)
        return Hints(
            ratio, {k: settled[k].v_in for k in self.hint_points},
            {k: settled[k].pulse for k in self.hint_points}, {k: settled[k].turn_off for k in self.hint_points},
            hottest.form, hottest.winding.secondary_pulse, max(settled[k].states[source.KEY].rms for k in STEADY))  # fmt: skip

    def propose(self, brief: Brief, hints: Hints, pins: Pins, shelf: Shelf, rules: Rules) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        topology, output = self.topology, asked_of(brief)
        empty, _, full = brief.source.volts
        own["front_end"]["topology"] = topology.name
        own["transformer"] |= {"halves": topology.halves, "secondary_halves": 1}
        own["input_stage"]["banks"] = input_bank.banks_for(full, topology.banks, shelf, rules)
        leads, duty = rules.lead_inductance + front_end.LIKELY_PACKAGE, rules.duty_limit
        asked = brief.power.continuous, topology.drive * empty, leads
        chosen = tapped_frequency(output.frequency, steady_frequency(*asked), *asked)
        frequency = float(own["front_end"].setdefault("frequency", chosen))
        hottest = max(STEADY, key=lambda k: hints.pulse[k])
        winding = transformer.propose(
            TransformerNeed(
                v_max=topology.drive * full, d_max=duty, v_work=topology.drive * hints.v_in[hottest], d_work=duty,
                ratio=hints.ratio, primary_pulse=hints.form * hints.pulse[hottest],
                secondary_pulse=hints.form * hints.secondary, frequency=frequency,
                air=brief.targets.ambient + rules.enclosure_rise, halves=topology.halves, near=NEAR,
                leak_cost=0.0 if topology.clamped else leak_cost(hints.turn_off[hottest], frequency)),
            own["transformer"], shelf, rules)  # fmt: skip
        leakage = transformer.leakage(winding, shelf) + leads
        steady, charging, hardest = (
            front_end.FrontEndNeed(hints.v_in[k], duty, hints.pulse[k], hints.turn_off[k], leakage, hints.form)
            for k in (hottest, "high", "surge_high")
        )
        switching = front_end.propose(steady, charging, hardest, full, brief, own["front_end"], shelf, rules)
        flows = hints.source_current
        ripple = flows * math.sqrt(max(0.0, hints.form**2 / (2 * duty / topology.banks) - 1))
        delay = float(pins.get("protection", {}).get("short_delay", protection.DELAY))
        path = stages.hf_short_path(0.0, topology, switching, winding, brief, shelf, rules)
        trip = stages.TRIP_ROUNDED * rules.trip_factor * max(hints.turn_off.values())
        return {
            "source": source.SourceBuild(),
            "input_stage": input_proposal.propose(
                brief, flows, ripple, own["input_stage"], shelf, rules, 0.0, 1.0,
                Noise(2 * frequency, 2 * duty)),
            "front_end": switching,
            "front_drive": front_drive_of(switching, full, duty, brief, own["front_drive"], shelf, rules),
            "transformer": winding,
            hf_output.KEY: hf_output.propose(path.slowing_coil(trip, delay), own[hf_output.KEY]),
            "load": load.LoadBuild(),
        }  # fmt: skip

    def _pass(
        self, point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
    ) -> tuple[HfSettled, Guess]:  # fmt: skip
        topology, output, duty = self.topology, asked_of(brief), rules.duty_limit
        stage, build = builds[front_end.KEY], builds[transformer.KEY]
        share, ratio, hertz = 2 * duty, build.ratio, stage.frequency
        leakage = transformer.leakage(build, shelf) + front_end.lead_inductance(stage, shelf, rules)
        wanted = hf_socket.load_of(output, point.power, worksheet)
        lead = hf_socket.cord_of(output) + builds[hf_output.KEY].coil
        behind = ratio**2 * (g.primary_resistance + g.path_resistance) + g.secondary_resistance
        whole = min(hf_socket.OPEN, wanted + behind)
        factor = round(book.power_factor.work({"R_L": whole, "f": hertz, "L": lead + ratio**2 * leakage}), NEAREST)
        flow = step_flow(share, factor, True)
        stands = min(1.0, share + turned_about(share, factor))
        open_volts = ratio * topology.drive * max(V_FLOOR * point.emf, g.v_in)
        current = worksheet.work(
            f"{hf_output.KEY}.current", book.driven_current, V_pk=open_volts, k_lag=flow.lag, D_tot=stands,
            R_L=whole)  # fmt: skip
        volts = worksheet.work(f"{hf_output.KEY}.voltage", book.across, I_rms=current, R_L=wanted)
        power = loads.step_resistance.invert("P", {"k_lag": 1.0, "V_rms": volts, "R_L": wanted}) if point.power > 0 else 0.0
        formed = step_form(share, factor, True, 0.0).beside(g.shaped)
        pulse = worksheet.work(
            "front_end.pulse", stage_book.pulse_current, P=power + g.lost, V=topology.drive * g.v_in, D_tot=share)  # fmt: skip
        v_half = max(V_FLOOR * point.emf * topology.drive, topology.drive * g.v_in - pulse * (
            g.primary_resistance + g.path_resistance))  # fmt: skip
        winding = transformer.WorkingPoint(
            v_half, duty, pulse, current / (formed.form * math.sqrt(share)), hertz, topology.drive * brief.source.volts[2],
            duty, g.celsius, formed.form, False, leakage)  # fmt: skip
        wound = transformer.assess(winding, build, brief, shelf, rules, worksheet)
        turn_off = formed.peak * pulse + wound.magnetising_together / 2
        switched = front_end.assess(
            front_end.FrontEndNeed(g.v_in, duty, pulse, turn_off, leakage, formed.form), stage, brief, shelf, rules, worksheet,
            gate_loop(builds[FRONT_DRIVE], stage.parallel, shelf))  # fmt: skip
        to_transformer = power + wound.loss
        to_stage = to_transformer + switched.loss
        # leads keep the carrier's ripple out of the source: the bank carries all of it
        entry = enter(
            point, to_stage, input_stage.InputNeed(
                to_stage / g.v_in, share / topology.banks, form=formed.form, noise=Noise(2 * hertz, share)),
            g.v_in, g.terminal, builds, brief, shelf, rules, worksheet)  # fmt: skip
        lagging = book.power_factor.work({"R_L": wanted, "f": hertz, "L": lead})
        drain = load.assess(
            replace(point, power_factor=lagging), brief, worksheet, volts,
            Fed(share, True, factor, wanted if point.power > 0 else None), hertz=hertz)  # fmt: skip
        height = open_volts - behind * current / math.sqrt(share)
        given = hf_output.HfOutputState(volts, height, current, flow.peak * current, power, lagging, share)
        states = entry.states | {
            front_end.KEY: switched, transformer.KEY: wound, hf_output.KEY: given, load.KEY: drain
        }  # fmt: skip
        passed = {**entry.flow, "front_end": to_stage, "transformer": to_transformer,
                  hf_output.KEY: power, "load": power}  # fmt: skip
        most = 2 * max(point.power, 0.1 * brief.power.continuous)
        after = Guess(
            v_in=entry.v_in, terminal=entry.terminal, pulse=min(pulse, 3 * most / (V_FLOOR * point.emf * topology.drive)),
            primary_resistance=wound.primary_together, secondary_resistance=wound.secondary_together,
            path_resistance=topology.series * switched.on_resistance / stage.parallel,
            lost=min(wound.loss + switched.loss - switched.clamp_loss - switched.gate, most),
            celsius=min(wound.temperature, HOTTEST),
            shaped=min(1.0, (power + wound.copper + switched.conduction) / to_stage))  # fmt: skip
        return HfSettled(
            point, states, passed, g, pulse, turn_off, share, v_half / g.v_in, formed.form, formed.stands, winding=winding,
            v_half=v_half, endings=entry.endings), after  # fmt: skip

    def stepped(self, settled: Mapping[str, HfSettled], builds: Builds, shelf: Shelf) -> Stepped:
        """The nominal point as the scope sees it, everything referred to the socket."""
        now = settled["nominal"]
        drain, g, stage = now.states[load.KEY], now.guess, builds[front_end.KEY]
        ratio, leakage = now.states[transformer.KEY].ratio, now.winding.leakage
        volts = ratio * self.topology.drive * g.v_in
        return Stepped(
            v_link=volts, level=volts, fraction=now.share, line=stage.frequency,
            resistance=max(
                LEAST_PATH, ratio**2 * (g.primary_resistance + g.path_resistance) + g.secondary_resistance),
            inductance=ratio**2 * leakage, load_resistance=drain.resistance, load_inductance=drain.inductance,
            ratio=ratio * self.topology.drive, lets_go=True)  # fmt: skip

    def supply(
        self, settled: Mapping[str, HfSettled], builds: Builds, brief: Brief, shelf: Shelf, rules: Rules
    ) -> Supply:  # fmt: skip
        """The source with its leads and its bank, as the socket sees them."""
        return source_supply(settled, self.stepped(settled, builds, shelf), builds, brief, shelf, rules, leads=True)

    def steps(self, settled: Mapping[str, HfSettled], builds: Builds) -> StepWave:
        """Its pulses, and how long diodes turn them about."""
        now = settled["nominal"]
        return StepWave(now.share, now.states[hf_output.KEY].peak, now.stands - now.share)


def asked_of(brief: Brief) -> HfOutput:
    """The high-frequency socket that is asked first."""
    assert isinstance(brief.output, HfOutput), "nothing else comes this way"
    return brief.output
