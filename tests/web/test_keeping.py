"""Nothing is lost: two tabs, a database that goes away and comes back, a reload in between."""

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from tests.web.pages import Bench

pytestmark = pytest.mark.web


@pytest.fixture
def second_tab(bench, own_browser, server):
    found = Bench(own_browser, server.address)
    found.open(bench.id)
    return found


def disagree(bench, second_tab):
    """Both tabs change the design; the second to save is told."""
    bench.pin("front_end.parallel", "2")
    bench.until(lambda: bench.value("front_end.parallel") == "2")
    bench.kept()
    second_tab.pin("front_end.parallel", "3")
    second_tab.one("conflict")
    assert second_tab.state() == "conflict"


def test_two_tabs_mine_goes_on_top_and_theirs_stays_in_the_history(bench, second_tab):
    disagree(bench, second_tab)
    second_tab.click("keep-mine")
    second_tab.gone("conflict")
    second_tab.kept()
    assert bench.stored()["design"]["pins"]["front_end.parallel"] in (3, "3")
    theirs = bench.ask("GET", f"/api/designs/{bench.id}/revisions/2")
    assert theirs["design"]["pins"]["front_end.parallel"] in (2, "2")


def test_two_tabs_theirs_is_taken_and_mine_is_kept_as_a_copy(bench, second_tab):
    disagree(bench, second_tab)
    second_tab.click("take-theirs")
    second_tab.gone("conflict")
    second_tab.until(lambda: second_tab.value("front_end.parallel") == "2")
    copies = [d for d in bench.ask("GET", "/api/designs") if d["name"].endswith("(other tab)")]
    assert copies
    copy = bench.ask("GET", f"/api/designs/{copies[0]['id']}")
    assert copy["design"]["pins"]["front_end.parallel"] in (3, "3")


def test_what_is_typed_while_the_last_change_is_being_sized_comes_on_top_of_it(bench):
    with bench.slow(700):
        bench.pin("front_end.frequency", "61k")
        bench.pin("front_end.parallel", "3")  # the answer to the first is not there yet
        bench.until(lambda: bench.value("front_end.parallel") == "3")
        assert bench.value("front_end.frequency") == "61.0 kHz"
        bench.kept()
        assert set(bench.stored()["design"]["pins"]) >= {"front_end.frequency", "front_end.parallel"}
        bench.keys(Keys.CONTROL, "z")
        bench.keys(Keys.CONTROL, "z")  # nor is the first of these undone yet
        bench.until(lambda: bench.value("front_end.frequency") == "46.0 kHz")
    bench.until(lambda: bench.stored()["design"]["pins"] == {"front_end.frequency": 46_000})


def test_a_design_put_away_elsewhere_is_restored_with_the_change(bench):
    bench.ask("DELETE", f"/api/designs/{bench.id}")
    bench.pin("front_end.frequency", "63k")
    assert "archived" in bench.one("conflict").text
    bench.click("keep-mine")
    bench.gone("conflict")
    bench.kept()
    stored = bench.stored()
    assert stored["deleted"] is None
    assert stored["design"]["pins"]["front_end.frequency"] in (63e3, "63k")


def test_an_edit_while_the_database_is_away_is_sent_when_it_is_back(bench, server):
    server.database.stop()
    try:
        bench.pin("front_end.frequency", "61k")
        bench.until(lambda: bench.value("front_end.frequency") == "61.0 kHz")
        bench.until(lambda: bench.state() == "waiting")
        bench.until(lambda: "saved in this browser" in bench.text("kept"))
        bench.pin("front_end.frequency", "62k")
        bench.until(lambda: bench.value("front_end.frequency") == "62.0 kHz")
    finally:
        server.database.start()
    bench.kept()
    stored = bench.stored()["design"]["pins"]["front_end.frequency"]
    assert stored in (62e3, "62k")


def test_an_edit_survives_a_reload_while_the_database_is_away(bench, server):
    server.database.stop(hard=True)
    try:
        bench.pin("front_end.frequency", "63k")
        bench.until(lambda: bench.state() == "waiting")
        bench.browser.refresh()
        assert "database" in bench.text("fault")
    finally:
        server.database.start()
    bench.until(lambda: bench.value("front_end.frequency") == "63.0 kHz")
    bench.kept()
    assert bench.stored()["design"]["pins"]["front_end.frequency"] in (63e3, "63k")


def test_a_design_that_is_not_there_is_told(bench):
    bench.visit("/design/none")
    assert "there is no design none" in bench.text("fault")
    bench.browser.find_element(By.LINK_TEXT, "all designs").click()
    bench.one("new-design")
