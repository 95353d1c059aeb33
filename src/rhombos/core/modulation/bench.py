"""What a way to modulate does: its fundamental, distortion, edges and ripple, its legs and its spectrum, beside the others."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.blocks.h_bridge import AUDIBLE, HBridgeBuild
from rhombos.core.blocks.h_bridge import KEY as H_BRIDGE
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.blocks.output_filter import KEY as OUTPUT_FILTER
from rhombos.core.frame.labels import Labelled, labelled
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Mark, Scale, Series, curve, roomy
from rhombos.core.units.quantities import Hertz, Ratio, Second, fmt, short
from rhombos.core.waves.modulation import Sampling
from rhombos.core.waves.schemes import (
    SINES,
    Bridge,
    SchemeName,
    Setting,
    edges_a_second,
    modulate,
    references,
    weighted_distortion,
)
from rhombos.core.waves.spectrum import FORM_FACTOR, harmonics, readings_of_steps

SHOWN_CARRIERS = 8
"""Carrier periods that the picture of the comparison shows."""
FINE = 24
"""Carrier periods in a line period up to which the whole of it is drawn."""
LOW_ORDERS = (3, 5, 7, 9)
PRESETS: tuple[tuple[str, float], ...] = (("peak and RMS of a sine", 0.5), ("no third harmonic", 2 / 3), ("square", 1.0))
"""Shares of the time that a three-level wave is not zero, and what each keeps."""


class ModulationAsked(BaseModel):
    """How to modulate; what is left out is as the design has it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    scheme: SchemeName | None = None
    sampling: Sampling = "natural"
    index: Ratio | None = Field(None, ge=0.01, le=4, title="Modulation index")
    carrier: Hertz | None = Field(None, ge=300, le=200e3, title="Carrier")
    fraction: Ratio | None = Field(None, ge=0.02, le=1, title="Share of the time not zero")
    dead_time: Second | None = Field(None, ge=0, le=50e-6, title="Dead time")


class SchemeRow(BaseModel):
    """One way to modulate beside the others."""

    model_config = ConfigDict(frozen=True)

    scheme: SchemeName
    here: bool
    texts: dict[str, str]


class ModulationBench(BaseModel):
    """Everything the bench shows; `asked` is what it was worked for, every field filled in, as people write it."""

    model_config = ConfigDict(frozen=True)

    asked: dict[str, str]
    figures: tuple[Labelled, ...]
    columns: tuple[Labelled, ...]
    rows: tuple[SchemeRow, ...]
    presets: tuple[Labelled, ...]
    charts: tuple[Chart, ...]
    remarks: tuple[str, ...]


@dataclass(frozen=True)
class _Made:
    """A setting with its waves."""

    setting: Setting
    bridge: Bridge
    inductance: float | None


COLUMNS = labelled(
    ("fundamental", "fundamental"),
    ("thd", "THD"),
    ("weighted", "weighted"),
    ("ripple", "ripple"),
    ("edges", "edges a second"),
    ("lowest", "lowest group"),
)


def setting_of(asked: ModulationAsked, worked: Worked) -> Setting:
    """The setting asked, completed from the design's nominal point."""
    now = worked.settled["nominal"].states
    bridge = worked.built(HBridgeBuild)
    state, stepped = now[H_BRIDGE], worked.brief.output.stepped
    design: dict[str, SchemeName] = {"sine": "unipolar", "modified": "modified", "square": "square"}
    at = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    steps = worked.route.stepped(worked.settled, worked.builds, worked.shelf)
    link = at.v_link / at.ratio if at else steps.v_link if steps else 0.0
    factor = now[OUTPUT_FILTER].power_factor if OUTPUT_FILTER in now else now[LOAD].power_factor
    return Setting(
        asked.scheme or design[worked.brief.output.waveform],
        asked.sampling,
        asked.index or (min(1.0, state.modulation) if not stepped else 0.95),
        link,
        asked.carrier or bridge.carrier,
        worked.brief.output.frequency,
        asked.fraction or (state.share if stepped else 0.5),
        bridge.dead_time if asked.dead_time is None else asked.dead_time,
        math.acos(min(1.0, max(-1.0, factor))),
    )


def modulation_bench(asked: ModulationAsked, worked: Worked) -> ModulationBench:
    """The bench for one design. Raises: ValueError for a carrier that no table of edges can hold."""
    setting = setting_of(asked, worked)
    inductance = getattr(worked.builds.get(OUTPUT_FILTER), "inductance", None)
    made = _Made(setting, modulate(setting), inductance)
    charts = (_comparison(made), _legs(made), _spectrum(made)) if setting.scheme in SINES else (_legs(made), _spectrum(made))
    return ModulationBench(
        asked={
            "scheme": setting.scheme,
            "sampling": setting.sampling,
            "index": f"{setting.index:.4g}",
            "carrier": fmt(setting.carrier, "Hz"),
            "fraction": f"{setting.fraction:.4g}",
            "dead_time": fmt(setting.dead_time, "s"),
        },
        figures=_figures(made),
        columns=COLUMNS,
        rows=tuple(_row(setting, scheme, inductance) for scheme in _schemes()),
        presets=labelled(*((name, f"{share:.4g}") for name, share in PRESETS)),
        charts=charts,
        remarks=_remarks(made),
    )


def _schemes() -> tuple[SchemeName, ...]:
    return (*SINES, "modified", "square")


def ripple(setting: Setting, inductance: float) -> float:
    """Largest ripple that the wave leaves in an inductor, peak to peak, A, worked from the wave itself.

    Within each carrier period the volt-seconds about that period's mean.
    """
    wave = modulate(replace(setting, dead_time=0.0)).output
    cells = setting.ratio
    grid = np.linspace(0, wave.period, cells + 1)
    times = np.unique(np.concatenate([wave.times, grid[:-1]]))
    levels = wave.at(times)
    lasting = np.diff(times, append=wave.period)
    cell = np.minimum((times / wave.period * cells + 1e-9).astype(int), cells - 1)
    mean = np.bincount(cell, levels * lasting, cells) / (wave.period / cells)
    area = np.cumsum((levels - mean[cell]) * lasting)
    worst = 0.0
    order = np.argsort(cell, kind="stable")
    starts = np.searchsorted(cell[order], np.arange(cells))
    for first, last in zip(starts, np.append(starts[1:], cell.size), strict=True):
        piece = np.concatenate([[0.0], area[first:last] - (area[first - 1] if first else 0.0)])
        worst = max(worst, float(piece.max() - piece.min()))
    return worst / inductance


def _lowest_group(bridge: Bridge, setting: Setting) -> float:
    """Frequency of the lowest harmonic above the low orders that is more than a hundredth of the fundamental, Hz."""
    count = min(4 * setting.ratio, 8000)
    peaks = np.abs(harmonics(bridge.output, count))
    first = 2 if setting.scheme in ("square", "modified") else 10
    loud = np.flatnonzero(peaks[first:] > 0.01 * peaks[0])
    return float((loud[0] + first + 1) * setting.line) if loud.size else math.inf


def _row(setting: Setting, scheme: SchemeName, inductance: float | None) -> SchemeRow:
    near = replace(setting, scheme=scheme)
    bridge = modulate(near)
    read = readings_of_steps(bridge.output)
    lowest = _lowest_group(bridge, near)
    return SchemeRow(
        scheme=scheme,
        here=scheme == setting.scheme,
        texts={
            "fundamental": fmt(math.sqrt(2) * read.fundamental_rms, "V"),
            "thd": fmt(read.thd, "%"),
            "weighted": fmt(weighted_distortion(bridge.output), "%", 2),
            "ripple": fmt(ripple(near, inductance), "A", 2) if inductance and scheme in SINES else "–",
            "edges": f"{edges_a_second(bridge):,.0f}".replace(",", " "),
            "lowest": fmt(lowest, "Hz") if math.isfinite(lowest) else "none",
        },
    )


def _figures(made: _Made) -> tuple[Labelled, ...]:
    wave, setting = made.bridge.output, made.setting
    read = readings_of_steps(wave)
    low = 2 * np.abs(harmonics(wave, max(LOW_ORDERS)))
    ideal = 2 * float(np.abs(harmonics(modulate(replace(setting, dead_time=0.0)).output, 1)[0]))
    rows = [
        ("Fundamental, peak", fmt(float(low[0]), "V", 4)),
        ("Lost to dead time", fmt(ideal - float(low[0]), "V", 2)),
        *((f"Harmonic {h}, of the fundamental", fmt(float(low[h - 1] / low[0]), "%", 2)) for h in LOW_ORDERS),
        ("Distortion, all of it", fmt(read.thd, "%")),
        ("Weighted distortion", fmt(weighted_distortion(wave), "%", 2)),
        ("True-RMS meter shows", fmt(read.rms, "V", 4)),
        ("Average-responding meter shows", fmt(read.average_responding, "V", 4)),
        ("Peak", fmt(read.peak, "V", 4)),
    ]
    if setting.scheme in SINES:
        rows.insert(0, ("Carrier periods in a line period", str(setting.ratio)))
        if made.inductance:
            rows.append(("Ripple in the design's inductor", fmt(ripple(setting, made.inductance), "A", 2)))
    return labelled(*rows)


def _remarks(made: _Made) -> tuple[str, ...]:
    setting = made.setting
    found = []
    if setting.scheme in SINES and setting.index > 1:
        found.append("Beyond an index of 1 the tops are cut: the fundamental grows ever less, and the 3rd, 5th and 7th come.")
    if setting.scheme in SINES and not setting.carrier > AUDIBLE:
        found.append(f"{short(setting.carrier, 'Hz')} can be heard; unipolar puts its first group at twice that.")
    if setting.scheme == "hybrid":
        found.append(
            "One leg switches at the line's frequency: half the switching loss, on slow parts, and a step of "
            "common-mode voltage each half period."
        )
    if setting.scheme == "bipolar":
        found.append(
            "Both legs switch together: twice the swing at half the frequency asks four times the inductor, but the "
            "output's middle stands still."
        )
    if setting.scheme == "modified":
        found.append(
            "A true-RMS meter and an average-responding one disagree by "
            f"{fmt(abs(1 - FORM_FACTOR * made.bridge.output.rectified_mean / made.bridge.output.rms), '%', 2)} here: "
            "set it with the right one."
        )
    if setting.dead_time * setting.carrier > 0.02 and setting.scheme in SINES:
        found.append("Dead time takes more than a fiftieth of each period: its low odd harmonics pass the filter.")
    return tuple(found)


def _part(setting: Setting) -> tuple[float, float]:
    """The part of the line period that is drawn, s: all of it while the carrier is slow, else some carriers near the crest."""
    period = 1 / setting.line
    if setting.scheme not in SINES or setting.ratio <= FINE:
        return 0.0, period
    width = SHOWN_CARRIERS * period / setting.ratio
    first = round(setting.ratio / 8) * period / setting.ratio
    return first, first + width


def _comparison(made: _Made) -> Chart:
    setting = made.setting
    first, last = _part(setting)
    period = 1 / setting.line
    time = np.linspace(first, last, 1201)
    place = np.mod(time / period * setting.ratio, 1.0)
    triangle = np.where(place < 0.5, 1 - 4 * place, 4 * place - 3)
    held = (
        time
        if setting.sampling == "natural"
        else np.floor(time / period * setting.ratio * (2 if setting.sampling == "asymmetric" else 1))
        / (setting.ratio * (2 if setting.sampling == "asymmetric" else 1))
        * period
    )
    one, other = references(setting)
    t, y = Scale("s", last), Scale("1", 1)
    series = [curve("carrier", time, triangle, t, y, "faint"), curve("one leg", time, one(held / period), t, y)]
    if setting.scheme == "unipolar":
        series.append(curve("other leg", time, other(held / period), t, y, "second"))
    return Chart(
        key="comparison",
        title="Reference against carrier",
        x=t.axis("time", low=first, high=last),
        y=y.axis("", low=-max(1.2, min(1.3, setting.index * 1.1)), high=max(1.2, min(1.3, setting.index * 1.1))),
        series=tuple(series),
        remark=f"{setting.sampling} sampling"
        + ("" if last - first > 0.99 * period else f"; {SHOWN_CARRIERS} carrier periods near 45°, where the sine is steep."),
    )


def _legs(made: _Made) -> Chart:
    setting, bridge = made.setting, made.bridge
    first, last = _part(setting)
    t, v = Scale("s", last), Scale("V", setting.v_link)
    series = []
    for name, wave, scale, lift, role in (
        ("bridge", bridge.output, 1.0, 0.0, "main"),
        ("one leg", bridge.left, 0.35 * setting.v_link, 1.25 * setting.v_link, "second"),
        ("other leg", bridge.right, 0.35 * setting.v_link, -1.6 * setting.v_link, "third"),
    ):
        inside = wave.times[(wave.times > first) & (wave.times < last)]
        at = np.concatenate([[first], inside, [last]])
        levels = wave.at(np.minimum(at + 1e-12, last - 1e-12)) * scale + lift
        series.append(Series(name=name, x=t.all(at), y=v.all(levels), role=role, kind="steps"))
    return Chart(
        key="legs",
        title="Bridge voltage, and the legs above and below it",
        x=t.axis("time", low=first, high=last),
        y=v.axis("", low=-1.8 * setting.v_link, high=1.8 * setting.v_link),
        series=tuple(series),
        remark=f"With {fmt(setting.dead_time, 's')} of dead time, as the current's sign makes it act."
        if setting.dead_time
        else "Without dead time.",
    )


def _spectrum(made: _Made) -> Chart:
    setting = made.setting
    count = int(2.6 * 2 * setting.ratio) if setting.scheme in SINES else 61
    peaks = 2 * np.abs(harmonics(made.bridge.output, count))
    shown = np.flatnonzero(peaks > 2e-3 * peaks[0])
    f, g = Scale("Hz", count * setting.line), Scale("%", 1)
    groups = ((1, "carrier"), (2, "twice")) if setting.scheme in SINES else ()
    marks = tuple(Mark(at=f(n * setting.ratio * setting.line), label=name, role="here", upright=True) for n, name in groups)
    return Chart(
        key="spectrum",
        title="Spectrum of the bridge voltage",
        x=f.axis("frequency", low=0, high=roomy(count * setting.line / 1.04)),
        y=g.axis("of the fundamental", low=0),
        series=(
            Series(name="harmonics", x=f.all((shown + 1) * setting.line), y=g.all(peaks[shown] / peaks[0]), kind="sticks"),
        ),
        marks=marks,
        remark="Sidebands stand two lines apart about each group. Exact, from the edges.",
    )
