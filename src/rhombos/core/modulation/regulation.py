"""The output's voltage loop: two schools of holding a sine, their margins, and what a step of the load does."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.book import filters
from rhombos.core.frame.labels import Labelled, labelled
from rhombos.core.frame.report import Operating
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Mark, Scale, Series, curve, thin
from rhombos.core.units.quantities import Ohm, Ratio, fmt
from rhombos.core.waves.modulation import Array
from rhombos.core.waves.regulator import (
    ALONE,
    Complex,
    Gains,
    Response,
    Sampled,
    impedance,
    loop_gain,
    propose,
    sampled,
    slow_response,
    stable,
    standing,
    step_response,
    sweep,
)
from rhombos.core.waves.steady import FilterCircuit

School = Literal["every sample", "every half period"]
DISTANCE = 0.5
"""Minimum distance from −1 that a proposal keeps: gain may double, and 29° of phase are left."""
PERIODS_BEFORE = 2.25
"""Line periods before the load comes: at a crest."""
FAST_PERIODS, SLOW_PERIODS = 6, 16
BACK = 0.01
"""Share of the voltage within which it counts as back."""
SLOW_SHARE = 0.5
LOWEST_DB, HIGHEST_DB = -40.0, 60.0
UNLOADED = 1e7
NOTHING = 1e-9
"""Gain below which there is none: a loop of no gain has no logarithm."""


class LoopAsked(BaseModel):
    """How the output is to be held; gains left out are proposed. `step` is the load put on, over the designed one."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    school: School = "every sample"
    updates: Literal["once", "twice"] = "twice"
    voltage: Ratio | None = Field(None, ge=0, le=50, title="Gain of the voltage")
    damping: Ohm | None = Field(None, ge=0, le=1000, title="Gain of the capacitor's current")
    resonant: float | None = Field(None, ge=0, le=1e5, title="Gain at the line's frequency")
    share: Ratio = Field(SLOW_SHARE, ge=0.01, le=3, title="Share corrected each half period")
    step: Ratio = Field(1.0, ge=0.05, le=3, title="Step of the load")


class LoopBench(BaseModel):
    """What the page shows; `asked` has every field filled in, as people write it."""

    model_config = ConfigDict(frozen=True)

    asked: dict[str, str]
    figures: tuple[Labelled, ...]
    charts: tuple[Chart, ...]
    remarks: tuple[str, ...]
    stable: bool


def loop_bench(asked: LoopAsked, worked: Worked) -> LoopBench:
    """The loop of a design that makes a sine. Raises: ValueError for one that does not."""
    at = worked.route.operating(worked.settled, worked.builds, worked.shelf)
    if at is None:
        raise ValueError("only a sine is held by this loop; ask the brief for one")
    volts = worked.brief.output.voltage
    if asked.school == "every half period":
        return _slow(asked, at, volts)
    return _fast(asked, at, volts)


def _corner(at: Operating) -> float:
    return float(filters.corner(L=at.inductance, C=at.capacitance))


def _plants(at: Operating, updates: str, step: float) -> tuple[Sampled, Sampled]:
    """Empty, and with the step of the load."""
    period = 1 / at.carrier / (2 if updates == "twice" else 1)
    empty = FilterCircuit(at.inductance, at.resistance, at.capacitance, UNLOADED)
    full = FilterCircuit(at.inductance, at.resistance, at.capacitance, at.load_resistance / step, at.load_inductance / step)
    return sampled(empty, period), sampled(full, period)


def _fast(asked: LoopAsked, at: Operating, volts: float) -> LoopBench:
    plants = _plants(at, asked.updates, asked.step)
    empty, full = plants
    corner = _corner(at)
    found = propose(plants, at.line, corner, math.sqrt(at.inductance / at.capacitance), DISTANCE)
    given = {"voltage": asked.voltage, "damping": asked.damping, "resonant": asked.resonant}
    gains = replace(found, **{name: value for name, value in given.items() if value is not None})
    frequency = sweep(at.line, corner, empty.period)
    loops = [loop_gain(p, gains, at.line, frequency) for p in plants]
    stand = [standing(g, frequency) for g in loops]
    holds = all(stable(p, gains, at.line) for p in plants)
    omega = 2 * math.pi * at.line
    lead = 1 + 1j * omega * at.resistance * at.capacitance - omega**2 * at.inductance * at.capacitance
    when, end = PERIODS_BEFORE / at.line, FAST_PERIODS / at.line
    peak = math.sqrt(2) * volts
    made = step_response(empty, full, gains, peak, at.line, at.v_link, lead, when, end)
    worst = min(stand, key=lambda s: s.distance)
    dip, back = _recovery(made, when, peak, at.line)
    orders = np.array([1.0001, 3, 5, 7, 9, 11]) * at.line
    alone, held = (np.abs(impedance(empty, g, at.line, orders)) for g in (ALONE, gains))
    figures = labelled(
        ("Samples a second", fmt(1 / empty.period, "Hz")),
        ("Crossover, empty", fmt(stand[0].crossover, "Hz") if stand[0].crossover else "never"),
        ("Minimum phase margin", f"{min(s.phase for s in stand):.0f}°"),
        ("Gain may grow", f"{min(s.gain for s in stand):.2g} times" if holds else "not at all"),
        ("Nearest to −1", f"{worst.distance:.2f}" if holds else "it swings up"),
        ("Deepest dip after the step", f"{fmt(dip, 'V')}, {fmt(dip / peak, '%', 2)} of the peak" if holds else "it swings up"),
        ("Within 1 % again", _when(back) if holds else "never"),
        *(
            (
                f"Output impedance at {fmt(n * at.line, 'Hz', 3)}, held | alone",
                f"{fmt(float(h), 'ohm')} | {fmt(float(a), 'ohm')}",
            )
            for n, h, a in zip((3, 5, 7), held[1:], alone[1:], strict=False)
        ),
    )
    return LoopBench(
        asked=_told(asked, gains),
        figures=figures,
        stable=holds,
        charts=(
            *_response(made, when, end),
            _bode(loops, frequency, stand[0].crossover),
            _stiffness(empty, gains, at, frequency),
        ),
        remarks=_fast_remarks(asked, at, worst.distance, holds, float(np.mean(held[1:] / alone[1:])), made),
    )


def _slow(asked: LoopAsked, at: Operating, volts: float) -> LoopBench:
    empty, full = _plants(at, asked.updates, asked.step)
    when, end = PERIODS_BEFORE / at.line, SLOW_PERIODS / at.line
    peak = math.sqrt(2) * volts
    made, halves = slow_response(empty, full, asked.share, volts, peak, at.line, at.v_link, when, end)
    dip = float(volts - halves[4:].min())
    off = np.flatnonzero(np.abs(halves - volts) > BACK * volts)
    back = 0.0 if not off.size else (off[-1] + 1) / (2 * at.line) - when if off[-1] + 1 < halves.size else None
    pole = abs(1 - asked.share)
    holds = pole < 1
    v, t, n = Scale("V", volts), Scale("s", end), np.arange(1, halves.size + 1) / (2 * at.line)
    rms = Chart(
        key="rms",
        title="RMS of each half period",
        x=t.axis("time", low=0, high=end),
        y=v.axis("", low=0.85 * volts),
        series=(Series(name="RMS", x=t.all(n), y=v.all(halves), kind="steps"),),
        marks=(Mark(at=v(volts), label="set", role="here"), Mark(at=t(when), label="load", role="house", upright=True)),
        remark="One number a half period: nothing that happens within it is seen.",
    )
    remarks = ["The wave's shape is left to the filter: this loop only keeps the RMS, and needs no fast arithmetic."]
    if not holds:
        remarks.insert(
            0,
            "Each correction overshoots more than the last: this loop does not hold. Keep the share below 2, "
            "better at one half.",
        )
    figures = labelled(
        ("Corrections a second", fmt(2 * at.line, "Hz")),
        ("What is left of an error after one", fmt(pole, "%", 2)),
        ("Lowest half period after the step", fmt(volts - dip, "V")),
        ("Within 1 % again", _when(back)),
    )
    return LoopBench(
        asked=_told(asked, ALONE),
        figures=figures,
        stable=holds,
        remarks=tuple(remarks),
        charts=(rms, *_response(made, when, end)),
    )


def _when(back: float | None) -> str:
    return fmt(back, "s") if back is not None else "not within the picture"


def _told(asked: LoopAsked, gains: Gains) -> dict[str, str]:
    return {
        "school": asked.school,
        "updates": asked.updates,
        "voltage": f"{gains.voltage:.3g}",
        "damping": fmt(gains.damping, "ohm"),
        "resonant": f"{gains.resonant:.4g}",
        "share": f"{asked.share:.3g}",
        "step": fmt(asked.step, "%"),
    }


def _recovery(made: Response, when: float, peak: float, line: float) -> tuple[float, float | None]:
    """The deepest dip after the step, V, beyond what was missing already; how long until it stays within 1 %, s."""
    after = made.time >= when
    last_period = (made.time >= when - 1 / line) & ~after
    missing = made.wanted - made.voltage
    floor = float(np.abs(missing[last_period]).max())
    dip = float(np.abs(missing[after]).max())
    off = np.flatnonzero(after & (np.abs(missing) > max(BACK * peak, 1.2 * floor)))
    if not off.size:
        return dip, 0.0
    return dip, float(made.time[off[-1] + 1] - when) if off[-1] + 1 < made.time.size else None


def _response(made: Response, when: float, end: float) -> tuple[Chart, Chart]:
    """What is missing, and the wave itself."""
    time, missing = thin(made.time, 1500), thin(made.wanted - made.voltage, 1500)
    t, v = Scale("s", end), Scale("V", float(np.abs(made.wanted).max()))
    along, put = t.axis("time", low=0, high=end), (Mark(at=t(when), label="load", role="house", upright=True),)
    gap = Scale("V", float(np.abs(missing).max()))
    return (
        Chart(
            key="missing",
            title="What is missing at the socket",
            x=along,
            y=gap.axis(""),
            series=(curve("missing", time, missing, t, gap, "third"),),
            marks=put,
            remark="The wanted sine less the real one, sample by sample; the carrier's ripple is left out.",
        ),
        Chart(
            key="response",
            title="A load put on at the crest",
            x=along,
            y=v.axis(""),
            series=(
                curve("wanted", time, thin(made.wanted, 1500), t, v, "faint"),
                curve("at the socket", time, thin(made.voltage, 1500), t, v),
            ),
            marks=put,
        ),
    )


def _bode(loops: list[Complex], frequency: Array, crossover: float) -> Chart:
    f, g = Scale("Hz", 1e3), Scale("1", 1)
    levels = [np.clip(20 * np.log10(np.maximum(np.abs(x), NOTHING)), LOWEST_DB, HIGHEST_DB) for x in loops]
    marks = [Mark(at=0.0, label="gain of one", role="house")]
    if crossover:
        marks.append(Mark(at=f(crossover), label=f"crossover {fmt(crossover, 'Hz', 2)}", role="here", upright=True))
    return Chart(
        key="loop-gain",
        title="Gain of the loop",
        x=f.axis("frequency", log=True),
        y=g.axis("dB", low=LOWEST_DB, high=HIGHEST_DB),
        series=(curve("empty", frequency, levels[0], f, g), curve("loaded", frequency, levels[1], f, g, "second")),
        marks=tuple(marks),
        remark="Opened at the bridge; one sample of delay and the hold between samples are in it.",
    )


def _stiffness(empty: Sampled, gains: Gains, at: Operating, frequency: Array) -> Chart:
    f, z = Scale("Hz", 1e3), Scale("ohm", 1)
    held, alone = (np.abs(impedance(empty, g, at.line, frequency)) for g in (gains, ALONE))
    return Chart(
        key="stiffness",
        title="Output impedance",
        x=f.axis("frequency", log=True),
        y=z.axis("", log=True),
        series=(curve("held", frequency, held, f, z), curve("filter alone", frequency, alone, f, z, "second")),
        remark="Harmonics of a load's current times this are the harmonics of the voltage it gets.",
    )


def _fast_remarks(
    asked: LoopAsked, at: Operating, distance: float, holds: bool, left: float, made: Response
) -> tuple[str, ...]:
    found = []
    corner = _corner(at)
    samples = at.carrier * (2 if asked.updates == "twice" else 1)
    if not holds:
        found.append("This loop swings up by itself: do not build it. Lower the gains, or leave them to the proposal.")
    elif distance < DISTANCE:
        found.append(f"It comes within {distance:.2f} of −1: parts that are a little off make it ring. Keep {DISTANCE}.")
    if samples / corner < 12:
        found.append(
            f"The filter's corner, {fmt(corner, 'Hz')}, is only {samples / corner:.0f} samples long: delay leaves a "
            "fast loop little to do. More samples or a lower corner give it room."
        )
    if holds:
        found.append(
            f"Against the filter alone the socket is {'stiffer' if left < 1 else 'softer'} at the 3rd to 11th "
            f"harmonics: {fmt(left, '%', 2)} of its impedance."
        )
    if float(np.abs(made.bridge).max()) >= 0.999 * at.v_link:
        found.append(f"The bridge reaches the link's {fmt(at.v_link, 'V')} after the step: there the loop can do no more.")
    found.append("The resonant part takes the line's own error away within periods; voltage and damping act at once.")
    return tuple(found)
