"""Heat."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("heat", BOOK).relation

THERMAL = "thermal Ohm's law; any power-electronics text"

junction = _relation(
    "junction",
    T_j,
    T_a + P_loss * (R_jc + R_cs + R_sa),
    title="Junction temperature",
    holds="steady state, one device on its own sink; a shared sink carries every device's loss",
    source=THERMAL,
)
sink_needed = _relation(
    "sink_needed",
    R_sa,
    (T_j - T_a) / P_loss - R_jc - R_cs,
    title="Heat-sink needed",
    holds="steady state; negative means no sink is enough",
    source=THERMAL,
)
thermistor = _relation(
    "thermistor",
    R_T,
    R_25 * sp.exp(B_ntc * (1 / T - 1 / T_25)),
    title="Resistance that falls with temperature",
    holds="NTC thermistors near 25 °C; roughly, the inside of a cell",
    source="Arrhenius law",
)
overload_time = _relation(
    "overload_time",
    t,
    tau * sp.log((dT_end - dT_now) / (dT_end - dT)),
    title="Time to a temperature rise under overload",
    holds="one lump of heat capacity; dT_end above dT above dT_now",
    source="first-order heating; any text on thermal transients",
)
sink_time = _relation(
    "sink_time",
    tau,
    R_sa * m_sink * c_al,
    title="Time constant of a heat-sink",
    holds="one lump of aluminium, all of it warm alike",
    source="thermal resistance times heat capacity",
)
shared_sink_junction = _relation(
    "shared_sink_junction",
    T_j,
    T_a + P_loss * (R_jc + R_cs) + P_total * R_sa,
    title="Junction temperature on a shared heat-sink",
    holds="steady state; P_loss is one device's, P_total all devices' on the sink",
    source=THERMAL,
)
closed_rise = _relation(
    "closed_rise",
    dT_end,
    P_loss / (h_air * A_s),
    title="Rise of the air in a closed case",
    holds="steady state; walls as warm as the air within, all of them free",
    source=THERMAL,
)
blown_rise = _relation(
    "blown_rise",
    dT_end,
    P_loss / (c_air * q_air),
    title="Rise of the air that a fan moves through a case",
    holds="all heat leaves with the air; at sea level",
    source="energy balance of the air",
)
thermistor_error = _relation(
    "thermistor_error",
    dT,
    tol * T**2 / B_ntc,
    title="What a thermistor's tolerance makes of a temperature",
    holds="small tolerance",
    source="slope of the Arrhenius law",
)
