"""Current transformers: one turn of the power path through a ring, many thin turns into a burden."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from rhombos.core.book import magnetics as book
from rhombos.core.magnetics.stack import Stack, stacked
from rhombos.core.magnetics.winding import Winding, lay, thin_wire
from rhombos.core.parts import Core, Grade, Shelf

DIODE = 0.7
"""Drop of the diode between winding and burden, V."""
MOST_DROOP = 0.05
"""Share of the secondary's current that may go into magnetising by the end of a pulse."""
MOST_FLUX = 0.15
"""Flux that a pulse may reach, T: the core starts each one at its remanence, not at zero."""


@dataclass(frozen=True, slots=True)
class SenseTransformer:
    """A ring with one turn through it and a winding on it."""

    stack: Stack
    grade: Grade
    winding: Winding

    @property
    def inductance(self) -> float:
        """Of the winding, H."""
        factor = book.inductance_factor.work({"mu_e": self.grade.mu_i, "A_e": self.stack.a_e, "l_e": self.stack.l_e})
        return book.magnetising.work({"N": self.winding.turns, "A_L": factor})

    def flux(self, volts: float, duty: float, frequency: float) -> float:
        """Swing of one pulse, T: `volts` across the winding for a share of the period of a frequency, Hz."""
        return book.pulse_flux.work({"V": volts, "D": duty, "N": self.winding.turns, "A_e": self.stack.a_e, "f_s": frequency})

    def droop(self, volts: float, duty: float, frequency: float, current: float) -> float:
        """Share of the secondary's current, A, that magnetises the core at the end of a pulse: it is missing in the burden."""
        swing = book.magnetising_current.work({"V": volts, "D": duty, "L": self.inductance, "f_s": frequency})
        return swing / max(current, 1e-9)

    @property
    def fill(self) -> float:
        """Share of the ring's window that the winding builds up."""
        return self.winding.height / self.stack.height


def sense_from(shelf: Shelf, core: str, grade: str, turns: int, current: float, density: float) -> SenseTransformer:
    """The current transformer of a build; the thinnest wire that bears its RMS current, A, at a density, A/m²."""
    stack = stacked(shelf.get(Core, core), 1)
    return SenseTransformer(stack, shelf.get(Grade, grade), lay(thin_wire(shelf, current, density), 1, turns, stack.b_w))


def rank_sense_cores(
    shelf: Shelf,
    grade: str,
    turns: int,
    volts: float,
    duty: float,
    frequency: float,
    current: float,
    rms: float,
    density: float,
) -> list[SenseTransformer]:
    """Every ring, those that neither saturate nor droop first, small before large; of any core where there is no ring."""
    cores = [c for c in shelf.all(Core) if not c.gappable] or list(shelf.all(Core))
    made = [sense_from(shelf, c.id, grade, turns, rms, density) for c in cores]

    def trouble(t: SenseTransformer) -> float:
        return sum(
            max(0.0, x - 1)
            for x in (t.flux(volts, duty, frequency) / MOST_FLUX, t.droop(volts, duty, frequency, current) / MOST_DROOP, t.fill)
        )

    return sorted(made, key=lambda t: (math.ceil(bad := trouble(t)), bad, t.stack.v_e))


def best_sense_grade(shelf: Shelf) -> str:
    """The grade of the highest permeability: the lowest magnetising current."""
    best: Any = max(shelf.all(Grade), key=lambda g: (g.mu_i, g.id))
    return str(best.id)
