"""The input of a unit on one-phase mains: fuse, inrush limiter, four diodes, a bank and its bleeder, judged by what mains, bank
and a load of constant power come to together."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import Build, options, part
from rhombos.core.blocks.cooling import hottest_junction, sink_resistance
from rhombos.core.book import link as link_book
from rhombos.core.book import mains as book
from rhombos.core.book import source as source_book
from rhombos.core.design.rules import Rules
from rhombos.core.design.sources import OnePhase
from rhombos.core.frame.inventory import Item, fitted, resistor
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Capacitor, Diode, Fuse, HeatSink, Resistor, Shelf
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
MISSED = 3e-4
"""Of the power, by which the loss in a bank's cans may be misjudged before it is marched."""


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
    socket: float
    apparent: float
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
        return marched_once(seen, behind, 0.0, None)
    power += bled(volts, build)
    # what the load's own swing and the carrier lose in the cans is drawn too
    alone = draws.carrier**2 + (draws.swung * power / marched_once(seen, behind, power, None).mean) ** 2
    made = marched_once(seen, behind, power + behind.ohms * alone, draws.swing)
    if made.held and abs(missed := behind.ohms * (draws.carrier**2 + made.load_alone - alone)) > MISSED * power:
        made = marched_once(seen, behind, power + behind.ohms * alone + missed, draws.swing)
    return made


def ahead(line: Line, volts: float, build: MainsInputBuild, shelf: Shelf) -> tuple[Mains, Behind]:
    """The mains as the bank sees it, with what fuse, limiter and diodes add to its resistance; and what it charges."""
    diode, before = shelf.get(Diode, build.diode), shelf.get(Fuse, build.fuse).resistance + warm(build)
    seen = Mains(volts, line.hertz, line.ohms + 2 * diode.r + before, line.henry)
    return seen, Behind(2 * diode.v_0, capacitance(build, shelf), esr(build, shelf))


marched_once = lru_cache(maxsize=256)(rectified)


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


def hold_up_of(bank: float, valley: float, least: float, power: float) -> float:
    """How long a bank, F, feeds a power, W, from its valley down to a voltage, V: s."""
    if power <= 0:
        return math.inf
    if valley <= least:
        return 0.0
    return link_book.hold_up.invert("t_hold", {"C": bank, "V_1": valley, "V_2": least, "P": power})


def fault(line: Line) -> float:
    """What a short right behind the socket draws of the highest mains, RMS, A."""
    return source_book.fault_current.work({"E": line.volts[2], "R_s": line.ohms})


def first_charge(line: Line, build: MainsInputBuild, shelf: Shelf) -> float:
    """I²t, A²s, of the first charge of an empty bank, switched on at the crest of the highest mains, the limiter cold."""
    cold = COLD_LESS * build.limiter
    given = {"V_rms": line.volts[2], "C": capacitance(build, shelf), "R_s": line.ohms, "R_ntc": cold, "R_b": esr(build, shelf)}
    return book.first_charge.work(given)


def assess(
    line: Line, volts: float, draws: Draws, build: MainsInputBuild, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> MainsState:
    """At a mains voltage, RMS, and what is drawn from the bank."""
    work, total = worksheet.work, worksheet.total
    made = marched(line, volts, draws, build, shelf)
    diode, rms = shelf.get(Diode, build.diode), made.rms
    diodes = total(
        f"{KEY}.diode_loss", {"threshold, two in the way": 2 * diode.v_0 * made.diode_mean, "slope": 2 * diode.r * rms**2}
    )
    air = line.ambient + rules.enclosure_rise
    junction = hottest_junction(
        KEY,
        lambda celsius: (diodes / 4, diodes),
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
        socket=made.socket(ahead(line, volts, build, shelf)[1], line.ohms),
        apparent=work(f"{KEY}.apparent", book.apparent, V_rms=volts, I_rms=rms),
        power_factor=made.power_factor,
        distortion=made.distortion,
        third=float(made.harmonics[1]) if draws.total > 0 else 0.0,
        conducts=made.conducts,
        diode_mean=made.diode_mean / 2,
        diode_rms=rms / math.sqrt(2),
        junction=junction,
        bank_rms=carried,
        can_ripple=carried / build.count,
        hold_up=hold_up_of(bank, made.lowest, line.least, draws.total),
        fuse_loss=fuse,
        limiter_loss=limiter,
        can_loss=cans,
        bleeder_loss=bleeds,
        diode_loss=diodes,
        loss=total(
            f"{KEY}.loss",
            {"diodes": diodes, "fuse": fuse, "limiter": limiter, "capacitors": cans, "bleeder": bleeds}
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
