"""Controller: oscillator laws, dead time, the loop of a choke-output stage."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("control", BOOK).relation

SHEET = "data sheets of dual-ended controllers; the constants are yours to enter"
LOOP = "averaged model of a choke-output stage; any text on converter control"

oscillator_one = _relation(
    "oscillator_one",
    f_osc,
    k_osc / (R_time * C_time),
    title="Oscillator with one timing resistor",
    holds="each output runs at half of it in a dual-ended stage",
    source=SHEET,
)
oscillator_two = _relation(
    "oscillator_two",
    f_osc,
    1 / (C_time * (a_osc * R_time + b_osc * R_dis)),
    title="Oscillator with a charging and a discharging resistor",
    holds="each output runs at half of it in a dual-ended stage",
    source=SHEET,
)
discharge_time = _relation(
    "discharge_time",
    t_d,
    b_osc * R_dis * C_time,
    title="Dead time from the discharge",
    holds="both outputs are off while the timing capacitor discharges",
    source=SHEET,
)
duty_ceiling = _relation(
    "duty_ceiling",
    D_max,
    (1 - t_d * f_osc) / 2,
    title="Largest duty of one switch",
    holds="dead time once an oscillator period, the two outputs in turn",
    source="share of the period",
)
stage_gain = _relation(
    "stage_gain",
    g_dc,
    V_sec / V_ramp,
    title="Gain from control voltage to link, at rest",
    holds="continuous choke current; a ramp of V_ramp takes both outputs from nothing to full duty",
    source=LOOP,
)
esr_zero = _relation(
    "esr_zero",
    f_z,
    1 / (2 * sp.pi * ESR * C),
    title="Zero of the capacitor's series resistance",
    holds="above it the bank is a resistance",
    source=LOOP,
)
slope_compensation = _relation(
    "slope_compensation",
    m_slope,
    V_out / (2 * L),
    title="Slope compensation of a current-programmed choke, minimum",
    holds="half the falling slope; needed where power flows more than half the time",
    source=LOOP,
)
