"""What lies beside every path: no value that may be pinned breaks it, and it moves nothing on the path."""

import math

import pytest

from rhombos.core.design.problems import bounds
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import explain, solve, work_out
from rhombos.core.plots import charts
from rhombos.core.routes import ROUTES
from rhombos.core.routes.auxiliary.shared import SHARED, SHARED_BUILDS, wanted
from tests.core.asking import written_short

USUAL = PRESETS["usual"]


LINKED, *OTHERS = "push-pull link", "iron bridge", "self-oscillating"


def edges(*, between: bool):
    """Every field at its least, its most, `between` them, and every word it takes."""
    for key, build in SHARED_BUILDS.items():
        for name, info in build.model_fields.items():
            extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
            low, high = bounds(info)
            if "options" in extra:
                yield from ((f"{key}.{name}", word) for word in extra["options"])
            elif info.annotation is bool:
                yield from ((f"{key}.{name}", value) for value in (True, False))
            elif low is not None:
                kind = int if info.annotation is int else float
                middle = (math.sqrt(max(low, 1e-6) * high),) if between else ()
                yield from ((f"{key}.{name}", kind(value)) for value in (low, high, *middle))


EDGES = {LINKED: list(edges(between=True)), **{key: list(edges(between=False)) for key in OTHERS}}


def whole(solution):
    """Every figure is a number, every text has words."""
    for block in solution.blocks:
        for figure in block.figures:
            assert figure.value is None or math.isfinite(figure.value), figure.address
            assert "nan" not in figure.text, figure.address
    for finding in solution.findings:
        assert "nan" not in f"{finding.cause} {finding.remedy}".split(), finding.code
        assert "inf" not in f"{finding.cause} {finding.remedy}".split(), finding.code


@pytest.mark.parametrize("route", EDGES)
@pytest.mark.parametrize("part", range(8))
def test_no_pin_at_its_edge_breaks_the_sizing(route, part, plain, shelf):
    brief = plain.but(output={"waveform": ROUTES[route].waveforms[0]})
    for address, value in EDGES[route][part::8]:
        pins = {address: value}
        worked = work_out(brief, pins, shelf, USUAL, route)
        whole(explain(worked, pins))
        block = address.partition(".")[0]
        for chart in charts(worked, block):
            numbers = [v for s in chart.series for v in (*s.x, *s.y)] + [r.at for r in chart.rungs]
            assert all(math.isfinite(v) for v in numbers), (address, value, chart.key)


def test_what_lies_beside_moves_nothing_on_the_path(refuge, shelf):
    plain = work_out(refuge, {}, shelf, USUAL)
    odd = work_out(
        refuge, {"protection.cut_off": 20, "heat.pad": "ceramic wafer", "isolation.bits": 8, "precharge.tries": 1}, shelf, USUAL
    )
    beside = {b.key for b in SHARED}
    for key, settled in plain.settled.items():
        for block, state in settled.states.items():
            if block not in beside:
                assert odd.settled[key].states[block] == state, (key, block)
    assert {k: b for k, b in odd.builds.items() if k not in beside} == {
        k: b for k, b in plain.builds.items() if k not in beside
    }


@pytest.mark.parametrize(
    "change",
    [
        {"source": {"cells": 3}},
        {"source": {"cells": 18, "capacity": "1000 Ah"}},
        {"power": {"continuous": 3000, "surge": 9000}},
        {"power": {"continuous": 200, "surge": 1600}},
        {"power": {"continuous": 50, "surge": 50, "surge_time": 0}},
        {"targets": {"ambient": 60}},
        {"targets": {"ambient": -30}},
        {"source": {"resistance": 5}},
        {"source": {"resistance": 1e-5}},
        {"output": {"voltage": 100}},
        {"source": {"coldest": -40}},
    ],
)
@pytest.mark.parametrize("name", ["push-pull link", "iron push-pull"])
def test_briefs_at_their_edges_are_told_whole(name, change, refuge, shelf):
    content = written_short(refuge)
    for section, values in change.items():
        content[section] |= values
    content["output"]["waveform"] = ROUTES[name].waveforms[0]
    brief = type(refuge).model_validate(content)
    whole(solve(brief, {}, shelf, USUAL, name))
    worked = work_out(brief, {}, shelf, USUAL, name)
    for stage in wanted(worked):
        assert charts(worked, stage.key)


def test_a_sound_proposal_needs_no_cure_on_any_chemistry_and_route(refuge, shelf):
    for chemistry, cells in (("LiFePO4", 4), ("Li-ion", 7), ("lead-acid", 6), ("lead-acid", 24), ("LiFePO4", 16)):
        content = written_short(refuge)
        content["source"] |= {"chemistry": chemistry, "cells": cells, "capacity": 300 * 3600}
        for name in ROUTES:
            content["output"]["waveform"] = ROUTES[name].waveforms[0]
            found = solve(type(refuge).model_validate(content), {}, shelf, USUAL, name).findings
            beside = [f.code for f in found if f.block in SHARED_BUILDS and f.severity in ("stop", "fix")]
            assert beside == [], (chemistry, cells, name)
