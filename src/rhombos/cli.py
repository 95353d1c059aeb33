"""Rhombos without a browser: solve a design, work a relation, list the book, bring parts in and out."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Sequence
from contextlib import suppress
from difflib import get_close_matches
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from rhombos.core.benches.parts_sheet import parts_csv, parts_sheet
from rhombos.core.book import BOOK, BookError
from rhombos.core.book.work import answer, describe
from rhombos.core.design.file import Design
from rhombos.core.design.pins import PinError
from rhombos.core.design.problems import from_validation
from rhombos.core.design.rules import house_rules
from rhombos.core.frame.report import Solution
from rhombos.core.frame.solve import solve, work_out
from rhombos.core.frame.unbuildable import Unbuildable
from rhombos.core.frame.whole import asked
from rhombos.core.parts import KINDS, Shelf
from rhombos.core.parts.table import TableError, read_csv, write_csv
from rhombos.demo import house_parts
from rhombos.further import register_further


class Refused(Exception):
    """Bad input, told in one line."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command. Returns: 0, or 2 on bad input."""
    parser = argparse.ArgumentParser(prog="rhombos", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    solving = commands.add_parser("solve", help="print the solution of a design file")
    solving.add_argument("file")
    solving.add_argument("--parts", action="append", default=[], metavar="KIND=FILE.csv", help="add parts of your own")
    working = commands.add_parser("work", help="evaluate a relation; leave one symbol out to solve for it")
    working.add_argument("relation")
    working.add_argument("values", nargs="*", metavar="name=value")
    listing = commands.add_parser("book", help="list the relations")
    for sub in (solving, working, listing):
        sub.add_argument("--json", action="store_true", help="print JSON")
    taking = commands.add_parser("import", help="take parts from CSV into the database in RHOMBOS_DATABASE_URL")
    taking.add_argument("kind")
    taking.add_argument("file")
    giving = commands.add_parser("export", help="print the house parts of a kind as CSV")
    giving.add_argument("kind")
    buying = commands.add_parser("parts", help="print the parts list of a design file as CSV, with its references")
    buying.add_argument("file")
    buying.add_argument("--json", action="store_true", help="print JSON")
    commands.add_parser("schema", help="print the JSON Schema of a design file")
    commands.add_parser("openapi", help="print the OpenAPI document")
    for name, what in (
        ("backup", "write everything the database keeps into one archive"),
        ("restore", "take what an archive holds into the database"),
    ):
        commands.add_parser(name, help=what).add_argument("file")
    preparing = commands.add_parser("prepare", help="migrate the database in RHOMBOS_DATABASE_URL and load parts")
    preparing.add_argument("--demo", action="store_true", help="load the demo designs too")
    given = parser.parse_args(arguments)
    register_further()
    try:
        COMMANDS[given.command](given)
    except Refused as reason:
        print(f"rhombos: {reason}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        sys.stderr.close()
    return 0


def _read(path: str) -> str:
    try:
        return Path(path).read_text(encoding="utf-8-sig")
    except OSError as error:
        raise Refused(f"{path}: {error.strerror or error}") from None
    except UnicodeDecodeError:
        raise Refused(f"{path}: is not UTF-8 text") from None


def _design(path: str) -> Design:
    try:
        return Design.model_validate(json.loads(_read(path)))
    except json.JSONDecodeError as error:
        raise Refused(f"{path}: is not JSON, line {error.lineno}: {error.msg}") from None
    except ValidationError as error:
        raise Refused(f"{path}: {_first(from_validation(error, Design))}") from None


def _first(problems: list[Any]) -> str:
    more = f" (and {len(problems) - 1} more)" if len(problems) > 1 else ""
    return str(problems[0].message) + more


def _solve(given: argparse.Namespace) -> None:
    design = _design(given.file)
    parts = house_parts()
    for entry in given.parts:
        kind, _, path = entry.partition("=")
        parts += _parts(kind, path)
    try:
        solution = solve(
            design.brief, design.pins, Shelf(parts), house_rules(design.rules, design.house), design.route, design.waivers
        )
    except PinError as error:
        raise Refused(f"{given.file}: {_first(error.problems)}") from None
    if given.json:
        print(solution.model_dump_json(indent=1))
    else:
        print(_told(design, solution))


def _buy(given: argparse.Namespace) -> None:
    design = _design(given.file)
    rules = house_rules(design.rules, design.house)
    try:
        worked = work_out(design.brief, design.pins, Shelf(house_parts()), rules, design.route)
    except PinError as error:
        raise Refused(f"{given.file}: {_first(error.problems)}") from None
    except Unbuildable as why:
        raise Refused(f"{given.file}: {why.finding.title}. {why.finding.cause} {why.finding.remedy}") from None
    print(parts_sheet(worked).model_dump_json(indent=1) if given.json else parts_csv(worked), end="")


def _parts(kind: str, path: str) -> list[Any]:
    try:
        return read_csv(kind, _read(path))
    except TableError as error:
        raise Refused(f"{path}: {_first(error.problems)}") from None


def _told(design: Design, solution: Solution) -> str:
    otherwise = len(design.house.model_dump(exclude_none=True))
    rules = solution.rules + (f", {otherwise} set otherwise" if otherwise else "")
    lines = [f"{design.name}: {asked(design.brief)} (house rules: {rules})", ""]
    for block in solution.blocks:
        lines.append(f"{block.title}: {block.headline}" + (f", loses {block.loss_text}" if block.loss else ""))
        for f in block.figures:
            limit = f" of {f.rating_text}" if f.rating_text else ""
            mark = f"  [{f.severity}]" if f.severity else ""
            lines.append(f"    {f.title:<48} {f.text}{limit}{mark}")
    if solution.totals:
        t = solution.totals.texts
        lines += [
            "",
            f"in {t['power_in']} = out {t['power_out']} + lost {t['lost']}; efficiency {t['efficiency']}; idle "
            f"{t['idle']}" + (f"; runs {t['run_time']}" if solution.totals.run_time is not None else ""),
        ]
        if "link_voltage" in t:
            lines.append(
                f"DANGER: the {t['link_voltage']} link stores {t['stored_energy']} and stays dangerous for "
                f"{t['safe_time']} after switch-off"
            )
    lines.append("")
    for finding in solution.findings:
        waived = f" (waived: {finding.waived})" if finding.waived else ""
        lines.append(f"{finding.severity.upper()}: {finding.title}. {finding.cause} {finding.remedy}{waived}")
    return "\n".join(lines)


def _work(given: argparse.Namespace) -> None:
    relation = BOOK.get(given.relation)
    if relation is None:
        near = get_close_matches(given.relation, BOOK, n=3)
        raise Refused(f"there is no relation ‘{given.relation}’" + (f"; near it: {', '.join(near)}" if near else "; see book"))
    values: dict[str, float | str] = {}
    for entry in given.values:
        name, equals, value = entry.partition("=")
        if not equals:
            raise Refused(f"‘{entry}’ is not name=value")
        values[name] = value
    try:
        found = answer(relation, values)
    except BookError as error:
        raise Refused(str(error)) from None
    if given.json:
        print(found.model_dump_json(indent=1))
        return
    others = f"  (also {', '.join(found.others)})" if found.others else ""
    print(f"{found.found} = {found.text}{others}")


class BookLine(BaseModel):
    """One relation, as `book --json` prints it."""

    key: str
    subject: str
    title: str
    formula: str
    holds: str
    source: str
    symbols: list[dict[str, str]]


def _book(given: argparse.Namespace) -> None:
    lines = [
        BookLine(
            key=r.key,
            subject=r.subject,
            title=r.title,
            formula=f"{r.target.name} = {r.expression}",
            holds=r.holds,
            source=r.source,
            symbols=[{"name": s.name, "unit": s.unit, "meaning": s.meaning, "range": s.allowed} for s in describe(r)],
        )
        for r in BOOK.values()
    ]
    if given.json:
        print(json.dumps([line.model_dump() for line in lines], ensure_ascii=False, indent=1))
        return
    for line in lines:
        print(f"{line.subject}/{line.key}: {line.title}\n    {line.formula}")
        for s in line.symbols:
            print(f"      {s['name']:<12} {s['unit'] or '—':<6} {s['meaning']}")
        print(f"    holds: {line.holds}\n    source: {line.source}")


def _kind(kind: str) -> str:
    if kind not in KINDS:
        raise Refused(f"there is no kind ‘{kind}’; known: {', '.join(KINDS)}")
    return kind


def _import(given: argparse.Namespace) -> None:
    from rhombos.store.database import STORE_ERRORS
    from rhombos.store.parts import put

    parts = _parts(_kind(given.kind), given.file)
    try:
        _database().run(lambda session: put(session, parts, "own"))
    except STORE_ERRORS as error:
        raise Refused(f"RHOMBOS_DATABASE_URL: {error}") from None
    print(f"{len(parts)} taken")


def _export(given: argparse.Namespace) -> None:
    print(write_csv(_kind(given.kind), Shelf(house_parts()).all(KINDS[given.kind])), end="")


def _schema(_: argparse.Namespace) -> None:
    print(json.dumps(Design.model_json_schema(), ensure_ascii=False, indent=2))


def _openapi(_: argparse.Namespace) -> None:
    from rhombos.api.app import create_app

    print(json.dumps(create_app().openapi(), ensure_ascii=False, indent=1, sort_keys=True))


def _database() -> Any:
    from rhombos.store.database import Database, WrongUrl

    url = os.environ.get("RHOMBOS_DATABASE_URL")
    if not url:
        raise Refused("set RHOMBOS_DATABASE_URL to the database, or use ./rhombos demo")
    try:
        database = Database(url)
    except WrongUrl as error:
        raise Refused(f"RHOMBOS_DATABASE_URL: {error}") from None
    if why := database.refusal():
        raise Refused(f"RHOMBOS_DATABASE_URL: {why}")
    return database


def _prepare(given: argparse.Namespace) -> None:
    from rhombos.demo.load import load_demo, load_house_parts
    from rhombos.store.database import STORE_ERRORS

    database = _database()
    try:
        database.migrate()
        with database.session() as session:
            (load_demo if given.demo else load_house_parts)(session)
    except STORE_ERRORS as error:
        raise Refused(f"RHOMBOS_DATABASE_URL: {error}") from None


def _backup(given: argparse.Namespace) -> None:
    from rhombos.store import archive
    from rhombos.store.database import STORE_ERRORS

    target = Path(given.file)
    fresh = target.with_name(f"{target.name}.new")
    try:
        with fresh.open("wb") as out, _database().session() as session:
            told = archive.write(session, out)
        fresh.replace(target)  # an archive of before stays until the new one is whole
    except OSError as error:
        raise Refused(f"{given.file}: {error.strerror or error}") from None
    except STORE_ERRORS as error:
        raise Refused(f"RHOMBOS_DATABASE_URL: {error}") from None
    finally:
        with suppress(OSError):
            fresh.unlink(missing_ok=True)
    print(f"{given.file}: {told.designs} designs with {told.revisions} revisions, {told.parts} parts of your own")


def _restore(given: argparse.Namespace) -> None:
    from rhombos.demo.load import load_house_parts
    from rhombos.store import archive
    from rhombos.store.database import STORE_ERRORS

    try:
        with Path(given.file).open("rb") as source:
            database = _database()
            database.migrate()
            database.run(load_house_parts)
            found = database.run(lambda session: archive.restore(session, source))
    except OSError as error:
        raise Refused(f"{given.file}: {error.strerror or error}") from None
    except archive.NoArchive as why:
        raise Refused(f"{given.file} cannot be restored: {why}") from None
    except STORE_ERRORS as error:
        raise Refused(f"RHOMBOS_DATABASE_URL: {error}") from None
    print(
        f"{given.file}: {found.new} designs taken, {found.grown} went on, {found.same} were here already, "
        f"{found.copied} came as copies; {found.parts} parts of your own"
    )


COMMANDS = {
    "solve": _solve,
    "parts": _buy,
    "work": _work,
    "book": _book,
    "import": _import,
    "export": _export,
    "schema": _schema,
    "openapi": _openapi,
    "prepare": _prepare,
    "backup": _backup,
    "restore": _restore,
}

if __name__ == "__main__":
    sys.exit(main())
