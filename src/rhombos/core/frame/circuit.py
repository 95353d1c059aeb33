"""A stage's circuit as data: what is drawn where, by which symbol, with which value. The screen draws it as it stands."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.frame.references import designator

Symbol = Literal["resistor", "inductor", "capacitor", "diode", "mosfet", "battery", "fuse", "load"]
WIDTH, HEIGHT = 470, 194
"""The sheet on which circuits are drawn."""


class _Plain(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Place(_Plain):
    """A point of the sheet."""

    x: float = Field(ge=0, le=WIDTH)
    y: float = Field(ge=0, le=HEIGHT)


def places(*found: tuple[float, float]) -> tuple[Place, ...]:
    """Several points."""
    return tuple(Place(x=x, y=y) for x, y in found)


class Element(_Plain):
    """A symbol after IEC 60617 from a place, turned about it by degrees; `ref` its reference on the stage's sheet where it is a
    line of the parts list, else a `name`; `part` the field or figure of its stage whose value is written beside it, at
    `label`."""

    symbol: Symbol
    name: str = Field("", max_length=12)
    ref: str = ""
    part: str = ""
    x: float = Field(ge=0, le=WIDTH)
    y: float = Field(ge=0, le=HEIGHT)
    turn: float = 0
    label: Place
    at: Literal["start", "middle", "end"] = "start"


class Label(_Plain):
    """Words, or the value of a figure, that belong to no symbol."""

    name: str = ""
    part: str = ""
    x: float
    y: float
    at: Literal["start", "middle", "end"] = "start"


class Circuit(_Plain):
    """Elements, the wires between them as paths, junctions, terminals, labels."""

    elements: tuple[Element, ...]
    wires: tuple[str, ...]
    nodes: tuple[Place, ...] = ()
    terminals: tuple[Place, ...] = ()
    labels: tuple[Label, ...] = ()

    def on_sheet(self, sheet: int) -> Circuit:
        """As it is drawn on a sheet of this number, its parts called by their references in the whole design."""
        called = tuple(e.model_copy(update={"name": designator(sheet, e.ref)}) if e.ref else e for e in self.elements)
        return self.model_copy(update={"elements": called})

    def figures(self) -> tuple[str, ...]:
        """Every field or figure that is written on it."""
        written = (*(e.part for e in self.elements), *(label.part for label in self.labels))
        return tuple(name for name in written if name)
