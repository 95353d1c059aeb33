"""Pictures of an input on one-phase mains."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from rhombos.core.blocks.mains_input import KEY, Draws, Line, MainsInputBuild, capacitance, marched
from rhombos.core.frame.solve import Worked
from rhombos.core.parts import Capacitor, Shelf
from rhombos.core.plots.model import Chart, Mark, Role, Scale, curve, roomy
from rhombos.core.routes.mains_line import line_at
from rhombos.core.routes.on_source import SourceSettled
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.line_rectifier import Rectified

Array = NDArray[np.float64]
POINTS = 400


def pictures(line: Line, draws: Draws, build: MainsInputBuild, shelf: Shelf) -> tuple[Chart, ...]:
    """Mains and line current, the bank at three mains voltages, harmonics."""
    made = [marched(line, volts, draws, build, shelf) for volts in line.volts]
    if not all(m.held for m in made):
        return (FALLEN,)
    return (_line(made[1]), _bank(line, made, build, shelf), _harmonics(made[1]))


FALLEN = Chart(key="bank", title="Bank", remark="The mains cannot feed this load: nothing to draw.")


def line_current(worked: Worked) -> Chart:
    """Mains and line current at full power."""
    made = _marched(worked)
    return _line(made[1]) if made else FALLEN


def bank(worked: Worked) -> Chart:
    """The bank at three mains voltages, full power, as the load's own swing passes by."""
    made = _marched(worked)
    if not made:
        return FALLEN
    return _bank(line_at(worked), made, worked.builds[KEY], worked.shelf)


def harmonics(worked: Worked) -> Chart:
    """Harmonics of the line current at full power."""
    made = _marched(worked)
    return _harmonics(made[1]) if made else FALLEN


def _marched(worked: Worked) -> list[Rectified]:
    """Full power at three mains voltages; none where one of them falls."""
    line, found = line_at(worked), []
    for key, volts in zip(("low", "nominal", "high"), line.volts, strict=True):
        at = worked.settled[key]
        assert isinstance(at, SourceSettled)
        assert at.draws is not None, "a route on the mains"
        found.append(marched(line, volts, at.draws, worked.builds[KEY], worked.shelf))
    return found if all(m.held for m in found) else []


def _over(made: Rectified, values: Array, turned: bool) -> tuple[Array, Array]:
    """Two half periods in a row, the second turned about where the line is meant."""
    half = 0.5 / made.mains.hertz
    time = np.linspace(0, 2 * half, 2 * POINTS)
    if made.halves > 1:
        return time, np.interp(time, made.time, values)
    one = np.interp(time % half, made.time, values)
    return time, np.where(time >= half, -one, one) if turned else one


def _line(made: Rectified) -> Chart:
    time, amps = _over(made, made.current, True)
    volts = made.mains.crest * np.sin(made.mains.turn * time)
    most = max(float(np.abs(amps).max()), 1e-3)
    t, a = Scale("s", 1 / made.mains.hertz), Scale("A", most)
    shown = volts / made.mains.crest * roomy(most)  # of any height: the form counts
    return Chart(
        key="line",
        title="Line current",
        x=t.axis("time", low=0, high=1 / made.mains.hertz),
        y=a.axis("", low=-roomy(most), high=roomy(most)),
        series=(curve("line current", time, amps, t, a), curve("mains, its form", time, shown, t, a, "faint")),
        remark=f"Diodes conduct for {fmt(made.conducts * 180, '1', 3)}° of each half period: {fmt(made.peak, 'A')} peak, "
        f"{fmt(made.rms, 'A')} RMS, power factor {fmt(made.power_factor, '1', 2)}.",
    )


def _bank(line: Line, made: list[Rectified], build: MainsInputBuild, shelf: Shelf) -> Chart:
    t = Scale("s", 1 / line.hertz)
    top = build.banks * shelf.get(Capacitor, build.capacitor).v_rating
    v = Scale("V", top)
    roles: tuple[Role, ...] = ("second", "main", "third")
    curves = tuple(
        curve(f"{short(m.mains.volts, 'V')}", *_over(m, m.bank, False), t, v, role) for m, role in zip(made, roles, strict=True)
    )
    lowest = min(m.lowest for m in made)
    return Chart(
        key="bank",
        title="Bank at lowest, nominal and highest mains",
        x=t.axis("time", low=0, high=1 / line.hertz),
        y=v.axis("", low=0, high=roomy(top)),
        series=curves,
        marks=(
            Mark(at=v(line.least), label=f"needed {short(line.least, 'V')}", role="house"),
            Mark(at=v(top), label=f"rating {short(top, 'V')}", role="rating"),
        ),
        remark=f"{fmt(capacitance(build, shelf), 'F')}; valley {fmt(lowest, 'V')} at the lowest.",
    )


def _harmonics(made: Rectified) -> Chart:
    orders = np.arange(1, 2 * made.harmonics.size, 2, dtype=float)
    keep = orders <= 25
    a = Scale("A", max(float(made.harmonics.max()), 1e-3))
    n = Scale("1", 25.0)
    return Chart(
        key="harmonics",
        title="Harmonics of the line current, RMS",
        x=n.axis("order", low=0, high=26),
        y=a.axis("", low=0),
        series=(curve("line", orders[keep], made.harmonics[keep], n, a).model_copy(update={"kind": "sticks"}),),
        remark=f"Distortion {fmt(made.distortion, '%')}. What a standard allows depends on its class and on the power: look "
        "there.",
    )
