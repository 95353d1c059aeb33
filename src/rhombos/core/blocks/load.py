"""The load: what the socket must give, and what the appliances meant make of the waveform."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TypeAlias

from rhombos.core.benches.load_compatibility import STARTING, judge
from rhombos.core.blocks.base import Build
from rhombos.core.book import loads as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import LoadKind, spanned
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.frame.points import Point
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.crest import crest
from rhombos.core.waves.stepped import Fed, step_flow, turned_about

Sheet: TypeAlias = "ReportBuilder[LoadBuild, LoadState]"

KEY: Key[LoadBuild, LoadState] = Key("load")
TITLE = "Load"
HIGHEST_AT = ("nominal", "high", "idle_high")
"""Points at which a wave may stand highest."""
STEPPED = {"square": 1.0, "modified": 0.5, "HF": 1.0}
"""Share of the time that a wave is not zero."""
STIFF_X, STIFF_CORNER = 2e-3, 40.0
"""Filter for which a crest load's current is told where none is chosen: reactance over V²/P, and corner over the line."""


class LoadBuild(Build):
    """Nothing is chosen here: the brief says what is connected to the socket."""


BEAR_LESS: tuple[LoadKind, ...] = ("lamp", "heater")
"""Loads that take a lower voltage as it comes."""
BORNE = 0.85
"""Share of its voltage on which a load still does what it is made for."""


@dataclass(frozen=True, slots=True)
class LoadState:
    """RMS voltage that it gets and that it is made for, V; line frequency, Hz (0 on direct voltage, where all RMS are the
    values themselves); power, W; cosφ at the line; apparent power, VA; current: RMS of its
    fundamental, of all of it, and peak, A; power of what it draws at the crest, W; the equivalent series R–L, Ω and H (infinite
    and 0 when idle); the wave that it meets, unless that is a sine."""

    voltage: float
    rated: float
    frequency: float
    power: float
    power_factor: float
    apparent: float
    current: float
    rms: float
    peak_current: float
    crest_power: float
    resistance: float
    inductance: float
    fed: Fed | None = None

    @property
    def highest(self) -> float:
        """The highest instant of the wave that it meets, over the RMS that it is made for."""
        stands = 0.5
        if self.fed:
            stands = self.fed.fraction
            if self.fed.lets_go and stands < 1:
                stands += turned_about(stands, self.power_factor if self.fed.factor is None else self.fed.factor)
        return self.voltage / math.sqrt(stands) / self.rated


def assess(
    point: Point,
    brief: Brief,
    worksheet: Worksheet,
    volts: float | None = None,
    fed: Fed | None = None,
    seen: tuple[float, float] | None = None,
    hertz: float | None = None,
) -> LoadState:
    """What the load draws at a point. At other than its rated voltage, V, it takes what the square of the voltage makes of its
    power. `fed` is the wave of a stepped output, unless it is the usual one; `seen` are RMS and peak of the current behind a
    filter, A, where that is known; `hertz` is the wave's frequency, where that is not the one asked."""
    rated, hertz = brief.output.voltage, brief.output.frequency if hertz is None else hertz
    volts = rated if volts is None else volts
    share = (volts / rated) ** 2
    if point.power == 0:  # nothing is connected
        return LoadState(volts, rated, hertz, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, float("inf"), 0.0, fed)
    if brief.output.direct:
        return _on_dc(volts, rated, share * point.power, worksheet)
    crested = brief.crest_power * min(1.0, point.power / brief.power.continuous)
    asked = (volts, rated, hertz, share * point.power, point.power_factor, share * crested)
    if brief.output.stepped:
        return _on_steps(*asked, fed or Fed(STEPPED[brief.output.waveform]), worksheet)
    return _on_a_sine(*asked, seen, worksheet)


def _on_dc(volts: float, rated: float, power: float, worksheet: Worksheet) -> LoadState:
    current = worksheet.work("load.current", book.steady_current, P=power, V_out=volts)
    ohms = worksheet.work("load.resistance", book.steady_resistance, V_out=volts, I_out=current)
    peak = worksheet.total("load.peak_current", {"steady": current})
    return LoadState(volts, rated, 0.0, power, 1.0, power, current, current, peak, 0.0, ohms, 0.0)


def _on_a_sine(
    volts: float,
    rated: float,
    hertz: float,
    power: float,
    factor: float,
    crested: float,
    seen: tuple[float, float] | None,
    worksheet: Worksheet,
) -> LoadState:
    apparent = worksheet.work("load.apparent", book.apparent_power, P=power, cos_phi=factor)
    current = worksheet.work("load.current", book.load_current, S=apparent, V_rms=volts)
    sine = worksheet.work("load.sine_peak", book.crest, I_rms=current)
    rms, peak = seen or (current, sine)
    if crested > 0 and seen is None:
        added, over = crest(STIFF_X, STIFF_CORNER, rated), crested / volts
        rms = math.hypot(current, over * added.load_rms)
        peak = added.peak(current * factor, current * math.sqrt(1 - factor**2), over, inductor=False)
    worksheet.total("load.peak_current", {"sine": sine, "rectifiers at the crest" if crested > 0 else "harmonics": peak - sine})
    return LoadState(
        volts,
        rated,
        hertz,
        power,
        factor,
        apparent,
        current,
        rms=rms,
        peak_current=peak,
        crest_power=crested,
        resistance=worksheet.work("load.resistance", book.load_resistance, V_rms=volts, cos_phi=factor, S=apparent),
        inductance=worksheet.work(
            "load.inductance", book.load_inductance, V_rms=volts, cos_phi=factor, S=apparent, f_line=hertz
        ),
    )


def _on_steps(
    volts: float, rated: float, hertz: float, power: float, factor: float, crested: float, fed: Fed, worksheet: Worksheet
) -> LoadState:
    """The series R–L that takes the power from just this wave: its current rises and fades in exponentials, so that its RMS and
    its peak are higher than those of a sine."""
    flow = step_flow(fed.fraction, factor if fed.factor is None else fed.factor, fed.lets_go, fed.held)
    if fed.resistance is None:
        ohms = worksheet.work("load.resistance", book.step_resistance, k_lag=flow.lag, V_rms=volts, P=power)
    else:
        ohms = worksheet.total("load.resistance", {"takes the power from this wave": fed.resistance})
    current = worksheet.work("load.rms", book.power_current, P=power, R_L=ohms)
    return LoadState(
        volts,
        rated,
        hertz,
        power,
        factor,
        worksheet.work("load.apparent", book.apparent_of, V_rms=volts, I_rms=current),
        worksheet.total("load.current", {"fundamental of the wave's current": current * flow.fundamental}),
        rms=current,
        peak_current=worksheet.total("load.peak_current", {"peak of the wave's current": current * flow.peak * fed.tilt}),
        crest_power=crested,
        resistance=ohms,
        inductance=worksheet.work("load.inductance", book.series_inductance, R_L=ohms, cos_phi=factor, f_line=hertz),
        fed=fed,
    )


def parts(build: LoadBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Nothing: it is connected to the socket."""
    return ()


def report(sheet: Sheet, brief: Brief) -> BlockReport:
    """The load's figures, and what its kinds ask of the surge."""
    now: LoadState = sheet.now
    if brief.output.direct:
        return _report_dc(sheet, brief, now)
    sheet.result("voltage", "U", "Voltage, RMS", "V")
    sheet.turned("voltage", "U", "Voltage, RMS", "V")
    sheet.turned("power", "P", "Power", "W")
    sheet.result("apparent", "S", "Apparent power", "V*A")
    if brief.output.stepped:
        sheet.result("rms", "I", "Load current, RMS", "A")
    else:
        sheet.fixed_value("rms", "I", "Load current, RMS", now.rms, "A", sheet.points["nominal"].label)
    sheet.result("current", "I_1", "Its fundamental, RMS", "A")
    sheet.result("peak_current", r"\hat I", "Load current, peak", "A")
    sheet.result("peak_current", r"\hat I_s", "Peak at the surge", "A", point="surge_low")
    sheet.result("resistance", "R_L", "Equivalent resistance", "ohm")
    sheet.result("inductance", "L_L", "Equivalent inductance", "H")
    highest = max(
        s.highest for k, s in sheet.states.items() if (k in HIGHEST_AT and k not in sheet.infeasible) or k == "nominal"
    )
    judged = () if brief.output.waveform == "HF" else brief.loads  # a high-frequency socket says so itself
    refused = [j for k in judged if (j := judge(k, brief.output.waveform, highest, 0.0)).verdict == "refuses"]
    if refused:
        names = " and ".join(j.load for j in refused)
        sheet.find(
            "wave",
            "fix",
            f"A {brief.output.waveform} wave does not suit every intended load",
            f"For {names}: {refused[0].reason}.",
            "Ask for a sine in the brief, or keep such loads away and say so on the socket.",
            figure="voltage",
            unavoidable="the brief asks for this wave and for these loads",
        )
    _turned_down(sheet, brief)
    motors = [k for k in brief.loads if k in STARTING]
    if motors:
        worst = max(motors, key=lambda k: STARTING[k])
        largest = brief.power.surge * brief.output.power_factor / STARTING[worst]
        sheet.find(
            "motor_start",
            "watch",
            f"A {worst} draws about {STARTING[worst]:g} times its power at start",
            f"With a surge of {short(brief.power.surge, 'W')} the largest {worst} that will start runs at about "
            f"{fmt(largest, 'W', 2)}.",
            "Read the motor's plate; raise the surge in the brief if it is larger, or fit a soft starter.",
            figure="peak_current",
        )
    if brief.crest_power > 0:
        share = brief.crest_power / brief.power.continuous
        sized = (
            f"All of the path is sized for it: {fmt(now.peak_current, 'A')} peak at {fmt(now.rms, 'A')} RMS."
            if (not brief.output.stepped)
            else "On a stepped wave their pulses come at the edges."
        )
        sheet.find(
            "crest",
            "note",
            "Rectifier loads draw short, high peaks",
            f"Adapters and rectifiers without correction are counted with {fmt(share, '%', 2)} of the power. {sized}",
            "Give each load its share of the power in the brief.",
            figure="peak_current",
        )
    return sheet.close(
        _headline(brief, short(now.frequency, "Hz")),
        "connected load",
        now.power,
        now.power,
        {
            "voltage": f"{fmt(now.voltage, 'V')} RMS",
            "current": fmt(now.rms, "A"),
            "power": fmt(now.power, "W"),
            "factor": f"cosφ {now.power_factor:g}",
        },
    )


def _turned_down(sheet: Sheet, brief: Brief) -> None:
    """Loads that are made for one voltage, on an output that is adjustable far below it."""
    lowest = brief.output.down_to
    minding = [k for k in brief.loads if k not in BEAR_LESS]
    if lowest is not None and minding and lowest < BORNE * brief.output.voltage:
        sheet.find(
            "turned",
            "watch",
            "Loads that mind a lower voltage",
            f"Turned down to {short(lowest, 'V')} it feeds no {' and no '.join(minding)}: motors stall and overheat, and "
            "what regulates itself draws more current as its voltage falls, until it lets go.",
            f"Plug in lamps and heaters only, below {fmt(BORNE * brief.output.voltage, 'V', 2)}; say so on the socket.",
            figure="voltage",
        )


def _headline(brief: Brief, kind: str) -> str:
    """What stands at the socket; a span says enough."""
    told = spanned(brief.output)
    return told if brief.output.down_to is not None else f"{told} {kind}"


def _report_dc(sheet: Sheet, brief: Brief, now: LoadState) -> BlockReport:
    sheet.result("voltage", "U", "Voltage", "V")
    sheet.turned("voltage", "U", "Voltage", "V")
    sheet.turned("power", "P", "Power", "W")
    sheet.result("current", "I", "Load current", "A")
    sheet.result("peak_current", r"\hat I_s", "Load current at the surge", "A", point="surge_low")
    sheet.result("resistance", "R_L", "Resistance that takes the power", "ohm")
    texts = {"voltage": fmt(now.voltage, "V"), "current": fmt(now.rms, "A"), "power": fmt(now.power, "W"), "factor": "DC"}
    return sheet.close(_headline(brief, "DC"), "connected load", now.power, now.power, texts)
