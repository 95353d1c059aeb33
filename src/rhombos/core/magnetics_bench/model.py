"""What the magnetics bench shows, as plain data with its texts: nothing is computed where it is drawn."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from rhombos.core.design.findings import PinValue
from rhombos.core.frame.labels import Labelled
from rhombos.core.plots.model import Chart

Patch = dict[str, PinValue]


class _Plain(BaseModel):
    model_config = ConfigDict(frozen=True)


class Option(_Plain):
    """One choice among others: a core, a number of turns, a wire, a way to interleave. `patch` pins it; `fits` says whether it
    keeps to the house limits, `why` what stands against it."""

    name: str
    here: bool
    fits: bool
    why: str
    texts: dict[str, str]
    patch: Patch


class OptionTable(_Plain):
    """Choices side by side: `columns` are the keys of their texts with what stands above them."""

    key: str
    title: str
    remark: str
    columns: tuple[Labelled, ...]
    options: tuple[Option, ...]


class School(_Plain):
    """One way to say how large a core must be: what it asks, what it counts on, and the smallest stack that gives it."""

    name: str
    asks: str
    here: str
    core: str
    enough: bool
    because: str


class WindingRow(_Plain):
    """One step at the winding bench, from the core outwards."""

    what: str
    turns: str
    wire: str
    in_hand: str
    layers: str
    length: str
    mass: str
    starts: str
    note: str


class WindingSheet(_Plain):
    """What a person winds from."""

    title: str
    core: str
    rows: tuple[WindingRow, ...]
    checks: tuple[Labelled, ...]
    cautions: tuple[str, ...]
    phasing: tuple[int, ...] | None
    """Halves of primary and secondary; of an inductor none."""
    window: Chart


class CoilBench(_Plain):
    """Everything about one wound part of a design."""

    block: str
    title: str
    tables: tuple[OptionTable, ...]
    schools: tuple[School, ...]
    charts: tuple[Chart, ...]
    sheet: WindingSheet
