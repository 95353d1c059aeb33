"""The input of a unit on one-phase mains, in figures and findings."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.cooling import steady_limit
from rhombos.core.blocks.input_bank import can_voltage
from rhombos.core.blocks.mains_input import (
    COLD_LESS,
    KEY,
    NONE,
    RELAY,
    TRIPS,
    Line,
    MainsInputBuild,
    MainsState,
    capacitance,
    fault,
    first_charge,
    hot,
    inrush,
    swings_to,
    top_voltage,
)
from rhombos.core.blocks.mains_proposal import MORE, TRIES
from rhombos.core.book import link as link_book
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.parts import Capacitor, Diode, Fuse
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[MainsInputBuild, MainsState]"

LOADED = ("low", "nominal", "high")
"""Points at full power, lowest to highest mains."""
COUNTS_FROM = 75.0
"""Power from the mains, W, from which on limits of harmonics commonly apply."""
BANK: dict[str, PinValue] = {f"{KEY}.capacitor": None, f"{KEY}.count": None}
LIMITED: dict[str, PinValue] = {f"{KEY}.limiter": None, f"{KEY}.bypass": None}


def report(sheet: Sheet, line: Line) -> BlockReport:
    """What flows, what it does to the parts, and what to worry about."""
    build, now, shelf = sheet.build, sheet.now, sheet.shelf
    fallen = next((key for key in LOADED if sheet.states[key].falls), None)
    if fallen:
        _fallen(sheet, fallen)
    else:
        _line_figures(sheet)
        _fuse(sheet, line)
        _diodes(sheet, line)
        _bank(sheet, line)
        _inrush(sheet, line)
        _discharge(sheet, line)
    _live(sheet, line)
    words = {
        "limited": "yes" if build.limiter > 0 else "",
        "bypass": build.bypass,
        "mains": f"{short(line.volts[1], 'V')} {short(line.hertz, 'Hz')}",
        "bank": fmt(capacitance(build, shelf), "F"),
    }
    remark = words["mains"] + ("" if fallen else f", power factor {fmt(now.power_factor, '1', 2)}")
    words["stands"] = "it falls" if fallen else f"{fmt(now.mean, 'V')}, in each valley {fmt(sheet.states['low'].valley, 'V')}"
    headline = "bank falls" if fallen else f"{words['bank']} · {fmt(now.mean, 'V')}"
    return sheet.close(headline, remark, now.drawn, now.given, words)


def _fallen(sheet: Sheet, key: str) -> None:
    """What is chosen, and that the mains cannot feed it: there are no figures of a bank that falls."""
    for name, symbol, title in (
        ("capacitor", "C", "Bank capacitor"),
        ("count", "n", "… in parallel"),
        ("diode", "D", "Rectifier diode"),
        ("fuse", "F", "Line fuse"),
        ("limiter", r"R_{\mathrm{NTC}}", "Inrush limiter, cold"),
        ("bypass", "", "Limiter bridged by"),
        ("bleeder", "R_B", "Bleeder"),
    ):
        sheet.choice(name, symbol, title)
    sheet.find(
        "falls",
        "stop",
        "Mains cannot feed this load",
        f"At {sheet.points[key].label} the bank falls within half periods until the load, which keeps its power, takes it down "
        "for good.",
        "More capacitance, less resistance before it, or less power.",
        figure="count",
        cures=(("Let the proposal choose the bank and the limiter", BANK | LIMITED),),
        unavoidable=_tried(sheet),
    )


def _tried(sheet: Sheet) -> str | None:
    """Why no bank helps: the proposal tried larger ones; None where something is pinned, which may be what holds it back."""
    return None if sheet.pins.get(KEY) else f"banks up to {MORE**TRIES:.0f} times as large were tried, as far as cans go"


def _line_figures(sheet: Sheet) -> None:
    sheet.result("line_rms", "I", "Line current", "A")
    sheet.result("line_rms", "I_{low}", "Line current, lowest mains", "A", point="low")
    sheet.result("line_peak", r"\hat I", "Its peak, lowest mains", "A", point="low")
    sheet.result("apparent", "S", "Apparent power", "V*A")
    sheet.result("power_factor", r"\lambda", "Power factor", "1")
    sheet.result("distortion", r"\mathrm{THD}", "Its distortion", "%")
    sheet.result("third", "I_3", "Its third harmonic", "A")
    sheet.result("conducts", r"\alpha", "Diodes conduct", "%")
    if sheet.now.drawn > COUNTS_FROM and sheet.now.distortion > 0.5:
        sheet.find(
            "harmonics",
            "note",
            "Line current distorted",
            f"{fmt(sheet.now.distortion, '%')} of distortion at {fmt(sheet.now.drawn, 'W')}, "
            f"{fmt(sheet.now.third, 'A')} of it at three times the mains; power factor {fmt(sheet.now.power_factor, '1', 2)}.",
            "Limits commonly apply above 75 W, and the local standard's count: a correcting stage, or a choke, where they do. "
            "In a neutral shared by three phases the third adds up.",
            figure="distortion",
        )


def _fuse(sheet: Sheet, line: Line) -> None:
    """The fuse: what it carries, what it must not melt of, what it has to break."""
    build, rules, shelf = sheet.build, sheet.rules, sheet.shelf
    fuse = shelf.get(Fuse, build.fuse)
    cure = (("Let the proposal choose the fuse", {f"{KEY}.fuse": None}),)
    sheet.choice("fuse", "F", "Line fuse")
    carried = sheet.limited(
        "line_rms", "I_F", "Current of the fuse", "A", fuse.i_rating, 1 - 1 / rules.fuse_factor, over=LOADED
    )
    melts = sheet.fixed(
        "first_charge", "I^2t", "I²t of the first charge", first_charge(line, build, shelf), "A^2*s", fuse.i2t, 0.3,
        "crest, highest mains")  # fmt: skip
    breaks = sheet.fixed(
        "fault", "I_k", "A short behind the socket", fault(line), "A", fuse.breaking, 0.0, "highest mains")  # fmt: skip
    if carried.severity:
        sheet.find(
            "fuse_small",
            carried.severity,
            "Line fuse too small",
            f"{fmt(carried.value, 'A')} RMS at {sheet.where(carried)}; {short(fuse.i_rating, 'A')} leaves less than the rules' "
            f"factor of {rules.fuse_factor:g}, so it ages and opens.",
            "A larger fuse; the cord must stand it.",
            worst=carried,
            cures=cure,
        )
    if melts.severity:
        sheet.find(
            "fuse_melts",
            melts.severity,
            "Line fuse I²t too low",
            f"{fmt(melts.value, 'A^2*s')} at each switch-on at the crest; the fuse melts of {fmt(fuse.i2t, 'A^2*s')}.",
            "A limiter of more ohms, or a slow fuse.",
            worst=melts,
            cures=(("Let the proposal choose fuse and limiter", LIMITED | {f"{KEY}.fuse": None}),),
        )
    if breaks.severity or fuse.v_dc < line.volts[2]:
        sheet.find(
            "fuse_breaking",
            "stop" if fuse.v_dc < line.volts[2] else "fix",
            "Line fuse cannot break a short",
            f"{fmt(breaks.value, 'A')} at {short(line.volts[2], 'V')}; it breaks {short(fuse.breaking, 'A')} at "
            f"{short(fuse.v_dc, 'V')}.",
            "A fuse of higher voltage and breaking capacity.",
            figure="fuse",
            cures=cure,
            unavoidable="no fuse on the shelf breaks more"
            if fuse.v_dc >= line.volts[2] and fuse.breaking == max(f.breaking for f in shelf.all(Fuse))
            else None,
        )


def _diodes(sheet: Sheet, line: Line) -> None:
    build, rules = sheet.build, sheet.rules
    diode = sheet.shelf.get(Diode, build.diode)
    free: dict[str, PinValue] = {f"{KEY}.{n}": None for n in ("diode", "sink", "fan")}
    cure = (("Let the proposal choose diodes and sink", free),)
    sheet.choice("diode", "D", "Rectifier diode")
    reverse = sheet.fixed(
        "reverse",
        r"V_{R}",
        "Reverse voltage of a diode",
        top_voltage(line, build, sheet.shelf),
        "V",
        diode.v_rating,
        rules.diode_voltage_margin,
        "highest mains",
    )
    if reverse.severity:
        sheet.find(
            "reverse",
            reverse.severity,
            "Rectifier voltage rating too low",
            f"{fmt(reverse.value, 'V')} against {short(diode.v_rating, 'V')}, before any surge of the mains.",
            "Diodes of the next voltage class; above the clamping voltage of a suppressor, where one is fitted.",
            worst=reverse,
            cures=cure,
        )
    mean = sheet.limited(
        "diode_mean", r"\bar I_D", "Mean current of a diode", "A", diode.i_rating, rules.diode_current_margin, over=LOADED
    )
    if mean.severity:
        sheet.find(
            "diode_current",
            mean.severity,
            "Rectifier overloaded",
            f"{fmt(mean.value, 'A')} mean in each of four at {sheet.where(mean)}, rated {short(diode.i_rating, 'A')}.",
            "Larger diodes.",
            worst=mean,
            cures=cure,
        )
    sheet.result("diode_rms", "I_D", "RMS current of a diode", "A", point="low")
    limit = steady_limit(rules, diode.t_j_max)
    junction = sheet.limited(
        "junction", "T_j", "Junction, hottest", "degC", diode.t_j_max, 1 - limit / diode.t_j_max, over=LOADED
    )
    if junction.severity:
        sheet.find(
            "junction",
            junction.severity,
            "Rectifier too hot",
            f"{fmt(junction.value, 'degC')} at {sheet.where(junction)}.",
            "A larger heat-sink, or larger diodes.",
            worst=junction,
            cures=cure,
        )
    sheet.choice("sink", "", "Heat-sink")
    sheet.choice("fan", "", "Fan on the heat-sink")
    sheet.result("diode_loss", "P_D", "Loss of the diodes", "W", point="low")


def _bank(sheet: Sheet, line: Line) -> None:
    build, rules, shelf = sheet.build, sheet.rules, sheet.shelf
    can = shelf.get(Capacitor, build.capacitor)
    cure = (("Let the proposal choose the bank", BANK),)
    for name, symbol, title in (("capacitor", "C", "Bank capacitor"), ("count", "n", "… in parallel")):
        sheet.choice(name, symbol, title)
    sheet.fixed_value("bank", "C", "Bank", capacitance(build, shelf), "F", "at any")
    sheet.result("mean", r"\bar V", "Bank mean", "V")
    sheet.result("valley", r"V_{\min}", "Bank valley, lowest mains", "V", point="low")
    sheet.result("ripple", r"\Delta V", "Bank ripple, lowest mains", "V", point="low")
    stood = sheet.fixed(
        "can_voltage",
        r"V_C",
        "Voltage of each",
        can_voltage(top_voltage(line, build, shelf), build.banks),
        "V",
        can.v_rating,
        rules.input_capacitor_margin,
        "highest mains, switched on",
    )
    if stood.severity:
        sheet.find(
            "can_voltage",
            stood.severity,
            "Bank voltage rating too low",
            f"{fmt(stood.value, 'V')} on each, rated {short(can.v_rating, 'V')}; inductance of the mains "
            "carries an empty bank beyond the crest at switch-on where too little resistance damps.",
            "A limiter that damps, capacitors of the next voltage class, or two in series with equal resistors across.",
            worst=stood,
            cures=(("Let the proposal choose the bank", BANK | LIMITED | {f"{KEY}.banks": None}),),
        )
    ripple = sheet.limited(
        "can_ripple", "I_C", "Ripple current of each", "A", can.i_ripple, rules.ripple_current_margin, over=LOADED
    )
    if ripple.severity:
        sheet.find(
            "ripple",
            ripple.severity,
            "Bank capacitors overloaded",
            f"{fmt(ripple.value, 'A')} in each of {build.count} at {sheet.where(ripple)}, rated {short(can.i_ripple, 'A')}; "
            "what the next stage puts in beside that adds in squares.",
            "More capacitors, or such of less series resistance.",
            worst=ripple,
            cures=cure,
        )
    low = sheet.states["low"]
    sheet.fixed_value("hold_up", r"t_{\mathrm{hold}}", "Hold-up time, lowest mains", low.hold_up, "s", "lowest mains")
    for key in LOADED:
        if sheet.states[key].wanders:
            sheet.find(
                "wanders",
                "fix",
                "Charging pulses do not repeat",
                f"At {sheet.points[key].label} a large pulse leaves the bank so high that the next is small: inductance of the "
                "mains rings with a bank that small. Line current and ripple swing at half the usual frequency; figures are "
                "those of eight half periods in a row.",
                "A larger bank; resistance before it damps too, and burns.",
                figure="ripple",
                cures=cure,
                unavoidable=_tried(sheet),
            )
            break
    if low.valley < line.least:
        sheet.find(
            "valley",
            "fix",
            "Bank falls below what the next stage needs",
            f"{fmt(low.valley, 'V')} in each valley at the lowest mains; it works down to {short(line.least, 'V')}.",
            "More capacitance, a next stage that works from less, or a higher lowest mains.",
            figure="valley",
            cures=cure,
            unavoidable=_tried(sheet)
            if low.mean > 1.02 * line.least
            else "what the lowest mains leaves behind its own impedance is no higher, however large the bank",
        )
    elif low.hold_up < line.hold_up:
        sheet.find(
            "hold_up",
            "fix",
            "Hold-up time too short",
            f"{fmt(low.hold_up, 's')} from a valley of {fmt(low.valley, 'V')} to {short(line.least, 'V')}; "
            f"{short(line.hold_up, 's')} are asked.",
            "More capacitance, or a next stage that works from less.",
            figure="hold_up",
            cures=cure,
            unavoidable=_tried(sheet),
        )
    surge = sheet.states.get("surge_low")
    if surge and not surge.falls and surge.valley < surge.least and low.valley >= line.least:
        sheet.find(
            "surge_valley",
            "watch",
            "Output clipped during surge",
            f"The bank falls to {fmt(surge.valley, 'V')} in each valley at the lowest mains; {fmt(surge.least, 'V')} are "
            "needed then.",
            "More capacitance, or a surge that the lowest mains need not bear.",
            figure="valley",
        )


def _inrush(sheet: Sheet, line: Line) -> None:
    build, shelf = sheet.build, sheet.shelf
    sheet.choice("limiter", r"R_{\mathrm{NTC}}", "Inrush limiter, cold")
    sheet.choice("bypass", "", "Limiter bridged by")
    cold = inrush(line, build, shelf, COLD_LESS * build.limiter)
    again, swings = (f(line, build, shelf, hot(build)) for f in (inrush, swings_to))
    beyond = swings > build.banks * shelf.get(Capacitor, build.capacitor).v_rating
    first = sheet.fixed("inrush", r"\hat I_{on}", "Inrush, switched on", cold, "A", TRIPS * 1.25, 0.2, "crest, highest mains")
    sheet.fixed_value("restart", r"\hat I_{re}", "Inrush, restarted hot", again, "A", "crest, highest mains")
    sheet.result("limiter_loss", r"P_{\mathrm{NTC}}", "Loss of the limiter", "W", point="low")
    if first.severity:
        sheet.find(
            "inrush",
            "fix" if build.limiter <= 0 else "watch",
            "Inrush trips breakers",
            f"{fmt(cold, 'A')} at the crest of the highest mains; a household breaker of 16 A may trip from some "
            f"{short(TRIPS, 'A')} on, and contacts weld.",
            "A thermistor or a resistor before the bank, a relay across it once the bank stands.",
            worst=first,
            cures=(("Let the proposal choose the limiter", LIMITED),),
        )
    if build.bypass == NONE and build.limiter > 0 and (beyond or again > 1.25 * TRIPS):
        sheet.find(
            "restart",
            "fix" if beyond else "watch",
            "A hot thermistor limits little",
            f"{fmt(again, 'A')} when it is switched on again before the thermistor has cooled, which takes a minute; an "
            f"empty bank then swings to {fmt(swings, 'V')}.",
            "Bridge it with a relay: then it is cold whenever it is wanted.",
            figure="restart",
            cures=(("Bridge it with a relay", {f"{KEY}.bypass": RELAY}),),
        )


def _discharge(sheet: Sheet, line: Line) -> None:
    build, rules, shelf = sheet.build, sheet.rules, sheet.shelf
    sheet.choice("bleeder", "R_B", "Bleeder")
    bank = capacitance(build, shelf)
    seconds = link_book.bleed_time.work(
        {"R": build.bleeder, "C": bank, "V": max(line.crest, rules.safe_voltage), "V_safe": rules.safe_voltage}
    )
    safe = sheet.fixed(
        "safe_time", r"t_{\mathrm{safe}}", "Time to touch-safe", seconds, "s", rules.bleed_time, 0.0, "bleeder alone"
    )
    sheet.result("bleeder_loss", "P_B", "Loss of the bleeder", "W", point="high")
    sheet.result("loss", "P", "Loss, fuse to bleeder", "W")
    if safe.severity:
        sheet.find(
            "bleeds",
            "fix",
            "Bank stays dangerous too long",
            f"{fmt(seconds, 's')} after switch-off until {short(rules.safe_voltage, 'V')}; {short(rules.bleed_time, 's')} are "
            "allowed.",
            "A smaller bleeder.",
            worst=safe,
            cures=(("Let the proposal choose the bleeder", {f"{KEY}.bleeder": None, f"{KEY}.bleeder_part": None}),),
        )


def _live(sheet: Sheet, line: Line) -> None:
    sheet.find(
        "live",
        "watch",
        "Everything here is live mains",
        f"Both rails of the bank swing against earth by up to {fmt(line.crest, 'V')} while a plug is in its socket, switched "
        "off or not, and the bank holds its charge without it. An earthed probe on either rail is a short of the mains.",
        "An enclosure that keeps hands away, an isolating transformer and a differential probe on the bench, a fuse in the "
        "line; licensed practice and local codes decide.",
        figure="bleeder",
    )
