"""How the passes of an operating point come to rest: each guess from those before."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, fields, replace
from typing import TYPE_CHECKING, Generic, TypeVar

import numpy as np

if TYPE_CHECKING:
    from _typeshed import DataclassInstance

GuessKind = TypeVar("GuessKind", bound="DataclassInstance")
MOST_PASSES = 120
FORESEEN = 8
"""Passes after which none is foreseen any more: where that has not brought rest, plain ones may."""
FURTHEST = 2.0
"""How many times what a pass made of a figure it may be foreseen to become, or a part of it as small: no sign turns about."""
HOPELESS = 5
"""Passes in a row that ask more than the source has, after which a point is given up."""
CALM = ((14, 1.0), (30, 0.5), (60, 0.25), (MOST_PASSES, 0.1))
"""How far each pass goes towards what it found, up to so many passes: a point that swings about its rest
would never stop."""
SETTLED = 1e-4
"""Relative change of one pass below which an operating point counts as settled."""


def calmed(before: GuessKind, after: GuessKind, turn: int) -> GuessKind:
    """Part of the way from one guess to the next, the less the longer it takes; what is no number is taken as it comes."""
    share = next(s for most, s in CALM if turn < most)
    if share == 1.0:
        return after
    names = _numbers(after)
    return replace(after, **{n: (1 - share) * getattr(before, n) + share * getattr(after, n) for n in names})


def foreseen(past: Sequence[tuple[GuessKind, GuessKind]]) -> GuessKind:
    """Where guesses are heading, from those last passed with what each pass made of it: the mix of passes that moves least,
    each field taken relative to itself (Anderson's mixing). Finds in 8 passes what plain ones swing about for 25."""
    after = past[-1][1]
    names = _numbers(after)
    came, went = (np.array([[getattr(guess, n) for n in names] for guess in side]) for side in zip(*past, strict=True))
    off = (went - came) / np.maximum(np.abs(went[-1]), 1e-9)
    mix = np.linalg.lstsq(np.diff(off, axis=0).T, off[-1], rcond=1e-6)[0]
    ahead = went[-1] - mix @ np.diff(went, axis=0)
    near = np.sort([went[-1] / FURTHEST, went[-1] * FURTHEST], axis=0)
    return replace(after, **dict(zip(names, np.clip(ahead, *near).tolist(), strict=True)))


def _numbers(guess: DataclassInstance) -> list[str]:
    return [f.name for f in fields(guess) if isinstance(getattr(guess, f.name), float)]


@dataclass
class Passes(Generic[GuessKind]):
    """The passes of one point: from each, the guess for the next. It is foreseen while passes come nearer to rest and are few;
    else they are plain, calmed the more of them there were, and `calmer` of them sooner."""

    calmer: int = 0
    moved: float = math.inf
    past: list[tuple[GuessKind, GuessKind]] = field(default_factory=list)
    turn: int = 0

    def next(self, guess: GuessKind, after: GuessKind, moved: float, *, fed: bool) -> GuessKind:
        """The guess after one, from what its pass made of it and how far that moved; `fed`: whether the source fed it."""
        self.past = [*self.past[-2:], (guess, after)]
        ahead = len(self.past) > 1 and moved < self.moved and self.turn < FORESEEN and fed
        heading = foreseen(self.past) if ahead else calmed(guess, after, min(MOST_PASSES - 1, self.turn + self.calmer))
        self.moved, self.turn = moved, self.turn + 1
        return heading
