"""A design sized, with its pictures, its rating, and what another part would do to it."""

from __future__ import annotations

from typing import Any, Literal, Self

from pydantic import BaseModel, Field, RootModel, model_validator
from pydantic.json_schema import SkipJsonSchema

from rhombos.core.benches.as_rail import NoRail, as_rail
from rhombos.core.benches.battery_swap import BatteryChange, change_battery
from rhombos.core.benches.parts_sheet import PartsSheet, parts_csv, parts_sheet
from rhombos.core.benches.rating import Rating, rating
from rhombos.core.benches.switches import rank_switches
from rhombos.core.design.brief import followed
from rhombos.core.design.file import Design
from rhombos.core.design.findings import PinAddress, PinValue, Waiver
from rhombos.core.design.form import BriefField, RuleField, brief_fields, rule_fields
from rhombos.core.design.pins import PinError
from rhombos.core.design.rules import PRESETS, RuleName
from rhombos.core.design.sources import BatterySource, RailSource
from rhombos.core.frame.parts_list import parts_list
from rhombos.core.frame.report import Solution
from rhombos.core.frame.solve import explain, unbuildable
from rhombos.core.frame.solve import solve as core_solve
from rhombos.core.frame.unbuildable import Unbuildable
from rhombos.core.magnetics_bench.model import OptionTable
from rhombos.core.mains.tool import MainsAsked, MainsSeen
from rhombos.core.mains.tool import see as see_mains
from rhombos.core.parts.drawer import Stock
from rhombos.core.parts.shelf import Stocked
from rhombos.core.plots import Chart, charts
from rhombos.core.precharge.files import precharge_table
from rhombos.core.precharge.tool import Bus, PrechargeSeen, see, sequence_file
from rhombos.desk.asked import Asked, NotHere, Strict
from rhombos.desk.desk import Desk

Held = tuple[tuple[Stocked, Stock], ...]
"""What a drawer holds, by part."""


class SolveIn(Asked):
    """… and the findings that are waived. `edited` is what of the brief was changed just now: what must fit beside it follows,
    and `moved` says so."""

    waivers: tuple[Waiver, ...] = Field((), max_length=100)
    edited: str = Field("", max_length=60)
    moved: SkipJsonSchema[str] = ""

    @classmethod
    def of(cls, design: Design) -> Self:
        """What is asked of a design as it is stored."""
        return cls(
            brief=design.brief, pins=design.pins, rules=design.rules, house=design.house, route=design.route,
            waivers=design.waivers)  # fmt: skip

    @model_validator(mode="before")
    @classmethod
    def _followed(cls, raw: Any) -> Any:
        if not isinstance(raw, dict) or "brief" not in raw:
            return raw
        brief, moved = followed(raw["brief"], raw.get("edited", ""))
        return raw | {"brief": brief, "moved": moved}


class Solved(BaseModel):
    """The solution, and the brief's fields as a form shows them; `moved` says what of the brief followed what was edited."""

    solution: Solution
    moved: str
    fields: tuple[BriefField, ...]
    house: tuple[RuleField, ...]


def solve(desk: Desk, asked: SolveIn) -> Solved:
    """Size everything that is not pinned."""
    try:
        solution = explain(desk.work(asked), asked.pins, asked.waivers)
    except Unbuildable as why:
        solution = unbuildable(asked.brief, asked.pins, asked.house_rules, asked.route, why)
    fields, house = brief_fields(asked.brief), rule_fields(asked.rules, asked.house)
    return Solved(solution=solution, moved=asked.moved, fields=fields, house=house)


def rail_of(desk: Desk, asked: SolveIn) -> RailSource:
    """The design's DC socket as a rail for another. Raises: NotHere where it gives none."""
    try:
        return as_rail(desk.work(asked))
    except (NoRail, Unbuildable) as why:
        raise NotHere(f"this design feeds no other: {why}") from None


class Then(BaseModel):
    """A design as it was sized with what the drawer held: its totals in words, how many findings stop it or must be mended, and
    what it takes from the drawer, by block."""

    texts: dict[str, str]
    stops: int
    fixes: int
    taken: dict[str, str]


def sized_then(desk: Desk, asked: SolveIn, held: Held) -> Then:
    """A design sized for a drawer that is not today's. Nothing of it is kept at hand."""
    shelf = desk.shelf.stocked(dict(held))
    solution = core_solve(asked.brief, asked.pins, shelf, asked.house_rules, asked.route, asked.waivers)
    grave = [f.severity for f in solution.findings if not f.waived]
    taken = {f.block: f.cause for f in solution.findings if f.code.endswith(".drawer")}
    texts = solution.totals.texts if solution.totals else {}
    return Then(texts=texts, stops=grave.count("stop"), fixes=grave.count("fix"), taken=taken)


class Need(BaseModel):
    """A part that a design takes: its kind, how many, and for which block."""

    kind: str
    part: str
    count: int
    block: str


class Needs(RootModel[tuple[Need, ...]]):
    """Every part that a design takes from the shelf."""

    def of(self, kind: str, part: str) -> tuple[int, list[str]]:
        """How many of a part, and for which blocks."""
        taken = [need for need in self.root if (need.kind, need.part) == (kind, part)]
        return sum(need.count for need in taken), list(dict.fromkeys(need.block for need in taken))


def needs(desk: Desk, asked: Asked) -> Needs:
    """What a design takes; nothing where nothing can be built."""
    try:
        worked = desk.work(asked)
    except (Unbuildable, PinError):
        return Needs(())
    titles = {b.key: b.title for b in worked.told[0]}
    every = ((titles[key], item) for key, items in parts_list(worked).needed.items() for item in items if item.kind)
    return Needs(tuple(Need(kind=i.kind, part=i.part, count=i.count, block=block) for block, i in every))


NO_PARTS = PartsSheet(groups=(), pieces=0, small=0, missing=0, cost="", mass="", copper="", letters=())


def parts(desk: Desk, asked: Asked) -> PartsSheet:
    """The parts list of a design with its references; nothing where nothing can be built."""
    try:
        return parts_sheet(desk.work(asked))
    except Unbuildable:
        return NO_PARTS


def parts_as_csv(desk: Desk, asked: Asked) -> str:
    """The parts list as CSV. Raises: NotHere where nothing can be built."""
    try:
        return parts_csv(desk.work(asked))
    except Unbuildable:
        raise NotHere("nothing can be built of this design; mend what its finding says first") from None


class Pictures(RootModel[tuple[Chart, ...]]):
    """The pictures of one block."""


def pictures(desk: Desk, asked: Asked, block: str) -> Pictures:
    """The pictures of one block; none where nothing can be built."""
    try:
        return Pictures(charts(desk.work(asked), block))
    except Unbuildable:
        return Pictures(())


def switches(desk: Desk, asked: Asked, block: str) -> OptionTable:
    """The switches on the shelf ranked for a stage, the design sized again around each."""
    worked = desk.work(asked)
    if block not in worked.builds:
        raise NotHere("this route has no such stage; choose one that has")
    return rank_switches(worked, block)


def rated(desk: Desk, asked: Asked) -> Rating:
    """What the design as built may be rated for, by its weakest stage."""
    return rating(desk.work(asked))


class ChangeIn(Asked):
    """… and the battery that is to take the old one's place."""

    source: BatterySource


def changed(desk: Desk, asked: ChangeIn) -> BatteryChange:
    """What another battery touches in a design as it is built. Raises: NotHere where no battery feeds it."""
    if not isinstance(asked.brief.source, BatterySource):
        raise NotHere(f"this design is fed by {asked.brief.source.described}, not by a battery; choose the source in the brief")
    return change_battery(desk.work(asked), asked.pins, asked.source)


def sequence(desk: Desk, asked: Asked, ending: Literal["csv", "c"]) -> str:
    """The precharge sequence as a state table, or as portable C."""
    return precharge_table(desk.work(asked), ending)


class BusIn(Strict):
    """A bus with no design about it, what is fixed of its precharge, and the house's rules."""

    bus: Bus = Field(default_factory=Bus)
    pins: dict[PinAddress, PinValue] = Field(default_factory=dict, max_length=40)
    rules: RuleName = "usual"


class MainsIn(Strict):
    """A mains and a load with no design about them, what is fixed of the input, and the house's rules."""

    mains: MainsAsked = Field(default_factory=MainsAsked)
    pins: dict[PinAddress, PinValue] = Field(default_factory=dict, max_length=40)
    rules: RuleName = "usual"


def mains(desk: Desk, asked: MainsIn) -> MainsSeen:
    """A rectifier on the mains for any load."""
    return see_mains(asked.mains, asked.pins, desk.shelf, PRESETS[asked.rules])


def bus(desk: Desk, asked: BusIn) -> PrechargeSeen:
    """The precharge of any bus."""
    return see(asked.bus, asked.pins, desk.shelf, PRESETS[asked.rules])


def bus_sequence(desk: Desk, asked: BusIn, ending: Literal["csv", "c"]) -> str:
    """Its sequence as a state table, or as portable C."""
    return sequence_file(asked.bus, asked.pins, ending, desk.shelf, PRESETS[asked.rules])
