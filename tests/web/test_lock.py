"""A Rhombos behind an access key, from its launcher to the bench."""

import os
import subprocess
import sys

import pytest
from selenium.webdriver import Keys
from selenium.webdriver.common.by import By

from rhombos.launch.database import free_port
from tests.web.conftest import ROOT
from tests.web.pages import Page


@pytest.fixture
def locked(server):
    """Its address and its key, as the launcher prints them."""
    port = free_port()
    process = subprocess.Popen(
        [sys.executable, str(ROOT / "rhombos"), "demo", "--key"],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        env=os.environ | {"RHOMBOS_PORT": str(port), "RHOMBOS_DATABASE_URL": server.database.url},
    )
    said = []
    for line in process.stdout:
        said.append(line)
        if "access key is" in line:
            break
    yield f"http://127.0.0.1:{port}", said[-1].split()[-1]
    process.terminate()
    process.wait(timeout=30)


def test_the_key_is_asked_for_once(locked, own_browser):
    address, key = locked
    page = Page(own_browser, address)
    page.visit("/?shown=all")
    field = page.until(lambda: own_browser.find_element(By.ID, "key"))
    assert not page.all("new-design")
    field.send_keys("wrong", Keys.ENTER)
    page.until(lambda: "not the key" in own_browser.find_element(By.ID, "told").text)
    own_browser.find_element(By.ID, "key").send_keys(key, Keys.ENTER)
    page.one("new-design")
    assert own_browser.current_url == f"{address}/?shown=all"
    page.visit("/shelf")
    page.one("kind-mosfet")
    own_browser.delete_all_cookies()  # a month has gone by while the page stood open
    page.visit("/")
    page.until(lambda: own_browser.find_element(By.ID, "key"))
