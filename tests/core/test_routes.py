"""Every route for every kind of brief: it balances, does what its circuit must, or says why it cannot."""

import math
from dataclasses import dataclass

import numpy as np
import pytest
from scipy.optimize import fsolve

from rhombos.core.blocks import iron_transformer
from rhombos.core.book import bridge, magnetics
from rhombos.core.design.pins import PinError
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import explain, solve, work_out
from rhombos.core.parts import IronCore
from rhombos.core.plots import charts
from rhombos.core.plots.steps import wave_of
from rhombos.core.routes import ROUTES
from rhombos.core.routes.auxiliary.shared import wanted
from rhombos.core.routes.passes import foreseen
from rhombos.core.waves.modulation import three_level
from rhombos.core.waves.output import output_waves
from rhombos.core.waves.spectrum import readings_of_steps
from rhombos.demo.designs import DEMO
from tests.core.asking import balanced, fitting
from tests.core.asking import making as asking

USUAL = PRESETS["usual"]
EVERY = [(name, wave) for name, route in ROUTES.items() for wave in route.waveforms]
NAMES = [f"{name}, {wave}" for name, wave in EVERY]
EXTREMES = {
    "10 V 50 W": ({"cells": 3}, {"continuous": 50, "surge": 100}),
    "60 V 3 kW": ({"cells": 18, "capacity": "200 Ah"}, {"continuous": 3000, "surge": 6000}),
    "60 V 50 W": ({"cells": 18}, {"continuous": 50, "surge": 50}),
    "10 V 3 kW": ({"cells": 3}, {"continuous": 3000, "surge": 3000}),
}


@pytest.fixture(scope="module", params=EVERY, ids=NAMES)
def routed(request, refuge, shelf):
    name, wave = request.param
    return work_out(fitting(name, asking(refuge, wave)), {}, shelf, USUAL, name)


def test_power_in_is_power_out_and_every_loss(routed):
    balanced(routed)


def test_power_falls_along_the_path(routed):
    for s in routed.settled.values():
        entering = [s.flow[b.key] for b in routed.route.stages(routed.brief.output.waveform)]
        assert entering == sorted(entering, reverse=True)


def test_the_refuge_can_be_built_by_every_route(routed, refuge, shelf):
    found = solve(routed.brief, {}, shelf, USUAL, routed.route.key)
    assert [f.code for f in found.findings if f.severity in ("stop", "fix")] == []
    told = [b.key for b in found.blocks]
    wave = routed.brief.output.waveform
    assert told == [b.key for b in (*routed.route.stages(wave), *routed.route.auxiliary(wave), *wanted(routed))]
    assert set(told) == set(routed.builds)


def test_every_block_has_its_pictures(routed):
    for block in routed.builds:
        drawn = charts(routed, block)
        assert drawn
        for chart in drawn:
            assert (
                chart.boxes
                or chart.rungs
                or chart.rows
                or any(np.isfinite(s.y).all() and len(s.x) == len(s.y) > 1 for s in chart.series)
            )


@pytest.mark.parametrize("design", DEMO.values(), ids=[d.name for d in DEMO.values()])
@pytest.mark.parametrize(("name", "wave"), EVERY, ids=NAMES)
def test_every_route_solves_the_demo_briefs(design, name, wave, shelf):
    worked = work_out(fitting(name, asking(design.brief, wave)), {}, shelf, PRESETS[design.rules], name)
    balanced(worked)
    assert not worked.route.infeasible(worked.settled) & {"nominal", "low", "high", "idle"}


@pytest.mark.parametrize(("cells", "power"), EXTREMES.values(), ids=list(EXTREMES))
@pytest.mark.parametrize(("name", "wave"), EVERY, ids=NAMES)
def test_at_the_extremes_a_route_solves_or_says_why_not(name, wave, cells, power, refuge, shelf):
    brief = fitting(name, asking(refuge, wave, source=cells, power=power))
    worked = work_out(brief, {}, shelf, USUAL, name)
    balanced(worked)
    found = explain(worked, {})
    if found.totals.efficiency < 0.6 or "not reached" in found.totals.texts.values():
        assert any(f.severity == "stop" for f in found.findings)


def test_a_half_bridge_carries_twice_the_current_of_a_full_bridge(refuge, shelf):
    half, full = (work_out(refuge, {}, shelf, USUAL, n) for n in ("half-bridge link", "full-bridge link"))
    now = [w.settled["nominal"] for w in (half, full)]
    per_watt = [s.pulse * s.states["front_end"].total_duty * s.v_in / s.flow["transformer"] for s in now]
    assert per_watt[0] / per_watt[1] == pytest.approx(2, rel=0.03)
    assert half.builds["input_stage"].banks == 2


def test_only_the_push_pull_sees_twice_its_input(refuge, shelf):
    for name, times in (("push-pull link", 2), ("half-bridge link", 1), ("full-bridge link", 1)):
        s = work_out(refuge, {}, shelf, USUAL, name).settled["high"]
        assert s.states["front_end"].resting == pytest.approx(times * s.v_in, rel=1e-9)


def test_a_bridge_returns_its_leakage_to_the_rail_and_burns_none_of_it(refuge, shelf):
    worked = work_out(refuge, {}, shelf, USUAL, "full-bridge link")
    assert worked.builds["front_end"].clamp == "none"
    assert all(s.states["front_end"].clamp_loss == 0 for s in worked.settled.values())


def test_a_single_primary_works_both_ways_so_its_current_has_no_mean(refuge, shelf):
    s = work_out(refuge, {}, shelf, USUAL, "full-bridge link").settled["nominal"]
    wound, stage = s.states["transformer"], s.states["front_end"]
    heated = stage.total_duty - 2 * 2 * stage.rising / 3
    assert wound.primary_rms == pytest.approx(s.swing.rms * s.pulse * math.sqrt(heated), rel=1e-3)


def test_split_banks_carry_the_ripple_of_one_switch(refuge, shelf):
    """Charge balance of two capacitors in series whose mid-point feeds the primary, over one period."""
    s = work_out(refuge, {}, shelf, USUAL, "half-bridge link").settled["nominal"]
    stage, mean = s.states["front_end"], s.flow["front_end"] / s.v_in
    grid = (np.arange(200_000) + 0.5) / 200_000
    pulse = np.where(grid < stage.duty, np.minimum(1, grid / stage.rising), 0)
    upper = mean - mean * pulse / pulse.mean()  # the upper switch takes its pulse from the upper bank's end
    assert abs(upper.mean()) < 1e-3 * mean
    assert s.states["input_stage"].ripple == pytest.approx(math.sqrt(np.mean(upper**2)), rel=1e-3)


@pytest.mark.parametrize("name", ["push-pull link", "half-bridge link", "full-bridge link"])
@pytest.mark.parametrize("wave", ["modified", "square"])
def test_a_stepped_link_gives_the_rms_asked(name, wave, refuge, shelf):
    worked = work_out(asking(refuge, wave), {}, shelf, USUAL, name)
    assert readings_of_steps(wave_of(worked)).rms == pytest.approx(230, rel=0.02)
    assert "output_filter" not in worked.builds


def test_half_the_time_keeps_peak_and_rms_of_a_sine(refuge, shelf):
    worked = work_out(asking(refuge, "modified"), {}, shelf, USUAL)
    assert worked.builds["h_bridge"].fraction == 0.5
    assert readings_of_steps(wave_of(worked)).peak == pytest.approx(math.sqrt(2) * 230, rel=0.02)


def test_a_link_set_for_the_wrong_share_is_found(refuge, shelf):
    found = solve(asking(refuge, "modified"), {"dc_link.voltage": 325, "h_bridge.fraction": 0.9}, shelf, USUAL)
    told = next(f for f in found.findings if f.code == "h_bridge.output")
    assert "RMS" in told.cause
    cured = solve(asking(refuge, "modified"), told.cures[0].patch, shelf, USUAL)
    assert all(f.code != "h_bridge.output" for f in cured.findings)


@pytest.mark.parametrize("share", [0.3, 0.5, 2 / 3, 0.9, 1.0])
def test_distortion_of_a_three_level_wave_is_that_of_its_edges(share):
    assert bridge.modified_distortion(fraction=share) == pytest.approx(
        readings_of_steps(three_level(share, 325, 50)).thd, rel=1e-9
    )


def test_sine_flux_is_the_integral_of_the_voltage():
    volts, frequency, turns, area = 17.0, 50, 26, 2.4e-3
    time = np.linspace(0, 1 / frequency, 100_001)
    linkage = np.cumsum(math.sqrt(2) * volts * np.sin(2 * math.pi * frequency * time)) * time[1]
    peak = np.ptp(linkage) / 2 / turns / area
    assert magnetics.sine_flux(V_rms=volts, f=frequency, N=turns, A_e=area) == pytest.approx(peak, rel=1e-6)


def test_iron_loss_is_its_rating_at_one_tesla_and_grows_with_the_square():
    rated = magnetics.iron_loss(m_core=2.5, p_iron=1.6, B_pk=1.0, f=50)
    assert rated == pytest.approx(4.0)
    assert magnetics.iron_loss(m_core=2.5, p_iron=1.6, B_pk=1.2, f=50) / rated == pytest.approx(1.44)
    assert magnetics.iron_loss(m_core=2.5, p_iron=1.6, B_pk=1.0, f=60) / rated == pytest.approx(1.2675, rel=1e-3)


@pytest.fixture(scope="module")
def square(refuge, shelf):
    return work_out(asking(refuge, "square"), {}, shelf, USUAL, "iron push-pull")


def test_a_square_output_is_that_of_the_bare_circuit(refuge, shelf):
    """Battery, leads, switch, winding resistances and the loss currents as one loop, solved without the route; the load is a
    resistance, so that its current is as square as its voltage."""
    brief = asking(refuge, "square")
    square = work_out(brief.but(power={"power_factor": 1.0}), {}, shelf, USUAL,
                      "iron push-pull")  # fmt: skip
    s = square.settled["high"]
    wound, front, entry, cells = (s.states[k] for k in ("iron_transformer", "front_end", "input_stage", "source"))
    n = wound.ratio
    leads = entry.drop / cells.current
    cell = (s.point.emf - cells.terminal) / cells.current  # what pulsates loses more in it than its mean
    switch = front.on_resistance / square.builds["front_end"].parallel
    watts = (s.point.power / s.states["load"].rated ** 2, wound.loss + front.loss)

    def loop(x):
        current, output = x
        stage = s.point.emf - current * (cell + leads)
        pulse = (watts[0] * output**2 + watts[1]) / stage
        level = n * (stage - pulse * (switch + wound.primary_resistance)) - pulse / n * wound.secondary_resistance
        battery = (stage * pulse + entry.loss) / (s.point.emf - current * cells.resistance)
        return level - output, battery - current

    current, output = fsolve(loop, [cells.current * 1.1, wound.output * 0.95])
    assert wound.output == pytest.approx(output, rel=2e-3)
    assert cells.current == pytest.approx(current, rel=5e-3)


def test_nothing_holds_a_square_output_but_a_width_does(square, refuge, shelf):
    outputs = {k: square.settled[k].states["iron_transformer"].output for k in ("low", "high")}
    assert outputs["high"] / outputs["low"] == pytest.approx(29.2 / 22.4, rel=0.05)
    held = work_out(asking(refuge, "modified"), {}, shelf, USUAL, "iron push-pull")
    for key in ("low", "nominal", "high", "idle"):
        assert held.settled[key].states["iron_transformer"].output == pytest.approx(230, rel=1e-4)
    assert held.settled["low"].share > held.settled["nominal"].share > held.settled["high"].share


def test_the_iron_bridge_makes_its_sine_through_the_exact_waves(refuge, shelf):
    worked = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    waves = output_waves(worked.route.operating(worked.settled, worked.builds, worked.shelf))
    assert waves.voltage_readings.rms == pytest.approx(230, rel=0.02)
    assert waves.voltage_readings.thd < 0.02


def test_a_flat_battery_under_surge_sags_the_iron_bridge_and_says_so(refuge, shelf):
    found = solve(refuge, {}, shelf, USUAL, "iron bridge")
    worked = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    surged = worked.settled["surge_low"].states
    assert surged["h_bridge"].modulation == pytest.approx(1, abs=2e-3)
    assert surged["iron_transformer"].output < 0.9 * 230
    assert any(f.code == "iron_transformer.surge_sags" for f in found.findings)


def test_too_few_turns_on_iron_saturate_it_and_the_cure_clears_that(refuge, shelf):
    brief = asking(refuge, "square")
    made = work_out(brief, {}, shelf, USUAL, "iron push-pull").builds["iron_transformer"]
    pins = {"iron_transformer.core": made.core, "iron_transformer.primary_turns": round(0.8 * made.primary_turns),
            "iron_transformer.secondary_turns": round(0.8 * made.secondary_turns)}  # fmt: skip
    told = next(
        f for f in solve(brief, pins, shelf, USUAL, "iron push-pull").findings if f.code == "iron_transformer.saturation"
    )
    assert told.severity == "stop"
    cured = solve(brief, pins | told.cures[0].patch, shelf, USUAL, "iron push-pull")
    assert all(f.code != "iron_transformer.saturation" for f in cured.findings)


def test_a_wound_iron_transformer_weighs_what_its_wire_and_sheet_do(square, shelf):
    t = iron_transformer.made(square.builds["iron_transformer"], shelf)
    wire = math.pi / 4 * (t.primary.wire.strand**2 * t.primary.in_hand * t.primary.turns * 2
                          + t.secondary.wire.strand**2 * t.secondary.in_hand * t.secondary.turns)  # fmt: skip
    assert t.copper_mass == pytest.approx(wire * t.stack.mlt * 8960, rel=1e-9)
    assert t.stack.mass == pytest.approx(7650 * t.stack.a_e * t.stack.l_e, rel=0.05)


def test_a_route_that_cannot_make_the_wave_says_so(refuge, shelf):
    found = solve(refuge, {}, shelf, USUAL, "iron push-pull")
    assert [f.code for f in found.findings] == ["route.waveform"]
    assert found.totals is None
    assert "modified or square" in found.findings[0].remedy


def test_pins_of_another_route_wait_for_it(refuge, shelf):
    pins = {"front_end.clamp": "none", "h_bridge.carrier": "20k"}
    assert work_out(refuge, pins, shelf, USUAL, "iron bridge").builds["h_bridge"].carrier == 20e3
    assert work_out(refuge, pins, shelf, USUAL).builds["front_end"].clamp == "none"


def test_what_the_route_decides_cannot_be_pinned(refuge, shelf):
    with pytest.raises(PinError, match="decided by the route"):
        work_out(refuge, {"front_end.topology": "full bridge"}, shelf, USUAL)


@pytest.fixture(scope="module")
def swinging(refuge, shelf):
    return work_out(asking(refuge, "square"), {}, shelf, USUAL, "self-oscillating")


def test_the_clock_is_the_volt_seconds_of_the_drive_core(swinging, shelf):
    """The drive core's flux integrated from one saturation to the other takes half a period."""
    build, s = swinging.builds["oscillator"], swinging.settled["nominal"]
    core = shelf.get(IronCore, build.drive_core)
    state = s.states["oscillator"]
    v_half = s.states["iron_transformer"].flux * 4 * state.frequency * (
        swinging.builds["iron_transformer"].primary_turns
        * shelf.get(IronCore, swinging.builds["iron_transformer"].core).a_e)  # fmt: skip
    time = np.linspace(0, 0.02, 200_001)
    flux = build.drive_share * v_half * time / (build.drive_turns * core.a_e)
    half = time[np.searchsorted(flux, 2 * 1.25 * core.b_limit)]
    assert state.frequency == pytest.approx(1 / (2 * half), rel=1e-3)
    assert state.frequency == pytest.approx(50, rel=0.03)


def test_frequency_follows_the_battery_and_the_flux_of_the_iron_does_not(swinging):
    flat, full = (swinging.settled[k].states for k in ("low", "high"))
    assert full["oscillator"].frequency / flat["oscillator"].frequency == pytest.approx(29.2 / 22.4, rel=0.05)
    assert full["iron_transformer"].flux == pytest.approx(flat["iron_transformer"].flux, rel=1e-6)


def test_a_bipolar_costs_base_drive_and_threshold(refuge, shelf):
    worked = work_out(asking(refuge, "square"), {"oscillator.switch": "BN-100-30-H", "oscillator.parallel": 2}, shelf, USUAL,
                      "self-oscillating")  # fmt: skip
    device, s = shelf.find("bipolar", "BN-100-30-H"), worked.settled["nominal"]
    state = s.states["oscillator"]
    heats = state.pulse  # RMS of the pulses, which a lagging load makes more than their mean
    assert 1.05 * s.pulse < heats < s.turn_off
    assert state.conduction == pytest.approx(device.v_0 * heats + device.r_sat / 2 * heats**2)
    assert state.base == pytest.approx(3.0 * 1.5 * heats / device.gain)
    balanced(worked)


def test_the_wrong_drive_turns_are_found_and_the_cure_sets_them(refuge, shelf):
    brief = asking(refuge, "square")
    found = solve(brief, {"oscillator.drive_turns": 20}, shelf, USUAL, "self-oscillating")
    told = next(f for f in found.findings if f.code == "oscillator.off_frequency")
    cured = solve(brief, {"oscillator.drive_turns": 20} | told.cures[0].patch, shelf, USUAL, "self-oscillating")
    assert "oscillator.off_frequency" not in {f.code for f in cured.findings}
    assert "oscillator.wanders" in {f.code for f in cured.findings}


def test_what_cannot_be_reached_claims_no_efficiency(refuge, shelf):
    found = solve(asking(refuge, "square", source={"cells": 3, "capacity": 20 * 3600}, power={"continuous": 3000, "surge": 3000}), {}, shelf, USUAL,
                  "self-oscillating")  # fmt: skip
    assert found.totals.texts["efficiency"] == "not reached"
    assert found.totals.efficiency == 0


@pytest.mark.parametrize(("name", "pins"), [
    ("half-bridge link", {"output_filter.inductance": 1e-6}), ("push-pull link", {"controller.c3": 0.0}),
    ("push-pull link", {"transformer.secondary_wire": "W 0.1", "transformer.secondary_in_hand": 1}),
    ("iron push-pull", {"iron_transformer.primary_wire": "W 0.1", "iron_transformer.primary_in_hand": 1}),
    ("iron bridge", {"iron_transformer.secondary_turns": 1}), ("self-oscillating", {"oscillator.drive_turns": 1}),
])  # fmt: skip
def test_a_hopeless_pin_is_a_finding_and_never_a_fault(name, pins, refuge, shelf):
    brief = asking(refuge, ROUTES[name].waveforms[0])
    found = solve(brief, pins, shelf, USUAL, name)
    if pins != {"controller.c3": 0.0}:
        assert any(f.severity in ("stop", "fix") for f in found.findings)
    worked = work_out(brief, pins, shelf, USUAL, name)
    for block in worked.builds:
        charts(worked, block)


@dataclass(frozen=True)
class Pair:
    volts: float
    watts: float
    name: str = "stays"


def test_guesses_that_swing_are_led_to_where_the_swinging_would_end():
    """A linear pass whose plain repetition swings about its rest for hundreds of turns; the rest from linear algebra."""
    turn, shift = np.array([[-0.97, 0.02], [3.0, 0.4]]), np.array([20.0, -5.0])
    rest = np.linalg.solve(np.eye(2) - turn, shift)
    guess, past = Pair(12.0, 30.0), []
    for _ in range(6):
        past = [*past[-3:], (guess, Pair(*(turn @ (guess.volts, guess.watts) + shift).tolist()))]
        guess = foreseen(past)
    assert (guess.volts, guess.watts) == pytest.approx(tuple(rest), rel=1e-9)
    assert guess.name == "stays"
