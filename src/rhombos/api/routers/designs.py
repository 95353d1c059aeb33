"""Designs: list, create, read, save on top of a revision, archive, restore; their past."""

from __future__ import annotations

import re
from itertools import zip_longest
from typing import Annotated, Any

from fastapi import APIRouter, Header, HTTPException, Path, Query, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field

from rhombos.api.moment import Moment
from rhombos.api.problem import FieldProblem, ProblemDocument, problem, told
from rhombos.api.service import Asking, Service, Serving
from rhombos.core.design.differences import Change, differences, touched
from rhombos.core.design.file import Design
from rhombos.core.design.mending import Unreadable, mended
from rhombos.core.frame.whole import asked
from rhombos.core.parts.drawer import Restocked, Stock, restocked
from rhombos.core.parts.shelf import Stocked
from rhombos.desk.asked import Strict
from rhombos.desk.crew import LATER
from rhombos.desk.sizing import SolveIn, Then, sized_then
from rhombos.store import designs as store
from rhombos.store import history
from rhombos.store.designs import Conflict, PutAway, Stored
from rhombos.store.drawer import load_version

NEW = "(a new design)"
router = APIRouter(prefix="/designs", tags=["designs"], responses={503: {"model": ProblemDocument}})


class DesignOut(BaseModel):
    """A design at a revision. Send `revision` as If-Match to save on top of it. `faults` is what of its content is refused
    today: `design` is without it."""

    id: str
    revision: int
    design: Design
    asked: str
    created: Moment
    saved: Moment
    deleted: Moment | None
    faults: list[FieldProblem] = []


class Standing(ProblemDocument):
    """Why a design was not saved, and how it stands."""

    current: DesignOut


class DesignLine(BaseModel):
    """A design as a list shows it."""

    id: str
    revision: int
    name: str
    asked: str
    saved: Moment
    deleted: Moment | None


class RevisionOut(BaseModel):
    """One line of a design's past; `label` is the name that somebody gave it, `touched` the titles of what it changed."""

    number: int
    name: str
    label: str
    saved: Moment
    touched: list[str]


class Burst(BaseModel):
    """Revisions made in one go, the newest first."""

    began: Moment
    ended: Moment
    revisions: list[RevisionOut]


class RevisionSized(BaseModel):
    """A revision as it was sized, and what the drawer held then and holds otherwise now."""

    then: Then
    drawer: list[Restocked]


class Label(Strict):
    """The name of a revision; empty for none."""

    label: str = Field(max_length=80)


Number = Annotated[int, Path(ge=1, le=2**31 - 1)]
Identity = Annotated[str, Path(max_length=64)]


def _asked(stored: Stored) -> str:
    return f"cannot be read whole: {stored.fault}" if stored.fault else asked(stored.design.brief)


def _out(stored: Stored) -> DesignOut:
    return DesignOut(
        id=stored.id,
        revision=stored.revision,
        design=stored.design,
        asked=_asked(stored),
        created=stored.created,
        saved=stored.saved,
        deleted=stored.deleted,
    )


def opened(stored: Stored) -> DesignOut:
    """A stored design with what is refused today left out. Raises: HTTPException 422 when nothing can be made of it."""
    try:
        design, problems = mended(stored.raw)
    except Unreadable as why:
        raise HTTPException(
            422,
            f"revision {stored.revision} of {stored.design.name} cannot be read: {why}; bring an earlier "
            "revision back, or restore it from an export",
        ) from None
    found = _out(stored)
    return found.model_copy(update={"design": design, "asked": asked(design.brief), "faults": told(problems)})


def _line(line: history.Line, before: history.Line | None = None) -> RevisionOut:
    changed = touched(*({"name": x.name, **x.content} for x in (before, line))) if before else []
    return RevisionOut(number=line.number, name=line.name, label=line.label, saved=line.saved, touched=changed)


@router.get("")
def list_designs(serving: Serving, deleted: bool = False) -> list[DesignLine]:
    """Every design, or those archived."""
    with serving.database.session() as session:
        found = store.listed(session, deleted=deleted)
    return [
        DesignLine(id=s.id, revision=s.revision, name=s.design.name, asked=_asked(s), saved=s.saved, deleted=s.deleted)
        for s in found
    ]


@router.post("", status_code=201)
def create(design: Design, serving: Serving, response: Response) -> DesignOut:
    """A new design."""
    made = serving.database.run(lambda session: _out(store.create(session, design)))
    response.headers["ETag"] = f'"{made.revision}"'
    return made


UNREAD: dict[int | str, dict[str, Any]] = {status: {"model": ProblemDocument} for status in (404, 422)}


@router.get("/{identity}", responses=UNREAD)
def read(identity: Identity, serving: Serving, response: Response) -> DesignOut:
    """A design as it stands, without what today's rules refuse of it."""
    with serving.database.session() as session:
        stored = store.get(session, identity)
    found = opened(stored)
    response.headers["ETag"] = f'"{found.revision}"'
    return found


REFUSED: dict[int | str, dict[str, Any]] = {
    **{status: {"model": ProblemDocument} for status in (404, 428, 507)},
    **{status: {"model": Standing} for status in (409, 410)},
}


@router.put("/{identity}", responses=REFUSED, response_model=DesignOut)
def save(
    identity: Identity, design: Design, serving: Serving, response: Response, if_match: Annotated[str | None, Header()] = None
) -> DesignOut | JSONResponse:
    """A new revision on top of the one named by If-Match; 409 with what stands now if that is not the head."""
    given = (if_match or "").strip().removeprefix("W/").strip('"')
    if not re.fullmatch("[0-9]{1,9}", given):
        raise HTTPException(428, "send If-Match with the revision this was made from")
    try:
        saved = serving.database.run(lambda session: _out(store.save(session, identity, design, int(given))))
    except Conflict as conflict:
        return problem(
            409, "Saved elsewhere in between", f"{conflict}; keep yours on top, or take theirs", current=_out(conflict.current)
        )
    except PutAway as away:
        return problem(410, "This design was archived", str(away), current=_out(away.current))
    response.headers["ETag"] = f'"{saved.revision}"'
    return saved


@router.delete("/{identity}", status_code=204, responses={404: {"model": ProblemDocument}})
def put_away(identity: Identity, serving: Serving) -> None:
    """Put a design away; it can be restored."""
    serving.database.run(lambda session: store.put_away(session, identity))


@router.post("/{identity}/restore", responses={404: {"model": ProblemDocument}})
def restore(identity: Identity, serving: Serving) -> DesignOut:
    """Bring a design back."""
    return serving.database.run(lambda session: _out(store.restore(session, identity)))


@router.get("/{identity}/history", responses={404: {"model": ProblemDocument}})
def past(identity: Identity, serving: Serving) -> list[Burst]:
    """Every revision in bursts of edits, the newest first."""
    with serving.database.session() as session:
        lines = history.lines(session, identity)
    shown = {line.number: _line(line, before) for line, before in zip_longest(lines, lines[1:])}
    return [Burst(began=b[-1].saved, ended=b[0].saved, revisions=[shown[r.number] for r in b]) for b in history.bursts(lines)]


@router.get("/{identity}/revisions/{number}", responses=UNREAD)
def read_revision(identity: Identity, number: Number, serving: Serving) -> DesignOut:
    """A design as it was, without what today's rules refuse of it."""
    with serving.database.session() as session:
        stored = store.get_revision(session, identity, number)
    return opened(stored)


@router.get("/{identity}/revisions/{number}/changes", responses=UNREAD)
def changes(
    identity: Identity, number: Number, serving: Serving, since: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None
) -> list[Change]:
    """What a revision changed: against the one before it, or `since` another. The first is told against a new design."""
    before = number - 1 if since is None else since
    with serving.database.session() as session:
        new = store.get_revision(session, identity, number)
        old = store.get_revision(session, identity, before) if before else None
    return list(differences(opened(old).design if old else Design(name=NEW), opened(new).design))


@router.get("/{identity}/revisions/{number}/sized", responses=UNREAD)
async def sized(identity: Identity, number: Number, asking: Asking) -> RevisionSized:
    """A revision sized with what the drawer held when it was saved, and how that differs from what it holds now."""
    serving = asking.service
    stored, held = await run_in_threadpool(_with_drawer, serving, identity, number)
    asked = SolveIn.of(opened(stored).design)
    sizing = serving.answered(sized_then, asked.model_dump_json() + stored.drawer, "", LATER, asked, tuple(held.items()))
    answer = await asking.waiting(sizing)
    now = (await serving.shelf_at_hand()).drawer
    return RevisionSized(then=Then.model_validate_json(answer), drawer=list(restocked(held, now)))


def _with_drawer(serving: Service, identity: str, number: int) -> tuple[Stored, dict[Stocked, Stock]]:
    with serving.database.session() as session:
        stored = store.get_revision(session, identity, number)
        return stored, load_version(session, stored.drawer)


@router.put("/{identity}/revisions/{number}/label", responses={404: {"model": ProblemDocument}})
def name_revision(identity: Identity, number: Number, label: Label, serving: Serving) -> RevisionOut:
    """Give a revision a name."""
    return serving.database.run(lambda session: _line(history.name(session, identity, number, label.label.strip())))
