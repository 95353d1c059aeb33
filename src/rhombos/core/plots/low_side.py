"""Pictures of the source side: sag, input pulses, switch voltage, losses against frequency, the winding window."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from rhombos.core.blocks import front_end, transformer
from rhombos.core.blocks.front_end import FrontEndBuild
from rhombos.core.blocks.input_stage import KEY as INPUT_STAGE
from rhombos.core.blocks.input_stage import InputStageBuild
from rhombos.core.blocks.iron_transformer import KEY as IRON_TRANSFORMER
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.blocks.source.mains import BREAKER
from rhombos.core.blocks.transformer import TransformerBuild
from rhombos.core.book import source
from rhombos.core.design.sources import BatterySource, RailSource
from rhombos.core.frame.points import STEADY, operating_points
from rhombos.core.frame.solve import Worked
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.parts import Capacitor, Mosfet
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, Series, curve, limits, roomy
from rhombos.core.plots.window import window_boxes
from rhombos.core.routes.hf_stage import wound_at
from rhombos.core.units.quantities import fmt, short

SWEEP = np.array([0.4, 0.55, 0.7, 0.85, 1.0, 1.2, 1.45, 1.75, 2.1])
RING_DECAY = 6.0
"""Ring cycles after which a clamped or damped ring is drawn as gone: a typical picture, not a computed loss."""


def sag(worked: Worked) -> Chart:
    """Terminal voltage against the power drawn, for the flat, nominal and highest input."""
    brief = worked.brief
    r = brief.source.internal_resistance
    most = 1.3 * max(s.flow["source"] for k, s in worked.settled.items() if not k.startswith("surge"))
    watts = np.linspace(0, most, 80)
    power, volts = Scale("W", most), Scale("V", brief.source.volts[2])
    series = []
    for name, emf, role in zip(("lowest", "nominal", "highest"), brief.source.volts, ("second", "main", "faint"), strict=True):
        able = watts[watts < source.largest_power(E=emf, R_s=r)]
        current = source.sagged_current(E=emf, R_s=r, P=np.maximum(able, 1e-9))
        series.append(curve(name, able, emf - current * r, power, volts, role))  # type: ignore[arg-type]
    now = worked.settled["nominal"].states[SOURCE]
    return Chart(
        key="sag",
        title="Terminal voltage against power",
        x=power.axis("power drawn"),
        y=volts.axis("at the terminals", low=0.8 * brief.source.volts[0], high=roomy(brief.source.volts[2])),
        series=tuple(series),
        dots=(Dot(x=power(now.power), y=volts(now.terminal), label=f"here: {fmt(now.terminal, 'V')}"),),
        remark=f"{fmt(r, 'ohm')} inside the pack; {fmt(now.internal_loss, 'W')} heats the cells at full power.",
    )


def power_band(worked: Worked) -> Chart:
    """Source current at every operating point, as bars: its mean, or its RMS where it alternates."""
    brief = worked.brief
    points = [k for k in worked.settled if k not in worked.route.infeasible(worked.settled)]
    amperes = [s.rms if brief.mains else s.current for s in (worked.settled[k].states[SOURCE] for k in points)]
    scale = Scale("A", *amperes)
    if isinstance(brief.source, BatterySource):
        most, told = brief.source.capacity / 3600, "one-hour rate"
    elif isinstance(brief.source, RailSource):
        most, told = brief.source.limit, "current limit"
    else:
        most, told = BREAKER, "household circuit"
    named = "  ".join(f"{i + 1} {worked.settled[k].point.label}" for i, k in enumerate(points))
    return Chart(
        key="currents",
        title="Source current at each operating point",
        x=Scale("1", 1).axis("operating point"),
        y=scale.axis("from the source", low=0, high=roomy(most, *amperes)),
        series=(Series(name="current", x=tuple(float(i + 1) for i in range(len(points))), y=scale.all(amperes), kind="bars"),),
        marks=(Mark(at=scale(most), label=f"{told} {fmt(most, 'A')}", role="house"),),
        remark=named,
    )


def input_pulses(worked: Worked) -> Chart:
    """The stage's pulses, the source's mean, and what the capacitors carry."""
    s = worked.settled["nominal"]
    build = worked.built(FrontEndBuild)
    state = s.states[front_end.KEY]
    mean = s.flow[front_end.KEY] / wound_at(s).v_in
    half = 1 / (2 * build.frequency)
    on = state.total_duty * half
    t, amps = Scale("s", 2 * half), Scale("A", state.pulse)
    times = [0, 0, on, on, half, half, half + on, half + on, 2 * half]
    pulse = [0, state.pulse, state.pulse, 0, 0, state.pulse, state.pulse, 0, 0]
    return Chart(
        key="pulses",
        title="Current into the stage",
        x=t.axis("time"),
        y=amps.axis(""),
        series=(curve("stage", times, pulse, t, amps), curve("source", (0, 2 * half), (mean, mean), t, amps, "second")),
        remark=f"The capacitors carry the difference: {fmt(s.states[INPUT_STAGE].ripple, 'A')} RMS.",
    )


def source_lines(worked: Worked) -> Chart:
    """What the source carries of the stage's carrier, line by line, at the point where most of it returns."""
    states = [worked.settled[k].states[INPUT_STAGE] for k in STEADY if k not in worked.route.infeasible(worked.settled)]
    hardest = max(states or [worked.settled["nominal"].states[INPUT_STAGE]], key=lambda s: s.source_ripple)
    rest, most = hardest.rest, worked.brief.direct_source.ripple_limit
    hertz = rest.first * np.arange(1, len(rest.lines) + 1)
    x, y = Scale("Hz", float(hertz[-1])), Scale("A", max(rest.ripple, most or 0.0, 1e-6))
    marks = (Mark(at=y(most), label=f"limit {short(most, 'A')}", role="house"),) if most else ()
    return Chart(
        key="source-lines",
        title="Ripple current at the source",
        x=x.axis("", low=0, high=1.1 * float(hertz[-1])),
        y=y.axis("RMS", low=0, high=roomy(max(rest.ripple, most or 0.0, 1e-6))),
        series=(Series(name="lines", kind="sticks", x=x.all(hertz), y=y.all(rest.lines)),),
        marks=marks,
        remark=f"Of {fmt(hardest.ripple, 'A')} that the capacitors carry, {fmt(rest.ripple, 'A')} RMS return at "
        f"{short(rest.hertz, 'Hz')}; leads{' and choke' if worked.built(InputStageBuild).choke else ''} and bank resonate at "
        f"{fmt(rest.resonance, 'Hz')}.",
    )


def bank_ripple(worked: Worked) -> Chart:
    """Ripple current of the bank against total duty, with its operating points."""
    build = worked.built(InputStageBuild)
    can = worked.shelf.get(Capacitor, build.capacitor)
    power = worked.settled["nominal"].flow["front_end"]
    duty = np.linspace(0.3, 0.98, 60)
    low, _, high = worked.brief.source.volts
    volts = np.interp(duty, [0.3, 0.98], [high, low])
    each = source.pulsed_input_ripple(I_in=power / volts, D_tot=duty) / build.count
    x, y = Scale("1", 1), Scale("A", can.i_ripple)
    dots = tuple(
        Dot(x=x(s.states[front_end.KEY].total_duty), y=y(s.states[INPUT_STAGE].can_ripple), label=k)
        for k, s in worked.settled.items()
        if k in ("nominal", "low", "high")
    )
    house = can.i_ripple * (1 - worked.rules.ripple_current_margin)
    return Chart(
        key="bank",
        title="Ripple of one input capacitor",
        x=x.axis("total duty"),
        y=y.axis("RMS", low=0, high=roomy(can.i_ripple)),
        series=(curve("one can", duty, each, x, y),),
        marks=limits(can.i_ripple, house, y, "A"),
        dots=dots,
        remark="The highest input needs less duty: shorter, taller pulses, more ripple.",
    )


def switch_voltage(worked: Worked) -> Chart:
    """One switch's voltage over a period, with the spike, at the hardest point that can be held."""
    infeasible = worked.route.infeasible(worked.settled)
    able = {k: s for k, s in worked.settled.items() if k not in infeasible} or dict(worked.settled)
    key = max(able, key=lambda k: able[k].states[front_end.KEY].peak_voltage)
    s, build = able[key], worked.builds[front_end.KEY]
    state = s.states[front_end.KEY]
    device = worked.shelf.get(Mosfet, build.switch)
    period = 1 / build.frequency
    on = min(state.duty, 0.5) * period
    wound = s.states.get(transformer.KEY)
    leak = (wound.leakage_together if wound else s.states[IRON_TRANSFORMER].leakage) + front_end.lead_inductance(
        build, worked.shelf, worked.rules
    )
    ring = 2 * math.pi * math.sqrt(leak * device.c_oss * build.parallel)
    ring = min(ring, max(period / 2 - on, on / 50) / 3)
    after = np.linspace(0, max(0.0, min(RING_DECAY * ring * 1.2, period / 2 - on)), 160)
    # off, other side idle: a push-pull's switch rests at the input, a bridge's at half of it; other side on: at the full level
    full_level, rest = state.resting, state.resting / 2
    spike = state.peak_voltage - rest
    swing = rest + spike * np.exp(-3 * after / (RING_DECAY * ring)) * np.cos(2 * math.pi * after / ring)
    later = np.linspace(0, min(RING_DECAY * ring, on), 80)
    double = full_level - rest * np.exp(-6 * later / (RING_DECAY * ring)) * np.cos(2 * math.pi * later / ring)
    times = np.concatenate([[0, on], on + after, [period / 2], period / 2 + later, [period / 2 + on, period / 2 + on, period]])
    volts = np.concatenate([[0, 0], np.maximum(swing, 0), [rest], double, [full_level, rest, rest]])
    order = np.argsort(times, kind="stable")
    t, v = Scale("s", period), Scale("V", device.v_rating)
    return Chart(
        key="switch",
        title="Switch voltage",
        x=t.axis("time", low=0, high=period),
        y=v.axis("", low=0, high=roomy(device.v_rating, state.peak_voltage)),
        series=(curve("drain", times[order], volts[order], t, v),),
        marks=limits(device.v_rating, device.v_rating * (1 - worked.rules.switch_voltage_margin), v, "V"),
        remark=f"At {s.point.label}: the switch rests at {fmt(state.resting, 'V')}, the spike adds "
        f"{fmt(state.spike, 'V')}. Ring frequency and levels computed, decay as usual.",
    )


def loss_against_frequency(worked: Worked) -> Chart:
    """What another switching frequency would cost or save, everything else as built."""
    build = worked.built(FrontEndBuild)
    point = operating_points(worked.brief)["nominal"]
    here = worked.settled["nominal"]
    rows: list[tuple[float, float, float, float, float]] = []
    s = here
    for factor in SWEEP:
        frequency = build.frequency * factor
        if not 5e3 <= frequency <= 300e3:
            continue
        builds = worked.builds | {front_end.KEY: build.model_copy(update={"frequency": float(frequency)})}
        s = worked.route.converge_all(
            builds, worked.brief, worked.shelf, worked.rules, tolerance=1e-3, start={point.key: s}, points={point.key: point}
        )[point.key]
        stage, wound = s.states[front_end.KEY], s.states[transformer.KEY]
        sound = wound.worst_flux <= max(worked.rules.ferrite_peak, here.states[transformer.KEY].worst_flux)
        rows.append((frequency, wound.loss, stage.loss, wound.loss + stage.loss, float(sound)))
    table = np.array(rows)
    now = here.states[front_end.KEY].loss + here.states[transformer.KEY].loss
    f, p = Scale("Hz", build.frequency), Scale("W", float(table[:, 3].max()))
    best = table[int(np.argmin(np.where(table[:, 4] > 0, table[:, 3], np.inf)))]
    said = f"{short(float(best[0]), 'Hz')} would save {fmt(now - float(best[3]), 'W', 2)} of these."
    if abs(best[0] / build.frequency - 1) < 0.05 or now - best[3] < 0.02 * now:
        said = "The present frequency is close to the best for this build."
    return Chart(
        key="frequency",
        title="Loss against switching frequency",
        x=f.axis("switching frequency"),
        y=p.axis("", low=0),
        series=(
            curve("stage and transformer", table[:, 0], table[:, 3], f, p),
            curve("transformer", table[:, 0], table[:, 1], f, p, "second"),
            curve("front end", table[:, 0], table[:, 2], f, p, "third"),
        ),
        marks=(Mark(at=f(build.frequency), label=f"here {short(build.frequency, 'Hz')}", role="here", upright=True),),
        dots=(Dot(x=f(build.frequency), y=p(now), label=fmt(now, "W")),),
        remark=said + " Turns and parts as they are; lower frequencies that saturate the core are passed over.",
    )


def winding_window(worked: Worked) -> Chart:
    """The window in cross-section, to scale: wires, tape, what is left."""
    build = worked.built(TransformerBuild)
    made = transformer.made(build, worked.shelf)
    breadth, height = made.stack.b_w * 1e3, made.stack.height * 1e3
    ring = " (a ring: its inner circumference unrolled)" if made.stack.core.shape == "ring" else ""
    turns = f"{build.primary_turns}+{build.primary_turns}" if made.halves == 2 else str(build.primary_turns)
    return Chart(
        key="window",
        title="Winding window, to scale",
        boxes=window_boxes(made, made.stack.b_w, made.stack.height),
        remark=f"{made.stack.core.id}: {breadth:.1f} × {height:.1f} mm{ring}. Primary {turns} turns, "
        f"{build.primary_in_hand} in parallel{', both halves bifilar' if made.halves == 2 else ''}; secondary "
        f"{build.secondary_turns} turns, {build.secondary_in_hand} in parallel; {fmt(made.fill, '%', 2)} of the "
        "height.",
    )


def working_point(worked: Worked) -> transformer.WorkingPoint:
    """The transformer at full power on a nominal input, at the temperature reached there."""
    s = wound_at(worked.settled["nominal"])
    return replace(s.winding, celsius=s.states[transformer.KEY].temperature)


def loss_against_turns(worked: Worked) -> Chart:
    """Copper and core loss for neighbouring turns, the secondary in proportion, wire to match the window."""
    build = worked.built(TransformerBuild)
    ratio = build.secondary_turns / build.primary_turns
    turns = np.arange(max(1, build.primary_turns - 3), build.primary_turns + 4)
    rows = []
    made = transformer.made(build, worked.shelf)
    at = working_point(worked)
    for n in turns:
        # the same copper volume: fewer turns, more wires in parallel
        hand = max(1, round(build.primary_in_hand * build.primary_turns / n))
        other = max(1, round(ratio * n))
        neighbour = build.model_copy(
            update={
                "primary_turns": int(n),
                "secondary_turns": other,
                "primary_in_hand": hand,
                "secondary_in_hand": max(1, round(build.secondary_in_hand * build.secondary_turns / other)),
            }
        )
        s = transformer.assess(at, neighbour, worked.brief, worked.shelf, worked.rules, SILENT)
        rows.append((s.copper, s.core, s.loss, s.worst_flux))
    table = np.array(rows)
    x, p = Scale("1", 1), Scale("W", float(table[:, 2].max()))
    limit = worked.rules.ferrite_peak
    too_few = [int(n) for n, r in zip(turns, rows, strict=True) if r[3] > limit]
    warn = f" Below {max(too_few) + 1} turns the flux passes {short(limit, 'T')}." if too_few else ""
    return Chart(
        key="turns",
        title="Loss against primary turns",
        x=x.axis("primary turns" + (", each half" if made.halves == 2 else "")),
        y=p.axis("", low=0),
        series=(
            curve("total", turns, table[:, 2], x, p),
            curve("copper", turns, table[:, 0], x, p, "second"),
            curve("core", turns, table[:, 1], x, p, "third"),
        ),
        marks=(Mark(at=float(build.primary_turns), label=f"here {build.primary_turns}", role="here", upright=True),),
        remark=f"Same core and copper volume ({fmt(made.stack.mass, 'kg', 2)} of core), secondary in proportion.{warn}",
    )
