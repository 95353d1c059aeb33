"""The pages as a person handles them. Every wait is for a state, none for a time."""

from __future__ import annotations

import json
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver import ActionChains, Chrome, Keys
from selenium.webdriver.common.actions.wheel_input import ScrollOrigin
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select, WebDriverWait

PATIENCE = 90
"""How long a state is waited for, s: a busy machine compares thirteen routes in half a minute."""


class Page:
    """A page of Rhombos."""

    def __init__(self, browser: Chrome, address: str) -> None:
        self.browser, self.address = browser, address

    def visit(self, path: str) -> None:
        """Open an address."""
        self.browser.get(self.address + path)

    def until(self, state: Any, message: str = "") -> Any:
        """Wait for a state; what moves under the hand is looked at again."""
        waiting = WebDriverWait(
            self.browser, PATIENCE, poll_frequency=0.03, ignored_exceptions=[StaleElementReferenceException]
        )
        return waiting.until(lambda _: state(), message)

    def all(self, test_id: str) -> list[WebElement]:
        """Every element of a test id, now."""
        return self.browser.find_elements(By.CSS_SELECTOR, f'[data-testid="{test_id}"]')

    def one(self, test_id: str) -> WebElement:
        """The element of a test id, when it is there and can be seen."""
        return self.until(lambda: next((e for e in self.all(test_id) if e.is_displayed()), None), f"no {test_id}")

    def gone(self, test_id: str) -> None:
        """Wait until there is no such element."""
        self.until(lambda: not self.all(test_id), f"{test_id} stays")

    def text(self, test_id: str) -> str:
        """Its text."""
        return self.until(lambda: self.one(test_id).text, f"{test_id} is empty")

    def click(self, test_id: str) -> None:
        """Click it, wherever it lies, once it can be; the page may draw it again while the hand moves there."""

        def clicked() -> bool:
            element = self.one(test_id)
            if not element.is_enabled():
                return False
            self.browser.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
            ActionChains(self.browser).move_to_element(element).click().perform()
            return True

        self.until(clicked, f"{test_id} is out of reach")

    def click_across(self, test_id: str, across: float) -> None:
        """Click a picture at a share of its width and half its height."""
        picture = self.one(test_id)
        ActionChains(self.browser).move_to_element_with_offset(
            picture, int((across - 0.5) * picture.size["width"]), 0
        ).click().perform()

    def turn_wheel(self, test_id: str, clicks: int) -> None:
        """Turn the wheel over the middle of an element, up (negative) or down, as one event."""
        origin = ScrollOrigin.from_element(self.one(test_id))
        ActionChains(self.browser).scroll_from_origin(origin, 0, 40 * clicks).perform()

    def select(self, test_id: str, name: str) -> None:
        """Choose from a list."""
        Select(self.one(test_id)).select_by_value(name)

    def type(self, test_id: str, text: str, *, enter: bool = True) -> None:
        """Put a text in place of what a field holds."""
        field = self.one(test_id)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys((text or Keys.DELETE) + (Keys.ENTER if enter else ""))

    def keys(self, *keys: str) -> None:
        """Press keys on the page, not in a field."""
        self.browser.execute_script("document.activeElement && document.activeElement.blur()")
        chain = ActionChains(self.browser)
        for key in keys[:-1]:
            chain = chain.key_down(key)
        chain = chain.send_keys(keys[-1])
        for key in reversed(keys[:-1]):
            chain = chain.key_up(key)
        chain.perform()

    @contextmanager
    def slow(self, latency: int) -> Iterator[None]:
        """Every answer comes so many milliseconds later."""
        self.browser.set_network_conditions(latency=latency, throughput=10_000_000)
        yield
        self.browser.delete_network_conditions()

    def download_to(self, folder: Path) -> None:
        """Where the next files go."""
        self.browser.execute_cdp_cmd("Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(folder)})

    def ask(self, method: str, path: str, body: Any = None, headers: dict[str, str] | None = None) -> Any:
        """The API itself, beside the page."""
        request = urllib.request.Request(
            self.address + path,
            json.dumps(body).encode() if body is not None else None,
            {"Content-Type": "application/json", **(headers or {})},
            method=method,
        )
        with urllib.request.urlopen(request, timeout=PATIENCE) as answer:
            content = answer.read()
        return json.loads(content) if content else None

    def copy_of(self, identity: str) -> str:
        """A new design like another one. Returns: its identity."""
        return self.ask("POST", "/api/designs", self.ask("GET", f"/api/designs/{identity}")["design"])["id"]


class Bench(Page):
    """The bench of one design."""

    id = ""

    def open(self, identity: str, block: str = "front_end") -> None:
        """Open a design at a block."""
        self.id = identity
        self.visit(f"/design/{identity}?block={block}")
        self.one("power-path")

    def choose(self, block: str) -> None:
        """Go to a block by the power path."""
        self.click(f"block-{block}")
        self.until(lambda: f"block={block}" in self.browser.current_url)

    def compared(self) -> None:
        """Wait for the last row of a comparison: until then rows still push each other from under the hand."""
        self.until(lambda: self.one("routes").get_attribute("data-fresh") == "true", "routes still come")

    def value(self, address: str) -> str:
        """A figure's value as shown."""
        return self.text(f"value-{address}")

    def status(self, address: str) -> str:
        """Whether a figure is proposed, pinned or a result."""
        return self.one(f"figure-{address}").get_attribute("data-status")

    def pin(self, address: str, text: str) -> None:
        """Type a value into a figure."""
        self.click(f"value-{address}")
        self.type(f"input-{address}", text)

    def brief(self, address: str, text: str) -> None:
        """Type a value into the brief."""
        if not self.all("brief-sheet"):
            self.click("show-brief")
        self.type(f"brief-{address}", text)

    def kept(self) -> None:
        """Wait until the server has everything."""
        self.until(lambda: self.one("kept").get_attribute("data-state") == "kept", "not kept")

    def state(self) -> str:
        """kept, pending, saving, waiting or conflict."""
        return self.one("kept").get_attribute("data-state")

    def stored(self) -> dict[str, Any]:
        """The design as the server has it."""
        return self.ask("GET", f"/api/designs/{self.id}")

    def findings(self) -> set[str]:
        """The codes of the findings shown."""
        found = self.browser.find_elements(By.CSS_SELECTOR, '[data-testid^="finding-"]')
        return {e.get_attribute("data-testid").removeprefix("finding-") for e in found} - {"count"}

    def options(self, table: str) -> list[str]:
        """The names of a magnetics table's options."""
        rows = self.one(f"options-{table}").find_elements(By.CSS_SELECTOR, "tbody tr")
        return [r.find_element(By.TAG_NAME, "td").text for r in rows]

    def value_of_here(self, table: str) -> str:
        """The option that the design has now."""
        here = self.one(f"options-{table}").find_element(By.CSS_SELECTOR, 'tbody tr[data-here="true"] td')
        return here.text

    def take(self, table: str, name: str) -> None:
        """Take one of a table's options."""
        button = self.one(f"option-{table}-{name}").find_element(By.TAG_NAME, "button")
        self.browser.execute_script("arguments[0].scrollIntoView({block: 'center'}); arguments[0].click()", button)


def asked(bench, address):
    """What is stored at an address of the brief."""
    found = bench.stored()["design"]["brief"]
    for name in address.split("."):
        found = found[int(name) if name.isdigit() else name]
    return found
