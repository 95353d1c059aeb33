"""The magnetics bench in a real browser: from a route to a transformer, to its sheet on paper."""

import base64
from io import BytesIO

import pytest
from pypdf import PdfReader

pytestmark = pytest.mark.web


def test_from_the_routes_to_a_printed_winding_sheet(bench):
    """Compare, choose, open the magnetics, wind too few turns, see the flux, take the cure, print."""
    bench.click("show-routes")
    bench.compared()
    bench.click("route-push-pull link-modified")
    bench.click("choose-route")
    bench.gone("routes")
    bench.choose("transformer")
    bench.click("show-magnetics")
    bench.one("options-turns")
    present = int(bench.value_of_here("turns").split(" : ")[0])
    few = next(o for o in bench.options("turns") if int(o.split(" : ")[0]) == max(1, present - 2))
    bench.take("turns", few)
    bench.click("close-coils")
    bench.one("finding-transformer.saturation")
    assert bench.status("transformer.core") == "pinned"
    assert bench.status("transformer.primary_turns") == "pinned"
    bench.click("cure-transformer.saturation")
    bench.gone("finding-transformer.saturation")
    turns = bench.value("transformer.primary_turns")
    bench.click("show-magnetics")
    bench.click("page-winding-sheet")
    first = bench.one("winding-sheet").find_element("css selector", ".winding tbody td.mono")
    assert first.text == turns
    page = base64.b64decode(bench.browser.print_page())
    assert page.startswith(b"%PDF")
    assert len(page) > 5000


def test_on_paper_only_the_sheet_is_left(bench):
    bench.choose("transformer")
    bench.click("show-magnetics")
    bench.click("page-winding-sheet")
    bench.one("phasing")
    bench.browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
    try:
        assert not bench.all("power-path")[0].is_displayed()
        assert bench.one("winding-sheet").is_displayed()
        assert not bench.all("print-sheet")[0].is_displayed()
    finally:
        bench.browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": ""})


def test_the_sheet_is_kept_as_a_pdf(bench, tmp_path):
    bench.download_to(tmp_path)
    bench.choose("transformer")
    bench.click("show-magnetics")
    bench.click("page-winding-sheet")
    turns = bench.one("winding-sheet").find_element("css selector", ".winding tbody td.mono").text
    bench.click("keep-sheet")
    bench.until(lambda: list(tmp_path.glob("*.pdf")), "no PDF came")
    kept = next(tmp_path.glob("*.pdf"))
    assert kept.name.startswith("Transformer")
    text = PdfReader(BytesIO(kept.read_bytes())).pages[0].extract_text()
    assert turns in text.split()
    assert "Starts and finishes" in text


def test_a_gapped_core_takes_the_place_of_a_powder_ring_and_back(bench):
    bench.choose("rectifier")
    bench.click("show-magnetics")
    bench.one("options-rings")
    core = bench.options("cores")[0]
    bench.take("cores", core)
    bench.until(lambda: bench.value_of_here("cores") == core)
    assert "Flux against current" in bench.text("chart-saturation")
    ring = bench.options("rings")[0]
    bench.take("rings", ring)
    bench.until(lambda: bench.value_of_here("rings") == ring)
    assert "Inductance against current" in bench.text("chart-saturation")
    bench.click("page-winding-sheet")
    bench.until(lambda: "powder" in bench.text("winding-sheet"))
    bench.click("close-coils")
    bench.until(lambda: "rectifier.choke_gap" not in bench.findings())


def test_a_core_of_the_shelf_is_taken_and_marked(bench):
    bench.choose("transformer")
    bench.keys("m")
    bench.one("options-cores")
    other = bench.options("cores")[1]
    bench.take("cores", other)
    bench.until(lambda: bench.value_of_here("cores") == other)
    bench.kept()
    assert bench.stored()["design"]["pins"]["transformer.core"] in other


def test_every_wound_part_has_its_page(bench):
    bench.click("show-magnetics")
    for part, said in (("rectifier", "link choke"), ("output_filter", "filter inductor")):
        bench.click(f"coil-{part}")
        bench.one("chart-saturation")
        assert said in bench.text(f"coil-{part}")
    bench.click("coil-controller")
    bench.one("chart-flux")
    assert bench.text("coil-controller") == "current transformer"


def test_a_test_turn_is_worked_and_a_silly_one_refused(bench):
    bench.click("show-magnetics")
    bench.click("page-tools")
    bench.type("one-turn-volts_per_turn", "2.9")
    bench.type("one-turn-wanted", "26")
    bench.until(lambda: "9 turns give 26.1 V" in bench.text("answer-one-turn"))
    bench.type("one-turn-wanted", "lots")
    bench.until(lambda: "not a number" in bench.text("fault"))
