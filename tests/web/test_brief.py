"""Every entry of the brief in a real browser: typed as people write it, solved, kept; and the page for those who do not see it."""

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select

from tests.web.pages import asked

pytestmark = pytest.mark.web

ENTRIES = [
    ("sources.0.cells", "9", "9", 9),
    ("sources.0.capacity", "150", "150 Ah", 150 * 3600),
    ("sources.0.resistance", "9m5", "9.5 mΩ", 9.5e-3),
    ("sources.0.cable_length", "0.8", "800 mm", 0.8),
    ("outputs.0.voltage", "220 V", "220 V", 220),
    ("outputs.0.frequency", "60", "60 Hz", 60),
    ("outputs.0.power.continuous", "0k65", "650 W", 650),
    ("outputs.0.power.surge", "1k5", "1.5 kW", 1500),
    ("outputs.0.power.surge_time", "8 s", "8 s", 8),
    ("outputs.0.power.power_factor", "0.8", "0.8", 0.8),
    ("targets.efficiency", "91", "91 %", 0.91),
    ("targets.distortion", "3 %", "3 %", 0.03),
    ("targets.idle", "20 W", "20 W", 20),
    ("targets.ambient", "45", "45 °C", 45),
]


@pytest.mark.parametrize(("address", "typed", "shown", "kept"), ENTRIES, ids=[e[0] for e in ENTRIES])
def test_an_entry_is_typed_shown_and_kept(bench, address, typed, shown, kept):
    bench.brief(address, typed)
    bench.until(lambda: bench.one(f"brief-{address}").get_attribute("value") == shown)
    bench.until(lambda: asked(bench, address) == pytest.approx(kept))


REFUSED = [
    ("sources.0.cells", "2.5", "not a whole number"),
    ("sources.0.cells", "240", "above the allowed 2 to 200"),
    ("sources.0.cells", "150", "use 2 to 125 cells"),
    ("outputs.0.voltage", "12 A", "ends in ‘A’"),
    ("outputs.0.power.surge", "100", "1 to 8 times the continuous power"),
    ("outputs.0.power.power_factor", "1.2", "above the allowed 0.5 to 1"),
    ("targets.ambient", "hot", "not a number"),
]


@pytest.mark.parametrize(("address", "typed", "told"), REFUSED, ids=[f"{a}-{t}" for a, t, _ in REFUSED])
def test_an_entry_is_refused_beside_its_field(bench, address, typed, told):
    bench.brief(address, typed)
    bench.until(lambda: told in bench.text("fault"))
    assert bench.one(f"brief-{address}").get_attribute("value") == typed
    bench.one(f"brief-{address}").send_keys(Keys.ESCAPE)
    bench.gone("fault")
    assert bench.one(f"brief-{address}").get_attribute("value") != typed


def test_a_surge_follows_the_continuous_power_beyond_it_and_says_so(bench):
    bench.brief("outputs.0.power.continuous", "1k5")
    bench.until(lambda: bench.one("brief-outputs.0.power.surge").get_attribute("value") == "1.5 kW")
    assert bench.text("brief-outputs.0.power.surge-note") == "Moved from 1.2 kW to 1.5 kW with the continuous power."
    bench.until(lambda: bench.stored()["design"]["brief"]["outputs"][0]["power"]["surge"] == 1500)
    bench.brief("outputs.0.power.surge", "2 kW")
    bench.gone("brief-outputs.0.power.surge-note")
    bench.click("undo")
    bench.until(lambda: bench.one("brief-outputs.0.power.surge").get_attribute("value") == "1.5 kW")
    bench.click("undo")
    bench.until(lambda: bench.one("brief-outputs.0.power.surge").get_attribute("value") == "1.2 kW")


def test_another_chemistry_is_chosen(bench):
    bench.click("show-brief")
    Select(bench.one("brief-sources.0.chemistry")).select_by_visible_text("Li-ion")
    bench.until(lambda: "29.6 V Li-ion" in bench.text("show-brief"))


def test_a_measured_resistance_is_taken_away_again(bench):
    bench.brief("sources.0.resistance", "20m")
    bench.until(lambda: bench.one("brief-sources.0.resistance").get_attribute("value") == "20 mΩ")
    field = bench.one("brief-sources.0.resistance")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(Keys.BACKSPACE + Keys.ENTER)
    bench.kept()
    bench.until(lambda: bench.stored()["design"]["brief"]["sources"][0]["resistance"] is None)


def test_everything_that_can_be_pressed_has_a_name(bench):
    nameless = bench.browser.execute_script("""
        return [...document.querySelectorAll('button, a, input:not([hidden]), select, [role=button]')].filter(e => {
            const name = e.getAttribute('aria-label') || e.getAttribute('title') || e.textContent.trim() ||
              (e.labels && e.labels.length ? e.labels[0].textContent : '');
            return !name && e.type !== 'hidden';
        }).map(e => e.outerHTML.slice(0, 120));
    """)
    assert nameless == []


def test_pictures_and_circuits_say_what_they_show(bench):
    bench.until(lambda: bench.one("pictures").get_attribute("data-fresh") == "true")
    shown = bench.browser.find_elements(By.CSS_SELECTOR, '[data-testid^="chart-"] [role="img"]')
    assert len(shown) >= 2
    assert all(e.get_attribute("aria-label") for e in shown)


def test_the_power_path_is_walked_with_tab_and_enter(bench):
    bench.browser.execute_script("document.querySelector('[data-testid=\"block-rectifier\"]').focus()")
    bench.browser.switch_to.active_element.send_keys(Keys.ENTER)
    bench.until(lambda: "block=rectifier" in bench.browser.current_url)
    bench.until(lambda: bench.one("block-rectifier").get_attribute("aria-pressed") == "true")


def test_unverified_switches_bring_their_incoming_test(bench):
    bench.click("show-brief")
    Select(bench.one("brief-targets.switches")).select_by_visible_text("unverified")
    bench.until(lambda: "Test every switch before it is fitted" in bench.text("findings"))
    assert "unverified: counted on for" in bench.text("findings")
    bench.kept()
    assert bench.stored()["design"]["brief"]["targets"]["switches"] == "unverified"


def test_each_load_has_its_share_of_the_power(bench):
    def shares():
        output = bench.stored()["design"]["brief"]["outputs"][0]
        return dict(zip(output["loads"], [*output["shares"], *[None] * 7], strict=False))

    bench.click("show-brief")
    place = bench.stored()["design"]["brief"]["outputs"][0]["loads"].index("adapter")
    bench.type(f"brief-outputs.0.shares.{place}", "60 %")
    bench.until(lambda: shares()["adapter"] == 0.6)
    bench.type(f"brief-outputs.0.shares.{place}", "130 %")
    bench.until(lambda: "100 %" in bench.text("fault"))
    bench.type(f"brief-outputs.0.shares.{place}", "60 %")
    bench.browser.execute_script("arguments[0].click()", bench.until(lambda: bench.all("load-heater"))[0])
    bench.until(lambda: "heater" in shares())
    assert shares()["adapter"] == 0.6
    assert shares()["heater"] is None
