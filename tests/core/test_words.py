"""What findings say is whole, and leads somewhere; cures, applied one after the other, end."""

import re

import pytest

from rhombos.core.design.findings import ORDER
from rhombos.core.design.pins import read_pins
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve
from rhombos.core.routes import ALL_BUILDS as BUILDS
from rhombos.demo.designs import DEMO
from tests.core.test_findings import RAISED

MOST_CURES = 12


def every_finding(refuge, shelf):
    """The findings of a handful of poor designs together."""
    for pins in list(RAISED.values())[::3]:
        solution = solve(refuge, pins, shelf, PRESETS["usual"])
        addresses = {f.address for b in solution.blocks for f in b.figures}
        for finding in solution.findings:
            yield finding, addresses


def test_findings_are_whole_sentences_about_figures_that_are_shown(refuge, shelf):
    seen = set()
    for finding, addresses in every_finding(refuge, shelf):
        if finding.code in seen:
            continue
        seen.add(finding.code)
        for text in (finding.cause, finding.remedy):
            assert text.endswith((".", "!")), (finding.code, text)
            assert "nan" not in text.split(), (finding.code, text)
            assert not re.search(r"\d{7,}", text), (finding.code, text)
        assert not finding.title.endswith("."), finding.code
        assert finding.block == finding.code.split(".")[0] or finding.code.split(".")[0] in ("whole", "pins")
        if finding.figure and not finding.code.startswith("pins."):
            assert finding.figure in addresses, (finding.code, finding.figure)
    assert len(seen) > 20


def test_margins_are_those_of_value_and_limit(refuge, shelf):
    for finding, _ in every_finding(refuge, shelf):
        if finding.value is not None and finding.limit and not finding.code.startswith("whole."):
            assert finding.margin == pytest.approx(1 - finding.value / finding.limit)
        if finding.severity == "stop" and finding.margin is not None:
            assert finding.margin < 0


def test_cures_are_pins_that_can_be_kept(refuge, shelf):
    for finding, _ in every_finding(refuge, shelf):
        for cure in finding.cures:
            assert cure.label[0].isupper()
            _, missing = read_pins(cure.patch, BUILDS, shelf)
            assert not missing
            for address in cure.patch:
                block, _, name = address.partition(".")
                assert name in BUILDS[block].model_fields


@pytest.mark.parametrize("identity", DEMO)
def test_demo_designs_solve_and_their_cures_lead_to_a_sound_design(identity, shelf):
    design = DEMO[identity]
    pins = dict(design.pins)
    for _ in range(MOST_CURES):
        solution = solve(design.brief, pins, shelf, PRESETS[design.rules], design.route)
        grave = [f for f in solution.findings if f.severity in ("stop", "fix")]
        if not grave:
            return
        worst = grave[0]
        assert worst.cures, worst.code
        pins = {k: v for k, v in (pins | worst.cures[0].patch).items() if v is not None}
    pytest.fail(f"still there after {MOST_CURES} cures: {[f.code for f in grave]}")


def test_the_first_draft_shows_what_goes_wrong_in_real_builds(shelf):
    design = list(DEMO.values())[1]
    solution = solve(design.brief, design.pins, shelf, PRESETS["usual"])
    assert solution.findings[0].code == "front_end.voltage"
    assert solution.findings[0].severity == "stop"
    severities = [ORDER[f.severity] for f in solution.findings]
    assert severities == sorted(severities)
    coloured = {b.key: b.severity for b in solution.blocks}
    assert coloured["front_end"] == "stop"
    assert coloured["load"] in (None, "watch")


@pytest.mark.parametrize("rules", sorted(PRESETS))
def test_a_design_without_pins_is_sound_under_every_set_of_rules(rules, refuge, shelf):
    solution = solve(refuge, {}, shelf, PRESETS[rules])
    assert [f.code for f in solution.findings if f.severity in ("stop", "fix")] == []
