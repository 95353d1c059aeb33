"""The input of a unit on one-phase mains: fuse, inrush limiter, four diodes, a bank and its bleeder, judged by what mains, bank
and a load of constant power come to together."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import Build, options, part, propose_resistor
from rhombos.core.blocks.cooling import hottest_junction, propose_sink, sink_resistance, steady_limit
from rhombos.core.blocks.input_bank import banks_for, cans_for
from rhombos.core.book import link as link_book
from rhombos.core.book import mains as book
from rhombos.core.book import source as source_book
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.design.sources import OnePhase
from rhombos.core.frame.inventory import Item, fitted, resistor
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Capacitor, Diode, Fuse, HeatSink, Resistor, Shelf
from rhombos.core.units.preferred import E6, at_least, at_most
from rhombos.core.units.quantities import Ampere, Count, Ohm, Second, Volt, Watt
from rhombos.core.waves.line_half import Behind, Mains, Swing
from rhombos.core.waves.line_rectifier import Rectified, rectified

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
OUTLASTS = 2.0
"""What the fuse stands over the first charge: it is to outlive many of them."""
LIKELY_OHMS, LIKELY_DROP, LIKELY_LOSS = 0.05, 1.6, 1.02
"""Of diodes that are not chosen yet: slope of two, Ω, threshold of two, V; and power with what a bleeder takes."""
TRIES, MORE, ENOUGH = 14, 1.25, 5
"""Banks that a proposal tries, each so much larger than the one before; and tries after which a bank that still falls is not
what is amiss."""
MISSED = 3e-4
"""Of the power, by which the loss in a bank's cans may be misjudged before it is marched."""
HEATED = 1.1
"""What the sink is proposed for, over what the diodes burn."""


class MainsInputBuild(Build):
    """Fuse, limiter and what bridges it, diodes and what cools them, bank and bleeder."""

    fuse: str = part("fuse", "Line fuse")
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
    """The mains, V RMS lowest, nominal and highest, Hz; resistance, Ω, and inductance, H, up to the socket; the bank that the
    next stage still works at, V, and for how long without mains, s; °C around it; how far the bank may swing, RMS over mean."""

    volts: tuple[Volt, Volt, Volt]
    hertz: float
    ohms: Ohm
    henry: float
    least: Volt
    hold_up: Second
    ambient: float
    calm: float = math.inf

    @property
    def crest(self) -> float:
        """Highest, V."""
        return math.sqrt(2) * self.volts[2]


def line_of(mains: OnePhase, least: float, ambient: float, calm: float = math.inf) -> Line:
    """The mains, V that the next stage still works at, °C around, and what swing of the bank that stage bears."""
    volts = mains.lowest, mains.nominal, mains.highest
    return Line(volts, mains.frequency, mains.resistance, mains.inductance, least, mains.hold_up, ambient, calm)


@dataclass(frozen=True, slots=True)
class Draws:
    """What is drawn from the bank beside its bleeder: by the next stage, W, and how that swings; by the control supply, W; and
    what the next stage's carrier puts into the bank, RMS, A."""

    power: Watt
    swing: Swing | None = None
    control: Watt = 0.0
    carrier: Ampere = 0.0

    @property
    def total(self) -> float:
        """W."""
        return self.power + self.control

    @property
    def swung(self) -> float:
        """RMS of the swing, over the mean."""
        return math.sqrt(float(np.var(self.swing.wave))) if self.swing else 0.0


@dataclass(frozen=True, slots=True)
class MainsState:
    """What it comes to at a mains voltage and a load: V, A, W, s, °C; `falls` and `wanders` say that no half period repeats."""

    mean: float
    valley: float
    top: float
    ripple: float
    swing: float
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
    fuse_loss: float
    limiter_loss: float
    diode_loss: float
    can_loss: float
    bleeder_loss: float
    loss: float
    drawn: float
    given: float
    least: float
    falls: bool
    wanders: bool


def marched(line: Line, volts: float, draws: Draws, build: MainsInputBuild, shelf: Shelf) -> Rectified:
    """Mains, diodes and bank together, for what is drawn from the bank beside its bleeder."""
    power, (seen, behind) = draws.total, ahead(line, volts, build, shelf)
    if power <= 0:
        return _marched(seen, behind, 0.0, None)
    power += bled(volts, build)
    # what the load's own swing and the carrier lose in the cans is drawn too
    alone = draws.carrier**2 + (draws.swung * power / _marched(seen, behind, power, None).mean) ** 2
    made = _marched(seen, behind, power + behind.ohms * alone, draws.swing)
    if made.held and abs(missed := behind.ohms * (draws.carrier**2 + made.load_alone - alone)) > MISSED * power:
        made = _marched(seen, behind, power + behind.ohms * alone + missed, draws.swing)
    return made


def ahead(line: Line, volts: float, build: MainsInputBuild, shelf: Shelf) -> tuple[Mains, Behind]:
    """The mains as the bank sees it, with what fuse, limiter and diodes add to its resistance; and what it charges."""
    diode, before = shelf.get(Diode, build.diode), shelf.get(Fuse, build.fuse).resistance + warm(build)
    seen = Mains(volts, line.hertz, line.ohms + 2 * diode.r + before, line.henry)
    return seen, Behind(2 * diode.v_0, capacitance(build, shelf), esr(build, shelf))


_marched = lru_cache(maxsize=256)(rectified)


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


def propose(line: Line, draws: Draws, pins: Fields, shelf: Shelf, rules: Rules) -> MainsInputBuild:
    """Diodes by price and loss; a bank for the time without mains, the valley and its own ripple; a limiter below what trips a
    breaker; a bleeder for the time to touch. Pinned fields stay."""
    fields: Fields = {"banks": banks_for(line.crest, 1, shelf, rules)} | pins
    fields, ripple = _with_bank(line, draws, fields, shelf, rules)
    through = ripple.diode_mean if ripple.held else draws.total / line.least
    if "diode" not in fields:
        fields["diode"] = _diode(line, through / 2, shelf, rules)
    flows = ripple.rms if ripple.held else 3 * through
    can = shelf.get(Capacitor, fields["capacitor"])
    bank = fields["count"] * can.c / fields["banks"]
    calm = source_book.series_damping.invert("R_s", {"zeta": 1.0, "C": bank, "L": line.henry}) if line.henry > 0 else 0.0
    wanted = max(0.0, line.crest / TRIPS - line.ohms, calm - line.ohms) / COLD_LESS
    fields.setdefault("limiter", at_least(max(0.1, wanted), E6) if wanted > 0 else 0.0)
    burnt = WARM * fields["limiter"] * flows**2
    fields.setdefault("bypass", RELAY if burnt > BURNS * draws.total else NONE)
    if "bleeder" not in fields:
        asked = {"C": bank, "V": line.crest, "V_safe": rules.safe_voltage, "t": rules.bleed_time}
        fields["bleeder"] = at_most(min(10e6, max(100.0, 0.95 * link_book.bleed_time.invert("R", asked))))
    watts = link_book.bleeder_power.work({"V": line.crest, "R": fields["bleeder"]}) / fields["banks"]
    fields.setdefault(
        "bleeder_part",
        propose_resistor(shelf, rules, fields["bleeder"] / fields["banks"], watts, line.crest / fields["banks"]),
    )
    stand_in = {"sink": shelf.all_ids("heat_sink")[0], "fan": False, "fuse": shelf.all_ids("fuse")[0]}
    draft = MainsInputBuild.within(stand_in | fields)
    if "bypass" not in pins and swings_to(line, draft, shelf, hot(draft)) > can.v_rating * fields["banks"]:
        fields["bypass"] = RELAY
        draft = draft.model_copy(update={"bypass": RELAY})
    if "fuse" not in fields:
        fields["fuse"] = _fuse(line, flows, first_charge(line, draft, shelf), shelf, rules)
        draft = draft.model_copy(update={"fuse": fields["fuse"]})
    if "sink" not in fields or "fan" not in fields:
        state = assess(line, line.volts[0], replace(draws, swing=None), draft, shelf, rules, SILENT)
        diode = shelf.get(Diode, fields["diode"])
        inside = HEATED * state.diode_loss / 4 * (diode.r_jc + rules.pad_resistance)
        air = line.ambient + rules.enclosure_rise
        sink, fan = propose_sink(shelf, rules, HEATED * state.diode_loss, steady_limit(rules, diode.t_j_max) - air - inside)
        fields.setdefault("sink", sink)
        fields.setdefault("fan", fan)
    return MainsInputBuild.within(fields)


def _with_bank(line: Line, draws: Draws, fields: Fields, shelf: Shelf, rules: Rules) -> tuple[Fields, Rectified]:
    """The fields with a bank that the march finds good at the lowest mains, and that march: begun from its energy, and more of
    it until the valley holds, the hold-up lasts and each pulse is like the one before."""
    chosen = "capacitor" in fields and "count" in fields
    least, ripple, ohms = _least_bank(line, draws.total), draws.carrier, line.ohms + LIKELY_OHMS
    steady: tuple[Fields, Rectified] | None = None
    for tried in range(TRIES):
        made = fields if chosen else cans_for(line.crest, ripple, least, None, fields, shelf, rules) | fields
        can = shelf.get(Capacitor, made["capacitor"])
        bank = made["count"] * can.c / made["banks"]
        behind = Behind(LIKELY_DROP, bank, can.esr * made["banks"] / made["count"])
        low, high = (
            _marched(Mains(v, line.hertz, ohms, line.henry), behind, LIKELY_LOSS * draws.total, None)
            for v in (line.volts[0], line.volts[2])
        )
        sound, lasts = _serves(line, low, bank, draws.total)
        if draws.swing and sound and lasts:  # of a load that swings no less is asked
            low = _marched(low.mains, behind, LIKELY_LOSS * draws.total, draws.swing)
            sound, lasts = _serves(line, low, bank, draws.total)
        sound = sound and high.held and high.repeats
        carried = math.hypot(low.bank_rms, draws.carrier) if low.held else 2 * draws.total / line.least
        if sound and carried <= ripple:
            steady = steady or (made, low)
        if chosen or (sound and lasts and carried <= ripple) or (not low.held and tried >= ENOUGH):
            return made, low
        if carried > ripple:
            ripple = RESERVE * carried
        if not (sound and lasts):
            least *= MORE
    return steady or (made, low)  # where none holds out, none larger than what stands is worth its money


def _serves(line: Line, made: Rectified, bank: float, power: float) -> tuple[bool, bool]:
    """Whether a bank, F, stands as it should, each pulse like the one before, calm enough for the next stage; and whether its
    valley and its hold-up do."""
    sound = made.held and made.repeats and made.swings_by <= line.calm * made.mean
    lasts = made.lowest > line.least and _hold_up(bank, made.lowest, line.least, power) >= RESERVE * line.hold_up
    return sound, lasts


def _hold_up(bank: float, valley: float, least: float, power: float) -> float:
    """How long a bank, F, feeds a power, W, from its valley down to a voltage, V: s."""
    if power <= 0:
        return math.inf
    if valley <= least:
        return 0.0
    return link_book.hold_up.invert("t_hold", {"C": bank, "V_1": valley, "V_2": least, "P": power})


def _least_bank(line: Line, power: float) -> float:
    """The smallest bank, F, that holds out without mains from its valley, that itself well above what the next stage needs: by
    energy, from the valley of the lowest mains."""
    crest = math.sqrt(2) * line.volts[0] - 2.0
    least = min(line.least, 0.95 * crest)
    alone = 0.4 / line.hertz  # most of a half period the bank feeds the load by itself
    asked = {"P": power, "V_1": crest, "V_2": least, "t_hold": alone + line.hold_up}
    still = {"P": power, "V_1": crest, "V_2": 0.8 * crest, "t_hold": alone}
    return RESERVE * max(link_book.hold_up.work(asked), link_book.hold_up.work(still))


def _fuse(line: Line, current: float, charge: float, shelf: Shelf, rules: Rules) -> str:
    """The smallest that breaks what the mains gives at its highest voltage, carries a current, RMS, A, and does not melt of a
    first charge, A²s; the largest of the strongest where none does."""
    asked = rules.fuse_factor * RESERVE * current
    pool = [f for f in shelf.all(Fuse) if f.v_dc >= line.volts[2]] or list(shelf.all(Fuse))
    strong = [f for f in pool if f.breaking >= fault(line)] or pool
    able = [f for f in strong if f.i_rating >= asked and f.i2t >= OUTLASTS * charge]
    if not able:
        return max(strong, key=lambda f: (f.breaking, f.i_rating, f.id)).id
    return min(able, key=lambda f: (f.i_rating, f.price, f.id)).id


def fault(line: Line) -> float:
    """What a short right behind the socket draws of the highest mains, RMS, A."""
    return source_book.fault_current.work({"E": line.volts[2], "R_s": line.ohms})


def first_charge(line: Line, build: MainsInputBuild, shelf: Shelf) -> float:
    """I²t, A²s, of the first charge of an empty bank, switched on at the crest of the highest mains, the limiter cold."""
    cold = COLD_LESS * build.limiter
    given = {"V_rms": line.volts[2], "C": capacitance(build, shelf), "R_s": line.ohms, "R_ntc": cold, "R_b": esr(build, shelf)}
    return book.first_charge.work(given)


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
    line: Line, volts: float, draws: Draws, build: MainsInputBuild, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> MainsState:
    """At a mains voltage, RMS, and what is drawn from the bank."""
    work, total = worksheet.work, worksheet.total
    made = marched(line, volts, draws, build, shelf)
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
    fuse = work(f"{KEY}.fuse_loss", source_book.ohmic_loss, I_rms=rms, R=shelf.get(Fuse, build.fuse).resistance)
    limiter = work(f"{KEY}.limiter_loss", source_book.ohmic_loss, I_rms=rms, R=warm(build))
    carried = made.bank_rms
    if draws.carrier > 0:
        carried = work(f"{KEY}.bank_rms", source_book.bank_together, I_rms=carried, I=draws.carrier)
    cans = work(f"{KEY}.can_loss", source_book.ohmic_loss, I_rms=carried, R=esr(build, shelf))
    bank, bleeds = capacitance(build, shelf), bled(volts, build)
    return MainsState(
        mean=made.mean,
        valley=made.lowest,
        top=made.highest,
        ripple=made.ripple,
        swing=made.swings_by,
        line_rms=rms,
        line_peak=made.peak,
        power_factor=made.power_factor,
        distortion=made.distortion,
        third=float(made.harmonics[1]) if draws.total > 0 else 0.0,
        conducts=made.conducts,
        diode_mean=made.diode_mean / 2,
        diode_rms=rms / math.sqrt(2),
        junction=junction,
        bank_rms=carried,
        can_ripple=carried / build.count,
        hold_up=_hold_up(bank, made.lowest, line.least, draws.total),
        fuse_loss=fuse,
        limiter_loss=limiter,
        can_loss=cans,
        bleeder_loss=bleeds,
        diode_loss=total(
            f"{KEY}.diode_loss", {"threshold, two in the way": 2 * diode.v_0 * made.diode_mean, "slope": 2 * diode.r * rms**2}
        ),
        loss=total(
            f"{KEY}.loss",
            {"diodes": 4 * each, "fuse": fuse, "limiter": limiter, "capacitors": cans, "bleeder": bleeds}
            | ({"control supply": draws.control} if draws.control > 0 else {}),
        ),
        drawn=made.drawn,
        given=draws.power,
        least=line.least,
        falls=not made.held,
        wanders=made.held and not made.repeats,
    )


def top_voltage(line: Line, build: MainsInputBuild, shelf: Shelf) -> float:
    """The highest voltage of the bank, V: at the crest of the highest mains, or switched on there with the limiter cold."""
    return max(line.crest, swings_to(line, build, shelf, COLD_LESS * build.limiter))


def requirements(build: MainsInputBuild, line: Line, shelf: Shelf, coil: float) -> Iterator[Requirement]:
    """A relay across the limiter, whose coil runs on a voltage, V; it closes once the bank stands, and carries the line's
    current."""
    if build.bypass == RELAY:
        yield Requirement(
            KEY,
            "relay",
            "Relay across the inrush limiter",
            "relay",
            "K1",
            least={"i_rating": shelf.get(Fuse, build.fuse).i_rating, "v_ac": line.volts[2], "poles": 1},
            exact={"v_coil": coil},
            fields=("bypass",),
        )


def parts(build: MainsInputBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Fuse, diodes, their heat-sink, bank and bleeder."""
    return (
        fitted("F1", "line fuse", shelf.get(Fuse, build.fuse), fields=("fuse",)),
        fitted("D1", "mains rectifier diode", shelf.get(Diode, build.diode), 4, fields=("diode",)),
        fitted("HS1", "rectifier heat-sink", shelf.get(HeatSink, build.sink), fields=("sink",)),
        fitted("C1", "bank capacitor", shelf.get(Capacitor, build.capacitor), build.count * build.banks, fields=("capacitor",)),
        resistor(
            "R1", "bleeder", shelf.get(Resistor, build.bleeder_part), build.bleeder, ("bleeder_part", "bleeder"), build.banks
        ),
    )
