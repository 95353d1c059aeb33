"""What a design feeds: its sockets, and how much each is asked, for how long, by which loads."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field, TypeAdapter, ValidationError, ValidationInfo, field_validator, model_validator

from rhombos.core.design.sources import Section
from rhombos.core.units.quantities import Hertz, Metre, Percent, Ratio, Second, Volt, Watt, parse, short

AcWave = Literal["sine", "modified", "square"]
Waveform = Literal[AcWave, "DC", "HF"]
"""What a socket gives; HF stands for high-frequency AC, a square wave as a secondary makes it."""
LoadKind = Literal["lamp", "heater", "adapter", "instrument", "fan", "compressor", "rectifier"]
CRESTED: tuple[LoadKind, ...] = ("adapter", "rectifier")
"""Loads that draw their current in short pulses at the crest: rectifiers without correction."""
MOST_SURGE, HIGHEST_SURGE = 8.0, 10_000.0
"""Surge over continuous power, as a compressor's start asks it, and the highest power of all, W."""
_WATTS, _VOLTS = TypeAdapter(Watt), TypeAdapter(Volt)


class PowerAsked(Section):
    """How much, and for how long."""

    continuous: Watt = Field(600, ge=20, le=5000, title="Continuous power")
    surge: Watt = Field(1200, ge=20, le=HIGHEST_SURGE, title="Surge power")
    surge_time: Second = Field(5, ge=0, le=60, title="Surge time")
    profile: str = Field("", max_length=300, title="Load profile, as 60 W 4 h, 500 W 20 min")

    @property
    def steps(self) -> tuple[tuple[float, float], ...]:
        """The load profile as powers at the socket, W, each with its time, s."""
        return read_profile(self.profile, self.continuous)

    @field_validator("profile")
    @classmethod
    def _readable(cls, text: str, info: ValidationInfo) -> str:
        read_profile(text, info.data.get("continuous", math.inf))
        return text.strip()

    @model_validator(mode="after")
    def _surge_fits(self) -> Self:
        if not self.continuous <= self.surge <= MOST_SURGE * self.continuous:
            most = min(HIGHEST_SURGE, MOST_SURGE * self.continuous)
            raise ValueError(
                f"surge of {short(self.surge, 'W')} is outside {short(self.continuous, 'W')} to "
                f"{short(most, 'W')} (1 to {MOST_SURGE:.0f} times the continuous power); change either"
            )
        return self


class AcPower(PowerAsked):
    """… and at which power factor."""

    power_factor: Ratio = Field(0.9, ge=0.5, le=1, title="Power factor")


def surge_beside(power: Mapping[str, Any]) -> tuple[dict[str, Any], str]:
    """The power asked as raw input whose continuous power was just changed, its surge moved to the next that fits beside it,
    and what is to be said of that; as it is where nothing need be moved or a value cannot be read."""
    try:
        continuous, surge = (_WATTS.validate_python(power[name]) for name in ("continuous", "surge"))
    except (KeyError, ValidationError):
        return dict(power), ""
    fitting = min(max(surge, continuous), MOST_SURGE * continuous)
    if fitting == surge:
        return dict(power), ""
    return {**power, "surge": fitting}, f"Moved from {short(surge, 'W')} to {short(fitting, 'W')} with the continuous power."


_STEP = re.compile(r"(.+?\S)\s+([\d.]+)\s*(h|min|s)\b")
_HOURS = {"h": 3600.0, "min": 60.0, "s": 1.0}
MOST_STEPS = 24


def read_profile(text: str, most: float) -> tuple[tuple[float, float], ...]:
    """A load profile as people write it: steps between commas, each a power and a time. Raises: ValueError."""
    found: list[tuple[float, float]] = []
    for piece in (p.strip() for p in text.split(",") if p.strip()):
        step = _STEP.fullmatch(piece)
        if step is None:
            raise ValueError(f"‘{piece}’ is not a power and a time; write for example 60 W 4 h, 500 W 20 min")
        watts = parse(step[1], "W")
        seconds = float(step[2]) * _HOURS[step[3]]
        if not 0 <= watts <= most:
            raise ValueError(f"‘{piece}’ asks {short(watts, 'W')}; allowed 0 W to the continuous power, {short(most, 'W')}")
        if not 0 < seconds <= 7 * 86400:
            raise ValueError(f"‘{piece}’ lasts {step[2]} {step[3]}; allowed up to 168 h")
        found.append((watts, seconds))
    if len(found) > MOST_STEPS:
        raise ValueError(f"{len(found)} steps; allowed {MOST_STEPS}: join those that are alike")
    return tuple(found)


DEEPEST = 0.9
"""The deepest dip that counts, share of a small setting, of which what is allowed at the highest is much."""
LoadShare = Annotated[Percent, Field(ge=0, le=1)]
WIDEST_SPAN, NARROWEST_SPAN = 0.1, 0.98
"""The lowest that an output may be adjusted down to, over its highest; and the most, for it to count as adjustable."""
LOWEST_SET = 4.0
"""The lowest setting, V: a comparator with its reference must still tell when the output has gone."""
NOT_TURNED: dict[str, Any] = {"absent": "not adjustable"}


def _between(voltage: float) -> tuple[float, float]:
    """What an output of a voltage may be adjustable down to, V."""
    return max(LOWEST_SET, WIDEST_SPAN * voltage), NARROWEST_SPAN * voltage


def _spanned(down_to: float | None, info: ValidationInfo) -> float | None:
    """Raises: ValueError where an output cannot be adjusted down to what is asked, V."""
    voltage = info.data.get("voltage")
    if down_to is None or voltage is None:
        return down_to
    least, most = _between(voltage)
    if not least <= down_to <= most:
        raise ValueError(
            f"{short(down_to, 'V')} is outside {short(least, 'V')} to {short(most, 'V')} (a tenth of the highest setting, "
            f"{short(voltage, 'V')}, to just below it); change either, or leave it empty"
        )
    return down_to


def span_beside(output: Mapping[str, Any]) -> tuple[dict[str, Any], str]:
    """An output as raw input whose voltage was just changed, the lowest that it is adjustable to moved to the next that fits,
    and what is to be said of that; as it is where nothing need be moved or a value cannot be read."""
    try:
        voltage, down_to = (_VOLTS.validate_python(output[name]) for name in ("voltage", "down_to"))
    except (KeyError, ValidationError):
        return dict(output), ""
    least, most = _between(voltage)
    fitting = min(max(down_to, least), most)
    if fitting == down_to:
        return dict(output), ""
    return {**output, "down_to": fitting}, f"Moved from {short(down_to, 'V')} to {short(fitting, 'V')} with the voltage."


class AcOutput(Section):
    """A socket of one phase, with what it is asked."""

    kind: Literal["AC"] = Field("AC", title="Kind of output")
    voltage: Volt = Field(230, ge=10, le=480, title="Output voltage, RMS")
    down_to: Volt | None = Field(None, ge=LOWEST_SET, le=480, title="Adjustable down to", json_schema_extra=NOT_TURNED)
    frequency: Hertz = Field(50, ge=5, le=440, title="Output frequency")
    waveform: AcWave = Field("sine", title="Waveform")
    power: AcPower = Field(default_factory=AcPower, title="Power")
    loads: tuple[LoadKind, ...] = Field(("lamp", "adapter"), max_length=7, title="Intended loads")
    shares: tuple[LoadShare | None, ...] = Field((), max_length=7, title="Share of the power, each load")

    direct: ClassVar = False
    """It alternates."""
    quick: ClassVar = False
    """Whether it alternates too quickly for what is made for mains."""

    @property
    def stepped(self) -> bool:
        """Whether the output is a square or three-level wave rather than a sine."""
        return self.waveform != "sine"

    @property
    def peak(self) -> float:
        """Peak of the voltage as asked, V, a sine's."""
        return math.sqrt(2) * self.voltage

    @property
    def power_factor(self) -> float:
        """At which the power is asked."""
        return self.power.power_factor

    @property
    def described(self) -> str:
        """The socket in a few words."""
        return f"{spanned(self)} {short(self.frequency, 'Hz')} {self.waveform}"

    def turned(self, setting: float) -> Self:
        """The same set to a share of its highest voltage, at the same current."""
        return self.model_copy(update=_turned(self, setting))

    _adjusts = field_validator("down_to")(_spanned)

    @model_validator(mode="after")
    def _shares_fit(self) -> Self:
        if len(self.shares) > len(self.loads):
            raise ValueError(f"{len(self.shares)} shares of the power for {len(self.loads)} loads; give one for each, or fewer")
        given = [s for s in self.shares if s is not None]
        total = sum(given)
        if total > 1 + 1e-6 or (self.loads and len(given) == len(self.loads) and total < 1 - 1e-3):
            raise ValueError(
                f"the loads' shares of the power add up to {short(total, '%')}; they must make 100 %: change one, or leave one "
                "out to take the rest"
            )
        return self

    def share_at(self, place: int) -> float:
        """Share of the continuous power that the load at a place of the list takes: as given, else an equal part of the
        rest."""
        shares = [*self.shares, *[None] * (len(self.loads) - len(self.shares))]
        given = shares[place]
        if given is not None:
            return given
        return max(0.0, 1 - sum(s for s in shares if s is not None)) / sum(s is None for s in shares)

    @property
    def crest_power(self) -> float:
        """Power of the loads that draw theirs at the crest, W."""
        return self.power.continuous * sum(self.share_at(n) for n, load in enumerate(self.loads) if load in CRESTED)


class DcOutput(Section):
    """A socket at the link's own voltage, with what it is asked: a resistance, or whatever takes a steady current."""

    kind: Literal["DC"] = Field("DC", title="Kind of output")
    voltage: Volt = Field(340, ge=12, le=1500, title="Output voltage, DC")
    down_to: Volt | None = Field(None, ge=LOWEST_SET, le=1500, title="Adjustable down to", json_schema_extra=NOT_TURNED)
    ripple: Percent = Field(0.01, ge=0.0005, le=0.1, title="Ripple, peak to peak")
    dip: Percent = Field(0.05, ge=0.005, le=0.2, title="Dip at a step from nothing to full power")
    power: PowerAsked = Field(default_factory=PowerAsked, title="Power")

    direct: ClassVar = True
    quick: ClassVar = False
    waveform: ClassVar[Waveform] = "DC"
    stepped: ClassVar = False
    frequency: ClassVar = 0.0
    """It does not alternate, Hz."""
    power_factor: ClassVar = 1.0
    loads: ClassVar[tuple[LoadKind, ...]] = ()
    """Kinds of load that mind a waveform: none do."""
    crest_power: ClassVar = 0.0

    @property
    def peak(self) -> float:
        """The voltage itself, V."""
        return self.voltage

    @property
    def lowest(self) -> float:
        """What it may fall to at a step of its load, V."""
        return self.voltage * (1 - self.dip)

    @property
    def described(self) -> str:
        """The socket in a few words."""
        return f"{spanned(self)} DC"

    def turned(self, setting: float) -> Self:
        """The same set to a share of its highest voltage, at the same current; ripple and dip stay what they are of the
        highest."""
        kept = {"ripple": self.ripple / setting, "dip": min(DEEPEST, self.dip / setting)}
        return self.model_copy(update=_turned(self, setting) | kept)

    _adjusts = field_validator("down_to")(_spanned)


class HfOutput(Section):
    """A high-frequency socket straight from a secondary, alone or beside another: a square wave at the stage's own
    frequency."""

    kind: Literal["HF"] = Field("HF", title="Kind of output")
    voltage: Volt = Field(230, ge=10, le=1000, title="Output voltage, RMS")
    frequency: Hertz = Field(50e3, ge=5e3, le=150e3, title="Output frequency")
    cord: Metre = Field(2, ge=0.1, le=20, title="Cord to the load")
    power: PowerAsked = Field(default_factory=lambda: PowerAsked(continuous=100, surge=120), title="Power")
    loads: tuple[LoadKind, ...] = Field(("heater",), max_length=7, title="Intended loads")

    waveform: ClassVar[Waveform] = "HF"
    down_to: ClassVar = None
    """The stage runs at a fixed duty: nothing turns it."""
    direct: ClassVar = False
    quick: ClassVar = True
    stepped: ClassVar = True
    power_factor: ClassVar = 1.0
    """Its loads are resistances; what lags is their cord."""
    crest_power: ClassVar = 0.0

    @property
    def peak(self) -> float:
        """Its peak, V, while the stage leaves no gap between its pulses."""
        return self.voltage

    @property
    def described(self) -> str:
        """The socket in a few words."""
        return f"{short(self.voltage, 'V')} {short(self.frequency, 'Hz')} high frequency"

    def turned(self, setting: float) -> Self:
        """The same: there is but one setting."""
        return self


class SteadyPower(Section):
    """How much, for as long as the source is on: nothing there starts hard."""

    continuous: Watt = Field(10, ge=1, le=200, title="Continuous power")

    surge_time: ClassVar = 0.0

    @property
    def surge(self) -> float:
        """No more than at any time, W."""
        return self.continuous


LOWEST_AUXILIARY, HIGHEST_CURRENT = 3.3, 20.0
"""Of an auxiliary output: the lowest voltage, V, and what a diode and one choke may carry, A."""


class AuxiliaryOutput(Section):
    """A low direct voltage beside the main output, made of the source by a step-down converter of its own: for fans, relays,
    lamps, a computer. Nothing isolates it from the source."""

    kind: Literal["auxiliary DC"] = Field("auxiliary DC", title="Kind of output")
    voltage: Volt = Field(5, ge=LOWEST_AUXILIARY, le=60, title="Output voltage, DC")
    ripple: Percent = Field(0.01, ge=0.002, le=0.1, title="Ripple, peak to peak")
    power: SteadyPower = Field(default_factory=SteadyPower, title="Power")

    waveform: ClassVar[Waveform] = "DC"
    down_to: ClassVar = None
    direct: ClassVar = True
    quick: ClassVar = False

    @property
    def peak(self) -> float:
        """The voltage itself, V."""
        return self.voltage

    @property
    def described(self) -> str:
        """The output in a few words."""
        return f"{short(self.voltage, 'V')} DC auxiliary"

    @model_validator(mode="after")
    def _carried(self) -> Self:
        amps = self.power.continuous / self.voltage
        if amps > HIGHEST_CURRENT * (1 + 1e-9):
            most = HIGHEST_CURRENT * self.voltage
            raise ValueError(
                f"{short(self.power.continuous, 'W')} at {short(self.voltage, 'V')} are {short(amps, 'A')}; allowed up to "
                f"{short(HIGHEST_CURRENT, 'A')}, here {short(most, 'W')}: ask less power or a higher voltage"
            )
        return self


def spanned(output: AcOutput | DcOutput | HfOutput) -> str:
    """Its voltage in words, from the lowest setting to the highest where there is a span."""
    highest = short(output.voltage, "V")
    return highest if output.down_to is None else f"{short(output.down_to, 'V')} to {highest}"


def _turned(output: AcOutput | DcOutput, setting: float) -> dict[str, Any]:
    """What changes of an output that is set to a share of its highest voltage and gives the same current."""
    power = output.power
    less = {"continuous": setting * power.continuous, "surge": setting * power.surge}
    return {"voltage": setting * output.voltage, "down_to": None, "power": power.model_copy(update=less)}


Output = Annotated[AcOutput | DcOutput | HfOutput | AuxiliaryOutput, Field(discriminator="kind")]
OUTPUTS = ("AC", "DC", "HF")
"""Kinds that may stand alone, or first."""
BESIDE = ("HF",)
"""Kinds that may stand beside an AC or a DC output, from the same secondary."""
AUXILIARY = ("auxiliary DC",)
"""Kinds that may stand beside any, made of the source."""
