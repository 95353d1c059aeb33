"""A high-frequency socket alone behind a stage: a coil that slows a short, terminals, and what is plugged in.

Nothing holds it: the stage runs at a fixed duty, and its voltage follows the source.
"""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import Field

from rhombos.core.blocks.base import Build
from rhombos.core.design.pins import Fields
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.parts import Shelf
from rhombos.core.units.quantities import Henry

KEY: Key[HfOutputBuild, HfOutputState] = Key("hf_output")
TITLE = "HF socket"


class HfOutputBuild(Build):
    """What lies between winding and socket; the fuse there is the protection's."""

    coil: Henry = Field(ge=0, le=0.1, title="Coil against a short")


@dataclass(frozen=True, slots=True)
class HfOutputState:
    """RMS across the load and height of its pulses, V; its current, RMS and peak, A; power, W; its power factor behind cord and
    coil; the share of the time that pulses take."""

    voltage: float
    peak: float
    current: float
    peak_current: float
    power: float
    factor: float
    powered: float
    loss: float = 0.0


def propose(coil: float, pins: Fields) -> HfOutputBuild:
    """The coil, H, that keeps a short within what the switches may see."""
    return HfOutputBuild.within({"coil": coil} | pins)


def parts(build: HfOutputBuild, shelf: Shelf) -> tuple[Item, ...]:
    """A few turns on a rod from any drawer."""
    return ()
