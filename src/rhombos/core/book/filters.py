"""Output filter."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("filter", BOOK).relation

RIPPLE = "volt-seconds on the inductor, largest over the duty"

unipolar_ripple = _relation(
    "unipolar_ripple",
    dI,
    V_dc / (8 * L * f_c),
    title="Largest inductor ripple, unipolar PWM",
    holds="peak to peak; f_c is the triangle's frequency",
    source=RIPPLE,
)
bipolar_ripple = _relation(
    "bipolar_ripple",
    dI,
    V_dc / (2 * L * f_c),
    title="Largest inductor ripple, bipolar PWM",
    holds="peak to peak; f_c is the triangle's frequency",
    source=RIPPLE,
)
hybrid_ripple = _relation(
    "hybrid_ripple",
    dI,
    V_dc / (4 * L * f_c),
    title="Largest inductor ripple, hybrid PWM",
    holds="one leg at line frequency",
    source=RIPPLE,
)
corner = _relation(
    "corner",
    f_0,
    1 / (2 * sp.pi * sp.sqrt(L * C)),
    title="Corner frequency of the filter",
    holds="between ten times the line and a tenth of the effective ripple frequency",
    source="resonance law",
)
capacitor_current = _relation(
    "capacitor_current",
    I_c,
    2 * sp.pi * f_line * C * V_rms,
    title="Line-frequency current of the filter capacitor",
    holds="keep to 5 to 10 % of rated; it flows at no load too",
    source="impedance of a capacitor",
)
effective_ripple_frequency = _relation(
    "effective_ripple_frequency",
    f,
    2 * f_c,
    title="Frequency of the ripple, unipolar PWM",
    holds="the two legs' carriers cancel",
    source="standard texts on pulse-width modulation",
)
damping_resistor = _relation(
    "damping_resistor",
    R,
    sp.sqrt(L / C),
    title="Damping resistor",
    holds="in series with a damping capacitor of four times C",
    source="filter damping texts",
)
filter_gain = _relation(
    "filter_gain",
    gain,
    1 / sp.Abs(1 - (f / f_0) ** 2),
    title="Gain of the unloaded filter",
    holds="no load, no loss; far above the corner it falls as 1/f²",
    source="second-order low-pass",
)
damped_gain = _relation(
    "damped_gain",
    gain,
    1 / sp.sqrt((1 - 4 * sp.pi**2 * f**2 * L * C) ** 2 + (2 * sp.pi * f * R * C) ** 2),
    title="Gain of the unloaded filter, its own resistance counted",
    holds="no load; R is all that lies in series with L; beyond √2 times the corner it is below one",
    source="second-order low-pass",
)
ripple_left = _relation(
    "ripple_left",
    V_rms,
    2 * sp.pi * f * L * I_c * gain,
    title="Ripple voltage left behind the filter, RMS",
    holds="I_c is the inductor's ripple current, all of it at the one frequency f",
    source="voltage across the inductor, times the gain of the filter",
)
inductor_line_current = _relation(
    "inductor_line_current",
    I_line,
    sp.sqrt((I_rms * cos_phi) ** 2 + (I_rms * sp.sqrt(1 - cos_phi**2) - I_c) ** 2),
    title="Line-frequency current of the filter inductor, RMS",
    holds="lagging load beside the filter capacitor",
    source="phasor sum at the output",
)
bridge_fundamental = _relation(
    "bridge_fundamental",
    V_bridge,
    sp.sqrt(2)
    * sp.sqrt(
        (V_rms + R * I_rms * cos_phi + X_L * (I_rms * sp.sqrt(1 - cos_phi**2) - I_c)) ** 2
        + (X_L * I_rms * cos_phi - R * (I_rms * sp.sqrt(1 - cos_phi**2) - I_c)) ** 2
    )
    + V_drop,
    title="Peak fundamental the bridge must make",
    holds="R is the inductor's and the devices' resistance; V_drop adds dead time and thresholds",
    source="phasor sum through the filter inductor",
)
inductor_reactance = _relation(
    "inductor_reactance",
    X_L,
    2 * sp.pi * f_line * L,
    title="Reactance of the filter inductor",
    holds="sine",
    source="impedance of an inductance",
)
unipolar_ripple_rms = _relation(
    "unipolar_ripple_rms",
    I_c,
    V_dc / (2 * f_c * L) / sp.sqrt(12) * sp.sqrt(M**2 / 2 - 8 * M**3 / (3 * sp.pi) + 3 * M**4 / 8),
    title="RMS ripple of the filter inductor over the line cycle",
    holds="unipolar PWM, M at most 1",
    source="triangle ripple M·sinθ·(1 − M·sinθ), squared and averaged over the line cycle",
)
