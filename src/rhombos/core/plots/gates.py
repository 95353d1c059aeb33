"""Pictures of the gate drive: a gate's voltage through both edges, and the bootstrap over a line period."""

from __future__ import annotations

from typing import Any

import numpy as np

from rhombos.core.blocks import gate_drive
from rhombos.core.blocks.bootstrap import bootstrap_droop
from rhombos.core.blocks.bridge_drive import KEY as BRIDGE_DRIVE
from rhombos.core.blocks.front_drive import KEY as FRONT_DRIVE
from rhombos.core.control.gates import IGBT_PLATEAU
from rhombos.core.frame.keys import Key
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Mark, Scale, curve, limits, roomy
from rhombos.core.routes.driven import drive_need, front_need, gate_loop
from rhombos.core.units.quantities import fmt, short

SETTLED = 4.0
"""Time constants after which a gate is drawn as full."""


NEEDS = {BRIDGE_DRIVE: drive_need, FRONT_DRIVE: front_need}


def _need(worked: Worked, block: Key[gate_drive.GateDriveBuild, gate_drive.DriveState]) -> gate_drive.DriveNeed:
    return NEEDS[block](worked.settled["nominal"], worked.builds, worked.brief)


def gate_edges(worked: Worked, block: Key[gate_drive.GateDriveBuild, gate_drive.DriveState]) -> Chart:
    """One gate from off to on and back: through its resistance to the plateau, along it, and on."""
    build = worked.builds[block]
    need = _need(worked, block)
    state = worked.settled["nominal"].states[block]
    device = worked.shelf.transistor(need.device)
    loop = gate_loop(build, need.parallel, worked.shelf)
    level = min(getattr(device, "v_plateau", IGBT_PLATEAU), 0.98 * loop.volts)
    up, down = max(loop.on, 0.01) * state.capacitance, max(loop.off, 0.01) * state.capacitance
    to_level, from_level = -up * np.log(1 - level / loop.volts), down * np.log(loop.volts / level)
    rest = 0.35 * (SETTLED * (up + down) + state.on_time + state.off_time)
    share = np.linspace(0, 1, 40)
    pieces: list[tuple[Any, Any]] = [
        (to_level * share, loop.volts * (1 - np.exp(-to_level * share / up))),
        (np.array([state.on_time]), np.array([level])),
        (SETTLED * up * share, loop.volts - (loop.volts - level) * np.exp(-SETTLED * share)),
        (np.array([rest]), np.array([loop.volts])),
        (from_level * share, loop.volts * np.exp(-from_level * share / down)),
        (np.array([state.off_time]), np.array([level])),
        (SETTLED * down * share, level * np.exp(-SETTLED * share)),
    ]
    times, volts, at = [], [], 0.0
    for t, v in pieces:
        times.append(at + t)
        volts.append(v)
        at += float(t[-1])
    t, v = Scale("s", at), Scale("V", state.limit)
    return Chart(
        key="gate",
        title="One gate, on and off",
        x=t.axis("time", low=0),
        y=v.axis("", low=0, high=roomy(state.limit)),
        series=(curve("gate", np.concatenate(times), np.concatenate(volts), t, v),),
        marks=(
            *limits(state.limit, 0.9 * state.limit, v, "V"),
            Mark(at=v(state.threshold), label=f"threshold, hot {fmt(state.threshold, 'V', 2)}", role="here"),
        ),
        remark=f"On in {fmt(state.on_time, 's')} with {fmt(loop.on, 'ohm')} in the loop, off in {fmt(state.off_time, 's')} "
        f"with {fmt(loop.off, 'ohm')}. Its partner's turn-on leaves {fmt(state.miller, 'V')} on it while it is "
        "off.",
    )


def bootstrap(worked: Worked, block: Key[gate_drive.GateDriveBuild, gate_drive.DriveState]) -> Chart:
    """The bootstrap capacitor at the end of each on-time, over one line period."""
    build = worked.builds[block]
    state = worked.settled["nominal"].states[block]
    need = _need(worked, block)
    times, volts = bootstrap_droop(need, build, worked.shelf)
    if need.modulation is None:  # one cycle a line period: from full to its end
        times, volts = np.array([0.0, times[0]]), np.array([build.supply - 1.0, volts[0]])
    t, v = Scale("s", 1 / need.line), Scale("V", build.supply)
    return Chart(
        key="bootstrap",
        title="Bootstrap over a line period",
        x=t.axis("time", low=0, high=1 / need.line),
        y=v.axis("end of each on-time", low=0, high=roomy(build.supply)),
        series=(curve("bootstrap", times, volts, t, v),),
        marks=(Mark(at=v(state.least), label=f"needed {short(state.least, 'V')}", role="rating"),),
        remark=f"{fmt(build.boot_capacitor, 'F')} through {fmt(build.boot_resistor, 'ohm')}: lowest {fmt(state.boot_low, 'V')} "
        "at the crest, where the upper switch is on longest and the refresh is shortest.",
    )
