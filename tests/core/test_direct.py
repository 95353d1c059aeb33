"""Square and modified waves on the scope: every load against a march of its own, and the sheet against the scope."""

import math

import numpy as np
import pytest
from benchmarks.agreement import agreements
from scipy.integrate import solve_ivp

from rhombos.core.blocks import oscillator
from rhombos.core.book import loads
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.parts import Mosfet
from rhombos.core.routes.on_source import Guess
from rhombos.core.routes.step_stage import working
from rhombos.core.scope.asked import ScopeAsked
from rhombos.core.scope.bench import bench_of, scope_bench
from rhombos.core.scope.record import record
from rhombos.core.waves import direct
from rhombos.core.waves.engine import steady
from rhombos.core.waves.loads import Rectifier, motor_for
from rhombos.core.waves.modulation import three_level
from rhombos.core.waves.spectrum import readings_of_steps
from rhombos.core.waves.stepped import step_current, step_flow, step_form, turned_about, width_for
from tests.core.asking import written_short

USUAL = PRESETS["usual"]
LEVEL, LINE, R, L = 320.0, 50.0, 3.0, 2e-3
GRID = (np.arange(20_000) + 0.5) / 20_000 / LINE


def asking(refuge: Brief, wave: str, **power) -> Brief:
    content = written_short(refuge)
    return Brief.model_validate(
        content | {"output": content["output"] | {"waveform": wave}, "power": content["power"] | power, "loads": ("lamp",)}
    )


def probed(load, fraction=0.6, guess=None):
    """One period of the periodic state, evenly sampled."""
    run = steady(load.circuit, three_level(fraction, LEVEL, LINE), guess)
    return load.probe(run, GRID)


def by_steps(law, size, periods=12, step=2e-6, fraction=0.6):
    """A plain march in small steps: `law` gives the state's slope and the socket's voltage for a drive. Returns: the last
    period's socket, V, and current, A."""
    wave = three_level(fraction, LEVEL, LINE)
    count = round(1 / LINE / step)
    drive = wave.at((np.arange(count) + 0.5) * step)
    x = np.zeros(size)
    for _ in range(periods - 1):
        for u in drive:
            x = x + step * law(x, u)[0]
    volts, amps = np.empty(count), np.empty(count)
    for k, u in enumerate(drive):
        slope, volts[k] = law(x, u)
        amps[k] = x[0]
        x = x + step * slope
    return volts, amps


def rms(values):
    return float(np.sqrt(np.mean(np.asarray(values) ** 2)))


@pytest.mark.parametrize("fraction", [0.4, 1.0])
def test_a_coil_and_a_resistor_take_what_their_equation_says(fraction):
    ohms, henries = 60.0, 0.1
    found = probed(direct.resistive(direct.Direct(R, L), ohms, henries), fraction)
    wave = three_level(fraction, LEVEL, LINE)
    made = solve_ivp(
        lambda t, x: [(wave.at(np.array([t]))[0] - (R + ohms) * x[0]) / (L + henries)],
        (0, 0.4),
        [0.0],
        max_step=2e-5,
        t_eval=0.38 + GRID[::20],
    )
    assert np.abs(found["load"][::20] - made.y[0]).max() < 0.02 * np.abs(made.y[0]).max()
    # the socket gets what the load takes: no power is lost but in the resistance on the way
    assert np.mean(found["output"] * found["load"]) == pytest.approx(ohms * rms(found["load"]) ** 2, rel=2e-3)
    assert np.mean(found["bridge"] * found["load"]) == pytest.approx((R + ohms) * rms(found["load"]) ** 2, rel=2e-3)


def test_an_adapter_takes_its_pulse_at_the_edge():
    part = Rectifier(300e-6, 150.0, 2.0, 1.6)

    def law(x, u):
        flows, held = x
        push = abs(u) - held - part.drop
        sign = math.copysign(1.0, flows if abs(flows) > 1e-6 else u)
        if abs(flows) < 1e-6 and push < 0:
            return np.array([-flows / 2e-6, -held / (part.load * part.capacitance)]), u
        slope = (u - (R + part.source) * flows - sign * (held + part.drop)) / L
        if sign * (flows + 2e-6 * slope) < 0:
            slope = -flows / 2e-6
        return np.array([slope, (abs(flows) - held / part.load) / part.capacitance]), u - R * flows - L * slope

    found = probed(direct.rectified(direct.Direct(R, L), part), guess=np.array([0.0, 280.0]))
    _, amps = by_steps(law, 2, periods=20)
    assert rms(found["load"]) == pytest.approx(rms(amps), rel=0.02)
    assert np.abs(found["load"]).max() == pytest.approx(np.abs(amps).max(), rel=0.02)


@pytest.mark.parametrize(("ohms", "henries"), [(60.0, 0.0), (60.0, 0.12), (20.0, 0.25)])
def test_a_push_pull_gives_an_inductive_load_back_through_its_diodes(ohms, henries):
    """Small steps, and at each: driven, clamped the other way while current flows, or open."""
    whole, step = L + henries, 2e-6

    def law(x, u):
        if u == 0.0:
            if abs(x[0]) < 1e-4:
                return np.array([-x[0] / step]), 0.0
            u = -math.copysign(LEVEL, x[0])
            slope = (u - (R + ohms) * x[0]) / whole
            if (x[0] + step * slope) * x[0] < 0:
                slope = -x[0] / step
            return np.array([slope]), ohms * x[0] + henries * slope
        slope = (u - (R + ohms) * x[0]) / whole
        return np.array([slope]), ohms * x[0] + henries * slope

    found = probed(direct.resistive(direct.Direct(R, L, LEVEL), ohms, henries))
    volts, amps = by_steps(law, 1, step=step)
    assert rms(found["load"]) == pytest.approx(rms(amps), rel=5e-3)
    assert rms(found["output"]) == pytest.approx(rms(volts), rel=0.02)
    # and the share for which it stands turned about is the closed form's
    factor = math.cos(math.atan2(2 * math.pi * LINE * whole, R + ohms))
    stands = float(np.mean(np.abs(found["bridge"]) > LEVEL / 2))
    assert stands == pytest.approx(0.6 + turned_about(0.6, factor), abs=2e-3)


def test_a_fan_on_a_push_pull_is_that_of_small_steps():
    motor, slip, step = motor_for(300.0, 230.0, LINE), 0.05, 1e-6
    coupled = np.linalg.inv(
        np.array(
            [
                [L + motor.leakage + motor.magnetising, -motor.magnetising],
                [-motor.magnetising, motor.leakage + motor.magnetising],
            ]
        )
    )

    def law(x, u):
        drops = np.array([-(R + motor.resistance) * x[0], -motor.resistance / slip * x[1]])
        if u == 0.0 and abs(x[0]) > 1e-3:
            u = -math.copysign(LEVEL, x[0])
        elif u == 0.0:  # open: the rotor's current fades by itself, and the stator's stays none
            free = drops[1] / (motor.leakage + motor.magnetising)
            return np.array([-x[0] / step, free]), -motor.magnetising * free
        slope = coupled @ (drops + np.array([u, 0.0]))
        return slope, u - R * x[0] - L * slope[0]

    found = probed(direct.turning(direct.Direct(R, L, LEVEL), motor, slip))
    _, amps = by_steps(law, 2, periods=10, step=step)
    assert rms(found["load"]) == pytest.approx(rms(amps), rel=0.02)


def test_an_empty_push_pull_shows_its_pulses_and_nothing_between():
    found = probed(direct.resistive(direct.Direct(R, L, LEVEL), math.inf), 0.5)
    assert rms(found["output"]) == pytest.approx(LEVEL * math.sqrt(0.5), rel=2e-3)
    assert np.abs(found["load"]).max() < 1e-6


@pytest.mark.parametrize(
    ("fraction", "factor", "lets_go"),
    [(1.0, 0.75, False), (0.5, 0.8, False), (0.7, 0.7, True), (0.55, 0.95, True), (0.9, 0.5, True)],
)
def test_what_a_lagging_load_makes_of_a_battery_is_that_of_the_marched_circuit(fraction, factor, lets_go):
    """The load's current through a resistance into a bank, marched over periods."""
    tan, corner = math.tan(math.acos(factor)), 0.05
    current, wave = step_current(fraction, factor, lets_go)
    assert np.abs(current[0] + current[-1]) < 0.02 * np.abs(current).max(), "half-wave symmetry"
    n = current.size
    slope = np.gradient(current, math.pi / n)
    inside = (np.abs(np.diff(wave, append=wave[-1])) == 0) & (np.abs(np.diff(wave, prepend=wave[0])) == 0)
    still = (wave - current - tan * slope)[inside & ((wave != 0) | (not lets_go))]
    assert np.abs(still).max() < 0.02, "u = R·i + L·di/dt"
    taken = np.tile(wave * current, 6) / float((wave * current).mean())
    held, seen = 0.0, []
    for drawn in np.repeat(taken, 32):
        held += (drawn - held) * math.pi / (32 * n) / corner
        seen.append(held)
    source = np.array(seen[-32 * n :])
    found = step_form(fraction, factor, lets_go, corner)
    assert found.mean_square == pytest.approx(float((source**2).mean()), rel=2e-3)
    assert found.crest == pytest.approx(float(source.max()), rel=2e-3)
    assert found.bank == pytest.approx(float(np.sqrt(((taken[-n:].repeat(32) - source) ** 2).mean())), rel=3e-3)
    assert found.stands == pytest.approx(fraction + (turned_about(fraction, factor) if lets_go else 0.0), abs=2e-3)


@pytest.mark.parametrize("factor", [1.0, 0.9, 0.6])
def test_the_width_of_a_push_pull_makes_the_rms_that_was_asked(factor):
    width = width_for(0.6, factor, 0.96)
    assert width + turned_about(width, factor) == pytest.approx(0.6, abs=1e-6)
    wave = three_level(width, LEVEL, LINE, turned_about(width, factor))
    assert readings_of_steps(wave).rms == pytest.approx(LEVEL * math.sqrt(0.6), rel=1e-6)
    assert wave.mean == pytest.approx(0, abs=1e-9)
    ohms = float(loads.step_resistance(k_lag=step_flow(width, factor, True).lag, V_rms=LEVEL * math.sqrt(0.6), P=400.0))
    henries = float(loads.series_inductance(R_L=ohms, cos_phi=factor, f_line=LINE))
    found = probed(direct.resistive(direct.Direct(1e-6, 1e-6, LEVEL), ohms, henries), width)
    assert np.mean(found["output"] * found["load"]) == pytest.approx(400.0, rel=0.01)


CASES = [
    ("push-pull link", "modified"),
    ("half-bridge link", "square"),
    ("iron push-pull", "modified"),
    ("iron push-pull", "square"),
    ("self-oscillating", "square"),
]


@pytest.mark.parametrize(("route", "wave"), CASES)
@pytest.mark.parametrize("factor", [1.0, 0.8])
def test_sheet_and_scope_say_the_same_of_a_stepped_wave(route, wave, factor, refuge, shelf):
    worked = work_out(asking(refuge, wave, power_factor=factor), {}, shelf, USUAL, route)
    assert [a for a in agreements(worked) if a.off > 1] == []


def test_a_lagging_load_behind_windings_is_the_same_on_sheet_and_scope(refuge, shelf):
    """Its own R–L on this wave shapes the current, its own drop the voltage at which power flows, leakage the socket's RMS."""
    worked = work_out(asking(refuge, "modified", power_factor=0.7), {}, shelf, USUAL, "iron push-pull")
    for agreed in agreements(worked):
        assert agreed.sheet == pytest.approx(agreed.scope, rel=0.025), agreed.name
    now = worked.settled["nominal"]
    ohms = now.flow["load"] / now.states["iron_transformer"].secondary_rms ** 2
    assert bench_of(worked).at.load_resistance == pytest.approx(ohms, rel=1e-3)


@pytest.mark.parametrize("route", ["iron push-pull", "direct bridge"])
def test_a_soft_source_recovers_between_pulses_and_gives_more_at_their_begin(route, shelf):
    """The peak lies above that of a flat wave by more than sheet and scope lie apart."""
    cells, amp_hours, volts, watts = (3, 19, 230, 130) if route == "iron push-pull" else (90, 2, 200, 600)
    power = {"continuous": watts, "surge": 1.5 * watts}
    brief = Brief.model_validate(
        {
            "sources": [{"chemistry": "LiFePO4", "cells": cells, "capacity": amp_hours * 3600}],
            "outputs": [{"voltage": volts, "waveform": "modified", "power": power}],
        }
    )
    worked = work_out(brief, {}, shelf, USUAL, route)
    peak = next(a for a in agreements(worked) if a.name == "load, peak")
    assert peak.sheet == pytest.approx(peak.scope, rel=0.02)
    drain = worked.settled["nominal"].states["load"]
    flat = drain.rms / math.sqrt(drain.fed.fraction)
    assert peak.scope > 1.03 * flat


@pytest.mark.parametrize(
    ("route", "wave"), [("push-pull link", "modified"), ("iron push-pull", "modified"), ("self-oscillating", "square")]
)
@pytest.mark.parametrize("load", ["none", "adapter", "lamp, cold", "motor, starting", "motor, running", "transformer"])
def test_every_load_can_be_looked_at_in_every_event(route, wave, load, refuge, shelf):
    worked = work_out(asking(refuge, wave), {}, shelf, USUAL, route)
    for event in ("steady", "soft start", "load step", "short circuit"):
        seen = scope_bench(ScopeAsked(load=load, event=event, source="source, averaged", periods=4), worked)
        names = {p.name for p in seen.points}
        assert {"source", "bridge", "output", "load"} <= names
        assert "inductor" not in names
        assert seen.stepped
        if event == "short circuit":
            assert seen.tripped is not None
            assert any("out of its socket" in r for r in seen.remarks)


def test_a_cold_lamp_draws_many_times_its_current_from_a_modified_wave(refuge, shelf):
    worked = work_out(asking(refuge, "modified"), {}, shelf, USUAL)
    bench = bench_of(worked)
    made = record(bench, "lamp, cold", "load step", 20)
    time = np.linspace(0.045, made.end - 1e-6, 40_000)
    amps = np.abs(made.probe(time)["load"])
    hot = bench.at.level / (bench.volts**2 / bench.power)
    assert amps.max() == pytest.approx(12 * hot, rel=0.1)
    assert amps[-4000:].max() < 1.6 * hot


def test_what_a_source_gives_is_what_its_load_takes_and_its_ways_lose(refuge, shelf):
    """Energy over a period of the marched push-pull: battery, resistance, load, idle losses."""
    worked = work_out(asking(refuge, "square", power_factor=0.8), {}, shelf, USUAL, "iron push-pull")
    bench = bench_of(worked)
    made = record(bench, "as designed", "steady", 4, "source, averaged")
    time = made.end - (1 - (np.arange(40_000) + 0.5) / 40_000) / made.line
    seen = made.probe(time)
    cells, ratio = bench.supply.feed, bench.at.ratio
    given = np.mean(cells.emf * seen["source"] / ratio)
    lost = cells.resistance * np.mean((seen["source"] / ratio) ** 2) + bench.at.resistance * np.mean(seen["load"] ** 2)
    assert given == pytest.approx(np.mean(seen["power"]) + lost + bench.supply.idle, rel=0.01)


@pytest.mark.parametrize("factor", [1.0, 0.9, 0.7])
@pytest.mark.parametrize("share", [0.35, 0.7])
def test_power_flows_at_the_voltage_that_its_own_current_leaves(share, factor):
    """What a source gives less what the resistances burn is what the load takes; over the mean current, its voltage."""
    volts, ohms, peak = 24.0, 0.05, 60.0
    form, wave = step_current(share, factor, lets_go=True)
    amps = peak * form
    mean = float((wave * amps).mean())
    power = volts * mean - ohms * float((amps**2).mean())
    shaped = step_form(share, factor, True, 0.0).form
    guess = Guess(v_in=volts, terminal=volts, primary_resistance=0.03, path_resistance=0.015, secondary_resistance=0.005 * 81)
    assert working(power, 9.0, share, shaped, guess) == pytest.approx(9.0 * power / mean, rel=1e-3)


def test_an_oscillators_clamp_is_for_the_frequency_of_a_full_battery(shelf):
    """Its frequency follows the input; so does what the leakage brings to the clamp in a second."""
    device, line, full = shelf.all(Mosfet)[0], 50.0, 30.0
    need = oscillator.OscillatorNeed(v_in=28.0, v_half=23.0, pulse=20.0, turn_off=25.0, leakage=60e-6)
    device = device.model_copy(update={"v_rating": 150.0})
    ohms = oscillator._clamp_resistor(device, need, line, full, USUAL)
    hertz = line * full / need.v_half
    amps = oscillator.LINE_RESERVE * need.turn_off
    level = 150.0 * (1 - USUAL.switch_voltage_margin) - full
    brought = 0.5 * need.leakage * amps**2 * 2 * hertz * level / (level - need.v_in)
    assert level**2 / ohms == pytest.approx(brought, rel=1e-6)
