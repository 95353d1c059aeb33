"""The scope: its records against what is known in closed form, its windows against the record itself, its readings against power."""

import csv as tables
import io
import math

import numpy as np
import pytest

from rhombos.core.brief import Brief
from rhombos.core.rules import PRESETS
from rhombos.core.scope import ScopeAsked, scope_bench, scope_csv
from rhombos.core.scope.bench import Trigger, _bench
from rhombos.core.scope.record import BEFORE, COLD, LOCKED, QUARTER, record
from rhombos.core.scope.view import BUCKETS, crossing, envelope, view, window
from rhombos.core.solve import work_out
from rhombos.core.waves.output import output_waves

USUAL = PRESETS["usual"]
LOADS = ("as designed", "none", "adapter", "lamp, cold", "motor, starting")
EVENTS = ("steady", "soft start", "load step", "short circuit")


@pytest.fixture(scope="module")
def bench(worked):
    return _bench(worked)


def value(found, name):
    return float(next(r.text for r in found.readings if r.name == name).split()[0])


def test_the_designed_load_takes_what_the_design_says(worked):
    found = scope_bench(ScopeAsked(), worked)
    assert value(found, "True power (wattmeter)") == pytest.approx(600, rel=1e-3)
    assert value(found, "Power factor") == pytest.approx(0.9, rel=1e-3)
    assert value(found, "Voltage, true RMS") == pytest.approx(230, rel=1e-3)
    assert value(found, "Crest factor of it") == pytest.approx(math.sqrt(2), rel=5e-3)


def test_the_steady_trace_is_the_one_of_the_bridges_sheet(worked, bench):
    """Two roads to one period: shooting through the engine, and the geometric sum over the edges."""
    made = record(bench, "as designed", "steady", 1)
    direct = output_waves(worked.route.operating(worked.settled, worked.builds, worked.shelf), samples=2000)
    found = made.probe(direct.time)
    assert np.abs(found["output"] - direct.voltage).max() < 1e-4 * np.abs(direct.voltage).max()
    assert np.abs(found["inductor"] - direct.inductor).max() < 1e-3 * np.abs(direct.inductor).max()


@pytest.mark.parametrize("load", LOADS)
@pytest.mark.parametrize("event", EVENTS)
def test_every_event_with_every_load_is_recorded_whole(load, event, worked):
    found = scope_bench(ScopeAsked(load=load, event=event, periods=5), worked)
    assert found.end == pytest.approx(5 / 50 if event in ("steady", "soft start") else (BEFORE + QUARTER + 3) / 50)
    assert ("capacitor" in {c.key for c in found.charts}) == (load == "adapter")
    for chart in found.charts:
        for series in chart.series:
            assert len(series.x) == len(series.y) > 5
            assert np.isfinite(series.y).all()
        assert chart.x.low == pytest.approx(0)
    assert all("nan" not in r.text and "inf" not in r.text for r in found.readings)


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
    assert any(m.label == "trips" for c in found.charts for m in c.marks)


def test_what_passes_the_trip_is_said(worked):
    said = " ".join(scope_bench(ScopeAsked(load="lamp, cold", event="load step", periods=5), worked).remarks)
    assert "beyond the trip" in said
    assert "beyond the trip" not in " ".join(scope_bench(ScopeAsked(), worked).remarks)


def test_an_envelope_loses_no_spike(bench):
    """Whatever the window, the least and the most drawn are those of the record looked at a hundred times closer."""
    made = record(bench, "adapter", "load step", 10)
    for first, last in ((0.0, made.end), (0.04, 0.06)):
        times, values = envelope(view(made, first, last), "load")
        dense = made.probe(np.linspace(first, last, 400_001))["load"]
        assert values.max() >= dense.max() - 0.02 * np.abs(dense).max()
        assert values.min() <= dense.min() + 0.02 * np.abs(dense).max()
        assert len(times) <= 2 * BUCKETS
        assert (np.diff(times) > 0).all()


def test_a_window_of_two_carriers_shows_every_edge(bench):
    made = record(bench, "as designed", "steady", 2)
    first, last = 0.005, 0.005 + 2 / made.carrier
    times, volts = envelope(view(made, first, last), "bridge")
    inside = made.edges(first, last)
    assert inside.size >= 7
    changes = np.flatnonzero(np.diff(volts) != 0)
    assert changes.size >= inside.size - 2
    for edge in inside[1:-1]:
        assert np.abs(times[changes] - edge).min() < 2e-7  # drawn at the nearest point of the grid


@pytest.mark.parametrize(("first", "last", "expected"), [
    (None, None, (0.0, 0.1)), (0.02, 0.04, (0.02, 0.04)), (0.2, 0.3, (0.1 - 0.2 / 18e3, 0.1)), (0.05, 0.01, (0.05, 0.05 + 0.2 / 18e3)),
])  # fmt: skip
def test_a_window_stays_within_the_record(first, last, expected):
    assert window(first, last, 0.1, 18e3) == pytest.approx(expected)


def test_a_reference_is_drawn_beside_and_the_table_holds_every_edge(worked, bench):
    found = scope_bench(ScopeAsked(load="adapter", reference="none", periods=2), worked)
    assert [s.name for s in found.charts[0].series][-1] == "for comparison"
    rows = list(tables.DictReader(io.StringIO(scope_csv(ScopeAsked(periods=1, last=0.001), worked))))
    time = np.array([float(r["time_s"]) for r in rows])
    assert (np.diff(time) >= 0).all()
    for edge in record(bench, "as designed", "steady", 1).edges(0, 0.001):
        assert np.abs(time - edge).min() < 1e-8
    for row in rows[::500]:
        assert float(row["power_W"]) == pytest.approx(float(row["output_V"]) * float(row["load_A"]), rel=1e-4, abs=1e-6)


def test_the_harmonics_of_an_adapter_are_odd_and_many(worked):
    found = scope_bench(ScopeAsked(load="adapter"), worked)
    chart = next(c for c in found.charts if c.key == "harmonics")
    current = next(s for s in chart.series if s.name == "current")
    shares = dict(zip((round(x - 0.3) for x in current.x), current.y, strict=True))
    assert shares[3] > 40
    assert shares[3] > shares[5] > shares[7]
    assert max(shares[n] for n in (2, 4, 6)) < 1


def test_an_iron_bridge_has_its_scope(refuge: Brief, shelf):
    worked = work_out(refuge, {}, shelf, USUAL, "iron bridge")
    found = scope_bench(ScopeAsked(), worked)
    assert value(found, "True power (wattmeter)") == pytest.approx(worked.settled["nominal"].flow["load"], rel=0.03)


def test_a_trigger_sets_the_window_where_the_trace_passes_its_level(worked, bench):
    made = record(bench, "as designed", "steady", 3)
    assert crossing(made, "output", 200.0, True, 0.0) == pytest.approx(crossing(made, "output", 200.0, True, 0.005) - 0.02, abs=2e-6)
    # not the ripple on the way down
    when = crossing(made, "output", 200.0, False, 0.0)
    volts = made.probe(np.array([when - 2e-5, when, when + 2e-5]))["output"]
    assert volts[0] > 200 > volts[2]
    assert volts[1] == pytest.approx(200, abs=0.01)
    found = scope_bench(ScopeAsked(periods=3, trigger=Trigger(trace="output", level="200", rising=False)), worked)
    assert found.triggered == pytest.approx(when)
    assert found.last - found.first == pytest.approx(0.02)
    assert found.first == pytest.approx(max(0, when - 0.002))
    assert [m.label for m in found.charts[0].marks] == ["trigger"]
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
    assert {"A", "B"} <= {m.label for m in found.charts[0].marks}
    assert len(scope_bench(ScopeAsked(cursors=(0.005,)), worked).cursors[0]) == 2
