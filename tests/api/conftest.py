"""The application in process, on the real database."""

import time

import pytest
from sqlalchemy import delete, select
from starlette.testclient import TestClient

from rhombos.api.app import create_app
from rhombos.desk.crew import Crew
from rhombos.store.models import DrawerRow

PATIENCE = 60
"""How long a database that is too busy is asked again, s."""


@pytest.fixture(scope="session")
def crew():
    found = Crew()
    yield found
    found.close()


@pytest.fixture
def client(database, crew, tmp_path):
    app = create_app(database.url, tmp_path / "none", crew)
    with TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False) as found:
        yield found
    app.state.service.database.engine.dispose()
    with database.session() as session:  # else whatever is sized after it takes what it left
        left = [row.designation for row in session.scalars(select(DrawerRow))]
        session.execute(delete(DrawerRow))
    assert not left, f"this test leaves {', '.join(left)} in the drawer"


@pytest.fixture
def made(client):
    """A design of the test's own."""
    return client.post(
        "/api/designs", json={"name": "Lantern", "brief": {"power": {"continuous": "300 W", "surge": "600 W"}}}
    ).json()


def withdrawn(client, path):
    """What a test left is gone for the tests after it, however busy the database is meanwhile."""
    end = time.monotonic() + PATIENCE
    while client.delete(path).status_code not in (204, 404):
        assert time.monotonic() < end, f"{path} stays"


def revisions(client, identity):
    """Its revisions' numbers, the newest first."""
    return [r["number"] for burst in client.get(f"/api/designs/{identity}/history").json() for r in burst["revisions"]]


def save(client, identity, design, revision):
    return client.put(f"/api/designs/{identity}", json=design, headers={"If-Match": f'"{revision}"'})
