"""Ripple returned to the source, and an input that may oscillate: against circuits solved otherwise."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from rhombos.core.blocks import input_filter, input_stage
from rhombos.core.blocks.input_filter import LEAST_DAMPING, PROPOSED_DAMPING, Noise, Way
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.frame.worksheet import SILENT

USUAL = PRESETS["usual"]
WAY = Way(resistance=30e-3, leads=2.4e-6, choke=0.0, damper=0.0, bank=1e-3, esr=12e-3, esl=3e-9)


@pytest.mark.parametrize("duty", [0.2, 0.45, 0.62, 0.9])
@pytest.mark.parametrize("order", [1, 2, 5])
def test_a_line_of_the_pulses_is_that_of_their_spectrum(duty, order):
    steps = 2**16
    pulse = np.where(np.arange(steps) + 0.5 < duty * steps, 10.0 / duty, 0.0)
    lines = np.abs(np.fft.rfft(pulse)) * 2 / steps / math.sqrt(2)
    assert Noise(100e3, duty).line(order, 10.0, SILENT) == pytest.approx(lines[order], rel=1e-3, abs=2e-3)


@pytest.mark.parametrize("way", [WAY, replace(WAY, choke=4e-6), replace(WAY, choke=4e-6, damper=0.5)])
def test_what_returns_is_what_a_march_of_leads_choke_and_bank_finds(way):
    """Source, resistance, leads, choke with the resistor across it, and a bank that gives pulses of current; its leads apart."""
    way = replace(way, esl=0.0)
    hertz, duty, mean = 80e3, 0.6, 20.0
    period = 1 / hertz
    noticed = input_filter.rest(Noise(hertz, duty), mean, 24.0, way, SILENT)
    found, at = noticed.ripple, noticed.hertz

    def rates(x: np.ndarray, taken: float) -> list[float]:
        amps, choked, volts = x
        bank = volts + way.esr * (amps - taken)
        across = way.damper * (amps - choked) if way.damper else 0.0
        if way.choke and not way.damper:  # one inductance
            rate = (24.0 - way.resistance * amps - bank) / (way.leads + way.choke)
            return [rate, rate, (amps - taken) / way.bank]
        fall = (24.0 - way.resistance * amps - bank - across) / way.leads
        return [fall, across / way.choke if way.choke else 0.0, (amps - taken) / way.bank]

    x, t, kept = np.array([mean, mean, 24.0 - way.resistance * mean]), 0.0, []
    for n in range(1200):
        record = n >= 1136
        for width, taken in ((duty * period, mean / duty), ((1 - duty) * period, 0.0)):
            grid = np.linspace(0, width, round(width / period * 1000) + 1)
            run = solve_ivp(
                lambda _, y, i=taken: rates(y, i), (0, width), x, t_eval=grid if record else None, rtol=1e-8, atol=1e-9
            )
            x = run.y[:, -1]
            if record:
                kept.append(run.y[0, :-1])
            t += width
    amps = np.concatenate(kept)
    lines = np.abs(np.fft.rfft(amps * np.hanning(amps.size))) * 4 / amps.size / math.sqrt(2)
    cycles = 64 * round(at / hertz)
    assert found == pytest.approx(lines[cycles - 1 : cycles + 2].max(), rel=0.03)


def roots_of(way: Way, slope: float) -> np.ndarray:
    """The small-signal states of leads, choke, bank, before a stage that draws −v/slope."""
    # the bank's node: i − v/(−slope)… v = vc + esr·(i + v/slope)  →  v = (vc + esr·i)/(1 − esr/slope)
    share = 1 / (1 - way.esr / slope)
    node = np.array([way.esr * share, 0.0, share])  # of i, i_choke, vc
    drawn = np.array([1.0, 0.0, 0.0]) + node / slope
    if not (way.choke and way.damper):
        whole = way.leads + way.choke
        rows = [(-way.resistance * np.array([1.0, 0, 0]) - node) / whole, np.zeros(3), drawn / way.bank]
        return np.linalg.eigvals(np.array(rows)[np.ix_([0, 2], [0, 2])])
    across = way.damper * np.array([1.0, -1.0, 0.0])
    rows = [(-way.resistance * np.array([1.0, 0, 0]) - across - node) / way.leads, across / way.choke, drawn / way.bank]
    return np.linalg.eigvals(np.array(rows))


@settings(max_examples=200, deadline=None)
@given(
    st.floats(2e-3, 0.3), st.floats(1e-7, 3e-5), st.just(0.0) | st.floats(1e-8, 1e-4), st.just(0.0) | st.floats(1e-3, 3),
    st.floats(2e-5, 2e-2),
    st.floats(1e-4, 0.1), st.floats(0.4, 50))  # fmt: skip
def test_the_damping_is_that_of_the_circuits_own_roots(ohms, leads, choke, damper, bank, esr, slope):
    way = Way(ohms, leads, choke, damper if choke else 0.0, bank, esr, 0.0)
    if slope <= 1.05 * max(ohms, esr):
        return
    roots = roots_of(way, slope)
    found = input_filter.damping(way, slope)
    assert (found > 0) == bool(np.all(roots.real < 0)) or abs(found) < 1e-6
    pairs = [-r.real / abs(r) for r in roots if abs(r.imag) > 1e-6 * abs(r)]
    if pairs and -0.99 < found < 0.99:
        assert found == pytest.approx(min(pairs), rel=1e-5, abs=1e-8)


@pytest.mark.parametrize(("bank", "grows"), [(40e-6, True), (600e-6, False)])
def test_a_stage_of_constant_power_lets_a_swing_grow_or_fade(bank, grows):
    """The whole, not its slope: P/v at every instant, marched by SciPy after a nudge."""
    way = Way(40e-3, 12e-6, 0.0, 0.0, bank, 5e-3, 0.0)
    power, emf = 500.0, 24.0
    amps = (emf - math.sqrt(emf**2 - 4 * way.resistance * power)) / (2 * way.resistance)
    volts = emf - way.resistance * amps

    def rates(_: float, x: np.ndarray) -> list[float]:
        i, vc = x
        v = vc
        for _turn in range(6):
            v = vc + way.esr * (i - power / max(v, 6.0))
        return [(emf - way.resistance * i - v) / way.leads, (i - power / max(v, 6.0)) / way.bank]

    time = 30 * 2 * math.pi * math.sqrt(way.leads * bank)
    found = solve_ivp(rates, (0, time), [amps, volts * 1.001], rtol=1e-8, atol=1e-9, t_eval=np.linspace(0, time, 6000)).y[1]
    first, last = np.ptp(found[:600]), np.ptp(found[-600:])
    assert (last > 2 * first) == grows
    assert (input_filter.damping(way, volts / amps) < 0) == grows


def test_a_proposed_bank_is_as_large_as_the_damping_asks():
    way = Way(20e-3, 12e-6, 0.0, 0.0, 1.0, 0.0, 0.0)
    bank = input_filter.bank_for(way, 0.8)
    assert input_filter.damping(replace(way, bank=bank), 0.8) == pytest.approx(PROPOSED_DAMPING, rel=1e-6)


@pytest.mark.parametrize("most", [30e-3, 5e-3, 1e-3])
def test_a_proposed_choke_keeps_the_ripple_and_the_damping(most):
    noise = Noise(100e3, 0.6, constant=True)
    made = input_filter.filter_for(noise, 25.0, most, WAY, 0.9, 10.0)
    assert made.choke > 0
    assert max(input_filter.returned(noise, 25.0, made, SILENT)) <= most
    assert input_filter.damping(made, 0.9) >= PROPOSED_DAMPING
    assert made.bank * made.esr == pytest.approx(WAY.bank * WAY.esr), "more of the same cans"
    smaller = replace(made, choke=0.8 * made.choke)
    assert max(input_filter.returned(noise, 25.0, smaller, SILENT)) > most


@pytest.mark.parametrize("choke", [0.0, 1e-6])
def test_a_series_switch_and_a_pinned_choke_count_in_the_drop_of_any_proposal(choke, refuge, shelf):
    """What calms the input is all resistance in its way; a choke's own is part of the drop."""
    pins = {"input_stage.reverse": "series switch", "input_stage.choke": choke, "input_stage.choke_ohms": 5e-3}
    told = solve(refuge, pins, shelf, USUAL)
    assert not {f.code for f in told.findings} & {"input_stage.reverse", "input_stage.oscillates"}
    worked = work_out(refuge, pins, shelf, USUAL)
    entry, build = worked.settled["nominal"].states["input_stage"], worked.builds["input_stage"]
    contacts = USUAL.contact_resistance + build.reverse_ohms + (5e-3 if choke else 0.0)
    assert entry.contact_loss == pytest.approx(entry.fuse_load**2 * contacts, rel=1e-6)


def test_no_choke_is_proposed_where_none_is_asked_or_needed(refuge, shelf):
    assert solve(refuge, {}, shelf, USUAL).build["input_stage"]["choke"] == 0
    assert solve(refuge.but(source={"ripple_limit": 1.0}), {}, shelf, USUAL).build["input_stage"]["choke"] == 0


ROUTES_WITH_A_CARRIER = ["push-pull link", "half-bridge link", "full-bridge link", "iron bridge"]


@pytest.mark.parametrize("route", ROUTES_WITH_A_CARRIER)
def test_a_source_that_bears_little_gets_a_filter(route, refuge, shelf):
    free = work_out(refuge, {}, shelf, USUAL, route)
    ripples = max(free.settled[k].states["input_stage"].source_ripple for k in ("nominal", "low", "high"))
    told = solve(refuge.but(source={"ripple_limit": ripples / 4}), {}, shelf, USUAL, route)
    figures = {f.address: f for b in told.blocks for f in b.figures}
    assert told.build["input_stage"]["choke"] > 0
    assert figures["input_stage.source_ripple"].severity is None
    assert figures["input_stage.over_limit"].value < 0
    assert figures["input_stage.damping"].value > LEAST_DAMPING
    codes = {f.code for f in told.findings if f.severity in ("stop", "fix") and not f.unavoidable}
    assert codes == set()


def test_a_pinned_choke_that_lets_the_input_oscillate_is_told_and_cured(refuge, shelf):
    pins = {"input_stage.choke": 200e-6, "input_stage.count": 2, "input_stage.choke_ohms": 1e-4}
    told = solve(refuge, pins, shelf, USUAL)
    finding = next(f for f in told.findings if f.code == "input_stage.oscillates")
    assert finding.severity == "fix"
    kept = {k: v for k, v in (pins | finding.cures[0].patch).items() if v is not None}
    assert "input_stage.oscillates" not in {f.code for f in solve(refuge, kept, shelf, USUAL).findings}


def test_too_much_ripple_is_told_in_decibels_and_cured(refuge, shelf):
    brief = refuge.but(source={"ripple_limit": 5e-3})
    told = solve(brief, {"input_stage.choke": 0.0}, shelf, USUAL)
    finding = next(f for f in told.findings if f.code == "input_stage.source_ripple")
    figures = {f.address: f for b in told.blocks for f in b.figures}
    ripple, over = figures["input_stage.source_ripple"].value, figures["input_stage.over_limit"].value
    assert over == pytest.approx(20 * math.log10(ripple / 5e-3), rel=1e-6)
    assert f"{over:.1f} dB" in finding.cause
    assert "input_stage.source_ripple" not in {f.code for f in solve(brief, {}, shelf, USUAL).findings}


def test_long_leads_ask_for_a_larger_bank(refuge, shelf):
    """Twenty metres to a rail: leads of 24 µH before a stage of constant power."""
    rail = {"kind": "DC rail", "nominal": 48, "lowest": 46, "highest": 50, "limit": 60, "resistance": 2e-3}
    found = {}
    for metres in (1.0, 20.0):
        # cans that carry much ripple for their size: the ripple alone asks for little capacitance
        pins = {"input_stage.capacitor": "CP-63-150"}
        worked = work_out(refuge.but(source=rail | {"cable_length": metres}), pins, shelf, USUAL)
        states = [worked.settled[k].states["input_stage"] for k in ("low", "surge_low")]
        assert min(s.damping for s in states) > LEAST_DAMPING
        found[metres] = input_stage.capacitance(worked.builds["input_stage"], shelf)
    assert found[20.0] > found[1.0]


def test_the_brief_refuses_a_ripple_out_of_range():
    with pytest.raises(ValueError, match="greater than or equal"):
        Brief.model_validate({"source": {"ripple_limit": 0}})
