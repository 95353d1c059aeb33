"""The comparison over HTTP, and a design that remembers its route and why."""

import pytest

ROUTE = {"name": "By another route", "brief": {"output": {"waveform": "modified"}}, "route": "iron push-pull"}


def test_routes_are_compared_and_ranked(client):
    answer = client.post("/api/compare", json={"brief": {}})
    assert answer.status_code == 200
    body = answer.json()
    assert len(body["comparison"]["rows"]) == 13
    assert body["comparison"]["rows"][0]["scores"].keys() == {q["name"] for q in body["qualities"]}
    assert len(body["picture"]["dots"]) == sum(not r["out"] for r in body["comparison"]["rows"])


def test_weights_change_the_order_and_not_the_figures(client):
    plain = client.post("/api/compare", json={"brief": {}}).json()["comparison"]["rows"]
    light = client.post(
        "/api/compare",
        json={"brief": {}, "weights": {"mass": 10, "efficiency": 0, "idle": 0, "cost": 0, "wave": 0, "ease": 0, "quiet": 0}},
    ).json()["comparison"]["rows"]
    assert [r["title"] for r in plain] != [r["title"] for r in light]
    assert {r["title"]: r["mass"] for r in plain} == {r["title"]: r["mass"] for r in light}
    assert light[0]["mass"] == min(r["mass"] for r in light if not r["out"])


@pytest.mark.parametrize(
    ("body", "told"),
    [
        ({"brief": {}, "weights": {"mass": 11}}, "weights.mass"),
        ({"brief": {}, "weights": {"beauty": 1}}, "beauty"),
        ({"brief": {"power": {"continuous": 9e9}}}, "outputs.0.power.continuous"),
        ({"brief": {}, "rules": "reckless"}, "rules"),
    ],
)
def test_a_bad_comparison_is_refused_by_name(client, body, told):
    answer = client.post("/api/compare", json=body)
    assert answer.status_code == 422
    assert told in answer.json()["detail"]


def test_a_design_keeps_its_route_and_the_decision_behind_it(client):
    decision = {
        "weights": {"mass": 3},
        "chosen": "this one",
        "rows": [{"title": "this one", "out": False, "score": 0.7, "texts": {"mass": "1 kg"}, "against": []}],
    }
    made = client.post("/api/designs", json=ROUTE | {"decision": decision})
    assert made.status_code == 201
    kept = client.get(f"/api/designs/{made.json()['id']}").json()["design"]
    assert kept["route"] == "iron push-pull"
    assert kept["decision"]["chosen"] == "this one"
    solved = client.post("/api/solve", json={k: kept[k] for k in ("brief", "pins", "rules", "route")}).json()["solution"]
    assert [b["key"] for b in solved["blocks"]] == [
        "source",
        "input_stage",
        "front_end",
        "iron_transformer",
        "load",
        "precharge",
        "protection",
        "heat",
        "isolation",
    ]


def test_a_wave_the_route_cannot_make_is_a_finding_and_no_fault(client):
    answer = client.post("/api/solve", json={"brief": {}, "route": "iron push-pull"})
    assert answer.status_code == 200
    assert [f["code"] for f in answer.json()["solution"]["findings"]] == ["route.waveform"]
    assert client.post("/api/charts/load", json={"brief": {}, "route": "iron push-pull"}).json() == []


def test_an_unknown_route_is_refused(client):
    answer = client.post("/api/solve", json={"brief": {}, "route": "teleport"})
    assert answer.status_code == 422
    assert "route" in answer.json()["detail"]


def test_carrier_waves_of_a_stepped_output_are_refused_with_a_reason(client):
    answer = client.post("/api/waves", json={"brief": {"output": {"waveform": "square"}}})
    assert answer.status_code == 422
    assert "square" in answer.json()["detail"]


@pytest.mark.parametrize("block", ["iron_transformer", "front_end", "load"])
def test_iron_routes_have_pictures(client, block):
    answer = client.post(f"/api/charts/{block}", json={"brief": {"output": {"waveform": "square"}}, "route": "iron push-pull"})
    assert answer.status_code == 200
    assert len(answer.json()) >= 2


def test_a_design_is_rated_by_its_weakest_stage(client):
    answer = client.post("/api/rating", json={"brief": {}})
    assert answer.status_code == 200
    assert answer.json()["power"] > 500
    assert "house limit" in answer.json()["text"]
    assert client.post("/api/rating", json={"brief": {}, "route": "iron push-pull"}).status_code == 422
