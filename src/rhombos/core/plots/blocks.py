"""Which pictures each block shows."""

from __future__ import annotations

from collections.abc import Callable

from rhombos.core.plots import high_side, low_side
from rhombos.core.plots.model import Chart
from rhombos.core.solve import Worked

BY_BLOCK: dict[str, tuple[Callable[[Worked], Chart], ...]] = {
    "battery": (low_side.sag, low_side.power_band),
    "input_stage": (low_side.input_pulses, low_side.bank_ripple),
    "push_pull": (low_side.switch_voltage, low_side.loss_against_frequency),
    "transformer": (low_side.winding_window, low_side.loss_against_turns),
    "rectifier": (high_side.diode_voltage, high_side.choke_current),
    "dc_link": (high_side.link_voltage, high_side.discharge),
    "h_bridge": (high_side.bridge_voltage, high_side.bridge_spectrum),
    "output_filter": (high_side.inductor_current, high_side.filter_gain),
    "load": (high_side.output_voltage, high_side.output_spectrum),
}


def charts(worked: Worked, block: str) -> tuple[Chart, ...]:
    """The pictures of one block. Raises: KeyError for an unknown block."""
    return tuple(draw(worked) for draw in BY_BLOCK[block])
