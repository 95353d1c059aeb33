"""Loads that draw their current in short pulses at the crest: rectifiers with a capacitor, behind an output filter.

One usual adapter, the same that the scope connects, is marched to its periodic state once for each size of filter,
in units of its own power and voltage; sizes in between are interpolated. What is left after its fundamental is taken off comes
on top of what a linear load of the same power draws.
"""

from __future__ import annotations

import cmath
import itertools
import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Lines = NDArray[np.complex128]
"""Odd harmonics from the third on, phasors of sines."""
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
LEAST_PATH, STEP_PATH = 0.0008, 2.0
"""Smallest resistance of bridge, inductor and windings that is told apart, over V²/P, and the ratio from one to the next."""
TURNS = 3
"""Tries in which the size of an adapter is found that takes a power."""
STEPS = 256
"""Steps of half a line period."""
KEPT = 128
"""Samples of half a line period that are kept."""
LEAST_X, STEP_X = 2e-4, 1.45
"""Smallest reactance that is told apart, over V²/P, and the ratio from one to the next that is marched."""
LEAST_CORNER, MOST_CORNER = 3.0, 160.0
"""Corners over the line that are told apart. Above, the march's steps are too wide for how the filter rings, and it may find no
rest; and where the corner is matters no more."""
MOST_IN_THE_WAY = 8.0
"""The largest reactance and resistance, over V²/P: what lies behind more gets next to nothing, and no design has it."""
STEP_CORNER = 1.2
"""Ratio from one corner frequency over the line that is marched to the next."""
HIGHEST = 40
"""Harmonics that count as distortion."""


@dataclass(frozen=True)
class Crest:
    """What a crest load adds to a linear one, over P/V: its own current and that of the filter's inductor, without their
    fundamentals, over half a line period that begins where the output rises through zero; the output's third and fifth harmonic
    over its fundamental, phasors of sines, and all others together; the power that an adapter made for P really takes there,
    over P, how much its fundamental lags, as reactive over real power, what its fundamental takes, over all that it keeps (its
    harmonics lose the rest on the way), and for how much of the time it conducts."""

    load: Array
    inductor: Array
    output: Lines
    others: float
    taken: float
    lags: float
    first: float
    conducts: float

    @property
    def conductance(self) -> float:
        """What it holds against small voltages on top, on the average, over P/V²."""
        return self.conducts / BEFORE

    @property
    def distortion(self) -> float:
        """All harmonics of the output together, over its fundamental."""
        return math.hypot(float(np.linalg.norm(self.output)), self.others)

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
        in_phase += share * (self.first - 1)
        sine = math.sqrt(2) * (in_phase * np.sin(ANGLES) - lagging * np.cos(ANGLES))
        return float(np.abs(sine + share * (self.inductor if inductor else self.load)).max())


LEAST_TAKEN = 1e-3
"""Of its power, what an adapter counts as taking on an output too low for its diodes."""
ANGLES: Array = (np.arange(KEPT) + 0.5) * math.pi / KEPT
"""Angles of the samples, from the output's rise through zero."""
ODD_TURNS: Lines = np.exp(1j * np.outer(np.arange(3, HIGHEST, 2), ANGLES))
"""What turns a phasor of each odd harmonic into its samples."""


def crest(reactance: float, corner: float, volts: float, path: float = 0.0) -> Crest:
    """A crest load behind a filter.

    Args: the inductor's reactance at the line over V²/P, where P is what the load takes; the filter's corner over the line's
    frequency; the output, V RMS, which the diodes' drop is compared with; all resistance on the way over V²/P.
    """
    larger = 1.0  # the adapter that takes P there is made for more
    for _ in range(TURNS):
        weights, forms = _about(larger * reactance, corner, volts, larger * path)
        larger = 1 / max(LEAST_TAKEN, float(weights @ forms[:, TAKES]))
    return _unpacked(weights @ forms)


def _about(reactance: float, corner: float, volts: float, path: float) -> tuple[Array, Array]:
    """The eight filters that are marched about the one asked for, as rows, and their weights."""
    scales = (
        (reactance, LEAST_X, MOST_IN_THE_WAY, LEAST_X, STEP_X),
        (corner, LEAST_CORNER, MOST_CORNER, 1.0, STEP_CORNER),
        (path, LEAST_PATH, MOST_IN_THE_WAY, LEAST_PATH, STEP_PATH),
    )
    along = [math.log(min(most, max(least, value)) / first) / math.log(step) for value, least, most, first, step in scales]
    i, j, k = (math.floor(place) for place in along)
    a, b, c = (place - math.floor(place) for place in along)
    weights = np.outer(np.outer([1 - a, a], [1 - b, b]), [1 - c, c]).ravel()
    return weights, _cell(i, j, k, _drop_of(volts))


@lru_cache(maxsize=256)
def _cell(i: int, j: int, k: int, drop: float) -> Array:
    return np.array([_packed(_at(x, y, drop, z)) for x, y, z in itertools.product((i, i + 1), (j, j + 1), (k, k + 1))])


def _packed(c: Crest) -> Array:
    return np.concatenate([c.load, c.inductor, c.output.real, c.output.imag, [c.others, c.taken, c.lags, c.first, c.conducts]])


def _unpacked(row: Array) -> Crest:
    load, inductor, real, imag, rest = np.split(row, np.cumsum([KEPT, KEPT, 2, 2]))
    others, taken, lags, first, conducts = rest.tolist()
    return Crest(load, inductor, np.asarray(real + 1j * imag), others, taken, lags, first, conducts)


TAKES = -4
"""Place of `taken` in a packed form."""


def _drop_of(volts: float) -> float:
    return round(LEAST_DROP * STEP_DROP ** round(math.log(DIODES / volts / LEAST_DROP) / math.log(STEP_DROP)), 5)


def _at(i: int, j: int, drop: float, path: int) -> Crest:
    return marched(LEAST_X * STEP_X**i, STEP_CORNER**j, drop, LEAST_PATH * STEP_PATH**path)


@lru_cache(maxsize=1024)
def marched(reactance: float, corner: float, drop: float, path: float = LEAST_PATH) -> Crest:
    """The periodic state, by marching; arguments as `crest`, and the diodes' drop over the output's RMS.

    States: the inductor's current, the output, the smoothing capacitor; the rectifier is open, or conducts either way; each
    step is exact for its mode.
    """
    capacity = 1 / (corner**2 * reactance)
    modes = {}
    for sign in (0.0, 1.0, -1.0):
        a = np.zeros((3, 5))  # of the states, of the source and of one
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
        modes[sign] = _Mode.of(a)
    begin = np.array([0.0, 0.0, 0.9 * math.sqrt(2)])
    for _ in range(MOST_HALVES):
        states, signs = _half(modes, begin, drop)
        # the next half is the same the other way about: by Newton's rule, what a small change at its begin makes of its end
        off = AGAIN @ begin - states[-1]
        if float(np.abs(off).max()) < AT_REST:
            break
        turns = np.flatnonzero(np.diff(signs, prepend=np.nan, append=np.nan) != 0)
        makes = np.eye(3)
        for first, last in itertools.pairwise(turns):
            makes = np.linalg.matrix_power(modes[signs[first]].step, int(last - first)) @ makes
        begin = begin + np.linalg.solve(makes - AGAIN, off)
    current, volts, held = states[1:].T
    return _formed(np.array((current, volts, signs * np.maximum(0.0, np.abs(volts) - held - drop) / BEFORE)))


MOST_HALVES, AT_REST = 25, 1e-6
"""Half periods at most until it repeats, and how far it may then still be off, over the output's RMS."""
AGAIN = np.diag([-1.0, -1.0, 1.0])
"""What half a period makes of the states at rest: current and output the other way about, the capacitor the same."""
WIDTH = math.pi / STEPS
TURN = np.exp(1j * WIDTH * np.arange(STEPS + 1))
"""How far the source has turned at the begin of each step; within one it stands at its middle."""


@dataclass(frozen=True, slots=True)
class _Mode:
    """Steps of one mode in closed form: what one step makes of the states, its eigenvectors and the powers of their values; and
    what source and drop alone bring, at each step."""

    step: Array
    vectors: Lines
    inverse: Lines
    powers: Lines
    driven: Array

    @classmethod
    def of(cls, law: Array) -> _Mode:
        """From the rates of the states by angle: from states, source and one."""
        values, vectors = np.linalg.eig(law[:, :3])
        inverse = np.linalg.inv(vectors)
        powers = np.exp(np.outer(np.arange(STEPS + 1), values * WIDTH))
        step = np.asarray((vectors * powers[1] @ inverse).real)
        # in a step the source stands still
        source, one = np.linalg.solve(law[:, :3], (step - np.eye(3)) @ law[:, 3:]).T
        turning = np.linalg.solve(TURN[1] * np.eye(3) - step, source * math.sqrt(2) * cmath.exp(0.5j * WIDTH))
        driven = np.linalg.solve(np.eye(3) - step, one) + np.outer(TURN, turning).imag
        return cls(step, vectors, inverse, powers, driven)

    def from_state(self, state: Array, first: int) -> Array:
        """The states at the begin of a step and of all that follow, were the mode never left."""
        free = self.inverse @ (state - self.driven[first])
        return np.asarray(self.driven[first:] + ((self.powers[: STEPS + 1 - first] * free) @ self.vectors.T).real)


def _half(modes: Mapping[float, _Mode], begin: Array, drop: float) -> tuple[Array, Array]:
    """Half a period from a state on: the states at the begin of each step and at the end; and which way each step conducted."""
    states, signs, at = np.empty((STEPS + 1, 3)), np.empty(STEPS), 0
    states[0] = begin
    while at < STEPS:
        sign = float(_way(states[at], drop))
        states[at:] = modes[sign].from_state(states[at], at)
        leaves = np.flatnonzero(_way(states[at + 1 : STEPS], drop) != sign)
        to = at + 1 + int(leaves[0]) if leaves.size else STEPS
        signs[at:to], at = sign, to
    return states, signs


def _way(states: Array, drop: float) -> Array:
    """Which way the rectifier conducts at the states: 1, −1, or 0 where it is open."""
    volts, level = states[..., 1], states[..., 2] + drop
    return np.asarray((volts > level) * 1.0 - (-volts > level))


def _formed(half: Array) -> Crest:
    """Harmonics of a period, from half of it (rows: inductor, output, load), as what is added to a sine, aligned with the
    output's own fundamental."""
    spectra = np.fft.rfft(np.hstack([half, -half])) / half.shape[1]
    turned = np.angle(spectra[1][1]) + math.pi / 2  # the output's fundamental is to be a sine
    order = np.arange(spectra.shape[1])
    i, v, w = (s * np.exp(-1j * order * turned) for s in spectra)
    power = 0.5 * float(np.real(np.sum(v[1:HIGHEST] * np.conj(w[1:HIGHEST]))))
    volts = abs(v[1]) / math.sqrt(2)  # what is left of the bridge's fundamental, which the bridge makes up for
    scale = volts / max(power, 1e-6)  # for each watt that it really takes

    def added(phasors: NDArray[np.complexfloating]) -> Array:
        return np.asarray(scale * (phasors[3:HIGHEST:2] @ ODD_TURNS).real)

    bent = scale * volts / abs(v[1])
    first = -float(w[1].imag) * abs(v[1]) / 2
    left: Lines = np.asarray(1j * bent * v[3:HIGHEST:2])
    return Crest(
        added(w),
        added(i),
        left[:2],
        float(np.linalg.norm(left[2:])),
        power / volts**2,
        float(w[1].real / w[1].imag) if w[1].imag else 0.0,
        first / max(power, 1e-6),
        float(np.mean(half[2] != 0)),
    )
