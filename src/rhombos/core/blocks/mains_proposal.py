"""The input on one-phase mains as it is proposed: fuse, limiter, diodes, bank and bleeder for what is drawn."""

from __future__ import annotations

import math
from dataclasses import replace

from rhombos.core.blocks.base import propose_resistor
from rhombos.core.blocks.cooling import propose_sink, steady_limit
from rhombos.core.blocks.input_bank import banks_for, cans_for
from rhombos.core.blocks.mains_input import (
    COLD_LESS,
    NONE,
    RELAY,
    TRIPS,
    WARM,
    Draws,
    Line,
    MainsInputBuild,
    assess,
    fault,
    first_charge,
    hold_up_of,
    hot,
    marched_once,
    swings_to,
)
from rhombos.core.book import link as link_book
from rhombos.core.book import mains as book
from rhombos.core.book import source as source_book
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.parts import Capacitor, Diode, Fuse, Shelf
from rhombos.core.units.preferred import E6, at_least, at_most
from rhombos.core.waves.line_half import Behind, Mains
from rhombos.core.waves.line_rectifier import Rectified

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
HEATED = 1.1
"""What the sink is proposed for, over what the diodes burn."""


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
            marched_once(Mains(v, line.hertz, ohms, line.henry), behind, LIKELY_LOSS * draws.total, None)
            for v in (line.volts[0], line.volts[2])
        )
        sound, lasts = _serves(line, low, bank, draws.total)
        if draws.swing and sound and lasts:  # of a load that swings no less is asked
            low = marched_once(low.mains, behind, LIKELY_LOSS * draws.total, draws.swing)
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
    lasts = made.lowest > line.least and hold_up_of(bank, made.lowest, line.least, power) >= RESERVE * line.hold_up
    return sound, lasts


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
