"""The L–C filter behind a unipolar bridge, and what is left of the carrier at the socket."""

from __future__ import annotations

import cmath
import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from pydantic import Field

from rhombos.core.blocks.base import part, remembered
from rhombos.core.blocks.filter_corner import between_harmonics, clear_of_the_line
from rhombos.core.blocks.filter_flow import Flow, Way, flow
from rhombos.core.blocks.filter_march import Feed, marched_flow
from rhombos.core.blocks.wound import ChokeBuild, choke_of, choke_parts, wind
from rhombos.core.book import filters as book
from rhombos.core.book import loads, source
from rhombos.core.book import magnetics as wound
from rhombos.core.design.brief import Brief
from rhombos.core.design.pins import Fields
from rhombos.core.design.rules import Rules
from rhombos.core.frame.inventory import Item, fitted
from rhombos.core.frame.keys import Key
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.magnetics.choke import ChokeNeed, choke_loss
from rhombos.core.magnetics.stack import rise
from rhombos.core.parts import Capacitor, Shelf
from rhombos.core.waves.crest import Crest, crest
from rhombos.core.waves.rail import FIRM, Rail

KEY: Key[OutputFilterBuild, FilterState] = Key("output_filter")
TITLE = "Filter"
CORNER_OVER_LINE = 10
RIPPLE_OVER_CORNER = 10
AC_MARGIN = 1.1
"""The capacitor's AC rating over the output voltage, at least: mains-rated parts are tested well beyond it."""


class OutputFilterBuild(ChokeBuild):
    """Inductor and capacitor."""

    capacitor: str = part("capacitor", "Filter capacitor")
    count: int = Field(ge=1, le=30, title="Filter capacitors in parallel")


@dataclass(frozen=True, slots=True)
class FilterNeed:
    """Output voltage RMS, V, its frequency, Hz; load current RMS, A, and power factor; link voltage, V; carrier, Hz;
    modulation index; resistance of the bridge's path, Ω; fundamental that dead time takes, V; temperature the inductor is
    taken to have, °C. Where a step-up transformer stands between inductor and capacitor, all is as seen from the inductor, and
    `ratio` (turns beyond over turns before) and `leakage`, H, are the transformer's; power that is drawn at the crest, W; what
    magnetises that transformer, A RMS; what feeds the bridge, where that gives way; where the whole circuit is to be marched,
    what stands before it, and then what flowed in it."""

    voltage: float
    frequency: float
    current: float
    power_factor: float
    v_link: float
    carrier: float
    modulation: float
    path_resistance: float
    dead_time_volts: float
    celsius: float = 80.0
    ratio: float = 1.0
    leakage: float = 0.0
    crest_power: float = 0.0
    magnetising: float = 0.0
    rail: Rail = FIRM
    feed: Feed | None = None
    flows: Flow | None = None


@dataclass(frozen=True, slots=True)
class FilterState:
    """Currents, A (`line_current` is the fundamental's, `rms` that of all but the ripple); flux, T; temperature, °C; the
    bridge's fundamental, V; losses, W; residual distortion; what flows, of the line and its harmonics."""

    line_current: float
    rms: float
    power_factor: float
    ripple: float
    ripple_rms: float
    peak: float
    flux: float
    corner: float
    capacitor_current: float
    capacitor_share: float
    fundamental: float
    resistance: float
    temperature: float
    copper: float
    core: float
    distortion: float
    loss: float
    flows: Flow
    others: float = 0.0
    third: complex = 0j
    passes_third: complex = 1 + 0j
    rail: float = 0.0
    pulsed: float = 0.0
    lag: float = 0.0

    def on_a_swinging_rail(self, swing: complex) -> FilterState:
        """The same with the third harmonic that a rail makes which swings at twice the line: `swing` is its phasor over its
        mean, a cosine at the output's rise through zero. Source: sin θ · cos(2θ + α) = ½·sin(3θ + α) − ½·sin(θ + α)."""
        made = self.passes_third * swing / 2
        return replace(self, distortion=math.hypot(self.others, abs(self.third + made)), rail=abs(made))

    def bent_by_its_rail(self, share: float) -> FilterState:
        """The same with what a rail's swing is known to leave in the output, over its fundamental, in place of what a
        resistance before the bank makes of the load's own swing."""
        others = math.sqrt(max(0.0, self.distortion**2 - self.rail**2))
        return replace(self, distortion=math.hypot(others, share), rail=share)


def capacitance(build: OutputFilterBuild, shelf: Shelf) -> float:
    """Filter capacitance, F."""
    return build.count * shelf.get(Capacitor, build.capacitor).c


@remembered
def propose(
    need: FilterNeed, surge_current: float, brief: Brief, pins: Fields, shelf: Shelf, rules: Rules
) -> OutputFilterBuild:  # fmt: skip
    """Inductor for the rules' ripple, capacitor for their share of the current, inductor wound for the surge."""
    fields = dict(pins)
    ripple = rules.filter_ripple * math.sqrt(2) * need.current
    wanted = book.unipolar_ripple.invert("L", {"V_dc": need.v_link, "f_c": need.carrier, "dI": ripple})
    henry = fields.get("inductance") or _inductance(need, wanted, fields, brief, shelf, rules)
    if "capacitor" not in fields or "count" not in fields:
        fields = _capacitor(need, henry, fields, shelf, rules) | fields
    if "inductance" not in pins:
        bank = fields["count"] * shelf.get(Capacitor, fields["capacitor"]).c * need.ratio**2
        henry = clear_of_the_line(henry, need.leakage, bank, CORNER_OVER_LINE * need.frequency)
        if not need.crest_power:  # what draws at the crest damps it
            henry = between_harmonics(henry, need.leakage, _load_coil(need), bank, need.frequency)
    fields["inductance"] = henry
    swing = float(book.unipolar_ripple(V_dc=need.v_link, L=henry, f_c=need.carrier))
    ripple_rms = float(book.unipolar_ripple_rms(V_dc=need.v_link, f_c=need.carrier, L=henry, M=min(need.modulation, 1)))
    air = brief.targets.ambient + rules.enclosure_rise
    highest, slow = math.sqrt(2) * surge_current, need.current
    if need.crest_power > 0:
        over, added = need.crest_power / need.voltage, _pulses(need, henry, fields, shelf)
        highest, slow = added.peak(surge_current, 0.0, over, inductor=True), math.hypot(slow, over * added.inductor_rms)
    wanted_choke = ChokeNeed(henry, 1.02 * highest + swing / 2, slow, swing, ripple_rms, 2 * need.carrier, air)
    return OutputFilterBuild.within(wind(wanted_choke, fields, shelf, rules))


def _pulses(need: FilterNeed, henry: float, fields: Fields, shelf: Shelf) -> Crest:
    """What loads at the crest add behind such an inductance, H, and the capacitors of the fields."""
    relative = need.crest_power / need.voltage**2
    corner = _corner(need, henry, fields, shelf) / need.frequency
    reactance = 2 * math.pi * need.frequency * (henry + need.leakage)
    return crest(reactance * relative, corner, need.voltage * need.ratio, need.path_resistance * relative)


def _corner(need: FilterNeed, henry: float, fields: Fields, shelf: Shelf) -> float:
    """Where such an inductance, H, and the capacitors of the fields ring, Hz."""
    bank = fields["count"] * shelf.get(Capacitor, fields["capacitor"]).c * need.ratio**2
    return float(book.corner(L=henry + need.leakage, C=bank))


def _inductance(
    need: FilterNeed, wanted: float, fields: Fields, brief: Brief, shelf: Shelf, rules: Rules
) -> float:  # fmt: skip
    """The rules' inductance, H, or the next smaller one behind which loads at the crest bend the output little enough: the less
    inductance, the less they do. Where none is, the one of lowest distortion."""
    least = math.inf, 0.0
    for share in SOFTER:
        henry = float(f"{min(0.5, max(1e-6, share * wanted)):.2g}")
        if not need.crest_power:
            return henry
        tried = _capacitor(need, henry, fields, shelf, rules) | fields
        if least[1] and _corner(need, henry, tried, shelf) > 2 * need.carrier / RIPPLE_OVER_CORNER:
            break  # the carrier would come through
        bent = _pulses(need, henry, tried, shelf).distortion
        if bent <= LIKELY_BENT * brief.targets.distortion:
            return henry
        least = min(least, (bent, henry))
    return least[1]


def _load_coil(need: FilterNeed) -> float:
    """The inductance of the load, H, that lies beside the filter's at its corner; none of a load that is all but resistive."""
    if need.power_factor >= MOST_RESISTIVE or need.current <= 0:
        return math.inf
    return float(loads.load_inductance(
        V_rms=need.voltage, cos_phi=need.power_factor, S=need.voltage * need.current, f_line=need.frequency))  # fmt: skip


def _capacitor(
    need: FilterNeed, henry: float, pins: Fields, shelf: Shelf, rules: Rules
) -> Fields:  # fmt: skip
    """The largest film capacitor whose current stays within the share, but no larger than the corner asks."""
    far = need.ratio**2  # a capacitor beyond the transformer counts that many times
    most = rules.filter_capacitor_share * need.current / (2 * math.pi * need.frequency * need.voltage) / far
    henry = (henry + need.leakage) * far
    enough = BEYOND / ((2 * math.pi * 2 * need.carrier / RIPPLE_OVER_CORNER) ** 2 * henry)
    wanted = max(min(most, 3 * enough), min(enough, 2 * most))
    cans = shelf.columns(Capacitor)
    able = (cans.family == "film ac") & (cans.v_ac >= AC_MARGIN * need.voltage * need.ratio)
    place = np.flatnonzero(shelf.column(Capacitor, "id") == pins["capacitor"] if "capacitor" in pins else able)
    if not place.size:
        return {"capacitor": max(shelf.all(Capacitor), key=lambda c: (c.v_ac, c.c)).id, "count": 1}
    count = np.array([int(pins["count"])] if "count" in pins else [1, 2, 3, 4, 6, 8, 12, 18, 24])[:, None]
    bank = count * cans.c[place]
    miss = np.abs(np.log(bank / wanted)) + 5 * np.maximum(0.0, bank / (1.08 * max(most, enough)) - 1)
    miss += 5 * np.maximum(0.0, min(wanted, enough / SPARE) / bank - 1)  # the corner would lie too high
    near = np.round(miss, 1) + 0.05 * (count - 1)
    cheapest = int(np.lexsort(((count * cans.price[place]).ravel(), near.ravel()))[0])
    many, which = divmod(cheapest, place.size)
    return {"capacitor": shelf.all(Capacitor)[place[which]].id, "count": int(count[many, 0])}


BEYOND, SPARE = 1.3, 1.25
"""Capacitance aimed at over what brings the corner just low enough; and what of that a choice may leave."""
SOFTER = (1.0, 0.8, 0.65, 0.5)
"""Shares of the rules' inductance that are tried where loads draw at the crest."""
MOST_RESISTIVE = 0.995
"""Power factor of a load up to which it is a coil at the filter's corner."""
LIKELY_BENT = 0.7
"""Share of the distortion asked that their pulses may use up."""
LINE_CYCLE = np.sin((np.arange(24) + 0.5) * math.pi / 24)
"""Half a line cycle, sampled for averages."""


@lru_cache(maxsize=256)
def _core_weight(modulation: float, alpha: float, beta: float) -> float:
    """Mean core loss over the line cycle over that at the largest ripple (half duty)."""
    duty = np.clip(modulation * LINE_CYCLE, 0.02, 0.98)
    return float(np.mean(wound.ripple_core_weight(D_tot=duty, alpha=alpha, beta=beta)))


def assess(
    need: FilterNeed, build: OutputFilterBuild, brief: Brief, shelf: Shelf, rules: Rules, worksheet: Worksheet
) -> FilterState:  # fmt: skip
    """Currents, losses and temperature, and the fundamental the bridge must make for this output."""
    work, made = worksheet.work, choke_of(build, shelf)
    bank, henry = capacitance(build, shelf) * need.ratio**2, build.inductance + need.leakage
    air = brief.targets.ambient + rules.enclosure_rise
    index = min(1.0, max(1e-3, need.modulation))
    own = work("output_filter.capacitor_current", book.capacitor_current, f_line=need.frequency, C=bank,
               V_rms=need.voltage)  # fmt: skip
    corner = work("output_filter.corner", book.corner, L=henry, C=bank)
    added, over = None, need.crest_power / need.voltage
    ohms = made.winding.resistance(made.stack.mlt, need.celsius) + need.path_resistance
    if need.crest_power > 0:
        small = over / need.voltage  # P/V²
        met = ohms + need.rail.at_the_crest(index)
        added = crest(2 * math.pi * need.frequency * henry * small, corner / need.frequency, need.voltage * need.ratio,
                      met * small)  # fmt: skip
        # what harmonics lose in the rail comes from the source, not from the fundamental
        added = replace(added, first=1 + (added.first - 1) * ohms / met)
    in_phase = need.current * need.power_factor + (over * (added.first - 1) if added else 0.0)
    lagging = need.current * math.sqrt(1 - need.power_factor**2)
    # what magnetises a transformer lags as much as the capacitor leads
    leading, current = own - need.magnetising, math.hypot(in_phase, lagging)
    drawn = {"I_rms": current, "cos_phi": in_phase / current if current > 0 else need.power_factor, "I_c": leading}
    line = work("output_filter.line_current", book.inductor_line_current, **drawn)
    swing = work("output_filter.ripple", book.unipolar_ripple, V_dc=need.v_link, L=henry, f_c=need.carrier)
    ripple_rms = work("output_filter.ripple_rms", book.unipolar_ripple_rms, V_dc=need.v_link, f_c=need.carrier, L=henry,
                      M=index)  # fmt: skip
    way = Way(need.voltage, need.frequency, in_phase, lagging, leading, ohms, henry, bank, added, over, need.rail)
    reactance = work("output_filter.reactance", book.inductor_reactance, f_line=need.frequency, L=henry)
    fundamental = work(
        "output_filter.fundamental", book.bridge_fundamental, V_rms=need.voltage, R=ohms, X_L=reactance, V_drop=0.0,
        **drawn)  # fmt: skip
    # the bridge's fundamental stands ahead of the output by what the inductor drops
    ahead = math.atan2(reactance * in_phase - ohms * way.behind, need.voltage + ohms * in_phase + reactance * way.behind)
    flows = need.flows or flow(way, index, fundamental, ahead)
    if need.feed and added and need.flows is None:
        feed = replace(need.feed, mean=need.v_link / flows.made)
        flows = marched_flow(way, feed, index, need.crest_power, flows) or flows
    # what rectifiers conduct against small voltages on top, on the average
    gain = way.gain(added.conductance * over / need.voltage if added else 0.0)
    # dead time takes a wave that follows the current's sign, and drives its harmonics into the filter; where pulses flow at the
    # crest, these meet a rectifier there that holds them down
    taken = -flows.signs * need.dead_time_volts * (need.current > 0)
    slow, highest = flows.inductor(None if added else (1 - gain) / way.before * taken)
    peak = highest + swing / 2
    weight = _core_weight(round(index, 3), made.grade.alpha, made.grade.beta)
    asked = ChokeNeed(build.inductance, peak, slow, swing, ripple_rms, 2 * need.carrier, air)
    lost = choke_loss(made, asked, need.celsius, 0.5, weight, worksheet, "output_filter")
    warm = worksheet.total("output_filter.temperature", {
        "air in the case": air, "rise": rise(lost.total, made.stack.surface)})  # fmt: skip
    esr = shelf.get(Capacitor, build.capacitor).esr / build.count / need.ratio**2
    capacitor_loss = work(
        "output_filter.capacitor_loss", source.ohmic_loss, I_rms=math.hypot(own, ripple_rms), R=esr)  # fmt: skip
    lift = work("output_filter.gain", book.damped_gain, f=2 * need.carrier, L=henry, C=bank, R=ohms)
    left = work("output_filter.ripple_left", book.ripple_left, f=2 * need.carrier, L=henry, I_c=ripple_rms, gain=lift)
    dead = gain * taken / (math.sqrt(2) * need.voltage)
    dead[:2] += flows.swung + flows.pulsed
    third = complex(dead[0])
    others = math.hypot(left / need.voltage, float(np.linalg.norm(dead[1:])), flows.others)
    return FilterState(
        line_current=line, rms=slow, flows=flows,
        power_factor=in_phase / line if line > 0 else 0.0, ripple=swing,
        ripple_rms=ripple_rms, peak=peak,
        flux=work("output_filter.flux", wound.choke_flux, L=build.inductance, I_pk=peak, N=build.turns, A_e=made.stack.a_e),
        corner=corner, capacitor_current=own,
        capacitor_share=own / (brief_current(brief) * need.ratio), fundamental=fundamental, resistance=lost.resistance,
        temperature=warm,
        copper=worksheet.total("output_filter.copper", {"slow current": lost.copper - lost.fast, "ripple": lost.fast}),
        core=worksheet.total("output_filter.core", {"core": lost.core}), distortion=math.hypot(others, abs(third)),
        others=others, third=third, pulsed=math.hypot(float(np.linalg.norm(flows.pulsed)), flows.others),
        rail=float(np.linalg.norm(flows.swung)),
        passes_third=complex(gain[0]) * cmath.rect(fundamental / (math.sqrt(2) * need.voltage), ahead),
        lag=math.atan2(way.behind, max(in_phase, 1e-9)) + ahead,
        loss=worksheet.total("output_filter.loss", {"inductor": lost.total, "capacitor": capacitor_loss}),
    )  # fmt: skip


def brief_current(brief: Brief) -> float:
    """The rated output current, A."""
    return brief.power.continuous / brief.output.power_factor / brief.output.voltage


def parts(build: OutputFilterBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Inductor and capacitors."""
    return (
        *choke_parts(build, shelf, "filter inductor"),
        fitted("C1", "filter capacitor", shelf.get(Capacitor, build.capacitor), build.count, fields=("capacitor",)),
    )
