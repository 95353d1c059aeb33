"""Dual-ended front ends and what they make of their input; rectifiers and what they make of theirs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

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
    t.name: t
    for t in (
        Topology("push-pull", drive=1.0, series=1, halves=2, stress=2.0, banks=1, clamped=False),
        Topology("half-bridge", drive=0.5, series=1, halves=1, stress=1.0, banks=2, clamped=True),
        Topology("full bridge", drive=1.0, series=2, halves=1, stress=1.0, banks=1, clamped=True),
    )
}


RectifierName = Literal[
    "bridge", "centre tap", "two bridges in series", "three bridges in series", "bridge, no choke", "centre tap, no choke",
    "doubler, no choke",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Rectifying:
    """One way to make DC of the secondary.

    `diodes` there are in all, `series` of them in the current's path; the secondary has `halves`, used in turn; a diode blocks
    `reverse` times the secondary's voltage; the link stands at `gain` times it (2: each half period charges a bank of its
    own, and these are in series). With a `choke` the duty holds the link; without one the link follows the input. Bridges in
    series each have their part of the secondary, and a damper of their own.
    """

    name: RectifierName
    diodes: int
    series: int
    halves: int
    reverse: float
    gain: int
    choke: bool

    @property
    def parts(self) -> int:
        """Equal parts of the secondary, each with a bridge of its own."""
        return max(1, round(1 / self.reverse))


IN_SERIES = ("bridge", "two bridges in series", "three bridges in series")
"""Ever more bridges, each on a smaller part of the secondary."""
RECTIFIERS: dict[str, Rectifying] = {
    r.name: r
    for r in (
        Rectifying("bridge", diodes=4, series=2, halves=1, reverse=1, gain=1, choke=True),
        Rectifying("centre tap", diodes=2, series=1, halves=2, reverse=2, gain=1, choke=True),
        Rectifying("two bridges in series", diodes=8, series=4, halves=1, reverse=1 / 2, gain=1, choke=True),
        Rectifying("three bridges in series", diodes=12, series=6, halves=1, reverse=1 / 3, gain=1, choke=True),
        Rectifying("bridge, no choke", diodes=4, series=2, halves=1, reverse=1, gain=1, choke=False),
        Rectifying("centre tap, no choke", diodes=2, series=1, halves=2, reverse=2, gain=1, choke=False),
        Rectifying("doubler, no choke", diodes=2, series=1, halves=1, reverse=2, gain=2, choke=False),
    )
}
