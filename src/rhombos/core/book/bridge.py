"""H-bridge: output waves, device losses, dead time."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("bridge", BOOK).relation

FOURIER = "Fourier series; any signals text"
PWM_TEXT = "standard texts on pulse-width modulation for power converters"

modulation_index = _relation(
    "modulation_index",
    M,
    V_bridge / V_dc,
    title="Modulation index",
    holds="full bridge; at most 1 without distortion",
    source=PWM_TEXT,
)
sine_output = _relation(
    "sine_output", V_rms, M * V_dc / sp.sqrt(2), title="RMS fundamental of sine PWM", holds="M at most 1", source=PWM_TEXT
)
square_fundamental = _relation(
    "square_fundamental",
    V_pk,
    4 / sp.pi * V_dc,
    title="Peak fundamental of a square wave",
    holds="full conduction",
    source=FOURIER,
)
modified_rms = _relation(
    "modified_rms",
    V_rms,
    V_dc * sp.sqrt(fraction),
    title="RMS of a three-level wave",
    holds="the zero state is clamped by two switches on",
    source="definition of RMS",
)
stepped_rms = _relation(
    "stepped_rms",
    V_rms,
    sp.sqrt(fraction * V_dc**2 - 2 * R * P + (R * I_rms) ** 2),
    title="RMS of a square or three-level wave behind a resistance",
    holds="P is what the wave drives into resistance and load: the mean of the link's voltage times the current",
    source="mean square of what stands behind a resistance",
)
modified_harmonic = _relation(
    "modified_harmonic",
    V_h,
    sp.Abs(4 * V_dc / (h * sp.pi) * sp.sin(h * sp.pi * fraction / 2)),
    title="Peak of a harmonic of a three-level wave",
    holds="odd h; δ = 180° times the conduction fraction",
    source=FOURIER,
)
modified_distortion = _relation(
    "modified_distortion",
    THD,
    sp.sqrt(fraction * sp.pi**2 / (8 * sp.sin(sp.pi * fraction / 2) ** 2) - 1),
    title="Distortion of a three-level wave",
    holds="one pulse a half period; a fraction of 1 is the square wave",
    source=FOURIER,
)
modified_mean = _relation(
    "modified_mean",
    V_out,
    sp.pi / (2 * sp.sqrt(2)) * V_dc * fraction,
    title="What an average-responding meter shows on a three-level wave",
    holds="meter scaled for sines: 1.111 times the rectified mean",
    source="form factor of a sine",
)
switch_conduction = _relation(
    "switch_conduction",
    P_loss,
    V_0 * I_pk * (1 / (2 * sp.pi) + M * cos_phi / 8) + r * I_pk**2 * (sp.Rational(1, 8) + M * cos_phi / (3 * sp.pi)),
    title="Conduction loss of a bridge switch, sine PWM",
    holds="sinusoidal current, carrier far above the line",
    source=PWM_TEXT,
)
diode_conduction = _relation(
    "freewheel_conduction",
    P_loss,
    V_0 * I_pk * (1 / (2 * sp.pi) - M * cos_phi / 8) + r * I_pk**2 * (sp.Rational(1, 8) - M * cos_phi / (3 * sp.pi)),
    title="Conduction loss of a freewheeling path, sine PWM",
    holds="sinusoidal current, carrier far above the line",
    source=PWM_TEXT,
)
line_average_current = _relation(
    "line_average_current",
    I_avg,
    I_pk / sp.pi,
    title="Current averaged over the line cycle in one switch",
    holds="sine current, the switch works one half-cycle",
    source="mean of half a sine",
)
dead_time_current_loss = _relation(
    "dead_time_conduction",
    P_loss,
    2 * V_F * I_avg * t_d * f_c,
    title="Diode loss during dead time",
    holds="two dead times a carrier period",
    source="charge times voltage",
)
dead_time_voltage = _relation(
    "dead_time_voltage",
    V_loss,
    (4 / sp.pi) * 2 * t_d * f_c * V_dc,
    title="Fundamental lost to dead time, peak",
    holds="two legs switching; opposes the current's sign; harmonics fall as 1/h, odd h",
    source=FOURIER,
)
dead_time_harmonic = _relation(
    "dead_time_harmonic",
    V_h,
    (4 / (sp.pi * h)) * 2 * t_d * f_c * V_dc,
    title="Harmonic made by dead time, peak",
    holds="odd h, no current control",
    source=FOURIER,
)
sine_triangle_reach = _relation(
    "sine_triangle_reach",
    V_line,
    sp.sqrt(3) / (2 * sp.sqrt(2)) * V_dc,
    title="Line voltage a three-phase sine-triangle bridge reaches",
    holds="M = 1",
    source=PWM_TEXT,
)
space_vector_reach = _relation(
    "space_vector_reach",
    V_line,
    V_dc / sp.sqrt(2),
    title="Line voltage space-vector modulation reaches",
    holds="edge of the linear range, 2/√3 beyond sine-triangle",
    source=PWM_TEXT,
)
six_step_reach = _relation(
    "six_step_reach",
    V_line,
    sp.sqrt(6) / sp.pi * V_dc,
    title="Line voltage six-step operation reaches, fundamental",
    holds="full over-modulation",
    source=FOURIER,
)
