"""Designs over HTTP: created, saved on top of a revision, archived, restored; faults are told."""

import threading

import pytest

from tests.api.conftest import revisions, save


def test_a_design_is_made_and_read_back(client, made):
    read = client.get(f"/api/designs/{made['id']}")
    assert read.status_code == 200
    assert read.headers["etag"] == '"1"'
    assert read.json()["design"] == made["design"]
    assert made["design"]["brief"]["outputs"][0]["power"]["continuous"] == 300
    assert made["asked"].startswith("25.6 V LiFePO4 → 230 V 50 Hz sine, 300 W")


def test_the_demo_designs_are_listed(client):
    names = {d["name"] for d in client.get("/api/designs").json()}
    assert {"Tarn refuge", "Tarn refuge, as first drawn", "Slipway workboat"} <= names


def test_a_save_is_a_new_revision_and_the_old_one_stays(client, made):
    changed = made["design"] | {"name": "Lantern, taller", "pins": {"front_end.frequency": 60e3}}
    saved = save(client, made["id"], changed, 1)
    assert saved.status_code == 200
    assert saved.json()["revision"] == 2
    first = client.get(f"/api/designs/{made['id']}/revisions/1").json()
    assert first["design"]["name"] == "Lantern"
    assert revisions(client, made["id"]) == [2, 1]


def test_saving_what_stands_makes_no_revision(client, made):
    assert save(client, made["id"], made["design"], 1).json()["revision"] == 1
    assert len(revisions(client, made["id"])) == 1


def test_a_save_on_an_old_revision_is_refused_with_what_stands(client, made):
    save(client, made["id"], made["design"] | {"name": "theirs"}, 1)
    refused = save(client, made["id"], made["design"] | {"name": "mine"}, 1)
    assert refused.status_code == 409
    body = refused.json()
    assert body["current"]["design"]["name"] == "theirs"
    assert body["current"]["revision"] == 2
    assert "keep yours on top" in body["detail"]
    assert save(client, made["id"], made["design"] | {"name": "mine"}, 2).json()["revision"] == 3


def test_of_many_saves_at_once_exactly_one_wins(client, made):
    results = []

    def attempt(n):
        results.append(save(client, made["id"], made["design"] | {"name": f"tab {n}"}, 1).status_code)

    threads = [threading.Thread(target=attempt, args=(n,)) for n in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(results) == [200] + [409] * 7
    assert client.get(f"/api/designs/{made['id']}").json()["revision"] == 2


def test_a_save_without_a_revision_is_asked_for_one(client, made):
    answer = client.put(f"/api/designs/{made['id']}", json=made["design"])
    assert answer.status_code == 428
    assert "If-Match" in answer.json()["detail"]


def test_put_away_and_restored(client, made):
    assert client.delete(f"/api/designs/{made['id']}").status_code == 204
    assert made["id"] not in {d["id"] for d in client.get("/api/designs").json()}
    assert made["id"] in {d["id"] for d in client.get("/api/designs?deleted=true").json()}
    assert client.post(f"/api/designs/{made['id']}/restore").json()["deleted"] is None
    assert made["id"] in {d["id"] for d in client.get("/api/designs").json()}


@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("get", "/api/designs/none"),
        ("delete", "/api/designs/none"),
        ("post", "/api/designs/none/restore"),
        ("get", "/api/designs/none/revisions"),
        ("get", "/api/nothing"),
    ],
)
def test_what_is_not_there_is_a_404_problem(client, method, path):
    answer = client.request(method, path, headers={"Content-Length": "0"})
    assert answer.status_code == 404
    assert answer.headers["content-type"] == "application/problem+json"
    assert answer.json()["title"] == "Not found"


def test_a_missing_revision_is_a_404(client, made):
    assert client.get(f"/api/designs/{made['id']}/revisions/9").status_code == 404


@pytest.mark.parametrize(
    ("design", "field", "told"),
    [
        ({"name": ""}, "name", "name"),
        ({"name": "x" * 81}, "name", "longer than the allowed 80"),
        (
            {"name": "x", "brief": {"output": {"voltage": 9}}},
            "brief.outputs.0.voltage",
            "9 V is below the allowed 10 V to 480 V; raise it",
        ),
        ({"name": "x", "brief": {"power": {"continuous": "1k2W"}}}, "brief.outputs.0.power.continuous", "mixes two notations"),
        ({"name": "x", "rules": "wild"}, "rules", "choose one of these"),
        ({"name": "x", "colour": "red"}, "colour", "not known here"),
    ],
)
def test_a_bad_design_is_a_422_naming_field_and_remedy(client, design, field, told):
    answer = client.post("/api/designs", json=design)
    assert answer.status_code == 422
    problem = answer.json()["problems"][0]
    assert problem["field"] == field
    assert told in problem["message"]


def test_what_is_not_json_is_told_so(client):
    answer = client.post("/api/designs", content=b"{name: x", headers={"Content-Type": "application/json"})
    assert answer.status_code == 422
    assert "not JSON" in answer.json()["detail"]
