"""Nobody waits for others' work: the queue, what is dropped, what is kept."""

import asyncio

import pytest
from starlette.requests import Request

from rhombos.api.service import Asker, Gone, Kept
from rhombos.core.parts import Fuse, Shelf
from rhombos.demo import house_shelf
from rhombos.desk.crew import Busy

ASKED = {"brief": {"power": {"continuous": "300 W", "surge": "600 W"}}}


def test_a_full_queue_says_when_to_come_again(client, monkeypatch):
    async def full(*_, **__):
        raise Busy("120 pieces of work wait already")

    monkeypatch.setattr(client.app.state.service.crew, "do", full)
    answer = client.post("/api/solve", json=ASKED)
    assert answer.status_code == 503
    assert answer.headers["retry-after"] == "2"
    assert answer.json()["detail"] == "120 pieces of work wait already; ask again in 2 seconds"
    assert client.post("/api/compare", json=ASKED).status_code == 503


def test_an_answer_is_worked_out_once(client, monkeypatch):
    first = client.post("/api/solve", json=ASKED)

    async def never(*_, **__):
        raise AssertionError

    monkeypatch.setattr(client.app.state.service.crew, "do", never)
    assert client.post("/api/solve", json=ASKED).json() == first.json()


def test_another_shelf_is_another_answer(client):
    service = client.app.state.service
    client.post("/api/solve", json=ASKED)
    before = service.kept.size
    parts = client.get("/api/shelf/fuse/csv").text.splitlines()
    mine = "\n".join([parts[0], "own-fuse-1," + parts[1].partition(",")[2]])
    assert client.post("/api/shelf/fuse/csv", content=mine, headers={"Content-Type": "text/csv"}).json() == {"taken": 1}
    client.post("/api/solve", json=ASKED)
    assert service.kept.size > before
    assert client.delete("/api/shelf/fuse/own-fuse-1").status_code == 204


def test_work_is_dropped_when_its_client_goes():
    async def run():
        gone, dropped = asyncio.Event(), asyncio.Event()

        async def receive():
            await gone.wait()
            return {"type": "http.disconnect"}

        async def work():
            gone.set()
            try:
                await asyncio.sleep(600)
            finally:
                dropped.set()

        asker = Asker(None, Request({"type": "http"}, receive))
        with pytest.raises(Gone):
            await asker.waiting(work())
        await asyncio.wait_for(dropped.wait(), 5)
        assert dropped.is_set()

    asyncio.run(run())


def test_a_shelf_that_changed_while_it_was_read_is_read_again(client, monkeypatch):
    service, read = client.app.state.service, []

    def reading(session):
        read.append(session)
        if len(read) == 1:
            service.forget_shelf()  # somebody's import is through meanwhile
        return Shelf([] if len(read) == 1 else house_shelf().all(Fuse))

    monkeypatch.setattr("rhombos.api.service.load_shelf", reading)
    service.forget_shelf()
    assert len(service.shelf) > 0
    assert len(read) == 2
    assert service.shelf is service.shelf


def test_answers_are_kept_by_their_bytes():
    kept = Kept(100)
    for name in "abc":
        kept.put(name, b"x" * 39)
    assert (kept.get("a"), kept.get("b"), kept.size) == (None, b"x" * 39, 80)
    kept.put("d", b"y" * 39)
    assert kept.get("c") is None  # b was asked for since
    kept.put("b", b"z")
    assert (kept.get("b"), kept.size) == (b"z", 42)
    kept.put("e", b"w" * 200)
    assert (kept.get("e"), kept.size) == (None, 0)


@pytest.mark.parametrize("path", ["/api/compare", "/api/rating", "/api/coils", "/api/scope", "/api/charts/heat"])
def test_pictures_and_benches_come_from_beside_the_server(client, path):
    assert client.post(path, json=ASKED).status_code == 200
