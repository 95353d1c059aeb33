"""The bench of the line-frequency transformer on laminated iron."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from rhombos.core.blocks import iron_transformer as block
from rhombos.core.book import magnetics as book
from rhombos.core.frame.labels import labelled
from rhombos.core.frame.solve import Worked
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.magnetics.iron import IronNeed, IronTransformer, rank_irons
from rhombos.core.magnetics.winding import copper_resistivity
from rhombos.core.magnetics_bench.common import against, first_fit, wire_table, with_present
from rhombos.core.magnetics_bench.model import CoilBench, Option, OptionTable, Patch, School, WindingSheet
from rhombos.core.magnetics_bench.overload import COPPER_HEAT, IRON_HEAT, overload
from rhombos.core.magnetics_bench.sheet import pair_sheet
from rhombos.core.parts import IronCore
from rhombos.core.plots.iron import iron_window, loss_against_load
from rhombos.core.plots.model import Chart
from rhombos.core.units.quantities import fmt, short

KEY = block.KEY
SHOWN = 14
IRON_ROOT = 1.15e-4
"""The workshop's 1.1 to 1.2 cm² for each root of a watt, iron at 50 Hz, in m²/√W."""


def iron_bench(worked: Worked) -> CoilBench:
    """Cores, turns and wires beside the present ones; losses against load; the winding sheet."""
    build = worked.builds[KEY]
    made = block.made(build, worked.shelf)
    line, cores = worked.brief.output.frequency, _cores(worked, build)

    def filled(which: str) -> Any:
        return lambda w: replace(made, **{which: w}).fill

    return CoilBench(
        block=KEY,
        title=f"Transformer on {made.stack.id}",
        tables=(
            _turns(worked, build),
            cores,
            *(
                wire_table(
                    worked.shelf,
                    getattr(made, which),
                    made.stack.b_w,
                    line,
                    1.0,
                    filled(which),
                    f"{which}_wire",
                    f"Wire for the {which}, equal copper",
                    KEY,
                    f"{which}_",
                )
                for which in ("primary", "secondary")
            ),
        ),
        schools=_schools(worked, made, first_fit(cores)),
        charts=(iron_window(worked), loss_against_load(worked), _heating(worked, made)),
        sheet=_sheet(worked, build, made),
    )


def _need(worked: Worked, build: block.IronTransformerBuild) -> IronNeed:
    """What the present transformer is asked, from the states it settled in."""
    hot = max(
        (s.states[KEY] for k, s in worked.settled.items() if k in ("nominal", "low", "high")), key=lambda s: s.secondary_rms
    )
    made = block.made(build, worked.shelf)
    linked = made.primary.turns * made.stack.a_e
    # a width-controlled wave may take the iron to its knee in passing
    passing = block.KNEE if worked.brief.output.waveform == "modified" else 1.0
    return IronNeed(
        hot.worst_flux * linked / passing,
        hot.flux * linked,
        made.ratio,
        hot.primary_rms,
        hot.secondary_rms,
        worked.brief.output.frequency,
        worked.brief.targets.ambient + worked.rules.enclosure_rise,
        build.halves,
        worked.brief.targets.idle,
    )


def _judged(
    worked: Worked,
    build: block.IronTransformerBuild,
    near: block.IronTransformerBuild,
    name: str,
    here: bool,
    patch: Patch,
    **more: str,
) -> Option:
    """A neighbouring build at the present currents, its temperature made to agree."""
    need, t = _need(worked, build), block.made(near, worked.shelf)
    linked = t.primary.turns * t.stack.a_e
    now = worked.settled["nominal"].states[KEY]
    at = block.IronPoint(1.0, 1.0, 0.0, 0.0, need.primary_rms, need.secondary_rms, now.output, need.frequency, 80.0)
    work = need.work_linkage / linked
    volts = work * math.sqrt(2) * math.pi * need.frequency * linked  # the sine that makes this flux
    at = replace(at, volts=volts, volts_max=volts)
    for _ in range(3):
        state = block.assess(at, near, worked.brief, worked.shelf, worked.rules, SILENT)
        at = replace(at, celsius=min(state.temperature, 250.0))
    worst = need.linkage / linked
    why = against((worst, t.stack.b_limit, "T"), (state.temperature, worked.rules.winding_limit, "degC"), (t.fill, 1.0, "%"))
    drop = (
        need.primary_rms * state.primary_resistance * t.ratio * (math.sqrt(2) if t.halves == 2 else 1.0)
        + need.secondary_rms * state.secondary_resistance
    ) / max(now.output, 1e-9)
    return Option(
        name=name,
        here=here,
        fits=not why,
        why=why,
        patch=patch,
        texts={
            "flux": fmt(worst, "T"),
            "core": fmt(state.core, "W"),
            "copper": fmt(state.copper, "W"),
            "loss": fmt(state.loss, "W"),
            "temperature": fmt(state.temperature, "degC"),
            "fill": fmt(t.fill, "%", 2),
            "drop": fmt(drop, "%", 2),
            "mass": fmt(t.stack.mass + t.copper_mass, "kg", 2),
            **more,
        },
    )


def _turns(worked: Worked, build: block.IronTransformerBuild) -> OptionTable:
    step = max(1, round(build.primary_turns / 16))
    options = []
    for n in sorted({max(1, build.primary_turns + k * step) for k in range(-2, 3)}):
        other = max(1, round(build.secondary_turns * n / build.primary_turns))
        near = build.model_copy(
            update={
                "primary_turns": n,
                "secondary_turns": other,
                "primary_in_hand": min(200, max(1, round(build.primary_in_hand * build.primary_turns / n))),
            }
        )
        moved = other / n / (build.secondary_turns / build.primary_turns) - 1
        options.append(
            _judged(
                worked,
                build,
                near,
                f"{n} : {other}",
                n == build.primary_turns,
                {f"{KEY}.core": build.core, f"{KEY}.primary_turns": n, f"{KEY}.secondary_turns": other},
                output=f"{moved:+.1%}".replace("-", "−"),
            )
        )
    return OptionTable(
        key="turns",
        title="Turns",
        columns=labelled(
            ("flux", "worst flux"),
            ("output", "output moves"),
            ("core", "iron"),
            ("copper", "copper"),
            ("drop", "drops"),
            ("temperature", "hot"),
            ("fill", "window"),
        ),
        remark="Fewer turns: more flux and idle loss, less copper loss and drop.",
        options=tuple(options),
    )


def _cores(worked: Worked, build: block.IronTransformerBuild) -> OptionTable:
    def judged(t: IronTransformer) -> Option:
        near = build.model_copy(
            update={
                "core": t.stack.id,
                "primary_turns": t.primary.turns,
                "secondary_turns": t.secondary.turns,
                "primary_wire": t.primary.wire.id,
                "primary_in_hand": t.primary.in_hand,
                "secondary_wire": t.secondary.wire.id,
                "secondary_in_hand": t.secondary.in_hand,
            }
        )
        patch: Patch = {
            f"{KEY}.core": near.core,
            f"{KEY}.primary_turns": near.primary_turns,
            f"{KEY}.secondary_turns": near.secondary_turns,
        }
        patch |= {f"{KEY}.{w}_{x}": None for w in ("primary", "secondary") for x in ("wire", "in_hand")}
        return _judged(
            worked,
            build,
            near,
            t.stack.id,
            near.core == build.core,
            patch,
            price=fmt(t.stack.price, "1", 2),
            turns=f"{near.primary_turns} : {near.secondary_turns}",
        )

    ranked = rank_irons(_need(worked, build), worked.shelf, worked.rules, 2 * SHOWN)
    shown = with_present([judged(t) for t in ranked], lambda: judged(block.made(build, worked.shelf)), SHOWN)
    return OptionTable(
        key="cores",
        title="Iron on the shelf",
        columns=labelled(
            ("turns", "turns"),
            ("flux", "worst flux"),
            ("core", "iron"),
            ("copper", "copper"),
            ("temperature", "hot"),
            ("drop", "drops"),
            ("fill", "window"),
            ("mass", "mass"),
            ("price", "core cost"),
        ),
        remark="Every core with the turns its flux limit asks; cheapest first, watts counted in, idle watts twice.",
        options=shown,
    )


def _heating(worked: Worked, made: IronTransformer) -> Chart:
    state = worked.settled["nominal"].states[KEY]
    air = worked.brief.targets.ambient + worked.rules.enclosure_rise
    capacity = IRON_HEAT * made.stack.mass + COPPER_HEAT * made.copper_mass
    return overload(
        state.copper,
        state.core,
        state.temperature - air,
        worked.rules.winding_limit - air,
        capacity,
        worked.brief.power.continuous,
    )


def _schools(worked: Worked, made: IronTransformer, best: str) -> tuple[School, ...]:
    rules, brief = worked.rules, worked.brief
    cores, table = worked.shelf.all(IronCore), worked.shelf.columns(IronCore)
    form = 4.44 if brief.output.waveform == "sine" else 4.0
    state = worked.settled["nominal"].states[KEY]
    apparent = state.output * state.secondary_rms * (math.sqrt(2) + 1 if made.halves == 2 else 2)
    product = float(
        book.area_product(
            P_apparent=apparent,
            K_f=form,
            K_u=rules.window_fill,
            B_pk=max(state.flux, 0.1),
            f=brief.output.frequency,
            J=rules.current_density,
        )
    )
    root = float(book.root_of_power(k_root=IRON_ROOT, P=brief.power.continuous, eta=0.9))
    here = made.stack.a_e * made.stack.a_w

    def smallest(values: Any, wanted: float) -> str:
        fit = np.flatnonzero(values >= wanted)
        return cores[int(fit[np.argmin(values[fit])])].id if fit.size else "none"

    return (
        School(
            name="Area product",
            asks=fmt(product, "m^4"),
            here=fmt(here, "m^4"),
            core=smallest(table.a_e * table.a_w, product),
            enough=here >= product,
            because=f"at the present {fmt(state.flux, 'T')} and "
            f"{fmt(rules.current_density, 'A/m^2', 2)}: a density that large iron cannot cool",
        ),
        School(
            name="Root of power",
            asks=fmt(root, "m^2"),
            here=fmt(made.stack.a_e, "m^2"),
            core=smallest(table.a_e, root),
            enough=made.stack.a_e >= root,
            because="the workshop's 1.15 cm² for each root of a watt: made for 1.2 T and 50 Hz, continuous duty",
        ),
        School(
            name="Loss-limited search",
            asks=best,
            here=made.stack.id,
            core=best,
            enough=state.temperature <= rules.winding_limit,
            because="flux at the highest input, heat of iron and copper, "
            f"room in the window, kept below {short(rules.winding_limit, 'degC')}; the one that counts",
        ),
    )


def _sheet(worked: Worked, build: block.IronTransformerBuild, made: IronTransformer) -> WindingSheet:
    state = worked.settled["nominal"].states[KEY]
    cold = copper_resistivity(20.0) / copper_resistivity(state.temperature)
    checks = (
        ("Turns ratio", f"1 : {made.ratio:.4g}"),
        ("No-load voltage for 10 V on the primary", fmt(10 * made.ratio, "V")),
        ("Leakage, secondary shorted", fmt(state.leakage, "H")),
        (
            "Resistance, primary" + (" half" if made.halves == 2 else "") + ", 20 °C",
            fmt(cold * state.primary_resistance, "ohm"),
        ),
        ("Resistance, secondary, 20 °C", fmt(cold * state.secondary_resistance, "ohm")),
        ("Window height in use", fmt(made.fill, "%", 2)),
    )
    peak = worked.brief.output.voltage * math.sqrt(2)
    return pair_sheet(
        made,
        made.stack.mlt,
        made.stack.b_w,
        f"{made.stack.id}, laminations interleaved, no gap",
        "Transformer",
        peak,
        iron_window(worked),
        checks,
    )
