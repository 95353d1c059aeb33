"""Loads that draw their current in short pulses at the crest: rectifiers with a capacitor, behind an output filter.

One usual adapter, the same that the scope hangs on the socket, is marched to its periodic state once for each size of filter,
in
units of its own power and voltage; sizes in between are interpolated. What is left after its fundamental is taken off comes on
top of what a linear load of the same power draws.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import expm

Array = NDArray[np.float64]
RIPPLE_CAPACITY = 2 * math.pi / 0.72
"""Smoothing capacitor: a fifth of the peak as ripple; ωC over P/V²."""
TAKEN = 1 / 1.62
"""Conductance of what it feeds, at nine tenths of the peak, over P/V²."""
BEFORE = 0.03
"""Resistance before its rectifier, over V²/P."""
LEAST_DROP, STEP_DROP = 0.007, 1.4
"""Diodes' drop over the output from which others are told apart, and the ratio from one to the next: it matters little."""
DIODES = 1.6
"""Drop of its two diodes, V."""
BESIDE = 1.0
"""Conductance of other loads beside it over P/V²: they damp the filter."""
LEAST_PATH, STEP_PATH = 0.003, 2.5
"""Smallest resistance of bridge, inductor and windings that is told apart, over V²/P, and the ratio from one to the next."""
STEPS, HALVES = 512, 7
"""Steps of half a line period, and half periods until it repeats."""
KEPT = 128
"""Samples of half a line period that are kept."""
LEAST_X, STEP_X = 2e-4, 1.6
"""Smallest reactance that is told apart, over V²/P, and the ratio from one to the next that is marched."""
STEP_CORNER = 1.35
"""Ratio from one corner frequency over the line that is marched to the next."""
HIGHEST = 40
"""Harmonics that count as distortion."""


@dataclass(frozen=True)
class Crest:
    """What a crest load adds to a linear one, over P/V: its own current and that of the filter's inductor, without their
    fundamentals, over half a line period that begins where the output rises through zero; the output's third harmonic, and all
    the others together, over its fundamental, the third as a phasor that is real where it rises through zero there; and the
    power that an adapter made for P really takes there, over P, and for how much of the time it conducts."""

    load: Array
    inductor: Array
    third: complex
    others: float
    taken: float
    conducts: float

    @property
    def conductance(self) -> float:
        """What it holds against small voltages on top, on the average, over P/V²."""
        return self.conducts / BEFORE

    @property
    def load_rms(self) -> float:
        """RMS of what is added to the load's current, over P/V."""
        return float(np.sqrt((self.load**2).mean()))

    @property
    def inductor_rms(self) -> float:
        """RMS of what is added to the inductor's current, over P/V."""
        return float(np.sqrt((self.inductor**2).mean()))

    def peak(self, in_phase: float, lagging: float, share: float, *, inductor: bool) -> float:
        """Peak of a sine, its RMS in phase and behind by a quarter, A, with `share` of P/V, A, of this on top."""
        sine = math.sqrt(2) * (in_phase * np.sin(ANGLES) - lagging * np.cos(ANGLES))
        return float(np.abs(sine + share * (self.inductor if inductor else self.load)).max())


ANGLES: Array = (np.arange(KEPT) + 0.5) * math.pi / KEPT
"""Angles of the samples, from the output's rise through zero."""


def crest(reactance: float, corner: float, volts: float, path: float = 0.0) -> Crest:
    """A crest load behind a filter.

    Args: the inductor's reactance at the line over V²/P of the crest load; the filter's corner over the line's frequency; the
    output, V RMS, which the diodes' drop is compared with; all resistance on the way over V²/P.
    """
    if path <= LEAST_PATH:
        return _behind(reactance, corner, volts, 0)
    place = math.log(path / LEAST_PATH) / math.log(STEP_PATH)
    lower = math.floor(place)
    return _mixed((1 - place + lower, _behind(reactance, corner, volts, lower)),
                  (place - lower, _behind(reactance, corner, volts, lower + 1)))  # fmt: skip


def _behind(reactance: float, corner: float, volts: float, path: int) -> Crest:
    """Between the four filters that are marched about the one asked for."""
    x = max(LEAST_X, reactance)
    place_x, place_c = math.log(x / LEAST_X) / math.log(STEP_X), math.log(max(3.0, corner)) / math.log(STEP_CORNER)
    drop = round(LEAST_DROP * STEP_DROP ** round(math.log(DIODES / volts / LEAST_DROP) / math.log(STEP_DROP)), 5)
    i, j = math.floor(place_x), math.floor(place_c)
    a, b = place_x - i, place_c - j
    return _mixed(((1 - a) * (1 - b), _at(i, j, drop, path)), (a * (1 - b), _at(i + 1, j, drop, path)),
                  ((1 - a) * b, _at(i, j + 1, drop, path)), (a * b, _at(i + 1, j + 1, drop, path)))  # fmt: skip


def _mixed(*parts: tuple[float, Crest]) -> Crest:
    """Crest loads weighed together."""
    return Crest(
        np.asarray(sum(w * p.load for w, p in parts)), np.asarray(sum(w * p.inductor for w, p in parts)),
        complex(sum(w * p.third for w, p in parts)), sum(w * p.others for w, p in parts),
        sum(w * p.taken for w, p in parts), sum(w * p.conducts for w, p in parts))  # fmt: skip


def _at(i: int, j: int, drop: float, path: int) -> Crest:
    return marched(LEAST_X * STEP_X**i, STEP_CORNER**j, drop, LEAST_PATH * STEP_PATH**path)


@lru_cache(maxsize=1024)
def marched(reactance: float, corner: float, drop: float, path: float = LEAST_PATH) -> Crest:
    """The periodic state, by marching; arguments as `crest`, the diodes' drop over the output's RMS.

    States: the inductor's current, the output, the smoothing capacitor; the rectifier is open, or conducts either way; each
    step
    is exact for its mode.
    """
    capacity = 1 / (corner**2 * reactance)
    width = math.pi / STEPS
    rows = {}
    for sign in (0.0, 1.0, -1.0):
        a = np.zeros((5, 5))  # with the source and the constant drop as states, so that one matrix makes a step
        a[0, :4] = -path / reactance, -1 / reactance, 0.0, 1 / reactance
        a[1, :3] = 1 / capacity, -BESIDE / capacity, 0.0
        a[2, 2] = -TAKEN / RIPPLE_CAPACITY
        if sign:
            a[1, 1] -= 1 / (BEFORE * capacity)
            a[1, 2] += sign / (BEFORE * capacity)
            a[1, 4] += sign * drop / (BEFORE * capacity)
            a[2, 1] += sign / (BEFORE * RIPPLE_CAPACITY)
            a[2, 2] -= 1 / (BEFORE * RIPPLE_CAPACITY)
            a[2, 4] -= drop / (BEFORE * RIPPLE_CAPACITY)
        made = expm(a * width)
        rows[sign] = [tuple(row) for row in made[:3]]
    source = (math.sqrt(2) * np.sin((np.arange(STEPS * HALVES) + 0.5) * width)).tolist()
    current, volts, held = 0.0, 0.0, 0.9 * math.sqrt(2)
    kept: list[tuple[float, float, float]] = []
    last = STEPS * (HALVES - 2)
    for n, e in enumerate(source):
        sign = 1.0 if volts > held + drop else -1.0 if -volts > held + drop else 0.0
        (p, q, r), state = rows[sign], (current, volts, held, e, 1.0)
        current = p[0] * state[0] + p[1] * state[1] + p[2] * state[2] + p[3] * e + p[4]
        volts = q[0] * state[0] + q[1] * state[1] + q[2] * state[2] + q[3] * e + q[4]
        held = max(0.0, r[0] * state[0] + r[1] * state[1] + r[2] * state[2] + r[3] * e + r[4])
        if n >= last:
            kept.append((current, volts, sign * max(0.0, abs(volts) - held - drop) / BEFORE if sign else 0.0))
    inductor, output, load = np.array(kept).T
    return _formed(inductor, output, load)


def _formed(inductor: Array, output: Array, load: Array) -> Crest:
    """Harmonics of one whole period as what is added to a sine, aligned with the output's own fundamental."""
    size = output.size
    spectra = [np.fft.rfft(x) * 2 / size for x in (inductor, output, load)]
    turned = np.angle(spectra[1][1]) + math.pi / 2  # the output's fundamental is to be a sine
    order = np.arange(spectra[0].size)
    i, v, w = (s * np.exp(-1j * order * turned) for s in spectra)
    power = 0.5 * float(np.real(np.sum(v[1:HIGHEST] * np.conj(w[1:HIGHEST]))))
    volts = abs(v[1]) / math.sqrt(2)  # what is left of the bridge's fundamental, which the bridge makes up for
    scale = volts / max(power, 1e-6)  # for each watt that it really takes

    def added(phasors: NDArray[np.complexfloating]) -> Array:
        found = np.zeros(KEPT)
        for n in range(3, HIGHEST, 2):
            found += (phasors[n] * np.exp(1j * n * ANGLES)).real
        return np.asarray(scale * found)

    bent = scale * volts / abs(v[1])
    others = bent * float(np.sqrt(np.sum(np.abs(v[4 : HIGHEST + 1]) ** 2)))
    return Crest(added(w), added(i), complex(1j * v[3] * bent), others, power / volts**2, float(np.mean(load != 0)))
