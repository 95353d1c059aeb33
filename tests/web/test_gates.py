"""Gate drives and switches in a real browser: what kills gates is named, and its cure taken."""

import pytest

pytestmark = pytest.mark.web


def test_a_gate_driven_with_thirty_volts_is_named_and_cured(bench):
    bench.click("show-bridge_drive")
    bench.pin("bridge_drive.supply", "30 V")
    bench.until(lambda: "bridge_drive.over_voltage" in bench.findings())
    assert bench.status("bridge_drive.supply") == "pinned"
    bench.click("cure-bridge_drive.over_voltage")
    bench.until(lambda: "bridge_drive.over_voltage" not in bench.findings())
    assert bench.status("bridge_drive.supply") == "proposed"


def test_an_opto_coupler_on_the_front_end_is_too_weak(bench):
    bench.click("show-front_drive")
    bench.until(lambda: "Front-end gate drive" in bench.text("sheet-title"))
    before = bench.value("front_drive.off_time")
    bench.click("value-front_drive.driver")
    bench.select("input-front_drive.driver", "DO-20")
    bench.until(lambda: "front_drive.weak" in bench.findings())
    assert bench.value("front_drive.off_time") != before
    bench.click("cure-front_drive.weak")
    bench.until(lambda: "front_drive.weak" not in bench.findings())


def test_switches_are_ranked_and_one_is_taken(bench):
    bench.choose("front_end")
    bench.click("rank-switches")
    names = bench.until(lambda: bench.all("options-switches") and bench.options("switches"))
    here = bench.value_of_here("switches")
    other = next(n for n in names if n != here)
    bench.take("switches", other)
    bench.until(lambda: bench.status("front_end.switch") == "pinned")
    bench.until(lambda: bench.value_of_here("switches") == other)
