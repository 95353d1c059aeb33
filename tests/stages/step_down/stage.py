"""A switch, a diode, a choke bought by its nameplate, and the output's capacitors."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from pydantic import Field

from rhombos.core.blocks.base import Build, part
from rhombos.core.blocks.cooling import hottest_junction, propose_sink, sink_resistance, steady_limit
from rhombos.core.blocks.heat import Cooled
from rhombos.core.blocks.short_path import ShortPath
from rhombos.core.book import source as source_book
from rhombos.core.book import stage as stage_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.circuit import Circuit, Element, Label, Place, places
from rhombos.core.frame.inventory import Item, fitted, small
from rhombos.core.frame.keys import Key
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.solve import Worked
from rhombos.core.frame.stage import Bank, Making, StageOf
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Capacitor, Diode, HeatSink, Mosfet, Shelf
from rhombos.core.parts.pulsed import withstand
from rhombos.core.plots.model import Chart, Role, Scale, about, curve, roomy
from rhombos.core.routes.cooled import cooled
from rhombos.core.routes.on_source import SourceSettled
from rhombos.core.routes.stages import bank_across
from rhombos.core.units.quantities import Ampere, Henry, Hertz, Ohm, fmt

KEY: Key[StepDownBuild, StepDownState] = Key("step_down")
TITLE = "Step-down"
EDGE = 60e-9
"""How long voltage and current of the switch overlap at both edges of a period, together, s."""
RIPPLE = 0.3
"""Swing of the choke's current over its mean that is proposed."""
OUTPUT_RIPPLE = 0.01
MOST_DUTY = 0.95
DROP = 0.01
"""Part of the output that the choke may drop."""


class StepDownBuild(Build):
    """Switch, diode, choke and output bank."""

    switch: str = part("mosfet", "Switch")
    diode: str = part("diode", "Diode")
    frequency: Hertz = Field(ge=20e3, le=1e6, title="Switching frequency")
    inductance: Henry = Field(ge=1e-7, le=0.1, title="Choke")
    choke_rating: Ampere = Field(ge=0.1, le=1000, title="Choke saturates at")
    choke_resistance: Ohm = Field(ge=1e-6, le=100, title="Choke's resistance")
    capacitor: str = part("capacitor", "Output capacitor")
    count: int = Field(ge=1, le=60, title="Output capacitors in parallel")
    sink: str = part("heat_sink", "Heat-sink")
    fan: bool = Field(False, title="Fan on the heat-sink")


@dataclass(frozen=True)
class StepDownState:
    """Voltages, V; currents, A; losses, W; the junction, °C."""

    duty: float
    swing: float
    peak: float
    switch_rms: float
    diode_mean: float
    peak_voltage: float
    conduction: float
    switching: float
    diode_loss: float
    choke_loss: float
    bank_ripple: float
    ripple: float
    voltage: float
    input_ripple: float
    junction: float
    loss: float


@dataclass(frozen=True)
class Pulses:
    """The choke's current over a period: shares of it in which it rises and falls, its swing and its mean square."""

    duty: float
    falls: float
    swing: float
    mean: float

    @property
    def square(self) -> float:
        """Mean square while it flows."""
        if self.duty + self.falls < 1 - 1e-9:
            return self.swing**2 / 3
        return self.mean**2 + self.swing**2 / 12


def pulses(v_in: float, v_out: float, amps: float, on: float, ohms: float, threshold: float, build: StepDownBuild) -> Pulses:
    """The period that holds the output: with `on` the switch's resistance and `ohms` the choke's, Ω, the diode's drop, V."""
    rises, falls = v_in - v_out - amps * (on + ohms), v_out + threshold + amps * ohms
    duty = min(1.0, falls / max(rises + falls, 1e-9))
    henry_hertz = build.inductance * build.frequency
    swing = rises * duty / henry_hertz
    if amps >= swing / 2 or rises <= 0:
        return Pulses(duty, 1 - duty, max(0.0, swing), amps)
    duty = math.sqrt(2 * henry_hertz * amps * falls / (rises * (rises + falls)))
    swing = rises * duty / henry_hertz
    return Pulses(duty, swing * henry_hertz / falls, swing, amps)


def assess(
    v_in: float, amps: float, build: StepDownBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> StepDownState:
    """What it does at a voltage before it, V, and a current at its socket, A."""
    switch, diode, can = (
        shelf.get(Mosfet, build.switch), shelf.get(Diode, build.diode), shelf.get(Capacitor, build.capacitor))  # fmt: skip
    v_out = brief.output.voltage

    def at(celsius: float) -> tuple[Pulses, float, float, float]:
        hot = stage_book.hot_resistance.work(
            {"R_25": switch.r_on, "exponent": switch.r_exponent, "T_j": max(celsius, -100.0) + 273.15})  # fmt: skip
        flow = pulses(v_in, v_out, amps, hot, build.choke_resistance, diode.v_0 + diode.r * amps, build)
        falling = flow.falls * (flow.mean if flow.duty + flow.falls > 1 - 1e-9 else flow.swing / 2)
        conducts = source_book.ohmic_loss.work({"I_rms": math.sqrt(flow.duty * flow.square), "R": hot})
        burns = diode.v_0 * falling + diode.r * flow.falls * flow.square
        switches = v_in * (flow.mean + flow.swing / 2) * EDGE * build.frequency / 2 if amps > 0 else 0.0
        return flow, conducts, switches, burns

    def losses(celsius: float) -> tuple[float, float]:
        _, conducts, switches, burns = at(celsius)
        return conducts + switches, conducts + switches + burns

    air = brief.targets.ambient + rules.enclosure_rise
    junction = hottest_junction(
        KEY, losses, switch.r_jc, switch.t_j_max, air, sink_resistance(shelf, build.sink, build.fan), rules, worksheet)  # fmt: skip
    flow, conducts, switches, burns = at(junction)
    whole = flow.square * min(1.0, flow.duty + flow.falls)
    choked = worksheet.work(
        f"{KEY}.choke_loss", source_book.ohmic_loss, I_rms=math.sqrt(whole), R=build.choke_resistance)  # fmt: skip
    ripple = math.sqrt(max(0.0, whole - flow.mean**2))
    filled = flow.swing / (8 * build.count * can.c * build.frequency)
    return StepDownState(
        duty=flow.duty, swing=flow.swing, peak=max(flow.swing, flow.mean + flow.swing / 2) if amps > 0 else 0.0,
        switch_rms=math.sqrt(flow.duty * flow.square), diode_mean=flow.falls * flow.mean, peak_voltage=v_in,
        conduction=conducts, switching=switches, diode_loss=burns, choke_loss=choked, bank_ripple=ripple,
        ripple=filled + flow.swing * can.esr / build.count, voltage=v_out,
        input_ripple=math.sqrt(max(0.0, flow.duty * flow.square - (flow.duty * flow.mean) ** 2)), junction=junction,
        loss=worksheet.total(f"{KEY}.loss", {
            "switch, conducting": conducts, "switch, switching": switches, "diode": burns, "choke": choked}))  # fmt: skip


def propose(
    v_low: float, full: float, amps: float, surge: float, brief: Brief, pins: Fields, shelf: Shelf, rules: Rules
) -> StepDownBuild:  # fmt: skip
    """The cheapest parts that stand the highest input, V, and carry what is asked, A, for long and in the surge."""
    volts = brief.output.voltage
    hertz = float(pins.get("frequency", 100e3))
    henry = volts * (1 - volts / full) / (RIPPLE * max(amps, 1e-3) * hertz)
    stands = full / (1 - rules.switch_voltage_margin)
    sound = [m for m in shelf.all(Mosfet) if m.v_rating >= stands and m.i_rating >= 3 * amps] or list(shelf.all(Mosfet))
    switch = min(sound, key=lambda m: (amps**2 * m.r_on * 3 + 0.2 * m.price, m.id))
    fast = [d for d in shelf.all(Diode) if d.v_rating >= full / 0.7 and d.i_rating >= 1.5 * amps and d.recovery != "mains"]
    diode = min(fast or list(shelf.all(Diode)), key=lambda d: (amps * d.v_0 + 0.2 * d.price, d.id))
    cans = [c for c in shelf.all(Capacitor) if c.family == "electrolytic" and c.v_rating >= volts / 0.8]
    can = min(cans, key=lambda c: (c.price / c.i_ripple, c.id))
    carried = RIPPLE * amps / math.sqrt(12)
    count = max(1, math.ceil(carried / (can.i_ripple * (1 - rules.ripple_current_margin))))
    while count < 60 and RIPPLE * amps * (can.esr / count + 1 / (8 * count * can.c * hertz)) > OUTPUT_RIPPLE * volts / 2:
        count += 1
    fields = {
        "switch": switch.id, "diode": diode.id, "frequency": hertz, "inductance": float(f"{henry:.2g}"),
        "choke_rating": float(f"{1.4 * (surge + RIPPLE * amps):.2g}"),
        "choke_resistance": float(f"{DROP * volts / max(amps, 1e-3):.2g}"), "capacitor": can.id, "count": count,
        "sink": shelf.all(HeatSink)[0].id, "fan": False,
    } | pins  # fmt: skip
    state = assess(v_low, amps, StepDownBuild.within(fields), brief, shelf, rules, SILENT)
    sink, fan = propose_sink(shelf, rules, 1.3 * (state.conduction + state.switching + state.diode_loss))
    return StepDownBuild.within(fields | {"sink": pins.get("sink", sink), "fan": pins.get("fan", fan)})


def report(sheet: ReportBuilder[StepDownBuild, StepDownState], at: Sizing) -> BlockReport:
    """Figures and findings."""
    build, shelf, rules = at.builds[KEY], sheet.shelf, sheet.rules
    switch, can = shelf.get(Mosfet, build.switch), shelf.get(Capacitor, build.capacitor)
    for name, symbol, title in (
        ("switch", "T1", "Switch"), ("diode", "D1", "Diode"), ("frequency", "f_s", "Switching frequency"),
        ("inductance", "L1", "Choke"), ("choke_rating", "I_{sat}", "Choke saturates at"),
        ("choke_resistance", "R_L", "Choke's resistance"), ("capacitor", "C1", "Output capacitor"),
        ("count", "n", "Output capacitors in parallel"), ("sink", "", "Heat-sink"), ("fan", "", "Fan on the heat-sink"),
    ):  # fmt: skip
        sheet.choice(name, symbol, title)
    sheet.result("duty", "D", "Duty", "%")
    sheet.result("ripple", "V_{pp}", "Output ripple", "V")
    sheet.result("loss", "P", "Lost", "W")
    high = sheet.limited(
        "peak_voltage", "V_{DS}", "Voltage across the switch", "V", switch.v_rating, rules.switch_voltage_margin
    )
    hot = sheet.limited(
        "junction", "T_j", "Junction of the switch", "degC", steady_limit(rules, switch.t_j_max),
        over=("low", "nominal", "high"))  # fmt: skip
    peak = sheet.limited("peak", "I_{pk}", "Peak in the choke", "A", build.choke_rating)
    carried = sheet.limited(
        "bank_ripple", "I_C", "Ripple current of the output bank", "A", build.count * can.i_ripple,
        rules.ripple_current_margin, over=("low", "nominal", "high"))  # fmt: skip
    for code, worst, title, remedy in (
        ("voltage", high, "Switch rated too low", "A switch of the next class."),
        ("junction", hot, "Switch too warm", "A larger heat-sink, a lower frequency, or a switch of less resistance."),
        ("saturates", peak, "Choke saturates", "A choke of a higher rating."),
        ("can_ripple", carried, "Output capacitors overloaded", "More of them."),
    ):
        if worst.severity:
            told = f"{worst.value:.3g} of {worst.rating:.3g} at {sheet.where(worst)}."
            sheet.find(code, worst.severity, title, told, remedy, worst=worst)
    short = max(s.duty for key, s in sheet.states.items() if key not in sheet.infeasible)
    if short > MOST_DUTY:
        sheet.find("duty", "stop", "No duty holds the output", f"{short:.1%} on the lowest input.", "A higher input.")
    now, entering = sheet.now, at.entering(KEY)
    remark = f"{fmt(now.loss, 'W')} lost"
    return sheet.close(f"{fmt(build.frequency, 'Hz', 2)}", remark, entering, entering - now.loss, {})


def parts(build: StepDownBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Everything but the choke, which is bought by its nameplate."""
    return (
        fitted("Q1", "switch", shelf.get(Mosfet, build.switch)),
        fitted("D1", "diode", shelf.get(Diode, build.diode)),
        fitted("C1", "output capacitor", shelf.get(Capacitor, build.capacitor), build.count),
        fitted("HS1", "heat-sink", shelf.get(HeatSink, build.sink)),
    )


def _requirements(at: Sizing) -> Iterator[Requirement]:
    asked = at.builds[KEY].choke_rating
    yield Requirement(
        KEY, "terminal", "Output terminals", "connector", "X1", least={"i_rating": asked, "v_rating": at.brief.output.voltage},
        exact={"form": "screw terminal"})  # fmt: skip


def _cooled(at: Sizing) -> Cooled:
    device = at.shelf.get(Mosfet, at.builds[KEY].switch)
    return cooled(at, KEY, TITLE, device, ("conduction", "switching", "diode_loss"), ("peak_voltage",))


def _shorted(at: Sizing) -> ShortPath:
    build = at.builds[KEY]
    return ShortPath(
        at.brief.source.volts[2], build.inductance, 1.0, withstand(at.shelf.get(Mosfet, build.switch), 1))  # fmt: skip


def _bank(at: Sizing) -> Bank:
    build, volts = at.builds[KEY], at.brief.output.voltage
    can = at.shelf.get(Capacitor, build.capacitor)
    farad = build.count * can.c
    return bank_across(volts, farad, can.esr / build.count, farad * volts**2 / 2)


def _made(at: Sizing) -> Making:
    return Making("easy", ("a bought choke, one switch on the upper rail",))


def losses_chart(worked: Worked) -> Chart:
    """What is lost where, over the input."""
    keys = ("low", "nominal", "high")
    volts = [s.v_in for k in keys if isinstance(s := worked.settled[k], SourceSettled)]
    burnt = {
        said: [getattr(worked.settled[k].states[KEY], name) for k in keys]
        for name, said in (
            ("conduction", "switch, conducting"), ("switching", "switch, switching"), ("diode_loss", "diode"),
            ("choke_loss", "choke"))
    }  # fmt: skip
    roles: tuple[Role, ...] = ("main", "second", "third", "faint")
    most = max(max(w) for w in burnt.values())
    x, y = Scale("V", *volts), Scale("W", most)
    return Chart(
        key="step-down-losses",
        title="Losses over the input",
        x=x.axis("at the stage", low=about(volts)[0], high=about(volts)[1]),
        y=y.axis("lost", low=0, high=roomy(most)),
        series=tuple(curve(said, volts, watts, x, y, role) for (said, watts), role in zip(burnt.items(), roles, strict=True)),
    )


CIRCUIT = Circuit(
    elements=(
        Element(symbol="mosfet", ref="Q1", part="switch", x=110, y=40, turn=-90, label=Place(x=27, y=172)),
        Element(symbol="diode", ref="D1", part="diode", x=170, y=120, turn=-90, label=Place(x=186, y=106)),
        Element(symbol="inductor", ref="L1", part="inductance", x=246, y=40, label=Place(x=270, y=62), at="middle"),
        Element(symbol="capacitor", ref="C1", part="capacitor", x=340, y=84, turn=90, label=Place(x=358, y=92)),
    ),
    wires=("M27 40H86M134 40H246M294 40H423M170 40V88M170 120V156M340 40V84M340 108V156M27 156H423",),
    nodes=places((170, 40), (170, 156), (340, 40), (340, 156)),
    terminals=places((24, 40), (24, 156), (426, 40), (426, 156)),
    labels=(Label(name="D", value="{duty}", x=96, y=96),),
)


def _choke(at: Sizing) -> Iterator[Item]:
    return small("L1", "inductance", "choke, bought by its nameplate", at.builds[KEY].inductance, "H")


STAGE = StageOf(
    KEY, TITLE, StepDownBuild, parts, report, _requirements, output=lambda state: float(state.voltage), cooled=_cooled,
    shorted=_shorted, bank=_bank, distortion=lambda at: float(at.now[KEY].ripple / at.now[KEY].voltage), making=_made,
    charts=(losses_chart,), circuit=lambda words: CIRCUIT, sheet=20, small=_choke)  # fmt: skip
