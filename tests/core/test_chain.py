"""From the battery to the link: against SciPy's solver of the same law, against the sizing, against energy."""

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.scope import ScopeAsked, bench_of, scope_bench
from rhombos.core.scope.record import record
from rhombos.core.waves.chain import Chain, Feed, FrontEnd, Supply
from rhombos.core.waves.engine import run, stretch
from rhombos.core.waves.loads import resistive

FED = ("source, averaged", "source, switched")


@pytest.fixture(scope="module")
def bench(plainly):
    return bench_of(plainly)


@pytest.fixture(scope="module")
def plainest(plain, shelf):
    """With the loop that sets the duty itself, whose law is short enough to be written again here."""
    return bench_of(work_out(plain, {"controller.control": "voltage"}, shelf, PRESETS["usual"]))


def means(made, *names):
    t = np.linspace(0, made.end, 200_001)
    seen = made.probe(t)
    return [float(np.trapezoid(seen[n], t) / made.end) for n in names]


def whole_law(supply, filtering, load, level):
    """Filter, link, choke, input and compensator as one set of equations, written from the circuit."""
    stage, cells, loop = supply.front_end, supply.feed, supply.loop
    c = loop.compensator

    def law(t, x):
        coil, volts, choke, link, entry, across, first, lead, told, source = x
        duty = min(stage.most, max(0.0, told / loop.ramp))
        missing = loop.target - link
        fed = missing / c.r1 + (missing - lead) / c.r3
        return [
            (level * link - volts - filtering.resistance * coil) / filtering.inductance,
            (coil - volts / load) / filtering.capacitance,
            (stage.ratio * duty * entry - stage.drop - link - stage.resistance * choke) / stage.inductance,
            (choke - level * coil - link / supply.leak) / supply.bank,
            (source - stage.ratio * duty * choke - supply.idle / entry) / cells.capacitance,
            fed / c.c2 - across * (1 / c.c1 + 1 / c.c2) / c.r2,
            across / (c.r2 * c.c1),
            (missing - lead) / (c.r3 * c.c3),
            2 * math.pi * loop.pole * (first + across - told),
            (cells.emf - entry - cells.resistance * source) / cells.inductance,
        ]

    return law


def test_the_chain_agrees_with_a_solver_of_the_whole_law(plainest):
    """About a crest of the load, where the choke never runs dry; the solver stops at every edge of the bridge."""
    bench = plainest
    supply, load = bench.supply, 88.0
    chain = Chain(supply, 0.0, 370.0, 2.4)
    x = np.array(
        [
            3.0,
            260.0,
            chain.choke,
            chain.link,
            chain.input,
            0,
            supply.loop.ramp * chain.duty,
            0,
            supply.loop.ramp * chain.duty,
            chain.source,
        ]
    )
    times, levels = stretch(bench.wave(0.85, True), 0.003, 0.0083)
    made = run(resistive(bench.front, load).circuit, times, levels, 0.0053, x[:2], 0, chain)
    trail = chain.finish(0.0053)
    stops, kept = times.size - 1, []
    for since, until, level in zip(times[:stops], times[1:], levels[:stops], strict=False):
        x = solve_ivp(whole_law(supply, bench.front, load, level), (since, until), x, rtol=1e-8, atol=1e-8, max_step=6e-6).y[
            :, -1
        ]
        kept.append(x)
    expected, t = np.array(kept), times[1 : stops + 1]
    assert expected[:, 2].min() > 0.2
    assert np.abs(made.at(t)[:, :2] - expected[:, :2]).max(axis=0) == pytest.approx([0, 0], abs=3e-4 * 310)
    for name, place, close in (("link", 3, 2e-4), ("input", 4, 1e-3), ("choke", 2, 0.02), ("source", 9, 0.02)):
        found = np.interp(t, trail.time, getattr(trail, name))
        assert np.abs(found - expected[:, place]).max() < close * np.abs(expected[:, place]).max()


@pytest.mark.parametrize("source", FED)
@pytest.mark.parametrize("route", ["push-pull link", "iron bridge"])
def test_at_rest_it_draws_what_the_sizing_says(route, source, plain, shelf):
    worked = work_out(plain, {}, shelf, PRESETS["usual"], route)
    made = record(bench_of(worked), "as designed", "steady", 4, source)
    drawn, given = means(made, "source", "power")
    states = worked.settled["nominal"].states
    assert drawn / given == pytest.approx(states["source"].current / worked.settled["nominal"].flow["load"], rel=0.02)
    if route == "push-pull link":
        assert means(made, "link")[0] == pytest.approx(states["dc_link"].voltage, rel=1e-3)


def test_a_mean_front_end_is_the_mean_of_a_switched_one(bench):
    mean, pulsed = (record(bench, "as designed", "steady", 2, s) for s in FED)
    assert means(pulsed, "source", "link", "choke") == pytest.approx(means(mean, "source", "link", "choke"), rel=5e-3)
    t = np.linspace(0.0052, 0.0053, 20_001)  # at the crest the choke carries its ripple
    current = pulsed.probe(t)["choke"]
    state = bench.supply
    duty = 370 / (state.front_end.ratio * 25.0)
    expected = 370 * (1 - duty) / (state.front_end.inductance * state.front_end.frequency)
    assert np.ptp(current) == pytest.approx(expected, rel=0.15)


@pytest.mark.parametrize("source", FED)
def test_energy_is_conserved_from_source_to_socket(bench, source):
    """What the cells give is delivered, lost on the ways that are known, or kept in choke, banks and filter."""
    made = record(bench, "as designed", "load step", 5, source)
    t = np.unique(
        np.concatenate([np.linspace(0, made.end, 400_001), made.trail.time[made.trail.time >= 0], made.edges(0, made.end)])
    )
    seen, s = made.probe(t), bench.supply
    stage, cells = s.front_end, s.feed
    given = np.trapezoid(cells.emf * seen["source"], t)
    burnt = np.trapezoid(
        cells.resistance * seen["source"] ** 2
        + s.idle
        + (stage.resistance * seen["choke"] + stage.drop) * seen["choke"]
        + seen["link"] ** 2 / s.leak
        + bench.front.resistance * seen["inductor"] ** 2,
        t,
    )
    kept = sum(
        0.5 * size * np.diff(seen[name][[0, -1]] ** 2)[0]
        for name, size in (
            ("link", s.bank),
            ("input", cells.capacitance),
            ("choke", stage.inductance),
            ("inductor", bench.front.inductance),
            ("output", bench.front.capacitance),
        )
    )
    assert given == pytest.approx(np.trapezoid(seen["power"], t) + burnt + kept, rel=4e-3)


def test_a_loop_faster_than_the_line_hands_the_pulsation_to_the_battery(plainest):
    """With the designed loop the link hardly moves and the battery swings; with a slow one it is the other way round."""
    bench = plainest
    stiff = record(bench, "as designed", "steady", 2, "source, averaged")
    loop = bench.supply.loop
    slow = replace(loop.compensator, r2=loop.compensator.r2 / 400, c1=loop.compensator.c1 * 400, c2=loop.compensator.c2 * 400)
    soft = record(
        replace(bench, supply=replace(bench.supply, loop=replace(loop, compensator=slow))),
        "as designed",
        "steady",
        2,
        "source, averaged",
    )
    t = np.linspace(0, 0.04, 40_001)
    a, b = stiff.probe(t), soft.probe(t)
    assert np.ptp(b["link"]) > 3 * np.ptp(a["link"])
    assert np.ptp(b["source"]) < 0.5 * np.ptp(a["source"])
    # with the front end still, the bank alone carries twice the line: S/(2πf·C·V)
    apparent = bench.power / 0.9
    assert np.ptp(b["link"]) == pytest.approx(apparent / (2 * math.pi * 50 * bench.supply.bank * 370), rel=0.25)


def test_without_a_choke_the_link_follows_the_battery_less_its_way():
    """Charged directly, at a steady current, the link stands at ratio · input less resistance and drop."""
    cells, current = Feed(24.0, 0.02, 5e-3), 1.5
    stage = FrontEnd(15.0, 0.0, 2.0, 1.6, 1e5, 1.0)
    chain = Chain(Supply(cells, stage, 470e-6, 1e6, None, 10.0), 0.0, 300.0, current)
    for n in range(40_000):
        chain.stands(n * 10e-6, 10e-6, current, 1.0)
    trail = chain.finish(0.4)
    drawn = 24 / 0.04 - math.sqrt((24 / 0.04) ** 2 - (15 * trail.input[-1] * current + 10) / 0.02)
    assert trail.input[-1] == pytest.approx(24 - 0.02 * drawn, rel=1e-3)
    assert trail.link[-1] == pytest.approx(15 * trail.input[-1] - 1.6 - 2.0 * current, rel=1e-3)


@pytest.mark.parametrize(("resistance", "inductance"), [(0.02, 0.0), (0.2, 1e-6), (0.004, 2e-6)], ids=["none", "over", "under"])
def test_a_source_with_leads_into_its_bank_moves_as_the_ode_solver_says(resistance, inductance):
    """Without inductance, beyond and below critical damping: bank, current and mean over a step of constant current."""
    feed, taken, step = Feed(24.0, resistance, 2e-3, inductance), 30.0, 70e-6
    volts, amps = 22.5, (12.0 if inductance else 1.5 / resistance)

    def slopes(_: float, x: np.ndarray) -> list[float]:
        flows = x[1] if inductance else (feed.emf - x[0]) / resistance
        lead = (feed.emf - x[0] - resistance * x[1]) / inductance if inductance else 0.0
        return [(flows - taken) / feed.capacitance, lead, x[0]]

    end = solve_ivp(slopes, (0, step), [volts, amps, 0.0], rtol=1e-10, atol=1e-12, method="LSODA").y[:, -1]
    found = feed.after(volts, amps, taken, step)
    through = end[1] if inductance else (feed.emf - end[0]) / resistance
    assert found == pytest.approx((end[0], through, end[2] / step), rel=1e-7)


def test_a_stiff_source_gives_what_the_socket_and_the_losses_take(shelf):
    """A bank that follows its source within one pulse of the bridge: no watt may be lost between the record's points."""
    rail = {"kind": "DC rail", "nominal": 48.0, "lowest": 44.0, "highest": 52.0, "resistance": 5e-3, "limit": 80.0,
            "cable_length": 0.3}  # fmt: skip
    worked = work_out(Brief().but(source=rail), {}, shelf, PRESETS["usual"], "iron bridge")
    bench = bench_of(worked)
    for feed in (bench.supply.feed, replace(bench.supply.feed, inductance=0.0)):
        made = record(replace(bench, supply=replace(bench.supply, feed=feed)), "as designed", "steady", 6, "source, averaged")
        period = 1 / made.line
        seen = made.probe(made.end - period + (np.arange(2**17) + 0.5) * period / 2**17)
        amps = seen["source"] / bench.at.ratio  # as the socket sees them, as all else
        given = feed.emf * amps.mean() - feed.resistance * (amps**2).mean() - bench.supply.idle
        lost = bench.at.resistance * (seen["inductor"] ** 2).mean()
        assert given == pytest.approx((seen["output"] * seen["load"]).mean() + lost, rel=5e-3)


@pytest.mark.parametrize("event", ["soft start", "short circuit"])
def test_the_scope_shows_the_supply_through_every_event(event, worked):
    found = scope_bench(
        ScopeAsked(
            load="motor, starting", event=event, source="source, averaged", periods=6, traces=("link", "source", "output")
        ),
        worked,
    )
    assert {"link", "choke", "input", "source"} <= {p.name for p in found.points}
    assert [r[0] for r in found.measured[1:]] == ["DC link", "source", "at the socket"]
    assert any(r.name == "Source current, mean" for r in found.readings)
