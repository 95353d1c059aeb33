"""A low direct voltage beside the main output: a step-down converter of its own on the source, behind the input bank."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import Field

from rhombos.core.blocks.base import options, part, recovered_charge
from rhombos.core.blocks.cooling import KELVIN, hottest_junction, sink_resistance
from rhombos.core.blocks.wound import ChokeBuild, choke_of, choke_parts
from rhombos.core.book import heat, magnetics, rectifier, stage
from rhombos.core.book import step_down as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import AuxiliaryOutput
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.keys import Key
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.choke import ChokeNeed, choke_loss
from rhombos.core.magnetics.stack import rise
from rhombos.core.parts import Capacitor, Diode, HeatSink, Mosfet, Shelf
from rhombos.core.units.quantities import Ampere, Hertz

KEY: Key[AuxiliaryOutputBuild, AuxiliaryState] = Key("auxiliary_output")
TITLE = "Auxiliary DC"
DRIVEN = 0.5
"""What the controller's own driver gives a gate on its plateau, A."""
LOOP = 15e-9
"""Inductance of the loop of switch, diode and input capacitor, H: a few square centimetres of board."""
QUIESCENT = 5e-3
"""What the controller draws of the control supply, A."""
MOST_DUTY = 0.95
"""The highest duty: the upper switch's gate drive fills up while it is off."""
LEAST_ON = 0.2e-6
"""The shortest pulse, s: for less the controller leaves pulses out."""
LIMITED = 1.3
"""Current limit over the choke's peak at full power."""
CROWBAR, OPEN = "thyristor and fuse", "nothing"
COLDEST, HOTTEST = -100.0, 200.0
"""Between which a resistance is followed, °C."""
TURNS = 3
"""Times that choke and losses are made to agree: its resistance moves little with its temperature."""


class AuxiliaryOutputBuild(ChokeBuild):
    """Switch, diode, choke and output bank of a step-down converter, and what stops a switch that has failed."""

    switch: str = part("mosfet", "Switch")
    diode: str = part("diode", "Diode")
    frequency: Hertz = Field(ge=20e3, le=1e6, title="Switching frequency")
    capacitor: str = part("capacitor", "Output capacitor")
    count: int = Field(ge=1, le=60, title="Output capacitors in parallel")
    limit: Ampere = Field(ge=0.01, le=1000, title="Current limit, peak")
    fuse: Ampere = Field(ge=0.05, le=1000, title="Fuse")
    guard: str = options("Overvoltage protection", CROWBAR, OPEN)
    sink: str = part("heat_sink", "Heat-sink")
    fan: bool = Field(False, title="Fan on the heat-sink")


@dataclass(frozen=True, slots=True)
class AuxiliaryState:
    """At a point: its voltage, V, current, A, and power, W; what it draws of the input, A and W; duty, and on-time, s; the
    choke's swing and peak, A; its losses, W, and temperatures, °C; what banks carry, A; ripple, V peak to peak."""

    voltage: float
    current: float
    power: float
    drawn: float
    power_in: float
    duty: float
    falls: float
    on_time: float
    swing: float
    peak: float
    switch_rms: float
    diode_average: float
    peak_voltage: float
    conduction: float
    switching: float
    diode_loss: float
    control: float
    choke_peak: float
    choke_flux: float
    choke_copper: float
    choke_core: float
    choke_temperature: float
    bank_ripple: float
    ripple: float
    input_ripple: float
    junction: float
    diode_junction: float
    loss: float


@dataclass(frozen=True, slots=True)
class Flow:
    """The choke's current over a period: shares of it in which it rises and falls, its swing and its peak, A; whether it runs
    dry."""

    duty: float
    falls: float
    swing: float
    peak: float
    dry: bool

    @property
    def flowing(self) -> float:
        """Share of the period in which it carries current."""
        return min(1.0, self.duty + self.falls)

    def mean(self, share: float, amps: float) -> float:
        """Mean, A, of what conducts for a share of the period; `amps` is the output's current."""
        return share * (self.swing / 2 if self.dry else amps)

    def rms(self, share: float, amps: float, address: str, worksheet: Worksheet) -> float:
        """RMS, A, of what conducts for a share of the period; `amps` is the output's current."""
        if self.dry:
            return worksheet.work(address, book.conducted_dry, dI=self.swing, D_tot=share)
        return worksheet.work(address, book.conducted, D_tot=share, I_out=amps, dI=self.swing)


def flow(v_in: float, v_out: float, drop: float, amps: float, henry: float, hertz: float, worksheet: Worksheet) -> Flow:
    """The period that holds an output, V, at a current, A; `v_in` is less what the switch drops, `v_out` with what the choke
    drops, `drop` is the diode's, V. With no room left the switch stays on."""
    if amps <= 0:
        return Flow(0.0, 0.0, 0.0, 0.0, True)
    if v_in <= v_out * (1 + 1e-9):
        return Flow(1.0, 0.0, 0.0, amps, False)
    asked = {"V_in": v_in, "V_out": v_out, "V_F": drop}
    share = book.duty.work(asked)
    swing = book.ripple.work({"V_in": v_in, "V_out": v_out, "D_tot": share, "L": henry, "f_s": hertz})
    dry = amps < swing / 2
    if dry:
        share = worksheet.work(f"{KEY}.duty", book.dry_duty, L=henry, f_s=hertz, I_out=amps, **asked)
    else:
        worksheet.work(f"{KEY}.duty", book.duty, **asked)
    swing = worksheet.work(f"{KEY}.swing", book.ripple, V_in=v_in, V_out=v_out, D_tot=share, L=henry, f_s=hertz)
    falls = 1 - share
    if dry:
        falls = book.falling.work({"dI": swing, "L": henry, "f_s": hertz, "V_out": v_out, "V_F": drop})
    return Flow(share, falls, swing, swing if dry else amps + swing / 2, dry)


def asked_of(brief: Brief) -> AuxiliaryOutput:
    """The auxiliary output that is asked."""
    assert brief.auxiliary is not None, "none is asked"
    return brief.auxiliary


def edge_time(switch: Mosfet) -> float:
    """How long an edge of the switch takes, s."""
    return stage.plateau_time.work({"Q_sw": switch.q_sw, "I_gate": DRIVEN})


@dataclass(frozen=True, slots=True)
class _Fitted:
    """What is fitted, and the voltage, V, and current, A, at which it works."""

    switch: Mosfet
    diode: Diode
    hertz: float
    edge: float
    v_in: float
    volts: float
    amps: float
    henry: float

    def resistance(self, celsius: float) -> float:
        """Of the switch at a junction temperature, °C, Ω."""
        hot = {"R_25": self.switch.r_on, "exponent": self.switch.r_exponent, "T_j": max(celsius, COLDEST) + KELVIN}
        return stage.hot_resistance.work(hot)

    def flow(self, celsius: float, coil: float, worksheet: Worksheet) -> Flow:
        """The period with the switch at a temperature, °C, and a choke of a resistance, Ω."""
        drop = self.diode.v_0 + self.diode.r * self.amps
        before, behind = self.v_in - self.amps * self.resistance(celsius), self.volts + self.amps * coil
        return flow(before, behind, drop, self.amps, self.henry, self.hertz, worksheet)

    def burnt(self, now: Flow, celsius: float, worksheet: Worksheet) -> tuple[float, float, float]:
        """Lost in the switch, conducting and switching, and in the diode, W."""
        if self.amps <= 0:
            return 0.0, 0.0, 0.0
        through = now.rms(now.duty, self.amps, f"{KEY}.switch_rms", worksheet)
        conducts = worksheet.work(f"{KEY}.conduction", stage.conduction_loss, I_rms=through, R_DS=self.resistance(celsius))
        if now.falls <= 0:  # it stays on
            return conducts, 0.0, 0.0
        valley = 0.0 if now.dry else max(0.0, self.amps - now.swing / 2)
        swept = {"V": self.v_in, "Q_rr": recovered_charge(self.diode, valley), "f": self.hertz}
        edges = {"V": self.v_in, "f": self.hertz}
        switches = worksheet.total(
            f"{KEY}.switching",
            {
                "turning on": stage.switching_loss.work(edges | {"I": valley, "t_r": self.edge, "t_f": 0.0}),
                "turning off": stage.switching_loss.work(edges | {"I": now.peak, "t_r": 0.0, "t_f": self.edge}),
                "what the diode recovers": rectifier.partner_recovery.work(swept | {"I": valley, "t_rr": self.diode.t_rr}),
                "capacitances": stage.capacitive_loss.work(edges | {"C_oss": self.switch.c_oss + self.diode.c_j}),
            },
        )
        beside = now.rms(now.falls, self.amps, f"{KEY}.diode_rms", worksheet)
        mean = now.mean(now.falls, self.amps)
        burns = worksheet.work(
            f"{KEY}.diode_conduction", rectifier.diode_conduction, V_0=self.diode.v_0, I_avg=mean, r=self.diode.r, I_rms=beside
        )
        return conducts, switches, burns + rectifier.diode_recovery.work(swept)


def assess(
    v_in: float, power: float, build: AuxiliaryOutputBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> AuxiliaryState:
    """What it does on a voltage at the input bank, V, and a power at its socket, W."""
    switch, diode, can = (shelf.get(Mosfet, build.switch), shelf.get(Diode, build.diode), shelf.get(Capacitor, build.capacitor))
    made, work, total, hertz = choke_of(build, shelf), worksheet.work, worksheet.total, build.frequency
    volts = asked_of(brief).voltage
    amps = power / volts
    here = _Fitted(switch, diode, hertz, edge_time(switch), v_in, volts, amps, made.inductance_at(amps))
    air = brief.targets.ambient + rules.enclosure_rise
    sink = sink_resistance(shelf, build.sink, build.fan)
    coil, celsius, junction = 0.0, air, air
    for turn in range(TURNS):
        book_ = worksheet if turn == TURNS - 1 else SILENT
        now = here.flow(junction, coil, book_)
        whole = now.rms(now.flowing, amps, f"{KEY}.choke_rms", book_) if amps > 0 else 0.0
        fast = book_.work(f"{KEY}.bank_ripple", book.beside_mean, I_rms=max(whole, amps), I_avg=amps)
        need = ChokeNeed(build.inductance, now.peak, amps, now.swing, fast, hertz, air)
        lost = choke_loss(made, need, min(celsius, HOTTEST), now.duty, 1.0, book_, KEY)
        coil, celsius = lost.resistance, air + rise(lost.total, made.stack.surface)

        def losses(celsius: float, coil: float = coil) -> tuple[float, float]:
            conducts, switches, burns = here.burnt(here.flow(celsius, coil, SILENT), celsius, SILENT)
            return conducts + switches, conducts + switches + burns

        junction = hottest_junction(KEY, losses, switch.r_jc, switch.t_j_max, air, sink, rules, book_)
    conducts, switches, burns = here.burnt(now, junction, worksheet)
    gates = {"Q_g": switch.q_g, "V_drive": rules.gate_drive, "f": hertz, "n_sw": 1.0}
    control = total(
        f"{KEY}.control",
        {"gate": stage.gate_power.work(gates) if amps > 0 else 0.0, "controller": QUIESCENT * rules.gate_drive},
    )
    burnt = {"switch, conducting": conducts, "switch, switching": switches, "diode": burns, "choke": lost.total}
    loss = total(f"{KEY}.loss", burnt | {"control": control})
    ripple = 0.0
    if now.swing > 0:
        ripple = work(
            f"{KEY}.ripple",
            book.output_ripple,
            dI=now.swing,
            ESR=can.esr / build.count,
            I_pk=now.peak,
            I_out=amps,
            D_tot=now.flowing,
            f_s=hertz,
            C=build.count * can.c,
        )
    through = now.rms(now.duty, amps, f"{KEY}.switch_rms", worksheet) if amps > 0 else 0.0
    taken = now.mean(now.duty, amps)
    limit = max(build.limit, now.peak)
    spike = work(f"{KEY}.spike", book.edge_spike, L_lk=LOOP, I_pk=limit, t_sw=here.edge)
    stands = total(f"{KEY}.peak_voltage", {"input": v_in, "spike of the loop": spike})
    return AuxiliaryState(
        voltage=volts,
        current=amps,
        power=power,
        drawn=(power + loss) / v_in,
        power_in=power + loss,
        duty=now.duty,
        falls=now.falls,
        on_time=now.duty / hertz,
        swing=now.swing,
        peak=now.peak,
        switch_rms=through,
        diode_average=now.mean(now.falls, amps),
        peak_voltage=stands,
        conduction=conducts,
        switching=switches,
        diode_loss=burns,
        control=control,
        choke_peak=limit,
        choke_flux=work(
            f"{KEY}.choke_flux", magnetics.choke_flux, L=build.inductance, I_pk=limit, N=build.turns, A_e=made.stack.a_e
        ),
        choke_copper=lost.copper,
        choke_core=lost.core,
        choke_temperature=total(
            f"{KEY}.choke_temperature", {"air in the case": air, "rise": rise(lost.total, made.stack.surface)}
        ),
        bank_ripple=fast,
        ripple=ripple,
        input_ripple=work(f"{KEY}.input_ripple", book.beside_mean, I_rms=max(through, taken), I_avg=taken),
        junction=junction,
        diode_junction=work(
            f"{KEY}.diode_junction",
            heat.shared_sink_junction,
            T_a=air + KELVIN,
            P_loss=burns,
            R_jc=diode.r_jc,
            R_cs=rules.pad_resistance,
            P_total=conducts + switches + burns,
            R_sa=sink,
        )
        - KELVIN,
        loss=loss,
    )


def parts(build: AuxiliaryOutputBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Switch, diode, choke, output capacitors, heat-sink; fuse and thyristor are bought by their ratings."""
    return (
        fitted("Q1", "switch", shelf.get(Mosfet, build.switch), fields=("switch",)),
        fitted("D1", "diode", shelf.get(Diode, build.diode), fields=("diode",)),
        *choke_parts(build, shelf, "choke"),
        fitted("C1", "output capacitor", shelf.get(Capacitor, build.capacitor), build.count, fields=("capacitor",)),
        fitted("HS1", "heat-sink", shelf.get(HeatSink, build.sink), fields=("sink",)),
    )
