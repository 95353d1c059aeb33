"""A high-frequency socket alone behind a stage: no link, no loop."""

from __future__ import annotations

import math

import numpy as np
import pytest
from benchmarks.agreement import agreements
from scipy.integrate import solve_ivp

from rhombos.core.benches.compare import candidates, compare
from rhombos.core.benches.rating import rating
from rhombos.core.blocks import front_end, hf_socket, transformer
from rhombos.core.book import high_frequency as book
from rhombos.core.design.brief import Brief, followed
from rhombos.core.design.form import brief_fields
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import Worked, explain, solve, work_out
from rhombos.core.magnetics_bench.transformer import transformer_need
from rhombos.core.parts import Fuse
from rhombos.core.plots import charts
from rhombos.core.routes import ROUTES
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import record
from tests.core.asking import making

USUAL = PRESETS["usual"]
MAKING = [name for name, route in ROUTES.items() if "HF" in route.waveforms]
FORMER = {
    "sources": [{"kind": "battery", "cells": 8, "capacity": "100 Ah"}],
    "outputs": [
        {"kind": "HF", "voltage": 60, "frequency": "50k", "cord": 3, "power": {"continuous": 400, "surge": 500}},
    ],
}
"""A wire that cuts foam, on three metres of cord."""


def asked(**changed) -> Brief:
    power = {k: changed.pop(k) for k in ("continuous", "surge") if k in changed}
    first = FORMER["outputs"][0]
    return Brief.model_validate(FORMER | {"outputs": [first | changed | {"power": first["power"] | power}]})


@pytest.fixture(scope="module", params=MAKING)
def former(request, shelf) -> Worked:
    return work_out(asked(), {}, shelf, USUAL, request.param)


def march(volts: float, ohms: float, henries: float, width: float, half: float) -> tuple[float, float, float, float]:
    """A series R–L on a square wave with gaps, in which diodes turn it about until its current has gone: RMS and peak of the
    current, RMS of what it draws from the bank and the mean of that. Both are odd from half period to half period."""

    def run(level: float, first: float, lasts: float) -> np.ndarray:
        time = np.linspace(0, lasts, 4001)
        return solve_ivp(lambda _, i: (level - ohms * i) / henries, (0, lasts), [first], t_eval=time, rtol=1e-9, atol=1e-12).y[
            0
        ]

    begin = 0.0
    for _ in range(60):
        on = run(volts, begin, width)
        off = run(-volts, float(on[-1]), half - width)
        back = np.where(np.minimum.accumulate(off) > 0, off, 0.0)  # once nothing flows, nothing flows
        begin, before = -float(back[-1]), begin
        if abs(begin - before) < 1e-9:
            break
    shares = width / half, 1 - width / half

    def over(forth: np.ndarray, after: np.ndarray) -> float:
        return sum(share * float(np.trapezoid(y) / (y.size - 1)) for share, y in zip(shares, (forth, after), strict=True))

    return math.sqrt(over(on**2, back**2)), float(np.abs(on).max()), math.sqrt(over(on**2, back**2)), over(on, -back)


@pytest.mark.parametrize("point", ["nominal", "low", "surge_high"])
def test_the_load_gets_what_a_march_of_winding_cord_and_diodes_gives_it(former, point):
    s, builds = former.settled[point], former.builds
    stage, wound = builds["front_end"], s.states["transformer"]
    ratio, drive, positions = wound.ratio, former.route.topology.drive, former.route.topology.series
    load = 60**2 / s.point.power
    leak = transformer.leakage(builds["transformer"], former.shelf) + front_end.lead_inductance(stage, former.shelf, USUAL)
    lead = hf_socket.cord_of(former.brief.output) + builds["hf_output"].coil
    before = wound.primary_together + positions * s.states["front_end"].on_resistance / stage.parallel
    ohms = load + ratio**2 * before + wound.secondary_together
    half = 0.5 / stage.frequency
    rms, peak, drawn, mean = march(ratio * drive * s.v_in, ohms, lead + ratio**2 * leak, 2 * USUAL.duty_limit * half, half)
    given = s.states["hf_output"]
    assert given.voltage == pytest.approx(rms * load, rel=2e-3)
    assert given.peak_current == pytest.approx(peak, rel=5e-3)
    assert given.power == pytest.approx(rms**2 * load, rel=4e-3)
    # the bank carries what the leads keep from the source: losses that no current makes flow beside it, steadily
    bank = ratio * drive * math.sqrt(drawn**2 - mean**2)
    if former.route.topology.banks == 1:
        assert s.states["input_stage"].ripple == pytest.approx(bank, rel=0.02)
    # what the pulse adds to it is what losses and the magnetising take
    assert s.turn_off - wound.magnetising_together / 2 == pytest.approx(ratio * peak, rel=0.04)


def test_every_point_settles_and_balances(former):
    for key, s in former.settled.items():
        assert s.converged, key
        lost = sum(s.states[k].loss for k in s.flow if k not in ("source", "load"))
        drawn = s.states["source"].terminal * s.states["source"].current
        assert drawn == pytest.approx(s.delivered + lost, rel=1e-6), key
    told = explain(former, {})
    assert [f.code for f in told.findings if f.severity in ("stop", "fix") and not f.unavoidable] == []
    assert told.blocks[-1].key != "dc_link"
    assert {"dc_link", "rectifier", "h_bridge", "controller"}.isdisjoint(b.key for b in told.blocks)


def test_sheet_and_scope_agree(former):
    """Beside the laws of the sweep: its own frequency, and a source that its leads keep steady."""
    assert {a.name: a.off for a in agreements(former) if a.off > 0.5} == {}
    made = record(bench_of(former), "as designed", "steady", 4, "source, averaged")
    assert made.line == former.builds["front_end"].frequency
    source = made.probe(np.linspace(made.end / 2, made.end, 5000))["source"]
    assert float(np.ptp(source)) < 0.05 * float(source.mean())


def test_a_step_of_the_load_and_a_short_are_recorded_and_loads_made_for_mains_are_not(former):
    bench = bench_of(former)
    assert bench.choices == (("as designed", "none"), ("steady", "load step", "short circuit"))
    short = record(bench, "as designed", "short circuit", 6, "stiff link")
    assert short.tripped is not None
    with pytest.raises(ValueError, match="high-frequency socket is recorded with as designed or none"):
        record(bench, "lamp, cold", "steady", 4)


def test_its_voltage_lies_as_far_above_what_is_asked_as_below(former):
    low, high = (former.settled[k].states["hf_output"].voltage for k in ("low", "high"))
    assert math.sqrt(low * high) == pytest.approx(60, rel=0.04)
    # beyond what leads and source give way, it follows the source
    volts = former.brief.source.volts
    assert 0.9 * volts[2] / volts[0] < high / low < volts[2] / volts[0] * 1.01


def test_a_longer_cord_and_a_higher_frequency_keep_more_of_it(shelf):
    pins = {"transformer.primary_turns": 8, "transformer.secondary_turns": 22, "hf_output.coil": 2e-6}

    def at(**changed) -> tuple[float, float]:
        s = work_out(asked(**changed), pins, shelf, USUAL).settled["nominal"].states["hf_output"]
        return s.voltage, s.factor

    near, far, faster = at(cord=0.3), at(cord=12), at(cord=3, frequency="100k")
    assert near[0] > at()[0] > far[0]
    assert at()[0] > faster[0]
    inductance = hf_socket.cord_of(asked(cord=12).outputs[0])
    alone = math.cos(math.atan(2 * math.pi * 50e3 * inductance / 9))
    assert far[1] < alone, "the coil counts beside the cord"


def test_a_driven_current_is_that_of_a_resistance_where_nothing_lags():
    assert book.driven_current.work({"V_pk": 100.0, "k_lag": 1.0, "D_tot": 0.81, "R_L": 10.0}) == pytest.approx(9.0)
    assert book.across.work({"I_rms": 9.0, "R_L": 10.0}) == pytest.approx(90.0)


def test_a_socket_without_a_load_stands_at_its_pulses(former):
    idle, now = former.settled["idle"], former.settled["nominal"]
    level = idle.v_in * former.route.topology.drive * now.states["transformer"].ratio
    assert idle.states["hf_output"].voltage == pytest.approx(level * math.sqrt(2 * USUAL.duty_limit), rel=1e-3)
    assert idle.flow["load"] == 0
    assert idle.flow["source"] < 0.05 * now.flow["source"]


def test_protection_lets_pass_what_a_full_battery_makes_of_the_load(former):
    """Nothing holds the voltage: on a full battery the load takes more than is asked, and that is no overload."""
    guard, high = former.builds["protection"], former.settled["high"]
    assert high.delivered > 1.15 * 400
    assert guard.overload > high.delivered
    assert guard.short_trip > former.settled["surge_high"].states["load"].peak_current
    assert guard.coil == 0
    assert not any("suppressor" in f.address for b in explain(former, {}).blocks for f in b.figures)


def test_a_coil_at_the_protection_is_told_to_move_where_it_counts(shelf):
    pins = {"protection.coil": 10e-6}
    told = solve(asked(), pins, shelf, USUAL)
    finding = next(f for f in told.findings if f.code == "protection.coil_twice")
    patch = finding.cures[0].patch
    cured = solve(asked(), pins | patch, shelf, USUAL)
    assert "protection.coil_twice" not in {f.code for f in cured.findings}
    assert cured.build["hf_output"]["coil"] == 10e-6


def test_without_its_coil_a_short_is_switched_off_later(shelf):
    bare = solve(asked(cord=0.3), {"hf_output.coil": 0.0}, shelf, USUAL, "push-pull link")
    late = next(f for f in bare.findings if f.code == "protection.short_late")
    assert late.cures[0].patch["hf_output.coil"] is None
    assert "protection.short_late" not in {f.code for f in solve(asked(cord=0.3), {}, shelf, USUAL, "push-pull link").findings}


def test_turns_far_from_what_is_asked_are_told_and_cured(shelf):
    pins = {"transformer.primary_turns": 8, "transformer.secondary_turns": 14}
    told = solve(asked(), pins, shelf, USUAL)
    finding = next(f for f in told.findings if f.code == "transformer.voltage")
    kept = {k: v for k, v in (pins | finding.cures[0].patch).items() if v is not None}
    assert "transformer.voltage" not in {f.code for f in solve(asked(), kept, shelf, USUAL).findings}


def test_what_lives_on_mains_is_refused_once(shelf):
    told = solve(asked(loads=["adapter", "heater"]), {}, shelf, USUAL)
    assert [f.code for f in told.findings if f.code.endswith(".wave")] == ["hf_output.wave"]


@pytest.mark.parametrize("hertz", [5e3, 20e3, 150e3])
def test_the_ends_of_its_frequency_solve_with_pictures(hertz, shelf):
    worked = work_out(asked(frequency=hertz, continuous=100, surge=120), {}, shelf, USUAL)
    assert worked.builds["front_end"].frequency == hertz
    for block in explain(worked, {}).blocks:
        for chart in charts(worked, block.key):
            numbers = [n for s in chart.series for n in (*s.x, *s.y)]
            assert all(math.isfinite(n) for n in numbers), (block.key, chart.key)


def test_its_pictures_are_of_its_figures(former):
    shown = {c.key: c for c in charts(former, "hf_output")}
    now = former.settled["nominal"].states["hf_output"]
    volts = next(s for s in shown["steps"].series if s.name == "voltage")
    assert max(volts.y) == pytest.approx(now.peak, rel=1e-3)
    full, bare = shown["hf_over_source"].series
    low, high = (former.settled[k].states["hf_output"].voltage for k in ("low", "high"))
    assert (full.y[0], full.y[-1]) == (pytest.approx(low, rel=0.01), pytest.approx(high, rel=0.01))
    assert all(b > f for b, f in zip(bare.y, full.y, strict=True))
    block = next(b for b in explain(former, {}).blocks if b.key == "hf_output")
    written, texts = {t.value for t in block.circuit.texts}, {f.address: f.text for f in reversed(block.figures)}
    assert {texts["hf_output.voltage"], texts["hf_output.current"]} <= {w.removesuffix(" RMS") for w in written}


def test_only_routes_that_make_it_are_compared_and_rated(shelf, former):
    assert {name for name, _ in candidates(asked())} == set(MAKING)
    rows = compare(asked(), shelf, USUAL).rows
    assert [r.waveform for r in rows] == ["HF"] * len(MAKING)
    assert all(r.clean and not r.out and r.efficiency > 0.85 for r in rows)
    found = rating(former)
    assert found.power > 300
    assert found.block != "Transformer" or "voltage" not in found.figure


def test_turns_on_the_bench_are_those_that_the_search_would_take(former):
    need, build = transformer_need(former), former.builds["transformer"]
    assert need.near > 0
    assert int(need.secondary_turns(np.array(build.primary_turns))) == build.secondary_turns


def test_a_brief_turns_to_it_and_back(shelf):
    both = {"sources": [{}], "outputs": [{"kind": "AC", "power": {"continuous": 200, "power_factor": 0.8}}, {"kind": "HF"}]}
    both["outputs"][0] = {"kind": "HF", "power": both["outputs"][0]["power"]}
    brief, told = followed(both, "outputs.0.kind")
    assert len(Brief.model_validate(brief).outputs) == 1
    assert "second socket is gone" in told
    shown = brief_fields(Brief.model_validate(brief))
    fields = {f.address for f in shown}
    assert {"outputs.0.cord", "outputs.0.loads", "outputs.0.power.continuous"} <= fields
    assert "and beside it" not in {f.title for f in shown}
    assert "targets.distortion" not in fields
    assert making(asked(), "sine").output.kind == "AC"


def test_pins_of_blocks_that_it_lacks_wait(shelf):
    told = solve(asked(), {"dc_link.voltage": 390.0, "hf_socket.turns": 20}, shelf, USUAL)
    waiting = next(f for f in told.findings if f.code == "pins.waiting")
    assert "dc_link.voltage, hf_socket.turns" in waiting.cause


@pytest.mark.parametrize("route", [name for name in ROUTES if name not in MAKING])
def test_other_routes_say_that_they_make_none(route, shelf):
    assert [f.code for f in solve(asked(), {}, shelf, USUAL, route).findings] == ["route.waveform"]


@pytest.mark.parametrize(
    ("route", "output"),
    [
        ("push-pull link", FORMER["outputs"][0]),
        ("iron push-pull", {"waveform": "square", "power": {"continuous": 400, "surge": 500}, "loads": ["heater"]}),
        ("self-oscillating", {"waveform": "square", "power": {"continuous": 400, "surge": 500}, "loads": ["heater"]}),
    ],
)
def test_what_nothing_holds_draws_most_on_the_highest_input_and_is_judged_there(route, output, shelf):
    """Fuse, connectors, cable and battery: twice the voltage would be four times the power."""
    worked = work_out(Brief.model_validate(FORMER | {"outputs": [output]}), {}, shelf, USUAL, route)
    flows = {k: worked.settled[k].states["input_stage"].fuse_load for k in ("low", "nominal", "high")}
    assert flows["high"] > 1.15 * flows["low"]
    for address in ("input_stage.fuse_load", "source.current"):
        judged = [f for b in explain(worked, {}).blocks for f in b.figures if f.address == address and f.stress is not None]
        assert {f.point for f in judged} == {"full power, highest input"}, address
    least = worked.rules.fuse_factor * flows["low"]
    ample = [f for f in shelf.all(Fuse) if least < f.i_rating < 0.99 * worked.rules.fuse_factor * flows["high"]]
    if ample:
        fused = solve(worked.brief, {"input_stage.fuse": ample[0].id}, shelf, USUAL, route)
        assert "input_stage.fuse_small" in {f.code for f in fused.findings}
