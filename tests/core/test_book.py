"""Every relation: its dimensions agree, it can be solved for any symbol, it is documented."""

import math
from pathlib import Path

import numpy as np
import pint
import pytest
import sympy as sp

from rhombos.core.book import BOOK, BookError
from rhombos.core.book.work import answer

REGISTRY = pint.UnitRegistry(autoconvert_offset_to_baseunit=True)

TYPICAL = {
    "k": 0.6, "D": 0.4, "D_tot": 0.8, "D_max": 0.45, "M": 0.8, "M_max": 0.95, "eta": 0.9, "margin": 0.2, "cos_phi": 0.9,
    "fraction": 0.5, "alpha": 1.45, "beta": 2.5, "xi": 0.8, "layers": 3.0, "h": 3.0, "exponent": 2.0, "K_f": 4.0, "K_u": 0.3,
    "V_safe": 60.0, "V_c": 80.0, "V_r": 30.0, "V_max": 29.2, "V_min": 22.0, "V_sec": 500.0, "V_out": 350.0, "V_in": 25.0,
    "V_dc": 380.0, "V": 90.0, "V_drop": 0.7, "V_F": 1.2, "n_d": 2.0, "ratio": 20.0, "V_pl": 5.0, "V_drive": 12.0, "E": 26.0,
    "R_s": 0.02, "P": 600.0, "T": 350.0, "T_j": 380.0, "T_a": 310.0, "f": 5e4, "f_0": 2e4, "f_s": 5e4, "f_c": 2e4,
    "f_line": 50.0, "t": 0.01, "V_inf": 95.0, "V_1": 380.0, "V_2": 340.0, "I_pk": 5.0, "mu_e": 2000.0, "l_e": 0.1, "N": 12.0,
    "A_e": 2e-4, "L": 1e-3, "C": 1e-4, "R": 47.0, "R_L": 400.0, "tau": 0.5, "I": 30.0, "V_t": 24.0, "I_c": 0.3, "X_L": 0.6,
    "V_bridge": 335.0, "V_rms": 230.0, "I_rms": 3.0, "V_line": 400.0, "V_spike": 20.0, "V_DS": 55.0, "n_par": 2.0,
    "Q_g": 90e-9, "Q_sw": 25e-9, "imbalance": 0.15, "surge": 4.0, "n_sw": 4.0, "interfaces": 2.0, "n_ct": 100.0, "k_fuse": 1.3,
    "L_lk": 2e-7, "P_in": 700.0, "F_R": 1.3, "R_jc": 1.0, "R_cs": 0.5, "P_loss": 12.0, "R_sa": 2.0, "P_total": 30.0, "dT_end": 120.0,
    "dT_now": 40.0, "v_line": 250.0,
}  # fmt: skip


SPECIAL = {
    ("ohmic_drop", "R"): 0.02, ("ac_copper_loss", "R"): 0.01, ("bridge_fundamental", "R"): 0.5, ("gap_length", "L"): 1e-4,
    ("sink_needed", "T_a"): 310.0, ("turn_off_least", "I_pk"): 60.0, ("peak_follow", "V_pk"): 120.0,
    ("overload_time", "dT"): 80.0, ("recovered_charge", "I"): 3.0, ("peak_ripple", "tau"): 1e-4, ("optimum_flux", "B_now"): 0.1,
    ("constant_power_rest", "P"): 1.0, ("lead_bank", "I"): 40.0, ("lead_bank", "L"): 1e-6, ("lead_bank", "dV"): 2.0, ("constant_power_rest", "R"): 1.0, ("precharge_fault_energy", "P"): 0.5,
    ("precharge_fault_energy", "R"): 5.0, ("slowing_coil", "t_delay"): 3e-6, ("slowing_coil", "L"): 1e-6,
    **{(f"step_down_{name}", "V_out"): 5.0 for name in ("duty", "dry_duty", "ripple", "inductance", "falling")}, ("step_down_dry_duty", "L"): 1e-5,
    ("slowing_coil", "I_off"): 60.0, ("slowing_coil", "I_trip"): 30.0, ("slowing_coil", "V_dc"): 380.0, ("slowing_coil", "ratio"): 2.0,
}  # fmt: skip


def typical(symbol, relation=None):
    """A value from the working range of the job, or the geometric middle of what is stated."""
    if relation is not None and (relation.key, symbol.name) in SPECIAL:
        return SPECIAL[relation.key, symbol.name]
    if symbol.name in TYPICAL:
        return TYPICAL[symbol.name]
    low, high = max(symbol.low, 1e-9), symbol.high
    return math.sqrt(low * high)


def base_unit(symbol):
    return REGISTRY.Quantity(1, "dimensionless" if symbol.unit in ("1", "%") else symbol.unit).to_base_units().units


@pytest.mark.parametrize("relation", BOOK.values(), ids=list(BOOK))
def test_dimensions_and_scale_agree(relation):
    symbols = (*relation.inputs, *relation.constants)
    values = {s.name: (s.fixed if s.fixed is not None else typical(s, relation)) for s in symbols}
    names = [sp.Symbol(s.name, real=True) for s in symbols]
    function = sp.lambdify(names, relation.expression, modules=["numpy", "scipy"])
    result = function(*(
        values[s.name] if s.unit == "1" else REGISTRY.Quantity(values[s.name], base_unit(s)) for s in symbols))  # fmt: skip
    plain = float(relation(**{s.name: values[s.name] for s in relation.inputs}))
    assert math.isfinite(plain)
    found = result.to(base_unit(relation.target)).magnitude if hasattr(result, "to") else result
    assert found == pytest.approx(plain, rel=1e-9)


@pytest.mark.parametrize("relation", BOOK.values(), ids=list(BOOK))
def test_any_symbol_can_be_solved_for(relation):
    known = {s.name: typical(s, relation) for s in relation.inputs}
    known[relation.target.name] = float(relation(**known))
    for symbol in relation.inputs:
        others = {k: v for k, v in known.items() if k != symbol.name}
        roots = relation.solve(symbol.name, others)
        for root in (roots.value, *roots.others):
            again = float(
                np.real(relation(**{k: v for k, v in others.items() if k != relation.target.name} | {symbol.name: root}))
            )
            assert again == pytest.approx(known[relation.target.name], rel=1e-6, abs=1e-12), symbol.name


INVERSES = [("unipolar_ripple", "L"), ("bleed_time", "R"), ("inverse_time", "t_twice"), ("oscillator_one", "R_time"),
            ("oscillator_two", "R_time"), ("corner", "C"), ("precharge_time", "R"), ("magnetising", "N")]  # fmt: skip


@pytest.mark.parametrize(("key", "unknown"), INVERSES)
def test_an_inverse_is_the_way_back(key, unknown):
    relation = BOOK[key]
    known = {s.name: typical(s, relation) for s in relation.inputs}
    rest = {n: v for n, v in known.items() if n != unknown} | {relation.target.name: float(relation(**known))}
    assert relation.invert(unknown, rest) == pytest.approx(known[unknown], rel=1e-6)


def test_a_relation_without_one_inverse_says_so():
    with pytest.raises(BookError, match="closed form"):
        BOOK["bridge_fundamental"].invert("I_rms", {})


def test_the_book_is_as_long_as_promised_and_documented():
    assert len(BOOK) >= 60
    for relation in BOOK.values():
        assert relation.title
        assert relation.holds
        assert relation.source
        assert all(s.meaning and s.low < s.high for s in (relation.target, *relation.inputs))


def test_scalar_and_array_evaluation_are_the_same():
    for relation in BOOK.values():
        values = {s.name: typical(s, relation) for s in relation.inputs}
        assert relation.work(values) == pytest.approx(float(relation(**values)), rel=1e-12)


def test_a_missing_symbol_is_named_with_its_meaning():
    with pytest.raises(BookError, match="peak_flux needs A_e: effective core area"):
        BOOK["peak_flux"](V=11, D=0.4, N=3, f_s=5e4)


def test_an_unknown_symbol_is_refused():
    with pytest.raises(BookError, match="no symbol Q"):
        BOOK["ohmic_drop"](I=1, R=2, Q=3)


def test_a_value_out_of_range_is_told_with_the_range():
    with pytest.raises(BookError, match=r"outside 1\.000e-04 to 0\.5"):
        BOOK["peak_flux"].solve("B_pk", {"V": 11, "D": 0.9, "N": 3, "A_e": 2e-4, "f_s": 5e4})


def test_no_answer_in_range_says_so():
    with pytest.raises(BookError, match="no k within"):
        BOOK["precharge_time"].solve("k", {"t": 1e6, "R": 1, "C": 1e-6})


def test_working_by_hand_takes_text_and_typesets_the_numbers():
    found = answer(BOOK["bleed_time"], {"R": "68k", "C": "470u", "V": 385, "V_safe": "60 V"})
    assert found.found == "t"
    assert found.value == pytest.approx(59.4104, rel=1e-4)
    assert r"68\,\mathrm{k\Omega }" in found.substituted


def test_working_by_hand_rounds_up_where_only_whole_numbers_will_do():
    given = {"B_pk": 0.15, "V": 23.1, "D": 0.44, "A_e": 2.11e-4, "f_s": 55e3}
    exact = answer(BOOK["peak_flux"], given)
    assert exact.value == pytest.approx(23.1 * 0.44 / (2 * 0.15 * 2.11e-4 * 55e3))
    assert answer(BOOK["peak_flux"], given, whole=True).value == math.ceil(exact.value)


def test_two_missing_symbols_are_named():
    with pytest.raises(BookError, match="missing are"):
        answer(BOOK["ohmic_drop"], {"I": 3})


def test_the_readme_counts_the_relations_right():
    text = (Path(__file__).parents[2] / "README.md").read_text()
    assert f"The {len(BOOK)} relations" in text
