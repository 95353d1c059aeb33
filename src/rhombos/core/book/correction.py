"""Power-factor correction by a boost stage: continuous and critical conduction, bus and line."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("power-factor correction", BOOK).relation

VOLT_SECONDS = "volt-seconds of the choke over one period"
SHAPED = "the choke's mean follows the mains voltage; all losses counted before the choke"

duty = _relation(
    "boost_duty",
    D_tot,
    1 - v_line / V_dc,
    title="Duty of a boost stage",
    holds="continuous current, drops left out",
    source=VOLT_SECONDS,
    valid=(v_line < V_dc,),
)
ripple = _relation(
    "boost_ripple",
    dI,
    v_line * (1 - v_line / V_dc) / (L * f_s),
    title="Ripple of a boost choke",
    holds="continuous current; largest where the mains stands at half the bus, or at the crest where it never does",
    source=VOLT_SECONDS,
    valid=(v_line <= V_dc,),
)
inductance = _relation(
    "boost_inductance",
    L,
    v_line * (1 - v_line / V_dc) / (dI * f_s),
    title="Choke of a boost stage for a ripple",
    holds="continuous current",
    source=VOLT_SECONDS,
    valid=(v_line < V_dc,),
)
continuous = _relation(
    "boost_continuous",
    L,
    eta * V_rms**2 / (2 * P * f_s),
    title="Choke whose current is continuous at every angle",
    holds="P at the output; with less it runs dry around the zero crossing",
    source="ripple below twice the mean, as the mains goes to nothing",
)
peak = _relation(
    "boost_peak",
    I_pk,
    sp.sqrt(2) * P / (eta * V_rms) + dI / 2,
    title="Peak current of a boost choke",
    holds="continuous current, dI that at the crest; at the lowest mains",
    source=SHAPED,
)
on_time = _relation(
    "critical_on_time",
    t_boost,
    2 * L * P / (eta * V_rms**2),
    title="On-time in critical conduction",
    holds="the same at every angle of the mains; valley and delays left out",
    source="a triangle from zero has a mean of half its peak",
)
frequency = _relation(
    "critical_frequency",
    f_s,
    eta * V_rms**2 * (1 - v_line / V_dc) / (2 * L * P),
    title="Frequency in critical conduction",
    holds="lowest at the crest, highest at the zero crossing, unless a clamp holds it; valley and delays left out",
    source=VOLT_SECONDS,
    valid=(v_line < V_dc,),
)
critical_choke = _relation(
    "critical_choke",
    L,
    eta * V_rms**2 * (1 - v_line / V_dc) / (2 * f_s * P),
    title="Choke of critical conduction for a lowest frequency",
    holds="at the crest of the lowest or of the highest mains, whichever asks for less",
    source=VOLT_SECONDS,
    valid=(v_line < V_dc,),
)
critical_peak = _relation(
    "critical_peak",
    I_pk,
    2 * sp.sqrt(2) * P / (eta * V_rms),
    title="Peak current in critical conduction",
    holds="one channel; of several each carries its part",
    source="a triangle from zero has a mean of half its peak",
)
valley = _relation(
    "critical_valley",
    P_loss,
    C_oss * (2 * v_line - V_dc) ** 2 * f_s / 2,
    title="Loss of turning on in the valley",
    holds="mains above half the bus; below that the node swings to zero and nothing is lost",
    source="energy of a capacitor",
    valid=(2 * v_line >= V_dc,),
)
third = _relation(
    "line_third",
    h_3,
    k_err / 2 + k_ff,
    title="Third harmonic that ripple in the loops makes",
    holds="both at twice the mains, small, and in the worst phase to each other",
    source="product of a sine with one of twice its frequency",
)
