"""The equation book: every closed-form rule of the job, written once.

``from rhombos.core.book import magnetics`` and call ``magnetics.peak_flux(V=…, D=…, …)``; `BOOK` lists them all by key.
"""

from rhombos.core.book import (
    bridge,
    clamp,
    control,
    correction,
    filters,
    gate,
    heat,
    high_frequency,
    input_filter,
    link,
    loads,
    magnetics,
    mains,
    rectifier,
    sense,
    source,
    stage,
    step_down,
)
from rhombos.core.book.relation import BOOK, SYMBOLS, BookError, Relation, Roots, Symbol

__all__ = [
    "BOOK",
    "SYMBOLS",
    "BookError",
    "Relation",
    "Roots",
    "Symbol",
    "bridge",
    "clamp",
    "control",
    "correction",
    "filters",
    "gate",
    "heat",
    "high_frequency",
    "input_filter",
    "link",
    "loads",
    "magnetics",
    "mains",
    "rectifier",
    "sense",
    "source",
    "stage",
    "step_down",
]
