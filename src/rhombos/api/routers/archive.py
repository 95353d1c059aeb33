"""Everything in one archive, out and in."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import BinaryIO, cast

from fastapi import APIRouter, HTTPException, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Service, Serving
from rhombos.store import archive as store

router = APIRouter(prefix="/archive", tags=["archive"], responses={503: {"model": ProblemDocument}})
IN_MEMORY, PIECE = 8_000_000, 65_536
ZIP = "application/zip"


class RestoredOut(BaseModel):
    """What came from an archive: designs that are new here, that grew by revisions, that were there already, and that came as
    copies because they went another way here; parts of one's own."""

    new: int
    grown: int
    same: int
    copied: int
    parts: int


@router.get("", response_class=StreamingResponse, responses={200: {"content": {ZIP: {}}}})
def export(serving: Serving) -> StreamingResponse:
    """Every design with its past, and every part of one's own."""
    made = cast(BinaryIO, tempfile.SpooledTemporaryFile(IN_MEMORY))  # noqa: SIM115 - closed once it is sent
    with serving.database.session() as session:
        store.write(session, made)
    name = f"rhombos-{datetime.now(UTC):%Y-%m-%d}.zip"
    return StreamingResponse(_pieces(made), media_type=ZIP, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def _pieces(made: BinaryIO) -> Iterator[bytes]:
    with made:
        made.seek(0)
        while piece := made.read(PIECE):
            yield piece


@router.post(
    "",
    responses={422: {"model": ProblemDocument}},
    openapi_extra={"requestBody": {"content": {ZIP: {"schema": {"type": "string", "format": "binary"}}}}},
)
async def bring(request: Request, serving: Serving) -> RestoredOut:
    """Take what an archive holds and is not here."""
    with tempfile.SpooledTemporaryFile(IN_MEMORY) as given:
        async for piece in request.stream():
            given.write(piece)
        given.seek(0)
        return await run_in_threadpool(_restore, cast(BinaryIO, given), serving)


def _restore(given: BinaryIO, serving: Service) -> RestoredOut:
    try:
        found = serving.database.run(lambda session: store.restore(session, given))
    except store.NoArchive as why:
        raise HTTPException(422, f"this file cannot be restored: {why}") from None
    serving.forget_shelf()
    return RestoredOut.model_validate(found, from_attributes=True)
