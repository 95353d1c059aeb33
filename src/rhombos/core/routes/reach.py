"""What a front end's windings must reach: the turns ratio that a link asks for, and what leakage costs on the way."""

from __future__ import annotations

import math

from rhombos.core.book import clamp as clamps
from rhombos.core.book import stage as stage_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.topology import Rectifying
from rhombos.core.routes.hints import HARDEST_SAG, Hints

MOST_DROP = 0.4
"""Share of a stage's voltage that a turns ratio makes up for at most: more is a design without hope."""
LEAST_REACH = 0.3
"""Share of the duty limit that leakage leaves a proposal at least: more taken is a design without hope."""
ABLE = 1.05 * HARDEST_SAG
"""Share of its highest voltage that a source must keep in a surge for the socket to be held then."""
MOST_RAISED = 1.15
"""Turns ratio that holds a socket in the surge, over that for full power, at most: the rest of a surge sags, and is told."""
LEAST_SAG = 0.5
"""Share of its voltage below which no surge is reckoned with."""
DUTY_RESERVE = 0.985
"""Part of the duty limit that the proposed turns ratio uses; the rest absorbs what the next iteration changes."""


def leak_cost(turned_off: float, frequency: float) -> float:
    """What a henry of leakage burns, W, in clamps at about twice what the leakage rests at, for a current turned off, A, at one
    switch's frequency, Hz."""
    return clamps.clamp_power.work({"L_lk": 1.0, "I": turned_off, "f": 2 * frequency, "V_c": 2.0, "V_r": 1.0})


def turns_ratio(brief: Brief, hints: Hints, how: Rectifying, voltage: float, drive: float, rules: Rules) -> float:
    """Secondary over primary turns that just reach the link, V, hot, at full load; `drive` is the share of the supply that a
    half of the primary sees. A socket of direct voltage is held in the surge too, as far as a few more turns do it."""
    lowest = hints.v_in["low"]
    if how.choke:
        steady = _reaching(hints, hints.drawn["low"].peak, lowest, voltage, drive, rules)
        able = hints.v_in["surge_high"] > ABLE * brief.source.volts[2]  # else the source gives no such surge anyway
        if not brief.output.direct or not able:
            return steady
        surge = brief.surge_converted / brief.converted
        sagged = lowest - (surge - 1) * max(0.0, brief.source.volts[0] - lowest)
        return min(MOST_RAISED * steady, _reaching(hints, surge, max(LEAST_SAG * lowest, sagged), voltage, drive, rules))
    v_min = drive * lowest
    if brief.output.stepped:  # its RMS follows the link: right on a nominal input
        v_min *= brief.source.volts[1] / brief.source.volts[0]
    reached = voltage / how.gain + hints.secondary_extra
    return float(stage_book.turns_ratio_peak(V_out=reached, n_d=1, V_F=0.0, V_min=v_min, V_drop=hints.drop))


def _reaching(hints: Hints, crest: float, volts: float, voltage: float, drive: float, rules: Rules) -> float:
    """The turns ratio for pulses so many times those of full power, at an input, V: leakage's share of the duty taken off."""
    v_min = drive * volts
    reach = max(LEAST_REACH * rules.duty_limit, rules.duty_limit * DUTY_RESERVE - crest * hints.leak_duty / 2)
    asked = {"V_out": voltage + hints.secondary_extra, "n_d": 1, "V_F": 0.0, "D_max": reach, "V_min": v_min}
    return float(stage_book.turns_ratio_choke(**asked, V_drop=min(crest * hints.drop, MOST_DROP * v_min)))


LIKELY_SHARE, MOST_RISING = 0.7, 0.08
"""What part of the time power flows when a frequency is chosen, and what part of it the leads may take for currents to rise."""
MOST_DAMPED = 0.05
"""Part of a stage's power that the rectifier's damper may burn when a frequency is chosen."""


def steady_frequency(power: float, volts: float, leads: float, damped: float = math.inf) -> float:
    """A sensible switching frequency, Hz, before any search, for the power of a stage, W, on the lowest voltage across its
    winding, V, with so much inductance in its leads, H, and a damper behind it that bears so many Hz: 50 kHz at 600 W, falling
    slowly with power.

    High frequency shrinks the core; switching loss and leakage grow with power, so larger stages run slower, and slower yet
    where current through the leads would take a good part of each pulse to rise, or where the rectifier's damper would burn a
    good part of a small power. It stays above hearing.
    """
    steady = min(80e3, damped, max(25e3, 50e3 * (600 / power) ** 0.25))
    return STEP * max(LEAST_STEPS, float(min(round(steady / STEP), highest_frequency(power, volts, leads) // STEP)))


STEP, LEAST_STEPS = 5e3, 4.0
"""Proposed frequencies are multiples of it, Hz, and so many at least: above hearing."""


def damped_frequency(power: float, secondary: float, damper: float) -> float:
    """The frequency up to which the rectifier's damper burns a small part of a stage's power, Hz."""
    return MOST_DAMPED * power / clamps.damper_power.work({"C_d": damper, "V": secondary, "f": 2.0})


def highest_frequency(power: float, volts: float, leads: float) -> float:
    """The frequency up to which currents rise through the leads in a small part of each pulse, Hz."""
    pulse = stage_book.pulse_current.work({"P": power, "V": volts, "D_tot": LIKELY_SHARE})
    return float(MOST_RISING / stage_book.leakage_duty_loss.work({"L_lk": leads, "I": pulse, "f_s": 1.0, "V": volts}))


FASTER, FASTEST = 900.0, 2.0
"""Power, W, from which a stage may run the less above its steady frequency for the sake of a socket; and at how much of it any
may."""


def tapped_frequency(asked: float, steady: float, power: float, volts: float, leads: float, damped: float = math.inf) -> float:
    """The frequency of a stage whose secondary feeds a high-frequency socket: the one asked, Hz, as far as its leads bear it
    and a damper behind it, up to so many Hz, and it is not too far above a steady one."""
    bears = min(highest_frequency(power, volts, leads), steady * min(FASTEST, 1 + FASTER / power), damped)
    return min(asked, max(LEAST_STEPS * STEP, bears))
