"""The shelf: parts by kind, as a table and as a form, CSV out and in; the drawer."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Path, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import PlainTextResponse
from pydantic import BaseModel, Field

from rhombos.api.problem import ProblemDocument
from rhombos.api.service import Asking, Service, Serving, gathered
from rhombos.core.design.file import Design
from rhombos.core.parts import GROUPS, KINDS, Part, UnknownPart
from rhombos.core.parts.drawer import Stock
from rhombos.core.parts.listing import PartColumn, bounds, cells, columns, from_form, numbers, texts, within
from rhombos.core.parts.table import MOST_HEADINGS, Heading, headings, read_csv, write_csv
from rhombos.desk.asked import Asked, Strict
from rhombos.desk.crew import LATER
from rhombos.desk.desk import Desk
from rhombos.desk.sizing import Needs, needs
from rhombos.store import designs, drawer, settings
from rhombos.store import parts as store

router = APIRouter(
    prefix="/shelf",
    tags=["shelf"],
    responses={404: {"model": ProblemDocument}, 422: {"model": ProblemDocument}, 503: {"model": ProblemDocument}},
)


Kind = Annotated[str, Path(max_length=200)]
Designation = Annotated[str, Path(max_length=120)]
Bound = Annotated[str, Field(max_length=80)]
MOST_BOUNDS = 40
"""Bounds of one table."""
Named = Annotated[str, Field(max_length=160)]
CSV_BODY = {"requestBody": {"content": {"text/csv": {"schema": {"type": "string"}}}}}
MOST_DESIGNS = 60
"""Designs that are looked through for a part."""
MOST_KINDS = 4
"""Kinds that are listed together."""


class KindOut(BaseModel):
    """One kind of part, what it is sorted under, and how many there are."""

    kind: str
    group: str
    count: int


class PartOut(BaseModel):
    """A part: its designation, what it is in a few words, and every figure in SI."""

    id: str
    kind: str
    label: str
    origin: str
    values: dict[str, Any]


class PartLine(BaseModel):
    """A part as a line of the table: its cells in words, its figures in SI to sort by, and what the drawer holds of it."""

    id: str
    label: str
    origin: str
    cells: dict[str, str]
    numbers: dict[str, float]
    stock: Stock | None


class PartTable(BaseModel):
    """Parts of a kind within the bounds asked, and how many there are in all."""

    columns: tuple[PartColumn, ...]
    rows: list[PartLine]
    count: int


class Use(BaseModel):
    """A design that takes a part: for which blocks, how many in all, and whether it is pinned there."""

    id: str
    name: str
    blocks: list[str]
    count: int
    pinned: bool


class PartForm(BaseModel):
    """The fields of a kind, filled in like a part where one is named."""

    columns: tuple[PartColumn, ...]
    values: dict[str, str]


class PartFilled(Strict):
    """A form as it was filled in."""

    values: dict[Annotated[str, Field(max_length=40)], Annotated[str, Field(max_length=160)]] = Field(max_length=40)


class Imported(BaseModel):
    """How many parts were taken."""

    taken: int


def _known(kind: str) -> None:
    if kind not in KINDS:
        raise HTTPException(404, f"there is no kind ‘{kind}’; known: {', '.join(KINDS)}")


@router.get("")
def kinds(serving: Serving) -> list[KindOut]:
    """Every kind with its count, group by group."""
    shelf = serving.shelf
    return [KindOut(kind=k, group=group, count=len(shelf.all(KINDS[k]))) for group, kinds in GROUPS.items() for k in kinds]


@router.get("/{kind}")
def parts(kind: Kind, serving: Serving) -> list[PartOut]:
    """Parts of a kind, or of several (``mosfet|igbt``)."""
    found: list[PartOut] = []
    names = list(dict.fromkeys(kind.split("|", MOST_KINDS)))
    for name in names:
        _known(name)
    for name in names:
        with serving.database.session() as session:
            origins = store.origins(session, name)
        found += [
            PartOut(id=p.id, kind=name, label=p.label, origin=origins.get(p.id, "house"), values=p.model_dump())
            for p in serving.shelf.all(KINDS[name])
        ]
    return found


@router.get("/{kind}/table")
def table(
    kind: Kind,
    serving: Serving,
    lowest: Annotated[list[Bound], Query(max_length=MOST_BOUNDS)] = [],  # noqa: B006
    highest: Annotated[list[Bound], Query(max_length=MOST_BOUNDS)] = [],  # noqa: B006
) -> PartTable:
    """Parts of a kind with their ratings, within bounds such as ``lowest=v_rating:100 V``."""
    _known(kind)
    asked = bounds(kind, lowest, highest)
    parts = serving.shelf.all(KINDS[kind])
    with serving.database.session() as session:
        origins = store.origins(session, kind)
    return PartTable(
        columns=columns(kind),
        count=len(parts),
        rows=[
            PartLine(
                id=p.id,
                label=p.label,
                origin=origins.get(p.id, "house"),
                cells=cells(p),
                numbers=numbers(p),
                stock=serving.shelf.drawer.get((kind, p.id)),
            )
            for p in parts
            if within(p, asked)
        ],
    )


@router.get("/{kind}/uses")
async def uses(kind: Kind, part: Annotated[str, Query(max_length=120)], asking: Asking) -> list[Use]:
    """The designs that take a part as they stand, those saved last first; the last `MOST_DESIGNS` are looked through."""
    _known(kind)
    serving = asking.service
    heads = (await run_in_threadpool(_heads, serving))[:MOST_DESIGNS]

    async def taken(design: Design) -> Needs:
        asked = Asked(**{name: getattr(design, name) for name in Asked.model_fields})
        return Needs.model_validate_json(await serving.answered(needs, asked.model_dump_json(), "", LATER, asked))

    found: list[Use] = []
    for stored, needed in zip(heads, await asking.waiting(gathered(taken(s.design) for s in heads)), strict=True):
        count, blocks = needed.of(kind, part)
        pinned = part in stored.design.pins.values()
        if count or pinned:
            found.append(Use(id=stored.id, name=stored.design.name, blocks=blocks, count=count, pinned=pinned))
    return found


def _heads(serving: Service) -> list[designs.Stored]:
    with serving.database.session() as session:
        return designs.listed(session)


@router.get("/{kind}/form")
def form(kind: Kind, serving: Serving, like: Annotated[str, Query(max_length=120)] = "") -> PartForm:
    """The fields of a kind to fill in, like a part of the shelf where one is named."""
    _known(kind)
    try:
        return PartForm(columns=columns(kind), values=texts(serving.shelf.find(kind, like)) if like else {})
    except UnknownPart as why:
        raise HTTPException(404, str(why)) from None


@router.put("/{kind}/own", responses={507: {"model": ProblemDocument}})
def keep(kind: Kind, filled: PartFilled, serving: Serving) -> Imported:
    """Put one part of one's own on the shelf, in place of one's own of the same designation."""
    _known(kind)
    part = from_form(kind, filled.values)
    return _taken([part], serving)


@router.get("/{kind}/csv", response_class=PlainTextResponse)
def export(kind: Kind, serving: Serving) -> PlainTextResponse:
    """Parts of a kind as CSV."""
    _known(kind)
    return PlainTextResponse(
        write_csv(kind, serving.shelf.all(KINDS[kind])),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{kind}.csv"'},
    )


@router.post("/{kind}/csv/headings", openapi_extra=CSV_BODY)
async def heads(kind: Kind, request: Request) -> list[Heading]:
    """The headings of a CSV, each with the field that it most likely stands for."""
    _known(kind)
    return list(headings(kind, (await _text(request)).partition("\n")[0]))


@router.post("/{kind}/csv", openapi_extra=CSV_BODY)
async def bring(
    kind: Kind,
    request: Request,
    serving: Serving,
    meant: Annotated[list[Named], Query(max_length=MOST_HEADINGS)] = [],  # noqa: B006
) -> Imported:
    """Take parts of one's own from CSV: all, or none with every faulty line named. `meant` names the field that a heading
    stands for, ``r_on:RDS(on) [mΩ]``, or none, ``:remark``."""
    _known(kind)
    text = await _text(request)
    fields = {heading: field for field, _, heading in (m.partition(":") for m in meant)}
    # many lines take their time: they are read beside the server, and kept off the thread that serves everybody
    taken = await serving.crew.do(await serving.shelf_at_hand(), "", LATER, _read, kind, text, fields)
    return await run_in_threadpool(_taken, taken, serving)


async def _text(request: Request) -> str:
    try:
        return (await request.body()).decode("utf-8-sig")
    except UnicodeDecodeError:
        raise HTTPException(422, "the file is not UTF-8 text; save it as CSV in UTF-8") from None


def _read(_: Desk, kind: str, text: str, meant: dict[str, str]) -> list[Part]:
    return read_csv(kind, text, meant)


def _taken(taken: list[Part], serving: Service) -> Imported:
    count = serving.database.run(lambda session: store.put(session, taken, "own"))
    serving.forget_shelf()
    return Imported(taken=count)


@router.delete("/{kind}/{designation:path}", status_code=204)
def remove(kind: Kind, designation: Designation, serving: Serving) -> None:
    """Take one of one's own parts off the shelf."""
    _known(kind)
    gone = serving.database.run(lambda session: store.remove(session, kind, designation))
    if not gone:
        raise HTTPException(404, f"there is no {kind} of your own called ‘{designation}’; house parts stay")
    serving.forget_shelf()


class Currency(Strict):
    """What prices are told in. Changing it relabels them; none is converted."""

    name: str = Field(
        min_length=1,
        max_length=12,
        pattern=r"^[^\d\s.,;:=+@<>&\x00-\x1f\x7f-\x9f-][^\s<>&\x00-\x1f\x7f-\x9f]*$",
        title="Currency",
    )


prices = APIRouter(prefix="/currency", tags=["shelf"], responses=router.responses)


@prices.get("")
def currency(serving: Serving) -> Currency:
    """What prices are told in."""
    with serving.database.session() as session:
        return Currency(name=settings.get(session, settings.CURRENCY))


@prices.put("", status_code=204, responses={507: {"model": ProblemDocument}})
def tell_in(chosen: Currency, serving: Serving) -> None:
    """Tell prices in another currency; each keeps its figure."""
    serving.database.run(lambda session: settings.put(session, settings.CURRENCY, chosen.name))


drawers = APIRouter(prefix="/drawer", tags=["shelf"], responses=router.responses)


@drawers.put("/{kind}/{designation:path}", status_code=204)
def stock(kind: Kind, designation: Designation, at_hand: Stock, serving: Serving) -> None:
    """Say what the drawer holds of a part that is on the shelf."""
    _known(kind)
    try:
        serving.shelf.find(kind, designation)
    except UnknownPart as why:
        raise HTTPException(404, str(why)) from None
    serving.database.run(lambda session: drawer.put(session, kind, designation, at_hand))
    serving.forget_shelf()


@drawers.delete("/{kind}/{designation:path}", status_code=204)
def take_out(kind: Kind, designation: Designation, serving: Serving) -> None:
    """The drawer holds none of a part any more."""
    _known(kind)
    if not serving.database.run(lambda session: drawer.remove(session, kind, designation)):
        raise HTTPException(404, f"the drawer holds no {kind} ‘{designation}’")
    serving.forget_shelf()
