"""The design's past on screen, what could not be read, and everything in one archive."""

import pytest
from selenium.webdriver.common.by import By
from sqlalchemy import delete, select

from rhombos.cli import main
from rhombos.store.database import Database
from rhombos.store.models import DesignRow, PartRow, RevisionRow

pytestmark = pytest.mark.web
FREQUENCY = "front_end.frequency"


def pinned(bench, *texts):
    """Pin the frequency to one value after the other, each kept."""
    for text in texts:
        bench.pin(FREQUENCY, f"{text}k")
        bench.until(lambda text=text: bench.value(FREQUENCY) == f"{text}.0 kHz")
        bench.kept()


@pytest.fixture
def store(server):
    found = Database(server.database.url)
    yield found
    found.close()


def rows(element):
    return [
        tuple(c.text for c in r.find_elements(By.TAG_NAME, "td")) for r in element.find_elements(By.CSS_SELECTOR, "tbody tr")
    ]


def test_an_old_revision_is_found_named_and_brought_back(bench):
    pinned(bench, "61", "62")
    bench.click("show-history")
    assert bench.text("revision-title") == "Revision 3"
    bench.click("burst-3")
    assert "Push-pull: Switching frequency" in bench.text("revision-2")
    bench.click("revision-2")
    bench.until(lambda: bench.text("revision-title") == "Revision 2")
    bench.until(lambda: rows(bench.one("changed")) == [("Push-pull: Switching frequency", "46 kHz", "61 kHz")])
    bench.until(lambda: rows(bench.one("changed-since")) == [("Push-pull: Switching frequency", "61 kHz", "62 kHz")])
    bench.type("revision-name", "as wound")
    bench.until(lambda: "as wound" in bench.text("revision-2"))
    bench.click("bring-back")
    bench.until(lambda: bench.stored()["revision"] == 4)
    assert bench.stored()["design"]["pins"][FREQUENCY] in (61e3, "61k")
    bench.until(lambda: "stands now" in bench.text("revision-4"))
    bench.keys("y")
    bench.gone("history")
    assert bench.value(FREQUENCY) == "61.0 kHz"
    bench.click("undo")
    bench.until(lambda: bench.value(FREQUENCY) == "62.0 kHz")


def test_a_revision_is_made_a_design_of_its_own(bench):
    pinned(bench, "63")
    bench.keys("y")
    bench.click("burst-2")
    bench.click("revision-1")
    bench.until(lambda: bench.text("revision-title") == "Revision 1")
    bench.click("copy-revision")
    bench.until(lambda: any(d["name"].endswith("as of revision 1") for d in bench.ask("GET", "/api/designs")))


def test_what_a_stored_design_may_not_hold_is_listed_and_taken_off(bench, store):
    with store.session() as session:
        row = session.scalars(select(RevisionRow).where(RevisionRow.design_id == bench.id)).one()
        row.content = row.content | {"pins": {"h_bridge.carrier": 1e9, FREQUENCY: 61e3}}
    bench.open(bench.id)
    told = bench.text("mended")
    assert "Revision 1 holds what this version refuses" in told
    assert "h_bridge.carrier: 1 GHz is above the allowed 1 kHz to 150 kHz; lower it" in told
    assert bench.value(FREQUENCY) == "61.0 kHz"
    bench.click("mend")
    bench.gone("mended")
    bench.kept()
    assert bench.stored()["faults"] == []
    assert bench.stored()["revision"] == 2


@pytest.mark.parametrize(
    ("kept", "told"),
    [
        ("{rubbish", "it is not JSON"),
        ("[1]", "it is not whole"),
        ('{"revision": 1, "design": {"name": "x", "brief": {"output": {"voltage": 600}}, "pins": {}}}', "600 V is above"),
    ],
)
def test_a_change_that_cannot_be_sent_is_set_aside_and_the_design_opens(bench, kept, told):
    bench.browser.execute_script(f"localStorage.setItem('rhombos.outbox.{bench.id}', arguments[0])", kept)
    bench.browser.refresh()
    assert told in bench.text("mended")
    assert bench.one("power-path")
    assert bench.stored()["revision"] == 1
    pinned(bench, "64")
    bench.click("forget-aside")
    bench.gone("mended")
    bench.browser.refresh()
    bench.one("power-path")
    assert not bench.all("mended")


def test_everything_is_backed_up_and_restored_into_an_empty_database(bench, store, server, tmp_path, monkeypatch, capsys):
    pinned(bench, "65")
    bench.ask("PUT", f"/api/designs/{bench.id}/revisions/1/label", {"label": "before"})
    monkeypatch.setenv("RHOMBOS_DATABASE_URL", server.database.url)
    archive = tmp_path / "all.zip"
    assert main(["backup", str(archive)]) == 0
    assert "designs with" in capsys.readouterr().out
    before = sorted(d["id"] for d in bench.ask("GET", "/api/designs"))
    with store.session() as session:
        session.execute(delete(DesignRow))
        session.execute(delete(PartRow).where(PartRow.origin == "own"))
    bench.visit("/")
    bench.one("no-designs")
    bench.all("open-file")[0].send_keys(str(archive))
    assert "designs taken" in bench.text("restored")
    bench.until(lambda: bench.one(f"design-{bench.id}"))
    assert sorted(d["id"] for d in bench.ask("GET", "/api/designs")) == before
    bench.open(bench.id)
    assert bench.value(FREQUENCY) == "65.0 kHz"
    bench.keys("y")
    assert "before" in bench.text("revision-1")
    bench.visit("/")
    bench.until(lambda: bench.all("open-file"))[0].send_keys(__file__)
    assert "not a design" in bench.text("fault")
    assert main(["restore", str(archive)]) == 0
    assert "0 designs taken, 0 went on" in capsys.readouterr().out


def test_everything_is_exported_from_the_page(bench, tmp_path):
    bench.download_to(tmp_path)
    bench.visit("/")
    bench.click("export-all")
    bench.until(lambda: any(p.suffix == ".zip" for p in tmp_path.iterdir()), "no archive came")
    assert not bench.all("fault")
