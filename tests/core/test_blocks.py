"""What each block does when one thing about it changes: directions that no design may break."""

import math

import pytest

from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import work_out
from rhombos.core.parts import Capacitor, Diode, Fuse, Mosfet, Resistor
from tests.core.asking import written_short

USUAL = PRESETS["usual"]


@pytest.fixture(scope="module")
def at(refuge, shelf):
    """States of one block at one point, for some pins and changes of the brief."""

    def find(block, point="nominal", pins=None, **sections):
        content = written_short(refuge)
        for name, values in sections.items():
            content[name] = content[name] | values
        worked = work_out(Brief.model_validate(content), FIXED | (pins or {}), shelf, USUAL)
        return worked.settled[point].states[block]

    return find


FIXED = {
    "bridge_drive.driver": "DB-2",
    "bridge_drive.supply": 12.0,
    "bridge_drive.r_on": 3.8,
    "bridge_drive.r_off": 5.4,
    "front_end.switch": "MN-150-7.2m-A",
    "front_end.parallel": 2,
    "front_end.frequency": 50e3,
    "front_end.clamp_resistor": 470.0,
    "front_end.sink": "HS-2.5",
    "front_end.fan": False,
    "transformer.core": "ETD 44",
    "transformer.sets": 1,
    "transformer.grade": "FB-40",
    "transformer.primary_turns": 4,
    "transformer.secondary_turns": 84,
    "transformer.primary_wire": "W 0.71",
    "transformer.primary_in_hand": 13,
    "transformer.secondary_wire": "W 0.5",
    "transformer.secondary_in_hand": 2,
    "transformer.interfaces": 2,
    "rectifier.diode": "RU-1200-3",
    "rectifier.inductance": 2.8e-3,
    "rectifier.core": "PQ 40/40",
    "rectifier.turns": 190,
    "rectifier.wire": "W 0.56",
    "rectifier.in_hand": 1,
    "rectifier.sink": "HS-3.2",
    "rectifier.fan": False,
    "dc_link.voltage": 375.0,
    "dc_link.capacitor": "CE-500-220",
    "dc_link.count": 2,
    "dc_link.bleeder": 68e3,
    "h_bridge.switch": "MF-650-150m-A",
    "h_bridge.parallel": 1,
    "h_bridge.carrier": 18e3,
    "h_bridge.dead_time": 400e-9,
    "h_bridge.sink": "HS-1.9",
    "h_bridge.fan": False,
    "output_filter.inductance": 1.8e-3,
    "output_filter.core": "PQ 50/50",
    "output_filter.turns": 175,
    "output_filter.wire": "W 0.9",
    "output_filter.in_hand": 1,
    "output_filter.capacitor": "CF-310AC-3.3",
    "output_filter.count": 1,
    "input_stage.cable": 10e-6,
    "input_stage.fuse": "FU-80-50",
    "input_stage.capacitor": "CE-50-2200",
    "input_stage.count": 8,
}

DIRECTIONS = [
    # block, figure, the pin that changes, its two values, whether the figure rises
    ("front_end", "conduction", "front_end.parallel", 1, 4, False),
    ("front_end", "gate", "front_end.parallel", 1, 4, True),
    ("front_end", "switching", "front_end.frequency", 40e3, 80e3, True),
    ("front_end", "junction", "front_end.sink", "HS-1.4", "HS-10", True),
    ("front_end", "spike", "front_end.clamp_resistor", 220.0, 1000.0, True),
    ("front_end", "peak_voltage", "transformer.interfaces", 2, 1, True),
    ("front_end", "duty", "transformer.secondary_turns", 80, 96, False),
    ("transformer", "flux", "transformer.primary_turns", 4, 5, False),
    ("transformer", "flux", "front_end.frequency", 40e3, 80e3, False),
    ("transformer", "leakage", "transformer.primary_turns", 4, 6, True),
    ("transformer", "magnetising", "front_end.frequency", 40e3, 80e3, False),
    ("transformer", "core", "transformer.grade", "FB-40", "FA-20", True),
    ("transformer", "copper", "transformer.secondary_in_hand", 1, 3, False),
    ("transformer", "primary_factor", "transformer.primary_wire", "W 0.5", "W 1.4", True),
    ("rectifier", "reverse", "transformer.secondary_turns", 80, 96, True),
    ("rectifier", "ripple", "rectifier.inductance", 2e-3, 5e-3, False),
    ("rectifier", "ripple", "front_end.frequency", 40e3, 80e3, False),
    ("rectifier", "choke_flux", "rectifier.turns", 150, 220, False),
    ("rectifier", "choke_copper", "rectifier.wire", "W 0.4", "W 0.71", False),
    ("rectifier", "damper_loss", "rectifier.damper_capacitor", 100e-12, 470e-12, True),
    ("rectifier", "conduction", "dc_link.voltage", 360.0, 400.0, False),
    ("dc_link", "ripple", "dc_link.count", 2, 4, False),
    ("dc_link", "can_current", "dc_link.count", 1, 4, False),
    ("dc_link", "stored", "dc_link.count", 1, 4, True),
    ("dc_link", "safe_time", "dc_link.bleeder", 47e3, 150e3, True),
    ("dc_link", "bleeder_power", "dc_link.bleeder", 47e3, 150e3, False),
    ("h_bridge", "modulation", "dc_link.voltage", 360.0, 420.0, False),
    ("h_bridge", "switching", "h_bridge.carrier", 16e3, 40e3, True),
    ("h_bridge", "recovery", "h_bridge.carrier", 16e3, 40e3, True),
    ("h_bridge", "conduction", "h_bridge.parallel", 1, 3, False),
    ("h_bridge", "dead_time_loss_volts", "h_bridge.dead_time", 200e-9, 1e-6, True),
    ("h_bridge", "junction", "h_bridge.sink", "HS-1", "HS-4.2", True),
    ("output_filter", "ripple", "output_filter.inductance", 1e-3, 3e-3, False),
    ("output_filter", "ripple", "h_bridge.carrier", 16e3, 40e3, False),
    ("output_filter", "corner", "output_filter.capacitor", "CF-310AC-1", "CF-310AC-6.8", False),
    ("output_filter", "capacitor_current", "output_filter.capacitor", "CF-310AC-1", "CF-310AC-6.8", True),
    ("output_filter", "flux", "output_filter.turns", 120, 220, False),
    ("output_filter", "distortion", "h_bridge.dead_time", 200e-9, 1e-6, True),
    ("input_stage", "can_ripple", "input_stage.count", 4, 12, False),
    ("input_stage", "drop", "input_stage.cable", 6e-6, 25e-6, False),
    ("input_stage", "cable_loss", "input_stage.cable", 6e-6, 25e-6, False),
    ("source", "current", "h_bridge.carrier", 16e3, 60e3, True),
]


@pytest.mark.parametrize(
    ("block", "figure", "pin", "low", "high", "rises"),
    DIRECTIONS,
    ids=[f"{b}.{f}-{p.split('.')[1]}" for b, f, p, *_ in DIRECTIONS],
)
def test_a_pin_moves_its_figure_the_right_way(at, block, figure, pin, low, high, rises):
    first, second = (getattr(at(block, pins={pin: v}), figure) for v in (low, high))
    assert (second > first) == rises, (first, second)
    assert not math.isclose(first, second, rel_tol=1e-4)


ASKED = [
    ("source", "current", {"power": {"continuous": 900, "surge": 1200}}, True),
    ("source", "terminal", {"source": {"resistance": 0.05}}, False),
    ("source", "run_time", {"source": {"capacity": 200 * 3600}}, True),
    ("input_stage", "drop", {"source": {"cable_length": 4.0}}, True),
    ("front_end", "junction", {"targets": {"ambient": 50}}, True),
    ("transformer", "temperature", {"targets": {"ambient": 50}}, True),
    ("dc_link", "ripple", {"power": {"power_factor": 0.6}}, True),
    ("dc_link", "ripple", {"output": {"frequency": 60}}, False),
    ("h_bridge", "modulation", {"output": {"voltage": 240}}, True),
    ("load", "current", {"power": {"power_factor": 0.6}}, True),
    ("load", "inductance", {"power": {"power_factor": 0.99}}, False),
    ("output_filter", "line_current", {"power": {"continuous": 900, "surge": 1200}}, True),
]


@pytest.mark.parametrize(
    ("block", "figure", "change", "rises"), ASKED, ids=[f"{b}.{f}-{next(iter(c))}" for b, f, c, _ in ASKED]
)
def test_the_brief_moves_figures_the_right_way(at, block, figure, change, rises):
    before, after = getattr(at(block), figure), getattr(at(block, **change), figure)
    assert (after > before) == rises, (before, after)


def test_points_differ_as_batteries_do(at):
    flat, nominal, full, idle = (at("front_end", point) for point in ("low", "nominal", "high", "idle"))
    assert flat.duty > nominal.duty > full.duty > idle.duty
    assert full.resting > nominal.resting > flat.resting
    assert idle.loss < nominal.loss
    surge = at("front_end", "surge_high")
    assert surge.peak_voltage > full.peak_voltage
    assert surge.device_peak > 1.7 * full.device_peak


def test_no_load_draws_little_but_not_nothing(at):
    idle = at("source", "idle")
    assert 3 < idle.power < 40
    assert at("load", "idle").current == 0
    assert at("output_filter", "idle").line_current == pytest.approx(at("output_filter", "idle").capacitor_current)


def test_without_a_clamp_the_leakage_rings_freely(at, shelf):
    bare = at("front_end", "high", pins={"front_end.clamp": "none"})
    device = shelf.get(Mosfet, "MN-150-7.2m-A")
    leak = at("transformer", "high").leakage + USUAL.lead_inductance
    need = at("front_end", "high", pins={"front_end.clamp": "none"}).device_peak * 2 / (1 + USUAL.sharing_imbalance)
    assert bare.clamp_loss == 0
    ratio = bare.spike / (need * math.sqrt(leak / (2 * device.c_oss)))
    assert 1 < ratio < 1.1, "half-windings and packages leak beside the leads"


def test_without_a_damper_the_diodes_see_twice_the_secondary(at):
    bare = at("rectifier", "high", pins={"rectifier.damper": "none"})
    assert bare.reverse == pytest.approx(2 * (bare.reverse - bare.ring), rel=1e-9)
    assert bare.damper_loss == 0


def test_an_igbt_bridge_has_thresholds_and_a_mosfet_bridge_has_none(at):
    igbt, mosfet = (at("h_bridge", pins={"h_bridge.switch": s}) for s in ("GB-600-10-H", "MF-650-150m-A"))
    assert igbt.drop > 2
    assert mosfet.drop == 0
    assert igbt.resistance == 0
    assert mosfet.resistance > 0.15


def proposal(refuge, shelf, rules="usual", **sections):
    content = written_short(refuge)
    for name, values in sections.items():
        content[name] = content[name] | values
    return work_out(Brief.model_validate(content), {}, shelf, PRESETS[rules]).builds


@pytest.mark.parametrize("rules", sorted(PRESETS))
def test_proposed_parts_stand_what_the_rules_ask(refuge, shelf, rules):
    builds, house = proposal(refuge, shelf, rules), PRESETS[rules]
    full = refuge.source.volts[2]
    assert shelf.get(Fuse, builds["input_stage"].fuse).v_dc >= full
    assert shelf.get(Capacitor, builds["input_stage"].capacitor).v_rating * (1 - house.input_capacitor_margin) >= full
    assert shelf.get(Diode, builds["rectifier"].diode).recovery in ("ultrafast", "silicon carbide")
    link = builds["dc_link"]
    assert shelf.get(Capacitor, link.capacitor).v_rating * (1 - house.link_capacitor_margin) >= link.voltage
    assert shelf.get(Resistor, link.bleeder_part).v_rating >= link.voltage
    film = shelf.get(Capacitor, builds["output_filter"].capacitor)
    assert film.family == "film ac"
    assert film.v_ac >= refuge.output.voltage


def test_a_larger_inverter_switches_more_slowly_and_has_a_larger_core(refuge, shelf):
    small = proposal(refuge, shelf, power={"continuous": 200, "surge": 400})
    large = proposal(refuge, shelf, power={"continuous": 2500, "surge": 5000})
    assert large["front_end"].frequency < small["front_end"].frequency
    assert large["front_end"].parallel > small["front_end"].parallel
    assert large["dc_link"].bleeder < small["dc_link"].bleeder
    assert large["output_filter"].inductance < small["output_filter"].inductance
    assert large["input_stage"].cable > small["input_stage"].cable


def test_a_higher_battery_needs_higher_switches_and_more_turns(refuge, shelf):
    low, high = (proposal(refuge, shelf, source={"cells": n}) for n in (8, 16))
    ratings = [shelf.get(Mosfet, b["front_end"].switch).v_rating for b in (low, high)]
    assert ratings[1] > ratings[0]
    assert high["transformer"].primary_turns > low["transformer"].primary_turns
    assert high["input_stage"].cable < low["input_stage"].cable


@pytest.mark.parametrize("power", [120, 300, 470, 570, 600, 900, 1400])
def test_the_corner_stands_between_odd_harmonics_of_the_line(power, refuge, shelf):
    """Those of the dead time are lifted there: half a turn of the second digit apart, the same filter bends far less."""
    asked = {"continuous": float(power), "surge": 1.2 * power, "power_factor": 0.75}
    brief = refuge.but(output={"loads": ("lamp",)}, power=asked)
    worked = work_out(brief, {}, shelf, PRESETS["usual"])
    found = worked.settled["nominal"].states["output_filter"]
    assert abs(found.corner / brief.output.frequency % 2 - 1) > 0.5
    odd = 2 * round((found.corner / brief.output.frequency - 1) / 2) + 1
    onto = worked.builds["output_filter"].inductance * (found.corner / brief.output.frequency / odd) ** 2
    other = work_out(brief, {"output_filter.inductance": onto}, shelf, PRESETS["usual"]).settled["nominal"]
    assert other.states["output_filter"].distortion > found.distortion
