"""The sequence marched in time: control supply, negative, precharge relay, measured close, release; and each fault in it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, get_args

import numpy as np
from numpy.typing import NDArray

from rhombos.core.blocks.precharge import CONTACT, DROPS_OUT, PrechargeBuild, PrechargeNeed
from rhombos.core.parts import Resistor
from rhombos.core.units.solvers import marched

Array = NDArray[np.float64]
FaultName = Literal["none", "shorted bus", "open resistor", "welded contactor", "frozen reading"]
FAULTS: tuple[FaultName, ...] = get_args(FaultName)
StateName = Literal["off", "control", "negative", "precharge", "close", "release", "run", "rest", "locked"]
RUNNING = 0.3
"""What is shown of running, s."""
FROZEN = 0.97
"""Share of the source that a frozen reading shows."""
WAKES = 0.01
"""Share of the source over which a converter comes up above its lock-out."""
SHORT = 1e-3
"""Resistance of a shorted bus, Ω."""
HOTTEST = 155.0
AMBIENT = 40.0
"""What a resistor stands at most, and the air about it, °C: house figures for its thermal model."""
POINTS = 160


@dataclass(frozen=True)
class Step:
    """One state of a marched sequence: when it begins and ends, s, and the coils that are on."""

    state: StateName
    begin: float
    end: float
    why: str
    negative: bool = False
    relay: bool = False
    positive: bool = False


@dataclass
class Marched:
    """Times, s, and at each the bus, V, what the resistor carries, A, and its temperature, °C; the steps; how it ended."""

    time: list[Array] = field(default_factory=list)
    bus: list[Array] = field(default_factory=list)
    current: list[Array] = field(default_factory=list)
    celsius: list[Array] = field(default_factory=list)
    steps: list[Step] = field(default_factory=list)

    @property
    def ended(self) -> StateName:
        """The last state."""
        return self.steps[-1].state

    def column(self, name: str) -> Array:
        """One of the traces in one piece."""
        return np.concatenate(getattr(self, name))


class _Bench:
    """The circuit and the resistor's heat, from state to state."""

    def __init__(self, need: PrechargeNeed, build: PrechargeBuild, series: Resistor, fault: FaultName) -> None:
        self.need, self.build, self.fault = need, build, fault
        self.heat_path = (HOTTEST - 70.0) / series.power
        self.heat = series.pulse / (HOTTEST - AMBIENT)
        self.made = Marched()
        self.now, self.volts, self.celsius = 0.0, 0.0, AMBIENT

    def _draw(self, volts: float) -> float:
        build = self.build
        if self.fault == "shorted bus":
            return volts / SHORT
        if build.load_power <= 0 or build.load == "nothing" or volts <= 0:
            return 0.0
        if build.load == "a resistance":
            return volts * build.load_power / self.need.volts**2
        awake = (volts / self.need.volts - DROPS_OUT) / WAKES
        return build.load_power / volts * min(1.0, max(0.0, awake))

    def hold(
        self,
        state: StateName,
        seconds: float,
        why: str,
        *,
        negative: bool = False,
        relay: bool = False,
        positive: bool = False,
        until: float | None = None,
    ) -> bool:
        """March a state; with `until`, end it early where the bus gets there, V. Returns: whether it did."""
        need, build = self.need, self.build
        welded = self.fault == "welded contactor"
        joined = negative and (positive or welded)
        through = negative and not joined and self.fault != "open resistor" and (relay or build.school != "switched")
        ohms = need.resistance + need.esr + CONTACT

        def flows(volts: float) -> tuple[float, float]:
            """Through contactor and resistor, A."""
            if joined:
                return (need.volts - volts) / ohms, 0.0
            return 0.0, (need.volts - volts) / build.resistor if through else 0.0

        def law(t: float, x: Array) -> list[float]:
            main, small = flows(x[0])
            burnt = small**2 * build.resistor
            return [(main + small - self._draw(x[0])) / need.bank, (burnt - (x[1] - AMBIENT) / self.heat_path) / self.heat]

        def there(t: float, x: Array) -> float:
            return float(x[0]) - (until if until is not None else np.inf)

        there.terminal = True  # type: ignore[attr-defined]
        there.direction = 1  # type: ignore[attr-defined]
        found: Any = marched(
            law,
            (0, seconds),
            [self.volts, self.celsius],
            method="LSODA",
            rtol=1e-8,
            atol=1e-8,
            dense_output=True,
            events=there if until is not None else None,
        )
        end = float(found.t[-1])
        t = end * np.linspace(0, 1, POINTS) ** 2
        states = found.sol(t)
        self.made.time.append(self.now + t)
        self.made.bus.append(states[0])
        self.made.current.append(np.array([flows(v)[1] for v in states[0]]))
        self.made.celsius.append(states[1])
        self.made.steps.append(Step(state, self.now, self.now + end, why, negative, relay, positive))
        self.now += end
        self.volts, self.celsius = float(states[0, -1]), float(states[1, -1])
        return until is not None and bool(found.t_events[0].size)

    def reading(self) -> float:
        """What the controller believes of the bus, V."""
        return FROZEN * self.need.volts if self.fault == "frozen reading" else self.volts


def march(need: PrechargeNeed, build: PrechargeBuild, series: Resistor, fault: FaultName = "none") -> Marched:
    """The sequence with a fault, from switching on to running or locked."""
    bench = _Bench(need, build, series, fault)
    bench.hold("control", build.wakes, "control supply up")
    for attempt in range(build.tries):
        bench.hold("negative", build.joins, "negative contactor closed", negative=True)
        if attempt == 0 and build.school == "switched" and bench.reading() > build.empty_below * need.volts:
            bench.hold("locked", RUNNING, "bus not empty before the relay: welded contactor, or an implausible reading")
            return bench.made
        # left across the contactor, nothing tells a frozen reading from a bus that is full: it closes at once
        waits = build.timeout if fault != "frozen reading" else build.joins
        there = bench.hold(
            "precharge",
            waits,
            "waits for the bus",
            negative=True,
            relay=build.school == "switched",
            until=build.close_at * need.volts,
        )
        if there or fault == "frozen reading":
            bench.hold(
                "close",
                build.closing,
                "positive contactor closes",
                negative=True,
                relay=build.school == "switched",
                positive=True,
            )
            bench.hold("release", build.releasing, "precharge relay released", negative=True, positive=True)
            bench.hold("run", RUNNING, "runs", negative=True, positive=True)
            return bench.made
        if attempt < build.tries - 1:
            bench.hold("rest", build.rest, "time-out: all off, resistor cools")
    bench.hold("locked", RUNNING, "time-out on the last try: latched off, manual reset")
    return bench.made
