"""The auxiliary output as it is proposed: the cheapest parts that stand the source and carry the current."""

from __future__ import annotations

import math

import numpy as np

from rhombos.core.blocks.auxiliary_output import (
    CROWBAR,
    DRIVEN,
    LEAST_ON,
    LIMITED,
    LOOP,
    AuxiliaryOutputBuild,
    AuxiliaryState,
    asked_of,
    assess,
    flow,
)
from rhombos.core.blocks.base import recovered_charge, remembered
from rhombos.core.blocks.cooling import Array, propose_sink, steady_limit
from rhombos.core.blocks.wound import choke_of, wind
from rhombos.core.book import link, rectifier, stage
from rhombos.core.book import step_down as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.points import OVER_FULL
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.magnetics.choke import ChokeNeed
from rhombos.core.parts import Capacitor, Diode, HeatSink, Mosfet, Shelf

USUAL, SLOWEST, STEP = 100e3, 25e3, 5e3
"""Switching frequency, Hz: the usual one; the lowest that is proposed, above hearing; what proposed ones are multiples of."""
EDGES, SCHOTTKY, EDGES_LOSE = 60e-9, 100.0, 0.04
"""Both edges of a usual switch together, s, and the source, V, from which what a diode recovers takes as long again; share of
the output's power that they may burn where a frequency is chosen."""
SWING = 0.3
"""Swing of the choke over the current at full power, on the highest input."""
RIPPLE_USED = 0.8
"""Share of the ripple that is asked which a proposal uses."""
FUSES = (0.1, 0.16, 0.25, 0.4, 0.63, 1.0, 1.6, 2.5, 4.0, 6.3, 10.0, 16.0, 25.0, 32.0, 40.0, 63.0, 100.0)
SAGGED = 0.9
"""What is left of the lowest input at the bank."""
HOT = 1.6
"""On-resistance of a switch as hot as it may become, over that at 25 °C, while parts are chosen."""
SPARE, FUSED = 1.02, 1.1
"""What is left for a source that sags further; of a fuse, which carries the pulses of that, more."""
WARM = 0.8
"""Share of a junction's room above the air that parts are chosen for."""


@remembered
def propose(brief: Brief, pins: Fields, shelf: Shelf, rules: Rules) -> AuxiliaryOutputBuild:
    """Frequency, choke, switch, diode, output bank, heat-sink, in this order. Pinned fields stay."""
    asked = asked_of(brief)
    volts, amps = asked.voltage, asked.power.continuous / asked.voltage
    low, _, full = brief.source.volts
    fields = dict(pins)
    if "frequency" not in fields:
        quiet = EDGES_LOSE * volts / (full * (EDGES if full < SCHOTTKY else 2 * EDGES))
        fields["frequency"] = STEP * math.floor(min(USUAL, max(SLOWEST, min(volts / full / (2 * LEAST_ON), quiet))) / STEP)
    hertz = float(fields["frequency"])
    if "inductance" not in fields:
        wanted = book.inductance.work({"V_out": volts, "V_in": full, "dI": SWING * amps, "f_s": hertz})
        fields["inductance"] = float(f"{min(1.0, max(1e-6, wanted)):.2g}")
    swing = book.inductance.invert("dI", {"V_out": volts, "V_in": full, "L": fields["inductance"], "f_s": hertz})
    fields.setdefault("limit", float(f"{LIMITED * (amps + swing / 2):.2g}"))
    air = brief.targets.ambient + rules.enclosure_rise
    fields = wind(
        ChokeNeed(
            fields["inductance"], SPARE * fields["limit"], amps, swing, link.triangle_rms.work({"dI": swing}), hertz, air
        ),
        fields,
        shelf,
        rules,
    )
    fields |= _pair(volts, amps, swing, fields, brief, shelf, rules)
    # a powder core has less of its inductance under current; and the diode's drop counts beside a low voltage
    left = choke_of(AuxiliaryOutputBuild.model_construct(None, **fields), shelf).inductance_at(amps)
    diode = shelf.get(Diode, fields["diode"])
    swing = flow(full, volts, diode.v_0 + diode.r * amps, amps, left, hertz, SILENT).swing
    fields |= {k: v for k, v in _cans(volts, swing, hertz, fields, brief, shelf, rules).items() if k not in fields}
    pulses = book.conducted.work({"D_tot": min(1.0, volts / (SAGGED * low)), "I_out": amps, "dI": swing})
    fields = {"guard": CROWBAR, "fuse": next((f for f in FUSES if f >= FUSED * rules.fuse_factor * pulses), FUSES[-1])} | fields
    if "sink" not in fields or "fan" not in fields:
        draft = AuxiliaryOutputBuild.within({"sink": shelf.all(HeatSink)[0].id, "fan": False} | fields)
        ends = (assess(v, asked.power.continuous, draft, brief, shelf, rules, SILENT) for v in (SAGGED * low, full))
        sink, fan = _sink(tuple(ends), draft, brief, shelf, rules)
        fields = {"sink": sink, "fan": fan} | fields
    return AuxiliaryOutputBuild.within(fields)


def _pair(volts: float, amps: float, swing: float, fields: Fields, brief: Brief, shelf: Shelf, rules: Rules) -> Fields:
    """Switch and diode: the switch burns what the diode recovers, the diode stands what the switch's edges make."""
    limit, hertz = fields["limit"], fields["frequency"]
    switch, diode = fields.get("switch"), fields.get("diode")
    swept = 0.0
    for _ in range(2):
        one = shelf.get(Mosfet, switch) if switch else _switch(volts, amps, swing, limit, swept, hertz, brief, shelf, rules)
        two = shelf.get(Diode, diode) if diode else _diode(volts, amps, limit, hertz, one, brief, shelf, rules)
        swept = rectifier.partner_recovery.work(
            {"V": brief.source.volts[2], "I": amps, "t_rr": two.t_rr, "Q_rr": recovered_charge(two, amps), "f": hertz}
        )
    return {"switch": one.id, "diode": two.id}


def _switch(
    volts: float,
    amps: float,
    swing: float,
    limit: float,
    swept: float,
    hertz: float,
    brief: Brief,
    shelf: Shelf,
    rules: Rules,
) -> Mosfet:
    """The cheapest switch, watts counted in, that stands the highest input with the spike of its loop; `swept` is what it burns
    of what the diode recovers, W."""
    low, _, full = brief.source.volts
    parts, one = shelf.all(Mosfet), shelf.columns(Mosfet)
    edge = stage.plateau_time(Q_sw=one.q_sw, I_gate=DRIVEN)
    spike = book.edge_spike(L_lk=LOOP, I_pk=limit, t_sw=edge)
    stands = (full + spike) / (1 - rules.switch_voltage_margin)
    lost = np.zeros(len(parts))
    for v_in in (low, full):
        share = min(1.0, volts / (SAGGED * v_in))
        through = book.conducted.work({"D_tot": share, "I_out": amps, "dI": swing})
        conducts = stage.conduction_loss(I_rms=through, R_DS=HOT * one.r_on)
        switches = stage.switching_loss(V=v_in, I=amps, t_r=edge, t_f=edge, f=hertz)
        lost = np.maximum(lost, conducts + switches + swept + stage.capacitive_loss(C_oss=one.c_oss, V=v_in, f=hertz))
    room = WARM * (steady_limit(rules, one.t_j_max) - brief.targets.ambient - rules.enclosure_rise - rules.sink_rise)
    trouble = (
        np.maximum(0, stands / one.v_rating - 1)
        + np.maximum(0, OVER_FULL * (full + spike) / one.v_rating - 1)
        + np.maximum(0, lost * (one.r_jc + rules.pad_resistance) / room - 1)
    )
    return parts[int(np.argmin(_score(shelf.column(Mosfet, "placed"), lost, trouble, rules)))]


def _diode(
    volts: float, amps: float, limit: float, hertz: float, switch: Mosfet, brief: Brief, shelf: Shelf, rules: Rules
) -> Diode:
    """The cheapest diode, watts counted in, that stands what the switch sees, recovers in time, and carries the current limit,
    A, while the output is shorted."""
    full = brief.source.volts[2]
    edge = stage.plateau_time.work({"Q_sw": switch.q_sw, "I_gate": DRIVEN})
    spike = book.edge_spike.work({"L_lk": LOOP, "I_pk": limit, "t_sw": edge})
    parts, one = shelf.all(Diode), shelf.columns(Diode)
    share = 1 - volts / full
    conducts = rectifier.diode_conduction(V_0=one.v_0, I_avg=share * amps, r=one.r, I_rms=math.sqrt(share) * amps)
    swept = 3 * rectifier.diode_recovery(V=full, Q_rr=recovered_charge(one, amps), f=hertz)
    reverse = full + spike
    room = WARM * (steady_limit(rules, one.t_j_max) - brief.targets.ambient - rules.enclosure_rise - rules.sink_rise)
    trouble = (
        np.maximum(0, reverse / (one.v_rating * (1 - rules.diode_voltage_margin)) - 1)
        + np.maximum(0, share * amps / (one.i_rating * (1 - rules.diode_current_margin)) - 1)
        + np.maximum(0, limit / one.i_rating - 1)
        + np.maximum(0, rectifier.recovery_share(t_rr=one.t_rr, f=hertz) / rules.recovery_share - 1)
        + np.maximum(0, conducts * (one.r_jc + rules.pad_resistance) / room - 1)
    )
    return parts[int(np.argmin(_score(shelf.column(Diode, "placed"), conducts + swept, trouble, rules)))]


def _score(placed: Array, lost: Array, trouble: Array, rules: Rules) -> Array:
    """What parts cost with the worth of their losses; those that break a rule come last, the least broken first."""
    return np.where(trouble > 0, 1e6 * (1 + trouble), placed + rules.watt_worth * lost)


def _cans(volts: float, swing: float, hertz: float, fields: Fields, brief: Brief, shelf: Shelf, rules: Rules) -> Fields:
    """The cheapest output bank that carries the swing and keeps the ripple."""
    most = RIPPLE_USED * asked_of(brief).ripple * volts
    carried = SPARE * link.triangle_rms.work({"dI": swing})
    best: tuple[float, str, int] | None = None
    for can in shelf.all(Capacitor):
        stood = volts <= can.v_rating * (1 - rules.input_capacitor_margin)
        if fields.get("capacitor", can.id) != can.id or (
            "capacitor" not in fields and (can.family != "electrolytic" or not stood)
        ):
            continue
        carries = math.ceil(carried / (can.i_ripple * (1 - rules.ripple_current_margin)))
        alone = book.output_ripple.work(
            {"dI": swing, "ESR": can.esr, "I_pk": swing / 2, "I_out": 0.0, "D_tot": 1.0, "f_s": hertz, "C": can.c}
        )
        count = int(fields.get("count", max(1, carries, math.ceil(alone / most))))
        key = (count * can.price + max(0, count - 60) * 1e3, can.id, count)
        best = key if best is None or key < best else best
    if best is None:
        return {"capacitor": max(shelf.all(Capacitor), key=lambda c: c.v_rating).id, "count": 1}
    return {"capacitor": best[1], "count": min(60, best[2])}


def _sink(
    ends: tuple[AuxiliaryState, ...], draft: AuxiliaryOutputBuild, brief: Brief, shelf: Shelf, rules: Rules
) -> tuple[str, bool]:
    """The heat-sink for switch and diode at either end of the input: each junction stays within what the rules allow."""
    air = brief.targets.ambient + rules.enclosure_rise
    most, heat = math.inf, 0.0
    for end in ends:
        heat = max(heat, end.conduction + end.switching + end.diode_loss)
        for lost, device in (
            (end.conduction + end.switching, shelf.get(Mosfet, draft.switch)),
            (end.diode_loss, shelf.get(Diode, draft.diode)),
        ):
            most = min(most, steady_limit(rules, device.t_j_max) - air - lost * (device.r_jc + rules.pad_resistance))
    return propose_sink(shelf, rules, SPARE * heat, WARM * most)
