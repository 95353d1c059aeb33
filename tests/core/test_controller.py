"""The controller: timing that finds its frequency, a set-point with every corner, a loop that is stable, a trip in time."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from rhombos.core.blocks import controller, set_point
from rhombos.core.book import control
from rhombos.core.control.loops import Compensator, Plant, compensate, loop, margins
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.plots import charts
from rhombos.core.routes.auxiliary.controller import link_need
from rhombos.demo import house_shelf

USUAL = PRESETS["usual"]
PLANT = Plant(gain=140, inductance=2.8e-3, path=0.4, bank=470e-6, esr=0.08, load=230)


@pytest.fixture(scope="module")
def need(worked, shelf):
    return link_need(worked.route, worked.settled, worked.builds, shelf, USUAL)


def poly_plant(p: Plant) -> signal.TransferFunction:
    """The same stage as polynomials in s, from the textbook's impedance divider written out by hand."""
    num = [p.gain * p.load * p.esr * p.bank, p.gain * p.load]
    den = [
        p.inductance * p.bank * (p.load + p.esr),
        p.inductance + p.bank * (p.path * (p.load + p.esr) + p.load * p.esr),
        p.load + p.path,
    ]
    return signal.TransferFunction(num, den)


def test_the_stage_answers_like_its_polynomials():
    frequency = np.geomspace(1, 1e5, 200)
    _, exact = signal.freqresp(poly_plant(PLANT), 2 * np.pi * frequency)
    assert PLANT.response(frequency) == pytest.approx(exact, rel=1e-9)


def test_the_stage_settles_where_a_switched_one_averages_to():
    """The averaged gain at rest: volts out for volts of control, the ramp a whole duty."""
    assert float(control.stage_gain(V_sec=450, V_ramp=3)) == 150
    lossless = Plant(150, 1e-3, 0.0, 1e-4, 0.0, 100)
    assert abs(lossless.response(np.array([1e-3]))[0]) == pytest.approx(150, rel=1e-6)


@given(st.floats(300, 5e3), st.floats(35, 70))
@settings(max_examples=40, deadline=None)
def test_the_compensator_gives_the_crossover_and_margin_asked(crossover, margin):
    made = compensate(PLANT, crossover, margin, 470e3)
    found = margins(PLANT, made)
    needed = margin - 90 - math.degrees(np.angle(PLANT.response(crossover)))
    assert found.crossover == pytest.approx(crossover, rel=0.01)
    if 5 <= needed <= 160:
        assert found.phase == pytest.approx(margin, abs=1.0)


def test_the_margin_is_that_of_the_closed_loop_a_simulation_shows():
    """Overshoot of the closed loop's step, by scipy's state space, is small where the margin is wide and large where it is not."""
    overshoots = []
    for margin in (70, 25):
        c = compensate(PLANT, 1e3, margin, 470e3)
        p = poly_plant(PLANT)
        zeros = np.polymul([c.r2 * c.c1, 1], [(c.r1 + c.r3) * c.c3, 1])
        poles = np.polymul(np.polymul([c.r1 * (c.c1 + c.c2), 0], [c.r2 * c.c1 * c.c2 / (c.c1 + c.c2), 1]), [c.r3 * c.c3, 1])
        open_num, open_den = np.polymul(p.num, zeros), np.polymul(p.den, poles)
        closed = signal.TransferFunction(open_num, np.polyadd(open_num, open_den))
        assert np.all(closed.poles.real < 0)
        _, y = signal.step(closed, T=np.linspace(0, 6e-3, 4000))
        overshoots.append(y.max() - 1)
        frequency = np.array([700.0])
        _, exact = signal.freqresp(signal.TransferFunction(open_num, open_den), 2 * np.pi * frequency)
        assert (PLANT.response(frequency) * c.response(frequency))[0] == pytest.approx(exact[0], rel=1e-6)
    assert overshoots[0] < 0.35 < overshoots[1]


def test_a_loop_that_never_reaches_one_has_no_crossover():
    weak = Compensator(470e3, 100, 1e-4, 1e-4, 0, 0)
    found = margins(Plant(1e-3, 1e-3, 0.1, 1e-4, 0.05, 100), weak)
    assert (found.crossover, found.phase) == (0.0, 180.0)


@pytest.mark.parametrize("brief", ["refuge"])
def test_a_proposal_is_stable_reaches_its_frequency_and_its_link(brief, solution, worked):
    state = worked.settled["low"].states["controller"]
    assert state.phase >= USUAL.phase_margin
    assert state.trim_slow <= 2 * worked.builds["front_end"].frequency <= state.trim_fast
    assert state.setpoint == pytest.approx(worked.builds["dc_link"].voltage, rel=0.02)
    assert state.output == pytest.approx(state.oscillator / 2)
    assert [f for f in solution.findings if f.block == "controller" and f.severity in ("stop", "fix")] == []


def test_the_corners_of_a_divider_are_those_of_the_worked_case(need):
    build = _built(need, r_top=470e3, r_bottom=6.2e3, set_trimmer=0.0, reference=5.0)
    rules = USUAL.model_copy(update={"resistor_tolerance": 0.01, "reference_tolerance": 0.015})
    found = set_point.assess(need.link, build, rules, SILENT)
    nominal, low, high = found.setpoint, found.lowest, found.highest
    assert nominal == pytest.approx(384.032, rel=1e-3)
    assert low == pytest.approx(370.879, rel=1e-3)
    assert high == pytest.approx(397.565, rel=1e-3)


def _built(need, **fields):
    from rhombos.core.design.brief import Brief

    return controller.propose(need, Brief(), fields, house_shelf(), USUAL)


@pytest.mark.parametrize(
    ("law", "hand"),
    [
        ("one resistor", lambda b, r: b.law_k / (r * b.timing_capacitor)),
        ("two resistors", lambda b, r: 1 / (b.timing_capacitor * (b.law_a * r + b.law_b * b.discharge_resistor))),
    ],
)
def test_each_law_gives_its_frequency(need, law, hand):
    build = _built(need, law=law)
    middle = build.timing_resistor + build.timing_trimmer / 2
    assert controller.oscillator_at(build, middle, SILENT) == pytest.approx(hand(build, middle))


def test_tolerances_spread_a_fresh_board_by_tens_of_percent_at_most(need):
    build = _built(need)
    slow, fast, trim_slow, trim_fast = controller._reach(build, USUAL)
    middle = controller.oscillator_at(build, build.timing_resistor + build.timing_trimmer / 2, SILENT)
    assert slow < middle < fast
    assert 0.1 < fast / slow - 1 < 0.5
    assert trim_slow <= 2 * need.frequency <= trim_fast


@pytest.mark.parametrize(("volts"), [48, 150, 232, 375, 410])
def test_a_zener_string_comes_within_a_few_percent_but_no_nearer(need, volts):
    from dataclasses import replace

    here = replace(need, link=volts)
    _built(here, feedback="zener string and opto-coupler")
    string = set_point.zeners(volts)
    assert max(string) <= 100
    assert sum(string) + 3.2 == pytest.approx(volts, rel=0.05)


RAISED = [
    (
        "oscillator at the output's frequency",
        {"controller.timing_resistor": "27k", "controller.timing_trimmer": "4k7"},
        "trimmer",
    ),
    ("no dead time", {"controller.law": "one resistor"}, "dead_time"),
    ("much dead time", {"controller.discharge_resistor": "1k5"}, "ceiling"),
    ("zener string", {"controller.feedback": "zener string and opto-coupler"}, "setpoint"),
    ("divider off its link", {"controller.r_top": "680k", "controller.r_bottom": "4k7"}, "setpoint"),
    ("divider across the barrier", {"controller.feedback": "bare divider"}, "isolation"),
    ("far too high a set-point", {"controller.r_top": "1M", "controller.r_bottom": "4k7"}, "too_high"),
    ("no phase boost", {"controller.r3": "10M", "controller.c3": "1p", "controller.r2": "10M"}, "margin"),
    ("trip below the surge", {"controller.sense_resistor": "4"}, "trips"),
    ("trip too late", {"controller.sense_resistor": "0.2"}, "trip_late"),
    ("no blanking", {"controller.blanking": "0"}, "blanking"),
]


@pytest.mark.parametrize(("pins", "code"), [(p, c) for _, p, c in RAISED], ids=[n for n, _, _ in RAISED])
def test_a_mistake_is_found_and_its_cure_clears_it(pins, code, refuge, shelf):
    told = next(f for f in solve(refuge, pins, shelf, USUAL).findings if f.code == f"controller.{code}")
    assert told.severity in ("stop", "fix")
    cured = solve(refuge, pins | told.cures[0].patch, shelf, USUAL)
    assert f"controller.{code}" not in {f.code for f in cured.findings}


def test_the_confusion_of_oscillator_and_output_is_named(refuge, shelf):
    told = next(f for f in solve(refuge, RAISED[0][1], shelf, USUAL).findings if f.code == "controller.trimmer")
    assert "twice" in told.cause


def test_a_shunt_burns_what_a_current_transformer_does_not(refuge, shelf):
    found = solve(refuge, {"controller.sensing": "shunt"}, shelf, USUAL)
    figure = next(f for b in found.blocks for f in b.figures if f.address == "controller.sense_loss")
    ct = next(f for b in solve(refuge, {}, shelf, USUAL).blocks for f in b.figures if f.address == "controller.sense_loss")
    assert figure.value > 5 * ct.value


def test_the_controller_lies_beside_the_path_and_passes_no_power(solution):
    beside = [b for b in solution.blocks if b.auxiliary]
    assert [b.key for b in beside] == [
        "controller",
        "front_drive",
        "bridge_drive",
        "precharge",
        "protection",
        "heat",
        "isolation",
    ]
    assert all(b.power_in == b.loss == 0 for b in beside)
    assert abs(solution.totals.balance) < 1e-3


def test_iron_routes_have_no_loop_and_no_controller_sheet(refuge, shelf):
    assert "controller" not in work_out(refuge, {}, shelf, USUAL, "iron bridge").builds


def test_the_pictures_show_the_wanted_frequency_and_the_crossover(worked):
    trimmer, bode = charts(worked, "controller")
    assert trimmer.marks[0].at == pytest.approx(2 * worked.builds["front_end"].frequency / 1e3)
    state = worked.settled["low"].states["controller"]
    assert bode.dots[0].y == pytest.approx(state.phase)
    gain = bode.series[0]
    assert np.interp(math.log(state.crossover), np.log(np.array(gain.x) * 1e3), gain.y) == pytest.approx(0, abs=0.5)


@pytest.mark.parametrize("load", [60.0, 1e6])
def test_the_phase_does_not_slip_however_sharp_the_resonance(load):
    """Followed on a sweep fine enough to unwrap, against the coarse sweep of the picture."""
    sharp = Plant(PLANT.gain, PLANT.inductance, 1e-4, PLANT.bank, 1e-6, load, 15e3)
    made = compensate(sharp, 1e3, 55, 1e5)
    fine = np.union1d(np.geomspace(1.0, 300e3, 400_001), loop(sharp, made)[0])
    followed = np.unwrap(np.angle(sharp.response(fine) * made.response(fine)))
    frequency, gain, phase = loop(sharp, made)
    assert phase == pytest.approx(np.interp(np.log(frequency), np.log(fine), followed), abs=2e-2)
    assert np.angle(gain) == pytest.approx(np.angle(np.exp(1j * phase)), abs=1e-9)


@pytest.mark.parametrize("reference", [2.5, 5.0])
def test_preferred_values_bring_the_set_point_near_any_link(reference):
    """Within the reach of a trimmer, whatever the link."""
    for link in np.geomspace(22, 450, 300):
        parts = set_point.divider(link, {"reference": reference})
        made = reference * (1 + parts["r_top"] / (parts["r_bottom"] + parts["set_trimmer"] / 2))
        assert made == pytest.approx(link, rel=0.025), link
