"""A name and what belongs to it: rows that a table shows as they are."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class Labelled(BaseModel):
    """A name and its text."""

    model_config = ConfigDict(frozen=True)

    name: str
    text: str


def labelled(*pairs: tuple[str, str]) -> tuple[Labelled, ...]:
    """Names with their texts."""
    return tuple(Labelled(name=name, text=text) for name, text in pairs)
