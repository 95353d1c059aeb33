"""Everything a workshop made, in one open archive: a zip of JSON designs with every revision, CSV of one's own parts, the
drawer."""

from __future__ import annotations

import json
import zipfile
import zlib
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, BinaryIO, Literal
from uuid import UUID, uuid4

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator
from sqlalchemy import select
from sqlalchemy.orm import Session

from rhombos.core.parts import KINDS
from rhombos.core.parts.table import TableError, read_csv, write_csv
from rhombos.store import drawer, parts, settings
from rhombos.store.drawer import DRAWER_LIST
from rhombos.store.models import DesignRow, DrawerVersionRow, PartRow, RevisionRow, now

LONGEST_SETTING = 40
CONTENTS, DRAWER, DRAWERS = "contents.json", "drawer.json", "drawers/"
LOCKED, PACKED = 0x1, (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
"""The flag of an encrypted file, and the ways of packing that are read."""
LARGEST_FILE, LARGEST, MOST_FILES = 64_000_000, 500_000_000, 20_000
"""Unpacked bytes of one file and of all, and how many files, that are read."""


class NoArchive(ValueError):
    """A file that is not an archive of Rhombos, or cannot be read whole; nothing was taken from it."""


class Contents(BaseModel):
    """What an archive says of itself."""

    model_config = ConfigDict(extra="ignore")

    rhombos_archive: Literal[1]
    made: datetime
    designs: int
    revisions: int
    parts: int
    settings: dict[str, str] = Field({}, max_length=20)


class ArchivedRevision(BaseModel):
    """One revision as it stands in the archive."""

    number: int = Field(ge=1, le=10_000_000)
    name: str = Field(min_length=1, max_length=80)
    label: str = Field("", max_length=80)
    saved: datetime
    drawer: str = Field("", max_length=16, pattern="^[0-9a-f]*$")
    content: dict[str, Any]


class ArchivedDesign(BaseModel):
    """A design with its whole past."""

    id: UUID
    created: datetime
    deleted: datetime | None = None
    revisions: list[ArchivedRevision] = Field(min_length=1)

    @model_validator(mode="after")
    def _in_order(self) -> ArchivedDesign:
        if [r.number for r in self.revisions] != list(range(1, len(self.revisions) + 1)):
            raise ValueError("its revisions are not numbered 1, 2, 3 …")
        return self


@dataclass(frozen=True, slots=True)
class Restored:
    """Designs that came, that grew by revisions, that were there already, that came as copies; parts taken."""

    new: int = 0
    grown: int = 0
    same: int = 0
    copied: int = 0
    parts: int = 0


def write(session: Session, target: BinaryIO) -> Contents:
    """Write the archive of everything that the database keeps."""
    designs = list(session.scalars(select(DesignRow).order_by(DesignRow.created, DesignRow.id)))
    revisions = own = 0
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for design in designs:
            past = session.scalars(
                select(RevisionRow).where(RevisionRow.design_id == design.id).order_by(RevisionRow.number)
            ).all()
            kept = ArchivedDesign(
                id=UUID(design.id),
                created=design.created,
                deleted=design.deleted,
                revisions=[
                    ArchivedRevision(
                        number=r.number, name=r.name, label=r.label, saved=r.created, drawer=r.drawer, content=r.content
                    )
                    for r in past
                ],
            )
            archive.writestr(f"designs/{design.id}.json", kept.model_dump_json(indent=1))
            revisions += len(past)
            session.expunge_all()  # a long past need not stay in memory
        for kind, model in KINDS.items():
            rows = session.scalars(
                select(PartRow).where(PartRow.kind == kind, PartRow.origin == "own").order_by(PartRow.designation)
            ).all()
            if rows:
                archive.writestr(f"parts/{kind}.csv", write_csv(kind, [model.model_validate(r.content) for r in rows]))
                own += len(rows)
        if stocks := drawer.load(session):
            archive.writestr(DRAWER, DRAWER_LIST.dump_json(drawer.entries(stocks), indent=1))
        for version in session.scalars(select(DrawerVersionRow.version)).all():
            past_stocks = drawer.entries(drawer.load_version(session, version))
            archive.writestr(f"{DRAWERS}{version}.json", DRAWER_LIST.dump_json(past_stocks, indent=1))
        told = Contents(
            rhombos_archive=1,
            made=now(),
            designs=len(designs),
            revisions=revisions,
            parts=own,
            settings=settings.every(session),
        )
        archive.writestr(CONTENTS, told.model_dump_json(indent=1))
    return told


def restore(session: Session, source: BinaryIO) -> Restored:
    """Take what an archive holds and the database does not. A design that went on here after the archive was made stays as it
    is; one that went another way here comes as a copy. Parts of one's own, and what the drawer holds of each
    part, come as they are in the archive.

    Raises: NoArchive, with nothing taken.
    """
    source.seek(0)
    counts = dict.fromkeys(("new", "grown", "same", "copied"), 0)
    taken = 0
    try:
        with zipfile.ZipFile(source) as archive:
            files = _files(archive)
            if CONTENTS not in files:
                raise NoArchive(f"it holds no {CONTENTS}: this is not an archive of Rhombos")
            told = Contents.model_validate_json(archive.read(CONTENTS))
            for name in settings.USUAL.keys() & told.settings:
                settings.put(session, name, told.settings[name][:LONGEST_SETTING])
            for name in files:
                if name.startswith("designs/"):
                    counts[_take(session, ArchivedDesign.model_validate_json(archive.read(name)))] += 1
                elif name == DRAWER:
                    for entry in DRAWER_LIST.validate_json(archive.read(name)):
                        drawer.put(session, entry.kind, entry.part, entry.stock)
                elif name.startswith(DRAWERS):
                    drawer.keep(session, DRAWER_LIST.validate_json(archive.read(name)))
                elif name.startswith("parts/"):
                    kind = name.removeprefix("parts/").removesuffix(".csv")
                    taken += parts.put(session, read_csv(kind, archive.read(name).decode("utf-8")), "own")
    except (zipfile.BadZipFile, zlib.error, EOFError, UnicodeDecodeError) as error:
        raise NoArchive(f"it cannot be read as a zip archive: {error}") from None
    except ValidationError as error:
        first = error.errors()[0]
        raise NoArchive(f"{'.'.join(map(str, first['loc'])) or 'a design'}: {first['msg']}") from None
    except TableError as error:
        raise NoArchive(error.problems[0].message) from None
    return Restored(**counts, parts=taken)


def _files(archive: zipfile.ZipFile) -> list[str]:
    entries = [e for e in archive.infolist() if not e.is_dir()]
    if len(entries) > MOST_FILES or sum(e.file_size for e in entries) > LARGEST:
        raise NoArchive(f"it unpacks to more than {MOST_FILES} files or {LARGEST // 1_000_000} MB")
    if odd := [e.filename for e in entries if e.flag_bits & LOCKED or e.compress_type not in PACKED]:
        raise NoArchive(f"{odd[0]} is encrypted, or packed in another way than deflated")
    if big := [e.filename for e in entries if e.file_size > LARGEST_FILE]:
        raise NoArchive(f"{big[0]} unpacks to more than {LARGEST_FILE // 1_000_000} MB")
    return [e.filename for e in entries]


def _take(session: Session, kept: ArchivedDesign) -> Literal["new", "grown", "same", "copied"]:
    """One design from an archive. Returns: what became of it."""
    identity = str(kept.id)
    row = session.get(DesignRow, identity)
    if row is None:
        _add(session, identity, kept, 0)
        return "new"
    here = session.execute(
        select(RevisionRow.number, RevisionRow.name, RevisionRow.content)
        .where(RevisionRow.design_id == identity)
        .order_by(RevisionRow.number)
    ).all()
    if any((r.name, _plain(r.content)) != (k.name, _plain(k.content)) for r, k in zip(here, kept.revisions, strict=False)):
        _add(session, str(uuid4()), kept, 0)
        return "copied"
    if len(kept.revisions) <= len(here):
        return "same"
    _add(session, identity, kept, len(here))
    row.head = len(kept.revisions)
    return "grown"


def _plain(content: dict[str, Any]) -> str:
    return json.dumps(content, sort_keys=True)


def _add(session: Session, identity: str, kept: ArchivedDesign, after: int) -> None:
    if after == 0:
        session.add(
            DesignRow(
                id=identity,
                head=len(kept.revisions),
                created=_stored(kept.created),
                deleted=_stored(kept.deleted) if kept.deleted else None,
            )
        )
        session.flush()
    session.add_all(
        RevisionRow(
            design_id=identity,
            number=r.number,
            name=r.name,
            label=r.label,
            content=r.content,
            drawer=r.drawer,
            created=_stored(r.saved),
        )
        for r in kept.revisions[after:]
    )
    session.flush()


def _stored(moment: datetime) -> datetime:
    """A moment as the database keeps it: UTC without a zone."""
    return (moment - (moment.utcoffset() or timedelta())).replace(tzinfo=None)
