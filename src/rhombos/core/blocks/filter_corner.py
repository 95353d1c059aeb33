"""Where the corner of an output filter may stand: between the odd harmonics of the line."""

from __future__ import annotations

from rhombos.core.book import filters as book

NEAR = range(-10, 11)
"""Hundredths by which an inductance may be moved."""
BETWEEN = 0.8
"""How far from an odd harmonic, in harmonics, a corner is far enough."""


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
