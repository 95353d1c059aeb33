"""What every transformer has in common: two windings in one window, and the leakage between them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal

from rhombos.core.book import magnetics as book
from rhombos.core.magnetics.winding import COPPER_DENSITY, INSULATION, Winding


@dataclass(frozen=True, slots=True)
class Lay:
    """One winding, or part of one, as it comes to lie: `in_hand` of its wires, for `together` halves wound side by side."""

    part: Literal["primary", "secondary"]
    winding: Winding
    in_hand: int
    together: int

    @property
    def wires(self) -> int:
        """Wires in the cross-section."""
        return self.winding.turns * self.in_hand * self.together


@dataclass(frozen=True, slots=True)
class WoundPair:
    """Primary and secondary on one core, each single or of two halves wound bifilar; `interfaces` counts
    primary-to-secondary faces: 1 plain, 2 with the primary's wires shared out below and above the secondary. What the
    windings lie on is the heir's `stack`, with its window and mean turn."""

    primary: Winding
    secondary: Winding
    interfaces: int
    halves: int
    secondary_halves: int

    @property
    def _on(self) -> Any:
        return self.stack  # type: ignore[attr-defined]

    @property
    def ratio(self) -> float:
        """Turns of the secondary (of one half of it) over one primary half's."""
        return self.secondary.turns / self.primary.turns

    @property
    def height(self) -> float:
        """Build of the copper, all halves, and the tape between, m."""
        return self._copper_height + (self.interfaces + 1) * INSULATION

    @property
    def _copper_height(self) -> float:
        return self.halves * self.primary.height + self.secondary_halves * self.secondary.height

    @property
    def fill(self) -> float:
        """Share of the window's build height in use."""
        return float(self.height / self._on.height)

    @property
    def leakage(self) -> float:
        """Leakage inductance seen from one primary half, H; an idle half's copper lies in the field too, and the current must
        change over from one half to the other."""
        return book.leakage.work(self.leakage_inputs) + self.half_leakage

    @property
    def half_leakage(self) -> float:
        """Leakage between the primary's halves, seen from one, H; none of a single primary."""
        if self.halves == 1:
            return 0.0
        wire = self.primary.wire
        bundle = wire.strand * math.sqrt(wire.strands)  # litz: its copper as one round conductor
        return book.half_leakage.work(
            {
                "N": self.primary.turns,
                "MLT": self._on.mlt,
                "n_hand": self.primary.in_hand,
                "k_pitch": max(1.0, wire.outer / bundle),
            }
        )

    @property
    def leakage_inputs(self) -> dict[str, float]:
        """The numbers behind `leakage`."""
        return {
            "N": self.primary.turns,
            "MLT": self._on.mlt,
            "b_w": self._on.b_w,
            "interfaces": self.interfaces,
            "h_cu": self._copper_height,
            "h_gap": self.interfaces * INSULATION,
        }

    @property
    def order(self) -> tuple[Lay, ...]:
        """The windings from the core upwards: primary, secondary and, interleaved, the rest of the primary's wires."""
        first = self.primary.in_hand - self.primary.in_hand // 2 if self.interfaces == 2 else self.primary.in_hand
        found = [
            Lay("primary", self.primary, first, self.halves),
            Lay("secondary", self.secondary, self.secondary.in_hand, self.secondary_halves),
        ]
        if self.interfaces == 2 and first < self.primary.in_hand:
            found.append(Lay("primary", self.primary, self.primary.in_hand - first, self.halves))
        return tuple(found)

    @property
    def copper_mass(self) -> float:
        """Copper of all windings, kg."""
        section = (
            self.halves * self.primary.turns * self.primary.copper
            + self.secondary_halves * self.secondary.turns * self.secondary.copper
        )
        return float(section * self._on.mlt * COPPER_DENSITY)
