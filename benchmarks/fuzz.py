"""Requests made from the OpenAPI document, fair ones and foul: ``python -m benchmarks.fuzz [--requests N] [--seed N]``.

Every answer must be one that the document names, in the form that it names; none may be of the 500s. The server runs in this
process on a database of its own.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from schemathesis.checks import (
    content_type_conformance,
    not_a_server_error,
    response_schema_conformance,
    status_code_conformance,
)
from schemathesis.core.failures import FailureGroup
from schemathesis.generation import GenerationMode
from starlette.testclient import TestClient

from rhombos.core.design.file import Design

CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]
ODD_TEXT = (
    "\ud800",
    "\x00",
    "²",
    "١٢",
    "1e999999999",
    "9" * 400,
    "-" * 300,
    "NaN",
    "=cmd()",
    "𝟙",
    "\u202e",
    " ",
    "4k7k7",
    "1_000",
)
"""Texts that once made a reader fall over, and their like."""
ODD_NUMBERS = (10**400, -(10**400), 1e308, -0.0, 5e-324, True, None, [], {}, [[[[]]]])


@dataclass
class Fuzzed:
    """How many requests were sent, to how many operations; answers by status; what was wrong, with the request."""

    requests: int = 0
    operations: int = 0
    statuses: Counter[int] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)


def operations(app: Any) -> Iterator[Any]:
    """Every operation of an application's document."""
    schema = schemathesis.openapi.from_dict(app.openapi())
    for found in schema.get_all_operations():
        yield found.ok()


def fuzz(app: Any, requests: int, number: int, *, odd: bool = True) -> Fuzzed:
    """Send about so many requests, shared among the operations; and, with `odd`, odd values in every place."""
    told = Fuzzed()
    every = [o for o in operations(app) if "application/zip" not in _kinds(o)]
    each = max(1, requests // len(every) // 2)
    with TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False) as client:
        for operation in every:
            told.operations += 1
            for mode in GenerationMode:
                _operation(operation, mode, each, number, client, told)
        if odd:
            _odd(client, told)
    return told


def _kinds(operation: Any) -> set[str]:
    return set(operation.definition.raw.get("requestBody", {}).get("content", {}))


def _operation(operation: Any, mode: GenerationMode, count: int, number: int, client: TestClient, told: Fuzzed) -> None:
    try:
        strategy = operation.as_strategy(generation_mode=mode)
    except Exception:  # nothing of this operation can be made foul
        return

    @seed(number)
    @settings(
        max_examples=count, deadline=None, database=None, phases=[Phase.generate], suppress_health_check=list(HealthCheck)
    )
    @given(case=strategy)
    def sent(case: Any) -> None:
        answer = _call(case, client)
        told.requests += 1
        told.statuses[answer.status_code] += 1
        try:
            case.validate_response(answer, checks=CHECKS)
        except FailureGroup as wrong:
            told.faults += [f"{case.as_curl_command()[:600]}\n    {type(w).__name__}: {str(w)[:600]}" for w in wrong.exceptions]

    try:
        sent()
    except Exception as error:
        if "Unsatisfiable" not in type(error).__name__:
            told.faults.append(f"{operation.label}: {type(error).__name__}: {str(error)[:300]}")


def _call(case: Any, client: TestClient) -> Any:
    arguments = case.as_transport_kwargs(base_url="http://127.0.0.1")
    arguments.pop("allow_redirects", None)
    return client.request(**arguments)


def _odd(client: TestClient, told: Fuzzed) -> None:
    """Odd values in every place of the documents that are sent, and in paths and headers, one at a time."""
    design = Design(name="odd", pins={"front_end.frequency": 50e3}).model_dump(mode="json")
    asked = {k: design[k] for k in ("brief", "pins", "rules", "house", "route")}
    documents = {
        "/api/designs": design,
        "/api/solve": asked,
        "/api/compare": {k: asked[k] for k in ("brief", "rules")},
        "/api/bus": {"bus": {}, "pins": {"precharge.resistor": 100}, "rules": "usual"},
        "/api/book/peak_flux/work": {"values": {"V": 23.1, "D": 0.44, "N": 3, "A_e": "211", "f_s": "55k"}},
    }
    for path, document in documents.items():
        for changed in _changed(document):
            body = json.dumps(changed)
            _fair(client.post(path, content=body, headers=JSON), f"POST {path} {body[:300]}", told)
        for text in ("{", "[", "\\x00", "[" * 5000, '{"a":' * 3000, "nan", '{"brief": NaN}', "\ufeff{}", ""):
            _fair(client.post(path, content=text.encode(), headers=JSON), f"POST {path} {text[:60]!r}", told)
    first = client.post("/api/designs", json=design).json()
    for match in ("²", "9" * 400, '"1', "W/", "*", "-1", "1e3", "\xff"):
        _fair(
            client.put(f"/api/designs/{first['id']}", json=design, headers={"If-Match": match.encode()}),
            f"If-Match {match}",
            told,
        )
    for odd in ("%00", "%ff", "%ed%a0%80", "x" * 300, "..%2f..%2f", "%2e%2e", "²", "9" * 400, "a|" * 400, "%0d%0a"):
        for place in (
            "/api/designs/{}",
            "/api/shelf/{}",
            "/api/book/{}",
            "/api/designs/x/revisions/{}",
            "/api/charts/{}",
            "/{}",
        ):
            _fair(client.get(place.format(odd)), f"GET {place.format(odd)[:80]}", told)
    for text in ("a" * 200_000, "id,price\n" + "x" * 200_000, "\x00", "id\n\ud800", '"', "id,id\n1,2", "id\n" * 30_000):
        sent = text.encode("utf-8", "surrogatepass")
        _fair(
            client.post("/api/shelf/wire/csv", content=sent, headers={"Content-Type": "text/csv"}), f"CSV {text[:40]!r}", told
        )


JSON = {"Content-Type": "application/json"}


def _changed(document: Any) -> Iterator[Any]:
    """The document with each of its values replaced by each odd one, and with odd keys beside each."""
    yield from (*ODD_TEXT, *ODD_NUMBERS)
    if isinstance(document, dict):
        for text in ODD_TEXT:
            yield document | {text: 1}
        for key, value in document.items():
            for inner in _changed(value):
                yield document | {key: inner}


def _fair(answer: Any, request: str, told: Fuzzed) -> None:
    told.requests += 1
    told.statuses[answer.status_code] += 1
    if answer.status_code >= 500:
        told.faults.append(f"{request}\n    {answer.status_code}: {answer.text[:300]}")
    elif answer.status_code >= 400 and answer.headers["content-type"] != "application/problem+json":
        told.faults.append(f"{request}\n    {answer.status_code} as {answer.headers['content-type']}: {answer.text[:100]}")


@contextmanager
def application() -> Iterator[Any]:
    """Rhombos on a database of its own, with the demo data."""
    from rhombos.api.app import create_app
    from rhombos.demo.load import load_demo
    from rhombos.launch.database import private_database
    from rhombos.store.database import Database

    with tempfile.TemporaryDirectory(prefix="rhombos-fuzz-") as folder, private_database(Path(folder) / "db") as server:
        database = Database(server.url)
        database.migrate()
        with database.session() as session:
            load_demo(session)
        database.close()
        yield create_app(server.url, built=Path(folder) / "none")


def main() -> int:
    """Run it and print what was wrong. Returns: 1 if anything was."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--requests", type=int, default=5000)
    asked.add_argument("--seed", type=int, default=1)
    given_ = asked.parse_args()
    with application() as app:
        told = fuzz(app, given_.requests, given_.seed)
    print(
        f"{told.requests} requests to {told.operations} operations, {len(told.faults)} faults; answers: "
        f"{dict(sorted(told.statuses.items()))}; {sum(os.times()[:2]):.0f} s of processor time"
    )
    for fault in told.faults[:20]:
        print(f"  {fault}")
    return 1 if told.faults else 0


if __name__ == "__main__":
    sys.exit(main())
