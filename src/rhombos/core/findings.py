"""Findings: what to worry about, why, and what would cure it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

Severity = Literal["stop", "fix", "watch", "note"]
ORDER: dict[Severity, int] = {"stop": 0, "fix": 1, "watch": 2, "note": 3}
PinValue = float | int | str | bool | None


class Cure(BaseModel):
    """A change of pins that would cure the finding; None takes a pin away."""

    model_config = ConfigDict(frozen=True)

    label: str
    patch: dict[str, PinValue]


class Finding(BaseModel):
    """One thing to know: `figure` is the address it belongs to, `value` met `limit`."""

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
