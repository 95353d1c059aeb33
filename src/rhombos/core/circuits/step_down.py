"""A step-down converter beside the main stages."""

from __future__ import annotations

from rhombos.core.frame.circuit import Circuit, Element, Label, Place, places

STEP_DOWN = Circuit(
    elements=(
        Element(symbol="fuse", ref="F1", part="fuse", x=36, y=56, label=Place(x=56, y=25), at="middle"),
        Element(symbol="mosfet", ref="Q1", part="switch", x=118, y=56, turn=-90, label=Place(x=8, y=104)),
        Element(symbol="diode", ref="D1", part="diode", x=190, y=136, turn=-90, label=Place(x=204, y=128)),
        Element(symbol="inductor", ref="L1", part="inductance", x=248, y=56, label=Place(x=272, y=25), at="middle"),
        Element(symbol="capacitor", ref="C1", part="capacitor", x=388, y=100, turn=90, label=Place(x=374, y=90), at="end"),
    ),
    wires=("M27 56H36M76 56H94M142 56H248M296 56H423M190 56V104M190 136V172M388 56V100M388 124V172M27 172H423",),
    nodes=places((190, 56), (190, 172), (388, 56), (388, 172)),
    terminals=places((24, 56), (24, 172), (426, 56), (426, 172)),
    labels=(
        Label(name="D", value="{duty}", x=60, y=146),
        Label(name="U", value="{voltage}", x=452, y=110, at="end"),
        Label(name="I", value="{current}", x=424, y=26, at="middle"),
    ),
)
"""A fuse, a switch on the upper rail, a diode, a choke, and the output's capacitors."""
