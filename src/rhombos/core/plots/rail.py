"""Pictures of a DC rail: its line against the load's curve."""

from __future__ import annotations

import numpy as np

from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.blocks.source.rail import latches_below
from rhombos.core.design.sources import RailSource
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, curve, roomy
from rhombos.core.units.quantities import fmt, short

LOWEST_DRAWN = 0.3
"""Share of the lowest voltage down to which the load's curve is drawn."""


def line(worked: Worked) -> Chart:
    """Voltage against current: the supply at its lowest, up to its limit and down it, and what full power draws."""
    supply = worked.brief.source
    assert isinstance(supply, RailSource)
    state = worked.settled["low"].states[SOURCE]
    floor = LOWEST_DRAWN * supply.lowest
    amps = np.linspace(0, supply.limit, 40)
    volts = np.linspace(floor, 1.05 * supply.highest, 120)
    latch = latches_below(supply, state.power)
    most = 1.35 * max(supply.limit, state.current)
    x, y = Scale("A", most), Scale("V", supply.highest)
    draws = state.power / volts
    shown = draws <= most
    meets = "" if state.collapsed else f"they meet at {fmt(state.terminal, 'V')}; "
    return Chart(
        key="rail-line",
        title="Rail and load",
        x=x.axis("current", low=0, high=most),
        y=y.axis("at the terminals", low=0, high=roomy(1.02 * supply.highest)),
        series=(
            curve("rail, lowest", [*amps, supply.limit], [*(supply.lowest - amps * supply.resistance), 0.0], x, y),
            curve("full power draws", draws[shown], volts[shown], x, y, "second"),
        ),
        marks=(Mark(at=y(latch), label=f"latches below {fmt(latch, 'V')}", role="house"),),
        dots=() if state.collapsed else (Dot(x=x(state.current), y=y(state.terminal), label="here"),),
        remark=f"Constant voltage behind {short(supply.resistance, 'ohm')}, then constant current: {meets}below "
        f"{fmt(latch, 'V')} full power asks more than {short(supply.limit, 'A')}, and the rail stays down until the load goes.",
    )
