"""Over HTTP: waivers, rules set otherwise, another battery, the precharge of any bus; each refused by name where it is bad."""

import pytest

WAIVER = {"code": "protection.retries", "reason": "a person stands beside it", "on": "2026-11-25"}
POOR = {"brief": {}, "pins": {"protection.after_trip": "continuous retry"}}


def test_a_waiver_marks_its_finding(client):
    found = client.post("/api/solve", json=POOR | {"waivers": [WAIVER]}).json()["solution"]["findings"]
    assert found[-1]["code"] == WAIVER["code"]
    assert found[-1]["waived"] == WAIVER["reason"]


def test_waivers_and_rules_are_kept_with_the_design(client):
    made = client.post("/api/designs", json={"name": "kept", "waivers": [WAIVER], "house": {"bleed_time": "30 s"}}).json()
    again = client.get(f"/api/designs/{made['id']}").json()["design"]
    assert again["waivers"] == [WAIVER]
    assert again["house"]["bleed_time"] == 30


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ({"waivers": [WAIVER | {"reason": "no"}]}, "reason"),
        ({"waivers": [WAIVER | {"on": "some day"}]}, "on"),
        ({"house": {"duty_limit": 0.9}}, "house.duty_limit"),
        ({"house": {"bravery": 1}}, "bravery"),
        ({"brief": {"power": {"profile": "much"}}}, "profile"),
        ({"brief": {"source": {"coldest": -90}}}, "sources.0.coldest"),
    ],
)
def test_what_is_bad_is_refused_by_name(client, more, told):
    answer = client.post("/api/solve", json=POOR | more)
    assert answer.status_code == 422
    assert told in answer.json()["detail"]


def test_the_form_of_rules_comes_with_the_solution(client):
    house = client.post("/api/solve", json={"brief": {}, "house": {"fuse_factor": 2}}).json()["house"]
    changed = [r for r in house if r["changed"]]
    assert [r["name"] for r in changed] == ["fuse_factor"]
    assert changed[0]["preset"] == "1.35"


def test_another_battery_is_asked_about(client):
    answer = client.post("/api/battery-change", json={"brief": {}, "source": {"chemistry": "Li-ion", "cells": 8}})
    assert answer.status_code == 200
    assert len(answer.json()["items"]) == 7
    bad = client.post("/api/battery-change", json={"brief": {}, "source": {"chemistry": "Li-ion", "cells": 140}})
    assert bad.status_code == 422
    nothing = client.post(
        "/api/battery-change",
        json={
            "brief": {"output": {"waveform": "sine"}},
            "route": "iron push-pull",
            "source": {"chemistry": "Li-ion", "cells": 8},
        },
    )
    assert nothing.status_code == 409
    rail = client.post(
        "/api/battery-change", json={"brief": {"source": {"kind": "DC rail"}}, "source": {"chemistry": "Li-ion", "cells": 8}}
    )
    assert rail.status_code == 404
    assert "fed by rail of" in rail.json()["detail"]


@pytest.mark.parametrize(("volts", "bank"), [(12, "20m"), (96, "6.8m"), (400, "6.8m"), (1000, "2m")])
def test_any_bus_is_precharged(client, volts, bank):
    seen = client.post("/api/bus", json={"bus": {"voltage": volts, "bank": bank}}).json()
    assert [f["code"] for f in seen["findings"] if f["severity"] in ("stop", "fix")] == []
    assert len(seen["charts"]) == 5
    closes = next(f["value"] for f in seen["block"]["figures"] if f["address"] == "precharge.close_at")
    code = client.post("/api/bus/c", json={"bus": {"voltage": volts, "bank": bank}})
    assert f"CLOSES_AT_PERMILLE {round(1e3 * closes)}\n" in code.text
    assert client.post("/api/bus/csv", json={}).text.startswith("state,")


@pytest.mark.parametrize(
    ("body", "told"),
    [
        ({"bus": {"voltage": 4000}}, "bus.voltage"),
        ({"bus": {"bank": "many"}}, "bank"),
        ({"pins": {"precharge.timeout": -1}}, "precharge.timeout"),
        ({"pins": {"protection.cut_off": 20}}, "protection.cut_off"),
    ],
)
def test_a_bad_bus_is_refused_by_name(client, body, told):
    answer = client.post("/api/bus", json=body)
    assert answer.status_code == 422
    assert told in answer.json()["detail"]


def test_the_form_of_a_bus_has_text_and_range(client):
    fields = {f["address"]: f for f in client.get("/api/bus/fields").json()}
    assert fields["voltage"]["text"] == "96 V"
    assert fields["voltage"]["allowed"] == "12 V to 1 kV"


@pytest.mark.parametrize(
    ("mains", "power"),
    [((207, 230, 253), "400 W"), ((90, 115, 132), "1.5 kW"), ((85, 100, 110), 20), ((200, 240, 264), "5k")],
)
def test_any_mains_is_rectified(client, mains, power):
    lowest, nominal, highest = mains
    asked = {"lowest": lowest, "nominal": nominal, "highest": highest, "power": power, "least": 0.8 * lowest}
    seen = client.post("/api/mains", json={"mains": asked}).json()
    assert [f["code"] for f in seen["findings"] if f["severity"] in ("stop", "fix") and not f["unavoidable"]] == []
    assert [c["key"] for c in seen["charts"]] == ["line", "bank", "harmonics"]


@pytest.mark.parametrize(
    ("body", "told"),
    [
        ({"mains": {"nominal": 4000}}, "mains.nominal"),
        ({"mains": {"lowest": 240}}, "lowest ≤ nominal ≤ highest"),
        ({"mains": {"power": "lots"}}, "power"),
        ({"mains": {"frequency": 16.7}}, "45 Hz to 440 Hz"),
        ({"pins": {"mains_input.count": 0}}, "mains_input.count"),
        ({"pins": {"protection.cut_off": 20}}, "protection.cut_off"),
    ],
)
def test_a_bad_mains_is_refused_by_name(client, body, told):
    answer = client.post("/api/mains", json=body)
    assert answer.status_code == 422
    assert told in answer.json()["detail"]


def test_the_form_of_a_mains_has_text_and_range(client):
    fields = {f["address"]: f for f in client.get("/api/mains/fields").json()}
    assert fields["nominal"]["text"] == "230 V"
    assert fields["frequency"]["allowed"] == "45 Hz to 440 Hz"
