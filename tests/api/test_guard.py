"""What every request passes, and what happens when the database is away."""

import pytest
from starlette.testclient import TestClient

from rhombos.api.app import create_app
from rhombos.launch.database import free_port


def test_only_loopback_names_are_answered(client):
    answer = client.get("/api/rules", headers={"Host": "evil.example"})
    assert answer.status_code == 400
    assert answer.json()["title"] == "Unknown host"
    for host in ("127.0.0.1:8080", "localhost:1234", "[::1]:8080"):
        assert client.get("/api/rules", headers={"Host": host}).status_code == 200


def test_foreign_origins_are_refused(client):
    answer = client.post("/api/solve", json={"brief": {}}, headers={"Origin": "http://evil.example"})
    assert answer.status_code == 403
    assert client.post("/api/solve", json={"brief": {}}, headers={"Origin": "http://127.0.0.1"}).status_code == 200


def test_large_bodies_are_refused(client):
    for path, kind, most in (("/api/shelf/wire/csv", "text/csv", 4_000_000), ("/api/solve", "application/json", 256_000)):
        answer = client.post(path, content=b"x" * (most + 1), headers={"Content-Type": kind})
        assert answer.status_code == 413
        assert f"at most {most // 1000} kB" in answer.json()["detail"]
        assert client.post(path, content=b"x" * most, headers={"Content-Type": kind}).status_code == 422
    for length in ("²", "9" * 400, "-1"):
        assert client.post("/api/solve", content=b"{}", headers={"Content-Length": length.encode()}).status_code == 413


@pytest.mark.parametrize(
    "host", ["[", "a@127.0.0.1", "127.0.0.1/x", "127.0.0.1:port", "127.0.0.1:80:80", "", "[::1", "1２7.0.0.1"]
)
def test_a_host_that_is_no_name_of_ours_is_refused(client, host):
    answer = client.get("/api/rules", headers={"Host": host.encode()})
    assert answer.status_code == 400
    assert answer.headers["content-type"] == "application/problem+json"
    assert "content-security-policy" in answer.headers


@pytest.mark.parametrize("origin", ["http://[", "null", "http://127.0.0.1:1", "file://", "http://127.0.0.1@evil.example"])
def test_an_origin_that_is_not_ours_is_refused(client, origin):
    answer = client.post("/api/solve", json={"brief": {}}, headers={"Origin": origin})
    assert answer.status_code == 403
    assert "content-security-policy" in answer.headers


def test_a_fault_of_the_program_is_told_without_a_traceback(database, crew, tmp_path, monkeypatch):
    app = create_app(database.url, built=tmp_path / "none", crew=crew)
    monkeypatch.setattr(type(app.state.service), "shelf", property(lambda self: 1 / 0))
    answer = TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False).get("/api/shelf")
    assert answer.status_code == 500
    assert answer.json()["title"] == "A fault of Rhombos"
    assert "Traceback" not in answer.text
    assert "content-security-policy" in answer.headers


def test_a_body_without_length_is_refused(client):
    def chunks():
        yield b"{}"

    assert client.post("/api/solve", content=chunks()).status_code == 411


def test_pages_forbid_what_they_do_not_need(client):
    headers = client.get("/api/rules").headers
    assert "script-src 'self'" in headers["content-security-policy"]
    assert "unsafe-inline" not in headers["content-security-policy"].split("script-src")[1].split(";")[0]
    assert headers["x-content-type-options"] == "nosniff"


def test_the_interface_is_served_for_every_page(database, crew, tmp_path):
    (tmp_path / "assets").mkdir()
    (tmp_path / "index.html").write_text("<title>Rhombos</title>")
    (tmp_path / "mark.svg").write_text("<svg/>")
    with TestClient(create_app(database.url, built=tmp_path, crew=crew), base_url="http://127.0.0.1") as client:
        assert "Rhombos" in client.get("/design/anything").text
        assert client.get("/mark.svg").text == "<svg/>"
        assert client.get("/%2e%2e/%2e%2e/etc/passwd").text.startswith("<title>")
        assert client.get("/api/nothing").status_code == 404
        for odd in ("/%00", "/" + 300 * "x", "/" + 3000 * "x/"):
            assert client.get(odd).text.startswith("<title>")


@pytest.fixture
def without_database(crew, tmp_path):
    app = create_app(f"mysql+pymysql://rhombos:x@127.0.0.1:{free_port()}/rhombos", built=tmp_path / "none", crew=crew)
    with TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False) as client:
        yield client


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("get", "/api/designs", None),
        ("post", "/api/designs", {"name": "x"}),
        ("post", "/api/solve", {"brief": {}}),
        ("get", "/api/shelf", None),
    ],
)
def test_an_absent_database_is_a_503_that_says_so(without_database, method, path, body):
    answer = without_database.request(method, path, json=body)
    assert answer.status_code == 503
    assert answer.json()["title"] == "The database is away"


def test_health_tells_of_the_database(client, without_database):
    assert client.get("/api/health").json() == {"database": "up"}
    away = without_database.get("/api/health")
    assert (away.status_code, away.json()["title"]) == (503, "The database is away")


def test_what_needs_no_database_works_without(without_database):
    assert without_database.get("/api/book/peak_flux").status_code == 200
    assert without_database.get("/api/rules").status_code == 200


def test_the_openapi_document_describes_every_route(client):
    document = client.get("/api/openapi.json").json()
    assert set(document["paths"]) >= {"/api/designs", "/api/solve", "/api/waves", "/api/shelf/{kind}", "/api/book/{key}/work"}
    assert all(op.get("summary") for path in document["paths"].values() for op in path.values())
