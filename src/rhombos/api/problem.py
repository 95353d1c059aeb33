"""Errors as RFC 9457 problem documents, each naming the field, the value and the remedy."""

from __future__ import annotations

from fastapi import FastAPI, Request, Response
from fastapi.encoders import jsonable_encoder
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from rhombos.api.service import Gone
from rhombos.core.book import BookError
from rhombos.core.design.pins import PinError
from rhombos.core.design.problems import Problem, told_by
from rhombos.core.frame.unbuildable import Unbuildable
from rhombos.core.modulation.table import TableProblem
from rhombos.core.parts.table import TableError
from rhombos.core.units.quantities import UnitError
from rhombos.core.waves.modulation import WaveError
from rhombos.desk.asked import NotHere
from rhombos.desk.crew import Busy
from rhombos.store.database import Crossed, DatabaseAway, DatabaseFull, Unkept
from rhombos.store.designs import NotFound

GONE = 499
"""The status of an answer that nobody waits for any more, as logs have it."""
AGAIN = 2
"""When whoever found the queue full may come again, s."""
MOST_TOLD = 50
"""Faults of a request that are told one by one."""


class FieldProblem(BaseModel):
    """One fault of the input."""

    field: str
    value: str
    message: str


class ProblemDocument(BaseModel):
    """An RFC 9457 problem document; `problems` lists the faults of a 422."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    problems: list[FieldProblem] = []


def told(problems: list[Problem]) -> list[FieldProblem]:
    """Faults as a document lists them."""
    return [FieldProblem(field=_unicode(p.field), value=_unicode(p.value), message=_unicode(p.message)) for p in problems]


def _unicode(text: str) -> str:
    """Text that can be sent: half characters, as broken input has, as question marks."""
    return text.encode("utf-8", "replace").decode()


def problem(status: int, title: str, detail: str, problems: list[Problem] | None = None, **more: BaseModel) -> JSONResponse:
    """A problem document as a response, with `more` fields where a kind of it has them."""
    title, detail = _unicode(title), _unicode(detail)
    document = ProblemDocument(title=title, status=status, detail=detail, problems=told(problems or []))
    content = document.model_dump() | {name: jsonable_encoder(value) for name, value in more.items()}
    return JSONResponse(content, status, media_type="application/problem+json")


def unprocessable(problems: list[Problem]) -> JSONResponse:
    """A 422 whose detail is the first fault, whole; of many, the first are told one by one and the rest counted."""
    if len(problems) > MOST_TOLD + 1:
        more = Problem("document", "", f"and {len(problems) - MOST_TOLD} more; mend these first")
        problems = [*problems[:MOST_TOLD], more]
    return problem(422, "This cannot be taken", problems[0].message if problems else "The input is not valid", problems)


def install(app: FastAPI) -> None:
    """Register every handler."""

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, error: RequestValidationError) -> JSONResponse:
        return unprocessable(told_by(error.errors(), request.scope.get("route")))

    @app.exception_handler(UnicodeEncodeError)
    def half_a_character(_: Request, __: UnicodeEncodeError) -> JSONResponse:
        return unprocessable([Problem("document", "", "the document holds half a character (a lone surrogate); remove it")])

    @app.exception_handler(PinError)
    def bad_pin(_: Request, error: PinError) -> JSONResponse:
        return unprocessable(error.problems)

    @app.exception_handler(Unbuildable)
    def not_to_be_built(_: Request, error: Unbuildable) -> JSONResponse:
        finding = error.finding
        return unprocessable([Problem("route", "", f"{finding.title}: {finding.cause} {finding.remedy}")])

    @app.exception_handler(TableError)
    def bad_table(_: Request, error: TableError) -> JSONResponse:
        return unprocessable(error.problems)

    @app.exception_handler(TableProblem)
    def no_table(_: Request, error: TableProblem) -> JSONResponse:
        return unprocessable([Problem(error.field, "", f"{error.field}: {error}")])

    @app.exception_handler(WaveError)
    def no_wave(_: Request, error: WaveError) -> JSONResponse:
        return unprocessable([Problem("setting", "", str(error))])

    @app.exception_handler(BookError)
    def bad_work(_: Request, error: BookError) -> JSONResponse:
        return unprocessable([Problem("values", "", str(error))])

    @app.exception_handler(UnitError)
    def bad_unit(_: Request, error: UnitError) -> JSONResponse:
        return unprocessable([Problem("values", "", str(error))])

    @app.exception_handler(NotFound)
    def not_found(_: Request, error: NotFound) -> JSONResponse:
        return problem(404, "Not found", str(error).strip("'\""))

    @app.exception_handler(DatabaseAway)
    def away(_: Request, error: DatabaseAway) -> JSONResponse:
        return problem(503, "The database is away", f"{error}; nothing was lost, it will be saved when it is back")

    @app.exception_handler(DatabaseFull)
    def full(_: Request, error: DatabaseFull) -> JSONResponse:
        return problem(507, "The disk is full", str(error))

    @app.exception_handler(Crossed)
    def crossed(_: Request, error: Crossed) -> JSONResponse:
        return problem(503, "Busy", str(error))

    @app.exception_handler(Busy)
    def busy(_: Request, error: Busy) -> JSONResponse:
        refused = problem(503, "Busy", f"{error}; ask again in {AGAIN} seconds")
        refused.headers["Retry-After"] = str(AGAIN)
        return refused

    @app.exception_handler(Gone)
    def gone(_: Request, __: Gone) -> Response:
        return Response(status_code=GONE)  # to nobody

    @app.exception_handler(NotHere)
    def not_here(_: Request, error: NotHere) -> JSONResponse:
        return problem(404, "Not found", str(error.args[0]))

    @app.exception_handler(Unkept)
    def unkept(_: Request, error: Unkept) -> JSONResponse:
        return unprocessable([Problem("content", "", str(error))])

    @app.exception_handler(HTTPException)
    def plain(_: Request, error: HTTPException) -> JSONResponse:
        titles = {404: "Not found", 405: "Not allowed here", 413: "Too large", 428: "Say which revision"}
        return problem(error.status_code, titles.get(error.status_code, "Refused"), str(error.detail))
