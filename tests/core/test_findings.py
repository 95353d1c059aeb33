"""Every finding: a design that raises it, and the patch that clears it."""

import pytest

from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import Finding, against_rating, worst_first
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve
from tests.core.asking import written_short

RAISED = {
    "front_end.voltage": {"front_end.clamp": "none"},
    "front_end.duty": {"transformer.primary_turns": 5, "transformer.secondary_turns": 85},
    "front_end.current": {"front_end.switch": "MN-100-11m-A", "front_end.parallel": 1},
    "front_end.junction": {"front_end.sink": "HS-20", "front_end.fan": False},
    "front_end.clamp_heat": {"front_end.clamp_part": "MF-1W"},
    "transformer.saturation": {"transformer.core": "R 36/23/15", "transformer.sets": 1, "transformer.primary_turns": 2},
    "transformer.hot": {"transformer.core": "R 36/23/15", "transformer.sets": 1, "transformer.primary_turns": 2},
    "transformer.window": {"transformer.primary_in_hand": 90},
    "transformer.proximity": {"transformer.primary_wire": "W 2", "transformer.primary_in_hand": 2},
    "rectifier.reverse": {"rectifier.damper": "none", "rectifier.diode": "RU-1200-3"},
    "rectifier.slow": {"rectifier.diode": "RM-1000-10"},
    "rectifier.current": {"rectifier.diode": "RU-1200-1"},
    "rectifier.junction": {"rectifier.diode": "RM-1000-10"},
    "rectifier.damper_heat": {"rectifier.damper_part": "MF-1W"},
    "rectifier.choke_saturates": {"rectifier.turns": 60},
    "rectifier.choke_window": {"rectifier.in_hand": 40},
    "rectifier.choke_hot": {"rectifier.core": "RM 6"},
    "rectifier.choke_fades": {"rectifier.grade": "PS-125", "rectifier.core": "R 36/23/15", "rectifier.sets": 1},
    "rectifier.choke_short": {"rectifier.grade": "PS-60", "rectifier.core": "R 40/24/16", "rectifier.turns": 120},
    "output_filter.fades": {"output_filter.grade": "PM-125", "output_filter.core": "R 40/24/16", "output_filter.sets": 1},
    "output_filter.short": {"output_filter.grade": "PN-60", "output_filter.turns": 30},
    "controller.sense_saturates": {
        "front_end.frequency": "10k",
        "controller.sense_turns": 10,
        "controller.sense_core": "R 16/9.6/6.3",
    },
    "controller.sense_droops": {
        "front_end.frequency": "10k",
        "controller.sense_turns": 10,
        "controller.sense_grade": "FC-70",
        "controller.sense_core": "R 16/9.6/6.3",
    },
    "transformer.sharing": {"transformer.units": 2, "transformer.joined": "in parallel"},
    "rectifier.follows": {"rectifier.circuit": "doubler, no choke"},
    "dc_link.too_low": {"dc_link.voltage": 340},
    "dc_link.capacitor_voltage": {"dc_link.voltage": 420, "dc_link.capacitor": "CE-450-330"},
    "dc_link.ripple": {"dc_link.capacitor": "CE-450-47", "dc_link.count": 2, "controller.control": "current"},
    "dc_link.can_current": {"dc_link.capacitor": "CE-450-47", "dc_link.count": 1},
    "dc_link.bleeds_slowly": {"dc_link.bleeder": "470k"},
    "dc_link.bleeder_heat": {"dc_link.bleeder": "20k", "dc_link.bleeder_part": "MF-3W"},
    "dc_link.bleeder_voltage": {"dc_link.bleeder_part": "MO-2W"},
    "h_bridge.voltage": {"h_bridge.switch": "MF-400-100m-B"},
    "h_bridge.current": {"h_bridge.switch": "GB-600-6-H", "h_bridge.parallel": 1},
    "h_bridge.junction": {"h_bridge.sink": "HS-20", "h_bridge.fan": False},
    "h_bridge.dead_time": {"h_bridge.dead_time": "50n"},
    "h_bridge.dead_time_long": {"h_bridge.dead_time": "2u"},
    "h_bridge.audible": {"h_bridge.carrier": "8k"},
    "bridge_drive.over_voltage": {"bridge_drive.supply": 30},
    "bridge_drive.under_voltage": {"bridge_drive.supply": 9},
    "bridge_drive.weak": {"bridge_drive.driver": "DO-20"},
    "bridge_drive.miller": {"bridge_drive.r_off": 47},
    "bridge_drive.floats": {"bridge_drive.pull_down": 0},
    "bridge_drive.reach": {"bridge_drive.driver": "DP-500"},
    "bridge_drive.float": {"bridge_drive.driver": "DB-3L"},
    "bridge_drive.current": {"bridge_drive.driver": "DB-2", "bridge_drive.r_on": 0.5},
    "bridge_drive.starves": {"bridge_drive.boot_capacitor": "2.2n"},
    "bridge_drive.boot_diode": {"bridge_drive.boot_diode": "RU-100-1"},
    "bridge_drive.boot_slow": {"bridge_drive.boot_diode": "RM-1000-10"},
    "bridge_drive.inrush": {"bridge_drive.boot_resistor": 0.5},
    "bridge_drive.driver_heat": {
        "h_bridge.carrier": "60k",
        "bridge_drive.driver": "DB-2",
        "h_bridge.switch": "MF-650-45m-B",
        "h_bridge.parallel": 4,
    },
    "front_drive.over_voltage": {"front_drive.supply": 30},
    "front_drive.under_voltage": {"front_drive.supply": 6},
    "front_drive.weak": {"front_drive.driver": "DO-20"},
    "front_drive.miller": {"front_drive.r_off": 220, "front_drive.r_on": 0.5, "front_end.switch": "MN-100-7.2m-A"},
    "front_drive.floats": {"front_drive.pull_down": 0},
    "front_drive.current": {"front_drive.driver": "DL-2", "front_drive.r_on": 0.5, "front_end.parallel": 4},
    "front_drive.driver_heat": {
        "front_end.frequency": "100k",
        "front_drive.driver": "DL-2",
        "front_end.parallel": 4,
        "front_end.switch": "MN-100-7.2m-A",
    },
    "output_filter.electrolytic": {"output_filter.capacitor": "CE-450-47"},
    "output_filter.capacitor_voltage": {"output_filter.capacitor": "CF-160AC-3.3"},
    "output_filter.capacitor_share": {"output_filter.capacitor": "CF-310AC-15"},
    "output_filter.corner": {"output_filter.inductance": "150u", "output_filter.capacitor": "CF-310AC-1"},
    "output_filter.resonance": {
        "output_filter.inductance": "20u",
        "output_filter.capacitor": "CF-310AC-1",
        "output_filter.count": 1,
    },
    "output_filter.saturates": {"output_filter.turns": 60},
    "output_filter.window": {"output_filter.in_hand": 30},
    "output_filter.hot": {"output_filter.core": "RM 8"},
    "input_stage.fuse_small": {"input_stage.fuse": "FU-80-30"},
    "input_stage.cable_unprotected": {"input_stage.cable": "1.5"},
    "input_stage.ripple": {"input_stage.count": 2},
    "input_stage.capacitor_voltage": {"input_stage.capacitor": "CE-25-2200"},
    "input_stage.fuse_breaking": {"input_stage.fuse": "FU-32-50"},
    "pins.part_gone": {"front_end.switch": "NOT-THERE"},
}


def codes(solution):
    return {f.code: f for f in solution.findings}


@pytest.mark.parametrize(("code", "pins"), RAISED.items(), ids=list(RAISED))
def test_it_is_raised_and_its_cure_clears_it(code, pins, refuge, shelf):
    found = codes(solve(refuge, pins, shelf, PRESETS["usual"]))
    assert code in found, sorted(found)
    finding = found[code]
    assert finding.cause
    assert finding.remedy
    assert finding.cures, "it offers no cure"
    for cure in finding.cures:
        patched = {k: v for k, v in (pins | cure.patch).items() if v is not None}
        assert code not in codes(solve(refuge, patched, shelf, PRESETS["usual"])), cure.label


@pytest.mark.parametrize(
    ("code", "change"),
    [
        ("source.cannot_give_low", {"source": {"cells": 4, "capacity": "7 Ah"}}),
        (
            "source.cannot_give_surge_low",
            {"source": {"cells": 4, "capacity": "10 Ah"}, "power": {"continuous": 300, "surge": 900}},
        ),
        ("source.rate", {"source": {"capacity": "20 Ah"}}),
        ("front_end.surge_sags", {"source": {"capacity": "25 Ah"}}),
        ("front_end.many", {"source": {"cells": 4, "capacity": "400 Ah"}, "power": {"continuous": 3000, "surge": 3000}}),
        (
            "input_stage.cable_drop",
            {"source": {"cells": 4, "capacity": "400 Ah", "cable_length": "6 m"}, "power": {"continuous": 3000, "surge": 3000}},
        ),
        ("whole.efficiency", {"targets": {"efficiency": "97 %"}}),
        ("whole.idle", {"targets": {"idle": "5 W"}}),
        ("output_filter.distortion", {"targets": {"distortion": "0.5 %"}}),
        ("load.motor_start", {"loads": ["compressor"]}),
        ("load.crest", {"loads": ["rectifier"]}),
        ("source.management", {}),
        ("front_end.imbalance", {}),
    ],
)
def test_a_brief_that_asks_for_it_is_told(code, change, refuge, shelf):
    content = written_short(refuge)
    for section, value in change.items():
        content[section] = content[section] | value if isinstance(value, dict) else value
    found = codes(solve(Brief.model_validate(content), {}, shelf, PRESETS["usual"]))
    assert code in found, sorted(found)


def test_the_sound_demo_design_raises_neither_stop_nor_fix(solution):
    assert {f.code for f in solution.findings if f.severity in ("stop", "fix")} == set()


def test_findings_come_worst_first():
    def make(code, severity, margin):
        return Finding(code=code, severity=severity, block="x", title="t", cause="c", remedy="r", margin=margin)

    ordered = worst_first([make("a", "note", None), make("b", "fix", -0.1), make("c", "stop", 0.2), make("d", "fix", -0.5)])
    assert [f.code for f in ordered] == ["c", "d", "b", "a"]


def test_a_stress_beyond_its_rating_stops_and_inside_the_margin_is_to_fix():
    assert against_rating(101, 100, 0.2) == "stop"
    assert against_rating(81, 100, 0.2) == "fix"
    assert against_rating(80, 100, 0.2) is None


@pytest.mark.parametrize(("hertz", "said"), [(60, False), (400, True)])
def test_sheet_too_thick_for_the_line_is_told(hertz, said, refuge, shelf):
    brief = refuge.but(output={"frequency": hertz, "waveform": "square"})
    assert ("iron_transformer.sheet" in codes(solve(brief, {}, shelf, PRESETS["usual"], "iron push-pull"))) is said


@pytest.mark.parametrize("hertz", [25, 60, 200, 440])
def test_the_proposed_carrier_leaves_room_for_the_filter(hertz, refuge, shelf):
    """Its corner lies beyond ten times the line and below a tenth of the ripple, at either end."""
    brief = refuge.but(output={"frequency": hertz})
    solution = solve(brief, {}, shelf, PRESETS["usual"])
    figures = {f.address: f.value for b in solution.blocks for f in b.figures}
    assert 10 * hertz <= figures["output_filter.corner"] <= 2 * figures["h_bridge.carrier"] / 10 * 1.0001
    assert {f.code for f in solution.findings if f.severity in ("stop", "fix")} == set()
