"""Conduction steps: they fill the period, name the right devices, and last as long as the design says."""

import pytest

from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve
from rhombos.core.frame.topology import TOPOLOGIES
from rhombos.core.units.quantities import parse
from rhombos.core.waves.conduction import bridge_intervals, front_end_intervals

USUAL = PRESETS["usual"]


@pytest.mark.parametrize("name", TOPOLOGIES)
@pytest.mark.parametrize("duty", [0.02, 0.4, 0.5, 0.7])
def test_the_intervals_of_a_stage_fill_its_period(name, duty):
    found = front_end_intervals(TOPOLOGIES[name], duty, 50e3, 20.0, True)
    assert sum(i.share for i in found) == pytest.approx(1)
    assert found[0].share == pytest.approx(min(0.5, duty))
    assert parse(found[0].duration, "s") == pytest.approx(min(0.5, duty) / 50e3, rel=0.01)


def test_two_switches_conduct_at_a_time_only_in_a_full_bridge():
    for name, count in (("push-pull", 1), ("half-bridge", 1), ("full bridge", 2)):
        found = front_end_intervals(TOPOLOGIES[name], 0.4, 50e3, 20.0, False)
        assert [len(i.devices) for i in found] == [count, 0, count, 0]
        assert not set(found[0].devices) & set(found[2].devices)


def test_where_the_leakage_goes_depends_on_what_is_there_to_take_it():
    clamped = front_end_intervals(TOPOLOGIES["push-pull"], 0.4, 50e3, 20.0, True)[1].text
    bare = front_end_intervals(TOPOLOGIES["push-pull"], 0.4, 50e3, 20.0, False)[1].text
    bridge = front_end_intervals(TOPOLOGIES["full bridge"], 0.4, 50e3, 20.0, False)[1].text
    assert "clamp's diode" in clamped
    assert "breaks down" in bare
    assert "body diodes" in bridge


@pytest.mark.parametrize(("wave", "fraction", "steps"), [("sine", 1.0, 4), ("modified", 0.5, 4), ("square", 1.0, 2)])
def test_the_intervals_of_a_bridge_fill_its_period(wave, fraction, steps, refuge):
    brief = refuge.but(output={"waveform": wave})
    found = bridge_intervals(brief, 18e3, 0.85, fraction)
    assert len(found) == steps
    assert sum(i.share for i in found) == pytest.approx(1)
    driven = sum(i.share for i in found if i.path in ("bridge:plus", "bridge:minus"))
    assert driven == pytest.approx(0.85 if wave == "sine" else fraction)


def test_no_leg_ever_conducts_through_both_its_switches(refuge):
    for wave in ("sine", "modified", "square"):
        brief = refuge.but(output={"waveform": wave})
        for i in bridge_intervals(brief, 18e3, 0.85, 0.5):
            assert not {"{1}", "{2}"} <= set(i.devices)
            assert not {"{3}", "{4}"} <= set(i.devices)


@pytest.mark.parametrize(("name", "wave"), [("push-pull link", "sine"), ("iron push-pull", "square"), ("iron bridge", "sine")])
def test_a_design_carries_its_own_intervals(name, wave, refuge, shelf):
    brief = refuge.but(output={"waveform": wave})
    blocks = {b.key: b for b in solve(brief, {}, shelf, USUAL, name).blocks}
    for key in ("front_end", "h_bridge"):
        if key in blocks:
            assert blocks[key].intervals
    assert blocks["source"].intervals == ()
    if name == "iron push-pull":
        assert "rectifier" not in " ".join(i.text for i in blocks["front_end"].intervals)
