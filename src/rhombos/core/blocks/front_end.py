"""The front end: switches that drive the transformer from two sides in turn, as push-pull, half-bridge or full bridge."""

from __future__ import annotations

import math
from dataclasses import dataclass
from types import SimpleNamespace
from typing import Any

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import (
    IDLE_WORTH,
    Build,
    by_route,
    options,
    part,
    propose_resistor,
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
from rhombos.core.book import clamp as clamps
from rhombos.core.book import stage as book
from rhombos.core.control.gates import LEAST_LOOP, GateLoop, house_loop
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted, resistor
from rhombos.core.frame.keys import Key
from rhombos.core.frame.topology import TOPOLOGIES, Topology, TopologyName
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import HeatSink, Mosfet, Resistor, Shelf
from rhombos.core.parts.part import LEADS, USUAL_PACKAGE
from rhombos.core.units.preferred import at_most
from rhombos.core.units.quantities import Hertz, Ohm
from rhombos.core.waves.pulsation import STILL, Pulsation

KEY: Key[FrontEndBuild, FrontEndState] = Key("front_end")
TITLE = "Front end"
MOST_PARALLEL = 16
SLOWEST = 2e3
"""Below it the stage works at line frequency, on iron."""
DUTY_REACH = 0.49
"""Duty of one switch that the controller can really give, dead time taken off."""
SEARCH_CELSIUS = 100.0
RAIL_SPIKE = 0.10
"""Spike above the rail of a bridge from the stray inductance of its loop, as a share of it: typical of a tight layout."""
RESERVE = 1.02
"""What the next round of settling may still add to a current."""
HEAT_RESERVE = 1.08
"""What steady heat may come to over what a proposal sees of it: chips settle warmer than it counts on."""
SURGE_RESERVE = 1.15
"""What a surge's heat may come to over what a proposal sees of it: the surge on the lowest input draws more."""
LINE_RESERVE = 1.08
"""What rounds may still add to the current of a stage whose turns ratio moves with them."""


class FrontEndBuild(Build):
    """Switches, their frequency, what limits their voltage, and what cools them."""

    topology: TopologyName = by_route("Topology")
    switch: str = part("mosfet", "Switch")
    parallel: int = Field(ge=1, le=24, title="Switches in parallel, each position")
    frequency: Hertz = Field(ge=5e3, le=300e3, title="Switching frequency")
    clamp: str = options("Clamp at the drains", "RCD", "none")
    clamp_resistor: Ohm = Field(ge=1, le=1e6, title="Clamp resistor")
    clamp_part: str = part("resistor", "Clamp resistor type")
    sink: str = part("heat_sink", "Heat-sink")
    fan: bool = Field(title="Fan on the heat-sink")


def heating_duty(duty: float, rising: float) -> float:
    """Duty of a flat pulse that heats like one that first rises in a straight line; both as shares of a period."""
    return book.heating_duty.work({"D": max(duty, 1e-4), "D_rise": min(rising, max(duty, 1e-4))})


def ramped(duty: float, rising: float) -> float:
    """What the RMS of such a pulse is, over that of one that stands from the first."""
    return math.sqrt(heating_duty(duty, rising) / max(duty, 1e-4))


def flat_duty(duty: float, rising: float) -> float:
    """Duty of a flat pulse with the mean and the mean square of such a one."""
    return book.flat_duty.work({"D": max(duty, 1e-4), "D_rise": min(rising, max(duty, 1e-4))})


class LineFrontEndBuild(FrontEndBuild):
    """The same at line frequency, in front of an iron transformer."""

    frequency: Hertz = by_route("Switching frequency")


@dataclass(frozen=True, slots=True)
class FrontEndNeed:
    """Voltage at the stage, V; duty of one switch; pulse, mean, and turn-off current of the primary, A; leakage seen
    from it, H; RMS over mean of the pulse: 1 where it is flat; how the pulses swing at twice the line, and what duty the
    largest of them takes; the share of the duty in which the leakage lets a flat one rise."""

    v_in: float
    duty: float
    pulse: float
    turn_off: float
    leakage: float
    form: float = 1.0
    swing: Pulsation = STILL
    crest_duty: float = 0.0
    rising: float = 0.0

    @property
    def heated(self) -> float:
        """Duty of a flat pulse that heats alike."""
        return heating_duty(self.duty, self.rising)

    @property
    def heating(self) -> float:
        """RMS over mean of all pulses."""
        return self.form * self.swing.rms

    @property
    def crest(self) -> float:
        """The largest current that is turned off, A."""
        return self.turn_off + (self.swing.peak - 1) * self.pulse

    @property
    def off_rms(self) -> float:
        """RMS of what is turned off over a line period, A: the energy of the leakage goes with its square."""
        return math.sqrt(self.turn_off**2 + (self.swing.mean_square - 1) * self.pulse**2)


@dataclass(frozen=True, slots=True)
class FrontEndState:
    """What the stage does at a point: V, A, W, s, °C."""

    duty: float
    rising: float
    crest_duty: float
    total_duty: float
    oscillator: float
    pulse: float
    side_rms: float
    device_peak: float
    resting: float
    spike: float
    clamp_level: float
    peak_voltage: float
    on_resistance: float
    junction: float
    switching_time: float
    conduction: float
    switching: float
    gate: float
    clamp_loss: float
    loss: float


LIKELY_PACKAGE = LEADS[USUAL_PACKAGE]
"""What proposals count on before the switches are chosen, H."""


def lead_inductance(build: Any, shelf: Shelf, rules: Rules) -> float:
    """Inductance of one half's loop beside the winding's leakage, H: leads and board as the rules have them, and the packages,
    which lie in parallel."""
    device = shelf.switch(build.switch)
    return float(rules.lead_inductance + device.lead_inductance / build.parallel)


def gate_times(device: Mosfet, loop: GateLoop, worksheet: Worksheet) -> tuple[float, float]:
    """Turn-on and turn-off time of one device with its own gate resistors, s."""
    on = worksheet.work("front_end.gate_on", book.gate_on_current, V_drive=max(loop.volts, device.v_plateau + 0.5),
                     V_pl=device.v_plateau, R_gate=max(loop.on, LEAST_LOOP))  # fmt: skip
    off = worksheet.work("front_end.gate_off", book.gate_off_current, V_pl=device.v_plateau, R_gate=max(loop.off, LEAST_LOOP))
    return (worksheet.work("front_end.on_time", book.plateau_time, Q_sw=device.q_sw, I_gate=on),
            worksheet.work("front_end.off_time", book.plateau_time, Q_sw=device.q_sw, I_gate=off))  # fmt: skip


@remembered
def propose(
    need: FrontEndNeed, warmest: FrontEndNeed, hardest: FrontEndNeed, v_max: float, brief: Brief, pins: Fields,
    shelf: Shelf, rules: Rules,
) -> FrontEndBuild:  # fmt: skip
    """Switches of lowest price plus worth of loss for the steady worst case `need` (lowest input); `warmest` (highest input)
    heats the clamp most; that or `hardest` (surge) sets its level."""
    topology = TOPOLOGIES[pins["topology"]]
    frequency = float(pins["frequency"])
    model = LineFrontEndBuild if frequency < SLOWEST else FrontEndBuild
    air = brief.targets.ambient + rules.enclosure_rise
    switch, parallel = _choose_switches(
        need, warmest, hardest, RESERVE * max(need.crest, warmest.crest), v_max, frequency, air, topology, brief.targets.idle,
        pins, shelf, rules)  # fmt: skip
    fields: Fields = {"switch": switch.id, "parallel": parallel, "frequency": frequency,
                              "clamp": "none" if topology.clamped else "RCD"} | pins  # fmt: skip
    ceiling = switch.v_rating * (1 - rules.switch_voltage_margin) - v_max
    reserve = LINE_RESERVE if frequency < SLOWEST else RESERVE
    fields.setdefault(
        "clamp_resistor",
        min(_clamp_resistor(n, max(ceiling, 1.05 * v_max), frequency, reserve) for n in (need, warmest, hardest)),
    )
    level = clamps.clamp_level(V_r=warmest.v_in, L_lk=warmest.leakage, I=warmest.off_rms, f=2 * frequency,
                               R=fields["clamp_resistor"])  # fmt: skip
    burnt = clamps.clamp_heat(V_c=level, R=fields["clamp_resistor"])
    fields.setdefault("clamp_part", propose_resistor(shelf, rules, fields["clamp_resistor"], reserve**2 * burnt, level))
    if "sink" not in fields or "fan" not in fields:
        draft = model.within(
            {"sink": shelf.all_ids("heat_sink")[0], "fan": False} | fields
        )  # fmt: skip
        flat, warm, surged = (assess(n, draft, brief, shelf, rules, SILENT, cool=True) for n in (need, warmest, hardest))
        steady = HEAT_RESERVE * max(s.conduction + s.switching for s in (flat, warm))
        # at the end of a surge the chips are as hot as they may become
        conduction = surged.conduction * scorched(switch, surged.junction, rules)
        device = (conduction * (1 + rules.sharing_imbalance) ** 2 + surged.switching) / (topology.positions * parallel)
        sink, fan = propose_surge_sink(
            shelf, rules, steady, conduction + surged.switching, SURGE_RESERVE * device,
            switch.r_jc + rules.pad_resistance, air, switch.t_j_max, brief.surge_time)  # fmt: skip
        fields.setdefault("sink", sink)
        fields.setdefault("fan", fan)
    return model.within(fields)


def _clamp_resistor(need: FrontEndNeed, ceiling: float, frequency: float, reserve: float) -> float:
    """The largest preferred resistor that holds the clamp at or below `ceiling`, counted from the rail, V."""
    if ceiling <= need.v_in:
        return 1.0
    ohms = clamps.clamp_for_level.work(
        {"V_c": ceiling, "V_r": need.v_in, "L_lk": need.leakage, "I": max(1e-3, reserve * need.crest), "f": 2 * frequency}
    )
    return min(1e6, max(1.0, at_most(min(1e6, max(1.0, ohms)))))


def _choose_switches(
    need: FrontEndNeed, warmest: FrontEndNeed, hardest: FrontEndNeed, peak: float, v_max: float, frequency: float, air: float,
    topology: Topology, most_idle: float, pins: Fields, shelf: Shelf, rules: Rules,
) -> tuple[Mosfet, int]:  # fmt: skip
    parts = shelf.all(Mosfet)
    device = SimpleNamespace(**{name: values[:, None] for name, values in vars(shelf.columns(Mosfet)).items()})
    count = np.array([pins["parallel"]] if "parallel" in pins else range(1, MOST_PARALLEL + 1), dtype=float)
    hot = book.hot_resistance(R_25=device.r_on, T_j=SEARCH_CELSIUS + KELVIN, exponent=device.r_exponent)
    loop = house_loop(rules, count)
    on = book.plateau_time(Q_sw=device.q_sw, I_gate=book.gate_on_current(
        V_drive=loop.volts, V_pl=device.v_plateau, R_gate=loop.on))  # fmt: skip
    off = book.plateau_time(Q_sw=device.q_sw, I_gate=book.gate_off_current(V_pl=device.v_plateau, R_gate=loop.off))

    def side(at: FrontEndNeed, volts: float, hot: Any = hot) -> tuple[Any, Any]:
        """Loss of one side that goes with the current, and that of its capacitance, W; the surge is switched at the voltage
        before it."""
        rms, resting = at.heating * book.switch_rms(I_pulse=at.pulse, D=at.heated), topology.stress * volts
        switching = book.switching_loss(V=resting / 2, I=at.turn_off, t_r=on, t_f=2 * off, f=frequency)
        return (book.conduction_loss(I_rms=rms, R_DS=hot) / count + switching,
                count * book.capacitive_loss(C_oss=device.c_oss, V=resting, f=frequency))  # fmt: skip

    flat, warm = (sum(side(n, n.v_in)) for n in (need, warmest))
    hottest = book.hot_resistance(
        R_25=device.r_on, T_j=surge_limit(rules, device.t_j_max) + KELVIN, exponent=device.r_exponent)  # fmt: skip
    burst = sum(side(hardest, warmest.v_in, hottest))
    gate = count * book.gate_power(Q_g=device.q_g, V_drive=rules.gate_drive, f=frequency, n_sw=1)
    ceiling = device.v_rating * (1 - rules.switch_voltage_margin) - v_max
    packages = shelf.column(Mosfet, "lead_inductance")[:, None] / count
    resistor = np.minimum.reduce([
        clamps.clamp_for_level(
            V_c=np.maximum(ceiling, n.v_in + 1e-6), V_r=n.v_in, I=n.crest, f=2 * frequency,
            L_lk=np.maximum(n.leakage - LIKELY_PACKAGE + packages, 1e-9))
        for n in (need, warmest, hardest)
    ])  # fmt: skip
    level = clamps.clamp_level(
        V_r=need.v_in, I=need.off_rms, f=2 * frequency, R=resistor,
        L_lk=np.maximum(need.leakage - LIKELY_PACKAGE + packages, 1e-9))  # fmt: skip
    idle = need.v_in**2 / resistor
    weighed = (IDLE_WORTH if frequency < SLOWEST else 1.0) * idle + rules.idle_beyond(idle, most_idle)
    clamping = 0.0 if topology.clamped else level**2 / resistor + weighed
    position = flat + gate
    highest = (1 + RAIL_SPIKE if topology.clamped else 2.1) * v_max
    each = HEAT_RESERVE * np.maximum(flat, warm) / count * (1 + rules.sharing_imbalance) ** 2
    allowed = steady_limit(rules, device.t_j_max) - air - rules.sink_rise
    hot_spot = each * (device.r_jc + rules.pad_resistance)
    load = peak * (1 + rules.sharing_imbalance) / count / device.i_rating
    # over a surge the chips ride on a sink that is as warm as before it
    ridden = SURGE_RESERVE * burst / count * (1 + rules.sharing_imbalance) ** 2 * (device.r_jc + rules.pad_resistance)
    trouble = (
        np.maximum(0, ridden / (surge_limit(rules, device.t_j_max) - air - rules.sink_rise) - 1)
        + np.maximum(0, highest / (device.v_rating * (1 - rules.switch_voltage_margin)) - 1)
        + np.maximum(0, hot_spot / allowed - 1)
        + np.maximum(0, load / (1 - rules.switch_current_margin) - 1)
    )  # fmt: skip
    placed = shelf.column(Mosfet, "placed")[:, None]
    score = topology.positions * (count * placed + rules.watt_worth * position) + rules.watt_worth * clamping
    score = np.where(trouble > 0, 1e6 * (1 + trouble), score)
    if "switch" in pins:
        score = np.where((shelf.column(Mosfet, "id") == pins["switch"])[:, None], score, np.inf)
    row, place = np.unravel_index(int(np.argmin(score)), score.shape)
    return parts[int(row)], int(count[int(place)])


def assess(
    need: FrontEndNeed, build: FrontEndBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet,
    loop: GateLoop | None = None, *, cool: bool = False,
) -> FrontEndState:  # fmt: skip
    """Stresses, losses and junction temperature; without a `loop` the gates are as the rules count on. `cool` holds the sink
    at its allowed rise (before it is chosen)."""
    device, topology = shelf.get(Mosfet, build.switch), TOPOLOGIES[build.topology]
    work, f, n, positions = worksheet.work, build.frequency, build.parallel, topology.positions
    air = brief.targets.ambient + rules.enclosure_rise
    heated = work("front_end.heating_duty", book.heating_duty, D=max(need.duty, 1e-4), D_rise=min(need.rising, need.duty))
    rms = work("front_end.side_rms", book.switch_rms, I_pulse=need.heating * need.pulse, D=heated)
    share = work("front_end.device_peak", book.shared_current, I=need.crest, imbalance=rules.sharing_imbalance, n_par=n)
    if topology.clamped:
        resting = worksheet.total("front_end.resting", {"input": need.v_in})
        spike = worksheet.total("front_end.spike", {"stray inductance of the loop": RAIL_SPIKE * need.v_in})
        level = burnt = 0.0
    else:
        resting = work("front_end.resting", book.push_pull_stress, V_in=need.v_in)
        spike, level, burnt = _spike(need, build, device, worksheet)
    loop = loop or house_loop(rules, n)
    on, off = gate_times(device, loop, worksheet)
    turn_on = work("front_end.turn_on_loss", book.switching_loss, V=resting / 2, I=need.turn_off, t_r=on, t_f=0.0, f=f)
    turn_off = work("front_end.turn_off_loss", book.switching_loss, V=resting, I=need.turn_off, t_r=0.0, t_f=off, f=f)
    capacitive = n * work("front_end.capacitive_loss", book.capacitive_loss, C_oss=device.c_oss, V=resting, f=f)
    gate = work("front_end.gate", book.gate_power, Q_g=device.q_g, V_drive=loop.volts, f=f, n_sw=positions * n)
    overlap = positions * (turn_on + turn_off + capacitive)

    def side_conduction(celsius: float) -> float:
        hot = book.hot_resistance.work({"R_25": device.r_on, "T_j": celsius + KELVIN, "exponent": device.r_exponent})
        return book.conduction_loss.work({"I_rms": rms, "R_DS": hot}) / n

    def losses_at(celsius: float) -> tuple[float, float]:
        side = side_conduction(celsius)
        uneven = (1 + rules.sharing_imbalance) ** 2
        return (side * uneven + overlap / positions) / n, positions * side + overlap

    junction = hottest_junction(
        KEY, losses_at, device.r_jc, device.t_j_max, air + (rules.sink_rise if cool else 0.0),
        0.0 if cool else sink_resistance(shelf, build.sink, build.fan), rules, worksheet)  # fmt: skip
    hot = work("front_end.on_resistance", book.hot_resistance, R_25=device.r_on, T_j=junction + KELVIN,
               exponent=device.r_exponent)  # fmt: skip
    conduction = positions * work("front_end.side_conduction", book.conduction_loss, I_rms=rms, R_DS=hot / n)
    return FrontEndState(
        duty=need.duty, rising=need.rising, crest_duty=max(need.crest_duty, need.duty), total_duty=2 * need.duty,
        oscillator=work("front_end.oscillator", book.oscillator_frequency, f_s=f), pulse=need.pulse, side_rms=rms,
        device_peak=share, resting=resting, spike=spike, clamp_level=level,
        peak_voltage=work("front_end.peak_voltage", book.peak_switch_voltage, V_DS=resting, V_spike=spike),
        on_resistance=hot, junction=junction, switching_time=on + off,
        conduction=worksheet.total("front_end.conduction", {"one side": conduction / 2, "other side": conduction / 2}),
        switching=worksheet.total("front_end.switching", {
            "turn-on": positions * turn_on, "turn-off": positions * turn_off,
            "output capacitance": positions * capacitive}),
        gate=gate, clamp_loss=burnt,
        loss=worksheet.total("front_end.loss", {
            "conduction": conduction, "switching": overlap, "gate drive": gate, "clamp": burnt}),
    )  # fmt: skip


def _spike(
    need: FrontEndNeed, build: FrontEndBuild, device: Mosfet, worksheet: Worksheet
) -> tuple[float, float, float]:  # fmt: skip
    """Spike above twice the input, V; clamp level from the rail, V; clamp dissipation, W."""
    if build.clamp == "none":
        bare = worksheet.work("front_end.spike", book.unclamped_spike, I=need.crest, L_lk=need.leakage,
                           C_oss=device.c_oss * build.parallel)  # fmt: skip
        return bare, 0.0, 0.0
    asked = {"V_r": need.v_in, "L_lk": need.leakage, "f": 2 * build.frequency, "R": build.clamp_resistor}
    # its capacitor follows the swing at twice the line: the level is that of the largest pulse, the heat that of all
    level = worksheet.work("front_end.clamp_level", clamps.clamp_level, I=need.crest, **asked)
    warm = level if need.swing is STILL else clamps.clamp_level.work(asked | {"I": need.off_rms})
    burnt = worksheet.work("front_end.clamp_loss", clamps.clamp_heat, V_c=warm, R=build.clamp_resistor)
    spike = worksheet.work("front_end.spike", clamps.clamp_excess, V_c=level, V_r=need.v_in)
    return spike, level, burnt


def parts(build: FrontEndBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Switches, clamp, heat-sink."""
    count = TOPOLOGIES[build.topology].positions * build.parallel
    found = [
        fitted("Q1", "front-end switch", shelf.get(Mosfet, build.switch), count, fields=("switch",)),
        fitted("HS1", "front-end heat-sink", shelf.get(HeatSink, build.sink), fields=("sink",)),
    ]
    if build.clamp != "none":
        series = shelf.get(Resistor, build.clamp_part)
        found.append(resistor("R1", "clamp resistor", series, build.clamp_resistor, ("clamp_part", "clamp_resistor")))
    return tuple(found)
