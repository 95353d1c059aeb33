"""What a lagging load gives back to a source that takes nothing: its share, the rise, the bank that bears it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import quad

from rhombos.core.blocks import input_stage
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import Finding
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import Worked, explain, work_out
from rhombos.core.parts import Shelf
from rhombos.core.waves.pulsation import BankRipple, pulsation
from rhombos.core.waves.stepped import step_form

USUAL = PRESETS["usual"]
BENCH = {"kind": "DC rail", "nominal": 24, "lowest": 23, "highest": 25, "limit": 100, "resistance": "4m", "capacitance": "1m"}


def sluice(wave: str = "sine", factor: float = 0.6, **source: object) -> Brief:
    """A sluice gate's motor on a bench supply."""
    return Brief.model_validate(
        {
            "source": BENCH | source,
            "output": {
                "voltage": 230,
                "frequency": 50,
                "waveform": wave,
                "power": {"continuous": 400, "surge": 600, "surge_time": "2 s", "power_factor": factor},
                "loads": ["fan"],
            },
        }
    )


def told(worked: Worked) -> Finding:
    return next(f for f in explain(worked, {}).findings if f.code == "input_stage.returned")


@pytest.mark.parametrize("degrees", [5.0, 30.0, 53.0, 80.0])
def test_the_energy_given_back_is_that_of_a_lagging_current(degrees: float):
    """The energy below zero of v·i, counted over half a line period by quadrature."""
    angle, power, volts, line = math.radians(degrees), 400.0, 24.0, 50.0
    apparent = power / math.cos(angle)
    at = lambda t: apparent * (math.cos(angle) - math.cos(2 * math.pi * 2 * line * t))  # noqa: E731
    edge = angle / (2 * math.pi * 2 * line)
    back = -quad(at, -edge, edge)[0]
    share = book.returned_share.work({"swing": 1 / math.cos(angle), "th_1": angle, "th_2": angle})
    assert share == pytest.approx(pulsation((1 / math.cos(angle) + 0j,), (1 + 0j,), blocks=False).returned, rel=1e-9)
    assert volts * share * (power / volts) / (2 * line) == pytest.approx(back, rel=1e-6)
    assert back == pytest.approx(power / (2 * math.pi * line) * (math.tan(angle) - angle), rel=1e-6)


def test_nothing_comes_back_of_a_current_that_keeps_its_way():
    assert pulsation((0.9 + 0j,), (1 + 0j,), blocks=False).returned == 0.0
    assert pulsation((1.5 + 0j,), (1 + 0j,), blocks=True).returned == 0.0  # a rectifier stops it


def test_several_swings_are_counted_like_one():
    alone = pulsation((1.6 + 0j,), (1 + 0j,), blocks=False).returned
    beside = pulsation((1.6 + 0j, 1e-9 + 0j), (1 + 0j, 1 + 0j), blocks=False).returned
    assert beside == pytest.approx(alone, rel=2e-3)


@pytest.mark.parametrize("factor", [0.95, 0.7, 0.5])
def test_a_square_wave_gives_back_what_flows_against_it(factor: float):
    """The exponential of the series R–L, integrated until it has turned."""
    tan = math.sqrt(1 - factor**2) / factor
    fade = math.exp(-math.pi / tan)
    first = -(1 - fade) / (1 + fade)
    turns = tan * math.log(1 - first)
    current = lambda x: 1 + (first - 1) * math.exp(-x / tan)  # noqa: E731
    back, mean = -quad(current, 0, turns)[0] / math.pi, quad(current, 0, math.pi)[0] / math.pi
    stiff = step_form(1.0, round(factor, 5), False, 0.0)
    assert stiff.returned == pytest.approx(back / mean, rel=5e-3, abs=1e-5)
    soft = step_form(1.0, round(factor, 5), False, 5.0)
    assert soft.returned < 0.2 * stiff.returned + 1e-9  # a large bank behind a resistance keeps it


def marched(worked: Worked, key: str) -> float:
    """How far the bank rises above the supply, V: supply behind an ideal diode, its capacitor, leads, bank, and the current that
    the bridge draws, in explicit steps."""
    rail, point, build = worked.brief.source, worked.settled[key], worked.builds["input_stage"]
    demand = point.states["output_filter"].flows.demand[0] * point.guess.v_in / point.guess.works
    amps = point.flow["h_bridge"] / point.v_in
    depth = abs(demand) / point.flow["h_bridge"]
    bank, leads = input_stage.capacitance(build, worked.shelf), input_stage.LOOP * rail.cable_length
    ohms = input_stage.resistance(build, worked.brief, worked.shelf, worked.rules)
    step, half = 5e-7, 0.01
    times = np.arange(int(5 * half / step)) * step
    drawn = (amps * (1 - depth * np.cos(2 * np.pi * 100 * times))).tolist()
    v_rail = v_bank = rail.highest
    lead, highest = amps, 0.0
    for n, taken in enumerate(drawn):
        given = max(0.0, (rail.highest - v_rail) / rail.resistance)
        v_rail += (given - lead) / rail.capacitance * step
        lead += (v_rail - v_bank - ohms * lead) / leads * step
        v_bank += (lead - taken) / bank * step
        if n > len(drawn) // 2:
            highest = max(highest, v_bank - rail.highest)
    return highest


@pytest.mark.parametrize(("factor", "more"), [(0.6, {}), (0.5, {"resistance": "20m"}), (0.75, {"capacitance": "10m"})])
def test_the_rise_is_that_of_a_march_with_a_diode(factor: float, more: dict[str, str], shelf: Shelf):
    worked = work_out(sluice(factor=factor, **more), {}, shelf, USUAL, "iron bridge")
    rise = worked.settled["high"].states["input_stage"].returned
    assert rise == pytest.approx(marched(worked, "high"), rel=0.06)
    assert rise > 0.3


@pytest.mark.parametrize(
    ("route", "wave"), [("iron bridge", "sine"), ("iron push-pull", "square"), ("iron push-pull", "modified")])  # fmt: skip
def test_a_proposed_bank_keeps_to_the_rules(route: str, wave: str, shelf: Shelf):
    most = USUAL.bank_rise * 23
    worked = work_out(sluice(wave, 0.5), {}, shelf, USUAL, route)
    risen = {k: s.states["input_stage"].returned for k, s in worked.settled.items()}
    assert max(v for k, v in risen.items() if not k.startswith("surge")) < most
    assert max(risen.values()) < 2 * most
    assert told(worked).severity == "note"
    firm = work_out(sluice(wave, 1.0), {}, shelf, USUAL, route)
    assert firm.builds["input_stage"].count < worked.builds["input_stage"].count or "4700" not in (
        firm.builds["input_stage"].capacitor)  # fmt: skip


def test_too_small_a_bank_is_told_and_its_cure_clears_it(shelf: Shelf):
    pins = {"input_stage.count": 1, "input_stage.capacitor": "CE-35-470"}
    worked = work_out(sluice(factor=0.5), pins, shelf, USUAL, "iron bridge")
    found = told(worked)
    assert found.severity == "fix"
    assert found.value is not None and found.limit is not None and found.value > 2 * found.limit  # noqa: PT018
    cured = {k: v for k, v in (pins | found.cures[0].patch).items() if v is not None}
    assert told(work_out(sluice(factor=0.5), cured, shelf, USUAL, "iron bridge")).severity == "note"


def test_switches_and_cans_see_the_rise(shelf: Shelf):
    for route, wave, key, field, times in (
        ("iron bridge", "sine", "h_bridge", "switch_voltage", 1.0),
        ("iron push-pull", "square", "front_end", "peak_voltage", 2.0),
    ):
        worked = work_out(sluice(wave, 0.5), {}, shelf, USUAL, route)
        firm = sluice(wave, 0.5, capacitance="1")  # a source whose capacitor takes it all
        held = work_out(firm, {f"{b}.{n}": v for b, fields in explain(worked, {}).build.items() for n, v in fields.items()},
                        shelf, USUAL, route)  # fmt: skip
        risen = worked.settled["high"].states["input_stage"].returned
        seen, plain = (getattr(w.settled["high"].states[key], field) for w in (worked, held))
        assert risen > 0.5
        assert seen - plain == pytest.approx(times * risen, rel=0.2)
        volts = [next(f for b in explain(w, {}).blocks for f in b.figures if f.address == "input_stage.capacitor_voltage")
                 for w in (worked, held)]  # fmt: skip
        assert volts[0].value > volts[1].value + 0.5


def test_a_battery_takes_it_back(shelf: Shelf):
    brief = sluice(factor=0.5).but(source={"kind": "battery", "chemistry": "LiFePO4", "cells": 8, "capacity": "100 Ah"})
    worked = work_out(brief, {}, shelf, USUAL, "iron bridge")
    assert all(s.states["input_stage"].returned == 0.0 for s in worked.settled.values())
    assert "input_stage.returned" not in {f.code for f in explain(worked, {}).findings}


def test_a_bank_is_sized_from_what_flows_back_through_it():
    ripple = BankRipple(0.0, 20.0, (2.0 + 0j,), 50.0, 8e-3, 1e-6)
    charges = [ripple.returned(c) for c in (1e-6, 1e-3, 1e-2, 1e-1, 1.0)]
    assert charges[0] == pytest.approx(20 / 100 * (math.sqrt(3) - math.acos(0.5)) / math.pi, rel=1e-3)
    assert charges[-1] == 0.0 < charges[-2] < charges[2]


def test_the_over_voltage_limit_lets_what_the_load_returns_pass(shelf: Shelf):
    worked = work_out(sluice(factor=0.5), {}, shelf, USUAL, "iron bridge")
    risen = max(s.states["input_stage"].returned for s in worked.settled.values())
    assert worked.builds["protection"].over_voltage > 25 + risen
    codes = {f.code for f in explain(worked, {}).findings}
    assert not codes & {"protection.over_low", "protection.over_high"}
    low = work_out(sluice(factor=0.5), {"protection.over_voltage": 26.0}, shelf, USUAL, "iron bridge")
    found = next(f for f in explain(low, {}).findings if f.code == "protection.over_low")
    assert "lifted by what the load returns" in found.cause


@pytest.mark.parametrize("wave", ["square", "modified"])
def test_bridge_switches_are_proposed_for_what_lies_on_top_of_the_rail(wave: str, shelf: Shelf):
    """A lagging load on a rail whose highest voltage alone just admits switches that the lifted bank does not."""
    rail = {"kind": "DC rail", "nominal": 129, "lowest": 122.5, "highest": 154.7, "limit": 42.5, "resistance": "27m",
            "capacitance": "1.4m"}  # fmt: skip
    power = {"continuous": 840, "surge": 2520, "surge_time": "10 s", "power_factor": 0.73}
    brief = Brief.model_validate(
        {"source": rail, "output": {"voltage": 110 if wave == "square" else 85, "waveform": wave, "power": power}}
    )
    worked = work_out(brief, {}, shelf, USUAL, "direct bridge")
    entries = {k: s.states["input_stage"] for k, s in worked.settled.items()}
    rating = shelf.find("mosfet|igbt", worked.builds["h_bridge"].switch).v_rating
    for key, settled in worked.settled.items():
        assert settled.states["h_bridge"].switch_voltage <= rating * (1 - USUAL.bridge_voltage_margin)
        assert settled.states["h_bridge"].switch_voltage >= settled.v_in + entries[key].rise
    assert max(e.returned for e in entries.values()) > 1
    assert "h_bridge.voltage" not in {f.code for f in explain(worked, {}).findings if f.severity in ("fix", "stop")}
