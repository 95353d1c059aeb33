"""Random briefs over every route: what must hold for each, held for a fixed handful; `./rhombos sweep` holds thousands."""

import pytest
from benchmarks.sweep import case_at, judge, natural_growth
from scipy.optimize import brentq

from rhombos.core.rules import PRESETS
from rhombos.core.solve import work_out

SEED, BRIEFS, PARTS = 11, 210, 14
"""Of the briefs, and into how many tests they fall."""
ONCE_BROKEN = ((2026112803, 621), (20261205, 22), (4242, 1012), (4242, 1032), (4242, 1204),
               (20261203, 999), (20261203, 2218), (20261203, 2470),
               (20261202, 1294), (20261202, 1873), (20261202, 2420), (20261128, 730),
               (20261201, 1390), (20261201, 1640), (20261201, 2770), (1127, 10), (1127, 1320), (1127, 1740), (1127, 2021),
               (1127, 2652), (1127, 2680), (1127, 2944), (31, 825))
"""Seeds and numbers of briefs at which rounds went to and fro, an estimate fell short of what is judged, or the shelf had a
gap."""
ONCE_APART = ((20261203, 1512), (20271, 100), (20261128, 1312), (31, 45), (31, 225))
"""Those at which sheet and scope stood apart: pulses at the crest of a weak battery, diodes that turn a wave about."""


@pytest.mark.parametrize("part", range(PARTS))
def test_what_must_hold_holds_for_random_briefs(part, shelf):
    broken = []
    for index in range(part, BRIEFS, PARTS):
        case = case_at(index, SEED)
        outcome = judge(case, index % 10 == 0, shelf, PRESETS["usual"], index % 20 == 7)
        broken += [f"{case.told()}: {law}" for law in outcome.broken]
    assert not broken, "\n".join(broken)


@pytest.mark.parametrize(("seed", "index"), ONCE_BROKEN)
def test_briefs_that_once_broke_a_law_keep_it(seed, index, shelf):
    outcome = judge(case_at(index, seed), index % 10 == 0, shelf, PRESETS["usual"])
    assert outcome.broken == []


@pytest.mark.parametrize(("seed", "index"), ONCE_APART)
def test_sheet_and_scope_that_once_stood_apart_agree(seed, index, shelf):
    outcome = judge(case_at(index, seed), False, shelf, PRESETS["usual"], scope=True)
    assert outcome.broken == []


def test_what_a_neighbour_may_lose_more_is_what_the_current_through_the_same_resistance_says(refuge, shelf):
    worked = work_out(refuge, {}, shelf, PRESETS["usual"], "iron bridge")
    now = worked.settled["nominal"]
    volts, current, power = now.point.emf, now.states["battery"].current, now.flow["load"]
    resistance = (volts * current - power) / current**2

    def drawn(watts):
        return brentq(lambda i: volts * i - resistance * i**2 - watts, 0, volts / (2 * resistance))

    assert natural_growth(worked, 1.001) == pytest.approx(1 - (current / drawn(1.001 * power)) ** 2, rel=5e-3)
