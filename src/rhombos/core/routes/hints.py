"""What a round of proposals for a link route starts from, read from the pins and the brief or learnt from the last round."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rhombos.core.blocks import h_bridge
from rhombos.core.brief import Brief
from rhombos.core.pulsation import Pulsation
from rhombos.core.topology import RECTIFIERS, Rectifying


@dataclass(frozen=True)
class Hints:
    """What proposals need to know of the rest before it is assessed; refined from the states of the last round."""

    filter_peak: float
    apparent: float
    bridge_peak: float
    path_resistance: float
    link_high: float
    climb: float
    feed_ripple: float
    form: float
    charging_resistance: float
    modulation: float
    dead_time_volts: float
    link_current: float
    surge_link_current: float
    v_in: dict[str, float]
    pulse: dict[str, float]
    turn_off: dict[str, float]
    swing: dict[str, Pulsation]
    duty: dict[str, float]
    drop: float
    secondary_extra: float
    leak_duty: float
    battery_current: float
    bridge_drop: float


def fraction_of(brief: Brief, pins: Mapping[str, Mapping[str, Any]]) -> float:
    """Share of the time that the output is not zero."""
    if brief.output.waveform == "modified":
        return float(pins.get("h_bridge", {}).get("fraction", h_bridge.FRACTIONS["modified"]))
    return h_bridge.FRACTIONS[brief.output.waveform]


def rectifying_of(pins: Mapping[str, Mapping[str, Any]]) -> Rectifying:
    """The rectifier that is pinned, or the bridge."""
    return RECTIFIERS[pins.get("rectifier", {}).get("circuit", "bridge")]


def secondary_pulse(how: Rectifying, hints: Hints) -> float:
    """Current of the secondary while power flows, on a flat battery, that heats it alike, A."""
    pulsating = hints.link_current * hints.swing["flat"].rms
    return pulsating if how.choke else how.gain * pulsating / (2 * max(hints.duty["flat"], 1e-3))
