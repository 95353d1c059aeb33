"""Step-down converter: a switch, a diode and a choke that make a lower direct voltage of a higher one."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("step-down", BOOK).relation

VOLT_SECONDS = "volt-seconds of the choke over one period"

duty = _relation(
    "step_down_duty",
    D_tot,
    (V_out + V_F) / (V_in + V_F),
    title="Duty of a step-down converter",
    holds="continuous current; V_in less what the switch drops, V_out with what the choke drops",
    source=VOLT_SECONDS,
    valid=(V_in > V_out,),
)
dry_duty = _relation(
    "step_down_dry_duty",
    D_tot,
    sp.sqrt(2 * L * f_s * I_out * (V_out + V_F) / ((V_in - V_out) * (V_in + V_F))),
    title="Duty of a step-down converter, its choke runs dry",
    holds="output current below half the ripple",
    source="volt-seconds and charge over one period",
    valid=(V_in > V_out,),
)
ripple = _relation(
    "step_down_ripple",
    dI,
    (V_in - V_out) * D_tot / (L * f_s),
    title="Swing of a step-down converter's choke",
    holds="V_in less what the switch drops, V_out with what the choke drops",
    source=VOLT_SECONDS,
    valid=(V_in >= V_out,),
)
falling = _relation(
    "step_down_falling",
    D_tot,
    dI * L * f_s / (V_out + V_F),
    title="Share of a period in which the choke's current falls to nothing",
    holds="the choke runs dry; V_out with what the choke drops",
    source=VOLT_SECONDS,
)
inductance = _relation(
    "step_down_inductance",
    L,
    V_out * (1 - V_out / V_in) / (dI * f_s),
    title="Choke of a step-down converter for a ripple",
    holds="continuous current, drops left out; worst at the highest input",
    source=VOLT_SECONDS,
    valid=(V_in > V_out,),
)
conducted = _relation(
    "step_down_conducted",
    I_rms,
    sp.sqrt(D_tot * (I_out**2 + dI**2 / 12)),
    title="RMS current of switch or diode, continuous",
    holds="D_tot is its own share of the period",
    source="definition of RMS: a trapezium",
)
conducted_dry = _relation(
    "step_down_conducted_dry",
    I_rms,
    dI * sp.sqrt(D_tot / 3),
    title="RMS current of switch or diode, the choke runs dry",
    holds="D_tot is its own share of the period",
    source="definition of RMS: a triangle",
)
output_ripple = _relation(
    "step_down_output_ripple",
    dV,
    dI * ESR + (I_pk - I_out) ** 2 * D_tot / (2 * dI * f_s * C),
    title="Output ripple of a step-down converter, at most",
    holds="D_tot is the share of the period in which the choke carries current",
    source="charge of the part of a triangle that lies above the mean",
    valid=(dI > 0,),
)
beside_mean = _relation(
    "beside_mean",
    I_c,
    sp.sqrt(I_rms**2 - I_avg**2),
    title="RMS of a current with its mean taken off",
    holds="what a bank carries of pulses whose mean comes through leads",
    source="definition of RMS",
    valid=(I_rms >= I_avg,),
)
edge_spike = _relation(
    "edge_spike",
    V_spike,
    L_lk * I_pk / t_sw,
    title="Spike of a loop at an edge",
    holds="the current falls in a straight line; what rings is less",
    source="law of induction",
)
