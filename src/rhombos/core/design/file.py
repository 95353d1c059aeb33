"""A design as it is stored and exchanged: name, brief, pins, house rules. Its solution is computed, never stored."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import PinAddress, PinValue, Waiver
from rhombos.core.design.route_name import DEFAULT, RouteName
from rhombos.core.design.rules import RuleChanges, RuleName
from rhombos.core.design.upgrades import upgraded

Name = Annotated[str, Field(max_length=40)]
Said = Annotated[str, Field(max_length=600)]


class Ranked(BaseModel):
    """One route as it stood in a comparison."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: str = Field(max_length=120)
    out: bool
    score: float = Field(ge=0, le=1)
    texts: dict[Name, Said] = Field(max_length=20)
    against: tuple[Said, ...] = Field(max_length=40)


class Decision(BaseModel):
    """Why a route was chosen: the comparison as it stood, kept with the design."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    weights: dict[Name, float] = Field(max_length=20)
    chosen: str = Field(max_length=120)
    rows: tuple[Ranked, ...] = Field(max_length=40)


class Design(BaseModel):
    """What a designer decides. Numbers are SI; text such as ``"100 Ah"`` or ``"4k7"`` is read in the field's usual unit."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: Literal[4] = Field(4, title="Format of the file")
    name: str = Field("Untitled", min_length=1, max_length=80, title="Name")
    brief: Brief = Field(default_factory=Brief, title="Brief")
    pins: dict[PinAddress, PinValue] = Field(default_factory=dict, max_length=200, title="Pins")
    rules: RuleName = Field("usual", title="House rules")
    house: RuleChanges = Field(default_factory=RuleChanges, title="Rules set otherwise")
    waivers: tuple[Waiver, ...] = Field((), max_length=100, title="Findings waived")
    route: RouteName = Field(DEFAULT, title="Route")
    decision: Decision | None = Field(None, title="Comparison behind the route")

    @model_validator(mode="before")
    @classmethod
    def _of_today(cls, raw: Any) -> Any:
        return upgraded(raw) if isinstance(raw, dict) else raw
