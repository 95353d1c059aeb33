"""A stage on the source itself that makes a square or three-level wave: what the load's current makes of the source."""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Mapping
from dataclasses import replace

from rhombos.core.blocks import load
from rhombos.core.book import source as source_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import Point
from rhombos.core.frame.report import Operating, Stepped
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.routes.base import HintsT, fallen
from rhombos.core.routes.on_source import CALMER, Guess, MetT, SourceRoute
from rhombos.core.routes.passes import SETTLED, calmed
from rhombos.core.routes.supply import source_supply
from rhombos.core.waves.chain import Supply
from rhombos.core.waves.stepped import StepForm

NARROWEST = 0.02
"""Share of the time below which no pass looks."""
HELD_STEP, HELD_STEPS, HELD_PASSES = 0.04, 11, 4
"""Steps in which the voltage at the stage is sought downwards, as a share of the source's, how many, and passes at each."""


class StepStage(SourceRoute[HintsT, MetT]):
    """Switches that put the source's own voltage across load or winding, one way and then the other."""

    def _yielding(
        self, point: Point, guess: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules,
        worksheet: Worksheet, tolerance: float,
    ) -> MetT | None:  # fmt: skip
        """The highest voltage at the stage at which all agrees, sought from the source's own downwards; where there is none,
        the source cannot feed the point."""
        g = Guess(v_in=point.emf, terminal=point.emf)
        if point.power > source_book.largest_power.work({"E": point.emf, "R_s": brief.source.internal_resistance}):
            return fallen(self._pass(point, guess, builds, brief, shelf, rules, worksheet)[0])  # not even without a loss

        def at(volts: float, g: Guess, passes: int = HELD_PASSES, book: Worksheet = SILENT) -> tuple[MetT, Guess, Guess]:
            for turn in range(passes):
                held = replace(g, v_in=volts)
                made, after = self._pass(point, held, builds, brief, shelf, rules, book)
                g = calmed(held, after, turn + CALMER)
            return made, held, after

        high = point.emf
        for volts in (point.emf * (1 - HELD_STEP * n) for n in range(1, HELD_STEPS + 1)):
            made, g, after = at(volts, g)
            if after.v_in >= volts:
                break
            high = volts
        else:
            return fallen(made)
        low = volts
        while high - low > 0.3 * SETTLED * point.emf:
            middle = (low + high) / 2
            _, g, after = at(middle, g)
            low, high = (middle, high) if after.v_in >= middle else (low, middle)
        at(low, g, 2 * HELD_PASSES)
        made, g, after = at(low, g, 1, worksheet)
        rests = after.moved(g, max(point.power, 0.1 * brief.power.continuous)) < 10 * SETTLED
        return replace(made, converged=True) if rests else fallen(made)

    def operating(self, settled: Mapping[str, MetT], builds: Builds, shelf: Shelf) -> Operating | None:
        """Never a sine."""
        return None

    @abstractmethod
    def stepped(self, settled: Mapping[str, MetT], builds: Builds, shelf: Shelf) -> Stepped:
        """The nominal point as the scope sees it, everything referred to the socket."""

    def supply(
        self, settled: Mapping[str, MetT], builds: Builds, brief: Brief, shelf: Shelf, rules: Rules
    ) -> Supply:  # fmt: skip
        """The source with its bank, as the socket sees them."""
        return source_supply(settled, self.stepped(settled, builds, shelf), builds, brief, shelf, rules)


def whole_factor(drain: load.LoadState, line: float, before: float, ratio: float, g: Guess) -> float:
    """Power factor at the line of load, windings and all that lies before them: it shapes the current."""
    if not math.isfinite(drain.resistance):
        return 1.0
    ohms, henries = _load_of(drain, g.admits and 1 / g.admits)
    whole = ohms + ratio**2 * (before + g.primary_resistance + g.path_resistance) + g.secondary_resistance
    return math.cos(math.atan2(2 * math.pi * line * (henries + ratio**2 * g.leakage), whole))


def _load_of(drain: load.LoadState, ohms: float) -> tuple[float, float]:
    """The series R–L, Ω and H, of the load's angle at the line, whose resistance takes its power from this wave; 0 Ω: not known
    yet."""
    ohms = ohms or drain.resistance
    return ohms, drain.inductance * ohms / drain.resistance


def standing(emf: float, before: float, ratio: float, drain: load.LoadState, formed: StepForm, g: Guess) -> tuple[float, float]:
    """RMS of what stands across a half while the output does, V: the source's open voltage less what the load's current, in
    its own form, drops on all resistances, the bank before the stage between them, and what the losses' drops before the stage;
    the leakage takes its part of what makes that current rise and fall. And how far the current's peak lies above one on a
    flat wave, as a factor."""
    flows = g.shaped * g.drawn
    behind = g.primary_resistance + g.path_resistance + g.secondary_resistance / ratio**2
    open_volts, kept = emf - g.threshold - before * (g.drawn - flows), 1.0
    if drain.inductance > 0:
        ohms, henries = _load_of(drain, g.admits and 1 / g.admits)
        kept = 1 - g.leakage / (g.leakage + henries / ratio**2)
        behind -= (1 - kept) * (behind + ohms / ratio**2)
    drops = kept * open_volts, kept * before, behind, flows
    return min(emf, formed.socket(*drops)), formed.tilt(*drops)


def working(power: float, ratio: float, share: float, form: float, g: Guess) -> float:
    """The output's voltage as its power, W, weighs it, V: what reaches the stage, less what the load's own current drops in
    switches and windings where it flows; half of it where they cannot give that power."""
    given = ratio * (g.v_in - g.threshold)
    behind = form**2 / share * (ratio**2 * (g.primary_resistance + g.path_resistance) + g.secondary_resistance)
    if behind == 0:
        return given
    if power > (1 - 1e-9) * source_book.largest_power.work({"E": given, "R_s": behind}):
        return given / 2
    current = source_book.sagged_current.work({"E": given, "R_s": behind, "P": power})
    return source_book.terminal_voltage.work({"E": given, "I": current, "R_s": behind})
