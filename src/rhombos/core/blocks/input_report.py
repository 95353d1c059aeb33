"""What the input stage shows, and the findings with their cures."""

from __future__ import annotations

from typing import TypeAlias

from rhombos.core.blocks.input_bank import MOST_COUNT, can_voltage
from rhombos.core.blocks.input_filter import LEAST_DAMPING, MOST_CHOKE
from rhombos.core.blocks.input_stage import (
    MELTS,
    MOST_CABLE,
    MOST_RUNS,
    OPEN,
    SERIES,
    SHUNT,
    WIRE_WITHSTAND,
    InputStageBuild,
    InputState,
    fault_current,
    lasting,
)
from rhombos.core.book import input_filter as filter_book
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinValue, Severity
from rhombos.core.frame.points import LASTING, LIMIT, STEADY, SURGING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder, Worst
from rhombos.core.parts import Capacitor, Fuse
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[InputStageBuild, InputState]"

LEAST_LIFE = 10000 * 3600.0
"""Life of the bank at full power that a house expects, s."""


def report(sheet: Sheet, brief: Brief, power_in: float) -> BlockReport:
    """Fuse, cable and capacitors against what they must stand."""
    build: InputStageBuild = sheet.build
    rules, shelf = sheet.rules, sheet.shelf
    fuse, can = shelf.get(Fuse, build.fuse), shelf.get(Capacitor, build.capacitor)
    _, _, full = brief.source.volts
    fault = fault_current(brief)
    fuses = shelf.all(Fuse)
    sheet.choice("fuse", "F_1", "Input fuse")
    load = sheet.limited(
        "fuse_load", "I", "Fuse current, hardest input", "A", fuse.i_rating, 1 - 1 / rules.fuse_factor, over=LASTING
    )
    sheet.choice("cable", "A", "Cable section")
    sheet.choice("runs", "n_A", "Cables in parallel, each pole")
    lasts = lasting(fuse, brief)
    cabled = sheet.fixed(
        "fuse_rated", "I_F", "Fuse or limit, on this cable", lasts, "A", sheet.now.ampacity, 0.0, "maximum ambient"
    )
    drop = sheet.limited("drop_share", r"\Delta V/V", "Drop before the stage", "%", rules.cable_drop * 1.5, 1 / 3, over=LASTING)
    sheet.choice("capacitor", "C_{in}", "Input capacitor")
    sheet.choice("count", "n_{C}", "Input capacitors in parallel")
    ripple = sheet.limited(
        "can_ripple",
        "I_C",
        "Ripple current of one can",
        "A",
        can.i_ripple,
        rules.ripple_current_margin,
        over=LASTING,
    )
    lifted = max(s.returned for k, s in sheet.states.items() if k not in (*SURGING, *sheet.infeasible) or k == "nominal")
    stood = can_voltage(full + lifted, build.banks)
    volts = sheet.fixed(
        "capacitor_voltage",
        "V_C",
        "Input capacitor voltage",
        stood,
        "V",
        can.v_rating,
        rules.input_capacitor_margin,
        "highest input, with what the load returns" if lifted else "highest input",
    )
    sheet.result("life", "t", "Life of the cans at full power", "s")
    sheet.result("loss", "P", "Loss, cable to capacitors", "W")
    sheet.choice("connector", "", "Connectors, rated")
    plugs = sheet.limited("fuse_load", "I_{con}", "Current of the connectors", "A", build.connector, over=LASTING)
    cable = float(book.cable_withstand(k_wire=WIRE_WITHSTAND, A_cu=build.cable * build.runs))
    melts = sheet.fixed("fuse_i2t", "I^2t", "Let through before the fuse opens", fuse.i2t, "A^2*s", cable, 0.0, "a dead short")
    _filter(sheet, build, brief)
    sheet.choice("reverse", "", "Reverse polarity")
    if build.reverse == SHUNT:
        sheet.choice("reverse_i2t", "I^2t_D", "Surge that the diode stands")
    elif build.reverse == SERIES:
        sheet.choice("reverse_ohms", "R_S", "Resistance of the series switch")
    _entry(sheet, build, fuse, plugs, melts)
    if fuse.v_dc < full:
        sheet.find(
            "fuse_voltage",
            "stop",
            "The fuse cannot break this source's voltage",
            f"It is rated {short(fuse.v_dc, 'V')} DC; the highest input stands at {short(full, 'V')} and would feed the arc.",
            "Fit a fuse with a higher DC rating.",
            figure="fuse",
            cures=(("Let the proposal choose the fuse", {"input_stage.fuse": None}),),
        )
    if fuse.breaking < fault:
        sheet.find(
            "fuse_breaking",
            "fix",
            "The source can feed more than the fuse can break",
            f"A dead short draws up to {fmt(fault, 'A', 2)} from the source alone; this fuse breaks "
            f"{short(fuse.breaking, 'A')}.",
            "Fit a fuse of higher breaking capacity, and keep the cable before it as short as possible.",
            figure="fuse",
            cures=(("Let the proposal choose the fuse", {"input_stage.fuse": None}),),
            unavoidable=f"no fuse on the shelf breaks more than {short(max(f.breaking for f in fuses), 'A')}"
            if fuse.breaking == max(f.breaking for f in fuses)
            else None,
        )
    limit = brief.source.most_current
    if limit < MELTS * fuse.i_rating:
        sheet.find(
            "fuse_waits",
            "note",
            "The supply's limit never melts the fuse",
            f"{short(limit, 'A')} is all that flows on into a short, and {short(fuse.i_rating, 'A')} stand "
            f"{fmt(MELTS * fuse.i_rating, 'A')} for an hour. Leads are proposed for the limit; a reversed input heats its "
            "diode with it until the supply is switched off.",
            "A diode on a heat-sink that stands the limit; the fuse serves when another source takes the rail's place.",
            figure="fuse",
        )
    if load.severity:
        sheet.find(
            "fuse_small",
            load.severity,
            "The fuse is too small for full power",
            f"{fmt(load.value, 'A')} flows at {sheet.where(load)}; {short(fuse.i_rating, 'A')} leaves less "
            f"than the rules' factor of {rules.fuse_factor:g}, so it will age and open.",
            "Fit a larger fuse, with a cable to match.",
            worst=load,
            cures=(
                (
                    "Let the proposal choose fuse and cable",
                    {"input_stage.fuse": None, "input_stage.cable": None, "input_stage.runs": None},
                ),
            ),
            unavoidable=f"no fuse on the shelf that breaks {fmt(fault, 'A', 2)} is larger"
            if fuse.i_rating == max((f.i_rating for f in fuses if f.breaking >= min(fault, fuse.breaking)), default=0.0)
            else None,
        )
    if cabled.severity:
        many = f"{build.runs} × " if build.runs > 1 else ""
        sheet.find(
            "cable_unprotected",
            "stop",
            "The fuse does not protect the cable",
            f"{short(lasts, 'A')} may flow continuously through {many}{short(build.cable, 'm^2')}, which carry "
            f"{fmt(sheet.now.ampacity, 'A')} continuously in a room of {short(brief.targets.ambient, 'degC')}: the "
            "insulation burns first.",
            "Use a heavier cable, or a smaller fuse; local codes decide the section.",
            worst=cabled,
            cures=(
                ("Let the proposal choose the cable", {"input_stage.cable": None, "input_stage.runs": None}),
                (
                    "Let the proposal choose fuse and cable",
                    {"input_stage.fuse": None, "input_stage.cable": None, "input_stage.runs": None},
                ),
            ),
            unavoidable="no section and number of cables on the list carries this fuse's rating"
            if build.cable >= MOST_CABLE and build.runs == MOST_RUNS
            else None,
        )
    if now_rise := sheet.now.rise:
        risen = sheet.limited(
            "rise",
            r"\Delta V_L",
            "Rise of the bank when the leads' current stops",
            "V",
            2 * rules.bank_rise * brief.source.volts[0],
            0.5,
        )
        if risen.severity and now_rise:
            sheet.find(
                "rise",
                "fix" if risen.severity == "stop" else "watch",
                "Input bank too small for the leads",
                f"{fmt(risen.value, 'V')} above the source each time the stage stops its current at once: the switches "
                "and the control supply see it.",
                "More capacitance at the stage, or shorter leads twisted together.",
                worst=risen,
                cures=(("Let the proposal choose the cans", {"input_stage.count": None, "input_stage.capacitor": None}),),
            )
    if lifted:
        _returned(sheet, brief)
    if drop.severity:
        severity: Severity = "fix" if drop.severity == "stop" else "watch"
        sheet.find(
            "cable_drop",
            severity,
            "Input drop too high",
            f"{fmt(drop.value, '%', 2)} of the input voltage drops in cable, fuse and contacts at full power; "
            f"the rules allow {fmt(rules.cable_drop, '%', 2)}.",
            "Shorten or thicken the cable; at several hundred amperes choose a higher input voltage instead.",
            worst=drop,
            cures=(("Let the proposal choose the cable", {"input_stage.cable": None, "input_stage.runs": None}),),
            unavoidable="fuse and contacts alone drop more than half of what the rules allow"
            if (fuse.resistance + rules.contact_resistance) * sheet.states[drop.point].fuse_load
            > 0.5 * rules.cable_drop * brief.source.volts[0]
            else None,
        )
    if ripple.severity:
        sheet.find(
            "ripple",
            ripple.severity,
            "Input capacitors carry too much ripple",
            f"{fmt(ripple.value, 'A')} in each can of {short(can.i_ripple, 'A')}: it dries out in months.",
            "More cans in parallel, or ones of lower series resistance.",
            worst=ripple,
            cures=(("Let the proposal choose the cans", {"input_stage.count": None, "input_stage.capacitor": None}),),
        )
    if volts.severity:
        sheet.find(
            "capacitor_voltage",
            volts.severity,
            "Input capacitor too near the charger's voltage",
            f"{fmt(stood, 'V')} while charging on {short(can.v_rating, 'V')} cans; spikes come on top.",
            "Use the next rating up: the resting voltage is not what they see.",
            worst=volts,
            cures=(("Let the proposal choose the cans", {"input_stage.capacitor": None}),),
        )
    now: InputState = sheet.now
    return sheet.close(
        f"fuse {short(fuse.i_rating, 'A')}",
        "the fuse protects cable and house from fire, not the transistors",
        power_in,
        power_in - now.loss,
        {
            "fuse": f"{short(fuse.i_rating, 'A')} {short(fuse.v_dc, 'V')} DC",
            "cable": (f"{build.runs} × " if build.runs > 1 else "") + short(build.cable, "m^2"),
            "capacitor": can.label,
            "count": f"{build.count} in parallel",
            "banks": "two banks in series" if build.banks == 2 else "",
            "ripple": fmt(now.ripple, "A"),
            "choke": short(build.choke, "H") if build.choke > 0 else "",
            "damper": short(build.damper, "ohm") if build.choke > 0 and build.damper > 0 else "",
        },
    )


def _filter(sheet: Sheet, build: InputStageBuild, brief: Brief) -> None:
    """What the source carries of the stage's carrier, whether the input comes to rest, and the filter."""
    sheet.choice("choke", "L_F", "Filter choke")
    if build.choke > 0:
        sheet.choice("choke_ohms", "R_F", "Resistance of the filter choke, at most")
        sheet.choice("damper", "R_d", "Damping resistor")
    sheet.result("resonance", "f_0", "Input resonance", "Hz")
    states = {k: s for k, s in sheet.states.items() if k not in sheet.infeasible or k == "nominal"}
    damped = {k: s.damping for k, s in states.items() if s.damping is not None}
    if damped:
        worst = min(damped, key=lambda k: damped[k])
        sheet.result("damping", r"\zeta", "Damping of the input", "1", point=worst)
        _rings(sheet, build, worst, damped[worst])
    if not any(s.source_ripple > 0 for s in states.values()):
        return
    most = brief.direct_source.ripple_limit
    if most is None:
        hardest = max((k for k in STEADY if k in states), key=lambda k: states[k].source_ripple)
        sheet.result("source_ripple", r"I_{\sim}", "Ripple current at the source, RMS", "A", point=hardest)
        return
    rippling = sheet.limited("source_ripple", r"I_{\sim}", "Ripple current at the source, RMS", "A", most, over=LASTING)
    over = float(filter_book.over_limit.work({"I": max(rippling.value, 1e-6), "I_tol": most}))
    sheet.fixed_value("over_limit", "A", "Above the limit, dB", over, "1", sheet.where(rippling))
    if rippling.severity:
        at = states[rippling.point].rest.hertz
        sheet.find(
            "source_ripple", "fix", "Source ripple above limit",
            f"{fmt(rippling.value, 'A')} RMS at {short(at, 'Hz')}, {over:.1f} dB over {short(most, 'A')}: leads and bank share "
            "it by their impedances.",
            "A filter choke towards the source with a resistor across it, more cans, or longer leads side by side.",
            worst=rippling,
            cures=(("Let the proposal choose the filter", {
                f"input_stage.{n}": None for n in ("choke", "damper", "capacitor", "count")}),),
            unavoidable="no choke on the list keeps it so low and the input damped" if build.choke >= MOST_CHOKE else None,
        )  # fmt: skip


def _rings(sheet: Sheet, build: InputStageBuild, worst: str, found: float) -> None:
    """An input that oscillates before a stage of constant power, or rings for long."""
    if found >= LEAST_DAMPING:
        return
    free: dict[str, PinValue] = {f"input_stage.{n}": None for n in ("capacitor", "count", "choke", "damper")}
    grows = found <= 0
    sheet.find(
        "oscillates", "fix" if grows else "watch",
        "Input oscillates" if grows else "Input underdamped",
        f"At {sheet.points[worst].label} the stage draws the more the lower its input falls, faster than resistances calm it: "
        f"leads{' and filter choke' if build.choke else ''} swing with the bank at {fmt(sheet.states[worst].resonance, 'Hz')}, "
        f"damping {fmt(found, '1', 2)}.",
        "More cans, shorter leads, cans of more series resistance, or a resistor across the filter choke.", figure="damping",
        cures=(("Let the proposal choose cans and filter", free),),
        unavoidable="no number of cans on the shelf damps it" if build.count >= MOST_COUNT else None,
    )  # fmt: skip


def _entry(sheet: Sheet, build: InputStageBuild, fuse: Fuse, plugs: Worst, melts: Worst) -> None:
    """Connectors, what the cable stands until the fuse opens, reverse polarity, life of the bank."""
    now: InputState = sheet.now
    if plugs.severity or build.connector < fuse.i_rating:
        sheet.find(
            "connector",
            "fix",
            "The connectors are too light",
            f"{fmt(plugs.value, 'A')} at full power and a fuse of {short(fuse.i_rating, 'A')} on connectors of "
            f"{short(build.connector, 'A')}: they melt before it opens.",
            "Connectors rated for the fuse at least.",
            worst=plugs,
            cures=(("Let the proposal choose them", {"input_stage.connector": None}),),
        )
    if melts.severity:
        sheet.find(
            "fuse_i2t",
            "fix",
            "A dead short heats the cable more than it stands",
            f"The fuse lets {fmt(fuse.i2t, 'A^2*s', 2)} through; {short(build.cable, 'm^2')} stand "
            f"{fmt(melts.rating, 'A^2*s', 2)}.",
            "A faster fuse, or a heavier cable.",
            worst=melts,
            cures=(("Let the proposal choose fuse and cable", {"input_stage.fuse": None, "input_stage.cable": None}),),
        )
    if build.reverse == OPEN:
        sheet.find(
            "reverse",
            "fix",
            "Nothing helps against reversed leads",
            "The body diodes of the stage and the capacitors short a reversed source: they burn before the fuse opens.",
            "A diode across the input that blows the fuse (no loss, one fuse each time), or a series switch (no harm, a "
            "continuous loss).",
            figure="reverse",
            cures=(
                ("A diode that blows the fuse", {"input_stage.reverse": None}),
                ("A series switch", {"input_stage.reverse": SERIES}),
            ),
        )
    elif build.reverse == SHUNT and build.reverse_i2t < fuse.i2t:
        sheet.find(
            "reverse_slow",
            "fix",
            "The fuse is slower than the diode it needs",
            f"With reversed leads it lets {fmt(fuse.i2t, 'A^2*s', 2)} through; the diode stands "
            f"{fmt(build.reverse_i2t, 'A^2*s', 2)}: it opens first, and the stage is next.",
            "A larger diode, or a faster fuse.",
            figure="reverse_i2t",
            cures=(
                ("Let the proposal choose the diode", {"input_stage.reverse_i2t": None}),
                ("A series switch", {"input_stage.reverse": SERIES}),
            ),
        )
    if now.life < LEAST_LIFE:
        sheet.find(
            "life",
            "watch",
            "The input cans dry out early",
            f"About {fmt(now.life, 's')} at full power at the maximum ambient.",
            "More cans, or cooler air about them.",
            figure="life",
            cures=(("Let the proposal choose the cans", {"input_stage.count": None, "input_stage.capacitor": None}),),
        )


def _returned(sheet: Sheet, brief: Brief) -> None:
    """What a lagging load gives back to a source that takes nothing: in a surge twice the rise is let pass."""
    most = 2 * sheet.rules.bank_rise * brief.source.volts[0]
    lasting = tuple(k for k in sheet.states if k not in (*SURGING, LIMIT))
    back = sheet.limited("returned", r"\Delta V_r", "Rise by what the load returns", "V", most, 0.5, over=lasting)
    surges = [k for k in SURGING if k in sheet.states and k not in sheet.infeasible]
    surge = max(surges, key=lambda k: sheet.states[k].returned, default="nominal")
    beyond = sheet.states[surge].returned > most
    value, at = (sheet.states[surge].returned, sheet.points[surge].label) if beyond else (back.value, sheet.where(back))
    sheet.find(
        "returned",
        "fix" if beyond or back.severity == "stop" else "watch" if back.severity else "note",
        "The load lifts the rail",
        f"A lagging load gives back part of each half period, and this source takes none of it: bank and "
        f"{short(brief.source.blocking or 0.0, 'F')} at its terminals rise by up to {fmt(value, 'V')} at {at}. Switches and "
        "control supply see it.",
        "More capacitance at the stage, a supply that takes current back, a battery beside it, or a constant load.",
        worst=back,
        cures=(("Let the proposal choose the cans", {"input_stage.count": None, "input_stage.capacitor": None}),),
        unavoidable="no number of cans on the shelf holds it" if sheet.build.count >= MOST_COUNT else None,
    )
