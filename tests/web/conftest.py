"""The real interface: its own database and server, and headless Chromium."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.webdriver.chrome.service import Service

from rhombos.demo.load import load_demo
from rhombos.launch.database import PrivateDatabase, free_port
from rhombos.launch.tools import server_command
from rhombos.store.database import Database
from tests.web.pages import Bench

ROOT = Path(__file__).parents[2]
FLAGS = (
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
    "--force-device-scale-factor=1",
)


class Server:
    """A running Rhombos whose database can be stopped and started again."""

    def __init__(self, database: PrivateDatabase, address: str) -> None:
        self.database, self.address = database, address


@contextlib.contextmanager
def serving(database: PrivateDatabase, log_file: Path, **more: str) -> Iterator[Server]:
    """A server on a database, with `more` in its environment, ended at the end."""
    port = free_port()
    log = log_file.open("w")
    process = subprocess.Popen(
        server_command(Path(sys.executable), port),
        env=os.environ | {"RHOMBOS_DATABASE_URL": database.url} | more,
        cwd=ROOT,
        stdout=log,
        stderr=log,
    )
    address = f"http://127.0.0.1:{port}"
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        assert process.poll() is None, "the server stopped at once"
        with contextlib.suppress(OSError), urllib.request.urlopen(f"{address}/api/health", timeout=5):
            break
        time.sleep(0.05)
    # the first sizing compiles the book: on a busy machine that takes longer than a page is given
    warm = urllib.request.Request(f"{address}/api/solve", b'{"brief": {}}', {"Content-Type": "application/json"})
    urllib.request.urlopen(warm, timeout=180).close()
    yield Server(database, address)
    process.terminate()
    process.wait(timeout=20)
    log.close()


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    database = PrivateDatabase(tmp_path_factory.mktemp("web-database"))
    database.start()
    store = Database(database.url)
    store.migrate()
    with store.session() as session:
        load_demo(session)
    store.engine.dispose()
    with serving(database, tmp_path_factory.getbasetemp() / "server.log") as running:
        yield running
    database.close()


@contextlib.contextmanager
def browser_of(profile: Path, *more: str) -> Iterator[webdriver.Chrome]:
    """A browser with an empty profile and `more` flags, closed at the end."""
    options = webdriver.ChromeOptions()
    options.binary_location = "/usr/bin/chromium"
    for flag in (*FLAGS, *more, f"--user-data-dir={profile}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    browser = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    try:
        browser.set_script_timeout(180)  # what judges a whole page takes its time on a busy machine
        size(browser, 1280, 800)
        yield browser
    finally:
        browser.quit()


@pytest.fixture
def own_browser(tmp_path_factory: pytest.TempPathFactory) -> Iterator[webdriver.Chrome]:
    """A browser of the test's own."""
    with browser_of(tmp_path_factory.mktemp("profile")) as browser:
        yield browser


def size(browser: webdriver.Chrome, width: int, height: int) -> None:
    """Set the size of the page itself."""
    browser.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride", {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
    )


@pytest.fixture(scope="module")
def shared_browser(tmp_path_factory: pytest.TempPathFactory) -> Iterator[webdriver.Chrome]:
    """One for the tests of a file: over a whole run it would grow to more than a gigabyte, and slow."""
    with browser_of(tmp_path_factory.mktemp("profile")) as browser:
        yield browser


@pytest.fixture
def bench(shared_browser: webdriver.Chrome, server: Server) -> Iterator[Bench]:
    """A fresh copy of the refuge design, open on the bench, with a clean store of the browser."""
    size(shared_browser, 1280, 800)
    found = Bench(shared_browser, server.address)
    found.visit("/api/health")  # a page of this address, and the lightest
    shared_browser.execute_script("localStorage.clear()")
    found.open(found.copy_of("b6a1f2d0-0000-4000-8000-000000000001"))
    yield found
    severe = [
        e for e in shared_browser.get_log("browser") if e["level"] == "SEVERE" and "Failed to load resource" not in e["message"]
    ]
    assert severe == []
