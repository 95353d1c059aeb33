"""What a round of proposals for a link route starts from, read from the pins and the brief or learnt from the last round."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from rhombos.core.blocks import front_end, h_bridge, hf_socket
from rhombos.core.blocks.dc_link import KEY as DC_LINK
from rhombos.core.blocks.output_filter import KEY as OUTPUT_FILTER
from rhombos.core.blocks.rectifier import KEY as RECTIFIER
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.blocks.transformer import KEY as TRANSFORMER
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Pins
from rhombos.core.frame.points import SET_STEADY, SET_SURGES, lasting
from rhombos.core.frame.topology import RECTIFIERS, Rectifying, Topology
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
    bank_ripple: float
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


def fraction_of(brief: Brief, pins: Pins) -> float:
    """Share of the time that the output is not zero."""
    if brief.output.waveform == "modified":
        return float(pins.get("h_bridge", {}).get("fraction", h_bridge.FRACTIONS["modified"]))
    return h_bridge.FRACTIONS.get(brief.output.waveform, 1.0)


ONE_DROP = 100.0
"""Direct voltage, V, below which one diode's drop in the way counts for more than the voltage that it must block."""


def rectifying_of(brief: Brief, pins: Pins) -> Rectifying:
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
    rectified = flat.states[RECTIFIER]
    whole = flat.winding.secondary_pulse * flat.form * flat.drawn.rms
    return float(max(0.0, whole**2 - (rectified.winding_pulse * rectified.form * flat.swing.rms) ** 2))


def tapped_at(ratio: float, hints: Hints, how: Rectifying) -> tuple[float, float]:
    """The RMS that a tap of all turns makes at another turns ratio, on the lowest and the highest input, V: a duty that holds
    the link falls as the ratio rises."""
    moved = ratio / hints.ratio if hints.ratio else 1.0
    low, high = (volts * (math.sqrt(moved) if how.choke else moved) for volts in hints.tapped)
    return low, high


def held(at: LinkSettled) -> bool:
    """Whether the source can feed a point, and a duty holds the link there."""
    return not at.states[SOURCE].collapsed and bool(at.states[front_end.KEY].crest_duty <= front_end.DUTY_REACH)


def _most_pulsed(at: LinkSettled, drive: float, v_in: float, duty: float) -> float:
    """The most that a pulse may be taken to be, A: what is held is true, however little of it reaches the socket."""
    return math.inf if held(at) else at.point.converted / (0.6 * drive * v_in * 2 * duty)


def stirred(current: float, form: float, share: float, swing: Pulsation) -> float:
    """What the input bank carries for a stage that draws a mean current, A, in pulses that take a share of the time."""
    return current * math.sqrt(max(0.0, form**2 / max(share, 0.05) - 1) + swing.smoothed**2)


def _bank_ripple(at: LinkSettled, banks: int) -> float:
    """The same at a settled point."""
    switched = at.states[front_end.KEY]
    share = 2 * front_end.flat_duty(min(0.5, switched.duty), min(MOST_LEAK / 2, switched.rising)) / banks
    return stirred(_drawn(at), at.form, share, at.drawn)


def _drawn(at: LinkSettled) -> float:
    """What the source gives at a point, RMS, A; no more than a poor stage would draw where it is not held."""
    most = math.inf if held(at) else at.delivered / (0.6 * max(at.v_in, HARDEST_SAG * at.point.emf))
    return float(min(at.states[SOURCE].rms, most))


def _tapped(settled: Mapping[str, LinkSettled]) -> tuple[float, float]:
    """What a tap of all turns makes on the lowest and on the highest input, V."""
    low, high = (tap.whole if (tap := settled[k].states.get(hf_socket.KEY)) else 0.0 for k in ("low", "high"))
    return low, high


def _turned_off(settled: Mapping[str, LinkSettled], key: str) -> float:
    """What the switches turn off at a point, A; for a point on the highest input, at any setting of the output."""
    alike = {"high": SET_STEADY, "surge_high": SET_SURGES}.get(key, ())
    return max(settled[k].turn_off for k in (key, *alike) if k in settled)


def learnt(settled: Mapping[str, LinkSettled], topology: Topology, points: tuple[str, ...], before: Hints | None) -> Hints:
    """What assessed points of a stage teach the next round of proposals.

    `before` are the hints that the round had.

    A point that the source cannot feed has no sensible currents; proposals then see it at the edge of the possible.
    """
    flat, drive = settled["low"], topology.drive
    states = flat.states
    v_in = {k: max(settled[k].v_in, HARDEST_SAG * settled[k].point.emf) for k in points}
    duty = {k: min(0.5, settled[k].states[front_end.KEY].duty) for k in points}
    rising = {k: min(MOST_LEAK / 2, settled[k].states[front_end.KEY].rising) for k in points}
    most = {k: _most_pulsed(settled[k], drive, v_in[k], duty[k]) for k in points}
    steady = [settled[k].states for k in ("low", "high")]
    link = settled["high"].states[DC_LINK].voltage
    raised = max(before.raised, link if link > before.link > 0 else 0.0) if before else 0.0
    mean = max(s[RECTIFIER].current for s in steady)
    bridged = states.get(h_bridge.KEY)
    return Hints(
        link_high=max(s[DC_LINK].voltage for s in steady),
        climb=max(s[RECTIFIER].unloaded for s in steady),
        feed_ripple=max(s.states[RECTIFIER].feed_ripple for s in lasting(settled)),
        form=states[RECTIFIER].form,
        charging_resistance=flat.guess.charging_resistance(states[TRANSFORMER].ratio),
        apparent=max(settled[k].apparent for k in ("low", "high")),
        filter_peak=states[OUTPUT_FILTER].peak - states[OUTPUT_FILTER].ripple / 2 if OUTPUT_FILTER in states else 0.0,
        bridge_peak=max(s[h_bridge.KEY].bridge_peak for s in steady) if bridged else states[DC_LINK].voltage,
        path_resistance=2 * bridged.resistance if bridged else 0.0,
        modulation=bridged.modulation if bridged else 1.0,
        dead_time_volts=bridged.dead_time_loss_volts if bridged else 0.0,
        link_current=mean,
        surge_link_current=max(
            settled[k].states[RECTIFIER].current * settled[k].swing.peak for k in ("surge_high", *SET_SURGES) if k in settled
        ),
        v_in=v_in,
        pulse={k: min(settled[k].pulse, most[k]) for k in points},
        turn_off={k: min(_turned_off(settled, k), 1.3 * most[k]) for k in points},
        swing={k: settled[k].swing for k in points},
        duty=duty,
        rising=rising,
        drop=min(max(0.0, drive * flat.v_in - flat.crest_half), 0.35 * drive * v_in["low"]),
        secondary_extra=flat.diodes * states[RECTIFIER].drop
        + states[RECTIFIER].leakage_drop
        + flat.swing.peak
        * (states[RECTIFIER].choke_resistance * mean + min(flat.secondary_drop, 0.2 * states[DC_LINK].voltage)),
        leak_duty=min(states[TRANSFORMER].leakage_duty, MOST_LEAK),
        source_current=max(_drawn(settled[k]) for k in ("low", "high")),
        bank_ripple=max(_bank_ripple(at, topology.banks) for at in lasting(settled)),
        bridge_drop=bridged.missing if bridged else 0.0,
        drawn={k: settled[k].drawn for k in points},
        drawn_form=flat.form,
        tap_heat=_tap_heat(flat),
        tapped=_tapped(settled),
        ratio=states[TRANSFORMER].ratio,
        tap=states.get(hf_socket.KEY),
        frequency=flat.path.frequency,
        link=link,
        raised=raised,
    )
