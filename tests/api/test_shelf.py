"""Parts over HTTP: listed, taken from CSV all or nothing, given as CSV, one's own taken off."""

import pytest

HEAD = "id,price,strands,strand,outer\n"


@pytest.fixture
def own(client):
    """Two wires of the designer's own, off the shelf again afterwards."""
    taken = client.post("/api/shelf/wire/csv", content=HEAD + "MY-1,0.1,1,0.9,0.97\nMY/2,0.1,20,0.2,1.3\n", headers={"Content-Type": "text/csv"})
    assert taken.json() == {"taken": 2}
    yield client
    for name in ("MY-1", "MY/2"):
        client.delete(f"/api/shelf/wire/{name}")


def test_the_shelf_is_counted(client):
    kinds = {k["kind"]: k["count"] for k in client.get("/api/shelf").json()}
    assert sum(kinds.values()) >= 400
    assert kinds["mosfet"] > 100


def test_house_parts_are_listed_with_what_they_are(client):
    parts = client.get("/api/shelf/mosfet").json()
    part = next(p for p in parts if p["id"] == "MN-030-2.8m-A")
    assert part["label"] == "N 30 V 2.8 mΩ TO-220"
    assert {p["origin"] for p in parts} == {"house"}
    assert part["values"]["v_rating"] == 30


def test_two_kinds_can_be_listed_together(client):
    assert {p["kind"] for p in client.get("/api/shelf/mosfet|igbt").json()} == {"mosfet", "igbt"}


def test_ones_own_parts_are_taken_and_used(own):
    parts = {p["id"]: p for p in own.get("/api/shelf/wire").json()}
    assert parts["MY-1"]["origin"] == "own"
    assert parts["MY-1"]["values"]["strand"] == pytest.approx(0.9e-3)
    solved = own.post("/api/solve", json={"brief": {}, "pins": {"transformer.primary_wire": "MY-1"}}).json()["solution"]
    assert solved["build"]["transformer"]["primary_wire"] == "MY-1"


def test_ones_own_parts_can_be_taken_off(own):
    assert own.delete("/api/shelf/wire/MY/2").status_code == 204
    assert "MY/2" not in {p["id"] for p in own.get("/api/shelf/wire").json()}
    gone = own.post("/api/solve", json={"brief": {}, "pins": {"transformer.primary_wire": "MY/2"}}).json()["solution"]
    assert "pins.part_gone" in {f["code"] for f in gone["findings"]}


def test_house_parts_stay(client):
    answer = client.delete("/api/shelf/wire/W 0.5")
    assert answer.status_code == 404
    assert "house parts stay" in answer.json()["detail"]


def test_a_faulty_file_is_refused_whole_with_every_line(client):
    before = client.get("/api/shelf/wire").json()
    answer = client.post("/api/shelf/wire/csv", content=HEAD + "MY-3,0.1,1,0.9,0.97\nMY-4,0.1,1,x,0.97\nMY-5,0.1,0,0.9,0.97\n", headers={"Content-Type": "text/csv"})
    assert answer.status_code == 422
    messages = [p["message"] for p in answer.json()["problems"]]
    assert messages[0].startswith("line 3: strand")
    assert messages[1].startswith("line 4: strands")
    assert client.get("/api/shelf/wire").json() == before


def test_a_file_in_another_encoding_is_told_so(client):
    answer = client.post("/api/shelf/wire/csv", content=b"id\xff\xfe", headers={"Content-Type": "text/csv"})
    assert answer.status_code == 422
    assert "UTF-8" in answer.json()["detail"]


def test_what_goes_out_can_come_in(client):
    text = client.get("/api/shelf/fuse/csv")
    assert "attachment" in text.headers["content-disposition"]
    assert client.post("/api/shelf/fuse/csv", content=text.text, headers={"Content-Type": "text/csv"}).status_code == 200
    assert {p["origin"] for p in client.get("/api/shelf/fuse").json()} == {"house"}, "unchanged, they are none of one's own"


@pytest.mark.parametrize("path", ["/api/shelf/valve", "/api/shelf/valve/csv"])
def test_an_unknown_kind_is_told_with_the_known_ones(client, path):
    answer = client.get(path)
    assert answer.status_code == 404
    assert "known: mosfet" in answer.json()["detail"]
