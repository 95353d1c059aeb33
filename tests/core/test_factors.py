"""Factors and signs that decide whether something burns, each by another route than the code's own: a sampled wave, an energy
balance, a solver, the geometry."""

import itertools
import math

import control
import numpy as np
import pytest
from scipy.optimize import brentq

from rhombos.core.benches.compare import _output
from rhombos.core.blocks import dc_link, h_bridge, heat, input_proposal, input_stage, isolation, load, protection
from rhombos.core.blocks.filter_flow import ODD, Way
from rhombos.core.blocks.short_path import ShortPath
from rhombos.core.book import source, stage
from rhombos.core.control.thresholds import HIGH, HIGH_TOLERANCE, REFERENCE, SET_WITHIN, Tap, band
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.points import operating_points
from rhombos.core.frame.solve import work_out
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.magnetics import choke as chokes
from rhombos.core.magnetics.stack import stack_table, stacked
from rhombos.core.magnetics.transformer import transformer_from
from rhombos.core.magnetics.winding import INSULATION, ac_factor, choose_wire, copper_resistivity, lay
from rhombos.core.parts import Bipolar, Capacitor, Core, Fuse, Mosfet, Wire
from rhombos.core.scope.bench import bench_of
from rhombos.core.waves import chain
from rhombos.core.waves.rail import FIRM
from rhombos.core.waves.regulator import Gains, loop_gain, sampled, standing, sweep
from rhombos.core.waves.steady import FilterCircuit
from tests.core.asking import written_short
from tests.core.test_thresholds import tap_voltage

USUAL = PRESETS["usual"]


def test_a_chokes_core_swings_by_half_the_ripple(shelf):
    """Faraday's law over the rise of the ripple, and the generalised Steinmetz integral of that triangle."""
    need = chokes.ChokeNeed(1.8e-3, 6.0, 1e-6, 2.0, 2.0 / math.sqrt(12), 36e3, 40.0)
    made = chokes.choke_from(shelf, "PQ 50/50", 1, "FB-40", "W 0.9", 1, 175, need.inductance)
    volts = need.inductance * need.ripple / (0.5 / need.frequency)  # what makes the ripple in half a period
    swing = volts * 0.5 / need.frequency / (175 * made.stack.a_e)  # peak to peak
    grade, phase = made.grade, np.linspace(0, 2 * math.pi, 200_001)
    k = grade.k / ((2 * math.pi) ** (grade.alpha - 1) * 2 ** (grade.beta - grade.alpha)
                   * np.trapezoid(np.abs(np.cos(phase)) ** grade.alpha, phase))  # fmt: skip
    slope = swing / (0.5 / need.frequency)
    density = k * slope**grade.alpha * swing ** (grade.beta - grade.alpha)
    assert chokes.choke_loss(made, need, 100.0).core == pytest.approx(density * made.stack.v_e, rel=1e-3)
    table = stack_table(shelf)
    place = next(i for i, row in enumerate(table.rows) if (row.core.id, row.sets) == ("PQ 50/50", 1))
    loss, _ = chokes._estimate(need, table, np.array([place]), np.array([175.0]), grade, USUAL)
    assert loss[0] == pytest.approx(density * made.stack.v_e, rel=1e-3), "the search counts the same"


@pytest.mark.parametrize(
    ("gains", "ohms"), [(Gains(3.0, 0.0, 0.0), 70.0), (Gains(1.5, 10.0, 0.0), 40.0), (Gains(0.8, 5.0, 300.0), 40.0)]
)
def test_the_phase_margin_is_that_of_an_independent_library(gains, ohms):
    period, line = 1 / 36e3, 50.0
    plant = sampled(FilterCircuit(1.8e-3, 0.5, 3.3e-6, ohms), period)
    corner = 1 / (2 * math.pi * math.sqrt(1.8e-3 * 3.3e-6))
    z = control.tf([1, 0], [1], period)
    of_volts, of_amps = (control.ss2tf(plant.a, plant.b[:, None], row[None, :], [[0.0]], period)
                         for row in (np.eye(plant.b.size)[1], plant.capacitor))  # fmt: skip
    turn = math.cos(2 * math.pi * line * period)
    resonator = control.tf([2 * period, -2 * period * turn, 0], [1, -2 * turn, 1], period)
    whole = ((gains.voltage + gains.resonant * resonator) * of_volts + gains.damping * of_amps) / z
    frequency = sweep(line, corner, period)
    answered = whole(np.exp(2j * math.pi * frequency * period))
    assert loop_gain(plant, gains, line, frequency) == pytest.approx(answered, rel=1e-6)
    _, phases, _, _, crossings, _ = control.stability_margins(whole, returnall=True)
    last = int(np.argmax(crossings))
    found = standing(answered, frequency)
    assert found.crossover == pytest.approx(crossings[last] / (2 * math.pi), rel=2e-2)
    signed = (phases[last] + 180) % 360 - 180
    assert found.phase == pytest.approx(signed, abs=2.0)


def test_the_field_between_windings_counts_every_gap(shelf):
    """Energy of the field across primary, secondary and the rest of the primary, integrated: the tape between them too."""
    made = transformer_from(shelf, "ETD 44", 1, "FA-30", ("W 0.8", 8, 4), ("W 0.5", 1, 80), 2, 1)
    half, second = made.primary.height / 2, made.secondary.height
    corners = np.cumsum([0.0, half, INSULATION, second, INSULATION, half])
    turns = made.primary.turns
    y = np.linspace(0, corners[-1], 200_001)
    field = np.interp(y, corners, np.array([0, turns / 2, turns / 2, -turns / 2, -turns / 2, 0])) / made.stack.b_w
    energy = 4e-7 * math.pi / 2 * np.trapezoid(field**2, y) * made.stack.b_w * made.stack.mlt
    assert made.leakage == pytest.approx(2 * energy, rel=2e-3)


def test_a_stacked_core_lengthens_the_turn_by_both_its_sides(shelf):
    """The turn about a rectangle: each further set makes two of its sides longer by its depth."""
    core = shelf.get(Core, "E 42/21/15")
    width = core.a_e / core.depth  # of the centre leg
    out = (core.mlt - 2 * (width + core.depth)) / 2  # how far the mean turn stands off, on its four corners together
    for sets in (2, 3):
        assert stacked(core, sets).mlt == pytest.approx(2 * (width + core.depth * sets) + 2 * out)


@pytest.mark.parametrize(
    ("tap", "falls"),
    [(Tap(100e3, 11e3, 2.2e3, 330e3), True), (Tap(100e3, 11e3, 2.2e3, 330e3), False), (Tap(82e3, 9.1e3, 2.0e3, 1e6), True)],
)
def test_the_turn_back_of_an_adjusted_threshold_holds_every_board(tap, falls):
    """Each corner's board: its trimmer is turned until it trips at the aim, then its other threshold read off the nodes."""
    aim = tap.levels()[0 if falls else 1]
    made, r, v = band(tap, falls, True, USUAL, aim), USUAL.resistor_tolerance, USUAL.reference_tolerance
    backs = []
    for a, b, c, d, e in itertools.product((-1, 1), repeat=5):
        board = Tap(tap.top * (1 + a * r), tap.bottom * (1 + b * r), tap.trimmer * (1 + b * r), tap.hold * (1 + c * r))
        reference, high = REFERENCE * (1 + d * v), HIGH * (1 + e * HIGH_TOLERANCE)

        def level(place, out, board=board, reference=reference):
            return brentq(lambda battery: tap_voltage(board, battery, out, place) - reference, 0.0, 200.0)

        trips, returns = (high, 0.0) if falls else (0.0, high)
        reaches = [level(p, trips) for p in (1.0, 0.0)]
        for set_to in (aim * (1 - SET_WITHIN), aim * (1 + SET_WITHIN)):  # as closely as a hand sets it
            if reaches[0] <= set_to <= reaches[1]:
                backs.append(level(brentq(lambda p: level(p, trips) - set_to, 0.0, 1.0), returns))  # noqa: B023
    assert len(backs) > 16
    assert made.back_low - 1e-9 <= min(backs) <= max(backs) <= made.back_high + 1e-9
    assert made.back_high - made.back_low < 3 * (max(backs) - min(backs)) + 0.03 * aim, "and not far beyond"


@pytest.fixture(scope="module")
def half_bridge(refuge, shelf):
    return work_out(refuge, {}, shelf, USUAL, "half-bridge link")


def test_two_banks_in_series_store_what_each_can_stores(half_bridge, shelf):
    """Energy of every can at its half of the voltage is that of the whole bank at all of it; likewise what heats them."""
    build: input_stage.InputStageBuild = half_bridge.builds["input_stage"]
    can, volts, amps = shelf.get(Capacitor, build.capacitor), 26.0, 7.0
    cans = build.count * build.banks
    assert cans == sum(i.count for i in input_stage.parts(build, shelf) if "capacitor" in i.what)
    stored = cans * can.c * (volts / build.banks) ** 2 / 2
    assert input_stage.capacitance(build, shelf) * volts**2 / 2 == pytest.approx(stored)
    heated = cans * can.esr * (amps / build.count) ** 2
    assert input_stage.esr(build, shelf) * amps**2 == pytest.approx(heated)
    now = half_bridge.settled["nominal"].states["input_stage"]
    assert now.capacitor_loss == pytest.approx(cans * can.esr * (now.ripple / build.count) ** 2)
    supply = half_bridge.route.supply(half_bridge.settled, half_bridge.builds, half_bridge.brief, shelf, USUAL)
    assert supply.feed.capacitance * volts**2 / 2 == pytest.approx(stored)
    links = half_bridge.builds["dc_link"]
    assert dc_link.capacitance(links, shelf) == pytest.approx(
        links.count * shelf.get(Capacitor, links.capacitor).c / links.banks
    )


def test_the_bank_of_a_half_bridge_takes_the_leads_energy(refuge, shelf):
    """Half L·I² moves into the whole bank, whichever way its cans are joined."""
    brief = refuge.but(source={"cable_length": 3.0})
    pins = {"capacitor": "CE-50-2200"}
    rises = []
    for banks in (1, 2):
        build = input_proposal.propose(brief, 30.0, 1.0, pins | {"banks": banks}, shelf, USUAL, 60.0)
        bank = input_stage.capacitance(build, shelf)
        rises.append(60.0 * math.sqrt(3.0 * input_stage.LOOP / bank))
    assert max(rises) <= USUAL.bank_rise * brief.source.volts[0]


def test_a_link_of_two_banks_heats_every_can(refuge, shelf):
    doubled = work_out(refuge, {"rectifier.circuit": "doubler, no choke"}, shelf, USUAL)
    build, now = doubled.builds["dc_link"], doubled.settled["nominal"].states["dc_link"]
    can = shelf.get(Capacitor, build.capacitor)
    assert build.banks == 2
    heating = math.hypot(now.slow_current * dc_link.SLOW_RIPPLE, now.fast_current) / build.count
    assert now.capacitor_loss == pytest.approx(2 * build.count * can.esr * heating**2)


@pytest.mark.parametrize("ratio", [1.0, 14.0])
def test_a_coil_in_the_output_slows_a_short_through_the_transformer(ratio, half_bridge):
    """Both sides of an ideal transformer marched: the coil on its own side, the switches' current on theirs."""
    worked = half_bridge
    need = protection.ProtectionNeed(21.0, 25.6, 29.2, 0.02, 600.0, 1200.0, 2.0, 230.0, 2.9, 7.0, 12.0)
    meets = ShortPath(26.0 if ratio > 1 else 385.0, 0.1e-6, ratio, 200.0 if ratio > 1 else 40.0)
    build = protection.propose(need, meets, 30.0, (230.0, 230.0), {}, USUAL)
    assert build.coil > 0
    state = protection.assess(need, build, (30.0, 660.0, 1400.0), (230.0, 230.0), meets, (25.0, 36e3), SILENT)
    step, socket = build.short_delay / 20_000, build.short_trip
    for _ in range(20_000):  # v on the switches' side stands across its own inductance and, times the ratio, across the coil
        # i₁ = n·i₂: L₁·n·di₂/dt + (L₂/n)·di₂/dt = v
        socket += meets.volts / (meets.inductance * ratio + build.coil / ratio) * step
    assert state.short_off == pytest.approx(ratio * socket, rel=1e-6)
    assert ratio * socket < meets.withstand
    assert worked.settled["nominal"].converged


def test_a_short_behind_an_iron_bridge_meets_its_choke_whole(refuge, shelf):
    """The choke lies between the switches and the iron: nothing divides it."""
    from rhombos.core.routes.auxiliary.protection import short_of

    worked = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    stands = short_of(worked)
    wound = worked.settled["nominal"].states["iron_transformer"]
    assert stands.inductance > worked.builds["output_filter"].inductance + wound.leakage
    at = worked.route.operating(worked.settled, worked.builds, shelf)
    assert stands.inductance * stands.ratio**2 == pytest.approx(at.inductance, rel=0.05), "the scope's own circuit"


def test_both_transistors_store_charge_in_every_cycle(refuge, shelf):
    """A cycle sampled: at each change-over the winding is shorted until the charge has gone, with the supply on one of them."""
    brief = refuge.but(output={"waveform": "square"})
    kind = shelf.all(Bipolar)[0]
    worked = work_out(brief, {"oscillator.switch": kind.id}, shelf, USUAL, "self-oscillating")
    build, s = worked.builds["oscillator"], worked.settled["nominal"]
    now = s.states["oscillator"]
    period, samples = 1 / now.frequency, 8_000_000
    t = np.arange(samples) * period / samples
    both = (t % (period / 2)) < kind.t_s
    sampled_loss = float(np.mean(np.where(both, s.v_in * s.turn_off, 0.0)))
    assert now.storage == pytest.approx(sampled_loss, rel=0.02)
    assert build.switch == kind.id


@pytest.mark.parametrize("waveform", ["square", "modified"])
def test_the_crest_factor_of_a_stepped_wave_is_its_peak_over_its_rms(waveform, refuge, shelf):
    brief = refuge.but(output={"waveform": waveform, "loads": ("lamp",)})
    worked = work_out(brief, {}, shelf, USUAL, "push-pull link")
    steps = worked.route.steps(worked.settled, worked.builds)
    wave, level = np.where(np.arange(100_000) < steps.share * 100_000, steps.level, 0.0), steps.level
    assert _output(worked)[1] == pytest.approx(level / math.sqrt(np.mean(wave**2)), rel=1e-3)


def test_half_a_count_is_the_most_that_rounding_hides(half_bridge):
    """A converter that rounds, over every voltage near the crest; what is left of the budget is drift alone."""
    brief, build = half_bridge.brief, half_bridge.builds["isolation"]
    now = half_bridge.settled["nominal"].states["isolation"]
    count = now.span / 2**build.bits
    crest = math.sqrt(2) * brief.output.voltage
    volts = np.linspace(0.9 * crest, crest, 200_001)
    hidden = float(np.abs(np.round(volts / count) * count - volts).max())
    assert now.error - isolation.DRIFT == pytest.approx(hidden / crest, rel=1e-3)


def test_the_search_counts_a_bridges_overlap_as_the_wave_has_it(shelf):
    """Two legs, each hard-switched twice a carrier at the line's instantaneous current: averaged over the sine."""
    need = h_bridge.BridgeNeed(380.0, 400.0, 4.0, 1.0, 6.5, 0.0, 330.0)
    part = shelf.get(Mosfet, "MF-650-150m-A")
    slow, fast = (h_bridge._leg_losses(part, False, need, 1, f, None, USUAL) for f in (20e3, 40e3))
    on, off = h_bridge.switching_times(part, h_bridge.house_loop(USUAL))
    theta = (np.arange(100_000) + 0.5) / 100_000 * 2 * math.pi
    amps = np.abs(4.0 * math.sqrt(2) * np.sin(theta))
    overlap = float(np.mean(2 * 380.0 * amps * (on + off) / 2)) * 20e3  # two legs; a turn-on and a turn-off each
    charge = 4 * float(stage.capacitive_loss(C_oss=part.c_oss, V=380.0, f=20e3))
    gate = 4 * part.q_g * USUAL.gate_drive * 20e3
    recovery = 2 * float(h_bridge._recovery(part, 2 * float(np.mean(amps)) / 2, 380.0, 20e3))
    assert fast - slow == pytest.approx(overlap + charge + gate + recovery, rel=2e-3)


@pytest.mark.parametrize("duty", [0.05, 0.3, 0.62, 0.95])
def test_the_input_bank_carries_what_the_battery_does_not(duty):
    """A sampled pulse train with its mean taken off; flat pulses, and pulses that ramp."""
    t = (np.arange(100_000) + 0.5) / 100_000
    flat = np.where(t < duty, 9.0, 0.0)
    carried = math.sqrt(np.mean((flat - flat.mean()) ** 2))
    assert source.pulsed_input_ripple(I_in=flat.mean(), D_tot=duty) == pytest.approx(carried, rel=1e-3)
    ramp = np.where(t < duty, 9.0 * (0.5 + t / duty), 0.0)
    form = math.sqrt(np.mean(ramp[t < duty] ** 2)) / np.mean(ramp[t < duty])
    carried = math.sqrt(np.mean((ramp - ramp.mean()) ** 2))
    assert source.shaped_ripple(I=ramp.mean(), form=form, D_tot=duty) == pytest.approx(carried, rel=1e-3)


@pytest.mark.parametrize("wire", ["W 0.5", "W 0.9"])
def test_round_wire_counts_as_a_square_of_its_own_section(wire, shelf):
    """The thin-foil limit of the field: F = 1 + (5·m² − 1)/45·ξ⁴, with foils as wide as a square of the wire's section."""
    part, breadth = shelf.get(Wire, wire), 20e-3
    hertz = 2e-3 / part.copper  # about half a skin depth
    turns = math.floor(breadth / part.outer)
    winding = lay(part, 1, 3 * turns, breadth)
    side = math.sqrt(part.copper)
    depth = math.sqrt(copper_resistivity(90.0) / (math.pi * hertz * 4e-7 * math.pi))
    xi = side / depth * math.sqrt(turns * side / breadth)
    assert xi < 0.7
    assert ac_factor(winding, breadth, hertz, 90.0) - 1 == pytest.approx((5 * 3**2 - 1) / 45 * xi**4, rel=0.1)


def test_the_search_for_a_wire_sees_the_factor_that_the_winding_has(shelf):
    """What is chosen has the least resistance of all that fit, worked out wire by wire, to within its band, and is the
    cheapest of those: a bundle costs what its wires cost together."""
    turns, amps, density, breadth, height, hertz = 12, 9.0, 4.5e6, 30e-3, 8e-3, 60e3
    chosen = choose_wire(shelf, turns, amps, density, breadth, height, hertz)
    rows = []
    for part in shelf.all(Wire):
        hand = math.ceil(amps / density / part.copper * 0.97)
        winding = lay(part, hand, turns, breadth)
        if hand <= 48 and part.outer <= breadth and winding.height <= height:
            rows.append((ac_factor(winding, breadth, hertz, 90.0) / winding.copper, part.price * hand, part.id, hand))
    best = min(r[0] for r in rows)
    near = [r for r in rows if r[0] <= 1.12 * best]
    assert len(near) > 1
    assert (chosen.wire.id, chosen.in_hand) == min(near, key=lambda r: r[1])[2:]


def test_a_cable_is_as_long_as_its_way_there_and_back(refuge, shelf):
    """Volume of copper: two leads; resistance from its mass."""
    brief = refuge.but(source={"cable_length": 2.5})
    short = refuge.but(source={"cable_length": 0.5})
    build = work_out(refuge, {}, shelf, USUAL).builds["input_stage"]
    more = input_stage.resistance(build, brief, shelf, USUAL) - input_stage.resistance(build, short, shelf, USUAL)
    copper = 2 * (2.5 - 0.5)
    rho = copper_resistivity(input_stage.CABLE_CELSIUS)
    assert more == pytest.approx(rho * copper / (build.cable * build.runs), rel=1e-6)
    assert rho == pytest.approx(1.724e-8 * (1 + 0.00393 * (input_stage.CABLE_CELSIUS - 20)), rel=1e-6)
    wide = input_proposal.propose(brief, 60.0, 5.0, {"banks": 1}, shelf, USUAL)
    drop = 60.0 * input_stage.resistance(wide, brief, shelf, USUAL)
    assert drop <= USUAL.cable_drop * brief.source.volts[0] or wide.runs == input_stage.MOST_RUNS


@pytest.mark.parametrize("watts", [60.0, 400.0])
def test_the_proposed_fan_carries_the_heat_off(watts, half_bridge):
    """Mass flow times the specific heat of air is the heat over the rise; a third to a half is left for dust."""
    from dataclasses import replace

    from rhombos.core.routes.auxiliary import heat as beside

    need = replace(beside.need_of(half_bridge), inside=watts)
    build = heat.propose(need, {"case": heat.BLOWN}, USUAL)
    least = watts / (1.18 * 1005 * USUAL.enclosure_rise)
    assert build.airflow >= max(heat.LEAST_FLOW, 1.2 * least)
    assert build.airflow <= max(heat.LEAST_FLOW, 2.0 * least)


@pytest.mark.parametrize(("ohms", "factor"), [(70.0, 0.8), (40.0, 0.99)])
def test_a_harmonic_reaches_the_output_as_the_filters_own_circuit_lets_it(ohms, factor):
    """The filter's state equations driven at each odd harmonic."""
    volts, line, henry, farad, way = 230.0, 50.0, 1.8e-3, 3.3e-6, 0.6
    size = volts / (volts / ohms)
    load = FilterCircuit(henry, way, farad, size * factor, size * math.sqrt(1 - factor**2) / (2 * math.pi * line))
    a, b = load.matrices()
    current = volts / ohms
    found = Way(volts, line, current * factor, current * math.sqrt(1 - factor**2), 0.0, way, henry, farad, None, 0.0, FIRM)
    for order, gain in zip(ODD, found.gain(), strict=True):
        s = 2j * math.pi * line * order
        assert np.linalg.solve(s * np.eye(3) - a, b)[1] == pytest.approx(gain, rel=1e-9)


def test_a_fast_current_loop_does_not_chatter_in_the_averaged_supply(refuge, shelf):
    """Marched with the steps that it has and with a tenth of them: the choke does the same."""
    brief = refuge.but(output={"waveform": "square", "loads": ("lamp",)})
    supply = bench_of(work_out(brief, {}, shelf, USUAL)).supply
    assert supply.loop.programmed
    assert 2 * math.pi * supply.loop.follows * chain.LONGEST > 2, "plain steps would swing up"
    swings = []
    for step in (20e-6, 2e-6):
        made = chain.Chain(supply, 0.0, supply.loop.target, 2.0)
        for n in range(round(0.04 / step)):
            made.stands(n * step, step, 2.0 + (n * step > 0.02), 1.0)
        trail = made.finish(0.04)
        late = trail.choke[(trail.time > 0.01) & (trail.time < 0.02)]
        swings.append((float(np.ptp(late)), float(trail.choke.max())))
    assert swings[0][0] < 0.01
    assert swings[0][1] == pytest.approx(swings[1][1], rel=5e-3)


@pytest.mark.parametrize(("wave", "fraction"), [("square", 1.0), ("modified", 0.5)])
def test_a_resistance_on_a_stepped_wave_draws_its_steps(wave, fraction, refuge):
    """Its current is the wave's own: flat while it stands, so that the peak is the RMS over the root of its share."""
    content = written_short(refuge)
    content["output"] |= {"waveform": wave}
    content["power"] |= {"power_factor": 1.0}
    content["loads"] = ["heater"]
    brief = Brief.model_validate(content)
    drawn = load.assess(operating_points(brief)["nominal"], brief, SILENT)
    assert load.STEPPED[wave] == fraction
    assert drawn.peak_current == pytest.approx(brief.power.continuous / brief.output.voltage / math.sqrt(fraction), rel=2e-3)
    assert drawn.rms == pytest.approx(brief.power.continuous / brief.output.voltage, rel=2e-3)


def test_a_long_cable_is_as_thick_as_both_its_conductors_ask(refuge, shelf):
    """There and back, at the temperature that the rules count on, fuse and contacts beside it: one size less drops too much."""
    content = written_short(refuge)
    content["source"] |= {"cable_length": 5.0}
    brief = Brief.model_validate(content)
    worked = work_out(brief, {}, shelf, USUAL)
    build, cells = worked.builds["input_stage"], worked.settled["low"].states["source"]
    fuse = shelf.get(Fuse, build.fuse)
    sizes = sorted(float(f"{a}e-6") for a in input_proposal.CABLES)

    def dropped(section):
        copper = 1.724e-8 * (1 + 0.00393 * (input_stage.CABLE_CELSIUS - 20)) * 10.0 / (section * build.runs)
        return cells.current * (copper + fuse.resistance + USUAL.contact_resistance) / brief.source.volts[0]

    thinner = max(s for s in sizes if s < build.cable)
    assert dropped(build.cable) <= USUAL.cable_drop
    assert dropped(thinner) > 0.95 * USUAL.cable_drop
