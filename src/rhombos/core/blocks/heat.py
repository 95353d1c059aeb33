"""Heat and insulation: the case and its fan, pads and compound, what is live, and when it is too hot."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from pydantic import Field

from rhombos.core.blocks.base import Build, options
from rhombos.core.book import heat as book
from rhombos.core.book import sense
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.parts.insulation import (
    BASIC,
    COMPOUNDS,
    FUNCTIONAL,
    LOW_PROOF,
    PADS,
    REINFORCED,
    TOUCH_SAFE,
    barrier_proof,
    creepage,
)
from rhombos.core.units.preferred import nearest
from rhombos.core.units.quantities import Airflow, Celsius, Kelvin, Millimetre, Ohm, SquareDecimetre, Volt

KEY: Key[HeatBuild, HeatState] = Key("heat")
TITLE = "Heat"
KELVIN = 273.15
STILL_AIR = 6.0
"""Heat that a painted case passes to still air, W/(m²·K)."""
THROUGH = 1.8
"""How much more a case with slots above and below passes."""
CASE, CASE_PER_WATT = 0.15, 4e-4
"""Surface that a case has anyway, m², and what it grows by a watt of output."""
FLOW_SPARE = 1.5
LEAST_RISE = 1.0
"""Rise of the air in a case that fans are still asked for, K: for less there is no fan."""
LEAST_FLOW = 5e-3
"""What a small fan moves freely, m³/s."""
FAN_TOLERANCE = 0.15
"""How far beside its rated voltage a fan runs."""
CONTROL_SUPPLY = 12.0
CLOSED, SLOTTED, BLOWN = "closed", "slotted", "blown through"
INSIDE, EARTHED, NEGATIVE = "inside, free", "earthed, in reach", "source negative"
NTC_TOLERANCE = 0.05
"""Of its resistance at 25 °C."""
PULL_UP_TOLERANCE = 0.02
"""What the resistor above it and the comparator add."""
FAN_BAND = 8.0
HOT_SPARE = 4.0
"""Between the hottest steady heat-sink and the hot limit at least, K."""


class HeatBuild(Build):
    """Case, fan, thermistor, and how the devices sit on their heat-sinks."""

    case: str = options("Case", CLOSED, SLOTTED, BLOWN)
    surface: SquareDecimetre = Field(ge=0.01, le=5, title="Free surface of the case")
    airflow: Airflow = Field(ge=5e-4, le=0.5, title="Air that the fan moves")
    fan_supply: str = options("Fan runs on", "control supply", "source")
    fan_rated: Volt = Field(ge=3, le=250, title="Fan's rated voltage")
    pad: str = options("Pad under the devices", *PADS)
    compound: str = options("Thermal compound", *COMPOUNDS)
    sink: str = options("Heat-sinks are", INSIDE, EARTHED, NEGATIVE)
    shared: bool = Field(False, title="Low and high side on one heat-sink")
    marked: bool = Field(True, title="Live parts marked")
    creepage: Millimetre = Field(ge=1e-4, le=0.05, title="Tab to heat-sink along the surface")
    ntc: Ohm = Field(ge=100, le=1e6, title="Thermistor at 25 °C")
    ntc_b: Kelvin = Field(ge=1000, le=6000, title="Its B value")
    pull_up: Ohm = Field(ge=100, le=1e6, title="Resistor above it")
    fan_on: Celsius = Field(ge=0, le=150, title="Fan on, heat-sink")
    fan_off: Celsius = Field(ge=-20, le=150, title="Fan off again")
    hot: Celsius = Field(ge=20, le=200, title="Too hot: switches off")


@dataclass(frozen=True, slots=True)
class Cooled:
    """A stage on a heat-sink at its hottest steady point: sink and junction, °C; rating and what the rules allow, °C; loss, W;
    its tab's peak against the supply it belongs to, V; whether that lies beyond the barrier; pad counted on, K/W; whether a fan
    blows on its sink."""

    name: str
    key: str
    sink: float
    case: float
    junction: float
    rating: float
    allowed: float
    loss: float
    tab: float
    beyond: bool
    fan: bool


@dataclass(frozen=True, slots=True)
class HeatNeed:
    """Stages with heat-sinks; all heat made inside at the hottest steady point, W; the room, °C; highest input, V; power at
    the socket, W; the voltage from which insulation keeps people, V RMS or DC: of socket or source."""

    stages: tuple[Cooled, ...]
    inside: float
    room: float
    full: float
    power: float
    live: float


@dataclass(frozen=True, slots=True)
class HeatState:
    """Rise of the air inside, K; pad's proof wanted, V; creepage wanted, m; the fan's highest voltage, V; taps of the
    thermistor at its three temperatures, share of the reference; how far a temperature may be off, K."""

    rise: float
    proof: float
    apart: float
    fan_voltage: float
    on_tap: float
    off_tap: float
    hot_tap: float
    error: float
    loss: float = 0.0


def proof_wanted(build: HeatBuild, stage: Cooled, need: HeatNeed) -> float:
    """What the pad under a stage's devices must stand, V: between the sides and towards a bare sink in reach reinforced
    insulation, towards an earthed one basic insulation, else only what keeps circuits apart."""
    wanted = FUNCTIONAL * stage.tab
    if build.shared and any(s.beyond != stage.beyond for s in need.stages):
        wanted = max(wanted, barrier_proof(need.live, REINFORCED))
    if build.sink == NEGATIVE and (stage.beyond or need.full > TOUCH_SAFE):
        wanted = max(wanted, barrier_proof(need.live, REINFORCED))
    if build.sink == EARTHED:
        wanted = max(wanted, barrier_proof(need.live, BASIC) if stage.tab > TOUCH_SAFE else LOW_PROOF)
    return wanted


def creepage_wanted(build: HeatBuild, stage: Cooled) -> float:
    """Minimum path from a stage's tab to the heat-sink, m."""
    reached = build.sink != INSIDE and stage.tab > TOUCH_SAFE
    return creepage(stage.tab, reinforced=reached)


def propose(need: HeatNeed, pins: Fields, rules: Rules) -> HeatBuild:
    """The plainest case that keeps the rules' rise, insulated heat-sinks inside, thermistor limits about what is reached."""
    fields: Fields = {
        "surface": float(f"{CASE + CASE_PER_WATT * need.power:.2g}"),
        "compound": COMPOUNDS[0],
        "sink": INSIDE,
        "shared": False,
        "marked": True,
        "ntc": 10e3,
        "ntc_b": 3950.0,
        "fan_supply": "control supply",
    } | pins
    fields.setdefault("airflow", float(f"{max(LEAST_FLOW, FLOW_SPARE * _flow(need.inside, rules.enclosure_rise)):.2g}"))
    if "case" not in fields:
        kinds = (CLOSED, SLOTTED) if not any(s.fan for s in need.stages) else ()
        fits = (k for k in kinds if _rise(k, fields["surface"], fields["airflow"], need.inside) <= rules.enclosure_rise)
        fields["case"] = next(fits, BLOWN)
    fields.setdefault("fan_rated", CONTROL_SUPPLY if fields["fan_supply"] == "control supply" else _fan_for(need.full))
    draft = HeatBuild.model_construct(**{"pad": "silicone sheet", **fields})
    wanted = max((proof_wanted(draft, s, need) for s in need.stages), default=0.0)
    if "pad" not in fields:
        fields["pad"] = next(
            (n for n, p in PADS.items() if p.breakdown >= wanted and p.resistance <= rules.pad_resistance), "ceramic wafer"
        )
    apart = max((creepage_wanted(draft, s) for s in need.stages), default=2e-3)
    fields.setdefault("creepage", 1e-3 * max(3.0, math.ceil(1e3 * apart)))
    air = need.room + rules.enclosure_rise
    hottest = max((s.sink for s in need.stages), default=air + 20)
    stands = min((_stands(s) for s in need.stages), default=hottest + 20)
    fields.setdefault("hot", float(round(max(hottest + HOT_SPARE, min(stands - 2, hottest + 15)))))
    fields.setdefault("fan_on", float(round(min(air + 0.4 * (hottest - air), fields["hot"] - FAN_BAND))))
    fields.setdefault("fan_off", fields["fan_on"] - FAN_BAND)
    resistance = book.thermistor.work({"R_25": fields["ntc"], "B_ntc": fields["ntc_b"], "T": fields["fan_on"] + KELVIN})
    fields.setdefault("pull_up", nearest(resistance))
    return HeatBuild.within(fields)


def _fan_for(full: float) -> float:
    return float(next((v for v in (12, 24, 36, 48, 60) if v * (1 + FAN_TOLERANCE) >= full), 60))


def _stands(stage: Cooled) -> float:
    """Heat-sink at which the hottest junction comes halfway from what the rules allow to its rating, °C."""
    return stage.sink + (stage.allowed + stage.rating) / 2 - stage.junction


def _flow(watts: float, rise: float) -> float:
    """Air that carries a heat off at a rise, m³/s: the rise of a known flow, scaled."""
    return book.blown_rise.work({"P_loss": watts, "q_air": LEAST_FLOW}) / max(rise, LEAST_RISE) * LEAST_FLOW


def _rise(case: str, surface: float, airflow: float, watts: float) -> float:
    if case == BLOWN:
        return book.blown_rise.work({"P_loss": watts, "q_air": airflow})
    return book.closed_rise.work({"P_loss": watts, "A_s": surface, "h_air": STILL_AIR * (THROUGH if case == SLOTTED else 1)})


def assess(need: HeatNeed, build: HeatBuild, worksheet: Worksheet) -> HeatState:
    """How warm it gets inside, what pads and paths must stand, where the thermistor's limits lie."""
    if build.case == BLOWN:
        rise = worksheet.work("heat.rise", book.blown_rise, P_loss=need.inside, q_air=build.airflow)
    else:
        passes = STILL_AIR * (THROUGH if build.case == SLOTTED else 1)
        rise = worksheet.work("heat.rise", book.closed_rise, P_loss=need.inside, A_s=build.surface, h_air=passes)
    proof = max((proof_wanted(build, s, need) for s in need.stages), default=0.0)
    apart = max((creepage_wanted(build, s) for s in need.stages), default=0.0)
    tolerance = NTC_TOLERANCE + PULL_UP_TOLERANCE
    error = worksheet.work("heat.error", book.thermistor_error, tol=tolerance, T=build.hot + KELVIN, B_ntc=build.ntc_b)
    volts = need.full if build.fan_supply == "source" else CONTROL_SUPPLY
    return HeatState(
        rise,
        proof,
        apart,
        volts,
        _tap(build, build.fan_on, worksheet, "on"),
        _tap(build, build.fan_off, worksheet, "off"),
        _tap(build, build.hot, worksheet, "hot"),
        error,
    )


def _tap(build: HeatBuild, celsius: float, worksheet: Worksheet, name: str) -> float:
    ohms = worksheet.work(f"heat.{name}_ohms", book.thermistor, R_25=build.ntc, B_ntc=build.ntc_b, T=celsius + KELVIN)
    return worksheet.work(f"heat.{name}_tap", sense.thermistor_tap, V_ref=2.5, R_T=ohms, R_up=build.pull_up)


def parts(build: HeatBuild, shelf: Shelf) -> tuple[Item, ...]:
    """None by name: pads, fan and thermistor are bought by their ratings."""
    return ()


def requirements(build: HeatBuild, state: HeatState, blown: bool, devices: int) -> Iterator[Requirement]:
    """Fan, thermistor and pads: `blown` where a heat-sink has a fan, for so many devices on heat-sinks."""
    if blown or build.case == BLOWN:
        yield Requirement(
            KEY, "part_fan", "Fan", "fan", "M1", least={"flow": build.airflow}, exact={"v_rated": build.fan_rated}
        )
    yield Requirement(
        KEY,
        "sensor",
        "Thermistor",
        "thermistor",
        "RT1",
        most={"tolerance": NTC_TOLERANCE},
        exact={"form": "sensor", "r_25": build.ntc, "b": build.ntc_b},
        fields=("ntc", "ntc_b"),
    )
    pad = PADS[build.pad]
    if pad.material and devices:
        yield Requirement(
            KEY,
            "part_pad",
            "Pad",
            "pad",
            "P1",
            least={"v_proof": state.proof},
            most={"r": pad.resistance},
            exact={"material": pad.material},
            count=devices,
        )
