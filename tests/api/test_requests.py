"""Requests made from the API's own document: every answer is one that the document names, in the form that it names."""

import logging
import warnings

import pytest
from benchmarks.fuzz import fuzz

from rhombos.api.app import create_app
from rhombos.core.units.quantities import LONGEST, UnitError, parse

SENT = 300


@pytest.mark.filterwarnings("ignore")
def test_no_request_meets_a_fault_and_no_answer_is_undocumented(database, crew, tmp_path, caplog):
    caplog.set_level(logging.CRITICAL)
    app = create_app(database.url, built=tmp_path / "none", crew=crew)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        told = fuzz(app, SENT, 1, odd=False)
    assert told.faults == []
    assert told.operations >= 45
    assert told.requests >= 0.6 * SENT
    assert {200, 201, 404, 422} <= set(told.statuses)


ODD = {
    "a lone surrogate in a name": ('{"name": "\\ud800"}', "half a character"),
    "a lone surrogate as a key": ('{"name": "x", "pins": {"\\ud800": 1}}', "half a character"),
    "a surrogate in a field that is read": ('{"brief": {"output": {"voltage": "\\udfff"}}}', ""),
    "hundreds of digits": ('{"brief": {"source": {"cells": ' + "9" * 400 + "}}}", "a number of hundreds of digits"),
    "an endless exponent": ('{"brief": {"power": {"continuous": "1e999999999"}}}', "too large to be a real quantity"),
    "a long number in two notations": (
        '{"brief": {"power": {"continuous": "9k' + "9" * 400 + '"}}}',
        "too long to be a quantity",
    ),
    "not JSON": ("{", "not JSON"),
    "deep": ("[" * 5000, ""),
    "infinite": ('{"brief": {"output": {"voltage": 1e400}}}', ""),
}


@pytest.mark.parametrize("what", list(ODD))
def test_odd_documents_are_refused_in_words(client, what):
    body, told = ODD[what]
    for path in ("/api/designs", "/api/solve") if "brief" in body else ("/api/designs",):
        answer = client.post(path, content=body, headers={"Content-Type": "application/json"})
        assert answer.status_code in (400, 422), answer.text
        assert answer.headers["content-type"] == "application/problem+json"
        assert told in answer.text


@pytest.mark.parametrize(
    "text", ["1e999999999", "9" * 59, "1e-999999999", "9" * 400, "1" * 40 + "k" + "1" * 10, "\u0661\u0662", "1e308k"]
)
def test_a_number_is_finite_or_refused(text):
    try:
        value = parse(text, "V")
    except UnitError as error:
        value, told = 0.0, str(error)
        assert len(told) < LONGEST + 120
    assert abs(value) < 1e308


@pytest.mark.parametrize(
    ("match", "status"), [("²", 428), ("9" * 400, 428), ("-1", 428), ("1e3", 428), ("", 428), ('W/"1"', 200)]
)
def test_an_odd_revision_is_refused_in_words(client, made, match, status):
    answer = client.put(f"/api/designs/{made['id']}", json=made["design"], headers={"If-Match": match.encode()})
    assert answer.status_code == status


@pytest.mark.parametrize("name", ["=1+1", "-2mm", "+cmd", "@SUM(A1)", "../etc", "\ttab"])
def test_no_part_is_called_what_a_spreadsheet_would_run(client, name):
    own = f"id,price,strands,strand,outer\n{name},0.1,1,0.9,0.97\n"
    answer = client.post("/api/shelf/wire/csv", content=own, headers={"Content-Type": "text/csv"})
    if name.strip()[0].isalnum():
        assert answer.json() == {"taken": 1}
        assert client.delete(f"/api/shelf/wire/{name.strip()}").status_code == 204
    else:
        assert answer.status_code == 422
        assert "a letter or digit first" in answer.json()["detail"]


def test_of_many_faulty_lines_fifty_are_told_and_the_rest_counted(client):
    rows = "id,price,strands,strand,outer\n" + "".join(f"W{n},x,1,0.9,0.97\n" for n in range(3000))
    answer = client.post("/api/shelf/wire/csv", content=rows, headers={"Content-Type": "text/csv"})
    assert answer.status_code == 422
    problems = answer.json()["problems"]
    assert len(problems) == 51
    assert problems[-1]["message"] == "and 2950 more; mend these first"


def test_thousands_of_unknown_keys_are_told_by_fifty_and_a_count(client):
    body = {"brief": {}, **{f"k{n}": 1 for n in range(18_000)}}
    answer = client.post("/api/designs", json={"name": "x", **body})
    assert answer.status_code == 422
    assert len(answer.content) < 20_000
    assert answer.json()["problems"][-1]["message"] == "and 17950 more; mend these first"


def test_one_answer_lists_each_kind_once_and_no_more_than_four(client):
    once = client.get("/api/shelf/fuse").json()
    assert client.get("/api/shelf/" + "|".join(["fuse"] * 4)).json() == once
    assert client.get("/api/shelf/" + "|".join(["mosfet"] * 400)).status_code == 422


@pytest.mark.parametrize(
    ("method", "path", "asked"),
    [
        ("POST", "/api/solve", {"brief": {}}),
        ("POST", "/api/scope", {"brief": {}, "look": {}}),
        ("POST", "/api/parts", {"brief": {}}),
        ("POST", "/api/compare", {"brief": {}}),
        ("POST", "/api/bus", {}),
        ("POST", "/api/book/ohmic_loss/work", {"values": {"I_rms": 1, "R": 1}}),
    ],
)
def test_a_name_misspelt_is_refused_by_its_name_and_not_passed_over(client, method, path, asked):
    """As 'looks' for 'look', which would be answered as if nothing had been asked."""
    assert client.request(method, path, json=asked).status_code == 200
    answer = client.request(method, path, json=asked | {"looks": {"periods": 20}})
    assert answer.status_code == 422
    assert answer.json()["problems"][0]["message"] == "looks is not known here; remove it or check its spelling"
