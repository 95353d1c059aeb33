"""Unverified switches: taken to be worse everywhere, and given limits to be tested against."""

import pytest

from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.parts import Bipolar, Igbt, Mosfet
from rhombos.core.parts.incoming_inspection import hold, on_drop
from rhombos.core.parts.origin import CURRENT, RESISTANCE, VOLTAGE, as_unverified

USUAL = PRESETS["usual"]


@pytest.fixture(scope="module")
def doubting(refuge) -> Brief:
    return refuge.but(targets={"switches": "unverified"})


@pytest.mark.parametrize("kind", [Mosfet, Igbt])
def test_every_switch_is_worse_and_keeps_its_name(kind, shelf):
    worse = as_unverified(shelf)
    assert as_unverified(shelf) is worse
    assert len(worse) == len(shelf)
    for part, real in zip(worse.all(kind), shelf.all(kind), strict=True):
        assert (part.id, part.label) == (real.id, real.label)
        assert part.v_rating == pytest.approx(VOLTAGE * real.v_rating)
        assert part.i_rating == pytest.approx(CURRENT * real.i_rating)
        assert part.r_on == pytest.approx(RESISTANCE * real.r_on)
        assert part.r_jc > real.r_jc
        assert on_drop(part, 5) > on_drop(real, 5)
        assert part.printed == real
        assert real.printed is None


def test_the_same_parts_run_hotter_and_nearer_their_rating(refuge, doubting, shelf):
    """Pinned alike, conduction goes with the resistance and the stress with the rating; then, let go, others are proposed."""
    part = next(p for p in shelf.all(Mosfet) if p.v_rating == 100)
    pins = {"front_end.switch": part.id, "front_end.parallel": 2, "front_end.sink": "HS-1", "front_end.fan": False}
    built = work_out(refuge, pins, shelf, USUAL).builds
    pins |= {
        f"{block}.{name}": v
        for block in ("front_end", "front_drive", "transformer")
        for name, v in built[block].pinnable().items()
    }
    sound, poor = (work_out(b, pins, shelf, USUAL).settled["nominal"].states["front_end"] for b in (refuge, doubting))
    assert poor.conduction / sound.conduction == pytest.approx(RESISTANCE, rel=0.12)
    assert poor.junction > sound.junction
    free = solve(doubting, {}, shelf, USUAL)
    assert not [f.code for f in free.findings if f.severity == "stop"]


def test_the_incoming_test_is_given_with_limits_for_each_switch(refuge, doubting, shelf):
    assert not [f for f in solve(refuge, {}, shelf, USUAL).findings if f.code.endswith("incoming")]
    found = {f.code: f for f in solve(doubting, {}, shelf, USUAL).findings if f.code.endswith("incoming")}
    assert set(found) == {"front_end.incoming", "h_bridge.incoming"}
    worked = work_out(doubting, {}, shelf, USUAL)
    part = worked.shelf.get(Mosfet, worked.builds["front_end"].switch)
    assert f"{part.v_rating:.3g}" in found["front_end.incoming"].cause
    assert "can kill" in found["front_end.incoming"].remedy


def test_a_charged_gate_holds_as_long_as_its_charge_over_the_leak(shelf):
    part = shelf.all(Mosfet)[0]
    capacitance = part.q_g / 12
    assert hold(part, 12) == pytest.approx(capacitance * (12 - part.v_plateau) / 100e-9)
    assert hold(part, part.v_plateau) == 0


@pytest.mark.parametrize("route", ["iron push-pull", "self-oscillating", "iron bridge", "half-bridge link"])
def test_every_route_can_be_built_of_unverified_switches(route, doubting, shelf):
    wave = "sine" if route in ("iron bridge", "half-bridge link") else "square"
    brief = doubting.but(output={"waveform": wave})
    found = solve(brief, {}, shelf, USUAL, route)
    assert any(f.code.endswith("incoming") for f in found.findings)


def test_a_bipolar_switch_has_no_incoming_test_of_a_mosfet(doubting, shelf):
    brief = doubting.but(output={"waveform": "square"})
    pins = {"oscillator.switch": shelf.all(Bipolar)[0].id}
    assert not [f for f in solve(brief, pins, shelf, USUAL, "self-oscillating").findings if f.code.endswith("incoming")]
