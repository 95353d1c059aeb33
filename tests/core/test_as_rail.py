"""One design's DC socket as the rail of another."""

from __future__ import annotations

import pytest

from rhombos.core.benches.as_rail import NoRail, as_rail
from rhombos.core.design.brief import Brief, followed
from rhombos.core.design.form import brief_fields
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import record

USUAL = PRESETS["usual"]
SUPPLY = Brief.model_validate(
    {
        "source": {"chemistry": "LiFePO4", "cells": 8, "capacity": "60 Ah", "cable_length": "0.8 m"},
        "output": {"kind": "DC", "voltage": 380, "ripple": "0.5 %", "dip": "3 %"},
        "power": {"continuous": 700, "surge": 1000},
    }
)


@pytest.fixture(scope="module")
def supply(shelf):
    return work_out(SUPPLY, {}, shelf, USUAL)


def test_its_band_holds_what_the_scope_sees_of_the_first_board(supply):
    """At rest with its ripple, and at a step from nothing to full power."""
    rail, bench = as_rail(supply), bench_of(supply)
    rested = record(bench, "as designed", "steady", 6, "source, switched")
    stepped = record(bench, "as designed", "load step", 6, "source, averaged")
    for made in (rested, stepped):
        volts = made.probe(made.edges(made.end / 4, made.end))["output"]
        assert rail.lowest < float(volts.min())
        assert float(volts.max()) < rail.highest
    assert rail.nominal == pytest.approx(380, rel=1e-3)
    assert 0.9 * 380 < rail.lowest < 380 < rail.highest < 1.05 * 380


def test_it_gives_what_the_first_board_was_sized_for(supply):
    rail = as_rail(supply)
    assert rail.limit == pytest.approx(1000 / 380, rel=1e-3)
    assert rail.capacitance > 1e-6
    assert rail.resistance < 1, "a held link hardly falls"


def test_what_nothing_holds_falls_with_its_load(shelf):
    loose = work_out(SUPPLY, {"rectifier.circuit": "bridge, no choke"}, shelf, USUAL)
    rail = as_rail(loose)
    idle, full = (loose.settled[k].states["dc_link"].voltage for k in ("idle", "nominal"))
    climbs = (idle - full) / loose.settled["nominal"].states["load"].current
    assert rail.resistance == pytest.approx(climbs, rel=0.1), "without a load the ring lifts it, with one the leakage lowers it"
    # of the source's own resistance at least what its leads and cells make, stepped up by the square of the voltage
    stepped = (full / loose.settled["nominal"].point.emf) ** 2
    assert rail.resistance > 0.8 * stepped * loose.brief.source.internal_resistance
    assert rail.lowest == pytest.approx(
        min(s.states["dc_link"].voltage - s.states["dc_link"].ripple / 2 for k, s in loose.settled.items() if "surge" not in k),
        rel=0.02)  # fmt: skip


def test_a_bridge_behind_it_is_a_second_board_that_solves_without_a_stop(supply, shelf):
    rail = as_rail(supply)
    second = Brief.model_validate(
        {
            "sources": [rail.model_dump() | {"cable_length": 0.3}],
            "outputs": [{"voltage": 230, "power": {"continuous": 600, "surge": 800}, "loads": ["heater"]}],
        }
    )
    told = solve(second, {}, shelf, USUAL, "direct bridge")
    assert {f.severity for f in told.findings} <= {"watch", "note", "fix"}
    assert "stop" not in {f.severity for f in told.findings}
    both = solve(second.but(power={"continuous": 2000, "surge": 2000}), {}, shelf, USUAL, "direct bridge")
    assert "source.cannot_give_low" in {f.code for f in both.findings}, "more than the first board gives"


def test_what_gives_no_rail_says_why(refuge, shelf):
    with pytest.raises(NoRail, match="230 V 50 Hz sine; only a DC socket"):
        as_rail(work_out(refuge, {}, shelf, USUAL))
    high = SUPPLY.but(output={"voltage": 1200}, power={"continuous": 300, "surge": 300})
    with pytest.raises(NoRail, match="above the allowed"):
        as_rail(work_out(high, {}, shelf, USUAL))


def test_a_figure_of_ones_own_makes_it_a_rail_of_ones_own(supply):
    of = {"design": "some", "revision": 3, "name": "First board"}
    source = as_rail(supply).model_dump() | {"of": of}
    raw = {"sources": [source], "outputs": [{}]}
    brief = Brief.model_validate(raw)
    assert "rail of First board" in brief.source.name
    assert "sources.0.of" not in {f.address for f in brief_fields(brief)}
    assert followed(raw, "sources.0.cable_length")[0]["sources"][0]["of"] == of
    assert "of" not in followed(raw, "sources.0.limit")[0]["sources"][0]
