"""What stands before the bridge, as the scope marches it: taken from the settled nominal point, so that both agree there."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from rhombos.core.blocks import dc_link, input_stage, link_loop
from rhombos.core.blocks.controller import KEY as CONTROLLER
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.blocks.output_filter import KEY as OUTPUT_FILTER
from rhombos.core.blocks.rectifier import KEY as RECTIFIER
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.blocks.transformer import KEY as TRANSFORMER
from rhombos.core.design.brief import Brief
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds, States
from rhombos.core.frame.report import Operating, Stepped
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.topology import RECTIFIERS, TOPOLOGIES
from rhombos.core.parts import Shelf
from rhombos.core.waves.chain import Feed, FrontEnd, Loop, Supply, referred

if TYPE_CHECKING:
    from rhombos.core.routes.converge import LinkSettled

WIRING = 2.5e-6
"""Inductance of the leads to a load, or to a short, at the end of two metres of cord, H."""
LEAST_PATH = 1e-3
"""Resistance that every way has, Ω."""
LEAST_BANK = 1e-6
"""Capacitance that every input has, F."""


def line_current(states: States, ratio: float = 1.0) -> float:
    """RMS current between bridge and socket, A, as seen from the socket, without the carrier's ripple: of a filter behind a
    transformer's ratio, its inductor's; of a stepped wave, the load's."""
    return float(states[OUTPUT_FILTER].rms / ratio if OUTPUT_FILTER in states else states[LOAD].rms)


def source_of(emf: float, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules) -> Feed:
    """Cells, cable, fuse and contacts in one, and the input bank across the whole input."""
    entry = builds[input_stage.KEY]
    resistance = brief.source.internal_resistance + input_stage.resistance(entry, brief, shelf, rules)
    leads = input_stage.inductance(entry, brief)
    return Feed(emf, max(LEAST_PATH, resistance), max(LEAST_BANK, input_stage.capacitance(entry, shelf)), leads)


FRAMES = 1 / 25
"""Frames of a record of direct voltage, over one switch's frequency: a step of the load is over well within one record."""


def seen_direct(now: LinkSettled) -> Stepped:
    """A socket that is the link, as the scope sees it; the least resistance that every way has is a part of the load's."""
    volts, load = now.states[dc_link.KEY].voltage, now.states[LOAD]
    return Stepped(
        v_link=volts,
        level=volts,
        fraction=1.0,
        line=FRAMES * now.path.frequency,
        resistance=LEAST_PATH,
        inductance=WIRING,
        load_resistance=max(LEAST_PATH, load.resistance - LEAST_PATH),
        load_inductance=0.0,
        direct=True,
    )


def link_supply(
    settled: Mapping[str, LinkSettled], at: Operating | Stepped, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules
) -> Supply:
    """A front end with its link: resistance and steady losses are what the settled point lost at full power; what bridge and
    filter lose beyond the resistance of `at` counts among the steady ones."""
    now = settled["nominal"]
    states = now.states
    how, topology = RECTIFIERS[builds[RECTIFIER].circuit], TOPOLOGIES[builds[FRONT_END].topology]
    linking, ratio = builds[dc_link.KEY], builds[TRANSFORMER].ratio * topology.drive * how.gain
    link = states[dc_link.KEY].voltage
    beside = 0.0 if brief.output.direct else at.resistance * line_current(states) ** 2
    taken = now.flow["load"] + beside
    current = taken / link + link / linking.bleeder
    leak_duty = states[TRANSFORMER].leakage_duty
    duty = 2 * states[FRONT_END].duty - leak_duty if how.choke else 1.0
    drop = how.gain * how.series * states[RECTIFIER].drop
    feed = source_of(now.point.emf, builds, brief, shelf, rules)
    drawn = states[SOURCE].current
    v_in = feed.emf - feed.resistance * drawn
    resistance = max(LEAST_PATH, (duty * ratio * v_in - drop - link) / current)
    stage = FrontEnd(
        ratio,
        builds[RECTIFIER].inductance if how.choke else 0.0,
        resistance,
        drop,
        2 * builds[FRONT_END].frequency,
        max(duty, 2 * min(rules.duty_limit, states[CONTROLLER].ceiling) - leak_duty) if how.choke else 1.0,
    )
    steering = builds[CONTROLLER]
    plant = link_loop.plant_of(now.path, steering)
    programmed = plant.programmed and how.choke
    loop = (
        Loop(
            link,
            link_loop.compensator_of(steering),
            link_loop.RAMP,
            plant.pole,
            plant.gain if programmed else 0.0,
            plant.follows if programmed else 0.0,
            1 / (2 * brief.output.frequency) if programmed and steering.feed_forward and brief.output.frequency else 0.0,
        )
        if how.choke
        else None
    )
    idle = max(0.0, v_in * (drawn - ratio * duty * current))
    esr = now.path.esr if brief.output.direct else 0.0
    return Supply(feed, stage, dc_link.capacitance(linking, shelf), linking.bleeder, loop, idle, esr)


def source_supply(
    settled: Mapping[str, Settled], at: Operating | Stepped, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules,
    leads: bool = False,
) -> Supply:  # fmt: skip
    """A bridge on the source itself, seen from beyond its transformer; `at` is the nominal point, whose resistance makes the
    losses that its current makes; `leads`: whether what it draws changes too quickly for the source's leads."""
    now = settled["nominal"]
    feed = source_of(now.point.emf, builds, brief, shelf, rules)
    if isinstance(at, Stepped) and not leads:
        # at each step leads and bank would ring, which the cans' own resistance damps: left out
        feed = replace(feed, inductance=0.0)
    cells, line = now.states[SOURCE], line_current(now.states, at.ratio)
    idle = feed.emf * cells.current - feed.resistance * cells.rms**2 - now.flow["load"] - at.resistance * line**2
    return referred(Supply(feed, None, 0.0, math.inf, None, max(0.0, idle)), at.ratio)
