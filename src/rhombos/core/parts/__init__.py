"""What the parts are, and the shelf they lie on."""

from rhombos.core.parts.fittings import FITTINGS
from rhombos.core.parts.kinds import (
    GROUPS,
    KINDS,
    Bipolar,
    Capacitor,
    Core,
    Diode,
    Driver,
    Fuse,
    Grade,
    HeatSink,
    Igbt,
    IronCore,
    Mosfet,
    Part,
    Powder,
    Resistor,
    Wire,
    kind_of,
)
from rhombos.core.parts.shelf import Shelf, UnknownPart

__all__ = [
    "FITTINGS",
    "GROUPS",
    "KINDS",
    "Bipolar",
    "Capacitor",
    "Core",
    "Diode",
    "Driver",
    "Fuse",
    "Grade",
    "HeatSink",
    "Igbt",
    "IronCore",
    "Mosfet",
    "Part",
    "Powder",
    "Resistor",
    "Shelf",
    "UnknownPart",
    "Wire",
    "kind_of",
]
