"""What the scope shows: traces that keep their extremes however many edges they hold, and what meters read of the window."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationInfo, field_validator

from rhombos.core.labels import Labelled, labelled
from rhombos.core.plots.model import Chart, Mark, Role, Scale, Series, roomy
from rhombos.core.scope.record import BEFORE, QUARTER, Bench, EventName, LoadName, Record, record
from rhombos.core.scope.view import TRACES, TraceName, View, around, crossing, envelope, readings_at, view, window
from rhombos.core.solve import Worked
from rhombos.core.units import Second, fmt, parse, short
from rhombos.core.waves.modulation import Array

SPECTRUM = 4096
MOST_HARMONICS = 40
LIMITS: tuple[tuple[int, float], ...] = ((3, 0.05), (5, 0.06), (7, 0.05), (9, 0.015), (11, 0.035), (13, 0.03))
"""Shares of the fundamental that low-voltage supplies usually keep to, by harmonic: a yardstick, not a certificate."""


class Trigger(BaseModel):
    """Begin the window a little before a trace passes a level, V, A or W, later than `after`, s."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    trace: TraceName = "output"
    level: float = Field(0.0, ge=-1e6, le=1e6, title="Trigger level")
    rising: bool = True
    after: Second = Field(0.0, ge=0, le=10, title="Trigger after")

    @field_validator("level", mode="before")
    @classmethod
    def _read(cls, value: Any, info: ValidationInfo) -> Any:
        return parse(value, TRACES[info.data.get("trace", "output")][0]) if isinstance(value, str) else value


class ScopeAsked(BaseModel):
    """What to record, and which part of it to look at."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    load: LoadName = "as designed"
    event: EventName = "steady"
    periods: int = Field(4, ge=1, le=20, title="Line periods")
    first: Second | None = Field(None, ge=0, le=10, title="Window from")
    last: Second | None = Field(None, ge=0, le=10, title="Window to")
    reference: LoadName | None = None
    cursors: tuple[Second, ...] = Field((), max_length=2, title="Cursors")
    trigger: Trigger | None = None


class ScopeBench(BaseModel):
    """Traces of the window with their readings; `period` and `carrier` are the lengths, s, that a person zooms to.

    `cursors` is a table, row by row, its first row naming the columns; `triggered` is the moment that set the window, s.
    """

    model_config = ConfigDict(frozen=True)

    charts: tuple[Chart, ...]
    readings: tuple[Labelled, ...]
    cursors: tuple[tuple[str, ...], ...] = ()
    triggered: float | None = None
    remarks: tuple[str, ...]
    first: float
    last: float
    end: float
    period: float
    carrier: float


def _bench(worked: Worked) -> Bench:
    at = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    assert at is not None
    lost = worked.route.hopeless(worked.settled)
    surges = [s.states["output_filter"].peak for k, s in worked.settled.items() if k not in lost]
    peak = max(surges or [worked.settled["nominal"].states["output_filter"].peak])
    return Bench(at, worked.brief.power.continuous, worked.brief.output.voltage, worked.rules.trip_factor * peak / at.ratio)


def scope_bench(asked: ScopeAsked, worked: Worked) -> ScopeBench:
    """The record of an event. Raises: ValueError where nothing settles."""
    bench = _bench(worked)
    made = record(bench, asked.load, asked.event, asked.periods)
    first, last, triggered = _looked_at(asked, made)
    seen = view(made, first, last)
    other = None
    if asked.reference:
        beside = record(bench, asked.reference, asked.event, asked.periods)
        other = view(beside, first, min(last, beside.end)) if first < beside.end else None
    cursors = tuple(min(c, made.end) for c in asked.cursors)
    moments: list[tuple[float | None, str, Role]] = [(made.tripped, "trips", "rating"), (triggered, "trigger", "house")]
    moments += [(at, name, "here") for at, name in zip(cursors, "AB", strict=False)]
    marks = tuple(Mark(at=at, label=label, role=role, upright=True)
                  for at, label, role in moments if at is not None and first <= at <= last)  # fmt: skip
    near = last - first < 0.3 / made.line
    charts = [
        _traces(seen, other, ("output", "bridge") if near else ("output",), "Voltage", marks),
        _traces(seen, other, ("load", "inductor"), "Current", marks, bench.trip),
        _traces(seen, other, ("power",), "Power into the load", marks),
    ]  # fmt: skip
    if asked.load == "adapter":
        charts.insert(2, _traces(seen, None, ("capacitor",), "Capacitor of the adapter", marks))
    if last - first >= 0.999 / made.line and made.tripped is None:
        charts.append(_harmonics(made, last))
    return ScopeBench(
        charts=tuple(charts), readings=_readings(made, seen), remarks=_remarks(made, seen, asked, bench, triggered),
        cursors=readings_at(made, cursors) if cursors else (), triggered=triggered, first=first, last=last, end=made.end,
        period=1 / made.line, carrier=1 / made.carrier)  # fmt: skip


def _looked_at(asked: ScopeAsked, made: Record) -> tuple[float, float, float | None]:
    """The window, s, and the moment that triggered it."""
    first, last = window(asked.first, asked.last, made.end, made.carrier)
    hit = asked.trigger
    found = crossing(made, hit.trace, hit.level, hit.rising, min(hit.after, made.end)) if hit else None
    if found is None:
        return first, last, None
    wide = last - first if asked.first is not None or asked.last is not None else 1 / made.line
    return *around(found, wide, made.end), found


def _traces(
    seen: View, other: View | None, names: tuple[TraceName, ...], title: str, marks: tuple[Mark, ...],
    level: float | None = None,
) -> Chart:  # fmt: skip
    """Traces of one unit over the window; `level` is drawn across, A or V."""
    unit = TRACES[names[0]][0]
    found = [(n, *envelope(seen, n)) for n in names]
    top = max(float(np.abs(v).max()) for _, _, v in found) or 1.0
    t, y = Scale("s", seen.last), Scale(unit, top)
    roles: Any = ("main", "second")
    series = [Series(name=TRACES[n][1], x=t.all(times), y=y.all(values), role=role)
              for (n, times, values), role in zip(found, roles, strict=False)]  # fmt: skip
    if other is not None:
        times, values = envelope(other, names[0])
        series.append(Series(name="for comparison", x=t.all(times), y=y.all(values), role="faint"))
        top = max(top, float(np.abs(values).max()))
    low = min(0.0, *(float(v.min()) for _, _, v in found))
    across = (Mark(at=y(level), label=f"trip {fmt(level, unit)}", role="house"),) if level and level < 1.3 * top else ()
    return Chart(
        key="-".join(names), title=title, x=t.axis("time", low=seen.first, high=seen.last),
        y=y.axis("", low=-roomy(-low) if low < 0 else 0.0, high=roomy(top)), series=tuple(series),
        marks=(*(m.model_copy(update={"at": t(m.at)}) for m in marks), *across), remark="")  # fmt: skip


def _last_period(made: Record, last: float) -> tuple[Array, dict[str, Array]]:
    """One line period that ends with the window, evenly sampled."""
    begin = max(0.0, last - 1 / made.line)
    time = begin + (np.arange(SPECTRUM) + 0.5) * (last - begin) / SPECTRUM
    return time, made.probe(time)


def _harmonics(made: Record, last: float) -> Chart:
    """Harmonics of voltage and current at the socket in the last period of the window, against usual limits of supplies."""
    _, traces = _last_period(made, last)
    volts, amps = (np.abs(np.fft.rfft(traces[n]))[1 : MOST_HARMONICS + 1] for n in ("output", "load"))
    g, h = Scale("%", 1), Scale("1", 1)
    orders = np.arange(2, MOST_HARMONICS + 1)
    series = [Series(name="voltage", x=h.all(orders), y=g.all(volts[1:] / volts[0]), kind="sticks")]
    if amps[0] > 0:
        series.append(Series(name="current", x=h.all(orders + 0.3), y=g.all(amps[1:] / amps[0]), kind="sticks", role="second"))
    series.append(Series(name="usual limit of a supply", x=h.all([n for n, _ in LIMITS]), y=g.all([s for _, s in LIMITS]),
                         role="third", kind="steps"))  # fmt: skip
    return Chart(
        key="harmonics", title="Harmonics in the last period", x=h.axis("harmonic", low=0, high=MOST_HARMONICS + 1),
        y=g.axis("of the fundamental", low=0), series=tuple(series),
        remark="The limits are those that public supplies usually keep to: a yardstick, not a certificate.")  # fmt: skip


def _mean_square(values: Array, time: Array) -> float:
    return float(np.trapezoid(values**2, time) / (time[-1] - time[0]))


def _readings(made: Record, seen: View) -> tuple[Labelled, ...]:
    """What meters show of the window, and of its last line period."""
    first, last, time, traces = seen.first, seen.last, seen.time, seen.traces
    volts, amps = (math.sqrt(_mean_square(traces[n], time)) for n in ("output", "load"))
    power = float(np.trapezoid(traces["power"], time) / (last - first))
    peak = float(np.abs(traces["load"]).max())
    rows = [
        ("Voltage, true RMS", fmt(volts, "V", 4)), ("Voltage, peak", fmt(float(np.abs(traces["output"]).max()), "V", 4)),
        ("Load current, true RMS", fmt(amps, "A")), ("Load current, peak", fmt(peak, "A")),
        ("Crest factor of it", f"{peak / amps:.2f}" if amps > 1e-9 else "–"), ("True power (wattmeter)", fmt(power, "W", 4)),
        ("Apparent power", fmt(volts * amps, "V*A", 4)),
        ("Power factor", f"{power / (volts * amps):.3f}" if volts * amps > 1e-9 else "–"),
        ("Inductor current, peak", fmt(float(np.abs(traces["inductor"]).max()), "A")),
    ]  # fmt: skip
    if last - first >= 0.999 / made.line:
        _, period = _last_period(made, last)
        for name, title in (("output", "voltage"), ("load", "load current")):
            peaks = np.abs(np.fft.rfft(period[name]))
            if peaks[1] > 1e-6:
                rows.append((f"Distortion of the {title}, last period",
                             fmt(math.sqrt(float(np.sum(peaks[2:MOST_HARMONICS + 1] ** 2))) / float(peaks[1]),
                             "%")))  # fmt: skip
        rows.append(("Fundamental of the voltage, last period", fmt(
            math.sqrt(2) * float(np.abs(np.fft.rfft(period["output"]))[1]) / SPECTRUM, "V", 4)))  # fmt: skip
    return labelled(*rows)


def _remarks(made: Record, seen: View, asked: ScopeAsked, bench: Bench, triggered: float | None) -> tuple[str, ...]:
    """What a person should know before believing the traces, the most urgent first."""
    found = []
    hit = asked.trigger
    if hit and triggered is None:
        found.append(f"No trigger: after {fmt(hit.after, 's')} nothing {'rises' if hit.rising else 'falls'} through "
                     f"{short(hit.level, TRACES[hit.trace][0])} ({TRACES[hit.trace][1]}).")  # fmt: skip
    if asked.load == "motor, starting":
        found.append("A motor that does not turn yet: five times its current at a power factor of 0.45.")
    if asked.load == "lamp, cold":
        found.append("A filament is cold at first: a twelfth of its hot resistance, and warm in a tenth of a second.")
    if asked.load == "adapter":
        found.append(f"An adapter of {short(bench.power, 'W')} without correction: a fifth of the peak as ripple on its "
                     "capacitor, 3 % of its impedance before it.")  # fmt: skip
    if asked.event == "short circuit":
        after = f", {fmt(made.tripped - _crest(bench), 's')} after the short; its diodes then give the current back." \
            if made.tripped is not None else "; here it never does."  # fmt: skip
        found.append(f"The bridge trips at {fmt(bench.trip, 'A')} in its inductor{after}")
    reached = float(np.abs(seen.traces["inductor"]).max())
    if asked.event != "short circuit" and reached > bench.trip:
        found.append(f"The inductor reaches {fmt(reached, 'A')}, beyond the trip of {fmt(bench.trip, 'A')}: the real bridge "
                     "would let go, or must limit its current here.")  # fmt: skip
    return (*found, "The link stands still here, and edges are ideal: no dead time, no recovery.")


def _crest(bench: Bench) -> float:
    return (BEFORE + QUARTER) / bench.at.line


def scope_csv(asked: ScopeAsked, worked: Worked) -> str:
    """The window as a table: time, s, and every trace, V, A, W; every edge has a row before and after it."""
    made = record(_bench(worked), asked.load, asked.event, asked.periods)
    first, last, _ = _looked_at(asked, made)
    edges = made.edges(first, last)
    time = np.unique(np.concatenate([np.linspace(first, last, 5001), edges, np.clip(edges - 1e-9, first, last)]))
    traces = made.probe(time)
    names = tuple(TRACES)
    rows = np.column_stack([time, *(traces[n] for n in names)])
    lines = [",".join(["time_s", *(f"{n}_{TRACES[n][0]}" for n in names)])]
    lines += [",".join(f"{v:.7g}" for v in row) for row in rows]
    return "\n".join(lines) + "\n"
