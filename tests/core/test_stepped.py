"""Square and three-level outputs of a link route, by hand: link, bridge, meters, findings."""

import math

import numpy as np
import pytest

from rhombos.core.blocks import dc_link
from rhombos.core.blocks.h_bridge import FRACTIONS
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.plots import charts
from rhombos.core.waves.pulsation import drawn
from rhombos.core.waves.stepped import step_demand
from tests.core.asking import written_short

USUAL = PRESETS["usual"]


def asking(brief: Brief, wave: str, **power) -> Brief:
    content = written_short(brief)
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


def marched(resistance, inductance, fraction, hertz, steps=8_000):
    """An R–L on a wave of one volt, marched to its periodic state: wave and current over half a period, and the next half's
    start."""
    half = 1 / (2 * hertz)
    wave = ((np.arange(steps) + 0.5) / steps < fraction).astype(float)
    fade = math.exp(-half / steps * resistance / inductance)
    start = 0.0
    for _ in range(80):
        current, i = np.empty(steps), start
        for n, u in enumerate(wave.tolist()):
            i = u / resistance + (i - u / resistance) * fade
            current[n] = i
        if abs(start + i) < 1e-9 / resistance:
            break
        start = -i
    return wave, current


@pytest.fixture(scope="module", params=[("modified", 0.9), ("modified", 0.6), ("square", 0.7)])
def lagging(request, refuge, shelf):
    """A sizing, and half a period of its load's current, A, marched."""
    wave, factor = request.param
    worked = work_out(asking(refuge, wave, power_factor=factor), {}, shelf, USUAL)
    drain = worked.settled["nominal"].states["load"]
    on, current = marched(drain.resistance, drain.inductance, FRACTIONS[wave], 50.0)
    return worked, on, current * 230 / math.sqrt(FRACTIONS[wave])


def test_a_lagging_load_draws_what_an_r_l_draws_of_the_wave(lagging):
    worked, on, current = lagging
    drain, bridged = (worked.settled["nominal"].states[k] for k in ("load", "h_bridge"))
    factor = worked.brief.output.power_factor
    assert math.cos(math.atan2(2 * math.pi * 50 * drain.inductance, drain.resistance)) == pytest.approx(factor, rel=1e-6)
    level = 230 / math.sqrt(on.mean())
    assert float((level * on * current).mean()) == pytest.approx(600, rel=2e-3), "it takes the power that was asked"
    rms = math.sqrt(float((current**2).mean()))
    assert drain.rms == pytest.approx(rms, rel=2e-3)
    assert rms > 1.03 * 600 / factor / 230 or factor == 0.9, "more than on a sine"
    assert drain.peak_current == pytest.approx(float(np.abs(current).max()), rel=5e-3)
    assert drain.apparent == pytest.approx(230 * rms, rel=2e-3)
    turn = np.exp(-1j * np.pi * (np.arange(on.size) + 0.5) / on.size)
    assert drain.current == pytest.approx(math.sqrt(2) * abs((current * turn).mean()), rel=3e-3)
    assert bridged.line_peak == drain.peak_current


def test_the_short_trip_lets_a_lagging_surge_pass(lagging):
    worked, _, current = lagging
    surge = worked.brief.power.surge / worked.brief.power.continuous
    assert worked.builds["protection"].short_trip >= 1.1 * surge * float(np.abs(current).max())
    assert worked.settled["nominal"].states["protection"].current == pytest.approx(
        math.sqrt(float((current**2).mean())), rel=3e-3
    )


def test_the_bridge_gives_the_link_less_its_drops(lagging):
    """The socket's mean square, sampled: the level while it stands, less what the current drops all the time."""
    worked, on, current = lagging
    build, s = worked.builds["h_bridge"], worked.settled["nominal"].states["h_bridge"]
    device = worked.shelf.find("mosfet|igbt", build.switch)
    slope = device.r_on / build.parallel if hasattr(device, "v_0") else s.resistance
    link = worked.builds["dc_link"].voltage
    socket = (link - s.drop) * on - 2 * slope * current
    assert s.output == pytest.approx(math.sqrt(float((socket**2).mean())), rel=1e-3)
    assert s.missing == pytest.approx(link - s.output / math.sqrt(build.fraction), rel=1e-9)
    assert worked.settled["idle"].states["h_bridge"].output > s.output
    assert s.output == pytest.approx(230, rel=5e-3)


@pytest.mark.parametrize("kind", ["mosfet", "igbt"])
def test_conduction_is_two_switches_in_series_all_the_time(kind, lagging, shelf):
    """Forth through two switches; round, at zero, through one and the diode of another; back through two diodes."""
    worked, on, current = lagging
    brief, name = worked.brief, shelf.all_ids(kind)[-1]
    pinned = work_out(brief, {"h_bridge.switch": name, "h_bridge.parallel": 2}, shelf, USUAL)
    s, device = pinned.settled["nominal"].states["h_bridge"], shelf.find("mosfet|igbt", name)
    amps = np.abs(current)
    if kind == "mosfet":
        assert s.conduction == pytest.approx(2 * float((amps**2).mean()) * s.resistance, rel=3e-3)
        return
    switches = np.where(on == 0, 1, np.where(current > 0, 2, 0))
    lost = switches * (device.v_0 + device.r_on / 2 * amps) + (2 - switches) * (device.diode_v_0 + device.diode_r / 2 * amps)
    assert s.conduction == pytest.approx(float((lost * amps).mean()), rel=5e-3)


def test_switching_at_line_frequency_costs_next_to_nothing(stepped):
    s = stepped.settled["nominal"].states["h_bridge"]
    assert s.switching + s.recovery < 0.02 * s.conduction + 0.1


def test_the_bank_carries_the_pulses(stepped):
    s, brief = stepped.settled["nominal"], stepped.brief
    taken = drawn(step_demand(stepped.builds["h_bridge"].fraction, brief.output.power_factor))
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
