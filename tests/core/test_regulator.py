"""The output's voltage loop: its plant against a solver, its margins against the closed loop's own poles, its bench in words."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.modulation import LoopAsked, loop_bench
from rhombos.core.waves.regulator import (
    ALONE,
    Gains,
    closed,
    impedance,
    loop_gain,
    propose,
    sampled,
    slow_response,
    stable,
    standing,
    step_response,
    sweep,
)
from rhombos.core.waves.steady import FilterCircuit

L, R, C, T = 1.8e-3, 0.5, 3.3e-6, 1 / 36e3
CORNER, SURGE = 1 / (2 * math.pi * math.sqrt(L * C)), math.sqrt(L / C)
EMPTY = sampled(FilterCircuit(L, R, C, 1e7), T)
LAGGING = sampled(FilterCircuit(L, R, C, 70.0, 0.1), T)
HELD = Gains(0.3, 8.0, 100.0)


def test_a_plant_between_samples_is_the_circuit_with_its_bridge_held():
    def law(t, x):
        return [(200.0 - x[1] - R * x[0]) / L, (x[0] - x[2] - 1.5) / C, (x[1] - 70.0 * x[2]) / 0.1]

    start = np.array([2.0, 150.0, 1.0])
    expected = solve_ivp(law, (0, T), start, rtol=1e-11, atol=1e-12).y[:, -1]
    assert LAGGING.a @ start + LAGGING.b * 200.0 + LAGGING.e * 1.5 == pytest.approx(expected, rel=1e-8)


@pytest.mark.parametrize("plant", [EMPTY, LAGGING])
@pytest.mark.parametrize("gains", [HELD, Gains(0.1, 2.0, 50.0)])
def test_the_gain_may_grow_exactly_as_far_as_is_said(plant, gains):
    """The closed loop's poles pass the unit circle where the loop gain says they will."""
    found = standing(loop_gain(plant, gains, 50.0, sweep(50.0, CORNER, T)), sweep(50.0, CORNER, T))
    assert found.gain > 1
    for factor, holds in ((0.98, True), (1.02, False)):
        k = factor * found.gain
        assert stable(plant, Gains(k * gains.voltage, k * gains.damping, k * gains.resonant), 50.0) is holds


def test_the_output_impedance_is_what_a_drawn_sine_meets():
    """A sine of one ampere drawn from the closed loop, sample by sample, until all else has died."""
    a = closed(LAGGING, HELD, 50.0)
    drawn = np.concatenate([LAGGING.e, np.zeros(3)])
    x, kept = np.zeros(drawn.size), []
    count, frequency = round(1 / T), 150.0
    for k in range(count):
        kept.append(x[1])
        x = a @ x + drawn * math.sin(2 * math.pi * frequency * k * T)
    last = np.array(kept[-round(0.1 / T) :])
    amplitude = 2 * abs(np.mean(last * np.exp(-2j * np.pi * frequency * T * np.arange(last.size))))
    assert amplitude == pytest.approx(abs(impedance(LAGGING, HELD, 50.0, np.array([frequency]))[0]), rel=1e-3)


def test_a_filter_left_alone_has_the_impedance_of_its_parts():
    f = np.array([150.0, 400.0])
    s = 2j * np.pi * f
    expected = 1 / (1 / (R + s * L) + s * C)
    assert np.abs(impedance(EMPTY, ALONE, 50.0, f)) == pytest.approx(
        np.abs(expected), rel=0.015
    )  # a held ampere is not quite a sine


@given(st.floats(0.3e-3, 10e-3), st.floats(1e-6, 40e-6), st.floats(0.05, 2.0), st.sampled_from([9e3, 18e3, 40e3]))
@settings(max_examples=12, deadline=None)
def test_what_is_proposed_keeps_its_distance_or_leaves_the_filter_alone(henry, farad, ohm, samples):
    plants = tuple(sampled(FilterCircuit(henry, ohm, farad, r), 1 / samples) for r in (1e6, 60.0))
    corner = 1 / (2 * math.pi * math.sqrt(henry * farad))
    gains = propose(plants, 50.0, corner, math.sqrt(henry / farad), 0.5)
    f = sweep(50.0, corner, 1 / samples)
    for plant in plants:
        assert stable(plant, gains, 50.0) or gains == ALONE
        assert gains == ALONE or standing(loop_gain(plant, gains, 50.0, f), f).distance >= 0.499


def test_with_room_to_act_the_socket_becomes_stiffer():
    """A low corner and many samples: at the odd harmonics less is left, on the average, than the filter alone would leave."""
    henry, farad = 2e-3, 60e-6
    plants = tuple(sampled(FilterCircuit(henry, 0.2, farad, r), 1 / 80e3) for r in (1e6, 40.0))
    corner = 1 / (2 * math.pi * math.sqrt(henry * farad))
    gains = propose(plants, 50.0, corner, math.sqrt(henry / farad), 0.5)
    f = np.array([150.0, 250.0, 350.0])
    held, alone = (np.abs(impedance(plants[0], g, 50.0, f)) for g in (gains, ALONE))
    assert np.mean(held / alone) < 0.65


def test_a_held_sine_is_back_where_it_was_wanted():
    lead = 1 + 2j * math.pi * 50 * R * C - (2 * math.pi * 50) ** 2 * L * C
    made = step_response(EMPTY, LAGGING, HELD, 325.0, 50.0, 370.0, lead, 0.045, 0.2)
    missing = np.abs(made.wanted - made.voltage)
    assert missing[(made.time > 0.0449) & (made.time < 0.046)].max() > 5
    assert missing[made.time > 0.18].max() < 0.3
    assert np.abs(made.bridge).max() <= 370


def test_the_slow_school_halves_its_error_each_half_period():
    made, halves = slow_response(EMPTY, sampled(FilterCircuit(L, 6.0, C, 60.0), T), 0.5, 230.0, 325.0, 50.0, 400.0, 0.04, 0.3)
    missing = 230.0 - halves
    late = missing[7:12]  # the drop of the loaded filter is one factor: what is left shrinks by the share
    assert late[0] > 0.5
    assert late[1:] / late[:-1] == pytest.approx(np.full(4, 0.5), abs=0.03)
    assert made.voltage.size == made.time.size


@pytest.mark.parametrize(
    "asked",
    [
        LoopAsked(),
        LoopAsked(updates="once"),
        LoopAsked(school="every half period"),
        LoopAsked(step="50 %", voltage=0.2, damping="5 ohm", resonant=100),
    ],
)
def test_the_bench_tells_figures_and_pictures(asked, worked):
    found = loop_bench(asked, worked)
    assert found.stable
    assert {"response"} < {c.key for c in found.charts}
    for chart in found.charts:
        for series in chart.series:
            assert np.isfinite(series.y).all()
    assert all("nan" not in f.text for f in found.figures)


def test_a_loop_that_swings_up_is_told_in_the_first_line(worked):
    wild = loop_bench(LoopAsked(voltage=5), worked)
    assert not wild.stable
    assert "do not build it" in wild.remarks[0]
    assert next(f.text for f in wild.figures if f.name == "Gain may grow") == "not at all"
    slow = loop_bench(LoopAsked(school="every half period", share=2.2), worked)
    assert not slow.stable
    assert "does not hold" in slow.remarks[0]


def test_an_iron_bridge_is_held_and_a_square_wave_refused(refuge, shelf):
    assert loop_bench(LoopAsked(), work_out(refuge, {}, shelf, PRESETS["usual"], "iron bridge")).figures
    square = refuge.but(output={"waveform": "square"})
    with pytest.raises(ValueError, match="only a sine"):
        loop_bench(LoopAsked(), work_out(square, {}, shelf, PRESETS["usual"]))


def test_a_loop_of_no_gain_leaves_the_filter_alone(worked):
    found = loop_bench(LoopAsked(voltage=0, damping=0, resonant=0), worked)
    assert found.stable
    bode = next(c for c in found.charts if c.key == "loop-gain")
    assert set(bode.series[0].y) == {-40.0}
    held, alone = next(c for c in found.charts if c.key == "stiffness").series
    assert held.y == pytest.approx(alone.y)
