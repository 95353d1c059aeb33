"""What switches off before something breaks: battery thresholds, output window, overload, short circuit."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import Build, options
from rhombos.core.blocks.short_path import ShortPath, fuse_for
from rhombos.core.book import sense, source
from rhombos.core.control.thresholds import HIGH, REFERENCE, Band, Tap, band, fit
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.units.quantities import Ampere, Henry, Ohm, Second, Volt, Watt

KEY: Key[ProtectionBuild, ProtectionState] = Key("protection")
TITLE = "Protection"
ABOVE_EMPTY = 1.01
"""Cut-off over the empty battery: the lowest corner of a threshold that was set must not lie below it."""
BELOW_LOWEST = 0.97
"""Cut-off of a source that is no battery over its lowest voltage at full power: it works there, and is not spared."""
ABOVE_LATCH = 1.03
"""Cut-off over the voltage below which the load would hold the source at its limit."""
ABOVE_FULL = 1.04
"""Over-voltage limit over the highest input."""
WARNS = 0.35
"""Where the warning comes on the way from the nominal input down to the cut-off."""
RECOVERS = 0.06
"""Least hysteresis of the cut-off over the nominal input: a battery rests higher than it works."""
SAG_COVERED = 1.5
"""Hysteresis over the sag that vanishes when the cut-off has acted."""
GAP = 0.6
"""Hysteresis of the cut-off at most, over what lies between it and the highest input."""
SPREAD, WIDER = 0.035, 1.08
"""What the tolerances of both ends take from a hysteresis at most, over the cut-off, and how much more of itself."""
WINDOW = 0.10
"""Half the window of a proposed output check, share of the output."""
WINDOW_BACK = 0.04
"""Where the window's checks turn back, share of the output."""
PICKS_UP = 1.1
SURGE_HELD = 1.5
"""Pick-up of the overload over the continuous power, and how many surge times the surge rides through."""
HIGHEST_PICK_UP = 1.25
"""Pick-up over the continuous power up to which what never counts is near enough what the parts were judged for."""
LEAST_TWICE = 0.2
DELAY = 3e-6
"""From the trip level to a switch that is off, s: blanking, comparator, driver."""
RELAYS = (3, 5, 8, 10, 16, 20, 30, 40, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630)
"""Ratings of usual output relays, the largest of them contactors, A."""
SUPPRESSES = 1.15
"""Working voltage of a suppressor over the least that will do, at most: one for more lets more through."""
SUPPRESSORS_DC = (12, 15, 18, 24, 32, 39, 46, 52, 65, 78, 98, 124, 150, 169, 195, 228, 254, 273, 299, 325, 358, 390, 416, 455,
                  500, 546, 670, 825, 970, 1150, 1280, 1465, 1700, 2000)  # fmt: skip
"""Highest voltages that surge suppressors stand off, V DC."""
SUPPRESSORS = (25, 30, 35, 40, 50, 60, 75, 95, 115, 130, 140, 150, 175, 195, 210, 230, 250, 275, 300, 320, 350, 385, 420, 460,
               510, 550, 625)  # fmt: skip
"""Highest working voltages of surge suppressors, V RMS."""
LINEAR, SWITCHED = "linear regulator", "converter"
GUARDED, UNGUARDED = "suppressor and filter", "nothing"
HEADROOM = 2.0
"""What a linear regulator drops at least, V."""
REGULATORS = (40, 60, 75, 100, 150, 200, 300, 450, 600, 800, 1000, 1300)
"""Highest inputs of control supplies, V; a linear one stands the first of them."""
SUPPLY_SPARE = 1.15
"""Highest input of the control supply over the highest input: what a suppressor lets through."""
ELECTRONIC, FUSE_ALONE = "electronic trip", "fuse alone"
BLINKS = (
    "input low",
    "input too high",
    "output too low",
    "output too high",
    "overload",
    "short circuit",
    "too hot",
    "precharge failed",
)
"""What each count of blinks means."""


class ProtectionBuild(Build):
    """Thresholds as they are wanted, and the parts of the one that matters most."""

    cut_off: Volt = Field(ge=3, le=1100, title="Cut-off, falling input")
    hysteresis: Volt = Field(ge=0.01, le=300, title="Hysteresis of the cut-off")
    warning: Volt = Field(ge=3, le=1100, title="Warning, falling input")
    over_voltage: Volt = Field(ge=3, le=1300, title="Overvoltage cut-off")
    delay: Second = Field(ge=0, le=120, title="Cut-off delay")
    restart: str = options("Restart", "locked", "at once")
    adjusted: bool = Field(True, title="Trimmers set on the bench")
    top: Ohm = Field(ge=1e3, le=10e6, title="Upper resistor of the cut-off")
    bottom: Ohm = Field(ge=100, le=10e6, title="Lower resistor of the cut-off")
    trimmer: Ohm = Field(ge=0, le=1e6, title="Trimmer of the cut-off")
    hold: Ohm = Field(ge=1e3, le=1e9, title="Resistor back to the cut-off's tap")
    supply: str = options("Control supply", LINEAR, SWITCHED)
    supply_stands: Volt = Field(ge=10, le=1500, title="Its highest input")
    supply_guard: str = options("Before it", GUARDED, UNGUARDED)
    output_low: Volt = Field(ge=3, le=1650, title="Output too low, RMS or DC")
    output_high: Volt = Field(ge=10, le=1800, title="Output too high, RMS or DC")
    overload: Watt = Field(ge=10, le=3e4, title="Overload counts above")
    twice: Second = Field(ge=0.01, le=600, title="Time allowed at 2× overload")
    short: str = options("Short circuit", ELECTRONIC, FUSE_ALONE)
    short_trip: Ampere = Field(ge=0.1, le=2000, title="Short trips at, peak at the socket")
    short_delay: Second = Field(ge=1e-7, le=1e-2, title="Trip-to-off delay")
    coil: Henry = Field(ge=0, le=0.1, title="Coil in the output that slows a short")
    after_trip: str = options("After a short", "latched", "three retries", "continuous retry")
    output_relay: Ampere = Field(ge=0.1, le=700, title="Relay at the socket, both poles")
    output_fuse: Ampere = Field(ge=0.05, le=400, title="Fuse at the socket")
    suppressor: Volt = Field(ge=10, le=2000, title="Surge suppressor, working RMS or DC")


@dataclass(frozen=True, slots=True)
class ProtectionNeed:
    """Source: lowest, nominal, highest, V, and all resistance up to the bank, Ω. Asked: W, W, s; socket: V, its
    current at full power, RMS, and its peak in the surge with ripple, A. Highest gate supply that the control supply makes, V;
    volts of a rested battery, empty to full in equal steps of charge, none for a source that is no battery; voltage below which
    full power would hold a source at its current limit, V. Where the socket is a bank of direct voltage: what that stores, J,
    and the most that it drives into a short, A. How far a load lifts a source that takes nothing back, V. Whether the socket
    gives high frequency: no suppressor made for mains stands that, and no line brings a surge. What brings its voltage where no
    battery does, in a word; the block whose bank it is."""

    empty: float
    nominal: float
    full: float
    resistance: float
    continuous: float
    surge: float
    surge_time: float
    v_out: float
    current: float
    peak: float
    gate: float
    resting: tuple[float, ...] = ()
    latches: float = 0.0
    stored: float = 0.0
    dumps: float = 0.0
    lifted: float = 0.0
    high_frequency: bool = False
    fed_by: str = "rail"
    bank: str = "input_stage"

    @property
    def highest(self) -> float:
        """The highest input in use, V, with what the load returns."""
        return self.full + self.lifted

    @property
    def direct(self) -> bool:
        """Whether the socket gives direct voltage."""
        return self.dumps > 0

    def socket_current(self, power: float) -> float:
        """RMS current at the socket, A, at a power, W."""
        return self.current * power / self.continuous


@dataclass(frozen=True, slots=True)
class ProtectionState:
    """V, A, s: thresholds as the parts make them, sags, how long the surge passes, current when a short is off."""

    cut_off: float
    restart: float
    sag: float
    surge_sags_to: float
    surge_passes: float
    short_off: float
    current: float
    feed: tuple[float, float, float]
    outputs: tuple[float, float]
    supply_low: float
    supply_high: float
    usable: float
    run_time: float
    loss: float = 0.0


def propose(
    need: ProtectionNeed, stage: ShortPath, drawn: float, outputs: tuple[float, float], pins: Fields, rules: Rules
) -> ProtectionBuild:
    """Thresholds that hold from corner to corner, and preferred values that make them; against a short a coil, where nothing
    else in the output slows it. `drawn` is what the lowest input gives at full power, A."""
    fields: Fields = {
        "delay": max(1.0, round(2 * need.surge_time, 1)),
        "restart": "locked" if need.resting else "at once",
        "adjusted": True,
        "short": ELECTRONIC,
        "short_delay": DELAY,
        "after_trip": "latched",
    } | pins
    sag = need.resistance * drawn
    works = BELOW_LOWEST * (need.empty - sag)
    # a sag as wide as the source's own band needs a cut-off that leaves room for its hysteresis
    works = min(works, (GAP * need.full - WIDER * sag) / (GAP + SPREAD)) if sag > GAP * (need.full - need.empty) else works
    unlatched = max(works, min(ABOVE_LATCH * need.latches, need.empty))
    fields.setdefault("cut_off", round(ABOVE_EMPTY * need.empty if need.resting else unlatched, 1))
    cut = fields["cut_off"]
    most = max(0.1, GAP * (need.full - cut))
    back = max(RECOVERS * need.nominal, SAG_COVERED * sag, WIDER * sag + SPREAD * cut)
    fields.setdefault("hysteresis", round(min(most, back), 1))
    fields.setdefault("warning", round(cut + max(WARNS * (need.nominal - cut), 3 * 0.01 * cut), 1))
    fields.setdefault("over_voltage", round(ABOVE_FULL * need.highest, 1))
    wanted = ("top", "bottom", "trimmer", "hold")
    if any(name not in fields for name in wanted):
        tap = fit(cut, cut + fields["hysteresis"], rules, fields.get("top"))
        fields = {name: getattr(tap, name) for name in wanted} | fields
    low = need.empty - sag
    if "supply" not in fields:
        able = low >= need.gate + HEADROOM and SUPPLY_SPARE * need.full <= REGULATORS[0]
        fields["supply"] = LINEAR if able else SWITCHED
    fields.setdefault("supply_guard", GUARDED)
    fields.setdefault("supply_stands", float(next((v for v in REGULATORS if v >= SUPPLY_SPARE * need.full), REGULATORS[-1])))
    fields.setdefault("output_low", float(math.floor(min((1 - WINDOW) * need.v_out, 0.96 * outputs[0]))))
    fields.setdefault("output_high", float(math.ceil(max((1 + WINDOW) * need.v_out, 1.04 * outputs[1]))))
    fields.setdefault("overload", float(f"{PICKS_UP * need.continuous:.3g}"))
    fields.setdefault("twice", float(f"{max(LEAST_TWICE, SURGE_HELD * excess(need, fields['overload'])):.2g}"))
    surge = need.socket_current(need.surge)
    fields.setdefault("short_trip", float(f"{rules.trip_factor * need.peak:.3g}"))
    slowing = 0.0 if stage.coil_at else stage.slowing_coil(fields["short_trip"] * stage.ratio, fields["short_delay"])
    fields.setdefault("coil", slowing)
    fields.setdefault("output_fuse", fuse_for(need.socket_current(need.continuous), surge))
    fields.setdefault("output_relay", float(next((r for r in RELAYS if r >= surge), RELAYS[-1])))
    made = SUPPRESSORS_DC if need.direct else SUPPRESSORS
    fields.setdefault("suppressor", float(next((v for v in made if v >= 1.02 * fields["output_high"]), made[-1])))
    return ProtectionBuild.within(fields)


def judged_twice(build: ProtectionBuild, need: ProtectionNeed) -> float:
    """The longest that twice the pick-up should pass, s: as much excess heat as the surge brings in its time."""
    return max(LEAST_TWICE, excess(need, build.overload))


def excess(need: ProtectionNeed, overload: float) -> float:
    """How long twice the pick-up brings as much excess heat as the surge in its time, s; 0 where the surge lies below it."""
    if need.surge <= overload:
        return 0.0
    return sense.inverse_time.invert("t_twice", {"P": need.surge, "P_start": overload, "t": need.surge_time})


def cut_off_tap(build: ProtectionBuild) -> Tap:
    """The parts of the cut-off as they are fitted."""
    return Tap(build.top, build.bottom, build.trimmer, build.hold)


def thresholds(build: ProtectionBuild, need_out: float, rules: Rules) -> dict[str, tuple[str, Tap, Band]]:
    """Every threshold on a voltage: its name, its parts, and where it may lie, V; `need_out` is the output, V RMS."""
    back = WINDOW_BACK * min(need_out, build.output_high)
    wanted = {
        "warning": ("Warning", build.warning, build.warning + build.hysteresis),
        "over_voltage": ("Overvoltage", build.over_voltage, build.over_voltage * 0.97),
        "output_low": ("Output too low", build.output_low, build.output_low + back),
        "output_high": ("Output too high", build.output_high, build.output_high - back),
    }
    tap = cut_off_tap(build)
    found = {"cut_off": ("Cut-off", tap, band(tap, True, build.adjusted, rules, build.cut_off))}
    for key, (name, turns, returns) in wanted.items():
        made = fit(turns, returns, rules)
        found[key] = (name, made, band(made, turns < returns, build.adjusted, rules, turns))
    return found


def assess(
    need: ProtectionNeed,
    build: ProtectionBuild,
    feed: tuple[float, float, float],
    outputs: tuple[float, float],
    stage: ShortPath,
    steady: tuple[float, float],
    worksheet: Worksheet,
) -> ProtectionState:
    """What the thresholds do. `feed`: current at full power on the lowest input, A, and the power it gives there and at the
    surge, W; `outputs`: lowest and highest output in use, V RMS; `steady`: mean current at full power on a nominal input, A,
    and how long
    the whole capacity would last, s."""
    tap = cut_off_tap(build)
    middle = {"V_ref": REFERENCE, "R_1": tap.top, "R_2": tap.bottom + tap.trimmer / 2, "R_h": tap.hold}
    falls = worksheet.work("protection.cut_off_made", sense.comparator_falls, **middle, V_high=HIGH)
    rises = worksheet.work("protection.restart_made", sense.comparator_rises, **middle)
    sag = worksheet.work("protection.sag", source.ohmic_drop, I=feed[0], R=need.resistance)
    able = source.largest_power.work({"E": need.nominal, "R_s": need.resistance})
    if feed[2] < able:
        current = source.sagged_current.work({"E": need.nominal, "R_s": need.resistance, "P": max(feed[2], 1e-6)})
        sags_to = worksheet.work(
            "protection.surge_sags_to", source.terminal_voltage, E=need.nominal, I=current, R_s=need.resistance
        )
    else:
        sags_to = need.nominal / 2
    passes = float("inf")
    if need.surge > build.overload:
        passes = worksheet.work(
            "protection.surge_passes", sense.inverse_time, t_twice=build.twice, P=need.surge, P_start=build.overload
        )
    slowed = stage.inductance + build.coil / stage.ratio**2
    off = worksheet.work(
        "protection.short_off",
        sense.trip_overshoot,
        I_trip=build.short_trip * stage.ratio,
        V_dc=stage.volts,
        L=slowed,
        t_delay=build.short_delay,
    )
    current = need.socket_current(need.continuous)
    # the comparator looks at the terminals: it acts while a rested battery stands higher by the sag
    left = usable_share(need, build.cut_off + need.resistance * steady[0])
    return ProtectionState(
        falls,
        rises,
        sag,
        sags_to,
        passes,
        off,
        current,
        feed,
        outputs,
        need.empty - sag,
        SUPPLY_SPARE * need.full,
        left,
        left * steady[1],
    )


def usable_share(need: ProtectionNeed, rested: float) -> float:
    """Share of the charge that is drawn until a rested battery stands at a voltage, V."""
    if not need.resting:
        return 1.0
    charge = np.linspace(0, 1, len(need.resting))
    return float(1 - np.interp(rested, need.resting, charge, left=0.0, right=1.0))


def parts(build: ProtectionBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Small resistors, comparators and trimmers come from any drawer."""
    return ()


def requirements(build: ProtectionBuild, coil: float, direct: bool, high_frequency: bool = False) -> Iterator[Requirement]:
    """Relay and suppressor at the socket, the cut-off's trimmer; `coil` is what the relays' coils run on, V; `direct` a socket
    of direct voltage, whose arc only contactors break; one of high frequency has no suppressor."""
    amps, volts = build.output_relay, build.output_high
    poles: dict[str, float] = {"i_rating": amps, "v_dc": volts} if direct else {"i_rating": amps, "v_ac": volts, "poles": 2}
    kind, count = ("contactor", 2) if direct else ("relay", 1)
    yield Requirement(KEY, "relay", "Socket relay", kind, "K1", least=poles, exact={"v_coil": coil}, count=count)
    if not high_frequency:
        works = "v_dc" if direct else "v_ac"
        yield Requirement(
            KEY,
            "varistor",
            "Surge suppressor",
            "suppressor",
            "RV1",
            least={works: build.suppressor},
            most={works: SUPPRESSES * build.suppressor},
            exact={} if direct else {"form": "varistor"},
        )
    if build.adjusted and build.trimmer:
        yield Requirement(
            KEY, "trim", "Trimmer of the cut-off", "trimmer", "RP1", exact={"r": build.trimmer}, fields=("trimmer",)
        )
