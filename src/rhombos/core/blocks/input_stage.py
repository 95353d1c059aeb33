"""Cable, fuse and input capacitors between source and front end, and the control supply that hangs there."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Protocol

from pydantic import Field

from rhombos.core.blocks.base import Build, by_route, options, part, remembered
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.ledger import SILENT, Ledger
from rhombos.core.frame.requirement import Requirement
from rhombos.core.magnetics.winding import copper_resistivity
from rhombos.core.parts import Capacitor, Fuse, Shelf
from rhombos.core.units.quantities import Ampere, AmpereSquaredSecond, Ohm, SquareMetre
from rhombos.core.units.solvers import root

KEY, TITLE = "input_stage", "Input"
CABLES = (1.5, 2.5, 4, 6, 10, 16, 25, 35, 50, 70, 95, 120, 150, 185, 240)
"""Standard conductor sections (IEC 60228), mm²."""
CABLE_CELSIUS = 60.0
MOST_CABLE, MOST_RUNS = 240e-6, 4
LOOP = 1.2e-6
"""Inductance of a metre of cable, there and back, H: two leads side by side."""
RESERVE = 1.02
"""What the next round of settling may still add to a current."""
MOST_CANS, MOST_COUNT = 16, 60
MOST_SERIES = 4
"""Times that banks are put in series at most."""
LEAST_BANK, MOST_BANK = -7.0, 1.0
"""Between which a bank is looked for, decades of a farad."""
BANK_IMBALANCE = 0.15
"""How much more than its share one of two capacitor banks in series may carry: their tolerance and leakage."""
CAN_PLACE = 0.45
"""Relative cost of one more can's place on the board."""


SHUNT, SERIES, OPEN = "diode and fuse", "series switch", "nothing"
CONNECTORS = (10, 15, 25, 30, 45, 50, 60, 75, 100, 120, 150, 175, 200, 250, 350, 500, 700, 1000)
"""Ratings of source connectors, A."""
MELTS = 1.6
"""Current over its rating that a fuse for wires stands for an hour (IEC 60269, conventional fusing current)."""
LUGS = 4
"""Ends of a pair of source leads."""
WIRE_WITHSTAND = 115e6
"""What copper under plastic stands for a moment, A·√s/m²."""
OUTLASTS = 2.0
"""What the shunt diode stands over what the fuse lets through."""
SERIES_DROP = 5e-3
"""Share of the lowest input that a series switch may drop."""
MOST_LIFE = 15 * 365.25 * 86400.0
"""What a can may be trusted to, s, however cool: its seal ages too."""
LIFE, RATED_CORE, CORE_RISE = 5000 * 3600.0, 105.0, 8.0
"""Life of the cans at their rated temperature, s and °C, and how much warmer than the air their rated ripple makes them, K."""


class Rippling(Protocol):
    """What a bank carries, and what flows back through it, as they follow from its capacitance, F."""

    def __call__(self, capacitance: float, /) -> float:
        """RMS of what the bank carries, A."""

    def returned(self, capacitance: float, /) -> float:
        """Charge that flows back to the source in half a line period, C."""


Ripple = float | Rippling
"""What a bank carries, A: of any capacitance, or as it follows from it."""


class InputStageBuild(Build):
    """Fuse, cable and input capacitor bank, reverse polarity, connectors."""

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


@dataclass(frozen=True, slots=True)
class InputNeed:
    """Mean current, A; duty of the pulses that the bank sees, or the ripple current it carries, A; mean square over squared
    mean of what the cable carries, where the bank cannot smooth it; RMS over mean of a pulse; peak over mean of what the cable
    carries; current that the stage stops at once, A, where no choke keeps it flowing; what the bank gives at twice the line and
    its multiples, RMS, A; the mean of what flows back to the source, over the mean."""

    current: float
    duty: float
    ripple: float | None = None
    pulsation: float = 1.0
    form: float = 1.0
    crest: float = 1.0
    interrupted: float = 0.0
    slow: float = 0.0
    returned: float = 0.0


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
    loss: float


def resistance(build: InputStageBuild, brief: Brief, shelf: Shelf, rules: Rules) -> float:
    """Cable, fuse and contacts together, Ω."""
    cable = book.cable_resistance(rho=copper_resistivity(CABLE_CELSIUS), length=brief.source.cable_length, A_cu=build.cable)
    return float(cable) / build.runs + shelf.get(Fuse, build.fuse).resistance + contacts(build, rules)


def capacitance(build: InputStageBuild, shelf: Shelf) -> float:
    """The input bank across the whole input, F: each of the banks in series has `count` cans."""
    return build.count * shelf.get(Capacitor, build.capacitor).c / build.banks


def esr(build: InputStageBuild, shelf: Shelf) -> float:
    """Series resistance of the input bank across the whole input, Ω."""
    return build.banks * shelf.get(Capacitor, build.capacitor).esr / build.count


def contacts(build: InputStageBuild, rules: Rules) -> float:
    """Connectors and terminals, and the series switch where there is one, Ω."""
    return rules.contact_resistance + (build.reverse_ohms if build.reverse == SERIES else 0.0)


def can_voltage(full: float, banks: int) -> float:
    """The highest voltage on one can, V: banks in series share unevenly."""
    return full if banks == 1 else full / banks * (1 + BANK_IMBALANCE)


def banks_for(full: float, least: int, shelf: Shelf, rules: Rules) -> int:
    """The fewest banks in series, a multiple of the minimum that the stage asks for, in which the shelf's best cans stand the
    highest voltage, V; the most there may be where none do. A can that is pinned asks for none: too weak a one is told."""
    stood = (1 - rules.input_capacitor_margin) * max(
        (c.v_rating for c in shelf.all(Capacitor) if c.family == "electrolytic"), default=0.0
    )
    times = range(1, MOST_SERIES + 1)
    return least * next((n for n in times if can_voltage(full, least * n) <= stood), MOST_SERIES)


def fault_current(brief: Brief) -> float:
    """What a dead short right at the source draws for as long as a fuse takes to break it, A."""
    highest = book.fault_current.work({"E": brief.source.volts[2], "R_s": brief.source.lowest_resistance})
    return min(highest, brief.source.most_current)


def lasting(fuse: Fuse, brief: Brief) -> float:
    """The largest current that may flow continuously, A: the fuse's rating, or a supply's limit that never melts it."""
    limit = brief.source.most_current
    return max(fuse.i_rating, limit) if limit < MELTS * fuse.i_rating else fuse.i_rating


def ampacity(section: float, runs: int, brief: Brief, rules: Rules, ledger: Ledger = SILENT) -> float:
    """What the cable may carry continuously at the maximum ambient, A; nothing where that is above its insulation's limit."""
    room, most = brief.targets.ambient + 273.15, rules.cable_insulation + 273.15
    if room >= most:
        return 0.0
    return ledger.work(
        "input_stage.ampacity",
        book.cable_ampacity,
        A_cu=section,
        n_runs=runs,
        k_bundle=rules.cable_bundling,
        T_ins=most,
        T_a=room,
    )


@remembered
def propose(
    brief: Brief,
    current: float,
    ripple: Ripple,
    pins: dict[str, Any],
    shelf: Shelf,
    rules: Rules,
    interrupted: float = 0.0,
    swell: float = 1.0,
) -> InputStageBuild:
    """Fuse, cable and cans for the largest continuous current, RMS, its ripple, and what the stage stops at once, A. `swell`
    is that
    current's RMS over its mean: what drops in the leads goes with the square of it."""
    empty, _, full = brief.source.volts
    fault = fault_current(brief)
    if "fuse" not in pins:
        rated = book.fuse_rating(k_fuse=rules.fuse_factor, I=current * RESERVE)
        safe = [f for f in shelf.all(Fuse) if f.v_dc >= full and f.breaking >= fault]
        strongest = max(f.breaking for f in shelf.all(Fuse))
        pool = safe or [f for f in shelf.all(Fuse) if f.breaking == strongest]
        able = [f for f in pool if f.i_rating >= rated * 0.999]
        pins = pins | {
            "fuse": (
                min(able, key=lambda f: (f.i_rating, f.speed != "slow", f.price, f.id))
                if able
                else max(pool, key=lambda f: (f.i_rating, f.id))
            ).id
        }
    if "cable" not in pins:
        pins = pins | _cable(current * swell, empty, shelf.get(Fuse, pins["fuse"]), pins, brief, shelf, rules)
    if "capacitor" not in pins or "count" not in pins:
        least = 0.0
        if interrupted > 0:
            least = book.lead_bank.work(
                {"L": LOOP * brief.source.cable_length, "I": interrupted, "dV": rules.bank_rise * empty}
            )
        lifted = None
        if brief.source.blocking is not None and not isinstance(ripple, float):
            lifted = Lifted(ripple, brief.source.blocking)
            least = max(least, lifted.bank_for(_rise_allowed(brief, rules)))
        pins = pins | _cans(full, ripple, least, lifted, pins, shelf, rules)
    fuse_part = shelf.get(Fuse, pins["fuse"])
    return InputStageBuild.within(
        {
            "reverse": SHUNT,
            "reverse_i2t": float(f"{OUTLASTS * 1.05 * fuse_part.i2t:.2g}"),
            "reverse_ohms": float(f"{SERIES_DROP * empty / max(current, 0.1):.1g}"),
            "connector": float(next((c for c in CONNECTORS if c >= lasting(fuse_part, brief)), CONNECTORS[-1])),
            **pins,
        }
    )


@dataclass(frozen=True, slots=True)
class Lifted:
    """How far a bank rises by what the load returns, whose source takes nothing back but into a capacitor of its own, F."""

    ripple: Rippling
    beside: float

    def __call__(self, bank: float) -> float:
        """The rise, V, of a bank, F."""
        return self.ripple.returned(bank) / (bank + self.beside)

    def bank_for(self, rise: float) -> float:
        """The least bank, F, that keeps to a rise, V; the largest that is looked for where none does."""

        def over(decades: float) -> float:
            return self(10.0**decades) - rise

        if over(LEAST_BANK) <= 0:
            return 0.0
        return float(10.0 ** (root(over, LEAST_BANK, MOST_BANK, xtol=1e-3) if over(MOST_BANK) < 0 else MOST_BANK))


def lifted_to(brief: Brief, rules: Rules) -> float:
    """The highest voltage of a bank, V: of a source that takes nothing back, with what a load may lift it by in the surge."""
    full = brief.source.volts[2]
    if brief.source.blocking is None:
        return full
    return full + _rise_allowed(brief, rules) * brief.power.surge / brief.power.continuous


def _rise_allowed(brief: Brief, rules: Rules) -> float:
    """What a load may lift the bank by at full power, V: what the rules allow, and in the surge twice that."""
    return rules.bank_rise * brief.source.volts[0] * min(1.0, 2 * brief.power.continuous / brief.power.surge)


def _cable(
    current: float, empty: float, fuse: Fuse, pins: dict[str, Any], brief: Brief, shelf: Shelf, rules: Rules
) -> dict[str, Any]:
    """The thinnest cable, or the fewest of the thickest, that the fuse protects, that stands a dead short until the fuse has
    opened, and that drops no more than the rules allow beside fuse and contacts."""
    beside = fuse.resistance + rules.contact_resistance
    left = max(rules.cable_drop * empty / (current * RESERVE) - beside, 0.2 * rules.cable_drop * empty / current)
    area = copper_resistivity(CABLE_CELSIUS) * 2 * brief.source.cable_length / left
    for runs in [int(pins["runs"])] if "runs" in pins else range(1, MOST_RUNS + 1):
        for section in (float(f"{a}e-6") for a in CABLES):
            whole = section * runs
            if (
                whole >= area
                and ampacity(section, runs, brief, rules) >= lasting(fuse, brief)
                and book.cable_withstand.work({"k_wire": WIRE_WITHSTAND, "A_cu": whole}) >= fuse.i2t
            ):
                return {"cable": section, "runs": runs}
    return {"cable": MOST_CABLE, "runs": int(pins.get("runs", MOST_RUNS))}


def _carrying(ripple: Ripple, can: Capacitor, banks: int, most: int, rules: Rules) -> int:
    """The fewest cans in parallel that carry a ripple; one more than `most` where these do not."""
    able = can.i_ripple * (1 - rules.ripple_current_margin) / RESERVE
    if not callable(ripple):
        return math.ceil(ripple / able)
    if most < MOST_COUNT and ripple(most * can.c / banks) > able * most:
        return most + 1
    low, high = 0, most
    while high - low > 1:  # the more cans, the less has each
        middle = (low + high) // 2
        low, high = (low, middle) if ripple(middle * can.c / banks) <= able * middle else (middle, high)
    return high


def _cans(
    full: float, ripple: Ripple, least: float, lifted: Lifted | None, pins: dict[str, Any], shelf: Shelf, rules: Rules
) -> dict[str, Any]:
    """Cans that stand the voltage, that to which a load lifts them too, carry the ripple, A, and make at least a capacitance,
    F."""
    best: tuple[float, str, int] | None = None
    wanted = can_voltage(full, pins["banks"]) / (1 - rules.input_capacitor_margin)
    for can in sorted(shelf.all(Capacitor), key=lambda c: (c.price + CAN_PLACE) / c.i_ripple):
        if can.family != "electrolytic" or pins.get("capacitor", can.id) != can.id:
            continue
        if "capacitor" not in pins and can.v_rating < wanted:
            continue
        each = can.price + CAN_PLACE
        # as many as may cost no more than the best so far
        most = MOST_COUNT if best is None else max(1, min(MOST_COUNT, math.floor(best[0] / each + 1e-9)))
        carried = _carrying(ripple, can, pins["banks"], most, rules)
        if best is not None and carried > most and "count" not in pins:
            continue
        count = int(pins.get("count", max(2, carried, math.ceil(pins["banks"] * RESERVE * least / can.c))))
        if lifted and "capacitor" not in pins:
            risen = full + lifted(count * can.c / pins["banks"])
            if can_voltage(risen, pins["banks"]) > can.v_rating * (1 - rules.input_capacitor_margin):
                continue
        key = (count * each + max(0, count - MOST_CANS) * 10, can.id, count)
        best = key if best is None or key < best else best
    if best is None and lifted:
        return _cans(full, ripple, least, None, pins, shelf, rules)
    if best is None:
        fallback = max(shelf.all(Capacitor), key=lambda c: (c.family == "electrolytic", c.v_rating, c.i_ripple))
        best = (0.0, fallback.id, 2)
    return {"capacitor": best[1], "count": min(best[2], MOST_COUNT)}


def assess(
    need: InputNeed, terminal: float, build: InputStageBuild, brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> InputState:
    """Drops and losses at a mean current."""
    fuse, can = shelf.get(Fuse, build.fuse), shelf.get(Capacitor, build.capacitor)
    cable = ledger.work(
        "input_stage.cable_resistance",
        book.cable_resistance,
        rho=copper_resistivity(CABLE_CELSIUS),
        length=brief.source.cable_length,
        A_cu=build.cable,
    )
    cable = ledger.total("input_stage.cables", {"each": cable / build.runs})
    drop = ledger.work(
        "input_stage.drop",
        book.ohmic_drop,
        I=need.current,
        R=(cable + fuse.resistance + contacts(build, rules)) * need.pulsation,
    )
    rms = need.current * math.sqrt(need.pulsation)
    cable_loss = ledger.work("input_stage.cable_loss", book.ohmic_loss, I_rms=rms, R=cable)
    fuse_loss = ledger.work("input_stage.fuse_loss", book.ohmic_loss, I_rms=rms, R=fuse.resistance)
    touched = ledger.work("input_stage.contact_loss", book.ohmic_loss, I_rms=rms, R=contacts(build, rules))
    share = min(1.0, max(need.duty, 1e-3))
    if need.ripple is not None:
        ripple = need.ripple
    elif need.form == 1.0:
        ripple = ledger.work("input_stage.ripple", book.pulsed_input_ripple, I_in=rms, D_tot=share)
    else:
        ripple = ledger.work("input_stage.ripple", book.shaped_ripple, I=rms, form=need.form, D_tot=share)
    if need.slow > 0:
        ripple = ledger.work("input_stage.ripple", book.bank_together, I_rms=ripple, I=need.slow)
    each = ripple / build.count
    capacitors = ledger.work("input_stage.capacitor_loss", book.ohmic_loss, I_rms=ripple, R=esr(build, shelf))
    core = brief.targets.ambient + rules.enclosure_rise + CORE_RISE * (each / can.i_ripple) ** 2
    life = min(MOST_LIFE, book.can_life.work({"t_life_0": LIFE, "T_cap": core + 273.15, "T_cap_0": RATED_CORE + 273.15}))
    rise = 0.0
    if need.interrupted > 0:
        rise = ledger.work(
            "input_stage.rise",
            book.lead_rise,
            I=need.interrupted,
            L=LOOP * brief.source.cable_length,
            C=capacitance(build, shelf),
        )
    returned, beside = 0.0, brief.source.blocking
    if need.returned > 0 and beside is not None:
        returned = ledger.work(
            "input_stage.returned",
            book.returned_rise,
            returned=need.returned,
            I=need.current,
            f_line=brief.output.frequency,
            C=capacitance(build, shelf),
            C_s=beside,
        )
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
        ampacity(build.cable, build.runs, brief, rules, ledger),
        rise,
        returned,
        loss=ledger.total(
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
        fitted("input fuse", shelf.get(Fuse, build.fuse)),
        fitted("input capacitor", shelf.get(Capacitor, build.capacitor), build.count * build.banks),
    )


def requirements(build: InputStageBuild, highest: float) -> Iterator[Requirement]:
    """Lugs for the source's leads, whose voltage is at most `highest`, V."""
    yield Requirement(
        KEY,
        "lug",
        "Lug",
        "connector",
        least={"i_rating": build.connector, "section": build.cable, "v_rating": highest},
        exact={"form": "ring lug"},
        count=LUGS * build.runs,
    )
