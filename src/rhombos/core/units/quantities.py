"""Units, and the way people write quantities: ``4k7``, ``2.2n``, ``50k``, ``12V``.

Inside Rhombos every number is in SI units (temperatures in °C where a field says so). Text is read and written only
here. A quantity without a unit is taken in the field's *usual* unit: volts for a voltage, mm² for a wire's section.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from decimal import Decimal, DecimalException
from functools import lru_cache
from typing import TYPE_CHECKING, Annotated, Any, TypeVar

from pydantic import AfterValidator, BeforeValidator, Field, GetJsonSchemaHandler
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema

from rhombos.core.units import gauge

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

Number = TypeVar("Number", float, "NDArray[np.float64]")
"""One number, or an array of them."""
PREFIXES: dict[str, float] = {
    "p": 1e-12,
    "n": 1e-9,
    "u": 1e-6,
    "µ": 1e-6,
    "μ": 1e-6,
    "m": 1e-3,
    "": 1.0,
    "k": 1e3,
    "K": 1e3,
    "M": 1e6,
    "G": 1e9,
}
_STEPS = ((1e9, "G"), (1e6, "M"), (1e3, "k"), (1.0, ""), (1e-3, "m"), (1e-6, "µ"), (1e-9, "n"), (1e-12, "p"))
_NUMBER = r"[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?"
_PLAIN = re.compile(rf"({_NUMBER})\s*(.*)")
_INFIX = re.compile(r"([+-]?\d+)([pnuµμmkKMGR])(\d+)(.*)")


GAUGED = ("mm", "m^2")
"""Units in which a size of wire gauge is read, as a diameter and as a section."""


@dataclass(frozen=True)
class Unit:
    """One unit as it stands in the book (`key`, readable by a units library) and as people read it (`shown`).

    `scale` is the size of the usual display unit in SI; `aliases` are other spellings accepted on input; `prefixed`
    says whether k, m, µ … may stand before it.
    """

    key: str
    shown: str
    scale: float = 1.0
    aliases: tuple[str, ...] = ()
    prefixed: bool = True


UNITS: dict[str, Unit] = {
    u.key: u
    for u in (
        Unit("1", "", prefixed=False),
        Unit("%", "%", scale=0.01, prefixed=False),
        Unit("V", "V", aliases=("v", "volt", "volts", "Vrms")),
        Unit("A", "A", aliases=("a", "amp", "amps", "Arms")),
        Unit("W", "W", aliases=("w", "watt", "watts")),
        Unit("V*A", "VA", aliases=("va",)),
        Unit("ohm", "Ω", aliases=("ohm", "ohms", "R", "Ω")),  # both code points of the ohm sign are folded
        Unit("H", "H"),
        Unit("F", "F"),
        Unit("Hz", "Hz", aliases=("hz", "HZ")),
        Unit("s", "s", aliases=("sec",)),
        Unit("J", "J"),
        Unit("T", "T"),
        Unit("C", "C"),
        Unit("A*h", "Ah", scale=3600, aliases=("ah", "AH"), prefixed=False),
        Unit("m", "m"),
        Unit("mm", "mm", scale=1e-3, prefixed=False),
        Unit("m^2", "mm²", scale=1e-6, aliases=("mm2", "mm^2"), prefixed=False),
        Unit("m^2/W^0.5", "cm²/√W", scale=1e-4, prefixed=False),
        Unit("F/m", "F/m"),
        Unit("V*s", "V·s"),
        Unit("dm^2", "dm²", scale=1e-2, aliases=("dm2",), prefixed=False),
        Unit("m^3/s", "l/s", scale=1e-3, aliases=("L/s",), prefixed=False),
        Unit("W/(m^2*K)", "W/(m²·K)", prefixed=False),
        Unit("J/(m^3*K)", "J/(m³·K)", prefixed=False),
        Unit("m^3", "cm³", scale=1e-6, aliases=("cm3", "cm^3"), prefixed=False),
        Unit("m^4", "cm⁴", scale=1e-8, aliases=("cm4", "cm^4"), prefixed=False),
        Unit("A/m", "A/m"),
        Unit("A/m^2", "A/mm²", scale=1e6, aliases=("A/mm2",), prefixed=False),
        Unit("degC", "°C", aliases=("C", "°", "degC", "degree"), prefixed=False),
        Unit("K", "K", prefixed=False),
        Unit("K/W", "K/W", prefixed=False),
        Unit("kg", "kg", prefixed=False),
        Unit("J/(kg*K)", "J/(kg·K)", prefixed=False),
        Unit("A^2*s", "A²s", aliases=("A2s",)),
        Unit("A*s^0.5/m^2", "A√s/mm²", scale=1e6, prefixed=False),
        Unit("ohm*m", "Ω·m"),
        Unit("H/m", "H/m"),
        Unit("W/kg", "W/kg", prefixed=False),
        Unit("W/m^3", "W/m³"),
        Unit("W/m^2", "W/m²"),
        Unit("V/s", "V/s"),
        Unit("A/s", "A/s"),
        Unit("1/K", "1/K", prefixed=False),
    )
}


LONGEST = 60
"""Letters of a text that is read as a quantity."""


class UnitError(ValueError):
    """Text that cannot be read as a quantity; the message says why and what to write instead."""


def _spellings(unit: Unit) -> tuple[str, ...]:
    return tuple(s for s in (unit.shown, unit.key, *unit.aliases) if s)


def parse(text: str, unit_key: str) -> float:
    """Read a quantity as a person writes it; return it in SI, finite.

    ``parse("4k7", "ohm")`` → 4700.0; ``parse("2.2n", "F")`` → 2.2e-9; ``parse("16", "m^2")`` → 16e-6 (mm² is usual). A wire's
    diameter or section may be a gauge size: ``parse("AWG 10", "mm")`` → 2.588e-3.
    Raises: UnitError with the reason and a remedy.
    """
    unit = UNITS[unit_key]
    if len(text) > LONGEST:
        raise UnitError(f"‘{text[:LONGEST]} …’ is too long to be a quantity; write a number" + _in(unit))
    clean = text.strip().replace("\u2126", "Ω").replace("−", "-")  # the ohm sign's two code points, the minus sign
    if not clean:
        raise UnitError("is empty; write a number" + (f" in {unit.shown}" if unit.shown else ""))
    if unit_key in GAUGED and (across := gauge.read(clean)):
        return across if unit_key == "mm" else math.pi / 4 * across**2
    if "," in clean:
        raise UnitError(f"‘{text}’ has a comma; write the decimal point as . and leave out thousands separators")
    infix = _INFIX.fullmatch(clean)
    if infix:
        whole, mark, decimals, rest = infix.groups()
        if mark == "R" and unit.key != "ohm":
            raise UnitError(f"‘{text}’ uses R, which stands for ohms; this field is in {unit.shown or 'plain numbers'}")
        if not unit.prefixed:
            raise UnitError(f"‘{text}’ has a prefix; this field takes a plain number" + _in(unit))
        if rest.strip():
            size = f"{whole}.{decimals}{'' if mark == 'R' else mark}{unit.shown}"
            raise UnitError(
                f"‘{text}’ mixes two notations: ‘{mark}’ already stands for the decimal point, so no unit may follow "
                f"it; write {whole}{mark}{decimals} or {size}"
            )
        factor = 1.0 if mark == "R" else PREFIXES[mark]
        return _finite_of(text, _times(f"{whole}.{decimals}", factor * unit.scale))
    plain = _PLAIN.fullmatch(clean)
    if not plain:
        raise UnitError(f"‘{text}’ is not a number; write for example 12{unit.shown}, 4.7, or 4k7")
    number, suffix = plain[1], plain[2].strip()
    return _finite_of(text, _times(number, _suffix_scale(text, suffix, unit)))


def _finite_of(text: str, value: float) -> float:
    if not math.isfinite(value):
        raise UnitError(f"‘{text}’ is too large to be a real quantity")
    return value


def _times(number: str, factor: float) -> float:
    """The decimal product, so that ``2.2n`` is the float nearest 2.2e-9."""
    try:
        return float(Decimal(number) * Decimal(repr(factor)))
    except (OverflowError, DecimalException):
        return math.inf


def _in(unit: Unit) -> str:
    return f" in {unit.shown}" if unit.shown else ""


def _suffix_scale(text: str, suffix: str, unit: Unit) -> float:
    if not suffix or suffix in _spellings(unit):
        return unit.scale
    if suffix == "%" and unit.key == "1":
        return 0.01
    if unit.prefixed:
        for prefix, factor in PREFIXES.items():
            rest = suffix[len(prefix) :].strip()
            if prefix and suffix.startswith(prefix) and (not rest or rest in _spellings(unit)):
                return factor * unit.scale
    if unit.key == "mm" and suffix in ("m", "um", "µm", "cm"):
        return {"m": 1.0, "um": 1e-6, "µm": 1e-6, "cm": 1e-2}[suffix]
    raise UnitError(f"‘{text}’ ends in ‘{suffix}’; this field is {'in ' + unit.shown if unit.shown else 'a plain number'}")


@lru_cache(maxsize=8192)
def fmt(value: float | None, unit_key: str = "1", digits: int = 3) -> str:
    """Write a quantity in engineering notation with `digits` significant figures: ``4.70 kΩ``, ``46.0 kHz``."""
    if value is None or math.isnan(value):
        return "—"
    unit = UNITS[unit_key]
    scaled = value / unit.scale
    if math.isinf(scaled):
        return "∞" if value > 0 else "−∞"
    if unit_key == "s" and abs(value) >= 120:
        if abs(value) >= 100 * 3600:
            hours = value / 3600
            return f"{hours / 8766:.2g} years" if hours >= 2 * 8766 else f"{hours:.3g} h"
        minutes = round(value / 60)
        return f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{minutes} min"
    if unit_key == "%" and abs(value) < NOTHING:
        scaled = 0.0
    if not unit.prefixed or unit_key == "degC":
        return f"{_figures(scaled, digits)} {unit.shown}".strip()
    size = abs(scaled)
    step, prefix = next(((s, p) for s, p in _STEPS if size >= s * (1 - 0.5 * 10**-digits)), _STEPS[-1])
    if size == 0:
        step, prefix = 1.0, ""
    return f"{_figures(scaled / step, digits)} {prefix}{unit.shown}".strip()


@lru_cache(maxsize=8192)
def short(value: float, unit_key: str = "1") -> str:
    """Like `fmt`, without trailing zeros: for limits and choices such as ``240 V``."""
    number, gap, unit = fmt(value, unit_key, 4).partition(" ")
    if "." in number and "e" not in number:
        number = number.rstrip("0").rstrip(".")
    return number + gap + unit


def exactly(value: float, unit_key: str = "1") -> str:
    """Like `short`, with all the digits that count, so that what is read back is the same: ``33.93 nC``, ``2.4567891 Ω``."""
    unit = UNITS[unit_key]
    scaled = value / unit.scale
    step, prefix = next(((s, p) for s, p in _STEPS if abs(scaled) >= s), (1.0, "")) if unit.prefixed else (1.0, "")
    return f"{scaled / step:.12g} {prefix}{unit.shown}".strip()


NOTHING = 1e-10
"""A share below this is what rounding leaves of nothing."""
ENDLESS = 1e15
"""From here on digits say nothing: an exponent does."""


def _figures(number: float, digits: int) -> str:
    if number == 0:
        return "0"
    if abs(number) >= ENDLESS:
        return f"{number:.{digits - 1}e}".replace("-", "−")
    rounded = float(f"{number:.{digits - 1}e}")
    places = max(0, digits - 1 - math.floor(math.log10(abs(rounded))))
    if places > digits + 2:
        return f"{rounded:.{digits - 1}e}"
    return f"{rounded:.{places}f}".replace("-", "−")


def _reader(unit_key: str) -> Any:
    def read(value: Any) -> Any:
        if isinstance(value, str):
            return parse(value, unit_key)
        if isinstance(value, bool):
            raise ValueError("is true/false; write a number")
        return value

    return read


def _finite(value: float) -> float:
    if not math.isfinite(value):
        raise ValueError("is not a finite number")
    return value


class OrText:
    """Published as what is read: a number in its range, or text."""

    def __get_pydantic_json_schema__(self, inner: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        number = handler(inner)
        return number | {"type": [number["type"], "string"]}


def quantity(unit_key: str) -> Any:
    """Metadata for an ``Annotated[float, …]`` field: reads engineering text, refuses NaN, publishes its unit."""
    unit = UNITS[unit_key]
    return (
        BeforeValidator(_reader(unit_key)),
        AfterValidator(_finite),
        OrText(),
        Field(json_schema_extra={"unit": unit.key, "shown": unit.shown}),
    )


Count = Annotated[int, OrText()]
"""A whole number; typed text is read."""
Volt = Annotated[float, *quantity("V")]
Ampere = Annotated[float, *quantity("A")]
Watt = Annotated[float, *quantity("W")]
Ohm = Annotated[float, *quantity("ohm")]
Henry = Annotated[float, *quantity("H")]
Farad = Annotated[float, *quantity("F")]
Hertz = Annotated[float, *quantity("Hz")]
Second = Annotated[float, *quantity("s")]
Metre = Annotated[float, *quantity("m")]
Millimetre = Annotated[float, *quantity("mm")]
SquareMetre = Annotated[float, *quantity("m^2")]
AmpereHour = Annotated[float, *quantity("A*h")]
Celsius = Annotated[float, *quantity("degC")]
SquareDecimetre = Annotated[float, *quantity("dm^2")]
Airflow = Annotated[float, *quantity("m^3/s")]
Kelvin = Annotated[float, *quantity("K")]
AmpereSquaredSecond = Annotated[float, *quantity("A^2*s")]
Tesla = Annotated[float, *quantity("T")]
AmperePerMetre = Annotated[float, *quantity("A/m")]
CurrentDensity = Annotated[float, *quantity("A/m^2")]
KelvinPerWatt = Annotated[float, *quantity("K/W")]
Ratio = Annotated[float, *quantity("1")]
Percent = Annotated[float, *quantity("%")]
