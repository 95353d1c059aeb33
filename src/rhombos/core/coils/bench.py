"""Which wound parts a design has, and the bench of each."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rhombos.core.coils.drive import drive_bench
from rhombos.core.coils.inductor import filter_inductor, link_choke
from rhombos.core.coils.iron import iron_bench
from rhombos.core.coils.model import CoilBench
from rhombos.core.coils.sense import sense_bench
from rhombos.core.coils.transformer import transformer_bench
from rhombos.core.frame.solve import Worked
from rhombos.core.frame.topology import RECTIFIERS

COILS: dict[str, Callable[[Worked], CoilBench]] = {
    "transformer": transformer_bench,
    "iron_transformer": iron_bench,
    "rectifier": link_choke,
    "output_filter": filter_inductor,
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
