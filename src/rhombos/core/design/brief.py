"""The brief: what feeds the inverter, what is asked of it, and where it will live."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Self

from pydantic import Field, model_validator

from rhombos.core.design.outputs import (
    AUXILIARY,
    BESIDE,
    AcOutput,
    AuxiliaryOutput,
    DcOutput,
    HfOutput,
    LoadKind,
    Output,
    PowerAsked,
    Waveform,
    span_beside,
    surge_beside,
)
from rhombos.core.design.sources import BatterySource, DirectSource, MainsSource, Section, Source
from rhombos.core.parts.origin import Origin
from rhombos.core.units.quantities import Celsius, Percent, Watt


class Targets(Section):
    """What the designer hopes for; a miss is a finding, not an error."""

    efficiency: Percent = Field(0.88, ge=0.3, le=0.99, title="Efficiency at full power")
    distortion: Percent = Field(0.05, ge=0.002, le=0.5, title="Output distortion")
    idle: Watt = Field(15, ge=0.5, le=200, title="No-load draw")
    ambient: Celsius = Field(30, ge=-30, le=60, title="Maximum ambient")
    switches: Origin = Field("verified", title="Origin of the switches")


ASKED = ("power", "loads", "shares")
"""What is asked of an output, beside what it is."""
ONE: dict[str, Any] = {"minItems": 1, "maxItems": 1}
"""Several sources on one link are not sized yet."""
NOTHING = "nothing"
"""What a form says for the kind of a second output where there is none."""
THREE: dict[str, Any] = {"minItems": 1, "maxItems": 3}
OF_A_DESIGN = ("nominal", "lowest", "highest", "limit", "resistance", "capacitance")
"""What a rail takes from the design whose socket it is."""
ALLOWED = (("AC",), ("DC",), ("HF",), ("AC", "HF"), ("DC", "HF"))
"""Kinds of outputs that one design may have, beside an auxiliary one of the source."""


class Brief(Section):
    """Everything that is asked. Bad values are refused with the allowed range.

    A brief of one source and one output may be written short: `source` and `output` beside `power`, `loads` and `shares`, which
    are the output's. Beside an AC or a DC output may stand a high-frequency one, from the same secondary; beside any, last, an
    auxiliary direct voltage made of the source.
    """

    sources: tuple[Source, ...] = Field((BatterySource(),), title="Sources", json_schema_extra=ONE)
    outputs: tuple[Output, ...] = Field((AcOutput(),), title="Outputs", json_schema_extra=THREE)
    targets: Targets = Field(default_factory=Targets, title="Targets")

    @model_validator(mode="before")
    @classmethod
    def _written_short(cls, raw: Any) -> Any:
        return in_full(raw) if isinstance(raw, dict) else raw

    @model_validator(mode="after")
    def _one_of_each(self) -> Self:
        if len(self.sources) != 1:
            raise ValueError(f"{len(self.sources)} sources; allowed 1: give one, and a design of its own to any other")
        kinds = tuple(o.kind for o in self.outputs)
        if (kinds[:-1] if kinds and kinds[-1] in AUXILIARY else kinds) not in ALLOWED:
            raise ValueError(
                f"outputs {', '.join(kinds) or 'none'}; allowed: AC, DC or HF, HF beside AC or DC, and an auxiliary DC last: "
                "give any other a design of its own"
            )
        return self

    @property
    def source(self) -> DirectSource | MainsSource:
        """The first source."""
        return self.sources[0]

    @property
    def direct_source(self) -> DirectSource:
        """The first source, one of direct voltage with leads."""
        source = self.source
        assert not isinstance(source, MainsSource), "no leads before a rectifier"
        return source

    @property
    def mains(self) -> MainsSource | None:
        """The first source, where it is the mains."""
        source = self.source
        return source if isinstance(source, MainsSource) else None

    @property
    def output(self) -> AcOutput | DcOutput | HfOutput:
        """The first output."""
        first = self.outputs[0]
        assert not isinstance(first, AuxiliaryOutput), "it never stands first"
        return first

    @property
    def beside(self) -> HfOutput | None:
        """The high-frequency output beside it."""
        return next((o for o in self.outputs[1:] if isinstance(o, HfOutput)), None)

    @property
    def auxiliary(self) -> AuxiliaryOutput | None:
        """The low direct voltage beside them, made of the source."""
        return next((o for o in self.outputs[1:] if isinstance(o, AuxiliaryOutput)), None)

    @property
    def waves(self) -> tuple[Waveform, ...]:
        """What each output gives, the first one first."""
        return tuple(o.waveform for o in self.outputs)

    @property
    def continuous(self) -> float:
        """What all outputs are asked at once, W."""
        return sum(o.power.continuous for o in self.outputs)

    @property
    def surge(self) -> float:
        """The surges of all outputs at once, W."""
        return sum(o.power.surge for o in self.outputs)

    @property
    def converted(self) -> float:
        """What passes the main stages at once, W: of all outputs but the auxiliary one, which is made of the source."""
        return self.continuous - (self.auxiliary.power.continuous if self.auxiliary else 0.0)

    @property
    def surge_converted(self) -> float:
        """The same of their surges, W."""
        return self.surge - (self.auxiliary.power.surge if self.auxiliary else 0.0)

    @property
    def surge_time(self) -> float:
        """The longest of their surges, s."""
        return max(o.power.surge_time for o in self.outputs)

    @property
    def power(self) -> PowerAsked:
        """What the first output is asked."""
        return self.output.power

    @property
    def loads(self) -> tuple[LoadKind, ...]:
        """What the first output feeds."""
        return self.output.loads

    @property
    def crest_power(self) -> float:
        """Power of the loads that draw theirs at the crest, W."""
        return self.output.crest_power

    def at(self, setting: float) -> Self:
        """The same with its first output set to a share of its highest voltage, at the same current."""
        if setting == 1.0:
            return self
        return self.model_copy(update={"outputs": (self.output.turned(setting), *self.outputs[1:])})

    def but(self, **sections: Mapping[str, Any]) -> Self:
        """The same with some fields of its first source, its first output, that output's power, or the targets set otherwise.

        Raises: ValidationError as a brief that is written so.
        """
        whole = self.model_dump(exclude_unset=True)
        source = {**whole.get("sources", [{}])[0], "kind": self.source.kind}
        output = {**whole.get("outputs", [{}])[0], "kind": self.output.kind}
        output = merged(output, sections.get("output", {}))
        if "power" in sections:
            output["power"] = {**output.get("power", {}), **sections["power"]}
        return type(self).model_validate({
            "sources": [merged(source, sections.get("source", {}))], "outputs": [output, *whole.get("outputs", [{}])[1:]],
            "targets": {**whole.get("targets", {}), **sections.get("targets", {})}})  # fmt: skip


def in_full(raw: Mapping[str, Any]) -> dict[str, Any]:
    """A raw brief with its lists of sources and outputs, where it was written short; what is in full stays.

    Raises: ValueError where something is given both ways.
    """
    found = dict(raw)
    for whole, one, beside in (("sources", "source", ()), ("outputs", "output", ASKED)):
        short = [name for name in (one, *beside) if name in found]
        if not short:
            continue
        if whole in found:
            raise ValueError(f"{short[0]} and {whole} are both given; write {short[0]} into the first of {whole}")
        alone = found.pop(one, {})
        inner = {name: found.pop(name) for name in beside if name in found}
        found[whole] = [{**alone, **inner} if isinstance(alone, Mapping) else alone]
    for whole, usual in (("sources", "battery"), ("outputs", "AC")):  # what does not say so is of the usual kind
        if isinstance(found.get(whole), list | tuple):
            found[whole] = [{"kind": usual, **s} if isinstance(s, Mapping) else s for s in found[whole]]
    if isinstance(outputs := found.get("outputs"), list):  # whatever was chosen last, the auxiliary one stands last
        found["outputs"] = sorted(outputs, key=lambda o: isinstance(o, Mapping) and o.get("kind") in AUXILIARY)
    return found


def merged(end: Mapping[str, Any], change: Mapping[str, Any]) -> dict[str, Any]:
    """A raw source or output with some fields set otherwise; one of another kind takes its place."""
    same = change.get("kind", end.get("kind")) == end.get("kind")
    return {**end, **change} if same else dict(change)


def followed(brief: Any, edited: str) -> tuple[Any, str]:
    """A raw brief of which one entry was just changed: what must fit beside that follows it, and is told."""
    match edited.split("."), brief:
        case ["outputs", _, "kind"], {"outputs": list(outputs)} if {"kind": NOTHING} in outputs:
            return brief | {"outputs": [o for o in outputs if o != {"kind": NOTHING}]}, ""
        case ["outputs", place, "kind"], {"outputs": list(outputs)} if place.isdecimal() and int(place) < len(outputs):
            # the power asked stays; what the other kind of output has not goes, and what cannot stand beside it
            kept = [_without_factor(o) if n == int(place) else o for n, o in enumerate(outputs)]
            others = [o for o in kept[1:] if not (isinstance(o, dict) and o.get("kind") in BESIDE)]
            if isinstance(kept[0], dict) and kept[0].get("kind") == "HF" and len(others) < len(kept) - 1:
                gone = "The second socket is gone: none stands beside a high-frequency one."
                return brief | {"outputs": [kept[0], *others]}, gone
            return brief | {"outputs": kept}, ""
        case ["sources", place, name], {"sources": list(sources)} if name in OF_A_DESIGN and place.isdecimal():
            # a figure of one's own makes it a rail of one's own
            free = [_freed(s) if n == int(place) else s for n, s in enumerate(sources)]
            return brief | {"sources": free}, ""
        case ["outputs", place, "voltage"], {"outputs": list(outputs)} if (
            place.isdecimal() and int(place) < len(outputs) and isinstance(outputs[int(place)], dict)
        ):
            output, told = span_beside(outputs[int(place)])
            return brief | {"outputs": [output if n == int(place) else o for n, o in enumerate(outputs)]}, told
        case ["outputs", place, "power", "continuous"], {"outputs": list(outputs)} if (
            place.isdecimal() and int(place) < len(outputs) and isinstance(outputs[int(place)], dict)
        ):
            output = outputs[int(place)]
            if not isinstance(output.get("power"), dict):
                return brief, ""
            power, told = surge_beside(output["power"])
            moved = [output | {"power": power} if n == int(place) else o for n, o in enumerate(outputs)]
            return brief | {"outputs": moved}, told
    return brief, ""


def _freed(source: Any) -> Any:
    return {k: v for k, v in source.items() if k != "of"} if isinstance(source, dict) else source


def _without_factor(output: Any) -> Any:
    if not isinstance(output, dict) or output.get("kind") == "AC" or not isinstance(output.get("power"), dict):
        return output
    return output | {"power": {k: v for k, v in output["power"].items() if k != "power_factor"}}
