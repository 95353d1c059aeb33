"""The input as it is proposed: fuse, cable, cans and filter for what a stage draws."""

from __future__ import annotations

import math

from rhombos.core.blocks.base import remembered
from rhombos.core.blocks.input_bank import MOST_COUNT, RESERVE, Joined, Lifted, Ripple, cans_for, rise_allowed
from rhombos.core.blocks.input_filter import CHOKE_DROP, Noise, Way, bank_for, filter_for
from rhombos.core.blocks.input_stage import (
    CABLE_CELSIUS,
    LOOP,
    MOST_CABLE,
    MOST_RUNS,
    SHUNT,
    WIRE_WITHSTAND,
    InputStageBuild,
    ampacity,
    fault_current,
    lasting,
    resistance,
    way,
)
from rhombos.core.book import source as book
from rhombos.core.book import step_down
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.magnetics.winding import copper_resistivity
from rhombos.core.parts import Fuse, Shelf

CABLES = (1.5, 2.5, 4, 6, 10, 16, 25, 35, 50, 70, 95, 120, 150, 185, 240)
"""Standard conductor sections (IEC 60228), mm²."""
RIPPLE_USED = 0.9
"""Share of the ripple that a source bears which a proposal uses."""
SURGED = 1.1
"""What a surge draws over its power's share of the current at full power: the source sags further."""
CONNECTORS = (10, 15, 25, 30, 45, 50, 60, 75, 100, 120, 150, 175, 200, 250, 350, 500, 700, 1000)
"""Ratings of source connectors, A."""
OUTLASTS = 2.0
"""What the shunt diode stands over what the fuse lets through."""
LIKELY, SAGGED, SWUNG = 0.8, 0.9, 0.5
"""Of a converter for an auxiliary output: its efficiency at least, what is left of a source at the bank, and the swing of its
choke over its current at most."""
SERIES_DROP = 5e-3
"""Share of the lowest input that a series switch may drop."""


@remembered
def propose(
    brief: Brief,
    current: float,
    ripple: Ripple,
    pins: Fields,
    shelf: Shelf,
    rules: Rules,
    interrupted: float = 0.0,
    swell: float = 1.0,
    noise: Noise | None = None,
) -> InputStageBuild:
    """Fuse, cable and cans for the largest continuous current, RMS, its ripple, and what the stage stops at once, A. `swell`
    is that current's RMS over its mean: what drops in the leads goes with the square of it. `noise` is what swings with the
    stage's carrier: bank and filter keep it from the source, and the input damped."""
    empty, _, full = brief.source.volts
    fault = fault_current(brief)
    returns = not isinstance(ripple, float)
    if brief.auxiliary:
        ripple = Joined(ripple, _beside(brief)[1])
    held, switch = "count" in pins, float(f"{SERIES_DROP * empty / max(current, 0.1):.1g}")
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
                {"L": LOOP * brief.direct_source.cable_length, "I": interrupted, "dV": rules.bank_rise * empty}
            )
        lifted = None
        if brief.source.blocking is not None and returns and not isinstance(ripple, float):
            lifted = Lifted(ripple, brief.source.blocking)
            least = max(least, lifted.bank_for(rise_allowed(brief, rules)))
        steady = current if noise and noise.constant else _beside(brief)[0]
        if steady > 0:
            least = max(least, _damped_bank(steady, {"reverse_ohms": switch} | pins, brief, shelf, rules))
        pins = pins | cans_for(full, ripple, least, lifted, pins, shelf, rules)
    fuse_part = shelf.get(Fuse, pins["fuse"])
    made = InputStageBuild.within(
        {
            "choke": 0.0,
            "damper": 0.0,
            "choke_ohms": float(f"{CHOKE_DROP * empty / max(current, 0.1):.1g}"),
            "reverse": SHUNT,
            "reverse_i2t": float(f"{OUTLASTS * 1.05 * fuse_part.i2t:.2g}"),
            "reverse_ohms": switch,
            "connector": float(next((c for c in CONNECTORS if c >= lasting(fuse_part, brief)), CONNECTORS[-1])),
            **pins,
        }
    )
    most = brief.direct_source.ripple_limit
    if most is None or noise is None or "choke" in pins:
        return made
    passes = way(made, brief, shelf, rules)
    reach = 1.0 if held else MOST_COUNT / made.count
    found = filter_for(noise, current / swell, RIPPLE_USED * most, passes, _slope(noise, current, brief), reach)
    count = made.count if held else min(MOST_COUNT, math.ceil(made.count * found.bank / passes.bank - 1e-6))
    return made.model_copy(update={"choke": found.choke, "damper": pins.get("damper", found.damper), "count": count})


def _beside(brief: Brief) -> tuple[float, float]:
    """About what a converter for an auxiliary output draws on the lowest input, A, and the most that its pulses put into the
    bank, RMS, A."""
    asked = brief.auxiliary
    if asked is None:
        return 0.0, 0.0
    amps = asked.power.continuous / asked.voltage
    duties = [min(1.0, asked.voltage / (SAGGED * volts)) for volts in brief.source.volts]
    if min(duties) < 0.5 < max(duties):
        duties.append(0.5)
    drawn = asked.power.continuous / (LIKELY * SAGGED * brief.source.volts[0])
    through = {d: step_down.conducted.work({"D_tot": d, "I_out": amps, "dI": SWUNG * amps}) for d in duties}
    return drawn, max(step_down.beside_mean.work({"I_rms": rms, "I_avg": d * amps}) for d, rms in through.items())


def _slope(noise: Noise, current: float, brief: Brief) -> float:
    """The slope, Ω, of what draws a current at full power and holds its power, in the surge on the lowest input."""
    held = current if noise.constant else _beside(brief)[0]
    surge = brief.surge / brief.continuous
    return brief.source.volts[0] / (SURGED * surge * held) if held > 0 else math.inf


def _damped_bank(current: float, pins: Fields, brief: Brief, shelf: Shelf, rules: Rules) -> float:
    """The least bank, F, before a stage of constant power that draws a current, A, at full power."""
    fields: Fields = {"choke": 0.0, "choke_ohms": 0.0, "reverse": SHUNT, "runs": 1} | pins
    draft = InputStageBuild.model_construct(None, **fields)
    ohms = brief.source.internal_resistance + resistance(draft, brief, shelf, rules)
    passes = Way(ohms, LOOP * brief.direct_source.cable_length, draft.choke, 0.0, 0.0, 0.0, 0.0)
    return bank_for(passes, _slope(Noise(0.0, constant=True), current, brief))


def _cable(current: float, empty: float, fuse: Fuse, pins: Fields, brief: Brief, shelf: Shelf, rules: Rules) -> Fields:
    """The thinnest cable, or the fewest of the thickest, that the fuse protects, that stands a dead short until the fuse has
    opened, and that drops no more than the rules allow beside fuse and contacts."""
    beside = fuse.resistance + rules.contact_resistance
    left = max(rules.cable_drop * empty / (current * RESERVE) - beside, 0.2 * rules.cable_drop * empty / current)
    area = copper_resistivity(CABLE_CELSIUS) * 2 * brief.direct_source.cable_length / left
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
