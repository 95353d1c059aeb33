"""Battery, cable, fuse, input capacitor and precharge."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("source", BOOK).relation

CIRCUIT = "Kirchhoff's laws; any circuit-theory text"
POWER_TEXT = "standard power-electronics texts, chapter on passive components"

sagged_current = _relation(
    "sagged_current",
    I,
    (E - sp.sqrt(E**2 - 4 * R_s * P)) / (2 * R_s),
    title="Current drawn by a constant power from a source that sags",
    holds="P below E²/(4·R_s), the most the source can deliver; the smaller root is the stable one",
    source=CIRCUIT,
    valid=(E**2 / (4 * R_s) >= P,),
)
terminal_voltage = _relation(
    "terminal_voltage", V_t, E - I * R_s, title="Voltage behind the source's resistance", holds="steady current", source=CIRCUIT
)
largest_power = _relation(
    "largest_power",
    P,
    E**2 / (4 * R_s),
    title="Most power a resistive source can deliver",
    holds="load matched to R_s; half the power heats the source",
    source="maximum power transfer; any circuit-theory text",
)
limited_power = _relation(
    "limited_power",
    P,
    I_lim * (E - I_lim * R_s),
    title="Power at which a supply reaches its current limit",
    holds="constant voltage behind R_s up to the limit, constant current beyond it",
    source=CIRCUIT,
    valid=(2 * I_lim * R_s <= E,),
)
latch_voltage = _relation(
    "latch_voltage",
    V_t,
    P / I_lim,
    title="Voltage below which a constant power holds a supply at its current limit",
    holds="P is what is drawn at the supply's terminals; a stage that starts below this voltage keeps the supply there",
    source=CIRCUIT,
)
input_current = _relation(
    "input_current",
    I_in,
    P / (eta * V_in),
    title="Mean input current",
    holds="P is the output power; quote it at the lowest input voltage",
    source=CIRCUIT,
)
cable_resistance = _relation(
    "cable_resistance",
    R,
    rho * 2 * length / A_cu,
    title="Resistance of a two-wire cable",
    holds="uniform conductor; terminals and crimps not counted",
    source=CIRCUIT,
)
resistivity = _relation(
    "resistivity",
    rho,
    rho_20 * (1 + a_20 * (T - T_20)),
    title="Resistivity of copper at temperature",
    holds="about −50 to 200 °C",
    source="IEC 60028, annealed copper",
)
ohmic_loss = _relation(
    "ohmic_loss",
    P_loss,
    I_rms**2 * R,
    title="Loss in a resistance",
    holds="I_rms is the true RMS current",
    source="Joule's law",
)
ohmic_drop = _relation(
    "ohmic_drop", V_drop, I * R, title="Drop across a resistance", holds="steady current", source="Ohm's law"
)
fuse_rating = _relation(
    "fuse_rating",
    I_fuse,
    k_fuse * I,
    title="Fuse rating",
    holds="I is the largest continuous current; the factor is 1.25 to 1.5",
    source="low-voltage fuse practice; the fuse protects cable and fire, not semiconductors",
)
cable_ampacity = _relation(
    "cable_ampacity",
    I_cable,
    n_runs * k_amp * (A_cu / A_unit) ** sp.Rational(5, 8) * k_bundle * sp.sqrt((T_ins - T_a) / (T_ins - T_tab)),
    title="Ampacity of a cable",
    holds="copper, two loaded conductors clipped direct in air; a table's fit within a few per cent; local codes decide",
    source="IEC 60364-5-52, fit to its tables; temperature factor from heat that goes with the rise",
)
lead_bank = _relation(
    "lead_bank",
    C,
    L * (I / dV) ** 2,
    title="Bank that takes what the battery leads store",
    holds="a current I is cut off at once; the bank rises by dV",
    source="L–C circuit that starts with a current",
)
lead_rise = _relation(
    "lead_rise",
    dV,
    I * sp.sqrt(L / C),
    title="Rise of the input bank when the stage stops its current at once",
    holds="no damping",
    source="L–C circuit that starts with a current",
)
returned_share = _relation(
    "returned_share",
    returned,
    (swing * (sp.sin(th_1) + sp.sin(th_2)) - th_1 - th_2) / (2 * sp.pi),
    title="What flows back to a bank, over what is drawn",
    holds="the current swings about its mean as a cosine at twice the line; counted between two angles about its lowest point",
    source="the cosine's part below zero, averaged over its period",
)
returned_rise = _relation(
    "returned_rise",
    dV,
    returned * I / (2 * f_line * (C + C_s)),
    title="Rise of the bank by what the load returns",
    holds="the source takes nothing back; its own capacitor lies beside the bank; I is the mean current drawn",
    source="charge that flows back in half a line period, on both capacitors",
)
fault_current = _relation(
    "fault_current",
    I_pk,
    E / R_s,
    title="Prospective short-circuit current",
    holds="bolted short, inductance ignored",
    source="Ohm's law",
)
pulsed_input_ripple = _relation(
    "pulsed_input_ripple",
    I_c,
    I_in * sp.sqrt(1 / D_tot - 1),
    title="RMS ripple current of the input capacitor",
    holds="the source delivers the mean, the capacitor the rest; rectangular pulses",
    source=POWER_TEXT,
)
shaped_ripple = _relation(
    "shaped_ripple",
    I_c,
    I * sp.sqrt(form**2 / D_tot - 1),
    title="RMS of a pulsed current with its mean taken off",
    holds="pulses of any shape, for a share D_tot of the time",
    source="definition of RMS",
)
bank_together = _relation(
    "bank_together",
    I_c,
    sp.sqrt(I_rms**2 + I**2),
    title="RMS of what a bank carries of pulses and of a slow swing together",
    holds="their frequencies lie far apart",
    source="orthogonality of what has no frequency in common",
)
step_pulsation = _relation(
    "step_pulsation",
    pulsation,
    1 / fraction,
    title="Pulsation of a current drawn in pulses",
    holds="flat pulses during a fraction of the time",
    source="mean square over squared mean",
)
lagging_pulsation = _relation(
    "lagging_pulsation",
    pulsation,
    1 / cos_phi**2,
    title="Pulsation of the current behind a square wave",
    holds="all current of a lagging load passes the source, forth and back",
    source="mean square over squared mean",
)
run_time = _relation(
    "run_time",
    t,
    C_Ah * V / P,
    title="Run time on the highest input",
    holds="capacity independent of rate, mean cell voltage",
    source="energy balance",
)
precharge_time = _relation(
    "precharge_time",
    t,
    -R * C * sp.log(1 - k),
    title="Time to precharge to a fraction k",
    holds="nothing draws current meanwhile",
    source=CIRCUIT,
)
precharge_voltage = _relation(
    "precharge_voltage",
    V_out,
    V * (1 - sp.exp(-t / (R * C))),
    title="Bus voltage while precharging",
    holds="nothing draws current meanwhile; starts from 0 V",
    source=CIRCUIT,
)
precharge_energy = _relation(
    "precharge_energy",
    W_J,
    C * V**2 * (k - k**2 / 2),
    title="Energy the precharge resistor takes",
    holds="charged from 0 V to k·V, no load",
    source="energy balance",
)
precharge_peak_power = _relation(
    "precharge_peak_power",
    P_peak,
    V**2 / R,
    title="Peak power in the precharge resistor",
    holds="first instant, and for the whole time-out if the bus is shorted",
    source="Ohm's law",
)
precharge_peak_current = _relation(
    "precharge_peak_current", I_pk, V / R, title="Peak precharge current", holds="first instant", source="Ohm's law"
)
closing_inrush = _relation(
    "closing_inrush",
    I_pk,
    (1 - k) * V / R_s,
    title="Inrush left when the contactor closes",
    holds="R_s holds source, capacitor and contact resistance; no inductance",
    source="Ohm's law",
)
closing_inrush_bound = _relation(
    "closing_inrush_bound",
    I_pk,
    (1 - k) * V * sp.sqrt(C / L),
    title="Bound on the closing inrush with source inductance",
    holds="undamped; the true peak is lower",
    source="energy balance between L and C",
)
series_damping = _relation(
    "series_damping",
    zeta,
    R_s / 2 * sp.sqrt(C / L),
    title="Damping of leads that fill a bank",
    holds="R_s holds source, leads and the bank's own resistance; from 1 on nothing overshoots",
    source=CIRCUIT,
)
plugged_peak = _relation(
    "plugged_peak",
    V_pk,
    V * (1 + sp.exp(-sp.pi * zeta / sp.sqrt(1 - zeta**2))),
    title="Voltage to which a bank swings that is plugged in live",
    holds="an empty bank, nothing drawn, zeta below 1; twice the voltage where nothing damps",
    source="step answer of the series R–L–C",
    valid=(zeta >= 0, zeta < 1),
)
plugged_current = _relation(
    "plugged_current",
    I_pk,
    V * sp.sqrt(C / L) * sp.exp(-zeta * sp.acos(zeta) / sp.sqrt(1 - zeta**2)),
    title="Current of a bank that is plugged in live",
    holds="an empty bank, zeta below 1",
    source="step answer of the series R–L–C",
    valid=(zeta >= 0, zeta < 1),
)
plugged_damped = _relation(
    "plugged_damped",
    I_pk,
    V * sp.sqrt(C / L) * sp.exp(-zeta_slow * sp.acosh(zeta_slow) / sp.sqrt(zeta_slow**2 - 1)),
    title="Current of a bank that is plugged in live through much resistance",
    holds="an empty bank, zeta above 1",
    source="step answer of the series R–L–C",
)
precharge_ceiling = _relation(
    "precharge_ceiling",
    V_inf,
    V * R_L / (R + R_L),
    title="Voltage a loaded precharge reaches at last",
    holds="resistive load; below k·V it never closes",
    source=CIRCUIT,
)
loaded_precharge_constant = _relation(
    "loaded_precharge_constant",
    tau,
    C * R * R_L / (R + R_L),
    title="Time constant of a loaded precharge",
    holds="resistive load across the bus",
    source=CIRCUIT,
)
loaded_precharge_energy = _relation(
    "loaded_precharge_energy",
    W_J,
    (
        (V - V_inf) ** 2 * t
        + 2 * (V - V_inf) * V_inf * tau * (1 - sp.exp(-t / tau))
        + V_inf**2 * tau / 2 * (1 - sp.exp(-2 * t / tau))
    )
    / R,
    title="Energy the precharge resistor takes with a load drawing",
    holds="resistive load across the bus; t from an empty bus",
    source="integral of (V − v)²/R, v = V_inf·(1 − e^(−t/τ))",
)
constant_power_rest = _relation(
    "constant_power_rest",
    V_inf,
    (V + sp.sqrt(V**2 - 4 * P * R)) / 2,
    title="Where a bus with a load of constant power comes to rest",
    holds="above the load's lock-out; P at most V²/4R",
    source="the resistor gives what the load takes: (V − v)·v = P·R",
    valid=(4 * P * R <= V**2,),
)
precharge_fault_energy = _relation(
    "precharge_fault_energy",
    W_J,
    (V**2 / R - P) * t,
    title="Energy of a shorted bus, beyond what the resistor carries continuously",
    holds="P is the resistor's continuous power, t the time-out",
    source="energy balance",
)
precharge_mean_power = _relation(
    "precharge_mean_power",
    P,
    V**2 / R * t / (t + t_rest),
    title="Mean power of tries into a shorted bus",
    holds="a try of the time t, then the rest, over and over",
    source="mean over one round",
)
loaded_precharge_time = _relation(
    "loaded_precharge_time",
    t,
    -tau * sp.log(1 - k * V / V_inf),
    title="Time to precharge with a load drawing",
    holds="k·V below the ceiling V_inf; else never",
    source=CIRCUIT,
    valid=(k * V < V_inf,),
)
peukert_time = _relation(
    "peukert_time",
    t,
    t_rated * (C_Ah / (I * t_rated)) ** peukert,
    title="Run time at a high discharge rate",
    holds="capacity stated for a discharge in t_rated; steady current; 1 for lithium, 1.1 to 1.3 for lead-acid",
    source="Peukert's law; any battery text",
)
cable_withstand = _relation(
    "cable_withstand",
    I2t,
    (k_wire * A_cu) ** 2,
    title="What a cable stands for a moment",
    holds="up to some seconds, no heat lost meanwhile",
    source="adiabatic heating, IEC 60364-5-54",
)
decaying_pulse = _relation(
    "decaying_pulse",
    I2t,
    I_pk**2 * R_s * C / 2,
    title="Inrush into a bank through a resistance, squared and summed",
    holds="first-order decay, no inductance",
    source="integral of I²·e^(−2t/RC)",
)
can_life = _relation(
    "can_life",
    t_life,
    t_life_0 * 2 ** ((T_cap_0 - T_cap) / dT_ten),
    title="Life of an electrolytic capacitor",
    holds="its core's temperature, ripple heating included; a rule of thumb",
    source="ten-kelvin rule; any text on electrolytic capacitors",
)
