"""The precharge in a real browser: a load that never lets it finish, its cure, and the sequence taken away."""

import pytest

pytestmark = pytest.mark.web


def test_a_load_that_never_lets_it_finish_is_named_and_cured(bench):
    bench.click("show-precharge")
    bench.one("chart-sequence-none")
    bench.pin("precharge.resistor", "47")
    bench.until(lambda: bench.status("precharge.resistor") == "pinned")
    bench.pin("precharge.load_power", "30 W")
    bench.click("value-precharge.load")
    bench.select("input-precharge.load", "constant power")
    bench.until(lambda: "precharge.never" in bench.findings())
    assert "never there" in bench.browser.find_element("css selector", 'svg[aria-label^="circuit of"]').text
    bench.click("cure-precharge.never")
    bench.until(lambda: "precharge.never" not in bench.findings())
    assert bench.value("precharge.load") == "nothing"


def test_every_fault_is_drawn_and_the_sequence_is_taken_away(bench, tmp_path):
    bench.click("show-precharge")
    for fault in ("shorted-bus", "open-resistor", "welded-contactor", "frozen-reading"):
        assert "latched" in bench.text(f"chart-sequence-{fault}") or "not empty" in bench.text(f"chart-sequence-{fault}")
    bench.download_to(tmp_path)
    bench.click("precharge-c")
    bench.until(lambda: list(tmp_path.glob("*.c")), "no code came")
    assert "precharge_step" in next(tmp_path.glob("*.c")).read_text()
    bench.click("precharge-csv")
    bench.until(lambda: list(tmp_path.glob("*.csv")), "no table came")
    assert next(tmp_path.glob("*.csv")).read_text().startswith("state,supply,negative,relay,positive,when,to")
