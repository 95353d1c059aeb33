"""What tests share: the house shelf, the refuge brief, a private database, a running server, a browser."""

from __future__ import annotations

import gc
import json
import os
from collections.abc import Iterator
from pathlib import Path

import pytest

from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import PRESETS
from rhombos.core.frame.report import Solution
from rhombos.core.frame.solve import Worked, explain, work_out
from rhombos.core.parts import Shelf
from rhombos.demo import house_shelf
from rhombos.launch.database import PrivateDatabase
from rhombos.store.database import Database

ROOT = Path(__file__).parents[1]
os.environ.setdefault("HYPOTHESIS_STORAGE_DIRECTORY", str(ROOT / ".rhombos" / "hypothesis"))


TOGETHER = {"web": "browser", "api": "database", "store": "database", "launch": "database"}
"""Folders whose tests share a server, a database or a browser, and so run in one process."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        folder = item.path.parent.name
        if folder in TOGETHER:
            item.add_marker(pytest.mark.xdist_group(TOGETHER[folder]))
    items.sort(key=lambda item: item.path.parent.name not in TOGETHER)  # what runs longest in one process begins first


def pytest_collection_finish(session: pytest.Session) -> None:
    """Thousands of tests are there to stay: the collector of garbage need not look at them again and again."""
    gc.collect()
    gc.freeze()


@pytest.fixture(scope="session")
def shelf() -> Shelf:
    return house_shelf()


@pytest.fixture(scope="session")
def refuge() -> Brief:
    return Brief.model_validate(json.loads((ROOT / "examples" / "refuge.json").read_text())["brief"])


@pytest.fixture(scope="session")
def worked(refuge: Brief, shelf: Shelf) -> Worked:
    return work_out(refuge, {}, shelf, PRESETS["usual"])


@pytest.fixture(scope="session")
def plain(refuge: Brief) -> Brief:
    """The refuge with loads that take their current as a sine."""
    return refuge.but(output={"loads": ("lamp",)})


@pytest.fixture(scope="session")
def plainly(plain: Brief, shelf: Shelf) -> Worked:
    return work_out(plain, {}, shelf, PRESETS["usual"])


@pytest.fixture(scope="session")
def solution(worked: Worked) -> Solution:
    return explain(worked, {})


@pytest.fixture(scope="session")
def database_server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivateDatabase]:
    """A MariaDB of the tests' own, gone at the end."""
    server = PrivateDatabase(tmp_path_factory.mktemp("mariadb"))
    server.start()
    yield server
    server.close()


@pytest.fixture(scope="session")
def database(database_server: PrivateDatabase) -> Iterator[Database]:
    """Migrated, with house parts and demo designs."""
    from rhombos.demo.load import load_demo

    found = Database(database_server.url)
    found.migrate()
    with found.session() as session:
        load_demo(session)
    yield found
    found.engine.dispose()
