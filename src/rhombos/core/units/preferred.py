"""Preferred values (IEC 60063) and stepping to them."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from functools import lru_cache

E24 = (1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1)
E12 = E24[::2]
E6 = E24[::4]


def _steps(series: tuple[float, ...], value: float) -> tuple[float, ...]:
    if not (value > 0 and math.isfinite(value)):
        raise ValueError(f"{value} has no preferred value; it must be above zero")
    return _around(series, math.floor(math.log10(value)))


@lru_cache(maxsize=128)
def _around(series: tuple[float, ...], decade: int) -> tuple[float, ...]:
    return tuple(sorted(float(f"{m}e{d}") for d in (decade - 1, decade, decade + 1) for m in series))


def nearest(value: float, series: tuple[float, ...] = E24) -> float:
    """The nearest preferred value, by ratio. Raises: ValueError unless value > 0."""
    steps = _steps(series, value)
    after = bisect_left(steps, value)
    low, high = steps[after - 1], steps[after]
    return low if value * value <= low * high else high


def at_least(value: float, series: tuple[float, ...] = E24) -> float:
    """The smallest preferred value not below `value`. Raises: ValueError unless value > 0."""
    steps = _steps(series, value)
    return steps[bisect_left(steps, value * (1 - 1e-9))]


def at_most(value: float, series: tuple[float, ...] = E24) -> float:
    """The largest preferred value not above `value`. Raises: ValueError unless value > 0."""
    steps = _steps(series, value)
    return steps[bisect_right(steps, value * (1 + 1e-9)) - 1]
