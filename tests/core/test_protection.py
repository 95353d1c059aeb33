"""Protection: what the trips do in time, against marches of their own; cases of other batteries."""

import numpy as np
import pytest

from rhombos.core.blocks.protection import assess, propose, thresholds
from rhombos.core.blocks.short_path import ShortPath
from rhombos.core.design.rules import PRESETS
from rhombos.core.design.sources import BatterySource
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.plots import charts
from rhombos.core.routes.auxiliary import protection

USUAL = PRESETS["usual"]


@pytest.fixture(scope="module")
def need(worked):
    return protection.need_of(worked)


@pytest.mark.parametrize("chemistry", ["LiFePO4", "Li-ion", "lead-acid"])
@pytest.mark.parametrize("volts", [12, 24, 48])
def test_thresholds_keep_clear_of_what_the_battery_does(chemistry, volts, refuge, shelf):
    per_cell = {"LiFePO4": 3.2, "Li-ion": 3.7, "lead-acid": 2.0}[chemistry]
    brief = refuge.model_copy(
        update={"sources": (BatterySource(chemistry=chemistry, cells=round(volts / per_cell), capacity=200 * 3600),)}
    )
    worked = work_out(brief, {}, shelf, USUAL)
    made = thresholds(worked.builds["protection"], brief.output.voltage, USUAL)
    empty, nominal, full = brief.source.volts
    cut, warning, over = (made[k][2] for k in ("cut_off", "warning", "over_voltage"))
    assert empty <= cut.low < cut.high < warning.low < warning.high < full < over.low
    assert warning.low < nominal
    assert cut.back_high < full, "only a charger brings it back, but it can"


def test_a_short_rises_as_the_coil_lets_it(need, worked):
    """The current at the switch by steps of a nanosecond."""
    stage = ShortPath(385.0, 60e-6, 1.0, 60.0)
    build = propose(need, stage, 30.0, (230.0, 230.0), {"coil": 0.0}, USUAL)
    state = assess(need, build, (30.0, 660.0, 1400.0), (230.0, 230.0), stage, (25.0, 36e3), Worksheet())
    current, step = build.short_trip, 1e-9
    for _ in range(round(build.short_delay / step)):
        current += stage.volts / stage.inductance * step
    assert state.short_off == pytest.approx(current, rel=1e-6)


def test_a_bare_output_gets_a_coil_against_shorts(need):
    bare = ShortPath(385.0, 2.5e-6, 1.0, 40.0)
    build = propose(need, bare, 30.0, (230.0, 230.0), {}, USUAL)
    state = assess(need, build, (30.0, 660.0, 1400.0), (230.0, 230.0), bare, (25.0, 36e3), Worksheet())
    assert build.coil > 0
    assert state.short_off < bare.withstand
    filtered = ShortPath(385.0, 1.8e-3, 1.0, 40.0)
    assert propose(need, filtered, 30.0, (230.0, 230.0), {}, USUAL).coil == 0


def test_an_overload_counts_the_square_beyond_its_pick_up(need, worked):
    """Against an integrator that trips when the sum of P² − P0² is full."""
    build = worked.builds["protection"]
    state = worked.settled["nominal"].states["protection"]
    full = 3 * build.overload**2 * build.twice
    step, held, seconds = 1e-3, 0.0, 0.0
    while held < full:
        held += (need.surge**2 - build.overload**2) * step
        seconds += step
    assert state.surge_passes == pytest.approx(seconds, abs=2 * step)
    assert need.surge_time < state.surge_passes < 4 * need.surge_time


def test_the_sag_that_vanishes_is_that_of_the_settled_battery(worked):
    flat = worked.settled["low"]
    state = flat.states["protection"]
    entry = flat.states["input_stage"]
    between = flat.states["source"].emf - flat.states["source"].terminal + entry.drop
    assert state.sag == pytest.approx(between, rel=0.02)


def test_the_ladder_shows_every_threshold_in_its_band(worked):
    ladder = charts(worked, "protection")[0]
    steps = {r.label: r for r in ladder.rungs if r.way != "mark"}
    assert set(steps) == {"Cut-off", "Warning", "Overvoltage"}
    for rung in steps.values():
        assert rung.fresh_low < rung.low < rung.at < rung.high < rung.fresh_high
    marks = {r.label: r.at for r in ladder.rungs if r.way == "mark"}
    assert marks["empty"] == pytest.approx(22.4)
    assert marks["charging"] == pytest.approx(29.2)


def test_pins_of_parts_are_judged_as_they_are(refuge, shelf):
    pins = {"protection.adjusted": False}
    found = {f.code for f in solve(refuge, pins, shelf, USUAL).findings}
    assert "protection.cut_off_low" in found, "an unset board may cut off below empty"
    assert np.isfinite([f.value or 0 for f in solve(refuge, pins, shelf, USUAL).findings]).all()
