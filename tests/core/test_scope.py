"""The scope: its records against what is known in closed form, its windows against the record itself, its readings against power."""

import csv as tables
import io
import json
import math

import numpy as np
import pytest
from scipy.special import jv

from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.scope import ScopeAsked, Spectrum, Trigger, bench_of, scope_bench, scope_csv, scope_points
from rhombos.core.scope.asked import UNITS
from rhombos.core.scope.record import record
from rhombos.core.scope.setup import BEFORE, COLD, QUARTER, SPINNING
from rhombos.core.scope.view import crossing, view, window
from rhombos.core.waves.loads import LOCKED
from rhombos.core.waves.output import output_waves

USUAL = PRESETS["usual"]
LOADS = ("as designed", "none", "adapter", "lamp, cold", "motor, starting", "motor, running", "transformer")
EVENTS = ("steady", "soft start", "load step", "short circuit")


@pytest.fixture(scope="module")
def bench(worked):
    return bench_of(worked)


def value(found, name):
    return float(next(r.text for r in found.readings if r.name == name).split()[0])


def test_the_designed_load_takes_what_the_design_says(plainly):
    found = scope_bench(ScopeAsked(), plainly)
    assert value(found, "True power (wattmeter)") == pytest.approx(600, rel=1e-3)
    assert value(found, "Power factor") == pytest.approx(0.9, rel=1e-3)
    assert value(found, "Voltage, true RMS") == pytest.approx(230, rel=1e-3)
    assert value(found, "Crest factor of the current") == pytest.approx(math.sqrt(2), rel=5e-3)


def test_the_steady_trace_is_the_one_of_the_bridges_sheet(plainly):
    """Two roads to one period: shooting through the engine, and the geometric sum over the edges."""
    made = record(bench_of(plainly), "as designed", "steady", 1)
    direct = output_waves(plainly.route.operating(plainly.settled, plainly.builds, plainly.shelf), samples=2000)
    found = made.probe(direct.time)
    assert np.abs(found["output"] - direct.voltage).max() < 1e-4 * np.abs(direct.voltage).max()
    assert np.abs(found["inductor"] - direct.inductor).max() < 1e-3 * np.abs(direct.inductor).max()


@pytest.mark.parametrize("load", LOADS)
@pytest.mark.parametrize("event", EVENTS)
def test_every_event_with_every_load_is_recorded_whole(load, event, worked):
    found = scope_bench(ScopeAsked(load=load, event=event, periods=5), worked)
    assert found.end == pytest.approx(5 / 50 if event in ("steady", "soft start") else (BEFORE + QUARTER + 3) / 50)
    names = {p.name for p in found.points}
    assert {"bridge", "inductor", "shunt", "output", "load", "power"} <= names
    own = {
        "as designed": "smoothing",
        "adapter": "smoothing",
        "motor, starting": "rotor",
        "motor, running": "rotor",
        "transformer": "flux",
    }
    assert names & {"smoothing", "rotor", "flux"} == ({own[load]} if load in own else set())
    assert all(UNITS[p.name] == p.unit for p in found.points)
    assert all("nan" not in r.text and "inf" not in r.text for r in found.readings)
    assert len(found.measured) == 3


@pytest.mark.parametrize("load", ["as designed", "adapter", "motor, starting", "lamp, cold"])
def test_states_do_not_jump_where_pieces_meet(load, bench):
    made = record(bench, load, "load step", 4)
    joints = np.array([p.begin for p in made.pieces[1:]])
    before, after = made.probe(joints - 1e-9), made.probe(joints + 1e-9)
    assert np.abs(before["output"] - after["output"]).max() < 0.5
    assert np.abs(before["inductor"] - after["inductor"]).max() < 0.01


def test_a_soft_start_rises_and_arrives(bench):
    made = record(bench, "as designed", "soft start", 9)
    t = np.linspace(0, made.end, 90_001)
    volts = made.probe(t)["output"].reshape(-1)[:-1].reshape(9, -1)
    peaks = np.abs(volts).max(axis=1)
    assert (np.diff(peaks[:6]) > 0).all()
    assert peaks[-1] == pytest.approx(math.sqrt(2) * 230, rel=0.02)


def test_a_cold_lamp_draws_many_times_its_current_at_first(bench):
    made = record(bench, "lamp, cold", "load step", 14)
    t = np.linspace(BEFORE * 0.02, made.end, 200_001)
    amps = np.abs(made.probe(t)["load"])
    hot = math.sqrt(2) * bench.power / bench.volts
    assert amps.max() > 0.6 * COLD * hot
    assert amps[t > made.end - 0.02].max() == pytest.approx(hot, rel=0.35)  # still warming


def test_a_motor_that_stands_takes_five_times_its_current(bench):
    made = record(bench, "motor, starting", "steady", 1)
    t = np.linspace(0, 0.02, 40_001)
    seen = made.probe(t)
    rms = math.sqrt(np.mean(seen["load"] ** 2))
    volts = math.sqrt(np.mean(seen["output"] ** 2))
    assert rms / volts * bench.volts == pytest.approx(LOCKED * bench.power / 0.8 / bench.volts, rel=0.01)
    assert np.mean(seen["power"]) / (rms * volts) == pytest.approx(0.45, abs=0.01)


def test_a_short_is_tripped_and_its_current_goes_back_to_the_link(bench, worked):
    made = record(bench, "as designed", "short circuit", 4)
    crest = (BEFORE + QUARTER) / 50
    assert made.tripped is not None
    assert crest < made.tripped < crest + 200e-6
    t = np.linspace(crest, made.end, 200_001)
    seen = made.probe(t)
    assert np.abs(seen["inductor"]).max() == pytest.approx(bench.trip, rel=3e-3)
    back = made.probe(np.array([made.tripped + 1e-6]))["bridge"]
    assert np.abs(back) == pytest.approx(bench.at.v_link)  # the diodes turn the link against it
    # the current falls against the link: L·I/V, and is gone for good
    gone = t[np.flatnonzero(np.abs(seen["inductor"]) > 0.01)[-1]] - made.tripped
    assert gone == pytest.approx(bench.at.inductance * bench.trip / bench.at.v_link, rel=0.05)
    found = scope_bench(ScopeAsked(event="short circuit", periods=4), worked)
    assert any("trips at" in r for r in found.remarks)
    assert found.tripped == made.tripped


def test_what_passes_the_trip_is_said(worked):
    said = " ".join(scope_bench(ScopeAsked(load="lamp, cold", event="load step", periods=5), worked).remarks)
    assert "beyond the trip" in said
    assert "beyond the trip" not in " ".join(scope_bench(ScopeAsked(), worked).remarks)


def test_a_record_of_a_slow_line_ends_sooner_and_says_so(worked, shelf):
    """Twenty periods of 50 Hz are as many as were asked; of 5 Hz they would have ten times their edges."""
    usual = scope_bench(ScopeAsked(periods=20, traces=("output",)), worked)
    assert usual.end == pytest.approx(20 / 50)
    assert not any("ends after" in r for r in usual.remarks)
    slow = work_out(worked.brief.but(output={"frequency": 5}), {}, shelf, PRESETS["usual"])
    found = scope_bench(ScopeAsked(periods=20, traces=("output",)), slow)
    assert found.end == pytest.approx(6 / 5), "as many as a soft start takes"
    assert found.remarks[0].startswith("The record ends after 6 line periods: at 5 Hz")
    assert value(found, "Voltage, true RMS") == pytest.approx(230, rel=0.02)


@pytest.mark.parametrize("hertz", [5, 6.5, 9])
def test_an_adapter_on_a_slow_line_takes_its_power_on_the_scope_too(hertz, worked, shelf):
    """The sheet knows its pulses from a march of half a line period in steps, in which the filter rings many times."""
    slow = work_out(worked.brief.but(output={"frequency": hertz}), {}, shelf, PRESETS["usual"])
    assert slow.brief.crest_power > 0
    found = scope_bench(ScopeAsked(periods=3, traces=("output",)), slow)
    assert value(found, "True power (wattmeter)") == pytest.approx(slow.brief.power.continuous, rel=0.005)


def unpacked(raw):
    """The numbers of a view, by trace, read as the format says."""
    head, _, rest = raw.partition(b"\n")
    assert (len(head) + 1) % 8 == 0
    told = json.loads(head)
    n = told["count"]
    found = {"time": np.frombuffer(rest[: 8 * n], "<f8")}
    for k, trace in enumerate(told["traces"]):
        found[trace["name"]] = np.frombuffer(rest[8 * n + 4 * n * k : 8 * n + 4 * n * (k + 1)], "<f4")
    assert len(rest) == n * (8 + 4 * len(told["traces"]))
    return told, found


def test_what_is_drawn_loses_no_spike(worked, bench):
    """Whatever the window, the least and the most drawn are those of the record looked at far closer."""
    made = record(bench, "adapter", "load step", 10)
    for first, last in ((None, None), (0.04, 0.06)):
        told, drawn = unpacked(
            scope_points(ScopeAsked(load="adapter", event="load step", periods=10, first=first, last=last), worked)
        )
        dense = made.probe(np.linspace(told["first"], told["last"], 400_001))
        for name in ("load", "output", "bridge", "inductor"):
            swing = np.abs(dense[name]).max()
            assert drawn[name].max() >= dense[name].max() - 2e-3 * swing
            assert drawn[name].min() <= dense[name].min() + 2e-3 * swing
        assert (np.diff(drawn["time"]) > 0).all()


def test_a_window_of_two_carriers_shows_every_edge(bench):
    made = record(bench, "as designed", "steady", 2)
    first, last = 0.005, 0.005 + 2 / made.carrier
    seen = view(made, first, last)
    volts, inside = seen.traces["bridge"], made.edges(first, last)
    assert inside.size >= 7
    changes = np.flatnonzero(np.diff(volts) != 0)
    assert changes.size >= inside.size - 2
    for edge in inside[1:-1]:
        assert np.abs(seen.time[changes] - edge).min() < 1e-9


def test_a_million_moments_can_be_asked_for(plainly):
    told, drawn = unpacked(scope_points(ScopeAsked(periods=2, grid=1_000_000), plainly))
    assert told["count"] > 1_000_000
    dense = record(bench_of(plainly), "as designed", "steady", 2).probe(np.linspace(0, 0.04, 2_000_001))["output"]
    assert np.abs(drawn["output"]).max() == pytest.approx(np.abs(dense).max(), rel=1e-4)


@pytest.mark.parametrize(
    ("first", "last", "expected"),
    [
        (None, None, (0.0, 0.1)),
        (0.02, 0.04, (0.02, 0.04)),
        (0.2, 0.3, (0.1 - 0.2 / 18e3, 0.1)),
        (0.05, 0.01, (0.05, 0.05 + 0.2 / 18e3)),
    ],
)
def test_a_window_stays_within_the_record(first, last, expected):
    assert window(first, last, 0.1, 18e3) == pytest.approx(expected)


def test_the_table_holds_every_edge(worked, bench):
    rows = list(tables.DictReader(io.StringIO(scope_csv(ScopeAsked(periods=1, last=0.001), worked))))
    time = np.array([float(r["time_s"]) for r in rows])
    assert (np.diff(time) >= 0).all()
    for edge in record(bench, "as designed", "steady", 1).edges(0, 0.001):
        assert np.abs(time - edge).min() < 1e-8
    for row in rows[::500]:
        assert float(row["power_W"]) == pytest.approx(float(row["output_V"]) * float(row["load_A"]), rel=1e-4, abs=1e-6)


def shares_of(found):
    """The sticks of a spectrum, by what stands along it."""
    return dict(zip(found.spectrum.series[0].x, found.spectrum.series[0].y, strict=True))


def test_the_harmonics_of_an_adapter_are_odd_and_many(worked):
    shares = shares_of(scope_bench(ScopeAsked(load="adapter", spectrum=Spectrum(trace="load")), worked))
    assert shares[3] > 40
    assert shares[3] > shares[5] > shares[7]
    assert max(shares[n] for n in (2, 4, 6)) < 1


def test_a_spectrum_to_the_carrier_has_the_groups_where_they_belong(worked, bench):
    """The bridge's lines at twice the carrier against Bessel's closed form."""
    found = scope_bench(ScopeAsked(spectrum=Spectrum(trace="bridge", reach="carrier")), worked)
    shares = {round(1e3 * f): s for f, s in shares_of(found).items()}
    assert found.spectrum.x.unit == "kHz"
    m = bench.at.index
    for order in (-3, -1, 1, 3):
        expected = 200 / math.pi / m * abs(jv(abs(order), m * math.pi))
        assert shares[round(2 * bench.at.carrier + 50 * order)] == pytest.approx(expected, rel=0.02)


def test_a_limit_line_says_what_stands_above_it(worked):
    low = scope_bench(ScopeAsked(load="adapter", spectrum=Spectrum(trace="load", limit="5 %")), worked).spectrum
    assert "stand above the limit, the first at 150.0 Hz" in low.remark
    assert low.series[-1].y == (5, 5)
    high = scope_bench(ScopeAsked(spectrum=Spectrum(trace="output", limit=0.5)), worked).spectrum
    assert "All stay below" in high.remark
    assert "yardstick" in high.remark


def test_measurements_of_a_sine_are_those_of_a_sine(plainly):
    found = scope_bench(ScopeAsked(traces=("output", "power"), periods=2), plainly)
    head, volts, power = found.measured
    assert head[1:] == ("mean", "RMS", "min", "max", "swing")
    assert volts[1] == "0 V"
    assert float(volts[2].split()[0]) == pytest.approx(230, rel=2e-3)
    assert float(power[1].split()[0]) == pytest.approx(600, rel=2e-3)


def test_an_iron_bridge_has_its_scope(refuge: Brief, shelf):
    worked = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    found = scope_bench(ScopeAsked(), worked)
    assert value(found, "True power (wattmeter)") == pytest.approx(worked.settled["nominal"].flow["load"], rel=0.03)


def test_a_trigger_sets_the_window_where_the_trace_passes_its_level(worked, bench):
    made = record(bench, "as designed", "steady", 3)
    assert crossing(made, "output", 200.0, True, 0.0) == pytest.approx(
        crossing(made, "output", 200.0, True, 0.005) - 0.02, abs=2e-6
    )
    # not the ripple on the way down
    when = crossing(made, "output", 200.0, False, 0.0)
    volts = made.probe(np.array([when - 1e-4, when, when + 1e-4]))["output"]
    assert volts[0] > 200 > volts[2]
    assert volts[1] == pytest.approx(200, abs=0.01)
    found = scope_bench(ScopeAsked(periods=3, trigger=Trigger(trace="output", level="200", rising=False)), worked)
    assert found.triggered == pytest.approx(when)
    assert found.last - found.first == pytest.approx(0.02)
    assert found.first == pytest.approx(max(0, when - 0.002))
    later = scope_bench(ScopeAsked(periods=3, trigger=Trigger(level=200, rising=False, after=found.triggered)), worked)
    assert later.triggered == pytest.approx(when + 0.02, abs=2e-6)


def test_an_edge_of_the_bridge_triggers_to_the_nanosecond(bench):
    made = record(bench, "as designed", "steady", 1)
    when = crossing(made, "bridge", 100.0, True, 0.004)
    assert np.abs(made.edges(0.004, 0.02) - when).min() < 1e-9


def test_a_level_that_is_never_reached_is_said(worked):
    found = scope_bench(ScopeAsked(trigger=Trigger(trace="load", level="50 A")), worked)
    assert found.triggered is None
    assert "nothing rises through 50 A" in found.remarks[0]
    with pytest.raises(ValueError, match="level"):
        Trigger(trace="load", level="50 V")


def test_cursors_read_every_trace_and_what_lies_between(worked, bench):
    found = scope_bench(ScopeAsked(cursors=("5 ms", "15 ms")), worked)
    table = {row[0]: row[1:] for row in found.cursors}
    assert table[""] == ("A", "B", "B − A")
    assert table["time"][2] == "10.00 ms"
    assert table["1 / time"][2] == "100.0 Hz"
    exact = record(bench, "as designed", "steady", 4).probe(np.array([0.005, 0.015]))["output"]
    read = [float(v.split()[0].replace("−", "-")) for v in table["at the socket"]]
    assert read == pytest.approx([exact[0], exact[1], exact[1] - exact[0]], rel=1e-3)
    assert len(scope_bench(ScopeAsked(cursors=(0.005,)), worked).cursors[0]) == 2


def test_a_starting_motor_comes_to_its_running_current(bench):
    made = record(bench, "motor, starting", "soft start", 20)
    t = np.linspace(0, made.end, 200_001)
    amps = np.abs(made.probe(t)["load"])
    late = math.sqrt(np.mean(amps[t > 0.36] ** 2))
    first = math.sqrt(np.mean(amps[(t > 0.12) & (t < 0.16)] ** 2))
    assert made.end == pytest.approx(SPINNING)
    assert first > 2 * late


def test_a_running_motor_takes_the_power_asked(bench):
    made = record(bench, "motor, running", "steady", 1)
    seen = made.probe((np.arange(40_000) + 0.5) * 0.02 / 40_000)
    volts = np.mean(seen["output"] ** 2)
    assert np.mean(seen["power"]) * bench.volts**2 / volts == pytest.approx(bench.power, rel=0.01)


def test_a_transformer_put_on_at_a_zero_saturates_and_at_the_crest_does_not(bench):
    """Flux at a zero-crossing start runs to twice its peak; at the crest it starts in step."""
    crest = record(bench, "transformer", "load step", 6)
    rest = record(bench, "transformer", "steady", 1)
    t = np.linspace(0, 1, 60_001)
    settled = np.abs(rest.probe(t * rest.end)["flux"]).max()
    assert settled == pytest.approx(math.sqrt(2) * 230 / (2 * math.pi * 50), rel=0.05)
    begun = crest.probe(bench.at_crest + t * (crest.end - bench.at_crest))
    assert np.abs(begun["flux"]).max() < 1.25 * settled
    assert np.abs(begun["magnetising"]).max() < 5 * np.abs(rest.probe(t * rest.end)["magnetising"]).max()
