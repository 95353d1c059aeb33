"""Snubbers and clamps. A clamp limits the peak; a snubber slows the rise or damps the ring."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("clamp", BOOK).relation

TEXT = "standard power-electronics texts, snubbers and clamps"

leakage_power = _relation(
    "leakage_power",
    P_loss,
    L_lk * I**2 * f / 2,
    title="Power stored in the leakage, alone",
    holds="not what the clamp burns: see the clamp's power",
    source="energy of an inductance",
)
clamp_power = _relation(
    "clamp_power",
    P_loss,
    L_lk * I**2 * f * V_c / (2 * (V_c - V_r)),
    title="Power an RCD clamp burns",
    holds="V_c above V_r, both counted from the rail; while the leakage empties, the source feeds the clamp too",
    source=TEXT + ": charge delivered to the clamp each cycle",
    valid=(V_c > V_r,),
)
clamp_resistor = _relation(
    "clamp_resistor", R, V_c**2 / P, title="Clamp resistor", holds="returned to the rail", source="power balance at the clamp"
)
clamp_capacitor = _relation(
    "clamp_capacitor",
    C,
    V_c / (dV * R * f),
    title="Smallest clamp capacitor",
    holds="ripple dV small against V_c",
    source="charge balance",
)
damper_resistor = _relation(
    "damper_resistor", R, sp.sqrt(L_lk / C_par), title="Damper resistor", holds="matches the ring's own impedance", source=TEXT
)
damper_power = _relation(
    "damper_power",
    P_loss,
    C_d * V**2 * f,
    title="Loss of an RC damper",
    holds="the capacitor is charged to V and emptied once a period",
    source="energy balance",
)
ring_capacitance = _relation(
    "ring_capacitance",
    C_par,
    C_d / ((f / f_0) ** 2 - 1),
    title="Parasitic capacitance from a ring measurement",
    holds="f rings bare; adding C_d at the node lowers it to f_0",
    source="resonance law applied twice",
    valid=(f > f_0,),
)
ring_inductance = _relation(
    "ring_inductance",
    L_lk,
    1 / ((2 * sp.pi * f) ** 2 * C_par),
    title="Leakage from the ring frequency",
    holds="lightly damped",
    source="resonance law",
)
turn_off_snubber = _relation(
    "turn_off_snubber",
    C,
    I * t_f / (2 * V),
    title="Turn-off snubber capacitor",
    holds="voltage reaches V as the current ends",
    source=TEXT,
)
turn_off_snubber_loss = _relation(
    "turn_off_snubber_loss",
    P_loss,
    C * V**2 * f / 2,
    title="Loss of a turn-off snubber",
    holds="dissipative kind; dissipated in its resistor",
    source="energy of a capacitor",
)
turn_off_least = _relation(
    "turn_off_least",
    R,
    V / (I_pk - I),
    title="Minimum resistor of a turn-off snubber",
    holds="at turn-on its discharge comes on top of the current I; together at most I_pk",
    source="Ohm's law",
    valid=(I_pk > I,),
)
turn_off_most = _relation(
    "turn_off_most",
    R,
    t / (3 * C),
    title="Maximum resistor of a turn-off snubber",
    holds="empty, to a twentieth, within the shortest on-time t",
    source="discharge over three time constants",
)
peak_constant = _relation(
    "peak_constant",
    tau,
    R * C,
    title="Time constant of a peak detector",
    holds="discharge resistor R across C",
    source="first-order circuit",
)
peak_ripple = _relation(
    "peak_ripple",
    dV,
    V_pk * (1 - sp.exp(-1 / (f * tau))),
    title="Ripple of a peak detector",
    holds="recharged to the peak at every peak, f of them a second",
    source="first-order discharge",
)
peak_follow = _relation(
    "peak_follow",
    t,
    tau * sp.log(V_pk / V),
    title="Time a peak detector takes to fall to a lower peak",
    holds="from V_pk down to V",
    source="first-order discharge",
    valid=(V_pk >= V,),
)
clamp_level = _relation(
    "clamp_level",
    V_c,
    V_r / 2 + sp.sqrt(V_r**2 / 4 + L_lk * I**2 * f * R / 2),
    title="Level an RCD clamp settles at",
    holds="counted from the rail it is returned to; f counts the turn-offs that feed it; V_r is its level without them",
    source="clamp power equals V_c²/R",
)
clamp_for_level = _relation(
    "clamp_for_level",
    R,
    2 * V_c * (V_c - V_r) / (L_lk * I**2 * f),
    title="Largest clamp resistor that holds a level",
    holds="as the clamp's level, from which it follows",
    source="clamp power equals V_c²/R",
    valid=(V_c > V_r,),
)
clamp_heat = _relation(
    "clamp_heat",
    P_loss,
    V_c**2 / R,
    title="Dissipation in a clamp's resistor",
    holds="clamp returned to the rail",
    source="Joule's law",
)
clamp_excess = _relation(
    "clamp_excess",
    V_spike,
    V_c - V_r,
    title="Spike that a clamp lets through",
    holds="above the reflected level",
    source="definition of the clamp level",
    valid=(V_c >= V_r,),
)
