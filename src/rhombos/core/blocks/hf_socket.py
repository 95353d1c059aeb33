"""A high-frequency socket straight from the secondary: where the winding is tapped, what the socket gets, what it may feed.

It is a square wave with gaps, both ways, at the frequency of the stage. No loop holds it: pulses grow higher with the source
as they grow shorter, so that its RMS goes with the root of the link times the pulse; without a choke it goes with the source.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from pydantic import Field

from rhombos.core.blocks.base import Build
from rhombos.core.blocks.short_path import ShortPath, fuse_for
from rhombos.core.book import high_frequency as book
from rhombos.core.book import loads
from rhombos.core.design.outputs import HfOutput
from rhombos.core.design.pins import Fields
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.units.quantities import Ampere, Henry
from rhombos.core.waves.stepped import step_flow

KEY: Key[HfSocketBuild, HfState] = Key("hf_socket")
TITLE = "HF socket"
OPEN = 1e9
"""Resistance of a socket with nothing in it, Ω."""
LEAST_LEFT = 0.3
"""Share of the pulses that leakage leaves at least, for passes of a design without hope."""
STILL_MOVES = 1.02
"""What the next round may still add to the socket's voltage."""


class HfSocketBuild(Build):
    """Where the secondary is tapped; fuse and coil in the socket's lead."""

    turns: int = Field(ge=1, le=16000, title="Turns between its terminals")
    fuse: Ampere = Field(ge=0.05, le=400, title="Fuse at the socket")
    coil: Henry = Field(ge=0, le=0.1, title="Coil against a short")


@dataclass(frozen=True, slots=True)
class Shorted:
    """What a short of the socket meets on its way, where the stage's switches trip, A, and from then until they are off, s."""

    path: ShortPath
    trip: float
    delay: float

    def off(self, coil: float) -> float:
        """What flows when the switches are off, A, with a coil, H, in the socket's lead."""
        return self.path.off(self.trip, self.delay, coil)

    @property
    def coil(self) -> float:
        """The coil that keeps it within what the switches may see, H."""
        return self.path.slowing_coil(self.trip, self.delay)


@dataclass(frozen=True, slots=True)
class Tapped:
    """The winding before it: the tap's share of the turns; what all turns make while power flows, V; the winding's resistance,
    Ω; what the rectifier draws through it while power flows, A."""

    share: float
    open: float
    resistance: float
    current: float


@dataclass(frozen=True, slots=True)
class HfState:
    """RMS across the load and height of its pulses, V; RMS of a tap at all turns, V; load, Ω; its current: RMS, mean while
    power flows, RMS then, and at the end of a pulse, A; power, W; its power factor behind cord and coil; what it draws over
    what the load alone would; share of the time that pulses take."""

    voltage: float
    peak: float
    whole: float
    resistance: float
    current: float
    pulse: float
    heats: float
    ends: float
    power: float
    factor: float
    lag: float
    powered: float
    loss: float = 0.0


def load_of(output: HfOutput, power: float, worksheet: Worksheet) -> float:
    """The resistance that takes a power, W, at the voltage asked, Ω."""
    if power <= 0:
        return OPEN
    return worksheet.work(f"{KEY}.resistance", loads.step_resistance, k_lag=1.0, V_rms=output.voltage, P=power)


def cord_of(output: HfOutput) -> float:
    """Inductance of the cord to the load and back, H."""
    return book.cord_inductance.work({"length": output.cord})


def factor_of(ohms: float, inductance: float, frequency: float, worksheet: Worksheet) -> float:
    """Power factor of a load behind it, at the fundamental."""
    return worksheet.work(f"{KEY}.factor", book.power_factor, R_L=ohms, f=frequency, L=inductance)


def pulse_voltage(at: Tapped, ohms: float, factor: float, worksheet: Worksheet) -> float:
    """What stands across the tap while power flows, V; a load behind an inductance draws as a higher resistance would."""
    met = min(OPEN, ohms / step_flow(1.0, factor).lag)
    return worksheet.work(
        f"{KEY}.peak", book.tap_voltage, k_tap=at.share, V_sec=at.open, R_s=at.resistance, I_pulse=at.current, R_L=met
    )


def assess(
    at: Tapped, ohms: float, factor: float, peak: float, powered: float, leakage: float, counted: bool, frequency: float,
    worksheet: Worksheet,
) -> HfState:  # fmt: skip
    """What the socket gets of pulses of a height, V.

    Args: `powered` is the share of the time that power flows; `leakage` that of the path as the tap meets it, H; `counted`
    whether the current's rise through it is taken off that share already, as where a choke's current rises with it: an
    exponential loses half as much of its mean square again.
    """
    slow = 2 * frequency * leakage / ohms * (0.5 if counted else 1.5)
    share = max(LEAST_LEFT * powered, min(1.0, powered) - slow)
    flow = step_flow(min(1.0, share), factor)
    volts = worksheet.work(f"{KEY}.voltage", book.pulsed_rms, V_pk=peak, k_lag=flow.lag, D_tot=share)
    power = loads.step_resistance.invert("P", {"k_lag": 1.0, "V_rms": volts, "R_L": ohms}) if ohms < OPEN else 0.0
    current = worksheet.work(f"{KEY}.current", loads.power_current, P=power, R_L=ohms) if power else 0.0
    pulse = power / (peak * powered)
    heats, ends = max(pulse, current / math.sqrt(powered)), flow.peak * current
    return HfState(volts, peak, volts / at.share, ohms, current, pulse, heats, ends, power, factor, flow.lag, share)


def heating(rms: float, mean: float, pulse: float, share: float, halves: int) -> float:
    """What heats the winding, each of its halves, as much as the rectifier's pulses, RMS and mean while power flows, A, and the
    socket's from its tap on."""
    if halves == 1:
        return book.joined_rms.work({"I": rms, "k_tap": share, "I_pulse": mean, "I_pk": pulse})
    both = book.joined_rms.work({"I": rms, "k_tap": share / 2, "I_pulse": mean, "I_pk": pulse})
    # while the other half feeds the rectifier, the tapped one feeds the socket
    return math.sqrt(both**2 + share / 2 * pulse**2)


def most_turns(joined_turns: int, parts: int) -> int:
    """Turns between which it can be tapped at most: those that feed one bridge."""
    return max(1, joined_turns // parts)


def keeps(output: HfOutput, coil: float, before: HfState | None, frequency: float) -> float:
    """The voltage that its load gets behind a coil, H, over what it got before, with the coil that it had then."""
    if before is None:
        return 1.0
    factor = factor_of(before.resistance, cord_of(output) + coil, frequency, SILENT)
    return math.sqrt(step_flow(min(1.0, before.powered), factor).lag / before.lag)


def propose(
    output: HfOutput,
    whole: tuple[float, float],
    turns: int,
    most: int,
    short_of: Callable[[float], Shorted],
    pins: Fields,
    before: HfState | None = None,
    frequency: float = 0.0,
) -> HfSocketBuild:
    """The tap that makes the voltage asked, as far above it on the highest input as below on the lowest, where all `turns` make
    `whole` there, V RMS; the fuse for its current; the coil that slows a short, which is told by the tap's share of the
    turns. Where that is another coil than it had `before`, at full power, the tap makes up for what it keeps, at a frequency,
    Hz."""
    fields = dict(pins)
    wanted = output.voltage / max(math.sqrt(whole[0] * whole[1]), 1e-3) * turns

    def tapped(coil: float) -> int:
        return min(most, max(1, round(wanted / keeps(output, coil, before, frequency))))

    coil = fields.get("coil", 0.0)
    if "coil" not in fields:
        coil = short_of(fields.get("turns", min(most, max(1, round(wanted)))) / turns).coil
    fields.setdefault("turns", tapped(coil))
    over = max(1.0, STILL_MOVES * whole[1] * fields["turns"] / turns / output.voltage)
    amps, surge = (over * watts / output.voltage for watts in (output.power.continuous, output.power.surge))
    fields.setdefault("fuse", fuse_for(amps, surge))
    fields.setdefault("coil", short_of(fields["turns"] / turns).coil)
    return HfSocketBuild.within(fields)


def parts(build: HfSocketBuild, shelf: Shelf) -> tuple[Item, ...]:
    """A lead of the winding, and a fuse and a few turns on a rod from any drawer."""
    return ()


def requirements(build: HfSocketBuild, volts: float) -> Iterator[Requirement]:
    """Terminals for pulses of a height, V, that no mains plug fits."""
    yield Requirement(
        KEY, "terminal", "Terminals of the high-frequency socket", "connector", "X1",
        least={"i_rating": build.fuse, "v_rating": volts}, exact={"form": "screw terminal"})  # fmt: skip
