"""The equation book: every relation, its working with numbers put in, its answer for any symbol."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Path
from pydantic import BaseModel, Field

from rhombos.api.problem import ProblemDocument
from rhombos.core.book import BOOK, Relation
from rhombos.core.book.work import Answer, SymbolOut, answer, describe
from rhombos.desk.asked import Strict

Key = Annotated[str, Path(max_length=80)]
Symbol = Annotated[str, Field(max_length=40)]
router = APIRouter(prefix="/book", tags=["book"], responses={404: {"model": ProblemDocument}, 422: {"model": ProblemDocument}})


class RelationOut(BaseModel):
    """One relation as a handbook prints it."""

    key: str
    subject: str
    title: str
    latex: str
    holds: str
    source: str
    symbols: tuple[SymbolOut, ...]


class WorkAsked(Strict):
    """Values by symbol (numbers in SI or text as people write it); the one symbol left out is solved for."""

    values: dict[Symbol, float | Annotated[str, Field(max_length=60)]] = Field(max_length=30)
    whole: bool = Field(False, description="round the found value up to an integer")


def _found(key: str) -> Relation:
    if key not in BOOK:
        raise HTTPException(404, f"there is no relation ‘{key}’ in the book")
    return BOOK[key]


def _out(relation: Relation) -> RelationOut:
    return RelationOut(
        key=relation.key,
        subject=relation.subject,
        title=relation.title,
        latex=relation.latex,
        holds=relation.holds,
        source=relation.source,
        symbols=describe(relation),
    )


@router.get("")
def book() -> list[RelationOut]:
    """Every relation."""
    return [_out(r) for r in BOOK.values()]


@router.get("/{key}")
def relation(key: Key) -> RelationOut:
    """One relation."""
    return _out(_found(key))


@router.post("/{key}/work")
def work(key: Key, asked: WorkAsked) -> Answer:
    """Put numbers in, or solve for the symbol left out."""
    return answer(_found(key), asked.values, whole=asked.whole)
