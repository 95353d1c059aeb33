"""What lies between a device's tab and its heat-sink, and how far apart things must be."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rhombos.core.book import sense


@dataclass(frozen=True, slots=True)
class Pad:
    """Thermal resistance under one device, K/W, and what it stands before it breaks down, V; house figures of common kinds; the
    material under which such a pad stands on the shelf, "" where there is none."""

    resistance: float
    breakdown: float
    material: str = ""


PADS: dict[str, Pad] = {
    "silicone sheet": Pad(0.55, 4000, "silicone"),
    "mica, greased": Pad(0.45, 2000, "mica"),
    "thin film, greased": Pad(0.40, 1500, "film"),
    "ceramic wafer": Pad(0.30, 8000, "ceramic"),
    "none, greased": Pad(0.15, 0),
}
METAL_FILLED = "metal-filled"
COMPOUNDS = ("insulating", METAL_FILLED)
FUNCTIONAL = 2.0
"""What a pad that only keeps circuits apart stands, over the tab's peak."""
LOW_PROOF = 500.0
"""Proof voltage, one minute, RMS, of a circuit below touch-safe voltage, V. Local codes decide."""
BASIC_ADDS = 1200.0
"""What the one-minute proof of basic insulation adds to the nominal voltage, V RMS; reinforced insulation stands twice the
sum."""
TOUCH_SAFE = 60.0

_WORKING = np.array([50, 100, 125, 160, 200, 250, 320, 400, 500, 630, 800, 1000, 1250, 1600])
_CREEPAGE = 1e-3 * np.array([1.2, 1.4, 1.5, 1.6, 2.0, 2.5, 3.2, 4.0, 5.0, 6.3, 8.0, 10.0, 12.5, 16.0])


BASIC, REINFORCED = 1.0, 2.0


def barrier_proof(nominal: float, layers: float) -> float:
    """One-minute proof of a barrier, V RMS, for a nominal voltage, V RMS."""
    return sense.barrier_proof.work({"k_proof": layers, "V_rms": nominal, "V_add": BASIC_ADDS})


def creepage(working: float, *, reinforced: bool = False) -> float:
    """Shortest path along a surface, m, for a working voltage, V RMS or DC; twice that where a person is behind it.

    Pollution degree 2, material group III, after the usual tables of IEC 60664-1; between their steps a straight line, beyond
    them in proportion. Local codes decide.
    """
    if working > _WORKING[-1]:
        least = float(_CREEPAGE[-1] * working / _WORKING[-1])
    else:
        least = float(np.interp(working, _WORKING, _CREEPAGE))
    return least * (2 if reinforced else 1)
