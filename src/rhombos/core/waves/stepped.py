"""The current of a series R–L load on a square or three-level wave, and what it makes of the source.

While the wave is zero a bridge holds its output there and the current circulates. A push-pull lets go: its diodes turn the wave
about until the current has gone, and then the output floats at nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from rhombos.core.units.solvers import root
from rhombos.core.waves.pulsation import MOST_TERMS, Demand

STEPS = 512
"""Moments of half a line period at which the current is taken."""
PURE = 1e-3
"""Tangent of the load's angle below which it counts as a resistance."""
DELAY = np.exp(-2j * np.pi * np.arange(STEPS // 2 + 1) / STEPS)
"""What one step's delay makes of each line of a spectrum of half a period."""
Array = NDArray[np.float64]
Complex = NDArray[np.complex128]


def _tangent(power_factor: float) -> float:
    return math.sqrt(max(0.0, 1 - power_factor**2)) / power_factor


def turned_about(fraction: float, power_factor: float) -> float:
    """Share of the time for which the diodes of a push-pull turn the wave about after its pulses.

    Source: the exponential of an R–L circuit from nothing, driven one way and then the other until it is nothing again.
    """
    tan = _tangent(power_factor)
    if tan < PURE:
        return 0.0
    back = tan * math.log(2 - math.exp(-fraction * math.pi / tan)) / math.pi
    return min(back, 1 - fraction)


def width_for(share: float, power_factor: float, most: float) -> float:
    """The share of the time that pulses must take for a wave that stands, turned about or not, for a share of it."""
    if share >= most + turned_about(most, power_factor):
        return most
    return root(lambda w: w + turned_about(w, power_factor) - share, 0.0, most, xtol=1e-9)


def _until(share: float) -> Array:
    """One up to a share of half a period, then nothing; the step in which it ends counts for its part."""
    return np.clip(share * STEPS - np.arange(STEPS), 0.0, 1.0)


@lru_cache(maxsize=64)
def step_current(fraction: float, power_factor: float, lets_go: bool = False, held: float | None = None) -> tuple[Array, Array]:
    """Current of a series R–L load of a power factor at the line over half a period, in its final value; and which way the wave
    stands: 1, turned about −1, or 0. `held` is the power factor of what the current meets while the output is held at zero,
    where a resistance before the bridge is then out of its way.

    Source: the exponential of an R–L circuit, whose value after half a period is its first with the other sign.
    """
    tan = _tangent(power_factor)
    angle = (np.arange(STEPS) + 0.5) * math.pi / STEPS
    width = fraction * math.pi
    wave = _until(fraction)
    if tan < PURE:
        return wave, wave
    back = turned_about(fraction, power_factor) * math.pi if lets_go else 0.0
    around = tan if held is None else max(PURE, _tangent(held))
    fade, rest = math.exp(-width / tan), math.exp(-(math.pi - width) / around)
    if not lets_go:
        # i = 1 + (i0 − 1)·e^(−θ/tan φ) while on, then it fades; and −i0 after half a period
        first = -(1 - fade) * rest / (1 + fade * rest)
    elif width + back < math.pi * (1 - 1e-9):
        first = 0.0
    else:  # it never rests: a square wave that lags its pulses
        first = (1 - (2 - fade) * rest) / (1 + fade * rest)
    last = 1 + (first - 1) * fade
    since = np.maximum(angle - width, 0.0)
    if lets_go:
        after = np.where(angle < width + back, -1 + (last + 1) * np.exp(-since / tan), 0.0)
        wave = 2 * wave - _until((width + back) / math.pi)
    else:
        after = last * np.exp(-since / around)
    current = np.where(angle < width, 1 + (first - 1) * np.exp(-angle / tan), after)
    for kept in (current, wave):
        kept.setflags(write=False)  # whoever asks next gets the same
    return current, wave


@dataclass(frozen=True, slots=True)
class Fed:
    """A square or three-level wave as a load meets it: the share of the time of its pulses, and whether the source lets go
    between them; where what lies before it shapes the current too, the power factor of all of it, the load's own resistance, Ω,
    and the power factor of what is left while the output is held at zero; what the source's recovery between pulses adds to
    the current's peak, as a factor."""

    fraction: float
    lets_go: bool = False
    factor: float | None = None
    resistance: float | None = None
    held: float | None = None
    tilt: float = 1.0


@dataclass(frozen=True, slots=True)
class StepFlow:
    """That current over its RMS: peak, RMS of its fundamental; mean and mean square of what flows forth while the wave drives
    it, round while the output is held at zero, and back; and what the load draws over what its resistance alone would."""

    peak: float
    fundamental: float
    mean: tuple[float, float, float]
    square: tuple[float, float, float]
    lag: float


@lru_cache(maxsize=64)
def stopped(fraction: float, power_factor: float, held: float | None = None) -> float:
    """What such a load stops drawing at once at the end of a pulse, over its mean; of a square wave with what it gives
    back. A bridge holds its output at zero between pulses."""
    taken = np.prod(step_current(fraction, power_factor, False, held), axis=0)
    last = float(taken[math.ceil(fraction * STEPS) - 1 - (fraction * STEPS % 1 > 0)])
    after = float(taken[0]) if fraction == 1 else 0.0
    return (last - after) / float(taken.mean())


@lru_cache(maxsize=256)
def step_flow(fraction: float, power_factor: float, lets_go: bool = False, held: float | None = None) -> StepFlow:
    """See `StepFlow` and `step_current`: of a series R–L of a power factor at the line, on pulses of a share of the time."""
    current, wave = step_current(fraction, power_factor, lets_go, held)
    rms = float(np.sqrt((current**2).mean()))
    over = current / rms
    turn = np.exp(-1j * math.pi * (np.arange(STEPS) + 0.5) / STEPS)
    # the step in which a pulse ends counts for its part
    forth = np.abs(wave) * (wave * current > 0)
    back = np.abs(wave) * (wave * current < 0)
    shares = (forth, 1 - forth - back, back)
    mean, square = (tuple(float((share * value).mean()) for share in shares) for value in (np.abs(over), over**2))
    return StepFlow(
        float(np.abs(over).max()), math.sqrt(2) * abs(complex((over * turn).mean())), mean, square,  # type: ignore[arg-type]
        float((wave * current).mean() / np.abs(wave).mean()))  # fmt: skip


@lru_cache(maxsize=64)
def step_demand(fraction: float, power_factor: float) -> Demand:
    """How what such a load draws from the link swings, in the steady state; while the current lags, it flows back."""
    current, wave = step_current(fraction, power_factor)
    taken = wave * current
    phasors = np.fft.rfft(taken)[1 : MOST_TERMS + 1] * 2 / STEPS / float(taken.mean())
    return tuple(complex(p) for p in phasors) if float(np.abs(phasors).max()) > 1e-9 else ()


@dataclass(frozen=True, slots=True)
class StepForm:
    """What such a load makes of a source that feeds it directly: RMS of its pulses over their mean, and their peak; then, of
    the current before a bank behind a resistance, over its mean: mean square and peak, and the RMS of what the bank carries.
    The share of the time for which the output stands, turned about or not, and that of its pulses. Mean and mean square of the
    current before the bank while it stands, and the mean of its product with what is drawn. The mean of what flows back to the
    bank once the source gives nothing. Through half a period: the current before the bank and what is drawn, over their mean,
    and the load's current over its peak while the wave drives it.
    """

    form: float
    peak: float
    mean_square: float
    crest: float
    bank: float
    stands: float
    share: float
    standing: float
    standing_square: float
    meets: float
    returned: float
    source: Array = field(repr=False, compare=False)
    taken: Array = field(repr=False, compare=False)
    load: Array = field(repr=False, compare=False)

    def tilt(self, open_volts: float, before: float, behind: float, current: float) -> float:
        """The peak of the load's current over that on a flat wave of the same RMS: the source has recovered when a pulse
        begins, and sags in its course. At least 1: what an inductance makes of the sag is less than this."""
        stood = self.socket(open_volts, before, behind, current)
        if stood <= 0:
            return 1.0
        volts = open_volts - current * (before * self.source + behind * self.taken)
        return max(1.0, float((self.load * volts).max()) / stood)

    def socket(self, open_volts: float, before: float, behind: float, current: float) -> float:
        """RMS of what stands at the output while it does, V: an open voltage less what a mean current, A, in this form, drops
        on a resistance before the bank and one behind it, Ω."""
        drop, own = before * current, behind * current
        square = open_volts**2 + drop**2 * self.standing_square - 2 * open_volts * drop * self.standing
        square += (own**2 * self.form**2 / self.share - 2 * open_volts * own + 2 * drop * own * self.meets) / self.stands
        return math.sqrt(max(0.0, square))

    def beside(self, shaped: float) -> StepForm:
        """The same where only a share of what is drawn has this form, and losses take the rest in flat pulses."""
        flat = 1 / self.share
        return replace(
            self, form=math.sqrt(1 + shaped**2 * (self.form**2 - 1)), peak=1 + shaped * (self.peak - 1),
            mean_square=flat + shaped**2 * (self.mean_square - flat), crest=flat + shaped * (self.crest - flat),
            bank=shaped * self.bank, returned=shaped * self.returned)  # fmt: skip


@dataclass(frozen=True)
class StepRipple:
    """What a bank before such a load carries, A, as it follows from its capacitance, F: a mean current, A, and its form, drawn
    at a line frequency, Hz, through a resistance, Ω."""

    current: float
    fraction: float
    power_factor: float
    lets_go: bool
    line: float
    resistance: float
    held: float | None = None

    def __call__(self, capacitance: float) -> float:
        """RMS of what the bank carries, A."""
        corner = 2 * math.pi * self.line * self.resistance * capacitance
        return self.current * _bank(self.fraction, self.power_factor, self.lets_go, corner, self.held)

    def returned(self, capacitance: float) -> float:
        """Charge that flows back through it to the source in half a line period, C."""
        corner = round(2 * math.pi * self.line * self.resistance * capacitance, 4)
        formed = step_form(self.fraction, self.power_factor, self.lets_go, corner, self.held)
        return self.current * formed.returned / (2 * self.line)


@lru_cache(maxsize=64)
def _drawn(fraction: float, power_factor: float, lets_go: bool, held: float | None) -> tuple[Array, Complex]:
    """What such a load draws over half a period, over its mean, and its spectrum."""
    current, wave = step_current(fraction, power_factor, lets_go, held)
    drawn = wave * current / float((wave * current).mean())
    return drawn, np.fft.rfft(drawn)


def _given(spectrum: Complex, corner: float) -> tuple[Complex, float, float]:
    """What a bank behind a resistance gives of what is drawn, of which each step is steady: the spectrum of what it gives at
    the begin of each step; and over that its mean in the step, and its mean square. Source: it fades as e^(−t/RC); what comes
    from the source at the begin of a step follows from the step before, in the steady state."""
    over = math.pi / STEPS / corner if corner > 0 else math.inf
    kept = math.exp(-over)
    return spectrum * (1 - DELAY) / (1 - kept * DELAY), (1 - kept) / over, (1 - kept**2) / (2 * over)


def _bank(fraction: float, power_factor: float, lets_go: bool, corner: float, held: float | None) -> float:
    """RMS of what the bank gives, over the mean drawn. Source: Parseval."""
    given, _, square = _given(_drawn(fraction, power_factor, lets_go, held)[1], corner)
    return math.sqrt(square * (2 * float(np.vdot(given, given).real) - abs(given[-1]) ** 2)) / STEPS


@lru_cache(maxsize=512)
def step_form(fraction: float, power_factor: float, lets_go: bool, corner: float, held: float | None = None) -> StepForm:
    """See `StepForm`; `corner` is the line's angular frequency times resistance and capacitance of the bank, 2π·f·R·C."""
    current, wave = step_current(fraction, power_factor, lets_go, held)
    taken, spectrum = _drawn(fraction, power_factor, lets_go, held)
    given, mean, square = _given(spectrum, corner)
    bank = np.fft.irfft(given)
    source = taken - mean * bank
    squared = taken**2 - 2 * mean * taken * bank + square * bank**2
    stands = fraction + (turned_about(fraction, power_factor) if lets_go else 0.0)
    weight = np.abs(wave) / np.abs(wave).sum()
    whole = float((current**2).mean()) / float((wave * current).mean()) ** 2
    return StepForm(
        math.sqrt(whole * fraction), float(taken.max()) * fraction, float(squared.mean()), float((taken - bank).max()),
        _bank(fraction, power_factor, lets_go, corner, held), stands, fraction, float(weight @ source), float(weight @ squared),
        float((source * taken).mean()), float((np.maximum(0.0, -taken) * (source < 0)).mean()), source, taken,
        np.maximum(0.0, wave * current) / float(np.abs(current).max()))  # fmt: skip
