"""Rules of the book against routes of their own: circuits integrated in time, waves sampled, losses minimised."""

import math

import numpy as np
import pytest
from scipy.integrate import quad, solve_ivp
from scipy.optimize import minimize_scalar

from rhombos.core.book import bridge, clamp, filters, heat, link, loads, magnetics, rectifier, sense, source, stage

FINE = {"rtol": 1e-9, "atol": 1e-12}


def until(slope, start, event, span, **options):
    """The time at which an event ends an integration."""
    event.terminal = True
    found = solve_ivp(slope, (0, span), start, events=event, **(FINE | options))
    return found.t_events[0][0], found.y_events[0][0]


# source ---------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("power", [10, 600, 1450, 6000])
def test_a_sagging_source_gives_exactly_the_power_asked(power):
    current = float(source.sagged_current(E=26, R_s=0.02, P=power))
    assert (26 - current * 0.02) * current == pytest.approx(power, rel=1e-9)
    assert current <= 26 / (2 * 0.02)


def test_the_most_a_source_gives_is_at_half_its_voltage():
    best = minimize_scalar(lambda i: -(26 - i * 0.02) * i, bounds=(0, 1300), method="bounded")
    assert -best.fun == pytest.approx(float(source.largest_power(E=26, R_s=0.02)), rel=1e-9)


@pytest.mark.parametrize("duty", [0.3, 0.65, 0.9])
def test_input_ripple_is_what_the_pulses_leave_to_the_capacitor(duty):
    time = (np.arange(100_000) + 0.5) / 100_000
    pulses = np.where(time < duty, 1.0, 0.0) * 30 / duty
    assert np.std(pulses) == pytest.approx(float(source.pulsed_input_ripple(I_in=30, D_tot=duty)), rel=1e-3)


def test_a_loaded_precharge_arrives_when_the_circuit_does():
    v, r, load, c, k = 96, 47, 900, 6.8e-3, 0.9
    found, _ = until(lambda _, x: [((v - x[0]) / r - x[0] / load) / c], [0.0], lambda _, x: x[0] - k * v, 10)
    tau = float(source.loaded_precharge_constant(R=r, R_L=load, C=c))
    ceiling = float(source.precharge_ceiling(V=v, R=r, R_L=load))
    assert float(source.loaded_precharge_time(tau=tau, k=k, V=v, V_inf=ceiling)) == pytest.approx(found, rel=1e-6)


def test_precharge_energy_is_what_the_resistor_took():
    v, r, c, k = 48, 22, 10e-3, 0.95
    end = float(source.precharge_time(R=r, C=c, k=k))
    heated = quad(lambda t: (v * math.exp(-t / (r * c))) ** 2 / r, 0, end)[0]
    assert float(source.precharge_energy(C=c, V=v, k=k)) == pytest.approx(heated, rel=1e-8)


def test_closing_inrush_stays_below_its_bound():
    v, k, r, inductance, c = 96, 0.9, 0.02, 2e-6, 5e-3
    found = solve_ivp(lambda _, x: [(v - x[1] - r * x[0]) / inductance, x[0] / c], (0, 2e-3), [0, k * v], max_step=1e-6, **FINE)
    bound = float(source.closing_inrush_bound(k=k, V=v, C=c, L=inductance))
    assert found.y[0].max() <= bound
    free = solve_ivp(lambda _, x: [(v - x[1]) / inductance, x[0] / c], (0, 1e-3), [0, k * v], max_step=1e-6, **FINE)
    assert free.y[0].max() == pytest.approx(bound, rel=1e-4)


def test_run_time_is_the_charge_over_the_current():
    assert float(source.run_time(C_Ah=100 * 3600, V=25, P=500)) == pytest.approx(100 / (500 / 25) * 3600)


# stage and clamps -----------------------------------------------------------------------------------------------------


def test_switch_current_is_the_rms_of_its_pulses():
    time = (np.arange(100_000) + 0.5) / 100_000
    wave = np.where(time < 0.43, 35.0, 0.0)
    assert math.sqrt(np.mean(wave**2)) == pytest.approx(float(stage.switch_rms(I_pulse=35, D=0.43)), rel=1e-4)


def test_a_bare_spike_is_the_ring_of_leakage_and_capacitance():
    leak, c, current = 40e-9, 1e-9, 30.0
    found = solve_ivp(lambda _, x: [-x[1] / leak, x[0] / c], (0, 5e-8), [current, 0], max_step=1e-10, **FINE)
    assert found.y[1].max() == pytest.approx(float(stage.unclamped_spike(I=current, L_lk=leak, C_oss=c)), rel=1e-5)


def test_leakage_eats_the_time_its_current_needs_to_rise():
    leak, current, volts, f = 50e-9, 40.0, 24.0, 50e3
    rise = current * leak / volts  # from nothing, after both switches have rested
    assert float(stage.leakage_duty_loss(L_lk=leak, I=current, f_s=f, V=volts)) == pytest.approx(2 * rise * f)


def test_switching_loss_is_the_overlap_of_straight_lines():
    v, current, rise, fall, f = 50.0, 20.0, 40e-9, 60e-9, 50e3
    energy = sum(quad(lambda t, d=d: v * current * (t / d) if t < d else 0, 0, d)[0] for d in (rise, fall))
    assert float(stage.switching_loss(V=v, I=current, t_r=rise, t_f=fall, f=f)) == pytest.approx(energy * f, rel=1e-9)


@pytest.mark.parametrize(("v_c", "v_r"), [(95.0, 60.0), (45.0, 25.0), (40.0, 30.0)])
def test_an_rcd_clamp_burns_the_charge_the_leakage_delivers(v_c, v_r):
    leak, current, f = 0.5e-6, 14.0, 60e3
    # the leakage's current falls at (v_c − v_r)/L into a capacitor at v_c
    end = leak * current / (v_c - v_r)
    charge = quad(lambda t: current * (1 - t / end), 0, end)[0]
    assert float(clamp.clamp_power(L_lk=leak, I=current, f=f, V_c=v_c, V_r=v_r)) == pytest.approx(charge * v_c * f, rel=1e-9)


def test_a_clamp_settles_where_cycles_bring_it():
    leak, current, f, resistor, c, v_r = 50e-9, 45.0, 100e3, 150.0, 50e-6, 28.0
    level = v_r + 5
    for _ in range(20_000):
        level += leak * current**2 / (2 * (level - v_r)) / c  # the charge of one turn-off
        level *= math.exp(-1 / (f * resistor * c))
    expected = float(clamp.clamp_level(V_r=v_r, L_lk=leak, I=current, f=f, R=resistor))
    assert level == pytest.approx(expected, rel=5e-3)
    assert float(clamp.clamp_excess(V_c=expected, V_r=v_r)) == pytest.approx(expected - v_r)


def test_a_damper_burns_what_filling_and_emptying_cost():
    c, v, r, f = 1e-9, 400.0, 100.0, 50e3
    filling = quad(lambda t: (v / r * math.exp(-t / (r * c))) ** 2 * r, 0, 40 * r * c)[0]
    assert float(clamp.damper_power(C_d=c, V=v, f=f)) == pytest.approx(2 * filling * f, rel=1e-6)


def test_a_ring_measured_twice_gives_its_parts():
    leak, c, added = 80e-9, 700e-12, 1.5e-9
    bare, loaded = (1 / (2 * math.pi * math.sqrt(leak * x)) for x in (c, c + added))
    found = float(clamp.ring_capacitance(f=bare, f_0=loaded, C_d=added))
    assert found == pytest.approx(c, rel=1e-9)
    assert float(clamp.ring_inductance(f=bare, C_par=found)) == pytest.approx(leak, rel=1e-9)


def test_a_turn_off_snubber_reaches_the_voltage_as_the_current_ends():
    current, fall, v = 20.0, 100e-9, 300.0
    c = float(clamp.turn_off_snubber(I=current, t_f=fall, V=v))
    reached = quad(lambda t: current * t / fall / c, 0, fall)[0]
    assert reached == pytest.approx(v, rel=1e-9)


# rectifier, choke, link -----------------------------------------------------------------------------------------------


def test_the_turns_ratio_gives_the_link_as_the_mean_of_its_pulses():
    ratio = float(stage.turns_ratio_choke(V_out=370, n_d=2, V_F=1.2, D_max=0.45, V_min=22, V_drop=0.6))
    time = (np.arange(200_000) + 0.5) / 200_000
    pulses = np.where(time % 0.5 < 0.45, ratio * (22 - 0.6), 0.0)
    assert np.mean(pulses) - 2 * 1.2 == pytest.approx(370, rel=1e-4)


def test_a_choke_that_runs_dry_carries_the_current_its_duty_gives():
    v_sec, v_out, inductance, f_s, mean = 500.0, 370.0, 3e-3, 46e3, 0.02
    duty = 2 * float(rectifier.duty_discontinuous(L=inductance, f_s=f_s, V_out=v_out, I_out=mean, V_sec=v_sec))
    half = 1 / (2 * f_s)
    peak = (v_sec - v_out) / inductance * duty * half
    fall = peak * inductance / v_out
    assert duty * half + fall < half
    assert peak * (duty * half + fall) / 2 / half == pytest.approx(mean, rel=1e-9)


def test_choke_ripple_is_the_volt_seconds_of_one_pulse():
    v_sec, v_out, inductance, f_s = 500.0, 370.0, 3e-3, 46e3
    duty = v_out / v_sec
    rise = (v_sec - v_out) / inductance * duty / (2 * f_s)
    fall = v_out / inductance * (1 - duty) / (2 * f_s)
    found = float(rectifier.choke_ripple(V_sec=v_sec, V_out=v_out, D_tot=duty, L=inductance, f_s=f_s))
    assert found == pytest.approx(rise) == pytest.approx(fall)


def test_link_ripple_is_that_of_the_circuit():
    v, c, apparent, line = 375.0, 440e-6, 667.0, 50.0

    def slope(t, x):  # constant power in, the socket's pulsating power out
        return [apparent * math.cos(4 * math.pi * line * t) / (c * x[0])]

    found = solve_ivp(slope, (0, 0.04), [v], max_step=1e-5, **FINE)
    assert np.ptp(found.y[0]) == pytest.approx(float(link.link_ripple(S=apparent, f_line=line, C=c, V_dc=v)), rel=2e-3)


def test_twice_line_current_is_what_the_pulsation_drives():
    time = np.linspace(0, 0.02, 100_001)
    current = 667 / 375 * np.cos(4 * np.pi * 50 * time)
    assert math.sqrt(np.mean(current**2)) == pytest.approx(float(link.link_ripple_current(S=667, V_dc=375)), rel=1e-4)


def test_hold_up_and_bleeding_follow_the_circuit():
    c = float(link.hold_up(P=600, t_hold=0.02, V_1=380, V_2=340))
    found, _ = until(lambda _, x: [-600 / (c * x[0])], [380.0], lambda _, x: x[0] - 340, 1)
    assert found == pytest.approx(0.02, rel=1e-6)
    found, _ = until(lambda _, x: [-x[0] / (68e3 * 470e-6)], [385.0], lambda _, x: x[0] - 60, 200)
    assert float(link.bleed_time(R=68e3, C=470e-6, V=385, V_safe=60)) == pytest.approx(found, rel=1e-6)


def test_ripples_of_unlike_frequency_add_by_their_squares():
    time = np.linspace(0, 1, 1_000_001)
    triangle = 2 * np.abs((1000 * time) % 1 - 0.5) - 0.5  # peak to peak 1
    wave = 1.3 * math.sqrt(2) * np.sin(2 * np.pi * 50 * time) + 0.8 * triangle
    assert math.sqrt(np.mean(wave**2)) == pytest.approx(float(link.combined_ripple(I_rms=1.3, dI=0.8)), rel=1e-3)


@pytest.mark.parametrize("lag", [0, 30, 60])
def test_three_phase_link_current(lag):
    index, peak, ratio = 0.8, 10.0, 99
    time = (np.arange(600_000) + 0.5) / 600_000
    carrier = 4 * np.abs((ratio * time) % 1 - 0.5) - 1
    drawn = np.zeros_like(time)
    for shift in (0, -2 * np.pi / 3, 2 * np.pi / 3):
        on = index * np.sin(2 * np.pi * time + shift) > carrier
        drawn += on * peak * np.sin(2 * np.pi * time + shift - math.radians(lag))
    found = link.three_phase_link_current(I_ph=peak / math.sqrt(2), M=index, cos_phi=math.cos(math.radians(lag)))
    assert np.std(drawn) == pytest.approx(float(found), rel=0.02)


# bridge and filter ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("lag", [0, 25, 50])
def test_conduction_of_a_bridge_switch_and_its_diode(lag):
    v_0, slope, peak, index, phase = 1.0, 0.08, 5.0, 0.9, math.radians(lag)
    angle = (np.arange(400_000) + 0.5) / 400_000 * np.pi
    current = peak * np.sin(angle)  # the half-cycle in which this switch and the opposite diode share the current
    duty = (1 + index * np.sin(angle + phase)) / 2
    drop = v_0 * current + slope * current**2
    rule = {"V_0": v_0, "I_pk": peak, "M": index, "cos_phi": math.cos(phase), "r": slope}
    assert np.mean(drop * duty) / 2 == pytest.approx(float(bridge.switch_conduction(**rule)), rel=1e-4)
    assert np.mean(drop * (1 - duty)) / 2 == pytest.approx(float(bridge.diode_conduction(**rule)), rel=1e-4)


def test_dead_time_takes_volt_seconds_against_the_currents_sign():
    v, dead, carrier = 380.0, 1e-6, 18e3
    square = 2 * dead * carrier * v  # mean volts lost while the current keeps its sign, two legs
    time = (np.arange(100_000) + 0.5) / 100_000
    wave = square * np.sign(np.sin(2 * np.pi * time))
    spectrum = 2 * np.abs(np.fft.rfft(wave)) / time.size
    assert spectrum[1] == pytest.approx(float(bridge.dead_time_voltage(t_d=dead, f_c=carrier, V_dc=v)), rel=1e-4)
    assert spectrum[5] == pytest.approx(float(bridge.dead_time_harmonic(h=5, t_d=dead, f_c=carrier, V_dc=v)), rel=1e-4)


@pytest.mark.parametrize("lag", [0, 26, 60])
def test_phasors_of_the_filter(lag):
    volts, amps, c, line, r, inductance = 230.0, 3.0, 3.3e-6, 50.0, 0.6, 1.8e-3
    factor = math.cos(math.radians(lag))
    own = float(filters.capacitor_current(f_line=line, C=c, V_rms=volts))
    through = amps * np.exp(-1j * math.radians(lag)) + 1j * own
    assert abs(through) == pytest.approx(float(filters.inductor_line_current(I_rms=amps, cos_phi=factor, I_c=own)), rel=1e-9)
    reactance = float(filters.inductor_reactance(f_line=line, L=inductance))
    made = math.sqrt(2) * abs(volts + (r + 1j * reactance) * through)
    found = filters.bridge_fundamental(V_rms=volts, R=r, I_rms=amps, cos_phi=factor, X_L=reactance, I_c=own, V_drop=0)
    assert float(found) == pytest.approx(made, rel=1e-9)


@pytest.mark.parametrize("frequency", [100.0, 1e3, 36e3])
def test_the_empty_filters_gain(frequency):
    inductance, c = 1.8e-3, 3.3e-6
    s = 2j * math.pi * frequency
    exact = abs(1 / (1 + s * s * inductance * c))
    corner = float(filters.corner(L=inductance, C=c))
    assert float(filters.filter_gain(f=frequency, f_0=corner)) == pytest.approx(exact, rel=1e-9)


@pytest.mark.parametrize("share", [0.25, 0.5, 0.8])
def test_harmonics_of_a_three_level_wave(share):
    time = (np.arange(400_000) + 0.5) / 400_000
    wave = 325 * np.where(np.abs(time - 0.25) < share / 4, 1.0, 0.0) - 325 * np.where(np.abs(time - 0.75) < share / 4, 1.0, 0.0)
    spectrum = 2 * np.abs(np.fft.rfft(wave)) / time.size
    for h in (1, 3, 5, 7):
        assert spectrum[h] == pytest.approx(float(bridge.modified_harmonic(V_dc=325, h=h, fraction=share)), abs=0.02)
    assert float(bridge.square_fundamental(V_dc=325)) == pytest.approx(4 / math.pi * 325)


# magnetics, heat, load, sense -----------------------------------------------------------------------------------------


def test_flux_is_the_integral_of_the_voltage():
    v, duty, turns, area, f = 25.0, 0.42, 5, 1.28e-4, 46e3
    time = (np.arange(200_000) + 0.5) / 200_000 / f
    phase = time * f
    wave = np.where(phase < duty, v, 0) - np.where((phase >= 0.5) & (phase < 0.5 + duty), v, 0)
    flux = np.cumsum(wave) * (time[1] - time[0]) / (turns * area)
    assert np.ptp(flux) / 2 == pytest.approx(float(magnetics.peak_flux(V=v, D=duty, N=turns, A_e=area, f_s=f)), rel=1e-3)
    assert float(magnetics.sine_flux(V_rms=230, f=50, N=500, A_e=2e-3)) == pytest.approx(
        230 / (4.44288 * 50 * 500 * 2e-3), rel=1e-4
    )


def test_total_loss_is_least_where_copper_is_half_beta_of_the_core():
    a, b, beta = 0.4, 9.0, 2.6
    best = minimize_scalar(lambda n: a * n**2 + b * n**-beta, bounds=(0.1, 20), method="bounded", options={"xatol": 1e-10}).x
    copper, core = a * best**2, b * best**-beta
    assert copper == pytest.approx(float(magnetics.loss_optimum(beta=beta, P_core=core)), rel=1e-5)


def test_the_area_product_is_that_of_a_transformer_built_to_it():
    volts, f, flux, density, fill, current = 100.0, 50e3, 0.15, 4e6, 0.3, 6.0
    area, turns = 1.5e-4, 100.0 / (4 * 50e3 * 0.15 * 1.5e-4)
    window = 2 * turns * current / density / fill  # two windings of equal volt-amperes
    found = magnetics.area_product(P_apparent=2 * volts * current, K_f=4, K_u=fill, B_pk=flux, f=f, J=density)
    assert float(found) == pytest.approx(area * window, rel=1e-9)


def test_current_falls_to_a_third_at_the_skin_depth():
    rho, f = 2.2e-8, 60e3
    depth = float(magnetics.skin_depth(rho=rho, f=f))
    gamma = np.sqrt(2j * np.pi * f * 4e-7 * np.pi / rho)
    assert abs(np.exp(-gamma * depth)) == pytest.approx(1 / math.e, rel=1e-9)


def test_magnetising_current_is_the_ramp_of_the_inductance():
    found = magnetics.magnetising_current(V=25, D=0.4, L=60e-6, f_s=50e3)
    assert float(found) == pytest.approx(25 * 0.4 / 50e3 / 60e-6)


def test_heat_flows_down_the_resistances():
    alone = heat.junction(T_a=313.15, P_loss=10, R_jc=0.8, R_cs=0.6, R_sa=2.0)
    shared = heat.shared_sink_junction(T_a=313.15, P_loss=10, P_total=10, R_jc=0.8, R_cs=0.6, R_sa=2.0)
    assert float(alone) == float(shared) == pytest.approx(347.15)
    needed = heat.sink_needed(T_j=float(alone), T_a=313.15, P_loss=10, R_jc=0.8, R_cs=0.6)
    assert float(needed) == pytest.approx(2.0)


def test_a_thermistor_halves_and_doubles_as_its_table_says():
    assert float(heat.thermistor(R_25=10e3, B_ntc=3950, T=298.15)) == pytest.approx(10e3)
    assert float(heat.thermistor(R_25=10e3, B_ntc=3950, T=273.15)) == pytest.approx(33_600, rel=0.01)


@pytest.mark.parametrize("factor", [0.5, 0.9, 0.999])
def test_an_equivalent_load_draws_the_power_it_stands_for(factor):
    apparent = float(loads.apparent_power(P=600, cos_phi=factor))
    r = float(loads.load_resistance(V_rms=230, cos_phi=factor, S=apparent))
    inductance = float(loads.load_inductance(V_rms=230, cos_phi=factor, S=apparent, f_line=50))
    current = 230 / (r + 2j * math.pi * 50 * inductance)
    assert abs(current) ** 2 * r == pytest.approx(600, rel=1e-9)
    assert current.real / abs(current) == pytest.approx(factor, rel=1e-9)


def test_a_short_overshoots_its_trip_by_the_ramp_of_the_delay():
    found = solve_ivp(lambda _, x: [375 / 1e-3], (0, 3e-6), [8.0], **FINE).y[0, -1]
    assert float(sense.trip_overshoot(I_trip=8, V_dc=375, L=1e-3, t_delay=3e-6)) == pytest.approx(found, rel=1e-9)


def test_a_burden_gives_the_trip_voltage_at_the_trip_current():
    burden = float(sense.burden(V=1.0, n_ct=100, I_trip=60))
    assert 60 / 100 * burden == pytest.approx(1.0)
