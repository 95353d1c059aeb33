"""Rectifier, link, bridge, filter and what is plugged in."""

from __future__ import annotations

from typing import Literal

from rhombos.core.frame.circuit import Circuit, Element, Label, Place, Shape, Words, arrow, box, missing, places


def rectifier(words: Words) -> Circuit:
    """Diodes by their circuit, damper, choke or none."""
    kind = words["circuit"].split(",")[0]
    whole = BEHIND + {"centre tap": CENTRE_TAP, "doubler": DOUBLER}.get(kind, GRAETZ)
    whole += CHOKE if words["choke"] != "none" else CHOKELESS
    if words["damper"] == "none":
        whole += missing(196, 76, 140, "no damper here", "rings to {reverse}")
    else:
        whole += DAMPER
    if words["parts"]:
        whole += Circuit(labels=(Label(value="{parts} such in series, each on its part of the secondary", x=24, y=20),))
    return whole


BEHIND = Circuit(
    terminals=places((423, 30), (423, 156)),
    labels=(
        Label(name="{current}", value="{ripple}", x=430, y=124, at="end"),
        Label(value="{diode}", x=135, y=178, at="middle"),
    ),
)
GRAETZ = Circuit(
    elements=tuple(Element(symbol="diode", x=x, y=y, turn=-90) for x in (100, 170) for y in (68, 150)),
    wires=("M27 75H100M27 111H170M100 30V36M100 68V118M100 150V156M170 30V36M170 68V118M170 150V156M100 30H220M100 156H420",),
    nodes=places((100, 75), (170, 111)),
    terminals=places((24, 75), (24, 111)),
)
CENTRE_TAP = Circuit(
    elements=(Element(symbol="diode", x=90, y=30), Element(symbol="diode", x=90, y=124)),
    wires=("M27 30H90M122 30H220M27 93H60V156H420M27 124H90M122 124H150V30",),
    nodes=places((150, 30)),
    terminals=places((24, 30), (24, 93), (24, 124)),
    labels=(Label(value="tap", x=34, y=86),),
)
DOUBLER = Circuit(
    elements=(Element(symbol="diode", x=110, y=68, turn=-90), Element(symbol="diode", x=110, y=150, turn=-90)),
    wires=(
        "M27 75H110M110 30V36M110 68V118M110 150V156M110 30H220M110 156H420M27 111H96M124 111H160",
        "M96 111a14 9 0 0 1 28 0",
    ),
    nodes=places((110, 75)),
    terminals=places((24, 75), (24, 111), (163, 111)),
    labels=(Label(value="mid-point", x=128, y=132),),
)
CHOKE = Circuit(
    elements=(Element(symbol="choke", ref="L1", part="inductance", x=290, y=30, label=Place(x=314, y=50), at="middle"),),
    wires=("M220 30H290M338 30H420",),
)
CHOKELESS = Circuit(wires=("M220 30H420",), labels=(Label(value="no choke", x=314, y=22, at="middle"),))
DAMPER = Circuit(
    elements=(
        Element(symbol="resistor", ref="R1", part="damper_resistor", x=220, y=46, turn=90, label=Place(x=234, y=79)),
        Element(symbol="capacitor", ref="C1", part="damper_capacitor", x=220, y=96, turn=90, label=Place(x=238, y=111)),
    ),
    wires=("M220 30V46M220 86V96M220 120V156",),
    nodes=places((220, 30), (220, 156)),
)


def link(words: Words) -> Circuit:
    """Capacitors, in two banks for a doubler, and the bleeder."""
    return LINK + (TWO_BANKS if words["banks"] == "2" else ONE_BANK)


LINK = Circuit(
    elements=(Element(symbol="resistor", ref="R1", part="bleeder", x=270, y=72, turn=90, label=Place(x=286, y=78)),),
    wires=("M53 36H400M53 150H400M270 36V72M270 112V150",),
    nodes=places((160, 36), (160, 150), (270, 36), (270, 150)),
    terminals=places((50, 36), (50, 150), (403, 36), (403, 150)),
    labels=(
        Label(value="{capacitor}", x=178, y=22, at="middle"),
        Label(name="{voltage}", value="{ripple}", x=178, y=88),
        Label(name="{stored} stored", value="safe after {safe}", x=286, y=126, tone="stop"),
    ),
)
ONE_BANK = Circuit(
    elements=(Element(symbol="electrolytic", ref="C1", value="", x=160, y=80, turn=90, label=Place(x=144, y=98), at="end"),),
    wires=("M160 36V80M160 104V150",),
)
TWO_BANKS = Circuit(
    elements=tuple(
        Element(
            symbol="electrolytic",
            ref="C1",
            position=n,
            positions=2,
            value="",
            x=160,
            y=y,
            turn=90,
            label=Place(x=144, y=y + 18),
            at="end",
        )
        for n, y in ((1, 52), (2, 110))
    ),
    wires=("M160 36V52M160 76V110M160 134V150M53 93H160",),
    nodes=places((160, 93)),
    terminals=places((50, 93)),
)


def bridge(words: Words) -> Circuit:
    """Four switches and what lies between the legs."""
    symbol: Literal["igbt", "mosfet"] = "igbt" if words["switch"].startswith("IGBT") else "mosfet"
    switches = tuple(
        Element(
            symbol=symbol,
            ref="Q1",
            position=n,
            positions=4,
            value="",
            x=x,
            y=y,
            label=Place(x=x - 42, y=44 if y < 94 else 160),
            at="end",
        )
        for n, (x, y) in enumerate(((170, 56), (170, 132), (330, 56), (330, 132)), 1)
    )
    return BRIDGE + Circuit(elements=switches)


BRIDGE = Circuit(
    wires=("M63 20H330M63 168H330M170 20V32M170 80V108M170 156V168M330 20V32M330 80V108M330 156V168M170 94H222M330 94H278",),
    nodes=places((170, 94), (330, 94)),
    terminals=places((60, 20), (60, 168)),
    labels=(
        Label(value="{behind}", x=250, y=98, at="middle"),
        Label(value="{switch} {parallel}", x=250, y=188, at="middle"),
        Label(name="{modulation}", value="{carrier}", x=356, y=52),
        Label(name="dead time", value="{dead_time}", x=356, y=126),
    ),
    shapes=(Shape(d=box(222, 82, 56, 24), dashed="4 3"),),
    paths={
        "bridge:plus": "M63 20H170V94H330V168H63",
        "bridge:minus": "M63 20H330V94H170V168H63",
        "bridge:high": "M170 94H330V20H170V94",
        "bridge:low": "M170 94H330V168H170V94",
    },
)
FILTER = Circuit(
    elements=(
        Element(symbol="choke", ref="L1", part="inductance", x=140, y=52, label=Place(x=164, y=22), at="middle"),
        Element(symbol="capacitor", ref="C1", value="{whole}", x=290, y=88, turn=90, label=Place(x=308, y=96)),
    ),
    wires=("M53 52H140M188 52H400M53 150H400M290 52V88M290 112V150",),
    nodes=places((290, 52), (290, 150)),
    terminals=places((50, 52), (50, 150), (403, 52), (403, 150)),
    labels=(
        Label(value="{current}", x=164, y=78, at="middle"),
        Label(value="ripple {ripple}", x=164, y=94, at="middle"),
        Label(value="{capacitor_current}", x=308, y=126),
        Label(value="corner {corner}", x=346, y=28, at="middle"),
        Label(value="bridge", x=50, y=106, at="middle"),
        Label(value="socket", x=404, y=106, at="middle"),
    ),
)


def load(words: Words) -> Circuit:
    """The socket and what is plugged in: a resistance, and an inductance where the voltage alternates."""
    return LOAD + (STEADY if words["factor"] == "DC" else LAGGING)


LOAD = Circuit(
    elements=(Element(symbol="load", name="{power}", value="{factor}", x=260, y=48, turn=90, label=Place(x=284, y=74)),),
    wires=("M93 40H260V48M260 88V96M260 144V146H93",),
    terminals=places((90, 40), (90, 146)),
    labels=(Label(value="{current}", x=163, y=22, at="middle"), Label(name="{voltage}", x=90, y=98, at="middle")),
    shapes=(arrow(150, 30),),
)
STEADY = Circuit(wires=("M260 96V144",), labels=(Label(value="as a resistance", x=284, y=124),))
LAGGING = Circuit(
    elements=(Element(symbol="inductor", x=260, y=96, turn=90),), labels=(Label(value="as a series R–L load", x=284, y=124),)
)
