"""What isolation shows, and the findings with their cures."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.isolation import (
    BRIDGE_CLIP,
    CASE_FREE,
    CASE_RETURN,
    COIL_MOST,
    CONVERTER,
    DIODE,
    DIVIDER,
    DRIVER_STANDS,
    EARTHED,
    KEY,
    NEGATIVE,
    PULLS_IN,
    SAFE_CLIP,
    SLOWEST,
    WIRED,
    IsolationBuild,
    IsolationNeed,
    IsolationState,
    crossings,
)
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder, Worst
from rhombos.core.parts.insulation import TOUCH_SAFE
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[IsolationBuild, IsolationState]"

COARSE = 0.004
"""One count over the output's RMS from which the regulation steps visibly."""
WRONG = 0.025
"""Error of a reading from which it misleads."""


def report(sheet: Sheet, need: IsolationNeed) -> BlockReport:
    """Figures and findings."""
    build: IsolationBuild = sheet.build
    now: IsolationState = sheet.now
    sheet.choice("output", "", "Socket")
    sheet.choice("case", "", "Case")
    sheet.choice("sensing", "", "Output sense")
    sheet.choice("shut_down", "", "Shut-down input")
    sheet.choice("clip", "", "Probe ground")
    sheet.choice("proof", "V_p", "Barrier tested with, RMS")
    proof = (
        sheet.fixed("wanted", "V_w", "Barrier asks, RMS", now.proof, "V", build.proof, 0.0, "reinforced, one minute")
        if build.proof > 0
        else None
    )
    sheet.choice("connectors", "", "Connectors, rated")
    plugs = sheet.fixed(
        "on_connectors",
        r"\hat V",
        "Highest voltage on them",
        need.plugged,
        "V",
        build.connectors,
        0.0,
        "ripple and ring included",
    )
    sheet.choice("sense_top", "R_1", "Sense, upper resistor")
    sheet.choice("sense_bottom", "R_2", "Sense, lower resistor")
    sheet.choice("corner", "f_c", "Sense filter, corner")
    if need.followed:
        sheet.result("lag", r"\varphi", "It lags the line by, degrees", "1")
    sheet.choice("bits", "n", "Bits of the converter")
    swing = sheet.limited("at_converter", r"\hat V_{AD}", "Peak at the converter", "V", need.room)
    sheet.result("step", "", "One count, at the output", "V")
    sheet.choice("clamped", "", "Converter's input clamped")
    sheet.choice("calibrated", "", "Calibrated at two points")
    sheet.fixed_value("error_fresh", r"\epsilon_0", "Reading off by, fresh", now.error_fresh, "%", "every tolerance at its end")
    sheet.fixed_value("error", r"\epsilon", "Reading off by, as built", now.error, "%", "with half a count")
    sheet.choice("coil_supply", "", "Relay coils run on")
    sheet.choice("coil_rated", "", "Relay coils, rated")
    sheet.choice("coil_clamp", "", "Across each coil")
    spike = sheet.limited("coil_spike", r"\hat V_c", "Spike on a coil's driver", "V", DRIVER_STANDS)
    _barrier(sheet, build, need, now, proof, plugs)
    _sense(sheet, build, need, now, swing)
    _coils(sheet, build, now, spike)
    through = [c for c in crossings(build, need) if not c.rated]
    return sheet.close(
        "closed" if not through else f"{len(through)} open",
        "what crosses, crosses by a part rated for it",
        0.0,
        0.0,
        {
            "output": build.output,
            "case": build.case,
            "sensing": build.sensing,
            "shut_down": build.shut_down,
            "feedback": need.feedback,
            "gates": "" if need.direct else need.gates,
            "beyond": "link" if need.beyond else "" if need.barrier else "source",
            "clip": build.clip,
            "link": fmt(need.bus, "V"),
            "source": f"to {fmt(need.full, 'V')}",
            "fed": "mains" if need.mains else "source",
            "peak": f"{fmt(need.peak, 'V')} peak",
            "open": " ".join(c.name.replace(" ", "-") for c in through),
        },
    )


def _free(*names: str) -> dict[str, PinValue]:
    return {f"{KEY}.{n}": None for n in names}


def _barrier(
    sheet: Sheet, build: IsolationBuild, need: IsolationNeed, now: IsolationState, proof: Worst | None, plugs: Worst
) -> None:
    if build.output == NEGATIVE:
        sheet.find(
            "output_bond",
            "stop",
            "A pole of the socket is tied to the source",
            f"The source, its chargers and whoever touches them are joined to a circuit of {fmt(need.link, 'V')}: the "
            "transformer no longer keeps them apart."
            if need.direct
            else f"The bridge's legs stand between 0 and {fmt(need.bus, 'V')}: with a pole at source negative a leg is "
            "shorted, or the source and all that is connected to it stands at the mains.",
            "Leave both poles floating; local codes decide."
            if need.direct
            else "Leave both poles floating, or earth one behind the filter, with an RCD; local codes decide.",
            figure="output",
            cures=(("Leave both poles floating", _free("output")),),
        )
    elif build.output == EARTHED and not need.barrier:
        sheet.find(
            "output_bond",
            "stop",
            "Socket pole earthed, source not isolated",
            f"The source's own poles then swing by {fmt(need.bus, 'V')} against earth at every edge, with its leads, its "
            "charger and whoever touches them; where the source is earthed too, a leg of the bridge is shorted.",
            "Leave both poles floating, or choose a route with a transformer; local codes decide.",
            figure="output",
            cures=(("Leave both poles floating", _free("output")),),
        )
    elif build.output == EARTHED:
        sheet.find(
            "earthing",
            "note",
            "Earthing a pole is fixed-wiring practice",
            "It makes the other pole dangerous to earth; an ordinary RCD does not see a direct fault current, and is blinded "
            "by one."
            if need.direct
            else "It makes an RCD work, and makes the other pole dangerous to earth.",
            "Local codes decide earthing, RCD and labels; have a licensed person do it. Never feed the public grid or a "
            "building's wiring from an uncertified unit.",
            figure="output",
        )
    if need.mains and not need.barrier:
        sheet.find(
            "on_mains",
            "watch",
            "Socket not isolated from the mains",
            f"Each pole of the socket is joined to the mains through switches and diodes: against earth it swings by up to "
            f"{fmt(need.bus, 'V')}, and neither pole is a neutral.",
            "An isolating transformer before or behind it, and residual-current protection before it; no load whose case or "
            "circuit is earthed. Licensed practice and local codes decide.",
            figure="output",
        )
    elif not need.barrier:
        sheet.find(
            "no_barrier",
            "watch",
            "Socket not isolated from the source",
            f"Each pole of the socket is joined to the source through the switches, at up to {fmt(need.bus, 'V')} of it: what "
            "earths the source earths the socket, and who touches the source touches the socket.",
            "Feed it from a source that is itself isolated from mains and earth, or choose a route with a transformer. Nothing "
            "outside the case may be joined to either side but through a barrier; local codes decide.",
            figure="output",
        )
    if need.full > TOUCH_SAFE and not need.mains:
        sheet.find(
            "source_live",
            "watch",
            "Source voltage dangerous to touch",
            f"Up to {fmt(need.full, 'V')} DC at its terminals, leads, input bank and all that stands on them, switched off or "
            "not; an arc of it does not go out by itself.",
            "Fit a fuse and a two-pole disconnect rated for it in DC, right at the source; shrouded terminals, insulated "
            "tools, one hand; bleed, wait, measure, then touch. Licensed practice and local codes decide.",
            figure="output",
        )
    if build.sensing == DIVIDER and need.barrier:
        sheet.find(
            "sense_bridges",
            "stop",
            "The sense divider bridges the isolation",
            f"Its resistors join the mains side, at up to {fmt(need.peak, 'V')}, to the controller on the source: the "
            "isolation of the transformer is gone.",
            "An isolated amplifier, or a small transformer.",
            figure="sensing",
            cures=(("Sense through a barrier", _free("sensing")),),
        )
    if build.shut_down == WIRED:
        sheet.find(
            "shut_down",
            "fix",
            "The shut-down input ties the controller to whatever is outside",
            "A wire to a switch elsewhere brings earth, noise and surges to the controller.",
            "An opto-coupler at the input.",
            figure="shut_down",
            cures=(("Fit an opto-coupler", _free("shut_down")),),
        )
    if proof is None or proof.severity:
        sheet.find(
            "proof",
            "stop",
            "The barrier's parts are not tested for this voltage",
            f"{fmt(now.proof, 'V')} RMS for a minute is asked of reinforced insulation beside "
            f"{fmt(need.across, 'V')}{' DC' if need.direct or need.across > need.v_out else ' RMS'}; "
            + (f"{fmt(build.proof, 'V')} is what they are tested with." if build.proof else "nothing says what they stand."),
            "Opto-couplers, transformers and amplifiers of reinforced insulation; local codes decide.",
            figure="proof",
            worst=proof,
            cures=(("Parts of the usual proof voltage", _free("proof")),),
        )
    if plugs.severity:
        sheet.find(
            "connectors",
            "fix",
            "A connector below its voltage",
            f"{fmt(plugs.value, 'V')} on connectors rated {short(build.connectors, 'V')}: it tracks, and arcs when pulled.",
            "Connectors rated for the link as DC.",
            worst=plugs,
            cures=(("Let the proposal choose the rating", _free("connectors")),),
        )
    if build.case == CASE_RETURN:
        sheet.find(
            "case_return",
            "stop",
            "The case carries a working current",
            "With a loose screw it stands at the voltage of what flows through it, in the hand of who touches it.",
            "A conductor of its own for every return; the case is earthed and carries nothing.",
            figure="case",
            cures=(("Earth the case, carry nothing", _free("case")),),
        )
    elif build.case == CASE_FREE:
        sheet.find(
            "case_open",
            "fix",
            "A metal case that is not earthed",
            "Filter and winding capacitance bring it to half the output; a fault brings it all.",
            "Earth it, or make it of insulating material throughout.",
            figure="case",
            cures=(("Earth the case", _free("case")),),
        )
    if build.clip == BRIDGE_CLIP:
        sheet.find(
            "clip",
            "stop",
            "The oscilloscope's ground shorts the bridge to earth",
            f"Its clip is earth. On the bridge it meets up to {fmt(need.bus, 'V')}: the probe, the bridge or the person goes.",
            "Ground clip on source negative only, that earthed nowhere else; a differential probe for all beyond the "
            "barrier. Never cut the instrument's earth.",
            figure="clip",
            cures=(("Differential probe beyond the barrier", _free("clip")),),
        )
    elif build.clip == SAFE_CLIP and need.live:
        sheet.find(
            "clip_live",
            "fix",
            "Probe ground on a dangerous source",
            f"Source negative is no safe place for it: up to {fmt(need.full, 'V')} stand on that side, the source may be "
            "earthed or joined to the mains elsewhere, and what is left then floats at its full voltage.",
            "Use a differential probe everywhere. Never cut the instrument's earth.",
            figure="clip",
            cures=(("Differential probe everywhere", _free("clip")),),
        )


def _sense(sheet: Sheet, build: IsolationBuild, need: IsolationNeed, now: IsolationState, swing: Worst) -> None:
    again = ("Let the proposal choose the divider", _free("sense_top", "sense_bottom"))
    if swing.severity:
        sheet.find(
            "sense_clips",
            "fix",
            "The sense chain clips before the output is too high",
            f"{fmt(need.peak, 'V')} make {fmt(now.at_converter, 'V')}{' about the middle' if need.followed else ''} of "
            f"{CONVERTER:g} V: the display "
            "shows a safe output while it rises.",
            "A lower resistor that leaves room above the highest output.",
            worst=swing,
            cures=(again,),
        )
    if build.corner < SLOWEST * need.followed:
        sheet.find(
            "sense_slow",
            "fix",
            "The sense filter is too slow for the line",
            f"At {short(build.corner, 'Hz')} it lags by {fmt(now.lag, '1', 2)} degrees and takes "
            f"{fmt(now.lost, '%', 2)} off: the loop works against its own delay.",
            "A corner eight times the line at least.",
            figure="corner",
            cures=(("Let the proposal choose the corner", _free("corner")),),
        )
    elif need.sampled and build.corner > need.sampled / 2:
        sheet.find(
            "sense_aliases",
            "fix",
            "The sense filter lets the carrier through",
            f"It passes up to {short(build.corner, 'Hz')}; the output is sampled at {short(need.sampled, 'Hz')}: "
            "ripple reads as a slow swing that is not there.",
            "A corner below half the sampling.",
            figure="corner",
            cures=(("Let the proposal choose the corner", _free("corner")),),
        )
    if now.step > COARSE * need.v_out:
        sheet.find(
            "sense_coarse",
            "watch",
            "One count is a visible step of the output",
            f"{fmt(now.step, 'V')} a count: {build.bits} bits over a span of {fmt(now.span, 'V')}.",
            "More bits, or a divider that fills the converter.",
            figure="step",
            cures=(("Let the proposal choose divider and bits", _free("sense_top", "sense_bottom", "bits")),),
        )
    if not build.clamped:
        sheet.find(
            "sense_unclamped",
            "fix",
            "The converter's input has no clamp",
            "A spike on the output, or an open lower resistor, puts it beyond its supply: the controller dies.",
            "Two diodes to its supply, with a resistor before them; a filter below half the sampling rate.",
            figure="clamped",
            cures=(("Clamp it", _free("clamped")),),
        )
    if now.error > WRONG:
        sheet.find(
            "sense_wrong",
            "watch",
            "The reading misleads",
            f"It may be off by {fmt(now.error, '%', 2)}: {fmt(now.error * need.v_out, 'V', 2)} of {short(need.v_out, 'V')}.",
            "Calibrate at two points against a true-RMS meter, and write the figures down.",
            figure="error",
            cures=(("Calibrate it", _free("calibrated", "bits", "sense_top", "sense_bottom")),),
        )


def _coils(sheet: Sheet, build: IsolationBuild, now: IsolationState, spike: Worst) -> None:
    if spike.severity:
        sheet.find(
            "coil_spike",
            "stop",
            "A relay's coil kills its driver",
            f"With nothing across it the coil drives its transistor to {fmt(spike.value, 'V', 2)} at switch-off, or "
            f"until it breaks down; it stands {short(DRIVER_STANDS, 'V')}.",
            "A diode with a zener: it releases fast and spares the driver.",
            worst=spike,
            cures=(("Diode and zener across the coil", _free("coil_clamp")),),
        )
    elif build.coil_clamp == DIODE:
        sheet.find(
            "coil_slow",
            "watch",
            "A diode alone keeps the contactor closing its arc",
            "The coil's current decays slowly and the contacts part slowly: they burn when they break a DC current.",
            "A zener in series with the diode.",
            figure="coil_clamp",
            cures=(("Diode and zener across the coil", _free("coil_clamp")),),
        )
    if now.coil_low < PULLS_IN or now.coil_high > COIL_MOST:
        sheet.find(
            "coil_range",
            "fix",
            "The relay's coil does not suit its supply",
            f"It gets {fmt(now.coil_low, '%', 2)} to {fmt(now.coil_high, '%', 2)} of its rated "
            f"{short(build.coil_rated, 'V')}: "
            f"it pulls in above {fmt(PULLS_IN, '%', 2)} and stands {fmt(COIL_MOST, '%', 3)}.",
            "A coil of another voltage, or the regulated control supply.",
            figure="coil_rated",
            cures=(("Run it on the control supply", _free("coil_supply", "coil_rated")),),
        )
