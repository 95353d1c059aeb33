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
rated_resistance = _relation(
    "rated_resistance",
    R_L,
    V_rms**2 / P,
    title="Resistance that takes a power",
    holds="any wave, true RMS",
    source="power",
)
rise_time = _relation(
    "rise_time", tau, L / R_L, title="Time constant of a current through an inductance", holds="a resistance", source=CIRCUIT
)
risen_share = _relation(
    "risen_share",
    k_risen,
    1 - 2 * tau / t_on * (1 - sp.exp(-t_on / tau)) + tau / (2 * t_on) * (1 - sp.exp(-2 * t_on / tau)),
    title="Mean square of pulses that rise through an inductance",
    holds="over that of square ones; each rises from nothing, 1 − exp(−t/τ)",
    source="mean square of a rising exponential",
)
pulsed_rms = _relation(
    "pulsed_rms",
    V_rms,
    V_pk * sp.sqrt(k_risen * D_tot),
    title="RMS of a wave of pulses both ways, with gaps",
    holds="D_tot is the share of the time that pulses take; nothing between them",
    source="definition of RMS",
)
joined_rms = _relation(
    "joined_rms",
    I_rms,
    sp.sqrt(I**2 + k_tap * (2 * I_pulse * I_pk + I_pk**2)),
    title="Current that heats a tapped winding as much, while power flows",
    holds="I is the RMS of pulses of a mean I_pulse through all of it, I_pk a flat one from the tap on",
    source="mean square, each part by its turns",
)
cord_length = _relation(
    "cord_length",
    length,
    k * V_rms / (2 * sp.pi * f * l_cord * I_rms),
    title="Cord whose reactance takes a share of the voltage",
    holds="the fundamental; l_cord of two cores side by side",
    source=CIRCUIT,
)
