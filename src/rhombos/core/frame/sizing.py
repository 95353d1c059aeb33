"""A design's builds with the operating points at which they settled: what travels together from the frame to every stage."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import takewhile
from typing import TYPE_CHECKING, TypeVar

from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds, States
from rhombos.core.frame.points import lasting
from rhombos.core.frame.settled import Settled
from rhombos.core.parts import Shelf

if TYPE_CHECKING:
    from rhombos.core.frame.stage import Stage
    from rhombos.core.routes.base import Route

Told = TypeVar("Told")


@dataclass(frozen=True)
class Sizing:
    """A route's builds for a brief, and every point at which they have settled."""

    route: Route
    brief: Brief
    rules: Rules
    shelf: Shelf
    builds: Builds
    settled: Mapping[str, Settled]

    @property
    def path(self) -> tuple[Stage, ...]:
        """The stages that power passes, from the source to the load."""
        return self.route.path(*self.brief.waves)

    @property
    def stages(self) -> tuple[Stage, ...]:
        """Everything there is: the path, the route's own beside it, and what every route has beside it where it is wanted."""
        return tuple(stage for stage in self.route.all_stages(*self.brief.waves) if stage.wanted(self))

    @property
    def now(self) -> States:
        """The states at full power on a nominal input."""
        return self.settled["nominal"].states

    @property
    def steady(self) -> list[Settled]:
        """The points at full power, or current, that may last."""
        return lasting(self.settled)

    def entering(self, key: str) -> float:
        """Power that enters a stage at the nominal point, W; 0 beside the path."""
        return float(self.settled["nominal"].flow.get(key, 0.0))

    def facets(self, facet: Callable[[Stage], Callable[[Sizing], Told] | None]) -> list[Told]:
        """What the stages on the path and the route's own beside it say of themselves, those that say it, in their order."""
        stages = (*self.path, *self.route.auxiliary(self.brief.output.waveform))
        return [say(self) for stage in stages if (say := facet(stage)) is not None]

    @property
    def barrier(self) -> bool:
        """Whether anything on the path keeps the socket apart from the source."""
        return any(stage.barrier for stage in self.path)

    @property
    def link(self) -> Stage | None:
        """The stage whose state is a DC link; None where there is none."""
        return next((stage for stage in self.path if stage.link), None)

    @property
    def beyond(self) -> bool:
        """Whether there is a link, and it lies beyond a barrier."""
        return self.link is not None and self.beyond_barrier(self.link.key)

    def beyond_barrier(self, key: str) -> bool:
        """Whether a stage lies behind what keeps the sides apart."""
        before = takewhile(lambda stage: stage.key != key, self.path)
        return any(stage.barrier for stage in before)

    def socket_volts(self, states: States) -> float:
        """What stands at the socket at a point, V RMS or DC: what the last stage makes that makes a voltage of its own, or what
        is held there."""
        for stage in reversed(self.path):
            if stage.output and (volts := stage.output(states[stage.key])) > 0:
                return volts
        return float(states[LOAD].voltage)
