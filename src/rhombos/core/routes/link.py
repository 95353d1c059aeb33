"""A high-frequency front end → ferrite transformer → fast rectifier and DC link → H-bridge, with a filter for a sine."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from rhombos.core.blocks import (
    controller,
    front_end,
    hf_socket,
    input_bank,
    input_proposal,
    load,
    output_filter,
    protection,
    rectifier,
    source,
    transformer,
)
from rhombos.core.blocks.base import Build
from rhombos.core.blocks.dc_link import KEY as DC_LINK
from rhombos.core.blocks.h_bridge import KEY as H_BRIDGE
from rhombos.core.blocks.input_filter import Noise
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.pins import Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import LASTING, Point, operating_points
from rhombos.core.frame.report import Operating, Stepped
from rhombos.core.frame.stage import Stage
from rhombos.core.frame.topology import TOPOLOGIES, TopologyName
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.transformer import TransformerNeed
from rhombos.core.parts import Shelf
from rhombos.core.routes import converge, ending, stages
from rhombos.core.routes.auxiliary import controller as auxiliary_controller
from rhombos.core.routes.base import Route, RouteOf, StepWave
from rhombos.core.routes.converge import LinkSettled
from rhombos.core.routes.driven import drives, front_drive_of
from rhombos.core.routes.hf_stage import HfStage
from rhombos.core.routes.hints import Hints, fraction_of, held, learnt, rectifying_of, secondary_pulse, stirred, tapped_at
from rhombos.core.routes.passes import SETTLED
from rhombos.core.routes.reach import damped_frequency, leak_cost, steady_frequency, tapped_frequency, turns_ratio
from rhombos.core.routes.supply import WIRING, link_supply, seen_direct
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.pulsation import STILL

CLOSE_ENOUGH = 1e-3
"""How closely a point is settled that only the controller's trip asks for."""


def _first_tapped(low: float, high: float, duty: Mapping[str, float] | None) -> tuple[float, float]:
    """What all turns of a secondary give a socket beside a link, V RMS: the link itself, or with a choke as much more as its
    pulses are shorter than the period."""
    if duty is None:
        return low, high
    return low / math.sqrt(2 * duty["low"]), low / math.sqrt(2 * duty["high"])


def _loudest(hints: Hints, frequency: float, held: bool) -> Noise:
    """The pulses, at a steady input, whose first line is the largest beside their mean, of a stage at a frequency, Hz."""
    duties = (2 * front_end.flat_duty(hints.duty[k], hints.rising[k]) for k in ("low", "high"))
    return max((Noise(2 * frequency, duty, constant=held) for duty in duties), key=lambda n: n.line(1, 1.0, SILENT))


class LinkRoute(RouteOf[Hints, LinkSettled]):
    """Push-pull, half-bridge or full bridge in front of a regulated link; a sine, modified or square wave behind it."""

    waveforms: tuple[Waveform, ...] = ("sine", "modified", "square", "DC", "HF")
    beside: tuple[Waveform, ...] = ("HF",)
    turned_by = converge.TURNED_BY
    hint_points = ("low", "high", "surge_high")
    rounds = 2
    needed = ("mosfet", "diode", "core", "grade", "wire", "capacitor", "resistor", "fuse", "heat_sink")

    def __init__(self, key: str, topology: TopologyName) -> None:
        self.key: str = key
        self.topology = TOPOLOGIES[topology]
        self.title = f"{topology.capitalize()}, DC link, H-bridge"
        self.front_end = replace(stages.FRONT_END, title=topology.capitalize())
        self.unlinked = HfStage(key, topology)

    def making(self, waveform: Waveform) -> Route:
        """The same for a wave: a high-frequency socket alone needs no link."""
        return self.unlinked if waveform == "HF" else self

    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load; only a sine needs a filter, and a DC socket no bridge. A high-frequency socket beside it
        is tapped from the secondary."""
        if waveform == "HF":
            return self.unlinked.stages(waveform)
        tapped = (stages.HF_SOCKET,) if "HF" in beside else ()
        before = (stages.SOURCE, stages.INPUT, self.front_end, stages.TRANSFORMER, *tapped, stages.RECTIFIER, stages.LINK)
        behind = {"sine": (stages.BRIDGE, stages.FILTER), "DC": ()}.get(waveform, (stages.BRIDGE,))
        return (*before, *behind, stages.LOAD)

    def titled(self, waveform: Waveform) -> str:
        """The route with the wave that it is to make; direct voltage asks for no bridge."""
        bare = {"DC": "DC socket", "HF": "HF socket"}
        return f"{self.topology.name.capitalize()}, {bare[waveform]}" if waveform in bare else super().titled(waveform)

    def auxiliary(self, waveform: Waveform) -> tuple[Stage, ...]:
        """The controller and the stages' gate drives, beside the path."""
        if waveform == "HF":
            return self.unlinked.auxiliary(waveform)
        needed = (stages.FRONT_DRIVE,) if waveform == "DC" else (stages.FRONT_DRIVE, stages.BRIDGE_DRIVE)
        return (stages.CONTROLLER, *needed)

    def first_hints(self, brief: Brief, pins: Pins, rules: Rules) -> Hints:
        """A designer's first guess: 88 % overall, 5 % of drops, everything else by proportion."""
        drive = self.topology.drive
        how = rectifying_of(brief, pins)
        bridge = brief.output.peak * 1.05
        if brief.output.direct:
            bridge = brief.output.voltage
        elif brief.output.stepped:
            bridge = brief.output.voltage / math.sqrt(fraction_of(brief, pins))
        voltage = pins.get("dc_link", {}).get("voltage") or ending.link_voltage(brief, pins, bridge, 0.0, rules)
        empty, _, full = brief.source.volts
        power, surge = brief.converted / 0.88, brief.surge_converted / 0.88
        high = rules.duty_limit * (empty / full if how.choke else 1.0)
        duty = {"low": rules.duty_limit, "high": high, "surge_high": high}
        v_in = {"low": empty * 0.95, "high": full * 0.98, "surge_high": full * 0.95}
        asked = {k: surge if k.startswith("surge") else power for k in v_in}
        pulse = {k: asked[k] / (drive * v_in[k] * 2 * duty[k]) for k in v_in}
        high_link = voltage * (1.0 if how.choke else full / empty)
        return Hints(
            link_high=high_link, climb=high_link,
            feed_ripple=(rules.choke_ripple if how.choke else 2.0) * brief.power.continuous / voltage, form=1.0,
            charging_resistance=0.0,
            filter_peak=load.assess(operating_points(brief)["nominal"], brief, SILENT).peak_current,
            apparent=brief.power.continuous / brief.output.power_factor,
            bridge_peak=bridge, path_resistance=0.0, modulation=bridge / voltage, dead_time_volts=0.01 * voltage,
            link_current=brief.power.continuous * 1.05 / voltage, surge_link_current=brief.power.surge * 1.05 / voltage,
            v_in=v_in, pulse=pulse,
            turn_off={k: 1.2 * v for k, v in pulse.items()}, swing=dict.fromkeys(pulse, STILL), duty=duty,
            rising=dict.fromkeys(pulse, 0.005), drop=0.04 * drive * empty, secondary_extra=3.0,
            leak_duty=0.01,
            source_current=power / v_in["low"], bridge_drop=0.0,
            bank_ripple=stirred(power / v_in["low"], 1.0, 2 * high / self.topology.banks, STILL),
            drawn=dict.fromkeys(pulse, STILL), drawn_form=1.0, tap_heat=0.0,
            ratio=0.0, tapped=_first_tapped(voltage / how.gain, high_link / how.gain, duty if how.choke else None),
        )  # fmt: skip

    def next_hints(self, settled: Mapping[str, LinkSettled], before: Hints | None = None) -> Hints:
        """What the assessed design teaches the next round of proposals."""
        return learnt(settled, self.topology, self.hint_points, before)

    def propose(
        self, brief: Brief, hints: Hints, pins: Pins, shelf: Shelf, rules: Rules
    ) -> dict[str, Build]:  # fmt: skip
        """One round of proposals, from the load back to the source. Pinned fields stay."""
        topology = self.topology
        own = {key: dict(pins.get(key, {})) for key in self.builds}
        own["front_end"]["topology"] = topology.name
        own["transformer"]["halves"] = topology.halves
        own["input_stage"]["banks"] = input_bank.banks_for(
            brief.source.volts[2], topology.banks, shelf, rules)  # fmt: skip
        how = rectifying_of(brief, pins)
        own["transformer"]["secondary_halves"] = how.halves
        own["dc_link"] |= {"banks": how.gain, "held": how.choke}
        voltage = own["dc_link"].get("voltage") or ending.link_voltage(
            brief, own, hints.bridge_peak, hints.bridge_drop, rules, hints.raised
        )
        made = ending.propose(brief, hints, own, voltage, shelf, rules)
        ratio = turns_ratio(brief, hints, how, voltage, self.topology.drive, rules)
        secondary = ratio * topology.drive * brief.source.volts[2]
        if how.name == "bridge" and "circuit" not in pins.get("rectifier", {}):
            how = rectifier.bridges_for(secondary, hints.link_current, shelf, rules)
        own["rectifier"]["circuit"] = how.name
        lowest, leads = topology.drive * brief.source.volts[0], rules.lead_inductance + front_end.LIKELY_PACKAGE
        damper = rectifier.least_damper(secondary, hints.link_current, how, shelf, rules) / how.parts
        damped = damped_frequency(brief.converted, secondary, damper)
        chosen = steady_frequency(brief.converted, lowest, leads, damped)
        if brief.beside:
            chosen = tapped_frequency(brief.beside.frequency, chosen, brief.converted, lowest, leads, damped)
        frequency = float(own["front_end"].setdefault("frequency", chosen))
        air = brief.targets.ambient + rules.enclosure_rise
        powered = {k: hints.duty[k] - hints.rising[k] for k in self.hint_points}
        ramped = front_end.ramped(hints.duty["low"], hints.rising["low"])
        alike = hints.drawn_form * hints.drawn["low"].rms * ramped
        rectified = hints.form * secondary_pulse(how, hints)
        winding = transformer.propose(
            TransformerNeed(
                v_max=topology.drive * brief.source.volts[2], d_max=rules.duty_limit, secondary_halves=how.halves,
                v_work=topology.drive * hints.v_in["low"] - hints.drop,
                d_work=min(0.5, hints.duty["low"]), ratio=ratio,
                primary_pulse=alike * hints.pulse["low"],
                secondary_pulse=ramped * math.hypot(rectified, math.sqrt(hints.tap_heat)), frequency=frequency, air=air,
                halves=topology.halves, leak_cost=0.0 if topology.clamped else leak_cost(hints.turn_off["low"], frequency)),
            own["transformer"], shelf, rules)  # fmt: skip
        turned = winding.ratio
        leakage = transformer.leakage(winding, shelf) + rules.lead_inductance + front_end.LIKELY_PACKAGE
        rectifying = rectifier.propose(
            rectifier.RectifierNeed(
                v_sec=turned * (topology.drive * (hints.v_in["low"] + hints.v_in["high"]) / 2 - hints.drop),
                v_sec_max=turned * topology.drive * brief.source.volts[2],
                v_link=voltage, current=hints.link_current, duty=powered["low"] + powered["high"], frequency=frequency,
                leakage=leakage * turned**2, ratio=turned, resistance=hints.charging_resistance, swing=hints.swing["low"],
                v_least=ending.lowest_link(brief, own, voltage)),
            hints.surge_link_current, brief, own["rectifier"], shelf, rules)  # fmt: skip
        flat, full, hardest = (
            front_end.FrontEndNeed(
                hints.v_in[k],
                hints.duty[k],
                hints.pulse[k],
                hints.turn_off[k],
                leakage,
                hints.drawn_form,
                hints.drawn[k],
                rising=hints.rising[k],
            )
            for k in self.hint_points
        )
        switching = front_end.propose(flat, full, hardest, brief.source.volts[2], brief, own["front_end"], shelf, rules)
        driving = front_drive_of(
            switching, brief.source.volts[2], rules.duty_limit, brief, own["front_drive"], shelf, rules)  # fmt: skip
        entry = input_proposal.propose(
            brief,
            hints.source_current,
            hints.bank_ripple,
            own["input_stage"],
            shelf,
            rules,
            0.0,
            math.sqrt(hints.drawn["low"].source_square),
            _loudest(hints, frequency, how.choke),
        )
        tapped: dict[str, Build] = {}
        trip = stages.TRIP_ROUNDED * rules.trip_factor * max(hints.turn_off.values())
        if brief.beside:
            tapped[hf_socket.KEY] = hf_socket.propose(
                brief.beside, tapped_at(turned, hints, how), winding.joined_turns,
                hf_socket.most_turns(winding.joined_turns, how.parts),
                lambda share: stages.short_of_tap(
                    share, trip, topology, switching, winding, brief,
                    float(pins.get("protection", {}).get("short_delay", protection.DELAY)), shelf, rules),
                own[hf_socket.KEY], hints.tap, frequency)  # fmt: skip
        return {
            "source": source.SourceBuild(), "input_stage": entry, "front_end": switching, "front_drive": driving,
            "transformer": winding, **tapped,
            "rectifier": rectifying, **made, "load": load.LoadBuild(),
        }  # fmt: skip

    def propose_auxiliary(
        self, brief: Brief, builds: Builds, settled: Mapping[str, LinkSettled], pins: Pins,
        shelf: Shelf, rules: Rules,
    ) -> dict[str, Build]:  # fmt: skip
        """Timing, set-point, loop and sense for what the path has become."""
        if not builds[DC_LINK].held:  # with a fixed duty, the largest pulse is the surge on the lowest input
            settled = dict(settled) | self.converge_all(
                builds, brief, shelf, rules, keys=("surge_low",), start=settled, tolerance=CLOSE_ENOUGH)  # fmt: skip
        need = auxiliary_controller.link_need(self, settled, builds, shelf, rules)
        return {"controller": controller.propose(need, brief, dict(pins.get("controller", {})), shelf, rules)}

    def converge_all(
        self, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, *,
        worksheets: Mapping[str, Worksheet] | None = None, keys: tuple[str, ...] = (),
        start: Mapping[str, LinkSettled] | None = None, tolerance: float = SETTLED, points: Mapping[str, Point] | None = None,
    ) -> dict[str, LinkSettled]:  # fmt: skip
        """Every operating point, or those asked for."""
        found = converge.converge_all(
            builds, brief, shelf, rules, worksheets=worksheets, keys=keys, start=start, tolerance=tolerance,
            points=points)  # fmt: skip
        if worksheets is None:
            return found
        worst, least = auxiliary_controller.worst_pulse(self, found), auxiliary_controller.least_set(found)
        judged = {
            key: controller.assess(
                replace(auxiliary_controller.need_of(found[key], worst, builds, shelf, rules), least=least),
                builds[controller.KEY], brief.at(found[key].point.setting), shelf, rules, worksheets[key],
                compared=key == "nominal")
            for key in LASTING
            if key in found
        }  # fmt: skip
        return {
            key: replace(s, states=s.states | drives(s, builds, brief, shelf, rules, worksheets[key]) | {
                controller.KEY: judged.get(key, judged["nominal"])})
            for key, s in found.items()
        }  # fmt: skip

    def turned(self, builds: Builds, brief: Brief, setting: float) -> Builds:
        """The builds with the link as low as a setting of the output asks."""
        return converge.turned_down(builds, brief, setting)

    def infeasible(self, settled: Mapping[str, LinkSettled]) -> frozenset[str]:
        """Points that the source cannot feed, or at which no duty holds the link."""
        return frozenset(
            k for k, s in settled.items()
            if not held(s)
        )  # fmt: skip

    def operating(self, settled: Mapping[str, LinkSettled], builds: Builds, shelf: Shelf) -> Operating | None:
        """The nominal point as the waveforms see it; None where it makes no sine."""
        states = settled["nominal"].states
        if output_filter.KEY not in states:
            return None
        filtered, drain, voltage = states[output_filter.KEY], states[load.KEY], states[DC_LINK].voltage
        return Operating(
            index=min(1.0, filtered.fundamental / voltage), v_link=voltage, carrier=builds[H_BRIDGE].carrier,
            line=drain.frequency, inductance=builds[output_filter.KEY].inductance,
            resistance=filtered.resistance + 2 * states[H_BRIDGE].resistance,
            capacitance=output_filter.capacitance(builds[output_filter.KEY], shelf), load_resistance=drain.resistance,
            load_inductance=drain.inductance, dead_time=builds[H_BRIDGE].dead_time, lag=filtered.lag)  # fmt: skip

    def stepped(self, settled: Mapping[str, LinkSettled], builds: Builds, shelf: Shelf) -> Stepped | None:
        """The nominal point of a stepped wave, or of direct voltage, as the scope sees it; None for a sine."""
        states = settled["nominal"].states
        if output_filter.KEY in states:
            return None
        if H_BRIDGE not in states:
            return seen_direct(settled["nominal"])
        drain, bridged = states[load.KEY], states[H_BRIDGE]
        voltage = states[DC_LINK].voltage
        return Stepped(
            v_link=voltage, level=voltage - bridged.drop, fraction=builds[H_BRIDGE].fraction, line=drain.frequency,
            resistance=2 * bridged.resistance, inductance=WIRING, load_resistance=drain.resistance,
            load_inductance=drain.inductance)  # fmt: skip

    def supply(
        self, settled: Mapping[str, LinkSettled], builds: Builds, brief: Brief, shelf: Shelf, rules: Rules
    ) -> Supply:  # fmt: skip
        """Source, front end, link and its loop."""
        at = self.operating(settled, builds, shelf) or self.stepped(settled, builds, shelf)
        assert at is not None
        return link_supply(settled, at, builds, brief, shelf, rules)

    def steps(self, settled: Mapping[str, LinkSettled], builds: Builds) -> StepWave:
        """The stepped output: its bridge holds it at zero between pulses."""
        fraction = builds[H_BRIDGE].fraction
        return StepWave(fraction, settled["nominal"].states[H_BRIDGE].output / math.sqrt(fraction))
