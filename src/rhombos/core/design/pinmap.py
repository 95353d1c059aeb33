"""Which pin stands behind a symbol of a figure's working, so that solving for the symbol can pin it."""

from __future__ import annotations

_SWITCHING = {"f_s": "front_end.frequency"}
_FLUX = {"N": "transformer.primary_turns", **_SWITCHING}
_LINK = {"V_dc": "dc_link.voltage"}

PIN_BEHIND: dict[str, dict[str, str]] = {
    "front_end.oscillator": _SWITCHING,
    "front_end.clamp_loss": {"R": "front_end.clamp_resistor"},
    "front_end.device_peak": {"n_par": "front_end.parallel"},
    "transformer.flux": _FLUX,
    "transformer.worst_flux": _FLUX,
    "transformer.magnetising": _SWITCHING,
    "transformer.leakage": {"N": "transformer.primary_turns"},
    "transformer.leakage_duty": _SWITCHING,
    "rectifier.ripple": {"L": "rectifier.inductance", **_SWITCHING},
    "rectifier.choke_flux": {"N": "rectifier.turns", "L": "rectifier.inductance"},
    "rectifier.damper_loss": {"C_d": "rectifier.damper_capacitor"},
    "dc_link.ripple": _LINK,
    "dc_link.slow_current": _LINK,
    "dc_link.bleeder_power": {"R": "dc_link.bleeder", "V": "dc_link.voltage"},
    "dc_link.stored": {"V": "dc_link.voltage"},
    "dc_link.safe_time": {"R": "dc_link.bleeder"},
    "h_bridge.modulation": _LINK,
    "h_bridge.device_peak": {"n_par": "h_bridge.parallel"},
    "h_bridge.dead_time_loss_volts": {"t_d": "h_bridge.dead_time", "f_c": "h_bridge.carrier"},
    "output_filter.ripple": {"L": "output_filter.inductance", "f_c": "h_bridge.carrier"},
    "output_filter.corner": {"L": "output_filter.inductance"},
    "output_filter.flux": {"N": "output_filter.turns", "L": "output_filter.inductance"},
}
WHOLE = frozenset(
    {
        "transformer.primary_turns",
        "rectifier.turns",
        "output_filter.turns",
        "front_end.parallel",
        "h_bridge.parallel",
    }
)
"""Pins that take whole numbers: a solved value is rounded up."""
