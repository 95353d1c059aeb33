"""Small tools of the winding bench: one test turn, an unknown core, a salvaged one of which only the size is known."""

from __future__ import annotations

import math
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.book import magnetics as book
from rhombos.core.magnetics.stack import rise, suited_grades
from rhombos.core.parts import Shelf
from rhombos.core.units.quantities import Count, Henry, Hertz, Millimetre, SquareMetre, Tesla, Volt, fmt


class _Asked(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class _Answer(BaseModel):
    model_config = ConfigDict(frozen=True)


class OneTurn(_Asked):
    """One turn was wound and its voltage measured while the core works; how many make the wanted voltage?"""

    volts_per_turn: Volt = Field(ge=1e-3, le=200, title="Volts measured on one turn")
    wanted: Volt = Field(ge=0.1, le=2000, title="Voltage wanted")


class OneTurnAnswer(_Answer):
    """The exact number, and what the whole numbers beside it give."""

    exact: float
    choices: tuple[str, ...]
    remark: str


def one_turn(asked: OneTurn) -> OneTurnAnswer:
    """Turns for a voltage, with the neighbours a person can really wind."""
    exact = float(book.turns_by_test(V=asked.wanted, v_turn=asked.volts_per_turn))
    low = max(1, math.floor(exact))
    step = asked.volts_per_turn / asked.wanted

    def told(n: int) -> str:
        off = f"{n * step - 1:+.1%}".replace("-", "−")
        return f"{n} turns give {fmt(n * asked.volts_per_turn, 'V')}, {off} of what is wanted"

    coarse = "; too coarse to set it by turns alone." if step > 0.05 else "."
    return OneTurnAnswer(
        exact=exact,
        choices=tuple(told(n) for n in (low, low + 1)),
        remark=f"Each turn is {fmt(step, '%', 2)} of the voltage{coarse} Measure at the input and load it will work at.",
    )


class UnknownCore(_Asked):
    """A core of unknown material: its dimensions, a test winding, and what was measured on it."""

    area: SquareMetre = Field(ge=1e-6, le=0.01, title="Core area, measured")
    path: Millimetre = Field(ge=5e-3, le=2, title="Magnetic path, measured")
    turns: Count = Field(ge=1, le=1000, title="Test turns")
    inductance: Henry = Field(ge=1e-8, le=100, title="Inductance measured, small signal")
    volts: Volt = Field(ge=0.01, le=1000, title="Test voltage, square, peak")
    knee_frequency: Hertz = Field(ge=10, le=1e6, title="Frequency at which the current bends up, coming down")


Family = Literal["gapped or powder", "power ferrite", "high-permeability ferrite", "iron or nanocrystalline strip"]


class UnknownCoreAnswer(_Answer):
    """What it probably is, and what it carries."""

    inductance_factor: float
    permeability: float
    knee: float
    usable: float
    family: Family
    texts: dict[str, str]
    remark: str


def unknown_core(asked: UnknownCore) -> UnknownCoreAnswer:
    """Inductance factor, permeability and flux at the knee, and the likely family of the material.

    A square wave of V at f swings the flux by V/(2f): the knee is reached when half of that fills the core.
    """
    factor = book.magnetising.solve("A_L", {"L": asked.inductance, "N": asked.turns}).value
    mu = float(book.permeability_by_test(L=asked.inductance, l_e=asked.path, A_e=asked.area, N=asked.turns))
    linkage = book.square_linkage(V=asked.volts, fraction=1.0, f_line=asked.knee_frequency)
    knee = float(book.flux_by_volt_seconds(linkage=linkage, N=asked.turns, A_e=asked.area))
    family, why = _family(mu, knee)
    usable = 0.6 * knee
    return UnknownCoreAnswer(
        inductance_factor=factor,
        permeability=mu,
        knee=knee,
        usable=usable,
        family=family,
        texts={
            "inductance_factor": fmt(factor, "H"),
            "permeability": fmt(mu, "1"),
            "knee": fmt(knee, "T"),
            "usable": fmt(usable, "T"),
        },
        remark=f"{why} Count on {fmt(usable, 'T')} hot, and check its heat at your frequency with a loaded run: the test tells "
        "nothing of loss.",
    )


FERRITE_KNEE = 0.55
"""Highest flux at which any ferrite has its knee, T, with what a test without instruments may be off."""


def _family(mu: float, knee: float) -> tuple[Family, str]:
    if mu < 400:
        return "gapped or powder", "So low a permeability means an air gap, in one place or spread through a powder."
    if knee > FERRITE_KNEE:
        return "iron or nanocrystalline strip", "Ferrite saturates at half a tesla or below, hot or cold: this is metal."
    if mu > 4500:
        return "high-permeability ferrite", "Made for filters and signals: it saturates early and loses much at power."
    return "power ferrite", "Permeability and knee are those of a power ferrite."


class Salvaged(_Asked):
    """A core from the drawer of which only dimensions are known."""

    area: SquareMetre = Field(ge=1e-6, le=0.01, title="Core area")
    window: SquareMetre = Field(ge=1e-6, le=0.02, title="Window, usable")
    path: Millimetre = Field(ge=5e-3, le=2, title="Magnetic path")
    frequency: Hertz = Field(ge=10e3, le=300e3, title="Switching frequency")
    volts: Volt = Field(ge=1, le=1000, title="Highest voltage across the winding")
    flux: Tesla = Field(0.15, ge=0.02, le=0.3, title="Flux counted on, material unknown")


class SalvagedAnswer(_Answer):
    """What it can carry."""

    power: float
    turns: int
    heat: float
    texts: dict[str, str]
    remark: str


FILL, DENSITY, WARM = 0.3, 4.5e6, 40.0
"""Copper share of the window; current density, A/m²; temperature rise allowed, K."""


def salvaged(asked: Salvaged, shelf: Shelf) -> SalvagedAnswer:
    """Power by the area product at a cautious flux, fewest turns, and heat if it were the poorest grade on the shelf.

    The surface is taken as that of a cube-like part of the core's volume and window, which large flat cores exceed.
    """
    product = asked.area * asked.window
    # two windings, the primary centre-tapped: the windings' volt-amperes are √2 + 1 times the power
    carried = book.area_product.solve(
        "P_apparent", {"A_p": product, "K_f": 4.0, "K_u": FILL, "B_pk": asked.flux, "f": asked.frequency, "J": DENSITY}
    )
    power = carried.value / (math.sqrt(2) + 1)
    turns = math.ceil(float(book.peak_flux(V=asked.volts, D=0.45, N=1, A_e=asked.area, f_s=asked.frequency)) / asked.flux)
    volume = asked.area * asked.path
    heat = max(
        float(book.steinmetz(k_core=g.k, f=asked.frequency, alpha=g.alpha, B_pk=asked.flux, beta=g.beta)) * volume
        for g in suited_grades(shelf, asked.frequency)
    )
    surface = 6 * (volume + asked.window * math.sqrt(asked.area) * 4) ** (2 / 3)
    warm = float(rise(2 * heat, surface))
    hot = f"runs {fmt(warm, 'K', 2)} above its air with copper as warm as the core"
    said = f"It {hot}." if warm <= WARM else f"It {hot}: halve the flux, double the turns, or ask less of it."
    return SalvagedAnswer(
        power=power,
        turns=turns,
        heat=heat,
        texts={
            "power": fmt(power, "W", 2),
            "turns": str(turns),
            "heat": fmt(heat, "W", 2),
            "rise": fmt(warm, "K", 2),
            "product": fmt(product, "m^4", 2),
        },
        remark=said + " Put it on your shelf as a core, and the proposals will weigh it against the others.",
    )
