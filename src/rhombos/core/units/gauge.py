"""American wire gauge: each size 92^(1/39) times thinner than the one before, no. 36 a hundredth of an inch over two.

Source: the geometric progression that defines the gauge (0000 is 0.46 in, 36 is 0.005 in, 39 steps between them).
"""

from __future__ import annotations

import math
import re

RATIO, LAST, THINNEST = math.exp(math.log(92) / 39), 36.0, 0.127e-3
"""Diameter from one size to the next, and the size that the law is written from with its diameter, m."""
HIGHEST, LOWEST = 50, -3
BETWEEN = 0.25
"""How far from a size, in sizes, a diameter is told as lying between two."""
_WRITTEN = re.compile(r"(?:AWG\s*(\d{1,4}|[1-4]/0)|(\d{1,4}|[1-4]/0)\s*AWG)", re.IGNORECASE)


def diameter(size: int) -> float:
    """Diameter of a gauge size, m; 0, -1, -2, -3 stand for 1/0 to 4/0."""
    return THINNEST * math.pow(RATIO, LAST - size)


def read(text: str) -> float | None:
    """Diameter, m, of a size as people write it (``AWG 20``, ``20 AWG``, ``AWG 4/0``, ``AWG 0000``); None where it is none."""
    if not (found := _WRITTEN.fullmatch(text.strip())):
        return None
    size = found[1] or found[2]
    if "/" in size:
        number = 1 - int(size[0])
    elif set(size) == {"0"}:
        number = 1 - len(size)
    else:
        number = int(size)
    return diameter(number) if LOWEST <= number <= HIGHEST else None


def told(across: float) -> str:
    """The size nearest a diameter, m, or the two it lies between; empty beyond the gauge."""
    size = LAST - math.log(across / THINNEST) / math.log(RATIO)
    if not LOWEST <= size <= HIGHEST:
        return ""
    if abs(size - round(size)) <= BETWEEN:
        return f"AWG {_name(round(size))}"
    return f"AWG {_name(math.floor(size))}–{_name(math.ceil(size))}"


def told_section(section: float) -> str:
    """The same of a copper section, m²."""
    return told(math.sqrt(4 * section / math.pi))


def _name(size: int) -> str:
    return str(size) if size > 0 else f"{1 - size}/0"
