"""The loop that holds a sine: filter and load between two samples, exactly; a regulator with one sample of delay; its margins,
its output impedance, and what a step of the load does to the voltage."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rhombos.core.units.solvers import exponential
from rhombos.core.waves.modulation import Array
from rhombos.core.waves.steady import FilterCircuit

Complex = NDArray[np.complex128]
CURRENT, VOLTAGE, LOAD = 0, 1, 2


@dataclass(frozen=True, slots=True)
class Gains:
    """Volts at the bridge for a volt missing; for an ampere into the filter capacitor, Ω; for a volt missing at the line's own
    frequency, summed up, 1/s."""

    voltage: float
    damping: float
    resonant: float


@dataclass(frozen=True)
class Sampled:
    """Filter and load from one sample to the next: x' = a·x + b·u + e·w, u the bridge's mean, V, and w a
    current drawn besides, A."""

    a: Array
    b: Array
    e: Array
    period: float

    @property
    def capacitor(self) -> Array:
        """The filter capacitor's current as a row of the states."""
        row = np.zeros(self.b.size)
        row[CURRENT] = 1.0
        if row.size > LOAD:
            row[LOAD] = -1.0
        return row


def sampled(circuit: FilterCircuit, period: float) -> Sampled:
    """A circuit held between samples, s. The resistance of a load without inductance is left in the matrix: its share of the
    capacitor's current is the load's, and is measured with it."""
    a, b = circuit.matrices()
    e = np.zeros(b.size)
    e[VOLTAGE] = -1 / circuit.capacitance
    n = b.size
    whole = np.zeros((n + 2, n + 2))
    whole[:n, :n], whole[:n, n], whole[:n, n + 1] = a, b, e
    grown = exponential(whole * period)
    return Sampled(grown[:n, :n], grown[:n, n], grown[:n, n + 1], period)


def resonator(z: Complex, line: float, period: float) -> Complex:
    """A sum that grows without end at the line's frequency, Hz, and at no other: for gains of 1/s."""
    turn = math.cos(2 * math.pi * line * period)
    return np.asarray(2 * period * (z**2 - z * turn) / (z**2 - 2 * z * turn + 1))


@dataclass(frozen=True)
class Seen:
    """How a plant answers at frequencies: its voltage and its capacitor's current, for a volt of the bridge's and for an ampere
    drawn besides; one sample further, z."""

    z: Complex
    volts: Complex
    amps: Complex
    drawn_volts: Complex
    drawn_amps: Complex

    def loop(self, gains: Gains, line: float, period: float) -> Complex:
        """The loop opened at the bridge, one sample of delay in it."""
        asked = gains.voltage + gains.resonant * resonator(self.z, line, period)
        return np.asarray((asked * self.volts + gains.damping * self.amps) / self.z)

    def impedance(self, gains: Gains, line: float, period: float) -> Complex:
        """What the socket looks like from outside with the loop closed, Ω."""
        asked = gains.voltage + gains.resonant * resonator(self.z, line, period)
        back = (asked * self.drawn_volts + gains.damping * self.drawn_amps) / self.z
        return np.asarray(self.volts * back / (1 + self.loop(gains, line, period)) - self.drawn_volts)


def seen(plant: Sampled, frequency: Array) -> Seen:
    """A plant's answers at frequencies, Hz."""
    z = np.exp(2j * np.pi * frequency * plant.period)
    inverse = np.linalg.inv(z[:, None, None] * np.eye(plant.b.size) - plant.a)
    pushed, drawn = (np.asarray(inverse @ column, dtype=complex) for column in (plant.b, plant.e))
    row = plant.capacitor.astype(complex)
    return Seen(z, pushed[:, VOLTAGE], pushed @ row, drawn[:, VOLTAGE], drawn @ row)


def loop_gain(plant: Sampled, gains: Gains, line: float, frequency: Array) -> Complex:
    """The loop opened at the bridge, at frequencies, Hz."""
    return seen(plant, frequency).loop(gains, line, plant.period)


def impedance(plant: Sampled, gains: Gains, line: float, frequency: Array) -> Complex:
    """Output impedance at frequencies, Hz, Ω; gains of zero leave the filter alone."""
    return seen(plant, frequency).impedance(gains, line, plant.period)


@dataclass(frozen=True, slots=True)
class Standing:
    """How a loop stands: where its gain last passes one, Hz; phase left there, degrees; how many times the gain may grow; the
    least distance of the loop gain from −1."""

    crossover: float
    phase: float
    gain: float
    distance: float


def sweep(line: float, corner: float, period: float) -> Array:
    """Frequencies up to half the sampling, Hz, close about the filter's corner: from a little beyond the line, where the
    resonator's pole stands."""
    wide = np.geomspace(1.3 * line, 0.5 / period, 240)
    near = corner * np.linspace(0.85, 1.15, 121)
    return np.asarray(np.unique(np.concatenate([wide, near[near < 0.5 / period]])), dtype=float)


def standing(loop: Complex, frequency: Array) -> Standing:
    """Crossover, margins and distance of a loop gain at rising frequencies, Hz."""
    size = np.abs(loop)
    falls = np.flatnonzero((size[:-1] >= 1) & (size[1:] < 1))
    crossover, phase = 0.0, 180.0
    if falls.size:
        n = int(falls[-1])
        share = math.log(size[n]) / math.log(size[n] / size[n + 1])
        crossover = float(frequency[n] * (frequency[n + 1] / frequency[n]) ** share)
        between = loop[n] * (loop[n + 1] / loop[n]) ** share
        phase = math.degrees(np.angle(-between))
    turns = np.flatnonzero((loop.imag[:-1] * loop.imag[1:] < 0) & (loop.real[:-1] < 0))
    most = max((float(-np.interp(0, *_rising(loop.imag[n : n + 2], loop.real[n : n + 2]))) for n in turns), default=0.0)
    return Standing(crossover, phase, 1 / most if most > 0 else math.inf, float(np.abs(1 + loop).min()))


def _rising(x: NDArray[np.floating], y: NDArray[np.floating]) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
    return (x, y) if x[0] < x[1] else (x[::-1], y[::-1])


def closed(plant: Sampled, gains: Gains, line: float) -> Array:
    """The closed loop from sample to sample: states, the bridge's volts under way, and the resonator's two."""
    n = plant.b.size
    turn = 2 * math.cos(2 * math.pi * line * plant.period)
    a = np.zeros((n + 3, n + 3))
    a[:n, :n], a[:n, n] = plant.a, plant.b
    missing = np.zeros(n + 3)
    missing[VOLTAGE] = -1.0
    # resonator: r' = missing + turn·r − q, q' = r; it gives 2T·(r' − turn/2·r), of the missing volts of now
    a[n + 1] = missing
    a[n + 1, n + 1], a[n + 1, n + 2] = turn, -1.0
    a[n + 2, n + 1] = 1.0
    given = a[n + 1].copy()
    given[n + 1] -= turn / 2
    a[n] = gains.voltage * missing + 2 * plant.period * gains.resonant * given
    a[n, :n] -= gains.damping * plant.capacitor
    return a


def stable(plant: Sampled, gains: Gains, line: float) -> bool:
    """Whether everything dies out."""
    a = closed(plant, gains, line)
    if gains.resonant == 0:  # the resonator reaches nothing: it may never settle
        a = a[:-2, :-2]
    return bool(np.abs(np.linalg.eigvals(a)).max() < 1)


COMING_BACK = 3.0
"""Line periods that a correction may take without counting as much as the filter left alone."""
ALONE = Gains(0.0, 0.0, 0.0)


def propose(plants: tuple[Sampled, ...], line: float, corner: float, surge: float, distance: float) -> Gains:
    """The gains whose socket is stiffest at the line's odd harmonics against the filter left alone, and which come back soon,
    among those that keep a distance from −1 for every load.

    `corner` is the filter's, Hz, and `surge` its surge impedance √(L/C), Ω: gains are tried in its measure.
    """
    period = plants[0].period
    whole = [seen(p, sweep(line, corner, period)) for p in plants]
    odd = [seen(p, line * np.arange(3.0, 16.0, 2.0)) for p in plants]
    resonance, there = resonator(whole[0].z, line, period), resonator(odd[0].z, line, period)
    best, least = ALONE, math.inf
    for damping in surge * np.array([0, 0.05, 0.1, 0.2, 0.35, 0.5, 0.7, 1.0, 1.4]):
        for voltage in (0, 0.05, 0.1, 0.2, 0.35, 0.5, 0.8, 1.2, 2.0, 3.0):
            for resonant in (20.0, 50.0, 100.0, 200.0, 400.0):
                asked = voltage + resonant * resonance
                if any(np.abs(1 + (asked * s.volts + damping * s.amps) / s.z).min() < distance for s in whole):
                    continue
                wanted = voltage + resonant * there
                left = len(plants) * line * (1 + voltage) / (COMING_BACK * resonant)
                for s in odd:
                    back = (wanted * s.drawn_volts + damping * s.drawn_amps) / s.z
                    held = s.volts * back / (1 + (wanted * s.volts + damping * s.amps) / s.z) - s.drawn_volts
                    left += float(np.mean(np.abs(held / s.drawn_volts)))
                if left < least and all(stable(p, Gains(voltage, float(damping), resonant), line) for p in plants):
                    best, least = Gains(voltage, float(damping), resonant), left
    return best


@dataclass(frozen=True)
class Response:
    """Samples of a step of the load: times, s; wanted and real voltage, bridge, V; inductor, A."""

    time: Array
    wanted: Array
    voltage: Array
    bridge: Array
    current: Array


def step_response(
    before: Sampled, after: Sampled, gains: Gains, peak: float, line: float, most: float, lead: complex, when: float, end: float
) -> Response:
    """A load put on at a moment, s, with the loop closed; the bridge gives no more than `most`, V.

    `peak` is what the sine should reach, V; `lead` what the bridge must make for a volt at the socket, empty: the feed-forward.
    """
    period = before.period
    count = round(end / period)
    time = np.arange(count, dtype=float) * period
    omega = 2 * math.pi * line
    wanted = peak * np.sin(omega * time)
    pushed = peak * abs(lead) * np.sin(omega * (time + period) + np.angle(lead))
    x = np.zeros(before.b.size)
    turn = 2 * math.cos(omega * period)
    u = r = q = 0.0
    voltage, bridge, current = np.empty(count), np.empty(count), np.empty(count)
    plant = before
    for k in range(count):
        if time[k] >= when and plant is before:
            plant = after
            x = np.concatenate([x, np.zeros(after.b.size)])[: after.b.size]
        voltage[k], bridge[k], current[k] = x[VOLTAGE], u, x[CURRENT]
        missing = wanted[k] - x[VOLTAGE]
        risen = missing + turn * r - q
        asked = (
            pushed[k]
            + gains.voltage * missing
            + 2 * period * gains.resonant * (risen - turn / 2 * r)
            - gains.damping * float(plant.capacitor @ x)
        )
        x = plant.a @ x + plant.b * u
        u = min(most, max(-most, asked))
        if u == asked:  # at its limit the bridge stores no more
            q, r = r, risen
        else:
            q, r = r, turn * r - q
    return Response(time, wanted, voltage, bridge, current)


def slow_response(
    before: Sampled, after: Sampled, share: float, rms: float, index: float, line: float, most: float, when: float, end: float
) -> tuple[Response, Array]:
    """The index alone corrected, once each half line period, by a share of what the RMS of the last half missed.

    Returns: the samples, and the RMS of each half, V. `index` is where it begins, volts peak at the bridge.
    """
    period = before.period
    half = round(1 / (2 * line * period))
    count = round(end / period / half) * half
    time = np.arange(count, dtype=float) * period
    sine = np.sin(2 * math.pi * line * time)
    x, plant, height = np.zeros(before.b.size), before, index
    voltage, bridge, current, halves = np.empty(count), np.empty(count), np.empty(count), []
    for k in range(count):
        if time[k] >= when and plant is before:
            plant = after
            x = np.concatenate([x, np.zeros(after.b.size)])[: after.b.size]
        if k and k % half == 0:
            halves.append(math.sqrt(float(np.mean(voltage[k - half : k] ** 2))))
            height = min(most, max(0.0, height * (1 + share * (1 - halves[-1] / rms))))
        voltage[k], current[k] = x[VOLTAGE], x[CURRENT]
        bridge[k] = height * sine[k]
        x = plant.a @ x + plant.b * bridge[k]
    halves.append(math.sqrt(float(np.mean(voltage[count - half :] ** 2))))
    return Response(time, math.sqrt(2) * rms * sine, voltage, bridge, current), np.array(halves)
