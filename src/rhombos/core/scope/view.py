"""A window of a record: every edge looked at, every trace drawn by its extremes, read at cursors, found by a trigger."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.optimize import brentq

from rhombos.core.scope.record import Record
from rhombos.core.units import fmt
from rhombos.core.waves.modulation import Array

TraceName = Literal["output", "load", "inductor", "bridge", "capacitor", "power"]
TRACES: dict[TraceName, tuple[str, str]] = {
    "output": ("V", "at the socket"), "load": ("A", "into the load"), "inductor": ("A", "inductor"), "bridge": ("V", "bridge"),
    "capacitor": ("V", "capacitor of the load"), "power": ("W", "power into the load"),
}  # fmt: skip
BUCKETS = 700
"""Pairs of least and most that a trace is drawn with."""
INSIDE = 6
"""Moments within a bucket that are looked at beside every edge in it."""
LEAST = 0.2
"""Width of the narrowest window, carrier periods."""
ARMED = 0.02
"""How far before the level a trace must have been to trigger, share of its swing."""
BEFORE_TRIGGER = 0.1
"""Share of a window that lies before the moment it is triggered by."""


def window(first: float | None, last: float | None, end: float, carrier: float) -> tuple[float, float]:
    """The part of a record to look at, s: within it, and at least a fifth of a carrier period wide."""
    begin = min(max(first or 0.0, 0.0), end)
    until = min(end if last is None else last, end)
    least = LEAST / carrier
    if until - begin < least:
        begin = max(0.0, min(begin, end - least))
        until = begin + least
    return begin, until


@dataclass(frozen=True)
class View:
    """A window of a record, looked at so closely that no edge in it is missed: times, s, and every trace."""

    first: float
    last: float
    time: Array
    traces: dict[str, Array]


def view(made: Record, first: float, last: float) -> View:
    """Every edge of the window, the moment before it, two moments between each and the next (ripple is bent there), and a
    grid."""
    edges = made.edges(first, last)
    apart = np.diff(edges, append=last) / 3
    late = np.clip(edges - 1e-12, first, last)
    time = np.unique(np.concatenate([
        np.linspace(first, last, BUCKETS * INSIDE + 1), edges, late, edges + apart, edges + 2 * apart]))  # fmt: skip
    return View(first, last, time, made.probe(time))


def envelope(seen: View, name: TraceName) -> tuple[Array, Array]:
    """A trace in pairs of its least and most in each bucket, in the order in which it runs through it: times, s, and values.

    A spike between two edges stays, however wide the window.
    """
    time, values, first, last = seen.time, seen.traces[name], seen.first, seen.last
    if time.size <= 2 * BUCKETS:
        return time, values
    bucket = np.minimum(((time - first) / (last - first) * BUCKETS).astype(int), BUCKETS - 1)
    starts = np.searchsorted(bucket, np.arange(BUCKETS))
    least, most = np.minimum.reduceat(values, starts), np.maximum.reduceat(values, starts)
    middle = first + (np.arange(BUCKETS) + 0.5) * (last - first) / BUCKETS
    rising = values[np.append(starts[1:], time.size) - 1] >= values[starts]
    pairs = np.where(rising[:, None], np.stack([least, most], 1), np.stack([most, least], 1))
    half = 0.25 * (last - first) / BUCKETS
    return np.stack([middle - half, middle + half], 1).ravel(), pairs.ravel()


def crossing(made: Record, name: TraceName, level: float, rising: bool, after: float) -> float | None:
    """The first moment later than `after`, s, at which a trace passes a level the asked way; None where it never does.

    It must come from a little beyond the level, so that ripple on the way back does not count.
    """
    seen = view(made, after, made.end)
    values, aim = (seen.traces[name], level) if rising else (-seen.traces[name], -level)
    armed = np.maximum.accumulate(values < aim - ARMED * float(np.ptp(values)))
    turns = np.flatnonzero((values[1:] >= aim) & (values[:-1] < aim) & armed[:-1])
    if not turns.size:
        return None
    since, until = float(seen.time[turns[0]]), float(seen.time[turns[0] + 1])

    def beyond(when: float) -> float:
        return float(made.probe(np.array([when]))[name][0]) - level

    if beyond(since) * beyond(until) >= 0:
        return until
    return float(brentq(beyond, since, until, xtol=1e-10))


def around(when: float, width: float, end: float) -> tuple[float, float]:
    """A window of a width, s, that a moment lies a tenth inside of, within the record."""
    first = min(max(when - BEFORE_TRIGGER * width, 0.0), max(0.0, end - width))
    return first, min(first + width, end)


def readings_at(made: Record, moments: tuple[float, ...]) -> tuple[tuple[str, ...], ...]:
    """What each trace stands at where the cursors are, as rows of text; with two, what lies between them.

    The first row names the columns; the second holds the times and, with two, their distance.
    """
    at = np.array(moments)
    traces = made.probe(at)
    rows: list[tuple[str, ...]] = [("", *("AB"[: at.size]), *(("B − A",) if at.size > 1 else ()))]
    shown = [n for n in TRACES if n != "capacitor" or traces[n].any()]
    for name, values, unit in [("time", at, "s"), *((TRACES[n][1], traces[n], TRACES[n][0]) for n in shown)]:
        between = (fmt(float(values[1] - values[0]), unit, 4),) if at.size > 1 else ()
        rows.append((name, *(fmt(float(v), unit, 4) for v in values), *between))
    if at.size > 1 and at[1] != at[0]:
        rows.append(("1 / time", "", "", fmt(1 / abs(float(at[1] - at[0])), "Hz", 4)))
    return tuple(rows)
