"""Isolation: the sense chain against the counts themselves, the crossings against the build."""

import math

import pytest

from rhombos.core.blocks.isolation import CONVERTER, HALF, crossings
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.plots import charts
from rhombos.core.routes.auxiliary import isolation
from tests.core.asking import written_short

USUAL = PRESETS["usual"]


@pytest.fixture(scope="module")
def need(worked):
    return isolation.need_of(worked)


def counts(build, volts):
    """What the converter reads of an output, by Ohm's law and rounding."""
    at = HALF * CONVERTER + volts * build.sense_bottom / (build.sense_top + build.sense_bottom)
    return math.floor(at / CONVERTER * 2**build.bits + 0.5)


def test_one_count_is_one_step_of_the_output(worked, need):
    build, state = worked.builds["isolation"], worked.settled["nominal"].states["isolation"]
    assert counts(build, 100 * state.step) - counts(build, 0) == 100
    assert counts(build, need.peak) < 2**build.bits, "the highest peak is still read"
    assert counts(build, -need.peak) > 0
    assert need.peak > math.sqrt(2) * worked.builds["protection"].output_high * 0.999


def test_the_fresh_error_bounds_every_corner(worked, need):
    build, state = worked.builds["isolation"], worked.settled["nominal"].states["isolation"]
    r, v = USUAL.resistor_tolerance, USUAL.reference_tolerance
    nominal = build.sense_bottom / (build.sense_top + build.sense_bottom)
    worst = 0.0
    for a in (-1, 1):
        for b in (-1, 1):
            for d in (-1, 1):
                bottom, top = build.sense_bottom * (1 + a * r), build.sense_top * (1 + b * r)
                worst = max(worst, abs(bottom / (top + bottom) / nominal / (1 + d * v) - 1))
    assert worst <= state.error_fresh * 1.01
    assert state.error < state.error_fresh / 3, "two points take out what does not drift"


def test_only_what_is_open_is_shown_open(worked, need):
    build = worked.builds["isolation"]
    assert all(c.rated for c in crossings(build, need))
    poor = build.model_copy(update={"sensing": "bare divider", "clip": "on the bridge"})
    assert {c.name for c in crossings(poor, need) if not c.rated} == {"output sense", "oscilloscope"}
    assert {c.name for c in crossings(build, need)} >= {"power", "link feedback", "bridge gates", "socket", "case"}


def test_a_bare_feedback_divider_is_open_too(refuge, shelf):
    worked = work_out(refuge, {"controller.feedback": "bare divider"}, shelf, USUAL)
    need = isolation.need_of(worked)
    assert "link feedback" in {c.name for c in crossings(worked.builds["isolation"], need) if not c.rated}
    rows = charts(worked, "isolation")[0].rows
    assert any(row[0] == "link feedback" and row[-1] == "OPEN" for row in rows)


def test_an_iron_transformer_has_no_link_to_cross_to(refuge, shelf):
    worked = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    need = isolation.need_of(worked)
    assert not need.beyond
    assert {c.name for c in crossings(worked.builds["isolation"], need)}.isdisjoint({"link feedback", "bridge gates"})


def test_an_unclamped_coil_throws_its_energy_into_its_stray_capacitance(refuge, shelf):
    found = {f.code: f for f in solve(refuge, {"isolation.coil_clamp": "nothing"}, shelf, USUAL).findings}
    spike = found["isolation.coil_spike"].value - 12
    # half of L times I squared ends as half of C times V squared
    assert 0.5 * 150e-12 * spike**2 == pytest.approx(0.5 * 0.3 * 0.1**2, rel=1e-6)


def test_what_may_stay_depends_on_which_side_is_touched(refuge, shelf):
    """A stepped link stands higher than its RMS: connectors and barrier follow the peak, not the nameplate."""
    stepped = refuge.but(output={"waveform": "modified"})
    for brief in (refuge, stepped):
        worked = work_out(brief, {}, shelf, USUAL)
        need = isolation.need_of(worked)
        state, build = worked.settled["nominal"].states["isolation"], worked.builds["isolation"]
        assert need.peak >= math.sqrt(2) * brief.output.voltage
        assert need.link >= worked.settled["nominal"].states["dc_link"].voltage
        assert build.connectors >= 1.2 * max(need.link, need.peak)
        assert state.proof == pytest.approx(2 * (brief.output.voltage + 1200)), "reinforced: twice what basic insulation stands"
        assert build.proof >= state.proof


@pytest.mark.parametrize(("cells", "rated", "sound"), [(4, 12, False), (8, 24, False), (8, 27, True), (16, 55, True)])
def test_a_coil_on_the_battery_must_bear_its_whole_band(cells, rated, sound, refuge, shelf):
    """By hand: LiFePO4 runs from 2.8 to 3.65 V a cell; a coil pulls in above 75 % and stands 110 % of its rating."""
    content = written_short(refuge)
    content["source"] |= {"cells": cells, "capacity": 300 * 3600}
    pins = {"isolation.coil_supply": "source", "isolation.coil_rated": rated}
    found = {f.code for f in solve(type(refuge).model_validate(content), pins, shelf, USUAL).findings}
    by_hand = 2.8 * cells / rated >= 0.75 and 3.65 * cells / rated <= 1.1
    assert by_hand is sound
    assert ("isolation.coil_range" not in found) is sound


def test_the_budget_adds_up(worked):
    """The rows of the table are those of the figures: what is fresh is the sum of its parts with the barrier's own error."""
    rows = {r[0]: r for r in charts(worked, "isolation")[2].rows}
    state = worked.settled["nominal"].states["isolation"]
    assert float(rows["fresh"][1].removesuffix(" %")) == pytest.approx(100 * state.error_fresh, rel=0.03)
    parts = float(rows["divider, two resistors"][1].removesuffix(" %")) + float(rows["reference"][1].removesuffix(" %"))
    assert 100 * state.error_fresh == pytest.approx(parts + 1, rel=0.02), "one percent is the isolated amplifier's"


@pytest.mark.parametrize(
    ("route", "wave"),
    [("push-pull link", "sine"), ("iron bridge", "sine"), ("iron push-pull", "square"), ("self-oscillating", "square")],
)
def test_every_node_has_a_side_and_a_swing(route, wave, refuge, shelf):
    brief = refuge.but(output={"waveform": wave})
    rows = charts(work_out(brief, {}, shelf, USUAL, route), "isolation")[1].rows[1:]
    sides = {side.split(",")[0].split(";")[0] for _, side, _ in rows}
    assert {"source", "earth"} <= sides
    assert ("link" in sides) is (route == "push-pull link")
    assert all(node and swing for node, _, swing in rows)


def test_the_sense_filter_lags_as_a_first_order_one(refuge, shelf):
    """Against the sampled response of the difference equation that a controller would run."""
    worked = work_out(refuge, {"isolation.corner": 500}, shelf, USUAL)
    state = worked.settled["nominal"].states["isolation"]
    step, out, peak, late = 1e-6, 0.0, 0.0, 0.0
    for n in range(60000):
        out += (math.sin(2 * math.pi * 50 * n * step) - out) * step * 2 * math.pi * 500
        if n > 40000 and out > peak:
            peak, late = out, n * step
    assert 1 - peak == pytest.approx(state.lost, rel=0.01)
    lag = ((late - 0.005) % 0.02) * 50 * 360
    assert lag == pytest.approx(state.lag, abs=0.3)
