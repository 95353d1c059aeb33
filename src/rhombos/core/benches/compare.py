"""Every route for one brief, side by side: computed figures, what speaks against each, a ranking by the designer's weights."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any, get_args

from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.benches.load_compatibility import Judgement, judge
from rhombos.core.blocks.load import HIGHEST_AT
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import ORDER, Finding
from rhombos.core.design.outputs import AcOutput, AcWave, DcOutput, HfOutput, Waveform
from rhombos.core.design.route_name import RouteName
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Inventory, gather
from rhombos.core.frame.points import STEADY, operating_points
from rhombos.core.frame.report import Solution
from rhombos.core.frame.solve import Worked, explain, work_out
from rhombos.core.frame.stage import Noise, Skill
from rhombos.core.frame.unbuildable import Unbuildable
from rhombos.core.parts import Shelf
from rhombos.core.routes import ROUTES
from rhombos.core.units.quantities import fmt
from rhombos.core.waves.spectrum import readings_of_steps

LOADS_OF_INTEREST = {"half": 0.5, "tenth": 0.1}
LEVEL: dict[Skill, float] = {"easy": 1.0, "some practice": 0.5, "hard": 0.0}


class Weights(BaseModel):
    """How much each quality counts, from 0 (not at all) to 10."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    efficiency: float = Field(5, ge=0, le=10, title="Efficiency at full, half and tenth load")
    idle: float = Field(3, ge=0, le=10, title="Low no-load power")
    mass: float = Field(3, ge=0, le=10, title="Light")
    cost: float = Field(4, ge=0, le=10, title="Cheap parts")
    wave: float = Field(10, ge=0, le=10, title="Suits the intended loads")
    ease: float = Field(3, ge=0, le=10, title="Easy to build")
    quiet: float = Field(1, ge=0, le=10, title="Quiet")


QUALITIES: tuple[str, ...] = tuple(Weights.model_fields)


class Row(BaseModel):
    """One route with one waveform. Numbers in SI; `scores` from 0 (worst of those compared) to 1 (best)."""

    model_config = ConfigDict(frozen=True)

    route: RouteName
    waveform: Waveform
    title: str
    out: bool
    against: tuple[str, ...]
    efficiency: float = 0.0
    half: float = 0.0
    tenth: float = 0.0
    idle: float = 0.0
    weakest: str = ""
    margin: float = 0.0
    source_current: float | None = None
    mass: float = 0.0
    copper: float = 0.0
    cost: float = 0.0
    count: int = 0
    distortion: float = 0.0
    clean: bool = True
    swing: float = 0.0
    loads: tuple[Judgement, ...] = ()
    noise: str = ""
    quiet: float = 0.0
    skill: Skill = "hard"
    build: str = ""
    lost: float = 0.0
    pareto: bool = False
    score: float = 0.0
    scores: dict[str, float] = {}
    texts: dict[str, str] = {}


class Comparison(BaseModel):
    """All rows, best first; those ruled out last."""

    model_config = ConfigDict(frozen=True)

    weights: Weights
    rows: tuple[Row, ...]


def candidates(brief: Brief) -> Iterable[tuple[RouteName, Waveform]]:
    """Every route that this source admits with every wave that it can make: of an AC output all, as whichever is asked might be
    another; else its own."""
    alike = get_args(AcWave) if isinstance(brief.output, AcOutput) else brief.waves[:1]
    beside = brief.waves[1:]
    waves = [(name, wave) for name, route in ROUTES.items() for wave in route.waveforms
             if wave in alike and brief.source.kind in route.fed_by and route.makes((wave, *beside))]  # fmt: skip
    made = {wave: made_as(brief, wave) for wave in alike}
    return [(name, wave) for name, wave in waves
            if not ROUTES[name].refuses(made[wave]) and ROUTES[name].adjusts(made[wave])]  # fmt: skip


def made_as(brief: Brief, wave: Waveform) -> Brief:
    """The brief with a wave of a route."""
    return brief.but(output={"waveform": wave}) if isinstance(brief.output, AcOutput) else brief


def compare(brief: Brief, shelf: Shelf, rules: Rules, weights: Weights | None = None) -> Comparison:
    """Size every route from the shelf, nothing pinned, and rank them."""
    rows = [row_of(brief, name, wave, shelf, rules) for name, wave in candidates(brief)]
    return rank(rows, weights or Weights())


def rank(rows: list[Row], weights: Weights) -> Comparison:
    """Scores, order and Pareto front of rows already computed."""
    able = [r for r in rows if not r.out]
    measures = {
        "efficiency": {id(r): (r.efficiency + r.half + r.tenth) / 3 for r in able},
        "idle": {id(r): -math.log(max(r.idle, 0.1)) for r in able},
        "mass": {id(r): -math.log(max(r.mass, 1e-3)) for r in able},
        "cost": {id(r): -math.log(max(r.cost, 1e-3)) for r in able},
        "wave": {id(r): suitability(r) for r in able},
        "ease": {id(r): LEVEL[r.skill] for r in able},
        "quiet": {id(r): r.quiet for r in able},
    }
    total = sum(getattr(weights, q) for q in QUALITIES) or 1.0
    ranked = []
    for row in rows:
        scores = {q: _place(measures[q], id(row)) for q in QUALITIES} if not row.out else {}
        score = sum(getattr(weights, q) * s for q, s in scores.items()) / total
        front = not row.out and _undominated(row, able)
        ranked.append(row.model_copy(update={"scores": scores, "score": score, "pareto": front}))
    ranked.sort(key=lambda r: (r.out, -r.score, r.route, r.waveform))
    return Comparison(weights=weights, rows=tuple(ranked))


def suitability(row: Row) -> float:
    """How well the wave serves: 1 suits every load meant, 0 none; less where its distortion is beyond the brief's."""
    worth = {"suits": 1.0, "bears": 0.6, "refuses": 0.0}
    loads = sum(worth[j.verdict] for j in row.loads) / max(1, len(row.loads))
    return loads - 0.4 * (not row.clean) - 0.1 * min(1.0, row.distortion)


def _place(measure: dict[int, float], row: int) -> float:
    low, high = min(measure.values()), max(measure.values())
    return 1.0 if high - low < 1e-9 else (measure[row] - low) / (high - low)


def _undominated(row: Row, rows: list[Row]) -> bool:
    """Whether no other row is at least as good in loss, mass and cost and better in one of them."""
    mine = (row.lost, row.mass, row.cost)
    return not any(
        all(a <= b for a, b in zip(other, mine, strict=True)) and other != mine
        for other in ((r.lost, r.mass, r.cost) for r in rows)
    )


def row_of(brief: Brief, name: RouteName, wave: Waveform, shelf: Shelf, rules: Rules) -> Row:
    """What one route with one wave would come to, sized from the shelf, nothing pinned."""
    asked = made_as(brief, wave)
    title = ROUTES[name].titled(wave)
    try:
        worked = work_out(asked, {}, shelf, rules, name)
    except Unbuildable as why:
        return Row(route=name, waveform=wave, title=title, out=True, against=(why.finding.cause,))
    solution = explain(worked, {})
    stock = gather(stage.parts(worked.builds[stage.key], worked.shelf) for stage in worked.path)
    stops = tuple(f.title for f in solution.findings if f.severity == "stop")
    if "nominal" in worked.route.infeasible(worked.settled):
        return Row(route=name, waveform=wave, title=title, out=True, against=stops)
    return _figures(worked, solution, stock, title, stops)


def _figures(worked: Worked, solution: Solution, stock: Inventory, title: str, stops: tuple[str, ...]) -> Row:
    totals: Any = solution.totals
    brief, name, wave = worked.brief, worked.route.key, worked.brief.output.waveform
    half, tenth = (_efficiency(worked, share) for share in LOADS_OF_INTEREST.values())
    block, margin = _weakest(solution)
    distortion, crest, swing = _output(worked)
    loads = tuple(judge(kind, wave, crest, swing) for kind in brief.loads)
    noise, quiet = _noise(worked)
    skill, build = _buildability(worked)
    cells = worked.settled["low"].states[SOURCE]
    current = None if cells.collapsed else cells.current
    refused = tuple(f"{j.load}: {j.reason}" for j in loads if j.verdict == "refuses")
    kind, most = ("ripple", brief.output.ripple) if isinstance(brief.output, DcOutput) else (
        "distortion", brief.targets.distortion)  # fmt: skip
    clean = distortion <= most or isinstance(brief.output, HfOutput)
    bent: tuple[str, ...] = ()
    if not clean:
        bent = (f"{kind} of {fmt(distortion, '%', 2)}; the brief asks {fmt(most, '%', 2)}",)
    against = stops + refused + _worst(solution.findings) + bent
    return Row(
        route=name,
        waveform=wave,
        title=title,
        out=bool(stops + refused),
        against=against,
        efficiency=totals.efficiency,
        half=half,
        tenth=tenth,
        idle=totals.idle,
        weakest=block,
        margin=margin,
        source_current=current,
        mass=stock.mass,
        copper=stock.copper,
        cost=stock.cost,
        count=stock.count,
        distortion=distortion,
        clean=clean,
        swing=swing,
        loads=loads,
        noise=noise,
        quiet=quiet,
        skill=skill,
        build=build,
        lost=totals.lost,
        texts={
            "efficiency": fmt(totals.efficiency, "%"),
            "half": fmt(half, "%"),
            "tenth": fmt(tenth, "%"),
            "idle": fmt(totals.idle, "W"),
            "margin": fmt(margin, "%", 2),
            "source_current": fmt(current, "A") if current is not None else "beyond it",
            "mass": fmt(stock.mass, "kg", 2),
            "copper": fmt(stock.copper, "kg", 2),
            "cost": fmt(stock.cost, "1"),
            "distortion": fmt(distortion, "%", 2),
            "swing": fmt(round(swing, 4), "%", 2),
            "lost": fmt(totals.lost, "W"),
        },
    )


def _efficiency(worked: Worked, share: float) -> float:
    """Efficiency at a share of full power on a nominal input."""
    point = operating_points(worked.brief)["nominal"]
    found = worked.route.converge_all(
        worked.builds,
        worked.brief,
        worked.shelf,
        worked.rules,
        tolerance=1e-4,
        start=worked.settled,
        points={"nominal": point.at(share)},
    )["nominal"]
    return float(found.delivered / found.flow["source"])


def _weakest(solution: Solution) -> tuple[str, float]:
    """The block with the smallest margin left of its house limits, and how much that is."""
    left = [(1 - f.stress / f.house, b.title) for b in solution.blocks for f in b.figures if f.stress is not None and f.house]
    margin, title = min(left)
    return title, margin


def _output(worked: Worked) -> tuple[float, float, float]:
    """Distortion or ripple, crest factor and largest relative departure of the output from what was asked."""
    output = worked.brief.output
    if output.stepped:
        read = readings_of_steps(worked.route.steps(worked.settled, worked.builds).wave(output.frequency))
        crest = max(s.states[LOAD].highest for k, s in worked.settled.items() if k in HIGHEST_AT)
        return read.thd, crest, _swing(worked)
    made = worked.facets(lambda stage: stage.distortion)[-1]
    if output.direct:
        return made, 1.0, _swing(worked)
    return made, math.sqrt(2), 0.0 if worked.link else _swing(worked)


def _swing(worked: Worked) -> float:
    asked = worked.brief.output.voltage
    seen = [worked.socket_volts(s.states) for k, s in worked.settled.items() if k in (*STEADY, "idle")]
    return float(max(abs(v / asked - 1) for v in seen))


def _noise(worked: Worked) -> Noise:
    """The loudest of what is heard."""
    heard = [n for n in worked.facets(lambda stage: stage.noise) if n.heard]
    return min(heard, key=lambda n: n.quiet, default=Noise("silent but for a fan", 1.0))


def _buildability(worked: Worked) -> tuple[Skill, str]:
    """Winding skill, adjustment and sourcing, in words."""
    said: list[str] = []
    if not worked.barrier:
        said.append("nothing isolates socket, gates and controller from the source: all of it is live")
    makings = worked.facets(lambda stage: stage.making)
    easy: Skill = "easy"
    skill = min((m.skill for m in makings), key=lambda s: LEVEL[s], default=easy)
    return skill, "; ".join([*said, *(words for m in makings for words in m.said)])


def _worst(findings: tuple[Finding, ...]) -> tuple[str, ...]:
    return tuple(f.title for f in sorted(findings, key=lambda f: ORDER[f.severity]) if f.severity == "fix")
