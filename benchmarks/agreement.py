"""The same design on the sheet and on the scope: how far apart they are, and how far they may be."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from rhombos.core.frame.solve import Worked
from rhombos.core.scope.bench import bench_of
from rhombos.core.scope.record import Record, record
from rhombos.core.scope.setup import Bench
from rhombos.core.waves.spectrum import COUNTED

SAMPLES, SLOW_LINES, PULSE_LINES = 2**15, 40, 25
"""Of one line period; lines of it that are ripple at the output's pulsation, not at the carrier; and those of pulses at the
crest, below what rings a filter."""
OF_DROOP = 0.5
"""What a rail that falls within the pulses of a stepped wave leaves open of a mean square, over its fall."""
NEAR_SHARE, NEAR_STEADY, NEAR_PULSE, NEAR_STEPPED, NEAR_CHOKE = 0.03, 0.06, 0.07, 0.05, 0.05
"""How far a figure may lie from the scope's, as a share; of the losses' part on a stepped wave; behind a link, of the peaks of
loads that draw at the crest, of those on a stepped wave or a bare bridge, and of its choke's."""
NEAR_DIP, LEAST_TOLD = 0.15, 1e-4
"""How far the dip at a step may lie apart: the sheet takes a load that keeps its power, the scope a resistance; and the ripple
over the voltage that is too little to tell."""
LEAST_RIPPLE = 1e-3
"""Ripple over the link's voltage that is too little to tell."""
NEAR, NEAR_LINEAR, NEAR_CREST, CREST_SHARE, BESIDE, RINGS = 0.0012, 0.02, 0.005, 0.15, 0.1, 0.2
"""How far distortion may lie apart: with linear loads, and as a share of it; with loads that draw at the crest, and as a share;
how near to the filter's corner a harmonic is left out there; and the share of it that linear loads leave open."""


MAINS_SEEN, MANY = 10, 2**17
"""Periods of the mains over which a record of a bridge on it is looked at, and its samples."""
NEAR_MAINS, NEAR_LINE, NEAR_VALLEY = 0.02, 0.05, 0.15
"""How far a figure of such a bridge may lie apart: of output and bank; of the line's current, whose pulses swing with the phase
at which the output meets them; and by how much of the ripple the record's valley may lie below the sheet's."""


@dataclass(frozen=True)
class Agreement:
    """A figure as the sheet states it and as the scope finds it; `off` is how far apart they are, in units of what is
    allowed."""

    name: str
    sheet: float
    scope: float
    off: float


def agreements(worked: Worked) -> list[Agreement]:
    """The nominal point on the sheet and on the scope, fed from the battery, the front end averaged."""
    bench = bench_of(worked)
    if bench.direct:
        return _direct(worked, bench)
    if worked.brief.mains:
        return _on_the_mains(worked, bench)
    made = record(bench, "as designed", "steady", 6, "source, averaged")
    now = worked.settled["nominal"]
    period = 1 / made.line
    time_ = made.end - period + (np.arange(SAMPLES) + 0.5) * period / SAMPLES
    traces = made.probe(time_)
    lines = np.abs(np.fft.rfft(traces["output"])) * 2 / SAMPLES
    # nothing holds the RMS of the output here: what the battery gives is compared at the power that was asked
    as_asked = now.flow["load"] / float((traces["output"] * traces["load"]).mean())
    drain, cells, amps = now.states["load"], now.states["source"], traces["source"] * as_asked
    if worked.brief.output.waveform == "HF":  # its ripple is a carrier's, of which the sheet says that the bank takes all
        amps = _slow(amps, 1)
    peak = float((amps if worked.brief.output.stepped else _slow(amps)).max())
    pulses = bench.crest_power > 0
    load = _slow(traces["load"], PULSE_LINES) if pulses else traces["load"]  # a rectifier takes some of the carrier's ripple
    direct = "dc_link" not in now.states
    # what the losses of a stepped wave take in pulses the scope takes steadily
    of_heat = of_peak = NEAR_SHARE
    if worked.brief.output.stepped:  # and a pulse falls with its rail
        rail = traces["input" if direct else "link"]
        droop = OF_DROOP * float(np.ptp(rail) / rail.mean())
        of_heat, of_peak = (NEAR_STEADY + droop if direct else NEAR_SHARE), NEAR_SHARE + droop / 2
    if "output_filter" in now.states and direct:  # what dead time makes ring in the filter is not counted before the bridge
        filtered = now.states["output_filter"]
        quiet = filtered.flows.inductor()[1]
        of_peak += max(0.0, filtered.peak - filtered.ripple / 2 - quiet) / max(quiet, 1e-9)
    of_pulses = NEAR_SHARE
    if pulses and "iron_transformer" not in now.states:
        of_pulses = NEAR_STEPPED if worked.brief.output.stepped or direct else NEAR_PULSE
    pairs = [
        ("battery, mean square", cells.rms**2, float((amps**2).mean()), of_heat),
        ("battery, peak", cells.peak, peak, of_peak),
        ("output, RMS", *_socket(worked, traces), NEAR_SHARE),
        ("load, RMS", drain.rms, _rms(traces["load"]), NEAR_SHARE),
        ("load, peak", drain.peak_current, float(np.abs(load).max()), max(of_pulses, of_peak)),
    ]
    if "output_filter" in now.states:
        filtered = now.states["output_filter"]
        ratio = now.states["iron_transformer"].ratio if "iron_transformer" in now.states else 1.0
        slow = float(np.abs(_slow(traces["inductor"], COUNTED)).max())
        pairs.append(("bridge, peak without ripple", (filtered.peak - filtered.ripple / 2) / ratio, slow, of_pulses))
    elif "h_bridge" in now.states:
        highest = float(np.abs(traces["load"]).max())
        pairs.append(("bridge, peak", now.states["h_bridge"].line_peak, highest, max(of_pulses, of_peak)))
    found = [Agreement(n, a, b, abs(a / b - 1) / allowed) for n, a, b, allowed in pairs]
    if "output_filter" in now.states:
        filtered = now.states["output_filter"]
        counted = np.arange(2, COUNTED + 1)
        # what rings the filter where its corner falls on a harmonic: parts' tolerance decides how much
        beside = np.abs(counted * made.line / filtered.corner - 1) <= BESIDE
        ringing = float(np.sqrt(np.sum(lines[counted[beside]] ** 2)) / lines[1])
        if pulses and not direct:
            counted = counted[~beside]
        distortion = float(np.sqrt(np.sum(lines[counted] ** 2)) / lines[1])
        allowed = max(NEAR_CREST, CREST_SHARE * distortion) if pulses else max(NEAR, NEAR_LINEAR * distortion)
        allowed += RINGS * ringing
        found.append(Agreement("distortion", filtered.distortion, distortion, abs(filtered.distortion - distortion) / allowed))
    if "dc_link" in now.states:
        swing = float(np.ptp(_slow(traces["link"])))
        linked = now.states["dc_link"]
        allowed = max(0.03 * swing, LEAST_RIPPLE * linked.voltage)
        found.append(Agreement("link ripple", linked.ripple, swing, abs(linked.ripple - swing) / allowed))
        if "choke" in traces and traces["choke"].any():
            peak = float(traces["choke"].max()) + now.states["rectifier"].ripple / 2
            sheet = now.states["rectifier"].choke_peak
            found.append(Agreement("choke, peak", sheet, peak, abs(sheet / peak - 1) / NEAR_CHOKE))
    return found


def _direct(worked: Worked, bench: Bench) -> list[Agreement]:
    """The same of a socket of direct voltage: at rest, at a step of its load, and pulse by pulse."""
    now = worked.settled["nominal"].states
    still, stepped, pulsed = (
        _traces(record(bench, "as designed", event, 6, f"source, {how}"))  # type: ignore[arg-type]
        for event, how in (("steady", "averaged"), ("load step", "averaged"), ("steady", "switched"))
    )
    volts = now["dc_link"].voltage
    dip = volts - float(stepped["output"].min())
    ripple = float(np.ptp(pulsed["link"]))
    pairs = [
        ("battery, mean square", now["source"].rms ** 2, float((still["source"] ** 2).mean()), NEAR_SHARE),
        ("output", volts, float(still["output"].mean()), NEAR_SHARE / 10),
        ("choke, peak", now["rectifier"].choke_peak, float(still["choke"].max()) + now["rectifier"].ripple / 2, NEAR_CHOKE),
        ("dip at a step", now["controller"].dip, dip, NEAR_DIP),
    ]
    found = [Agreement(n, a, b, abs(a / b - 1) / allowed) for n, a, b, allowed in pairs]
    # the sheet bounds the ripple: its parts in step
    return [
        *found,
        Agreement(
            "ripple, bounded",
            now["dc_link"].ripple,
            ripple,
            (ripple - LEAST_TOLD * volts) / now["dc_link"].ripple / (1 + NEAR_SHARE),
        ),
    ]


def _on_the_mains(worked: Worked, bench: Bench) -> list[Agreement]:
    """The same of a bridge on the rectified mains: over a record long enough that output and mains meet at many phases."""
    mains, now = worked.brief.mains, worked.settled["nominal"].states
    assert mains is not None
    periods = min(bench.most_periods, math.ceil(MAINS_SEEN / mains.frequency * bench.at.line))
    made = record(bench, "as designed", "steady", periods, "source, averaged")
    assert made.trail is not None
    span = math.floor(made.end * 2 * mains.frequency) / (2 * mains.frequency)
    time_ = made.end - span + (np.arange(MANY) + 0.5) * span / MANY
    traces = made.probe(time_)
    bank, line = np.interp(time_, made.trail.time, made.trail.input), np.interp(time_, made.trail.time, made.trail.source)
    as_asked = worked.settled["nominal"].flow["load"] / float((traces["output"] * traces["load"]).mean())
    entry = now["mains_input"]
    pairs = [
        ("output, RMS", now["load"].voltage, _rms(traces["output"]), NEAR_MAINS),
        ("load, RMS", now["load"].rms, _rms(traces["load"]), NEAR_PULSE if bench.crest_power else NEAR_SHARE),
        ("bank, mean", entry.mean, float(bank.mean()), NEAR_MAINS),
        ("line, RMS", entry.line_rms, _rms(line) * as_asked, NEAR_LINE),
    ]
    found = [Agreement(n, a, b, abs(a / b - 1) / allowed) for n, a, b, allowed in pairs]
    # the sheet says the worst of all phases, of which the record has some
    low, ripple = float(bank.min()), max(entry.ripple, 1e-3)
    return [*found, Agreement("bank, valley", entry.valley, low, (entry.valley - low) / (NEAR_VALLEY * ripple))]


def _socket(worked: Worked, traces: dict[str, np.ndarray]) -> tuple[float, float]:
    """RMS at the socket, on sheet and scope; of a high-frequency one across the load, behind its cord."""
    drain = worked.settled["nominal"].states["load"]
    if worked.brief.output.waveform == "HF":
        return drain.voltage, drain.resistance * _rms(traces["load"])
    return worked.socket_volts(worked.settled["nominal"].states), _rms(traces["output"])


def _traces(made: Record) -> dict[str, np.ndarray]:
    """The last half of a record, or all of it but its beginning where something happens in it."""
    return made.probe(np.linspace(made.end / 4, made.end, 8 * SAMPLES))


def _rms(trace: np.ndarray) -> float:
    return float(np.sqrt((trace**2).mean()))


def _slow(trace: np.ndarray, most: int = SLOW_LINES) -> np.ndarray:
    """A trace without what swings with the carrier, or beyond so many lines."""
    lines = np.fft.rfft(trace)
    lines[most:] = 0
    return np.fft.irfft(lines, trace.size)
