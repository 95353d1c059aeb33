"""Mains behind a bridge rectifier, and a boost stage that corrects it: worked cases, balances, and integrators of other people."""

import json
import math
import random
from pathlib import Path

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from rhombos.core.book import correction, mains
from rhombos.core.waves.boost import Boost, continuous, critical
from rhombos.core.waves.line_curve import leaves
from rhombos.core.waves.line_half import Behind, Load, Mains, Swing, half_period
from rhombos.core.waves.line_rectifier import rectified

HOUSE = Mains(230, 50, 0.6, 0.8e-3)
CASES = {c["id"]: c["expect"] for c in json.loads((Path(__file__).parent / "cases-mains.json").read_text())}


def drawn(seed):
    """A mains, a drop, a bank and a load; the bank within what people fit, and below."""
    dice = random.Random(seed)
    volts, hertz, power = dice.uniform(85, 265), dice.choice([45, 50, 60, 400, 440]), 10 ** dice.uniform(1.3, 3.5)
    ohms = volts**2 / power
    soft, coil = 10 ** dice.uniform(-3, -1.3), 10 ** dice.uniform(-3, -1)
    bank = power / (volts**2 * hertz) * 10 ** dice.uniform(-0.5, 1.3)
    return Mains(volts, hertz, ohms * soft, ohms * coil / (2 * math.pi * hertz)), dice.uniform(0, 2.2), bank, power


def integrated(line, drop, bank, power, periods, start):
    """The same by SciPy, its events off: the bridge as a steep but smooth conductance, stiff."""
    steep = 2e-3  # V over which a diode opens

    def law(t, x):
        amps, volts = x
        made = line.crest * math.sin(line.turn * t)
        # the bridge holds the line to plus or minus its drop beside the bank, by the sign of the current
        back = (volts + drop) * math.tanh(amps / steep)
        return [(made - line.ohms * amps - back) / line.henry, (abs(amps) - power / volts) / bank]

    end = periods / line.hertz
    answer = solve_ivp(law, (0, end), [0.0, start], method="LSODA", rtol=1e-7, atol=1e-7, max_step=end / periods / 400)
    last = np.linspace(end - 0.5 / line.hertz, end, 4001)
    keep = answer.t >= last[0] - 1e-4
    return last, np.interp(last, answer.t[keep], answer.y[0][keep]), np.interp(last, answer.t[keep], answer.y[1][keep])


def test_the_worked_case_of_a_bridge_holds():
    made = rectified(HOUSE, Behind(1.8, 0.47e-3), 400)
    assert made.held
    assert made.repeats
    want = CASES["bridge-1ph-230"]
    told = {
        "mean_V": made.mean, "max_V": made.highest, "min_V": made.lowest, "line_current_rms_A": made.rms,
        "line_current_peak_A": made.peak, "power_factor": made.power_factor, "capacitor_ripple_current_rms_A": made.bank_rms,
        "conduction_angle_each_half_deg": made.conducts * 180,
    }  # fmt: skip
    assert told == pytest.approx(want, rel=5e-3)


@pytest.mark.parametrize(
    ("line", "drop", "bank", "power", "periods"),
    [
        (HOUSE, 1.8, 0.47e-3, 400, 12),
        (Mains(115, 60, 0.25, 0.2e-3), 1.6, 1.5e-3, 500, 14),
        (Mains(230, 50, 0.2, 2e-6), 1.7, 470e-6, 400, 8),  # hardly any inductance: far stiffer than the steps
        (Mains(265, 45, 1.5, 2.5e-3), 2.0, 220e-6, 150, 14),
        (Mains(115, 400, 0.3, 0.05e-3), 1.5, 100e-6, 250, 24),
    ],
)
def test_the_march_is_what_a_stiff_integrator_finds(line, drop, bank, power, periods):
    made = rectified(line, Behind(drop, bank), power)
    time, amps, volts = integrated(line, drop, bank, power, periods, made.mean)
    span = time[-1] - time[0]
    assert made.mean == pytest.approx(np.trapezoid(volts, time) / span, rel=1e-3)
    assert made.lowest == pytest.approx(volts.min(), rel=2e-3)
    assert made.rms == pytest.approx(math.sqrt(np.trapezoid(amps**2, time) / span), rel=5e-3)
    assert made.peak == pytest.approx(np.abs(amps).max(), rel=5e-3)


@pytest.mark.parametrize("part", range(4))
def test_power_and_charge_are_balanced_wherever_the_bank_stands(part):
    stood = wandered = 0
    for seed in range(part, 120, 4):
        line, drop, bank, power = drawn(seed)
        made = rectified(line, Behind(drop, bank), power)
        if not made.held:
            continue
        lost = line.ohms * made.rms**2 + drop * made.diode_mean
        if made.repeats:
            assert made.drawn == pytest.approx(power + lost, rel=2e-3), seed
            assert made.diode_mean == pytest.approx(np.trapezoid(power / made.bank, made.time) / made.span, rel=2e-3), seed
            stood += 1
        else:  # what is stored at the end is not what was stored at the beginning
            stored = bank * (made.bank[-1] ** 2 - made.bank[0] ** 2) / 2
            assert made.drawn * made.span == pytest.approx((power + lost) * made.span + stored, rel=2e-2), seed
            wandered += 1
        assert made.highest <= 2 * line.crest
        assert 0 < made.conducts <= 1
        assert 0 < made.power_factor <= 1
    assert stood > 20
    assert wandered > 0


def test_without_a_load_the_bank_stands_at_the_crest():
    made = rectified(HOUSE, Behind(1.8, 0.47e-3), 0)
    assert made.mean == made.lowest == pytest.approx(230 * math.sqrt(2) - 1.8)
    assert made.rms == made.power_factor == 0


def test_a_vast_bank_holds_still_and_a_small_one_falls():
    """The valley of a bank that is left alone for nearly a half period, by its energy; a bank that holds less than that falls."""
    vast = rectified(HOUSE, Behind(1.8, 50e-3), 400)
    assert vast.ripple < 0.002 * vast.mean
    stiff = Mains(230, 50, 1e-3, 2e-6)
    one = rectified(stiff, Behind(0.0, 300e-6), 200)
    asleep = (1 - one.conducts) * 0.01
    assert one.lowest == pytest.approx(math.sqrt(one.highest**2 - 2 * 200 * asleep / 300e-6), rel=1e-2)
    assert one.highest == pytest.approx(stiff.crest, rel=1e-2)
    assert not rectified(HOUSE, Behind(1.8, 20e-6), 400).held


def test_pulses_that_take_turns_are_said_to_do_so():
    """A stiff line whose inductance rings with a small bank: a large pulse leaves it so high that the next is small."""
    line = Mains(231.5, 60, 0.341, 10.5e-3)
    made = rectified(line, Behind(1.0, 74.8e-6), 157.0)
    assert made.held
    assert not made.repeats
    assert made.halves == 8
    half = made.span / 8
    tops = [made.bank[(made.time >= n * half) & (made.time <= (n + 1) * half)].max() for n in range(8)]
    assert abs(tops[-1] - tops[-2]) > 0.02 * made.mean
    assert tops[-1] == pytest.approx(tops[-3], rel=1e-2)
    # ten times the bank, and every pulse is like the one before
    assert rectified(line, Behind(1.0, 748e-6), 157.0).repeats


SWINGS = {
    "a sine's": 1 - np.cos(2 * np.pi * (np.arange(64) + 0.5) / 64),
    "pulses": np.repeat([2.5, 0.0], [26, 38]) * 64 / 65,
    "one that gives back": 1 - 2 * np.cos(2 * np.pi * (np.arange(64) + 0.5) / 64),
}


@pytest.mark.parametrize("rate", [1.0, 1.2, 0.15, 0.5, 8.0])
@pytest.mark.parametrize("name", SWINGS)
def test_a_load_that_swings_takes_its_mean_and_no_more(name, rate):
    """Power and charge are balanced over all the phases at which it meets the mains."""
    wave, behind = SWINGS[name], Behind(1.6, 0.8e-3, 0.05)
    made = rectified(HOUSE, behind, 400, Swing(tuple(wave / wave.mean()), rate))
    still = rectified(HOUSE, behind, 400)
    alone = behind.ohms * made.load_alone
    lost = HOUSE.ohms * made.rms**2 + behind.drop * made.diode_mean + behind.ohms * made.bank_rms**2
    assert made.drawn == pytest.approx(400 + lost - alone, rel=1e-3)
    assert made.lowest <= still.lowest
    assert made.highest >= still.highest
    assert made.bank_rms > still.bank_rms
    if wave.min() >= 0:
        assert made.mean == pytest.approx(still.mean, rel=0.01)


def test_a_swing_of_the_mains_own_rhythm_is_met_at_every_phase():
    """Of a sine's swing at the mains' own frequency the bank's valley lies by the worst of phases held one by one: SciPy, no
    diode open, from the mains' crest on."""
    wave = SWINGS["a sine's"]
    behind, power = Behind(1.6, 0.5e-3), 600.0
    made = rectified(HOUSE, behind, power, Swing(tuple(wave), 1.0))
    valleys = []
    for phase in np.arange(12) / 12:
        now = float(rectified(HOUSE, behind, power).bank[0])
        for _ in range(12):
            held = half_period(HOUSE, behind, Load(power, HOUSE.half, Swing(tuple(wave), 1.0), float(phase)), now, 0.0)
            now = held.bank[-1]
        valleys.append(min(held.bank))
    assert made.lowest == pytest.approx(min(valleys), rel=2e-3)
    assert max(valleys) - min(valleys) > 5


@pytest.mark.parametrize("seed", range(12))
def test_the_curve_of_a_mains_is_its_marches(seed):
    """The bank's mean at any power, and its slope, by marches beside."""
    line, drop, bank, power = drawn(seed)
    behind = Behind(drop, 2 * bank)
    left = leaves(line, behind, power)
    beside = [rectified(line, behind, power * k) for k in (0.97, 1.0, 1.03)]
    if left is None or not all(m.held and m.repeats for m in beside):
        return
    low, here, high = beside
    assert left.mean == pytest.approx(here.mean, rel=4e-3)
    ohms = (low.mean - high.mean) / (high.power / high.mean - low.power / low.mean)
    assert left.ohms == pytest.approx(ohms, rel=0.1)


@pytest.mark.parametrize("ohms", [0.1, 0.6])
def test_what_stands_at_the_socket_takes_the_power_that_passes_it(ohms):
    """The mains less what its loop drops, by the slope of the current; and what passes there is what is drawn less what the loop
    burns."""
    behind = Behind(1.8, 0.47e-3, 0.05)
    made = rectified(HOUSE, behind, 400)
    slope = np.gradient(made.current, made.time)
    there = HOUSE.crest * np.sin(HOUSE.turn * made.time) - ohms * made.current - HOUSE.henry * slope
    conducts = made.current > 0
    fine = np.linspace(0, made.span, 200001)
    volts = np.where(
        np.interp(fine, made.time, conducts) > 0.5, np.interp(fine, made.time, there), HOUSE.crest * np.sin(HOUSE.turn * fine)
    )
    assert made.socket(behind, ohms) == pytest.approx(math.sqrt((volts**2).mean()), rel=2e-3)
    passes = float(np.trapezoid(there * made.current, made.time)) / made.span
    assert passes == pytest.approx(made.drawn - ohms * made.rms**2, rel=5e-3)
    assert made.socket(behind, ohms) < HOUSE.volts
    assert rectified(HOUSE, behind, 0).socket(behind, ohms) == pytest.approx(HOUSE.volts)


def test_harmonics_are_those_of_the_current_and_make_its_distortion():
    made = rectified(HOUSE, Behind(1.8, 0.47e-3), 400)
    first = made.harmonics[0]
    angle = made.mains.turn * made.time
    by_hand = [
        math.hypot(*(2 / made.span * np.trapezoid(made.current * f(n * angle), made.time) for f in (np.sin, np.cos)))
        / math.sqrt(2)
        for n in (1, 3, 5, 7)
    ]
    assert made.harmonics[:4] == pytest.approx(by_hand, rel=5e-3)
    shift = math.atan2(
        *(np.trapezoid(made.current * f(angle), made.time) for f in (np.cos, np.sin)),
    )
    factor = mains.power_factor(cos_1=math.cos(shift), THD=made.distortion)
    assert made.power_factor == pytest.approx(float(factor), rel=2e-3)
    assert math.sqrt(first**2 * (1 + made.distortion**2)) == pytest.approx(made.rms, rel=1e-6)


# -- switch-on


def test_the_first_charge_stays_below_its_bounds():
    """Switched on at the crest, a bank behind resistance and inductance, by SciPy."""
    line, bank, limiter = Mains(265, 50, 0.4, 0.3e-3), 470e-6, 4.7
    ohms = line.ohms + limiter

    def law(t, x):
        made = line.crest * math.cos(line.turn * t)
        rises = (made - x[1] - ohms * x[0]) / line.henry
        return [max(rises, 0.0) if x[0] <= 0 else rises, max(x[0], 0.0) / bank, max(x[0], 0.0) ** 2]

    answer = solve_ivp(law, (0, 5e-3), [0.0, 0.0, 0.0], max_step=1e-5, rtol=1e-8)
    at_once = float(mains.inrush(V_rms=265, R_s=0.4, R_ntc=limiter, R_b=0.0))
    assert 0.8 * at_once < answer.y[0].max() <= at_once
    assert answer.y[0].max() <= float(mains.inrush_bound(V_rms=265, C=bank, L=line.henry))
    whole = float(mains.first_charge(V_rms=265, C=bank, R_s=0.4, R_ntc=limiter, R_b=0.0))
    assert 0.6 * whole < answer.y[2][-1] <= whole


def test_a_choke_before_constant_power_is_calm_just_above_its_least_bank():
    """The roots of the linearised circuit lie on either side of nothing."""
    power, volts, henry, ohms = 600.0, 320.0, 10e-3, 0.8
    least = float(mains.calm_bank(P=power, L=henry, R_s=ohms, V_dc=volts))
    for bank, sign in ((0.95 * least, 1), (1.05 * least, -1)):
        matrix = np.array([[-ohms / henry, -1 / henry], [1 / bank, power / volts**2 / bank]])
        assert np.sign(np.linalg.eigvals(matrix).real.max()) == sign


# -- correction


def test_the_worked_case_of_continuous_conduction_holds():
    made = continuous(Boost(90, 390, 900, 0.94, 0.45e-3), 65e3)
    told = {
        "ripple_max_pp_A": made.ripple.max(), "ripple_at_crest_pp_A": made.ripple[359], "inductor_peak_A": made.peak,
        "switch_rms_A": made.switch_rms, "diode_mean_A": made.diode_mean, "line_current_rms_A": made.line_rms,
    }  # fmt: skip
    assert told == pytest.approx(CASES["pfc-ccm-low-line"], rel=1e-3)
    assert made.peak == pytest.approx(float(correction.peak(P=900, eta=0.94, V_rms=90, dI=made.ripple[359])), rel=1e-4)


def test_the_worked_case_of_critical_conduction_holds():
    stage = Boost(120, 390, 250, 0.95, 0.3e-3)
    made = critical(stage, 300e3)
    told = {
        "on_time_s": float(correction.on_time(L=0.3e-3, P=250, eta=0.95, V_rms=120)),
        "f_at_crest_Hz": np.interp(math.pi / 2, made.angle, made.frequency),
        "f_at_30deg_Hz": np.interp(math.pi / 6, made.angle, made.frequency),
        "f_limit_at_zero_crossing_Hz": made.frequency[0], "peak_current_A": made.peak,
        "highest_f_if_capped_Hz": made.frequency.max(),
    }  # fmt: skip
    assert told == pytest.approx(CASES["pfc-crm-120"], rel=5e-3)
    assert made.peak == pytest.approx(float(correction.critical_peak(P=250, eta=0.95, V_rms=120)), rel=1e-4)


def switched(stage, step):
    """A half period of a 50 Hz line, period by period: what each choke, switch and diode carries, by adding up triangles.

    `step(v, current, t)` says for how long the switch is on, how long the period may last, and whether it ends dry.
    """
    t, current, line = 0.0, 0.0, 0.01
    sums = dict.fromkeys(("switch", "diode", "diode_mean", "energy"), 0.0)
    peak = 0.0
    while t < line:
        v = math.sqrt(2) * stage.volts * math.sin(math.pi * min(t, line - 1e-9) / line)
        on, period = step(v, current, t)
        top = current + v * on / stage.henry
        falls = (stage.bus - v) / stage.henry
        flows = min(top / falls, period - on)
        end = max(0.0, top - falls * flows)
        sums["switch"] += on * (current**2 + current * top + top**2) / 3
        sums["diode"] += flows * (top**2 + top * end + end**2) / 3
        sums["diode_mean"] += flows * (top + end) / 2
        sums["energy"] += v * (on * (current + top) + flows * (top + end)) / 2
        peak, current, t = max(peak, top), end, t + period
    return (
        math.sqrt(sums["switch"] / line), math.sqrt(sums["diode"] / line), sums["diode_mean"] / line,
        sums["energy"] / line, peak,
    )  # fmt: skip


def agrees(made, found, of_the_peak):
    """What is computed in closed form with what was added up."""
    switch, diode, diode_mean, energy, peak = found
    assert energy == pytest.approx(made.stage.each, rel=1e-2)
    assert made.switch_rms == pytest.approx(switch, rel=1e-2)
    assert made.diode_rms == pytest.approx(diode, rel=1e-2)
    assert made.diode_mean == pytest.approx(diode_mean, rel=1e-2)
    assert made.peak == pytest.approx(peak, rel=of_the_peak)


@pytest.mark.parametrize(
    ("stage", "hertz"),
    [
        (Boost(90, 390, 900, 0.94, 0.45e-3), 65e3),
        (Boost(230, 390, 900, 0.96, 0.45e-3), 65e3),
        (Boost(230, 400, 250, 0.95, 0.4e-3), 100e3),  # dry for most of the line
    ],
)
def test_continuous_conduction_agrees_with_its_switched_simulation(stage, hertz):
    period = 1 / hertz

    def asked(t):
        return math.sqrt(2) * stage.each / stage.volts * math.sin(math.pi * min(t, 0.01) / 0.01)

    def step(v, current, t):
        falls = (stage.bus - v) / stage.henry
        swing = v / stage.henry * (1 - v / stage.bus) * period
        if swing > 2 * asked(t):  # rests at nothing: the on-time whose triangle has the mean that is asked, by halving
            low, high = 0.0, period
            for _ in range(40):
                on = (low + high) / 2
                top = current + v * on / stage.henry
                charge = (on * (current + top) + top**2 / falls) / 2
                low, high = (on, high) if charge < asked(t) * period else (low, on)
            return low, period
        # ends where the next period is to begin: half a ripple below what is asked then
        end = max(0.0, asked(t + period) - swing / 2)
        return min(period, max(0.0, (end - current + falls * period) * stage.henry / stage.bus)), period

    made = continuous(stage, hertz)
    agrees(made, switched(stage, step), 2e-2)
    assert float(np.mean(made.mains * made.mean)) == pytest.approx(stage.each, rel=1e-4)
    assert bool(made.dry[0]) == (stage.henry < float(correction.continuous(
        eta=stage.efficiency, V_rms=stage.volts, P=stage.power, f_s=hertz)))  # fmt: skip


@pytest.mark.parametrize("highest", [math.inf, 70e3])
def test_critical_conduction_agrees_with_its_switched_simulation(highest):
    stage = Boost(120, 390, 250, 0.95, 0.3e-3)
    time = float(correction.on_time(L=stage.henry, P=stage.power, eta=stage.efficiency, V_rms=stage.volts))

    def step(v, current, t):
        on = time
        whole = on + on * v / (stage.bus - v)
        if whole < 1 / highest:  # held back: longer on, so that the mean stays what it was
            asked = v * time / (2 * stage.henry)
            on = math.sqrt(asked / highest * 2 * stage.henry * (stage.bus - v) / (max(v, 1e-9) * stage.bus))
            whole = 1 / highest
        return on, whole

    made = critical(stage, highest)
    agrees(made, switched(stage, step), 1e-2)
    assert made.frequency.max() <= highest
    assert bool(made.dry.any()) == math.isfinite(highest)


def test_a_switch_finds_its_valley_at_nothing_only_below_half_the_bus():
    low, high = (critical(Boost(v, 390, 250, 0.95, 0.3e-3)) for v in (115, 230))
    assert low.valley_loss(200e-12) == 0.0
    by_hand = np.mean([
        100e-12 * max(0.0, 2 * v - 390) ** 2 * f for v, f in zip(high.mains, high.frequency, strict=True)
    ])  # fmt: skip
    assert high.valley_loss(200e-12) == pytest.approx(float(by_hand))
    crest = math.sqrt(2) * 230
    most = correction.valley(
        C_oss=200e-12, v_line=crest, V_dc=390.0, f_s=float(np.interp(np.pi / 2, high.angle, high.frequency))
    )
    assert high.valley_loss(200e-12) < 3 * float(most)


def test_channels_share_and_a_bus_below_the_crest_is_refused():
    one, two = (critical(Boost(120, 390, 250, 0.95, 0.3e-3 * n, n)) for n in (1, 2))
    assert two.line_rms == pytest.approx(one.line_rms)
    assert two.peak == pytest.approx(one.peak / 2)
    assert two.frequency == pytest.approx(one.frequency)
    with pytest.raises(ValueError, match="bus of 350 V, crest of 374"):
        continuous(Boost(265, 350, 900, 0.94, 0.45e-3), 65e3)


def test_two_ripples_make_the_third_harmonic_that_the_book_says():
    """A sine times an amplifier's output with ripple at twice its frequency, divided by a mean feed-forward with its own; what
    the product has at three times the line, in the worst phase."""
    theta = np.linspace(0, 2 * np.pi, 4096, endpoint=False)
    amp, fed = 0.03, 0.01
    made = np.sin(theta) * (1 + amp * np.cos(2 * theta)) / (1 - fed * np.cos(2 * theta)) ** 2
    lines = np.abs(np.fft.rfft(made))
    assert lines[3] / lines[1] == pytest.approx(float(correction.third(k_err=amp, k_ff=fed)), rel=5e-2)
