"""The OpenAPI document: what is really answered, refusals and their form among it."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI

EVERYWHERE = {
    "400": "the host is not one of ours, or the request cannot be read",
    "401": "this Rhombos asks for an access key, which the browser has not given yet",
    "403": "the request comes from another site",
    "422": "a value cannot be taken; each fault names its field",
    "500": "a fault of the program",
    "503": "the database is away, or too much is asked at once",
}
"""Refusals that any request may meet."""
WITH_BODY = {"411": "the length is missing", "413": "the body is too large", "415": "the body is of another kind"}
FORM = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/ProblemDocument"}}}


def install(app: FastAPI) -> None:
    """Let the document say of every refusal that it is a problem document, and name those that any request may meet."""
    plain = app.openapi

    def openapi() -> dict[str, Any]:
        if not app.openapi_schema:
            document = plain()
            for name in ("HTTPValidationError", "ValidationError"):
                document["components"]["schemas"].pop(name, None)
            for operations in document["paths"].values():
                for operation in operations.values():
                    _refusals(operation)
            app.openapi_schema = document
        return app.openapi_schema

    app.openapi = openapi  # type: ignore[method-assign]


def _refusals(operation: dict[str, Any]) -> None:
    known = EVERYWHERE | (WITH_BODY if "requestBody" in operation else {})
    answers = operation["responses"]
    for status, told in known.items():
        answers.setdefault(status, {"description": told})
    for status, answer in answers.items():
        if int(status) >= 400:
            answer["content"] = FORM
