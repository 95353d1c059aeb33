"""Set-points, sensing and trips."""

from rhombos.core.book.relation import BOOK, Subject
from rhombos.core.book.symbols import *

_relation = Subject("sense", BOOK).relation

CIRCUIT = "Ohm's and Kirchhoff's laws"

divider = _relation(
    "divider", V_set, V_ref * (1 + R_1 / R_2), title="Set-point of a divider",
    holds="no current into the tap; give it with all tolerance corners", source=CIRCUIT)
zener_string = _relation(
    "zener_string", V_set, V_Z + V_LED + I_LED * R, title="Set-point of an opto-coupled zener string",
    holds="parts of ±5 %: trim range is narrow", source=CIRCUIT)
shunt_power = _relation(
    "shunt_power", P_loss, I_rms**2 * R, title="Loss of a current shunt", holds="true RMS current", source="Joule's law")
burden = _relation(
    "burden", R, V * n_ct / I_trip, title="Burden of a current transformer",
    holds="V is the trip level at the comparator; magnetising current not counted", source="ideal transformer")
reset_voltage = _relation(
    "reset_voltage", V_r, V * D / (1 - D), title="Voltage that resets a current transformer in time",
    holds="D is the pulse's share of the period; V stands across the winding while it lasts",
    source="volt-seconds of the winding sum to zero")
trip_overshoot = _relation(
    "trip_overshoot", I_off, I_trip + V_dc / L * t_delay, title="Current when a short is really off",
    holds="constant voltage over L during the delay; must come before the device's withstand time",
    source="volt-seconds")
