"""What a switch stands for microseconds: house figures, until the data sheet says otherwise."""

from __future__ import annotations

from typing import Any

from rhombos.core.parts import Igbt

PULSED_IGBT, PULSED_OTHER = 2.0, 3.0
"""Current stood for microseconds over the rated one."""
WITHSTAND_USED = 0.7
"""What a proposal lets a short reach, share of what the switches stand."""
SHORT_MARGIN = 1.15
"""Withstand kept over a short-circuit trip, so that a coil of sensible size can hold the current between the two."""


def pulsed_share(kind: type) -> float:
    """Current that a kind of switch stands for microseconds, over its rated one."""
    return PULSED_IGBT if kind is Igbt else PULSED_OTHER


def withstand(device: Any, parallel: int) -> float:
    """Current that switches in parallel stand for microseconds, A."""
    return pulsed_share(type(device)) * float(device.i_rating) * parallel
