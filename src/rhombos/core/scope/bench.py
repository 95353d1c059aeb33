"""What the scope says of a window: what meters read, what each trace measures, its spectrum, what to know beforehand."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import get_args

import numpy as np
from pydantic import BaseModel, ConfigDict

from rhombos.core.blocks.output_filter import KEY as OUTPUT_FILTER
from rhombos.core.blocks.protection import ProtectionBuild
from rhombos.core.frame.labels import Labelled, labelled
from rhombos.core.frame.report import Stepped
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Scale, Series
from rhombos.core.scope.asked import ScopeAsked, Spectrum
from rhombos.core.scope.record import Record, record
from rhombos.core.scope.remarks import remarks
from rhombos.core.scope.setup import Bench, EventName, LoadName, SettingName, SourceName
from rhombos.core.scope.view import TraceName, View, around, crossing, packed, readings_at, view, window
from rhombos.core.units.quantities import fmt
from rhombos.core.waves.modulation import Array
from rhombos.core.waves.spectrum import COUNTED

SAMPLES = 2**16
"""Of one line period, for its spectrum."""
MOST_HARMONICS = 40
GROUPS = 6.5
"""How far, in carriers, a spectrum to the carrier reaches: three groups of a unipolar bridge."""
FLOOR = 1e-5
"""Share below which a line is not drawn."""
LIMITS: tuple[tuple[int, float], ...] = ((3, 0.05), (5, 0.06), (7, 0.05), (9, 0.015), (11, 0.035), (13, 0.03))
"""Shares of the fundamental that low-voltage supplies usually keep to, by harmonic: a yardstick, not a certificate."""


class TracePoint(BaseModel):
    """Where the record can be probed."""

    model_config = ConfigDict(frozen=True)

    name: TraceName
    unit: str
    label: str


class ScopeSeen(BaseModel):
    """What there is to probe, and what the window says; `period` and `carrier` are the lengths, s, that a person zooms to
    (`stepped`: there is no carrier, but a part of the period).

    `cursors` and `measured` are tables, row by row, the first row naming the columns; `triggered` is the moment that set the
    window, `tripped` the one at which the bridge let go, s; `trip` the level, A.
    """

    model_config = ConfigDict(frozen=True)

    points: tuple[TracePoint, ...]
    readings: tuple[Labelled, ...]
    measured: tuple[tuple[str, ...], ...]
    cursors: tuple[tuple[str, ...], ...] = ()
    spectrum: Chart | None = None
    triggered: float | None = None
    tripped: float | None = None
    trip: float
    remarks: tuple[str, ...]
    first: float
    last: float
    end: float
    period: float
    carrier: float
    stepped: bool = False
    direct: bool = False
    loads: tuple[LoadName, ...] = ()
    events: tuple[EventName, ...] = ()
    sources: tuple[SourceName, ...] = ()
    settings: tuple[SettingName, ...] = ()


def bench_of(worked: Worked) -> Bench:
    """What of a design is recorded."""
    found = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    now = worked.settled["nominal"]
    beside = now.delivered - now.flow["load"]
    supply = worked.route.supply(worked.settled, worked.builds, worked.brief, worked.shelf, worked.rules)
    if found is None:
        at = worked.route.stepped(worked.settled, worked.builds, worked.shelf)
        assert at is not None
        protection = worked.built(ProtectionBuild)
        return Bench(
            at,
            worked.brief.power.continuous,
            worked.brief.output.voltage,
            protection.short_trip,
            supply,
            limit=worked.brief.source.most_current,
            beside=beside,
        )
    lost = worked.route.infeasible(worked.settled)
    surges = [s.states[OUTPUT_FILTER].peak for k, s in worked.settled.items() if k not in lost]
    peak = max(surges or [worked.settled["nominal"].states[OUTPUT_FILTER].peak])
    trip = worked.rules.trip_factor * peak / found.ratio
    return Bench(
        found,
        worked.brief.power.continuous,
        worked.brief.output.voltage,
        trip,
        supply,
        worked.brief.crest_power,
        worked.brief.source.most_current,
        beside,
    )


def scope_bench(asked: ScopeAsked, worked: Worked) -> ScopeSeen:
    """What is read of an event. Raises: ValueError where nothing settles."""
    bench, made = _recorded(asked, worked)
    first, last, triggered = _looked_at(asked, made)
    seen = view(made, first, last, asked.grid)
    cursors = tuple(min(c, made.end) for c in asked.cursors)
    return ScopeSeen(
        points=tuple(TracePoint(name=n, unit=p.unit, label=p.label) for n, p in made.points.items()),
        readings=_readings(made, seen, bench.direct),
        measured=_measured(made, seen, asked),
        cursors=readings_at(made, cursors) if cursors else (),
        spectrum=_spectrum(made, last, asked.spectrum),
        triggered=triggered,
        tripped=made.tripped,
        trip=bench.trip,
        remarks=remarks(made, seen, asked, bench, triggered),
        first=first,
        last=last,
        end=made.end,
        period=1 / made.line,
        carrier=1 / made.carrier,
        stepped=isinstance(bench.at, Stepped),
        direct=bench.direct,
        loads=bench.choices[0],
        events=bench.choices[1],
        sources=bench.sources,
        settings=() if worked.brief.output.down_to is None else get_args(SettingName),
    )


def scope_points(asked: ScopeAsked, worked: Worked) -> bytes:
    """The window as numbers to draw, every edge in it: see `view.packed`."""
    _, made = _recorded(asked, worked)
    first, last, _ = _looked_at(asked, made)
    return packed(made, view(made, first, last, asked.grid))


def scope_csv(asked: ScopeAsked, worked: Worked) -> str:
    """The window as a table: time, s, and every trace, V, A, W; every edge has a row before and after it."""
    _, made = _recorded(asked, worked)
    first, last, _ = _looked_at(asked, made)
    edges = made.edges(first, last)
    time = np.unique(np.concatenate([np.linspace(first, last, 5001), edges, np.clip(edges - 1e-9, first, last)]))
    traces, points = made.probe(time), made.points
    rows = np.column_stack([time, *(traces[n] for n in points)])
    lines = [",".join(["time_s", *(f"{n}_{p.unit.replace('*', '')}" for n, p in points.items())])]
    lines += [",".join(f"{v:.7g}" for v in row) for row in rows]
    return "\n".join(lines) + "\n"


def _recorded(asked: ScopeAsked, worked: Worked) -> tuple[Bench, Record]:
    bench = bench_of(worked)
    if asked.setting == "lowest":
        bench = replace(bench_of(worked.at_lowest), trip=bench.trip)
    return bench, record(bench, asked.load, asked.event, min(asked.periods, bench.most_periods), asked.source)


def _looked_at(asked: ScopeAsked, made: Record) -> tuple[float, float, float | None]:
    """The window, s, and the moment that triggered it."""
    first, last = window(asked.first, asked.last, made.end, made.carrier)
    hit = asked.trigger
    known = hit is not None and hit.trace in made.points
    found = crossing(made, hit.trace, hit.level, hit.rising, min(hit.after, made.end)) if hit and known else None
    if found is None:
        return first, last, None
    wide = last - first if asked.first is not None or asked.last is not None else 1 / made.line
    return *around(found, wide, made.end), found


def _last_period(made: Record, last: float) -> tuple[Array, dict[str, Array]]:
    """One line period that ends with the window, evenly sampled."""
    begin = max(0.0, last - 1 / made.line)
    time = begin + (np.arange(SAMPLES) + 0.5) * (last - begin) / SAMPLES
    return time, made.probe(time)


def _peaks(values: Array) -> Array:
    """The mean and the peaks of all harmonics of one period."""
    found = np.abs(np.fft.rfft(values)) * 2 / values.size
    found[0] /= 2
    return np.asarray(found)


def _spectrum(made: Record, last: float, asked: Spectrum | None) -> Chart | None:
    """Harmonics of a trace in the last line period that ends with the window; of one with a mean, against its mean."""
    if asked is None or asked.trace not in made.points:
        return None
    _, traces = _last_period(made, last)
    point, peaks = made.points[asked.trace], _peaks(traces[asked.trace])
    mean = peaks[0] > peaks[1]
    base = max(float(peaks[0] if mean else peaks[1]), 1e-12)
    wide = asked.reach == "carrier"
    count = math.ceil(GROUPS * made.carrier / made.line) if wide else MOST_HARMONICS
    count = min(count, peaks.size - 1)
    orders = np.arange(1 if mean or wide else 2, count + 1)
    shares = peaks[orders] / base
    if wide:
        orders, shares = orders[shares > FLOOR], shares[shares > FLOOR]
    x = Scale("Hz", count * made.line) if wide else Scale("1", 1)
    y = Scale("%", 1)
    along = orders * made.line if wide else orders
    series = [Series(name=point.label, x=x.all(along), y=y.all(shares), kind="sticks")]
    end = count * made.line if wide else count + 1
    if asked.trace == "output" and not wide:
        series.append(
            Series(
                name="usual limit of a supply",
                x=x.all([n for n, _ in LIMITS]),
                y=y.all([s for _, s in LIMITS]),
                role="third",
                kind="steps",
            )
        )
    worst = ""
    if asked.limit:
        series.append(
            Series(name=f"limit {fmt(asked.limit, '%', 2)}", x=x.all([0, end]), y=y.all([asked.limit] * 2), role="second")
        )
        over = orders[shares > asked.limit]
        lines = f"{over.size} lines stand" if over.size > 1 else "One line stands"
        worst = (
            f" {lines} above the limit, the first at {fmt(float(over[0]) * made.line, 'Hz', 4)}."
            if over.size
            else " All stay below the limit."
        )
    of_what = f"mean, {fmt(base, point.unit)}" if mean else f"fundamental, {fmt(base, point.unit)} peak"
    yardstick = (
        " The limits are those that public supplies usually keep to: a yardstick, not a certificate."
        if asked.trace == "output" and not wide
        else ""
    )
    return Chart(
        key="spectrum",
        title=f"Spectrum: {point.label}",
        x=x.axis("frequency" if wide else "harmonic", low=0, high=x(end)),
        y=y.axis("", low=0),
        series=tuple(series),
        remark=f"The last line period, of its {of_what}.{worst}{yardstick}",
    )


def _mean_square(values: Array, time: Array) -> float:
    return float(np.trapezoid(values**2, time) / (time[-1] - time[0]))


def _measured(made: Record, seen: View, asked: ScopeAsked) -> tuple[tuple[str, ...], ...]:
    """Each trace asked for over the window: mean, RMS, least, most and their distance, as rows of text."""
    rows: list[tuple[str, ...]] = [("", "mean", "RMS", "min", "max", "swing")]
    for name in asked.traces:
        if name not in made.points:
            continue
        point, values = made.points[name], seen.traces[name]
        mean = float(np.trapezoid(values, seen.time) / (seen.last - seen.first))
        least, most = float(values.min()), float(values.max())
        if abs(mean) < 1e-4 * (most - least):
            mean = 0.0
        rms = math.sqrt(_mean_square(values, seen.time))
        rows.append((point.label, *(fmt(v, point.unit) for v in (mean, rms, least, most, most - least))))
    return tuple(rows)


def _readings(made: Record, seen: View, direct: bool) -> tuple[Labelled, ...]:
    """What meters show of the window, and of its last line period."""
    first, last, time, traces = seen.first, seen.last, seen.time, seen.traces
    volts, amps = (math.sqrt(_mean_square(traces[n], time)) for n in ("output", "load"))
    power = float(np.trapezoid(traces["power"], time) / (last - first))
    peak = float(np.abs(traces["load"]).max())
    rows = [
        ("Voltage, true RMS", fmt(volts, "V", 4)),
        ("Voltage, peak", fmt(float(np.abs(traces["output"]).max()), "V", 4)),
        ("Load current, true RMS", fmt(amps, "A")),
        ("Load current, peak", fmt(peak, "A")),
        ("True power (wattmeter)", fmt(power, "W", 4)),
    ]
    if direct:
        rows.insert(2, ("Voltage, lowest", fmt(float(traces["output"].min()), "V", 4)))
    else:
        rows += [
            ("Crest factor of the current", f"{peak / amps:.2f}" if amps > 1e-9 else "–"),
            ("Apparent power", fmt(volts * amps, "V*A", 4)),
            ("Power factor", f"{power / (volts * amps):.3f}" if volts * amps > 1e-9 else "–"),
        ]
    if "inductor" in traces:
        rows.append(("Inductor current, peak", fmt(float(np.abs(traces["inductor"]).max()), "A")))
    if made.trail is not None:
        drawn = float(np.trapezoid(traces["source"], time) / (last - first))
        rows.append(("Source current, mean", fmt(drawn, "A")))
        rows.append(
            (
                "Source current, RMS over mean",
                f"{math.sqrt(_mean_square(traces['source'], time)) / drawn:.2f}" if drawn > 1e-6 else "–",
            )
        )
    if last - first >= 0.999 / made.line and not direct:
        _, period = _last_period(made, last)
        for name, title in (("output", "voltage"), ("load", "load current")):
            peaks = _peaks(period[name])
            if peaks[1] > 1e-6:
                rows.append(
                    (
                        f"Distortion of the {title}, last period",
                        fmt(math.sqrt(float(np.sum(peaks[2 : COUNTED + 1] ** 2))) / float(peaks[1]), "%"),
                    )
                )
        rows.append(("Fundamental of the voltage, last period", fmt(float(_peaks(period["output"])[1]) / math.sqrt(2), "V", 4)))
    return labelled(*rows)
