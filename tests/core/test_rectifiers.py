"""Rectifiers by circuit: pulses integrated in time, rings pumped edge by edge, and whole designs with each of them."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from rhombos.core.blocks import h_bridge
from rhombos.core.book import rectifier as book
from rhombos.core.book import source
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.frame.topology import RECTIFIERS, TOPOLOGIES
from rhombos.core.magnetics_bench.bench import coil_bench
from rhombos.core.parts import Diode
from rhombos.core.plots import charts
from rhombos.core.routes import lossy
from tests.core.asking import written_short

USUAL = PRESETS["usual"]
FREE = [name for name, how in RECTIFIERS.items() if not how.choke]
PULSES = [(1.2, 20e-6, 0.45), (0.05, 60e-6, 0.40), (9.0, 4e-6, 0.30)]
"""Resistance, Ω; leakage, H; duty: about one time constant, nearly a ramp, nearly flat."""


def asking(brief: Brief, wave: str) -> Brief:
    content = written_short(brief)
    content["output"]["waveform"] = wave
    return Brief.model_validate(content)


def one_pulse(ohms, henries, duty, drive, rate=50e3):
    """Current of a pulse that starts from zero behind a voltage `drive`: its times and amperes, integrated."""
    on = duty / rate
    found = solve_ivp(
        lambda t, i: (drive - ohms * i) / henries, (0, on), [0.0], rtol=1e-10, atol=1e-12, t_eval=np.linspace(0, on, 4001)
    )
    return found.t, found.y[0]


@pytest.mark.parametrize(("ohms", "henries", "duty"), PULSES)
def test_a_charging_pulse_is_that_of_its_circuit(ohms, henries, duty):
    rate, drive = 50e3, 7.0
    t, i = one_pulse(ohms, henries, duty, drive, rate)
    mean = np.trapezoid(i, t) / t[-1]
    way = {"R": ohms, "L_lk": henries, "D": duty, "f_s": rate}
    peak = book.charging_peak.work({"I_pulse": mean, **way})
    assert peak == pytest.approx(i[-1], rel=1e-5)
    assert book.charging_form.work(way) == pytest.approx(math.sqrt(np.trapezoid(i**2, t) / t[-1]) / mean, rel=1e-5)
    # what drives the pulse, V, is what its resistance and its leakage take
    lost = book.leakage_drop.work({"L_lk": henries, "I_pk": peak, "f_s": rate, "D": duty})
    assert ohms * mean + lost == pytest.approx(drive, rel=1e-5)
    # and the energy that the leakage holds at the end is what neither resistance nor bank has taken
    assert drive * mean * t[-1] - ohms * np.trapezoid(i**2, t) == pytest.approx(henries * i[-1] ** 2 / 2, rel=1e-5)


def test_a_pulse_lies_between_a_ramp_and_a_block():
    ramp, block = ({"R": 1e-2, "L_lk": 1e-4}, {"R": 100.0, "L_lk": 1e-9})
    for way, peak, form in ((ramp, 2.0, 2 / math.sqrt(3)), (block, 1.0, 1.0)):
        way |= {"D": 0.4, "f_s": 50e3}
        assert book.charging_peak.work({"I_pulse": 1.0, **way}) == pytest.approx(peak, rel=1e-3)
        assert book.charging_form.work(way) == pytest.approx(form, rel=1e-3)


@pytest.mark.parametrize("name", RECTIFIERS)
def test_charge_in_is_charge_out(name):
    """A pulse in each half period, into the bank or banks that see it, gives the link's mean current."""
    how = RECTIFIERS[name]
    pulse = book.charging_pulse.work({"gain_r": how.gain, "I_out": 2.0, "D": 0.4})
    per_bank = pulse * 0.4 * (2 if how.gain == 1 else 1)
    assert per_bank == pytest.approx(2.0)


@pytest.mark.parametrize(("form", "share"), [(1.0, 0.8), (1.1, 0.9), (1.15, 0.45)])
def test_what_a_bank_carries_is_the_pulses_without_their_mean(form, share):
    """Trapezia of the same form factor, sampled."""
    t = np.linspace(0, 1, 200_001)
    tilt = math.sqrt(12 * (form**2 - 1))  # of a straight line about a mean of 1
    wave = np.where(t < share, 1 + tilt * (t / share - 0.5), 0.0) / share
    assert np.trapezoid(wave, t) == pytest.approx(1.0, rel=1e-4)
    asked = source.shaped_ripple.work({"I": 1.0, "form": form, "D_tot": share})
    assert asked == pytest.approx(math.sqrt(np.trapezoid((wave - 1) ** 2, t)), rel=1e-3)


@pytest.mark.parametrize(("stray", "load"), [(80e-12, 100e3), (200e-12, 470e3), (30e-12, 10e3)])
def test_an_unloaded_link_climbs_until_its_load_takes_what_the_ring_brings(stray, load):
    volts, leak, rate = 400.0, 25e-6, 50e3

    def pumped(link):
        """Charge that one edge brings into a link, C: a ring up to the link, then a current that falls to zero."""

        def reach(t, y):
            return y[0] - link

        reach.terminal = True
        rise = solve_ivp(
            lambda t, y: (y[1] / stray, (volts - y[0]) / leak),
            (0, 1e-5),
            [0.0, 0.0],
            events=reach,
            rtol=1e-9,
            atol=1e-12,
            max_step=2e-9,
        )
        current = rise.y[1][-1]
        return current**2 * leak / 2 / (link - volts)

    climbs = brentq(lambda v: 2 * rate * pumped(v) - v / load, volts * 1.0005, volts * 1.9995)
    asked = book.unloaded_link.work({"V_sec": volts, "f_s": rate, "C_par": stray, "R": load})
    assert asked == pytest.approx(climbs, rel=2e-3)


def test_half_a_centre_tapped_secondary_freewheels_too():
    t = np.linspace(0, 1, 400_001)
    duty, amps = 0.37, 5.0
    wave = np.select([t < duty, (t >= 0.5) & (t < 0.5 + duty)], [amps, 0.0], amps / 2)
    asked = book.freewheeling_rms.work({"I_out": amps, "D": duty})
    assert asked == pytest.approx(math.sqrt(np.trapezoid(wave**2, t)), rel=1e-4)


@pytest.fixture(
    scope="module", params=[(c, w) for c in RECTIFIERS for w in ("sine", "square")], ids=lambda p: f"{p[0]}, {p[1]}"
)
def rectified(request, refuge, shelf):
    name, wave = request.param
    return work_out(asking(refuge, wave), {"rectifier.circuit": name}, shelf, USUAL)


def test_every_rectifier_balances(rectified):
    infeasible = rectified.route.infeasible(rectified.settled)
    for key, s in rectified.settled.items():
        cells = s.states["source"]
        lost = sum(s.states[k].loss for k in lossy(rectified.route, rectified.brief.waves))
        assert key in infeasible or cells.terminal * cells.current == pytest.approx(s.flow["load"] + lost, rel=1e-3), key


def test_the_link_is_what_its_circuit_makes_of_the_secondary(rectified, shelf):
    build = rectified.builds["rectifier"]
    how, diode = RECTIFIERS[build.circuit], shelf.get(Diode, build.diode)
    turns = rectified.builds["transformer"]
    ratio = turns.secondary_turns / turns.primary_turns
    for key in ("nominal", "low", "high"):
        s = rectified.settled[key]
        link, state = s.states["dc_link"].voltage, s.states["rectifier"]
        open_v = ratio * TOPOLOGIES["push-pull"].drive * s.v_in
        if how.choke:
            assert link == rectified.builds["dc_link"].voltage
            assert link < 2 * s.states["front_end"].duty * open_v
            continue
        # the whole circuit integrated: battery's voltage through the turns, resistance, leakage, diodes, a stiff bank behind
        leak = ratio**2 * (s.states["transformer"].leakage + USUAL.lead_inductance)
        ohms = s.guess.charging_resistance(ratio) + how.series * diode.r
        rate = rectified.builds["front_end"].frequency

        def short_of(volts, open_v=open_v, ohms=ohms, leak=leak, rate=rate, s=s):
            t, i = one_pulse(ohms, leak, USUAL.duty_limit, open_v - how.series * diode.v_0 - volts / how.gain, rate)
            return volts * np.trapezoid(i, t) * rate * 2 / how.gain - s.flow["dc_link"]

        found = brentq(short_of, 0.9 * link, how.gain * (open_v - how.series * diode.v_0))
        assert link == pytest.approx(found, rel=3e-3), key
        _, i = one_pulse(ohms, leak, USUAL.duty_limit, open_v - how.series * diode.v_0 - found / how.gain, rate)
        assert i[-1] * s.swing.peak == pytest.approx(state.pulse_peak, rel=0.05)


def test_what_the_diodes_block(rectified):
    how = RECTIFIERS[rectified.builds["rectifier"].circuit]
    s = rectified.settled["high"].states
    ratio = s["transformer"].ratio
    at = rectified.settled["high"]
    secondary = ratio * at.v_half - at.secondary_drop
    each = {"bridge": 1, "centre tap": 2, "two bridges in series": 1 / 2, "three bridges in series": 1 / 3}
    blocked = each[how.name.split(",")[0]] * secondary if how.gain == 1 else s["dc_link"].voltage
    assert s["rectifier"].reverse - s["rectifier"].ring == pytest.approx(blocked, rel=2e-4)


def test_only_a_choke_makes_the_link_stand_still(rectified):
    how = RECTIFIERS[rectified.builds["rectifier"].circuit]
    links = [rectified.settled[k].states["dc_link"].voltage for k in ("low", "nominal", "high")]
    duties = [rectified.settled[k].states["front_end"].duty for k in ("low", "nominal", "high")]
    empty, _, full = rectified.brief.source.volts
    if how.choke:
        assert links[0] == links[2]
        assert duties[0] > duties[1] > duties[2]
    else:
        assert links[2] / links[0] == pytest.approx(full / empty, rel=0.05)
        assert set(duties) == {USUAL.duty_limit}


def test_an_open_switch_of_the_bridge_stands_at_the_highest_that_its_link_reaches(rectified):
    """Half the ripple above the set-point with its tolerance; or above the mean that follows the input, and no lower than an
    unloaded rectifier climbs."""
    held = RECTIFIERS[rectified.builds["rectifier"].circuit].choke
    for key, s in rectified.settled.items():
        link, ring = s.states["dc_link"], s.states["rectifier"]
        crest = link.voltage * (1 + USUAL.link_tolerance * held) + link.ripple / 2
        highest = crest if held else max(crest, ring.unloaded)
        assert s.states["h_bridge"].switch_voltage == pytest.approx((1 + h_bridge.STRAY_SPIKE) * highest, rel=1e-4), key


def test_a_stepped_output_follows_an_unheld_link_and_a_sine_does_not(refuge, shelf):
    pins = {"rectifier.circuit": "doubler, no choke"}
    square = work_out(asking(refuge, "square"), pins, shelf, USUAL).settled
    assert square["high"].states["h_bridge"].output > 1.2 * square["low"].states["h_bridge"].output
    rose = square["high"].states["dc_link"].voltage / square["low"].states["dc_link"].voltage
    assert square["high"].flow["load"] / square["low"].flow["load"] == pytest.approx(rose**2, rel=1e-3)
    sine = work_out(refuge, pins, shelf, USUAL).settled
    assert sine["high"].flow["load"] == sine["low"].flow["load"] == refuge.power.continuous
    assert sine["high"].states["h_bridge"].modulation < sine["low"].states["h_bridge"].modulation


def test_a_doubler_has_half_the_turns_and_two_banks_that_share(refuge, shelf):
    bridge, doubler = (
        work_out(refuge, {"rectifier.circuit": c, "front_end.frequency": 50e3}, shelf, USUAL)
        for c in ("bridge, no choke", "doubler, no choke")
    )
    ratios = [w.settled["nominal"].states["transformer"].ratio for w in (bridge, doubler)]
    assert ratios[0] == pytest.approx(2 * ratios[1], rel=0.06)
    found = {f.code: f for f in solve(refuge, {"rectifier.circuit": "doubler, no choke"}, shelf, USUAL).findings}
    assert "dc_link.balance" in found
    assert doubler.builds["dc_link"].banks == 2
    assert sum(i.count for i in parts_of(doubler, "dc_link", shelf) if "capacitor" in i.what) == (
        2 * doubler.builds["dc_link"].count
    )


def parts_of(worked, block, shelf):
    module = next(b for b in worked.path if block == b.key)
    return module.parts(worked.builds[block], shelf)


@pytest.mark.parametrize("name", FREE)
def test_without_a_choke_the_user_is_told_what_follows(name, refuge, shelf):
    solved = solve(asking(refuge, "square"), {"rectifier.circuit": name}, shelf, USUAL)
    found = {f.code: f for f in solved.findings}
    for code in ("rectifier.follows", "rectifier.climbs", "h_bridge.regulation", "controller.open_loop"):
        assert code in found, code
    for code in ("rectifier.follows", "rectifier.climbs", "h_bridge.regulation"):
        for cure in found[code].cures:
            cured = solve(asking(refuge, "square"), {"rectifier.circuit": name} | cure.patch, shelf, USUAL)
            assert code not in {f.code for f in cured.findings}
    figures = {f.address for b in solved.blocks for f in b.figures}
    assert "rectifier.inductance" not in figures
    assert "controller.crossover" not in figures
    assert "rectifier.pulse_peak" in figures
    assert "rectifier.unloaded" in figures


@pytest.mark.parametrize("name", RECTIFIERS)
def test_bench_and_pictures_know_whether_there_is_a_choke(name, refuge, shelf):
    worked = work_out(refuge, {"rectifier.circuit": name}, shelf, USUAL)
    assert (coil_bench(worked, "rectifier") is not None) == RECTIFIERS[name].choke
    for block in worked.builds:
        for chart in charts(worked, block):
            for series in chart.series:
                assert np.isfinite(series.x).all()
                assert np.isfinite(series.y).all()
    sheet = coil_bench(worked, "transformer").sheet
    halves = [r for r in sheet.rows if r.what.startswith("secondary")]
    assert ("both halves" in halves[0].what) == (RECTIFIERS[name].halves == 2)
    assert ("S3" in halves[0].starts) == (RECTIFIERS[name].halves == 2)


@pytest.mark.parametrize("name", RECTIFIERS)
@pytest.mark.parametrize("route", ["half-bridge link", "full-bridge link"])
def test_bridges_drive_every_rectifier_too(name, route, refuge, shelf):
    worked = work_out(refuge, {"rectifier.circuit": name}, shelf, USUAL, route)
    assert worked.route.infeasible(worked.settled) <= {"surge_low"}
    solved = solve(refuge, {"rectifier.circuit": name}, shelf, USUAL, route)
    assert 0.8 < solved.totals.efficiency < 0.97


@pytest.mark.parametrize("name", FREE)
@pytest.mark.parametrize(("cells", "watts"), [(3, 50), (18, 3000), (3, 3000)])
def test_at_the_extremes_it_solves_or_says_why_not(name, cells, watts, refuge, shelf):
    content = written_short(refuge)
    content["source"] |= {"cells": cells}
    content["power"] |= {"continuous": watts, "surge": watts}
    solved = solve(Brief.model_validate(content), {"rectifier.circuit": name}, shelf, USUAL)
    assert solved.blocks
    for block in solved.blocks:
        for figure in block.figures:
            assert "nan" not in figure.text
            assert "inf" not in figure.text
