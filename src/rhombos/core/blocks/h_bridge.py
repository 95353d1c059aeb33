"""The H-bridge: four switches that make a sine by unipolar PWM, or a square or three-level wave at line frequency."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import (
    BY_ROUTE,
    Build,
    part,
    recovered_charge,
    remembered,
)  # fmt: skip
from rhombos.core.blocks.cooling import (
    KELVIN,
    hottest_junction,
    propose_surge_sink,
    scorched,
    sink_resistance,
    steady_limit,
    surge_limit,
)
from rhombos.core.book import bridge as book
from rhombos.core.book import rectifier, source, stage
from rhombos.core.control.gates import LEAST_MISMATCH, GateLoop, dead_time_needed, house_loop, switching_times, turn_off_delay
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.keys import Key
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import HeatSink, Igbt, Mosfet, Shelf, Transistor
from rhombos.core.parts.pulsed import SHORT_MARGIN, WITHSTAND_USED, pulsed_share
from rhombos.core.units.quantities import Hertz, Ratio, Second
from rhombos.core.waves.stepped import step_flow

KEY: Key[HBridgeBuild, BridgeState] = Key("h_bridge")
TITLE = "H-bridge"
CARRIER = 18e3
"""Above hearing at the legs, twice that at the filter; higher only buys a smaller choke for more loss."""
CARRIER_OVER_LINE = 100.0
"""Minimum carrier over the line: the filter's corner lies beyond ten times the line and below a fifth of the carrier."""
AUDIBLE = 16e3
"""Up to here people hear a carrier, Hz."""
SHORTEST_DEAD_TIME = 250e-9
COUNTS, COUNTS_HEAVY = (1, 2, 3, 4), (1, 2, 3, 4, 6, 8, 12, 16)
"""Switches in parallel that are considered."""
HEAVY_CURRENT = 60.0
"""Peak current, A, from which a bridge may take more than a few switches in parallel."""
FRACTIONS: dict[Waveform, float] = {"sine": 1.0, "modified": 0.5, "square": 1.0}
"""Half the time keeps both the peak and the RMS value of a sine."""
WIDEST = 0.96
"""Share of the time that a width-controlled wave may be on: the rest is dead time at both ends."""
SEARCH_CELSIUS = 100.0
SURGE_RESERVE = 1.1
"""What a surge's heat may come to over what a proposal sees of it."""
STRAY_SPIKE = 0.08
"""Spike on the bus from the stray inductance of the loop, as a share of it: short, wide, decoupled at the legs."""


def carrier_for(line: float) -> float:
    """The carrier that is proposed for a line frequency, Hz."""
    return max(CARRIER, 1e3 * math.ceil(CARRIER_OVER_LINE * line / 1e3))


class HBridgeBuild(Build):
    """Switches, carrier, dead time, cooling."""

    switch: str = part("mosfet|igbt", "Switch")
    parallel: int = Field(ge=1, le=24, title="Switches in parallel")
    carrier: Hertz = Field(ge=1e3, le=150e3, title="Carrier")
    dead_time: Second = Field(ge=0, le=20e-6, title="Dead time")
    fraction: Ratio = Field(1.0, ge=0.2, le=1, title="Conduction fraction")
    controlled: bool = Field(False, title="Width follows the source", json_schema_extra=dict(BY_ROUTE))
    sink: str = part("heat_sink", "Heat-sink")
    fan: bool = Field(title="Fan on the heat-sink")


@dataclass(frozen=True, slots=True)
class BridgeNeed:
    """Link voltage and its highest, V; line current of the inductor: RMS, A, and its power factor; peak with ripple, A;
    ripple RMS, A; peak fundamental the filter asks, V, dead time and thresholds not counted (of a stepped wave, its level);
    the share of the time that a wave of controlled width is not zero, else as it is built; the power factor of what its current
    meets while it is zero, where that is another."""

    v_link: float
    v_link_peak: float
    current: float
    power_factor: float
    peak: float
    ripple_rms: float
    fundamental: float
    share: float | None = None
    held: float | None = None


@dataclass(frozen=True, slots=True)
class BridgeState:
    """Modulation index; V; A; s; °C; W. `missing` is how far the level of a stepped wave stands below the link, V; `path` what
    its current meets in the bridge, Ω; `share` the part of the time for which it is not zero."""

    modulation: float
    bridge_peak: float
    switch_voltage: float
    device_peak: float
    dead_time_loss_volts: float
    drop: float
    resistance: float
    junction: float
    switching_time: float
    dead_time_needed: float
    conduction: float
    switching: float
    recovery: float
    gate: float
    loss: float
    line_peak: float = 0.0
    output: float = 0.0
    missing: float = 0.0
    distortion: float = 0.0
    path: float = 0.0
    share: float = 1.0


@remembered
def propose(
    need: BridgeNeed, brief: Brief, pins: Fields, shelf: Shelf, rules: Rules
) -> HBridgeBuild:  # fmt: skip
    """Switches of the lowest price plus worth of loss that stand the link and stay cool."""
    widest = WIDEST if pins.get("controlled") else FRACTIONS[brief.output.waveform]
    fields: Fields = {"carrier": carrier_for(brief.output.frequency), "fraction": widest} | pins
    if brief.output.waveform != "modified":
        fields["fraction"] = 1.0
    air = brief.targets.ambient + rules.enclosure_rise
    share = (need.share or fields["fraction"]) if brief.output.stepped else None
    if "switch" not in fields or "parallel" not in fields:
        surge = brief.power.surge / brief.power.continuous
        fields = _choose(need, _rate(brief, fields["carrier"]), share, air, surge, pins, shelf, rules) | fields
    device = shelf.transistor(fields["switch"])
    if "dead_time" not in fields:
        fields["dead_time"] = proposed_dead_time(device, house_loop(rules))
    if "sink" not in fields or "fan" not in fields:
        draft = HBridgeBuild.within({"sink": shelf.all_ids("heat_sink")[0], "fan": False} | fields)
        surged_need = _surged(need, brief.power.surge / brief.power.continuous)
        state, surged = (assess(n, draft, brief, shelf, rules, SILENT, cool=True) for n in (need, surged_need))
        burst = surged.loss - surged.gate + surged.conduction * (scorched(device, surged.junction, rules) - 1)
        uneven = (1 + rules.sharing_imbalance * (draft.parallel > 1)) ** 2
        sink, fan = propose_surge_sink(
            shelf, rules, state.loss - state.gate, SURGE_RESERVE * burst, SURGE_RESERVE * uneven * burst / (4 * draft.parallel),
            device.r_jc + rules.pad_resistance, air, device.t_j_max, brief.power.surge_time)  # fmt: skip
        fields = {"sink": sink, "fan": fan} | fields
    return HBridgeBuild.within(fields)


def _rate(brief: Brief, carrier: float) -> float:
    """How often each switch works a second: at the carrier, or once a line period for a stepped wave."""
    return brief.output.frequency if brief.output.stepped else carrier


def matched(build: HBridgeBuild, loop: GateLoop, pins: Fields, shelf: Shelf) -> HBridgeBuild:
    """The build with the dead time that its gates' loop asks for, unless that is pinned."""
    if "dead_time" in pins:
        return build
    return build.model_copy(update={"dead_time": proposed_dead_time(shelf.transistor(build.switch), loop)})


def proposed_dead_time(device: Transistor, loop: GateLoop) -> float:
    """The dead time needed, rounded up to 50 ns, s."""
    wanted = max(SHORTEST_DEAD_TIME, dead_time_needed(device, loop))
    return float(f"{50 * math.ceil(wanted / 50e-9 - 1e-9)}e-9")


def _choose(
    need: BridgeNeed, carrier: float, share: float | None, air: float, surge: float, pins: Fields, shelf: Shelf,
    rules: Rules,
) -> Fields:  # fmt: skip
    counts = [int(pins["parallel"])] if "parallel" in pins else (
        COUNTS if need.peak < HEAVY_CURRENT else COUNTS_HEAVY)  # fmt: skip
    n = np.array(counts)[:, None]
    shared = 1 + rules.sharing_imbalance * (n > 1)
    found: list[tuple[float, str, int]] = []
    for kind in (Mosfet, Igbt):
        ids, columns = shelf.column(kind, "id"), shelf.columns(kind)
        loss, surged = (_leg_losses(columns, kind is Igbt, at, n, carrier, share, rules) for at in (need, _surged(need, surge)))
        stood = WITHSTAND_USED * pulsed_share(kind) * n * columns.i_rating
        cooled, air_there = columns.r_jc + rules.pad_resistance, air + rules.sink_rise
        trouble = sum(np.maximum(0, over - 1) for over in (
            SURGE_RESERVE * surged / (4 * n) * shared**2 * cooled / (surge_limit(rules, columns.t_j_max) - air_there),
            1.01 * need.v_link_peak * (1 + STRAY_SPIKE) / (columns.v_rating * (1 - rules.bridge_voltage_margin)),
            loss / (4 * n) * shared**2 * cooled / (steady_limit(rules, columns.t_j_max) - air_there),
            need.peak * shared / n / (columns.i_rating * (1 - rules.switch_current_margin)),
            SHORT_MARGIN * rules.trip_factor * surge * need.peak / stood))  # fmt: skip
        score = 4 * n * shelf.column(kind, "placed") + rules.watt_worth * loss
        score = np.where(trouble > 0, 1e6 * (1 + trouble), score)
        if "switch" in pins:
            score = np.where(ids == pins["switch"], score, np.inf)
        found += [(float(row[at]), str(ids[at]), count) for count, row, at in zip(counts, score, score.argmin(1), strict=True)]
    _, switch, parallel = min(found)
    return {"switch": switch, "parallel": parallel}


def _surged(need: BridgeNeed, surge: float) -> BridgeNeed:
    """The same at the surge."""
    return replace(need, current=surge * need.current, peak=surge * need.peak)


def _leg_losses(
    d: Any, igbt: bool, need: BridgeNeed, n: Any, carrier: float, stepped_share: float | None, rules: Rules
) -> Any:  # fmt: skip
    """All four switches' loss, W, at the search temperature, for every device of a kind (columns) with so many in parallel
    (rows)."""
    peak = math.sqrt(2) * need.current
    mean = book.line_average_current(I_pk=peak)
    if igbt:
        on = _igbt_conduction(d, need, n, stepped_share)
        t_on, t_off = d.t_r, d.t_f
    else:
        hot = stage.hot_resistance(R_25=d.r_on, T_j=SEARCH_CELSIUS + KELVIN, exponent=d.r_exponent)
        on = 2 * source.ohmic_loss(I_rms=math.hypot(need.current, need.ripple_rms), R=hot / n)
        t_on, t_off = switching_times(d, house_loop(rules))
    overlap = 4 * stage.switching_loss(V=need.v_link, I=mean, t_r=t_on, t_f=t_off, f=carrier)
    recovered = 2 * n * _recovery(d, 2 * mean / n, need.v_link, carrier)
    charge = 4 * n * stage.capacitive_loss(C_oss=d.c_oss, V=need.v_link, f=carrier)
    gate = stage.gate_power(Q_g=d.q_g, V_drive=rules.gate_drive, f=carrier, n_sw=4 * n)
    return on + overlap + recovered + charge + gate


def _igbt_conduction(d: Any, need: BridgeNeed, n: Any, share: float | None, index: float | None = None) -> Any:
    """Conduction of all IGBTs and their diodes, W: of sine PWM, or of a wave that is not zero for a share of the time.

    `d` is a part, or the columns of many; `index` is the modulation, by default what the fundamental asks of the link.
    """
    if share is not None:  # forth through two switches, round through a switch and a diode, back through two diodes
        flow = step_flow(share, need.power_factor)
        mean, square = (np.array(v) for v in (flow.mean, flow.square))
        through = ((np.array([2, 1, 0]), d.v_0, d.r_on), (np.array([0, 1, 2]), d.diode_v_0, d.diode_r))
        return sum(
            rectifier.diode_conduction(V_0=v_0, I_avg=need.current * float(count @ mean), r=r / n,
                                       I_rms=need.current * math.sqrt(float(count @ square)))
            for count, v_0, r in through)  # fmt: skip
    swing = min(1.0, need.fundamental / need.v_link) if index is None else index
    wave = {"I_pk": math.sqrt(2) * need.current, "M": swing, "cos_phi": need.power_factor}
    return 4 * (book.switch_conduction(V_0=d.v_0, r=d.r_on / n, **wave)
                + book.diode_conduction(V_0=d.diode_v_0, r=d.diode_r / n, **wave))  # fmt: skip


def _recovery(d: Any, current: Any, volts: float, carrier: float) -> Any:
    """What one recovering diode costs itself and its partner switch, W."""
    charge = recovered_charge(d, current)
    return rectifier.diode_recovery(V=volts, Q_rr=charge, f=carrier) + rectifier.partner_recovery(
        V=volts, I=current, t_rr=d.t_rr, Q_rr=charge, f=carrier
    )


def assess(
    need: BridgeNeed, build: HBridgeBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet,
    loop: GateLoop | None = None, *, cool: bool = False,
) -> BridgeState:  # fmt: skip
    """Modulation, stresses, losses and junction temperature; without a `loop` the gates are as the rules count on."""
    loop = loop or house_loop(rules)
    device = shelf.transistor(build.switch)
    stepped = brief.output.stepped
    work, n, carrier, v = worksheet.work, build.parallel, _rate(brief, build.carrier), need.v_link
    air = brief.targets.ambient + rules.enclosure_rise
    dead = work("h_bridge.dead_time_loss_volts", book.dead_time_voltage, t_d=build.dead_time, f_c=carrier, V_dc=v)
    peak = need.peak if stepped else math.sqrt(2) * need.current
    mean = need.peak if stepped else work("h_bridge.mean_current", book.line_average_current, I_pk=peak)
    on, off = (float(x) for x in switching_times(device, loop))
    overlap = 4 * work("h_bridge.overlap", stage.switching_loss, V=v, I=mean, t_r=on, t_f=off, f=carrier)
    charge = 4 * n * work("h_bridge.capacitive", stage.capacitive_loss, C_oss=device.c_oss, V=v, f=carrier)
    recovery = 2 * n * float(_recovery(device, 2 * mean / n, v, carrier))
    diode_drop = device.diode_v_0 if isinstance(device, Igbt) else device.v_f
    resting = 0.0 if isinstance(device, Igbt) else 4 * work(
        "h_bridge.dead_diode", book.dead_time_current_loss, V_F=diode_drop, I_avg=mean, t_d=build.dead_time,
        f_c=carrier)  # fmt: skip
    gate = work("h_bridge.gate", stage.gate_power, Q_g=device.q_g, V_drive=loop.volts, f=carrier, n_sw=4 * n)
    # dead time acts against the current's sign, so it costs volts only while current flows
    threshold = (2 * device.v_0 * (1.0 if stepped else 4 / math.pi) if isinstance(device, Igbt) else 0.0) * (need.current > 0)
    bridge_peak = worksheet.total("h_bridge.bridge_peak", {
        "through the filter": need.fundamental, "dead time": dead * (need.current > 0), "thresholds": threshold})  # fmt: skip
    modulation = 1.0 if stepped else work("h_bridge.modulation", book.modulation_index, V_bridge=bridge_peak, V_dc=v)
    index = min(1.0, modulation)

    fraction = build.fraction if need.share is None else need.share
    threshold_loss = (
        float(_igbt_conduction(device, need, n, fraction if stepped else None, index)) if isinstance(device, Igbt) else 0.0
    )

    def conduction_at(celsius: float) -> float:
        if isinstance(device, Igbt):  # as cold as warm
            return threshold_loss
        hot = stage.hot_resistance.work({"R_25": device.r_on, "T_j": celsius + KELVIN, "exponent": device.r_exponent})
        return 2 * source.ohmic_loss.work({"I_rms": math.hypot(need.current, need.ripple_rms), "R": hot / n})

    other = overlap + charge + recovery + resting
    uneven = (1 + rules.sharing_imbalance) ** 2 if n > 1 else 1.0

    def losses_at(celsius: float) -> tuple[float, float]:
        all_four = conduction_at(celsius)
        return (all_four * uneven + other) / (4 * n), all_four + other

    junction = hottest_junction(
        KEY, losses_at, device.r_jc, device.t_j_max, air + (rules.sink_rise if cool else 0.0),
        0.0 if cool else sink_resistance(shelf, build.sink, build.fan), rules, worksheet)  # fmt: skip
    conduction = conduction_at(junction)
    resistance = 0.0 if isinstance(device, Igbt) else work(
        "h_bridge.resistance", stage.hot_resistance, R_25=device.r_on, T_j=junction + KELVIN, exponent=device.r_exponent
    ) / n  # fmt: skip
    output = distortion = path = 0.0
    if stepped:
        path = 2 * (device.r_on / n if isinstance(device, Igbt) else resistance)
        flow, level = step_flow(fraction, need.power_factor, False, need.held), max(0.0, v - threshold)
        driven = min(level * need.current * (flow.mean[0] - flow.mean[2]), level**2 * fraction / (2 * path))
        output = work("h_bridge.output", book.stepped_rms, fraction=fraction, V_dc=level, R=path, P=driven,
                      I_rms=need.current)  # fmt: skip
        distortion = work("h_bridge.distortion", book.modified_distortion, fraction=fraction)
    return BridgeState(
        line_peak=peak, output=output, missing=v - output / math.sqrt(fraction) if stepped else 0.0,
        distortion=distortion, path=path, share=fraction, modulation=modulation, bridge_peak=bridge_peak,
        switch_voltage=_switch_voltage(need.v_link_peak, worksheet),
        device_peak=work("h_bridge.device_peak", stage.shared_current, I=need.peak, n_par=n,
                         imbalance=rules.sharing_imbalance if n > 1 else 0.0),
        dead_time_loss_volts=dead, drop=threshold, resistance=resistance, junction=junction, switching_time=on + off,
        dead_time_needed=worksheet.total("h_bridge.dead_time_needed", {
            "twice the turn-off": 2 * off, "delay before it": float(turn_off_delay(device, loop)),
            "spread of the drivers": max(LEAST_MISMATCH, loop.mismatch)}),
        conduction=worksheet.total("h_bridge.conduction", {"four switches and their diodes": conduction}),
        switching=worksheet.total("h_bridge.switching", {
            "overlap": overlap, "output capacitance": charge, "dead-time diodes": resting}),
        recovery=worksheet.total("h_bridge.recovery", {"two legs": recovery}), gate=gate,
        loss=worksheet.total("h_bridge.loss", {
            "conduction": conduction, "overlap": overlap, "output capacitance": charge, "dead-time diodes": resting,
            "diode recovery": recovery, "gate drive": gate}),
    )  # fmt: skip


def on_a_link(state: BridgeState, peak: float, worksheet: Worksheet) -> BridgeState:
    """The same on a link whose highest voltage, V, is known by now."""
    return replace(state, switch_voltage=_switch_voltage(peak, worksheet))


def _switch_voltage(link_peak: float, worksheet: Worksheet) -> float:
    """What an open switch stands at most, V."""
    return worksheet.total("h_bridge.switch_voltage", {
        "highest link": link_peak, "stray inductance": link_peak * STRAY_SPIKE})  # fmt: skip


def parts(build: HBridgeBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Four switches, or as many times as stand in parallel, and the heat-sink."""
    return (
        fitted("Q1", "bridge switch", shelf.transistor(build.switch), 4 * build.parallel, fields=("switch",)),
        fitted("HS1", "bridge heat-sink", shelf.get(HeatSink, build.sink), fields=("sink",)),
    )
