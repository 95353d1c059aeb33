"""Pictures of an auxiliary output: where its losses go from end to end of the input, and its choke's current."""

from __future__ import annotations

import numpy as np

from rhombos.core.blocks import auxiliary_output as block
from rhombos.core.frame.solve import Worked
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.plots.model import Chart, Role, Scale, about, curve, roomy
from rhombos.core.units.quantities import fmt

POINTS = 41
PERIODS = 2
LOST: tuple[tuple[str, str, Role], ...] = (
    ("conduction", "switch, conducting", "main"),
    ("switching", "switch, switching", "second"),
    ("diode_loss", "diode", "third"),
    ("choke", "choke", "faint"),
)


def losses(worked: Worked) -> Chart:
    """What is lost where, over the voltage at the input bank."""
    build = worked.builds[block.KEY]
    held = [worked.settled[k].states[block.KEY] for k in ("low", "high")]
    power = block.asked_of(worked.brief).power.continuous
    first, last = (s.power_in / s.drawn for s in held)
    volts = np.linspace(first, last, POINTS)
    states = [block.assess(float(v), power, build, worked.brief, worked.shelf, worked.rules, SILENT) for v in volts]
    burnt = {"choke": [s.choke_copper + s.choke_core for s in states]}
    burnt |= {name: [getattr(s, name) for s in states] for name, _, _ in LOST if name != "choke"}
    most = max(max(watts) for watts in burnt.values())
    x, y = Scale("V", last), Scale("W", most)
    return Chart(
        key="auxiliary-losses",
        title="Losses over the input",
        x=x.axis("at the input bank", low=about(volts)[0], high=about(volts)[1]),
        y=y.axis("lost", low=0, high=roomy(most)),
        series=tuple(curve(said, volts, burnt[name], x, y, role) for name, said, role in LOST),
        remark="At full power, from the lowest input to the highest as they sag with all outputs; gate and controller besides.",
    )


def choke_current(worked: Worked) -> Chart:
    """The choke's current over two periods, at either end of the input."""
    build = worked.builds[block.KEY]
    hertz, limit = build.frequency, build.limit
    x, y = Scale("s", PERIODS / hertz), Scale("A", limit)
    series = []
    roles: tuple[tuple[str, str, Role], ...] = (("low", "lowest input", "second"), ("high", "highest input", "main"))
    for key, said, role in roles:
        state = worked.settled[key].states[block.KEY]
        bottom, falls = state.peak - state.swing, state.falls
        corners = (0.0, state.duty, min(1.0, state.duty + falls))
        time = [(n + at) / hertz for n in range(PERIODS) for at in (*corners, 1.0)]
        series.append(curve(said, time, [bottom, state.peak, bottom, bottom] * PERIODS, x, y, role))
    series.append(curve("current limit", [0.0, PERIODS / hertz], [limit, limit], x, y, "faint"))
    return Chart(
        key="auxiliary-choke",
        title="Current of the choke",
        x=x.axis("time", low=0, high=PERIODS / hertz),
        y=y.axis("choke", low=0, high=roomy(limit)),
        series=tuple(series),
        remark=f"At full power. At {fmt(limit, 'A')} its controller ends a pulse: a short of the output, and every start.",
    )
