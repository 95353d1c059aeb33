"""The kinds of part that a sizing chooses: one model each. Fields are in SI; text in a CSV cell may use engineering notation.

A new kind is one more model here (or in `fittings`, for what is bought by its ratings alone), one line in `KINDS`, and one more
CSV file.
"""

from __future__ import annotations

from typing import Annotated, Literal, TypeAlias

from pydantic import Field

from rhombos.core.parts.fittings import FITTINGS
from rhombos.core.parts.part import Mounted, Packaged, Part
from rhombos.core.units import gauge
from rhombos.core.units.quantities import (
    Ampere,
    AmperePerMetre,
    AmpereSquaredSecond,
    Celsius,
    Farad,
    Hertz,
    KelvinPerWatt,
    Millimetre,
    Ohm,
    Ratio,
    Second,
    SquareMetre,
    Tesla,
    Volt,
    Watt,
    quantity,
    short,
)

__all__ = [
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
    "Wire",
]

Coulomb = Annotated[float, *quantity("C")]
Joule = Annotated[float, *quantity("J")]

CubicMetre = Annotated[float, *quantity("m^3")]
WattPerKilogram = Annotated[float, *quantity("W/kg")]
Kilogram = Annotated[float, *quantity("kg")]


class Mosfet(Packaged):
    """N-channel power MOSFET. `c_oss` is energy-related at 80 % of rating; `q_rr`, `t_rr` belong to the body diode."""

    v_rating: Volt = Field(gt=0, le=5000, title="Drain–source rating")
    i_rating: Ampere = Field(gt=0, le=2000, title="Continuous current, case at 25 °C")
    r_on: Ohm = Field(gt=0, le=100, title="On-resistance at 25 °C")
    r_exponent: Ratio = Field(2.0, ge=0, le=4, title="Temperature exponent of the on-resistance")
    q_g: Coulomb = Field(gt=0, le=1e-4, title="Total gate charge")
    q_sw: Coulomb = Field(gt=0, le=1e-4, title="Gate charge of the switching interval")
    v_plateau: Volt = Field(gt=0, le=15, title="Gate plateau")
    v_gs_max: Volt = Field(20, gt=0, le=40, title="Gate–source limit")
    c_oss: Farad = Field(gt=0, le=1e-6, title="Output capacitance")
    q_rr: Coulomb = Field(ge=0, le=1e-3, title="Body diode recovered charge")
    t_rr: Second = Field(ge=0, le=1e-4, title="Body diode recovery time")
    v_f: Volt = Field(gt=0, le=5, title="Body diode forward voltage")
    r_jc: KelvinPerWatt = Field(gt=0, le=100, title="Junction to case")
    t_j_max: Celsius = Field(175, ge=100, le=250, title="Highest junction temperature")

    @property
    def label(self) -> str:  # noqa: D102
        if self.printed:
            return self.printed.label
        return f"N {self.v_rating:.0f} V {self.r_on * 1e3:.3g} mΩ {self.package}"


class Igbt(Packaged):
    """IGBT with co-packed diode. `t_f` includes the tail; on-state is V_0 + r·I at 125 °C."""

    v_rating: Volt = Field(gt=0, le=6500, title="Collector–emitter rating")
    i_rating: Ampere = Field(gt=0, le=2000, title="Continuous current, case at 100 °C")
    v_0: Volt = Field(gt=0, le=5, title="On-state threshold")
    r_on: Ohm = Field(gt=0, le=10, title="On-state slope")
    q_g: Coulomb = Field(gt=0, le=1e-4, title="Total gate charge")
    t_r: Second = Field(gt=0, le=1e-5, title="Turn-on overlap time")
    t_f: Second = Field(gt=0, le=1e-5, title="Turn-off overlap time with tail")
    diode_v_0: Volt = Field(gt=0, le=5, title="Diode threshold")
    diode_r: Ohm = Field(gt=0, le=10, title="Diode slope")
    q_rr: Coulomb = Field(ge=0, le=1e-3, title="Diode recovered charge")
    t_rr: Second = Field(ge=0, le=1e-4, title="Diode recovery time")
    c_oss: Farad = Field(gt=0, le=1e-6, title="Output capacitance")
    r_jc: KelvinPerWatt = Field(gt=0, le=100, title="Junction to case")
    t_j_max: Celsius = Field(175, ge=100, le=250, title="Highest junction temperature")

    @property
    def label(self) -> str:  # noqa: D102
        if self.printed:
            return self.printed.label
        return f"IGBT {self.v_rating:.0f} V {self.i_rating:.0f} A {self.package}"


class Driver(Mounted):
    """What drives a gate. A pin is the controller's own output; a follower is a complementary pair behind it and drops 0.7 V;
    an opto-coupler only pulls up, a resistor pulls down; a level shift is a bare transistor that holds the upper gate down
    against a resistor from a bootstrap."""

    kind: Literal["pin", "follower", "low side", "bootstrap", "level shift", "opto", "isolated", "transformer"]
    r_source: Ohm = Field(gt=0, le=1e5, title="Output resistance, turning on")
    r_sink: Ohm = Field(gt=0, le=1e5, title="Output resistance, turning off")
    i_peak: Ampere = Field(gt=0, le=100, title="Peak output current")
    v_least: Volt = Field(gt=0, le=40, title="Lowest supply, lock-out included")
    v_most: Volt = Field(gt=0, le=60, title="Highest supply")
    v_float: Volt = Field(ge=0, le=1e5, title="Voltage that its output may float at")
    delay: Second = Field(ge=0, le=1e-3, title="Delay")
    mismatch: Second = Field(ge=0, le=1e-3, title="How far two of them differ")
    i_q: Ampere = Field(ge=0, le=0.1, title="Quiescent current of the floating side")
    q_level: Coulomb = Field(ge=0, le=1e-6, title="Charge of its level shift, each cycle")
    p_most: Watt = Field(gt=0, le=50, title="Power it may lose")
    i_level: Ampere = Field(0.0, ge=0, le=0.1, title="Current of its level shift while that holds")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.kind} {short(self.i_peak, 'A')}" + (f" {self.v_float:.0f} V" if self.v_float else "")


Transistor: TypeAlias = Mosfet | Igbt
"""What is driven at a gate."""


class Bipolar(Packaged):
    """NPN power transistor as a switch. `gain` is the least at rated current; saturated it drops v_0 + r_sat·I. Germanium
    conducts from a third of silicon's base voltage and ends at 90 °C."""

    material: Literal["silicon", "germanium"] = Field("silicon", title="Semiconductor")

    v_rating: Volt = Field(gt=0, le=2000, title="Collector–emitter rating")
    i_rating: Ampere = Field(gt=0, le=500, title="Continuous collector current")
    gain: Ratio = Field(ge=2, le=1000, title="Current gain at rated current, minimum")
    v_0: Volt = Field(ge=0, le=3, title="Saturation voltage at no current")
    r_sat: Ohm = Field(gt=0, le=10, title="Saturation slope")
    v_be: Volt = Field(gt=0, le=3, title="Base–emitter voltage")
    t_s: Second = Field(gt=0, le=1e-4, title="Storage time")
    t_f: Second = Field(gt=0, le=1e-4, title="Fall time")
    r_jc: KelvinPerWatt = Field(gt=0, le=100, title="Junction to case")
    t_j_max: Celsius = Field(150, ge=60, le=250, title="Highest junction temperature")

    @property
    def label(self) -> str:  # noqa: D102
        of = "" if self.material == "silicon" else f" {self.material}"
        return f"NPN{of} {self.v_rating:.0f} V {self.i_rating:g} A {self.package}"


class Diode(Packaged):
    """Rectifier diode; forward drop is v_0 + r·I hot."""

    recovery: Literal["mains", "fast", "ultrafast", "silicon carbide", "Schottky"]
    v_rating: Volt = Field(gt=0, le=10000, title="Repetitive reverse voltage")
    i_rating: Ampere = Field(gt=0, le=1000, title="Mean forward current")
    v_0: Volt = Field(gt=0, le=5, title="Forward threshold")
    r: Ohm = Field(gt=0, le=10, title="Forward slope")
    t_rr: Second = Field(ge=0, le=1e-4, title="Recovery time")
    q_rr: Coulomb = Field(ge=0, le=1e-3, title="Recovered charge")
    c_j: Farad = Field(gt=0, le=1e-7, title="Junction capacitance at working voltage")
    r_jc: KelvinPerWatt = Field(gt=0, le=200, title="Junction to case")
    t_j_max: Celsius = Field(175, ge=100, le=250, title="Highest junction temperature")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.recovery} {self.v_rating:.0f} V {self.i_rating:g} A"


class Core(Part):
    """Ferrite core set with its bobbin. `a_w`, `b_w` are the usable winding window and its breadth."""

    shape: Literal["E", "ETD", "PQ", "RM", "pot", "ring"]
    a_e: SquareMetre = Field(gt=0, le=0.1, title="Effective area")
    l_e: Millimetre = Field(gt=0, le=5, title="Magnetic path length")
    v_e: CubicMetre = Field(gt=0, le=0.1, title="Effective volume")
    a_w: SquareMetre = Field(gt=0, le=0.1, title="Winding window")
    b_w: Millimetre = Field(gt=0, le=2, title="Winding breadth")
    mlt: Millimetre = Field(gt=0, le=5, title="Mean length of a turn")
    depth: Millimetre = Field(gt=0, le=1, title="Depth that each stacked set adds")
    surface: SquareMetre = Field(gt=0, le=5, title="Cooling surface")
    mass: Kilogram = Field(gt=0, le=50, title="Mass of the set")

    @property
    def gappable(self) -> bool:
        """Whether a gap can be ground or shimmed: a ring's cannot."""
        return self.shape != "ring"


class IronCore(Part):
    """Laminated iron for line frequency, with its bobbin. Core loss mass·loss·(B/1 T)²·(f/50 Hz)^1.3."""

    shape: Literal["E-I", "strip ring"]
    a_e: SquareMetre = Field(gt=0, le=0.1, title="Iron area, stacking counted")
    l_e: Millimetre = Field(gt=0, le=5, title="Magnetic path length")
    a_w: SquareMetre = Field(gt=0, le=0.1, title="Winding window")
    b_w: Millimetre = Field(gt=0, le=2, title="Winding breadth")
    mlt: Millimetre = Field(gt=0, le=5, title="Mean length of a turn")
    surface: SquareMetre = Field(gt=0, le=5, title="Cooling surface")
    mass: Kilogram = Field(gt=0, le=200, title="Mass of the iron")
    loss: WattPerKilogram = Field(gt=0, le=20, title="Loss at 1 T and 50 Hz")
    b_limit: Tesla = Field(gt=0.3, le=2, title="Flux that it is meant for")
    mu: Ratio = Field(gt=100, le=1e5, title="Effective permeability with its joints")

    @property
    def height(self) -> float:
        """Build height of the window, m."""
        return self.a_w / self.b_w

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.id}, {self.mass:.2g} kg, {self.b_limit:g} T"


class Grade(Part):
    """Ferrite grade. Core loss k·f^α·B^β in W/m³, Hz, T, at 100 °C; the parabola gives it at other temperatures."""

    k: Ratio = Field(gt=0, le=1e6, title="Steinmetz factor")
    alpha: Ratio = Field(ge=1, le=3, title="Frequency exponent")
    beta: Ratio = Field(ge=1.5, le=4, title="Flux exponent")
    t_best: Celsius = Field(90, ge=-40, le=200, title="Temperature of lowest loss")
    curvature: Ratio = Field(1.2e-4, ge=0, le=1e-2, title="Relative loss rise per K² away from it")
    b_sat: Tesla = Field(gt=0, le=2, title="Saturation at 100 °C")
    mu_i: Ratio = Field(gt=1, le=2e4, title="Initial permeability")
    f_low: Hertz = Field(gt=0, le=1e7, title="Lowest sensible frequency")
    f_high: Hertz = Field(gt=0, le=1e8, title="Highest sensible frequency")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.id}, {self.f_low / 1e3:g}–{self.f_high / 1e3:g} kHz"


class Powder(Grade):
    """Pressed metal powder for rings: no gap, and a permeability that fades softly as the field grows, to half at `h_half`:
    1/(1 + (H/h_half)^softness)."""

    h_half: AmperePerMetre = Field(gt=100, le=1e6, title="Field that halves the permeability")
    softness: Ratio = Field(ge=1, lt=2, title="Exponent of the fading")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.id}, powder, µ {self.mu_i:g}"


class Wire(Part):
    """Round enamelled wire (one strand) or litz. `outer` is the diameter over the insulation."""

    strands: int = Field(1, ge=1, le=5000, title="Strands")
    strand: Millimetre = Field(gt=0, le=0.01, title="Copper diameter of a strand")
    outer: Millimetre = Field(gt=0, le=0.03, title="Outer diameter")

    @property
    def copper(self) -> float:
        """Copper section, m²."""
        return self.strands * 3.141592653589793 / 4 * self.strand**2

    @property
    def label(self) -> str:  # noqa: D102
        across = f"{self.strand * 1e3:.4g} mm"
        if self.strands > 1:
            return f"litz {self.strands} × {across}"
        return ", ".join(filter(None, (f"round {across}", gauge.told(self.strand))))


class Capacitor(Mounted):
    """Electrolytic or film. `i_ripple` at 105 °C and 100 kHz (electrolytic) or rated RMS (film); `v_ac` only for film."""

    family: Literal["electrolytic", "film ac", "film dc"]
    c: Farad = Field(gt=0, le=10, title="Capacitance")
    v_rating: Volt = Field(gt=0, le=5000, title="DC rating")
    v_ac: Volt = Field(0, ge=0, le=2000, title="AC rating, RMS")
    esr: Ohm = Field(gt=0, le=100, title="Series resistance")
    i_ripple: Ampere = Field(gt=0, le=500, title="Ripple current rating")

    @property
    def label(self) -> str:  # noqa: D102
        if self.family == "electrolytic":
            return f"{short(self.c, 'F')} {self.v_rating:.0f} V"
        volts = f"{self.v_ac:.0f} V AC" if self.family == "film ac" else f"{self.v_rating:.0f} V"
        return f"{short(self.c, 'F')} {volts} film"


class Resistor(Mounted):
    """A series of resistors, any E24 value within its range."""

    family: str
    power: Watt = Field(gt=0, le=1e4, title="Continuous power at 70 °C")
    v_rating: Volt = Field(gt=0, le=1e5, title="Voltage rating")
    pulse: Joule = Field(gt=0, le=1e6, title="Single-pulse energy")
    r_low: Ohm = Field(gt=0, title="Lowest value")
    r_high: Ohm = Field(gt=0, title="Highest value")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.family} {self.power:g} W"


class Fuse(Mounted):
    """Fuse-link."""

    speed: Literal["fast", "slow"]
    i_rating: Ampere = Field(gt=0, le=5000, title="Rated current")
    v_dc: Volt = Field(gt=0, le=5000, title="DC voltage rating")
    breaking: Ampere = Field(gt=0, le=1e6, title="DC breaking capacity")
    i2t: AmpereSquaredSecond = Field(gt=0, le=1e8, title="Melting I²t")
    resistance: Ohm = Field(gt=0, le=10, title="Cold resistance")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.i_rating:g} A {self.v_dc:g} V DC {self.speed}"


class HeatSink(Part):
    """Heat-sink; `r_fan` with two metres a second of air."""

    r_natural: KelvinPerWatt = Field(gt=0, le=500, title="To air, natural convection")
    r_fan: KelvinPerWatt = Field(gt=0, le=500, title="To air, forced")
    mass: Kilogram = Field(gt=0, le=100, title="Mass")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.r_natural:g} K/W, fan {self.r_fan:g}"


KINDS: dict[str, type[Part]] = {
    "mosfet": Mosfet,
    "igbt": Igbt,
    "bipolar": Bipolar,
    "diode": Diode,
    "core": Core,
    "iron_core": IronCore,
    "grade": Grade,
    "powder": Powder,
    "wire": Wire,
    "capacitor": Capacitor,
    "resistor": Resistor,
    "fuse": Fuse,
    "heat_sink": HeatSink,
    "driver": Driver,
    **FITTINGS,
}
GROUPS: dict[str, tuple[str, ...]] = {
    "Semiconductors": ("mosfet", "igbt", "bipolar", "diode", "zener"),
    "Magnetics": ("core", "iron_core", "grade", "powder", "wire"),
    "Passives": ("capacitor", "resistor", "trimmer", "thermistor"),
    "Control": ("controller", "driver", "reference", "opto_coupler"),
    "Switching and safety": ("fuse", "relay", "contactor", "suppressor"),
    "Fittings": ("heat_sink", "pad", "fan", "connector", "indicator"),
}
"""Kinds as a workshop sorts them."""
_KIND_OF = {model: name for name, model in KINDS.items()}


def kind_of(part: Part) -> str:
    """The name of a part's kind."""
    return _KIND_OF[type(part)]
