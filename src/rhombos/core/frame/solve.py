"""From a brief to a complete, explained sizing: propose, settle, propose again until nothing moves, report."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeVar

from rhombos.core.blocks.base import Build
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import ORDER, Finding, PinValue, Waiver, waive, worst_first
from rhombos.core.design.pins import Pins, read_pins
from rhombos.core.design.route_name import DEFAULT, RouteName
from rhombos.core.design.rules import Rules
from rhombos.core.frame.drawn import drawn_from, scarce, too_small_to_solder
from rhombos.core.frame.keys import Builds
from rhombos.core.frame.margins import margins
from rhombos.core.frame.parts_list import parts_list
from rhombos.core.frame.points import operating_points
from rhombos.core.frame.report import BlockReport, Solution
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.unbuildable import Unbuildable, able, stocked
from rhombos.core.frame.whole import missing_part, not_held, targets_missed, totals_of, waiting
from rhombos.core.frame.working import step_out
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.parts.drawer import preferring
from rhombos.core.parts.incoming_inspection import incoming_tests
from rhombos.core.parts.origin import as_unverified
from rhombos.core.parts.shelf import Stocked
from rhombos.core.parts.soldered import solderable
from rhombos.core.routes import ALL_BUILDS, ROUTES, SHARED_BUILDS, Route
from rhombos.core.routes.auxiliary.shared import assess_shared, propose_shared
from rhombos.core.units.quantities import fmt

BuildKind = TypeVar("BuildKind", bound=Build)
REFINED = (0.0, 0.0, 0.0, 0.03, 0.08)
"""Further rounds that a sizing gets whose own proposals break a rule: what of every limit each proposal keeps in reserve beside
what the house asks. What is judged is what the house asks."""
MENDED = (0.0, 0.0, 0.03)
"""Rounds after these, likewise, in which only the blocks are proposed again that break a rule, beside the best so far as it
stands: where two designs propose each other in turn."""
RESTOCKED = 4
"""Times that a design is sized whose proposals take more of a part than the drawer holds."""
COARSE = 1e-2
"""How closely operating points are settled between proposals."""


@dataclass(frozen=True)
class Worked(Sizing):
    """A sizing with its pins, every worked step, and what its blocks say of themselves."""

    pins: Pins
    missing: Mapping[str, str]
    worksheets: Mapping[str, Worksheet]
    told: tuple[tuple[BlockReport, ...], tuple[Finding, ...]] = ((), ())

    def built(self, kind: type[BuildKind]) -> BuildKind:
        """What is built of a kind. Raises: LookupError where this route has none."""
        for build in self.builds.values():
            if isinstance(build, kind):
                return build
        raise LookupError(f"no {kind.__name__} on {self.route.key}")

    @cached_property
    def at_lowest(self) -> Worked:
        """The same build with an adjustable output at its lowest setting, settled there at every input; itself where there is
        but one."""
        output = self.brief.output
        if output.down_to is None:
            return self
        setting = output.down_to / output.voltage
        brief, builds = self.brief.at(setting), self.route.turned(self.builds, self.brief, setting)
        worksheets = {key: Worksheet() for key in operating_points(brief)}
        settled = self.route.converge_all(builds, brief, self.shelf, self.rules, worksheets=worksheets)
        beside = {k: replace(s, states={**self.settled[k].states, **s.states}) for k, s in settled.items()}
        return replace(self, brief=brief, builds=builds, settled=beside, worksheets=worksheets)


def work_out(
    brief: Brief, pins: Mapping[str, PinValue], shelf: Shelf, rules: Rules, route_name: RouteName = DEFAULT
) -> Worked:  # fmt: skip
    """Size everything that is not pinned; what lies in the drawer is weighed at the house's share of its price, as far as it
    goes. Raises: PinError for a bad pin, EmptyShelf, WrongWave, OtherSource, NothingBeside, OutOfReach, NotAdjustable,
    AuxiliaryTooHigh."""
    route, shelf = able(ROUTES[route_name], brief), shelf.plain
    typed, missing = read_pins(pins, {**route.builds, **SHARED_BUILDS}, shelf, ALL_BUILDS)
    shelf = solderable(shelf, rules.smallest_body, typed)
    stocked(route, shelf)
    if brief.targets.switches == "unverified":
        shelf = as_unverified(shelf)
    if not shelf.drawer:
        return _sized(route, brief, typed, missing, shelf, rules)
    dearer: dict[Stocked, float] = {}
    for turn in range(1, RESTOCKED + 1):
        seen = preferring(shelf, rules.drawer_price, frozenset(dearer.items()))
        worked = _sized(route, brief, typed, missing, seen, rules)
        short = scarce(parts_list(worked).needed, shelf, typed, rules.drawer_price)
        if all(share <= dearer.get(where, -1.0) for where, share in short.items()):
            break
        # what must be bought besides costs its price: the next round weighs that, the last as if there were none at all
        last = turn == RESTOCKED - 1
        dearer |= {where: 1.0 if last else max(share, dearer.get(where, 0.0)) for where, share in short.items()}
    return worked


def _sized(
    route: Route, brief: Brief, typed: Pins, missing: Mapping[str, str], shelf: Shelf, rules: Rules
) -> Worked:  # fmt: skip
    """The best of a sizing and its further rounds: all proposed again from the last, then what is amiss beside the best."""
    builds, near, hints = build_all(route, brief, typed, shelf, rules)
    best = last = _finished(route, brief, typed, missing, shelf, rules, builds, near)
    for share in REFINED:
        if not _curable(best, last):
            return best
        hints = route.next_hints(last.settled, hints)
        if (again := _again(last, hints, typed, share)) is None:
            continue  # the same again: only a stricter house proposes otherwise
        best, last = min(best, again, key=broken), again
        if best is not again and typed:  # what is pinned may hold the rest back
            return best
    last, amiss = best, _amiss(best)
    for share in MENDED:
        if not _curable(best, last):
            return best
        hints = route.next_hints(last.settled, hints)
        held = {key: build.pinnable() for key, build in best.builds.items() if key in route.builds and key not in amiss}
        if again := _again(last, hints, held | dict(typed), share):
            best, last, amiss = min(best, again, key=broken), again, amiss | _amiss(again)
    return best


def _curable(best: Worked, last: Worked) -> bool:
    """Whether a rule is broken, and another proposal may keep it: nothing cures a source that cannot give the power."""
    return broken(best) > 0 and not last.settled["nominal"].states[SOURCE].collapsed


def _again(worked: Worked, hints: object, held: Pins, share: float) -> Worked | None:
    """The same proposed once more, for the points as they are now, by a house that keeps a share of every limit besides, what
    is held as it is; None where that proposes what stands."""
    route, brief, shelf, rules = worked.route, worked.brief, worked.shelf, worked.rules
    house = rules.stricter(share) if share else rules
    path = route.proposed(brief, hints, held, shelf, house)
    beside = Builds({k: worked.builds[k] for k in worked.builds if k not in path and k in route.builds})
    stands = path.items() <= worked.builds.items()
    near = {key: worked.settled[key] for key in route.hint_keys(brief)} if stands else route.converge_all(
        path | beside, brief, shelf, rules, keys=route.hint_keys(brief), start=worked.settled, tolerance=COARSE)  # fmt: skip
    beside = beside | route.propose_auxiliary(brief, path | beside, near, worked.pins, shelf, house)
    if stands and beside.items() <= worked.builds.items():
        return None
    return _finished(route, brief, worked.pins, worked.missing, shelf, rules, path | beside, near)


def _finished(
    route: Route, brief: Brief, typed: Pins, missing: Mapping[str, str], shelf: Shelf, rules: Rules,
    builds: Builds, near: Mapping[str, Settled],
) -> Worked:  # fmt: skip
    """The path settled at every point, with what lies beside it, and what they say."""
    worksheets = {key: Worksheet() for key in operating_points(brief)}
    settled = route.converge_all(builds, brief, shelf, rules, worksheets=worksheets, start=near)
    path = Sizing(route, brief, rules, shelf, builds, settled)
    builds = builds | propose_shared(path, typed)
    settled = assess_shared(replace(path, builds=builds), worksheets)
    worked = Worked(route, brief, rules, shelf, builds, settled, typed, missing, worksheets)
    reports, findings = report_blocks(worked)
    return replace(worked, told=(tuple(reports), tuple(findings)))


def broken(worked: Worked) -> int:
    """How many rules the sizing's own proposals break; what is pinned, or cannot be avoided, does not count. A stop counts more
    than any fixes."""
    return sum(100 if f.severity == "stop" else 1 for f in _breaks(worked))


def _breaks(worked: Worked) -> list[Finding]:
    return [f for f in worked.told[1]
            if f.severity in ("stop", "fix") and not f.unavoidable and not worked.pins.get(f.block)]  # fmt: skip


def _amiss(worked: Worked) -> set[str]:
    """The blocks whose own proposals break a rule."""
    return {f.block for f in _breaks(worked)}


def refit(worked: Worked, block: str, name: str, value: PinValue) -> Worked:
    """The same design with one more field pinned, its value taken as it is."""
    pins = {**worked.pins, block: {**worked.pins.get(block, {}), name: value}}
    return _sized(worked.route, worked.brief, pins, worked.missing, worked.shelf, worked.rules)


def solve(
    brief: Brief, pins: Mapping[str, PinValue], shelf: Shelf, rules: Rules, route_name: RouteName = DEFAULT,
    waivers: Iterable[Waiver] = (),
) -> Solution:  # fmt: skip
    """Size everything that is not pinned and say what the whole then does. Pure and deterministic.

    Raises: PinError for a pin out of its range or unknown. A brief that cannot be met solves to findings.
    """
    try:
        return explain(work_out(brief, pins, shelf, rules, route_name), pins, waivers)
    except Unbuildable as why:
        return unbuildable(brief, pins, rules, route_name, why)


def explain(worked: Worked, pins: Mapping[str, PinValue], waivers: Iterable[Waiver] = ()) -> Solution:
    """A sizing in words and figures; what is waived is marked, and moves no block's severity."""
    brief, settled, route = worked.brief, worked.settled, worked.route
    waivers = tuple(waivers)
    listed = parts_list(worked)
    blocks, findings = [listed.shown(b) for b in worked.told[0]], [*worked.told[1], *listed.missing()]
    if waivers:
        blocks = [_unless_waived(b, findings, waivers) for b in blocks]
    findings += [missing_part(address, reason) for address, reason in worked.missing.items()]
    findings += waiting(worked, pins)
    totals = totals_of(worked)
    findings += targets_missed(totals, worked)
    findings += not_held(worked, findings)
    findings += too_small_to_solder(listed.needed, worked.shelf, worked.rules.smallest_body)
    if worked.shelf.drawer:
        findings += drawn_from(listed.needed, worked.shelf)
    findings += incoming_tests(worked.builds, worked.shelf, worked.rules.gate_drive)
    wanted = {f.step: f.unit for b in blocks for f in b.figures if f.step}
    steps = {
        key: step_out(address, step, wanted[key])
        for point, worksheet in worked.worksheets.items() for address, step in worksheet.steps.items()
        if (key := f"{point}:{address}") in wanted
    }  # fmt: skip
    return Solution(
        route=route.key, brief=brief, rules=worked.rules.name, pins={k: v for k, v in pins.items() if v is not None},
        blocks=tuple(blocks), findings=tuple(waive(worst_first(findings), waivers)), margins=margins(blocks),
        totals=totals,
        operating=route.operating(settled, worked.builds, worked.shelf),
        build={key: b.pinnable() for key, b in worked.builds.items()}, steps=steps)  # fmt: skip


def _unless_waived(block: BlockReport, findings: list[Finding], waivers: tuple[Waiver, ...]) -> BlockReport:
    codes = {w.code for w in waivers}
    left = [f.severity for f in findings if f.block == block.key and f.code not in codes and f.severity != "note"]
    return block.model_copy(update={"severity": min(left, key=lambda s: ORDER[s], default=None)})


def build_all(
    route: Route, brief: Brief, pins: Pins, shelf: Shelf, rules: Rules
) -> tuple[Builds, dict[str, Settled], object]:  # fmt: skip
    """Propose, settle and propose again, until the proposals stand still. What lies beside the path is chosen for each settled
    path, and takes part in settling the next.

    Returns: the builds, the last coarse operating points, and the hints they came from.
    """
    hints = route.first_hints(brief, pins, rules)
    path, beside = Builds(), Builds()
    settled: dict[str, Settled] = {}
    for rounds in range(1, route.rounds + 1):
        proposed = route.proposed(brief, hints, pins, shelf, rules)
        if proposed == path:
            break
        path = proposed
        if rounds < route.rounds or not settled:  # after the last, points as they were are near enough for what lies beside
            settled = route.converge_all(
                path | beside, brief, shelf, rules, keys=route.hint_keys(brief), start=settled, tolerance=COARSE
            )
            hints = route.next_hints(settled, hints)
        beside = Builds(route.propose_auxiliary(brief, path | beside, settled, pins, shelf, rules))
    return path | beside, settled, hints


def report_blocks(worked: Worked) -> tuple[list[BlockReport], list[Finding]]:
    """Every block's figures with their findings."""
    route, settled = worked.route, worked.settled
    points = {k: s.point for k, s in settled.items()}
    infeasible = route.infeasible(settled)
    reports: list[BlockReport] = []
    findings: list[Finding] = []
    path = {stage.key for stage in worked.path}
    for stage in worked.stages:
        sheet = ReportBuilder(
            stage.key, stage.title, worked.builds[stage.key], {k: s.states[stage.key] for k, s in settled.items()},
            points, worked.pins, worked.rules, worked.shelf, infeasible)  # fmt: skip
        told = stage.report(sheet, worked)
        if stage.key not in path:
            told = told.model_copy(update={"auxiliary": True})
        elif worked.brief.mains and not worked.beyond_barrier(stage.key):
            told = told.model_copy(update={"live": True})
        elif stage.ending and stage.key != worked.path[-1].key:
            told = told.model_copy(update={"given": fmt(told.power_out, "W")})
        reports.append(told)
        findings += sheet.findings
    return reports, findings


def unbuildable(
    brief: Brief, pins: Mapping[str, PinValue], rules: Rules, route_name: RouteName, why: Unbuildable
) -> Solution:  # fmt: skip
    """A solution that is only its finding: there is nothing to build."""
    return Solution(
        route=route_name, brief=brief, rules=rules.name, pins={k: v for k, v in pins.items() if v is not None}, blocks=(),
        findings=(why.finding,), totals=None, operating=None, build={}, steps={})  # fmt: skip
