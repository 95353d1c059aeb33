"""Tables of isolation: what crosses by which part, and what the output's reading is off by."""

from __future__ import annotations

from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.isolation import CASE_EARTH, CONVERTER, DRIFT, EARTHED, IsolationBuild, crossings
from rhombos.core.blocks.isolation import KEY as ISOLATION
from rhombos.core.blocks.oscillator import KEY as OSCILLATOR
from rhombos.core.blocks.rectifier import KEY as RECTIFIER
from rhombos.core.frame.solve import Worked
from rhombos.core.plots.model import Chart
from rhombos.core.routes.auxiliary.isolation import need_of
from rhombos.core.units.quantities import fmt, short


def map_table(worked: Worked) -> Chart:
    """Every crossing with the part that is rated for it."""
    need = need_of(worked)
    build = worked.built(IsolationBuild)
    rows = [("crossing", "from – to", "by", "")]
    for c in crossings(build, need):
        rows.append((c.name, f"{c.first} – {c.second}", c.part, "kept" if c.rated else "OPEN"))
    return Chart(
        key="crossings",
        title="What crosses, and by what",
        rows=tuple(rows),
        remark=(
            "Measure beyond the barrier with a differential probe; the ground clip goes on source negative, and only where "
            "that is earthed nowhere else."
            if not need.live
            else "Measure with a differential probe everywhere: the source itself is dangerous, or the socket is joined to it."
        )
        + " Switch off, wait, measure, then touch.",
    )


def nodes(worked: Worked) -> Chart:
    """Which side every node belongs to, and how far it swings from that side's reference."""
    need = need_of(worked)
    state = worked.settled["high"].states
    build = worked.built(IsolationBuild)
    full, socket = fmt(need.full, "V"), fmt(need.peak, "V")
    rows = [
        ("node", "side", "up to"),
        ("mains, fuse, rectifier, bank" if need.mains else "source, fuse, input bank", "source", full),
        ("controller, drivers of the low side, fan, relay coils", "source", "12 V"),
    ]
    stage = state.get(FRONT_END) or state.get(OSCILLATOR)
    if stage is not None:
        rows.append(("drains of the low side, primary", "source", fmt(stage.peak_voltage, "V")))
    if need.beyond:
        link = fmt(need.link, "V")
        rows += [
            ("secondary, rectifier", "link", fmt(max(state[RECTIFIER].reverse, state[RECTIFIER].ring), "V")),
            ("link, its bleeder" + ("" if need.direct else ", lower gates of the bridge"), "link", link),
        ]
        if not need.direct:
            rows.append(("legs, upper gates and their floating supplies", "link, moving", f"0 to {link}"))
    elif "h_bridge" in state:
        rows.append(("legs, upper gates and their floating supplies", "source, moving", f"0 to {full}"))
    socket_side = ("link" if need.direct else "link, through the filter") if need.beyond else "its own winding"
    if not need.barrier:
        socket_side = "source, through the bridge"
    rows += [
        ("socket, both poles", socket_side if build.output != EARTHED else f"{socket_side}; one pole at earth", socket),
        ("case, heat-sinks in reach, RCD's test", "earth", "0 V" if build.case == CASE_EARTH else "unknown"),
        ("shut-down input, outer side", "whatever is wired to it", "unknown"),
    ]
    return Chart(
        key="nodes",
        title="Which node is on which side",
        rows=tuple(rows),
        remark="Volts against the side's own reference: source negative, link negative, earth. Between sides stands what the "
        "barrier is tested for, no more."
        if need.barrier
        else "Volts against source negative, or earth. There is no barrier: all of it, the socket too, is one side with the "
        "source.",
    )


def sense_budget(worked: Worked) -> Chart:
    """What the reading of the output is off by, part by part."""
    build = worked.built(IsolationBuild)
    now = worked.settled["nominal"].states[ISOLATION]
    rules, out = worked.rules, worked.brief.output.voltage
    need = need_of(worked)
    peak = 2**0.5 * out if need.followed else out
    rows = (
        ("source of error", "share", "at the output"),
        ("divider, two resistors", fmt(2 * rules.resistor_tolerance, "%", 2), fmt(2 * rules.resistor_tolerance * out, "V", 2)),
        ("reference", fmt(rules.reference_tolerance, "%", 2), fmt(rules.reference_tolerance * out, "V", 2)),
        ("half a count", fmt(now.step / 2 / peak, "%", 2), fmt(now.step / 2, "V", 2)),
        ("drift after calibration", fmt(DRIFT, "%", 2), fmt(DRIFT * out, "V", 2)),
        ("fresh", fmt(now.error_fresh, "%", 2), fmt(now.error_fresh * out, "V", 2)),
        ("as built", fmt(now.error, "%", 2), fmt(now.error * out, "V", 2)),
    )
    middle = round(need.rests * 2**build.bits)
    top = round((need.rests + now.at_converter / CONVERTER * peak / max(1e-9, need.peak)) * 2**build.bits)
    return Chart(
        key="sense-budget",
        title="What the output's reading is off by",
        rows=rows,
        remark=f"{short(build.sense_top, 'ohm')} over {short(build.sense_bottom, 'ohm')}: 0 V reads {middle} counts, "
        f"{'the peak of ' if need.followed else ''}{short(out, 'V')} {top}; a count is {fmt(now.step, 'V', 2)}. "
        "Clamp the input, filter below half the "
        f"sampling "
        "rate, calibrate near zero and near full output.",
    )
