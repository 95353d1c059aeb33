"""The smallest part that one is willing to solder: a shelf without those that are smaller, save what is pinned all the same."""

from __future__ import annotations

from rhombos.core.design.pins import Pins
from rhombos.core.parts.shelf import Shelf

ROUNDING = 1e-9
"""Of a length, m."""


def too_small(shelf: Shelf, least: float) -> frozenset[str]:
    """Designations of surface-mounted parts with a body shorter than `least`, m. One of unknown size is not among them."""
    return frozenset(name for body, name in shelf.surface_mounted if body < least - ROUNDING)


def solderable(shelf: Shelf, least: float, pins: Pins) -> Shelf:
    """The shelf without parts too small to solder; what is pinned stays. The shelf itself where none is."""
    pinned = {value for fields in pins.values() for value in fields.values() if isinstance(value, str)}
    dropped = too_small(shelf, least) - pinned
    return shelf.seen(("soldered", dropped), lambda part: None if part.id in dropped else part) if dropped else shelf
