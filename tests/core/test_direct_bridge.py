"""A bridge on the source itself: by hand, by SciPy's solver, on the scope, and what it must warn of."""

import math

import numpy as np
import pytest
from benchmarks.agreement import agreements
from scipy.integrate import solve_ivp

from rhombos.core.benches.compare import candidates, compare
from rhombos.core.blocks import input_bank, input_stage
from rhombos.core.blocks.h_bridge import WIDEST
from rhombos.core.blocks.heat import NEGATIVE as ON_NEGATIVE
from rhombos.core.blocks.isolation import DIVIDER, EARTHED, NO_CLIP, SAFE_CLIP, crossings
from rhombos.core.book import bridge as bridge_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.points import STEADY
from rhombos.core.frame.solve import broken, solve, work_out
from rhombos.core.frame.unbuildable import Unbuildable
from rhombos.core.parts import Capacitor, Driver, Fuse
from rhombos.core.routes import ROUTES
from rhombos.core.routes.auxiliary.isolation import need_of
from rhombos.core.waves.stepped import STEPS, step_current, step_form, stopped

USUAL = PRESETS["usual"]
ROUTE = "direct bridge"


def rail(nominal: float, spread: float = 0.03, ohms: float = 0.1, amps: float = 20) -> dict:
    return {
        "kind": "DC rail", "nominal": nominal, "lowest": nominal * (1 - spread), "highest": nominal * (1 + spread),
        "limit": amps, "resistance": ohms,
    }  # fmt: skip


def fed(
    source: dict, wave: str, volts: float = 230, watts: float = 800, hertz: float = 50, factor: float = 0.9, **more
) -> Brief:
    return Brief().but(
        source=source, output={"waveform": wave, "voltage": volts, "frequency": hertz, **more},
        power={"continuous": watts, "surge": 1.5 * watts, "power_factor": factor})  # fmt: skip


CASES = {
    "a 60 Hz square wave from a rail": fed(rail(123), "square", 120, 500, 60, 0.8),
    "controlled pulses from a rail": fed(rail(340), "modified", factor=0.75),
    "controlled pulses from soft cells": fed(
        {"chemistry": "LiFePO4", "cells": 104, "capacity": 12 * 3600.0}, "modified", watts=1000, factor=0.75),
    "a sine from a rail": fed(rail(380), "sine", factor=0.8),
    "a sine of 400 Hz from cells": fed(
        {"chemistry": "Li-ion", "cells": 66, "capacity": 20 * 3600.0}, "sine", 115, 900, 400),
    "a sine for adapters": fed(rail(390, ohms=0.3), "sine", loads=["adapter", "lamp"]),
}  # fmt: skip


@pytest.fixture(scope="module", params=CASES.values(), ids=CASES.keys())
def worked(request, shelf):
    return work_out(request.param, {}, shelf, USUAL, ROUTE)


def test_its_own_proposal_keeps_every_rule(worked):
    assert broken(worked) == 0


def test_sheet_and_scope_say_the_same(worked):
    assert [a for a in agreements(worked) if a.off > 1] == []


def test_what_goes_in_comes_out_or_is_lost(worked):
    for point, s in worked.settled.items():
        cells = s.states["source"]
        lost = sum(
            s.states[k].loss for k in ("input_stage", "h_bridge", *(["output_filter"] if "output_filter" in s.states else []))
        )
        assert cells.terminal * cells.current == pytest.approx(s.flow["load"] + lost, rel=1e-3), point


def test_its_switches_and_fuse_stand_the_source(worked):
    full = worked.brief.source.volts[2]
    assert (
        worked.shelf.find("mosfet|igbt", worked.builds["h_bridge"].switch).v_rating * (1 - USUAL.bridge_voltage_margin) > full
    )
    assert worked.shelf.get(Fuse, worked.builds["input_stage"].fuse).v_dc >= full
    can = worked.shelf.get(Capacitor, worked.builds["input_stage"].capacitor)
    assert can.v_rating * worked.builds["input_stage"].banks > full


def test_a_sine_is_modulated_as_the_phasors_ask(shelf):
    """Source, bridge and filter in phasors: what the bridge must make for the output, over its rail."""
    worked = work_out(CASES["a sine from a rail"], {}, shelf, USUAL, ROUTE)
    now = worked.settled["nominal"]
    filtered, volts = now.states["output_filter"], 230.0
    omega = 2 * math.pi * 50
    bank = shelf.get(Capacitor, worked.builds["output_filter"].capacitor).c * worked.builds["output_filter"].count
    load = 800 / 0.8 / volts * (0.8 - 0.6j)
    through = load + 1j * omega * bank * volts
    ohms = filtered.resistance + now.guess.path_resistance
    needs = abs(volts + (ohms + 1j * omega * worked.builds["output_filter"].inductance) * through) * math.sqrt(2)
    device = shelf.find("mosfet|igbt", worked.builds["h_bridge"].switch)
    dead = bridge_book.dead_time_voltage.work(
        {"t_d": worked.builds["h_bridge"].dead_time, "f_c": worked.builds["h_bridge"].carrier, "V_dc": now.guess.works}
    )
    threshold = 8 / math.pi * getattr(device, "v_0", 0.0)
    assert now.states["h_bridge"].modulation == pytest.approx((needs + dead + threshold) / now.guess.works, rel=2e-3)
    assert now.guess.works == pytest.approx(now.v_in, rel=0.01)


def marched(worked, point="nominal"):
    """RMS at socket and load, mean and mean square of the source: an R–C source, bridge and R–L load, by SciPy's solver, for
    pulses of the sheet's own width; thresholds and steady losses as the sheet has them."""
    s, brief = worked.settled[point], worked.brief
    drain, g, share = s.states["load"], s.guess, s.share
    entry = worked.builds["input_stage"]
    can = worked.shelf.get(Capacitor, entry.capacitor)
    bank = can.c * entry.count / entry.banks
    before = brief.source.internal_resistance + input_stage.resistance(entry, brief, worked.shelf, USUAL)
    idle = (
        s.states["h_bridge"].gate
        + s.states["h_bridge"].switching
        + s.states["h_bridge"].recovery
        + s.states["input_stage"].control
    )
    half, load, path = 0.5 / brief.output.frequency, drain.resistance, g.path_resistance
    henries = drain.inductance

    def stage(on, sign):
        def slope(t, y):
            amps, volts = y
            across = (volts * sign - g.threshold * np.sign(amps)) if on else 0.0
            drop = 0.0 if on else g.threshold / 2 * np.sign(amps)
            taken = amps * sign if on else 0.0
            flows = (s.point.emf - volts) / before
            return (across - drop - (load + path) * amps) / henries, (flows - taken - idle / volts) / bank

        return slope

    state, kept = [-0.3 * drain.peak_current, s.v_in], []
    for n in range(24):
        kept = kept[-1:]
        sign, pieces = 1 - 2 * (n % 2), []
        for on, time in ((True, share * half), (False, (1 - share) * half)):
            if time <= 0:
                continue
            grid = np.linspace(0, time, 2000)
            found = solve_ivp(stage(on, sign), (0, time), state, t_eval=grid, rtol=1e-8, atol=1e-8, method="LSODA").y
            state = list(found[:, -1])
            pieces.append((time, on, found))
        kept.append(pieces)
    mean = lambda of: sum(t * np.trapezoid(of(on, y), dx=1 / 1999) for t, on, y in kept[-1]) / half  # noqa: E731
    source = lambda on, y: (s.point.emf - y[1]) / before  # noqa: E731
    socket = lambda on, y: (y[1] - g.threshold - path * np.abs(y[0])) if on else -path * np.abs(y[0]) - g.threshold / 2  # noqa: E731
    return {
        "load": math.sqrt(mean(lambda on, y: y[0] ** 2)),
        "peak": max(float(np.abs(y[0]).max()) for _, _, y in kept[-1]),
        "source": mean(source),
        "source RMS": math.sqrt(mean(lambda on, y: source(on, y) ** 2)),
        "socket": math.sqrt(mean(lambda on, y: socket(on, y) ** 2)),
    }


@pytest.mark.parametrize(
    "name", ["a 60 Hz square wave from a rail", "controlled pulses from a rail", "controlled pulses from soft cells"]
)
def test_steps_are_those_of_the_marched_circuit(name, shelf):
    worked = work_out(CASES[name], {}, shelf, USUAL, ROUTE)
    now, found = worked.settled["nominal"], marched(worked)
    assert found["socket"] == pytest.approx(now.states["h_bridge"].output, rel=0.01)
    assert found["load"] == pytest.approx(now.states["load"].rms, rel=0.012)
    assert found["peak"] == pytest.approx(now.states["load"].peak_current, rel=0.02)
    assert found["source"] == pytest.approx(now.states["source"].current, rel=0.015)
    assert found["source RMS"] == pytest.approx(now.states["source"].rms, rel=0.02)


def test_pulses_hold_the_rms_from_end_to_end_of_the_source(shelf):
    brief = fed({"chemistry": "LiFePO4", "cells": 96, "capacity": 40 * 3600.0}, "modified", watts=600, factor=1.0)
    worked = work_out(brief, {}, shelf, USUAL, ROUTE)
    for key in (*STEADY, "surge_low", "idle", "limit"):
        s = worked.settled[key]
        assert s.states["h_bridge"].output == pytest.approx(230, rel=2e-3), key
        assert s.share == pytest.approx((230 / (s.guess.works - s.guess.threshold)) ** 2, rel=0.02), key
    assert worked.settled["low"].share > worked.settled["high"].share


def test_pulses_as_wide_as_they_go_hold_nothing_more(shelf):
    worked = work_out(fed(rail(235, 0.15), "modified", factor=1.0), {}, shelf, USUAL, ROUTE)
    low = worked.settled["low"]
    assert low.share == WIDEST
    assert low.states["h_bridge"].output == pytest.approx(math.sqrt(WIDEST) * low.v_in, rel=0.02)
    told = next(f for f in worked.told[1] if f.code == "h_bridge.regulation")
    assert told.unavoidable


def test_a_sine_that_the_source_is_too_low_for_sags_and_says_so(shelf):
    worked = work_out(fed(rail(330), "sine"), {}, shelf, USUAL, ROUTE)
    low = worked.settled["low"]
    assert low.states["h_bridge"].modulation == pytest.approx(1, abs=2e-3)
    assert 0.9 * 230 < low.states["h_bridge"].output < low.guess.works / math.sqrt(2) < 230
    assert any(f.code == "h_bridge.short_of_crest" for f in worked.told[1])


@pytest.mark.parametrize(
    ("source", "wave", "volts", "words"),
    [
        (rail(24), "sine", 230, "at most 24.72 V, and 325.3 V are asked"),
        (rail(300), "sine", 230, "no more than its source"),
        (rail(200), "modified", 230, "at most 206 V, and 230 V are asked"),
        (rail(340), "square", 230, "as high as its source: 340 V, and 230 V are asked"),
        (rail(120), "square", 230, "as high as its source"),
    ],
)
def test_what_no_bridge_makes_of_a_source_is_refused_in_words(source, wave, volts, words, shelf):
    brief = fed(source, wave, volts)
    with pytest.raises(Unbuildable, match=words):
        work_out(brief, {}, shelf, USUAL, ROUTE)
    told = solve(brief, {}, shelf, USUAL, ROUTE)
    assert [f.code for f in told.findings] == ["route.source"]
    assert (ROUTE, wave) not in candidates(brief)


def test_it_is_compared_where_the_source_admits_it(shelf):
    brief = fed(rail(380), "sine")
    rows = {(r.route, r.waveform): r for r in compare(brief, shelf, USUAL).rows}
    mine = rows[ROUTE, "sine"]
    assert not mine.out
    assert mine.efficiency > max(r.efficiency for (route, wave), r in rows.items() if wave == "sine" and route != ROUTE)
    assert "all of it is live" in mine.build
    assert (ROUTE, "square") not in rows
    assert not any(name == ROUTE for name, _ in candidates(Brief()))


def test_a_wave_far_above_a_sines_crest_is_refused_for_what_fills_to_its_peak(shelf):
    high, low = (fed(rail(v), "modified", loads=["adapter"]) for v in (420, 340))
    told = {f.code: f for f in solve(high, {}, shelf, USUAL, ROUTE).findings}
    assert "beyond what it stands" in told["load.wave"].cause
    assert "load.wave" not in {f.code for f in solve(low, {}, shelf, USUAL, ROUTE).findings}


def test_nothing_isolates_its_socket_and_it_says_so(shelf):
    brief = fed(rail(380), "sine")
    worked = work_out(brief, {}, shelf, USUAL, ROUTE)
    need = need_of(worked)
    made = worked.builds["isolation"]
    assert not need.barrier
    assert "power" not in {c.name for c in crossings(made, need)}
    assert all(c.rated for c in crossings(made, need))
    assert made.sensing == DIVIDER, "there is nothing to cross"
    codes = {f.code: f.severity for f in worked.told[1]}
    assert codes["isolation.no_barrier"] == codes["isolation.source_live"] == "watch"
    assert made.proof >= 2 * 391, "what keeps hands apart stands the source"
    assert made.clip == NO_CLIP
    clipped = {f.code: f for f in solve(brief, {"isolation.clip": SAFE_CLIP}, shelf, USUAL, ROUTE).findings}
    assert clipped["isolation.clip_live"].cures[0].patch == {"isolation.clip": None}
    earthed = {f.code: f for f in solve(brief, {"isolation.output": EARTHED}, shelf, USUAL, ROUTE).findings}
    assert earthed["isolation.output_bond"].severity == "stop"
    assert "391 V" in earthed["isolation.output_bond"].cause
    wound = {f.code: f for f in solve(brief, {"isolation.output": EARTHED}, shelf, USUAL, "full-bridge link").findings}
    assert "isolation.output_bond" not in wound
    assert "isolation.no_barrier" not in wound
    assert "isolation.source_live" in wound


def test_a_sink_on_the_negative_of_a_source_that_kills_is_insulated_from_hands(shelf):
    proof = {
        volts: work_out(fed(rail(volts), wave, out), {"heat.sink": ON_NEGATIVE}, shelf, USUAL, ROUTE)
        .settled["nominal"]
        .states["heat"]
        .proof
        for volts, wave, out in ((50, "square", 50), (380, "sine", 230))
    }
    assert proof[50] < 500
    assert proof[380] > 3000


def test_banks_lie_in_series_where_no_can_stands_the_source(shelf):
    banks = [input_bank.banks_for(volts, 1, shelf, USUAL) for volts in (60, 340, 430, 800, 1000)]
    assert banks[:3] == [1, 1, 1]
    assert 2 <= banks[3] <= banks[4]
    best = max(c.v_rating for c in shelf.all(Capacitor) if c.family == "electrolytic")
    for volts, n in zip((800, 1000), banks[3:], strict=True):
        assert input_bank.can_voltage(volts, n) <= (1 - USUAL.input_capacitor_margin) * best
        assert input_bank.can_voltage(volts, n - 1) > (1 - USUAL.input_capacitor_margin) * best
    assert input_bank.banks_for(48, 2, shelf, USUAL) == 2


@pytest.mark.parametrize("route", [name for name, other in ROUTES.items() if name != ROUTE and "battery" in other.fed_by])
def test_every_other_route_stands_a_high_source(route, shelf):
    wave = "sine" if "sine" in ROUTES[route].waveforms else "square"
    source = {"chemistry": "LiFePO4", "cells": 60, "capacity": 20 * 3600.0}
    worked = work_out(fed(source, wave, watts=600), {}, shelf, USUAL, route)
    assert broken(worked) == 0
    assert shelf.get(Fuse, worked.builds["input_stage"].fuse).v_dc >= worked.brief.source.volts[2]
    assert worked.settled["nominal"].converged


def test_what_stops_at_once_is_what_the_current_had_reached():
    assert stopped(0.5, 1.0) == pytest.approx(2), "a steady pulse for half the time"
    assert stopped(1.0, 1.0) == pytest.approx(0), "a resistance goes on drawing"
    current, wave = step_current(1.0, 0.7)
    mean = float((current * wave).mean())
    tan = math.tan(math.acos(0.7))
    last = math.tanh(math.pi / 2 / tan)  # of a square wave: it runs from −last to last
    assert stopped(1.0, 0.7) == pytest.approx(2 * last / mean, rel=0.01)


def test_while_the_output_is_held_at_zero_the_source_is_out_of_the_way():
    """Two circuits in turn: R + R_s with L while it is driven, R with L while it is held."""
    share, load, source, henries = 0.4, 10.0, 3.0, 0.04
    on, off = (math.cos(math.atan2(2 * math.pi * 50 * henries, r)) for r in (load + source, load))
    half = 0.01

    def slope(t, y):
        driven = t < share * half
        return [(float(driven) - (load + source * driven) * y[0]) / henries]

    first = 0.0
    for _ in range(30):  # half-wave symmetry: −i(T/2) begins the next
        found = solve_ivp(slope, (0, half), [first], max_step=half / 4000, rtol=1e-9, atol=1e-12, dense_output=True)
        first = -found.y[0, -1]
    time = (np.arange(STEPS) + 0.5) * half / STEPS
    told, wave = step_current(share, on, False, off)
    assert np.abs(told / (load + source) - found.sol(time)[0]).max() < 2e-3 / (load + source)
    alike, _ = step_current(share, on)
    assert np.abs(alike - told).max() > 0.02, "it matters"
    assert step_form(share, on, False, 0.05, off).form == pytest.approx(
        math.sqrt(float((told**2).mean()) * share) / float((told * wave).mean()), rel=1e-6
    )


def test_dead_time_rings_in_the_inductor_as_the_scope_says(shelf):
    """A low modulation, a corner within reach of dead time's harmonics: without them the peak would be told a twentieth low."""
    source = rail(230, 0.03, 0.014, 40)
    brief = fed(source, "sine", 100, 850, 50, 0.88, loads=["lamp"])
    worked = work_out(brief, {"h_bridge.dead_time": 1.2e-6}, shelf, USUAL, ROUTE)
    told = next(a for a in agreements(worked) if a.name == "bridge, peak without ripple")
    assert told.sheet == pytest.approx(told.scope, rel=0.015)
    filtered = worked.settled["nominal"].states["output_filter"]
    assert filtered.flows.inductor()[1] < 0.97 * told.scope


def test_a_rail_that_needs_full_modulation_gets_a_drive_that_bears_it(shelf):
    worked = work_out(fed(rail(330), "sine"), {}, shelf, USUAL, ROUTE)
    driver = shelf.get(Driver, worked.builds["bridge_drive"].driver)
    assert not any(f.code == "bridge_drive.starves" for f in worked.told[1]), driver
