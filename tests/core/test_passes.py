"""How a point's passes come to rest: against linear algebra, and what no guess may become."""

from dataclasses import dataclass, replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rhombos.core.routes.passes import CALM, FORESEEN, FURTHEST, MOST_PASSES, Passes, calmed, foreseen


@dataclass(frozen=True)
class Guess:
    """Two numbers and a word."""

    volts: float
    amps: float
    note: str = ""


def passed(law: np.ndarray, rest: np.ndarray, guess: Guess) -> Guess:
    """What a pass makes of a guess: as far from the rest as the law says."""
    volts, amps = rest + law @ (np.array([guess.volts, guess.amps]) - rest)
    return Guess(float(volts), float(amps), guess.note + "|")


REST = np.array([25.0, 40.0])


@pytest.mark.parametrize("law", [[[0.3, 0.1], [-0.2, 0.4]], [[-0.8, 0.05], [0.3, 0.6]], [[0.0, 0.9], [-0.9, 0.0]]])
def test_of_two_figures_that_depend_on_each_other_in_line_three_passes_tell_the_rest(law):
    guess, past = Guess(24.0, 43.0), []
    for _ in range(3):
        after = passed(np.array(law), REST, guess)
        past.append((guess, after))
        guess = after
    found = foreseen(past)
    assert [found.volts, found.amps] == pytest.approx(REST, rel=1e-6)
    assert found.note == "|||", "what is no number is as the last pass left it"


@given(*(st.floats(-0.99, 0.99) for _ in range(4)), st.floats(1e-3, 1e3), st.floats(1e-3, 1e3))
def test_no_figure_is_foreseen_to_turn_its_sign_or_to_leap(a, b, c, d, volts, amps):
    law, guess, past = np.array([[a, b], [c, d]]), Guess(volts, amps), []
    for _ in range(3):
        after = passed(law, REST, guess)
        past.append((guess, after))
        guess = after
    found = foreseen(past)
    for ahead, last in ((found.volts, after.volts), (found.amps, after.amps)):
        assert min(last / FURTHEST, last * FURTHEST) <= ahead <= max(last / FURTHEST, last * FURTHEST)


@pytest.mark.parametrize(("turn", "share"), [(0, 1.0), (13, 1.0), (14, 0.5), (30, 0.25), (60, 0.1), (MOST_PASSES - 1, 0.1)])
def test_passes_go_part_of_the_way_the_more_of_them_there_were(turn, share):
    found = calmed(Guess(10.0, -2.0, "before"), Guess(20.0, 2.0, "after"), turn)
    assert found == Guess(pytest.approx(10 + 10 * share), pytest.approx(-2 + 4 * share), "after")
    assert turn < CALM[-1][0]


def rested(law: np.ndarray, *, fed: bool = True, calmer: int = 0) -> int:
    """Passes until a point stands still."""
    guess, passes = Guess(20.0, 50.0), Passes(calmer)
    for n in range(1, MOST_PASSES):
        after = passed(law, REST, guess)
        moved = max(abs(after.volts - guess.volts) / 25, abs(after.amps - guess.amps) / 40)
        if moved < 1e-6:
            return n
        guess = passes.next(guess, after, moved, fed=fed)
    return MOST_PASSES


@pytest.mark.parametrize("slope", [0.5, 0.8, -0.6, -0.9])
def test_a_point_that_is_foreseen_rests_in_a_part_of_the_passes(slope):
    law = np.array([[slope, 0.02], [0.05, slope / 2]])
    assert rested(law) <= 7
    assert rested(law, fed=False) > 2 * rested(law), "beyond what the battery can feed, passes stay plain"


def test_a_point_that_swings_about_its_rest_for_ever_is_calmed():
    law = np.array([[-1.0, 0.0], [0.0, -1.0]])
    assert 14 < rested(law, fed=False) < 60
    assert rested(law, fed=False, calmer=14) < rested(law, fed=False)


def test_what_moves_further_than_before_is_not_foreseen():
    first, second = Guess(20.0, 50.0), Guess(22.0, 45.0)
    passes = Passes()
    passes.next(first, second, 0.1, fed=True)
    third = replace(second, volts=30.0)
    assert passes.next(second, third, 0.4, fed=True) == third, "plain"
    assert passes.next(third, Guess(29.0, 44.0), 0.1, fed=True) != Guess(29.0, 44.0), "near again"
    passes.turn = FORESEEN
    assert passes.next(third, Guess(29.5, 44.0), 0.01, fed=True) == Guess(29.5, 44.0), "too many: plain"
