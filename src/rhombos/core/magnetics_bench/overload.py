"""Overload against minutes: how long a warm transformer bears more than its rated load."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from rhombos.core.book import heat
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, curve, roomy
from rhombos.core.units.quantities import fmt

FERRITE_HEAT, IRON_HEAT, COPPER_HEAT = 750.0, 460.0, 385.0
"""Specific heat, J/(kg·K)."""
TOP_SHARE = 4.0
Real = NDArray[np.float64]


def minutes_to_limit(share: Real, copper: float, core: float, rise: float, allowed: float, capacity: float) -> Real:
    """Time, s, until a part warm from rated load reaches its limit under a share of that load; infinite where it never does.

    Args: copper and core loss at rated load, W; temperature rise there, K; rise allowed, K; heat capacity, J/K. One lump: the
    heat resistance is that of rated load. Copper loss goes with the square of the load; core loss stays.
    """
    resistance = rise / (copper + core)
    final = resistance * (copper * share**2 + core)
    tau = resistance * capacity
    with np.errstate(divide="ignore", invalid="ignore"):
        time = heat.overload_time(tau=tau, dT_end=final, dT_now=rise, dT=allowed)
    return np.asarray(np.where(final > allowed, time, np.inf))


def overload(copper: float, core: float, rise: float, allowed: float, capacity: float, power: float) -> Chart:
    """Power a warm transformer bears, against the minutes it bears it; `power` is the rated one, W."""
    share = np.linspace(1.0, TOP_SHARE, 240)
    time = minutes_to_limit(share, copper, core, rise, allowed, capacity)
    finite = np.isfinite(time) & (time > 1.0)
    t, p = Scale("s", 60.0), Scale("W", TOP_SHARE * power)
    seconds, watts = time[finite][::-1], (share[finite] * power)[::-1]
    lasting = float(np.sqrt(max(0.0, (allowed / rise * (copper + core) - core) / copper))) * power if copper > 0 else power
    double = float(minutes_to_limit(np.array([2.0]), copper, core, rise, allowed, capacity)[0])
    said = f"for {fmt(double, 's', 2)}" if np.isfinite(double) else "continuously"
    return Chart(
        key="overload",
        title="Overload against time",
        x=t.axis("time, from warm", log=True),
        y=p.axis("", low=0, high=roomy(TOP_SHARE * power)),
        series=(curve("bears", seconds, watts, t, p),),
        marks=(Mark(at=p(lasting), label=f"continuous {fmt(lasting, 'W')}", role="house"),),
        dots=(Dot(x=t(double), y=p(2 * power), label="twice"),) if np.isfinite(double) and double > 1 else (),
        remark=f"Warm from full power it bears twice that {said}; {fmt(capacity, 'J')} a kelvin of core and copper take the "
        "heat. The switches give way sooner: seconds, not minutes.",
    )
