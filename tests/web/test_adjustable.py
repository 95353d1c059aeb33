"""An adjustable output in a real browser: asked in the brief, its potentiometer on the sheet, either end on the scope."""

import re

import pytest

pytestmark = pytest.mark.web


def circuit(bench):
    return bench.browser.find_element("css selector", 'svg[aria-label^="circuit of"]').text


def test_an_output_is_made_adjustable_and_steady_again(bench):
    bench.brief("outputs.0.down_to", "240")
    bench.until(lambda: "23 V to 225.4 V" in bench.text("fault"), "not refused in words")
    bench.brief("outputs.0.down_to", "60")
    bench.gone("fault")
    bench.click("show-setting")
    bench.until(lambda: bench.value("setting.potentiometer") in circuit(bench), "no circuit")
    assert "RP1701" in circuit(bench)
    assert "60 V to 230 V" in bench.text("power-path")
    bench.one("chart-span")
    bench.click("show-waves")
    bench.click("page-scope")
    bench.select("pick-set-to", "lowest")
    bench.until(lambda: re.search(r"Fundamental[^0-9]*(59|60)\.", bench.text("readings")), "not at the lowest setting")
    bench.click("close-modulation")
    bench.kept()
    assert bench.stored()["design"]["brief"]["outputs"][0]["down_to"] == 60
    bench.brief("outputs.0.down_to", "")
    bench.until(lambda: "60 V to" not in bench.text("power-path"), "still a span")
    bench.gone("show-setting")
    bench.kept()
    assert bench.stored()["design"]["brief"]["outputs"][0].get("down_to") is None
