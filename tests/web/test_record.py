"""Margins, waivers and their record, rules set otherwise, another battery, a bus of one's own: in a real browser."""

import csv

import pytest

pytestmark = pytest.mark.web


def test_a_finding_is_waived_with_a_reason_and_seen_in_the_record(bench):
    bench.click("show-protection")
    bench.one("chart-input-ladder")
    bench.click("value-protection.after_trip")
    bench.select("input-protection.after_trip", "continuous retry")
    bench.until(lambda: "protection.retries" in bench.findings())
    bench.click("waive-protection.retries")
    bench.type("reason-protection.retries", "no")
    bench.until(lambda: "at least" in bench.text("finding-protection.retries"), "a reason too short is taken")
    bench.type("reason-protection.retries", "a person stands beside it on the bench")
    bench.gone("finding-protection.retries")
    assert "waived: a person stands beside it" in bench.text("waived-protection.retries")
    assert "1 waived" in bench.text("finding-count")
    bench.kept()
    assert bench.stored()["design"]["waivers"][0]["code"] == "protection.retries"
    bench.browser.refresh()
    bench.click("show-record")
    told = bench.text("record-protection.retries")
    assert "a person stands beside it on the bench" in told
    assert "retries into a short without limit" in told
    assert "Protection: After a short" in bench.text("record")
    bench.click("show-record")
    bench.click("unwaive-protection.retries")
    bench.one("finding-protection.retries")
    bench.click("cure-protection.retries")
    bench.gone("finding-protection.retries")


def test_another_battery_lists_what_it_touches_and_is_taken(bench):
    bench.choose("source")
    bench.click("show-battery")
    bench.select("new-chemistry", "Li-ion")
    bench.until(lambda: "8 × Li-ion" in bench.text("battery-change"))
    keys = ("cut_off", "over_voltage", "input_capacitors", "fan", "switches", "gate_supply", "turns")
    for key in keys:
        told = bench.text(f"touched-{key}")  # what does not hold is replaced, or its clamp is what must change
        assert "→" in told or "Clamp" in told or bench.one(f"touched-{key}").get_attribute("data-holds") == "true"
    assert bench.one("touched-cut_off").get_attribute("data-holds") == "false"
    assert "24.20 V" in bench.text("touched-cut_off")
    bench.type("new-cells", "199")
    bench.until(lambda: "cells" in bench.text("fault"), "199 cells are taken")
    bench.type("new-cells", "8")
    bench.until(lambda: bench.one("battery-change").get_attribute("data-fresh") == "true" and not bench.all("fault"))
    bench.click("keep-built")
    bench.until(lambda: "protection.cut_off_low" in bench.findings())
    bench.kept()
    assert bench.stored()["design"]["brief"]["sources"][0]["chemistry"] == "Li-ion"
    bench.click("undo")
    bench.until(lambda: "protection.cut_off_low" not in bench.findings())


def test_margins_lead_to_their_figures(bench):
    bench.click("show-margins")
    rows = bench.until(lambda: bench.browser.find_elements("css selector", '[data-testid^="margin-"]'))
    left = [float(r.get_attribute("data-left")) for r in rows]
    assert left == sorted(left)
    assert len(rows) > 40
    address = rows[0].get_attribute("data-testid").removeprefix("margin-")
    rows[0].find_element("tag name", "button").click()
    bench.until(lambda: f"block={address.split('.')[0]}" in bench.browser.current_url)
    assert bench.one(f"figure-{address}").get_attribute("data-here") == "true"


def test_the_parts_list_follows_the_design_and_is_taken_away(bench, tmp_path):
    bench.download_to(tmp_path)
    bench.click("show-parts")
    bench.one("part-Q201.1…2")
    assert "gate resistor, turning on" in bench.text("part-R1001.1…2")
    assert "contact current" in bench.text("part-K1202")
    assert bench.text("parts-sum").split()[0].isdigit()
    assert "RV surge suppressor" in bench.text("parts-letters")
    bench.click("parts-csv")
    bench.until(lambda: list(tmp_path.glob("* parts.csv")))
    rows = list(csv.DictReader((tmp_path / next(tmp_path.glob("* parts.csv"))).open(encoding="utf-8", newline="")))
    assert len(rows) == len(bench.browser.find_elements("css selector", '[data-testid^="part-"]'))
    bench.click("parts-of-front_end")
    bench.gone("parts")
    bench.click("value-front_end.parallel")
    bench.type("input-front_end.parallel", "3")
    bench.click("show-parts")
    bench.one("part-Q201.1…6")
    bench.one("part-R1001.1…6")


def test_a_house_rule_is_set_otherwise_and_back(bench):
    bench.click("show-brief")
    bench.click("all-rules")
    bench.type("rule-junction_limit", "900")
    bench.until(lambda: "175" in bench.text("fault"), "900 °C is taken")
    bench.type("rule-junction_limit", "85 °C")
    bench.until(lambda: "preset 120" in bench.text("brief-sheet"))
    bench.kept()
    assert bench.stored()["design"]["house"]["junction_limit"] == 85
    bench.click("show-record")
    assert "Junction limit" in bench.text("record")
    assert "preset 120" in bench.text("record")


@pytest.mark.parametrize("block", ["protection", "heat", "isolation"])
def test_each_block_beside_the_path_is_drawn(bench, block):
    bench.click(f"show-{block}")
    bench.until(lambda: f"block={block}" in bench.browser.current_url)
    bench.until(lambda: bench.browser.find_element("css selector", 'svg[aria-label^="circuit of"]').text)
    bench.until(
        lambda: (
            bench.one("pictures").get_attribute("data-fresh") == "true"
            and bench.browser.find_elements("css selector", "figure")
        )
    )
    assert not bench.all("fault")


def test_an_open_barrier_is_drawn_red_and_cured(bench):
    bench.click("show-isolation")
    bench.click("value-isolation.sensing")
    bench.select("input-isolation.sensing", "bare divider")
    bench.until(lambda: "isolation.sense_bridges" in bench.findings())
    bench.until(lambda: "OPEN" in bench.text("chart-crossings"))
    bench.click("cure-isolation.sense_bridges")
    bench.until(lambda: "isolation.sense_bridges" not in bench.findings())


def test_a_bus_of_ones_own_is_precharged_and_kept(bench):
    bench.visit("/precharge")
    bench.type("bus-voltage", "400")
    bench.until(lambda: "400 V" in bench.text("bus"))
    bench.type("bus-bank", "900")
    bench.until(lambda: "10 F" in bench.text("fault"), "900 F is taken")
    bench.type("bus-bank", "2.2m")
    bench.until(lambda: not bench.all("fault"))
    bench.pin("precharge.load_power", "2 kW")
    bench.click("value-precharge.load")
    bench.select("input-precharge.load", "constant power")
    bench.pin("precharge.resistor", "220")
    bench.until(lambda: "precharge.never" in bench.findings())
    bench.browser.refresh()
    bench.until(lambda: "precharge.never" in bench.findings(), "it is forgotten")
    bench.click("cure-precharge.never")
    bench.until(lambda: "precharge.never" not in bench.findings())


def test_a_rectifier_on_any_mains_is_sized_warned_of_and_cured(bench):
    bench.visit("/mains")
    bench.until(lambda: "mains_input.live" in bench.findings())
    bench.type("mains-power", "2 kW")
    bench.until(lambda: "kW, " in bench.text("findings"), "2 kW are not told")
    bench.type("mains-nominal", "9 kV")
    bench.until(lambda: "277 V" in bench.text("fault"), "9 kV are taken")
    bench.type("mains-nominal", "230")
    bench.until(lambda: not bench.all("fault"))
    bench.pin("mains_input.bleeder", "4M7")
    bench.until(lambda: "mains_input.bleeds" in bench.findings())
    bench.browser.refresh()
    bench.until(lambda: "mains_input.bleeds" in bench.findings(), "it is forgotten")
    bench.click("cure-mains_input.bleeds")
    bench.until(lambda: "mains_input.bleeds" not in bench.findings())
    bench.until(lambda: "Diodes conduct for" in bench.text("chart-line"))


def test_a_days_use_is_written_and_drawn(bench):
    bench.brief("outputs.0.power.profile", "60 W 4 hours")
    bench.until(lambda: "write for example" in bench.text("fault"), "hours are read")
    bench.brief("outputs.0.power.profile", "60 W 4 h, 500 W 20 min")
    bench.until(lambda: not bench.all("fault"))
    bench.kept()
    assert bench.stored()["design"]["brief"]["outputs"][0]["power"]["profile"] == "60 W 4 h, 500 W 20 min"
    bench.choose("source")
    bench.until(lambda: "is left after 4 h 20 min" in bench.text("chart-day"))
    assert bench.one("chart-day").find_elements("css selector", "svg path")
    assert "full" in bench.text("chart-gauge")
    bench.brief("outputs.0.power.profile", "600 W 90 h")
    bench.choose("source")
    bench.until(lambda: "it is empty after" in bench.text("chart-day"))


def test_views_and_blocks_have_their_keys(bench):
    for key, shown in (("a", "margins"), ("l", "parts"), ("e", "record"), ("b", "battery-change")):
        bench.keys(key)
        bench.one(shown)
        bench.keys(key)
        bench.gone(shown)
    for key, block in (("t", "protection"), ("h", "heat"), ("i", "isolation"), ("p", "precharge")):
        bench.keys(key)
        bench.until(lambda b=block: f"block={b}" in bench.browser.current_url)
        bench.until(lambda b=block: bench.one(f"show-{b}").get_attribute("aria-pressed") == "true")


def test_a_stop_that_is_waived_says_what_it_is(bench):
    bench.click("show-isolation")
    bench.click("value-isolation.clip")
    bench.select("input-isolation.clip", "on the bridge")
    bench.until(lambda: "isolation.clip" in bench.findings())
    bench.click("waive-isolation.clip")
    assert "breaks parts or hurts people" in bench.text("finding-isolation.clip")
    bench.type("reason-isolation.clip", "battery instrument, isolated from earth")
    bench.gone("finding-isolation.clip")
    stripes = bench.one("waived-isolation.clip")
    assert stripes.find_element("css selector", 'svg[aria-label="stop"]')
    bench.click("undo")
    bench.one("finding-isolation.clip")
