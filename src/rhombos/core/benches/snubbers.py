"""Snubbers and clamps from what can be measured: ring damper, turn-off snubber, clamp, peak detector."""

from __future__ import annotations

from typing import Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from rhombos.core.book import clamp as book
from rhombos.core.units.preferred import E12, at_least, nearest
from rhombos.core.units.quantities import Ampere, Farad, Henry, Hertz, Ohm, Second, Volt, fmt


class _Asked(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Fitting(BaseModel):
    """What to fit, line by line, and what to know about it."""

    model_config = ConfigDict(frozen=True)

    lines: tuple[str, ...]
    remark: str


class Ring(_Asked):
    """A ring seen on the oscilloscope, bare and again with a known capacitor added across the switch."""

    bare: Hertz = Field(ge=1e4, le=1e9, title="Ring frequency, bare")
    added: Farad = Field(ge=1e-12, le=1e-6, title="Capacitor added")
    slowed: Hertz = Field(ge=1e4, le=1e9, title="Ring frequency with it")
    volts: Volt = Field(ge=1, le=2000, title="Voltage swung")
    frequency: Hertz = Field(ge=10, le=1e6, title="Switching frequency")

    @model_validator(mode="after")
    def _slower(self) -> Self:
        if self.slowed >= 0.98 * self.bare:
            raise ValueError(
                f"the added capacitor must slow the ring: {fmt(self.slowed, 'Hz')} is not below {fmt(self.bare, 'Hz')}; add a "
                "larger one, or exchange the two readings"
            )
        return self


def damper(asked: Ring) -> Fitting:
    """Leakage and stray capacitance from the two frequencies, and the RC damper that they call for."""
    stray = float(book.ring_capacitance(C_d=asked.added, f=asked.bare, f_0=asked.slowed))
    leak = float(book.ring_inductance(C_par=stray, f=asked.bare))
    resistor = nearest(float(book.damper_resistor(L_lk=leak, C_par=stray)), E12)
    capacitor = at_least(3 * stray, E12)
    burnt = float(book.damper_power(C_d=capacitor, V=asked.volts, f=asked.frequency))
    return Fitting(
        lines=(
            f"stray capacitance {fmt(stray, 'F')}",
            f"stray inductance {fmt(leak, 'H')}",
            f"damper {fmt(resistor, 'ohm')} + {fmt(capacitor, 'F')}",
            f"burns {fmt(burnt, 'W')}",
        ),
        remark="R is the ring's own impedance, the capacitor three to four times the stray one. It damps the ring; it does not "
        "limit the peak of the first swing: that is a clamp's work.",
    )


class TurnOff(_Asked):
    """A switch that turns off a current into a voltage."""

    current: Ampere = Field(ge=0.01, le=1000, title="Current turned off")
    fall: Second = Field(ge=1e-9, le=1e-4, title="Fall time")
    volts: Volt = Field(ge=1, le=2000, title="Voltage it rises to")
    frequency: Hertz = Field(ge=10, le=1e6, title="Switching frequency")
    shortest: Second = Field(ge=1e-8, le=0.1, title="Shortest on-time")
    most: Ampere = Field(ge=0.01, le=5000, title="Peak current of the switch")

    @model_validator(mode="after")
    def _room(self) -> Self:
        if self.most <= self.current:
            raise ValueError(
                f"the switch's peak of {fmt(self.most, 'A')} must exceed the {fmt(self.current, 'A')} it carries: at turn-on "
                "the capacitor's discharge comes on top; enter the peak rating, or choose a stronger switch"
            )
        return self


def turn_off(asked: TurnOff) -> Fitting:
    """The dissipative turn-off snubber: capacitor, resistor between its two bounds, and what it burns."""
    capacitor = at_least(float(book.turn_off_snubber(I=asked.current, t_f=asked.fall, V=asked.volts)), E12)
    least = float(book.turn_off_least(V=asked.volts, I_pk=asked.most, I=asked.current))
    most = float(book.turn_off_most(t=asked.shortest, C=capacitor))
    burnt = float(book.turn_off_snubber_loss(C=capacitor, V=asked.volts, f=asked.frequency))
    if least > most:
        return Fitting(
            lines=(
                f"capacitor {fmt(capacitor, 'F')}",
                f"no resistor fits: {fmt(least, 'ohm')} at least, {fmt(most, 'ohm')} at most",
            ),
            remark="It must discharge within a third of the shortest on-time, yet not load the switch beyond its peak: a "
            "smaller capacitor helps less but fits, or a stronger switch.",
        )
    resistor = nearest((least * most) ** 0.5, E12)
    return Fitting(
        lines=(f"capacitor {fmt(capacitor, 'F')}", f"resistor {fmt(resistor, 'ohm')}", f"burns {fmt(burnt, 'W')}"),
        remark=f"The resistor may be {fmt(least, 'ohm')} to {fmt(most, 'ohm')}: peak current at turn-on below, discharge "
        "within the shortest on-time above. A diode across it lets the capacitor fill at turn-off.",
    )


class Clamped(_Asked):
    """A leakage whose current a clamp takes at turn-off."""

    leakage: Henry = Field(ge=1e-10, le=1e-2, title="Leakage inductance")
    current: Ampere = Field(ge=0.01, le=1000, title="Current turned off")
    frequency: Hertz = Field(ge=10, le=1e6, title="Turn-offs a second")
    reflected: Volt = Field(ge=0, le=2000, title="Voltage it would rest at, from the rail")
    level: Volt = Field(ge=1, le=2000, title="Clamp level, from the rail")
    ripple: Volt = Field(ge=0.1, le=500, title="Ripple allowed on it")

    @model_validator(mode="after")
    def _above(self) -> Self:
        if self.level <= self.reflected * 1.02:
            raise ValueError(
                f"a clamp at {fmt(self.level, 'V')} never rests: it must stand above the {fmt(self.reflected, 'V')} that is "
                "there anyway; raise the level"
            )
        return self


def clamp(asked: Clamped) -> Fitting:
    """The RCD clamp, with both energies: what the leakage holds and what the clamp really burns."""
    alone = float(book.leakage_power(L_lk=asked.leakage, I=asked.current, f=asked.frequency))
    burnt = float(
        book.clamp_power(L_lk=asked.leakage, I=asked.current, f=asked.frequency, V_c=asked.level, V_r=asked.reflected)
    )
    resistor = float(book.clamp_resistor(V_c=asked.level, P=burnt))
    capacitor = at_least(float(book.clamp_capacitor(V_c=asked.level, dV=asked.ripple, R=resistor, f=asked.frequency)), E12)
    return Fitting(
        lines=(
            f"burns {fmt(burnt, 'W')}, the leakage alone {fmt(alone, 'W')}",
            f"resistor {fmt(nearest(resistor, E12), 'ohm')}",
            f"capacitor {fmt(capacitor, 'F')} or more",
        ),
        remark="While the leakage empties, the winding feeds the clamp too: counting the leakage's energy alone is the classic "
        "error. A bridge's own diodes return it to the rail and burn none of this.",
    )


class Peak(_Asked):
    """A peak detector that holds and follows."""

    resistor: Ohm = Field(ge=10, le=1e9, title="Discharge resistor")
    capacitor: Farad = Field(ge=1e-12, le=1e-2, title="Capacitor")
    frequency: Hertz = Field(ge=1, le=1e6, title="Frequency of the peaks")
    fall: Volt = Field(ge=0.01, le=2000, title="Step down that it must follow")
    peak: Volt = Field(ge=0.1, le=2000, title="Peak held")

    @model_validator(mode="after")
    def _falls(self) -> Self:
        if self.fall >= self.peak:
            raise ValueError(f"a peak of {fmt(self.peak, 'V')} cannot step down by {fmt(self.fall, 'V')}; give a smaller step")
        return self


def peak_detector(asked: Peak) -> Fitting:
    """Ripple while holding against the time to follow a step down: one time constant decides both."""
    tau = float(book.peak_constant(R=asked.resistor, C=asked.capacitor))
    ripple = float(book.peak_ripple(V_pk=asked.peak, f=asked.frequency, tau=tau))
    follow = float(book.peak_follow(tau=tau, V_pk=asked.peak, V=asked.peak - asked.fall))
    return Fitting(
        lines=(f"time constant {fmt(tau, 's')}", f"ripple {fmt(ripple, 'V')}", f"follows the step in {fmt(follow, 's')}"),
        remark="A longer constant holds stiller and follows later. With a resistor before it, a high one spares the detector "
        "and a low one divides less.",
    )
