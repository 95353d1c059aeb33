"""The brief: what is asked of the inverter, and where it will live."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    TypeAdapter,
    ValidationError,
    ValidationInfo,
    field_validator,
    model_validator,
)

from rhombos.core.parts.origin import Origin
from rhombos.core.units import AmpereHour, Celsius, Hertz, Metre, Ohm, Percent, Ratio, Second, Volt, Watt, parse, short

Chemistry = Literal["LiFePO4", "Li-ion", "lead-acid"]
Waveform = Literal["sine", "modified", "square"]
LoadKind = Literal["lamp", "heater", "adapter", "instrument", "fan", "compressor", "rectifier"]

CELL_VOLTS: dict[Chemistry, tuple[float, float, float]] = {
    "LiFePO4": (2.8, 3.2, 3.65),
    "Li-ion": (3.0, 3.7, 4.2),
    "lead-acid": (1.75, 2.0, 2.45),
}
"""Volts of one cell: empty cut-off, nominal, full or charging."""

CELL_OHM_AH: dict[Chemistry, float] = {"LiFePO4": 0.15, "Li-ion": 0.10, "lead-acid": 0.20}
"""Typical internal resistance of one cell times its capacity, Ω·Ah, at 25 °C; measure the real pack and enter it."""

FRESH: dict[Chemistry, float] = {"LiFePO4": 0.3, "Li-ion": 0.4, "lead-acid": 0.5}
"""Resistance of a fresh, warm, full cell over that of a used one: what a short circuit meets."""

PEUKERT: dict[Chemistry, tuple[float, float]] = {
    "LiFePO4": (1.0, 3600.0),
    "Li-ion": (1.0, 3600.0),
    "lead-acid": (1.2, 20 * 3600.0),
}
"""Exponent, and the time of discharge for which the capacity is stated, s."""

COLD_B: dict[Chemistry, float] = {"LiFePO4": 3000.0, "Li-ion": 2600.0, "lead-acid": 1100.0}
"""How a cell's resistance grows in the cold, K, as the B of a thermistor: 2.5, 2.2 and 1.4 times at 0 °C."""

RESTING: dict[Chemistry, tuple[float, ...]] = {
    "LiFePO4": (3.00, 3.22, 3.28, 3.30, 3.33, 3.40),
    "Li-ion": (3.30, 3.63, 3.75, 3.86, 4.02, 4.18),
    "lead-acid": (1.93, 1.97, 2.01, 2.05, 2.09, 2.12),
}
"""Volts of a rested cell at 25 °C, empty to full in fifths: typical; measure the real cells."""

LOWEST_NOMINAL, HIGHEST_NOMINAL = 9.5, 60.5


class _Section(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class BatterySource(_Section):
    """The battery and its cable."""

    chemistry: Chemistry = Field("LiFePO4", title="Chemistry")
    cells: int = Field(8, ge=3, le=30, title="Cells in series")
    capacity: AmpereHour = Field(100 * 3600, ge=3600, le=5000 * 3600, title="Capacity")
    resistance: Ohm | None = Field(None, ge=1e-5, le=5, title="Internal resistance")
    fresh_resistance: Ohm | None = Field(None, ge=1e-5, le=5, title="Internal resistance, fresh and warm")
    coldest: Celsius = Field(5, ge=-40, le=40, title="Coldest battery")
    cable_length: Metre = Field(1.0, ge=0.05, le=30, title="Cable length, one way")

    @property
    def volts(self) -> tuple[float, float, float]:
        """Empty, nominal and full (charging) voltage of the pack, V."""
        empty, nominal, full = CELL_VOLTS[self.chemistry]
        return self.cells * empty, self.cells * nominal, self.cells * full

    @property
    def internal_resistance(self) -> float:
        """As entered, or typical for the chemistry and capacity, Ω."""
        if self.resistance is not None:
            return self.resistance
        return self.cells * CELL_OHM_AH[self.chemistry] / (self.capacity / 3600)

    @property
    def lowest_resistance(self) -> float:
        """What a short circuit meets: as entered, or typical of fresh and warm cells, Ω."""
        return self.fresh_resistance or FRESH[self.chemistry] * self.internal_resistance

    @model_validator(mode="after")
    def _fresh_is_lower(self) -> Self:
        if self.fresh_resistance is not None and self.fresh_resistance > self.internal_resistance:
            raise ValueError(
                f"internal resistance, fresh and warm, of {short(self.fresh_resistance, 'ohm')} is above the used battery's "
                f"{short(self.internal_resistance, 'ohm')}; a fresh battery has less"
            )
        return self

    @model_validator(mode="after")
    def _within_reach(self) -> Self:
        nominal = self.volts[1]
        if not LOWEST_NOMINAL <= nominal <= HIGHEST_NOMINAL:
            per_cell = CELL_VOLTS[self.chemistry][1]
            fewest = math.ceil(LOWEST_NOMINAL / per_cell)
            most = math.floor(HIGHEST_NOMINAL / per_cell)
            raise ValueError(
                f"{self.cells} {self.chemistry} cells make {short(nominal, 'V')}, allowed 10 V to 60 V; "
                f"use {fewest} to {most} cells"
            )
        return self


class AcOutput(_Section):
    """The socket."""

    voltage: Volt = Field(230, ge=100, le=240, title="Output voltage, RMS")
    frequency: Hertz = Field(50, ge=45, le=65, title="Output frequency")
    waveform: Waveform = Field("sine", title="Waveform")

    @property
    def stepped(self) -> bool:
        """Whether the output is a square or three-level wave rather than a sine."""
        return self.waveform != "sine"


MOST_SURGE, HIGHEST_SURGE = 8.0, 9000.0
"""Surge over continuous power, as a compressor's start asks it, and the highest power of all, W."""
_WATTS = TypeAdapter(Watt)


class PowerAsked(_Section):
    """How much, for how long, at which power factor."""

    continuous: Watt = Field(600, ge=50, le=3000, title="Continuous power")
    surge: Watt = Field(1200, ge=50, le=HIGHEST_SURGE, title="Surge power")
    surge_time: Second = Field(5, ge=0, le=60, title="Surge time")
    power_factor: Ratio = Field(0.9, ge=0.5, le=1, title="Power factor")
    profile: str = Field("", max_length=300, title="A day's use, as 60 W 4 h, 500 W 20 min")

    @property
    def steps(self) -> tuple[tuple[float, float], ...]:
        """The day's use as powers at the socket, W, each with its time, s."""
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


def followed(brief: Any, edited: str) -> tuple[Any, str]:
    """A raw brief of which one entry was just changed: what must fit beside that follows it, and is told."""
    if edited == "power.continuous" and isinstance(brief, dict) and isinstance(brief.get("power"), dict):
        power, told = surge_beside(brief["power"])
        return brief | {"power": power}, told
    return brief, ""


_STEP = re.compile(r"(.+?\S)\s+([\d.]+)\s*(h|min|s)\b")
_HOURS = {"h": 3600.0, "min": 60.0, "s": 1.0}
MOST_STEPS = 24


def read_profile(text: str, most: float) -> tuple[tuple[float, float], ...]:
    """A day's use as people write it: steps between commas, each a power and a time. Raises: ValueError."""
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


class Targets(_Section):
    """What the designer hopes for; a miss is a finding, not an error."""

    efficiency: Percent = Field(0.88, ge=0.3, le=0.99, title="Efficiency at full power")
    distortion: Percent = Field(0.05, ge=0.002, le=0.5, title="Output distortion")
    idle: Watt = Field(15, ge=0.5, le=200, title="No-load draw")
    ambient: Celsius = Field(30, ge=-30, le=60, title="Maximum ambient")
    switches: Origin = Field("verified", title="Origin of the switches")


CRESTED: tuple[LoadKind, ...] = ("adapter", "rectifier")
"""Loads that draw their current in short pulses at the crest: rectifiers without correction."""


LoadShare = Annotated[Percent, Field(ge=0, le=1)]


class Brief(_Section):
    """Everything that is asked. Bad values are refused with the allowed range."""

    source: BatterySource = Field(default_factory=BatterySource)
    output: AcOutput = Field(default_factory=AcOutput)
    power: PowerAsked = Field(default_factory=PowerAsked)
    loads: tuple[LoadKind, ...] = Field(("lamp", "adapter"), max_length=7, title="Intended loads")
    shares: tuple[LoadShare | None, ...] = Field((), max_length=7, title="Share of the power, each load")
    targets: Targets = Field(default_factory=Targets)

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
