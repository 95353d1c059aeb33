"""A high-frequency socket straight from a secondary: its voltage, its current's rise, what it adds to the windings."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("high frequency", BOOK).relation

CIRCUIT = "circuit theory"

tap_voltage = _relation(
    "tap_voltage",
    V_pk,
    k_tap * (V_sec - R_s * I_pulse) / (1 + k_tap * R_s / R_L),
    title="Voltage of a tapped secondary while power flows",
    holds="a resistance on the tap beside a rectifier on the whole winding; V_sec is what the turns make, R_s the winding's",
    source=CIRCUIT,
)
power_factor = _relation(
    "power_factor",
    cos_phi,
    R_L / sp.sqrt(R_L**2 + (2 * sp.pi * f * L) ** 2),
    title="Power factor of a resistance behind an inductance",
    holds="the fundamental",
    source=CIRCUIT,
)
pulsed_rms = _relation(
    "pulsed_rms",
    V_rms,
    V_pk * sp.sqrt(k_lag * D_tot),
    title="RMS across a resistance behind an inductance, on pulses both ways",
    holds="D_tot is the share of the time that pulses take, nothing between them; k_lag from the exponentials of the current",
    source="definition of RMS; circuit theory",
)
driven_current = _relation(
    "driven_current",
    I_rms,
    V_pk * sp.sqrt(k_lag * D_tot) / R_L,
    title="Current that pulses both ways drive through resistance and inductance, RMS",
    holds="D_tot is the share of the time that the wave stands, turned about by diodes too; k_lag from the exponentials of the "
    "current; R_L is all resistance in its way",
    source="power of a resistance; circuit theory",
)
across = _relation(
    "across", V_rms, I_rms * R_L, title="Voltage across a resistance, RMS", holds="any waveform", source="Ohm's law"
)
joined_rms = _relation(
    "joined_rms",
    I_rms,
    sp.sqrt(I**2 + k_tap * (2 * I_pulse * I_pk + I_pk**2)),
    title="Current that heats a tapped winding as much, while power flows",
    holds="I is the RMS of pulses of a mean I_pulse through all of it, I_pk a flat one from the tap on",
    source="mean square, each part by its turns",
)
cord_inductance = _relation(
    "cord_inductance",
    L,
    l_cord * length,
    title="Inductance of a cord",
    holds="two cores side by side, there and back",
    source="two parallel wires; wiring practice",
)
