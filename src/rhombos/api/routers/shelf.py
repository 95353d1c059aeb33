"""The shelf: parts by kind, CSV out and in."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Path, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import PlainTextResponse
from pydantic import BaseModel

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Service, Serving
from rhombos.core.parts import KINDS, Part
from rhombos.core.parts.table import read_csv, write_csv
from rhombos.desk.crew import LATER
from rhombos.desk.desk import Desk
from rhombos.store import parts as store

router = APIRouter(
    prefix="/shelf", tags=["shelf"],
    responses={404: {"model": ProblemDocument}, 422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}},
)  # fmt: skip


Kind = Annotated[str, Path(max_length=200)]
Designation = Annotated[str, Path(max_length=120)]
MOST_KINDS = 4
"""Kinds that are listed together."""


class KindOut(BaseModel):
    """One kind of part and how many there are."""

    kind: str
    count: int


class PartOut(BaseModel):
    """A part: its designation, what it is in a few words, and every figure in SI."""

    id: str
    kind: str
    label: str
    origin: str
    values: dict[str, Any]


class Imported(BaseModel):
    """How many parts were taken."""

    taken: int


def _known(kind: str) -> None:
    if kind not in KINDS:
        raise HTTPException(404, f"there is no kind ‘{kind}’; known: {', '.join(KINDS)}")


@router.get("")
def kinds(serving: Serving) -> list[KindOut]:
    """Every kind with its count."""
    return [KindOut(kind=name, count=len(serving.shelf.all(model))) for name, model in KINDS.items()]


@router.get("/{kind}")
def parts(kind: Kind, serving: Serving) -> list[PartOut]:
    """Parts of a kind, or of several (``mosfet|igbt``)."""
    found: list[PartOut] = []
    names = list(dict.fromkeys(kind.split("|", MOST_KINDS)))
    for name in names:
        _known(name)
    for name in names:
        with serving.database.session() as session:
            origins = store.origins(session, name)
        found += [
            PartOut(id=p.id, kind=name, label=p.label, origin=origins.get(p.id, "house"), values=p.model_dump())
            for p in serving.shelf.all(KINDS[name])
        ]
    return found


@router.get("/{kind}/csv", response_class=PlainTextResponse)
def export(kind: Kind, serving: Serving) -> PlainTextResponse:
    """Parts of a kind as CSV."""
    _known(kind)
    return PlainTextResponse(
        write_csv(kind, serving.shelf.all(KINDS[kind])), media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{kind}.csv"'})  # fmt: skip


@router.post("/{kind}/csv", openapi_extra={"requestBody": {"content": {"text/csv": {"schema": {"type": "string"}}}}})
async def bring(kind: Kind, request: Request, serving: Serving) -> Imported:
    """Take parts of one's own from CSV: all, or none with every faulty line named."""
    _known(kind)
    try:
        text = (await request.body()).decode("utf-8-sig")
    except UnicodeDecodeError:
        raise HTTPException(422, "the file is not UTF-8 text; save it as CSV in UTF-8") from None
    # many lines take their time: they are read beside the server, and kept off the thread that serves everybody
    taken = await serving.crew.do(await serving.shelf_at_hand(), "", LATER, _read, kind, text)
    return await run_in_threadpool(_taken, taken, serving)


def _read(_: Desk, kind: str, text: str) -> list[Part]:
    return read_csv(kind, text)


def _taken(taken: list[Part], serving: Service) -> Imported:
    count = serving.database.run(lambda session: store.put(session, taken, "own"))
    serving.forget_shelf()
    return Imported(taken=count)


@router.delete("/{kind}/{designation:path}", status_code=204)
def remove(kind: Kind, designation: Designation, serving: Serving) -> None:
    """Take one of one's own parts off the shelf."""
    _known(kind)
    gone = serving.database.run(lambda session: store.remove(session, kind, designation))
    if not gone:
        raise HTTPException(404, f"there is no {kind} of your own called ‘{designation}’; house parts stay")
    serving.forget_shelf()
