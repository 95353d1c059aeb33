"""Fast rectifier and output choke."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("rectifier", BOOK).relation

TEXT = "standard power-electronics texts, rectifiers and diode recovery"
LR_STEP = "solution of L·di/dt + R·i = V over one pulse that starts from zero"
_fading = R * D / (L_lk * f_s)
"""Length of a pulse in time constants of what it flows through."""
_fullness = 1 - (1 - sp.exp(-_fading)) / _fading
"""Mean over final value of a current that rises from zero towards V/R."""

secondary_voltage = _relation(
    "secondary_voltage",
    V_sec,
    ratio * (V_in - V_drop),
    title="Secondary voltage while power flows",
    holds="leakage not counted",
    source="ideal transformer",
    valid=(V_in > V_drop,),
)
bridge_reverse = _relation(
    "bridge_reverse",
    V_R_pk,
    ratio * V_max + V_spike,
    title="Peak reverse voltage, bridge rectifier",
    holds="at the highest input; ring on top",
    source=TEXT,
)
centre_tap_reverse = _relation(
    "centre_tap_reverse",
    V_R_pk,
    2 * ratio * V_max + V_spike,
    title="Peak reverse voltage, centre-tap rectifier",
    holds="at the highest input; ring on top",
    source=TEXT,
)
doubler_reverse = _relation(
    "doubler_reverse",
    V_R_pk,
    V_out,
    title="Peak reverse voltage, voltage doubler",
    holds="each diode blocks the whole link; the banks of capacitors clamp the ring",
    source=TEXT,
)
diode_average = _relation(
    "diode_average", I_avg, I_out / 2, title="Mean current of one diode", holds="two paths in turn", source=TEXT
)
diode_rms = _relation(
    "diode_rms",
    I_rms,
    I_out / sp.sqrt(2),
    title="RMS current of one diode",
    holds="each diode carries the choke current half the time; freewheeling is shared, so this is on the safe side",
    source="definition of RMS",
)
freewheeling_rms = _relation(
    "freewheeling_rms",
    I_rms,
    I_out * sp.sqrt(1 + 2 * D) / 2,
    title="RMS current of one half of a centre-tapped secondary",
    holds="with a choke: all of its current while that half is driven, half of it while both rest",
    source="definition of RMS",
)
diode_conduction = _relation(
    "diode_conduction",
    P_loss,
    V_0 * I_avg + r * I_rms**2,
    title="Conduction loss of a diode or IGBT",
    holds="threshold and slope at its hot temperature",
    source="piecewise-linear characteristic",
)
diode_recovery = _relation(
    "diode_recovery",
    P_loss,
    V * Q_rr * f / 2,
    title="Recovery loss in the diode",
    holds="half the recovered charge swept at full voltage",
    source=TEXT,
)
recovered_charge = _relation(
    "recovered_charge",
    Q_rr,
    Q_n * sp.sqrt(I / I_n),
    title="Charge recovered after less than the rated current",
    holds="I up to I_n; moderate current slopes",
    source="power-device texts, stored charge of a p–i–n diode",
    valid=(I_n >= I,),
)
partner_recovery = _relation(
    "partner_recovery",
    P_loss,
    V * (I * t_rr + Q_rr / 2) * f,
    title="Recovery loss in the partner switch",
    holds="hard commutation",
    source=TEXT,
)
recovery_share = _relation(
    "recovery_share",
    k,
    t_rr * f,
    title="Recovery time as a share of the period",
    holds="keep to 1 or 2 %; a mains-grade diode fails here",
    source="rule of thumb of the texts",
)
choke_inductance = _relation(
    "choke_inductance",
    L,
    (V_sec - V_out) * D_tot / (dI * 2 * f_s),
    title="Output choke for a ripple",
    holds="worst at the highest input, where D_tot = V_out/V_sec",
    source="volt-seconds over one of the two pulses a period",
    valid=(V_sec > V_out,),
)
choke_ripple = _relation(
    "choke_ripple",
    dI,
    (V_sec - V_out) * D_tot / (L * 2 * f_s),
    title="Ripple current of the output choke",
    holds="continuous current",
    source="volt-seconds",
    valid=(V_sec >= V_out,),
)
minimum_load = _relation(
    "minimum_load",
    I_out,
    dI / 2,
    title="Smallest load with continuous choke current",
    holds="below it the duty must shrink, or the link drifts to the peak",
    source="volt-seconds",
)
duty_discontinuous = _relation(
    "duty_discontinuous",
    D,
    sp.sqrt(L * f_s * V_out * I_out / (V_sec * (V_sec - V_out))),
    title="Duty of one switch, discontinuous choke current",
    holds="output current below half the ripple; V_sec above V_out",
    source="volt-seconds and charge over one pulse",
    valid=(V_sec > V_out,),
)

# Without a choke --------------------------------------------------------------------------------------------------------
charging_pulse = _relation(
    "charging_pulse",
    I_pulse,
    gain_r * I_out / (2 * D),
    title="Mean current of a charging pulse",
    holds="capacitor-input rectifier; two pulses a period",
    source="charge balance over a period",
)
charging_peak = _relation(
    "charging_peak",
    I_pk,
    I_pulse * (1 - sp.exp(-_fading)) / _fullness,
    title="Peak of a charging pulse",
    holds="leakage L and resistance R in the way; a stiff bank behind: between one and two times its mean",
    source=LR_STEP,
)
charging_form = _relation(
    "charging_form",
    form,
    sp.sqrt(1 - 2 * (1 - sp.exp(-_fading)) / _fading + (1 - sp.exp(-2 * _fading)) / (2 * _fading)) / _fullness,
    title="RMS over mean of a charging pulse",
    holds="leakage and resistance in the way: between 1 and 2/√3",
    source=LR_STEP,
)
leakage_drop = _relation(
    "leakage_drop",
    V_drop,
    L_lk * I_pk * f_s / D,
    title="Voltage that the leakage takes from a charging pulse",
    holds="the current rises from zero in each pulse; lossless in itself",
    source="volt-seconds of the leakage over one pulse",
)
charged_link = _relation(
    "charged_link",
    V_out,
    gain_r * (V_sec - V_drop - n_d * V_F),
    title="Link behind a capacitor-input rectifier",
    holds="V_sec with the resistances taken off; follows the input",
    source=TEXT,
)
unloaded_link = _relation(
    "unloaded_link",
    V_pk,
    V_sec * (1 + 2 * f_s * C_par * R) / (1 + f_s * C_par * R),
    title="Peak to which a lightly loaded link climbs",
    holds="undamped ring of leakage and stray capacitance, pumped twice a period into the load R: up to twice V_sec",
    source="energy of the ring above V_sec against what the load takes",
)
