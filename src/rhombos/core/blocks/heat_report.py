"""What heat and insulation show, and the findings with their cures."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.heat import (
    BLOWN,
    EARTHED,
    FAN_TOLERANCE,
    INSIDE,
    KEY,
    NEGATIVE,
    HeatBuild,
    HeatNeed,
    HeatState,
    creepage_wanted,
    proof_wanted,
)
from rhombos.core.design.findings import PinValue, Severity
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder, Worst
from rhombos.core.parts.insulation import METAL_FILLED, PADS, TOUCH_SAFE
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[HeatBuild, HeatState]"

CONDUCTS_FROM = 100.0
"""Tab voltage from which a metal-filled compound is known to conduct, V."""


def report(sheet: Sheet, need: HeatNeed) -> BlockReport:
    """Figures and findings."""
    build: HeatBuild = sheet.build
    now: HeatState = sheet.now
    rules = sheet.rules
    sheet.choice("case", "", "Case")
    rise = sheet.limited("rise", r"\Delta T_i", "Air inside above the room", "K", rules.enclosure_rise)
    if build.case == BLOWN:
        sheet.choice("airflow", "q", "Air that the fan moves")
    else:
        sheet.choice("surface", "A", "Free surface of the case")
    fan = None
    if build.case == BLOWN or any(s.fan for s in need.stages):
        sheet.choice("fan_supply", "", "Fan runs on")
        sheet.choice("fan_rated", "V_{fan}", "Fan's rated voltage")
        fan = sheet.limited("fan_voltage", r"\hat V_{fan}", "Highest on the fan", "V", build.fan_rated * (1 + FAN_TOLERANCE))
    sheet.choice("pad", "", "Pad")
    pad = PADS[build.pad]
    proof = (
        sheet.fixed("proof", "V_p", "Pad must stand", now.proof, "V", pad.breakdown, 0.0, "the hardest stage")
        if pad.breakdown
        else None
    )
    sheet.choice("compound", "", "Compound")
    sheet.choice("sink", "", "Heat-sinks")
    sheet.choice("shared", "", "Sides share a heat-sink")
    sheet.choice("marked", "", "Live parts marked")
    sheet.choice("creepage", "d", "Tab to sink, along the surface")
    sheet.fixed_value("apart", r"d_{\min}", "… at least", now.apart, "mm", "the hardest stage")
    for stage in need.stages:
        sheet.fixed_value(
            f"sink_{stage.key}", "T_s", f"Heat-sink, {stage.name.lower()}", stage.sink, "degC", "hottest steady point"
        )
    sheet.choice("ntc", "R_{25}", "Thermistor at 25 °C")
    sheet.choice("ntc_b", "B", "Its B value")
    sheet.choice("pull_up", "R", "Resistor above it")
    for name, symbol, title in (
        ("fan_on", r"T_{on}", "Fan on, heat-sink"),
        ("fan_off", r"T_{off}", "Fan off again"),
        ("hot", r"T_{hot}", "Too hot: switches off"),
    ):
        sheet.choice(name, symbol, title)
    for name, symbol, title in (
        ("on_tap", "V_{on}", "Its tap there, of 2.5 V: fan on"),
        ("off_tap", "V_{off}", "… fan off"),
        ("hot_tap", "V_{hot}", "… too hot"),
    ):
        sheet.result(name, symbol, title, "V")
    sheet.fixed_value("error", r"\pm\Delta T", "A temperature may be off by", now.error, "K", "5 % thermistor, 1 % resistors")
    _insulation(sheet, build, need, now, proof)
    _heat(sheet, build, need, now, rise, fan)
    return sheet.close(
        f"+{fmt(now.rise, 'K', 2)}",
        "what is not carried off stays",
        0.0,
        0.0,
        {
            "case": build.case,
            "rise": fmt(now.rise, "K"),
            "room": short(need.room, "degC"),
            "pad": build.pad,
            "sink": build.sink,
            "inside": fmt(need.inside, "W"),
            "compound": build.compound,
            "proof": fmt(now.proof, "V"),
            "stages": " · ".join(f"{s.name} {fmt(s.sink, 'degC')}" for s in need.stages),
        },
    )


def _free(*names: str) -> dict[str, PinValue]:
    return {f"{KEY}.{n}": None for n in names}


def _insulation(sheet: Sheet, build: HeatBuild, need: HeatNeed, now: HeatState, proof: Worst | None) -> None:
    high = [s for s in need.stages if s.tab > TOUCH_SAFE]
    hardest = max(need.stages, key=lambda s: proof_wanted(build, s, need), default=None)
    if hardest is None:
        return
    pads = ("Let the proposal choose the pad", _free("pad"))
    where = {INSIDE: "a heat-sink inside", EARTHED: "a heat-sink that is earthed and in reach", NEGATIVE: "source negative"}[
        build.sink
    ]
    if build.pad.startswith("none"):
        if build.shared or build.sink != INSIDE:
            sheet.find(
                "bare",
                "stop",
                "Tabs are bolted bare to a heat-sink that joins them to something else",
                f"{hardest.name}'s tab swings to {fmt(hardest.tab, 'V')} and meets {where}"
                + (", shared with the other side" if build.shared else "")
                + ": a short, or a shock.",
                "A pad and an insulating bush under every device.",
                figure="pad",
                cures=(pads,),
            )
        else:
            sheet.find(
                "live_sink",
                "watch" if build.marked else "fix",
                "The heat-sink is live",
                f"It swings to {fmt(hardest.tab, 'V')} with the tab, radiates noise, and burns who touches it.",
                "Mark it, cover it, keep it away from the case; or fit pads.",
                figure="pad",
                cures=(pads,),
            )
    elif proof is not None and proof.severity:
        sheet.find(
            "pad",
            proof.severity,
            "The pad does not stand what the tab asks",
            f"{build.pad[0].upper()}{build.pad[1:]} breaks down at {fmt(proof.rating, 'V')}; {hardest.name.lower()} "
            f"with {fmt(hardest.tab, 'V')} on its tab, spikes included, against {where}, asks "
            f"{fmt(proof.value, 'V')}. A multimeter shows no fault until it arcs.",
            "A pad that is rated for it, tested at that voltage.",
            worst=proof,
            cures=(pads,),
        )
    if PADS[build.pad].resistance > sheet.rules.pad_resistance * (1 + 1e-9):
        sheet.find(
            "pad_hot",
            "fix",
            "The pad is warmer than the rules count on",
            f"{fmt(PADS[build.pad].resistance, 'K/W')} under each device; every junction was judged with "
            f"{fmt(sheet.rules.pad_resistance, 'K/W')}.",
            "A better pad.",
            figure="pad",
            cures=(pads,),
        )
    if build.compound == METAL_FILLED and hardest.tab > CONDUCTS_FROM and not build.pad.startswith("none"):
        sheet.find(
            "compound",
            "fix",
            "The thermal compound conducts",
            f"Metal-filled compound creeps round the pad's edge and joins {fmt(hardest.tab, 'V')} to the heat-sink.",
            "An insulating compound, or none where the pad needs none.",
            figure="compound",
            cures=(("Insulating compound", {f"{KEY}.compound": None}),),
        )
    apart = max(need.stages, key=lambda s: creepage_wanted(build, s))
    if build.creepage < now.apart * (1 - 1e-9):
        sheet.find(
            "creepage",
            "fix",
            "Tab and heat-sink are too close along the surface",
            f"{fmt(build.creepage, 'mm')} for {fmt(apart.tab, 'V')} of {apart.name.lower()}; {fmt(now.apart, 'mm')} is "
            "the minimum in a clean room, and dust makes it less.",
            "A larger pad that stands out on every side, a bush in the screw hole.",
            figure="creepage",
            cures=(("Let the proposal set the distance", _free("creepage")),),
        )
    if not build.marked and high:
        sheet.find(
            "unmarked",
            "fix",
            "Nothing says that it is live inside",
            f"{high[0].name} carries {fmt(high[0].tab, 'V')} on its tabs, and the link stays charged after switch-off.",
            "A mark at the heat-sinks and on the cover, with the time to wait.",
            figure="marked",
            cures=(("Mark it", {f"{KEY}.marked": None}),),
        )


def _heat(sheet: Sheet, build: HeatBuild, need: HeatNeed, now: HeatState, rise: Worst, fan: Worst | None) -> None:
    cases = ("Let the proposal choose the case", _free("case", "surface", "airflow"))
    if rise.severity:
        sheet.find(
            "case",
            "fix",
            "It gets warmer inside than the rules count on",
            f"{fmt(need.inside, 'W')} make {fmt(now.rise, 'K')} above the room; every part was judged with "
            f"{fmt(sheet.rules.enclosure_rise, 'K')}.",
            "Slots above and below, a fan, or a larger case; decide it before the boards.",
            worst=rise,
            cures=(cases,),
        )
    if fan is not None and fan.severity:
        grave: Severity = "stop" if fan.value > 1.5 * build.fan_rated else "fix"
        sheet.find(
            "fan_voltage",
            grave,
            "The fan gets more than it is made for",
            f"{fmt(fan.value, 'V')} from the highest input on a fan of {short(build.fan_rated, 'V')}.",
            "A fan of the next voltage, or one on the control supply.",
            worst=fan,
            cures=(
                ("Run it on the control supply", _free("fan_supply", "fan_rated")),
                ("Let the proposal choose the fan", _free("fan_rated")),
            ),
        )
    limits = ("Let the proposal set the temperatures", _free("fan_on", "fan_off", "hot", "pull_up"))
    hottest = max(need.stages, key=lambda s: s.sink, default=None)
    if hottest is None:
        return
    late = [s for s in need.stages if s.junction + build.hot + now.error - s.sink > s.rating]
    if late:
        worst = max(late, key=lambda s: s.junction - s.sink - s.rating)
        sheet.find(
            "hot_late",
            "stop",
            "It switches off after the junctions are gone",
            f"At a heat-sink of {fmt(build.hot + now.error, 'degC')} the junctions of {worst.name.lower()} stand at "
            f"{fmt(worst.junction + build.hot + now.error - worst.sink, 'degC')}; they are rated "
            f"{short(worst.rating, 'degC')}.",
            "Switch off sooner.",
            figure="hot",
            cures=(limits,),
            unavoidable="they are beyond what is allowed in use already" if worst.junction > worst.allowed else None,
        )
    if build.hot - now.error < hottest.sink:
        sheet.find(
            "hot_early",
            "fix",
            "It switches off in normal use",
            f"{hottest.name} heats its sink to {fmt(hottest.sink, 'degC')} at the maximum ambient; the limit may act "
            f"from {fmt(build.hot - now.error, 'degC')}.",
            "A higher limit, or a larger heat-sink.",
            figure="hot",
            cures=(limits,),
        )
    if build.fan_on + now.error > build.hot - now.error:
        sheet.find(
            "fan_late",
            "fix",
            "It may be too hot before the fan runs",
            f"The fan starts at {short(build.fan_on, 'degC')}, give or take {fmt(now.error, 'K', 2)}; the limit is "
            f"{short(build.hot, 'degC')}.",
            "Start it sooner.",
            figure="fan_on",
            cures=(limits,),
        )
    if build.fan_on - build.fan_off < 2:
        sheet.find(
            "fan_chatters",
            "watch",
            "The fan starts and stops all the time",
            f"Only {fmt(build.fan_on - build.fan_off, 'K', 2)} lie between on and off.",
            "Let it run on for some kelvin.",
            figure="fan_off",
            cures=(limits,),
        )
