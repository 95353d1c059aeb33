"""Pictures of a square or three-level output: the wave with the current it drives, and its harmonics."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from rhombos.core.blocks.dc_link import KEY as DC_LINK
from rhombos.core.blocks.dc_link import DcLinkBuild
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.blocks.load import LoadState
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Scale, Series, curve, roomy
from rhombos.core.units.quantities import fmt
from rhombos.core.waves.modulation import Steps
from rhombos.core.waves.spectrum import harmonics, readings_of_steps
from rhombos.core.waves.stepped import STEPS, step_current

HIGHEST_HARMONIC = 41
LEAST_ROOM = 0.01
"""Room above and below a link's ripple in its picture, over its voltage, at least."""


def wave_of(worked: Worked) -> Steps:
    """The output of a stepped design at full power, nominal input."""
    drain: LoadState = worked.settled["nominal"].states[LOAD]
    return worked.route.steps(worked.settled, worked.builds).wave(drain.frequency)


def _load_current(drain: LoadState, wave: Steps, time: NDArray[np.float64]) -> NDArray[np.float64]:
    """Current into the load, A, at given times of a line period, s."""
    fed = drain.fed
    assert fed is not None, "its wave is a stepped one"
    half, _ = step_current(fed.fraction, fed.factor or drain.power_factor, fed.lets_go, fed.held)
    whole = np.concatenate([half, -half]) * drain.rms / math.sqrt(float((half**2).mean()))
    begins = (1 - fed.fraction) / 4 * wave.period  # the pulse lies in the middle of its half period
    at = begins + (np.arange(2 * STEPS) + 0.5) * wave.period / (2 * STEPS)
    return np.asarray(np.interp(time, at, whole, period=wave.period))


def output_steps(worked: Worked) -> Chart:
    """Voltage at the socket and the load's current over one line period, with what meters read."""
    wave = wave_of(worked)
    drain: LoadState = worked.settled["nominal"].states[LOAD]
    read = readings_of_steps(wave)
    time = np.linspace(0, wave.period, 400, endpoint=False)
    amps = _load_current(drain, wave, time)
    t, v = Scale("s", wave.period), Scale("V", read.peak)
    scaled = amps * read.peak / (1.25 * float(np.abs(amps).max()))
    return Chart(
        key="steps",
        title="Voltage at the socket",
        x=t.axis("time", low=0, high=wave.period),
        y=v.axis(""),
        series=(
            Series(
                name="voltage",
                kind="steps",
                x=(*t.all(wave.times), t(wave.period)),
                y=(*v.all(wave.levels), v(float(wave.levels[-1]))),
            ),
            curve(f"current, peak {fmt(float(np.abs(amps).max()), 'A')}", time, scaled, t, v, "second"),
        ),
        remark=f"True RMS {fmt(read.rms, 'V')}; an average-responding meter shows {fmt(read.average_responding, 'V')}; peak "
        f"{fmt(read.peak, 'V')}. A meter made for sines misreads this wave.",
    )


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
        key="step_spectrum",
        title="Harmonics of the output",
        x=Scale("1", 1).axis("harmonic", low=0, high=HIGHEST_HARMONIC + 1),
        y=g.axis("of the fundamental", low=0, high=roomy(1.0)),
        series=(Series(name="harmonics", x=tuple(float(k + 1) for k in shown), y=g.all(share[shown]), kind="sticks"),),
        remark=f"Distortion {fmt(read.thd, '%')}; fundamental {fmt(read.fundamental_rms, 'V')} of "
        f"{fmt(read.rms, 'V')} RMS. {said}",
    )


def link_steps(worked: Worked) -> Chart:
    """The link over one line period under pulses of current."""
    build = worked.built(DcLinkBuild)
    state = worked.settled["nominal"].states[DC_LINK]
    line = worked.brief.output.frequency
    drain: LoadState = worked.settled["nominal"].states[LOAD]
    half, share = 1 / (2 * line), worked.route.steps(worked.settled, worked.builds).share
    current, wave = step_current(share, drain.power_factor)
    # it falls by what is drawn beyond the mean; how far, its bank and its source decide
    fallen = -np.cumsum(wave * current - float((wave * current).mean()))
    volts = state.voltage + (fallen - float(np.mean([fallen.max(), fallen.min()]))) * state.ripple / max(
        float(np.ptp(fallen)), 1e-12
    )
    times = np.arange(1, 2 * STEPS + 1) * half / STEPS
    volts = np.tile(volts, 2)
    t, v = Scale("s", 2 * half), Scale("V", build.voltage)
    room = max(state.ripple, LEAST_ROOM * state.voltage)
    return Chart(
        key="link",
        title="Link voltage",
        x=t.axis("time", low=0, high=2 * half),
        y=v.axis("", low=max(0.0, float(volts.min()) - room), high=float(volts.max()) + room),
        series=(curve("link", times, volts, t, v),),
        remark=f"It fills between the pulses and falls under them by {fmt(state.ripple, 'V')}: the tops of the wave slope by "
        f"{fmt(state.ripple / state.voltage if math.isfinite(state.ripple) else 0.0, '%', 2)}.",
    )
