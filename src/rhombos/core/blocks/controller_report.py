"""What the controller shows: figures, findings and their cures."""

from __future__ import annotations

import math
from typing import TypeAlias

from rhombos.core.blocks.controller import KEY, ControllerBuild, ControllerState
from rhombos.core.blocks.link_loop import CURRENT, ControllerNeed
from rhombos.core.blocks.set_point import RESISTOR_VOLTS, strung, zeners
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.points import LASTING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.magnetics.sense import MOST_DROOP, MOST_FLUX
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[ControllerBuild, ControllerState]"

PULSATES = 1.1
"""Mean square of the source's current over its squared mean from which on it is worth a word."""


def report(sheet: Sheet, brief: Brief, need: ControllerNeed, highest_link: float) -> BlockReport:
    """The controller's figures and findings; `highest_link` is what the link's capacitors allow, V."""
    build: ControllerBuild = sheet.build
    now = sheet.now
    two = build.law != "one resistor"
    wanted = 2 * need.frequency
    sheet.choice("law", "", "Oscillator law")
    for name in ("law_a", "law_b") if two else ("law_k",):
        sheet.choice(name, name[-1], f"Constant {name[-1]} of the law")
    sheet.choice("timing_capacitor", "C_T", "Timing capacitor")
    sheet.choice("timing_resistor", "R_T", "Timing resistor")
    sheet.choice("timing_trimmer", "R_{Tv}", "Frequency trimmer")
    if two:
        sheet.choice("discharge_resistor", "R_D", "Discharge resistor")
    for name, symbol, title, unit in (
        ("oscillator", "f_{osc}", "Oscillator, mid-trim", "Hz"),
        ("output", "f_s", "Each output, half", "Hz"),
        ("dead_time", "t_d", "Dead time", "s"),
        ("ceiling", r"D_{\max}", "Largest duty of one switch", "1"),
    ):
        sheet.result(name, symbol, title, unit)
    _told(sheet, ("slowest", "", "A fresh board, slowest", "Hz"), ("fastest", "", "A fresh board, fastest", "Hz"))
    if need.regulated:
        _loop_figures(sheet, build, brief.output.frequency > 0, need.adjustable)
    sheet.choice("sensing", "", "Current sensing")
    if build.sensing == "current transformer":
        sheet.choice("sense_turns", "N_{ct}", "Turns of the current transformer")
        sheet.choice("sense_core", "", "Its core")
        sheet.choice("sense_grade", "", "Its grade")
        sheet.result("sense_flux", r"B_{ct}", "Its flux at the trip", "T", point="low")
        flat, at = sheet.states["low"], sheet.points["low"].label
        sheet.fixed_value("sense_droop", "", "Its magnetising share, pulse's end", flat.sense_droop, "%", at)
        sheet.result("sense_reset", r"V_{reset}", "Voltage that resets it in time", "V", point="low")
    sheet.choice("sense_resistor", "R_s", "Burden" if build.sensing == "current transformer" else "Shunt")
    sheet.result("trip", r"I_{trip}", "Trips at", "A")
    _told(sheet, ("sense_loss", "P_s", "Lost in it", "W"))
    sheet.choice("blanking", "t_b", "Leading-edge blanking")
    sheet.choice("soft_start", "t_{ss}", "Soft start")
    _timing_findings(sheet, build, now, need, wanted)
    if need.regulated:
        _set_findings(sheet, build, now, need, highest_link)
        if need.adjustable:
            _span_findings(sheet, build, now, need)
        _loop_findings(sheet, build, now, need, brief)
    else:
        sheet.find("open_loop", "note", "Nothing is fed back to this controller",
                   "The rectifier has no choke: duty cannot hold the link, so it stays fixed, and the bridge's modulation "
                   "holds the output.",
                   "Tie the error amplifier so that its output rests at the top: full duty, after the soft start.",
                   figure="output")  # fmt: skip
    _sense_findings(sheet, build, now, need)
    sheet.find("unused", "note", "Park what you do not use",
               "A second amplifier, comparator or section left floating picks up the switching and acts on it.",
               "Tie inputs of unused amplifiers to each other's quiet level, never leave a pin open; decouple reference and "
               "supply at the pins.", figure="feedback")  # fmt: skip
    return sheet.close(
        short(build.crossover, "Hz") if need.regulated else "open loop",
        "the oscillator runs at twice each output; isolation must stay whole", 0.0, 0.0,
        {"oscillator": fmt(now.oscillator, "Hz"), "output": fmt(now.output, "Hz"),
         "timing": fmt(build.timing_resistor, "ohm"), "trimmer": f"+ {fmt(build.timing_trimmer, 'ohm')}",
         "capacitor": fmt(build.timing_capacitor, "F"), "setpoint": fmt(now.setpoint, "V"),
         "top": fmt(build.r_top, "ohm"),
         "span": fmt(build.span_pot, "ohm") if need.adjustable and build.span_pot else "",
         "bottom": fmt(build.r_bottom, "ohm"), "trip": fmt(now.trip, "A"),
         "feedback": build.feedback if need.regulated else "none", "sense": fmt(build.sense_resistor, "ohm"),
         **_string(zeners(need.link) if strung(build) else ()),
         })  # fmt: skip


def _string(volts: tuple[float, ...]) -> dict[str, str]:
    """A string of zeners in words: those alike, and a last one that is not."""
    alike = [v for v in volts if v == volts[0]]
    many = f"{len(alike)} × " if len(alike) > 1 else ""
    return {
        "zeners": f"{many}{short(volts[0], 'V')}" if volts else "",
        "last_zener": f"+ {short(volts[-1], 'V')}" if len(alike) < len(volts) else "",
    }


def _loop_figures(sheet: Sheet, build: ControllerBuild, swings: bool, adjustable: bool) -> None:
    """What holds the link: set-point and compensation."""
    sheet.choice("feedback", "", "Feedback")
    if not strung(build):
        sheet.choice("reference", r"V_{ref}", "Reference")
        sheet.choice("r_top", "R_1", "Divider, upper")
        sheet.choice("r_bottom", "R_2", "Divider, lower")
        sheet.choice("set_trimmer", "R_{2v}", "Set-point trimmer")
    if adjustable:
        sheet.choice("span_pot", "R_p", "Potentiometer of the span, below the divider")
        sheet.choice("span_end", "R_e", "End resistor across it, 0: none")
        sheet.result("turned_down", r"V_{low}", "Set-point, turned down", "V")
        _told(sheet, ("turned_most", "", "Turned down, highest corner", "V"),
              ("turned_least", "", "Turned down, lowest corner", "V"))  # fmt: skip
    sheet.result("setpoint", r"V_{set}", "Set-point as fitted", "V")
    _told(sheet, ("lowest", "", "Set-point, lowest corner", "V"), ("highest", "", "Set-point, highest corner", "V"))
    sheet.choice("control", "", "Control of the choke, by")
    if build.control == CURRENT:
        if swings:
            sheet.choice("feed_forward", "", "Load power fed forward")
        sheet.result("slope", "m_c", "Slope compensation, minimum, at the choke", "A/s")
    sheet.choice("crossover", "f_x", "Crossover aimed at")
    for name in ("r2", "c1", "c2", "r3", "c3"):
        if getattr(build, name) > 0:
            sheet.choice(name, f"{name[0].upper()}_{name[1]}", f"Compensation {name.upper()}")
    sheet.result("resonance", "f_0", "Choke and bank resonate at", "Hz")
    _told(sheet, ("crossover", "f_x", "Crossover reached", "Hz"), ("phase", r"\varphi_m", "Phase margin, degrees", "1"))
    if swings:
        _told(sheet, ("passed", r"|\sigma|", "Share of the output's pulsation that reaches the source", "%"),
              ("mean_square", "k_p", "Mean square of the source's current, over its squared mean", "1"))  # fmt: skip
    sheet.result("dip", r"\Delta V_s", "Dip at a step from nothing to full power", "V")
    sheet.result("low_point", "", "Link, lowest, in such a step", "V")
    for school in sheet.now.schools:
        sheet.fixed_value(f"watts_{school.control}", "", f"Loss in the path's resistances, {school.name}", school.watts, "W",
                          f"link ripple {fmt(school.ripple, 'V')}, dip {fmt(school.dip, 'V')}")  # fmt: skip


def _told(sheet: Sheet, *figures: tuple[str, str, str, str]) -> None:
    """Figures that come of a search or a sweep and have no single formula to show."""
    for name, symbol, title, unit in figures:
        sheet.fixed_value(name, symbol, title, getattr(sheet.now, name), unit, sheet.points["nominal"].label)


def _free(*names: str) -> dict[str, PinValue]:
    return {f"{KEY}.{n}": None for n in names}


TIMING = ("timing_capacitor", "timing_resistor", "timing_trimmer", "discharge_resistor")


def _timing_findings(sheet: Sheet, build: ControllerBuild, now: ControllerState, need: ControllerNeed, wanted: float) -> None:
    cure = (("Let the proposal choose the timing", _free(*TIMING)),)
    if not now.trim_slow <= wanted <= now.trim_fast:
        halved = " It would be right for the outputs: the oscillator must run at twice their frequency." if (
            now.slowest <= wanted / 2 <= now.fastest) else ""  # fmt: skip
        sheet.find("trimmer", "fix", "Frequency trim range insufficient at tolerance limits",
                   (f"With every tolerance it reliably covers {fmt(now.trim_slow, 'Hz')} to {fmt(now.trim_fast, 'Hz')}"
                    if now.trim_slow <= now.trim_fast else
                    f"Its span is smaller than the tolerances, which alone make {fmt(now.slowest, 'Hz')} to "
                    f"{fmt(now.fastest, 'Hz')}: "
                    "no frequency is sure") + "; the stage asks "
                   f"{fmt(wanted, 'Hz')} of the oscillator.{halved}",
                   "Another fixed resistor, a larger trimmer, or a capacitor of closer tolerance.", figure="timing_resistor",
                   cures=cure)  # fmt: skip
    if now.dead_time < need.off_time:
        sheet.find("dead_time", "stop" if now.dead_time < 0.5 * need.off_time else "fix", "Both sides may conduct at once",
                   f"The controller leaves {fmt(now.dead_time, 's')} between its outputs; the switches take "
                   f"{fmt(need.off_time, 's')} to turn off.",
                   "A larger discharge resistor, the law with a discharge resistor, or a stronger gate drive.",
                   figure="dead_time", cures=(("Let the proposal choose the timing", _free(*TIMING, "law")),))  # fmt: skip
    if now.ceiling < need.duty:
        sheet.find("ceiling", "fix", "Dead time takes the duty that the lowest input needs",
                   f"{fmt(now.ceiling, '1')} of each switch is left; {fmt(need.duty, '1')} is asked.",
                   "Less dead time, or more secondary turns.", figure="ceiling", cures=cure)  # fmt: skip
    fresh = max(1 - now.slowest / wanted, now.fastest / wanted - 1)
    sheet.find("fresh", "note", "A fresh board starts off its frequency",
               f"By up to {fmt(fresh, '%', 2)} with the trimmer in its middle, from the tolerances of resistor, capacitor and "
               "the controller itself.", "Set it with a counter before the power stage is fitted.",
               figure="oscillator")  # fmt: skip


def _set_findings(
    sheet: Sheet, build: ControllerBuild, now: ControllerState, need: ControllerNeed, highest_link: float
) -> None:  # fmt: skip
    rules = sheet.rules
    cure = (("Let the proposal choose the divider", _free("feedback", "reference", "r_top", "r_bottom", "set_trimmer")),)
    string = strung(build)
    spread = max(now.highest - now.setpoint, now.setpoint - now.lowest)
    low, high = now.trim_low + spread, now.trim_high - spread
    covered = low <= need.link <= high
    if (string and spread > rules.link_tolerance * need.link) or (not string and not covered):
        sheet.find("setpoint", "fix", "The set-point cannot be brought to the link's voltage",
                   f"As fitted it lands at {fmt(now.setpoint, 'V', 4)}, anywhere from {fmt(now.lowest, 'V', 4)} to "
                   f"{fmt(now.highest, 'V', 4)}; the link is meant to stand at {fmt(need.link, 'V', 4)}"
                   + (", and a zener string has no trimmer." if string else
                      f"; with every tolerance the trimmer reliably reaches {fmt(low, 'V', 4)} to {fmt(high, 'V', 4)} only."
                      if low <= high else "; the trimmer's span is smaller than the tolerances: it reliably reaches nothing."),
                   "A shunt reference with a divider and trimmer, or resistors of closer tolerance.", figure="setpoint",
                   cures=cure)  # fmt: skip
    if now.highest > highest_link:
        sheet.find("too_high", "stop", "The highest set-point is beyond the link's capacitors",
                   f"{fmt(now.highest, 'V', 4)} with every tolerance against it; the capacitors stand "
                   f"{short(highest_link, 'V')}.",
                   "Closer tolerance, a lower link, or capacitors of a higher rating.", figure="highest",
                   cures=cure)  # fmt: skip
    if build.feedback == "bare divider":
        sheet.find("isolation", "stop", "The divider bridges the isolation",
                   "It joins the link, which belongs to the mains side, to the controller on the source.",
                   "Keep the divider on the link's side and cross with an opto-coupler rated for the voltage.",
                   figure="feedback", cures=(("Use a shunt reference and opto-coupler", _free("feedback")),))  # fmt: skip
    count = math.ceil(need.link * 1.1 / RESISTOR_VOLTS)
    if count > 1 and not string:
        sheet.find("top_series", "note", f"Make the upper resistor of {count} in series",
                   f"{fmt(need.link, 'V', 3)} across one small resistor is beyond its rating even where its watts are not "
                   f"({fmt(now.divider_power, 'W', 2)}).", f"{count} times {fmt(build.r_top / count, 'ohm', 2)}.",
                   figure="r_top")  # fmt: skip


SPAN = ("span_pot", "span_end")


def _span_findings(sheet: Sheet, build: ControllerBuild, now: ControllerState, need: ControllerNeed) -> None:
    """Whether the potentiometer turns the link down as far as asked, with every tolerance, and how much further."""
    rules, string = sheet.rules, strung(build)
    cure = (("Let the proposal choose the span", _free("feedback", "reference", "r_top", "r_bottom", "set_trimmer", *SPAN)),)
    if now.turned_most > need.least:
        sheet.find("span", "fix", "The set-point cannot be turned down far enough",
                   "A zener string has nothing to turn." if string else
                   f"It reliably reaches {fmt(now.turned_most, 'V')}; the link is to go down to {fmt(need.least, 'V')}.",
                   "A larger potentiometer, a larger end resistor across it, or a lower reference.",
                   figure="feedback" if string else "span_pot", cures=cure)  # fmt: skip
        return
    sheet.find("span_ends", "note", "The span has its stops in fixed resistors",
               f"Turned up, the lower resistor with its trimmer stops the link at {fmt(need.link, 'V')}: set it there on the "
               "bench. "
               f"Turned down it comes to {fmt(now.turned_down, 'V')}, anywhere from {fmt(now.turned_least, 'V')} to "
               f"{fmt(now.turned_most, 'V')}: potentiometers are off by up to "
               f"{fmt(rules.potentiometer_tolerance, '%', 2)}. An open wiper or track must not run "
               "the link up: the potentiometer lies below the divider as a variable resistor, with its wiper "
               "joined to the end that is not used.",
               "Measure both ends before the first load.", figure="turned_down")  # fmt: skip


def _loop_findings(
    sheet: Sheet, build: ControllerBuild, now: ControllerState, need: ControllerNeed, brief: Brief
) -> None:  # fmt: skip
    rules = sheet.rules
    cure = (("Let the proposal compensate", _free("control", "crossover", "r2", "c1", "c2", "r3", "c3")),)
    states = {k: sheet.states[k] for k in LASTING if k in sheet.states and k not in sheet.infeasible} or {"nominal": now}
    key = min(states, key=lambda k: states[k].phase)
    tight: ControllerState = states[key]
    if tight.phase < rules.phase_margin:
        sheet.find("margin", "stop" if tight.phase < 20 else "fix", "The loop is short of phase",
                   f"{tight.phase:.0f}° are left where it crosses over at {fmt(tight.crossover, 'Hz')}, "
                   f"{sheet.points[key].label}; the rules ask "
                   f"{rules.phase_margin:.0f}°. It rings after every load step"
                   + (", or oscillates." if tight.phase < 20 else "."),
                   "A lower crossover, more boost, or a capacitor with less series resistance.", figure="phase",
                   cures=cure)  # fmt: skip
    if now.crossover == 0:
        sheet.find("dead_loop", "fix", "The loop never reaches a gain of one", "The link then follows load and source.",
                   "More gain: a smaller C2, a larger R2.", figure="crossover", cures=cure)  # fmt: skip
    free = _free("control", "feed_forward", "crossover", "r2", "c1", "c2", "r3", "c3")
    if now.mean_square > PULSATES:
        others = [s for s in now.schools if s.mean_square < now.mean_square - 0.1 and s.holds]
        saved = f" Held {others[0].name}, the path would lose {fmt(others[0].watts, 'W')} in its resistances." if others else ""
        own = next((s.watts for s in now.schools if s.control == build.control), 0.0)
        sheet.find("pulsation", "note", "Output pulsation reaches the source",
                   f"{fmt(now.passed, '%', 2)} of it passes at {short(2 * brief.output.frequency, 'Hz')}: the mean square of "
                   f"the source's current is {fmt(now.mean_square, '1', 3)} times its squared mean, and the path's "
                   f"resistances lose {fmt(own, 'W')}.{saved} All before the link is sized for it.",
                   "A choke programmed in current with a crossover at a fifth of the line keeps the source's current smooth, "
                   "and lets the link ripple.", figure="passed",
                   cures=(("Let the proposal choose how the link is held", free),))  # fmt: skip
    dipped: ControllerState = min(states.values(), key=lambda s: s.low_point - s.floor)
    if dipped.low_point < dipped.floor:
        deep = "Socket dips too far at a load step"
        sheet.find("dip", "fix", deep if brief.output.direct else "Link dips below the crest at a load step",
                   f"From nothing to full power it falls by {fmt(dipped.dip, 'V')} to {fmt(dipped.low_point, 'V')}; "
                   + (f"the brief allows {fmt(dipped.floor, 'V')}." if brief.output.direct else "the crest of the sine "
                      f"asks {fmt(dipped.floor, 'V')}: some crests are flattened until the loop has answered."),
                   "A larger bank, the load's power fed forward, a faster loop, or a higher link.", figure="low_point", cures=(
                       ("Let the proposal choose how the link is held", free),
                       ("Let the proposal choose the bank", {"dc_link.capacitor": None, "dc_link.count": None})))  # fmt: skip
    if build.control == CURRENT and 0 < brief.output.frequency < build.crossover:
        sheet.find("near_line", "fix", "Crossover too near twice the line",
                   f"At {short(build.crossover, 'Hz')} the loop neither leaves the pulsation to the bank nor holds the link "
                   "against it.", "A crossover of a fifth of the line or less, or a fast loop.", figure="crossover",
                   cures=(("Let the proposal choose how the link is held", free),))  # fmt: skip


def _sense_findings(sheet: Sheet, build: ControllerBuild, now: ControllerState, need: ControllerNeed) -> None:
    rules = sheet.rules
    cure = (("Let the proposal choose the sense", _free("sensing", "sense_turns", "sense_resistor", "blanking")),)
    if now.trip < need.pulse:
        sheet.find("trips", "fix", "The current trip acts at the surge",
                   f"It trips at {fmt(now.trip, 'A')}; the surge asks {fmt(need.pulse, 'A')}.", "A smaller burden.",
                   figure="trip", cures=cure)  # fmt: skip
    elif now.trip > 2 * rules.trip_factor * need.pulse:
        sheet.find("trip_late", "fix", "The current trip acts too late",
                   f"{fmt(now.trip, 'A')} flow before it acts, against {fmt(need.pulse, 'A')} at the surge: it protects "
                   "nothing.",
                   "A larger burden.", figure="trip", cures=cure)  # fmt: skip
    if now.sense_loss > 2:
        sheet.find("shunt_heat", "watch", "Much is burnt only to sense the current",
                   f"{fmt(now.sense_loss, 'W')} in {fmt(build.sense_resistor, 'ohm')}.", "A current transformer.",
                   figure="sense_loss", cures=cure)  # fmt: skip
    flat: ControllerState = sheet.states["low"]  # the longest pulse
    core_cure = (("Let the proposal choose its core", _free("sense_core", "sense_grade", "sense_turns", "sense_resistor")),)
    if flat.sense_flux > MOST_FLUX:
        sheet.find("sense_saturates", "stop" if flat.sense_flux > 2 * MOST_FLUX else "fix",
                   "The current transformer saturates before it trips",
                   f"{fmt(flat.sense_flux, 'T')} by the end of a pulse at the trip level, from its remanence on: the signal "
                   "collapses just when it is needed.",
                   "More turns with a larger burden, a larger ring, or a lower trip level.",
                   figure="sense_flux", cures=core_cure)  # fmt: skip
    if flat.sense_droop > MOST_DROOP:
        sheet.find("sense_droops", "watch", "Much of the sensed current magnetises the ring",
                   f"{fmt(flat.sense_droop, '%', 2)} is missing in the burden at the end of a pulse: it trips that much later.",
                   "More turns, a larger ring, or a grade of higher permeability.", figure="sense_droop",
                   cures=core_cure)  # fmt: skip
    if build.blanking < need.off_time:
        sheet.find("blanking", "fix", "The trip sees every turn-on as a short",
                   f"{fmt(build.blanking, 's')} of blanking; the edge with its recovery lasts about {fmt(need.off_time, 's')}.",
                   "Blank the first part of each pulse.", figure="blanking", cures=cure)  # fmt: skip
