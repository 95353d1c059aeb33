"""Pictures carry the figures of the sizing, and nothing that was not computed."""

import math

import numpy as np
import pytest

from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.plots import charts
from rhombos.core.plots.blocks import BY_BLOCK
from rhombos.core.plots.model import Scale, roomy, thin


def picture(worked, block, key):
    return next(c for c in charts(worked, block) if c.key == key)


@pytest.mark.parametrize("block", [b for b in BY_BLOCK if b != "setting"])
def test_every_block_has_pictures_that_can_be_drawn(block, worked):
    drawn = charts(worked, block)
    assert len(drawn) == {
        "input_stage": 3,
        "front_end": 3,
        "h_bridge": 3,
        "precharge": 5,
        "source": 4,
        "protection": 4,
        "isolation": 3,
    }.get(block, 2)
    for chart in drawn:
        assert chart.title
        assert chart.remark
        assert chart.series or chart.boxes or chart.rungs or chart.rows
        for series in chart.series:
            assert len(series.x) == len(series.y) > 1 or series.kind != "line"
            assert all(math.isfinite(v) for v in (*series.x, *series.y))


@pytest.mark.parametrize("block", ["front_end", "rectifier", "transformer"])
def test_pictures_stand_without_clamp_and_damper(block, refuge, shelf):
    bare = work_out(refuge, {"front_end.clamp": "none", "rectifier.damper": "none"}, shelf, PRESETS["usual"])
    for chart in charts(bare, block):
        assert all(math.isfinite(v) for s in chart.series for v in s.y)


def test_the_switch_wave_peaks_at_the_sheets_figure(worked, solution):
    chart = picture(worked, "front_end", "switch")
    figure = next(f for f in solution.blocks[2].figures if f.address == "front_end.peak_voltage")
    assert max(chart.series[0].y) == pytest.approx(figure.value, rel=0.02)
    assert chart.y.high > chart.marks[0].at


def test_the_diode_wave_peaks_at_the_rings_height(worked):
    chart = picture(worked, "rectifier", "diode")
    assert max(chart.series[0].y) * 1e3 == pytest.approx(worked.settled["high"].states["rectifier"].reverse, rel=0.02)


def test_the_window_holds_every_wire(worked):
    build = worked.builds["transformer"]
    boxes = picture(worked, "transformer", "window").boxes
    window = boxes[0]
    for role, expected in (
        ("primary", 2 * build.primary_turns * build.primary_in_hand),
        ("secondary", build.secondary_turns * build.secondary_in_hand),
    ):
        wires = [b for b in boxes if b.role == role]
        assert len(wires) == pytest.approx(expected, abs=2)
        assert all(b.x >= 0 and b.x + b.width <= window.width * 1.001 for b in wires)
        assert all(b.y + b.height <= window.height * 1.001 for b in wires)
    centres = [(b.x + b.width / 2, b.y + b.height / 2) for b in boxes if b.round]
    assert len(set(centres)) == len(centres)


def test_the_chokes_mean_is_the_link_current(worked):
    chart = picture(worked, "rectifier", "choke")
    states = worked.settled["nominal"].states
    series = chart.series[0]
    mean = np.trapezoid(series.y, series.x) / (series.x[-1] - series.x[0])
    assert mean == pytest.approx(2 * states["rectifier"].average, rel=1e-3)
    idle = chart.series[1]
    mean = np.trapezoid(idle.y, idle.x) / (idle.x[-1] - idle.x[0])
    unit = 1e-3 if chart.y.unit == "mA" else 1
    assert mean * unit == pytest.approx(2 * worked.settled["idle"].states["rectifier"].average, rel=0.02)


def test_the_stages_pulses_carry_its_mean_current(worked):
    series = picture(worked, "input_stage", "pulses").series
    mean = np.trapezoid(series[0].y, series[0].x) / (series[0].x[-1] - series[0].x[0])
    s = worked.settled["nominal"]
    assert mean == pytest.approx(s.pulse * s.states["front_end"].total_duty, rel=1e-3)
    beside = (series[1].y[0] - mean) * s.v_in
    lost = s.states["front_end"].loss
    assert 0 < beside < lost, "clamp and drives take theirs beside the pulses"


def test_the_link_is_safe_where_the_curve_crosses(worked):
    chart = picture(worked, "dc_link", "discharge")
    curve = chart.series[0]
    crossing = np.interp(-60, [-v for v in curve.y], curve.x)
    assert crossing == pytest.approx(chart.dots[0].x, rel=1e-2)


def test_loss_against_frequency_passes_through_the_present_point(worked):
    chart = picture(worked, "front_end", "frequency")
    total = chart.series[0]
    assert np.interp(chart.dots[0].x, total.x, total.y) == pytest.approx(chart.dots[0].y, rel=1e-2)
    for i in range(len(total.x)):
        assert total.y[i] == pytest.approx(chart.series[1].y[i] + chart.series[2].y[i], rel=1e-4)


def test_loss_against_turns_has_copper_rising_and_core_falling(worked):
    chart = picture(worked, "transformer", "turns")
    copper, core = chart.series[1].y, chart.series[2].y
    assert core[0] > core[-1]
    assert copper[-1] > copper[0]


def test_unipolar_pwm_leaves_nothing_at_the_carrier(worked):
    chart = picture(worked, "h_bridge", "spectrum")
    carrier = worked.builds["h_bridge"].carrier / 1e3
    near = [y for x, y in zip(chart.series[0].x, chart.series[0].y, strict=True) if abs(x - carrier) < 3]
    assert near == []
    twice = [y for x, y in zip(chart.series[0].x, chart.series[0].y, strict=True) if abs(x - 2 * carrier) < 3]
    assert max(twice) > 50


def test_the_filter_passes_the_line_and_stops_the_ripple(worked):
    chart = picture(worked, "output_filter", "gain")
    loaded = chart.series[1]
    assert loaded.y[0] == pytest.approx(0, abs=0.2)
    assert np.interp(chart.marks[1].at, loaded.x, loaded.y) < -30


def test_scales_choose_the_prefix_people_would():
    scale = Scale("Hz", 46e3)
    assert (scale.shown, scale(46e3)) == ("kHz", 46.0)
    assert Scale("V", 325.0).shown == "V"
    assert Scale("A", 0.02).shown == "mA"
    assert Scale("1", 5).shown == ""


def test_axes_end_on_round_numbers_above_the_curve():
    for most in (0.7, 3.3, 80, 99, 430, 1234):
        assert most < roomy(most) <= 2.1 * most


def test_thinning_keeps_the_ends():
    values = np.arange(10_001.0)
    kept = thin(values, 100)
    assert kept[0] == 0
    assert kept[-1] == 10_000
    assert kept.size <= 103


@pytest.mark.parametrize(
    ("low", "high", "step", "told"),
    [
        (0, 4.8, 1, (True, False)),
        (0, 120, 30, (True, True)),
        (-60, 30, 30, (True, True)),
        (0, 1.2, 0.3, (True, True)),
        (0, 20, 5, (True, True)),
        (0, 21.7391, 5, (True, False)),
        (20.48, 30.66, None, (False, False)),
        (-666, 666, None, (False, False)),
        (0, 5, 1, (True, True)),
    ],
)
def test_numbers_stand_at_round_steps_and_at_no_end_that_is_none(low, high, step, told):
    axis = Scale("1", 1.0).axis("", low=low, high=high)
    assert axis.step == pytest.approx(step)
    assert (axis.low_told, axis.high_told) == told


def test_a_logarithmic_axis_has_numbers_at_decades_only():
    for low, high, told in ((None, None, (False, False)), (0.1, 300, (True, False))):
        axis = Scale("1", 1.0).axis("", log=True, low=low, high=high)
        assert (axis.low_told, axis.high_told) == told


def test_no_axis_of_a_whole_design_ends_in_an_odd_number(worked):
    ends = [
        (c.key, end)
        for block in worked.builds
        for c in charts(worked, block)
        for axis in (c.x, c.y)
        if axis is not None and not axis.names
        for end, told in ((axis.low, axis.low_told), (axis.high, axis.high_told))
        if told and end is not None
    ]
    assert len(ends) > 40
    assert [(key, end) for key, end in ends if len(f"{end:g}".lstrip("-").replace(".", "").strip("0")) > 2] == []
