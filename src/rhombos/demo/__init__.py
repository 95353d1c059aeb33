"""Demo data: the house parts and made-up designs."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

from rhombos.core.parts import KINDS, Part, Shelf
from rhombos.core.parts.table import read_csv


def house_parts() -> list[Part]:
    """Every part that ships with Rhombos, read from its CSV files."""
    folder = files("rhombos.demo") / "parts"
    return [part for kind in KINDS for part in read_csv(kind, (folder / f"{kind}.csv").read_text(encoding="utf-8"))]


@lru_cache(maxsize=1)
def house_shelf() -> Shelf:
    """The shelf of house parts."""
    return Shelf(house_parts())
