"""Pictures of an adjustable output: what it is set to over the potentiometer's turn."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from rhombos.core.blocks.controller import ControllerBuild
from rhombos.core.blocks.dc_link import KEY as DC_LINK
from rhombos.core.blocks.setting import SettingBuild
from rhombos.core.book import sense
from rhombos.core.control.span import reached
from rhombos.core.frame.points import LOWEST_SET
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Mark, Scale, curve
from rhombos.core.units.quantities import fmt, short

TURN = np.linspace(0, 1, 61)
Settings = Callable[[int], NDArray[np.float64]]


def link_span(worked: Worked) -> Chart:
    """The link over the turn of a variable resistor below its divider."""
    build, link = worked.built(ControllerBuild), worked.builds[DC_LINK].voltage
    bottom = sense.divider.invert("R_2", {"V_set": link, "V_ref": build.reference, "R_1": build.r_top})

    def at(side: int) -> NDArray[np.float64]:
        left = reached(build.span_pot * (1 - TURN), build.span_end, side, worked.rules)
        return np.asarray(sense.divider(V_ref=build.reference, R_1=build.r_top, R_2=bottom + left), dtype=float)

    lowest = float(worked.settled[LOWEST_SET].states[DC_LINK].voltage)
    half = float(np.interp(0.5, TURN, at(0)))
    return _span(at, link, lowest, "link", f"Half a turn gives {fmt(half, 'V')}: a variable resistor below a divider works "
                 "fastest near its top. One with a falling logarithmic track makes it more even.")  # fmt: skip


def output_span(worked: Worked) -> Chart:
    """The output over the turn of a potentiometer across its reference."""
    output, build = worked.brief.output, worked.built(SettingBuild)

    def at(side: int) -> NDArray[np.float64]:
        track = reached(build.potentiometer, 0.0, side, worked.rules)
        wiper = {"R_1": (1 - TURN) * track, "R_2": build.end + TURN * track}
        return np.asarray(sense.turned_down(V_ref=output.voltage, **wiper), dtype=float)

    assert output.down_to is not None
    return _span(
        at, output.voltage, output.down_to, "output, RMS", "Even over the turn; both ends are stopped by what is fixed."
    )


def _span(at: Settings, highest: float, lowest: float, what: str, remark: str) -> Chart:
    x, v = Scale("1", 1.0), Scale("V", highest)
    return Chart(
        key="span",
        title="What it is set to over the turn",
        x=x.axis("turn, from lowest to highest", low=0, high=1),
        y=v.axis(what, low=0),
        series=(
            curve("as marked", TURN, at(0), x, v),
            curve("potentiometer low", TURN, at(-1), x, v, "faint"),
            curve("potentiometer high", TURN, at(1), x, v, "second"),
        ),
        marks=(
            Mark(at=v(lowest), label=f"asked {short(lowest, 'V')}", role="here"),
            Mark(at=v(highest), label=f"highest {short(highest, 'V')}", role="house"),
        ),
        remark=remark,
    )
