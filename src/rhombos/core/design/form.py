"""Brief and house rules as forms show them: every field with its text, what is allowed, its choices."""

from __future__ import annotations

from functools import cache
from typing import Any

from pydantic import BaseModel, ConfigDict

from rhombos.core.design.brief import NOTHING, Brief
from rhombos.core.design.outputs import AUXILIARY, BESIDE, OUTPUTS, AcOutput, AuxiliaryOutput, DcOutput, HfOutput, Output
from rhombos.core.design.problems import allowed_range, unit_of
from rhombos.core.design.rules import RuleChanges, RuleName, house_rules
from rhombos.core.design.sources import KINDS, BatterySource, MainsSource, RailSource, Source
from rhombos.core.units.quantities import fmt, short

KINDS_TOLD = {
    "battery": "cells of one kind",
    "DC rail": "a supply of limited current",
    "mains": "one phase, rectified",
    "AC": "sine or steps",
    "DC": "from the link",
    "HF": "straight from a secondary",
    "auxiliary DC": "low voltage from the source",
    NOTHING: "no more",
}
"""What a kind of source or output is, in a few words."""
SECOND, THIRD = "Second socket", "Auxiliary output"
"""Where the form asks for what stands beside the first output."""


class BriefField(BaseModel):
    """One entry of the brief as a form shows it: its text, what is allowed, its choices, with a few words on each where they
    are drawn; what it counts as while it is empty."""

    model_config = ConfigDict(frozen=True)

    address: str
    section: str
    title: str
    text: str
    unit: str
    allowed: str = ""
    options: tuple[str, ...] = ()
    told: tuple[str, ...] = ()
    many: bool = False
    absent: str = ""


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


def brief_fields(brief: Brief) -> tuple[BriefField, ...]:
    """Every field of a brief with its present value as people write it."""
    found: list[BriefField] = []
    for n, source in enumerate(brief.sources):
        found.append(_kind("Source", "Fed by", source, f"sources.{n}", KINDS))
        found += _fields(source, f"sources.{n}", "Source")
    found.append(_kind("Socket", "Feeds", brief.output, "outputs.0", OUTPUTS))
    found += _fields(brief.output, "outputs.0", "Socket")
    found += _fields(brief.power, "outputs.0.power", "Power")
    found += [] if isinstance(brief.output, DcOutput) else _loads(brief.output, "outputs.0")
    # what is not there yet would come last
    last = len(brief.outputs)
    if not isinstance(brief.output, HfOutput):
        found.append(_kind(SECOND, "and beside it", brief.beside, f"outputs.{1 if brief.beside else last}", (NOTHING, *BESIDE)))
    if brief.beside:
        found += _fields(brief.beside, "outputs.1", SECOND)
        found += [f for f in _fields(brief.beside.power, "outputs.1.power", SECOND) if not f.address.endswith("profile")]
        found += _loads(brief.beside, "outputs.1", SECOND)
    low = f"outputs.{last - 1 if brief.auxiliary else last}"
    found.append(_kind(THIRD, "and at low voltage", brief.auxiliary, low, (NOTHING, *AUXILIARY)))
    if brief.auxiliary:
        found += _fields(brief.auxiliary, low, THIRD) + _fields(brief.auxiliary.power, f"{low}.power", THIRD)
    targets = _fields(brief.targets, "targets", "Targets")
    alternates = any(isinstance(o, AcOutput) for o in brief.outputs)
    return (*found, *(f for f in targets if alternates or f.address != "targets.distortion"))


There = Source | Output


def _kind(section: str, title: str, there: There | None, at: str, kinds: tuple[str, ...]) -> BriefField:
    """What a source or an output is: another choice puts a usual one of that kind in its place. The one that is there tells
    its figures, the others what they are."""
    kind = there.kind if there else NOTHING
    told = tuple(_figures(there) if there and k == kind else KINDS_TOLD[k] for k in kinds)
    return BriefField(address=f"{at}.kind", section=section, title=title, text=kind, unit="1", options=kinds, told=told)


def _figures(there: There) -> str:
    if isinstance(there, BatterySource):
        return f"{there.described}, {short(there.volts[1], 'V')}"
    if isinstance(there, RailSource):
        return f"{short(there.nominal, 'V')}, at most {short(there.limit, 'A')}"
    if isinstance(there, MainsSource):
        return f"{short(there.nominal, 'V')} {short(there.frequency, 'Hz')}, {short(there.lowest, 'V')} at its lowest"
    what = there.described
    if isinstance(there, HfOutput):
        what = f"{short(there.voltage, 'V')} {short(there.frequency, 'Hz')}"
    elif isinstance(there, AuxiliaryOutput):
        what = f"{short(there.voltage, 'V')} DC"
    return f"{what}, {short(there.power.continuous, 'W')}"


def _fields(model: BaseModel, at: str, section: str) -> list[BriefField]:
    """The plain fields of a part of the brief: what lies deeper stands under headings of its own."""
    schema = _schema(type(model))
    return [
        BriefField(
            address=f"{at}.{name}",
            section=section,
            title=info.title or name,
            text=_text(getattr(model, name), unit, schema[name]),
            unit=unit,
            allowed=allowed_range(info),
            options=_choices(schema[name]),
            absent=str(schema[name].get("absent", "typical")) if getattr(model, name) is None else "",
        )
        for name, info in type(model).model_fields.items()
        if name not in ("kind", "of") and not isinstance(getattr(model, name), BaseModel | tuple)
        for unit in (unit_of(info) or "1",)
    ]


def _loads(output: AcOutput | HfOutput, at: str, section: str = "Loads") -> list[BriefField]:
    """The loads of an output, and how much of the power each draws; what is left open is shared alike."""
    kinds = BriefField(
        address=f"{at}.loads",
        section=section,
        title="Intended loads",
        text=", ".join(output.loads),
        unit="1",
        options=_choices(_schema(type(output))["loads"]),
        many=True,
    )
    if isinstance(output, HfOutput) or len(output.loads) < 2:
        return [kinds]
    given = [*output.shares, *[None] * (len(output.loads) - len(output.shares))]
    return [
        kinds,
        *(
            BriefField(
                address=f"{at}.shares.{place}",
                section="Loads",
                title=f"Share of the power: {kind}",
                unit="%",
                text="" if given[place] is None else fmt(given[place], "%", 3),
                absent="the rest" if given[place] is None else "",
                allowed="0 % to 100 %" if given[place] is not None else f"now {fmt(output.share_at(place), '%', 2)}",
            )
            for place, kind in enumerate(output.loads)
        ),
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
