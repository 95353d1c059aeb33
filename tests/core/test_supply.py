"""What stands before the bridge: for every topology and rectifier it draws and gives what the sizing says."""

import math

import numpy as np
import pytest

from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.frame.topology import RECTIFIERS, TOPOLOGIES
from rhombos.core.scope import bench_of
from rhombos.core.scope.record import record
from rhombos.core.waves.chain import Feed, Supply, referred

USUAL = PRESETS["usual"]
DIRECT = {"rectifier.circuit": "bridge, no choke"}
DOUBLED = {"rectifier.circuit": "doubler, no choke"}


@pytest.mark.parametrize(
    ("route", "pins", "near"),
    [
        ("push-pull link", {}, 0.01),
        ("half-bridge link", {}, 0.01),
        ("full-bridge link", {}, 0.01),
        ("push-pull link", {"rectifier.circuit": "centre tap"}, 0.01),
        ("push-pull link", DIRECT, 0.04),
        ("push-pull link", DOUBLED, 0.04),
        ("full-bridge link", DIRECT, 0.04),
    ],
)
def test_battery_and_link_are_those_of_the_sizing(route, pins, near, plain, shelf):
    """Two roads to the same mean: blocks with their closed forms, and a march from edge to edge. Charged directly, a pulsating
    link meets its way more gently than the sizing's mean pulses do."""
    worked = work_out(plain, pins, shelf, USUAL, route)
    made = record(bench_of(worked), "as designed", "steady", 3, "source, averaged")
    t = np.linspace(0, made.end, 60_001)
    seen, now = made.probe(t), worked.settled["nominal"]
    drawn, given = seen["source"].mean(), seen["power"].mean()
    assert drawn / given == pytest.approx(now.states["source"].current / now.flow["load"], rel=near)
    assert seen["link"].mean() == pytest.approx(now.states["dc_link"].voltage, rel=2e-3)
    assert seen["input"].mean() == pytest.approx(now.v_in, rel=5e-3)


@pytest.mark.parametrize(("route", "pins"), [("push-pull link", {}), ("half-bridge link", {}), ("push-pull link", DOUBLED)])
def test_the_front_end_is_taken_from_turns_and_topology(route, pins, refuge, shelf):
    worked = work_out(refuge, pins, shelf, USUAL, route)
    stage = bench_of(worked).supply.front_end
    how = RECTIFIERS[worked.builds["rectifier"].circuit]
    drive = TOPOLOGIES[worked.builds["front_end"].topology].drive
    assert stage.ratio == pytest.approx(worked.builds["transformer"].ratio * drive * how.gain)
    assert stage.frequency == 2 * worked.builds["front_end"].frequency
    assert (stage.inductance > 0) == how.choke
    assert (bench_of(worked).supply.loop is not None) == how.choke
    # resistances and drops lose no more than the sizing's blocks lose on that way
    now = worked.settled["nominal"]
    current = now.flow["dc_link"] / now.states["dc_link"].voltage
    ways = sum(now.states[k].loss for k in ("front_end", "transformer", "rectifier"))
    assert 0 < (stage.resistance * current + stage.drop) * current < ways


def test_without_a_choke_the_link_sags_with_the_battery(refuge, shelf):
    """A motor that starts pulls the link down by the turns ratio times the battery's sag, and more on the way."""
    worked = work_out(refuge, DIRECT, shelf, USUAL)
    made = record(bench_of(worked), "motor, starting", "load step", 5, "source, averaged")
    t = np.linspace(0, made.end, 60_001)
    seen = made.probe(t)
    before, after = t < 0.04, t > 0.06
    sag = seen["input"][before].mean() - seen["input"][after].mean()
    ratio = bench_of(worked).supply.front_end.ratio
    assert sag > 0.3
    assert seen["link"][before].mean() - seen["link"][after].mean() > 0.9 * ratio * sag


def test_a_supply_seen_through_a_transformer_keeps_power_and_time_constant():
    seen = referred(Supply(Feed(24.0, 0.02, 0.01, 1e-6), None, 0.0, math.inf, None, 5.0), 12.0)
    cells = seen.feed
    assert cells.emf**2 / cells.resistance == pytest.approx(24.0**2 / 0.02)
    assert cells.resistance * cells.capacitance == pytest.approx(0.02 * 0.01)
    assert seen.idle == 5.0


def test_a_switched_front_end_rests_when_its_choke_runs_dry(refuge, shelf):
    """Between the pulses of an adapter the choke's current comes in separate triangles, and the link is still held."""
    worked = work_out(refuge, {"controller.control": "voltage"}, shelf, USUAL)
    made = record(bench_of(worked), "adapter", "steady", 2, "source, switched")
    seen = made.probe(np.linspace(0, made.end, 800_001))
    idle = seen["load"] == 0
    current = seen["choke"][idle]
    assert 0.02 < np.mean(current == 0) < 0.98
    assert 0.02 < current.max() < seen["choke"].max()
    assert np.abs(seen["link"] - 370).max() < 0.07 * 370
