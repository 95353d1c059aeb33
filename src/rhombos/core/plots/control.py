"""Pictures of the controller: what the frequency trimmer covers, and the loop's Bode plot."""

from __future__ import annotations

import numpy as np

from rhombos.core.blocks import controller, link_loop
from rhombos.core.blocks.controller import ControllerBuild
from rhombos.core.blocks.front_end import FrontEndBuild
from rhombos.core.control.loops import loop
from rhombos.core.frame.solve import Worked
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, Series, curve
from rhombos.core.routes.auxiliary.controller import link_need
from rhombos.core.routes.narrowed import linked
from rhombos.core.units.quantities import fmt, short

LOWEST_DB, HIGHEST_DB = -50.0, 120.0


def trimmer_range(worked: Worked) -> Chart:
    """Oscillator frequency over the trimmer's turn, with what tolerances make of it."""
    build = worked.built(ControllerBuild)
    wanted = 2 * worked.built(FrontEndBuild).frequency
    turn = np.linspace(0, 1, 41)
    rules = worked.rules
    spread = rules.resistor_tolerance + rules.capacitor_tolerance + rules.oscillator_tolerance
    nominal = np.array(
        [controller.oscillator_at(build, build.timing_resistor + x * build.timing_trimmer, SILENT) for x in turn]
    )
    x, f = Scale("1", 1.0), Scale("Hz", wanted)
    right = float(np.interp(-wanted, -nominal, turn)) if nominal[-1] <= wanted <= nominal[0] else None
    dots = (Dot(x=x(right), y=f(wanted), label=""),) if right is not None else ()
    return Chart(
        key="trimmer",
        title="Oscillator over the trimmer's turn",
        x=x.axis("turn, from minimum to maximum resistance", low=0, high=1),
        y=f.axis("oscillator", low=0),
        series=(
            curve("as marked", turn, nominal, x, f),
            curve("fastest corner", turn, nominal * (1 + spread), x, f, "faint"),
            curve("slowest corner", turn, nominal * (1 - spread), x, f, "second"),
        ),
        marks=(Mark(at=f(wanted), label=f"wanted {short(wanted, 'Hz')}", role="here"),),
        dots=dots,
        remark=f"As marked, {short(wanted, 'Hz')} stands at {right:.0%} of the turn; every board must find it between the ends."
        if right is not None
        else "As marked, the trimmer does not reach the wanted frequency.",
    )


def bode(worked: Worked) -> Chart:
    """Gain and phase of the loop, lowest input, full power."""
    need = link_need(worked.route, linked(worked.settled), worked.builds, worked.shelf, worked.rules)
    build = worked.built(ControllerBuild)
    frequency, gain, phase = loop(link_loop.plant_of(need.path, build), link_loop.compensator_of(build))
    keep = frequency <= 4 * need.frequency
    frequency, gain, phase = frequency[keep], gain[keep], phase[keep]
    level = np.clip(20 * np.log10(np.abs(gain)), LOWEST_DB, HIGHEST_DB)
    above = np.clip(180 + np.degrees(phase), LOWEST_DB, HIGHEST_DB)
    state = worked.settled["low"].states[controller.KEY]
    f, g = Scale("Hz", 1e3), Scale("1", 1)
    line = worked.brief.output.frequency
    twice = (Mark(at=f(2 * line), label="twice the line", role="here", upright=True),) if line else ()
    return Chart(
        key="bode",
        title="Loop: gain and phase margin",
        x=f.axis("frequency", log=True),
        y=g.axis("dB, °", low=LOWEST_DB, high=HIGHEST_DB),
        series=(
            Series(name="gain, dB", x=f.all(frequency), y=g.all(level)),
            Series(name="phase margin, degrees", x=f.all(frequency), y=g.all(above), role="second"),
        ),
        marks=(Mark(at=0.0, label="gain of one", role="house"), *twice),
        dots=(Dot(x=f(state.crossover), y=min(state.phase, HIGHEST_DB), label=f"{state.phase:.0f}° margin"),)
        if state.crossover > 0
        else (),
        remark=f"Crosses over at {fmt(state.crossover, 'Hz')} with the parts as rounded; choke and bank resonate at "
        f"{fmt(state.resonance, 'Hz')}. The lowest input at full power, where the duty is largest.",
    )
