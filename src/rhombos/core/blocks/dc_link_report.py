"""What the link shows, and the findings with their cures."""

from __future__ import annotations

from typing import Any, TypeAlias

from rhombos.core.blocks.dc_link import DcLinkBuild, LinkState, capacitance, least_voltage, ripple_allowed
from rhombos.core.design.brief import Brief
from rhombos.core.frame.points import LASTING, STEADY
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.parts import Capacitor, Resistor
from rhombos.core.units.quantities import fmt, short

Sheet: TypeAlias = "ReportBuilder[DcLinkBuild, LinkState]"

UNREGULATED = 0.05
"""How far a socket's voltage may be from what is asked, share of it."""


def report(sheet: Sheet, brief: Brief, power_in: float) -> BlockReport:
    """The link's figures and findings."""
    build: DcLinkBuild = sheet.build
    rules, now = sheet.rules, sheet.now
    can, series = sheet.shelf.get(Capacitor, build.capacitor), sheet.shelf.get(Resistor, build.bleeder_part)
    bank, banks = capacitance(build, sheet.shelf), build.banks
    sheet.choice("voltage", "V_{dc}", "Link voltage, mean" if build.held else "Link it is wound for, full power")
    if not build.held:
        sheet.fixed_value("mean", "V_{dc}", "Link voltage, mean", now.voltage, "V", sheet.points["nominal"].label)
    peak = sheet.limited("peak", r"V_{dc,pk}", "Link voltage, highest", "V", banks * can.v_rating,
                         rules.link_capacitor_margin)  # fmt: skip
    direct = brief.output.direct
    if brief.output.waveform != "sine":
        sheet.turned("voltage", "V_{dc}", "Link voltage, mean", "V")
        _turns(sheet, build, brief)
    ripple = sheet.limited("ripple", r"\Delta V", "Ripple, peak to peak" if direct else "Ripple at twice the line", "V",
                           2 * ripple_allowed(brief, rules) * build.voltage, 0.5, over=LASTING)  # fmt: skip
    current = sheet.limited("can_current", r"I_C", "Ripple current of one can", "A", can.i_ripple,
                            rules.ripple_current_margin, over=LASTING)  # fmt: skip
    sheet.choice("capacitor", "C_{dc}", "Link capacitor")
    sheet.choice("count", "n_C", f"Link capacitors in parallel{', each bank' if banks > 1 else ''}")
    sheet.fixed_value("bank", r"C", "Whole bank", bank, "F", "as built")
    if not direct:
        sheet.result("needed", r"V_{dc,\min}", "Minimum link for the full wave", "V")
        sheet.result("slow_current", r"I_{2f}", "Current, twice the line", "A")
    sheet.result("fast_current", r"I_{hf}", "Current, switching", "A")
    sheet.choice("bleeder", "R_b", "Bleeder")
    sheet.choice("bleeder_part", "", "Bleeder series")
    power = sheet.limited("bleeder_power", r"P_b", "Power of the bleeder", "W", banks * series.power, rules.resistor_margin,
                          over=LASTING)  # fmt: skip
    sheet.result("stored", "W", "Energy stored", "J")
    safe = sheet.limited("safe_time", r"t_{60V}", f"Time to {short(rules.safe_voltage, 'V')} after switch-off", "s",
                         2 * rules.bleed_time, 0.5, over=("nominal",))  # fmt: skip
    sheet.result("loss", "P", "Loss, capacitors and bleeder", "W")
    free = {"dc_link.capacitor": None, "dc_link.count": None}
    short_of = {k: s.needed - s.trough for k, s in sheet.states.items() if k in STEADY}
    worst = max(short_of, key=lambda k: short_of[k])
    if short_of[worst] > 0 and brief.output.waveform == "sine":
        reached = sheet.states[worst].trough
        asked = least_voltage(sheet.states[worst].needed * rules.modulation_limit,
                              max(rules.link_ripple, sheet.states[worst].ripple / build.voltage), rules)  # fmt: skip
        cannot = sheet.states[worst].needed * rules.modulation_limit > reached
        sheet.find("too_low", "stop" if cannot else "fix", "The link is too low for the full sine",
                   f"Its trough is {fmt(reached, 'V')}; the peak of the sine with all drops asks "
                   f"{fmt(sheet.states[worst].needed, 'V')} at the rules' modulation of {rules.modulation_limit:g}: "
                   + ("the tops are cut off." if cannot else "little is left for a disturbance."),
                   f"Raise the link to {short(asked, 'V')}, or use more capacitance.", figure="voltage",
                   cures=((f"Raise the link to {short(asked, 'V')}", {"dc_link.voltage": asked}),))  # fmt: skip
    if peak.severity:
        lower = least_voltage(now.needed * rules.modulation_limit, now.ripple / build.voltage, rules)
        cures: list[tuple[str, dict[str, Any]]] = [("Use capacitors of a higher rating", dict(free))]
        if build.held and not direct and peak.value - (build.voltage - lower) * (1 + rules.link_tolerance) <= peak.limit:
            cures.insert(0, (f"Lower the link to {short(lower, 'V')}", {"dc_link.voltage": lower}))
        sheet.find("capacitor_voltage", peak.severity,
                   "Link beyond its capacitors' rating" if peak.severity == "stop" else "Link capacitor close to its rating",
                   (f"{short(build.voltage, 'V')} with tolerance and ripple" if build.held else
                    "On the highest input, with little load, the link") + f" reaches {fmt(peak.value, 'V')} on "
                   f"{short(banks * can.v_rating, 'V')}; the rules ask a margin of {fmt(rules.link_capacitor_margin, '%', 2)}.",
                   "Lower the link only while it still makes the sine; else capacitors of a higher rating.", worst=peak,
                   cures=tuple(cures))  # fmt: skip
    if ripple.severity:
        sheet.find("ripple", "fix" if ripple.severity == "stop" else "watch", "Link ripple above limit",
                   f"{fmt(ripple.value, 'V')} at "
                   f"{'the switching frequency' if direct else short(2 * brief.output.frequency, 'Hz')}, "
                   f"{fmt(ripple.value / build.voltage, '%', 3)} of the link.",
                   "More cans, of less series resistance." if direct else "More capacitance.", worst=ripple,
                   cures=(("Let the proposal choose the capacitors", dict(free)),))  # fmt: skip
    if current.severity:
        sheet.find("can_current", current.severity, "Link capacitors carry too much current",
                   f"{fmt(current.value, 'A')} in each can of {short(can.i_ripple, 'A')}: life falls by half every 10 K.",
                   "More cans, or larger ones.", worst=current,
                   cures=(("Let the proposal choose the capacitors", dict(free)),))  # fmt: skip
    if power.severity:
        sheet.find("bleeder_heat", power.severity, "The bleeder runs too hot",
                   f"{fmt(power.value, 'W')} in a {series.label} resistor, all day.", "A stronger series, or more ohms.",
                   worst=power, cures=(("Let the proposal choose it", {
                       "dc_link.bleeder": None, "dc_link.bleeder_part": None}),))  # fmt: skip
    if banks * series.v_rating < peak.value:
        sheet.find("bleeder_voltage", "stop", "The bleeder cannot stand the link",
                   f"{fmt(peak.value / banks, 'V')} on a {short(series.v_rating, 'V')} resistor; it fails open and the "
                   "link stays charged.", "Two in series, or a series of higher voltage.", figure="bleeder_part",
                   cures=(("Let the proposal choose it", {"dc_link.bleeder_part": None}),))  # fmt: skip
    if safe.severity:
        sheet.find("bleeds_slowly", "stop" if safe.severity == "stop" else "fix", "The link stays dangerous too long",
                   f"{fmt(now.stored, 'J')} takes {fmt(safe.value, 's')} to fall to {short(rules.safe_voltage, 'V')}; the "
                   f"rules ask {fmt(rules.bleed_time, 's')}.", "Fewer ohms in the bleeder; measure before you touch.",
                   worst=safe, cures=(("Let the proposal choose the bleeder", {
                       "dc_link.bleeder": None, "dc_link.bleeder_part": None}),))  # fmt: skip
    if direct:
        _as_a_socket(sheet, brief, build)
    if banks > 1:
        sheet.find("balance", "note", "The banks must share the voltage",
                   f"{banks} banks in series stand {fmt(peak.value / banks, 'V')} each only while they are equal: leakage and "
                   "tolerance pull them apart.", f"Make the bleeder of {banks} equal resistors, one across each bank "
                   f"({fmt(build.bleeder / banks, 'ohm', 3)} each).", figure="count")  # fmt: skip
    in_series = (f", {banks} in series" if direct else ", twice") if banks > 1 else ""
    return sheet.close(
        short(now.voltage, "V"), "kills; stays charged after switch-off: bleed, wait, measure, then touch"
        if peak.value > rules.safe_voltage else "no shock, but burns and arcs: its bank feeds any short at once", power_in,
        power_in - now.loss,
        {"voltage": short(now.voltage, "V"), "banks": f"{banks} in series" if direct and banks > 1 else str(banks),
         "ripple": f"{fmt(now.ripple, 'V')} pp",
         "capacitor": f"{build.count} × {can.label}" + in_series,
         "bleeder": fmt(build.bleeder, "ohm"),
         "stored": fmt(now.stored, "J"), "safe": fmt(now.safe_time, "s")})  # fmt: skip


def _turns(sheet: Sheet, build: DcLinkBuild, brief: Brief) -> None:
    """An adjustable output that this link makes asks that something holds it."""
    if brief.output.down_to is not None and not build.held:
        sheet.find("not_turned", "stop", "Nothing turns this link down",
                   f"The brief asks for an output down to {short(brief.output.down_to, 'V')}; without a choke the duty holds "
                   "nothing, and the link stays as high as its source makes it.", "A rectifier with a choke.", figure="voltage",
                   cures=(("Rectify into a choke", {"rectifier.circuit": None}),))  # fmt: skip


def _as_a_socket(sheet: Sheet, brief: Brief, build: DcLinkBuild) -> None:
    """A link that is the socket itself: whether it stands where it is asked, with whatever load on whatever input."""
    asked = brief.output.voltage
    if build.held:
        if abs(build.voltage / asked - 1) > sheet.rules.link_tolerance:
            sheet.find("off", "fix", "Link off the socket voltage asked",
                       f"It is set to {short(build.voltage, 'V')}; the brief asks {short(asked, 'V')} at the socket.",
                       "Let the set-point follow the brief.", figure="voltage",
                       cures=(("Set it to the voltage asked", {"dc_link.voltage": None}),))  # fmt: skip
        return
    seen = {k: s.voltage for k, s in sheet.states.items() if k in STEADY and k not in sheet.infeasible}
    if not seen:
        return
    far = max(seen, key=lambda k: abs(seen[k] / asked - 1))
    if abs(seen[far] / asked - 1) > UNREGULATED:
        sheet.find("unregulated", "fix", "Socket voltage unregulated",
                   f"{fmt(seen[far], 'V')} at {sheet.points[far].label}, against {short(asked, 'V')}: without a choke the duty "
                   "holds nothing, and the socket follows source and load.", "A rectifier with a choke.", figure="mean",
                   cures=(("Rectify into a choke", {"rectifier.circuit": None}),))  # fmt: skip
