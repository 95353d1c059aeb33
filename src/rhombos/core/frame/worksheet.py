"""Worked steps: each figure's relation, the numbers put in and the result, kept under an address."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

from rhombos.core.book.relation import Relation


class Step(NamedTuple):
    """One worked step: which relation, with which inputs, gave which value."""

    relation: str
    inputs: dict[str, float]
    value: float


made = tuple.__new__
"""A step as it stands, without the call that fills in names: a sizing works out thousands."""


@dataclass
class Worksheet:
    """Collects one operating point's steps under ``block.figure``. A worksheet that is not recording only computes."""

    recording: bool = True
    steps: dict[str, Step] = field(default_factory=dict)

    def work(self, address: str, relation: Relation, **inputs: float) -> float:
        """Evaluate a relation and keep the working under its address.

        Raises: BookError when an input is missing or unknown.
        """
        try:
            value = relation.scalar(**inputs)
        except (TypeError, ValueError, ZeroDivisionError, OverflowError):
            value = relation.work(inputs)  # which says what is amiss, or that there is no answer
        if self.recording:
            self.steps[address] = made(Step, (relation.key, inputs, value))
        return value

    def total(self, address: str, parts: dict[str, float]) -> float:
        """Add up, keeping the summands as the working (shown as a sum, not a relation of the book)."""
        value = float(sum(parts.values()))
        if self.recording:
            self.steps[address] = made(Step, ("sum", parts, value))
        return value


SILENT = Worksheet(recording=False)
"""A worksheet for searches, where nobody reads the working."""
