"""Kinds of part that are bought by their ratings: what refers, isolates, switches, senses, protects, cools, joins and shows.

A sizing works out what each must stand and takes from the shelf what does (`core/frame/requirement.py`). Fields are in SI; text
in a CSV cell may use engineering notation.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from rhombos.core.parts.part import Mounted, Part
from rhombos.core.units.quantities import (
    Airflow,
    Ampere,
    Celsius,
    Count,
    Hertz,
    Kelvin,
    KelvinPerWatt,
    Millimetre,
    Ohm,
    Ratio,
    Second,
    SquareMetre,
    Volt,
    Watt,
    fmt,
    quantity,
    short,
)

Joule = Annotated[float, *quantity("J")]
PerKelvin = Annotated[float, *quantity("1/K")]


class Zener(Mounted):
    """Zener diode: holds `v_zener` at `i_test`, more by its resistance beyond that."""

    v_zener: Volt = Field(gt=1, le=400, title="Zener voltage")
    tolerance: Ratio = Field(0.05, gt=0, le=0.2, title="Tolerance")
    i_test: Ampere = Field(gt=0, le=5, title="Current it is measured at")
    r_zener: Ohm = Field(gt=0, le=5000, title="Dynamic resistance")
    drift: PerKelvin = Field(ge=-5e-3, le=5e-3, title="Drift with temperature")
    power: Watt = Field(gt=0, le=100, title="Power, leads at 50 °C")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{short(self.v_zener, 'V')} {short(self.power, 'W')}"


class OptoCoupler(Mounted):
    """Opto-coupler for a signal: a diode lights a transistor across the barrier. Gate drives with one stand among drivers."""

    transfer: Ratio = Field(gt=0, le=50, title="Current transfer, minimum")
    i_led: Ampere = Field(gt=0, le=0.2, title="Diode current it is given at")
    i_led_most: Ampere = Field(gt=0, le=0.5, title="Highest diode current")
    v_led: Volt = Field(gt=0, le=4, title="Diode forward voltage")
    v_out: Volt = Field(gt=0, le=1000, title="Highest output voltage")
    v_proof: Volt = Field(ge=500, le=20000, title="Barrier proof, RMS for a minute")
    creepage: Millimetre = Field(gt=0, le=0.05, title="Creepage across it")
    t_on: Second = Field(gt=0, le=1e-2, title="Turn-on")
    t_off: Second = Field(gt=0, le=1e-2, title="Turn-off")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{fmt(100 * self.transfer, '1', 2)} %, proof {short(self.v_proof, 'V')}"


class Reference(Mounted):
    """Voltage reference; an adjustable one holds its figure at its sense pin, and more by a divider."""

    form: Literal["series", "shunt", "adjustable shunt"] = Field(title="Form")
    v_ref: Volt = Field(gt=0, le=40, title="Reference voltage")
    tolerance: Ratio = Field(gt=0, le=0.1, title="Tolerance at 25 °C")
    drift: PerKelvin = Field(ge=0, le=1e-3, title="Drift with temperature")
    i_least: Ampere = Field(ge=0, le=0.1, title="Least current it needs")
    i_most: Ampere = Field(gt=0, le=2, title="Highest current")
    v_most: Volt = Field(gt=0, le=80, title="Highest voltage on it")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.form} {short(self.v_ref, 'V')} ±{self.tolerance * 100:g} %"


class Controller(Mounted):
    """What makes the pulses: a PWM controller, an oscillator for line frequency, or a microcontroller."""

    form: Literal["voltage mode", "current mode", "line oscillator", "microcontroller"] = Field(title="Form")
    outputs: Count = Field(ge=1, le=12, title="Outputs")
    i_out: Ampere = Field(gt=0, le=10, title="Peak current of an output")
    f_low: Hertz = Field(ge=0, le=1e6, title="Lowest frequency")
    f_high: Hertz = Field(gt=0, le=1e7, title="Highest frequency")
    v_least: Volt = Field(gt=0, le=40, title="Lowest supply, lock-out included")
    v_most: Volt = Field(gt=0, le=80, title="Highest supply")
    i_supply: Ampere = Field(gt=0, le=0.5, title="Supply current")
    v_ref: Volt = Field(gt=0, le=10, title="Reference")
    duty_most: Ratio = Field(gt=0, le=1, title="Highest duty of one output")
    t_celsius: Celsius = Field(85, ge=50, le=175, title="Highest ambient temperature")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.form}, {self.outputs} outputs, to {short(self.f_high, 'Hz')}"


class Relay(Mounted):
    """Relay; direct current is broken at far less voltage than alternating current."""

    i_rating: Ampere = Field(gt=0, le=500, title="Contact current")
    v_ac: Volt = Field(gt=0, le=1000, title="Breaks, AC")
    v_dc: Volt = Field(gt=0, le=1500, title="Breaks at that current, DC")
    poles: Count = Field(ge=1, le=4, title="Poles")
    i_make: Ampere = Field(gt=0, le=5000, title="Makes without welding")
    v_coil: Volt = Field(gt=0, le=250, title="Coil, rated")
    r_coil: Ohm = Field(gt=0, le=1e5, title="Coil resistance")
    v_proof: Volt = Field(ge=500, le=20000, title="Coil to contacts, proof RMS")
    t_close: Second = Field(gt=0, le=1, title="Closes within")
    t_open: Second = Field(gt=0, le=1, title="Opens within")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.poles} × {short(self.i_rating, 'A')}, {self.v_ac:g} V AC, {self.v_dc:g} V DC, coil {self.v_coil:g} V"


class Contactor(Part):
    """Contactor for direct current, magnets or gas to blow out the arc."""

    i_rating: Ampere = Field(gt=0, le=3000, title="Contact current")
    v_dc: Volt = Field(gt=0, le=2000, title="Breaks, DC")
    i_make: Ampere = Field(gt=0, le=10000, title="Makes without welding")
    resistance: Ohm = Field(gt=0, le=0.1, title="Contact resistance")
    v_coil: Volt = Field(gt=0, le=250, title="Coil, rated")
    p_coil: Watt = Field(gt=0, le=200, title="Coil holds with")
    t_close: Second = Field(gt=0, le=1, title="Closes within")
    t_open: Second = Field(gt=0, le=1, title="Opens within")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{short(self.i_rating, 'A')} {self.v_dc:g} V DC, coil {self.v_coil:g} V"


class Thermistor(Mounted):
    """NTC that senses a temperature or limits an inrush, or PTC that guards a winding."""

    form: Literal["sensor", "inrush limiter", "PTC"] = Field(title="Form")
    r_25: Ohm = Field(gt=0, le=1e7, title="Resistance at 25 °C")
    b: Kelvin = Field(ge=0, le=6000, title="B value")
    tolerance: Ratio = Field(gt=0, le=0.5, title="Tolerance at 25 °C")
    i_most: Ampere = Field(0.0, ge=0, le=100, title="Steady current")
    energy: Joule = Field(0.0, ge=0, le=1e4, title="Single inrush energy")
    t_celsius: Celsius = Field(125, ge=50, le=300, title="Highest temperature")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.form} {short(self.r_25, 'ohm')}" + (f", B {self.b:g}" if self.b else "")


class Trimmer(Mounted):
    """Trimming resistor."""

    r: Ohm = Field(gt=0, le=1e7, title="Resistance")
    tolerance: Ratio = Field(gt=0, le=0.5, title="Tolerance of the whole")
    turns: Count = Field(ge=1, le=30, title="Turns from end to end")
    power: Watt = Field(gt=0, le=10, title="Power at 70 °C")
    v_rating: Volt = Field(gt=0, le=1000, title="Voltage rating")
    drift: PerKelvin = Field(gt=0, le=2e-3, title="Drift with temperature")
    life: Count = Field(ge=10, le=100_000, title="Settings it lasts")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{short(self.r, 'ohm')}, {self.turns} turn{'s' if self.turns > 1 else ''}"


class Fan(Part):
    """Fan; `flow` freely blowing. In a case with usual openings about half of it moves."""

    v_rated: Volt = Field(gt=0, le=250, title="Rated voltage")
    form: Literal["DC", "AC"] = Field("DC", title="Form")
    flow: Airflow = Field(gt=0, le=1, title="Air moved freely")
    power: Watt = Field(gt=0, le=200, title="Power")
    size: Millimetre = Field(gt=0, le=0.4, title="Side of its frame")
    life: Second = Field(gt=0, le=1e9, title="Life at 40 °C")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.size * 1e3:g} mm, {short(self.flow, 'm^3/s')}, {self.v_rated:g} V {self.form}"


class Connector(Part):
    """Plug and socket, terminal or lug."""

    form: Literal["blade", "ring lug", "screw terminal", "power plug", "board header", "mains socket"] = Field(title="Form")
    i_rating: Ampere = Field(gt=0, le=2000, title="Current of a pole")
    v_rating: Volt = Field(gt=0, le=3000, title="Voltage")
    poles: Count = Field(ge=1, le=60, title="Poles")
    section: SquareMetre = Field(gt=0, le=1e-3, title="Widest wire")
    resistance: Ohm = Field(gt=0, le=0.1, title="Contact resistance")
    cycles: Count = Field(ge=1, le=100_000, title="Matings it lasts")
    touch: Literal["touch-proof", "open"] = Field("open", title="Contacts, apart")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.form} {self.poles} × {short(self.i_rating, 'A')} {self.v_rating:g} V"


class Suppressor(Mounted):
    """Takes a surge: a varistor or a gas tube at the socket, an avalanche diode beside a switch."""

    form: Literal["varistor", "avalanche diode", "gas tube"] = Field(title="Form")
    v_dc: Volt = Field(gt=0, le=3000, title="Stands off, DC")
    v_ac: Volt = Field(0.0, ge=0, le=2000, title="Works at, RMS")
    v_clamp: Volt = Field(gt=0, le=6000, title="Lets through at its peak current")
    i_peak: Ampere = Field(gt=0, le=1e5, title="Peak current, single")
    energy: Joule = Field(gt=0, le=1e4, title="Energy, single")

    @property
    def label(self) -> str:  # noqa: D102
        works = f"{self.v_ac:g} V AC" if self.v_ac else f"{self.v_dc:g} V"
        return f"{self.form} {works}, {short(self.i_peak, 'A')}"


class Pad(Part):
    """Insulating pad or washer between a device and its heat-sink; `r` under a TO-247's face."""

    material: Literal["silicone", "mica", "ceramic", "film"] = Field(title="Material")
    r: KelvinPerWatt = Field(gt=0, le=10, title="Thermal resistance under one device")
    thickness: Millimetre = Field(gt=0, le=0.01, title="Thickness")
    v_proof: Volt = Field(gt=0, le=20000, title="Proof, RMS")
    paste: Literal["with paste", "dry"] = Field("dry", title="Fitted")

    @property
    def label(self) -> str:  # noqa: D102
        return f"{self.material} {self.thickness * 1e3:g} mm, {self.r:g} K/W, proof {short(self.v_proof, 'V')}"


class Indicator(Mounted):
    """What tells the user: a light-emitting diode, a lamp, a sounder or a meter."""

    form: Literal["LED", "lamp", "sounder", "meter"] = Field(title="Form")
    colour: str = Field("", max_length=20, pattern=r"^[A-Za-z -]*$", title="Colour")
    v_rated: Volt = Field(gt=0, le=400, title="Voltage")
    i_rated: Ampere = Field(gt=0, le=2, title="Current")
    life: Second = Field(gt=0, le=1e9, title="Life")

    @property
    def label(self) -> str:  # noqa: D102
        return " ".join(filter(None, (self.colour, self.form, short(self.v_rated, "V"), short(self.i_rated, "A"))))


FITTINGS: dict[str, type[Part]] = {
    "zener": Zener,
    "opto_coupler": OptoCoupler,
    "reference": Reference,
    "controller": Controller,
    "relay": Relay,
    "contactor": Contactor,
    "thermistor": Thermistor,
    "trimmer": Trimmer,
    "fan": Fan,
    "connector": Connector,
    "suppressor": Suppressor,
    "pad": Pad,
    "indicator": Indicator,
}
