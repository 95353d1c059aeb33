"""docs/findings.md says what the code can raise: no more, no less."""

import re

from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve
from tests.core.test_findings import RAISED
from tests.core.test_mistakes import MISTAKES
from tests.core.written import DOCS, writer


def generator():
    return writer("findings")


def test_the_page_is_what_the_code_raises():
    assert (DOCS / "findings.md").read_text() == generator().page(), "run docs/findings.py"


def test_every_finding_that_a_design_raises_is_on_the_page(refuge, shelf):
    rules = generator().every_rule()
    patterns = []
    for rule in rules:
        blocks, _, code = rule.code.rpartition(".")
        ways = "|".join(re.escape(b) for b in blocks.split(", "))
        patterns.append(re.compile(rf"({ways})\.{re.escape(code)}".replace("…", "[a-z_]*")))
    raised = {code for code, *_ in MISTAKES.values()} | set(RAISED)
    for pins in list(RAISED.values())[::6]:
        raised |= {f.code for f in solve(refuge, pins, shelf, PRESETS["usual"]).findings}
    assert len(raised) > 100
    for code in raised:
        assert any(p.fullmatch(code) for p in patterns), code


def test_every_finding_says_what_to_do():
    for rule in generator().every_rule():
        assert rule.title, rule.code
        assert rule.remedy, rule.code
        assert rule.severity, rule.code
