"""Heat over a surge: against SciPy's solver, at both ends of time, and as a finding."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from rhombos.core.blocks.cooling import BEYOND, KELVIN, hottest_junction
from rhombos.core.blocks.surge import Cooling, Heating, bridge_devices, cooling_of, course, front_end_devices, worst_course
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.parts import HeatSink, Mosfet
from rhombos.core.plots import charts
from tests.core.asking import written_short

USUAL = PRESETS["usual"]
COOLED = Cooling(resistance=2.5, tau=180.0, inner=0.9, air=40.0, limit=175.0)
BEFORE = Heating(10.0, 80.0, 2.2, 4.0, 2, 1.3)


def settled(on: Heating, cooled: Cooling) -> Heating:
    """The same devices, their junction where they come to rest."""
    celsius = 60.0
    for _ in range(200):
        celsius = cooled.air + (on.conducting(celsius) + on.other) * cooled.resistance + on.device(celsius) * cooled.inner
    return Heating(on.conducting(celsius), celsius, on.exponent, on.other, on.devices, on.uneven)


AT_REST = settled(BEFORE, COOLED)
HARD = Heating(38.0, 100.0, 2.2, 9.0, 2, 1.3)


@pytest.mark.parametrize("seconds", [5.0, 60.0])
def test_the_course_is_that_of_the_thermal_circuit(seconds):
    """One heat capacity at the sink; each junction solved at every moment, by bisection, not by the code's own search."""
    capacity = COOLED.tau / COOLED.resistance

    def junction(sink):
        low, high = sink, 1000.0
        for _ in range(80):
            middle = (low + high) / 2
            low, high = (middle, high) if sink + HARD.device(middle) * COOLED.inner > middle else (low, middle)
        return low

    def law(t, sink):
        return [(HARD.conducting(junction(sink[0])) + HARD.other - (sink[0] - COOLED.air) / COOLED.resistance) / capacity]

    started = AT_REST.junction - AT_REST.device(AT_REST.junction) * COOLED.inner
    expected = solve_ivp(law, (0, seconds), [started], rtol=1e-8).y[0, -1]
    fine, usual = (course(AT_REST, HARD, COOLED, seconds, steps) for steps in (400, 12))
    assert fine.sink[-1] == pytest.approx(expected, abs=0.02)
    assert fine.junction[-1] == pytest.approx(junction(expected), abs=0.05)
    assert usual.junction[-1] == pytest.approx(junction(expected), abs=0.6)


def test_a_surge_that_is_no_surge_changes_nothing_and_one_for_ever_comes_to_rest():
    still = course(AT_REST, AT_REST, COOLED, 60.0)
    assert still.junction == pytest.approx(np.full(still.junction.size, AT_REST.junction), abs=1e-3)
    mild = Heating(12.0, 80.0, 2.2, 5.0, 2, 1.3)
    ever = course(AT_REST, mild, COOLED, 40 * COOLED.tau, 400)
    assert ever.junction[-1] == pytest.approx(settled(mild, COOLED).junction, abs=0.01)
    assert (np.diff(ever.junction) >= 0).all()


def test_a_junction_that_runs_away_is_followed_only_so_far():
    wild = course(AT_REST, Heating(400.0, 100.0, 3.0, 50.0, 2, 1.3), COOLED, 30.0)
    assert np.isfinite(wild.junction).all()
    assert wild.junction.max() == COOLED.limit + 150


def test_the_sink_begins_where_the_steady_state_left_it(worked, shelf):
    build, state = worked.builds["front_end"], worked.settled["high"].states["front_end"]
    device = shelf.get(Mosfet, build.switch)
    cooled = cooling_of(build, device, worked.brief, shelf, USUAL)
    on = front_end_devices(build, device).heating(state, USUAL)
    made = course(on, on, cooled, 5.0)
    assert made.sink[0] == pytest.approx(cooled.air + (state.conduction + state.switching) * cooled.resistance, abs=0.2)
    part = shelf.get(HeatSink, build.sink)
    assert cooled.tau == pytest.approx(cooled.resistance * part.mass * 897)


def test_the_hottest_surge_that_can_be_held_counts(worked, shelf):
    build = worked.builds["h_bridge"]
    device = shelf.find("mosfet|igbt", build.switch)
    states = {k: s.states["h_bridge"] for k, s in worked.settled.items()}
    cooled = cooling_of(build, device, worked.brief, shelf, USUAL)
    both = worst_course(states, frozenset(), bridge_devices(build, device), cooled, USUAL, 5.0)
    one = worst_course(states, frozenset({both[0]}), bridge_devices(build, device), cooled, USUAL, 5.0)
    assert {both[0], one[0]} == {"surge_low", "surge_high"}
    assert both[1].junction[-1] >= one[1].junction[-1]
    assert (
        worst_course(states, frozenset({"surge_low", "surge_high"}), bridge_devices(build, device), cooled, USUAL, 5.0) is None
    )


def test_a_long_surge_on_a_small_sink_is_told_and_cured(refuge, shelf):
    content = written_short(refuge)
    content["power"] |= {"surge": 1300, "surge_time": 30}
    content["source"]["capacity"] = "150 Ah"
    brief = Brief.model_validate(content)
    pins = {"front_end.switch": "MN-100-18m-A", "front_end.parallel": 1, "front_end.sink": "HS-14", "front_end.fan": True}
    if pins["front_end.switch"] not in shelf.column(Mosfet, "id"):
        pins["front_end.switch"] = max(
            (p for p in shelf.all(Mosfet) if p.v_rating == 100 and p.r_on < 0.015), key=lambda p: p.r_on
        ).id
    found = next(f for f in solve(brief, pins, shelf, USUAL).findings if f.code == "front_end.surge_junction")
    assert found.severity in ("fix", "stop")
    patched = {k: v for k, v in (pins | found.cures[0].patch).items() if v is not None}
    assert "front_end.surge_junction" not in {f.code for f in solve(brief, patched, shelf, USUAL).findings}


@pytest.mark.parametrize("block", ["front_end", "h_bridge"])
def test_the_picture_jumps_then_creeps(block, worked):
    chart = charts(worked, block)[-1]
    assert chart.key == "surge"
    junction, sink = (np.array(s.y) for s in chart.series)
    assert (np.diff(junction) >= -1e-6).all()
    assert (junction > sink).all()
    assert chart.x.high == pytest.approx(worked.brief.power.surge_time)


def test_a_junction_rests_where_heat_made_is_heat_carried_off_or_ends_beyond_its_limit():
    """A resistance that grows with the square of the absolute temperature, by a root finder; twice the heat has no rest."""
    r_jc, sink, air = 0.8, 1.5, 40.0

    def losses(watts):
        return lambda celsius: 2 * (watts * ((celsius + KELVIN) / (25 + KELVIN)) ** 2,)

    def found(watts):
        return hottest_junction("front_end", losses(watts), r_jc, 175.0, air, sink, USUAL, SILENT)

    def off(celsius):
        return air + losses(12.0)(celsius)[0] * (r_jc + USUAL.pad_resistance + sink) - celsius

    assert found(12.0) == pytest.approx(brentq(off, 40, 140), abs=1e-2)
    assert found(60.0) == 175.0 + BEYOND
