"""Sources and sockets, as they are chosen and filled in on the brief in the browser."""

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import Select

from tests.web.pages import asked

pytestmark = pytest.mark.web


def looked_at_elsewhere(bench, wave):
    """Its routes with a wave, and its scope; then back to the brief."""
    bench.kept()
    identity = bench.browser.current_url.split("/design/")[1].split("?")[0]
    bench.visit(f"/design/{identity}?view=routes")
    bench.compared()
    assert len(bench.all(f"route-full-bridge link-{wave}")) == 1
    bench.visit(f"/design/{identity}?view=waves&page=scope")
    bench.until(lambda: "Voltage, true RMS" in bench.text("readings"))
    bench.open(identity, "brief")


def test_source_and_socket_are_chosen_in_the_picture_by_keys_too(bench):
    bench.click("show-brief")
    assert bench.one("brief-sources.0.kind-battery").get_attribute("data-chosen") == "true"
    assert "8 × LiFePO4, 25.6 V" in bench.text("brief-picture")
    radio = bench.one("brief-outputs.0.kind-AC").find_element(By.TAG_NAME, "input")
    radio.send_keys(Keys.ARROW_DOWN)
    bench.until(lambda: bench.one("brief-outputs.0.kind-DC").get_attribute("data-chosen") == "true")
    bench.until(lambda: "340 V DC, 600 W" in bench.text("brief-picture"))
    bench.gone("brief-outputs.0.waveform")
    bench.click("undo")
    bench.until(lambda: "230 V 50 Hz sine" in bench.text("brief-picture"))


def test_a_rail_takes_the_batterys_place_and_the_battery_comes_back(bench):
    bench.click("show-brief")
    bench.one("show-battery")
    bench.click("brief-sources.0.kind-DC rail")
    bench.until(lambda: "24 V rail" in bench.text("show-brief"))
    bench.gone("show-battery")
    bench.type("brief-sources.0.limit", "40")
    bench.until(lambda: asked(bench, "sources.0.limit") == 40)
    bench.choose("source")
    bench.until(lambda: "latches below" in bench.text("chart-rail-line"))
    assert bench.text("sheet-title") == "1 DC rail"
    bench.click("show-brief")
    bench.click("brief-sources.0.kind-battery")
    bench.until(lambda: "LiFePO4" in bench.text("show-brief"))
    bench.kept()
    assert asked(bench, "sources.0.cells") == 8


def test_a_rail_feeds_a_square_bridge_with_nothing_between(bench):
    """A 60 Hz square wave straight from a 122 V rail: refused while the source is no such one, then compared, chosen, probed."""
    bench.click("show-brief")
    bench.click("brief-sources.0.kind-DC rail")
    bench.until(lambda: "24 V rail" in bench.text("show-brief"))
    bench.type("brief-sources.0.highest", "2 kV")
    bench.until(lambda: "8 V to 1 kV" in bench.text("fault"))
    for field, volts in (("highest", 126), ("nominal", 122), ("lowest", 118), ("limit", 8)):
        bench.type(f"brief-sources.0.{field}", str(volts))
        bench.until(lambda field=field, volts=volts: asked(bench, f"sources.0.{field}") == volts)
    for field, value in (("voltage", 120), ("frequency", 60)):
        bench.type(f"brief-outputs.0.{field}", str(value))
        bench.until(lambda field=field, value=value: asked(bench, f"outputs.0.{field}") == value)
    Select(bench.one("brief-outputs.0.waveform")).select_by_visible_text("square")
    bench.until(lambda: "120 V 60 Hz square" in bench.text("show-brief"))
    identity = bench.browser.current_url.split("/design/")[1].split("?")[0]
    bench.visit(f"/design/{identity}?view=routes")
    bench.compared()
    bench.click("route-direct bridge-square")
    bench.until(lambda: "all of it is live" in bench.text("route-detail"))
    assert not bench.all("route-direct bridge-sine"), "122 V make no sine of 120 V RMS"
    bench.click("choose-route")
    bench.gone("routes")
    bench.until(lambda: bench.stored()["design"]["route"] == "direct bridge")
    bench.open(identity, "h_bridge")
    bench.gone("block-transformer")
    bench.gone("block-output_filter")
    bench.until(lambda: "both legs switch once each half period" in bench.browser.find_element(By.TAG_NAME, "body").text)
    bench.until(lambda: "True RMS 12" in bench.text("chart-steps"))
    bench.open(identity, "bridge_drive")
    bench.until(lambda: "lowest" in bench.text("chart-bootstrap"))
    bench.open(identity, "isolation")
    bench.until(lambda: "There is no barrier" in bench.text("chart-nodes"))
    assert "Socket not isolated from the source" in bench.text("findings")
    bench.visit(f"/design/{identity}?view=waves&page=scope")
    bench.until(lambda: "Voltage, true RMS" in bench.text("readings"))


def test_the_mains_feeds_a_bridge_behind_its_rectifier(bench):
    """A battery's design is put on the mains: its route says that it takes none, the one that does is chosen, everything on it
    is marked live, and its margins and waves are there."""
    bench.click("show-brief")
    bench.click("brief-sources.0.kind-mains")
    bench.until(lambda: "This route takes no mains" in bench.text("findings"))
    assert "the route ‘mains bridge’" in bench.text("findings")
    bench.type("brief-sources.0.lowest", "260 V")
    bench.until(lambda: "lowest ≤ nominal ≤ highest" in bench.text("fault"))
    bench.type("brief-sources.0.lowest", "210 V")
    bench.until(lambda: asked(bench, "sources.0.lowest") == 210)
    for field, value in (("voltage", 115), ("frequency", 60)):
        bench.type(f"brief-outputs.0.{field}", str(value))
        bench.until(lambda field=field, value=value: asked(bench, f"outputs.0.{field}") == value)
    identity = bench.browser.current_url.split("/design/")[1].split("?")[0]
    bench.visit(f"/design/{identity}?view=routes")
    bench.compared()
    bench.click("route-mains bridge-sine")
    bench.until(lambda: "all of it is live" in bench.text("route-detail"))
    bench.click("choose-route")
    bench.gone("routes")
    bench.until(lambda: bench.stored()["design"]["route"] == "mains bridge")
    bench.open(identity, "mains_input")
    bench.until(lambda: "A from the mains" in bench.text("totals"))
    assert bench.text("live") == "live mains"
    assert "Everything here is live mains" in bench.text("findings")
    bench.until(lambda: "needed" in bench.text("chart-bank"))
    bench.pin("mains_input.limiter", "0")
    bench.until(lambda: "mains_input.inrush" in bench.findings())
    bench.visit(f"/design/{identity}?view=margins")
    bench.until(lambda: bench.all("margin-mains_input.can_ripple"))
    bench.visit(f"/design/{identity}?view=waves&page=scope")
    bench.select("pick-fed-by", "source, averaged")
    bench.until(lambda: "no output is locked to it" in bench.browser.find_element(By.TAG_NAME, "body").text)


def test_a_battery_feeds_a_socket_of_direct_voltage(bench):
    """A 400 V supply on another route, probed at a step of its load; then the socket alternates again."""
    bench.click("show-brief")
    watts = asked(bench, "outputs.0.power.continuous")
    bench.click("brief-outputs.0.kind-DC")
    bench.until(lambda: "340 V DC" in bench.text("show-brief"))
    bench.gone("block-h_bridge")
    bench.gone("brief-targets.distortion")
    bench.type("brief-outputs.0.voltage", "5 kV")
    bench.until(lambda: "12 V to 1.5 kV" in bench.text("fault"))
    bench.type("brief-outputs.0.voltage", "400")
    bench.until(lambda: asked(bench, "outputs.0.voltage") == 400)
    assert asked(bench, "outputs.0.power.continuous") == watts
    bench.choose("load")
    bench.until(lambda: "at its deepest" in bench.text("chart-step"))
    identity = bench.browser.current_url.split("/design/")[1].split("?")[0]
    bench.visit(f"/design/{identity}?view=waves&page=scope")
    bench.select("pick-event", "load step")
    bench.until(lambda: "Voltage, lowest" in bench.text("readings"))
    assert "short circuit" not in bench.text("pick-event")
    bench.visit(f"/design/{identity}?view=routes")
    bench.compared()
    assert len(bench.all("route-half-bridge link-DC")) == 1
    assert not bench.all("route-iron bridge-sine")
    bench.open(identity, "brief")
    bench.click("brief-outputs.0.kind-AC")
    bench.until(lambda: "230 V 50 Hz sine" in bench.text("show-brief"))
    bench.one("block-h_bridge")
    bench.kept()
    assert asked(bench, "outputs.0.power.continuous") == watts


def test_a_rail_that_is_another_designs_socket(bench):
    """Two boards: the second takes the first one's figures, hears of its newer revision, and keeps the last when it goes."""
    supply = bench.ask("POST", "/api/designs", {"name": "First board", "brief": {"outputs": [
        {"kind": "DC", "voltage": 340, "power": {"continuous": 300, "surge": 400}}]}})  # fmt: skip
    bench.click("show-brief")
    bench.click("brief-sources.0.kind-DC rail")
    bench.until(lambda: "First board, 340 V DC" in bench.text("rail-of"))
    Select(bench.one("rail-of")).select_by_visible_text("First board, 340 V DC")
    bench.until(lambda: (asked(bench, "sources.0").get("of") or {}).get("revision") == 1)
    assert 335 < asked(bench, "sources.0.nominal") < 345
    bench.until(lambda: bench.one("rail-revision-of").get_attribute("value") == "1")
    newer = supply["design"] | {
        "brief": {"outputs": [{"kind": "DC", "voltage": 360, "power": {"continuous": 300, "surge": 400}}]}
    }
    bench.ask("PUT", f"/api/designs/{supply['id']}", newer, {"If-Match": '"1"'})
    identity = bench.browser.current_url.split("/design/")[1].split("?")[0]
    bench.open(identity, "brief")
    bench.until(lambda: "revision 2 is newer" in bench.text("rail-revision"))
    bench.click("take-newer")
    bench.until(lambda: (asked(bench, "sources.0").get("of") or {}).get("revision") == 2)
    assert asked(bench, "sources.0.nominal") > 355
    bench.ask("PUT", f"/api/designs/{supply['id']}/revisions/1/label", {"label": "as built"})
    bench.open(identity, "brief")
    bench.until(lambda: "1, as built" in bench.text("rail-revision-of"))
    Select(bench.one("rail-revision-of")).select_by_visible_text("1, as built")
    bench.until(lambda: (asked(bench, "sources.0").get("of") or {}).get("revision") == 1)
    bench.until(lambda: "revision 2 is newer" in bench.text("rail-revision"))
    assert 335 < asked(bench, "sources.0.nominal") < 345
    bench.ask("DELETE", f"/api/designs/{supply['id']}")
    bench.open(identity, "brief")
    bench.until(lambda: "archived, its last values stay" in bench.text("rail-revision"))
    bench.type("brief-sources.0.limit", "3 A")
    bench.gone("rail-revision")


def test_a_source_that_bears_little_ripple(bench):
    """A filter choke is proposed and drawn; without it the ripple is told in decibels."""
    bench.click("show-brief")
    assert bench.one("brief-sources.0.ripple_limit").get_attribute("placeholder") == "not asked"
    bench.type("brief-sources.0.ripple_limit", "8 mA")
    bench.until(lambda: asked(bench, "sources.0.ripple_limit") == 8e-3)
    bench.choose("input_stage")
    bench.until(lambda: "limit 8 mA" in bench.text("chart-source-lines"))
    bench.pin("input_stage.choke", "0")
    bench.until(lambda: "dB over 8 mA" in bench.text("finding-input_stage.source_ripple"))


def test_a_high_frequency_socket_alone(bench):
    """No link, no bridge: the secondary's own pulses, on sheet and scope."""
    bench.click("show-brief")
    bench.click("brief-outputs.1.kind-HF")
    bench.one("block-hf_socket")
    bench.click("brief-outputs.0.kind-HF")
    bench.one("block-hf_output")
    assert not bench.all("block-dc_link")
    bench.gone("brief-outputs.1.kind-HF")
    bench.type("brief-outputs.0.voltage", "60")
    bench.until(lambda: "60 V 50 kHz" in bench.text("show-brief"))
    bench.choose("hf_output")
    bench.until(lambda: "nothing plugged in" in bench.text("chart-hf_over_source"))
    assert "Before coil and cord" in bench.text("chart-steps")
    bench.pin("hf_output.coil", "50u")
    bench.until(lambda: bench.all("finding-hf_output.cord"))
    looked_at_elsewhere(bench, "HF")
    bench.click("brief-outputs.0.kind-AC")
    bench.one("block-dc_link")
    bench.kept()
    assert "hf_output.coil" in bench.text("finding-pins.waiting")


def test_two_sockets_at_once(bench):
    """A DC supply with a hot wire tapped from the same secondary, and without it again."""
    bench.click("show-brief")
    bench.click("brief-outputs.0.kind-DC")
    bench.until(lambda: "340 V DC" in bench.text("show-brief"))
    bench.click("brief-outputs.1.kind-HF")
    bench.one("block-hf_socket")
    bench.type("brief-outputs.1.frequency", "2 MHz")
    bench.until(lambda: "5 kHz to 150 kHz" in bench.text("fault"))
    bench.type("brief-outputs.1.frequency", "45k")
    bench.type("brief-outputs.1.voltage", "60")
    bench.type("brief-outputs.1.power.continuous", "150")
    bench.until(lambda: asked(bench, "outputs.1.power") == {"continuous": 150, "surge": 150, "surge_time": 5, "profile": ""})
    bench.until(lambda: "60 V 45 kHz" in bench.text("power-path"))
    bench.browser.execute_script("arguments[0].click()", bench.until(lambda: bench.all("brief-outputs.1.loads-fan"))[0])
    bench.until(lambda: "stands still" in bench.text("finding-hf_socket.wave"))
    bench.choose("hf_socket")
    bench.until(lambda: "nothing at the other" in bench.text("chart-hf_over_source"))
    assert "true RMS across the load" in bench.text("chart-hf_wave")
    bench.pin("hf_socket.turns", "12")
    bench.until(lambda: bench.all("finding-hf_socket.voltage"))
    looked_at_elsewhere(bench, "DC")
    bench.click("brief-outputs.1.kind-HF")
    bench.gone("block-hf_socket")
    bench.kept()
    assert len(asked(bench, "outputs")) == 1
    assert "hf_socket.turns" in bench.text("finding-pins.waiting")


def test_a_low_voltage_beside_the_socket(bench):
    """Five volts of the battery for a computer: put there, asked, pinned, looked at elsewhere, taken away."""
    bench.click("show-brief")
    bench.click("brief-outputs.1.kind-auxiliary DC")
    bench.one("block-auxiliary_output")
    bench.type("brief-outputs.1.power.continuous", "120")
    bench.until(lambda: "5 V are 24 A; allowed up to 20 A, here 100 W" in bench.text("fault"))
    bench.type("brief-outputs.1.voltage", "12")
    bench.type("brief-outputs.1.power.continuous", "120")
    bench.until(lambda: "12 V 10.0 A" in bench.text("power-path"))
    bench.until(lambda: "12 V DC auxiliary, 120 W" in bench.text("show-brief"))
    bench.click("brief-outputs.2.kind-HF")
    bench.one("block-hf_socket")
    bench.until(lambda: [o["kind"] for o in asked(bench, "outputs")] == ["AC", "HF", "auxiliary DC"])
    bench.click("brief-outputs.1.kind-HF")
    bench.gone("block-hf_socket")
    bench.type("brief-outputs.1.voltage", "24")
    bench.until(lambda: "the source falls to" in bench.text("finding-route.auxiliary"))
    bench.type("brief-outputs.1.voltage", "12")
    bench.choose("auxiliary_output")
    bench.until(lambda: "current limit" in bench.text("chart-auxiliary-choke"))
    assert "diode" in bench.text("chart-auxiliary-losses")
    bench.pin("auxiliary_output.guard", "nothing")
    bench.until(lambda: bench.all("finding-auxiliary_output.guard"))
    looked_at_elsewhere(bench, "sine")
    bench.click("brief-outputs.1.kind-auxiliary DC")
    bench.gone("block-auxiliary_output")
    bench.kept()
    assert len(asked(bench, "outputs")) == 1
    assert "auxiliary_output.guard" in bench.text("finding-pins.waiting")
