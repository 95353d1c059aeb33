"""What the protection shows, and the findings with their cures."""

from __future__ import annotations

import math
from typing import TypeAlias

from rhombos.core.blocks.protection import (
    ABOVE_LATCH,
    BLINKS,
    FUSE_ALONE,
    HEADROOM,
    HIGHEST_PICK_UP,
    KEY,
    LINEAR,
    UNGUARDED,
    ProtectionBuild,
    ProtectionNeed,
    ProtectionState,
    judged_twice,
)
from rhombos.core.blocks.protection import thresholds as made_thresholds
from rhombos.core.blocks.short_path import ShortPath
from rhombos.core.control.thresholds import Band, Tap
from rhombos.core.design.findings import PinValue, Severity
from rhombos.core.frame.points import OVER_FULL
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder, Worst
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[ProtectionBuild, ProtectionState]"

USED = 0.85
"""Share of the charge that is expected to be used before the cut-off acts."""
WIDE = 1.2
"""Output at which loads are damaged, over what they are made for."""
SLOW = 4.0
"""Excess heat that an overload may bring, over that of the surge for which the parts were judged."""
DIVIDER = ("top", "bottom", "trimmer", "hold")
Bands = dict[str, tuple[str, Tap, Band]]


def report(sheet: Sheet, need: ProtectionNeed, stage: ShortPath, can: float) -> BlockReport:
    """Figures and findings; `can` is the highest voltage that the input bank is rated for, V."""
    build: ProtectionBuild = sheet.build
    now: ProtectionState = sheet.now
    made = made_thresholds(build, need.v_out, sheet.rules)
    cut, over = made["cut_off"][2], made["over_voltage"][2]
    sheet.choice("cut_off", r"V_{off}", "Cut-off, falling input", 4)
    sheet.choice("hysteresis", r"\Delta V", "Hysteresis of the cut-off")
    sheet.choice("warning", r"V_w", "Warning, falling input", 4)
    sheet.choice("over_voltage", r"V_{ov}", "Overvoltage cut-off", 4)
    top = sheet.fixed(
        "highest", r"\hat V_{ov}", "Overvoltage, highest corner", over.high, "V", can, 0.0, "every tolerance at its end"
    )
    sheet.choice("delay", "t_{off}", "Cut-off delay")
    sheet.choice("restart", "", "Restart after it")
    sheet.choice("adjusted", "", "Trimmers set on the bench")
    for name, symbol, title in (("top", "R_1", "Cut-off, upper resistor"), ("bottom", "R_2", "… lower resistor"),
                                ("trimmer", "R_v", "… trimmer"), ("hold", "R_h", "… back from the output")):  # fmt: skip
        sheet.choice(name, symbol, title)
    sheet.fixed_value("cut_off_made", "V_{off}", "Cut-off, trimmer in its middle", now.cut_off, "V", "nominal parts")
    sheet.fixed_value("cut_off_low", r"V_{off}^-", "Cut-off, lowest corner", cut.low, "V", "every tolerance at its end")
    sheet.fixed_value("cut_off_high", r"V_{off}^+", "Cut-off, highest corner", cut.high, "V", "every tolerance at its end")
    sheet.result("sag", r"\Delta V_s", "Sag that vanishes with the load", "V", point="low")
    if need.resting:
        sheet.fixed_value("usable", "q", "Charge used until the cut-off, full power", now.usable, "%", "terminals under load")
        sheet.fixed_value("run_time", "t", "Run time to the cut-off, full power", now.run_time, "s", "from a full battery")
    sheet.choice("supply", "", "Control supply")
    fed = sheet.limited("supply_high", r"\hat V_s", "Highest on the control supply", "V", build.supply_stands)
    sheet.choice("supply_stands", "", "… stands")
    sheet.choice("supply_guard", "", "… before it")
    rms = "" if need.direct else ", RMS"
    sheet.choice("output_low", "U_{-}", f"Output too low{rms}")
    sheet.choice("output_high", "U_{+}", f"Output too high{rms}")
    sheet.choice("overload", "P_0", "Overload counts above")
    sheet.choice("twice", "t_2", "Time allowed at 2× overload")
    if math.isfinite(now.surge_passes):
        sheet.result("surge_passes", "t_s", "Surge ride-through", "s")
    sheet.choice("short", "", "Short circuit")
    sheet.choice("short_trip", r"I_{trip}", "Short trips at, peak at the socket")
    sheet.choice("short_delay", "t_d", "Trip-to-off delay")
    sheet.choice("coil", "L_S", "Coil that slows a short")
    off = sheet.limited("short_off", r"I_{off}", "Current when a short is off", "A", stage.withstand) \
        if build.short != FUSE_ALONE else None  # fmt: skip
    sheet.choice("after_trip", "", "After a short")
    sheet.choice("output_relay", "K_2", "Relay at the socket, both poles")
    sheet.choice("output_fuse", "F_2", "Fuse at the socket")
    if not need.high_frequency:
        sheet.choice("suppressor", "U_S", f"Surge suppressor, working {'DC' if need.direct else 'RMS'}")
    if need.direct:
        sheet.fixed_value("dumps", r"\hat I_C", "What the bank drives into a short", need.dumps, "A", "at most, through a cord")
        sheet.find("bank_dumps", "note", "A short takes all that the bank holds",
                   f"{fmt(need.stored, 'J', 2)}, at up to {fmt(need.dumps, 'A', 2)}, flow before any trip or contact has "
                   "moved: these only keep the stage from adding to it.",
                   f"A fuse at the socket rated for {short(need.v_out, 'V')} DC; contacts that break direct current, opened "
                   "after the stage has stopped. Plug loads in while it is off: their own capacitors are a short at first.",
                   figure="dumps")  # fmt: skip
    _divider(sheet, build, now, made)
    (_battery if need.resting else _rail)(sheet, build, now, need, made)
    _thresholds(sheet, build, now, need, made, top)
    _supply(sheet, build, now, need, fed)
    _output(sheet, build, now, need, made, off, stage)
    return sheet.close(
        short(build.cut_off, "V"), "acts before something breaks; a fuse only keeps the fire away", 0.0, 0.0,
        {"top": short(build.top, "ohm"), "bottom": short(build.bottom, "ohm"), "trimmer": short(build.trimmer, "ohm"),
         "hold": short(build.hold, "ohm"), "cut_off": fmt(build.cut_off, "V"),
         "restart": fmt(build.cut_off + now.restart - now.cut_off, "V"), "band": f"{fmt(cut.low, 'V')} to {fmt(cut.high, 'V')}",
         "turn": f"{fmt(cut.per_turn, 'V', 2)} a turn", "blinks": " · ".join(f"{n} {b}" for n, b in enumerate(BLINKS,
                                                                                                              1))})  # fmt: skip


def _free(*names: str) -> dict[str, PinValue]:
    return {f"{KEY}.{n}": None for n in names}


RESET: tuple[str, dict[str, PinValue]] = (
    "Let the proposal set cut-off and parts",
    _free("cut_off", "hysteresis", "warning", *DIVIDER),
)


def _divider(sheet: Sheet, build: ProtectionBuild, now: ProtectionState, made: Bands) -> None:
    """Whether the parts make the cut-off that is wanted."""
    cut = made["cut_off"][2]
    parts = ("Let the proposal choose the parts", _free(*DIVIDER))
    if abs(cut.nominal - build.cut_off) > 0.002 * build.cut_off or (
            not build.adjusted and abs(now.cut_off - build.cut_off) > 0.02 * build.cut_off):  # fmt: skip
        sheet.find("reach", "fix", "The divider does not reach the wanted cut-off",
                   f"Its trimmer covers {fmt(cut.reach_low, 'V', 4)} to {fmt(cut.reach_high, 'V', 4)} with every tolerance at "
                   f"its end; {short(build.cut_off, 'V')} is wanted.", "Another lower resistor, or a larger trimmer.",
                   figure="cut_off_made", cures=(parts,))  # fmt: skip
    elif not cut.reach_low <= build.cut_off <= cut.reach_high:
        sheet.find("reach", "fix", "Cut-off trim range insufficient at tolerance limits",
                   f"From the worst corner it covers {fmt(cut.reach_low, 'V', 4)} to {fmt(cut.reach_high, 'V', 4)}; "
                   f"{short(build.cut_off, 'V')} is wanted: some boards cannot be set.",
                   "A larger trimmer, or resistors of closer tolerance.", figure="cut_off_made", cures=(parts,))  # fmt: skip


def _battery(sheet: Sheet, build: ProtectionBuild, now: ProtectionState, need: ProtectionNeed, made: Bands) -> None:
    """A cut-off that spares the cells, and still lets them be used."""
    cut = made["cut_off"][2]
    if cut.low < need.empty * (1 - 1e-6):
        far = cut.high < need.empty
        sheet.find("cut_off_low", "stop" if far else "fix", "The cut-off lets the battery run below empty",
                   f"It may act as low as {fmt(cut.low, 'V', 4)}; these cells are empty at {short(need.empty, 'V')}"
                   + (": it is a cut-off for another battery." if far else "."),
                   "Set it for this chemistry and cell count, and closer: adjust it, or raise it by its tolerance.",
                   figure="cut_off_low", cures=(("Set it on the bench, for this battery",
                                                 {**RESET[1], f"{KEY}.adjusted": None}),))  # fmt: skip
    if cut.high > need.nominal:
        sheet.find("cut_off_high", "fix", "The cut-off leaves the battery half full",
                   f"It may act at {fmt(cut.high, 'V', 4)}; this battery rests at {short(need.nominal, 'V')} for most of its "
                   "charge: the unit seems dead on a good battery.", "Set it for this chemistry and cell count.",
                   figure="cut_off_high", cures=(RESET,))  # fmt: skip
    if now.usable < USED:
        held = need.resistance * sheet.now.feed[0]
        sheet.find("sag_cuts", "watch" if now.usable > 0 else "fix", "Cut-off trips early under load",
                   f"At full power the terminals lie {fmt(now.sag, 'V')} below the rested battery: the cut-off at "
                   f"{short(build.cut_off, 'V')} acts with {fmt(1 - now.usable, '%', 2)} of the charge left.",
                   "A larger or warmer battery, thicker leads, less power, or a cut-off that allows for the current.",
                   figure="usable", unavoidable="the battery's own resistance makes the sag" if held > 0 else None)  # fmt: skip
    if build.restart == "at once":
        sheet.find("restart", "watch", "It starts again as soon as the load is gone",
                   "A resting battery recovers by itself: it is run down again and again, each time a little deeper.",
                   "Lock the restart until the battery has recovered, by the charger or by hand.", figure="restart",
                   cures=(("Lock it", {f"{KEY}.restart": None}),))  # fmt: skip


def _rail(sheet: Sheet, build: ProtectionBuild, now: ProtectionState, need: ProtectionNeed, made: Bands) -> None:
    """A cut-off that keeps clear of what the rail does, and lets nothing start where the load would hold it down."""
    cut, least = made["cut_off"][2], need.empty - now.sag
    if cut.high > least:
        sheet.find("cut_off_high", "fix", f"The cut-off acts within the {need.fed_by}'s band",
                   f"It may act at {fmt(cut.high, 'V', 4)}; at full power the lowest {need.fed_by} brings "
                   f"{fmt(least, 'V', 4)} to it.",
                   "Set it lower, or shorten the leads.", figure="cut_off_high", cures=(RESET,),
                   unavoidable="below it the load would hold the rail at its current limit"
                   if build.cut_off <= ABOVE_LATCH * need.latches else None)  # fmt: skip
    if cut.low < need.latches:
        sheet.find("latches", "watch", "The stage may start where it holds the rail down",
                   f"Below {fmt(need.latches, 'V', 4)} full power draws more than the rail's limit, and keeps it there; the "
                   f"cut-off may let it run down to {fmt(cut.low, 'V', 4)}.",
                   "A cut-off above that voltage, a soft start without load, or a higher limit.", figure="cut_off_low",
                   cures=(RESET,))  # fmt: skip


def _thresholds(
    sheet: Sheet, build: ProtectionBuild, now: ProtectionState, need: ProtectionNeed, made: Bands, top: Worst
) -> None:  # fmt: skip
    """What holds whatever feeds it: hysteresis, warning, over-voltage, surge."""
    cut, warning, over = (made[k][2] for k in ("cut_off", "warning", "over_voltage"))
    gap = cut.back_low - cut.high
    if now.sag > gap > 0 or gap <= 0:
        sheet.find("chatters", "fix" if build.restart == "at once" else "watch", "The cut-off may chatter",
                   f"When it acts the load goes and the input rises by {fmt(now.sag, 'V', 2)}; the hysteresis is sure of "
                   f"{fmt(max(gap, 0.0), 'V', 2)} only: off, on, off, until something fails.",
                   "A hysteresis beyond the sag, and a restart that waits for the charger.", figure="hysteresis",
                   cures=(("Let the proposal set the hysteresis", _free("hysteresis", *DIVIDER)),))  # fmt: skip
    if warning.low <= cut.high:
        sheet.find("warning", "fix", "The warning may come with the cut-off, or after it",
                   f"It acts between {fmt(warning.low, 'V', 4)} and {fmt(warning.high, 'V', 4)}, the cut-off up to "
                   f"{fmt(cut.high, 'V', 4)}.", "Warn higher.", figure="warning",
                   cures=(("Let the proposal set the warning", _free("warning")), RESET))  # fmt: skip
    if over.low < need.highest:
        brought = (
            "the charger"
            if need.resting
            else "the rail, lifted by what the load returns,"
            if need.lifted
            else f"the {need.fed_by}"
        )
        sheet.find("over_low", "fix", "It switches off at the highest input",
                   f"The limit may act from {fmt(over.low, 'V', 4)}; {brought} brings {short(need.highest, 'V')}.",
                   "Set it above the highest input.", figure="over_voltage",
                   cures=(("Let the proposal set the limit", _free("over_voltage")),))  # fmt: skip
    if top.severity or over.high > OVER_FULL * need.highest:
        least = min(top.rating, OVER_FULL * need.highest)
        sheet.find("over_high", "stop" if top.severity else "fix", "Too high an input reaches the stages",
                   f"It may act as late as {fmt(over.high, 'V', 4)}; the stages were judged to "
                   f"{short(OVER_FULL * need.highest, 'V')} and the input bank is rated {short(top.rating, 'V')}: "
                   f"{fmt(least, 'V', 3)} is the most.",
                   "Set it close above the highest input, and fit cans that stand it.", figure="highest",
                   cures=(("Let the proposal set the limit", _free("over_voltage")),
                          ("Choose limit and cans again",
                           {**_free("over_voltage"), f"{need.bank}.capacitor": None})))  # fmt: skip
    if now.surge_sags_to < cut.high and build.delay < need.surge_time:
        sheet.find("surge_cuts", "fix", "A surge trips the cut-off",
                   f"It pulls an input of {short(need.nominal, 'V')} down to {fmt(now.surge_sags_to, 'V')} for up to "
                   f"{short(need.surge_time, 's')}; the cut-off acts after {short(build.delay, 's')}.",
                   "Let the cut-off wait longer than the surge, or thicken what feeds it.",
                   figure="delay", cures=(("Let the proposal set the delay", _free("delay")),))  # fmt: skip


def _supply(sheet: Sheet, build: ProtectionBuild, now: ProtectionState, need: ProtectionNeed, fed: Worst) -> None:
    again = ("Let the proposal choose the supply", _free("supply", "supply_stands"))
    if fed.severity:
        grave: Severity = "stop" if need.full > build.supply_stands else "fix"
        sheet.find("supply_high", grave, "The input is too high for the control supply",
                   f"{fmt(need.full, 'V')} at its highest, {fmt(fed.value, 'V')} with what a suppressor lets through, on a "
                   f"supply that stands {short(build.supply_stands, 'V')}: the controller and every gate go with it.",
                   "A supply of a higher input rating.", worst=fed, cures=(again,))  # fmt: skip
    if build.supply == LINEAR and now.supply_low < need.gate + HEADROOM:
        sheet.find("supply_low", "fix", "The lowest input starves the gates",
                   f"{fmt(now.supply_low, 'V')} at full power, less {fmt(HEADROOM, 'V', 1)} in the regulator, for a gate "
                   f"supply of {short(need.gate, 'V')}: half-driven switches burn.",
                   "A converter, or a lower gate supply with a lock-out.", figure="supply", cures=(again,))  # fmt: skip
    if build.supply_guard == UNGUARDED:
        sheet.find("supply_spikes", "fix", "Spikes reach the control supply",
                   "Leads ring at every edge, and a fuse that opens throws what the cable holds at it: capacitors rated three "
                   "times the input have died so, and the controller behind them.",
                   "A series resistor or bead, a suppressor, and a capacitor of its own, beside the controller.",
                   figure="supply_guard", cures=(("Fit them", _free("supply_guard")),))  # fmt: skip


def _output(
    sheet: Sheet, build: ProtectionBuild, now: ProtectionState, need: ProtectionNeed, made: Bands, off: Worst | None,
    stage: ShortPath,
) -> None:  # fmt: skip
    low, high = made["output_low"][2], made["output_high"][2]
    least, most = now.outputs
    if low.high > least or high.low < most:
        sheet.find("window_narrow", "fix", "The output check trips in normal use",
                   f"The output runs from {fmt(least, 'V')} to {fmt(most, 'V')}; the check may act below "
                   f"{fmt(low.high, 'V')} and above {fmt(high.low, 'V')}.",
                   "Widen the window, or hold the output closer.", figure="output_low",
                   cures=(("Widen the window", {f"{KEY}.output_low": math.floor(0.96 * least), f"{KEY}.output_high":
                                                math.ceil(1.04 * most)}),))  # fmt: skip
    if high.high > max(WIDE * need.v_out, 1.06 * most):
        sheet.find("window_wide", "watch", "Loads are damaged before the output check acts",
                   f"It may let {fmt(high.high, 'V')} pass; appliances are made for {short(need.v_out, 'V')} and a tenth more.",
                   "Lower the limit.", figure="output_high",
                   cures=(("Let the proposal set the window", _free("output_high", "output_low", "suppressor")),))  # fmt: skip
    if build.overload < need.continuous:
        sheet.find("overload_low", "fix", "The overload counts at the power that is asked",
                   f"It counts above {short(build.overload, 'W')}; {short(need.continuous, 'W')} is asked continuously.",
                   "A pick-up a tenth above the continuous power.", figure="overload",
                   cures=(("Let the proposal set the overload", _free("overload", "twice")),))  # fmt: skip
    if now.surge_passes < need.surge_time:
        sheet.find("overload_fast", "fix", "The overload trips on the surge",
                   f"{short(need.surge, 'W')} pass for {fmt(now.surge_passes, 's')}; {short(need.surge_time, 's')} is asked: "
                   "motors will not start.", "Let twice the pick-up pass for longer.", figure="twice",
                   cures=(("Let the proposal set the overload", _free("overload", "twice")),))  # fmt: skip
    elif build.overload > HIGHEST_PICK_UP * need.continuous or build.twice > SLOW * judged_twice(build, need):
        sheet.find("overload_slow", "fix", "An overload lasts longer than the parts were judged for",
                   (f"Only beyond {short(build.overload, 'W')} does an overload count" if build.overload > HIGHEST_PICK_UP
                    * need.continuous else f"Twice {short(build.overload, 'W')} pass for {fmt(build.twice, 's')}")
                   + f"; heat-sinks and windings were judged for {short(need.continuous, 'W')}, and "
                   f"{short(need.surge, 'W')} for "
                   f"{short(need.surge_time, 's')}.",
                   "A lower pick-up, or a shorter time.", figure="twice",
                   cures=(("Let the proposal set the overload", _free("overload", "twice")),))  # fmt: skip
    if off is None:
        sheet.find("short_fuse", "stop", "A fuse alone never saves the switches from a short",
                   f"The switches stand about {fmt(stage.withstand, 'A')} for microseconds; a fuse takes milliseconds to melt.",
                   "An electronic trip that is off before the switches fail; the fuse stays, against fire.", figure="short",
                   cures=(("Trip electronically", {f"{KEY}.short": None}),))  # fmt: skip
    elif off.severity:
        sheet.find("short_late", "stop", "A short is switched off too late",
                   f"{fmt(stage.volts, 'V')} across {fmt(stage.inductance, 'H', 2)} add "
                   f"{fmt(1e-6 * stage.volts / stage.inductance, 'A')} in a microsecond: {fmt(off.value, 'A')} when the "
                   f"switches are off, {fmt(stage.withstand, 'A')} is what they stand.",
                   "A quicker comparator, a lower trip, or a coil in the output that slows the rise.", worst=off,
                   cures=(("Let the proposal set trip, delay and coil", _free("short_trip", "short_delay", "coil")
                           | ({stage.coil_at: None} if stage.coil_at else {})),))  # fmt: skip
    if build.coil > 0 and stage.coil_at:
        sheet.find("coil_twice", "fix", "Coil set in the wrong block",
                   f"{short(build.coil, 'H')} in the lead of a high-frequency socket keep a part of its voltage; the coil of "
                   "that socket's own sheet is counted, this one is not.", "Set the coil there.", figure="coil",
                   cures=(("Move it there", _free("coil") | {stage.coil_at: build.coil}),))  # fmt: skip
    surge = need.socket_current(need.surge)
    surge_peak = need.peak
    if build.short != FUSE_ALONE and build.short_trip < surge_peak:
        sheet.find("short_early", "fix", "The short-circuit trip acts at the surge",
                   f"It trips at {fmt(build.short_trip, 'A')}; the surge peaks at {fmt(surge_peak, 'A')}.", "A higher trip.",
                   figure="short_trip", cures=(("Let the proposal set the trip", _free("short_trip")),))  # fmt: skip
    if build.after_trip == "continuous retry":
        sheet.find("retries", "fix", "It retries into a short without limit",
                   "Each try heats switches and wires again, while nobody looks.",
                   "Latch it, or latch after a few tries with a rest between them.", figure="after_trip",
                   cures=(("Latch it", {f"{KEY}.after_trip": None}),))  # fmt: skip
    if build.output_fuse < now.current:
        sheet.find("output_fuse", "fix", "The fuse at the socket is too small",
                   f"{fmt(now.current, 'A')} flow at full power through a fuse of {short(build.output_fuse, 'A')}.",
                   "The next size above 1.25 times the current.", figure="output_fuse",
                   cures=(("Let the proposal choose the fuse", _free("output_fuse")),))  # fmt: skip
    if build.output_relay < surge:
        sheet.find("output_relay", "fix", "The relay at the socket is too light",
                   f"{fmt(surge, 'A')} flow in the surge through contacts of {short(build.output_relay, 'A')}; they weld, "
                   "and open no longer.", "The next size up; both poles, closed and opened while the stage is off.",
                   figure="output_relay", cures=(("Let the proposal choose the relay", _free("output_relay")),))  # fmt: skip
    if build.suppressor < high.low and not need.high_frequency:
        sheet.find("suppressor", "fix", "The surge suppressor conducts at working voltage",
                   f"It is made for {short(build.suppressor, 'V')} RMS; the output may stand at {fmt(high.high, 'V')} before "
                   "it is switched off: it heats until it burns.", "The next rating above the output limit.",
                   figure="suppressor", cures=(("Let the proposal choose it", _free("suppressor")),))  # fmt: skip
