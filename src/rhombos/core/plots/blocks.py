"""Which pictures each block shows."""

from __future__ import annotations

from collections.abc import Callable

from rhombos.core.blocks import gate_drive
from rhombos.core.blocks.bridge_drive import KEY as BRIDGE_DRIVE
from rhombos.core.blocks.dc_link import KEY as DC_LINK
from rhombos.core.blocks.dc_link import DcLinkBuild
from rhombos.core.frame.solve import Worked
from rhombos.core.plots import (
    battery,
    control,
    direct,
    gates,
    heat,
    hf_socket,
    high_side,
    iron,
    isolation,
    ladder,
    low_side,
    mains,
    precharge,
    rail,
    span,
    step_down,
    steps,
)
from rhombos.core.plots.model import Chart

BY_BLOCK: dict[str, tuple[Callable[[Worked], Chart], ...]] = {
    "source": (low_side.sag, low_side.power_band, battery.day, battery.gauge),
    "input_stage": (low_side.input_pulses, low_side.bank_ripple, low_side.source_lines),
    "front_end": (low_side.switch_voltage, low_side.loss_against_frequency, heat.front_surge),
    "transformer": (low_side.winding_window, low_side.loss_against_turns),
    "controller": (control.trimmer_range, control.bode),
    "precharge": precharge.SEQUENCES,
    "protection": (ladder.input_ladder, ladder.output_ladder, ladder.overload_curve, ladder.blinks),
    "heat": (heat.heat_ladder, heat.heat_path),
    "isolation": (isolation.map_table, isolation.nodes, isolation.sense_budget),
    "setting": (span.output_span,),
    "rectifier": (high_side.diode_voltage, high_side.choke_current),
    "dc_link": (high_side.link_voltage, high_side.discharge),
    "h_bridge": (high_side.bridge_voltage, high_side.bridge_spectrum, heat.bridge_surge),
    "output_filter": (high_side.inductor_current, high_side.filter_gain),
    "load": (high_side.output_voltage, high_side.output_spectrum),
}
STEPPED: dict[str, tuple[Callable[[Worked], Chart], ...]] = {
    "dc_link": (steps.link_steps, high_side.discharge),
    "h_bridge": (steps.output_steps, steps.step_spectrum, heat.bridge_surge),
    "load": (steps.output_steps, steps.step_spectrum),
}
"""What differs where the output is no sine."""

UNLINKED: dict[str, tuple[Callable[[Worked], Chart], ...]] = {
    "input_stage": (low_side.power_band,),
    "front_end": (low_side.switch_voltage, steps.output_steps, heat.front_surge),
    "oscillator": (iron.frequency_over_input, steps.output_steps),
    "iron_transformer": (iron.iron_window, iron.output_over_input),
}
"""What differs where a stage stands on the source itself."""


DIRECT: dict[str, tuple[Callable[[Worked], Chart], ...]] = {
    "dc_link": (direct.ripple, high_side.discharge),
    "load": (direct.step,),
}
"""What differs where the socket is the link itself."""

UNHELD: dict[str, tuple[Callable[[Worked], Chart], ...]] = {
    "heat": (heat.heat_ladder, heat.heat_path),
    "isolation": (isolation.map_table, isolation.nodes, isolation.sense_budget),
    "rectifier": (high_side.diode_voltage, high_side.charging_pulses),
    "controller": (control.trimmer_range,),
    "dc_link": (high_side.link_over_input, high_side.discharge),
}
"""What differs where no duty holds the link."""


TURNED: dict[str, tuple[Callable[[Worked], Chart], ...]] = {"controller": (span.link_span, control.trimmer_range, control.bode)}
"""What differs where the link is set lower to turn an output down."""


BESIDE: dict[str, tuple[Callable[[Worked], Chart], ...]] = {
    "hf_socket": hf_socket.CHARTS,
    "auxiliary_output": (step_down.choke_current, step_down.losses),
}
"""What other outputs add."""


CARRIED: dict[str, tuple[Callable[[Worked], Chart], ...]] = {"input_stage": (low_side.power_band, low_side.source_lines)}
"""What differs where that is a bridge with a carrier."""


ALONE: dict[str, tuple[Callable[[Worked], Chart], ...]] = {
    "input_stage": (low_side.input_pulses, low_side.bank_ripple, low_side.source_lines),
    "front_end": (low_side.switch_voltage, low_side.loss_against_frequency, heat.front_surge),
    "hf_output": (hf_socket.alone_wave, hf_socket.alone_over_source),
    "load": (hf_socket.alone_wave, steps.step_spectrum),
}
"""What differs where a high-frequency socket stands alone."""


FED: dict[str, dict[str, tuple[Callable[[Worked], Chart], ...]]] = {
    "DC rail": {"source": (rail.line, low_side.power_band)},
    "mains": {"source": (mains.line_current, low_side.power_band), "mains_input": (mains.bank, mains.harmonics)},
}
"""What differs where no battery feeds it."""


def charts(worked: Worked, block: str) -> tuple[Chart, ...]:
    """The pictures of one block; none for a block that this route has not."""
    stage = next((stage for stage in worked.stages if stage.key == block), None)
    if stage is None:
        return ()
    if stage.charts:
        return tuple(draw(worked) for draw in stage.charts)
    drawn = BY_BLOCK | BESIDE | FED.get(worked.brief.source.kind, {})
    if worked.brief.output.stepped:
        drawn |= STEPPED
    if worked.brief.output.direct:
        drawn |= DIRECT if worked.route.marched else {"load": ()}
    if DC_LINK not in worked.builds:
        drawn |= UNLINKED
        if worked.brief.output.waveform == "sine":
            drawn |= CARRIED
    if worked.brief.output.waveform == "HF":
        drawn |= ALONE
    if worked.brief.output.down_to is not None and worked.route.turned_by.get(worked.brief.output.waveform) == "link":
        drawn |= TURNED
    if DC_LINK in worked.builds and not worked.built(DcLinkBuild).held:
        drawn |= UNHELD
        if worked.brief.output.direct:
            drawn |= {"load": (high_side.link_over_input,)}
    for drive in gates.NEEDS:
        if block == drive:  # cycle by cycle only where the cycles differ
            lifted = block == BRIDGE_DRIVE and gate_drive.bootstrapped(worked.builds[drive], worked.shelf)
            return (gates.gate_edges(worked, drive), *((gates.bootstrap(worked, drive),) if lifted else ()))
    return tuple(draw(worked) for draw in drawn.get(block, ()))
