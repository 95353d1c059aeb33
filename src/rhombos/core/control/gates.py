"""The loop of a gate: what stands between a driver and the switch, and how fast that makes it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from rhombos.core.book import gate, stage
from rhombos.core.design.rules import Rules

DELAY_MISMATCH = 100e-9
"""Spread of usual drivers' delays, s."""
IGBT_PLATEAU, IGBT_LIMIT = 8.0, 20.0
"""Plateau and gate limit of usual IGBTs, V: their data sheets, not the shelf, say better."""
IGBT_SWITCHING = 0.4
"""Share of its gate charge that a usual IGBT takes while it switches."""
LEAST_LOOP = 0.01
"""Resistance that every gate loop has, Ω."""
THRESHOLD = 0.6
"""Gate threshold, hot, over the plateau of a usual power switch."""


@dataclass(frozen=True, slots=True)
class GateLoop:
    """Voltage at the gate, V; all resistance in the way of one gate, turning it on and off, Ω; how far two drivers' delays
    differ, s."""

    volts: float
    on: float
    off: float
    mismatch: float


SHARED = 0.45
"""How the resistance of one gate's loop grows with the switches that a driver feeds: more than two slow one another."""


def house_loop(rules: Rules, parallel: Any = 1) -> GateLoop:
    """The loop that the rules count on until a driver is chosen, for so many switches (or an array of numbers) in parallel."""
    ohms: Any = rules.gate_resistance * np.maximum(1.0, SHARED * parallel)
    ohms = ohms if np.ndim(ohms) else float(ohms)
    return GateLoop(rules.gate_drive, ohms, ohms, DELAY_MISMATCH)


def switching_charge(device: Any) -> Any:
    """Gate charge of the switching interval, C; of an IGBT, whose data give times instead, a usual share of its charge."""
    return getattr(device, "q_sw", IGBT_SWITCHING * device.q_g)


def plateau_currents(device: Any, loop: GateLoop) -> tuple[Any, Any]:
    """Gate current on the plateau, turning on and off, A; of a part, or of the columns of many."""
    level = getattr(device, "v_plateau", IGBT_PLATEAU)
    volts = np.maximum(loop.volts, level + 0.5)  # a drive below the plateau is a finding of its own
    return (
        stage.gate_on_current(V_drive=volts, V_pl=level, R_gate=max(loop.on, LEAST_LOOP)),
        stage.gate_off_current(V_pl=level, R_gate=max(loop.off, LEAST_LOOP)),
    )


LEAST_MISMATCH = 30e-9
"""How far two drivers' delays differ at least, s: with temperature and from one package to the next."""
IGBT_DELAY = 200e-9
"""Delay of an IGBT beyond that of its gate, s: typical, until the data sheet says otherwise."""


def turn_off_delay(device: Any, loop: GateLoop) -> Any:
    """From the driver's edge to the beginning of turn-off, s; of a part, or of the columns of many."""
    level = getattr(device, "v_plateau", IGBT_PLATEAU)
    capacitance = gate.gate_capacitance(
        Q_g=device.q_g, Q_sw=np.minimum(switching_charge(device), 0.9 * device.q_g), V_drive=max(loop.volts, 1.0)
    )
    delay = gate.turn_off_delay(
        R_gate=max(loop.off, LEAST_LOOP), C_iss=capacitance, V_drive=np.maximum(loop.volts, level * 1.01), V_pl=level
    )
    return delay + (0.0 if hasattr(device, "q_sw") else IGBT_DELAY)


def dead_time_needed(device: Any, loop: GateLoop) -> float:
    """What two switches in series need between one's off and the other's on, s: the delay before turn-off, twice the turn-off
    itself (it grows with temperature and current), and what the drivers differ."""
    return float(turn_off_delay(device, loop) + 2 * switching_times(device, loop)[1]) + max(LEAST_MISMATCH, loop.mismatch)


def switching_times(device: Any, loop: GateLoop) -> tuple[Any, Any]:
    """Turn-on and turn-off time, s: from the charge; an IGBT is never faster than its data say, tail included."""
    charge = switching_charge(device)
    times = tuple(stage.plateau_time(Q_sw=charge, I_gate=i) for i in plateau_currents(device, loop))
    if hasattr(device, "q_sw"):
        return times[0], times[1]
    return np.maximum(times[0], device.t_r), np.maximum(times[1], device.t_f)
