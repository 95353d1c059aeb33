"""Source and input, and the transformer."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from rhombos.core.frame.circuit import Circuit, Element, Label, Place, Shape, Words, arrow, places

ENDS = places((333, 40), (333, 146))


def source(words: Words) -> Circuit:
    """Cells behind their resistance; a supply behind its own, with the capacitor at its output; or the mains behind its
    loop."""
    if words.get("mains"):
        return MAINS
    return RAIL if words.get("limit") else BATTERY


BATTERY = Circuit(
    elements=(
        Element(symbol="battery", name="{cells}", value="{emf}", x=128, y=110, turn=-90, label=Place(x=110, y=82), at="end"),
        Element(symbol="resistor", name="Rᵢ", x=180, y=40, label=Place(x=200, y=22), at="middle"),
    ),
    wires=("M128 74V40H180M220 40H330M128 110V146H330",),
    terminals=ENDS,
    labels=(
        Label(value="{resistance}", x=200, y=64, at="middle"),
        Label(name="{terminal}", value="terminals", x=350, y=88),
        Label(value="{current}", x=289, y=20, at="middle"),
    ),
    shapes=(arrow(276, 30),),
)
MAINS = Circuit(
    elements=(
        Element(symbol="alternating", name="{volts}", value="{hertz}", x=124, y=92, label=Place(x=92, y=84), at="end"),
        Element(symbol="resistor", name="R", x=156, y=40, label=Place(x=176, y=22), at="middle"),
        Element(symbol="inductor", name="L", x=212, y=40, label=Place(x=236, y=22), at="middle"),
    ),
    wires=("M124 70V40H156M196 40H212M260 40H330M124 114V146H330",),
    terminals=ENDS,
    labels=(
        Label(value="{resistance}", x=176, y=64, at="middle"),
        Label(value="{inductance}", x=236, y=64, at="middle"),
        Label(name="socket", value="live, neutral", x=350, y=88),
        Label(value="{rms} RMS", x=304, y=20, at="middle"),
    ),
    shapes=(arrow(290, 30),),
)
RAIL = Circuit(
    elements=(
        Element(symbol="supply", name="{emf}", value="up to {limit}", x=134, y=92, label=Place(x=104, y=84), at="end"),
        Element(symbol="resistor", name="Rₛ", x=180, y=40, label=Place(x=200, y=22), at="middle"),
        Element(symbol="electrolytic", value="{capacitor}", x=280, y=82, turn=90, label=Place(x=264, y=98), at="end"),
    ),
    wires=("M134 70V40H180M220 40H330M134 114V146H330M280 40V82M280 106V146",),
    nodes=places((280, 40), (280, 146)),
    terminals=ENDS,
    labels=(
        Label(value="{resistance}", x=200, y=64, at="middle"),
        Label(name="{terminal}", value="terminals", x=350, y=88),
        Label(value="{current}", x=305, y=20, at="middle"),
    ),
    shapes=(arrow(292, 30),),
)


def input_stage(words: Words) -> Circuit:
    """Fuse, cable, capacitor bank; a filter choke and the resistor that damps it, where they are fitted."""
    choked, damped = bool(words["choke"]), bool(words["damper"])
    whole = Circuit(
        elements=(
            Element(symbol="fuse", ref="F1", part="fuse", value="", x=80, y=44, label=Place(x=100, y=26), at="middle"),
            Element(symbol="inductor", name="cable", x=170, y=44, label=Place(x=194, y=26), at="middle"),
            Element(symbol="electrolytic", ref="C1", part="capacitor", x=300, y=82, turn=90, label=Place(x=322, y=84)),
        ),
        wires=(f"M33 44H80M120 44H170M218 44H{'240M288 44H' if choked else ''}420M33 146H420M300 44V82M300 106V146",),
        nodes=places((300, 44), (300, 146)),
        terminals=places((30, 44), (30, 146), (423, 44), (423, 146)),
        labels=(
            Label(value="{fuse}", x=100, y=68, at="middle"),
            Label(value="{cable}", x=194, y=68, at="middle"),
            Label(value="{count}", x=322, y=116),
            Label(value="{banks}", x=322, y=132),
            Label(value="ripple {ripple}", x=322, y=64),
            Label(value="source", x=10, y=98),
            Label(value="stage", x=432, y=150),
        ),
    )
    if choked:
        whole += Circuit(
            elements=(Element(symbol="inductor", ref="L1", part="choke", x=240, y=44, label=Place(x=264, y=66), at="middle"),)
        )
    if damped:
        whole += Circuit(
            elements=(Element(symbol="resistor", ref="R1", part="damper", x=244, y=14, label=Place(x=302, y=14)),),
            wires=("M232 44V14H244M284 14H294V44",),
            nodes=places((232, 44), (294, 44)),
        )
    return whole


DOTS = "M{x} {y}m-2.5 0a2.5 2.5 0 1 0 5 0a2.5 2.5 0 1 0 -5 0"


def _dot(x: float, y: float) -> Shape:
    """Where a winding starts."""
    return Shape(d=DOTS.format(x=x, y=y), fill="ink", width=0)


def transformer(words: Words) -> Circuit:
    """Windings with their starts; either centre-tapped or single."""
    both = _windings(PRIMARY, words["halves"] == "2") + _windings(SECONDARY, words.get("secondary_halves") == "2")
    return both + CORE


@dataclass(frozen=True)
class Side:
    """One side of a core: what it is called, where its wires end, where its winding stands, its turns, its starts, and a word
    on each half; which way its windings and its words lie."""

    name: str
    ends: float
    stands: float
    turns: tuple[float, float]
    starts: tuple[float, float]
    word: float
    at: Literal["start", "end"]
    bulges: bool

    def wire(self, y: float) -> str:
        """From its terminal to the winding, or the other way."""
        a, b = sorted((self.ends, self.stands))
        return f"M{a + 3:g} {y:g}H{b:g}" if self.ends < self.stands else f"M{a:g} {y:g}H{b - 3:g}"


PRIMARY = Side("primary", 117, 196, (178, 182), (212, 210), 104, "end", True)
SECONDARY = Side("secondary", 343, 262, (280, 280), (244, 246), 358, "start", False)


def _windings(side: Side, halves: bool) -> Circuit:
    """One winding, or two halves with their tap."""
    tops, ends = ((40, 88), (40, 88, 136)) if halves else ((52,), (52, 124))
    told = [Label(value="each half", x=side.word, y=76 if side.bulges else 100, at=side.at)] if halves else []
    if side.bulges:
        told.append(Label(value="{primary_current}", x=side.word, y=60 if halves else 84, at=side.at))
    return Circuit(
        elements=tuple(
            Element(
                symbol="inductor" if halves else "winding", name=f"{{{side.name}}}", part=f"{side.name}_turns", value="",
                x=side.stands, y=y, turn=90, mirrored=side.bulges != halves, at=side.at, tone="copper",
                label=Place(x=side.turns[halves], y=y + (30 if halves else 40)))
            for y in tops
        ),
        wires=tuple(side.wire(y) for y in ends),
        terminals=places(*((side.ends, y) for y in ends)),
        labels=tuple(told),
        shapes=tuple(_dot(side.starts[halves], y + 6) for y in tops),
    )  # fmt: skip


CORE = Circuit(
    labels=(
        Label(name="{secondary_current}", x=358, y=84),
        Label(name="{core}", x=225, y=26, at="middle"),
        Label(value="{flux} peak, leakage {leakage}", x=225, y=158, at="middle"),
        Label(value="{primary_wire} | {secondary_wire}", x=225, y=176, at="middle"),
    ),
    shapes=(Shape(d="M222 42V134M228 42V134", width=1.5),),
)
