"""How the duty holds the link: the ways of doing it, each with its loop, and what it makes of the output's pulsation
and of a step of the load."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from rhombos.core.blocks.base import Build
from rhombos.core.book import link
from rhombos.core.control.loops import Compensator, Plant, answers, compensate, margins, step_answer
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.units.preferred import E12, nearest
from rhombos.core.waves.pulsation import MOST_TERMS, STILL, Demand, Pulsation, open_share, pulsation, taken

CURRENT, VOLTAGE = "current", "voltage"
RAMP = 3.0
"""Height of the modulator's ramp, V."""
TRIP_LEVEL = 1.0
"""Level of the current comparator, V."""
FAST_SHARE = 1 / 40
"""Crossover of a fast loop, over one switch's frequency: far below the ripple, far above the twice-line pulsation."""
SLOW_SHARE = 1 / 5
"""Crossover of a slow loop, over the output's frequency: a tenth of twice the line."""
FOLLOWS_SHARE = 1 / 3
"""How fast a programmed choke obeys, over one switch's frequency: a sixth of the rate at which it is sampled."""
SLACK = 0.01
"""Share of the link by which a way of holding it may miss while the rounds still move, before another is taken."""
OPTO_POLE = 15e3
"""Bandwidth of a usual opto-coupler with a kilohm of load, Hz."""


@dataclass(frozen=True, slots=True)
class Path:
    """What feeds the link: secondary voltage while power flows, V; choke, H; all resistance before the bank as the link sees
    it, Ω; bank, F, and its series resistance, Ω; V²/P of what the link gives, Ω; one switch's frequency, Hz; turns ratio; what
    lies before the input bank, Ω, that bank, F, and its leads, H."""

    secondary: float
    choke: float
    resistance: float
    bank: float
    esr: float
    load: float
    frequency: float
    ratio: float
    feed: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def risen(self, share: float) -> Path:
        """The same where the source stands higher by a share."""
        return replace(self, secondary=self.secondary * share)

    def coarse(self) -> Path:
        """The same to four digits of what moves from pass to pass, so that passes that hardly differ ask the same."""
        return Path(
            float(f"{self.secondary:.4g}"),
            self.choke,
            float(f"{self.resistance:.4g}"),
            self.bank,
            self.esr,
            float(f"{self.load:.4g}"),
            self.frequency,
            self.ratio,
            self.feed,
        )


@dataclass(frozen=True, slots=True)
class ControllerNeed:
    """What the power path is at a point: how the link is fed; duty asked at the lowest input; link, V; what a side needs until
    it is off,
    delays and their spread counted, s; largest pulse with its pulsation and its RMS, A; ripple that the bank has while its
    source gives a steady
    current, V; the mean power, W, and the output's swings over it; the lowest link that still makes the wave, V; watts in the
    resistances before the link while the
    current is steady; whether the duty holds the link at all; the highest input over this one; the lowest that the link is set
    to, V, where it is what turns an adjustable output."""

    path: Path
    duty: float
    link: float
    off_time: float
    pulse: float
    pulse_rms: float
    ripple: float
    power: float
    demand: Demand
    floor: float
    heat: float
    regulated: bool = True
    rises: float = 1.0
    least: float = math.inf

    @property
    def adjustable(self) -> bool:
        """Whether the link has a span of settings, this one its highest."""
        return self.least < self.link

    @property
    def frequency(self) -> float:
        """One switch's, Hz."""
        return self.path.frequency


@dataclass(frozen=True, slots=True)
class School:
    """One way to hold the link: what the amplifier sets, the crossover, Hz; the share of the pulsation that passes; its mean
    square; watts in the resistances before the link; ripple of the link, dip at a step from nothing to full power, V; and
    whether the link then still makes the wave."""

    name: str
    control: str
    crossover: float
    passed: float
    mean_square: float
    watts: float
    ripple: float
    dip: float
    holds: bool


def crossover_for(control: str, frequency: float, brief: Brief) -> float:
    """Where a loop is proposed to cross over, Hz."""
    swings = control == CURRENT and brief.output.frequency > 0  # a loop that is to leave the output's pulsation alone
    wanted = brief.output.frequency * SLOW_SHARE if swings else frequency * FAST_SHARE
    return float(f"{wanted:.2g}")


def compensation(need: ControllerNeed, fields: Fields, rules: Rules) -> dict[str, float]:
    """Preferred values of the amplifier's parts, and the crossover: the first of some tries whose rounded parts keep the rules'
    margin on a flat and on the highest input, at full power and at the surge; else the best of them."""
    best: tuple[float, dict[str, float]] | None = None
    for share, more in TRIES if "crossover" not in fields.get("pinned", ()) else [(1.0, m) for _, m in TRIES]:
        crossover = float(f"{fields['crossover'] * share:.2g}")
        tried = fields | {"crossover": crossover}
        parts = compensate(plant_of(need.path, tried), crossover, rules.phase_margin + more, fields["r_top"])
        found = {"crossover": crossover}
        for name, value, low, high in (
            ("r2", parts.r2, 100.0, 100e6),
            ("c1", parts.c1, 1e-12, 1e-4),
            ("c2", parts.c2, 1e-12, 1e-4),
            ("r3", parts.r3, 1.0, 10e6),
            ("c3", parts.c3, 1e-12, 1e-4),
        ):
            found[name] = nearest(min(high, max(low, value)), E12) if value > 0 else 0.0
        made = compensator_of(found | {"r_top": fields["r_top"]})
        least = min(margins(plant_of(p, tried), made).phase for p in (need.path, need.path.risen(need.rises)))
        if best is None or least > best[0]:
            best = least, found
        if least > rules.phase_margin + 1:
            break
    assert best is not None
    return best[1]


TRIES = ((1.0, 10), (1.0, 20), (0.7, 12), (0.5, 12), (0.5, 22), (0.35, 15), (0.25, 15), (0.15, 15), (0.1, 15))
"""Crossovers over the one aimed at, and phase margins over the rules' least, degrees, that are tried in turn."""


def proposed_way(need: ControllerNeed, fields: Fields, brief: Brief, rules: Rules) -> Fields:
    """The fields with the way of holding the link that heats the path least, among those that still make the wave after a step
    of the load; what is pinned stays."""
    found: list[tuple[bool, float, Fields]] = []
    for control in (CURRENT, VOLTAGE):
        if fields.get("control", control) != control:
            continue
        fed = control == CURRENT and brief.output.frequency > 0
        tried = aimed({"control": control, "feed_forward": fed} | fields, control, need, brief)
        tried = tried | compensation(need, tried, rules) | fields
        made = judge_school(need, tried, brief, rules)
        found.append((not made.holds, made.mean_square, tried))
    return min(found, key=lambda f: f[:2])[2]


def aimed(fields: Fields, control: str, need: ControllerNeed, brief: Brief) -> Fields:
    """The fields with a crossover to aim at; one that is there already is kept as it is."""
    if "crossover" in fields:
        return fields | {"pinned": ("crossover",)}
    return fields | {"crossover": crossover_for(control, need.frequency, brief)}


def judge_school(need: ControllerNeed, fields: Fields, brief: Brief, rules: Rules) -> School:
    """What a way of holding the link makes of the pulsation, and of a step of the load."""
    swing, share = pulsation_of(need.path, fields, need.demand, brief.output.frequency)
    ripple = swing.ripple * need.ripple
    dip = dip_at_step(need, fields, margins(plant_of(need.path, fields), compensator_of(fields)).crossover, brief, SILENT)
    low = need.link * (1 - rules.link_tolerance) - dip - ripple / 2
    return School(
        f"{fields['control']} {'slow' if fields['crossover'] < brief.output.frequency else 'fast'}",
        fields["control"],
        fields["crossover"],
        share,
        swing.mean_square,
        need.heat * swing.mean_square,
        ripple,
        dip,
        low >= need.floor - SLACK * need.link,
    )


def dip_at_step(
    need: ControllerNeed, build: Build | Mapping[str, Any], crossover: float, brief: Brief, worksheet: Worksheet
) -> float:
    """Dip of the link at a step from nothing to full power, V."""
    common = {"P": max(need.power, 1e-3), "C": need.path.bank, "V_dc": need.link}
    if brief.output.direct:  # the socket itself: all of the loop's answer counts
        deepest = step_answer(plant_of(need.path, build), compensator_of(build))
        return worksheet.total("controller.dip", {"deepest of the closed loop's answer": deepest * common["P"] / need.link})
    if _of(build, "feed_forward"):
        return worksheet.work("controller.dip", link.step_dip_fed, f_line=brief.output.frequency, **common)
    return worksheet.work("controller.dip", link.step_dip, f_x=max(0.1, crossover), **common)


def pulsation_of(path: Path, build: Build | Mapping[str, Any], demand: Demand, line: float) -> tuple[Pulsation, float]:
    """What the loop makes of the output's pulsation at a line frequency, Hz; and the share of its first term that passes."""
    if not demand:
        return STILL, 0.0
    shares, swings = answers(plant_of(path, build), compensator_of(build), line, min(len(demand), MOST_TERMS))
    # the stage draws the choke's current times a duty that follows the link: i·v, not i; its bank takes a part of that
    stage = tuple(share + volts / path.load for share, volts in zip(shares, swings, strict=True))
    source, bank, leads = path.feed
    behind = open_share(line, source, leads, bank, len(stage))
    given = tuple(s * b for s, b in zip(stage, behind, strict=True))
    seen = pulsation(demand, given, held=True)
    choke = pulsation(demand, shares, held=True)
    swing = replace(choke, source=(seen.mean_square, seen.peak), smoothed=taken(demand, stage, given))
    return swing, abs(given[0])


@lru_cache(maxsize=128)
def held_swing(path: Path, build: Build, demand: Demand, line: float) -> Pulsation:
    """The same of a chosen controller, remembered: every pass at a point asks it."""
    return pulsation_of(path, build, demand, line)[0]


def _of(build: Build | Mapping[str, Any], name: str) -> Any:
    return getattr(build, name) if isinstance(build, Build) else build[name]


def plant_of(path: Path, build: Build | Mapping[str, Any]) -> Plant:
    """The stage as the controller sees it. Its load takes a constant power, unless that is fed forward."""
    pole = math.inf if _of(build, "feedback") == "bare divider" else OPTO_POLE
    if _of(build, "control") == VOLTAGE:
        return Plant(path.secondary / RAMP, path.choke, path.resistance, path.bank, path.esr, -path.load, pole)
    turns = _of(build, "sense_turns") if _of(build, "sensing") == "current transformer" else 1
    limit = TRIP_LEVEL * turns / _of(build, "sense_resistor") / path.ratio  # the whole ramp asks the choke for the trip
    load = math.inf if _of(build, "feed_forward") else -path.load
    return Plant(
        limit / RAMP,
        path.choke,
        path.resistance,
        path.bank,
        path.esr,
        load,
        pole,
        programmed=True,
        follows=path.frequency * FOLLOWS_SHARE,
    )


def compensator_of(build: Build | Mapping[str, Any]) -> Compensator:
    """The compensation as fitted."""
    return Compensator(*(_of(build, n) for n in ("r_top", "r2", "c1", "c2", "r3", "c3")))


def both_ways(need: ControllerNeed, build: Build, brief: Brief, rules: Rules) -> tuple[School, ...]:
    """Both ways of holding the link side by side, each with a compensation of its own; the build's own as it is fitted."""
    fields = build.model_dump()
    found = []
    for control in (CURRENT, VOLTAGE):
        if _of(build, "control") == control:
            found.append(judge_school(need, fields, brief, rules))
            continue
        other = fields | {
            "control": control,
            "feed_forward": control == CURRENT and brief.output.frequency > 0,
            "crossover": crossover_for(control, need.frequency, brief),
        }
        found.append(judge_school(need, other | compensation(need, other, rules), brief, rules))
    return tuple(found)
