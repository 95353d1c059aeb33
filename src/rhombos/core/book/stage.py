"""Push-pull and bridge front ends: switch stress, turns ratio, duty, switch losses, gate."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("stage", BOOK).relation

CONVERTER_TEXT = "standard power-electronics texts, isolated DC–DC converters"
DEVICE_TEXT = "standard power-electronics texts, power MOSFET switching"

required_rating = _relation(
    "required_rating",
    V_rating,
    V_pk / (1 - margin),
    title="Rating required for a stress",
    holds="the one margin convention of this book",
    source="derating practice: part of the rating kept as margin",
)
push_pull_stress = _relation(
    "push_pull_stress",
    V_DS,
    2 * V_in,
    title="Off-state voltage of a push-pull switch",
    holds="tightly coupled halves; the spike comes on top",
    source=CONVERTER_TEXT,
)
peak_switch_voltage = _relation(
    "peak_switch_voltage",
    V_DS_pk,
    V_DS + V_spike,
    title="Peak voltage across the switch",
    holds="at the highest input voltage",
    source=CONVERTER_TEXT,
)
unclamped_spike = _relation(
    "unclamped_spike",
    V_spike,
    I * sp.sqrt(L_lk / C_oss),
    title="Leakage spike with nothing to clamp it",
    holds="no damping; avalanche may cut it short, with heat",
    source="energy balance ½·L·I² = ½·C·V²",
)
leakage_duty_loss = _relation(
    "leakage_duty_loss",
    D_leak,
    2 * L_lk * I * f_s / V,
    title="Duty eaten by leakage inductance",
    holds="the current rises from nothing twice a period, after a dead interval; where it must reverse, twice as much",
    source=CONVERTER_TEXT,
)
heating_duty = _relation(
    "heating_duty",
    D_heat,
    D - 2 * D_rise / 3,
    title="Duty of a flat pulse that heats alike",
    holds="the current rises from nothing in a straight line for the first part of the pulse, then stays",
    source="mean square of a ramp, a third of its top's",
    valid=(D_rise <= D,),
)
flat_duty = _relation(
    "flat_duty",
    D_flat,
    (D - D_rise / 2) ** 2 / (D - 2 * D_rise / 3),
    title="Duty of a flat pulse of the same mean and the same mean square",
    holds="the current rises from nothing in a straight line for the first part of the pulse, then stays",
    source="mean of a ramp, half its top, and mean square, a third of its top's",
    valid=(D_rise <= D,),
)
pulse_current = _relation(
    "pulse_current",
    I_pulse,
    P / (V * D_tot),
    title="Current while power flows",
    holds="P is drawn at V; flat-topped pulses, choke ripple not counted; D_tot without what the leakage eats",
    source="charge balance over a period",
)
turns_ratio_choke = _relation(
    "turns_ratio_choke",
    ratio,
    (V_out + n_d * V_F) / (2 * D_max * (V_min - V_drop)),
    title="Turns ratio needed with an output choke",
    holds="push-pull or full bridge, continuous choke current; lowest input, hottest, full load",
    source=CONVERTER_TEXT,
    valid=(V_min > V_drop,),
)
turns_ratio_peak = _relation(
    "turns_ratio_peak",
    ratio,
    (V_out + n_d * V_F) / (V_min - V_drop),
    title="Turns ratio needed with a capacitor-input rectifier",
    holds="the output follows the peak and is not regulated by duty",
    source=CONVERTER_TEXT,
    valid=(V_min > V_drop,),
)
duty_needed = _relation(
    "duty_needed",
    D,
    (V_out + n_d * V_F) / (2 * ratio * (V_in - V_drop)),
    title="Duty of one switch",
    holds="continuous choke current",
    source=CONVERTER_TEXT,
    valid=(V_in > V_drop,),
)
total_duty = _relation(
    "total_duty", D_tot, 2 * D, title="Share of time power flows", holds="two switches in turn", source=CONVERTER_TEXT
)
oscillator_frequency = _relation(
    "oscillator_frequency",
    f_osc,
    2 * f_s,
    title="Oscillator frequency behind a switch frequency",
    holds="dual-ended controller: each output takes every other pulse",
    source="dual-ended controller practice",
)
switch_rms = _relation(
    "switch_rms",
    I_rms,
    I_pulse * sp.sqrt(D),
    title="RMS current of one side",
    holds="flat-topped pulses",
    source="definition of RMS",
)
shared_current = _relation(
    "shared_current",
    I_dev,
    I * (1 + imbalance) / n_par,
    title="Current of the hardest-worked device in parallel",
    holds="imbalance of 10 to 20 % is usual",
    source="paralleling practice",
)
hot_resistance = _relation(
    "hot_resistance",
    R_DS,
    R_25 * (T_j / T_25) ** exponent,
    title="On-resistance at its junction temperature",
    holds="−40 to 175 °C; the exponent is a property of the die",
    source="carrier mobility falls as a power of absolute temperature",
)
conduction_loss = _relation(
    "conduction_loss",
    P_loss,
    I_rms**2 * R_DS,
    title="Conduction loss of one switch",
    holds="on-resistance at T_j",
    source="Joule's law",
)
switching_loss = _relation(
    "switching_loss",
    P_loss,
    V * I * (t_r + t_f) * f / 2,
    title="Switching loss",
    holds="hard switching, straight-line overlap of voltage and current",
    source=DEVICE_TEXT,
)
capacitive_loss = _relation(
    "capacitive_loss",
    P_loss,
    C_oss * V**2 * f / 2,
    title="Loss of discharging the output capacitance",
    holds="C_oss energy-related; hard turn-on",
    source=DEVICE_TEXT,
)
gate_power = _relation(
    "gate_power",
    P_loss,
    Q_g * V_drive * f * n_sw,
    title="Gate drive power",
    holds="full charge moved each period; it heats driver and gate resistors",
    source=DEVICE_TEXT,
)
gate_on_current = _relation(
    "gate_on_current",
    I_gate,
    (V_drive - V_pl) / R_gate,
    title="Gate current on the plateau, turning on",
    holds="resistive drive",
    source=DEVICE_TEXT,
    valid=(V_drive > V_pl,),
)
gate_off_current = _relation(
    "gate_off_current",
    I_gate,
    V_pl / R_gate,
    title="Gate current on the plateau, turning off",
    holds="resistive drive towards 0 V",
    source=DEVICE_TEXT,
)
gate_peak_current = _relation(
    "gate_peak_current",
    I_gate_pk,
    V_drive / R_gate,
    title="Peak gate current",
    holds="first instant, inductance ignored",
    source="Ohm's law",
)
plateau_time = _relation(
    "plateau_time",
    t_sw,
    Q_sw / I_gate,
    title="Switching time",
    holds="constant gate current over the switching charge",
    source=DEVICE_TEXT,
)
