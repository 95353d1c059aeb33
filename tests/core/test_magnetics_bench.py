"""The magnetics bench: its choices are what the design would become, its drawing is its sheet, its tools answer by physics."""

import math

import numpy as np
import pytest
from pydantic import ValidationError
from scipy.integrate import solve_ivp
from scipy.optimize import minimize_scalar

from rhombos.core.blocks import iron_transformer, transformer
from rhombos.core.blocks.wound import choke_of
from rhombos.core.book import magnetics as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.magnetics.stack import stack_table
from rhombos.core.magnetics.transformer import MOST_TURNS
from rhombos.core.magnetics_bench import COILS, coil_bench
from rhombos.core.magnetics_bench.inductor import SHOWN
from rhombos.core.magnetics_bench.overload import minutes_to_limit
from rhombos.core.magnetics_bench.sheet import cut_length, hipot_voltage
from rhombos.core.magnetics_bench.tools import OneTurn, Salvaged, UnknownCore, one_turn, salvaged, unknown_core
from rhombos.core.magnetics_bench.transformer import optimum_flux
from rhombos.core.units.quantities import fmt

USUAL = PRESETS["usual"]
KINDS = [("push-pull link", "sine"), ("full-bridge link", "modified"), ("iron push-pull", "modified"), ("iron bridge", "sine")]


def with_wave(brief: Brief, wave: str) -> Brief:
    return brief.but(output={"waveform": wave})


@pytest.fixture(scope="module", params=KINDS, ids=[k[0] for k in KINDS])
def wound(request, refuge, shelf):
    name, wave = request.param
    worked = work_out(with_wave(refuge, wave), {}, shelf, USUAL, name)
    return worked, [coil_bench(worked, k) for k in worked.builds if k in COILS]


def table(bench, key):
    return next(t for t in bench.tables if t.key == key)


def test_every_wound_part_has_its_bench_and_nothing_else_has(wound):
    worked, benches = wound
    assert {b.block for b in benches} == set(worked.builds) & set(COILS)
    assert coil_bench(worked, "source") is None


def test_each_table_marks_one_present_choice_and_every_option_has_its_columns(wound):
    for bench in wound[1]:
        stacks = {"cores", "rings"}  # an inductor is on one of either
        assert sum(o.here for t in bench.tables if t.key in stacks for o in t.options) == 1
        for t in bench.tables:
            assert t.key in stacks or sum(o.here for o in t.options) == 1, (bench.block, t.key)
            for o in t.options:
                assert {c.name for c in t.columns} <= set(o.texts)
                assert o.fits is (o.why == "")
                assert o.patch


def test_what_fits_comes_first(wound):
    for bench in wound[1]:
        fits = [o.fits for o in table(bench, "cores").options if not o.here]
        assert fits == sorted(fits, reverse=True)
        assert fits[0]


def test_a_core_that_nobody_would_propose_is_still_shown_as_the_present_one(refuge, shelf):
    worked = work_out(refuge, {"transformer.core": "R 102/65.8/25"}, shelf, USUAL)
    options = table(coil_bench(worked, "transformer"), "cores").options
    assert [o.name for o in options if o.here] == ["R 102/65.8/25"]


@pytest.fixture(scope="module")
def bench(worked):
    return coil_bench(worked, "transformer")


def test_the_present_turns_show_the_figures_of_the_design(bench, solution):
    here = next(o for o in table(bench, "turns").options if o.here)
    figures = {f.address: f.text for b in solution.blocks for f in b.figures}
    assert here.texts["flux"] == figures["transformer.worst_flux"]
    assert here.texts["core"] == figures["transformer.core"]
    assert here.texts["copper"] == figures["transformer.copper"]


def test_a_turn_more_lowers_the_flux_in_proportion(bench, worked):
    build = worked.builds["transformer"]
    for o in table(bench, "turns").options:
        n = int(o.name.split(" : ")[0])
        assert float(o.texts["flux"].split()[0]) == pytest.approx(
            1e3 * worked.settled["high"].states["transformer"].worst_flux * build.primary_turns / n, rel=6e-3
        )


def test_taking_an_option_makes_the_design_it_promised(bench, refuge, shelf):
    """The bench judges a neighbour at the present currents; the design then settles on its own: close, not equal."""
    for o in table(bench, "turns").options:
        if not o.fits:
            continue
        found = solve(refuge, o.patch, shelf, USUAL)
        figures = {f.address: f for b in found.blocks for f in b.figures}
        assert figures["transformer.worst_flux"].text == o.texts["flux"]
        assert figures["transformer.primary_turns"].text == o.name.split(" : ")[0]


def test_a_core_that_fits_can_be_taken_without_a_stop(bench, refuge, shelf):
    for o in table(bench, "cores").options[:5]:
        found = solve(refuge, o.patch, shelf, USUAL)
        assert [f.code for f in found.findings if f.severity == "stop" and f.block == "transformer"] == []


def test_the_search_looks_at_every_stack_of_the_shelf(shelf, worked):
    from rhombos.core.magnetics.transformer import rank_transformers
    from rhombos.core.magnetics_bench.transformer import transformer_need

    table_size = len(stack_table(shelf).rows)
    ranked = rank_transformers(transformer_need(worked), shelf, USUAL, table_size + 10)
    assert len({(t.stack.core.id, t.stack.sets) for t in ranked}) == table_size
    assert max(t.primary.turns for t in ranked) <= MOST_TURNS


def test_interleaving_quarters_the_leakage_and_doubles_the_capacitance(worked, shelf):
    build = worked.builds["transformer"]
    plain, mixed = (transformer.made(build.model_copy(update={"interfaces": p}), shelf) for p in (1, 2))
    # the primary's halves leak towards each other however they are interleaved
    across = [t.leakage - t.half_leakage for t in (plain, mixed)]
    assert across[0] / across[1] == pytest.approx(4, rel=0.25)
    capacitance = [
        book.winding_capacitance(eps_r=3.3, b_w=t.stack.b_w, MLT=t.stack.mlt, interfaces=t.interfaces, h_ins=150e-6)
        for t in (plain, mixed)
    ]
    assert capacitance[1] == pytest.approx(2 * capacitance[0])
    area = plain.stack.b_w * plain.stack.mlt
    assert capacitance[0] == pytest.approx(3.3 * 8.854e-12 * area / 150e-6, rel=1e-3)


def test_the_drawing_has_the_wires_of_the_sheet(wound):
    worked, benches = wound
    for b in benches:
        if b.block == "controller":  # wound elsewhere, on a ring of its own
            continue
        build = worked.builds[b.block]
        rows = [r for r in b.sheet.rows if r.turns]
        counted = {"primary": 0, "secondary": 0}
        for r in rows:
            wires = sum(int(x) for x in r.in_hand.split(" + "))
            counted["secondary" if r.what.startswith("secondary") else "primary"] += int(r.turns) * wires
        for role, count in counted.items():
            drawn = [x for x in b.sheet.window.boxes if x.role == role]
            if all(x.round for x in drawn):
                assert len(drawn) == count, (b.block, role)
            else:  # too fine to draw one by one: bands of the same area
                outer = min(x.height for x in drawn)
                assert sum(x.width for x in drawn) / outer == pytest.approx(count, rel=0.02)
        made = choke_of(build, worked.shelf) if b.sheet.phasing is None else None
        turns = [int(r.turns) for r in rows]
        assert set(turns) == ({made.winding.turns} if made else {build.primary_turns, build.secondary_turns})


def test_the_copper_of_the_sheet_is_the_copper_of_the_design(wound):
    worked, benches = wound
    for b in benches:
        if b.sheet.phasing is None or b.block == "controller":
            continue
        source = transformer if b.block == "transformer" else iron_transformer
        made = source.made(worked.builds[b.block], worked.shelf)
        told = sum(float(r.mass.split()[0]) for r in b.sheet.rows if r.mass)
        assert told == pytest.approx(made.copper_mass, rel=0.06)  # rows are rounded to two digits


def test_layers_on_the_sheet_fill_the_height_of_the_design(wound):
    worked, benches = wound
    for b in benches:
        if b.block == "transformer":
            made = transformer.made(worked.builds[b.block], worked.shelf)
            assert {c.name: c.text for c in b.sheet.checks}["Window height in use"] == fmt(made.fill, "%", 2)


def test_wire_is_cut_long_enough_for_its_turns_and_leads(worked, shelf):
    made = transformer.made(worked.builds["transformer"], shelf)
    bare = made.secondary.turns * made.stack.mlt
    assert bare + 0.3 < cut_length(made.secondary, made.stack.mlt) < 1.2 * bare + 0.4


@pytest.mark.parametrize(("working", "volts"), [(60, 1200), (375, 1800), (400, 1800), (401, 1900)])
def test_the_test_voltage_is_twice_the_working_one_and_a_thousand(working, volts):
    assert hipot_voltage(working) == volts


def test_the_least_loss_stands_where_copper_is_half_beta_times_the_core(worked, shelf):
    state, build = worked.settled["nominal"].states["transformer"], worked.builds["transformer"]
    from rhombos.core.parts import Grade

    beta = shelf.get(Grade, build.grade).beta
    best = minimize_scalar(lambda x: state.core * x**beta + state.copper / x**2, bounds=(0.2, 5), method="bounded").x
    assert state.copper / best**2 == pytest.approx(beta / 2 * state.core * best**beta, rel=1e-4)
    drawn = optimum_flux(worked)
    x, y = np.array(drawn.series[0].x), np.array(drawn.series[0].y)
    assert x[np.argmin(y)] / 1e3 == pytest.approx(best * state.flux, rel=0.05)


def test_the_schools_ask_what_their_formulas_do(bench, worked):
    product, root, _ = bench.schools
    state = worked.settled["nominal"].states["transformer"]
    power = worked.settled["nominal"].flow["transformer"]
    front = worked.builds["front_end"].frequency
    hand = power * (math.sqrt(2) + 1) / (4 * USUAL.window_fill * state.flux * front * USUAL.current_density)
    assert product.asks == fmt(hand, "m^4")
    assert root.asks == fmt(0.1e-4 * math.sqrt(600 / 0.88), "m^2")


def test_more_turns_on_a_gapped_choke_widen_its_gap_and_lower_its_flux(refuge, shelf):
    worked = work_out(refuge, {"output_filter.grade": "FW-60"}, shelf, USUAL)
    options = table(coil_bench(worked, "output_filter"), "turns").options
    flux, gap = ([float(o.texts[k].split()[0]) for o in options] for k in ("flux", "gap"))
    assert flux == sorted(flux, reverse=True)
    assert gap == sorted(gap)
    assert len(table(coil_bench(worked, "output_filter"), "cores").options) <= SHOWN


def test_equal_copper_means_equal_copper(bench, worked, shelf):
    made = transformer.made(worked.builds["transformer"], shelf)
    for key, present in (("primary_wire", made.primary), ("secondary_wire", made.secondary)):
        for o in table(bench, key).options:
            assert 0.79 < float(o.texts["section"].split()[0]) * 1e-6 / present.copper < 1.36


def test_one_turn_tells_the_whole_numbers_beside_the_exact_one():
    found = one_turn(OneTurn(volts_per_turn=3.1, wanted=24))
    assert found.exact == pytest.approx(7.742, abs=1e-3)
    assert "7 turns give 21.7 V, −9.6% " in found.choices[0]
    assert "8 turns give 24.8 V, +3.3% " in found.choices[1]
    assert "too coarse" in found.remark


def test_an_unknown_core_is_found_from_what_was_measured():
    """A core of μ 2300, 125 mm², 95 mm that saturates at 0.4 T, measured as a person would."""
    mu, area, path, turns, sat = 2300, 125e-6, 95e-3, 10, 0.40
    inductance = 4e-7 * math.pi * mu * area * turns**2 / path
    knee = 12 / (4 * sat * turns * area)  # the flux of a square wave peaks a quarter period's volt-seconds from zero
    found = unknown_core(UnknownCore(area=area, path=path, turns=turns, inductance=inductance, volts=12, knee_frequency=knee))
    assert found.permeability == pytest.approx(mu, rel=1e-6)
    assert found.knee == pytest.approx(sat, rel=1e-9)
    assert found.family == "power ferrite"
    assert found.usable < sat


@pytest.mark.parametrize(
    ("mu", "sat", "family"),
    [
        (75, 1.0, "gapped or powder"),
        (10_000, 0.35, "high-permeability ferrite"),
        (6000, 1.4, "iron or nanocrystalline strip"),
    ],
)
def test_families_are_told_apart(mu, sat, family):
    area, path, turns = 1e-4, 0.1, 20
    found = unknown_core(
        UnknownCore(
            area=area,
            path=path,
            turns=turns,
            inductance=4e-7 * math.pi * mu * area * turns**2 / path,
            volts=10,
            knee_frequency=10 / (4 * sat * turns * area),
        )
    )
    assert found.family == family


def test_a_salvaged_core_is_judged_by_its_area_product_and_flux(shelf):
    asked = Salvaged(area=178e-6, window=190e-6, path=97e-3, frequency=40e3, volts=14.7)
    found = salvaged(asked, shelf)
    hand = 4 * 0.3 * 0.15 * 40e3 * 4.5e6 * 178e-6 * 190e-6 / (1 + math.sqrt(2))
    assert found.power == pytest.approx(hand)
    assert 14.7 * 0.45 / (2 * found.turns * 178e-6 * 40e3) <= 0.15
    assert salvaged(asked.model_copy(update={"area": 356e-6}), shelf).power == pytest.approx(2 * hand)


@pytest.mark.parametrize("bad", [{"volts_per_turn": 0, "wanted": 24}, {"volts_per_turn": 3, "wanted": 9e9}, {"wanted": 24}])
def test_a_silly_test_turn_is_refused(bad):
    with pytest.raises(ValidationError):
        OneTurn(**bad)


def test_an_overload_heats_as_an_ode_says():
    """One lump of heat capacity warmed from rated load, integrated to the limit."""
    copper, core, rise, allowed, capacity = 60.0, 10.0, 45.0, 70.0, 3500.0
    share = np.array([1.5, 2.0, 3.0])
    found = minutes_to_limit(share, copper, core, rise, allowed, capacity)
    for s, t in zip(share, found, strict=True):

        def warming(_, x, s=s):
            return [(copper * s**2 + core - x[0] * (copper + core) / rise) / capacity]

        def reached(_, x):
            return x[0] - allowed

        reached.terminal = True
        run = solve_ivp(warming, (0, 1e5), [rise], events=reached, rtol=1e-9, atol=1e-9)
        assert t == pytest.approx(run.t_events[0][0], rel=1e-5)
    assert np.isinf(minutes_to_limit(np.array([1.0]), copper, core, rise, allowed, capacity)[0])


def test_iron_bears_an_overload_for_minutes_and_ferrite_for_less(refuge, shelf, worked):
    iron = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    curves = {
        k: next(c for c in coil_bench(w, k).charts if c.key == "overload")
        for w, k in ((worked, "transformer"), (iron, "iron_transformer"))
    }

    # the same multiple of the load: the heavier part lasts longer
    def lasts(chart):
        s = chart.series[0]
        return np.interp(-2.5 * 600, -np.array(s.y) * (1e3 if chart.y.unit == "kW" else 1), s.x)

    assert lasts(curves["iron_transformer"]) > 60
    assert all(c.series[0].x == tuple(sorted(c.series[0].x)) for c in curves.values())
