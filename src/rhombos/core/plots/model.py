"""What a picture is made of: axes in display units, series, limit lines, marked points; or rectangles to scale."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike
from pydantic import BaseModel, ConfigDict

from rhombos.core.units.quantities import UNITS, fmt

Role = Literal["main", "second", "third", "faint", "rating", "house", "here"]
MOST_POINTS = 1600


class _Plain(BaseModel):
    model_config = ConfigDict(frozen=True)


class Axis(_Plain):
    """An axis; `unit` is the display unit the numbers are already in; `names` stand at 0, 1, 2 … in place of numbers. Numbers
    stand every `step`, where that is said, and at an end where that is told."""

    label: str
    unit: str
    log: bool = False
    low: float | None = None
    high: float | None = None
    step: float | None = None
    low_told: bool = True
    high_told: bool = True
    names: tuple[str, ...] = ()


class Series(_Plain):
    """One curve (or steps, or bars)."""

    name: str
    x: tuple[float, ...]
    y: tuple[float, ...]
    role: Role = "main"
    kind: Literal["line", "steps", "bars", "sticks"] = "line"


class Mark(_Plain):
    """A limit line across the picture, or along it."""

    at: float
    label: str
    role: Role = "rating"
    upright: bool = False


class Dot(_Plain):
    """A marked point; `size` in pixels."""

    x: float
    y: float
    label: str
    role: Role = "here"
    size: float = 11.0


class Box(_Plain):
    """A rectangle (or wire) of a drawing to scale, mm."""

    x: float
    y: float
    width: float
    height: float
    role: Literal["core", "window", "primary", "secondary", "tape", "gap"]
    label: str = ""
    round: bool = False


class Rung(_Plain):
    """One level of a ladder: where it lies, and where it may lie; `back` is where it turns back; `way` up or down, or none of a
    landmark. Text stands beside it."""

    label: str
    at: float
    text: str
    low: float | None = None
    high: float | None = None
    fresh_low: float | None = None
    fresh_high: float | None = None
    back: float | None = None
    way: Literal["up", "down", "mark"] = "mark"
    remark: str = ""
    severity: Literal["stop", "fix", "watch"] | None = None


class Chart(_Plain):
    """One picture with its caption: curves; a drawing to scale when it has boxes, a ladder when it has rungs, a table when it
    has rows (the first names the columns)."""

    key: str
    title: str
    remark: str = ""
    x: Axis | None = None
    y: Axis | None = None
    series: tuple[Series, ...] = ()
    marks: tuple[Mark, ...] = ()
    dots: tuple[Dot, ...] = ()
    boxes: tuple[Box, ...] = ()
    rungs: tuple[Rung, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()


class Scale:
    """A display unit chosen for a range of values: ``Scale("Hz", 46e3)`` shows kHz."""

    def __init__(self, unit: str, *values: float) -> None:
        largest = max((abs(v) for v in values if np.isfinite(v)), default=1.0) or 1.0
        found = UNITS[unit]
        self.shown, self.factor = found.shown, found.scale
        if found.prefixed and unit != "degC":
            for factor, prefix in ((1e6, "M"), (1e3, "k"), (1.0, ""), (1e-3, "m"), (1e-6, "µ"), (1e-9, "n")):
                if largest >= 0.9999 * factor:
                    self.shown, self.factor = prefix + found.shown, factor
                    break

    def axis(self, label: str, *, log: bool = False, low: float | None = None, high: float | None = None) -> Axis:
        """The axis in this unit; bounds are given in SI. A bound that is no round number carries none, nor does the end of a
        logarithmic axis whose bounds are those of its data. Steps count from the lower end: where that is no round number, the
        axis has none of its own."""
        least, most = (None if end is None else self(end) for end in (low, high))
        step = None if log or least is None or most is None else round_step(least, most)

        def told(end: float | None) -> bool:
            if log:
                return end is not None and end > 0 and _whole(math.log10(end))
            return step is None or end is None or _whole(end / step)

        return Axis(
            label=label,
            unit=self.shown,
            log=log,
            low=least,
            high=most,
            step=step if told(least) else None,
            low_told=told(least),
            high_told=told(most),
        )

    def __call__(self, value: float) -> float:
        """One value in the display unit."""
        return float(f"{value / self.factor:.6g}")

    def all(self, values: ArrayLike) -> tuple[float, ...]:
        """Many values in the display unit."""
        return tuple(float(f"{v:.6g}") for v in np.asarray(values, dtype=float) / self.factor)


def round_step(low: float, high: float) -> float:
    """A round number that divides an axis into three to six whole steps; where none does, the roundest near a quarter of it."""
    quarter = (high - low) / 4
    decade = 10 ** math.floor(math.log10(quarter))

    def far(step: float) -> float:
        return abs(math.log(step / quarter))

    whole = [f * decade for f in (1, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10)]
    fitting = [s for s in whole if _whole(low / s) and _whole(high / s) and 3 <= round((high - low) / s) <= 6]
    return float(f"{min(fitting or [f * decade for f in (1, 2, 2.5, 5, 10)], key=far):.6g}")


def about(values: Iterable[float]) -> tuple[float, float]:
    """Ends of an axis, at whole round steps, that hold some values with a little room and need not reach zero."""
    found = list(values)
    low, high = 0.97 * min(found), 1.03 * max(found)
    step = round_step(low, high)
    return step * math.floor(low / step), step * math.ceil(high / step)


def _whole(ratio: float) -> bool:
    return abs(ratio - round(ratio)) < 1e-6


def thin(values: np.ndarray, most: int = MOST_POINTS) -> np.ndarray:
    """Every n-th value of a smooth curve, so that no more than `most` are left; the last is kept."""
    step = max(1, int(np.ceil(values.shape[0] / most)))
    kept = values[::step]
    return kept if (values.shape[0] - 1) % step == 0 else np.concatenate([kept, values[-1:]])


def roomy(*values: float) -> float:
    """A round number a little above the largest value, for the top of an axis."""
    most = 1.04 * max(values)
    decade = 10 ** np.floor(np.log10(most))
    return float(next(step * decade for step in (1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10) if step * decade >= most))


def limits(rating: float, house: float, scale: Scale, unit: str, what: str = "rating") -> tuple[Mark, ...]:
    """The two lines every stress is drawn against."""
    return (
        Mark(at=scale(rating), label=f"{what} {fmt(rating, unit)}", role="rating"),
        Mark(at=scale(house), label=f"house limit {fmt(house, unit)}", role="house"),
    )


def curve(name: str, xs: Iterable[float], ys: Iterable[float], x: Scale, y: Scale, role: Role = "main") -> Series:
    """A curve in display units."""
    return Series(name=name, x=x.all(list(xs)), y=y.all(list(ys)), role=role)
