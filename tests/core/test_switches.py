"""Switches ranked for a stage: each row is the design sized around that switch."""

import pytest

from rhombos.core.benches.switches import SHOWN, rank_switches
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import refit, work_out
from rhombos.core.parts import Mosfet

USUAL = PRESETS["usual"]


@pytest.mark.parametrize("block", ["front_end", "h_bridge"])
def test_every_row_is_what_the_design_says_with_it(block, worked, refuge, shelf):
    table = rank_switches(worked, block)
    assert 4 <= len(table.options) <= SHOWN
    assert sum(o.here for o in table.options) == 1
    here = next(o for o in table.options if o.here)
    assert here.patch[f"{block}.switch"] == worked.builds[block].switch
    for option in table.options[:3]:
        # the present row is the design as it stands
        again = worked if option.here else work_out(refuge, {f"{block}.switch": option.patch[f"{block}.switch"]}, shelf, USUAL)
        state = again.settled["nominal"].states[block]
        assert float(option.texts["loss"].split()[0]) == pytest.approx(state.loss, rel=5e-3)
        flow = again.settled["nominal"].flow
        assert float(option.texts["whole"].split()[0]) == pytest.approx(100 * flow["load"] / flow["source"], abs=0.06)


def test_those_that_fit_come_first_and_the_proposal_is_among_the_best(worked):
    """The search's own choice, judged again with everything sized around it, is near the top of its table."""
    for block in ("front_end", "h_bridge"):
        options = rank_switches(worked, block).options
        fits = [o.fits for o in options]
        assert fits == sorted(fits, reverse=True)
        assert [o.here for o in options].index(True) < 6
        assert all(o.why for o in options if not o.fits)


def test_a_poor_pin_is_shown_where_it_belongs(refuge, shelf):
    poor = max((p for p in shelf.all(Mosfet) if p.v_rating == 100), key=lambda p: p.r_on)
    table = rank_switches(work_out(refuge, {"front_end.switch": poor.id, "front_end.parallel": 1}, shelf, USUAL), "front_end")
    here = next(o for o in table.options if o.here)
    assert not here.fits
    assert table.options[0].fits


def test_refitting_keeps_the_other_pins_and_does_not_doubt_twice(refuge, shelf):
    brief = refuge.but(targets={"switches": "unverified"})
    pinned = work_out(brief, {"h_bridge.carrier": 20e3}, shelf, USUAL)
    again = refit(pinned, "front_end", "switch", pinned.builds["front_end"].switch)
    assert again.builds["h_bridge"].carrier == 20e3
    part = pinned.builds["front_end"].switch
    assert again.shelf.get(Mosfet, part).v_rating == pytest.approx(0.8 * shelf.get(Mosfet, part).v_rating)


def test_only_stages_with_switches_are_ranked(worked):
    with pytest.raises(KeyError):
        rank_switches(worked, "source")
