"""What a stage's pulses return to its source, and whether source, leads and bank come to rest before it."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("input filter", BOOK).relation

CIRCUIT = "AC circuit theory"

pulse_line = _relation(
    "pulse_line",
    I_rms,
    sp.sqrt(2) * I_in * sp.Abs(sp.sin(sp.pi * n_ord * D_tot)) / (sp.pi * n_ord * D_tot),
    title="A line of flat pulses, RMS",
    holds="the order counts in pulses a second; edges upright",
    source="Fourier series of a rectangular pulse",
)
bank_reactance = _relation(
    "bank_reactance",
    X_b,
    2 * sp.pi * f * L_can - 1 / (2 * sp.pi * f * C),
    title="Reactance of a bank of capacitors",
    holds="with the inductance of its leads; below 0 it is a capacitor yet",
    source=CIRCUIT,
)
returned_ripple = _relation(
    "returned_ripple",
    I,
    I_rms * sp.sqrt((R_b**2 + X_b**2) / ((R_b + R_s) ** 2 + (X_b + X_s) ** 2)),
    title="Part of a ripple that the source carries",
    holds="bank and leads side by side; R_s and X_s are source, leads and filter choke, with what damps it",
    source="current divider",
)
negative_resistance = _relation(
    "negative_resistance",
    R_n,
    V_in / I_in,
    title="Resistance by which a stage of constant power feeds an oscillation",
    holds="its slope, with the other sign; the stage's loop follows at once, the worst it may do",
    source="slope of P = V·I at constant P",
)
input_damping = _relation(
    "input_damping",
    zeta,
    (C * (R_n * (R_s + R_b) - R_s * R_b) - L) / (2 * sp.sqrt(L * C * (R_n - R_b) * (R_n - R_s))),
    title="Damping of source, leads and bank before a stage of constant power",
    holds="R_n above R_s and R_b; below 0 the input oscillates, at R_s/L = P/(C·V²) where R_b is small",
    source="characteristic equation of the series R–L, the bank and a negative resistance",
    valid=(R_n > R_s, R_n > R_b),
)
damping_bank = _relation(
    "damping_bank",
    C,
    ((zeta * sp.sqrt(L * R_n * (R_n - R_s)) + sp.sqrt(zeta**2 * L * R_n * (R_n - R_s) + R_n * R_s * L)) / (R_n * R_s)) ** 2,
    title="Bank that damps the input before a stage of constant power",
    holds="R_n above R_s; without the bank's own series resistance, which damps it further",
    source="the damping's relation, a quadratic in the root of the bank",
    valid=(R_n > R_s,),
)
over_limit = _relation(
    "over_limit",
    A_dB,
    20 * sp.log(I / I_tol) / sp.log(10),
    title="A current over its limit, in decibels",
    holds="below 0 it is within",
    source="definition of the decibel",
)
