"""The access key: nothing is answered without it, and the cookie that stands for it is kept from scripts and other sites."""

import pytest
from starlette.testclient import TestClient

from rhombos.api.app import create_app

KEY = "0123456789abcdef0123456789abcdef"


@pytest.fixture
def locked(database, crew, tmp_path):
    (tmp_path / "assets").mkdir()
    (tmp_path / "index.html").write_text("the bench")
    app = create_app(database.url, tmp_path, crew, KEY)
    with TestClient(app, base_url="http://127.0.0.1", follow_redirects=False) as found:
        yield found
    app.state.service.database.engine.dispose()


def give(client, key=KEY, to="/design/x?block=load"):
    return client.post("/key", data={"key": key, "to": to}, headers={"Origin": "http://127.0.0.1"})


@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("GET", "/api/designs"),
        ("POST", "/api/solve"),
        ("GET", "/api/archive"),
        ("GET", "/assets/index.js"),
        ("GET", "/api/openapi.json"),
        ("DELETE", "/api/shelf/wire/x"),
    ],
)
def test_nothing_is_answered_without_the_key(locked, method, path):
    answer = locked.request(method, path, json={} if method == "POST" else None)
    assert answer.status_code == 401
    assert answer.headers["content-type"] == "application/problem+json"
    assert answer.json()["title"] == "Locked"


def test_a_page_asks_for_the_key_and_goes_on_to_where_it_was_asked(locked):
    asked = locked.get("/design/x?block=load")
    assert asked.status_code == 401
    assert 'value="/design/x?block=load"' in asked.text
    assert "the bench" not in asked.text
    assert "frame-ancestors 'none'" in asked.headers["content-security-policy"]
    admitted = give(locked)
    assert (admitted.status_code, admitted.headers["location"]) == (303, "/design/x?block=load")
    cookie = admitted.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=strict" in cookie
    assert KEY not in cookie
    assert locked.get("/design/x").text == "the bench"
    assert locked.get("/api/designs").status_code == 200


@pytest.mark.parametrize("wrong", ["", "0123", KEY[:-1] + "0", "é" * 40, "\ud800".encode("utf-8", "surrogatepass")])
def test_a_wrong_key_opens_nothing(locked, wrong):
    answer = give(locked, wrong)
    assert answer.status_code == 401
    assert "That is not the key" in answer.text
    assert "set-cookie" not in answer.headers
    assert locked.get("/api/designs").status_code == 401


def test_a_cookie_of_ones_own_making_opens_nothing(locked):
    for forged in ("1", KEY, "a" * 64, "é"):
        assert locked.get("/api/designs", headers={"Cookie": f"rhombos_key={forged}".encode()}).status_code == 401


@pytest.mark.parametrize("to", ["//evil.example", "https://evil.example", "/\\evil.example", "evil"])
def test_the_way_on_leads_nowhere_else(locked, to):
    assert give(locked, to=to).headers["location"] == "/"


def test_what_is_asked_for_is_shown_as_text(locked):
    assert "<script>" not in locked.get('/"><script>alert(1)</script>').text
    assert "<script>" not in give(locked, "wrong", '"><script>alert(1)</script>').text


def test_the_keeper_of_the_server_may_ask_whether_it_is_up(locked):
    assert locked.get("/api/health").status_code == 200


def test_without_a_key_everything_is_open(client):
    assert client.get("/api/designs").status_code == 200
    assert client.post("/key", data={"key": "x"}).status_code in (404, 405)
