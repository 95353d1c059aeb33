"""Worked reference cases, each from a route of its own (ODE, FFT, integration), through the book and the engine."""

import itertools
import json
import math
from pathlib import Path

import numpy as np
import pytest

from rhombos.core.book import bridge, clamp, filters, link, magnetics, rectifier, sense, source, stage
from rhombos.core.waves.modulation import three_level, unipolar
from rhombos.core.waves.spectrum import harmonics, readings_of_steps

CASES = {c["id"]: c for c in json.loads((Path(__file__).parent / "cases.json").read_text())}


def check(case_id, **found):
    case = CASES[case_id]
    largest = max(abs(v) for v in case["expect"].values() if v is not None)
    for name, value in found.items():
        expected = case["expect"][name]
        assert value == pytest.approx(expected, rel=case["tolerance"], abs=1e-4 * largest), name


def given(case_id):
    return CASES[case_id]["given"]


def test_precharge_of_a_96_volt_bus():
    g = given("precharge-96V")
    check(
        "precharge-96V",
        time_s=source.precharge_time(R=g["R"], C=g["C"], k=g["k"]),
        resistor_energy_J=source.precharge_energy(C=g["C"], V=g["V"], k=g["k"]),
        peak_current_A=source.precharge_peak_current(V=g["V"], R=g["R"]),
        peak_power_W=source.precharge_peak_power(V=g["V"], R=g["R"]),
        closing_inrush_A=source.closing_inrush(V=g["V"], k=g["k"], R_s=g["source_resistance"]),
    )


def test_a_loaded_precharge_may_never_arrive():
    g = given("precharge-loaded-never-arrives")
    ceiling = float(source.precharge_ceiling(V=g["V"], R=g["R"], R_L=g["parallel_load_ohm"]))
    check(
        "precharge-loaded-never-arrives",
        ceiling_V=ceiling,
        peak_current_A=source.precharge_peak_current(V=g["V"], R=g["R"]),
        peak_power_W=source.precharge_peak_power(V=g["V"], R=g["R"]),
    )
    tau = source.loaded_precharge_constant(R=g["R"], R_L=g["parallel_load_ohm"], C=g["C"])
    assert math.isnan(source.loaded_precharge_time.work({"tau": tau, "k": g["k"], "V": g["V"], "V_inf": ceiling}))


def test_a_sagging_battery():
    g = given("battery-sag-24V")
    current = float(source.sagged_current(E=g["emf"], R_s=g["resistance"], P=g["power_at_terminals"]))
    check("battery-sag-24V", current_A=current, terminal_V=source.terminal_voltage(E=g["emf"], I=current, R_s=g["resistance"]))


def test_push_pull_flux():
    g = given("flux-push-pull")
    check(
        "flux-push-pull",
        peak_flux_T=magnetics.peak_flux(V=g["V"], D=g["D_one_switch"], N=g["N"], A_e=g["A"], f_s=g["f_one_switch"]),
    )


def test_turns_ratio_with_a_choke():
    g = given("turns-ratio-choke")
    check(
        "turns-ratio-choke",
        ratio=stage.turns_ratio_choke(
            V_out=g["V_out"], n_d=g["n_diodes"], V_F=g["V_F"], D_max=g["D_max_one_switch"], V_min=g["V_min"], V_drop=g["drop_V"]
        ),
    )


def test_an_rcd_clamp_burns_more_than_the_leakage_holds():
    g = given("rcd-clamp")
    power = float(clamp.clamp_power(L_lk=g["L"], I=g["I"], f=g["f"], V_c=g["V_clamp"], V_r=g["V_reflected"]))
    resistor = float(clamp.clamp_resistor(V_c=g["V_clamp"], P=power))
    check(
        "rcd-clamp", power_W=power, leakage_only_W=clamp.leakage_power(L_lk=g["L"], I=g["I"], f=g["f"]), resistor_ohm=resistor
    )
    settled = clamp.clamp_level(V_r=g["V_reflected"], L_lk=g["L"], I=g["I"], f=g["f"], R=resistor)
    assert settled == pytest.approx(g["V_clamp"], rel=1e-9)


def test_natural_unipolar_pwm():
    g = given("unipolar-natural")
    wave = unipolar(g["M"], g["V_dc"], g["carrier_Hz"], g["line_Hz"])
    read, peaks = readings_of_steps(wave), 2 * np.abs(harmonics(wave, 40))
    check("unipolar-natural", fundamental_peak_V=peaks[0], rms_V=read.rms, thd=read.thd)
    assert peaks[1:].max() / peaks[0] < 1e-4


@pytest.mark.parametrize("case_id", ["modified-50", "modified-two-thirds"])
def test_a_three_level_wave(case_id):
    g = given(case_id)
    wave = three_level(g["conduction_fraction"], g["V_dc"], 50)
    read = readings_of_steps(wave)
    check(
        case_id,
        rms_V=read.rms,
        fundamental_rms_V=read.fundamental_rms,
        thd=read.thd,
        third_peak_V=2 * abs(harmonics(wave, 3)[2]),
        average_responding_reading_V=read.average_responding,
    )
    fraction = g["conduction_fraction"]
    check(
        case_id,
        rms_V=bridge.modified_rms(V_dc=g["V_dc"], fraction=fraction),
        third_peak_V=bridge.modified_harmonic(V_dc=g["V_dc"], fraction=fraction, h=3),
        average_responding_reading_V=bridge.modified_mean(V_dc=g["V_dc"], fraction=fraction),
    )


def test_filter_and_link_ripple():
    g = given("ripple-unipolar")
    check("ripple-unipolar", ripple_pp_A=filters.unipolar_ripple(V_dc=g["V_dc"], L=g["L"], f_c=g["carrier_Hz"]))
    g = given("link-ripple")
    check("link-ripple", ripple_pp_V=link.link_ripple(S=g["S"], f_line=g["line_Hz"], C=g["C"], V_dc=g["V_dc"]))


def test_mains_and_three_phases():
    check("six-pulse-400", mean_V=link.six_pulse_mean(V_line=400), max_V=link.rectified_peak(V_rms=400))
    check(
        "three-phase-reach",
        sine_triangle_LL_rms=bridge.sine_triangle_reach(V_dc=560),
        space_vector_LL_rms=bridge.space_vector_reach(V_dc=560),
        six_step_LL_fundamental_rms=bridge.six_step_reach(V_dc=560),
    )


def test_dowell_for_foil():
    g = given("dowell-foil")
    rho = source.resistivity(rho_20=g["rho20_ohm_m"], a_20=g["alpha20"], T=g["temperature_C"] + 273.15)
    depth = float(magnetics.skin_depth(rho=rho, f=g["f"]))
    check("dowell-foil", skin_depth_m=depth, F_R=magnetics.dowell(xi=g["thickness_m"] / depth, layers=g["layers"]))


def test_steinmetz_generalised_to_pulses():
    g = given("igse-square")
    check(
        "igse-square",
        loss_W_m3=magnetics.igse_pulses(
            k_core=g["k"], alpha=g["alpha"], beta=g["beta"], f_s=g["f"], B_pk=g["B_pk"], D=g["D_each_pulse_of_full_period"]
        ),
        sine_formula_W_m3=magnetics.steinmetz(k_core=g["k"], alpha=g["alpha"], beta=g["beta"], f=g["f"], B_pk=g["B_pk"]),
    )


def test_a_divider_at_every_corner():
    g = given("divider-link")
    corners = [
        float(
            sense.divider(
                V_ref=g["V_ref"] * (1 + a * g["ref_tolerance"]),
                R_1=g["R_top"] * (1 + b * g["tolerance"]),
                R_2=g["R_bottom"] * (1 + c * g["tolerance"]),
            )
        )
        for a, b, c in itertools.product((-1, 0, 1), repeat=3)
    ]
    check("divider-link", nominal_V=corners[13], lowest_V=min(corners), highest_V=max(corners))


def test_a_bleeder():
    g = given("bleeder")
    check(
        "bleeder",
        time_s=link.bleed_time(R=g["R"], C=g["C"], V=g["V"], V_safe=g["V_safe"]),
        power_W=link.bleeder_power(V=g["V"], R=g["R"]),
    )


def test_a_choke_that_runs_dry_meets_the_continuous_duty_at_the_boundary():
    v_sec, v_out, inductance, f_s = 500.0, 350.0, 2e-3, 50e3
    ripple = rectifier.choke_ripple(V_sec=v_sec, V_out=v_out, D_tot=v_out / v_sec, L=inductance, f_s=f_s)
    dry = rectifier.duty_discontinuous(L=inductance, f_s=f_s, V_out=v_out, I_out=ripple / 2, V_sec=v_sec)
    assert 2 * dry == pytest.approx(v_out / v_sec, rel=1e-9)
