"""Precharge of the input bank: an empty capacitor on a stiff source is a short, so a resistor fills it before the contactor
closes."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from pydantic import Field

from rhombos.core.blocks.base import Build, options, part
from rhombos.core.book import source
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, resistor
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Resistor, Shelf
from rhombos.core.units.preferred import E12, at_most
from rhombos.core.units.quantities import Ampere, Ohm, Ratio, Second, Volt, Watt
from rhombos.core.units.solvers import integral

KEY: Key[PrechargeBuild, PrechargeState] = Key("precharge")
TITLE = "Precharge"
WANTED = 1.0
"""Time that a proposal takes to precharge, s: quick enough for a person, slow enough for a small resistor."""
TIMEOUTS = 3.0
"""Time-out over the time that a sound precharge takes."""
DROPS_OUT = 0.4
"""Share of the source below which a load of constant power draws nothing: its converter has locked out."""
PULSE_MARGIN = 0.3
"""Part of a resistor's pulse energy that stays in reserve."""
LEFT_IN_OHMS = 1e3
"""Resistor that is left across the contactor, where that school is followed: it warms little, and takes its time."""
CONTACT = 0.5e-3
"""Resistance of a closed contactor, Ω."""
RELAYS = (2, 5, 10, 16, 30, 40, 60, 100)
CONTACTORS = (20, 40, 60, 80, 100, 150, 200, 300, 400, 500, 800, 1000)
"""Usual currents of relays and contactors, A."""
BREAKS = (15, 30, 60, 80, 125, 250, 450, 750, 1000, 1500)
"""Voltages that usual contacts break as DC, V."""
RESTS = (10, 30, 100, 300)
"""Rest between tries over the time-out, the shortest that some resistor stands."""
CLOSES = (0.95, 0.97, 0.98, 0.99, 0.995)
MAKES = 10.0
"""What a usual contactor makes without welding, over its rated current."""
GAP = 1e-6
"""Share of the closing voltage by which an equilibrium counts as missed."""


SWITCHED, LEFT = "switched", "left across the contactor"
CONTROL, NEGATIVE, CLOSING, RELEASING = 0.2, 0.1, 0.05, 0.1
"""How long each step of a proposed start lasts, s: control supply, negative contactor, positive contactor, relay."""
EMPTY = 0.1
"""Share of the source that the bus must lie below before the relay: else the contactor is bridged, or the reading is wrong."""
PULLS_IN = 0.03
"""What a contactor takes to close for sure, s."""


class PrechargeBuild(Build):
    """Resistor, when the contactor closes, how long is waited, how often it is tried again, and what draws meanwhile."""

    school: str = options("Resistor", SWITCHED, LEFT)
    resistor: Ohm = Field(ge=0.5, le=1e5, title="Precharge resistor")
    type: str = part("resistor", "Resistor type")
    close_at: Ratio = Field(ge=0.5, le=0.995, title="Closes at, share of the source")
    timeout: Second = Field(ge=0.01, le=120, title="Time-out")
    tries: int = Field(ge=1, le=10, title="Tries before it locks")
    rest: Second = Field(ge=0, le=600, title="Rest between tries")
    load: str = options("Draws meanwhile", "nothing", "a resistance", "constant power")
    load_power: Watt = Field(ge=0, le=1e5, title="What it draws at full voltage")
    wakes: Second = Field(CONTROL, ge=0.01, le=10, title="Control supply first, for")
    joins: Second = Field(NEGATIVE, ge=0.01, le=10, title="Negative contactor before the relay")
    closing: Second = Field(CLOSING, ge=0.001, le=5, title="Positive contactor before the relay lets go")
    releasing: Second = Field(RELEASING, ge=0.001, le=5, title="Relay release before running")
    empty_below: Ratio = Field(EMPTY, ge=0.005, le=0.5, title="Bus counts as empty below")
    relay: Ampere = Field(ge=0.1, le=500, title="Precharge relay, rated")
    contactor: Ampere = Field(ge=1, le=2000, title="Contactor, rated")
    contact_volts: Volt = Field(ge=5, le=2000, title="Contacts break, DC")


@dataclass(frozen=True, slots=True)
class PrechargeNeed:
    """Highest source voltage, V; its resistance with leads and its inductance, Ω, H; bank, F, and its series resistance, Ω;
    what the contactor carries continuously, A; what the input's parts are rated for, V."""

    volts: float
    resistance: float
    inductance: float
    bank: float
    esr: float
    current: float = 0.0
    stands: float = math.inf


@dataclass(frozen=True, slots=True)
class PrechargeState:
    """Times, s (infinite where it never gets there); V, A, J, W. `fault_energy` is that of a shorted bus for the time-out,
    infinite where nothing switches the resistor off. `plugged` and `plugged_current` are what an empty bank swings to, and
    draws, that is put on the source at once, past all of this."""

    time: float
    ceiling: float
    energy: float
    peak_current: float
    peak_power: float
    inrush: float
    fault_energy: float
    mean_power: float
    leak: float
    volts: float
    closes: float
    plugged: float
    plugged_current: float
    loss: float = 0.0


CRITICAL = 1e-3
"""How near to critical damping a path counts as just below it."""


def propose(need: PrechargeNeed, pins: Fields, shelf: Shelf, rules: Rules) -> PrechargeBuild:
    """A resistor that fills the bank in a second and stands a shorted bus for the whole time-out."""
    fields: Fields = {
        "school": SWITCHED,
        "close_at": _closes(need),
        "tries": 3,
        "load": "nothing",
        "load_power": 0.0,
    } | pins
    k = fields["close_at"]
    if "resistor" not in fields:
        if fields["school"] != SWITCHED:
            carries = max(r.power * (1 - rules.resistor_margin) for r in shelf.all(Resistor))
            wanted = max(LEFT_IN_OHMS, 1.05 * need.volts**2 / carries)  # a shorted bus leaves the whole voltage on it
        else:
            wanted = -WANTED / (need.bank * math.log(1 - k))
            most = _most_resistance(need, fields)
            wanted = min(wanted, 0.7 * most)
        fields["resistor"] = at_most(min(1e5, max(0.5, wanted)), E12)
    ohms = fields["resistor"]
    if "timeout" not in fields:
        sound = _arrival(need, PrechargeBuild.model_construct(**fields), SILENT)[1]
        if math.isinf(sound):
            sound = source.precharge_time.work({"R": ohms, "C": need.bank, "k": k})
        fields["timeout"] = float(f"{min(120.0, max(0.01, TIMEOUTS * sound)):.2g}")
    if "rest" not in fields:
        rests = [float(f"{min(600.0, max(5.0, n * fields['timeout'])):.2g}") for n in RESTS]
        fields["rest"] = next((r for r in rests if _able(need, {**fields, "rest": r}, shelf, rules)), rests[-1])
    fields.setdefault("relay", _rated(RELAYS, source.precharge_peak_current.work({"V": need.volts, "R": ohms})))
    fields.setdefault("contactor", _rated(CONTACTORS, need.current))
    fields.setdefault("contact_volts", _rated(BREAKS, need.volts))
    if "type" not in fields:
        fields["type"] = _series(need, fields, shelf, rules)
    return PrechargeBuild.within(fields)


def _closes(need: PrechargeNeed) -> float:
    """The earliest usual closing that spares the contactor, share of the source."""
    makes = MAKES * _rated(CONTACTORS, need.current)
    path = need.resistance + need.esr + CONTACT
    return next((k for k in CLOSES if source.closing_inrush.work({"k": k, "V": need.volts, "R_s": path}) <= makes), CLOSES[-1])


def _rated(ratings: tuple[float, ...], least: float) -> float:
    return float(next((r for r in ratings if r >= least), ratings[-1]))


def _most_resistance(need: PrechargeNeed, fields: Fields) -> float:
    """The largest resistor with which the load that draws meanwhile still lets the bus arrive, Ω."""
    power, k = fields["load_power"], fields["close_at"]
    if fields["load"] == "nothing" or power <= 0:
        return math.inf
    if fields["load"] == "a resistance":
        return float((1 / k - 1) * need.volts**2 / power)
    return float(min((1 - x) * x * need.volts**2 / power for x in (DROPS_OUT, k)))


def _series(need: PrechargeNeed, fields: Fields, shelf: Shelf, rules: Rules) -> str:
    """The cheapest series that stands the voltage, a short for the time-out, and the mean of all tries; else the strongest."""
    if able := _able(need, fields, shelf, rules):
        return min(able, key=lambda r: (r.price, r.id)).id
    ohms = fields["resistor"]
    return max(shelf.all(Resistor), key=lambda r: (r.r_low <= ohms <= r.r_high, r.pulse, r.id)).id


def _able(need: PrechargeNeed, fields: Fields, shelf: Shelf, rules: Rules) -> list[Resistor]:
    """Every series that stands the voltage, a short for the time-out, and the mean of all tries; of a pinned one, that."""
    ohms = fields["resistor"]
    rest = fields["rest"] if fields["school"] == SWITCHED else 0.0
    mean = source.precharge_mean_power.work({"V": need.volts, "R": ohms, "t": fields["timeout"], "t_rest": rest})
    return [
        r
        for r in shelf.all(Resistor)
        if fields.get("type", r.id) == r.id
        and r.r_low <= ohms <= r.r_high
        and r.v_rating >= need.volts
        and r.power * (1 - rules.resistor_margin) >= mean
        and (fields["school"] != SWITCHED or r.pulse * (1 - PULSE_MARGIN) >= _pulse(need, ohms, fields["timeout"], r))
    ]


def _pulse(need: PrechargeNeed, ohms: float, timeout: float, series: Resistor) -> float:
    """Energy of a shorted bus beyond what the series carries continuously, J."""
    beyond = source.precharge_fault_energy.work({"V": need.volts, "R": ohms, "P": series.power, "t": timeout})
    return max(0.0, beyond)


def assess(need: PrechargeNeed, build: PrechargeBuild, shelf: Shelf, rules: Rules, worksheet: Worksheet) -> PrechargeState:
    """Time, energies and currents; with a load that draws meanwhile, whether it ever gets there."""
    work, volts, ohms, k = worksheet.work, need.volts, build.resistor, build.close_at
    series = shelf.get(Resistor, build.type)
    peak = work("precharge.peak_current", source.precharge_peak_current, V=volts, R=ohms)
    burnt = work("precharge.peak_power", source.precharge_peak_power, V=volts, R=ohms)
    ceiling, time, energy = _arrival(need, build, worksheet)
    path = need.resistance + need.esr + CONTACT
    by_path = source.closing_inrush.work({"k": k, "V": volts, "R_s": path})
    by_leads = {"k": k, "V": volts, "C": need.bank, "L": need.inductance}
    if need.inductance > 0 and source.closing_inrush_bound.work(by_leads) < by_path:
        inrush = work("precharge.inrush", source.closing_inrush_bound, **by_leads)
    else:
        inrush = work("precharge.inrush", source.closing_inrush, k=k, V=volts, R_s=path)
    leak = burnt if build.school != SWITCHED else 0.0
    fault = (
        math.inf
        if leak
        else worksheet.total(
            "precharge.fault_energy",
            {
                "shorted bus for the whole time-out, beyond what it carries continuously": _pulse(
                    need, ohms, build.timeout, series
                )
            },
        )
    )
    mean = leak or work(
        "precharge.mean_power", source.precharge_mean_power, V=volts, R=ohms, t=build.timeout, t_rest=build.rest
    )
    if leak:
        worksheet.total("precharge.mean_power", {"across an empty bus, continuously": leak})
    swings, surges = _plugged(need, worksheet)
    return PrechargeState(
        time=time,
        ceiling=ceiling,
        energy=energy,
        peak_current=peak,
        peak_power=burnt,
        inrush=inrush,
        fault_energy=fault,
        mean_power=mean,
        leak=peak if leak else 0.0,
        volts=volts,
        closes=k * volts,
        plugged=swings,
        plugged_current=surges,
    )


def _plugged(need: PrechargeNeed, worksheet: Worksheet) -> tuple[float, float]:
    """What an empty bank swings to, V, and draws, A, that is plugged in live."""
    path = need.resistance + need.esr + CONTACT
    if need.inductance <= 0:
        peak = worksheet.work("precharge.plugged_current", source.closing_inrush, k=0.0, V=need.volts, R_s=path)
        return worksheet.total("precharge.plugged", {"the source": need.volts}), peak
    way = {"C": need.bank, "L": need.inductance}
    zeta = source.series_damping.work({"R_s": path, **way})
    if abs(zeta - 1) < CRITICAL:
        zeta = 1 - CRITICAL
    if zeta >= 1:
        peak = worksheet.work("precharge.plugged_current", source.plugged_damped, V=need.volts, zeta_slow=zeta, **way)
        return worksheet.total("precharge.plugged", {"the source": need.volts}), peak
    peak = worksheet.work("precharge.plugged_current", source.plugged_current, V=need.volts, zeta=zeta, **way)
    return worksheet.work("precharge.plugged", source.plugged_peak, V=need.volts, zeta=zeta), peak


def _arrival(need: PrechargeNeed, build: PrechargeBuild, worksheet: Worksheet) -> tuple[float, float, float]:
    """Ceiling, V; time to the closing voltage, s, and energy in the resistor till then, J: infinite where it never gets
    there."""
    if build.load == "nothing" or build.load_power <= 0:
        k = build.close_at
        return (
            need.volts,
            worksheet.work("precharge.time", source.precharge_time, R=build.resistor, C=need.bank, k=k),
            worksheet.work("precharge.energy", source.precharge_energy, C=need.bank, V=need.volts, k=k),
        )
    return _against_resistance(need, build, worksheet) if build.load == "a resistance" else _against_power(need, build)


def _against_resistance(need: PrechargeNeed, build: PrechargeBuild, worksheet: Worksheet) -> tuple[float, float, float]:
    """Ceiling, V, time, s, and energy in the resistor, J, with a resistance across the bus."""
    volts, ohms, k = need.volts, build.resistor, build.close_at
    load = volts**2 / build.load_power
    ceiling = worksheet.work("precharge.ceiling", source.precharge_ceiling, V=volts, R=ohms, R_L=load)
    if k * volts >= ceiling * (1 - GAP):
        return ceiling, math.inf, math.inf
    tau = worksheet.work("precharge.tau", source.loaded_precharge_constant, C=need.bank, R=ohms, R_L=load)
    time = worksheet.work("precharge.time", source.loaded_precharge_time, tau=tau, k=k, V=volts, V_inf=ceiling)
    energy = worksheet.work("precharge.energy", source.loaded_precharge_energy, V=volts, V_inf=ceiling, tau=tau, t=time, R=ohms)
    return ceiling, time, energy


def _against_power(need: PrechargeNeed, build: PrechargeBuild) -> tuple[float, float, float]:
    """The same with a load of constant power above its lock-out: by integration over the bus voltage."""
    volts, ohms, k = need.volts, build.resistor, build.close_at
    lock, end = DROPS_OUT * volts, k * volts
    taken = build.load_power * ohms

    def spare(v: float) -> float:
        return (volts - v) * v - taken

    # the spare current is least at an end: (V − v)·v is a hill
    if spare(lock) <= GAP * volts**2:
        return lock, math.inf, math.inf
    ceiling = source.constant_power_rest.work({"V": volts, "P": build.load_power, "R": ohms})
    if spare(end) <= GAP * volts**2:
        return ceiling, math.inf, math.inf
    time = source.precharge_time.work({"R": ohms, "C": need.bank, "k": DROPS_OUT})
    time += integral(lambda v: ohms * need.bank * v / spare(v), lock, end)
    energy = source.precharge_energy.work({"C": need.bank, "V": volts, "k": DROPS_OUT})
    energy += integral(lambda v: (volts - v) ** 2 * need.bank * v / spare(v), lock, end)
    return ceiling, float(time), float(energy)


def parts(build: PrechargeBuild, shelf: Shelf) -> tuple[Item, ...]:
    """The resistor; relay and contactor are bought by their ratings."""
    return (resistor("R1", "precharge resistor", shelf.get(Resistor, build.type), build.resistor, ("type", "resistor")),)


def requirements(build: PrechargeBuild, state: PrechargeState, coil: float) -> Iterator[Requirement]:
    """Relay and contactor, whose coils run on so many volts."""
    exact = {"v_coil": coil}
    if build.school == SWITCHED:
        least = {"i_rating": build.relay, "v_dc": build.contact_volts}
        yield Requirement(KEY, "part_relay", "Precharge relay", "relay", "K1", least=least, exact=exact)
    least = {"i_rating": build.contactor, "v_dc": build.contact_volts, "i_make": state.inrush}
    yield Requirement(KEY, "part_contactor", "Contactor", "contactor", "K2", least=least, exact=exact)
