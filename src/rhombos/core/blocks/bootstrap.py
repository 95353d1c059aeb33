"""The bootstrap of an upper switch's driver: its diode and capacitor, the charge it gives, and how low it falls."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from rhombos.core.book import gate as book
from rhombos.core.design.pins import Fields
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Diode, Driver, Shelf, Transistor
from rhombos.core.units.preferred import E6, at_least

if TYPE_CHECKING:
    from rhombos.core.blocks.gate_drive import DriveNeed, GateDriveBuild

LEAKAGE = 10e-6
"""Leakage at a floating supply, A: its capacitor, its diode, the board when it is damp."""
LOW_DROP = 0.3
"""Drop of the conducting low side that the refresh sees, V."""
BOOT_IN_HAND = 2.0
"""Capacitor proposed over what the rule asks."""
REFRESHES = 4.0
"""Time constants that a refresh by the rule of thumb should last."""
SETTLED = 1e-9
"""Difference of voltage, V, below which a period repeats the one before."""
PERIODS = 3
"""Line periods after which the bootstrap's droop repeats itself."""
DIODE_MARGIN = 0.2
SLOWEST_DIODE = 100e-9


def high_times(need: DriveNeed) -> tuple[float, float]:
    """Longest on-time of an upper switch and shortest of the lower, s, in one cycle of switching."""
    if need.duty is not None:
        return need.duty / need.rate, max(0.0, (1 - need.duty) / need.rate - 2 * need.dead_time)
    if need.modulation is None:
        high = need.fraction / (2 * need.line)
        return high, 1 / need.line - high - 2 * need.dead_time
    share = (1 + min(1.0, need.modulation)) / 2
    return share / need.rate, max(0.0, (1 - share) / need.rate - 2 * need.dead_time)


def boot_diode_for(need: DriveNeed, supply: float, shelf: Shelf) -> str:
    """The cheapest fast diode that blocks the bus with a supply, V, beside it."""
    blocks = max(need.bus * (1 + DIODE_MARGIN), need.bus + supply)
    diodes = [d for d in shelf.all(Diode) if d.v_rating >= blocks and d.t_rr <= SLOWEST_DIODE]
    pool = diodes or list(shelf.all(Diode))
    return min(pool, key=lambda d: (d.price, d.id)).id


def _drawn(
    need: DriveNeed, diode: Diode, driver: Driver, device: Transistor, supply: float, pull_down: float
) -> dict[str, float]:
    """What draws on the capacitor while the upper switch is on, as the relation asks for it."""
    return {
        "n_par": need.parallel,
        "Q_g": device.q_g,
        "Q_rr": _small_charge(diode),
        "Q_ls": driver.q_level,
        "I_q": driver.i_q,
        "I_leak": LEAKAGE,
        "V_drive": supply,
        "R_pd": pull_down or 1e8,
        "t_on": high_times(need)[0],
    }


def boot_capacitor_for(
    need: DriveNeed, fields: Fields, driver: Driver, device: Transistor, least: float, shelf: Shelf
) -> float:
    """A capacitor, F, that gives the charge of a cycle and stays above the minimum gate voltage, V."""
    diode = shelf.get(Diode, fields["boot_diode"])
    charge = book.bootstrap_charge.work(_drawn(need, diode, driver, device, fields["supply"], fields["pull_down"]))
    droop = max(0.3, fields["supply"] - diode.v_0 - LOW_DROP - least)
    least = max(charge / droop, 10 * need.parallel * device.q_g / fields["supply"])
    return at_least(min(1e-2, max(1e-8, BOOT_IN_HAND * least)), E6)


def _small_charge(diode: Diode) -> float:
    """Charge that a bootstrap diode recovers: it carries little, so a small part of its rated charge."""
    return 0.1 * diode.q_rr


NO_BOOTSTRAP = dict.fromkeys(
    ("boot_charge", "boot_budget", "boot_needed", "boot_low", "refresh", "inrush", "first_charge", "diode_stress"), 0.0
)


def assess_bootstrap(
    need: DriveNeed,
    build: GateDriveBuild,
    driver: Driver,
    device: Transistor,
    least: float,
    shelf: Shelf,
    worksheet: Worksheet,
) -> dict[str, float]:
    """Charge, budget and capacitor by the rule; the lowest voltage by going through the cycles of a line period."""
    work, diode = worksheet.work, shelf.get(Diode, build.boot_diode)
    charge = work(
        f"{need.key}.boot_charge", book.bootstrap_charge, **_drawn(need, diode, driver, device, build.supply, build.pull_down)
    )
    budget = build.supply - diode.v_0 - LOW_DROP - least
    needed = math.inf
    if budget > 0:
        budget = work(
            f"{need.key}.boot_budget", book.bootstrap_budget, V_dd=build.supply, V_F=diode.v_0, V_LS=LOW_DROP, V_GS_min=least
        )
        needed = work(f"{need.key}.boot_needed", book.bootstrap_capacitor, Q_b=charge, dV=budget)
    refresh = work(
        f"{need.key}.refresh", book.bootstrap_refresh, k_tau=REFRESHES, R=build.boot_resistor, C=build.boot_capacitor
    )
    _, volts = bootstrap_droop(need, build, shelf)
    return {
        "boot_charge": charge,
        "boot_budget": budget,
        "boot_needed": min(needed, 1.0),
        "boot_low": float(volts.min()),
        "refresh": refresh,
        "first_charge": worksheet.total(
            f"{need.key}.first_charge", {"five time constants": 5 * build.boot_resistor * build.boot_capacitor}
        ),
        "inrush": work(f"{need.key}.inrush", book.bootstrap_inrush, V_dd=build.supply, V_F=diode.v_0, R=build.boot_resistor),
        "diode_stress": need.bus + build.supply,
    }


def bootstrap_droop(need: DriveNeed, build: GateDriveBuild, shelf: Shelf) -> tuple[np.ndarray, np.ndarray]:
    """Times, s, and voltage of a bootstrap capacitor at the end of each on-time of the upper switch, V, over one line period.

    Cycle by cycle: while the upper switch is on, its driver, leakage and pull-down draw on the capacitor; while the lower is
    on, it charges through resistor and diode. The periods before settle it.
    """
    driver, diode = shelf.get(Driver, build.driver), shelf.get(Diode, build.boot_diode)
    device = shelf.transistor(need.device)
    top = build.supply - diode.v_0 - LOW_DROP
    fixed = need.parallel * device.q_g + _small_charge(diode) + driver.q_level
    drain = driver.i_q + LEAKAGE + need.parallel * build.supply / (build.pull_down or 1e8)
    tau = build.boot_resistor * build.boot_capacitor
    if need.duty is not None:
        cycles, period, high = 1, 1 / need.rate, np.array([need.duty])
    elif need.modulation is None:
        cycles, period = 1, 1 / need.line
        high = np.array([need.fraction / 2])
    else:
        cycles, period = max(1, round(need.rate / need.line)), 1 / need.rate
        high = (1 + min(1.0, need.modulation) * np.sin(2 * np.pi * (np.arange(cycles) + 0.5) / cycles)) / 2
    on = high * period
    charging = np.exp(-np.maximum(period - on - 2 * need.dead_time, 0.0) / tau)
    taken = (fixed + drain * on) / build.boot_capacitor
    return np.arange(cycles) * period + on, np.array(_ends(top, tuple(charging.tolist()), tuple(taken.tolist())))


@lru_cache(maxsize=32)
def _ends(top: float, charging: tuple[float, ...], taken: tuple[float, ...]) -> list[float]:
    """Voltage, V, after each cycle of a line period that has settled: what is charged to comes nearer to the top by a share,
    what is taken lowers it. Points alike but for the source ask the same."""
    volts, seen = top, [math.inf] * len(taken)
    for _ in range(PERIODS):
        for n, (kept, lost) in enumerate(zip(charging, taken, strict=True)):
            volts = max(0.0, top - (top - volts) * kept - lost)
            if abs(volts - seen[n]) < SETTLED:  # from here on it does what it did in the period before
                volts = seen[-1]
                break
            seen[n] = volts
    return seen
