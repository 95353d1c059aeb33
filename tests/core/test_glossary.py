"""docs/glossary.md holds what the book and the routes show: no more, no less."""

import pytest

from rhombos.core.book.relation import SYMBOLS
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.solve import solve
from tests.core.written import DOCS, writer


@pytest.fixture(scope="module")
def glossary():
    return writer("glossary")


@pytest.fixture(scope="module")
def page(glossary):
    return glossary.page()


def test_the_page_is_what_the_code_shows(page):
    assert (DOCS / "glossary.md").read_text() == page, "run docs/glossary.py"


def test_every_quantity_and_every_figure_of_a_design_is_on_it(glossary, page, refuge, shelf):
    for symbol in SYMBOLS.values():
        assert f"| `{symbol.name}` | {symbol.meaning} |" in page
    for block in solve(refuge, {}, shelf, PRESETS["cautious"]).blocks:
        for figure in block.figures:
            assert f"| {glossary.general(figure.title)} | " in page


def test_one_symbol_means_one_thing():
    meanings = [s.meaning for s in SYMBOLS.values()]
    assert all(meanings)
    twice = {m for m in meanings if meanings.count(m) > 1}
    assert not twice
