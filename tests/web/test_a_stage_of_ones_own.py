"""A stage from a folder of one's own, named in the server's environment: its sheet opens like any other."""

from __future__ import annotations

import urllib.error
from collections.abc import Iterator

import pytest
from selenium import webdriver
from selenium.webdriver.common.by import By

from tests.core.test_a_stage_of_ones_own import KEPT_WARM
from tests.web.conftest import Server, serving
from tests.web.pages import Bench

DESIGN = {
    "name": "Radio shelf, from its battery",
    "brief": KEPT_WARM.model_dump(mode="json"),
    "route": "step-down",
}


@pytest.fixture(scope="module")
def further(server: Server, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    log = tmp_path_factory.getbasetemp() / "further.log"
    with serving(server.database, log, RHOMBOS_STAGES="tests.stages.step_down") as running:
        yield running


@pytest.fixture
def shelved(own_browser: webdriver.Chrome, further: Server) -> Bench:
    bench = Bench(own_browser, further.address)
    bench.id = bench.ask("POST", "/api/designs", DESIGN)["id"]
    bench.open(bench.id, "step_down")
    return bench


def drawn(bench: Bench) -> str:
    """What is written on the circuit of the sheet."""
    return bench.browser.find_element(By.CSS_SELECTOR, "svg[aria-label^='circuit of the']").text


def test_its_sheet_opens_with_its_circuit_and_its_picture(shelved: Bench):
    path = [e.get_attribute("data-testid") for e in shelved.one("power-path").find_elements(By.CSS_SELECTOR, "[data-testid]")]
    assert path == ["block-source", "block-input_stage", "block-step_down", "block-load"]
    shelved.until(lambda: shelved.value("step_down.inductance") in drawn(shelved), "no circuit")
    assert all(name in drawn(shelved) for name in ("Q2001", "D2001", "L2001", "C2001"))
    shelved.one("chart-step-down-losses")
    shelved.pin("step_down.inductance", "100u")
    shelved.kept()
    shelved.until(lambda: "100 µH" in drawn(shelved))
    assert shelved.stored()["design"]["pins"] == {"step_down.inductance": "100u"}


def test_it_is_among_the_routes_and_where_it_is_not_it_is_refused_in_words(shelved: Bench, server: Server):
    shelved.visit(f"/design/{shelved.id}?view=routes")
    shelved.until(lambda: "Step-down, no barrier" in shelved.one("routes").text, "not compared")
    assert {r["key"] for r in shelved.ask("GET", "/api/manifest")["routes"]} >= {"step-down", "push-pull link"}
    elsewhere = Bench(shelved.browser, server.address)
    with pytest.raises(urllib.error.HTTPError) as refused:
        elsewhere.ask("POST", "/api/designs", DESIGN)
    assert refused.value.code == 422
    assert "there is no route ‘step-down’; choose one of push-pull link" in refused.value.read().decode()
