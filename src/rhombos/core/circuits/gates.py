"""How gates are driven: one leg, or both sides of a stage whose sources stand on ground."""

from __future__ import annotations

from typing import Literal

from rhombos.core.frame.circuit import Circuit, Element, Label, Place, Shape, Words, box, places


def drive(words: Words) -> Circuit:
    """Drivers, gate resistors, pull-downs and switches, by what feeds the upper driver where there is one."""
    both = _driven(62, words) + _driven(136, words) + _said(words)
    if words["floats"] == "no":
        return GROUNDED + both
    return LEG + (_bootstrap(words) if words["boot"] else _floating(words["kind"])) + both


def _driven(y: float, words: Words) -> Circuit:
    """A driver with its gate resistor, pull-down and switch, the gate's line at a height."""
    symbol: Literal["igbt", "mosfet"] = "igbt" if words["switch"].startswith("IGBT") else "mosfet"
    whole = Circuit(
        elements=(
            Element(symbol="resistor", part="r_on", x=236, y=y),
            Element(symbol=symbol, x=360, y=y - 8),
        ),
        wires=(f"M224 {y}H236M276 {y}H320M320 {y}H330",),
        nodes=places((300, y)),
        shapes=(Shape(d=f"M190 {y - 20}V{y + 20}L224 {y}Z", width=1.5),),
    )
    if words["pull"] == "none":
        return whole
    return whole + Circuit(
        wires=(f"M300 {y}V{y + 6}M300 {y + 30}H360V{y + 16}",),
        shapes=(Shape(d=f"M300 {y + 6}v3m0 18v3m-4.5 -21h9v18h-9z"),),
    )


def _said(words: Words) -> Circuit:
    x = 398 if words["floats"] == "no" else 382
    whole = Circuit(
        labels=(
            Label(name="{on}", value="off {off}", x=256, y=35, at="middle"),
            Label(name="{driver}", value="{times}", x=10, y=132),
        )
    )
    if words["pull"] == "none":
        whole += Circuit(labels=(Label(name="no pull-down", value="it floats", x=468, y=134, at="end", tone="stop"),))
    else:
        whole += Circuit(labels=(Label(name="{pull}", value="pull-down", x=x, y=134),))
    return whole + (Circuit(labels=(Label(value="with zener", x=x, y=166),)) if words["zener"] == "fitted" else Circuit())


SUPPLY = Circuit(terminals=places((27, 24)), labels=(Label(value="{supply}", x=10, y=15),))
GROUNDED = SUPPLY + Circuit(
    wires=("M30 24H206V42M206 82V116M206 156V176M30 176H390M360 30V14H400M360 104H404M360 92H390V176M360 166V176",),
    labels=(Label(value="one side", x=406, y=18), Label(value="other", x=408, y=108)),
)
LEG = SUPPLY + Circuit(
    wires=("M360 30V14H400M360 92V104M250 92H360M360 166V176H30M206 156V176", "M360 92H394"),
    nodes=places((360, 92)),
    terminals=places((403, 14)),
    labels=(Label(value="{bus}", x=410, y=18), Label(value="leg", x=400, y=96)),
)


def _bootstrap(words: Words) -> Circuit:
    """The diode, a resistor and the capacitor that lift the upper driver's supply."""
    kind, *_ = words["diode"].split()
    return Circuit(
        elements=(
            Element(symbol="diode", value=kind, x=46, y=24, label=Place(x=62, y=44), at="middle"),
            Element(symbol="resistor", part="boot_resistor", x=86, y=24, label=Place(x=106, y=15), at="middle"),
            Element(
                symbol="capacitor",
                name="{boot}",
                value="lowest {low}",
                x=178,
                y=30,
                turn=90,
                label=Place(x=168, y=60),
                at="end",
            ),
        ),
        wires=("M30 24H46M78 24H86M126 24H178V30M178 54V92H250", "M178 24H206V42"),
        nodes=places((178, 24)),
    )


def _floating(kind: str) -> Circuit:
    """A supply of its own for the upper driver."""
    return Circuit(
        wires=("M186 24H206V42M178 92H250",),
        labels=(Label(value="floating" if kind == "isolated" else kind, x=152, y=28, at="middle"),),
        shapes=(Shape(d=box(118, 12, 68, 24), dashed="4 3"),),
    )
