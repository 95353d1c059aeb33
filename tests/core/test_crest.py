"""Loads that draw at the crest: the interpolated form against the scope's own load, and what the path makes of it."""

import math
from dataclasses import replace

import numpy as np
import pytest

from rhombos.core.design.brief import Brief
from rhombos.core.design.problems import from_validation
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import record
from rhombos.core.waves.crest import crest, marched

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
