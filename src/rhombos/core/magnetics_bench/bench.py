"""Which wound parts a design has, and the bench of each."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rhombos.core.frame.solve import Worked
from rhombos.core.frame.topology import RECTIFIERS
from rhombos.core.magnetics_bench.drive import drive_bench
from rhombos.core.magnetics_bench.inductor import auxiliary_choke, filter_inductor, link_choke
from rhombos.core.magnetics_bench.iron import iron_bench
from rhombos.core.magnetics_bench.model import CoilBench
from rhombos.core.magnetics_bench.sense import sense_bench
from rhombos.core.magnetics_bench.transformer import transformer_bench

COILS: dict[str, Callable[[Worked], CoilBench]] = {
    "transformer": transformer_bench,
    "iron_transformer": iron_bench,
    "rectifier": link_choke,
    "output_filter": filter_inductor,
    "auxiliary_output": auxiliary_choke,
    "controller": sense_bench,
    "oscillator": drive_bench,
}
"""By block."""


def coil_bench(worked: Worked, block: str) -> CoilBench | None:
    """The bench of one wound part; None where this design has no such part."""
    return COILS[block](worked) if block in COILS and _wound(worked, block) else None


def _wound(worked: Worked, block: str) -> bool:
    """Whether this design has the part at all: not every rectifier has a choke, nor every controller a current transformer."""
    build: Any = worked.builds.get(block)
    if block == "rectifier":
        return build is not None and RECTIFIERS[build.circuit].choke
    return build is not None and (block != "controller" or build.sensing == "current transformer")
