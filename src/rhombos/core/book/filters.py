"""Output filter."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *  # noqa: F403

_relation = Subject("filter", BOOK).relation

RIPPLE = "volt-seconds on the inductor, largest over the duty"

unipolar_ripple = _relation(
    "unipolar_ripple", dI, V_dc / (8 * L * f_c), title="Largest inductor ripple, unipolar PWM",
    holds="peak to peak; f_c is the triangle's frequency", source=RIPPLE)
bipolar_ripple = _relation(
    "bipolar_ripple", dI, V_dc / (2 * L * f_c), title="Largest inductor ripple, bipolar PWM",
    holds="peak to peak; f_c is the triangle's frequency", source=RIPPLE)
hybrid_ripple = _relation(
    "hybrid_ripple", dI, V_dc / (4 * L * f_c), title="Largest inductor ripple, hybrid PWM",
    holds="one leg at line frequency", source=RIPPLE)
corner = _relation(
    "corner", f_0, 1 / (2 * sp.pi * sp.sqrt(L * C)), title="Corner frequency of the filter",
    holds="between ten times the line and a tenth of the effective ripple frequency", source="resonance law")
capacitor_current = _relation(
    "capacitor_current", I_c, 2 * sp.pi * f_line * C * V_rms, title="Line-frequency current of the filter capacitor",
    holds="keep to 5 to 10 % of rated; it flows at no load too", source="impedance of a capacitor")
effective_ripple_frequency = _relation(
    "effective_ripple_frequency", f, 2 * f_c, title="Frequency of the ripple, unipolar PWM",
    holds="the two legs' carriers cancel", source="standard texts on pulse-width modulation")
damping_resistor = _relation(
    "damping_resistor", R, sp.sqrt(L / C), title="Damping resistor",
    holds="in series with a damping capacitor of four times C", source="filter damping texts")
filter_gain = _relation(
    "filter_gain", gain, 1 / sp.Abs(1 - (f / f_0) ** 2), title="Gain of the unloaded filter",
    holds="no load, no loss; far above the corner it falls as 1/f²", source="second-order low-pass")
