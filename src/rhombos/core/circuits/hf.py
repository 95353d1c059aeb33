"""High-frequency sockets: a tap of the secondary beside the rectifier, or the whole of it."""

from __future__ import annotations

from rhombos.core.frame.circuit import Circuit, Element, Label, Place, places

HF_SOCKET = Circuit(
    elements=(
        Element(symbol="inductor", name="N s", x=84, y=20, turn=90, label=Place(x=70, y=36), at="end"),
        Element(symbol="inductor", name="N hf", part="turns", x=84, y=86, turn=90, label=Place(x=70, y=102), at="end"),
        Element(symbol="fuse", ref="F1", part="fuse", x=126, y=77, label=Place(x=146, y=46), at="middle"),
        Element(symbol="inductor", ref="L1", part="coil", x=196, y=77, label=Place(x=220, y=40), at="middle"),
        Element(symbol="load", name="R L", part="resistance", x=400, y=92, turn=90, label=Place(x=416, y=108)),
    ),
    wires=("M84 20V12H118M84 68V86M84 134V164H118M84 77H126M166 77H196M244 77H298M306 77H400V92M400 132V164H306M298 164H84",),
    nodes=places((84, 77), (84, 164)),
    terminals=places((121, 12), (121, 164), (302, 77), (302, 164)),
    labels=(
        Label(name="to the rectifier", x=130, y=16),
        Label(name="U", value="{voltage}", x=302, y=112, at="middle"),
        Label(name="I", value="{current}", x=352, y=52, at="middle"),
    ),
)
"""A tap of the secondary, a fuse, a coil that slows a short, the socket's terminals and what is plugged in."""

HF_OUTPUT = Circuit(
    elements=(
        Element(symbol="inductor", name="N s", x=84, y=66, turn=90, label=Place(x=70, y=94), at="end"),
        Element(symbol="inductor", ref="L1", part="coil", x=166, y=57, label=Place(x=190, y=24), at="middle"),
        Element(symbol="load", name="R L", x=400, y=72, turn=90, label=Place(x=416, y=88)),
    ),
    wires=("M84 66V57H166M214 57H298M306 57H400V72M400 112V134H306M298 134H84V114",),
    terminals=places((302, 57), (302, 134)),
    labels=(
        Label(name="U", value="{voltage}", x=302, y=92, at="middle"),
        Label(name="I", value="{current}", x=352, y=36, at="middle"),
    ),
)
"""The secondary, a coil that slows a short, the socket's terminals and what is plugged in."""
