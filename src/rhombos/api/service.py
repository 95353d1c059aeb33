"""What the routers share: the database, the shelf as it stands, and sizings kept by content."""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Mapping
from contextlib import suppress
from threading import Lock
from typing import Annotated

from fastapi import Depends, Request

from rhombos.core.brief import Brief
from rhombos.core.compare import Row, compare
from rhombos.core.findings import PinValue
from rhombos.core.parts import Shelf
from rhombos.core.routes import DEFAULT, RouteName
from rhombos.core.rules import PRESETS, RuleName
from rhombos.core.solve import Worked, work_out
from rhombos.store.database import Database, DatabaseAway
from rhombos.store.parts import load_shelf

KEPT = 48


class Service:
    """One per process."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self._shelf: Shelf | None = None
        self._kept: OrderedDict[str, Worked] = OrderedDict()
        self._compared: OrderedDict[str, list[Row]] = OrderedDict()
        self._lock = Lock()

    @property
    def shelf(self) -> Shelf:
        """The shelf, read once and again after a change. Raises: DatabaseAway before the first reading."""
        if self._shelf is None:
            with self.database.session() as session:
                self._shelf = load_shelf(session)
        return self._shelf

    def warm(self) -> None:
        """Compile the book by one sizing, so that the first person does not wait for it."""
        with suppress(DatabaseAway):
            self.work(Brief(), {}, "usual")

    def forget_shelf(self) -> None:
        """Parts changed: read them anew."""
        with self._lock:
            self._shelf = None
            self._kept.clear()
            self._compared.clear()

    def work(self, brief: Brief, pins: Mapping[str, PinValue], rules: RuleName, route: RouteName = DEFAULT) -> Worked:
        """A sizing, from those kept if it was asked for lately. Raises: as `work_out`."""
        shelf = self.shelf
        key = json.dumps([brief.model_dump(mode="json"), dict(sorted(pins.items())), rules, route, shelf.fingerprint])
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        worked = work_out(brief, pins, shelf, PRESETS[rules], route)
        with self._lock:
            self._kept[key] = worked
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)
        return worked

    def rows(self, brief: Brief, rules: RuleName) -> list[Row]:
        """Every route's figures for a brief, from those kept if they were asked for lately."""
        shelf = self.shelf
        key = json.dumps([brief.model_dump(mode="json"), rules, shelf.fingerprint])
        with self._lock:
            if key in self._compared:
                return self._compared[key]
        found = list(compare(brief, shelf, PRESETS[rules]).rows)
        with self._lock:
            self._compared[key] = found
            while len(self._compared) > KEPT:
                self._compared.popitem(last=False)
        return found


def _service(request: Request) -> Service:
    return request.app.state.service  # type: ignore[no-any-return]


Serving = Annotated[Service, Depends(_service)]
