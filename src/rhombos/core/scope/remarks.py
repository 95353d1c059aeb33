"""What a person should know before believing the traces of the scope."""

from __future__ import annotations

import numpy as np

from rhombos.core.frame.report import Stepped
from rhombos.core.scope.asked import ScopeAsked
from rhombos.core.scope.record import Record
from rhombos.core.scope.setup import Bench
from rhombos.core.scope.view import View
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.line_feed import RectifiedFeed

LOADS = {
    "motor, starting": "A motor with a run capacitor, as its equivalent circuit: five times its current at a power factor of "
    "0.45 while it stands; after a start it reaches its speed in 0.4 s.",
    "motor, running": "A motor with a run capacitor, as its equivalent circuit, at the slip at which it takes the power.",
    "lamp, cold": "A filament is cold at first: a twelfth of its hot resistance, and warm in a tenth of a second.",
    "transformer": "A line transformer with its rated load: its core has its knee a quarter above the working flux, and draws "
    "fifty times the current beyond. Put on at a zero of the voltage it saturates; here it is put on at the "
    "crest.",
}


def remarks(made: Record, seen: View, asked: ScopeAsked, bench: Bench, triggered: float | None) -> tuple[str, ...]:
    """What a person should know before believing the traces, the most urgent first."""
    found = []
    if asked.periods > bench.most_periods:
        found.append(
            f"The record ends after {bench.most_periods} line periods: at {short(bench.at.line, 'Hz')} more of them have too "
            "many edges."
        )
    hit = asked.trigger
    if hit and hit.trace not in made.points:
        found.append(f"There is no {hit.trace} to trigger on in this record.")
    elif hit and triggered is None:
        point = made.points[hit.trace]
        found.append(
            f"No trigger: after {fmt(hit.after, 's')} nothing {'rises' if hit.rising else 'falls'} through "
            f"{short(hit.level, point.unit)} ({point.label})."
        )
    if asked.load in LOADS:
        found.append(LOADS[asked.load])
    if asked.load == "adapter":
        found.append(
            f"An adapter of {short(bench.power, 'W')} without correction: a fifth of the peak as ripple on its "
            "capacitor, 3 % of its impedance before it."
        )
    if asked.event == "short circuit":
        after = (
            f", {fmt(made.tripped - bench.at_crest, 's')} after the short; its diodes then give the current back."
            if made.tripped is not None
            else "; here it never does."
        )
        where = "in its inductor" if "inductor" in seen.traces else "out of its socket"
        found.append(f"The bridge trips at {fmt(bench.trip, 'A')} {where}{after}")
    carrying = "inductor" if "inductor" in seen.traces else "load"
    reached = float(np.abs(seen.traces[carrying]).max())
    if asked.event != "short circuit" and reached > bench.trip:
        what = "The inductor" if carrying == "inductor" else "The current"
        found.append(
            f"{what} reaches {fmt(reached, 'A')}, beyond the trip of {fmt(bench.trip, 'A')}: the real unit "
            "would trip, or must limit its current here."
        )
    if bench.beside and made.trail is not None:
        found.append(
            f"What stands beside this socket is counted as a steady draw of {fmt(bench.beside, 'W')}; it has no trace here."
        )
    if made.trail is None:
        found.append("The link stands still here: feed it from the source to see it sag.")
    elif asked.source == "source, averaged":
        found.append(
            "The front end is its mean here: pulses and their ripple are left out, and it looks firmer than it is "
            "where its choke runs dry."
        )
    if made.trail is not None and (given := float(made.trail.source.max())) > bench.limit:
        found.append(
            f"{fmt(given, 'A')} are taken from a rail that is limited at {fmt(bench.limit, 'A')}: the real one falls there, "
            "and the stage with it."
        )
    if made.trail is not None and isinstance(bench.supply.feed, RectifiedFeed):
        found.append(
            f"The mains of {short(bench.supply.feed.mains.hertz, 'Hz')} passes through zero as the record begins; no output is "
            "locked to it, and each meets it at every phase in time. The source is what the diodes give."
        )
    if isinstance(bench.at, Stepped):
        return (*found, *_stepped_remarks(bench.at, asked))
    return (*found, "The legs wait for their dead time as the rated load asks; edges are steep, and nothing recovers.")


def _stepped_remarks(at: Stepped, asked: ScopeAsked) -> tuple[str, ...]:
    """What is left out of a stepped wave."""
    found = []
    if asked.event == "soft start":
        found.append(
            "A square wave has no width to begin with: it is there at once."
            if at.fraction == 1
            else "The width of the pulses grows over six line periods."
        )
    if at.lets_go:
        found.append(
            "Between pulses both switches are off: an inductive load first gives its current back through their "
            "diodes, then floats. What magnetises the iron is left out."
        )
    return (*found, "Edges are steep; neither the load's leads nor the switches ring here.")
