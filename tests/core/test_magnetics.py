"""Windings, chokes, transformers: against field solutions, energy, and properties that must always hold."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rhombos.core.book import magnetics as book
from rhombos.core.design.rules import PRESETS
from rhombos.core.magnetics.choke import ChokeNeed, choke_loss, design_choke
from rhombos.core.magnetics.stack import STACKABLE, rise, stack_table, stacked, temperature_factor
from rhombos.core.magnetics.transformer import (
    TWO_SIDED,
    TransformerNeed,
    design_transformer,
    one_sided_harmonics,
    total_loss,
    transformer_from,
    winding_losses,
)
from rhombos.core.magnetics.winding import ac_factor, choose_wire, copper_resistivity, lay
from rhombos.core.parts import Core, Grade, Wire

RULES = PRESETS["usual"]
NEED = TransformerNeed(
    v_max=29.2,
    d_max=0.45,
    v_work=21.5,
    d_work=0.44,
    ratio=19.5,
    primary_pulse=36.0,
    secondary_pulse=1.7,
    frequency=46e3,
    air=40.0,
)


@pytest.fixture(scope="module")
def wound_once(shelf):
    return design_transformer(NEED, {}, shelf, RULES)


def field_solution(layers: int, thickness: float, frequency: float, rho: float) -> float:
    """AC over DC loss of foil layers, from the diffusion equation solved layer by layer in the complex plane."""
    depth = math.sqrt(rho / (math.pi * frequency * 4e-7 * math.pi))
    gamma = (1 + 1j) / depth
    y = np.linspace(0, thickness, 4001)
    loss = 0.0
    for m in range(1, layers + 1):
        # H rises from m−1 to m across layer m; E·J* follows from dH/dy
        low, high = m - 1, m
        h = (high * np.sinh(gamma * y) + low * np.sinh(gamma * (thickness - y))) / np.sinh(gamma * thickness)
        density = np.gradient(h, y)
        loss += np.trapezoid(np.abs(density) ** 2, y) * rho
    return loss / (layers * rho / thickness)


@pytest.mark.parametrize("layers", [1, 2, 3, 5])
@pytest.mark.parametrize("thickness", [0.1e-3, 0.3e-3, 0.7e-3])
def test_dowell_is_the_solution_of_the_field(layers, thickness):
    rho, frequency = copper_resistivity(100), 55e3
    depth = float(book.skin_depth(rho=rho, f=frequency))
    assert float(book.dowell(xi=thickness / depth, layers=layers)) == pytest.approx(
        field_solution(layers, thickness, frequency, rho), rel=2e-3
    )


@pytest.mark.parametrize("duty", [0.2, 0.35, 0.5, 0.8])
def test_triangle_core_loss_is_the_generalised_steinmetz_integral(duty):
    k, alpha, beta, f, peak = 1.8, 1.45, 2.5, 50e3, 0.05
    angle = np.linspace(0, 2 * np.pi, 200_001)
    k_i = k / ((2 * np.pi) ** (alpha - 1) * np.trapezoid(np.abs(np.cos(angle)) ** alpha * 2 ** (beta - alpha), angle))
    slopes = [(2 * peak / (duty / f), duty / f), (2 * peak / ((1 - duty) / f), (1 - duty) / f)]
    integral = f * sum(k_i * s**alpha * (2 * peak) ** (beta - alpha) * t for s, t in slopes)
    found = book.igse_triangle(D_tot=duty, alpha=alpha, beta=beta, k_core=k, f=f, B_pk=peak)
    assert float(found) == pytest.approx(integral, rel=1e-6)


@pytest.mark.parametrize("two_sided", [False, True])
@pytest.mark.parametrize("duty", [0.2, 0.44])
def test_pulse_harmonics_carry_the_power_of_the_pulses(two_sided, duty):
    time = (np.arange(20_000) + 0.5) / 20_000
    wave = np.where(np.abs(time - 0.25) < duty / 2, 1.0, 0.0)
    if two_sided:
        wave = wave - np.where(np.abs(time - 0.75) < duty / 2, 1.0, 0.0)
    expected = 2 * np.abs(np.fft.rfft(wave)[1:16] / time.size) ** 2
    found = one_sided_harmonics(duty) * (TWO_SIDED if two_sided else 1)
    assert found == pytest.approx(expected, abs=1e-4)


def test_copper_resistivity_is_the_standards_at_twenty_degrees():
    assert copper_resistivity(20) == pytest.approx(1.724e-8)
    assert copper_resistivity(100) == pytest.approx(1.724e-8 * (1 + 0.00393 * 80))


def test_litz_of_thin_strands_has_less_ac_loss_than_one_wire_of_its_section(shelf):
    litz = shelf.get(Wire, "L 200x0.071")
    thick = min(shelf.all(Wire), key=lambda w: abs(w.copper - litz.copper) if w.strands == 1 else 1)
    factors = [ac_factor(lay(w, 1, 20, 26e-3), 26e-3, 50e3, 90) for w in (litz, thick)]
    assert factors[0] < 1.5 < factors[1]


@given(turns=st.integers(1, 200), current=st.floats(0.1, 60), frequency=st.floats(20e3, 200e3))
@settings(max_examples=40, deadline=None)
def test_a_chosen_wire_fits_wherever_any_fits(shelf, turns, current, frequency):
    breadth, height = 30e-3, 6e-3
    chosen = choose_wire(shelf, turns, current, 4.5e6, breadth, height, frequency)
    if chosen.height > height:
        for wire in shelf.all(Wire):
            in_hand = math.ceil(current / 4.5e6 / wire.copper * 0.97)
            if in_hand <= 48 and wire.outer <= breadth:
                assert lay(wire, in_hand, turns, breadth).height > height
    else:
        assert chosen.copper >= 0.96 * current / 4.5e6


def test_stacking_two_sets_doubles_the_area_not_the_window(shelf):
    core = shelf.get(Core, "E 42/21/15")
    one, two = stacked(core, 1), stacked(core, 2)
    assert two.a_e == pytest.approx(2 * one.a_e)
    assert two.v_e == pytest.approx(2 * one.v_e)
    assert two.a_w == one.a_w
    assert two.mlt > one.mlt
    assert {r.core.shape for r in stack_table(shelf).rows if r.sets > 1} == set(STACKABLE)


def test_core_loss_is_least_at_the_grades_best_temperature(shelf):
    for grade in shelf.all(Grade):
        at = [temperature_factor(grade, t) for t in range(-20, 160)]
        assert -20 + int(np.argmin(at)) == pytest.approx(grade.t_best, abs=1)
        assert temperature_factor(grade, 100) == pytest.approx(1)


def test_a_designed_choke_keeps_its_limits(shelf):
    need = ChokeNeed(2e-3, peak=5.0, rms=2.0, ripple=0.6, ripple_rms=0.17, frequency=90e3, air=40)
    choke = design_choke(need, {"grade": "FB-40"}, shelf, RULES)
    flux = need.inductance * need.peak / (choke.winding.turns * choke.stack.a_e)
    assert flux <= RULES.choke_peak * 1.001
    assert choke.fill <= 1
    assert 40 + rise(choke_loss(choke, need).total, choke.stack.surface) <= RULES.winding_limit
    # the gap and the core's path in series give back the inductance
    reluctance = (choke.gap + choke.stack.l_e / choke.grade.mu_i) / (4e-7 * math.pi * choke.stack.a_e)
    assert choke.winding.turns**2 / reluctance == pytest.approx(need.inductance, rel=1e-6)


def test_choke_pins_are_kept(shelf):
    need = ChokeNeed(2e-3, 5.0, 2.0, 0.6, 0.17, 90e3, 40)
    choke = design_choke(need, {"core": "ETD 44", "turns": 90, "wire": "W 0.5"}, shelf, RULES)
    assert (choke.stack.core.id, choke.winding.turns, choke.winding.wire.id) == ("ETD 44", 90, "W 0.5")


def test_a_designed_transformer_keeps_its_limits(shelf):
    t = design_transformer(NEED, {}, shelf, RULES)
    assert book.peak_flux(V=29.2, D=0.45, N=t.primary.turns, A_e=t.stack.a_e, f_s=46e3) <= RULES.ferrite_peak
    assert t.fill <= 1
    assert t.ratio >= NEED.ratio
    assert rise(total_loss(t, NEED), t.stack.surface) <= RULES.winding_limit - NEED.air


def test_transformer_pins_are_kept(shelf):
    pins = {"core": "ETD 49", "primary_turns": 4, "secondary_turns": 81, "primary_wire": "L 400x0.1", "interfaces": 1}
    t = design_transformer(NEED, pins, shelf, RULES)
    assert (t.stack.core.id, t.primary.turns, t.secondary.turns, t.primary.wire.id, t.interfaces) == (
        "ETD 49",
        4,
        81,
        "L 400x0.1",
        1,
    )


def test_interleaving_quarters_the_copper_part_of_the_leakage(shelf):
    wound = [
        transformer_from(shelf, "ETD 44", 1, "FA-30", ("W 0.8", 8, 4), ("W 0.5", 1, 80), interfaces) for interfaces in (1, 2)
    ]
    leaks = [t.leakage - t.half_leakage for t in wound]
    assert leaks[1] < leaks[0] / 2.5
    # energy of the triangular field across the build, integrated: the plain case again, by another route
    t = wound[0]
    first, second, gap = 2 * t.primary.height, t.secondary.height, 0.15e-3
    y = np.linspace(0, first + gap + second, 20_001)
    h = np.clip(np.minimum(y / first, (first + gap + second - y) / second), 0, 1) * t.primary.turns / t.stack.b_w
    energy = 4e-7 * math.pi / 2 * np.trapezoid(h**2, y) * t.stack.b_w * t.stack.mlt
    assert leaks[0] == pytest.approx(2 * energy, rel=2e-3)


@given(turns=st.integers(1, 12))
@settings(max_examples=12, deadline=None)
def test_more_turns_mean_less_flux(turns):
    at = [float(book.peak_flux(V=25, D=0.45, N=n, A_e=2e-4, f_s=50e3)) for n in (turns, turns + 1)]
    assert at[1] < at[0]


def test_winding_loss_never_falls_below_its_dc_loss(shelf):
    t = design_transformer(NEED, {}, shelf, RULES)
    for found in winding_losses(t, 36.0, 1.7, 0.44, 46e3, 90):
        assert found.factor >= 1
        assert found.loss >= found.rms**2 * found.resistance


@pytest.mark.parametrize("taps", [1, 2], ids=["bridge", "centre tap"])
@pytest.mark.parametrize("celsius", [33.0, 61.7, 104.9])
def test_winding_loss_is_that_of_a_sampled_pulse_in_the_field(shelf, celsius, taps):
    """The pulse sampled and transformed, each harmonic through the field of the layers: at temperatures between the steps."""
    t, duty, rate = design_transformer(replace(NEED, secondary_halves=taps), {}, shelf, RULES), 0.31, 46e3
    time = (np.arange(20_000) + 0.5) / 20_000
    one = (time < duty) * 1.0
    two = one - ((time >= 0.5) & (time < 0.5 + duty))
    found = winding_losses(t, 36.0, 1.7, duty, rate, celsius)
    for winding, wave, pulse, portions, answer in (
        (t.primary, one, 36.0, t.interfaces / 2, found[0]),
        (t.secondary, two if taps == 1 else one, 1.7, t.interfaces / taps, found[1]),
    ):
        lines = np.abs(np.fft.rfft(wave))[:16] / wave.size
        squares = 2 * lines**2
        squares[0] /= 2
        rises = [1.0] + [ac_factor(winding, t.stack.b_w, k * rate, celsius, portions) for k in range(1, 16)]
        factor = float(squares @ rises / squares.sum())
        assert answer.factor == pytest.approx(factor, rel=1e-3)
        assert answer.rms == pytest.approx(pulse * math.sqrt(np.mean(wave**2)), rel=1e-3)
        length = winding.turns * t.stack.mlt
        ohms = copper_resistivity(celsius) * length / winding.copper
        assert answer.loss == pytest.approx(answer.rms**2 * ohms * factor, rel=2e-3)


@given(celsius=st.floats(-20, 180))
@settings(max_examples=60, deadline=None)
def test_winding_loss_has_no_jump_where_its_steps_meet(wound_once, celsius):
    """A temperature a hair away gives a loss a hair away: a jump would keep the operating point from settling."""
    for winding in (0, 1):
        here, near = (winding_losses(wound_once, 36.0, 1.7, 0.44, 46e3, c)[winding].loss for c in (celsius, celsius + 1e-3))
        assert abs(near - here) < 2e-5 * here


@pytest.mark.parametrize(("volts", "hertz"), [(290.0, 36e3), (600.0, 50e3), (210.0, 6.1e3)])
def test_a_source_of_high_voltage_gets_turns_and_not_a_core_that_needs_few(volts, hertz, shelf):
    """By hand: volt-seconds over turns and area; the core stays as small as its power lets it."""
    need = replace(
        NEED, v_max=volts, v_work=0.85 * volts, ratio=0.1, primary_pulse=NEED.primary_pulse * NEED.v_work / volts,
        secondary_pulse=NEED.primary_pulse * NEED.v_work / volts / 0.1, frequency=hertz)  # fmt: skip
    t = design_transformer(need, {}, shelf, RULES)
    flux = volts * need.d_max / (2 * t.primary.turns * t.stack.a_e * hertz)
    assert flux <= RULES.ferrite_peak * 1.001
    assert t.primary.turns > 14
    few = design_transformer(need, {"primary_turns": 14}, shelf, RULES)
    assert t.stack.v_e < few.stack.v_e
    assert t.fill <= 1.0
