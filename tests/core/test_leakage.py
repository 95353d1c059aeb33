"""Pulses that must first rise through the leakage, marched edge by edge, against what the sheet says of them."""

import math

import pytest
from scipy.optimize import brentq

from rhombos.core.blocks import front_end, transformer
from rhombos.core.book import stage
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.frame.topology import TOPOLOGIES


def marched(duty, half, v_half, v_sec, link, leakage, choke, ratio):
    """One half period after another, until the choke's current repeats: mean and peak to peak of it, A; the primary's current
    as it is turned off, its mean over both switches, and its mean square in one, A².

    `half` s; `duty` of one switch; while the primary's current rises to the choke's, the rectifier shorts the secondary.
    """
    on = 2 * duty * half
    start = 10.0
    for _ in range(20_000):
        low = start
        # the primary rises from nothing, the choke falls
        rise = low / (v_half / (leakage * ratio) + link / choke)
        met = low - link / choke * rise
        with_both = (v_sec - link) / (choke + leakage * ratio**2)
        top = met + with_both * (on - rise)
        end = top - link / choke * (half - on)
        if abs(end - start) < 1e-10 * max(start, 1e-3):
            break
        start = max(end, 1e-6)
    mean = ((low + met) / 2 * rise + (met + top) / 2 * (on - rise) + (top + end) / 2 * (half - on)) / half
    squares = (met**2 / 3 * rise + (met**2 + met * top + top**2) / 3 * (on - rise)) / (2 * half) * ratio**2
    drawn = (met / 2 * rise + (met + top) / 2 * (on - rise)) / half * ratio
    return mean, max(low, top) - min(met, end), top * ratio, drawn, squares


def test_the_heating_duty_is_the_mean_square_of_a_ramp_and_a_top():
    top, duty, rise = 80.0, 0.4, 0.11
    squares = top**2 * (rise / 3 + duty - rise)
    assert stage.heating_duty.work({"D": duty, "D_rise": rise}) == pytest.approx(squares / top**2)
    assert stage.heating_duty.work({"D": duty, "D_rise": 0.0}) == duty


@pytest.mark.parametrize(
    ("route", "cells", "power", "pins"),
    [
        ("push-pull link", 6, 1000, {}),
        ("push-pull link", 12, 1200, {"front_end.frequency": 80e3}),
        ("full-bridge link", 7, 900, {"front_end.frequency": 150e3}),
        ("half-bridge link", 12, 900, {"transformer.interfaces": 1}),
    ],
)
def test_pulses_through_leakage_are_those_of_the_circuit(route, cells, power, pins, shelf):
    brief = Brief.model_validate(
        {
            "source": {"chemistry": "lead-acid", "cells": cells, "capacity": 3600 * 200.0},
            "power": {"continuous": power, "surge": power},
            "loads": ["lamp"],
            "output": {"waveform": "sine"},
        }
    )
    worked = work_out(brief, pins, shelf, PRESETS["usual"], route)
    s = worked.settled["low"]
    stage_state, rectified, builds = s.states["front_end"], s.states["rectifier"], worked.builds
    ratio, f = builds["transformer"].ratio, builds["front_end"].frequency
    leakage = transformer.leakage(builds["transformer"], shelf) + front_end.lead_inductance(
        builds["front_end"], shelf, worked.rules
    )
    v_sec = ratio * s.v_half - s.secondary_drop
    link = s.states["dc_link"].voltage + s.diodes * s.guess.diode_drop + rectified.current * rectified.choke_resistance
    circuit = (1 / (2 * f), s.v_half, v_sec, link, leakage, builds["rectifier"].inductance, ratio)
    assert stage_state.rising > 0.004
    duty = brentq(lambda d: marched(d, *circuit)[0] - rectified.current, 0.3, 0.4999)
    _, ripple, off, drawn, squares = marched(duty, *circuit)
    magnetising = s.states["transformer"].magnetising_together / 2
    assert stage_state.duty == pytest.approx(duty, rel=0.01)
    # the leakage in series softens the ripple a little; core and damper take their power from the same pulse
    assert 1 <= rectified.ripple / ripple <= 1.1
    assert 1 <= (s.turn_off - magnetising) / off <= 1.035
    assert 1 <= stage_state.side_rms / s.swing.rms / math.sqrt(squares) <= 1.035
    winding = math.sqrt(squares * 2 / TOPOLOGIES[builds["front_end"].topology].halves)
    assert 1 <= s.states["transformer"].primary_rms / s.swing.rms / winding <= 1.035
    if builds["input_stage"].banks == 1:
        assert s.states["input_stage"].ripple == pytest.approx(math.sqrt(2 * squares - drawn**2), rel=0.05)
