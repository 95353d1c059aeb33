"""The comparison over HTTP, and a design that remembers its route and why."""

import asyncio
import json

import pytest

from rhombos.core.benches.compare import row_of
from rhombos.core.design.rules import PRESETS
from rhombos.desk import routes
from rhombos.desk.crew import Busy

ROUTE = {"name": "By another route", "brief": {"output": {"waveform": "modified"}}, "route": "iron push-pull"}


def test_routes_are_compared_and_ranked(client):
    answer = client.post("/api/compare", json={"brief": {}})
    assert answer.status_code == 200
    body = answer.json()
    assert len(body["comparison"]["rows"]) == 13
    assert body["comparison"]["rows"][0]["scores"].keys() == {q["name"] for q in body["qualities"]}
    assert len(body["picture"]["dots"]) == sum(not r["out"] for r in body["comparison"]["rows"])


def growth(client, asked):
    """Every line of the comparison as it grows."""
    with client.stream("POST", "/api/compare/rows", json=asked) as answer:
        assert answer.status_code == 200
        assert answer.headers["content-type"].startswith("application/x-ndjson")
        return [json.loads(line) for line in answer.iter_lines()]


def test_rows_come_as_they_are_sized_and_the_last_is_the_whole(client):
    asked = {"brief": {"power": {"continuous": "455 W", "surge": "700 W"}}}
    grown = growth(client, asked)
    counts = [(len(g["comparison"]["rows"]), g["to_come"]) for g in grown]
    assert all(rows + to_come == 13 and rows for rows, to_come in counts)
    assert counts == sorted(set(counts))
    assert counts[-1] == (13, 0)
    assert len(counts) > 3, "they came together"
    assert grown[-1] == client.post("/api/compare", json=asked).json()
    assert len(growth(client, asked | {"weights": {"mass": 10}})) == 1, "what is at hand comes at once"


def test_rows_that_come_while_the_last_are_sent_are_told_too(client, shelf, refuge, monkeypatch):
    """A slow reader: every other row is there before it asks for more."""
    service = client.app.state.service

    async def slowly() -> list[tuple[int, int]]:
        first, rest, over = asyncio.Event(), asyncio.Event(), asyncio.Event()
        begun = done = 0

        async def answered(*given):
            nonlocal begun, done
            begun += 1
            await (first if begun == 1 else rest).wait()
            done += 1
            if done == 13:
                over.set()
            return made.model_dump_json()

        made = row_of(refuge, "push-pull link", "sine", shelf, PRESETS["usual"])
        monkeypatch.setattr(service, "answered", answered)
        first.set()
        told = []
        async for rows, to_come in service.rows(refuge, PRESETS["usual"]):
            told.append((len(rows), to_come))
            rest.set()
            await over.wait()
            await asyncio.sleep(0)
        return told

    assert asyncio.run(slowly()) == [(1, 12), (13, 0)]


def test_a_comparison_that_breaks_off_ends_before_it_is_whole(client, monkeypatch):
    crew = client.app.state.service.crew
    working, begun, over, there = crew.do, 0, 0, asyncio.Event()

    async def at_last_full(*given, **named):
        nonlocal begun, over
        if routes.compared not in given:  # what else the application has done meanwhile
            return await working(*given, **named)
        begun += 1
        if begun == 13:
            await there.wait()
            raise Busy("120 pieces of work wait already")
        try:
            return await working(*given, **named)
        finally:
            over += 1
            if over == 4:
                there.set()

    monkeypatch.setattr(crew, "do", at_last_full)
    grown = growth(client, {"brief": {"power": {"continuous": "456 W", "surge": "700 W"}}})
    assert begun == 13
    assert grown
    assert all(g["to_come"] > 0 for g in grown)


def test_a_comparison_that_cannot_begin_is_refused_as_any(client, monkeypatch):
    async def full(*_, **__):
        raise Busy("120 pieces of work wait already")

    assert client.post("/api/compare/rows", json={"brief": {"power": {"continuous": 9e9}}}).status_code == 422
    monkeypatch.setattr(client.app.state.service.crew, "do", full)
    answer = client.post("/api/compare/rows", json={"brief": {"power": {"continuous": "457 W", "surge": "700 W"}}})
    assert answer.status_code == 503
    assert answer.headers["retry-after"] == "2"


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
