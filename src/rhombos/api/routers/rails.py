"""Designs whose DC socket may feed another design."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel

from rhombos.api.problem import ProblemDocument
from rhombos.api.routers.designs import Identity, opened
from rhombos.api.service import Asking, Service, Serving
from rhombos.core.design.outputs import DcOutput
from rhombos.core.design.sources import FromDesign, RailSource
from rhombos.desk.crew import LATER
from rhombos.desk.sizing import SolveIn, rail_of
from rhombos.store import designs as store
from rhombos.store.designs import Stored

router = APIRouter(
    prefix="/rails",
    tags=["rails"],
    responses={404: {"model": ProblemDocument}, 422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}},
)


class RailLine(BaseModel):
    """A design with a DC socket: its name, its latest revision, and the socket in words."""

    id: str
    name: str
    revision: int
    described: str


@router.get("")
def list_rails(serving: Serving) -> list[RailLine]:
    """Every design with a DC socket, the latest saved first."""
    with serving.database.session() as session:
        found = store.listed(session)
    return [
        RailLine(id=s.id, name=s.design.name, revision=s.revision, described=s.design.brief.output.described)
        for s in found
        if not s.fault and isinstance(s.design.brief.output, DcOutput)
    ]


@router.get("/{identity}")
async def rail(
    identity: Identity, asking: Asking, revision: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None
) -> RailSource:
    """What another design meets at its socket, as it was at a revision; the latest where none is asked."""
    serving = asking.service
    stored = await run_in_threadpool(_stored, serving, identity, revision)
    design = opened(stored).design
    asked = SolveIn.of(design)
    answer = await asking.waiting(serving.answered(rail_of, asked.model_dump_json(), "", LATER, asked))
    made = RailSource.model_validate_json(answer)
    of = FromDesign(design=stored.id, revision=stored.revision, name=design.name)
    return made.model_copy(update={"of": of})


def _stored(serving: Service, identity: str, revision: int | None) -> Stored:
    with serving.database.session() as session:
        return store.get(session, identity) if revision is None else store.get_revision(session, identity, revision)
