"""The rectified mains as a bridge's supply marches it: resistance and inductance of the line, a pair of diodes at a time, and
the bank behind them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from rhombos.core.waves.chain import Feed
from rhombos.core.waves.line_half import LEAST_HENRY, Behind, Mains


@dataclass(frozen=True, slots=True, kw_only=True)
class RectifiedFeed(Feed):
    """A feed whose voltage is the mains' and whose current flows one way; its `emf` is the highest that reaches the bank."""

    mains: Mains
    behind: Behind

    @classmethod
    def of(cls, mains: Mains, behind: Behind) -> RectifiedFeed:
        """That of a mains and of what it charges."""
        ohms, henry = mains.ohms + behind.ohms, max(mains.henry, LEAST_HENRY)
        return cls(mains.crest - behind.drop, ohms, behind.farad, henry, mains=mains, behind=behind)

    def begins(self, volts: float) -> float:
        """The current with which a record begins, A: none, at a zero of the mains."""
        return 0.0

    def after(self, volts: float, amps: float, taken: float, step: float, at: float = 0.0) -> tuple[float, float, float]:
        """See `Feed.after`, from a moment, s, counted from a zero of the mains; the step is short against its period."""
        crest, turn, (drop, bank, esr) = self.mains.crest, self.mains.turn, self.behind
        reaches = crest * abs(math.sin(turn * (at + step / 2))) - drop + esr * taken
        gone = taken * step / bank
        if amps <= 0 and reaches <= volts:
            return volts - gone, 0.0, volts - gone / 2
        driven = Feed(reaches, self.resistance, self.capacitance, self.inductance)
        then, flows, mean = driven.after(volts, max(0.0, amps), taken, step)
        if flows >= 0:
            return then, flows, mean
        part = step * amps / (amps - flows) if amps > 0 else 0.0  # it comes to nothing within this step
        until, _, first = driven.after(volts, max(0.0, amps), taken, part) if part > 0 else (volts, 0.0, volts)
        left = taken * (step - part) / bank
        return until - left, 0.0, (first * part + (until - left / 2) * (step - part)) / step
