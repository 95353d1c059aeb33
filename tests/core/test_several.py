"""Several like transformers for one: what each carries, what they make together, and what is said of it."""

import math

import pytest

from rhombos.core.blocks import transformer
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.magnetics_bench.bench import coil_bench
from rhombos.core.routes import lossy

USUAL = PRESETS["usual"]
WAYS = [(2, "in series"), (4, "in series"), (2, "in parallel"), (3, "in parallel")]


def pins(units, joined):
    return {"transformer.units": units, "transformer.joined": joined}


@pytest.fixture(scope="module", params=WAYS, ids=lambda p: f"{p[0]} {p[1]}")
def several(request, refuge, shelf):
    return work_out(refuge, pins(*request.param), shelf, USUAL)


def test_together_they_are_so_many_single_ones(several, refuge: Brief, shelf):
    """Each assessed alone, with its share of the current, loses its share and stands at the flux of all."""
    build, s = several.builds["transformer"], several.settled["nominal"]
    now = s.states["transformer"]
    alone = build.model_copy(update={"units": 1})
    paths = 1 if build.joined == "in series" else build.units
    one = transformer.assess(
        transformer.WorkingPoint(
            s.v_half,
            s.states["front_end"].duty,
            s.pulse / build.units,
            s.states["rectifier"].winding_pulse / paths,
            several.builds["front_end"].frequency,
            refuge.source.volts[2],
            USUAL.duty_limit,
            now.temperature,
            rising=s.states["front_end"].rising,
        ),
        alone,
        refuge,
        shelf,
        USUAL,
        SILENT,
    )
    assert now.flux == pytest.approx(one.flux)
    assert now.loss == pytest.approx(build.units * one.loss, rel=2e-3)
    assert now.magnetising_together == pytest.approx(build.units * one.magnetising)
    assert now.leakage_together == pytest.approx(one.leakage / build.units)
    # equal shares run as hot as one alone; in parallel the one that takes more runs hotter
    if paths == 1:
        assert now.temperature == pytest.approx(one.temperature, abs=0.1)
    else:
        assert now.temperature > one.temperature + 0.3


def test_their_copper_burns_what_their_joint_resistance_does(several):
    build, s = several.builds["transformer"], several.settled["nominal"]
    now, stage = s.states["transformer"], s.states["front_end"]
    duty = stage.duty - 2 * stage.rising / 3
    primary = 2 * (s.pulse * math.sqrt(duty)) ** 2 * now.primary_together
    secondary = s.states["rectifier"].winding_pulse ** 2 * 2 * duty * now.secondary_together
    assert now.copper == pytest.approx(primary + secondary, rel=2e-3)
    assert build.ratio == pytest.approx(now.ratio)


def test_the_link_is_reached_and_power_balances(several, refuge, shelf):
    one = work_out(refuge, {}, shelf, USUAL)
    ratios = [w.settled["nominal"].states["transformer"].ratio for w in (several, one)]
    assert ratios[0] == pytest.approx(ratios[1], rel=0.05)
    for s in several.settled.values():
        cells = s.states["source"]
        lost = sum(s.states[k].loss for k in lossy(several.route, ("sine",)))
        assert cells.terminal * cells.current == pytest.approx(s.flow["load"] + lost, rel=1e-3)


def test_the_parts_list_counts_them_all(several, shelf):
    build = several.builds["transformer"]
    core = transformer.parts(build, shelf)[0]
    assert core.count == build.units * build.sets


def test_the_bench_offers_cores_for_each_and_keeps_the_number(several):
    bench = coil_bench(several, "transformer")
    here = [o for t in bench.tables if t.key == "cores" for o in t.options if o.here]
    assert len(here) == 1
    assert "transformer.units" not in here[0].patch


@pytest.mark.parametrize("joined", ["in series", "in parallel"])
def test_what_is_said_of_how_they_are_joined(joined, refuge, shelf):
    found = {f.code: f for f in solve(refuge, pins(2, joined), shelf, USUAL).findings}
    assert ("transformer.sharing" in found) == (joined == "in parallel")
    assert ("transformer.series" in found) == (joined == "in series")
    if joined == "in parallel":
        (cure,) = found["transformer.sharing"].cures
        cured = solve(refuge, {k: v for k, v in (pins(2, joined) | cure.patch).items() if v is not None}, shelf, USUAL)
        assert "transformer.sharing" not in {f.code for f in cured.findings}
    assert not {"transformer.series", "transformer.sharing"} & {f.code for f in solve(refuge, {}, shelf, USUAL).findings}
