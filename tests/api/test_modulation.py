"""The modulation bench and the sine table over HTTP."""

import json

import pytest


def test_the_bench_of_a_design_and_of_another_setting(client):
    designed = client.post("/api/modulation", json={"brief": {}}).json()
    assert designed["asked"]["scheme"] == "unipolar"
    other = client.post(
        "/api/modulation", json={"brief": {}, "setting": {"scheme": "bipolar", "carrier": "9k", "dead_time": "1u"}}
    )
    assert other.status_code == 200
    body = other.json()
    assert body["asked"] | {"index": ""} == {
        "scheme": "bipolar",
        "sampling": "natural",
        "index": "",
        "carrier": "9.00 kHz",
        "fraction": "0.5",
        "dead_time": "1.00 µs",
    }
    assert [r["scheme"] for r in body["rows"] if r["here"]] == ["bipolar"]
    assert {c["key"] for c in body["charts"]} == {"comparison", "legs", "spectrum"}


def test_a_pin_of_the_design_is_where_the_bench_starts(client):
    answer = client.post("/api/modulation", json={"brief": {}, "pins": {"h_bridge.carrier": "24k"}}).json()
    assert answer["asked"]["carrier"] == "24.0 kHz"


@pytest.mark.parametrize(
    ("setting", "told"),
    [
        ({"index": "9"}, "index: ‘9’ is above"),
        ({"carrier": "1 Hz"}, "carrier"),
        ({"scheme": "triangular"}, "scheme"),
        ({"dead_time": "1 V"}, "dead_time"),
        ({"wave": "x"}, "wave"),
    ],
)
def test_a_silly_setting_is_refused_by_name(client, setting, told):
    answer = client.post("/api/modulation", json={"brief": {}, "setting": setting})
    assert answer.status_code == 422
    assert told in answer.json()["detail"]


def test_a_route_without_a_bridge_says_so(client):
    answer = client.post("/api/modulation", json={"brief": {"output": {"waveform": "square"}}, "route": "self-oscillating"})
    assert answer.status_code == 404
    assert "no bridge" in answer.json()["detail"]


def test_the_table_is_worked_and_taken_away(client):
    asked = {"clock": "20 MHz", "carrier": "20k", "line": "60", "symmetry": "half"}
    told = client.post("/api/sine-table", json=asked).json()
    figures = {f["name"]: f["text"] for f in told["figures"]}
    assert figures["Timer counts to"] == "500, up and down"
    assert len(told["counts"]) == 167
    for ending, begins in (("h", "/* Sine table"), ("csv", "sample,degrees"), ("vcd", "$comment")):
        answer = client.post(f"/api/sine-table/{ending}", json=asked)
        assert answer.status_code == 200
        assert answer.text.startswith(begins)
    assert client.post("/api/sine-table/exe", json=asked).status_code == 422


@pytest.mark.parametrize(
    ("fields", "told"),
    [
        ({"bits": 8, "clock": "160M", "carrier": "1k"}, "bits: the timer counts to 80000"),
        ({"clock": "200k", "carrier": "50k"}, "clock: the timer counts to 2 only"),
        ({"carrier": "soon"}, "carrier"),
        ({"index": 2}, "index: 2"),
        ({"bits": 4}, "bits: 4"),
    ],
)
def test_a_table_that_cannot_be_is_refused_by_name(client, fields, told):
    for path in ("/api/sine-table", "/api/sine-table/h"):
        answer = client.post(path, json=fields)
        assert answer.status_code == 422
        assert told in answer.json()["detail"]


def test_the_scope_over_http_and_its_table(client):
    answer = client.post(
        "/api/scope", json={"brief": {}, "look": {"load": "adapter", "periods": 2, "first": "5 ms", "last": "25 ms"}}
    )
    assert answer.status_code == 200
    body = answer.json()
    assert (body["first"], body["last"]) == (0.005, 0.025)
    assert "smoothing" in {p["name"] for p in body["points"]}
    drawn = client.post(
        "/api/scope/points", json={"brief": {}, "look": {"load": "adapter", "periods": 2, "first": "5 ms", "last": "25 ms"}}
    )
    assert drawn.headers["content-type"] == "application/octet-stream"
    head = json.loads(drawn.content.split(b"\n", 1)[0])
    assert (head["first"], head["last"]) == (0.005, 0.025)
    assert {t["name"] for t in head["traces"]} == {p["name"] for p in body["points"]}
    table = client.post("/api/scope/csv", json={"brief": {}, "look": {"periods": 1, "last": "1 ms"}})
    assert table.headers["content-type"].startswith("text/csv")
    assert table.text.startswith("time_s,bridge_V")


@pytest.mark.parametrize(
    ("look", "told"),
    [
        ({"periods": 900}, "periods"),
        ({"load": "cat"}, "load"),
        ({"first": "soon"}, "first"),
        ({"event": "fire"}, "event"),
        ({"source": "sun"}, "source"),
        ({"traces": []}, "traces"),
        ({"traces": ["load"] * 5}, "traces"),
        ({"traces": ["cat"]}, "traces"),
        ({"spectrum": {"trace": "load", "limit": "-3 %"}}, "limit"),
        ({"grid": 5}, "grid"),
        ({"cursors": ["1 ms", "2 ms", "3 ms"]}, "cursors"),
    ],
)
def test_a_silly_look_is_refused_by_name(client, look, told):
    answer = client.post("/api/scope", json={"brief": {}, "look": look})
    assert answer.status_code == 422
    assert told in answer.json()["detail"]


def test_a_stepped_design_is_looked_at_on_the_scope(client):
    answer = client.post(
        "/api/scope", json={"brief": {"output": {"waveform": "square"}}, "look": {"load": "lamp, cold", "periods": 2}}
    )
    assert answer.status_code == 200
    seen = answer.json()
    assert seen["stepped"]
    assert "inductor" not in {p["name"] for p in seen["points"]}
    table = client.post(
        "/api/scope/csv", json={"brief": {"output": {"waveform": "modified"}}, "look": {"periods": 1, "last": "1 ms"}}
    )
    assert table.text.startswith("time_s,bridge_V,output_V,load_A")


def test_the_voltage_loop_over_http(client):
    answer = client.post("/api/voltage-loop", json={"brief": {}, "setting": {"damping": "2 ohm"}})
    assert answer.status_code == 200
    body = answer.json()
    assert body["stable"]
    assert body["asked"]["damping"] == "2.00 Ω"
    assert client.post("/api/voltage-loop", json={"brief": {}, "setting": {"voltage": -1}}).status_code == 422
    assert client.post("/api/voltage-loop", json={"brief": {"output": {"waveform": "square"}}}).status_code == 404


def test_a_wave_that_cannot_be_made_is_refused_with_what_to_change(client):
    answer = client.post(
        "/api/modulation", json={"brief": {"output": {"frequency": "45 Hz"}}, "setting": {"carrier": "199 kHz"}}
    )
    assert answer.status_code == 422
    assert "lower the carrier" in answer.json()["detail"]
