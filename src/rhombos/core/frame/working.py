"""A worked step as a figure's working shows it: each input with its symbol, its meaning, and the pin behind it."""

from __future__ import annotations

from functools import lru_cache

from rhombos.core.book import BOOK
from rhombos.core.book.relation import SYMBOLS
from rhombos.core.design.pinmap import PIN_BEHIND, WHOLE
from rhombos.core.frame.report import StepOut, StepRow
from rhombos.core.frame.worksheet import Step
from rhombos.core.units.quantities import fmt, short


def step_out(address: str, step: Step, unit: str) -> StepOut:
    """The step behind the figure at an address, whose unit a sum is shown in."""
    if step.relation == "sum":
        rows = tuple(StepRow(name=n, latex="", meaning=n, text=fmt(v, unit)) for n, v in step.inputs.items())
    else:
        behind = PIN_BEHIND.get(address, {})
        rows = tuple(_row(s.name, step.inputs[s.name], behind.get(s.name)) for s in BOOK[step.relation].inputs)
    return StepOut(relation=step.relation, inputs=step.inputs, value=step.value, rows=rows)


@lru_cache(maxsize=8192)
def _row(name: str, value: float, pin: str | None) -> StepRow:
    """One input of a step; the same input stands in many."""
    symbol = SYMBOLS[name]
    return StepRow(
        name=symbol.name,
        latex=symbol.latex,
        meaning=symbol.meaning,
        text=short(value, symbol.unit),
        pin=pin,
        whole=pin in WHOLE,
    )
