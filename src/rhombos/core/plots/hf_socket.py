"""Pictures of a high-frequency socket, alone or beside another: its wave, and what becomes of its voltage from end to end of
the source."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from rhombos.core.benches.load_compatibility import WIDE
from rhombos.core.blocks import hf_output
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.hf_socket import KEY, HfState
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart, Mark, Scale, Series, curve, roomy
from rhombos.core.plots.steps import output_steps
from rhombos.core.units.quantities import fmt, short
from rhombos.core.waves.stepped import STEPS, step_current

SOURCES = 7
"""Voltages of the source between its ends, at which the socket is settled."""


def wave(worked: Worked) -> Chart:
    """What stands at the tap and what the load draws, over one period at full power."""
    now: HfState = worked.settled["nominal"].states[KEY]
    half, driven = step_current(min(1.0, now.powered), now.factor)
    amps = np.concatenate([half, -half]) * now.current / max(math.sqrt(float((half**2).mean())), 1e-12)
    volts = np.concatenate([driven, -driven]) * now.peak
    period = 1 / worked.builds[FRONT_END].frequency
    time = np.arange(2 * STEPS) * period / (2 * STEPS)
    t, v = Scale("s", period), Scale("V", now.peak)
    most = float(np.abs(amps).max())
    scaled = amps * now.peak / (1.25 * most) if most > 0 else amps
    return Chart(
        key="hf_wave",
        title="Voltage at the tap",
        x=t.axis("time", low=0, high=period),
        y=v.axis(""),
        series=(
            Series(name="voltage", kind="steps", x=t.all(time), y=v.all(volts)),
            curve(f"current, peak {fmt(most, 'A')}", time, scaled, t, v, "second"),
        ),
        remark=f"{fmt(now.voltage, 'V')} true RMS across the load, {fmt(now.peak, 'V')} high; no meter made for the mains "
        "reads it: use a thermal one, or a scope.",
    )


def alone_wave(worked: Worked) -> Chart:
    """What stands across the secondary, and what the load draws, over one period at full power."""
    now = worked.settled["nominal"].states[hf_output.KEY]
    said = (
        f"Before coil and cord; the load gets {fmt(now.voltage, 'V')} true RMS. No meter made for the mains reads it: use a "
        "thermal one, or a scope."
    )
    return output_steps(worked).model_copy(update={"title": "Voltage of the secondary", "remark": said})


def over_source(worked: Worked) -> Chart:
    """RMS at full power from end to end of the source, and with nothing at the other socket."""
    assert worked.brief.beside is not None, "this route has one"
    said = "No loop holds this socket: it lives on the pulses that the other one asks for."
    return _over(worked, KEY, worked.brief.beside.voltage, ("full power at both", "nothing at the other"), said)


def alone_over_source(worked: Worked) -> Chart:
    """RMS at full power from end to end of the source, and with nothing plugged in."""
    said = "No loop holds this socket: at a fixed duty its voltage follows the source."
    return _over(worked, hf_output.KEY, worked.brief.output.voltage, ("full power", "nothing plugged in"), said)


def _over(worked: Worked, key: str, asked: float, names: tuple[str, str], remark: str) -> Chart:
    """The voltage of a socket over that of the source, with its first power as asked, and with none."""
    empty, _, full = worked.brief.source.volts
    emf = np.linspace(empty, full, SOURCES)
    at = worked.settled["nominal"].point
    loaded = {f"{k}": replace(at, key=f"{k}", emf=float(e)) for k, e in enumerate(emf)}
    bare = {f"{k} bare": replace(p, key=f"{k} bare", power=0.0) for k, p in loaded.items()}
    found = worked.route.converge_all(
        worked.builds, worked.brief, worked.shelf, worked.rules, points=loaded | bare, tolerance=1e-3
    )  # fmt: skip
    curves = [[found[k].states[key].voltage for k in points] for points in (loaded, bare)]
    most = max(*curves[0], *curves[1], asked * (1 + WIDE))
    x, y = Scale("V", full), Scale("V", most)
    return Chart(
        key="hf_over_source",
        title="Voltage over the source",
        x=x.axis("at rest", low=empty, high=full),
        y=y.axis("RMS", low=0, high=roomy(most)),
        series=(curve(names[0], emf, curves[0], x, y), curve(names[1], emf, curves[1], x, y, "second")),
        marks=(Mark(at=y(asked), label=f"asked {short(asked, 'V')}", role="house"),),
        remark=remark,
    )


CHARTS = (wave, over_source)
