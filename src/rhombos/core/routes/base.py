"""What every route offers: its blocks, how it is proposed and settled, and what it tells."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from types import ModuleType
from typing import Any, TypeVar

import numpy as np

from rhombos.core.blocks.base import Build
from rhombos.core.brief import Brief, Waveform
from rhombos.core.ledger import Ledger
from rhombos.core.parts import Shelf
from rhombos.core.points import Point
from rhombos.core.report import BlockReport, Operating, Stepped
from rhombos.core.rules import Rules
from rhombos.core.sheet import Sheet
from rhombos.core.topology import RouteName
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.modulation import Steps, three_level

MOST_PASSES = 120
V_FLOOR = 0.3
"""Share of the battery's open voltage below which no pass looks: far beyond any design, so that hopeless ones still end."""
HOTTEST = 300.0
FORESEEN = 8
"""Passes after which none is foreseen any more: where that has not brought rest, plain ones may."""
FURTHEST = 2.0
"""How many times what a pass made of a figure it may be foreseen to become, or a part of it as small: no sign turns about."""
HOPELESS = 5
"""Passes in a row that ask more than the battery has, after which a point is given up."""
CALM = ((14, 1.0), (30, 0.5), (60, 0.25), (MOST_PASSES, 0.1))
"""How far each pass goes towards what it found, up to so many passes: a point that swings about its rest would do so for
ever."""
SETTLED = 1e-4
"""Relative change of one pass below which an operating point counts as settled."""


@dataclass(frozen=True)
class Settled:
    """All states at one point, and the power that enters each block, W; whether the passes came to rest."""

    point: Point
    states: Mapping[str, Any]
    flow: Mapping[str, float]
    converged: bool = field(default=False, kw_only=True)


SettledKind = TypeVar("SettledKind", bound=Settled)


def at_its_end(settled: Any) -> Any:
    """The same point; where it came to no rest with the battery at its largest power, as one that the battery cannot feed."""
    cells = settled.states["battery"]
    if settled.converged or cells.collapsed or cells.power < NEAR_END * cells.capable:
        return settled
    return fallen(settled)


def fallen(settled: SettledKind) -> SettledKind:
    """The same point as one that the battery cannot feed."""
    return replace(settled, states={**settled.states, "battery": replace(settled.states["battery"], collapsed=True)})


NEAR_END = 0.93
"""Share of the battery's largest power from which on passes may find no rest."""


def calmed(before: Any, after: Any, turn: int) -> Any:
    """Part of the way from one guess to the next, the less the longer it takes; what is no number is taken as it comes."""
    share = next(s for most, s in CALM if turn < most)
    if share == 1.0:
        return after
    changed = {}
    for f in fields(before):
        a, b = getattr(before, f.name), getattr(after, f.name)
        if isinstance(a, float) and isinstance(b, float):
            changed[f.name] = a + share * (b - a)
    return replace(after, **changed)


def foreseen(past: Sequence[tuple[Any, Any]]) -> Any:
    """Where guesses are heading, from those last passed with what each pass made of it: the mix of passes that moves least,
    each field taken relative to itself (Anderson's mixing). Finds in 8 passes what plain ones swing about for 25."""
    after = past[-1][1]
    names = [f.name for f in fields(after) if isinstance(getattr(after, f.name), float)]
    came, went = (np.array([[getattr(guess, n) for n in names] for guess in side]) for side in zip(*past, strict=True))
    off = (went - came) / np.maximum(np.abs(went[-1]), 1e-9)
    mix = np.linalg.lstsq(np.diff(off, axis=0).T, off[-1], rcond=1e-6)[0]
    ahead = went[-1] - mix @ np.diff(went, axis=0)
    near = np.sort([went[-1] / FURTHEST, went[-1] * FURTHEST], axis=0)
    return replace(after, **dict(zip(names, np.clip(ahead, *near).tolist(), strict=True)))


@dataclass(frozen=True)
class StepWave:
    """A stepped output: share of the time that its pulses take, their level, V, and the share for which diodes then turn them
    about."""

    share: float
    level: float
    back: float = 0.0

    def wave(self, line: float) -> Steps:
        """One line period."""
        return three_level(self.share, self.level, line, self.back)


class Route(ABC):
    """An architecture: an ordered list of blocks, and how power and limits pass between them."""

    key: RouteName
    title: str
    waveforms: tuple[Waveform, ...]
    builds: Mapping[str, type[Build]]
    hint_points: tuple[str, ...]
    rounds: int
    """Rounds of proposals at most."""
    needed: tuple[str, ...]
    """Kinds of part without which nothing can be built."""

    @abstractmethod
    def blocks(self, waveform: Waveform) -> tuple[ModuleType, ...]:
        """From the source to the load."""

    def asides(self) -> tuple[ModuleType, ...]:
        """Blocks that lie beside the power path: they pass no power, but are chosen and judged like any other."""
        return ()

    def propose_asides(
        self,
        brief: Brief,
        builds: Mapping[str, Any],
        settled: Mapping[str, Any],
        pins: Mapping[str, dict[str, Any]],
        shelf: Shelf,
        rules: Rules,
    ) -> dict[str, Build]:
        """What lies beside the path, chosen once the path stands; `settled` holds the hint points. Pinned fields stay."""
        return {}

    @abstractmethod
    def title_of(self, block: str) -> str:
        """What people call a block of this route."""

    @abstractmethod
    def first_hints(self, brief: Brief, pins: Mapping[str, Mapping[str, Any]], rules: Rules) -> Any:
        """A designer's first guess of what proposals need to know."""

    @abstractmethod
    def next_hints(self, settled: Mapping[str, Any], before: Any = None) -> Any:
        """What the assessed design teaches the next round; `before` are the hints that it had itself."""

    @abstractmethod
    def propose(
        self, brief: Brief, hints: Any, pins: Mapping[str, dict[str, Any]], shelf: Shelf, rules: Rules
    ) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""

    @abstractmethod
    def settle_all(
        self,
        builds: Mapping[str, Any],
        brief: Brief,
        shelf: Shelf,
        rules: Rules,
        *,
        ledgers: Mapping[str, Ledger] | None = None,
        keys: tuple[str, ...] = (),
        start: Mapping[str, Any] | None = None,
        tolerance: float = SETTLED,
        points: Mapping[str, Point] | None = None,
    ) -> dict[str, Any]:
        """Every operating point (or those of `keys`, or `points` of one's own)."""

    @abstractmethod
    def hopeless(self, settled: Mapping[str, Any]) -> frozenset[str]:
        """Points that cannot be held."""

    @abstractmethod
    def operating(self, settled: Mapping[str, Any], builds: Mapping[str, Any], shelf: Shelf) -> Operating | None:
        """The nominal point as the waveforms see it; None for stepped waves."""

    def stepped(self, settled: Mapping[str, Any], builds: Mapping[str, Any], shelf: Shelf) -> Stepped | None:
        """The nominal point of a stepped wave as the scope sees it; None for a sine."""
        return None

    @abstractmethod
    def supply(self, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules) -> Supply:
        """What stands before the bridge, for waves that march it too."""

    @abstractmethod
    def steps(self, settled: Mapping[str, Any], builds: Mapping[str, Any]) -> StepWave:
        """The stepped output at the nominal point."""

    @abstractmethod
    def report(
        self, block: ModuleType, sheet: Sheet, settled: Mapping[str, Any], builds: Mapping[str, Any], brief: Brief
    ) -> BlockReport:
        """One block's figures and findings."""


def lossy(route: Route, waveform: Waveform) -> tuple[str, ...]:
    """Blocks whose losses stand between the battery's terminals and the socket."""
    return tuple(b.KEY for b in route.blocks(waveform) if b.KEY not in ("battery", "load"))
