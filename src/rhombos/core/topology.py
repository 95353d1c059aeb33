"""The routes by name, and dual-ended front ends: what a push-pull, a half-bridge and a full bridge make of their input."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

RouteName = Literal[
    "push-pull link", "half-bridge link", "full-bridge link", "iron push-pull", "iron bridge", "self-oscillating"
]
DEFAULT: RouteName = "push-pull link"
TopologyName = Literal["push-pull", "half-bridge", "full bridge"]


@dataclass(frozen=True, slots=True)
class Topology:
    """One way to drive a transformer from two sides in turn.

    `drive` is the share of the input voltage across the driven winding, `series` the switches that its current passes,
    `halves` the primary halves driven in turn, `stress` the off-state voltage of a switch over the input, `banks` the input
    capacitor banks in series, `clamped` whether the leakage finds its way back to the rail through the switches' own diodes.
    """

    name: TopologyName
    drive: float
    series: int
    halves: int
    stress: float
    banks: int
    clamped: bool

    @property
    def positions(self) -> int:
        """Switch positions in all, both sides together."""
        return 2 * self.series


TOPOLOGIES: dict[str, Topology] = {
    t.name: t for t in (
        Topology("push-pull", drive=1.0, series=1, halves=2, stress=2.0, banks=1, clamped=False),
        Topology("half-bridge", drive=0.5, series=1, halves=1, stress=1.0, banks=2, clamped=True),
        Topology("full bridge", drive=1.0, series=2, halves=1, stress=1.0, banks=1, clamped=True),
    )
}  # fmt: skip
