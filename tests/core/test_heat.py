"""Heat and insulation: energy balances of the air, the thermistor, what pads and paths must stand."""

import math

import pytest

from rhombos.core.blocks import heat as block
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.parts.insulation import creepage
from rhombos.core.plots import charts
from rhombos.core.routes.auxiliary import heat

USUAL = PRESETS["usual"]


@pytest.fixture(scope="module")
def need(worked):
    return heat.need_of(worked)


def test_all_heat_is_made_inside(need, worked):
    state = worked.settled["low"]
    lost = state.flow["source"] - state.flow["load"]
    assert need.inside >= lost
    assert need.inside < 0.2 * worked.brief.power.continuous


def test_the_junction_of_each_stage_rides_on_its_sink(need, worked):
    for stage in need.stages:
        assert need.room < stage.sink < stage.case < stage.junction < stage.rating
        # what the chip itself loses crosses to the sink: at least its share of the stage, at most all of it
        across = stage.junction - stage.sink
        assert 0 < across < 60


def test_air_blown_through_carries_what_its_heat_capacity_allows(need, worked):
    """Mass flow and specific heat of air at sea level, as any table has them."""
    build = worked.builds["heat"]
    assert build.case == block.BLOWN
    mass = build.airflow * 1.18
    assert worked.settled["nominal"].states["heat"].rise == pytest.approx(need.inside / (mass * 1005), rel=0.01)


def test_a_thermistor_is_read_back_from_its_tap(worked):
    build, state = worked.builds["heat"], worked.settled["nominal"].states["heat"]
    for tap, celsius in ((state.on_tap, build.fan_on), (state.off_tap, build.fan_off), (state.hot_tap, build.hot)):
        ohms = build.pull_up * tap / (2.5 - tap)
        kelvin = 1 / (1 / 298.15 + math.log(ohms / build.ntc) / build.ntc_b)
        assert kelvin - 273.15 == pytest.approx(celsius, abs=0.01)
    assert state.off_tap > state.on_tap > state.hot_tap


def test_the_error_of_a_temperature_is_that_of_its_parts(worked):
    build, state = worked.builds["heat"], worked.settled["nominal"].states["heat"]

    def read(ohms):
        return 1 / (1 / 298.15 + math.log(ohms / build.ntc) / build.ntc_b)

    ohms = build.ntc * math.exp(build.ntc_b * (1 / (build.hot + 273.15) - 1 / 298.15))
    assert state.error == pytest.approx(read(ohms * 0.93) - read(ohms), rel=0.08)


def test_what_a_person_can_reach_asks_for_a_barrier(need, worked):
    inside = worked.builds["heat"]
    touched = inside.model_copy(update={"sink": block.EARTHED})
    bridge = next(s for s in need.stages if s.key == "h_bridge")
    assert block.proof_wanted(inside, bridge, need) == pytest.approx(2 * bridge.tab)
    assert block.proof_wanted(touched, bridge, need) == pytest.approx(230 + 1200), "basic insulation towards an earthed sink"
    front = next(s for s in need.stages if s.key == "front_end")
    shared = inside.model_copy(update={"shared": True})
    assert block.proof_wanted(shared, front, need) == pytest.approx(2 * (230 + 1200)), (
        "one pad then stands between battery and link"
    )


@pytest.mark.parametrize(("volts", "millimetres"), [(50, 1.2), (250, 2.5), (400, 4.0), (800, 8.0), (3200, 32.0)])
def test_creepage_follows_the_table(volts, millimetres):
    assert creepage(volts) == pytest.approx(1e-3 * millimetres)
    assert creepage(volts, reinforced=True) == pytest.approx(2e-3 * millimetres)
    assert creepage(volts * 0.99) < creepage(volts * 1.01)


def test_a_closed_case_is_warmer_the_smaller_it_is(refuge, shelf):
    rises = []
    for surface in ("30 dm2", "60 dm2", "120 dm2"):
        worked = work_out(refuge, {"heat.case": "closed", "heat.surface": surface}, shelf, USUAL)
        rises.append(worked.settled["nominal"].states["heat"].rise)
    assert rises[0] / rises[2] == pytest.approx(4)
    assert rises[0] > rises[1] > rises[2]


def test_the_pictures_end_at_the_junctions(worked, need):
    ladder, path = charts(worked, "heat")
    assert {r.label for r in ladder.rungs} >= {"Fan on", "Too hot", "room"}
    assert [round(s.y[-1]) for s in path.series] == [round(s.junction) for s in need.stages]
    assert path.x.names == ("room", "inside", "heat-sink", "case", "junction")


def test_a_hotter_room_brings_a_fan_or_a_finding(refuge, shelf):
    hot = refuge.model_copy(update={"targets": refuge.targets.model_copy(update={"ambient": 60})})
    found = {f.code for f in solve(hot, {}, shelf, USUAL).findings if f.severity == "stop"}
    assert not {c for c in found if c.startswith("heat.")}
