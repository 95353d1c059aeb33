"""Where the corner of an output filter may stand: far enough from the line, between its odd harmonics."""

from __future__ import annotations

from rhombos.core.book import filters as book

NEAR = range(-10, 11)
"""Hundredths by which an inductance may be moved."""
BETWEEN = 0.8
"""How far from an odd harmonic, in harmonics, a corner is far enough."""
CLEAR, LEAST_LEFT = 1.1, 0.3
"""Corner aimed at over the lowest allowed, and the share of an inductance below which the carrier would come through."""


def clear_of_the_line(henry: float, leakage: float, bank: float, lowest: float) -> float:
    """The inductance, H, or less of it where its corner would lie below the lowest allowed, Hz, as where even the smallest
    capacitor is more than is wanted; the same where most of it is leakage, of which nothing can be taken away."""
    if book.corner.work({"L": henry + leakage, "C": bank}) >= lowest:
        return henry
    fitting = book.corner.invert("L", {"f_0": CLEAR * lowest, "C": bank}) - leakage
    return float(f"{fitting:.2g}") if fitting > LEAST_LEFT * henry else henry


def between_harmonics(henry: float, leakage: float, coil: float, bank: float, line: float) -> float:
    """The nearest inductance in three digits, H, whose corner stands between two odd harmonics of the line, Hz: those of the
    dead time are lifted most at the corner, which an inductive load leaves all but undamped, and moves a little up.

    `leakage` lies behind it, H; `bank` across the load, F, with the load's own `coil` beside it, H.
    """

    def off(henry: float) -> float:
        whole = 1 / (1 / (henry + leakage) + 1 / coil)  # to the capacitor the load's coil lies beside the filter's
        return abs(float(book.corner(L=whole, C=bank)) / line % 2 - 1)  # 0 on an odd harmonic, 1 on an even one

    near = (min(0.5, max(1e-6, float(f"{henry * (1 + n / 100):.3g}"))) for n in NEAR)
    return max(near, key=lambda h: (min(off(h), BETWEEN), -abs(h - henry)))
