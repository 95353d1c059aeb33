"""What the output bridge shows: its figures, and the findings with their cures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

from rhombos.core.blocks.base import none_stands
from rhombos.core.blocks.cooling import steady_limit
from rhombos.core.blocks.h_bridge import AUDIBLE, STRAY_SPIKE, BridgeState, HBridgeBuild, carrier_for
from rhombos.core.blocks.regulation import BAND, judge_output
from rhombos.core.blocks.surge import bridge_devices, judge_surge
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.points import LASTING, STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.conduction import bridge_intervals

Sheet: TypeAlias = "ReportBuilder[HBridgeBuild, BridgeState]"


@dataclass(frozen=True)
class Feeding:
    """What feeds a bridge, as its findings speak of it: its name, what would give more of it, in words and as a cure, and why
    nothing in the design can, where that is so."""

    name: str
    more: str
    cure: tuple[str, dict[str, PinValue]] | None
    bound: str | None = None


ON_LINK = Feeding("link", "Raise the link", ("Let the proposal set the link", {"dc_link.voltage": None}))
ON_IRON = Feeding(
    "source",
    "Step up more in the transformer",
    (
        "Let the proposal choose the turns",
        {"iron_transformer.primary_turns": None, "iron_transformer.secondary_turns": None},
    ),
)
BARE = Feeding("source", "Use a higher source, or a route that steps it up", None, "a bridge makes no more than its source")
SHORT = 0.01
"""Part of a sine by which it may fall short of what is asked before it is told."""
OUTPUT_BAND = 0.05
"""How far the RMS of a stepped wave may lie off at full power before it is a finding."""
OVER_UNITY = 2e-3
"""Modulation beyond 1 by less is rounding: a bridge that sags sits at 1."""
ROUNDING = 1e-6
"""What a sum of times may lie off by being computed, as a share."""


def report(sheet: Sheet, brief: Brief, power_in: float, feed: Feeding = ON_LINK) -> BlockReport:
    """The bridge's figures and findings."""
    build: HBridgeBuild = sheet.build
    rules, now = sheet.rules, sheet.now
    device = sheet.shelf.transistor(build.switch)
    free: dict[str, PinValue] = {"h_bridge.switch": None, "h_bridge.parallel": None}
    voltage = sheet.limited(
        "switch_voltage", r"V_{pk}", "Switch voltage, peak", "V", device.v_rating, rules.bridge_voltage_margin
    )
    current = sheet.limited(
        "device_peak", r"\hat I", "Current of one switch, peak", "A", device.i_rating, rules.switch_current_margin, over=LASTING
    )
    junction = sheet.limited(
        "junction",
        "T_j",
        "Junction, hottest",
        "degC",
        device.t_j_max,
        1 - steady_limit(rules, device.t_j_max) / device.t_j_max,
        over=LASTING,
    )
    stepped = brief.output.stepped
    index = (
        None
        if stepped
        else sheet.limited("modulation", "M", "Modulation index", "1", 1.0, 1 - rules.modulation_limit, over=LASTING)
    )
    if not stepped:
        sheet.turned("modulation", "M", "Modulation index", "1")
    judge_surge(sheet, brief, device, bridge_devices(build, device), free | {"h_bridge.sink": None, "h_bridge.fan": None})
    sheet.choice("switch", "Q", "Switch")
    sheet.choice("parallel", "n", "Switches in parallel")
    if brief.output.waveform == "modified":
        at_most = ", at most" if build.controlled else ""
        sheet.choice("fraction", r"k_{max}" if build.controlled else "k", f"Share of the time not zero{at_most}")
    if build.controlled:
        sheet.result("share", "k", "Share of the time not zero, full power", "%")
        sheet.turned("share", "k", "Share of the time not zero", "%")
    if stepped:
        sheet.result("output", r"V_{RMS}", "Output at full power, RMS", "V")
        sheet.result("output", r"V_{RMS,0}", "Output at no load, RMS", "V", point="idle")
        sheet.result("distortion", "THD", "Distortion of the wave", "%")
    elif feed is BARE:
        sheet.result("output", r"V_{RMS}", "Output, lowest source", "V", point="low")
    if not stepped:
        sheet.choice("carrier", "f_c", "Carrier")
    sheet.choice("dead_time", "t_d", "Dead time")
    sheet.result("dead_time_needed", r"t_{d,\min}", "Dead time needed", "s")
    if not stepped:
        sheet.result("dead_time_loss_volts", r"\Delta V_1", "Lost to dead time", "V")
        sheet.result("bridge_peak", r"\hat V_1", "Peak fundamental made", "V")
    sheet.choice("sink", "", "Heat-sink")
    sheet.choice("fan", "", "Fan")
    sheet.result("conduction", "P_{on}", "Conduction loss", "W")
    sheet.result("switching", "P_{sw}", "Switching loss", "W")
    sheet.result("recovery", "P_{rr}", "Diode recovery loss", "W")
    sheet.result("loss", "P", "Loss, whole bridge", "W")
    if voltage.severity:
        sheet.find(
            "voltage",
            voltage.severity,
            "Bridge switches beyond their rating" if voltage.severity == "stop" else "Bridge switches close to their rating",
            f"The {feed.name} peaks at {fmt(voltage.value / (1 + STRAY_SPIKE), 'V')} and the loop's stray inductance adds "
            f"some {fmt(STRAY_SPIKE, '%', 2)}: {fmt(voltage.value, 'V')} on {short(device.v_rating, 'V')} parts.",
            ("Lower the link while it still makes the sine; else parts" if feed is ON_LINK else "Parts")
            + " of a higher rating. Film capacitors at the legs.",
            worst=voltage,
            cures=(("Use parts of a higher rating", dict(free)),),
            unavoidable=none_stands(sheet.shelf, "mosfet|igbt", voltage.value, voltage.limit / voltage.rating),
        )
    if current.severity:
        sheet.find(
            "current",
            current.severity,
            "Too much current in each bridge switch",
            f"{fmt(current.value, 'A')} peak in each {device.label}.",
            "Stronger parts, or more in parallel.",
            worst=current,
            cures=(("Let the proposal choose", dict(free)),),
        )
    if junction.severity:
        sheet.find(
            "junction",
            junction.severity,
            "The bridge runs too hot",
            f"{fmt(junction.value, 'degC')} at {sheet.where(junction)}: {fmt(now.conduction, 'W')} conducting, "
            f"{fmt(now.switching + now.recovery, 'W')} switching.",
            "A better heat-sink, better parts, or a lower carrier.",
            worst=junction,
            cures=(("Let the proposal choose parts and sink", free | {"h_bridge.sink": None, "h_bridge.fan": None}),),
        )
    if build.dead_time < now.dead_time_needed * (1 - ROUNDING):
        sheet.find(
            "dead_time",
            "stop",
            "Dead time is too short: the legs shoot through",
            f"Turn-off and the drivers' spread take {fmt(now.dead_time_needed, 's')}; {fmt(build.dead_time, 's')} is set.",
            "More dead time, or a stronger gate drive.",
            figure="dead_time",
            limit=now.dead_time_needed,
            cures=(("Let the proposal set it", {"h_bridge.dead_time": None}),),
        )
    elif now.dead_time_loss_volts > 0.05 * now.bridge_peak:
        sheet.find(
            "dead_time_long",
            "watch",
            "Dead time bends the sine",
            f"It takes {fmt(now.dead_time_loss_volts, 'V')} off the peak, against the current's sign, and leaves "
            "low odd harmonics the filter cannot stop.",
            "Shorten it towards what is needed, or a lower carrier.",
            figure="dead_time",
            cures=(("Let the proposal set it", {"h_bridge.dead_time": None}),),
        )
    if index and index.value > 1 + OVER_UNITY:
        sheet.find(
            "overmodulated",
            "fix",
            "The bridge is driven beyond full modulation",
            f"M reaches {fmt(index.value, '1')} at {sheet.where(index)}: the tops of the sine flatten.",
            f"{feed.more}, or reduce the drop in the filter.",
            worst=index,
            cures=(feed.cure,) if feed.cure else (),
            unavoidable=feed.bound,
        )
    if stepped and feed is ON_LINK:
        judge_output(sheet, brief, ("Fit the choke: the duty then holds the link", {"rectifier.circuit": None}))
    elif feed is BARE:
        widest: tuple[str, dict[str, PinValue]] = ("Let the pulses be as wide as they go", {"h_bridge.fraction": None})
        judge_output(sheet, brief, widest if build.controlled else None, feed.bound)
        if not stepped:
            _judge_crest(sheet, brief)
    if not stepped and (index_surge := max(s.modulation for k, s in sheet.states.items() if k not in STEADY)) > 1 + OVER_UNITY:
        sheet.find(
            "surge_flattens",
            "watch",
            "The surge flattens the tops of the sine",
            f"M would have to be {fmt(index_surge, '1')}: the {feed.name} sags below the crest until the surge is over.",
            f"{feed.more}, or start motors on a higher input.",
            figure="modulation",
        )
    if stepped and not build.controlled and abs(now.output / brief.output.voltage - 1) > OUTPUT_BAND:
        bare = feed is BARE
        sheet.find(
            "output",
            "fix",
            "The output is off its voltage",
            f"{fmt(now.output, 'V')} RMS at full power against {short(brief.output.voltage, 'V')}: "
            + (
                "a square wave is as high as its source, less what the bridge drops."
                if bare
                else f"the level of the link and the share of the time, {fmt(build.fraction, '%', 2)}, do not fit together."
            ),
            "Ask for what the source makes, or for pulses of controlled width."
            if bare
            else "Set the link for the wave: RMS is the level times the root of the share; a meter made for sines misreads it.",
            figure="output",
            cures=()
            if bare
            else (("Let the proposal set link and share", {"dc_link.voltage": None, "h_bridge.fraction": None}),),
            unavoidable=feed.bound if bare else None,
        )
    if not stepped and 20 <= build.carrier <= AUDIBLE:
        carrier = carrier_for(brief.output.frequency)
        sheet.find(
            "audible",
            "watch",
            "The carrier can be heard",
            f"{short(build.carrier, 'Hz')} sings in the inductor; people complain from 20 Hz to 16 kHz.",
            "Carry at 18 kHz or more, where the parts allow it.",
            figure="carrier",
            cures=((f"Carry at {short(carrier, 'Hz')}", {"h_bridge.carrier": carrier}),),
        )
    share = f"on {fmt(now.share, '%', 2)}"
    headline, remark = short(build.carrier, "Hz"), "unipolar sine PWM: the filter sees twice the carrier"
    if stepped:
        headline = brief.output.waveform
        remark = (
            "between the pulses two switches hold the output at zero"
            if now.share < 1
            else "both legs switch once each half period"
        )
    return sheet.close(
        headline,
        remark,
        power_in,
        power_in - now.loss,
        {
            "switch": device.label,
            "parallel": f"{build.parallel} each" if build.parallel > 1 else "",
            "behind": "load" if stepped else "filter",
            "modulation": share if stepped else f"M = {fmt(now.modulation, '1')}",
            "dead_time": fmt(build.dead_time, "s"),
            "carrier": short(brief.output.frequency if stepped else build.carrier, "Hz"),
            "loss": fmt(now.loss, "W"),
        },
        bridge_intervals(brief, build.carrier, now.modulation, now.share if stepped else 1.0, feed.name),
    )


def _judge_crest(sheet: Sheet, brief: Brief) -> None:
    """A sine that the source is too low for sags as a whole: it is told before it is beyond what loads bear."""
    asked = brief.output.voltage
    least = {k: sheet.states[k].output for k in STEADY if k not in sheet.infeasible}
    worst = min(least, key=lambda k: least[k], default=None)
    if worst is None or not (1 - BAND) * asked <= least[worst] < (1 - SHORT) * asked:
        return
    sheet.find(
        "short_of_crest",
        "watch",
        "Source too low for the sine",
        f"{fmt(least[worst], 'V')} of {short(asked, 'V')} at {sheet.points[worst].label}: its crest would be "
        f"{fmt(brief.output.peak, 'V')}, the bridge is driven fully and makes no more.",
        f"{BARE.more}.",
        figure="output",
    )
