"""The shelf: every part at hand, with its columns as arrays for searching."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from functools import cached_property
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np

from rhombos.core.parts.kinds import KINDS, Bipolar, Igbt, Mosfet, Part, Transistor
from rhombos.core.parts.part import Mounted

if TYPE_CHECKING:
    from rhombos.core.parts.drawer import Stock

P = TypeVar("P", bound=Part)
Stocked = tuple[str, str]
"""Kind and designation of a part in the drawer."""
MOST_WAYS = 12
"""In which one shelf is kept, seen otherwise."""


class UnknownPart(LookupError):
    """A designation that is not on the shelf; the message offers near ones."""


class Shelf:
    """An immutable set of parts, and what of them lies in the drawer. Order within a kind is by designation, so that every
    choice is repeatable."""

    def __init__(
        self, parts: Iterable[Part], drawer: Mapping[Stocked, Stock] | None = None, made_of: Shelf | None = None
    ) -> None:
        """`drawer` says what is at hand; `made_of` is the shelf whose parts these are, seen otherwise."""
        self.drawer: Mapping[Stocked, Stock] = drawer or {}
        self.plain: Shelf = made_of.plain if made_of else self
        self._seen: dict[Hashable, Shelf] = {}
        self._by_kind: dict[type[Part], list[Any]] = {model: [] for model in KINDS.values()}
        for part in parts:
            self._by_kind[type(part)].append(part)
        for found in self._by_kind.values():
            found.sort(key=lambda p: p.id)
        self._tables: dict[type[Part], SimpleNamespace] = {}
        self._columns: dict[tuple[type[Part], str], np.ndarray[Any, Any]] = {}

    def seen(self, way: Hashable, part: Callable[[Part], Part | None]) -> Shelf:
        """This shelf with each part taken for another of its kind, or left out for None. The last `MOST_WAYS` are kept."""
        if way not in self._seen:
            taken = (part(p) for parts in self._by_kind.values() for p in parts)
            self._seen[way] = Shelf((p for p in taken if p is not None), self.drawer, self)
            if len(self._seen) > MOST_WAYS:
                del self._seen[next(iter(self._seen))]
        return self._seen[way]

    def stocked(self, drawer: Mapping[Stocked, Stock]) -> Shelf:
        """The same parts with another drawer."""
        return Shelf((p for parts in self.plain._by_kind.values() for p in parts), drawer)

    def __len__(self) -> int:
        return sum(len(v) for v in self._by_kind.values())

    def all(self, kind: type[P]) -> Sequence[P]:
        """Every part of a kind."""
        return self._by_kind[kind]

    def all_ids(self, kind: str) -> list[str]:
        """Designations of a kind (or of several: ``mosfet|igbt``), in order."""
        return [p.id for name in kind.split("|") for p in self._by_kind[KINDS[name]]]

    def find(self, kind: str, designation: str) -> Part:
        """One part of a kind, or of several (``mosfet|igbt``). Raises: UnknownPart."""
        names = kind.split("|")
        for name in names[:-1]:
            if designation in self._index[KINDS[name]]:
                return self.get(KINDS[name], designation)
        return self.get(KINDS[names[-1]], designation)

    def transistor(self, designation: str) -> Transistor:
        """A switch that is driven at a gate. Raises: UnknownPart."""
        return self.get(Mosfet, designation) if designation in self._index[Mosfet] else self.get(Igbt, designation)

    def switch(self, designation: str) -> Mosfet | Bipolar:
        """A switch of a stage that makes its own drive. Raises: UnknownPart."""
        return self.get(Mosfet, designation) if designation in self._index[Mosfet] else self.get(Bipolar, designation)

    def get(self, kind: type[P], designation: str) -> P:
        """One part by designation. Raises: UnknownPart."""
        found = self._index[kind].get(designation)
        if found is None:
            near = [p.id for p in self._by_kind[kind] if p.id[:3].lower() == designation[:3].lower()][:4]
            hint = f"; on the shelf: {', '.join(near)}" if near else ""
            raise UnknownPart(f"there is no {kind.__name__.lower()} ‘{designation}’{hint}")
        return found  # type: ignore[no-any-return]

    def column(self, kind: type[Part], name: str) -> np.ndarray[Any, Any]:
        """One field (or property) of every part of a kind, as an array in the order of `all`."""
        key = (kind, name)
        if key not in self._columns:
            self._columns[key] = np.array([getattr(p, name) for p in self._by_kind[kind]])
        return self._columns[key]

    def columns(self, kind: type[Part]) -> SimpleNamespace:
        """Every numeric field of a kind as arrays, by name, so that a rule for one part reads the same for all."""
        if kind not in self._tables:
            names = [n for n in kind.model_fields if n not in ("id", "package")]
            self._tables[kind] = SimpleNamespace(**{n: self.column(kind, n) for n in names})
        return self._tables[kind]

    @cached_property
    def surface_mounted(self) -> tuple[tuple[float, str], ...]:
        """Body length, m, and designation of each part with lands instead of legs."""
        parts = (p for found in self._by_kind.values() for p in found if isinstance(p, Mounted))
        return tuple((p.smallest, p.id) for p in parts if p.smallest < float("inf"))

    @cached_property
    def _index(self) -> dict[type[Part], dict[str, Any]]:
        return {kind: {p.id: p for p in parts} for kind, parts in self._by_kind.items()}

    @cached_property
    def fingerprint(self) -> str:
        """A digest of the whole content, for caching solutions."""
        digest = hashlib.sha256()
        for kind, model in KINDS.items():
            for part in self._by_kind[model]:
                digest.update(kind.encode())
                digest.update(part.model_dump_json().encode())
        for (kind, designation), stock in sorted(self.drawer.items()):
            digest.update(f"{kind} {designation} {stock.model_dump_json()}".encode())
        return digest.hexdigest()
