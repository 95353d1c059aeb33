"""A stage written as one folder and registered by the call that registers the house's: nothing else knows of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import pytest
from pydantic import TypeAdapter, ValidationError

from rhombos.core.benches.compare import compare
from rhombos.core.benches.rating import rating
from rhombos.core.design.brief import Brief
from rhombos.core.design.route_name import ROUTE_NAMES, RouteName
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.manifest import manifest
from rhombos.core.frame.solve import Worked, explain, solve, work_out
from rhombos.core.parts import Shelf
from rhombos.core.parts.kinds import Diode, Mosfet
from rhombos.core.plots import charts
from rhombos.core.routes import ALL_BUILDS, ROUTES, register
from tests.stages.step_down import ROUTES as FURTHER
from tests.stages.step_down.stage import KEY, Pulses, pulses

USUAL = PRESETS["usual"]
KEPT_WARM = Brief.model_validate(
    {
        "source": {"chemistry": "LiFePO4", "cells": 16, "capacity": "100 Ah", "cable_length": "1 m"},
        "output": {
            "kind": "DC",
            "voltage": "24 V",
            "power": {"continuous": "240 W", "surge": "360 W", "surge_time": "2 s"},
        },
    }
)


@pytest.fixture(scope="module")
def registered() -> Iterator[str]:
    routes, builds = dict(ROUTES), dict(ALL_BUILDS)
    yield register(FURTHER[0]).key
    for known, before in ((ROUTES, routes), (ALL_BUILDS, builds)):
        known.clear()
        known.update(before)  # type: ignore[arg-type]
    ROUTE_NAMES[:] = routes


@pytest.fixture(scope="module")
def stepped_down(registered: str, shelf: Shelf) -> Worked:
    return work_out(KEPT_WARM, {}, shelf, USUAL, registered)


def test_it_is_sized_settled_and_breaks_no_rule(stepped_down: Worked):
    solution = explain(stepped_down, {})
    assert [b.key for b in solution.blocks if not b.auxiliary] == ["source", "input_stage", KEY, "load"]
    assert all(s.converged for s in stepped_down.settled.values())
    assert not [f for f in solution.findings if f.severity in ("stop", "fix")]
    assert abs(solution.totals.balance) < 1e-3
    assert 0.9 < solution.totals.efficiency < 0.99
    for settled in stepped_down.settled.values():
        lost = sum(settled.states[k].loss for k in ("input_stage", KEY))
        assert settled.flow["source"] == pytest.approx(settled.flow["load"] + lost, rel=1e-9)


def test_its_duty_balances_the_volt_seconds_of_the_choke(stepped_down: Worked, shelf: Shelf):
    build = stepped_down.builds[KEY]
    diode, switch = shelf.get(Diode, build.diode), shelf.get(Mosfet, build.switch)
    for key in ("low", "nominal", "high"):
        point, amps = stepped_down.settled[key], 240 / 24
        hot = switch.r_on * ((point.states[KEY].junction + 273.15) / 298.15) ** switch.r_exponent
        duty, ohms = point.states[KEY].duty, build.choke_resistance
        rises = point.v_in - 24 - amps * (hot + ohms)
        falls = 24 + diode.v_0 + diode.r * amps + amps * ohms
        assert duty * rises == pytest.approx((1 - duty) * falls, rel=1e-3)


@pytest.mark.parametrize("amps", [0.05, 0.5, 1.4, 1.6, 10.0])
def test_the_choke_carries_just_what_the_socket_takes(amps: float, stepped_down: Worked):
    """The mean over a period, counted along the ramps: also where the choke runs dry."""
    build = stepped_down.builds[KEY]
    flow = pulses(51.0, 24.0, amps, 0.0, 0.0, 0.5, build)
    dry = flow.duty + flow.falls < 1 - 1e-9
    low = 0.0 if dry else flow.mean - flow.swing / 2
    mean = (low + flow.swing / 2) * (flow.duty + flow.falls)
    assert mean == pytest.approx(amps, rel=1e-9)
    assert dry == (amps < _edge(flow, build.inductance * build.frequency))


def _edge(flow: Pulses, henry_hertz: float) -> float:
    """The current below which the choke runs dry: half of its full swing."""
    duty = 24.5 / 51.5
    return (51.0 - 24.0) * duty / henry_hertz / 2


def test_it_is_compared_and_rated_like_any_other(registered: str, shelf: Shelf, stepped_down: Worked):
    rows = {r.route: r for r in compare(KEPT_WARM, shelf, USUAL).rows}
    assert len(rows) == 4
    assert not rows[registered].out
    assert rows[registered].build.startswith("nothing isolates")
    assert rows[registered].efficiency > max(r.efficiency for name, r in rows.items() if name != registered)
    rated = rating(stepped_down)
    assert 240 < rated.power < 3 * 240
    assert rated.figure
    assert registered not in {r.route for r in compare(KEPT_WARM.but(output={"voltage": 60.0}), shelf, USUAL).rows}


def test_heat_isolation_and_protection_read_it(stepped_down: Worked):
    solution = explain(stepped_down, {})
    told = {b.key: b for b in solution.blocks}
    warm = stepped_down.settled["nominal"].states[KEY]
    assert stepped_down.settled["nominal"].states["heat"].proof > 0
    assert any("Step-down" in chart.model_dump_json() for chart in charts(stepped_down, "heat"))
    assert "isolation.no_barrier" in {f.code for f in solution.findings}
    bank = next(f for f in solution.findings if f.code == "protection.bank_dumps")
    assert bank.block == "protection"
    assert warm.voltage == 24.0
    assert {f.address for f in told[KEY].figures} >= {f"{KEY}.junction", f"{KEY}.terminal"}
    assert told["heat"].auxiliary
    assert not told[KEY].auxiliary


def test_it_has_its_own_pictures_and_a_circuit_of_figures(stepped_down: Worked):
    assert [c.key for c in charts(stepped_down, KEY)] == ["step-down-losses"]
    assert charts(stepped_down, "load") == ()
    assert all(charts(stepped_down, k) for k in ("source", "input_stage"))
    solution = explain(stepped_down, {})
    told = next(b for b in solution.blocks if b.key == KEY)
    assert told.circuit is not None
    texts = {f.address: f.text for f in told.figures}
    written = {(t.name, t.value) for t in told.circuit.texts}
    assert ("Q2001", texts[f"{KEY}.switch"]) in written
    assert ("D", texts[f"{KEY}.duty"]) in written


def test_the_manifest_has_it(registered: str):
    shown = manifest()
    route = next(r for r in shown.routes if r.key == registered)
    assert route.stages == ("source", "input_stage", KEY, "load")
    assert route.waveforms == ("DC",)
    card = next(s for s in shown.stages if s.key == KEY)
    assert "inductance" in card.fields


def test_pins_of_it_hold_and_a_poor_one_is_told(registered: str, shelf: Shelf):
    solution = solve(KEPT_WARM, {f"{KEY}.choke_rating": "8 A", f"{KEY}.frequency": "60k"}, shelf, USUAL, registered)
    assert {f.code for f in solution.findings} >= {f"{KEY}.saturates"}
    assert solution.build[KEY]["frequency"] == 60e3


def test_a_name_that_is_taken_is_refused(registered: str):
    with pytest.raises(ValueError, match="there is a route called ‘step-down’ already"):
        register(FURTHER[0])

    class Other(type(FURTHER[0])):
        key = "step-down again"

        def stages(self, waveform, *beside):
            first, *rest = super().stages(waveform, *beside)
            return (replace(first, build=ALL_BUILDS["load"]), *rest)

    with pytest.raises(ValueError, match="there is a stage called ‘source’ already"):
        register(Other())
    assert "step-down again" not in ROUTES


def test_a_route_that_is_not_registered_is_refused_by_name():
    with pytest.raises(ValidationError, match=r"there is no route ‘ladder’; choose one of push-pull link, half-bridge link"):
        TypeAdapter(RouteName).validate_python("ladder")
    assert TypeAdapter(RouteName).json_schema()["enum"] == list(ROUTES)
