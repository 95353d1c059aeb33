"""A high-frequency socket straight from the secondary, beside a DC or an AC one."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import brentq

from rhombos.core.benches.rating import rating
from rhombos.core.blocks import hf_socket
from rhombos.core.book import high_frequency as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import Worked, explain, solve, work_out
from rhombos.core.frame.topology import RECTIFIERS, TOPOLOGIES
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.plots import charts
from rhombos.core.routes import ROUTES
from rhombos.core.units.quantities import fmt
from rhombos.core.waves.pulsation import STILL, Pulsation, open_share, pulsation

USUAL = PRESETS["usual"]
LINKED = [name for name, route in ROUTES.items() if route.beside]


def both(first: dict, hf: dict, source: dict | None = None) -> Brief:
    return Brief.model_validate({"sources": [source or {"kind": "battery"}], "outputs": [first, {"kind": "HF", **hf}]})


KILN = both(
    {"kind": "DC", "voltage": 340, "power": {"continuous": 400, "surge": 500}},
    {"voltage": 230, "frequency": "50k", "power": {"continuous": 200, "surge": 240}},
)
"""A DC socket for a small lathe's drive, and a hot wire beside it."""


@pytest.fixture(scope="module", params=LINKED)
def kiln(request, shelf) -> Worked:
    return work_out(KILN, {}, shelf, USUAL, request.param)


def march(v_s: float, leak: float, choke: float, link: float, drops: float, tap: float, ohms: float, coil: float,
          current: float, half: float) -> tuple[float, float, float]:  # fmt: skip
    """RMS across the load on the tap, the share of the time that pulses take, and the winding's highest current, of a secondary
    that feeds a bridge with a choke and a tapped load: instant by instant, the link held at a mean current.

    The winding's leakage carries the choke's current and the load's; while it carries less than both ask, the bridge's diodes
    all conduct and nothing stands across the winding.
    """
    steps = 4000
    dt = half / steps

    def period(width: float, begin: float) -> tuple[float, float, float, float]:
        """Ends at the choke's current, with the load's mean square, the choke's mean, and the winding's highest."""
        i_choke, i_leak, i_load, square, mean, highest = begin, 0.0, 0.0, 0.0, 0.0, 0.0
        for n in range(steps):
            on = n * dt < width
            if on and i_leak >= i_choke + tap * i_load - 1e-9:
                v = (v_s / leak + (link + drops) / choke + tap * ohms * i_load / coil) / (
                    1 / leak + 1 / choke + tap**2 / coil)  # fmt: skip
                i_choke += (v - drops - link) / choke * dt
                i_load += (tap * v - ohms * i_load) / coil * dt
                i_leak = i_choke + tap * i_load
            else:
                v = 0.0
                i_leak = i_leak + v_s / leak * dt if on else 0.0
                i_choke += -(link + drops) / choke * dt
                i_load += -ohms * i_load / coil * dt
            square += (ohms * i_load) ** 2 * dt / half
            mean += i_choke * dt / half
            highest = max(highest, i_leak)
        return i_choke, square, mean, highest

    def starts(width: float) -> float:
        """The choke's current at the start of a half period whose mean is the one asked."""
        found = current
        for _ in range(4):
            found += current - period(width, found)[2]
        return found

    width = float(brentq(lambda w: period(w, starts(w))[0] - starts(w), 0.3 * half, half, xtol=1e-3 * half))
    _, square, _, highest = period(width, starts(width))
    return math.sqrt(square), width / half, highest


@pytest.mark.parametrize("point", ["low", "nominal", "high"])
def test_the_socket_gets_what_a_march_of_winding_choke_and_load_gives_it(kiln, point):
    """Duty and voltage together: the load's rise through leakage and cord shortens what the link gets, too."""
    s, builds = kiln.settled[point], kiln.builds
    wound, rectified, hf = (s.states[k] for k in ("transformer", "rectifier", "hf_socket"))
    ratio, how = wound.ratio, RECTIFIERS[builds["rectifier"].circuit]
    share = builds["hf_socket"].turns / builds["transformer"].joined_turns
    current = rectified.current
    v_s = ratio * s.v_half - s.secondary_drop  # resistances told apart: they drop what their means drop
    drops = how.series * rectified.drop + current * rectified.choke_resistance
    volts, duty, highest = march(
        v_s, s.winding.leakage * ratio**2, builds["rectifier"].inductance, s.states["dc_link"].voltage, drops, share, hf.resistance,
        hf_socket.cord_of(kiln.brief.beside) + builds["hf_socket"].coil, current, 0.5 / builds["front_end"].frequency)  # fmt: skip
    assert hf.voltage == pytest.approx(volts, rel=0.005)
    assert 2 * s.states["front_end"].duty == pytest.approx(duty, rel=0.005)
    # what the switches turn off, but for what magnetises and what the losses before the winding add
    lost = s.flow["front_end"] / (s.flow["rectifier"] + hf.power)
    turned_off = s.turn_off - wound.magnetising_together / 2
    assert turned_off == pytest.approx(ratio * highest, rel=max(0.03, 1.5 * (lost - 1)))


def test_every_point_settles_and_balances(kiln):
    for key, s in kiln.settled.items():
        assert s.converged, key
        lost = sum(s.states[k].loss for k in s.flow if k not in (*s.endings, "source"))
        drawn = s.states["source"].terminal * s.states["source"].current
        assert drawn == pytest.approx(s.delivered + lost, rel=1e-6), key
    solution = explain(kiln, {})
    assert [f.code for f in solution.findings if f.severity in ("stop", "fix") and not f.unavoidable] == []
    assert "230 V 50 kHz high frequency, 200 W" in solution.totals.texts["asked"]
    assert solution.totals.power_out == pytest.approx(400 + kiln.settled["nominal"].states["hf_socket"].power, rel=1e-6)


def test_the_pulses_of_the_stage_carry_both(kiln):
    """The charge that flows into the stage while power flows is what is drawn at its voltage, but for what clamps and edges take."""
    s = kiln.settled["nominal"]
    drive = TOPOLOGIES[kiln.builds["front_end"].topology].drive
    powered = 2 * (s.states["front_end"].duty - s.states["front_end"].rising)
    through = s.pulse * drive * s.guess.v_in * powered
    assert through == pytest.approx(s.flow["front_end"], rel=0.03)
    hf = s.states["hf_socket"]
    assert through - hf.power == pytest.approx(s.flow["rectifier"] + s.states["transformer"].loss, rel=0.06)


def test_a_tap_adds_to_the_windings_what_two_currents_in_one_add():
    """Half of the turns carry the rectifier's 2 A and 1 A of the socket's in phase, the others 2 A alone."""
    assert hf_socket.heating(2.0, 2.0, 1.0, 0.5, 1) == pytest.approx(math.sqrt(0.5 * 3**2 + 0.5 * 2**2))
    # of two halves in turn one carries both, then the socket's alone; the other the rectifier's alone
    both_halves = 2 * hf_socket.heating(2.0, 2.0, 1.0, 0.5, 2) ** 2
    assert both_halves == pytest.approx(0.5 * 3**2 + 0.5 * 2**2 + 0.5 * 1**2 + 2**2)


def test_a_swing_beside_a_steady_current_is_that_of_their_sum():
    angle = 2 * np.pi * np.arange(4096) / 4096
    swinging = 1 + 0.7 * np.cos(angle)
    alone = Pulsation(float(np.mean(swinging**2)), 1.7)
    whole = 0.4 * swinging + 0.6
    seen = alone.beside(0.4)
    assert seen.mean_square == pytest.approx(float(np.mean(whole**2)))
    assert seen.peak == pytest.approx(float(whole.max()))
    assert alone.beside(1.0) is alone
    assert STILL.beside(0.4) is STILL


def test_a_tapped_winding_by_its_mesh_equations():
    """Two meshes: the whole winding's resistance splits at the tap by turns."""
    v, r, i, ohms, k = 400.0, 3.0, 2.0, 120.0, 0.4
    # the tapped part carries i and v_hf / ohms: k·v − k·r·(i + v_hf / ohms) = v_hf
    v_hf = float(np.linalg.solve([[1 + k * r / ohms]], [k * (v - r * i)])[0])
    assert book.tap_voltage.work({"k_tap": k, "V_sec": v, "R_s": r, "I_pulse": i, "R_L": ohms}) == pytest.approx(v_hf)


def test_winding_and_tap_drop_what_their_meshes_drop(kiln):
    """Two meshes on the resistance of the winding, the rectifier's current given."""
    s, builds = kiln.settled["nominal"], kiln.builds
    k = builds["hf_socket"].turns / builds["transformer"].joined_turns
    open_volts, r, i = (
        s.states["transformer"].ratio * s.v_half,
        s.guess.secondary_resistance,
        s.states["rectifier"].winding_pulse,
    )
    hf = s.states["hf_socket"]
    at_tap = hf.pulse  # what flows from the tap on while power flows
    assert hf.peak == pytest.approx(k * (open_volts - r * (i + at_tap)), rel=2e-3)
    assert s.secondary_drop == pytest.approx(r * (i + k * at_tap), rel=0.02)


def test_both_heat_the_windings(kiln):
    """RMS of the windings' currents from the two pulses, the rectifier's with its ripple left out."""
    s, builds = kiln.settled["nominal"], kiln.builds
    stage, wound, hf = (s.states[k] for k in ("front_end", "transformer", "hf_socket"))
    k = builds["hf_socket"].turns / builds["transformer"].joined_turns
    i = s.states["rectifier"].winding_pulse
    # while it flows: tapped turns carry both; the current rises for a short part of each pulse
    square = k * (i + hf.pulse) ** 2 + (1 - k) * i**2
    flows = 2 * (stage.duty - 2 * stage.rising / 3)
    assert wound.secondary_rms == pytest.approx(math.sqrt(square * flows) / builds["transformer"].secondary_paths, rel=0.03)


def test_it_is_rated_with_both(kiln):
    rated = rating(kiln)
    assert rated.power == pytest.approx(rated.share * 600)
    assert kiln.settled["nominal"].point.at(0.5).total == pytest.approx(300)


def test_with_nothing_beside_it_the_choke_runs_dry_and_takes_it_away(kiln):
    empty, full = (kiln.settled[k].states["hf_socket"].voltage for k in ("idle", "nominal"))
    assert empty < 0.5 * full
    told = {f.code: f for f in explain(kiln, {}).findings}
    assert not told["hf_socket.alone"].cures  # a DC socket wants its choke


def test_beside_a_sine_the_choke_may_go(shelf):
    asked = both({"kind": "AC", "power": {"continuous": 300, "surge": 450}}, {"voltage": 110})
    assert "without a choke" in next(f.remedy for f in solve(asked, {}, shelf, USUAL).findings if f.code == "hf_socket.alone")
    other = solve(asked, {"rectifier.circuit": "bridge, no choke"}, shelf, USUAL)
    assert "hf_socket.alone" not in {f.code for f in other.findings}
    assert [f.code for f in other.findings if f.severity in ("stop", "fix") and not f.unavoidable] == []


def test_without_a_choke_it_follows_the_source(shelf):
    found = work_out(KILN, {"rectifier.circuit": "bridge, no choke"}, shelf, USUAL)
    low, high = (found.settled[k] for k in ("low", "high"))
    over = high.states["hf_socket"].voltage / low.states["hf_socket"].voltage
    assert over == pytest.approx(high.guess.v_in / low.guess.v_in, rel=0.02)
    assert "hf_socket.strays" in {f.code for f in explain(found, {}).findings}


def test_held_it_goes_with_the_root_of_link_times_pulse(kiln):
    """Mean and height of the pulses make their RMS, where nothing slows them."""
    s = kiln.settled["high"]
    hf, share = s.states["hf_socket"], kiln.builds["hf_socket"].turns / kiln.builds["transformer"].joined_turns
    rectified = s.states["rectifier"]
    mean = s.states["dc_link"].voltage + 2 * rectified.drop + rectified.current * rectified.choke_resistance
    assert hf.voltage / math.sqrt(hf.lag) == pytest.approx(math.sqrt(share * mean * hf.peak), rel=0.05)


@pytest.mark.parametrize("wave", ["sine", "modified", "square"])
def test_beside_an_alternating_socket_its_steady_power_thins_the_swing(wave, shelf):
    asked = both(
        {"kind": "AC", "waveform": wave, "power": {"continuous": 300, "surge": 450}},
        {"voltage": 110, "frequency": "40k", "power": {"continuous": 150, "surge": 150}}, {"kind": "battery", "cells": 16},
    )  # fmt: skip
    found = work_out(asked, {}, shelf, USUAL, "full-bridge link")
    for key, s in found.settled.items():
        assert s.converged, key
    s = found.settled["nominal"]
    share = 1 - s.states["hf_socket"].power / (s.pulse * s.guess.v_in * 2 * (
        s.states["front_end"].duty - s.states["front_end"].rising))  # fmt: skip
    assert s.drawn.mean_square - 1 == pytest.approx(share**2 * (s.swing.mean_square - 1), rel=1e-3)
    assert s.states["hf_socket"].voltage == pytest.approx(110, rel=0.1)
    assert [f.code for f in explain(found, {}).findings if f.severity in ("stop", "fix") and not f.unavoidable] == []


def test_a_short_meets_leakage_and_cord_alone(kiln):
    """The rise by hand, in the switches, from where they trip until they are off."""
    builds = kiln.builds
    ratio = builds["hf_socket"].turns / builds["transformer"].joined_turns * builds["transformer"].ratio
    behind = (1.4e-6 + builds["hf_socket"].coil) / ratio**2  # two metres of cord
    s = kiln.settled["nominal"]
    volts = TOPOLOGIES[builds["front_end"].topology].drive * kiln.brief.source.volts[2]
    rises = volts / (s.winding.leakage + behind) * builds["protection"].short_delay
    block = next(b for b in explain(kiln, {}).blocks if b.key == "hf_socket")
    shown = next(f.value for f in block.figures if f.address == "hf_socket.short_off")
    assert shown == pytest.approx(s.states["controller"].trip + rises)
    bare = solve(KILN, {"hf_socket.coil": 0}, kiln.shelf, USUAL, kiln.route.key)
    block = next(b for b in bare.blocks if b.key == "hf_socket")
    off = next(f for f in block.figures if f.address == "hf_socket.short_off")
    assert off.value > shown
    assert ("hf_socket.short" in {f.code for f in bare.findings}) is (off.stress > off.house)


@pytest.mark.parametrize(
    ("hf", "pins", "code"),
    [
        ({"loads": ["fan"]}, {}, "hf_socket.wave"),
        ({"voltage": 900}, {}, "hf_socket.voltage"),
        ({}, {"front_end.frequency": "70k"}, "hf_socket.frequency"),
        ({}, {"hf_socket.fuse": 0.5}, "hf_socket.fuse"),
        ({}, {"hf_socket.turns": 4000}, "hf_socket.tap"),
        ({}, {"hf_socket.turns": 10}, "hf_socket.voltage"),
    ],
)
def test_what_is_wrong_with_it_is_told(hf, pins, code, shelf):
    asked = both(KILN.outputs[0].model_dump(), {"power": {"continuous": 200, "surge": 240}, **hf})
    found = next(f for f in solve(asked, pins, shelf, USUAL).findings if f.code == code)
    assert found.severity in ("stop", "fix")
    for cure in found.cures:
        again = solve(asked, {**pins, **cure.patch}, shelf, USUAL)
        assert code not in {f.code for f in again.findings if not f.unavoidable}


@pytest.mark.parametrize("route", [n for n, route in ROUTES.items() if n not in LINKED and "battery" in route.fed_by])
def test_a_route_without_a_link_has_none(route, shelf):
    asked = both({"kind": "AC", "waveform": ROUTES[route].waveforms[0]}, {})
    assert [f.code for f in solve(asked, {}, shelf, USUAL, route).findings] == ["route.beside"]


def test_its_pictures_are_of_its_figures(kiln):
    shown = {c.key: c for c in charts(kiln, "hf_socket")}
    now = kiln.settled["nominal"].states["hf_socket"]
    volts = next(s for s in shown["hf_wave"].series if s.name == "voltage")
    assert max(volts.y) == pytest.approx(now.peak, rel=1e-3)
    amps = next(s for s in shown["hf_wave"].series if s.name.startswith("current"))
    drawn = np.array(amps.y) / max(amps.y) * now.ends  # scaled to its peak, which the legend tells
    assert float(np.sqrt((drawn**2).mean())) == pytest.approx(now.current, rel=0.02)
    both, alone = shown["hf_over_source"].series
    low, high = (kiln.settled[k].states["hf_socket"].voltage for k in ("low", "high"))
    assert (both.y[0], both.y[-1]) == (pytest.approx(low, rel=0.01), pytest.approx(high, rel=0.01))
    assert max(alone.y) < min(both.y)


def test_its_circuit_shows_fields_and_figures_that_it_has(kiln):
    block = next(b for b in explain(kiln, {}).blocks if b.key == "hf_socket")
    written, texts = {(t.name, t.value) for t in block.circuit.texts}, {f.address: f.text for f in block.figures}
    assert {("L801", texts["hf_socket.coil"]), ("R L", texts["hf_socket.resistance"])} <= written
    assert block.given == fmt(kiln.settled["nominal"].states["hf_socket"].power, "W")
    assert not any(b.given for b in solve(KILN.model_copy(update={"outputs": KILN.outputs[:1]}), {}, kiln.shelf, USUAL).blocks)


def test_silent_and_recorded_states_are_the_same(kiln):
    s = kiln.settled["low"]
    again = kiln.route.converge_all(kiln.builds, kiln.brief, kiln.shelf, USUAL, keys=("low",), start=kiln.settled)["low"]
    assert again.states["hf_socket"].voltage == pytest.approx(s.states["hf_socket"].voltage, rel=1e-3)
    assert hf_socket.load_of(kiln.brief.beside, 0.0, SILENT) == hf_socket.OPEN


@pytest.mark.parametrize("counted", [True, False])
def test_leakage_alone_takes_what_a_rising_exponential_lacks(counted):
    """Pulses of 9 µs whose current rises in 0.4 µs; where that is taken off their share already, as of a choke's current."""
    hertz, lasts, ohms, leak = 50e3, 9e-6, 100.0, 40e-6
    time = np.linspace(0, lasts, 100_001)
    rising = 1 - np.exp(-time * ohms / leak)
    powered = 2 * hertz * (lasts - (leak / ohms if counted else 0.0))
    found = hf_socket.assess(
        hf_socket.Tapped(1.0, 200.0, 0.0, 0.0), ohms, 1.0, 200.0, powered, leak, counted, hertz, SILENT)  # fmt: skip
    square = 2 * hertz * float(np.trapezoid((200 * rising) ** 2, time))
    assert found.voltage == pytest.approx(math.sqrt(square), rel=1e-3)


def test_switches_turn_off_what_the_cord_has_let_rise(shelf):
    """At the end of a pulse a current behind ten metres of cord stands above its mean."""
    asked = both(KILN.outputs[0].model_dump(), {"voltage": 60, "cord": 10, "power": {"continuous": 200, "surge": 200}})
    found = work_out(asked, {}, shelf, USUAL, "full-bridge link")
    s, builds = found.settled["nominal"], found.builds
    hf, wound, rectified = (s.states[k] for k in ("hf_socket", "transformer", "rectifier"))
    tau = (10 * 0.7e-6 + builds["hf_socket"].coil) / hf.resistance
    lasts = hf.powered / (2 * builds["front_end"].frequency)
    gone = math.exp(-lasts / tau)
    above = hf.peak / hf.resistance * (tau / lasts * (1 - gone) - gone)
    share = builds["hf_socket"].turns / builds["transformer"].joined_turns
    over = s.turn_off - s.pulse - wound.magnetising_together / 2
    assert over == pytest.approx(wound.ratio * (rectified.ripple / 2 + share * above), rel=0.02)
    assert share * above > 0.1 * rectified.ripple / 2
    # and what lags heats the switches, too, by its RMS
    flat = wound.ratio * share * hf.pulse
    square = (s.pulse - flat) ** 2 + 2 * (s.pulse - flat) * flat * hf.heats / hf.pulse + (flat * hf.heats / hf.pulse) ** 2
    assert s.form**2 == pytest.approx(square / s.pulse**2, rel=5e-3)
    assert s.form > 1.001


def test_without_a_choke_the_swing_meets_the_resistance_of_its_own_current(shelf):
    """Of what drops before the link, only what grows with the link's current is a resistance to its swing."""
    asked = both(
        {"kind": "AC", "power": {"continuous": 200, "surge": 250}},
        {"voltage": 110, "power": {"continuous": 400, "surge": 400}}, {"kind": "battery", "capacity": "40 Ah"},
    )  # fmt: skip
    found = work_out(asked, {"rectifier.circuit": "bridge, no choke"}, shelf, USUAL)
    at = found.settled["nominal"].point
    near = found.route.converge_all(
        found.builds, found.brief, shelf, USUAL, start=found.settled,
        points={k: replace(at, key=k, power=p * at.power) for k, p in (("less", 0.8), ("more", 1.2))})  # fmt: skip
    (v_1, i_1), (v_2, i_2) = ((s.states["rectifier"].link, s.states["rectifier"].current) for s in near.values())
    s = found.settled["nominal"]
    met = open_share(found.brief.output.frequency, (v_1 - v_2) / (i_2 - i_1), 0.0, s.path.bank, len(s.demand))
    swings = pulsation(s.demand, met)
    assert s.swing.mean_square - 1 == pytest.approx(swings.mean_square - 1, rel=0.15)


def test_a_tap_makes_up_for_the_coil_that_is_proposed_with_it():
    """Behind 400 µH instead of 100 µH: by the phasor of the fundamental, which is most of it, and no less than that."""
    ohms, hertz, powered = 140.0, 28e3, 0.8
    output = KILN.beside

    def state(coil: float) -> hf_socket.HfState:
        factor = hf_socket.factor_of(ohms, hf_socket.cord_of(output) + coil, hertz, SILENT)
        at = hf_socket.Tapped(1.0, 300.0, 0.0, 0.0)
        return hf_socket.assess(at, ohms, factor, 300.0, powered, 0.0, False, hertz, SILENT)

    small, large = state(100e-6), state(400e-6)
    found = hf_socket.keeps(output, 400e-6, small, hertz)
    assert found == pytest.approx(large.voltage / small.voltage, rel=1e-9)
    assert found == pytest.approx(large.factor / small.factor, rel=0.06)
    assert hf_socket.keeps(output, 400e-6, None, hertz) == 1.0


def test_coil_and_tap_do_not_take_turns(shelf):
    """A socket whose coil against a short is as large as its load: 0.5 mH before 145 Ω at 28 kHz."""
    brief = both(
        {"kind": "AC", "voltage": 230, "power": {"continuous": 345, "surge": 1036, "power_factor": 0.74}},
        {"voltage": 267.5, "frequency": 27.9e3, "power": {"continuous": 495, "surge": 1484}},
        {"kind": "battery", "chemistry": "LiFePO4", "cells": 11, "capacity": 122 * 3600.0})  # fmt: skip
    worked = work_out(brief, {}, shelf, USUAL, "half-bridge link")
    low, high = (worked.settled[k].states["hf_socket"].voltage for k in ("low", "high"))
    assert math.sqrt(low * high) == pytest.approx(267.5, rel=0.04)
