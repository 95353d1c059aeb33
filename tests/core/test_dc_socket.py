"""A socket of direct voltage: by hand, by python-control, by marching, and against what anybody may ask."""

import math
from dataclasses import replace

import control
import numpy as np
import pytest
from benchmarks.agreement import agreements
from pydantic import ValidationError
from scipy.integrate import solve_ivp

from rhombos.core.benches.compare import compare
from rhombos.core.benches.rating import rating
from rhombos.core.blocks import link_loop
from rhombos.core.blocks.isolation import crossings
from rhombos.core.book import link as link_book
from rhombos.core.control.loops import Compensator, Plant, step_answer
from rhombos.core.design.brief import Brief, followed
from rhombos.core.design.problems import from_validation
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.report import Solution
from rhombos.core.frame.solve import broken, solve, work_out
from rhombos.core.parts import Capacitor, Diode
from rhombos.core.plots.blocks import charts
from rhombos.core.routes.auxiliary.isolation import need_of
from rhombos.core.routes.auxiliary.protection import short_of
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import record
from rhombos.core.waves.modulation import WaveError

USUAL = PRESETS["usual"]
SUPPLIES = [  # route, volts, watts continuous and surge, cells
    ("push-pull link", 340, 400, 500, 8),
    ("half-bridge link", 48, 300, 600, 16),
    ("full-bridge link", 24, 600, 600, 8),
    ("push-pull link", 700, 300, 450, 8),
    ("full-bridge link", 1250, 1500, 1800, 16),
]


def supply(volts: float, watts: float, surge: float, cells: int = 8, **output) -> Brief:
    power = {"continuous": watts, "surge": surge, "surge_time": 2}
    capacity = 3600.0 * max(40.0, 3 * watts / (3.2 * cells))
    return Brief().but(
        source={"cells": cells, "capacity": capacity}, output={"kind": "DC", "voltage": volts, "power": power} | output
    )


@pytest.fixture(scope="module", params=SUPPLIES, ids=lambda s: f"{s[0]} {s[1]} V")
def supplied(request, shelf):
    route, volts, watts, surge, cells = request.param
    return work_out(supply(volts, watts, surge, cells), {}, shelf, USUAL, route)


def test_its_own_proposal_keeps_every_rule(supplied):
    assert broken(supplied) == 0


def test_sheet_and_scope_say_the_same(supplied):
    """Battery, socket, choke, the dip at a step of the load; the ripple within its bound."""
    assert [a for a in agreements(supplied) if a.off > 1] == []


def test_the_socket_gets_what_is_asked_and_nothing_pulsates(supplied):
    for key in ("nominal", "low", "high", "surge_high"):
        states = supplied.settled[key].states
        load, asked = states["load"], supplied.settled[key].point.power
        assert states["dc_link"].voltage == load.voltage == supplied.brief.output.voltage
        assert load.power == asked
        assert load.current == load.rms == load.peak_current == pytest.approx(asked / load.voltage)
        assert load.resistance == pytest.approx(load.voltage**2 / asked)
        cells = states["source"]
        assert cells.rms == pytest.approx(cells.current)
        assert cells.peak == pytest.approx(cells.current)
        assert states["dc_link"].slow_current == 0


def test_what_goes_in_comes_out_or_is_lost(supplied):
    blocks = ("input_stage", "front_end", "transformer", "rectifier", "dc_link")
    for key, s in supplied.settled.items():
        if key in supplied.route.infeasible(supplied.settled):
            continue
        lost = sum(s.states[b].loss for b in blocks)
        assert s.flow["source"] == pytest.approx(s.flow["load"] + lost, rel=1e-3, abs=2e-3), key


def test_the_ripple_is_the_chokes_on_capacitance_and_series_resistance(supplied):
    """Marched: a triangle of current into C and R; the relation adds both swings as if they were in step."""
    now, build = supplied.settled["nominal"].states, supplied.builds["dc_link"]
    can = supplied.shelf.get(Capacitor, build.capacitor)
    bank, esr = build.count * can.c / build.banks, can.esr * build.banks / build.count
    on, period = 2 * now["front_end"].duty, 0.5 / supplied.builds["front_end"].frequency
    turn = np.linspace(0, 1, 100_001)
    amps = now["rectifier"].ripple * np.where(turn < on, turn / on - 0.5, 0.5 - (turn - on) / (1 - on))
    volts = np.concatenate([[0], np.cumsum((amps[1:] + amps[:-1]) / 2) * period / 1e5 / bank]) + esr * amps
    assert 0.99 * np.ptp(volts) <= now["dc_link"].ripple <= 1.7 * np.ptp(volts)
    assert now["dc_link"].ripple <= supplied.brief.output.ripple * supplied.brief.output.voltage * 1.0001


LOOPS = [
    Plant(120.0, 2e-3, 0.8, 150e-6, 0.3, -190.0, 15e3),
    Plant(1.2, 2e-3, 0.8, 47e-6, 0.9, -190.0, 15e3, programmed=True, follows=17e3),
    Plant(40.0, 60e-6, 5e-3, 3e-3, 12e-3, -0.9, math.inf),
]


@pytest.mark.parametrize("plant", LOOPS)
def test_the_answer_to_a_step_is_that_of_python_control(plant):
    crossover = 900.0
    made = link_loop.compensate(plant, crossover, 58.0, 100e3)
    above, below = plant.polynomials()
    c, d = made.polynomials()
    top, out = [plant.esr * plant.bank, 1.0], [plant.bank * (1 + plant.esr / plant.load), 1 / plant.load]
    bank = control.tf(top, out)
    feeds = control.tf([plant.inductance, plant.path], [1.0])
    opened = bank if plant.programmed else bank * feeds / (bank + feeds)
    closed = control.minreal(opened / (1 + control.tf(above, below) * control.tf(c, d)), 1e-6, verbose=False)
    time = np.linspace(0, 12 / (2 * math.pi * crossover), 60_001)
    _, volts = control.step_response(closed, time)
    assert step_answer(plant, made) == pytest.approx(float(np.max(volts)), rel=3e-3)


def test_a_loop_that_oscillates_has_no_deepest_dip():
    assert step_answer(LOOPS[0], Compensator(100.0, 10e6, 1e-9, 1e-13, 0.0, 0.0)) == math.inf


def test_a_bank_without_a_loop_falls_by_its_series_resistance_first(shelf):
    """A slow loop behind cans of much resistance: the dip is the current times it, at once; a load that keeps its power takes
    more as it falls."""
    plant = replace(LOOPS[1], esr=20.0, bank=10e-3)
    slow = link_loop.compensate(plant, 20.0, 60.0, 100e3)
    assert step_answer(plant, slow) == pytest.approx(20.0 / (1 - 20.0 / 190.0), rel=2e-3)


@pytest.mark.parametrize("volts", [340, 1250])
def test_diodes_of_bridges_in_series_block_their_part(volts, shelf):
    """One, two and three bridges on the same build: each diode blocks its part of the same secondary, as many more drop."""
    seen = {}
    for parts, circuit in ((1, "bridge"), (2, "two bridges in series"), (3, "three bridges in series")):
        pins = {"rectifier.circuit": circuit, "rectifier.diode": "RS-1200-5", "transformer.primary_turns": 4,
                "transformer.secondary_turns": 4 * volts // 10, "rectifier.damper_capacitor": 1e-10, "front_end.frequency": 30e3}  # fmt: skip
        worked = work_out(supply(volts, 400, 400, 16), pins, shelf, USUAL, "full-bridge link")
        now, high = worked.settled["nominal"], worked.settled["high"]
        state, diode = now.states["rectifier"], shelf.get(Diode, "RS-1200-5")
        part = (high.states["transformer"].ratio * high.v_half - high.secondary_drop) / parts
        assert high.states["rectifier"].reverse - high.states["rectifier"].ring == pytest.approx(part, rel=2e-3)
        each = diode.v_0 * state.current / 2 + diode.r * state.current**2 / 2
        assert state.conduction == pytest.approx(4 * parts * each, rel=0.02)
        seen[parts] = state
    # a damper charges to its part of the secondary at every edge
    for parts in (2, 3):
        assert seen[parts].damper_loss == pytest.approx(seen[1].damper_loss / parts**2, rel=0.05)


def test_a_short_meets_the_choke_as_the_switches_see_it(shelf):
    worked = work_out(supply(340, 400, 500), {}, shelf, USUAL)
    stage = short_of(worked)
    ratio = worked.builds["transformer"].ratio
    assert stage.ratio == ratio
    assert stage.volts == worked.brief.source.volts[2]
    choke = worked.builds["rectifier"].inductance / ratio**2
    assert choke < stage.inductance < choke + 1e-6
    told = next(f for f in solve(worked.brief, {}, shelf, USUAL).findings if f.code == "protection.bank_dumps")
    assert told.severity == "note"
    bank = worked.builds["dc_link"]
    can = shelf.get(Capacitor, bank.capacitor)
    link = worked.settled["nominal"].states["dc_link"]
    shown = {f.address: f for b in solve(worked.brief, {}, shelf, USUAL).blocks for f in b.figures}
    farad, ohms, henry = bank.count * can.c, can.esr / bank.count, 2.5e-6

    def slopes(_: float, x: np.ndarray) -> list[float]:
        return [(x[1] - ohms * x[0]) / henry, -x[0] / farad]

    end = 6 * math.sqrt(henry * farad)
    made = solve_ivp(slopes, (0, end), [0.0, link.peak], rtol=1e-9, atol=1e-9, max_step=end / 2000)
    assert 0.5 * shown["protection.dumps"].value < made.y[0].max() <= shown["protection.dumps"].value


def test_no_bridge_no_gates_and_a_barrier_for_its_voltage(shelf):
    worked = work_out(supply(1250, 1500, 1800, 16), {}, shelf, USUAL, "full-bridge link")
    assert not {"h_bridge", "output_filter", "bridge_drive"} & worked.builds.keys()
    need = need_of(worked)
    names = {c.name: (c.first, c.second) for c in crossings(worked.builds["isolation"], need)}
    assert "bridge gates" not in names
    assert names["output sense"] == ("link", "source")
    assert need.peak < 1.15 * 1250  # no root of two
    asked = 2 * (1250 + 1200)
    assert worked.builds["isolation"].proof == min(p for p in (3750, 5000, 6000, 7500) if p >= asked)
    assert worked.settled["nominal"].states["isolation"].at_converter < 3.3


def test_a_low_socket_has_one_diode_in_the_way_and_a_high_one_several_banks(shelf):
    low = work_out(supply(24, 300, 300), {}, shelf, USUAL)
    high = work_out(supply(1250, 600, 600, 16), {}, shelf, USUAL)
    assert low.builds["rectifier"].circuit == "centre tap"
    assert high.builds["rectifier"].circuit.endswith("bridges in series")
    banks = high.builds["dc_link"].banks
    can = shelf.get(Capacitor, high.builds["dc_link"].capacitor)
    assert banks >= 2
    assert banks * can.v_rating * (1 - USUAL.link_capacitor_margin) >= high.settled["high"].states["dc_link"].peak


def test_with_nothing_plugged_in_pulses_are_short_and_little_flows(shelf):
    """A bleeder of a tenth of a milliampere: pulses shorter than a controller makes them are left out, and no loss feeds itself."""
    for volts in (14, 29, 48, 340):
        worked = work_out(supply(volts, 400, 1000), {}, shelf, USUAL)
        for key in ("idle", "idle_high", "limit"):
            s = worked.settled[key]
            assert s.converged
            assert s.flow["source"] < 15
            assert s.states["front_end"].duty / worked.builds["front_end"].frequency >= 0.999e-7


def test_the_surge_is_held_on_the_lowest_input(shelf):
    worked = work_out(supply(340, 400, 800), {}, shelf, USUAL)
    assert "surge_low" not in worked.route.infeasible(worked.settled)
    assert worked.settled["surge_low"].states["dc_link"].voltage == 340


def test_a_pinned_link_and_a_missing_choke_are_told_with_their_cures(shelf):
    brief = supply(340, 400, 500)
    for pins, code in (
        ({"dc_link.voltage": 300.0}, "dc_link.off"),
        ({"rectifier.circuit": "bridge, no choke"}, "dc_link.unregulated"),
    ):
        told: Solution = solve(brief, pins, shelf, USUAL)
        found = next(f for f in told.findings if f.code == code)
        cured = solve(brief, {k: v for k, v in (pins | found.cures[0].patch).items() if v is not None}, shelf, USUAL)
        assert code not in {f.code for f in cured.findings}


def test_only_routes_with_a_link_make_it_and_each_is_compared(shelf):
    brief = supply(340, 400, 500)
    rows = compare(brief, shelf, USUAL).rows
    assert {(r.route, r.waveform) for r in rows} == {
        (n, "DC") for n in ("push-pull link", "half-bridge link", "full-bridge link")
    }
    assert all("H-bridge" not in r.title and r.swing == 0 and r.clean for r in rows)
    refused = solve(brief, {}, shelf, USUAL, "iron bridge")
    assert [f.code for f in refused.findings] == ["route.waveform"]
    assert "DC" in refused.findings[0].title


def test_it_is_rated_by_its_weakest_stage(shelf):
    worked = work_out(supply(340, 400, 500), {}, shelf, USUAL)
    found = rating(worked)
    assert 0.97 < found.share < 2
    assert found.block in {"Input", "Push-pull", "Transformer", "Rectifier", "Link"}


def test_its_pictures_draw_what_was_marched(shelf):
    worked = work_out(supply(340, 400, 500), {}, shelf, USUAL)
    (stepped,) = charts(worked, "load")
    lowest = min(y for y in stepped.series[0].y if y is not None)
    assert 340 - lowest == pytest.approx(worked.settled["nominal"].states["controller"].dip, rel=0.1)
    assert [c.key for c in charts(worked, "dc_link")] == ["ripple", "discharge"]
    for block in worked.builds:
        assert all(c.remark for c in charts(worked, block))


def test_the_scope_records_what_such_a_socket_has(shelf):
    bench = bench_of(work_out(supply(340, 400, 500), {}, shelf, USUAL))
    assert bench.direct
    assert "stiff link" not in bench.sources
    with pytest.raises(WaveError, match="as designed or none or lamp, cold"):
        record(bench, "motor, starting", "steady", 2)
    made = record(bench, "lamp, cold", "load step", 8, "source, averaged")
    seen = made.probe(np.linspace(0, made.end, 40_001))
    assert seen["load"].max() > 5 * 400 / 340  # a cold filament
    assert seen["output"].min() < 335


BAD = [
    ({"voltage": 8}, "8 V is below the allowed 12 V to 1.5 kV"),
    ({"voltage": 2000}, "2 kV is above the allowed 12 V to 1.5 kV"),
    ({"ripple": "20 %"}, "20 % is above the allowed 0.05 % to 10 %"),
    ({"dip": 0}, "0 % is below the allowed 0.5 % to 20 %"),
    ({"waveform": "sine"}, "waveform"),
    ({"loads": ["lamp"]}, "loads"),
]


@pytest.mark.parametrize(("wrong", "told"), BAD)
def test_what_cannot_be_asked_of_it_is_refused_with_its_range(wrong, told):
    with pytest.raises(ValidationError) as caught:
        Brief.model_validate({"outputs": [{"kind": "DC", **wrong}]})
    (problem,) = from_validation(caught.value, Brief)
    assert told in f"{problem.field}: {problem.message}"
    assert problem.field.startswith("outputs.0.")


def test_a_change_of_kind_keeps_the_power_asked():
    asked = {"outputs": [{"kind": "DC", "power": {"continuous": 900, "surge": 1000, "power_factor": 0.8}}]}
    brief, told = followed(asked, "outputs.0.kind")
    assert told == ""
    made = Brief.model_validate(brief)
    assert (made.power.continuous, made.power.surge) == (900, 1000)
    back, _ = followed({"outputs": [{"kind": "AC", "power": {"continuous": 900, "surge": 1000}}]}, "outputs.0.kind")
    assert Brief.model_validate(back).output.power_factor == 0.9


def test_the_bounds_of_the_ripple_in_the_book():
    """Ideal cans leave ΔI/(8·f·C) at the ripple's frequency, twice a switch's; cans of resistance alone ΔI·R."""
    assert link_book.smoothed_ripple(dI=2.0, ESR=1e-6, f_s=50e3, C=10e-6) == pytest.approx(2 / (8 * 100e3 * 10e-6), rel=1e-3)
    assert link_book.smoothed_ripple(dI=2.0, ESR=0.5, f_s=50e3, C=1.0) == pytest.approx(1.0, rel=1e-3)
    assert link_book.pulsed_ripple(dI=1e-9, ESR=1e-6, I_out=3.0, f_s=50e3, C=10e-6) == pytest.approx(
        3 / 100e3 / 10e-6, rel=1e-6
    )


def test_a_current_that_no_diode_carries_is_told_as_what_cannot_be_avoided(shelf):
    """A hundred and sixty amperes at 12 V: each diode would carry half of it, alone."""
    told = solve(supply(12, 2000, 2000), {}, shelf, USUAL, "full-bridge link")
    found = [f for f in told.findings if f.code.startswith("rectifier.") and f.severity in ("stop", "fix")]
    assert found
    assert all((f.unavoidable or "").startswith("no diode") for f in found)
    assert not [f for f in solve(supply(12, 200, 200), {}, shelf, USUAL).findings if f.code.startswith("rectifier.")]


@pytest.mark.parametrize("share", [0.1, 0.5, 0.9])
def test_pulses_into_a_bank_ripple_no_more_than_the_book_bounds(share):
    """Flat pulses for a share of the time, summed up on capacitance and series resistance."""
    current, hertz, farad, ohms = 3.0, 50e3, 22e-6, 0.05
    turn = np.linspace(0, 1, 200_001)
    pulses = np.where(turn < share, current / share, 0.0)
    volts = np.cumsum(pulses - current) / turn.size / (2 * hertz) / farad + ohms * pulses
    bound = link_book.pulsed_ripple(dI=current / share, ESR=ohms, I_out=current, f_s=hertz, C=farad)
    assert 0.9 * (1 - share) * bound < np.ptp(volts) <= bound * 1.0001
