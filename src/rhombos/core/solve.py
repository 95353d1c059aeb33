"""From a brief to a complete, explained sizing: propose, settle, propose again until nothing moves, report."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rhombos.core.blocks.base import Build
from rhombos.core.brief import Brief
from rhombos.core.findings import Cure, Finding, PinValue, worst_first
from rhombos.core.ledger import Ledger
from rhombos.core.parts import KINDS, Shelf
from rhombos.core.pins import read_pins
from rhombos.core.points import operating_points
from rhombos.core.report import BlockReport, Solution, StepOut, Totals
from rhombos.core.routes import push_pull_link as route
from rhombos.core.rules import Rules
from rhombos.core.sheet import Sheet
from rhombos.core.units import fmt, short

MOST_ROUNDS = 3
COARSE = 1e-3
"""How closely operating points are settled between proposals."""
NEEDED_KINDS = ("mosfet", "diode", "core", "grade", "wire", "capacitor", "resistor", "fuse", "heat_sink")


def solve(brief: Brief, pins: Mapping[str, PinValue], shelf: Shelf, rules: Rules) -> Solution:
    """Size everything that is not pinned and say what the whole then does. Pure and deterministic.

    Raises: PinError for a pin out of its range or unknown. A brief that cannot be met solves to findings.
    """
    typed, missing = read_pins(pins, route.BUILDS, shelf)
    if empty := [k for k in NEEDED_KINDS if not shelf.all(KINDS[k])]:
        return _unbuildable(brief, pins, rules, empty)
    builds, near, _ = build_all(brief, typed, shelf, rules)
    ledgers = {key: Ledger(point=key) for key in operating_points(brief)}
    settled = route.settle_all(builds, brief, shelf, rules, ledgers=ledgers, start=near)
    blocks, findings = _report(builds, settled, typed, brief, shelf, rules)
    findings += [_missing_part(address, reason) for address, reason in missing.items()]
    totals = _totals(settled, brief)
    findings += _whole(totals, settled, brief)
    wanted = {f.step for b in blocks for f in b.figures if f.step}
    steps = {
        f"{k}": StepOut(relation=s.relation, inputs=s.inputs, value=s.value)
        for ledger in ledgers.values() for k, s in ledger.steps.items() if k in wanted
    }  # fmt: skip
    return Solution(
        route=route.KEY, brief=brief, rules=rules.name, pins={k: v for k, v in pins.items() if v is not None},
        blocks=tuple(blocks), findings=tuple(worst_first(findings)), totals=totals,
        build={key: dict(b.model_dump()) for key, b in builds.items()}, steps=steps)  # fmt: skip


def build_all(
    brief: Brief, pins: Mapping[str, dict[str, Any]], shelf: Shelf, rules: Rules
) -> tuple[dict[str, Build], dict[str, route.Settled], int]:  # fmt: skip
    """Propose, settle and propose again, until the proposals stand still.

    Returns: the builds, the last coarse operating points, and the rounds it took.
    """
    hints = route.first_hints(brief, pins, rules)
    builds: dict[str, Build] = {}
    settled: dict[str, route.Settled] = {}
    for rounds in range(1, MOST_ROUNDS + 1):
        proposed = route.propose(brief, hints, pins, shelf, rules)
        if proposed == builds:
            return builds, settled, rounds
        builds = proposed
        if rounds < MOST_ROUNDS:
            settled = route.settle_all(
                builds, brief, shelf, rules, keys=route.HINT_POINTS, start=settled, tolerance=COARSE)
            hints = route.next_hints(settled)
    return builds, settled, MOST_ROUNDS


def _report(
    builds: Mapping[str, Build], settled: Mapping[str, route.Settled], pins: Mapping[str, dict[str, Any]], brief: Brief,
    shelf: Shelf, rules: Rules,
) -> tuple[list[BlockReport], list[Finding]]:  # fmt: skip
    points = {k: s.point for k, s in settled.items()}
    flow = settled["nominal"].flow
    extra: dict[str, tuple[Any, ...]] = {
        "battery": (brief,), "input_stage": (brief, flow.battery), "push_pull": (flow.push_pull,),
        "transformer": (flow.transformer,), "rectifier": (flow.rectifier,), "dc_link": (brief, flow.dc_link),
        "h_bridge": (flow.h_bridge,), "output_filter": (brief, flow.output_filter, builds["h_bridge"].carrier),  # type: ignore[attr-defined]
        "load": (brief,),
    }  # fmt: skip
    reports: list[BlockReport] = []
    findings: list[Finding] = []
    for block in route.BLOCKS:
        sheet = Sheet(
            block.KEY, block.TITLE, builds[block.KEY], {k: s.states[block.KEY] for k, s in settled.items()}, points,
            pins, rules, shelf, route.hopeless(settled))  # fmt: skip
        reports.append(block.report(sheet, *extra[block.KEY]))
        findings += sheet.findings
    return reports, findings


def _totals(settled: Mapping[str, route.Settled], brief: Brief) -> Totals:
    now, idle = settled["nominal"], settled["idle"]
    cells, link = now.states["battery"], now.states["dc_link"]
    drawn = cells.terminal * cells.current
    out = brief.power.continuous
    lost = sum(now.states[k].loss for k in route.LOSSY)
    return Totals(
        power_in=drawn, power_out=out, lost=lost, efficiency=out / drawn, idle=idle.flow.battery,
        run_time=cells.run_time, balance=(drawn - out - lost) / drawn, stored_energy=link.stored,
        safe_time=link.safe_time, link_voltage=link.voltage,
        texts={
            "power_in": fmt(drawn, "W", 4), "power_out": fmt(out, "W", 4), "lost": fmt(lost, "W"),
            "efficiency": fmt(out / drawn, "%"), "idle": fmt(idle.flow.battery, "W"),
            "run_time": fmt(cells.run_time, "s"), "balance": f"{abs((drawn - out - lost) / drawn):.3%}",
            "stored_energy": fmt(link.stored, "J", 2), "safe_time": fmt(link.safe_time, "s", 2),
            "link_voltage": short(link.voltage, "V"), "asked": _asked(brief)})  # fmt: skip


def _asked(brief: Brief) -> str:
    s, o, p = brief.source, brief.output, brief.power
    return (
        f"{short(s.volts[1], 'V')} {s.chemistry} → {short(o.voltage, 'V')} {short(o.frequency, 'Hz')} sine, "
        f"{short(p.continuous, 'W')}, {short(p.surge, 'W')} for {short(p.surge_time, 's')}"
    )  # fmt: skip


def _whole(totals: Totals, settled: Mapping[str, route.Settled], brief: Brief) -> list[Finding]:
    found: list[Finding] = []
    if totals.efficiency < brief.targets.efficiency:
        now = settled["nominal"]
        losses = {k: now.states[k].loss for k in route.LOSSY}
        worst = max(losses, key=lambda k: losses[k])
        title = next(b.TITLE for b in route.BLOCKS if worst == b.KEY)
        found.append(Finding(
            code="whole.efficiency", severity="watch", block=worst, title="Efficiency below the target",
            cause=f"{fmt(totals.efficiency, '%')} at full power on a nominal battery, against "
                  f"{fmt(brief.targets.efficiency, '%')}; the most, {fmt(losses[worst], 'W')}, is lost in the "
                  f"{title.lower()}.",
            remedy="Start with that block; a higher battery voltage helps everywhere on the low side.",
            figure=f"{worst}.loss", value=totals.efficiency, limit=brief.targets.efficiency,
            margin=totals.efficiency / brief.targets.efficiency - 1))  # fmt: skip
    if totals.idle > brief.targets.idle:
        found.append(Finding(
            code="whole.idle", severity="watch", block="transformer", title="It draws much at no load",
            cause=f"{fmt(totals.idle, 'W')} with nothing plugged in, against {fmt(brief.targets.idle, 'W')}: core, clamp, "
                  "bleeder, gates and controller.",
            remedy="A standby mode that stops the stages, a lower frequency, or a larger transformer core.",
            figure="transformer.core", value=totals.idle, limit=brief.targets.idle,
            margin=1 - totals.idle / brief.targets.idle))  # fmt: skip
    return found


def _missing_part(address: str, reason: str) -> Finding:
    block = address.partition(".")[0]
    return Finding(
        code="pins.part_gone", severity="fix", block=block, title="A pinned part is not on the shelf",
        cause=f"{address}: {reason}. The proposal is used instead.",
        remedy="Put the part back on the shelf, pin another, or take the pin away.", figure=address,
        cures=(Cure(label="Take the pin away", patch={address: None}),))  # fmt: skip


def _unbuildable(brief: Brief, pins: Mapping[str, PinValue], rules: Rules, empty: list[str]) -> Solution:
    names = ", ".join(k.replace("_", "-") for k in empty)
    finding = Finding(
        code="shelf.empty", severity="stop", block="input_stage", title="The shelf has no parts to build with",
        cause=f"There is no {names} on the shelf.", remedy="Import parts as CSV, or restore the house parts.")  # fmt: skip
    return Solution(
        route=route.KEY, brief=brief, rules=rules.name, pins={k: v for k, v in pins.items() if v is not None}, blocks=(),
        findings=(finding,), totals=None, build={}, steps={})  # fmt: skip
