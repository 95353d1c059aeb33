"""What a round of proposals for a link route starts from, read from the pins and the brief or learnt from the last round."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from rhombos.core.blocks import h_bridge, hf_socket
from rhombos.core.design.brief import Brief
from rhombos.core.frame.points import SET_STEADY, SET_SURGES, lasting
from rhombos.core.frame.topology import RECTIFIERS, Rectifying
from rhombos.core.routes.converge import LinkSettled
from rhombos.core.waves.pulsation import Pulsation

HARDEST_SAG = 0.7
"""Share of the source's open voltage that proposals count on at least: a design that sags further is infeasible."""
MOST_LEAK = 0.35
"""Share of the time that leakage may take for a proposal still to make up for it."""


@dataclass(frozen=True)
class Hints:
    """What proposals need to know of the rest before it is assessed; refined from the states of the last round.

    `frequency` is that of its switches, Hz; `drawn` and `drawn_form` are swing and form of what the stage draws, a socket
    beside the rectifier counted; `tap_heat` what that socket adds to the mean square of the secondary's pulses, A²; `tapped`
    the RMS that a tap of all turns makes on the lowest and the highest input, V, at a turns ratio; `link` the voltage that its
    link had, V; `raised` the highest to which a round had to raise it, lest rounds go to and fro where a lower link asks for
    switches that drop more; `tap` what the socket beside the rectifier got on the lowest input."""

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
    rising: dict[str, float]
    drop: float
    secondary_extra: float
    leak_duty: float
    source_current: float
    bridge_drop: float
    drawn: dict[str, Pulsation]
    drawn_form: float
    tap_heat: float
    tapped: tuple[float, float]
    ratio: float
    frequency: float = 0.0
    link: float = 0.0
    raised: float = 0.0
    tap: hf_socket.HfState | None = None


def fraction_of(brief: Brief, pins: Mapping[str, Mapping[str, Any]]) -> float:
    """Share of the time that the output is not zero."""
    if brief.output.waveform == "modified":
        return float(pins.get("h_bridge", {}).get("fraction", h_bridge.FRACTIONS["modified"]))
    return h_bridge.FRACTIONS.get(brief.output.waveform, 1.0)


ONE_DROP = 100.0
"""Direct voltage, V, below which one diode's drop in the way counts for more than the voltage that it must block."""


def rectifying_of(brief: Brief, pins: Mapping[str, Mapping[str, Any]]) -> Rectifying:
    """The rectifier that is pinned; else the bridge, or for a low socket of direct voltage the centre tap."""
    usual = "centre tap" if brief.output.direct and brief.output.voltage < ONE_DROP else "bridge"
    return RECTIFIERS[pins.get("rectifier", {}).get("circuit", usual)]


def secondary_pulse(how: Rectifying, hints: Hints) -> float:
    """Current of the secondary while power flows, on the lowest input, that heats it alike, A."""
    pulsating = hints.link_current * hints.swing["low"].rms
    return pulsating if how.choke else how.gain * pulsating / (2 * max(hints.duty["low"], 1e-3))


def _tap_heat(flat: LinkSettled) -> float:
    """What a socket on the secondary adds to the mean square of its pulses, A²."""
    if hf_socket.KEY not in flat.states:
        return 0.0
    rectified = flat.states["rectifier"]
    whole = flat.winding.secondary_pulse * flat.form * flat.drawn.rms
    return float(max(0.0, whole**2 - (rectified.winding_pulse * rectified.form * flat.swing.rms) ** 2))


def tapped_at(ratio: float, hints: Hints, how: Rectifying) -> tuple[float, float]:
    """The RMS that a tap of all turns makes at another turns ratio, on the lowest and the highest input, V: a duty that holds
    the link falls as the ratio rises."""
    moved = ratio / hints.ratio if hints.ratio else 1.0
    low, high = (volts * (math.sqrt(moved) if how.choke else moved) for volts in hints.tapped)
    return low, high


def _turned_off(settled: Mapping[str, LinkSettled], key: str) -> float:
    """What the switches turn off at a point, A; for a point on the highest input, at any setting of the output."""
    alike = {"high": SET_STEADY, "surge_high": SET_SURGES}.get(key, ())
    return max(settled[k].turn_off for k in (key, *alike) if k in settled)


def learnt(settled: Mapping[str, LinkSettled], drive: float, points: tuple[str, ...], before: Hints | None) -> Hints:
    """What assessed points teach the next round of proposals; `drive` is the stage's voltage over its input.

    `before` are the hints that the round had.

    A point that the source cannot feed has no sensible currents; proposals then see it at the edge of the possible.
    """
    flat = settled["low"]
    states = flat.states
    v_in = {k: max(settled[k].v_in, HARDEST_SAG * settled[k].point.emf) for k in points}
    duty = {k: min(0.5, settled[k].states["front_end"].duty) for k in points}
    rising = {k: min(MOST_LEAK / 2, settled[k].states["front_end"].rising) for k in points}
    most = {k: settled[k].point.converted / (0.6 * drive * v_in[k] * 2 * duty[k]) for k in points}
    steady = [settled[k].states for k in ("low", "high")]
    link = settled["high"].states["dc_link"].voltage
    raised = max(before.raised, link if link > before.link > 0 else 0.0) if before else 0.0
    mean = max(s["rectifier"].current for s in steady)
    bridged = states.get("h_bridge")
    return Hints(
        link_high=max(s["dc_link"].voltage for s in steady),
        climb=max(s["rectifier"].unloaded for s in steady),
        feed_ripple=max(s.states["rectifier"].feed_ripple for s in lasting(settled)),
        form=states["rectifier"].form,
        charging_resistance=flat.guess.charging_resistance(states["transformer"].ratio),
        apparent=max(settled[k].apparent for k in ("low", "high")),
        filter_peak=states["output_filter"].peak - states["output_filter"].ripple / 2 if "output_filter" in states else 0.0,
        bridge_peak=max(s["h_bridge"].bridge_peak for s in steady) if bridged else states["dc_link"].voltage,
        path_resistance=2 * bridged.resistance if bridged else 0.0,
        modulation=bridged.modulation if bridged else 1.0,
        dead_time_volts=bridged.dead_time_loss_volts if bridged else 0.0,
        link_current=mean,
        surge_link_current=max(
            settled[k].states["rectifier"].current * settled[k].swing.peak for k in ("surge_high", *SET_SURGES) if k in settled
        ),
        v_in=v_in,
        pulse={k: min(settled[k].pulse, most[k]) for k in points},
        turn_off={k: min(_turned_off(settled, k), 1.3 * most[k]) for k in points},
        swing={k: settled[k].swing for k in points},
        duty=duty,
        rising=rising,
        drop=min(max(0.0, drive * flat.v_in - flat.crest_half), 0.35 * drive * v_in["low"]),
        secondary_extra=flat.diodes * states["rectifier"].drop
        + states["rectifier"].leakage_drop
        + flat.swing.peak
        * (states["rectifier"].choke_resistance * mean + min(flat.secondary_drop, 0.2 * states["dc_link"].voltage)),
        leak_duty=min(states["transformer"].leakage_duty, MOST_LEAK),
        source_current=max(
            min(settled[k].states["source"].rms, settled[k].delivered / (0.6 * v_in[k])) for k in ("low", "high")
        ),
        bridge_drop=bridged.missing if bridged else 0.0,
        drawn={k: settled[k].drawn for k in points},
        drawn_form=flat.form,
        tap_heat=_tap_heat(flat),
        tapped=tuple(s[hf_socket.KEY].whole for s in steady) if hf_socket.KEY in states else (0.0, 0.0),
        ratio=states["transformer"].ratio,
        tap=states.get(hf_socket.KEY),
        frequency=flat.path.frequency,
        link=link,
        raised=raised,
    )
