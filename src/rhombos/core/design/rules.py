"""House rules: how much is kept in reserve. Three named sets; every limit the findings quote comes from here."""

from __future__ import annotations

from typing import Any, Literal, get_type_hints

from pydantic import BaseModel, ConfigDict, Field, create_model

from rhombos.core.design.pins import Fields
from rhombos.core.units.quantities import (
    Celsius,
    CurrentDensity,
    Henry,
    KelvinPerWatt,
    Millimetre,
    Number,
    Ohm,
    Ratio,
    Second,
    Tesla,
    Volt,
    Watt,
)

RuleName = Literal["cautious", "usual", "frugal"]
IDLE_WEIGHT = 6.0
"""How many watts at full load each watt without a load beyond the brief's target counts for."""
ROOM, HOT = 40.0, ("junction_limit", "winding_limit")
"""From where a limit of temperature is counted, °C; limits of temperature."""
SHARES = (
    "sink_rise", "current_density", "ferrite_peak", "choke_peak", "duty_limit", "modulation_limit", "link_ripple",
    "choke_ripple", "filter_ripple", "cable_drop", "bank_rise", "recovery_share",
)  # fmt: skip
"""Limits of which less is used up when more is kept in reserve."""


class Rules(BaseModel):
    """Margins are part of the rating kept as margin: required rating = stress / (1 − margin)."""

    model_config = ConfigDict(frozen=True)

    name: RuleName = "usual"
    why: str = "What a careful builder fits at home: parts that last, at a fair price."
    switch_voltage_margin: Ratio = 0.20
    bridge_voltage_margin: Ratio = 0.25
    diode_voltage_margin: Ratio = 0.25
    diode_current_margin: Ratio = 0.40
    switch_current_margin: Ratio = 0.50
    input_capacitor_margin: Ratio = 0.20
    link_capacitor_margin: Ratio = 0.15
    ripple_current_margin: Ratio = 0.20
    resistor_margin: Ratio = Field(0.50, description="of a power resistor's rating")
    junction_limit: Celsius = 120
    winding_limit: Celsius = 110
    enclosure_rise: Celsius = Field(10, description="air inside the case above the room")
    sink_rise: Celsius = Field(40, description="heat-sink above the air inside")
    pad_resistance: KelvinPerWatt = Field(0.6, description="insulating pad under one device")
    sharing_imbalance: Ratio = 0.15
    current_density: CurrentDensity = 4.5e6
    window_fill: Ratio = 0.32
    ferrite_peak: Tesla = Field(0.26, description="transient peak, hot")
    choke_peak: Tesla = Field(0.28, description="at peak current, hot")
    link_tolerance: Ratio = Field(0.02, description="of the regulated link voltage")
    duty_limit: Ratio = Field(0.45, description="of one switch")
    modulation_limit: Ratio = 0.95
    link_ripple: Ratio = Field(0.04, description="peak to peak over the mean")
    choke_ripple: Ratio = Field(0.30, description="peak to peak over the mean, highest input")
    filter_ripple: Ratio = Field(0.35, description="peak to peak over the peak of the line current")
    filter_capacitor_share: Ratio = Field(0.08, description="capacitor current over rated current")
    recovery_share: Ratio = Field(0.015, description="recovery time over the switching period")
    cable_drop: Ratio = 0.03
    cable_bundling: Ratio = Field(1.0, description="what bundling leaves of a cable's ampacity")
    cable_insulation: Celsius = Field(70, description="continuous temperature limit of the insulation")
    bank_rise: Ratio = Field(0.10, description="of the source's voltage, when the leads give up their current at once")
    fuse_factor: Ratio = 1.35
    bleed_time: Second = 60
    safe_voltage: Volt = 60
    gate_drive: Volt = 12
    gate_resistance: Ohm = Field(8.0, description="driver and resistor together, one gate")
    control_power: Watt = Field(1.6, description="controller, driver supply, indicators")
    lead_inductance: Henry = Field(30e-9, description="leads and board loop of one primary half, beside leakage and packages")
    watt_worth: Ratio = Field(0.3, description="relative cost worth paying to save one watt at full load")
    smallest_body: Millimetre = Field(1.6e-3, description="surface-mounted part that one is willing to solder")
    drawer_price: Ratio = Field(0.25, description="share of its price at which a part in the drawer is weighed")
    resistor_tolerance: Ratio = 0.01
    capacitor_tolerance: Ratio = 0.05
    oscillator_tolerance: Ratio = Field(0.08, description="of the controller's own law")
    reference_tolerance: Ratio = 0.015
    zener_tolerance: Ratio = 0.05
    potentiometer_tolerance: Ratio = Field(0.2, description="of the whole track")
    trip_factor: Ratio = Field(1.25, description="current trip over the largest current that is asked")
    phase_margin: Ratio = Field(50, description="minimum, degrees")
    contact_resistance: Ohm = Field(0.0006, description="connectors and terminals, both poles")

    @staticmethod
    def idle_beyond(idle: Number, wanted: float) -> Number:
        """What a draw without a load, W, counts for beside as much at full power, where it is more than is wanted, W: it runs
        day and night. For one draw or for many."""
        return IDLE_WEIGHT * (idle > wanted) * (idle - wanted)

    def stricter(self, share: float) -> Rules:
        """The same house, keeping `share` more of every limit in reserve: what proposals aim at that end just beyond."""
        kept = {"phase_margin": self.phase_margin * (1 + share)}
        kept |= {name: getattr(self, name) + (1 - getattr(self, name)) * share for name in MARGINS}
        kept |= {name: getattr(self, name) - (getattr(self, name) - ROOM) * share for name in HOT}
        return self.model_copy(update=kept | {name: getattr(self, name) * (1 - share) for name in SHARES})


MARGINS = tuple(name for name in Rules.model_fields if name.endswith("_margin") and name != "phase_margin")
"""Shares of a rating that are kept in reserve."""

PRESETS: dict[RuleName, Rules] = {
    "cautious": Rules(
        name="cautious", why="For gear that runs unattended for years.",
        switch_voltage_margin=0.30, bridge_voltage_margin=0.35, diode_voltage_margin=0.35, diode_current_margin=0.5,
        switch_current_margin=0.6, input_capacitor_margin=0.30, link_capacitor_margin=0.20, ripple_current_margin=0.35,
        junction_limit=105, winding_limit=100, sink_rise=32, sharing_imbalance=0.20, current_density=3.5e6,
        window_fill=0.28, ferrite_peak=0.20, choke_peak=0.24, modulation_limit=0.93, link_ripple=0.03,
        choke_ripple=0.25, filter_ripple=0.30, filter_capacitor_share=0.06, recovery_share=0.01, cable_drop=0.02,
        fuse_factor=1.5),
    "usual": Rules(),
    "frugal": Rules(
        name="frugal", why="For a unit that is watched while it runs, with parts of known origin.",
        switch_voltage_margin=0.12, bridge_voltage_margin=0.15, diode_voltage_margin=0.15, diode_current_margin=0.25,
        switch_current_margin=0.35, input_capacitor_margin=0.20, link_capacitor_margin=0.10, ripple_current_margin=0.05,
        junction_limit=135, winding_limit=125, sink_rise=50, sharing_imbalance=0.10, current_density=6e6,
        window_fill=0.38, ferrite_peak=0.30, choke_peak=0.31, modulation_limit=0.97, link_ripple=0.06,
        choke_ripple=0.40, filter_ripple=0.45, filter_capacitor_share=0.10, recovery_share=0.02, cable_drop=0.04,
        fuse_factor=1.25),
}  # fmt: skip

_RANGES: dict[str, tuple[float, float]] = {
    "duty_limit": (0.1, 0.5), "modulation_limit": (0.5, 1.15), "phase_margin": (20, 80), "junction_limit": (60, 175),
    "winding_limit": (60, 180), "enclosure_rise": (0, 60), "sink_rise": (5, 100), "window_fill": (0.05, 0.8),
    "fuse_factor": (1.05, 3), "trip_factor": (1.02, 3), "safe_voltage": (12, 120), "bleed_time": (1, 600),
    "cable_bundling": (0.3, 1), "cable_insulation": (60, 180), "gate_drive": (4, 30), "watt_worth": (0, 10),
    "lead_inductance": (1e-9, 300e-9), "potentiometer_tolerance": (0.01, 0.5), "drawer_price": (0, 1),
    "smallest_body": (0.4e-3, 0.1),
}  # fmt: skip
"""What a house may set each rule to, SI units; shares that are not named here lie between zero and 0.8."""
_PLAIN = ("name", "why")


def _changeable() -> dict[str, Any]:
    fields: Fields = {}
    hints = get_type_hints(Rules, include_extras=True)
    for name, info in Rules.model_fields.items():
        if name in _PLAIN:
            continue
        usual = float(info.default)
        low, high = _RANGES.get(name, (0.0, 0.8) if 0 < usual < 0.8 and "margin" in name else (usual / 5, usual * 5))
        title = name.replace("_", " ").capitalize() + (f" ({info.description})" if info.description else "")
        fields[name] = (hints[name] | None, Field(None, ge=low, le=high, title=title))
    return fields


RuleChanges = create_model(
    "RuleChanges", __config__=ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False), **_changeable()
)
"""Rules of a preset that a house sets otherwise; what is None stays as the preset has it."""


def house_rules(preset: RuleName, changes: Any = None) -> Rules:
    """A preset with what the house sets otherwise."""
    if changes is None or not (given := changes.model_dump(exclude_none=True)):
        return PRESETS[preset]
    return PRESETS[preset].model_copy(update=given)
