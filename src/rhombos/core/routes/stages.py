"""The stages of the house: what each tells of itself, in one descriptor."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from rhombos.core.blocks import (
    bridge_drive,
    controller,
    controller_report,
    dc_link,
    dc_link_report,
    front_drive,
    front_end,
    front_end_report,
    gate_drive,
    gate_drive_report,
    h_bridge,
    h_bridge_report,
    hf_output,
    hf_output_report,
    hf_socket,
    hf_socket_report,
    input_report,
    input_stage,
    iron_transformer,
    load,
    mains_input,
    mains_input_report,
    oscillator,
    output_filter,
    output_filter_report,
    rectifier,
    rectifier_report,
    source,
    transformer,
)
from rhombos.core.blocks.heat import Cooled
from rhombos.core.blocks.isolation import KEY as ISOLATION
from rhombos.core.blocks.protection import KEY as PROTECTION
from rhombos.core.blocks.short_path import ShortPath
from rhombos.core.blocks.surge import OfSwitches
from rhombos.core.book import source as source_book
from rhombos.core.circuits import beside, front_ends, gates, hf, high_side, low_side
from rhombos.core.circuits import mains as mains_circuit
from rhombos.core.design.brief import Brief
from rhombos.core.design.outputs import HfOutput
from rhombos.core.design.rules import Rules
from rhombos.core.frame.keys import Key
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.report_builder import ReportBuilder
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import Bank, BuildT, Drive, Making, Noise, StageOf, StateT
from rhombos.core.frame.topology import RECTIFIERS, TOPOLOGIES, Topology
from rhombos.core.parts import Capacitor, Diode, Driver, Mosfet, Shelf
from rhombos.core.parts.pulsed import withstand
from rhombos.core.routes import small_parts
from rhombos.core.routes.auxiliary.controller import link_need
from rhombos.core.routes.cooled import cooled
from rhombos.core.routes.driven import drive_need, front_need
from rhombos.core.routes.entrances import behind_a_rectifier, behind_leads, line_drawn
from rhombos.core.routes.mains_line import line_at
from rhombos.core.routes.narrowed import linked
from rhombos.core.routes.supply import LEAST_PATH, WIRING
from rhombos.core.units.quantities import short
from rhombos.core.waves.stepped import step_flow

SWITCHES = "mosfet|igbt|bipolar"
TRIP_ROUNDED = 1.4
"""Where a stage may trip over what a coil is proposed for: its sense resistor is a preferred value, its pulses still move."""
OWN_SUPPLY = "driver behind the controller's isolator"
"""What a high-side driver without a barrier of its own is taken to stand behind: signals cross before it."""


def plain(
    report: Callable[[ReportBuilder[BuildT, StateT], Brief, float], BlockReport], key: Key[BuildT, StateT]
) -> Callable[[ReportBuilder[BuildT, StateT], Sizing], BlockReport]:
    """The report of a block that asks for the brief and the power that enters it."""
    return lambda sheet, at: report(sheet, at.brief, at.entering(key))


# -- what sits on a heat-sink


def _front_end_cooled(at: Sizing) -> Cooled:
    device = at.shelf.get(Mosfet, at.builds[front_end.KEY].switch)
    return cooled(at, front_end.KEY, "Front end", device, ("conduction", "switching"), ("peak_voltage",))


def _oscillator_cooled(at: Sizing) -> Cooled:
    device = at.shelf.switch(at.builds[oscillator.KEY].switch)
    return cooled(at, oscillator.KEY, "Oscillator", device, ("conduction", "switching", "base_inside"), ("peak_voltage",))


def _bridge_cooled(at: Sizing) -> Cooled:
    device = at.shelf.transistor(at.builds[h_bridge.KEY].switch)
    return cooled(at, h_bridge.KEY, "H-bridge", device, ("conduction", "switching", "recovery"), ("switch_voltage",))


def _rectifier_cooled(at: Sizing) -> Cooled:
    device = at.shelf.get(Diode, at.builds[rectifier.KEY].diode)
    return cooled(at, rectifier.KEY, "Rectifier", device, ("conduction", "recovery"), ("reverse", "ring"))


def _mains_cooled(at: Sizing) -> Cooled:
    device = at.shelf.get(Diode, at.builds[mains_input.KEY].diode)
    return cooled(at, mains_input.KEY, "Mains rectifier", device, ("diode_loss",), ("top",))


# -- what a short at the socket meets


def _short_of_iron(key: Key[OfSwitches, object]) -> Callable[[Sizing], ShortPath]:
    """The way from a socket behind iron, if any, to a stage that stands on the source."""
    return lambda at: _bridge_short(at, at.brief.source.volts[2], key)


def _bridge_short(at: Sizing, volts: float, key: Key[OfSwitches, object]) -> ShortPath:
    build, iron = at.builds[key], at.now.get(iron_transformer.KEY)
    ratio = iron.ratio if iron else 1.0
    choke = at.builds[output_filter.KEY].inductance if output_filter.KEY in at.builds else 0.0  # before any iron
    behind = choke + (iron.leakage if iron else 0.0) + WIRING / ratio**2
    return ShortPath(volts, behind, ratio, withstand(at.shelf.find(SWITCHES, build.switch), build.parallel))


def _h_bridge_short(at: Sizing) -> ShortPath:
    return _bridge_short(at, at.now[dc_link.KEY].peak if dc_link.KEY in at.now else at.brief.source.volts[2], h_bridge.KEY)


def _front_end_short(at: Sizing) -> ShortPath:
    """A short of the link: the stage's own pulses rise through choke and leakage, as its switches see them."""
    build = at.builds[front_end.KEY]
    ratio, topology = at.now[transformer.KEY].ratio, TOPOLOGIES[build.topology]
    before = transformer.leakage(at.builds[transformer.KEY], at.shelf) + front_end.lead_inductance(build, at.shelf, at.rules)
    slowed = before + (at.builds[rectifier.KEY].inductance + WIRING) / ratio**2
    device = at.shelf.find(SWITCHES, build.switch)
    return ShortPath(topology.drive * at.brief.source.volts[2], slowed, ratio, withstand(device, build.parallel))


def _link_bank(at: Sizing) -> Bank:
    linked, linking = at.now[dc_link.KEY], at.builds[dc_link.KEY]
    esr = at.shelf.get(Capacitor, linking.capacitor).esr * linking.banks / linking.count
    return bank_across(linked.peak, dc_link.capacitance(linking, at.shelf), esr, linked.stored)


def bank_across(volts: float, capacitance: float, esr: float, stored: float) -> Bank:
    """A bank at a voltage, V, of F and Ω, that stores J: into a short at the end of a cord."""
    rings = source_book.closing_inrush_bound.work({"k": 0.0, "V": volts, "C": capacitance, "L": WIRING})
    limited = source_book.closing_inrush.work({"k": 0.0, "V": volts, "R_s": max(esr, LEAST_PATH)})
    return Bank(stored, min(rings, limited))


def _filter_surges(at: Sizing) -> float:
    ratio = getattr(at.now.get(iron_transformer.KEY), "ratio", 1.0)
    return float(max(s.states[output_filter.KEY].peak / ratio for k, s in at.settled.items() if k.startswith("surge")))


# -- drives


def _bridge_drive(at: Sizing) -> Drive:
    drive = at.builds[bridge_drive.KEY]
    kind = at.shelf.get(Driver, drive.driver).kind
    return Drive(drive.supply, kind if kind in ("isolated", "transformer", "opto") else OWN_SUPPLY)


# -- hands and ears


def _iron_made(at: Sizing) -> Making:
    build = at.builds[iron_transformer.KEY]
    wires = build.primary_in_hand
    wound = f"{build.primary_turns} turns of {wires} wire{'s' * (wires > 1)} on iron, or a bought transformer reversed"
    if output_filter.KEY in at.builds:
        return Making("some practice", (wound,))
    square = at.brief.output.waveform == "square"
    return Making("easy", (wound, "one oscillator, little to adjust" if square else "a width to regulate"))


def _transformer_made(at: Sizing) -> Making:
    build = at.builds[transformer.KEY]
    wound = f"ferrite with {build.primary_turns} turns of {build.primary_in_hand} strands in parallel, leakage to be kept down"
    return Making("some practice", (wound,))


def _front_end_made(at: Sizing) -> Making:
    if transformer.KEY in at.builds and TOPOLOGIES[at.builds[front_end.KEY].topology].positions == 4:
        return Making("hard", ("four gate drives, two of them floating, before the link",))
    return Making("easy", ())


def _filter_made(at: Sizing) -> Making:
    if at.link:
        return Making("hard", ("a filter choke and a sine to adjust",))
    if iron_transformer.KEY in at.builds:
        return Making("some practice", ("a choke for the highest input current, a sine table and its feedback to adjust",))
    return Making("some practice", ("a filter choke to wind, a sine table and its feedback to adjust",))


def _bridge_made(at: Sizing) -> Making:
    if at.barrier or not at.brief.output.stepped:
        return Making("easy", ())
    width = ", a width to regulate" if at.brief.output.waveform == "modified" else ""
    return Making("easy", (f"nothing to wind{width}",))


def _iron_noise(at: Sizing) -> Noise:
    hum = short(2 * at.brief.output.frequency, "Hz")
    return Noise(f"the iron hums at {hum}", 0.3 if at.brief.output.stepped else 0.6)


def _carrier_noise(at: Sizing) -> Noise:
    carrier = at.builds[h_bridge.KEY].carrier
    if at.brief.output.waveform == "sine" and carrier < h_bridge.AUDIBLE:
        return Noise(f"the carrier sings at {short(carrier, 'Hz')}", 0.2)
    return Noise("", 1.0)


# -- how they tell of themselves


def _front_end_report(sheet: front_end_report.Sheet, at: Sizing) -> BlockReport:
    how = RECTIFIERS[at.builds[rectifier.KEY].circuit] if rectifier.KEY in at.builds else None
    return front_end_report.report(sheet, at.brief, at.entering(front_end.KEY), how)


def _bridge_report(sheet: h_bridge_report.Sheet, at: Sizing) -> BlockReport:
    feeding = h_bridge_report.ON_LINK if at.link else h_bridge_report.ON_IRON if at.barrier else h_bridge_report.BARE
    return h_bridge_report.report(sheet, at.brief, at.entering(h_bridge.KEY), feeding)


def _filter_report(sheet: output_filter_report.Sheet, at: Sizing) -> BlockReport:
    seen = at.route.operating(at.settled, at.builds, at.shelf)
    assert seen is not None, "only a sine has a filter"
    return output_filter_report.report(sheet, at.brief, at.entering(output_filter.KEY), seen)


def _hf_report(sheet: hf_socket_report.Sheet, at: Sizing) -> BlockReport:
    builds, output = at.builds, at.brief.beside
    assert output is not None, "none is asked"
    winding, how = builds[transformer.KEY], RECTIFIERS[builds[rectifier.KEY].circuit]
    build: hf_socket.HfSocketBuild = builds[hf_socket.KEY]
    short = short_of_tap(
        build.turns / winding.joined_turns, at.now[controller.KEY].trip, TOPOLOGIES[builds[front_end.KEY].topology],
        builds[front_end.KEY], winding, at.brief, builds[PROTECTION].short_delay, at.shelf, at.rules)  # fmt: skip
    most = hf_socket.most_turns(winding.joined_turns, how.parts)
    loose, link = at.brief.output.waveform == "sine", float(at.now[dc_link.KEY].peak)
    return hf_socket_report.report(sheet, output, builds[front_end.KEY].frequency, most, how.choke, loose, link, short)


def _hf_parts(at: Sizing) -> Iterable[Requirement]:
    return hf_socket.requirements(at.builds[hf_socket.KEY], max(s.states[hf_socket.KEY].peak for s in at.steady))


def _hf_output_report(sheet: hf_output_report.Sheet, at: Sizing) -> BlockReport:
    assert isinstance(at.brief.output, HfOutput), "none is asked"
    state: hf_output.HfOutputState = at.now[hf_output.KEY]
    lag = step_flow(state.powered, state.factor, True).lag
    return hf_output_report.report(sheet, at.brief.output, at.builds[front_end.KEY].frequency, lag)


def _unregulated_report(sheet: transformer.Sheet, at: Sizing) -> BlockReport:
    lowest, highest = (at.settled[k].states[hf_output.KEY].voltage for k in ("low", "high"))
    transformer.judge_turns(sheet, at.brief.output.voltage, lowest, highest)
    return transformer.report(sheet, at.entering(transformer.KEY))


def short_of_hf(at: Sizing) -> ShortPath:
    """What a short of a high-frequency socket meets that stands alone behind a stage."""
    build = at.builds[front_end.KEY]
    coil, topology = at.builds[hf_output.KEY].coil, TOPOLOGIES[build.topology]
    path = hf_short_path(coil, topology, build, at.builds[transformer.KEY], at.brief, at.shelf, at.rules)
    return replace(path, coil_at=f"{hf_output.KEY}.coil")


def hf_short_path(
    coil: float, topology: Topology, switching: front_end.FrontEndBuild, winding: transformer.TransformerBuild, brief: Brief,
    shelf: Shelf, rules: Rules, share: float = 1.0,
) -> ShortPath:  # fmt: skip
    """The way from a socket that takes a share of the secondary's turns, a coil, H, in its lead, back to the switches."""
    output = next(o for o in brief.outputs if isinstance(o, HfOutput))
    before = transformer.leakage(winding, shelf) + front_end.lead_inductance(switching, shelf, rules)
    ratio = share * winding.ratio
    slowed = before + (hf_socket.cord_of(output) + coil) / ratio**2
    stands = withstand(shelf.get(Mosfet, switching.switch), switching.parallel)
    return ShortPath(topology.drive * brief.source.volts[2], slowed, ratio, stands)


def short_of_tap(
    share: float, trip: float, topology: Topology, switching: front_end.FrontEndBuild, winding: transformer.TransformerBuild,
    brief: Brief, delay: float, shelf: Shelf, rules: Rules,
) -> hf_socket.Shorted:  # fmt: skip
    """What a short of a socket meets that takes a share of the secondary's turns; the stage trips at a current, A, and is off a
    delay, s, later."""
    return hf_socket.Shorted(hf_short_path(0.0, topology, switching, winding, brief, shelf, rules, share), trip, delay)


def _controller_report(sheet: controller_report.Sheet, at: Sizing) -> BlockReport:
    rated = at.builds[dc_link.KEY].banks * at.shelf.get(Capacitor, at.builds[dc_link.KEY].capacitor).v_rating
    need = link_need(at.route, linked(at.settled), at.builds, at.shelf, at.rules)
    return controller_report.report(sheet, at.brief, need, rated)


def _controller_parts(at: Sizing) -> Iterable[Requirement]:
    asks = at.builds[front_end.KEY].frequency, at.builds[ISOLATION].proof, at.rules.reference_tolerance
    return controller.requirements(at.builds[controller.KEY], *asks)


def _lugs(at: Sizing) -> Iterable[Requirement]:
    return input_stage.requirements(at.builds[input_stage.KEY], at.brief.source.volts[2])


def _limiter(at: Sizing) -> Iterable[Requirement]:
    return mains_input.requirements(at.builds[mains_input.KEY], line_at(at), at.shelf, at.builds[ISOLATION].coil_rated)


SOURCE = StageOf(
    source.KEY, source.TITLE, source.SourceBuild, source.parts, lambda sheet, at: source.report(sheet, at.brief),
    circuit=low_side.source)  # fmt: skip
INPUT = StageOf(
    input_stage.KEY, input_stage.TITLE, input_stage.InputStageBuild, input_stage.parts,
    plain(input_report.report, input_stage.KEY), requirements=_lugs, entrance=behind_leads,
    sheet=1, small=small_parts.input_stage, circuit=low_side.input_stage)  # fmt: skip
MAINS_INPUT = StageOf(
    mains_input.KEY, mains_input.TITLE, mains_input.MainsInputBuild, mains_input.parts,
    lambda sheet, at: mains_input_report.report(sheet, line_at(at)), requirements=_limiter, cooled=_mains_cooled,
    entrance=behind_a_rectifier, line=line_drawn, sheet=1,
    small=small_parts.mains_input,     circuit=mains_circuit.mains_input)  # fmt: skip
FRONT_END = StageOf(
    front_end.KEY, front_end.TITLE, front_end.FrontEndBuild, front_end.parts, _front_end_report,
    cooled=_front_end_cooled, shorted=_front_end_short, making=_front_end_made, sheet=2,
    circuit=front_ends.front_end)  # fmt: skip
LINE_PUSH_PULL = replace(
    FRONT_END, title="Push-pull", build=front_end.LineFrontEndBuild, shorted=_short_of_iron(front_end.KEY))  # fmt: skip
OSCILLATOR = StageOf(
    oscillator.KEY, oscillator.TITLE, oscillator.OscillatorBuild, oscillator.parts, plain(oscillator.report, oscillator.KEY),
    cooled=_oscillator_cooled, shorted=_short_of_iron(oscillator.KEY), sheet=2, circuit=front_ends.front_end)  # fmt: skip
TRANSFORMER = StageOf(
    transformer.KEY, transformer.TITLE, transformer.TransformerBuild, transformer.parts,
    lambda sheet, at: transformer.report(sheet, at.entering(transformer.KEY)),
    barrier=True, making=_transformer_made, sheet=3, circuit=low_side.transformer)  # fmt: skip
UNREGULATED = replace(TRANSFORMER, report=_unregulated_report)
IRON = StageOf(
    iron_transformer.KEY, iron_transformer.TITLE, iron_transformer.IronTransformerBuild, iron_transformer.parts,
    plain(iron_transformer.report, iron_transformer.KEY), barrier=True, output=lambda state: float(state.output),
    noise=_iron_noise, making=_iron_made, sheet=3, circuit=low_side.transformer)  # fmt: skip
RECTIFIER = StageOf(
    rectifier.KEY, rectifier.TITLE, rectifier.RectifierBuild, rectifier.parts, plain(rectifier_report.report, rectifier.KEY),
    cooled=_rectifier_cooled, sheet=4, small=small_parts.rectifier, circuit=high_side.rectifier)  # fmt: skip
LINK = StageOf(
    dc_link.KEY, dc_link.TITLE, dc_link.DcLinkBuild, dc_link.parts, plain(dc_link_report.report, dc_link.KEY), link=True,
    sheet=5, bank=_link_bank, distortion=lambda at: float(at.now[dc_link.KEY].ripple / at.now[dc_link.KEY].voltage),
    making=lambda at: Making("some practice", ("a link to regulate at a voltage that kills",)),
    circuit=high_side.link)  # fmt: skip
BRIDGE = StageOf(
    h_bridge.KEY, h_bridge.TITLE, h_bridge.HBridgeBuild, h_bridge.parts, _bridge_report,
    output=lambda state: float(state.output), cooled=_bridge_cooled, shorted=_h_bridge_short,
    sampled=lambda at: 0.0 if at.brief.output.stepped else float(at.builds[h_bridge.KEY].carrier),
    noise=_carrier_noise, making=_bridge_made, sheet=6, circuit=high_side.bridge)  # fmt: skip
FILTER = StageOf(
    output_filter.KEY, output_filter.TITLE, output_filter.OutputFilterBuild, output_filter.parts, _filter_report,
    sheet=7, surges=_filter_surges, making=_filter_made,
    distortion=lambda at: float(at.now[output_filter.KEY].distortion), circuit=lambda words: high_side.FILTER)  # fmt: skip
HF_SOCKET = StageOf(
    hf_socket.KEY, hf_socket.TITLE, hf_socket.HfSocketBuild, hf_socket.parts, _hf_report, _hf_parts, ending=True,
    sheet=8, small=small_parts.hf_socket,
    stands=lambda at: float(max(s.states[hf_socket.KEY].peak for s in at.settled.values())), circuit=lambda words: hf.HF_SOCKET,
    making=lambda at: Making("some practice", ("a tap in the secondary, its lead insulated like the winding",)))  # fmt: skip
HF_OUTPUT = StageOf(
    hf_output.KEY, hf_output.TITLE, hf_output.HfOutputBuild, hf_output.parts, _hf_output_report,
    sheet=8, small=small_parts.hf_output,
    stands=lambda at: float(max(s.states[hf_output.KEY].peak for s in at.settled.values())), circuit=lambda words: hf.HF_OUTPUT,
    making=lambda at: Making("easy", ("nothing to regulate",)))  # fmt: skip
LOAD = StageOf(
    load.KEY, load.TITLE, load.LoadBuild, load.parts, lambda sheet, at: load.report(sheet, at.brief), ending=True,
    circuit=high_side.load)  # fmt: skip
CONTROLLER = StageOf(
    controller.KEY, controller.TITLE, controller.ControllerBuild, controller.parts, _controller_report,
    requirements=_controller_parts, feedback=lambda at: str(at.builds[controller.KEY].feedback),
    sheet=9, small=small_parts.controller, circuit=beside.controller)  # fmt: skip
FRONT_DRIVE = StageOf(
    front_drive.KEY, front_drive.TITLE, front_drive.FrontDriveBuild, front_drive.parts,
    lambda sheet, at: gate_drive_report.report(sheet, front_need(at.settled["nominal"], at.builds, at.brief)),
    drive=lambda at: Drive(at.builds[front_drive.KEY].supply), sheet=10, small=small_parts.front_drive,
    circuit=gates.drive)  # fmt: skip
BRIDGE_DRIVE = StageOf(
    bridge_drive.KEY, bridge_drive.TITLE, gate_drive.GateDriveBuild, bridge_drive.parts,
    lambda sheet, at: gate_drive_report.report(sheet, drive_need(at.settled["nominal"], at.builds, at.brief)),
    drive=_bridge_drive, sheet=11, small=small_parts.bridge_drive, circuit=gates.drive)  # fmt: skip
