"""The small wound parts: the current transformer of the trip, the drive transformer that is a clock."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhombos.core.blocks import controller, link_loop, oscillator
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.magnetics.sense import DIODE, MOST_DROOP, MOST_FLUX, rank_sense_cores, sense_from
from rhombos.core.magnetics.winding import thin_wire
from rhombos.core.magnetics_bench.bench import coil_bench
from rhombos.core.magnetics_bench.drive import drive_bench
from rhombos.core.parts import Bipolar, Core, Grade, IronCore, Wire
from rhombos.core.routes.auxiliary.controller import link_need
from tests.core.asking import written_short

USUAL = PRESETS["usual"]


def table(bench, key):
    return next(t for t in bench.tables if t.key == key)


@pytest.fixture(scope="module")
def sensed(worked, shelf):
    need = link_need(worked.route, worked.settled, worked.builds, shelf, USUAL)
    return need, worked.builds["controller"], controller.sense_of(need, worked.builds["controller"], shelf, USUAL)


@pytest.mark.parametrize("turns", [30, 100])
@pytest.mark.parametrize("grade", ["FA-20", "FC-70"])
def test_what_magnetises_the_ring_is_missing_in_the_burden(turns, grade, shelf):
    """One pulse integrated: the lead's ampere-turns into the burden behind its diode, the magnetising inductance across."""
    made = sense_from(shelf, "R 16/9.6/6.3", grade, turns, 0.5, USUAL.current_density)
    amps, duty, rate = 60.0, 0.44, 46e3
    burden = 1.0 / (amps / turns)  # one volt at full current
    found = solve_ivp(
        lambda t, i: [((amps / turns - i[0]) * burden + DIODE) / made.inductance],
        (0, duty / rate),
        [0.0],
        rtol=1e-9,
        atol=1e-12,
    )
    lost = found.y[0][-1] / (amps / turns)
    assert made.droop(1.0 + DIODE, duty, rate, amps / turns) == pytest.approx(lost, rel=0.02)


def test_the_ring_swings_by_its_volt_seconds(shelf):
    made = sense_from(shelf, "R 20/10/10", "FA-30", 50, 0.5, USUAL.current_density)
    area = shelf.get(Core, "R 20/10/10").a_e
    t = np.linspace(0, 0.4 / 50e3, 1001)
    assert made.flux(1.7, 0.4, 50e3) == pytest.approx(np.trapezoid(np.full_like(t, 1.7), t) / 50 / area)
    # and its inductance is what makes that flux of the magnetising current
    current = 1.7 * 0.4 / 50e3 / made.inductance
    assert made.inductance * current == pytest.approx(50 * area * made.flux(1.7, 0.4, 50e3))


def test_the_proposed_ring_is_the_smallest_that_serves(sensed, shelf):
    need, build, made = sensed
    volts, duty = link_loop.TRIP_LEVEL + DIODE, min(0.5, need.duty)
    assert made.flux(volts, duty, need.frequency) <= MOST_FLUX
    assert made.droop(volts, duty, need.frequency, need.pulse / build.sense_turns) <= MOST_DROOP
    assert made.fill <= 1
    smaller = [c for c in shelf.all(Core) if not c.gappable and c.v_e < made.stack.v_e]
    for core in smaller:
        other = sense_from(
            shelf, core.id, build.sense_grade, build.sense_turns, need.pulse_rms / build.sense_turns, USUAL.current_density
        )
        assert (
            other.flux(volts, duty, need.frequency) > MOST_FLUX
            or other.fill > 1
            or other.droop(volts, duty, need.frequency, need.pulse / build.sense_turns) > MOST_DROOP
        )
    assert max(shelf.all(Grade), key=lambda g: g.mu_i).mu_i == made.grade.mu_i


def test_a_hard_task_takes_a_larger_ring(shelf):
    easy, hard = (
        rank_sense_cores(shelf, "FA-30", 20, volts, 0.48, 10e3, 5.0, 2.0, USUAL.current_density)[0] for volts in (0.8, 8.0)
    )
    assert hard.stack.a_e > easy.stack.a_e
    assert hard.flux(8.0, 0.48, 10e3) <= MOST_FLUX


def test_the_bench_of_the_current_transformer_is_what_the_design_becomes(worked, refuge, shelf):
    bench = coil_bench(worked, "controller")
    for option in table(bench, "turns").options[:3]:
        found = solve(refuge, option.patch, shelf, USUAL)
        figures = {f.address: f for b in found.blocks for f in b.figures}
        assert figures["controller.sense_turns"].text == option.name
        assert float(figures["controller.sense_flux"].text.split()[0]) == pytest.approx(
            float(option.texts["flux"].split()[0]), rel=2e-3
        )
    assert any(r.turns == "1" and r.what == "primary" for r in bench.sheet.rows)
    burden = {c.name: c.text for c in bench.sheet.checks}["Burden"]
    assert burden == next(o for o in table(bench, "turns").options if o.here).texts["burden"]


def test_a_shunt_needs_no_transformer(refuge, shelf):
    worked = work_out(refuge, {"controller.sensing": "shunt"}, shelf, USUAL)
    assert coil_bench(worked, "controller") is None
    assert controller.parts(worked.builds["controller"], shelf) == ()


@pytest.mark.parametrize("amps", [0.01, 1.0, 8.0, 500.0])
def test_thin_wire_bears_its_current_or_is_the_thickest(amps, shelf):
    wire = thin_wire(shelf, amps, 4.5e6)
    thickest = max(w.copper for w in shelf.all(Wire) if w.strands == 1)
    assert wire.copper * 4.5e6 >= amps or wire.copper == thickest
    assert wire.strand >= 0.19e-3


@pytest.fixture(scope="module", params=["mosfet", "bipolar"])
def swinging(request, refuge, shelf):
    content = written_short(refuge)
    content["output"]["waveform"] = "square"
    pins = {"oscillator.switch": shelf.all(Bipolar)[-1].id} if request.param == "bipolar" else {}
    return work_out(Brief.model_validate(content), pins, shelf, USUAL, "self-oscillating")


def test_it_flips_when_the_ring_is_full(swinging, shelf):
    """The flux integrated from one end to the other: half a period each way."""
    build, s = swinging.builds["oscillator"], swinging.settled["nominal"]
    core = shelf.get(IronCore, build.drive_core)
    volts = oscillator.half_voltage(s.states["oscillator"].frequency, build, shelf)
    full = oscillator.SATURATES_AT * core.b_limit
    half = solve_ivp(
        lambda t, b: [build.drive_share * volts / (build.drive_turns * core.a_e)],
        (0, 1),
        [-full],
        events=[_at(full)],
        rtol=1e-9,
    )
    assert 1 / (2 * half.t_events[0][0]) == pytest.approx(s.states["oscillator"].frequency, rel=1e-6)
    assert volts < s.v_in
    assert oscillator.turns_for(s.states["oscillator"].frequency, build.drive_share * volts, core) == pytest.approx(
        build.drive_turns
    )


def _at(level):
    def full(t, b):
        return b[0] - level

    full.terminal = True
    return full


def test_its_drive_windings_give_the_gates_or_the_bases_their_volts(swinging, shelf):
    build, s = swinging.builds["oscillator"], swinging.settled["nominal"]
    bipolar = isinstance(shelf.find("mosfet|bipolar", build.switch), Bipolar)
    volts = oscillator.half_voltage(s.states["oscillator"].frequency, build, shelf)
    windings = oscillator.drive_windings(volts, s.states["oscillator"].pulse, build, shelf, USUAL)
    wanted = oscillator.BASE_VOLTS if bipolar else USUAL.gate_drive
    for name, w in windings[1:]:
        assert ("bases" in name) == bipolar
        made = w.turns / build.drive_turns * build.drive_share * volts
        assert made == pytest.approx(wanted, abs=build.drive_share * volts / build.drive_turns)
    if bipolar:  # copper for what the bases take
        taken = oscillator.OVERDRIVE * s.states["oscillator"].pulse / shelf.find("bipolar", build.switch).gain
        assert windings[1][1].copper >= taken / math.sqrt(2) / USUAL.current_density


def test_the_bench_of_the_drive_transformer_keeps_its_word(swinging, shelf):
    bench = drive_bench(swinging)
    for key in ("turns", "cores"):
        assert sum(o.here for o in table(bench, key).options) == 1
    for option in [o for o in table(bench, "turns").options if not o.here][:2]:
        found = solve(swinging.brief, option.patch | _switch(swinging), shelf, USUAL, "self-oscillating")
        figures = {f.address: f for b in found.blocks for f in b.figures if (f.point or "").startswith("full power, nominal")}
        told = float(option.texts["frequency"].split()[0])
        assert figures["oscillator.frequency"].value == pytest.approx(told, rel=0.01)
    assert [r.turns for r in bench.sheet.rows][1] == [r.turns for r in bench.sheet.rows][2]
    assert bench.sheet.phasing == (1, 2)


def _switch(worked):
    return {"oscillator.switch": worked.builds["oscillator"].switch}
