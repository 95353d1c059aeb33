"""What feeds a design: a battery or a DC rail, each with its leads, or one phase of the mains."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from rhombos.core.units.quantities import (
    Ampere,
    AmpereHour,
    Celsius,
    Count,
    Farad,
    Henry,
    Hertz,
    Metre,
    Ohm,
    Second,
    Volt,
    short,
)

Chemistry = Literal["LiFePO4", "Li-ion", "lead-acid"]

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

LOWEST_NOMINAL, HIGHEST_NOMINAL = 6.0, 400.0


class Section(BaseModel):
    """A part of a brief: what stands in it stays, and nothing else may."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class BatterySource(Section):
    """The battery and its cable."""

    kind: Literal["battery"] = Field("battery", title="Kind of source")
    chemistry: Chemistry = Field("LiFePO4", title="Chemistry")
    cells: Count = Field(8, ge=2, le=200, title="Cells in series")
    capacity: AmpereHour = Field(100 * 3600, ge=3600, le=5000 * 3600, title="Capacity")
    resistance: Ohm | None = Field(None, ge=1e-5, le=5, title="Internal resistance")
    fresh_resistance: Ohm | None = Field(None, ge=1e-5, le=5, title="Internal resistance, fresh and warm")
    coldest: Celsius = Field(5, ge=-40, le=40, title="Coldest battery")
    cable_length: Metre = Field(1.0, ge=0.05, le=30, title="Cable length, one way")
    ripple_limit: Ampere | None = Field(
        None, ge=1e-6, le=100, title="Maximum ripple current, RMS", json_schema_extra={"absent": "not asked"}
    )

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
    def name(self) -> str:
        """What feeds it, in a word."""
        return self.chemistry

    @property
    def stated(self) -> float:
        """The voltage by which it is called, V."""
        return self.volts[1]

    @property
    def described(self) -> str:
        """The pack in a few words."""
        return f"{self.cells} × {self.chemistry}"

    @property
    def most_current(self) -> float:
        """What limits its current, A: nothing does."""
        return math.inf

    @property
    def blocking(self) -> float | None:
        """What stands at the terminals of a source that takes no current back, F; a battery takes it."""
        return None

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
                f"{self.cells} {self.chemistry} cells make {short(nominal, 'V')}, allowed {short(LOWEST_NOMINAL, 'V')} to "
                f"{short(HIGHEST_NOMINAL, 'V')}; use {fewest} to {most} cells"
            )
        return self


class FromDesign(Section):
    """The design whose DC socket a rail is, as it was at a revision."""

    design: str = Field(min_length=1, max_length=64, title="Design")
    revision: int = Field(ge=1, le=2**31 - 1, title="Revision")
    name: str = Field(max_length=200, title="Its name then")


class Levelled(Section):
    """A source known by its lowest, nominal and highest voltage and one resistance."""

    if TYPE_CHECKING:
        lowest: float
        nominal: float
        highest: float
        resistance: float

    @property
    def internal_resistance(self) -> float:
        """All of it up to its terminals, Ω."""
        return self.resistance

    @property
    def lowest_resistance(self) -> float:
        """What a short circuit meets: the same, Ω; a limit takes its time to act."""
        return self.resistance

    @property
    def stated(self) -> float:
        """The voltage by which it is called, V."""
        return self.nominal

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.lowest <= self.nominal <= self.highest:
            raise ValueError(
                f"{short(self.lowest, 'V')}, {short(self.nominal, 'V')} and {short(self.highest, 'V')} are not in the order of "
                "lowest, nominal and highest voltage: lowest ≤ nominal ≤ highest; change one"
            )
        return self


class RailSource(Levelled):
    """A DC rail or bench supply: constant voltage up to its current limit, constant current beyond. `of` says that it is
    another design's socket, from which its figures were taken."""

    kind: Literal["DC rail"] = Field("DC rail", title="Kind of source")
    nominal: Volt = Field(24, ge=10, le=1000, title="Nominal voltage")
    lowest: Volt = Field(22.8, ge=8, le=1000, title="Lowest voltage")
    highest: Volt = Field(25.2, ge=8, le=1000, title="Highest voltage")
    limit: Ampere = Field(75, ge=0.5, le=1000, title="Current limit")
    resistance: Ohm = Field(5e-3, ge=1e-5, le=50, title="Output resistance")
    capacitance: Farad = Field(1e-3, ge=1e-6, le=1, title="Output capacitor")
    of: FromDesign | None = Field(None, title="From a design")
    cable_length: Metre = Field(1.0, ge=0.05, le=30, title="Cable length, one way")
    ripple_limit: Ampere | None = Field(
        None, ge=1e-6, le=100, title="Maximum ripple current, RMS", json_schema_extra={"absent": "not asked"}
    )

    @property
    def volts(self) -> tuple[float, float, float]:
        """Lowest, nominal and highest voltage, V."""
        return self.lowest, self.nominal, self.highest

    @property
    def name(self) -> str:
        """What feeds it, in a word."""
        return f"rail of {self.of.name}" if self.of else "rail"

    @property
    def described(self) -> str:
        """The rail in a few words."""
        return f"rail of {short(self.nominal, 'V')}"

    @property
    def most_current(self) -> float:
        """What it is limited to, A."""
        return self.limit

    @property
    def blocking(self) -> float | None:
        """What stands at its terminals, F: it takes no current back."""
        return self.capacitance


class OnePhase(Levelled):
    """One phase of the mains up to the socket, and how long a unit on it lasts without."""

    lowest: Volt = Field(207, ge=60, le=300, title="Lowest mains, RMS")
    nominal: Volt = Field(230, ge=85, le=277, title="Nominal mains, RMS")
    highest: Volt = Field(253, ge=85, le=320, title="Highest mains, RMS")
    frequency: Hertz = Field(50, ge=45, le=440, title="Mains frequency")
    resistance: Ohm = Field(0.4, ge=0.01, le=50, title="Resistance of the mains, loop")
    inductance: Henry = Field(0.8e-3, ge=0, le=0.05, title="Inductance of the mains, loop")
    hold_up: Second = Field(10e-3, ge=0, le=1, title="Hold-up time without mains")


class MainsSource(OnePhase):
    """One-phase mains: what it leaves behind a rectifier and a bank feeds the unit."""

    kind: Literal["mains"] = Field("mains", title="Kind of source")

    @property
    def volts(self) -> tuple[float, float, float]:
        """Crest of the lowest, nominal and highest mains, V: what a bank without a load stands at."""
        low, nominal, high = (math.sqrt(2) * v for v in (self.lowest, self.nominal, self.highest))
        return low, nominal, high

    @property
    def name(self) -> str:
        """What feeds it, in a word."""
        return "mains"

    @property
    def described(self) -> str:
        """The mains in a few words."""
        return f"mains of {short(self.nominal, 'V')} {short(self.frequency, 'Hz')}"

    @property
    def most_current(self) -> float:
        """What limits its current, A: a breaker, after a while; nothing at once."""
        return math.inf

    @property
    def blocking(self) -> float | None:
        """What stands at its terminals, F: it takes nothing back through a rectifier, whose bank is no part of it."""
        return 0.0


DirectSource = BatterySource | RailSource
Source = Annotated[BatterySource | RailSource | MainsSource, Field(discriminator="kind")]
KINDS = ("battery", "DC rail", "mains")
