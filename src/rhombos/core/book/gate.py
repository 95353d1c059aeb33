"""Gates: what drives them, what disturbs them, and the bootstrap that lifts a driver."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("gate", BOOK).relation

DEVICE_TEXT = "standard power-electronics texts, gate drive"
BOOT_TEXT = "bootstrap practice: charge balance over one cycle"

gate_capacitance = _relation(
    "gate_capacitance",
    C_iss,
    (Q_g - Q_sw) / V_drive,
    title="Gate capacitance outside the plateau",
    holds="total charge less that of the switching interval, spread over the drive voltage",
    source="definition of charge",
)
miller_voltage = _relation(
    "miller_voltage",
    V_ind,
    R * I * (1 - sp.exp(-Q_gd / (I * R * C_iss))),
    title="Voltage that the other switch's turn-on leaves on an off gate",
    holds="the plateau current of the switch that turns on flows through this gate's resistance while the legs swing",
    source="step of current into R ∥ C",
)
turn_off_delay = _relation(
    "turn_off_delay",
    t_sw,
    R_gate * C_iss * sp.log(V_drive / V_pl),
    title="Delay before a switch begins to turn off",
    holds="the gate falls from its drive to the plateau through the loop's resistance",
    source="exponential decay",
)
swing_charge = _relation(
    "swing_charge",
    Q_gd,
    k * Q_sw * sp.sqrt(V / V_rating),
    title="Gate charge that a swing moves",
    holds="a junction's capacitance falls with the root of its voltage; k is the share of "
    "the switching charge that half the rating moves, times the root of two",
    source="step junction",
)
bootstrap_charge = _relation(
    "bootstrap_charge",
    Q_b,
    n_par * Q_g + Q_rr + Q_ls + (I_q + I_leak + n_par * V_drive / R_pd) * t_on,
    title="Charge that one cycle takes from a bootstrap capacitor",
    holds="the pull-downs often take most of it when the on-time is long",
    source=BOOT_TEXT,
)
bootstrap_budget = _relation(
    "bootstrap_budget",
    dV,
    V_dd - V_F - V_LS - V_GS_min,
    title="Droop that a bootstrap capacitor may have",
    holds="from the supply less its diode and the low side's drop, down to the minimum gate voltage",
    source=BOOT_TEXT,
)
bootstrap_capacitor = _relation(
    "bootstrap_capacitor",
    C,
    Q_b / dV,
    title="Minimum bootstrap capacitor",
    holds="without margin: double it, and derate",
    source="definition of capacitance",
)
bootstrap_refresh = _relation(
    "bootstrap_refresh",
    t,
    k_tau * R * C,
    title="Time that a refresh takes",
    holds="three to five time constants",
    source="charging through a resistor",
)
bootstrap_inrush = _relation(
    "bootstrap_inrush",
    I_pk,
    (V_dd - V_F) / R,
    title="First charge of a bootstrap capacitor, peak",
    holds="an empty capacitor is a short",
    source="Ohm's law",
)
level_shift_power = _relation(
    "level_shift_power",
    P_loss,
    V_dc * Q_ls * f,
    title="Heat of a level shift",
    holds="its charge falls through the whole link",
    source="charge times voltage",
)
level_shift_hold = _relation(
    "level_shift_hold",
    P_loss,
    V_dc * I * (1 - D_high),
    title="Heat of a discrete level shift",
    holds="a transistor holds the upper gate down through its resistor for as long as that switch is off",
    source="voltage times current, over the time that it flows",
)
follower_base = _relation(
    "follower_base",
    I,
    I_gate_pk / h_FE,
    title="Base current of a follower stage",
    holds="peak gate current, minimum gain; the controller gives it through its base resistor",
    source="definition of current gain",
)
gate_hold = _relation(
    "gate_hold",
    t_hold,
    Q_g * (V_drive - V_pl) / (V_drive * I_leak),
    title="How long a charged gate holds its switch on",
    holds="gate left open; its capacitance is its charge over the drive voltage; down to the plateau",
    source="charge over leakage current",
)
on_drop = _relation(
    "on_drop", V_drop, V_0 + I * r, title="Drop of a switch that is on", holds="V_0 is zero for a MOSFET", source=DEVICE_TEXT
)
breakdown_resistor = _relation(
    "breakdown_resistor",
    R,
    V_rating / I,
    title="Resistor of a breakdown test",
    holds="the test current even into a short, from the rated voltage",
    source="Ohm's law",
)
follower_resistor = _relation(
    "follower_resistor",
    R,
    k * V_drive / I,
    title="Base resistor of a follower stage, at most",
    holds="it may drop a share k of the drive at the peak base current I",
    source="Ohm's law",
)
transformer_low = _relation(
    "transformer_low",
    V_drive,
    V_dd * (1 - D_high),
    title="Gate voltage left through a drive transformer",
    holds="coupled without a mean: the longer the pulse, the lower its top",
    source="volt-seconds of the winding sum to zero",
)
