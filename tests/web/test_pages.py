"""The list of designs, the shelf and the equation book in a real browser."""

import json

import pytest
from selenium.webdriver.common.by import By

pytestmark = pytest.mark.web


def test_a_new_design_starts_at_its_brief(bench):
    bench.visit("/")
    bench.click("new-design")
    bench.one("brief-sheet")
    assert bench.one("design-name").get_attribute("value") == "Untitled"
    assert bench.text("efficiency").endswith("%")


def test_a_design_is_put_away_and_restored(bench):
    bench.visit("/")
    bench.click(f"away-{bench.id}")
    bench.gone(f"design-{bench.id}")
    bench.click("show-away")
    bench.click(f"restore-{bench.id}")
    bench.gone(f"design-{bench.id}")
    bench.click("show-away")
    bench.one(f"design-{bench.id}")


def test_a_list_without_a_match_says_so(bench):
    bench.visit("/")
    bench.browser.find_element(By.CSS_SELECTOR, 'input[aria-label="find a design"]').send_keys("no such thing")
    assert bench.text("no-designs") == "No design of that name."


def test_a_file_is_opened_as_a_new_design(bench, tmp_path):
    path = tmp_path / "mine.json"
    path.write_text(json.dumps({"name": "From a file", "brief": {"power": {"continuous": "0.4k", "surge": "800"}}}))
    bench.visit("/")
    bench.until(lambda: bench.all("open-file"))[0].send_keys(str(path))
    bench.one("power-path")
    assert "400 W" in bench.text("show-brief")


@pytest.mark.parametrize(
    ("content", "told"),
    [("{", "not a design in JSON"), (json.dumps({"name": "x", "brief": {"output": {"voltage": 9}}}), "9 V is below the allowed")],
)
def test_a_file_that_is_no_design_is_refused(bench, tmp_path, content, told):
    path = tmp_path / "bad.json"
    path.write_text(content)
    bench.visit("/")
    bench.until(lambda: bench.all("open-file"))[0].send_keys(str(path))
    assert told in bench.text("fault")


def test_parts_are_shown_by_kind_and_taken_from_csv(bench, tmp_path):
    bench.visit("/shelf")
    bench.click("kind-wire")
    bench.until(lambda: "W 0.5" in bench.browser.page_source)
    bad = tmp_path / "bad.csv"
    bad.write_text("id,price,strands,strand,outer\nMY-1,1,1,thick,0.6\n")
    bench.all("csv-file")[0].send_keys(str(bad))
    assert "line 2: strand: ‘thick’ is not a number" in bench.text("fault")
    good = tmp_path / "good.csv"
    good.write_text("id,price,strands,strand,outer\nMY-1,1,1,0.55,0.62\n")
    bench.all("csv-file")[0].send_keys(str(good))
    bench.until(lambda: bench.text("said") == "1 taken")
    bench.until(lambda: "your own" in bench.browser.page_source)
    next(b for b in bench.browser.find_elements(By.TAG_NAME, "button") if b.text == "take off").click()
    bench.until(lambda: bench.text("said") == "MY-1 taken off")


def test_a_relation_is_worked_in_the_book(bench):
    bench.visit("/book")
    bench.browser.find_element(By.CSS_SELECTOR, 'input[aria-label="find a relation"]').send_keys("bleed")
    bench.click("relation-bleed_time")
    for name, value in {"R": "68k", "C": "470u", "V": "385", "V_safe": "60"}.items():
        bench.type(f"symbol-{name}", value, enter=False)
    bench.click("work")
    assert bench.text("worked") == "t = 59.41 s"
    bench.type("symbol-V_safe", "900", enter=False)
    bench.click("work")
    assert "outside 1 V to 120 V" in bench.text("fault")


def test_an_unknown_page_leads_back(bench):
    bench.visit("/nowhere")
    bench.until(lambda: "There is no such page" in bench.browser.page_source)
    bench.browser.find_element(By.LINK_TEXT, "the designs").click()
    bench.one("new-design")
