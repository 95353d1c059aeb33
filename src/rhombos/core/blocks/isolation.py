"""Isolation: what belongs to which side, what crosses the barrier, how the output is sensed, what drives relays."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from pydantic import Field

from rhombos.core.blocks.base import Build, options
from rhombos.core.book import sense, stage
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.keys import Key
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf
from rhombos.core.parts.insulation import BASIC_ADDS, REINFORCED, TOUCH_SAFE
from rhombos.core.units.preferred import nearest
from rhombos.core.units.quantities import Hertz, Ohm, Volt

KEY: Key[IsolationBuild, IsolationState] = Key("isolation")
TITLE = "Isolation"
FLOATING, EARTHED, NEGATIVE = "floating", "one pole earthed", "a pole on the source"
ISOLATED, TRANSFORMER, DIVIDER = "isolated amplifier", "sense transformer", "bare divider"
OPTO, WIRED = "opto-coupler", "wired straight"
CASE_EARTH, CASE_FREE, CASE_RETURN = "earthed", "left open", "carries a return"
SAFE_CLIP, BRIDGE_CLIP, NO_CLIP = "source negative", "on the bridge", "nowhere, differential probe"
NO_COIL, DIODE, ZENER = "nothing", "diode", "diode and zener"
PROOFS = (3750.0, 5000.0, 6000.0, 7500.0)
"""What barrier parts are tested with, V RMS; the first is the usual."""
CONVERTER = 3.3
ISOLATOR = 0.01
"""Error of an isolated sense amplifier, as a share."""
HALF = 0.5
"""Where a sensed alternating voltage rests in the converter's span."""
SPARE = 1.15
"""Span over the highest peak that must still be read."""
DRIFT = 0.003
"""What drifts after calibration: reference and resistors over temperature."""
CORNER, SLOWEST = 20.0, 8.0
"""Corner of a proposed sense filter over the line, and the minimum that still follows it."""
STEADY_CORNER = 1e3
"""Corner of a proposed sense filter on direct voltage, Hz."""
COIL_CURRENT, COIL_HENRY, COIL_STRAY = 0.1, 0.3, 150e-12
"""A relay's coil, A and H, and the stray capacitance into which its current goes when nothing else takes it, F."""
CLAMPED_AT = 2.0
"""Highest zener voltage across a coil, over the coil's own."""
DRIVER_STANDS = 60.0
PULLS_IN, COIL_MOST = 0.75, 1.1
"""Minimum and maximum of its rated voltage on a relay's coil."""
Side = Literal["source", "mains", "link", "earth"]


class IsolationBuild(Build):
    """How the sides are joined or kept apart, what senses the output, and what drives the relays."""

    output: str = options("Socket", FLOATING, EARTHED, NEGATIVE)
    case: str = options("Case", CASE_EARTH, CASE_FREE, CASE_RETURN)
    sensing: str = options("Output is sensed by", ISOLATED, TRANSFORMER, DIVIDER)
    shut_down: str = options("Shut-down input", OPTO, WIRED)
    clip: str = options("Oscilloscope's ground", SAFE_CLIP, BRIDGE_CLIP, NO_CLIP)
    proof: Volt = Field(ge=0, le=20000, title="Barrier parts are tested with, RMS")
    connectors: Volt = Field(ge=10, le=2000, title="Connectors of the high side, rated")
    sense_top: Ohm = Field(ge=1e3, le=1e8, title="Sense divider, upper resistor")
    sense_bottom: Ohm = Field(ge=10, le=1e7, title="Sense divider, lower resistor")
    corner: Hertz = Field(ge=1, le=1e6, title="Sense filter, corner")
    bits: int = Field(ge=8, le=16, title="Bits of the converter")
    clamped: bool = Field(True, title="Converter's input clamped")
    calibrated: bool = Field(True, title="Calibrated at two points")
    coil_supply: str = options("Relay coils run on", "control supply", "source")
    coil_rated: Volt = Field(ge=3, le=110, title="Relay coils, rated")
    coil_clamp: str = options("Across each coil", NO_COIL, DIODE, ZENER)


@dataclass(frozen=True, slots=True)
class Crossing:
    """What passes from one side to another: by which part, whether that is a rated barrier, and a word about it."""

    name: str
    first: Side
    second: Side
    part: str
    rated: bool
    remark: str = ""


@dataclass(frozen=True, slots=True)
class IsolationNeed:
    """Source: empty, full, V; highest link and highest peak at the socket, V; the output, V RMS or DC. Whether link and socket
    lie beyond a transformer, or the socket alone does, or nothing (`barrier`), what the feedback and the bridge's gates cross
    by, and whether each of those is a barrier. Line
    frequency (0 on direct voltage), and how often the output is sampled, Hz (0 where nothing carries it); whether it is
    rectified before it is sensed, too quick to be followed; whether the source is the mains, earthed at its neutral."""

    empty: float
    full: float
    link: float
    peak: float
    v_out: float
    beyond: bool
    feedback: str
    feedback_isolated: bool
    gates: str
    gates_isolated: bool
    line: float
    sampled: float
    barrier: bool = True
    rectified: bool = False
    mains: bool = False

    @property
    def bus(self) -> float:
        """What the legs of a bridge stand between at most, V."""
        return self.link if self.beyond else self.full

    @property
    def live(self) -> bool:
        """Whether the source's side is dangerous too: by its own voltage, or because the socket is joined to it."""
        return self.full > TOUCH_SAFE or not self.barrier

    @property
    def plugged(self) -> float:
        """The highest voltage on connectors of the dangerous side, V."""
        return max(self.bus if self.beyond or not self.barrier else 0.0, self.peak)

    @property
    def across(self) -> float:
        """What parts that keep people apart from the circuit stand in use, V RMS or DC."""
        return max(self.v_out, self.full) if self.full > TOUCH_SAFE else self.v_out

    @property
    def direct(self) -> bool:
        """Whether the socket is the link itself, at direct voltage."""
        return self.line == 0

    @property
    def rests(self) -> float:
        """Where the sensed voltage rests in the converter's span."""
        return HALF if self.followed else 0.0

    @property
    def followed(self) -> float:
        """The line that the sensed voltage follows, Hz; 0 where it is steady."""
        return 0.0 if self.rectified else self.line

    @property
    def room(self) -> float:
        """What of the converter a peak may take, V."""
        return (1 - self.rests) * CONVERTER


@dataclass(frozen=True, slots=True)
class IsolationState:
    """V: proof wanted, span of the sense chain, one count; errors as shares; spike on a coil's driver, V, coil's ends, V."""

    proof: float
    span: float
    step: float
    at_converter: float
    error_fresh: float
    error: float
    lag: float
    lost: float
    coil_spike: float
    coil_low: float
    coil_high: float
    loss: float = 0.0


def crossings(build: IsolationBuild, need: IsolationNeed) -> tuple[Crossing, ...]:
    """Everything that passes between two sides."""
    high: Side = "link" if need.beyond else "mains" if need.barrier else "source"
    outside: Side = "link" if need.direct else "mains" if need.barrier else "source"
    found = []
    if need.barrier:
        found.append(Crossing("power", "source", high, "transformer", True, "its insulation between windings, tested"))
    if need.beyond:
        found.append(Crossing("link feedback", "link", "source", need.feedback, need.feedback_isolated))
    if need.beyond and not need.direct:
        found.append(Crossing("bridge gates", "source", "link", need.gates, need.gates_isolated))
    if need.barrier:
        found.append(Crossing("output sense", outside, "source", build.sensing, build.sensing != DIVIDER))
    found.append(
        Crossing(
            "shut-down input", "source", "earth", build.shut_down, build.shut_down == OPTO, "whatever a person wires to it"
        )
    )
    bond = {
        FLOATING: (outside, "earth", "open", True),
        EARTHED: (outside, "earth", "a bond" if need.direct else "a bond, RCD behind it", need.barrier),
        NEGATIVE: (outside, "source", "a wire", False),
    }[build.output]
    found.append(Crossing("socket", *bond))  # type: ignore[arg-type]
    case = {CASE_EARTH: ("earthed", True), CASE_FREE: ("open", False), CASE_RETURN: ("a return current", False)}[build.case]
    found.append(Crossing("case", "earth", high if build.case == CASE_RETURN else "source", *case))
    clipped = build.clip == NO_CLIP or (build.clip == SAFE_CLIP and not need.live)
    found.append(Crossing("oscilloscope", "earth", high if build.clip == BRIDGE_CLIP else "source", build.clip, clipped))
    return tuple(found)


def propose(need: IsolationNeed, pins: Fields, rules: Rules) -> IsolationBuild:
    """Both poles floating, rated parts across the barrier, and a sense chain that reads beyond the highest output."""
    fields: Fields = {
        "output": FLOATING,
        "case": CASE_EARTH,
        "sensing": ISOLATED if need.barrier else DIVIDER,
        "shut_down": OPTO,
        "clip": NO_CLIP if need.live else SAFE_CLIP,
        "bits": 12,
        "clamped": True,
        "calibrated": True,
        "coil_supply": "control supply",
        "coil_clamp": ZENER,
    } | pins
    asked = sense.barrier_proof.work({"k_proof": REINFORCED, "V_rms": need.across, "V_add": BASIC_ADDS})
    fields.setdefault("proof", next((p for p in PROOFS if p >= asked), PROOFS[-1]))
    usual = (250, 400, 630, 1000, 1500)
    fields.setdefault("connectors", float(next((v for v in usual if v >= 1.2 * need.plugged), 2000)))
    fields.setdefault(
        "coil_rated",
        12.0
        if fields["coil_supply"] == "control supply"
        else float(next((v for v in (12, 24, 36, 48, 60) if COIL_MOST * v >= need.full), 60)),
    )
    fields.setdefault("sense_top", 1e6)
    line = need.followed
    fast = min(CORNER * line, need.sampled / 3) if need.sampled else CORNER * line
    fields.setdefault("corner", float(f"{max(fast, SLOWEST * line):.2g}") if line else STEADY_CORNER)
    share = need.room / (SPARE * need.peak)
    fields.setdefault("sense_bottom", nearest(fields["sense_top"] * share / (1 - share)))
    return IsolationBuild.within(fields)


def assess(need: IsolationNeed, build: IsolationBuild, rules: Rules, worksheet: Worksheet) -> IsolationState:
    """What barriers must stand, what the sense chain tells, what a coil does to its driver."""
    span = worksheet.work("isolation.span", sense.divider, V_ref=CONVERTER, R_1=build.sense_top, R_2=build.sense_bottom)
    gain = span / CONVERTER
    step = worksheet.work("isolation.step", sense.count_step, V_span=span, n_bits=build.bits)
    r = rules.resistor_tolerance
    divided = worksheet.work("isolation.divider_error", sense.divider_error, tol=r, V_ref=CONVERTER, V_set=span)
    fresh = divided + rules.reference_tolerance + (ISOLATOR if build.sensing != DIVIDER else 0.0)
    half_count = worksheet.work("isolation.half_count", sense.half_count, V_step=step, V_rms=need.v_out)
    error = (DRIFT if build.calibrated else fresh) + half_count
    volts = (need.empty, need.full) if build.coil_supply == "source" else (12.0, 12.0)
    free = stage.unclamped_spike.work({"I": COIL_CURRENT, "L_lk": COIL_HENRY, "C_oss": COIL_STRAY})
    spike = volts[1] + {NO_COIL: free, DIODE: 0.8, ZENER: 25.0}[build.coil_clamp]
    proof = worksheet.work("isolation.wanted", sense.barrier_proof, k_proof=REINFORCED, V_rms=need.across, V_add=BASIC_ADDS)
    left = worksheet.work("isolation.left", sense.first_order_gain, f=need.followed, f_0=build.corner) if need.followed else 1.0
    lost = 1 - left
    error += 0.0 if build.calibrated else lost
    return IsolationState(
        proof,
        span,
        step,
        need.peak / gain,
        fresh,
        error,
        math.degrees(math.acos(left)),
        lost,
        spike,
        volts[0] / build.coil_rated,
        volts[1] / build.coil_rated,
    )


def parts(build: IsolationBuild, shelf: Shelf) -> tuple[Item, ...]:
    """None by name: opto-couplers and connectors are bought by their ratings."""
    return ()


def requirements(build: IsolationBuild, output: float, current: float, relays: int, mains: bool) -> Iterator[Requirement]:
    """The socket for an output, V, fused for a current, A; what crosses the barrier; what clamps so many coils."""
    yield Requirement(
        KEY,
        "socket",
        "Socket",
        "connector",
        "X1",
        least={"i_rating": current, "v_rating": output},
        # no mains socket for direct voltage or high frequency: what belongs elsewhere must not fit
        exact={"form": "mains socket", "touch": "touch-proof"} if mains else {"form": "screw terminal"},
    )
    if build.shut_down == OPTO:
        coupler = "Opto-coupler, shut-down"
        yield Requirement(KEY, "shut_down_coupler", coupler, "opto_coupler", "U1", least={"v_proof": build.proof})
    if build.coil_clamp == ZENER:
        yield Requirement(
            KEY,
            "coil_zener",
            "Zener across a coil",
            "zener",
            "D1",
            least={"v_zener": build.coil_rated},
            most={"v_zener": CLAMPED_AT * build.coil_rated},
            count=relays,
        )
