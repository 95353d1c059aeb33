"""Loads and what they ask for."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("load", BOOK).relation

CIRCUIT = "AC circuit theory"

apparent_power = _relation(
    "apparent_power", S, P / cos_phi, title="Apparent power", holds="sinusoidal voltage; cosφ above 0", source=CIRCUIT)
load_current = _relation(
    "load_current", I_rms, S / V_rms, title="Load current, RMS", holds="sinusoidal voltage", source=CIRCUIT)
crest = _relation(
    "crest", I_pk, sp.sqrt(2) * I_rms, title="Peak of a sine current",
    holds="linear load; a rectifier load peaks two to three times higher", source=CIRCUIT)
load_resistance = _relation(
    "load_resistance", R_L, V_rms**2 * cos_phi / S, title="Resistance of a series R–L load",
    holds="equivalent at this frequency", source=CIRCUIT)
load_inductance = _relation(
    "load_inductance", L, V_rms**2 * sp.sqrt(1 - cos_phi**2) / (S * 2 * sp.pi * f_line),
    title="Inductance of a series R–L load", holds="lagging load, equivalent at this frequency", source=CIRCUIT)
motor_start = _relation(
    "motor_start", S, surge * P / cos_phi, title="Apparent power to start a motor",
    holds="three to seven times the running power", source="induction-motor practice")
efficiency = _relation(
    "efficiency", eta, P / P_in, title="Efficiency", holds="always quoted with its operating point", source="definition")
