"""The lantern box in a real browser: a modified wave, a core from the drawer, tools at the bench."""

import pytest
from selenium.webdriver.support.ui import Select

pytestmark = pytest.mark.web

LANTERN = "b6a1f2d0-0000-4000-8000-000000000004"


@pytest.fixture
def lantern(bench):
    bench.open(bench.copy_of(LANTERN), "load")
    return bench


def test_its_wave_is_drawn_with_what_meters_read(lantern):
    lantern.one("chart-steps")
    lantern.one("chart-step_spectrum")
    assert "modified" in lantern.text("show-brief")
    assert not lantern.all("block-output_filter")


def test_the_core_from_the_drawer_stays_pinned(lantern):
    lantern.choose("transformer")
    assert lantern.status("transformer.core") == "pinned"
    lantern.click("show-magnetics")
    assert lantern.value_of_here("cores").startswith("E 42/21/15")


def test_its_share_of_the_time_is_a_choice_and_moves_the_link(lantern):
    lantern.choose("h_bridge")
    before = lantern.text("block-dc_link")
    lantern.pin("h_bridge.fraction", "66.7 %")
    lantern.until(lambda: lantern.status("h_bridge.fraction") == "pinned")
    lantern.until(lambda: lantern.text("block-dc_link") != before)


def test_asking_for_a_sine_brings_the_filter_and_undo_takes_it_away(lantern):
    lantern.click("show-brief")
    Select(lantern.one("brief-outputs.0.waveform")).select_by_visible_text("sine")
    lantern.one("block-output_filter")
    lantern.click("undo")
    lantern.gone("block-output_filter")


def test_the_routes_say_what_it_may_be_rated_for(lantern):
    lantern.keys("r")
    lantern.until(lambda: "house limit" in lantern.text("rating"))
    lantern.keys("r")
    lantern.gone("routes")


def test_a_clamp_is_worked_with_both_its_energies(lantern):
    lantern.keys("m")
    lantern.click("page-tools")
    for name, value in {"leakage": "0.9u", "current": "14", "frequency": "60k", "reflected": "60", "level": "95"}.items():
        lantern.type(f"clamp-{name}", value, enter=False)
    lantern.type("clamp-ripple", "5")
    lantern.until(lambda: "burns 14.4 W, the leakage alone 5.29 W" in lantern.text("answer-clamp"))
    lantern.type("clamp-level", "50")
    lantern.until(lambda: "never rests" in lantern.text("fault"))


def test_a_choke_has_a_sheet_to_wind_from_too(lantern):
    lantern.choose("rectifier")
    lantern.keys("m")
    lantern.click("page-winding-sheet")
    assert "gap" in lantern.text("winding-sheet")
    assert "L1 start, L2 finish" in lantern.text("winding-sheet")
