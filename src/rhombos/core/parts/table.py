"""Parts as CSV, both ways. Reading is all or nothing; every fault is told with its line."""

from __future__ import annotations

import contextlib
import csv
import difflib
import io
import re
from collections.abc import Iterable, Mapping

from pydantic import BaseModel, ConfigDict, ValidationError

from rhombos.core.design.problems import Problem, from_validation, unit_of
from rhombos.core.parts.kinds import KINDS, Part
from rhombos.core.units.quantities import UNITS, UnitError, parse

LARGEST = 20_000
"""Rows that are read."""
MOST_TOLD, MOST_COLUMNS = 50, 10
"""Faulty lines, and unknown columns, that are told one by one."""
MOST_HEADINGS, NEAR, SHORTEST = 200, 0.6, 4
"""Headings of a file that are read; how like a field's name or title one must be, 1 for the same; letters of one that counts as
the beginning of a title."""
_BRACKETS = re.compile(r"[\[(]\s*([^\])]+?)\s*[\])]\s*$")
_PLAIN = re.compile(r"[+-]?[\d.]+(?:[eE][+-]?\d+)?")


class TableError(ValueError):
    """A CSV that cannot be taken; `problems` holds one entry a fault, each naming its line."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__("; ".join(p.message for p in problems[:5]))
        self.problems = problems

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.problems,)


class Heading(BaseModel):
    """A heading of somebody's file: the field it most likely stands for, "" where none is near, and the unit in which its plain
    numbers are read for each field that it may stand for."""

    model_config = ConfigDict(frozen=True)

    text: str
    field: str
    units: dict[str, str]


def headings(kind: str, text: str) -> tuple[Heading, ...]:
    """The first line of a file, each heading with the field of the kind that it most likely means.

    Raises: TableError where there is no such line.
    """
    try:
        found = [c.strip() for c in _reader(kind, text).fieldnames or []]
    except csv.Error as error:
        raise TableError([Problem("row", "", f"line 1: {error}; is this a CSV file?")]) from None
    if not found or len(found) > MOST_HEADINGS:
        raise TableError([Problem("columns", "", f"line 1 holds {len(found)} headings; give 1 to {MOST_HEADINGS}")])
    meant: list[Heading] = []
    for heading in found:
        field = _meant(KINDS[kind], heading, {h.field for h in meant})
        units = {name: _unit(KINDS[kind], heading, name) for name in KINDS[kind].model_fields}
        meant.append(Heading(text=heading, field=field, units=units))
    return tuple(meant)


def read_csv(kind: str, text: str, meant: Mapping[str, str] | None = None) -> list[Part]:
    """Read parts of one kind. The first line names the columns; `meant` says which field a heading stands for, or none ("").

    Raises: TableError with the faulty lines, the first MOST_TOLD of them one by one; nothing is taken then.
    """
    reader = _reader(kind, text)
    try:
        units = _renamed(KINDS[kind], reader, meant or {})
        _columns(KINDS[kind], reader)
        parts, problems = _rows(KINDS[kind], reader, units)
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


def _reader(kind: str, text: str) -> csv.DictReader[str]:
    if kind not in KINDS:
        raise TableError([Problem("kind", kind, f"there is no kind ‘{kind}’; known: {', '.join(KINDS)}")])
    return csv.DictReader(io.StringIO(text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n")))


def _meant(model: type[Part], heading: str, taken: set[str]) -> str:
    """The field whose name or title is nearest a heading, if it is near and not taken."""
    names = {name.lower().replace("_", " "): name for name in model.model_fields}
    titles = {(f.title or name).lower(): name for name, f in model.model_fields.items()}
    known = {said: name for said, name in (titles | names).items() if name not in taken}
    plain = _BRACKETS.sub("", heading).lower().replace("_", " ").strip()

    def like(said: str) -> float:
        begins = len(plain) >= SHORTEST and said.startswith(plain)
        return 0.95 if begins and said != plain else difflib.SequenceMatcher(None, plain, said).ratio()

    nearest = max(known, key=like, default="")
    return known[nearest] if nearest and like(nearest) >= NEAR else ""


def _unit(model: type[Part], heading: str, field: str) -> str:
    """The unit of a column's plain numbers: what its heading says in brackets, where that can be read, else the usual one."""
    if (key := unit_of(model.model_fields[field])) is None:
        return ""
    said = _BRACKETS.search(heading)
    with contextlib.suppress(UnitError):
        if said and parse(f"1 {said[1]}", key):
            return said[1]
    return UNITS[key].shown


def _renamed(model: type[Part], reader: csv.DictReader[str], meant: Mapping[str, str]) -> dict[str, str]:
    """Give each column its field's name. Returns: the units that headings say, by field."""
    if not meant:
        return {}
    units: dict[str, str] = {}
    fields: list[str] = []
    for heading in (c.strip() for c in reader.fieldnames or []):
        field = meant.get(heading, heading)
        if field and field in fields:
            raise TableError([Problem(field, heading, f"line 1: two columns are meant for {field}; leave one out")])
        fields.append(field)
        if field in model.model_fields:
            units[field] = _unit(model, heading, field)
    reader.fieldnames = fields
    return units


def _columns(model: type[Part], reader: csv.DictReader[str]) -> None:
    columns = [c.strip() for c in reader.fieldnames or []]
    known = set(model.model_fields)
    required = {name for name, f in model.model_fields.items() if f.is_required()}
    problems: list[Problem] = []
    if unknown := [c for c in columns if c and c not in known]:
        shown = ", ".join(c[:40] for c in unknown[:MOST_COLUMNS]) + (" …" if len(unknown) > MOST_COLUMNS else "")
        problems.append(Problem("columns", shown, f"line 1: unknown column {shown}; known: {', '.join(sorted(known))}"))
    if missing := sorted(required - set(columns)):
        problems.append(Problem("columns", "", f"line 1: missing column {', '.join(missing)}"))
    if problems:
        raise TableError(problems)


def _rows(model: type[Part], reader: csv.DictReader[str], units: Mapping[str, str]) -> tuple[list[Part], list[Problem]]:
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
        cells |= {k: f"{cells[k]} {unit}" for k, unit in units.items() if unit and _PLAIN.fullmatch(cells.get(k, ""))}
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
