"""What the routers share: the database, the shelf as it stands, and sizings kept by content."""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress
from threading import Lock
from typing import Annotated, TypeVar

from fastapi import Depends, Request
from pydantic import BaseModel, Field

from rhombos.core.brief import Brief
from rhombos.core.compare import Row, compare
from rhombos.core.findings import PinAddress, PinValue
from rhombos.core.parts import Shelf
from rhombos.core.routes import DEFAULT, RouteName
from rhombos.core.rules import RuleChanges, RuleName, Rules, house_rules
from rhombos.core.solve import Worked, work_out
from rhombos.store.database import Database, DatabaseAway
from rhombos.store.parts import load_shelf

KEPT = 48
T = TypeVar("T")


class Asked(BaseModel):
    """A brief with its pins and house rules."""

    brief: Brief
    pins: dict[PinAddress, PinValue] = Field(default_factory=dict, max_length=200)
    rules: RuleName = "usual"
    house: RuleChanges = Field(default_factory=RuleChanges)
    route: RouteName = DEFAULT

    @property
    def house_rules(self) -> Rules:
        """The preset with what the house sets otherwise."""
        return house_rules(self.rules, self.house)


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
            self.work(Asked(brief=Brief()))

    def forget_shelf(self) -> None:
        """Parts changed: read them anew."""
        with self._lock:
            self._shelf = None
            self._kept.clear()
            self._compared.clear()

    def work(self, asked: Asked) -> Worked:
        """A sizing, from those kept if it was asked for lately. Raises: as `work_out`."""
        shelf, rules = self.shelf, asked.house_rules
        key = json.dumps([
            asked.brief.model_dump(mode="json"), dict(sorted(asked.pins.items())), rules.model_dump(), asked.route,
            shelf.fingerprint])  # fmt: skip
        return self._remembered(self._kept, key, lambda: work_out(asked.brief, asked.pins, shelf, rules, asked.route))

    def rows(self, brief: Brief, rules: Rules) -> list[Row]:
        """Every route's figures for a brief, from those kept if they were asked for lately."""
        shelf = self.shelf
        key = json.dumps([brief.model_dump(mode="json"), rules.model_dump(), shelf.fingerprint])
        return self._remembered(self._compared, key, lambda: list(compare(brief, shelf, rules).rows))

    def _remembered(self, kept: OrderedDict[str, T], key: str, make: Callable[[], T]) -> T:
        with self._lock:
            if key in kept:
                kept.move_to_end(key)
                return kept[key]
        made = make()
        with self._lock:
            kept[key] = made
            while len(kept) > KEPT:
                kept.popitem(last=False)
        return made


def _service(request: Request) -> Service:
    return request.app.state.service  # type: ignore[no-any-return]


Serving = Annotated[Service, Depends(_service)]
