"""The bench of the inductors, gapped or of powder: link choke and filter inductor."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from rhombos.core.blocks.auxiliary_output import KEY as AUXILIARY_OUTPUT
from rhombos.core.blocks.auxiliary_output import AuxiliaryOutputBuild
from rhombos.core.blocks.front_end import KEY as FRONT_END
from rhombos.core.blocks.front_end import FrontEndBuild
from rhombos.core.blocks.h_bridge import HBridgeBuild
from rhombos.core.blocks.output_filter import KEY as OUTPUT_FILTER
from rhombos.core.blocks.output_filter import OutputFilterBuild
from rhombos.core.blocks.rectifier import KEY as RECTIFIER
from rhombos.core.blocks.rectifier import RectifierBuild
from rhombos.core.blocks.wound import choke_of
from rhombos.core.book import magnetics as book
from rhombos.core.frame.labels import labelled
from rhombos.core.frame.solve import Worked
from rhombos.core.magnetics.choke import LEAST_LEFT, Choke, ChokeNeed, choke_loss, rank_chokes, rank_soft_chokes
from rhombos.core.magnetics.stack import rise, stack_table
from rhombos.core.magnetics_bench.common import against, first_fit, fits_first, stack_name, wire_table, with_present
from rhombos.core.magnetics_bench.model import CoilBench, Option, OptionTable, Patch, School
from rhombos.core.magnetics_bench.sheet import choke_sheet
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, Series, roomy
from rhombos.core.plots.window import layers_of
from rhombos.core.units.quantities import fmt, short

SHOWN = 12


@dataclass(frozen=True, slots=True)
class Asked:
    """What one inductor of a design has to do: its need at full power, the peak current of the surge, A, or `when` else that is
    highest, the weight of its core loss over the line cycle, and what people call it."""

    block: str
    what: str
    build: Any
    need: ChokeNeed
    surge: float
    weight: float
    duty: float
    when: str = "the surge"


def link_choke(worked: Worked) -> CoilBench:
    """The choke behind the rectifier."""
    build = worked.built(RectifierBuild)
    now = worked.settled["nominal"].states[RECTIFIER]
    duty = worked.settled["nominal"].states[FRONT_END].total_duty
    need = ChokeNeed(
        build.inductance,
        now.choke_peak,
        now.current,
        now.ripple,
        now.ripple / math.sqrt(12),
        2 * worked.built(FrontEndBuild).frequency,
        _air(worked),
    )
    return _bench(worked, _asked(worked, "rectifier", "link choke", build, need, "choke_peak", now.choke_core, duty))


def auxiliary_choke(worked: Worked) -> CoilBench:
    """The choke of the auxiliary output's converter."""
    build = worked.built(AuxiliaryOutputBuild)
    now = worked.settled["high"].states[AUXILIARY_OUTPUT]
    need = ChokeNeed(
        build.inductance,
        now.choke_peak,
        now.current,
        now.swing,
        now.bank_ripple,
        build.frequency,
        _air(worked),
    )
    asked = _asked(worked, "auxiliary_output", "choke", build, need, "choke_peak", now.choke_core, now.duty)
    return _bench(worked, replace(asked, when="its current limit"))


def filter_inductor(worked: Worked) -> CoilBench:
    """The inductor of the output filter."""
    build = worked.built(OutputFilterBuild)
    now = worked.settled["nominal"].states[OUTPUT_FILTER]
    need = ChokeNeed(
        build.inductance,
        now.peak,
        now.line_current,
        now.ripple,
        now.ripple_rms,
        2 * worked.built(HBridgeBuild).carrier,
        _air(worked),
    )
    return _bench(worked, _asked(worked, "output_filter", "filter inductor", build, need, "peak", now.core, 0.5))


def _air(worked: Worked) -> float:
    return worked.brief.targets.ambient + worked.rules.enclosure_rise


def _asked(
    worked: Worked, block: str, what: str, build: Any, need: ChokeNeed, peak: str, core: float, duty: float
) -> Asked:  # fmt: skip
    surge = max(getattr(s.states[block], peak) for k, s in worked.settled.items()
                if k not in worked.route.infeasible(worked.settled) or k == "nominal")  # fmt: skip
    plain = choke_loss(choke_of(build, worked.shelf), need, duty=duty).core
    return Asked(block, what, build, need, surge, core / plain if plain > 0 else 1.0, duty)


def _bench(worked: Worked, asked: Asked) -> CoilBench:
    made = choke_of(asked.build, worked.shelf)
    window, cores, rings = _window(made), _cores(worked, asked, made), _rings(worked, asked, made)
    steady = asked.need.rms
    core_made = (
        (("Inductance, no current", fmt(made.inductance_at(0.0), "H")),
         (f"Inductance under {fmt(steady, 'A')}", fmt(made.inductance_at(steady), "H"))) if made.soft else
        (("Inductance, gap set", fmt(made.inductance, "H")), ("Total gap", fmt(made.gap, "mm", 2)))
    )  # fmt: skip
    strain = f"{fmt(_strain(made, asked.surge), *_strained(made))}{' of its permeability lost' if made.soft else ''}"
    checks = (
        *core_made,
        ("Current it must stand", f"{fmt(asked.surge, 'A')} at {asked.when}, {strain}"),
        ("Resistance, 20 °C", fmt(choke_loss(made, asked.need, 20.0).resistance, "ohm")),
        ("Window height in use", fmt(made.fill, "%", 2)),
    )
    core = f"{stack_name(made.stack)}, {'powder' if made.soft else 'grade'} {made.grade.id}"
    return CoilBench(
        block=asked.block, title=f"{asked.what.capitalize()} on {stack_name(made.stack)}",
        tables=(_turns(worked, asked, made), cores, rings, wire_table(
            worked.shelf, made.winding, made.stack.b_w, asked.need.frequency, 1.0,
            lambda w: w.height / made.stack.height, "wire", "Wire, equal copper", asked.block, "",
            asked.need.ripple_rms**2 / (asked.need.rms**2 + asked.need.ripple_rms**2))),
        schools=_schools(worked, asked, made, first_fit(rings if made.soft else cores)), charts=(window, _fading(asked,
        made) if made.soft else _saturation(worked, asked, made)),
        sheet=choke_sheet(made, core, asked.what.capitalize(), window, checks))  # fmt: skip


def _flux(made: Choke, current: float) -> float:
    return book.choke_flux.work({
        "L": made.inductance, "I_pk": current, "N": made.winding.turns, "A_e": made.stack.a_e})  # fmt: skip


def _strain(made: Choke, current: float) -> float:
    """Flux density, T; of a powder core the share of its permeability lost."""
    return 1 - made.left(current) if made.soft else _flux(made, current)


def _strained(made: Choke) -> tuple[str, int]:
    """Unit and digits of that."""
    return ("%", 2) if made.soft else ("T", 3)


def _judged(worked: Worked, asked: Asked, made: Choke, name: str, here: bool, patch: Patch, **more: str) -> Option:
    celsius = 80.0
    for _ in range(4):
        lost = choke_loss(made, asked.need, min(celsius, 250.0), asked.duty, asked.weight)
        celsius = asked.need.air + float(rise(lost.total, made.stack.surface))
    strain, unit, rules = _strain(made, asked.surge), _strained(made), worked.rules
    most = 1 - LEAST_LEFT if made.soft else min(rules.choke_peak, made.grade.b_sat)
    why = against((strain, most, unit[0]), (celsius, rules.winding_limit, "degC"),
                  (made.fill, 1.0, "%"))  # fmt: skip
    return Option(
        name=name, here=here, fits=not why, why=why, patch=patch,
        texts={"flux": fmt(strain, *unit), "loaded": fmt(made.inductance_at(asked.need.rms), "H"), "gap": fmt(made.gap, "mm",
        2), "copper": fmt(lost.copper, "W"),
               "core": fmt(lost.core, "W"), "loss": fmt(lost.total, "W"), "temperature": fmt(celsius, "degC"),
               "fill": fmt(made.fill, "%", 2), **more})  # fmt: skip


def _turns(worked: Worked, asked: Asked, made: Choke) -> OptionTable:
    step = max(1, round(made.winding.turns / 12))
    options = []
    for n in sorted({max(1, made.winding.turns + k * step) for k in range(-2, 3)}):
        near = asked.build.model_copy(update={
            "turns": n, "in_hand": min(50, max(1, round(made.winding.in_hand * made.winding.turns / n)))})  # fmt: skip
        options.append(_judged(worked, asked, choke_of(near, worked.shelf), str(n), n == made.winding.turns,
                               {f"{asked.block}.core": near.core, f"{asked.block}.sets": near.sets,
                                f"{asked.block}.turns": n}))  # fmt: skip
    if made.soft:
        return OptionTable(
            key="turns", title="Turns", columns=labelled(
                ("loaded", "under load"), ("flux", "µ lost, surge"), ("copper", "copper"), ("core", "core"),
                ("temperature", "hot"), ("fill", "window")),
            remark=f"{fmt(made.inductance, 'H')} are wanted under {fmt(asked.need.rms, 'A')}. Inductance grows with less than "
                   "the square of the turns: each ampere then fades the powder more.", options=tuple(options))  # fmt: skip
    return OptionTable(
        key="turns", title="Turns at this inductance", columns=labelled(
            ("flux", "flux at surge"), ("gap", "gap"), ("copper", "copper"), ("core", "core"), ("temperature", "hot"),
            ("fill", "window")),
        remark="More turns need a wider gap for the same inductance, carry less flux and lose more in copper.",
        options=tuple(options))  # fmt: skip


def _cores(worked: Worked, asked: Asked, made: Choke) -> OptionTable:
    def judged(other: Choke) -> Option:
        patch: Patch = {f"{asked.block}.core": other.stack.core.id, f"{asked.block}.sets": other.stack.sets,
                        f"{asked.block}.grade": other.grade.id, f"{asked.block}.turns": other.winding.turns,
                        f"{asked.block}.wire": None, f"{asked.block}.in_hand": None}  # fmt: skip
        here = (other.stack.core.id, other.stack.sets) == (made.stack.core.id, made.stack.sets)
        return _judged(worked, asked, other, stack_name(other.stack), here, patch, turns=str(other.winding.turns),
                       price=fmt(other.stack.price, "1", 2), mass=fmt(other.stack.mass, "kg", 2))  # fmt: skip

    ranked = rank_chokes(replace(asked.need, peak=asked.surge), worked.shelf, worked.rules, 2 * SHOWN)
    options = [judged(other) for other in ranked]
    shown = fits_first(options)[:SHOWN] if made.soft else with_present(options, lambda: judged(made), SHOWN)
    return OptionTable(
        key="cores", title="Cores on the shelf", columns=labelled(
            ("turns", "turns"), ("flux", "flux at surge"), ("gap", "gap"), ("loss", "loss"), ("temperature", "hot"),
            ("fill", "window"), ("mass", "core"), ("price", "cost")),
        remark="Every stack that can be gapped, wound for this current; cheapest first, watts counted in.",
        options=shown)  # fmt: skip


def _rings(worked: Worked, asked: Asked, made: Choke) -> OptionTable:
    def judged(other: Choke) -> Option:
        patch: Patch = {f"{asked.block}.{n}": v for n, v in (
            ("core", other.stack.core.id), ("sets", other.stack.sets), ("grade", other.grade.id), ("turns",
            other.winding.turns),
            ("wire", None), ("in_hand", None))}  # fmt: skip
        here = (other.stack.core.id, other.stack.sets, other.grade.id) == (made.stack.core.id, made.stack.sets, made.grade.id)
        return _judged(worked, asked, other, stack_name(other.stack), here, patch, turns=str(other.winding.turns),
                       powder=other.grade.id, empty=fmt(other.inductance_at(0.0), "H"),
                       price=fmt(other.stack.price + other.grade.price, "1", 2))  # fmt: skip

    ranked = [judged(c) for c in rank_soft_chokes(replace(asked.need, peak=asked.surge), worked.shelf, worked.rules, 2 * SHOWN)]
    shown = with_present(ranked, lambda: judged(made), SHOWN) if made.soft else fits_first(ranked)[:SHOWN]
    return OptionTable(
        key="rings", title="Powder rings", columns=labelled(
            ("powder", "powder"), ("turns", "turns"), ("empty", "no current"), ("loaded", "under load"),
            ("flux", "µ lost, surge"), ("loss", "loss"), ("temperature", "hot"), ("fill", "window"), ("price", "cost")),
        remark="No gap and no edge of saturation: the inductance fades as the current grows, and comes back at light load.",
        options=shown)  # fmt: skip


def _schools(worked: Worked, asked: Asked, made: Choke, best: str) -> tuple[School, ...]:
    rules = worked.rules
    table = stack_table(worked.shelf)
    product = float(book.choke_area_product(
        L=made.inductance, I_pk=asked.surge, I_rms=asked.need.rms, B_pk=rules.choke_peak, K_u=rules.window_fill,
        J=rules.current_density))  # fmt: skip
    fit = np.flatnonzero((table.a_e * table.a_w >= product) & table.gappable & np.array([r.sets == 1 for r in table.rows]))
    smallest = table.rows[int(fit[np.argmin((table.a_e * table.a_w)[fit])])].core.id if fit.size else "none alone"
    here = made.stack.a_e * made.stack.a_w
    return (
        School(name="Area product", asks=fmt(product, "m^4"), here=fmt(here, "m^4"), core=smallest, enough=here >= product,
               because=f"energy at the surge over flux, copper and window, at {short(rules.choke_peak, 'T')} and "
               f"{fmt(rules.current_density, 'A/m^2', 2)}; the surge is short, so copper may be run harder than this"),
        School(name="Loss-limited search", asks=best, here=stack_name(made.stack), core=best,
               enough=made.fill <= 1, because="turns from the flux at the surge, wire from the steady current, heat from both"),
    )  # fmt: skip


def _window(made: Choke) -> Chart:
    return Chart(
        key="window", title="Winding window, to scale",
        boxes=layers_of(made.winding, made.winding.turns * made.winding.in_hand, made.stack.b_w, made.stack.height),
        remark=f"{stack_name(made.stack)}: {made.stack.b_w * 1e3:.1f} × {made.stack.height * 1e3:.1f} mm. "
               f"{made.winding.turns} turns, {made.winding.in_hand} in parallel; {fmt(made.fill, '%', 2)} of the "
               "height.")  # fmt: skip


def _saturation(worked: Worked, asked: Asked, made: Choke) -> Chart:
    """Flux against current, with the currents it meets."""
    most = 1.25 * max(asked.surge, made.grade.b_sat * made.winding.turns * made.stack.a_e / made.inductance)
    i, b = Scale("A", most), Scale("T", made.grade.b_sat)
    limit = made.grade.b_sat * made.winding.turns * made.stack.a_e / made.inductance
    flux = [0.0, _flux(made, min(most, limit)), made.grade.b_sat]
    return Chart(
        key="saturation", title="Flux against current", x=i.axis("current", low=0, high=most),
        y=b.axis("", low=0, high=roomy(made.grade.b_sat)),
        series=(Series(name="flux", x=i.all([0.0, min(most, limit), most]), y=b.all(flux)),),
        marks=(Mark(at=b(made.grade.b_sat), label=f"saturates {fmt(made.grade.b_sat, 'T')}", role="rating"),
               Mark(at=b(worked.rules.choke_peak), label=f"house limit {fmt(worked.rules.choke_peak, 'T')}", role="house")),
        dots=(Dot(x=i(asked.need.peak), y=b(_flux(made, asked.need.peak)), label="full power"),
              Dot(x=i(asked.surge), y=b(_flux(made, asked.surge)), label="surge")),
        remark=f"A gapped ferrite holds its inductance up to {fmt(limit, 'A')} and loses it within a few amperes: the ripple "
               "then shoots up, and the switch pays.")  # fmt: skip


def _fading(asked: Asked, made: Choke) -> Chart:
    """Inductance of a powder choke against its current."""
    most = float(f"{1.4 * asked.surge:.2g}")
    amps = np.linspace(0, most, 80)
    henries = [made.inductance_at(float(x)) for x in amps]
    i, h = Scale("A", most), Scale("H", henries[0])
    steady = asked.need.rms
    return Chart(
        key="saturation", title="Inductance against current", x=i.axis("current", low=0, high=most),
        y=h.axis("", low=0, high=roomy(henries[0])), series=(Series(name="inductance", x=i.all(amps), y=h.all(henries)),),
        marks=(Mark(at=h(made.inductance), label=f"wanted {fmt(made.inductance, 'H')}", role="here"),),
        dots=(Dot(x=i(steady), y=h(made.inductance_at(steady)), label=""),
              Dot(x=i(asked.surge), y=h(made.inductance_at(asked.surge)), label="surge")),
        remark=f"{fmt(made.left(asked.surge), '%', 2)} of the permeability is left at the surge. The first dot is full "
               "power; the sizing counts on the inductance wanted, and at light load there is more.")  # fmt: skip
