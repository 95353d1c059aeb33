"""A stage straight on the source, push-pull or H-bridge: what all such routes share, with iron behind the stage or none."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import TypeVar

from rhombos.core.blocks.filter_flow import Flow
from rhombos.core.blocks.input_bank import NO_LIFT, Lift
from rhombos.core.blocks.input_filter import Noise
from rhombos.core.blocks.input_stage import KEY as INPUT_STAGE
from rhombos.core.blocks.input_stage import InputNeed
from rhombos.core.blocks.mains_input import Draws
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import Point, operating_points
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes.base import HintsT, RouteOf, at_its_end
from rhombos.core.routes.driven import drives
from rhombos.core.routes.entry import Entry, enter
from rhombos.core.routes.passes import HOPELESS, MOST_PASSES, SETTLED, Passes
from rhombos.core.routes.supply import source_of
from rhombos.core.waves.chain import Feed
from rhombos.core.waves.pulsation import Array, BankRipple
from rhombos.core.waves.stepped import StepForm, StepRipple


@dataclass(frozen=True, slots=True)
class Guess:
    """What one pass takes from the last; `admits` is what the load's resistance lets through on a stepped wave, S;
    `works` the rail's mean less what of it a sine bridge misses by its swing, V; `aside` what an auxiliary output drops of the
    source's voltage, V; `to_stage` what the stage draws, W."""

    v_in: float
    terminal: float
    pulse: float = 0.0
    primary_resistance: float = 0.0
    secondary_resistance: float = 0.0
    path_resistance: float = 0.0
    threshold: float = 0.0
    leakage: float = 0.0
    lost: float = 0.0
    modulation: float = 0.9
    dead_volts: float = 0.0
    sag: float = 1.0
    celsius: float = 75.0
    choke_celsius: float = 75.0
    magnetising: float = 0.0
    drawn: float = 0.0
    shaped: float = 1.0
    formed: StepForm | None = None
    admits: float = 0.0
    works: float = 0.0
    march: bool = False
    flows: Flow | None = None
    aside: float = 0.0
    to_stage: float = 0.0

    def moved(self, other: Guess, scale: float) -> float:
        """The largest relative change between two passes; `scale` is the power asked, W."""
        return max(
            abs(self.v_in - other.v_in) / max(self.terminal, 1e-9),
            abs(self.pulse - other.pulse) / max(abs(self.pulse), 1e-3),
            abs(self.lost - other.lost) / scale,
            abs(self.modulation - other.modulation),
            abs(self.sag - other.sag),
            abs(self.works - other.works) / max(self.terminal, 1e-9),
            abs(self.celsius - other.celsius) / 1e3,
            abs(self.choke_celsius - other.choke_celsius) / 1e3,
        )


@dataclass(frozen=True)
class SourceSettled(Settled):
    """A settled point, with what its next pass would start from."""

    guess: Guess
    pulse: float
    turn_off: float
    share: float
    half: float = 1.0
    form: float = 1.0
    stands: float = 1.0
    rippling: BankRipple | StepRipple | None = None
    draws: Draws | None = None

    @property
    def v_in(self) -> float:
        """Voltage at the stage, V."""
        return self.guess.v_in


@dataclass(frozen=True, slots=True)
class HardestRipple:
    """What an input bank carries at the point that asks most of it, A, as it follows from its capacitance, F; and what flows
    back without a load, C in half a line period."""

    points: tuple[BankRipple | StepRipple, ...]
    unloaded: float = 0.0

    def __call__(self, capacitance: float) -> float:
        """RMS of what the bank carries, A."""
        return max(ripple(capacitance) for ripple in self.points)

    @property
    def fast(self) -> float:
        """RMS of what swings with a bridge's carrier, A; of steps nothing."""
        return max(ripple.fast if isinstance(ripple, BankRipple) else 0.0 for ripple in self.points)

    def returned(self, capacitance: float) -> float:
        """Charge that flows back to the source in half a line period, C."""
        return max(self.unloaded, *(ripple.returned(capacitance) for ripple in self.points))


def carrier_of(carrier: float, rippling: HardestRipple | None) -> Noise:
    """What swings with the carrier, Hz, of a bridge whose output is held; before it is known, nothing."""
    return Noise(2 * carrier, rms=rippling.fast if rippling else 0.0, constant=True)


@dataclass(frozen=True)
class Hints:
    """What proposals need to know of the rest before it is assessed."""

    ratio: float
    v_in: Mapping[str, float]
    pulse: Mapping[str, float]
    turn_off: Mapping[str, float]
    share: Mapping[str, float]
    primary_rms: float
    secondary_rms: float
    source_current: float
    leakage: float
    path_resistance: float
    dead_volts: float
    fundamental: float
    ripple: float
    line_current: float
    peak: float = 0.0
    half: float = 0.97
    form: float = 1.0
    rippling: HardestRipple | None = None
    lift: Lift = NO_LIFT
    linkage: float = 0.0


def lift_of(settled: Mapping[str, SourceSettled]) -> Lift:
    """The most that lies on top of the source at any of these points."""
    entries = [s.states[INPUT_STAGE] for s in settled.values()]
    return Lift(max(e.rise for e in entries), max(e.returned for e in entries))


CALMER = 14
"""Turns by which a point calms down earlier whose width follows what it draws: plain passes swing about it."""

MORE_RIPPLE = 1.06
"""What the next round may still add to what the input bank carries."""
SWINGS = 30
"""Passes after which a bridge at its limit is settled by halving the range: plain ones swing about its rest."""


MetT = TypeVar("MetT", bound=SourceSettled)


class SourceRoute(RouteOf[HintsT, MetT]):
    """What the routes without a link share; `_pass` is each one's own."""

    hint_points: tuple[str, ...] = ("nominal", "low", "high", "surge_high")
    rounds = 8

    def converge_all(
        self,
        builds: Builds,
        brief: Brief,
        shelf: Shelf,
        rules: Rules,
        *,
        worksheets: Mapping[str, Worksheet] | None = None,
        keys: tuple[str, ...] = (),
        start: Mapping[str, MetT] | None = None,
        tolerance: float = SETTLED,
        points: Mapping[str, Point] | None = None,
    ) -> dict[str, MetT]:
        """Every operating point, or those asked for, with what the stage's gates then meet."""
        found: dict[str, MetT] = {}
        for key, point in (points or operating_points(brief)).items():
            if keys and key not in keys:
                continue
            guess = Guess(v_in=0.95 * point.emf, terminal=point.emf)
            if start and key in start:
                guess = replace(start[key].guess, march=False, flows=None)
            worksheet = worksheets[key] if worksheets else SILENT
            asked = brief.at(point.setting)
            rests = self._converge(point, guess, builds, asked, shelf, rules, worksheet, tolerance)
            found[key] = self._stands(rests, builds, asked, shelf, rules, worksheet)
        if worksheets is None:
            return found
        return {
            key: replace(s, states=s.states | drives(s, builds, brief, shelf, rules, worksheets[key]))
            for key, s in found.items()
        }

    def _converge(
        self,
        point: Point,
        guess: Guess,
        builds: Builds,
        brief: Brief,
        shelf: Shelf,
        rules: Rules,
        worksheet: Worksheet,
        tolerance: float,
    ) -> MetT:
        """One point, from a guess: by plain passes, and by another way where these find no rest."""
        scale = max(point.power, 0.1 * brief.power.continuous)
        collapsed = 0
        passes: Passes[Guess] = Passes(CALMER if brief.output.waveform == "modified" else 0)
        for turn in range(MOST_PASSES):
            if (
                turn == SWINGS
                and guess.sag < 1
                and (yields := self._yielding(point, guess, builds, brief, shelf, rules, worksheet, tolerance))
            ):
                return at_its_end(yields)
            found, after = self._pass(point, guess, builds, brief, shelf, rules, worksheet)
            moved, beyond = after.moved(guess, scale), found.states[SOURCE].collapsed
            guess = passes.next(guess, after, moved, fed=not beyond)
            collapsed = collapsed + 1 if beyond else 0
            if moved < tolerance:
                found = replace(found, converged=True)
                break
            if collapsed > 3 * HOPELESS:
                break
        if not found.converged or found.states[SOURCE].collapsed:
            found = self._yielding(point, guess, builds, brief, shelf, rules, worksheet, tolerance) or found
        return at_its_end(found)

    def _yielding(
        self,
        point: Point,
        guess: Guess,
        builds: Builds,
        brief: Brief,
        shelf: Shelf,
        rules: Rules,
        worksheet: Worksheet,
        tolerance: float,
    ) -> MetT | None:
        """A point that plain passes do not settle, by another way; None where there is none."""
        return None

    def _stands(
        self, settled: MetT, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
    ) -> MetT:  # fmt: skip
        """A point that has come to rest, with what is judged only then."""
        return settled

    def _feed(self, point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules) -> Feed:
        """What feeds the stage, as its swings meet it, where it draws what the last pass taught."""
        return source_of(point.emf, builds, brief, shelf, rules)

    def _enter(
        self, point: Point, to_stage: float, need: InputNeed, wave: Callable[[], Array], g: Guess, builds: Builds, brief: Brief,
        shelf: Shelf, rules: Rules, worksheet: Worksheet,
    ) -> Entry:  # fmt: skip
        """What stands before a stage that draws a power, W, whose current goes by a wave, over its mean through one period of
        twice the line."""
        return enter(point, to_stage, need, g.v_in, g.terminal, builds, brief, shelf, rules, worksheet)

    @abstractmethod
    def _pass(
        self, point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
    ) -> tuple[MetT, Guess]:
        """One pass of a point from what the last one taught."""

    def infeasible(self, settled: Mapping[str, MetT]) -> frozenset[str]:
        """Points that the source cannot feed."""
        return frozenset(k for k, s in settled.items() if s.states[SOURCE].collapsed)
