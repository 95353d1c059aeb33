"""A block's sheet: its figures and findings, each figure tied to its working, its limit and its pin."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache
from typing import Any, Generic, TypeAlias, TypeVar

from pydantic import BaseModel

from rhombos.core.design.findings import Cure, Finding, PinValue, Severity, against_rating
from rhombos.core.design.pins import Pins
from rhombos.core.design.problems import allowed_range, unit_of
from rhombos.core.design.rules import Rules
from rhombos.core.frame.points import LIMIT, LOWEST_SET, Point
from rhombos.core.frame.report import BlockReport, Figure
from rhombos.core.parts import Shelf
from rhombos.core.units import gauge
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.conduction import Interval


@dataclass(frozen=True, slots=True)
class Worst:
    """The hardest value of a figure over the operating points, against its rating."""

    figure: str
    value: float
    point: str
    rating: float
    limit: float
    severity: Severity | None

    @property
    def margin(self) -> float:
        """Part of the house limit still in reserve; negative beyond it."""
        return 1 - self.value / self.limit if self.limit > 0 else -1.0


@cache
def _field(build: type[BaseModel], name: str) -> tuple[str | None, tuple[str, ...], str, str]:
    """What a field of a build says of itself: kind of part, the words it takes, its unit, its range."""
    info = build.model_fields[name]
    extra: dict[str, Any] = dict(info.json_schema_extra) if isinstance(info.json_schema_extra, dict) else {}
    return extra.get("part"), tuple(extra.get("options", ())), unit_of(info) or "1", allowed_range(info)


BuildT = TypeVar("BuildT", covariant=True)
StateT = TypeVar("StateT", covariant=True)


@dataclass
class ReportBuilder(Generic[BuildT, StateT]):
    """Collects what one block shows. `states` maps each operating point to the block's state there; `infeasible` names
    the points that cannot be held."""

    block: str
    title: str
    build: BuildT
    states: Mapping[str, StateT]
    points: Mapping[str, Point]
    pins: Pins
    rules: Rules
    shelf: Shelf
    infeasible: frozenset[str] = frozenset()
    figures: list[Figure] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)

    @property
    def model(self) -> type[BaseModel]:
        """What kind of build it is."""
        assert isinstance(self.build, BaseModel)
        return type(self.build)

    @property
    def now(self) -> StateT:
        """The state at full power on a nominal input."""
        return self.states["nominal"]

    def choice(self, name: str, symbol: str, title: str, digits: int = 3) -> None:
        """Show a field of the build: something chosen, which the designer may pin."""
        kind, options, unit, allowed = _field(self.model, name)
        value = getattr(self.build, name)
        number: float | None = None
        if kind is not None:
            text = self.shelf.find(kind, value).label
        elif isinstance(value, bool):
            text, options = ("yes" if value else "no"), ("yes", "no")
        elif isinstance(value, str):
            text = value
        else:
            number = float(value)
            text = str(value) if isinstance(value, int) else fmt(number, unit, digits)
            if unit == "m^2" and (size := gauge.told_section(number)):
                text = f"{text}, {size}"
        self.figures.append(
            Figure(
                address=f"{self.block}.{name}",
                symbol=symbol,
                title=title,
                text=text,
                unit=unit,
                value=number,
                status="pinned" if name in self.pins.get(self.block, {}) else "proposed",
                pin=f"{self.block}.{name}",
                part_kind=kind,
                part_options=options,
                choice=text if isinstance(value, bool) else str(value),
                allowed=allowed,
            )
        )

    def result(self, name: str, symbol: str, title: str, unit: str, *, point: str = "nominal", digits: int = 3) -> None:
        """Show a figure of the state at one point."""
        value = float(getattr(self.states[point], name))
        self._show(
            name, symbol, title, value, unit, digits, step=f"{point}:{self.block}.{name}", point=self.points[point].label
        )

    def turned(self, name: str, symbol: str, title: str, unit: str) -> None:
        """Show a figure of an adjustable output at its lowest setting; nothing where there is but one."""
        if LOWEST_SET in self.states:
            self.result(name, symbol, f"{title}, lowest setting", unit, point=LOWEST_SET)

    def limited(
        self,
        name: str,
        symbol: str,
        title: str,
        unit: str,
        rating: float,
        margin: float = 0.0,
        *,
        over: tuple[str, ...] = (),
        digits: int = 3,
        of_highest: bool = False,
    ) -> Worst:
        """Show a stress at its worst point (of `over`, or of all) against its rating and the house margin.

        Points the source cannot feed are left out where others remain: their currents are not real. The source's over-voltage
        limit lasts moments: there only the rating counts. A share `of_highest` counts, at a lower setting of the output, of
        what is set at the highest.
        """
        asked = tuple(p for p in over or self.states if p in self.states and (over or p != LIMIT))
        keys = [p for p in asked if p not in self.infeasible] or asked
        counts = {p: self.points[p].setting if of_highest else 1.0 for p in keys}
        at, value = max(((p, counts[p] * float(getattr(self.states[p], name))) for p in keys), key=lambda pair: pair[1])
        if not over and LIMIT in self.states and (beyond := float(getattr(self.states[LIMIT], name))) > max(value, rating):
            at, value = LIMIT, beyond
        return self._against(name, symbol, title, value, unit, rating, margin, at, self.points[at].label, digits)

    def fixed(
        self,
        name: str,
        symbol: str,
        title: str,
        value: float,
        unit: str,
        rating: float,
        margin: float,
        when: str,
    ) -> Worst:
        """Show a stress that no operating state holds, such as a part's voltage while the source charges."""
        return self._against(name, symbol, title, value, unit, rating, margin, None, when, 3)

    def fixed_value(self, name: str, symbol: str, title: str, value: float, unit: str, when: str) -> None:
        """Show a figure that belongs to the build and no operating point, without a limit."""
        self._show(name, symbol, title, value, unit, point=when)

    def _show(
        self,
        name: str,
        symbol: str,
        title: str,
        value: float,
        unit: str,
        digits: int = 3,
        *,
        point: str,
        step: str | None = None,
        rating_text: str | None = None,
        stress: float | None = None,
        house: float | None = None,
        severity: Severity | None = None,
    ) -> None:
        self.figures.append(
            Figure(
                address=f"{self.block}.{name}",
                symbol=symbol,
                title=title,
                text=fmt(value, unit, digits),
                value=value,
                unit=unit,
                point=point,
                step=step,
                rating_text=rating_text,
                stress=stress,
                house=house,
                severity=severity,
            )
        )

    def _against(
        self,
        name: str,
        symbol: str,
        title: str,
        value: float,
        unit: str,
        rating: float,
        margin: float,
        at: str | None,
        when: str,
        digits: int,
    ) -> Worst:
        severity = against_rating(value, rating, margin)
        self._show(
            name,
            symbol,
            title,
            value,
            unit,
            digits,
            rating_text=short(rating, unit),
            stress=max(0.0, value / rating) if rating > 0 else 9.99,
            house=1 - margin,
            severity=severity,
            step=at and f"{at}:{self.block}.{name}",
            point=when,
        )
        return Worst(f"{self.block}.{name}", value, at or "", rating, rating * (1 - margin), severity)

    def find(
        self,
        code: str,
        severity: Severity,
        title: str,
        cause: str,
        remedy: str,
        *,
        worst: Worst | None = None,
        figure: str | None = None,
        cures: Sequence[tuple[str, Mapping[str, PinValue]]] = (),
        limit: float | None = None,
        unavoidable: str | None = None,
    ) -> None:
        """Raise a finding of this block, with the figure and the limit it met; `unavoidable` as in `Finding`.

        A cure that would only take away pins that are not there is left out.
        """
        useful = [(label, patch) for label, patch in cures if any(v is not None or self._has(a) for a, v in patch.items())]
        met = limit if limit is not None else (worst.limit if worst else None)
        margin = None
        if worst is not None and met:
            margin = 1 - worst.value / met
        self.findings.append(
            Finding(
                code=f"{self.block}.{code}",
                severity=severity,
                block=self.block,
                title=title,
                cause=cause,
                remedy=remedy,
                figure=(figure and f"{self.block}.{figure}") or (worst.figure if worst else None),
                value=worst.value if worst else None,
                limit=met,
                margin=margin,
                unavoidable=unavoidable,
                cures=tuple(Cure(label=label, patch=dict(patch)) for label, patch in useful),
            )
        )

    def _has(self, address: str) -> bool:
        block, _, name = address.partition(".")
        return name in self.pins.get(block, {})

    def where(self, worst: Worst) -> str:
        """The point at which a worst value arises, in words."""
        return self.points[worst.point].label

    def close(
        self,
        headline: str,
        remark: str,
        power_in: float,
        power_out: float,
        words: dict[str, str],
        intervals: tuple[Interval, ...] = (),
    ) -> BlockReport:
        """The finished report of this block."""
        loss = power_in - power_out
        stress = max((f.stress for f in self.figures if f.stress is not None), default=0.0)
        marks: tuple[Severity, ...] = ("stop", "fix", "watch")
        found = {f.severity for f in self.findings}
        severity = next((m for m in marks if m in found), None)
        return BlockReport(
            key=self.block,
            title=self.title,
            headline=headline,
            remark=remark,
            loss=loss,
            loss_text=fmt(loss, "W", 3),
            power_in=power_in,
            power_out=power_out,
            stress=stress,
            severity=severity,
            figures=tuple(self.figures),
            words=words,
            intervals=intervals,
        )


AnySheet: TypeAlias = "ReportBuilder[BaseModel, object]"
"""The sheet of any block, for what reads its figures by their names."""
