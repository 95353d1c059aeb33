"""Loads that draw at the crest: the interpolated form against the scope's own load, and what the path makes of it."""

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhombos.core.design.brief import Brief
from rhombos.core.design.problems import from_validation
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import record
from rhombos.core.waves.crest import (
    BEFORE,
    BESIDE,
    LEAST_PATH,
    LEAST_X,
    MOST_CORNER,
    RIPPLE_CAPACITY,
    STEP_CORNER,
    STEP_PATH,
    STEP_X,
    TAKEN,
    _formed,
    crest,
    marched,
)

USUAL = PRESETS["usual"]


@pytest.fixture(scope="module")
def adapter(worked):
    """An adapter of the whole power on the refuge's filter, a stiff link, ideal edges: one line period and what stands for it."""
    bench = bench_of(worked)
    bench = replace(bench, at=bench.at.model_copy(update={"dead_time": 0.0}))
    made = record(bench, "adapter", "steady", 3, "stiff link")
    time = made.end - 0.02 + np.arange(2**16) * 0.02 / 2**16
    return bench.at, made.probe(time)


def test_the_form_is_the_scopes_own_load(adapter):
    at, traces = adapter
    lines = [np.fft.rfft(traces[n]) * 2 / 2**16 for n in ("output", "load")]
    power = float((traces["output"] * traces["load"]).mean())
    volts = abs(lines[0][1]) / math.sqrt(2)
    over = power / volts
    reactance = 2 * math.pi * 50 * at.inductance * over / volts
    corner = 1 / (2 * math.pi * math.sqrt(at.inductance * at.capacitance)) / 50
    for form in (crest(reactance, corner, volts), marched(reactance, corner, round(1.6 / volts, 3))):
        bent = form.distortion
        assert bent == pytest.approx(float(np.sqrt(np.sum(np.abs(lines[0][2:41]) ** 2)) / abs(lines[0][1])), abs=0.004)
        assert form.peak(over, 0.0, over, inductor=False) == pytest.approx(np.abs(traces["load"]).max(), rel=0.04)
        assert math.hypot(1, form.load_rms) == pytest.approx(np.sqrt((traces["load"] ** 2).mean()) / over, rel=0.02)


@pytest.mark.parametrize("reactance", [7e-4, 3e-3, 1.1e-2, 4e-2])
@pytest.mark.parametrize("corner", [11.0, 27.0, 44.0])
def test_between_the_marched_forms_a_straight_line_is_near_enough(reactance, corner):
    form, exact = crest(reactance, corner, 230.0), marched(reactance, corner, round(1.6 / 230, 3))
    assert form.peak(1, 0, 1, inductor=True) == pytest.approx(exact.peak(1, 0, 1, inductor=True), rel=0.03)
    assert form.load_rms == pytest.approx(exact.load_rms, rel=0.02)
    assert form.distortion == pytest.approx(exact.distortion, rel=0.1, abs=1e-3)


def test_a_stiffer_source_lets_it_draw_shorter_and_higher():
    stiff, soft = marched(5e-4, 30.0, 0.007), marched(2e-2, 30.0, 0.007)
    assert stiff.peak(1, 0, 1, inductor=False) > soft.peak(1, 0, 1, inductor=False)
    assert stiff.distortion < soft.distortion


def test_the_path_is_sized_for_it(refuge, shelf):
    lamps = work_out(refuge.but(output={"loads": ("lamp",)}), {}, shelf, USUAL)
    adapters = work_out(refuge.but(output={"loads": ("adapter",)}), {}, shelf, USUAL)
    sine, pulsed = (w.settled["nominal"].states for w in (lamps, adapters))
    assert pulsed["output_filter"].peak > 1.8 * sine["output_filter"].peak
    assert pulsed["load"].rms > 1.2 * sine["load"].rms
    assert pulsed["output_filter"].distortion > sine["output_filter"].distortion + 0.008
    assert adapters.settled["low"].states["output_filter"].flux <= USUAL.choke_peak * 1.0001 or "P" in str(
        adapters.builds["output_filter"].grade
    )
    assert adapters.builds["protection"].short_trip > lamps.builds["protection"].short_trip


def test_shares_are_as_said_and_equal_otherwise():
    def brief(loads, shares=()):
        return Brief.model_validate({"loads": loads, "shares": shares})

    assert brief(["lamp", "adapter"]).crest_power == pytest.approx(300)
    assert brief(["lamp", "adapter"], [None, "20 %"]).crest_power == pytest.approx(120)
    assert brief(["adapter", "lamp", "rectifier"], ["50 %"]).crest_power == pytest.approx(600 * 0.75)
    assert brief(["lamp"]).crest_power == 0


@pytest.mark.parametrize(
    ("shares", "told"),
    [
        (["80 %", "60 %"], "add up to 140"),
        (["30 %", "30 %"], "add up to 60"),
        (["20 %"] * 3, "3 shares"),
    ],
)
def test_shares_that_cannot_be_are_refused_with_a_reason(shares, told):
    from pydantic import ValidationError

    with pytest.raises(ValidationError) as caught:
        Brief.model_validate({"loads": ["lamp", "adapter"], "shares": shares})
    assert told in from_validation(caught.value, Brief)[0].message


def by_the_circuits_own_law(reactance, corner, drop, path):
    """Half a line period of inductor, output and load at rest, by a general solver: seven line periods from a full capacitor."""
    capacity = 1 / (corner**2 * reactance)

    def law(angle, state):
        current, volts, held = state
        over = max(0.0, abs(volts) - held - drop) / BEFORE
        return (
            (math.sqrt(2) * math.sin(angle) - volts - path * current) / reactance,
            (current - BESIDE * volts - math.copysign(over, volts)) / capacity,
            (over - TAKEN * held) / RIPPLE_CAPACITY,
        )

    end, samples = 14 * math.pi, 4096
    seen = end - math.pi + np.arange(samples) * math.pi / samples
    found = solve_ivp(law, (0, end), (0.0, 0.0, 1.27), "LSODA", seen, rtol=1e-7, atol=1e-9, max_step=math.pi / (4 * corner))
    current, volts, held = found.y
    return np.array((current, volts, np.sign(volts) * np.maximum(0, np.abs(volts) - held - drop) / BEFORE))


@pytest.mark.parametrize(("reactance", "corner"), [(3e-4, 358.0), (2e-3, 300.0), (2e-3, 60.0)])
def test_the_form_is_that_of_the_circuits_own_law_however_slow_the_line(reactance, corner):
    """A line of 5 Hz lies three hundred times below the filter's corner, where the march's steps are too wide for its ringing."""
    exact = _formed(by_the_circuits_own_law(reactance, corner, 0.007, 0.0032))
    found = crest(reactance * float(exact.taken), corner, 1.6 / 0.007, 0.0032 * float(exact.taken))
    assert found.taken == pytest.approx(exact.taken, rel=0.01)
    assert found.load_rms == pytest.approx(exact.load_rms, rel=0.01)
    assert found.first == pytest.approx(exact.first, rel=0.002)
    assert found.distortion == pytest.approx(exact.distortion, rel=0.06, abs=2e-4)
    for inductor in (False, True):
        assert found.peak(1, 0, 1, inductor=inductor) == pytest.approx(exact.peak(1, 0, 1, inductor=inductor), rel=0.01)


def test_every_form_that_is_marched_comes_to_rest():
    """A march that finds none leaves a form that no neighbour has: an adapter that takes a third of its power."""
    places = [
        (i, j, k) for i in range(0, 22, 3) for j in range(6, math.ceil(math.log(MOST_CORNER, STEP_CORNER)) + 1) for k in (0, 3)
    ]
    forms = [marched(LEAST_X * STEP_X**i, STEP_CORNER**j, 0.007, LEAST_PATH * STEP_PATH**k) for i, j, k in places]
    assert max(float(f.taken) for f in forms) < 1.12
    assert min(float(f.taken) for f in forms) > 0.6


@pytest.mark.parametrize(
    ("reactance", "corner", "path"), [(1e-3, 30.0, 1e4), (1e4, 30.0, 0.01), (1e-9, 1e6, 0.0), (1e4, 1e-3, 1e4)]
)
def test_what_no_design_has_in_the_way_is_still_answered(reactance, corner, path):
    """As passes of a design without hope may ask it: thin wire on a large power."""
    found = crest(reactance, corner, 230.0, path)
    assert found.taken > 0
    assert math.isfinite(found.peak(1, 0, 1, inductor=True))


@pytest.mark.parametrize("volts", [0.5, 1.0, 1.6])
def test_on_an_output_too_low_for_its_diodes_it_takes_nothing_and_faults_nothing(volts):
    made = crest(0.05, 20.0, volts, 0.02)
    assert made.taken == pytest.approx(0, abs=1e-6)
    assert math.isfinite(made.lags)
    assert np.isfinite(made.load).all()
