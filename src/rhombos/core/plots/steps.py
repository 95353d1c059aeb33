"""Pictures of a square or three-level output: the wave with the current it drives, and its harmonics."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rhombos.core.plots.model import Chart, Scale, Series, curve, roomy
from rhombos.core.solve import Worked
from rhombos.core.units import fmt
from rhombos.core.waves.modulation import Steps
from rhombos.core.waves.spectrum import harmonics, readings_of_steps

HIGHEST_HARMONIC = 41


def wave_of(worked: Worked) -> Steps:
    """The output of a stepped design at full power, nominal battery."""
    return worked.route.steps(worked.settled, worked.builds).wave(worked.brief.output.frequency)


def current_through(wave: Steps, resistance: float, inductance: float, time: NDArray[np.float64]) -> NDArray[np.float64]:
    """Periodic current, A, that a wave with half-wave symmetry drives through a series R–L, at given times, s.

    Source: first-order response between steps; the start is the fixed point of the whole period.
    """
    if inductance <= 0:
        return wave.at(time) / resistance
    tau = inductance / resistance
    ends, decay = wave.levels / resistance, np.exp(-wave.durations / tau)
    start, share = 0.0, 1.0
    for end, d in zip(ends, decay, strict=True):
        start, share = end + (start - end) * d, share * d
    at = [start / (1 - share)]
    for end, d in zip(ends, decay, strict=True):
        at.append(end + (at[-1] - end) * d)
    place = np.searchsorted(wave.times, time, side="right") - 1
    since = time - wave.times[place]
    return np.asarray(ends[place] + (np.array(at)[place] - ends[place]) * np.exp(-since / tau))


def output_steps(worked: Worked) -> Chart:
    """Voltage at the socket and the load's current over one line period, with what meters read."""
    wave = wave_of(worked)
    drain: Any = worked.settled["nominal"].states["load"]
    read = readings_of_steps(wave)
    time = np.linspace(0, wave.period, 400, endpoint=False)
    amps = current_through(wave, drain.resistance, drain.inductance, time)
    t, v = Scale("s", wave.period), Scale("V", read.peak)
    scaled = amps * read.peak / (1.25 * float(np.abs(amps).max()))
    return Chart(
        key="steps", title="Voltage at the socket", x=t.axis("time", low=0, high=wave.period), y=v.axis(""),
        series=(Series(name="voltage", kind="steps", x=(*t.all(wave.times), t(wave.period)),
                       y=(*v.all(wave.levels), v(float(wave.levels[-1])))),
                curve(f"current, peak {fmt(float(np.abs(amps).max()), 'A')}", time, scaled, t, v, "second")),
        remark=f"True RMS {fmt(read.rms, 'V')}; an average-responding meter shows {fmt(read.average_responding, 'V')}; peak "
               f"{fmt(read.peak, 'V')}. A meter made for sines misreads this wave.")  # fmt: skip


def step_spectrum(worked: Worked) -> Chart:
    """Harmonics of the output as shares of the fundamental."""
    wave = wave_of(worked)
    peaks = np.abs(harmonics(wave, HIGHEST_HARMONIC))
    share = peaks / peaks[0]
    shown = np.flatnonzero(share > 1e-6)
    g = Scale("%", 1)
    third = share[2]
    said = "The third harmonic is gone." if third < 0.01 else f"The third harmonic stands at {fmt(float(third), '%', 2)}."
    read = readings_of_steps(wave)
    return Chart(
        key="step_spectrum", title="Harmonics of the output",
        x=Scale("1", 1).axis("harmonic", low=0, high=HIGHEST_HARMONIC + 1),
        y=g.axis("of the fundamental", low=0, high=roomy(1.0)),
        series=(Series(name="harmonics", x=tuple(float(k + 1) for k in shown), y=g.all(share[shown]), kind="sticks"),),
        remark=f"Distortion {fmt(read.thd, '%')}; fundamental {fmt(read.fundamental_rms, 'V')} of "
               f"{fmt(read.rms, 'V')} RMS. {said}")  # fmt: skip


def link_steps(worked: Worked) -> Chart:
    """The link over one line period under pulses of current."""
    build: Any = worked.builds["dc_link"]
    state: Any = worked.settled["nominal"].states["dc_link"]
    line = worked.brief.output.frequency
    share = worked.route.steps(worked.settled, worked.builds).share
    drawn = min(0.999, max(0.001, share * worked.settled["nominal"].states["load"].power_factor))
    half = 1 / (2 * line)
    idle = (1 - drawn) * half / 2
    times, volts = [0.0], [build.voltage]
    for n in range(2):
        at = n * half
        times += [at + idle, at + half - idle, at + half]
        volts += [build.voltage + state.ripple / 2, build.voltage - state.ripple / 2, build.voltage]
    t, v = Scale("s", 2 * half), Scale("V", build.voltage)
    return Chart(
        key="link", title="Link voltage", x=t.axis("time", low=0, high=2 * half), y=v.axis("", low=0, high=roomy(max(volts))),
        series=(curve("link", times, volts, t, v),),
        remark=f"It fills between the pulses and falls under them by {fmt(state.ripple, 'V')}: the tops of the wave slope by "
               f"{fmt(state.ripple / build.voltage if math.isfinite(state.ripple) else 0.0, '%', 2)}.")  # fmt: skip
