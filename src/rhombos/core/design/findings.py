"""Findings: what to worry about, why, and what would cure it."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, StringConstraints

Severity = Literal["stop", "fix", "watch", "note"]
ORDER: dict[Severity, int] = {"stop": 0, "fix": 1, "watch": 2, "note": 3}
PinValue = FiniteFloat | Annotated[int, Field(ge=-(10**15), le=10**15)] | Annotated[str, Field(max_length=80)] | bool | None
ADDRESS = r"^[a-z_]{1,40}\.[A-Za-z0-9_]{1,40}$"
PinAddress = Annotated[str, StringConstraints(pattern=ADDRESS)]
"""Where a pin stands: ``block.field``."""


class Cure(BaseModel):
    """A change of pins that would cure the finding; None takes a pin away."""

    model_config = ConfigDict(frozen=True)

    label: str
    patch: dict[str, PinValue]


class Finding(BaseModel):
    """One thing to know: `figure` is the address it belongs to, `value` met `limit`; `unavoidable` says why no part or value
    avoids it, where the proposal itself breaks a rule and is the best there is."""

    model_config = ConfigDict(frozen=True)

    code: str
    severity: Severity
    block: str
    title: str
    cause: str
    remedy: str
    figure: str | None = None
    value: float | None = None
    limit: float | None = None
    margin: float | None = None
    cures: tuple[Cure, ...] = ()
    waived: str | None = None
    unavoidable: str | None = None


class Waiver(BaseModel):
    """A finding that a designer accepts, with the reason; kept in the design's record."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    code: str = Field(min_length=3, max_length=80, pattern=r"^[a-z_]+\.[a-z0-9_]+$", title="Finding")
    reason: str = Field(min_length=8, max_length=400, title="Reason")
    on: date = Field(title="Date")


def waive(findings: Iterable[Finding], waivers: Iterable[Waiver]) -> list[Finding]:
    """The findings, those that are waived marked with the reason and put last."""
    why = {w.code: w.reason for w in waivers}
    marked = [f.model_copy(update={"waived": why[f.code]}) if f.code in why else f for f in findings]
    return sorted(marked, key=lambda f: f.waived is not None)


def worst_first(findings: list[Finding]) -> list[Finding]:
    """By severity, then the smallest margin, then code, so that the order never flickers."""
    return sorted(findings, key=lambda f: (ORDER[f.severity], f.margin if f.margin is not None else 1.0, f.code))


def against_rating(stress: float, rating: float, house_margin: float) -> Severity | None:
    """Severity of a stress: beyond the rating is a stop, inside the house margin a fix, else nothing."""
    if stress > rating:
        return "stop"
    if stress > rating * (1 - house_margin) * (1 + 1e-9):
        return "fix"
    return None
