"""The magnetics bench over HTTP."""

from io import BytesIO

import pytest
from pypdf import PdfReader


def test_a_design_has_the_benches_of_its_wound_parts(client):
    found = client.post("/api/coils", json={"brief": {}}).json()["benches"]
    assert [b["block"] for b in found] == ["transformer", "rectifier", "output_filter", "controller"]
    assert all(b["sheet"]["rows"] and b["tables"] for b in found)


def test_an_iron_design_has_its_own(client):
    found = client.post("/api/coils", json={"brief": {"output": {"waveform": "square"}}, "route": "iron push-pull"}).json()
    assert [b["block"] for b in found["benches"]] == ["iron_transformer"]


def test_what_cannot_be_built_has_no_benches(client):
    assert client.post("/api/coils", json={"brief": {}, "route": "iron push-pull"}).json() == {"benches": []}


def test_a_choice_of_the_bench_can_be_pinned(client):
    bench = client.post("/api/coils", json={"brief": {}}).json()["benches"][0]
    other = next(o for t in bench["tables"] if t["key"] == "cores" for o in t["options"] if o["fits"] and not o["here"])
    solved = client.post("/api/solve", json={"brief": {}, "pins": other["patch"]})
    assert solved.status_code == 200
    assert solved.json()["solution"]["build"]["transformer"]["core"] == other["patch"]["transformer.core"]


@pytest.mark.parametrize("block", ["transformer", "rectifier", "output_filter", "controller"])
def test_a_winding_sheet_comes_on_paper_as_it_is_on_the_screen(client, block):
    bench = next(b for b in client.post("/api/coils", json={"brief": {}}).json()["benches"] if b["block"] == block)
    answer = client.post(f"/api/coils/{block}/sheet", params={"name": "Hütte am Grat"}, json={"brief": {}})
    assert answer.status_code == 200
    assert answer.headers["content-type"] == "application/pdf"
    assert (
        answer.content == client.post(f"/api/coils/{block}/sheet", params={"name": "Hütte am Grat"}, json={"brief": {}}).content
    )
    pages = PdfReader(BytesIO(answer.content)).pages
    assert len(pages) == 1
    printed = " ".join(pages[0].extract_text().split())
    assert "Hütte am Grat" in printed
    for row in bench["sheet"]["rows"]:
        for text in (row["turns"], row["wire"], row["length"], row["mass"]):
            assert text in printed
    for check in bench["sheet"]["checks"]:
        assert check["name"] in printed
        assert check["text"].split("; ")[0] in printed
    for caution in bench["sheet"]["cautions"]:
        assert caution[:40] in printed


def test_there_is_no_sheet_of_what_is_not_wound(client):
    for block, pins in (("source", {}), ("rectifier", {"rectifier.circuit": "doubler, no choke"})):
        answer = client.post(f"/api/coils/{block}/sheet", json={"brief": {}, "pins": pins})
        assert answer.status_code == 404
        assert f"‘{block}’" in answer.json()["detail"]


@pytest.mark.parametrize(
    ("tool", "body", "told"),
    [
        ("one-turn", {"volts_per_turn": "3.1 V", "wanted": "24"}, "8 turns"),
        (
            "unknown-core",
            {"area": "125", "path": "95", "turns": 10, "inductance": "380u", "volts": "12", "knee_frequency": "6k"},
            "power ferrite",
        ),
        ("salvaged", {"area": "178", "window": "190", "path": "97", "frequency": "40k", "volts": "14.7"}, "shelf"),
    ],
)
def test_a_tool_takes_values_as_people_write_them(client, tool, body, told):
    answer = client.post(f"/api/coils/{tool}", json=body)
    assert answer.status_code == 200
    assert told in answer.text


@pytest.mark.parametrize(
    ("tool", "body", "told"),
    [
        ("one-turn", {"volts_per_turn": "0", "wanted": "24"}, "volts_per_turn: 0 V is below the allowed 1 mV to 200 V"),
        ("one-turn", {"volts_per_turn": "3 A", "wanted": "24"}, "ends in ‘A’"),
        ("unknown-core", {"area": "125"}, "path is missing"),
        ("salvaged", {"area": "178", "window": "190", "path": "97", "frequency": "1", "volts": "14.7"}, "frequency"),
    ],
)
def test_a_tool_refuses_by_name(client, tool, body, told):
    answer = client.post(f"/api/coils/{tool}", json=body)
    assert answer.status_code == 422
    assert told in answer.json()["detail"]


@pytest.mark.parametrize(
    ("tool", "body", "told"),
    [
        ("damper", {"bare": "8M", "added": "1n", "slowed": "4.5M", "volts": "60", "frequency": "50k"}, "stray inductance"),
        (
            "clamp",
            {"leakage": "0.9u", "current": "14", "frequency": "60k", "reflected": "60", "level": "95", "ripple": "5"},
            "14.4 W",
        ),
        (
            "turn-off",
            {"current": "10", "fall": "80n", "volts": "48", "frequency": "50k", "shortest": "3u", "most": "40"},
            "resistor",
        ),
        ("peak-detector", {"resistor": "100k", "capacitor": "1u", "frequency": "100", "fall": "3", "peak": "10"}, "100 ms"),
    ],
)
def test_a_snubber_is_worked_from_what_was_measured(client, tool, body, told):
    answer = client.post(f"/api/snubbers/{tool}", json=body)
    assert answer.status_code == 200
    assert told in answer.text


def test_a_ring_that_was_not_slowed_is_refused_plainly(client):
    answer = client.post(
        "/api/snubbers/damper", json={"bare": "5M", "added": "1n", "slowed": "6M", "volts": "60", "frequency": "50k"}
    )
    assert answer.status_code == 422
    assert "must slow the ring" in answer.json()["detail"]
