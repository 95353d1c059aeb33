"""DC link: voltage, ripple, energy, bleeder; mains-fed links."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("link", BOOK).relation

TEXT = "standard power-electronics texts, DC links"

link_needed = _relation(
    "link_needed",
    V_link_min,
    V_bridge / M_max,
    title="Lowest link voltage for the full sine",
    holds="at the trough of the ripple; V_bridge includes the drops",
    source="definition of the modulation index",
)
link_ripple = _relation(
    "link_ripple",
    dV,
    S / (2 * sp.pi * f_line * C * V_dc),
    title="Link ripple at twice the output frequency, peak to peak",
    holds="single-phase output, constant power from the front end, ripple small",
    source="energy pulsation at 2f",
)
stepped_ripple = _relation(
    "stepped_ripple",
    dV,
    kept * k_swing * I_in / (4 * sp.pi * f_line * C),
    title="Link ripple under a stepped wave, peak to peak",
    holds="kept is 1 where a steady current comes in; k_swing from the wave and its load",
    source="charge of the bank at 2f, 4f, …",
)
stepped_current = _relation(
    "stepped_current",
    I_c,
    kept * k_heat * I_in,
    title="Link capacitor current under a stepped wave, RMS",
    holds="kept is 1 where a steady current comes in; k_heat from the wave and its load",
    source="definition of RMS",
)
link_ripple_current = _relation(
    "link_ripple_current",
    I_c,
    S / (sp.sqrt(2) * V_dc),
    title="Link capacitor current at twice the output frequency, RMS",
    holds="single-phase output",
    source=TEXT,
)
triangle_rms = _relation(
    "triangle_rms",
    I_c,
    dI / sp.sqrt(12),
    title="RMS of a triangular ripple",
    holds="about its mean",
    source="definition of RMS",
)
combined_ripple = _relation(
    "combined_ripple",
    I_c,
    sp.sqrt(I_rms**2 + dI**2 / 12),
    title="RMS of a current and a triangular ripple together",
    holds="the two are of different frequencies; dI peak to peak",
    source="squares of unlike frequencies add",
)
smoothed_ripple = _relation(
    "smoothed_ripple",
    dV,
    dI * (ESR + 1 / (16 * f_s * C)),
    title="Ripple of a choke's current on the bank, peak to peak, bounded",
    holds="a triangle at twice the frequency of one switch; its parts add at worst in step",
    source="charge and series resistance of the bank",
)
pulsed_ripple = _relation(
    "pulsed_ripple",
    dV,
    dI * ESR + I_out / (2 * f_s * C),
    title="Ripple of pulses straight into the bank, peak to peak, bounded",
    holds="a pulse of each switch; all charge of a pulse comes at once at worst",
    source="charge and series resistance of the bank",
)
hold_up = _relation(
    "hold_up",
    C,
    2 * P * t_hold / (V_1**2 - V_2**2),
    title="Capacitance for a hold-up time",
    holds="constant power",
    source="energy of a capacitor",
    valid=(V_1 > V_2,),
)
stored_energy = _relation(
    "stored_energy", W_J, C * V**2 / 2, title="Energy stored", holds="linear capacitor", source="energy of a capacitor"
)
bleed_time = _relation(
    "bleed_time",
    t,
    R * C * sp.log(V / V_safe),
    title="Time to bleed to a safe voltage",
    holds="nothing else charges or drains the link",
    source="exponential decay",
    valid=(V_safe < V,),
)
bleeder_power = _relation(
    "bleeder_power", P, V**2 / R, title="Power of the bleeder", holds="link at its working voltage", source="Joule's law"
)
rectified_peak = _relation(
    "rectified_peak", V_pk, sp.sqrt(2) * V_rms, title="Peak of a sine", holds="undistorted sine", source="definition"
)
six_pulse_mean = _relation(
    "six_pulse_mean",
    V_dc,
    3 * sp.sqrt(2) / sp.pi * V_line,
    title="Mean voltage of a six-pulse rectifier",
    holds="no commutation overlap",
    source="mean of a 60° cap of a sine",
)
three_phase_link_current = _relation(
    "three_phase_link_current",
    I_c,
    I_ph * sp.sqrt(2 * M * (sp.sqrt(3) / (4 * sp.pi) + cos_phi**2 * (sp.sqrt(3) / sp.pi - 9 * M / 16))),
    title="Link capacitor current of a three-phase bridge, RMS",
    holds="M is phase peak over half the link; inductive ripple neglected",
    source=TEXT,
)
link_switching_current = _relation(
    "link_switching_current",
    I_c,
    I_pk * sp.sqrt(M * (1 / sp.pi + (2 * cos_phi**2 - 1) / (3 * sp.pi)) - M**2 * cos_phi**2 / 4 - M**2 / 8),
    title="Link capacitor current at switching frequency, RMS",
    holds="single-phase bridge, unipolar sine PWM, smooth output current; the twice-line part is counted apart",
    source="RMS of the bridge's input current less its mean and its 2f part",
    valid=(M <= 1,),
)

PULSATION = "phasor of the output's power at twice its frequency, through the impedances before and after the bank"

passed_open = _relation(
    "passed_open",
    passed,
    1 / sp.sqrt((1 - (4 * sp.pi * f_line) ** 2 * L * C) ** 2 + (4 * sp.pi * f_line * R * C) ** 2),
    title="Pulsation that reaches the source where no loop holds the link",
    holds="R and L lie between the source and the bank; above one near their resonance",
    source=PULSATION,
)
pulsation_square = _relation(
    "pulsation_square",
    pulsation,
    1 + (S / P * passed) ** 2 / 2,
    title="Mean square of a current that pulsates at twice the line, over its squared mean",
    holds="S/P times the share passed at most one: beyond, a rectifier in the way blocks",
    source="mean square of 1 + m·cos 2ωt",
    valid=(S / P * passed <= 1,),
)
pulsation_crest = _relation(
    "pulsation_crest",
    k_crest,
    1 + S / P * passed,
    title="Peak of a current that pulsates at twice the line, over its mean",
    holds="S/P times the share passed at most one: beyond, a rectifier in the way blocks",
    source="peak of 1 + m·cos 2ωt",
    valid=(S / P * passed <= 1,),
)
ripple_kept = _relation(
    "ripple_kept",
    dV,
    kept * S / (2 * sp.pi * f_line * C * V_dc),
    title="Link ripple at twice the output frequency, peak to peak, beside a source that takes its share",
    holds="single-phase output, linear load, ripple small",
    source="energy pulsation at 2f less what the source gives",
)
current_kept = _relation(
    "current_kept",
    I_c,
    kept * S / (sp.sqrt(2) * V_dc),
    title="Link capacitor current at twice the output frequency, RMS, beside a source that takes its share",
    holds="single-phase output, linear load",
    source=PULSATION,
)
step_dip = _relation(
    "step_dip",
    dV,
    P / (2 * sp.pi * f_x * C * V_dc),
    title="Dip of the link at a load step, bounded",
    holds="the loop crosses over at f_x; the bank carries the step until it answers",
    source="charge of the bank, first order",
)
bank_for_step = _relation(
    "bank_for_step",
    C,
    (P / (4 * f_line) + kept * S / (4 * sp.pi * f_line)) / (V_dc * dV),
    title="Bank that carries a step of the load",
    holds="the load's power fed forward; dV is what the link may fall by, half its ripple included",
    source="dip at the step and half the ripple, together",
)
step_dip_fed = _relation(
    "step_dip_fed",
    dV,
    P / (4 * f_line * C * V_dc),
    title="Dip of the link at a load step, the load's power fed forward",
    holds="the power is measured as its mean over half a line period",
    source="charge missing while that mean follows",
)
