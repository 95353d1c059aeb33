"""A winding window in cross-section, to scale: the same wires, layers and tape that the sizing counts on."""

from __future__ import annotations

from typing import Any

from rhombos.core.magnetics.pair import WoundPair
from rhombos.core.magnetics.winding import INSULATION, Winding
from rhombos.core.plots.model import Box

MOST_WIRES = 400
FINEST = 160
"""Wires of a layer beyond which it is drawn as a band."""


def window_boxes(made: WoundPair, window_breadth: float, window_height: float) -> tuple[Box, ...]:
    """The window of a transformer, mm, from the core upwards, in the order it is wound."""
    breadth, height = window_breadth * 1e3, window_height * 1e3
    boxes = [Box(x=0, y=0, width=breadth, height=height, role="window")]
    level, tape = 0.0, INSULATION * 1e3
    for lay in made.order:
        level = _layers(boxes, lay.winding, lay.wires, breadth, level, lay.part)
        boxes.append(Box(x=0, y=level, width=breadth, height=tape, role="tape"))
        level += tape
    return tuple(boxes)


def layers_of(winding: Winding, wires: int, window_breadth: float, window_height: float) -> tuple[Box, ...]:
    """The window of an inductor, mm, with its one winding."""
    boxes = [Box(x=0, y=0, width=window_breadth * 1e3, height=window_height * 1e3, role="window")]
    _layers(boxes, winding, wires, window_breadth * 1e3, 0.0, "primary")
    return tuple(boxes)


def _layers(boxes: list[Box], w: Winding, wires: int, breadth: float, level: float, role: Any) -> float:
    """Draw wires layer on layer from `level`, mm; return the height reached."""
    outer = w.wire.outer * 1e3
    per_layer = max(1, int(breadth / outer))
    left = wires
    while left > 0:
        here = min(left, per_layer)
        if here > MOST_WIRES or per_layer > FINEST:
            boxes.append(Box(x=0, y=level, width=min(breadth, here * outer), height=outer, role=role))
        else:
            boxes += [Box(x=i * outer, y=level, width=outer, height=outer, role=role, round=True) for i in range(here)]
        level += outer
        left -= here
    return level
