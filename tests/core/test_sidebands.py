"""Sidebands that the filter lifts: against Bessel's closed form, against the exact steady state, and where none is."""

import math

import numpy as np
import pytest
from scipy.special import jv

from rhombos.core.book import filters
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.report import Operating
from rhombos.core.frame.solve import work_out
from rhombos.core.plots.high_side import filter_gain
from rhombos.core.waves.output import output_waves
from rhombos.core.waves.sidebands import lifted

SHARP = Operating(
    index=0.8,
    v_link=370.0,
    carrier=18e3,
    line=50.0,
    inductance=20e-6,
    resistance=0.4,
    capacitance=1e-6,
    load_resistance=1e6,
    load_inductance=0.0,
)
"""A corner at 35.6 kHz, on the sidebands of 36 kHz."""


def test_the_line_lifted_most_is_a_sideband_of_twice_the_carrier_with_bessels_height():
    found = lifted(SHARP)
    order = round((found.frequency - 36e3) / 50)
    assert order % 2
    assert found.volts == pytest.approx(2 / math.pi * 370 * abs(jv(abs(order), 0.8 * math.pi)), rel=0.01)
    s = 2j * math.pi * found.frequency
    assert found.gain == pytest.approx(abs(1 / (1 + s * 0.4 * 1e-6 + s * s * 20e-12)))


def test_what_stands_at_the_socket_is_the_line_times_its_gain():
    found = lifted(SHARP)
    waves = output_waves(SHARP, samples=40_000)
    peak = 2 * np.abs(np.fft.rfft(waves.voltage))[round(found.frequency / 50)] / 40_000
    assert peak == pytest.approx(found.volts * found.gain, rel=0.01)


@pytest.mark.parametrize("corner_hz", [500.0, 2e3, 12e3, 24e3])
def test_a_corner_well_below_the_ripple_lifts_nothing(corner_hz):
    at = SHARP.model_copy(update={"inductance": 1 / ((2 * math.pi * corner_hz) ** 2 * 1e-6)})
    assert float(filters.corner(L=at.inductance, C=at.capacitance)) == pytest.approx(corner_hz)
    assert lifted(at) is None


def test_distortion_counts_what_the_resonance_adds(refuge, shelf):
    """The sizing's short formula against the exact wave of the same, empty or loaded, filter."""
    pins = {
        "output_filter.inductance": 150e-6,
        "output_filter.capacitor": "CF-310AC-1",
        "output_filter.count": 1,
        "h_bridge.dead_time": 0.0,
    }
    worked = work_out(refuge, pins, shelf, PRESETS["usual"])
    at = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    assert 0.3 < worked.settled["nominal"].states["output_filter"].corner / (2 * at.carrier) < 0.5
    exact = output_waves(at).voltage_readings.thd
    assert worked.settled["nominal"].states["output_filter"].distortion == pytest.approx(exact, rel=0.12)


@pytest.mark.parametrize(
    ("pins", "said"),
    [
        ({}, "held down to -"),
        ({"output_filter.inductance": 20e-6, "output_filter.capacitor": "CF-310AC-1", "output_filter.count": 1}, "lifted by "),
    ],
)
def test_the_gains_caption_says_which_way_the_ripple_goes(pins, said, refuge, shelf):
    assert said in filter_gain(work_out(refuge, pins, shelf, PRESETS["usual"])).remark


def test_the_damper_takes_the_corners_peak_down_as_its_circuit_does(worked):
    """The damped filter written as one impedance divider, at the frequencies drawn."""
    chart = filter_gain(worked)
    at = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    drawn = {s.name: np.array(s.y) for s in chart.series}
    f = 1e3 * np.array(chart.series[2].x)
    s = 2j * math.pi * f
    ohms = math.sqrt(at.inductance / at.capacitance)
    across = 1 / (s * at.capacitance + 1 / (ohms + 1 / (s * 4 * at.capacitance)))
    expected = 20 * np.log10(np.abs(across / (across + at.resistance + s * at.inductance)))
    assert drawn["no load, with a damper"] == pytest.approx(expected, abs=0.01)
    assert drawn["no load, with a damper"].max() < 4
    assert drawn["no load"].max() > 20
    assert "in series with" in chart.remark
