"""A bridge on the rectified mains: its sizing, against the whole circuit marched by somebody else's integrator."""

import math

import numpy as np
import pytest
from benchmarks.agreement import agreements
from scipy.integrate import solve_ivp

from rhombos.core.blocks import mains_input
from rhombos.core.blocks import output_filter as filter_block
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import broken, explain, work_out
from rhombos.core.frame.unbuildable import NothingBeside, OtherSource
from rhombos.core.parts import Capacitor, Diode, Fuse
from rhombos.core.plots.blocks import charts
from rhombos.core.routes import ROUTES
from rhombos.core.routes.mains_line import line_at
from tests.core.asking import balanced

USUAL = PRESETS["usual"]
ROUTE = "mains bridge"
MAINS = ("mains_input", "h_bridge", "output_filter")


def fed(wave="sine", volts=115, hertz=60, watts=400.0, *, factor=0.9, loads=("lamp",), **mains):
    return Brief.model_validate({
        "source": {"kind": "mains", "hold_up": 0.01, **mains},
        "output": {"voltage": volts, "frequency": hertz, "waveform": wave},
        "power": {"continuous": watts, "surge": 1.3 * watts, "power_factor": factor},
        "loads": list(loads), "targets": {"ambient": 30.0}})  # fmt: skip


CASES = {
    "60 Hz from 50 Hz": fed(),
    "the same hertz, unlocked": fed(hertz=50, watts=250, factor=0.75),
    "a slow sine": fed(volts=90, hertz=25),
    "from a ship's 400 Hz": fed(volts=60, watts=300, lowest=104, nominal=115, highest=126, frequency=400,
                                resistance=0.2, inductance=30e-6),
    "half a line's voltage": fed(volts=55, lowest=108, nominal=120, highest=132, frequency=60, resistance=0.15),
    "adapters": fed(loads=("adapter", "lamp")),
    "pulses": fed("modified"),
    "lagging pulses": fed("modified", hertz=50, factor=0.7),
    "a square wave": fed("square", volts=300, hertz=50, watts=200, lowest=225, highest=235),
}  # fmt: skip


@pytest.fixture(scope="module", params=CASES.values(), ids=CASES.keys())
def worked(request, shelf):
    return work_out(request.param, {}, shelf, USUAL, ROUTE)


def test_its_own_proposal_keeps_every_rule(worked):
    assert broken(worked) == 0
    assert all(s.converged for s in worked.settled.values())


def test_what_goes_in_comes_out_or_is_lost(worked):
    balanced(worked)
    for point, s in worked.settled.items():
        lost = sum(s.states[k].loss for k in MAINS if k in s.states)
        assert s.flow["source"] == pytest.approx(s.flow["load"] + lost, rel=1e-9), point


def test_sheet_and_scope_say_the_same(worked):
    """The scope marches mains, diodes and bank with the bridge, edge by edge."""
    assert [a for a in agreements(worked) if a.off > 1] == []


def test_its_parts_stand_the_mains(worked):
    build, crest = worked.builds["mains_input"], worked.brief.source.volts[2]
    assert worked.shelf.get(Diode, build.diode).v_rating * (1 - USUAL.diode_voltage_margin) >= crest
    assert worked.shelf.get(Capacitor, build.capacitor).v_rating * build.banks >= crest
    fuse = worked.shelf.get(Fuse, build.fuse)
    assert fuse.v_dc >= worked.brief.source.highest
    assert fuse.i_rating >= USUAL.fuse_factor * max(s.states["mains_input"].line_rms for k, s in worked.settled.items()
                                                    if k in ("nominal", "low", "high"))  # fmt: skip
    switch = worked.shelf.transistor(worked.builds["h_bridge"].switch)
    top = max(s.states["mains_input"].top for s in worked.settled.values())
    assert switch.v_rating * (1 - USUAL.bridge_voltage_margin) >= max(top, crest)


def test_the_cut_off_lies_below_every_valley_and_the_limit_above_every_crest(worked):
    guard = worked.builds["protection"]
    assert guard.cut_off < min(worked.settled[k].states["mains_input"].valley for k in ("nominal", "low", "high"))
    assert guard.over_voltage > worked.brief.source.volts[2]


def test_every_block_has_its_words_and_its_pictures(worked):
    solution = explain(worked, {})
    for block in solution.blocks:
        assert block.circuit is not None or block.auxiliary, block.key
        assert block.live == (not block.auxiliary), "nothing on this path is isolated from the mains"
        charts(worked, block.key)
    assert {"line", "bank", "harmonics"} <= {c.key for key in ("source", "mains_input") for c in charts(worked, key)}
    texts = solution.totals.texts
    assert "A from the mains" in texts["line_current"]
    assert 0.3 < float(texts["power_factor"]) < 1
    assert "Live mains" in texts["danger"]


def circuit(worked, point):
    """Mains and bank in numbers: line of everything in the way, drop, bank with its resistance; and the steady rest of what is
    drawn from the bank, W: bleeder, control supply, and what the bridge burns beside its current's square."""
    s = worked.settled[point]
    build, line = worked.builds["mains_input"], line_at(worked)
    volts = s.point.emf / math.sqrt(2)
    seen, behind = mains_input.ahead(line, volts, build, worked.shelf)
    rest = USUAL.control_power + mains_input.bled(volts, build)
    return seen, behind, rest


def with_rectifier(seen, behind, taken, states, span, settle, begin):
    """Line current, bank and `states` further quantities by SciPy: `taken(t, volts, rest)` gives what the load draws, A, and the
    slopes of the others. The bridge is a steep but smooth conductance."""
    steep = 5e-3

    def law(t, x):
        amps, volts = x[0], x[1]
        load, slopes = taken(t, volts, x[2:])
        into = abs(amps) - load
        held = (volts + behind.ohms * into + behind.drop) * math.tanh(amps / steep)
        rises = (seen.crest * math.sin(seen.turn * t) - seen.ohms * amps - held) / max(seen.henry, 5e-6)
        return [rises, into / behind.farad, *slopes]

    end = settle + span
    answer = solve_ivp(law, (0, end), [0.0, begin, *[0.0] * states], method="LSODA", rtol=1e-6, atol=1e-6, max_step=1e-4)
    keep = answer.t >= settle
    return answer.t[keep], answer.y[:, keep]


def mean(time, values):
    return float(np.trapezoid(values, time) / (time[-1] - time[0]))


UNLOCKED = {"60 Hz from 50 Hz": 57.5, "a slow sine": 27.5, "half a line's voltage": 69.0, "pulses": 57.5, "a square wave": 57.5}
"""Frequencies of the output at which it meets the mains at twenty phases in twenty half periods: the sheet says the worst of all."""


def unlocked(name, shelf):
    return work_out(CASES[name].but(output={"frequency": UNLOCKED[name]}), {}, shelf, USUAL, ROUTE)


@pytest.mark.parametrize("name", ["60 Hz from 50 Hz", "a slow sine", "half a line's voltage"])
def test_a_sine_s_sheet_is_what_the_whole_circuit_does(name, shelf):
    """Mains, diodes, bank, an averaged bridge at the sheet's index, its filter and an R–L load, at full power on the lowest
    mains."""
    worked = unlocked(name, shelf)
    s, brief = worked.settled["low"], worked.brief
    seen, behind, rest = circuit(worked, "low")
    now, filtered, drain = s.states["mains_input"], s.states["output_filter"], s.states["load"]
    build = worked.builds["output_filter"]
    farad, omega = filter_block.capacitance(build, shelf), 2 * math.pi * brief.output.frequency
    ohms = filtered.resistance + 2 * s.states["h_bridge"].resistance
    index = filtered.fundamental / s.guess.works
    # what is not the current's square through these resistances is drawn steadily
    rest += s.draws.power - s.flow["load"] - ohms * filtered.rms**2

    def taken(t, volts, x):
        inductor, output, load = x
        m = index * math.sin(omega * t)
        slopes = [
            (m * volts - ohms * inductor - output) / build.inductance,
            (inductor - load) / farad,
            (output - drain.resistance * load) / drain.inductance,
        ]
        return m * inductor + rest / volts, slopes

    time, x = with_rectifier(seen, behind, taken, 3, 20 * seen.half, 0.3, now.mean)
    assert mean(time, x[1]) == pytest.approx(now.mean, rel=5e-3)
    assert x[1].min() == pytest.approx(now.valley, rel=1e-2)
    assert x[1].max() == pytest.approx(now.top, rel=1e-2)
    # a bank that swings far takes the load's power with it, which the sheet keeps: on the safe side
    assert 0.96 * now.line_rms < math.sqrt(mean(time, x[0] ** 2)) < 1.02 * now.line_rms
    assert 0.94 * now.line_peak < np.abs(x[0]).max() < 1.04 * now.line_peak
    load = index * np.sin(omega * time) * x[2] + rest / x[1]
    slow = math.sqrt(now.bank_rms**2 - s.draws.carrier**2)
    assert 0.96 * slow < math.sqrt(mean(time, (np.abs(x[0]) - load) ** 2)) < 1.02 * slow
    assert math.sqrt(mean(time, x[3] ** 2)) == pytest.approx(drain.voltage, rel=1e-2)
    first = 2 * mean(time, x[3] * np.exp(-1j * omega * time).real), 2 * mean(time, x[3] * np.exp(-1j * omega * time).imag)
    others = math.sqrt(max(0.0, mean(time, x[3] ** 2) - (first[0] ** 2 + first[1] ** 2) / 2))
    bent = others / math.hypot(*first) * math.sqrt(2)
    assert bent <= 1.1 * filtered.distortion
    assert filtered.rail == pytest.approx(bent, rel=0.35)


@pytest.mark.parametrize("name", ["pulses", "a square wave"])
def test_a_stepped_wave_s_sheet_is_what_the_whole_circuit_does(name, shelf):
    """The same with pulses of the sheet's width on an R–L load."""
    worked = unlocked(name, shelf)
    s, brief = worked.settled["nominal"], worked.brief
    seen, behind, rest = circuit(worked, "nominal")
    now, drain, g = s.states["mains_input"], s.states["load"], s.guess
    bridged = s.states["h_bridge"]
    rest += bridged.loss - bridged.conduction
    half = 0.5 / brief.output.frequency

    def taken(t, volts, x):
        place, sign = (t % half) / half, 1.0 if int(t / half) % 2 == 0 else -1.0
        on = place < s.share
        across = sign * volts - g.threshold * math.tanh(x[0] / 1e-3) if on else 0.0
        slope = (across - (g.path_resistance + drain.resistance) * x[0]) / drain.inductance
        return (sign * x[0] if on else 0.0) + rest / volts, [slope]

    time, x = with_rectifier(seen, behind, taken, 1, 20 * seen.half, 0.3, now.mean)
    assert mean(time, x[1]) == pytest.approx(now.mean, rel=5e-3)
    assert x[1].min() == pytest.approx(now.valley, rel=1.5e-2)
    assert 0.95 * now.line_rms < math.sqrt(mean(time, x[0] ** 2)) < 1.02 * now.line_rms
    assert math.sqrt(mean(time, x[2] ** 2)) == pytest.approx(drain.rms, rel=1e-2)
    taking = np.array([taken(t, volts, amps)[0] for t, volts, amps in zip(time, x[1], x[2:].T, strict=True)])
    # losses are drawn steadily here, on the sheet in the pulses
    assert 0.95 * now.bank_rms < math.sqrt(mean(time, (np.abs(x[0]) - taking) ** 2)) < 1.02 * now.bank_rms
    assert s.draws.carrier == 0


def test_where_the_mains_makes_no_such_sine_it_says_that_no_bank_helps(shelf):
    """Mains of 230 V rectified makes no sine of 230 V: at its lowest not even its own crest."""
    worked = work_out(fed(volts=230, hertz=50), {}, shelf, USUAL, ROUTE)
    told = {f.code: f for f in explain(worked, {}).findings}
    assert told["mains_input.valley"].unavoidable
    assert broken(worked) == 0
    assert worked.settled["low"].states["load"].voltage < 0.95 * 230


def test_a_mains_that_falls_is_the_first_thing_to_know(shelf):
    worked = work_out(fed(watts=2500, resistance=12), {}, shelf, USUAL, ROUTE)
    told = {f.code: f for f in explain(worked, {}).findings}
    assert {"source.cannot_give_low", "mains_input.falls"} & set(told)
    assert "low" in worked.route.infeasible(worked.settled)


def test_each_route_takes_its_own_source_and_says_so(shelf):
    battery = Brief()
    for name, route in ROUTES.items():
        wave = "sine" if "sine" in route.waveforms else "square"
        other = fed(wave) if "mains" not in route.fed_by else battery.but(output={"waveform": wave})
        with pytest.raises(OtherSource, match="rectifi"):
            work_out(other, {}, shelf, USUAL, name)
    raw = fed().model_dump(exclude_unset=True)
    two = Brief.model_validate(raw | {"outputs": [*raw["outputs"], {"kind": "HF"}]})
    with pytest.raises(NothingBeside):
        work_out(two, {}, shelf, USUAL, ROUTE)


def test_a_surge_that_clips_in_the_valleys_is_told(shelf):
    tight = fed(volts=168, hertz=50, watts=300, lowest=225, highest=240, resistance=1.5)
    worked = work_out(tight.but(power={"surge": 900}), {}, shelf, USUAL, ROUTE)
    told = {f.code for f in explain(worked, {}).findings}
    surge = worked.settled["surge_low"].states["mains_input"]
    assert ("mains_input.surge_valley" in told) == (surge.valley < surge.least)
    assert "mains_input.surge_valley" in told


def test_a_pin_stays_and_what_it_breaks_is_told(shelf):
    worked = work_out(CASES["60 Hz from 50 Hz"], {"mains_input.count": 2, "mains_input.capacitor": "CE-450-47"}, shelf, USUAL,
                      ROUTE)  # fmt: skip
    assert worked.builds["mains_input"].count == 2
    told = {f.code: f for f in explain(worked, {}).findings}
    assert "mains_input.ripple" in told
    assert any("bank" in c.label for c in told["mains_input.ripple"].cures)


def test_an_adjustable_sine_is_judged_at_its_lowest_setting_too(shelf):
    worked = work_out(CASES["60 Hz from 50 Hz"].but(output={"down_to": 30.0}), {}, shelf, USUAL, ROUTE)
    assert broken(worked) == 0
    assert worked.settled["set_low"].states["load"].voltage == pytest.approx(30, rel=1e-2)
    assert worked.settled["set_low"].states["mains_input"].line_rms < worked.settled["low"].states["mains_input"].line_rms
