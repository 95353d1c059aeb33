"""The stage on the source: push-pull with its clamp, half-bridge, full bridge."""

from __future__ import annotations

from rhombos.core.frame.circuit import Circuit, Element, Label, Place, Shape, Words, box, missing, places

START = "m-2.4 0a2.4 2.4 0 1 0 4.8 0a2.4 2.4 0 1 0 -4.8 0"


def front_end(words: Words) -> Circuit:
    """By its topology, as the words have it."""
    if words["topology"] == "push-pull":
        return PUSH_PULL + (CLAMP if words["clamp"] != "none" else UNCLAMPED)
    return RAILS + (HALF_BRIDGE if words["topology"] == "half-bridge" else FULL_BRIDGE)


PUSH_PULL = Circuit(
    elements=(
        Element(symbol="inductor", x=236, y=28, turn=90),
        Element(symbol="inductor", x=236, y=76, turn=90),
        Element(
            symbol="mosfet",
            ref="Q1",
            position=1,
            positions=2,
            value="{parallel}",
            x=150,
            y=136,
            label=Place(x=108, y=112),
            at="end",
        ),
        Element(
            symbol="mosfet", ref="Q1", position=2, positions=2, value="", x=316, y=136, label=Place(x=274, y=150), at="end"
        ),
    ),
    wires=("M27 76H236M27 172H316M150 172V160M316 172V160M150 112V28H236M236 124H316V112",),
    nodes=places((150, 172), (236, 76)),
    terminals=places((24, 76), (24, 172)),
    labels=(
        Label(value="pulse {pulse}", x=24, y=66),
        Label(value="{switch}", x=232, y=189, at="middle"),
        Label(value="duty {duty}", x=350, y=164),
    ),
    shapes=(
        Shape(d="M250 30V122M255 30V122"),
        Shape(d=f"M227 36{START}M227 84{START}", fill="ink", width=0),
    ),
    paths={
        "push-pull:a": "M27 76H236V28H150V172H27",
        "push-pull:a-off": "M236 76V28H150V12H430V76",
        "push-pull:b": "M27 76H236V124H316V172H27",
        "push-pull:b-off": "M236 76V124H316V112H344V58H392V12H430V76",
    },
)
CLAMP = Circuit(
    elements=(
        Element(symbol="diode", x=312, y=12),
        Element(symbol="diode", x=354, y=58),
        Element(symbol="resistor", ref="R1", value="{clamp_resistor}", x=400, y=24, turn=90, label=Place(x=350, y=112)),
        Element(symbol="capacitor", x=430, y=38, turn=90),
    ),
    wires=("M150 28V12H312M316 112H344V58H354", "M344 12H400V24M386 58H392V12M400 64V76H430V62M400 24V12H430V38"),
    nodes=places((150, 28), (316, 112), (392, 12), (400, 12)),
    terminals=places((415, 76)),
    labels=(
        Label(value="rail", x=415, y=94, at="middle"),
        Label(value="holds {clamp_level}", x=350, y=142),
        Label(value="peak {peak}", x=350, y=182),
    ),
)
UNCLAMPED = Circuit(labels=(Label(name="drain peaks at", value="{peak}", x=350, y=112),)) + missing(
    316, 18, 140, "no clamp here", "spike {spike}"
)

RAILS = Circuit(
    terminals=places((40, 20), (40, 168)),
    labels=(
        Label(value="input", x=12, y=98),
        Label(name="peak {peak}", value="rail clamps it", x=356, y=44),
        Label(name="pulse {pulse}", value="duty {duty}", x=356, y=92),
        Label(value="{switch} {parallel}", x=215, y=188, at="middle"),
    ),
)


def _primary(x: float, y: float) -> Circuit:
    """The primary as what the legs drive, with its start marked."""
    return Circuit(
        labels=(Label(value="primary", x=x + 32, y=y + 4, at="middle"),),
        shapes=(
            Shape(d=box(x - 10, y - 12, 76, 24), dashed="4 3"),
            Shape(d=f"M{x - 3} {y - 5}{START}", fill="ink", width=0),
        ),
    )


def _legs(positions: int, *at: tuple[float, float]) -> tuple[Element, ...]:
    """Switches at their places, each called beside its gate."""
    return tuple(
        Element(
            symbol="mosfet",
            ref="Q1",
            position=n,
            positions=positions,
            value="",
            x=x,
            y=y,
            label=Place(x=x - 42, y=44 if y < 94 else 160),
            at="end",
        )
        for n, (x, y) in enumerate(at, 1)
    )


HALF_BRIDGE = Circuit(
    elements=(
        Element(symbol="electrolytic", value="half the bank", x=130, y=46, turn=90, label=Place(x=112, y=62), at="end"),
        Element(symbol="electrolytic", value="half the bank", x=130, y=118, turn=90, label=Place(x=112, y=134), at="end"),
        *_legs(2, (300, 56), (300, 132)),
    ),
    wires=("M43 20H300M43 168H300M130 20V46M130 70V118M130 142V168M300 20V32M300 80V108M300 156V168M130 94H172M248 94H300",),
    nodes=places((130, 94), (300, 94)),
    paths={
        "half-bridge:a": "M43 20H300V94H130V168H43",
        "half-bridge:a-off": "M43 168H300V94H130V20H43",
        "half-bridge:b": "M43 20H130V94H300V168H43",
        "half-bridge:b-off": "M43 168H130V94H300V20H43",
    },
) + _primary(182, 94)
FULL_BRIDGE = Circuit(
    elements=_legs(4, (150, 56), (150, 132), (300, 56), (300, 132)),
    wires=("M43 20H300M43 168H300M150 20V32M150 80V108M150 156V168M300 20V32M300 80V108M300 156V168M150 94H187M263 94H300",),
    nodes=places((150, 94), (300, 94)),
    paths={
        "full bridge:a": "M43 20H150V94H300V168H43",
        "full bridge:a-off": "M43 168H150V94H300V20H43",
        "full bridge:b": "M43 20H300V94H150V168H43",
        "full bridge:b-off": "M43 168H300V94H150V20H43",
    },
) + _primary(197, 94)
