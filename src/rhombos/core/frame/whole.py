"""What is told of the whole: its totals, and findings that belong to no block."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING

from rhombos.core.blocks.protection import KEY as PROTECTION
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import Cure, Finding, PinValue
from rhombos.core.design.outputs import PowerAsked, SteadyPower
from rhombos.core.frame.report import Totals
from rhombos.core.parts.insulation import TOUCH_SAFE
from rhombos.core.routes import lossy
from rhombos.core.units.quantities import fmt, short

if TYPE_CHECKING:
    from rhombos.core.frame.solve import Worked


def totals_of(worked: Worked) -> Totals:
    """Power in and out, losses, run time, and what the link keeps; what a source that cannot give the power has not."""
    settled, brief = worked.settled, worked.brief
    now, idle = settled["nominal"], settled["idle"]
    cells, guard = now.states[SOURCE], now.states[PROTECTION]
    link = now.states[worked.link.key] if worked.link else None
    drawn = cells.terminal * cells.current
    lasts = guard.run_time if math.isfinite(guard.run_time) else None  # a rail does not run down
    out = now.delivered
    lost = sum(now.states[k].loss for k in lossy(worked.route, brief.waves))
    texts = {
        "power_in": fmt(drawn, "W", 4), "power_out": fmt(out, "W", 4), "lost": fmt(lost, "W"),
        "efficiency": fmt(out / drawn, "%"), "idle": fmt(idle.flow["source"], "W"),
        "run_time": fmt(lasts, "s"), "balance": f"{abs((drawn - out - lost) / drawn):.3%}", "asked": asked(brief),
    }  # fmt: skip
    reached = "nominal" not in worked.route.infeasible(settled)
    if not reached:
        texts |= dict.fromkeys(("power_in", "lost", "efficiency", "run_time", "balance"), "not reached")
    for line in worked.facets(lambda stage: stage.line) if reached else []:
        texts |= {"line_current": f"{fmt(line.current, 'A')} from the mains", "power_factor": fmt(line.power_factor, "1", 2)}
    if link:
        texts |= {"stored_energy": fmt(link.stored, "J", 2), "safe_time": fmt(link.safe_time, "s", 2),
                  "link_voltage": short(link.voltage, "V")}  # fmt: skip
    texts["danger"] = _danger(brief, texts)
    return Totals(
        power_in=drawn, power_out=out, lost=lost, efficiency=out / drawn if reached else 0.0, idle=idle.flow["source"],
        run_time=lasts, balance=(drawn - out - lost) / drawn if reached else 0.0,
        stored_energy=link.stored if link else 0.0,
        safe_time=link.safe_time if link else 0.0, link_voltage=link.voltage if link else 0.0, texts=texts)  # fmt: skip


def _danger(brief: Brief, texts: Mapping[str, str]) -> str:
    """What hurts first, in a line."""
    if "link_voltage" in texts:
        return (f"{texts['link_voltage']} link: {texts['stored_energy']} stored, {texts['safe_time']} to a touch-safe "
                f"{TOUCH_SAFE:g} V after switch-off")  # fmt: skip
    if brief.mains:
        return (f"Live mains throughout, the bank at {fmt(brief.source.volts[2], 'V')} with or without the plug: an isolating "
                "transformer on the bench, measure before you touch")  # fmt: skip
    fires = "the source starts fires: fuse at the source, measure before you touch"
    kills = "The output kills; " if max(o.peak for o in brief.outputs) > TOUCH_SAFE else (
        "The source kills; " if brief.source.volts[2] > TOUCH_SAFE else "")  # fmt: skip
    return kills + (fires if kills else fires.capitalize())


def asked(brief: Brief) -> str:
    """The brief in one line."""
    fed = "; ".join(f"{o.described}, {short(o.power.continuous, 'W')}{_surging(o.power)}" for o in brief.outputs)
    return f"{short(brief.source.stated, 'V')} {brief.source.name} → {fed}"


def _surging(power: PowerAsked | SteadyPower) -> str:
    return f", {short(power.surge, 'W')} for {short(power.surge_time, 's')}" if power.surge_time > 0 else ""


def targets_missed(totals: Totals, worked: Worked) -> list[Finding]:
    """Efficiency and no-load power against what the brief wants."""
    settled, brief, route = worked.settled, worked.brief, worked.route
    found: list[Finding] = []
    if 0 < totals.efficiency < brief.targets.efficiency:
        now = settled["nominal"]
        losses = {k: now.states[k].loss for k in lossy(route, brief.waves)}
        worst = max(losses, key=lambda k: losses[k])
        title = route.title_of(worst)
        found.append(Finding(
            code="whole.efficiency", severity="watch", block=worst, title="Efficiency below the target",
            cause=f"{fmt(totals.efficiency, '%')} at full power and the nominal input, against "
                  f"{fmt(brief.targets.efficiency, '%')}; the most, {fmt(losses[worst], 'W')}, is lost in the "
                  f"{title if title.startswith('H-') else title.lower()}.",
            remedy="Start with that block; a higher input voltage helps everywhere on the low side.",
            figure=f"{worst}.loss", value=totals.efficiency, limit=brief.targets.efficiency,
            margin=totals.efficiency / brief.targets.efficiency - 1))  # fmt: skip
    if totals.idle > brief.targets.idle:
        idle = settled["idle"]
        most = max(lossy(route, brief.waves), key=lambda k: idle.states[k].loss)
        found.append(Finding(
            code="whole.idle", severity="watch", block=most, title="No-load power above target",
            cause=f"{fmt(totals.idle, 'W')} with nothing plugged in, against {fmt(brief.targets.idle, 'W')}; the most, "
                  f"{fmt(idle.states[most].loss, 'W')}, in the {route.title_of(most).lower()}.",
            remedy="A standby mode that stops the stages, a lower frequency, or a larger transformer core.",
            figure=f"{most}.loss", value=totals.idle, limit=brief.targets.idle,
            margin=1 - totals.idle / brief.targets.idle))  # fmt: skip
    return found


NAMED = {
    "low": ("source.cannot_give_low", "front_end.duty"), "surge_low": ("source.cannot_give_surge_low",
                                                                           "front_end.surge_sags"),
}  # fmt: skip
"""Findings that name a point that cannot be held."""


def not_held(worked: Worked, told: Iterable[Finding]) -> list[Finding]:
    """Points that nothing else names: those that cannot be held, and those whose passes came to no rest."""
    found: list[Finding] = []
    settled = worked.settled
    infeasible = worked.route.infeasible(settled)
    codes = {f.code for f in told}
    for key in sorted(infeasible):
        if codes & set(NAMED.get(key, ())):
            continue
        surge = key.startswith("surge")
        found.append(Finding(
            code="whole.not_held", severity="watch" if surge else "stop", block="source",
                title="An operating point cannot be held",
            cause=f"At {settled[key].point.label} the source or the duty does not suffice; its figures are left out.",
            remedy="A higher input voltage, a larger source, heavier leads, or less power.", figure="source.terminal",
            unavoidable="what is asked is beyond this source and its leads"))  # fmt: skip
    for key in settled:
        if not settled[key].converged and key not in infeasible:
            found.append(Finding(
                code="whole.unsettled", severity="fix", block="source", title="An operating point did not settle",
                cause=f"The passes at {settled[key].point.label} found no point at which voltages, losses and temperatures "
                      "agree; its figures are the last tried.",
                remedy="Ask less there, or let the proposal choose what is pinned.", figure="source.terminal"))  # fmt: skip
    return found


def waiting(worked: Worked, pins: Mapping[str, PinValue]) -> list[Finding]:
    """Pins of blocks that only other routes or sockets have."""
    here = {stage.key for stage in worked.stages}
    waiting = sorted(a for a, v in pins.items() if v is not None and a.partition(".")[0] not in here)
    if not waiting:
        return []
    return [Finding(
        code="pins.waiting", severity="note", block="brief", title="Pins wait for a block that is not there",
        cause=f"{', '.join(waiting)}: there is no such block here. They are kept, and count again where there is.",
        remedy="Nothing, or take them away.",
        cures=(Cure(label="Take them away", patch=dict.fromkeys(waiting)),))]  # fmt: skip


def missing_part(address: str, reason: str) -> Finding:
    """A pin that names a part which is not there."""
    block = address.partition(".")[0]
    return Finding(
        code="pins.part_gone", severity="fix", block=block, title="A pinned part is not on the shelf",
        cause=f"{address}: {reason}. The proposal is used instead.",
        remedy="Put the part back on the shelf, pin another, or take the pin away.", figure=address,
        cures=(Cure(label="Take the pin away", patch={address: None}),))  # fmt: skip
