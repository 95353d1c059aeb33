"""The bench of the high-frequency transformer."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from rhombos.core.blocks import front_end
from rhombos.core.blocks import transformer as block
from rhombos.core.blocks.dc_link import KEY as DC_LINK
from rhombos.core.blocks.front_end import FrontEndBuild
from rhombos.core.book import magnetics as book
from rhombos.core.frame.labels import labelled
from rhombos.core.frame.solve import Worked
from rhombos.core.frame.worksheet import SILENT
from rhombos.core.magnetics.stack import stack_table
from rhombos.core.magnetics.transformer import Transformer, TransformerNeed, rank_transformers, section_portions
from rhombos.core.magnetics.winding import INSULATION, Winding, copper_resistivity
from rhombos.core.magnetics_bench.common import against, first_fit, stack_name, wire_table, with_present
from rhombos.core.magnetics_bench.model import CoilBench, Option, OptionTable, Patch, School, WindingSheet
from rhombos.core.magnetics_bench.overload import COPPER_HEAT, FERRITE_HEAT, overload
from rhombos.core.magnetics_bench.sheet import pair_sheet
from rhombos.core.parts import Grade
from rhombos.core.plots.low_side import winding_window, working_point
from rhombos.core.plots.model import Chart, Dot, Mark, Scale, curve, roomy
from rhombos.core.routes.hf_stage import wound_at
from rhombos.core.units.quantities import fmt, short

KEY = block.KEY
SHOWN = 14
FERRITE_ROOT = 1e-5
"""The workshop's 0.1 cm² for each root of a watt, ferrite at tens of kHz, in m²/√W."""
TAPE_PERMITTIVITY = 3.3
"""Polyester tape."""


def transformer_bench(worked: Worked) -> CoilBench:
    """Cores, turns, wires and interleaving beside the present ones; the optimum flux; the winding sheet."""
    build = worked.builds[KEY]
    made, cores = block.made(build, worked.shelf), _cores(worked, build)
    return CoilBench(
        block=KEY, title=f"Transformer on {made.stack.core.id}",
        tables=(_turns(worked, build), cores, _wires(worked, build, "primary"),
                _wires(worked, build, "secondary"), _faces(worked, build)),
        schools=_schools(worked, made, first_fit(cores)),
        charts=(winding_window(worked), optimum_flux(worked), heating(worked)),
        sheet=winding_sheet(worked))  # fmt: skip


def _assess(worked: Worked, build: block.TransformerBuild) -> block.TransformerState:
    """The state of a neighbouring build at the present working point, its temperature made to agree."""
    at = working_point(worked)
    for _ in range(3):
        state = block.assess(at, build, worked.brief, worked.shelf, worked.rules, SILENT)
        at = replace(at, celsius=min(state.temperature, 250.0))
    return state


def transformer_need(worked: Worked) -> TransformerNeed:
    """What the present transformer is asked, from the points it settled in."""
    flat = wound_at(worked.settled["low"])
    front = worked.built(FrontEndBuild)
    build = worked.builds[KEY]
    at, stage = working_point(worked), flat.states[front_end.KEY]
    # flat pulses that heat alike
    alike = flat.form * flat.drawn.rms * front_end.ramped(stage.duty, stage.rising)
    return TransformerNeed(
        v_max=at.v_max, d_max=worked.rules.duty_limit, v_work=flat.v_half, d_work=min(0.5, stage.duty),
        ratio=build.secondary_turns / build.primary_turns, primary_pulse=alike * flat.pulse / build.units,
        secondary_pulse=alike * flat.winding.secondary_pulse / build.secondary_paths, frequency=front.frequency,
        air=worked.brief.targets.ambient + worked.rules.enclosure_rise, halves=build.halves,
        secondary_halves=build.secondary_halves, near=flat.near)  # fmt: skip


def _against(worked: Worked, t: Transformer, state: block.TransformerState) -> str:
    """What speaks against a transformer, in words; empty where nothing does."""
    rules = worked.rules
    return against(
        (state.worst_flux, min(rules.ferrite_peak, t.grade.b_sat), "T"), (state.temperature, rules.winding_limit, "degC"),
        (t.fill, 1.0, "%"))  # fmt: skip


def _texts(t: Transformer, state: block.TransformerState, extra: dict[str, str]) -> dict[str, str]:
    return {
        "flux": fmt(state.worst_flux, "T"), "core": fmt(state.core, "W"), "copper": fmt(state.copper, "W"),
        "loss": fmt(state.loss, "W"), "temperature": fmt(state.temperature, "degC"), "fill": fmt(t.fill, "%", 2),
        "leakage": fmt(t.leakage, "H"), **extra,
    }  # fmt: skip


def _core(build: block.TransformerBuild) -> Patch:
    """Pins that keep the present core while something else about it changes."""
    return {f"{KEY}.core": build.core, f"{KEY}.sets": build.sets, f"{KEY}.grade": build.grade}


def _turns(worked: Worked, build: block.TransformerBuild) -> OptionTable:
    """The whole numbers of turns around the present one, the secondary in proportion, the wire to match."""
    flat = worked.settled["low"].states[front_end.KEY].duty
    options = []
    for n in range(max(1, build.primary_turns - 2), build.primary_turns + 3):
        # rounded up: a ratio a little too high costs some duty, one too low cannot hold the link
        other = build.secondary_turns if n == build.primary_turns else math.ceil(
            build.secondary_turns * n / build.primary_turns - 1e-9)  # fmt: skip
        near = build.model_copy(update={
            "primary_turns": n, "secondary_turns": other,
            "primary_in_hand": min(200, max(1, round(build.primary_in_hand * build.primary_turns / n))),
            "secondary_in_hand": min(100, max(1, round(build.secondary_in_hand * build.secondary_turns / other)))})  # fmt: skip
        t, state = block.made(near, worked.shelf), _assess(worked, near)
        shift = near.secondary_turns / n / (build.secondary_turns / build.primary_turns)
        why = _against(worked, t, state)
        options.append(Option(
            name=f"{n} : {other}", here=n == build.primary_turns, fits=not why, why=why,
            texts=_texts(t, state, {"output": f"{shift - 1:+.1%}".replace("-", "−"), "duty": fmt(flat / shift, "1")}),
            patch=_core(build) | {f"{KEY}.primary_turns": n, f"{KEY}.secondary_turns": other}))  # fmt: skip
    return OptionTable(
        key="turns", title="Whole turns", columns=labelled(
            ("flux", "worst flux"), ("output", "output moves"), ("duty", "duty, flat"), ("core", "core"), ("copper", "copper"),
            ("temperature", "hot"), ("fill", "window")),
        remark="Few turns make large steps: each moves the flux, and rounding the secondary moves the output.",
        options=tuple(options))  # fmt: skip


def _cores(worked: Worked, build: block.TransformerBuild) -> OptionTable:
    """The best transformer on every promising stack of the shelf, searched again."""

    def judged(t: Transformer, near: block.TransformerBuild) -> Option:
        state = _assess(worked, near)
        why = _against(worked, t, state)
        patch: Patch = _core(near) | {
            f"{KEY}.primary_turns": near.primary_turns, f"{KEY}.secondary_turns": near.secondary_turns}  # fmt: skip
        patch |= {f"{KEY}.{w}_{x}": None for w in ("primary", "secondary") for x in ("wire", "in_hand")}
        return Option(
            name=stack_name(t.stack), here=(near.core, near.sets) == (build.core, build.sets), fits=not why, why=why,
            texts=_texts(t, state, {
                "turns": f"{near.primary_turns} : {near.secondary_turns}", "grade": t.grade.id,
                "mass": fmt(t.stack.mass + t.copper_mass, "kg", 2), "price": fmt(t.stack.price, "1", 2)}),
            patch=patch)  # fmt: skip

    options = [
        judged(t, block.TransformerBuild.of(t, {"units": build.units, "joined": build.joined}))
        for t in rank_transformers(transformer_need(worked), worked.shelf, worked.rules, 3 * SHOWN)
    ]  # fmt: skip
    shown = with_present(options, lambda: judged(block.made(build, worked.shelf), build), SHOWN)
    return OptionTable(
        key="cores", title="Cores on the shelf", columns=labelled(
            ("turns", "turns"), ("grade", "grade"), ("flux", "worst flux"), ("loss", "loss"), ("temperature", "hot"),
            ("fill", "window"), ("mass", "mass"), ("price", "cost")),
        remark="Every stack with every suited grade and number of turns; cheapest first, watts counted in.",
        options=shown)  # fmt: skip


def _wires(worked: Worked, build: block.TransformerBuild, which: str) -> OptionTable:
    made = block.made(build, worked.shelf)
    portions = section_portions(made.interfaces, made.halves if which == "primary" else made.secondary_halves)

    def filled(w: Winding) -> float:
        return (replace(made, primary=w) if which == "primary" else replace(made, secondary=w)).fill

    return wire_table(
        worked.shelf, getattr(made, which), made.stack.b_w, working_point(worked).frequency, portions,
        filled, f"{which}_wire", f"Wire for the {which}, equal copper", KEY,
        f"{which}_")  # fmt: skip


def _faces(worked: Worked, build: block.TransformerBuild) -> OptionTable:
    """Plainly wound against interleaved."""
    options = []
    for faces, name in ((1, "plain: primary, secondary"), (2, "interleaved: half, secondary, half")):
        near = build.model_copy(update={"interfaces": faces})
        t, state = block.made(near, worked.shelf), _assess(worked, near)
        why = _against(worked, t, state)
        between = capacitance_between(t)
        options.append(Option(
            name=name, here=faces == build.interfaces, fits=not why, why=why,
            texts=_texts(t, state, {
                "factors": f"{state.primary_factor:.2f} | {state.secondary_factor:.2f}", "between": fmt(between, "F", 2)}),
            patch={f"{KEY}.interfaces": faces}))  # fmt: skip
    return OptionTable(
        key="interleaving", title="Interleaving", columns=labelled(
            ("leakage", "leakage"), ("between", "capacitance"), ("factors", "AC factors"), ("copper", "copper"),
            ("temperature", "hot"), ("fill", "window")),
        remark="Interleaving quarters the leakage, and doubles the capacitance that couples noise across.",
        options=tuple(options))  # fmt: skip


def capacitance_between(t: Transformer) -> float:
    """Capacitance between primary and secondary, F."""
    return float(book.winding_capacitance(
        eps_r=TAPE_PERMITTIVITY, b_w=t.stack.b_w, MLT=t.stack.mlt, interfaces=t.interfaces, h_ins=INSULATION))  # fmt: skip


def _schools(worked: Worked, made: Transformer, best: str) -> tuple[School, ...]:
    """Area product, the workshop's root of power, and the loss-limited search, side by side."""
    rules, state = worked.rules, worked.settled["nominal"].states[KEY]
    build = worked.builds[KEY]
    through = worked.settled["nominal"].flow[KEY] / build.units
    frequency = working_point(worked).frequency
    table = stack_table(worked.shelf)
    apparent = through * sum(math.sqrt(h) for h in (made.halves, made.secondary_halves))
    product = float(book.area_product(
        P_apparent=apparent, K_f=4, K_u=rules.window_fill, B_pk=max(state.flux, 1e-3), f=frequency,
        J=rules.current_density))  # fmt: skip
    root = float(book.root_of_power(k_root=FERRITE_ROOT, P=worked.brief.converted / build.units, eta=0.88))
    products = table.a_e * table.a_w
    here = made.stack.a_e * made.stack.a_w
    single = np.array([r.sets == 1 for r in table.rows])

    def smallest(values: Any, wanted: float) -> str:
        fit = np.flatnonzero((values >= wanted) & single)
        return table.rows[int(fit[np.argmin(values[fit])])].core.id if fit.size else "none alone"

    return (
        School(name="Area product", asks=fmt(product, "m^4"), here=fmt(here, "m^4"), core=smallest(products, product),
               enough=here >= product, because=f"room for copper times iron, at the present {fmt(state.flux, 'T')} and "
               f"{fmt(rules.current_density, 'A/m^2', 2)}; it does not ask how hot the core becomes"),
        School(name="Root of power", asks=fmt(root, "m^2"), here=fmt(made.stack.a_e, "m^2"),
               core=smallest(table.a_e, root),
               enough=made.stack.a_e >= root, because="the workshop's 0.1 cm² for each root of a watt: safe at 25 kHz, "
               "generous at 50 and more, and it knows nothing of your window"),
        School(name="Loss-limited search", asks=best, here=stack_name(made.stack), core=best,
               enough=state.temperature <= rules.winding_limit, because="every core, grade and number of turns, kept below "
               f"{short(rules.winding_limit, 'degC')} and {short(rules.ferrite_peak, 'T')}; the one that counts"),
    )  # fmt: skip


def heating(worked: Worked) -> Chart:
    """How long the warm transformer bears an overload."""
    made, state = block.made(worked.builds[KEY], worked.shelf), worked.settled["nominal"].states[KEY]
    air = worked.brief.targets.ambient + worked.rules.enclosure_rise
    capacity = worked.builds[KEY].units * (FERRITE_HEAT * made.stack.mass + COPPER_HEAT * made.copper_mass)
    return overload(state.copper, state.core, state.temperature - air, worked.rules.winding_limit - air, capacity,
                    worked.brief.converted)  # fmt: skip


def optimum_flux(worked: Worked) -> Chart:
    """Loss against flux with turns free to be any number: copper falls as iron rises; where they balance, and where this is."""
    build = worked.builds[KEY]
    made, state = block.made(build, worked.shelf), worked.settled["nominal"].states[KEY]
    beta = worked.shelf.get(Grade, build.grade).beta
    ratio = np.geomspace(0.4, 2.5, 60)
    core, copper = state.core * ratio**beta, state.copper / ratio**2
    best = float(book.optimum_flux(B_now=1.0, P_cu=state.copper, beta=beta, P_core=state.core))
    least = state.core * best**beta + state.copper / best**2
    b, p = Scale("T", state.flux * 2.5), Scale("W", 3 * state.loss)
    sound = min(worked.rules.ferrite_peak, made.grade.b_sat) * state.flux / max(state.worst_flux, 1e-9)
    shown = min(3.2 * state.loss, float((core + copper).max()))
    said = f"{fmt(state.loss - least, 'W', 2)} could be saved at {fmt(best * state.flux, 'T', 2)}"
    if state.loss - least < 0.05 * state.loss:
        said = "The present turns are within a twentieth of the best"
    return Chart(
        key="optimum", title="Loss against working flux", x=b.axis("peak flux, turns free", low=0),
        y=p.axis("", low=0, high=roomy(shown)),
        series=(curve("total", state.flux * ratio, np.minimum(core + copper, shown), b, p),
                curve("copper", state.flux * ratio, np.minimum(copper, shown), b, p, "second"),
                curve("core", state.flux * ratio, np.minimum(core, shown), b, p, "third")),
        marks=(Mark(at=b(sound), label="most, charging", role="house", upright=True),),
        dots=(Dot(x=b(state.flux), y=p(state.loss), label=f"{build.primary_turns} turns"),),
        remark=f"{said}; the minimum total has copper at β/2 = {beta / 2:.2f} times the core's loss.")  # fmt: skip


def winding_sheet(worked: Worked) -> WindingSheet:
    """What to wind from."""
    build = worked.builds[KEY]
    made, state = block.made(build, worked.shelf), worked.settled["nominal"].states[KEY]
    core = made.stack.core.id + (f", {made.stack.sets} sets side by side" if made.stack.sets > 1 else "")
    checks = [
        ("Magnetising inductance, primary" + (" half" if made.halves == 2 else ""), fmt(state.magnetising_inductance, "H")),
        ("Leakage, secondary shorted", fmt(state.leakage, "H")),
        ("Turns ratio", f"1 : {made.ratio:.4g}"),
        ("Capacitance, primary to secondary", fmt(capacitance_between(made), "F", 2)),
        ("Resistance, secondary, 20 °C", fmt(_cold(state.secondary_resistance, state.temperature), "ohm")),
        ("Window height in use", fmt(made.fill, "%", 2)),
    ]
    if made.stack.core.shape == "ring":
        around = made.stack.b_w
        widest = max(w.turns * w.in_hand * halves * w.wire.outer for w, halves in (
            (made.primary, made.halves), (made.secondary, made.secondary_halves)))  # fmt: skip
        checks.append(("Inner circumference, usable", f"{fmt(around, 'mm')}; the longest winding needs "
                       f"{widest / around:.1f} layers of it"))  # fmt: skip
    return pair_sheet(
        made,
        made.stack.mlt,
        made.stack.b_w,
        f"{core}, grade {made.grade.id}, no gap",
        "Transformer",
        _working_voltage(worked),
        winding_window(worked),
        tuple(checks),
    )


def _cold(resistance: float, celsius: float) -> float:
    return resistance * copper_resistivity(20.0) / copper_resistivity(celsius)


def _working_voltage(worked: Worked) -> float:
    """The highest voltage between the windings, V: the whole secondary's or the link's."""
    return float(1.1 * max(s.states[DC_LINK].voltage for s in worked.settled.values()))
