"""Whatever is sent, the answer is a solution or a problem document: never a 500."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rhombos.core.routes import ALL_BUILDS as BUILDS
from rhombos.core.routes import ROUTES

CALM = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
ADDRESSES = [f"{block}.{name}" for block, model in BUILDS.items() for name in model.model_fields]
SCALARS = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(10**9), 10**9),
    st.floats(allow_nan=False, allow_infinity=False),
    st.text(max_size=12),
    st.sampled_from(["4k7", "50k", "1k2W", "12V", "−3", "1e400", "W 0.5", "none", "yes"]),
)
ANYTHING = st.recursive(
    SCALARS, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3)
)


def fair(answer):
    assert answer.status_code in (200, 201, 422), answer.text
    if answer.status_code == 422:
        body = answer.json()
        assert answer.headers["content-type"] == "application/problem+json"
        assert body["detail"]
        assert all(p["field"] and p["message"] for p in body["problems"])


@given(body=ANYTHING)
@CALM
def test_any_document_to_solve(client, body):
    fair(client.post("/api/solve", json=body))


@given(
    pins=st.dictionaries(st.sampled_from(ADDRESSES), SCALARS, max_size=5),
    route=st.sampled_from([*ROUTES, "teleport"]),
    wave=st.sampled_from(["sine", "modified", "square", "triangle"]),
)
@CALM
def test_any_pins_on_any_route(client, pins, route, wave):
    ask = {"brief": {"output": {"waveform": wave}}, "pins": pins, "route": route}
    fair(client.post("/api/solve", json=ask))
    fair(client.post("/api/coils", json=ask))


SECTIONS = {
    "source": ["chemistry", "cells", "capacity", "resistance", "cable_length"],
    "output": ["voltage", "frequency"],
    "power": ["continuous", "surge", "surge_time", "power_factor"],
    "targets": ["efficiency", "distortion", "idle", "ambient", "switches"],
}
ANY_BRIEF = st.fixed_dictionaries(
    {}, optional={s: st.dictionaries(st.sampled_from(names), SCALARS, max_size=3) for s, names in SECTIONS.items()}
)


@given(brief=ANY_BRIEF)
@CALM
def test_any_brief(client, brief):
    fair(client.post("/api/solve", json={"brief": brief}))


@given(
    values=st.dictionaries(
        st.sampled_from(["B_pk", "V", "D", "N", "A_e", "f_s", "Q"]), st.floats() | st.text(max_size=8), max_size=6
    )
)
@CALM
def test_any_values_for_a_relation(client, values):
    body = json.dumps({"values": values}).encode()  # with NaN and Infinity, as a careless client may send them
    answer = client.post("/api/book/peak_flux/work", content=body, headers={"Content-Type": "application/json"})
    fair(answer)


@given(text=st.text(max_size=200))
@CALM
def test_any_text_as_parts(client, text):
    fair(client.post("/api/shelf/heat_sink/csv", content=text.encode(), headers={"Content-Type": "text/csv"}))


@pytest.mark.parametrize(
    "pins",
    [
        {"transformer.core": "RM 6", "transformer.primary_turns": 1},
        {"transformer.primary_turns": 200},
        {"transformer.secondary_turns": 1},
        {"transformer.secondary_turns": 2000},
        {"dc_link.voltage": 20},
        {"dc_link.voltage": 900},
        {"h_bridge.carrier": 1000},
        {"h_bridge.carrier": 150e3},
        {"h_bridge.dead_time": 20e-6},
        {"front_end.frequency": 10e3},
        {"front_end.frequency": 300e3},
        {"front_end.switch": "MF-650-330m-A"},
        {"rectifier.inductance": 1e-6},
        {"rectifier.inductance": 1},
        {"output_filter.inductance": 1e-6},
        {"output_filter.inductance": 0.5},
        {"rectifier.core": "R 16/9.6/6.3"},
        {"output_filter.core": "R 102/65.8/25"},
        {"input_stage.cable": 0.5e-6},
        {"dc_link.bleeder": 100},
        {"front_end.clamp_resistor": 1},
        {"front_end.clamp_resistor": 1e6},
        {"output_filter.capacitor": "CE-16-470"},
        {"rectifier.damper_capacitor": 1e-6},
        {"rectifier.damper_resistor": 1e6},
        {"dc_link.count": 40},
        {"front_end.parallel": 24},
    ],
)
def test_pins_at_the_edge_of_what_is_allowed_solve_and_draw(client, pins):
    ask = {"brief": {}, "pins": pins}
    answer = client.post("/api/solve", json=ask)
    assert answer.status_code == 200, answer.text
    for block in answer.json()["solution"]["blocks"]:
        assert client.post(f"/api/charts/{block['key']}", json=ask).status_code == 200
