"""``./rhombos demo`` from start to stop: it serves, keeps what was saved, and leaves nothing behind."""

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import psutil
import pytest
from benchmarks.kills import endure

from rhombos.cli import main
from rhombos.launch.database import free_port
from rhombos.launch.tools import Trouble
from rhombos.launch.watch import Watched, watch

ROOT = Path(__file__).parents[2]


class Demo:
    """A running demo on the tests' database."""

    def __init__(self, url: str) -> None:
        self.port = free_port()
        self.process = subprocess.Popen(
            [sys.executable, str(ROOT / "rhombos"), "demo"], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
            env=os.environ | {"RHOMBOS_PORT": str(self.port), "RHOMBOS_DATABASE_URL": url},
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_IGN))  # fmt: skip  # as a shell does in the background

    def said(self) -> str:
        """What it prints until it serves, or ends."""
        lines = []
        for line in self.process.stdout:
            lines.append(line)
            if "Rhombos is at" in line:
                break
        return "".join(lines)

    def get(self, path: str):
        with urllib.request.urlopen(f"http://127.0.0.1:{self.port}{path}", timeout=30) as answer:
            return answer.read()

    def stop(self, number: int = signal.SIGTERM) -> list[psutil.Process]:
        """Stop it. Returns: the children it had."""
        with contextlib.suppress(psutil.NoSuchProcess):
            children = psutil.Process(self.process.pid).children(recursive=True)
            self.process.send_signal(number)
            self.process.wait(timeout=30)
            return children
        return []


@pytest.fixture
def demo(database):
    found = Demo(database.url)
    yield found
    found.stop()


def gone(children: list[psutil.Process]) -> bool:
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline:
        if not any(c.is_running() and c.status() != psutil.STATUS_ZOMBIE for c in children):
            return True
        time.sleep(0.05)
    return False


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT, signal.SIGKILL])
def test_it_serves_and_stops_without_a_trace(demo, number):
    assert f"Rhombos is at http://127.0.0.1:{demo.port}" in demo.said()
    assert json.loads(demo.get("/api/health")) == {"database": "up"}
    page = demo.get("/").decode()
    assert "<title>Rhombos</title>" in page
    assert "http://" not in page
    assert "https://" not in page
    children = demo.stop(number)
    assert children
    assert gone(children)


def test_it_says_so_when_its_database_is_not_there():
    lost = Demo(f"mysql+pymysql://rhombos:x@127.0.0.1:{free_port()}/rhombos")
    said = lost.said()
    assert lost.process.wait(timeout=60) == 1
    assert "the database cannot be reached" in said
    assert "Traceback" not in said


@pytest.mark.parametrize(
    ("url", "told"),
    [
        ("postgresql://a:b@127.0.0.1/c", "‘postgresql’ is not a kind of database"),
        ("rubbish", "cannot be read"),
        ("mysql+pymysql://a:b@127.0.0.1:port/c", "cannot be read"),
        ("mysql+pymysql://127.0.0.1", "names no database"),
    ],
)
def test_a_url_of_no_mariadb_is_told_in_one_line(url, told, monkeypatch, capsys):
    monkeypatch.setenv("RHOMBOS_DATABASE_URL", url)
    assert main(["prepare"]) == 2
    said = capsys.readouterr().err
    assert told in said
    assert len(said.strip().splitlines()) == 1


def test_a_refused_url_ends_the_demo_in_one_line():
    refused = Demo("sqlite:///x.db")
    said = refused.said()
    assert refused.process.wait(timeout=60) == 1
    assert "‘sqlite’ is not a kind of database" in said
    assert len(said.strip().splitlines()) == 1


def test_a_wrong_password_is_told_apart_from_absence(database):
    refused = Demo(database.url.replace("//rhombos:", "//rhombos:not"))
    said = refused.said()
    assert refused.process.wait(timeout=60) == 1
    assert "does not let Rhombos in" in said


def test_a_killed_server_and_a_killed_database_run_again_and_no_edit_is_lost(tmp_path):
    found = endure(edits=40, kills=2, seed=7, folder=tmp_path / "data")
    assert found.kills == 2
    assert (found.lost, found.doubled) == ([], 0)
    assert [s.split(" ended ")[0] for s in found.said] == ["the server", "the database"]
    assert all("by SIGKILL; it runs again" in s for s in found.said)


def test_what_ends_again_and_again_is_given_up():
    ended = Watched("the server", lambda: subprocess.Popen([sys.executable, "-c", "raise SystemExit(3)"]))
    ended.start()
    with pytest.raises(Trouble, match="the server ended at once, 5 times in a row, the last time with code 3; given up"):
        watch([ended])


def test_what_cannot_start_again_says_why():
    def start():
        if started:
            raise Trouble("no room")
        started.append(1)
        return subprocess.Popen([sys.executable, "-c", ""])

    started = []
    ended = Watched("the database", start)
    ended.start()
    with pytest.raises(Trouble, match=r"the database ended at once, 5 times .* with: no room"):
        watch([ended])


def test_the_built_page_ships_its_fonts_and_scripts(demo):
    demo.said()
    page = demo.get("/").decode()
    script = page.split('src="')[1].split('"')[0]
    assert len(demo.get(script)) > 100_000
    style = page.split('rel="stylesheet"')[1].split('href="')[1].split('"')[0]
    text = demo.get(style).decode()
    assert "Atkinson Hyperlegible Next" in text
    assert "url(http" not in text
    assert "woff2" in text
