"""Another battery for a finished design: everything that its new top and bottom voltages touch."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict

from rhombos.core.design.brief import Brief
from rhombos.core.design.findings import ORDER, Finding, PinValue, Severity, worst_first
from rhombos.core.design.sources import BatterySource
from rhombos.core.frame.report import Figure, Solution
from rhombos.core.frame.solve import Worked, explain, work_out
from rhombos.core.units.quantities import short


@dataclass(frozen=True)
class _Touched:
    """One thing that a battery touches: the figures that show it, and the findings that judge it."""

    key: str
    title: str
    shows: tuple[str, ...]
    judges: tuple[str, ...]
    why: str


TOUCHED = (
    _Touched(
        "cut_off",
        "Cut-off divider",
        (
            "protection.cut_off",
            "protection.top",
            "protection.bottom",
            "protection.trimmer",
            "protection.hold",
            "protection.warning",
        ),
        ("protection.cut_off_low", "protection.cut_off_high", "protection.reach", "protection.warning", "protection.chatters"),
        "the cells are empty at another voltage",
    ),
    _Touched(
        "over_voltage",
        "Over-voltage limit",
        ("protection.over_voltage",),
        ("protection.over_low", "protection.over_high"),
        "the charger goes to another voltage",
    ),
    _Touched(
        "input_capacitors",
        "Input capacitors",
        ("input_stage.capacitor", "input_stage.count"),
        ("input_stage.capacitor_voltage", "input_stage.ripple"),
        "they stand at the charger's voltage",
    ),
    _Touched(
        "fan", "Fan", ("heat.fan_supply", "heat.fan_rated"), ("heat.fan_voltage",), "one that runs on the battery sees its top"
    ),
    _Touched(
        "switches",
        "Switches",
        ("front_end.switch", "oscillator.switch", "h_bridge.switch"),
        (
            "front_end.voltage",
            "front_end.current",
            "front_end.junction",
            "front_end.surge_junction",
            "oscillator.voltage",
            "oscillator.current",
            "oscillator.junction",
            "h_bridge.voltage",
            "h_bridge.current",
            "h_bridge.junction",
            "front_end.clamp_heat",
        ),
        "twice the top and the spike stand on a push-pull; the bottom asks the most current",
    ),
    _Touched(
        "gate_supply",
        "Gate supply",
        ("front_drive.supply", "bridge_drive.supply", "protection.supply", "protection.supply_stands"),
        (
            "front_drive.over_voltage",
            "front_drive.under_voltage",
            "bridge_drive.over_voltage",
            "bridge_drive.under_voltage",
            "protection.supply_high",
            "protection.supply_low",
        ),
        "it is made from the battery: the top must not break it, the bottom must still feed it",
    ),
    _Touched(
        "turns",
        "Turns",
        (
            "transformer.primary_turns",
            "transformer.secondary_turns",
            "iron_transformer.primary_turns",
            "iron_transformer.secondary_turns",
        ),
        (
            "transformer.saturation",
            "transformer.hot",
            "front_end.duty",
            "front_end.surge_sags",
            "iron_transformer.saturation",
            "iron_transformer.hot",
            "h_bridge.overmodulated",
            "h_bridge.output",
            "protection.window_narrow",
        ),
        "the bottom must still reach the output, the top must not saturate the core",
    ),
)
"""What every change of battery touches, in the order in which it is looked at."""


class Compared(BaseModel):
    """A value as built and as it would be for the new battery."""

    model_config = ConfigDict(frozen=True)

    title: str
    old: str
    new: str


class Item(BaseModel):
    """One thing touched: as built and for the new battery, and what happens to it if it is kept; what the old battery brought
    too is said to be as before."""

    model_config = ConfigDict(frozen=True)

    key: str
    title: str
    why: str
    values: tuple[Compared, ...]
    holds: bool
    severity: Severity | None
    verdict: str
    change: str


class BatteryChange(BaseModel):
    """Old and new battery band, each thing touched, what else is found, and the pins that keep everything as built."""

    model_config = ConfigDict(frozen=True)

    old: str
    new: str
    items: tuple[Item, ...]
    others: tuple[Finding, ...]
    kept: dict[str, PinValue]


def change_battery(worked: Worked, pins: Mapping[str, PinValue], source: BatterySource) -> BatteryChange:
    """What a new battery does to a design that is finished: kept as it is built, and sized again. Raises: as `work_out`.

    `pins` are the designer's own: what is sized again keeps them.
    """
    brief = worked.brief.model_copy(update={"sources": (source,)})
    kept = as_built(worked)
    before = explain(worked, pins)
    held = explain(work_out(brief, kept, worked.shelf, worked.rules, worked.route.key), kept)
    again = explain(work_out(brief, pins, worked.shelf, worked.rules, worked.route.key), pins)
    already = {f.code for f in before.findings}
    judged = {code for t in TOUCHED for code in t.judges}
    others = [f for f in held.findings if f.code not in judged and f.code not in already and f.severity != "note"]
    return BatteryChange(
        old=_band(worked.brief),
        new=_band(brief),
        items=tuple(_item(t, before, held, again) for t in TOUCHED),
        others=tuple(worst_first(others)),
        kept=kept,
    )


def as_built(worked: Worked) -> dict[str, PinValue]:
    """Pins that keep every value of a sizing as it stands."""
    return {f"{key}.{name}": value for key, build in worked.builds.items() for name, value in build.pinnable().items()}


def _band(brief: Brief) -> str:
    empty, nominal, full = brief.source.volts
    return f"{brief.source.described}: {short(empty, 'V')} empty, {short(nominal, 'V')}, {short(full, 'V')} charging"


def _item(touched: _Touched, before: Solution, held: Solution, again: Solution) -> Item:
    old, new = _figures(before), _figures(again)
    shown = [a for a in touched.shows if a in old]
    blocks = {b.key: b.title for b in before.blocks}
    several = len({old[a].title for a in shown}) < len(shown)
    values = tuple(
        Compared(
            title=(f"{blocks[a.partition('.')[0]]}: {old[a].title.lower()}" if several else old[a].title),
            old=old[a].text,
            new=new[a].text if a in new else "none",
        )
        for a in shown
    )
    found = worst_first([f for f in held.findings if f.code in touched.judges])
    was = {f.code: ORDER[f.severity] for f in before.findings}
    serious = [f for f in found if f.severity != "note"]
    moved = [v for v in values if v.old != v.new]
    if serious:
        older = {f.code for f in serious if was.get(f.code, len(ORDER)) <= ORDER[f.severity]}
        verdict = " ".join("As before: " * (f.code in older) + f"{f.title}: {f.cause}" for f in serious[:2])
        change = _told(moved) or serious[0].remedy
    elif moved:
        verdict = "Holds as it is built."
        change = f"Nothing must change. Sized again: {_told(moved)}"
    else:
        verdict, change = "Holds as it is built.", "Nothing."
    return Item(
        key=touched.key,
        title=touched.title,
        why=touched.why,
        values=values,
        holds=not serious,
        severity=serious[0].severity if serious else None,
        verdict=verdict,
        change=change,
    )


def _told(moved: list[Compared]) -> str:
    """What to change, in a sentence."""
    told = "; ".join(f"{v.title.lstrip('… ')} {v.old} → {v.new}" for v in moved)
    return told[:1].upper() + told[1:] + "." if told else ""


def _figures(solution: Solution) -> dict[str, Figure]:
    return {f.pin: f for b in solution.blocks for f in b.figures if f.pin}
