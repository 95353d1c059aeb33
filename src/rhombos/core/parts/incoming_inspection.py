"""The incoming inspection of unverified switches: what each must show on the bench before it may be fitted."""

from __future__ import annotations

from typing import Any

from rhombos.core.book import gate
from rhombos.core.design.findings import Finding
from rhombos.core.frame.keys import Builds
from rhombos.core.parts import Igbt, Mosfet, Shelf
from rhombos.core.units.quantities import fmt, short

PROBE, PROBE_LOW, LOW = 1.0, 5.0, 0.02
"""Test current, A; of parts below so many ohms, so that the drop can be read."""
CREEP = 250e-6
"""Current at which a part counts as broken down, A."""
GATE_LEAK = 100e-9
"""Leakage of a gate that is still sound, A."""


def incoming_tests(builds: Builds, shelf: Shelf, drive: float) -> list[Finding]:
    """One finding for each block with MOSFETs or IGBTs: the tests with their limits, for gates driven with so many volts.

    The shelf is the one of unverified parts: the limits are what the sizing counts on.
    """
    found = []
    for block, build in builds.items():
        name = getattr(build, "switch", None)
        if name is None:
            continue
        part: Any = shelf.find("mosfet|igbt|bipolar", name)
        printed = part.printed
        if printed is None:
            continue
        amps = PROBE if part.r_on > LOW else PROBE_LOW
        series = gate.breakdown_resistor.work({"V_rating": part.v_rating, "I": CREEP})
        most, says = on_drop(part, amps), on_drop(printed, amps)
        found.append(
            Finding(
                code=f"{block}.incoming",
                severity="watch",
                block=block,
                title="Test every switch before it is fitted",
                cause=f"{part.label}, unverified: counted on for {short(part.v_rating, 'V')}, {fmt(part.i_rating, 'A')}, "
                f"{fmt(most, 'V')} at {short(amps, 'A')}.",
                remedy=f"Diode test of a meter: 0.4 to 0.7 V one way, open the other, the gate tied; the gate open both ways. "
                f"Gate at {short(drive, 'V')}, {short(amps, 'A')} through, four wires: {fmt(says, 'V')} is as printed; "
                f"reject it above {fmt(most, 'V')}. Its gate charged and left alone, it must stay on for "
                f"{fmt(hold(printed, drive), 's')}. Gate tied, from an insulated supply through "
                f"{short(series, 'ohm')}: no less than {short(part.v_rating, 'V')} across it. That voltage "
                "can kill: one hand, discharge, then touch.",
                figure=f"{block}.switch",
            )
        )
    return found


def on_drop(part: Mosfet | Igbt, amps: float) -> float:
    """Drop of a part that is on at a current, cold, V."""
    return gate.on_drop.work({"r": part.r_on, "I": amps, "V_0": part.v_0 if isinstance(part, Igbt) else 0.0})


def hold(part: Mosfet | Igbt, drive: float) -> float:
    """How long a gate charged to the drive's voltage keeps above its plateau at the leakage that is just allowed, s.

    An IGBT's plateau is taken as half the drive.
    """
    plateau = part.v_plateau if isinstance(part, Mosfet) else drive / 2
    return gate.gate_hold.work({"Q_g": part.q_g, "V_drive": drive, "V_pl": min(plateau, drive), "I_leak": GATE_LEAK})
