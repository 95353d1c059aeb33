"""Precharge: against the worked cases, against SciPy's solver, through every fault, and as code that is compiled and run."""

import csv as tables
import io
import math
import shutil
import subprocess

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhombos.core.blocks import precharge
from rhombos.core.blocks.precharge import CLOSING, CONTROL, DROPS_OUT, NEGATIVE, RELEASING, PrechargeBuild, PrechargeNeed
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.parts import Resistor
from rhombos.core.plots import charts
from rhombos.core.precharge import FAULTS, march, state_table_c, state_table_csv
from rhombos.core.routes.auxiliary.precharge import need_of

USUAL = PRESETS["usual"]
NEED = PrechargeNeed(96.0, 0.03, 0.0, 0.0068, 0.0)


def built(shelf, need=NEED, **pins):
    return precharge.propose(need, pins, shelf, USUAL)


def judged(shelf, need=NEED, **pins):
    return precharge.assess(need, built(shelf, need, **pins), shelf, USUAL, SILENT)


def by_solver(need: PrechargeNeed, build: PrechargeBuild, draws, horizon=20.0):
    """Time to the closing voltage and energy in the resistor, from the circuit's law alone."""

    def law(t, x):
        amps = (need.volts - x[0]) / build.resistor
        return [(amps - draws(x[0])) / need.bank, amps**2 * build.resistor]

    def there(t, x):
        return x[0] - build.close_at * need.volts

    there.terminal = True
    # a converter that locks in is a corner: short steps find it
    found = solve_ivp(law, (0, horizon), [0.0, 0.0], events=there, rtol=1e-8, atol=1e-8, max_step=5e-3)
    return (found.t_events[0][0], found.y_events[0][0][1]) if found.t_events[0].size else (None, None)


def test_the_worked_case_of_a_bank_at_96_volts(shelf):
    found = judged(shelf, resistor=47.0)
    assert found.time == pytest.approx(0.957436, rel=1e-3)
    assert found.energy == pytest.approx(31.2561, rel=1e-3)
    assert found.peak_current == pytest.approx(2.04255, rel=1e-3)
    assert found.peak_power == pytest.approx(196.085, rel=1e-3)
    assert found.inrush == pytest.approx(0.05 * 96 / (0.03 + precharge.CONTACT), rel=1e-3)


def test_the_worked_case_that_never_arrives(shelf):
    found = judged(shelf, resistor=220.0, load="a resistance", load_power=96**2 / 1800)
    assert math.isinf(found.time)
    assert found.ceiling == pytest.approx(85.5446, rel=1e-3)


@pytest.mark.parametrize("watts", [0.5, 2.0, 3.5])
def test_against_a_resistance_it_takes_what_the_circuit_takes(watts, shelf):
    build = built(shelf, resistor=100.0, load="a resistance", load_power=watts)
    time, energy = by_solver(NEED, build, lambda v: v * watts / NEED.volts**2)
    found = precharge.assess(NEED, build, shelf, USUAL, SILENT)
    assert (found.time, found.energy) == pytest.approx((time, energy), rel=1e-3)


@pytest.mark.parametrize("watts", [1.0, 3.0, 4.2])
def test_against_constant_power_it_takes_what_the_circuit_takes(watts, shelf):
    build = built(shelf, resistor=100.0, load="constant power", load_power=watts)
    time, energy = by_solver(NEED, build, lambda v: watts / v if v > DROPS_OUT * NEED.volts else 0.0)
    found = precharge.assess(NEED, build, shelf, USUAL, SILENT)
    assert (found.time, found.energy) == pytest.approx((time, energy), rel=1e-3)


@pytest.mark.parametrize(("watts", "rests"), [(4.6, "beyond"), (30.0, "at the lock")])
def test_constant_power_that_prevents_it_is_seen_where_it_comes_to_rest(watts, rests, shelf):
    build = built(shelf, resistor=100.0, load="constant power", load_power=watts)
    found = precharge.assess(NEED, build, shelf, USUAL, SILENT)
    assert math.isinf(found.time)
    wakes = 0.01 * NEED.volts  # a converter comes up over a little voltage: no corner for the solver to chatter at
    draws = lambda v: watts / max(v, 1.0) * min(1.0, max(0.0, (v - DROPS_OUT * NEED.volts) / wakes))  # noqa: E731
    assert by_solver(NEED, build, draws, 6.0) == (None, None)
    settles = (NEED.volts - found.ceiling) * found.ceiling / 100.0  # what flows in is what is drawn
    assert settles == pytest.approx(watts, rel=1e-6) if rests == "beyond" else found.ceiling == DROPS_OUT * NEED.volts


@pytest.mark.parametrize("volts", [12.0, 48.0, 96.0, 400.0, 1000.0])
@pytest.mark.parametrize("bank", [1e-3, 2e-2])
def test_what_is_proposed_stands_a_shorted_bus(volts, bank, shelf):
    need = PrechargeNeed(volts, 0.02, 0.0, bank, 0.01)
    build, found = built(shelf, need), judged(shelf, need)
    series = shelf.get(Resistor, build.type)
    assert found.time < build.timeout
    if found.fault_energy <= series.pulse:  # where any series on the shelf can
        assert found.volts <= series.v_rating
        assert found.mean_power <= series.power
    else:
        assert series.pulse == max(r.pulse for r in shelf.all(Resistor) if r.r_low <= build.resistor <= r.r_high)


def test_the_march_agrees_with_the_closed_form(shelf):
    build = built(shelf)
    made = march(NEED, build, shelf.get(Resistor, build.type))
    waited = next(s for s in made.steps if s.state == "precharge")
    assert waited.end - waited.begin == pytest.approx(judged(shelf).time, rel=1e-3)
    time, bus, amps = (made.column(n) for n in ("time", "bus", "current"))
    inside = (time >= waited.begin) & (time <= waited.end)
    expected = NEED.volts * (1 - np.exp(-(time[inside] - waited.begin) / (build.resistor * NEED.bank)))
    assert bus[inside] == pytest.approx(expected, abs=1e-3 * NEED.volts)
    assert amps.max() == pytest.approx(NEED.volts / build.resistor, rel=1e-6)
    assert made.ended == "run"
    assert bus[-1] == pytest.approx(NEED.volts, rel=1e-3)


def test_the_steps_come_in_order_with_their_coils(shelf):
    made = march(NEED, built(shelf), shelf.get(Resistor, built(shelf).type))
    assert [s.state for s in made.steps] == ["control", "negative", "precharge", "close", "release", "run"]
    assert [(s.negative, s.relay, s.positive) for s in made.steps] == [
        (False, False, False),
        (True, False, False),
        (True, True, False),
        (True, True, True),
        (True, False, True),
        (True, False, True),
    ]
    assert [round(s.end - s.begin, 6) for s in made.steps if s.state != "precharge"][:4] == [
        CONTROL,
        NEGATIVE,
        CLOSING,
        RELEASING,
    ]


@pytest.mark.parametrize(
    ("fault", "ends", "tries"),
    [
        ("none", "run", 1),
        ("shorted bus", "locked", 3),
        ("open resistor", "locked", 3),
        ("welded contactor", "locked", 0),
        ("frozen reading", "locked", 0),
    ],
)
def test_every_fault_ends_where_it_must(fault, ends, tries, shelf):
    build = built(shelf)
    made = march(NEED, build, shelf.get(Resistor, build.type), fault)
    assert made.ended == ends
    assert sum(s.state == "precharge" for s in made.steps) == tries
    if fault in ("shorted bus", "open resistor"):
        assert all(s.end - s.begin == pytest.approx(build.timeout) for s in made.steps if s.state == "precharge")
        assert all(s.end - s.begin == pytest.approx(build.rest) for s in made.steps if s.state == "rest")
        assert not any(s.positive for s in made.steps)


def test_the_resistor_warms_by_the_energy_it_takes_and_cools_at_rest(shelf):
    build = built(shelf)
    series = shelf.get(Resistor, build.type)
    made = march(NEED, build, series, "shorted bus")
    celsius, time = made.column("celsius"), made.column("time")
    first = next(s for s in made.steps if s.state == "precharge")
    rise = celsius[(time >= first.begin) & (time <= first.end)].max() - 40.0
    heat = series.pulse / 115.0
    assert rise < NEED.volts**2 / build.resistor * build.timeout / heat
    assert rise > 0.6 * NEED.volts**2 / build.resistor * build.timeout / heat
    resting = next(s for s in made.steps if s.state == "rest")
    cooled = celsius[(time >= resting.begin) & (time <= resting.end)]
    assert cooled[-1] < cooled[0]


def test_left_across_the_contactor_a_frozen_reading_closes_on_an_empty_bank(shelf):
    """Nothing can tell: that is why the house switches the resistor."""
    build = built(shelf, school="left across the contactor")
    made = march(NEED, build, shelf.get(Resistor, build.type), "frozen reading")
    closing = next(s for s in made.steps if s.state == "close")
    bus, time = made.column("bus"), made.column("time")
    assert np.interp(closing.begin, time, bus) < 0.1 * NEED.volts


def test_the_table_names_every_state_once(shelf):
    rows = list(tables.reader(io.StringIO(state_table_csv(NEED, built(shelf)))))
    names = list(dict.fromkeys(r[0] for r in rows[1:]))
    assert names == ["OFF", "CONTROL", "NEGATIVE", "PRECHARGE", "CLOSE", "RELEASE", "RUN", "REST", "LOCKED", "any but LOCKED"]
    assert all(len(r) == 7 and r[6] in names for r in rows[1:])
    # one state switches one set of coils, however many ways lead out of it
    assert len({tuple(r[:5]) for r in rows[1:]}) == len(names)


HARNESS = """
#include <stdio.h>
int main(void) {
    struct precharge p = { OFF, 0, 0 };
    double bus = 0;
    const char *names[] = { "OFF", "CONTROL", "NEGATIVE", "PRECHARGE", "CLOSE", "RELEASE", "RUN", "REST", "LOCKED" };
    int last = 0;
    for (long ms = 0; ms < UNTIL; ms++) {
        struct precharge_seen seen = { (int32_t)(1000 * VOLTS), (int32_t)(1000 * bus), ms < STOP, ms >= RESET, ms ? 1 : 0 };
        struct precharge_on c = precharge_step(&p, &seen);
        if (c.negative && c.relay && !SHORTED) bus += (VOLTS - bus) / RC * 0.001;
        if (c.negative && c.positive) bus = VOLTS;
        if (ms >= OPENS) bus = 0.5 * VOLTS;
        if ((int)p.state != last) { last = p.state; printf("%ld %s %d%d%d%d\\n", ms, names[last], c.supply, c.negative, c.relay, c.positive); }
    }
    return 0;
}
"""


def walked(need, build, folder, **asked):
    """Compile the exported code and step it every millisecond; its states as they begin: s, name, outputs."""
    source = folder / "precharge.c"
    source.write_text(state_table_c(need, build) + HARNESS)
    never = 10**9
    given = {
        "VOLTS": need.volts,
        "RC": build.resistor * need.bank,
        "SHORTED": 0,
        "UNTIL": 400_000,
        "STOP": never,
        "RESET": never,
        "OPENS": never,
    } | asked
    flags = [f"-D{k}={v}" for k, v in given.items()]
    subprocess.run(
        ["cc", "-std=c99", "-Wall", "-Wextra", "-Werror", *flags, str(source), "-o", str(folder / "walk")], check=True
    )
    told = subprocess.run([folder / "walk"], capture_output=True, text=True, check=True).stdout
    return [(float(ms) / 1e3, name, outputs) for ms, name, outputs in (line.split() for line in told.splitlines())]


needs_compiler = pytest.mark.skipif(shutil.which("cc") is None, reason="needs a C compiler")


@needs_compiler
@pytest.mark.parametrize("shorted", [0, 1])
def test_the_code_is_compiled_and_walks_as_the_march_does(shorted, shelf, tmp_path):
    build = built(shelf)
    lines = walked(NEED, build, tmp_path, SHORTED=shorted)
    made = march(NEED, build, shelf.get(Resistor, build.type), "shorted bus" if shorted else "none")
    assert [name for _, name, _ in lines] == [s.state.upper() for s in made.steps]
    assert [at for at, _, _ in lines] == pytest.approx([s.begin for s in made.steps], abs=0.02)
    assert lines[0][2] == "1000"


@needs_compiler
@pytest.mark.parametrize("share", [0.753, 0.822, 0.904, 1.0])
def test_the_code_starts_from_an_empty_battery_and_from_a_charging_one(share, shelf, tmp_path):
    """The bus is measured against the source as it is, not as it might be."""
    build = built(shelf)
    lines = walked(NEED, build, tmp_path, VOLTS=share * NEED.volts)
    assert [name for _, name, _ in lines] == ["CONTROL", "NEGATIVE", "PRECHARGE", "CLOSE", "RELEASE", "RUN"]
    outputs = {name: on for _, name, on in lines}
    assert outputs["PRECHARGE"] == "1110"
    assert outputs["CLOSE"] == "1111"
    assert outputs["RUN"] == "1101"


@needs_compiler
def test_the_running_code_locks_when_its_bus_falls_stops_when_told_and_starts_again_only_by_hand(shelf, tmp_path):
    build = built(shelf)
    fell = walked(NEED, build, tmp_path, OPENS=200_000, RESET=300_000)
    names = [name for _, name, _ in fell]
    assert names[5:8] == ["RUN", "LOCKED", "OFF"]
    assert fell[6][0] == pytest.approx(200.02, abs=0.005), "20 ms to be believed"
    assert fell[6][2] == "1000"
    assert fell[7][0] == pytest.approx(300, abs=0.01)
    stopped = walked(NEED, build, tmp_path, STOP=200_000)
    assert stopped[-1] == (pytest.approx(200, abs=0.01), "OFF", "0000")


@pytest.mark.parametrize(
    ("code", "pins"),
    [
        ("never", {"precharge.load": "constant power", "precharge.load_power": 30, "precharge.resistor": 47}),
        ("never", {"precharge.load": "a resistance", "precharge.load_power": 20, "precharge.resistor": 220}),
        ("timeout", {"precharge.timeout": 0.3}),
        ("pulse", {"precharge.type": "MF-1W", "precharge.resistor": 27}),
        ("heat", {"precharge.type": "MF-1W", "precharge.rest": 0}),
        ("inrush", {"precharge.close_at": 0.5, "input_stage.cable": "50", "precharge.contactor": 25}),
        ("leaks", {"precharge.school": "left across the contactor"}),
    ],
)
def test_it_is_raised_and_its_cure_clears_it(code, pins, refuge, shelf):
    full = f"precharge.{code}"
    found = {f.code: f for f in solve(refuge, pins, shelf, USUAL).findings}
    assert full in found, sorted(f for f in found if f.startswith("precharge"))
    for cure in found[full].cures:
        patched = {k: v for k, v in (pins | cure.patch).items() if v is not None}
        assert full not in {f.code for f in solve(refuge, patched, shelf, USUAL).findings}, cure.label


@pytest.mark.parametrize("route", ["push-pull link", "full-bridge link", "iron bridge", "iron push-pull", "self-oscillating"])
def test_every_route_has_its_precharge(route, refuge, shelf):
    wave = "square" if route in ("iron push-pull", "self-oscillating") else "sine"
    brief = refuge.but(output={"waveform": wave})
    worked = work_out(brief, {}, shelf, USUAL, route)
    need = need_of(worked)
    assert need.volts == brief.source.volts[2]
    found = [f for f in solve(brief, {}, shelf, USUAL, route).findings if f.block == "precharge" and f.severity != "note"]
    assert not found


def test_every_fault_is_drawn(worked):
    drawn = charts(worked, "precharge")
    assert len(drawn) == len(FAULTS)
    for chart in drawn:
        assert {"bus, V", "resistor, °C", "negative", "relay", "positive"} == {s.name for s in chart.series}
        assert chart.remark


@pytest.mark.parametrize(("ohms", "henries", "farads"), [(20e-3, 24e-6, 1e-3), (60e-3, 1.4e-6, 2.2e-3), (0.4, 1.4e-6, 2.2e-3)])
def test_a_bank_plugged_in_live_swings_and_draws_as_a_march_finds(ohms, henries, farads):
    """Leads, all resistance and an empty bank, stepped by SciPy."""
    need = PrechargeNeed(50.0, ohms - 5e-3 - precharge.CONTACT, henries, farads, 5e-3)
    swings, surges = precharge._plugged(need, SILENT)
    lasts = 12 * math.pi * math.sqrt(henries * farads)
    found = solve_ivp(lambda _, x: [(50 - ohms * x[0] - x[1]) / henries, x[0] / farads], (0, lasts), [0.0, 0.0],
                      rtol=1e-9, atol=1e-9, t_eval=np.linspace(0, lasts, 40_001)).y  # fmt: skip
    assert surges == pytest.approx(found[0].max(), rel=2e-3)
    assert swings == pytest.approx(max(50.0, found[1].max()), rel=1e-3)


def test_twenty_metres_of_lead_swing_the_bank_beyond_its_rating(refuge, shelf):
    """… and the sheet says so; short leads through the same bank do not."""
    rail = {"kind": "DC rail", "nominal": 48, "lowest": 46, "highest": 50, "limit": 60, "resistance": 2e-3}

    def codes(metres: float) -> set[str]:
        told = solve(refuge.but(source=rail | {"cable_length": metres}), {"input_stage.cable": 95e-6}, shelf, USUAL)
        return {f.code for f in told.findings}

    assert "precharge.hot_plug" in codes(20.0)
    assert "precharge.hot_plug" not in codes(0.5)
