"""Cable, fuse and input capacitors between source and front end, and the control supply that hangs there."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from pydantic import Field

from rhombos.core.blocks.base import Build, by_route, options, part
from rhombos.core.blocks.input_bank import MOST_COUNT
from rhombos.core.blocks.input_filter import CAN_LEADS, MOST_CHOKE, Noise, Rest, Way, rest
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.magnetics.winding import copper_resistivity
from rhombos.core.parts import Capacitor, Fuse, Shelf
from rhombos.core.units.quantities import Ampere, AmpereSquaredSecond, Henry, Ohm, SquareMetre

KEY: Key[InputStageBuild, InputState] = Key("input_stage")
TITLE = "Input"
CABLE_CELSIUS = 60.0
MOST_CABLE, MOST_RUNS = 240e-6, 4
LOOP = 1.2e-6
"""Inductance of a metre of cable, there and back, H: two leads side by side."""
SHUNT, SERIES, OPEN = "diode and fuse", "series switch", "nothing"
MELTS = 1.6
"""Current over its rating that a fuse for wires stands for an hour (IEC 60269, conventional fusing current)."""
LUGS = 4
"""Ends of a pair of source leads."""
WIRE_WITHSTAND = 115e6
"""What copper under plastic stands for a moment, A·√s/m²."""
MOST_LIFE = 15 * 365.25 * 86400.0
"""What a can may be trusted to, s, however cool: its seal ages too."""
LIFE, RATED_CORE, CORE_RISE = 5000 * 3600.0, 105.0, 8.0
"""Life of the cans at their rated temperature, s and °C, and how much warmer than the air their rated ripple makes them, K."""


class InputStageBuild(Build):
    """Fuse, cable, input capacitor bank and filter, reverse polarity, connectors."""

    fuse: str = part("fuse", "Input fuse")
    cable: SquareMetre = Field(ge=0.5e-6, le=400e-6, title="Cable section")
    runs: int = Field(1, ge=1, le=MOST_RUNS, title="Cables in parallel, each pole")
    capacitor: str = part("capacitor", "Input capacitor")
    count: int = Field(ge=1, le=MOST_COUNT, title="Input capacitors in parallel")
    banks: int = by_route("Banks in series")
    reverse: str = options("Reverse polarity", SHUNT, SERIES, OPEN)
    reverse_i2t: AmpereSquaredSecond = Field(ge=1, le=1e8, title="Surge that the diode stands")
    reverse_ohms: Ohm = Field(ge=1e-5, le=0.1, title="Resistance of the series switch")
    connector: Ampere = Field(ge=1, le=1000, title="Connectors, rated")
    choke: Henry = Field(ge=0, le=MOST_CHOKE, title="Filter choke")
    choke_ohms: Ohm = Field(ge=1e-5, le=1, title="Resistance of the filter choke, at most")
    damper: Ohm = Field(ge=0, le=1e4, title="Damping resistor across it")


@dataclass(frozen=True, slots=True)
class InputNeed:
    """Mean current, A; duty of the pulses that the bank sees, or the ripple current it carries, A; mean square over squared
    mean of what the cable carries, where the bank cannot smooth it; RMS over mean of a pulse; peak over mean of what the cable
    carries; current that the stage stops at once, A, where no choke keeps it flowing; what the bank gives at twice the line and
    its multiples, RMS, A; the mean of what flows back to the source, over the mean; what swings with the stage's carrier; what
    a converter of constant power draws of the bank beside the stage, mean and RMS of its pulses, A."""

    current: float
    duty: float
    ripple: float | None = None
    pulsation: float = 1.0
    form: float = 1.0
    crest: float = 1.0
    interrupted: float = 0.0
    slow: float = 0.0
    returned: float = 0.0
    noise: Noise | None = None
    beside: float = 0.0
    beside_ripple: float = 0.0

    @property
    def together(self) -> float:
        """Mean of what the cable carries, A."""
        return self.current + self.beside

    @property
    def rms(self) -> float:
        """Its RMS, A: what is drawn beside the stage does not swing."""
        return math.sqrt(self.together**2 + (self.pulsation - 1) * self.current**2)


@dataclass(frozen=True, slots=True)
class InputState:
    """Drops, V; losses, W; what the capacitors carry, A."""

    cable_resistance: float
    drop: float
    drop_share: float
    cable_loss: float
    fuse_loss: float
    contact_loss: float
    ripple: float
    can_ripple: float
    capacitor_loss: float
    control: float
    fuse_load: float
    life: float
    ampacity: float
    rise: float
    returned: float
    rest: Rest
    loss: float

    @property
    def source_ripple(self) -> float:
        """What the source carries of the stage's carrier, RMS of its largest line, A."""
        return self.rest.ripple

    @property
    def damping(self) -> float | None:
        """Damping ratio of source, leads and bank before a stage that draws the more the lower its input."""
        return self.rest.damping

    @property
    def resonance(self) -> float:
        """Where these resonate, Hz."""
        return self.rest.resonance


def resistance(build: InputStageBuild, brief: Brief, shelf: Shelf, rules: Rules) -> float:
    """Cable, fuse and contacts together, Ω."""
    cable = book.cable_resistance(
        rho=copper_resistivity(CABLE_CELSIUS), length=brief.direct_source.cable_length, A_cu=build.cable
    )
    return float(cable) / build.runs + shelf.get(Fuse, build.fuse).resistance + contacts(build, rules)


def capacitance(build: InputStageBuild, shelf: Shelf) -> float:
    """The input bank across the whole input, F: each of the banks in series has `count` cans."""
    return build.count * shelf.get(Capacitor, build.capacitor).c / build.banks


def esr(build: InputStageBuild, shelf: Shelf) -> float:
    """Series resistance of the input bank across the whole input, Ω."""
    return build.banks * shelf.get(Capacitor, build.capacitor).esr / build.count


def contacts(build: InputStageBuild, rules: Rules) -> float:
    """Connectors and terminals, the series switch and the filter choke where there is one, Ω."""
    switch = build.reverse_ohms if build.reverse == SERIES else 0.0
    return rules.contact_resistance + switch + (build.choke_ohms if build.choke > 0 else 0.0)


def inductance(build: InputStageBuild, brief: Brief) -> float:
    """Leads and filter choke, H."""
    return LOOP * brief.direct_source.cable_length + build.choke


def way(build: InputStageBuild, brief: Brief, shelf: Shelf, rules: Rules) -> Way:
    """Between the source's open voltage and the bank, with that."""
    ohms = brief.source.internal_resistance + resistance(build, brief, shelf, rules)
    return Way(
        ohms, LOOP * brief.direct_source.cable_length, build.choke, build.damper, capacitance(build, shelf), esr(build, shelf),
        CAN_LEADS * build.banks / build.count)  # fmt: skip


def fault_current(brief: Brief) -> float:
    """What a dead short right at the source draws for as long as a fuse takes to break it, A."""
    highest = book.fault_current.work({"E": brief.source.volts[2], "R_s": brief.source.lowest_resistance})
    return min(highest, brief.source.most_current)


def lasting(fuse: Fuse, brief: Brief) -> float:
    """The largest current that may flow continuously, A: the fuse's rating, or a supply's limit that never melts it."""
    limit = brief.source.most_current
    return max(fuse.i_rating, limit) if limit < MELTS * fuse.i_rating else fuse.i_rating


def ampacity(section: float, runs: int, brief: Brief, rules: Rules, worksheet: Worksheet = SILENT) -> float:
    """What the cable may carry continuously at the maximum ambient, A; nothing where that is above its insulation's limit."""
    room, most = brief.targets.ambient + 273.15, rules.cable_insulation + 273.15
    if room >= most:
        return 0.0
    return worksheet.work(
        "input_stage.ampacity",
        book.cable_ampacity,
        A_cu=section,
        n_runs=runs,
        k_bundle=rules.cable_bundling,
        T_ins=most,
        T_a=room,
    )


def assess(
    need: InputNeed, terminal: float, build: InputStageBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> InputState:
    """Drops and losses at a mean current."""
    fuse, can = shelf.get(Fuse, build.fuse), shelf.get(Capacitor, build.capacitor)
    cable = worksheet.work(
        "input_stage.cable_resistance",
        book.cable_resistance,
        rho=copper_resistivity(CABLE_CELSIUS),
        length=brief.direct_source.cable_length,
        A_cu=build.cable,
    )
    cable = worksheet.total("input_stage.cables", {"each": cable / build.runs})
    drop = worksheet.work(
        "input_stage.drop",
        book.ohmic_drop,
        I=need.current * need.pulsation + need.beside,  # as the stage's own power weighs it
        R=cable + fuse.resistance + contacts(build, rules),
    )
    rms, pulsed = need.rms, need.current * math.sqrt(need.pulsation)
    cable_loss = worksheet.work("input_stage.cable_loss", book.ohmic_loss, I_rms=rms, R=cable)
    fuse_loss = worksheet.work("input_stage.fuse_loss", book.ohmic_loss, I_rms=rms, R=fuse.resistance)
    touched = worksheet.work("input_stage.contact_loss", book.ohmic_loss, I_rms=rms, R=contacts(build, rules))
    share = min(1.0, max(need.duty, 1e-3))
    if need.ripple is not None:
        ripple = need.ripple
    elif need.form == 1.0:
        ripple = worksheet.work("input_stage.ripple", book.pulsed_input_ripple, I_in=pulsed, D_tot=share)
    else:
        ripple = worksheet.work("input_stage.ripple", book.shaped_ripple, I=pulsed, form=need.form, D_tot=share)
    if need.slow > 0:
        ripple = worksheet.work("input_stage.ripple", book.bank_together, I_rms=ripple, I=need.slow)
    if need.beside_ripple > 0:
        ripple = worksheet.work("input_stage.ripple", book.bank_together, I_rms=ripple, I=need.beside_ripple)
    each = ripple / build.count
    capacitors = worksheet.work("input_stage.capacitor_loss", book.ohmic_loss, I_rms=ripple, R=esr(build, shelf))
    core = brief.targets.ambient + rules.enclosure_rise + CORE_RISE * (each / can.i_ripple) ** 2
    life = min(MOST_LIFE, book.can_life.work({"t_life_0": LIFE, "T_cap": core + 273.15, "T_cap_0": RATED_CORE + 273.15}))
    rise = 0.0
    if need.interrupted > 0:
        rise = worksheet.work(
            "input_stage.rise",
            book.lead_rise,
            I=need.interrupted,
            L=LOOP * brief.direct_source.cable_length,
            C=capacitance(build, shelf),
        )
    returned, beside = 0.0, brief.source.blocking
    if need.returned > 0 and beside is not None:
        returned = worksheet.work(
            "input_stage.returned",
            book.returned_rise,
            returned=need.returned,
            I=need.current,
            f_line=brief.output.frequency,
            C=capacitance(build, shelf),
            C_s=beside,
        )
    stands = max(1e-3, terminal - drop)
    rests = rest(need.noise, need.current, stands, way(build, brief, shelf, rules), worksheet, need.beside)
    return InputState(
        cable,
        drop,
        drop / max(terminal, 1e-9),
        cable_loss,
        fuse_loss,
        touched,
        ripple,
        each,
        capacitors,
        rules.control_power,
        rms,
        life,
        ampacity(build.cable, build.runs, brief, rules, worksheet),
        rise,
        returned,
        rests,
        loss=worksheet.total(
            "input_stage.loss",
            {
                "cable": cable_loss,
                "fuse": fuse_loss,
                "contacts": touched,
                "input capacitors": capacitors,
                "control supply": rules.control_power,
            },
        ),
    )


def parts(build: InputStageBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Fuse and capacitors; the cable is bought by the metre."""
    return (
        fitted("F1", "input fuse", shelf.get(Fuse, build.fuse), fields=("fuse",)),
        fitted(
            "C1", "input capacitor", shelf.get(Capacitor, build.capacitor), build.count * build.banks, fields=("capacitor",)
        ),
    )


def requirements(build: InputStageBuild, highest: float) -> Iterator[Requirement]:
    """Lugs for the source's leads, whose voltage is at most `highest`, V."""
    yield Requirement(
        KEY,
        "lug",
        "Lug",
        "connector",
        "X1",
        least={"i_rating": build.connector, "section": build.cable, "v_rating": highest},
        exact={"form": "ring lug"},
        count=LUGS * build.runs,
    )
