"""Core sets, alone or stacked side by side: two sets double the area, not the window."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from rhombos.core.book import magnetics as book
from rhombos.core.parts import Core, Grade, Shelf

STACKABLE = ("E", "ring")
MOST_STACKED = 3


@dataclass(frozen=True, slots=True)
class Stack:
    """`sets` equal core sets side by side; the fields are the core's own, for the stack."""

    core: Core
    sets: int
    a_e: float
    l_e: float
    v_e: float
    a_w: float
    b_w: float
    mlt: float
    surface: float
    mass: float
    price: float

    @property
    def height(self) -> float:
        """Build height of the window, m."""
        return self.a_w / self.b_w


def stacked(core: Core, sets: int) -> Stack:
    """A stack of equal sets. Each further set adds its depth to the turn, twice, and a belt to the surface."""
    more = sets - 1
    return Stack(
        core,
        sets,
        a_e=core.a_e * sets,
        l_e=core.l_e,
        v_e=core.v_e * sets,
        a_w=core.a_w,
        b_w=core.b_w,
        mlt=core.mlt + 2 * core.depth * more,
        surface=core.surface + 2 * core.l_e * core.depth * more,
        mass=core.mass * sets,
        price=core.price * sets,
    )


class StackTable:
    """Every sensible stack of a shelf, with its figures as columns for searching."""

    def __init__(self, shelf: Shelf) -> None:
        self.rows = [
            stacked(c, n) for c in shelf.all(Core) for n in range(1, (MOST_STACKED if c.shape in STACKABLE else 1) + 1)
        ]
        for name in ("a_e", "l_e", "v_e", "a_w", "b_w", "mlt", "surface", "price"):
            setattr(self, name, np.array([getattr(r, name) for r in self.rows]))
        self.gappable = np.array([r.core.gappable for r in self.rows], dtype=bool)

    def __getattr__(self, name: str) -> Any:  # columns are set in __init__
        raise AttributeError(name)


@lru_cache(maxsize=8)
def stack_table(shelf: Shelf) -> StackTable:
    """The stacks of a shelf, made once."""
    return StackTable(shelf)


def temperature_factor(grade: Grade, celsius: float) -> float:
    """Core loss at a temperature over the loss at 100 °C, from the grade's parabola."""
    return (1 + grade.curvature * (celsius - grade.t_best) ** 2) / (1 + grade.curvature * (100 - grade.t_best) ** 2)


def suited_grades(shelf: Shelf, frequency: float) -> list[Grade]:
    """Grades meant for a frequency; all of them, nearest first, where none is."""
    grades = list(shelf.all(Grade))
    fit = [g for g in grades if g.f_low <= frequency <= g.f_high]
    return fit or sorted(grades, key=lambda g: abs(np.log(frequency / (g.f_low * g.f_high) ** 0.5)))[:2]


def rise(loss: Any, surface: Any) -> Any:
    """Temperature rise of a wound core in free air, K."""
    if isinstance(loss, float):
        return book.temperature_rise.work({"P_loss": loss, "A_s": surface})
    return book.temperature_rise(P_loss=loss, A_s=surface)
