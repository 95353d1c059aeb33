"""The sine table that a timer plays: its counts, what its whole numbers cost, and files for a compiler, a sheet, a viewer."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from rhombos.core.frame.labels import Labelled, labelled
from rhombos.core.units.quantities import Count, Hertz, Ratio, Second, fmt, short
from rhombos.core.waves.modulation import Array

Symmetry = Literal["full", "half", "quarter"]
STORED: dict[Symmetry, int] = {"full": 1, "half": 2, "quarter": 4}
"""Into how many parts of the table its symmetry folds."""
TASKS: tuple[tuple[str, int, int], ...] = (
    ("table look-up, both legs", 60, 60), ("RMS, one sample", 55, 420), ("voltage control, one step", 140, 1500),
    ("current limit and faults", 70, 160),
)  # fmt: skip
"""What a usual small controller spends each carrier period, in cycles: with whole numbers or a floating-point unit; and with
floating point in software."""
BUSY = 0.7
"""Share of its cycles that a controller may spend here: the rest is for everything else."""
VCD_PERIODS = 40
"""Carrier periods that the timing file holds."""


class TableAsked(BaseModel):
    """A timer and what it shall make."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    clock: Hertz = Field(16e6, ge=1e5, le=1e9, title="Timer clock")
    carrier: Hertz = Field(18e3, ge=300, le=500e3, title="Carrier")
    line: Hertz = Field(50.0, ge=1, le=1000, title="Output frequency")
    index: Ratio = Field(0.9, ge=0.01, le=1, title="Modulation index")
    samples: Count = Field(0, ge=0, le=20_000, title="Samples a line period, 0 for one each carrier period")
    bits: Count = Field(16, ge=6, le=32, title="Bits of the timer")
    centred: bool = Field(True, title="Counts up and down")
    symmetry: Symmetry = "quarter"
    dead_time: Second = Field(400e-9, ge=0, le=50e-6, title="Dead time")


class TableProblem(ValueError):
    """A table that cannot be made; `field` is what to change."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(message)
        self.field = field

    def __reduce__(self) -> tuple[object, ...]:
        return type(self), (self.field, str(self))


class SineTable(BaseModel):
    """What the bench shows of a table: figures, the cycle budget, and whether the budget holds."""

    model_config = ConfigDict(frozen=True)

    figures: tuple[Labelled, ...]
    budget: tuple[Labelled, ...]
    remarks: tuple[str, ...]
    counts: tuple[int, ...]


@dataclass(frozen=True)
class Played:
    """A table as the timer plays it: counts of one leg over a line period; top; how many carrier periods each entry lasts; what
    carrier and line then really are, Hz; dead time, counts."""

    counts: Array
    top: int
    repeats: int
    carrier: float
    line: float
    dead: int
    clock: float
    centred: bool


def played(asked: TableAsked) -> Played:
    """Counts from the timer's clock. Raises: TableProblem where the timer cannot make it."""
    steps = 2 if asked.centred else 1
    top = round(asked.clock / (steps * asked.carrier))
    most = 2**asked.bits - 1
    if top > most:
        raise TableProblem("bits", f"the timer counts to {top}, and {asked.bits} bits hold {most}; a faster carrier, a slower "
                           "clock (prescaler), or more bits")  # fmt: skip
    if top < 16:
        raise TableProblem("clock", f"the timer counts to {top} only: fewer than 16 steps make no sine; a faster clock or a "
                           "slower carrier")  # fmt: skip
    carrier = asked.clock / (steps * top)
    samples = asked.samples or round(carrier / asked.line)
    if samples < 8:
        raise TableProblem("carrier", f"{samples} samples in a line period make no sine; a faster carrier or a slower line")
    if samples % STORED[asked.symmetry]:
        samples += STORED[asked.symmetry] - samples % STORED[asked.symmetry]
    repeats = max(1, round(carrier / (samples * asked.line)))
    # the middle of each entry: then every symmetry holds exactly
    angle = 2 * math.pi * (np.arange(samples) + 0.5) / samples
    counts = np.round(top * (1 + asked.index * np.sin(angle)) / 2)
    dead = math.ceil(asked.dead_time * asked.clock - 1e-9)
    return Played(counts, top, repeats, carrier, carrier / (samples * repeats), dead, asked.clock, asked.centred)


def stored(table: Played, symmetry: Symmetry) -> Array:
    """The entries that must be kept; the rest follows by symmetry."""
    return table.counts[: table.counts.size // STORED[symmetry]]


def unfolded(kept: Array, top: int, symmetry: Symmetry) -> Array:
    """The whole line period from the entries kept."""
    if symmetry == "quarter":
        kept = np.concatenate([kept, kept[::-1]])
    return kept if symmetry == "full" else np.concatenate([kept, top - kept])


def distortion(table: Played) -> tuple[float, float]:
    """What rounding to whole counts leaves, and the largest step pattern of the held samples, over the fundamental.

    The first counts the harmonics below half the samples; the second is the image beside the sampling frequency, which the
    filter must stop.
    """
    wave = table.counts / table.top - 0.5
    peaks = np.abs(np.fft.rfft(wave))
    rest = math.sqrt(float(np.sum(peaks[2:] ** 2)))
    return rest / float(peaks[1]), 1 / (table.counts.size - 1)


def sine_table(asked: TableAsked) -> SineTable:
    """The table in figures, with its cycle budget. Raises: TableProblem."""
    table = played(asked)
    kept = stored(table, asked.symmetry)
    rounding, image = distortion(table)
    width = 1 if table.top < 256 else 2 if table.top < 65536 else 4
    off = table.line / asked.line - 1
    figures = labelled(
        ("Timer counts to", f"{table.top}" + (", up and down" if table.centred else "")),
        ("Carrier, really", fmt(table.carrier, "Hz", 5)), ("Samples in a line period", str(table.counts.size)),
        ("Carrier periods each", str(table.repeats)), ("Output, really", fmt(table.line, "Hz", 6)),
        ("Off by", f"{off:+.3%}".replace("-", "−").replace("%", " %")), ("Kept in memory",
        f"{kept.size} entries, {kept.size * width} bytes"),
        ("Distortion from whole counts", fmt(rounding, "%", 2)),
        (f"Step image beside {short(table.counts.size * table.line, 'Hz')}", fmt(image, "%", 2)),
        ("One count is", f"{fmt(1 / table.clock, 's')} of {fmt(1 / table.carrier, 's')}"),
        ("Dead time, counts", f"{table.dead} = {fmt(table.dead / table.clock, 's')}"),
    )  # fmt: skip
    cycles = table.clock / table.carrier
    rows = [(name, f"{whole} | {soft} cycles") for name, whole, soft in TASKS]
    sums = [sum(t[1] for t in TASKS), sum(t[2] for t in TASKS)]
    budget = labelled(
        ("Cycles in a carrier period", f"{cycles:.0f}"), *rows,
        ("All of it", " | ".join(f"{fmt(x / cycles, '%', 2)}" for x in sums)))  # fmt: skip
    return SineTable(figures=figures, budget=budget, remarks=_remarks(asked, table, off, cycles, sums),
                     counts=tuple(int(c) for c in kept))  # fmt: skip


def _remarks(asked: TableAsked, table: Played, off: float, cycles: float, sums: list[int]) -> tuple[str, ...]:
    found = []
    if abs(off) > 1e-3:
        found.append(f"The output runs at {fmt(table.line, 'Hz', 5)}: the carrier is no whole number of samples times the "
                     "line. Another number of samples, another top, or a phase accumulator sets it right.")  # fmt: skip
    if sums[0] > BUSY * cycles:
        found.append(f"Even with whole numbers the work takes {fmt(sums[0] / cycles, '%', 2)} of each carrier period: compute "
                     "the RMS once a line period, control every few samples, or take a faster controller.")  # fmt: skip
    elif sums[1] > BUSY * cycles:
        found.append(f"With floating point in software it takes {fmt(sums[1] / cycles, '%', 2)} of each carrier period: use "
                     "whole numbers, or a controller with a floating-point unit.")  # fmt: skip
    if table.top < 128:
        found.append(f"{table.top} steps are coarse: one is {1 / table.top:.1%} of the link.")
    if table.dead == 0 and asked.dead_time > 0:
        found.append("The dead time asked is less than one count.")
    found.append("Cycles are those of usual small controllers, one an instruction; measure yours with a pin and a scope.")
    return tuple(found)


def c_header(asked: TableAsked) -> str:
    """The kept entries as a C header."""
    table = played(asked)
    kept = stored(table, asked.symmetry)
    kind = "uint8_t" if table.top < 256 else "uint16_t" if table.top < 65536 else "uint32_t"
    rows = ["    " + ", ".join(f"{int(c):5d}" for c in kept[i : i + 12]) for i in range(0, kept.size, 12)]
    return "\n".join([
        "/* Sine table of one leg; the other leg plays TOP minus it. Made by Rhombos. */",
        f"/* clock {asked.clock:.0f} Hz, carrier {table.carrier:.2f} Hz, output {table.line:.4f} Hz, index {asked.index:g} */",
        "#ifndef RHOMBOS_SINE_H", "#define RHOMBOS_SINE_H", "#include <stdint.h>", "",
        f"#define SINE_TOP {table.top}u", f"#define SINE_SAMPLES {table.counts.size}u", f"#define SINE_STORED {kept.size}u",
        f"#define SINE_REPEATS {table.repeats}u", f"#define SINE_DEAD {table.dead}u", "",
        f"/* kept: {asked.symmetry} period; " + {
            "full": "play as it is */", "half": "second half: SINE_TOP - entry */",
            "quarter": "second quarter: backwards; second half: SINE_TOP - first half */"}[asked.symmetry],
        f"static const {kind} sine_table[SINE_STORED] = {{", ",\n".join(rows), "};", "", "#endif", ""])  # fmt: skip


def csv(asked: TableAsked) -> str:
    """The whole line period: sample, angle in degrees, counts of both legs, duty of both."""
    table = played(asked)
    lines = ["sample,degrees,left,right,left_duty,right_duty"]
    for n, c in enumerate(table.counts):
        other = table.top - c
        degrees = 360 * (n + 0.5) / table.counts.size
        lines.append(f"{n},{degrees:.4f},{int(c)},{int(other)},{c / table.top:.6f},{other / table.top:.6f}")
    return "\n".join(lines) + "\n"


def vcd(asked: TableAsked) -> str:
    """The four gates' timing over the first carrier periods, dead time included, as a value change dump; unit one
    nanosecond."""
    table = played(asked)
    events: dict[int, dict[str, int]] = {}

    def put(count: float, wire: str, level: int) -> None:
        events.setdefault(round(count / table.clock * 1e9), {})[wire] = level

    period = (2 if table.centred else 1) * table.top
    for k in range(VCD_PERIODS):
        c = table.counts[(k // table.repeats) % table.counts.size]
        for upper, lower, on in (("!", '"', float(c)), ("#", "$", float(table.top - c))):
            width = on * period / table.top
            start = k * period + ((period - width) / 2 if table.centred else 0.0)
            if width > table.dead:
                put(start + table.dead, upper, 1)
                put(start + width, upper, 0)
            put(start, lower, 0)
            if period - width > table.dead:
                put(start + width + table.dead, lower, 1)
    names = (("!", "left_upper"), ('"', "left_lower"), ("#", "right_upper"), ("$", "right_lower"))
    head = ["$comment gate timing, made by Rhombos $end", "$timescale 1 ns $end", "$scope module bridge $end",
            *(f"$var wire 1 {sign} {name} $end" for sign, name in names), "$upscope $end", "$enddefinitions $end",
            "#0", "0!", '1"', "0#", "1$"]  # fmt: skip
    state = {"!": 0, '"': 1, "#": 0, "$": 1}
    for at in sorted(events):
        changed = {w: v for w, v in events[at].items() if state[w] != v}
        if changed:
            state |= changed
            head += [f"#{max(at, 0)}", *(f"{v}{w}" for w, v in changed.items())]
    return "\n".join(head) + "\n"


FILES = {"h": ("text/x-c", c_header), "csv": ("text/csv", csv), "vcd": ("text/plain", vcd)}
"""What a table can be taken away as: media type and maker, by ending."""
