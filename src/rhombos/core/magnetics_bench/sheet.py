"""Winding sheets: order, turns, wire, layers, length to cut, mass, tape, starts and finishes, test voltage."""

from __future__ import annotations

import math

from rhombos.core.frame.labels import labelled
from rhombos.core.magnetics.choke import Choke
from rhombos.core.magnetics.pair import Lay, WoundPair
from rhombos.core.magnetics.winding import COPPER_DENSITY, INSULATION, Winding
from rhombos.core.magnetics_bench.model import WindingRow, WindingSheet
from rhombos.core.plots.model import Chart
from rhombos.core.units.quantities import fmt, short

LEADS = 0.15
"""Length of each lead left free, m."""
SPARE = 1.10
"""Wire cut for each length needed: outer layers are longer than the mean turn, and the hand is not exact."""
BASE_TEST = 1000.0
"""Fixed part of the usual test voltage of basic insulation, V; twice the working voltage is added (IEC practice)."""


def cut_length(winding: Winding, mean_turn: float) -> float:
    """Length of one wire to cut, m."""
    return (winding.turns * mean_turn + 2 * LEADS) * SPARE


def hipot_voltage(working: float) -> float:
    """Voltage for the one-minute test between primary and secondary, RMS, V, rounded up to 100 V."""
    return 100.0 * math.ceil((BASE_TEST + 2 * working) / 100.0)


def pair_sheet(
    made: WoundPair,
    mean_turn: float,
    breadth: float,
    core: str,
    title: str,
    working: float,
    window: Chart,
    checks: tuple[tuple[str, str], ...],
) -> WindingSheet:
    """The sheet of a transformer. `working` is the highest voltage between its windings, V."""
    rows: list[WindingRow] = []
    seen = {"primary": 0, "secondary": 0}
    order = made.order
    for n, lay in enumerate(order):
        seen[lay.part] += 1
        rows.append(_lay_row(lay, seen[lay.part], sum(x.part == lay.part for x in order), mean_turn, breadth))
        last = n == len(order) - 1
        rows.append(_tape_row("over all" if last else f"over the {lay.part}", breadth))
    cautions = (
        "Break the core's edges and tape it before the first turn; pull evenly, do not stretch.",
        "A wrong start is a short at first power: check the phase of every winding with a battery and a meter, or a generator.",
        f"Test between primary and secondary, and to the core, with {short(hipot_voltage(working), 'V')} AC for one minute "
        "behind a current limit, in a guarded place; local codes decide the insulation and its test.",
    )
    return WindingSheet(
        title=title,
        core=core,
        rows=tuple(rows),
        checks=labelled(*checks),
        cautions=cautions,
        window=window,
        phasing=(made.halves, made.secondary_halves),
    )


def _lay_row(lay: Lay, nth: int, of: int, mean_turn: float, breadth: float) -> WindingRow:
    w = lay.winding
    per_layer = max(1, int(breadth / w.wire.outer))
    length = cut_length(w, mean_turn)
    wires = lay.in_hand * lay.together
    mass = w.turns * w.wire.copper * mean_turn * COPPER_DENSITY * wires
    name = lay.part if of == 1 else f"{lay.part}, part {nth} of {of}"
    note = ""
    if lay.together == 2:
        name += ", both halves together"
        note = "bifilar: twist or lay the wires of both halves side by side"
    if of > 1 and nth == of:
        note = "joined to part 1 at both ends" + (f"; {note}" if note else "")
    return WindingRow(
        what=name,
        turns=str(w.turns),
        wire=w.wire.label,
        in_hand=f"{lay.in_hand}" + (f" + {lay.in_hand}" if lay.together == 2 else ""),
        layers=str(math.ceil(lay.wires / per_layer)),
        length=f"{wires} × {fmt(length, 'm')}",
        mass=fmt(mass, "kg", 2),
        starts=_starts(lay.part, lay.together),
        note=note,
    )


def _starts(part: str, halves: int) -> str:
    pin = part[0].upper()
    if halves == 2:
        return f"A: {pin}1 start, {pin}2 finish; B: {pin}2 start, {pin}3 finish"
    return f"{pin}1 start, {pin}2 finish"


def _tape_row(where: str, breadth: float) -> WindingRow:
    return WindingRow(
        what=f"tape {where}",
        turns="",
        wire="polyester tape",
        in_hand="",
        layers="2 to 3",
        length=f"{breadth * 1e3:.0f} mm wide",
        mass="",
        starts="",
        note=f"{fmt(INSULATION, 'mm', 2)} in all, past the last turn on both sides",
    )


def choke_sheet(made: Choke, core: str, title: str, window: Chart, checks: tuple[tuple[str, str], ...]) -> WindingSheet:
    """The sheet of an inductor."""
    winding, mean_turn, breadth = made.winding, made.stack.mlt, made.stack.b_w
    per_layer = max(1, int(breadth / winding.wire.outer))
    length, count = cut_length(winding, mean_turn), winding.in_hand
    mass = winding.turns * winding.copper * mean_turn * COPPER_DENSITY
    rows = [
        WindingRow(
            what="winding",
            turns=str(winding.turns),
            wire=winding.wire.label,
            in_hand=str(count),
            layers=str(math.ceil(winding.turns * count / per_layer)),
            length=f"{count} × {fmt(length, 'm')}",
            mass=fmt(mass, "kg", 2),
            starts="L1 start, L2 finish",
            note="",
        ),
        _tape_row("over all", breadth),
    ]
    if made.soft:
        cautions: tuple[str, ...] = (
            f"Measure the inductance without current: {fmt(made.inductance_at(0.0), 'H', 3)} within the powder's tenth; add or "
            "take off a turn until it is there.",
            "Leave a gap between the winding's two ends on the ring: the whole voltage stands between them.",
        )
    else:
        rows.append(
            WindingRow(
                what="gap",
                turns="",
                wire="hard paper or fibre",
                in_hand="",
                layers="",
                length=fmt(made.gap, "mm", 2) + " in all",
                mass="",
                starts="",
                note="half of it under each outer leg if the centre leg is not ground",
            )
        )
        cautions = (
            f"Measure the inductance before you glue: {fmt(made.inductance, 'H', 3)} wanted; open or close the gap until it is "
            "there.",
            "Keep the wire a gap's width away from the gap: the field that spreads there heats it.",
        )
    return WindingSheet(
        title=title, core=core, rows=tuple(rows), checks=labelled(*checks), cautions=cautions, window=window, phasing=None
    )
