"""The bench in a real browser: read, change, cure, undo, work a figure."""

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select

from tests.web.conftest import size

pytestmark = pytest.mark.web
BLOCKS = ["source", "input_stage", "front_end", "transformer", "rectifier", "dc_link", "h_bridge", "output_filter", "load"]


def test_a_demo_design_is_opened_from_the_list_and_read(bench):
    bench.visit("/")
    bench.one("design-b6a1f2d0-0000-4000-8000-000000000002").find_element(By.TAG_NAME, "a").click()
    bench.one("power-path")
    assert "25.6 V LiFePO4 → 230 V 50 Hz sine" in bench.text("show-brief")
    assert bench.text("finding-count").startswith("1 stop")
    assert "front_end.voltage" in bench.findings()
    assert "390 V link" in bench.text("danger")
    assert "touch-safe 60 V" in bench.text("danger")
    assert "%" in bench.text("efficiency")


def test_findings_of_the_block_on_screen_come_first(bench):
    bench.open(bench.copy_of("b6a1f2d0-0000-4000-8000-000000000002"))

    def order():
        found = bench.browser.find_elements(By.CSS_SELECTOR, '[data-testid^="finding-"]')
        return [e.get_attribute("data-testid").removeprefix("finding-").partition(".")[0] for e in found][1:]

    for block in ("front_end", "rectifier"):
        bench.choose(block)
        bench.until(lambda block=block: order()[0] == block)
        blocks = order()
        many = blocks.count(block)
        assert 0 < many < len(blocks)
        assert set(blocks[:many]) == {block}


def test_more_power_changes_figures_and_findings_and_is_kept(bench):
    before = bench.value("front_end.device_peak")
    bench.brief("outputs.0.power.continuous", "1.1 kW")
    bench.until(lambda: "1.1 kW" in bench.text("show-brief"))
    bench.choose("front_end")
    assert bench.value("front_end.device_peak") != before
    bench.kept()
    assert bench.stored()["design"]["brief"]["outputs"][0]["power"]["continuous"] == 1100
    bench.browser.refresh()
    bench.until(lambda: "1.1 kW" in bench.text("show-brief"))


def test_another_battery_is_sized_anew(bench):
    bench.brief("sources.0.cells", "15")
    bench.until(lambda: bench.text("show-brief").startswith("48 V"))
    bench.choose("front_end")
    assert any(v in bench.value("front_end.switch") for v in ("150 V", "200 V", "250 V"))
    assert bench.findings() & {"front_end.voltage", "front_end.duty"} == set()


def test_undo_and_redo_walk_through_the_edits(bench):
    bench.pin("front_end.frequency", "60k")
    bench.until(lambda: bench.value("front_end.frequency") == "60.0 kHz")
    bench.pin("front_end.frequency", "70k")
    bench.until(lambda: bench.value("front_end.frequency") == "70.0 kHz")
    bench.keys(Keys.CONTROL, "z")
    bench.until(lambda: bench.value("front_end.frequency") == "60.0 kHz")
    bench.click("undo")
    bench.until(lambda: bench.value("front_end.frequency") == "46.0 kHz")
    assert not bench.one("undo").is_enabled()
    bench.keys(Keys.CONTROL, Keys.SHIFT, "z")
    bench.until(lambda: bench.value("front_end.frequency") == "60.0 kHz")
    bench.kept()
    assert bench.stored()["design"]["pins"]["front_end.frequency"] in (60e3, "60k")


def test_a_value_is_refused_with_the_reason_and_nothing_is_lost(bench):
    bench.pin("front_end.frequency", "1k2Hz")
    assert "mixes two notations" in bench.text("fault")
    assert bench.one("input-front_end.frequency").get_attribute("value") == "1k2Hz"
    bench.type("input-front_end.frequency", "2M")
    bench.until(lambda: "above the allowed 5 kHz to 300 kHz" in bench.text("fault"))
    bench.one("input-front_end.frequency").send_keys(Keys.ESCAPE)
    assert bench.value("front_end.frequency") == "46.0 kHz"


def test_a_bad_brief_names_the_range_and_keeps_the_text(bench):
    bench.brief("outputs.0.power.continuous", "1k2W")
    assert "mixes two notations" in bench.text("fault")
    assert bench.one("brief-outputs.0.power.continuous").get_attribute("value") == "1k2W"
    bench.type("brief-outputs.0.power.continuous", "9 kW")
    bench.until(lambda: "is above the allowed 20 W to 5 kW; lower it" in bench.text("fault"))
    bench.type("brief-outputs.0.power.continuous", "500")
    bench.gone("fault")
    bench.until(lambda: "500 W" in bench.text("show-brief"))


def test_a_figure_is_pinned_and_let_go(bench):
    assert bench.status("front_end.parallel") == "proposed"
    bench.pin("front_end.parallel", "3")
    bench.until(lambda: bench.status("front_end.parallel") == "pinned")
    bench.click("unpin-front_end.parallel")
    bench.until(lambda: bench.status("front_end.parallel") == "proposed")
    bench.click("pin-front_end.switch")
    bench.until(lambda: bench.status("front_end.switch") == "pinned")


def test_a_part_is_chosen_from_the_shelf(bench):
    bench.click("value-front_end.switch")
    field = bench.one("input-front_end.switch")
    Select(field).select_by_value("MN-100-7.2m-A")
    bench.until(lambda: bench.status("front_end.switch") == "pinned")
    assert "100 V" in bench.value("front_end.switch")


def test_an_opto_coupler_at_the_carrier_is_named_and_cured(bench):
    bench.click("show-bridge_drive")
    bench.one("chart-bootstrap")
    bench.click("value-bridge_drive.driver")
    Select(bench.one("input-bridge_drive.driver")).select_by_value("DO-20")
    bench.until(lambda: "bridge_drive.weak" in bench.findings())
    bench.gone("chart-bootstrap")
    bench.click("cure-bridge_drive.weak")
    bench.until(lambda: "bridge_drive.weak" not in bench.findings())
    bench.one("chart-bootstrap")
    bench.pin("bridge_drive.supply", "30")
    bench.until(lambda: "bridge_drive.over_voltage" in bench.findings())
    bench.keys(Keys.CONTROL, "z")
    bench.until(lambda: "bridge_drive.over_voltage" not in bench.findings())
    bench.keys("c")
    bench.one("figure-controller.oscillator")
    bench.keys("g")
    bench.one("figure-bridge_drive.supply")


def test_without_a_choke_the_link_follows_the_battery(bench):
    bench.choose("rectifier")
    bench.click("value-rectifier.circuit")
    Select(bench.one("input-rectifier.circuit")).select_by_value("doubler, no choke")
    bench.until(lambda: "rectifier.follows" in bench.findings())
    bench.one("chart-pulses")
    bench.gone("figure-rectifier.inductance")
    bench.choose("dc_link")
    bench.until(lambda: "Link against the source" in bench.text("chart-link"))
    bench.choose("rectifier")
    bench.click("cure-rectifier.follows")
    bench.until(lambda: "rectifier.follows" not in bench.findings())
    assert bench.value("rectifier.circuit") == "bridge"


def test_a_finding_is_cured_with_one_click_and_the_cure_undone(bench):
    bench.click("value-front_end.clamp")
    Select(bench.one("input-front_end.clamp")).select_by_value("none")
    bench.until(lambda: "front_end.voltage" in bench.findings())
    bench.click("cure-front_end.voltage")
    bench.until(lambda: "front_end.voltage" not in bench.findings())
    assert bench.value("front_end.clamp") == "RCD"
    bench.keys(Keys.CONTROL, "z")
    bench.until(lambda: "front_end.voltage" in bench.findings())


def test_a_finding_leads_to_its_figure(bench):
    bench.open(bench.copy_of("b6a1f2d0-0000-4000-8000-000000000002"), "load")
    finding = bench.one("finding-front_end.voltage")
    next(b for b in finding.find_elements(By.TAG_NAME, "button") if b.text == "show figure").click()
    bench.until(lambda: bench.text("working").startswith("Peak voltage across the switch"))
    assert "block=front_end" in bench.browser.current_url


def test_a_working_shows_formula_numbers_and_source_and_solves_for_another_symbol(bench):
    bench.choose("transformer")
    bench.one("figure-transformer.worst_flux").find_element(By.CSS_SELECTOR, '[aria-label*="against"]').click()
    bench.until(lambda: "Faraday" in bench.text("working"))
    bench.until(lambda: len(bench.one("formula").find_elements(By.CSS_SELECTOR, ".katex")) == 2)
    assert bench.text("result").endswith("mT")
    bench.type("wish", "150 mT", enter=False)
    assert bench.one("solve-for").get_attribute("value") == "N"
    bench.click("solve")
    assert bench.text("answer").startswith("N = ")
    bench.click("pin-answer")
    bench.until(lambda: bench.status("transformer.primary_turns") == "pinned")
    assert int(bench.value("transformer.primary_turns")) > 5
    bench.until(lambda: float(bench.value("transformer.worst_flux").split()[0]) <= 150)


def test_solving_for_what_cannot_be_says_so(bench):
    bench.choose("dc_link")
    bench.one("figure-dc_link.bleeder_power").find_element(By.CSS_SELECTOR, '[aria-label*="against"]').click()
    bench.one("working")
    bench.type("wish", "lots", enter=False)
    bench.click("solve")
    assert "not a number" in bench.text("fault")


def test_a_sum_shows_what_it_is_made_of(bench):
    bench.one("figure-front_end.loss").find_element(By.TAG_NAME, "button").click()
    told = bench.text("sum")
    for part in ("conduction", "switching", "gate drive", "clamp", "together"):
        assert part in told
    bench.keys(Keys.ESCAPE)
    bench.gone("working")


@pytest.mark.parametrize(("number", "block"), list(enumerate(BLOCKS, 1)))
def test_keys_walk_the_power_path_and_every_block_has_its_pictures(bench, number, block):
    bench.keys(str(number))
    bench.until(lambda: f"block={block}" in bench.browser.current_url)
    bench.until(lambda: bench.text("sheet-title").startswith(f"{number} "))
    bench.until(
        lambda: (
            len(bench.browser.find_elements(By.CSS_SELECTOR, '[data-fresh="true"] [data-testid^="chart-"]'))
            == {"input_stage": 3, "front_end": 3, "h_bridge": 3, "source": 4}.get(block, 2)
        )
    )
    for figure in bench.browser.find_elements(By.CSS_SELECTOR, '[data-testid^="chart-"]'):
        bench.until(lambda f=figure: f.find_elements(By.CSS_SELECTOR, "svg path, svg ellipse, svg rect, table td"))
    assert bench.browser.find_elements(By.CSS_SELECTOR, 'svg[aria-label^="circuit of"]')


def test_anything_is_found_from_the_keyboard(bench):
    bench.keys(Keys.CONTROL, "k")
    field = bench.one("palette").find_element(By.TAG_NAME, "input")
    field.send_keys("power of the bleeder")
    bench.until(lambda: "Power of the bleeder" in bench.text("palette"))
    field.send_keys(Keys.ENTER)
    bench.gone("palette")
    bench.until(lambda: "block=dc_link" in bench.browser.current_url)
    assert "bleeder" in bench.text("working").lower()


def test_the_house_rules_change_the_design(bench):
    bench.click("show-brief")
    field = bench.one("rules")
    bench.until(lambda: len(Select(field).options) == 3)
    Select(field).select_by_visible_text("cautious")
    bench.until(lambda: "house rules: cautious" in bench.browser.page_source)
    bench.kept()
    assert bench.stored()["design"]["rules"] == "cautious"


def test_loads_are_ticked(bench):
    bench.click("show-brief")
    bench.browser.execute_script("arguments[0].click()", bench.until(lambda: bench.all("load-compressor"))[0])
    bench.until(lambda: "A compressor draws about 6 times" in bench.text("findings"))
    bench.kept()
    assert "compressor" in bench.stored()["design"]["brief"]["outputs"][0]["loads"]


def test_a_design_is_renamed(bench):
    bench.type("design-name", "Tarn refuge, winter")
    bench.until(lambda: bench.stored()["design"]["name"] == "Tarn refuge, winter")
    assert bench.browser.title.startswith("Tarn refuge, winter")


def test_path_sheet_picture_and_findings_stand_in_the_first_view(bench):
    bench.until(lambda: bench.one("pictures").get_attribute("data-fresh") == "true")
    for test_id in ("power-path", "figure-front_end.peak_voltage", "chart-switch", "findings", "danger"):
        place = bench.one(test_id).rect
        assert place["y"] >= 0, test_id
        assert place["x"] >= 0, test_id
        assert place["x"] + place["width"] <= 1281, test_id
        if test_id != "findings":
            assert place["y"] + place["height"] <= 801, test_id
    assert bench.browser.execute_script("return document.documentElement.scrollHeight") <= 800


@pytest.mark.parametrize("width", [1024, 1280, 1920])
def test_nothing_runs_out_of_the_page_sideways(bench, width):
    size(bench.browser, width, 800)
    bench.until(lambda: bench.browser.execute_script("return innerWidth") == width)
    for block in ("front_end", "brief", "transformer"):
        bench.visit(f"/design/{bench.id}?block={block}")
        bench.one("power-path")
        assert bench.browser.execute_script("return document.documentElement.scrollWidth") <= width


def test_the_dark_page_stays_dark(bench):
    bench.click("mode")
    bench.until(lambda: "dark" in bench.browser.find_element(By.TAG_NAME, "html").get_attribute("class"))
    bench.browser.refresh()
    bench.one("power-path")
    assert "dark" in bench.browser.find_element(By.TAG_NAME, "html").get_attribute("class")


def test_single_letters_are_keys_only_as_long_as_that_is_wanted(bench):
    def switch(told):
        bench.keys(Keys.CONTROL, "k")
        field = bench.one("palette").find_element(By.TAG_NAME, "input")
        field.send_keys("single-letter keys")
        bench.until(lambda: told in bench.text("palette"))
        field.send_keys(Keys.ENTER)
        bench.gone("palette")

    bench.keys("a")
    bench.one("margins")
    switch("turn off")
    bench.keys("a")  # has no effect: by the time the palette is open it would have had one
    switch("turn on")
    bench.one("margins")
    bench.keys("a")
    bench.gone("margins")


def test_no_request_leaves_the_machine(bench):
    asked = bench.browser.execute_script("return performance.getEntriesByType('resource').map(e => e.name)")
    assert asked
    assert all(a.startswith((bench.address, "data:", "blob:")) for a in asked), asked
