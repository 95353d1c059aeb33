"""A high-frequency socket on the secondary, beside a rectifier: its part of a pass, and the two currents as one."""

from __future__ import annotations

from dataclasses import dataclass

from rhombos.core.blocks import hf_socket, rectifier
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.hf_socket import HfState
from rhombos.core.blocks.transformer import KEY as TRANSFORMER
from rhombos.core.book import high_frequency as book
from rhombos.core.design.brief import Brief
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.points import Point
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.waves.pulsation import Pulsation
from rhombos.core.waves.stepped import step_flow

MOST_DROPPED = 0.5
"""Share of its voltage that a rectifier's current may drop in a winding, for passes of a design without hope."""


@dataclass(frozen=True, slots=True)
class Tap:
    """A high-frequency socket at a point, its pulses' height known, not yet how long they last; about its current while power
    flows, A."""

    at: hf_socket.Tapped
    ohms: float
    factor: float
    peak: float
    pulse: float

    def settled(self, powered: float, leakage: float, counted: bool, frequency: float, worksheet: Worksheet) -> HfState:
        """What it gets; `leakage` is that of the path as the whole secondary meets it, H."""
        met = leakage * self.at.share**2
        return hf_socket.assess(self.at, self.ohms, self.factor, self.peak, powered, met, counted, frequency, worksheet)


def tapped(
    point: Point, resistance: float, open_volts: float, current: float, builds: Builds, brief: Brief,
    worksheet: Worksheet,
) -> Tap | None:  # fmt: skip
    """The socket on the secondary beside a rectifier's current, A; None where there is none."""
    if brief.beside is None:
        return None
    build, winding = builds[hf_socket.KEY], builds[TRANSFORMER]
    share = min(1.0, build.turns / winding.joined_turns)
    most = MOST_DROPPED * open_volts / max(resistance, 1e-9)
    at = hf_socket.Tapped(share, max(open_volts, 1.0), resistance, min(current, most))
    ohms = hf_socket.load_of(brief.beside, point.beside, worksheet)
    frequency = builds[FRONT_END].frequency
    factor = hf_socket.factor_of(ohms, hf_socket.cord_of(brief.beside) + build.coil, frequency, worksheet)
    peak = hf_socket.pulse_voltage(at, ohms, factor, worksheet)
    return Tap(at, ohms, factor, peak, peak * step_flow(1.0, factor).lag / ohms)


@dataclass(frozen=True, slots=True)
class Joined:
    """What the stage draws for the rectifier and for a socket beside it: how it swings, RMS over mean of its pulses, the pulse
    of the secondary that heats it as much with that form, A; the rectifier's share of it."""

    drawn: Pulsation
    form: float
    secondary: float
    share: float


def joined(
    swing: Pulsation, rectified: rectifier.RectifierState, pulse: float, hf: HfState | None, tap: Tap | None, per_ampere: float,
    halves: int,
) -> Joined:  # fmt: skip
    """The rectifier's pulses, of a form and swinging, and the flat and steady ones of the socket, as one."""
    if hf is None or tap is None or hf.power <= 0:
        return Joined(swing, rectified.form, rectified.winding_pulse, 1.0)
    flat = min(hf.power / per_ampere, 0.999 * pulse)
    shaped = rectified.form * swing.rms
    alike = flat * hf.heats / hf.pulse
    rms = book.joined_rms.work({"I": (pulse - flat) * shaped, "k_tap": 1.0, "I_pulse": pulse - flat, "I_pk": alike})
    share = 1 - flat / pulse
    drawn = swing.beside(share)
    form = max(1.0, rms / (pulse * drawn.rms))
    inner = rectified.winding_pulse
    heats = hf_socket.heating(inner * shaped, inner, hf.heats, tap.at.share, halves)
    return Joined(drawn, form, heats / (form * drawn.rms), share)
