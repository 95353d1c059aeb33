"""Powder rings: an inductance that fades as the current grows."""

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import quad, solve_ivp

from rhombos.core.blocks.wound import choke_of
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.magnetics.choke import (
    LEAST_LEFT,
    WIDE_GAP,
    ChokeNeed,
    choke_from,
    choke_loss,
    design_choke,
    rank_soft_chokes,
)
from rhombos.core.magnetics.stack import rise
from rhombos.core.magnetics_bench.bench import coil_bench
from rhombos.core.parts import Powder

USUAL = PRESETS["usual"]
MU0 = 4e-7 * math.pi
NEED = ChokeNeed(inductance=1e-3, peak=6.0, rms=3.0, ripple=0.8, ripple_rms=0.23, frequency=90e3, air=45.0)


def wound(shelf, turns=90, grade="PS-60"):
    return choke_from(shelf, "R 40/24/16", 1, grade, "W 1", 1, turns, 1e-3)


@pytest.mark.parametrize("amps", [0.0, 1.0, 4.0, 12.0])
def test_inductance_is_the_slope_of_the_flux_linkage(amps, shelf):
    """The permeability of the field integrated to the flux, and its change for a little more current."""
    choke, powder = wound(shelf), shelf.get(Powder, "PS-60")
    core = choke.stack

    def linkage(current):
        field = choke.winding.turns * current / core.l_e
        flux, _ = quad(lambda h: MU0 * powder.mu_i / (1 + (h / powder.h_half) ** powder.softness), 0, field)
        return choke.winding.turns * core.a_e * flux

    step = 1e-3
    slope = (linkage(amps + step) - linkage(max(0.0, amps - step))) / (step + min(amps, step))
    assert choke.inductance_at(amps) == pytest.approx(slope, rel=2e-3)


def test_a_ramp_through_it_steepens_as_the_circuit_says(shelf):
    """A steady voltage: the current grows ever faster, as V/L(i) integrated in time."""
    choke, volts = wound(shelf), 50.0
    found = solve_ivp(lambda t, i: [volts / choke.inductance_at(float(i[0]))], (0, 150e-6), [0.0], rtol=1e-8)
    straight = volts * 150e-6 / choke.inductance_at(0.0)
    assert found.y[0][-1] > 1.3 * straight
    later = np.diff(found.y[0]) / np.diff(found.t)
    assert (np.diff(later) >= -1e-6 * later[:-1]).all()


def test_half_is_left_at_the_field_that_halves_it(shelf):
    choke, powder = wound(shelf), shelf.get(Powder, "PS-60")
    amps = powder.h_half * choke.stack.l_e / choke.winding.turns
    assert choke.left(amps) == pytest.approx(0.5)
    assert choke.inductance_at(amps) == pytest.approx(choke.inductance_at(0.0) / 2)
    assert choke.gap == 0.0


@pytest.mark.parametrize("grade", ["PI-26", "PI-60", "PS-60", "PS-125", "PN-60", "PM-60"])
def test_turns_are_the_least_that_give_the_inductance_under_load(grade, shelf):
    made = design_choke(NEED, {"grade": grade}, shelf, USUAL)
    assert made.inductance_at(NEED.rms) >= NEED.inductance
    fewer = choke_from(shelf, made.stack.core.id, made.stack.sets, grade, made.winding.wire.id, 1, made.winding.turns - 1, 1e-3)
    assert fewer.inductance_at(NEED.rms) < 1.001 * NEED.inductance
    assert made.left(NEED.peak) >= LEAST_LEFT
    assert made.fill <= 1
    assert rise(choke_loss(made, NEED).total, made.stack.surface) <= USUAL.winding_limit - NEED.air


def test_a_pinned_ring_takes_a_powder_since_it_takes_no_gap(shelf):
    made = design_choke(NEED, {"core": "R 50/30/20"}, shelf, USUAL)
    assert made.soft
    assert made.stack.core.id == "R 50/30/20"
    assert not design_choke(NEED, {"grade": "FB-40"}, shelf, USUAL).soft
    assert not design_choke(NEED, {"core": "ETD 49"}, shelf, USUAL).soft


def test_each_ring_is_offered_once_with_its_best_powder(shelf):
    ranked = rank_soft_chokes(NEED, shelf, USUAL, 100)
    stacks = [(c.stack.core.id, c.stack.sets) for c in ranked]
    assert len(set(stacks)) == len(stacks)
    assert all(not c.stack.core.gappable and c.soft for c in ranked)
    sound = [c.fill <= 1.05 and c.left(NEED.peak) >= LEAST_LEFT for c in ranked[:5]]
    assert sum(sound) >= 4


def test_more_current_needs_more_powder(shelf):
    small, large = (design_choke(replace(NEED, peak=6.0 * k, rms=3.0 * k), {"grade": "PS-60"}, shelf, USUAL) for k in (1, 3))
    assert large.stack.v_e > 2 * small.stack.v_e


@pytest.mark.parametrize(("block", "grade"), [("rectifier", "PS-60"), ("output_filter", "PN-60")])
def test_a_design_wound_on_powder_is_explained_and_drawn(block, grade, refuge, shelf):
    pins = {f"{block}.grade": grade}
    worked, solved = work_out(refuge, pins, shelf, USUAL), solve(refuge, pins, shelf, USUAL)
    assert not [f for f in solved.findings if f.block == block and f.severity in ("stop", "fix")]
    assert not [f for f in solved.findings if f.block == block and f.code.endswith("gap")]
    made = choke_of(worked.builds[block], shelf)
    figures = {f.address.partition(".")[2]: f for b in solved.blocks if b.key == block for f in b.figures}
    assert "gap" not in figures
    loaded = next(f for n, f in figures.items() if n.endswith("loaded"))
    assert loaded.value >= worked.builds[block].inductance
    bench = coil_bench(worked, block)
    rings = next(t for t in bench.tables if t.key == "rings")
    here = [o for o in rings.options if o.here]
    assert [o.texts["powder"] for o in here] == [grade]
    assert "no current" in bench.sheet.cautions[0] or "without current" in bench.sheet.cautions[0]
    assert all(r.what != "gap" for r in bench.sheet.rows)
    curve = next(c for c in bench.charts if c.key == "saturation").series[0]
    assert list(curve.y) == sorted(curve.y, reverse=True)
    assert curve.y[0] / curve.y[-1] == pytest.approx(1 / made.left(curve.x[-1]), rel=1e-3)
    for option in rings.options[:3]:
        taken = solve(refuge, option.patch, shelf, USUAL)
        assert not [f for f in taken.findings if f.block == block and f.severity == "stop"]


def test_a_wide_gap_costs_so_that_the_search_turns_to_powder_or_a_larger_core(shelf):
    """A heavy choke in ferrite fringes; free to choose, the search does not take it."""
    heavy = replace(NEED, peak=14.0, rms=6.0)
    free, ferrite = design_choke(heavy, {}, shelf, USUAL), design_choke(heavy, {"grade": "FB-40"}, shelf, USUAL)
    assert free.soft or free.gap / math.sqrt(free.stack.a_e) <= WIDE_GAP
    assert ferrite.gap > 0
    light = replace(NEED, inductance=3e-3, peak=0.5, rms=0.3, ripple=0.1, ripple_rms=0.03)
    made = design_choke(light, {}, shelf, USUAL)
    assert made.soft or made.gap / math.sqrt(made.stack.a_e) <= WIDE_GAP
