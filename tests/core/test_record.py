"""What a design keeps beside its brief: waivers with their reasons, rules that the house sets otherwise; and its margins."""

import pytest
from pydantic import ValidationError

from rhombos.core.design.file import Design
from rhombos.core.design.findings import Waiver
from rhombos.core.design.form import rule_fields
from rhombos.core.design.rules import PRESETS, RuleChanges, house_rules
from rhombos.core.frame.solve import solve

USUAL = PRESETS["usual"]
POOR = {"protection.after_trip": "continuous retry", "isolation.sensing": "bare divider"}
WAIVED = Waiver(code="isolation.sense_bridges", reason="bench unit, sensed by a battery meter", on="2026-11-25")


def test_a_waived_finding_comes_last_with_its_reason(refuge, shelf):
    found = solve(refuge, POOR, shelf, USUAL, waivers=[WAIVED]).findings
    assert found[-1].code == WAIVED.code
    assert found[-1].waived == WAIVED.reason
    assert found[-1].severity == "stop", "what it is does not change"
    assert all(f.waived is None for f in found[:-1])


def test_a_waiver_lifts_the_blocks_mark_and_only_its_own(refuge, shelf):
    before = {b.key: b.severity for b in solve(refuge, POOR, shelf, USUAL).blocks}
    after = {b.key: b.severity for b in solve(refuge, POOR, shelf, USUAL, waivers=[WAIVED]).blocks}
    assert before["isolation"] == "stop"
    assert after["isolation"] is None
    assert {k: v for k, v in after.items() if k != "isolation"} == {k: v for k, v in before.items() if k != "isolation"}


@pytest.mark.parametrize("change", [{"reason": "short"}, {"reason": "x" * 401}, {"code": "nothing"}, {"on": "yesterday"}])
def test_a_waiver_needs_a_reason_a_code_and_a_day(change):
    with pytest.raises(ValidationError):
        Waiver.model_validate(WAIVED.model_dump(mode="json") | change)


def test_a_design_carries_waivers_and_rules_out_and_in():
    design = Design.model_validate(
        {"name": "x", "house": {"junction_limit": "100 °C", "cable_drop": 0.02}, "waivers": [WAIVED.model_dump(mode="json")]}
    )
    again = Design.model_validate_json(design.model_dump_json())
    assert again == design
    assert again.waivers[0].reason == WAIVED.reason
    assert again.house.junction_limit == 100


def test_a_rule_set_otherwise_moves_what_is_proposed(refuge, shelf):
    house = house_rules("usual", RuleChanges(fuse_factor=2.0, switch_voltage_margin=0.45))
    assert house.fuse_factor == 2.0
    assert house.cable_drop == USUAL.cable_drop
    usual, strict = solve(refuge, {}, shelf, USUAL), solve(refuge, {}, shelf, house)

    def figure(solution, address):
        return next(f for b in solution.blocks for f in b.figures if f.address == address)

    assert figure(strict, "input_stage.fuse").choice != figure(usual, "input_stage.fuse").choice
    worst = figure(strict, "front_end.peak_voltage")
    assert worst.house == pytest.approx(0.55)
    assert worst.stress <= 0.55


@pytest.mark.parametrize(
    ("name", "value"), [("duty_limit", 0.6), ("junction_limit", 400), ("switch_voltage_margin", 0.9), ("nothing", 1)]
)
def test_a_rule_out_of_range_is_refused(name, value):
    with pytest.raises(ValidationError):
        RuleChanges(**{name: value})


def test_every_rule_is_shown_with_its_preset():
    fields = {f.name: f for f in rule_fields("frugal", RuleChanges(bleed_time=30))}
    assert set(fields) == set(type(USUAL).model_fields) - {"name", "why"}
    assert fields["bleed_time"].changed
    assert fields["bleed_time"].text == "30 s"
    assert fields["bleed_time"].preset == "60 s"
    assert not fields["junction_limit"].changed
    for name, preset in PRESETS.items():
        RuleChanges(**{n: getattr(preset, n) for n in fields}), name  # every preset lies within what a house may set


def test_margins_are_every_stress_the_tightest_first(solution):
    stresses = [f for b in solution.blocks for f in b.figures if f.stress is not None and f.house]
    assert len(solution.margins) == len(stresses) > 40
    left = [m.left for m in solution.margins]
    assert left == sorted(left)
    first = solution.margins[0]
    assert first.left == pytest.approx(1 - first.stress / first.house)
    assert all(m.left >= -1e-9 for m in solution.margins), "the demo design is sound"
