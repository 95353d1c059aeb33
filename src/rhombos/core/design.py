"""A design as it is stored and exchanged: name, brief, pins, house rules. Its solution is computed, never stored."""

from __future__ import annotations

from functools import cache
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from rhombos.core.brief import Brief
from rhombos.core.findings import PinAddress, PinValue, Waiver
from rhombos.core.problems import allowed_range, unit_of
from rhombos.core.rules import RuleChanges, RuleName, house_rules
from rhombos.core.topology import DEFAULT, RouteName
from rhombos.core.units import fmt, short
from rhombos.core.upgrades import upgraded

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

    format: Literal[3] = Field(3, title="Format of the file")
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


class BriefField(BaseModel):
    """One entry of the brief as a form shows it: its text, what is allowed, its choices."""

    model_config = ConfigDict(frozen=True)

    address: str
    section: str
    title: str
    text: str
    unit: str
    allowed: str = ""
    options: tuple[str, ...] = ()
    many: bool = False


class RuleField(BaseModel):
    """One house rule as a form shows it: its text, the preset's, what is allowed."""

    model_config = ConfigDict(frozen=True)

    name: str
    title: str
    text: str
    preset: str
    changed: bool
    allowed: str


def rule_fields(preset: RuleName, changes: Any) -> tuple[RuleField, ...]:
    """Every house rule with its present value as people write it."""
    present, named = house_rules(preset, changes), house_rules(preset)
    found: list[RuleField] = []
    for name, info in RuleChanges.model_fields.items():
        unit = unit_of(info) or "1"
        shown = short(float(getattr(present, name)), unit)
        found.append(
            RuleField(
                name=name,
                title=info.title or name,
                text=shown,
                preset=short(float(getattr(named, name)), unit),
                changed=getattr(changes, name) is not None,
                allowed=allowed_range(info),
            )
        )
    return tuple(found)


SECTIONS = {"source": "Battery", "output": "Socket", "power": "Power", "loads": "Loads", "targets": "Targets"}


def brief_fields(brief: Brief) -> tuple[BriefField, ...]:
    """Every field of a brief with its present value as people write it."""
    found: list[BriefField] = []
    for section, label in SECTIONS.items():
        part = getattr(brief, section)
        if not isinstance(part, BaseModel):
            kinds = _choices(_schema(Brief)[section])
            found.append(
                BriefField(
                    address=section,
                    section=label,
                    title="Intended loads",
                    text=", ".join(part),
                    unit="1",
                    options=kinds,
                    many=True,
                )
            )
            if len(part) > 1:
                found += _shares(brief, label)
            continue
        schema = _schema(type(part))
        for name, info in type(part).model_fields.items():
            value = getattr(part, name)
            unit = unit_of(info) or "1"
            shown = _text(value, unit, schema[name])
            found.append(
                BriefField(
                    address=f"{section}.{name}",
                    section=label,
                    title=info.title or name,
                    text=shown,
                    unit=unit,
                    allowed=allowed_range(info),
                    options=_choices(schema[name]),
                )
            )
    return tuple(found)


def _shares(brief: Brief, section: str) -> list[BriefField]:
    """How much of the power each load draws; what is left open is shared alike."""
    given = [*brief.shares, *[None] * (len(brief.loads) - len(brief.shares))]
    return [
        BriefField(
            address=f"shares.{place}",
            section=section,
            title=f"Share of the power: {kind}",
            unit="%",
            text="" if given[place] is None else fmt(given[place], "%", 3),
            allowed="0 % to 100 %" if given[place] is not None else f"now {fmt(brief.share_at(place), '%', 2)}",
        )
        for place, kind in enumerate(brief.loads)
    ]


def plain_fields(model: BaseModel) -> tuple[BriefField, ...]:
    """Every quantity of a flat model as a form shows it."""
    return tuple(
        BriefField(
            address=name,
            section="",
            title=info.title or name,
            text=_text(getattr(model, name), unit, _schema(type(model))[name]),
            unit=unit,
            allowed=allowed_range(info),
        )
        for name, info in type(model).model_fields.items()
        for unit in (unit_of(info) or "1",)
    )


@cache
def _schema(model: type[BaseModel]) -> dict[str, dict[str, Any]]:
    return dict(model.model_json_schema()["properties"])


def _text(value: Any, unit: str, schema: dict[str, Any]) -> str:
    if value is None:
        return ""
    if isinstance(value, str) or schema.get("type") == "integer":
        return str(value)
    return short(float(value), unit)


def _choices(schema: dict[str, Any]) -> tuple[str, ...]:
    return tuple(schema.get("enum", schema.get("items", {}).get("enum", ())))
