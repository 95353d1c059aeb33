"""The winding sheet on paper: the same rows, window, pins and checks as on the screen."""

from __future__ import annotations

from typing import Any

from reportlab.graphics.shapes import Circle, Drawing, Line, Path, Rect, String
from reportlab.lib.colors import HexColor
from reportlab.platypus import Spacer, Table

from rhombos.core.magnetics_bench import WindingSheet
from rhombos.core.plots.model import Box
from rhombos.paper.page import (
    BODY,
    CAUTION,
    COPPER,
    HAIR,
    HEAD,
    INK,
    RIGHT,
    SMALL,
    SMALL_RIGHT,
    TITLE,
    WIDTH,
    printed,
    ruled,
    say,
)

COLUMNS = (
    ("", 0.25),
    ("turns", 0.07),
    ("wire", 0.16),
    ("parallel", 0.09),
    ("layers", 0.08),
    ("cut", 0.13),
    ("copper", 0.09),
    ("pins", 0.13),
)
"""Heads of the table with their shares of the width."""
FILLS = {
    "primary": HexColor("#e8b48c"),
    "secondary": HexColor("#9dbbd0"),
    "tape": HexColor("#d9d4c6"),
    "window": None,
    "core": HexColor("#8a8f92"),
    "gap": None,
}
DRAWN = 0.5
"""Part of the page's width that the window is drawn on."""
TURN = 9.0
"""Height of a turn in the picture of starts and finishes, points."""


def winding_pdf(sheet: WindingSheet, design: str) -> bytes:
    """One wound part of a design, as a page to wind from."""
    rows: list[list[Any]] = [[say(h or "from the core outwards", SMALL) for h, _ in COLUMNS]]
    for n, r in enumerate(sheet.rows):
        what = [say(f"{n + 1} {r.what}"), *([say(r.note, SMALL)] if r.note else [])]
        rows.append([what, *(say(t) for t in (r.turns, r.wire, r.in_hand, r.layers, r.length, r.mass, r.starts))])
    checks = [[say(c.name), say(c.text, RIGHT), ""] for c in sheet.checks]
    story = [
        say(f"{sheet.title}, {design}", TITLE),
        say(sheet.core, BODY),
        Spacer(0, 6),
        ruled(rows, [WIDTH * share for _, share in COLUMNS]),
        Spacer(0, 4),
        Table(
            [
                [
                    [
                        say(sheet.window.title, HEAD),
                        _window(sheet.window.boxes, WIDTH * DRAWN - 12),
                        say(sheet.window.remark, SMALL),
                    ],
                    [say("Starts and finishes", HEAD), _phasing(sheet.phasing, WIDTH * (1 - DRAWN) - 12)],
                ]
            ],
            colWidths=[WIDTH * DRAWN, WIDTH * (1 - DRAWN)],
            style=[("VALIGN", (0, 0), (-1, -1), "TOP")],
        ),
        say("Measure before you fit it", HEAD),
        ruled(
            [[say("", SMALL), say("expected", SMALL_RIGHT), say("measured", SMALL)], *checks],
            [WIDTH * 0.5, WIDTH * 0.28, WIDTH * 0.22],
        ),
        say("Mind", HEAD),
        *(say(c, CAUTION) for c in sheet.cautions),
        Spacer(0, 14),
        ruled(
            [[say(f"{w}:", SMALL) for w in ("wound by", "date", "core and lot", "test passed at")]],
            [WIDTH / 4] * 4,
            headed=False,
        ),
    ]
    return printed(story, f"{sheet.title}, {design}")


def _window(boxes: tuple[Box, ...], width: float) -> Drawing:
    """The window to scale; what lies deepest is drawn at the bottom."""
    frame = next(b for b in boxes if b.role == "window")
    scale = min(width / frame.width, 150 / frame.height)
    drawing = Drawing(frame.width * scale, frame.height * scale + 2)
    for b in boxes:
        if b.round:
            half = b.width * scale / 2
            drawing.add(
                Circle(
                    b.x * scale + half,
                    b.y * scale + half,
                    half * 0.96,
                    fillColor=FILLS[b.role],
                    strokeColor=COPPER,
                    strokeWidth=0.2,
                )
            )
        else:
            drawing.add(
                Rect(
                    b.x * scale,
                    b.y * scale,
                    b.width * scale,
                    b.height * scale,
                    fillColor=FILLS[b.role],
                    strokeColor=INK if b.role == "window" else HAIR,
                    strokeWidth=0.6 if b.role == "window" else 0.2,
                )
            )
    return drawing


def _phasing(halves: tuple[int, ...] | None, width: float) -> Drawing:
    """Windings with a dot at each start; halves joined at their tap."""
    height = 11 * TURN + 18
    drawing = Drawing(width, height)
    middle = width / 2
    if halves is None:
        _coil(drawing, middle, height - 20, 5, "L1", "L2", left=True)
        return drawing
    for x in (middle - 2.5, middle + 2.5):
        drawing.add(Line(x, 6, x, height - 6, strokeColor=INK, strokeWidth=0.9))
    for count, pin, left in ((halves[0], "P", True), (halves[1], "S", False)):
        x = middle - 12 if left else middle + 12
        if count == 1:
            _coil(drawing, x, height - 25, 6, f"{pin}1", f"{pin}2", left=left)
            continue
        _coil(drawing, x, height - 8, 4, f"A: {pin}1", f"{pin}2", left=left)
        _coil(drawing, x, height - 8 - 6.5 * TURN, 4, f"B: {pin}2", f"{pin}3", left=left)
        drawing.add(Line(x, height - 8 - 4 * TURN, x, height - 8 - 6.5 * TURN, strokeColor=COPPER, strokeWidth=1.2))
        drawing.add(
            String(
                x + (-8 if left else 8),
                height - 11 - 5.25 * TURN,
                "tap",
                fontName="Sheet",
                fontSize=7,
                fillColor=COPPER,
                textAnchor="end" if left else "start",
            )
        )
    return drawing


def _coil(drawing: Drawing, x: float, top: float, turns: int, start: str, finish: str, *, left: bool) -> None:
    """A winding that hangs down from `top`, bulging away from the core, its start dotted."""
    way = -1 if left else 1
    path = Path(strokeColor=INK, strokeWidth=1, fillColor=None)
    path.moveTo(x, top)
    for n in range(turns):
        y = top - n * TURN
        path.curveTo(x + way * TURN * 0.9, y, x + way * TURN * 0.9, y - TURN, x, y - TURN)
    drawing.add(path)
    drawing.add(Circle(x - way * 4, top - 3, 1.6, fillColor=INK, strokeColor=None))
    for label, y in ((start, top - 3), (finish, top - turns * TURN)):
        drawing.add(
            String(x + way * 13, y, label, fontName="Sheet", fontSize=8, fillColor=INK, textAnchor="end" if left else "start")
        )
