"""Modulation, spectra and the steady state, each against a route of its own."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from rhombos.core.book import filters, link
from rhombos.core.frame.report import Operating
from rhombos.core.waves.modulation import carrier_ratio, three_level, unipolar
from rhombos.core.waves.output import output_waves
from rhombos.core.waves.spectrum import harmonics, readings_of_samples, readings_of_steps
from rhombos.core.waves.steady import FilterCircuit, steady_state

V, LINE, CARRIER = 380.0, 50.0, 18e3
CIRCUIT = FilterCircuit(1.8e-3, 0.4, 3.3e-6, 71.4, 0.11)


def test_a_square_waves_spectrum_is_exact():
    peaks = 2 * np.abs(harmonics(three_level(1, 100, 50), 1000))
    order = np.arange(1, 1001)
    exact = np.where(order % 2 == 1, 400 / (np.pi * order), 0)
    assert np.max(np.abs(peaks - exact)) < 1e-9


@pytest.mark.parametrize("sampling", ["natural", "regular", "asymmetric"])
def test_edges_agree_with_a_finely_sampled_comparison(sampling):
    wave = unipolar(0.87, V, 2e3, LINE, sampling)
    time = (np.arange(2_000_000) + 0.5) / 2_000_000 / LINE
    turn = time * 2e3
    carrier = np.abs(((turn % 1) * 2) - 1) * 2 - 1
    hold = {"natural": time, "regular": np.floor(turn) / 2e3, "asymmetric": np.floor(2 * turn) / 4e3}[sampling]
    sine = 0.87 * np.sin(2 * np.pi * LINE * hold)
    expected = V * ((sine > carrier).astype(float) - (-sine > carrier))
    assert np.mean(wave.at(time) != expected) < 2e-4
    assert wave.rms == pytest.approx(math.sqrt(np.mean(expected**2)), rel=2e-4)


@given(index=st.floats(0.05, 1.0), ratio=st.integers(20, 400))
@settings(max_examples=30, deadline=None)
def test_natural_sampling_makes_exactly_the_asked_fundamental(index, ratio):
    wave = unipolar(index, V, ratio * LINE, LINE)
    assert 2 * abs(harmonics(wave, 1)[0]) == pytest.approx(index * V, rel=2e-4, abs=1e-6 * V)
    assert abs(wave.mean) < 1e-9 * V
    assert set(np.unique(wave.levels)) <= {-V, 0.0, V}
    assert np.all(np.diff(wave.times) > 0)


def test_out_of_range_modulation_is_refused():
    with pytest.raises(ValueError, match="raise the link"):
        unipolar(1.2, V, CARRIER, LINE)
    with pytest.raises(ValueError, match="beyond 4000"):
        carrier_ratio(1e6, 50)
    with pytest.raises(ValueError, match="outside 0 to 1"):
        three_level(0, V, LINE)


def march(circuit: FilterCircuit, wave, periods: int, tolerance: float) -> np.ndarray:
    """The state after some periods from rest, with scipy's solver stopped at every edge."""
    a, b = circuit.matrices()
    state = np.zeros(a.shape[0])
    ends = np.append(wave.times[1:], wave.period)
    for _ in range(periods):
        for begin, end, level in zip(wave.times, ends, wave.levels, strict=True):
            state = solve_ivp(
                lambda _, x, u=level: a @ x + b * u, (begin, end), state, rtol=tolerance, atol=tolerance * V, method="DOP853"
            ).y[:, -1]
    return state


def test_the_steady_state_agrees_with_marching_to_it():
    wave = unipolar(0.85, V, 3e3, LINE)
    circuit = FilterCircuit(4e-3, 2.0, 6e-6, 60.0, 0.05)
    found = steady_state(circuit, wave).states(np.array([0.0]))[0]
    assert found == pytest.approx(march(circuit, wave, 4, 1e-8), abs=1e-4 * V)


def test_the_steady_state_returns_to_itself():
    wave = unipolar(0.9, V, CARRIER, LINE)
    solved = steady_state(CIRCUIT, wave)
    a, b = CIRCUIT.matrices()
    time = np.array([wave.period * (1 - 1e-12)])
    assert solved.states(time)[0] == pytest.approx(solved.states(np.array([0.0]))[0], abs=1e-5 * V)
    # and obeys its differential equation inside a step
    t = wave.times[100] + 0.3 * (wave.times[101] - wave.times[100])
    h = 1e-9
    before, here, after = solved.states(np.array([t - h, t, t + h]))
    assert (after - before) / (2 * h) == pytest.approx(a @ here + b * wave.levels[100], rel=1e-4, abs=1)


@pytest.mark.parametrize(
    "circuit", [CIRCUIT, FilterCircuit(1.8e-3, 0.4, 3.3e-6, 88.0), FilterCircuit(1.8e-3, 0.4, 3.3e-6, math.inf)]
)
def test_the_steady_state_agrees_with_phasors_of_every_harmonic(circuit):
    wave = unipolar(0.9, V, CARRIER, LINE)
    samples = 20_000
    states = steady_state(circuit, wave).states(np.arange(samples) / samples * wave.period)
    s = 2j * np.pi * LINE * np.arange(1, 3001)
    load = circuit.load_resistance + s * circuit.load_inductance
    shunt = 1 / (s * circuit.capacitance + (1 / load if math.isfinite(circuit.load_resistance) else 0))
    peaks = 2 * np.abs(harmonics(wave, 3000) * shunt / (shunt + circuit.resistance + s * circuit.inductance))
    assert math.sqrt(np.mean(states[:, 1] ** 2)) == pytest.approx(math.sqrt(np.sum(peaks**2) / 2), rel=1e-5)


def test_energy_balances_over_a_period():
    wave = unipolar(0.9, V, CARRIER, LINE)
    samples = 400_000
    time = (np.arange(samples) + 0.5) / samples * wave.period
    states = steady_state(CIRCUIT, wave).states(time)
    drawn = np.mean(wave.at(time) * states[:, 0])
    burnt = np.mean(states[:, 0] ** 2) * CIRCUIT.resistance + np.mean(states[:, 2] ** 2) * CIRCUIT.load_resistance
    assert drawn == pytest.approx(burnt, rel=1e-3)


def test_a_circuit_without_loss_is_refused():
    with pytest.raises(ValueError, match="no loss"):
        steady_state(FilterCircuit(1e-3, 0.0, 1e-6, math.inf), unipolar(0.9, V, CARRIER, LINE))


def test_the_books_ripple_rules_agree_with_the_wave():
    index = 0.88
    wave = unipolar(index, V, CARRIER, LINE)
    circuit = FilterCircuit(1.8e-3, 0.01, 200e-6, 80.0)  # a stiff output: only the carrier ripples
    samples = 72_000
    current = steady_state(circuit, wave).states(np.arange(samples) / samples * wave.period)[:, 0]
    spectrum = np.fft.rfft(current) / samples
    fast = math.sqrt(2 * np.sum(np.abs(spectrum[100:]) ** 2))
    assert fast == pytest.approx(float(filters.unipolar_ripple_rms(V_dc=V, f_c=CARRIER, L=1.8e-3, M=index)), rel=0.02)
    window = current.reshape(-1, samples // 720)
    assert np.ptp(window, axis=1).max() == pytest.approx(
        float(filters.unipolar_ripple(V_dc=V, L=1.8e-3, f_c=CARRIER)), rel=0.05
    )


@pytest.mark.parametrize("lag", [0.0, 25.0, 45.0])
def test_the_links_switching_current_agrees_with_the_wave(lag):
    index = 0.9
    wave = unipolar(index, 1.0, CARRIER, LINE)
    time = (np.arange(1_000_000) + 0.5) / 1_000_000 / LINE
    drawn = wave.at(time) * 10 * np.sin(2 * np.pi * LINE * time - math.radians(lag))
    spectrum = np.fft.rfft(drawn) / time.size
    fast = math.sqrt(2 * np.sum(np.abs(spectrum[10:]) ** 2))
    found = link.link_switching_current(I_pk=10, M=index, cos_phi=math.cos(math.radians(lag)))
    assert fast == pytest.approx(float(found), rel=0.01)


def test_meters_disagree_on_anything_but_a_sine():
    modified = readings_of_steps(three_level(0.5, 325, 50))
    assert modified.average_responding < 0.8 * modified.rms
    sine = readings_of_samples(325 * np.sin(2 * np.pi * np.arange(5000) / 5000))
    assert sine.average_responding == pytest.approx(sine.rms, rel=1e-6)
    assert sine.thd == pytest.approx(0, abs=1e-6)


def test_the_output_of_a_sizing_is_its_socket_voltage(solution):
    waves = output_waves(solution.operating)
    assert waves.voltage_readings.rms == pytest.approx(230, rel=5e-3)
    assert waves.voltage_readings.thd < 0.02


def test_an_idle_socket_still_has_its_voltage():
    at = Operating(
        index=0.88,
        v_link=370,
        carrier=18e3,
        line=50,
        inductance=1.8e-3,
        resistance=0.4,
        capacitance=3.3e-6,
        load_resistance=math.inf,
        load_inductance=0,
    )
    assert output_waves(at).voltage_readings.fundamental_rms == pytest.approx(0.88 * 370 / math.sqrt(2), rel=5e-3)
