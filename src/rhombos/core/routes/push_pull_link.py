"""Push-pull → ferrite transformer → fast rectifier and DC link → H-bridge with sine PWM → L–C filter."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from rhombos.core.blocks import (
    battery,
    dc_link,
    h_bridge,
    input_stage,
    load,
    output_filter,
    push_pull,
    rectifier,
    transformer,
)  # fmt: skip
from rhombos.core.blocks.base import Build
from rhombos.core.book import rectifier as rectifier_book
from rhombos.core.book import stage as stage_book
from rhombos.core.brief import Brief
from rhombos.core.ledger import Ledger
from rhombos.core.magnetics.transformer import TransformerNeed
from rhombos.core.parts import Shelf
from rhombos.core.points import Point, operating_points
from rhombos.core.report import Operating
from rhombos.core.rules import Rules

KEY = "push-pull-link"
TITLE = "Push-pull, DC link, H-bridge"
BLOCKS = (battery, input_stage, push_pull, transformer, rectifier, dc_link, h_bridge, output_filter, load)
LOSSY = tuple(b.KEY for b in BLOCKS if b not in (battery, load))
"""Blocks whose losses stand between the battery's terminals and the socket."""
BUILDS: dict[str, type[Build]] = {
    "battery": battery.BatteryBuild, "input_stage": input_stage.InputStageBuild, "push_pull": push_pull.PushPullBuild,
    "transformer": transformer.TransformerBuild, "rectifier": rectifier.RectifierBuild, "dc_link": dc_link.DcLinkBuild,
    "h_bridge": h_bridge.HBridgeBuild, "output_filter": output_filter.OutputFilterBuild, "load": load.LoadBuild,
}  # fmt: skip
HINT_POINTS = ("flat", "full", "surge_full")
"""What proposals look at."""
MOST_PASSES = 60
SETTLED = 1e-5
HARDEST_SAG = 0.7
"""Share of the battery's open voltage that proposals count on at least: a design that sags further is hopeless."""
V_FLOOR = 0.3
"""Share of the battery's open voltage below which no pass looks: far beyond any design, so that hopeless ones still end."""
HOTTEST = 300.0
DUTY_RESERVE = 0.985
"""Part of the duty limit that the proposed turns ratio uses; the rest absorbs what the next iteration changes."""


@dataclass(frozen=True, slots=True)
class PowerFlow:
    """What crosses each border of the power path at a point, W, from the battery's terminals to the socket."""

    battery: float
    push_pull: float
    transformer: float
    rectifier: float
    dc_link: float
    h_bridge: float
    output_filter: float
    load: float


@dataclass(frozen=True)
class Settled:
    """All states at one point, and the power between the blocks."""

    point: Point
    states: Mapping[str, Any]
    flow: PowerFlow
    guess: Guess
    pulse: float
    turn_off: float
    v_half: float
    secondary_drop: float

    @property
    def v_in(self) -> float:
        """Voltage at the centre tap, V."""
        return self.guess.v_in


@dataclass(frozen=True)
class Hints:
    """What proposals need to know of the rest before it is assessed; refined from the states of the last round."""

    bridge_peak: float
    path_resistance: float
    modulation: float
    dead_time_volts: float
    link_current: float
    surge_link_current: float
    v_in: dict[str, float]
    pulse: dict[str, float]
    turn_off: dict[str, float]
    duty: dict[str, float]
    drop: float
    secondary_extra: float
    leak_duty: float
    battery_current: float


def first_hints(brief: Brief, pins: Mapping[str, Mapping[str, Any]], rules: Rules) -> Hints:
    """A designer's first guess: 88 % overall, 5 % of drops, everything else by proportion."""
    bridge = math.sqrt(2) * brief.output.voltage * 1.05
    voltage = pins.get("dc_link", {}).get("voltage") or dc_link.least_voltage(bridge, rules.link_ripple, rules)
    empty, _, full = brief.source.volts
    power, surge = brief.power.continuous / 0.88, brief.power.surge / 0.88
    high = rules.duty_limit * empty / full
    duty = {"flat": rules.duty_limit, "full": high, "surge_full": high}
    v_in = {"flat": empty * 0.95, "full": full * 0.98, "surge_full": full * 0.95}
    asked = {k: surge if k.startswith("surge") else power for k in v_in}
    pulse = {k: asked[k] / (v_in[k] * 2 * duty[k]) for k in v_in}
    return Hints(
        bridge_peak=bridge, path_resistance=0.0, modulation=bridge / voltage, dead_time_volts=0.01 * voltage,
        link_current=brief.power.continuous * 1.05 / voltage, surge_link_current=brief.power.surge * 1.05 / voltage,
        v_in=v_in, pulse=pulse,
        turn_off={k: 1.2 * v for k, v in pulse.items()}, duty=duty, drop=0.04 * empty, secondary_extra=3.0,
        leak_duty=0.01,
        battery_current=power / v_in["flat"],
    )  # fmt: skip


def next_hints(settled: Mapping[str, Settled]) -> Hints:
    """What the assessed design teaches the next round of proposals.

    A point that the source cannot feed has no sensible currents; proposals then see it at the edge of the possible.
    """
    flat = settled["flat"]
    states = flat.states
    v_in = {k: max(settled[k].v_in, HARDEST_SAG * settled[k].point.emf) for k in HINT_POINTS}
    duty = {k: min(0.5, settled[k].states["push_pull"].duty) for k in HINT_POINTS}
    most = {k: settled[k].point.power / (0.6 * v_in[k] * 2 * duty[k]) for k in HINT_POINTS}
    mean = 2 * states["rectifier"].average
    return Hints(
        bridge_peak=max(settled[k].states["h_bridge"].bridge_peak for k in ("flat", "full")),
        path_resistance=2 * states["h_bridge"].resistance, modulation=states["h_bridge"].modulation,
        dead_time_volts=states["h_bridge"].dead_time_loss_volts, link_current=mean,
        surge_link_current=2 * settled["surge_full"].states["rectifier"].average,
        v_in=v_in,
        pulse={k: min(settled[k].pulse, most[k]) for k in HINT_POINTS},
        turn_off={k: min(settled[k].turn_off, 1.3 * most[k]) for k in HINT_POINTS}, duty=duty,
        drop=min(max(0.0, flat.v_in - flat.v_half), 0.2 * v_in["flat"]),
        secondary_extra=2 * states["rectifier"].drop + states["rectifier"].choke_resistance * mean
        + min(flat.secondary_drop, 0.1 * settled["flat"].states["dc_link"].voltage),
        leak_duty=min(states["transformer"].leakage_duty, 0.2),
        battery_current=min(states["battery"].current, flat.point.power / (0.6 * v_in["flat"])),
    )  # fmt: skip


def propose(
    brief: Brief, hints: Hints, pins: Mapping[str, dict[str, Any]], shelf: Shelf, rules: Rules
) -> dict[str, Build]:  # fmt: skip
    """One round of proposals, from the load back to the battery. Pinned fields stay."""
    asked = load.assess(operating_points(brief)["nominal"], brief, Ledger(recording=False))
    surge = brief.power.surge / brief.power.continuous
    surge_current = asked.current * surge
    own = {key: dict(pins.get(key, {})) for key in BUILDS}
    voltage = own["dc_link"].get("voltage") or dc_link.least_voltage(hints.bridge_peak, rules.link_ripple, rules)
    carrier = float(own["h_bridge"].get("carrier", h_bridge.CARRIER))
    filter_need = output_filter.FilterNeed(
        asked.voltage, asked.frequency, asked.current, asked.power_factor, voltage, carrier,
        hints.bridge_peak / voltage, hints.path_resistance, hints.dead_time_volts)  # fmt: skip
    filtering = output_filter.propose(filter_need, surge_current, brief, own["output_filter"], shelf, rules)
    ripple = voltage / (8 * carrier * filtering.inductance)
    linking = dc_link.propose(
        dc_link.LinkNeed(
            asked.apparent, math.sqrt(2) * asked.current, hints.bridge_peak / voltage, asked.power_factor,
            hints.link_current, rules.choke_ripple * hints.link_current, hints.bridge_peak),
        brief, own["dc_link"] | {"voltage": voltage}, shelf, rules)  # fmt: skip
    highest = dc_link.highest(linking, asked.apparent * surge, asked.frequency, shelf, rules)
    bridge = h_bridge.propose(
        h_bridge.BridgeNeed(
            voltage, highest, asked.current, asked.power_factor, 1.02 * (math.sqrt(2) * asked.current + ripple / 2),
            ripple / math.sqrt(24), hints.bridge_peak),
        brief, own["h_bridge"], shelf, rules)  # fmt: skip
    # the ratio that still reaches the link on a flat battery, hot, at full load, with leakage's share of the duty
    reach = rules.duty_limit * DUTY_RESERVE - hints.leak_duty / 2
    ratio = float(stage_book.turns_ratio_choke(
        V_out=voltage + hints.secondary_extra, n_d=1, V_F=0.0, D_max=reach, V_min=hints.v_in["flat"],
        V_drop=hints.drop))  # fmt: skip
    frequency = float(own["push_pull"].get("frequency", push_pull.steady_frequency(brief.power.continuous)))
    air = brief.targets.ambient + rules.enclosure_rise
    winding = transformer.propose(
        TransformerNeed(
            v_max=brief.source.volts[2], d_max=rules.duty_limit, v_work=hints.v_in["flat"] - hints.drop,
            d_work=min(0.5, hints.duty["flat"]), ratio=ratio, primary_pulse=hints.pulse["flat"],
            secondary_pulse=hints.link_current, frequency=frequency, air=air),
        own["transformer"], shelf, rules)  # fmt: skip
    made = transformer.made(winding, shelf)
    leakage = made.leakage + rules.lead_inductance
    rectifying = rectifier.propose(
        rectifier.RectifierNeed(
            v_sec=made.ratio * ((hints.v_in["flat"] + hints.v_in["full"]) / 2 - hints.drop),
            v_sec_max=made.ratio * brief.source.volts[2],
            v_link=voltage, current=hints.link_current, duty=hints.duty["flat"] + hints.duty["full"], frequency=frequency,
            leakage=leakage * made.ratio**2, ratio=made.ratio),
        hints.surge_link_current, brief, own["rectifier"], shelf, rules)  # fmt: skip
    flat, full, hardest = (
        push_pull.PushPullNeed(hints.v_in[k], hints.duty[k], hints.pulse[k], hints.turn_off[k], leakage) for k in HINT_POINTS
    )
    switching = push_pull.propose(flat, full, hardest, brief.source.volts[2], brief, own["push_pull"], shelf, rules)
    ripple_in = hints.battery_current * math.sqrt(max(0.0, 1 / max(2 * hints.duty["full"], 0.05) - 1))
    entry = input_stage.propose(brief, hints.battery_current, ripple_in, own["input_stage"], shelf, rules)
    return {
        "battery": battery.BatteryBuild(), "input_stage": entry, "push_pull": switching, "transformer": winding,
        "rectifier": rectifying, "dc_link": linking, "h_bridge": bridge, "output_filter": filtering,
        "load": load.LoadBuild(),
    }  # fmt: skip


@dataclass(frozen=True, slots=True)
class Guess:
    """What one pass takes from the last: voltages, the path's resistances, pulses, losses and temperatures."""

    v_in: float
    terminal: float
    modulation: float = 0.9
    dead_time_volts: float = 0.0
    path_resistance: float = 0.0
    pulse: float = 0.0
    primary_resistance: float = 0.0
    secondary_resistance: float = 0.0
    choke_resistance: float = 0.0
    diode_drop: float = 1.0
    leak_duty: float = 0.0
    ripple: float = 0.0
    stage_loss: float = 0.0
    transformer_loss: float = 0.0
    transformer_celsius: float = 75.0
    choke_celsius: float = 75.0
    filter_celsius: float = 75.0

    def moved(self, other: Guess, scale: float) -> float:
        """The largest relative change between two passes; `scale` is the power asked, W."""
        return max(
            abs(self.v_in - other.v_in) / max(self.terminal, 1e-9), abs(self.modulation - other.modulation),
            abs(self.pulse - other.pulse) / max(abs(self.pulse), 1e-3),
            abs(self.stage_loss - other.stage_loss) / scale, abs(self.transformer_loss - other.transformer_loss) / scale,
            abs(self.transformer_celsius - other.transformer_celsius) / 1e3,
            abs(self.choke_celsius - other.choke_celsius) / 1e3, abs(self.filter_celsius - other.filter_celsius) / 1e3,
            abs(self.path_resistance - other.path_resistance) / max(self.path_resistance, 1e-6),
        )  # fmt: skip


def settle(
    point: Point, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger,
    start: Settled | None = None, tolerance: float = SETTLED,
) -> Settled:  # fmt: skip
    """The operating point at which every block's voltages, currents, losses and temperatures agree."""
    if start is None:
        guess = Guess(v_in=0.95 * point.emf, terminal=point.emf, pulse=point.power / (0.7 * point.emf))
    else:
        guess = replace(start.guess, v_in=start.v_in * point.emf / start.point.emf, terminal=point.emf)
        if point.power != start.point.power:
            share = point.power / start.point.power if start.point.power else 1.0
            guess = replace(guess, pulse=guess.pulse * share, stage_loss=guess.stage_loss * share)
    scale = max(point.power, 0.1 * brief.power.continuous)
    for _ in range(MOST_PASSES):
        settled, after = _one_pass(point, guess, builds, brief, shelf, rules, ledger)
        if after.moved(guess, scale) < tolerance:
            break
        guess = after
    return settled


def _one_pass(
    point: Point, g: Guess, builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, ledger: Ledger
) -> tuple[Settled, Guess]:  # fmt: skip
    link_v, f_s = builds["dc_link"].voltage, builds["push_pull"].frequency
    drain = load.assess(point, brief, ledger)
    filtered = output_filter.assess(
        output_filter.FilterNeed(
            drain.voltage, drain.frequency, drain.current, drain.power_factor, link_v, builds["h_bridge"].carrier,
            g.modulation, g.path_resistance, g.dead_time_volts, g.filter_celsius),
        builds["output_filter"], brief, shelf, rules, ledger)  # fmt: skip
    to_filter = point.power + filtered.loss
    link_high = dc_link.highest(builds["dc_link"], drain.apparent, drain.frequency, shelf, rules)
    bridged = h_bridge.assess(
        h_bridge.BridgeNeed(
            link_v, link_high, filtered.line_current, filtered.power_factor, filtered.peak, filtered.ripple_rms,
            filtered.fundamental),
        builds["h_bridge"], brief, shelf, rules, ledger)  # fmt: skip
    to_bridge = to_filter + bridged.loss
    linked = dc_link.assess(
        dc_link.LinkNeed(
            drain.apparent, math.sqrt(2) * filtered.line_current, bridged.modulation, filtered.power_factor,
            to_bridge / link_v, g.ripple, bridged.bridge_peak),
        builds["dc_link"], brief, shelf, rules, ledger)  # fmt: skip
    to_link = to_bridge + linked.loss
    link_current = to_link / link_v
    ratio = builds["transformer"].secondary_turns / builds["transformer"].primary_turns
    v_half = max(V_FLOOR * point.emf, g.v_in - g.pulse * g.primary_resistance)
    secondary_drop = link_current * g.secondary_resistance
    v_sec = ratio * v_half - secondary_drop
    duty = _duty(g, link_v, link_current, ratio, v_half, secondary_drop, builds, ledger)
    leakage = transformer.made(builds["transformer"], shelf).leakage + rules.lead_inductance
    rectified = rectifier.assess(
        rectifier.RectifierNeed(
            v_sec, ratio * brief.source.volts[2], link_v, link_current, 2 * duty, f_s,
            leakage * ratio**2, ratio, g.choke_celsius),
        builds["rectifier"], brief, shelf, rules, ledger)  # fmt: skip
    to_rectifier = to_link + rectified.loss
    # g.transformer_loss and g.stage_loss are the last pass's: at the settled point they are this one's
    total = to_rectifier + g.transformer_loss + g.stage_loss
    most_loss = 2 * max(point.power, 0.1 * brief.power.continuous)
    most_pulse = 3 * most_loss / (V_FLOOR * point.emf)
    pulse = ledger.work("push_pull.pulse", stage_book.pulse_current, P=total, V=g.v_in, D_tot=2 * duty)
    wound = transformer.assess(
        transformer.WorkingPoint(
            v_half, duty, pulse, link_current, f_s, brief.source.volts[2], max(rules.duty_limit, duty),
            g.transformer_celsius),
        builds["transformer"], brief, shelf, rules, ledger)  # fmt: skip
    turn_off = pulse + ratio * rectified.ripple / 2 + wound.magnetising / 2
    switched = push_pull.assess(
        push_pull.PushPullNeed(g.v_in, duty, pulse, turn_off, leakage), builds["push_pull"], brief, shelf, rules,
        ledger)  # fmt: skip
    to_transformer = to_rectifier + wound.loss
    to_stage = to_transformer + switched.loss
    mean = to_stage / g.v_in
    entry = input_stage.assess(
        input_stage.InputNeed(mean, 2 * duty, link_current < rectified.minimum_load), g.terminal, builds["input_stage"],
        brief, shelf, rules, ledger)  # fmt: skip
    from_battery = to_stage + entry.loss
    cells = battery.assess(point.emf, from_battery, brief, ledger)
    states = {
        "battery": cells, "input_stage": entry, "push_pull": switched, "transformer": wound, "rectifier": rectified,
        "dc_link": linked, "h_bridge": bridged, "output_filter": filtered, "load": drain,
    }  # fmt: skip
    flow = PowerFlow(from_battery, to_stage, to_transformer, to_rectifier, to_link, to_bridge, to_filter, point.power)
    parallel = builds["push_pull"].parallel
    after = Guess(
        v_in=max(V_FLOOR * point.emf, cells.terminal - entry.drop), terminal=cells.terminal,
        modulation=bridged.modulation, dead_time_volts=bridged.dead_time_loss_volts,
        path_resistance=2 * bridged.resistance, pulse=min(pulse, most_pulse),
        primary_resistance=wound.primary_resistance * wound.primary_factor + switched.on_resistance / parallel,
        secondary_resistance=wound.secondary_resistance * wound.secondary_factor,
        choke_resistance=rectified.choke_resistance, diode_drop=rectified.drop, leak_duty=wound.leakage_duty,
        ripple=rectified.ripple, stage_loss=min(switched.loss, most_loss), transformer_loss=min(wound.loss, most_loss),
        transformer_celsius=min(wound.temperature, HOTTEST), choke_celsius=min(rectified.choke_temperature, HOTTEST),
        filter_celsius=min(filtered.temperature, HOTTEST))  # fmt: skip
    return Settled(point, states, flow, g, pulse, turn_off, v_half, secondary_drop), after


def _duty(
    g: Guess, link_v: float, current: float, ratio: float, v_half: float, secondary_drop: float,
    builds: Mapping[str, Any], ledger: Ledger,
) -> float:  # fmt: skip
    """Duty of one switch: with continuous choke current, or less where the choke runs dry."""
    through = float(stage_book.duty_needed(
        V_out=link_v + current * g.choke_resistance, n_d=2, V_F=g.diode_drop, ratio=ratio, V_in=v_half,
        V_drop=secondary_drop / ratio))  # fmt: skip
    v_sec = ratio * v_half - secondary_drop
    if v_sec > link_v * 1.001:
        inputs = {"L": builds["rectifier"].inductance, "f_s": builds["push_pull"].frequency, "V_out": link_v,
                  "I_out": current, "V_sec": v_sec}  # fmt: skip
        if rectifier_book.duty_discontinuous.work(inputs) < through:
            return max(1e-4, ledger.work("push_pull.duty", rectifier_book.duty_discontinuous, **inputs))
    ledger.total("push_pull.duty", {"volt-seconds of the link": through, "leakage, half of its share": g.leak_duty / 2})
    return through + g.leak_duty / 2


def settle_all(
    builds: Mapping[str, Any], brief: Brief, shelf: Shelf, rules: Rules, *, ledgers: Mapping[str, Ledger] | None = None,
    keys: tuple[str, ...] = (), start: Mapping[str, Settled] | None = None, tolerance: float = SETTLED,
) -> dict[str, Settled]:  # fmt: skip
    """Every operating point (or those of `keys`); each starts from its like in `start`, else from its neighbour."""
    found: dict[str, Settled] = {}
    for key, point in operating_points(brief).items():
        if keys and key not in keys:
            continue
        ledger = ledgers[key] if ledgers else Ledger(recording=False)
        near = (start or {}).get(key) or next(iter(found.values()), None)
        found[key] = settle(point, builds, brief, shelf, rules, ledger, near, tolerance)
    return found


def hopeless(settled: Mapping[str, Settled]) -> frozenset[str]:
    """Points that the battery cannot feed, or at which no duty holds the link."""
    return frozenset(
        k for k, s in settled.items()
        if s.states["battery"].collapsed or s.states["push_pull"].duty > push_pull.DUTY_REACH
    )


def operating(settled: Mapping[str, Settled], builds: Mapping[str, Any], shelf: Shelf) -> Operating:
    """The nominal point as the waveforms see it."""
    states = settled["nominal"].states
    filtered, drain, voltage = states["output_filter"], states["load"], builds["dc_link"].voltage
    return Operating(
        index=min(1.0, filtered.fundamental / voltage), v_link=voltage, carrier=builds["h_bridge"].carrier,
        line=drain.frequency, inductance=builds["output_filter"].inductance,
        resistance=filtered.resistance + 2 * states["h_bridge"].resistance,
        capacitance=output_filter.capacitance(builds["output_filter"], shelf), load_resistance=drain.resistance,
        load_inductance=drain.inductance)  # fmt: skip
