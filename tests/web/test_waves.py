"""The modulation bench in a real browser: another scheme, an index beyond one, a table taken away."""

import pytest
from selenium.webdriver import ActionChains

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
    bench.download_to(tmp_path)
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


def test_a_square_wave_has_its_scope_but_no_bridge_to_modulate(bench):
    bench.click("show-routes")
    bench.compared()
    bench.click("route-self-oscillating-square")
    bench.click("choose-route")
    bench.gone("routes")
    bench.gone("show-bridge_drive")
    bench.click("show-waves")
    bench.until(lambda: "True power (wattmeter)" in bench.text("readings"))
    assert not bench.all("page-wave")
    assert not bench.all("page-loop")
    bench.select("pick-load", "lamp, cold")
    bench.select("pick-event", "load step")
    bench.until(lambda: "A filament is cold at first" in bench.text("scope"))
    bench.click("probe-source")
    bench.until(lambda: "Source current, mean" in bench.text("readings"))


def drawn(bench, what):
    """What the traces say of how they are now drawn."""
    return bench.one("traces").get_attribute(f"data-{what}")


def span(bench):
    return float(drawn(bench, "last")) - float(drawn(bench, "first"))


def settled(bench):
    """Readings, numbers to draw and the picture belong together."""
    return bench.until(lambda: bench.one("scope").get_attribute("data-fresh") == "true" and drawn(bench, "first") is not None)


def test_the_scope_shows_an_adapter_down_to_its_carrier(bench, tmp_path):
    bench.click("show-waves")
    bench.click("page-scope")
    lines = bench.until(lambda: bench.text("readings").split("\n"))
    assert float(lines[lines.index("True power (wattmeter)") + 1].removesuffix(" W")) == pytest.approx(600, rel=0.02)
    bench.select("pick-load", "adapter")
    bench.click("probe-smoothing")
    bench.until(lambda: "capacitor of the adapter" in bench.text("measured"))
    settled(bench)
    lines = bench.text("readings").split("\n")
    assert float(lines[lines.index("Crest factor of the current") + 1]) > 2
    settled(bench)
    bench.click("keep-trace")
    bench.until(lambda: "compared with: adapter" in bench.text("keep-trace"))
    bench.select("pick-load", "none")
    bench.until(lambda: "0 W" in bench.text("readings"))
    bench.click("probe-bridge")
    bench.click("window-carrier")
    bench.until(lambda: span(bench) < 1e-3, "not near")
    assert "bridge" in drawn(bench, "names")
    bench.click("window-later")
    bench.click("window-all")
    bench.until(lambda: span(bench) > 0.07)
    bench.select("pick-event", "short circuit")
    bench.until(lambda: "trips at" in bench.text("scope"))
    bench.download_to(tmp_path)
    bench.click("scope-csv")
    bench.until(lambda: list(tmp_path.glob("*.csv")), "no table came")
    assert next(tmp_path.glob("*.csv")).read_text().startswith("time_s,bridge_V")
    bench.click("traces-svg")
    bench.until(lambda: list(tmp_path.glob("*.svg")), "no picture came")
    assert "polyline" in next(tmp_path.glob("*.svg")).read_text()


def test_the_battery_is_probed_and_its_spectrum_read(bench):
    """A probe before the link asks for the supply to be marched too; the battery's current swings at twice the line."""
    bench.click("show-waves")
    bench.click("page-scope")
    settled(bench)
    bench.click("probe-source")
    bench.until(lambda: "Source current, mean" in bench.text("readings"))
    assert bench.one("pick-fed-by").get_attribute("value") == "source, averaged"
    bench.click("probe-load")
    bench.until(lambda: "load" not in drawn(bench, "names").split())
    bench.select("pick-spectrum", "source")
    bench.until(lambda: "Spectrum: source" in bench.text("chart-spectrum"))
    bench.type("spectrum-limit", "1 %")
    bench.until(lambda: "the first at 100.0 Hz" in bench.text("chart-spectrum"))


def test_traces_are_panned_and_zoomed_where_they_lie(bench):
    """Wheel, drag and keys move the picture at once; readings follow when it rests."""
    bench.click("show-waves")
    bench.click("page-scope")
    settled(bench)
    board = bench.one("traces")
    wide = span(bench)
    bench.turn_wheel("traces", -3)
    bench.until(lambda: span(bench) == pytest.approx(wide / 1.2, rel=1e-6))
    before = float(drawn(bench, "first"))
    ActionChains(bench.browser).move_to_element(board).click_and_hold().move_by_offset(-80, 0).release().perform()
    bench.until(lambda: float(drawn(bench, "first")) > before)
    settled(bench)
    bench.until(
        lambda: (
            float(bench.one("window-first").get_attribute("value").split()[0])
            == pytest.approx(1e3 * float(drawn(bench, "first")), rel=1e-4)
        )
    )
    board.send_keys("+")
    bench.until(lambda: span(bench) == pytest.approx(wide / 1.2 / 1.5, rel=1e-6))
    ActionChains(bench.browser).double_click(board).perform()
    bench.until(lambda: span(bench) == pytest.approx(wide))


def test_the_scope_is_triggered_and_read_at_two_cursors(bench):
    bench.click("show-waves")
    bench.click("page-scope")
    bench.select("pick-load", "motor, starting")
    bench.select("pick-event", "load step")
    bench.until(lambda: "five times its current" in bench.text("scope"))
    bench.select("pick-trigger", "load")
    bench.type("trigger-level", "9 A")
    first = bench.until(
        lambda: (
            bench.one("scope").get_attribute("data-fresh") == "true"
            and span(bench) < 0.021
            and bench.one("window-first").get_attribute("value")
        )
    )
    bench.click("trigger-next")
    bench.until(lambda: bench.one("window-first").get_attribute("value") != first)
    bench.type("trigger-level", "900 A")
    bench.until(lambda: "nothing rises through 900 A" in bench.text("scope"))
    bench.select("pick-trigger", "none")
    bench.click("window-period")
    bench.until(lambda: span(bench) < 0.021)
    for place, read in ((0.3, "time"), (0.6, "B − A")):
        settled(bench)
        bench.click_across("traces", place)
        bench.until(lambda r=read: r in bench.text("cursors"))
    assert "Hz" in bench.text("cursors")
    bench.click("clear-cursors")
    bench.gone("cursors")


def test_the_loop_is_tried_and_one_that_swings_up_is_named(bench):
    bench.click("show-waves")
    bench.click("page-loop")
    bench.until(lambda: bench.one("voltage-loop").get_attribute("data-stable") == "true")
    assert "Nearest to −1" in bench.text("loop-figures")
    bench.type("wave-voltage", "6")
    bench.until(lambda: "do not build it" in bench.text("voltage-loop"))
    assert bench.one("voltage-loop").get_attribute("data-stable") == "false"
    bench.click("as-proposed")
    bench.until(lambda: "do not build it" not in bench.text("voltage-loop"))
    bench.click("school-every-half-period")
    bench.until(lambda: "Corrections a second" in bench.text("loop-figures"))
    bench.one("chart-rms")
