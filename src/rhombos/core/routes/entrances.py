"""The bank that a source meets first, behind leads or behind a rectifier, as protection asks of it."""

from __future__ import annotations

from rhombos.core.blocks import input_stage, mains_input
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import Entrance, LineDrawn
from rhombos.core.parts import Capacitor
from rhombos.core.routes.supply import source_of

LEAST_FED = 1e-6
"""Current that a bank counts as fed with at least, A."""


def behind_leads(at: Sizing) -> Entrance:
    """A bank behind fuse and cable of a source of direct voltage."""
    build, flat = at.builds[input_stage.KEY], at.settled["low"]
    return Entrance(
        input_stage.KEY,
        at.shelf.get(Capacitor, build.capacitor).v_rating * build.banks,
        source_of(at.brief.source.volts[1], at.builds, at.brief, at.shelf, at.rules).resistance,
        at.now[SOURCE].current,
        flat.states[SOURCE].current,
        max(s.states[input_stage.KEY].returned for s in at.settled.values()),
    )


def behind_a_rectifier(at: Sizing) -> Entrance:
    """A bank behind a rectifier: what takes it down to its valley counts, where a threshold must not act."""
    build, flat = at.builds[mains_input.KEY], at.settled["low"]
    fed = _fed(flat)
    sags = max(0.0, flat.point.emf - flat.states[mains_input.KEY].valley)
    rated = at.shelf.get(Capacitor, build.capacitor).v_rating * build.banks
    return Entrance(mains_input.KEY, rated, sags / max(fed, LEAST_FED), _fed(at.settled["nominal"]), fed, 0.0)


def line_drawn(at: Sizing) -> LineDrawn:
    """What a rectifier loads the mains with."""
    now = at.now[mains_input.KEY]
    return LineDrawn(now.line_rms, now.power_factor)


def _fed(s: Settled) -> float:
    """Direct current that the next stage draws from a rectifier's bank, A."""
    state = s.states[mains_input.KEY]
    return state.given / state.mean
