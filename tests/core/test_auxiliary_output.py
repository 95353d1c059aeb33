"""A low direct voltage beside the main output: its own arithmetic, what it takes of the source, and on every route."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from pydantic import ValidationError

from rhombos.core.benches.rating import rating
from rhombos.core.blocks import auxiliary_output as block
from rhombos.core.design.brief import Brief, followed
from rhombos.core.design.problems import from_validation
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.points import LASTING, operating_points
from rhombos.core.frame.solve import explain, solve, work_out
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.plots import charts
from rhombos.core.routes import ROUTES
from rhombos.core.routes.supply import source_of
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import record

USUAL = PRESETS["usual"]
LOW = {"kind": "auxiliary DC", "voltage": 12, "power": {"continuous": 60}}


def with_low(output: dict | None = None, low: dict | None = None, source: dict | None = None) -> Brief:
    return Brief.model_validate({"sources": [source or {"kind": "battery"}], "outputs": [output or {"kind": "AC"}, low or LOW]})


CABIN = with_low(low={"kind": "auxiliary DC", "voltage": 5, "power": {"continuous": 25}})
WAVES = {"iron push-pull": "modified", "self-oscillating": "square"}
ALONE = {"HF": {"kind": "HF", "voltage": 60, "power": {"continuous": 150}}, "DC": {"kind": "DC", "voltage": 340}}


def of_route(name: str) -> Brief:
    """A brief that the route makes something of."""
    if name == "direct bridge":
        return with_low({"kind": "AC", "voltage": 12, "power": {"continuous": 200, "surge": 300}})
    return with_low({"kind": "AC", "waveform": WAVES.get(name, "sine")})


@pytest.fixture(scope="module")
def cabin(shelf):
    return work_out(CABIN, {}, shelf, USUAL)


# -- its own arithmetic


def marched(v_in, v_out, drop, on, coil, henry, hertz, duty, periods=400, steps=2000):
    """Mean and RMS of the choke's, the switch's and the diode's current, A, over one period at rest, instant by instant, of a duty:
    resistances of switch and choke, Ω; the diode carries nothing backwards."""
    dt, current = 1 / hertz / steps, 0.0
    # a choke takes L/R to come to rest: started from its mean by volt-seconds, then followed for many periods
    current = max(0.0, (duty * (v_in + drop) - v_out - drop) / (duty * on + coil)) if duty * on + coil > 0 else 0.0
    for turn in range(periods):
        seen = np.zeros((3, steps)) if turn == periods - 1 else None
        for n in range(steps):
            conducts = n < duty * steps
            across = v_in - current * (on + coil) - v_out if conducts else -v_out - drop - current * coil
            middle = max(0.0, current + across * dt / 2 / henry)
            current = max(0.0, current + across * dt / henry)
            if seen is not None:
                seen[:, n] = middle, middle * conducts, middle * (not conducts)
    return [(float(row.mean()), math.sqrt(float((row**2).mean()))) for row in seen]


@pytest.mark.parametrize(
    ("v_in", "v_out", "amps", "henry", "hertz"),
    [
        (25.0, 5.0, 5.0, 28e-6, 100e3),
        (25.0, 5.0, 0.3, 28e-6, 100e3),
        (13.0, 9.0, 2.0, 20e-6, 80e3),
        (48.0, 3.3, 1.0, 20e-6, 60e3),
    ],
)
def test_a_duty_gives_the_current_that_is_asked(v_in, v_out, amps, henry, hertz):
    """Instant by instant, with the choke running dry and not."""
    on, coil, drop = 20e-3, 15e-3, 0.45
    now = block.flow(v_in - amps * on, v_out + amps * coil, drop, amps, henry, hertz, SILENT)
    steps = 2000
    # on whole steps of the march, for what is left of one to move nothing
    whole = replace(now, duty=round(now.duty * steps) / steps)
    choke, switch, diode = marched(v_in, v_out, drop, on, coil, henry, hertz, whole.duty, 120 if now.dry else 400, steps)
    assert now.dry == (amps < now.swing / 2)
    assert choke[0] == pytest.approx(amps, rel=0.05 if now.dry else 0.03)
    scale = choke[0] / amps
    assert switch[0] == pytest.approx(scale * now.mean(now.duty, amps), rel=0.02)
    assert diode[0] == pytest.approx(scale * now.mean(now.falls, amps), rel=0.02)
    rms = now.rms(now.duty, amps, "", SILENT), now.rms(now.falls, amps, "", SILENT), now.rms(now.flowing, amps, "", SILENT)
    assert (switch[1], diode[1], choke[1]) == pytest.approx([scale * r for r in rms], rel=0.03)


def test_at_the_edge_of_running_dry_both_laws_agree():
    just = block.flow(24.0, 12.0, 0.4, 3.0, 20e-6, 100e3, SILENT)
    edge = just.swing / 2
    below, above = (block.flow(24.0, 12.0, 0.4, edge * k, 20e-6, 100e3, SILENT) for k in (1 - 1e-6, 1 + 1e-6))
    assert (below.dry, above.dry) == (True, False)
    for name in ("duty", "falls", "swing", "peak"):
        assert getattr(below, name) == pytest.approx(getattr(above, name), rel=1e-5)
    assert below.rms(below.duty, edge, "", SILENT) == pytest.approx(above.rms(above.duty, edge, "", SILENT), rel=1e-5)


def test_what_it_draws_is_what_it_gives_and_loses(cabin):
    build = cabin.builds[block.KEY]
    for point in cabin.settled.values():
        s = point.states[block.KEY]
        v_in = s.power_in / s.drawn
        parts = s.conduction + s.switching + s.diode_loss + s.choke_copper + s.choke_core + s.control
        assert s.loss == pytest.approx(parts, rel=1e-12)
        assert s.power_in == pytest.approx(s.power + s.loss, rel=1e-12)
        if s.power == 0:
            assert s.loss == pytest.approx(block.QUIESCENT * USUAL.gate_drive)
            continue
        # the mean through the switch carries all but what its edges, its gate and the choke's core and ripple burn
        carried = v_in * (s.duty * s.current)
        burnt = s.conduction + s.diode_loss + s.choke_copper
        assert carried == pytest.approx(s.power + burnt, rel=0.01)
        assert s.swing == pytest.approx((v_in - s.voltage) * s.duty / build.inductance / build.frequency, rel=0.03)


# -- what it takes of the source


def test_the_stage_sees_what_source_and_leads_leave_it_of_both(shelf):
    """E − R·(i + p·I): what is drawn beside a stage drops its share, and the stage's own swing meets all of its own."""
    brief = with_low({"kind": "AC", "power": {"continuous": 250, "surge": 300}}, LOW | {"power": {"continuous": 200}},
                     {"kind": "battery", "chemistry": "LiFePO4", "cells": 8, "capacity": "20 Ah"})  # fmt: skip
    worked = work_out(brief, {}, shelf, USUAL, "iron bridge")
    swung = []
    for key, s in worked.settled.items():
        if key in worked.route.infeasible(worked.settled):
            continue
        feed = source_of(s.point.emf, worked.builds, brief, shelf, USUAL)
        low, cells = s.states[block.KEY], s.states["source"]
        mean = s.flow["h_bridge"] / s.v_in
        together = mean + low.drawn
        # of the source's RMS, less what is drawn without a swing
        pulsation = 1 + (s.states["input_stage"].fuse_load ** 2 - together**2) / mean**2
        swung.append(pulsation)
        dropped = feed.resistance * (low.drawn + pulsation * mean)
        # the source gives the control supply and the bank's own losses too, which the leads are not counted to carry
        assert s.v_in == pytest.approx(s.point.emf - dropped, abs=0.004 * dropped + 0.15 * feed.resistance), key
        assert cells.rms**2 == pytest.approx(cells.current**2 + (pulsation - 1) * mean**2, rel=0.02)
    assert max(swung) > 1.3


def test_a_faint_one_changes_nothing_of_the_rest(shelf):
    """A watt beside six hundred."""
    bare, faint = Brief(), with_low(low=LOW | {"power": {"continuous": 1}})
    held = {f"{key}.{name}": v for key, build in solve(bare, {}, shelf, USUAL).build.items() for name, v in build.items()}
    alone, beside = (work_out(b, held, shelf, USUAL).settled["nominal"] for b in (bare, faint))
    assert beside.v_in == pytest.approx(alone.v_in, rel=3e-4)
    assert beside.v_in < alone.v_in
    more = beside.flow["source"] - alone.flow["source"]
    assert more == pytest.approx(beside.states[block.KEY].power_in, rel=0.1)


def test_the_scope_draws_what_the_sheet_does(cabin):
    """The source fed by both."""
    made = record(bench_of(cabin), "as designed", "steady", 6, "source, averaged")
    time = np.linspace(made.end - 2 / made.line, made.end, 8001)
    now = cabin.settled["nominal"]
    alone = CABIN.model_copy(update={"outputs": CABIN.outputs[:1]})
    assert made.probe(time)["source"].mean() == pytest.approx(now.states["source"].current, rel=0.02)
    without = work_out(alone, {}, cabin.shelf, USUAL).settled["nominal"].states["source"].current
    assert now.states["source"].current > without + 0.9 * now.states[block.KEY].drawn


# -- on every route


@pytest.mark.parametrize("name", [name for name, route in ROUTES.items() if "battery" in route.fed_by])
def test_every_route_carries_it(name, shelf):
    brief = of_route(name)
    worked = work_out(brief, {}, shelf, USUAL, name)
    found = explain(worked, {})
    assert abs(found.totals.balance) < 1e-6
    assert [b.key for b in found.blocks][:3] == ["source", "input_stage", block.KEY]
    assert found.totals.power_out == pytest.approx(worked.settled["nominal"].flow["load"] + 60)
    assert all(s.converged for k, s in worked.settled.items() if k not in worked.route.infeasible(worked.settled))
    broken = [f for f in found.findings if f.severity in ("stop", "fix") and not f.unavoidable]
    assert not broken, broken
    assert charts(worked, block.KEY)
    assert block.KEY in {c.key for c in worked.facets(lambda stage: stage.cooled)}


@pytest.mark.parametrize("kind", ALONE)
def test_it_stands_beside_any_socket(kind, shelf):
    found = solve(with_low(ALONE[kind]), {}, shelf, USUAL)
    assert abs(found.totals.balance) < 1e-6
    assert block.KEY in {b.key for b in found.blocks}
    assert "12 V DC auxiliary, 60 W" in found.totals.texts["asked"]
    assert not [f for f in found.findings if f.severity == "stop"]


def test_three_outputs_at_once(shelf):
    brief = Brief.model_validate({"outputs": [{"kind": "AC"}, LOW, {"kind": "HF"}]})
    assert [o.kind for o in brief.outputs] == ["AC", "HF", "auxiliary DC"]
    assert (brief.continuous, brief.converted) == (760, 700)
    assert all(p.total == p.converted + p.auxiliary for p in operating_points(brief).values())
    found = solve(brief, {}, shelf, USUAL)
    assert abs(found.totals.balance) < 1e-6
    given = {b.key: b.given for b in found.blocks if b.given}
    assert given.keys() == {block.KEY, "hf_socket"}


def test_the_whole_is_rated_with_it(cabin):
    assert rating(cabin).power == pytest.approx(rating(cabin).share * 625)


@pytest.mark.parametrize("name", ["push-pull link", "iron push-pull"])
def test_what_it_leaves_unused_is_not_for_the_main_stages(name, shelf):
    """Overload, trip and fuse of the socket are those of a design without it."""
    brief = with_low({"kind": "AC", "waveform": WAVES.get(name, "sine"), "power": {"continuous": 250, "surge": 500}})
    alone = brief.model_copy(update={"outputs": brief.outputs[:1]})
    beside, bare = (work_out(b, {}, shelf, USUAL, name).builds["protection"] for b in (brief, alone))
    for field in ("overload", "twice", "output_fuse", "short_trip"):
        assert getattr(beside, field) == pytest.approx(getattr(bare, field), rel=0.06), field


def test_it_is_cool_quiet_and_whole_as_proposed(cabin):
    told = explain(cabin, {})
    own = next(b for b in told.blocks if b.key == block.KEY)
    assert own.severity is None
    for key in LASTING:
        if key in cabin.settled:
            s = cabin.settled[key].states[block.KEY]
            assert s.ripple <= 0.01 * 5
            assert max(s.junction, s.diode_junction) < 120
            assert s.peak < cabin.builds[block.KEY].limit


# -- what is told and refused


@pytest.mark.parametrize(
    ("pin", "code"),
    [
        ({"inductance": "4u", "count": 1}, "ripple"), ({"switch": "MN-030-7m-A"}, "voltage"), ({"diode": "RU-100-1"}, "diode_current"),
        ({"limit": "5"}, "limit"), ({"fuse": "1"}, "fuse"), ({"guard": "nothing"}, "guard"),
        ({"diode": "RB-60-5", "limit": "9"}, "short"), ({"capacitor": "CE-16-470"}, None),
    ],
)  # fmt: skip
def test_what_is_pinned_amiss_is_told(pin, code, shelf):
    found = solve(CABIN, {f"{block.KEY}.{k}": v for k, v in pin.items()}, shelf, USUAL)
    codes = {f.code for f in found.findings if f.block == block.KEY and f.severity != "note"}
    assert (f"{block.KEY}.{code}" in codes) if code else not codes
    if code:
        told = next(f for f in found.findings if f.code == f"{block.KEY}.{code}")
        assert told.cures, "the proposal, or what is to be fitted"


def test_nothing_isolates_it_from_a_high_source(shelf):
    high = {"kind": "battery", "chemistry": "LiFePO4", "cells": 60, "capacity": "20 Ah"}
    found = solve(with_low(source=high), {}, shelf, USUAL)
    told = next(f for f in found.findings if f.code == "auxiliary_output.live")
    assert "219 V" in told.cause
    assert "live" not in " ".join(f.code for f in solve(CABIN, {}, shelf, USUAL).findings)


def test_what_sags_too_far_is_told_at_the_point_that_lasts(shelf):
    """Nine tenths of a flat battery, whose leads and cells take more than a twentieth."""
    small = {"kind": "battery", "chemistry": "lead-acid", "cells": 12, "capacity": "30 Ah"}
    found = solve(with_low(source=small, low=LOW | {"voltage": 18.8}), {}, shelf, USUAL)
    told = next(f for f in found.findings if f.code == "auxiliary_output.duty")
    assert told.severity == "stop"
    assert "lowest input" in told.cause
    assert told.unavoidable


def test_it_only_steps_down(shelf):
    found = solve(with_low(low=LOW | {"voltage": 24}), {}, shelf, USUAL)
    told = found.findings[0]
    assert (told.code, told.severity) == ("route.auxiliary", "stop")
    assert "24 V are asked, the source falls to 22.4 V" in told.cause
    assert "Ask 20.16 V at most" in told.remedy
    assert not found.blocks


@pytest.mark.parametrize(
    ("outputs", "told"),
    [
        (
            [{"kind": "AC"}, LOW | {"voltage": 3.3, "power": {"continuous": 100}}],
            "here 66 W: ask less power or a higher voltage",
        ),
        ([{"kind": "AC"}, LOW | {"voltage": 2}], "below the allowed 3.3 V to 60 V"),
        ([{"kind": "AC"}, LOW | {"power": {"continuous": 500}}], "above the allowed 1 W to 200 W"),
        ([LOW], "allowed: AC, DC or HF"),
        ([{"kind": "AC"}, LOW, LOW], "an auxiliary DC last"),
        ([{"kind": "HF"}, {"kind": "HF"}, LOW], "HF beside AC or DC"),
    ],
)
def test_what_cannot_be_asked_is_refused_with_the_reason(outputs, told):
    with pytest.raises(ValidationError) as caught:
        Brief.model_validate({"outputs": outputs})
    assert told in from_validation(caught.value, Brief)[0].message


def test_it_comes_and_goes_by_its_kind():
    raw = Brief.model_validate({"outputs": [{"kind": "AC"}, {"kind": "HF"}, LOW]}).model_dump(mode="json")
    raw["outputs"][0] = {"kind": "HF"}
    alone, told = followed(raw, "outputs.0.kind")
    assert [o["kind"] for o in alone["outputs"]] == ["HF", "auxiliary DC"]
    assert "second socket is gone" in told
    alone["outputs"][1] = {"kind": "nothing"}
    assert [o["kind"] for o in followed(alone, "outputs.1.kind")[0]["outputs"]] == ["HF"]
