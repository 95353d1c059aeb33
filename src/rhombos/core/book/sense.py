"""Set-points, sensing and trips."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("sense", BOOK).relation

CIRCUIT = "Ohm's and Kirchhoff's laws"

divider = _relation(
    "divider",
    V_set,
    V_ref * (1 + R_1 / R_2),
    title="Set-point of a divider",
    holds="no current into the tap; give it with all tolerance corners",
    source=CIRCUIT,
)
parallel = _relation(
    "parallel", R, R_1 * R_2 / (R_1 + R_2), title="Two resistors in parallel", holds="both joined at both ends", source=CIRCUIT
)
turned_down = _relation(
    "turned_down",
    V_set,
    V_ref * R_2 / (R_1 + R_2),
    title="Set by a potentiometer above an end resistor",
    holds="R1 above the wiper, R2 below it with the end resistor, V_ref set at the upper end; no current into the wiper",
    source=CIRCUIT,
)
zener_string = _relation(
    "zener_string",
    V_set,
    V_Z + V_LED + I_LED * R,
    title="Set-point of an opto-coupled zener string",
    holds="parts of ±5 %: trim range is narrow",
    source=CIRCUIT,
)
shunt_power = _relation(
    "shunt_power", P_loss, I_rms**2 * R, title="Loss of a current shunt", holds="true RMS current", source="Joule's law"
)
burden = _relation(
    "burden",
    R,
    V * n_ct / I_trip,
    title="Burden of a current transformer",
    holds="V is the trip level at the comparator; magnetising current not counted",
    source="ideal transformer",
)
reset_voltage = _relation(
    "reset_voltage",
    V_r,
    V * D / (1 - D),
    title="Voltage that resets a current transformer in time",
    holds="D is the pulse's share of the period; V stands across the winding while it lasts",
    source="volt-seconds of the winding sum to zero",
)
trip_overshoot = _relation(
    "trip_overshoot",
    I_off,
    I_trip + V_dc / L * t_delay,
    title="Current when a short is really off",
    holds="constant voltage over L during the delay; must come before the device's withstand time",
    source="volt-seconds",
)
comparator_rises = _relation(
    "comparator_rises",
    V_rise,
    V_ref * (1 + R_1 / R_2 + R_1 / R_h),
    title="Rising threshold of a comparator",
    holds="tap of R1 and R2 on its upper input, R_h from its output, which is low until then",
    source=CIRCUIT,
)
comparator_falls = _relation(
    "comparator_falls",
    V_fall,
    V_ref * (1 + R_1 / R_2 + R_1 / R_h) - V_high * R_1 / R_h,
    title="Falling threshold of a comparator",
    holds="tap of R1 and R2 on its upper input, R_h from its output, which is high until then",
    source=CIRCUIT,
)
inverse_time = _relation(
    "inverse_time",
    t,
    3 * t_twice / ((P / P_start) ** 2 - 1),
    title="Time allowed at an overload",
    holds="counts the square of the load beyond the pick-up: heat of copper; P above P_start",
    source="inverse-time practice of overload relays; 3 makes t_twice the time at P = 2·P_start",
    valid=(P_start < P,),
)
thermistor_tap = _relation(
    "thermistor_tap",
    V_tap,
    V_ref * R_T / (R_T + R_up),
    title="Voltage of a thermistor's tap",
    holds="thermistor to ground, R_up to the reference; no current into the tap",
    source=CIRCUIT,
)
count_step = _relation(
    "count_step",
    V_step,
    V_span / 2**n_bits,
    title="Volts of one count of a sense chain",
    holds="ideal converter; noise and drift come on top",
    source="definition of a converter's resolution",
)
first_order_gain = _relation(
    "first_order_gain",
    gain,
    1 / sp.sqrt(1 + (f / f_0) ** 2),
    title="Gain of a first-order filter",
    holds="one resistor, one capacitor; it lags by the angle whose cosine this is",
    source=CIRCUIT,
)
divider_error = _relation(
    "divider_error",
    err,
    2 * tol * (1 - V_ref / V_set),
    title="Error of a divider with its resistors apart",
    holds="one resistor at its upper, one at its lower tolerance; the reference's own error comes on top",
    source="slope of the divider's law",
    valid=(V_ref < V_set,),
)
half_count = _relation(
    "half_count",
    err,
    V_step / (2 * sp.sqrt(2) * V_rms),
    title="What rounding hides of a sine's crest",
    holds="ideal converter",
    source="definition of a converter's resolution",
)
slowing_coil = _relation(
    "slowing_coil",
    L_coil,
    (V_dc * t_delay / (I_off - I_trip) - L) * ratio**2,
    title="Coil behind a transformer that slows a short",
    holds="I_off, I_trip and L on the switches' side, the coil on the other; constant voltage during the delay",
    source="volt-seconds; inductance through an ideal transformer",
    valid=(I_trip < I_off,),
)
barrier_proof = _relation(
    "barrier_proof",
    V_proof,
    k_proof * (V_rms + V_add),
    title="Proof voltage that a barrier asks, one minute, RMS",
    holds="V_rms from line to neutral, of the mains or of one's own output (line to line where no neutral is earthed); k is 1 "
    "for basic and 2 for reinforced insulation; beside working and impulse voltage; local codes decide",
    source="insulation practice, after IEC 60664 and IEC 61010",
)
