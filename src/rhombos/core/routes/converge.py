"""Settling an operating point: every block's voltages, currents, losses and temperatures made to agree.

The regulated link cuts the path in two. The socket's side does not know of the source, so it is settled first, once for
every load; then the source's side, whose voltage sags with the current that its own losses draw. A link that follows the
source, for want of a choke, joins the two again: they are settled in turn until the link stands still.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import ClassVar

from rhombos.core.blocks import dc_link, front_end, h_bridge, hf_socket, input_stage, link_loop, rectifier, transformer
from rhombos.core.blocks.controller import KEY as CONTROLLER
from rhombos.core.blocks.front_drive import KEY as FRONT_DRIVE
from rhombos.core.blocks.input_filter import Noise
from rhombos.core.blocks.load import KEY as LOAD
from rhombos.core.blocks.output_filter import KEY as OUTPUT_FILTER
from rhombos.core.blocks.source import KEY as SOURCE
from rhombos.core.book import rectifier as rectifier_book
from rhombos.core.book import stage as stage_book
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import Waveform
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Builds, States
from rhombos.core.frame.points import Point, operating_points
from rhombos.core.frame.settled import Settled
from rhombos.core.frame.topology import RECTIFIERS, TOPOLOGIES, Rectifying
from rhombos.core.frame.worksheet import SILENT, Worksheet
from rhombos.core.parts import Capacitor, Diode, Shelf
from rhombos.core.routes.base import HOTTEST, V_FLOOR, Turned, at_its_end
from rhombos.core.routes.driven import gate_loop
from rhombos.core.routes.entry import enter
from rhombos.core.routes.link_guess import Guess
from rhombos.core.routes.passes import HOPELESS, MOST_PASSES, SETTLED, Passes
from rhombos.core.routes.socket import Socket, converge_socket
from rhombos.core.routes.supply import source_of
from rhombos.core.routes.tapped import joined, tapped
from rhombos.core.waves.pulsation import STILL, Demand, Pulsation, open_share, pulsation

LEAST_ON = 100e-9
"""The shortest pulse that a controller makes, s: for less power it leaves pulses out."""
TURNED_BY: Mapping[Waveform, Turned] = {"sine": "modulation", "modified": "link", "square": "link", "DC": "link"}
"""What turns an adjustable output down behind a link."""
LEFT = 0.05
"""Share of its voltage that a hopeless winding is taken to give at least."""


@dataclass(frozen=True)
class LinkSettled(Settled):
    """A settled point of a route with a link, with what its next pass would start from; `drawn` is how what the stage draws
    swings at twice the line, `form` RMS over mean of its pulses, `winding` what the transformer was judged at."""

    guess: Guess
    pulse: float
    turn_off: float
    v_half: float
    crest_half: float
    secondary_drop: float
    diodes: int
    path: link_loop.Path
    heat: float
    demand: Demand
    apparent: float
    full: float
    drawn: Pulsation
    form: float
    winding: transformer.WorkingPoint
    near: ClassVar[float] = 0.0
    """A loop takes the rest of a turns ratio."""

    @property
    def v_in(self) -> float:
        """Voltage at the centre tap, V."""
        return self.guess.v_in

    @property
    def swing(self) -> Pulsation:
        """How the current before the link swings at twice the line."""
        return self.guess.swing

    @property
    def crest(self) -> float:
        """The largest current that a side turns off, A."""
        return self.turn_off + (self.drawn.peak - 1) * self.pulse


def converge(
    point: Point, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet,
    start: LinkSettled | None = None, tolerance: float = SETTLED,
) -> LinkSettled:  # fmt: skip
    """The operating point; `start` is one nearby."""
    held, wound_for = builds[dc_link.KEY].held, builds[dc_link.KEY].voltage
    link_v = wound_for
    if not held:
        link_v *= point.emf / brief.source.volts[0] if start is None else start.states[dc_link.KEY].voltage / wound_for
    before: tuple[float, float] | None = None
    for _ in range(MOST_PASSES):
        socket = converge_socket(point, link_v, builds, brief, shelf, rules)
        settled = _converge_source(point, builds, brief, shelf, rules, worksheet, socket, start, tolerance)
        if held:
            break
        off = max(V_FLOOR * wound_for, settled.states[rectifier.KEY].link) - link_v
        if settled.states[SOURCE].collapsed or abs(off) < tolerance * link_v:
            break
        # what the link is off by falls nearly in line with it: the secant through the last two tries
        slope = -1.0 if before is None else min(-0.5, (off - before[1]) / (link_v - before[0]))
        before, start = (link_v, off), settled
        link_v -= off / slope
    else:
        settled = replace(settled, converged=False)
    if worksheet.recording:
        worksheet.steps |= socket.worksheet.steps
    states = States(settled.states)
    if socket.bridged is not None:
        states[h_bridge.KEY] = h_bridge.on_a_link(socket.bridged, settled.states[dc_link.KEY].peak, worksheet)
    if socket.filtered is not None:
        given = -settled.swing.given if settled.demand else 0j
        bank = dc_link.capacitance(builds[dc_link.KEY], shelf)
        swing = given * socket.to_bridge / socket.link**2 / (4j * math.pi * brief.output.frequency * bank)
        states[OUTPUT_FILTER] = socket.filtered.on_a_swinging_rail(swing)
    return replace(settled, states=states)


def _converge_source(
    point: Point, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet, socket: Socket,
    start: LinkSettled | None, tolerance: float,
) -> LinkSettled:  # fmt: skip
    """The source's side, for what the socket's side draws."""
    if start is None:
        guess = Guess(v_in=0.95 * point.emf, terminal=point.emf, pulse=point.converted / (0.7 * point.emf))
    else:
        higher = point.emf / start.point.emf
        # a held link's duty falls as the source rises: its pulses do not
        pulse = start.guess.pulse / (1.0 if builds[dc_link.KEY].held else higher)
        guess = replace(start.guess, v_in=start.v_in * higher, terminal=point.emf, pulse=pulse)
        if point.converted != start.point.converted:
            share = point.converted / start.point.converted if start.point.converted else 1.0
            guess = replace(
                guess, pulse=guess.pulse * share, stage_loss=guess.stage_loss * share,
                switching_loss=guess.switching_loss * share)  # fmt: skip
    scale = max(point.converted, 0.1 * brief.converted)
    collapsed = 0
    passes: Passes[Guess] = Passes()
    for _ in range(MOST_PASSES):
        settled, after = _one_pass(point, guess, builds, brief, shelf, rules, worksheet, socket)
        collapsed = collapsed + 1 if settled.states[SOURCE].collapsed else 0
        moved = after.moved(guess, scale)
        if moved < tolerance:
            return replace(settled, converged=True)
        if collapsed > HOPELESS:
            break
        guess = passes.next(guess, after, moved, fed=not collapsed)
    return at_its_end(settled)


def _one_pass(
    point: Point, g: Guess, builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet,
    socket: Socket,
) -> tuple[LinkSettled, Guess]:  # fmt: skip
    link_v, f_s = socket.link, builds[front_end.KEY].frequency
    how = RECTIFIERS[builds[rectifier.KEY].circuit]
    topology = TOPOLOGIES[builds[front_end.KEY].topology]
    linked = dc_link.assess(
        socket.link_need(socket.to_bridge / link_v, g.ripple, g.climb, builds, g.swing, brief), builds[dc_link.KEY],
        brief, shelf, rules, worksheet)  # fmt: skip
    to_link = socket.to_bridge + linked.loss
    link_current = to_link / link_v
    ratio = builds[transformer.KEY].ratio
    v_half = max(V_FLOOR * point.emf * topology.drive, topology.drive * g.v_in - g.pulse * g.primary_resistance)
    fixed = (
        None
        if how.choke
        else worksheet.total("front_end.duty", {"fixed: no duty holds a link without a choke": rules.duty_limit})
    )
    secondary_current = link_current if fixed is None else how.gain * link_current / (2 * fixed)
    # a winding that drops all it makes has no duty at all: a little is left, so that the duty comes out as impossible
    tap = tapped(point, g.secondary_resistance, ratio * v_half, secondary_current, builds, brief, worksheet)
    through = secondary_current + (tap.at.share * tap.pulse if tap else 0.0)
    secondary_drop = min(through * g.secondary_resistance, (1 - LEFT) * ratio * v_half)
    v_sec = ratio * v_half - secondary_drop
    duty, rising, dry = (fixed, 0.0, False) if fixed else _duty(
        g, link_v, link_current, ratio, v_half, secondary_drop, how.series, builds, worksheet)  # fmt: skip
    powered = worksheet.total("front_end.powered", {
        "both switches": 2 * duty, "while the current rises through the leakage": -2 * rising})  # fmt: skip
    leakage = transformer.leakage(builds[transformer.KEY], shelf) + front_end.lead_inductance(
        builds[front_end.KEY], shelf, rules
    )
    rectified = rectifier.assess(
        rectifier.RectifierNeed(
            v_sec, ratio * topology.drive * brief.source.volts[2], link_v, link_current, powered, f_s, leakage * ratio**2,
            ratio, g.choke_celsius, g.charging_resistance(ratio),
            builds[dc_link.KEY].bleeder, g.swing),
        builds[rectifier.KEY], brief, shelf, rules, worksheet)  # fmt: skip
    to_rectifier = to_link + rectified.loss
    # losses of transformer and stage are the last pass's: at the settled point they are this one's. What a clamp burns flows
    # after a pulse has ended or while it rises, and gates are fed apart: neither makes the pulse larger; nor, where the choke
    # runs dry and pulses are short, what is burnt at their edges
    edges = g.switching_loss + rectified.recovery + how.parts * rectified.damper_loss if dry else 0.0
    total = to_rectifier + g.transformer_loss + g.stage_loss - edges
    hf = tap.settled(powered, leakage * ratio**2, rising > 0, f_s, worksheet) if tap else None
    total += hf.power if hf else 0.0
    pulse = worksheet.work("front_end.pulse", stage_book.pulse_current, P=total, V=topology.drive * g.v_in,
                        D_tot=powered)  # fmt: skip
    flows = joined(g.swing, rectified, pulse, hf, tap, topology.drive * g.v_in * powered, how.halves)
    winding = transformer.WorkingPoint(
        v_half, duty, pulse, flows.secondary, f_s, topology.drive * brief.source.volts[2], max(rules.duty_limit, duty),
        g.transformer_celsius, flows.form * flows.drawn.rms, how.choke, leakage, rising)  # fmt: skip
    wound = transformer.assess(winding, builds[transformer.KEY], brief, shelf, rules, worksheet)
    edge = rectified.ripple / 2 if how.choke else rectified.pulse_peak / g.swing.peak - rectified.pulse
    edge += tap.at.share * max(0.0, hf.ends - hf.pulse) if tap and hf else 0.0
    turn_off = pulse + ratio * edge + wound.magnetising_together / 2
    crest_half, crest_duty = _at_the_crest(
        point, g, flows.drawn, topology.drive, ratio, v_half, secondary_drop, duty, link_v, link_current, how.series, builds,
        worksheet) if how.choke else (v_half, duty)  # fmt: skip
    switched = front_end.assess(
        front_end.FrontEndNeed(g.v_in, duty, pulse, turn_off, leakage, flows.form, flows.drawn, crest_duty, rising),
        builds[front_end.KEY], brief, shelf,
        rules, worksheet, gate_loop(builds[FRONT_DRIVE], builds[front_end.KEY].parallel, shelf))  # fmt: skip
    to_transformer = to_rectifier + (hf.power if hf else 0.0) + wound.loss
    to_stage = to_transformer + switched.loss
    pulses = 2 * front_end.flat_duty(duty, rising)
    entry = enter(
        point, to_stage,
        input_stage.InputNeed(
            to_stage / g.v_in, pulses / topology.banks, pulsation=flows.drawn.source_square, form=flows.form,
            crest=flows.drawn.source_peak, slow=flows.drawn.smoothed * to_stage / g.v_in,
            noise=Noise(2 * f_s, pulses, constant=how.choke)),
        g.v_in, g.terminal, builds, brief, shelf, rules, worksheet)  # fmt: skip
    states = entry.states | {
        front_end.KEY: switched, transformer.KEY: wound, rectifier.KEY: rectified, dc_link.KEY: linked, LOAD: socket.drawn
    }  # fmt: skip
    if socket.bridged is not None:
        states[h_bridge.KEY] = socket.bridged
    if socket.filtered is not None:
        states[OUTPUT_FILTER] = socket.filtered
    flow = {
        **entry.flow, "front_end": to_stage, "transformer": to_transformer, "rectifier": to_rectifier, "dc_link": to_link,
        "load": socket.drawn.power}  # fmt: skip
    if socket.bridged is not None:
        flow |= {"h_bridge": socket.to_bridge, "output_filter": socket.to_filter}
    endings = entry.endings
    if hf is not None:
        states[hf_socket.KEY], flow[hf_socket.KEY], endings = hf, hf.power, (*endings, hf_socket.KEY)
    most_loss = 2 * max(point.converted, 0.1 * brief.converted)
    after = Guess(
        v_in=entry.v_in, terminal=entry.terminal, aside=entry.aside,
        pulse=min(pulse, 3 * most_loss / (V_FLOOR * point.emf * topology.drive)),
        primary_resistance=wound.primary_together
        + topology.series * switched.on_resistance / builds[front_end.KEY].parallel,
        secondary_resistance=wound.secondary_together,
        choke_resistance=rectified.choke_resistance, diode_drop=rectified.drop, leak_duty=wound.leakage_duty,
        ripple=rectified.feed_ripple, climb=rectified.unloaded, stage_loss=min(switched.conduction + switched.switching,
            most_loss),
        switching_loss=min(switched.switching, most_loss - min(switched.conduction, most_loss)),
        transformer_loss=min(wound.loss, most_loss),
        transformer_celsius=min(wound.temperature, HOTTEST), choke_celsius=min(rectified.choke_temperature, HOTTEST),
    )  # fmt: skip
    path = _path(g, how.choke, ratio, duty, link_v, link_current, v_sec, builds, brief, shelf, rules)
    demand = socket.demand(builds.get(h_bridge.KEY))
    sags = (1 - flows.share) * ratio * (topology.drive * (point.emf - g.aside - g.v_in) + pulse * g.primary_resistance)
    beside = sags + tap.at.share * tap.pulse * g.secondary_resistance if tap else 0.0
    after = replace(after, swing=_swing(
        path, how, point.emf - g.aside, ratio * topology.drive, link_current, beside, demand, builds, brief,
        shelf))  # fmt: skip
    cells, leads = entry.states[SOURCE], entry.states[input_stage.KEY]
    ohmic = (cells.internal_loss + leads.cable_loss + leads.fuse_loss + leads.contact_loss + switched.conduction + wound.copper
             + rectified.choke_copper) / flows.drawn.mean_square * flows.share**2  # fmt: skip
    return LinkSettled(point, states, flow, g, pulse, turn_off, v_half, crest_half, secondary_drop, how.series, path, ohmic,
                       demand, socket.apparent, brief.source.volts[2], flows.drawn, flows.form, winding,
                       endings=endings), after  # fmt: skip


def _at_the_crest(
    point: Point, g: Guess, drawn: Pulsation, drive: float, ratio: float, v_half: float, secondary_drop: float, duty: float,
    link_v: float, link_current: float, diodes: int, builds: Builds, worksheet: Worksheet,
) -> tuple[float, float]:  # fmt: skip
    """Voltage across a half, V, and duty of one switch while the largest pulses of a line period flow."""
    more = g.swing.peak - 1
    if more < 1e-3:
        return v_half, worksheet.total("front_end.crest_duty", {"duty, the pulses hardly swing": duty})
    sagged = ((point.emf - g.aside - g.v_in) * (drawn.peak / drawn.mean_square - 1)
              + g.pulse * g.primary_resistance * (drawn.peak - 1) / drive)  # fmt: skip
    crest_half = max(V_FLOOR * point.emf * drive, v_half - drive * sagged)
    drop = min(secondary_drop * g.swing.peak, (1 - LEFT) * ratio * crest_half)
    through = float(stage_book.duty_needed(
        V_out=link_v + g.swing.peak * link_current * g.choke_resistance, n_d=diodes, V_F=g.diode_drop, ratio=ratio,
        V_in=crest_half, V_drop=drop / ratio))  # fmt: skip
    return crest_half, worksheet.total(
        "front_end.crest_duty",
        {
            "volt-seconds of the link at the largest pulse": through,
            "leakage, half of its share": g.swing.peak * g.leak_duty / 2,
        },
    )


def _path(
    g: Guess, choked: bool, ratio: float, duty: float, link_v: float, current: float, v_sec: float, builds: Builds,
    brief: Brief, shelf: Shelf, rules: Rules,
) -> link_loop.Path:  # fmt: skip
    """What feeds the link, as the link sees it. A resistance that only pulses meet counts for their share of the time; one
    before the stage also for the square of how far it steps the voltage up."""
    linking = builds[dc_link.KEY]
    can = shelf.get(Capacitor, linking.capacitor)
    total = min(1.0, 2 * duty)
    stepped = ratio * TOPOLOGIES[builds[front_end.KEY].topology].drive * total
    feed = source_of(brief.source.volts[1], builds, brief, shelf, rules)
    resistance = g.choke_resistance + total * g.charging_resistance(ratio) + stepped**2 * feed.resistance
    return link_loop.Path(
        max(1.0, v_sec), builds[rectifier.KEY].inductance if choked else 0.0, resistance, dc_link.capacitance(linking, shelf),
        can.esr * linking.banks / linking.count, link_v / max(current, 1e-6), builds[front_end.KEY].frequency, ratio,
        (feed.resistance, feed.capacitance, feed.inductance))  # fmt: skip


def _swing(
    path: link_loop.Path, how: Rectifying, open_volts: float, step_up: float, current: float, beside: float, demand: Demand,
    builds: Builds, brief: Brief, shelf: Shelf,
) -> Pulsation:  # fmt: skip
    """How the current before the link swings, by what holds the link; a still one where that is not chosen yet. `beside` is
    what a second socket's steady current drops of the secondary's voltage, V."""
    if not demand:
        return STILL
    line = brief.output.frequency
    if how.choke:
        return link_loop.held_swing(path.coarse(), builds[CONTROLLER], demand, line) if CONTROLLER in builds else STILL
    # nothing holds it: all that lies between the source's open voltage and the link, leakage too, is a resistance to it
    diode = shelf.get(Diode, builds[rectifier.KEY].diode)
    open_link = how.gain * (step_up * open_volts - how.series * diode.v_0)
    between = max(0.0, open_link - path.load * current - how.gain * beside) / max(current, 1e-6)
    return pulsation(demand, open_share(line, between, 0.0, path.bank, len(demand)))


def _duty(
    g: Guess, link_v: float, current: float, ratio: float, v_half: float, secondary_drop: float, diodes: int,
    builds: Builds, worksheet: Worksheet,
) -> tuple[float, float, bool]:  # fmt: skip
    """Duty of one switch: with continuous choke current, or less where the choke runs dry; the share of it that passes while
    the leakage lets the current rise to the choke's; and whether it runs dry."""
    through = float(stage_book.duty_needed(
        V_out=link_v + current * g.choke_resistance, n_d=diodes, V_F=g.diode_drop, ratio=ratio, V_in=v_half,
        V_drop=secondary_drop / ratio))  # fmt: skip
    v_sec = ratio * v_half - secondary_drop
    if v_sec > link_v * 1.001:
        inputs = {"L": builds[rectifier.KEY].inductance, "f_s": builds[front_end.KEY].frequency, "V_out": link_v,
                  "I_out": current, "V_sec": v_sec}  # fmt: skip
        if rectifier_book.duty_discontinuous.work(inputs) < through:
            alone = worksheet.work("front_end.duty", rectifier_book.duty_discontinuous, **inputs)
            return max(1e-4, LEAST_ON * builds[front_end.KEY].frequency, alone), 0.0, True
    worksheet.total("front_end.duty", {"volt-seconds of the link": through, "leakage, half of its share": g.leak_duty / 2})
    return through + g.leak_duty / 2, g.leak_duty / 2, False


def converge_all(
    builds: Builds, brief: Brief, shelf: Shelf, rules: Rules, *, worksheets: Mapping[str, Worksheet] | None = None,
    keys: tuple[str, ...] = (), start: Mapping[str, LinkSettled] | None = None, tolerance: float = SETTLED,
    points: Mapping[str, Point] | None = None,
) -> dict[str, LinkSettled]:  # fmt: skip
    """Every operating point (or those of `keys`); each starts from its like in `start`, else from the nearest in power."""
    found: dict[str, LinkSettled] = {}
    for key, point in (points or operating_points(brief)).items():
        if keys and key not in keys:
            continue
        worksheet = worksheets[key] if worksheets else SILENT
        known = {**(start or {}), **found}
        near = (start or {}).get(key) or _nearest(known.values(), point)
        turns = TURNED_BY[brief.output.waveform] == "modulation" or builds[dc_link.KEY].held
        asked = brief.at(point.setting) if turns else brief
        found[key] = converge(point, turned_down(builds, brief, point.setting), asked, shelf, rules, worksheet, near, tolerance)
    return found


def _nearest(known: Iterable[LinkSettled], point: Point) -> LinkSettled | None:
    """The settled point that is nearest in setting, then in power."""

    def off(s: LinkSettled) -> tuple[float, float]:
        return abs(s.point.setting - point.setting), abs(s.point.converted - point.converted)

    return min(known, key=off, default=None)


def turned_down(builds: Builds, brief: Brief, setting: float) -> Builds:
    """The builds with the link as it stands at a setting of the output: where the link is the output, or is put across it in
    steps, its set-point is what is turned. What a bridge drops stays."""
    link = builds[dc_link.KEY]
    if setting == 1.0 or TURNED_BY[brief.output.waveform] == "modulation" or not link.held:
        return builds
    fraction = builds[h_bridge.KEY].fraction if h_bridge.KEY in builds else 1.0
    less = (1 - setting) * brief.output.voltage / math.sqrt(fraction)
    return builds | {dc_link.KEY: link.model_copy(update={"voltage": link.voltage - less})}
