"""The bench of the drive transformer: the clock of a self-oscillating stage."""

from __future__ import annotations

from rhombos.core.blocks import oscillator as block
from rhombos.core.frame.labels import labelled
from rhombos.core.frame.solve import Worked
from rhombos.core.magnetics.winding import COPPER_DENSITY, Winding
from rhombos.core.magnetics_bench.common import against, with_present
from rhombos.core.magnetics_bench.model import CoilBench, Option, OptionTable, Patch, WindingRow, WindingSheet
from rhombos.core.magnetics_bench.sheet import cut_length, hipot_voltage
from rhombos.core.parts import IronCore
from rhombos.core.plots.iron import frequency_over_input
from rhombos.core.plots.model import Chart
from rhombos.core.plots.window import layers_of
from rhombos.core.units.quantities import fmt, short

KEY = block.KEY
SHOWN = 10
OFF = 0.05
"""How far off the frequency asked a choice may land."""


def drive_bench(worked: Worked) -> CoilBench:
    """Turns and rings with the frequency that they make, the frequency over the source, and the sheet."""
    build = worked.builds[KEY]
    windings = _windings(worked, build)
    core = worked.shelf.get(IronCore, build.drive_core)
    return CoilBench(
        block=KEY,
        title=f"Drive transformer on {core.id}",
        tables=(_turns(worked, build), _cores(worked, build)),
        schools=(),
        charts=(_window(core, windings), frequency_over_input(worked)),
        sheet=_sheet(worked, build, core, windings),
    )


def _v_half(worked: Worked) -> float:
    """Voltage across one half of the power transformer on a nominal input, V."""
    s, build = worked.settled["nominal"], worked.builds[KEY]
    return block.half_voltage(s.states[KEY].frequency, build, worked.shelf)


def _windings(worked: Worked, build: block.OscillatorBuild) -> tuple[tuple[str, Winding], ...]:
    pulse = worked.settled["nominal"].states[KEY].pulse
    return block.drive_windings(_v_half(worked), pulse, build, worked.shelf, worked.rules)


def _fill(worked: Worked, build: block.OscillatorBuild, core: IronCore) -> float:
    """Share of the ring's window that all windings build up."""
    return sum(w.height for _, w in _windings(worked, build)) / core.height


def _judged(worked: Worked, near: block.OscillatorBuild, name: str, here: bool, patch: Patch, **more: str) -> Option:
    volts, core = _v_half(worked), worked.shelf.get(IronCore, near.drive_core)
    hertz = block.frequency(volts, near, worked.shelf)
    off = hertz / worked.brief.output.frequency - 1
    fill = _fill(worked, near, core)
    why = against((abs(off), OFF, "%"), (fill, 1.0, "%"))
    return Option(
        name=name,
        here=here,
        fits=not why,
        why=why,
        patch=patch,
        texts={
            "frequency": fmt(hertz, "Hz"),
            "off": f"{off:+.1%}".replace("-", "−"),
            "fill": fmt(fill, "%", 2),
            "mass": fmt(core.mass, "kg", 2),
            "turns": str(near.drive_turns),
            **more,
        },
    )


def _turns(worked: Worked, build: block.OscillatorBuild) -> OptionTable:
    step = max(1, round(build.drive_turns / 25))
    options = []
    for n in sorted({max(1, build.drive_turns + k * step) for k in range(-3, 4)}):
        near = build.model_copy(update={"drive_turns": n})
        options.append(
            _judged(
                worked, near, str(n), n == build.drive_turns, {f"{KEY}.drive_core": build.drive_core, f"{KEY}.drive_turns": n}
            )
        )
    return OptionTable(
        key="turns",
        title="Turns",
        columns=labelled(("frequency", "frequency"), ("off", "off"), ("fill", "window")),
        remark="It flips when its volt-seconds are used up: frequency goes down as turns go up.",
        options=tuple(options),
    )


def _cores(worked: Worked, build: block.OscillatorBuild) -> OptionTable:
    line, volts = worked.brief.output.frequency, _v_half(worked)

    def judged(core: IronCore) -> Option:
        n = max(1, round(block.turns_for(line, build.drive_share * volts, core)))
        present = core.id == build.drive_core
        near = build if present else build.model_copy(update={"drive_core": core.id, "drive_turns": n})
        return _judged(
            worked,
            near,
            core.id,
            present,
            {f"{KEY}.drive_core": core.id, f"{KEY}.drive_turns": near.drive_turns},
            price=fmt(core.price, "1", 2),
        )

    rings = sorted((c for c in worked.shelf.all(IronCore) if c.shape == "strip ring"), key=lambda c: c.a_e * c.a_w)
    return OptionTable(
        key="cores",
        title="Strip rings on the shelf",
        columns=labelled(
            ("turns", "turns"),
            ("frequency", "frequency"),
            ("off", "off"),
            ("fill", "window"),
            ("mass", "core"),
            ("price", "cost"),
        ),
        remark="A square loop, without a gap: it must saturate sharply. Laminations with joints make a soft, late clock.",
        options=with_present([judged(c) for c in rings], lambda: judged(worked.shelf.get(IronCore, build.drive_core)), SHOWN),
    )


def _window(core: IronCore, windings: tuple[tuple[str, Winding], ...]) -> Chart:
    whole = max((w for _, w in windings), key=lambda w: w.turns)
    wires = sum(w.turns for _, w in windings)
    return Chart(
        key="window",
        title="Winding window, to scale",
        boxes=layers_of(whole, wires, core.b_w, core.height),
        remark=f"{core.id}, its inner circumference unrolled: "
        + ", ".join(f"{n} {w.turns}" for n, w in windings)
        + f" turns of {whole.wire.label}.",
    )


def _sheet(
    worked: Worked, build: block.OscillatorBuild, core: IronCore, windings: tuple[tuple[str, Winding], ...]
) -> WindingSheet:
    rows = []
    for n, (name, w) in enumerate(windings):
        pin = "PAB"[n]
        mass = w.turns * w.copper * core.mlt * COPPER_DENSITY
        rows.append(
            WindingRow(
                what=name,
                turns=str(w.turns),
                wire=w.wire.label,
                in_hand="1",
                layers=str(w.layers),
                length=f"1 × {fmt(cut_length(w, core.mlt), 'm')}",
                mass=fmt(mass, "kg", 2),
                starts=f"{pin}1 start, {pin}2 finish",
                note="" if n == 0 else "bifilar with the other drive winding, joined the other way round",
            )
        )
    volts = _v_half(worked)
    return WindingSheet(
        title="Drive transformer",
        core=f"{core.id}, strip ring, no gap",
        rows=tuple(rows),
        checks=labelled(
            (
                "Saturates after",
                f"{fmt(build.drive_share * volts / (4 * block.frequency(volts, build, worked.shelf)), 'V*s')} from zero",
            ),
            ("Frequency, nominal input", fmt(block.frequency(volts, build, worked.shelf), "Hz")),
            ("Voltage across its primary", fmt(build.drive_share * volts, "V")),
            ("Window in use", fmt(_fill(worked, build, core), "%", 2)),
        ),
        cautions=(
            "The two drive windings work against each other: join one the wrong way round, and both switches turn on.",
            "Start it through a lamp in series with the source until the frequency is seen.",
            f"If a winding touches the mains side, test it with {short(hipot_voltage(worked.brief.output.voltage), 'V')} AC "
            "for one minute; local codes decide.",
        ),
        window=_window(core, windings),
        phasing=(1, 2),
    )
