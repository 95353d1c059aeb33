"""What of a stage sits on a heat-sink."""

from __future__ import annotations

from typing import Protocol

from rhombos.core.blocks import h_bridge
from rhombos.core.blocks.cooling import sink_resistance, steady_limit
from rhombos.core.blocks.heat import Cooled
from rhombos.core.blocks.surge import OnSink
from rhombos.core.frame.keys import Key
from rhombos.core.frame.sizing import Sizing


class Hot(Protocol):
    """A state with a junction."""

    @property
    def junction(self) -> float:
        """°C."""
        ...


class Device(Protocol):
    """A part with a junction."""

    @property
    def r_jc(self) -> float:
        """Junction to case, K/W."""
        ...

    @property
    def t_j_max(self) -> float:
        """°C."""
        ...


def cooled(
    at: Sizing, key: Key[OnSink, Hot], name: str, device: Device, losses: tuple[str, ...], tab: tuple[str, ...]
) -> Cooled:
    """A stage's devices at its hottest steady point: what they burn is the sum of `losses`, their tab's peak the highest of
    `tab` over the points."""
    build, rules = at.builds[key], at.rules
    state = max((s.states[key] for s in at.steady), key=lambda x: x.junction)
    loss = sum(getattr(state, n) for n in losses)
    sink = at.brief.targets.ambient + rules.enclosure_rise + loss * sink_resistance(at.shelf, build.sink, build.fan)
    case = state.junction - (state.junction - sink) * device.r_jc / (device.r_jc + rules.pad_resistance)
    peak = max(getattr(s.states[key], n) for s in at.steady for n in tab)
    allowed = steady_limit(rules, device.t_j_max)
    beyond = at.beyond_barrier(key) or (key == h_bridge.KEY and at.beyond)
    return Cooled(name, key, sink, case, state.junction, device.t_j_max, allowed, loss, peak, beyond, build.fan)
