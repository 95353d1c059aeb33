"""Threshold ladders: where each threshold lies and may lie, beside what it must keep clear of."""

from __future__ import annotations

from typing import Any

from rhombos.core.blocks.protection import BLINKS, FUSE_ALONE, ProtectionBuild, thresholds
from rhombos.core.blocks.protection import KEY as PROTECTION
from rhombos.core.book import sense
from rhombos.core.control.thresholds import Band, Tap
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Axis, Chart, Mark, Rung, Scale, Series, roomy
from rhombos.core.routes.auxiliary.protection import bank_of, need_of, outputs_of
from rhombos.core.units.quantities import fmt, short

FALLING = {"cut_off", "warning", "output_low"}
LEVELS = {True: ("empty", "nominal", "charging"), False: ("lowest", "nominal", "highest")}
"""What the voltages of a battery, and of any other source, are called."""


def input_ladder(worked: Worked) -> Chart:
    """Warning, cut-off, restart and over-voltage among what the source does and the parts stand."""
    build = worked.built(ProtectionBuild)
    need = need_of(worked)
    made = thresholds(build, need.v_out, worked.rules)
    can, fed = bank_of(worked).rated, worked.brief.source.described
    levels = zip(LEVELS[bool(need.resting)], (need.empty, need.nominal, need.full), strict=True)
    marks = [_mark(name, at) for name, at in levels]
    over = made["over_voltage"][2].high
    if can < 1.3 * over:
        marks.append(_mark("cans' rating", can))
    rungs = [_rung(key, *made[key], build.adjusted) for key in ("cut_off", "warning", "over_voltage")]
    cut = made["cut_off"][2]
    sag = worked.settled["low"].states[PROTECTION]
    return Chart(
        key="input-ladder",
        title="Input thresholds",
        y=Axis(label="input", unit="V"),
        rungs=(*marks, *rungs),
        remark=f"{fed[0].upper()}{fed[1:]}. Solid: {_how(build)}; pale: fresh boards, every tolerance at its "
        f"end. Arrow: where it turns back. The hysteresis is sure of {fmt(max(0.0, cut.back_low - cut.high), 'V', 2)}; "
        f"{fmt(sag.sag, 'V', 2)} of sag vanish with the load. One turn of the trimmer moves the cut-off by "
        f"{fmt(cut.per_turn, 'V', 2)}.",
    )


def output_ladder(worked: Worked) -> Chart:
    """The window in which the output may stand."""
    build = worked.built(ProtectionBuild)
    out = worked.brief.output.voltage
    made = thresholds(build, out, worked.rules)
    least, most = outputs_of(worked)
    marks = (
        [_mark("lowest in use", least), _mark("highest in use", most)] if most - least > 0.01 * out else [_mark("output", out)]
    )
    rungs = [_rung(key, *made[key], build.adjusted) for key in ("output_low", "output_high")]
    return Chart(
        key="output-ladder",
        title="Output window",
        y=Axis(label="output", unit="V"),
        rungs=(*marks, *rungs, _mark("suppressor", build.suppressor)),
        remark="Direct voltage, sensed by a divider."
        if worked.brief.output.direct
        else "RMS, sensed as the mean of the rectified output: its divider is given for the RMS it stands for.",
    )


def overload_curve(worked: Worked) -> Chart:
    """How long each overload may last, with the surge that is asked."""
    build = worked.built(ProtectionBuild)
    asked = worked.brief
    top = max(3.0 * build.overload, 1.1 * asked.surge)
    steps = [build.overload * (1.02 + (top / build.overload - 1.02) * (i / 60) ** 2) for i in range(61)]
    times = [sense.inverse_time.work({"t_twice": build.twice, "P": p, "P_start": build.overload}) for p in steps]
    x, y = Scale("W", top), Scale("s", 1.0)
    marks = [Mark(at=x(asked.continuous), label="continuous", role="house", upright=True)]
    if asked.surge_time > 0:
        marks.append(Mark(at=x(asked.surge), label=f"surge {short(asked.surge_time, 's')}", role="house", upright=True))
    trip = (
        "nothing but the fuse"
        if build.short == FUSE_ALONE
        else f"the short-circuit trip, at {fmt(build.short_trip, 'A')} within {fmt(build.short_delay, 's')}"
    )
    return Chart(
        key="overload",
        title="Time allowed at overload",
        x=x.axis("load", low=0, high=roomy(top / 1.04)),
        y=y.axis("", log=True),
        series=(Series(name="allowed", x=x.all(steps), y=y.all(times)),),
        marks=tuple(marks),
        remark=f"It counts the square of the load above {short(build.overload, 'W')}, as copper warms. Beyond it acts {trip}.",
    )


def blinks(worked: Worked) -> Chart:
    """What each count of blinks means."""
    return Chart(
        key="blinks",
        title="Blink codes",
        rows=(("blinks", "means"), *((str(n), b) for n, b in enumerate(BLINKS, 1))),
        remark="A pause of two seconds after each count; the first fault stays shown until it is reset.",
    )


def _how(build: Any) -> str:
    return "set on the bench, then drifting" if build.adjusted else "as the parts come"


def _mark(label: str, at: float) -> Rung:
    return Rung(label=label, at=at, text=fmt(at, "V", 4 if at < 1000 else 3))


def _rung(key: str, name: str, tap: Tap, band: Band, adjusted: bool) -> Rung:
    return Rung(
        label=name,
        at=band.nominal,
        text=fmt(band.nominal, "V", 4),
        low=band.low,
        high=band.high,
        fresh_low=band.fresh_low if adjusted else None,
        fresh_high=band.fresh_high if adjusted else None,
        back=band.back,
        way="down" if key in FALLING else "up",
        remark=tap.text,
    )
