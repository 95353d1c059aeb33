"""What the rest of Rhombos knows of a stage: one descriptor for each, from which sizing, lists, comparison, heat, isolation,
protection and the interface read. Nothing else names one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Generic, Literal, NamedTuple, TypeAlias, TypeVar

from rhombos.core.blocks.base import Build
from rhombos.core.design.pins import Fields
from rhombos.core.frame.circuit import Circuit, Words
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf

if TYPE_CHECKING:
    from rhombos.core.blocks.heat import Cooled
    from rhombos.core.blocks.short_path import ShortPath
    from rhombos.core.frame.solve import Worked
    from rhombos.core.plots.model import Chart

Skill = Literal["easy", "some practice", "hard"]


class Drive(NamedTuple):
    """A gate drive: its supply, V, and by what its signals cross to switches beyond a barrier; None where none lie there."""

    supply: float
    crosses: str | None = None


class Bank(NamedTuple):
    """A bank that stands across a DC socket: what it stores, J, and the most that it drives into a short at the end of a
    cord, A."""

    stored: float
    short: float


class Entrance(NamedTuple):
    """The bank that the source meets first: the block that has it, what it is rated, V; all resistance up to it, Ω, as far as a
    threshold there feels it; the direct current that feeds it at full power on the nominal and on the lowest input, A; how far
    a load lifts it, V."""

    block: str
    rated: float
    ohms: float
    nominal: float
    lowest: float
    lifted: float


class LineDrawn(NamedTuple):
    """What alternating mains is loaded with at full power: A RMS, and the power factor."""

    current: float
    power_factor: float


class Noise(NamedTuple):
    """What is heard of a stage, and how quiet it is, from 0 to 1."""

    heard: str
    quiet: float


class Making(NamedTuple):
    """What a stage asks of whoever builds it."""

    skill: Skill
    said: tuple[str, ...]


def _nothing(at: Sizing) -> Iterable[Requirement]:
    return ()


def _always(at: Sizing) -> bool:
    return True


def _nothing_small(at: Sizing) -> Iterable[Item]:
    return ()


BuildT = TypeVar("BuildT", bound=Build)
StateT = TypeVar("StateT")


@dataclass(frozen=True)
class StageOf(Generic[BuildT, StateT]):
    """One stage of a path, or one block beside it.

    What it always has: a key (of its builds, states, pins and figures), a title, what is built, the parts that this takes
    by name, and how it tells of itself. What it may have: when a brief wants it at all;
    the number of its sheet, from which its parts have their references,
    and what of them any drawer has; parts asked for by their ratings; whether it is a `barrier`
    between source and socket, or an `ending` of the path; whether its state is a DC `link` (voltage, peak, ripple, stored
    energy, safe time); `output`, the voltage that its state puts at the socket where it is the last to make one; what sits on
    a heat-sink; the way that a short at the socket meets back to its switches; the highest current that it lets through in a
    surge, A, at the socket; the highest instant, V, at a socket of its own beside the load's; the bank that it puts across a
    DC socket; the bank that the source meets first; what alternating mains is loaded with; how it drives gates; by what a
    link's voltage is fed back; how often the output is sampled, Hz; distortion, or ripple, of what it puts at the socket;
    what is heard of it; what it asks of hands; its pictures; its circuit, from what is written on its sheet.
    """

    key: Key[BuildT, StateT]
    title: str
    build: type[BuildT]
    parts: Callable[[BuildT, Shelf], tuple[Item, ...]]
    report: Callable[[ReportBuilder[BuildT, StateT], Sizing], BlockReport]
    requirements: Callable[[Sizing], Iterable[Requirement]] = _nothing
    barrier: bool = False
    ending: bool = False
    link: bool = False
    output: Callable[[StateT], float] | None = None
    cooled: Callable[[Sizing], Cooled] | None = None
    shorted: Callable[[Sizing], ShortPath] | None = None
    surges: Callable[[Sizing], float] | None = None
    bank: Callable[[Sizing], Bank] | None = None
    entrance: Callable[[Sizing], Entrance] | None = None
    line: Callable[[Sizing], LineDrawn] | None = None
    stands: Callable[[Sizing], float] | None = None
    drive: Callable[[Sizing], Drive] | None = None
    feedback: Callable[[Sizing], str] | None = None
    sampled: Callable[[Sizing], float] | None = None
    distortion: Callable[[Sizing], float] | None = None
    noise: Callable[[Sizing], Noise] | None = None
    making: Callable[[Sizing], Making] | None = None
    charts: tuple[Callable[[Worked], Chart], ...] = ()
    circuit: Callable[[Words], Circuit] | None = None
    sheet: int = 0
    wanted: Callable[[Sizing], bool] = _always
    small: Callable[[Sizing], Iterable[Item]] = _nothing_small


Stage: TypeAlias = StageOf[Any, Any]
"""Any stage; what is built of it, and its state, are known by its key."""


@dataclass(frozen=True, kw_only=True)
class AuxiliaryOf(StageOf[BuildT, StateT]):
    """What lies beside the path of every route: proposed once the path stands, for it and for those before it; its state is the
    same at every point."""

    propose: Callable[[Sizing, Fields], BuildT]
    assess: Callable[[Sizing, Worksheet], StateT]


Auxiliary: TypeAlias = AuxiliaryOf[Any, Any]
"""Any of these."""


def by_key(stages: Iterable[Stage]) -> Mapping[str, Stage]:
    """Stages by their keys."""
    return {stage.key: stage for stage in stages}
