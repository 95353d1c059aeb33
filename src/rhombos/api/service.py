"""What the routers share: the database, the shelf as it stands, the crew that works things out, and its last answers."""

from __future__ import annotations

import asyncio
from collections import OrderedDict
from collections.abc import AsyncIterator, Awaitable, Callable, Iterable
from threading import Lock
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel

from rhombos.core.benches.compare import Row, candidates
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.route_name import RouteName
from rhombos.core.design.rules import Rules
from rhombos.core.parts import Shelf
from rhombos.desk import routes
from rhombos.desk.asked import Asked
from rhombos.desk.crew import AT_ONCE, LATER, Crew
from rhombos.desk.desk import Desk
from rhombos.store.database import Database
from rhombos.store.parts import load_shelf

KEPT = 16_000_000
"""Bytes of answers that are kept."""
JSON = "application/json"
T = TypeVar("T")
Work = Callable[..., BaseModel | str | bytes]
"""Of a desk and whatever is given; a model, or a text as it is."""


class Service:
    """One per process."""

    def __init__(self, database: Database, crew: Crew) -> None:
        self.database, self.crew = database, crew
        self.kept = Kept(KEPT)
        self._shelf: Shelf | None = None
        self._changes = 0
        self._reading = Lock()

    @property
    def shelf(self) -> Shelf:
        """The shelf, read once and again after a change. Raises: DatabaseAway before the first reading."""
        if (shelf := self._shelf) is not None:
            return shelf
        with self._reading:
            while (shelf := self._shelf) is None:
                before = self._changes
                with self.database.session() as session:
                    shelf = load_shelf(session)
                shelf.fingerprint  # noqa: B018 - worked out here, not on the thread that serves everybody
                if self._changes == before:  # else what was read is older than the last change
                    self._shelf = shelf
            return shelf

    def forget_shelf(self) -> None:
        """parts changed: read them again."""
        self._changes += 1
        self._shelf = None

    async def shelf_at_hand(self) -> Shelf:
        """The shelf, nobody held up while it is read."""
        shelf = self._shelf
        return shelf if shelf is not None else await run_in_threadpool(lambda: self.shelf)

    async def rows(self, brief: Brief, rules: Rules) -> AsyncIterator[tuple[list[Row], int]]:
        """Every route's figures for a brief, each worked out by itself, so that whoever edits meanwhile comes between: those
        that are there so far, and how many are to come, as often as there are more. When one fails, or nobody waits any more,
        the others are dropped."""
        asked = rules.model_dump_json() + brief.model_dump_json()

        async def row(name: RouteName, wave: Waveform) -> Row:
            return Row.model_validate_json(await self.answered(routes.compared, asked, "", LATER, brief, rules, name, wave))

        tasks = [asyncio.ensure_future(row(name, wave)) for name, wave in candidates(brief)]
        there: list[Row] = []
        try:
            while True:
                waiting = [t for t in tasks if not t.done()]
                if waiting and len(there) + len(waiting) == len(tasks):  # none came while the last were told
                    await asyncio.wait(waiting, return_when=asyncio.FIRST_COMPLETED)
                there = [t.result() for t in tasks if t.done()]
                yield there, len(tasks) - len(there)
                if len(there) == len(tasks):
                    return
        finally:
            for task in tasks:
                task.cancel()

    async def answered(self, work: Work, asked: str, about: str, urgency: int, *given: Any) -> bytes:
        """What ``work(desk, *given)`` says, from the answers kept where the same was asked lately; `asked` is what it says
        beside the plain words among the given."""
        shelf = await self.shelf_at_hand()
        words = (x for x in given if isinstance(x, str))
        key = " ".join((shelf.fingerprint, work.__module__, work.__name__, *words, asked))
        kept = self.kept.get(key)
        if kept is None:
            kept = await self.crew.do(shelf, about, urgency, _written, work, *given)
            self.kept.put(key, kept)
        return kept


async def gathered(work: Iterable[Awaitable[T]]) -> list[T]:
    """What all of them come to; when one fails, or nobody waits any more, the others are dropped."""
    tasks = [asyncio.ensure_future(w) for w in work]
    try:
        return await asyncio.gather(*tasks)
    finally:
        for task in tasks:
            task.cancel()


class Kept:
    """The answers asked for last, no more than so many bytes of them."""

    def __init__(self, most: int) -> None:
        self._most, self.size = most, 0
        self._answers: OrderedDict[str, bytes] = OrderedDict()

    def get(self, key: str) -> bytes | None:
        """An answer that is still there."""
        if key in self._answers:
            self._answers.move_to_end(key)
        return self._answers.get(key)

    def put(self, key: str, answer: bytes) -> None:
        """Keep an answer, and drop the oldest. Its key counts too."""
        if key in self._answers:
            self._drop(key)
        self._answers[key] = answer
        self.size += len(key) + len(answer)
        while self.size > self._most and self._answers:
            self._drop(next(iter(self._answers)))

    def _drop(self, key: str) -> None:
        self.size -= len(key) + len(self._answers.pop(key))


class Gone(Exception):
    """The client went before its answer was there."""


class Asker:
    """Where one request asks for work, and stops asking when its client has gone."""

    def __init__(self, service: Service, request: Request) -> None:
        self.service, self._request = service, request

    async def answer(self, work: Work, asked: BaseModel, *more: str, media: str = JSON) -> Response:
        """What ``work(desk, asked, *more)`` says, as a response. Raises: Gone."""
        about = asked.key if isinstance(asked, Asked) else ""
        answered = self.service.answered(work, asked.model_dump_json(), about, AT_ONCE, asked, *more)
        return Response(await self.waiting(answered), media_type=media)

    async def waiting(self, work: Awaitable[T]) -> T:
        """What the work comes to; if it is not begun when the client goes, it is dropped. Raises: Gone."""
        doing, gone = asyncio.ensure_future(work), asyncio.ensure_future(self._goes())
        try:
            await asyncio.wait((doing, gone), return_when=asyncio.FIRST_COMPLETED)
            if not doing.done():
                raise Gone
            return doing.result()
        finally:
            for task in (doing, gone):
                task.cancel()

    async def _goes(self) -> None:
        while (await self._request.receive())["type"] != "http.disconnect":
            pass


def _written(desk: Desk, work: Work, *given: Any) -> bytes:
    """An answer as it is sent. A model is valid already, and large: it is written once, by its own serialiser."""
    made = work(desk, *given)
    if isinstance(made, BaseModel):
        return made.model_dump_json().encode()
    return made.encode() if isinstance(made, str) else made


async def _service(request: Request) -> Service:
    return request.app.state.service  # type: ignore[no-any-return]


async def _asker(request: Request) -> Asker:
    return Asker(request.app.state.service, request)


Serving = Annotated[Service, Depends(_service)]
Asking = Annotated[Asker, Depends(_asker)]
