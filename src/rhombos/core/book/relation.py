"""What a relation is: one typed SymPy expression from which number, formula, working and inverses all come."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import sympy as sp

from rhombos.core.units.quantities import fmt, short
from rhombos.core.units.solvers import root


class BookError(ValueError):
    """A relation was asked for something it cannot give; the message names the symbol, the range and the remedy."""


@dataclass(frozen=True)
class Symbol:
    """A quantity of the book: `name`, `unit` (a key of `units.UNITS`), meaning, stated range, or a fixed value."""

    name: str
    unit: str
    meaning: str
    low: float
    high: float
    latex: str
    fixed: float | None = None

    @property
    def range_text(self) -> str:
        """The stated range as people read it."""
        return f"{short(self.low, self.unit)} to {short(self.high, self.unit)}"


SYMBOLS: dict[str, Symbol] = {}
PLAIN = frozenset((float, int))
"""Kinds of numbers that need no NumPy."""


def symbol(
    name: str,
    unit: str,
    meaning: str,
    low: float = 1e-12,
    high: float = 1e12,
    *,
    latex: str = "",
    fixed: float | None = None,
) -> Any:
    """Enter a quantity in the book and return its SymPy symbol. Raises: BookError if the name is taken."""
    if name in SYMBOLS:
        raise BookError(f"symbol {name} stands twice in the book")
    SYMBOLS[name] = Symbol(name, unit, meaning, low, high, latex or _latex_name(name), fixed)
    return sp.Symbol(name, real=True)


GREEK = ("Delta", "alpha", "beta", "delta", "eta", "mu", "omega", "phi", "rho", "tau", "theta")


def _latex_name(name: str) -> str:
    head, _, tail = name.partition("_")
    if head in GREEK:
        head = "\\" + head
    elif head.startswith("d") and len(head) > 1 and head[1].isupper():
        head = r"\Delta " + head[1:]
    return head + (rf"_{{\mathrm{{{tail.replace('_', ',')}}}}}" if tail else "")


@dataclass(frozen=True)
class Roots:
    """The answer when a relation is solved for a symbol: `value` is the preferred root, `others` the rest in range."""

    value: float
    others: tuple[float, ...] = ()


@dataclass(frozen=True, eq=False)
class Relation:
    """One rule of the job: ``target = expression`` with title, validity in words (`holds`) and, where it can be checked, as
    inequalities (`valid`), and source."""

    key: str
    subject: str
    target: Symbol
    expression: Any
    title: str
    holds: str
    source: str
    valid: tuple[Any, ...] = field(default=())
    inputs: tuple[Symbol, ...] = field(default=())
    constants: tuple[Symbol, ...] = field(default=())

    @cached_property
    def function(self) -> Callable[..., Any]:
        """The compiled NumPy function of every input, by name; constants are put in."""
        return self._compiled(["numpy", "scipy"])

    @cached_property
    def scalar(self) -> Callable[..., float]:
        """The same for plain floats, several times faster; raises as Python's math does outside its domain."""
        return self._compiled(["math"])

    def _compiled(self, modules: list[str]) -> Callable[..., Any]:
        fixed = {sp.Symbol(c.name, real=True): sp.Float(c.fixed, 17) for c in self.constants}
        names = [sp.Symbol(s.name, real=True) for s in self.inputs]
        return sp.lambdify(names, self.expression.subs(fixed), modules=modules, cse=False)  # type: ignore[no-any-return]

    @cached_property
    def _names(self) -> tuple[str, ...]:
        return tuple(s.name for s in self.inputs)

    def __call__(self, **values: Any) -> Any:
        """The target for the given inputs (floats or broadcastable arrays, SI). Raises: BookError naming what is amiss."""
        try:
            if PLAIN.issuperset(map(type, values.values())):
                try:
                    return self.scalar(**values)
                except (ValueError, ZeroDivisionError, OverflowError):
                    pass  # NumPy says nan or inf where Python's math refuses
            return self.function(**values)
        except TypeError:
            self._complain(values)
            raise

    def work(self, values: Mapping[str, float]) -> float:
        """The target for plain floats; not a number where the relation has no answer. Raises: BookError as a call does."""
        try:
            return self.scalar(**values)
        except TypeError:
            self._complain(values)
            raise
        except (ValueError, ZeroDivisionError, OverflowError):
            return math.nan

    def _complain(self, values: Mapping[str, Any]) -> None:
        if missing := [n for n in self._names if n not in values]:
            raise BookError(f"{self.key} needs {missing[0]}: {SYMBOLS[missing[0]].meaning}") from None
        if extra := sorted(set(values) - set(self._names)):
            raise BookError(f"{self.key} has no symbol {', '.join(extra)}; it takes {', '.join(self._names)}") from None

    def invert(self, unknown: str, known: Mapping[str, float]) -> float:
        """An input from the target and all other inputs, in closed form, compiled once; not a number where there is none.

        Raises: BookError where algebra gives no single answer; `solve` then searches.
        """
        if unknown not in self._inverses:
            self._inverses[unknown] = self._inverted(unknown)
        try:
            return float(self._inverses[unknown](**known))
        except (ValueError, ZeroDivisionError, OverflowError):
            return math.nan

    @cached_property
    def _inverses(self) -> dict[str, Callable[..., float]]:
        return {}

    def _inverted(self, unknown: str) -> Callable[..., float]:
        """For positive values: what is sought is a size, and so is all that is known."""
        names = [n for n in (*self._names, self.target.name) if n != unknown]
        plain = {sp.Symbol(n, real=True): sp.Symbol(n, positive=True) for n in (*self._names, self.target.name)}
        fixed = {sp.Symbol(c.name, real=True): sp.Float(c.fixed, 17) for c in self.constants}
        x, goal = sp.Symbol(unknown, positive=True), sp.Symbol(self.target.name, positive=True)
        found = sp.solve(self.expression.subs(fixed).subs(plain) - goal, x)
        if len(found) != 1:
            raise BookError(f"{self.key} has no single closed form for {unknown}")
        return sp.lambdify([sp.Symbol(n, positive=True) for n in names], found[0], modules=["math"])  # type: ignore[no-any-return]

    def find(self, name: str) -> Symbol:
        """The symbol of this relation with that name. Raises: BookError listing the ones it has."""
        for s in (self.target, *self.inputs):
            if s.name == name:
                return s
        have = ", ".join(s.name for s in (self.target, *self.inputs))
        raise BookError(f"{self.key} has no symbol {name}; it has {have}")

    def check(self, values: Mapping[str, float]) -> None:
        """Refuse a value outside its symbol's stated range. Raises: BookError naming symbol, value, range, remedy."""
        for name, value in values.items():
            s = self.find(name)
            if not (s.low <= value <= s.high):
                raise BookError(
                    f"{name} = {fmt(value, s.unit)} is outside {s.range_text} ({s.meaning}); give a value in that range"
                )

    def misses(self, values: Mapping[str, float]) -> str | None:
        """The condition under which the relation does not hold for these values, in words; None where it holds."""
        numbers = {sp.Symbol(n, real=True): v for n, v in values.items()}
        numbers |= {sp.Symbol(c.name, real=True): c.fixed for c in self.constants}
        for condition in self.valid:
            left, right = (float(side.subs(numbers)) for side in (condition.lhs, condition.rhs))
            slack = 1e-9 * max(abs(left), abs(right))
            kept = {
                "<": left < right + slack,
                "<=": left <= right + slack,
                ">": left > right - slack,
                ">=": left >= right - slack,
            }[condition.rel_op]
            if not kept:
                sign = condition.rel_op
                return f"{condition.lhs} {sign} {condition.rhs}, and here {left:.4g} is not {sign} {right:.4g}"
        return None

    def _accept(self, values: Mapping[str, float]) -> None:
        """Refuse an answer that lies outside its symbol's range, or where the relation does not hold. Raises: BookError."""
        if missed := self.misses(values):
            raise BookError(f"{self.key} holds only while {missed}; it holds when: {self.holds}")
        target, value = self.target, values[self.target.name]
        if not target.low - 1e-12 <= value <= target.high:
            raise BookError(
                f"{self.key} gives {target.name} = {fmt(value, target.unit)} for these values, outside {target.range_text} "
                f"({target.meaning}); it holds when: {self.holds}"
            )

    def solve(self, unknown: str, known: Mapping[str, float]) -> Roots:
        """Solve for any symbol from all the others.

        Closed inverses are used where SymPy finds one in algebraic form; otherwise, and always as a check, the symbol's
        stated range is searched numerically. Raises: BookError when nothing in the range satisfies the relation.
        """
        s = self.find(unknown)
        wanted = {x.name for x in (self.target, *self.inputs)} - {unknown}
        if missing := wanted - set(known):
            raise BookError(f"{self.key}: to find {unknown}, give also {', '.join(sorted(missing))}")
        self.check(known)
        with np.errstate(all="ignore"):
            if unknown == self.target.name:
                value = float(np.real_if_close(self(**{k: known[k] for k in self._names})))
                if not math.isfinite(value):
                    missed = self.misses(known)
                    raise BookError(
                        f"{self.key} has no finite answer for these values; it holds "
                        + (f"only while {missed}" if missed else f"when: {self.holds}")
                    )
                self._accept({**known, unknown: value})
                return Roots(value)
            found = self._search(s, known)
            roots = [x for x in found if self.misses({**known, unknown: x}) is None]
            if found and not roots:
                missed = self.misses({**known, unknown: found[0]})
                raise BookError(f"{self.key} holds only while {missed}; it holds when: {self.holds}")
        if not roots:
            raise BookError(
                f"{self.key}: no {unknown} within {s.range_text} gives {self.target.name} = "
                f"{fmt(known[self.target.name], self.target.unit)}; change one of {', '.join(sorted(wanted))}"
            )
        return Roots(roots[0], tuple(roots[1:]))

    def _search(self, s: Symbol, known: Mapping[str, float]) -> list[float]:
        goal = known[self.target.name]
        position = self._names.index(s.name)
        arguments: list[Any] = [known.get(n, 0.0) for n in self._names]

        def gap(x: Any) -> Any:
            arguments[position] = x
            return self.function(*arguments) - goal

        candidates = [x for x in self._closed(s, known) if s.low <= x <= s.high]
        found = [x for x in candidates if abs(gap(x)) <= 1e-9 * max(abs(goal), 1e-300)]
        return sorted(found) if found else self._bracketed(s, gap, goal)

    def _closed(self, s: Symbol, known: Mapping[str, float]) -> list[float]:
        """Real roots of the polynomial that the relation becomes with numbers put in; none where it is not rational."""
        x = sp.Symbol(s.name, real=True)
        values = {sp.Symbol(n, real=True): v for n, v in known.items()}
        values |= {sp.Symbol(c.name, real=True): c.fixed for c in self.constants}
        gap = self.expression.subs(values) - known[self.target.name]
        if not gap.is_rational_function(x):
            return []
        polynomial = sp.Poly(sp.fraction(sp.together(gap))[0], x)
        if not 1 <= polynomial.degree() <= 4:
            return []
        roots = [complex(r) for r in polynomial.nroots(maxsteps=200)]
        return [r.real for r in roots if abs(r.imag) <= 1e-12 * max(1e-300, abs(r)) and math.isfinite(r.real)]

    @staticmethod
    def _bracketed(s: Symbol, gap: Callable[[Any], Any], goal: float) -> list[float]:
        if s.low > 0:
            grid = np.geomspace(s.low, s.high, 2001)
        else:  # from zero upwards as finely as from any other small value
            grid = np.concatenate([np.linspace(s.low, 0, 2 if s.low == 0 else 501), np.geomspace(1e-12 * s.high, s.high, 2001)])
            grid = np.unique(grid)
        values = np.broadcast_to(np.real(np.asarray(gap(grid), dtype=complex)), grid.shape)
        scale = max(abs(goal), 1e-300)
        roots: list[float] = [float(x) for x, v in zip(grid, values, strict=True) if v == 0]
        for a, b, va, vb in zip(grid, grid[1:], values, values[1:], strict=False):
            if np.isfinite(va) and np.isfinite(vb) and va * vb < 0:
                found = root(lambda x: float(gap(x)), a, b, xtol=1e-15 * max(abs(a), abs(b)), rtol=1e-14)
                if abs(float(gap(found))) < 1e-6 * scale + 1e-300:
                    roots.append(found)
        return sorted(roots)

    @cached_property
    def latex(self) -> str:
        """The formula, typeset."""
        return f"{self.target.latex} = {self._typeset(self.expression)}"

    def _typeset(self, expression: Any) -> str:
        names = {sp.Symbol(s.name, real=True): s.latex for s in (*self.inputs, *self.constants)}
        return str(sp.latex(expression, symbol_names=names, mul_symbol=r" \, ", fold_short_frac=False, order="none"))

    def substituted(self, values: Mapping[str, float]) -> str:
        """The formula with the numbers put in and the result, typeset."""
        symbols = (*self.inputs, *self.constants)
        names = {sp.Symbol(s.name, real=True): f"Q{i}Q" for i, s in enumerate(symbols)}
        right = str(sp.latex(self.expression, symbol_names=names, mul_symbol=r" \cdot ", order="none"))
        for i, s in enumerate(symbols):
            number = latex_number(s.fixed if s.fixed is not None else values[s.name], s.unit)
            right = right.replace(f"Q{i}Q^", rf"\left({number}\right)^").replace(f"Q{i}Q", number)
        result = float(self(**{n: values[n] for n in self._names}))
        return f"{self.target.latex} = {right} = {latex_number(result, self.target.unit)}"


def latex_number(value: float, unit: str) -> str:
    """A quantity in engineering notation for a typeset formula."""
    number, _, suffix = short(value, unit).partition(" ")
    number = number.replace("−", "-").replace("∞", r"\infty")
    suffix = suffix.replace("%", r"\%").replace("Ω", r"\Omega ").replace("µ", r"\mu ").replace("°", r"^\circ ")
    suffix = suffix.replace("²", "^2").replace("³", "^3").replace("⁴", "^4").replace("·", r"\cdot ")
    if "e" in number:
        mantissa, _, exponent = number.partition("e")
        number = rf"{mantissa}\times 10^{{{int(exponent)}}}"
    body = number + (rf"\,\mathrm{{{suffix}}}" if suffix else "")
    return f"({body})" if number.startswith("-") or "times" in number else f"{{{body}}}"


class Subject:
    """Collects one module's relations under a subject name."""

    def __init__(self, name: str, book: dict[str, Relation]) -> None:
        self.name = name
        self._book = book

    def relation(
        self, key: str, target: Any, expression: Any, *, title: str, holds: str, source: str, valid: tuple[Any, ...] = ()
    ) -> Relation:
        """Enter a relation in the book. Raises: BookError if the key is taken or a symbol is unknown."""
        if key in self._book:
            raise BookError(f"relation {key} stands twice in the book")
        used = [SYMBOLS[s.name] for s in sorted(expression.free_symbols, key=lambda s: s.name)]
        found = Relation(
            key,
            self.name,
            SYMBOLS[target.name],
            expression,
            title,
            holds,
            source,
            valid,
            inputs=tuple(s for s in used if s.fixed is None),
            constants=tuple(s for s in used if s.fixed is not None),
        )
        self._book[key] = found
        return found


BOOK: dict[str, Relation] = {}
