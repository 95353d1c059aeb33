"""Another design's DC socket as a rail: listed, at a revision, and what gives none."""

from tests.api.conftest import save

SUPPLY = {"outputs": [{"kind": "DC", "voltage": 340, "power": {"continuous": 300, "surge": 400}}]}


def test_a_dc_design_is_offered_as_a_rail_at_each_revision(client, made):
    supply = client.post("/api/designs", json={"name": "First board", "brief": SUPPLY}).json()
    listed = {line["id"]: line for line in client.get("/api/rails").json()}
    assert listed[supply["id"]] == {"id": supply["id"], "name": "First board", "revision": 1, "described": "340 V DC"}
    assert made["id"] not in listed
    first = client.get(f"/api/rails/{supply['id']}").json()
    assert first["of"] == {"design": supply["id"], "revision": 1, "name": "First board"}
    assert abs(first["nominal"] - 340) < 1
    higher = SUPPLY["outputs"][0] | {"voltage": 360}
    assert save(client, supply["id"], supply["design"] | {"brief": {"outputs": [higher]}}, 1).status_code == 200
    latest = client.get(f"/api/rails/{supply['id']}").json()
    assert latest["of"]["revision"] == 2
    assert latest["nominal"] > 355
    assert client.get(f"/api/rails/{supply['id']}?revision=1").json() == first


def test_a_rail_of_a_design_is_kept_with_the_design_that_it_feeds(client, made):
    supply = client.post("/api/designs", json={"name": "First board", "brief": SUPPLY}).json()
    rail = client.get(f"/api/rails/{supply['id']}").json()
    fed = made["design"]["brief"] | {"sources": [rail]}
    assert save(client, made["id"], made["design"] | {"brief": fed}, 1).status_code == 200
    assert client.delete(f"/api/designs/{supply['id']}").status_code == 204
    kept = client.get(f"/api/designs/{made['id']}").json()["design"]["brief"]["sources"][0]
    assert kept["of"]["name"] == "First board"
    assert client.get(f"/api/designs/{supply['id']}").json()["deleted"] is not None
    assert supply["id"] not in {line["id"] for line in client.get("/api/rails").json()}


def test_what_gives_no_rail_is_told(client, made):
    answer = client.get(f"/api/rails/{made['id']}")
    assert answer.status_code == 404
    assert "only a DC socket feeds another design" in answer.json()["detail"]
    assert client.get("/api/rails/none").status_code == 404
    assert client.get(f"/api/rails/{made['id']}?revision=7").status_code == 404
    assert client.get(f"/api/rails/{made['id']}?revision=0").status_code == 422
