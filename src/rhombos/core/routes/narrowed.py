"""Settled points of any route as what they are, for what reads routes with a link alone."""

from __future__ import annotations

from collections.abc import Mapping

from rhombos.core.frame.settled import Settled
from rhombos.core.routes.converge import LinkSettled


def linked(settled: Mapping[str, Settled]) -> Mapping[str, LinkSettled]:
    """The points of a route with a link as what they are."""
    return {key: s for key, s in settled.items() if isinstance(s, LinkSettled)}
