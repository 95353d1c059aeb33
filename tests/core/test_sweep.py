"""Random briefs over every route: what must hold for each, held for a fixed handful; `./rhombos sweep` holds thousands."""

import pytest
from benchmarks.sweep import case_at, judge

from rhombos.core.rules import PRESETS

SEED = 11


@pytest.mark.parametrize("part", range(4))
def test_what_must_hold_holds_for_random_briefs(part, shelf):
    broken = []
    for index in range(8 * part, 8 * part + 8):
        case = case_at(index, SEED)
        outcome = judge(case, index % 4 == 0, shelf, PRESETS["usual"])
        broken += [f"{case.told()}: {law}" for law in outcome.broken]
    assert not broken, "\n".join(broken)
