"""What a short at a socket meets on its way, and the fuse that stands there."""

from __future__ import annotations

from dataclasses import dataclass

from rhombos.core.book import sense
from rhombos.core.parts.pulsed import WITHSTAND_USED
from rhombos.core.units.preferred import at_least

FUSES = (0.1, 0.16, 0.25, 0.4, 0.5, 0.63, 0.8, 1, 1.25, 1.6, 2, 2.5, 3.15, 4, 5, 6.3, 8, 10, 12.5, 16, 20, 25, 32, 40, 50,
         63, 80, 100, 125, 160, 200, 250, 315, 400)  # fmt: skip
"""Ratings of AC fuses, A (R10 series)."""
FUSED, SURGE_CARRIED = 1.25, 1.6
"""Fuse over the current at full power, at least; surge current over the fuse, at most."""


@dataclass(frozen=True, slots=True)
class ShortPath:
    """What a short meets: supply of the bridge, V, inductance in its way, H, how many times the socket's current flows in the
    switches, and what they stand for microseconds, A; the address of a coil in the way that is not the protection's."""

    volts: float
    inductance: float
    ratio: float
    withstand: float
    coil_at: str = ""

    @property
    def stands(self) -> float:
        """What of that the switches may see, A."""
        return WITHSTAND_USED * self.withstand

    def off(self, trip: float, delay: float, coil: float = 0.0) -> float:
        """What flows in the switches when they are off, A: a delay, s, after they tripped, A, with a coil, H, at the socket."""
        slowed = self.inductance + coil / self.ratio**2
        return sense.trip_overshoot.work({"I_trip": trip, "V_dc": self.volts, "L": slowed, "t_delay": delay})

    def slowing_coil(self, trip: float, delay: float) -> float:
        """A coil of a preferred value at the socket that keeps it within what they may see, H; 0 where none is needed, or none
        would help."""
        if not trip < self.stands < self.off(trip, delay):
            return 0.0
        coil = sense.slowing_coil.work({
            "V_dc": self.volts, "t_delay": delay, "I_off": self.stands, "I_trip": trip, "L": self.inductance,
            "ratio": self.ratio})  # fmt: skip
        return at_least(coil) if coil > 1e-9 else 0.0


def fuse_for(current: float, surge: float) -> float:
    """The smallest usual fuse, A, that carries a current for long and a surge for its time, A, each with what fuses ask."""
    flows = max(FUSED * current, surge / SURGE_CARRIED)
    return float(next((f for f in FUSES if f >= flows), FUSES[-1]))
