"""Sizing, pictures and waves over HTTP."""

import csv
import io
import math

import pytest

BLOCKS = [
    "source",
    "input_stage",
    "front_end",
    "transformer",
    "rectifier",
    "dc_link",
    "h_bridge",
    "output_filter",
    "load",
    "controller",
    "front_drive",
    "bridge_drive",
    "precharge",
    "protection",
    "heat",
    "isolation",
]


def test_what_must_fit_beside_what_was_edited_follows_it(client):
    asked = {"brief": {"outputs": [{"power": {"continuous": "1.5 kW", "surge": "1.2 kW"}}]}}
    assert client.post("/api/solve", json=asked).status_code == 422
    solved = client.post("/api/solve", json=asked | {"edited": "outputs.0.power.continuous"}).json()
    assert solved["solution"]["brief"]["outputs"][0]["power"]["surge"] == 1500
    assert solved["moved"] == "Moved from 1.2 kW to 1.5 kW with the continuous power."
    again = client.post("/api/solve", json={"brief": solved["solution"]["brief"], "moved": "what a client says of it"}).json()
    assert again["moved"] == ""
    assert client.post("/api/solve", json=asked | {"edited": "outputs.0.power.surge"}).status_code == 422


def test_a_brief_is_solved_with_its_form(client):
    answer = client.post("/api/solve", json={"brief": {"power": {"continuous": "600 W", "surge": "1.2k"}}})
    assert answer.status_code == 200
    body = answer.json()
    assert [b["key"] for b in body["solution"]["blocks"]] == BLOCKS
    assert next(f for f in body["fields"] if f["address"] == "outputs.0.power.continuous")["text"] == "600 W"
    assert abs(body["solution"]["totals"]["balance"]) < 1e-3


def test_the_answer_is_the_cores_own(client, refuge, solution):
    answer = client.post("/api/solve", json={"brief": refuge.model_dump()}).json()["solution"]
    assert answer["build"] == solution.model_dump(mode="json")["build"]


def test_asking_twice_gives_the_same(client):
    ask = {"brief": {}, "pins": {"front_end.frequency": "60k"}}
    assert client.post("/api/solve", json=ask).json() == client.post("/api/solve", json=ask).json()


@pytest.mark.parametrize(
    ("ask", "field", "told"),
    [
        ({"brief": {"source": {"cells": 1}}}, "brief.sources.0.cells", "1 is below the allowed 2 to 200; raise it"),
        (
            {"brief": {}, "pins": {"front_end.frequency": "2M"}},
            "front_end.frequency",
            "2 MHz is above the allowed 5 kHz to 300 kHz",
        ),
        ({"brief": {}, "pins": {"nowhere.x": 1}}, "nowhere.x", "not a figure that can be pinned"),
        ({"pins": {}}, "brief", "brief is missing"),
        ({"brief": {"output": {"voltage": "nan"}}}, "brief.outputs.0.voltage", "not a number"),
    ],
)
def test_bad_input_names_field_value_and_range(client, ask, field, told):
    answer = client.post("/api/solve", json=ask)
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    problem = answer.json()["problems"][0]
    assert problem["field"] == field
    assert told in problem["message"]


@pytest.mark.parametrize(
    "brief",
    [
        {"source": {"cells": 3, "capacity": "1 Ah"}, "power": {"continuous": 3000, "surge": 9000}},
        {"source": {"resistance": "5"}},
        {"targets": {"ambient": 60}, "power": {"continuous": 3000, "surge": 9000, "power_factor": 0.5}},
    ],
)
def test_a_hopeless_brief_solves_to_findings(client, brief):
    answer = client.post("/api/solve", json={"brief": brief})
    assert answer.status_code == 200
    assert any(f["severity"] in ("stop", "fix") for f in answer.json()["solution"]["findings"])
    for block in BLOCKS:
        assert client.post(f"/api/charts/{block}", json={"brief": brief}).status_code == 200


@pytest.mark.parametrize("block", BLOCKS)
def test_every_block_has_its_pictures(client, block):
    drawn = client.post(f"/api/charts/{block}", json={"brief": {}}).json()
    assert len(drawn) == {
        "input_stage": 3,
        "front_end": 3,
        "h_bridge": 3,
        "front_drive": 1,
        "precharge": 5,
        "source": 4,
        "protection": 4,
        "isolation": 3,
    }.get(block, 2)
    assert all(c["title"] and (c["series"] or c["boxes"] or c["rungs"] or c["rows"]) for c in drawn)


def test_pictures_of_an_unknown_block_are_refused(client):
    answer = client.post("/api/charts/flywheel", json={"brief": {}})
    assert answer.status_code == 422
    assert "choose one of source, input_stage" in answer.json()["problems"][0]["message"]


def test_waves_come_with_edges_spectrum_and_readings(client):
    body = client.post("/api/waves", json={"brief": {}, "samples": 400, "harmonics": 50}).json()
    assert len(body["time"]) == len(body["voltage"]) == 400
    assert len(body["bridge_spectrum"]) == 50
    assert body["output"]["rms"] == pytest.approx(230, rel=0.01)
    assert body["bridge"]["thd"] > 0.4
    assert body["edge_times"][0] == 0
    assert all(math.isfinite(v) for v in body["inductor"])


def test_waves_refuse_too_many_samples(client):
    answer = client.post("/api/waves", json={"brief": {}, "samples": 10**9})
    assert answer.status_code == 422
    assert "50,000" in answer.text or "50 k" in answer.text or "50000" in answer.text


def test_house_rules_come_with_their_reasons(client):
    rules = client.get("/api/rules").json()
    assert [r["name"] for r in rules] == ["cautious", "usual", "frugal"]
    assert all(r["why"] for r in rules)


def test_the_book_is_served_and_worked(client):
    book = client.get("/api/book").json()
    assert len(book) >= 60
    flux = client.get("/api/book/peak_flux").json()
    assert flux["symbols"][0]["target"]
    work = client.post("/api/book/bleed_time/work", json={"values": {"R": "68k", "C": "470u", "V": 385, "V_safe": 60}}).json()
    assert work["text"] == "59.41 s"
    back = client.post("/api/book/bleed_time/work", json={"values": {"t": 60, "C": "470u", "V": 385, "V_safe": 60}}).json()
    assert back["found"] == "R"


@pytest.mark.parametrize(
    ("key", "values", "status", "told"),
    [
        ("nothing", {}, 404, "no relation"),
        ("bleed_time", {"R": "68k"}, 422, "missing are"),
        ("bleed_time", {"R": "red", "C": "1u", "V": 1, "V_safe": 1}, 422, "R: ‘red’ is not a number"),
        ("bleed_time", {"R": 1e20, "C": "1u", "V": 100, "V_safe": 60}, 422, "outside"),
    ],
)
def test_a_relation_that_cannot_be_worked_says_why(client, key, values, status, told):
    answer = client.post(f"/api/book/{key}/work", json={"values": values})
    assert answer.status_code == status
    assert told in answer.json()["detail"]


def test_switches_are_ranked_over_http(client):
    answer = client.post("/api/switches/front_end", json={"brief": {}})
    assert answer.status_code == 200
    body = answer.json()
    assert len(body["options"]) > 3
    assert any(o["here"] for o in body["options"])
    assert client.post("/api/switches/front_end", json={"brief": {}, "route": "iron bridge"}).status_code == 404
    assert client.post("/api/switches/battery", json={"brief": {}}).status_code == 422


def test_the_precharge_sequence_is_given_as_table_and_code(client):
    table = client.post("/api/precharge/csv", json={"brief": {}})
    assert table.headers["content-type"].startswith("text/csv")
    assert table.text.startswith("state,supply,negative,relay,positive")
    code = client.post("/api/precharge/c", json={"brief": {}, "pins": {"precharge.timeout": "4 s"}})
    assert "#define TIMEOUT_MS 4000UL" in code.text
    assert client.post("/api/precharge/exe", json={"brief": {}}).status_code == 422
    refused = client.post("/api/precharge/c", json={"brief": {}, "pins": {"precharge.close_at": 2}})
    assert refused.status_code == 422
    assert "0.5 to 0.995" in refused.json()["detail"]


def test_a_design_has_its_parts_list_and_takes_it_away_as_csv(client, solution):
    ask = {"brief": {}}
    listed = client.post("/api/parts", json=ask).json()
    lines = [line for group in listed["groups"] for line in group["lines"]]
    built = solution.model_dump(mode="json")["build"]
    switch = next(line for line in lines if line["reference"].startswith("Q201"))
    assert switch["part"] == built["front_end"]["switch"]
    assert switch["count"] == 2 * built["front_end"]["parallel"]
    table = client.post("/api/parts/csv", json=ask)
    assert table.headers["content-type"].startswith("text/csv")
    rows = list(csv.DictReader(io.StringIO(table.text)))
    assert [row["reference"] for row in rows] == [line["reference"] for line in lines]


def test_where_nothing_can_be_built_there_is_nothing_to_buy(client):
    ask = {"brief": {"output": {"kind": "HF", "frequency": "50 kHz", "voltage": "48 V"}}, "route": "iron push-pull"}
    listed = client.post("/api/parts", json=ask)
    assert listed.status_code == 200
    assert listed.json()["groups"] == []
    assert listed.json()["pieces"] == 0
    refused = client.post("/api/parts/csv", json=ask)
    assert refused.status_code == 404
    assert "mend what its finding says first" in refused.json()["detail"]
