"""Parts as CSV, both ways. Reading is all or nothing; every fault is told with its line."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable

from pydantic import ValidationError

from rhombos.core.parts.kinds import KINDS, Part
from rhombos.core.problems import Problem, from_validation
from rhombos.core.units import UNITS

LARGEST = 20_000
"""Rows that are read."""
MOST_TOLD, MOST_COLUMNS = 50, 10
"""Faulty lines, and unknown columns, that are told one by one."""


class TableError(ValueError):
    """A CSV that cannot be taken; `problems` holds one entry a fault, each naming its line."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("; ".join(p.message for p in problems[:5]))
        self.problems = problems

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.problems,)


def read_csv(kind: str, text: str) -> list[Part]:
    """Read parts of one kind. The first line names the columns.

    Raises: TableError with the faulty lines, the first MOST_TOLD of them one by one; nothing is taken then.
    """
    if kind not in KINDS:
        raise TableError([Problem("kind", kind, f"there is no kind ‘{kind}’; known: {', '.join(KINDS)}")])
    lines = text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n")
    reader = csv.DictReader(io.StringIO(lines))
    try:
        _columns(KINDS[kind], reader)
        parts, problems = _rows(KINDS[kind], reader)
    except csv.Error as error:
        raise TableError([Problem("row", "", f"line {reader.line_num + 1}: {error}; is this a CSV file?")]) from None
    if not parts and not problems:
        problems.append(Problem("rows", "", "the file holds no parts; give a header line and one line a part"))
    if len(problems) > MOST_TOLD:
        more = len(problems) - MOST_TOLD
        problems = [*problems[:MOST_TOLD], Problem("rows", "", f"and {more} more; mend these first")]
    if problems:
        raise TableError(problems)
    return parts


def _columns(model: type[Part], reader: csv.DictReader[str]) -> None:
    columns = [c.strip() for c in reader.fieldnames or []]
    known = set(model.model_fields)
    required = {name for name, f in model.model_fields.items() if f.is_required()}
    problems: list[Problem] = []
    if unknown := [c for c in columns if c not in known]:
        shown = ", ".join(c[:40] for c in unknown[:MOST_COLUMNS]) + (" …" if len(unknown) > MOST_COLUMNS else "")
        problems.append(Problem("columns", shown, f"line 1: unknown column {shown}; known: {', '.join(sorted(known))}"))
    if missing := sorted(required - set(columns)):
        problems.append(Problem("columns", "", f"line 1: missing column {', '.join(missing)}"))
    if problems:
        raise TableError(problems)


def _rows(model: type[Part], reader: csv.DictReader[str]) -> tuple[list[Part], list[Problem]]:
    parts: list[Part] = []
    problems: list[Problem] = []
    seen: dict[str, int] = {}
    for count, row in enumerate(reader):
        line = reader.line_num
        if count >= LARGEST:
            raise TableError([Problem("rows", str(line), f"line {line}: more than {LARGEST} rows; split the file")])
        cells = {k.strip(): v.strip() for k, v in row.items() if k and isinstance(v, str) and v.strip()}
        if None in row:  # a row longer than the header
            problems.append(Problem("row", "", f"line {line}: more cells than columns"))
            continue
        try:
            part = model.model_validate(cells)
        except ValidationError as error:
            problems += [Problem(p.field, p.value, f"line {line}: {p.message}") for p in from_validation(error, model)]
            continue
        if part.id in seen:
            problems.append(Problem("id", part.id, f"line {line}: ‘{part.id}’ stands already in line {seen[part.id]}"))
        seen[part.id] = line
        parts.append(part)
    return parts, problems


def write_csv(kind: str, parts: Iterable[Part]) -> str:
    """Parts of one kind as CSV in each column's usual unit; reading it back gives the same parts."""
    model = KINDS[kind]
    units = {name: UNITS[p["unit"]] for name, p in model.model_json_schema()["properties"].items() if "unit" in p}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(model.model_fields)
    for part in parts:
        cells = {name: getattr(part, name) for name in model.model_fields}
        writer.writerow([f"{v / units[n].scale:.12g}" if n in units else str(v) for n, v in cells.items()])
    return out.getvalue()
