"""The application: API under /api, the built interface for everything else."""

from __future__ import annotations

import asyncio
import os
import sys
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress
from pathlib import Path

from fastapi import FastAPI, HTTPException
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles

from rhombos.api import document, guard, lock, problem
from rhombos.api.routers import (
    archive,
    book,
    coils,
    compare,
    designs,
    health,
    manifest,
    modulation,
    rails,
    shelf,
    snubbers,
    solve,
    waves,
)
from rhombos.api.service import Service
from rhombos.desk.crew import Crew
from rhombos.further import register_further
from rhombos.store.database import Database, DatabaseAway

TURN = 0.5e-3
"""How long one thread of the server may go on while others wait, s: a long table must not hold up a light request."""
BUILT = Path(__file__).resolve().parents[3] / "web" / "dist"


async def _ready(service: Service) -> None:
    """Have the crew ready before the first person asks."""
    with suppress(DatabaseAway):
        await service.crew.begin(await service.shelf_at_hand())


def create_app(
    database_url: str | None = None, built: Path = BUILT, crew: Crew | None = None, key: str | None = None
) -> FastAPI:
    """The application on a database, by default that in RHOMBOS_DATABASE_URL; with a crew of its own unless it is lent one;
    behind an access key where there is one, here or in RHOMBOS_KEY."""

    @asynccontextmanager
    async def lifespan(started: FastAPI) -> AsyncIterator[None]:
        service = started.state.service
        sys.setswitchinterval(TURN)
        getting_ready = asyncio.create_task(_ready(service))
        yield
        getting_ready.cancel()
        if crew is None:
            service.crew.close()
        service.database.close()

    register_further()
    app = FastAPI(
        lifespan=lifespan,
        title="Rhombos",
        version="0.1.0",
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        separate_input_output_schemas=False,
    )
    url = database_url or os.environ.get("RHOMBOS_DATABASE_URL", "mysql+pymysql://root@127.0.0.1:1/none")
    app.state.service = Service(Database(url), crew or Crew())
    problem.install(app)
    key = key or os.environ.get("RHOMBOS_KEY")
    guard.install(app, lock.install(app, key) if key else None)
    document.install(app)
    resources = (health, manifest, designs, rails, archive, solve, waves, modulation, compare, coils, snubbers, shelf, book)
    for router in (*(r.router for r in resources), shelf.drawers, shelf.prices):
        app.include_router(router, prefix="/api")

    @app.get("/api/{path:path}", include_in_schema=False)
    def unknown(path: str) -> None:
        raise HTTPException(404, f"there is no /api/{path}")

    if built.is_dir():
        app.mount("/assets", StaticFiles(directory=built / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        def page(path: str) -> FileResponse:
            with suppress(OSError, ValueError):  # names that no file can have
                wanted = (built / path).resolve()
                if path and wanted.is_file() and wanted.is_relative_to(built):
                    return FileResponse(wanted)
            return FileResponse(built / "index.html", headers={"Cache-Control": "no-cache"})

    return app
