"""Parts over HTTP: listed, taken from CSV all or nothing, given as CSV, one's own taken off."""

import pytest

from tests.api.conftest import withdrawn

HEAD = "id,price,strands,strand,outer\n"


@pytest.fixture
def own(client):
    """Two wires of the designer's own, off the shelf again afterwards."""
    taken = client.post(
        "/api/shelf/wire/csv", content=HEAD + "MY-1,0.1,1,0.9,0.97\nMY/2,0.1,20,0.2,1.3\n", headers={"Content-Type": "text/csv"}
    )
    assert taken.json() == {"taken": 2}
    yield client
    for name in ("MY-1", "MY/2"):
        withdrawn(client, f"/api/shelf/wire/{name}")


def test_the_shelf_is_counted(client):
    kinds = {k["kind"]: k["count"] for k in client.get("/api/shelf").json()}
    assert sum(kinds.values()) >= 400
    assert kinds["mosfet"] > 100


def test_kinds_stand_under_their_headings(client):
    found = client.get("/api/shelf").json()
    groups = [k["group"] for k in found]
    assert groups == sorted(groups, key=groups.index)
    assert next(k["group"] for k in found if k["kind"] == "contactor") == "Switching and safety"
    assert all(k["count"] >= 8 for k in found)


def test_prices_are_told_in_a_currency_that_is_set_once_and_converts_nothing(client):
    before = client.get("/api/shelf/fuse").json()
    client.put("/api/currency", json={"name": "credits"})  # whatever other tests left there
    assert client.get("/api/currency").json() == {"name": "credits"}
    try:
        assert client.put("/api/currency", json={"name": "crowns"}).status_code == 204
        assert client.get("/api/currency").json() == {"name": "crowns"}
        assert client.get("/api/shelf/fuse").json() == before
        for name in ("", "12", "a b", "x" * 13, "=cmd", "<b>", "kr\x91"):
            refused = client.put("/api/currency", json={"name": name})
            assert refused.status_code == 422, name
            assert refused.json()["problems"][0]["field"] == "name"
        assert client.get("/api/currency").json() == {"name": "crowns"}
    finally:
        client.put("/api/currency", json={"name": "credits"})


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
    answer = client.post(
        "/api/shelf/wire/csv",
        content=HEAD + "MY-3,0.1,1,0.9,0.97\nMY-4,0.1,1,x,0.97\nMY-5,0.1,0,0.9,0.97\n",
        headers={"Content-Type": "text/csv"},
    )
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


def test_a_kind_is_a_table_of_its_ratings(client):
    table = client.get("/api/shelf/mosfet/table").json()
    named = {c["name"]: c for c in table["columns"]}
    assert named["v_rating"] == {
        "name": "v_rating",
        "title": "Drain–source rating",
        "unit": "V",
        "filled": "number",
        "choices": [],
        "required": True,
        "allowed": "0 V to 5 kV",
        "usual": "",
    }
    assert named["r_exponent"]["usual"] == "2"
    part = next(r for r in table["rows"] if r["id"] == "MN-030-2.8m-A")
    assert (part["cells"]["r_on"], part["cells"]["package"], part["stock"]) == ("2.8 mΩ", "TO-220", None)
    assert part["numbers"]["r_on"] == pytest.approx(2.8e-3)
    assert table["count"] == len(table["rows"])


def test_columns_are_bounded_as_people_write_figures(client):
    rows = client.get(
        "/api/shelf/mosfet/table", params={"lowest": ["v_rating:100 V"], "highest": ["r_on:5m", "v_rating:150"]}
    ).json()["rows"]
    assert rows
    assert all(100 <= r["numbers"]["v_rating"] <= 150 and r["numbers"]["r_on"] <= 5.005e-3 for r in rows)
    every = client.get("/api/shelf/mosfet/table").json()["rows"]
    assert len(rows) == sum(100 <= r["numbers"]["v_rating"] <= 150 and r["numbers"]["r_on"] <= 5.005e-3 for r in every)


@pytest.mark.parametrize(
    ("bound", "told"),
    [
        ("v_rating:many", "Drain–source rating, from: ‘many’ is not a number"),
        ("package:TO-220", "no column of figures ‘package’"),
        ("x:1", "no column of figures ‘x’"),
        ("v_rating:", "Drain–source rating, from: is empty"),
    ],
)
def test_a_bound_that_is_none_is_told(client, bound, told):
    answer = client.get("/api/shelf/mosfet/table", params={"lowest": bound})
    assert answer.status_code == 422
    assert told in answer.json()["problems"][0]["message"]


@pytest.mark.parametrize("kind", ["mosfet", "core", "wire", "capacitor", "diode", "grade"])
def test_a_form_filled_in_like_a_part_makes_that_part(client, kind):
    for part in client.get(f"/api/shelf/{kind}").json()[:5]:
        form = client.get(f"/api/shelf/{kind}/form", params={"like": part["id"]}).json()
        assert client.put(f"/api/shelf/{kind}/own", json={"values": form["values"]}).json() == {"taken": 1}
        assert next(p for p in client.get(f"/api/shelf/{kind}").json() if p["id"] == part["id"]) == part, (
            "as it was, and still the house's"
        )


def test_a_part_of_ones_own_is_made_in_a_form(client):
    form = client.get("/api/shelf/mosfet/form", params={"like": "MN-030-2.8m-A"}).json()["values"]
    form |= {"id": "SALVAGE-1", "r_on": "3m3", "q_rr": " "}
    refused = client.put("/api/shelf/mosfet/own", json={"values": form | {"v_rating": "30 kV"}})
    assert refused.status_code == 422
    assert {p["field"]: p["message"] for p in refused.json()["problems"]} == {
        "v_rating": "v_rating: 30 kV is above the allowed 0 V to 5 kV; lower it",
        "q_rr": "q_rr is missing; give a value of 0 C to 1 mC",
    }
    assert client.put("/api/shelf/mosfet/own", json={"values": form | {"q_rr": "12n"}}).status_code == 200
    made = next(p for p in client.get("/api/shelf/mosfet").json() if p["id"] == "SALVAGE-1")
    assert (made["origin"], made["values"]["r_on"], made["values"]["q_rr"]) == (
        "own",
        pytest.approx(3.3e-3),
        pytest.approx(12e-9),
    )
    withdrawn(client, "/api/shelf/mosfet/SALVAGE-1")


@pytest.fixture
def drawer(client):
    """A ring core in the drawer, twenty of it."""
    assert (
        client.put(
            "/api/drawer/core/R 50/30/20", json={"count": 20, "condition": "salvaged", "paid": 0.5, "note": "old supply"}
        ).status_code
        == 204
    )
    yield client
    withdrawn(client, "/api/drawer/core/R 50/30/20")


def test_what_lies_in_the_drawer_is_listed_and_proposed(drawer):
    row = next(r for r in drawer.get("/api/shelf/core/table").json()["rows"] if r["id"] == "R 50/30/20")
    assert row["stock"] == {"count": 20, "condition": "salvaged", "paid": 0.5, "note": "old supply"}
    solution = drawer.post("/api/solve", json={"brief": {}}).json()["solution"]
    assert solution["build"]["transformer"]["core"] == "R 50/30/20"
    assert "transformer.drawer" in {f["code"] for f in solution["findings"]}
    assert drawer.delete("/api/drawer/core/R 50/30/20").status_code == 204
    again = drawer.post("/api/solve", json={"brief": {}}).json()["solution"]
    assert again["build"]["transformer"]["core"] != "R 50/30/20"
    assert "transformer.drawer" not in {f["code"] for f in again["findings"]}
    assert drawer.delete("/api/drawer/core/R 50/30/20").status_code == 404


@pytest.mark.parametrize(
    ("path", "body", "status", "told"),
    [
        ("core/none such", {"count": 1}, 404, "there is no core"),
        ("valve/x", {"count": 1}, 404, "no kind"),
        ("core/R 50/30/20", {"count": 0}, 422, "count: 0 is below the allowed 1 to 100000; raise it"),
        ("core/R 50/30/20", {"count": 1, "condition": "stolen"}, 422, "not one of 'new', 'salvaged' or 'unverified'"),
        ("core/R 50/30/20", {"count": 1, "paid": -1}, 422, "below the allowed"),
    ],
)
def test_what_cannot_lie_in_the_drawer_is_told(client, path, body, status, told):
    answer = client.put(f"/api/drawer/{path}", json=body)
    assert answer.status_code == status
    assert told in answer.json()["detail"]


def test_a_part_names_the_designs_that_take_it(client, made):
    client.put(
        f"/api/designs/{made['id']}",
        json={"name": "Lantern", "brief": {}, "pins": {"transformer.core": "ETD 44"}},
        headers={"If-Match": '"1"'},
    )

    def used(kind, part):
        found = client.get(f"/api/shelf/{kind}/uses", params={"part": part}).json()
        return next((use for use in found if use["id"] == made["id"]), None)

    assert used("core", "ETD 44") == {
        "id": made["id"],
        "name": "Lantern",
        "blocks": ["Transformer"],
        "count": 1,
        "pinned": True,
    }
    assert used("core", "ETD 49") is None
    sized = client.post("/api/solve", json={"brief": {}, "pins": {"transformer.core": "ETD 44"}}).json()["solution"]
    switch, diode = sized["build"]["front_end"]["switch"], sized["build"]["rectifier"]["diode"]
    proposed = used("mosfet", switch)
    assert (proposed["blocks"], proposed["pinned"]) == (["Push-pull"], False)
    assert proposed["count"] == 2 * sized["build"]["front_end"]["parallel"]
    assert used("diode", diode)["blocks"] == ["Rectifier"]
    relay = next(f["choice"] for b in sized["blocks"] for f in b["figures"] if f["address"] == "protection.relay")
    assert used("relay", relay)["blocks"] == ["Protection"]
    client.delete(f"/api/designs/{made['id']}")
    assert used("core", "ETD 44") is None


def test_a_file_with_headings_of_its_own_is_guessed_at(client):
    found = client.post(
        "/api/shelf/mosfet/csv/headings",
        content="id,Package,Drain-source rating [kV],r_on (mΩ),Total gate charge (nC),Junction to case,??\n",
        headers={"Content-Type": "text/csv"},
    ).json()
    assert [(h["field"], h["units"].get(h["field"], "")) for h in found] == [
        ("id", ""),
        ("package", ""),
        ("v_rating", "kV"),
        ("r_on", "mΩ"),
        ("q_g", "nC"),
        ("r_jc", "K/W"),
        ("", ""),
    ]
    assert found[3]["units"]["r_jc"] == "K/W", "a unit that is not the field's is none of its own"
    assert found[3]["units"]["r_on"] == "mΩ"


def test_a_file_with_headings_of_its_own_is_read_in_the_units_they_say(client):
    head = "Part,Case,Volts [kV],Amps,RDS(on) (mΩ),Qg (nC),Qsw [nC],Plateau,Coss (pF),Qrr (nC),trr (ns),Vf,Rth,remark\n"
    text = (
        head
        + "THEIRS-1,TO-220,0.1,80,4.5,60,18,4.7,400,90,50,0.9,0.8,used\nTHEIRS-2,TO-247,60 V,50,0.009 Ω,40,12,4.7,300,80,45,0.9,1,\n"
    )
    fields = [
        "id",
        "package",
        "v_rating",
        "i_rating",
        "r_on",
        "q_g",
        "q_sw",
        "v_plateau",
        "c_oss",
        "q_rr",
        "t_rr",
        "v_f",
        "r_jc",
        "",
    ]
    meant = [f"{field}:{heading}" for field, heading in zip(fields, head.strip().split(","), strict=True)]
    taken = client.post("/api/shelf/mosfet/csv", params={"meant": meant}, content=text, headers={"Content-Type": "text/csv"})
    assert taken.json() == {"taken": 2}
    one, two = (next(p for p in client.get("/api/shelf/mosfet").json() if p["id"] == f"THEIRS-{n}")["values"] for n in (1, 2))
    assert (one["v_rating"], one["r_on"], one["q_g"], one["c_oss"], one["t_rr"]) == pytest.approx(
        (100, 4.5e-3, 60e-9, 400e-12, 50e-9)
    )
    assert (two["v_rating"], two["r_on"], two["i_rating"], two["r_jc"]) == pytest.approx((60, 9e-3, 50, 1.0))
    for n in (1, 2):
        withdrawn(client, f"/api/shelf/mosfet/THEIRS-{n}")


@pytest.mark.parametrize(
    ("meant", "told"),
    [
        (["v_rating:Volts", "v_rating:Amps"], "two columns are meant for v_rating"),
        (["valve:Volts"], "unknown column"),
        ([], "unknown column"),
    ],
)
def test_columns_that_are_meant_wrongly_are_told(client, meant, told):
    answer = client.post(
        "/api/shelf/mosfet/csv",
        params={"meant": meant},
        content="id,Volts,Amps\nX-1,1,2\n",
        headers={"Content-Type": "text/csv"},
    )
    assert answer.status_code == 422
    assert told in answer.json()["detail"]
