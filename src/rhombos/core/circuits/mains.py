"""The input of a unit on one-phase mains."""

from __future__ import annotations

from rhombos.core.frame.circuit import Circuit, Element, Label, Place, Words, places


def mains_input(words: Words) -> Circuit:
    """Line fuse, a limiter and what bridges it, four diodes, the bank and its bleeder."""
    before = UNLIMITED if not words["limited"] else LIMITED + (BRIDGED if words["bypass"] == "relay" else Circuit())
    return FUSED + before + BEHIND


FUSED = Circuit(
    elements=(Element(symbol="fuse", ref="F1", part="fuse", value="", x=32, y=75, label=Place(x=52, y=96), at="middle"),),
    wires=("M27 75H32M72 75H84",),
)
LIMITED = Circuit(
    elements=(Element(symbol="resistor", name="{limiter}", value="", x=84, y=75, label=Place(x=104, y=96), at="middle"),),
    wires=("M124 75H140",),
)
UNLIMITED = Circuit(wires=("M84 75H140",), labels=(Label(value="no limiter", x=106, y=64, at="middle", tone="copper"),))
BRIDGED = Circuit(
    elements=(Element(symbol="contact", x=84, y=42),),
    wires=("M79 75V42H84M124 42H130V75",),
    nodes=places((79, 75), (130, 75)),
    labels=(Label(value="relay", x=104, y=28, at="middle"),),
)
BEHIND = Circuit(
    elements=(
        *(Element(symbol="diode", x=x, y=y, turn=-90) for x in (140, 200) for y in (68, 150)),
        Element(symbol="electrolytic", x=290, y=80, turn=90),
        Element(symbol="resistor", name="{bleeder}", value="", x=360, y=72, turn=90, label=Place(x=376, y=96)),
    ),
    wires=(
        "M27 111H200M140 30V36M140 68V118M140 150V156M200 30V36M200 68V118M200 150V156M140 30H430M140 156H430",
        "M290 30V80M290 104V156M360 30V72M360 112V156",
    ),
    nodes=places((140, 75), (200, 111), (200, 30), (200, 156), (290, 30), (290, 156), (360, 30), (360, 156)),
    terminals=places((24, 75), (24, 111), (433, 30), (433, 156)),
    labels=(
        Label(value="{mains}", x=22, y=134),
        Label(value="{bank}", x=272, y=98, at="end"),
        Label(value="{stands}", x=140, y=176, tone="stop"),
    ),
)
