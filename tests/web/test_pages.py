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
    [
        ("{", "not a design in JSON"),
        (json.dumps({"name": "x", "brief": {"output": {"voltage": 9}}}), "9 V is below the allowed"),
    ],
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
    bench.type("find-part", "W 0.5", enter=False)
    bench.one("part-W 0.5")
    bench.type("find-part", "MY-", enter=False)
    bad = tmp_path / "bad.csv"
    bad.write_text("id,price,strands,strand,outer\nMY-1,1,1,thick,0.6\n")
    bench.all("csv-file")[0].send_keys(str(bad))
    assert "line 2: strand: ‘thick’ is not a number" in bench.text("fault")
    good = tmp_path / "good.csv"
    good.write_text("id,price,strands,strand,outer\nMY-1,1,1,0.55,0.62\n")
    bench.all("csv-file")[0].send_keys(str(good))
    bench.until(lambda: bench.text("said") == "1 taken")
    bench.click("part-MY-1")
    bench.until(lambda: "your own" in bench.text("part-panel"))
    bench.click("delete-part")
    bench.until(lambda: bench.text("said") == "MY-1 deleted")
    bench.gone("part-MY-1")


def shown(bench):
    """Designations in the table, as they stand."""
    return [e.text for e in bench.browser.find_elements(By.CSS_SELECTOR, '[data-testid="part-table"] tbody th button')]


def test_the_shelf_is_sorted_by_a_heading_and_bounded_by_figures(bench):
    bench.visit("/shelf")
    bench.one("part-table")
    bench.click("sort-r_on")
    bench.until(lambda: shown(bench)[0].startswith("MN-030-1.2m"))
    bench.click("sort-r_on")
    bench.until(lambda: "-1.2m" not in shown(bench)[0])
    bench.select("bound-name", "v_rating")
    bench.type("bound-from", "wide", enter=False)
    bench.click("add-bound")
    assert "Drain–source rating, from: ‘wide’ is not a number" in bench.text("fault")
    bench.select("bound-name", "v_rating")
    bench.type("bound-from", "100 V", enter=False)
    bench.type("bound-to", "150", enter=False)
    bench.click("add-bound")
    bench.until(
        lambda: (
            {p.split("-")[1] for p in shown(bench)} == {"100", "120", "150"}
            or {p.split("-")[1] for p in shown(bench)} == {"100", "150"}
        )
    )
    assert "from 100 V to 150" in bench.text("bound-v_rating")


def test_a_part_is_copied_changed_and_deleted_in_a_form(bench):
    bench.visit("/shelf")
    bench.click("kind-fuse")
    bench.click("part-" + bench.until(lambda: shown(bench))[0])
    bench.click("copy-part")
    bench.type("field-i_rating", "33 kA", enter=False)
    bench.click("save-part")
    bench.until(lambda: "above the allowed" in bench.text("part-form"))
    assert "id is missing" in bench.text("part-form")
    bench.type("field-id", "MINE-33", enter=False)
    bench.type("field-i_rating", "33", enter=False)
    bench.click("save-part")
    bench.until(lambda: bench.text("said") == "MINE-33 saved")
    bench.click("change-part")
    bench.until(lambda: bench.one("field-i_rating").get_attribute("value") == "33 A")
    bench.type("field-i_rating", "34", enter=False)
    bench.click("save-part")
    bench.until(lambda: bench.text("part-panel").splitlines()[1].startswith("34 A"))
    bench.click("delete-part")
    bench.until(lambda: bench.text("said") == "MINE-33 deleted")


def test_a_file_with_headings_of_its_own_is_taken_once_they_are_named(bench, tmp_path):
    bench.visit("/shelf?kind=wire")
    bench.one("part-table")
    theirs = tmp_path / "theirs.csv"
    theirs.write_text("Designation,Cost,Copper diameter (mm),Over enamel [mm],colour\nTHEIRS-7,0.2,AWG 20,0.89,red\n")
    bench.all("csv-file")[0].send_keys(str(theirs))
    assert bench.one("heading-Copper diameter (mm)").get_attribute("value") == "strand"
    assert "Outer diameter" in bench.text("lacking")
    bench.select("heading-Over enamel [mm]", "outer")
    bench.gone("lacking")
    bench.click("bring")
    bench.until(lambda: bench.text("said") == "1 taken")
    bench.type("find-part", "THEIRS", enter=False)
    bench.click("part-THEIRS-7")
    bench.until(lambda: "round 0.8118 mm, AWG 20" in bench.text("part-panel"))
    bench.click("delete-part")
    bench.gone("part-THEIRS-7")


def test_a_salvaged_core_is_put_in_the_drawer_and_the_sizing_takes_it(bench):
    """From the shelf to the drawer, to a design that proposes it and says so, and out again."""
    bench.visit("/shelf")
    bench.click("kind-core")
    bench.type("find-part", "E 42", enter=False)
    bench.click("part-E 42/21/20")
    bench.type("stock-count", "many", enter=False)
    bench.click("keep-stock")
    assert "count: ‘many’ is not a whole number" in bench.text("fault")
    bench.type("stock-count", "20", enter=False)
    bench.select("stock-condition", "salvaged")
    bench.type("stock-note", "from an old supply", enter=False)
    bench.click("keep-stock")
    bench.until(lambda: bench.text("said") == "E 42/21/20: 20 in the drawer")
    bench.click("drawer-only")
    bench.until(lambda: shown(bench) == ["E 42/21/20"])
    try:
        bench.open(bench.id, "transformer")
        bench.until(lambda: bench.value("transformer.core").startswith("E 42/21/20"))
        assert bench.status("transformer.core") == "proposed"
        assert "salvaged (from an old supply)" in bench.text("finding-transformer.drawer")
        bench.choose("front_end")
        bench.pin("front_end.frequency", "55k")
        bench.kept()
        bench.keys("y")
        bench.until(lambda: bench.one("sized-then").get_attribute("data-ready") == "true")
        assert "efficiency" in bench.text("sized-then")
        assert not bench.all("drawer-since")
        bench.click("burst-2")
        bench.click("revision-1")
        bench.until(lambda: "E 42/21/20 none, now 20 salvaged" in bench.text("drawer-since"))
    finally:
        bench.visit("/shelf")
        bench.click("kind-core")
        bench.click("drawer-only")
        bench.click("part-E 42/21/20")
        bench.click("take-out")
        bench.until(lambda: "taken out" in bench.text("said"))


def test_what_is_bought_leads_to_its_part_on_the_shelf(bench):
    bench.open(bench.id, "protection")
    relay = bench.value("protection.relay")
    bench.click("value-protection.relay")
    bench.until(lambda: "contact current at least" in bench.text("asked"))
    bench.one("figure-protection.relay").find_element(By.LINK_TEXT, "on the shelf").click()
    bench.until(lambda: bench.one("kind-relay").get_attribute("aria-pressed") == "true")
    bench.until(lambda: relay in bench.text("part-panel"))
    bench.until(lambda: any(e.is_displayed() for e in bench.all(f"part-{relay}")), "its line is out of sight")
    bench.until(lambda: "Tarn refuge, 1 in protection" in bench.text("used-in"))


def test_prices_are_told_in_the_currency_that_is_set_once(bench):
    bench.visit("/shelf?kind=fuse")
    bench.until(lambda: "Price of one, credits" in bench.text("sort-price"))
    try:
        bench.type("currency", "12")
        bench.until(lambda: bench.one("currency").get_attribute("aria-invalid") == "true")
        bench.type("currency", "crowns")
        bench.until(lambda: "Price of one, crowns" in bench.text("sort-price"))
        bench.click("add-part")
        assert "crowns" in bench.text("part-form")
    finally:
        bench.ask("PUT", "/api/currency", {"name": "credits"})


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
