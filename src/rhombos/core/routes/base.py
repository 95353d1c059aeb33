"""What every route offers: its blocks, how it is proposed and settled, and what it tells."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Generic, Literal, Protocol, TypeAlias, TypeVar

from rhombos.core.blocks import auxiliary_proposal
from rhombos.core.blocks.base import Build
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.pins import Pins
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds, Key
from rhombos.core.frame.points import SET_STEADY, SET_SURGES, Point
from rhombos.core.frame.report import Operating, Stepped
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.stage import Stage
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes import auxiliary_output
from rhombos.core.routes.auxiliary.shared import SHARED
from rhombos.core.routes.passes import SETTLED
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.modulation import Steps, three_level

AUXILIARY: tuple[Waveform, ...] = ("DC",)
"""What an auxiliary output gives, made of the source."""
V_FLOOR = 0.3
"""Share of the source's open voltage below which no pass looks: far beyond any design, so that hopeless ones still end."""
HOTTEST = 300.0


SettledT = TypeVar("SettledT", bound=Settled)
HintsT = TypeVar("HintsT")


def at_its_end(settled: SettledT) -> SettledT:
    """The same point; where it came to no rest with the source at its largest power, as one that the source cannot feed."""
    cells = settled.states[SOURCE]
    if settled.converged or cells.collapsed or cells.power < NEAR_END * cells.capable:
        return settled
    return fallen(settled)


def fallen(settled: SettledT) -> SettledT:
    """The same point as one that the source cannot feed."""
    return replace(settled, states=settled.states | {SOURCE: replace(settled.states[SOURCE], collapsed=True)})


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


Turned = Literal["link", "modulation"]
"""What sets an output lower: the set-point of the link that it stands on, or the bridge's index or width."""


class RouteOf(ABC, Generic[HintsT, SettledT]):
    """An architecture: an ordered list of stages, and how power and limits pass between them."""

    key: str
    title: str
    waveforms: tuple[Waveform, ...]
    fed_by: tuple[str, ...] = ("battery", "DC rail")
    """Kinds of source that it stands on."""
    beside: tuple[Waveform, ...] = ()
    """What a second socket beside its own may give, from the same secondary."""
    lends: tuple[Waveform, ...] = AUXILIARY
    """What a further output may be made of the source, behind the input."""
    hint_points: tuple[str, ...]
    turned_by: Mapping[Waveform, Turned] = {}
    """What sets the output lower where it is adjustable, for each wave that can be."""
    rounds: int
    """Rounds of proposals at most."""
    needed: tuple[str, ...]
    """Kinds of part without which nothing can be built."""
    marched = True
    """Whether what feeds its socket can be marched, for scope and pictures of waves."""

    def titled(self, waveform: Waveform) -> str:
        """The route with the wave that it is to make."""
        return f"{self.title}, {waveform}"

    def makes(self, waves: tuple[Waveform, ...]) -> bool:
        """Whether it can make these: of the first socket, and of any beside it."""
        first, *others = waves
        return first in self.waveforms and all(wave in (*self.beside, *self.lends) for wave in others)

    def making(self, waveform: Waveform) -> Route:
        """The same for a wave, where waves are settled in ways of their own."""
        return self

    def adjusts(self, brief: Brief) -> bool:
        """Whether it turns the output as far down as is asked."""
        return brief.output.down_to is None or brief.output.waveform in self.turned_by

    def turned(self, builds: Builds, brief: Brief, setting: float) -> Builds:
        """The builds as they stand at a setting of the output, share of the highest: as they are, where modulation turns it."""
        return builds

    def refuses(self, brief: Brief) -> str | None:
        """Why it makes nothing of this source for this socket; None where it may."""
        return None

    def hint_keys(self, brief: Brief) -> tuple[str, ...]:
        """The points from which proposals learn; of an adjustable output what is hard at its lower settings too."""
        return (*self.hint_points, *(() if brief.output.down_to is None else (*SET_STEADY, *SET_SURGES)))

    @abstractmethod
    def stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """From the source to the load; with what a second socket adds."""

    def path(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """The same, with the auxiliary output that any route may have behind its input."""
        stages = self.stages(waveform, *beside)
        return (*stages[:2], auxiliary_output.STAGE, *stages[2:]) if set(self.lends) & set(beside) else stages

    def auxiliary(self, waveform: Waveform) -> tuple[Stage, ...]:
        """What this route has beside the power path: it passes no power, but is chosen and judged like any other stage."""
        return ()

    def all_stages(self, waveform: Waveform, *beside: Waveform) -> tuple[Stage, ...]:
        """The path, what this route has beside it, and what every route has there."""
        return (*self.path(waveform, *beside), *self.auxiliary(waveform), *SHARED)

    @cached_property
    def known(self) -> Mapping[str, Stage]:
        """Every stage that it has with any of its waves, but for what every route has, by key."""
        of_each = ((*self.path(wave, *self.beside, *self.lends), *self.auxiliary(wave)) for wave in self.waveforms)
        return {stage.key: stage for stages in of_each for stage in stages}

    @cached_property
    def builds(self) -> Mapping[str, type[Build]]:
        """What is built of each of them."""
        return {key: stage.build for key, stage in self.known.items()}

    def propose_auxiliary(
        self,
        brief: Brief,
        builds: Builds,
        settled: Mapping[str, SettledT],
        pins: Pins,
        shelf: Shelf,
        rules: Rules,
    ) -> dict[str, Build]:
        """What lies beside the path, chosen once the path stands; `settled` holds the hint points. Pinned fields stay."""
        return {}

    def title_of(self, block: str) -> str:
        """What people call a block of this route."""
        return self.known[block].title

    @abstractmethod
    def first_hints(self, brief: Brief, pins: Pins, rules: Rules) -> HintsT:
        """A designer's first guess of what proposals need to know."""

    @abstractmethod
    def next_hints(self, settled: Mapping[str, SettledT], before: HintsT | None = None) -> HintsT:
        """What the assessed design teaches the next round; `before` are the hints that it had itself."""

    @abstractmethod
    def propose(self, brief: Brief, hints: HintsT, pins: Pins, shelf: Shelf, rules: Rules) -> dict[str, Build]:
        """One round of proposals. Pinned fields stay."""

    def proposed(self, brief: Brief, hints: HintsT, pins: Pins, shelf: Shelf, rules: Rules) -> Builds:
        """The same with the auxiliary output, where one is asked."""
        found = Builds(self.propose(brief, hints, pins, shelf, rules))
        if brief.auxiliary is None:
            return found
        key = auxiliary_output.STAGE.key
        return found | {key: auxiliary_proposal.propose(brief, dict(pins.get(key, {})), shelf, rules)}

    @abstractmethod
    def converge_all(
        self,
        builds: Builds,
        brief: Brief,
        shelf: Shelf,
        rules: Rules,
        *,
        worksheets: Mapping[str, Worksheet] | None = None,
        keys: tuple[str, ...] = (),
        start: Mapping[str, SettledT] | None = None,
        tolerance: float = SETTLED,
        points: Mapping[str, Point] | None = None,
    ) -> dict[str, SettledT]:
        """Every operating point (or those of `keys`, or `points` of one's own)."""

    @abstractmethod
    def infeasible(self, settled: Mapping[str, SettledT]) -> frozenset[str]:
        """Points that cannot be held."""

    def operating(self, settled: Mapping[str, SettledT], builds: Builds, shelf: Shelf) -> Operating | None:
        """The nominal point as the waveforms see it; None for stepped waves."""
        return None

    def stepped(self, settled: Mapping[str, SettledT], builds: Builds, shelf: Shelf) -> Stepped | None:
        """The nominal point of a stepped wave as the scope sees it; None for a sine."""
        return None

    def supply(self, settled: Mapping[str, SettledT], builds: Builds, brief: Brief, shelf: Shelf, rules: Rules) -> Supply:
        """What stands before the bridge, for waves that march it too. Raises: NotMarched."""
        raise NotMarched(self.title)

    def steps(self, settled: Mapping[str, SettledT], builds: Builds) -> StepWave:
        """The stepped output at the nominal point. Raises: NotMarched."""
        raise NotMarched(self.title)


Route: TypeAlias = RouteOf[Any, Any]
"""Any architecture; what it hands from one of its verbs to the next is its own."""


class NotMarched(LookupError):
    """The waves of a route are asked for that has none to march."""

    def __init__(self, route: str) -> None:
        super().__init__(f"{route}: its waves are not marched; the sheets have every figure of it")


class Losing(Protocol):
    """A state of a stage that burns something."""

    @property
    def loss(self) -> float:
        """W."""
        ...


def lossy(route: Route, waves: tuple[Waveform, ...]) -> tuple[Key[Build, Losing], ...]:
    """Blocks whose losses stand between the source's terminals and the sockets: of the endings those that convert."""
    return tuple(stage.key for stage in route.path(*waves)[1:] if not stage.ending or stage.cooled)
