"""House parts are plausible and consistent; CSV goes out and comes in, all or nothing."""

import contextlib
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rhombos.core.parts import (
    KINDS,
    Bipolar,
    Capacitor,
    Core,
    Diode,
    Fuse,
    Grade,
    HeatSink,
    Igbt,
    IronCore,
    Mosfet,
    Powder,
    Resistor,
    Shelf,
    UnknownPart,
    Wire,
)
from rhombos.core.parts.table import TableError, read_csv, write_csv


def test_the_shelf_is_as_full_as_promised(shelf):
    assert len(shelf) >= 400
    assert {k for k in KINDS if not shelf.all(KINDS[k])} == set()


def test_designations_are_unique_and_of_our_own(shelf):
    for model in KINDS.values():
        ids = [p.id for p in shelf.all(model)]
        assert len(ids) == len(set(ids))


@pytest.mark.parametrize("low", [30, 60, 100, 150, 200, 250, 400, 600, 650])
def test_there_are_transistors_of_every_voltage(low, shelf):
    assert any(m.v_rating == low for m in shelf.all(Mosfet))


def test_low_resistance_costs_gate_charge(shelf):
    by_voltage: dict[tuple[float, str], list[Mosfet]] = {}
    for m in shelf.all(Mosfet):
        by_voltage.setdefault((m.v_rating, m.id[:2] + m.package), []).append(m)
    for group in by_voltage.values():
        ordered = sorted(group, key=lambda m: m.r_on)
        assert [m.q_g for m in ordered] == sorted((m.q_g for m in ordered), reverse=True)
        assert all(m.q_sw < m.q_g for m in group)


def test_higher_voltage_costs_resistance_for_the_same_charge(shelf):
    quality = {}
    for m in shelf.all(Mosfet):
        quality.setdefault(m.v_rating, []).append(m.r_on * m.q_g)
    best = [min(quality[v]) for v in sorted(quality) if v <= 250]
    assert best == sorted(best)


def test_effective_volume_is_area_times_path(shelf):
    for core in shelf.all(Core):
        assert core.v_e == pytest.approx(core.a_e * core.l_e, rel=5e-3), core.id
        assert core.mlt > 2 * math.sqrt(math.pi * core.a_e) * 0.8, core.id  # a turn is longer than around a round leg
        assert core.mass == pytest.approx(4850 * core.v_e, rel=0.1), core.id


def test_ferrites_saturate_below_half_a_tesla_and_lose_more_at_higher_frequency(shelf):
    for grade in shelf.all(Grade):
        assert 0.3 <= grade.b_sat <= 0.5
        assert 1 < grade.alpha < 2 < grade.beta < 3
        loss = grade.k * 100e3**grade.alpha * 0.1**grade.beta
        assert 10e3 < loss < 500e3, grade.id  # W/m³ at 100 kHz, 100 mT: 10 to 500 mW/cm³


def test_powders_saturate_high_and_fade_the_sooner_the_more_permeable_they_are(shelf):
    families: dict[str, list[Powder]] = {}
    for powder in shelf.all(Powder):
        assert 0.6 <= powder.b_sat <= 1.6
        loss = powder.k * 50e3**powder.alpha * 0.05**powder.beta
        assert 10e3 < loss < 2e6, powder.id  # W/m³ at 50 kHz, 50 mT: the cheapest iron loses a hundred times the best
        # at the field that halves it, it has made a good part of its saturation
        linear = 4e-7 * math.pi * powder.mu_i * powder.h_half
        assert 0.25 < linear / powder.b_sat < 1.0, powder.id
        families.setdefault(powder.id[:2], []).append(powder)
    for members in families.values():
        by_mu = sorted(members, key=lambda p: p.mu_i)
        assert [p.h_half for p in by_mu] == sorted((p.h_half for p in by_mu), reverse=True)


@pytest.mark.parametrize(
    ("recovery", "slowest"), [("mains", 1e-5), ("fast", 5e-7), ("ultrafast", 1.2e-7), ("silicon carbide", 3e-8)]
)
def test_diodes_recover_as_their_class_says(recovery, slowest, shelf):
    of_class = [d for d in shelf.all(Diode) if d.recovery == recovery]
    assert of_class
    assert all(d.t_rr <= slowest for d in of_class)


def test_a_litz_bundle_is_wider_than_its_copper(shelf):
    for wire in shelf.all(Wire):
        assert wire.copper == pytest.approx(wire.strands * math.pi / 4 * wire.strand**2)
        assert math.pi / 4 * wire.outer**2 > wire.copper


def test_forced_air_cools_better(shelf):
    assert all(s.r_fan < s.r_natural for s in shelf.all(HeatSink))


def test_fuses_melt_with_the_square_of_their_rating(shelf):
    for fuse in shelf.all(Fuse):
        assert 0.1 * fuse.i_rating**2 < fuse.i2t < 3 * fuse.i_rating**2
        assert fuse.resistance * fuse.i_rating < (0.2 if fuse.v_dc <= 500 else 0.3)  # a drop of a tenth of a volt or so


def test_other_kinds_make_sense(shelf):
    assert all(c.v_ac > 0 for c in shelf.all(Capacitor) if c.family == "film ac")
    assert all(r.r_low < r.r_high for r in shelf.all(Resistor))
    assert all(i.v_0 < 2 and i.t_f < 1e-6 for i in shelf.all(Igbt))


@pytest.mark.parametrize("kind", KINDS)
def test_csv_comes_back_as_it_went(kind, shelf):
    parts = list(shelf.all(KINDS[kind]))
    again = read_csv(kind, write_csv(kind, parts))
    assert len(again) == len(parts)
    for before, after in zip(parts, again, strict=True):
        for name in type(before).model_fields:
            a, b = getattr(before, name), getattr(after, name)
            assert (a == pytest.approx(b, rel=1e-9)) if isinstance(a, float) else a == b


HEAD = "id,strands,strand,outer\n"


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("id,strands,strand\nX1,1,0.5\n", "line 1: missing column outer"),
        ("id,strands,strand,outer,colour\nX1,1,0.5,0.6,red\n", "line 1: unknown column colour"),
        (HEAD + "X1,1,0.5,0.6\nX2,1,thick,0.6\n", "line 3: strand: ‘thick’ is not a number"),
        (HEAD + "X1,1,0.5,0.6\nX2,0,0.5,0.6\n", "line 3: strands"),
        (HEAD + "X1,1,0.5,0.6\nX1,1,0.5,0.6\n", "‘X1’ stands already in line 2"),
        (HEAD + "X1,1,0.5,0.6,7\n", "line 2: more cells than columns"),
        (HEAD, "holds no parts"),
        (HEAD + "X1,1,-0.5,0.6\n", "line 2: strand"),
    ],
)
def test_a_faulty_table_is_refused_whole_with_its_line(text, told):
    with pytest.raises(TableError) as error:
        read_csv("wire", text)
    assert told in str(error.value)


def test_an_unknown_kind_is_told_with_the_known_ones():
    with pytest.raises(TableError, match="known: mosfet"):
        read_csv("valve", "id\nX1\n")


def test_an_unknown_part_is_told_with_near_ones(shelf):
    with pytest.raises(UnknownPart, match="on the shelf: MN-0"):
        shelf.get(Mosfet, "MN-077")


def test_a_part_of_several_kinds_is_found_in_any(shelf):
    assert isinstance(shelf.find("mosfet|igbt", "GB-600-10-H"), Igbt)
    assert isinstance(shelf.find("mosfet|igbt", "MF-600-100m-B"), Mosfet)
    assert set(shelf.all_ids("mosfet|igbt")) == {p.id for k in (Mosfet, Igbt) for p in shelf.all(k)}


def test_the_fingerprint_follows_the_content(shelf):
    parts = [p for model in KINDS.values() for p in shelf.all(model)]
    assert Shelf(reversed(parts)).fingerprint == shelf.fingerprint
    assert Shelf(parts[1:]).fingerprint != shelf.fingerprint


@given(st.text(max_size=300))
def test_no_text_makes_the_reader_fall_over(text):
    with contextlib.suppress(TableError):
        assert read_csv("fuse", text)


def test_laminated_iron_weighs_its_volume_and_takes_its_turns(shelf):
    for core in shelf.all(IronCore):
        assert core.mass == pytest.approx(7650 * core.a_e * core.l_e, rel=0.06), core.id
        assert core.mlt > 2 * math.sqrt(math.pi * core.a_e) * 0.8, core.id
        assert core.height < core.b_w, core.id


def test_bipolars_of_higher_voltage_have_less_gain_and_store_longer(shelf):
    ordered = sorted((b for b in shelf.all(Bipolar) if b.material == "silicon"), key=lambda b: b.v_rating)
    gains = [b.gain for b in ordered]
    assert gains == sorted(gains, reverse=True)
    assert [b.t_s for b in ordered] == sorted(b.t_s for b in ordered)
    assert all(b.v_0 + b.r_sat * b.i_rating < 2.5 for b in ordered)
