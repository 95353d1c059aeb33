"""What every route offers: its blocks, how it is proposed and settled, and what it tells."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import ModuleType
from typing import Any, TypeVar

from rhombos.core.blocks.base import Build
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.rules import Rules
from rhombos.core.frame.ledger import Ledger
from rhombos.core.frame.points import Point
from rhombos.core.frame.report import BlockReport, Operating, Stepped
from rhombos.core.frame.sheet import Sheet
from rhombos.core.frame.topology import RouteName
from rhombos.core.parts import Shelf
from rhombos.core.routes.passes import SETTLED
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.modulation import Steps, three_level

V_FLOOR = 0.3
"""Share of the source's open voltage below which no pass looks: far beyond any design, so that hopeless ones still end."""
HOTTEST = 300.0


@dataclass(frozen=True)
class Settled:
    """All states at one point, and the power that enters each block, W; whether the passes came to rest."""

    point: Point
    states: Mapping[str, Any]
    flow: Mapping[str, float]
    converged: bool = field(default=False, kw_only=True)


SettledKind = TypeVar("SettledKind", bound=Settled)


def at_its_end(settled: SettledKind) -> SettledKind:
    """The same point; where it came to no rest with the source at its largest power, as one that the source cannot feed."""
    cells = settled.states["source"]
    if settled.converged or cells.collapsed or cells.power < NEAR_END * cells.capable:
        return settled
    return fallen(settled)


def fallen(settled: SettledKind) -> SettledKind:
    """The same point as one that the source cannot feed."""
    return replace(settled, states={**settled.states, "source": replace(settled.states["source"], collapsed=True)})


NEAR_END = 0.93
"""Share of the source's largest power from which on passes may find no rest."""


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

    def titled(self, waveform: Waveform) -> str:
        """The route with the wave that it is to make."""
        return f"{self.title}, {waveform}"

    def making(self, waveform: Waveform) -> Route:
        """The same for a wave, where waves are settled in ways of their own."""
        return self

    def refuses(self, brief: Brief) -> str | None:
        """Why it makes nothing of this source for this socket; None where it may."""
        return None

    @abstractmethod
    def blocks(self, waveform: Waveform) -> tuple[ModuleType, ...]:
        """From the source to the load."""

    def asides(self, waveform: Waveform) -> tuple[ModuleType, ...]:
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


def socket_volts(states: Mapping[str, Any]) -> float:
    """What stands at the socket, V RMS or DC: what a winding or a bridge makes of its input, or what is held there."""
    makes = (getattr(states.get(stage), "output", 0.0) for stage in ("iron_transformer", "h_bridge"))
    return float(next((v for v in makes if v > 0), states["load"].voltage))


def lossy(route: Route, waveform: Waveform) -> tuple[str, ...]:
    """Blocks whose losses stand between the source's terminals and the socket."""
    return tuple(b.KEY for b in route.blocks(waveform) if b.KEY not in ("source", "load"))
