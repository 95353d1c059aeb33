"""Loads and what they ask for."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("load", BOOK).relation

CIRCUIT = "AC circuit theory"

apparent_power = _relation(
    "apparent_power", S, P / cos_phi, title="Apparent power", holds="sinusoidal voltage; cosφ above 0", source=CIRCUIT
)
load_current = _relation(
    "load_current", I_rms, S / V_rms, title="Load current, RMS", holds="sinusoidal voltage", source=CIRCUIT
)
steady_current = _relation(
    "steady_current", I_out, P / V_out, title="Current of a load on direct voltage", holds="steady", source="power"
)
steady_resistance = _relation(
    "steady_resistance", R_L, V_out / I_out, title="Resistance that takes a current", holds="direct voltage", source="Ohm's law"
)
crest = _relation(
    "crest",
    I_pk,
    sp.sqrt(2) * I_rms,
    title="Peak of a sine current",
    holds="linear load; a rectifier load peaks two to three times higher",
    source=CIRCUIT,
)
load_resistance = _relation(
    "load_resistance",
    R_L,
    V_rms**2 * cos_phi / S,
    title="Resistance of a series R–L load",
    holds="equivalent at this frequency",
    source=CIRCUIT,
)
load_inductance = _relation(
    "load_inductance",
    L,
    V_rms**2 * sp.sqrt(1 - cos_phi**2) / (S * 2 * sp.pi * f_line),
    title="Inductance of a series R–L load",
    holds="lagging load, equivalent at this frequency",
    source=CIRCUIT,
)
step_resistance = _relation(
    "step_resistance",
    R_L,
    k_lag * V_rms**2 / P,
    title="Resistance of a series R–L load on a square or three-level wave",
    holds="k_lag from the exponentials of its current; 1 for a resistance",
    source=CIRCUIT,
)
power_current = _relation(
    "power_current",
    I_rms,
    sp.sqrt(P / R_L),
    title="RMS current of a series R–L load",
    holds="any periodic wave: all power goes into the resistance",
    source=CIRCUIT,
)
apparent_of = _relation(
    "apparent_of", S, V_rms * I_rms, title="Apparent power", holds="any wave, true RMS values", source=CIRCUIT
)
series_inductance = _relation(
    "series_inductance",
    L,
    R_L * sp.sqrt(1 - cos_phi**2) / (cos_phi * 2 * sp.pi * f_line),
    title="Inductance beside a resistance",
    holds="lagging load, cosφ at the line frequency",
    source=CIRCUIT,
)
motor_start = _relation(
    "motor_start",
    S,
    surge * P / cos_phi,
    title="Apparent power to start a motor",
    holds="three to seven times the running power",
    source="induction-motor practice",
)
efficiency = _relation(
    "efficiency", eta, P / P_in, title="Efficiency", holds="always quoted with its operating point", source="definition"
)
