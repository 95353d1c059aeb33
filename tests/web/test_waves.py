"""The modulation bench in a real browser: another scheme, an index beyond one, a table taken away."""

import pytest

pytestmark = pytest.mark.web


def row(bench, scheme):
    return [c.text for c in bench.one(f"row-{scheme}").find_elements("css selector", "td")]


def figures(bench):
    return bench.text("wave-figures")


def test_another_scheme_is_looked_at_and_the_design_keeps_its_own(bench):
    bench.keys("w")
    bench.one("chart-spectrum")
    assert row(bench, "unipolar")[-1] == "here"
    bench.click("scheme-bipolar")
    bench.until(lambda: row(bench, "bipolar")[-1] == "here")
    assert row(bench, "bipolar")[4].split()[0] > row(bench, "unipolar")[4].split()[0]
    bench.type("wave-index", "1.3")
    bench.until(lambda: "tops are cut" in bench.text("modulation"))
    bench.type("wave-dead_time", "3u")
    before = figures(bench)
    bench.until(lambda: "Dead time takes more than a fiftieth" in bench.text("modulation"))
    bench.click("scheme-modified")
    bench.click("preset-no-third-harmonic")
    bench.until(lambda: "Harmonic 3, of the fundamental" in figures(bench) and figures(bench) != before)
    bench.click("as-designed")
    bench.until(lambda: row(bench, "unipolar")[-1] == "here")
    bench.click("close-modulation")
    bench.gone("modulation")
    assert bench.stored()["design"]["pins"].get("h_bridge.carrier") is None


def test_a_silly_value_is_refused_and_the_last_picture_stays(bench):
    bench.click("show-waves")
    bench.one("chart-legs")
    bench.type("wave-carrier", "soon")
    bench.until(lambda: "carrier" in bench.text("fault"))
    bench.type("wave-carrier", "9k")
    bench.gone("fault")
    bench.until(lambda: "can be heard" in bench.text("modulation"))


def test_a_sine_table_is_worked_and_taken_away(bench, tmp_path):
    bench.browser.execute_cdp_cmd("Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(tmp_path)})
    bench.click("show-waves")
    bench.click("page-sine-table")
    bench.type("table-carrier", "20k", enter=False)
    bench.until(lambda: "400, up and down" in bench.text("table-figures"))
    assert "100 entries, 200 bytes" in bench.text("table-figures")
    bench.click("symmetry-full")
    bench.until(lambda: "400 entries" in bench.text("table-figures"))
    bench.click("keep-h")
    bench.until(lambda: list(tmp_path.glob("*.h")), "no header came")
    assert "#define SINE_TOP 400u" in next(tmp_path.glob("*.h")).read_text()
    bench.type("table-bits", "6", enter=False)
    bench.until(lambda: "bits: the timer counts to 400" in bench.text("fault"))


def test_a_route_without_a_bridge_has_no_waves(bench):
    bench.click("show-routes")
    bench.click("route-self-oscillating-square")
    bench.click("choose-route")
    bench.gone("routes")
    bench.gone("show-waves")
    bench.gone("show-bridge_drive")


def test_the_scope_shows_an_adapter_down_to_its_carrier(bench, tmp_path):
    bench.click("show-waves")
    bench.click("page-scope")
    bench.until(lambda: "600.0 W" in bench.text("readings"))
    bench.click("load-adapter")
    bench.until(lambda: "Capacitor of the adapter" in bench.text("scope"))
    crest = next(float(line) for line in bench.text("readings").split("\n")[bench.text("readings").split("\n").index("Crest factor of it") + 1 :][:1])
    assert crest > 2
    bench.click("keep-trace")
    bench.until(lambda: "compared with: adapter" in bench.text("keep-trace"))
    bench.click("load-none")
    bench.until(lambda: "0 W" in bench.text("readings"))
    bench.click("window-carrier")
    bench.until(lambda: "bridge" in bench.text("chart-output-bridge"))
    bench.click("window-later")
    bench.click("window-all")
    bench.one("chart-harmonics")
    bench.click("event-short-circuit")
    bench.until(lambda: "trips at" in bench.text("scope"))
    bench.browser.execute_cdp_cmd("Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(tmp_path)})
    bench.click("scope-csv")
    bench.until(lambda: list(tmp_path.glob("*.csv")), "no table came")
    assert next(tmp_path.glob("*.csv")).read_text().startswith("time_s,output_V")


def test_the_scope_is_triggered_and_read_at_two_cursors(bench):
    bench.click("show-waves")
    bench.click("page-scope")
    bench.click("load-motor-starting")
    bench.click("event-load-step")
    bench.until(lambda: "five times its current" in bench.text("scope"))
    bench.click("trigger-load")
    bench.type("trigger-level", "9 A")
    bench.until(lambda: "trigger" in bench.text("chart-load-inductor"), "no trigger mark")
    first = bench.until(lambda: bench.one("scope").get_attribute("data-fresh") == "true" and bench.one("window-first").get_attribute("value"))
    bench.click("trigger-next")
    bench.until(lambda: bench.one("window-first").get_attribute("value") != first)
    bench.type("trigger-level", "900 A")
    bench.until(lambda: "nothing rises through 900 A" in bench.text("scope"))
    bench.click("trigger-none")
    bench.click("window-period")
    for place, read in ((0.3, "time"), (0.6, "B − A")):
        bench.until(lambda: bench.one("scope").get_attribute("data-fresh") == "true")
        bench.click_within("chart-output", place)
        bench.until(lambda r=read: r in bench.text("cursors"))
    assert "Hz" in bench.text("cursors")
    bench.click("clear-cursors")
    bench.gone("cursors")
