"""What a block asks of a part that only has to stand something, and what on the shelf does."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from rhombos.core.design.problems import unit_of
from rhombos.core.parts import FITTINGS, Part, Shelf
from rhombos.core.units.quantities import short

SAME = 0.02
"""How far a figure that must be met may lie beside it."""


@dataclass(frozen=True, slots=True)
class Requirement:
    """A part of a kind for a block, with its reference on the block's sheet: figures that it must reach, or not pass, what it
    must meet, how many are needed, and the block's figures that tell of it beside its own."""

    block: str
    name: str
    title: str
    kind: str
    ref: str
    least: Mapping[str, float] = field(default_factory=dict)
    most: Mapping[str, float] = field(default_factory=dict)
    exact: Mapping[str, float | str] = field(default_factory=dict)
    count: int = 1
    fields: tuple[str, ...] = ()

    def told(self) -> str:
        """In words: ``coil, rated 12 V; contact current at least 16 A; poles at least 2``."""
        fields = FITTINGS[self.kind].model_fields

        def said(name: str, value: float | str, bound: str = "") -> str:
            text = value if isinstance(value, str) else short(value, unit_of(fields[name]) or "1")
            return f"{in_a_sentence(fields[name].title or name)}{bound} {text}"

        return "; ".join(
            (
                *(said(n, v) for n, v in self.exact.items()),
                *(said(n, v, " at least") for n, v in self.least.items()),
                *(said(n, v, " at most") for n, v in self.most.items()),
            )
        )

    def met_from(self, shelf: Shelf) -> Part | None:
        """The cheapest part that meets it, of equals the one that is least beyond it; None where there is none."""
        model = FITTINGS[self.kind]
        able = np.ones(len(shelf.all(model)), bool)
        over = np.zeros(len(able))
        for name, least in self.least.items():
            column = shelf.column(model, name)
            able &= column >= least
            over += column / least if least > 0 else 0.0
        for name, most in self.most.items():
            able &= shelf.column(model, name) <= most
        for name, value in self.exact.items():
            column = shelf.column(model, name)
            able &= column == value if isinstance(value, str) else np.abs(column - value) <= SAME * value
        found = np.flatnonzero(able)
        if not found.size:
            return None
        first = int(np.lexsort((over[found], shelf.column(model, "price")[found]))[0])
        return shelf.all(model)[int(found[first])]


def in_a_sentence(title: str) -> str:
    """A title within a sentence: an abbreviation stays as it is."""
    return title[0].lower() + title[1:] if title[1:2].islower() else title
