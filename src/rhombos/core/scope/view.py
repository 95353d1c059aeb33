"""A window of a record: every edge looked at, every trace kept with its spikes, read at cursors, found by a trigger."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Literal

import numpy as np

from rhombos.core.scope.record import Record
from rhombos.core.units.quantities import fmt
from rhombos.core.units.solvers import root
from rhombos.core.waves.modulation import Array

TraceName = Literal[
    "source",
    "input",
    "choke",
    "link",
    "bridge",
    "inductor",
    "shunt",
    "output",
    "load",
    "smoothing",
    "rotor",
    "flux",
    "magnetising",
    "power",
]
GRID = 4200
"""Moments that a window is looked at beside every edge in it."""
LEAST = 0.2
"""Width of the narrowest window, carrier periods."""
SPIKE = 1e-3
"""How far off the drawn lines a moment must lie to be drawn too, share of the swing."""
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


def view(made: Record, first: float, last: float, grid: int = GRID) -> View:
    """Every edge of the window, the moment before it, two moments between each and the next (ripple is bent there), what was
    marched before the bridge, and a grid."""
    edges = made.edges(first, last)
    apart = np.diff(edges, append=last) / 3
    late = np.clip(edges - 1e-12, first, last)
    looked = [np.linspace(first, last, grid + 1), np.clip(edges + 1e-12, first, last), late, edges + apart, edges + 2 * apart]
    if made.trail is not None:
        looked.append(made.trail.time[(made.trail.time >= first) & (made.trail.time <= last)])
    time = np.unique(np.concatenate(looked))
    return _with_spikes(made, View(first, last, time, made.probe(time)))


def _with_spikes(made: Record, seen: View) -> View:
    """With the moments at which a trace leaves the straight lines drawn so far: what dies away sooner than the next edge."""
    moments = made.brief(seen.first, seen.last)
    if not moments.size:
        return seen
    found = made.probe(moments)
    off = np.zeros(moments.size, dtype=bool)
    for name, values in found.items():
        drawn = np.interp(moments, seen.time, seen.traces[name])
        off |= np.abs(values - drawn) > SPIKE * max(float(np.ptp(seen.traces[name])), float(np.ptp(values)))
    time, first = np.unique(np.concatenate([seen.time, moments[off]]), return_index=True)
    traces = {n: np.concatenate([seen.traces[n], values[off]])[first] for n, values in found.items()}
    return View(seen.first, seen.last, time, traces)


def packed(made: Record, seen: View) -> bytes:
    """A view for drawing: one line of JSON that says what follows (padded to whole doubles), then the times, s, as doubles and
    every trace as singles, little-endian."""
    head = {
        "count": int(seen.time.size),
        "first": seen.first,
        "last": seen.last,
        "traces": [{"name": n, "unit": p.unit, "label": p.label} for n, p in made.points.items()],
    }
    text = json.dumps(head).encode()
    text += b" " * (-(len(text) + 1) % 8) + b"\n"
    return b"".join([text, seen.time.astype("<f8").tobytes(), *(seen.traces[n].astype("<f4").tobytes() for n in made.points)])


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
    return root(beyond, since, until, xtol=1e-10)


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
    for name, values, unit in [("time", at, "s"), *((p.label, traces[n], p.unit) for n, p in made.points.items())]:
        between = (fmt(float(values[1] - values[0]), unit, 4),) if at.size > 1 else ()
        rows.append((name, *(fmt(float(v), unit, 4) for v in values), *between))
    if at.size > 1 and at[1] != at[0]:
        rows.append(("1 / time", "", "", fmt(1 / abs(float(at[1] - at[0])), "Hz", 4)))
    return tuple(rows)
