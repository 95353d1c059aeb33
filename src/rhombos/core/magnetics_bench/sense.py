"""The bench of the current transformer: a lead through a ring."""

from __future__ import annotations

import numpy as np

from rhombos.core.blocks import controller as block
from rhombos.core.blocks import link_loop
from rhombos.core.book import sense as sense_book
from rhombos.core.frame.labels import labelled
from rhombos.core.frame.solve import Worked
from rhombos.core.magnetics.sense import DIODE, MOST_DROOP, MOST_FLUX, SenseTransformer, rank_sense_cores, sense_from
from rhombos.core.magnetics.winding import COPPER_DENSITY
from rhombos.core.magnetics_bench.common import against, stack_name, with_present
from rhombos.core.magnetics_bench.model import CoilBench, Option, OptionTable, Patch, WindingRow, WindingSheet
from rhombos.core.magnetics_bench.sheet import cut_length, hipot_voltage
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, curve, roomy
from rhombos.core.plots.window import layers_of
from rhombos.core.routes.auxiliary.controller import link_need
from rhombos.core.routes.narrowed import linked
from rhombos.core.units.quantities import fmt, short

KEY = block.KEY
SHOWN = 8
TURNS = (30, 50, 75, 100, 150, 200, 300)
"""Numbers of turns worth winding on a ring by hand."""


def sense_bench(worked: Worked) -> CoilBench:
    """Turns with their burdens, rings, the flux as the duty grows, and the sheet."""
    build = worked.builds[KEY]
    need = _need(worked)
    made = block.sense_of(need, build, worked.shelf, worked.rules)
    return CoilBench(
        block=KEY,
        title=f"Current transformer on {stack_name(made.stack)}",
        tables=(_turns(worked, build, need), _cores(worked, build, need, made)),
        schools=(),
        charts=(_window(made), _flux(need, made)),
        sheet=_sheet(worked, build, need, made),
    )


def _need(worked: Worked) -> link_loop.ControllerNeed:
    return link_need(worked.route, linked(worked.settled), worked.builds, worked.shelf, worked.rules)


def _judged(
    worked: Worked,
    need: link_loop.ControllerNeed,
    made: SenseTransformer,
    name: str,
    here: bool,
    patch: Patch,
    **more: str,
) -> Option:
    duty, turns = min(0.5, need.duty), made.winding.turns
    flux = made.flux(link_loop.TRIP_LEVEL + DIODE, duty, need.frequency)
    droop = made.droop(link_loop.TRIP_LEVEL + DIODE, duty, need.frequency, need.pulse / turns)
    why = against((flux, MOST_FLUX, "T"), (droop, MOST_DROOP, "%"), (made.fill, 1.0, "%"))
    return Option(
        name=name,
        here=here,
        fits=not why,
        why=why,
        patch=patch,
        texts={
            "flux": fmt(flux, "T"),
            "droop": fmt(droop, "%", 2),
            "fill": fmt(made.fill, "%", 2),
            "inductance": fmt(made.inductance, "H"),
            **more,
        },
    )


def _turns(worked: Worked, build: block.ControllerBuild, need: link_loop.ControllerNeed) -> OptionTable:
    options = []
    for n in sorted({*TURNS, build.sense_turns}):
        made = sense_from(
            worked.shelf, build.sense_core, build.sense_grade, n, need.pulse_rms / n, worked.rules.current_density
        )
        burden = build.sense_resistor * n / build.sense_turns
        options.append(
            _judged(
                worked,
                need,
                made,
                str(n),
                n == build.sense_turns,
                {f"{KEY}.sense_core": build.sense_core, f"{KEY}.sense_turns": n, f"{KEY}.sense_resistor": None},
                burden=fmt(burden, "ohm"),
                loss=fmt((need.pulse_rms / n) ** 2 * burden, "W"),
            )
        )
    return OptionTable(
        key="turns",
        title="Turns, the burden in proportion",
        columns=labelled(
            ("burden", "burden"),
            ("loss", "lost in it"),
            ("flux", "flux at trip"),
            ("droop", "magnetising"),
            ("inductance", "inductance"),
            ("fill", "window"),
        ),
        remark="More turns lose less and magnetise less, but couple more capacitance and take longer to wind.",
        options=tuple(options),
    )


def _cores(worked: Worked, build: block.ControllerBuild, need: link_loop.ControllerNeed, made: SenseTransformer) -> OptionTable:
    def judged(other: SenseTransformer) -> Option:
        core = other.stack.core.id
        return _judged(
            worked,
            need,
            other,
            core,
            core == build.sense_core,
            {f"{KEY}.sense_core": core},
            mass=fmt(other.stack.mass, "kg", 2),
            price=fmt(other.stack.price, "1", 2),
        )

    ranked = rank_sense_cores(
        worked.shelf,
        build.sense_grade,
        build.sense_turns,
        link_loop.TRIP_LEVEL + DIODE,
        min(0.5, need.duty),
        need.frequency,
        need.pulse / build.sense_turns,
        need.pulse_rms / build.sense_turns,
        worked.rules.current_density,
    )
    return OptionTable(
        key="cores",
        title="Rings on the shelf",
        columns=labelled(
            ("flux", "flux at trip"),
            ("droop", "magnetising"),
            ("inductance", "inductance"),
            ("fill", "window"),
            ("mass", "core"),
            ("price", "cost"),
        ),
        remark="The smallest that neither saturates nor takes much of the signal; the lead must pass through the hole that is "
        "left.",
        options=with_present([judged(t) for t in ranked], lambda: judged(made), SHOWN),
    )


def _window(made: SenseTransformer) -> Chart:
    return Chart(
        key="window",
        title="Winding window, to scale",
        boxes=layers_of(made.winding, made.winding.turns, made.stack.b_w, made.stack.height),
        remark=f"{made.stack.core.id}, its inner circumference unrolled: {made.winding.turns} turns of "
        f"{made.winding.wire.label}; the rest of the hole is for the lead.",
    )


def _flux(need: link_loop.ControllerNeed, made: SenseTransformer) -> Chart:
    """Flux at the end of a pulse against its duty, and the voltage that resets it in time."""
    duty = np.linspace(0.02, 0.49, 40)
    volts = link_loop.TRIP_LEVEL + DIODE
    flux = np.array([made.flux(volts, float(d), need.frequency) for d in duty])
    x, b = Scale("1", 1.0), Scale("T", made.grade.b_sat)
    here = min(0.49, need.duty)
    reset = sense_book.reset_voltage.work({"V": volts, "D": here})
    return Chart(
        key="flux",
        title="Flux at the trip level against duty",
        x=x.axis("duty of one switch", low=0, high=0.5),
        y=b.axis("", low=0, high=roomy(made.grade.b_sat)),
        series=(curve("flux", duty, flux, x, b),),
        marks=(
            Mark(at=b(made.grade.b_sat), label=f"saturates {fmt(made.grade.b_sat, 'T')}", role="rating"),
            Mark(at=b(MOST_FLUX), label=f"house limit {fmt(MOST_FLUX, 'T')}", role="house"),
        ),
        dots=(Dot(x=x(here), y=b(made.flux(volts, here, need.frequency)), label=""),),
        remark=f"The dot is the lowest input. The core must come back before the next pulse: {fmt(reset, 'V')} of reset do "
        "it; a zener or a resistor of ten times the burden behind the diode gives them.",
    )


def _sheet(
    worked: Worked, build: block.ControllerBuild, need: link_loop.ControllerNeed, made: SenseTransformer
) -> WindingSheet:
    w = made.winding
    length = cut_length(w, made.stack.mlt)
    mass = w.turns * w.copper * made.stack.mlt * COPPER_DENSITY
    rows = (
        WindingRow(
            what="secondary",
            turns=str(w.turns),
            wire=w.wire.label,
            in_hand="1",
            layers=str(w.layers),
            length=f"1 × {fmt(length, 'm')}",
            mass=fmt(mass, "kg", 2),
            starts="S1 start, S2 finish",
            note="spread evenly round the ring",
        ),
        WindingRow(
            what="primary",
            turns="1",
            wire="the power lead itself",
            in_hand="1",
            layers="",
            length="",
            mass="",
            starts="P1 in, P2 out",
            note="through the middle of the ring, once",
        ),
    )
    working = worked.brief.source.volts[2] * 2
    return WindingSheet(
        title="Current transformer",
        core=f"{made.stack.core.id}, grade {made.grade.id}, no gap",
        rows=rows,
        checks=labelled(
            ("Inductance of the winding", fmt(made.inductance, "H")),
            ("Burden", fmt(build.sense_resistor, "ohm")),
            ("Trips at", fmt(link_loop.TRIP_LEVEL * build.sense_turns / build.sense_resistor, "A")),
            (
                "Test",
                f"{fmt(10.0, 'A', 2)} through the lead give {fmt(10.0 / w.turns * build.sense_resistor, 'V')} at the burden",
            ),
            ("Window height in use", fmt(made.fill, "%", 2)),
        ),
        cautions=(
            "Never let current flow with the burden off: the winding then makes as many volts as its insulation lets it.",
            "The dot decides: a winding turned about gives no signal at all behind its diode.",
            f"Test winding against lead with {short(hipot_voltage(working), 'V')} AC for one minute if the lead is on the "
            "mains side; local codes decide.",
        ),
        window=_window(made),
        phasing=(1, 1),
    )
