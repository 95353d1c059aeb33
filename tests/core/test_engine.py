"""The waves engine: against SciPy's solver from edge to edge on five circuits, against energy, against itself in closed form."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhombos.core.waves.engine import Circuit, Guard, Mode, repeated, run, steady, stretch
from rhombos.core.waves.loads import (
    OWN,
    VOLTAGE,
    Filter,
    iron_fed,
    iron_load_for,
    motor_for,
    rectified,
    rectifier_for,
    resistive,
    shorted,
    turning,
)
from rhombos.core.waves.modulation import unipolar
from rhombos.core.waves.steady import FilterCircuit, steady_state

FILTER = Filter(1.8e-3, 0.3, 3.3e-6)
WAVE = unipolar(0.9, 370.0, 9e3, 50.0)
ADAPTER = rectifier_for(400.0, 230.0, 50.0)
RECTIFYING = rectified(FILTER, ADAPTER)
MOTOR = motor_for(400.0, 230.0, 50.0)
IRON = iron_load_for(400.0, 230.0, 50.0)
STILL = np.zeros(3)


def filtered(level: float, x, taken: float) -> list[float]:
    """Inductor and output capacitor, written out, with what the load takes."""
    return [(level - x[1] - FILTER.resistance * x[0]) / FILTER.inductance, (x[0] - taken) / FILTER.capacitance]


def by_diodes(level: float):
    """The rectifier from its law alone: no modes, no events."""

    def law(t, x):
        forward = abs(x[1]) - x[2] - ADAPTER.drop
        amps = math.copysign(max(0.0, forward), x[1]) / ADAPTER.source
        return [*filtered(level, x, amps), (abs(amps) - x[2] / ADAPTER.load) / ADAPTER.capacitance]

    return law


def by_one_diode(level: float):
    return lambda t, x: [-20 * x[0] + 500 * (level - 50) if x[0] > 1e-9 or level > 50 else -1e5 * x[0], -5 * x[1]]


def by_coupling(level: float):
    """A motor's two windings from their flux linkages, at a slip of 0.3."""
    both = np.array(
        [[MOTOR.leakage + MOTOR.magnetising, -MOTOR.magnetising], [-MOTOR.magnetising, MOTOR.leakage + MOTOR.magnetising]]
    )

    def law(t, x):
        volts = [x[1] - MOTOR.resistance * x[2], -MOTOR.resistance / 0.3 * x[3]]
        return [*filtered(level, x, x[2]), *np.linalg.solve(both, volts)]

    return law


def by_flux(level: float):
    """A transformer's core from its bent curve alone: no modes, no events."""

    def law(t, x):
        inside = min(IRON.knee, max(-IRON.knee, x[3]))
        magnetising = inside / IRON.magnetising + (x[3] - inside) / IRON.saturated
        across = IRON.load * (x[2] - magnetising)
        return [*filtered(level, x, x[2]), (x[1] - IRON.resistance * x[2] - across) / IRON.leakage, across]

    return law


LAWS = {
    "no load": lambda level: lambda t, x: filtered(level, x, 0.0),
    "resistance": lambda level: lambda t, x: filtered(level, x, x[1] / 88.0),
    "resistance and inductance": lambda level: lambda t, x: [*filtered(level, x, x[2]), (x[1] - 70.0 * x[2]) / 0.12],
    "rectifier with capacitor": by_diodes,
    "one diode": by_one_diode,
    "motor": by_coupling,
    "saturating transformer": by_flux,
}


def marched(law, wave, periods: int, start, stops: int) -> tuple[np.ndarray, np.ndarray]:
    """SciPy's solver with steps far shorter than an edge is from the next, stopped at every edge of the drive."""
    times, levels, end = repeated(wave, periods)
    x, kept = np.array(start, dtype=float), []
    for first, last, level in zip(times[:stops], np.append(times[1:], end)[:stops], levels[:stops], strict=True):
        x = solve_ivp(law(level), (first, last), x, rtol=1e-9, atol=1e-9, max_step=3e-6).y[:, -1]
        kept.append(x)
    return np.append(times[1:], end)[:stops], np.array(kept)


def clipped() -> Circuit:
    """An inductor into a voltage through one diode: conducts while its current is positive, opens, and closes again."""
    on = np.array([[-20.0, 0.0], [0.0, -5.0]])
    off = np.array([[-1e5, 0.0], [0.0, -5.0]])
    return Circuit(
        (
            Mode(off, np.zeros(2), np.zeros(2), (Guard((0.0, 0.0), -1.0, 50.0, 1),)),
            Mode(on, np.array([500.0, 0.0]), np.array([-500.0 * 50, 0.0]), (Guard((1.0, 0.0), 0.0, 1e-9, 0),)),
        )
    )


CIRCUITS = {
    "no load": (resistive(FILTER, math.inf).circuit, np.zeros(2), 300),
    "resistance": (resistive(FILTER, 88.0).circuit, np.zeros(2), 300),
    "resistance and inductance": (resistive(FILTER, 70.0, 0.12).circuit, STILL, 300),
    "rectifier with capacitor": (RECTIFYING.circuit, STILL, 720),
    "motor": (turning(FILTER, MOTOR, 0.3).circuit, np.zeros(4), 300),
    "saturating transformer": (iron_fed(FILTER, IRON).circuit, np.array([0.0, 0.0, 0.0, 1.2]), 500),
    "one diode": (clipped(), np.array([0.0, 1.0]), 300),
}


@pytest.mark.parametrize("name", CIRCUITS)
def test_the_engine_agrees_with_a_solver_stopped_at_every_edge(name):
    circuit, start, stops = CIRCUITS[name]
    times, expected = marched(LAWS[name], WAVE, 2, start, stops)
    drive_times, levels, end = repeated(WAVE, 2)
    found = run(circuit, drive_times, levels, end, start).at(times)
    scale = np.maximum(np.abs(expected).max(axis=0), 1e-6)
    assert (np.abs(found - expected).max(axis=0) / scale).max() < 1e-4


@pytest.mark.parametrize("name", list(CIRCUITS)[:4])
def test_what_goes_in_is_burnt_delivered_or_kept(name):
    circuit, start, _ = CIRCUITS[name]
    times, levels, end = repeated(WAVE, 3)
    made = run(circuit, times, levels, end, start)
    t = np.unique(np.concatenate([np.linspace(0, end, 400_001), made.times, np.clip(made.times - 1e-12, 0, end)]))
    x = made.at(t)
    step = np.clip(np.searchsorted(made.times, t, side="right") - 1, 0, None)
    drawn = np.trapezoid(made.drive[step] * x[:, 0], t)
    burnt = np.trapezoid(FILTER.resistance * x[:, 0] ** 2, t)
    kept = 0.5 * FILTER.inductance * x[-1, 0] ** 2 + 0.5 * FILTER.capacitance * x[-1, VOLTAGE] ** 2
    given = 0.0
    if name == "rectifier with capacitor":
        amps = RECTIFYING.probe(made, t)["load"]
        given = np.trapezoid(x[:, VOLTAGE] * amps, t)
        inside = np.trapezoid(ADAPTER.source * amps**2 + ADAPTER.drop * np.abs(amps) + x[:, OWN] ** 2 / ADAPTER.load, t)
        assert given == pytest.approx(inside + 0.5 * ADAPTER.capacitance * x[-1, OWN] ** 2, rel=1e-3)
    elif name == "resistance":
        given = np.trapezoid(x[:, VOLTAGE] ** 2 / 88.0, t)
    elif name == "resistance and inductance":
        given = np.trapezoid(70.0 * x[:, OWN] ** 2, t) + 0.5 * 0.12 * x[-1, OWN] ** 2
    assert drawn == pytest.approx(burnt + kept + given, rel=1e-3)


@pytest.mark.parametrize("load", [(math.inf, 0.0), (88.0, 0.0), (70.0, 0.12)])
def test_shooting_finds_the_period_that_is_found_directly(load):
    """Linear loads have a steady state in closed form."""
    shot = steady(resistive(FILTER, *load).circuit, WAVE)
    direct = steady_state(FilterCircuit(FILTER.inductance, FILTER.resistance, FILTER.capacitance, *load), WAVE)
    t = np.linspace(0, 0.02, 997, endpoint=False)
    expected = direct.states(t)
    assert np.abs(shot.at(t)[:, :2] - expected[:, :2]).max() < 1e-5 * np.abs(expected).max()


def test_a_rectifier_repeats_itself_and_peaks():
    shot = steady(RECTIFYING.circuit, WAVE)
    assert shot.last == pytest.approx(shot.states[0], abs=1e-6)
    t = np.linspace(0, 0.02, 20_000, endpoint=False)
    x = shot.at(t)
    amps = RECTIFYING.probe(shot, t)["load"]
    assert amps.mean() == pytest.approx(0, abs=0.02)
    assert 2.2 < np.abs(amps).max() / math.sqrt(np.mean(amps**2)) < 3.5
    assert (np.sign(amps[np.abs(amps) > 0.1]) == np.sign(x[np.abs(amps) > 0.1, VOLTAGE])).all()
    # what the capacitor gives its load is what the socket gives less the diodes and the way
    taken = np.mean(x[:, VOLTAGE] * amps)
    assert taken == pytest.approx(
        np.mean(x[:, OWN] ** 2 / ADAPTER.load + ADAPTER.source * amps**2 + ADAPTER.drop * np.abs(amps)), rel=2e-3
    )


def test_diodes_open_and_close_where_their_guard_says():
    times, levels, end = repeated(WAVE, 2)
    made = run(RECTIFYING.circuit, times, levels, end, STILL)
    turns = np.flatnonzero(np.diff(made.modes) != 0) + 1
    assert turns.size >= 4
    for n in turns:
        x, to = made.states[n], made.modes[n]
        sign = 1.0 if 1 in (to, made.modes[n - 1]) else -1.0
        assert sign * x[VOLTAGE] - x[OWN] - ADAPTER.drop == pytest.approx(0, abs=1e-6)


def test_a_start_of_the_wrong_size_is_refused():
    with pytest.raises(ValueError, match="2 states"):
        run(resistive(FILTER, 10.0).circuit, np.array([0.0]), np.array([1.0]), 1.0, np.zeros(3))


def test_a_drive_that_stands_still_charges_as_the_exponential():
    circuit = Circuit((Mode(np.array([[-100.0]]), np.array([100.0]), np.zeros(1)),))
    made = run(circuit, np.array([0.0]), np.array([5.0]), 0.05, np.zeros(1))
    t = np.linspace(0, 0.05, 11)
    assert made.at(t)[:, 0] == pytest.approx(5 * (1 - np.exp(-100 * t)))


def test_a_usual_adapter_has_the_ripple_it_was_chosen_for():
    shot = steady(
        rectified(Filter(0.2e-3, 0.1, 1e-6), rectifier_for(100.0, 230.0, 50.0)).circuit, unipolar(0.9, 370.0, 9e3, 50.0)
    )
    own = shot.at(np.linspace(0, 0.02, 4000, endpoint=False))[:, OWN]
    assert 0.08 < (own.max() - own.min()) / (math.sqrt(2) * 230) < 0.2


@pytest.mark.parametrize(("first", "last"), [(0.0, 0.05), (0.013, 0.0271), (-0.12, 0.0), (0.02, 0.04)])
def test_a_stretch_of_a_wave_is_the_wave(first, last):
    times, levels = stretch(WAVE, first, last)
    assert times[0] == 0
    assert (np.diff(times) > 0).all()
    middles = (times + np.append(times[1:], last - first)) / 2
    assert levels.tolist() == WAVE.at(first + middles).tolist()
    on = np.count_nonzero(
        (np.arange(-7, 3)[:, None] * WAVE.period + WAVE.times > first + 1e-9)
        & (np.arange(-7, 3)[:, None] * WAVE.period + WAVE.times < last - 1e-12)
    )
    assert times.size == on + 1


def test_a_standing_motor_has_the_impedance_it_was_made_for():
    rated = 230.0**2 / (400.0 / 0.8)
    found = MOTOR.impedance(1.0, 50.0)
    assert abs(found) == pytest.approx(rated / 5, rel=1e-6)
    assert found.real / abs(found) == pytest.approx(0.45, rel=1e-6)
    slip = MOTOR.slip_for(400.0, 230.0, 50.0)
    assert (230.0**2 / MOTOR.impedance(slip, 50.0)).real == pytest.approx(400.0)


class Firm:
    """A rail that never sags, and writes down what it is told."""

    def __init__(self, volts):
        self.volts, self.told = volts, []

    def stands(self, at, width, current, share):
        self.told.append((at, width, current, share))
        return self.volts


def test_a_rail_that_stands_still_changes_nothing():
    load = rectified(FILTER, ADAPTER)
    times, levels, end = repeated(WAVE, 2)
    plain = run(load.circuit, times, levels, end, STILL)
    rail = Firm(370.0)
    railed = run(load.circuit, times, levels / 370.0, end, STILL, 0, rail)
    t = np.linspace(0, end, 5001)
    assert railed.at(t) == pytest.approx(plain.at(t), abs=1e-9)
    at, width, current, share = (np.array(column) for column in zip(*rail.told, strict=True))
    assert at == pytest.approx(times)
    assert at + width == pytest.approx(np.append(times[1:], end))
    assert share == pytest.approx(levels / 370.0)
    # it is told the inductor's current as it stands at each edge
    assert current == pytest.approx(plain.at(at)[:, 0], abs=1e-9)


def test_a_tripped_bridge_tells_its_rail_that_current_comes_back():
    load = shorted(FILTER, 0.05, 15.0, 370.0)
    times, levels = stretch(WAVE, 0.005, 0.0056)
    rail = Firm(370.0)
    made = run(load.circuit, times, levels / 370.0, 0.0006, np.array([4.0, 300.0]), 0, rail)
    begun = made.times[np.flatnonzero(made.modes == 1)[0]]
    after = [share for at, _, current, share in rail.told if at > begun and current > 0.1]
    assert after
    assert set(after) == {-1.0}
