"""A DC rail as a source: its limit, its line against the load's curve, what starts on it and what stays down."""

import math

import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from rhombos.core.blocks import source
from rhombos.core.blocks.source.rail import latches_below
from rhombos.core.book import source as book
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.plots import charts
from rhombos.core.routes import ROUTES
from rhombos.core.scope import ScopeAsked, scope_bench

USUAL = PRESETS["usual"]
TIGHT = {"kind": "DC rail", "limit": 32.0}
"""Enough for the refuge's 600 W, and little more."""


def railed(refuge, **rail):
    return refuge.but(source={"kind": "DC rail"} | rail)


def codes(brief, shelf, pins=None, route="push-pull link"):
    return {f.code: f for f in solve(brief, pins or {}, shelf, USUAL, route).findings}


@pytest.mark.parametrize("watts", [50.0, 400.0, 700.0])
@pytest.mark.parametrize("ohms", [1e-3, 0.1])
def test_it_gives_a_power_where_its_line_meets_the_loads_curve(watts, ohms, refuge):
    brief = railed(refuge, resistance=ohms, limit=40)
    state = source.assess(24.0, watts, brief, SILENT)
    volts = brentq(lambda v: (24.0 - v) / ohms - watts / v, 12.0, 24.0)
    assert state.terminal == pytest.approx(volts, rel=1e-9)
    assert state.current == pytest.approx(watts / volts, rel=1e-9)
    assert state.internal_loss == pytest.approx(24.0 * state.current - watts, rel=1e-6)
    assert not state.collapsed
    assert state.run_time == math.inf


@pytest.mark.parametrize(("share", "given"), [(0.999, True), (1.001, False)])
@pytest.mark.parametrize(("ohms", "limit"), [(0.01, 20.0), (0.5, 100.0)])
def test_it_gives_no_more_than_its_limit_or_its_resistance_lets_through(ohms, limit, share, given, refuge):
    """The most of V·I along its line, found point by point."""
    brief = railed(refuge, resistance=ohms, limit=limit)
    most = max((24.0 - i * limit / 5000 * ohms) * i * limit / 5000 for i in range(5001))
    state = source.assess(24.0, share * most, brief, SILENT)
    assert state.capable == pytest.approx(most, rel=1e-4)
    assert state.collapsed is not given
    assert state.current <= limit * (1 + 1e-12)


@pytest.mark.parametrize(("start", "comes_up"), [(1.02, True), (0.98, False)])
def test_a_constant_power_holds_it_down_below_the_latch_voltage(start, comes_up, refuge):
    """A bank on the rail, charged to a little more or less than P/I: marched, it rises to the rail or falls to nothing."""
    brief = railed(refuge, limit=30, resistance=0.02)
    watts, bank = 500.0, 10e-3
    latch = latches_below(brief.source, watts)
    assert latch == pytest.approx(watts / 30)

    def flows(_, v):
        given = min(30.0, (24.0 - v[0]) / 0.02)
        return [(given - watts / v[0]) / bank]

    def gone(_, v):
        return v[0] - 1.0

    gone.terminal = True
    found = solve_ivp(flows, (0, 2.0), [start * latch], events=gone, max_step=1e-3)
    last = found.y[0, -1]
    if comes_up:
        assert last == pytest.approx(24.0 - 0.02 * book.sagged_current(E=24.0, R_s=0.02, P=watts), rel=1e-3)
    else:
        assert last < 1.01


@pytest.mark.parametrize("route", [name for name, route in ROUTES.items() if "DC rail" in route.fed_by])
def test_every_route_is_sized_on_a_rail(route, refuge, shelf):
    volts = {"nominal": 385, "lowest": 370, "highest": 400, "limit": 6} if route == "direct bridge" else {}
    brief = railed(refuge, **volts).but(output={"waveform": ROUTES[route].waveforms[0]})
    solution = solve(brief, {}, shelf, USUAL, route)
    assert [f.code for f in solution.findings if f.severity in ("stop", "fix") and not f.unavoidable] == []
    assert solution.totals.run_time is None
    assert solution.totals.texts["run_time"] == "—"
    assert abs(solution.totals.balance) < 1e-6
    assert f"{brief.source.nominal:g} V rail" in solution.totals.texts["asked"]
    shown = " ".join(f"{f.title} {f.text} {f.point}" for b in solution.blocks for f in b.figures)
    advise = {"source.not_a_fuse", "input_stage.returned"}  # which name a battery as what would do otherwise
    told = " ".join(f"{f.title} {f.cause} {f.remedy}" for f in solution.findings if f.code not in advise)
    assert "batter" not in (shown + told).lower()


@pytest.mark.parametrize(
    ("code", "rail", "pins"),
    [
        ("source.cannot_give_low", {"limit": 20}, {}),
        ("source.cannot_give_surge_low", {"limit": 45}, {}),
        ("source.near_limit", {"limit": 32}, {}),
        ("source.peak_limited", {"limit": 34}, {"controller.control": "voltage", "controller.crossover": 3000.0}),
        ("source.not_a_fuse", {}, {}),
        ("input_stage.fuse_waits", {"limit": 40}, {}),
        ("protection.latches", {}, {"protection.cut_off": 5.0}),
        ("protection.cut_off_high", {}, {"protection.cut_off": 22.8}),
    ],
)
def test_what_can_go_wrong_on_a_rail_is_told(code, rail, pins, refuge, shelf):
    brief = railed(refuge, **rail)
    found = codes(brief, shelf, pins)
    assert code in found, sorted(found)
    for cure in found[code].cures:
        patched = {k: v for k, v in (pins | cure.patch).items() if v is not None}
        assert code not in codes(brief, shelf, patched), cure.label


def test_its_cut_off_lies_below_what_it_brings_and_above_where_it_latches(refuge, shelf):
    worked = work_out(railed(refuge, limit=45), {}, shelf, USUAL)
    low, build = worked.settled["low"], worked.builds["protection"]
    brings = low.states["source"].terminal
    assert latches_below(worked.brief.source, low.states["source"].power) < build.cut_off < brings
    assert build.cut_off + build.hysteresis < 24.0
    assert build.restart == "at once"


def test_the_picture_shows_where_line_and_curve_meet(refuge, shelf):
    worked = work_out(railed(refuge, limit=45), {}, shelf, USUAL)
    line, bars = charts(worked, "source")
    state = worked.settled["low"].states["source"]
    (dot,) = line.dots
    rail, load = line.series
    for curve in (rail, load):
        pairs = list(zip(curve.x, curve.y, strict=True))
        near = min(pairs, key=lambda p: abs(p[0] - dot.x) + abs(p[1] - dot.y))
        assert near == pytest.approx((dot.x, dot.y), rel=0.05)
    assert dot.y == pytest.approx(state.terminal, rel=1e-5)
    assert max(rail.x) == 45
    assert line.marks[0].at == pytest.approx(state.power / 45, rel=1e-5)
    assert "current limit 45" in bars.marks[0].label


def test_no_fuse_has_to_break_more_than_the_limit(refuge, shelf):
    """A battery's short-circuit current asks for a fuse that breaks it; a rail's limit does not."""
    strong = work_out(refuge.but(source={"capacity": 2000 * 3600}), {}, shelf, USUAL).builds["input_stage"].fuse
    gentle = work_out(railed(refuge), {}, shelf, USUAL).builds["input_stage"].fuse
    assert shelf.find("fuse", gentle).breaking >= 75
    assert shelf.find("fuse", strong).breaking > shelf.find("fuse", gentle).breaking or strong == gentle


@pytest.mark.parametrize("limit", [20.0, 30.0, 45.0, 60.0, 75.0, 100.0])
def test_leads_carry_whatever_may_flow_continuously(limit, refuge, shelf):
    """A fuse is sure to melt within the hour at 1.6 times its rating, and not below; until it does, the leads carry the limit."""
    worked = work_out(railed(refuge, limit=limit).but(power={"continuous": 350.0, "surge": 400.0}), {}, shelf, USUAL)
    build, carries = worked.builds["input_stage"], worked.settled["nominal"].states["input_stage"].ampacity
    fuse = shelf.find("fuse", build.fuse).i_rating
    assert carries >= fuse
    assert carries >= limit or limit >= 1.6 * fuse
    assert build.connector >= limit or limit >= 1.6 * fuse


@pytest.mark.parametrize(("limit", "said"), [(45.0, True), (200.0, False)])
def test_the_scope_says_where_the_rail_would_give_way(limit, said, refuge, shelf):
    """A motor that starts asks more of the rail than 45 A: the march knows no limit, and says so."""
    worked = work_out(railed(refuge, limit=limit), {}, shelf, USUAL)
    look = ScopeAsked(load="motor, starting", source="source, averaged", periods=4)
    remarks = " ".join(scope_bench(look, worked).remarks)
    assert ("taken from a rail that is limited at 45" in remarks) is said
