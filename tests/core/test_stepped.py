"""Square and three-level outputs of a link route, by hand: link, bridge, meters, findings."""

import math

import pytest

from rhombos.core.blocks import dc_link
from rhombos.core.blocks.h_bridge import FRACTIONS
from rhombos.core.brief import Brief
from rhombos.core.plots import charts
from rhombos.core.pulsation import drawn
from rhombos.core.rules import PRESETS
from rhombos.core.solve import solve, work_out
from rhombos.core.stepped import step_demand

USUAL = PRESETS["usual"]


def asking(brief: Brief, wave: str, **power) -> Brief:
    content = brief.model_dump()
    content["output"]["waveform"] = wave
    content["power"] |= power
    return Brief.model_validate(content)


@pytest.fixture(scope="module", params=["modified", "square"])
def stepped(request, refuge, shelf):
    return work_out(asking(refuge, request.param), {}, shelf, USUAL)


def test_the_link_stands_at_the_level_of_the_wave(stepped):
    share = FRACTIONS[stepped.brief.output.waveform]
    level = 230 / math.sqrt(share)
    assert level <= stepped.builds["dc_link"].voltage <= 1.03 * level


def test_the_bridge_gives_the_link_less_its_drops(stepped):
    build, s = stepped.builds["h_bridge"], stepped.settled["nominal"].states["h_bridge"]
    device = stepped.shelf.find("mosfet|igbt", build.switch)
    slope = device.r_on / build.parallel if hasattr(device, "v_0") else s.resistance
    path = 2 * slope * s.line_peak + s.drop
    assert s.output == pytest.approx(math.sqrt(build.fraction) * (stepped.builds["dc_link"].voltage - path), rel=2e-3)
    idle = stepped.settled["idle"].states["h_bridge"]
    assert idle.output > s.output


def test_conduction_is_two_switches_in_series_all_the_time(stepped, shelf):
    s, drain = (stepped.settled["nominal"].states[k] for k in ("h_bridge", "load"))
    device = shelf.find("mosfet|igbt", stepped.builds["h_bridge"].switch)
    if hasattr(device, "r_on") and not hasattr(device, "v_0"):
        assert s.conduction == pytest.approx(2 * drain.current**2 * s.resistance, rel=1e-3)
    else:
        mean = drain.current * math.sqrt(stepped.builds["h_bridge"].fraction)
        slope = device.r_on / stepped.builds["h_bridge"].parallel
        assert s.conduction == pytest.approx(2 * (device.v_0 * mean + slope * drain.current**2), rel=1e-3)


def test_switching_at_line_frequency_costs_next_to_nothing(stepped):
    s = stepped.settled["nominal"].states["h_bridge"]
    assert s.switching + s.recovery < 0.02 * s.conduction + 0.1


def test_the_bank_carries_the_pulses(stepped):
    s, brief = stepped.settled["nominal"], stepped.brief
    taken = drawn(step_demand(stepped.builds["h_bridge"].fraction, brief.power.power_factor))
    mean = s.flow["h_bridge"] / stepped.builds["dc_link"].voltage
    bank = dc_link.capacitance(stepped.builds["dc_link"], stepped.shelf)
    state = s.states["dc_link"]
    angular = 4 * math.pi * brief.output.frequency
    assert state.ripple == pytest.approx(s.swing.ripple * taken.swing * mean / (angular * bank), rel=1e-3)
    assert state.slow_current == pytest.approx(s.swing.current * taken.heat * mean, rel=1e-3)
    # a battery that gives none of the swing leaves the bank all of it
    assert 0.5 < s.swing.ripple <= 1.2


def test_a_lagging_load_draws_for_less_of_the_time(refuge, shelf):
    lagging, straight = (
        work_out(asking(refuge, "square", power_factor=f), {}, shelf, USUAL).settled["nominal"].states["dc_link"].slow_current
        for f in (0.7, 1.0)
    )
    assert lagging > 3 * straight


def test_a_stepped_output_has_no_filter_no_carrier_and_no_modulation_to_show(stepped):
    told = solve(stepped.brief, {}, stepped.shelf, USUAL)
    shown = {f.address for b in told.blocks for f in b.figures}
    assert not {a for a in shown if a.startswith("output_filter")}
    assert "h_bridge.carrier" not in shown
    assert "h_bridge.modulation" not in shown
    assert "h_bridge.output" in shown


def test_the_share_is_a_choice_only_where_there_is_one(refuge, shelf):
    for wave, there in (("modified", True), ("square", False), ("sine", False)):
        told = solve(asking(refuge, wave), {}, shelf, USUAL)
        assert any(f.address == "h_bridge.fraction" for b in told.blocks for f in b.figures) is there


@pytest.mark.parametrize("fraction", [0.4, 0.6, 2 / 3])
def test_another_share_moves_the_link_to_keep_the_rms(fraction, refuge, shelf):
    worked = work_out(asking(refuge, "modified"), {"h_bridge.fraction": fraction}, shelf, USUAL)
    assert worked.builds["dc_link"].voltage == pytest.approx(230 / math.sqrt(fraction), rel=0.03)
    assert worked.settled["nominal"].states["h_bridge"].output == pytest.approx(230, rel=0.02)


def test_two_thirds_kill_the_third_harmonic_in_the_picture(refuge, shelf):
    worked = work_out(asking(refuge, "modified"), {"h_bridge.fraction": 2 / 3}, shelf, USUAL)
    _, spectrum = charts(worked, "load")
    heights = dict(zip(spectrum.series[0].x, spectrum.series[0].y, strict=True))
    assert heights.get(3.0, 0.0) < 0.01
    assert heights[5.0] == pytest.approx(20, rel=0.01)
    assert "third harmonic is gone" in spectrum.remark


def test_the_meter_made_for_sines_misreads_and_the_picture_says_by_how_much(refuge, shelf):
    worked = work_out(asking(refuge, "square"), {}, shelf, USUAL)
    wave = charts(worked, "load")[0]
    level = worked.settled["nominal"].states["h_bridge"].output
    assert f"{1.1107 * level:.0f} V" in wave.remark
