"""What the precharge shows, and the findings with their cures."""

from __future__ import annotations

import math
from typing import TypeAlias

from rhombos.core.blocks.precharge import (
    DROPS_OUT,
    KEY,
    MAKES,
    PULLS_IN,
    PULSE_MARGIN,
    SWITCHED,
    PrechargeBuild,
    PrechargeNeed,
    PrechargeState,
)
from rhombos.core.book import source
from rhombos.core.design.findings import PinValue
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder, Worst
from rhombos.core.parts import Fuse, Resistor
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[PrechargeBuild, PrechargeState]"

FUSE_SPARE = 0.3
"""Part of the fuse's melting that a start must leave, since starts add up."""


def report(sheet: Sheet, fuse: Fuse | None, need: PrechargeNeed) -> BlockReport:
    """Figures and findings; `fuse` is the source's, where one is known."""
    build: PrechargeBuild = sheet.build
    now: PrechargeState = sheet.now
    series = sheet.shelf.get(Resistor, build.type)
    never = math.isinf(now.time)
    waits = (
        sheet.fixed("time", "t", "Time to precharge", min(now.time, 1e4), "s", build.timeout, 0.0, "highest source")
        if not never
        else None
    )
    switched = build.school == SWITCHED
    pulse = (
        sheet.limited("fault_energy", "W_f", "Shorted bus, energy in the resistor", "J", series.pulse, PULSE_MARGIN)
        if switched
        else None
    )
    heat = sheet.limited(
        "mean_power",
        r"\bar P",
        "Mean power of all tries" if switched else "Shorted bus, continuous power",
        "W",
        series.power,
        sheet.rules.resistor_margin,
    )
    rated = sheet.limited("volts", "V", "Voltage across the resistor", "V", series.v_rating)
    closing = sheet.limited("inrush", r"\hat I_c", "Inrush left at closing", "A", MAKES * build.contactor)
    path = need.resistance + need.esr
    strain = float(source.decaying_pulse(I_pk=now.inrush, R_s=path, C=need.bank))
    ages = (
        sheet.fixed(
            "fuse_strain", "I^2t", "Inrush at closing, against the fuse", strain, "A^2*s", fuse.i2t, FUSE_SPARE, "each start"
        )
        if fuse
        else None
    )
    sheet.choice("school", "", "Resistor")
    sheet.choice("resistor", "R", "Precharge resistor")
    sheet.choice("type", "", "Resistor type")
    sheet.choice("close_at", "k", "Closes at, share of the source")
    sheet.choice("timeout", "t_o", "Time-out")
    if switched:
        sheet.choice("tries", "n", "Tries before it locks")
        sheet.choice("rest", "t_r", "Rest between tries")
    sheet.choice("wakes", "t_1", "Control supply first, for")
    sheet.choice("joins", "t_2", "Negative before the relay")
    sheet.choice("empty_below", "", "Bus counts as empty below")
    sheet.choice("closing", "t_3", "Positive before the relay lets go")
    sheet.choice("releasing", "t_4", "Relay release before running")
    sheet.choice("load", "", "Draws meanwhile")
    sheet.choice("load_power", "P_L", "What it draws at full voltage")
    sheet.fixed_value("ceiling", r"V_\infty", "Bus after unlimited time", now.ceiling, "V", "highest source")
    if not never:
        if build.load == "constant power" and build.load_power > 0:
            sheet.fixed_value("energy", "W", "Energy in the resistor", now.energy, "J", "integrated")
        else:
            sheet.result("energy", "W", "Energy in the resistor", "J")
    sheet.result("peak_current", r"\hat I", "Peak current", "A")
    sheet.result("peak_power", r"\hat P", "Peak power in the resistor", "W")
    relay = sheet.limited("peak_current", r"\hat I_r", "Peak through the relay", "A", build.relay) if switched else None
    carries = (
        sheet.fixed(
            "contactor_current",
            "I_c",
            "Current of the contactor",
            need.current,
            "A",
            build.contactor,
            0.0,
            "rating of the fuse",
        )
        if need.current
        else None
    )
    breaks = sheet.limited("volts", "V_b", "Voltage the contacts break", "V", build.contact_volts)
    if switched:
        sheet.choice("relay", "", "Precharge relay, rated")
    sheet.choice("contactor", "", "Contactor, rated")
    sheet.choice("contact_volts", "", "Contacts break, DC")
    if (relay and relay.severity) or (carries and carries.severity):
        sheet.find(
            "contacts",
            "fix",
            "Relay or contactor is too light",
            (f"{fmt(now.peak_current, 'A')} through a relay of {short(build.relay, 'A')}; " if switched else "")
            + f"{fmt(need.current, 'A')} "
            f"through a contactor of {short(build.contactor, 'A')}.",
            "The next size up.",
            worst=relay if relay and relay.severity else carries,
            cures=(("Let the proposal choose them", _free("relay", "contactor")),),
        )
    if breaks.severity:
        sheet.find(
            "breaks",
            "stop",
            "The contacts cannot break this voltage as DC",
            f"{fmt(now.volts, 'V')} across contacts that break {short(build.contact_volts, 'V')}: the arc stands until "
            "it has eaten them. An AC rating says nothing.",
            "Contacts rated for DC at this voltage, with arc magnets.",
            worst=breaks,
            cures=(("Let the proposal choose them", _free("contact_volts")),),
        )
    if fuse and ages and ages.severity:
        sheet.find(
            "fuse_ages",
            "fix",
            "Every start ages the input fuse",
            f"{fmt(strain, 'A^2*s', 2)} of inrush on a fuse that melts at {fmt(fuse.i2t, 'A^2*s', 2)}: it opens one day "
            "for no reason that is seen.",
            "Close later, or a slower fuse.",
            worst=ages,
            cures=(
                ("Close where the proposal does", _free("close_at", "resistor", "timeout")),
                ("Choose the fuse again too", {**_free("close_at", "resistor", "timeout"), "input_stage.fuse": None}),
            ),
        )
    _plugged(sheet, now, need)
    _findings(sheet, build, now, series, waits, pulse, heat, rated, closing)
    return sheet.close(
        short(build.resistor, "ohm"),
        "an empty bank is a short until a resistor has filled it",
        0.0,
        0.0,
        {
            "school": build.school,
            "resistor": short(build.resistor, "ohm"),
            "type": series.label,
            "closes": f"at {fmt(now.closes, 'V')}",
            "time": "never" if never else fmt(now.time, "s"),
            "timeout": short(build.timeout, "s"),
            "inrush": fmt(now.inrush, "A"),
            "source": fmt(now.volts, "V"),
            "load": build.load if build.load_power > 0 else "nothing",
        },
    )


def _free(*names: str) -> dict[str, PinValue]:
    return {f"{KEY}.{n}": None for n in names}


def _plugged(sheet: Sheet, now: PrechargeState, need: PrechargeNeed) -> None:
    """What becomes of a board that is plugged in live, past its precharge."""
    sheet.result("plugged", r"\hat V_p", "Bank overshoot, hot-plugged", "V")
    sheet.result("plugged_current", r"\hat I_p", "Inrush, hot-plugged", "A")
    if now.plugged > need.stands:
        sheet.find(
            "hot_plug", "watch", "Hot-plug overshoot above capacitor rating",
            f"Leads of {fmt(need.inductance, 'H', 2)} and a bank of {fmt(need.bank, 'F', 2)} swing to "
            f"{fmt(now.plugged, 'V')} from {fmt(need.volts, 'V')}; its cans are rated {short(need.stands, 'V')}. "
            f"{fmt(now.plugged_current, 'A', 2)} weld the plug, and the switches see the swing too.",
            "Never plug it in live: source off, or through its precharge; a connector with a first pin that does so.",
            figure="plugged")  # fmt: skip


def _findings(
    sheet: Sheet,
    build: PrechargeBuild,
    now: PrechargeState,
    series: Resistor,
    waits: Worst | None,
    pulse: Worst | None,
    heat: Worst,
    rated: Worst,
    closing: Worst,
) -> None:
    apart: tuple[str, dict[str, PinValue]] = (
        "Keep the load off until the contactor has closed",
        {f"{KEY}.load": "nothing", f"{KEY}.load_power": 0.0},
    )
    smaller = ("Let the proposal choose the resistor for this load", _free("resistor", "type", "timeout", "rest"))
    if waits is None:
        what = (
            f"a load of constant power holds the bus at {fmt(now.ceiling, 'V')}"
            + (", where its converter starts" if now.ceiling <= DROPS_OUT * now.volts * 1.001 else "")
            if build.load == "constant power"
            else f"with what draws meanwhile the bus comes to rest at {fmt(now.ceiling, 'V')}"
        )
        sheet.find(
            "never",
            "stop",
            "The precharge never finishes",
            f"{what[0].upper()}{what[1:]}; the contactor waits for {fmt(now.closes, 'V')}, and each try heats the "
            "resistor until the time-out.",
            "Keep the load's enable off until the contactor has closed; else a smaller resistor.",
            figure="ceiling",
            cures=(apart, smaller),
        )
    elif waits.severity:
        sheet.find(
            "timeout",
            "stop",
            "The time-out comes before the bus is charged",
            f"It takes {fmt(now.time, 's')} and is given {fmt(build.timeout, 's')}.",
            "A longer time-out, or a smaller resistor.",
            worst=waits,
            cures=(("Let the proposal set the time-out", _free("timeout", "rest", "type")), smaller),
        )
    if pulse and pulse.severity:
        sheet.find(
            "pulse",
            pulse.severity,
            "A shorted bus burns the precharge resistor",
            f"{fmt(now.peak_power, 'W')} for the whole time-out is {fmt(pulse.value, 'J')} beyond what it carries for "
            f"ever, in a {series.label} resistor of {fmt(series.pulse, 'J')}.",
            "A shorter time-out, or a series that stands the pulse.",
            worst=pulse,
            cures=(
                ("Let the proposal choose series and time-out", _free("type", "timeout", "rest")),
                ("Choose the resistor again too", _free("type", "timeout", "rest", "resistor")),
            ),
        )
    if heat.severity:
        sheet.find(
            "heat",
            heat.severity,
            "The precharge resistor runs too hot",
            f"{fmt(heat.value, 'W')} in a {series.label} resistor"
            + (
                ": left across the contactor, it carries the whole voltage whenever the bus is dead."
                if build.school != SWITCHED
                else ", try after try."
            ),
            "A longer rest, fewer tries, or a stronger series.",
            worst=heat,
            cures=(
                ("Let the proposal choose series and rest", _free("type", "timeout", "rest")),
                ("Choose the resistor again too", _free("type", "timeout", "rest", "resistor")),
            ),
        )
    if rated.severity:
        sheet.find(
            "voltage",
            "stop",
            "The resistor's voltage rating is too low",
            f"{fmt(rated.value, 'V')} across a series rated {short(series.v_rating, 'V')}.",
            "A series of a higher rating, or several in series.",
            worst=rated,
            cures=(("Let the proposal choose the series", _free("type")),),
        )
    if closing.severity:
        sheet.find(
            "inrush",
            "fix",
            "The contactor closes too early",
            f"At {fmt(build.close_at, '%', 3)} of the source {fmt(closing.value, 'A')} still rush into the bank: "
            "contacts weld.",
            "Close later: each halving of what is left halves the inrush.",
            worst=closing,
            cures=(("Close where the proposal does", _free("close_at", "resistor", "timeout")),),
        )
    if build.closing < PULLS_IN and build.school == SWITCHED:
        sheet.find(
            "lets_go",
            "fix",
            "The relay lets go before the contactor has closed",
            f"It is given {fmt(build.closing, 's')}; a contactor takes up to {fmt(PULLS_IN, 's')}: for a moment nothing "
            "feeds the bus, and the inrush comes after all.",
            "Hold the relay until the contactor has reliably closed.",
            figure="closing",
            cures=(("Let the proposal set the time", _free("closing")),),
        )
    if build.school != SWITCHED:
        sheet.find(
            "leaks",
            "watch",
            "A resistor across the contactor leaks continuously",
            f"{fmt(now.leak, 'A')} flow into the bus as long as the source is there: the bus is never dead, and a "
            "sleeping load empties the source or overheats the resistor.",
            "A switched resistor with a measured close.",
            figure="school",
            cures=(
                (
                    "Switch it by a relay",
                    {
                        f"{KEY}.school": None,
                        f"{KEY}.resistor": None,
                        f"{KEY}.type": None,
                        f"{KEY}.timeout": None,
                        f"{KEY}.rest": None,
                    },
                ),
            ),
        )
    sheet.find(
        "reading",
        "note",
        "Believe no stale reading of the bus",
        "A frozen or mis-wired reading closes the contactor on an empty bank. Before the relay the bus must read empty, "
        "and it must rise after.",
        "Both checks are in the exported table and code.",
        figure="close_at",
    )
