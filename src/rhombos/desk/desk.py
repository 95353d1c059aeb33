"""A place where sizings are worked out: the shelf at hand, and the last of them."""

from __future__ import annotations

from collections import OrderedDict

from rhombos.core.frame.solve import Worked, work_out
from rhombos.core.parts import Shelf
from rhombos.desk.asked import Asked

KEPT = 12
"""Sizings that are kept at hand; each is about a megabyte."""


class Desk:
    """One in each process."""

    def __init__(self, shelf: Shelf) -> None:
        self._kept: OrderedDict[str, Worked] = OrderedDict()
        self.shelf = shelf

    def work(self, asked: Asked) -> Worked:
        """A sizing, from those kept if it was asked for lately. Raises: as `work_out`."""
        key = asked.key
        if key in self._kept:
            self._kept.move_to_end(key)
        else:
            self._kept[key] = work_out(asked.brief, asked.pins, self.shelf, asked.house_rules, asked.route)
            if len(self._kept) > KEPT:
                self._kept.popitem(last=False)
        return self._kept[key]
