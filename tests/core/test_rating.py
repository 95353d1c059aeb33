"""The rating: the weakest stage decides, at the harder end of the battery, and the design built for it agrees."""

import pytest

from rhombos.core.benches.rating import rating
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import explain, solve, work_out
from rhombos.core.routes import ROUTES
from tests.core.asking import fitting, written_short

USUAL = PRESETS["usual"]


def asking(brief: Brief, watts: float) -> Brief:
    content = written_short(brief)
    content["power"] |= {"continuous": watts, "surge": max(watts, content["power"]["surge"])}
    return Brief.model_validate(content)


def all_pins(worked) -> dict[str, object]:
    return {f"{key}.{name}": value for key, build in worked.builds.items() for name, value in build.pinnable().items()}


@pytest.mark.parametrize("name", ["push-pull link", "full-bridge link", "iron bridge"])
def test_a_design_pinned_whole_holds_at_its_rating_and_not_beyond(name, refuge, shelf):
    worked = work_out(refuge, {}, shelf, USUAL, name)
    found = rating(worked)
    assert found.power > 0.95 * 600  # the lowest input bends the sine by a little more than asked, and says so
    pins = all_pins(worked)
    for factor, sound in ((0.97, True), (1.05, False)):
        again = solve(asking(refuge, factor * found.power), pins, shelf, USUAL, name)
        surge = {p.label for k, p in {k: s.point for k, s in worked.settled.items()}.items() if k.startswith("surge")}
        beyond = [
            f.address
            for b in again.blocks
            for f in b.figures
            if f.stress and f.house and f.stress > f.house * (1 + 1e-4) and f.point not in surge
        ]
        assert (beyond == []) is sound, (factor, beyond)


def test_the_stage_named_is_the_one_that_gives_way(refuge, shelf):
    pins = {"h_bridge.switch": "GB-600-6-H", "h_bridge.parallel": 1}
    weak = rating(work_out(refuge, pins, shelf, USUAL))
    strong = rating(work_out(refuge, {}, shelf, USUAL))
    assert weak.power < 0.9 * strong.power
    assert weak.block == "H-bridge"


@pytest.mark.parametrize("name", ROUTES)
def test_every_route_has_a_rating_in_words(name, refuge, shelf):
    brief = refuge.but(output={"waveform": ROUTES[name].waveforms[0]})
    if "battery" not in ROUTES[name].fed_by:
        brief = fitting(name, brief)
    elif ROUTES[name].refuses(brief):
        brief = brief.but(source={"kind": "DC rail", "nominal": 390, "lowest": 375, "highest": 400, "limit": 8})
    found = rating(work_out(brief, {}, shelf, USUAL, name))
    assert found.share > 0.95
    assert "W: then" in found.text
    assert found.block in {b.title for b in explain(work_out(brief, {}, shelf, USUAL, name), {}).blocks}


def test_a_battery_that_cannot_is_named(refuge, shelf):
    content = written_short(refuge)
    content["source"] |= {"cells": 3}
    content["power"] |= {"continuous": 3000, "surge": 3000}
    for name in ("push-pull link", "iron bridge"):
        found = rating(work_out(Brief.model_validate(content), {}, shelf, USUAL, name))
        assert found.power < 3000
