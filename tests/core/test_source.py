"""The source: high rate, low temperature, load profile, fuse and cable, each by a route of its own."""

import math

import pytest
from pydantic import ValidationError

from rhombos.core.blocks import input_bank, input_proposal, source
from rhombos.core.blocks.source.battery import cold_resistance
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import read_profile
from rhombos.core.design.rules import PRESETS
from rhombos.core.design.sources import COLD_B, PEUKERT, RESTING, BatterySource
from rhombos.core.frame.solve import explain, work_out
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.parts import Capacitor
from rhombos.core.plots import charts
from rhombos.core.waves.stepped import StepRipple
from tests.core.asking import written_short

USUAL = PRESETS["usual"]


def asking(refuge, **sections):
    content = written_short(refuge)
    for section, values in sections.items():
        content[section] |= values
    return Brief.model_validate(content)


def test_haste_costs_a_lead_acid_battery_capacity(refuge, shelf):
    """Twice the current, less than half the time: 2 to the power of the exponent."""
    slow = book.peukert_time(C_Ah=3.6e5, I=10.0, t_rated=72e3, peukert=1.2)
    fast = book.peukert_time(C_Ah=3.6e5, I=20.0, t_rated=72e3, peukert=1.2)
    assert slow / fast == pytest.approx(2**1.2)
    assert book.peukert_time(C_Ah=3.6e5, I=5.0, t_rated=72e3, peukert=1.2) == pytest.approx(72e3), (
        "at its rated time it gives all"
    )
    lead = work_out(asking(refuge, source={"chemistry": "lead-acid", "cells": 12}), {}, shelf, USUAL)
    state = lead.settled["nominal"].states["source"]
    assert state.run_time < 0.75 * 3.6e5 / state.current


def test_the_cold_raises_resistance_by_what_is_stated():
    for chemistry, times in (("LiFePO4", 2.5), ("Li-ion", 2.2), ("lead-acid", 1.4)):
        cold = BatterySource(chemistry=chemistry, cells=8, coldest=0)
        assert cold_resistance(cold) / cold.internal_resistance == pytest.approx(times, rel=0.03)
        assert cold_resistance(BatterySource(chemistry=chemistry, cells=8, coldest=25)) == pytest.approx(
            cold.internal_resistance
        )
        assert set(COLD_B) == set(PEUKERT) == set(RESTING)


def test_a_day_empties_the_battery_by_its_energy(refuge, shelf):
    """Each step as a design of its own, asked for that power continuously."""
    brief = asking(refuge, power={"profile": "600 W 1 h, 300 W 2 h"})
    day = charts(work_out(brief, {}, shelf, USUAL), "source")[2]
    left = day.series[0].y
    assert day.series[0].x == (0.0, 1.0, 3.0)
    full = work_out(brief, {}, shelf, USUAL).settled["nominal"].states["source"].current
    assert left[1] == pytest.approx(100 - full, abs=0.2), "100 Ah: an ampere for an hour is a percent"
    assert left[1] - left[2] == pytest.approx(full, rel=0.05), "half the power twice as long, with a little more idle loss"


def test_a_day_too_long_says_when_it_is_empty(refuge, shelf):
    brief = asking(refuge, power={"profile": "600 W 12 h"}, source={"capacity": "50 Ah"})
    day = charts(work_out(brief, {}, shelf, USUAL), "source")[2]
    assert "empty after" in day.remark
    assert min(day.series[0].y) < 0


@pytest.mark.parametrize(
    "text", ["60 W", "60 W 4 x", "9 kW 1 h", "60 W 200 h", "W 4 h", ",".join(["60 W 1 h"] * 30), "-5 W 1 h"]
)
def test_a_day_that_cannot_be_read_is_refused(text, refuge):
    with pytest.raises((ValidationError, ValueError)):
        asking(refuge, power={"profile": text})


def test_a_day_is_read_as_people_write_it():
    assert read_profile(" 60 W 4 h, 0.5kW 20 min,0 W 30 s ", 600) == ((60.0, 4 * 3600.0), (500.0, 1200.0), (0.0, 30.0))
    assert read_profile("", 600) == ()


def test_the_gauge_has_five_steps_in_the_packs_volts(worked):
    rows = charts(worked, "source")[3].rows
    assert len(rows) == 7
    assert rows[1][:2] == ("full", "27.20 V")
    for steps in RESTING.values():
        assert list(steps) == sorted(steps)


def test_the_cable_outlasts_the_fuse_in_every_proposal(refuge, shelf):
    for watts in (100, 600, 2000):
        worked = work_out(
            asking(refuge, power={"continuous": watts, "surge": watts}, source={"capacity": "300 Ah"}), {}, shelf, USUAL
        )
        build = worked.builds["input_stage"]
        fuse = worked.shelf.find("fuse", build.fuse)
        assert fuse.i2t < (115 * build.cable * 1e6) ** 2
        assert build.reverse_i2t > fuse.i2t
        assert build.connector >= fuse.i_rating


def test_a_can_lives_twice_as_long_ten_kelvin_cooler(refuge, shelf):
    lives = [
        work_out(asking(refuge, targets={"ambient": t}), {}, shelf, USUAL).settled["nominal"].states["input_stage"].life
        for t in (50, 60)
    ]
    assert lives[0] / lives[1] == pytest.approx(2, rel=0.05)


def test_a_series_switch_costs_its_loss(refuge, shelf):
    plain = work_out(refuge, {}, shelf, USUAL)
    pins = {"input_stage.reverse": "series switch", "input_stage.reverse_ohms": "2m"}
    series = work_out(refuge, pins, shelf, USUAL)
    lost = [w.settled["nominal"].states["input_stage"].loss for w in (plain, series)]
    current = series.settled["nominal"].states["source"].current
    assert lost[1] - lost[0] == pytest.approx(2e-3 * current**2, rel=0.05)


def test_an_inrush_is_summed_over_its_decay():
    volts, ohms, farads = 20.0, 0.02, 0.05
    step = 1e-6
    total = sum((volts / ohms * math.exp(-i * step / (ohms * farads))) ** 2 * step for i in range(20000))
    assert book.decaying_pulse(I_pk=volts / ohms, R_s=ohms, C=farads) == pytest.approx(total, rel=1e-3)


@pytest.mark.parametrize(("share", "out"), [(0.9, False), (0.96, False), (0.98, True), (1.2, True)])
def test_a_battery_at_its_edge_counts_as_given_out(share, out, refuge):
    """At 97 % of the most it can give, E²/(4·R), a percent more power takes a fortieth of its voltage."""
    open_volts, ohms = 25.6, refuge.source.internal_resistance
    state = source.assess(open_volts, share * open_volts**2 / (4 * ohms), refuge, SILENT)
    assert state.collapsed is out
    if not out:
        assert state.terminal * state.current == pytest.approx(state.power, rel=1e-9)


@pytest.mark.parametrize(("watts", "out"), [(1739, True), (600, False)])
def test_a_bridge_at_its_limit_on_a_source_that_cannot_give_the_power_is_told_of_the_source(watts, out, shelf):
    """No turns make up for it: the socket takes more than E²/(4·R), whatever is lost on the way."""
    brief = Brief.model_validate({
        "source": {"chemistry": "LiFePO4", "cells": 16, "capacity": "5 Ah"}, "output": {"voltage": 120, "frequency": 70},
        "power": {"continuous": watts, "surge": watts}, "loads": ["fan"]})  # fmt: skip
    worked = work_out(brief, {}, shelf, USUAL, "iron bridge")
    codes = {f.code for f in explain(worked, {}).findings}
    flat, ohms = brief.source.volts[0], brief.source.internal_resistance
    assert (watts > flat**2 / (4 * ohms)) is out
    assert ("source.cannot_give_low" in codes) is out
    assert "iron_transformer.regulation" not in codes
    assert worked.settled["low"].states["source"].capable <= flat**2 / (4 * ohms)


@pytest.mark.parametrize("banks", [1, 2])
@pytest.mark.parametrize(("amps", "full"), [(1.5, 16.8), (6.0, 33.6), (40.0, 29.2), (3.0, 56.0)])
def test_no_cheaper_cans_carry_a_ripple_that_grows_with_the_bank(amps, full, banks, refuge, shelf):
    """Every can in every number, against the one that the search takes."""
    cells = max(1, round(full / 4.2))
    brief = refuge.but(source={"chemistry": "Li-ion", "cells": cells})
    ripple = StepRipple(amps, 0.7, 0.8, False, 50.0, 0.03)
    found = input_proposal.propose(brief, 10.0, ripple, {"banks": banks}, shelf, USUAL)

    def able(can: Capacitor, count: int) -> bool:
        each = can.i_ripple * (1 - USUAL.ripple_current_margin) / input_bank.RESERVE
        return ripple(count * can.c / banks) <= count * each

    def price(can: Capacitor, count: int) -> float:
        return count * (can.price + input_bank.CAN_PLACE) + 10 * max(0, count - input_bank.MOST_CANS)

    stands = input_bank.can_voltage(brief.source.volts[2], banks) / (1 - USUAL.input_capacitor_margin)
    chosen = shelf.get(Capacitor, found.capacitor)
    assert able(chosen, found.count)
    cans = [c for c in shelf.all(Capacitor) if c.family == "electrolytic" and c.v_rating >= stands]
    cheaper = [(c.id, n) for c in cans for n in range(2, 60) if price(c, n) < price(chosen, found.count) - 1e-9 and able(c, n)]
    assert cheaper == []
