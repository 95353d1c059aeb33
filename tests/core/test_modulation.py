"""Ways to modulate: against sampled waves, the book's formulas, a switched simulation; and the table a timer plays."""

import math
import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rhombos.core.book import bridge as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.modulation import ModulationAsked, TableAsked, modulation_bench, sine_table
from rhombos.core.modulation.bench import PRESETS as SHARES
from rhombos.core.modulation.bench import ripple, setting_of
from rhombos.core.modulation.table import TableProblem, c_header, csv, distortion, played, stored, unfolded, vcd
from rhombos.core.waves.modulation import unipolar
from rhombos.core.waves.schemes import SINES, Setting, edges_a_second, modulate, weighted_distortion
from rhombos.core.waves.spectrum import harmonics, readings_of_steps
from tests.core.asking import written_short

USUAL = PRESETS["usual"]
BASE = Setting("unipolar", "natural", 0.85, 400.0, 3e3, 50.0)


def peaks(wave, count):
    return 2 * np.abs(harmonics(wave, count))


@pytest.mark.parametrize("scheme", SINES)
@pytest.mark.parametrize("index", [0.3, 0.85, 1.0])
def test_the_fundamental_is_the_index_times_the_link(scheme, index):
    wave = modulate(replace(BASE, scheme=scheme, index=index)).output
    found = peaks(wave, 9)
    assert found[0] == pytest.approx(index * 400, rel=2e-3)
    assert found[2:9:2].max() < 0.01 * found[0]


@pytest.mark.parametrize("scheme", SINES)
def test_a_wave_from_edges_is_the_comparison_sampled(scheme):
    """Reference against triangle on a million points: the same levels nearly everywhere."""
    t = (np.arange(1_000_000) + 0.5) / 1_000_000
    place = np.mod(t * BASE.ratio, 1.0)
    triangle = np.where(place < 0.5, 1 - 4 * place, 4 * place - 3)
    sine = 0.85 * np.sin(2 * np.pi * t)
    if scheme == "hybrid":
        left = np.where(t < 0.5, 2 * sine - 1, 2 * sine + 1) > triangle
        right = t >= 0.5
    else:
        left = sine > triangle
        right = -sine > triangle if scheme == "unipolar" else ~left
    expected = (left.astype(float) - right) * 400
    bridge = modulate(replace(BASE, scheme=scheme))
    assert np.mean(np.abs(bridge.output.at(t / 50.0) - expected) > 1) < 2e-4


def test_the_unipolar_wave_is_the_one_the_bench_of_the_bridge_draws():
    ours, theirs = modulate(replace(BASE, carrier=18e3)).output, unipolar(0.85, 400.0, 18e3, 50.0)
    assert ours.times == pytest.approx(theirs.times)
    assert ours.levels == pytest.approx(theirs.levels)


@pytest.mark.parametrize(("scheme", "group"), [("unipolar", 2), ("bipolar", 1), ("hybrid", 1)])
def test_the_first_sidebands_stand_where_the_scheme_puts_them(scheme, group):
    setting = replace(BASE, scheme=scheme, carrier=5e3)
    found = peaks(modulate(setting).output, 3 * setting.ratio)
    loud = np.flatnonzero(found[9:] > 0.02 * found[0]) + 10
    assert abs(loud[0] - group * setting.ratio) < 0.15 * setting.ratio
    at_carrier = found[setting.ratio - 1] / found[0]
    assert (at_carrier > 0.3) == (scheme != "unipolar")


@pytest.mark.parametrize("sampling", ["natural", "regular", "asymmetric"])
def test_sampling_hardly_moves_the_fundamental_and_asymmetric_is_nearer(sampling):
    slow = replace(BASE, carrier=1050.0, sampling=sampling)
    found = peaks(modulate(slow).output, 7)
    assert found[0] == pytest.approx(0.85 * 400, rel=0.02)
    if sampling != "regular":
        assert found[2] < 0.01 * found[0]


@pytest.mark.parametrize("scheme", SINES)
def test_over_modulation_ends_in_a_square_wave(scheme):
    indices = [1.0, 1.3, 2.0, 4.0, 60.0]
    fundamentals = [peaks(modulate(replace(BASE, scheme=scheme, index=i)).output, 1)[0] for i in indices]
    assert fundamentals == sorted(fundamentals)
    assert fundamentals[-1] == pytest.approx(4 / math.pi * 400, rel=5e-3)
    cut = peaks(modulate(replace(BASE, scheme=scheme, index=1.3)).output, 5)
    assert cut[2] > 0.02 * cut[0]


@pytest.mark.parametrize("lag", [0.0, 0.5, 1.2])
def test_dead_time_takes_what_the_book_says_against_the_currents_sign(lag):
    setting = replace(BASE, carrier=18e3, dead_time=1.2e-6, lag=lag)
    ideal, real = (harmonics(modulate(s).output, 9) for s in (replace(setting, dead_time=0.0), setting))
    lost = 2 * (ideal - real)
    said = float(book.dead_time_voltage(t_d=1.2e-6, f_c=18e3, V_dc=400.0))
    assert abs(lost[0]) == pytest.approx(said, rel=0.02)
    # a square wave in phase with the current: its odd harmonics fall as 1/h
    assert abs(lost[2]) == pytest.approx(said / 3, rel=0.05)
    assert abs(lost[4]) == pytest.approx(said / 5, rel=0.08)
    angle = np.angle(lost[0] / (-1j))
    assert math.remainder(angle + lag, 2 * math.pi) == pytest.approx(0, abs=0.05)


def test_dead_time_as_a_switched_leg_shows_it():
    """A leg stepped through in small steps: gates with dead time, diodes by the current's sign."""
    setting = replace(BASE, carrier=1e3, dead_time=20e-6, lag=0.6)
    ideal, real = modulate(replace(setting, dead_time=0.0)).left, modulate(setting).left
    t = (np.arange(400_000) + 0.5) / 400_000 / 50
    command = ideal.at(t) > 0.5
    edge = np.flatnonzero(command != np.roll(command, 1))
    since = np.full(t.size, np.inf)
    for e in edge:
        until = np.arange(e, e + int(20e-6 * 50 * 400_000) + 2) % t.size
        since[until] = np.minimum(since[until], ((until - e) % t.size) / 400_000 / 50)
    dead = since < 20e-6
    out = np.sin(2 * np.pi * 50 * t - 0.6) > 0
    level = np.where(dead, np.where(out, 0.0, 1.0), command)
    assert np.mean(np.abs(real.at(t) - level)) < 2e-3


def test_a_pulse_shorter_than_the_dead_time_is_lost():
    setting = replace(BASE, carrier=18e3, index=0.999, dead_time=3e-6, lag=1.5)
    bridge = modulate(setting)
    assert edges_a_second(bridge) < edges_a_second(modulate(replace(setting, dead_time=0.0)))
    assert set(np.unique(bridge.left.levels)) <= {0.0, 1.0}
    assert (np.diff(bridge.output.times) > 0).all()


@pytest.mark.parametrize(("scheme", "divisor"), [("unipolar", 8), ("bipolar", 2), ("hybrid", 4)])
def test_the_largest_ripple_is_the_formulas(scheme, divisor):
    setting = replace(BASE, scheme=scheme, carrier=18e3, index=0.95)
    assert ripple(setting, 1.8e-3) == pytest.approx(400 / (divisor * 1.8e-3 * 18e3), rel=0.02)


@pytest.mark.parametrize(("scheme", "edges"), [("unipolar", 4 * 3e3), ("bipolar", 4 * 3e3), ("hybrid", 2 * 3e3 + 100)])
def test_how_often_the_legs_switch(scheme, edges):
    assert edges_a_second(modulate(replace(BASE, scheme=scheme))) == pytest.approx(edges, abs=120)


def test_weighted_distortion_is_the_ripple_of_an_inductor():
    """The wave through an inductor, integrated exactly on its edges, against its fundamental."""
    wave = modulate(replace(BASE, carrier=2e3)).output
    t = np.linspace(0, wave.period, 400_001)
    flux = np.concatenate([[0], np.cumsum((wave.at(t[:-1])) * np.diff(t))])
    flux -= flux[:-1].mean()
    lines = np.abs(np.fft.rfft(flux[:-1]))
    expected = math.sqrt(float(np.sum(lines[2:] ** 2))) / lines[1]
    assert weighted_distortion(wave) == pytest.approx(expected, rel=5e-3)


@given(
    index=st.floats(0.05, 3),
    ratio=st.integers(9, 400),
    lag=st.floats(-1.5, 1.5),
    dead=st.floats(0, 20e-6),
    scheme=st.sampled_from(SINES),
)
@settings(max_examples=60, deadline=None)
def test_any_setting_gives_a_sound_wave(index, ratio, lag, dead, scheme):
    wave = modulate(Setting(scheme, "natural", index, 400.0, 50.0 * ratio, 50.0, 0.5, dead, lag)).output
    assert wave.times[0] == 0
    assert (np.diff(wave.times) > 0).all()
    assert wave.times[-1] < wave.period
    assert set(np.round(np.unique(wave.levels / 400), 9)) <= {-1.0, 0.0, 1.0}
    read = readings_of_steps(wave)
    assert read.fundamental_rms <= read.rms * (1 + 1e-9)


def test_the_presets_of_a_three_level_wave_keep_what_they_promise():
    for name, share in SHARES:
        wave = modulate(replace(BASE, scheme="modified", fraction=share)).output
        found = peaks(wave, 3)
        if "third" in name:
            assert found[2] < 1e-9 * found[0]
        if "RMS" in name:
            assert wave.rms == pytest.approx(400 / math.sqrt(2))


@pytest.fixture(scope="module")
def bench(worked):
    return modulation_bench(ModulationAsked(), worked)


def test_the_bench_starts_from_the_design(bench, worked):
    assert bench.asked["scheme"] == "unipolar"
    assert bench.asked["carrier"] == "18.0 kHz"
    assert [r.scheme for r in bench.rows if r.here] == ["unipolar"]
    lost = next(f.text for f in bench.figures if f.name == "Lost to dead time")
    setting = setting_of(ModulationAsked(), worked)
    said = float(book.dead_time_voltage(t_d=setting.dead_time, f_c=setting.carrier, V_dc=setting.v_link))
    assert float(lost.split()[0]) == pytest.approx(said * math.cos(setting.lag), rel=0.05)


def test_every_scheme_has_its_pictures_and_its_row(worked):
    for scheme in (*SINES, "modified", "square"):
        found = modulation_bench(ModulationAsked(scheme=scheme, carrier=2e3), worked)
        assert [r.scheme for r in found.rows if r.here] == [scheme]
        keys = [c.key for c in found.charts]
        assert keys == (["comparison", "legs", "spectrum"] if scheme in SINES else ["legs", "spectrum"])
        for chart in found.charts:
            for series in chart.series:
                assert len(series.x) == len(series.y) > 0
                assert np.isfinite(series.y).all()


def test_a_slow_carrier_is_heard_and_an_index_beyond_one_is_told(worked):
    said = " ".join(modulation_bench(ModulationAsked(carrier=5e3, index=1.2), worked).remarks)
    assert "can be heard" in said
    assert "tops are cut" in said


def test_an_iron_bridge_and_a_stepped_design_have_their_bench(refuge, shelf):
    iron = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    assert modulation_bench(ModulationAsked(), iron).asked["scheme"] == "unipolar"
    content = written_short(refuge)
    content["output"]["waveform"] = "modified"
    stepped = work_out(Brief.model_validate(content), {}, shelf, USUAL)
    assert modulation_bench(ModulationAsked(), stepped).asked["scheme"] == "modified"


# The table -----------------------------------------------------------------------------------------------------------
def test_counts_top_and_frequencies_are_the_timers():
    table = played(TableAsked(clock=16e6, carrier=20e3, line=50, index=0.9))
    assert table.top == 400
    assert table.carrier == 20e3
    assert table.counts.size == 400
    assert table.line == 50.0
    assert table.counts.max() == round(400 * 1.9 / 2)
    assert played(TableAsked(clock=16e6, carrier=20e3, centred=False)).top == 800


@pytest.mark.parametrize("symmetry", ["full", "half", "quarter"])
def test_what_is_kept_unfolds_to_the_whole(symmetry):
    asked = TableAsked(clock=20e6, carrier=10e3, symmetry=symmetry)
    table = played(asked)
    whole = unfolded(stored(table, symmetry), table.top, symmetry)
    assert np.abs(whole - table.counts).max() <= (0 if symmetry == "full" else 1)  # a half rounds either way
    assert whole.size == table.counts.size


def test_distortion_falls_with_the_steps_of_the_timer():
    coarse, fine = (distortion(played(TableAsked(clock=c, carrier=10e3)))[0] for c in (2e6, 64e6))
    assert fine < coarse / 8
    table = played(TableAsked(clock=2e6, carrier=10e3))
    # rounding is noise of a twelfth of a squared count, spread over the harmonics
    expected = math.sqrt(1 / 12) / (0.9 * table.top / 2 / math.sqrt(2))
    assert coarse == pytest.approx(expected, rel=0.5)


@pytest.mark.parametrize(
    ("field", "fields"),
    [
        ("bits", {"clock": 160e6, "carrier": 1e3, "bits": 8}),
        ("clock", {"clock": 200e3, "carrier": 50e3}),
        ("carrier", {"carrier": 350.0, "line": 60.0}),
    ],
)
def test_what_the_timer_cannot_make_is_refused_by_name(field, fields):
    with pytest.raises(TableProblem) as refused:
        played(TableAsked(**fields))
    assert refused.value.field == field


def test_a_wrong_line_and_a_busy_controller_are_told():
    told = sine_table(TableAsked(clock=16e6, carrier=18e3))
    said = " ".join(told.remarks)
    assert "50.050 Hz" in said
    assert "floating point in software" in said
    busy = " ".join(sine_table(TableAsked(clock=4e6, carrier=16e3)).remarks)
    assert "Even with whole numbers" in busy


def test_the_header_holds_the_counts_kept():
    asked = TableAsked(clock=16e6, carrier=4e3, symmetry="quarter")
    text = c_header(asked)
    numbers = [int(n) for n in re.findall(r"\d+", text[text.index("sine_table[") :].split("{", 1)[1].split("}", 1)[0])]
    table = played(asked)
    assert numbers == [int(c) for c in stored(table, "quarter")]
    assert f"#define SINE_TOP {table.top}u" in text
    assert "uint16_t" in text


def test_the_sheet_holds_both_legs():
    rows = csv(TableAsked(carrier=5e3)).strip().split("\n")
    assert rows[0].split(",")[:4] == ["sample", "degrees", "left", "right"]
    table = played(TableAsked(carrier=5e3))
    for row, c in zip(rows[1:], table.counts, strict=True):
        cells = row.split(",")
        assert int(cells[2]) == c
        assert int(cells[2]) + int(cells[3]) == table.top


def test_the_timing_never_has_both_switches_of_a_leg_on_and_keeps_the_dead_time():
    asked = TableAsked(clock=20e6, carrier=20e3, dead_time=500e-9)
    state, at, last_off = {}, 0, {}
    for line in vcd(asked).split("$enddefinitions $end\n", 1)[1].split("\n"):
        if line.startswith("#"):
            at = int(line[1:])
        elif line:
            level, wire = int(line[0]), line[1]
            partner = {"!": '"', '"': "!", "#": "$", "$": "#"}[wire]
            if level and at > 0:
                assert state[partner] == 0
                assert at - last_off.get(partner, -(10**9)) >= 499
            if not level:
                last_off[wire] = at
            state[wire] = level
    table = played(asked)
    assert table.dead == 10
