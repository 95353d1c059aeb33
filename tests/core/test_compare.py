"""The comparison of routes: figures that are each design's own, a fair ranking, reasons that hold."""

import math
from typing import get_args

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rhombos.core.benches.compare import QUALITIES, Weights, compare, rank
from rhombos.core.benches.load_compatibility import judge
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import AcWave
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.inventory import gather
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.parts import Capacitor, Diode, Fuse, Mosfet
from rhombos.core.plots.pareto import pareto
from rhombos.core.routes import ROUTES
from rhombos.demo.designs import DEMO
from tests.core.asking import written_short

USUAL = PRESETS["usual"]
BOAT = "b6a1f2d0-0000-4000-8000-000000000003"


@pytest.fixture(scope="module")
def compared(refuge, shelf):
    return compare(refuge, shelf, USUAL)


def only(**weight):
    return Weights(**(dict.fromkeys(QUALITIES, 0) | weight))


def test_every_route_with_every_wave_it_makes_is_there_once(compared, refuge):
    found = [(r.route, r.waveform) for r in compared.rows]
    every = [(n, w) for n, route in ROUTES.items() for w in route.waveforms if w in get_args(AcWave)]
    here = [(n, w) for n, w in every if n != "direct bridge" and refuge.source.kind in ROUTES[n].fed_by]
    assert sorted(found) == sorted(here), "24 V make no 230 V without a transformer, and nothing that a rectifier stands on"


def test_a_row_is_what_its_design_is(compared, refuge, shelf):
    row = next(r for r in compared.rows if (r.route, r.waveform) == ("full-bridge link", "sine"))
    design = solve(refuge, {}, shelf, USUAL, "full-bridge link")
    assert row.efficiency == pytest.approx(design.totals.efficiency)
    assert row.idle == pytest.approx(design.totals.idle)
    tightest = min(1 - f.stress / f.house for b in design.blocks for f in b.figures if f.stress is not None)
    assert row.margin == pytest.approx(tightest)


def test_part_load_efficiency_is_that_of_the_same_build_asked_for_less(compared, refuge, shelf):
    row = next(r for r in compared.rows if (r.route, r.waveform) == ("push-pull link", "sine"))
    full = work_out(refuge, {}, shelf, USUAL)
    pins = {f"{block}.{name}": value for block, b in full.builds.items() for name, value in b.pinnable().items()}
    less = refuge.but(power={"continuous": 300.0, "surge": 600.0})
    assert row.half == pytest.approx(solve(less, pins, shelf, USUAL).totals.efficiency, rel=2e-3)


def test_iron_weighs_ten_times_what_ferrite_does(compared):
    mass = {r.route: r.mass for r in compared.rows}
    assert mass["iron bridge"] > 5 * mass["push-pull link"]
    assert all(0 < r.copper < r.mass for r in compared.rows)


def test_the_ranking_is_by_score_and_what_is_ruled_out_comes_last(compared):
    able = [r for r in compared.rows if not r.out]
    assert [r.score for r in able] == sorted((r.score for r in able), reverse=True)
    assert all(0 <= r.score <= 1 for r in able)


@pytest.mark.parametrize(
    ("quality", "best"),
    [
        ("mass", lambda r: r.mass),
        ("cost", lambda r: r.cost),
        ("idle", lambda r: r.idle),
        ("efficiency", lambda r: -(r.efficiency + r.half + r.tenth)),
        ("quiet", lambda r: -r.quiet),
    ],
)
def test_one_weight_alone_ranks_by_that_quality(compared, quality, best):
    ranked = [r for r in rank(list(compared.rows), only(**{quality: 5})).rows if not r.out]
    assert best(ranked[0]) == pytest.approx(min(best(r) for r in ranked))
    assert ranked[0].score == pytest.approx(1)


@given(st.permutations(range(13)), st.fixed_dictionaries({q: st.integers(0, 10) for q in QUALITIES}))
@settings(max_examples=25, deadline=None)
def test_the_order_asked_in_does_not_matter(compared, order, weights):
    rows = list(compared.rows)
    shuffled = rank([rows[i] for i in order], Weights(**weights))
    assert [r.title for r in shuffled.rows] == [r.title for r in rank(rows, Weights(**weights)).rows]


def test_no_row_on_the_front_is_beaten_in_all_three_and_each_other_is(compared):
    def measures(r):
        return r.lost, r.mass, r.cost

    able = [r for r in compared.rows if not r.out]
    for row in able:
        beaten = any(
            all(a <= b for a, b in zip(measures(o), measures(row), strict=True)) and measures(o) != measures(row) for o in able
        )
        assert row.pareto is not beaten


def test_a_compressor_rules_stepped_waves_out_and_says_why(shelf):
    rows = compare(DEMO[BOAT].brief, shelf, USUAL).rows
    for row in rows:
        refused = [j for j in row.loads if j.verdict == "refuses"]
        assert row.out is (row.waveform != "sine")
        assert bool(refused) is (row.waveform != "sine")
        if refused:
            assert any("compressor" in reason for reason in row.against)


def test_a_sine_brief_ranks_a_sine_first(compared):
    assert compared.rows[0].waveform == "sine"


def test_a_brief_nobody_can_meet_leaves_reasons_and_no_picture_to_mislead(refuge, shelf):
    content = written_short(refuge)
    content["source"] |= {"cells": 3, "resistance": 0.5}
    content["power"] |= {"continuous": 3000, "surge": 3000}
    found = compare(Brief.model_validate(content), shelf, USUAL)
    assert all(r.out and r.against for r in found.rows)
    assert pareto(found).dots == ()
    assert "No route" in pareto(found).remark


def test_the_picture_numbers_what_the_list_numbers(compared):
    drawn = pareto(compared)
    able = [r for r in compared.rows if not r.out]
    assert [d.label for d in drawn.dots] == [str(n) for n in range(1, len(able) + 1)]
    assert [d.x for d in drawn.dots] == pytest.approx([r.cost for r in able], rel=1e-5)
    for axis, values in ((drawn.x, [d.x for d in drawn.dots]), (drawn.y, [d.y for d in drawn.dots])):
        assert axis.low < min(values) < max(values) < axis.high
        assert axis.low_told
        assert axis.high_told


def test_the_parts_list_counts_every_switch_diode_and_can(worked, shelf):
    stock = gather(b.parts(worked.builds[b.key], shelf) for b in worked.path)
    builds = worked.builds
    by_what = {i.what: i for i in stock.items}
    assert by_what["front-end switch"].count == 2 * builds["front_end"].parallel
    assert by_what["bridge switch"].count == 4 * builds["h_bridge"].parallel
    assert by_what["rectifier diode"].count == 4
    assert by_what["input capacitor"].count == builds["input_stage"].count
    price = (
        2 * builds["front_end"].parallel * shelf.get(Mosfet, builds["front_end"].switch).price
        + 4 * shelf.get(Diode, builds["rectifier"].diode).price
        + shelf.get(Fuse, builds["input_stage"].fuse).price
        + builds["dc_link"].count * shelf.get(Capacitor, builds["dc_link"].capacitor).price
    )
    part = sum(
        i.price * i.count
        for i in stock.items
        if i.what in ("front-end switch", "rectifier diode", "input fuse", "link capacitor")
    )
    assert part == pytest.approx(price)
    assert stock.cost > price


def test_copper_weighs_its_length_times_section(worked, shelf):
    build = worked.builds["output_filter"]
    stock = gather(b.parts(worked.builds[b.key], shelf) for b in worked.path)
    wire = next(i for i in stock.items if i.what == "filter inductor")
    from rhombos.core.blocks.wound import choke_of

    made = choke_of(build, shelf)
    section = math.pi / 4 * made.winding.wire.strand**2 * made.winding.wire.strands * build.in_hand
    assert wire.copper == pytest.approx(build.turns * made.stack.mlt * section * 8960, rel=1e-9)


@pytest.mark.parametrize(
    ("load", "wave", "crest", "verdict"),
    [
        ("lamp", "square", 1.0, "suits"),
        ("heater", "modified", 1.41, "suits"),
        ("adapter", "modified", 1.41, "suits"),
        ("adapter", "square", 1.0, "bears"),
        ("instrument", "modified", 1.41, "bears"),
        ("instrument", "square", 1.0, "refuses"),
        ("fan", "modified", 1.41, "bears"),
        ("compressor", "modified", 1.41, "refuses"),
        ("compressor", "sine", 1.414, "suits"),
    ],
)
def test_loads_are_judged_as_practitioners_do(load, wave, crest, verdict):
    found = judge(load, wave, crest, 0.02)
    assert found.verdict == verdict
    assert len(found.reason) > 10


def test_a_wandering_output_troubles_even_a_lamp():
    assert judge("lamp", "square", 1.0, 0.14).verdict == "bears"
    assert "14%" in judge("lamp", "square", 1.0, 0.14).reason
