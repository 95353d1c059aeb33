"""Wire in a window: which wire, how many in parallel, how many layers, and its resistance at DC and at frequency."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from rhombos.core.book import magnetics as book
from rhombos.core.book import source
from rhombos.core.parts import Shelf, Wire

COPPER_20 = 1.724e-8
COPPER_SLOPE = 0.00393
INSULATION = 0.15e-3
"""Tape between windings and layers' worth of it, m."""
MOST_IN_HAND = 48
THINNEST = 0.2e-3
"""Copper diameter below which wire breaks under the hand, m."""
COPPER_DENSITY = 8960.0
"""Mass of copper, kg/m³."""
COPPER_PRICE = 14.0
"""Relative cost of a kilogram of round winding wire."""


def copper_resistivity(celsius: float) -> float:
    """Resistivity of copper, Ω·m, at a temperature in °C."""
    return source.resistivity.work({"rho_20": COPPER_20, "a_20": COPPER_SLOPE, "T": celsius + 273.15})


@dataclass(frozen=True, slots=True)
class Winding:
    """A winding as wound: `in_hand` wires in parallel, `layers` over the breadth, `height` of the build, m."""

    wire: Wire
    in_hand: int
    turns: int
    layers: int
    height: float

    @property
    def copper(self) -> float:
        """Copper section of one turn, m²."""
        return self.wire.copper * self.in_hand

    def resistance(self, turn: float, celsius: float) -> float:
        """DC resistance with a mean turn, m, at a temperature, Ω."""
        return book.winding_resistance.work(
            {"rho": copper_resistivity(celsius), "N": self.turns, "MLT": turn, "A_cu": self.copper}
        )


def lay(wire: Wire, in_hand: int, turns: int, breadth: float) -> Winding:
    """Lay turns side by side, layer on layer."""
    per_layer = max(1, math.floor(breadth / wire.outer))
    layers = math.ceil(turns * in_hand / per_layer)
    return Winding(wire, in_hand, turns, layers, layers * wire.outer)


def thin_wire(shelf: Shelf, current: float, density: float) -> Wire:
    """The thinnest round wire that the hand can wind and that bears a current, A RMS, at a density, A/m²; else the thickest."""
    wires = sorted((w for w in shelf.all(Wire) if w.strands == 1 and w.strand >= THINNEST), key=lambda w: (w.copper, w.id))
    wires = wires or sorted(shelf.all(Wire), key=lambda w: (w.copper, w.id))
    return next((w for w in wires if w.copper * density >= current), wires[-1])


Operations = tuple[Callable[[Any], Any], Callable[[Any, Any], Any], Callable[[Any, Any], Any]]
ONE: Operations = (math.sqrt, min, max)
MANY: Operations = (np.sqrt, np.minimum, np.maximum)
"""Root, least and most, of numbers and of arrays: on a number, an array's take ten times as long."""


def layer_measure(
    winding: Winding, breadth: float, frequency: float, celsius: float, portions: float = 1.0
) -> tuple[float, float]:
    """Dowell's ξ at a frequency, Hz, and the layers counted; each of `portions` interleaved parts sees its share of them.

    Round wires count as square foils of equal section, a litz bundle as √strands sub-layers of them. ξ grows with √f.
    Source: Dowell 1966, with the porosity factor.
    """
    wire, wires = winding.wire, winding.turns * winding.in_hand
    return _measures(wire.strand, wire.strands, winding.layers, wires, breadth, frequency, celsius, portions, ONE)


def ac_factor(winding: Winding, breadth: float, frequency: float, celsius: float, portions: float = 1.0) -> float:
    """AC over DC resistance at one frequency, Hz."""
    xi, layers = layer_measure(winding, breadth, frequency, celsius, portions)
    return book.dowell.work({"xi": min(30.0, max(1e-3, xi)), "layers": layers})


def _measures(
    strand: Any,
    strands: Any,
    layers: Any,
    wires: Any,
    breadth: float,
    frequency: float,
    celsius: float,
    portions: float,
    of: Operations,
) -> tuple[Any, Any]:
    """The same for one wire or the columns of many, with the operations on such."""
    sqrt, least, most = of
    depth = book.skin_depth.work({"rho": copper_resistivity(celsius), "f": frequency})
    foil, across = strand * math.sqrt(math.pi) / 2, sqrt(strands)
    porosity = least(1.0, wires * across * foil / (most(layers, 1) * breadth))
    return foil / depth * sqrt(porosity), most(1.0, layers * across / portions)


MOST_COPPER = 1.8
"""How far the copper of a line-frequency winding may go beyond what the density asks."""
LITZ_FROM = 2e3
"""Frequency, Hz, below which no stranded wire is proposed: round wire of any size carries line frequency as well."""


def choose_wire(
    shelf: Shelf,
    turns: int,
    current: float,
    density: float,
    breadth: float,
    height: float,
    frequency: float,
    celsius: float = 90.0,
    *,
    portions: float = 1.0,
    ac_share: float = 1.0,
) -> Winding:
    """The wire (and number in parallel) with the lowest resistance that fits the height; the flattest where none fits.

    At line frequency one wire more in parallel than the density asks is tried as well: it often fills a layer that stands half
    empty.

    Args: current RMS, A; density wanted, A/m²; breadth and height of the window given to it, m; ac_share is the part
    of the squared current that flows at `frequency`.
    """
    wires = shelf.all(Wire)
    copper, outer, strand, strands, cost = (shelf.column(Wire, n) for n in ("copper", "outer", "strand", "strands", "price"))
    wanted = max(current, 1e-6) / density
    in_hand = np.ceil(wanted / copper * 0.97)
    if frequency < LITZ_FROM:
        copper, outer, strand, strands, cost = (np.tile(c, 2) for c in (copper, outer, strand, strands, cost))
        in_hand = np.append(in_hand, in_hand + 1)
    per_layer = np.maximum(1, np.floor(breadth / outer))
    layers = np.ceil(turns * in_hand / per_layer)
    build = layers * outer
    xi, deep = _measures(strand, strands, layers, turns * in_hand, breadth, frequency, celsius, portions, MANY)
    factor = book.dowell(xi=np.clip(xi, 1e-3, 30), layers=deep)
    resistance = (1 - ac_share + ac_share * factor) / (copper * in_hand)
    usable = (in_hand <= MOST_IN_HAND) & (outer <= breadth)
    if frequency < LITZ_FROM:
        usable &= (strands == 1) & ((in_hand * copper <= MOST_COPPER * wanted) | (in_hand == 1))
    fits = usable & (build <= height)
    price = cost * in_hand
    if fits.any():
        near = fits & (resistance <= 1.12 * resistance[fits].min())
        chosen = int(np.argmin(np.where(near, price, np.inf)))
    elif usable.any():
        chosen = int(np.argmin(np.where(usable, build, np.inf)))
    else:
        chosen = int(np.argmax(copper))
    return lay(wires[chosen % len(wires)], int(min(in_hand[chosen], MOST_IN_HAND)), turns, breadth)
