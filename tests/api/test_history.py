"""A design's past over HTTP: bursts, names, changes, what is refused today; everything in one archive, out and in."""

import io
import json
import zipfile
from datetime import timedelta

import pytest
from sqlalchemy import delete, select, update

from rhombos.store.models import DesignRow, DrawerVersionRow, RevisionRow, now
from tests.api.conftest import save, withdrawn


def revise(client, made, *changes):
    """Save one change after the other; the last answer."""
    for number, change in enumerate(changes, 1):
        answer = save(client, made["id"], made["design"] | change, number)
        assert answer.status_code == 200
    return answer.json()


def test_revisions_fall_into_bursts_of_edits(client, made, database):
    revise(client, made, {"name": "a"}, {"name": "b"}, {"name": "c"})
    with database.session() as session:  # the first two were made an hour before
        session.execute(
            update(RevisionRow)
            .where(RevisionRow.design_id == made["id"], RevisionRow.number <= 2)
            .values(created=now() - timedelta(hours=1))
        )
    found = client.get(f"/api/designs/{made['id']}/history").json()
    assert [[r["number"] for r in b["revisions"]] for b in found] == [[4, 3], [2, 1]]
    assert found[0]["ended"] >= found[0]["began"] > found[1]["ended"]
    assert found[0]["ended"].endswith("Z")
    assert [r["touched"] for b in found for r in b["revisions"]] == [["Name"], ["Name"], ["Name"], []]
    assert client.get("/api/designs/none/history").status_code == 404


def test_a_revision_is_sized_with_what_the_drawer_held_then(client, made):
    where = "/api/drawer/core/E 42%2F21%2F20"
    first = client.get(f"/api/designs/{made['id']}/revisions/1/sized").json()
    assert first["drawer"] == []
    assert first["then"]["taken"] == {}
    try:
        assert client.put(where, json={"count": 20, "condition": "salvaged"}).status_code == 204
        revise(client, made, {"name": "with a drawer"})
        withdrawn(client, where)
        now_ = client.get(f"/api/designs/{made['id']}/revisions/1/sized").json()
        then = client.get(f"/api/designs/{made['id']}/revisions/2/sized").json()
    finally:
        withdrawn(client, where)
    assert now_ == first
    assert "of the 20 E 42/21/20, salvaged" in then["then"]["taken"]["transformer"]
    assert then["drawer"] == [{"kind": "core", "part": "E 42/21/20", "before": "20 salvaged", "after": "none"}]
    assert then["then"]["texts"]["lost"] != first["then"]["texts"]["lost"]
    assert client.get(f"/api/designs/{made['id']}/revisions/9/sized").status_code == 404


def test_a_revision_can_be_named_and_the_name_taken_away(client, made):
    revise(client, made, {"name": "a"})
    where = f"/api/designs/{made['id']}/revisions/1/label"
    assert client.put(where, json={"label": " as wound "}).json()["label"] == "as wound"
    assert client.get(f"/api/designs/{made['id']}/history").json()[0]["revisions"][1]["label"] == "as wound"
    assert client.put(where, json={"label": ""}).json()["label"] == ""
    assert client.put(where, json={"label": "x" * 81}).status_code == 422
    assert client.put(where.replace("/1/", "/9/"), json={"label": "x"}).status_code == 404
    assert client.put(where.replace("/1/", f"/{10**30}/"), json={"label": "x"}).status_code == 422


def test_changes_are_told_field_by_field_as_people_write_them(client, made):
    brief = made["design"]["brief"]
    output = brief["outputs"][0]
    revise(
        client,
        made,
        {
            "brief": brief | {"outputs": [output | {"power": output["power"] | {"continuous": 350}}]},
            "pins": {"front_end.frequency": 60e3},
        },
        {"pins": {"front_end.frequency": "61k", "load.nothing": None}, "rules": "cautious", "house": {"bleed_time": 30}},
        {"route": "full-bridge link"},
    )
    where = f"/api/designs/{made['id']}/revisions"

    def told(number, **asked):
        return {c["address"]: (c["before"], c["after"]) for c in client.get(f"{where}/{number}/changes", params=asked).json()}

    assert told(2) == {"outputs.0.power.continuous": ("300 W", "350 W"), "front_end.frequency": ("as proposed", "60 kHz")}
    third = told(3)
    assert third["outputs.0.power.continuous"] == ("350 W", "300 W")
    assert third["front_end.frequency"] == ("60 kHz", "61 kHz")
    assert third["rules"] == ("usual", "cautious")
    assert third["house.bleed_time"][1] == "30 s"
    assert "load.nothing" not in third
    assert told(4)["route"] == ("push-pull link", "full-bridge link")
    assert told(4, since=4) == {}
    back = told(2, since=4)
    assert back["route"] == ("full-bridge link", "push-pull link")
    assert told(1)["name"] == ("(a new design)", "Lantern")
    assert client.get(f"{where}/1/changes", params={"since": 9}).status_code == 404


def test_a_stored_design_opens_without_what_is_refused_today_and_says_what(client, made, database):
    with database.session() as session:
        row = session.scalars(select(RevisionRow).where(RevisionRow.design_id == made["id"])).one()
        brief = row.content["brief"] | {"outputs": [row.content["brief"]["outputs"][0] | {"voltage": 600}]}
        row.content = row.content | {
            "brief": brief,
            "brief_of_old": 1,
            "pins": {"front_end.frequency": 60e3, "push_pull.turns": 3, "h_bridge.carrier": 1e9, "dc_link.count": "many"},
        }
    found = client.get(f"/api/designs/{made['id']}").json()
    assert found["design"]["pins"] == {"front_end.frequency": 60e3}
    assert found["design"]["brief"]["outputs"][0]["power"]["continuous"] == 300
    assert found["design"]["brief"]["outputs"][0]["voltage"] == 230
    faults = {f["field"]: f["message"] for f in found["faults"]}
    assert set(faults) == {"brief.outputs.0.voltage", "brief_of_old", "push_pull.turns", "h_bridge.carrier", "dc_link.count"}
    assert "600 V is above the allowed 10 V to 480 V" in faults["brief.outputs.0.voltage"]
    listed = next(d for d in client.get("/api/designs").json() if d["id"] == made["id"])
    assert "cannot be read whole" in listed["asked"]
    saved = save(client, made["id"], found["design"], 1).json()  # kept without them, and the old revision stays
    assert (saved["revision"], client.get(f"/api/designs/{made['id']}").json()["faults"]) == (2, [])
    assert client.get(f"/api/designs/{made['id']}/revisions/1").json()["faults"]


@pytest.mark.parametrize("format", [99, "two", None, True])
def test_a_design_of_an_unknown_format_is_not_guessed_at(client, made, database, format):
    with database.session() as session:
        row = session.scalars(select(RevisionRow).where(RevisionRow.design_id == made["id"])).one()
        row.content = row.content | {"format": format}
    refused = client.get(f"/api/designs/{made['id']}")
    assert refused.status_code == 422
    assert "cannot be read" in refused.json()["detail"]
    assert any(d["id"] == made["id"] for d in client.get("/api/designs").json())


OWN = "id,price,strands,strand,outer\nMINE 0.9,0.1,1,0.9,0.97\n"


@pytest.fixture
def kept(client, made):
    """Two revisions, the later with something in the drawer, a part of one's own, and a currency, archived."""
    client.put("/api/drawer/core/ETD 39", json={"count": 1})
    revise(client, made, {"name": "later"})
    withdrawn(client, "/api/drawer/core/ETD 39")
    client.put("/api/currency", json={"name": "crowns"})
    client.put(f"/api/designs/{made['id']}/revisions/1/label", json={"label": "first"})
    assert client.post("/api/shelf/wire/csv", content=OWN, headers={"Content-Type": "text/csv"}).status_code == 200
    client.put("/api/drawer/core/ETD 44", json={"count": 3, "condition": "salvaged", "paid": 1.5, "note": "red box"})
    yield client.get("/api/archive").content
    withdrawn(client, "/api/shelf/wire/MINE 0.9")
    withdrawn(client, "/api/drawer/core/ETD 44")
    assert client.put("/api/currency", json={"name": "credits"}).is_success


def bring(client, content):
    return client.post("/api/archive", content=content, headers={"Content-Type": "application/zip"})


def test_an_archive_is_open_and_holds_every_revision_and_own_part(kept, made):
    with zipfile.ZipFile(io.BytesIO(kept)) as archive:
        design = json.loads(archive.read(f"designs/{made['id']}.json"))
        assert [(r["number"], r["name"], r["label"]) for r in design["revisions"]] == [
            (1, "Lantern", "first"),
            (2, "later", ""),
        ]
        assert archive.read("parts/wire.csv").decode().splitlines()[1].startswith("MINE 0.9,")
        told = json.loads(archive.read("contents.json"))
        assert told["designs"] == sum(n.startswith("designs/") for n in archive.namelist())


def test_what_is_here_already_is_left_alone(client, kept):
    found = bring(client, kept).json()
    assert (found["new"], found["grown"], found["copied"], found["parts"]) == (0, 0, 0, 1)
    assert found["same"] >= 4


def test_what_is_missing_comes_back_whole(client, kept, made, database):
    with database.session() as session:
        session.delete(session.get_one(DesignRow, made["id"]))
    withdrawn(client, "/api/shelf/wire/MINE 0.9")
    withdrawn(client, "/api/drawer/core/ETD 44")
    client.put("/api/currency", json={"name": "credits"})
    with database.session() as session:
        session.execute(delete(DrawerVersionRow))
    assert bring(client, kept).json()["new"] == 1
    assert client.get("/api/currency").json() == {"name": "crowns"}
    then = client.get(f"/api/designs/{made['id']}/revisions/2/sized").json()
    assert {d["part"]: (d["before"], d["after"]) for d in then["drawer"]} == {
        "ETD 39": ("1 new", "none"),
        "ETD 44": ("none", "3 salvaged"),
    }
    core = next(r for r in client.get("/api/shelf/core/table").json()["rows"] if r["id"] == "ETD 44")
    assert core["stock"] == {"count": 3, "condition": "salvaged", "paid": 1.5, "note": "red box"}
    history = client.get(f"/api/designs/{made['id']}/history").json()
    assert [(r["number"], r["label"]) for b in history for r in b["revisions"]] == [(2, ""), (1, "first")]
    assert client.get(f"/api/designs/{made['id']}/revisions/1").json()["design"] == made["design"]
    assert any(p["id"] == "MINE 0.9" and p["origin"] == "own" for p in client.get("/api/shelf/wire").json())


def test_a_design_that_went_on_in_the_archive_grows_and_one_that_went_another_way_comes_as_a_copy(client, kept, made, database):
    with database.session() as session:
        row = session.get_one(DesignRow, made["id"])
        row.head = 1
        session.delete(
            session.scalars(select(RevisionRow).where(RevisionRow.design_id == row.id, RevisionRow.number == 2)).one()
        )
    assert bring(client, kept).json()["grown"] == 1
    assert client.get(f"/api/designs/{made['id']}").json()["design"]["name"] == "later"
    with database.session() as session:
        row = session.scalars(select(RevisionRow).where(RevisionRow.design_id == made["id"], RevisionRow.number == 2)).one()
        row.name = "another way"
    before = len(client.get("/api/designs").json())
    assert bring(client, kept).json()["copied"] == 1
    assert client.get(f"/api/designs/{made['id']}").json()["design"]["name"] == "another way"
    assert len(client.get("/api/designs").json()) == before + 1


def zipped(**files):
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for name, content in files.items():
            archive.writestr(name.replace("__", "/").replace("_json", ".json").replace("_csv", ".csv"), content)
    return made.getvalue()


CONTENTS = '{"rhombos_archive": 1, "made": "2026-11-28T00:00:00Z", "designs": 0, "revisions": 0, "parts": 0}'


@pytest.mark.parametrize(
    ("content", "told"),
    [
        (b"", "not a zip file"),
        (b"PK\x03\x04 rubbish", "not a zip file"),
        (zipped(a_json="{}"), "holds no contents.json"),
        (zipped(contents_json="{}"), "rhombos_archive"),
        (zipped(contents_json=CONTENTS.replace("1", "2", 1)), "rhombos_archive"),
        (zipped(contents_json=CONTENTS, designs__x_json="{"), "Invalid JSON"),
        (zipped(contents_json=CONTENTS, designs__x_json='{"id": "x", "created": "2026-11-28", "revisions": []}'), "id"),
        (zipped(contents_json=CONTENTS, parts__wire_csv="id\nX\n"), "missing column"),
        (zipped(contents_json=CONTENTS, parts__valve_csv="id\nX\n"), "no kind"),
        (
            zipped(contents_json=CONTENTS, drawer_json='[{"kind": "core", "part": "ETD 44", "stock": {"count": 0}}]'),
            "stock.count",
        ),
    ],
)
def test_a_file_that_is_no_archive_is_refused_in_words_and_nothing_is_taken(client, content, told):
    before = client.get("/api/designs").json()
    refused = bring(client, content)
    assert refused.status_code == 422
    assert refused.json()["detail"].startswith("this file cannot be restored: ")
    assert told in refused.json()["detail"]
    assert client.get("/api/designs").json() == before


def test_a_broken_design_takes_the_whole_archive_back(client, kept, made, database):
    with database.session() as session:
        session.delete(session.get_one(DesignRow, made["id"]))
    source, broken = zipfile.ZipFile(io.BytesIO(kept)), io.BytesIO()
    with zipfile.ZipFile(broken, "w") as archive:
        for name in source.namelist():
            archive.writestr(name, source.read(name))
        archive.writestr("designs/zz.json", "{}")
    assert bring(client, broken.getvalue()).status_code == 422
    assert client.get(f"/api/designs/{made['id']}").status_code == 404
