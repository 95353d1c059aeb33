"""What the routers share: the database, the shelf as it stands, the crew that works things out, and its last answers."""

from __future__ import annotations

import asyncio
from collections import OrderedDict
from collections.abc import Awaitable, Callable, Iterable
from threading import Lock
from typing import Annotated, TypeVar

from fastapi import Depends, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel

from rhombos.core.brief import Brief, Waveform
from rhombos.core.compare import Row, candidates
from rhombos.core.parts import Shelf
from rhombos.core.routes import RouteName
from rhombos.core.rules import Rules
from rhombos.desk import routes
from rhombos.desk.asked import Asked
from rhombos.desk.crew import AT_ONCE, LATER, Crew
from rhombos.desk.desk import Desk
from rhombos.store.database import Database
from rhombos.store.parts import load_shelf

KEPT = 16_000_000
"""Bytes of answers that are kept."""
JSON = "application/json"
GONE = 499
"""The status of an answer that nobody waits for any more."""
T = TypeVar("T")
Work = Callable[..., BaseModel | str | bytes]
"""Of a desk, a request, and what else its address says."""


class Service:
    """One per process."""

    def __init__(self, database: Database, crew: Crew) -> None:
        self.database, self.crew = database, crew
        self.kept = Kept(KEPT)
        self._shelf: Shelf | None = None
        self._reading = Lock()

    @property
    def shelf(self) -> Shelf:
        """The shelf, read once and again after a change. Raises: DatabaseAway before the first reading."""
        shelf = self._shelf
        if shelf is None:
            with self._reading, self.database.session() as session:
                shelf = load_shelf(session)
            shelf.fingerprint  # noqa: B018 - worked out here, not on the thread that serves everybody
            self._shelf = shelf
        return shelf

    def forget_shelf(self) -> None:
        """Parts changed: read them anew."""
        self._shelf = None

    async def shelf_at_hand(self) -> Shelf:
        """The shelf, nobody held up while it is read."""
        shelf = self._shelf
        return shelf if shelf is not None else await run_in_threadpool(lambda: self.shelf)

    async def rows(self, brief: Brief, rules: Rules) -> list[Row]:
        """Every route's figures for a brief, each worked out by itself, so that whoever edits meanwhile comes between."""
        asked = brief.model_dump_json() + rules.model_dump_json()
        shelf = await self.shelf_at_hand()

        async def row(name: RouteName, wave: Waveform) -> Row:
            about = f"{shelf.fingerprint} row {name} {wave} {asked}"
            made = self.kept.get(about)
            if made is None:
                made = await self.crew.do(shelf, about, LATER, _compared, brief, rules, name, wave)
                self.kept.put(about, made)
            return Row.model_validate_json(made)

        return await gathered(row(name, wave) for name, wave in candidates(brief))


def _compared(desk: Desk, brief: Brief, rules: Rules, name: RouteName, wave: Waveform) -> bytes:
    return routes.compared(desk, brief, rules, name, wave).model_dump_json().encode()


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
        """Keep an answer, and let go of the oldest. Its key counts too."""
        if key in self._answers:
            self._drop(key)
        self._answers[key] = answer
        self.size += len(key) + len(answer)
        while self.size > self._most and self._answers:
            self._drop(next(iter(self._answers)))

    def _drop(self, key: str) -> None:
        self.size -= len(key) + len(self._answers.pop(key))


class Counter:
    """Where one request asks for work, and stops asking when its client has gone."""

    def __init__(self, service: Service, request: Request) -> None:
        self.service, self._request = service, request

    async def answer(self, work: Work, asked: BaseModel, *more: str, media: str = JSON) -> Response:
        """What ``work(desk, asked, *more)`` says, as a response."""
        shelf = await self.service.shelf_at_hand()
        about = asked.key if isinstance(asked, Asked) else ""
        key = " ".join((shelf.fingerprint, work.__module__, work.__name__, *more, asked.model_dump_json()))
        kept = self.service.kept.get(key)
        if kept is None:
            kept = await self.waiting(self.service.crew.do(shelf, about, AT_ONCE, _written, work, asked, *more))
            if kept is None:
                return Response(status_code=GONE)
            self.service.kept.put(key, kept)
        return Response(kept, media_type=media)

    async def waiting(self, work: Awaitable[T]) -> T | None:
        """What the work comes to; nothing when the client goes before that, and the work, if not begun, is dropped."""
        doing, gone = asyncio.ensure_future(work), asyncio.ensure_future(self._goes())
        try:
            await asyncio.wait((doing, gone), return_when=asyncio.FIRST_COMPLETED)
            return doing.result() if doing.done() else None
        finally:
            for task in (doing, gone):
                task.cancel()

    async def _goes(self) -> None:
        while (await self._request.receive())["type"] != "http.disconnect":
            pass


def _written(desk: Desk, work: Work, asked: BaseModel, *more: str) -> bytes:
    """An answer as it is sent. A model is valid already, and large: it is written once, by its own serialiser."""
    made = work(desk, asked, *more)
    if isinstance(made, BaseModel):
        return made.model_dump_json().encode()
    return made.encode() if isinstance(made, str) else made


async def _service(request: Request) -> Service:
    return request.app.state.service  # type: ignore[no-any-return]


async def _counter(request: Request) -> Counter:
    return Counter(request.app.state.service, request)


Serving = Annotated[Service, Depends(_service)]
Asking = Annotated[Counter, Depends(_counter)]
