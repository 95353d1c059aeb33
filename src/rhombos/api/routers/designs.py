"""Designs: list, create, read, save on top of a revision, put away, restore."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter, Header, HTTPException, Response
from fastapi.responses import JSONResponse
from pydantic import BaseModel

from rhombos.api.problem import ProblemDocument, problem
from rhombos.api.service import Serving
from rhombos.core.design import Design
from rhombos.core.solve import asked
from rhombos.store import designs as store
from rhombos.store.designs import Conflict, PutAway, Stored

router = APIRouter(prefix="/designs", tags=["designs"], responses={503: {"model": ProblemDocument}})


class DesignOut(BaseModel):
    """A design at a revision. Send `revision` as If-Match to save on top of it."""

    id: str
    revision: int
    design: Design
    asked: str
    created: datetime
    saved: datetime
    deleted: datetime | None
    fault: str = ""


class RevisionOut(BaseModel):
    """One line of a design's history."""

    number: int
    name: str
    saved: datetime


def _out(stored: Stored) -> DesignOut:
    return DesignOut(
        id=stored.id, revision=stored.revision, design=stored.design, fault=stored.fault,
        asked=f"cannot be read: {stored.fault}" if stored.fault else asked(stored.design.brief),
        created=stored.created, saved=stored.saved, deleted=stored.deleted)  # fmt: skip


@router.get("")
def list_designs(serving: Serving, deleted: bool = False) -> list[DesignOut]:
    """Every design, or those put away."""
    with serving.database.session() as session:
        return [_out(s) for s in store.listed(session, deleted=deleted)]


@router.post("", status_code=201)
def create(design: Design, serving: Serving, response: Response) -> DesignOut:
    """A new design."""
    made = serving.database.run(lambda session: _out(store.create(session, design)))
    response.headers["ETag"] = f'"{made.revision}"'
    return made


@router.get("/{identity}", responses={404: {"model": ProblemDocument}})
def read(identity: str, serving: Serving, response: Response) -> DesignOut:
    """A design as it stands."""
    with serving.database.session() as session:
        found = _out(store.get(session, identity))
    if found.fault:
        raise HTTPException(422,
            f"revision {found.revision} of {found.design.name} cannot be read: {found.fault}; go back to an "
                            "earlier revision, or restore it from an export")  # fmt: skip
    response.headers["ETag"] = f'"{found.revision}"'
    return found


REFUSED: dict[int | str, dict[str, Any]] = {status: {"model": ProblemDocument} for status in (404, 409, 410, 428, 507)}


@router.put("/{identity}", responses=REFUSED, response_model=DesignOut)
def save(
    identity: str, design: Design, serving: Serving, response: Response, if_match: Annotated[str | None, Header()] = None
) -> DesignOut | JSONResponse:
    """A new revision on top of the one named by If-Match; 409 with what stands now if that is not the head."""
    given = (if_match or "").strip().removeprefix("W/").strip('"')
    if not given.isdigit():
        raise HTTPException(428, "send If-Match with the revision this was made from")
    try:
        saved = serving.database.run(lambda session: _out(store.save(session, identity, design, int(given))))
    except Conflict as conflict:
        return problem(409, "Saved elsewhere in between", f"{conflict}; keep yours on top, or take theirs",
                       current=_out(conflict.current))  # fmt: skip
    except PutAway as away:
        return problem(410, "This design was put away", str(away), current=_out(away.current))
    response.headers["ETag"] = f'"{saved.revision}"'
    return saved


@router.delete("/{identity}", status_code=204, responses={404: {"model": ProblemDocument}})
def put_away(identity: str, serving: Serving) -> None:
    """Put a design away; it can be restored."""
    serving.database.run(lambda session: store.put_away(session, identity))


@router.post("/{identity}/restore", responses={404: {"model": ProblemDocument}})
def restore(identity: str, serving: Serving) -> DesignOut:
    """Bring a design back."""
    return serving.database.run(lambda session: _out(store.restore(session, identity)))


@router.get("/{identity}/revisions", responses={404: {"model": ProblemDocument}})
def revisions(identity: str, serving: Serving) -> list[RevisionOut]:
    """The history, newest first."""
    with serving.database.session() as session:
        return [RevisionOut(number=r.number, name=r.name, saved=r.created) for r in store.history(session, identity)]


@router.get("/{identity}/revisions/{number}", responses={404: {"model": ProblemDocument}})
def read_revision(identity: str, number: int, serving: Serving) -> DesignOut:
    """A design as it was."""
    with serving.database.session() as session:
        return _out(store.get_revision(session, identity, number))
