"""Random briefs over every route, and what must hold for each: ``./rhombos sweep [--count N] [--seed N] [--jobs N]``.

A check returns sentences; an empty list is a pass. Nothing here knows an expected figure: every check is a law of the house
(settled or named, power in is power out and losses, nothing proposed breaks a rule without saying why it must, neighbours near
one another, cures that cure, idle far below rated).
"""

from __future__ import annotations

import argparse
import sys
import time
import traceback
from collections import Counter
from collections.abc import Iterator, Mapping
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from benchmarks.agreement import agreements
from benchmarks.cases import DRAWERS, Case, drawn, random_drawer

from rhombos.core.design.findings import ORDER
from rhombos.core.design.outputs import HIGHEST_SURGE
from rhombos.core.design.rules import PRESETS, Rules
from rhombos.core.frame.report import Solution
from rhombos.core.frame.solve import Worked, explain, work_out
from rhombos.core.parts import Shelf
from rhombos.core.routes import lossy
from rhombos.demo import house_shelf

BALANCE = 1e-3
"""What may be missing of a point's power."""
IDLE_SHARE, IDLE_FLOOR = 0.15, 15.0
"""No-load power over the rated one, and what any stage may draw, W."""
IDLE_A_VOLT = 0.02
"""What a socket of high voltage may draw besides: its dampers charge at every edge, W/V."""
NEIGHBOUR = 1.03
"""How much more power a neighbour asks."""
SLACK, THINNER, STEP, STEP_WATTS = 0.023, 0.12, 0.45, 4.0
"""How far loss and idle of a neighbour may lie beyond what more current explains, as a share of them: with the same parts;
beside that with a wire one size off; with other cores and switches, and watts."""
PARTS = (
    "damper_capacitor",
    "core",
    "primary_turns",
    "grade",
    "switch",
    "diode",
    "sets",
    "parallel",
    "clamp_resistor",
    "capacitor",
    "count",
)
"""Fields that make a step from one part to the next."""
WIRES = ("primary_wire", "secondary_wire", "wire")
"""Fields whose sizes lie an eighth apart: a quarter of a winding's copper, where one wire is the winding."""
OUTGROWN = "iron_transformer.hot"
"""What is said of iron that runs too hot; where no larger one is on the shelf, there is no such design."""
MOST_LOST = 0.45
"""Share of a battery's EMF lost on the way from which its loss grows without bound: half is its most power."""


@dataclass
class Outcome:
    """What became of a case: broken laws with their sentences, and how long it took, s."""

    case: Case
    broken: list[tuple[str, str]] = field(default_factory=list)
    seconds: float = 0.0
    allowed: list[str] = field(default_factory=list)


def settled_or_named(worked: Worked, told: Solution) -> Iterator[str]:
    """Every point settled, or a finding that says it did not."""
    named = {f.code for f in told.findings}
    infeasible = worked.route.infeasible(worked.settled)
    for key, s in worked.settled.items():
        if not s.converged and key not in infeasible and "whole.unsettled" not in named:
            yield f"{key} did not settle and nothing says so"
    names = {
        "low": {"source.cannot_give_low", "front_end.duty"},
        "surge_low": {"source.cannot_give_surge_low", "front_end.surge_sags"},
    }
    for key in infeasible:
        if not named & (names.get(key, set()) | {"whole.not_held"}):
            yield f"{key} cannot be held and nothing says so"


def balanced(worked: Worked, told: Solution) -> Iterator[str]:
    """Power in is power out and every loss, at every point that settled."""
    blocks = lossy(worked.route, worked.brief.waves)
    infeasible = worked.route.infeasible(worked.settled)
    for key, s in worked.settled.items():
        if key in infeasible or not s.converged:
            continue
        cells = s.states["source"]
        drawn = cells.terminal * cells.current
        lost = sum(s.states[b].loss for b in blocks)
        missing = (drawn - s.delivered - lost) / max(drawn, 1e-9)
        if abs(missing) > BALANCE:
            yield f"{key}: {drawn:.2f} W in, {s.delivered:.2f} W out, {lost:.2f} W lost, {missing:.2%} missing"


def idle_is_small(worked: Worked, told: Solution) -> Iterator[str]:
    """With nothing plugged in, little is drawn; but for a clamp on switches that no shelf has strong enough, or behind iron
    that none has large enough."""
    if any(f.code in ("front_end.voltage", "oscillator.voltage", OUTGROWN) and f.unavoidable for f in told.findings):
        return
    idle = worked.settled["idle"].flow["source"]
    floor = max(IDLE_FLOOR, IDLE_A_VOLT * worked.brief.output.voltage)
    if idle > max(floor, IDLE_SHARE * worked.brief.continuous):
        yield f"{idle:.1f} W with nothing plugged in"


def rules_kept(worked: Worked, told: Solution) -> Iterator[str]:
    """Nothing that was proposed breaks a rule, unless the finding says why no part or value avoids it.

    What a battery makes of a design that it cannot feed at all does not count beside that, nor what follows from a transformer
    that no iron is large enough for."""
    if any(f.code == "source.cannot_give_low" or (f.code == OUTGROWN and f.unavoidable) for f in told.findings):
        return
    for f in told.findings:
        if f.severity in ("stop", "fix") and not f.unavoidable:
            yield f"{f.severity} {f.code}: {f.title}: {f.cause}"


def findings_point_somewhere(worked: Worked, told: Solution) -> Iterator[str]:
    """Blocks and figures that findings name are there."""
    blocks = {b.key: {f.address for f in b.figures} for b in told.blocks} | {"brief": set()}
    for f in told.findings:
        if f.block not in blocks:
            yield f"{f.code} is of {f.block}, which this route does not have"
        elif f.figure is not None and f.figure not in blocks[f.figure.partition(".")[0]]:
            yield f"{f.code} points at {f.figure}, which is not shown"


CHECKS = (settled_or_named, balanced, idle_is_small, rules_kept, findings_point_somewhere)


def losses(worked: Worked) -> tuple[float, float]:
    """Loss at full power, and the draw at none, W; nothing where full power cannot be held."""
    if "nominal" in worked.route.infeasible(worked.settled):
        return float("nan"), float("nan")
    now = worked.settled["nominal"]
    return now.flow["source"] - now.delivered, worked.settled["idle"].flow["source"]


def natural_growth(worked: Worked, more: float) -> float:
    """What share of the larger loss is new when power grows `more` times over the same resistances: the loss goes with the
    current's square, and from P = (1 - s) V I, where s = R I / V is lost on the way, dI/I = dP/P (1 - s) / (1 - 2 s)."""
    now = worked.settled["nominal"]
    lost = min(MOST_LOST, max(0.0, 1 - now.delivered / (now.point.emf * now.states["source"].current)))
    return float(1 - more ** (-2 * (1 - lost) / (1 - 2 * lost)))


def neighbours_near(case: Case, worked: Worked, shelf: Shelf, rules: Rules) -> Iterator[str]:
    """Three hundredths more power moves loss and idle no further than a step between parts explains."""
    power = case.brief.power
    more = min(5000.0, NEIGHBOUR * power.continuous)
    if more <= power.continuous:
        return
    surge = min(HIGHEST_SURGE, max(more, power.surge * more / power.continuous))
    brief = case.brief.but(power={"continuous": more, "surge": surge})
    other = work_out(brief, {}, shelf, rules, case.route)
    same, drawn = (
        all(
            getattr(build, name, None) == getattr(other.builds[key], name, None)
            for key, build in worked.builds.items()
            for name in names
        )
        for names in (PARTS, WIRES)
    )
    # where nothing regulates, a turn more or less gives more or less than was asked
    given = max(more / power.continuous, other.settled["nominal"].delivered / worked.settled["nominal"].delivered)
    alike = natural_growth(worked, given) + SLACK + (0.0 if drawn else THINNER)
    for what, a, b in zip(("loss", "idle"), losses(worked), losses(other), strict=True):
        if abs(b - a) > (alike if same else STEP) * max(a, b) + (1.0 if same else STEP_WATTS):
            yield f"{what} goes from {a:.1f} W to {b:.1f} W for {more / power.continuous - 1:.0%} more power"


def cures_cure(case: Case, told: Solution, shelf: Shelf, rules: Rules) -> Iterator[str]:
    """Every cure offered clears its finding, and brings none that is as bad."""
    before = {f.code: ORDER[f.severity] for f in told.findings}
    for f in told.findings:
        for cure in f.cures:
            patch = {k: v for k, v in cure.patch.items() if v is not None}
            after = explain(work_out(case.brief, patch, shelf, rules, case.route), patch)
            codes = {x.code: ORDER[x.severity] for x in after.findings}
            if f.code in codes:
                yield f"{f.code} stays after ‘{cure.label}’"
            for code, rank in codes.items():
                if rank <= ORDER[f.severity] and rank < 2 and before.get(code, 9) > rank:
                    yield f"‘{cure.label}’ for {f.code} brings {code}"


def scope_agrees(worked: Worked) -> Iterator[str]:
    """Sheet and scope say the same at full power."""
    if worked.route.infeasible(worked.settled):
        return
    for a in agreements(worked):
        if a.off > 1:
            yield f"{a.name} is {a.sheet:.4g} on the sheet and {a.scope:.4g} on the scope"


def judge(case: Case, slow: bool, shelf: Shelf, rules: Rules, scope: bool = False) -> Outcome:
    """Size a case and hold it against every law; `slow` adds its neighbour and its cures, `scope` what the scope says."""
    out = Outcome(case)
    began = time.perf_counter()
    try:
        worked = work_out(case.brief, {}, shelf, rules, case.route)
        told = explain(worked, {})
        for check in CHECKS:
            out.broken += [(check.__name__, text) for text in check(worked, told)]
        out.allowed = [f.code for f in told.findings if f.severity in ("stop", "fix") and f.unavoidable]
        if slow:
            out.broken += [("neighbours_near", t) for t in neighbours_near(case, worked, shelf, rules)]
            out.broken += [("cures_cure", t) for t in cures_cure(case, told, shelf, rules)]
        if scope:
            out.broken += [("scope_agrees", t) for t in scope_agrees(worked)]
    except Exception:
        out.broken.append(("no exception", traceback.format_exc(limit=-3)))
    out.seconds = time.perf_counter() - began
    return out


def _one(job: tuple[int, int, str, int]) -> Outcome:
    index, seed, preset, each = job
    shelf = random_drawer(_shelf(), index, seed) if index % DRAWERS == DRAWERS - 1 else _shelf()
    case = drawn(index, seed)
    return judge(case, index % 10 == 0, shelf, PRESETS[preset], each > 0 and index % each == 0)  # type: ignore[index]


_SHELF: list[Shelf] = []


def _shelf() -> Shelf:
    if not _SHELF:
        _SHELF.append(house_shelf())
    return _SHELF[0]


def sweep(count: int, seed: int, jobs: int, preset: str = "usual", scoped: int = 0) -> list[Outcome]:
    """`count` sizings over `jobs` processes; about `scoped` of them are recorded on the scope too."""
    each = max(1, count // scoped) if scoped else 0
    each += each % 2 == 0  # so that every route has its turn
    work = [(i, seed, preset, each if scoped else 0) for i in range(count)]
    if jobs == 1:
        return [_one(w) for w in work]
    with ProcessPoolExecutor(jobs) as pool:
        return list(pool.map(_one, work, chunksize=10))


def summary(outcomes: list[Outcome]) -> tuple[Counter[str], Counter[str], Mapping[str, Any]]:
    """Broken laws and their codes, and what findings were allowed, counted."""
    laws: Counter[str] = Counter()
    detail: Counter[str] = Counter()
    for o in outcomes:
        for law in {law for law, _ in o.broken}:
            laws[law] += 1
        for law, text in o.broken:
            detail[f"{law}: {text.split(':')[0] if law == 'rules_kept' else text.split(' ')[0]}"] += 1
    allowed = Counter(code for o in outcomes for code in set(o.allowed))
    return laws, detail, allowed


def main() -> int:
    """Run it and print what broke. Returns: 1 if anything did."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--count", type=int, default=3000)
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--jobs", type=int, default=2)
    asked.add_argument("--rules", default="usual", choices=list(PRESETS))
    asked.add_argument("--scope", type=int, default=60, help="sizings that are recorded on the scope")
    asked.add_argument("--show", type=int, default=3, help="examples printed for each kind")
    given = asked.parse_args()
    began = time.perf_counter()
    outcomes = sweep(given.count, given.seed, given.jobs, given.rules, given.scope)
    laws, detail, allowed = summary(outcomes)
    bad = sum(1 for o in outcomes if o.broken)
    print(f"{len(outcomes)} sizings, {bad} with a broken law, {time.perf_counter() - began:.0f} s")
    for law, n in laws.most_common():
        print(f"  {law}: {n}")
    for what, n in detail.most_common(60):
        print(f"    {n:5d}  {what}")
        shown = 0
        for o in outcomes:
            for law, text in o.broken:
                key = f"{law}: {text.split(':')[0] if law == 'rules_kept' else text.split(' ')[0]}"
                if key == what and shown < given.show:
                    print(f"             {o.case.told()}\n               {text.strip()}")
                    shown += 1
    slowest = sorted(outcomes, key=lambda o: -o.seconds)[:3]
    print("slowest: " + "; ".join(f"{o.seconds:.1f} s {o.case.told()}" for o in slowest))
    print("findings that say why no part or value avoids them:")
    for code, n in allowed.most_common():
        print(f"    {n:5d}  {code}")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
