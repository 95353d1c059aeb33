"""Working a relation by hand: values as people write them in, formula, numbers put in and the answer out."""

from __future__ import annotations

import math
from collections.abc import Mapping

from pydantic import BaseModel, ConfigDict

from rhombos.core.book.relation import BookError, Relation, Symbol
from rhombos.core.units.quantities import UNITS, UnitError, fmt, parse, short


class _Plain(BaseModel):
    model_config = ConfigDict(frozen=True)


class SymbolOut(_Plain):
    """A symbol of a relation: `target` marks the one the formula gives."""

    name: str
    latex: str
    unit: str
    meaning: str
    allowed: str
    target: bool


class Value(_Plain):
    """One quantity of an answer, in SI and as text."""

    name: str
    value: float
    text: str


class Answer(_Plain):
    """A worked relation: which symbol was found, every value, formula and substitution typeset, further roots."""

    relation: str
    found: str
    value: float
    text: str
    others: tuple[str, ...]
    latex: str
    substituted: str
    values: tuple[Value, ...]


def describe(relation: Relation) -> tuple[SymbolOut, ...]:
    """The symbols of a relation, its target first."""
    return tuple(
        SymbolOut(
            name=s.name,
            latex=s.latex,
            unit=UNITS[s.unit].shown,
            meaning=s.meaning,
            allowed=s.range_text,
            target=s is relation.target,
        )
        for s in (relation.target, *relation.inputs)
    )


def answer(relation: Relation, given: Mapping[str, float | str], *, whole: bool = False) -> Answer:
    """Solve for the one symbol that is not given; with `whole` its value is rounded up to an integer.

    Raises: BookError naming symbol, value, range or remedy.
    """
    symbols: dict[str, Symbol] = {s.name: s for s in (relation.target, *relation.inputs)}
    known: dict[str, float] = {}
    for name, value in given.items():
        symbol = relation.find(name)
        try:
            known[name] = parse(value, symbol.unit) if isinstance(value, str) else float(value)
        except UnitError as reason:
            raise BookError(f"{name}: {reason}") from None
    missing = [n for n in symbols if n not in known]
    if not missing:
        raise BookError(f"{relation.key}: every symbol is given; leave one out to solve for it")
    if len(missing) > 1:
        raise BookError(f"{relation.key}: give all but one of {', '.join(symbols)}; missing are {', '.join(missing)}")
    unknown = symbols[missing[0]]
    roots = relation.solve(unknown.name, known)
    everything = known | {unknown.name: roots.value}
    value = float(math.ceil(roots.value - 1e-9)) if whole else roots.value
    return Answer(
        relation=relation.key,
        found=unknown.name,
        value=value,
        text=fmt(roots.value, unknown.unit, 4),
        others=tuple(fmt(x, unknown.unit, 4) for x in roots.others),
        latex=relation.latex,
        substituted=relation.substituted(everything),
        values=tuple(Value(name=n, value=v, text=short(v, symbols[n].unit)) for n, v in everything.items()),
    )
