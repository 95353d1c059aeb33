"""How a stage is cooled: its heat-sink, and the junctions of devices whose loss depends on how hot they are."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from rhombos.core.book import heat, stage
from rhombos.core.design.rules import Rules
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import HeatSink, Igbt, Mosfet, Shelf
from rhombos.core.units.quantities import Number

Array = NDArray[np.float64]
KELVIN = 273.15
COLDEST = -100.0
BEYOND = 150.0
"""How far beyond its limit a junction that runs away is followed, K: far enough for the finding to say stop."""
BELOW_RATING = 15.0
"""What a junction stays below its rating, K, where the rules would allow more."""
CLOSE = 1e-3
"""How closely a junction's heat made and carried off agree, K: a hundred thousandth of its resistance."""
LEAST_RISE = 1.0
"""Of a heat-sink above the air, K, that is asked for: less cannot be had."""


def propose_sink(shelf: Shelf, rules: Rules, heat: float, most: float = math.inf) -> tuple[str, bool]:
    """The cheapest heat-sink that keeps to the rules' rise, or to `most`, K, without a fan if there is one; else the largest,
    with fan.

    Returns: designation, whether it needs a fan.
    """
    wanted = max(LEAST_RISE, min(rules.sink_rise, most)) / max(heat, 1e-3)
    sinks = shelf.all(HeatSink)
    for fan in (False, True):
        able = [s for s in sinks if (s.r_fan if fan else s.r_natural) <= wanted]
        if able:
            return min(able, key=lambda s: (s.price, s.id)).id, fan
    return min(sinks, key=lambda s: (s.r_fan, s.id)).id, True


def propose_surge_sink(
    shelf: Shelf,
    rules: Rules,
    steady: float,
    surge: float,
    device: float,
    inner: float,
    air: float,
    rating: float,
    seconds: float,
) -> tuple[str, bool]:
    """The same for a stage that must also ride through a surge.

    Args: heat at full power and in the surge, W; the surge's heat in its hardest-worked device, W, and that device's resistance
    to the sink, K/W; the air, °C; the device's rating, °C; the surge's time, s.
    Returns: designation, whether it needs a fan; the largest where none will do.
    """
    limit = surge_limit(rules, rating)
    best: tuple[float, str, bool] | None = None
    for fan in (False, True):
        for s in shelf.all(HeatSink):
            r = s.r_fan if fan else s.r_natural
            tau = heat.sink_time.work({"R_sa": r, "m_sink": s.mass})
            warm = air + steady * r + (surge - steady) * r * (1 - math.exp(-seconds / tau))
            if steady * r > rules.sink_rise or warm + device * inner > limit:
                continue
            best = min(best or (math.inf, "", False), (s.price + FAN_PRICE * fan, s.id, fan))
    if best is not None:
        return best[1], best[2]
    return propose_sink(shelf, rules, max(steady, 1e9 * (surge > steady)))


FAN_PRICE = 4.0
"""What a fan costs beside its heat-sink, in the shelf's price units."""


def sink_resistance(shelf: Shelf, sink: str, fan: bool) -> float:
    """Thermal resistance of a heat-sink to the air, K/W."""
    found = shelf.get(HeatSink, sink)
    return found.r_fan if fan else found.r_natural


def steady_limit(rules: Rules, rating: Number) -> Number:
    """What a junction may reach continuously, °C: what the rules allow, or somewhat less than its rating, °C; for one device or
    a column of them."""
    if isinstance(rating, float):
        return min(rules.junction_limit, rating - BELOW_RATING)
    return np.minimum(rules.junction_limit, rating - BELOW_RATING)


def surge_limit(rules: Rules, rating: Number) -> Number:
    """What a junction may reach for seconds, °C: halfway from what the rules allow continuously to its rating, °C."""
    return (steady_limit(rules, rating) + rating) / 2


def scorched(device: Mosfet | Igbt, celsius: float, rules: Rules) -> float:
    """What a device loses by conduction at the end of a surge, as hot as it may become, over that at a temperature, °C: of a
    MOSFET its resistance grows."""
    if isinstance(device, Igbt):
        return 1.0
    asked = {"R_25": device.r_on, "exponent": device.r_exponent}
    hot, warm = (
        stage.hot_resistance.work(asked | {"T_j": t + KELVIN})
        for t in (max(celsius, surge_limit(rules, device.t_j_max)), celsius)
    )
    return hot / warm


def settle_junction(reached_at: Callable[[float], float], limit: float) -> float:
    """The junction temperature, °C, at which heat made and heat carried off agree.

    `reached_at` gives the junction that the loss at a temperature leads to. Where it runs away, the search ends `BEYOND`
    the limit.
    """
    before, celsius = 80.0, reached_at(80.0)
    for _ in range(40):
        reached = reached_at(celsius)
        if reached > limit + BEYOND:
            return limit + BEYOND
        if abs(reached - celsius) < CLOSE:
            return reached
        slope = (reached - celsius) / (celsius - before) if celsius != before else 0.0
        before = celsius
        # the secant meets the line of equal temperatures; a slope of 1 or more is a runaway, followed step by step
        step = celsius + (reached - celsius) / (1 - slope) if slope < 0.9 else reached
        celsius = min(limit + BEYOND, max(COLDEST, step))
    return celsius


def hottest_junction(
    block: str,
    losses_at: Callable[[float], tuple[float, float]],
    r_jc: float,
    limit: float,
    air: float,
    sink: float,
    rules: Rules,
    worksheet: Worksheet,
) -> float:
    """Junction, °C, of the hardest-worked of several devices on one heat-sink; the working is kept under ``block.junction``.

    Args: what gives the loss of that device and of all together, W, at a junction temperature, °C; junction to case, K/W;
    highest junction the device stands, °C; air at the sink, °C; the sink, K/W (0 where `air` is the sink's own temperature).
    """

    def carried(celsius: float) -> dict[str, float]:
        device, total = losses_at(celsius)
        return {
            "T_a": air + KELVIN,
            "P_loss": device,
            "R_jc": r_jc,
            "R_cs": rules.pad_resistance,
            "P_total": total,
            "R_sa": sink,
        }

    junction = settle_junction(lambda celsius: heat.shared_sink_junction.work(carried(celsius)) - KELVIN, limit)
    worked = worksheet.work(f"{block}.junction", heat.shared_sink_junction, **carried(junction)) - KELVIN
    return min(worked, limit + BEYOND)  # one that runs away is not followed further
