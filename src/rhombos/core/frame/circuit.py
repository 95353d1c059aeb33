"""A stage's circuit as data: what is drawn where, by which symbol, with which value. Screen and paper draw it as it stands."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.frame.inventory import Item
from rhombos.core.frame.references import designator

Symbol = Literal[
    "resistor",
    "inductor",
    "choke",
    "winding",
    "capacitor",
    "electrolytic",
    "diode",
    "mosfet",
    "igbt",
    "battery",
    "supply",
    "alternating",
    "fuse",
    "contact",
    "load",
]
Side = Literal["start", "middle", "end"]
Tone = Literal["ink", "soft", "stop", "copper", "steel"]
WIDTH, HEIGHT = 470, 194
"""The sheet on which circuits are drawn."""
Words = Mapping[str, str]
"""What may be written on a circuit: the texts of its stage's figures and fields by name, and what its report adds to them."""


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
    """A symbol after IEC 60617 from a place, turned about it by degrees, seen from the other side where it is mirrored; `ref`
    its reference on the stage's sheet where it is a line of the parts list, at one of several `positions`, else a `name`;
    `part` the field or figure of its stage that it stands for, whose value is written beside it at `label` unless a `value`
    says it."""

    symbol: Symbol
    name: str = ""
    ref: str = ""
    position: int = Field(1, ge=1)
    positions: int = Field(1, ge=1)
    part: str = ""
    value: str | None = None
    x: float = Field(ge=0, le=WIDTH)
    y: float = Field(ge=0, le=HEIGHT)
    turn: float = 0
    mirrored: bool = False
    label: Place | None = None
    at: Side = "start"
    tone: Tone = "ink"


class Label(_Plain):
    """Words, or the value of a figure, that belong to no symbol: a name, and beneath it a value. Names of figures stand in
    braces."""

    name: str = ""
    value: str = ""
    x: float
    y: float
    at: Side = "start"
    tone: Tone = "ink"


class Shape(_Plain):
    """A line or an outline that is no conductor: a barrier, a box, an arrow."""

    d: str
    tone: Tone = "ink"
    dashed: str = ""
    width: float = 1.4
    fill: Literal["none", "ink", "paper", "sheet", "copper.soft", "steel.soft"] = "none"


class Circuit(_Plain):
    """Elements, the wires between them as paths, junctions, terminals, labels, shapes; and for each way that current takes
    through it, by name, the path."""

    elements: tuple[Element, ...] = ()
    wires: tuple[str, ...] = ()
    nodes: tuple[Place, ...] = ()
    terminals: tuple[Place, ...] = ()
    labels: tuple[Label, ...] = ()
    shapes: tuple[Shape, ...] = ()
    paths: dict[str, str] = {}

    def __add__(self, other: Circuit) -> Circuit:
        """Both on one sheet."""
        return Circuit(
            elements=self.elements + other.elements,
            wires=self.wires + other.wires,
            nodes=self.nodes + other.nodes,
            terminals=self.terminals + other.terminals,
            labels=self.labels + other.labels,
            shapes=self.shapes + other.shapes,
            paths=self.paths | other.paths,
        )


NOTHING = Circuit()


class DrawnSymbol(_Plain):
    """A symbol at its place."""

    symbol: Symbol
    x: float
    y: float
    turn: float
    mirrored: bool


class DrawnText(_Plain):
    """A name and a value, either may be empty."""

    x: float
    y: float
    at: Side
    name: str
    value: str
    tone: Tone


class Drawing(_Plain):
    """A circuit with everything that is written on it."""

    symbols: tuple[DrawnSymbol, ...]
    texts: tuple[DrawnText, ...]
    wires: tuple[str, ...]
    nodes: tuple[Place, ...]
    terminals: tuple[Place, ...]
    shapes: tuple[Shape, ...]
    paths: dict[str, str]


_IN_BRACES = re.compile(r"\{(\w+)\}")


def drawn(circuit: Circuit, words: Words, sheet: int = 0, items: Sequence[Item] = ()) -> Drawing:
    """A circuit as it is drawn on a sheet of this number, its parts called by their references in the whole design; `items` are
    the stage's lines of the parts list.

    Raises: KeyError where it names a figure that the stage has not.
    """
    counts = _counts(items)

    def written(text: str) -> str:
        return _IN_BRACES.sub(lambda found: words[found[1]], text).strip()

    def texts() -> Iterator[DrawnText]:
        for e in circuit.elements:
            if e.label is None:
                continue
            name = _called(e, sheet, counts.get(e.ref, 1)) if e.ref else written(e.name)
            value = written(e.value) if e.value is not None else words[e.part] if e.part else ""
            yield DrawnText(x=e.label.x, y=e.label.y, at=e.at, name=name, value=value, tone=e.tone)
        for label in circuit.labels:
            yield DrawnText(
                x=label.x, y=label.y, at=label.at, name=written(label.name), value=written(label.value), tone=label.tone
            )

    return Drawing(
        symbols=tuple(DrawnSymbol(symbol=e.symbol, x=e.x, y=e.y, turn=e.turn, mirrored=e.mirrored) for e in circuit.elements),
        texts=tuple(t for t in texts() if t.name or t.value),
        wires=circuit.wires,
        nodes=circuit.nodes,
        terminals=circuit.terminals,
        shapes=circuit.shapes,
        paths=circuit.paths,
    )


def switches(circuit: Circuit, sheet: int, items: Sequence[Item]) -> dict[str, str]:
    """The transistors of a circuit by their positions, each as it is called."""
    count = _counts(items).get("Q1", 1)
    return {str(e.position): _called(e, sheet, count) for e in circuit.elements if e.ref == "Q1"}


def _counts(items: Sequence[Item]) -> dict[str, int]:
    """How many parts there are of a reference; a core and its wire are one."""
    listed = [item.ref for item in items]
    return {item.ref: item.count for item in items if listed.count(item.ref) == 1}


def _called(element: Element, sheet: int, count: int) -> str:
    """The reference of what stands at one of several positions, each of as many like parts."""
    whole = designator(sheet, element.ref) if sheet else element.ref  # alone, with no design about it
    each = count // element.positions
    if count <= 1 or each < 1:
        return whole
    first = (element.position - 1) * each + 1
    return f"{whole}.{first}" if each == 1 else f"{whole}.{first}…{first + each - 1}"


def box(x: float, y: float, width: float, height: float) -> str:
    """The outline of a rectangle from its upper left corner."""
    return f"M{x:g} {y:g}h{width:g}v{height:g}h{-width:g}z"


def missing(x: float, y: float, width: float, *lines: str) -> Circuit:
    """What is not fitted, where it would be: a name, and what comes of it."""
    return Circuit(
        shapes=(Shape(d=box(x, y, width, 15 * len(lines) + 8), tone="stop", dashed="4 3"),),
        labels=tuple(
            Label(x=x + 8, y=y + 16 + 15 * n, tone="stop", **{"value" if n else "name": line}) for n, line in enumerate(lines)
        ),
    )


def arrow(x: float, y: float) -> Shape:
    """A current's direction, along x."""
    return Shape(d=f"M{x:g} {y:g}h26m-6 -4 6 4-6 4", tone="copper", width=1.5)
