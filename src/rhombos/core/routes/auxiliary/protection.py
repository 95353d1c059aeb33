"""What protects the path: thresholds on source and output, overload, short circuit."""

from __future__ import annotations

from collections.abc import Iterator

from rhombos.core.blocks import protection as block
from rhombos.core.blocks import protection_report
from rhombos.core.blocks.isolation import KEY as ISOLATION
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.blocks.short_path import ShortPath
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.blocks.source import rail
from rhombos.core.circuits import beside
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.sources import RESTING, MainsSource, RailSource
from rhombos.core.frame.points import LASTING, SURGING
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import AuxiliaryOf, Entrance
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.routes import small_parts

LARGEST_CREST = 2**0.5


def need_of(at: Sizing) -> block.ProtectionNeed:
    """Source band, what is asked, and the currents of the load: its RMS, and how high it peaks in the surge, as the socket
    sees it."""
    brief = at.brief
    empty, nominal, full = brief.source.volts
    drawn = at.now[LOAD]
    at_rated = drawn.rated / drawn.voltage
    steady, surging = (
        [s for k, s in at.settled.items() if k in keys and not s.states[SOURCE].collapsed] for keys in (LASTING, SURGING)
    )
    # a socket that nothing holds draws more on a higher input; an auxiliary output has a fuse and a limit of its own: what it
    # leaves unused is not for the main stages
    continuous = max([brief.converted, *(s.delivered - s.point.auxiliary for s in steady)])
    surge = max([brief.surge_converted, *(s.delivered - s.point.auxiliary for s in surging)])
    more = brief.power.surge / brief.power.continuous * at_rated
    peaks = [more * (drawn.peak_current if brief.output.waveform != "sine" else LARGEST_CREST * drawn.current)]
    if brief.output.stepped:
        peaks += [s.states[LOAD].peak_current for s in surging]
    banks = at.facets(lambda stage: stage.bank) if brief.output.direct else []
    entrance = bank_of(at)
    return block.ProtectionNeed(
        empty,
        nominal,
        full,
        entrance.ohms,
        continuous,
        surge,
        brief.surge_time,
        brief.output.voltage,
        max([at_rated * drawn.rms, *(s.states[LOAD].rms for s in steady)]),
        max([*peaks, *at.facets(lambda stage: stage.surges)]),
        max((d.supply for d in at.facets(lambda stage: stage.drive)), default=at.rules.gate_drive),
        *_resting(brief, at.settled["low"].states[SOURCE].power),
        *(banks[-1] if banks else (0.0, 0.0)),
        lifted=entrance.lifted,
        high_frequency=brief.output.quick,
        fed_by="mains" if brief.mains else "rail",
        bank=entrance.block,
    )


def bank_of(at: Sizing) -> Entrance:
    """The bank that the source meets first."""
    return at.facets(lambda stage: stage.entrance)[0]


def _resting(brief: Brief, power: float) -> tuple[tuple[float, ...], float]:
    """Volts of the rested battery; and below which voltage a power, W, would hold a rail at its limit."""
    feed = brief.source
    if isinstance(feed, RailSource):
        return (), rail.latches_below(feed, power)
    if isinstance(feed, MainsSource):
        return (), 0.0
    return tuple(feed.cells * v for v in RESTING[feed.chemistry]), 0.0


def short_of(at: Sizing) -> ShortPath:
    """What a short at the socket meets on its way back to the last switches before it."""
    return at.facets(lambda stage: stage.shorted)[-1]


def outputs_of(at: Sizing) -> tuple[float, float]:
    """Lowest and highest output over the steady points and idle, V RMS."""
    found = [at.brief.output.voltage]
    for key in (*LASTING, "idle", "set_idle"):
        if key not in at.settled:
            continue
        states = at.settled[key].states
        if not states[SOURCE].collapsed:
            found.append(at.socket_volts(states))
    return min(found), max(found)


def _propose(at: Sizing, pins: Fields) -> block.ProtectionBuild:
    """Thresholds and trips for the path as it stands."""
    return block.propose(need_of(at), short_of(at), bank_of(at).lowest, outputs_of(at), pins, at.rules)


def _assess(at: Sizing, worksheet: Worksheet) -> block.ProtectionState:
    """What they do with the lowest input at full power, and with a surge."""
    flat, surge, fed = at.settled["low"].states[SOURCE], at.settled["surge_low"].states[SOURCE], bank_of(at)
    return block.assess(
        need_of(at),
        at.builds[block.KEY],
        (fed.lowest, flat.power, surge.power),
        outputs_of(at),
        short_of(at),
        (fed.nominal, at.now[SOURCE].run_time),
        worksheet,
    )


def _report(sheet: protection_report.Sheet, at: Sizing) -> BlockReport:
    return protection_report.report(sheet, need_of(at), short_of(at), bank_of(at).rated)


def _requirements(at: Sizing) -> Iterator[Requirement]:
    """Relay, suppressor, trimmer."""
    output = at.brief.output
    return block.requirements(
        at.builds[block.KEY], at.builds[ISOLATION].coil_rated, output.direct, output.quick)  # fmt: skip


STAGE = AuxiliaryOf(
    block.KEY, block.TITLE, block.ProtectionBuild, block.parts, _report, _requirements,
    propose=_propose, assess=_assess, sheet=13, circuit=lambda words: beside.CUT_OFF, small=small_parts.protection)  # fmt: skip
