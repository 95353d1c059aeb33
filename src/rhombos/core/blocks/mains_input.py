"""The input of a unit on one-phase mains: inrush limiter, four diodes, a bank and its bleeder, judged by what the mains, the
bank and a load of constant power come to together."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from pydantic import Field

from rhombos.core.blocks.base import Build, options, part, propose_resistor
from rhombos.core.blocks.cooling import hottest_junction, propose_sink, sink_resistance, steady_limit
from rhombos.core.blocks.input_bank import banks_for, cans_for
from rhombos.core.book import link as link_book
from rhombos.core.book import mains as book
from rhombos.core.book import source as source_book
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted, resistor
from rhombos.core.frame.keys import Key
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Capacitor, Diode, HeatSink, Resistor, Shelf
from rhombos.core.units.preferred import E6, at_least, at_most
from rhombos.core.units.quantities import Count, Ohm, Second, Volt, Watt
from rhombos.core.waves.line_rectifier import Mains, Rectified, rectified

KEY: Key[MainsInputBuild, MainsState] = Key("mains_input")
TITLE = "Mains input"
NONE, RELAY = "none", "relay"
TRIPS = 40.0
"""Inrush, A peak, that trips no household breaker of 16 A."""
WARM = 0.05
"""Resistance of a thermistor that carries its current, over that at 25 °C."""
COLD_LESS = 0.8
"""Lower end of a cold thermistor's tolerance."""
BURNS = 0.01
"""Share of the power that a limiter may burn before a proposal bridges it with a relay."""
RESERVE = 1.05
LIKELY_OHMS, LIKELY_DROP, LIKELY_LOSS = 0.05, 1.6, 1.02
"""Of diodes that are not chosen yet: slope of two, Ω, threshold of two, V; and power with what a bleeder takes."""
TRIES, MORE = 14, 1.25
"""Banks that a proposal tries, each so much larger than the one before."""
HEATED = 1.1
"""What the sink is proposed for, over what the diodes burn."""


class MainsInputBuild(Build):
    """Limiter and what bridges it, diodes and what cools them, bank and bleeder."""

    limiter: Ohm = Field(ge=0, le=1000, title="Inrush limiter, cold")
    bypass: str = options("Limiter bridged by", NONE, RELAY)
    diode: str = part("diode", "Rectifier diode, each of four")
    sink: str = part("heat_sink", "Heat-sink")
    fan: bool = Field(title="Fan on the heat-sink")
    capacitor: str = part("capacitor", "Bank capacitor")
    count: Count = Field(ge=1, le=60, title="Bank capacitors in parallel")
    banks: Count = Field(ge=1, le=4, title="Bank capacitors in series")
    bleeder: Ohm = Field(ge=100, le=10e6, title="Bleeder")
    bleeder_part: str = part("resistor", "Bleeder series")


@dataclass(frozen=True, slots=True)
class Line:
    """The mains, V RMS lowest, nominal and highest, Hz; resistance, Ω, and inductance, H, up to the socket; what the unit draws
    from its bank, W; the bank that its next stage still works at, V, and for how long without mains, s; °C around it."""

    volts: tuple[Volt, Volt, Volt]
    hertz: float
    ohms: Ohm
    henry: float
    power: Watt
    least: Volt
    hold_up: Second
    ambient: float

    @property
    def crest(self) -> float:
        """Highest, V."""
        return math.sqrt(2) * self.volts[2]


@dataclass(frozen=True, slots=True)
class MainsState:
    """What it comes to at a mains voltage and a load: V, A, W, s, °C; `falls` and `wanders` say that no half period repeats."""

    mean: float
    valley: float
    top: float
    ripple: float
    line_rms: float
    line_peak: float
    power_factor: float
    distortion: float
    third: float
    conducts: float
    diode_mean: float
    diode_rms: float
    junction: float
    bank_rms: float
    can_ripple: float
    hold_up: float
    limiter_loss: float
    diode_loss: float
    can_loss: float
    bleeder_loss: float
    loss: float
    drawn: float
    falls: bool
    wanders: bool


@lru_cache(maxsize=256)
def marched(line: Line, volts: float, power: float, build: MainsInputBuild, shelf: Shelf) -> Rectified:
    """Mains, diodes and bank together, for a power that is drawn from the bank beside its bleeder, W."""
    diode = shelf.get(Diode, build.diode)
    if power > 0:
        power += bled(volts, build)
    ohms = line.ohms + 2 * diode.r + warm(build)
    return rectified(Mains(volts, line.hertz, ohms, line.henry), 2 * diode.v_0, capacitance(build, shelf), power)


def bled(volts: float, build: MainsInputBuild) -> float:
    """What the bleeder takes at the crest of the mains, V RMS: W."""
    return link_book.bleeder_power.work({"V": math.sqrt(2) * volts, "R": build.bleeder})


def capacitance(build: MainsInputBuild, shelf: Shelf) -> float:
    """The bank, F."""
    return build.count * shelf.get(Capacitor, build.capacitor).c / build.banks


def esr(build: MainsInputBuild, shelf: Shelf) -> float:
    """Its series resistance, Ω."""
    return shelf.get(Capacitor, build.capacitor).esr * build.banks / build.count


def warm(build: MainsInputBuild) -> float:
    """The limiter while the unit runs, Ω."""
    return 0.0 if build.bypass == RELAY else WARM * build.limiter


def inrush(line: Line, build: MainsInputBuild, shelf: Shelf, limiter: float) -> float:
    """At the crest of the highest mains into an empty bank, A: as resistance or inductance lets through."""
    at_once = book.inrush.work({"V_rms": line.volts[2], "R_s": line.ohms, "R_ntc": limiter, "R_b": esr(build, shelf)})
    if line.henry <= 0:
        return at_once
    return min(at_once, book.inrush_bound.work({"V_rms": line.volts[2], "C": capacitance(build, shelf), "L": line.henry}))


def swings_to(line: Line, build: MainsInputBuild, shelf: Shelf, limiter: float) -> float:
    """The bank, V, when it is switched on empty at the crest of the highest mains through a limiter, Ω: inductance of the mains
    carries it beyond, unless resistance damps."""
    if line.henry <= 0:
        return line.crest
    ohms = line.ohms + limiter + esr(build, shelf)
    zeta = source_book.series_damping.work({"R_s": ohms, "C": capacitance(build, shelf), "L": line.henry})
    return line.crest if zeta >= 1 else source_book.plugged_peak.work({"V": line.crest, "zeta": zeta})


def hot(build: MainsInputBuild) -> float:
    """The limiter as it is met when the unit is switched on again at once, Ω: cold where a relay takes it out of the way."""
    return (COLD_LESS if build.bypass == RELAY else WARM) * build.limiter


def propose(line: Line, pins: Fields, shelf: Shelf, rules: Rules) -> MainsInputBuild:
    """Diodes by price and loss; a bank for the time without mains, the valley and its own ripple; a limiter below what trips a
    breaker; a bleeder for the time to touch. Pinned fields stay."""
    fields: Fields = {"banks": banks_for(line.crest, 1, shelf, rules)} | pins
    fields, ripple = _with_bank(line, fields, shelf, rules)
    through = ripple.diode_mean if ripple.held else line.power / line.least
    if "diode" not in fields:
        fields["diode"] = _diode(line, through / 2, shelf, rules)
    can = shelf.get(Capacitor, fields["capacitor"])
    bank = fields["count"] * can.c / fields["banks"]
    calm = source_book.series_damping.invert("R_s", {"zeta": 1.0, "C": bank, "L": line.henry}) if line.henry > 0 else 0.0
    wanted = max(0.0, line.crest / TRIPS - line.ohms, calm - line.ohms) / COLD_LESS
    fields.setdefault("limiter", at_least(max(0.1, wanted), E6) if wanted > 0 else 0.0)
    burnt = WARM * fields["limiter"] * (ripple.rms if ripple.held else 3 * through) ** 2
    fields.setdefault("bypass", RELAY if burnt > BURNS * line.power else NONE)
    if "bleeder" not in fields:
        asked = {"C": bank, "V": line.crest, "V_safe": rules.safe_voltage, "t": rules.bleed_time}
        fields["bleeder"] = at_most(min(10e6, max(100.0, 0.95 * link_book.bleed_time.invert("R", asked))))
    watts = link_book.bleeder_power.work({"V": line.crest, "R": fields["bleeder"]}) / fields["banks"]
    fields.setdefault(
        "bleeder_part",
        propose_resistor(shelf, rules, fields["bleeder"] / fields["banks"], watts, line.crest / fields["banks"]),
    )
    if "sink" not in fields or "fan" not in fields:
        draft = MainsInputBuild.within({"sink": shelf.all_ids("heat_sink")[0], "fan": False} | fields)
        if "bypass" not in pins and swings_to(line, draft, shelf, hot(draft)) > can.v_rating * fields["banks"]:
            fields["bypass"] = RELAY
        state = assess(line, line.volts[0], line.power, draft, shelf, rules, SILENT)
        diode = shelf.get(Diode, fields["diode"])
        inside = HEATED * state.diode_loss / 4 * (diode.r_jc + rules.pad_resistance)
        air = line.ambient + rules.enclosure_rise
        sink, fan = propose_sink(shelf, rules, HEATED * state.diode_loss, steady_limit(rules, diode.t_j_max) - air - inside)
        fields.setdefault("sink", sink)
        fields.setdefault("fan", fan)
    return MainsInputBuild.within(fields)


def _with_bank(line: Line, fields: Fields, shelf: Shelf, rules: Rules) -> tuple[Fields, Rectified]:
    """The fields with a bank that the march finds good at the lowest mains, and that march: begun from its energy, and more of
    it until the valley holds, the hold-up lasts and each pulse is like the one before."""
    chosen = "capacitor" in fields and "count" in fields
    least, ripple, ohms = _least_bank(line), 0.0, line.ohms + LIKELY_OHMS
    steady: tuple[Fields, Rectified] | None = None
    for _ in range(TRIES):
        made = fields if chosen else cans_for(line.crest, RESERVE * ripple, least, None, fields, shelf, rules) | fields
        bank = made["count"] * shelf.get(Capacitor, made["capacitor"]).c / made["banks"]
        low, high = (
            rectified(Mains(volts, line.hertz, ohms, line.henry), LIKELY_DROP, bank, LIKELY_LOSS * line.power)
            for volts in (line.volts[0], line.volts[2])
        )
        carried = RESERVE * low.bank_rms if low.held else 2 * line.power / line.least
        sound = all(f.held and f.repeats for f in (low, high))
        lasts = low.lowest > line.least and _hold_up(bank, low.lowest, line.least, line.power) >= RESERVE * line.hold_up
        if sound and carried <= ripple:
            steady = steady or (made, low)
        if chosen or (sound and lasts and carried <= ripple):
            return made, low
        if (sound and lasts) or carried > ripple:
            ripple = max(ripple, carried)
        if not (sound and lasts):
            least *= MORE
    return steady or (made, low)  # where none holds out, none larger than what stands is worth its money


def _hold_up(bank: float, valley: float, least: float, power: float) -> float:
    """How long a bank, F, feeds a power, W, from its valley down to a voltage, V: s."""
    if power <= 0:
        return math.inf
    if valley <= least:
        return 0.0
    return link_book.hold_up.invert("t_hold", {"C": bank, "V_1": valley, "V_2": least, "P": power})


def _least_bank(line: Line) -> float:
    """The smallest bank, F, that holds out without mains from its valley, that itself well above what the next stage needs: by
    energy, from the valley of the lowest mains."""
    crest = math.sqrt(2) * line.volts[0] - 2.0
    least = min(line.least, 0.95 * crest)
    alone = 0.4 / line.hertz  # most of a half period the bank feeds the load by itself
    asked = {"P": line.power, "V_1": crest, "V_2": least, "t_hold": alone + line.hold_up}
    still = {"P": line.power, "V_1": crest, "V_2": 0.8 * crest, "t_hold": alone}
    return RESERVE * max(link_book.hold_up.work(asked), link_book.hold_up.work(still))


def _diode(line: Line, mean: float, shelf: Shelf, rules: Rules) -> str:
    """The cheapest with the worth of its watts, of those that stand the mains and carry a mean current, A; the strongest where
    none does."""
    asked = book.reverse.work({"V_rms": line.volts[2], "margin": rules.diode_voltage_margin})
    able = [
        d for d in shelf.all(Diode) if d.v_rating >= asked and d.i_rating * (1 - rules.diode_current_margin) >= RESERVE * mean
    ]
    if not able:
        return max(shelf.all(Diode), key=lambda d: (d.v_rating >= asked, d.i_rating, d.v_rating, d.id)).id
    return min(able, key=lambda d: (4 * d.price + rules.watt_worth * 4 * mean * (d.v_0 + 3 * d.r * mean), d.id)).id


def assess(
    line: Line, volts: float, power: float, build: MainsInputBuild, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> MainsState:
    """At a mains voltage, RMS, and a power drawn from the bank, W."""
    work, total = worksheet.work, worksheet.total
    made = marched(line, volts, power, build, shelf)
    diode, rms = shelf.get(Diode, build.diode), made.rms
    each = diode.v_0 * made.diode_mean / 2 + diode.r * rms**2 / 2
    air = line.ambient + rules.enclosure_rise
    junction = hottest_junction(
        KEY,
        lambda celsius: (each, 4 * each),
        diode.r_jc,
        diode.t_j_max,
        air,
        sink_resistance(shelf, build.sink, build.fan),
        rules,
        worksheet,
    )
    limiter = work(f"{KEY}.limiter_loss", source_book.ohmic_loss, I_rms=rms, R=warm(build))
    cans = work(f"{KEY}.can_loss", source_book.ohmic_loss, I_rms=made.bank_rms, R=esr(build, shelf))
    bank, bleeds = capacitance(build, shelf), bled(volts, build)
    return MainsState(
        mean=made.mean,
        valley=made.lowest,
        top=made.highest,
        ripple=made.ripple,
        line_rms=rms,
        line_peak=made.peak,
        power_factor=made.power_factor,
        distortion=made.distortion,
        third=float(made.harmonics[1]) if power > 0 else 0.0,
        conducts=made.conducts,
        diode_mean=made.diode_mean / 2,
        diode_rms=rms / math.sqrt(2),
        junction=junction,
        bank_rms=made.bank_rms,
        can_ripple=made.bank_rms / build.count,
        hold_up=_hold_up(bank, made.lowest, line.least, power),
        limiter_loss=limiter,
        can_loss=cans,
        bleeder_loss=bleeds,
        diode_loss=total(
            f"{KEY}.diode_loss", {"threshold, two in the way": 2 * diode.v_0 * made.diode_mean, "slope": 2 * diode.r * rms**2}
        ),
        loss=total(f"{KEY}.loss", {"diodes": 4 * each, "limiter": limiter, "capacitors": cans, "bleeder": bleeds}),
        drawn=made.drawn,
        falls=not made.held,
        wanders=made.held and not made.repeats,
    )


def top_voltage(line: Line, build: MainsInputBuild, shelf: Shelf) -> float:
    """The highest voltage of the bank, V: at the crest of the highest mains, or switched on there with the limiter cold."""
    return max(line.crest, swings_to(line, build, shelf, COLD_LESS * build.limiter))


def parts(build: MainsInputBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Diodes, their heat-sink, bank and bleeder."""
    return (
        fitted("D1", "mains rectifier diode", shelf.get(Diode, build.diode), 4, fields=("diode",)),
        fitted("HS1", "rectifier heat-sink", shelf.get(HeatSink, build.sink), fields=("sink",)),
        fitted("C1", "bank capacitor", shelf.get(Capacitor, build.capacitor), build.count * build.banks, fields=("capacitor",)),
        resistor(
            "R1", "bleeder", shelf.get(Resistor, build.bleeder_part), build.bleeder, ("bleeder_part", "bleeder"), build.banks
        ),
    )
