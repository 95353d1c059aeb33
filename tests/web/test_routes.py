"""Choosing a route in a real browser: compared, weighed, chosen with a click, undone with another."""

import pytest
from selenium.webdriver.support.ui import Select

pytestmark = pytest.mark.web


@pytest.fixture
def routes(bench):
    bench.click("show-routes")
    bench.compared()
    return bench


def order(page) -> list[str]:
    found = page.browser.find_elements("css selector", '[data-testid^="route-"]')
    return [e.get_attribute("data-testid") for e in found if e.tag_name == "tr"]


def test_every_route_is_listed_with_this_design_marked(routes):
    assert len(order(routes)) == 13
    assert "this design" in routes.text("route-push-pull link-sine")


def test_choosing_a_route_makes_it_the_design_and_undo_brings_back_the_old(routes):
    routes.click("route-full-bridge link-modified")
    routes.until(lambda: "modified" in routes.text("route-detail"))
    routes.click("choose-route")
    routes.gone("routes")
    routes.until(lambda: "Full bridge" in routes.one("power-path").text)
    assert not routes.all("block-output_filter")
    routes.kept()
    design = routes.stored()["design"]
    assert (design["route"], design["brief"]["outputs"][0]["waveform"], design["pins"]) == ("full-bridge link", "modified", {})
    assert design["decision"]["chosen"].startswith("Full bridge")
    assert len(design["decision"]["rows"]) == 13
    routes.click("undo")
    routes.until(lambda: "Push-pull" in routes.one("power-path").text)
    routes.one("block-output_filter")


def test_a_weight_moved_ranks_anew(routes):
    before = order(routes)
    slider = routes.one("weight-wave")
    for _ in range(10):
        slider.send_keys("\ue012")  # arrow left
    routes.until(lambda: order(routes) != before and routes.one("routes").get_attribute("data-fresh") == "true")
    assert not order(routes)[0].endswith("sine")


def test_iron_routes_have_a_bench_of_their_own(routes):
    routes.click("route-iron push-pull-square")
    routes.click("choose-route")
    routes.choose("iron_transformer")
    assert routes.status("iron_transformer.core") == "proposed"
    routes.one("chart-regulation")
    assert "link" not in routes.text("danger")


def test_a_wave_that_the_route_cannot_make_is_told_and_the_brief_stays_at_hand(routes):
    routes.click("route-iron bridge-sine")
    routes.click("choose-route")
    routes.gone("routes")
    routes.click("show-brief")
    Select(routes.one("brief-outputs.0.waveform")).select_by_visible_text("square")
    routes.one("finding-route.waveform")
    Select(routes.one("brief-outputs.0.waveform")).select_by_visible_text("sine")
    routes.gone("finding-route.waveform")
    routes.one("block-iron_transformer")


def test_the_current_is_followed_through_the_stage_step_by_step(bench):
    def followed(path):
        bench.until(lambda: [e.get_attribute("data-path") for e in bench.all("current-path")] == ([path] if path else []), path)

    bench.choose("front_end")
    for path in ("push-pull:a", "push-pull:a-off", "push-pull:b", "push-pull:b-off"):
        bench.click("next-interval")
        followed(path)
    assert "4/4" in bench.text("conduction")
    bench.choose("h_bridge")
    followed(None)
    bench.click("next-interval")
    followed("bridge:plus")


def test_the_controller_has_its_sheet_and_its_loop(bench):
    bench.click("show-controller")
    bench.one("chart-bode")
    bench.pin("controller.crossover", "300")
    bench.until(lambda: bench.status("controller.crossover") == "pinned")
    bench.keys("c")
    bench.one("figure-controller.phase")
