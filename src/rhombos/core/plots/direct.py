"""Pictures of a socket of direct voltage: its ripple, and a step of its load."""

from __future__ import annotations

import math

import numpy as np

from rhombos.core.blocks import dc_link
from rhombos.core.blocks.controller import KEY as CONTROLLER
from rhombos.core.blocks.dc_link import DcLinkBuild
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.front_end import FrontEndBuild
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.blocks.rectifier import KEY as RECTIFIER
from rhombos.core.design.outputs import DcOutput
from rhombos.core.frame.solve import Worked
from rhombos.core.parts import Capacitor
from rhombos.core.plots.model import Chart, Mark, Scale, curve
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.chain import Chain

BEFORE, AFTER = 2.0, 14.0
"""How long a step is watched before and after it, over the time in which the loop answers."""
POINTS = 600


def ripple(worked: Worked) -> Chart:
    """Two periods of the choke's current on the bank, capacitance and series resistance apart."""
    build = worked.built(DcLinkBuild)
    states = worked.settled["nominal"].states
    linked = states[dc_link.KEY]
    bank = dc_link.capacitance(build, worked.shelf)
    esr = worked.shelf.get(Capacitor, build.capacitor).esr * build.banks / build.count
    swing, period = states[RECTIFIER].ripple, 0.5 / worked.built(FrontEndBuild).frequency
    on = min(0.95, max(0.05, 2 * states[FRONT_END].duty))
    turn = np.linspace(0, 2, POINTS)
    phase = turn % 1.0
    amps = swing * np.where(phase < on, phase / on - 0.5, 0.5 - (phase - on) / (1 - on))
    steps = (amps[1:] + amps[:-1]) / 2 * np.diff(turn) * period / bank
    stored = np.concatenate([[0.0], np.cumsum(steps)])
    stored -= stored.mean()
    whole = stored + esr * amps
    t, v = Scale("s", period), Scale("V", float(np.ptp(whole)))
    return Chart(
        key="ripple",
        title="Ripple at the socket",
        x=t.axis("time", low=0, high=2 * period),
        y=v.axis(""),
        series=(
            curve("at the socket", turn * period, whole, t, v),
            curve("of the capacitance alone", turn * period, stored, t, v, "second"),
        ),
        remark=f"{fmt(swing, 'A')} of the choke's current on {fmt(bank, 'F')} with {fmt(esr, 'ohm')} in series: "
        f"{fmt(float(np.ptp(whole)), 'V', 2)} peak to peak; the sizing counts on {fmt(linked.ripple, 'V', 2)}, its parts in "
        "step. Edges of the diodes ring above it: a small film capacitor at the terminals takes them.",
    )


def step(worked: Worked) -> Chart:
    """The socket at a step from nothing to full power, marched with the stage and its loop."""
    supply = worked.route.supply(worked.settled, worked.builds, worked.brief, worked.shelf, worked.rules)
    now = worked.settled["nominal"].states
    asked = worked.brief.output
    assert isinstance(asked, DcOutput)
    volts, amps, crossover = now[dc_link.KEY].voltage, now[LOAD].current, max(10.0, now[CONTROLLER].crossover)
    answers = 1 / (2 * math.pi * crossover)
    begin, end = -BEFORE * answers, AFTER * answers
    width = min(10e-6, answers / 20)
    chain = Chain(supply, begin - 200 * width, volts, volts / supply.leak)
    for at in np.arange(begin - 200 * width, end, width):
        chain.stands(float(at), width, amps if at >= 0 else 0.0, 1.0)
    trail = chain.finish(end)
    seen = trail.time >= begin
    time, link = trail.time[seen], trail.link[seen]
    lowest = float(link.min())
    t, v = Scale("s", answers), Scale("V", volts)
    held = volts * (1 - asked.dip)
    low, grid = min(lowest, held), 10 ** math.floor(math.log10(volts - min(lowest, held)))
    return Chart(
        key="step",
        title="Step from nothing to full power",
        x=t.axis("time", low=0, high=end - begin),
        y=v.axis("", low=grid * (math.ceil(low / grid) - 1), high=grid * (math.floor(volts / grid) + 1)),
        series=(curve("socket", time - begin, link, t, v),),
        marks=(Mark(at=v(held), label=f"allowed {short(held, 'V')}", role="house"),),
        remark=f"Marched with stage and loop at the nominal input: {fmt(volts - lowest, 'V')} at its deepest. The loop's own "
        f"answer, with a load that keeps its power, is {fmt(now[CONTROLLER].dip, 'V')}; the corner at the step is the bank's "
        "series resistance.",
    )
