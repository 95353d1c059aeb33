"""Pictures of the line-frequency routes: output against the source, losses against the load, the winding window."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from rhombos.core.blocks import iron_transformer
from rhombos.core.blocks.iron_transformer import IronTransformerBuild
from rhombos.core.blocks.oscillator import KEY as OSCILLATOR
from rhombos.core.frame.points import Point, operating_points
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, curve, roomy
from rhombos.core.plots.window import window_boxes
from rhombos.core.units.quantities import fmt, short

STEPS = 9


def _settled(worked: Worked, points: dict[str, Point]) -> dict[str, Any]:
    return worked.route.converge_all(worked.builds, worked.brief, worked.shelf, worked.rules, points=points, tolerance=1e-4)


def iron_window(worked: Worked) -> Chart:
    """The window in cross-section, to scale."""
    build = worked.built(IronTransformerBuild)
    made = iron_transformer.made(build, worked.shelf)
    turns = f"{build.primary_turns}+{build.primary_turns}" if made.halves == 2 else str(build.primary_turns)
    ring = " (a ring: its inner circumference unrolled)" if made.stack.shape == "strip ring" else ""
    return Chart(
        key="window",
        title="Winding window, to scale",
        boxes=window_boxes(made, made.stack.b_w, made.stack.height),
        remark=f"{made.stack.id}: {made.stack.b_w * 1e3:.1f} × {made.stack.height * 1e3:.1f} mm{ring}. Primary {turns} turns, "
        f"{build.primary_in_hand} in parallel; secondary {build.secondary_turns} turns, {build.secondary_in_hand} "
        f"in parallel; {fmt(made.fill, '%', 2)} of the height.",
    )


def output_over_input(worked: Worked) -> Chart:
    """Output voltage over the source's band, at full power and with nothing plugged in."""
    brief = worked.brief
    empty, nominal, full = brief.source.volts
    base = operating_points(brief)
    v = Scale("V", full)
    u = Scale("V", brief.output.voltage)
    series, most = [], 0.0
    emfs = np.linspace(empty, full, STEPS)
    for key, name, role in (("nominal", "full power", "main"), ("idle", "no load", "second")):
        found = _settled(worked, {str(i): replace(base[key], emf=float(e)) for i, e in enumerate(emfs)})
        volts = [found[str(i)].states[iron_transformer.KEY].output for i in range(STEPS)]
        most = max(most, *volts)
        series.append(curve(name, emfs, volts, v, u, role))  # type: ignore[arg-type]
    now = worked.settled["nominal"].states[iron_transformer.KEY].output
    held = (
        "The controller holds it while the source and the turns allow."
        if brief.output.waveform != "square"
        else ("Nothing holds it: it follows the input and the load.")
    )
    return Chart(
        key="regulation",
        title="Output against the source",
        x=v.axis("input, unloaded", low=empty, high=full),
        y=u.axis("RMS", low=0, high=roomy(most)),
        series=tuple(series),
        marks=(Mark(at=u(brief.output.voltage), label=f"asked {short(brief.output.voltage, 'V')}", role="house"),),
        dots=(Dot(x=v(nominal), y=u(now), label=fmt(now, "V")),),
        remark=held,
    )


def frequency_over_input(worked: Worked) -> Chart:
    """How the clock of a self-oscillating stage follows the input, loaded and empty."""
    brief = worked.brief
    empty, _, full = brief.source.volts
    base = operating_points(brief)
    v, f = Scale("V", full), Scale("Hz", brief.output.frequency)
    emfs = np.linspace(empty, full, STEPS)
    series, most = [], 0.0
    for key, name, role in (("nominal", "full power", "main"), ("idle", "no load", "second")):
        found = _settled(worked, {str(i): replace(base[key], emf=float(e)) for i, e in enumerate(emfs)})
        hertz = [found[str(i)].states[OSCILLATOR].frequency for i in range(STEPS)]
        most = max(most, *hertz)
        series.append(curve(name, emfs, hertz, v, f, role))  # type: ignore[arg-type]
    return Chart(
        key="clock",
        title="Frequency against the source",
        x=v.axis("input, unloaded", low=empty, high=full),
        y=f.axis("", low=0, high=roomy(most)),
        series=tuple(series),
        marks=(Mark(at=f(brief.output.frequency), label=f"asked {short(brief.output.frequency, 'Hz')}", role="house"),),
        remark="The drive transformer saturates after so many volt-seconds: a higher source swings it faster, and the iron "
        "sees the same flux at all of them.",
    )


def loss_against_load(worked: Worked) -> Chart:
    """What iron, copper and the rest lose from no load to full power."""
    brief = worked.brief
    point = operating_points(brief)["nominal"]
    shares = np.linspace(0.02, 1.0, STEPS)
    found = _settled(worked, {str(i): replace(point, power=float(s * point.power)) for i, s in enumerate(shares)})
    wound = [found[str(i)].states[iron_transformer.KEY] for i in range(STEPS)]
    total = [found[str(i)].flow["source"] - found[str(i)].flow["load"] for i in range(STEPS)]
    watts = shares * point.power
    x, p = Scale("W", point.power), Scale("W", max(total))
    good = max(range(STEPS), key=lambda i: found[str(i)].flow["load"] / found[str(i)].flow["source"])
    return Chart(
        key="load_losses",
        title="Loss against load",
        x=x.axis("power at the socket", low=0),
        y=p.axis("", low=0, high=roomy(max(total))),
        series=(
            curve("whole inverter", watts, total, x, p),
            curve("copper", watts, [w.copper for w in wound], x, p, "second"),
            curve("iron", watts, [w.core for w in wound], x, p, "third"),
        ),
        remark=f"The iron loses {fmt(wound[0].core, 'W')} day and night; the whole is best near "
        f"{fmt(float(watts[good]), 'W', 2)}.",
    )
