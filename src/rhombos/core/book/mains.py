"""One-phase mains behind a bridge rectifier: what the bridge stands, what flows at switch-on, what the line is loaded with."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("mains input", BOOK).relation

reverse = _relation(
    "mains_reverse",
    V_rating,
    sp.sqrt(2) * V_rms / (1 - margin),
    title="Reverse rating of a mains rectifier",
    holds="one-phase bridge without a surge; a suppressor's clamping voltage counts where it is higher",
    source="peak of a sine",
)
inrush = _relation(
    "mains_inrush",
    I_pk,
    sp.sqrt(2) * V_rms / (R_s + R_ntc + R_b),
    title="Inrush from the mains",
    holds="switched on at the crest, the bank empty, no inductance; a limiter at its lower tolerance, hot for a restart",
    source="Ohm's law",
)
inrush_bound = _relation(
    "mains_inrush_bound",
    I_pk,
    sp.sqrt(2) * V_rms * sp.sqrt(C / L),
    title="Bound on the inrush from the mains",
    holds="undamped; the true peak is lower",
    source="energy balance between L and C",
)
first_charge = _relation(
    "mains_first_charge",
    I2t,
    V_rms**2 * C / (R_s + R_ntc + R_b),
    title="I²t of the first charge",
    holds="switched on at the crest and held there: the mains falls meanwhile, so less flows",
    source="exponential decay of the current, squared and integrated",
)
calm_bank = _relation(
    "mains_calm_bank",
    C,
    P * L / (R_s * V_dc**2),
    title="Bank against oscillation behind a choke",
    holds="choke of continuous current, load of constant power: its slope −V²/P must not outweigh the damping R/L",
    source="trace of the linearised circuit",
)
power_factor = _relation(
    "mains_power_factor",
    PF,
    cos_1 / sp.sqrt(1 + THD**2),
    title="Power factor of a distorted current",
    holds="mains voltage a sine",
    source="only the first harmonic carries power",
)
apparent = _relation(
    "mains_apparent",
    S,
    V_rms * I_rms,
    title="Apparent power from the mains",
    holds="any form of the current; what cords, contacts and breakers are loaded with",
    source="definition",
)
line_current = _relation(
    "mains_current",
    I_rms,
    P / (eta * V_rms * PF),
    title="Line current",
    holds="power at the output",
    source="definition of the power factor",
)
rail_distortion = _relation(
    "mains_rail_distortion",
    THD,
    V_rms / V_dc,
    title="What a rail's swing leaves in a sine made of it",
    holds="V_rms of the swing, V_dc its mean; nothing follows the rail within a period; both sidebands count, though one of "
    "the load's own swing, and at equal frequencies one of the mains', lies on the fundamental and only swells and ebbs it",
    source="product of two sines: sidebands of half the swing each",
)
touch_current = _relation(
    "mains_touch_current",
    I_rms,
    2 * sp.pi * f_line * C * V_rms,
    title="Touch current through the capacitors to earth",
    holds="all of them together at the top of their tolerance, highest mains and frequency, neutral open, earth missing",
    source="admittance of a capacitor",
)
