"""The bridge's gate drive: edges and disturbances integrated in time, the bootstrap switched cycle by cycle."""

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhombos.core.blocks import bootstrap, front_drive, gate_drive
from rhombos.core.blocks.gate_drive import DriveNeed, GateDriveBuild
from rhombos.core.book import gate as book
from rhombos.core.control.gates import GateLoop, house_loop, plateau_currents, switching_times
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import explain, solve, work_out
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.parts import Diode, Driver, Igbt, Mosfet
from rhombos.core.plots import charts
from rhombos.core.routes.driven import drive_need, front_need
from tests.core.asking import written_short

USUAL = PRESETS["usual"]
NEED = DriveNeed("bridge_drive", "MF-650-150m-A", 1, 400.0, 18e3, 0.93, 1.0, 400e-9, 50.0)


def built(shelf, need=NEED, **pins):
    return gate_drive.propose(need, Brief(), pins, shelf, USUAL, gate_drive.GateDriveBuild)


def judged(shelf, need=NEED, **pins):
    return gate_drive.assess(need, built(shelf, need, **pins), Brief(), shelf, USUAL, SILENT)


@pytest.mark.parametrize(("ohms", "amps", "charge", "farad"), [(4.0, 0.9, 30e-9, 5e-9), (15.0, 0.6, 20e-9, 2e-9)])
def test_what_a_partner_leaves_on_an_off_gate(ohms, amps, charge, farad):
    """A current for as long as the plateau lasts, into the gate's capacitance with its resistance across."""
    lasts = charge / amps
    found = solve_ivp(lambda t, v: [(amps - v[0] / ohms) / farad], (0, lasts), [0.0], rtol=1e-10, atol=1e-12)
    asked = book.miller_voltage.work({"R": ohms, "I": amps, "Q_gd": charge, "C_iss": farad})
    assert asked == pytest.approx(found.y[0][-1], rel=1e-5)
    assert asked < min(ohms * amps, charge / farad)


def test_switching_takes_the_time_its_charge_needs(shelf):
    device = shelf.get(Mosfet, "MF-650-150m-A")
    loop = GateLoop(12.0, 10.0, 4.0, 20e-9)
    on, off = switching_times(device, loop)
    assert on * (12.0 - device.v_plateau) / 10.0 == pytest.approx(device.q_sw)
    assert off * device.v_plateau / 4.0 == pytest.approx(device.q_sw)
    columns = switching_times(shelf.columns(Mosfet), loop)
    row = list(shelf.column(Mosfet, "id")).index(device.id)
    assert (columns[0][row], columns[1][row]) == pytest.approx((on, off))


def test_an_igbt_is_as_fast_as_its_data_until_the_gate_holds_it_back(shelf):
    device = shelf.get(Igbt, "GB-600-10-H")
    assert switching_times(device, GateLoop(15.0, 8.0, 4.0, 0.0)) == (device.t_r, device.t_f)
    on, off = switching_times(device, GateLoop(15.0, 600.0, 2200.0, 0.0))
    assert on > 20 * device.t_r
    assert off > 20 * device.t_f


def test_the_drawn_gate_takes_its_whole_charge(worked, shelf):
    """The current through the loop's resistance, integrated over the turn-on as drawn, is the gate's charge."""
    pins = {"h_bridge.switch": "MF-650-150m-A"}
    designed = work_out(worked.brief, pins, shelf, USUAL)
    device = shelf.get(Mosfet, "MF-650-150m-A")
    drive, bridge = designed.builds["bridge_drive"], designed.builds["h_bridge"]
    loop = gate_drive.loop_of(drive, bridge.parallel, shelf.get(Driver, drive.driver))
    chart = charts(designed, "bridge_drive")[0]
    t, v = np.array(chart.series[0].x), np.array(chart.series[0].y)
    scale = {"s": 1.0, "ms": 1e-3, "µs": 1e-6, "ns": 1e-9}[chart.x.unit]
    top = int(np.argmax(v >= 0.999 * loop.volts))
    upward = slice(0, int(np.argmax(v >= v.max() * (1 - 1e-9))) + 1) if top == 0 else slice(0, top + 1)
    taken = np.trapezoid((loop.volts - v[upward]) / loop.on, t[upward] * scale)
    assert taken == pytest.approx(device.q_g, rel=0.05)


@pytest.mark.parametrize(("farad", "ohms"), [(470e-9, 2.2), (100e-9, 10.0), (1e-6, 22.0)])
def test_the_bootstrap_droops_as_the_switched_circuit_does(farad, ohms, shelf):
    """Its capacitor integrated through every on-time and refresh of two line periods."""
    build = built(shelf, driver="DB-2", boot_capacitor=farad, boot_resistor=ohms, supply=15.0)
    need = replace(NEED, rate=6e3)
    device, driver, diode = shelf.get(Mosfet, need.device), shelf.get(Driver, "DB-2"), shelf.get(Diode, build.boot_diode)
    top = 15.0 - diode.v_0 - bootstrap.LOW_DROP
    drain = driver.i_q + bootstrap.LEAKAGE + 15.0 / build.pull_down
    cycles, period = 120, 1 / 6e3
    volts, ends = top, []
    for k in range(3 * cycles):
        on = (1 + 0.93 * math.sin(2 * math.pi * (k + 0.5) / cycles)) / 2 * period
        low = max(0.0, period - on - 2 * need.dead_time)
        if low > 0:
            refreshed = solve_ivp(lambda t, v: (top - v) / (ohms * farad), (0, low), [volts], rtol=1e-9, atol=1e-12)
            volts = float(refreshed.y[0][-1])
        volts -= (device.q_g + bootstrap._small_charge(diode) + driver.q_level) / farad + drain * on / farad
        volts = max(0.0, volts)
        ends.append(volts)
    _, found = bootstrap.bootstrap_droop(need, build, shelf)
    assert found == pytest.approx(np.array(ends[-cycles:]), abs=2e-3)


def test_the_proposed_bootstrap_never_starves_and_a_tenth_of_it_does(shelf):
    state = judged(shelf)
    build = built(shelf)
    assert state.boot_low >= state.least
    assert build.boot_capacitor >= state.boot_needed
    poor = gate_drive.assess(
        NEED, build.model_copy(update={"boot_capacitor": build.boot_capacitor / 20}), Brief(), shelf, USUAL, SILENT
    )
    assert poor.boot_low < state.least


def test_half_a_line_period_takes_a_far_larger_bootstrap(shelf):
    square = replace(NEED, rate=50.0, modulation=None)
    few, many = built(shelf, NEED), built(shelf, square)
    assert many.boot_capacitor > 20 * few.boot_capacitor
    state = gate_drive.assess(square, many, Brief(), shelf, USUAL, SILENT)
    assert state.boot_low >= state.least
    assert state.high_time == pytest.approx(10e-3)
    # most of what is taken goes through the pull-down: ten times the ohms, far less charge
    assert judged(shelf, square, pull_down=100e3).boot_charge < 0.4 * state.boot_charge


def test_a_drive_transformer_gives_long_pulses_a_low_top(shelf):
    """The winding's voltage has no mean: a square wave of unequal halves, shifted."""
    state = judged(shelf, driver="DT-1", supply=15.0)
    share = state.high_time * NEED.rate
    wave = np.where(np.arange(100_000) < share * 100_000, 15.0, 0.0)
    assert state.gate == pytest.approx((wave - wave.mean()).max(), rel=1e-3)


def test_an_opto_coupler_is_fine_at_line_frequency_and_fatal_at_the_carrier(shelf, refuge):
    fast, slow = judged(shelf, driver="DO-20"), judged(shelf, replace(NEED, rate=50.0, modulation=None), driver="DO-20")
    assert fast.off_time > 7e-6
    assert (fast.on_time + fast.off_time) * NEED.rate > 0.1
    assert (slow.on_time + slow.off_time) * 50 < 2e-3
    content = written_short(refuge)
    content["output"]["waveform"] = "square"
    found = solve(Brief.model_validate(content), {"bridge_drive.driver": "DO-20"}, shelf, USUAL)
    assert "bridge_drive.weak" not in {f.code for f in found.findings}


def test_parallel_switches_share_the_driver(shelf):
    driver = shelf.get(Driver, "DB-4")
    build = GateDriveBuild.within({**built(shelf).model_dump(), "driver": "DB-4", "r_on": 5.0, "r_off": 3.0})
    one, four = (gate_drive.loop_of(build, n, driver) for n in (1, 4))
    assert four.on - one.on == pytest.approx(3 * driver.r_source)
    assert four.off - one.off == pytest.approx(3 * driver.r_sink)


@pytest.mark.parametrize("device", ["MF-650-45m-B", "MF-650-150m-A", "GB-600-10-H"])
@pytest.mark.parametrize("parallel", [1, 3])
def test_what_is_proposed_keeps_an_off_gate_off(device, parallel, shelf):
    state = judged(shelf, replace(NEED, device=device, parallel=parallel))
    assert state.miller <= gate_drive.MILLER_SHARE * state.threshold * (1 + 1e-9)
    assert state.gate_peak <= 0.9 * state.limit
    assert state.power < shelf.get(Driver, built(shelf, replace(NEED, device=device, parallel=parallel)).driver).p_most


@pytest.mark.parametrize("kind", ["pin", "follower", "low side", "bootstrap", "level shift", "opto", "isolated", "transformer"])
def test_every_kind_of_driver_is_worked_and_drawn(kind, refuge, shelf):
    driver = next(d for d in shelf.all(Driver) if d.kind == kind)
    worked = work_out(refuge, {"bridge_drive.driver": driver.id}, shelf, USUAL)
    state = worked.settled["nominal"].states["bridge_drive"]
    assert math.isfinite(state.power)
    assert state.power > 0
    assert (state.boot_charge > 0) == (kind in ("bootstrap", "level shift"))
    assert (state.base_current > 0) == (state.base_resistor > 0) == (kind == "follower")
    drawn = charts(worked, "bridge_drive")
    assert len(drawn) == (2 if kind in ("bootstrap", "level shift") else 1)
    solved = solve(refuge, {"bridge_drive.driver": driver.id}, shelf, USUAL)
    block = next(b for b in solved.blocks if b.key == "bridge_drive")
    assert block.words["kind"] == kind
    reach = {f.code for f in solved.findings}
    assert ("bridge_drive.reach" in reach) == (kind in ("pin", "follower", "low side"))


def test_the_drives_speed_is_the_bridges(refuge, shelf):
    pins = {"h_bridge.switch": "MF-650-150m-A", "bridge_drive.driver": "DB-2"}
    quick, slow = (
        work_out(refuge, pins | {"bridge_drive.r_on": r, "bridge_drive.r_off": r}, shelf, USUAL) for r in (2.2, 33.0)
    )
    now, then = (w.settled["nominal"].states["h_bridge"] for w in (quick, slow))
    assert then.switching > 1.5 * now.switching
    assert then.dead_time_needed > now.dead_time_needed
    assert slow.builds["h_bridge"].dead_time >= then.dead_time_needed
    device = shelf.get(Mosfet, "MF-650-150m-A")
    loop = gate_drive.loop_of(slow.builds["bridge_drive"], slow.builds["h_bridge"].parallel, shelf.get(Driver, "DB-2"))
    assert then.switching_time == pytest.approx(sum(switching_times(device, loop)))


def test_the_rules_loop_is_what_searches_count_on(shelf):
    loop = house_loop(USUAL)
    device = shelf.get(Mosfet, "MF-650-150m-A")
    on, off = plateau_currents(device, loop)
    assert on == pytest.approx((USUAL.gate_drive - device.v_plateau) / USUAL.gate_resistance)
    assert off == pytest.approx(device.v_plateau / USUAL.gate_resistance)


@pytest.mark.parametrize(
    ("route", "wave"), [("iron bridge", "sine"), ("full-bridge link", "modified"), ("half-bridge link", "square")]
)
def test_every_bridge_has_its_gate_drive(route, wave, refuge, shelf):
    content = written_short(refuge)
    content["output"]["waveform"] = wave
    worked = work_out(Brief.model_validate(content), {}, shelf, USUAL, route)
    need = drive_need(worked.settled["nominal"], worked.builds, worked.brief)
    assert (need.modulation is None) == (wave != "sine")
    state = worked.settled["nominal"].states["bridge_drive"]
    assert state.boot_low >= state.least
    low, high = state.low_time, state.high_time
    assert low + high + 2 * need.dead_time == pytest.approx(1 / need.line if wave != "sine" else 1 / need.rate)


@pytest.mark.parametrize(
    ("topology", "floats", "count"), [("push-pull", False, 2), ("half-bridge", True, 2), ("full-bridge", True, 4)]
)
def test_every_front_end_has_its_gate_drive(topology, floats, count, refuge, shelf):
    """On ground in a push-pull; half of it on legs that swing by the battery elsewhere."""
    worked = work_out(refuge, {}, shelf, USUAL, f"{topology} link")
    drive, state = worked.builds["front_drive"], worked.settled["nominal"].states["front_drive"]
    need = front_need(worked.settled["nominal"], worked.builds, worked.brief)
    assert need.floats is floats
    driver = shelf.get(Driver, drive.driver)
    assert driver.kind in (("bootstrap", "isolated") if floats else ("low side",))
    assert not floats or driver.v_float >= refuge.source.volts[2]
    assert state.high_time == pytest.approx(need.duty / need.rate)
    assert sum(i.count for i in front_drive.parts(drive, shelf) if "driver" in i.what and "diode" not in i.what) == count // 2
    assert len(charts(worked, "front_drive")) == 1
    block = next(b for b in solve(refuge, {}, shelf, USUAL, f"{topology} link").blocks if b.key == "front_drive")
    assert block.words["floats"] == ("yes" if floats else "no")
    assert block.severity is None


def test_a_pin_on_many_large_gates_makes_the_stage_slow_and_hot(refuge, shelf):
    pins = {"front_end.switch": "MN-100-4.7m-A", "front_end.parallel": 4}
    sound, pin = (work_out(refuge, pins | more, shelf, USUAL) for more in ({}, {"front_drive.driver": "DP-200"}))
    fast, slow = (w.settled["nominal"].states["front_end"] for w in (sound, pin))
    assert slow.switching_time > 5 * fast.switching_time
    assert slow.switching > 3 * fast.switching
    device = shelf.get(Mosfet, "MN-100-4.7m-A")
    # four gates share a pin of 48 Ω: the charge of all four through it
    at_least = 4 * device.q_sw * 48 / (pin.builds["front_drive"].supply - device.v_plateau)
    assert slow.switching_time > at_least


def test_a_discrete_level_shift_burns_its_current_while_the_upper_switch_is_off(shelf):
    """Through the whole link, half the time of a sine's period."""
    state = judged(shelf, driver="DS-2K2")
    part = shelf.get(Driver, "DS-2K2")
    assert state.level_heat == pytest.approx(part.i_level * NEED.bus * 0.5)
    hot = judged(shelf, driver="DS-470")
    assert hot.power > shelf.get(Driver, "DS-470").p_most


def test_the_followers_base_resistor_drops_a_tenth_of_the_drive(shelf):
    state = judged(shelf, driver="DF-2")
    assert state.base_resistor * state.base_current == pytest.approx(0.1 * built(shelf, driver="DF-2").supply)


def test_a_dead_time_of_exactly_what_is_needed_is_enough(refuge, shelf):
    """Ten lithium-ion cells at 120 V: the proposal comes out at 500 ns needed and 500 ns set, but for the last binary digit."""
    content = written_short(refuge)
    content["source"] |= {"chemistry": "Li-ion", "cells": 10, "capacity": 120 * 3600}
    content["output"] |= {"voltage": 120, "frequency": 60}
    content["power"] |= {"continuous": 1200, "surge": 3000, "surge_time": 3, "power_factor": 0.8}
    worked = work_out(type(refuge).model_validate(content), {}, shelf, PRESETS["usual"])
    need, given = worked.settled["nominal"].states["h_bridge"].dead_time_needed, worked.builds["h_bridge"].dead_time
    assert given == pytest.approx(need, rel=0.2)
    told = {f.code for f in explain(worked, {}).findings}
    assert ("h_bridge.dead_time" in told) is (given < need * (1 - 1e-6))
    assert "h_bridge.dead_time" not in told
