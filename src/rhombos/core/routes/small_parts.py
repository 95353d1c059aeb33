"""What any drawer has: the small resistors, capacitors and coils of each stage, told by their values alone."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain

from rhombos.core.blocks.bridge_drive import KEY as BRIDGE_DRIVE
from rhombos.core.blocks.controller import KEY as CONTROLLER
from rhombos.core.blocks.dc_link import KEY as DC_LINK
from rhombos.core.blocks.front_drive import KEY as FRONT_DRIVE
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.gate_drive import DriveState, GateDriveBuild, bootstrapped
from rhombos.core.blocks.h_bridge import KEY as H_BRIDGE
from rhombos.core.blocks.heat import KEY as HEAT
from rhombos.core.blocks.hf_output import KEY as HF_OUTPUT
from rhombos.core.blocks.hf_socket import KEY as HF_SOCKET
from rhombos.core.blocks.input_stage import KEY as INPUT_STAGE
from rhombos.core.blocks.isolation import KEY as ISOLATION
from rhombos.core.blocks.mains_input import KEY as MAINS_INPUT
from rhombos.core.blocks.mains_input import RELAY
from rhombos.core.blocks.protection import KEY as PROTECTION
from rhombos.core.blocks.rectifier import KEY as RECTIFIER
from rhombos.core.frame.inventory import Item, small
from rhombos.core.frame.keys import Key
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.topology import RECTIFIERS, TOPOLOGIES
from rhombos.core.units.quantities import short

BRIDGE_POSITIONS = 4


def input_stage(at: Sizing) -> Iterator[Item]:
    """The filter choke with the resistor that damps it."""
    build = at.builds[INPUT_STAGE]
    yield from small("L1", "choke", "filter choke", build.choke, "H")
    if build.choke:
        yield from small("R1", "damper", "damping resistor across the filter choke", build.damper, "ohm")


def mains_input(at: Sizing) -> Iterator[Item]:
    """What limits the first charge: a thermistor, or a resistor where a relay bridges it."""
    build = at.builds[MAINS_INPUT]
    what = "inrush resistor" if build.bypass == RELAY else "inrush thermistor, cold"
    yield from small("R2", "limiter", what, build.limiter, "ohm")


def rectifier(at: Sizing) -> Iterator[Item]:
    """The capacitor of each damper."""
    build = at.builds[RECTIFIER]
    if build.damper == "RC":
        yield from small(
            "C1", "damper_capacitor", "damper capacitor", build.damper_capacitor, "F", RECTIFIERS[build.circuit].parts
        )


def hf_socket(at: Sizing) -> Iterator[Item]:
    """Fuse and coil between the tap and the terminals."""
    build = at.builds[HF_SOCKET]
    yield from small("F1", "fuse", "fuse at the socket", build.fuse, "A")
    yield from small("L1", "coil", "coil against a short", build.coil, "H")


def hf_output(at: Sizing) -> Iterator[Item]:
    """The coil between the winding and the terminals."""
    yield from small("L1", "coil", "coil against a short", at.builds[HF_OUTPUT].coil, "H")


def controller(at: Sizing) -> Iterator[Item]:
    """Timing; divider and compensation where the link is held; what the current is sensed across."""
    build = at.builds[CONTROLLER]
    yield from small("C1", "timing_capacitor", "timing capacitor", build.timing_capacitor, "F")
    yield from small("R1", "timing_resistor", "timing resistor", build.timing_resistor, "ohm")
    yield from small("R2", "discharge_resistor", "discharge resistor", build.discharge_resistor, "ohm")
    across = "burden" if build.sensing == "current transformer" else "shunt"
    yield from small("R3", "sense_resistor", across, build.sense_resistor, "ohm")
    if not at.builds[DC_LINK].held:
        return
    if not build.feedback.startswith("zener"):
        yield from small("R4", "r_top", "upper resistor of the divider, all of it", build.r_top, "ohm")
        yield from small("R5", "r_bottom", "lower resistor of the divider", build.r_bottom, "ohm")
        yield from small("RP3", "span_pot", "linear potentiometer of the span", build.span_pot, "ohm")
        yield from small("R8", "span_end", "end resistor across it", build.span_end, "ohm")
    yield from chain(
        small("R6", "r2", "compensation R2", build.r2, "ohm"),
        small("R7", "r3", "compensation R3", build.r3, "ohm"),
        small("C2", "c1", "compensation C1", build.c1, "F"),
        small("C3", "c2", "compensation C2", build.c2, "F"),
        small("C4", "c3", "compensation C3", build.c3, "F"),
    )


def front_drive(at: Sizing) -> Iterator[Item]:
    """What stands at the gates of the input's stage."""
    positions = TOPOLOGIES[at.builds[FRONT_END].topology].positions
    return _gates(at, FRONT_DRIVE, positions, at.builds[FRONT_END].parallel)


def bridge_drive(at: Sizing) -> Iterator[Item]:
    """What stands at the gates of the bridge."""
    return _gates(at, BRIDGE_DRIVE, BRIDGE_POSITIONS, at.builds[H_BRIDGE].parallel)


def _gates(at: Sizing, key: Key[GateDriveBuild, DriveState], positions: int, parallel: int) -> Iterator[Item]:
    """Each switch has its own resistors; each leg one bootstrap."""
    build = at.builds[key]
    gates = positions * parallel
    yield from small("R1", "r_on", "gate resistor, turning on", build.r_on, "ohm", gates)
    yield from small("R2", "r_off", "gate resistor, turning off", build.r_off, "ohm", gates)
    yield from small("R3", "pull_down", "pull-down at each gate", build.pull_down, "ohm", gates)
    if build.zener == "fitted":
        now = at.now[key]
        value = f"{short(now.gate, 'V')} to {short(now.limit, 'V')}"
        yield Item("D2", "zener at each gate", "", gates, 0.0, value=value, fields=("zener",))
    if bootstrapped(build, at.shelf):
        yield from small("C1", "boot_capacitor", "bootstrap capacitor", build.boot_capacitor, "F", positions // 2)
        yield from small("R4", "boot_resistor", "bootstrap resistor", build.boot_resistor, "ohm", positions // 2)


def protection(at: Sizing) -> Iterator[Item]:
    """The cut-off's comparator, the coil that slows a short, the fuse at the socket."""
    build = at.builds[PROTECTION]
    yield from small("R1", "top", "upper resistor of the cut-off", build.top, "ohm")
    yield from small("R2", "bottom", "lower resistor of the cut-off", build.bottom, "ohm")
    yield from small("R3", "hold", "resistor back to the cut-off's tap", build.hold, "ohm")
    yield from small("L1", "coil", "coil that slows a short", build.coil, "H")
    yield from small("F1", "output_fuse", "fuse at the socket", build.output_fuse, "A")


def isolation(at: Sizing) -> Iterator[Item]:
    """The divider by which the output is sensed."""
    build = at.builds[ISOLATION]
    yield from small("R1", "sense_top", "upper resistor of the sense divider", build.sense_top, "ohm")
    yield from small("R2", "sense_bottom", "lower resistor of the sense divider", build.sense_bottom, "ohm")


def heat(at: Sizing) -> Iterator[Item]:
    """The resistor above the thermistor."""
    yield from small("R1", "pull_up", "resistor above the thermistor", at.builds[HEAT].pull_up, "ohm")
