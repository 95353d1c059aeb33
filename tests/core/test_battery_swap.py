"""Another battery for a finished design: what its top and bottom touch, old beside new, by hand where it can be worked."""

import pytest

from rhombos.core.benches.battery_swap import TOUCHED, as_built, change_battery
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.design.sources import BatterySource
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.routes import ROUTES
from tests.core.asking import fitting

USUAL = PRESETS["usual"]
LEAD = BatterySource(chemistry="lead-acid", cells=12, capacity=100 * 3600)
LI_ION = BatterySource(chemistry="Li-ion", cells=8, capacity=100 * 3600)
SEVEN = ["cut_off", "over_voltage", "input_capacitors", "fan", "switches", "gate_supply", "turns"]


def of(brief, source):
    return brief.model_copy(update={"sources": (source,)})


@pytest.fixture(scope="module")
def changed(refuge, shelf):
    """Twelve lead-acid cells give way to eight lithium-ion ones; fan and supply were bought for the old battery."""
    pins = {
        "heat.fan_supply": "source",
        "heat.fan_rated": 24,
        "protection.supply_stands": 35,
        "input_stage.capacitor": "CE-35-1000",
        "front_end.switch": "MN-075-4.2m-A",
    }
    worked = work_out(of(refuge, LEAD), pins, shelf, USUAL)
    return worked, change_battery(worked, pins, LI_ION)


def test_all_seven_are_listed_with_old_and_new(changed):
    _, change = changed
    assert [i.key for i in change.items] == SEVEN == [t.key for t in TOUCHED]
    assert change.old == "12 × lead-acid: 21 V empty, 24 V, 29.4 V charging"
    assert change.new == "8 × Li-ion: 24 V empty, 29.6 V, 33.6 V charging"
    for item in change.items:
        assert item.values, item.key
        assert all(v.old and v.new for v in item.values)
        assert item.verdict
        assert item.change


def test_what_does_not_hold_is_said_to(changed):
    """By hand: 33.6 V is above 35 V cans less a fifth, above a 24 V fan's 27.6 V, above 35 V over 1.15, above a limit set for
    29.4 V; twice 33.6 V and a spike are above what 75 V switches may see; a cut-off for 21 V empties cells that end at 24 V."""
    _, change = changed
    fails = {i.key for i in change.items if not i.holds}
    assert fails >= {"cut_off", "over_voltage", "input_capacitors", "fan", "switches", "gate_supply"}
    by_key = {i.key: i for i in change.items}
    assert by_key["cut_off"].severity == "stop"
    assert "24 V" in by_key["cut_off"].verdict
    cut = next(v for v in by_key["cut_off"].values if v.title.startswith("Cut-off, falling"))
    assert cut.old == "21.20 V"
    assert cut.new == "24.20 V"
    limit = by_key["over_voltage"].values[0]
    assert float(limit.old.split()[0]) == pytest.approx(29.4 * 1.04, abs=0.1)
    assert float(limit.new.split()[0]) == pytest.approx(33.6 * 1.04, abs=0.1)


def test_turns_that_saturate_or_fall_short_are_named(refuge, shelf):
    """Wound close for the old battery: at the new top the flux swings beyond the house's limit."""
    worked = work_out(of(refuge, LEAD), {"transformer.primary_turns": 4}, shelf, USUAL)
    change = change_battery(
        worked, {"transformer.primary_turns": 4}, BatterySource(chemistry="Li-ion", cells=13, capacity=100 * 3600)
    )
    turns = next(i for i in change.items if i.key == "turns")
    assert not turns.holds
    down = change_battery(worked, {}, BatterySource(chemistry="LiFePO4", cells=4, capacity=200 * 3600))
    assert not next(i for i in down.items if i.key == "turns").holds, "half the voltage does not reach the output"


def test_the_same_battery_changes_nothing(refuge, shelf):
    worked = work_out(refuge, {}, shelf, USUAL)
    same = change_battery(worked, {}, refuge.source)
    assert all(i.holds or i.verdict.startswith("As before: ") for i in same.items)
    assert all(v.old == v.new for i in same.items for v in i.values)
    assert same.others == ()


@pytest.mark.parametrize("name", [name for name, route in ROUTES.items() if "battery" in route.fed_by])
def test_every_route_takes_another_battery(name, refuge, shelf):
    brief = fitting(name, refuge.but(output={"waveform": ROUTES[name].waveforms[0]}))
    worked = work_out(brief, {}, shelf, USUAL, name)
    cells = LI_ION.cells if brief.source.volts[1] < 60 else round(brief.source.volts[1] / 3.7)
    other = LI_ION.model_copy(update={"cells": cells})
    change = change_battery(worked, {}, other)
    assert [i.key for i in change.items] == SEVEN
    assert all(i.values for i in change.items if i.key not in ("gate_supply", "turns", "fan"))
    kept = solve(of(brief, other), change.kept, shelf, USUAL, name)
    assert {f"{k}.{n}": v for k, b in kept.build.items() for n, v in b.items()} == as_built(worked)


def test_a_pin_that_is_kept_by_hand_is_kept_in_both(changed):
    worked, change = changed
    switch = next(v for i in change.items if i.key == "switches" for v in i.values)
    assert switch.old == switch.new
    assert Brief.model_validate(worked.brief.model_dump()) == worked.brief
