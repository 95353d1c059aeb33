"""Transformers and chokes: flux, core loss, copper, leakage, temperature."""

import sympy as sp

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("magnetics", BOOK).relation

FARADAY = "Faraday's law; any transformer design text"
AREA_TEXT = "area-product method; standard magnetics design texts"
DOWELL = "Dowell, effects of eddy currents in transformer windings, 1966"

peak_flux = _relation(
    "peak_flux",
    B_pk,
    V * D / (2 * N * A_e * f_s),
    title="Peak flux density, square drive",
    holds="flux symmetric about zero; D is the duty of one switch, at most one half",
    source=FARADAY,
)
sine_flux = _relation(
    "sine_flux",
    B_pk,
    V_rms / (sp.sqrt(2) * sp.pi * f * N * A_e),
    title="Peak flux density, sine",
    holds="V_rms across N turns; √2·π = 4.44",
    source=FARADAY,
)
saturation_frequency = _relation(
    "saturation_frequency",
    f,
    V / (4 * N * A_e * B_pk),
    title="Frequency of a stage that a saturating core switches",
    holds="square voltage; B_pk is where the core saturates: it falls with heat, so the frequency rises",
    source=FARADAY,
)
area_product = _relation(
    "area_product",
    A_p,
    P_apparent / (K_f * K_u * B_pk * f * J),
    title="Area product needed, transformer",
    holds="P_t sums the windings' volt-amperes; centre-tapped ones cost √2",
    source=AREA_TEXT,
)
root_of_power = _relation(
    "root_of_power",
    A_e,
    k_root * sp.sqrt(P / eta),
    title="Core area by the shop-floor rule",
    holds="about 0.1 cm²/√W for ferrite at tens of kHz, 1.1 to 1.2 for iron at 50 Hz; knows nothing of flux, frequency or loss",
    source="workshop rule of thumb; compare with the area product",
)
choke_area_product = _relation(
    "choke_area_product",
    A_p,
    L * I_pk * I_rms / (B_pk * K_u * J),
    title="Area product needed, choke",
    holds="gapped core worked to B at the peak current",
    source=AREA_TEXT,
)
secondary_turns = _relation(
    "secondary_turns",
    N_s,
    N_p * ratio,
    title="Secondary turns",
    holds="rounded to a whole turn by the designer",
    source=FARADAY,
)
steinmetz = _relation(
    "steinmetz",
    p_v,
    k_core * (f / f_unit) ** alpha * (B_pk / B_unit) ** beta,
    title="Core loss per volume, sine",
    holds="k, α, β fitted near this frequency, flux and temperature",
    source="Steinmetz's law",
)
igse_pulses = _relation(
    "igse_pulses",
    p_v,
    2
    * D ** (1 - alpha)
    * k_core
    * (f_s / f_unit) ** alpha
    * (2 * B_pk / B_unit) ** beta
    / (
        (2 * sp.pi) ** (alpha - 1)
        * 2 ** (beta - alpha)
        * 2
        * sp.sqrt(sp.pi)
        * sp.gamma((alpha + 1) / 2)
        / sp.gamma(alpha / 2 + 1)
    ),
    title="Core loss per volume, two rectangular voltage pulses a period",
    holds="flux ramps during each pulse of duty D and rests between; losses while resting not counted",
    source="improved generalised Steinmetz equation, integrated for straight ramps",
)
core_loss = _relation("core_loss", P_core, p_v * V_e, title="Core loss", holds="uniform flux", source="definition")
loss_optimum = _relation(
    "loss_optimum",
    P_cu,
    beta / 2 * P_core,
    title="Copper loss at the lowest total",
    holds="turns free, frequency fixed; AC factor constant",
    source="minimum of a·N² + b·N^(−β)",
)
optimum_flux = _relation(
    "optimum_flux",
    B_pk,
    B_now * (2 * P_cu / (beta * P_core)) ** (1 / (2 + beta)),
    title="Flux at the lowest total loss, turns free",
    holds="P_cu and P_core are lost at B_now; copper falls with the square of the flux, AC factor constant",
    source="minimum of a·B^(−2) + b·B^β",
)
iron_loss = _relation(
    "iron_loss",
    P_core,
    m_core * p_iron * (B_pk / B_unit) ** 2 * (f / (50 * f_unit)) ** sp.Rational(13, 10),
    title="Core loss of laminated iron",
    holds="sheet thin enough for the frequency, below the knee; the triangular flux of a square wave loses a little less",
    source="Steinmetz's law with the exponents usual for thin sheet",
)
winding_capacitance = _relation(
    "winding_capacitance",
    C_ws,
    eps0 * eps_r * b_w * MLT * interfaces / h_ins,
    title="Capacitance between primary and secondary",
    holds="windings face each other over their whole breadth",
    source="plate capacitor; any electrostatics text",
)
turns_by_test = _relation(
    "turns_by_test",
    N,
    V / v_turn,
    title="Turns from the volts of one turn",
    holds="one test turn measured at the flux it will work at",
    source=FARADAY,
)
permeability_by_test = _relation(
    "permeability_by_test",
    mu_e,
    L * l_e / (mu0 * A_e * N**2),
    title="Effective permeability from a test winding",
    holds="inductance measured at low flux; the gap counts as part of the core",
    source="magnetic circuit of one loop",
)
flux_by_volt_seconds = _relation(
    "flux_by_volt_seconds",
    B_pk,
    linkage / (N * A_e),
    title="Flux at the knee, from its volt-seconds",
    holds="volt-seconds from zero flux to where the magnetising current bends up",
    source=FARADAY,
)
skin_depth = _relation(
    "skin_depth",
    delta,
    sp.sqrt(rho / (sp.pi * f * mu0)),
    title="Skin depth",
    holds="depth at which the current density falls to 1/e; non-magnetic conductor",
    source="diffusion equation in a half-space",
)
dowell = _relation(
    "dowell",
    F_R,
    xi
    * (
        (sp.sinh(2 * xi) + sp.sin(2 * xi)) / (sp.cosh(2 * xi) - sp.cos(2 * xi))
        + sp.Rational(2, 3) * (layers**2 - 1) * (sp.sinh(xi) - sp.sin(xi)) / (sp.cosh(xi) + sp.cos(xi))
    ),
    title="AC over DC resistance of foil-like layers",
    holds="field parallel to the layers; sine of one frequency; layers counted from the zero-field face",
    source=DOWELL,
)
conductor_area = _relation(
    "conductor_area", A_cu, I_rms / J, title="Copper section", holds="J of 3 to 6 A/mm² is usual", source="definition"
)
winding_resistance = _relation(
    "winding_resistance",
    R,
    rho * N * MLT / A_cu,
    title="DC resistance of a winding",
    holds="A_cu is all strands together",
    source="resistance of a conductor",
)
ac_copper_loss = _relation(
    "ac_copper_loss",
    P_cu,
    I_rms**2 * R * F_R,
    title="Copper loss",
    holds="F_R weighted over the current's harmonics",
    source=DOWELL,
)
half_leakage = _relation(
    "half_leakage",
    L_lk,
    mu0 / sp.pi * sp.acosh(k_pitch) * N * MLT / n_hand,
    title="Leakage between two halves wound side by side",
    holds="each wire of one half lies beside one of the other; k_pitch is their distance over the copper's diameter",
    source="inductance of a pair of wires, all pairs in parallel",
)
leakage = _relation(
    "leakage",
    L_lk,
    mu0 * N**2 * MLT / (b_w * interfaces**2) * (h_cu / 3 + h_gap),
    title="Leakage inductance seen from N turns",
    holds="full-breadth layers; p primary-to-secondary interfaces",
    source="energy of the field between the windings",
)
window_fill = _relation(
    "window_fill", K_u, N * A_cu / A_w, title="Copper share of the window", holds="0.3 to 0.4 can be wound", source="definition"
)
magnetising = _relation(
    "magnetising", L, N**2 * A_L, title="Magnetising inductance", holds="small signal", source="definition of A_L"
)
inductance_factor = _relation(
    "inductance_factor",
    A_L,
    mu0 * mu_e * A_e / l_e,
    title="Inductance factor of a core",
    holds="uniform flux",
    source="Ampère's and Faraday's laws",
)
magnetising_current = _relation(
    "magnetising_current",
    dI,
    V * D / (L * f_s),
    title="Magnetising current, peak to peak",
    holds="square drive, one switch's duty D",
    source=FARADAY,
)
choke_flux = _relation(
    "choke_flux",
    B_pk,
    L * I_pk / (N * A_e),
    title="Peak flux density in a choke",
    holds="peak current includes half the ripple",
    source=FARADAY,
)
gap_length = _relation(
    "gap_length",
    l_gap,
    mu0 * N**2 * A_e / L - l_e / mu_e,
    title="Total air gap",
    holds="fringing not counted: grind less, measure, grind again; mu_e is the ungapped core's",
    source="Ampère's law",
)
pulse_flux = _relation(
    "pulse_flux",
    B_pk,
    V * D / (N * A_e * f_s),
    title="Flux of a pulse that is always of one sign",
    holds="reset before the next one; from the remanence, not from zero",
    source=FARADAY,
)
magnetising_field = _relation(
    "magnetising_field", H, N * I / l_e, title="Field in a core without a gap", holds="closed path", source="Ampère's law"
)
soft_permeability = _relation(
    "soft_permeability",
    mu_left,
    1 / (1 + (H / H_half) ** softness),
    title="Permeability left in a powder core",
    holds="pressed metal powder under a steady field; no edge of saturation",
    source="usual fit of powder-core data",
)
soft_inductance = _relation(
    "soft_inductance",
    L,
    mu_left * A_L * N**2,
    title="Inductance of a powder choke under current",
    holds="at the permeability that its current leaves",
    source="definition of A_L",
)
temperature_rise = _relation(
    "temperature_rise",
    dT,
    K_unit * (P_loss / (A_s * q_unit)) ** sp.Rational(833, 1000),
    title="Temperature rise of a wound core",
    holds="free air, losses in mW over surface in cm² to the power 0.833",
    source="empirical law of the magnetics texts",
)
square_linkage = _relation(
    "square_linkage",
    linkage,
    V * fraction / (4 * f_line),
    title="Flux linkage of a square or three-level wave, peak",
    holds="pulses of alternating sign about zero",
    source=FARADAY,
)
sine_linkage = _relation(
    "sine_linkage",
    linkage,
    sp.sqrt(2) * V_rms / (2 * sp.pi * f_line),
    title="Flux linkage of a sine, peak",
    holds="no DC",
    source=FARADAY,
)
ripple_core_weight = _relation(
    "ripple_core_weight",
    w_core,
    (4 * D_tot * (1 - D_tot)) ** beta * (D_tot ** (1 - alpha) + (1 - D_tot) ** (1 - alpha)) / 2**alpha,
    title="Core loss of a ripple at a duty over that at half",
    holds="the ripple's height goes with D·(1 − D): a filter inductor over the line cycle; average it over the cycle",
    source="improved generalised Steinmetz equation, triangular flux",
)
igse_triangle = _relation(
    "igse_triangle",
    p_v,
    (D_tot ** (1 - alpha) + (1 - D_tot) ** (1 - alpha))
    * k_core
    * (f / f_unit) ** alpha
    * (2 * B_pk / B_unit) ** beta
    / (
        (2 * sp.pi) ** (alpha - 1)
        * 2 ** (beta - alpha)
        * 2
        * sp.sqrt(sp.pi)
        * sp.gamma((alpha + 1) / 2)
        / sp.gamma(alpha / 2 + 1)
    ),
    title="Core loss per volume, triangular flux",
    holds="flux rises during D_tot and falls during the rest; B_pk is half the swing",
    source="improved generalised Steinmetz equation, integrated for straight ramps",
)
