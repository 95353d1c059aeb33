"""A sine bridge on a rail that gives way: against the whole circuit, marched with an ODE solver, and against the scope."""

import cmath
import math
from dataclasses import replace

import numpy as np
import pytest
from benchmarks.agreement import agreements
from scipy.integrate import solve_ivp

from rhombos.core.blocks.filter_flow import Way, flow
from rhombos.core.blocks.filter_march import Feed, marched_flow
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import record
from rhombos.core.waves.crest import BEFORE, DIODES, RIPPLE_CAPACITY, TAKEN, crest
from rhombos.core.waves.rail import FIRM, behind, swinging
from rhombos.core.waves.spectrum import COUNTED

USUAL = PRESETS["usual"]
LINE, OMEGA = 50.0, 100 * math.pi
EMF, INDEX = 60.0, 0.85
CIRCUITS = [  # Ω before a bank, F; Ω and H to the capacitor, F; Ω and H of the load
    (0.30, 5e-3, 0.05, 150e-6, 60e-6, 2.2, 0.0),
    (0.30, 0.4e-3, 0.05, 150e-6, 60e-6, 2.0, 4.5e-3),
    (0.12, 40e-3, 0.10, 400e-6, 200e-6, 1.5, 3e-3),
]


def period(circuit):
    """One line period of the circuit at rest, the bridge averaged: rail, V, what the battery gives, inductor, A, output, V."""
    source, bank, ohms, henry, farad, load, lag = circuit

    def slope(t, x):
        rail, inductor, output, drawn = x
        m = INDEX * math.sin(OMEGA * t)
        taken = drawn if lag else output / load
        return [
            ((EMF - rail) / source - m * inductor) / bank,
            (m * rail - ohms * inductor - output) / henry,
            (inductor - taken) / farad,
            (output - load * drawn) / lag if lag else 0.0,
        ]

    time = 0.6 + (np.arange(4096) + 0.5) * 0.02 / 4096
    made = solve_ivp(slope, (0, 0.62), [EMF, 0, 0, 0], method="LSODA", rtol=1e-8, atol=1e-8, max_step=1e-4, t_eval=time)
    rail, inductor, output, _ = made.y
    return rail, (EMF - rail) / source, inductor, output


def lines(values):
    """Harmonics of a period that begins where the modulation rises through zero: peak phasors, cosines."""
    n = np.arange(COUNTED)
    return np.fft.rfft(values)[:COUNTED] * 2 / values.size * np.exp(-1j * np.pi * n / values.size)


def admittances(circuit):
    _, _, ohms, henry, farad, load, lag = circuit
    for n in (1, 3, 5):
        w = 1j * n * OMEGA
        yield 1 / (ohms + w * henry + 1 / (w * farad + 1 / (load + w * lag)))


@pytest.mark.parametrize("circuit", CIRCUITS)
def test_the_rail_swings_as_the_marched_circuits(circuit):
    rail = lines(period(circuit)[0])
    found = swinging(behind(circuit[0], circuit[1], LINE), INDEX, *admittances(circuit))
    mean = abs(rail[0]) / 2
    assert abs(found.second - rail[2] / mean) < 2e-3 * abs(found.second) + 2e-4
    assert abs(found.fourth - rail[4] / mean) < 0.03 * abs(found.fourth) + 2e-4


def way_of(circuit, output):
    """The same circuit as the sheet is given it: its output's fundamental, the load's current in phase and behind."""
    source, bank, ohms, henry, farad, load, lag = circuit
    volts = abs(lines(output)[1]) / math.sqrt(2)
    current = volts / (load + 1j * OMEGA * lag)
    return Way(
        volts,
        LINE,
        current.real,
        -current.imag,
        OMEGA * farad * volts,
        ohms,
        henry,
        farad,
        None,
        0.0,
        behind(source, bank, LINE),
    )


@pytest.mark.parametrize("circuit", CIRCUITS)
def test_what_flows_is_what_flows_in_the_marched_circuit(circuit):
    rail, battery, inductor, output = period(circuit)
    way = way_of(circuit, output)
    drop = (way.ohms + 1j * OMEGA * way.henry) * complex(way.in_phase, -way.behind)
    bridge = math.sqrt(2) * (way.voltage + drop)
    found = flow(way, INDEX, abs(bridge), cmath.phase(bridge))
    assert found.made * INDEX * rail.mean() == pytest.approx(abs(bridge), rel=2e-3), "fundamental of the rail's mean"
    assert found.inductor()[0] == pytest.approx(math.sqrt(float((inductor**2).mean())), rel=2e-3)
    assert found.inductor()[1] == pytest.approx(float(np.abs(inductor).max()), rel=4e-3)
    volts = lines(output)
    assert float(np.abs(found.swung)[0]) == pytest.approx(abs(volts[3] / volts[1]), rel=0.01)
    # what the battery gives of the swing that the bridge draws
    drawn = np.array(found.demand[:2]) / (abs(bridge) / INDEX)
    share = 1 / (1 + 2j * OMEGA * circuit[0] * circuit[1] * np.array([1, 2]))
    given = lines(battery)[[2, 4]]
    assert np.abs(drawn * share)[0] == pytest.approx(abs(given[0]), rel=4e-3)
    assert np.abs(drawn * share)[1] == pytest.approx(abs(given[1]), rel=0.03, abs=2e-3 * abs(given[0]))


def test_a_rail_is_source_and_leads_beside_the_bank():
    for n, found in zip((2, 4), vars_of(behind(0.03, 4e-3, LINE, 20e-6)), strict=True):
        s = 1j * n * OMEGA
        assert found == pytest.approx(1 / (1 / (0.03 + s * 20e-6) + s * 4e-3))


def vars_of(rail):
    return rail.second, rail.fourth


def test_a_firm_rail_swings_not_and_makes_no_third_harmonic():
    way = way_of((0.0, 0.0, *CIRCUITS[1][2:]), 40 * np.sin((np.arange(4096) + 0.5) * math.pi / 2048))
    found = flow(way, INDEX, 50.0, 0.05)
    assert way.rail.second == 0
    assert swinging(FIRM, INDEX, *admittances(CIRCUITS[0])).second == 0
    assert found.made == 1
    assert np.abs(found.swung).max() == 0
    assert len(found.demand) == 1
    assert found.load[1] == pytest.approx(math.sqrt(2) * math.hypot(way.in_phase, way.lagging), rel=1e-6)


PULSED = [  # as above, the power for which an adapter is made, W, at 36 V, what magnetises a transformer beside it, leads, H
    (0.30, 5e-3, 0.05, 150e-6, 60e-6, 20.0, 0.0, 300.0, math.inf, 5e-6),
    (0.12, 40e-3, 0.10, 400e-6, 200e-6, 4.0, 12e-3, 200.0, math.inf, 5e-6),
    (0.25, 2e-3, 0.08, 200e-6, 20e-6, 50.0, 0.4, 250.0, 60e-3, 100e-6),
]


def pulsing(circuit, stepped):
    """The same with an adapter beside the load, for two periods; what the adapter takes, A, as well."""
    source, bank, ohms, henry, farad, load, lag, watts, iron, leads = circuit
    conducts, smooths = watts / 36**2, RIPPLE_CAPACITY * watts / 36**2 / OMEGA

    def rectified(output, held):
        return np.sign(output) * np.maximum(0.0, np.abs(output) - held - stepped * DIODES) * conducts / BEFORE

    def slope(t, x):
        rail, inductor, output, drawn, held, magnetises, given = x
        m, pulse = INDEX * math.sin(OMEGA * t), rectified(output, held)
        taken = pulse + magnetises + (drawn if lag else output / load)
        return [
            (given - m * inductor) / bank,
            (m * rail - ohms * inductor - output) / henry,
            (inductor - taken) / farad,
            (output - load * drawn) / lag if lag else 0.0,
            (abs(pulse) - TAKEN * conducts * held) / smooths,
            output / iron,
            (EMF - rail - source * given) / leads,
        ]

    time = 1.2 + (np.arange(4096) + 0.5) * 0.02 / 4096
    made = solve_ivp(
        slope,
        (0, 1.22),
        [EMF, 0, 0, 0, 45, -50 / (OMEGA * iron), 0],
        method="LSODA",
        rtol=1e-7,
        atol=1e-7,
        max_step=5e-5,
        t_eval=time,
    )
    rail, inductor, output, drawn, held, _, _ = made.y
    pulse = rectified(output, held)
    return rail, inductor, output, pulse, pulse + (drawn if lag else output / load)


@pytest.mark.parametrize("circuit", PULSED)
def test_pulses_on_a_rail_are_those_of_the_marched_circuit(circuit):
    """Told only power, voltage and mean rail, it finds adapter, modulation and waves."""
    stepped = 0.2
    rail, inductor, output, pulse, load = pulsing(circuit, stepped)
    power, first = float((output * pulse).mean()), lines(output)[1]
    volts = abs(first) / math.sqrt(2)
    whole, own = (lines(x)[1] / first * volts for x in (load, pulse))
    over = power / volts
    added = replace(crest(0.05, 15.0, 230.0), first=own.real / over, lags=-own.imag / over, taken=0.9)
    magnetising = volts / (OMEGA * circuit[8])
    way = Way(
        volts,
        LINE,
        whole.real,
        -whole.imag,
        OMEGA * circuit[4] * volts - magnetising,
        *circuit[2:5],
        added,
        over,
        behind(*circuit[:2], LINE, circuit[9]),
    )
    mean = float(rail.mean())
    near = flow(way, 0.9 * INDEX, math.sqrt(2) * volts, 0.0)
    found = marched_flow(way, Feed(mean, circuit[0], circuit[9], circuit[1], stepped, magnetising), 0.9 * INDEX, power, near)
    for told, wave in ((found.inductor(), inductor), (found.load, load)):
        assert told[0] == pytest.approx(math.sqrt(float((wave**2).mean())), rel=5e-3)
        assert told[1] == pytest.approx(float(np.abs(wave).max()), rel=8e-3)
    # harmonics as phasors of sines from the output's rise through zero
    orders, turned = np.arange(3, COUNTED, 2), 1j * first / abs(first)
    harmonics = 1j * lines(output)[orders] / turned**orders / abs(first)
    assert np.abs(found.pulsed + found.swung - harmonics[:2]).max() < 1.5e-3
    assert found.others == pytest.approx(float(np.linalg.norm(harmonics[2:])), rel=0.07, abs=5e-4)
    angle = (np.arange(4096) + 0.5) * math.pi / 2048
    bridge = INDEX * np.sin(angle) * rail
    assert found.made * INDEX * mean == pytest.approx(abs(lines(bridge)[1]), rel=2e-3)
    drawn = np.abs(lines(INDEX * np.sin(angle) * inductor)[[2, 4]]) * found.made * mean
    assert np.abs(found.demand[:2]) == pytest.approx(drawn, rel=0.01)
    square = 1j * lines(np.sign(inductor))[orders] / turned**orders * math.pi / 4
    grazes = circuit is PULSED[0]  # its current all but touches zero between the pulses
    assert np.abs(found.signs - square)[:8].max() < (0.02 if grazes else 6e-3)


@pytest.mark.parametrize(("loads", "factor"), [(("lamp", "fan"), 0.75), (("adapter", "heater"), 1.0), (("adapter",), 0.75)])
def test_sheet_and_scope_say_the_same_of_a_bridge_on_a_weak_battery(loads, factor, refuge, shelf):
    """Eight cells of 30 Ah give 600 W: the rail swings by more than a tenth."""
    brief = refuge.but(source={"capacity": 30 * 3600.0}, output={"loads": loads}, power={"power_factor": factor})
    worked = work_out(brief, {}, shelf, USUAL, "iron bridge")
    found = agreements(worked)
    assert [a for a in found if a.off > 1] == []
    assert [a for a in found if a.name != "distortion" and a.off > 0.8] == []


def test_the_scope_shows_what_magnetises_the_transformer(refuge, shelf):
    """With nothing plugged in the inductor carries the iron's current less the capacitor's, by hand from the two."""
    worked = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    bench = bench_of(worked)
    at = bench.at
    made = record(bench, "none", "steady", 3, "stiff link")
    time = made.end - 1 / LINE + (np.arange(2**14) + 0.5) / LINE / 2**14
    traces = made.probe(time)
    volts, amps = (lines(traces[n])[1] for n in ("output", "inductor"))
    assert (amps / volts).imag == pytest.approx(OMEGA * at.capacitance - 1 / (OMEGA * at.magnetising), rel=0.03)
    iron = worked.settled["nominal"].states["iron_transformer"]
    assert math.sqrt(2) * 230 / (OMEGA * at.magnetising) == pytest.approx(iron.magnetising / iron.ratio, rel=0.01)
    # what flows out of the inductor flows into capacitor, load and iron
    left = traces["inductor"] - traces["shunt"] - traces["load"]
    assert abs(lines(left)[1]) == pytest.approx(abs(volts) / (OMEGA * at.magnetising), rel=0.01)
